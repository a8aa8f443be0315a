//! The steady state of a compiled network.
//!
//! Each region is solved by Newton's method on all its voltages at once. The currents of
//! the loads are convex in their voltages and the network's matrix is that of a tree, so
//! that from the no-load voltages downwards every step stays above the stable root and
//! the steps never cross it (monotone Newton, Ortega & Rheinboldt 1970, 13.3). A pivot
//! that is not positive means that the lead cannot carry more: a collapse. One step is one
//! sweep up the tree (currents as lines in the voltage) and one down, linear in the feeds.

use super::budgets::level;
use super::build::{ChargeInput, End, Network, Node, Region, Supply, Takes};
use super::load::Load;
use super::shares::{Budget, Leaf};
use super::standby::Standby;

/// Relative change of a voltage below which a step was the last that matters; the method
/// converges quadratically, so the state is then good to rounding.
const CLOSE: f64 = 1e-6;
/// The same where leads warm: their resistance follows the last step, and every step is a fixed
/// share nearer.
const CLOSE_WARM: f64 = 1e-11;
/// Rounds in which what takes what it gets is brought to its share, and how near is near enough.
const MOST_ROUNDS: usize = 40;
const SETTLED: f64 = 1e-9;
/// Steps after which a state is given up as having no stable solution.
const MOST_STEPS: usize = 100;

/// Where the state of one region breaks off.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Broken {
    /// This node's lead cannot carry its load.
    Node(usize),
    /// The own resistance of this source cannot.
    Terminals(usize),
}

/// The state of every node, port, converter and source. All arrays are in the network's order.
#[derive(Debug, Clone, Default)]
pub(super) struct State {
    /// Far-end voltage, V.
    pub(super) volts: Vec<f64>,
    /// Near-end voltage, V.
    pub(super) near: Vec<f64>,
    /// Current, A.
    pub(super) amps: Vec<f64>,
    /// Resistance of the lead at that current, Ω.
    pub(super) ohms: Vec<f64>,
    /// Power at the far end, W.
    pub(super) watts: Vec<f64>,
    /// Whether the node is alive: it and everything above it is fed.
    pub(super) alive: Vec<bool>,
    /// Output of each converter, W.
    pub(super) stage_out: Vec<f64>,
    /// Output and current of each port.
    pub(super) port_out: Vec<(f64, f64)>,
    /// Drawn from each source, W.
    pub(super) drawn: Vec<f64>,
    /// Internal resistance of each source, Ω.
    pub(super) inner: Vec<f64>,
    /// Terminal voltage and current of each source with cells.
    pub(super) terminals: Vec<(f64, f64)>,
    /// What broke off, in the order in which it was found.
    pub(super) broken: Vec<Broken>,
}

/// A solver that keeps its memory between moments.
#[derive(Debug, Clone)]
pub struct Solver<'a> {
    network: &'a Network,
    pub(super) state: State,
    slope: Vec<f64>,
    offset: Vec<f64>,
    /// Slope and offset of the currents of a node's children, gathered on the way up.
    below: Vec<(f64, f64)>,
    band: Vec<usize>,
    /// Nodes cut off because their lead cannot carry them.
    cut: Vec<bool>,
    /// Sources cut off because their own resistance cannot carry the load.
    dead: Vec<bool>,
    /// Real power that a node's children take at their near ends, W, from the last step.
    real: Vec<f64>,
    /// Feeds and ports that are switched off, and how much of their acceptance charging inputs
    /// take.
    pub(super) node_off: Vec<bool>,
    pub(super) port_off: Vec<bool>,
    pub(super) takes: Vec<Takes>,
    pub(super) any_off: bool,
    /// How much of what it would take each device and each charging input gets, 0 to 1.
    yields: Vec<f64>,
    gets: Vec<f64>,
    /// What each of the takers of each budget would take at its port, W.
    wants: Vec<Vec<f64>>,
    /// The most of each budget, W.
    most_w: Vec<f64>,
    /// Memory for loads that yield.
    given: Vec<Load>,
    /// Converters and ports that are switched off, and draw their standby.
    pub(super) standby: Standby,
    /// Whether it begins at the last state rather than at no load.
    pub(super) warm: bool,
}

impl<'a> Solver<'a> {
    /// A solver for `network`.
    pub fn new(network: &'a Network) -> Self {
        let n = network.nodes.len();
        let state = State {
            volts: vec![0.0; n],
            near: vec![0.0; n],
            amps: vec![0.0; n],
            ohms: network.nodes.iter().map(|it| it.lead.ohms).collect(),
            watts: vec![0.0; n],
            alive: vec![true; n],
            stage_out: vec![0.0; network.converters.len()],
            port_out: vec![(0.0, 0.0); network.ports.len()],
            drawn: vec![0.0; network.sources.len()],
            inner: vec![0.0; network.sources.len()],
            terminals: vec![(0.0, 0.0); network.sources.len()],
            broken: Vec::new(),
        };
        Self {
            network,
            state,
            slope: vec![0.0; n],
            offset: vec![0.0; n],
            below: vec![(0.0, 0.0); n],
            band: vec![usize::MAX; n],
            cut: vec![false; n],
            dead: vec![false; network.sources.len()],
            real: vec![0.0; n],
            node_off: vec![false; n],
            port_off: vec![false; network.ports.len()],
            takes: vec![Takes::ALL; n],
            any_off: false,
            yields: vec![1.0; network.devices.len()],
            gets: vec![1.0; n],
            wants: network
                .budgets
                .iter()
                .map(|it| vec![0.0; it.takers.len()])
                .collect(),
            most_w: network.budgets.iter().map(|it| it.most_w).collect(),
            given: Vec::new(),
            standby: Standby::none(network.converters.len(), network.ports.len()),
            warm: false,
        }
    }

    /// The network that is solved.
    pub(super) fn network(&self) -> &'a Network {
        self.network
    }

    /// Holds a budget down to so many watts from now on, by its place.
    pub(crate) fn hold(&mut self, budget: usize, most_w: f64) {
        self.most_w[budget] = most_w.min(self.network.budgets[budget].most_w);
    }

    /// Solves for `loads` (in the order of [`Network::loads`]) with each source's open-circuit
    /// voltage given by `open_v` (V, by source index).
    ///
    /// What takes what it gets is held down to what its budgets give: the takers' shares are scaled
    /// to the level of the water, and solved anew until that stands.
    pub fn solve(&mut self, loads: &[Load], open_v: &[f64]) {
        if self.network.budgets.is_empty() {
            self.solve_as_asked(loads, open_v);
            return;
        }
        self.yields.fill(1.0);
        self.gets.fill(1.0);
        self.solve_as_asked(loads, open_v);
        for (wants, budget) in self.wants.iter_mut().zip(&self.network.budgets) {
            for (want, taker) in wants.iter_mut().zip(&budget.takers) {
                *want = at_port(&self.state, taker.node);
            }
        }
        let mut given = std::mem::take(&mut self.given);
        for _ in 0..MOST_ROUNDS {
            if !self.divide() {
                break;
            }
            given.clear();
            // What is not of these loads stays as it is.
            given.extend(
                loads
                    .iter()
                    .enumerate()
                    .map(|(it, load)| load.times(self.yields.get(it).copied().unwrap_or(1.0))),
            );
            self.solve_as_asked(&given, open_v);
        }
        self.given = given;
    }

    /// Brings each taker to its share of its budgets: whether any was changed by more than counts.
    fn divide(&mut self) -> bool {
        let network = self.network;
        let mut changed = false;
        // Of two budgets the lesser rules.
        let mut factors: Vec<(Leaf, f64)> = Vec::new();
        for ((budget, wants), most_w) in network.budgets.iter().zip(&self.wants).zip(&self.most_w) {
            let (watts, amps) = total(&self.state, budget);
            let most = if amps > 0.0 {
                most_w.min(budget.most_a * watts / amps)
            } else {
                *most_w
            };
            let draws: Vec<f64> = budget
                .takers
                .iter()
                .map(|it| at_port(&self.state, it.node))
                .collect();
            let fixed = watts - draws.iter().sum::<f64>();
            let level = level(wants, most - fixed);
            for ((taker, draw), want) in budget.takers.iter().zip(&draws).zip(wants) {
                let target = want.min(level);
                let factor = if *draw > 1e-12 { target / draw } else { 1.0 };
                factors.extend(taker.leaves.iter().map(|leaf| (*leaf, factor)));
            }
        }
        let mut leaves: Vec<Leaf> = factors.iter().map(|it| it.0).collect();
        leaves.sort_by_key(|it| match it {
            Leaf::Device(place) => (0, *place),
            Leaf::Input(place) => (1, *place),
        });
        leaves.dedup();
        for leaf in leaves {
            let factor = factors
                .iter()
                .filter(|it| it.0 == leaf)
                .map(|it| it.1)
                .fold(f64::INFINITY, f64::min);
            let share = match leaf {
                Leaf::Device(place) => &mut self.yields[place],
                Leaf::Input(node) => &mut self.gets[node],
            };
            let next = (*share * factor).clamp(0.0, 1.0);
            changed |= (next - *share).abs() > SETTLED * share.max(1e-6);
            *share = next;
        }
        changed
    }

    /// How much of what it would take a device gets, 0 to 1; by its place in [`Network::loads`].
    pub(crate) fn share_of(&self, device: usize) -> f64 {
        self.yields[device]
    }

    /// What each taker gets of what it would take, at its port, and what holds it down.
    pub(crate) fn yielding(&self) -> Vec<Yielding> {
        let mut list: Vec<Yielding> = Vec::new();
        for ((budget, wants), most_w) in self
            .network
            .budgets
            .iter()
            .zip(&self.wants)
            .zip(&self.most_w)
        {
            for (taker, want) in budget.takers.iter().zip(wants) {
                let gets_w = at_port(&self.state, taker.node);
                for leaf in &taker.leaves {
                    let share = match leaf {
                        Leaf::Device(place) => self.yields[*place],
                        Leaf::Input(node) => self.gets[*node],
                    };
                    let (watts, amps) = total(&self.state, budget);
                    // The one that is full is the one that holds it down.
                    let full = watts >= most_w * 0.999 || amps >= budget.most_a * 0.999;
                    if share < 1.0 && full && !list.iter().any(|it| it.leaf == *leaf) {
                        list.push(Yielding {
                            leaf: *leaf,
                            place: budget.place.clone(),
                            gets_w,
                            wants_w: *want,
                        });
                    }
                }
            }
        }
        list
    }

    /// [`Solver::solve`] with nothing held down any further.
    fn solve_as_asked(&mut self, loads: &[Load], open_v: &[f64]) {
        crate::ground::work::step();
        self.cut.copy_from_slice(&self.node_off);
        self.dead.fill(false);
        self.state.broken.clear();
        for ((inner, source), open_v) in self
            .state
            .inner
            .iter_mut()
            .zip(&self.network.sources)
            .zip(open_v)
        {
            *inner = source.cells.as_ref().map_or(0.0, |it| it.ohms_at(*open_v));
        }
        self.state.stage_out.fill(0.0);
        self.state.port_out.fill((0.0, 0.0));
        for index in (0..self.network.regions.len()).rev() {
            // What cannot be carried is cut off and recorded, until the rest of the region stands.
            while let Err(broken) = self.region(index, loads, open_v) {
                self.cut_off(index, broken);
            }
        }
        self.draw();
        self.spread_darkness();
    }

    /// Cuts off what broke. Each round cuts something new, so that the rounds end.
    fn cut_off(&mut self, region: usize, broken: Broken) {
        let range = &self.network.regions[region];
        match broken {
            Broken::Terminals(source) => self.dead[source] = true,
            Broken::Node(node) if !self.cut[node] => self.cut[node] = true,
            Broken::Node(_) => self.cut[range.first..range.end].fill(true),
        }
        self.state.broken.push(broken);
    }

    /// What a port loses on its way from the store, split in three, W; nothing where its source is
    /// cut off.
    pub(super) fn port_loss(&self, port: usize) -> [f64; 3] {
        let outlet = &self.network.ports[port];
        if outlet.source.is_some_and(|it| self.dead[it]) {
            return [0.0; 3];
        }
        match (self.standby.ports[port], self.port_off[port]) {
            (Some(standby), _) => [standby, 0.0, 0.0],
            (None, true) => [0.0; 3],
            (None, false) => outlet.law.split(self.state.port_out[port].0),
        }
    }

    /// What a converter that is fed loses, split in three, W: its standby where it is switched off.
    pub(super) fn stage_loss(&self, stage: usize) -> [f64; 3] {
        match self.standby.stages[stage] {
            Some(standby) => [standby, 0.0, 0.0],
            None => self.network.converters[stage]
                .law
                .split(self.state.stage_out[stage]),
        }
    }

    /// Power drawn from all sources together, W.
    pub fn drawn_w(&self) -> f64 {
        self.state.drawn.iter().sum()
    }

    /// Power drawn from one source, W, and its current where it is a store of charge, A.
    pub fn source(&self, index: usize) -> (f64, f64) {
        (self.state.drawn[index], self.state.terminals[index].1)
    }

    /// Whether every lead carries its load.
    pub fn is_stable(&self) -> bool {
        self.state.broken.is_empty()
    }

    /// The state of one region, or where it breaks off.
    fn region(&mut self, index: usize, loads: &[Load], open_v: &[f64]) -> Result<(), Broken> {
        if self.warm
            && self.is_near(index, open_v)
            && self.region_from(index, loads, open_v, true).is_ok()
        {
            return Ok(());
        }
        self.region_from(index, loads, open_v, false)
    }

    /// Whether the last voltages of a region stand above this share of its supply's. There a state
    /// is the only one: with I = P/V the row sums of ∂(V₀ − V)/∂V are at most (V₀ − V)/V, which is
    /// below 1 where V is above V₀/2, so that the drops are a contraction (Banach), and whichever
    /// way leads to it ends in the stable root.
    fn is_near(&self, index: usize, open_v: &[f64]) -> bool {
        const NEAR: f64 = 0.7;
        let region = &self.network.regions[index];
        let supply_v = match region.supply {
            Supply::Fixed(volts) => volts,
            Supply::Terminals(source) => open_v[source],
        };
        (region.first..region.end).all(|it| self.cut[it] || self.state.volts[it] > NEAR * supply_v)
    }

    fn region_from(
        &mut self,
        index: usize,
        loads: &[Load],
        open_v: &[f64],
        near: bool,
    ) -> Result<(), Broken> {
        let region = &self.network.regions[index];
        let supply = self.supply(region, open_v);
        for node in region.first..region.end {
            if !near || self.cut[node] {
                self.state.volts[node] = supply.open_v;
                self.state.ohms[node] = self.network.nodes[node].lead.ohms;
            }
            self.band[node] = usize::MAX;
        }
        for _ in 0..MOST_STEPS {
            let (slope, offset) = if supply.dead {
                (0.0, 0.0)
            } else {
                self.up(region, loads)?
            };
            let bus = supply.voltage(slope, offset).ok_or(supply.broken)?;
            if supply.dead || !self.down(region, bus)? {
                if near && !self.is_near(index, open_v) {
                    return Err(supply.broken);
                }
                if let Supply::Terminals(source) = region.supply {
                    self.state.terminals[source] =
                        (bus, offset + slope * bus + supply.regulated_w / bus);
                }
                self.finish(region, loads, supply.dead);
                return Ok(());
            }
        }
        // No stable state was found in bounds: name the lead that is nearest to its limit.
        let open = (region.first..region.end).filter(|&it| !self.cut[it]);
        let strain = |it: usize| self.slope[it] * self.state.ohms[it];
        let worst = open.min_by(|&a, &b| strain(a).total_cmp(&strain(b)));
        Err(worst.map_or(supply.broken, Broken::Node))
    }

    fn supply(&self, region: &Region, open_v: &[f64]) -> Bus {
        let source = match region.supply {
            Supply::Fixed(volts) => {
                return Bus {
                    open_v: volts,
                    ohms: 0.0,
                    regulated_w: 0.0,
                    dead: false,
                    broken: Broken::Node(region.first),
                };
            }
            Supply::Terminals(source) => source,
        };
        let ports = self
            .network
            .ports
            .iter()
            .zip(&self.state.port_out)
            .zip(&self.port_off);
        let regulated =
            ports.filter(|((it, _), off)| it.source == Some(source) && !it.follows && !**off);
        let regulated_w: f64 = regulated.map(|((it, out), _)| it.law.input(out.0)).sum();
        let of_source = |it: usize| self.network.ports[it].source == Some(source);
        let standby = self
            .standby
            .ports
            .iter()
            .enumerate()
            .filter(|it| of_source(it.0));
        let regulated_w = standby
            .filter_map(|it| *it.1)
            .fold(regulated_w, |all, it| all + it);
        let dead = self.dead[source];
        Bus {
            open_v: open_v[source],
            ohms: self.state.inner[source],
            regulated_w: if dead { 0.0 } else { regulated_w },
            dead,
            broken: Broken::Terminals(source),
        }
    }

    /// Currents as lines in the voltage above them, from the leaves to the supply.
    fn up(&mut self, region: &Region, loads: &[Load]) -> Result<(f64, f64), Broken> {
        self.below[region.first..region.end].fill((0.0, 0.0));
        self.real[region.first..region.end].fill(0.0);
        let mut total = (0.0, 0.0);
        for index in (region.first..region.end).rev() {
            let node = &self.network.nodes[index];
            let (slope, offset) = self.line(index, node, loads);
            let pivot = 1.0 + slope * self.state.ohms[index];
            if pivot <= 1e-12 {
                return Err(Broken::Node(index));
            }
            let over_pivot = 1.0 / pivot;
            let (near_slope, near_offset) = (slope * over_pivot, offset * over_pivot);
            self.slope[index] = near_slope;
            self.offset[index] = near_offset;
            let sum = node
                .parent
                .map_or(&mut total, |parent| &mut self.below[parent]);
            sum.0 += near_slope;
            sum.1 += near_offset;
            if region.passes_power
                && let Some(parent) = node.parent
            {
                let amps = offset + slope * self.state.volts[index];
                self.real[parent] +=
                    self.real_power(index, node, loads) + amps * amps * self.state.ohms[index];
            }
        }
        Ok(total)
    }

    /// What a charging input would take if nothing that it hangs on held it down, its panel
    /// neither, W; nothing for what is none.
    pub(crate) fn wants_w(&self, node: usize) -> f64 {
        let End::Input(input) = &self.network.nodes[node].end else {
            return 0.0;
        };
        input.own_w(self.state.volts[node], self.takes[node].share)
    }

    /// What the panel before a charging input gives in this light, W; endless where none stands
    /// there.
    pub(crate) fn lit_w(&self, node: usize) -> f64 {
        match &self.network.nodes[node].end {
            End::Input(input) => input.gives_w * self.takes[node].light,
            _ => f64::INFINITY,
        }
    }

    /// Real power at a node's far end around the last voltage, W.
    fn real_power(&self, index: usize, node: &Node, loads: &[Load]) -> f64 {
        let volts = self.state.volts[index];
        match &node.end {
            _ if self.cut[index] => 0.0,
            End::Device(device) => loads[*device].power(volts),
            End::Input(input) => input.most_w(volts, self.takes[index]) * self.gets[index],
            End::Converter(stage) if self.standby.stages[*stage].is_some() => {
                self.standby.stages[*stage].unwrap_or_default()
            }
            End::Converter(stage) => {
                let law = self.network.converters[*stage].law;
                law.input(self.state.stage_out[*stage] + self.real[index])
            }
        }
    }

    /// Current of what stands at a node as a line in the node's voltage, around its last one.
    fn line(&mut self, index: usize, node: &Node, loads: &[Load]) -> (f64, f64) {
        if self.cut[index] {
            return (0.0, 0.0);
        }
        let volts = self.state.volts[index];
        let tangent = |(amps, slope): (f64, f64)| (slope, amps - slope * volts);
        match &node.end {
            End::Device(device) => tangent(loads[*device].current(volts)),
            End::Input(input) => {
                let (takes, gets) = (self.takes[index], self.gets[index]);
                let (amps, slope) = charge_current(input, (volts, takes), &mut self.band[index]);
                tangent((amps * gets, slope * gets))
            }
            End::Converter(stage) if self.standby.stages[*stage].is_some() => {
                let standby = self.standby.stages[*stage].unwrap_or_default();
                let amps = standby / (volts * self.network.converters[*stage].power_factor);
                tangent((amps, -amps / volts))
            }
            End::Converter(stage) => {
                let (stage, solved) = (
                    &self.network.converters[*stage],
                    self.state.stage_out[*stage],
                );
                let (slope, offset) = self.below[index];
                if stage.junction {
                    return (slope, offset);
                }
                // Output: what its regulated ports already draw, and what follows its input. The
                // power factor of the latter is that of the last step.
                let amps = offset + slope * volts;
                let out = solved + self.real[index];
                let factor = if amps > 0.0 {
                    self.real[index] / (amps * volts)
                } else {
                    1.0
                };
                let out_slope = if stage.follows {
                    (amps + slope * volts) * factor
                } else {
                    0.0
                };
                let input = stage.law.input(out);
                let gain = 1.0 + stage.law.proportional + 2.0 * stage.law.quadratic_per_w * out;
                let apparent = volts * stage.power_factor;
                tangent((
                    input / apparent,
                    gain * out_slope / apparent - input / (apparent * volts),
                ))
            }
        }
    }

    /// Voltages from the supply to the leaves: whether any of them still moves.
    fn down(&mut self, region: &Region, bus: f64) -> Result<bool, Broken> {
        let mut moves = false;
        let close = if region.warms { CLOSE_WARM } else { CLOSE };
        for index in region.first..region.end {
            let node = &self.network.nodes[index];
            let near = node.parent.map_or(bus, |parent| self.state.volts[parent]);
            let amps = self.offset[index] + self.slope[index] * near;
            let ohms = node.lead.at(amps);
            let volts = near - amps * ohms;
            if volts.is_nan() || volts <= 0.0 {
                return Err(Broken::Node(index));
            }
            moves |= (volts - self.state.volts[index]).abs() > close * volts;
            self.state.near[index] = near;
            self.state.amps[index] = amps;
            self.state.ohms[index] = ohms;
            self.state.volts[index] = volts;
        }
        Ok(moves)
    }

    /// Powers at the far ends, leaves first, and the power factor of what follows.
    fn finish(&mut self, region: &Region, loads: &[Load], dead: bool) {
        for index in (region.first..region.end).rev() {
            let node = &self.network.nodes[index];
            let volts = self.state.volts[index];
            self.state.watts[index] = match &node.end {
                _ if dead || self.cut[index] => 0.0,
                End::Device(device) => loads[*device].power(volts),
                End::Input(_) => volts * self.state.amps[index],
                End::Converter(stage) => self.standby.stages[*stage].unwrap_or_else(|| {
                    self.network.converters[*stage]
                        .law
                        .input(self.state.stage_out[*stage])
                }),
            };
            if dead {
                self.state.amps[index] = 0.0;
            }
            self.pass_on(index);
        }
    }

    /// Adds what a feed takes at its near end to the port that it leaves.
    fn pass_on(&mut self, index: usize) {
        let node = &self.network.nodes[index];
        let amps = self.state.amps[index];
        let watts = self.state.watts[index] + amps * amps * self.state.ohms[index];
        let port = &mut self.state.port_out[node.port];
        port.0 += watts;
        port.1 += amps;
        if let Some(stage) = self.network.ports[node.port].converter {
            self.state.stage_out[stage] += watts;
        }
    }

    /// Draws from the stores what their ports take.
    fn draw(&mut self) {
        for (index, source) in self.network.sources.iter().enumerate() {
            let (volts, amps) = self.state.terminals[index];
            self.state.drawn[index] = if source.cells.is_some() {
                volts * amps
            } else {
                0.0
            };
        }
        let ports = self
            .network
            .ports
            .iter()
            .zip(&self.state.port_out)
            .zip(&self.port_off);
        for ((port, (watts, _)), _) in ports.filter(|(_, off)| !**off) {
            if let Some(source) = port
                .source
                .filter(|&it| self.network.sources[it].cells.is_none())
            {
                self.state.drawn[source] += port.law.input(*watts);
            }
        }
        for (port, standby) in self.network.ports.iter().zip(&self.standby.ports) {
            if let (Some(source), Some(standby)) = (port.source, standby)
                && self.network.sources[source].cells.is_none()
            {
                self.state.drawn[source] += standby;
            }
        }
    }

    /// What hangs below a cut lead or a dead source is dark. Nodes stand parents first.
    fn spread_darkness(&mut self) {
        self.state.alive.fill(true);
        if self.state.broken.is_empty() && !self.any_off {
            return;
        }
        let mut dark_stage = vec![false; self.network.converters.len()];
        for (index, node) in self.network.nodes.iter().enumerate() {
            let port = &self.network.ports[node.port];
            let above = port.converter.is_some_and(|it| dark_stage[it])
                || port.source.is_some_and(|it| self.dead[it]);
            if above {
                self.state.port_out[node.port] = (0.0, 0.0);
            }
            if above || self.cut[index] {
                self.state.alive[index] = false;
                (
                    self.state.amps[index],
                    self.state.watts[index],
                    self.state.volts[index],
                ) = (0.0, 0.0, 0.0);
                if let End::Converter(stage) = node.end {
                    dark_stage[stage] = true;
                    self.state.stage_out[stage] = 0.0;
                }
            }
        }
    }
}

/// What something that takes what it gets has at the port that it hangs on.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Yielding {
    pub(crate) leaf: Leaf,
    /// What holds it down: `item/port`, or `item/group`.
    pub(crate) place: String,
    pub(crate) gets_w: f64,
    pub(crate) wants_w: f64,
}

/// What a feed takes at its near end, W.
fn at_port(state: &State, node: usize) -> f64 {
    state.watts[node] + state.amps[node] * state.amps[node] * state.ohms[node]
}

/// What the ports of a budget give together, W and A.
fn total(state: &State, budget: &Budget) -> (f64, f64) {
    budget
        .ports
        .iter()
        .map(|it| state.port_out[*it])
        .fold((0.0, 0.0), |all, it| (all.0 + it.0, all.1 + it.1))
}

/// The supply of a region: a voltage behind a resistance, with constant powers beside.
struct Bus {
    open_v: f64,
    ohms: f64,
    regulated_w: f64,
    dead: bool,
    /// What to blame where it cannot carry its load.
    broken: Broken,
}

impl Bus {
    /// The voltage under a current of `offset + slope·V + regulated/V`; the stable root of
    /// the quadratic (1 + R·slope)·V² − (V₀ − R·offset)·V + R·P = 0, or none.
    fn voltage(&self, slope: f64, offset: f64) -> Option<f64> {
        let (a, b, c) = (
            1.0 + self.ohms * slope,
            self.open_v - self.ohms * offset,
            self.ohms * self.regulated_w,
        );
        let under = b * b - 4.0 * a * c;
        if a <= 1e-12 || b <= 0.0 || under < 0.0 {
            return None;
        }
        Some((b + under.sqrt()) / (2.0 * a))
    }
}

/// Current of a charging input at `volts` and its slope. A band once left downwards is not
/// taken up again within one solution, so that the edge of a band cannot make it swing.
fn charge_current(
    input: &ChargeInput,
    (volts, takes): (f64, Takes),
    band: &mut usize,
) -> (f64, f64) {
    let here = input
        .bands
        .iter()
        .filter(|(from, _)| volts >= *from)
        .count();
    // One band at a time: a step that shoots below them all must not shut the input for good.
    let least = if *band == usize::MAX {
        0
    } else {
        band.saturating_sub(1)
    };
    let at = here.min(*band).max(least);
    *band = at;
    let banded = if at < input.bands.len() {
        input
            .bands
            .get(at)
            .map_or(volts, |(from, _)| volts.min(*from * (1.0 - 1e-12)))
    } else {
        volts
    };
    if takes.share <= 0.0 {
        return (0.0, 0.0);
    }
    let allowed = input.allowed_a(banded) * takes.share;
    let by_power = (input.max_w * takes.share).min(input.gives_w * takes.light) / volts;
    if allowed <= by_power {
        (allowed, 0.0)
    } else {
        (by_power, -by_power / volts)
    }
}
