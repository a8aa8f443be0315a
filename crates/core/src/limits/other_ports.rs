//! Feeds on other ports: which would do, with everything on their way judged.

use super::breaking;
use super::code::{Code, Unstated};
use super::door::Verdicts;
use super::facts::asks;
use super::judging::VerdictOf;
use super::verdict::Status;
use crate::ground::figure::Figure;
use crate::site::plan::arrangement::From;
use crate::site::plan::{
    Arrangement, ConverterKind, Feed, Id, Plan, Port, PortVoltage, SourceKind,
};
use crate::site::wire::fuses;
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::rc::Rc;

/// What a fuse may change the verdict of, at its own lead and those behind it.
const BY_FUSE: [Code; 5] = [
    Code::FuseMissing,
    Code::FuseRating,
    Code::FuseSize,
    Code::Contacts,
    Code::ConnectorRating,
];
/// Feeds on other ports of a plan: each is tried once, whatever it is to mend.
pub(super) struct OtherPorts<'a> {
    plan: &'a Plan,
    tried: RefCell<BTreeMap<PluggedAt, Option<Rc<Plugged>>>>,
}

/// A feed of an arrangement on a port, at a voltage that it is asked for; in bits, to be compared.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
struct PluggedAt {
    arrangement: String,
    feed: usize,
    place: String,
    volts: Option<u64>,
}

/// A feed that is well on another port, and everything else as well as before.
pub(super) struct Plugged {
    /// How everything stands then.
    pub(super) after: Verdicts,
    pub(super) feed: Feed,
    /// The fuse that it takes there, A, where it had none.
    pub(super) fuse: Option<f64>,
    /// The worst on its way and behind it.
    pub(super) worst: Status,
    pub(super) to_look: ToLook,
}

impl<'a> OtherPorts<'a> {
    pub(super) fn of_plan(plan: &'a Plan) -> Self {
        Self {
            plan,
            tried: RefCell::default(),
        }
    }

    /// The ports of the kit that a feed could be plugged to, each with the voltages that it can be
    /// asked for there; none of those is judged yet.
    pub(super) fn of(
        &self,
        arrangement: &Arrangement,
        index: usize,
    ) -> Vec<(&'a Id, &'a Port, Vec<Option<f64>>)> {
        let feed = &arrangement.feeds[index];
        let to = feed.to.item.as_str();
        // The mains is what is not there in an outage; a panel gives nothing by night, and a
        // charger is made for a battery.
        let fills = feed.to.input.is_some();
        let sources =
            self.plan.kit.sources.iter().filter(|it| {
                it.kind != SourceKind::Mains && (fills || it.kind != SourceKind::Panel)
            });
        let sources = sources.flat_map(|it| it.ports.iter().map(|port| (&it.id, port)));
        let in_use = self.plan.kit.converters.iter().filter(|it| {
            arrangement.feed_into(it.id.as_str()).is_some()
                && (fills || it.kind != ConverterKind::Charger)
        });
        let converters = in_use.flat_map(|it| it.outputs.iter().map(|port| (&it.id, port)));
        let same = |item: &Id, port: &Port| *item == feed.from.item && port.id == feed.from.port;
        let behind = |item: &str| {
            // What hangs on the item itself cannot feed it.
            item == to
                || arrangement
                    .chain(item)
                    .iter()
                    .any(|it| arrangement.feeds[*it].from.item.as_str() == to)
        };
        let free = |it: &(&Id, &Port)| !same(it.0, it.1) && !behind(it.0.as_str());
        let ports = sources.chain(converters).filter(free);
        let asked = |(item, port): (&'a Id, &'a Port)| {
            // An offer of voltages is for who asks for one.
            let voltages: Vec<Option<f64>> = match &port.voltage {
                PortVoltage::Offers { .. } if !asks(self.plan, feed) => Vec::new(),
                PortVoltage::Offers { offers_v } => {
                    offers_v.iter().map(|it| Some(it.get())).collect()
                }
                _ => vec![None],
            };
            (item, port, voltages)
        };
        ports.map(asked).collect()
    }

    /// A feed of an arrangement, in which everything stood as `before`, on another port; with the
    /// smallest standard fuse where it has none and does not do without one there. None where
    /// anything is worse than before, or than tight on its way.
    pub(super) fn plugged(
        &self,
        (arrangement, before): (&Arrangement, &Verdicts),
        index: usize,
        (item, port): (&Id, &Port),
        volts: Option<f64>,
    ) -> Option<Rc<Plugged>> {
        let at = PluggedAt {
            arrangement: arrangement.id.to_string(),
            feed: index,
            place: format!("{item}/{}", port.id),
            volts: volts.map(f64::to_bits),
        };
        let known = self.tried.borrow().get(&at).cloned();
        known.unwrap_or_else(|| {
            let tried = self
                .tried((arrangement, before), index, (item, port), volts)
                .map(Rc::new);
            self.tried.borrow_mut().insert(at, tried.clone());
            tried
        })
    }

    /// A feed on another port, with the smallest standard fuse where it wants one there; none where
    /// anything is worse than before, or than tight on its way.
    fn tried(
        &self,
        (arrangement, before): (&Arrangement, &Verdicts),
        index: usize,
        (item, port): (&Id, &Port),
        volts: Option<f64>,
    ) -> Option<Plugged> {
        let mut trial = arrangement.clone();
        let feed = &mut trial.feeds[index];
        feed.from = From {
            item: item.clone(),
            port: port.id.clone(),
        };
        feed.voltage_v = volts.map(Figure::assumed);
        let way = Way::of(self.plan, &trial, index);
        let well = |it: VerdictOf<'_>| way.bears(it).min(before.bears(it));
        // What no fuse changes the verdict of says first whether any need be looked for.
        let after = Verdicts::within((self.plan, &trial), None, |it| {
            if BY_FUSE.contains(&it.code) {
                Status::Trips
            } else {
                well(it)
            }
        })?;
        let place = trial.feeds[index].to.name();
        let missing = after.of_code(Code::FuseMissing, &place) > Status::Tight;
        let unfused = trial.feeds[index].fuse.is_none();
        let as_it_is = after.worse(before, |_| None).is_none() && way.is_well(&after);
        let (after, fuse) = if as_it_is {
            (after, None)
        } else if unfused && missing {
            fuses().find_map(|rating| {
                let fault = breaking::at_near(self.plan, &trial, &trial.feeds[index]);
                trial.feeds[index].fuse = Some(breaking::fitting(rating, fault));
                let tried = (self.plan, &trial);
                let after = Verdicts::no_worse(tried, None, before, |it| way.bears(it))?;
                way.is_well(&after).then_some((after, Some(rating)))
            })?
        } else {
            return None;
        };
        Some(Plugged {
            worst: way.worst(&after),
            to_look: way.to_look(&after),
            after,
            fuse,
            feed: trial.feeds.swap_remove(index),
        })
    }
}

/// Everything on the way of a feed and behind it in a trial.
struct Way<'a> {
    plan: &'a Plan,
    trial: Arrangement,
    feeds: Vec<usize>,
}

impl<'a> Way<'a> {
    fn of(plan: &'a Plan, trial: &Arrangement, index: usize) -> Self {
        let mut feeds = trial.chain(trial.feeds[index].from.item.as_str());
        feeds.insert(0, index);
        let behind = |it: &usize| {
            trial
                .chain(trial.feeds[*it].to.item.as_str())
                .contains(&index)
        };
        feeds.extend((0..trial.feeds.len()).filter(behind));
        Self {
            plan,
            trial: trial.clone(),
            feeds,
        }
    }

    fn is_here(&self, place: &str) -> bool {
        self.plan.is_on_way(&self.trial, &self.feeds, place)
    }

    /// Polarity and plugs are looked at with a meter, and what nobody stated is looked up, from
    /// whatever port it is fed; but a fuse that may be missing is fitted.
    fn is_looked_at(code: Code, unstated: Option<Unstated>) -> bool {
        matches!(code, Code::Polarity | Code::Connector) || Self::is_looked_up(unstated)
    }

    fn is_looked_up(unstated: Option<Unstated>) -> bool {
        unstated.is_some_and(|it| it != Unstated::Protection)
    }

    /// How bad a verdict may be, as far as the way goes.
    fn bears(&self, it: VerdictOf<'_>) -> Status {
        if Self::is_looked_at(it.code, it.unstated) || !self.is_here(it.place) {
            Status::Trips
        } else {
            Status::Tight
        }
    }

    /// The worst on the way, as far as it is not merely to be looked at.
    fn worst(&self, after: &Verdicts) -> Status {
        after.worst_of(|code, place, it| !Self::is_looked_at(code, it) && self.is_here(place))
    }

    fn is_well(&self, after: &Verdicts) -> bool {
        self.worst(after) <= Status::Tight
    }

    fn to_look(&self, after: &Verdicts) -> ToLook {
        let by_meter = |code, place: &str, _| {
            matches!(code, Code::Polarity | Code::Connector) && self.is_here(place)
        };
        let looked_up = |_, place: &str, it| Self::is_looked_up(it) && self.is_here(place);
        ToLook {
            meter: after.worst_of(by_meter) > Status::Tight,
            unstated: after.worst_of(looked_up) > Status::Tight,
        }
    }
}

/// What is still to be looked at before something is plugged over.
#[derive(Debug, Clone, Copy)]
pub(super) struct ToLook {
    /// Polarity and plug, with a meter.
    pub(super) meter: bool,
    /// What nobody stated of it.
    pub(super) unstated: bool,
}

#[cfg(test)]
mod tests {
    use super::super::judging::{Judged, judged};
    use super::*;

    fn demos() -> Vec<Plan> {
        [
            include_str!("../../../../demo/hollin-lock.plan.json"),
            include_str!("../../../../demo/weir-hut.plan.json"),
        ]
        .map(|it| Plan::parse(it).unwrap())
        .into()
    }

    #[test]
    fn a_fuse_changes_no_verdict_but_those_of_fuses_and_contacts() {
        let mut compared = 0;
        for plan in demos() {
            for way in &plan.arrangements {
                let others = |trial: &Arrangement| -> Vec<Judged> {
                    let all = judged(&plan, trial).into_iter();
                    all.filter(|it| !BY_FUSE.contains(&it.code)).collect()
                };
                for index in (0..way.feeds.len()).step_by(2) {
                    let mut trial = way.clone();
                    trial.feeds[index].fuse = None;
                    let without = others(&trial);
                    for rating in fuses().step_by(4) {
                        trial.feeds[index].fuse = Some(breaking::fitting(rating, None));
                        assert_eq!(
                            others(&trial),
                            without,
                            "{rating} A at {index} of {}",
                            way.id
                        );
                        compared += 1;
                    }
                }
            }
        }
        assert!(compared > 100, "{compared}");
    }

    /// What ends early finds what looking at all of it finds.
    #[test]
    fn a_port_is_found_well_where_all_of_it_is() {
        let (mut good, mut bad) = (0, 0);
        for plan in demos() {
            let ports = OtherPorts::of_plan(&plan);
            for way in &plan.arrangements {
                let before = Verdicts::of(&plan, way);
                for index in (0..way.feeds.len()).step_by(2) {
                    for (item, port, voltages) in ports.of(way, index) {
                        for volts in voltages {
                            let mut trial = way.clone();
                            let feed = &mut trial.feeds[index];
                            (feed.from.item, feed.from.port) = (item.clone(), port.id.clone());
                            feed.voltage_v = volts.map(Figure::assumed);
                            let looks = |trial: &Arrangement| {
                                let after = Verdicts::silent(&plan, trial);
                                let on = Way::of(&plan, trial, index);
                                let well = after.worse(&before, |_| None).is_none();
                                (well && on.is_well(&after)).then(|| on.worst(&after))
                            };
                            let mut whole = looks(&trial).map(|it| (it, None));
                            if whole.is_none() && trial.feeds[index].fuse.is_none() {
                                let fault = breaking::at_near(&plan, &trial, &trial.feeds[index]);
                                whole = fuses().find_map(|rating| {
                                    trial.feeds[index].fuse =
                                        Some(breaking::fitting(rating, fault));
                                    Some((looks(&trial)?, Some(rating)))
                                });
                            }
                            let found = ports.plugged((way, &before), index, (item, port), volts);
                            let found = found.map(|it| (it.worst, it.fuse));
                            assert_eq!(
                                found, whole,
                                "{item}/{} for {index} of {}",
                                port.id, way.id
                            );
                            if whole.is_some() { good += 1 } else { bad += 1 }
                        }
                    }
                }
            }
        }
        assert!(good > 10 && bad > 100, "{good} {bad}");
    }
}
