//! What is told of sources, outlets, inputs and converters.

use crate::ground::figure::Basis;
use crate::ground::say::Sentence;
use crate::limits::{Board, Carried};
use crate::time::day::BeingOn;
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
    /// By its label, Wh: rated ampere-hours at the chemistry's nominal voltage, or its rated
    /// energy.
    pub nominal_wh: f64,
    /// Where the label's figure comes from.
    pub basis: Basis,
    /// What takes from it, or adds to it, one after the other.
    pub steps: Vec<StoreStep>,
    /// What is left from full down to the floor, or to where something gives up before, before any
    /// conversion, Wh.
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
    /// What it costs left on, as a share of what the store gives, 0 and more; none where that is
    /// not known.
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
    /// It as a gauge board, with the marks of the arrangement that strains it most; no marks where
    /// none uses it.
    pub board: Board,
    /// That arrangement.
    pub arrangement: Option<String>,
    /// Below this running output the outlet turns itself off, in the same unit; none where it does
    /// not, or is shared.
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
