//! Single values read from a solved state without naming everything.

use super::build::{End, Network, Supply};
use super::solve::{Broken, Solver};

/// A single value of a state. Indices are those of the network that it was made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reading {
    /// Output of a port, W.
    PortWatts(usize),
    /// Output of a port, V·A.
    PortVoltAmps(usize),
    /// Output of a port, A.
    PortAmps(usize),
    /// What a port loses because it is on, W.
    PortIdle(usize),
    /// Current from a source's terminals, A.
    SourceAmps(usize),
    /// Power from a source's terminals, W.
    SourceWatts(usize),
    /// Voltage at the terminals of a source with cells, V.
    TerminalVolts(usize),
    /// Voltage that a feed would have if nothing flowed: its regulated port's, or its store's
    /// open-circuit one, V.
    SupplyVolts(usize),
    /// Voltage at the near end of a feed, V.
    NearVolts(usize),
    /// Voltage at the far end of a feed, V.
    FarVolts(usize),
    /// Power that a feed takes at its near end, W.
    FeedWatts(usize),
    /// Current of a feed, A.
    FeedAmps(usize),
    /// Voltage lost in a feed as a share of its near end's.
    DropShare(usize),
    /// Output of the converter at the far end of a feed, W.
    StageOut(usize),
    /// What the converter at the far end of a feed loses because it is on, W.
    StageIdle(usize),
    /// 1 where the lead of a feed, or its source, cannot carry its load; else 0.
    Broken(usize),
}

impl Network {
    /// Every feed in use: its place in readings, and its index in the arrangement.
    pub fn feeds(&self) -> impl Iterator<Item = (usize, usize)> {
        self.nodes
            .iter()
            .enumerate()
            .map(|(node, it)| (node, it.feed))
    }

    /// Whether it has a charging input.
    pub(crate) fn fills(&self) -> bool {
        self.nodes.iter().any(|it| matches!(it.end, End::Input(_)))
    }

    /// Puts another lead there, to see what it would do.
    pub(crate) fn set_lead(&mut self, node: usize, lead: crate::site::wire::Lead) {
        self.nodes[node].lead = lead;
    }

    /// What a converter, or a port as `source/port`, draws for being on, W, where it is in use.
    pub(crate) fn idle(&self, id: &str) -> Option<f64> {
        let converter = self
            .converters
            .iter()
            .find(|it| it.id == id && !it.junction)
            .map(|it| it.law.idle_w);
        converter.or_else(|| {
            self.ports
                .iter()
                .find(|it| it.name == id && it.source.is_some())
                .map(|it| it.law.idle_w)
        })
    }

    /// Converters, junctions apart, and ports of sources as `source/port`, that draw something for
    /// being on.
    pub(crate) fn idlers(&self) -> impl Iterator<Item = &str> {
        let converters = self
            .converters
            .iter()
            .filter(|it| !it.junction && it.law.idle_w > 0.0)
            .map(|it| it.id.as_str());
        let ports = self
            .ports
            .iter()
            .filter(|it| it.source.is_some() && it.law.idle_w > 0.0)
            .map(|it| it.name.as_str());
        converters.chain(ports)
    }

    /// Gives a converter or port another draw for being on, W, to see what it would do.
    pub(crate) fn set_idle(&mut self, id: &str, watts: f64) {
        let converters = self
            .converters
            .iter_mut()
            .filter(|it| it.id == id)
            .map(|it| &mut it.law);
        let ports = self
            .ports
            .iter_mut()
            .filter(|it| it.name == id)
            .map(|it| &mut it.law);
        converters.chain(ports).for_each(|law| law.idle_w = watts);
    }

    /// The place of a port in readings, where it is in use.
    pub fn port_index(&self, item: &str, port: &str) -> Option<usize> {
        let matches = |name: &str| {
            name.strip_prefix(item)
                .and_then(|rest| rest.strip_prefix('/'))
                == Some(port)
        };
        self.ports.iter().position(|it| matches(&it.name))
    }
}

impl Solver<'_> {
    /// Reads one value; `None` where the place is dark.
    pub fn read(&self, reading: Reading) -> Option<f64> {
        let (network, state) = (self.network(), &self.state);
        let lit = |node: usize| state.alive[node].then_some(node);
        let stage = |node: usize| match network.nodes[node].end {
            End::Converter(stage) => lit(node).map(|_| stage),
            _ => None,
        };
        match reading {
            Reading::PortWatts(port) => Some(state.port_out[port].0),
            Reading::PortAmps(port) => Some(state.port_out[port].1),
            Reading::PortVoltAmps(port) => {
                let leaving = network
                    .nodes
                    .iter()
                    .enumerate()
                    .filter(|(_, it)| it.port == port);
                Some(
                    leaving
                        .map(|(node, _)| state.near[node] * state.amps[node])
                        .sum(),
                )
            }
            Reading::PortIdle(port) => Some(self.port_loss(port)[0]),
            Reading::SourceAmps(source) => Some(state.terminals[source].1),
            Reading::SourceWatts(source) => Some(state.drawn[source]),
            Reading::TerminalVolts(source) => network.sources[source]
                .cells
                .as_ref()
                .map(|_| state.terminals[source].0),
            Reading::SupplyVolts(node) => {
                let region = network
                    .regions
                    .iter()
                    .find(|it| (it.first..it.end).contains(&node))?;
                Some(match region.supply {
                    Supply::Fixed(volts) => volts,
                    Supply::Terminals(source) => {
                        let (volts, amps) = state.terminals[source];
                        volts + amps * state.inner[source]
                    }
                })
            }
            Reading::NearVolts(node) => lit(node).map(|it| state.near[it]),
            Reading::FeedWatts(node) => lit(node)
                .map(|it| state.watts[it] + state.amps[it] * state.amps[it] * state.ohms[it]),
            Reading::FarVolts(node) => lit(node).map(|it| state.volts[it]),
            Reading::FeedAmps(node) => lit(node).map(|it| state.amps[it]),
            Reading::DropShare(node) => {
                let lit = lit(node).filter(|it| state.near[*it] > 0.0);
                lit.map(|it| state.amps[it] * state.ohms[it] / state.near[it])
            }
            Reading::StageOut(node) => stage(node).map(|it| state.stage_out[it]),
            Reading::StageIdle(node) => stage(node).map(|it| network.converters[it].law.idle_w),
            Reading::Broken(node) => {
                let port = &network.ports[network.nodes[node].port];
                let source_broken = port
                    .source
                    .is_some_and(|it| state.broken.contains(&Broken::Terminals(it)));
                Some(f64::from(
                    source_broken || state.broken.contains(&Broken::Node(node)),
                ))
            }
        }
    }
}
