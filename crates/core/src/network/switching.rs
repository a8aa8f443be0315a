//! Switching parts of a network off, and reading a solved state by its places.

use super::build::{Binds, ChargeInput, End, Network, Takes};
use super::solve::Solver;
use super::standby::Standby;

/// The feed that leaves a source, and all that ends behind it, by their places.
#[derive(Debug, Clone)]
pub(crate) struct Behind {
    pub(crate) top: usize,
    pub(crate) ends: Vec<usize>,
}

impl Network {
    /// Whether nothing but charging inputs hangs behind a port.
    pub(crate) fn only_fills(&self, port: usize) -> bool {
        let ends =
            (0..self.nodes.len()).filter(|it| !matches!(self.nodes[*it].end, End::Converter(_)));
        let mut behind = ends
            .filter(|it| self.port_of(self.top_of(*it)) == port)
            .peekable();
        behind.peek().is_some() && behind.all(|it| matches!(self.nodes[it].end, End::Input(_)))
    }

    /// The port that a feed leaves, by its place.
    pub(crate) fn port_of(&self, node: usize) -> usize {
        self.nodes[node].port
    }

    /// The feed that leaves the source at the beginning of a feed's chain.
    pub(crate) fn top_of(&self, node: usize) -> usize {
        let mut at = node;
        // A chain has no more feeds than there are.
        for _ in 0..self.nodes.len() {
            let Some(stage) = self.ports[self.nodes[at].port].converter else {
                break;
            };
            let into = self
                .nodes
                .iter()
                .position(|it| matches!(it.end, End::Converter(own) if own == stage));
            let Some(into) = into else { break };
            at = into;
        }
        at
    }

    /// All that ends behind the feed that leaves the source of a feed's chain.
    pub(crate) fn behind(&self, node: usize) -> Behind {
        let top = self.top_of(node);
        let ends =
            (0..self.nodes.len()).filter(|it| !matches!(self.nodes[*it].end, End::Converter(_)));
        Behind {
            top,
            ends: ends.filter(|it| self.top_of(*it) == top).collect(),
        }
    }

    /// The charging input at the far end of a feed as it is held down: what binds it at so many
    /// volts.
    pub(crate) fn binds(&self, node: usize, near_v: f64, far_v: f64) -> Option<Binds> {
        let End::Input(input) = &self.nodes[node].end else {
            return None;
        };
        Some(input.binds(near_v, far_v))
    }

    /// How many ports are in use.
    pub(crate) fn ports_len(&self) -> usize {
        self.ports.len()
    }

    /// The source that a port belongs to, by its place, unless it is a converter's.
    pub(crate) fn port_source(&self, port: usize) -> Option<usize> {
        self.ports[port].source
    }

    /// The converter that a port belongs to, by its place, unless it is a source's.
    pub(crate) fn port_converter(&self, port: usize) -> Option<usize> {
        self.ports[port].converter
    }

    /// What arrives at a charging input of what arrives in full light, 0 to 1, where its panel
    /// gives so much of its most: less by what a converter between takes to be on.
    pub(crate) fn in_light(&self, node: usize, light: f64) -> f64 {
        let End::Input(ChargeInput {
            panel: Some((watts, law)),
            gives_w,
            ..
        }) = &self.nodes[node].end
        else {
            return light;
        };
        if *gives_w > 0.0 {
            (law.output(watts * light) / gives_w).min(1.0)
        } else {
            0.0
        }
    }

    /// The id of a converter, by its place.
    pub(crate) fn converter_id(&self, place: usize) -> &str {
        &self.converters[place].id
    }

    /// The port's name, `item/port`.
    pub(crate) fn port_name(&self, port: usize) -> &str {
        &self.ports[port].name
    }

    /// The device at the far end of a feed, by its place in [`Network::loads`].
    pub(crate) fn device_at(&self, node: usize) -> Option<usize> {
        if let End::Device(device) = self.nodes[node].end {
            Some(device)
        } else {
            None
        }
    }

    /// The converter at the far end of a feed, by its place.
    pub(crate) fn converter_at(&self, node: usize) -> Option<usize> {
        if let End::Converter(stage) = self.nodes[node].end {
            Some(stage)
        } else {
            None
        }
    }

    /// The source that is charged at the far end of a feed, and how much of what arrives is stored,
    /// 0 to 1.
    pub(crate) fn input_at(&self, node: usize) -> Option<(&str, f64)> {
        if let End::Input(input) = &self.nodes[node].end {
            Some((&input.source, input.stored_share))
        } else {
            None
        }
    }

    /// How many devices are in use.
    pub(crate) fn devices_len(&self) -> usize {
        self.devices.len()
    }

    /// The id of a device by its place in [`Network::loads`].
    pub(crate) fn device_id(&self, device: usize) -> &str {
        &self.devices[device].id
    }

    /// How many sources are in use.
    pub(crate) fn sources_len(&self) -> usize {
        self.sources.len()
    }

    /// Open-circuit voltage of a source by its place at a state of charge of 0 to 1, V; 0 for one
    /// without cells.
    pub(crate) fn open_volts_of(&self, source: usize, soc: f64) -> f64 {
        let cells = self.sources[source].cells.as_ref();
        cells.map_or(0.0, |it| {
            (it.chemistry.cell_v(soc) + it.bent_v.0 + it.bent_v.1 * (soc - 0.5)) * it.count
        })
    }

    /// Moves the voltage of a source's cells away from what their chemistry says, V a cell.
    pub(crate) fn bend(&mut self, source: usize, shift_v: f64, tilt_v: f64) {
        if let Some(cells) = self.sources[source].cells.as_mut() {
            cells.bent_v = (shift_v, tilt_v);
        }
    }

    /// Own resistance of a source by its place, Ω; 0 for one without cells.
    pub(crate) fn internal_ohm(&self, source: usize) -> f64 {
        self.sources[source]
            .cells
            .as_ref()
            .map_or(0.0, |it| it.internal_ohm)
    }

    /// Whether a source stands at the voltage of its cells.
    pub(crate) fn has_cells(&self, source: usize) -> bool {
        self.sources[source].cells.is_some()
    }
}

impl Solver<'_> {
    /// Own resistance of a source by its place, in the state that was solved, Ω; 0 for one without
    /// cells.
    pub(crate) fn inner_ohms(&self, source: usize) -> f64 {
        self.state.inner[source]
    }

    /// Resistance of the lead of a feed at what flows through it, Ω.
    pub(crate) fn ohms_at(&self, node: usize) -> f64 {
        self.state.ohms[node]
    }

    /// Lets the input at the far end of a feed take this much of what it would, 0 to 1, until the
    /// next call.
    pub(crate) fn take(&mut self, node: usize, share: f64) {
        self.takes[node].share = share;
    }

    /// Whether the input at the far end of a feed takes anything.
    pub(crate) fn is_taking(&self, node: usize) -> bool {
        self.takes[node].share > 0.0
    }

    /// Switches feeds and ports off until the next call: a feed that is off carries nothing and
    /// whatever hangs below it must be off too; a port that is off does not even idle. `takes` says
    /// for every feed into a charging input how much the input takes.
    pub(crate) fn switch(&mut self, feeds_off: &[bool], ports_off: &[bool], takes: &[Takes]) {
        self.node_off.copy_from_slice(feeds_off);
        self.port_off.copy_from_slice(ports_off);
        self.takes.copy_from_slice(takes);
        self.any_off = feeds_off.iter().any(|it| *it);
    }

    /// Lets what is switched off draw its standby until the next call.
    pub(crate) fn stand_by(&mut self, standby: &Standby) {
        self.standby.clone_from(standby);
    }

    /// Begins at the last state from now on, which is quicker where little changes from one to the
    /// next.
    pub(crate) fn keep_warm(&mut self) {
        self.warm = true;
    }

    /// Whether a feed carries anything.
    pub(crate) fn is_lit(&self, node: usize) -> bool {
        self.state.alive[node]
    }

    /// Voltage at the far end of a feed, V; 0 where it is dark.
    pub(crate) fn volts_at(&self, node: usize) -> f64 {
        self.state.volts[node]
    }

    /// Voltage at the near end of a feed, V, whether it carries anything or not.
    pub(crate) fn near_at(&self, node: usize) -> f64 {
        self.state.near[node]
    }

    /// Current of a feed, A.
    pub(crate) fn amps_at(&self, node: usize) -> f64 {
        self.state.amps[node]
    }

    /// Power at the far end of a feed, W.
    pub(crate) fn watts_at(&self, node: usize) -> f64 {
        self.state.watts[node]
    }

    /// What is taken for a charging input where its chain begins, W: of the feed that leaves the
    /// source, as much as the input has of all that ends behind that feed.
    pub(crate) fn taken_for(&self, node: usize, behind: &Behind) -> f64 {
        let mine = self.state.watts[node];
        if mine <= 0.0 {
            return 0.0;
        }
        let top = behind.top;
        let all: f64 = behind.ends.iter().map(|it| self.state.watts[*it]).sum();
        let near = self.state.watts[top]
            + self.state.amps[top] * self.state.amps[top] * self.state.ohms[top];
        near * mine / all.max(mine)
    }

    /// Output of a port, W.
    pub(crate) fn port_watts(&self, port: usize) -> f64 {
        self.state.port_out[port].0
    }

    /// What a converter at the far end of a feed loses, split in what it takes to be on and what
    /// comes with its load, W.
    pub(crate) fn loss_at(&self, node: usize) -> [f64; 2] {
        let network = self.network();
        match network.nodes[node].end {
            End::Converter(stage) if self.state.alive[node] => {
                let [idle, proportional, quadratic] = self.stage_loss(stage);
                [idle, proportional + quadratic]
            }
            _ => [0.0; 2],
        }
    }

    /// What a port loses on its way from the store, split as [`Solver::loss_at`], W.
    pub(crate) fn loss_of_port(&self, port: usize) -> [f64; 2] {
        let [idle, proportional, quadratic] = self.port_loss(port);
        [idle, proportional + quadratic]
    }

    /// Voltage at the terminals of a source with cells, V.
    pub(crate) fn terminal_volts(&self, source: usize) -> f64 {
        self.state.terminals[source].0
    }
}
