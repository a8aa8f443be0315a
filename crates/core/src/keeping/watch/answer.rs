//! What is told of an outage that is happening.

use crate::ground::say::Sentence;
use crate::site::figures::FigureAt;
use serde::Serialize;
use std::collections::BTreeMap;

/// A range: one in twenty is below, half, and one in twenty above.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Range {
    /// One in twenty is below this.
    pub p5: f64,
    /// Half are below this.
    pub p50: f64,
    /// One in twenty is above this.
    pub p95: f64,
}

/// How long a device still has.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Until {
    /// When it is first lost, hours since the outage began; its length where it is not.
    pub until_h: Range,
    /// The chance that it lasts the outage, 0 to 1.
    pub chance_of_outage: f64,
}

/// How full a store is now.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StoreNow {
    /// Its charge, 0 to 1.
    pub soc: Range,
}

/// What was learned of a figure.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Learned {
    /// The figure, as it stands in the plan.
    pub figure: FigureAt,
    /// What it is likely to be, in its unit, with its ± (half of the 95 % interval).
    pub to: [f64; 2],
    /// What it was taken to be.
    pub from: [f64; 2],
}

/// Something that does not fit.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Doubt {
    /// The source, or the item of the figure.
    pub item: String,
    /// What does not fit, and by how much.
    pub sentence: Sentence,
}

/// What happens next: as it goes in the middle of what is likely, when it does in half of the runs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "ComesNext")
)]
pub struct Next {
    /// When half of the runs have it behind them, hours since the outage began: as until when a
    /// device is on is told.
    pub at_h: f64,
    /// What.
    pub what: String,
    /// What it happens to.
    pub item: String,
    /// Why, nearest first.
    pub cause: Vec<Sentence>,
    /// How many of the same come before it.
    #[serde(skip)]
    pub(super) before: usize,
}

/// What switching a device off now wins for what matters more.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DropGain {
    /// The device that is switched off.
    pub device: String,
    /// The device that matters most of those that stay.
    pub winner: String,
    /// How much longer that one lasts, h.
    pub wins_h: f64,
}

/// A device that does harm by being off for long, and is off.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "RunningDeadline")
)]
pub struct Deadline {
    /// The device.
    pub device: String,
    /// Since when it is off, hours since the outage began.
    pub since_h: f64,
    /// When harm is done, hours since the outage began.
    pub harm_h: f64,
    /// What happens then, in its owner's words; nothing where nobody said.
    pub consequence: String,
    /// Whether a person has to look at it then before it may run again.
    pub inspect: bool,
}

/// A store's charge over time, and where it lies.
#[derive(Debug, Clone, Default, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Course {
    /// Hours since the outage began and charge, 0 to 1, from its beginning on: as it goes in the
    /// middle of what is likely, and from now on through the charge that half of the runs are
    /// below.
    pub middle: Vec<[f64; 2]>,
    /// From now on: hours, and the charge that one in twenty is below, and one in twenty above.
    pub band: Vec<[f64; 3]>,
    /// What is left in it as its floor, 0 to 1.
    pub floor: f64,
}

/// What a display makes of a store: what is in it over what flows now, down to empty. It knows no
/// floor, no schedule and no start.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Claim {
    /// The source.
    pub source: String,
    /// Hours from the last reading on.
    pub hours: f64,
    /// What it takes to flow, W.
    pub watts: f64,
    /// In a sentence, beside what is reckoned here.
    pub sentence: Sentence,
}

/// What is known at one moment of an outage.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Estimate {
    /// The moment, hours since the outage began.
    pub at_h: f64,
    /// When the first device is lost that nobody switched off, hours since the outage began.
    pub first_lost_h: Range,
    /// The devices by id.
    pub devices: BTreeMap<String, Until>,
    /// Why each device is lost in the middle of what is likely, nearest first.
    pub because: BTreeMap<String, Vec<Sentence>>,
    /// The stores by the ids of their sources.
    pub sources: BTreeMap<String, StoreNow>,
    /// What happens next; none where nothing does.
    pub next: Option<Next>,
    /// That and what follows it, in order; a few at most.
    pub coming: Vec<Next>,
    /// Devices that are off and must not be for long, the nearest first.
    pub deadlines: Vec<Deadline>,
    /// What each drop would win from here, most first.
    pub drops: Vec<DropGain>,
    /// How each store's charge goes, by the ids of their sources.
    pub courses: BTreeMap<String, Course>,
    /// What displays make of it.
    pub claims: Vec<Claim>,
    /// Figures that the readings say something of.
    pub learned: Vec<Learned>,
    /// What does not fit.
    pub doubts: Vec<Doubt>,
    /// Runs that count, of those that were drawn.
    pub runs_that_count: f64,
    /// The source of the store that each device hangs on now.
    #[serde(skip)]
    pub(super) hangs: BTreeMap<String, String>,
}
