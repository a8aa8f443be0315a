//! What an item draws at a voltage.

use crate::ground::figure::Figure;
use crate::ground::quantity::Share;
use crate::site::plan::Draw;
use crate::site::plan::device::power_factor;

/// A load as the sum of the three ways of answering a voltage: P(V) = p + c·V + g·V².
///
/// The current is I = P/(V·power_factor), RMS for AC.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Load {
    /// Constant power, W.
    pub watts: f64,
    /// Constant current's active part, W/V.
    pub watts_per_v: f64,
    /// Conductance's active part, W/V².
    pub watts_per_v2: f64,
    /// Real over apparent power, above 0 to 1.
    pub power_factor: f64,
}

impl Default for Load {
    fn default() -> Self {
        Self {
            watts: 0.0,
            watts_per_v: 0.0,
            watts_per_v2: 0.0,
            power_factor: 1.0,
        }
    }
}

impl Load {
    /// `watts` (W) at `at_v` (V, above 0), answering a changed voltage as `draw` says.
    pub fn drawn(draw: Draw, watts: f64, at_v: f64, factor: Option<&Figure<Share>>) -> Self {
        let base = Self {
            power_factor: power_factor(factor),
            ..Self::default()
        };
        match draw {
            Draw::Power => Self { watts, ..base },
            Draw::Current => Self {
                watts_per_v: watts / at_v,
                ..base
            },
            Draw::Resistance => Self {
                watts_per_v2: watts / (at_v * at_v),
                ..base
            },
        }
    }

    /// The same load `n` times.
    #[must_use]
    pub fn times(self, n: f64) -> Self {
        Self {
            watts: self.watts * n,
            watts_per_v: self.watts_per_v * n,
            watts_per_v2: self.watts_per_v2 * n,
            power_factor: self.power_factor,
        }
    }

    /// This load and another part of the same device.
    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        Self {
            watts: self.watts + other.watts,
            watts_per_v: self.watts_per_v + other.watts_per_v,
            watts_per_v2: self.watts_per_v2 + other.watts_per_v2,
            power_factor: self.power_factor,
        }
    }

    /// Watts at `volts` (above 0).
    pub fn power(self, volts: f64) -> f64 {
        self.watts + volts * (self.watts_per_v + volts * self.watts_per_v2)
    }

    /// Amperes at `volts` (above 0), and their slope in A/V.
    pub fn current(self, volts: f64) -> (f64, f64) {
        // Divisions are what a solution spends its time in: one here, and another for what is not
        // in phase.
        let per_volt = 1.0 / volts;
        let by_power = self.watts * per_volt;
        let amps = by_power + self.watts_per_v + volts * self.watts_per_v2;
        let slope = self.watts_per_v2 - by_power * per_volt;
        if self.power_factor >= 1.0 {
            (amps, slope)
        } else {
            (amps / self.power_factor, slope / self.power_factor)
        }
    }
}
