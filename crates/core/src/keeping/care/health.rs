//! How a battery ages: everything that says something of its capacity, one robust trend with its
//! band, what each outage needs of it, and when the two cross.
//!
//! The trend is a straight line by weighted least squares with Huber's weights for what lies far
//! off (Huber 1964), its slope held by what its chemistry's life by the calendar lets expect: four
//! fifths of its capacity at the end of that life, and as much as that either way (Bayesian
//! regression with a Gaussian prior; Gelman and others 2013, ch. 14). Where the points scatter more
//! than their ± say, the band is as much wider (Birge 1932). Nothing gains capacity by resting: the
//! slope is never above 0.

use crate::bench::full_wh;
use crate::ground::figure::Figure;
use crate::ground::say::{Amount, Measured, Name, Sentence, percent};
use crate::network::Charge;
use crate::site::battery::{cycles_at, life_years};
use crate::site::plan::{Arrangement, Outage, Plan, Source};
use crate::time::day::day;
use crate::time::outage::simulate;
use jiff::civil::Date;
use serde::Serialize;

const DAYS_A_YEAR: f64 = 365.25;
/// What is lost of the capacity by the end of a life.
const LOST_BY_THEN: f64 = 0.2;
/// A point that lies further off than so many standard deviations pulls no harder.
const FAR: f64 = 2.0;
/// Rounds of Huber's weights.
const ROUNDS: usize = 12;
/// So far ahead is looked, years.
const AHEAD: f64 = 15.0;
/// Shares of its capacity between which a need is looked for.
const LEAST: f64 = 0.02;
const MOST: f64 = 20.0;
/// Halvings by which it is found.
const HALVINGS: usize = 14;
/// Points that are taken at most.
const MOST_POINTS: usize = 2000;

/// Something that says what a battery holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Point {
    /// When.
    pub on: Date,
    /// What it held, in the unit of its capacity; above 0.
    pub value: f64,
    /// Half-width of its 95 % interval, in that unit; above 0.
    pub plus_minus: f64,
    /// What said so, in words.
    pub what: String,
    /// Where that stands, as `test/3`.
    pub origin: String,
}

/// A point, or a place of the trend, in years.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "AgedCapacity")
)]
pub struct Aged {
    /// When, as a year with its part: 2026.5 is the middle of 2026.
    pub year: f64,
    /// What it held.
    pub value: f64,
    /// The least that is likely.
    pub low: f64,
    /// The most that is likely.
    pub high: f64,
    /// What said so; nothing for a place of the trend.
    pub what: String,
    /// Where that stands.
    pub origin: String,
}

/// What an outage needs of a battery.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "CapacityNeed")
)]
pub struct Need {
    /// The outage, by id.
    pub outage: String,
    /// The arrangement that needs least of it, by id.
    pub arrangement: String,
    /// The device that is to last the outage, by id: of those that hang on the battery the one that
    /// matters most.
    pub device: String,
    /// The least capacity with which it does, in the unit of the capacity; none where no capacity
    /// would do.
    pub needs: Option<f64>,
    /// In a sentence.
    pub sentence: Sentence,
}

/// When a battery no longer carries an outage.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "CapacityCrossing")
)]
pub struct Crossing {
    /// The outage, by id.
    pub outage: String,
    /// When, as a year with its part, on average; none within fifteen years.
    pub year: Option<f64>,
    /// When at the earliest, one in forty before it.
    pub earliest: Option<f64>,
    /// When at the latest; none where that is not within fifteen years.
    pub latest: Option<f64>,
    /// In a sentence.
    pub sentence: Sentence,
}

/// How a battery ages.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "BatteryHealth")
)]
pub struct Health {
    /// The source, by id.
    pub source: String,
    /// The unit of its capacity: Ah or Wh.
    pub unit: String,
    /// What it held when it was new or first measured.
    pub rated: f64,
    /// What it holds today.
    pub now: Aged,
    /// What it loses in a year, in the unit, and the half-width of its 95 % interval.
    pub loses_per_year: [f64; 2],
    /// All that was measured of this one, in order.
    pub points: Vec<Aged>,
    /// Those of its predecessors.
    pub before: Vec<Aged>,
    /// The trend from the first point on.
    pub trend: Vec<Aged>,
    /// What each outage needs of it.
    pub needs: Vec<Need>,
    /// When it no longer carries each.
    pub crossings: Vec<Crossing>,
    /// Full cycles that outages took so far, and the share of its life that is.
    pub cycles: f64,
    /// Share of its life that the outages so far used, 0 to 1.
    pub life_used: f64,
    /// What each day takes of it where nothing but it feeds its devices; none where no arrangement
    /// hangs anything on it.
    pub by_day: Option<ByDay>,
    /// How the resistance inside it rises; none where nobody measured it.
    pub resistance: Option<Resistance>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// What a day off the grid takes of a battery.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "BatteryByDay")
)]
pub struct ByDay {
    /// The first arrangement of the plan that draws from it, by id: the one that the site's line is
    /// told of as well.
    pub arrangement: String,
    /// Share of its capacity that a day takes; 1 and more where it does not last one.
    pub depth: f64,
    /// Share of its life that a year of such days uses; none where it does not last one.
    pub life_a_year: Option<f64>,
    /// In a sentence.
    pub sentence: Sentence,
}

/// How the resistance inside a battery rises, Ω.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "BatteryResistance")
)]
pub struct Resistance {
    /// What it is today.
    pub now: Aged,
    /// What it gains in a year, and the half-width of its 95 % interval.
    pub gains_per_year: [f64; 2],
    /// All that was measured of this battery, in order.
    pub points: Vec<Aged>,
    /// What was measured of its predecessors.
    pub before: Vec<Aged>,
    /// The trend from the first point on.
    pub trend: Vec<Aged>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// A year with its part.
fn year(on: Date) -> f64 {
    f64::from(on.year()) + (f64::from(on.day_of_year()) - 1.0) / f64::from(on.days_in_year())
}

/// A month of a year with its part, as `November 2027`.
fn month(year: f64) -> String {
    const MONTHS: [&str; 12] = [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ];
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a part of a year times twelve"
    )]
    let place = ((year - year.floor()) * 12.0).floor() as usize;
    format!("{} {:.0}", MONTHS[place.min(11)], year.floor())
}

/// A straight line through what is known: its level today, its slope, and their covariance.
#[derive(Debug, Clone, Copy)]
struct Line {
    level: f64,
    slope: f64,
    of_level: f64,
    of_slope: f64,
    of_both: f64,
}

impl Line {
    fn at(&self, years: f64) -> (f64, f64) {
        let variance = self.of_level + 2.0 * years * self.of_both + years * years * self.of_slope;
        (self.level + self.slope * years, variance.max(0.0).sqrt())
    }
}

/// Fits the line. `points` are years from today, values and standard deviations; `prior` is the
/// slope's middle and standard deviation.
fn fitted(points: &[(f64, f64, f64)], prior: (f64, f64)) -> Line {
    let mut pulls = vec![1.0_f64; points.len()];
    let mut line = Line {
        level: 0.0,
        slope: 0.0,
        of_level: 0.0,
        of_slope: 0.0,
        of_both: 0.0,
    };
    for _ in 0..ROUNDS {
        let held = 1.0 / (prior.1 * prior.1);
        // Sums of weights, of times, of their squares, of values, and of both.
        let (mut weights, mut times, mut squared, mut values, mut both) =
            (0.0, 0.0, held, 0.0, held * prior.0);
        for ((at, value, sd), pull) in points.iter().zip(&pulls) {
            let weight = pull / (sd * sd);
            weights += weight;
            times += weight * at;
            squared += weight * at * at;
            values += weight * value;
            both += weight * at * value;
        }
        let whole = weights * squared - times * times;
        let level = (squared * values - times * both) / whole;
        let slope = ((weights * both - times * values) / whole).min(0.0);
        // Where the slope is held at 0 the level is the mean.
        let level = if slope < 0.0 { level } else { values / weights };
        let squares: f64 = points
            .iter()
            .zip(&pulls)
            .map(|((at, value, sd), pull)| pull * ((value - level - slope * at) / sd).powi(2))
            .sum();
        let free = points.len() as f64 - 1.0;
        let birge = if free > 0.5 {
            (squares / free).max(1.0)
        } else {
            1.0
        };
        line = Line {
            level,
            slope,
            of_level: squared / whole * birge,
            of_slope: weights / whole * birge,
            of_both: -times / whole * birge,
        };
        for ((at, value, sd), pull) in points.iter().zip(&mut pulls) {
            let off = ((value - level - slope * at) / sd).abs();
            *pull = (FAR / off.max(1e-12)).min(1.0);
        }
    }
    line
}

/// How a battery of a plan ages by what was measured of it. `replaced` is when it took the place of
/// another one; what was measured before that day is told apart. `depths` is how deep each outage
/// took it since then, 0 to 1. None where the source stores nothing.
///
/// ```
/// use ash_pond_core::{keeping::care::{Point, health}, site::plan::Plan};
/// let plan = Plan::parse(include_str!("../../../../../demo/hollin-lock.plan.json")).unwrap();
/// let point = |on: &str, value: f64| Point {
///     on: on.parse().unwrap(), value, plus_minus: 3.0, what: "capacity test".into(), origin: String::new(),
/// };
/// let points = [point("2023-11-04", 74.0), point("2024-11-09", 68.0), point("2025-11-08", 62.0)];
/// let found = health(&plan, "cabin-bank", &points, None, &[], Vec::new(), "2026-11-28".parse().unwrap()).unwrap();
/// assert!((50.0..60.0).contains(&found.now.value), "{found:?}");
/// assert!(found.loses_per_year[0] > 3.0);
/// ```
pub fn health(
    plan: &Plan,
    source: &str,
    points: &[Point],
    replaced: Option<Date>,
    depths: &[f64],
    needs: Vec<Need>,
    today: Date,
) -> Option<Health> {
    let of = plan.source(source)?;
    let battery = of.battery.as_ref()?;
    let (unit, stands, its_half) = stands(of)?;
    let mut points: Vec<&Point> = points
        .iter()
        .filter(|it| it.value > 0.0 && it.plus_minus > 0.0 && it.on <= today)
        .collect();
    points.sort_by_key(|it| it.on);
    let from = points.len().saturating_sub(MOST_POINTS);
    let points = &points[from..];
    let (before, own): (Vec<&Point>, Vec<&Point>) = points
        .iter()
        .copied()
        .partition(|it| replaced.is_some_and(|day| it.on < day));
    let now = year(today);
    let rated = own.iter().map(|it| it.value).fold(stands, f64::max);
    let wears = LOST_BY_THEN * rated / life_years(battery).max(1.0);
    let mut known: Vec<(f64, f64, f64)> = own
        .iter()
        .map(|it| (year(it.on) - now, it.value, it.plus_minus / 2.0))
        .collect();
    if known.is_empty() {
        // Nobody measured it: what the plan says, as of the day it came or of today.
        let since = replaced.map_or(0.0, |day| year(day) - now);
        known.push((since, stands, its_half / 2.0));
    }
    let line = fitted(&known, (-wears, wears));
    let aged = |years: f64| place(&line, now, years, 1.0);
    let trend = course(&line, now, &known, 1.0);
    let crossings = needs
        .iter()
        .filter_map(|it| crossing(plan, source, it, &line, (now, rated, unit)))
        .collect::<Vec<_>>();
    let today_it = aged(0.0);
    let name = Name(&of.label);
    let half = (today_it.high - today_it.value).max(0.01 * today_it.value);
    let holds = Measured(today_it.value, half, unit);
    let basis = match own.len() {
        1 => "by one measurement".to_owned(),
        many => format!("by {many} measurements"),
    };
    let loses = Measured(-line.slope, 2.0 * line.of_slope.sqrt(), unit);
    let soonest = crossings
        .iter()
        .filter(|it| {
            it.year.is_some_and(|year| year > now + 1e-9)
                || it.earliest.is_some_and(|year| year > now + 1e-9)
        })
        .filter(|it| it.year.is_some())
        .min_by(|a, b| {
            a.year
                .unwrap_or(f64::INFINITY)
                .total_cmp(&b.year.unwrap_or(f64::INFINITY))
        });
    let then = soonest.map_or_else(String::new, |it| format!(" {}", it.sentence));
    let sentence = if own.is_empty() {
        let about = Amount((-line.slope * 10.0).round() / 10.0, unit);
        format!(
            "{name} holds {holds} by the plan; nothing was measured yet, and such cells lose about \
            {about} a year.{then}"
        )
    } else {
        format!("{name} holds {holds} today, {basis}, and loses {loses} a year.{then}")
    };
    let life_used: f64 = depths
        .iter()
        .filter(|it| **it > 0.01)
        .map(|it| 1.0 / cycles_at(battery, it.min(1.0)))
        .sum();
    Some(Health {
        source: source.to_owned(),
        unit: unit.to_owned(),
        rated,
        now: today_it,
        loses_per_year: [-line.slope, 2.0 * line.of_slope.sqrt()],
        points: own.iter().map(|it| told(it)).collect(),
        before: before.iter().map(|it| told(it)).collect(),
        trend,
        needs,
        crossings,
        cycles: depths.iter().sum(),
        life_used,
        by_day: by_day(plan, of),
        resistance: None,
        sentence: sentence.into(),
    })
}

/// What a day takes of a battery in the first arrangement that draws from it, with nothing but
/// stores at work; charged in between, each such day is a cycle of that depth.
fn by_day(plan: &Plan, of: &Source) -> Option<ByDay> {
    let battery = of.battery.as_ref()?;
    let whole = full_wh(battery)?.value;
    let taken = |way: &Arrangement| {
        day(plan, way, &Charge::full())
            .sources
            .get(of.id.as_str())
            .copied()
    };
    let mut all = plan
        .arrangements
        .iter()
        .filter_map(|way| Some((taken(way).filter(|it| *it > 0.0)?, way)));
    let (wh, way) = all.next()?;
    let depth = wh / whole;
    let life_a_year = (depth < 1.0).then(|| DAYS_A_YEAR / cycles_at(battery, depth.max(0.01)));
    let (name, what) = (Name(&of.label), Name(&way.label));
    let sentence = match life_a_year {
        Some(life) => format!(
            "Off the grid a day in {what} takes {} of {name}; a year of such days uses {} of its \
            life.",
            percent(depth),
            percent(life)
        ),
        None => format!(
            "Off the grid {name} does not last a day in {what}: that takes {} of it.",
            percent(depth)
        ),
    };
    Some(ByDay {
        arrangement: way.id.to_string(),
        depth,
        life_a_year,
        sentence: sentence.into(),
    })
}

/// A place of a line, so many years from today; what rises was fitted with its sign turned round.
fn place(line: &Line, now: f64, years: f64, sign: f64) -> Aged {
    let (value, sd) = line.at(years);
    let value = sign * value;
    let (low, high) = ((value - 2.0 * sd).max(0.0), value + 2.0 * sd);
    Aged {
        year: now + years,
        value: value.max(0.0),
        low,
        high,
        what: String::new(),
        origin: String::new(),
    }
}

/// A line from its first point to five years from today, by quarters of a year.
fn course(line: &Line, now: f64, known: &[(f64, f64, f64)], sign: f64) -> Vec<Aged> {
    let first = known.first().map_or(0.0, |it| it.0).min(0.0);
    let steps = ((5.0 - first) * 4.0).ceil().clamp(4.0, 200.0);
    let all = (0..=200).map(f64::from).take_while(|it| *it <= steps);
    all.map(|it| place(line, now, first + (5.0 - first) * it / steps, sign))
        .collect()
}

fn told(it: &Point) -> Aged {
    let (low, high) = (it.value - it.plus_minus, it.value + it.plus_minus);
    Aged {
        year: year(it.on),
        value: it.value,
        low,
        high,
        what: it.what.clone(),
        origin: it.origin.clone(),
    }
}

/// How the resistance inside a battery rises by what was measured of it, Ω: the same line as that
/// of its capacity, turned round. Its slope is held by what is usual: twice as much at the end of
/// its life by the calendar, and as much as that either way. It never falls by resting. None where
/// the source stores nothing, nothing was measured since it was replaced, or what was is less sure
/// than it is large.
pub fn resistance(
    plan: &Plan,
    source: &str,
    points: &[Point],
    replaced: Option<Date>,
    today: Date,
) -> Option<Resistance> {
    let of = plan.source(source)?;
    let battery = of.battery.as_ref()?;
    // What is very unsure may come out below nothing: left out it would make the others' middle too
    // high.
    let counts = |it: &&Point| it.value.is_finite() && it.plus_minus > 0.0 && it.on <= today;
    let mut points: Vec<&Point> = points.iter().filter(counts).collect();
    points.sort_by_key(|it| it.on);
    let points = &points[points.len().saturating_sub(MOST_POINTS)..];
    let (before, own): (Vec<&Point>, Vec<&Point>) = points
        .iter()
        .copied()
        .partition(|it| replaced.is_some_and(|day| it.on < day));
    // The surest one says how much there is to double.
    let surest = own
        .iter()
        .filter(|it| it.value > 0.0)
        .min_by(|a, b| (a.plus_minus / a.value).total_cmp(&(b.plus_minus / b.value)))?;
    let rises = surest.value / life_years(battery).max(1.0);
    let now = year(today);
    let known: Vec<(f64, f64, f64)> = own
        .iter()
        .map(|it| (year(it.on) - now, -it.value, it.plus_minus / 2.0))
        .collect();
    let line = fitted(&known, (-rises, rises));
    let today_it = place(&line, now, 0.0, -1.0);
    let gains = [-line.slope, 2.0 * line.of_slope.sqrt()];
    let half = (today_it.high - today_it.value).max(0.01 * today_it.value);
    // Walks alone often know nothing of it, and what says nothing is not told.
    if half > today_it.value {
        return None;
    }
    let milli = |value: f64, half: f64| Measured(value * 1000.0, half * 1000.0, "mΩ");
    let (is, gains_it) = (milli(today_it.value, half), milli(gains[0], gains[1]));
    let basis = match own.len() {
        1 => "by one measurement".to_owned(),
        many => format!("by {many} measurements"),
    };
    let sentence = format!(
        "{} has {is} inside today, {basis}, and gains {gains_it} a year.",
        Name(&of.label)
    );
    Some(Resistance {
        now: today_it,
        gains_per_year: gains,
        points: own.iter().map(|it| told(it)).collect(),
        before: before.iter().map(|it| told(it)).collect(),
        trend: course(&line, now, &known, -1.0),
        sentence: sentence.into(),
    })
}

/// The unit of a store's capacity, what stands in the plan, and its ±.
fn stands(of: &Source) -> Option<(&'static str, f64, f64)> {
    fn told<Q: crate::ground::quantity::Quantity>(it: &Figure<Q>) -> (f64, f64) {
        (it.get(), it.plus_minus.unwrap_or(0.2 * it.get()).max(1e-6))
    }
    let battery = of.battery.as_ref()?;
    let found = match (&battery.capacity_ah, &battery.energy_wh) {
        (Some(it), _) => ("Ah", told(it)),
        (None, Some(it)) => ("Wh", told(it)),
        (None, None) => return None,
    };
    Some((found.0, found.1.0, found.1.1))
}

/// When a line falls below a need.
fn crossing(
    plan: &Plan,
    source: &str,
    need: &Need,
    line: &Line,
    (now, rated, unit): (f64, f64, &str),
) -> Option<Crossing> {
    let needs = need.needs?;
    let first = |below: &dyn Fn(f64) -> bool| {
        let mut at = (0..=180).map(|it| f64::from(it) / 12.0);
        at.find(|it| below(*it)).map(|it| now + it)
    };
    let at = |sign: f64| {
        first(&|years| {
            let (value, sd) = line.at(years);
            value + sign * 2.0 * sd < needs
        })
    };
    let (on_average, earliest, latest) = (at(0.0), at(-1.0), at(1.0));
    let outage = plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == need.outage)?;
    let (name, what) = (Name(plan.label(source)), Name(&outage.label));
    let this = |it: f64| it <= now + 1e-9;
    let range = match (earliest, latest) {
        (Some(from), Some(to)) if !this(from) => {
            format!(" (between {} and {})", month(from), month(to))
        }
        (Some(from), Some(to)) if this(from) && !this(to) => {
            format!(" (perhaps already; by {} at the latest)", month(to))
        }
        (Some(from), None) if !this(from) => format!(" ({} at the earliest)", month(from)),
        (Some(_), None) => " (perhaps already)".to_owned(),
        _ => String::new(),
    };
    let sentence = match on_average {
        Some(it) if this(it) && needs > rated => {
            format!(
                "{name} does not carry {what}: that would take {}.",
                Amount(needs, unit)
            )
        }
        Some(it) if this(it) => format!("{name} no longer carries {what}{range}."),
        Some(it) if it < now + AHEAD => format!(
            "From {} on {name} no longer carries {what}{range}.",
            month(it)
        ),
        _ => format!("{name} carries {what} for as far as can be seen{range}."),
    };
    Some(Crossing {
        outage: need.outage.clone(),
        year: on_average,
        earliest,
        latest,
        sentence: sentence.into(),
    })
}

/// The source that feeds an item at the root of its chain.
fn root<'a>(way: &'a Arrangement, id: &'a str) -> &'a str {
    let mut at = id;
    for _ in 0..=way.feeds.len() {
        match way.feeds.iter().find(|it| it.to.item.as_str() == at) {
            Some(feed) => at = feed.from.item.as_str(),
            None => break,
        }
    }
    at
}

/// What each outage needs of a store: the least capacity with which the device that matters most of
/// those that hang on it lasts, by marching it; of the arrangements in which that device hangs on
/// it, the one that needs least.
pub fn needs_of(plan: &Plan, source: &str) -> Vec<Need> {
    let Some((unit, stands, _)) = plan.source(source).and_then(stands) else {
        return Vec::new();
    };
    let rank = |id: &str| {
        let own = plan.device(id).and_then(|it| it.priority.as_ref());
        own.map_or(f64::INFINITY, Figure::get)
    };
    let hangs = |way: &Arrangement| -> Vec<String> {
        let fed = plan
            .kit
            .devices
            .iter()
            .map(|it| it.id.as_str())
            .filter(|id| way.feed_into(id).is_some());
        fed.filter(|id| root(way, id) == source)
            .map(str::to_owned)
            .collect()
    };
    let all = plan.arrangements.iter().flat_map(hangs);
    let Some(device) = all.min_by(|a, b| rank(a).total_cmp(&rank(b))) else {
        return Vec::new();
    };
    let ways = || {
        plan.arrangements
            .iter()
            .filter(|it| hangs(it).contains(&device))
    };
    let one = |outage: &Outage| {
        let found = ways()
            .filter_map(|way| Some((least(plan, source, way, outage, &device)? * stands, way)));
        let best = found.min_by(|a, b| a.0.total_cmp(&b.0));
        let (name, what, store) = (
            Name(plan.label(&device)),
            Name(&outage.label),
            Name(plan.label(source)),
        );
        let (needs, arrangement, sentence) = match best {
            Some((needs, way)) => (
                Some(needs),
                way.id.to_string(),
                format!(
                    "{name} lasts {what} with {} or more in {store} ({}).",
                    Amount(needs, unit),
                    Name(&way.label)
                ),
            ),
            None => (
                None,
                String::new(),
                format!(
                    "{name} does not last {what} whatever {store} holds: something else ends it."
                ),
            ),
        };
        Need {
            outage: outage.id.to_string(),
            arrangement,
            device: device.clone(),
            needs,
            sentence: sentence.into(),
        }
    };
    plan.outages.iter().map(one).collect()
}

/// The least share of its capacity with which a device lasts; none where none would do.
fn least(
    plan: &Plan,
    source: &str,
    way: &Arrangement,
    outage: &Outage,
    device: &str,
) -> Option<f64> {
    let lasts = |share: f64| {
        let mut with = plan.clone();
        let found = with
            .kit
            .sources
            .iter_mut()
            .find(|it| it.id.as_str() == source);
        if let Some(battery) = found.and_then(|it| it.battery.as_mut()) {
            let scaled = |value: f64| value * share;
            battery.capacity_ah = battery
                .capacity_ah
                .take()
                .map(|it| Figure::assumed(scaled(it.get())));
            battery.energy_wh = battery
                .energy_wh
                .take()
                .map(|it| Figure::assumed(scaled(it.get())));
        }
        let run = simulate(&with, way, outage, None);
        run.devices
            .get(device)
            .is_some_and(|it| it.down_at_h.is_none())
    };
    if !lasts(MOST) {
        return None;
    }
    if lasts(LEAST) {
        return Some(LEAST);
    }
    let (mut low, mut high) = (LEAST, MOST);
    for _ in 0..HALVINGS {
        let half = (low * high).sqrt();
        if lasts(half) { high = half } else { low = half }
    }
    Some(high)
}
