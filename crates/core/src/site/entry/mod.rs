//! What a person types for a figure, in the units that they have.
//!
//! `6.2±0.2 m` is 6.2 W ± 0.2, measured; `12 V 1.5 A` is what a label says; `400 mAh/h`, `4.5
//! Wh/day` and `1.2 kWh in 36 h` are averages. Each comes with the working of its conversion, which
//! goes into the figure's note.
//!
//! # Layout
//! - `target`: what an entry is to be, and what is known around it
//! - `spoken`: the text as numbers with units; `sums`: what they come to
//! - `capacity`: the size of a store, by whatever its label says

mod capacity;
mod spoken;
mod sums;
mod target;

pub use capacity::{Capacity, CapacityReading, capacity};
pub use target::{Around, DecimalMark, Target};

use crate::ground::figure::Basis;
use crate::ground::json::FieldError;
use crate::ground::quantity::gauge_area;
use crate::ground::say::{Habits, Sentence, amount, render};
use crate::site::sum::{Term, Working};
use serde::Serialize;
use spoken::{Spoken, tokens};
use sums::{Sum, energy, single, watts};
use target::refuse;

/// A figure as it was typed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Entry {
    /// The value, in the unit of its target.
    pub value: f64,
    /// The gauge, where a cross-section was typed as one; 1/0 to 4/0 are 0 to −3.
    pub awg: Option<f64>,
    /// Half-width of its 95 % interval, in the same unit, where one was typed.
    pub plus_minus: Option<f64>,
    /// Where it comes from; assumed where nothing was said.
    pub basis: Basis,
    /// The conversion in words, where there was one.
    pub note: Option<String>,
    /// The conversion as a sum, where there was one.
    pub working: Option<Working>,
    /// What is doubtful about it, where something is.
    pub question: Option<Sentence>,
    /// What to take instead, in the same unit, where the question suggests it.
    pub instead: Option<f64>,
}

/// Of what a label promises, the share that is carried while running, where nobody measured.
pub const LABEL_SHARE: f64 = 0.4;

/// Reads an entry.
///
/// # Errors
/// Says what cannot be read, with examples of what can.
///
/// ```
/// use ash_pond_core::site::entry::{Around, Target, read};
/// use ash_pond_core::ground::figure::Basis;
/// let at_12 = Around { volts: Some(12.0), ..Around::default() };
/// let entry = read("6.2±0.2 m", Target::Watts, at_12).unwrap();
/// assert_eq!((entry.value, entry.plus_minus, entry.basis), (6.2, Some(0.2), Basis::Measured));
/// assert_eq!(read("240 Wh/day", Target::Watts, at_12).unwrap().value, 10.0);
/// assert_eq!(read("400 mAh/h", Target::Watts, at_12).unwrap().note.unwrap(), "0.4 A × 12 V");
/// assert_eq!(read("12 V 1.5 A", Target::Watts, at_12).unwrap().basis, Basis::Label);
/// assert!(read("six", Target::Watts, at_12).unwrap_err().message.contains("6.2±0.2 m"));
/// ```
pub fn read(text: &str, target: Target, around: Around) -> Result<Entry, FieldError> {
    entry(text, target, around).map_err(|why| FieldError::of("text", why))
}

fn entry(text: &str, target: Target, around: Around) -> Result<Entry, String> {
    if target == Target::Area {
        return size(text, around);
    }
    let tokens = tokens(text, around.decimal).map_err(|why| refuse(text, target, &why))?;
    let spoken = Spoken::of(&tokens, target).map_err(|why| refuse(text, target, &why))?;
    let mut guessed = None;
    let sum = match target {
        Target::Watts => watts(&spoken.amounts, around),
        Target::WattHours => energy(&spoken.amounts, around).map(|(sum, question)| {
            guessed = question;
            sum
        }),
        _ => single(&spoken.amounts, target, around),
    };
    let Sum {
        value,
        plus_minus,
        words,
        terms,
        formula,
        label,
    } = sum.map_err(|why| refuse(text, target, &why))?;
    if !value.is_finite() || (value < 0.0 && !matches!(target, Target::Celsius | Target::Degrees)) {
        return Err(refuse(text, target, "it comes to less than nothing"));
    }
    if target == Target::Share && value > 1.0 {
        return Err(refuse(text, target, "a share is at most 100 %"));
    }
    let basis = spoken
        .basis
        .unwrap_or(if label { Basis::Label } else { Basis::Assumed });
    let working = (!terms.is_empty()).then(|| {
        let result = Term {
            plus_minus,
            basis: Some(basis),
            ..Term::computed("comes to", value, target.unit())
        };
        Working::of("conversion", words.clone(), formula, terms, result)
    });
    let doubtful =
        target == Target::Watts && basis == Basis::Label && around.running && value > 0.0;
    let instead = doubtful.then_some(value * LABEL_SHARE);
    let question = instead.map(|it| {
        format!(
            "A label says what it may take at most. Measure what it takes while running, or assume \
            two fifths: {}.",
            amount(it, "W")
        )
    });
    let question = question.or(guessed);
    let note = working
        .as_ref()
        .map(|_| render(&words, &Habits::si()).into_owned());
    Ok(Entry {
        value,
        awg: None,
        plus_minus,
        basis,
        note,
        working,
        question: question.map(Into::into),
        instead,
    })
}

/// Reads a cross-section: mm², or a gauge, whose `1/0` would be a division anywhere else.
fn size(text: &str, around: Around) -> Result<Entry, String> {
    let lower = text.to_lowercase();
    let bare: String = ["awg", "gauge", "ga", "mm²", "mm2", "sq mm", "sqmm"]
        .iter()
        .fold(lower.clone(), |text, word| text.replace(word, " "));
    let metric = lower.contains("mm");
    let called = lower.contains("awg") || lower.contains("ga");
    if metric && called {
        return Err(refuse(
            text,
            Target::Area,
            "it is in mm² and a gauge at once",
        ));
    }
    let noughts = bare
        .trim()
        .strip_suffix("/0")
        .and_then(|it| it.trim().parse::<f64>().ok());
    if !metric && (called || around.gauge || noughts.is_some()) {
        let gauge = match noughts {
            Some(many) => 1.0 - many,
            None => {
                read(&bare, Target::Plain, around)
                    .map_err(|_| refuse(text, Target::Area, "it is no gauge"))?
                    .value
            }
        };
        if !(-3.0..=40.0).contains(&gauge) || gauge.fract() != 0.0 {
            return Err(refuse(
                text,
                Target::Area,
                "gauges go from 4/0 over 1/0 and 1 to 40, in whole numbers",
            ));
        }
        let value = gauge_area(gauge).0;
        let (plus_minus, basis) = (None, Basis::Assumed);
        return Ok(Entry {
            value,
            awg: Some(gauge),
            plus_minus,
            basis,
            note: None,
            working: None,
            question: None,
            instead: None,
        });
    }
    let found = entry(&bare, Target::Plain, around).map_err(|why| {
        let why = why
            .split("”: ")
            .nth(1)
            .and_then(|it| it.split(". Write").next())
            .unwrap_or("it is no size")
            .to_owned();
        refuse(text, Target::Area, &why)
    })?;
    if found.value > 0.0 {
        Ok(found)
    } else {
        Err(refuse(
            text,
            Target::Area,
            "a conductor is thicker than nothing",
        ))
    }
}
