//! What there is to run things from: what a store really gives, what an outlet costs just to be on, how long a
//! charge takes, and what a converter loses at what it really carries.
//!
//! # Layout
//! - `store`: from a label to what is usable; `outlets`: ports and their limits; `inputs`: charging
//! - `shelf`: converters

mod inputs;
mod outlets;
mod shelf;
mod store;

use crate::day::BeingOn;
use crate::figure::Basis;
use crate::limits::{Board, Carried};
use crate::needs::needs;
use crate::plan::{ConverterKind, Plan, Source};
use crate::say::{Amount, Sentence};
use outlets::Marks;
use serde::Serialize;

/// Everything that there is to run things from.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Supply {
    /// All of it in a sentence.
    pub headline: Sentence,
    /// For how long that is enough at most; none where nothing is stored or nothing must stay on.
    pub enough: Option<Sentence>,
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
    /// What is left from full down to the floor, or to where something gives up before, before any conversion, Wh.
    pub usable_wh: f64,
    /// The arrangement whose use it is told for, the heaviest; none where nothing hangs on it.
    pub used_in: Option<String>,
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
    pub words: Sentence,
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
    pub gives: Sentence,
    /// What it costs just to be on, W; none where nobody knows.
    pub idle_w: Option<f64>,
    /// The same in a day, left on, Wh.
    pub idle_day_wh: Option<f64>,
    /// What it costs in the arrangements that use it, as it is switched there and as it could be.
    pub being_on: Vec<BeingOn>,
    /// What it costs left on, as a share of what the store gives, 0 and more; none where that is not known.
    pub share_of_store: Option<f64>,
    /// Its limits.
    pub limits: Vec<PortLimit>,
    /// Below this output it turns itself off, W.
    pub auto_off_below_w: Option<f64>,
    /// After this long below it, s.
    pub auto_off_after_s: Option<f64>,
    /// The running outputs that it has in the arrangements, W; those below the threshold lose it.
    pub running: Vec<AtLoad>,
    /// What is not known of it and matters.
    pub unknown: Vec<Sentence>,
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
    /// It as a gauge board, with the marks of the arrangement that strains it most; no marks where none uses it.
    pub board: Board,
    /// That arrangement.
    pub arrangement: Option<String>,
    /// Below this running output the outlet turns itself off, in the same unit; none where it does not, or is shared.
    pub auto_off: Option<f64>,
}

/// One charging input.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InputFacts {
    /// Its id.
    pub input: String,
    /// What it takes, in words: its volts, its bands, what of it is stored.
    pub takes: Sentence,
    /// What is not known of it and matters.
    pub unknown: Vec<Sentence>,
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
    /// What it costs in the arrangements that use it, as it is switched there and as it could be.
    pub being_on: Vec<BeingOn>,
    /// The least sure basis of its loss law.
    pub basis: Basis,
    /// Power in for power out, up to its limit.
    pub curve: Vec<CurvePoint>,
    /// The law in words: "0.9 W + 5.5 % of the load + 1.5 W at 100 W, with its square".
    pub law: Sentence,
    /// What was measured, with the ± of its efficiency.
    pub points: Vec<MeasuredPoint>,
    /// The range of what was measured, W out; none without two points.
    pub measured_w: Option<[f64; 2]>,
    /// What it must be fed with, in words: its window, its cut-out and cut-in.
    pub window: Sentence,
    /// How it warms, in words; none where nothing is known.
    pub thermal: Option<Sentence>,
    /// The limits of its outputs, with the output that each is of.
    pub limits: Vec<OutputLimit>,
    /// What it carries while running, in the arrangements that use it.
    pub carries: Vec<AtLoad>,
    /// What is not known of it and matters.
    pub unknown: Vec<Sentence>,
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

/// A measured pair.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct MeasuredPoint {
    /// Power out, W.
    pub out_w: f64,
    /// Power out over power in, 0 to 1.
    pub efficiency: f64,
    /// Half-width of that, from both meters; none where neither states one.
    pub plus_minus: Option<f64>,
}

/// A limit of one output of a converter.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct OutputLimit {
    /// The output.
    pub port: String,
    /// Its limit.
    pub limit: PortLimit,
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
    /// Whether that lies outside of what was measured, where something was.
    pub outside: bool,
}

/// What a plan's sources and converters are good for, at the site's temperature.
pub fn supply(plan: &Plan) -> Supply {
    let marks = Marks::of(plan);
    let sources: Vec<SourceFacts> = plan.kit.sources.iter().map(|it| source(plan, it, &marks)).collect();
    let boxes = plan.kit.converters.iter().filter(|it| it.kind != ConverterKind::Junction);
    let converters = boxes.map(|it| shelf::converter(it, &marks)).collect();
    Supply {
        headline: headline(plan, &sources).into(),
        enough: enough(plan, &sources).map(Into::into),
        sources,
        converters,
    }
}

/// A first answer before anything is connected: what is stored over what the devices themselves take. Converters and
/// leads only take from it, so it is an upper bound, and is told as one.
fn enough(plan: &Plan, sources: &[SourceFacts]) -> Option<String> {
    let usable_wh: f64 = sources.iter().filter_map(|it| it.stored.as_ref()).map(|it| it.usable_wh).sum();
    let day_wh = needs(plan).day_wh;
    if usable_wh <= 0.0 || day_wh <= 0.0 {
        return None;
    }
    let hours = usable_wh / day_wh * 24.0;
    // An upper bound deserves no more than two digits.
    let time = if hours >= 72.0 { format!("{:.1} days", hours / 24.0) } else { format!("{hours:.0} h") };
    let stores = if sources.iter().filter(|it| it.stored.is_some()).count() == 1 {
        "the store lasts"
    } else {
        "all stores together last"
    };
    Some(format!(
        "What must stay on takes {} a day at the devices: {stores} {time} at most, before anything is lost on the way.",
        Amount(day_wh, "Wh")
    ))
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
    let labels = if stored.len() == 1 { "its label" } else { "their labels" };
    format!("{stores} {} of the {} on {labels}{cost}.", energy(usable), energy(label))
}

fn source(plan: &Plan, source: &Source, marks: &Marks) -> SourceFacts {
    let stored = source.battery.as_ref().and_then(|it| store::stored(plan, source, it));
    let usable_wh = stored.as_ref().map(|it| it.usable_wh).filter(|it| *it > 0.0);
    let nominal_wh = stored.as_ref().map(|it| it.nominal_wh);
    SourceFacts {
        source: source.id.to_string(),
        ports: source.ports.iter().map(|it| outlets::port(source, it, usable_wh, marks)).collect(),
        inputs: source.inputs.iter().map(|it| inputs::input(plan, source, it, nominal_wh)).collect(),
        stored,
    }
}
