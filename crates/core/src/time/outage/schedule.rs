//! When devices are on by the clock and by their cycles, and when that changes next.

use super::clock::{Clock, DAY};
use crate::site::plan::{Cycle, Device};
use jiff::ToSpan;

/// A device's habit, in seconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Habit {
    Always,
    Thermostat {
        share: f64,
        period: f64,
    },
    Hours {
        from: f64,
        to: f64,
    },
    /// A filling of so many Wh, begun at a time of day every so many days; how long one takes at
    /// its rated voltage.
    Charge {
        wh: f64,
        from: f64,
        every: i32,
        long: f64,
    },
}

impl Habit {
    pub(super) fn of(device: &Device) -> Self {
        match &device.cycle {
            None | Some(Cycle::Continuous {}) => Self::Always,
            Some(Cycle::Thermostat {
                on_fraction,
                period_s,
            }) => Self::Thermostat {
                share: on_fraction.get(),
                period: period_s.get(),
            },
            Some(Cycle::Hours { from, to }) => Self::Hours {
                from: from.hours() * 3600.0,
                to: to.hours() * 3600.0,
            },
            Some(Cycle::Charge { .. }) => {
                device.filling().map_or(Self::Always, |it| Self::Charge {
                    wh: it.wh,
                    from: it.from_h * 3600.0,
                    every: i32::from(it.every_days),
                    long: it.hours * 3600.0,
                })
            }
        }
    }

    /// When the filling at hand was begun, s after the start, and when the next one is; days count
    /// from the first one. What is filled every day was begun the day before too. None for what is
    /// not filled.
    pub(super) fn filling_at(self, t: f64, clock: &Clock) -> Option<(f64, f64)> {
        let Self::Charge { from, every, .. } = self else {
            return None;
        };
        let (first, today) = (clock.date(0.0).date(), clock.date(t).date());
        let day = (today - first).get_days();
        // The last multiple at or before yesterday, and those after it.
        let before = (day - 1).div_euclid(every);
        let begins = |turn: i32| {
            let days = turn * every;
            let date = first.checked_add(days.days()).ok()?;
            (days >= 0 || every == 1).then(|| clock.when(date, from / 3600.0))
        };
        let turns = (0..4).filter_map(|it| begins(before + it));
        let (past, next): (Vec<f64>, Vec<f64>) = turns.partition(|it| *it <= t + 1e-6);
        let earliest = |all: &[f64]| all.iter().copied().fold(f64::INFINITY, f64::min);
        Some((
            past.into_iter().fold(f64::NEG_INFINITY, f64::max),
            earliest(&next),
        ))
    }

    /// Whether it is on `t` seconds after the start, and when that changes next, s after the start.
    /// Hours of the day follow the clock on the wall; a thermostat counts from the start.
    pub(super) fn at(self, t: f64, clock: &Clock) -> (bool, f64) {
        match self {
            Self::Always => (true, f64::INFINITY),
            Self::Thermostat { share, period } => {
                // A hair on, so that a moment that is an edge belongs to what follows it.
                let turn = ((t + 1e-6) / period).floor();
                let edge = (turn + share) * period;
                if t + 1e-6 < edge {
                    (share > 0.0, edge)
                } else {
                    (false, (turn + 1.0) * period)
                }
            }
            Self::Hours { from, to } => {
                let (on, until) = within(clock.of_day(t + 1e-6), from, to);
                // When the clock is changed on the way, the edge is looked for again from there.
                (on, (t + 1e-6 + until).min(clock.next_change(t)))
            }
            // As if it had been fed from its hour on; the march counts what really flowed.
            Self::Charge { long, .. } => match self.filling_at(t, clock) {
                Some((begun, next)) if t + 1e-6 < begun + long => (true, (begun + long).min(next)),
                Some((_, next)) => (false, next),
                None => (false, f64::INFINITY),
            },
        }
    }
}

/// Whether a time of day lies between two others, over midnight where `to` is the earlier, and how
/// long until the next of them, s.
pub(super) fn within(now: f64, from: f64, to: f64) -> (bool, f64) {
    let on = if from < to {
        from <= now && now < to
    } else {
        now >= from || now < to
    };
    let until = |edge: f64| {
        let left = (edge - now).rem_euclid(DAY);
        if left > 0.0 { left } else { DAY }
    };
    (on, until(from).min(until(to)))
}
