//! Capacity: what a store gives from full down to its cut-off, by the trapezium rule over a log of volts and amperes.
//!
//! A store that was emptied faster than it is rated for gives less; the figure of the plan is at the rated hours, so
//! what was measured is brought there by Peukert's law (W. Peukert 1897), as the network uses it.

use super::super::guide::{BATTERY, Guide, HOT, Target, columns, meter, step};
use super::super::meter::{Instrument, Known};
use super::super::outcome::{Outcome, Plot, Told};
use super::super::protocol::Protocol;
use super::super::test::{Case, Refused, full_wh};
use crate::chemistry;
use crate::limits::percent;
use crate::say::Amount;

/// This near to its cut-off, V a cell, a store is empty.
const NEAR: f64 = 0.05;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Capacity,
        title: "Capacity, down to the cut-off",
        answers: "What a store really gives. Age takes from it without a sign on any display, and the plan's hours hang on it.",
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
            "A lead battery that stays empty is harmed: charge it again the same day. Never below the cut-off of its maker.",
        ],
        disconnect: "Every charger, and every load but the one that is measured.",
        meters: vec![meter("A", "in", true), meter("V", "in", false)],
        steps: vec![
            step("Charge to full by its maker's way, and let it rest for an hour."),
            step(
                "Switch the load on, and write down hours since the start, volts and amperes: the first row at 0 hours.",
            ),
            step(
                "Again every half hour, and every five minutes once the volts begin to fall. Or give a logger's file.",
            ),
            step("At the cut-off write down the last row, and take the load off at once."),
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

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, Refused> {
    let battery = case.battery()?;
    let moments = moments(case);
    if moments.len() < 3 {
        return Ok(Outcome::says("Write down hours, volts and amperes from full to the cut-off: three rows or more."));
    }
    if let Some(at) = moments.windows(2).find(|it| it[1].1.value <= it[0].1.value) {
        return Err(("rows", format!("row {}: the hours must rise", at[1].0 + 1)));
    }
    let amp_hours = under(&moments, |it| it.3);
    let watt_hours = under(&moments, |it| it.2.times(it.3));
    if amp_hours.value <= 0.0 {
        return Err((
            "rows",
            "the amperes come out below zero; turn the ammeter's leads round, or drop the sign".into(),
        ));
    }
    let hours = moments[moments.len() - 1].1.value - moments[0].1.value;
    let cells = battery.cells.as_ref().map_or(1.0, |it| it.get());
    let last = moments[moments.len() - 1].2.value;
    let left = battery.cut_off_v.as_ref().map(|it| last - it.get()).filter(|it| *it > NEAR * cells);
    let plot =
        Plot::of(("since full", "h"), ("at its terminals", "V")).with(moments.iter().map(|it| (it.0, it.1, it.2)));
    let told = vec![Told::of("charge given", "Ah", amp_hours), Told::of("energy given", "Wh", watt_hours)];
    if let Some(left) = left {
        let sentence = format!(
            "{} and {} so far; {} above the cut-off still.",
            Amount(amp_hours.value, "Ah"),
            Amount(watt_hours.value, "Wh"),
            Amount(left, "V")
        );
        return Ok(Outcome { told, plot: Some(plot), ..Outcome::says(sentence) });
    }
    let (figure, of_label) = match (&battery.energy_wh, &battery.capacity_ah) {
        (Some(_), _) => (
            case.given("energy", "Wh", "/battery/energy_wh", watt_hours),
            full_wh(battery).map(|it| watt_hours.value / it.value),
        ),
        (None, ah) => {
            let rated =
                at_rated(battery.chemistry.as_str(), battery.rated_hours.as_ref().map(|it| it.get()), amp_hours, hours);
            (case.given("capacity", "Ah", "/battery/capacity_ah", rated), ah.as_ref().map(|it| rated.value / it.get()))
        }
    };
    let sentence = format!(
        "{}, {} in {}{}.",
        amp_hours.words("Ah"),
        Amount(watt_hours.value, "Wh"),
        Amount(hours, "h"),
        of_label.map_or_else(String::new, |it| format!(": {} of what the plan has", percent(it)))
    );
    Ok(Outcome { told, figures: vec![figure], plot: Some(plot), ..Outcome::says(sentence) })
}

fn moments(case: &Case<'_>) -> Vec<Moment> {
    let Some(file) = &case.test.file else {
        return case.rows(3).into_iter().map(|(row, it)| (row, it[0], it[1], it[2])).collect();
    };
    let none = Instrument::default();
    let meter = |index: usize| case.test.meters.get(index).unwrap_or(&none);
    let read = |(row, it): (usize, &[f64; 3])| (row, Known::sure(it[0]), meter(1).read(it[1]), meter(2).read(it[2]));
    file.moments.iter().enumerate().map(read).collect()
}

/// The integral over the hours. What the meters may be off does not average out; what the rule itself may be off is
/// told by leaving out every second moment (Richardson).
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
    Known { plus_minus: fine.plus_minus.hypot((fine.value - coarse.value) / 3.0), ..fine }
}

/// What was given, brought to the rated hours: C·(C·h/(t·C_rated))^(k−1) for a mean current above the rated one.
fn at_rated(chemistry: &str, rated_hours: Option<f64>, given: Known, hours: f64) -> Known {
    let Some(kind) = chemistry::find(chemistry) else { return given };
    let rated_hours = rated_hours.unwrap_or(kind.rated_hours);
    let amps = given.value / hours;
    let mut rated = given.value;
    for _ in 0..40 {
        let times = (amps * rated_hours / rated).max(1.0);
        rated = given.value * times.powf(kind.peukert - 1.0);
    }
    given.scaled(rated / given.value)
}
