//! What dropping a device buys the ones that matter more, and the best order to drop them in.
//!
//! Devices stand in the order of priority. A better order is one that keeps the first device on for
//! longer; where that is the same, the second, and so on (lexicographic). Every device gets a time
//! until which it stays on, and is dropped for good then. As a device that stays on for longer
//! never makes another last longer, the best times are found one after the other: each device's is
//! the latest at which all before it keep theirs, with everything behind it dropped at the start.
//! That is exact, however the devices share converters and stores.

use super::march::{Fineness, march};
use super::result::Simulation;
use super::setting::Setting;
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::say::{Name, Sentence, percent};
use crate::limits::is_medical;
use crate::network::fed;
use crate::site::plan::outage::Rule;
use crate::site::plan::{Arrangement, Device, Id, Outage, Plan};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// Devices for which the best order is found at most.
pub const MOST_DEVICES: usize = 15;
/// Halvings by which a time is found: a week to a second and a half.
const HALVINGS: usize = 18;
/// Hours that count as the same.
const SAME_H: f64 = 1.0 / 120.0;

/// What dropping some devices buys.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Dropped {
    /// The devices that are dropped.
    pub devices: Vec<String>,
    /// When the first device by priority that is left, or that is asked for, is lost then, h; none
    /// where it lasts.
    pub keeps_h: Option<f64>,
    /// Hours that the device it is all for wins.
    pub wins_h: f64,
    /// Hours that each device that matters more wins, by id; those that win nothing are left out.
    pub wins: BTreeMap<String, f64>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// A device in the best order.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Drop {
    /// The device.
    pub device: String,
    /// Hours after the start until which it stays on; none where it is never dropped.
    pub at_h: Option<f64>,
    /// The store that it hangs on.
    pub source: Option<String>,
    /// The charge of that store then, 0 to 1.
    pub below_soc: Option<f64>,
    /// Until when it is on with that, h; the length of the outage where it lasts.
    pub hours: f64,
    /// The rule in a sentence.
    pub rule: Sentence,
}

/// The board by which devices are dropped.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ShedBoard {
    /// The device that it is all for: the first by priority.
    pub keeps: String,
    /// When it is lost as things are, h; none where it lasts.
    pub keeps_h: Option<f64>,
    /// What dropping each other device buys, at the start or below the charge that was asked for,
    /// the best first.
    pub each: Vec<Dropped>,
    /// What dropping those that were asked for together buys, the same way, where any were.
    pub set: Option<Dropped>,
    /// The best order, by priority; nothing for more than [`MOST_DEVICES`].
    pub best: Vec<Drop>,
    /// The rules that do it, ready for an outage.
    pub rules: Vec<Rule>,
}

/// Devices in use in the order of what matters, first by priority, then as they stand.
fn ranked<'a>(plan: &'a Plan, way: &'a Arrangement) -> Vec<&'a Device> {
    let mut devices: Vec<&Device> = fed(plan, way).collect();
    devices.sort_by(|a, b| {
        let rank = |it: &Device| it.priority.as_ref().map_or(f64::INFINITY, Figure::get);
        rank(a).total_cmp(&rank(b))
    });
    devices
}

/// Hours by device with some dropped from given times on (h after the start).
struct Trial<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    outage: &'a Outage,
}

impl Trial<'_> {
    fn run(&self, drops: &BTreeMap<String, f64>) -> Simulation {
        let mut setting = Setting::of(self.plan, self.way, self.outage);
        setting.drop_at(drops);
        march(
            &setting,
            None,
            Fineness {
                told: false,
                ..Fineness::default()
            },
        )
    }

    fn run_below(&self, ids: &[String], soc: f64) -> Simulation {
        let mut outage = self.outage.clone();
        for id in ids.iter().filter_map(|it| Id::new(it).ok()) {
            outage = with_drop(self.way, &outage, &id, soc).unwrap_or(outage);
        }
        Trial {
            outage: &outage,
            ..*self
        }
        .run(&BTreeMap::new())
    }

    fn lost_h(&self, found: &Simulation, device: &str) -> f64 {
        let whole = self.outage.hours.get();
        found
            .devices
            .get(device)
            .map_or(whole, |it| it.down_at_h.unwrap_or(whole))
    }
}

/// The outage with a device dropped for good once the store that it hangs on is below a charge (0
/// to 1; 1 is at once). What its rules said of that device before does not matter any more. None
/// where the arrangement does not feed it.
pub fn with_drop(
    way: &Arrangement,
    outage: &Outage,
    device: &Id,
    below_soc: f64,
) -> Option<Outage> {
    let root = way
        .chain(device.as_str())
        .last()
        .map(|it| way.feeds[*it].from.item.clone())?;
    let mut outage = outage.clone();
    outage
        .rules
        .retain(|rule| !matches!(rule, Rule::Shed { device: shed, .. } if shed == device));
    let below_soc = Figure::assumed(below_soc);
    outage.rules.push(Rule::Shed {
        device: device.clone(),
        source: root,
        below_soc,
    });
    Some(outage)
}

/// Works the board out. `together` are devices whose dropping is looked at as one; `below_soc` is
/// the charge of its own store below which each is dropped (0 to 1), at the start where there is
/// none.
///
/// # Errors
/// Names a device that the arrangement does not feed.
pub fn shed_board(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    together: &[String],
    below_soc: Option<f64>,
) -> Result<ShedBoard, FieldError> {
    let devices = ranked(plan, way);
    for id in together {
        if !devices.iter().any(|it| it.id.as_str() == id) {
            return Err(FieldError::of(
                "together",
                format!("\"{id}\" is no device of this arrangement; name one that it feeds"),
            ));
        }
    }
    let Some(first) = devices.first() else {
        return Err(FieldError::of(
            "together",
            "this arrangement feeds no device; feed one first".to_owned(),
        ));
    };
    let trial = Trial { plan, way, outage };
    let base = trial.run(&BTreeMap::new());
    let whole = outage.hours.get();
    let dropped = |ids: &[String]| {
        let found = match below_soc {
            None => trial.run(&ids.iter().map(|it| (it.clone(), 0.0)).collect()),
            Some(soc) => trial.run_below(ids, soc),
        };
        let left: Vec<&&Device> = devices
            .iter()
            .filter(|it| !ids.contains(&it.id.to_string()))
            .collect();
        let last = devices
            .iter()
            .rposition(|it| ids.contains(&it.id.to_string()))
            .unwrap_or(0);
        let ahead = devices
            .iter()
            .take(last)
            .filter(|it| !ids.contains(&it.id.to_string()));
        let won = |it: &Device| {
            trial.lost_h(&found, it.id.as_str()) - trial.lost_h(&base, it.id.as_str())
        };
        let wins: BTreeMap<String, f64> = ahead
            .map(|it| (it.id.to_string(), won(it)))
            .filter(|it| it.1 > SAME_H)
            .collect();
        // Where the first one is dropped itself, the next takes its place.
        let kept = left.first().copied().unwrap_or(first);
        let wins_h = won(kept).max(0.0);
        let lost = found
            .devices
            .get(kept.id.as_str())
            .and_then(|it| it.down_at_h);
        let names: Vec<String> = ids
            .iter()
            .map(|it| Name(plan.label(it)).to_string())
            .collect();
        let names = names.join(" and ");
        let means = match below_soc {
            None => Means {
                with: format!("Without {names}"),
                dropping: format!("Dropping {names}"),
            },
            Some(soc) => {
                let below = percent(soc);
                Means {
                    with: format!("With {names} dropped below {below}"),
                    dropping: format!("Dropping {names} below {below}"),
                }
            }
        };
        let sentence = sentence(plan, &means, kept, wins_h, &wins, lost.is_none());
        Dropped {
            devices: ids.to_vec(),
            keeps_h: lost,
            wins_h,
            wins,
            sentence: sentence.into(),
        }
    };
    // That what somebody's health hangs on be switched off is nobody's advice.
    let offered = devices
        .iter()
        .skip(1)
        .filter(|it| !is_medical(plan, it.id.as_str()));
    let mut each: Vec<Dropped> = offered.map(|it| dropped(&[it.id.to_string()])).collect();
    let sum = |it: &Dropped| it.wins.values().sum::<f64>();
    each.sort_by(|a, b| {
        b.wins_h
            .total_cmp(&a.wins_h)
            .then(sum(b).total_cmp(&sum(a)))
    });
    let set = (!together.is_empty()).then(|| dropped(together));
    let keeps_h = base
        .devices
        .get(first.id.as_str())
        .and_then(|it| it.down_at_h);
    let (best, rules) = if devices.len() <= MOST_DEVICES {
        best(&trial, &devices, whole)
    } else {
        Default::default()
    };
    Ok(ShedBoard {
        keeps: first.id.to_string(),
        keeps_h,
        each,
        set,
        best,
        rules,
    })
}

/// What is done, as the head of a sentence about what it wins, and of one about nothing.
struct Means {
    with: String,
    dropping: String,
}

fn sentence(
    plan: &Plan,
    means: &Means,
    kept: &Device,
    wins_h: f64,
    wins: &BTreeMap<String, f64>,
    lasts: bool,
) -> String {
    let Means { with, dropping } = means;
    let kept = Name(&kept.label);
    if wins_h > SAME_H {
        let ends = if lasts {
            ", and it lasts the outage"
        } else {
            ""
        };
        return format!(
            "{with} {kept} lasts {} longer{ends}.",
            super::clocked(wins_h)
        );
    }
    match wins.iter().max_by(|a, b| a.1.total_cmp(b.1)) {
        Some((id, hours)) => {
            format!(
                "{with} {kept} lasts no longer, but {} wins {}.",
                Name(plan.label(id)),
                super::clocked(*hours)
            )
        }
        None => format!("{dropping} wins nothing for what matters more."),
    }
}

/// The best order, and the rules that do it.
fn best(trial: &Trial<'_>, devices: &[&Device], whole: f64) -> (Vec<Drop>, Vec<Rule>) {
    // Until when each stays on; what stands further back is dropped at the start until its turn
    // comes.
    let never = |it: &Device| is_medical(trial.plan, it.id.as_str());
    let mut until: BTreeMap<String, f64> = devices
        .iter()
        .map(|it| (it.id.to_string(), if never(it) { whole } else { 0.0 }))
        .collect();
    let mut kept: Vec<(String, f64)> = Vec::new();
    for device in devices {
        let id = device.id.to_string();
        let holds = |until: &BTreeMap<String, f64>| {
            let found = trial.run(
                &until
                    .iter()
                    .filter(|it| *it.1 < whole)
                    .map(|it| (it.0.clone(), *it.1))
                    .collect(),
            );
            let lost = |id: &str| trial.lost_h(&found, id);
            let all = kept.iter().all(|(id, hours)| lost(id) >= hours - SAME_H);
            (all, lost(&id))
        };
        until.insert(id.clone(), whole);
        let (fits, hours) = holds(&until);
        if fits || never(device) {
            // It is lost with the others, or lasts: it need not be dropped before.
            kept.push((id, hours));
            continue;
        }
        let (mut good, mut bad) = (0.0, whole);
        for _ in 0..HALVINGS {
            let half = f64::midpoint(good, bad);
            until.insert(id.clone(), half);
            if holds(&until).0 {
                good = half;
            } else {
                bad = half;
            }
        }
        until.insert(id.clone(), good);
        let (_, hours) = holds(&until);
        kept.push((id, hours));
    }
    let drops: BTreeMap<String, f64> = until.into_iter().filter(|it| it.1 < whole).collect();
    let mut setting = Setting::of(trial.plan, trial.way, trial.outage);
    setting.drop_at(&drops);
    let steps = 2000.0;
    let found = march(
        &setting,
        Some(whole * 3600.0 / steps),
        Fineness {
            told: false,
            ..Fineness::default()
        },
    );
    let mut rules: Vec<(f64, Rule)> = Vec::new();
    let order = devices.iter().zip(kept).map(|(device, (id, hours))| {
        let at_h = drops.get(&id).copied();
        let chain = trial.way.chain(&id);
        let root = chain
            .last()
            .map(|it| trial.way.feeds[*it].from.item.to_string());
        let source = root.filter(|it| found.sources.contains_key(it));
        let soc = at_h.zip(source.as_ref()).and_then(|(at, source)| {
            let series = &found.sources.get(source)?.series;
            let after = series.iter().position(|it| it[0] >= at)?;
            Some(series[after][1])
        });
        let label = &device.label;
        let rule = match (at_h, soc) {
            (None, _) => format!("Keep {} on.", Name(label)),
            (Some(at), _) if at < SAME_H => format!("Drop {} at once.", Name(label)),
            (Some(at), Some(soc)) => {
                format!(
                    "Drop {} below {}, after {}.",
                    Name(label),
                    percent(soc),
                    super::clocked(at)
                )
            }
            (Some(at), None) => format!("Drop {} after {}.", Name(label), super::clocked(at)),
        };
        if let (Some(at), Some(soc), Some(source)) = (at_h, soc, &source)
            && let (Ok(device), Ok(source)) = (
                crate::site::plan::Id::new(&id),
                crate::site::plan::Id::new(source),
            )
        {
            rules.push((
                at,
                Rule::Shed {
                    device,
                    source,
                    below_soc: Figure::assumed((soc * 1000.0).round() / 1000.0),
                },
            ));
        }
        Drop {
            device: id,
            at_h,
            source,
            below_soc: soc,
            hours,
            rule: rule.into(),
        }
    });
    let order: Vec<Drop> = order.collect();
    rules.sort_by(|a, b| a.0.total_cmp(&b.0));
    (order, rules.into_iter().map(|it| it.1).collect())
}

/// Every set of the devices behind the first, for the brute force of tests and the curious: what is
/// left when it is dropped at the start, by the hours of the device that it is all for.
pub fn sets(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    most: usize,
) -> Vec<(BTreeSet<String>, f64)> {
    let devices = ranked(plan, way);
    let Some((first, rest)) = devices.split_first() else {
        return Vec::new();
    };
    let rest = &rest[..rest.len().min(most.min(MOST_DEVICES))];
    let trial = Trial { plan, way, outage };
    let all = (0..1_u32 << rest.len()).map(|mask| {
        let set: BTreeSet<String> = rest
            .iter()
            .enumerate()
            .filter(|it| mask >> it.0 & 1 == 1)
            .map(|it| it.1.id.to_string())
            .collect();
        let found = trial.run(&set.iter().map(|it| (it.clone(), 0.0)).collect());
        let hours = trial.lost_h(&found, first.id.as_str());
        (set, hours)
    });
    all.collect()
}
