//! Efficiency over load: power in and out at several loads, and the loss law through them (`fit`).

use super::super::case::Case;
use super::super::fit::fit;
use super::super::guide::{BATTERY, Guide, HOT, MAINS, Target, columns, meter, step, wait};
use super::super::meter::Known;
use super::super::outcome::{CurveAt, Outcome, Plot, Question, Told};
use super::super::power::Pair;
use super::super::power::{Moved, Power};
use super::super::protocol::Protocol;
use crate::ground::say::Amount;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Efficiency,
        title: "Efficiency over load, with two meters",
        answers: "What a converter loses at every load: for being on, with the load, and with its \
            square. One figure on a label hides that small loads fare worst.",
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
            step(
                "Begin with nothing on its output: that row tells the idle draw best. Then the \
                smallest load.",
            ),
            wait("Let it settle.", 60),
            step(
                "Read all four within a few seconds: volts in, amperes in, volts out, amperes out.",
            ),
            step(
                "Go on to the next larger load; at the end take the first one again, to see \
                whether warmth has moved it.",
            ),
        ],
        invalid: &[
            "A load with a thermostat, that switches while you read.",
            "A meter that stands between the voltmeter and what is measured, on one side only.",
            "Readings of in and out taken minutes apart.",
        ],
        stop: "A limit is passed, a lead gets warm, or the voltage at the input falls under its \
            cut-out: take the load off.",
        readings: columns(&[
            ("volts in", "V", 2),
            ("amperes in", "A", 2),
            ("volts out", "V", 2),
            ("amperes out", "A", 2),
        ]),
        file: None,
    }
}

/// What came out of what went in, one row after another; with each meter one for all rows.
fn pairs(case: &Case<'_>, rows: &[(usize, Vec<Known>)]) -> Vec<Pair> {
    let power = |it: &[Known], from: usize| {
        let read = Power::of(&[
            (it[0].value, case.meter(from)),
            (it[1].value, case.meter(from + 1)),
        ]);
        // Where nothing hangs on it nothing flows, whatever the last digit of a display leaves
        // open.
        if it[1].value == 0.0 {
            Power {
                meters: vec![Moved::default(); 2],
                ..read
            }
        } else {
            read
        }
    };
    rows.iter()
        .map(|(_, it)| Pair {
            input: power(&it[..2], 0),
            out: power(&it[2..], 2),
        })
        .collect()
}

/// One or two loads give no law, but what comes out of what goes in at these.
fn without_law(rows: &[(usize, Vec<Known>)], pairs: &[Pair], why: &str) -> Outcome {
    let at = |pair: &Pair| {
        let (out, input) = (pair.out.known(), pair.input.known());
        (out.value > 0.0 && input.value > 0.0).then(|| (out, out.over(input)))
    };
    let told: Vec<Told> = pairs
        .iter()
        .filter_map(at)
        .map(|(out, share)| {
            Told::of(
                format!("efficiency at {}", Amount(out.value, "W")),
                "%",
                share.scaled(100.0),
            )
        })
        .collect();
    let said = pairs.iter().filter_map(at).map(|(out, share)| {
        format!(
            "{} at {}",
            share.scaled(100.0).words("%"),
            Amount(out.value, "W")
        )
    });
    let said: Vec<String> = said.collect();
    let mut sentence = if said.is_empty() {
        String::new()
    } else {
        format!("{} comes out. ", said.join(", "))
    };
    sentence += &format!("No law yet: {why}.");
    let impossible = pairs.iter().zip(rows).filter(|(it, _)| {
        let (out, input) = (it.out.known(), it.input.known());
        input.value + input.plus_minus + out.plus_minus < out.value
    });
    let questions = impossible.map(|(it, row)| Question {
        row: row.0,
        sentence: format!(
            "{} come out of {}: swap the columns, or look which meter stands where",
            Amount(it.out.watts, "W"),
            Amount(it.input.watts, "W")
        )
        .into(),
    });
    let questions: Vec<Question> = questions.collect();
    let told = if questions.is_empty() {
        told
    } else {
        Vec::new()
    };
    if !questions.is_empty() {
        sentence = format!("No law yet: {why}.");
    }
    Outcome {
        told,
        questions,
        ..Outcome::says(sentence)
    }
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let rows = case.rows(4);
    let pairs = pairs(case, &rows);
    let points = rows.iter().zip(&pairs).map(|(row, it)| {
        (
            row.0,
            it.out.known(),
            it.input.known().minus(it.out.known()),
        )
    });
    let plot = Plot::of(("out", "W"), ("lost", "W")).with(points);
    let law = match fit(&pairs) {
        Ok(law) => law,
        Err(why) => {
            return Outcome {
                plot: Some(plot),
                ..without_law(&rows, &pairs, &why.message)
            };
        }
    };
    let half = law.plus_minus.unwrap_or([0.0; 3]);
    let give = |name, unit, key: &str, index: usize, value: f64| {
        case.given(
            name,
            unit,
            &format!("/loss/{key}"),
            Known {
                value,
                plus_minus: half[index],
            },
        )
    };
    let figures = vec![
        give("idle draw", "W", "idle_w", 0, law.idle_w),
        give("lost per watt", "", "proportional", 1, law.proportional),
        give(
            "lost per squared watt",
            "1/W",
            "quadratic_per_w",
            2,
            law.quadratic_per_w,
        ),
    ];
    let curve = law
        .band
        .iter()
        .map(|it| CurveAt {
            x: it.out_w,
            y: it.loss_w,
            plus_minus: it.plus_minus,
        })
        .collect();
    let questions = law.out_of_line.iter().map(|it| {
        let off = law.residuals_w[*it];
        let way = if off > 0.0 { "above" } else { "below" };
        Question {
            row: rows[*it].0,
            sentence: format!(
                "lies {} {way} the law of the other rows: is it right?",
                Amount(off.abs(), "W")
            )
            .into(),
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
