//! Hidden worlds: an outage as it really comes, of which whoever watches it knows only what meters
//! show and people notice.
//!
//! A world is drawn by its seed from the same figures as a run of the estimate; its devices are
//! busy by spells, as in life; what it hides beside that (a bank that holds less than its label
//! says, a meter that dies) nobody could draw, and nobody announces. What is done in it is part of
//! it.

use super::observed::{What, shown_by};
use super::seen::{Act, Acted, Reading, Seen, Start};
use super::world::{Run, World, seed_of};
use crate::ground::draw::normal;
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::quantity::Quantity;
use crate::ground::say::{Name, Sentence};
use crate::site::plan::{Arrangement, Device, Outage, PhaseKind, Plan, Then};
use rand::rngs::StdRng;
use rand::{RngExt as _, SeedableRng as _};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What a mislabelled bank holds of what its label says.
const HOLDS: f64 = 0.62;
/// How much colder it gets than was expected, °C.
const COLDER: f64 = 12.0;
/// Further out than so many standard deviations nothing lies: one in eighty would.
const FAR_OUT: f64 = 2.5;

/// What a world hides.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Hides {
    /// Nothing but what every figure is off by.
    Nothing,
    /// The first store holds much less than its label says.
    MislabelledBank,
    /// A pump that was off once does not start again.
    PumpStays,
    /// The meter of the first store falls silent.
    MeterDies,
    /// It gets colder than was expected.
    EarlyCold,
    /// The mains comes back for a while, and goes again.
    ComesBack,
    /// The heater goes off by itself.
    HeaterTrips,
}

impl Hides {
    /// Each of them.
    pub const ALL: [Self; 7] = [
        Self::Nothing,
        Self::MislabelledBank,
        Self::PumpStays,
        Self::MeterDies,
        Self::EarlyCold,
        Self::ComesBack,
        Self::HeaterTrips,
    ];

    /// What it is, told when the drill is over.
    pub fn told(self) -> &'static str {
        match self {
            Self::Nothing => "nothing was hidden but what every figure may be off by",
            Self::MislabelledBank => "the bank holds much less than its label says",
            Self::PumpStays => "the pump does not start again once it was off",
            Self::MeterDies => "the meter falls silent",
            Self::EarlyCold => "it is colder than was expected",
            Self::ComesBack => "the mains comes back for a while, and goes again",
            Self::HeaterTrips => "the heater goes off by itself",
        }
    }
}

/// Something that a person in the room would notice.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Noticed {
    /// When, s after the outage began.
    pub at_s: f64,
    /// What it is noticed of: a device or a source; nothing of the mains.
    pub item: String,
    /// As a person would say it.
    pub sentence: Sentence,
    /// Whether it was meant to be so, by a rule of the plan.
    pub by_rule: bool,
}

/// A hidden world with what was done in it so far.
#[derive(Debug)]
pub struct Hidden {
    plan: Plan,
    world: World,
    deviates: Vec<f64>,
    run: Run,
    hides: Hides,
    seed: u64,
    starts: BTreeMap<String, Start>,
    /// From when on the first store's meter shows nothing, s.
    silent_s: f64,
    /// What happens in it that nobody did.
    own: Vec<Acted>,
    acted: Vec<Acted>,
}

impl Hidden {
    /// The world of a seed, for an outage that begins as `starts` has it, with what was done in it.
    /// The same seed gives the same world.
    ///
    /// # Errors
    /// Where nothing of it can be marched: no store, or figures that make no plan.
    pub fn of(
        plan: &Plan,
        way: &Arrangement,
        outage: &Outage,
        starts: &BTreeMap<String, Start>,
        (hides, seed): (Hides, u64),
        acted: &[Acted],
    ) -> Result<Self, FieldError> {
        let no = |why: &str| FieldError::of("arrangement", why.to_owned());
        let mut chance = StdRng::seed_from_u64(seed ^ 0x0a5b_90d3);
        let used = |id: &str| {
            way.feeds
                .iter()
                .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
        };
        let stores: Vec<String> = plan
            .kit
            .sources
            .iter()
            .filter(|it| it.battery.is_some() && used(it.id.as_str()))
            .map(|it| it.id.to_string())
            .collect();
        let first = stores
            .first()
            .ok_or_else(|| no("has no store: nothing of it can be watched"))?;
        let hours = outage.hours.get();
        // When something happens: in the second to the fifth hour, or in the first third of a short
        // outage.
        let when_h = (1.2 + 3.0 * chance.random::<f64>()).min(hours / 3.0);
        let away_h = (0.4 + 0.8 * chance.random::<f64>()).min(hours / 4.0);
        let mut truth = plan.clone();
        let mut outage = outage.clone();
        match hides {
            Hides::MislabelledBank => {
                let found = truth
                    .kit
                    .sources
                    .iter_mut()
                    .find(|it| it.id.as_str() == first);
                if let Some(battery) = found.and_then(|it| it.battery.as_mut()) {
                    battery.capacity_ah = battery.capacity_ah.take().map(|it| scaled(&it, HOLDS));
                    battery.energy_wh = battery.energy_wh.take().map(|it| scaled(&it, HOLDS));
                }
            }
            Hides::EarlyCold => {
                let ambient = outage
                    .ambient_c
                    .as_ref()
                    .map_or(plan.site.ambient().0, Figure::get);
                outage.ambient_c = Some(Figure::assumed((ambient - COLDER).max(-40.0)));
            }
            _ => {}
        }
        let mut told = BTreeMap::new();
        let mut true_starts = BTreeMap::new();
        for id in &stores {
            let own = outage.initial_soc.get(id.as_str()).map_or(1.0, Figure::get);
            let start = starts.get(id).copied().unwrap_or(Start {
                soc: own,
                plus_minus: 0.05,
            });
            told.insert(id.clone(), start);
            let soc = (start.soc + normal(&mut chance) * start.plus_minus / 2.0).clamp(0.02, 1.0);
            true_starts.insert(
                id.clone(),
                Start {
                    soc,
                    plus_minus: 0.0,
                },
            );
        }
        let at = |at_h: f64, act: Act| Acted {
            at_s: at_h * 3600.0,
            act,
        };
        let own = match hides {
            Hides::ComesBack => vec![
                at(when_h, Act::MainsBack),
                at(when_h + away_h, Act::MainsGone),
            ],
            Hides::HeaterTrips => heater(plan, &used)
                .map(|it| at(when_h, Act::Lost(it)))
                .into_iter()
                .collect(),
            _ => Vec::new(),
        };
        let stays = if hides == Hides::PumpStays {
            pump(plan, &used)
        } else {
            None
        };
        let is_done =
            |it: &&Acted| !matches!(&it.act, Act::Restore(id) if Some(id) == stays.as_ref());
        // Plugged over it was off as well.
        let as_done = |it: &Acted| match &it.act {
            Act::Over(id, _) if Some(id) == stays.as_ref() => Acted {
                act: Act::Drop(id.clone()),
                ..it.clone()
            },
            _ => it.clone(),
        };
        let mut all: Vec<Acted> = acted
            .iter()
            .filter(is_done)
            .chain(&own)
            .map(as_done)
            .collect();
        all.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
        let seen = Seen {
            starts: true_starts,
            readings: Vec::new(),
            acted: all,
        };
        let mut world = World::of(&truth, way, &outage, &seen);
        world.spells = Some(seed);
        // Beyond that a world is no longer one that anybody would draw.
        let mut draw = |size: usize| -> Vec<f64> {
            (0..size)
                .map(|_| normal(&mut chance).clamp(-FAR_OUT, FAR_OUT))
                .collect()
        };
        let over = |it: &&Acted| matches!(it.act, Act::Over(..));
        let deviates = if acted.iter().any(|it| over(&it)) {
            // Whatever is done, the world stays the one of its seed; what was not in use before is
            // drawn by itself.
            let still: Vec<Acted> = seen.acted.iter().filter(|it| !over(it)).cloned().collect();
            let before = World::of(
                &truth,
                way,
                &outage,
                &Seen {
                    acted: still,
                    ..seen.clone()
                },
            );
            let own = |key: &str| {
                normal(&mut StdRng::seed_from_u64(seed_of(seed, key))).clamp(-FAR_OUT, FAR_OUT)
            };
            world.carried(&before, &draw(before.size()), own)
        } else {
            draw(world.size())
        };
        let run = world
            .run_told(&deviates, &[])
            .ok_or_else(|| no("cannot be marched: its figures make no plan"))?;
        let silent_s = if hides == Hides::MeterDies {
            when_h * 3600.0
        } else {
            f64::INFINITY
        };
        let (plan, acted) = (plan.clone(), acted.to_vec());
        Ok(Self {
            plan,
            world,
            deviates,
            run,
            hides,
            seed,
            starts: told,
            silent_s,
            own,
            acted,
        })
    }

    /// What it hides.
    pub fn hides(&self) -> Hides {
        self.hides
    }

    /// What the charge at the start was told to be.
    pub fn starts(&self) -> &BTreeMap<String, Start> {
        &self.starts
    }

    /// When each device is first lost, hours since the outage began; its length where it is not.
    pub fn until_h(&self) -> BTreeMap<String, f64> {
        self.world
            .devices
            .iter()
            .cloned()
            .zip(self.run.until_h.iter().copied())
            .collect()
    }

    /// What each store's meters show at some moments, s in order: nothing of one that is silent.
    pub fn readings(&self, moments: &[f64]) -> Vec<Vec<Reading>> {
        let Some(run) = self.world.run_to_now(&self.deviates, moments) else {
            return Vec::new();
        };
        let one = |(at, look): (&f64, &crate::time::outage::Look)| {
            let all = self
                .world
                .stores
                .iter()
                .enumerate()
                .filter_map(|(store, id)| {
                    if store == 0 && *at >= self.silent_s {
                        return None;
                    }
                    // Each moment has chances of its own, so that who asks twice reads the same
                    // twice.
                    let minute = (*at / 15.0).floor().to_bits();
                    let place = (store as u64) << 40;
                    let mut chance = StdRng::seed_from_u64(
                        self.seed ^ place ^ minute.wrapping_mul(0x9e37_79b9_7f4a_7c15),
                    );
                    let meters = &run.meters[store];
                    let battery = self.plan.source(id)?.battery.as_ref()?;
                    let show = |what| shown_by(look, meters, store, what);
                    let volts = show(What::Volts);
                    let round = |it: f64, step: f64| (it / step).round() * step;
                    let mut reading = Reading {
                        at_s: *at,
                        source: id.clone(),
                        ..Reading::default()
                    };
                    if volts > 0.5 && battery.capacity_ah.is_some() {
                        reading.volts = Some(round(volts + 0.005 * normal(&mut chance), 0.01));
                        reading.amps =
                            Some(round(show(What::Amps) + 0.04 * normal(&mut chance), 0.01));
                        reading.percent = Some(
                            round(self.counted(&run, store, look.soc[store]), 1.0)
                                .clamp(0.0, 100.0),
                        );
                    } else {
                        reading.watts = Some(round(show(What::Watts).max(0.0), 1.0));
                        reading.percent = Some(round(show(What::Percent), 1.0).clamp(0.0, 100.0));
                    }
                    Some(reading)
                });
            all.collect()
        };
        moments.iter().zip(&run.looks).map(one).collect()
    }

    /// What a counter shows that began near what was told, and counts what flows against the label.
    fn counted(&self, run: &Run, store: usize, soc: f64) -> f64 {
        let meters = &run.meters[store];
        let id = &self.world.stores[store];
        let label = self
            .plan
            .source(id)
            .and_then(|it| it.battery.as_ref()?.capacity_ah.as_ref())
            .map(Figure::get);
        let from = self.starts.get(id).map_or(100.0, |it| it.soc * 100.0);
        match label.zip(self.world.capacity(store, &run.values)) {
            Some((label, truth)) if label > 0.0 => {
                let out = (meters.soc_at_start - soc) * truth * meters.amps_scale;
                from - out / label * 100.0 + meters.percent_bias
            }
            _ => soc * 100.0 + meters.percent_bias,
        }
    }

    /// What a person in the room would have noticed up to a moment, s, in order.
    pub fn noticed(&self, to_s: f64) -> Vec<Noticed> {
        let mut all: Vec<Noticed> = Vec::new();
        let label = |id: &str| self.plan.label(id).to_owned();
        let mut put = |at_s: f64, item: &str, sentence: String| {
            if at_s <= to_s {
                all.push(Noticed {
                    at_s,
                    item: item.to_owned(),
                    sentence: sentence.into(),
                    by_rule: false,
                });
            }
        };
        for it in &self.own {
            match &it.act {
                Act::MainsBack => put(
                    it.at_s,
                    "",
                    "The lamp at the socket is lit: the mains is there.".into(),
                ),
                Act::MainsGone => put(it.at_s, "", "It is dark again: the mains has gone.".into()),
                Act::Lost(id) => {
                    put(
                        it.at_s,
                        id,
                        format!(
                            "The fan of {} has stopped; it smells warm.",
                            Name(&label(id))
                        ),
                    );
                }
                _ => {}
            }
        }
        if self.hides == Hides::PumpStays {
            let fed = |id: &str| self.world.devices.iter().any(|it| it == id);
            let stays = pump(&self.plan, &fed);
            let again = |it: &&Acted| {
                matches!(&it.act, Act::Restore(id) | Act::Over(id,
                _) if Some(id) == stays.as_ref())
            };
            for it in self.acted.iter().filter(again) {
                let name = label(stays.as_deref().unwrap_or_default());
                put(
                    it.at_s + 20.0,
                    "",
                    format!("{} hums and does not turn.", Name(&name)),
                );
            }
        }
        let mut lost: Vec<(String, f64)> = self
            .run
            .lost_before
            .iter()
            .cloned()
            .chain(self.until_h())
            .collect();
        // Of one moment by their ids, wherever they hung.
        lost.sort_by(|a, b| a.0.cmp(&b.0));
        for (id, until_h) in lost {
            let at_s = until_h * 3600.0;
            let was_told = self
                .own
                .iter()
                .any(|it| matches!(&it.act, Act::Lost(lost) if *lost == id));
            if until_h < self.world.hours - 1e-6 && !self.world.is_dropped(&id, at_s) && !was_told {
                put(at_s, &id, format!("{} has gone off.", Name(&label(&id))));
            }
        }
        for it in self
            .run
            .events
            .iter()
            .filter(|it| it.what == "deadline passed")
        {
            let deadline = self
                .plan
                .device(&it.item)
                .and_then(|it| it.deadline.as_ref());
            let after = deadline.map_or(0.0, |it| it.minutes.get());
            let harm = deadline
                .and_then(|it| it.consequence.as_deref())
                .unwrap_or("it takes harm");
            let sentence = format!(
                "{} has been off for {}: {harm}.",
                Name(&label(&it.item)),
                crate::ground::say::amount(after, "min")
            );
            put(it.at_h * 3600.0, &it.item, sentence);
        }
        for it in &mut all {
            let shed = |event: &&crate::time::outage::Event| {
                event.what == "shed"
                    && event.item == it.item
                    && (event.at_h * 3600.0 - it.at_s).abs() < 1.0
            };
            let tripped = |own: &Acted| matches!(&own.act, Act::Lost(id) if *id == it.item);
            if self.run.events.iter().any(|event| shed(&event)) && !self.own.iter().any(tripped) {
                it.by_rule = true;
                it.sentence = format!(
                    "{} was switched off, as its rule says.",
                    Name(&label(&it.item))
                )
                .into();
            }
        }
        all.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
        all
    }
}

fn scaled<Q: Quantity>(it: &Figure<Q>, by: f64) -> Figure<Q> {
    Figure::assumed(it.get() * by)
}

/// The device that must be looked at once it was off; else one that a motor's start gives away.
fn pump(plan: &Plan, used: &dyn Fn(&str) -> bool) -> Option<String> {
    let fed = || plan.kit.devices.iter().filter(|it| used(it.id.as_str()));
    let inspects = |it: &&Device| {
        it.deadline.as_ref().and_then(|it| it.then) == Some(Then::InspectBeforeRestart)
    };
    let starts = |it: &&Device| it.phases_of(PhaseKind::Starting).next().is_some();
    fed()
        .find(inspects)
        .or_else(|| fed().find(starts))
        .map(|it| it.id.to_string())
}

/// The heater; else what draws most at its start.
fn heater(plan: &Plan, used: &dyn Fn(&str) -> bool) -> Option<String> {
    let fed = || plan.kit.devices.iter().filter(|it| used(it.id.as_str()));
    let most = |it: &&Device| {
        it.phases_of(PhaseKind::Starting)
            .map(|it| it.watts.get())
            .fold(0.0, f64::max)
    };
    let heats = |it: &&Device| it.role.as_deref() == Some("heater");
    let found = fed()
        .find(heats)
        .or_else(|| fed().max_by(|a, b| most(a).total_cmp(&most(b))));
    found.map(|it| it.id.to_string())
}
