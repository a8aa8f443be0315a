//! Charging: from the wall into the store, with the times to 80 and to 100 %, and how it tapers.

use super::super::case::{Case, full_wh};
use super::super::guide::{BATTERY, Guide, MAINS, Target, columns, meter, step};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot, Question, Told};
use super::super::protocol::Protocol;
use crate::bench::past::Said;
use crate::ground::json::FieldError;
use crate::ground::say::Amount;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Charging,
        title: "Charging, from the wall to stored",
        answers: "How long a charge really takes, the last fifth above all, and what of it is \
            stored. A generator runs for as long.",
        subjects: &[Target::Input],
        needs: &[
            "an energy meter at the wall",
            "the store's own display",
            "some hours",
        ],
        minutes: 20,
        cautions: &[
            BATTERY,
            MAINS,
            "Lithium is not charged below 0 °C; lead is charged where there is air.",
        ],
        disconnect: "Every load on the store.",
        meters: vec![meter("Wh", "in", true), meter("%", "out", false)],
        steps: vec![
            step("Start at a fifth or less. Set the energy meter to zero."),
            step(
                "Switch the charger on, and write down hours, per cent and watt-hours at the wall: \
                the first row at 0 hours.",
            ),
            step("Again at every tenth, every few per cent above 80, and when it says full."),
        ],
        invalid: &[
            "A load ran from the store meanwhile.",
            "A display that jumps at the end: let it rest and read again.",
        ],
        stop: "The case swells, smells, or gets too hot to touch.",
        readings: columns(&[
            ("hours", "h", 2),
            ("stored", "%", 0),
            ("from the wall", "Wh", 0),
        ]),
        file: None,
    }
}

/// When a level is first reached, hours since the start, by straight lines between rows.
fn reached(rows: &[(usize, Vec<Known>)], level: f64) -> Option<f64> {
    let pair = rows
        .windows(2)
        .find(|it| it[0].1[1].value < level && it[1].1[1].value >= level)?;
    let (a, b) = (&pair[0].1, &pair[1].1);
    let along = (level - a[1].value) / (b[1].value - a[1].value);
    Some(a[0].value + along * (b[0].value - a[0].value) - rows[0].1[0].value)
}

/// Below this share of what it takes at first it takes less.
const LESS: f64 = 0.9;
/// A stretch that falls to this share and rises again is asked about.
const DIP: f64 = 0.8;

/// How the power at the wall goes on over the charge.
struct Course {
    /// What it takes before it takes less, W; none where nothing tells that it was the most.
    early: Option<Known>,
    /// From which charge on it takes less for good, %.
    knee: Option<f64>,
    /// Rows at the end of a stretch in which it took less and then more again, with what it took,
    /// W.
    dips: Vec<(usize, f64)>,
}

impl Course {
    fn of(rows: &[(usize, Vec<Known>)]) -> Self {
        let none = Self {
            early: None,
            knee: None,
            dips: Vec::new(),
        };
        let stretch = |it: &[(usize, Vec<Known>)]| {
            let (a, b) = (&it[0].1, &it[1].1);
            let hours = b[0].value - a[0].value;
            (
                it[1].0,
                a[1].value,
                (b[2].value - a[2].value) / hours,
                hours,
            )
        };
        let list: Vec<(usize, f64, f64, f64)> = rows.windows(2).map(stretch).collect();
        if list.len() < 3 {
            return none;
        }
        let most = list.iter().map(|it| it.2).fold(0.0, f64::max);
        // From the end back: the stretches that stay below.
        let late = list
            .iter()
            .rev()
            .take_while(|it| it.2 < LESS * most)
            .count();
        let first = &list[..list.len() - late];
        let full: Vec<_> = first.iter().filter(|it| it.2 >= LESS * most).collect();
        let hours: f64 = full.iter().map(|it| it.3).sum();
        let watts = full.iter().map(|it| it.2 * it.3).sum::<f64>() / hours;
        // What the meter at the wall may be off, over what it counted.
        let (start, end) = (&rows[0].1[2], &rows[rows.len() - 1].1[2]);
        let share = if end.value > start.value {
            end.plus_minus / end.value
        } else {
            0.0
        };
        Self {
            early: (late > 0 && full.len() > 1).then_some(Known {
                value: watts,
                plus_minus: share * watts,
            }),
            knee: (late > 0).then(|| list[list.len() - late].1),
            dips: first
                .iter()
                .filter(|it| it.2 < DIP * most)
                .map(|it| (it.0, it.2))
                .collect(),
        }
    }
}

/// The efficiency of the input as it is known from elsewhere than a charge: with it a charge says
/// what the store holds. What was measured by a charge was reckoned with what the store is said to
/// hold, and says nothing of it.
fn known_otherwise(case: &Case<'_>) -> Option<Known> {
    let stated = Said::of(case.part().get("efficiency")?)?;
    let half = stated
        .plus_minus
        .unwrap_or_else(|| stated.basis.deserves("") * stated.value);
    (stated.test.is_none() && stated.value > 0.0).then_some(Known {
        value: stated.value,
        plus_minus: half,
    })
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let battery = case.battery()?;
    let whole = full_wh(battery).ok_or_else(|| {
        FieldError::of(
            "of",
            "does not say what it stores; enter its capacity or its energy first".to_owned(),
        )
    })?;
    let rows = case.rows(3);
    if rows.len() < 2 {
        return Ok(Outcome::says(
            "Write down hours, per cent and watt-hours at the wall, from the start to full.",
        ));
    }
    for pair in rows.windows(2) {
        let (a, b) = (&pair[0].1, &pair[1].1);
        let wrong = |why: &str| {
            Err(FieldError::of(
                "rows",
                format!("row {}: {why}", pair[1].0 + 1),
            ))
        };
        if b[0].value <= a[0].value {
            return wrong("the hours must rise");
        }
        if b[2].value < a[2].value {
            return wrong("the watt-hours at the wall fall; count on from the first row");
        }
    }
    let (first, last) = (&rows[0].1, &rows[rows.len() - 1].1);
    let stored = last[1].minus(first[1]).scaled(0.01).times(whole);
    let wall = last[2].minus(first[2]);
    let plot = Plot::of(("since the start", "h"), ("stored", "%"))
        .with(rows.iter().map(|it| (it.0, it.1[0], it.1[1])));
    if wall.value <= 0.0 || stored.value <= 0.0 {
        return Ok(Outcome {
            plot: Some(plot),
            ..Outcome::says("Nothing was stored yet.")
        });
    }
    let efficiency = stored.over(wall);
    let holds_wh =
        known_otherwise(case).map(|it| wall.times(it).over(last[1].minus(first[1]).scaled(0.01)));
    let mut told = vec![
        Told::of("from the wall", "Wh", wall),
        Told::of("stored", "Wh", stored),
    ];
    let mut times = String::new();
    for level in [80.0, 100.0] {
        if let Some(hours) = reached(&rows, level) {
            times += &format!("; {level} % after {}", Amount(hours, "h"));
            told.push(Told {
                name: format!("to {level} %"),
                unit: "h",
                value: hours,
                plus_minus: None,
            });
        }
    }
    let course = Course::of(&rows);
    if let Some(knee) = course.knee {
        times += &format!("; it takes less from {} on", Amount(knee, "%"));
        told.push(Told {
            name: "takes less from".into(),
            unit: "%",
            value: knee,
            plus_minus: None,
        });
    }
    let power = |low: f64, high: f64| {
        let part: Vec<&Vec<Known>> = rows
            .iter()
            .map(|it| &it.1)
            .filter(|it| (low..=high).contains(&it[1].value))
            .collect();
        let (a, b) = (part.first()?, part.last()?);
        (b[0].value > a[0].value).then(|| (b[2].value - a[2].value) / (b[0].value - a[0].value))
    };
    if let (Some(early), Some(late)) = (power(0.0, 80.0), power(80.0, 100.0)) {
        times += &format!(
            "; {} at first, {} in the last fifth",
            Amount(early, "W"),
            Amount(late, "W")
        );
    }
    let mut sentence = format!(
        "{} from the wall, {} stored: {}{times}.",
        Amount(wall.value, "Wh"),
        Amount(stored.value, "Wh"),
        efficiency.scaled(100.0).words("%")
    );
    if efficiency.value > 1.0 {
        sentence += " More is stored than was drawn: the store holds less than the plan says, or \
            its display jumps.";
        return Ok(Outcome {
            holds_wh,
            told,
            plot: Some(plot),
            ..Outcome::says(sentence)
        });
    }
    let mut figures = vec![case.given("charging efficiency", "", "/efficiency", efficiency)];
    // Of an input that can be set in several ways nobody knows here which of them this was.
    let is_set = case.part()["modes"]
        .as_array()
        .is_some_and(|it| !it.is_empty());
    if let Some(early) = course.early.filter(|_| !is_set) {
        figures.push(case.given("takes at most", "W", "/max_w", early));
    }
    let questions = course.dips.iter().map(|(row, watts)| Question {
        row: *row,
        sentence: format!(
            "{} here and more again after it: did its case get too warm, or did something else \
            draw?",
            Amount(*watts, "W")
        )
        .into(),
    });
    let questions = questions.collect();
    Ok(Outcome {
        figures,
        holds_wh,
        told,
        questions,
        plot: Some(plot),
        ..Outcome::says(sentence)
    })
}
