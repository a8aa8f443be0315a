//! Surge: for how long more than the rating is carried, at each level, as the overloads of a port.

use super::super::case::Case;
use super::super::guide::{BATTERY, Guide, HOT, MAINS, Target, meter, step, wait};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot, Question};
use super::super::protocol::Protocol;
use super::levels::{Tried, tried, unit};
use crate::ground::say::Amount;
use serde_json::{Value, json};

/// Levels nearer than this share are the same.
const SAME: f64 = 0.02;
/// A finger on a stopwatch, s.
const FINGER: f64 = 0.3;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Surge,
        title: "How long a surge is carried",
        answers: "For how long a port carries more than its rating. A peak on a label without a \
            time is no promise; a start lasts as long as it lasts.",
        subjects: &[Target::Port, Target::Output],
        needs: &[
            "an ammeter or a clamp",
            "loads above the rating, that stand being switched off",
            "a stopwatch, or a camera on the meter",
        ],
        minutes: 40,
        cautions: &[
            BATTERY,
            MAINS,
            HOT,
            "Above the rating everything gets warm fast: somebody stays, with a hand on the \
            switch.",
        ],
        disconnect: "Everything else on the port, and on ports that share its limit.",
        meters: vec![meter("A", "out", true)],
        steps: vec![
            step("Choose a level above the rating, such as that of the start that it must carry."),
            step(
                "Switch it on, and count the seconds until it lets go, or until as long as the \
                start lasts.",
            ),
            step("Write down level, seconds, and 1 where it tripped or 0 where it still held."),
            wait("Let it cool before the next.", 600),
        ],
        invalid: &[
            "It was warm from the try before.",
            "The load itself falls while it gets warm: read it at the end.",
        ],
        stop: "A smell, smoke, or a lead that gets warm: switch off at once.",
        readings: Vec::new(),
        file: None,
    }
}

/// One level, with how long it was carried.
struct Level {
    at: Known,
    seconds: Known,
    tripped: bool,
    row: usize,
}

fn levels(mut tried: Vec<Tried>) -> Vec<Level> {
    tried.sort_by(|a, b| a.level.value.total_cmp(&b.level.value));
    let mut levels: Vec<Level> = Vec::new();
    for it in tried {
        let mut seconds = it.seconds;
        seconds.plus_minus = seconds.plus_minus.hypot(FINGER);
        match levels
            .last_mut()
            .filter(|last| it.level.value < last.at.value * (1.0 + SAME))
        {
            // The shortest to a trip is what can be counted on; where none tripped, the longest
            // that was held.
            Some(last) if it.tripped && (!last.tripped || seconds.value < last.seconds.value) => {
                (last.seconds, last.tripped) = (seconds, true);
            }
            Some(last) if !last.tripped && seconds.value > last.seconds.value => {
                last.seconds = seconds;
            }
            Some(_) => {}
            None => levels.push(Level {
                at: it.level,
                seconds,
                tripped: it.tripped,
                row: it.row,
            }),
        }
    }
    levels
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let unit = unit(case.plan, &case.test.of);
    let tried = tried(case);
    if tried.is_empty() {
        return Outcome::says(
            "Put a level above the rating on it: level, seconds, and 1 where it tripped.",
        );
    }
    let plot = Plot::of(("out", unit), ("carried", "s"))
        .with(tried.iter().map(|it| (it.row, it.level, it.seconds)));
    let limit = &case.part()["limit"];
    let key = if unit == "W" {
        "continuous_w"
    } else {
        "continuous_a"
    };
    let rated = limit[key]
        .as_f64()
        .or_else(|| limit[key]["value"].as_f64())
        .unwrap_or(0.0);
    let (mut levels, below): (Vec<Level>, Vec<Level>) = levels(tried)
        .into_iter()
        .partition(|it| it.at.value > rated);
    let mut questions: Vec<Question> = below
        .iter()
        .map(|it| Question {
            row: it.row,
            sentence: format!(
                "is within the rating of {}: it is no surge",
                Amount(rated, unit)
            )
            .into(),
        })
        .collect();
    // What carries more for longer carries this for as long at least, unless it was seen to let go.
    for index in (0..levels.len().saturating_sub(1)).rev() {
        let above = levels[index + 1].seconds;
        let it = &mut levels[index];
        if it.seconds.value >= above.value {
            continue;
        }
        if it.tripped {
            let sentence = format!(
                "let go sooner than at a higher level: was it warm still? It is counted as {}",
                Amount(it.seconds.value, "s")
            );
            questions.push(Question {
                row: it.row,
                sentence: sentence.into(),
            });
        } else {
            it.seconds = above;
        }
    }
    // An overload that lasts less than a lower one needs the shorter time from there on.
    for index in 1..levels.len() {
        if levels[index].seconds.value > levels[index - 1].seconds.value {
            levels[index].seconds = levels[index - 1].seconds;
        }
    }
    if levels.is_empty() {
        return Outcome {
            questions,
            plot: Some(plot),
            ..Outcome::says("Nothing above the rating was tried yet.")
        };
    }
    let measured =
        |it: Known| json!({"value": it.value, "plus_minus": it.plus_minus, "basis": "measured"});
    let point = |it: &Level| {
        let level = if unit == "W" { "up_to_w" } else { "up_to_a" };
        json!({level: measured(it.at), "for_s": measured(it.seconds)})
    };
    let list: Value = levels.iter().map(point).collect();
    let said: Vec<String> = levels
        .iter()
        .map(|it| {
            let least = if it.tripped { "" } else { " or longer" };
            format!(
                "{} for {}{least}",
                Amount(it.at.value, unit),
                Amount(it.seconds.value, "s")
            )
        })
        .collect();
    let words = if levels.len() == 1 {
        "one level".into()
    } else {
        format!("{} levels", levels.len())
    };
    Outcome {
        lists: vec![case.given_list("overloads", words, "/limit/overload", list)],
        questions,
        plot: Some(plot),
        ..Outcome::says(format!("Carries {}.", said.join(", ")))
    }
}
