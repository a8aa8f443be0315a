//! Rules of an outage as a start meets them: who is held back while who starts, and what is kept
//! apart.

use crate::ground::figure::Figure;
use crate::ground::say::{Name, listed};
use crate::network::{Load, Moment, Network, fed};
use crate::site::plan::outage::Rule;
use crate::site::plan::{Arrangement, Device, PhaseKind, Plan};

/// Devices that hold others back at most.
pub(super) const MOST_HOLDING: usize = 6;
/// Ways in which starts may fall together that are looked at; with more of them nothing is taken as
/// kept apart.
const MOST_WAYS: usize = 64;

/// Rules as a start meets them, by the ids of devices.
#[derive(Debug, Clone, Default)]
pub(super) struct Rules<'a> {
    /// Who is held back, and while who starts.
    held: Vec<(&'a str, &'a str)>,
    /// Of each of these lists one starts at a time.
    apart: Vec<Vec<&'a str>>,
}

/// How long the start of a device takes, s; none where nobody says.
pub(super) fn start_s(device: &Device) -> Option<f64> {
    device
        .phases_of(PhaseKind::Starting)
        .map(|it| it.seconds.as_ref().map(Figure::get))
        .sum()
}

/// The devices that start on an arrangement itself, in the order of the plan.
pub(super) fn starters<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
) -> impl Iterator<Item = &'a Device> {
    let here = |it: &&Device| {
        it.highest(PhaseKind::Starting).is_some() && arrangement.start_of(it.id.as_str()).is_none()
    };
    fed(plan, arrangement).filter(here)
}

impl<'a> Rules<'a> {
    /// Those of a list that say something of a start. Starts are kept apart by a time only where
    /// each is over within it.
    pub(super) fn of(plan: &'a Plan, arrangement: &'a Arrangement, rules: &'a [Rule]) -> Self {
        let mut all = Self::default();
        for rule in rules {
            match rule {
                Rule::Hold {
                    device,
                    while_starting,
                } => all.held.push((device.as_str(), while_starting.as_str())),
                Rule::Stagger { seconds, devices } => {
                    let named = |it: &&Device| devices.is_empty() || devices.contains(&it.id);
                    let waiting: Vec<&Device> = starters(plan, arrangement).filter(named).collect();
                    if waiting
                        .iter()
                        .all(|it| start_s(it).is_some_and(|it| it <= seconds.get() + 1e-9))
                    {
                        all.apart
                            .push(waiting.into_iter().map(|it| it.id.as_str()).collect());
                    }
                }
                Rule::Shed { .. } | Rule::Restore { .. } => {}
            }
        }
        // What cannot be looked at in every choice counts for nothing.
        if all.is_too_much() {
            Self::default()
        } else {
            all
        }
    }

    /// Whether more devices hold others back than can be looked at in every choice of them.
    fn is_too_much(&self) -> bool {
        let mut holding: Vec<&str> = self.held.iter().map(|it| it.1).collect();
        holding.sort_unstable();
        holding.dedup();
        holding.len() > MOST_HOLDING
    }

    /// Whether they say nothing of any start.
    pub(super) fn is_empty(&self) -> bool {
        self.held.is_empty() && self.apart.iter().all(|it| it.len() < 2)
    }

    /// As few of them as still are `enough`.
    pub(super) fn needed(&self, enough: impl Fn(&Self) -> bool) -> Self {
        let mut kept = self.clone();
        for index in (0..self.held.len()).rev() {
            let mut less = kept.clone();
            less.held.remove(index);
            if enough(&less) {
                kept = less;
            }
        }
        for index in (0..self.apart.len()).rev() {
            let mut less = kept.clone();
            less.apart.remove(index);
            if enough(&less) {
                kept = less;
            }
        }
        kept
    }

    /// Whether a device is held back while some others start.
    pub(super) fn holds(&self, device: &str, starting: &[&str]) -> bool {
        self.held
            .iter()
            .any(|it| it.0 == device && starting.contains(&it.1))
    }

    /// The starts that may fall together where everything that can starts at once: one list for
    /// each way in which those that are kept apart come to be in it.
    fn together(&self, plan: &'a Plan, arrangement: &'a Arrangement) -> Vec<Vec<&'a str>> {
        let all: Vec<&str> = starters(plan, arrangement)
            .map(|it| it.id.as_str())
            .collect();
        let ways: usize = self.apart.iter().map(|it| it.len().max(1)).product();
        if ways > MOST_WAYS {
            return vec![all];
        }
        let mut lists = vec![all];
        for group in self.apart.iter().filter(|it| it.len() > 1) {
            let only = |list: &Vec<&'a str>, one: &str| -> Vec<&'a str> {
                list.iter()
                    .copied()
                    .filter(|it| *it == one || !group.contains(it))
                    .collect()
            };
            lists = lists
                .iter()
                .flat_map(|list| group.iter().map(move |it| only(list, it)))
                .collect();
        }
        lists
    }

    /// Starts that fall together, with each choice of those that hold others back: what was held
    /// starts once nobody holds it any more.
    fn with_and_without(&self, all: &[&'a str]) -> Vec<Vec<&'a str>> {
        let mut lists = vec![all.to_vec()];
        for one in all
            .iter()
            .filter(|it| self.held.iter().any(|held| held.1 == **it))
        {
            let without: Vec<Vec<&str>> = lists
                .iter()
                .map(|list| list.iter().copied().filter(|it| it != one).collect())
                .collect();
            lists.extend(without);
        }
        lists
    }

    /// What is drawn where everything starts that may: one step for each way in which starts fall
    /// together.
    pub(super) fn all_starting(
        &self,
        plan: &Plan,
        arrangement: &Arrangement,
        network: &Network,
    ) -> Vec<Vec<Load>> {
        let together = self.together(plan, arrangement);
        let lists: Vec<Vec<&str>> = together
            .iter()
            .flat_map(|it| self.with_and_without(it))
            .collect();
        let one = |starting: &Vec<&str>| {
            network.loads(plan, |device| {
                let id = device.id.as_str();
                let moment = if starting.contains(&id) {
                    Moment::AllStarting
                } else {
                    Moment::Busy
                };
                moment
                    .load_of(device)
                    .times(if self.holds(id, starting) { 0.0 } else { 1.0 })
            })
        };
        lists.iter().map(one).collect()
    }

    /// What they do, in words, as far as the starts of an arrangement are concerned.
    pub(super) fn told(&self, plan: &Plan) -> String {
        let mut said: Vec<String> = Vec::new();
        let mut told: Vec<&str> = Vec::new();
        for (_, starting) in &self.held {
            if !told.contains(starting) {
                told.push(starting);
                let held: Vec<_> = self
                    .held
                    .iter()
                    .filter(|it| it.1 == *starting)
                    .map(|it| it.0)
                    .collect();
                said.push(format!(
                    "{} held while {} starts",
                    listed(&names(plan, &held)),
                    Name(plan.label(starting))
                ));
            }
        }
        if self.apart.iter().any(|it| it.len() > 1) {
            said.push("starts kept apart".to_owned());
        }
        listed(&said)
    }
}

pub(super) fn names(plan: &Plan, ids: &[&str]) -> Vec<String> {
    ids.iter()
        .map(|it| Name(plan.label(it)).to_string())
        .collect()
}
