//! How long a store takes to fill again, from each thing that can fill it.
//!
//! The charge rises by what reaches the store times the chemistry's efficiency, tapering above 0.95 (lithium) or 0.80
//! (lead), less what is drawn meanwhile; integrated over time by Euler steps of a two-hundredth of the store at most.

use super::clock::Clock;
use super::sun::{Seat, Sky};
use crate::battery::{takes_w, taper};
use crate::chemistry;
use crate::day::Size;
use crate::figure::Figure;
use crate::limits::amount;
use crate::plan::source::InputKind;
use crate::plan::{Battery, ConverterKind, Outage, Plan, Source, SourceKind};
use crate::say::{Name, Sentence};
use serde::Serialize;

/// Charges that are told, 0 to 1.
const LEVELS: [f64; 5] = [0.5, 0.8, 0.9, 0.95, 1.0];
/// What counts as full, 0 to 1.
const FULL: f64 = 0.999;
/// Longest charging that is followed, h.
const LONGEST_H: f64 = 24.0 * 21.0;
/// Share of its rated power that a panel gives in full light, for dirt, warmth and leads (a usual planning figure).
const PANEL_SHARE: f64 = 0.8;
/// Voltage at which an alternator holds a lead battery, V.
const ALTERNATOR_V: f64 = 14.0;

/// When a charge is reached, and what it took.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ChargeLevel {
    /// The charge, 0 to 1.
    pub soc: f64,
    /// Hours from the beginning; none where it is never reached.
    pub hours: Option<f64>,
    /// Energy taken from what charges it, Wh.
    pub taken_wh: f64,
    /// What that costs, in the site's currency, where it is known.
    pub cost: Option<f64>,
    /// Fuel burnt, l, where something burns.
    pub fuel_l: Option<f64>,
}

/// One way to fill a store.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Recharge {
    /// From what: wall, panel, alternator or generator.
    pub from: &'static str,
    /// What it is called.
    pub label: String,
    /// Power taken at most, W.
    pub watts: f64,
    /// What limits it, in words.
    pub limited_by: Sentence,
    /// When each charge is reached.
    pub levels: Vec<ChargeLevel>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// What is asked.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RechargeAsk {
    /// Charge at the beginning, 0 to 1.
    pub from_soc: f64,
    /// What is drawn from the store meanwhile, W.
    pub drawn_w: f64,
    /// Tilt of panels from level, °, 0 to 90.
    pub tilt_deg: f64,
}

/// Something that can charge, before its limits meet those of the store.
struct Tap<'a> {
    from: &'static str,
    label: String,
    /// Power that it takes from the mains, the sun or an engine, W.
    watts: f64,
    /// What reaches the store of that, 0 to 1, before the chemistry.
    efficiency: f64,
    limited_by: String,
    sky: Option<Sky>,
    price_per_kwh: Option<f64>,
    engine: Option<&'a crate::plan::source::Engine>,
}

/// Every way to fill a store, by the outage's start for the sun and its temperature for the cold.
///
/// # Errors
/// Says that no store has that id.
pub fn recharge(plan: &Plan, source: &str, outage: &Outage, ask: RechargeAsk) -> Result<Vec<Recharge>, String> {
    let found = plan.source(source).and_then(|it| Some((it, it.battery.as_ref()?)));
    let Some((source, battery)) = found else {
        return Err(format!("\"{source}\" is no source with a battery; name one that has one"));
    };
    let clock = Clock::of(plan, outage);
    let celsius = outage.ambient_c.as_ref().map_or(plan.site.ambient().0, Figure::get);
    Ok(taps(plan, source, battery)
        .into_iter()
        .map(|it| fill(plan, source, battery, &it, &clock, celsius, ask))
        .collect())
}

fn taps<'a>(plan: &'a Plan, source: &'a Source, battery: &Battery) -> Vec<Tap<'a>> {
    let mut taps = Vec::new();
    let per_kwh = plan.site.energy_price.as_ref().map(|it| it.per_kwh.get());
    let tap = |from, label: String, watts: f64, efficiency: f64, limited_by: String| Tap {
        from,
        label,
        watts,
        efficiency,
        limited_by,
        sky: None,
        price_per_kwh: None,
        engine: None,
    };
    let own = |it: &Option<Figure<crate::quantity::Share>>| it.as_ref().map_or(1.0, Figure::get);
    let mut wall: Option<(String, f64, f64, String)> = None;
    for input in source.inputs.iter().filter(|it| it.kind == InputKind::Mains) {
        if let Some(watts) = input.max_w.as_ref().map(Figure::get) {
            let limit = format!("its {} input: {}", input.id, amount(watts, "W"));
            wall = Some((source.label.clone(), watts, own(&input.efficiency), limit));
        }
    }
    // A bank without an input of its own is filled by a charger from the shelf.
    for charger in plan.kit.converters.iter().filter(|it| it.kind == ConverterKind::Charger && battery.cells.is_some())
    {
        let limit = charger.outputs.iter().find_map(|it| it.limit.as_ref());
        let volts = charger.outputs.iter().find_map(|it| it.voltage.standing(None)).unwrap_or(0.0);
        let amps = limit.and_then(|it| it.continuous_a.as_ref()).map(|it| it.get() * volts);
        let Some(out) = limit.and_then(|it| it.continuous_w.as_ref().map(Figure::get)).or(amps) else { continue };
        let taken = crate::network::Law::of(charger.loss.as_ref()).input(out);
        let limit = format!("{}: {}", Name(&charger.label), amount(out, "W"));
        wall.get_or_insert((charger.label.clone(), taken, out / taken.max(1e-9), limit));
    }
    if let Some((label, watts, efficiency, limit)) = &wall {
        let wall = tap("wall", format!("the wall, by {}", Name(label)), *watts, *efficiency, limit.clone());
        taps.push(Tap { price_per_kwh: per_kwh, ..wall });
        for generator in plan.kit.sources.iter().filter(|it| it.kind == SourceKind::Generator) {
            let limit_w = generator.ports.iter().find_map(|it| it.limit.as_ref()?.continuous_w.as_ref());
            let most = limit_w.map_or(f64::INFINITY, Figure::get);
            let by = if most < *watts {
                format!("{}: {}", Name(&generator.label), amount(most, "W"))
            } else {
                limit.clone()
            };
            let it = tap("generator", generator.label.clone(), watts.min(most), *efficiency, by);
            taps.push(Tap { engine: generator.engine.as_ref(), ..it });
        }
    }
    for input in source.inputs.iter().filter(|it| it.kind == InputKind::Dc) {
        for panel in plan.kit.sources.iter().filter(|it| it.kind == SourceKind::Panel) {
            let rated = panel.ports.iter().find_map(|it| it.limit.as_ref()?.continuous_w.as_ref()).map(Figure::get);
            let Some(rated) = rated else { continue };
            let most = input.max_w.as_ref().map_or(f64::INFINITY, Figure::get);
            let watts = (rated * PANEL_SHARE).min(most);
            let by = if rated * PANEL_SHARE > most {
                format!("its {} input: {}", input.id, amount(most, "W"))
            } else {
                format!("{}: {} in full light", Name(&panel.label), amount(rated * PANEL_SHARE, "W"))
            };
            for (sky, words) in [(Sky::Clear, "under a clear sky"), (Sky::Overcast, "under an overcast sky")] {
                let it = tap("panel", format!("{} {words}", panel.label), watts, own(&input.efficiency), by.clone());
                taps.push(Tap { sky: Some(sky), ..it });
            }
        }
    }
    for vehicle in plan.kit.sources.iter().filter(|it| it.kind == SourceKind::Vehicle && it.id != source.id) {
        let Some(alternator) = &vehicle.alternator else { continue };
        let share = plan.site.alternator_share();
        for (rated, words) in [(Some(&alternator.idle_a), "idling"), (alternator.full_a.as_ref(), "on the road")] {
            let Some(rated) = rated else { continue };
            let amps = rated.get() * share;
            let input = source.inputs.iter().find(|it| it.kind == InputKind::Dc);
            let most = input.and_then(|it| it.max_w.as_ref()).map_or(f64::INFINITY, Figure::get);
            let offered = amps * ALTERNATOR_V;
            if battery.cells.is_none() && input.is_none() {
                continue;
            }
            let by = if most < offered {
                format!("its {} input: {}", input.map_or("", |it| it.id.as_str()), amount(most, "W"))
            } else {
                format!("{} of the {} that its alternator gives", amount(amps, "A"), amount(rated.get(), "A"))
            };
            let efficiency = input.map_or(1.0, |it| own(&it.efficiency));
            let it = tap("alternator", format!("{}, {words}", vehicle.label), offered.min(most), efficiency, by);
            taps.push(Tap { engine: vehicle.engine.as_ref(), ..it });
        }
    }
    taps
}

fn fill(
    plan: &Plan,
    source: &Source,
    battery: &Battery,
    tap: &Tap<'_>,
    clock: &Clock,
    celsius: f64,
    ask: RechargeAsk,
) -> Recharge {
    let chemistry = chemistry::find(&battery.chemistry);
    let size = Size::of(battery, celsius);
    let seat = Seat::of(plan, clock);
    let cells = battery.cells.as_ref().map(Figure::get);
    let own = chemistry.map_or(1.0, |it| it.charge_efficiency);
    let too_cold = chemistry.filter(|it| celsius < it.charge_min_c);
    let mut limited_by = tap.limited_by.clone();
    let (mut soc, mut hours, mut taken_wh, mut fuel_l) = (ask.from_soc.clamp(0.0, 1.0), 0.0, 0.0, 0.0);
    let volts = |soc: f64| cells.map_or(0.0, |count| chemistry.map_or(0.0, |it| it.cell_v(soc)) * count);
    let mut most_w = tap.watts;
    if let Some(amps) = battery.max_charge_a.as_ref().map(Figure::get).filter(|_| cells.is_some()) {
        let bound = amps * volts(0.5);
        if bound < tap.watts * tap.efficiency {
            most_w = bound / tap.efficiency.max(1e-9);
            limited_by = format!("what it may be charged with: {}", amount(amps, "A"));
        }
    }
    let mut levels: Vec<ChargeLevel> = Vec::new();
    let mut pending: Vec<f64> = LEVELS.iter().copied().filter(|it| *it > soc + 1e-9).collect();
    pending.reverse();
    let level = |soc: f64, hours: Option<f64>, taken_wh: f64, fuel: f64| ChargeLevel {
        soc,
        hours,
        taken_wh,
        cost: match (tap.price_per_kwh, tap.engine) {
            (Some(price), _) => Some(price * taken_wh / 1000.0),
            (None, Some(engine)) => engine.price_per_l.as_ref().map(|it| it.get() * fuel),
            (None, None) => tap.sky.map(|_| 0.0),
        },
        fuel_l: tap.engine.map(|_| fuel),
    };
    let has_light = tap.sky.is_none() || seat.is_some();
    while too_cold.is_none() && has_light && hours < LONGEST_H && !pending.is_empty() {
        let light = match (tap.sky, seat) {
            (Some(sky), Some(seat)) => seat.share(clock, hours * 3600.0, ask.tilt_deg, sky).min(1.0),
            _ => 1.0,
        };
        let at = volts(soc);
        // What it takes at its terminals bounds what its input gives it.
        let bound = takes_w(battery, soc, celsius, at) / tap.efficiency.max(1e-9);
        let taken = (most_w * light).min(bound) * taper(battery, soc);
        let stored = taken * tap.efficiency * own;
        let amps = if at > 0.0 { ask.drawn_w / at } else { 0.0 };
        let rate = size.charged_per_hour(stored, at) - size.share_per_hour(ask.drawn_w, amps, amps);
        let sun_step = if tap.sky.is_some() { 0.25 } else { 1.0 };
        let next = pending.last().map_or(1.0, |it| it.min(FULL));
        let mut step = (0.005 / rate.abs().max(1e-9)).min(sun_step);
        if rate > 0.0 {
            step = step.min((next - soc) / rate + 1e-9);
        } else if tap.sky.is_none() {
            break;
        }
        hours += step;
        taken_wh += taken * step;
        if let Some(engine) = tap.engine {
            let idle = engine.idle_l_per_h.as_ref().map_or(0.0, Figure::get);
            fuel_l += (idle + engine.l_per_kwh.get() * taken / 1000.0) * step;
        }
        soc = (soc + rate * step).clamp(0.0, 1.0);
        while pending.last().is_some_and(|it| soc >= it.min(FULL) - 1e-9) {
            let reached = pending.pop().unwrap_or(1.0);
            levels.push(level(reached, Some(hours), taken_wh, fuel_l));
        }
    }
    levels.extend(pending.iter().rev().map(|it| level(*it, None, taken_wh, fuel_l)));
    let last = levels.iter().rev().find_map(|it| Some((it.soc, it.hours?)));
    let sentence = match (too_cold, last) {
        (Some(it), _) => format!(
            "At {celsius:.0} °C {} must not be charged: {} needs {:.0} °C. Warm it first.",
            Name(&source.label),
            Name(&it.label),
            it.charge_min_c
        ),
        (None, _) if !has_light => {
            "Nobody said where the site is, so the sun is not known: give its latitude.".to_owned()
        }
        (None, Some((soc, hours))) => format!(
            "From {}: {} from {} to {}; what limits it is {limited_by}.",
            Name(&tap.label),
            super::clocked(hours),
            crate::limits::percent(ask.from_soc),
            crate::limits::percent(soc)
        ),
        (None, None) if levels.is_empty() => format!("{} is full.", source.label),
        (None, None) => format!("From {}: it never gets there, as no more comes than is drawn.", Name(&tap.label)),
    };
    Recharge {
        from: tap.from,
        label: tap.label.clone(),
        watts: most_w,
        limited_by: limited_by.into(),
        levels,
        sentence: sentence.into(),
    }
}
