//! What is known at a moment, and how a reading that comes then moves it.

use super::ahead::Ahead;
use super::answer::Estimate;
use super::observed::{Observer, What, shown_by};
use super::plugged::plugged;
use super::problem::{
    Before, Drawn, FAR, Hypothesis, Problem, RUNS, counting, far_pulls_less, few_count, weights,
};
use super::seen::{Reading, Seen};
use super::world::{Run, World};
use crate::ground::json::FieldError;
use crate::site::plan::{Arrangement, Outage, Plan};
use crate::time::outage::Look;
use serde::Serialize;
use std::sync::Arc;

/// Runs are looked at so often in the hour to come, so that a reading there finds them.
const SOON_S: f64 = 600.0;
const SOON: usize = 6;
/// With fewer of the runs that counted it is found anew.
const STILL: f64 = 0.6;
/// And so often beyond it.
const LATER: usize = 16;

/// What is known at a moment of an outage, with the runs that say it. A reading of the hour that
/// follows moves it by weighing these runs anew; where few of them count then, or something was
/// done, it is found anew.
#[derive(Debug)]
pub struct Standing {
    problem: Problem,
    drawn: Vec<Drawn>,
    observer: Observer,
    told: Estimate,
    /// The middle of what is likely, as deviates.
    middle: Vec<f64>,
    /// By how much what was drawn of each store is ahead there, h.
    ahead_h: Vec<f64>,
}

impl Standing {
    /// Finds what is known at `at_h` hours after the outage began by what was seen up to then. The
    /// same seed gives the same answer.
    ///
    /// # Errors
    /// Where the moment lies outside the outage, or where no run can be marched.
    pub fn at(
        plan: &Plan,
        way: &Arrangement,
        outage: &Outage,
        seen: &Seen,
        at_h: f64,
        seed: u64,
    ) -> Result<Self, FieldError> {
        Self::drawn(plan, way, outage, seen, at_h, (RUNS, seed))
    }

    /// The same by so many runs.
    pub(super) fn drawn(
        plan: &Plan,
        way: &Arrangement,
        outage: &Outage,
        seen: &Seen,
        at_h: f64,
        (runs, seed): (usize, u64),
    ) -> Result<Self, FieldError> {
        let hours = outage.hours.get();
        if !(0.0..=hours).contains(&at_h) {
            let why = format!("is {at_h}; the outage is looked at from 0 to {hours} h");
            return Err(FieldError::of("at", why));
        }
        let known = seen.up_to(at_h * 3600.0);
        let world = World::of(plan, way, outage, &known);
        let observer = Observer::of(plan, way, &world, &known);
        let (mut moments, all) = observer.observed(plan, outage, &world, &known);
        let (last, now, end) = (moments.len(), at_h * 3600.0, hours * 3600.0 - 1.0);
        moments.push(now.min(end));
        moments.extend((1..=SOON).map(|it| now + it as f64 * SOON_S));
        let beyond = now + SOON as f64 * SOON_S;
        moments.extend((1..=LATER).map(|it| beyond + (end - beyond) * it as f64 / LATER as f64));
        let (been, to_come) = moments.split_at_mut(last + 1);
        let been = been.len();
        let to_come = to_come
            .iter()
            .filter(|it| **it > now && **it <= end)
            .count();
        moments.truncate(been + to_come);
        let volts: Vec<f64> = (0..world.stores.len())
            .map(|it| observer.volts(it))
            .collect();
        let ahead = Ahead::of(
            plan,
            &plugged(plan, way, &known.acted),
            &world,
            &volts,
            at_h,
        );
        let world = Arc::new(world);
        let before = Before::planned(world.size() + ahead.size());
        let problem = Problem {
            world,
            moments,
            all,
            left_out: Vec::new(),
            now_h: at_h,
            last,
            ahead,
            volts,
            runs,
            before,
        };
        let no_run = || FieldError::of("at", "no run of it can be marched".to_owned());
        let mut all = problem.hypotheses().ok_or_else(no_run)?;
        // A meter that contradicts the others drags everything along: the answer goes on without
        // it.
        while let Some(without) = all
            .first()
            .and_then(|it| it.problem.without_what_contradicts(&it.middle))
        {
            all = without.hypotheses().ok_or_else(no_run)?;
        }
        let drawn = Problem::drawn_of(&all, seed);
        let likeliest = all
            .into_iter()
            .next()
            .filter(|_| !drawn.is_empty())
            .ok_or_else(no_run)?;
        let Hypothesis {
            problem, middle, ..
        } = likeliest;
        let weights = weights(drawn.iter().map(|it| it.weight).collect());
        let told = problem.told(plan, outage, &known, &middle, &drawn, &weights);
        let (middle, ahead_h) = (middle.at.as_slice().to_vec(), middle.run.ahead_h);
        Ok(Self {
            problem,
            drawn,
            observer,
            told,
            middle,
            ahead_h,
        })
    }

    /// The world of this moment with the run in the middle of what is likely; none where that makes
    /// no plan.
    pub(super) fn as_it_is(&self) -> Option<(&World, Run)> {
        let world = &*self.problem.world;
        Some((
            world,
            self.put_ahead(world, world.run(&self.middle, &[], &[])?),
        ))
    }

    /// A run of the middle, as far ahead as it is up to now.
    fn put_ahead(&self, world: &World, mut run: Run) -> Run {
        run.ahead_h.clone_from(&self.ahead_h);
        let ahead = &self.problem.ahead;
        let until = world
            .devices
            .iter()
            .zip(&run.until_h)
            .map(|(id, at_h)| ahead.comes(&run, id, *at_h, world.hours));
        run.until_h = until.collect();
        run
    }

    /// How much longer a device lasts where other things were done, in the middle of what is
    /// likely, h.
    pub(super) fn wins(
        &self,
        plan: &Plan,
        way: &Arrangement,
        outage: &Outage,
        seen: &Seen,
        device: &str,
    ) -> Option<f64> {
        let (before, was) = self.as_it_is()?;
        let (after, is) = self.with(plan, way, outage, seen)?;
        Some(after.until_of(&is, device) - before.until_of(&was, device))
    }

    /// The same with other things done.
    pub(super) fn with(
        &self,
        plan: &Plan,
        way: &Arrangement,
        outage: &Outage,
        seen: &Seen,
    ) -> Option<(World, Run)> {
        let world = World::of(plan, way, outage, seen);
        let deviates = world.carried(&self.problem.world, &self.middle, |_| 0.0);
        let run = self.put_ahead(&world, world.run(&deviates, &[], &[])?);
        Some((world, run))
    }

    /// What is known.
    pub fn told(&self) -> &Estimate {
        &self.told
    }

    /// What is known at a later moment (h) by readings that came since, with what was done
    /// unchanged; none where the moment lies further off than an hour, or the readings say
    /// something that few of the runs know.
    pub fn moved_by(&self, readings: &[Reading], at_h: f64) -> Option<Estimate> {
        let (problem, now) = (&self.problem, self.told.at_h * 3600.0);
        let at = at_h * 3600.0;
        let known = &problem.moments[problem.last..];
        if at < now || at > now + SOON as f64 * SOON_S || known.last().is_none_or(|it| *it < at) {
            return None;
        }
        let mut logarithms: Vec<f64> = self.drawn.iter().map(|it| it.weight).collect();
        let looked = |run: &Drawn, at_s: f64| between(known, &run.run.looks[problem.last..], at_s);
        for reading in readings {
            if reading.at_s < now || reading.at_s > at {
                return None;
            }
            for it in self.observer.one(&problem.world, reading) {
                let mut nearest = f64::INFINITY;
                for (run, weight) in self.drawn.iter().zip(&mut logarithms) {
                    let shows = looked(run, reading.at_s).map_or(f64::NAN, |look| {
                        shown_by(&look, &run.run.meters[it.store], it.store, it.what)
                    });
                    let off = (shows - it.mean) / it.sd;
                    let off = if off.is_finite() { off } else { 1e3 };
                    nearest = nearest.min(off.abs());
                    *weight -= far_pulls_less(off) / 2.0;
                }
                // Something that none of them knows.
                if nearest > FAR {
                    return None;
                }
            }
        }
        // Where by all of them something would be off by then, they are told apart by what was read
        // alone.
        let stands: Vec<bool> = self
            .drawn
            .iter()
            .map(|it| !problem.is_lost(&it.run, at_h))
            .collect();
        if stands.contains(&true) {
            let lost = logarithms.iter_mut().zip(&stands).filter(|it| !it.1);
            lost.for_each(|it| *it.0 = f64::NEG_INFINITY);
        }
        let weights = weights(logarithms);
        // Where few counted from the beginning, finding it anew would tell no more.
        if few_count(&weights) && counting(&weights) < STILL * self.told.runs_that_count {
            return None;
        }
        let socs: Vec<Vec<f64>> = self
            .drawn
            .iter()
            .map(|it| looked(it, at).map_or_else(Vec::new, |look| look.soc))
            .collect();
        Some(problem.told_again(&self.told, at_h, &self.drawn, &weights, &socs))
    }

    /// The one reading that would narrow the range of the first loss most, if it showed what is
    /// likely; none where none would narrow it by a tenth. Each is tried.
    pub fn worth_reading(&self) -> Option<WorthReading> {
        let wide = |it: &Estimate| it.first_lost_h.p95 - it.first_lost_h.p5;
        let (problem, at_h) = (&self.problem, self.told.at_h);
        let own = weights(self.drawn.iter().map(|it| it.weight).collect());
        let mut best: Option<WorthReading> = None;
        for (store, source) in problem.world.stores.iter().enumerate() {
            for what in What::ALL {
                let shows = |it: &Drawn| {
                    it.run.looks.get(problem.last).map_or(0.0, |look| {
                        shown_by(look, &it.run.meters[store], store, what)
                    })
                };
                let mean: f64 = self
                    .drawn
                    .iter()
                    .zip(&own)
                    .map(|(it, weight)| shows(it) * weight)
                    .sum();
                if !mean.is_finite() || mean.abs() < 1e-9 {
                    continue;
                }
                let mut reading = Reading {
                    at_s: at_h * 3600.0,
                    source: source.clone(),
                    ..Reading::default()
                };
                what.put(&mut reading, mean);
                let Some(then) = self.moved_by(&[reading], at_h) else {
                    continue;
                };
                let found = WorthReading {
                    at_h,
                    source: source.clone(),
                    unit: what.unit().to_owned(),
                    wide_h: wide(&self.told),
                    then_h: wide(&then),
                };
                let narrows = found.then_h < 0.9 * found.wide_h;
                if narrows && best.as_ref().is_none_or(|it| found.then_h < it.then_h) {
                    best = Some(found);
                }
            }
        }
        best
    }
}

/// A reading that is worth taking.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WorthReading {
    /// When, hours since the outage began.
    pub at_h: f64,
    /// Of which source.
    pub source: String,
    /// What, by its unit: V, A, W or %.
    pub unit: String,
    /// How wide the range of the first loss is, h.
    pub wide_h: f64,
    /// How wide it would be with that reading, h.
    pub then_h: f64,
}

impl WorthReading {
    /// What is read, in words.
    pub fn what(&self) -> &'static str {
        match self.unit.as_str() {
            "V" => "volts",
            "A" => "amperes",
            "W" => "watts",
            _ => "charge in per cent",
        }
    }
}

/// What a meter would show between two moments at which a run was looked at.
fn between(moments: &[f64], looks: &[Look], at: f64) -> Option<Look> {
    let place = moments.partition_point(|it| *it < at);
    let after = looks.get(place)?;
    let Some(before) = place.checked_sub(1).and_then(|it| looks.get(it)) else {
        return Some(after.clone());
    };
    let wide = moments[place] - moments[place - 1];
    let part = if wide > 0.0 {
        (at - moments[place - 1]) / wide
    } else {
        1.0
    };
    let mixed = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a + (b - a) * part).collect();
    Some(Look {
        soc: mixed(&before.soc, &after.soc),
        volts: mixed(&before.volts, &after.volts),
        amps: mixed(&before.amps, &after.amps),
        out_w: mixed(&before.out_w, &after.out_w),
        device_w: mixed(&before.device_w, &after.device_w),
    })
}

/// Estimates what is likely at `at_h` hours after the outage began: what [`Standing::at`] knows.
///
/// # Errors
/// As [`Standing::at`].
pub fn estimate(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    seen: &Seen,
    at_h: f64,
    seed: u64,
) -> Result<Estimate, FieldError> {
    Ok(Standing::at(plan, way, outage, seen, at_h, seed)?.told)
}
