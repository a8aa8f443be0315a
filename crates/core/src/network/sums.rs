//! Sums over a solved state, and walks over its parts.

use super::build::End;
use super::solve::Solver;

/// Sums over a solved network, W.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Sums {
    pub(crate) drawn_w: f64,
    pub(crate) delivered_w: f64,
    pub(crate) idle_w: f64,
    pub(crate) cables_w: f64,
    /// Lost in converters and ports with their load.
    pub(crate) conversion_w: f64,
    /// Arriving at charging inputs.
    pub(crate) charging_w: f64,
    /// Lost in the stores' own resistance.
    pub(crate) internal_w: f64,
}

impl Solver<'_> {
    /// Sums over the state at hand.
    pub(crate) fn sums(&self) -> Sums {
        let (network, state) = (self.network(), &self.state);
        let mut sums = Sums {
            drawn_w: self.drawn_w(),
            ..Sums::default()
        };
        let mut split = |[idle, proportional, quadratic]: [f64; 3]| {
            sums.idle_w += idle;
            sums.conversion_w += proportional + quadratic;
        };
        for (index, node) in network.nodes.iter().enumerate() {
            if let End::Converter(stage) = node.end
                && state.alive[index]
            {
                split(self.stage_loss(stage));
            }
        }
        for port in 0..network.ports.len() {
            split(self.port_loss(port));
        }
        for (index, node) in network.nodes.iter().enumerate() {
            sums.cables_w += state.amps[index] * state.amps[index] * state.ohms[index];
            match node.end {
                End::Device(_) => sums.delivered_w += state.watts[index],
                End::Input(_) => sums.charging_w += state.watts[index],
                End::Converter(_) => {}
            }
        }
        for (inner, (_, amps)) in state.inner.iter().zip(&state.terminals) {
            sums.internal_w += inner * amps * amps;
        }
        sums
    }

    /// What reaches the store of a source through its inputs, W.
    pub(crate) fn charged_w(&self, source: &str) -> f64 {
        let nodes = self.network().nodes.iter().zip(&self.state.watts);
        let stored = nodes.map(|(node, watts)| match &node.end {
            End::Input(input) if input.source == source => watts * input.stored_share,
            _ => 0.0,
        });
        stored.sum()
    }

    /// Calls `each` with every device in use and what it draws, W.
    pub(crate) fn each_device(&self, mut each: impl FnMut(&str, f64)) {
        for (index, node) in self.network().nodes.iter().enumerate() {
            if let End::Device(device) = node.end {
                each(&self.network().devices[device].id, self.state.watts[index]);
            }
        }
    }

    /// Calls `each` with every source in use and what is drawn from it, W.
    pub(crate) fn each_source(&self, mut each: impl FnMut(&str, f64)) {
        for (source, watts) in self.network().sources.iter().zip(&self.state.drawn) {
            each(&source.id, *watts);
        }
    }

    /// Calls `each` with every converter that is fed, junctions apart, and its loss split in three,
    /// W.
    pub(crate) fn each_converter(&self, mut each: impl FnMut(&str, [f64; 3])) {
        for (index, node) in self.network().nodes.iter().enumerate() {
            if let End::Converter(stage) = node.end
                && self.state.alive[index]
            {
                let it = &self.network().converters[stage];
                if !it.junction {
                    each(&it.id, self.stage_loss(stage));
                }
            }
        }
    }

    /// Calls `each` with every port of a source in use and its own loss split in three, W.
    pub(crate) fn each_port(&self, mut each: impl FnMut(&str, [f64; 3])) {
        for (index, port) in self.network().ports.iter().enumerate() {
            if port.source.is_some() {
                each(&port.name, self.port_loss(index));
            }
        }
    }

    /// Calls `each` with every feed, by its place in the arrangement, and what its lead loses, W.
    pub(crate) fn each_lead(&self, mut each: impl FnMut(usize, f64)) {
        let flows = self.state.amps.iter().zip(&self.state.ohms);
        for (node, (amps, ohms)) in self.network().nodes.iter().zip(flows) {
            each(node.feed, amps * amps * ohms);
        }
    }

    /// What reaches the store of a source, by its place, through its inputs, W.
    pub(crate) fn charged_w_of(&self, source: usize) -> f64 {
        self.charged_w(&self.network().sources[source].id)
    }
}
