//! Efficiency over load: power in and out at several loads, and the loss law through them (`fit`).

use super::super::fit::{Pair, fit};
use super::super::guide::{BATTERY, Guide, HOT, MAINS, Target, columns, meter, step, wait};
use super::super::meter::Known;
use super::super::outcome::{CurveAt, Outcome, Plot, Question};
use super::super::protocol::Protocol;
use super::super::test::Case;
use crate::say::Amount;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Efficiency,
        title: "Efficiency over load, with two meters",
        answers: "What a converter loses at every load: for being on, with the load, and with its square. One figure on a label hides that small loads fare worst.",
        subjects: &[Target::Converter],
        needs: &[
            "two voltmeters and two ammeters, or two wattmeters",
            "four loads or more, from a twentieth to most of its limit",
        ],
        minutes: 45,
        cautions: &[BATTERY, MAINS, HOT],
        disconnect: "Everything else on its input and on its output.",
        meters: vec![
            meter("A", "in", true),
            meter("V", "in", false),
            meter("A", "out", true),
            meter("V", "out", false),
        ],
        steps: vec![
            step("Begin with nothing on its output: that row tells the idle draw best. Then the smallest load."),
            wait("Let it settle.", 60),
            step("Read all four within a few seconds: volts in, amperes in, volts out, amperes out."),
            step(
                "Go on to the next larger load; at the end take the first one again, to see whether warmth has moved it.",
            ),
        ],
        invalid: &[
            "A load with a thermostat, that switches while you read.",
            "A meter that stands between the voltmeter and what is measured, on one side only.",
            "Readings of in and out taken minutes apart.",
        ],
        stop: "A limit is passed, a lead gets warm, or the voltage at the input falls under its cut-out: take the load off.",
        readings: columns(&[
            ("volts in", "V", 2),
            ("amperes in", "A", 2),
            ("volts out", "V", 2),
            ("amperes out", "A", 2),
        ]),
        file: None,
    }
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let rows = case.rows(4);
    let pairs: Vec<Pair> =
        rows.iter().map(|it| Pair { input: it.1[0].times(it.1[1]), out: it.1[2].times(it.1[3]) }).collect();
    let points = rows.iter().zip(&pairs).map(|(row, pair)| (row.0, pair.out, pair.input.minus(pair.out)));
    let plot = Plot::of(("out", "W"), ("lost", "W")).with(points);
    let law = match fit(&pairs) {
        Ok(law) => law,
        Err(why) => {
            let sentence = format!("No law yet: {why}.");
            return Outcome { plot: Some(plot), ..Outcome::says(sentence) };
        }
    };
    let half = law.plus_minus.unwrap_or([0.0; 3]);
    let give = |name, unit, key: &str, index: usize, value: f64| {
        case.given(name, unit, &format!("/loss/{key}"), Known { value, plus_minus: half[index] })
    };
    let figures = vec![
        give("idle draw", "W", "idle_w", 0, law.idle_w),
        give("lost per watt", "", "proportional", 1, law.proportional),
        give("lost per squared watt", "1/W", "quadratic_per_w", 2, law.quadratic_per_w),
    ];
    let curve = law.band.iter().map(|it| CurveAt { x: it.out_w, y: it.loss_w, plus_minus: it.plus_minus }).collect();
    let questions = law.out_of_line.iter().map(|it| {
        let off = law.residuals_w[*it];
        let way = if off > 0.0 { "above" } else { "below" };
        Question {
            row: rows[*it].0,
            sentence: format!("lies {} {way} the law of the other rows: is it right?", Amount(off.abs(), "W")).into(),
        }
    });
    Outcome {
        sentence: law.sentence.clone(),
        questions: questions.collect(),
        figures,
        plot: Some(Plot { curve, ..plot }),
        fit: Some(law),
        ..Outcome::says("")
    }
}
