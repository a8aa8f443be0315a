//! One run of an outage: figures drawn, what was done put in, marched through, and what the meters
//! would have shown.

use super::plugged::{Hung, Stood, hung, write_again};
use super::seen::{Act, Seen};
use crate::ground::figure::{Basis, Figure};
use crate::ground::say::Sentence;
use crate::site::figures::{Drawing, Found, figures};
use crate::site::plan::{Arrangement, ElementKind, Outage, Plan};
use crate::time::outage::{
    Event, Fineness, Look, SHED_BY_RULE, Setting, There, looked, matters, physical, reduced,
};
use rand::SeedableRng as _;
use rand::rngs::StdRng;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Standard deviation of a cell's voltage from what its chemistry says, V.
const SHIFT_V: f64 = 0.008;
/// The same of its tilt between empty and full, V.
const TILT_V: f64 = 0.015;
/// The same of a store's resistance, as a share, where nobody measured it.
const OHMS: f64 = 0.2;
/// An ammeter: scale and offset (A).
const AMPS: (f64, f64) = (0.01, 0.03);
/// A voltmeter's scale.
const VOLTS: f64 = 0.002;
/// A display of watts.
const WATTS: f64 = 0.01;
/// A display's bias, points.
const PERCENT: f64 = 0.8;
/// The charge at the start is known to a twentieth where nobody says better.
const START: f64 = 0.05;
/// Parameters of each store beside the figures.
const OWN: usize = 8;

/// A run is marched as coarsely as the runs of a plan are.
const COARSE: Fineness = Fineness {
    longest_s: 3600.0,
    most_share: 0.04,
    exact_s: 15.0,
    told: false,
    timed: false,
};

/// What a run is drawn from: deviates that are standard normal before anything is read.
#[derive(Debug)]
pub(super) struct World {
    /// What they are drawn in; none where what was done makes no plan.
    drawing: Option<Drawing>,
    pub(super) figures: Vec<Found>,
    /// The stores, by id.
    pub(super) stores: Vec<String>,
    starts: Vec<(f64, f64)>,
    /// Where the capacity of a store stands among the figures, and what its label says, Ah.
    capacities: Vec<Option<(usize, f64)>>,
    /// What a display that counts amperes began from, by store.
    counts_from: Vec<Option<f64>>,
    /// Devices that are off from one moment to another, s.
    drops: Vec<(String, f64, f64)>,
    /// Where devices hung that were plugged over.
    stood: Vec<Stood>,
    again: Vec<(ElementKind, String, String)>,
    there: Vec<There>,
    /// By which seed devices are busy by spells; at their average all the time where there is none.
    pub(super) spells: Option<u64>,
    /// The devices, by id.
    pub(super) devices: Vec<String>,
    pub(super) hours: f64,
    /// What is left in each store as its floor, 0 to 1.
    pub(super) floors: Vec<f64>,
}

/// What came of a run.
#[derive(Debug, Clone, Default)]
pub(super) struct Run {
    /// What was drawn for each figure.
    pub(super) values: Vec<f64>,
    /// When each device is first lost, h; the outage's length where it is not.
    pub(super) until_h: Vec<f64>,
    /// Devices that were lost where they hung before they were plugged over, with when, h.
    pub(super) lost_before: Vec<(String, f64)>,
    /// Whether each of them is lost because a rule of the plan switches it off.
    pub(super) by_rule: Vec<bool>,
    /// What meters would show at each moment that was asked for.
    pub(super) looks: Vec<Look>,
    /// What happens, as h, what, item.
    pub(super) events: Vec<Event>,
    /// Why each device is lost, nearest first, where that was asked for.
    pub(super) causes: BTreeMap<String, Vec<Sentence>>,
    /// What the meters are off by.
    pub(super) meters: Vec<Meters>,
    /// How much busier the hours to come are than on the whole, in standard deviations.
    pub(super) sways: f64,
    /// By how much what was drawn of each store is ahead of what is drawn on the whole, h of that;
    /// empty where that is not drawn.
    pub(super) ahead_h: Vec<f64>,
}

/// What the meters of a store are off by, and what its counter counts with.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Meters {
    pub(super) amps_scale: f64,
    pub(super) amps_offset: f64,
    pub(super) volts_scale: f64,
    pub(super) watts_scale: f64,
    pub(super) percent_bias: f64,
    /// A counter's start in points, and Ah in it by its label and in truth.
    pub(super) counts: Option<(f64, f64, f64)>,
    pub(super) soc_at_start: f64,
}

impl World {
    /// What is drawn from, with what was done up to now.
    pub(super) fn of(plan: &Plan, way: &Arrangement, outage: &Outage, seen: &Seen) -> Self {
        match hung(plan, way, outage, &seen.acted) {
            Some(it) => Self::with(&it.plan, &it.way, &it.outage, seen, Some(&it)),
            None => Self::with(plan, way, outage, seen, None),
        }
    }

    fn with(
        plan: &Plan,
        way: &Arrangement,
        outage: &Outage,
        seen: &Seen,
        hung: Option<&Hung>,
    ) -> Self {
        let hours = outage.hours.get();
        let mut text = serde_json::to_value(reduced(plan, way, outage)).unwrap_or_default();
        done(&mut text, seen, hours);
        let again: Vec<_> = hung.map_or_else(Vec::new, |it| it.again.clone());
        let is_again = |id: &str| again.iter().any(|it| it.2 == id);
        let mut figures: Vec<Found> = figures(&text)
            .into_iter()
            .filter(|it| it.is_part_of(way) && matters(it) && !is_again(&it.id))
            .collect();
        for it in &mut figures {
            if it.path.ends_with("battery.internal_ohm") && !it.stated {
                it.plus_minus = it.value * OHMS * 2.0;
            }
        }
        let setting = Setting::of(plan, way, outage);
        let stores: Vec<String> = setting.store_ids().map(str::to_owned).collect();
        let devices: Vec<String> = setting
            .device_ids()
            .filter(|it| !is_again(it))
            .map(str::to_owned)
            .collect();
        let starts = stores.iter().map(|id| {
            let own = outage
                .initial_soc
                .get(id.as_str())
                .map_or(1.0, crate::ground::figure::Figure::get);
            seen.starts
                .get(id)
                .map_or((own, START), |it| (it.soc, it.plus_minus))
        });
        let capacities = stores.iter().map(|id| {
            let label = plan
                .source(id)?
                .battery
                .as_ref()?
                .capacity_ah
                .as_ref()?
                .get();
            let at = figures
                .iter()
                .position(|it| it.id == *id && it.path == "battery.capacity_ah");
            Some((at.unwrap_or(usize::MAX), label))
        });
        // A display beside an ammeter counts what flows; one of a box tells what it makes of its
        // cells.
        let counts_from = stores.iter().map(|id| {
            let own = || seen.readings.iter().filter(|it| it.source == *id);
            let counts = own().any(|it| it.amps.is_some())
                && plan.source(id)?.battery.as_ref()?.capacity_ah.is_some();
            // Readings of one minute say it together, in whatever order they stand.
            let first_s = own()
                .find(|it| it.percent.is_some())
                .map_or(0.0, |it| it.at_s);
            let said: Vec<f64> = own()
                .filter(|it| it.at_s <= first_s + 60.0)
                .filter_map(|it| it.percent)
                .collect();
            (counts && !said.is_empty()).then(|| said.iter().sum::<f64>() / said.len() as f64)
        });
        let mut drops: Vec<(String, f64, f64)> = Vec::new();
        for acted in &seen.acted {
            match &acted.act {
                Act::Drop(id) | Act::Lost(id)
                    if !drops.iter().any(|it| it.0 == *id && it.2.is_infinite()) =>
                {
                    drops.push((id.clone(), acted.at_s, f64::INFINITY));
                }
                Act::Restore(id) | Act::Over(id, _) => {
                    if let Some(it) = drops
                        .iter_mut()
                        .find(|it| it.0 == *id && it.2.is_infinite())
                    {
                        it.2 = acted.at_s;
                    }
                }
                _ => {}
            }
        }
        let floors = setting.floors().collect();
        let drawing = Plan::from_kept(&text, |_| false)
            .ok()
            .map(|it| Drawing::of(it, &figures));
        let (starts, capacities, counts_from) = (
            starts.collect(),
            capacities.collect(),
            counts_from.collect(),
        );
        let (stood, there) =
            hung.map_or_else(Default::default, |it| (it.stood.clone(), it.there.clone()));
        Self {
            drawing,
            figures,
            stores,
            starts,
            capacities,
            counts_from,
            drops,
            stood,
            again,
            there,
            spells: None,
            devices,
            hours,
            floors,
        }
    }

    /// What each deviate is of, so that it is found again in a world of the same outage in which
    /// something else was done.
    fn keys(&self) -> impl Iterator<Item = String> {
        let figures = self
            .figures
            .iter()
            .map(|it| format!("{}/{}/{}", it.kind, it.id, it.path));
        let own = self
            .stores
            .iter()
            .flat_map(|it| (0..OWN).map(move |place| format!("store/{it}/{place}")));
        figures.chain(own)
    }

    /// Deviates of another world of the same outage, carried over to this one; what was not there
    /// is drawn by `fresh` of its key.
    pub(super) fn carried(
        &self,
        other: &Self,
        deviates: &[f64],
        fresh: impl Fn(&str) -> f64,
    ) -> Vec<f64> {
        let known: BTreeMap<String, f64> = other.keys().zip(deviates.iter().copied()).collect();
        self.keys()
            .map(|it| known.get(&it).copied().unwrap_or_else(|| fresh(&it)))
            .collect()
    }

    /// Until when a device is on in a run, h.
    pub(super) fn until_of(&self, run: &Run, device: &str) -> f64 {
        let place = self.devices.iter().position(|it| it == device);
        place
            .and_then(|it| run.until_h.get(it))
            .copied()
            .unwrap_or(self.hours)
    }

    /// How many deviates a run is drawn from.
    pub(super) fn size(&self) -> usize {
        self.figures.len() + OWN * self.stores.len()
    }

    /// Devices that are off at a time because somebody switched them off.
    pub(super) fn is_dropped(&self, id: &str, at_s: f64) -> bool {
        self.drops
            .iter()
            .any(|it| it.0 == id && it.1 <= at_s && at_s < it.2)
    }

    /// Which deviate tells how much a store holds, and what one of it is of its label; none where
    /// somebody measured it, or where nobody doubts it.
    pub(super) fn label_of(&self, store: usize) -> Option<(usize, f64)> {
        let id = self.stores.get(store)?;
        let tells = |it: &Found| {
            it.id == *id && ["battery.capacity_ah", "battery.energy_wh"].contains(&it.path.as_str())
        };
        let place = self.figures.iter().position(tells)?;
        let it = &self.figures[place];
        let sd = it.plus_minus / 2.0 / it.value;
        (it.basis != Basis::Measured && sd > 1e-4).then_some((place, sd))
    }

    /// What a store holds in a run of such values, Ah; none where it is not counted in them.
    pub(super) fn capacity(&self, store: usize, values: &[f64]) -> Option<f64> {
        self.capacities[store].map(|(at, label)| values.get(at).copied().unwrap_or(label))
    }

    /// Whether a device was switched on again between two moments, h.
    pub(super) fn is_restored_after(&self, id: &str, from_h: f64, to_h: f64) -> bool {
        let back = |it: &&(String, f64, f64)| {
            it.0 == id && it.2 > from_h * 3600.0 + 1e-6 && it.2 <= to_h * 3600.0 + 1e-6
        };
        let moved = |it: &Stood| {
            it.device == id
                && it.from_s > from_h * 3600.0 + 1e-6
                && it.from_s <= to_h * 3600.0 + 1e-6
        };
        self.drops.iter().any(|it| back(&it)) || self.stood.iter().any(moved)
    }

    /// What a device is called in the march, with from when to when, s: once, or once for each
    /// place where it hung.
    fn called<'a>(&'a self, id: &'a str) -> Vec<(&'a str, f64, f64)> {
        let own = self.stood.iter().filter(|it| it.device == id);
        let mut all: Vec<_> = own
            .map(|it| (it.called.as_str(), it.from_s, it.to_s))
            .collect();
        if all.is_empty() {
            all.push((id, f64::NEG_INFINITY, f64::INFINITY));
        }
        all
    }

    /// What happened to whom by the ids of the plan; nothing of a place where a device did not hang
    /// then.
    fn as_planned(&self, mut it: Event) -> Option<Event> {
        let at_s = it.at_h * 3600.0;
        if let Some(own) = self.stood.iter().find(|own| own.called == it.item) {
            if at_s < own.from_s - 1e-6 || at_s >= own.to_s - 1e-6 {
                return None;
            }
            it.item.clone_from(&own.device);
        }
        if let Some(again) = self.again.iter().find(|again| again.2 == it.item) {
            it.item.clone_from(&again.1);
        }
        Some(it)
    }

    /// Marches a run; none where its figures make no plan. `more` are devices that are switched off
    /// beside what was done, with when (s).
    pub(super) fn run(
        &self,
        deviates: &[f64],
        moments: &[f64],
        more: &[(&str, f64)],
    ) -> Option<Run> {
        self.marched(deviates, moments, more, COARSE, true)
    }

    /// A run as far as the last of the moments: what comes later is not there.
    pub(super) fn run_to_now(&self, deviates: &[f64], moments: &[f64]) -> Option<Run> {
        self.marched(deviates, moments, &[], COARSE, false)
    }

    /// The same run with what led to each of its events.
    pub(super) fn run_told(&self, deviates: &[f64], moments: &[f64]) -> Option<Run> {
        self.marched(
            deviates,
            moments,
            &[],
            Fineness {
                told: true,
                ..COARSE
            },
            true,
        )
    }

    fn marched(
        &self,
        deviates: &[f64],
        moments: &[f64],
        more: &[(&str, f64)],
        fineness: Fineness,
        whole: bool,
    ) -> Option<Run> {
        let drawn = self.figures.iter().zip(deviates);
        let values: Vec<f64> = drawn
            .map(|(it, z)| physical(it, it.value + z * it.plus_minus / 2.0))
            .collect();
        let own = |store: usize| {
            let from = self.figures.len() + OWN * store;
            &deviates[from..from + OWN]
        };
        let mut meters = Vec::new();
        for store in 0..self.stores.len() {
            let z = own(store);
            let soc = (self.starts[store].0 + z[0] * self.starts[store].1 / 2.0).clamp(0.0, 1.0);
            let capacity = self.capacities[store]
                .map(|it| it.1)
                .zip(self.capacity(store, &values));
            let counts = self.counts_from[store]
                .zip(capacity)
                .map(|(from, (label, truth))| (from, label, truth));
            meters.push(Meters {
                amps_scale: 1.0 + AMPS.0 * z[3],
                amps_offset: AMPS.1 * z[4],
                volts_scale: 1.0 + VOLTS * z[5],
                watts_scale: 1.0 + WATTS * z[6],
                percent_bias: PERCENT * z[7],
                counts,
                soc_at_start: soc,
            });
        }
        let plan = self.drawing.as_ref()?.drawn(&values, |plan| {
            write_again(plan, &self.again);
            for (id, own) in self.stores.iter().zip(&meters) {
                let soc = Figure::assumed(own.soc_at_start);
                plan.outages
                    .iter_mut()
                    .for_each(|it| drop(it.initial_soc.insert(id.clone(), soc.clone())));
            }
        })?;
        let (way, outage) = (plan.arrangements.first()?, plan.outages.first()?);
        let mut setting = Setting::of(&plan, way, outage);
        for (store, id) in self.stores.iter().enumerate() {
            let z = own(store);
            setting.bend(id, SHIFT_V * z[1], TILT_V * z[2]);
        }
        setting.there(&self.there);
        if let Some(seed) = self.spells {
            // The same device is busy at the same times, wherever it hangs.
            let own = |id: &str| {
                self.stood
                    .iter()
                    .find(|it| it.called == *id)
                    .map_or_else(|| id.to_owned(), |it| it.device.clone())
            };
            setting.busy_by_spells(|id| StdRng::seed_from_u64(seed_of(seed, &own(id))));
        }
        let dropped = self.drops.iter().map(|it| (it.0.as_str(), it.1, it.2));
        for (id, from, to) in dropped.chain(more.iter().map(|it| (it.0, it.1, f64::INFINITY))) {
            for (called, there, gone) in self.called(id) {
                if from.max(there) < to.min(gone) {
                    setting.drop_between(called, from.max(there), to.min(gone));
                }
            }
        }
        let (found, looks) = looked(&setting, moments, fineness, whole);
        // Of a device that was plugged over it counts how it fares where it hung last.
        let fared = |id: &String| found.devices.get(self.called(id).last()?.0);
        let until_h = self
            .devices
            .iter()
            .map(|id| fared(id).and_then(|it| it.down_at_h).unwrap_or(self.hours));
        let until_h = until_h.collect();
        let left = self.stood.iter().filter(|it| it.to_s.is_finite());
        let lost_before = left.filter_map(|it| {
            let lost_h = found.devices.get(&it.called)?.down_at_h?;
            (lost_h * 3600.0 < it.to_s - 1.0).then(|| (it.device.clone(), lost_h))
        });
        let lost_before = lost_before.collect();
        let ruled =
            |id: &String| fared(id).is_some_and(|it| it.why.as_deref() == Some(SHED_BY_RULE));
        let by_rule = self.devices.iter().map(ruled).collect();
        let because = self
            .devices
            .iter()
            .filter_map(|id| Some((id, &fared(id)?.cause)));
        let because = because.filter(|it| !it.1.is_empty());
        let causes = because
            .map(|(id, cause)| (id.clone(), cause.get(1..).unwrap_or_default().to_vec()))
            .collect();
        let events = found
            .events
            .into_iter()
            .filter_map(|it| self.as_planned(it))
            .collect();
        Some(Run {
            values,
            until_h,
            lost_before,
            by_rule,
            looks,
            events,
            causes,
            meters,
            sways: 0.0,
            ahead_h: Vec::new(),
        })
    }
}

/// Puts into an outage what was done in it: the mains that came and went, and charging.
fn done(text: &mut Value, seen: &Seen, hours: f64) {
    let outage = &mut text["outages"][0];
    let mut turns = seen.acted.iter().filter_map(|it| match it.act {
        Act::MainsBack => Some((it.at_s / 3600.0, "on")),
        Act::MainsGone => Some((it.at_s / 3600.0, "out")),
        _ => None,
    });
    let mut state = turns.next();
    if let Some((first, _)) = state {
        let planned = outage["mains"].as_array().cloned().unwrap_or_default();
        let mut spans: Vec<Value> = Vec::new();
        for mut span in planned {
            let (from, to) = (number(&span["from_h"]), number(&span["to_h"]));
            if from < first - 1e-6 {
                span["to_h"] = json!(to.min(first));
                spans.push(span);
            }
        }
        if spans.is_empty() && first > 1e-6 {
            spans.push(json!({"from_h": 0, "to_h": first, "state": "out"}));
        }
        while let Some((from, what)) = state {
            state = turns.next();
            let to = state.map_or(hours, |it| it.0);
            if to > from + 1e-6 {
                spans.push(json!({"from_h": from, "to_h": to, "state": what}));
            }
        }
        outage["mains"] = Value::Array(spans);
    }
    let charges: Vec<(f64, &str, f64)> = seen
        .acted
        .iter()
        .filter_map(|it| match &it.act {
            Act::Charge(source, watts) => Some((it.at_s / 3600.0, source.as_str(), *watts)),
            _ => None,
        })
        .collect();
    if charges.is_empty() {
        return;
    }
    let mut spans: Vec<Value> = outage["charging"].as_array().cloned().unwrap_or_default();
    for (index, (from, source, watts)) in charges.iter().enumerate() {
        // What a person charges takes the place of what was planned from there on.
        spans.retain(|it| it["source"] != *source || number(&it["to_h"]) <= *from + 1e-6);
        let to = charges[index + 1..]
            .iter()
            .find(|it| it.1 == *source)
            .map_or(hours, |it| it.0);
        if *watts > 0.0 && to > from + 1e-6 {
            spans.push(json!({"source": source, "from_h": from, "to_h": to, "watts": watts}));
        }
    }
    outage["charging"] = Value::Array(spans);
}

/// A seed of its own for what has a name.
pub(super) fn seed_of(seed: u64, name: &str) -> u64 {
    name.bytes().fold(seed, |sum, it| {
        sum.wrapping_mul(0x100_0000_01b3) ^ u64::from(it)
    })
}

fn number(value: &Value) -> f64 {
    value
        .as_f64()
        .or_else(|| value["value"].as_f64())
        .unwrap_or_default()
}
