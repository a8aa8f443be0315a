//! What the routes of watches take and give.

use super::plan::RevisedPlan;
use crate::error::ApiError;
use ash_pond_core::ground::say::Sentence;
use ash_pond_core::keeping::watch::{
    ComingTold, DeadlineTold, DropTold, Estimate, Headline, Hides, Noticed, Outlets, Review,
    WorthReading,
};
use ash_pond_core::time::outage::StartTurn;
use ash_pond_store::StoreError;
use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;

/// Puts the schemas of what these routes take and give where references find them.
pub(super) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<Watches>();
    generator.subschema_for::<WatchAsked>();
    generator.subschema_for::<WatchTold>();
    generator.subschema_for::<EntryAsked>();
    generator.subschema_for::<WatchEntries>();
    generator.subschema_for::<DrillClock>();
    generator.subschema_for::<Outlets>();
    generator.subschema_for::<TakeBack>();
    generator.subschema_for::<LearnedAsked>();
    generator.subschema_for::<LearnedTold>();
    generator.subschema_for::<Reviewed>();
    generator.subschema_for::<PastAsked>();
    generator.subschema_for::<BeginsBy>();
}

/// What kind of watch it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum WatchKind {
    /// An outage that is happening.
    Outage,
    /// A drill on a hidden world.
    Drill,
    /// An outage of the past, brought in from a file.
    Past,
}

/// A watch in the list.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct WatchListed {
    /// Its number.
    pub(crate) number: i64,
    /// What kind it is.
    pub(crate) kind: WatchKind,
    /// The outage that it was planned with, as it was called then.
    pub(crate) label: String,
    /// When it began by the clock of the site, `YYYY-MM-DDTHH:MM`.
    pub(crate) start: String,
    /// Whether it still goes on.
    pub(crate) open: bool,
    /// How long it was watched, h; none while it goes on.
    pub(crate) watched_h: Option<f64>,
}

/// The watches of a site.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Watches {
    /// They, the latest first.
    pub(crate) watches: Vec<WatchListed>,
}

/// Charge of a store at the beginning.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct StartAsked {
    /// Its charge, 0 to 1.
    #[schemars(range(min = 0.0, max = 1.0))]
    pub(crate) soc: f64,
    /// By how much that may be off, 0 to 1; a twentieth where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(range(min = 0.0, max = 1.0))]
    pub(crate) plus_minus: Option<f64>,
}

/// A drill that is asked for.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DrillAsked {
    /// What its world hides; chosen by the seed where left out, and not told before it is over.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) hides: Option<Hides>,
    /// Its seed: the same one gives the same world.
    pub(crate) seed: u64,
    /// How many times as fast as life its clock runs, 1 to 3600; 60 where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) speed: Option<f64>,
}

/// A watch that begins.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WatchAsked {
    /// The arrangement, by its id.
    pub(crate) arrangement: String,
    /// The outage that it was planned with, by its id: its temperature and rules are kept.
    pub(crate) outage: String,
    /// Charge of stores at the beginning by their ids; the outage's own where left out.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) starts: BTreeMap<String, StartAsked>,
    /// Which meter stands at which store: ids of sources by the ids of meters.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) meters: BTreeMap<String, String>,
    /// Who begins it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) by: Option<String>,
    /// A drill instead of an outage that is happening.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) drill: Option<DrillAsked>,
}

/// An outage of the past that is brought in.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PastAsked {
    /// The arrangement, by its id.
    pub(crate) arrangement: String,
    /// The outage that it was planned with, by its id.
    pub(crate) outage: String,
    /// When it began by the clock of the site, `YYYY-MM-DDTHH:MM`.
    pub(crate) start: String,
    /// Charge of stores at the beginning by their ids.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) starts: BTreeMap<String, StartAsked>,
    /// What was seen, as CSV: `time_s,source,volts,amps,watts,percent,action,item`, blanks allowed;
    /// or the file of a logger that stood at one store, with a head, times by a clock or counted
    /// since the outage began, and volts, amperes, watts or per cent.
    pub(crate) csv: String,
    /// At which store a logger stood, by its id; may be left out where there is one only.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) store: Option<String>,
}

/// What a person did, or what happened.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "snake_case")]
pub(crate) enum Did {
    /// A device was switched off.
    Drop,
    /// It was switched on again.
    Restore,
    /// It was plugged over to another outlet, and is on there.
    Over,
    /// It went off by itself.
    Lost,
    /// The mains came back.
    MainsBack,
    /// The mains went again.
    MainsGone,
    /// A store is charged from elsewhere with so many watts; 0 ends it.
    Charge,
    /// A device or a source was looked at.
    Checked,
    /// Something was refuelled.
    Refuelled,
    /// A device was started after the return.
    Started,
    /// A note.
    Note,
}

/// Something that is read, done or noted.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct EntryAsked {
    /// A reading as it is typed, such as `54 %`, of the source that `item` names.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) reading: Option<String>,
    /// Something that was done or happened.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) did: Option<Did>,
    /// What it is about: a device, or a source.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) item: Option<String>,
    /// The outlet to which a device was plugged over, as `item/port`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outlet: Option<String>,
    /// Watts of charging, 0 to 1,000,000.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(range(min = 0.0, max = 1e6))]
    pub(crate) watts: Option<f64>,
    /// The text of a note, 500 letters at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) text: Option<String>,
    /// Whether a reading that is strange is meant so.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub(crate) sure: bool,
    /// Who, 40 letters at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) by: Option<String>,
    /// When, s since the outage began; now where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) at_s: Option<f64>,
}

/// Whether an entry is taken back.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TakeBack {
    /// Whether it is; else it counts again.
    pub(crate) undone: bool,
}

/// The clock of a drill.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DrillClock {
    /// How many times as fast as life it runs, 1 to 3600.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) speed: Option<f64>,
    /// Whether it stands.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) paused: Option<bool>,
    /// So many seconds pass at once, 0 to 86400.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) step_s: Option<f64>,
}

/// An entry as it is told.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub(crate) struct EntryTold {
    /// Its number; none of what was not entered, such as what was noticed.
    pub(crate) number: Option<i64>,
    /// When, hours since the outage began.
    pub(crate) at_h: f64,
    /// By the clock.
    pub(crate) when: Sentence,
    /// reading, did, note, gap, noticed, or rule: noticed, and meant so.
    pub(crate) kind: String,
    /// What it is about; none where it is about nothing.
    pub(crate) item: Option<String>,
    /// What.
    pub(crate) words: Sentence,
    /// Who.
    pub(crate) by: Option<String>,
    /// Whether it was taken back.
    pub(crate) undone: bool,
}

/// Which entries of a watch are asked for.
#[derive(Debug, Deserialize)]
pub(crate) struct EntriesQuery {
    /// Those before this place, counted from the first one.
    pub(crate) before: Option<usize>,
    /// So many at most, 1 to 1000; 100 where left out.
    pub(crate) limit: Option<usize>,
}

/// A page of what was read, done, noted and noticed in a watch.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct WatchEntries {
    /// How many there are in all.
    pub(crate) count: usize,
    /// Those of this page, the latest first.
    pub(crate) entries: Vec<EntryTold>,
    /// What to ask for `before` to read on; none at the first one.
    pub(crate) earlier: Option<usize>,
}

/// A store, as it is now.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct StoreTold {
    /// The source.
    pub(crate) id: String,
    /// What it is called.
    pub(crate) label: String,
    /// How full it is.
    pub(crate) charge: Sentence,
    /// What was read of it last, and when; or that nothing was.
    pub(crate) read: Sentence,
    /// What is wrong with its meter, in a sentence; none where nothing is.
    pub(crate) trouble: Option<String>,
    /// Readings as they came, for the picture: hours since the outage began, and per cent.
    pub(crate) readings: Vec<[f64; 2]>,
}

/// A device, as it is now.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DeviceTold {
    /// The device.
    pub(crate) id: String,
    /// What it is called.
    pub(crate) label: String,
    /// on, dropped or lost.
    pub(crate) state: String,
    /// Until when, or since when.
    pub(crate) until: Sentence,
}

/// Something to do after the return.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ReturnStep {
    /// look, plug, start or charge.
    pub(crate) kind: String,
    /// What it is done with: a device, or a source.
    pub(crate) item: String,
    /// What.
    pub(crate) text: Sentence,
    /// Whether it was done.
    pub(crate) done: bool,
    /// For plug, the outlet to which it is plugged back, as `item/port`.
    pub(crate) outlet: Option<String>,
    /// What must be done first, in a sentence; none where it can be done.
    pub(crate) waits: Option<Sentence>,
}

/// The order after the return.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ReturnTold {
    /// Whether everything may start at once, and what breaks where it does.
    pub(crate) sentence: Sentence,
    /// The steps, in order.
    pub(crate) steps: Vec<ReturnStep>,
    /// The turns that the order comes from.
    pub(crate) turns: Vec<StartTurn>,
}

/// A drill, as far as its trainee may know.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DrillTold {
    /// Its seed.
    pub(crate) seed: u64,
    /// How many times as fast as life its clock runs.
    pub(crate) speed: f64,
    /// Whether it stands.
    pub(crate) paused: bool,
    /// What was hidden, once it is over.
    pub(crate) hid: Option<String>,
    /// What displays show that no meter reads: by the ids of sources.
    pub(crate) displays: BTreeMap<String, Sentence>,
}

/// A watch at one moment.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct WatchTold {
    /// Its number.
    pub(crate) number: i64,
    /// What kind it is.
    pub(crate) kind: WatchKind,
    /// The arrangement.
    pub(crate) arrangement: String,
    /// The outage that it was planned with.
    pub(crate) outage: String,
    /// What that was called.
    pub(crate) label: String,
    /// When it began by the clock of the site.
    pub(crate) start: String,
    /// How far it is looked ahead, hours since the outage began.
    pub(crate) hours: f64,
    /// Now, hours since the outage began.
    pub(crate) at_h: f64,
    /// Now, by the clock.
    pub(crate) now: Sentence,
    /// Since when the mains is out, and for how long.
    pub(crate) since: Sentence,
    /// Whether it still goes on.
    pub(crate) open: bool,
    /// Whether the mains is back.
    pub(crate) mains_back: bool,
    /// The answer.
    pub(crate) headline: Headline,
    /// What comes.
    pub(crate) coming: Vec<ComingTold>,
    /// The switches, what wins most first.
    pub(crate) drops: Vec<DropTold>,
    /// Deadlines that run.
    pub(crate) deadlines: Vec<DeadlineTold>,
    /// The stores.
    pub(crate) stores: Vec<StoreTold>,
    /// The devices, in the order of what matters.
    pub(crate) devices: Vec<DeviceTold>,
    /// All of it in numbers.
    pub(crate) estimate: Estimate,
    /// What was read, done, noted and noticed, the latest first; a hundred at most.
    pub(crate) entries: Vec<EntryTold>,
    /// How many there are.
    pub(crate) entry_count: usize,
    /// What is not counted on, and what changed on the way, in sentences.
    pub(crate) notes: Vec<Sentence>,
    /// The one reading that would tell most now; none where none would tell much.
    pub(crate) worth: Option<WorthReading>,
    /// The same in a sentence.
    pub(crate) worth_words: Option<Sentence>,
    /// The order after the return, once the mains is back.
    pub(crate) returning: Option<ReturnTold>,
    /// The drill, where it is one.
    pub(crate) drill: Option<DrillTold>,
    /// Even hours of the clock, for the picture: hours since the outage began, and what the clock
    /// shows.
    pub(crate) ticks: Vec<ash_pond_core::time::outage::Tick>,
    /// What is strange about the reading that was just typed, which was not kept; none where
    /// nothing is.
    pub(crate) question: Option<Sentence>,
}

/// A figure that was learned, to be used or looked at.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LearnedAsked {
    /// The kind of its element.
    pub(crate) kind: String,
    /// The element, by its id.
    pub(crate) id: String,
    /// Where it stands in its element.
    pub(crate) path: String,
    /// Whether it goes into the plan; else it is only looked at what it would change.
    #[serde(rename = "use")]
    pub(crate) uses: bool,
}

/// What a learned figure changes.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LearnedTold {
    /// In a sentence.
    pub(crate) sentence: Sentence,
    /// The site with it; none where it was only looked at.
    pub(crate) site: Option<RevisedPlan>,
}

/// A decision, in a sentence.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DecisionTold {
    /// When, by the clock.
    pub(crate) when: Sentence,
    /// What was done, and what it was likely to win.
    pub(crate) text: Sentence,
    /// The best that could be known.
    pub(crate) best: Sentence,
    /// Minutes that were let go by what could be known; 0 where it was the best.
    pub(crate) lost_min: f64,
}

/// A figure that was learned, in a sentence.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LearnedLine {
    /// The kind of its element.
    pub(crate) kind: String,
    /// The element.
    pub(crate) id: String,
    /// Where it stands in its element.
    pub(crate) path: String,
    /// What it is, and was.
    pub(crate) text: Sentence,
    /// Whether it can go into the plan as measured.
    pub(crate) usable: bool,
}

/// A watch, looked back at.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Reviewed {
    /// All of it in numbers.
    pub(crate) review: Review,
    /// What happened against what was planned, in a sentence.
    pub(crate) headline: Sentence,
    /// The decisions.
    pub(crate) decisions: Vec<DecisionTold>,
    /// What one more reading would have told; none where none would have.
    pub(crate) earlier: Option<Sentence>,
    /// What was learned.
    pub(crate) learned: Vec<LearnedLine>,
    /// What a drill hid.
    pub(crate) hid: Option<String>,
    /// What was noticed in a drill.
    pub(crate) noticed: Vec<Noticed>,
    /// Even hours of the clock, for the picture.
    pub(crate) ticks: Vec<ash_pond_core::time::outage::Tick>,
}

/// When a watch begins by itself.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct BeginsBy {
    /// The meter that sees the mains, by its id.
    pub(crate) meter: String,
    /// Which of its values does, by its name.
    pub(crate) value: String,
    /// Below this the mains is gone, V; 1 to 1000.
    #[schemars(range(min = 1.0, max = 1000.0))]
    pub(crate) below_v: f64,
    /// The arrangement that is watched then, by its id.
    pub(crate) arrangement: String,
    /// The outage that it was planned with, by its id.
    pub(crate) outage: String,
}

impl BeginsBy {
    /// What the settings of all sites begin with.
    pub(crate) const STEM: &str = "watch-begins/";

    /// Under which name that of a site is chosen.
    pub(crate) fn name(site: &str) -> String {
        format!("{}{site}", Self::STEM)
    }

    /// Reads what was chosen.
    pub(crate) fn read(name: &str, body: Value) -> Result<Self, ApiError> {
        let unreadable = |error: serde_json::Error| {
            StoreError::unreadable("settings", name.to_owned(), error.to_string())
        };
        serde_json::from_value(body).map_err(|error| unreadable(error).into())
    }
}
