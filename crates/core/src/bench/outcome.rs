//! What comes of a test: an answer in words, figures with their ±, and what its plot shows.

use super::capture::Capture;
use super::fit::LossFit;
use super::meter::Known;
use super::profile::Profile;
use crate::ground::say::Sentence;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// A figure that a test gives.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Given {
    /// The figure in words.
    pub name: String,
    /// Its unit.
    pub unit: String,
    /// What was measured.
    pub value: f64,
    /// Half-width of its 95 % interval.
    pub plus_minus: f64,
    /// What the plan computes with now; none where it states nothing.
    pub now: Option<f64>,
    /// The test that the plan's figure comes from, where it comes from one.
    pub now_test: Option<String>,
    /// Where it stands in its element, as a JSON pointer.
    pub pointer: String,
}

/// A list that a test gives as a whole: the overloads of a port, the phases of a device.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct GivenList {
    /// It in words.
    pub name: String,
    /// How many entries it has, in words, such as "3 phases".
    pub words: Sentence,
    /// The list, as it stands in a plan.
    #[cfg_attr(
        feature = "schema",
        schemars(with = "Vec<serde_json::Map<String, Value>>")
    )]
    pub value: Value,
    /// The test that the plan's list comes from, where it comes from one.
    pub now_test: Option<String>,
    /// Where it stands in its element, as a JSON pointer.
    pub pointer: String,
}

/// A result that no figure of the plan takes.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Told {
    /// It in words.
    pub name: String,
    /// Its unit.
    pub unit: &'static str,
    /// Its value.
    pub value: f64,
    /// Half-width of its 95 % interval; none where it is a count.
    pub plus_minus: Option<f64>,
}

impl Told {
    pub(super) fn of(name: impl Into<String>, unit: &'static str, known: Known) -> Self {
        Self {
            name: name.into(),
            unit,
            value: known.value,
            plus_minus: Some(known.plus_minus),
        }
    }
}

/// A row that is out of line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "OddRow"))]
pub struct Question {
    /// The row, counted from 0.
    pub row: usize,
    /// What is asked about it.
    pub sentence: Sentence,
}

/// A point of a test's plot.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Plotted {
    /// The row that it comes from, counted from 0.
    pub row: usize,
    /// Along.
    pub x: Known,
    /// Up.
    pub y: Known,
}

/// A place on the fitted curve.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CurveAt {
    /// Along.
    pub x: f64,
    /// Up.
    pub y: f64,
    /// Half-width of the curve's own 95 % band there.
    pub plus_minus: f64,
}

/// A stretch of a file's samples: the lowest and the highest in it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Stretch {
    /// Its begin, along.
    pub x: f64,
    /// The lowest sample in it.
    pub low: f64,
    /// The highest.
    pub high: f64,
}

/// A span of a plot that has a name: "dead", "busy".
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "PlotMark"))]
pub struct Mark {
    /// Where it begins, along.
    pub from: f64,
    /// Where it ends.
    pub to: f64,
    /// What it is.
    pub name: String,
}

/// An axis.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Axis {
    /// What it shows.
    pub name: &'static str,
    /// Its unit.
    pub unit: &'static str,
}

/// What is drawn of a test.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Plot {
    /// Along.
    pub along: Axis,
    /// Up.
    pub up: Axis,
    /// The readings.
    pub points: Vec<Plotted>,
    /// The curve through them.
    pub curve: Vec<CurveAt>,
    /// A file's samples, thinned so that no swing is lost.
    pub trace: Vec<Stretch>,
    /// Spans with a name.
    pub marks: Vec<Mark>,
}

impl Plot {
    pub(super) const fn of(
        along: (&'static str, &'static str),
        up: (&'static str, &'static str),
    ) -> Self {
        let (along, up) = (
            Axis {
                name: along.0,
                unit: along.1,
            },
            Axis {
                name: up.0,
                unit: up.1,
            },
        );
        Self {
            along,
            up,
            points: Vec::new(),
            curve: Vec::new(),
            trace: Vec::new(),
            marks: Vec::new(),
        }
    }

    pub(super) fn with(self, points: impl IntoIterator<Item = (usize, Known, Known)>) -> Self {
        let points = points
            .into_iter()
            .map(|(row, x, y)| Plotted { row, x, y })
            .collect();
        Self { points, ..self }
    }
}

/// What comes of a test.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Outcome {
    /// The answer in words; what is missing where there is none yet.
    pub sentence: Sentence,
    /// The figures that it gives to the plan.
    pub figures: Vec<Given>,
    /// Lists that it gives to the plan.
    pub lists: Vec<GivenList>,
    /// What the store holds by it where that is no figure for the plan, Wh: by a charge and an
    /// efficiency that is known otherwise.
    pub holds_wh: Option<Known>,
    /// What it tells besides.
    pub told: Vec<Told>,
    /// What is asked about rows.
    pub questions: Vec<Question>,
    /// What is drawn.
    pub plot: Option<Plot>,
    /// The law through the points, of an efficiency test.
    pub fit: Option<LossFit>,
    /// What a capture shows.
    pub capture: Option<Capture>,
    /// The phases in a log.
    pub profile: Option<Profile>,
}

impl Outcome {
    /// A sentence alone.
    pub(super) fn says(sentence: impl Into<String>) -> Self {
        Self {
            sentence: sentence.into().into(),
            figures: Vec::new(),
            lists: Vec::new(),
            holds_wh: None,
            told: Vec::new(),
            questions: Vec::new(),
            plot: None,
            fit: None,
            capture: None,
            profile: None,
        }
    }
}

/// Samples in the order of time, thinned to `most` stretches of equal length: each keeps its lowest
/// and its highest, so that no swing is lost. What is not a number is left out, and a stretch
/// without samples is not drawn.
pub fn thinned(samples: impl Iterator<Item = (f64, f64)> + Clone, most: usize) -> Vec<Stretch> {
    let finite = samples.filter(|it| it.0.is_finite() && it.1.is_finite());
    let (mut first, mut last) = (f64::INFINITY, f64::NEG_INFINITY);
    for (x, _) in finite.clone() {
        first = first.min(x);
        last = last.max(x);
    }
    // A hair longer, so that the last sample belongs to the last stretch.
    let long = (last - first).max(f64::MIN_POSITIVE) / most.max(1) as f64 * (1.0 + 1e-9);
    let mut stretches: Vec<Stretch> = Vec::new();
    let mut until = f64::NEG_INFINITY;
    for (x, y) in finite {
        match stretches.last_mut().filter(|_| x < until) {
            Some(it) => {
                it.low = it.low.min(y);
                it.high = it.high.max(y);
            }
            None => {
                until = first + (((x - first) / long).floor() + 1.0) * long;
                stretches.push(Stretch { x, low: y, high: y });
            }
        }
    }
    stretches
}
