//! The states that the devices are in over a span.

use super::dividing;
use super::span::Span;
use super::windows::{Windows, while_on};
use crate::network::{Gates, Load, Network, Solver, average, fed};
use crate::site::plan::{Arrangement, Cycle, Device, Plan};

/// Devices that are on for a share of the time and whose on and off are told apart; 2⁶ combinations
/// a stretch.
const MOST_APART: usize = 6;

/// One state of the devices, and its share of the span.
#[derive(PartialEq)]
pub(super) struct Stretch {
    pub(super) hours: f64,
    loads: Vec<Load>,
    /// Which devices are on.
    on: Vec<bool>,
    /// A time of day in it, h.
    middle: f64,
}

/// Every state of the devices over a span, and what is switched on only while it is needed.
#[derive(PartialEq)]
pub(super) struct Stretches {
    pub(super) list: Vec<Stretch>,
    gates: Gates,
    /// When each device is on, by its place in [`Network::loads`].
    windows: Vec<Windows>,
}

impl Stretches {
    /// Solves one of them, with everything switched as it is then.
    pub(super) fn solve(&self, stretch: &Stretch, solver: &mut Solver<'_>, open_v: &[f64]) {
        if !self.gates.is_empty() {
            let takes = |node: usize| solver.is_taking(node);
            let open = self.gates.open(stretch.middle, |it| stretch.on[it], takes);
            self.gates.apply(solver, &open);
        }
        solver.solve(&stretch.loads, open_v);
    }

    /// How long something that may be switched is on, h; all the time where nothing switches it.
    /// What is filled through it is taken to be full.
    pub(super) fn hours_open(&self, place: &str) -> f64 {
        let Some(gate) = self.gates.list.iter().position(|it| it.place == place) else {
            return 24.0;
        };
        let open = |it: &&Stretch| {
            self.gates
                .open(it.middle, |device| it.on[device], |_| false)[gate]
        };
        self.list.iter().filter(open).map(|it| it.hours).sum()
    }

    /// How often something that is switched is turned on or off in a day; 0 where nothing switches
    /// it.
    pub(super) fn turns_a_day(&self, devices: &[&Device], place: &str) -> f64 {
        turns_a_day(devices, &self.gates, &self.windows, place)
    }
}

/// Every state of the devices over a span, with its hours.
pub(super) fn stretches(
    plan: &Plan,
    arrangement: &Arrangement,
    network: &Network,
    span: &Span,
) -> Stretches {
    let devices: Vec<&Device> = fed(plan, arrangement).collect();
    let gates = Gates::of(arrangement, network);
    let windows = dividing::windows(arrangement, network, &gates, &devices);
    let mut edges: Vec<f64> = vec![0.0, 24.0];
    edges.extend(windows.iter().flat_map(Windows::edges));
    edges.extend(
        gates
            .list
            .iter()
            .filter_map(|it| it.hours.as_ref())
            .flatten()
            .flat_map(|it| [it.0, it.1]),
    );
    edges.sort_by(f64::total_cmp);
    edges.dedup();
    let mut partial: Vec<usize> = (0..devices.len())
        .filter(|it| windows[*it].is_partial())
        .collect();
    partial.sort_by(|a, b| {
        average(devices[*b])
            .power(12.0)
            .total_cmp(&average(devices[*a]).power(12.0))
    });
    // What something is switched on for is told apart before what only adds its watts.
    partial.sort_by_key(|it| gates.above_device(*it).is_empty());
    let (apart, averaged) = partial.split_at(partial.len().min(MOST_APART));
    let mut list = Vec::new();
    for pair in edges.windows(2) {
        let hours = span.between(pair[0], pair[1]);
        if hours <= 0.0 {
            continue;
        }
        let middle = f64::midpoint(pair[0], pair[1]);
        let shares: Vec<f64> = windows.iter().map(|it| it.share_at(middle)).collect();
        for state in 0..1_usize << apart.len() {
            let mut share = 1.0;
            let mut loads: Vec<Load> = devices
                .iter()
                .zip(&windows)
                .enumerate()
                .map(|(place, (device, windows))| {
                    let starts_here = arrangement.start_of(device.id.as_str()).is_none();
                    // What is filled takes as much on any wave.
                    let wave = if device.filling().is_some() {
                        1.0
                    } else {
                        network.wave_factor(place)
                    };
                    while_on(device, windows, middle, starts_here).times(wave)
                })
                .collect();
            let mut on: Vec<bool> = shares.iter().map(|it| *it > 0.0).collect();
            for (bit, device) in apart.iter().enumerate() {
                let is_on = state >> bit & 1 == 1;
                share *= if is_on {
                    shares[*device]
                } else {
                    1.0 - shares[*device]
                };
                on[*device] = is_on;
                if !is_on {
                    loads[*device] = Load {
                        power_factor: loads[*device].power_factor,
                        ..Load::default()
                    };
                }
            }
            for device in averaged {
                loads[*device] = loads[*device].times(shares[*device]);
            }
            if share > 0.0 {
                list.push(Stretch {
                    hours: share * hours,
                    loads,
                    on,
                    middle,
                });
            }
        }
    }
    Stretches {
        list,
        gates,
        windows,
    }
}

/// Share of the time that a thermostat is on; `None` for other cycles.
fn duty(device: &Device) -> Option<f64> {
    match &device.cycle {
        Some(Cycle::Thermostat { on_fraction, .. }) => Some(on_fraction.get()),
        _ => None,
    }
}

/// Hours of a day that a device is on by its own cycle.
pub(crate) fn hours_a_day(device: &Device) -> f64 {
    match &device.cycle {
        None | Some(Cycle::Continuous {}) => 24.0,
        Some(Cycle::Thermostat { on_fraction, .. }) => 24.0 * on_fraction.get(),
        Some(Cycle::Hours { from, to }) => {
            let (from, to) = (from.hours(), to.hours());
            if from <= to {
                to - from
            } else {
                24.0 - from + to
            }
        }
        Some(Cycle::Charge { .. }) => device
            .filling()
            .map_or(0.0, |it| it.hours / f64::from(it.every_days)),
    }
}

/// How often a device comes on in a span.
pub(super) fn starts(device: &Device, span: &Span) -> f64 {
    match &device.cycle {
        None | Some(Cycle::Continuous {}) => 0.0,
        Some(Cycle::Thermostat { period_s, .. }) => span.hours() * 3600.0 / period_s.get(),
        Some(Cycle::Hours { .. }) => span.hours() / 24.0,
        Some(Cycle::Charge { .. }) => device
            .filling()
            .map_or(0.0, |it| span.hours() / 24.0 / f64::from(it.every_days)),
    }
}

/// What a device takes in a day by itself at its rated voltage, all of its quantity, its starts
/// counted, Wh.
pub(crate) fn alone_wh(device: &Device) -> f64 {
    if let Some(filling) = device.filling() {
        return filling.wh / f64::from(filling.every_days);
    }
    let windows = Windows::of(device, &Gates::default(), &[]);
    let mut edges = vec![0.0, 24.0];
    if let Some(Cycle::Hours { from, to }) = &device.cycle {
        edges.extend([from.hours(), to.hours()]);
    }
    edges.sort_by(f64::total_cmp);
    let rated_v = device.input.rated_v.get();
    let pairs = edges.windows(2);
    let on = pairs.map(|it| {
        (it[1] - it[0])
            * while_on(device, &windows, f64::midpoint(it[0], it[1]), true).power(rated_v)
    });
    on.sum::<f64>() * duty(device).unwrap_or(1.0)
}

/// How often something that is switched is turned on or off in a day; 0 where nothing switches it.
///
/// By the clock: at each edge of its hours. With its load: what is on at hours of the day is taken
/// together, and each run of that is turned on and off once; a thermostat turns it twice a period
/// while nothing else is on, and what is filled every few days on those days.
fn turns_a_day(devices: &[&Device], gates: &Gates, all: &[Windows], place: &str) -> f64 {
    let Some(gate) = gates.list.iter().find(|it| it.place == place) else {
        return 0.0;
    };
    let windows: Vec<(usize, &Windows)> = gate.devices.iter().map(|it| (*it, &all[*it])).collect();
    let thermostat = |it: usize| matches!(devices[it].cycle, Some(Cycle::Thermostat { .. }));
    let mut edges = vec![0.0, 24.0];
    edges.extend(windows.iter().flat_map(|it| it.1.edges()));
    edges.extend(gate.hours.iter().flatten().flat_map(|it| [it.0, it.1]));
    edges.sort_by(f64::total_cmp);
    edges.dedup();
    let parts: Vec<(f64, f64)> = edges
        .windows(2)
        .filter(|it| it[1] > it[0])
        .map(|it| (it[0], it[1]))
        .collect();
    // The share of the days in which it is on in each part, by what is on at hours.
    let shares: Vec<f64> = parts
        .iter()
        .map(|(from, to)| {
            let middle = f64::midpoint(*from, *to);
            if gate.hours.is_some() {
                return f64::from(u8::from(gate.may_be_open(middle)));
            }
            let on = windows
                .iter()
                .filter(|it| !thermostat(it.0))
                .map(|it| it.1.share_at(middle));
            on.fold(0.0, f64::max)
        })
        .collect();
    let before = shares.iter().cycle().skip(shares.len().saturating_sub(1));
    // On days on which it is on in both, nothing is turned between two parts.
    let steps: f64 = shares
        .iter()
        .zip(before)
        .map(|(now, before)| (now - before).abs())
        .sum();
    if gate.hours.is_some() {
        return steps;
    }
    let alone = windows
        .iter()
        .filter(|it| thermostat(it.0))
        .map(|(device, windows)| {
            let Some(Cycle::Thermostat { period_s, .. }) = &devices[*device].cycle else {
                return 0.0;
            };
            let hours = parts.iter().zip(&shares).map(|((from, to), share)| {
                if windows.share_at(f64::midpoint(*from, *to)) > 0.0 {
                    (to - from) * (1.0 - share)
                } else {
                    0.0
                }
            });
            2.0 * 3600.0 * hours.sum::<f64>() / period_s.get()
        });
    steps + alone.sum::<f64>()
}

/// Actions a day that a person must do on what is switched by hand.
pub(crate) fn turns_by_hand(plan: &Plan, arrangement: &Arrangement) -> f64 {
    if arrangement
        .switching
        .iter()
        .all(|it| it.by_hand != Some(true))
    {
        return 0.0;
    }
    let network = Network::build(plan, arrangement, plan.site.ambient());
    let devices: Vec<&Device> = fed(plan, arrangement).collect();
    let gates = Gates::of(arrangement, &network);
    let windows = dividing::windows(arrangement, &network, &gates, &devices);
    let by_hand = gates.list.iter().filter(|it| it.by_hand);
    by_hand
        .map(|it| turns_a_day(&devices, &gates, &windows, &it.place))
        .sum()
}
