//! How warm the case of a converter gets with what it loses, and what it may give on while its case
//! bears that.
//!
//! Heat is what is lost, so the rise over the air goes with the loss: rise at full load × loss now
//! / loss at full load, as the bench brings a measured rise to full load. A case nears that as a
//! body of one time constant does (Newton's law of cooling).

use super::law::Law;
use crate::ground::figure::Figure;
use crate::site::plan::Converter;

/// A case that was hot lets go again once it is cooler than this share of what it bears.
const LETS_GO: f64 = 0.95;

/// The case of a converter of which the plan says how warm it gets.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Casing {
    /// Rise over the air for each watt that is lost, in the end, K/W.
    per_w: f64,
    /// To 63 % of a change, s; 0 where nobody says, so that it is as warm as it gets at once.
    tau_s: f64,
    /// Rise over the air that it bears, K.
    pub(crate) bears_k: f64,
    law: Law,
    /// What is lost at full load, W.
    pub(crate) full_lost_w: f64,
}

impl Casing {
    /// The case of a converter in air of a temperature in °C; none where the plan does not say how
    /// warm it gets, what it bears, what it loses or what its full load is.
    pub(crate) fn of(converter: &Converter, air_c: f64) -> Option<Self> {
        let thermal = converter.thermal.as_ref()?;
        let law = Law::of(Some(converter.loss.as_ref()?));
        let full_w = converter.full_w()?;
        let full_lost_w = law.input(full_w) - full_w;
        Some(Self {
            per_w: thermal.rise_at(1.0, full_lost_w)?,
            tau_s: thermal.time_constant_s.as_ref().map_or(0.0, Figure::get),
            bears_k: (thermal.max_case_c.as_ref()?.get() - air_c).max(0.0),
            law,
            full_lost_w,
        })
    }

    /// What it loses that heats it, W, with so many watts going in and its loss at no load and with
    /// its load: by its own law, as what a panel does not give because it is held at another
    /// voltage warms nothing here.
    pub(crate) fn lost_w(&self, in_w: f64, [idle, load]: [f64; 2]) -> f64 {
        let out = (in_w - idle - load).max(0.0);
        if idle + load > 0.0 {
            self.law.input(out) - out
        } else {
            0.0
        }
    }

    /// What it loses where it gives so many watts on, W.
    pub(crate) fn lost_with(&self, out_w: f64) -> f64 {
        self.law.input(out_w) - out_w
    }

    /// The rise over the air that it comes to in the end with a loss in W, K.
    pub(crate) fn settles_at(&self, lost_w: f64) -> f64 {
        self.per_w * lost_w
    }

    /// The most that it gives on while it stays no warmer than it bears, W; 0 where it is too warm
    /// with nothing on it.
    pub(crate) fn gives_w(&self) -> f64 {
        if self.per_w <= 0.0 {
            return f64::INFINITY;
        }
        let (left, k, q) = (
            self.bears_k / self.per_w - self.law.idle_w,
            self.law.proportional,
            self.law.quadratic_per_w,
        );
        if left <= 0.0 {
            return 0.0;
        }
        // The root of q·P² + k·P = left that does not lose its digits where q is small.
        let root = (k * k + 4.0 * q * left).sqrt();
        if k + root > 0.0 {
            2.0 * left / (k + root)
        } else {
            f64::INFINITY
        }
    }

    /// The rise after so many seconds, from a rise in K, with a loss in W.
    pub(crate) fn after(&self, rise_k: f64, lost_w: f64, seconds: f64) -> f64 {
        let end = self.settles_at(lost_w);
        if self.tau_s <= 0.0 {
            end
        } else {
            end + (rise_k - end) * (-seconds / self.tau_s).exp()
        }
    }

    /// Seconds until it is as warm as it bears, from a rise in K, with a loss in W; endless where
    /// it never is.
    pub(crate) fn bears_s(&self, rise_k: f64, lost_w: f64) -> f64 {
        let end = self.settles_at(lost_w);
        if end <= self.bears_k * (1.0 + 1e-6) {
            return f64::INFINITY;
        }
        if rise_k >= self.bears_k * (1.0 - 1e-9) {
            0.0
        } else {
            self.tau_s * ((end - rise_k) / (end - self.bears_k)).ln()
        }
    }

    /// Seconds until one that was as warm as it bears has cooled so far that it lets go; endless
    /// where it does not.
    pub(crate) fn lets_go_s(&self, rise_k: f64, lost_w: f64) -> f64 {
        let (end, to) = (self.settles_at(lost_w), self.bears_k * LETS_GO);
        if end >= to {
            return f64::INFINITY;
        }
        if rise_k <= to {
            0.0
        } else {
            self.tau_s * ((rise_k - end) / (to - end)).ln()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn casing() -> Casing {
        // 40 K at 10 W lost, 1,000 s, 30 K of room; loses 1 W and a twentieth.
        let law = Law {
            idle_w: 1.0,
            proportional: 0.05,
            quadratic_per_w: 0.0,
        };
        Casing {
            per_w: 4.0,
            tau_s: 1000.0,
            bears_k: 30.0,
            law,
            full_lost_w: 10.0,
        }
    }

    #[test]
    fn a_case_warms_by_its_time_constant_and_bears_what_its_law_loses() {
        let it = casing();
        // 180 W lose 10 W: 40 K in the end, 25.28 after one time constant, 30 after 1000·ln(40/10).
        assert!((it.lost_with(180.0) - 10.0).abs() < 1e-12);
        assert!((it.after(0.0, 10.0, 1000.0) - 25.285).abs() < 1e-3);
        assert!((it.bears_s(0.0, 10.0) - 1386.294).abs() < 1e-3);
        assert!((it.after(0.0, 10.0, it.bears_s(0.0, 10.0)) - 30.0).abs() < 1e-9);
        // 7.5 W may be lost: 1 W and a twentieth of 130 W.
        assert!((it.gives_w() - 130.0).abs() < 1e-9);
        assert!(it.bears_s(0.0, it.lost_with(it.gives_w())).is_infinite());
        // With 5 W lost it goes from 30 K to 28.5 K towards 20: 1000·ln(10/8.5).
        assert!((it.lets_go_s(30.0, 5.0) - 162.519).abs() < 1e-3);
        assert!(it.lets_go_s(30.0, 7.5).is_infinite());
    }

    #[test]
    fn what_nobody_says_is_at_once_and_what_is_too_warm_gives_nothing() {
        let at_once = Casing {
            tau_s: 0.0,
            ..casing()
        };
        assert_eq!(
            (at_once.bears_s(0.0, 10.0), at_once.after(0.0, 5.0, 0.001)),
            (0.0, 20.0)
        );
        assert!(
            Casing {
                bears_k: 0.0,
                ..casing()
            }
            .gives_w()
                <= 0.0
        );
        assert!(
            Casing {
                per_w: 0.0,
                ..casing()
            }
            .gives_w()
            .is_infinite()
        );
    }
}
