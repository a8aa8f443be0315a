//! The voltage and polarity walk: every joint of an arrangement in order, what a meter must show
//! there between tolerances, and what to do where it shows something else.
//!
//! # Layout
//! - this file: the joints in order, with the last reading of each; `joint`: what is expected;
//!   `judge`: a reading

mod joint;
mod judge;

pub use joint::Joint;
pub use judge::{Judged, Shows};

use crate::ground::say::Sentence;
use crate::network::Charge;
use crate::site::plan::{Arrangement, Plan};
use serde::Serialize;

/// What a person read at a joint.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Read {
    /// The joint, by its key.
    pub joint: String,
    /// What the meter showed, V, red probe where plus should be; RMS for AC.
    pub volts: f64,
    /// When, as ISO 8601 with the offset.
    pub at: String,
}

/// A walk: the joints in the order in which they are measured.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Walk {
    /// The arrangement.
    pub arrangement: String,
    /// Its joints, in order.
    pub joints: Vec<Measured>,
    /// The joint to measure next, by its key; none where all are done, or the walk is stopped
    /// before.
    pub next: Option<String>,
    /// The joint at which the walk stopped, by its key.
    pub stopped: Option<String>,
    /// How it stands, in a sentence.
    pub sentence: Sentence,
}

/// A joint with its last reading.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Measured {
    /// What is expected there.
    pub joint: Joint,
    /// The last reading.
    pub last: Option<Read>,
    /// What it says.
    pub judged: Option<Judged>,
}

/// The walk of an arrangement with its stores at `charge`, which is taken to be known to a tenth;
/// `reads` in the order in which they were taken. A joint whose last reading is not as expected
/// stops the walk there.
pub fn walk(plan: &Plan, way: &Arrangement, charge: &Charge, reads: &[Read]) -> Walk {
    let joints: Vec<Measured> = joint::joints(plan, way, charge)
        .into_iter()
        .map(|joint| {
            let last = reads.iter().rev().find(|it| it.joint == joint.key).cloned();
            let judged = last.as_ref().map(|it| judge::judge(&joint, it.volts));
            Measured {
                joint,
                last,
                judged,
            }
        })
        .collect();
    let open = joints.iter().find(|it| {
        it.judged
            .as_ref()
            .is_none_or(|it| it.shows != Shows::Expected)
    });
    let stopped = open.filter(|it| it.judged.is_some());
    let next = open.filter(|it| it.judged.is_none());
    let done = joints
        .iter()
        .take_while(|it| {
            it.judged
                .as_ref()
                .is_some_and(|it| it.shows == Shows::Expected)
        })
        .count();
    let sentence = match (stopped, next) {
        _ if joints.is_empty() => "Nothing is connected yet: there is no joint to measure.".into(),
        (Some(it), _) => {
            let what = it.judged.as_ref().map_or("", |it| it.sentence.marked());
            format!("Stopped at {}: {what}", it.joint.place)
        }
        (None, Some(it)) => format!(
            "{done} of {} joints are right. Next: {}.",
            joints.len(),
            it.joint.place
        ),
        (None, None) => format!("All {} joints are right.", joints.len()),
    };
    Walk {
        arrangement: way.id.to_string(),
        next: next.map(|it| it.joint.key.clone()),
        stopped: stopped.map(|it| it.joint.key.clone()),
        sentence: sentence.into(),
        joints,
    }
}
