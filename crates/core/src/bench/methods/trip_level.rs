//! Trip level: what a port carries for good, and where it lets go, climbing in steps.

use super::super::case::Case;
use super::super::guide::{BATTERY, Guide, HOT, MAINS, Target, meter, step, wait};
use super::super::outcome::{Outcome, Plot, Question, Told};
use super::super::protocol::Protocol;
use super::levels::{between, tried, unit};
use crate::ground::say::Amount;

/// What is held for less than this, s, says nothing of what is carried for good.
const FOR_GOOD: f64 = 60.0;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::TripLevel,
        title: "Trip level, climbing in steps",
        answers: "What a port really carries. Labels are rounded, and some outlets let go well \
            below theirs.",
        subjects: &[Target::Port, Target::Output],
        needs: &[
            "an ammeter or a clamp",
            "a load that can be raised in small steps: lamps, or an electronic load",
        ],
        minutes: 30,
        cautions: &[
            BATTERY,
            MAINS,
            HOT,
            "Leads and plugs are chosen for more than the highest step.",
        ],
        disconnect: "Everything else on the port, and on ports that share its limit.",
        meters: vec![meter("A", "out", true), meter("V", "out", false)],
        steps: vec![
            step("Begin at half of the label."),
            wait("Hold the step for a minute or longer.", 60),
            step("Write down the level, the seconds, and 0 where it held or 1 where it tripped."),
            step(
                "Climb by a twentieth of the label. After a trip let it cool for ten minutes, and \
                come from below again.",
            ),
        ],
        invalid: &[
            "A step that is held for less than a minute.",
            "It is still warm from the last trip.",
        ],
        stop: "A plug or a lead is too hot to touch, a smell, or volts at the port fall under what \
            the load needs.",
        readings: Vec::new(),
        file: None,
    }
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let unit = unit(case.plan, &case.test.of);
    let tried = tried(case);
    let short = tried
        .iter()
        .filter(|it| !it.tripped && it.seconds.value < FOR_GOOD);
    let mut questions: Vec<Question> = short
        .map(|it| Question {
            row: it.row,
            sentence: format!(
                "held for {} only: a minute or longer counts",
                Amount(it.seconds.value, "s")
            )
            .into(),
        })
        .collect();
    let held = tried
        .iter()
        .filter(|it| !it.tripped && it.seconds.value >= FOR_GOOD);
    let held = held.max_by(|a, b| a.level.value.total_cmp(&b.level.value));
    let gone = tried
        .iter()
        .filter(|it| it.tripped)
        .min_by(|a, b| a.level.value.total_cmp(&b.level.value));
    let name = if unit == "W" {
        "watts out"
    } else {
        "amperes out"
    };
    let plot = Plot::of((name, unit), ("for", "s"))
        .with(tried.iter().map(|it| (it.row, it.level, it.seconds)));
    let done = |sentence: String| Outcome {
        plot: Some(plot.clone()),
        ..Outcome::says(sentence)
    };
    let outcome = match (held, gone) {
        (None, None) => {
            Outcome::says("Climb from half of the label: level, seconds, and 1 where it tripped.")
        }
        (Some(held), None) => done(format!(
            "Carries {} for {}; nothing tripped yet: climb on.",
            Amount(held.level.value, unit),
            Amount(held.seconds.value, "s")
        )),
        (None, Some(gone)) => done(format!(
            "Trips at {} after {}; begin lower, to see what it holds.",
            Amount(gone.level.value, unit),
            Amount(gone.seconds.value, "s")
        )),
        (Some(held), Some(gone)) if gone.level.value <= held.level.value => {
            questions.push(Question {
                row: gone.row,
                sentence: format!(
                    "tripped at {}, and row {} held {}: was it warm still?",
                    Amount(gone.level.value, unit),
                    held.row + 1,
                    Amount(held.level.value, unit)
                )
                .into(),
            });
            done(
                "It tripped at less than it held: let it cool, and strike the row that does not \
                count."
                    .into(),
            )
        }
        (Some(held), Some(gone)) => {
            let at = between(held.level, gone.level);
            let key = if unit == "W" {
                "/limit/continuous_w"
            } else {
                "/limit/continuous_a"
            };
            Outcome {
                // What held is what may be planned with; what lies between held and tripped is not
                // proven.
                figures: vec![case.given("carried for good", unit, key, held.level)],
                told: vec![Told::of("trips at", unit, at)],
                ..done(format!(
                    "Carries {}, trips at {} after {}: somewhere at {}.",
                    Amount(held.level.value, unit),
                    Amount(gone.level.value, unit),
                    Amount(gone.seconds.value, "s"),
                    at.words(unit)
                ))
            }
        }
    };
    Outcome {
        questions,
        ..outcome
    }
}
