//! What to measure next: over all figures of a plan, the test that narrows its answers most per
//! minute of work.
//!
//! A figure that nobody measured counts for what its ± does: to a day's watt-hours and to the worst
//! finding (`matters`); to which of several arrangements of the same devices draws least
//! (`compare::decides`): the share of the lead that its ± moves, and as much again where another
//! one wins within that ±, which is where the two cross; and to how long the first device lasts in
//! the first outage (`outage::chances`), by its share of that spread. Of that a test takes away
//! what a measured figure would not have: 1 − 3 % / (± / value). A test counts for all the figures
//! that it gives at once, over its minutes.

use crate::advice::compare::decides;
use crate::advice::matters::{Matter, weighed};
use crate::bench::{Guide, Known, LEAST_SHARE, Protocol, Subject, guide_of, narrowed, part_of};
use crate::ground::figure::{Basis, Figure};
use crate::ground::say::{Amount, Name, Sentence, percent};
use crate::network::{Charge, fed};
use crate::site::figures::FigureAt;
use crate::site::plan::{Arrangement, Device, Outage, Plan};
use crate::time::outage::{Handle, SpreadShare, chances, clocked};
use serde::Serialize;
use std::collections::BTreeMap;
use std::collections::btree_map::Entry;

/// Tests that are told at most.
const MOST: usize = 8;
/// A test that is worth its time.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Next {
    /// The test, by its word.
    pub protocol: Protocol,
    /// What the test is called.
    pub title: &'static str,
    /// What it is done to.
    pub of: Subject,
    /// What that is called.
    pub label: String,
    /// Minutes of work.
    pub minutes: u32,
    /// What it takes.
    pub needs: &'static [&'static str],
    /// The figures that it gives and that nobody measured, in words.
    pub figures: Vec<String>,
    /// How much of the answers hangs on them; 1 is about a whole limit, or a third of a day's
    /// energy.
    pub weight: f64,
    /// That per minute of work, over the best one's: 1 for the best.
    pub share: f64,
    /// Why, in a sentence.
    pub sentence: Sentence,
}

struct Candidate {
    guide: &'static Guide,
    of: Subject,
    label: String,
    figures: Vec<(String, f64)>,
    reasons: Vec<(f64, String)>,
}

/// What hangs on a figure that nobody measured.
struct Cause {
    figure: FigureAt,
    weight: f64,
    /// Why, in a sentence.
    why: String,
    /// What that sentence weighs: of several causes of one figure the heaviest is told.
    tells: f64,
}

/// The tests that narrow the answers of a plan most per minute of work, the best first.
pub fn next(plan: &Plan) -> Vec<Next> {
    let text = serde_json::to_value(plan).unwrap_or_default();
    let mut candidates: BTreeMap<(Protocol, String, Option<String>), Candidate> = BTreeMap::new();
    for cause in causes(plan) {
        let figure = cause.figure;
        let part = part_of(&text, &figure);
        let Some(guide) = guide_of(plan, &figure, part.as_deref()) else {
            continue;
        };
        let left = narrowed(&figure);
        let of = Subject {
            kind: figure.kind.into(),
            id: figure.id.clone(),
            part: part.clone(),
        };
        let candidate = candidates
            .entry((guide.protocol, figure.id.clone(), part))
            .or_insert_with(|| Candidate {
                guide,
                label: called(plan, &of, &figure.label),
                of,
                figures: Vec::new(),
                reasons: Vec::new(),
            });
        candidate.figures.push((figure.name, cause.weight * left));
        candidate.reasons.push((cause.weight * left, cause.why));
    }
    with_idle(&mut candidates);
    let mut found: Vec<Next> = candidates
        .into_values()
        .map(told)
        .filter(|it| it.weight > 0.0)
        .collect();
    let rate = |it: &Next| it.weight / f64::from(it.minutes.max(1));
    found.sort_by(|a, b| rate(b).total_cmp(&rate(a)));
    found.truncate(MOST);
    let best = found.first().map_or(1.0, rate);
    for it in &mut found {
        it.share = rate(it) / best;
    }
    found
}

/// Every figure that nobody measured and on which something hangs: a day and its limits, which
/// arrangement draws least, or how long the first device lasts. A figure may count for one of them
/// alone: a battery's capacity changes no day.
fn causes(plan: &Plan) -> Vec<Cause> {
    let mut found: BTreeMap<(&'static str, String, String), Cause> = BTreeMap::new();
    let weighed = weighed(plan).into_iter().map(|it| {
        let weight = it.weight();
        Cause {
            weight,
            why: reason(plan, &it),
            tells: weight,
            figure: it.figure,
        }
    });
    for it in weighed
        .chain(races(plan))
        .chain(spreads(plan))
        .filter(|it| it.figure.basis != Basis::Measured)
    {
        match found.entry(key(&it.figure)) {
            Entry::Vacant(free) => {
                free.insert(it);
            }
            Entry::Occupied(mut was) => {
                let was = was.get_mut();
                was.weight += it.weight;
                if it.tells > was.tells {
                    (was.why, was.tells) = (it.why, it.tells);
                }
            }
        }
    }
    found.into_values().collect()
}

fn key(figure: &FigureAt) -> (&'static str, String, String) {
    (figure.kind, figure.id.clone(), figure.path.clone())
}

/// An efficiency test gives the idle draw too: what hangs on that counts for it as well.
fn with_idle(candidates: &mut BTreeMap<(Protocol, String, Option<String>), Candidate>) {
    let idle: Vec<_> = candidates
        .iter()
        .filter(|it| it.0.0 == Protocol::Idle)
        .map(|(key, it)| (key.clone(), it.figures.clone(), it.reasons.clone()))
        .collect();
    for ((_, id, part), figures, reasons) in idle {
        if let Some(whole) = candidates.get_mut(&(Protocol::Efficiency, id, part)) {
            whole.figures.extend(figures);
            whole.reasons.extend(reasons);
        }
    }
}

fn told(mut it: Candidate) -> Next {
    it.figures.sort_by(|a, b| b.1.total_cmp(&a.1));
    it.reasons.sort_by(|a, b| b.0.total_cmp(&a.0));
    let weight = it.figures.iter().map(|it| it.1).sum();
    let reason = it.reasons.first().map_or("", |it| &it.1);
    let sentence = format!(
        "{}: {}, {} minutes. {reason}",
        it.label, it.guide.title, it.guide.minutes
    );
    Next {
        protocol: it.guide.protocol,
        title: it.guide.title,
        of: it.of,
        label: it.label,
        minutes: it.guide.minutes,
        needs: it.guide.needs,
        figures: it.figures.into_iter().map(|it| it.0).collect(),
        weight,
        share: 0.0,
        sentence: sentence.into(),
    }
}

/// What the ± of a figure does, in a sentence.
fn reason(plan: &Plan, matter: &Matter) -> String {
    let half = Known {
        value: matter.figure.value,
        plus_minus: matter.figure.plus_minus,
    }
    .words(matter.figure.unit);
    match &matter.turns {
        Some(turn) => {
            let item = turn.place.split(['/', '>']).next().unwrap_or_default();
            let (from, to) = (turn.from.word(), turn.to.word());
            format!(
                "By its {} ({half}) {} would turn from {from} to {to}.",
                matter.figure.name,
                Name(plan.label(item))
            )
        }
        None if matter.day_wh >= 1.0 => {
            format!(
                "Its {} ({half}) moves {} a day.",
                matter.figure.name,
                Amount(matter.day_wh, "Wh")
            )
        }
        None => format!(
            "Its {} ({half}) moves the tightest limit.",
            matter.figure.name
        ),
    }
}

/// Runs by which the spread of an outage is seen: shares of a tenth stand out of it.
const RUNS: usize = 200;
/// The figures that the spread of the first device's hours hangs on, in the first outage, by every
/// arrangement.
fn spreads(plan: &Plan) -> Vec<Cause> {
    let Some(outage) = plan.outages.first() else {
        return Vec::new();
    };
    let mut most: BTreeMap<_, Cause> = BTreeMap::new();
    for it in plan
        .arrangements
        .iter()
        .flat_map(|way| spread(plan, way, outage))
    {
        // What is got by a test is got for every arrangement: the one in which most hangs on it
        // counts.
        let key = key(&it.figure);
        if most.get(&key).is_none_or(|was| it.weight > was.weight) {
            most.insert(key, it);
        }
    }
    most.into_values().collect()
}

/// Of independent figures each takes its share of the variance, so the root of that share is the
/// part of the half-width that is its own: what its ± does to the hours. As with a day, a share of
/// the hours counts three times.
fn spread(plan: &Plan, way: &Arrangement, outage: &Outage) -> Vec<Cause> {
    let rank = |it: &Device| it.priority.as_ref().map_or(f64::INFINITY, Figure::get);
    let Some(first) = fed(plan, way).min_by(|a, b| rank(a).total_cmp(&rank(b))) else {
        return Vec::new();
    };
    let Some(mut drawn) = chances(plan, way, outage, RUNS, 1, &Handle::default()) else {
        return Vec::new();
    };
    let Some(device) = drawn.devices.remove(first.id.as_str()) else {
        return Vec::new();
    };
    let hours = device.hours;
    let half = (hours.p95 - hours.p5) / 2.0 / hours.p50.max(0.1);
    let told = |it: SpreadShare| {
        let why = format!(
            "{} of the spread of how long {} lasts in “{}” ({} to {}) is its {}.",
            percent((it.share * 20.0).round() / 20.0),
            Name(&first.label),
            Name(&way.label),
            clocked(hours.p5),
            clocked(hours.p95),
            it.figure.name
        );
        let weight = 3.0 * half * it.share.sqrt();
        Cause {
            figure: it.figure,
            weight,
            why,
            tells: weight,
        }
    };
    device
        .shares
        .into_iter()
        .filter(|it| it.share >= LEAST_SHARE)
        .map(told)
        .collect()
}

/// The figures that which arrangement draws least hangs on.
fn races(plan: &Plan) -> Vec<Cause> {
    let mut groups: Vec<(Vec<&str>, Vec<&Arrangement>)> = Vec::new();
    for way in &plan.arrangements {
        let mut devices: Vec<&str> = fed(plan, way).map(|it| it.id.as_str()).collect();
        devices.sort_unstable();
        match groups.iter_mut().find(|it| it.0 == devices) {
            Some(group) => group.1.push(way),
            None => groups.push((devices, vec![way])),
        }
    }
    let mut races = Vec::new();
    for (_, ways) in groups
        .iter()
        .filter(|it| it.1.len() > 1 && !it.0.is_empty())
    {
        let Ok(found) = decides(plan, ways, &Charge::full()) else {
            continue;
        };
        for it in found.figures {
            let moved = (it.moves_wh.abs() / found.less_wh.max(1e-9)).min(1.0);
            let crosses = it.times.is_some_and(|it| it <= 1.0);
            let weight = moved + f64::from(u8::from(crosses));
            // That another one wins within its ± is news; what it takes of a lead that stays says
            // less than its watts do.
            let (why, tells) = if crosses {
                let then = it
                    .then
                    .as_deref()
                    .and_then(|it| plan.arrangement(it))
                    .map_or("another way", |it| &it.label);
                (
                    format!(
                        "Within the ± of its {} “{then}” draws less.",
                        it.figure.name
                    ),
                    f64::INFINITY,
                )
            } else {
                (
                    format!(
                        "Its {} is {} of what one way saves over another.",
                        it.figure.name,
                        percent(moved)
                    ),
                    0.0,
                )
            };
            races.push(Cause {
                figure: it.figure,
                weight,
                why,
                tells,
            });
        }
    }
    races
}

/// What is tested, in words.
fn called(plan: &Plan, of: &Subject, label: &str) -> String {
    let Some(part) = &of.part else {
        return label.to_owned();
    };
    let ports = plan.source(&of.id).map(|it| it.ports.as_slice());
    let ports = ports
        .or_else(|| plan.converter(&of.id).map(|it| it.outputs.as_slice()))
        .unwrap_or_default();
    let port = ports
        .iter()
        .find(|it| it.id.as_str() == part)
        .and_then(|it| it.label.clone());
    let item = plan.label(part);
    match (of.kind.as_str(), port) {
        ("arrangement", _) => format!("{label}, lead to {item}"),
        (_, Some(port)) => format!("{label}, {port}"),
        (_, None) => format!("{label}, {part}"),
    }
}
