//! What the routes of meters take and give.

use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};

/// Puts the schemas of what these routes take and give where references find them.
pub(super) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<LiveMeters>();
    generator.subschema_for::<MeterAt>();
    generator.subschema_for::<SetMeter>();
    generator.subschema_for::<Readings>();
    generator.subschema_for::<ReadingsKept>();
    generator.subschema_for::<ReadingsPlot>();
    generator.subschema_for::<ReadingRows>();
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
    /// Whether its readings are kept as they come, also while nobody looks.
    pub(crate) records: bool,
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
    /// Whether its readings are kept as they come, also while nobody looks.
    #[serde(default)]
    pub(crate) records: bool,
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

/// Readings that are kept, series by series.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Readings {
    /// The series, by meter and name.
    pub(crate) series: Vec<ReadingSeries>,
    /// For how long they are kept.
    pub(crate) kept: ReadingsKept,
    /// The same as a sentence.
    pub(crate) kept_words: String,
    /// Why readings are not kept at the moment; none where they are.
    pub(crate) trouble: Option<String>,
}

/// A series of readings.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ReadingSeries {
    /// Its number.
    pub(crate) id: i64,
    /// The id of its meter, which may have been removed since.
    pub(crate) meter: String,
    /// What it holds, as the meter calls it.
    pub(crate) name: String,
    /// Its unit.
    pub(crate) unit: String,
    /// When it begins, in milliseconds since 1970; none where it holds nothing yet.
    pub(crate) first_ms: Option<i64>,
    /// When it ends.
    pub(crate) last_ms: Option<i64>,
}

/// For how long readings are kept.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ReadingsKept {
    /// Every reading, days.
    #[schemars(range(min = 1, max = 36500))]
    pub(crate) all_days: u32,
    /// The least, the most and the mean of each minute, days; those of each hour are kept for ever.
    #[schemars(range(min = 1, max = 36500))]
    pub(crate) minute_days: u32,
}

/// A stretch of time of a series, thinned for a plot.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ReadingsPlot {
    /// What the series is called.
    pub(crate) name: String,
    /// Its unit.
    pub(crate) unit: String,
    /// Stretches that hold readings, in their order.
    pub(crate) spans: Vec<ReadingSpan>,
}

/// What a series held in a stretch of time.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ReadingSpan {
    /// When it begins, in milliseconds since 1970.
    pub(crate) at_ms: i64,
    /// The least reading in it.
    pub(crate) low: f64,
    /// The most.
    pub(crate) high: f64,
    /// The mean of its readings.
    pub(crate) mean: f64,
    /// Readings in it.
    pub(crate) count: i64,
}

/// A page of readings.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ReadingRows {
    /// They, in their order.
    pub(crate) rows: Vec<ReadingRow>,
    /// Where the next page begins; none behind the last.
    pub(crate) next_ms: Option<i64>,
}

/// One reading.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ReadingRow {
    /// When, in milliseconds since 1970.
    pub(crate) at_ms: i64,
    /// What the meter showed, in the unit of its series.
    pub(crate) value: f64,
}
