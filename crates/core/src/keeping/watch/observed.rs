//! Readings taken together: the mean of those that lie close to each other, with what it may be off
//! by beside what the run itself knows.

use super::plugged::plugged;
use super::seen::{Act, Reading, Seen};
use super::world::{Meters, Run, World};
use crate::ground::figure::Figure;
use crate::site::plan::{Arrangement, Cycle, Device, Outage, PhaseKind, Plan};
use crate::time::outage::Look;

/// Stretches into which the readings of a store are taken together at most.
const MOST_BINS: f64 = 40.0;
/// The shortest stretch, s.
const SHORTEST_S: f64 = 300.0;
/// A mean over less than this knows no more of how busy devices are than one look does, s: twice
/// the ten minutes for which they stay busy or not on the whole.
pub(super) const BUSY_S: f64 = 1200.0;
/// So near to a switch nothing is said of what flows, s.
const SWITCHING_S: f64 = 30.0;
/// Scatter of a single reading: V, A, W, points; a display's own beside its steps.
const SCATTER: [f64; 4] = [0.007, 0.06, 0.8, 0.8];
/// The least step of a display where its readings tell none: V, A, W, points.
const STEP: [f64; 4] = [0.01, 0.01, 1.0, 1.0];

/// What is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum What {
    Volts,
    Amps,
    Watts,
    Percent,
}

impl What {
    pub(super) const ALL: [Self; 4] = [Self::Volts, Self::Amps, Self::Watts, Self::Percent];

    fn of(self, reading: &Reading) -> Option<f64> {
        match self {
            Self::Volts => reading.volts,
            Self::Amps => reading.amps,
            Self::Watts => reading.watts,
            Self::Percent => reading.percent,
        }
    }

    /// Puts a value into a reading.
    pub(super) fn put(self, reading: &mut Reading, value: f64) {
        let place = match self {
            Self::Volts => &mut reading.volts,
            Self::Amps => &mut reading.amps,
            Self::Watts => &mut reading.watts,
            Self::Percent => &mut reading.percent,
        };
        *place = Some(value);
    }

    pub(super) fn place(self) -> usize {
        Self::ALL
            .iter()
            .position(|it| *it == self)
            .unwrap_or_default()
    }

    pub(super) fn words(self) -> &'static str {
        match self {
            Self::Volts => "The volts",
            Self::Amps => "The amperes",
            Self::Watts => "The watts",
            Self::Percent => "The display's per cent",
        }
    }

    pub(super) fn unit(self) -> &'static str {
        ["V", "A", "W", "%"][self.place()]
    }
}

/// Readings taken together.
#[derive(Debug, Clone)]
pub(super) struct Observed {
    /// Which moment of the run it belongs to.
    pub(super) moment: usize,
    /// Which store.
    pub(super) store: usize,
    pub(super) what: What,
    pub(super) mean: f64,
    /// What it may be off by, standard deviation.
    pub(super) sd: f64,
}

/// What a store's meters may be off by.
#[derive(Debug, Clone)]
struct Scale {
    /// By how much what it gives sways, W.
    sway: f64,
    ohms: f64,
    volts: f64,
    steps: [f64; 4],
}

impl Scale {
    /// The standard deviation of the mean of so many readings that lie so far apart over a stretch,
    /// s.
    fn sd(&self, what: What, n: f64, apart: f64, long_s: f64) -> f64 {
        // Busy or not: a mean over many of its turns knows it better.
        let turns = (1.0 / n).max(BUSY_S / (long_s + BUSY_S));
        let swayed = match what {
            What::Watts => self.sway,
            What::Amps => self.sway / self.volts,
            What::Volts => self.sway / self.volts * self.ohms,
            What::Percent => 0.0,
        };
        let place = what.place();
        let step = self.steps[place];
        // Rounded up and down by turns, what is cut off goes out in the mean; standing still, it
        // does not.
        let rounded = step.powi(2) / 12.0 / if apart > 1.5 * step { n } else { 1.0 };
        let alone = SCATTER[place].powi(2) / n + rounded;
        (alone + swayed.powi(2) * turns).sqrt()
    }
}

/// Takes readings together.
#[derive(Debug, Clone)]
pub(super) struct Observer {
    scales: Vec<Scale>,
}

impl Observer {
    pub(super) fn of(plan: &Plan, way: &Arrangement, world: &World, seen: &Seen) -> Self {
        // What hung there before it was plugged over sways what was read before.
        let now = plugged(plan, way, &seen.acted);
        let sways = |id: &str| sway(plan, way, id).max(sway(plan, &now, id));
        let scale = |id: &String| {
            let own: Vec<&Reading> = seen.readings.iter().filter(|it| it.source == *id).collect();
            let battery = plan.source(id).and_then(|it| it.battery.as_ref());
            let ohms = battery
                .and_then(|it| it.internal_ohm.as_ref())
                .map_or(0.0, Figure::get);
            let read: Vec<f64> = own.iter().filter_map(|it| it.volts).collect();
            let volts = if read.is_empty() {
                12.0
            } else {
                (read.iter().sum::<f64>() / read.len() as f64).max(1.0)
            };
            Scale {
                sway: sways(id),
                ohms,
                volts,
                steps: What::ALL.map(|what| step(&own, what)),
            }
        };
        Self {
            scales: world.stores.iter().map(scale).collect(),
        }
    }

    /// A reading by itself.
    pub(super) fn one(&self, world: &World, reading: &Reading) -> Vec<Observed> {
        let Some(store) = world.stores.iter().position(|it| *it == reading.source) else {
            return Vec::new();
        };
        let each = What::ALL.into_iter().filter_map(|what| {
            let mean = what.of(reading)?;
            Some(Observed {
                moment: 0,
                store,
                what,
                mean,
                sd: self.scales[store].sd(what, 1.0, 0.0, 0.0),
            })
        });
        each.collect()
    }

    /// The moments at which a run is looked at, s, and what was read there.
    pub(super) fn observed(
        &self,
        plan: &Plan,
        outage: &Outage,
        world: &World,
        seen: &Seen,
    ) -> (Vec<f64>, Vec<Observed>) {
        let edges = edges(plan, outage, seen);
        let acts = seen
            .acted
            .iter()
            .filter(|it| !matches!(it.act, Act::Note(_)));
        let switching: Vec<f64> = acts.map(|it| it.at_s).collect();
        let mut found: Vec<(f64, Observed)> = Vec::new();
        for (store, id) in world.stores.iter().enumerate() {
            let own: Vec<&Reading> = seen.readings.iter().filter(|it| it.source == *id).collect();
            let (Some(first), Some(last)) = (own.first(), own.last()) else {
                continue;
            };
            let width = ((last.at_s - first.at_s) / MOST_BINS).max(SHORTEST_S);
            let mut from = 0;
            while from < own.len() {
                let begin = own[from].at_s;
                let edge = edges
                    .iter()
                    .find(|it| **it > begin + 1e-6)
                    .copied()
                    .unwrap_or(f64::INFINITY);
                let many = own[from..]
                    .iter()
                    .take_while(|it| it.at_s < (begin + width).min(edge));
                let to = from + many.count().max(1);
                let bin = &own[from..to];
                from = to;
                let long = bin[bin.len() - 1].at_s - begin;
                for what in What::ALL {
                    // What flows while somebody switches is of neither state; how full it is stays
                    // the same.
                    let settled = |it: &&&Reading| {
                        what == What::Percent
                            || !switching
                                .iter()
                                .any(|at| (at - it.at_s).abs() < SWITCHING_S)
                    };
                    let own = bin.iter().filter(settled);
                    let values: Vec<(f64, f64)> =
                        own.filter_map(|it| Some((it.at_s, what.of(it)?))).collect();
                    if values.is_empty() {
                        continue;
                    }
                    let n = values.len() as f64;
                    let mean = values.iter().map(|it| it.1).sum::<f64>() / n;
                    let at = values.iter().map(|it| it.0).sum::<f64>() / n;
                    let (least, most) = values
                        .iter()
                        .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), it| {
                            (a.min(it.1), b.max(it.1))
                        });
                    let sd = self.scales[store].sd(what, n, most - least, long);
                    found.push((
                        at,
                        Observed {
                            moment: 0,
                            store,
                            what,
                            mean,
                            sd,
                        },
                    ));
                }
            }
        }
        found.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut moments: Vec<f64> = Vec::new();
        let all = found.into_iter().map(|(at, mut it)| {
            if moments.last().is_none_or(|last| at > last + 0.5) {
                moments.push(at);
            }
            it.moment = moments.len() - 1;
            it
        });
        let all = all.collect();
        (moments, all)
    }

    /// Volts at a store, as they were read or are usual.
    pub(super) fn volts(&self, store: usize) -> f64 {
        self.scales[store].volts
    }
}

/// What a run says that a meter shows.
pub(super) fn shown(run: &Run, it: &Observed) -> f64 {
    let Some(look) = run.looks.get(it.moment) else {
        return f64::NAN;
    };
    shown_by(look, &run.meters[it.store], it.store, it.what)
}

/// What a store's meters show where this is true.
pub(super) fn shown_by(look: &Look, meters: &Meters, store: usize, what: What) -> f64 {
    match what {
        What::Volts => look.volts[store] * meters.volts_scale,
        What::Amps => look.amps[store] * meters.amps_scale + meters.amps_offset,
        What::Watts => look.out_w[store] * meters.watts_scale,
        What::Percent => {
            let soc = look.soc[store];
            match meters.counts {
                Some((from, label, truth)) => {
                    let out = (meters.soc_at_start - soc) * truth * meters.amps_scale;
                    from - out / label * 100.0 + meters.percent_bias
                }
                None => soc * 100.0 + meters.percent_bias,
            }
        }
    }
}

/// The step in which a meter shows something: the least difference between two of its readings, up
/// to a whole one.
fn step(readings: &[&Reading], what: What) -> f64 {
    let mut values: Vec<f64> = readings.iter().filter_map(|it| what.of(it)).collect();
    values.sort_by(f64::total_cmp);
    let gaps = values
        .windows(2)
        .map(|it| it[1] - it[0])
        .filter(|it| *it > 1e-9);
    let least = STEP[what.place()];
    gaps.fold(f64::INFINITY, f64::min).clamp(least * 0.1, least)
}

/// By how much what a store gives sways because devices are busy or not, or on and off by their
/// thermostat, W.
pub(super) fn sway(plan: &Plan, way: &Arrangement, source: &str) -> f64 {
    let one = |device: &Device| -> f64 {
        let phase = |kind| {
            device
                .phases_of(kind)
                .map(|it| (it.watts.get(), it.share.as_ref().map_or(0.0, Figure::get)))
                .next()
        };
        let count = device.count();
        let running = phase(PhaseKind::Running).map_or(0.0, |it| it.0);
        let busy = phase(PhaseKind::Busy).map_or(0.0, |(watts, share)| {
            ((watts - running) * count).powi(2) * share * (1.0 - share)
        });
        let turns = match &device.cycle {
            Some(Cycle::Thermostat { on_fraction, .. }) => {
                let share = on_fraction.get();
                (running * count).powi(2) * share * (1.0 - share)
            }
            _ => 0.0,
        };
        busy + turns
    };
    // Some of it is lost on the way, so that a little more is drawn.
    let all = plan
        .kit
        .devices
        .iter()
        .filter(|it| way.hangs_on(it.id.as_str(), source))
        .map(one)
        .sum::<f64>();
    1.1 * all.sqrt()
}

/// Moments at which something switches, s after the start: what lies on both sides of one is not
/// taken together.
fn edges(plan: &Plan, outage: &Outage, seen: &Seen) -> Vec<f64> {
    let mut edges: Vec<f64> = seen.acted.iter().map(|it| it.at_s).collect();
    let time = outage.start.time().time();
    let begins = f64::from(time.hour()) * 3600.0
        + f64::from(time.minute()) * 60.0
        + f64::from(time.second());
    let days = (outage.hours.get() / 24.0).ceil().min(400.0);
    for device in &plan.kit.devices {
        let Some(Cycle::Hours { from, to }) = &device.cycle else {
            continue;
        };
        for time in [from, to] {
            let mut at = time.hours() * 3600.0 - begins;
            while at < (days + 1.0) * 86_400.0 {
                edges.push(at);
                at += 86_400.0;
            }
        }
    }
    for span in &outage.mains {
        edges.extend([span.from_h.get() * 3600.0, span.to_h.get() * 3600.0]);
    }
    edges.retain(|it| *it > 0.0);
    edges.sort_by(f64::total_cmp);
    edges
}
