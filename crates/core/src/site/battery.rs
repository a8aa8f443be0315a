//! What the full model of a battery adds to the plain one: resistance by temperature and charge,
//! what it takes while it is charged, and what it loses by itself.
//!
//! A battery whose plan says `"model": "full"` is computed so; every other one as it is stated,
//! whatever the weather. The figures are for planning: the maker's sheet rules.

use crate::ground::figure::Figure;
use crate::site::chemistry::{self, Chemistry, interpolate};
use crate::site::plan::Battery;

/// The temperature at which an internal resistance is usually stated, °C.
const STATED_C: f64 = 25.0;
/// Resistance of lithium cells in the cold, as times that at 25 °C; between the points straight on
/// logarithms.
const LITHIUM_COLD: [(f64, f64); 3] = [(-10.0, 3.8), (0.0, 2.5), (25.0, 1.0)];
/// By how much the resistance of lead rises for each kelvin below 25 °C, as a share of it.
const LEAD_PER_K: f64 = 0.02;
/// By how much it is higher when it is empty, as a share of it.
const LEAD_EMPTY: f64 = 0.8;
/// What lead takes of its capacity in amperes up to four fifths, and when it is full.
const LEAD_TAKES: (f64, f64) = (0.25, 0.015);
/// What lithium takes of its capacity in amperes at 0 °C and at 10 °C; above that as much as it is
/// given.
const LITHIUM_TAKES: [(f64, f64); 2] = [(0.0, 0.1), (10.0, 0.2)];
/// Below this a lithium cell gives nothing that its maker stands for, °C.
pub const LITHIUM_GIVES_FROM_C: f64 = -20.0;
/// The charge of a lead battery and the temperature at which its acid freezes then, °C, coldest
/// first.
const FREEZES: [(f64, f64); 5] = [
    (-60.0, 1.0),
    (-35.0, 0.75),
    (-24.0, 0.5),
    (-15.0, 0.25),
    (-8.0, 0.0),
];
/// Hours of a month.
const MONTH_H: f64 = 30.4 * 24.0;

/// How many times its resistance at 25 °C a chemistry has at a temperature in °C.
///
/// ```
/// use ash_pond_core::{site::battery::cold_factor, site::chemistry};
/// let (agm, lfp) = (chemistry::find("agm").unwrap(), chemistry::find("lfp").unwrap());
/// assert!((cold_factor(agm, -10.0) - 1.7).abs() < 1e-12);
/// assert!((cold_factor(lfp, 0.0) - 2.5).abs() < 1e-12 && (cold_factor(lfp, -10.0) - 3.8).abs() < 1e-12);
/// ```
pub fn cold_factor(chemistry: &Chemistry, celsius: f64) -> f64 {
    if chemistry.is_lead() {
        // Warmer it falls a little; never below half.
        return (1.0 + LEAD_PER_K * (STATED_C - celsius)).max(0.5);
    }
    let logs = LITHIUM_COLD.map(|(at, times)| (at, times.ln()));
    let [coldest, next, _] = logs;
    let slope = (coldest.1 - next.1) / (coldest.0 - next.0);
    let log = if celsius < coldest.0 {
        coldest.1 + slope * (celsius - coldest.0)
    } else {
        interpolate(&logs, celsius)
    };
    log.exp()
}

/// How many times its resistance when full a chemistry has at a charge of 0 to 1.
pub fn empty_factor(chemistry: &Chemistry, soc: f64) -> f64 {
    if chemistry.is_lead() {
        1.0 + LEAD_EMPTY * (1.0 - soc.clamp(0.0, 1.0))
    } else {
        1.0
    }
}

/// Volts of a battery as its cells are named; none where nobody says how many they are, or of what
/// chemistry.
pub fn nominal_v(battery: &Battery) -> Option<f64> {
    let cells = battery.cells.as_ref()?.get();
    Some(cells * chemistry::find(&battery.chemistry)?.cell_nominal_v)
}

/// Internal resistance of a battery when full at a temperature in °C, Ω; as it is stated in the
/// plain model.
pub fn internal_ohm(battery: &Battery, celsius: f64) -> f64 {
    let stated = battery.internal_ohm.as_ref().map_or(0.0, Figure::get);
    match chemistry::find(&battery.chemistry).filter(|_| battery.is_full_model()) {
        None => stated,
        Some(chemistry) => {
            let at = battery
                .internal_ohm_at_c
                .as_ref()
                .map_or(STATED_C, Figure::get);
            stated * cold_factor(chemistry, celsius) / cold_factor(chemistry, at)
        }
    }
}

/// What a battery takes at its terminals while it is charged, as amperes per ampere-hour (watts per
/// watt-hour for one of energy), at a charge of 0 to 1 and a temperature in °C; endless where only
/// the charger bounds it.
///
/// Lead takes a quarter of its capacity up to four fifths and from there on ever less,
/// exponentially, down to 0.015 of it when full. Lithium takes nothing below its least temperature,
/// a tenth at 0 °C and a fifth at 10 °C.
///
/// ```
/// use ash_pond_core::{site::battery::takes, site::plan::Battery};
/// let read = |text: &str| -> Battery { ash_pond_core::ground::json::FromJson::from_json(
///     &serde_json::from_str(text).unwrap(), &ash_pond_core::ground::json::Path::Root).unwrap() };
/// let agm = read(r#"{"chemistry": "agm", "cells": 6, "capacity_ah": 100, "model": "full"}"#);
/// assert_eq!(takes(&agm, 0.5, 20.0), 0.25);
/// assert!((takes(&agm, 0.9, 20.0) - (0.25_f64 * 0.015).sqrt()).abs() < 1e-12);
/// assert_eq!(takes(&read(r#"{"chemistry": "agm", "cells": 6, "capacity_ah": 100}"#), 0.9, 20.0), f64::INFINITY);
/// ```
pub fn takes(battery: &Battery, soc: f64, celsius: f64) -> f64 {
    let Some(chemistry) = chemistry::find(&battery.chemistry).filter(|_| battery.is_full_model())
    else {
        return f64::INFINITY;
    };
    if chemistry.is_lead() {
        let (most, least) = LEAD_TAKES;
        let part = ((soc - chemistry.taper_from) / (1.0 - chemistry.taper_from)).clamp(0.0, 1.0);
        return most * (least / most).powf(part);
    }
    match celsius {
        it if it < chemistry.charge_min_c => 0.0,
        it if it < LITHIUM_TAKES[1].0 => interpolate(&LITHIUM_TAKES, it),
        _ => f64::INFINITY,
    }
}

/// The same in watts at the terminals, at so many volts.
pub fn takes_w(battery: &Battery, soc: f64, celsius: f64, volts: f64) -> f64 {
    let size = match (&battery.capacity_ah, &battery.energy_wh) {
        (Some(capacity), _) => capacity.get() * volts,
        (None, Some(energy)) => energy.get(),
        (None, None) => return f64::INFINITY,
    };
    takes(battery, soc, celsius) * size
}

/// What flows into a battery at most, A, at a charge of 0 to 1 and a temperature in °C, from what
/// holds its terminals at `volts`: (U − U₀)/R. Nothing where its own resting voltage is that high;
/// endless below it where no resistance is stated, and where nobody says how many cells it has.
///
/// ```
/// use ash_pond_core::{site::battery::held_amps, site::plan::Battery};
/// let read = |text: &str| -> Battery { ash_pond_core::ground::json::FromJson::from_json(
///     &serde_json::from_str(text).unwrap(), &ash_pond_core::ground::json::Path::Root).unwrap() };
/// let bank = read(r#"{"chemistry": "lfp", "cells": 4, "capacity_ah": 100, "internal_ohm": 0.02}"#);
/// // Four cells rest at 3.37 V each at 97 %: 13.48 V.
/// assert!((held_amps(&bank, 0.97, 25.0, 14.4) - 46.0).abs() < 1e-9);
/// assert!((held_amps(&bank, 0.97, 25.0, 13.6) - 6.0).abs() < 1e-9);
/// assert_eq!(held_amps(&bank, 1.0, 25.0, 13.6), 0.0);
/// ```
pub fn held_amps(battery: &Battery, soc: f64, celsius: f64, volts: f64) -> f64 {
    let known = battery
        .cells
        .as_ref()
        .zip(chemistry::find(&battery.chemistry));
    let Some((cells, chemistry)) = known else {
        return f64::INFINITY;
    };
    let above = volts - chemistry.cell_v(soc) * cells.get();
    let empty = if battery.is_full_model() {
        empty_factor(chemistry, soc)
    } else {
        1.0
    };
    let ohms = internal_ohm(battery, celsius) * empty;
    match () {
        () if above <= 0.0 => 0.0,
        () if ohms > 0.0 => above / ohms,
        () => f64::INFINITY,
    }
}

/// The charge, 0 to 1, above which what holds the terminals of a battery at `volts` gives it
/// nothing; endless where it fills it, and where nobody says how many cells it has.
pub(crate) fn held_until(battery: &Battery, volts: f64) -> f64 {
    let known = battery
        .cells
        .as_ref()
        .zip(chemistry::find(&battery.chemistry));
    let Some((cells, chemistry)) = known.filter(|it| it.0.get() > 0.0) else {
        return f64::INFINITY;
    };
    let cell_v = volts / cells.get();
    if cell_v > chemistry.cell_v(1.0) {
        f64::INFINITY
    } else {
        chemistry.soc_at(cell_v)
    }
}

/// How much less of what its charger gives a battery takes at a charge of 0 to 1: by its
/// chemistry's taper, but for lead in the full model, where what it takes is bounded in amperes.
pub fn taper(battery: &Battery, soc: f64) -> f64 {
    let chemistry = chemistry::find(&battery.chemistry);
    chemistry
        .filter(|it| !(battery.is_full_model() && it.is_lead()))
        .map_or(1.0, |it| it.taper(soc))
}

/// The share of a full charge that a battery loses by itself in an hour; none in the plain model.
pub fn loses_per_hour(battery: &Battery) -> f64 {
    let chemistry = chemistry::find(&battery.chemistry).filter(|_| battery.is_full_model());
    chemistry.map_or(0.0, |it| it.self_discharge_per_month / MONTH_H)
}

/// The charge, 0 to 1, below which the acid of a lead battery freezes at a temperature in °C; 0
/// where even an empty one does not, and for lithium.
///
/// ```
/// use ash_pond_core::{site::battery::freezes_below, site::chemistry};
/// let agm = chemistry::find("agm").unwrap();
/// assert_eq!((freezes_below(agm, 0.0), freezes_below(agm, -15.0), freezes_below(agm, -24.0)), (0.0, 0.25, 0.5));
/// assert_eq!(freezes_below(chemistry::find("lfp").unwrap(), -30.0), 0.0);
/// ```
pub fn freezes_below(chemistry: &Chemistry, celsius: f64) -> f64 {
    if chemistry.is_lead() {
        interpolate(&FREEZES, celsius)
    } else {
        0.0
    }
}

/// Whether a battery gives nothing at a temperature in °C.
pub fn is_too_cold(battery: &Battery, celsius: f64) -> bool {
    let lithium = chemistry::find(&battery.chemistry).is_some_and(|it| !it.is_lead());
    battery.is_full_model() && lithium && celsius < LITHIUM_GIVES_FROM_C
}

/// How often a battery bears a discharge of a depth of 0 to 1: by its own `cycles`, by its
/// chemistry's curve laid through a single point of its own, or by that curve alone; endless for
/// none.
///
/// ```
/// use ash_pond_core::{site::battery::cycles_at, site::chemistry, site::plan::Battery};
/// let read = |text: &str| -> Battery { ash_pond_core::ground::json::FromJson::from_json(
///     &serde_json::from_str(text).unwrap(), &ash_pond_core::ground::json::Path::Root).unwrap() };
/// let own = read(r#"{"chemistry": "lfp", "energy_wh": 500, "cycles": [[0.5, 4000], [1.0, 1000]]}"#);
/// // Half way between on logarithms: the depth 0.7071, and the cycles √(4000 · 1000).
/// assert!((cycles_at(&own, 0.5_f64.sqrt()) - 2000.0).abs() < 1e-6);
/// let one = read(r#"{"chemistry": "lfp", "energy_wh": 500, "cycles": [[0.8, 1500]]}"#);
/// let lfp = chemistry::find("lfp").unwrap();
/// assert!((cycles_at(&one, 0.8) - 1500.0).abs() < 1e-9);
/// assert!((cycles_at(&one, 0.3) / lfp.cycles_at(0.3) - 0.5).abs() < 1e-9);
/// ```
pub fn cycles_at(battery: &Battery, depth: f64) -> f64 {
    let habit = |depth: f64| {
        chemistry::find(&battery.chemistry).map_or(f64::INFINITY, |it| it.cycles_at(depth))
    };
    match battery.cycles.as_slice() {
        [] => habit(depth),
        [one] if depth > 0.0 => one.1 * habit(depth) / habit(one.0),
        [_] => f64::INFINITY,
        own => chemistry::cycles_at(
            &own.iter().map(|it| (it.0, it.1)).collect::<Vec<_>>(),
            depth,
        ),
    }
}

/// Years until a battery is worn out by the calendar: its own, or its chemistry's habit.
pub fn life_years(battery: &Battery) -> f64 {
    let habit = || chemistry::find(&battery.chemistry).map_or(f64::INFINITY, |it| it.life_years);
    battery.life_years.as_ref().map_or_else(habit, Figure::get)
}
