//! What a test keeps of a file: what its method finds in it, and a thinned trace. The file itself
//! stays beside the test.

use super::capture::{Capture, Sample, capture};
use super::log::{Holds, Log};
use super::outcome::{Stretch, thinned};
use super::profile::{Profile, profile};
use super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::site::plan::Plan;
use serde::{Deserialize, Serialize};

/// Stretches that a file is drawn with.
const DRAWN: usize = 900;
/// Moments of a discharge that are kept.
const MOMENTS: usize = 2000;

/// What is drawn of a capture before its disturbance, and after it, s.
const BEFORE_S: f64 = 0.06;
const AFTER_S: f64 = 0.1;

/// What is kept of a file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Digest {
    /// What the file was called.
    pub name: String,
    /// Its rows of numbers.
    pub rows: usize,
    /// How long it goes on, s.
    pub seconds: f64,
    /// What is odd about it, in sentences.
    pub remarks: Vec<String>,
    /// Its samples, thinned so that no swing is lost.
    pub trace: Vec<Stretch>,
    /// What a capture shows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub capture: Option<Capture>,
    /// The phases in a log.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub profile: Option<Profile>,
    /// Hours, volts and amperes of a discharge.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub moments: Vec<[f64; 3]>,
}

/// How close rows of a file may be before they are taken together, s: a scope's finer than any
/// definition of a capture, a logger's finer than any phase.
pub const fn fine_s(protocol: Protocol) -> f64 {
    match protocol {
        Protocol::Switchover => 20e-6,
        _ => 0.05,
    }
}

/// What a protocol finds in a file.
///
/// # Errors
/// Where it lacks a column or rows, its times fall, or the protocol reads no file; names the field.
pub fn digest(
    plan: &Plan,
    protocol: Protocol,
    log: &Log,
    name: &str,
) -> Result<Digest, FieldError> {
    let time = log.of(Holds::Time).ok_or(FieldError::of(
        "file",
        "has no column of times; say which one it is".to_owned(),
    ))?;
    let (volts, amps) = (log.of(Holds::Volts), log.of(Holds::Amps));
    let begin = time
        .iter()
        .copied()
        .find(|it| it.is_finite())
        .unwrap_or(0.0);
    let end = time
        .iter()
        .copied()
        .rev()
        .find(|it| it.is_finite())
        .unwrap_or(begin);
    let mut remarks = Vec::new();
    let places = |count: usize, one: &str, many: &str| match count {
        1 => format!("one {one}"),
        _ => format!("{count} {many}"),
    };
    if log.gaps > 0 {
        remarks.push(format!(
            "{}: what happened there is not known",
            places(log.gaps, "gap", "gaps")
        ));
    }
    if log.doubles > 0 {
        remarks.push(format!(
            "{} with the time of the row before",
            places(log.doubles, "row", "rows")
        ));
    }
    let mut found = Digest {
        name: name.chars().take(120).collect(),
        rows: log.rows,
        seconds: (end - begin).max(0.0),
        remarks,
        trace: Vec::new(),
        capture: None,
        profile: None,
        moments: Vec::new(),
    };
    match protocol {
        Protocol::Switchover => {
            let volts = volts.ok_or(FieldError::of(
                "file",
                "has no column of volts; say which one it is".to_owned(),
            ))?;
            let pairs = time.iter().copied().zip(volts.iter().copied());
            let samples: Vec<Sample> = pairs
                .filter(|it| it.0.is_finite() && it.1.is_finite())
                .collect();
            let nominal = plan
                .site
                .mains
                .as_ref()
                .map_or(230.0, |it| it.voltage_v.get());
            let is_high = samples.iter().any(|it| it.1.abs() > nominal / 2.0);
            found.capture = Some(capture(&samples, is_high.then_some(nominal), None)?);
            // What is looked at is the switch: three cycles before it, and as long as it takes to
            // be well again after.
            let span = found
                .capture
                .as_ref()
                .and_then(|it| Some((it.disturbed_from_s?, it.disturbed_ms? / 1000.0)));
            let (from, to) = span.map_or((begin, end), |(from, long)| {
                (from - BEFORE_S, from + long + AFTER_S)
            });
            let looked_at = samples.iter().filter(|it| it.0 >= from && it.0 <= to);
            found.trace = thinned(looked_at.map(|it| ((it.0 - begin) * 1000.0, it.1)), DRAWN);
        }
        Protocol::Profile => {
            found.profile = Some(profile(log)?);
            let watts = |index: usize| match (log.of(Holds::Watts), volts, amps) {
                (Some(watts), ..) => watts[index],
                (None, Some(volts), Some(amps)) => volts[index] * amps[index],
                _ => f64::NAN,
            };
            found.trace = thinned(
                (0..time.len()).map(|it| (time[it] - begin, watts(it))),
                DRAWN,
            );
        }
        Protocol::Capacity => {
            let (Some(volts), Some(amps)) = (volts, amps) else {
                return Err(FieldError::of(
                    "file",
                    "needs volts and amperes; say which columns they are".into(),
                ));
            };
            let all = (0..time.len()).map(|it| [(time[it] - begin) / 3600.0, volts[it], amps[it]]);
            let whole: Vec<[f64; 3]> = all
                .filter(|it| it.iter().all(|it| it.is_finite()))
                .collect();
            // A discharge is smooth: every so many rows are as good as all, as long as the last one
            // is among them.
            let every = whole.len().div_ceil(MOMENTS).max(1);
            found.moments = whole.iter().copied().step_by(every).collect();
            if let Some(last) = whole.last().filter(|it| found.moments.last() != Some(it)) {
                found.moments.push(*last);
            }
            found.trace = thinned(whole.iter().map(|it| (it[0], it[1])), DRAWN);
        }
        other => {
            return Err(FieldError::of(
                "file",
                format!(
                    "is nothing that \"{}\" reads; its readings are typed",
                    other.word()
                ),
            ));
        }
    }
    Ok(found)
}
