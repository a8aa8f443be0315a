//! A power as it was measured: what it was read as, and how far each of its meters may move it.

use super::meter::{Instrument, Known};

/// How far one meter may move a power, W: half-widths of 95 % intervals, each 0 or more.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Moved {
    /// By what it is off in proportion: the same for all readings of one meter, or anew in each.
    pub scale_w: f64,
    /// By what it is off by a fixed amount: likewise.
    pub fixed_w: f64,
    /// By the step of its display: anew in each reading.
    pub step_w: f64,
}

/// A measured power.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Power {
    /// What was read, W.
    pub watts: f64,
    /// What each of its meters may move it by, in the same order in every row.
    pub meters: Vec<Moved>,
}

impl Power {
    /// A power of which nobody said what its meter may be off.
    pub fn sure(watts: f64) -> Self {
        Self {
            watts,
            meters: Vec::new(),
        }
    }

    /// The product of readings: volts and amperes, or watts alone.
    ///
    /// ```
    /// use ash_pond_core::bench::{Instrument, Power};
    /// let clamp = Instrument { name: None, share: 0.01, fixed: 0.0, step: 0.01 };
    /// let power = Power::of(&[(12.5, &Instrument::default()), (4.0, &clamp)]);
    /// assert!((power.watts - 50.0).abs() < 1e-9 && (power.meters[1].scale_w - 0.5).abs() < 1e-9);
    /// assert!((power.known().plus_minus - 0.505_18).abs() < 1e-4);
    /// ```
    pub fn of(readings: &[(f64, &Instrument)]) -> Self {
        let watts = readings.iter().map(|it| it.0).product();
        let moved = |(place, (_, meter)): (usize, &(f64, &Instrument))| {
            let others = readings
                .iter()
                .enumerate()
                .filter(|it| it.0 != place)
                .map(|it| it.1.0)
                .product::<f64>()
                .abs();
            Moved {
                scale_w: meter.share.abs() * f64::abs(watts),
                fixed_w: meter.fixed.abs() * others,
                step_w: meter.step.abs() / 3_f64.sqrt() * others,
            }
        };
        Self {
            watts,
            meters: readings.iter().enumerate().map(moved).collect(),
        }
    }

    /// The power with what all its meters together may move it by in one reading.
    pub fn known(&self) -> Known {
        let plus_minus = self.meters.iter().fold(0.0_f64, |sum, it| {
            sum.hypot(it.scale_w + it.fixed_w).hypot(it.step_w)
        });
        Known {
            value: self.watts,
            plus_minus,
        }
    }
}

/// A measured point.
#[derive(Debug, Clone, PartialEq)]
pub struct Pair {
    /// Power out.
    pub out: Power,
    /// Power in.
    pub input: Power,
}

/// The parts of a law, or what stands before each of them.
pub(super) type Row = [f64; 3];

pub(super) fn dot(a: Row, b: Row) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
