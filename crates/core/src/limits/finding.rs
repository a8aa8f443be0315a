//! Findings, as plain data: each limit once, with its worst moment and charge, what would mend it
//! and what rules make of it.

use super::code::{Code, Unstated};
use super::verdict::Status;
use crate::ground::json::words;
use crate::ground::say::Sentence;
use crate::site::plan::Feed;
use crate::site::plan::outage::Rule;
use crate::site::sum::Working;
use serde::Serialize;
use std::collections::BTreeMap;

/// A check's verdict with its margin.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Finding {
    /// What it is about.
    pub code: Code,
    /// How bad it is at worst.
    pub status: Status,
    /// The arrangement.
    pub arrangement: String,
    /// The worst moment.
    pub moment: String,
    /// The charge of each store at the worst, 0 to 1.
    pub soc: BTreeMap<String, f64>,
    /// The charge at the worst in a word: full, half or floor.
    pub charge: &'static str,
    /// The item, feed or `item/port` that it is at.
    #[serde(rename = "where")]
    pub place: String,
    /// The value at the worst.
    pub value: f64,
    /// The limit that it was judged against.
    pub limit: f64,
    /// The unit of value, limit and margin.
    pub unit: &'static str,
    /// How far the value is on the good side of the limit; negative beyond it.
    pub margin: f64,
    /// How long the moment lasts, s; none for ever or where nobody knows.
    pub seconds: Option<f64>,
    /// For how long the value is carried, s, where a time limits it; 0 is: not at all.
    pub allowed_s: Option<f64>,
    /// The verdict in a sentence.
    pub message: Sentence,
    /// The verdict in three or four words.
    pub brief: Sentence,
    /// The sum behind it.
    pub working: Working,
    /// What to mind where it can hurt someone.
    pub caution: Option<Sentence>,
    /// What nobody stated, where that alone leaves the verdict open.
    pub unstated: Option<Unstated>,
    /// Other moments and charges at which it is not well either.
    pub also: Vec<Elsewhere>,
    /// How it stands in outages whose rules hold others back while something starts, where that is
    /// better; computed with the mends.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub ruled: Vec<Ruled>,
    /// What would mend it, computed; empty where it is well, or was not asked for.
    pub mends: Vec<Mend>,
}

/// Another moment and charge of the same finding.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Elsewhere {
    /// The moment.
    pub moment: String,
    /// The charge in a word: full, half or floor.
    pub charge: &'static str,
    /// How bad it is there.
    pub status: Status,
    /// The value there.
    pub value: f64,
}

impl Finding {
    pub(super) fn as_elsewhere(&self) -> Elsewhere {
        let (moment, charge) = (self.moment.clone(), self.charge);
        Elsewhere {
            moment,
            charge,
            status: self.status,
            value: self.value,
        }
    }
}

/// How a finding stands in an outage whose rules hold others back, or keep starts apart.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Ruled {
    /// The outage, by id.
    pub outage: String,
    /// How bad it is under its rules; better than without them.
    pub status: Status,
    /// The value under them, in the finding's unit.
    pub value: f64,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

words!(
    /// A way to mend a finding.
    Remedy {
        /// A lead of a larger area.
        ThickerLead = "thicker-lead",
        /// A lead of less length.
        ShorterLead = "shorter-lead",
        /// A fuse, or another one.
        Fuse = "fuse",
        /// A port, converter or battery of a higher rating.
        HigherRating = "higher-rating",
        /// Another port of the kit.
        OtherPort = "other-port",
        /// One start after the other.
        OneAfterTheOther = "one-after-the-other",
        /// Others held back while one starts, by a rule of the outage.
        HeldBack = "held-back",
        /// More output, so that the port stays on.
        MoreLoad = "more-load",
        /// Another voltage.
        OtherVoltage = "other-voltage",
        /// More hold-up between the source and the device.
        HoldUp = "hold-up",
    }
);

/// Something that would mend a finding: carried out and judged whole before it is offered.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Mend {
    /// The way.
    pub remedy: Remedy,
    /// The number that it takes, where it takes one.
    pub value: Option<f64>,
    /// The unit of that.
    pub unit: String,
    /// The place that it is about: a feed by what it leads to, or `item/port`.
    #[serde(rename = "where")]
    pub place: String,
    /// All of it in a sentence.
    pub sentence: Sentence,
    /// How the finding stands once it is done.
    pub then: Status,
    /// The rules of an outage that do it; none for what is no matter of rules.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub rules: Vec<Rule>,
    /// The feed as it is once it is done, to be put in the place of the one that leads to the same;
    /// none for what is not done in the wiring.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub feed: Option<Feed>,
}
