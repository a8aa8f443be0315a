//! What is likely after what was read: runs drawn around the middle of what is likely, weighted by how well they say it.

use super::observed::{Observed, What, observed, shown, sway_share};
use super::seen::Seen;
use super::world::{Run, World};
use crate::figures::FigureAt;
use crate::limits::amount;
use crate::outage::normal;
use crate::plan::{Arrangement, Outage, Plan};
use crate::say::Sentence;
use crate::work;
use nalgebra::{DMatrix, DVector};
use rand::SeedableRng;
use rand::rngs::StdRng;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// Runs that are drawn.
const RUNS: usize = 400;
/// Steps towards the middle of what is likely.
const MOST_TURNS: usize = 8;
/// Step by which it is found how a reading hangs on a deviate.
const NUDGE: f64 = 0.4;
/// A reading that is further off than so many of its standard deviations pulls no harder.
const FAR: f64 = 3.0;
/// Runs are drawn a little wider than what is likely, so that its flanks are reached.
const WIDER: f64 = 1.15;
/// With fewer runs that count, they are drawn anew from what counted.
const FEW: f64 = 40.0;
/// A figure is told as learned where its ± is so much smaller.
const LEARNED: f64 = 0.8;
/// Readings that are off by so many standard deviations on the whole are doubtful.
const DOUBTFUL: f64 = 2.5;
/// From here on the answer is tried without them.
const CONTRADICTS: f64 = 3.0;

/// A range: one in twenty is below, half, and one in twenty above.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Range {
    /// One in twenty is below this.
    pub p5: f64,
    /// Half are below this.
    pub p50: f64,
    /// One in twenty is above this.
    pub p95: f64,
}

/// How long a device still has.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Until {
    /// When it is first lost, hours since the outage began; its length where it is not.
    pub until_h: Range,
    /// The chance that it lasts the outage, 0 to 1.
    pub chance_of_outage: f64,
}

/// How full a store is now.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StoreNow {
    /// Its charge, 0 to 1.
    pub soc: Range,
}

/// What was learned of a figure.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Learned {
    /// The figure, as it stands in the plan.
    pub figure: FigureAt,
    /// What it is likely to be, in its unit, with its ± (half of the 95 % interval).
    pub to: [f64; 2],
    /// What it was taken to be.
    pub from: [f64; 2],
}

/// Something that does not fit.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Doubt {
    /// The source, or the item of the figure.
    pub item: String,
    /// What does not fit, and by how much.
    pub sentence: Sentence,
}

/// What happens next, in the middle of what is likely.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Next {
    /// When, hours since the outage began.
    pub at_h: f64,
    /// What.
    pub what: String,
    /// What it happens to.
    pub item: String,
    /// Why, nearest first.
    pub cause: Vec<Sentence>,
}

/// What switching a device off now wins for what matters more.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DropGain {
    /// The device that is switched off.
    pub device: String,
    /// The device that matters most of those that stay.
    pub winner: String,
    /// How much longer that one lasts, h.
    pub wins_h: f64,
}

/// What is known at one moment of an outage.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Estimate {
    /// The moment, hours since the outage began.
    pub at_h: f64,
    /// When the first device is lost that nobody switched off, hours since the outage began.
    pub first_lost_h: Range,
    /// The devices by id.
    pub devices: BTreeMap<String, Until>,
    /// The stores by the ids of their sources.
    pub sources: BTreeMap<String, StoreNow>,
    /// What happens next; none where nothing does.
    pub next: Option<Next>,
    /// What each drop would win from here, most first.
    pub drops: Vec<DropGain>,
    /// Figures that the readings say something of.
    pub learned: Vec<Learned>,
    /// What does not fit.
    pub doubts: Vec<Doubt>,
    /// Runs that count, of those that were drawn.
    pub runs_that_count: f64,
}

/// A run with the deviates that it was drawn from.
struct Drawn {
    deviates: DVector<f64>,
    run: Run,
    /// Logarithm of what it weighs, up to a constant.
    weight: f64,
}

/// Estimates what is likely at `at_h` hours after the outage began, by what was seen up to then. The same seed gives the same answer.
///
/// # Errors
/// Where the moment lies outside the outage, or where no run can be marched.
pub fn estimate(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    seen: &Seen,
    at_h: f64,
    seed: u64,
) -> Result<Estimate, String> {
    let hours = outage.hours.get();
    if !(0.0..=hours).contains(&at_h) {
        return Err(format!("is {at_h}; the outage is looked at from 0 to {hours} h"));
    }
    let known = seen.up_to(at_h * 3600.0);
    let world = World::of(plan, way, outage, &known);
    let (mut moments, all) = observed(plan, way, outage, &world, &known);
    let last = moments.len();
    moments.push((at_h * 3600.0).min(hours * 3600.0 - 1.0));
    let sway = sway_share(plan, way, &world);
    let mut problem = Problem { world: &world, moments, all, left_out: Vec::new(), now_h: at_h, last, sway };
    let mut middle = problem.middle().ok_or("no run of it can be marched")?;
    // A meter that contradicts the others drags everything along: the answer goes on without it.
    while let Some((without, found)) = problem.without_what_contradicts(&middle) {
        (problem, middle) = (without, found);
    }
    let drawn = problem.drawn(&middle, seed);
    let (drawn, weights) =
        if drawn.is_empty() { return Err("no run of it can be marched".into()) } else { weighed(drawn) };
    Ok(problem.told(plan, &middle, &drawn, &weights))
}

struct Problem<'a> {
    world: &'a World,
    moments: Vec<f64>,
    all: Vec<Observed>,
    /// What was left out, as it contradicts the rest.
    left_out: Vec<Observed>,
    now_h: f64,
    /// The place of now among the moments.
    last: usize,
    /// How much what is drawn sways, see [`sway_share`].
    sway: f64,
}

/// The middle of what is likely.
struct Middle {
    at: DVector<f64>,
    /// From standard normal deviates to those around the middle.
    spread: DMatrix<f64>,
    run: Run,
}

impl Problem<'_> {
    /// The problem without the readings that contradict the others, where some do: of each kind of reading it is tried what
    /// the rest says without it, and the one is left out without which the rest agrees best.
    fn without_what_contradicts(&self, middle: &Middle) -> Option<(Self, Middle)> {
        let kinds: BTreeSet<(usize, usize)> = self.all.iter().map(|it| (it.store, it.what.place())).collect();
        if kinds.len() < 2 || self.worst(middle) < CONTRADICTS {
            return None;
        }
        let tried = kinds.into_iter().filter_map(|kind| {
            let (left_out, all): (Vec<Observed>, Vec<Observed>) =
                self.all.iter().cloned().partition(|it| (it.store, it.what.place()) == kind);
            let left_out = self.left_out.iter().cloned().chain(left_out).collect();
            let without = Problem { all, left_out, moments: self.moments.clone(), ..*self };
            let found = without.middle()?;
            let worst = without.worst(&found);
            Some((worst, without, found))
        });
        let best = tried.min_by(|a, b| a.0.total_cmp(&b.0))?;
        (best.0 < 0.7 * self.worst(middle)).then_some((best.1, best.2))
    }

    /// By how many of its standard deviations the worst kind of reading is off on the whole.
    fn worst(&self, middle: &Middle) -> f64 {
        let off = self.off(&middle.run);
        let kinds: BTreeSet<(usize, usize)> = self.all.iter().map(|it| (it.store, it.what.place())).collect();
        let of_kind = |kind: (usize, usize)| {
            let own = self.all.iter().zip(off.iter()).filter(|it| (it.0.store, it.0.what.place()) == kind);
            let own: Vec<f64> = own.map(|it| it.1 * it.1).collect();
            (own.iter().sum::<f64>() / own.len().max(1) as f64).sqrt()
        };
        kinds.into_iter().map(of_kind).fold(0.0, f64::max)
    }

    fn run(&self, deviates: &DVector<f64>) -> Option<Run> {
        self.world.run(deviates.as_slice(), &self.moments, &[])
    }

    /// By how many standard deviations each reading is off.
    fn off(&self, run: &Run) -> DVector<f64> {
        let each = self.all.iter().map(|it| (shown(run, it) - it.mean) / it.sd);
        DVector::from_iterator(self.all.len(), each.map(|it| if it.is_finite() { it.clamp(-1e3, 1e3) } else { 1e3 }))
    }

    /// Twice the logarithm of how unlikely it is, with readings that are far off cut down (Huber 1964).
    fn cost(off: &DVector<f64>, deviates: &DVector<f64>) -> f64 {
        let each = off.iter().map(|it| if it.abs() <= FAR { it * it } else { 2.0 * FAR * it.abs() - FAR * FAR });
        each.sum::<f64>() + deviates.norm_squared()
    }

    /// Gauss and Newton's way to the middle of what is likely (Levenberg's damping), and how wide it is there.
    fn middle(&self) -> Option<Middle> {
        let size = self.world.size();
        let mut at = DVector::zeros(size);
        let mut run = self.run(&at)?;
        if self.all.is_empty() {
            return Some(Middle { at, spread: DMatrix::identity(size, size), run });
        }
        let mut off = self.off(&run);
        let mut cost = Self::cost(&off, &at);
        let mut damping = 0.0;
        let mut normal = DMatrix::identity(size, size);
        for _ in 0..MOST_TURNS {
            let slopes = self.slopes(&at, &off);
            let pulls = DVector::from_iterator(off.len(), off.iter().map(|it| (FAR / it.abs()).min(1.0)));
            let weighted = DMatrix::from_fn(off.len(), size, |row, column| slopes[(row, column)] * pulls[row]);
            normal = slopes.transpose() * &weighted + DMatrix::identity(size, size);
            let gradient = weighted.transpose() * &off + &at;
            let mut better = None;
            for _ in 0..4 {
                let mut damped = normal.clone();
                for place in 0..size {
                    damped[(place, place)] *= 1.0 + damping;
                }
                let step = damped.cholesky()?.solve(&gradient);
                // Nobody goes further than four standard deviations at once.
                let longest = step.amax().max(1e-12);
                let to = &at - step * (4.0 / longest).min(1.0);
                if let Some(run) = self.run(&to) {
                    let off = self.off(&run);
                    let reached = Self::cost(&off, &to);
                    better = Some((to, run, off, reached));
                    if reached < cost {
                        break;
                    }
                }
                damping = if damping == 0.0 { 0.1 } else { damping * 8.0 };
            }
            let Some(found) = better.filter(|it| it.3 < cost) else { break };
            let gained = cost - found.3;
            (at, run, off, cost) = found;
            damping *= 0.1;
            if gained < 0.05 {
                break;
            }
        }
        let spread = normal.cholesky()?.inverse().cholesky()?.l();
        Some(Middle { at, spread, run })
    }

    /// How each reading hangs on each deviate.
    fn slopes(&self, at: &DVector<f64>, off: &DVector<f64>) -> DMatrix<f64> {
        let job = work::current();
        let columns: Vec<DVector<f64>> = (0..at.len())
            .into_par_iter()
            .map(|place| {
                work::carried(job.as_ref(), || {
                    // Towards what was expected, where figures can be read.
                    let nudge = if at[place] > 0.0 { -NUDGE } else { NUDGE };
                    let mut to = at.clone();
                    to[place] += nudge;
                    let moved = self.run(&to).map(|it| self.off(&it));
                    moved.map_or_else(|| DVector::zeros(off.len()), |it| (it - off) / nudge)
                })
            })
            .collect();
        DMatrix::from_columns(&columns)
    }

    /// Runs drawn around the middle; once more around those that count, where few do.
    fn drawn(&self, middle: &Middle, seed: u64) -> Vec<Drawn> {
        let first = self.around(&middle.at, &(&middle.spread * self.wider()), seed);
        let (kept, weights) = weighed(first);
        if self.all.is_empty() || counting(&weights) >= FEW || kept.is_empty() {
            return kept;
        }
        let size = self.world.size();
        let mean =
            kept.iter().zip(&weights).fold(DVector::zeros(size), |sum, (it, weight)| sum + &it.deviates * *weight);
        // What few runs say of the width is mixed with what the middle says.
        let mut wide = &middle.spread * middle.spread.transpose();
        for (it, weight) in kept.iter().zip(&weights) {
            let from = &it.deviates - &mean;
            wide += &from * from.transpose() * (*weight * 0.5);
        }
        match wide.cholesky() {
            Some(it) => {
                let again = self.around(&mean, &it.l(), seed ^ 0x5bd1_e995);
                if again.is_empty() { kept } else { again }
            }
            None => kept,
        }
    }

    fn wider(&self) -> f64 {
        if self.all.is_empty() { 1.0 } else { WIDER }
    }

    fn around(&self, middle: &DVector<f64>, spread: &DMatrix<f64>, seed: u64) -> Vec<Drawn> {
        let job = work::current();
        let one = |number: usize| -> Option<Drawn> {
            let mut rng = StdRng::seed_from_u64(seed ^ (number as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15));
            let plain = DVector::from_fn(middle.len(), |_, _| normal(&mut rng));
            let deviates = middle + spread * &plain;
            let mut run = work::carried(job.as_ref(), || self.run(&deviates))?;
            self.swayed(&mut run, normal(&mut rng));
            // Nobody said that a device was lost; a run in which one is by now did not happen.
            let lost = self.first_lost(&run) <= self.now_h - 1e-6;
            let cost = Self::cost(&self.off(&run), &deviates);
            let weight = if lost { f64::NEG_INFINITY } else { (plain.norm_squared() - cost) / 2.0 };
            Some(Drawn { deviates, run, weight })
        };
        (0..RUNS).into_par_iter().filter_map(one).collect()
    }

    /// What is busy in the hours to come is nobody's to know, and what was busy so far says only so much of how busy it is on the
    /// whole: what is left is longer or shorter by that.
    fn swayed(&self, run: &mut Run, deviate: f64) {
        if self.all.is_empty() {
            return;
        }
        let seconds = |hours: f64| (hours * 3600.0).max(600.0);
        for until in run.until_h.iter_mut().filter(|it| **it > self.now_h && **it < self.world.hours - 1e-6) {
            let left = *until - self.now_h;
            let sd = (self.sway * (1.0 / seconds(left) + 1.0 / seconds(self.now_h))).sqrt();
            *until = (self.now_h + left * (1.0 + sd * deviate).max(0.1)).min(self.world.hours);
        }
    }

    /// When the first device is lost that nobody switched off, h.
    fn first_lost(&self, run: &Run) -> f64 {
        let own = self.world.devices.iter().zip(&run.until_h);
        own.filter(|it| !self.world.is_dropped(it.0, self.now_h * 3600.0))
            .map(|it| *it.1)
            .fold(self.world.hours, f64::min)
    }

    fn told(&self, plan: &Plan, middle: &Middle, drawn: &[Drawn], weights: &[f64]) -> Estimate {
        let range = |of: &dyn Fn(&Drawn) -> f64| range(drawn.iter().map(of).collect(), weights);
        let world = self.world;
        let devices = world.devices.iter().enumerate().map(|(place, id)| {
            let lasting = drawn.iter().zip(weights).filter(|it| it.0.run.until_h[place] >= world.hours - 1e-6);
            let chance_of_outage = lasting.map(|it| it.1).sum::<f64>().clamp(0.0, 1.0);
            (id.clone(), Until { until_h: range(&|it| it.run.until_h[place]), chance_of_outage })
        });
        let sources = world.stores.iter().enumerate().map(|(place, id)| {
            let soc = range(&|it| it.run.looks.get(self.last).map_or(0.0, |look| look.soc[place]));
            (id.clone(), StoreNow { soc })
        });
        let events = world.run_told(middle.at.as_slice()).map_or_else(Vec::new, |it| it.events);
        let next = events.iter().find(|it| it.at_h > self.now_h + 1e-6).map(|it| Next {
            at_h: it.at_h,
            what: it.what.clone(),
            item: it.item.clone(),
            cause: it.cause.clone(),
        });
        Estimate {
            at_h: self.now_h,
            first_lost_h: range(&|it| self.first_lost(&it.run)),
            devices: devices.collect(),
            sources: sources.collect(),
            next,
            drops: self.drops(plan, middle),
            learned: self.learned(drawn, weights),
            doubts: self.doubts(plan, drawn, weights),
            runs_that_count: counting(weights),
        }
    }

    /// What each drop wins from here, in the middle of what is likely: each is marched.
    fn drops(&self, plan: &Plan, middle: &Middle) -> Vec<DropGain> {
        let world = self.world;
        let priority = |id: &str| {
            let own = plan.device(id).and_then(|it| it.priority.as_ref());
            own.map_or(f64::INFINITY, crate::figure::Figure::get)
        };
        let here: Vec<&String> = world.devices.iter().filter(|it| !world.is_dropped(it, self.now_h * 3600.0)).collect();
        let Some(first) = here.iter().min_by(|a, b| priority(a).total_cmp(&priority(b))) else { return Vec::new() };
        let at = world.devices.iter().position(|it| it == *first).unwrap_or_default();
        let mut gains: Vec<DropGain> = here
            .iter()
            .filter(|it| *it != first && priority(it) > priority(first))
            .filter_map(|it| {
                let run = world.run(middle.at.as_slice(), &[], &[(it.as_str(), self.now_h * 3600.0)])?;
                let wins_h = run.until_h[at] - middle.run.until_h[at];
                Some(DropGain { device: (*it).clone(), winner: (*first).clone(), wins_h })
            })
            .collect();
        gains.sort_by(|a, b| b.wins_h.total_cmp(&a.wins_h));
        gains
    }

    fn learned(&self, drawn: &[Drawn], weights: &[f64]) -> Vec<Learned> {
        if self.all.is_empty() {
            return Vec::new();
        }
        let mut learned: Vec<(f64, Learned)> = Vec::new();
        for (place, figure) in self.world.figures.iter().enumerate() {
            let values = || drawn.iter().zip(weights).map(|(it, weight)| (it.run.values[place], *weight));
            let mean: f64 = values().map(|(value, weight)| value * weight).sum();
            let sd = values().map(|(value, weight)| weight * (value - mean).powi(2)).sum::<f64>().sqrt();
            let before = figure.plus_minus / 2.0;
            let part = sd / before;
            if part < LEARNED || (mean - figure.value).abs() > before {
                let told =
                    Learned { figure: figure.told(), to: [mean, 2.0 * sd], from: [figure.value, figure.plus_minus] };
                learned.push((part - (mean - figure.value).abs() / before, told));
            }
        }
        learned.sort_by(|a, b| a.0.total_cmp(&b.0));
        learned.truncate(8);
        learned.into_iter().map(|it| it.1).collect()
    }

    fn doubts(&self, plan: &Plan, drawn: &[Drawn], weights: &[f64]) -> Vec<Doubt> {
        let mut doubts = Vec::new();
        for (store, id) in self.world.stores.iter().enumerate() {
            for what in What::ALL {
                let all = self.all.iter().chain(&self.left_out);
                let own: Vec<&Observed> = all.filter(|it| it.store == store && it.what == what).collect();
                if own.is_empty() {
                    continue;
                }
                let mean = |it: &Observed| -> f64 {
                    drawn.iter().zip(weights).map(|(run, weight)| shown(&run.run, it) * weight).sum()
                };
                let off: Vec<(f64, f64)> = own.iter().map(|it| (it.mean - mean(it), it.sd)).collect();
                let n = off.len() as f64;
                let on_the_whole = (off.iter().map(|it| (it.0 / it.1).powi(2)).sum::<f64>() / n).sqrt();
                if on_the_whole > DOUBTFUL {
                    let by = off.iter().map(|it| it.0).sum::<f64>() / n;
                    let side = if by < 0.0 { "too low" } else { "too high" };
                    let sentence = format!(
                        "{} of {} do not fit what its other readings say: {} {side} on average. See that the meter stands where it is said to",
                        what.words(),
                        plan.label(id),
                        amount(by.abs(), what.unit())
                    );
                    doubts.push(Doubt { item: id.clone(), sentence: sentence.into() });
                }
            }
        }
        for (place, figure) in self.world.figures.iter().enumerate() {
            let mean: f64 = drawn.iter().zip(weights).map(|(it, weight)| it.run.values[place] * weight).sum();
            if !self.all.is_empty() && (mean - figure.value).abs() > figure.plus_minus {
                let sentence = format!(
                    "{}, {}: the readings say {} and not {}, which is more than its ± allows",
                    figure.label,
                    figure.name,
                    amount(mean, figure.unit),
                    amount(figure.value, figure.unit)
                );
                doubts.push(Doubt { item: figure.id.clone(), sentence: sentence.into() });
            }
        }
        doubts
    }
}

/// How many runs count as much as whole ones (Kish 1965).
fn counting(weights: &[f64]) -> f64 {
    let squares: f64 = weights.iter().map(|it| it * it).sum();
    if squares > 0.0 { 1.0 / squares } else { 0.0 }
}

/// Runs with the weights that they have of one whole; those that weigh nothing are left out, and none weighs more than the
/// root of their number says.
fn weighed(drawn: Vec<Drawn>) -> (Vec<Drawn>, Vec<f64>) {
    let most = drawn.iter().map(|it| it.weight).fold(f64::NEG_INFINITY, f64::max);
    if most == f64::NEG_INFINITY {
        let even = 1.0 / drawn.len().max(1) as f64;
        let weights = vec![even; drawn.len()];
        return (drawn, weights);
    }
    let kept: Vec<Drawn> = drawn.into_iter().filter(|it| it.weight > f64::NEG_INFINITY).collect();
    let mut weights: Vec<f64> = kept.iter().map(|it| (it.weight - most).exp()).collect();
    for _ in 0..4 {
        let sum: f64 = weights.iter().sum();
        let most = sum / (kept.len() as f64).sqrt();
        for it in &mut weights {
            *it = it.min(most);
        }
    }
    let sum: f64 = weights.iter().sum();
    for it in &mut weights {
        *it /= sum;
    }
    (kept, weights)
}

/// The range of weighted values.
fn range(values: Vec<f64>, weights: &[f64]) -> Range {
    let mut all: Vec<(f64, f64)> = values.into_iter().zip(weights.iter().copied()).collect();
    all.sort_by(|a, b| a.0.total_cmp(&b.0));
    let at = |share: f64| {
        let mut sum = 0.0;
        for (value, weight) in &all {
            sum += weight;
            if sum >= share {
                return *value;
            }
        }
        all.last().map_or(0.0, |it| it.0)
    };
    Range { p5: at(0.05), p50: at(0.5), p95: at(0.95) }
}
