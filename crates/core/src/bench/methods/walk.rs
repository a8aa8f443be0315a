//! The voltage and polarity walk as a test: a column for each joint, a row for each time that it
//! was walked.

use super::super::case::{Case, Subject};
use super::super::guide::{BATTERY, Guide, MAINS, Target, meter, step};
use super::super::meter::Known;
use super::super::meter::Reading;
use super::super::outcome::{Outcome, Plot, Question};
use super::super::protocol::Protocol;
use crate::bench::walk::{Read, Shows, walk};
use crate::ground::json::FieldError;
use crate::network::Charge;
use crate::site::plan::Plan;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Walk,
        title: "Voltage and polarity walk",
        answers: "Whether every joint has its volts, with plus where it belongs, before the dear \
            end is plugged in. In Chains each joint is gone through by itself; here walks are kept \
            over the years.",
        subjects: &[Target::Arrangement],
        needs: &["a voltmeter with thin probes"],
        minutes: 15,
        cautions: &[
            BATTERY,
            MAINS,
            "AC joints are measured with a plug-in meter, never with bare probes.",
        ],
        disconnect: "Every device, until its own joint is right.",
        meters: vec![meter("V", "out", false)],
        steps: vec![
            step("Begin at the source, red probe where plus belongs."),
            step(
                "Write down the volts with their sign at every joint, in the order of the columns.",
            ),
            step("Stop at the first that is wrong, and mend it before going on."),
        ],
        invalid: &[
            "Probes swapped in between.",
            "A source that is not switched on.",
        ],
        stop: "A sign or a voltage is not as expected: nothing more is plugged in.",
        readings: Vec::new(),
        file: None,
    }
}

/// A column for each joint.
pub(in super::super) fn readings(plan: &Plan, of: &Subject) -> Vec<Reading> {
    let Some(way) = plan.arrangement(&of.id) else {
        return Vec::new();
    };
    let joints = walk(plan, way, &Charge::full(), &[]).joints;
    joints
        .into_iter()
        .map(|it| Reading::of(it.joint.place, "V", 2))
        .collect()
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let Some(way) = case.plan.arrangement(&case.test.of.id) else {
        return Err(FieldError::of("of", "names no arrangement".into()));
    };
    let joints = walk(case.plan, way, &Charge::full(), &[]).joints;
    let rows = case
        .test
        .rows
        .iter()
        .enumerate()
        .filter(|it| it.1.struck.is_none());
    let mut questions = Vec::new();
    let mut sentence = "Write down the volts at every joint, with their sign.".to_owned();
    let mut points = Vec::new();
    for (row, it) in rows {
        let reads: Vec<Read> = joints
            .iter()
            .zip(&it.values)
            .filter_map(|(joint, volts)| {
                Some(Read {
                    joint: joint.joint.key.clone(),
                    volts: (*volts)?,
                    at: String::new(),
                })
            })
            .collect();
        let walked = walk(case.plan, way, &Charge::full(), &reads);
        let wrong = walked
            .joints
            .iter()
            .filter_map(|it| Some((it, it.judged.as_ref()?)));
        questions.extend(wrong.filter(|it| it.1.shows != Shows::Expected).map(
            |(joint, judged)| Question {
                row,
                sentence: format!("{}: {}", joint.joint.place, judged.sentence).into(),
            },
        ));
        points = it
            .values
            .iter()
            .enumerate()
            .filter_map(|(index, volts)| {
                Some((row, Known::sure((index + 1) as f64), Known::sure((*volts)?)))
            })
            .collect();
        sentence = walked.sentence.to_string();
    }
    let plot = (!points.is_empty())
        .then(|| Plot::of(("joint, in the order of the columns", ""), ("read", "V")).with(points));
    Ok(Outcome {
        questions,
        plot,
        ..Outcome::says(sentence)
    })
}
