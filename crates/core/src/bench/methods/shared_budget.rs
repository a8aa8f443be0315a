//! Ports that share a budget: what they carry together, climbing in steps.

use super::super::case::{Case, Subject};
use super::super::guide::{BATTERY, Guide, HOT, MAINS, Target, meter, step, wait};
use super::super::meter::Known;
use super::super::meter::Reading;
use super::super::outcome::{Outcome, Plot, Question, Told};
use super::super::protocol::Protocol;
use super::levels::between;
use crate::ground::say::Amount;
use crate::site::plan::Plan;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::SharedBudget,
        title: "Ports that share a budget",
        answers: "What several ports carry together: each within its own limit, they may still \
            trip as one.",
        subjects: &[Target::Group],
        needs: &[
            "a wattmeter for each port",
            "loads for two of the ports, raised in steps",
        ],
        minutes: 30,
        cautions: &[BATTERY, MAINS, HOT],
        disconnect: "Every port that does not belong to them.",
        meters: vec![meter("W", "out", true), meter("W", "out", true)],
        steps: vec![
            step("Put a load within its limit on each port."),
            wait("Hold it for a minute.", 60),
            step(
                "Write down the watts of each port, and 1 where any went off, or 0 where all held.",
            ),
            step(
                "Raise one of them by a small step, and again. After a trip, begin once more with \
                another share.",
            ),
        ],
        invalid: &[
            "One port alone is over its own limit.",
            "Still warm from the last trip.",
        ],
        stop: "A plug or a lead is too hot to touch.",
        readings: Vec::new(),
        file: None,
    }
}

/// Watts of each port of the group, and whether any went off.
pub(super) fn readings(plan: &Plan, of: &Subject) -> Vec<Reading> {
    let source = plan.source(&of.id).map(|it| it.ports.as_slice());
    let ports = source
        .or_else(|| plan.converter(&of.id).map(|it| it.outputs.as_slice()))
        .unwrap_or_default();
    let own = ports
        .iter()
        .filter(|it| it.group.as_ref().map(|it| it.as_str()) == of.part.as_deref());
    let named = own.map(|it| {
        Reading::of(
            it.label.clone().unwrap_or_else(|| it.id.to_string()),
            "W",
            1,
        )
    });
    named
        .chain([Reading::of("went off: 1, held: 0", "", 0)])
        .collect()
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let columns = readings(case.plan, &case.test.of).len();
    let summed: Vec<(usize, Known, bool)> = case
        .rows(columns)
        .into_iter()
        .map(|(row, it)| {
            let (off, ports) = it
                .split_last()
                .map_or((false, &[][..]), |(last, ports)| (last.value > 0.5, ports));
            (
                row,
                ports.iter().fold(Known::sure(0.0), |sum, it| sum.plus(*it)),
                off,
            )
        })
        .collect();
    let by_watts =
        |a: &&(usize, Known, bool), b: &&(usize, Known, bool)| a.1.value.total_cmp(&b.1.value);
    let held = summed.iter().filter(|it| !it.2).max_by(by_watts);
    let gone = summed.iter().filter(|it| it.2).min_by(by_watts);
    let plot = Plot::of(("row", ""), ("together", "W")).with(
        summed
            .iter()
            .enumerate()
            .map(|(n, it)| (it.0, Known::sure((n + 1) as f64), it.1)),
    );
    let done = |sentence: String| Outcome {
        plot: Some(plot.clone()),
        ..Outcome::says(sentence)
    };
    match (held, gone) {
        (None, None) => {
            Outcome::says("Put a load on each port: watts of each, and 1 where any went off.")
        }
        (Some(held), None) => done(format!(
            "They carry {} together; nothing tripped yet.",
            Amount(held.1.value, "W")
        )),
        (None, Some(gone)) => done(format!(
            "They trip at {} together; begin lower.",
            Amount(gone.1.value, "W")
        )),
        (Some(held), Some(gone)) if gone.1.value <= held.1.value => Outcome {
            questions: vec![Question {
                row: gone.0,
                sentence: format!(
                    "went off at less than row {} held: was one port over its own limit?",
                    held.0 + 1
                )
                .into(),
            }],
            ..done(
                "They went off at less than they held: strike the row that does not count.".into(),
            )
        },
        (Some(held), Some(gone)) => {
            let at = between(held.1, gone.1);
            Outcome {
                figures: vec![case.given("carried together", "W", "/limit/continuous_w", held.1)],
                told: vec![Told::of("trip at", "W", at)],
                ..done(format!(
                    "They carry {} together, and trip at {}.",
                    Amount(held.1.value, "W"),
                    Amount(gone.1.value, "W")
                ))
            }
        }
    }
}
