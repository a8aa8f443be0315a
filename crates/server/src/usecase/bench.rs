//! What the bench knows beside its tests: figures over the years, what to measure next,
//! instruments.

use super::answers::{Answer, Answers};
use super::tests::{json, read};
use crate::bodies::bench::{
    FigureHistory, FigurePoint, History, Instruments, NextTests, OtherTest,
};
use crate::error::ApiError;
use ash_pond_core::advice::next::next;
use ash_pond_core::bench::{Instrument, Known, drift, outcome};
use ash_pond_store::{Store, StoreError, TestRow};
use serde_json::Value;

/// Every figure of an element that was ever measured, test by test, with its drift.
pub(crate) fn history(
    store: &Store,
    site: &str,
    kind: &str,
    of: &str,
) -> Result<History, ApiError> {
    let plan = store.plan(site)?.plan;
    let mut rows: Vec<TestRow> = store.tests(site)?;
    rows.reverse();
    let mut figures: Vec<FigureHistory> = Vec::new();
    let mut others = Vec::new();
    for row in rows {
        let test = read(site, &row)?;
        if test.of.kind != kind || test.of.id != of {
            continue;
        }
        let outcome = outcome(&plan, &test).ok();
        let given = outcome
            .as_ref()
            .map(|it| it.figures.as_slice())
            .unwrap_or_default();
        if given.is_empty() {
            let sentence = outcome
                .as_ref()
                .map_or_else(String::new, |it| it.sentence.to_string());
            others.push(OtherTest {
                test: row.id.clone(),
                begun: row.begun.clone(),
                protocol: test.protocol.clone(),
                sentence,
            });
        }
        for it in given {
            let point = FigurePoint {
                test: row.id.clone(),
                begun: row.begun.clone(),
                value: it.value,
                plus_minus: it.plus_minus,
                note: test.note.clone(),
                in_use: it.now_test.as_deref() == Some(row.id.as_str()),
            };
            match figures.iter_mut().find(|known| known.pointer == it.pointer) {
                Some(known) => known.points.push(point),
                None => figures.push(FigureHistory {
                    name: it.name.clone(),
                    unit: it.unit.clone(),
                    pointer: it.pointer.clone(),
                    now: it.now,
                    points: vec![point],
                    drift_per_year: None,
                    drift_plus_minus: None,
                    sentence: String::new(),
                }),
            }
        }
    }
    figures.iter_mut().for_each(with_drift);
    Ok(History {
        label: plan.label(of).to_owned(),
        figures,
        others,
    })
}

/// Years since the beginning of 1970.
fn years(at: &str) -> Option<f64> {
    let at: jiff::Timestamp = at.parse().ok()?;
    Some(at.as_second() as f64 / (365.25 * 86_400.0))
}

fn with_drift(figure: &mut FigureHistory) {
    let points = figure.points.iter().filter_map(|it| {
        Some((
            years(&it.begun)?,
            Known {
                value: it.value,
                plus_minus: it.plus_minus,
            },
        ))
    });
    let found = drift(&points.collect::<Vec<_>>());
    let unit = figure.unit.clone();
    figure.sentence = match found {
        None if figure.points.len() < 2 => "One test so far.".into(),
        None => "Its tests lie too near each other to tell a drift.".into(),
        Some(it) if it.value.abs() <= it.plus_minus => {
            format!(
                "No drift that its tests could tell: {} a year.",
                it.words(&unit)
            )
        }
        Some(it) => {
            let way = if it.value < 0.0 { "Falls" } else { "Rises" };
            format!(
                "{way} by {} a year.",
                Known {
                    value: it.value.abs(),
                    ..it
                }
                .words(&unit)
            )
        }
    };
    figure.drift_per_year = found.map(|it| it.value);
    figure.drift_plus_minus = found.map(|it| it.plus_minus);
}

/// The tests that are most worth their time.
pub(crate) fn worth(store: &Store, answers: &Answers, site: &str) -> Result<Answer, ApiError> {
    let plan = store.plan(site)?.plan;
    answers.answer(&plan, "next", &(), || Ok(NextTests { next: next(&plan) }))
}

/// The instruments that were described.
pub(crate) fn instruments(store: &Store) -> Result<Instruments, ApiError> {
    let read = |body: Value| {
        let row = body["name"].to_string();
        let wrong = |error: serde_json::Error| StoreError::Unreadable {
            table: "instruments",
            row,
            why: error.to_string(),
        };
        serde_json::from_value(body).map_err(wrong)
    };
    Ok(Instruments {
        instruments: store
            .instruments()?
            .into_iter()
            .map(read)
            .collect::<Result<_, _>>()?,
    })
}

/// Describes an instrument by its name.
pub(crate) fn describe(
    store: &Store,
    site: Option<&str>,
    name: &str,
    body: Value,
) -> Result<(Instruments, Option<i64>), ApiError> {
    let instrument: Instrument =
        serde_json::from_value(body).map_err(|error| ApiError::at("", error.to_string()))?;
    for (field, value) in [
        ("share", instrument.share),
        ("fixed", instrument.fixed),
        ("step", instrument.step),
    ] {
        if !(0.0..=1e6).contains(&value) {
            return Err(ApiError::at(
                field,
                format!("is {value}; it must be 0 or more"),
            ));
        }
    }
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(ApiError::at("name", "must have 1 to 80 letters"));
    }
    let instrument = Instrument {
        name: Some(name.to_owned()),
        ..instrument
    };
    let revision = store.keep_instrument(site, name, Some(&json(&instrument)?))?;
    Ok((instruments(store)?, revision))
}

/// Forgets an instrument; tests keep what it was.
pub(crate) fn forget_instrument(
    store: &Store,
    site: Option<&str>,
    name: &str,
) -> Result<(Instruments, Option<i64>), ApiError> {
    let revision = store.keep_instrument(site, name, None)?;
    Ok((instruments(store)?, revision))
}
