//! How sure the answer is: an outage marched through many times over draws from the figures.
//!
//! Each run draws every figure of the arrangement that has a part in it from a normal distribution
//! around its value, with half of its ± as the standard deviation (the ± is the half-width of the
//! 95 % interval), cut to what is physical. Runs are numbered and each has its own stream of
//! numbers, so that the same seed gives the same answer on any number of threads. A figure's share
//! of the spread is the squared correlation of its draws with the hours (the first-order index of a
//! linear model; Saltelli et al. 2008, 1.2).
//!
//! What neither a feed nor a rule joins is marched through apart: each march has only its own
//! events and solves only its own network.

use super::march::{Fineness, march};
use super::result::Simulation;
use super::setting::Setting;
use crate::ground::draw::normal;
use crate::ground::work;
use crate::site::figures::{Drawing, FigureAt, Found, figures};
use crate::site::plan::outage::Rule;
use crate::site::plan::{Arrangement, Outage, Plan};
use rand::SeedableRng;
use rand::rngs::StdRng;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// Runs that are made at most.
pub const MOST_RUNS: usize = 20_000;
/// Moments at which the charge of each store is kept.
const MOMENTS: u32 = 72;
/// Figures with less of the spread are not told.
const LEAST_SHARE: f64 = 0.01;
/// How often a draw that makes no plan is drawn again.
const REDRAWS: usize = 40;

/// A range of hours.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct HourRange {
    /// One in twenty is below this.
    pub p5: f64,
    /// Half are below this.
    pub p50: f64,
    /// One in twenty is above this.
    pub p95: f64,
}

impl HourRange {
    /// The 5th, 50th and 95th percentile, between neighbours by their distance; zeros of nothing.
    pub fn of(mut values: Vec<f64>) -> Self {
        values.sort_by(f64::total_cmp);
        let at = |share: f64| {
            let Some(last) = values.len().checked_sub(1) else {
                return 0.0;
            };
            #[expect(clippy::cast_precision_loss, reason = "at most twenty thousand runs")]
            let place = share * last as f64;
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "between 0 and the length"
            )]
            let below = place.floor() as usize;
            let above = (below + 1).min(last);
            values[below] + (values[above] - values[below]) * place.fract()
        };
        Self {
            p5: at(0.05),
            p50: at(0.5),
            p95: at(0.95),
        }
    }
}

/// How sure one device's hours are.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeviceChance {
    /// When it is first lost, h; the length of the outage where it is not.
    pub hours: HourRange,
    /// The chance that it lasts the outage, 0 to 1.
    pub lasts: f64,
    /// What owns the spread of its hours, most first.
    pub shares: Vec<SpreadShare>,
}

/// A figure's share of a spread.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SpreadShare {
    /// The figure.
    #[serde(flatten)]
    pub figure: FigureAt,
    /// Its share of the variance, 0 to 1.
    pub share: f64,
}

/// The charge of a store over time.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ChargeBand {
    /// Hours after the start.
    pub at_h: Vec<f64>,
    /// One in twenty is below this, 0 to 1.
    pub p5: Vec<f64>,
    /// One in twenty is above this, 0 to 1.
    pub p95: Vec<f64>,
}

/// How sure an outage's answer is.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Chances {
    /// How many runs were made.
    pub runs: usize,
    /// The seed.
    pub seed: u64,
    /// How many figures were drawn.
    pub drawn: usize,
    /// The devices by id.
    pub devices: BTreeMap<String, DeviceChance>,
    /// The charge of the stores by id.
    pub bands: BTreeMap<String, ChargeBand>,
}

/// Watches and ends a long computation from outside.
#[derive(Debug, Default)]
pub struct Handle {
    done: AtomicUsize,
    stop: AtomicBool,
}

impl Handle {
    /// How many runs are done.
    pub fn done(&self) -> usize {
        self.done.load(Ordering::Relaxed)
    }

    /// Ends it as soon as may be.
    pub fn cancel(&self) {
        self.stop.store(true, Ordering::Relaxed);
    }

    /// Whether it was ended.
    pub fn is_cancelled(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }
}

/// What one run gave: hours by device, and charges by store and moment.
struct Drawn {
    deviates: Vec<f64>,
    hours: Vec<f64>,
    charges: Vec<Vec<f64>>,
}

/// Whether an outage's hours can hang on a figure.
pub(crate) fn matters(figure: &Found) -> bool {
    const NOT: [&str; 13] = [
        "limit",
        "overload",
        "peak",
        "auto_off",
        "hold_up",
        "alternator",
        "groups",
        "fuse",
        "ride_through_ms",
        "line",
        "floor_soc",
        "max_discharge_a",
        "after_loss",
    ];
    const NEVER: [&str; 6] = [
        "max_v",
        "price",
        "rated_hours",
        "open_v",
        "full_a",
        "hand_switchover_minutes",
    ];
    let mut parts = figure
        .path
        .split('.')
        .map(|part| part.split('[').next().unwrap_or(part));
    figure.plus_minus > 0.0 && !parts.any(|it| NOT.contains(&it) || NEVER.contains(&it))
}

/// Marches `runs` times (1 to [`MOST_RUNS`]) through an outage; none where it was cancelled on the
/// way.
pub fn chances(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    runs: usize,
    seed: u64,
    handle: &Handle,
) -> Option<Chances> {
    let runs = runs.clamp(1, MOST_RUNS);
    let draws = Draws::of(plan, way, outage);
    let setting = Setting::of(plan, way, outage);
    let devices: Vec<String> = setting
        .devices
        .iter()
        .map(|it| it.device.id.to_string())
        .collect();
    let stores: Vec<String> = setting
        .stores
        .iter()
        .map(|it| it.source.id.to_string())
        .collect();
    let job = work::current();
    let drawn: Option<Vec<Drawn>> = (0..runs)
        .into_par_iter()
        .map(|run| {
            if handle.is_cancelled() {
                return None;
            }
            let drawn = work::carried(job.as_ref(), || one(&draws, seed, run, &devices, &stores));
            handle.done.fetch_add(1, Ordering::Relaxed);
            drawn
        })
        .collect();
    Some(summed(
        &drawn?,
        &draws.figures,
        &devices,
        &stores,
        outage.hours.get(),
        seed,
    ))
}

/// The share of `runs` draws from the figures in which each of some devices lasts an outage to its
/// end, 0 to 1. The draws are those of [`chances`] with the same seed.
pub(crate) fn share_lasting(
    (plan, way, outage): (&Plan, &Arrangement, &Outage),
    devices: &[String],
    runs: usize,
    seed: u64,
) -> f64 {
    let runs = runs.clamp(1, MOST_RUNS);
    let draws = Draws::of(plan, way, outage);
    let whole = outage.hours.get() - 1e-9;
    let job = work::current();
    let lasting: usize = (0..runs)
        .into_par_iter()
        .map(|run| {
            let drawn = work::carried(job.as_ref(), || one(&draws, seed, run, devices, &[]));
            usize::from(drawn.is_some_and(|it| it.hours.iter().all(|it| *it >= whole)))
        })
        .sum();
    #[expect(clippy::cast_precision_loss, reason = "at most twenty thousand runs")]
    let share = lasting as f64 / runs as f64;
    share
}

/// What is drawn for each run.
struct Draws {
    /// The figures that an outage's hours can hang on.
    figures: Vec<Found>,
    parts: Vec<Part>,
}

/// What is marched through by itself: the plan of an island, with which of all the figures those
/// that are drawn in it are.
struct Part {
    drawing: Drawing,
    figures: Vec<usize>,
}

impl Draws {
    fn of(plan: &Plan, way: &Arrangement, outage: &Outage) -> Self {
        let groups: Vec<Vec<&str>> = outage.rules.iter().map(|it| it.names().collect()).collect();
        // One that starts waits for whatever started last.
        let is_staggered = |it: &Rule| matches!(it, Rule::Stagger { .. });
        let islands = if outage.rules.iter().any(is_staggered) {
            Vec::new()
        } else {
            way.islands_with(&groups)
        };
        Self::by(&islands, plan, way, outage)
    }

    /// By these islands; as a whole where they are fewer than two.
    fn by(islands: &[Vec<usize>], plan: &Plan, way: &Arrangement, outage: &Outage) -> Self {
        let small = reduced(plan, way, outage);
        let found = drawn_in(&small, way);
        if islands.len() < 2 {
            let part = Part {
                drawing: Drawing::of(small, &found),
                figures: (0..found.len()).collect(),
            };
            return Self {
                figures: found,
                parts: vec![part],
            };
        }
        let place = |it: &Found, path: &str| {
            found.iter().position(|all| {
                (all.kind, all.id.as_str()) == (it.kind, &it.id) && all.path == path
            })
        };
        let part = |island: &Vec<usize>| {
            let own = way.island(island);
            let small = reduced(plan, &own, outage);
            let mut here = drawn_in(&small, &own);
            let in_all = |it: &Found| place(it, &way.path_of(island, &it.path));
            here.retain(|it| in_all(it).is_some());
            Part {
                figures: here.iter().filter_map(in_all).collect(),
                drawing: Drawing::of(small, &here),
            }
        };
        let parts = islands.iter().map(part).collect();
        Self {
            figures: found,
            parts,
        }
    }

    /// The plans with values of all the figures; none where one of them is no plan.
    fn plans(&self, values: &[f64]) -> Option<Vec<Plan>> {
        let plan = |it: &Part| {
            let own: Vec<f64> = it.figures.iter().map(|at| values[*at]).collect();
            it.drawing.drawn(&own, |_| {})
        };
        self.parts.iter().map(plan).collect()
    }
}

/// The figures of a plan that an outage's hours can hang on.
fn drawn_in(small: &Plan, way: &Arrangement) -> Vec<Found> {
    let text = serde_json::to_value(small).unwrap_or_default();
    let mut found = figures(&text);
    found.retain(|it| it.is_part_of(way) && matters(it));
    found
}

/// The plan with nothing in it but what the outage needs.
pub(crate) fn reduced(plan: &Plan, way: &Arrangement, outage: &Outage) -> Plan {
    let mut small = plan.clone();
    let used = |id: &str| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
    };
    small.kit.devices.retain(|it| used(it.id.as_str()));
    small.kit.sources.retain(|it| used(it.id.as_str()));
    small.kit.converters.retain(|it| used(it.id.as_str()));
    small.arrangements = vec![Arrangement {
        starts_on: Vec::new(),
        ..way.clone()
    }];
    small.outages = vec![outage.within(used)];
    small
}

/// One run.
fn one(
    draws: &Draws,
    seed: u64,
    run: usize,
    devices: &[String],
    stores: &[String],
) -> Option<Drawn> {
    let figures = &draws.figures;
    // Neighbouring runs get streams that have nothing to do with each other.
    let mut rng = StdRng::seed_from_u64(seed ^ (run as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15));
    let mut plans = None;
    let mut deviates = Vec::new();
    for turn in 0..=REDRAWS {
        // A draw that makes no plan, such as a window upside down, is drawn again, and nearer to
        // the middle at last.
        let narrow = if turn < REDRAWS { 1.0 } else { 0.0 };
        deviates = figures.iter().map(|_| normal(&mut rng) * narrow).collect();
        let drawn = figures.iter().zip(&deviates);
        let values: Vec<f64> = drawn
            .map(|(it, deviate)| physical(it, it.value + deviate * it.plus_minus / 2.0))
            .collect();
        plans = draws.plans(&values);
        if plans.is_some() {
            break;
        }
    }
    let plans = plans?;
    let whole = plans.first()?.outages.first()?.hours.get();
    let found: Vec<Simulation> = plans.iter().filter_map(marched).collect();
    let hours = devices.iter().map(|id| {
        let run = found.iter().find_map(|it| it.devices.get(id));
        run.map_or(whole, |it| it.down_at_h.unwrap_or(whole))
    });
    let charges = stores.iter().map(|id| {
        let run = found.iter().find_map(|it| it.sources.get(id));
        run.map_or_else(Vec::new, |it| {
            it.series.iter().map(|point| point[1]).collect()
        })
    });
    let (hours, charges) = (hours.collect(), charges.collect());
    Some(Drawn {
        deviates,
        hours,
        charges,
    })
}

/// The outage of a plan that has nothing else in it.
fn marched(plan: &Plan) -> Option<Simulation> {
    let (way, outage) = (plan.arrangements.first()?, plan.outages.first()?);
    let coarse = Fineness {
        longest_s: 4.0 * 3600.0,
        most_share: 0.04,
        exact_s: 15.0,
        told: false,
        timed: false,
    };
    let noted_s = outage.hours.get() * 3600.0 / f64::from(MOMENTS);
    Some(march(
        &Setting::of(plan, way, outage),
        Some(noted_s),
        coarse,
    ))
}

/// A drawn value cut to what can be: shares between 0 and 1, everything else above 0.
pub(crate) fn physical(figure: &Found, value: f64) -> f64 {
    let least = figure.value.abs() * 0.02;
    let low = if figure.value >= 0.0 {
        least.min(figure.value)
    } else {
        f64::NEG_INFINITY
    };
    let is_share = figure.unit.is_empty()
        && (0.0..=1.0).contains(&figure.value)
        && !figure.path.contains("quadratic");
    let high = if is_share { 1.0 } else { f64::INFINITY };
    value.clamp(low, high)
}

fn summed(
    drawn: &[Drawn],
    figures: &[Found],
    devices: &[String],
    stores: &[String],
    whole: f64,
    seed: u64,
) -> Chances {
    #[expect(clippy::cast_precision_loss, reason = "at most twenty thousand runs")]
    let count = drawn.len() as f64;
    let of_device = |index: usize| {
        let hours: Vec<f64> = drawn.iter().map(|it| it.hours[index]).collect();
        let lasting = hours.iter().filter(|it| **it >= whole - 1e-9).count();
        #[expect(clippy::cast_precision_loss, reason = "at most twenty thousand runs")]
        let lasts = lasting as f64 / count;
        let mean = hours.iter().sum::<f64>() / count;
        let spread: f64 = hours.iter().map(|it| (it - mean).powi(2)).sum();
        let mut shares = Vec::new();
        for (place, figure) in figures.iter().enumerate() {
            let own = drawn.iter().map(|it| it.deviates[place]);
            let own_mean = own.clone().sum::<f64>() / count;
            let own_spread: f64 = own.clone().map(|it| (it - own_mean).powi(2)).sum();
            let together: f64 = own
                .zip(&hours)
                .map(|(a, b)| (a - own_mean) * (b - mean))
                .sum();
            let share = if spread > 1e-9 && own_spread > 0.0 {
                together * together / (own_spread * spread)
            } else {
                0.0
            };
            if share >= LEAST_SHARE {
                shares.push(SpreadShare {
                    figure: figure.told(),
                    share,
                });
            }
        }
        shares.sort_by(|a, b| b.share.total_cmp(&a.share));
        shares.truncate(8);
        DeviceChance {
            hours: HourRange::of(hours),
            lasts,
            shares,
        }
    };
    let band = |index: usize| {
        let moments = drawn
            .iter()
            .map(|it| it.charges[index].len())
            .min()
            .unwrap_or(0);
        let mut band = ChargeBand::default();
        for moment in 0..moments {
            let range = HourRange::of(drawn.iter().map(|it| it.charges[index][moment]).collect());
            #[expect(clippy::cast_precision_loss, reason = "about a hundred moments")]
            band.at_h
                .push((moment as f64 * whole / f64::from(MOMENTS)).min(whole));
            band.p5.push(range.p5);
            band.p95.push(range.p95);
        }
        band
    };
    Chances {
        runs: drawn.len(),
        seed,
        drawn: figures.len(),
        devices: devices
            .iter()
            .enumerate()
            .map(|(index, id)| (id.clone(), of_device(index)))
            .collect(),
        bands: stores
            .iter()
            .enumerate()
            .map(|(index, id)| (id.clone(), band(index)))
            .collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Each run apart gives what it gives as a whole: steps end otherwise, so nearly.
    #[test]
    fn islands_marched_apart_last_as_long_as_together() {
        let (mut apart, mut off, mut furthest) = (0, 0, 0.0_f64);
        for text in [
            include_str!("../../../../../demo/hollin-lock.plan.json"),
            include_str!("../../../../../demo/weir-hut.plan.json"),
        ] {
            let plan = Plan::parse(text).unwrap();
            for (way, outage) in plan
                .arrangements
                .iter()
                .flat_map(|way| plan.outages.iter().map(move |it| (way, it)))
            {
                let parts = Draws::of(&plan, way, outage);
                let whole = Draws::by(&[], &plan, way, outage);
                apart += usize::from(parts.parts.len() > 1);
                let drawn_in: usize = parts.parts.iter().map(|it| it.figures.len()).sum();
                assert_eq!(drawn_in, whole.figures.len(), "{}", way.id);
                let setting = Setting::of(&plan, way, outage);
                let devices: Vec<String> = setting.device_ids().map(str::to_owned).collect();
                let stores: Vec<String> = setting.store_ids().map(str::to_owned).collect();
                for run in 0..25 {
                    let one = |draws| one(draws, 7, run, &devices, &stores).unwrap();
                    let (one, other) = (one(&parts), one(&whole));
                    assert_eq!(one.deviates, other.deviates);
                    for (a, b) in one.hours.iter().zip(&other.hours) {
                        furthest = furthest.max((a - b).abs());
                        off += usize::from((a - b).abs() > 0.02 * b.max(1.0));
                    }
                    for (a, b) in one.charges.iter().zip(&other.charges) {
                        assert!(a.len().abs_diff(b.len()) <= 1, "{} {}", a.len(), b.len());
                        let far = a.iter().zip(b).map(|(a, b)| (a - b).abs());
                        assert!(far.fold(0.0, f64::max) < 0.05, "{} {}", way.id, outage.id);
                    }
                }
            }
        }
        println!("{apart} apart, {off} off, {furthest} h at most");
        assert!(apart > 2, "{apart}");
        assert_eq!(off, 0, "{furthest} h");
    }

    #[test]
    fn of_a_staggered_start_those_who_are_here_stay() {
        let text = include_str!("../../../../../demo/hollin-lock.plan.json");
        let mut text: serde_json::Value = serde_json::from_str(text).unwrap();
        let way = text["arrangements"][0].clone();
        let fed = way["feeds"].as_array().unwrap();
        let is_fed = |id: &str| fed.iter().any(|it| it["to"] == *id);
        let devices = text["kit"]["devices"].as_array().unwrap();
        let ids: Vec<String> = devices
            .iter()
            .map(|it| it["id"].as_str().unwrap().to_owned())
            .collect();
        let (here, away): (Vec<&String>, Vec<&String>) = ids.iter().partition(|it| is_fed(it));
        assert!(!here.is_empty() && !away.is_empty());
        text["outages"][0]["rules"] = serde_json::json!([
            {"kind": "stagger", "seconds": 30, "devices": ids},
            {"kind": "stagger", "seconds": 30, "devices": away}]);
        let plan = Plan::from_value(&text).unwrap();
        let small = reduced(&plan, &plan.arrangements[0], &plan.outages[0]);
        let [Rule::Stagger { devices, .. }] = small.outages[0].rules.as_slice() else {
            panic!("{:?}", small.outages[0].rules)
        };
        assert_eq!(devices.len(), here.len());
        assert!(devices.iter().all(|it| is_fed(it.as_str())));
    }
}
