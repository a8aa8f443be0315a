//! When devices are on by the clock and by their cycles, and when that changes next.

use crate::plan::{Cycle, Device};

/// Seconds of a day.
const DAY: f64 = 86_400.0;

/// Whether a device is on `t` seconds after a start at `clock` seconds of the day, and when that changes next, s after
/// the start.
pub(super) fn state(device: &Device, t: f64, clock: f64) -> (bool, f64) {
    match &device.cycle {
        None | Some(Cycle::Continuous {}) => (true, f64::INFINITY),
        Some(Cycle::Thermostat { on_fraction, period_s }) => {
            let (share, period) = (on_fraction.get(), period_s.get());
            // A hair on, so that a moment that is an edge belongs to what follows it.
            let turn = ((t + 1e-6) / period).floor();
            let edge = (turn + share) * period;
            if t + 1e-6 < edge { (share > 0.0, edge) } else { (false, (turn + 1.0) * period) }
        }
        Some(Cycle::Hours { from, to }) => {
            let (from, to) = (from.hours() * 3600.0, to.hours() * 3600.0);
            let now = (clock + t + 1e-6).rem_euclid(DAY);
            let on = if from < to { from <= now && now < to } else { now >= from || now < to };
            let until = |edge: f64| (edge - now).rem_euclid(DAY);
            (on, t + 1e-6 + until(from).min(until(to)))
        }
    }
}
