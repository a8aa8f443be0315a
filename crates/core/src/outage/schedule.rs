//! When devices are on by the clock and by their cycles, and when that changes next.

use super::clock::{Clock, DAY};
use crate::plan::{Cycle, Device};

/// A device's habit, in seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Habit {
    Always,
    Thermostat { share: f64, period: f64 },
    Hours { from: f64, to: f64 },
}

impl Habit {
    pub(super) fn of(device: &Device) -> Self {
        match &device.cycle {
            None | Some(Cycle::Continuous {}) => Self::Always,
            Some(Cycle::Thermostat { on_fraction, period_s }) => {
                Self::Thermostat { share: on_fraction.get(), period: period_s.get() }
            }
            Some(Cycle::Hours { from, to }) => Self::Hours { from: from.hours() * 3600.0, to: to.hours() * 3600.0 },
        }
    }

    /// Whether it is on `t` seconds after the start, and when that changes next, s after the start. Hours of the day
    /// follow the clock on the wall; a thermostat counts from the start.
    pub(super) fn at(self, t: f64, clock: &Clock) -> (bool, f64) {
        match self {
            Self::Always => (true, f64::INFINITY),
            Self::Thermostat { share, period } => {
                // A hair on, so that a moment that is an edge belongs to what follows it.
                let turn = ((t + 1e-6) / period).floor();
                let edge = (turn + share) * period;
                if t + 1e-6 < edge { (share > 0.0, edge) } else { (false, (turn + 1.0) * period) }
            }
            Self::Hours { from, to } => {
                let (on, until) = within(clock.of_day(t + 1e-6), from, to);
                // When the clock is changed on the way, the edge is looked for again from there.
                (on, (t + 1e-6 + until).min(clock.next_change(t)))
            }
        }
    }
}

/// Whether a time of day lies between two others, over midnight where `to` is the earlier, and how long until the
/// next of them, s.
pub(super) fn within(now: f64, from: f64, to: f64) -> (bool, f64) {
    let on = if from < to { from <= now && now < to } else { now >= from || now < to };
    let until = |edge: f64| {
        let left = (edge - now).rem_euclid(DAY);
        if left > 0.0 { left } else { DAY }
    };
    (on, until(from).min(until(to)))
}
