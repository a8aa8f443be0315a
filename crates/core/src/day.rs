//! A day of use, and how long a store carries it.
//!
//! A day is cut at the edges of every `hours` cycle. Within a stretch each thermostat is on
//! or off, independently of the others, for its share of the time; every combination is
//! solved on the real network and weighted, so that losses with the square of a current
//! are those of the current that really flows and not of its average. Beyond six
//! thermostats the lightest ones are averaged instead.

use crate::chemistry;
use crate::network::{Charge, Load, Network, Solver, average, fed, phase_load};
use crate::plan::{Arrangement, Battery, Cycle, Device, PhaseKind, Plan};
use serde::Serialize;
use std::collections::BTreeMap;

/// Thermostats whose on and off are told apart; 2⁶ combinations a stretch.
const MOST_THERMOSTATS: usize = 6;
/// Slices of charge between full and floor for which the draw is solved.
const SLICES: usize = 16;

/// What an arrangement takes in one day, at a charge.
#[derive(Debug, Clone, PartialEq, Serialize, Default)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DayUse {
    /// Drawn from the stores at their terminals, Wh.
    pub drawn_wh: f64,
    /// Arriving at devices, Wh.
    pub delivered_wh: f64,
    /// Lost only because things are switched on, Wh.
    pub idle_wh: f64,
    /// Lost in leads and contacts, Wh.
    pub cables_wh: f64,
    /// Lost in converters and ports with their load, Wh.
    pub conversion_wh: f64,
    /// Arriving at each device, Wh.
    pub devices: BTreeMap<String, f64>,
    /// Drawn from each source, Wh.
    pub sources: BTreeMap<String, f64>,
}

/// How long a store carries a day's use over and over.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Lasting {
    /// Time from the given charge down to the floor, h; none where nothing is drawn.
    pub to_floor_h: Option<f64>,
    /// The floor, 0 to 1.
    pub floor_soc: f64,
    /// Energy at the terminals from the given charge down to the floor, Wh.
    pub to_floor_wh: f64,
    /// What is drawn on average over the day at the given charge, W.
    pub average_w: f64,
}

/// One state of the devices, and its share of the day.
struct Stretch {
    hours: f64,
    loads: Vec<Load>,
}

/// What `arrangement` takes in one day at `charge`; starts counted, at each coming-on.
pub fn day(plan: &Plan, arrangement: &Arrangement, charge: &Charge) -> DayUse {
    let network = Network::build(plan, arrangement, plan.site.ambient());
    let open_v = network.open_volts(charge);
    let mut solver = Solver::new(&network);
    let mut total = DayUse::default();
    for stretch in stretches(plan, arrangement, &network) {
        solver.solve(&stretch.loads, &open_v);
        solver.add_to(&mut total, stretch.hours);
    }
    total
}

/// How long each store in use carries the day's use, from `charge` down to its floor.
///
/// dsoc/dt = −I_eff/(C·f(T)) with I_eff = I·(I/I_rated)^(k−1) above the rated current, else I
/// (Peukert 1897); energy stores −P/(E·f(T)). Integrated over the charge by the midpoint rule.
pub fn lasting(plan: &Plan, arrangement: &Arrangement, charge: &Charge) -> BTreeMap<String, Lasting> {
    let network = Network::build(plan, arrangement, plan.site.ambient());
    let stretches = stretches(plan, arrangement, &network);
    let mut solver = Solver::new(&network);
    let stored = plan.kit.sources.iter().filter_map(|it| Some((it, it.battery.as_ref()?)));
    let in_use = stored.filter_map(|(source, battery)| {
        let index = network.source_index(source.id.as_str())?;
        let mut rate = |soc: f64| {
            let open_v = network.open_volts(&charge.clone().with(source.id.as_str(), soc));
            mean_rate(&mut solver, &stretches, &open_v, index, battery, plan.site.ambient().0)
        };
        Some((source.id.to_string(), run_down(battery, charge.of(source.id.as_str()), &mut rate)))
    });
    in_use.collect()
}

/// Share of the store used per hour, and watts drawn, averaged over the day.
fn mean_rate(
    solver: &mut Solver<'_>,
    stretches: &[Stretch],
    open_v: &[f64],
    source: usize,
    battery: &Battery,
    celsius: f64,
) -> (f64, f64) {
    let size = Size::of(battery, celsius);
    let (mut share, mut watts) = (0.0, 0.0);
    for stretch in stretches {
        solver.solve(&stretch.loads, open_v);
        let (drawn_w, amps) = solver.source(source);
        share += stretch.hours * size.share_per_hour(drawn_w, amps);
        watts += stretch.hours * drawn_w;
    }
    (share / 24.0, watts / 24.0)
}

fn run_down(battery: &Battery, from: f64, rate: &mut dyn FnMut(f64) -> (f64, f64)) -> Lasting {
    let floor = battery.floor();
    let slice = (from - floor).max(0.0) / SLICES as f64;
    let (_, average_w) = rate(from);
    let (mut hours, mut energy_wh) = (0.0, 0.0);
    for index in 0..SLICES {
        let (share, watts) = rate(from - slice * (index as f64 + 0.5));
        hours += slice / share;
        energy_wh += slice / share * watts;
    }
    let drawn = hours.is_finite();
    Lasting {
        to_floor_h: drawn.then_some(hours),
        floor_soc: floor,
        to_floor_wh: if drawn { energy_wh } else { 0.0 },
        average_w,
    }
}

/// The size of a store at a temperature.
pub(crate) struct Size {
    capacity_ah: Option<f64>,
    energy_wh: f64,
    rated_a: f64,
    peukert: f64,
}

impl Size {
    pub(crate) fn of(battery: &Battery, celsius: f64) -> Self {
        let chemistry = chemistry::find(&battery.chemistry);
        let share = chemistry.map_or(1.0, |it| it.capacity_share(celsius));
        let nominal_ah = battery.capacity_ah.as_ref().map(crate::figure::Figure::get);
        let habit = chemistry.map_or(20.0, |it| it.rated_hours);
        let rated_h = battery.rated_hours.as_ref().map_or(habit, crate::figure::Figure::get);
        Self {
            capacity_ah: nominal_ah.map(|it| it * share),
            energy_wh: battery.energy_wh.as_ref().map_or(0.0, crate::figure::Figure::get) * share,
            rated_a: nominal_ah.map_or(f64::INFINITY, |it| it / rated_h),
            peukert: chemistry.map_or(1.0, |it| it.peukert),
        }
    }

    /// Share of the store used in an hour, at `watts` (W) and `amps` (A) from its terminals.
    pub(crate) fn share_per_hour(&self, watts: f64, amps: f64) -> f64 {
        match self.capacity_ah {
            Some(capacity) => {
                let strain = if amps > self.rated_a { (amps / self.rated_a).powf(self.peukert - 1.0) } else { 1.0 };
                amps * strain / capacity
            }
            None => watts / self.energy_wh,
        }
    }
}

/// Every state of the devices over a day, with its hours.
fn stretches(plan: &Plan, arrangement: &Arrangement, network: &Network) -> Vec<Stretch> {
    let devices: Vec<&Device> = fed(plan, arrangement).collect();
    let mut edges: Vec<f64> = vec![0.0, 24.0];
    for device in &devices {
        if let Some(Cycle::Hours { from, to }) = &device.cycle {
            edges.extend([from.hours(), to.hours()]);
        }
    }
    edges.sort_by(f64::total_cmp);
    edges.dedup();
    let mut switched: Vec<(usize, f64)> =
        devices.iter().enumerate().filter_map(|(i, it)| Some((i, duty(it)?))).collect();
    switched.sort_by(|a, b| average(devices[b.0]).power(12.0).total_cmp(&average(devices[a.0]).power(12.0)));
    let (apart, averaged) = switched.split_at(switched.len().min(MOST_THERMOSTATS));
    let mut stretches = Vec::new();
    for pair in edges.windows(2) {
        let middle = f64::midpoint(pair[0], pair[1]);
        for state in 0..1_usize << apart.len() {
            let mut share = 1.0;
            let mut loads = network.loads(plan, |device| while_on(device, middle));
            for (bit, (device, on)) in apart.iter().enumerate() {
                let is_on = state >> bit & 1 == 1;
                share *= if is_on { *on } else { 1.0 - on };
                loads[*device] = if is_on {
                    loads[*device]
                } else {
                    Load { power_factor: loads[*device].power_factor, ..Load::default() }
                };
            }
            for (device, on) in averaged {
                loads[*device] = loads[*device].times(*on);
            }
            if share > 0.0 {
                stretches.push(Stretch { hours: share * (pair[1] - pair[0]), loads });
            }
        }
    }
    stretches
}

/// Share of the time that a thermostat is on; `None` for other cycles.
fn duty(device: &Device) -> Option<f64> {
    match &device.cycle {
        Some(Cycle::Thermostat { on_fraction, .. }) => Some(on_fraction.get()),
        _ => None,
    }
}

/// What a device draws on average while it is on, its starts counted; nothing outside its hours.
fn while_on(device: &Device, hour: f64) -> Load {
    let running = average(device);
    let nothing = running.times(0.0);
    let on_hours = match &device.cycle {
        None | Some(Cycle::Continuous {}) => return running,
        Some(Cycle::Thermostat { on_fraction, period_s }) => on_fraction.get() * period_s.get() / 3600.0,
        Some(Cycle::Hours { from, to }) => {
            let (from, to) = (from.hours(), to.hours());
            let on = if from <= to { from <= hour && hour < to } else { hour >= from || hour < to };
            if !on {
                return nothing;
            }
            if from <= to { to - from } else { 24.0 - from + to }
        }
    };
    let mut left = 1.0;
    let mut load = nothing;
    for phase in device.phases_of(PhaseKind::Starting) {
        let seconds = phase.seconds.as_ref().map_or(0.0, crate::figure::Figure::get);
        let share = (seconds / 3600.0 / on_hours.max(f64::MIN_POSITIVE)).min(left);
        left -= share;
        load = load.plus(phase_load(device, phase).times(share * device.count()));
    }
    load.plus(running.times(left))
}

impl Solver<'_> {
    /// Adds `hours` of the state at hand to a day.
    fn add_to(&self, day: &mut DayUse, hours: f64) {
        let sums = self.sums();
        day.drawn_wh += hours * sums.drawn_w;
        day.delivered_wh += hours * sums.delivered_w;
        day.idle_wh += hours * sums.idle_w;
        day.cables_wh += hours * sums.cables_w;
        day.conversion_wh += hours * sums.conversion_w;
        self.each_device(|id, watts| *day.devices.entry(id.to_owned()).or_default() += hours * watts);
        self.each_source(|id, watts| *day.sources.entry(id.to_owned()).or_default() += hours * watts);
    }
}
