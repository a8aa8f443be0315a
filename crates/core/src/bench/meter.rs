//! What a meter shows, with what it may be off: half-widths of 95 % intervals.
//!
//! Products and quotients add relative parts in quadrature, sums absolute ones (JCGM 100:2008,
//! 5.1.2); a display step d adds d/√3, the half-width that a rectangle of that width has at the
//! same standard deviation.

use crate::ground::say::{Measured, amount};
use serde::{Deserialize, Serialize};

/// A column of readings.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Reading {
    /// What is read.
    pub name: String,
    /// Its unit; nothing for what is counted, or answered with 1 for yes and 0 for no.
    pub unit: &'static str,
    /// How many digits behind the point are worth writing down.
    pub digits: u8,
}

impl Reading {
    pub(super) fn of(name: impl Into<String>, unit: &'static str, digits: u8) -> Self {
        Self {
            name: name.into(),
            unit,
            digits,
        }
    }
}

/// A meter or a display.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Instrument {
    /// What it is called, where it was described by itself: "clamp, yellow case".
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// Half-width as a share of what it shows, 0 or more: 0.01 for "1 %".
    #[serde(default)]
    pub share: f64,
    /// Half-width that does not hang on what it shows, in its unit, 0 or more.
    #[serde(default)]
    pub fixed: f64,
    /// The smallest step of its display, in its unit, 0 or more.
    #[serde(default)]
    pub step: f64,
}

impl Instrument {
    /// What a meter usually may be off that nobody described: half a per cent of volts, a per cent
    /// of amperes, watts and watt-hours, a kelvin, a tenth of the sun, and the last digit that is
    /// written down. What is counted is sure.
    pub fn usual(of: &Reading) -> Self {
        let step = if of.unit.is_empty() {
            0.0
        } else {
            10_f64.powi(-i32::from(of.digits))
        };
        let (share, fixed) = match of.unit {
            "V" => (0.005, 0.0),
            "A" | "W" | "Wh" => (0.01, 0.0),
            "W/m²" => (0.1, 0.0),
            "°C" => (0.0, 1.0),
            _ => (0.0, 0.0),
        };
        Self {
            name: None,
            share,
            fixed,
            step,
        }
    }

    /// A reading on it.
    ///
    /// ```
    /// use ash_pond_core::bench::Instrument;
    /// let meter = Instrument { name: None, share: 0.01, fixed: 0.02, step: 0.01 };
    /// assert!((meter.read(12.0).plus_minus - 0.140_12).abs() < 1e-5);
    /// ```
    pub fn read(&self, value: f64) -> Known {
        let own = self.share.abs() * value.abs() + self.fixed.abs();
        Known {
            value,
            plus_minus: own.hypot(self.step.abs() / 3_f64.sqrt()),
        }
    }
}

/// A value with the half-width of its 95 % interval, in the same unit.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Known {
    /// The value.
    pub value: f64,
    /// Half-width of its 95 % interval.
    pub plus_minus: f64,
}

impl Known {
    /// As a piece of a sentence, to the digits that its ± deserves: `6.13 ± 0.14 W`. Without a ± it
    /// is a plain amount.
    ///
    /// ```
    /// use ash_pond_core::{bench::Known, ground::say::{Habits, render}};
    /// let said = Known { value: 6.1262, plus_minus: 0.1392 }.words("W");
    /// assert_eq!(render(&said, &Habits::si()), "6.13 ± 0.14 W");
    /// assert_eq!(render(&said, &Habits::parse("comma").unwrap()), "6,13 ± 0,14 W");
    /// assert_eq!(render(&Known { value: 0.023, plus_minus: 0.0 }.words("Ω"), &Habits::si()), "0.023 Ω");
    /// ```
    pub fn words(self, unit: &str) -> String {
        if self.plus_minus > 0.0 && self.plus_minus.is_finite() {
            Measured(self.value, self.plus_minus, unit).to_string()
        } else {
            amount(self.value, unit).to_string()
        }
    }

    /// A value that is known without doubt.
    pub fn sure(value: f64) -> Self {
        Self {
            value,
            plus_minus: 0.0,
        }
    }

    /// The product of two that were read apart.
    #[must_use]
    pub fn times(self, other: Self) -> Self {
        let plus_minus = (self.plus_minus * other.value).hypot(self.value * other.plus_minus);
        Self {
            value: self.value * other.value,
            plus_minus,
        }
    }

    /// The quotient of two that were read apart; `other` is not 0.
    #[must_use]
    pub fn over(self, other: Self) -> Self {
        let value = self.value / other.value;
        Self {
            value,
            plus_minus: (self.plus_minus / other.value)
                .hypot(value * other.plus_minus / other.value),
        }
    }

    /// The sum of two that were read apart.
    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        Self {
            value: self.value + other.value,
            plus_minus: self.plus_minus.hypot(other.plus_minus),
        }
    }

    /// The difference of two that were read apart.
    #[must_use]
    pub fn minus(self, other: Self) -> Self {
        Self {
            value: self.value - other.value,
            ..self.plus(other)
        }
    }

    /// A multiple by a number that is known without doubt.
    #[must_use]
    pub fn scaled(self, by: f64) -> Self {
        Self {
            value: self.value * by,
            plus_minus: self.plus_minus * by.abs(),
        }
    }
}

/// The factor by which the standard error of a mean of `dof` degrees of freedom is its 95 %
/// half-width: Student's t, by the expansion of Fisher and Cornish (Abramowitz and Stegun 26.7.5),
/// exact below 3.
pub fn student(dof: usize) -> f64 {
    match dof {
        0 => f64::INFINITY,
        1 => 12.706_204_736,
        2 => 4.302_652_730,
        _ => {
            let (z, n): (f64, f64) = (1.959_963_985, dof as f64);
            let (z3, z5, z7) = (z.powi(3), z.powi(5), z.powi(7));
            z + (z3 + z) / (4.0 * n)
                + (5.0 * z5 + 16.0 * z3 + 3.0 * z) / (96.0 * n * n)
                + (3.0 * z7 + 19.0 * z5 + 17.0 * z3 - 15.0 * z) / (384.0 * n.powi(3))
                + (79.0 * z.powi(9) + 776.0 * z7 + 1482.0 * z5 - 1920.0 * z3 - 945.0 * z)
                    / (92_160.0 * n.powi(4))
        }
    }
}
