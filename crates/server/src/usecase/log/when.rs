//! Days and times by the clock of the site.

use crate::error::ApiError;
use ash_pond_core::site::plan::Plan;
use jiff::civil::{Date, DateTime};
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};

/// What lies ahead of now by more than this is a mistake, ms: clocks differ a little.
const AHEAD_MS: i64 = 120_000;
/// Nothing of such a site happened before.
const FIRST_YEAR: i16 = 1970;

/// A day as it is written.
pub(super) fn day(field: &str, text: &str) -> Result<Date, ApiError> {
    let found: Option<Date> = text.parse().ok();
    let wrong = || ApiError::at(field, format!("is {text:?}; write a day as 2026-11-28"));
    found
        .filter(|it| (FIRST_YEAR..=2200).contains(&it.year()))
        .ok_or_else(wrong)
}

/// A moment as ISO 8601, to the second.
pub(super) fn iso(at_ms: i64) -> String {
    Timestamp::from_millisecond(at_ms).map_or_else(|_| String::new(), |it| it.to_string())
}

/// The clock of a site.
pub(super) struct Local {
    zone: TimeZone,
}

impl Local {
    pub(super) fn of(plan: &Plan) -> Self {
        let name = plan
            .site
            .place
            .as_ref()
            .and_then(|it| it.time_zone.as_deref());
        Self {
            zone: name
                .and_then(|it| TimeZone::get(it).ok())
                .unwrap_or_else(TimeZone::system),
        }
    }

    pub(super) fn today(&self) -> Date {
        self.zone.to_datetime(crate::clock::now()).date()
    }

    pub(super) fn date(&self, at_ms: i64) -> Date {
        let at = Timestamp::from_millisecond(at_ms).unwrap_or_default();
        self.zone.to_datetime(at).date()
    }

    pub(super) fn day_and_time(&self, at_ms: i64) -> (String, String) {
        let at = self
            .zone
            .to_datetime(Timestamp::from_millisecond(at_ms).unwrap_or_default());
        (
            at.strftime("%Y-%m-%d").to_string(),
            at.strftime("%H:%M").to_string(),
        )
    }

    fn ms(&self, at: DateTime) -> i64 {
        let found = self.zone.to_ambiguous_zoned_datetime(at).compatible();
        found.map_or(0, |it| it.timestamp().as_millisecond())
    }

    /// When a day begins, ms.
    pub(super) fn begins_ms(&self, day: Date) -> i64 {
        self.ms(day.at(0, 0, 0, 0))
    }

    /// When a day ends, ms.
    pub(super) fn ends_ms(&self, day: Date) -> i64 {
        day.checked_add(1.day())
            .map_or(i64::MAX, |it| self.begins_ms(it))
    }

    /// A moment as a person writes it: a day, or a day with a time; now where it is left out. A day
    /// alone is its noon, or now where it is today.
    pub(super) fn at_ms(&self, field: &str, text: Option<&str>) -> Result<i64, ApiError> {
        let now = crate::clock::now().as_millisecond();
        let Some(text) = text.map(str::trim).filter(|it| !it.is_empty()) else {
            return Ok(now);
        };
        let at = if text.contains(['T', ' ']) {
            let wrong = || {
                ApiError::at(
                    field,
                    format!("is {text:?}; write a time as 2026-11-28T14:05"),
                )
            };
            let at: DateTime = text.replace(' ', "T").parse().map_err(|_| wrong())?;
            day(field, &at.date().to_string())?;
            self.ms(at)
        } else {
            let day = day(field, text)?;
            if day == self.today() {
                now
            } else {
                self.ms(day.at(12, 0, 0, 0))
            }
        };
        if at > now + AHEAD_MS {
            return Err(ApiError::at(
                field,
                format!("is {text:?}, which is still to come; the log holds what has happened"),
            ));
        }
        Ok(at)
    }
}
