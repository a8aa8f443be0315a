//! Auto-off: below which load a port turns itself off, and after how long.

use super::super::case::{Case, mean};
use super::super::guide::{BATTERY, Guide, MAINS, Target, columns, meter, step};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot, Question};
use super::super::protocol::Protocol;
use super::levels::between;
use crate::ground::say::Amount;

/// What stayed on counts once it was watched for this many times the longest delay.
const WATCHED: f64 = 1.2;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::AutoOff,
        title: "Auto-off: below what load, after how long",
        answers: "Whether a store takes a small device for nothing, and turns itself off at three \
            in the morning.",
        subjects: &[Target::Port],
        needs: &[
            "a wattmeter, or volts and amperes",
            "small loads: two, four, six and ten watts",
            "a clock",
        ],
        minutes: 20,
        cautions: &[BATTERY, MAINS],
        disconnect: "Every other port is off, as some look at all ports together.",
        meters: vec![meter("W", "out", true)],
        steps: vec![
            step("Put the smallest load on the port, and note the time."),
            step(
                "See when it goes off. Write down watts, minutes, and 1; or 0 where it was still \
                on.",
            ),
            step(
                "Go on with the next larger load, until one keeps it on for longer than the delay.",
            ),
        ],
        invalid: &[
            "Somebody pressed a button, or the display was woken, in between.",
            "A load that comes and goes.",
        ],
        stop: "What hangs on it must not go off.",
        readings: columns(&[
            ("watts out", "W", 1),
            ("minutes", "min", 0),
            ("went off: 1, stayed on: 0", "", 0),
        ]),
        file: None,
    }
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let rows = case.rows(3);
    let off = |it: &(usize, Vec<Known>)| it.1[2].value > 0.5;
    let (gone, stayed): (Vec<_>, Vec<_>) = rows.iter().cloned().partition(off);
    if rows.is_empty() {
        return Outcome::says("Put a small load on it: watts, minutes, and 1 where it went off.");
    }
    let plot = Plot::of(("out", "W"), ("on for", "min"))
        .with(rows.iter().map(|it| (it.0, it.1[0], it.1[1])));
    let delays: Vec<Known> = gone.iter().map(|it| it.1[1].scaled(60.0)).collect();
    let longest = gone.iter().map(|it| it.1[1].value).fold(0.0, f64::max);
    let mut questions = Vec::new();
    for it in stayed.iter().filter(|it| it.1[1].value < WATCHED * longest) {
        let sentence = format!(
            "was watched for {} only; the delay is {}",
            Amount(it.1[1].value, "min"),
            Amount(longest, "min")
        );
        questions.push(Question {
            row: it.0,
            sentence: sentence.into(),
        });
    }
    let by_watts =
        |a: &&(usize, Vec<Known>), b: &&(usize, Vec<Known>)| a.1[0].value.total_cmp(&b.1[0].value);
    let most = gone.iter().max_by(by_watts);
    let least = stayed
        .iter()
        .filter(|it| it.1[1].value >= WATCHED * longest)
        .min_by(by_watts);
    let done = |sentence: String| Outcome {
        plot: Some(plot.clone()),
        ..Outcome::says(sentence)
    };
    let outcome = match (most, least) {
        (None, _) => {
            done("It stayed on with everything that was tried: no auto-off was seen.".into())
        }
        (Some(most), None) => done(format!(
            "Goes off below {} or more, after {}; find a load that keeps it on.",
            Amount(most.1[0].value, "W"),
            Amount(longest, "min")
        )),
        (Some(most), Some(least)) if least.1[0].value <= most.1[0].value => {
            questions.push(Question {
                row: most.0,
                sentence: format!(
                    "went off at more than row {} stayed on with: was the load steady?",
                    least.0 + 1
                )
                .into(),
            });
            done(
                "It went off at more than it stayed on with: strike the row that does not count."
                    .into(),
            )
        }
        (Some(most), Some(least)) => {
            let threshold = between(most.1[0], least.1[0]);
            let delay = mean(&delays);
            Outcome {
                figures: vec![
                    case.given("goes off below", "W", "/auto_off/below_w", threshold),
                    case.given("after", "s", "/auto_off/after_s", delay),
                ],
                ..done(format!(
                    "Goes off below {}, after {}.",
                    threshold.words("W"),
                    Amount(delay.value / 60.0, "min")
                ))
            }
        }
    };
    Outcome {
        questions,
        ..outcome
    }
}
