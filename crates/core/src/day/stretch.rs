//! The states that the devices are in over a span.

use super::span::Span;
use crate::network::{Load, Network, average, fed, phase_load};
use crate::plan::{Arrangement, Cycle, Device, PhaseKind, Plan};

/// Thermostats whose on and off are told apart; 2⁶ combinations a stretch.
const MOST_THERMOSTATS: usize = 6;

/// One state of the devices, and its share of the span.
pub(super) struct Stretch {
    pub(super) hours: f64,
    pub(super) loads: Vec<Load>,
}

/// Every state of the devices over a span, with its hours.
pub(super) fn stretches(plan: &Plan, arrangement: &Arrangement, network: &Network, span: &Span) -> Vec<Stretch> {
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
        let hours = span.between(pair[0], pair[1]);
        if hours <= 0.0 {
            continue;
        }
        let middle = f64::midpoint(pair[0], pair[1]);
        for state in 0..1_usize << apart.len() {
            let mut share = 1.0;
            let mut loads = network
                .loads(plan, |device| while_on(device, middle, arrangement.start_of(device.id.as_str()).is_none()));
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
                stretches.push(Stretch { hours: share * hours, loads });
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

/// Whether a device's hours hold a time of day; always for other cycles.
fn is_on(device: &Device, hour: f64) -> bool {
    let Some(Cycle::Hours { from, to }) = &device.cycle else { return true };
    let (from, to) = (from.hours(), to.hours());
    if from <= to { from <= hour && hour < to } else { hour >= from || hour < to }
}

/// How long a device is on at a time, h; `None` for one that is always on.
fn on_hours(device: &Device) -> Option<f64> {
    match &device.cycle {
        None | Some(Cycle::Continuous {}) => None,
        Some(Cycle::Thermostat { on_fraction, period_s }) => Some(on_fraction.get() * period_s.get() / 3600.0),
        Some(Cycle::Hours { from, to }) => {
            let (from, to) = (from.hours(), to.hours());
            Some(if from <= to { to - from } else { 24.0 - from + to })
        }
    }
}

/// Hours of a day that a device is on.
pub(crate) fn hours_a_day(device: &Device) -> f64 {
    duty(device).map_or_else(|| on_hours(device).unwrap_or(24.0), |share| 24.0 * share)
}

/// How often a device comes on in a span.
pub(super) fn starts(device: &Device, span: &Span) -> f64 {
    match &device.cycle {
        None | Some(Cycle::Continuous {}) => 0.0,
        Some(Cycle::Thermostat { period_s, .. }) => span.hours() * 3600.0 / period_s.get(),
        Some(Cycle::Hours { .. }) => span.hours() / 24.0,
    }
}

/// What a device draws on average while it is on, its starts counted where it starts here; nothing outside its hours.
fn while_on(device: &Device, hour: f64, starts_here: bool) -> Load {
    let running = average(device);
    let nothing = running.times(0.0);
    if !is_on(device, hour) {
        return nothing;
    }
    let Some(on_hours) = on_hours(device).filter(|_| starts_here) else { return running };
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

/// What a device takes in a day by itself at its rated voltage, all of its quantity, its starts counted, Wh.
pub(crate) fn alone_wh(device: &Device) -> f64 {
    let mut edges = vec![0.0, 24.0];
    if let Some(Cycle::Hours { from, to }) = &device.cycle {
        edges.extend([from.hours(), to.hours()]);
    }
    edges.sort_by(f64::total_cmp);
    let rated_v = device.input.rated_v.get();
    let pairs = edges.windows(2);
    let on = pairs.map(|it| (it[1] - it[0]) * while_on(device, f64::midpoint(it[0], it[1]), true).power(rated_v));
    on.sum::<f64>() * duty(device).unwrap_or(1.0)
}
