//! What plugging a device over to another outlet would bring from here: each outlet is judged, and
//! tried in the march.

use super::estimate::Standing;
use super::plugged::{can_plug, moved, plugged};
use super::seen::{Act, Acted, Seen};
use super::words::when;
use super::world::{Run, World};
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::say::{Name, Sentence};
use crate::limits::{Status, findings};
use crate::site::plan::{Arrangement, ConverterKind, From, Outage, Plan};
use crate::time::outage::{Clock, clocked};
use serde::Serialize;

/// Outlets that are told at most.
const MOST_TOLD: usize = 12;
/// What another device wins by it is told from here on, h.
const WORTH_TELLING_H: f64 = 0.1;
/// Less than this is no change, h.
const SAME_H: f64 = 1.0 / 60.0;

/// An outlet to which a device could be plugged over.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Outlet {
    /// The source or converter, and its outlet.
    pub port: From,
    /// It in words.
    pub label: String,
    /// The verdict on its new chain, with everything else as it hangs now.
    pub status: Status,
    /// Until when the device is then on, hours since the outage began; the outage's length where it
    /// lasts.
    pub until_h: f64,
    /// How much longer that is than where it hangs, h; below 0 where it is shorter.
    pub wins_h: f64,
    /// What it brings for the device, and for what matters more or loses most by it.
    pub text: Sentence,
    /// What to mind: what its new chain does not hold; empty where it holds.
    pub mind: Sentence,
}

/// Where a device can be plugged over.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Outlets {
    /// The device.
    pub device: String,
    /// Those that its labels allow, what lasts longest first, those that do not hold last; a few at
    /// most.
    pub outlets: Vec<Outlet>,
    /// What is told where there are none; empty where there are some.
    pub none: Sentence,
}

/// All outlets of a plan that something can hang on, as they are called.
fn all(plan: &Plan) -> Vec<(From, String)> {
    let called = |item: &str, port: &crate::site::plan::Port| {
        format!(
            "{}, {}",
            item,
            port.label.as_deref().unwrap_or(port.id.as_str())
        )
    };
    let sources = plan.kit.sources.iter().flat_map(|it| {
        let one = |port: &crate::site::plan::Port| {
            (
                From {
                    item: it.id.clone(),
                    port: port.id.clone(),
                },
                called(&it.label, port),
            )
        };
        it.ports.iter().map(one).collect::<Vec<_>>()
    });
    let gives = |it: &&crate::site::plan::Converter| it.kind != ConverterKind::Charger;
    let converters = plan.kit.converters.iter().filter(gives).flat_map(|it| {
        let alone = it.outputs.len() == 1;
        let one = |port: &crate::site::plan::Port| {
            let label = if alone && port.label.is_none() {
                it.label.clone()
            } else {
                called(&it.label, port)
            };
            (
                From {
                    item: it.id.clone(),
                    port: port.id.clone(),
                },
                label,
            )
        };
        it.outputs.iter().map(one).collect::<Vec<_>>()
    });
    sources.chain(converters).collect()
}

/// What an outlet is called.
pub fn outlet_label(plan: &Plan, port: &From) -> String {
    all(plan)
        .into_iter()
        .find(|it| it.0 == *port)
        .map_or_else(|| format!("{}/{}", port.item, port.port), |it| it.1)
}

impl Standing {
    /// Where a device can be plugged over at the moment of this estimate, and what each outlet
    /// would bring in the middle of what is likely. `seen` is what was seen up to then.
    ///
    /// # Errors
    /// Where the arrangement does not feed the device, or no run can be marched.
    pub fn outlets(
        &self,
        plan: &Plan,
        way: &Arrangement,
        outage: &Outage,
        seen: &Seen,
        device: &str,
    ) -> Result<Outlets, FieldError> {
        let at_h = self.told().at_h;
        let known = seen.up_to(at_h * 3600.0);
        let now = plugged(plan, way, &known.acted);
        if plan.device(device).is_none() || now.feed_into(device).is_none() {
            let why = format!("\"{device}\" is no device of this arrangement");
            return Err(FieldError::of("device", why));
        }
        let no_run = || FieldError::of("device", "no run of it can be marched".to_owned());
        let as_it_is = self.as_it_is().ok_or_else(no_run)?;
        let mut outlets: Vec<Outlet> = Vec::new();
        for (port, label) in all(plan) {
            if can_plug(plan, &now, device, &port).is_err() {
                continue;
            }
            let Ok(then) = moved(plan, &now, device, &port) else {
                continue;
            };
            let mut done = known.clone();
            done.acted.push(Acted {
                at_s: at_h * 3600.0,
                act: Act::Over(device.to_owned(), port.clone()),
            });
            let Some((world, run)) = self.with(plan, way, outage, &done) else {
                continue;
            };
            let until_h = world.until_of(&run, device);
            // Nobody plugs over to what is dark.
            if until_h <= at_h + SAME_H {
                continue;
            }
            let wins_h = until_h - as_it_is.0.until_of(&as_it_is.1, device);
            // Another way along the same lead.
            if wins_h.abs() < SAME_H {
                continue;
            }
            let chain = then.chain(device);
            let worst = findings(plan, &then)
                .into_iter()
                .find(|it| plan.is_on_way(&then, &chain, &it.place));
            let worst = worst.filter(|it| it.status > Status::Holds);
            outlets.push(Outlet {
                port,
                label,
                status: worst.as_ref().map_or(Status::Holds, |it| it.status),
                until_h,
                wins_h,
                text: told(
                    plan,
                    outage,
                    at_h,
                    device,
                    (as_it_is.0, &as_it_is.1),
                    (&world, &run),
                ),
                mind: worst.map_or_else(Sentence::default, |it| it.message),
            });
        }
        let trips = |it: &Outlet| it.status == Status::Trips;
        outlets.sort_by(|a, b| {
            trips(a)
                .cmp(&trips(b))
                .then(b.until_h.total_cmp(&a.until_h))
                .then(a.status.cmp(&b.status))
        });
        outlets.truncate(MOST_TOLD);
        let none = if outlets.is_empty() {
            format!(
                "{} can be plugged in nowhere else here that has power and that its label allows.",
                Name(plan.label(device))
            )
        } else {
            String::new()
        };
        Ok(Outlets {
            device: device.to_owned(),
            outlets,
            none: none.into(),
        })
    }
}

fn told(
    plan: &Plan,
    outage: &Outage,
    now_h: f64,
    device: &str,
    before: (&World, &Run),
    after: (&World, &Run),
) -> Sentence {
    let clock = Clock::of(plan, outage);
    let end = outage.hours.get() - 1e-3;
    let change = |id: &str| {
        let (was, then) = (
            before.0.until_of(before.1, id),
            after.0.until_of(after.1, id),
        );
        (then, then - was)
    };
    let one = |id: &str| {
        let (then, more) = change(id);
        let name = Name(plan.label(id));
        let by = match () {
            () if more.abs() < SAME_H => ", as now".to_owned(),
            () if more > 0.0 => format!(", + {}", clocked(more)),
            () => format!(", {} less", clocked(-more)),
        };
        if then >= end {
            format!("{name} then lasts longer than is looked ahead{by}")
        } else {
            format!("{name} then until {}{by}", when(&clock, now_h, then))
        }
    };
    let rank = |id: &str| {
        let own = plan.device(id).and_then(|it| it.priority.as_ref());
        own.map_or(f64::INFINITY, Figure::get)
    };
    let is_off = |id: &str| before.0.is_dropped(id, now_h * 3600.0);
    let others = || {
        before
            .0
            .devices
            .iter()
            .filter(|it| *it != device && !is_off(it))
    };
    let first = others().min_by(|a, b| rank(a).total_cmp(&rank(b)));
    let mut sentences = vec![one(device)];
    let first = first.filter(|it| rank(it) < rank(device) && change(it).1.abs() >= SAME_H);
    sentences.extend(first.map(|it| one(it)));
    // Of those that win, the one that matters most; of those that lose, the one that loses most.
    let wins = others().filter(|it| Some(*it) != first && change(it).1 >= WORTH_TELLING_H);
    sentences.extend(
        wins.min_by(|a, b| rank(a).total_cmp(&rank(b)))
            .map(|it| one(it)),
    );
    let loses = others()
        .filter(|it| Some(*it) != first)
        .min_by(|a, b| change(a).1.total_cmp(&change(b).1));
    sentences.extend(loses.filter(|it| change(it).1 <= -SAME_H).map(|it| one(it)));
    (sentences.join(". ") + ".").into()
}
