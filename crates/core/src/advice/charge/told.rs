//! What is asked of a charge, and what is told of it.

use crate::ground::json::words as named;
use crate::ground::say::{Name, Sentence};
use crate::site::plan::source::SourceInput;
use crate::site::plan::{Feed, Plan};
use crate::time::outage::{Sky, clocked};
use serde::Serialize;
use std::collections::BTreeMap;

named!(
    /// What holds a charge down.
    LimitKind {
        /// Nothing comes.
        Dark = "dark",
        /// The store is too cold.
        Cold = "cold",
        /// It takes the less the fuller it is.
        Taper = "taper",
        /// What the store takes, or may be charged with.
        Store = "store",
        /// A port or a group gives no more.
        Port = "port",
        /// An alternator may give no more.
        Alternator = "alternator",
        /// Its charger stands at the volts that it holds.
        Charger = "charger",
        /// The case of a converter is as warm as it bears.
        Heat = "heat",
        /// The sun.
        Light = "light",
        /// Shade on a panel.
        Shade = "shade",
        /// A panel in full light.
        Panel = "panel",
        /// A band of the input.
        Band = "band",
        /// The input's own most.
        Input = "input",
        /// The mode that the input is set to.
        Mode = "mode",
        /// The lead.
        Lead = "lead",
        /// Less than the input's least voltage.
        Voltage = "voltage",
        /// Nobody states a limit.
        Unstated = "unstated",
    }
);

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct RechargeAsk {
    /// The source that is filled, by its id.
    pub source: String,
    /// Charge at the beginning, 0 to 1.
    pub from_soc: f64,
    /// Charges whose hours are wanted, 0 to 1.
    pub levels: Vec<f64>,
    /// How an input (`station/wall`) or a vehicle (`van`: `idle` or `full`) is set.
    pub modes: BTreeMap<String, String>,
    /// Whether the mains is there.
    pub mains: bool,
    /// The sky over panels.
    pub sky: Sky,
    /// Tilt of panels from level, °, 0 to 90.
    pub tilt_deg: f64,
    /// Whether it is looked for what is not wired, and how long engines must run each day.
    pub offers: bool,
}

impl RechargeAsk {
    /// From a tenth to half, four fifths and full, with the mains there, under the sky that an
    /// outage takes.
    pub fn of(source: &str) -> Self {
        Self {
            source: source.to_owned(),
            from_soc: 0.1,
            levels: vec![0.5, 0.8, 1.0],
            modes: BTreeMap::new(),
            mains: true,
            sky: Sky::Usual,
            tilt_deg: 50.0,
            offers: true,
        }
    }
}

/// When a charge is reached, and what it took.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ReachedLevel {
    /// The charge, 0 to 1.
    pub soc: f64,
    /// Hours from the beginning; none where it is never reached.
    pub after_h: Option<f64>,
    /// That on the clock: the day and the time; none where it is never reached or was so from the
    /// beginning on.
    pub at: Option<Sentence>,
    /// Taken from what charges it, Wh.
    pub taken_wh: f64,
    /// What that costs, in the site's currency, where it is known.
    pub cost: Option<f64>,
    /// Fuel burnt, l, where something burns.
    pub fuel_l: Option<f64>,
}

/// What holds an input down from one moment on.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WayLimit {
    /// From this many hours after the beginning.
    pub at_h: f64,
    /// At this charge, 0 to 1.
    pub soc: f64,
    /// What comes in then, W.
    pub watts: f64,
    /// What kind of limit it is.
    pub kind: LimitKind,
    /// It in words.
    pub limited_by: Sentence,
}

/// What is wired into one input.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WayIn {
    /// The input, as `source/input`.
    pub input: String,
    /// What it is fed from, in words: "Van → Step-up".
    pub label: String,
    /// The source that it begins at and the converters that it goes through, by their ids.
    pub chain: Vec<String>,
    /// What comes in at the beginning, W.
    pub watts: f64,
    /// The current then, A.
    pub amps: f64,
    /// The voltage then, V.
    pub volts: f64,
    /// The voltage from which its band applies, V; none where it has no bands.
    pub band: Option<f64>,
    /// What it is set to; none where it has no modes.
    pub mode: Option<String>,
    /// What holds it down at the beginning.
    pub limited_by: Sentence,
    /// That, and what holds it down later on.
    pub limits: Vec<WayLimit>,
    /// What came in by it, Wh.
    pub input_wh: f64,
    /// What was taken for it where its chain begins, Wh.
    pub taken_wh: f64,
}

/// A stretch in which something comes in by one input.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FillSpan {
    /// The input, as `source/input`.
    pub input: String,
    /// What it is fed from, in words.
    pub label: String,
    /// From and to, hours after the beginning.
    pub from_h: f64,
    /// See `from_h`.
    pub to_h: f64,
    /// What comes in, Wh.
    pub wh: f64,
    /// It on the clock.
    pub sentence: Sentence,
}

/// How long an engine must run each day so that the store ends it as full as it began, with what is
/// drawn meanwhile; marched.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct EngineDay {
    /// The generator or the vehicle, by its id.
    pub source: String,
    /// The time of day at which it is started, `HH:MM`; none where it need not run.
    pub from: Option<String>,
    /// For how long it runs, min, a multiple of 15; all of the day where that is not enough.
    pub minutes: f64,
    /// What it burns a day, l, where the plan says how it burns.
    pub fuel_l: Option<f64>,
    /// Whether the store ends the day as full as it began.
    pub enough: bool,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// A store filled by what is wired into it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Recharged {
    /// The source, by its id.
    pub source: String,
    /// Charge at the beginning, 0 to 1.
    pub from: f64,
    /// When each charge is reached.
    pub levels: Vec<ReachedLevel>,
    /// What went into the store, Wh.
    pub stored_wh: f64,
    /// What was taken from what charges it, Wh.
    pub taken_wh: f64,
    /// What that costs, in the site's currency, where it is known.
    pub cost: Option<f64>,
    /// Fuel burnt, l, where something burns.
    pub fuel_l: Option<f64>,
    /// What was drawn from the store meanwhile, Wh.
    pub drawn_wh: f64,
    /// Its charge over time: hours, and 0 to 1.
    pub curve: Vec<[f64; 2]>,
    /// What is wired into it.
    pub ways: Vec<WayIn>,
    /// When what comes in, of the first three days.
    pub spans: Vec<FillSpan>,
    /// How long engines that are wired into it must run each day, each alone; nothing while the
    /// mains fills it.
    pub engines: Vec<EngineDay>,
    /// Fuses that open and breakers that trip on the way.
    pub opened: Vec<Sentence>,
    /// What trips by the limits on the way in, whatever is charged.
    pub trips: Vec<Sentence>,
    /// All of it in a sentence.
    pub sentence: Sentence,
    /// What is not wired and would be faster, each put in, marched and judged; the fastest first.
    pub not_wired: Vec<Offer>,
}

/// What is not wired and would fill it faster.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "FillOffer")
)]
pub struct Offer {
    /// The input, as `source/input`.
    pub input: String,
    /// What it would be fed from, in words.
    pub label: String,
    /// The source and the converters, by their ids.
    pub chain: Vec<String>,
    /// The feeds that it adds, with the leads and fuses that are proposed.
    pub feeds: Vec<Feed>,
    /// The input that it needs at the terminals of a bank that states none, to be added to it.
    pub adds_input: Option<SourceInput>,
    /// What comes in at the beginning, W.
    pub watts: f64,
    /// When each charge is reached, with it beside all that is wired.
    pub levels: Vec<ReachedLevel>,
    /// Leads and fuses that are proposed, in words.
    pub proposes: Vec<Sentence>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// Hours in words, for sentences: "3 h 40 min".
pub(super) fn hours(after_h: f64) -> Sentence {
    clocked(after_h)
}

/// A source by its name.
pub(super) fn name<'a>(plan: &'a Plan, id: &'a str) -> Name<'a> {
    Name(plan.label(id))
}
