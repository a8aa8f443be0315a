//! What a person types for a figure, in the units that they have.
//!
//! `6.2±0.2 m` is 6.2 W ± 0.2, measured; `12 V 1.5 A` is what a label says; `400 mAh/h`, `4.5 Wh/day` and
//! `1.2 kWh in 36 h` are averages. Each comes with the working of its conversion, which goes into the figure's note.
//!
//! # Layout
//! - `spoken`: the text as numbers with units; `sums`: what they come to
//! - `capacity`: the size of a store, by whatever its label says

mod capacity;
mod spoken;
mod sums;

pub use capacity::{Capacity, CapacityReading, capacity};

use crate::figure::Basis;
use crate::json::words;
use crate::limits::amount;
use crate::quantity::gauge_area;
use crate::say::{Habits, Sentence, render};
use crate::working::{Term, Working};
use serde::Serialize;
use spoken::{Spoken, tokens};
use sums::{Sum, energy, single, watts};

words!(
    /// What an entry is to be.
    Target {
        /// Power, W.
        Watts = "watts",
        /// Voltage, V.
        Volts = "volts",
        /// Current, A.
        Amps = "amps",
        /// Energy, Wh.
        WattHours = "watt-hours",
        /// Charge, Ah.
        AmpHours = "amp-hours",
        /// Time, s.
        Seconds = "seconds",
        /// Time, ms.
        Milliseconds = "milliseconds",
        /// Time, min.
        Minutes = "minutes",
        /// A share, 0 to 1; typed as a percentage or as a share.
        Share = "share",
        /// Temperature, °C; a bare number is in the unit that is asked for around it.
        Celsius = "celsius",
        /// An angle north or east, degrees; S and W are below 0.
        Degrees = "degrees",
        /// A length, m.
        Metres = "metres",
        /// The cross-section of a conductor, mm²; typed in mm² or as a gauge.
        Area = "area",
        /// A resistance, Ω.
        Ohms = "ohms",
        /// A number without a unit.
        Plain = "plain",
    }
);

impl Target {
    /// The unit of the result.
    pub fn unit(self) -> &'static str {
        match self {
            Self::Watts => "W",
            Self::Volts => "V",
            Self::Amps => "A",
            Self::WattHours => "Wh",
            Self::AmpHours => "Ah",
            Self::Seconds => "s",
            Self::Milliseconds => "ms",
            Self::Minutes => "min",
            Self::Celsius => "°C",
            Self::Degrees => "°",
            Self::Metres => "m",
            Self::Area => "mm²",
            Self::Ohms => "Ω",
            Self::Share | Self::Plain => "",
        }
    }

    /// Whether a figure of this kind is taken to be off by its basis where it has no ± of its own.
    pub fn is_weighed(self) -> bool {
        !matches!(self, Self::Celsius | Self::Degrees | Self::Plain)
    }

    /// What can be typed for it.
    pub fn examples(self) -> &'static str {
        match self {
            Self::Watts => "6.2, 6.2±0.2 m, 0.7 A 12 V, 400 mAh/h, 4.5 Wh/day",
            Self::Volts => "12, 12.1±0.1 m",
            Self::Amps => "1.5, 700 mA",
            Self::WattHours => "15, 0.5 kWh, 1821 mAh 3.82 V, 4 x 2550 mAh 1.2 V, 54 kJ, 3 pence",
            Self::AmpHours => "100, 2600 mAh",
            Self::Seconds => "40, 2 min",
            Self::Milliseconds => "20, 0.02 s",
            Self::Minutes => "35, 4 h",
            Self::Share => "40 %, 0.4",
            Self::Celsius => "12, −5, 54 °F",
            Self::Degrees => "53.2 N, 1.9 W, −1.9",
            Self::Metres => "2.5, 80 cm, 10 ft",
            Self::Area => "2.5, 2.5 mm², 12 AWG, 1/0 AWG",
            Self::Ohms => "0.014, 14 mΩ",
            Self::Plain => "3",
        }
    }
}

/// How numbers are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum DecimalMark {
    /// `1.5`; a comma before three digits parts thousands, any other is a decimal mark.
    #[default]
    Point,
    /// `1,5`; a point before three digits parts thousands, any other is a decimal mark.
    Comma,
}

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

/// What is known around an entry.
#[expect(clippy::struct_excessive_bools, reason = "each says how one kind of bare number is read")]
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Around {
    /// The voltage that goes with amperes that name none, V.
    pub volts: Option<f64>,
    /// Whether it is what a device draws while running, which a label overstates.
    pub running: bool,
    /// How numbers are written.
    pub decimal: DecimalMark,
    /// Whether a temperature without a unit is in °F.
    pub fahrenheit: bool,
    /// Whether a length without a unit is in feet.
    pub feet: bool,
    /// Whether a cross-section without a unit is a gauge.
    pub gauge: bool,
    /// What a kilowatt-hour costs, for an energy that is told by its price.
    pub per_kwh: Option<f64>,
}

/// Of what a label promises, the share that is carried while running, where nobody measured.
pub const LABEL_SHARE: f64 = 0.4;

/// Reads an entry.
///
/// # Errors
/// Says what cannot be read, with examples of what can.
///
/// ```
/// use ash_pond_core::entry::{Around, Target, read};
/// use ash_pond_core::figure::Basis;
/// let at_12 = Around { volts: Some(12.0), ..Around::default() };
/// let entry = read("6.2±0.2 m", Target::Watts, at_12).unwrap();
/// assert_eq!((entry.value, entry.plus_minus, entry.basis), (6.2, Some(0.2), Basis::Measured));
/// assert_eq!(read("240 Wh/day", Target::Watts, at_12).unwrap().value, 10.0);
/// assert_eq!(read("400 mAh/h", Target::Watts, at_12).unwrap().note.unwrap(), "0.4 A × 12 V");
/// assert_eq!(read("12 V 1.5 A", Target::Watts, at_12).unwrap().basis, Basis::Label);
/// assert!(read("six", Target::Watts, at_12).unwrap_err().contains("6.2±0.2 m"));
/// ```
pub fn read(text: &str, target: Target, around: Around) -> Result<Entry, String> {
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
    let Sum { value, plus_minus, words, terms, formula, label } = sum.map_err(|why| refuse(text, target, &why))?;
    if !value.is_finite() || (value < 0.0 && !matches!(target, Target::Celsius | Target::Degrees)) {
        return Err(refuse(text, target, "it comes to less than nothing"));
    }
    if target == Target::Share && value > 1.0 {
        return Err(refuse(text, target, "a share is at most 100 %"));
    }
    let basis = spoken.basis.unwrap_or(if label { Basis::Label } else { Basis::Assumed });
    let working = (!terms.is_empty()).then(|| {
        let result = Term { plus_minus, basis: Some(basis), ..Term::computed("comes to", value, target.unit()) };
        Working::of("conversion", words.clone(), formula, terms, result)
    });
    let doubtful = target == Target::Watts && basis == Basis::Label && around.running && value > 0.0;
    let instead = doubtful.then_some(value * LABEL_SHARE);
    let question = instead.map(|it| {
        format!(
            "A label says what it may take at most. Measure what it takes while running, or assume two fifths: {}.",
            amount(it, "W")
        )
    });
    let question = question.or(guessed);
    let note = working.as_ref().map(|_| render(&words, &Habits::si()).into_owned());
    Ok(Entry { value, awg: None, plus_minus, basis, note, working, question: question.map(Into::into), instead })
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
        return Err(refuse(text, Target::Area, "it is in mm² and a gauge at once"));
    }
    let noughts = bare.trim().strip_suffix("/0").and_then(|it| it.trim().parse::<f64>().ok());
    if !metric && (called || around.gauge || noughts.is_some()) {
        let gauge = match noughts {
            Some(many) => 1.0 - many,
            None => read(&bare, Target::Plain, around).map_err(|_| refuse(text, Target::Area, "it is no gauge"))?.value,
        };
        if !(-3.0..=40.0).contains(&gauge) || gauge.fract() != 0.0 {
            return Err(refuse(text, Target::Area, "gauges go from 4/0 over 1/0 and 1 to 40, in whole numbers"));
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
    let found = read(&bare, Target::Plain, around).map_err(|why| {
        let why =
            why.split("”: ").nth(1).and_then(|it| it.split(". Write").next()).unwrap_or("it is no size").to_owned();
        refuse(text, Target::Area, &why)
    })?;
    if found.value > 0.0 { Ok(found) } else { Err(refuse(text, Target::Area, "a conductor is thicker than nothing")) }
}

fn refuse(text: &str, target: Target, why: &str) -> String {
    let shown: String = text.chars().take(40).collect();
    format!("“{shown}”: {why}. Write {}", target.examples())
}
