//! Budgets that are divided: what takes what it gets, and what it gets.
//!
//! Something that is charged and says so, and every charging input, takes no more than its port,
//! the budget that its port shares and its lead give. What cannot yield is served first; the rest
//! is divided in equal shares, up to what each one wants (water filling: the level is the same for
//! all that want more than it).

use super::build::{End, Network};
use super::casing::Casing;
use super::shares::{Budget, Leaf, Taker};
use crate::ground::figure::Figure;
use crate::ground::quantity::Celsius;
use crate::site::plan::port::Sharing;
use crate::site::plan::{Arrangement, Plan, Port, Source, SourceKind};

/// What the budget of an alternator is called behind its vehicle's id; no port is called so, for
/// its blank.
pub(crate) const ALTERNATOR: &str = "its alternator";

/// What the budget of a converter's warmth is called behind its id.
pub(crate) const HEAT: &str = "its heat";

/// Every budget behind which something yields, in the order of the network's ports; shared ones
/// after them.
fn budgets(plan: &Plan, way: &Arrangement, network: &Network) -> Vec<Budget> {
    let leaves = leaves(plan, way, network);
    if leaves.is_empty() {
        return Vec::new();
    }
    let mut list: Vec<Budget> = Vec::new();
    let port_of = |item: &str, id: &str| {
        let source = plan.source(item).map(|it| (&it.ports, &it.groups));
        let (ports, groups) =
            source.or_else(|| plan.converter(item).map(|it| (&it.outputs, &it.groups)))?;
        Some((ports.iter().find(|it| it.id.as_str() == id)?, groups))
    };
    let mut shared: Vec<Budget> = Vec::new();
    for (index, outlet) in network.ports.iter().enumerate() {
        let Some((item, id)) = outlet.name.split_once('/') else {
            continue;
        };
        let Some((port, groups)) = port_of(item, id) else {
            continue;
        };
        let takers = takers(network, &leaves, index);
        if takers.is_empty() {
            continue;
        }
        let (most_w, most_a) = most(port);
        if most_w.is_finite() || most_a.is_finite() {
            let (place, takers) = (outlet.name.clone(), takers.clone());
            list.push(Budget {
                place,
                ports: vec![index],
                most_w,
                most_a,
                takers,
            });
        }
        let group = groups.iter().find(|it| Some(&it.id) == port.group.as_ref());
        let Some(group) = group.filter(|it| it.sharing == Some(Sharing::Divides)) else {
            continue;
        };
        let place = format!("{item}/{}", group.id);
        match shared.iter_mut().find(|it| it.place == place) {
            Some(known) => known.takers.extend(takers),
            None => shared.push(Budget {
                place,
                ports: members(network, item, |id| {
                    port_of(item, id).is_some_and(|it| it.0.group.as_ref() == Some(&group.id))
                }),
                most_w: group
                    .limit
                    .continuous_w
                    .as_ref()
                    .map_or(f64::INFINITY, Figure::get),
                most_a: group
                    .limit
                    .continuous_a
                    .as_ref()
                    .map_or(f64::INFINITY, Figure::get),
                takers,
            }),
        }
    }
    list.extend(shared);
    list.extend(alternators(plan, network, &leaves));
    list.extend(heats(plan, network, &leaves));
    list
}

/// What converters give that get warm: all of it until somebody holds them down.
fn heats(plan: &Plan, network: &Network, leaves: &[(usize, Leaf)]) -> Vec<Budget> {
    let stages = network.converters.iter().enumerate();
    let budget = |(stage, it): (usize, &super::build::Stage)| {
        Casing::of(plan.converter(&it.id)?, 0.0)?;
        let ports: Vec<usize> = (0..network.ports.len())
            .filter(|port| network.ports[*port].converter == Some(stage))
            .collect();
        let takers: Vec<Taker> = ports
            .iter()
            .flat_map(|it| takers(network, leaves, *it))
            .collect();
        let place = format!("{}/{HEAT}", it.id);
        (!takers.is_empty()).then_some(Budget {
            place,
            ports,
            most_w: f64::INFINITY,
            most_a: f64::INFINITY,
            takers,
        })
    };
    stages.filter_map(budget).collect()
}

/// What an alternator gives for charging while it runs: no more than the policy's share of its
/// rating at idle.
fn alternators(plan: &Plan, network: &Network, leaves: &[(usize, Leaf)]) -> Vec<Budget> {
    let share = plan.site.alternator_share();
    let vehicles = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.kind == SourceKind::Vehicle);
    let budget = |source: &Source| {
        let most_a = source.alternator.as_ref()?.idle_a.get() * share;
        let place = network
            .sources
            .iter()
            .position(|it| it.id == source.id.as_str())?;
        let ports: Vec<usize> = (0..network.ports.len())
            .filter(|it| network.ports[*it].source == Some(place))
            .collect();
        let takers: Vec<Taker> = ports
            .iter()
            .flat_map(|it| takers(network, leaves, *it))
            .collect();
        let place = format!("{}/{ALTERNATOR}", source.id);
        (!takers.is_empty()).then_some(Budget {
            place,
            ports,
            most_w: f64::INFINITY,
            most_a,
            takers,
        })
    };
    vehicles.filter_map(budget).collect()
}

fn members(network: &Network, item: &str, is_member: impl Fn(&str) -> bool) -> Vec<usize> {
    let of_item = |name: &str| {
        name.split_once('/')
            .is_some_and(|(own, id)| own == item && is_member(id))
    };
    (0..network.ports.len())
        .filter(|it| of_item(&network.ports[*it].name))
        .collect()
}

fn most(port: &Port) -> (f64, f64) {
    let limit = port.limit.as_ref();
    let watts = limit.and_then(|it| it.continuous_w.as_ref());
    let amps = limit.and_then(|it| it.continuous_a.as_ref());
    (
        watts.map_or(f64::INFINITY, Figure::get),
        amps.map_or(f64::INFINITY, Figure::get),
    )
}

/// What yields: charging inputs, and what is charged and says so, or hangs on an adapter or a
/// trigger that does.
fn leaves(plan: &Plan, way: &Arrangement, network: &Network) -> Vec<(usize, Leaf)> {
    // Nearly no plan says so of anything, and a large one has many devices to look up.
    let said = plan.kit.devices.iter().any(|it| it.input.takes.is_some())
        || plan
            .kit
            .converters
            .iter()
            .any(|it| it.input.takes.is_some());
    let yields = |id: &str| {
        if !said {
            return false;
        }
        let Some(device) = plan.device(id).filter(|it| it.filling().is_some()) else {
            return false;
        };
        let chain = way.chain(id);
        let through = chain
            .iter()
            .filter_map(|it| plan.converter(way.feeds[*it].to.item.as_str()));
        device.input.takes.is_some() || through.into_iter().any(|it| it.input.takes.is_some())
    };
    let nodes = network.nodes.iter().enumerate();
    let leaf = |(node, it): (usize, &super::build::Node)| match it.end {
        End::Device(device) => {
            yields(&network.devices[device].id).then_some((node, Leaf::Device(device)))
        }
        End::Input(_) => Some((node, Leaf::Input(node))),
        End::Converter(_) => None,
    };
    nodes.filter_map(leaf).collect()
}

/// What yields behind each feed that leaves a port.
fn takers(network: &Network, leaves: &[(usize, Leaf)], port: usize) -> Vec<Taker> {
    let mut list: Vec<Taker> = Vec::new();
    for (node, leaf) in leaves {
        let mut at = *node;
        let top = loop {
            let leaving = network.nodes[at].port;
            if leaving == port {
                break Some(at);
            }
            let Some(stage) = network.ports[leaving].converter else {
                break None;
            };
            let into = network
                .nodes
                .iter()
                .position(|it| matches!(it.end, End::Converter(own) if own == stage));
            let Some(into) = into else { break None };
            at = into;
        };
        let Some(top) = top else { continue };
        match list.iter_mut().find(|it| it.node == top) {
            Some(known) => known.leaves.push(*leaf),
            None => list.push(Taker {
                node: top,
                leaves: vec![*leaf],
            }),
        }
    }
    list
}

/// The level to which each is filled that wants more than it: Σ min(want, level) = what there is.
/// Endless where all get what they want.
pub(super) fn level(wants: &[f64], there_is: f64) -> f64 {
    if wants.iter().sum::<f64>() <= there_is {
        return f64::INFINITY;
    }
    let mut sorted = wants.to_vec();
    sorted.sort_by(f64::total_cmp);
    let mut left = there_is.max(0.0);
    for (index, want) in sorted.iter().enumerate() {
        let each = left / (sorted.len() - index) as f64;
        if *want >= each {
            return each;
        }
        left -= want;
    }
    f64::INFINITY
}

impl Network {
    /// Compiles `arrangement` of a checked `plan`, its cables at `ambient`.
    pub fn build(plan: &Plan, arrangement: &Arrangement, ambient: Celsius) -> Self {
        let mut network = Self::compiled(plan, arrangement, ambient);
        network.budgets = budgets(plan, arrangement, &network);
        network
    }

    /// What is divided behind a converter while it is as warm as it bears, by its place among all
    /// that is divided.
    pub(crate) fn heat_budget(&self, converter: &str) -> Option<usize> {
        let of = |it: &Budget| {
            it.place
                .strip_suffix(HEAT)?
                .strip_suffix('/')
                .map(|it| it == converter)
        };
        self.budgets.iter().position(|it| of(it) == Some(true))
    }

    /// The devices that take what a budget gives, by their places in [`Network::loads`].
    pub(crate) fn yielding_devices(&self) -> Vec<usize> {
        let leaves = self
            .budgets
            .iter()
            .flat_map(|it| &it.takers)
            .flat_map(|it| &it.leaves);
        let mut devices: Vec<usize> = leaves
            .filter_map(|it| match it {
                Leaf::Device(place) => Some(*place),
                Leaf::Input(_) => None,
            })
            .collect();
        devices.sort_unstable();
        devices.dedup();
        devices
    }
}

#[cfg(test)]
mod tests {
    use super::level;

    #[test]
    fn water_finds_its_level() {
        let got = |wants: &[f64], there_is: f64| -> Vec<f64> {
            let level = level(wants, there_is);
            wants.iter().map(|it| it.min(level)).collect()
        };
        assert_eq!(got(&[92.0, 45.0], 95.0), [50.0, 45.0]);
        assert_eq!(got(&[92.0, 45.0], 80.0), [40.0, 40.0]);
        assert_eq!(got(&[92.0, 45.0], 200.0), [92.0, 45.0]);
        assert_eq!(got(&[10.0, 20.0, 60.0], 50.0), [10.0, 20.0, 20.0]);
        assert_eq!(got(&[10.0, 20.0], 0.0), [0.0, 0.0]);
        assert_eq!(got(&[10.0, 20.0], -3.0), [0.0, 0.0]);
    }
}
