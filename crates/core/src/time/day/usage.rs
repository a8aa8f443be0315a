//! What flows over a span, in watt-hours.

use super::filling::Filling;
use super::span::Span;
use super::stretch::{Stretches, starts};
use super::using::Use;
use crate::ground::figure::Figure;
use crate::network::{Charge, Load, Network, Solver, phase_load};
use crate::site::plan::{Arrangement, PhaseKind, Plan, StartsOn};
use serde::Serialize;
use std::collections::BTreeMap;

/// A loss over a span, Wh, split by what it comes with.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Default)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LossWh {
    /// Because it is switched on, Wh.
    pub idle_wh: f64,
    /// In proportion to its output, Wh.
    pub proportional_wh: f64,
    /// With the square of its output, Wh.
    pub quadratic_wh: f64,
}

impl LossWh {
    /// All of it, Wh.
    pub fn total_wh(&self) -> f64 {
        self.idle_wh + self.proportional_wh + self.quadratic_wh
    }

    fn add(&mut self, [idle, proportional, quadratic]: [f64; 3], hours: f64) {
        self.idle_wh += idle * hours;
        self.proportional_wh += proportional * hours;
        self.quadratic_wh += quadratic * hours;
    }
}

/// What an arrangement takes over a span, at a charge.
#[derive(Debug, Clone, PartialEq, Serialize, Default)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Usage {
    /// Length of the span, h.
    pub hours: f64,
    /// Drawn from the stores at their terminals, Wh.
    pub drawn_wh: f64,
    /// Arriving at devices, Wh.
    pub delivered_wh: f64,
    /// Arriving at charging inputs, Wh.
    pub charging_wh: f64,
    /// Lost only because things are switched on, Wh.
    pub idle_wh: f64,
    /// Lost in leads and contacts, Wh.
    pub cables_wh: f64,
    /// Lost in converters and ports with their load, Wh.
    pub conversion_wh: f64,
    /// Lost inside the stores, in their own resistance, Wh; not part of what is drawn at the
    /// terminals.
    pub internal_wh: f64,
    /// Arriving at each device, Wh.
    pub devices: BTreeMap<String, f64>,
    /// Drawn from each source, Wh.
    pub sources: BTreeMap<String, f64>,
    /// Lost in each converter.
    pub converters: BTreeMap<String, LossWh>,
    /// Lost in each port's own conversion, as `source/port`.
    pub ports: BTreeMap<String, LossWh>,
    /// Lost in each lead, by what it leads to, Wh.
    pub leads: BTreeMap<String, f64>,
}

/// What `arrangement` takes in one day at `charge`; starts counted, at each coming-on.
pub fn day(plan: &Plan, arrangement: &Arrangement, charge: &Charge) -> Usage {
    over(plan, arrangement, charge, &Span::day(plan))
}

/// What `arrangement` takes over a span at `charge`; starts counted, at each coming-on. A store
/// that is filled from another one takes until it is full, and then what is drawn from it.
pub fn over(plan: &Plan, arrangement: &Arrangement, charge: &Charge, span: &Span) -> Usage {
    let network = Network::build(plan, arrangement, span.ambient);
    Use::over(plan, arrangement, &network, span.clone()).usage(charge)
}

impl Use<'_> {
    /// What it takes at a charge; see [`over`].
    pub(crate) fn usage(&self, charge: &Charge) -> Usage {
        let ready = (self.network, &self.stretches);
        over_stretches(self.plan, self.way, charge, &self.span, ready)
    }

    /// Of [`Use::usage`] only what is drawn from the stores, Wh.
    pub(super) fn drawn_wh(&self, charge: &Charge) -> f64 {
        let ready = (self.network, &self.stretches, "");
        drawn_and_idle(self.plan, self.way, charge, &self.span, ready).0
    }
}

/// [`over`] on what was made ready: the network of the arrangement at the span's temperature, which
/// its switches do not touch, and the states of its devices in the span.
fn over_stretches(
    plan: &Plan,
    arrangement: &Arrangement,
    charge: &Charge,
    span: &Span,
    (network, stretches): (&Network, &Stretches),
) -> Usage {
    let mut total = Usage {
        hours: span.hours(),
        ..Usage::default()
    };
    each_state(plan, charge, span, (network, stretches), |solver, hours| {
        solver.add_to(arrangement, &mut total, hours);
    });
    for start in &arrangement.starts_on {
        start_elsewhere(plan, start, charge, span, &mut total);
    }
    total
}

/// Of [`over_stretches`] only what is drawn from the stores, and what one converter or outlet loses
/// for being on, Wh; the latter of none where none is named.
pub(super) fn drawn_and_idle(
    plan: &Plan,
    arrangement: &Arrangement,
    charge: &Charge,
    span: &Span,
    (network, stretches, place): (&Network, &Stretches, &str),
) -> (f64, f64) {
    let (mut drawn_wh, mut idle_wh) = (0.0, 0.0);
    each_state(plan, charge, span, (network, stretches), |solver, hours| {
        drawn_wh += hours * solver.sums().drawn_w;
        if place.is_empty() {
            return;
        }
        let mut add = |id: &str, loss: [f64; 3]| {
            if id == place {
                idle_wh += hours * loss[0];
            }
        };
        solver.each_converter(&mut add);
        solver.each_port(&mut add);
    });
    if !arrangement.starts_on.is_empty() {
        let mut starts = Usage::default();
        for start in &arrangement.starts_on {
            start_elsewhere(plan, start, charge, span, &mut starts);
        }
        drawn_wh += starts.drawn_wh;
        idle_wh += starts.idle_of(place);
    }
    (drawn_wh, idle_wh)
}

/// Every state of a span, solved, with its hours.
fn each_state(
    plan: &Plan,
    charge: &Charge,
    span: &Span,
    (network, stretches): (&Network, &Stretches),
    mut seen: impl FnMut(&Solver<'_>, f64),
) {
    let open_v = network.open_volts(charge);
    let mut solver = Solver::new(network);
    let filling = Filling::of(plan, network, &mut solver, stretches, charge, span.ambient);
    for (part, on) in Filling::parts(&filling.over(span.hours())) {
        filling.apply(&mut solver, &on);
        for stretch in &stretches.list {
            stretches.solve(stretch, &mut solver, &open_v);
            seen(&solver, part * stretch.hours);
        }
    }
}

impl Usage {
    /// What a converter or an outlet loses for being on, Wh.
    pub(super) fn idle_of(&self, place: &str) -> f64 {
        let loss = self.converters.get(place).or_else(|| self.ports.get(place));
        loss.map_or(0.0, |it| it.idle_wh)
    }
}

/// Adds the starts of a device on another arrangement: only its chain there, which is on for as
/// long as it starts.
fn start_elsewhere(plan: &Plan, start: &StartsOn, charge: &Charge, span: &Span, total: &mut Usage) {
    let id = start.device.as_str();
    let (Some(device), Some(other)) = (
        plan.device(id),
        plan.arrangement(start.arrangement.as_str()),
    ) else {
        return;
    };
    let times = starts(device, span);
    let mut chain = other.clone();
    let kept = other.chain(id);
    chain.feeds = kept
        .iter()
        .rev()
        .map(|it| other.feeds[*it].clone())
        .collect();
    let network = Network::build(plan, &chain, span.ambient);
    let open_v = network.open_volts(charge);
    let mut solver = Solver::new(&network);
    for phase in device.phases_of(PhaseKind::Starting) {
        let hours = times * phase.seconds.as_ref().map_or(0.0, Figure::get) / 3600.0;
        let loads: Vec<Load> = network.loads(plan, |it| phase_load(it, phase).times(it.count()));
        solver.solve(&loads, &open_v);
        solver.add_to(&chain, total, hours);
    }
}

impl Solver<'_> {
    /// Adds `hours` of the state at hand to a span.
    fn add_to(&self, arrangement: &Arrangement, usage: &mut Usage, hours: f64) {
        let sums = self.sums();
        usage.drawn_wh += hours * sums.drawn_w;
        usage.delivered_wh += hours * sums.delivered_w;
        usage.charging_wh += hours * sums.charging_w;
        usage.idle_wh += hours * sums.idle_w;
        usage.cables_wh += hours * sums.cables_w;
        usage.conversion_wh += hours * sums.conversion_w;
        usage.internal_wh += hours * sums.internal_w;
        self.each_device(|id, watts| {
            *usage.devices.entry(id.to_owned()).or_default() += hours * watts;
        });
        self.each_source(|id, watts| {
            *usage.sources.entry(id.to_owned()).or_default() += hours * watts;
        });
        self.each_converter(|id, loss| {
            usage
                .converters
                .entry(id.to_owned())
                .or_default()
                .add(loss, hours);
        });
        self.each_port(|id, loss| {
            usage
                .ports
                .entry(id.to_owned())
                .or_default()
                .add(loss, hours);
        });
        self.each_lead(|feed, watts| {
            *usage
                .leads
                .entry(arrangement.feeds[feed].to.to_string())
                .or_default() += hours * watts;
        });
    }
}
