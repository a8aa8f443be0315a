//! What meters and people saw of an outage, and did in it.

use crate::site::plan::From;
use std::collections::BTreeMap;

/// What was read of a source at one moment; what was not read is none.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Reading {
    /// When, s after the outage began; 0 or above.
    pub at_s: f64,
    /// The source, by id.
    pub source: String,
    /// At its terminals, V.
    pub volts: Option<f64>,
    /// Out of it, A; below 0 where it is charged.
    pub amps: Option<f64>,
    /// What its ports give out, as displays show it, W.
    pub watts: Option<f64>,
    /// What a display claims its charge to be, 0 to 100.
    pub percent: Option<f64>,
}

/// What a person did, or what happened.
#[derive(Debug, Clone, PartialEq)]
pub enum Act {
    /// A device was switched off.
    Drop(String),
    /// It was switched on again.
    Restore(String),
    /// It was plugged over to another outlet, and is on there.
    Over(String, From),
    /// It went off by itself, and stays off until it is switched on again.
    Lost(String),
    /// The mains came back.
    MainsBack,
    /// The mains went again.
    MainsGone,
    /// A source is charged from elsewhere with so many watts from here on; 0 ends it.
    Charge(String, f64),
    /// A note.
    Note(String),
}

/// Something that was done at a time.
#[derive(Debug, Clone, PartialEq)]
pub struct Acted {
    /// When, s after the outage began.
    pub at_s: f64,
    /// What.
    pub act: Act,
}

/// How full a store was at the start, and by how much that may be off (half of its 95 % interval),
/// both 0 to 1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Start {
    /// Its charge.
    pub soc: f64,
    /// Its ±.
    pub plus_minus: f64,
}

/// All that is known of an outage beside the plan.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Seen {
    /// Charge at the start by source; the outage's own, to a twentieth, where it is left out.
    pub starts: BTreeMap<String, Start>,
    /// Readings in the order of time.
    pub readings: Vec<Reading>,
    /// What was done, in the order of time.
    pub acted: Vec<Acted>,
}

impl Seen {
    /// What was known at a time, s after the start.
    #[must_use]
    pub fn up_to(&self, at_s: f64) -> Self {
        let mut known = self.clone();
        known.readings.retain(|it| it.at_s <= at_s + 1e-6);
        known.acted.retain(|it| it.at_s <= at_s + 1e-6);
        known
    }
}
