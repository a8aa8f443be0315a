//! How a store gets full again, by what is really wired.
//!
//! Whatever is wired into an input of a store fills it, through its converters, leads, ports, bands and modes, while
//! everything else of the arrangement draws; nothing else does. It is the march of an outage, begun at a charge and ended at
//! another. What is not wired is offered as what could be: put in, marched and judged before it is told.
//!
//! # Layout
//! - this file: what is asked and answered; `wiring`: the arrangement made ready for it; `words`: what holds an input down
//! - `offers`: what is not wired; `fills`: which source into which input by which converter

mod fills;
mod offers;
mod wiring;
mod words;

pub use fills::{FillCell, FillFrom, Fills, HoursTo, MOST_CELLS, Refusal, fills};
pub use offers::Offer;

use crate::json::words as named;
use crate::outage::{Filled, Setting, Sky, clocked, fill};
use crate::plan::{Arrangement, Outage, Plan, SourceKind};
use crate::say::{Name, Sentence};
use serde::Serialize;
use std::collections::BTreeMap;
use wiring::Ready;

/// A step of a charge that is told takes no more of the store than this.
const MOST_SHARE: f64 = 0.005;

named!(
    /// What holds a charge down.
    LimitKind {
        /// Nothing comes.
        Dark = "dark",
        /// The store is too cold.
        Cold = "cold",
        /// It takes the less the fuller it is.
        Taper = "taper",
        /// What the store takes, or may be charged with.
        Store = "store",
        /// A port or a group gives no more.
        Port = "port",
        /// An alternator may give no more.
        Alternator = "alternator",
        /// The sun.
        Light = "light",
        /// Shade on a panel.
        Shade = "shade",
        /// A panel in full light.
        Panel = "panel",
        /// A band of the input.
        Band = "band",
        /// The input's own most.
        Input = "input",
        /// The mode that the input is set to.
        Mode = "mode",
        /// The lead.
        Lead = "lead",
        /// Less than the input's least voltage.
        Voltage = "voltage",
        /// Nobody states a limit.
        Unstated = "unstated",
    }
);

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct RechargeAsk {
    /// The source that is filled, by its id.
    pub source: String,
    /// Charge at the beginning, 0 to 1.
    pub from_soc: f64,
    /// Charges whose hours are wanted, 0 to 1.
    pub levels: Vec<f64>,
    /// How an input (`station/wall`) or a vehicle (`van`: `idle` or `full`) is set.
    pub modes: BTreeMap<String, String>,
    /// Whether the mains is there.
    pub mains: bool,
    /// The sky over panels.
    pub sky: Sky,
    /// Tilt of panels from level, °, 0 to 90.
    pub tilt_deg: f64,
    /// Whether what is not wired is looked for.
    pub offers: bool,
}

impl RechargeAsk {
    /// From a tenth to half, four fifths and full, with the mains there, under the sky that an outage takes.
    pub fn of(source: &str) -> Self {
        Self {
            source: source.to_owned(),
            from_soc: 0.1,
            levels: vec![0.5, 0.8, 1.0],
            modes: BTreeMap::new(),
            mains: true,
            sky: Sky::Usual,
            tilt_deg: 50.0,
            offers: true,
        }
    }
}

/// When a charge is reached, and what it took.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ReachedLevel {
    /// The charge, 0 to 1.
    pub soc: f64,
    /// Hours from the beginning; none where it is never reached.
    pub after_h: Option<f64>,
    /// Taken from what charges it, Wh.
    pub taken_wh: f64,
    /// What that costs, in the site's currency, where it is known.
    pub cost: Option<f64>,
    /// Fuel burnt, l, where something burns.
    pub fuel_l: Option<f64>,
}

/// What holds an input down from one moment on.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WayLimit {
    /// From this many hours after the beginning.
    pub at_h: f64,
    /// At this charge, 0 to 1.
    pub soc: f64,
    /// What comes in then, W.
    pub watts: f64,
    /// What kind of limit it is.
    pub kind: LimitKind,
    /// It in words.
    pub limited_by: Sentence,
}

/// What is wired into one input.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WayIn {
    /// The input, as `source/input`.
    pub input: String,
    /// What it is fed from, in words: "Van → Step-up".
    pub label: String,
    /// The source that it begins at and the converters that it goes through, by their ids.
    pub chain: Vec<String>,
    /// What comes in at the beginning, W.
    pub watts: f64,
    /// The current then, A.
    pub amps: f64,
    /// The voltage then, V.
    pub volts: f64,
    /// The voltage from which its band applies, V; none where it has no bands.
    pub band: Option<f64>,
    /// What it is set to; none where it has no modes.
    pub mode: Option<String>,
    /// What holds it down at the beginning.
    pub limited_by: Sentence,
    /// That, and what holds it down later on.
    pub limits: Vec<WayLimit>,
    /// What came in by it, Wh.
    pub input_wh: f64,
    /// What was taken for it where its chain begins, Wh.
    pub taken_wh: f64,
}

/// A store filled by what is wired into it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Recharged {
    /// The source, by its id.
    pub source: String,
    /// Charge at the beginning, 0 to 1.
    pub from: f64,
    /// When each charge is reached.
    pub levels: Vec<ReachedLevel>,
    /// What went into the store, Wh.
    pub stored_wh: f64,
    /// What was taken from what charges it, Wh.
    pub taken_wh: f64,
    /// What that costs, in the site's currency, where it is known.
    pub cost: Option<f64>,
    /// Fuel burnt, l, where something burns.
    pub fuel_l: Option<f64>,
    /// What was drawn from the store meanwhile, Wh.
    pub drawn_wh: f64,
    /// Its charge over time: hours, and 0 to 1.
    pub curve: Vec<[f64; 2]>,
    /// What is wired into it.
    pub ways: Vec<WayIn>,
    /// Fuses that open and breakers that trip on the way.
    pub opened: Vec<Sentence>,
    /// What trips by the limits on the way in, whatever is charged.
    pub trips: Vec<Sentence>,
    /// All of it in a sentence.
    pub sentence: Sentence,
    /// What is not wired and would be faster, each put in, marched and judged; the fastest first.
    pub not_wired: Vec<Offer>,
}

/// A part of what was asked that cannot be: the field, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refused {
    /// The field: `source`, `from`, `to`, `mode`, `tilt`.
    pub field: &'static str,
    /// What is wrong, and the remedy.
    pub why: String,
}

impl Refused {
    fn of(field: &'static str, why: String) -> Self {
        Self { field, why }
    }
}

/// Fills a store by what an arrangement wires into it, with what is drawn meanwhile. By the outage's start for the sun and
/// its temperature for the cold; without one by the site's temperature, and the sun of the equinox.
///
/// # Errors
/// Names the part of what was asked that cannot be.
pub fn recharge(
    plan: &Plan,
    way: &Arrangement,
    outage: Option<&Outage>,
    ask: &RechargeAsk,
) -> Result<Recharged, Refused> {
    let ready = Ready::of(plan, way, outage, ask)?;
    let mut told = carried_out(&ready, ask);
    if ask.offers {
        let full_h = told.levels.last().and_then(|it| it.after_h);
        told.not_wired = offers::offers(plan, &ready, ask, full_h);
    }
    Ok(told)
}

/// The march of a ready arrangement, told.
fn carried_out(ready: &Ready, ask: &RechargeAsk) -> Recharged {
    let (plan, way) = (&ready.plan, &ready.way);
    let mut setting = Setting::of(plan, way, &ready.outage);
    setting.under(ask.sky, ask.tilt_deg);
    let mut levels = ask.levels.clone();
    levels.sort_by(f64::total_cmp);
    levels.dedup();
    let found = fill(&setting, &ask.source, &levels, MOST_SHARE);
    let found = found.unwrap_or_else(|| Filled::nothing(&levels, ask.from_soc));
    let costs = Costs::of(plan, way, &setting, &found);
    let reached: Vec<ReachedLevel> = found
        .levels
        .iter()
        .map(|it| {
            let (cost, fuel_l) = costs.at(&it.taken_wh, &it.burnt_l);
            let taken_wh = it.taken_wh.iter().sum();
            ReachedLevel { soc: it.soc, after_h: it.at_h, taken_wh, cost, fuel_l }
        })
        .collect();
    let ways: Vec<WayIn> = found.inputs.iter().map(|it| words::way_in(plan, way, it)).collect();
    let last = reached.last();
    let mut told = Recharged {
        source: ask.source.clone(),
        from: ask.from_soc,
        stored_wh: found.stored_wh,
        taken_wh: found.inputs.iter().map(|it| it.wh[1]).sum(),
        cost: last.and_then(|it| it.cost),
        fuel_l: last.and_then(|it| it.fuel_l),
        drawn_wh: found.drawn_wh,
        levels: reached,
        curve: found.curve,
        ways,
        opened: found.opened,
        trips: wiring::trips(plan, way, &ask.source),
        sentence: Sentence::default(),
        not_wired: Vec::new(),
    };
    told.sentence = words::sentence(plan, way, &ready.outage, &told);
    told
}

/// What is taken at each root, in money and fuel.
struct Costs {
    /// By input: what a Wh costs; none where it costs nothing that is known.
    per_wh: Vec<Option<f64>>,
    /// By source of the network: what it burns, where it burns something.
    burns: Vec<Option<Burns>>,
}

/// Something that burns fuel, and what a litre costs, where that is known.
#[derive(Debug, Clone, Copy)]
struct Burns {
    per_l: Option<f64>,
}

impl Costs {
    fn of(plan: &Plan, way: &Arrangement, setting: &Setting<'_>, found: &Filled) -> Self {
        let price = plan.site.energy_price.as_ref().map(|it| it.per_kwh.get() / 1000.0);
        let roots: Vec<&str> = found.inputs.iter().map(|it| wiring::root(way, it.feed)).collect();
        let per_wh = roots.iter().map(|root| match plan.source(root).map(|it| it.kind) {
            Some(SourceKind::Mains) => price,
            // What an engine burns is counted by the litre, and the sun costs nothing.
            Some(SourceKind::Generator | SourceKind::Panel) => Some(0.0),
            Some(SourceKind::Vehicle) => plan.source(root)?.engine.as_ref().map(|_| 0.0),
            _ => None,
        });
        let per_wh = per_wh.collect();
        let burns = setting.network_sources().map(|id| {
            let engine = plan.source(id).filter(|_| roots.contains(&id))?.engine.as_ref()?;
            Some(Burns { per_l: engine.price_per_l.as_ref().map(crate::figure::Figure::get) })
        });
        Self { per_wh, burns: burns.collect() }
    }

    /// Cost and fuel of what was taken and burnt.
    fn at(&self, taken_wh: &[f64], burnt_l: &[f64]) -> (Option<f64>, Option<f64>) {
        let by_input = taken_wh
            .iter()
            .zip(&self.per_wh)
            .map(|(wh, price)| if *wh > 0.0 { Some(wh * (*price)?) } else { Some(0.0) });
        let burning: Vec<(f64, Option<f64>)> =
            burnt_l.iter().zip(&self.burns).filter_map(|(litres, it)| Some((*litres, (*it)?.per_l))).collect();
        let by_fuel = burning.iter().map(|(litres, price)| price.map(|it| it * litres));
        if self.per_wh.is_empty() {
            return (None, None);
        }
        let cost = by_input.chain(by_fuel).try_fold(0.0, |sum, it| Some(sum + it?));
        let fuel = (!burning.is_empty()).then(|| burning.iter().map(|it| it.0).sum());
        (cost, fuel)
    }
}

/// Hours in words, for sentences: "3 h 40 min".
fn hours(after_h: f64) -> Sentence {
    clocked(after_h)
}

/// A source by its name.
fn name<'a>(plan: &'a Plan, id: &'a str) -> Name<'a> {
    Name(plan.label(id))
}
