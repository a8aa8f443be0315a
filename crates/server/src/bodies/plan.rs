//! Bodies of sites and their plans.

use ash_pond_core::bench::walk::Walk;
use ash_pond_core::limits::{Checked, Silence};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::Revised;
use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize, Serializer};
use serde_json::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Puts the schemas of these bodies into a generator.
pub(super) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<FileBytes>();
    generator.subschema_for::<Health>();
    generator.subschema_for::<Site>();
    generator.subschema_for::<Sites>();
    generator.subschema_for::<Created>();
    generator.subschema_for::<RevisedPlan>();
    generator.subschema_for::<ElementBody>();
    generator.subschema_for::<Walked>();
    generator.subschema_for::<Journal>();
    generator.subschema_for::<Question>();
    generator.subschema_for::<WorkingQuestion>();
    generator.subschema_for::<CheckQuestion>();
    generator.subschema_for::<NeedsQuestion>();
    generator.subschema_for::<EntryQuestion>();
    generator.subschema_for::<EntryTargets>();
    generator.subschema_for::<ChangeSet>();
    generator.subschema_for::<NewName>();
    generator.subschema_for::<FitsQuestion>();
    generator.subschema_for::<ImportQuestion>();
    generator.subschema_for::<ClaimQuestion>();
    generator.subschema_for::<CapacityQuestion>();
    generator.subschema_for::<CheckedPlan>();
    generator.subschema_for::<CompareQuestion>();
    generator.subschema_for::<CrossingsQuestion>();
    generator.subschema_for::<DifferenceQuestion>();
    generator.subschema_for::<StagesQuestion>();
    generator.subschema_for::<WalkQuestion>();
    generator.subschema_for::<WalkReading>();
    generator.subschema_for::<Walking>();
}

/// A file, byte for byte.
#[derive(JsonSchema)]
#[schemars(transparent, extend("format" = "binary"))]
pub(crate) struct FileBytes(#[expect(dead_code, reason = "only described")] String);

/// Whether the server is well.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Health {
    /// `well`.
    pub(crate) status: String,
    /// The version of the server.
    pub(crate) version: String,
}

/// A site in the list.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(rename = "SiteRow")]
pub(crate) struct Site {
    /// Its id.
    pub(crate) id: String,
    /// What it is called.
    pub(crate) name: String,
    /// Its counter of changes.
    pub(crate) revision: i64,
}

/// Every site.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Sites {
    /// By name.
    pub(crate) sites: Vec<Site>,
    /// Those that were removed and can be brought back, by name.
    pub(crate) removed: Vec<Site>,
}

/// What a site is to be called.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewName {
    /// The name, 1 to 200 characters.
    pub(crate) name: String,
}

/// What can be done next in an arrangement.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FitsQuestion {
    /// The arrangement, by id.
    pub(crate) arrangement: String,
    /// The device or converter that is to be fed; or leave it out and give `from`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) to: Option<String>,
    /// The port that something is to follow.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) from: Option<FromPort>,
    /// Length of the leads that are proposed, m; above 0.
    pub(crate) length_m: f64,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// A port of an item.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FromPort {
    /// The source or converter.
    pub(crate) item: String,
    /// Its port.
    pub(crate) port: String,
}

/// What is to be imported.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ImportQuestion {
    /// A plan file, a CSV file, or rows pasted from a spreadsheet.
    pub(crate) text: String,
    /// devices, sources or converters; told by the header where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) table: Option<String>,
    /// Whether a comma is the decimal mark, and a point parts thousands.
    #[serde(default)]
    pub(crate) decimal_comma: bool,
}

/// What a label says of how a thing converts.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ClaimQuestion {
    /// The kind of converter; left out for an outlet of a source.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) kind: Option<String>,
    /// Whether it gives alternating current.
    #[serde(default)]
    pub(crate) alternating: bool,
    /// The most that it gives for ever, W; above 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) rated_w: Option<f64>,
    /// Stated efficiency, above 0 to 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) efficiency: Option<f64>,
    /// Stated draw at no load, W.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) standby_w: Option<f64>,
}

/// What a person typed for the size of a store.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CapacityQuestion {
    /// The source.
    pub(crate) source: String,
    /// The text as it was typed.
    pub(crate) text: String,
    /// Whether a comma is the decimal mark, and a point parts thousands.
    #[serde(default)]
    pub(crate) decimal_comma: bool,
}

/// The site that was made.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Created {
    /// Its id.
    pub(crate) id: String,
}

/// A plan with its revisions.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RevisedPlan {
    /// The site's counter of changes.
    pub(crate) revision: i64,
    /// The plan.
    #[serde(serialize_with = "shared")]
    #[schemars(with = "Plan")]
    pub(crate) plan: Arc<Plan>,
    /// The revision of each element, by kind and id.
    pub(crate) revisions: BTreeMap<String, BTreeMap<String, i64>>,
}

/// What is shared is told as what it is.
fn shared<S: Serializer>(plan: &Arc<Plan>, to: S) -> Result<S::Ok, S::Error> {
    plan.serialize(to)
}

impl From<Revised> for RevisedPlan {
    fn from(site: Revised) -> Self {
        let mut revisions: BTreeMap<String, BTreeMap<String, i64>> = BTreeMap::new();
        for element in site.elements.iter() {
            revisions
                .entry(element.kind.word().into())
                .or_default()
                .insert(element.id.clone(), element.revision);
        }
        Self {
            revision: site.revision,
            plan: site.plan,
            revisions,
        }
    }
}

/// One element.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ElementBody {
    /// Its revision, for `If-Match`.
    pub(crate) revision: i64,
    /// Its body, as in the plan file.
    pub(crate) body: Value,
}

/// What undo or redo did.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Walked {
    /// The step's words.
    pub(crate) words: String,
    /// The site afterwards.
    pub(crate) site: RevisedPlan,
}

/// The steps that can be undone or done again.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Journal {
    /// Latest first.
    pub(crate) steps: Vec<JournalStep>,
}

/// One step.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct JournalStep {
    /// Its number, rising.
    pub(crate) step: i64,
    /// What it did.
    pub(crate) words: String,
    /// Whether it is undone now.
    pub(crate) undone: bool,
}

/// What is asked of arrangements.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Question {
    /// The arrangements, by id.
    pub(crate) arrangements: Vec<String>,
    /// The moment, such as `running` or `starting heater`; `running` where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) moment: Option<String>,
    /// State of charge by source, 0 to 1; full where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
    /// Changes that are not saved, so that an edit can be looked at before it is.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// A change that is not saved.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Unsaved {
    /// The element's kind.
    pub(crate) kind: String,
    /// Its id.
    pub(crate) id: String,
    /// Its body; null removes it.
    pub(crate) body: Value,
}

/// Which number's working is asked for.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WorkingQuestion {
    /// The arrangement, moment, charge and unsaved changes; one arrangement.
    pub(crate) question: Question,
    /// The number, such as `feeds.gate-camera.far_v`.
    pub(crate) key: String,
}

/// Which arrangements are checked against everything.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CheckQuestion {
    /// The arrangements, by id; every one of the plan where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) arrangements: Option<Vec<String>>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// What the limits say of arrangements.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub(crate) struct CheckedPlan {
    /// One after the other, in the order asked.
    pub(crate) arrangements: Vec<Checked>,
    /// What merely nobody stated, once for each kind over all of them.
    pub(crate) unstated: Vec<Silence>,
}

/// Which arrangements are compared, and over what.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CompareQuestion {
    /// Two arrangements or more of the same devices, by id.
    pub(crate) arrangements: Vec<String>,
    /// The outage, by id; a day where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// State of charge by source, 0 to 1, for a day; full where left out. An outage has its own.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
    /// How often the day or the outage comes in a week, above 0 to 168: how many years each store
    /// lasts is told then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) uses_a_week: Option<f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// Where two arrangements cross, and over what.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CrossingsQuestion {
    /// Two arrangements of the same devices, by id.
    pub(crate) arrangements: [String; 2],
    /// What changes: load, hours, charge, length or idle.
    pub(crate) over: String,
    /// The device whose load or hours change; all of them where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) device: Option<String>,
    /// The lead by what it leads to, or the converter or `source/port` that is idle; chosen where
    /// left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) item: Option<String>,
    /// From this value; chosen where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) from: Option<f64>,
    /// To this value; chosen where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) to: Option<f64>,
    /// Whether to tell how far the figures' ± move the curves and their crossings.
    #[serde(default)]
    pub(crate) band: bool,
    /// State of charge by source, 0 to 1; full where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// What a change would do to an arrangement.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DifferenceQuestion {
    /// The arrangement, by id.
    pub(crate) arrangement: String,
    /// The change, as changes of elements; `changes` are under it.
    pub(crate) then: Vec<Unsaved>,
    /// State of charge by source, 0 to 1; full where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// What can be done at one feed of a chain.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct StagesQuestion {
    /// The arrangement, by id.
    pub(crate) arrangement: String,
    /// What the feed leads to, as in the plan: an item, or `source/input`.
    pub(crate) to: String,
    /// Length of new leads, m; above 0.
    pub(crate) length_m: f64,
    /// State of charge by source, 0 to 1; full where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// A walk along the joints of an arrangement.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WalkQuestion {
    /// The arrangement, by id.
    pub(crate) arrangement: String,
    /// State of charge by source, 0 to 1, taken to be known to a tenth; full where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
    /// The history is told from before the reading with this number on, as `earlier` of the page
    /// before says it; from the latest where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) before: Option<i64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// A reading on a walk.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WalkReading {
    /// The arrangement, by id.
    pub(crate) arrangement: String,
    /// State of charge by source, 0 to 1, taken to be known to a tenth; full where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) soc: BTreeMap<String, f64>,
    /// The joint, by its key.
    pub(crate) joint: String,
    /// What the meter shows, V, red probe where plus should be; RMS for AC.
    pub(crate) volts: f64,
    /// Whether a new walk begins with it; the readings of earlier ones are kept, and no longer
    /// count.
    #[serde(default)]
    pub(crate) again: bool,
}

/// A walk, with its earlier readings.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Walking {
    /// The walk as it stands.
    pub(crate) walk: Walk,
    /// Readings that were taken, of this walk and of earlier ones, the latest first: two hundred at
    /// most.
    pub(crate) history: Vec<WalkTaken>,
    /// What to ask for as `before` to be told what was taken before these; none where that is all.
    pub(crate) earlier: Option<i64>,
}

/// A reading that was taken.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct WalkTaken {
    /// Which walk it belongs to, counted from 1.
    pub(crate) walk: i64,
    /// The joint, by its key.
    pub(crate) joint: String,
    /// Volts read.
    pub(crate) volts: f64,
    /// The least that was expected, V.
    pub(crate) low_v: Option<f64>,
    /// The most that was expected, V.
    pub(crate) high_v: Option<f64>,
    /// What it said.
    pub(crate) shows: String,
    /// When, as ISO 8601.
    pub(crate) at: String,
}

/// What is asked of the devices.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NeedsQuestion {
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// What a person typed for a figure.
#[expect(
    clippy::struct_excessive_bools,
    reason = "each says how one kind of bare number is read"
)]
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct EntryQuestion {
    /// The text as it was typed.
    pub(crate) text: String,
    /// What it is to be: watts, volts, amps, watt-hours, amp-hours, seconds, milliseconds, minutes,
    /// share, celsius, degrees, metres, area, ohms or plain.
    pub(crate) target: String,
    /// The voltage that goes with amperes that name none, V; above 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) volts: Option<f64>,
    /// Whether it is what a device draws while running, which a label overstates.
    #[serde(default)]
    pub(crate) running: bool,
    /// Whether a comma is the decimal mark, and a point parts thousands.
    #[serde(default)]
    pub(crate) decimal_comma: bool,
    /// Whether a temperature without a unit is in °F.
    #[serde(default)]
    pub(crate) fahrenheit: bool,
    /// Whether a length without a unit is in feet.
    #[serde(default)]
    pub(crate) feet: bool,
    /// Whether the size of a lead without a unit is a gauge.
    #[serde(default)]
    pub(crate) gauge: bool,
    /// What a kilowatt-hour costs at the site, for an energy that is told by its price; above 0.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) per_kwh: Option<f64>,
}

/// What figures can be entered as.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub(crate) struct EntryTargets {
    /// Every target.
    pub(crate) targets: Vec<EntryTarget>,
}

/// What a figure can be entered as.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub(crate) struct EntryTarget {
    /// Its word.
    pub(crate) target: &'static str,
    /// The unit of its value.
    pub(crate) unit: &'static str,
    /// What can be typed.
    pub(crate) examples: &'static str,
    /// Half-width of the 95 % interval over the value, by basis, where no ± is typed; empty where
    /// nothing hangs on it.
    pub(crate) deserves: std::collections::BTreeMap<&'static str, f64>,
}

/// Several changes as one step that can be undone.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ChangeSet {
    /// What the step does, in words, for the journal.
    pub(crate) words: String,
    /// The changes.
    pub(crate) changes: Vec<Change>,
}

/// One change of a set.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Change {
    /// The element's kind.
    pub(crate) kind: String,
    /// Its id.
    pub(crate) id: String,
    /// The revision that it is based on, 0 for a new one; whatever is there where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) revision: Option<i64>,
    /// Its body; null removes it.
    pub(crate) body: Value,
}
