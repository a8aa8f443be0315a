//! An outage of the past from the file of a logger that stood at a store: rows of volts, amperes,
//! watts or per cent by its clock.

use super::replay::read_seen;
use super::seen::{Act, Acted, Reading, Seen};
use crate::bench::{Holds, Log, Reader, Times};
use crate::ground::json::FieldError;
use crate::site::plan::{Arrangement, Outage, Plan};

/// Rows that are kept at most: nearer ones are taken together by their means.
const MOST_KEPT: f64 = 5000.0;
/// Numbers beyond this count seconds since 1970, and no outage's.
const SINCE_1970: f64 = 1e8;
/// What a logger of each kind can show.
const POSSIBLE: [(Holds, &str, std::ops::RangeInclusive<f64>); 4] = [
    (Holds::Volts, "volts", 0.0..=2000.0),
    (Holds::Amps, "amperes", -1000.0..=1000.0),
    (Holds::Watts, "watts", -1e6..=1e6),
    (Holds::Percent, "per cent", 0.0..=100.0),
];

/// Reads what was seen of an outage of the past: the file of a replay ([`read_seen`]), or that of a
/// logger at the terminals of `store`, in whatever form a bench test takes one: commas or
/// semicolons, units in the head, seconds since the outage began, or the clock of the site. Rows
/// before the outage began and after its end are left out.
///
/// Where amperes are negative all in all while no charging is possible, the logger counts what
/// flows out as negative: they are turned round, which a note says.
///
/// # Errors
/// Names the row or the field, and the remedy: no store where several could be meant, no column of
/// times, times that go back, rows of another day, values that cannot be.
///
/// ```
/// use ash_pond_core::{site::plan::Plan, keeping::watch::read_past};
/// let case: serde_json::Value = serde_json::from_str(
///     include_str!("../../../tests/cases/watch/a-voltmeter-once-an-hour-01.json")).unwrap();
/// let plan = Plan::from_value(&case["plan"]).unwrap();
/// let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
/// let seen = read_past("time (min);U [V]\n0;12,6\n60;12,5\n", &plan, way, outage, None).unwrap();
/// assert_eq!((seen.readings[1].at_s, seen.readings[1].volts), (3600.0, Some(12.5)));
/// ```
pub fn read_past(
    text: &str,
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    store: Option<&str>,
) -> Result<Seen, FieldError> {
    let text = text.trim_start_matches('\u{feff}');
    let head = text.lines().next().unwrap_or_default();
    let names: Vec<&str> = head
        .split(',')
        .map(|it| it.trim().trim_matches('"'))
        .collect();
    if names.contains(&"time_s") && (names.contains(&"source") || names.contains(&"action")) {
        return read_seen(text, plan, way, outage);
    }
    let hours = outage.hours.get();
    let mut reader = Reader::default().thrifty(hours * 3600.0 / MOST_KEPT);
    let wrong = |it: crate::bench::Wrong| FieldError::new("csv", it.to_string());
    for line in text.lines() {
        reader.line(line).map_err(wrong)?;
    }
    let log = reader.end().map_err(wrong)?;
    let source = meant(plan, way, store)?;
    let at_s = times(&log, outage)?;
    let mut seen = Seen::default();
    let columns: Vec<_> = POSSIBLE
        .iter()
        .filter_map(|it| Some((it, log.of(it.0)?)))
        .collect();
    if columns.is_empty() {
        let heads: Vec<&str> = log.columns.iter().map(|it| it.head.as_str()).collect();
        let why = format!(
            "has the columns {}; name one volts, amps, watts or percent, such as \"volts\" or \"U \
            [V]\"",
            heads.join(", ")
        );
        return Err(FieldError::new("csv", why));
    }
    for (row, at) in at_s
        .iter()
        .enumerate()
        .filter(|it| (0.0..=hours * 3600.0).contains(it.1))
    {
        let mut values = [None; 4];
        for ((holds, name, possible), column) in &columns {
            let value = column.get(row).copied().filter(|it| it.is_finite());
            if let Some(value) = value.filter(|it| !possible.contains(it)) {
                let why = format!(
                    "{value} {name}, {:.2} h after the outage began, cannot be; is it the right \
                    column?",
                    at / 3600.0
                );
                return Err(FieldError::new("csv", why));
            }
            let place = POSSIBLE
                .iter()
                .position(|it| it.0 == *holds)
                .unwrap_or_default();
            values[place] = value;
        }
        let [volts, amps, watts, percent] = values;
        // Watts at the terminals are volts by amperes; of a store without a voltmeter they are what
        // its display shows.
        let amps = amps.or_else(|| Some(watts? / volts.filter(|it| *it > 0.5)?));
        let watts = watts.filter(|_| volts.is_none()).map(f64::abs);
        if [volts, amps, watts, percent].iter().any(Option::is_some) {
            seen.readings.push(Reading {
                at_s: *at,
                source: source.clone(),
                volts,
                amps,
                watts,
                percent,
            });
        }
    }
    if seen.readings.len() < 2 {
        return Err(FieldError::new("csv", outside(&at_s, outage)));
    }
    turn_round(&mut seen);
    Ok(seen)
}

/// Which store a logger stood at.
fn meant(plan: &Plan, way: &Arrangement, store: Option<&str>) -> Result<String, FieldError> {
    let used = |id: &str| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
    };
    let stores = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.battery.is_some() && used(it.id.as_str()));
    let known: Vec<&str> = stores.map(|it| it.id.as_str()).collect();
    match store {
        Some(id) if known.contains(&id) => Ok(id.to_owned()),
        Some(id) => {
            let why = format!(
                "\"{id}\" is no store of this arrangement; there are {}",
                known.join(", ")
            );
            Err(FieldError::new("store", why))
        }
        None if known.len() == 1 => Ok(known[0].to_owned()),
        None => Err(FieldError::new(
            "store",
            format!(
                "say which one the logger stood at; there are {}",
                known.join(", ")
            ),
        )),
    }
}

/// Seconds since the outage began, row by row.
fn times(log: &Log, outage: &Outage) -> Result<Vec<f64>, FieldError> {
    let why = "has no column of times; name one time_s, time (min), or clock";
    let all = log
        .of(Holds::Time)
        .ok_or_else(|| FieldError::new("csv", why))?;
    let first = all.first().copied().unwrap_or_default();
    if let Some(row) = all.windows(2).position(|it| it[1] < it[0]) {
        let why = format!(
            "goes back in time behind its {}. row of readings; put the rows in order",
            row + 1
        );
        return Err(FieldError::new("csv", why));
    }
    let start = outage.start.time();
    let since_midnight = f64::from(start.hour()) * 3600.0
        + f64::from(start.minute()) * 60.0
        + f64::from(start.second());
    let begins = match log.times {
        Times::Counted if first > SINCE_1970 => {
            let why = "counts seconds since 1970; write the clock of the site, such as \
                2026-01-14T17:30:05";
            return Err(FieldError::new("csv", why));
        }
        Times::Counted => 0.0,
        Times::Dated => {
            let epoch = jiff::civil::date(1970, 1, 1);
            let days = epoch.until(start.date()).map_or(0, |it| it.get_days());
            f64::from(days) * 86_400.0 + since_midnight
        }
        // A clock without a date: what lies more than half a day before the beginning is of the day
        // after.
        Times::Clock if first < since_midnight - 43_200.0 => since_midnight - 86_400.0,
        Times::Clock => since_midnight,
    };
    Ok(all.iter().map(|it| it - begins).collect())
}

/// That a file holds nothing of the outage.
fn outside(at_s: &[f64], outage: &Outage) -> String {
    let (first, last) = (
        at_s.first().copied().unwrap_or_default(),
        at_s.last().copied().unwrap_or_default(),
    );
    let clock = |at_s: f64| {
        #[expect(clippy::cast_possible_truncation, reason = "of a day or a year, whole")]
        let seconds = jiff::SignedDuration::from_secs(at_s.clamp(-1e9, 1e9) as i64);
        let at = outage
            .start
            .time()
            .checked_add(seconds)
            .unwrap_or(outage.start.time());
        at.strftime("%Y-%m-%d %H:%M").to_string()
    };
    format!(
        "holds fewer than two readings of the outage, which begins {} and lasts {} h; its rows are \
        of {} to {}",
        clock(0.0),
        outage.hours.get(),
        clock(first),
        clock(last)
    )
}

/// Turns amperes round where the logger counts what flows out as negative: all in all they charge,
/// while its volts or its charge fall.
fn turn_round(seen: &mut Seen) {
    let sum: f64 = seen.readings.iter().filter_map(|it| it.amps).sum();
    let fell = |of: fn(&Reading) -> Option<f64>| {
        let known: Vec<f64> = seen.readings.iter().filter_map(of).collect();
        let part = (known.len() / 5).max(1);
        let mean = |some: &[f64]| some.iter().sum::<f64>() / some.len().max(1) as f64;
        known.len() > 1 && mean(&known[known.len() - part..]) < mean(&known[..part])
    };
    if sum < 0.0 && (fell(|it| it.percent) || fell(|it| it.volts)) {
        for it in &mut seen.readings {
            it.amps = it.amps.map(|it| -it);
        }
        let text = "the logger counts what flows out as negative; its amperes are turned round";
        seen.acted.push(Acted {
            at_s: 0.0,
            act: Act::Note(text.to_owned()),
        });
    }
}
