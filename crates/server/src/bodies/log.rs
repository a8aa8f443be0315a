//! What the routes of the log take and give.

use ash_pond_core::ground::say::Sentence;
use ash_pond_core::keeping::care::{Check, Did, Health};
use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};

/// Puts the schemas of what these routes take and give where references find them.
pub(super) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<LogTold>();
    generator.subschema_for::<LogAsking>();
    generator.subschema_for::<LogFileOf>();
    generator.subschema_for::<LogImport>();
    generator.subschema_for::<LogImported>();
    generator.subschema_for::<LogStrike>();
    generator.subschema_for::<LogWritten>();
    generator.subschema_for::<DueTold>();
    generator.subschema_for::<CheckAnswer>();
    generator.subschema_for::<OwnCheck>();
    generator.subschema_for::<HealthTold>();
    generator.subschema_for::<PaperWords>();
    generator.subschema_for::<ItemTold>();
}

/// A picture or file beside an entry.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LogFileTold {
    /// Its number.
    pub(crate) id: i64,
    /// Its name.
    pub(crate) name: String,
    /// What it is by its content, as a media type.
    pub(crate) kind: String,
    /// Its size, bytes.
    pub(crate) size: i64,
    /// Whether there is a small picture of it.
    pub(crate) has_thumb: bool,
}

/// An entry of the log.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LogLine {
    /// Its number.
    pub(crate) id: i64,
    /// When, as ISO 8601 in universal time.
    pub(crate) at: String,
    /// When by the clock of the site: its day, `2026-11-28`,
    pub(crate) day: String,
    /// and its time of day, `14:05`.
    pub(crate) time: String,
    /// What kind of thing it is.
    pub(crate) kind: String,
    /// The item that it is about, by id; nothing where it is about the whole site.
    pub(crate) item: String,
    /// What that is called.
    pub(crate) item_label: String,
    /// What it says.
    pub(crate) words: String,
    /// How many steps of the same words it stands for.
    pub(crate) many: i64,
    /// Who wrote it.
    pub(crate) by: Option<String>,
    /// Why it was struck; none where it counts.
    pub(crate) struck: Option<String>,
    /// The page that it came from, within this program; none where there is none.
    pub(crate) door: Option<String>,
    /// What lies beside it.
    pub(crate) files: Vec<LogFileTold>,
}

/// The log of a site.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LogTold {
    /// Its entries, the latest first.
    pub(crate) entries: Vec<LogLine>,
    /// Behind which the next ones are asked for; none where these are the last.
    pub(crate) next: Option<String>,
}

/// An entry that somebody writes.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LogAsking {
    /// What happened, in a line.
    pub(crate) words: String,
    /// Its kind: `note`, `repair`, `purchase`, `check`; taken from the words where it is left out.
    pub(crate) kind: Option<String>,
    /// The item that it is about, by id; taken from the words where it is left out; nothing for the
    /// whole site.
    pub(crate) item: Option<String>,
    /// When by the clock of the site, `2026-11-28` or `2026-11-28T14:05`; now where it is left out.
    pub(crate) at: Option<String>,
    /// Who writes it.
    pub(crate) by: Option<String>,
    /// Whether the item's battery was replaced by a new one: its health begins anew.
    #[serde(default)]
    pub(crate) replaced: bool,
}

/// Which entry was written.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LogWritten {
    /// Its number.
    pub(crate) id: i64,
    /// The kind that it was taken for.
    pub(crate) kind: String,
    /// The item that it was taken to be about.
    pub(crate) item: String,
}

/// An entry struck, or one that counts again.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LogStrike {
    /// Why; it counts again where it is left out.
    pub(crate) why: Option<String>,
}

/// One entry in a file of the log.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LogFileEntry {
    /// When, as ISO 8601 in universal time.
    pub(crate) at: String,
    /// What kind of thing it is.
    pub(crate) kind: String,
    /// The item that it is about, by id.
    #[serde(default)]
    pub(crate) item: String,
    /// What it says.
    pub(crate) words: String,
    /// How many steps of the same words it stands for.
    #[serde(default = "once")]
    pub(crate) many: i64,
    /// Who wrote it.
    #[serde(default)]
    pub(crate) by: String,
    /// Why it was struck; nothing where it counts.
    #[serde(default)]
    pub(crate) struck: String,
}

fn once() -> i64 {
    1
}

/// The log in a file.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LogFileOf {
    /// `ash-pond/log`.
    pub(crate) format: String,
    /// 1.
    pub(crate) version: u32,
    /// Its entries, the earliest first.
    pub(crate) entries: Vec<LogFileEntry>,
}

/// A table or a file that is to be taken in.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LogImport {
    /// The text: the table or file that was given out here, or a table of one's own with a column
    /// of dates and one of words.
    pub(crate) text: String,
    /// Whether it is kept; else it is only looked at.
    #[serde(default)]
    pub(crate) keep: bool,
}

/// What is in a table or file.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LogImported {
    /// How each column is read.
    pub(crate) columns: Vec<String>,
    /// Entries that are new.
    pub(crate) new: usize,
    /// Entries that are in the log already.
    pub(crate) known: usize,
    /// Rows that cannot be read, with why; at most twenty.
    pub(crate) refused: Vec<String>,
    /// The first entries, as they would stand in the log.
    pub(crate) first: Vec<LogFileEntry>,
    /// Whether it was kept.
    pub(crate) kept: bool,
}

/// What is due.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DueTold {
    /// The day by the clock of the site.
    pub(crate) today: String,
    /// The checks, the most urgent first.
    pub(crate) checks: Vec<Check>,
    /// How many are overdue.
    pub(crate) overdue: usize,
    /// How many were never done here.
    pub(crate) never: usize,
    /// All of it in a sentence.
    pub(crate) sentence: Sentence,
}

/// What was done about a check.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CheckAnswer {
    /// The check, by its id.
    pub(crate) check: String,
    /// What was done about it.
    pub(crate) did: Did,
    /// On which day, `2026-11-28`; today where it is left out.
    pub(crate) on: Option<String>,
    /// Until which day it is put off.
    pub(crate) until: Option<String>,
    /// A note or a reading; the reason where it is left out.
    pub(crate) note: Option<String>,
    /// Who did it.
    pub(crate) by: Option<String>,
}

/// A check of one's own.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct OwnCheck {
    /// What is to be done.
    pub(crate) title: String,
    /// The item that it is about, by id.
    #[serde(default)]
    pub(crate) item: String,
    /// Days between two, 1 to 3660.
    #[schemars(range(min = 1, max = 3660))]
    pub(crate) every_days: i64,
    /// When it is due first, `2026-11-28`; today where it is left out.
    pub(crate) first: Option<String>,
}

/// One item at a glance.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ItemTold {
    /// Its id.
    pub(crate) id: String,
    /// What it is called.
    pub(crate) label: String,
    /// What it carries in each arrangement that uses it.
    pub(crate) carries: Vec<Sentence>,
    /// What is not well with it, the worst first.
    pub(crate) findings: Vec<Sentence>,
    /// Its last test, with its day; none where there is none.
    pub(crate) last_test: Option<Sentence>,
}

/// What a person writes into the report.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PaperWords {
    /// Whom to call, line by line.
    #[serde(default)]
    pub(crate) calls: String,
    /// What else whoever minds the site should know.
    #[serde(default)]
    pub(crate) words: String,
}

/// How the batteries of a site age.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct HealthTold {
    /// Each battery of the kit.
    pub(crate) batteries: Vec<Health>,
}

/// What a report is of.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct PaperQuery {
    pub(crate) arrangement: Option<String>,
    pub(crate) outage: Option<String>,
    pub(crate) sheet: Option<String>,
    pub(crate) secure: Option<bool>,
}

/// Which entries are asked for.
#[derive(Debug, Default, Deserialize)]
pub(crate) struct LogQuery {
    pub(crate) words: Option<String>,
    pub(crate) kind: Option<String>,
    pub(crate) item: Option<String>,
    pub(crate) from: Option<String>,
    pub(crate) to: Option<String>,
    pub(crate) behind: Option<String>,
    pub(crate) limit: Option<u32>,
}
