//! How an arrangement fares in an outage: marched as `simulate` does, with what comes into its
//! stores meanwhile, its rules and its clock, so that whoever compares over an outage is told what
//! an outage is told to be.

use crate::ground::figure::Figure;
use crate::ground::say::{Name, Sentence};
use crate::site::plan::{Arrangement, Outage, Plan};
use crate::time::outage::{SHED_BY_RULE, Simulation, SourceRun, simulate};
use serde::Serialize;
use std::collections::BTreeMap;

/// Moments at which the charge is looked at.
const MOMENTS: f64 = 2000.0;

/// How an arrangement fares in an outage.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Fared {
    /// When its first store comes to its floor, hours after the start; none where none does.
    pub to_floor_h: Option<f64>,
    /// Which store that is, by id.
    pub floor_of: Option<String>,
    /// The first device that is lost where the stores are spared down to their floors; none where
    /// none is.
    pub spared: Option<FirstLost>,
    /// The same where everything that they hold is used.
    pub used_up: Option<FirstLost>,
}

/// The first device that is lost, but for what a rule drops.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FirstLost {
    /// When, hours after the start.
    pub at_h: f64,
    /// The device, by id; of several at once the one that matters most.
    pub device: String,
    /// What happens then, in words.
    pub words: Sentence,
}

impl Fared {
    /// Marches an outage twice: down to the floors, and with everything used.
    pub(super) fn of(plan: &Plan, way: &Arrangement, outage: &Outage) -> Self {
        let with = |everything: bool| {
            simulate(
                plan,
                way,
                &Outage {
                    use_everything: Some(everything),
                    ..outage.clone()
                },
                None,
            )
        };
        let (spared, used_up) = (with(false), with(true));
        let floors = spared
            .sources
            .iter()
            .filter_map(|(id, it)| Some((it.to_floor_h?, id)));
        let first = floors.min_by(|a, b| a.0.total_cmp(&b.0));
        Self {
            to_floor_h: first.map(|it| it.0),
            floor_of: first.map(|it| it.1.clone()),
            spared: first_lost(plan, &spared),
            used_up: first_lost(plan, &used_up),
        }
    }

    /// When the first store is at its floor, or a device is lost before that, h; endless where
    /// neither is.
    pub(super) fn whole_h(&self) -> f64 {
        let lost = self.spared.as_ref().map(|it| it.at_h);
        lost.into_iter()
            .chain(self.to_floor_h)
            .fold(f64::INFINITY, f64::min)
    }

    /// The device that is lost before any store is at its floor.
    pub(super) fn lost_before(&self) -> Option<&FirstLost> {
        let floor = self.to_floor_h.unwrap_or(f64::INFINITY);
        self.spared
            .as_ref()
            .filter(|it| it.at_h < floor * (1.0 - 1e-9))
    }
}

/// How deep an outage takes each store that begins it full, 0 to 1.
pub(super) fn depths(plan: &Plan, way: &Arrangement, outage: &Outage) -> BTreeMap<String, f64> {
    let full = Outage {
        initial_soc: BTreeMap::new(),
        ..outage.clone()
    };
    let run = simulate(
        plan,
        way,
        &full,
        Some(outage.hours.get() * 3600.0 / MOMENTS),
    );
    let depth = |it: &SourceRun| 1.0 - it.series.iter().map(|it| it[1]).fold(it.end_soc, f64::min);
    let in_use = run.sources.iter().filter(|it| {
        way.feeds
            .iter()
            .any(|feed| feed.from.item.as_str() == it.0.as_str())
    });
    in_use.map(|(id, it)| (id.clone(), depth(it))).collect()
}

fn first_lost(plan: &Plan, run: &Simulation) -> Option<FirstLost> {
    let rank = |id: &str| {
        let own = plan.device(id).and_then(|it| it.priority.as_ref());
        own.map_or(f64::INFINITY, Figure::get)
    };
    let lost = run
        .devices
        .iter()
        .filter(|it| it.1.why.as_deref() != Some(SHED_BY_RULE));
    let lost = lost.filter_map(|(id, it)| Some((it.down_at_h?, id, it)));
    let (at_h, id, it) = lost.min_by(|a, b| {
        a.0.total_cmp(&b.0)
            .then_with(|| rank(a.1).total_cmp(&rank(b.1)))
    })?;
    let why = it
        .why
        .as_ref()
        .map_or_else(String::new, |why| format!(" ({why})"));
    let words = format!("{} goes off{why}", Name(plan.label(id))).into();
    Some(FirstLost {
        at_h,
        device: id.clone(),
        words,
    })
}
