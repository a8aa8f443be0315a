//! What came of an outage.

use crate::ground::say::Sentence;
use serde::Serialize;
use std::collections::BTreeMap;

/// Why a device is off that a rule of the outage dropped, or a person.
pub(crate) const SHED_BY_RULE: &str = "shed by rule";

/// How a device fared.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeviceRun {
    /// When it was first lost, hours after the start; none where it never was.
    pub down_at_h: Option<f64>,
    /// Why, in a few words.
    pub why: Option<String>,
    /// The same with what led to it, from the effect to its first cause.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub cause: Vec<Sentence>,
    /// How long it was on, h.
    pub up_h: f64,
    /// What it used, Wh.
    pub wh: f64,
    /// How often it was lost.
    pub losses: u32,
    /// How often it started anew by itself after a loss.
    pub restarts: u32,
    /// Whether nobody said what the gap at the switch does to it, so that it is taken to ride
    /// through.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub unsaid: bool,
    /// When harm was first done by its being off for too long, hours after the start; none where
    /// never.
    pub deadline_missed_h: Option<f64>,
    /// What it was doing, stretch by stretch.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub spans: Vec<StateSpan>,
}

/// What a device was doing for a while.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StateSpan {
    /// From, hours after the start.
    pub from_h: f64,
    /// To, hours after the start.
    pub to_h: f64,
    /// What.
    pub state: Doing,
}

/// What a device is doing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum Doing {
    /// On, in its ordinary state.
    On,
    /// Coming on.
    Starting,
    /// Off by its own clock or thermostat.
    Off,
    /// Off because something before it is switched off.
    Shut,
    /// Held back by a rule, or waiting for its turn to start.
    Held,
    /// Dropped.
    Shed,
    /// Without a feed.
    Down,
    /// Fed below its least voltage.
    Reset,
    /// Fed again, and coming back by itself.
    Restarting,
    /// Fed again, and waiting for a person.
    Latched,
    /// Off for so long that a person has to look before it may run.
    Inspect,
}

/// How a source fared.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SourceRun {
    /// Its charge at the end, 0 to 1.
    pub end_soc: f64,
    /// What was drawn from its terminals, Wh.
    pub drawn_wh: f64,
    /// What was stored in it meanwhile, Wh.
    pub charged_wh: f64,
    /// When it came to its floor, hours after the start; none where it never did.
    pub to_floor_h: Option<f64>,
    /// When it was cut off, hours after the start; none where it never was.
    pub to_cut_off_h: Option<f64>,
    /// Its charge over time: hours and 0 to 1; nothing unless it was asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub series: Vec<[f64; 2]>,
}

impl SourceRun {
    /// Its lowest charge in the series, 0 to 1; that at the end where there is none.
    pub(super) fn lowest(&self) -> f64 {
        self.series
            .iter()
            .map(|it| it[1])
            .fold(self.end_soc, f64::min)
    }

    /// Its charge at a time, 0 to 1, straight between the points of its series; none outside them.
    pub(super) fn charge_at(&self, at_h: f64) -> Option<f64> {
        let place = self.series.partition_point(|it| it[0] < at_h);
        let after = self.series.get(place)?;
        let Some(before) = place.checked_sub(1).map(|it| self.series[it]) else {
            return Some(after[1]);
        };
        let part = if after[0] > before[0] {
            (at_h - before[0]) / (after[0] - before[0])
        } else {
            1.0
        };
        Some(before[1] + (after[1] - before[1]) * part)
    }

    /// When its charge first rises to a value after a time, hours; none where it does not. Straight
    /// between the points of its series, so that it does not hang on how many there are.
    pub(super) fn rises_to(&self, soc: f64, after_h: f64) -> Option<f64> {
        self.series.windows(2).find_map(|pair| {
            let [[from_h, from], [to_h, to]] = [pair[0], pair[1]];
            if to_h <= after_h || from >= soc || to < soc {
                return None;
            }
            Some(from_h + (to_h - from_h) * (soc - from) / (to - from))
        })
    }
}

/// How a switch fared.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SwitchRun {
    /// How long it was on, h.
    pub on_h: f64,
    /// How often it was switched, on or off.
    pub turns: u32,
    /// Whether a person has to do that.
    pub by_hand: bool,
    /// When it was on, hours after the start: from and to.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub spans: Vec<[f64; 2]>,
}

/// Where the energy went, Wh. What is drawn is what is delivered and lost: the balance closes to a
/// millionth.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Energy {
    /// To devices.
    pub delivered_wh: f64,
    /// Into charging inputs that hang on other sources.
    pub charging_wh: f64,
    /// Lost in converters and ports with their load.
    pub conversion_wh: f64,
    /// Lost because things are switched on.
    pub idle_wh: f64,
    /// Lost in leads.
    pub cables_wh: f64,
    /// From all sources, the mains among them.
    pub drawn_wh: f64,
    /// What of that the mains and generators gave.
    pub mains_wh: f64,
    /// Lost inside the stores, beside what is drawn.
    pub internal_wh: f64,
}

/// Something that happened.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Event {
    /// Hours after the start.
    pub at_h: f64,
    /// What: floor, cut-off, low-voltage cut-out, cut-in, input below minimum, auto-off, trip,
    /// fuse, shed, switchover, by hand, out of fuel, deadline passed, restart.
    pub what: String,
    /// What it happened to: a source, a converter, a device, or a port as `source/port`.
    pub item: String,
    /// What led to it, nearest first.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub cause: Vec<Sentence>,
}

/// Everything at even moments, to be read at one time.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Series {
    /// The moments, hours after the start.
    pub at_h: Vec<f64>,
    /// Whether the mains is there.
    pub mains: Vec<bool>,
    /// What each device draws, W.
    pub device_w: BTreeMap<String, Vec<f64>>,
    /// What each device gets, V; 0 where it gets none.
    pub device_v: BTreeMap<String, Vec<f64>>,
    /// What is drawn from each source, W.
    pub source_w: BTreeMap<String, Vec<f64>>,
    /// Voltage at the terminals of each store with cells, V.
    pub source_v: BTreeMap<String, Vec<f64>>,
    /// What is being stored in each store, W.
    pub charged_w: BTreeMap<String, Vec<f64>>,
    /// Charge of each store, 0 to 1.
    pub soc: BTreeMap<String, Vec<f64>>,
}

/// An outage, as it came.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Simulation {
    /// The devices by id.
    pub devices: BTreeMap<String, DeviceRun>,
    /// The sources that store something, by id.
    pub sources: BTreeMap<String, SourceRun>,
    /// What is on only while it is needed, by its item or `source/port`.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub switching: BTreeMap<String, SwitchRun>,
    /// Where the energy went.
    pub energy: Energy,
    /// What happened, in order.
    pub events: Vec<Event>,
    /// What keeps switching on and off without end, and the figure that makes it so, in a sentence;
    /// nothing where the outage settles, as it should.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub unsettled: Option<Sentence>,
    /// Everything at even moments; nothing unless it was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub series: Option<Series>,
}
