//! Switches of an arrangement: what is on only at its hours, or only with its load.
//!
//! A *gate* is a switched converter or outlet. While it is shut it draws its standby and nothing
//! behind it is fed. Gates by the clock are looked up; one that goes with its load is open while
//! something behind it calls for it, and no clock between keeps that off.

use super::build::{End, Network};
use super::solve::Solver;
use super::standby::Standby;
use crate::ground::figure::Figure;
use crate::site::plan::{Arrangement, SwitchedWhen};

/// What is switched.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Switched {
    /// A converter, by its place and by that of the feed into it.
    Stage { stage: usize, node: usize },
    /// A port of a source, by its place.
    Port(usize),
}

/// A switched converter or outlet.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Gate {
    pub(crate) switched: Switched,
    /// The item, or `source/port`.
    pub(crate) place: String,
    /// Its hours of the day, from and to; none where it goes with its load.
    pub(crate) hours: Option<Vec<(f64, f64)>>,
    /// What it draws while it is shut, W.
    pub(crate) standby_w: f64,
    /// Whether a person switches it.
    pub(crate) by_hand: bool,
    /// From when to when it is there at all, s after an outage began; while it is not it draws
    /// nothing.
    pub(crate) there: (f64, f64),
    /// The devices behind it, by their places in [`Network::loads`].
    pub(crate) devices: Vec<usize>,
    /// The feeds into charging inputs behind it.
    pub(crate) inputs: Vec<usize>,
}

impl Gate {
    /// Whether a gate by the clock is open at an hour of the day, 0 to 24; a gate that goes with
    /// its load may be.
    pub(crate) fn may_be_open(&self, hour: f64) -> bool {
        let holds = |(from, to): &(f64, f64)| {
            if from < to {
                *from <= hour && hour < *to
            } else {
                hour >= *from || hour < *to
            }
        };
        self.hours.as_ref().is_none_or(|it| it.iter().any(holds))
    }

    /// Whether it is there at `t` s after an outage began.
    pub(crate) fn is_there(&self, t: f64) -> bool {
        self.there.0 <= t + 1e-6 && t + 1e-6 < self.there.1
    }
}

/// From when to when something is there that nobody plugs over.
const ALWAYS: (f64, f64) = (f64::NEG_INFINITY, f64::INFINITY);

/// What a converter, or the port of a source, is in a network.
fn switched(network: &Network, item: &str, port: Option<&str>) -> Option<Switched> {
    if let Some(port) = port {
        return network.port_index(item, port).map(Switched::Port);
    }
    network
        .nodes
        .iter()
        .enumerate()
        .find_map(|(node, it)| match it.end {
            End::Converter(stage) if network.converters[stage].id == item => {
                Some(Switched::Stage { stage, node })
            }
            _ => None,
        })
}

/// All gates of an arrangement.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Gates {
    pub(crate) list: Vec<Gate>,
    /// The gates above each feed, by their places in `list`.
    above: Vec<Vec<usize>>,
    /// The same above each device, by its place in [`Network::loads`].
    above_device: Vec<Vec<usize>>,
}

impl Gates {
    /// The gates of an arrangement and of its network.
    pub(crate) fn of(way: &Arrangement, network: &Network) -> Self {
        Self::with_windows(way, network, &[])
    }

    /// The same with converters and outlets (`source/port`) that are there only for a while, from
    /// and to in s.
    pub(crate) fn with_windows(
        way: &Arrangement,
        network: &Network,
        windows: &[(&str, (f64, f64))],
    ) -> Self {
        let mut gates = Self {
            above: vec![Vec::new(); network.len()],
            ..Self::default()
        };
        gates.above_device = vec![Vec::new(); network.devices_len()];
        if way.switching.is_empty() && windows.is_empty() {
            return gates;
        }
        gates.list(way, network);
        gates.window(network, windows);
        // Feeds stand below what feeds them.
        let mut above_stage: Vec<Vec<usize>> = vec![Vec::new(); network.converters.len()];
        for (node, it) in network.nodes.iter().enumerate() {
            let mut above = network.ports[it.port]
                .converter
                .map_or_else(Vec::new, |stage| above_stage[stage].clone());
            above.extend(
                gates
                    .list
                    .iter()
                    .position(|gate| gate.switched == Switched::Port(it.port)),
            );
            match &it.end {
                End::Converter(stage) => {
                    let own = |gate: &Gate| {
                        matches!(gate.switched, Switched::Stage { stage: own,
                        .. } if own == *stage)
                    };
                    above_stage[*stage] = above
                        .iter()
                        .copied()
                        .chain(gates.list.iter().position(own))
                        .collect();
                }
                End::Device(device) => {
                    for gate in &above {
                        gates.list[*gate].devices.push(*device);
                    }
                    gates.above_device[*device].clone_from(&above);
                }
                End::Input(_) => above
                    .iter()
                    .for_each(|gate| gates.list[*gate].inputs.push(node)),
            }
            gates.above[node] = above;
        }
        gates
    }

    fn list(&mut self, way: &Arrangement, network: &Network) {
        for switch in &way.switching {
            let place = switch.place();
            let hours = switch.hours().map(|(from, to)| (from.hours(), to.hours()));
            if let Some(known) = self.list.iter_mut().find(|it| it.place == place) {
                known.hours.get_or_insert_default().extend(hours);
                known.by_hand |= switch.by_hand == Some(true);
                continue;
            }
            let port = switch.port.as_ref().map(crate::site::plan::Id::as_str);
            let Some(switched) = switched(network, switch.item.as_str(), port) else {
                continue;
            };
            self.list.push(Gate {
                switched,
                place,
                hours: (switch.when == SwitchedWhen::Hours).then(|| hours.into_iter().collect()),
                standby_w: switch.standby_w.as_ref().map_or(0.0, Figure::get),
                by_hand: switch.by_hand == Some(true),
                there: ALWAYS,
                devices: Vec::new(),
                inputs: Vec::new(),
            });
        }
    }

    /// Puts in what is there only for a while.
    fn window(&mut self, network: &Network, windows: &[(&str, (f64, f64))]) {
        for (place, there) in windows {
            if let Some(known) = self.list.iter_mut().find(|it| it.place == *place) {
                known.there = *there;
                continue;
            }
            let (item, port) = place
                .split_once('/')
                .map_or((*place, None), |it| (it.0, Some(it.1)));
            let Some(switched) = switched(network, item, port) else {
                continue;
            };
            self.list.push(Gate {
                switched,
                place: (*place).to_owned(),
                hours: Some(vec![(0.0, 24.0)]),
                standby_w: 0.0,
                by_hand: true,
                there: *there,
                devices: Vec::new(),
                inputs: Vec::new(),
            });
        }
    }

    /// Whether nothing is switched.
    pub(crate) fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// The gates above a device.
    pub(crate) fn above_device(&self, device: usize) -> &[usize] {
        &self.above_device[device]
    }

    /// Which gates are open: those by the clock at an hour of the day, and those with a load where
    /// a device or a charging input behind calls that no clock keeps off.
    pub(crate) fn open(
        &self,
        hour: f64,
        device: impl Fn(usize) -> bool,
        input: impl Fn(usize) -> bool,
    ) -> Vec<bool> {
        let by_clock: Vec<bool> = self.list.iter().map(|it| it.may_be_open(hour)).collect();
        self.open_with(&by_clock, device, input)
    }

    /// [`Gates::open`] with every clock on.
    pub(crate) fn open_by_load(
        &self,
        device: impl Fn(usize) -> bool,
        input: impl Fn(usize) -> bool,
    ) -> Vec<bool> {
        self.open_with(&vec![true; self.list.len()], device, input)
    }

    fn open_with(
        &self,
        by_clock: &[bool],
        device: impl Fn(usize) -> bool,
        input: impl Fn(usize) -> bool,
    ) -> Vec<bool> {
        let free = |above: &[usize]| above.iter().all(|it| by_clock[*it]);
        let called = |gate: &Gate| {
            gate.devices
                .iter()
                .any(|it| free(&self.above_device[*it]) && device(*it))
                || gate
                    .inputs
                    .iter()
                    .any(|it| free(&self.above[*it]) && input(*it))
        };
        self.list
            .iter()
            .zip(by_clock)
            .map(|(gate, open)| *open && (gate.hours.is_some() || called(gate)))
            .collect()
    }

    /// Whether something above a feed is shut.
    pub(crate) fn is_shut(&self, node: usize, open: &[bool]) -> bool {
        self.above[node].iter().any(|it| !open[*it])
    }

    /// Switches a network as the gates are, and nothing else; where nothing is switched, nothing is
    /// done.
    pub(crate) fn apply(&self, solver: &mut Solver<'_>, open: &[bool]) {
        if self.is_empty() {
            return;
        }
        let feeds: Vec<bool> = (0..self.above.len())
            .map(|it| self.is_shut(it, open))
            .collect();
        self.standby(
            open,
            |gate| !matches!(gate.switched, Switched::Stage { node, .. } if feeds[node]),
            &mut solver.standby,
        );
        for (off, standby) in solver.port_off.iter_mut().zip(&solver.standby.ports) {
            *off = standby.is_some();
        }
        solver.any_off = feeds.iter().any(|it| *it);
        solver.node_off = feeds;
    }

    /// Writes down what each shut gate draws that is itself fed. What hangs below something that is
    /// shut does not even stand by.
    pub(crate) fn standby(
        &self,
        open: &[bool],
        is_fed: impl Fn(&Gate) -> bool,
        into: &mut Standby,
    ) {
        into.clear();
        for (gate, _) in self
            .list
            .iter()
            .zip(open)
            .filter(|it| !*it.1 && is_fed(it.0))
        {
            match gate.switched {
                Switched::Stage { stage, .. } => into.stages[stage] = Some(gate.standby_w),
                Switched::Port(port) => into.ports[port] = Some(gate.standby_w),
            }
        }
    }
}
