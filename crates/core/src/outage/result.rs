//! What came of an outage.

use serde::Serialize;
use std::collections::BTreeMap;

/// How a device fared.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeviceRun {
    /// When it was first lost, hours after the start; none where it never was.
    pub down_at_h: Option<f64>,
    /// Why, in a few words.
    pub why: Option<String>,
    /// How long it was on, h.
    pub up_h: f64,
    /// What it used, Wh.
    pub wh: f64,
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
    /// Its charge over time: hours and 0 to 1; nothing unless it was asked for.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub series: Vec<[f64; 2]>,
}

/// Where the energy went, Wh. What is drawn is what is delivered and lost: the balance closes to a millionth.
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
    /// From the terminals of all sources.
    pub drawn_wh: f64,
    /// Lost inside the stores, beside what is drawn.
    pub internal_wh: f64,
}

/// Something that happened.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Event {
    /// Hours after the start.
    pub at_h: f64,
    /// What: floor, cut-off, low-voltage cut-out, input below minimum, auto-off, shed.
    pub what: String,
    /// What it happened to: a source, a converter, a device, or a port as `source/port`.
    pub item: String,
}

/// An outage, as it came.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Simulation {
    /// The devices by id.
    pub devices: BTreeMap<String, DeviceRun>,
    /// The sources that store something, by id.
    pub sources: BTreeMap<String, SourceRun>,
    /// Where the energy went.
    pub energy: Energy,
    /// What happened, in order.
    pub events: Vec<Event>,
}
