//! Bodies of questions about outages.

use super::plan::Unsaved;
use ash_pond_core::advice::charge::{Fills, Recharged};
use ash_pond_core::site::plan::Outage;
use ash_pond_core::time::outage::{Chances, OutageTold, ShedBoard, Starts};
use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Puts the schemas of these bodies into a generator.
pub(crate) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<OutageQuestion>();
    generator.subschema_for::<OutageTold>();
    generator.subschema_for::<ChancesQuestion>();
    generator.subschema_for::<ChancesTold>();
    generator.subschema_for::<RunsDone>();
    generator.subschema_for::<ShedQuestion>();
    generator.subschema_for::<ShedBoard>();
    generator.subschema_for::<StartsQuestion>();
    generator.subschema_for::<Starts>();
    generator.subschema_for::<RechargeQuestion>();
    generator.subschema_for::<Recharged>();
    generator.subschema_for::<FillsQuestion>();
    generator.subschema_for::<Fills>();
    generator.subschema_for::<ReadyOutages>();
}

/// A device that is dropped.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DropDevice {
    /// The device, by its id.
    pub(crate) device: String,
    /// The charge of its store below which it is dropped, 0 to 1; at the start where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) below_soc: Option<f64>,
}

/// Which outage of which arrangement is asked for.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct OutageQuestion {
    /// The arrangement, by its id.
    pub(crate) arrangement: String,
    /// The outage, by its id.
    pub(crate) outage: String,
    /// Devices that are dropped on top of what its rules do.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) drop: Vec<DropDevice>,
    /// Whether everything is used, whatever the outage says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) use_everything: Option<bool>,
    /// Moments in the series; 288 where left out, 2000 at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) moments: Option<u32>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// How often an outage is marched through, over draws from the figures.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ChancesQuestion {
    /// Which outage.
    pub(crate) of: OutageQuestion,
    /// Runs, 1 to 20000.
    pub(crate) runs: usize,
    /// The seed.
    pub(crate) seed: u64,
}

/// How far the runs are; the data of events named `progress`.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub(crate) struct RunsDone {
    /// Runs that are done.
    pub(crate) done: usize,
    /// Runs that were asked for.
    pub(crate) of: usize,
}

/// How sure the answer is; the data of the last event, named `done`.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub(crate) struct ChancesTold {
    /// The answer with its range, in a sentence.
    pub(crate) headline: String,
    /// What owns the spread of the device that it is all for, in a sentence.
    pub(crate) owner: Option<String>,
    /// All of it.
    pub(crate) chances: Chances,
    /// Whether it was known already.
    pub(crate) cached: bool,
}

/// What dropping buys.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ShedQuestion {
    /// Which outage.
    pub(crate) of: OutageQuestion,
    /// Devices whose dropping is looked at as one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) together: Vec<String>,
    /// The charge of its own store below which each is dropped, 0 to 1; at the start where left
    /// out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) below_soc: Option<f64>,
}

/// In which order everything starts.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct StartsQuestion {
    /// Which outage.
    pub(crate) of: OutageQuestion,
    /// Charge of stores after the return by source, 0 to 1; full where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
}

/// How a store fills up again.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RechargeQuestion {
    /// The arrangement whose wiring fills it, by its id.
    pub(crate) arrangement: String,
    /// The outage whose date and temperature it is done at, by its id; the site's temperature at
    /// the equinox where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// The source that is filled, by its id.
    pub(crate) source: String,
    /// Charge at the beginning, 0 to 1.
    pub(crate) from_soc: f64,
    /// Charges whose hours are wanted, 0 to 1; half, four fifths and full where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) levels: Vec<f64>,
    /// How an input (`station/wall`: one of its modes) or a vehicle (`van`: `idle` or `full`) is
    /// set.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) modes: BTreeMap<String, String>,
    /// Whether the mains is out; it is there where left out.
    #[serde(default)]
    pub(crate) no_mains: bool,
    /// Whether the sky over panels is clear; it is overcast where left out.
    #[serde(default)]
    pub(crate) clear: bool,
    /// Tilt of panels from level, °; 50 where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) tilt_deg: Option<f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// Asks what fills what.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FillsQuestion {
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// Outages to start from.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub(crate) struct ReadyOutages {
    /// Each of them.
    pub(crate) outages: Vec<Outage>,
}
