//! What the routes of meters take and give.

use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};

/// Puts the schemas of what these routes take and give where references find them.
pub(super) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<LiveMeters>();
    generator.subschema_for::<MeterAt>();
    generator.subschema_for::<SetMeter>();
}

/// The meters that answer by themselves.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LiveMeters {
    /// Each with what it shows now.
    pub(crate) meters: Vec<LiveMeter>,
}

/// Whether a meter answers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum Answers {
    /// It does, and what it says can be.
    #[serde(rename = "answers")]
    Heard,
    /// It does not.
    Silent,
    /// What it says cannot be read, or cannot be.
    NotUnderstood,
}

/// A meter, with what it shows now.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LiveMeter {
    /// Its id.
    pub(crate) id: String,
    /// What it is called.
    pub(crate) label: String,
    /// What it speaks: scpi or modbus.
    pub(crate) speaks: String,
    /// Where it listens.
    pub(crate) address: String,
    /// Whether it answers.
    pub(crate) state: Answers,
    /// Since when that is so, as ISO 8601; none where it was not asked yet.
    pub(crate) since: Option<String>,
    /// What it shows; nothing where it does not answer.
    pub(crate) values: Vec<LiveValue>,
    /// What can be set on it; a stand-in alone has any.
    pub(crate) settings: Vec<LiveSetting>,
    /// What is wrong with it, in a sentence.
    pub(crate) trouble: Option<String>,
}

/// One value that a meter shows.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub(crate) struct LiveValue {
    /// What it is.
    pub(crate) name: String,
    /// in, out or store.
    pub(crate) side: String,
    /// Its unit.
    pub(crate) unit: String,
    /// Its value; none beyond the meter's range.
    pub(crate) value: Option<f64>,
}

/// Something that can be set on a stand-in.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub(crate) struct LiveSetting {
    /// Its key.
    pub(crate) key: String,
    /// What it is called.
    pub(crate) label: String,
    /// Its unit.
    pub(crate) unit: String,
    /// Its value.
    pub(crate) value: String,
    /// What it can be; nothing for a number.
    pub(crate) choices: Vec<String>,
}

/// A meter and where it listens.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct MeterAt {
    /// What it is called.
    pub(crate) label: String,
    /// What it speaks: scpi or modbus.
    pub(crate) speaks: String,
    /// Where it listens, as a loopback address and a port.
    pub(crate) address: String,
}

/// Something to set on a stand-in.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SetMeter {
    /// Its key.
    pub(crate) key: String,
    /// What it is to be.
    pub(crate) value: String,
}
