//! Charge drop, one way against the other: the same device run two ways off one store, by what the
//! display falls.
//!
//! Watt-hours are the share that the display fell times what the store holds; watts are those over
//! the hours. What the store really holds is common to both runs: it moves each figure, but hardly
//! their difference, so the two are told apart by the displays alone.

use super::super::case::{Case, full_wh, mean};
use super::super::guide::{BATTERY, Guide, Target, columns, meter, step};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot, Question, Told};
use super::super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::ground::say::Amount;
use crate::site::plan::Battery;

/// Runs whose lengths differ by more than this share are unlike.
const UNLIKE: f64 = 0.1;
/// Runs that start further apart than this, in points of charge, started from different states.
const APART: f64 = 5.0;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::ChargeDrop,
        title: "Charge drop, one way against the other",
        answers: "Whether one way of feeding a device really takes less than another, and whether \
            the display can tell them apart at all.",
        subjects: &[Target::Store],
        needs: &[
            "the store's own display",
            "a clock",
            "the same device twice, for the same hours",
        ],
        minutes: 20,
        cautions: &[BATTERY],
        disconnect: "Everything but the device, and every charger.",
        meters: vec![meter("%", "in", false)],
        steps: vec![
            step("Charge to full and let it rest. Connect the device the first way."),
            step(
                "Write down: 1 for the first way, the per cent at the start and at the end, the \
                hours.",
            ),
            step(
                "Charge to full again, let it rest as long as before, and connect the device the \
                second way.",
            ),
            step(
                "Let it run for the same hours, and write the same down with a 2. Once more each, \
                where there is time.",
            ),
        ],
        invalid: &[
            "The two started from different states.",
            "The two ran for unlike lengths.",
            "Sun on the panel during one of them.",
            "A load with a thermostat, on a warmer day.",
        ],
        stop: "The display falls below the floor.",
        readings: columns(&[
            ("way, 1 or 2", "", 0),
            ("at the start", "%", 0),
            ("at the end", "%", 0),
            ("hours", "h", 2),
        ]),
        file: None,
    }
}

/// One run on a store.
pub(super) struct Run {
    /// Its row.
    pub(super) row: usize,
    /// Points of charge at its start, %.
    pub(super) start: f64,
    /// Its length.
    pub(super) hours: Known,
    /// Mean power with everything that it may be off, W.
    pub(super) watts: Known,
    /// The same with what the displays may be off alone.
    pub(super) by_display: Known,
}

impl Run {
    /// What the store holds may be off by this share of it.
    pub(super) fn store_share(&self) -> f64 {
        let off = self.watts.plus_minus.powi(2) - self.by_display.plus_minus.powi(2);
        off.max(0.0).sqrt() / self.watts.value.abs().max(1e-9)
    }

    /// From the per cent at the start, at the end, and the hours.
    pub(super) fn of(row: usize, battery: &Battery, read: &[Known]) -> Result<Self, FieldError> {
        let whole = full_wh(battery).ok_or_else(|| {
            FieldError::of(
                "of",
                "does not say what it stores; enter its capacity or its energy first".to_owned(),
            )
        })?;
        let [start, end, hours] = *read else {
            return Err(FieldError::of("rows", "a run has three readings".into()));
        };
        let wrong = |why: &str| FieldError::of("rows", format!("row {}: {why}", row + 1));
        if [start, end]
            .iter()
            .any(|it| !(0.0..=100.0).contains(&it.value))
        {
            return Err(wrong("charge is 0 to 100 %"));
        }
        if hours.value <= 0.0 {
            return Err(wrong("the hours must be above 0"));
        }
        let share = start.minus(end).scaled(0.01);
        let display = share.times(Known::sure(whole.value)).over(hours);
        let watts = share.times(whole).over(hours);
        Ok(Self {
            row,
            start: start.value,
            hours,
            watts,
            by_display: display,
        })
    }
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let battery = case.battery()?;
    let rows = case.rows(4);
    let mut ways: [Vec<Run>; 2] = [Vec::new(), Vec::new()];
    for (row, it) in &rows {
        let way = match it[0].value {
            1.0 => 0,
            2.0 => 1,
            other => {
                return Err(FieldError::of(
                    "rows",
                    format!("row {}: the way is 1 or 2, not {other}", row + 1),
                ));
            }
        };
        ways[way].push(Run::of(*row, battery, &it[1..4])?);
    }
    let questions = unlike(&ways);
    let plot = Plot::of(("run", "h"), ("taken", "W"))
        .with(ways.iter().flatten().map(|it| (it.row, it.hours, it.watts)));
    let watts = |way: &[Run]| mean(&way.iter().map(|it| it.watts).collect::<Vec<_>>());
    let named = |way: usize| ["the first way", "the second way"][way];
    let told: Vec<Told> = (0..2)
        .filter(|it| !ways[*it].is_empty())
        .map(|it| Told::of(named(it), "W", watts(&ways[it])))
        .collect();
    let outcome = |sentence: String, told| Outcome {
        told,
        questions,
        plot: Some(plot),
        ..Outcome::says(sentence)
    };
    let done = match &told[..] {
        [] => {
            return Ok(Outcome::says(
                "Run the device the first way and write the row down, then the second way.",
            ));
        }
        [only] => {
            let known = Known {
                value: only.value,
                plus_minus: only.plus_minus.unwrap_or(0.0),
            };
            let sentence = format!(
                "{} {}. Now the other way, from the same state, for as long.",
                known.words("W"),
                only.name
            );
            return Ok(outcome(sentence, told));
        }
        [first, second, ..] => (first.value, second.value),
    };
    let by_display = |way: &[Run]| mean(&way.iter().map(|it| it.by_display).collect::<Vec<_>>());
    let saving = by_display(&ways[0]).minus(by_display(&ways[1]));
    let (better, less) = if saving.value >= 0.0 {
        (1, saving.value)
    } else {
        (0, -saving.value)
    };
    let off = saving.plus_minus;
    let mut sentence = format!(
        "{} the first way, {} the second: ",
        Amount(done.0, "W"),
        Amount(done.1, "W")
    );
    sentence += &if less > off {
        format!(
            "{} takes {} less, {} a day, more than the displays can be off.",
            named(better),
            Known {
                value: less,
                plus_minus: off
            }
            .words("W"),
            Amount(less * 24.0, "Wh")
        )
    } else {
        let hours = ways
            .iter()
            .flatten()
            .map(|it| it.hours.value)
            .fold(0.0, f64::max);
        let longer = (less > off / 20.0).then(|| {
            format!(
                " Runs of {} might.",
                Amount((hours * off / less).ceil(), "h")
            )
        });
        format!(
            "{} apart, which these displays cannot tell.{}",
            Known {
                value: less,
                plus_minus: off
            }
            .words("W"),
            longer.unwrap_or_default()
        )
    };
    let mut told = told;
    told.push(Told::of("the second way takes less by", "W", saving));
    Ok(outcome(sentence, told))
}

/// Runs that started from another state, or ran for another length, than the first.
fn unlike(ways: &[Vec<Run>; 2]) -> Vec<Question> {
    let mut runs: Vec<&Run> = ways.iter().flatten().collect();
    runs.sort_by_key(|it| it.row);
    let Some((first, others)) = runs.split_first() else {
        return Vec::new();
    };
    let asked = others.iter().filter_map(|it| {
        let sentence = if (it.start - first.start).abs() > APART {
            format!(
                "started at {} %, row {} at {} %: they cannot be compared",
                it.start,
                first.row + 1,
                first.start
            )
        } else if (it.hours.value / first.hours.value - 1.0).abs() > UNLIKE {
            let hours = |it: &Run| Amount(it.hours.value, "h").to_string();
            format!(
                "ran for {}, row {} for {}: unlike lengths",
                hours(it),
                first.row + 1,
                hours(first)
            )
        } else {
            return None;
        };
        Some(Question {
            row: it.row,
            sentence: sentence.into(),
        })
    });
    asked.collect()
}
