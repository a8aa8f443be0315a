//! Capacity: what a store gives from full down to its cut-off, by the trapezium rule over a log of
//! volts and amperes, or by the watt-hours that a meter counts.
//!
//! The meter stands at the terminals or behind a port. Behind a port the store gave what came out
//! there and what the port's law loses on the way. Where something gave up before the store did, it
//! holds at least that.
//!
//! A store that was emptied faster than it is rated for gives less; the figure of the plan is at
//! the rated hours, so what was measured is brought there by Peukert's law (W. Peukert 1897), as
//! the network uses it.

use super::super::case::{Case, Row, Test, full_wh};
use super::super::guide::{BATTERY, Guide, HOT, Target, columns, meter, step};
use super::super::meter::Reading;
use super::super::meter::{Instrument, Known};
use super::super::outcome::{Outcome, Plot, Told};
use super::super::place::{Place, Through, port};
use super::super::protocol::Protocol;
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::say::{Amount, percent};
use crate::site::chemistry;
use crate::site::plan::{Battery, Plan, Port};

/// This near to its cut-off, V a cell, a store is empty.
const NEAR: f64 = 0.05;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Capacity,
        title: "Capacity, down to the cut-off",
        answers: "What a store really gives. Age takes from it without a sign on any display, and \
            the plan's hours hang on it.",
        subjects: &[Target::Store],
        needs: &[
            "a voltmeter and an ammeter, or a logger",
            "a steady load that empties it in five to twenty hours",
            "a day",
        ],
        minutes: 60,
        cautions: &[
            BATTERY,
            HOT,
            "A lead battery that stays empty is harmed: charge it again the same day. Never below \
            the cut-off of its maker.",
        ],
        disconnect: "Every charger, and every load but the one that is measured.",
        meters: vec![meter("A", "in", true), meter("V", "in", false)],
        steps: vec![
            step("Charge to full by its maker's way, and let it rest for an hour."),
            step(
                "Say where the meter stands: at its terminals, or behind one of its ports, where \
                no terminals can be reached. A port's own loss is added, so its idle draw is \
                measured first. On alternating current take the watt-hours that the meter counts.",
            ),
            step(
                "Switch the load on, and write down hours since the start, volts and amperes: the \
                first row at 0 hours.",
            ),
            step(
                "Again every half hour, and every five minutes once the volts begin to fall. Or \
                give a logger's file.",
            ),
            step(
                "At the cut-off, or when the store switches its port off, write down the last row, \
                and take the load off at once. If something else gave up first, say what: the \
                store then holds at least that.",
            ),
        ],
        invalid: &[
            "Colder than 15 °C or warmer than 30 °C.",
            "It was not full at the start.",
            "A load that switched itself off in between.",
        ],
        stop: "Volts reach the cut-off; the case swells, smells, or gets too hot to touch.",
        readings: columns(&[("hours", "h", 2), ("volts", "V", 2), ("amperes", "A", 2)]),
        file: Some("time_s,volts,amps"),
    }
}

/// One moment of the discharge: hours, volts, amperes, each with what its meter may be off.
type Moment = (usize, Known, Known, Known);

/// The columns where a meter counts watt-hours; none where the guide's are right.
pub(super) fn readings(plan: &Plan, test: &Test) -> Option<Vec<Reading>> {
    let named = test
        .place
        .as_deref()
        .and_then(|it| port(plan.source(&test.of.id)?, it));
    let place = named.map_or(Place::Terminals, Place::Port);
    place
        .is_counted(test.counted)
        .then(|| columns(&[("hours", "h", 2), ("counted", "Wh", 1)]))
}

/// What came out where the meter stood.
struct Emptied {
    /// Energy, Wh.
    out: Known,
    /// Stretches of so many hours at so many watts.
    stretches: Vec<(f64, f64)>,
    /// Charge, where amperes were read at the terminals, Ah.
    charge: Option<Known>,
    hours: f64,
    /// Volts at the end, where they were read.
    last_v: Option<f64>,
    plot: Plot,
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let battery = case.battery()?;
    let place = Place::of(case)?;
    let emptied = if place.is_counted(case.test.counted) {
        counted(case)?
    } else {
        read(case, place)?
    };
    let Some(it) = emptied else {
        return Ok(Outcome::says(if place.is_counted(case.test.counted) {
            "Write down the hours and the watt-hours that the meter has counted, when the store is \
            empty; rows in between tell how steady it was."
        } else {
            "Write down hours, volts and amperes from full to the cut-off: three rows or more."
        }));
    };
    let port = match place {
        Place::Terminals => None,
        Place::Port(port) => Some(port),
    };
    let stored = Through::of(port.and_then(|it| it.loss.as_ref())).store_wh(&it.stretches, it.out);
    let mut told: Vec<Told> = it
        .charge
        .map(|it| Told::of("charge given", "Ah", it))
        .into_iter()
        .collect();
    told.push(Told::of("energy given", "Wh", it.out));
    if let Some(port) = port.filter(|_| stored.value > it.out.value) {
        told.push(Told::of(
            format!("lost on the way to {}", name(port)),
            "Wh",
            stored.minus(it.out),
        ));
        told.push(Told::of("taken from the store", "Wh", stored));
    }
    let plot = Some(it.plot.clone());
    // What was taken out, in words: with what it took from the store where that is more.
    let taken = match (&it.charge, port) {
        (Some(charge), _) => format!("{}, {}", charge.words("Ah"), Amount(it.out.value, "Wh")),
        (None, Some(_)) if stored.value > it.out.value => {
            format!(
                "{} {}, {} from the store",
                Amount(it.out.value, "Wh"),
                place.words(),
                stored.words("Wh")
            )
        }
        (None, _) => format!("{} {}", stored.words("Wh"), place.words()),
    };
    let hours = Amount(it.hours, "h");
    let whole = full_wh(battery);
    if let Some(quit) = case
        .test
        .quit
        .as_deref()
        .map(str::trim)
        .filter(|it| !it.is_empty())
    {
        let more = whole.filter(|it| stored.value - stored.plus_minus > it.value + it.plus_minus);
        let more = more.map_or_else(String::new, |_| {
            " That is more than the plan has.".to_owned()
        });
        let least = Amount((stored.value - stored.plus_minus).max(0.0), "Wh");
        told.push(Told {
            name: "the store holds at least".into(),
            unit: "Wh",
            value: stored.value,
            plus_minus: Some(stored.plus_minus),
        });
        let sentence = format!(
            "At least {least}: {taken} in {hours}, when {quit} gave up before the store did.{more}"
        );
        return Ok(Outcome {
            told,
            plot,
            ..Outcome::says(sentence)
        });
    }
    let cells = battery.cells.as_ref().map_or(1.0, Figure::get);
    let cut_off = battery.cut_off_v.as_ref().filter(|_| port.is_none());
    let left = it
        .last_v
        .zip(cut_off)
        .map(|(last, it)| last - it.get())
        .filter(|it| *it > NEAR * cells);
    if let Some(left) = left {
        let sentence = format!(
            "{taken} so far; {} above the cut-off still.",
            Amount(left, "V")
        );
        return Ok(Outcome {
            told,
            plot,
            ..Outcome::says(sentence)
        });
    }
    let warmth = warmth(case, battery)?;
    let (figure, of_label) = match (&battery.energy_wh, &battery.capacity_ah) {
        (Some(_), _) => (
            case.given(
                "energy",
                "Wh",
                "/battery/energy_wh",
                stored.scaled(1.0 / warmth),
            ),
            whole.map(|it| stored.value / warmth / it.value),
        ),
        (None, ah) => {
            let given = it
                .charge
                .unwrap_or_else(|| charge_of(battery, stored, it.hours));
            let rated = at_rated(
                battery.chemistry.as_str(),
                battery.rated_hours.as_ref().map(Figure::get),
                given.scaled(1.0 / warmth),
                it.hours,
            );
            (
                case.given("capacity", "Ah", "/battery/capacity_ah", rated),
                ah.as_ref().map(|it| rated.value / it.get()),
            )
        }
    };
    let of_label = of_label.map_or_else(String::new, |it| {
        format!(": {} of what the plan has", percent(it))
    });
    Ok(Outcome {
        told,
        figures: vec![figure],
        plot,
        ..Outcome::says(format!("{taken} in {hours}{of_label}."))
    })
}

/// The share of what it gives at 25 °C that a battery gave as warm as it was; 1 where nobody said.
fn warmth(case: &Case<'_>, battery: &Battery) -> Result<f64, FieldError> {
    let Some(celsius) = case.test.battery_c else {
        return Ok(1.0);
    };
    if !(-20.0..=60.0).contains(&celsius) {
        return Err(FieldError::of(
            "battery_c",
            format!("is {celsius}; a battery that is measured has −20 to 60 °C"),
        ));
    }
    let share = chemistry::find(&battery.chemistry).map_or(1.0, |it| it.capacity_share(celsius));
    Ok(share.max(0.1))
}

fn name(port: &Port) -> &str {
    port.label.as_deref().unwrap_or(port.id.as_str())
}

/// By volts and amperes; none where there are too few rows yet.
fn read(case: &Case<'_>, place: Place<'_>) -> Result<Option<Emptied>, FieldError> {
    let moments = moments(case);
    if moments.len() < 3 {
        return Ok(None);
    }
    if let Some(at) = moments.windows(2).find(|it| it[1].1.value <= it[0].1.value) {
        return Err(FieldError::of(
            "rows",
            format!("row {}: the hours must rise", at[1].0 + 1),
        ));
    }
    let charge = under(&moments, |it| it.3);
    if charge.value <= 0.0 {
        return Err(FieldError::of(
            "rows",
            "the amperes come out below zero; turn the ammeter's leads round, or drop the sign"
                .into(),
        ));
    }
    let (first, last) = (&moments[0], &moments[moments.len() - 1]);
    let watts = |it: &Moment| it.2.value * it.3.value;
    let stretches = moments
        .windows(2)
        .map(|it| {
            (
                it[1].1.value - it[0].1.value,
                f64::midpoint(watts(&it[0]), watts(&it[1])),
            )
        })
        .collect();
    let at = if matches!(place, Place::Terminals) {
        "at its terminals"
    } else {
        "at the port"
    };
    Ok(Some(Emptied {
        out: under(&moments, |it| it.2.times(it.3)),
        stretches,
        charge: matches!(place, Place::Terminals).then_some(charge),
        hours: last.1.value - first.1.value,
        last_v: Some(last.2.value),
        plot: Plot::of(("since full", "h"), (at, "V"))
            .with(moments.iter().map(|it| (it.0, it.1, it.2))),
    }))
}

/// By the watt-hours that a meter counted; none where nothing was counted yet. A single row counts
/// from nothing at 0 h.
fn counted(case: &Case<'_>) -> Result<Option<Emptied>, FieldError> {
    if case.test.file.is_some() {
        return Err(FieldError::of(
            "file",
            "holds volts and amperes; where watt-hours are counted type them as rows, or \
            take \"counted\" away"
                .into(),
        ));
    }
    let longer = |it: &&(usize, &Row)| it.1.struck.is_none() && it.1.values.len() > 2;
    if let Some((place, row)) = case.test.rows.iter().enumerate().find(|it| longer(&it)) {
        let sentence = format!(
            "row {} has {} readings; where a meter counts there are two, the hours and the \
            watt-hours",
            place + 1,
            row.values.len()
        );
        return Err(FieldError::of("rows", sentence));
    }
    let mut rows = case.rows(2);
    let plot = Plot::of(("since full", "h"), ("counted", "Wh"))
        .with(rows.iter().map(|it| (it.0, it.1[0], it.1[1])));
    if rows.len() == 1 {
        rows.insert(0, (rows[0].0, vec![Known::sure(0.0); 2]));
    }
    for pair in rows.windows(2) {
        let (a, b) = (&pair[0].1, &pair[1].1);
        let wrong = |why: &str| {
            Err(FieldError::of(
                "rows",
                format!("row {}: {why}", pair[1].0 + 1),
            ))
        };
        if b[0].value <= a[0].value {
            return wrong("the hours must rise");
        }
        if b[1].value < a[1].value {
            return wrong("the watt-hours fall; count on from the first row");
        }
    }
    let (Some((_, first)), Some((_, last))) = (rows.first(), rows.last()) else {
        return Ok(None);
    };
    let out = last[1].minus(first[1]);
    if out.value <= 0.0 {
        return Ok(None);
    }
    let stretches = rows.windows(2).map(|it| {
        let hours = it[1].1[0].value - it[0].1[0].value;
        (hours, (it[1].1[1].value - it[0].1[1].value) / hours)
    });
    Ok(Some(Emptied {
        // A meter is off by the same share from the first watt-hour to the last.
        out: Known {
            plus_minus: case.meter(1).read(out.value).plus_minus,
            ..out
        },
        stretches: stretches.collect(),
        charge: None,
        hours: last[0].value - first[0].value,
        last_v: None,
        plot,
    }))
}

/// The charge behind so many watt-hours that came over so many hours: over the mean of the volts
/// under load from full to empty, by the chemistry's curve, which is known to a hundredth.
fn charge_of(battery: &Battery, stored: Known, hours: f64) -> Known {
    const STEPS: usize = 200;
    const CURVE: f64 = 0.01;
    let Some(kind) = chemistry::find(&battery.chemistry) else {
        return stored;
    };
    let cells = battery.cells.as_ref().map_or(1.0, Figure::get);
    let ohms = battery.internal_ohm.as_ref().map_or(0.0, Figure::get);
    let cut_off = battery.cut_off_v.as_ref().map_or(0.0, Figure::get);
    let watts = stored.value / hours;
    // Under a load of so many watts: V² − V·U + P·R = 0.
    let loaded = |soc: f64| {
        let open = kind.cell_v(soc) * cells;
        f64::midpoint(open, (open * open - 4.0 * watts * ohms).max(0.0).sqrt())
    };
    let volts: Vec<f64> = (0..STEPS)
        .map(|it| loaded((it as f64 + 0.5) / STEPS as f64))
        .filter(|it| *it >= cut_off)
        .collect();
    if volts.is_empty() {
        return stored.scaled(1.0 / (kind.cell_nominal_v * cells));
    }
    let mean = volts.iter().sum::<f64>() / volts.len() as f64;
    stored.over(Known {
        value: mean,
        plus_minus: CURVE * mean,
    })
}

fn moments(case: &Case<'_>) -> Vec<Moment> {
    let Some(file) = &case.test.file else {
        return case
            .rows(3)
            .into_iter()
            .map(|(row, it)| (row, it[0], it[1], it[2]))
            .collect();
    };
    let none = Instrument::default();
    let meter = |index: usize| case.test.meters.get(index).unwrap_or(&none);
    let read = |(row, it): (usize, &[f64; 3])| {
        (
            row,
            Known::sure(it[0]),
            meter(1).read(it[1]),
            meter(2).read(it[2]),
        )
    };
    file.moments.iter().enumerate().map(read).collect()
}

/// The integral over the hours. What the meters may be off does not average out; what the rule
/// itself may be off is told by leaving out every second moment (Richardson).
fn under(moments: &[Moment], of: impl Fn(&Moment) -> Known) -> Known {
    let sum = |list: &[&Moment]| {
        list.windows(2).fold(Known::sure(0.0), |sum, it| {
            let (a, b) = (of(it[0]), of(it[1]));
            let long = it[1].1.value - it[0].1.value;
            Known {
                value: sum.value + f64::midpoint(a.value, b.value) * long,
                plus_minus: sum.plus_minus + f64::midpoint(a.plus_minus, b.plus_minus) * long,
            }
        })
    };
    let all: Vec<&Moment> = moments.iter().collect();
    let mut coarse: Vec<&Moment> = moments.iter().step_by(2).collect();
    if all.len().is_multiple_of(2) {
        coarse.extend(all.last());
    }
    let (fine, coarse) = (sum(&all), sum(&coarse));
    Known {
        plus_minus: fine.plus_minus.hypot((fine.value - coarse.value) / 3.0),
        ..fine
    }
}

/// What was given, brought to the rated hours: C·(C·h/(t·C_rated))^(k−1) for a mean current above
/// the rated one.
fn at_rated(chemistry: &str, rated_hours: Option<f64>, given: Known, hours: f64) -> Known {
    let Some(kind) = chemistry::find(chemistry) else {
        return given;
    };
    let rated_hours = rated_hours.unwrap_or(kind.rated_hours);
    let amps = given.value / hours;
    let mut rated = given.value;
    for _ in 0..40 {
        let times = (amps * rated_hours / rated).max(1.0);
        rated = given.value * times.powf(kind.peukert - 1.0);
    }
    given.scaled(rated / given.value)
}
