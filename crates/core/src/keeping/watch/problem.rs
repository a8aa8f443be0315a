//! The middle of what is likely by Gauss and Newton, and runs that are drawn around it and weighed.

use super::ahead::Ahead;
use super::observed::{Observed, What, shown};
use super::world::{Run, World};
use crate::ground::draw::normal;
use crate::ground::work;
use nalgebra::{DMatrix, DVector};
use rand::SeedableRng;
use rand::rngs::StdRng;
use rayon::prelude::*;
use std::collections::BTreeSet;
use std::sync::Arc;

/// Runs that are drawn.
pub(super) const RUNS: usize = 400;
/// Steps towards the middle of what is likely.
const MOST_TURNS: usize = 8;
/// Step by which it is found how a reading hangs on a deviate.
const NUDGE: f64 = 0.4;
/// A reading that is further off than so many of its standard deviations pulls no harder.
pub(super) const FAR: f64 = 3.0;
/// A deviate of which all readings together say less than this, by how far one of it moves them in
/// their standard deviations, is looked at once.
const SAYS_NOTHING: f64 = 0.03;
/// With fewer runs that count, they are drawn anew from what counted.
const FEW: f64 = 40.0;
/// A store that holds less than its label says: how likely that is before anything is read, what
/// share of it one holds then, and the standard deviation of that share.
const HOLDS_LESS: f64 = 0.004;
const HOLDS: (f64, f64) = (0.75, 0.15);
/// The least share of the label from which its middle is looked for, up to all of it in so many
/// steps: near its end a store's voltage falls so steeply that a step of a tenth misses it.
const LEAST_SHARE: f64 = 0.4;
const SHARES: u32 = 30;
/// What is less likely is left out.
const LEFT_OUT: f64 = 0.01;
/// The fewest runs that are drawn of what is likely enough, as a share of all.
const LEAST_RUNS: f64 = 0.15;
/// From here on the answer is tried without them.
const CONTRADICTS: f64 = 3.0;

/// A run with the deviates that it was drawn from.
#[derive(Debug)]
pub(super) struct Drawn {
    deviates: DVector<f64>,
    pub(super) run: Run,
    /// Logarithm of what it weighs, up to a constant.
    pub(super) weight: f64,
    /// Whether a device is lost in it by now that nobody said to be: it did not happen.
    is_lost: bool,
}

/// What was read of a world, up to now.
#[derive(Debug, Clone)]
pub(super) struct Problem {
    pub(super) world: Arc<World>,
    /// Moments at which a run is looked at, s: those of the readings, then now, then some that are
    /// still to come.
    pub(super) moments: Vec<f64>,
    pub(super) all: Vec<Observed>,
    /// What was left out, as it contradicts the rest.
    pub(super) left_out: Vec<Observed>,
    pub(super) now_h: f64,
    /// The place of now among the moments.
    pub(super) last: usize,
    /// How what was drawn ran ahead.
    pub(super) ahead: Ahead,
    /// Volts at each store.
    pub(super) volts: Vec<f64>,
    /// Runs that are drawn.
    pub(super) runs: usize,
    /// What was thought of each deviate before anything was read.
    pub(super) before: Before,
}

/// What is thought of each deviate before anything is read: where its middle lies, and its standard
/// deviation.
#[derive(Debug, Clone)]
pub(super) struct Before {
    mean: DVector<f64>,
    sd: DVector<f64>,
    /// Logarithm of how likely it is that this is the right thing to think.
    likely: f64,
}

impl Before {
    /// What the plan says of everything.
    pub(super) fn planned(size: usize) -> Self {
        Self {
            mean: DVector::zeros(size),
            sd: DVector::from_element(size, 1.0),
            likely: 0.0,
        }
    }

    /// Where each lies, in standard deviations.
    fn off(&self, at: &DVector<f64>) -> DVector<f64> {
        (at - &self.mean).component_div(&self.sd)
    }

    /// The weights by which it pulls each deviate back.
    fn pulls(&self) -> DVector<f64> {
        self.sd.map(|it| 1.0 / (it * it))
    }
}

/// One way in which it may be: what is thought before anything is read, and the middle of what is
/// likely then.
#[derive(Debug)]
pub(super) struct Hypothesis {
    pub(super) problem: Problem,
    pub(super) middle: Middle,
    /// How likely it is beside the others, 0 to 1.
    pub(super) likely: f64,
}

/// The middle of what is likely.
#[derive(Debug)]
pub(super) struct Middle {
    pub(super) at: DVector<f64>,
    /// From standard normal deviates to those around the middle.
    spread: DMatrix<f64>,
    pub(super) run: Run,
    /// How each reading hangs on each deviate there.
    slopes: DMatrix<f64>,
    /// By how many of its standard deviations each reading is off what the plan alone says, and how
    /// many of them the plan's own figures leave open.
    pub(super) first: Vec<(f64, f64)>,
}

impl Problem {
    /// The problem without the readings that contradict the others, where some do: of each kind of
    /// reading it is tried what the rest says without it, by one step from the middle of all, and
    /// the one is left out without which the rest agrees best.
    pub(super) fn without_what_contradicts(&self, middle: &Middle) -> Option<Self> {
        let kinds: BTreeSet<(usize, usize)> = self
            .all
            .iter()
            .map(|it| (it.store, it.what.place()))
            .collect();
        let worst = self.worst(middle);
        if kinds.len() < 2 || worst < CONTRADICTS {
            return None;
        }
        let off = self.off(&middle.run);
        let tried = kinds.into_iter().filter_map(|kind| {
            let rows: Vec<usize> = (0..self.all.len())
                .filter(|it| (self.all[*it].store, self.all[*it].what.place()) != kind)
                .collect();
            let (left_out, all): (Vec<Observed>, Vec<Observed>) = self
                .all
                .iter()
                .cloned()
                .partition(|it| (it.store, it.what.place()) == kind);
            let slopes = middle.slopes.select_rows(rows.iter());
            let off = DVector::from_iterator(rows.len(), rows.iter().map(|it| off[*it]));
            let (normal, gradient) = self.normal_of(&slopes, &off, &middle.at);
            let step = normal.cholesky()?.solve(&gradient);
            let to = &middle.at - &step * (4.0 / step.amax().max(1e-12)).min(1.0);
            let without = Self {
                all,
                left_out: self.left_out.iter().cloned().chain(left_out).collect(),
                ..self.clone()
            };
            let run = without.run(&to)?;
            Some((without.worst_of(&run), without))
        });
        let (agrees, without) = tried.min_by(|a, b| a.0.total_cmp(&b.0))?;
        let found = (agrees < 0.8 * worst)
            .then(|| without.middle(middle.at.clone()))
            .flatten()?;
        (without.worst(&found) < 0.7 * worst).then_some(without)
    }

    /// By how many of its standard deviations the worst kind of reading is off on the whole.
    fn worst(&self, middle: &Middle) -> f64 {
        self.worst_of(&middle.run)
    }

    fn worst_of(&self, run: &Run) -> f64 {
        let off = self.off(run);
        let kinds: BTreeSet<(usize, usize)> = self
            .all
            .iter()
            .map(|it| (it.store, it.what.place()))
            .collect();
        let of_kind = |kind: (usize, usize)| {
            let own = self
                .all
                .iter()
                .zip(off.iter())
                .filter(|it| (it.0.store, it.0.what.place()) == kind);
            let own: Vec<f64> = own.map(|it| it.1 * it.1).collect();
            (own.iter().sum::<f64>() / own.len().max(1) as f64).sqrt()
        };
        kinds.into_iter().map(of_kind).fold(0.0, f64::max)
    }

    /// A run as far as anything was read of it.
    fn run(&self, deviates: &DVector<f64>) -> Option<Run> {
        let moments = &self.moments[..=self.last];
        let mut run = self.world.run_to_now(deviates.as_slice(), moments)?;
        self.put_ahead(&mut run, deviates.as_slice(), moments);
        Some(run)
    }

    /// Puts into a run how far it is ahead by its deviates; where nothing was read nobody knows
    /// that it is.
    pub(super) fn put_ahead(&self, run: &mut Run, deviates: &[f64], moments: &[f64]) {
        if self.all.is_empty() {
            return;
        }
        self.ahead.put(
            run,
            &deviates[self.world.size()..],
            moments,
            &self.world.floors,
        );
        let hours = self.world.hours;
        let until = self
            .world
            .devices
            .iter()
            .zip(&run.until_h)
            .map(|(id, at_h)| self.ahead.comes(run, id, *at_h, hours));
        run.until_h = until.collect();
    }

    /// How many deviates a run is drawn from.
    pub(super) fn size(&self) -> usize {
        self.world.size() + self.ahead.size()
    }

    /// By how many standard deviations each reading is off.
    fn off(&self, run: &Run) -> DVector<f64> {
        let each = self.all.iter().map(|it| (shown(run, it) - it.mean) / it.sd);
        DVector::from_iterator(
            self.all.len(),
            each.map(|it| {
                if it.is_finite() {
                    it.clamp(-1e3, 1e3)
                } else {
                    1e3
                }
            }),
        )
    }

    /// Twice the logarithm of how unlikely it is, with readings that are far off cut down (Huber
    /// 1964).
    fn cost(&self, off: &DVector<f64>, deviates: &DVector<f64>) -> f64 {
        let each = off.iter().map(|it| far_pulls_less(*it));
        each.sum::<f64>() + self.before.off(deviates).norm_squared()
    }

    /// What is likely where everything is as the plan has it, and beside it for each store that it
    /// holds less than its label says, where nobody measured it: labels are wrong by more than
    /// their ± more often than their ± allows. Those that are too unlikely by what was read are
    /// left out; the likeliest comes first.
    pub(super) fn hypotheses(self) -> Option<Vec<Hypothesis>> {
        let size = self.size();
        let own = Self {
            before: Before::planned(size),
            ..self
        };
        let planned = own.middle(DVector::zeros(size))?;
        let reads = |store: usize| {
            own.all
                .iter()
                .any(|it| it.store == store && matches!(it.what, What::Volts | What::Percent))
        };
        let stores = (0..own.world.stores.len()).filter(|it| reads(*it));
        let others = stores.filter_map(|store| own.holds_less(store, &planned));
        let mut found: Vec<(f64, Self, Middle)> = others
            .map(|(problem, middle)| (problem.evidence(&middle), problem, middle))
            .collect();
        found.push((own.evidence(&planned), own, planned));
        found.sort_by(|a, b| b.0.total_cmp(&a.0));
        let most = found.first()?.0;
        let sum: f64 = found.iter().map(|it| (it.0 - most).exp()).sum();
        let each = found
            .into_iter()
            .map(|(evidence, problem, middle)| Hypothesis {
                problem,
                middle,
                likely: (evidence - most).exp() / sum,
            });
        Some(each.filter(|it| it.likely > LEFT_OUT).collect())
    }

    /// The same where a store holds less than its label says.
    fn holds_less(&self, store: usize, planned: &Middle) -> Option<(Self, Middle)> {
        let (place, sd) = self.world.label_of(store)?;
        let mut before = Before::planned(self.size());
        before.mean[place] = (HOLDS.0 - 1.0) / sd;
        before.sd[place] = HOLDS.1 / sd;
        before.likely = HOLDS_LESS.ln();
        let problem = Self {
            before,
            ..self.clone()
        };
        // On the flat of its curve nothing points the way: it begins from where it fits best, with
        // everything else moved by one step to what fits that share.
        let share =
            |step: u32| LEAST_SHARE + (1.0 - LEAST_SHARE) * f64::from(step) / f64::from(SHARES);
        let mut slopes = planned.slopes.clone();
        slopes.column_mut(place).fill(0.0);
        let job = work::current();
        let begin = (0..SHARES).into_par_iter().filter_map(|step| {
            let mut at = DVector::zeros(slopes.ncols());
            at[place] = (share(step) - 1.0) / sd;
            let run = work::carried(job.as_ref(), || problem.run(&at))?;
            let off = problem.off(&run);
            let (normal, gradient) = problem.normal_of(&slopes, &off, &at);
            let mut moved = normal.cholesky()?.solve(&gradient);
            moved[place] = 0.0;
            let to = &at - &moved * (4.0 / moved.amax().max(1e-12)).min(1.0);
            let moved = work::carried(job.as_ref(), || problem.run(&to));
            let moved = moved.map(|run| (problem.cost(&problem.off(&run), &to), to));
            let still = (problem.cost(&off, &at), at);
            Some(moved.filter(|it| it.0 < still.0).unwrap_or(still))
        });
        let (_, at) = begin.min_by(|a, b| a.0.total_cmp(&b.0))?;
        let middle = Middle {
            first: planned.first.clone(),
            ..problem.middle(at)?
        };
        Some((problem, middle))
    }

    /// Logarithm of how likely it is beside others, by the height and width of its middle (Laplace
    /// 1774).
    fn evidence(&self, middle: &Middle) -> f64 {
        let cost = self.cost(&self.off(&middle.run), &middle.at);
        let wide = |it: &DVector<f64>| it.iter().map(|it| it.max(1e-12).ln()).sum::<f64>();
        self.before.likely - cost / 2.0 + wide(&middle.spread.diagonal()) - wide(&self.before.sd)
    }

    /// Gauss and Newton's way to the middle of what is likely (Levenberg's damping), and how wide
    /// it is there.
    pub(super) fn middle(&self, from: DVector<f64>) -> Option<Middle> {
        let size = self.size();
        let mut at = from;
        let mut run = self.run(&at)?;
        if self.all.is_empty() {
            return Some(Middle {
                at,
                spread: DMatrix::identity(size, size),
                run,
                slopes: DMatrix::zeros(0, size),
                first: Vec::new(),
            });
        }
        let mut off = self.off(&run);
        let mut cost = self.cost(&off, &at);
        let mut damping = 0.0;
        let mut normal = DMatrix::identity(size, size);
        let mut first = Vec::new();
        let mut last = DMatrix::zeros(off.len(), size);
        let mut active = vec![true; size];
        for turn in 0..MOST_TURNS {
            let slopes = self.slopes(&at, &off, &active);
            if turn == 0 {
                active = slopes
                    .column_iter()
                    .map(|it| it.norm() > SAYS_NOTHING)
                    .collect();
                first = off
                    .iter()
                    .zip(slopes.row_iter())
                    .map(|it| (*it.0, it.1.norm()))
                    .collect();
            }
            let (found, gradient) = self.normal_of(&slopes, &off, &at);
            normal = found;
            last = slopes;
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
                    let reached = self.cost(&off, &to);
                    better = Some((to, run, off, reached));
                    if reached < cost {
                        break;
                    }
                }
                damping = if damping == 0.0 { 0.1 } else { damping * 8.0 };
            }
            let Some(found) = better.filter(|it| it.3 < cost) else {
                break;
            };
            let gained = cost - found.3;
            (at, run, off, cost) = found;
            damping *= 0.1;
            if gained < 0.05 {
                break;
            }
        }
        let spread = normal.cholesky()?.inverse().cholesky()?.l();
        Some(Middle {
            at,
            spread,
            run,
            slopes: last,
            first,
        })
    }

    /// Gauss and Newton's equations with readings that are far off pulling less, and what is known
    /// before them.
    fn normal_of(
        &self,
        slopes: &DMatrix<f64>,
        off: &DVector<f64>,
        at: &DVector<f64>,
    ) -> (DMatrix<f64>, DVector<f64>) {
        let size = at.len();
        let pulls =
            DVector::from_iterator(off.len(), off.iter().map(|it| (FAR / it.abs()).min(1.0)));
        let weighted = DMatrix::from_fn(off.len(), size, |row, column| {
            slopes[(row, column)] * pulls[row]
        });
        let back = self.before.pulls();
        let gradient = weighted.transpose() * off + (at - &self.before.mean).component_mul(&back);
        (
            slopes.transpose() * &weighted + DMatrix::from_diagonal(&back),
            gradient,
        )
    }

    /// How each reading hangs on each deviate that it does hang on.
    fn slopes(&self, at: &DVector<f64>, off: &DVector<f64>, active: &[bool]) -> DMatrix<f64> {
        let job = work::current();
        let columns: Vec<DVector<f64>> = (0..at.len())
            .into_par_iter()
            .map(|place| {
                if !active[place] {
                    return DVector::zeros(off.len());
                }
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
        let kept = self.around(&middle.at, &middle.spread, seed);
        let none_stands = kept.iter().all(|it| it.is_lost);
        let weight = |it: &Drawn| {
            if it.is_lost && !none_stands {
                f64::NEG_INFINITY
            } else {
                it.weight
            }
        };
        let weights = weights(kept.iter().map(weight).collect());
        if self.all.is_empty() || counting(&weights) >= FEW || kept.is_empty() {
            return kept;
        }
        let size = self.size();
        let mean = kept
            .iter()
            .zip(&weights)
            .fold(DVector::zeros(size), |sum, (it, weight)| {
                sum + &it.deviates * *weight
            });
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

    /// Runs of each way in which it may be, weighed by how likely that is.
    pub(super) fn drawn_of(all: &[Hypothesis], seed: u64) -> Vec<Drawn> {
        let draw = |it: &Hypothesis| {
            let problem = &it.problem;
            let runs = if all.len() == 1 {
                1.0
            } else {
                it.likely.max(LEAST_RUNS)
            };
            #[expect(
                clippy::cast_possible_truncation,
                clippy::cast_sign_loss,
                reason = "a share of some hundreds"
            )]
            let own = Self {
                runs: (problem.runs as f64 * runs).ceil() as usize,
                ..problem.clone()
            };
            own.drawn(&it.middle, seed)
        };
        let mut each: Vec<Vec<Drawn>> = all.iter().map(draw).collect();
        // Where by all of them something would be off that is not, they are told apart by what was
        // read alone.
        if each.iter().flatten().all(|it| it.is_lost) {
            each.iter_mut().flatten().for_each(|it| it.is_lost = false);
        }
        let mut found = Vec::new();
        for (it, mut drawn) in all.iter().zip(each) {
            if all.len() > 1 {
                // A way in which a device would be lost by now, that is not, is the less likely.
                let logarithms = |all: bool| {
                    drawn.iter().map(move |it| {
                        if all || !it.is_lost {
                            it.weight
                        } else {
                            f64::NEG_INFINITY
                        }
                    })
                };
                let most = logarithms(true).fold(f64::NEG_INFINITY, f64::max);
                let sum = |all: bool| logarithms(all).map(|it| (it - most).exp()).sum::<f64>();
                let stands = sum(false) / sum(true);
                let own = weights(logarithms(false).collect());
                let likely = (it.likely * stands).ln();
                for (it, weight) in drawn.iter_mut().zip(own) {
                    it.weight = likely + weight.ln();
                }
            }
            for it in drawn.iter_mut().filter(|it| it.is_lost) {
                it.weight = f64::NEG_INFINITY;
            }
            found.append(&mut drawn);
        }
        found
    }

    fn around(&self, middle: &DVector<f64>, spread: &DMatrix<f64>, seed: u64) -> Vec<Drawn> {
        let job = work::current();
        let one = |number: usize| -> Option<Drawn> {
            let mut rng =
                StdRng::seed_from_u64(seed ^ (number as u64).wrapping_mul(0x9e37_79b9_7f4a_7c15));
            let plain = DVector::from_fn(middle.len(), |_, _| normal(&mut rng));
            let deviates = middle + spread * &plain;
            let whole = || self.world.run(deviates.as_slice(), &self.moments, &[]);
            let mut run = work::carried(job.as_ref(), whole)?;
            run.sways = normal(&mut rng);
            self.put_ahead(&mut run, deviates.as_slice(), &self.moments);
            let is_lost = self.is_lost(&run, self.now_h);
            let cost = self.cost(&self.off(&run), &deviates);
            let weight = (plain.norm_squared() - cost) / 2.0;
            Some(Drawn {
                deviates,
                run,
                weight,
                is_lost,
            })
        };
        (0..self.runs).into_par_iter().filter_map(one).collect()
    }

    /// When the first device is lost that nobody switched off, h; what a rule of the plan has
    /// switched off by `at_h` is off, and not waited for.
    pub(super) fn first_lost(&self, run: &Run, at_h: f64) -> f64 {
        let is_over = |place: usize, until_h: f64| run.by_rule[place] && until_h <= at_h;
        let own = run
            .until_h
            .iter()
            .enumerate()
            .filter(|it| !self.is_off(it.0) && !is_over(it.0, *it.1));
        own.map(|it| *it.1).fold(self.world.hours, f64::min)
    }

    /// Whether a device is lost in a run before `at_h` that neither a person nor a rule switched
    /// off: nobody saw that.
    pub(super) fn is_lost(&self, run: &Run, at_h: f64) -> bool {
        let lost = |(place, until_h): (usize, &f64)| {
            *until_h <= at_h - 1e-6 && !run.by_rule[place] && !self.is_off(place)
        };
        run.until_h.iter().enumerate().any(lost)
    }

    /// Whether somebody has switched a device off, by its place.
    fn is_off(&self, place: usize) -> bool {
        self.world
            .is_dropped(&self.world.devices[place], self.now_h * 3600.0)
    }
}

/// Twice the logarithm of how unlikely a reading is that is off by so many standard deviations
/// (Huber 1964).
pub(super) fn far_pulls_less(off: f64) -> f64 {
    if off.abs() <= FAR {
        off * off
    } else {
        2.0 * FAR * off.abs() - FAR * FAR
    }
}

/// Whether runs of such weights tell enough.
pub(super) fn few_count(weights: &[f64]) -> bool {
    counting(weights) < FEW
}

/// How many runs count as much as whole ones (Kish 1965).
pub(super) fn counting(weights: &[f64]) -> f64 {
    let squares: f64 = weights.iter().map(|it| it * it).sum();
    if squares > 0.0 { 1.0 / squares } else { 0.0 }
}

/// Weights of one whole by their logarithms: none weighs more than the root of their number says.
/// Where all are impossible they weigh the same.
pub(super) fn weights(logarithms: Vec<f64>) -> Vec<f64> {
    let most = logarithms.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    if most == f64::NEG_INFINITY {
        return vec![1.0 / logarithms.len().max(1) as f64; logarithms.len()];
    }
    let mut weights: Vec<f64> = logarithms.into_iter().map(|it| (it - most).exp()).collect();
    let possible = weights.iter().filter(|it| **it > 0.0).count();
    for _ in 0..4 {
        let most = weights.iter().sum::<f64>() / (possible as f64).sqrt();
        for it in &mut weights {
            *it = it.min(most);
        }
    }
    let sum: f64 = weights.iter().sum();
    for it in &mut weights {
        *it /= sum;
    }
    weights
}
