//! What the bench's routes take and give.

use crate::error::ApiError;
use ash_pond_core::advice::compare::Difference;
use ash_pond_core::advice::next::Next;
use ash_pond_core::bench::{Guide, Holds, Instrument, Outcome, Pick, Reading, Test};
use ash_pond_core::ground::json::FieldError;
use ash_pond_core::ground::say::Sentence;
use ash_pond_core::site::plan::FigurePlace;
use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};

/// Puts the schemas of what the bench's routes take and give where references find them.
pub(super) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<Guides>();
    generator.subschema_for::<Tested>();
    generator.subschema_for::<Looked>();
    generator.subschema_for::<History>();
    generator.subschema_for::<PastFigures>();
    generator.subschema_for::<FigurePast>();
    generator.subschema_for::<NextTests>();
    generator.subschema_for::<Instruments>();
    generator.subschema_for::<Tests>();
    generator.subschema_for::<Begun>();
    generator.subschema_for::<Previewed>();
    generator.subschema_for::<Test>();
}

/// How tests are carried out.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Guides {
    /// The protocols, the commonest first.
    pub(crate) guides: Vec<Guide>,
}

/// A test with what comes of it.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Tested {
    /// Its id.
    pub(crate) id: String,
    /// When it was begun, as ISO 8601.
    pub(crate) begun: String,
    /// When it was last changed, as ISO 8601.
    pub(crate) changed: String,
    /// The site's counter at its last change: what a change of it is based on.
    pub(crate) revision: i64,
    /// The test.
    pub(crate) test: Test,
    /// Its columns.
    pub(crate) readings: Vec<Reading>,
    /// Whether a raw file is kept with it.
    pub(crate) has_file: bool,
    /// What comes of it; none where something about it is wrong.
    pub(crate) outcome: Option<Outcome>,
    /// What is wrong about it, in a sentence.
    pub(crate) wrong: Option<String>,
    /// Whether its figures are in use.
    pub(crate) in_use: bool,
    /// The figure of an earlier test that it offers to replace.
    pub(crate) offers: Option<Offer>,
}

/// An earlier test's figure that a later test offers to replace.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Offer {
    /// The figure, in words.
    pub(crate) figure: String,
    /// The test that it comes from now.
    pub(crate) test: String,
}

/// How a file is to be read.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct FileAsked {
    /// What it is called.
    #[serde(default)]
    pub(crate) name: Option<String>,
    /// What its columns hold, with commas between.
    #[serde(default)]
    pub(crate) columns: Option<String>,
}

impl FileAsked {
    /// What somebody said that its columns hold.
    pub(crate) fn picks(&self) -> Result<Option<Vec<Pick>>, ApiError> {
        let Some(text) = &self.columns else {
            return Ok(None);
        };
        let picks: Result<Vec<Pick>, FieldError> =
            text.split(',').map(|it| it.trim().parse()).collect();
        Ok(Some(picks?))
    }
}

/// Every figure of an element that was ever measured.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct History {
    /// What the element is called.
    pub(crate) label: String,
    /// Its figures.
    pub(crate) figures: Vec<FigureHistory>,
    /// Tests of it that gave no figure, the earliest first.
    pub(crate) others: Vec<OtherTest>,
}

/// The figures of a site that have a past.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PastFigures {
    /// Those that were changed or measured once, where they stand now.
    pub(crate) figures: Vec<FigurePlace>,
}

/// What was asked of the past of a figure.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct PastAsked {
    /// Where it stands in its element.
    pub(crate) path: String,
}

/// What a figure was before it is what it is.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FigurePast {
    /// What its element is called.
    pub(crate) label: String,
    /// It in words.
    pub(crate) name: String,
    /// Its unit.
    pub(crate) unit: String,
    /// What was said of it, the earliest first.
    pub(crate) rows: Vec<PastRow>,
    /// Which of that stands, and why.
    pub(crate) sentence: Sentence,
}

/// Where something that was said of a figure comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum PastSort {
    /// What it was before the first change that is known.
    First,
    /// It was changed.
    Change,
    /// A test measured it, and was not taken.
    Test,
}

/// Something that was said of a figure.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PastRow {
    /// Where that comes from.
    pub(crate) sort: PastSort,
    /// When, as ISO 8601; none for what it was before the first change.
    pub(crate) at: Option<String>,
    /// The value; none where nothing was stated from then on.
    pub(crate) value: Option<f64>,
    /// Half-width of its 95 % interval.
    pub(crate) plus_minus: Option<f64>,
    /// `assumed`, `label`, `datasheet` or `measured`.
    pub(crate) basis: Option<String>,
    /// The sum or the circumstance behind it.
    pub(crate) note: Option<String>,
    /// The test of the bench that it was taken from.
    pub(crate) test: Option<String>,
    /// Whether it is what stands now.
    pub(crate) stands: bool,
}

/// A figure over the years.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FigureHistory {
    /// It in words.
    pub(crate) name: String,
    /// Its unit.
    pub(crate) unit: String,
    /// Where it stands in its element.
    pub(crate) pointer: String,
    /// What the plan computes with now.
    pub(crate) now: Option<f64>,
    /// What each test said, the earliest first.
    pub(crate) points: Vec<FigurePoint>,
    /// How it changes in a year; none where that cannot be told.
    pub(crate) drift_per_year: Option<f64>,
    /// Half-width of that one's 95 % interval.
    pub(crate) drift_plus_minus: Option<f64>,
    /// The same in a sentence.
    pub(crate) sentence: String,
}

/// What a test said of a figure.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FigurePoint {
    /// The test.
    pub(crate) test: String,
    /// When it was begun, as ISO 8601.
    pub(crate) begun: String,
    /// Its value.
    pub(crate) value: f64,
    /// Half-width of its 95 % interval.
    pub(crate) plus_minus: f64,
    /// Its conditions, in words.
    pub(crate) note: String,
    /// Whether the plan computes with it.
    pub(crate) in_use: bool,
}

/// A test that gave no figure.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct OtherTest {
    /// The test.
    pub(crate) test: String,
    /// When it was begun, as ISO 8601.
    pub(crate) begun: String,
    /// Which test it is.
    pub(crate) protocol: String,
    /// What came of it.
    pub(crate) sentence: String,
}

/// The tests that are most worth their time.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NextTests {
    /// The best first.
    pub(crate) next: Vec<Next>,
}

/// The instruments that were described once.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Instruments {
    /// By their names.
    pub(crate) instruments: Vec<Instrument>,
}

/// What a file seems to hold.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Looked {
    /// Its columns.
    pub(crate) columns: Vec<LookedColumn>,
    /// The first thing that cannot be read, in a sentence.
    pub(crate) wrong: Option<String>,
}

/// What a column of a file seems to hold.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LookedColumn {
    /// Its head as it stands.
    pub(crate) head: String,
    /// What it holds.
    pub(crate) holds: Holds,
    /// What its numbers are multiplied by to be in s, V, A or W.
    pub(crate) scale: f64,
    /// Its first values, in s, V, A or W; null where a cell is empty.
    pub(crate) first: Vec<Option<f64>>,
}

/// The tests of a site.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Tests {
    /// The latest first, two hundred at most.
    pub(crate) tests: Vec<Tested>,
    /// What to ask for as `behind` to be told the next ones; none where these are the last.
    pub(crate) next: Option<String>,
}

/// Which tests are told.
#[derive(Debug, Deserialize)]
pub(crate) struct Which {
    /// Those behind this one.
    pub(crate) behind: Option<String>,
    /// At most so many.
    pub(crate) most: Option<usize>,
}

/// A test that was begun.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Begun {
    /// Its id.
    pub(crate) id: String,
    /// Its revision.
    pub(crate) revision: i64,
}

/// What the figures of a test would change.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Previewed {
    /// For each arrangement that they change anything in.
    pub(crate) arrangements: Vec<PreviewedWay>,
}

/// What they would change in one arrangement.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PreviewedWay {
    /// The arrangement.
    pub(crate) id: String,
    /// What it is called.
    pub(crate) label: String,
    /// What would change.
    pub(crate) difference: Difference,
}
