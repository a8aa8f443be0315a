//! How a test is carried out: what it answers, what it takes, what to look out for, and its steps.

use super::meter::Reading;
use super::protocol::Protocol;
use crate::ground::json::words;
use serde::Serialize;

/// A step.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "GuideStep"))]
pub struct Step {
    /// What to do.
    pub words: &'static str,
    /// How long to wait, s; none where there is nothing to wait for.
    pub wait_s: Option<u32>,
}

/// A meter, and where it stands in the small drawing.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Meter {
    /// What it reads.
    pub name: &'static str,
    /// `in`, `out`, `near` or `far`: the side of what is tested.
    pub side: &'static str,
    /// Whether the current goes through it; else it lies across.
    pub series: bool,
}

words!(
    /// What a test is done to.
    Target {
        /// A device.
        Device = "device",
        /// A source with a pass-through, where one can switch over.
        Source = "source",
        /// A source with a battery.
        Store = "store",
        /// A panel.
        Panel = "panel",
        /// A converter.
        Converter = "converter",
        /// A charger.
        Charger = "charger",
        /// A port of a source.
        Port = "port",
        /// An output of a converter.
        Output = "output",
        /// A limit that ports share.
        Group = "group",
        /// A charging input of a source.
        Input = "input",
        /// A lead of an arrangement.
        Lead = "lead",
        /// A whole arrangement.
        Arrangement = "arrangement",
    }
);

/// A protocol.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Guide {
    /// Its word.
    pub protocol: Protocol,
    /// What it is called.
    pub title: &'static str,
    /// What it answers, and why that matters.
    pub answers: &'static str,
    /// What it is done to.
    pub subjects: &'static [Target],
    /// What it takes.
    pub needs: &'static [&'static str],
    /// Minutes of work.
    pub minutes: u32,
    /// What can hurt.
    pub cautions: &'static [&'static str],
    /// What to disconnect.
    pub disconnect: &'static str,
    /// Where the meters go.
    pub meters: Vec<Meter>,
    /// The steps.
    pub steps: Vec<Step>,
    /// What makes it invalid.
    pub invalid: &'static [&'static str],
    /// When to stop at once.
    pub stop: &'static str,
    /// What is read in each row; nothing where it comes from a file alone, or where the columns
    /// hang on the subject.
    pub readings: Vec<Reading>,
    /// Columns of the file that it reads; nothing where it is read by hand alone.
    pub file: Option<&'static str>,
}

pub(super) const fn step(words: &'static str) -> Step {
    Step {
        words,
        wait_s: None,
    }
}
pub(super) const fn wait(words: &'static str, seconds: u32) -> Step {
    Step {
        words,
        wait_s: Some(seconds),
    }
}
pub(super) const fn meter(name: &'static str, side: &'static str, series: bool) -> Meter {
    Meter { name, side, series }
}
pub(super) fn columns(of: &[(&str, &'static str, u8)]) -> Vec<Reading> {
    of.iter()
        .map(|(name, unit, digits)| Reading::of(*name, unit, *digits))
        .collect()
}

pub(super) const BATTERY: &str = "A battery gives its whole short-circuit current: the fuse stays \
    in, tools are insulated, the ammeter's leads never touch across the terminals.";
pub(super) const MAINS: &str = "Where the output is mains: it can kill. Use a plug-in meter, open \
    nothing, and leave wiring to a licensed electrician.";
pub(super) const HOT: &str =
    "Loads get hot: lamps and heaters on stone, nothing near them that burns.";
