//! Afterwards: what was told at each hour beside what happened, and each decision beside the best
//! that could be known then.
//!
//! What was best is searched for on the estimate of that very moment, and not on the truth: nobody
//! is held against what nobody could know. What a decision really won is told beside it, where the
//! truth is known.

use super::answer::{DropGain, Learned, Range};
use super::estimate::{Standing, WorthReading};
use super::seen::{Act, Acted, Seen};
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::site::plan::{Arrangement, From, Outage, Plan};
use serde::Serialize;
use std::collections::BTreeMap;

/// Hours at which the forecast of then is told, at most.
const MOST_HOURS: usize = 8;
/// Runs by which each hour is told: enough for how wide it is.
const RUNS: usize = 160;
/// Decisions that are held against what was best, at most.
const MOST_DECISIONS: usize = 12;
/// Somebody who drops nothing for so long has decided so, h.
const UNDECIDED_H: f64 = 0.5;

/// What was told at one hour.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct HourTold {
    /// The hour, since the outage began.
    pub at_h: f64,
    /// How long the device that matters most had, hours since the outage began.
    pub until_h: Range,
}

/// A decision, beside the best that could be known.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Decision {
    /// When, hours since the outage began.
    pub at_h: f64,
    /// What was switched off or plugged over; none where nothing was.
    pub device: Option<String>,
    /// To which outlet it was plugged over, as `item/port`; none where it was switched off.
    pub outlet: Option<String>,
    /// The device that it is for.
    pub winner: String,
    /// What it was likely to win by what was known then, h.
    pub wins_h: f64,
    /// The one switch that was likely to win most then; none where nothing could be switched off.
    pub best: Option<DropGain>,
    /// What it really won, h; none where nobody knows.
    pub really_h: Option<f64>,
    /// After how long it was switched on again, h; none where it was not.
    pub back_after_h: Option<f64>,
}

/// An outage, looked back at.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Review {
    /// The device that matters most.
    pub device: String,
    /// The outage's length as it was planned with, h: a device that lasts it is told with it.
    pub hours: f64,
    /// How long it was watched, h.
    pub watched_h: f64,
    /// What the plan alone said of it, before anything was read.
    pub planned_h: Range,
    /// What was told as it went on.
    pub told: Vec<HourTold>,
    /// When it was really lost, hours since the outage began; none where it was not while it was
    /// watched.
    pub lost_h: Option<f64>,
    /// What was decided.
    pub decisions: Vec<Decision>,
    /// The one reading that would have told most, halfway through.
    pub earlier: Option<WorthReading>,
    /// What was learned of the figures, by all that was read.
    pub learned: Vec<Learned>,
}

/// When each device is lost with other things done, hours since the outage began: the truth of a
/// drill.
pub type Truth<'a> = &'a dyn Fn(&[Acted]) -> Option<BTreeMap<String, f64>>;

/// Looks back at an outage that was watched for `watched_h` hours.
///
/// # Errors
/// As [`Standing::at`], or where no device has a part in it.
pub fn review(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    seen: &Seen,
    watched_h: f64,
    truth: Option<Truth<'_>>,
) -> Result<Review, FieldError> {
    let rank =
        |it: &crate::site::plan::Device| it.priority.as_ref().map_or(f64::INFINITY, Figure::get);
    let fed = plan
        .kit
        .devices
        .iter()
        .filter(|it| way.feed_into(it.id.as_str()).is_some());
    let device = fed
        .min_by(|a, b| rank(a).total_cmp(&rank(b)))
        .ok_or_else(|| FieldError::of("arrangement", "feeds no device".to_owned()))?
        .id
        .to_string();
    let hours = outage.hours.get();
    let watched_h = watched_h.clamp(0.0, hours);
    let at = |seen: &Seen, at_h: f64| Standing::drawn(plan, way, outage, seen, at_h, (RUNS, 1));
    let until = |it: &Standing| {
        it.told()
            .devices
            .get(&device)
            .map_or_else(Range::default, |it| it.until_h)
    };
    let blank = Seen {
        starts: seen.starts.clone(),
        ..Seen::default()
    };
    let planned_h = until(&at(&blank, 0.0)?);
    let lost = |acted: &Acted| matches!(&acted.act, Act::Lost(id) if *id == device);
    let really = truth.and_then(|it| it(&seen.acted));
    let lost_h = match &really {
        Some(all) => all
            .get(&device)
            .copied()
            .filter(|it| *it < watched_h - 1e-6),
        None => seen
            .acted
            .iter()
            .find(|it| lost(it))
            .map(|it| it.at_s / 3600.0),
    };
    // Nobody forecasts what is over.
    let end_h = lost_h.unwrap_or(watched_h).min(watched_h);
    let mut told = Vec::new();
    let mut halfway = None;
    let mut last = None;
    for turn in 0..=MOST_HOURS {
        let at_h = end_h * turn as f64 / MOST_HOURS as f64 * 0.999;
        let found = at(seen, at_h)?;
        told.push(HourTold {
            at_h,
            until_h: until(&found),
        });
        if turn == MOST_HOURS / 2 {
            halfway = found.worth_reading();
        }
        last = Some(found);
    }
    let mut decisions = Vec::new();
    let drops = seen
        .acted
        .iter()
        .enumerate()
        .filter_map(|(place, it)| match &it.act {
            Act::Drop(id) => Some((place, it.at_s, id, None)),
            Act::Over(id, port) => Some((place, it.at_s, id, Some(port))),
            _ => None,
        });
    let drops: Vec<(usize, f64, &String, Option<&From>)> = drops.take(MOST_DECISIONS).collect();
    if drops.first().is_none_or(|it| it.1 > UNDECIDED_H * 3600.0) && end_h > UNDECIDED_H {
        let best = at(seen, 0.0)?.told().drops.first().cloned();
        decisions.push(Decision {
            at_h: 0.0,
            device: None,
            outlet: None,
            winner: best
                .as_ref()
                .map_or_else(|| device.clone(), |it| it.winner.clone()),
            wins_h: 0.0,
            best,
            really_h: truth.map(|_| 0.0),
            back_after_h: None,
        });
    }
    for (place, at_s, id, port) in drops {
        let mut known = seen.clone();
        known.acted.truncate(place);
        let standing = at(&known, (at_s / 3600.0).min(hours))?;
        let gains = standing.told().drops.clone();
        let own = gains.iter().find(|it| it.device == *id && port.is_none());
        let winner = own
            .or(gains.first())
            .map_or_else(|| device.clone(), |it| it.winner.clone());
        let wins_h = match port {
            Some(_) => {
                let then = Seen {
                    acted: seen.acted[..=place].to_vec(),
                    ..known.clone()
                };
                standing
                    .wins(plan, way, outage, &then, &winner)
                    .unwrap_or_default()
            }
            None => own.map_or(0.0, |it| it.wins_h),
        };
        // What was plugged over stays so, as long as nobody plugs it back.
        let back = seen
            .acted
            .iter()
            .skip(place)
            .position(|it| matches!(&it.act, Act::Restore(it) | Act::Over(it, _) if it == id))
            .filter(|_| port.is_none());
        let back = back.map(|it| it + place);
        // The truth without it: with neither the drop nor what took it back.
        let without: Vec<Acted> = {
            let each = seen
                .acted
                .iter()
                .enumerate()
                .filter(|it| it.0 != place && Some(it.0) != back);
            each.map(|it| it.1.clone()).collect()
        };
        let really_h =
            truth.and_then(|it| Some(it(&seen.acted)?.get(&winner)? - it(&without)?.get(&winner)?));
        decisions.push(Decision {
            at_h: at_s / 3600.0,
            device: Some(id.clone()),
            outlet: port.map(|it| format!("{}/{}", it.item, it.port)),
            winner,
            wins_h,
            best: gains.first().cloned(),
            really_h,
            back_after_h: back.map(|it| (seen.acted[it].at_s - at_s) / 3600.0),
        });
    }
    let learned = last.map_or_else(Vec::new, |it| it.told().learned.clone());
    Ok(Review {
        device,
        hours,
        watched_h,
        planned_h,
        told,
        lost_h,
        decisions,
        earlier: halfway,
        learned,
    })
}
