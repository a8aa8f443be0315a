//! The march: a state that moves in steps as long as accuracy allows, and stops where something
//! happens.
//!
//! Between events nothing switches. A step ends at the next edge of a schedule, after a hundredth
//! of a store at most, or where a threshold is crossed, which is found by bisection on the network
//! at the charge that is reached there. Charge and energies move by Heun's rule: the mean of the
//! rates at both ends of a step (second order).

use super::result::{DeviceRun, Doing, Event, Series, Simulation, SourceRun, StateSpan};
use super::setting::{Order, Setting};
use super::state::{Flow, Going, Gone, Mode, Stop, Turning, Warmth};
use crate::ground::say::Sentence;
use crate::network::{Load, Solver, Takes};
use crate::site::plan::{Arrangement, Outage, Plan};
use std::collections::{BTreeMap, HashMap};

/// Over so many seconds the mean current of a store is known that is drawn from in gulps.
const MEAN_S: f64 = 2.0 * 3600.0;
/// Halvings by which a crossing is found: a step of an hour to a hundredth of a second.
const HALVINGS: usize = 24;
/// Steps that are taken at most: several thermostats of a minute over a year have fewer.
const MOST_STEPS: usize = 4_000_000;
/// Events that are written down at most; what goes on like that has no end to it.
const MOST_EVENTS: usize = 50_000;
/// Stretches of a device that are written down at most; the last one goes on to the end.
const MOST_STRETCHES: usize = 20_000;
/// Where no store changes by more than this in a step, the rates at its beginning do for all of it.
const NO_CHANGE: f64 = 1e-4;
/// From this charge on a store counts as full, and below this one it is topped up again.
const IS_FULL: f64 = 1.0 - 1e-9;
const TOPS_UP: f64 = 0.998;
/// Light on a panel is taken anew after this, s.
const SUN_STEP: f64 = 900.0;

/// How finely it is marched, and what is kept on the way.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Fineness {
    /// Longest step, s; above 0.
    pub longest_s: f64,
    /// A step takes no more of a store than this share; above 0.
    pub most_share: f64,
    /// How near a crossing is found, s; above 0.
    pub exact_s: f64,
    /// Whether stretches and causes are kept; without them it is faster.
    pub told: bool,
    /// Whether causes say in how long something was drawn; not where the run is one of many, of
    /// which another time is told.
    pub timed: bool,
}

impl Default for Fineness {
    fn default() -> Self {
        Self {
            longest_s: 1800.0,
            most_share: 0.01,
            exact_s: 0.01,
            told: true,
            timed: true,
        }
    }
}

pub(super) struct March<'s> {
    pub(super) setting: &'s Setting<'s>,
    pub(super) fineness: Fineness,
    pub(super) solver: Solver<'s>,
    pub(super) judge: Solver<'s>,
    pub(super) t: f64,
    pub(super) soc: Vec<f64>,
    pub(super) going: Vec<Going>,
    pub(super) mains: bool,
    /// Why a port, a converter or a source is off, by place.
    pub(super) ports: Vec<Option<Gone>>,
    pub(super) stages: Vec<Option<Gone>>,
    pub(super) sources: Vec<Option<Gone>>,
    /// Fuses that have opened, by feed.
    pub(super) fuses: Vec<Option<Gone>>,
    /// When a converter that came back gives its output, s.
    pub(super) stage_ready: Vec<f64>,
    /// Feeds that wait for a hand until then, s.
    pub(super) hand_until: Vec<f64>,
    pub(super) fuel_l: Vec<f64>,
    pub(super) loads: Vec<Load>,
    pub(super) feeds_off: Vec<bool>,
    pub(super) ports_off: Vec<bool>,
    pub(super) takes: Vec<Takes>,
    /// Whether masks and loads must be made anew.
    pub(super) dirty: bool,
    /// Tells what is switched off.
    pub(super) masks: u64,
    /// Tells what is on, so that limits are judged once for each.
    pub(super) revision: u64,
    /// How hot each breaker is, 0 to 1.
    heat: Vec<f64>,
    /// How fast that changes now, 1/s.
    heating: Vec<f64>,
    /// States in which no limit was exceeded, and the charges at which they were judged.
    pub(super) cool: HashMap<u64, Vec<f64>>,
    /// How warm the cases of converters are, as [`Setting::warming`].
    pub(super) warmth: Vec<Warmth>,
    /// Since when a port that turns itself off has been below its threshold, s.
    idle_since: Vec<f64>,
    /// Since when a converter that bears it for a while has stood below its cut-out, s.
    pub(super) low_since: Vec<f64>,
    /// The mean current of each store over the last hours, A, and over how many seconds it is
    /// known.
    pub(super) mean_a: Vec<(f64, f64)>,
    /// Stores that are full, whose inputs take nothing until they have given some of it.
    pub(super) full: Vec<bool>,
    /// How often each converter has cut out soon after it came back, and when it cut out last, s.
    pub(super) chatter: Vec<(u32, f64)>,
    pub(super) last_start: f64,
    /// What is switched, and what is charged.
    pub(super) turning: Turning,
    pub(super) open_v: Vec<f64>,
    /// Whether the solver stands at nothing being on.
    pub(super) still: bool,
    pub(super) here: Flow,
    pub(super) there: Flow,
    /// What was lost at each feed and in each port so far, Wh; kept where causes are.
    pub(super) feeds_wh: Vec<[f64; 3]>,
    pub(super) ports_wh: Vec<[f64; 2]>,
    /// The same as [`Flow::at_inputs`], Wh.
    pub(super) inputs_wh: Vec<[f64; 2]>,
    /// Memory for what each store holds at the end of a step.
    reached: Vec<f64>,
    pub(super) found: Simulation,
    pub(super) runs: Vec<DeviceRun>,
    pub(super) store_runs: Vec<SourceRun>,
}

/// Marches an arrangement through an outage. With `series_s`, everything is noted every so many
/// seconds.
///
/// At the start the devices that are on run; one that comes on later goes through its starting
/// phases in order. Running is drawn at its average, limits are tested at busy.
pub fn simulate(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    series_s: Option<f64>,
) -> Simulation {
    march(
        &Setting::of(plan, way, outage),
        series_s,
        Fineness::default(),
    )
}

/// [`simulate`] on what was made ready, as finely as asked for.
pub fn march(setting: &Setting<'_>, series_s: Option<f64>, fineness: Fineness) -> Simulation {
    let mut march = March::new(setting, fineness);
    let step = series_s.filter(|it| *it > 0.0);
    // As many moments as can be drawn and kept.
    let step = step.map(|it| it.max(setting.end / 100_000.0));
    let step_s = step.unwrap_or(f64::INFINITY);
    let mut next_note = if step.is_some() { 0.0 } else { f64::INFINITY };
    let mut series = Series::default();
    let mut ended = false;
    for _ in 0..MOST_STEPS {
        if march.t >= next_note - 1e-6 {
            march.note(&mut series);
            next_note += step_s;
        }
        if march.t >= setting.end - 1e-9 {
            ended = true;
            break;
        }
        if march.found.events.len() >= MOST_EVENTS {
            break;
        }
        if fineness.told {
            march.step(next_note.min(setting.end));
        } else {
            next_note = march.step_past(next_note, step_s);
        }
    }
    if !ended {
        march.give_up();
    }
    march.finish(step.map(|_| series))
}

/// What meters would show at one moment.
#[derive(Debug, Clone, Default, PartialEq)]
pub(crate) struct Look {
    /// Charge of each store, 0 to 1.
    pub(crate) soc: Vec<f64>,
    /// At the terminals of each store, V.
    pub(crate) volts: Vec<f64>,
    /// Out of each store, A; below 0 where more goes in.
    pub(crate) amps: Vec<f64>,
    /// What its ports give out, W.
    pub(crate) out_w: Vec<f64>,
    /// What each device draws, W.
    pub(crate) device_w: Vec<f64>,
}

/// [`march`], with what meters would show at some moments, s in order; as far as the last of them,
/// where not the `whole` of it is wanted.
pub(crate) fn looked(
    setting: &Setting<'_>,
    moments: &[f64],
    fineness: Fineness,
    whole: bool,
) -> (Simulation, Vec<Look>) {
    let mut march = March::new(setting, fineness);
    let mut looks = Vec::with_capacity(moments.len());
    let mut left = moments.iter().copied().filter(|it| *it < setting.end);
    let mut next = left.next();
    for _ in 0..MOST_STEPS {
        while next.is_some_and(|it| march.t >= it - 1e-6) {
            looks.push(march.look());
            next = left.next();
        }
        let seen = !whole && next.is_none();
        if seen || march.t >= setting.end - 1e-9 || march.found.events.len() >= MOST_EVENTS {
            break;
        }
        march.step(next.unwrap_or(f64::INFINITY).min(setting.end));
    }
    (march.finish(None), looks)
}

impl<'s> March<'s> {
    fn look(&mut self) -> Look {
        self.settle();
        self.flow(true);
        let setting = self.setting;
        let volts: Vec<f64> = (0..setting.stores.len())
            .map(|it| self.volts_of(it, self.soc[it]))
            .collect();
        let amps = volts.iter().enumerate().map(|(index, volts)| {
            let into = if *volts > 0.0 {
                self.here.charged[index] / volts
            } else {
                0.0
            };
            self.here.amps[index] - into
        });
        let out = setting.stores.iter().map(|store| {
            let ports = 0..setting.network.ports_len();
            let own = ports.filter(|it| {
                store.place.is_some() && setting.network.port_source(*it) == store.place
            });
            own.filter(|it| !self.ports_off[*it])
                .map(|it| self.solver.port_watts(it))
                .sum()
        });
        let (amps, out_w) = (amps.collect(), out.collect());
        Look {
            soc: self.soc.clone(),
            amps,
            out_w,
            volts,
            device_w: self.here.devices.clone(),
        }
    }

    pub(super) fn new(setting: &'s Setting<'s>, fineness: Fineness) -> Self {
        let network = &setting.network;
        let (nodes, ports, sources) = (network.len(), network.ports_len(), network.sources_len());
        let flow = || Flow {
            devices: vec![0.0; setting.devices.len()],
            stores: vec![0.0; setting.stores.len()],
            rates: vec![0.0; setting.stores.len()],
            amps: vec![0.0; setting.stores.len()],
            charged: vec![0.0; setting.stores.len()],
            burnt: vec![0.0; sources],
            at_feeds: vec![[0.0; 3]; nodes],
            at_ports: vec![[0.0; 2]; ports],
            at_inputs: vec![[0.0; 2]; setting.inputs.len()],
            case_lost: vec![0.0; setting.warming.len()],
            ..Flow::default()
        };
        let fuel = setting
            .origins
            .iter()
            .map(|it| it.engine.map_or(f64::INFINITY, |it| it.fuel_l.get()));
        let mut march = Self {
            setting,
            fineness,
            solver: Solver::new(network),
            judge: Solver::new(network),
            t: 0.0,
            soc: setting.stores.iter().map(|it| it.from_soc).collect(),
            going: vec![Going::default(); setting.devices.len()],
            mains: setting.mains_on(0.0),
            ports: vec![None; ports],
            stages: vec![None; setting.stages.len()],
            sources: vec![None; sources],
            fuses: vec![None; nodes],
            chatter: vec![(0, f64::NEG_INFINITY); setting.stages.len()],
            stage_ready: vec![0.0; setting.stages.len()],
            hand_until: vec![0.0; nodes],
            fuel_l: fuel.collect(),
            loads: vec![Load::default(); network.devices_len()],
            feeds_off: vec![false; nodes],
            ports_off: vec![false; ports],
            takes: vec![Takes::ALL; nodes],
            dirty: true,
            masks: 0,
            revision: 0,
            heat: vec![0.0; setting.breakers.len()],
            heating: vec![0.0; setting.breakers.len()],
            cool: HashMap::new(),
            warmth: vec![Warmth::default(); setting.warming.len()],
            idle_since: vec![f64::NAN; setting.sleepers.len()],
            low_since: vec![f64::NAN; setting.stages.len()],
            mean_a: vec![(0.0, 0.0); setting.stores.len()],
            full: vec![false; setting.stores.len()],
            last_start: f64::NEG_INFINITY,
            turning: Turning::of(
                setting.gates.list.len(),
                nodes,
                setting.stages.len(),
                ports,
                setting.devices.len(),
            ),
            open_v: vec![0.0; sources],
            still: false,
            here: flow(),
            there: flow(),
            feeds_wh: vec![[0.0; 3]; nodes],
            ports_wh: vec![[0.0; 2]; ports],
            inputs_wh: vec![[0.0; 2]; setting.inputs.len()],
            reached: Vec::with_capacity(setting.stores.len()),
            found: Simulation::default(),
            runs: vec![DeviceRun::default(); setting.devices.len()],
            store_runs: setting
                .stores
                .iter()
                .map(|it| SourceRun {
                    end_soc: it.from_soc,
                    ..SourceRun::default()
                })
                .collect(),
        };
        march.solver.keep_warm();
        march.begin();
        march
    }

    fn note(&mut self, series: &mut Series) {
        for (run, soc) in self.store_runs.iter_mut().zip(&self.soc) {
            run.series.push([self.t / 3600.0, *soc]);
        }
        if !self.fineness.told {
            return;
        }
        self.settle();
        self.flow(true);
        let flow = &self.here;
        series.at_h.push(self.t / 3600.0);
        series.mains.push(self.mains);
        let push =
            |map: &mut BTreeMap<String, Vec<f64>>, id: &str, value: f64| match map.get_mut(id) {
                Some(list) => list.push(value),
                None => {
                    map.insert(id.to_owned(), vec![value]);
                }
            };
        for (run, watts) in self.setting.devices.iter().zip(&flow.devices) {
            push(&mut series.device_w, run.device.id.as_str(), *watts);
            let volts = if self.solver.is_lit(run.node) {
                self.solver.volts_at(run.node)
            } else {
                0.0
            };
            push(&mut series.device_v, run.device.id.as_str(), volts);
        }
        for (index, store) in self.setting.stores.iter().enumerate() {
            let id = store.source.id.as_str();
            push(&mut series.soc, id, self.soc[index]);
            push(&mut series.charged_w, id, flow.charged[index]);
            push(&mut series.source_w, id, flow.stores[index]);
            if let Some(place) = store.place.filter(|it| self.setting.network.has_cells(*it)) {
                push(&mut series.source_v, id, self.solver.terminal_volts(place));
            }
        }
    }

    /// A step that does not stop for notes: charges run straight within it. Gives the time of the
    /// next note, s.
    fn step_past(&mut self, mut note: f64, step_s: f64) -> f64 {
        let from = self.t;
        self.step(self.setting.end);
        let long = self.t - from;
        // What is noted at the end of the step is what has been reached; `reached` still holds
        // where it began.
        while long > 0.0 && note < self.t - 1e-6 {
            let part = ((note - from) / long).clamp(0.0, 1.0);
            for ((run, then), now) in self.store_runs.iter_mut().zip(&self.reached).zip(&self.soc) {
                run.series.push([note / 3600.0, then + (now - then) * part]);
            }
            note += step_s;
        }
        note
    }

    fn finish(mut self, series: Option<Series>) -> Simulation {
        self.found.series = series;
        let at_h = self.setting.end / 3600.0;
        for (index, run) in self.setting.devices.iter().enumerate() {
            let mut found = std::mem::take(&mut self.runs[index]);
            if let Some(last) = found.spans.last_mut() {
                last.to_h = at_h;
            }
            self.found.devices.insert(run.device.id.to_string(), found);
        }
        for (index, store) in self.setting.stores.iter().enumerate() {
            let mut found = std::mem::take(&mut self.store_runs[index]);
            found.end_soc = self.soc[index];
            self.found
                .sources
                .insert(store.source.id.to_string(), found);
        }
        self.found.switching = self.switches().into_iter().collect();
        self.found
    }

    /// Solves at a charge and reads what flows, into `here` or `there`.
    pub(super) fn flow(&mut self, first: bool) {
        let soc = std::mem::take(&mut self.soc);
        self.flow_at(&soc, first);
        self.soc = soc;
    }

    /// What stops the march at a charge, if anything does; the solver stands there.
    fn stopped(&self, soc: &[f64]) -> Option<Stop> {
        let setting = self.setting;
        for order in &setting.orders {
            if let Order::Shed {
                device,
                store,
                below,
            } = order
                && soc[*store] <= *below
                && self.is_there(*device)
                && !matches!(self.going[*device].mode, Mode::Shed | Mode::Dark)
            {
                return Some(Stop::Shed(*device));
            }
            if let Order::DropAt { device, at, until } = order
                && self.t >= *at - 1e-6
                && self.t < *until - 1e-6
                && self.is_there(*device)
                && self.going[*device].mode != Mode::Shed
            {
                return Some(Stop::Shed(*device));
            }
        }
        let spares = setting.outage.use_everything != Some(true);
        for (index, store) in setting.stores.iter().enumerate() {
            if let (Some(from), Some(place)) = (store.restore, store.place)
                && soc[index] >= from
                && self.sources[place].as_ref().is_some_and(|it| it.by_charge)
            {
                return Some(Stop::Restored(index));
            }
            let Some(place) = store.place.filter(|it| self.sources[*it].is_none()) else {
                continue;
            };
            if setting.is_carried(place, self.mains, self.t) {
                continue;
            }
            if store.gives_nothing {
                return Some(Stop::TooCold(index));
            }
            let least = if spares { store.floor } else { 0.0 };
            if soc[index] <= least {
                return Some(Stop::Floor(index));
            }
            let cut = store.cut_off_v.filter(|_| setting.network.has_cells(place));
            if cut.is_some_and(|it| self.solver.terminal_volts(place) <= it) {
                return Some(Stop::CutOff(index));
            }
        }
        for (index, stage) in setting.stages.iter().enumerate() {
            if let Some(gone) = &self.stages[index] {
                let near = || self.fed_volts(stage.node);
                if gone.comes_back
                    && stage
                        .cut_in_v
                        .is_some_and(|it| near().is_some_and(|volts| volts >= it))
                {
                    return Some(Stop::CutIn(index));
                }
                continue;
            }
            // What is switched off does not cut out.
            if self.feeds_off[stage.node] || self.turning.standby.stages[index].is_some() {
                continue;
            }
            if stage
                .edge_v
                .is_some_and(|it| self.solver.volts_at(stage.node) < it)
            {
                let since = self.low_since[index];
                if stage.delay_s > 0.0 && since.is_nan() {
                    return Some(Stop::Low(index));
                }
                if stage.delay_s <= 0.0 || self.t - since >= stage.delay_s - 1e-9 {
                    return Some(Stop::CutOut(index));
                }
            }
        }
        for (index, run) in setting.devices.iter().enumerate() {
            if self.feeds_off[run.node] || !self.going[index].mode.is_up() {
                continue;
            }
            if run
                .min_v
                .is_some_and(|it| self.solver.volts_at(run.node) < it)
            {
                return Some(Stop::BelowMinimum(index));
            }
        }
        None
    }

    /// Voltage that a feed would have at its far end while it carries nothing, V; none where its
    /// near end is dark.
    fn fed_volts(&self, node: usize) -> Option<f64> {
        let network = &self.setting.network;
        let port = network.port_of(node);
        if self.ports_off[port] {
            return None;
        }
        if let Some(above) = network.port_converter(port)
            && self.feeds_off[self.setting.stages[above].node]
        {
            return None;
        }
        Some(self.solver.near_at(node))
    }

    /// Goes on by one step, or lets one thing happen.
    pub(super) fn step(&mut self, until: f64) {
        let mut next = self
            .settle()
            .min(until)
            .min(self.t + self.fineness.longest_s);
        if self.setting.has_panels {
            next = next
                .min(
                    ((self.t + 1e-6) / SUN_STEP)
                        .floor()
                        .mul_add(SUN_STEP, SUN_STEP),
                )
                .min(self.next_shade());
        }
        for (full, soc) in self.full.iter_mut().zip(&self.soc) {
            *full = if *full {
                *soc > TOPS_UP
            } else {
                *soc >= IS_FULL
            };
        }
        self.flow(true);
        for (index, stage) in self.setting.stages.iter().enumerate() {
            let since = self.low_since[index];
            if since.is_nan() {
                continue;
            }
            let is_on = !self.feeds_off[stage.node] && self.turning.standby.stages[index].is_none();
            if stage
                .edge_v
                .is_some_and(|it| self.solver.volts_at(stage.node) < it)
                && is_on
            {
                next = next.min((since + stage.delay_s).max(self.t + 1e-6));
            } else {
                self.low_since[index] = f64::NAN;
            }
        }
        if let Some(stop) = self.stopped(&self.soc) {
            self.happen(stop);
            return;
        }
        if self.warms(&mut next) || self.falls_asleep(&mut next) || self.trips(&mut next) {
            return;
        }
        for index in 0..self.here.devices.len() {
            next = next.min(self.filled_at(index, self.here.devices[index]));
        }
        for rate in &self.here.rates {
            next = next.min(self.t + self.fineness.most_share / rate.abs().max(1e-9) * 3600.0);
        }
        for ((store, soc), rate) in self
            .setting
            .stores
            .iter()
            .zip(&self.soc)
            .zip(&self.here.rates)
        {
            // The nearer the cells come to the volts of their charger the less flows.
            for left in store
                .held_until
                .iter()
                .map(|it| it - soc)
                .filter(|it| *it > 0.0 && *rate > 0.0)
            {
                next = next.min(self.t + (left / 8.0).max(NO_CHANGE) / rate * 3600.0);
            }
        }
        for (index, left) in self.fuel_l.iter().enumerate() {
            let rate = self.here.burnt[index];
            if rate > 0.0 && left.is_finite() {
                next = next.min(self.t + left / rate * 3600.0 + 1e-3);
            }
        }
        let mut reached = std::mem::take(&mut self.reached);
        self.go((next - self.t).max(1e-6), &mut reached);
        // What it held before is written over in the next step.
        self.reached = std::mem::replace(&mut self.soc, reached);
    }

    /// Goes on for so many seconds or up to the first crossing; `there` becomes what each store
    /// holds then.
    fn go(&mut self, mut long: f64, there: &mut Vec<f64>) {
        let at_first = |it: usize, march: &Self| march.here.rates[it];
        let on_average =
            |it: usize, march: &Self| f64::midpoint(march.here.rates[it], march.there.rates[it]);
        self.reach(at_first, long, there);
        let floors = self
            .setting
            .stores
            .iter()
            .zip(&*there)
            .any(|(store, soc)| *soc <= store.floor);
        if !floors
            && self
                .soc
                .iter()
                .zip(&*there)
                .all(|(a, b)| (a - b).abs() <= NO_CHANGE)
        {
            self.count(long, true);
            self.t += long;
            return;
        }
        self.flow_at(there, false);
        let stops = self.stopped(there).is_some();
        self.reach(on_average, long, there);
        if stops {
            let (mut good, mut bad) = (0.0, long);
            for _ in 0..HALVINGS {
                if bad - good <= self.fineness.exact_s {
                    break;
                }
                let half = f64::midpoint(good, bad);
                self.reach(on_average, half, there);
                self.solve_at(there);
                if self.stopped(there).is_some() {
                    bad = half;
                } else {
                    good = half;
                }
            }
            long = bad;
            self.reach(on_average, long, there);
            self.flow_at(there, false);
        }
        self.count(long, false);
        self.t += long;
    }

    /// What each store holds after so many seconds at a rate.
    fn reach(&self, rate: impl Fn(usize, &Self) -> f64, seconds: f64, into: &mut Vec<f64>) {
        let hours = seconds / 3600.0;
        into.clear();
        into.extend(
            self.soc
                .iter()
                .enumerate()
                .map(|(it, soc)| (soc + rate(it, self) * hours).clamp(0.0, 1.0)),
        );
    }

    /// Adds what flowed in a step: the mean of both its ends, or what flowed at its beginning where
    /// it is `steady`.
    fn count(&mut self, seconds: f64, steady: bool) {
        let hours = seconds / 3600.0;
        for (mean, amps) in self.mean_a.iter_mut().zip(&self.here.amps) {
            let known = (mean.1 + seconds).min(MEAN_S);
            let part = (seconds / known.max(1e-9)).min(1.0);
            *mean = (mean.0 + (amps - mean.0) * part, known);
        }
        let here = &self.here;
        let there = if steady { here } else { &self.there };
        let mean = |of: fn(&Flow) -> f64| f64::midpoint(of(here), of(there)) * hours;
        let energy = &mut self.found.energy;
        energy.delivered_wh += mean(|it| it.delivered_w);
        energy.charging_wh += mean(|it| it.charging_w);
        energy.cables_wh += mean(|it| it.cables_w);
        energy.drawn_wh += mean(|it| it.drawn_w);
        energy.mains_wh += mean(|it| it.mains_w);
        energy.conversion_wh += mean(|it| it.conversion_w);
        energy.idle_wh += mean(|it| it.idle_w);
        energy.internal_wh += mean(|it| it.internal_w);
        if self.fineness.told {
            for (sum, (a, b)) in self
                .feeds_wh
                .iter_mut()
                .zip(here.at_feeds.iter().zip(&there.at_feeds))
            {
                sum.iter_mut()
                    .zip(a.iter().zip(b))
                    .for_each(|(sum, (a, b))| *sum += f64::midpoint(*a, *b) * hours);
            }
            for (sum, (a, b)) in self
                .ports_wh
                .iter_mut()
                .zip(here.at_ports.iter().zip(&there.at_ports))
            {
                sum.iter_mut()
                    .zip(a.iter().zip(b))
                    .for_each(|(sum, (a, b))| *sum += f64::midpoint(*a, *b) * hours);
            }
        }
        for (sum, (a, b)) in self
            .inputs_wh
            .iter_mut()
            .zip(here.at_inputs.iter().zip(&there.at_inputs))
        {
            sum.iter_mut()
                .zip(a.iter().zip(b))
                .for_each(|(sum, (a, b))| *sum += f64::midpoint(*a, *b) * hours);
        }
        for (index, run) in self.runs.iter_mut().enumerate() {
            run.wh += f64::midpoint(here.devices[index], there.devices[index]) * hours;
            if self.going[index].mode.is_up() {
                run.up_h += hours;
            }
        }
        for index in 0..self.runs.len() {
            let there = if steady { &self.here } else { &self.there };
            self.fill(
                index,
                f64::midpoint(self.here.devices[index], there.devices[index]) * hours,
            );
        }
        let here = &self.here;
        let there = if steady { here } else { &self.there };
        for (index, run) in self.store_runs.iter_mut().enumerate() {
            run.drawn_wh += f64::midpoint(here.stores[index], there.stores[index]) * hours;
            if self.soc[index] >= IS_FULL && here.rates[index] > 0.0 {
                // What comes beyond full goes nowhere.
                continue;
            }

            run.charged_wh += f64::midpoint(here.charged[index], there.charged[index]) * hours;
        }
        for (heat, rate) in self
            .heat
            .iter_mut()
            .zip(&self.heating)
            .filter(|it| *it.1 != 0.0)
        {
            *heat = (*heat + rate * seconds).clamp(0.0, 1.0);
        }
        for (index, left) in self.fuel_l.iter_mut().enumerate() {
            *left -= f64::midpoint(here.burnt[index], there.burnt[index]) * hours;
        }
        self.warm_for(seconds, |march, index| {
            let there = if steady { &march.here } else { &march.there };
            f64::midpoint(march.here.case_lost[index], there.case_lost[index])
        });
    }

    /// A port below its threshold for long enough turns itself off; else the step ends where it
    /// would.
    fn falls_asleep(&mut self, next: &mut f64) -> bool {
        for (index, sleeper) in self.setting.sleepers.iter().enumerate() {
            if self.ports_off[sleeper.port]
                || self.solver.port_watts(sleeper.port) >= sleeper.below_w
            {
                self.idle_since[index] = f64::NAN;
                continue;
            }
            if self.idle_since[index].is_nan() {
                self.idle_since[index] = self.t;
            }
            let due = self.idle_since[index] + sleeper.after_s;
            if self.t >= due - 1e-6 {
                self.sleep(index);
                return true;
            }
            *next = next.min(due);
        }
        false
    }

    /// Heats and cools the breakers, tested with every device that runs at its busiest; trips the
    /// first that is due.
    fn trips(&mut self, next: &mut f64) -> bool {
        let setting = self.setting;
        self.heating.fill(0.0);
        if setting.breakers.is_empty() {
            return false;
        }
        let cold = self.heat.iter().all(|it| *it <= 0.0);
        if cold
            && let Some(at) = self.cool.get(&self.revision)
            && at
                .iter()
                .zip(&self.soc)
                .all(|(then, now)| (then - now).abs() < 0.03)
        {
            return false;
        }
        let loads: Vec<Load> = (0..setting.devices.len())
            .map(|it| self.busiest(it))
            .collect();
        self.judge
            .switch(&self.feeds_off, &self.ports_off, &self.takes);
        self.judge.stand_by(&self.turning.standby);
        self.judge.solve(&loads, &self.open_v);
        let mut calm = cold;
        let mut due: Option<(usize, f64, f64)> = None;
        let mut rates = vec![0.0; self.heat.len()];
        for (index, breaker) in setting.breakers.iter().enumerate() {
            let value = breaker.value(&self.judge).unwrap_or(0.0);
            let carried = breaker.levels.carried_s(value);
            // Near the edge it is judged again before long.
            calm &= value < breaker.levels.edge_above(value) * 0.98;
            if carried <= 0.0 {
                due = Some((index, value, 0.0));
                break;
            }
            rates[index] = if carried.is_finite() {
                1.0 / carried
            } else {
                let cools = breaker.levels.cools_s();
                if self.heat[index] > 0.0 {
                    if cools > 0.0 {
                        -1.0 / cools
                    } else {
                        f64::NEG_INFINITY
                    }
                } else {
                    0.0
                }
            };
            if rates[index] > 0.0 {
                let left = ((1.0 - self.heat[index]) / rates[index]).max(0.0);
                if left <= 1e-6 {
                    due = Some((index, value, carried));
                    break;
                }
                *next = next.min(self.t + left);
            } else if rates[index] < 0.0 && rates[index].is_finite() {
                *next = next.min(self.t - self.heat[index] / rates[index] + 1e-6);
            }
        }
        if let Some((index, value, carried)) = due {
            self.heat[index] = 0.0;
            self.trip(index, value, carried);
            return true;
        }
        if calm {
            self.cool.insert(self.revision, self.soc.clone());
        }
        self.heating = rates;
        false
    }

    pub(super) fn event(&mut self, what: &str, item: &str, cause: Vec<Sentence>) {
        self.found.events.push(Event {
            at_h: self.t / 3600.0,
            what: what.to_owned(),
            item: item.to_owned(),
            cause,
        });
    }

    /// Writes down what a device does from now on.
    pub(super) fn stretch(&mut self, device: usize, doing: Doing) {
        if !self.fineness.told {
            return;
        }
        let at_h = self.t / 3600.0;
        let spans = &mut self.runs[device].spans;
        if spans.len() >= MOST_STRETCHES {
            return;
        }
        if let Some(last) = spans.last_mut() {
            if last.state == doing {
                return;
            }
            last.to_h = at_h;
            if last.to_h - last.from_h < 1e-9 {
                spans.pop();
            }
        }
        if spans.last().is_none_or(|it| it.state != doing) {
            spans.push(StateSpan {
                from_h: at_h,
                to_h: at_h,
                state: doing,
            });
        }
    }
}
