//! What there is to run things from: what a store really gives, what an outlet costs just to be on, how long a
//! charge takes, and what a converter loses at what it really carries.

use crate::chemistry::{self, Chemistry};
use crate::figure::{Basis, Figure};
use crate::limits::{Amount, Carried, amount, percent};
use crate::network::{Charge, Law, Moment, evaluate};
use crate::plan::source::SourceInput;
use crate::plan::{Battery, Converter, ConverterKind, Limit, Plan, Port, PortVoltage, Source, Waveform};
use serde::Serialize;

/// Points of a converter's curve.
const POINTS: usize = 25;
/// Charge above which a lithium battery takes less and less; a tenth when full.
const LITHIUM_TAPER: f64 = 0.95;
/// The same for lead.
const LEAD_TAPER: f64 = 0.80;

/// Everything that there is to run things from.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Supply {
    /// All of it in a sentence.
    pub headline: String,
    /// The sources, in the order of the plan.
    pub sources: Vec<SourceFacts>,
    /// The converters on the shelf, junctions apart, in the order of the plan.
    pub converters: Vec<ConverterFacts>,
}

/// One source.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SourceFacts {
    /// Its id.
    pub source: String,
    /// What its store gives; none for one without.
    pub stored: Option<Stored>,
    /// Its outlets.
    pub ports: Vec<PortFacts>,
    /// Its charging inputs.
    pub inputs: Vec<InputFacts>,
}

/// What a store gives, as a sum that begins with its label.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Stored {
    /// By its label, Wh: rated ampere-hours at the chemistry's nominal voltage, or its rated energy.
    pub nominal_wh: f64,
    /// Where the label's figure comes from.
    pub basis: Basis,
    /// What takes from it, or adds to it, one after the other.
    pub steps: Vec<StoreStep>,
    /// What is left between full and the floor, before any conversion, Wh.
    pub usable_wh: f64,
    /// That over the label, 0 and more.
    pub share: f64,
}

/// One step from the label to what is usable.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StoreStep {
    /// What it is.
    pub name: String,
    /// What it changes, Wh; negative where it takes.
    pub wh: f64,
    /// Why, with its numbers.
    pub words: String,
}

/// One outlet of a source.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PortFacts {
    /// Its id.
    pub port: String,
    /// What it is called.
    pub label: String,
    /// What stands at it, in words.
    pub gives: String,
    /// What it costs just to be on, W; none where nobody knows.
    pub idle_w: Option<f64>,
    /// The same in a day, Wh.
    pub idle_day_wh: Option<f64>,
    /// The same as a share of what the store gives, 0 and more; none where that is not known.
    pub share_of_store: Option<f64>,
    /// Its limits.
    pub limits: Vec<PortLimit>,
    /// Below this output it turns itself off, W.
    pub auto_off_below_w: Option<f64>,
    /// What is not known of it and matters.
    pub unknown: Vec<String>,
}

/// One limit of an outlet.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PortLimit {
    /// A or W.
    pub unit: &'static str,
    /// For ever.
    pub continuous: f64,
    /// For a while.
    pub overload: Vec<Carried>,
    /// The group that shares it; none for the outlet's own.
    pub group: Option<String>,
}

/// One charging input.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InputFacts {
    /// Its id.
    pub input: String,
    /// The most that it takes, W; none where it states no limit.
    pub most_w: Option<f64>,
    /// What of it is stored, 0 to 1.
    pub stored_share: f64,
    /// From 20 to 80 % at that, h.
    pub to_80_h: Option<f64>,
    /// From empty to full at that, the slow end counted, h.
    pub to_full_h: Option<f64>,
}

/// One converter.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ConverterFacts {
    /// Its id.
    pub converter: String,
    /// What it costs just to be on, W; none where nobody knows.
    pub idle_w: Option<f64>,
    /// The same in a day, Wh.
    pub idle_day_wh: Option<f64>,
    /// The least sure basis of its loss law.
    pub basis: Basis,
    /// Power in for power out, up to its limit.
    pub curve: Vec<CurvePoint>,
    /// What it carries while running, in the arrangements that use it.
    pub carries: Vec<AtLoad>,
    /// What is not known of it and matters.
    pub unknown: Vec<String>,
}

/// A point of a converter's curve.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CurvePoint {
    /// Power out, W.
    pub out_w: f64,
    /// Power in, W.
    pub in_w: f64,
}

/// What a converter carries in an arrangement.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AtLoad {
    /// The arrangement.
    pub arrangement: String,
    /// Power out while running, W.
    pub out_w: f64,
    /// Power out over power in, 0 to 1; none where nothing goes in.
    pub efficiency: Option<f64>,
}

/// What a plan's sources and converters are good for, at the site's temperature.
pub fn supply(plan: &Plan) -> Supply {
    let sources: Vec<SourceFacts> = plan.kit.sources.iter().map(|it| source(plan, it)).collect();
    let boxes = plan.kit.converters.iter().filter(|it| it.kind != ConverterKind::Junction);
    let converters = boxes.map(|it| converter(plan, it)).collect();
    Supply { headline: headline(plan, &sources), sources, converters }
}

/// "Five stores give 2.6 kWh of the 3.4 kWh on their labels; the dearest outlet takes 230 Wh a day just to be on."
fn headline(plan: &Plan, sources: &[SourceFacts]) -> String {
    let stored: Vec<&Stored> = sources.iter().filter_map(|it| it.stored.as_ref()).collect();
    if stored.is_empty() {
        return "Nothing is entered that stores energy. Add a battery or a power station.".into();
    }
    let energy = |wh: f64| if wh >= 1000.0 { Amount(wh / 1000.0, "kWh") } else { Amount(wh, "Wh") };
    let (usable, label): (f64, f64) =
        stored.iter().fold((0.0, 0.0), |sum, it| (sum.0 + it.usable_wh, sum.1 + it.nominal_wh));
    let stores = if stored.len() == 1 { "One store gives".to_owned() } else { format!("{} stores give", stored.len()) };
    let ports = sources.iter().flat_map(|it| it.ports.iter().map(move |port| (it, port)));
    let dearest = ports.filter_map(|(it, port)| Some((it, port, port.idle_day_wh?))).max_by(|a, b| a.2.total_cmp(&b.2));
    let cost = dearest.filter(|it| it.2 > 0.0).map_or_else(String::new, |(it, port, wh)| {
        format!("; {}, {} takes {} a day just to be on", plan.label(&it.source), port.label, energy(wh))
    });
    format!("{stores} {} of the {} on their labels{cost}.", energy(usable), energy(label))
}

fn source(plan: &Plan, source: &Source) -> SourceFacts {
    let stored = source.battery.as_ref().and_then(|it| stored(plan, it));
    let usable_wh = stored.as_ref().map(|it| it.usable_wh).filter(|it| *it > 0.0);
    SourceFacts {
        source: source.id.to_string(),
        ports: source.ports.iter().map(|it| port(source, it, usable_wh)).collect(),
        inputs: source.inputs.iter().map(|it| input(source, it, stored.as_ref().map(|it| it.nominal_wh))).collect(),
        stored,
    }
}

/// From the label to what is usable: the discharge curve instead of the nominal voltage, the cold, and what is spared.
fn stored(plan: &Plan, battery: &Battery) -> Option<Stored> {
    let chemistry = chemistry::find(&battery.chemistry)?;
    let celsius = plan.site.ambient().0;
    let (floor, cold) = (battery.floor(), chemistry.capacity_share(celsius));
    let mut steps = Vec::new();
    let mut step = |name: &str, wh: f64, words: String| steps.push(StoreStep { name: name.into(), wh, words });
    let cold_words = format!("{} of its capacity at {} °C", percent(cold), amount(celsius, ""));
    let kept_words = format!("{} is kept, to spare it", percent(floor));
    let (nominal_wh, basis, usable_wh) = match (&battery.cells, &battery.capacity_ah, &battery.energy_wh) {
        (Some(cells), Some(capacity), _) => {
            let volts = |soc: f64| chemistry.cell_v(soc) * cells.get();
            let nominal_v = chemistry.cell_nominal_v * cells.get();
            let nominal = capacity.get() * nominal_v;
            let (whole, above) = (mean(&volts, 0.0, 1.0), mean(&volts, floor, 1.0));
            let curve = capacity.get() * whole;
            let curve_words = format!("{} on average, and not {}", amount(whole, "V"), amount(nominal_v, "V"));
            step("discharge curve", curve - nominal, curve_words);
            step("temperature", curve * (cold - 1.0), cold_words);
            let usable = capacity.get() * cold * (1.0 - floor) * above;
            step("floor", usable - curve * cold, kept_words);
            (nominal, capacity.basis, usable)
        }
        (_, _, Some(energy)) => {
            let nominal = energy.get();
            step("temperature", nominal * (cold - 1.0), cold_words);
            step("floor", -nominal * cold * floor, kept_words);
            (nominal, energy.basis, nominal * cold * (1.0 - floor))
        }
        _ => return None,
    };
    Some(Stored { nominal_wh, basis, steps, usable_wh, share: usable_wh / nominal_wh })
}

/// The mean of a curve by Simpson's rule in steps so fine that its corners do not matter.
fn mean(of: &dyn Fn(f64) -> f64, from: f64, to: f64) -> f64 {
    const STEPS: u32 = 1000;
    if to - from < 1e-9 {
        return of(from);
    }
    let at = |step: u32| of(from + (to - from) * f64::from(step) / f64::from(STEPS));
    let sum: f64 = (0..=STEPS)
        .map(|it| {
            at(it)
                * if it == 0 || it == STEPS {
                    1.0
                } else if it % 2 == 1 {
                    4.0
                } else {
                    2.0
                }
        })
        .sum();
    sum / (3.0 * f64::from(STEPS))
}

fn port(source: &Source, port: &Port, usable_wh: Option<f64>) -> PortFacts {
    let own = matches!(port.voltage, PortVoltage::Follows { .. });
    let idle_w = match port.loss.as_ref().and_then(|it| it.idle_w.as_ref()) {
        Some(it) => Some(it.get()),
        // Bare terminals cost nothing to be on.
        None if own || source.battery.is_none() => Some(0.0),
        None => None,
    };
    let mut limits: Vec<PortLimit> = port.limit.as_ref().map_or_else(Vec::new, |it| limits_of(it, None));
    if let Some(group) = source.groups.iter().find(|it| Some(&it.id) == port.group.as_ref()) {
        limits.extend(limits_of(&group.limit, Some(group.id.as_str())));
    }
    let mut unknown = Vec::new();
    if idle_w.is_none() {
        unknown.push("what it costs to be on".to_owned());
    }
    if limits.is_empty() && !own {
        unknown.push("its limit".to_owned());
    }
    if limits.iter().any(|it| it.overload.iter().any(|level| level.for_s.is_none())) {
        unknown.push("for how long it carries its peak".to_owned());
    }
    let idle_day_wh = idle_w.map(|it| it * 24.0);
    PortFacts {
        port: port.id.to_string(),
        label: port.label.clone().unwrap_or_else(|| port.id.to_string()),
        gives: gives(port),
        idle_w,
        idle_day_wh,
        share_of_store: idle_day_wh.zip(usable_wh).map(|(idle, usable)| idle / usable),
        limits,
        auto_off_below_w: port.auto_off.as_ref().map(|it| it.below_w.get()),
        unknown,
    }
}

fn gives(port: &Port) -> String {
    match &port.voltage {
        PortVoltage::Follows { .. } => "the battery's own voltage".into(),
        PortVoltage::Regulated { regulated_v } => format!("{} DC", amount(regulated_v.get(), "V")),
        PortVoltage::Alternating { ac_v, waveform } => {
            let wave = if *waveform == Some(Waveform::Stepped) { "a stepped wave" } else { "a sine" };
            format!("{} AC, {wave}", amount(ac_v.get(), "V"))
        }
        PortVoltage::Offers { offers_v } => {
            let volts: Vec<String> = offers_v.iter().map(|it| amount(it.get(), "")).collect();
            format!("{} V DC, as asked", volts.join(", "))
        }
    }
}

fn limits_of(limit: &Limit, group: Option<&str>) -> Vec<PortLimit> {
    let of =
        |unit: &'static str, continuous: Option<f64>, level: &dyn Fn(&crate::plan::port::Overload) -> Option<f64>| {
            let overload = limit
                .overload
                .iter()
                .filter_map(|it| Some(Carried { up_to: level(it)?, for_s: it.for_s.as_ref().map(Figure::get) }));
            continuous.map(|continuous| PortLimit {
                unit,
                continuous,
                overload: overload.collect(),
                group: group.map(str::to_owned),
            })
        };
    let amps = of("A", limit.continuous_a.as_ref().map(Figure::get), &|it| it.up_to_a.as_ref().map(Figure::get));
    let watts = of("W", limit.continuous_w.as_ref().map(Figure::get), &|it| it.up_to_w.as_ref().map(Figure::get));
    amps.into_iter().chain(watts).collect()
}

/// How long an input takes: at full acceptance to the chemistry's bend, then falling evenly to a tenth when full.
/// With P falling from P₀ to P₀/10 over the last share s, that share takes s·E/P₀ · ln 10/0.9.
fn input(source: &Source, input: &SourceInput, nominal_wh: Option<f64>) -> InputFacts {
    let chemistry: Option<&Chemistry> = source.battery.as_ref().and_then(|it| chemistry::find(&it.chemistry));
    let stored_share =
        input.efficiency.as_ref().map_or(1.0, Figure::get) * chemistry.map_or(1.0, |it| it.charge_efficiency);
    let by_band = input.bands.iter().map(|it| it.from_v.get() * it.max_a.get()).reduce(f64::max);
    let most = [input.max_w.as_ref().map(Figure::get), by_band];
    let most_w = input.max_w.as_ref().map(Figure::get).or_else(|| most.into_iter().flatten().reduce(f64::min));
    let bend = match source.battery.as_ref().map(|it| it.chemistry.as_str()) {
        Some("agm" | "flooded") => LEAD_TAPER,
        _ => LITHIUM_TAPER,
    };
    let hour_share = most_w.zip(nominal_wh).map(|(watts, wh)| watts * stored_share / wh).filter(|it| *it > 0.0);
    InputFacts {
        input: input.id.to_string(),
        most_w,
        stored_share,
        to_80_h: hour_share.map(|it| 0.6 / it),
        to_full_h: hour_share.map(|it| bend / it + (1.0 - bend) / it * 10.0_f64.ln() / 0.9),
    }
}

fn converter(plan: &Plan, converter: &Converter) -> ConverterFacts {
    let loss = converter.loss.as_ref();
    let law = Law::of(loss);
    let idle_w = loss.and_then(|it| it.idle_w.as_ref()).map(Figure::get);
    let bases = loss.map(|it| {
        [
            it.idle_w.as_ref().map(|it| it.basis),
            it.proportional.as_ref().map(|it| it.basis),
            it.quadratic_per_w.as_ref().map(|it| it.basis),
        ]
    });
    let basis = bases.and_then(|it| it.into_iter().flatten().min()).unwrap_or(Basis::Assumed);
    let most_w: f64 = converter.outputs.iter().filter_map(most_of).sum();
    let up_to = if most_w > 0.0 { most_w } else { 100.0 };
    // Nearer together at the low end, where the curve bends.
    let points = (0..POINTS).map(|it| up_to * (it as f64 / (POINTS - 1) as f64).powi(2));
    let mut unknown = Vec::new();
    if idle_w.is_none() {
        unknown.push("what it costs to be on".to_owned());
    }
    if loss.is_none_or(|it| it.proportional.is_none() && it.quadratic_per_w.is_none()) {
        unknown.push("what it loses with its load".to_owned());
    }
    let untimed = |it: &Port| it.limit.as_ref().is_some_and(|it| it.overload.iter().any(|it| it.for_s.is_none()));
    if converter.outputs.iter().any(untimed) {
        unknown.push("for how long it carries its peak".to_owned());
    }
    ConverterFacts {
        converter: converter.id.to_string(),
        idle_w,
        idle_day_wh: idle_w.map(|it| it * 24.0),
        basis,
        curve: points.map(|out_w| CurvePoint { out_w, in_w: law.input(out_w) }).collect(),
        carries: carries(plan, converter),
        unknown,
    }
}

/// The most that an output gives for ever, W, where it states it in watts or in amperes at a known voltage.
fn most_of(port: &Port) -> Option<f64> {
    let limit = port.limit.as_ref()?;
    let by_amps = || Some(limit.continuous_a.as_ref()?.get() * port.voltage.standing(None)?);
    limit.continuous_w.as_ref().map(Figure::get).or_else(by_amps)
}

fn carries(plan: &Plan, converter: &Converter) -> Vec<AtLoad> {
    let id = converter.id.as_str();
    let using = plan.arrangements.iter().filter(|it| it.feed_into(id).is_some());
    let flows = using.filter_map(|it| evaluate(plan, it, &Moment::Running, &Charge::full()).ok());
    let at_load = flows.filter_map(|flow| {
        let it = flow.converters.get(id)?;
        Some(AtLoad { arrangement: flow.arrangement.clone(), out_w: it.output_w, efficiency: it.efficiency })
    });
    at_load.collect()
}
