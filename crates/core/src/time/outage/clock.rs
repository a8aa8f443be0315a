//! The local clock of an outage, which may be put forward or back on the way.

use crate::site::plan::{Outage, Plan};
use jiff::civil::DateTime;
use jiff::tz::TimeZone;
use jiff::{SignedDuration, ToSpan};

/// Seconds of a day.
pub(crate) const DAY: f64 = 86_400.0;

/// The clock on the wall, by the seconds since the start.
#[derive(Debug, Clone)]
pub struct Clock {
    start: DateTime,
    /// Seconds of the day at the start.
    from: f64,
    /// From when on (s after the start) the clock is how far from where it would be (s).
    shifts: Vec<(f64, f64)>,
    /// Hours of the clock at the start ahead of universal time, where the zone is known.
    pub(crate) ahead_h: Option<f64>,
}

impl Clock {
    /// The clock of an outage: changed to summer time and back where the site names its time zone.
    pub fn of(plan: &Plan, outage: &Outage) -> Self {
        let start = outage.start.time();
        let time = start.time();
        let from = f64::from(time.hour()) * 3600.0
            + f64::from(time.minute()) * 60.0
            + f64::from(time.second());
        let mut clock = Self {
            start,
            from,
            shifts: Vec::new(),
            ahead_h: None,
        };
        let name = plan
            .site
            .place
            .as_ref()
            .and_then(|it| it.time_zone.as_deref());
        let Some(zone) = name.and_then(|it| TimeZone::get(it).ok()) else {
            return clock;
        };
        let Ok(begins) = zone.to_ambiguous_zoned_datetime(start).compatible() else {
            return clock;
        };
        let (base, stamp) = (begins.offset().seconds(), begins.timestamp());
        clock.ahead_h = Some(f64::from(base) / 3600.0);
        for change in zone.following(stamp).take(64) {
            let at = (change.timestamp().duration_since(stamp)).as_secs_f64();
            if at > outage.hours.get() * 3600.0 {
                break;
            }
            clock
                .shifts
                .push((at, f64::from(change.offset().seconds() - base)));
        }
        clock
    }

    fn shift(&self, t: f64) -> f64 {
        self.shifts
            .iter()
            .rev()
            .find(|it| it.0 <= t + 1e-6)
            .map_or(0.0, |it| it.1)
    }

    /// When the clock is changed next, s after the start.
    pub(crate) fn next_change(&self, t: f64) -> f64 {
        self.shifts
            .iter()
            .map(|it| it.0)
            .find(|it| *it > t + 1e-6)
            .unwrap_or(f64::INFINITY)
    }

    /// The time of day at `t` s after the start, s.
    pub fn of_day(&self, t: f64) -> f64 {
        let now = (self.from + t + self.shift(t)).rem_euclid(DAY);
        // A hair before midnight is rounded up to a whole day.
        if now < DAY { now } else { 0.0 }
    }

    /// The local date and time at `t` s after the start, to the second.
    pub fn date(&self, t: f64) -> DateTime {
        // Outages last a year at most, so that this stays far from where dates end.
        let seconds = SignedDuration::from_secs_f64((t + self.shift(t)).round());
        self.start.checked_add(seconds).unwrap_or(self.start)
    }

    /// Midnights at the beginning of each local day that the first `hours` touch, as dates.
    pub(crate) fn days(&self, hours: f64) -> Vec<jiff::civil::Date> {
        let (mut day, last) = (self.start.date(), self.date(hours * 3600.0).date());
        let mut days = Vec::new();
        while day <= last && days.len() < 400 {
            days.push(day);
            let Ok(next) = day.checked_add(1.day()) else {
                break;
            };
            day = next;
        }
        days
    }

    /// When a local time of day (h) of a local date comes, s after the start; before it where
    /// negative.
    pub(crate) fn when(&self, date: jiff::civil::Date, of_day_h: f64) -> f64 {
        let days = (date - self.start.date()).get_days();
        let plain = f64::from(days) * DAY + of_day_h * 3600.0 - self.from;
        plain - self.shift(plain - self.shift(plain))
    }
}
