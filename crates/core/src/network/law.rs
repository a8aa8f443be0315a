//! What a converter or a port loses.

use crate::site::plan::LossLaw;
use crate::site::plan::port::or_zero;

/// P_in = idle + (1 + proportional)·P_out + quadratic·P_out².
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Law {
    /// Power at no load, W.
    pub idle_w: f64,
    /// Loss per watt.
    pub proportional: f64,
    /// Loss per squared watt, 1/W.
    pub quadratic_per_w: f64,
}

impl Law {
    /// The law of the plan; all zeros where it is silent.
    pub fn of(law: Option<&LossLaw>) -> Self {
        law.map_or_else(Self::default, |it| Self {
            idle_w: or_zero(it.idle_w.as_ref()),
            proportional: or_zero(it.proportional.as_ref()),
            quadratic_per_w: or_zero(it.quadratic_per_w.as_ref()),
        })
    }

    /// Power in for `out` W of power out, W.
    pub fn input(self, out: f64) -> f64 {
        out + self.idle_w + out * (self.proportional + self.quadratic_per_w * out)
    }

    /// Power out where `input` W go in, W: nothing below what it takes to be on.
    pub fn output(self, input: f64) -> f64 {
        let (slope, left) = (1.0 + self.proportional, input - self.idle_w);
        if left <= 0.0 {
            return 0.0;
        }
        if left.is_infinite() {
            return left;
        }
        // The root of q·P² + (1 + k)·P = left that does not lose its digits where q is small.
        2.0 * left / (slope + (slope * slope + 4.0 * self.quadratic_per_w * left).sqrt())
    }

    /// The loss at `out` W, split into idle, proportional and quadratic, W.
    pub fn split(self, out: f64) -> [f64; 3] {
        [
            self.idle_w,
            self.proportional * out,
            self.quadratic_per_w * out * out,
        ]
    }
}
