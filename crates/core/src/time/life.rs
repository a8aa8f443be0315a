//! How many years a battery lasts in use: by how often and how deep it is discharged, and by the
//! calendar.
//!
//! By use it ends after `cycles(depth)` discharges of that depth ([`crate::site::battery::cycles_at`]),
//! by the calendar after [`crate::site::battery::life_years`]; whichever comes first ends it. Both wear a
//! real one at once, so that this is the most that may be hoped for, and the maker's sheet rules.

use crate::ground::json::{FieldError, words};
use crate::ground::say::{Name, Sentence, amount};
use crate::site::battery::{cycles_at, life_years};
use crate::site::plan::Source;
use serde::Serialize;

/// Weeks of a year.
pub(crate) const WEEKS: f64 = 365.25 / 7.0;
/// Uses a week that may be asked for at most: one each hour.
pub const MOST_USES: f64 = 168.0;
/// What is used by less than this share is not worn by it.
const LEAST_DEPTH: f64 = 1e-6;

words!(
    /// What ends a battery.
    EndedBy {
        /// Being discharged and charged.
        Use = "use",
        /// The years.
        Calendar = "calendar",
    }
);

/// How many years a battery lasts in use.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Life {
    /// How deep it is discharged each time, 0 to 1.
    pub depth: f64,
    /// How often it bears that; none where it is not discharged.
    pub cycles: Option<f64>,
    /// How often it is used so, in a week.
    pub uses_a_week: f64,
    /// Years until it is worn out by that; none where it is not discharged.
    pub by_use_years: Option<f64>,
    /// Years until it is worn out by the calendar.
    pub by_calendar_years: f64,
    /// Years until the first of the two.
    pub years: f64,
    /// Which of them.
    pub ended_by: EndedBy,
    /// Whether its cycles are its own, and not its chemistry's habit.
    pub own_cycles: bool,
    /// What it costs a year for that long, in the site's currency; none where nobody states its
    /// price.
    pub cost_a_year: Option<f64>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// Whether something can be used so many times a week.
///
/// # Errors
/// Says what is wrong, without the field.
pub fn can_be_used(uses_a_week: f64) -> Result<(), FieldError> {
    let can = uses_a_week > 0.0 && uses_a_week <= MOST_USES;
    if can {
        Ok(())
    } else {
        Err(FieldError::of(
            "uses_a_week",
            format!("is {uses_a_week}; it lies above 0 and at most at {MOST_USES}"),
        ))
    }
}

/// How many years the battery of a source lasts where it is discharged to a depth of 0 to 1 so many
/// times a week (0 to [`MOST_USES`]); none without a battery.
pub fn life(source: &Source, depth: f64, uses_a_week: f64, currency: &str) -> Option<Life> {
    let battery = source.battery.as_ref()?;
    let depth = depth.clamp(0.0, 1.0);
    let cycles = (depth > LEAST_DEPTH)
        .then(|| cycles_at(battery, depth))
        .filter(|it| it.is_finite());
    let by_use_years = cycles
        .filter(|_| uses_a_week > 0.0)
        .map(|it| it / (uses_a_week * WEEKS));
    let by_calendar_years = life_years(battery);
    let years = by_use_years.unwrap_or(f64::INFINITY).min(by_calendar_years);
    let ended_by = if years < by_calendar_years {
        EndedBy::Use
    } else {
        EndedBy::Calendar
    };
    let mut told = Life {
        depth,
        cycles,
        uses_a_week,
        by_use_years,
        by_calendar_years,
        years,
        ended_by,
        own_cycles: !battery.cycles.is_empty(),
        cost_a_year: source.price.as_ref().map(|it| it.get() / years),
        sentence: Sentence::default(),
    };
    told.sentence = sentence(source, &told, currency).into();
    Some(told)
}

/// "Old bank: 50 % deep 3 times a week, which it bears about 600 times, and is worn out after 3.8
/// years; the calendar would leave it 6 years: 39 EUR a year."
fn sentence(source: &Source, told: &Life, currency: &str) -> String {
    let name = Name(&source.label);
    let often = match told.uses_a_week {
        one if (one - 1.0).abs() < 1e-9 => "once a week".to_owned(),
        it if (it - 7.0).abs() < 1e-9 => "each day".to_owned(),
        it => format!("{} times a week", amount(it, "")),
    };
    let calendar = in_years(told.by_calendar_years);
    let cost = told.cost_a_year.map_or_else(String::new, |it| {
        format!(": {} a year", amount(it, currency))
    });
    match (told.by_use_years, told.cycles) {
        (Some(by_use), Some(cycles)) => {
            let deep = amount((told.depth * 100.0).round(), "%");
            let bears = amount(two_digits(cycles), "");
            let by_use = in_years(by_use);
            let end = match told.ended_by {
                EndedBy::Use => format!(
                    "and is worn out after {by_use}; the calendar would leave it {calendar}"
                ),
                EndedBy::Calendar if by_use == calendar => {
                    format!("and use and the calendar end it after {calendar}")
                }
                EndedBy::Calendar => {
                    format!("so that the calendar ends it first, after {calendar}")
                }
            };
            format!("{name}: {deep} deep {often}, which it bears about {bears} times, {end}{cost}.")
        }
        _ => format!("{name}: the calendar ends it after {calendar}{cost}."),
    }
}

/// A time in years, as two digits deserve it: "8 months", "a year", "6.3 years", "14 years".
pub(crate) fn in_years(years: f64) -> String {
    let tenths = (years * 10.0).round() / 10.0;
    let months = (years * 12.0).round();
    match () {
        () if months <= 1.0 => "a month".to_owned(),
        () if tenths < 1.0 && months < 12.0 => amount(months, "months").to_string(),
        () if tenths <= 1.0 => "a year".to_owned(),
        () if tenths < 10.0 => amount(tenths, "years").to_string(),
        () => amount(years.round(), "years").to_string(),
    }
}

/// Two digits are all that a curve of cycles can tell.
pub(crate) fn two_digits(value: f64) -> f64 {
    let scale = 10_f64
        .powf(value.abs().max(1.0).log10().floor() - 1.0)
        .max(1.0);
    (value / scale).round() * scale
}
