//! Devices that are plugged over to another outlet while it goes on.
//!
//! In the march each place where a device hung is a device of its own, there for as long as it hung
//! there, with the same figures: so what it draws moves from one chain to the other at that moment,
//! it starts anew as it does in life, and whatever trips there trips. An adapter that hangs between
//! goes with it.

use super::seen::{Act, Acted};
use crate::advice::fits;
use crate::ground::json::FieldError;
use crate::site::plan::arrangement::Target;
use crate::site::plan::outage::Rule;
use crate::site::plan::{Arrangement, ElementKind, Feed, From, Id, Outage, Plan};
use crate::time::outage::There;
use std::collections::BTreeMap;

/// Converters that go with a device at most.
const MOST_WITH_IT: usize = 2;

/// What it takes to plug a device over.
#[derive(Debug, Clone, PartialEq)]
struct Plug {
    /// The device, and what goes with it, from it towards the outlet.
    goes: Vec<Id>,
    /// Feeds that lead to the outlet and were not there before.
    joins: Vec<Feed>,
    /// The feed from the outlet.
    into: Feed,
}

/// A place where a device hung.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Stood {
    /// The device.
    pub(super) device: String,
    /// What it is called in the march while it hangs there.
    pub(super) called: String,
    /// From and to, s.
    pub(super) from_s: f64,
    pub(super) to_s: f64,
}

/// An arrangement with everything that was plugged over in it.
#[derive(Debug)]
pub(super) struct Hung {
    pub(super) plan: Plan,
    pub(super) way: Arrangement,
    pub(super) outage: Outage,
    /// Where devices hung that were plugged over, each in the order of time.
    pub(super) stood: Vec<Stood>,
    /// Elements that are others again: where they stand in the text of a plan, the other's id, and
    /// their own.
    pub(super) again: Vec<(ElementKind, String, String)>,
    pub(super) there: Vec<There>,
}

/// Where everything hangs after what was done, by the ids of the plan. What cannot be plugged over
/// stays.
pub fn plugged(plan: &Plan, way: &Arrangement, acted: &[Acted]) -> Arrangement {
    let mut now = way.clone();
    for it in acted {
        if let Act::Over(device, port) = &it.act
            && let Ok(plug) = plug(plan, &now, device, port)
        {
            carry_out(&mut now, &plug);
        }
    }
    now
}

/// What was plugged over and does not count, as the plan is now: the device, its outlet, and why
/// not, to be said after the outlet.
pub fn not_plugged(plan: &Plan, way: &Arrangement, acted: &[Acted]) -> Vec<(String, From, String)> {
    let mut now = way.clone();
    let mut missed = Vec::new();
    for it in acted {
        let Act::Over(device, port) = &it.act else {
            continue;
        };
        match plug(plan, &now, device, port) {
            Ok(plug) => carry_out(&mut now, &plug),
            Err(why) => missed.push((device.clone(), port.clone(), why.message)),
        }
    }
    missed
}

/// Everything that hung somewhere at any time, for what is asked of all of it: which stores have a
/// part in it.
pub fn ever_hung(plan: &Plan, way: &Arrangement, acted: &[Acted]) -> Arrangement {
    let (mut now, mut ever) = (way.clone(), way.clone());
    for it in acted.iter().filter(|it| matches!(it.act, Act::Over(..))) {
        now = plugged(plan, &now, std::slice::from_ref(it));
        ever.feeds.extend(now.feeds.iter().cloned());
    }
    ever
}

/// The outlet where a device, or what goes with it, hung before and hangs no more; none where it
/// hangs where it did.
pub fn left(before: &Arrangement, now: &Arrangement, device: &str) -> Option<From> {
    let stays = |feed: &Feed| {
        now.feeds
            .iter()
            .any(|it| it.from == feed.from && it.to == feed.to)
    };
    let chain = before.chain(device);
    chain
        .into_iter()
        .map(|it| &before.feeds[it])
        .find(|it| !stays(it))
        .map(|it| it.from.clone())
}

/// An outlet from `item/port`; none where it is not written so.
pub fn outlet(text: &str) -> Option<From> {
    let (item, port) = text.split_once('/')?;
    Some(From {
        item: Id::new(item).ok()?,
        port: Id::new(port).ok()?,
    })
}

/// Whether a device can be plugged over to an outlet, given as everything hangs now.
///
/// # Errors
/// Why not, to be said after the outlet: there is no such thing, it hangs there already, nothing
/// feeds the outlet, or the labels refuse it.
pub fn can_plug(
    plan: &Plan,
    now: &Arrangement,
    device: &str,
    port: &From,
) -> Result<(), FieldError> {
    plug(plan, now, device, port).map(|_| ())
}

/// The arrangement after a device was plugged over.
///
/// # Errors
/// As [`can_plug`].
pub(super) fn moved(
    plan: &Plan,
    now: &Arrangement,
    device: &str,
    port: &From,
) -> Result<Arrangement, FieldError> {
    let plug = plug(plan, now, device, port)?;
    let mut then = now.clone();
    carry_out(&mut then, &plug);
    Ok(then)
}

fn carry_out(now: &mut Arrangement, plug: &Plug) {
    let head = plug.into.to.item.clone();
    now.feeds
        .retain(|it| it.to.input.is_some() || it.to.item != head);
    now.feeds
        .extend(plug.joins.iter().chain([&plug.into]).cloned());
}

fn plug(plan: &Plan, now: &Arrangement, device: &str, port: &From) -> Result<Plug, FieldError> {
    let no = |why: &str| FieldError::of("outlet", why.to_owned());
    if plan.device(device).is_none() || now.feed_into(device).is_none() {
        return Err(no("feeds no such device"));
    }
    if plan.port(port).is_none() {
        return Err(no("is no outlet of the plan"));
    }
    let goes = goes_with(plan, now, device);
    if let Some(head) = goes.iter().find(|it| {
        now.feed_into(it.as_str())
            .is_some_and(|it| it.from == *port)
    }) {
        let hangs = if head.as_str() == device {
            "hangs there already"
        } else {
            "hangs there already, on its adapter"
        };
        return Err(no(&format!("{} {hangs}", plan.label(device))));
    }
    let joins = joining(plan, now, port)?;
    let mut then = now.clone();
    then.feeds.extend(joins.iter().cloned());
    // What the plan has there somewhere goes there; else as much as fits goes with the device, as
    // it would be carried over.
    let is_known = |it: &usize| known_lead(plan, port, &goes[*it - 1]).is_some();
    let known = (1..=goes.len()).find(is_known);
    let mut refused = None;
    for count in known.into_iter().chain((1..=goes.len()).rev()) {
        let (goes, head) = (&goes[..count], &goes[count - 1]);
        // Nothing hangs on itself.
        if goes.contains(&port.item) {
            continue;
        }
        match fits::refused(plan, &then, std::slice::from_ref(port), head.as_str()) {
            None => {
                let into = lead_into(plan, now, port, head)
                    .ok_or_else(|| no("is no outlet of the plan"))?;
                return Ok(Plug {
                    goes: goes.to_vec(),
                    joins,
                    into,
                });
            }
            // What is said of the device itself, which comes last, helps most.
            Some(why) => {
                refused = Some(crate::ground::say::Sentence::from(why).plain().into_owned());
            }
        }
    }
    Err(no(refused
        .as_deref()
        .unwrap_or("hangs on what would hang on it")))
}

/// A device and the converters before it that feed nothing else, from it towards its source.
fn goes_with(plan: &Plan, now: &Arrangement, device: &str) -> Vec<Id> {
    let mut goes: Vec<Id> = Vec::new();
    for index in now.chain(device).into_iter().take(MOST_WITH_IT + 1) {
        let item = &now.feeds[index].to.item;
        let feeds = now.feeds.iter().filter(|it| it.from.item == *item).count();
        if item.as_str() != device && (plan.converter(item.as_str()).is_none() || feeds != 1) {
            break;
        }
        goes.push(item.clone());
    }
    goes
}

/// The feeds that lead to an outlet, as the plan's other arrangements have them, down to what is in
/// use.
fn joining(plan: &Plan, now: &Arrangement, port: &From) -> Result<Vec<Feed>, FieldError> {
    let mut joins: Vec<Feed> = Vec::new();
    let mut item = port.item.clone();
    while plan.source(item.as_str()).is_none() && now.feed_into(item.as_str()).is_none() {
        let others = plan
            .arrangements
            .iter()
            .filter_map(|it| it.feed_into(item.as_str()));
        let feed = others
            .into_iter()
            .find(|it| joins.iter().all(|join| join.to.item != it.from.item));
        let unfed = || format!("has nothing that feeds {}", plan.label(item.as_str()));
        let feed = feed.ok_or_else(|| FieldError::of("outlet", unfed()))?;
        item = feed.from.item.clone();
        joins.insert(0, feed.clone());
    }
    Ok(joins)
}

/// The lead from an outlet to an item, where any arrangement of the plan has one.
fn known_lead<'a>(plan: &'a Plan, port: &From, head: &Id) -> Option<&'a Feed> {
    plan.arrangements
        .iter()
        .filter_map(|it| it.feed_into(head.as_str()))
        .find(|it| it.from == *port)
}

/// The lead from an outlet: as another arrangement has it, else the one that hangs there now,
/// moved.
fn lead_into(plan: &Plan, now: &Arrangement, port: &From, head: &Id) -> Option<Feed> {
    if let Some(feed) = known_lead(plan, port, head) {
        return Some(Feed {
            hand_switchover_minutes: None,
            ..feed.clone()
        });
    }
    let old = now.feed_into(head.as_str())?;
    let bare = fits::bare(plan, port, head.as_str())?;
    Some(Feed {
        cable: old.cable.clone(),
        fuse: old.fuse.clone(),
        ..bare
    })
}

/// An arrangement with everything in it that is plugged over; none where nothing was.
pub(super) fn hung(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    acted: &[Acted],
) -> Option<Hung> {
    if !acted.iter().any(|it| matches!(it.act, Act::Over(..))) {
        return None;
    }
    let mut now = way.clone();
    let mut found = Hung {
        plan: plan.clone(),
        way: way.clone(),
        outage: outage.clone(),
        stood: Vec::new(),
        again: Vec::new(),
        there: Vec::new(),
    };
    // What each item is called in the march now.
    let mut called: BTreeMap<Id, Id> = BTreeMap::new();
    for it in acted {
        if let Act::Over(device, port) = &it.act
            && let Ok(plug) = plug(plan, &now, device, port)
        {
            found.put(plan, way, &now, &plug, it.at_s, &mut called);
            carry_out(&mut now, &plug);
        }
    }
    (!found.stood.is_empty()).then_some(found)
}

impl Hung {
    fn put(
        &mut self,
        plan: &Plan,
        before: &Arrangement,
        now: &Arrangement,
        plug: &Plug,
        at_s: f64,
        called: &mut BTreeMap<Id, Id>,
    ) {
        let name = |called: &BTreeMap<Id, Id>, id: &Id| called.get(id).unwrap_or(id).clone();
        let device = plug.goes[0].to_string();
        // What is not in use before is not there before.
        let joined = plug.joins.iter().map(|it| it.to.item.to_string());
        let outlets = plug
            .joins
            .iter()
            .map(|it| &it.from)
            .chain([&plug.into.from]);
        let outlets = outlets.filter(|it| plan.source(it.item.as_str()).is_some());
        let fresh = outlets.filter(|it| !self.way.feeds.iter().any(|feed| feed.from == **it));
        let places: Vec<String> = joined
            .chain(fresh.map(|it| format!("{}/{}", it.item, it.port)))
            .collect();
        self.there.extend(places.into_iter().map(|place| There {
            place,
            from_s: at_s,
            to_s: f64::INFINITY,
            before: None,
        }));
        for it in &plug.joins {
            let from = From {
                item: name(called, &it.from.item),
                ..it.from.clone()
            };
            self.way.feeds.push(Feed { from, ..it.clone() });
        }
        let was: Vec<Id> = plug.goes.iter().map(|it| name(called, it)).collect();
        for (it, was) in plug.goes.iter().zip(&was) {
            let again = self.free_id(it);
            self.copy(plan, it, &again);
            for switch in before.switching.iter().filter(|switch| switch.item == *it) {
                self.way.switching.push(crate::site::plan::Switch {
                    item: again.clone(),
                    ..switch.clone()
                });
            }
            let ends = self
                .there
                .iter_mut()
                .find(|there| there.place == was.as_str());
            match ends {
                Some(there) => there.to_s = at_s,
                None => self.there.push(There {
                    place: was.to_string(),
                    from_s: f64::NEG_INFINITY,
                    to_s: at_s,
                    before: None,
                }),
            }
            let before = Some(was.to_string());
            self.there.push(There {
                place: again.to_string(),
                from_s: at_s,
                to_s: f64::INFINITY,
                before,
            });
            called.insert(it.clone(), again);
        }
        let into = &plug.into;
        let head = plug.goes.len() - 1;
        let from = From {
            item: name(called, &into.from.item),
            ..into.from.clone()
        };
        let to = Target {
            item: name(called, &plug.goes[head]),
            input: None,
        };
        self.way.feeds.push(Feed {
            from,
            to,
            ..into.clone()
        });
        for below in plug.goes[..head]
            .iter()
            .filter_map(|it| now.feed_into(it.as_str()))
        {
            let from = From {
                item: name(called, &below.from.item),
                ..below.from.clone()
            };
            let to = Target {
                item: name(called, &below.to.item),
                input: None,
            };
            self.way.feeds.push(Feed {
                from,
                to,
                ..below.clone()
            });
        }
        let again = called[&plug.goes[0]].clone();
        self.follow_rules(&plug.goes[0], &again);
        if let Some(last) = self.stood.iter_mut().rev().find(|it| it.device == device) {
            last.to_s = at_s;
        } else {
            let called = device.clone();
            self.stood.push(Stood {
                device: device.clone(),
                called,
                from_s: f64::NEG_INFINITY,
                to_s: at_s,
            });
        }
        self.stood.push(Stood {
            device,
            called: again.to_string(),
            from_s: at_s,
            to_s: f64::INFINITY,
        });
    }

    /// An id that nothing has, made of another.
    fn free_id(&self, of: &Id) -> Id {
        let short: String = of.as_str().chars().take(48).collect();
        let plan = &self.plan;
        let taken = |id: &str| {
            plan.device(id).is_some() || plan.source(id).is_some() || plan.converter(id).is_some()
        };
        let mut names = (2..1000)
            .map(|it| format!("{short}-over-{it}"))
            .filter(|it| !taken(it));
        names
            .find_map(|it| Id::new(&it).ok())
            .unwrap_or_else(|| Id::own("over"))
    }

    fn copy(&mut self, plan: &Plan, of: &Id, again: &Id) {
        let kit = &mut self.plan.kit;
        if let Some(device) = plan.device(of.as_str()) {
            kit.devices.push(crate::site::plan::Device {
                id: again.clone(),
                ..device.clone()
            });
            self.again
                .push((ElementKind::Device, of.to_string(), again.to_string()));
        } else if let Some(converter) = plan.converter(of.as_str()) {
            kit.converters.push(crate::site::plan::Converter {
                id: again.clone(),
                ..converter.clone()
            });
            self.again
                .push((ElementKind::Converter, of.to_string(), again.to_string()));
        }
    }

    /// The rules of a device go with it; that it is dropped for the sake of a store goes only where
    /// it hangs on that one.
    fn follow_rules(&mut self, of: &Id, again: &Id) {
        let root = self
            .way
            .chain(again.as_str())
            .last()
            .map(|it| self.way.feeds[*it].from.item.clone());
        let mut more: Vec<Rule> = Vec::new();
        for rule in &mut self.outage.rules {
            match rule {
                Rule::Shed {
                    device,
                    source,
                    below_soc,
                } if device == of && Some(&*source) == root.as_ref() => {
                    let (source, below_soc) = (source.clone(), below_soc.clone());
                    more.push(Rule::Shed {
                        device: again.clone(),
                        source,
                        below_soc,
                    });
                }
                Rule::Hold {
                    device,
                    while_starting,
                } if device == of || while_starting == of => {
                    let name = |id: &Id| if id == of { again.clone() } else { id.clone() };
                    more.push(Rule::Hold {
                        device: name(device),
                        while_starting: name(while_starting),
                    });
                }
                Rule::Stagger { devices, .. } => {
                    if let Some(place) = devices.iter().position(|it| it == of) {
                        devices.insert(place + 1, again.clone());
                    }
                }
                _ => {}
            }
        }
        self.outage.rules.extend(more);
    }
}

/// Writes what was drawn for an element into those that are the same again.
pub(super) fn write_again(plan: &mut Plan, again: &[(ElementKind, String, String)]) {
    fn copied<T: Clone>(list: &mut [T], id_of: impl Fn(&mut T) -> &mut Id, (of, to): (&str, &str)) {
        let mut place = |id: &str| list.iter_mut().position(|it| id_of(it).as_str() == id);
        if let (Some(of), Some(to)) = (place(of), place(to)) {
            let mut again = list[of].clone();
            id_of(&mut again).clone_from(id_of(&mut list[to]));
            list[to] = again;
        }
    }
    for (kind, of, id) in again {
        let names = (of.as_str(), id.as_str());
        match kind {
            ElementKind::Device => copied(&mut plan.kit.devices, |it| &mut it.id, names),
            _ => copied(&mut plan.kit.converters, |it| &mut it.id, names),
        }
    }
}
