//! The resistance inside a store: what its volts fall by when a heavy load joins a light one, over
//! what the amperes rise by.
//!
//! R = (U1 − U2) / (I2 − I1), the direct-current resistance by two loads (as in IEC 61960-3,
//! 7.7.3). One voltmeter reads both volts and one ammeter both currents: what their scales are off
//! is in both readings alike, so that only their difference is off by it.

use super::super::case::{Case, mean, odd_rows};
use super::super::guide::{BATTERY, Guide, Target, columns, meter, step, wait};
use super::super::meter::{Instrument, Known};
use super::super::outcome::{Outcome, Plot};
use super::super::protocol::Protocol;
use crate::ground::json::FieldError;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Resistance,
        title: "The resistance inside a store",
        answers: "How far its volts fall under load, and with that whether it starts a heater or a \
            pump late in an outage. It rises with age, often before the capacity falls.",
        subjects: &[Target::Store],
        needs: &[
            "a voltmeter that shows millivolts, at the store's own terminals",
            "an ammeter, or a clamp for direct current",
            "a light load, and a heavy one well within what the store may give",
        ],
        minutes: 15,
        cautions: &[BATTERY],
        disconnect: "Every charger, and every load that switches by itself.",
        meters: vec![meter("V", "out", false), meter("A", "out", true)],
        steps: vec![
            wait(
                "At half charge or more, let it rest without a charger.",
                1800,
            ),
            step("Switch the light load on."),
            wait(
                "After a minute read volts at the terminals, and amperes.",
                60,
            ),
            step(
                "Switch the heavy load on as well, and read both again after half a minute, and \
                the battery's temperature.",
            ),
            wait(
                "Take the heavy load off and let it rest; then again, three rows or more.",
                120,
            ),
        ],
        invalid: &[
            "Read at a socket or at the far end of a lead: their contacts are counted as the \
            store's.",
            "The light load changed meanwhile.",
            "It was charged just before: its volts still fall by themselves.",
        ],
        stop: "A terminal or a lead gets hot, the store smells or swells, or its volts fall \
            towards its cut-off.",
        readings: columns(&[
            ("volts, light load", "V", 3),
            ("amperes, light load", "A", 2),
            ("volts, heavy load", "V", 3),
            ("amperes, heavy load", "A", 2),
            ("battery", "°C", 0),
        ]),
        file: None,
    }
}

/// What two readings of one meter lie apart: its scale is off by the same share in both, its zero
/// by the same too.
fn apart(meter: &Instrument, high: f64, low: f64) -> Known {
    let value = high - low;
    // Each display's step by itself.
    let steps = meter.step.abs() * (2.0 / 3.0_f64).sqrt();
    Known {
        value,
        plus_minus: (meter.share.abs() * value.abs()).hypot(steps),
    }
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let rows = case.rows(5);
    if rows.is_empty() {
        return Ok(Outcome::says(
            "Read volts and amperes under a light load, the same under a heavy one, and the \
            battery's temperature.",
        ));
    }
    let mut ohms: Vec<(usize, Known)> = Vec::new();
    for (row, read) in &rows {
        let wrong = |why: &str| FieldError::of("rows", format!("row {}: {why}", row + 1));
        let more = apart(case.meter(1), read[3].value, read[1].value);
        let less = apart(case.meter(0), read[0].value, read[2].value);
        if more.value <= 0.0 {
            return Err(wrong(
                "the heavy load must draw more amperes than the light one",
            ));
        }
        if less.value <= 0.0 {
            return Err(wrong(
                "the volts do not fall under the heavy load; read them at the terminals, light \
                load first",
            ));
        }
        ohms.push((*row, less.over(more)));
    }
    let found = mean(&ohms.iter().map(|it| it.1).collect::<Vec<_>>());
    let warm = mean(&rows.iter().map(|it| it.1[4]).collect::<Vec<_>>());
    let points = ohms
        .iter()
        .enumerate()
        .map(|(n, (row, y))| (*row, Known::sure((n + 1) as f64), *y));
    let all = [
        case.given("internal resistance", "Ω", "/battery/internal_ohm", found),
        case.given(
            "temperature of its resistance",
            "°C",
            "/battery/internal_ohm_at_c",
            warm,
        ),
    ];
    Ok(Outcome {
        sentence: format!(
            "{} inside it at {}: each ampere more costs that many volts.",
            found.words("Ω"),
            warm.words("°C")
        )
        .into(),
        figures: all.to_vec(),
        questions: odd_rows(&ohms, "Ω"),
        plot: Some(Plot::of(("row", ""), ("resistance", "Ω")).with(points)),
        ..Outcome::says("")
    })
}
