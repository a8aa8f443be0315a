//! What the runs say, in ranges and sentences.

use super::answer::{
    Claim, Course, Deadline, Doubt, DropGain, Estimate, Learned, Next, Range, StoreNow, Until,
};
use super::observed::{Observed, What, shown};
use super::problem::{Drawn, Middle, Problem, counting};
use super::seen::Seen;
use crate::ground::say::{Amount, Name, amount};
use crate::limits::is_medical;
use crate::site::battery::nominal_v;
use crate::site::plan::{Outage, Plan, Then};
use crate::time::outage::Event;
use std::collections::BTreeMap;

/// A figure is told as learned where its ± is so much smaller.
const LEARNED: f64 = 0.8;
/// Readings that are off by so many standard deviations on the whole are doubtful.
const DOUBTFUL: f64 = 2.5;
/// A figure is off where more than this share of the runs has it beyond its ±: one in forty would
/// lie there by itself.
const SURELY_OFF: f64 = 0.75;
/// What comes next is told so far.
const MOST_COMING: usize = 6;
/// What comes in the middle run so far can come among the first of the others.
const MOST_LOOKED_AT: usize = 12;
/// What all runs have within this goes by the clock, h.
const BY_THE_CLOCK_H: f64 = 1.0 / 3600.0;
/// Moments of a store's course.
const COURSE: u32 = 96;
/// A reading is of use to a display for so long, h.
const LATELY_H: f64 = 2.0;
/// Less than this is no load that anybody forgot, W.
const LEAST_UNNAMED_W: f64 = 3.0;

impl Problem {
    pub(super) fn told(
        &self,
        plan: &Plan,
        outage: &Outage,
        seen: &Seen,
        middle: &Middle,
        drawn: &[Drawn],
        weights: &[f64],
    ) -> Estimate {
        let world = &self.world;
        let grid: Vec<f64> = (0..COURSE)
            .map(|it| world.hours * 3600.0 * f64::from(it) / f64::from(COURSE))
            .collect();
        let mut told = world
            .run_told(middle.at.as_slice(), &grid)
            .unwrap_or_default();
        if told.looks.len() == grid.len() {
            self.put_ahead(&mut told, middle.at.as_slice(), &grid);
        }
        let mut coming: Vec<Next> = Vec::new();
        for it in told
            .events
            .iter()
            .filter(|it| it.at_h > self.now_h + 1e-6)
            .take(MOST_LOOKED_AT)
        {
            let before = coming
                .iter()
                .filter(|other| other.what == it.what && other.item == it.item)
                .count();
            let (what, item, cause) = (it.what.clone(), it.item.clone(), it.cause.clone());
            coming.push(Next {
                at_h: it.at_h,
                what,
                item,
                cause,
                before,
            });
        }
        let courses = world.stores.iter().enumerate().map(|(store, id)| {
            let middle = grid
                .iter()
                .zip(&told.looks)
                .map(|(at, look)| [at / 3600.0, look.soc[store]]);
            (
                id.clone(),
                Course {
                    middle: middle.collect(),
                    band: Vec::new(),
                    floor: world.floors[store],
                },
            )
        });
        let mut found = Estimate {
            at_h: self.now_h,
            first_lost_h: Range::default(),
            devices: BTreeMap::new(),
            because: told.causes,
            sources: BTreeMap::new(),
            next: None,
            coming,
            deadlines: self.deadlines(plan, &told.events),
            drops: self.drops(plan, middle),
            courses: courses.collect(),
            claims: self.claims(plan, outage, seen),
            learned: self.learned(drawn, weights),
            doubts: self.doubts(plan, middle, drawn, weights),
            runs_that_count: counting(weights),
            hangs: self.hangs(),
        };
        let socs: Vec<Vec<f64>> = drawn
            .iter()
            .map(|it| {
                it.run
                    .looks
                    .get(self.last)
                    .map_or_else(Vec::new, |look| look.soc.clone())
            })
            .collect();
        self.ranges(&mut found, drawn, weights, &socs);
        found
    }

    /// The same at a later moment, by other weights of the same runs; `socs` is how full the stores
    /// of each run are then.
    pub(super) fn told_again(
        &self,
        before: &Estimate,
        at_h: f64,
        drawn: &[Drawn],
        weights: &[f64],
        socs: &[Vec<f64>],
    ) -> Estimate {
        let mut found = Estimate {
            at_h,
            ..before.clone()
        };
        found.learned = self.learned(drawn, weights);
        found.runs_that_count = counting(weights);
        self.ranges(&mut found, drawn, weights, socs);
        found
    }

    /// The source of the store that each device hangs on.
    fn hangs(&self) -> BTreeMap<String, String> {
        let world = &self.world;
        let own = world
            .devices
            .iter()
            .filter_map(|id| Some((id.clone(), world.stores[self.ahead.store_of(id)?].clone())));
        own.collect()
    }

    /// How long everything has, and how full everything is.
    fn ranges(&self, found: &mut Estimate, drawn: &[Drawn], weights: &[f64], socs: &[Vec<f64>]) {
        let of = |each: &dyn Fn(&Drawn) -> f64| range(drawn.iter().map(each).collect(), weights);
        let world = &self.world;
        let at_h = found.at_h;
        found.first_lost_h = of(&|it| self.first_lost(&it.run, at_h));
        let devices = world.devices.iter().enumerate().map(|(place, id)| {
            let lasting = drawn
                .iter()
                .zip(weights)
                .filter(|it| it.0.run.until_h[place] >= world.hours - 1e-6);
            let chance_of_outage = lasting.map(|it| it.1).sum::<f64>().clamp(0.0, 1.0);
            (
                id.clone(),
                Until {
                    until_h: of(&|it| it.run.until_h[place]),
                    chance_of_outage,
                },
            )
        });
        found.devices = devices.collect();
        let sources = world.stores.iter().enumerate().map(|(place, id)| {
            let all = socs
                .iter()
                .map(|it| it.get(place).copied().unwrap_or_default())
                .collect();
            (
                id.clone(),
                StoreNow {
                    soc: range(all, weights),
                },
            )
        });
        found.sources = sources.collect();
        for (store, id) in world.stores.iter().enumerate() {
            let (Some(course), Some(now)) = (found.courses.get_mut(id), found.sources.get(id))
            else {
                continue;
            };
            let to_come = self.to_come(drawn, weights, store, at_h);
            course.band = to_come
                .iter()
                .map(|(at_h, it)| [*at_h, it.p5, it.p95])
                .collect();
            let halves: Vec<[f64; 2]> = std::iter::once([at_h, now.soc.p50])
                .chain(
                    to_come
                        .iter()
                        .filter(|it| it.0 > at_h + 1e-3)
                        .map(|(at_h, it)| [*at_h, it.p50]),
                )
                .collect();
            course.middle = through(&course.middle, &halves);
        }
        found.coming = self.dated(std::mem::take(&mut found.coming), drawn, weights);
        found
            .coming
            .retain(|it| it.at_h > at_h + 1e-6 && it.at_h < world.hours - 1e-3);
        found.coming.truncate(MOST_COMING);
        found.next = found.coming.first().cloned();
    }

    /// What comes, in order: at the time at which half of the runs have it behind them. By the same
    /// runs and weights it is told until when a device is on, so that who is on until a store's
    /// floor is so until the moment at which that is told.
    fn dated(&self, mut coming: Vec<Next>, drawn: &[Drawn], weights: &[f64]) -> Vec<Next> {
        let hours = self.world.hours;
        for next in &mut coming {
            let at = |it: &Drawn| {
                let same = |event: &&Event| {
                    event.at_h > self.now_h + 1e-6
                        && event.what == next.what
                        && event.item == next.item
                };
                it.run
                    .events
                    .iter()
                    .filter(same)
                    .nth(next.before)
                    .map_or(hours, |event| event.at_h)
            };
            let plain: Vec<f64> = drawn.iter().map(at).collect();
            // What goes by the clock goes by it however busy the devices are.
            let there = plain.iter().filter(|it| **it < hours - 1e-6);
            let (first, last) = there.fold((hours, 0.0_f64), |(a, b), it| (a.min(*it), b.max(*it)));
            let sways = last - first > BY_THE_CLOCK_H;
            let moved =
                |(at_h, it): (&f64, &Drawn)| self.ahead.comes(&it.run, &next.item, *at_h, hours);
            let each = plain
                .iter()
                .zip(drawn)
                .map(|it| if sways { moved(it) } else { *it.0 });
            next.at_h = range(each.collect(), weights).p50;
        }
        coming.sort_by(|a, b| a.at_h.total_cmp(&b.at_h));
        coming
    }

    /// Where a store's charge lies at the moments from one (h) on that the runs were looked at.
    fn to_come(
        &self,
        drawn: &[Drawn],
        weights: &[f64],
        store: usize,
        from_h: f64,
    ) -> Vec<(f64, Range)> {
        let moments = self
            .moments
            .iter()
            .enumerate()
            .skip(self.last)
            .filter(|it| *it.1 >= from_h * 3600.0 - 1.0);
        let one = |(place, at): (usize, &f64)| {
            let soc = |it: &Drawn| it.run.looks.get(place).map_or(0.0, |look| look.soc[store]);
            (at / 3600.0, range(drawn.iter().map(soc).collect(), weights))
        };
        moments.map(one).collect()
    }

    /// Devices that are off now and must not be for long, by the march itself.
    fn deadlines(&self, plan: &Plan, events: &[Event]) -> Vec<Deadline> {
        let running = events
            .iter()
            .filter(|it| it.what == "deadline passed")
            .filter_map(|it| {
                let deadline = plan.device(&it.item)?.deadline.as_ref()?;
                let since_h = it.at_h - deadline.minutes.get() / 60.0;
                let inspect = deadline.then == Some(Then::InspectBeforeRestart);
                let consequence = deadline.consequence.clone().unwrap_or_default();
                let told = Deadline {
                    device: it.item.clone(),
                    since_h,
                    harm_h: it.at_h,
                    consequence,
                    inspect,
                };
                (since_h <= self.now_h + 1e-6).then_some(told)
            });
        let mut last: BTreeMap<String, Deadline> = BTreeMap::new();
        running.for_each(|it| drop(last.insert(it.device.clone(), it)));
        // What came back since is off no more.
        let mut found: Vec<Deadline> = last
            .into_values()
            .filter(|it| {
                !self
                    .world
                    .is_restored_after(&it.device, it.since_h, self.now_h)
            })
            .collect();
        found.sort_by(|a, b| a.harm_h.total_cmp(&b.harm_h));
        found
    }

    /// What each drop wins from here, in the middle of what is likely: each is marched. That a
    /// device which somebody's health hangs on be switched off is nobody's advice.
    fn drops(&self, plan: &Plan, middle: &Middle) -> Vec<DropGain> {
        let world = &self.world;
        let priority = |id: &str| {
            let own = plan.device(id).and_then(|it| it.priority.as_ref());
            own.map_or(f64::INFINITY, crate::ground::figure::Figure::get)
        };
        let here: Vec<&String> = world
            .devices
            .iter()
            .filter(|it| !world.is_dropped(it, self.now_h * 3600.0))
            .collect();
        let Some(first) = here
            .iter()
            .min_by(|a, b| priority(a).total_cmp(&priority(b)))
        else {
            return Vec::new();
        };
        let at = world
            .devices
            .iter()
            .position(|it| it == *first)
            .unwrap_or_default();
        let Some(as_it_is) = world.run(middle.at.as_slice(), &[], &[]) else {
            return Vec::new();
        };
        let mut gains: Vec<DropGain> = here
            .iter()
            .filter(|it| *it != first && priority(it) > priority(first) && !is_medical(plan, it))
            .filter_map(|it| {
                let run = world.run(
                    middle.at.as_slice(),
                    &[],
                    &[(it.as_str(), self.now_h * 3600.0)],
                )?;
                let wins_h = run.until_h[at] - as_it_is.until_h[at];
                Some(DropGain {
                    device: (*it).clone(),
                    winner: (*first).clone(),
                    wins_h,
                })
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
            let values = || {
                drawn
                    .iter()
                    .zip(weights)
                    .map(|(it, weight)| (it.run.values[place], *weight))
            };
            let mean: f64 = values().map(|(value, weight)| value * weight).sum();
            let sd = values()
                .map(|(value, weight)| weight * (value - mean).powi(2))
                .sum::<f64>()
                .sqrt();
            let before = figure.plus_minus / 2.0;
            let part = sd / before;
            if part < LEARNED || (mean - figure.value).abs() > before {
                let told = Learned {
                    figure: figure.told(),
                    to: [mean, 2.0 * sd],
                    from: [figure.value, figure.plus_minus],
                };
                learned.push((part - (mean - figure.value).abs() / before, told));
            }
        }
        learned.sort_by(|a, b| a.0.total_cmp(&b.0));
        learned.truncate(8);
        learned.into_iter().map(|it| it.1).collect()
    }

    fn doubts(&self, plan: &Plan, middle: &Middle, drawn: &[Drawn], weights: &[f64]) -> Vec<Doubt> {
        let mut doubts = Vec::new();
        for (store, id) in self.world.stores.iter().enumerate() {
            for what in What::ALL {
                let all = self.all.iter().chain(&self.left_out);
                let own: Vec<&Observed> = all
                    .filter(|it| it.store == store && it.what == what)
                    .collect();
                if own.is_empty() {
                    continue;
                }
                let mean = |it: &Observed| -> f64 {
                    drawn
                        .iter()
                        .zip(weights)
                        .map(|(run, weight)| shown(&run.run, it) * weight)
                        .sum()
                };
                let off: Vec<(f64, f64)> =
                    own.iter().map(|it| (it.mean - mean(it), it.sd)).collect();
                let n = off.len() as f64;
                let on_the_whole =
                    (off.iter().map(|it| (it.0 / it.1).powi(2)).sum::<f64>() / n).sqrt();
                if on_the_whole > DOUBTFUL {
                    let by = off.iter().map(|it| it.0).sum::<f64>() / n;
                    let side = if by < 0.0 { "too low" } else { "too high" };
                    let sentence = format!(
                        "{} of {} {} not fit what its other readings say: {} {side} on average. \
                        See that the meter stands where it is said to.",
                        what.words(),
                        Name(plan.label(id)),
                        if what == What::Percent { "does" } else { "do" },
                        amount(by.abs(), what.unit())
                    );
                    doubts.push(Doubt {
                        item: id.clone(),
                        sentence: sentence.into(),
                    });
                }
            }
        }
        doubts.extend(self.unnamed(plan, middle));
        for (place, figure) in self.world.figures.iter().enumerate() {
            let mean: f64 = drawn
                .iter()
                .zip(weights)
                .map(|(it, weight)| it.run.values[place] * weight)
                .sum();
            let side = (mean - figure.value).signum();
            let is_beyond =
                |it: &Drawn| (it.run.values[place] - figure.value) * side > figure.plus_minus;
            let beyond: f64 = drawn
                .iter()
                .zip(weights)
                .filter(|it| is_beyond(it.0))
                .map(|it| it.1)
                .sum();
            if !self.all.is_empty() && beyond > SURELY_OFF {
                let sentence = format!(
                    "{}, {}: the readings say {} and not {}, which is more than its ± allows.",
                    Name(&figure.label),
                    figure.name,
                    amount(mean, figure.unit),
                    amount(figure.value, figure.unit)
                );
                doubts.push(Doubt {
                    item: figure.id.clone(),
                    sentence: sentence.into(),
                });
            }
        }
        doubts
    }

    /// What flows out of a store beyond all that the plan's own figures, with their ±, can be:
    /// something hangs on it that nobody named, or what does hangs on it otherwise. Told by the
    /// readings of the last third of them, so that what was plugged in lately is seen as well.
    fn unnamed(&self, plan: &Plan, middle: &Middle) -> Vec<Doubt> {
        let mut doubts = Vec::new();
        for (store, id) in self.world.stores.iter().enumerate() {
            for what in [What::Watts, What::Amps] {
                let own: Vec<(&Observed, (f64, f64))> = self
                    .all
                    .iter()
                    .zip(middle.first.iter().copied())
                    .filter(|it| it.0.store == store && it.0.what == what)
                    .collect();
                let late = &own[own.len() - own.len().div_ceil(3)..];
                if late.is_empty() {
                    continue;
                }
                let n = late.len() as f64;
                // Off is what is shown by the plan less what was read, both in standard deviations
                // of the reading.
                let more = -late.iter().map(|(it, (off, _))| off * it.sd).sum::<f64>() / n;
                let known = late
                    .iter()
                    .map(|(it, (_, sd))| (1.0 + sd * sd).sqrt() * it.sd)
                    .sum::<f64>()
                    / n;
                let watts = if what == What::Amps {
                    more * self.volts[store]
                } else {
                    more
                };
                if more > DOUBTFUL * known && watts > LEAST_UNNAMED_W {
                    let sentence = format!(
                        "{} more flows out of {} than everything that is named can draw. Look for \
                        what else hangs on it.",
                        Amount(watts, "W"),
                        Name(plan.label(id))
                    );
                    doubts.push(Doubt {
                        item: id.clone(),
                        sentence: sentence.into(),
                    });
                    break;
                }
            }
        }
        doubts
    }

    /// What displays claim: what is in the store, by the last per cent that was read, over what was
    /// last seen to flow.
    fn claims(&self, plan: &Plan, outage: &Outage, seen: &Seen) -> Vec<Claim> {
        let stores = plan
            .kit
            .sources
            .iter()
            .filter_map(|it| Some((it, it.battery.as_ref()?)));
        let one = |(source, battery): (&crate::site::plan::Source, &crate::site::plan::Battery)| {
            let own = || {
                seen.readings
                    .iter()
                    .rev()
                    .filter(|it| it.source == source.id.as_str())
            };
            let percent = own().find_map(|it| Some((it.at_s, it.percent?)))?;
            let volts = own().find_map(|it| it.volts).or_else(|| nominal_v(battery));
            let watts = own().find_map(|it| {
                let watts = it.watts.or_else(|| Some(it.amps? * volts?))?;
                Some((it.at_s, watts))
            })?;
            let late = |at_s: f64| at_s / 3600.0 < self.now_h - LATELY_H;
            if watts.1 <= 0.0 || late(percent.0) || late(watts.0) {
                return None;
            }
            let stored = match (&battery.energy_wh, &battery.capacity_ah) {
                (Some(energy), _) => energy.get(),
                (None, Some(capacity)) => capacity.get() * volts?,
                (None, None) => return None,
            };
            let hours = stored * percent.1 / 100.0 / watts.1;
            let place = self
                .world
                .stores
                .iter()
                .position(|it| *it == source.id.as_str());
            let floor = place.map_or(0.0, |it| self.world.floors[it]);
            let floor = if floor > 0.0 && outage.use_everything != Some(true) {
                format!(
                    ", and not to the {} that are its floor",
                    crate::ground::say::percent(floor)
                )
            } else {
                String::new()
            };
            let sentence = format!(
                "It takes the {} of now for all the hours to come, and counts down to \
                empty{floor}.",
                Amount(watts.1, "W")
            );
            Some(Claim {
                source: source.id.to_string(),
                hours,
                watts: watts.1,
                sentence: sentence.into(),
            })
        };
        stores.filter_map(one).collect()
    }
}

/// A course that goes as the middle run does and, from the first of some points on, through them:
/// it is moved by what they are off, and between two of them by what lies between.
fn through(middle: &[[f64; 2]], points: &[[f64; 2]]) -> Vec<[f64; 2]> {
    let Some(first) = points.first().map(|it| it[0]) else {
        return middle.to_vec();
    };
    let off: Vec<[f64; 2]> = points
        .iter()
        .map(|it| [it[0], it[1] - on_line(middle, it[0])])
        .collect();
    let before = middle.iter().filter(|it| it[0] < first - 1e-9).copied();
    let after = middle
        .iter()
        .map(|it| it[0])
        .filter(|it| *it > first + 1e-9);
    let moved = std::iter::once(first).chain(after);
    before
        .chain(moved.map(|at| {
            [
                at,
                (on_line(middle, at) + on_line(&off, at)).clamp(0.0, 1.0),
            ]
        }))
        .collect()
}

/// What lies on a line through points in order; beyond its ends it goes on level.
fn on_line(points: &[[f64; 2]], at: f64) -> f64 {
    let place = points.partition_point(|it| it[0] < at);
    match (
        place.checked_sub(1).and_then(|it| points.get(it)),
        points.get(place),
    ) {
        (Some(a), Some(b)) if b[0] > a[0] => a[1] + (b[1] - a[1]) * (at - a[0]) / (b[0] - a[0]),
        (_, Some(it)) | (Some(it), None) => it[1],
        (None, None) => 0.0,
    }
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
    Range {
        p5: at(0.05),
        p50: at(0.5),
        p95: at(0.95),
    }
}
