//! The march: a state that moves in steps as long as accuracy allows, and stops where something happens.
//!
//! Between events nothing switches. A step ends at the next edge of a schedule, after a fiftieth of a store at most, or
//! where a threshold is crossed, which is found by bisection on the network at the charge that is reached there. Charge
//! moves by the midpoint rule: the draw is solved in the middle of the step.

use super::result::{DeviceRun, Event, Simulation, SourceRun};
use super::schedule;
use crate::chemistry;
use crate::day::Size;
use crate::figure::Figure;
use crate::network::{Charge, Load, Network, Reading, Solver, average, fed, phase_load};
use crate::plan::outage::{MainsState, Rule};
use crate::plan::{Arrangement, Device, Outage, Phase, PhaseKind, Plan, SourceKind};
use std::collections::{BTreeMap, BTreeSet};

/// Longest step, s.
const LONGEST: f64 = 900.0;
/// A step takes no more of a store than this.
const MOST_OF_A_STORE: f64 = 0.01;
/// Halvings by which a crossing is found: a step of 900 s to a thousandth of a second.
const HALVINGS: usize = 20;
/// Steps that are taken at most: a thermostat of a minute over a month has fewer.
const MOST_STEPS: usize = 400_000;

/// What can end a step before its time.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Stop {
    Floor(usize),
    CutOff(usize),
    CutOut(String),
    BelowMinimum(String),
    Shed(String),
}

/// A device on its way.
#[derive(Debug, Clone, Default)]
struct Going {
    /// The starting phase that it is in, and when that ends, s; none while it runs.
    starting: Option<(usize, f64)>,
    was_on: bool,
    lost: bool,
    shed: bool,
}

struct March<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    outage: &'a Outage,
    ambient: crate::quantity::Celsius,
    devices: Vec<&'a Device>,
    clock: f64,
    end: f64,
    t: f64,
    charge: BTreeMap<String, f64>,
    going: BTreeMap<String, Going>,
    /// Sources, ports (`source/port`) and converters that are off for good.
    off: BTreeSet<String>,
    /// Since when a port that turns itself off has been below its threshold, s.
    idle_since: BTreeMap<String, f64>,
    found: Simulation,
}

/// Marches an arrangement through an outage. With `series_s`, the charge of each store is noted every so many seconds.
///
/// At the start the devices that are on run; one that comes on later goes through its starting phases in order. Running is
/// drawn at its average.
pub fn simulate(plan: &Plan, way: &Arrangement, outage: &Outage, series_s: Option<f64>) -> Simulation {
    let stored = plan.kit.sources.iter().filter(|it| it.battery.is_some());
    let used = stored.filter(|it| way.feeds.iter().any(|feed| feed.from.item == it.id || feed.to.item == it.id));
    let charge: BTreeMap<String, f64> =
        used.map(|it| (it.id.to_string(), outage.initial_soc.get(it.id.as_str()).map_or(1.0, Figure::get))).collect();
    let time = outage.start.time();
    let clock = f64::from(time.hour()) * 3600.0 + f64::from(time.minute()) * 60.0 + f64::from(time.second());
    let devices: Vec<&Device> = fed(plan, way).collect();
    let mut march = March {
        plan,
        way,
        outage,
        ambient: outage.ambient_c.as_ref().map_or(plan.site.ambient(), |it| crate::quantity::Celsius(it.get())),
        clock,
        end: outage.hours.get() * 3600.0,
        t: 0.0,
        going: devices.iter().map(|it| (it.id.to_string(), Going::default())).collect(),
        devices,
        off: BTreeSet::new(),
        idle_since: BTreeMap::new(),
        found: Simulation::default(),
        charge,
    };
    for device in &march.devices {
        let (on, _) = schedule::state(device, 0.0, clock);
        if let Some(it) = march.going.get_mut(device.id.as_str()) {
            it.was_on = on;
        }
        march.found.devices.insert(device.id.to_string(), DeviceRun::default());
    }
    for (id, soc) in &march.charge {
        let run = SourceRun {
            end_soc: *soc,
            series: series_s.map(|_| vec![[0.0, *soc]]).unwrap_or_default(),
            ..SourceRun::default()
        };
        march.found.sources.insert(id.clone(), run);
    }
    let mut next_note = series_s.unwrap_or(f64::INFINITY);
    for _ in 0..MOST_STEPS {
        if march.t >= march.end - 1e-9 {
            break;
        }
        march.step(next_note);
        if march.t >= next_note - 1e-6 {
            march.note();
            next_note += series_s.unwrap_or(f64::INFINITY);
        }
    }
    for (id, soc) in &march.charge {
        if let Some(run) = march.found.sources.get_mut(id) {
            run.end_soc = *soc;
        }
    }
    march.found
}

impl March<'_> {
    fn note(&mut self) {
        for (id, soc) in &self.charge {
            if let Some(run) = self.found.sources.get_mut(id) {
                run.series.push([self.t / 3600.0, *soc]);
            }
        }
    }

    /// Whether the mains is there.
    fn mains_on(&self) -> bool {
        let at = (self.t + 1e-6) / 3600.0;
        let span = self.outage.mains.iter().rev().find(|it| it.from_h.get() <= at && at < it.to_h.get());
        span.is_some_and(|it| it.state == MainsState::On)
    }

    /// The feeds that carry anything now: what is off, and what hangs on it, is left out.
    fn live(&self) -> Arrangement {
        let mains = self.mains_on();
        let is_live = |feed: usize| {
            let mut chain = vec![feed];
            chain.extend(self.way.chain(self.way.feeds[feed].to.item.as_str()));
            chain.iter().all(|it| {
                let from = &self.way.feeds[*it].from;
                let source = self.plan.source(from.item.as_str());
                let dark = source.is_some_and(|it| it.kind == SourceKind::Mains) && !mains;
                !dark
                    && !self.off.contains(from.item.as_str())
                    && !self.off.contains(&format!("{}/{}", from.item, from.port))
                    && !self.off.contains(self.way.feeds[*it].to.item.as_str())
            })
        };
        let feeds = (0..self.way.feeds.len()).filter(|it| is_live(*it)).map(|it| self.way.feeds[it].clone());
        Arrangement { feeds: feeds.collect(), ..self.way.clone() }
    }

    fn starting_phases(device: &Device) -> Vec<&Phase> {
        device.phases_of(PhaseKind::Starting).collect()
    }

    /// Whether a rule holds a device back while another starts.
    fn held(&self, id: &str) -> bool {
        self.outage.rules.iter().any(|it| match it {
            Rule::Hold { device, while_starting } => {
                device.as_str() == id
                    && self.going.get(while_starting.as_str()).is_some_and(|it| it.starting.is_some() && !it.lost)
            }
            Rule::Shed { .. } => false,
        })
    }

    /// Brings every device to where its schedule has it now, and gives the time of the next change, s.
    fn follow_schedules(&mut self, live: &Arrangement) -> f64 {
        let mut next = self.end;
        for device in self.devices.clone() {
            let (on, edge) = schedule::state(device, self.t, self.clock);
            next = next.min(edge);
            let fed_now = live.feeds.iter().any(|it| it.to.item == device.id);
            let phases = Self::starting_phases(device);
            let Some(going) = self.going.get_mut(device.id.as_str()) else { continue };
            let runs = on && fed_now && !going.lost && !going.shed;
            let long = |index: usize| phases[index].seconds.as_ref().map_or(0.0, Figure::get);
            if runs && !going.was_on && !phases.is_empty() {
                going.starting = Some((0, self.t + long(0)));
            }
            while let Some((index, until)) = going.starting {
                if !runs {
                    going.starting = None;
                } else if self.t >= until - 1e-6 {
                    going.starting = (index + 1 < phases.len()).then(|| (index + 1, until + long(index + 1)));
                } else {
                    next = next.min(until);
                    break;
                }
            }
            going.was_on = runs;
        }
        let spans = self.outage.charging.iter().flat_map(|it| [it.from_h.get(), it.to_h.get()]);
        let mains = self.outage.mains.iter().flat_map(|it| [it.from_h.get(), it.to_h.get()]);
        spans.chain(mains).map(|it| it * 3600.0).filter(|it| *it > self.t + 1e-6).fold(next, f64::min)
    }

    fn load_of(&self, device: &Device) -> Load {
        let Some(going) = self.going.get(device.id.as_str()) else { return Load::default() };
        if !going.was_on || self.held(device.id.as_str()) {
            return Load::default();
        }
        match going.starting {
            Some((index, _)) => Self::starting_phases(device)
                .get(index)
                .map_or_else(Load::default, |it| phase_load(device, it).times(device.count())),
            None => average(device),
        }
    }

    fn charge_with(of: &BTreeMap<String, f64>) -> Charge {
        of.iter().fold(Charge::full(), |charge, (id, soc)| charge.with(id, *soc))
    }

    /// How fast each store changes, share an hour, by what is solved; and what reaches it from spans of charging, W.
    fn rates(
        &self,
        network: &Network,
        solver: &Solver<'_>,
        of: &BTreeMap<String, f64>,
    ) -> BTreeMap<String, (f64, f64)> {
        let open = network.open_volts(&Self::charge_with(of));
        of.iter()
            .filter_map(|(id, soc)| {
                let battery = self.plan.source(id)?.battery.as_ref()?;
                let size = Size::of(battery, self.ambient.0);
                let kind = chemistry::find(&battery.chemistry);
                let index = network.source_index(id);
                let (drawn_w, amps) = index.map_or((0.0, 0.0), |it| solver.source(it));
                let chained_w = index.map_or(0.0, |it| solver.charged_w_of(it));
                let at = (self.t + 1e-6) / 3600.0;
                let spans = self.outage.charging.iter().filter(|it| it.source.as_str() == id);
                let spans = spans.filter(|it| it.from_h.get() <= at && at < it.to_h.get());
                let from_span: f64 = spans.map(|it| it.watts.get()).sum();
                let cold = kind.is_some_and(|it| self.ambient.0 < it.charge_min_c);
                let efficiency = kind.map_or(1.0, |it| it.charge_efficiency);
                let span_w = if cold { 0.0 } else { from_span * efficiency * taper(&battery.chemistry, *soc) };
                let chained_w = if cold { 0.0 } else { chained_w };
                let volts = index.and_then(|it| solver.read(Reading::TerminalVolts(it)));
                let volts = volts.or_else(|| index.map(|it| open[it])).unwrap_or(0.0);
                let volts = if volts > 0.0 {
                    volts
                } else {
                    kind.map_or(0.0, |it| it.cell_v(*soc)) * battery.cells.as_ref().map_or(1.0, Figure::get)
                };
                let stored = size.charged_per_hour(span_w + chained_w, volts);
                Some((id.clone(), (stored - size.share_per_hour(drawn_w, amps), span_w + chained_w)))
            })
            .collect()
    }

    /// What stops the march at a charge, if anything does; `solver` is solved there.
    fn stopped(
        &self,
        live: &Arrangement,
        network: &Network,
        solver: &Solver<'_>,
        of: &BTreeMap<String, f64>,
    ) -> Option<Stop> {
        for rule in &self.outage.rules {
            if let Rule::Shed { device, source, below_soc } = rule
                && of.get(source.as_str()).is_some_and(|it| *it <= below_soc.get())
                && self.going.get(device.as_str()).is_some_and(|it| !it.shed && !it.lost)
            {
                return Some(Stop::Shed(device.to_string()));
            }
        }
        let spares = self.outage.use_everything != Some(true);
        for (index, source) in self.plan.kit.sources.iter().enumerate() {
            let (Some(battery), Some(soc)) = (&source.battery, of.get(source.id.as_str())) else { continue };
            let live_here = live.feeds.iter().any(|it| it.from.item == source.id);
            if !live_here {
                continue;
            }
            let least = if spares { battery.floor() } else { 0.0 };
            if *soc <= least {
                return Some(Stop::Floor(index));
            }
            let volts = network.source_index(source.id.as_str()).and_then(|it| solver.read(Reading::TerminalVolts(it)));
            if let (Some(volts), Some(cut)) = (volts, &battery.cut_off_v)
                && volts <= cut.get()
            {
                return Some(Stop::CutOff(index));
            }
        }
        for (node, feed) in network.feeds() {
            let item = live.feeds[feed].to.item.as_str();
            let volts = solver.read(Reading::FarVolts(node)).unwrap_or(0.0);
            if let Some(converter) = self.plan.converter(item) {
                let input = &converter.input;
                let edge = input.cut_out_v.as_ref().or(input.min_v.as_ref()).map(Figure::get);
                if edge.is_some_and(|it| volts < it) {
                    return Some(Stop::CutOut(item.to_owned()));
                }
            }
            if let Some(device) = self.plan.device(item) {
                let on = self.going.get(item).is_some_and(|it| it.was_on);
                if on && device.input.min_v.as_ref().is_some_and(|it| volts < it.get()) {
                    return Some(Stop::BelowMinimum(item.to_owned()));
                }
            }
        }
        None
    }

    /// Goes on by one step, or lets one thing happen.
    fn step(&mut self, until: f64) {
        let live = self.live();
        let mut next = self.follow_schedules(&live).min(until).min(self.t + LONGEST);
        let live = self.live();
        let network = Network::build(self.plan, &live, self.ambient);
        let loads = network.loads(self.plan, |it| self.load_of(it));
        let mut solver = Solver::new(&network);
        let solve = |solver: &mut Solver<'_>, of: &BTreeMap<String, f64>| {
            solver.solve(&loads, &network.open_volts(&March::charge_with(of)));
        };
        let here = self.charge.clone();
        solve(&mut solver, &here);
        if let Some(stop) = self.stopped(&live, &network, &solver, &here) {
            self.happen(&stop);
            return;
        }
        if self.turns_itself_off(&live, &network, &solver, &mut next) {
            return;
        }
        let rates = self.rates(&network, &solver, &here);
        for (rate, _) in rates.values() {
            next = next.min(self.t + MOST_OF_A_STORE / rate.abs().max(1e-9) * 3600.0);
        }
        let moved = |by: f64, rates: &BTreeMap<String, (f64, f64)>| -> BTreeMap<String, f64> {
            let at =
                |id: &String, soc: &f64| rates.get(id).map_or(*soc, |it| (soc + it.0 * by / 3600.0).clamp(0.0, 1.0));
            here.iter().map(|(id, soc)| (id.clone(), at(id, soc))).collect()
        };
        // The draw in the middle of the step is that of all of it.
        let mut long = (next - self.t).max(1e-6);
        let middle = moved(long / 2.0, &rates);
        solve(&mut solver, &middle);
        let rates = self.rates(&network, &solver, &middle);
        let mut there = moved(long, &rates);
        solve(&mut solver, &there);
        if self.stopped(&live, &network, &solver, &there).is_some() {
            let (mut good, mut bad) = (0.0, long);
            for _ in 0..HALVINGS {
                let half = f64::midpoint(good, bad);
                there = moved(half, &rates);
                solve(&mut solver, &there);
                if self.stopped(&live, &network, &solver, &there).is_some() { bad = half } else { good = half }
            }
            long = bad;
            there = moved(long, &rates);
        }
        solve(&mut solver, &moved(long / 2.0, &rates));
        self.count(&solver, &network, &rates, long);
        self.charge = there;
        self.t += long;
    }

    /// Adds what flowed in a step, solved in its middle.
    fn count(&mut self, solver: &Solver<'_>, network: &Network, rates: &BTreeMap<String, (f64, f64)>, seconds: f64) {
        let hours = seconds / 3600.0;
        let sums = solver.sums();
        let energy = &mut self.found.energy;
        energy.delivered_wh += sums.delivered_w * hours;
        energy.charging_wh += sums.charging_w * hours;
        energy.cables_wh += sums.cables_w * hours;
        energy.drawn_wh += solver.drawn_w() * hours;
        energy.conversion_wh += sums.conversion_w * hours;
        energy.idle_wh += sums.idle_w * hours;
        energy.internal_wh += sums.internal_w * hours;
        let devices = &mut self.found.devices;
        solver.each_device(|id, watts| {
            if let Some(run) = devices.get_mut(id) {
                run.wh += watts * hours;
            }
        });
        for (id, going) in &self.going {
            let runs = going.was_on && !self.held(id);
            if let Some(run) = self.found.devices.get_mut(id).filter(|_| runs) {
                run.up_h += hours;
            }
        }
        for (id, run) in &mut self.found.sources {
            run.drawn_wh += network.source_index(id).map_or(0.0, |it| solver.source(it).0) * hours;
            run.charged_wh += rates.get(id).map_or(0.0, |it| it.1) * hours;
        }
    }

    /// A port below its threshold for long enough turns itself off; else the step ends where it would.
    fn turns_itself_off(&mut self, live: &Arrangement, network: &Network, solver: &Solver<'_>, next: &mut f64) -> bool {
        for source in &self.plan.kit.sources {
            for port in &source.ports {
                let Some(auto_off) = &port.auto_off else { continue };
                let name = format!("{}/{}", source.id, port.id);
                let used = live.feeds.iter().any(|it| it.from.item == source.id && it.from.port == port.id);
                let watts = network
                    .port_index(source.id.as_str(), port.id.as_str())
                    .and_then(|it| solver.read(Reading::PortWatts(it)));
                if !used || watts.is_none_or(|it| it >= auto_off.below_w.get()) {
                    self.idle_since.remove(&name);
                    continue;
                }
                let due = *self.idle_since.entry(name.clone()).or_insert(self.t) + auto_off.after_s.get();
                if self.t >= due - 1e-6 {
                    self.event("auto-off", &name);
                    self.off.insert(name.clone());
                    self.lose_below(&name, "auto-off");
                    return true;
                }
                *next = next.min(due);
            }
        }
        false
    }

    fn event(&mut self, what: &str, item: &str) {
        self.found.events.push(Event { at_h: self.t / 3600.0, what: what.to_owned(), item: item.to_owned() });
    }

    fn lose(&mut self, device: &str, why: &str) {
        let at = self.t / 3600.0;
        if let Some(going) = self.going.get_mut(device).filter(|it| !it.lost) {
            going.lost = true;
            if let Some(run) = self.found.devices.get_mut(device).filter(|it| it.down_at_h.is_none()) {
                (run.down_at_h, run.why) = (Some(at), Some(why.to_owned()));
            }
        }
    }

    /// Every device whose way up leads through what went off is lost.
    fn lose_below(&mut self, name: &str, why: &str) {
        let through = |device: &Device| {
            self.way.chain(device.id.as_str()).iter().any(|it| {
                let feed = &self.way.feeds[*it];
                feed.from.item.as_str() == name
                    || feed.to.item.as_str() == name
                    || format!("{}/{}", feed.from.item, feed.from.port) == name
            })
        };
        let lost: Vec<String> = self.devices.iter().filter(|it| through(it)).map(|it| it.id.to_string()).collect();
        for it in &lost {
            self.lose(it, why);
        }
    }

    fn happen(&mut self, stop: &Stop) {
        match stop {
            Stop::Floor(index) | Stop::CutOff(index) => {
                let what = if matches!(stop, Stop::Floor(_)) { "floor" } else { "cut-off" };
                let id = self.plan.kit.sources[*index].id.to_string();
                self.event(what, &id);
                self.lose_below(&id, what);
                self.off.insert(id);
            }
            Stop::CutOut(id) => {
                self.event("low-voltage cut-out", id);
                self.lose_below(id, "low-voltage cut-out");
                self.off.insert(id.clone());
            }
            Stop::BelowMinimum(id) => {
                self.event("input below minimum", id);
                self.lose(id, "input below minimum");
            }
            Stop::Shed(id) => {
                self.event("shed", id);
                let at = self.t / 3600.0;
                if let Some(going) = self.going.get_mut(id) {
                    going.shed = true;
                }
                if let Some(run) = self.found.devices.get_mut(id).filter(|it| it.down_at_h.is_none()) {
                    (run.down_at_h, run.why) = (Some(at), Some("shed by rule".to_owned()));
                }
            }
        }
    }
}

/// How much of its full acceptance a store takes: all of it up to 0.95 (lithium) or 0.80 (lead), a tenth when full.
fn taper(chemistry: &str, soc: f64) -> f64 {
    let from = if matches!(chemistry, "agm" | "flooded") { 0.80 } else { 0.95 };
    if soc <= from { 1.0 } else { 1.0 - 0.9 * ((soc - from) / (1.0 - from)).min(1.0) }
}
