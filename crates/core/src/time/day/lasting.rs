//! How long a store carries a use that goes on.

use super::filling::Filling;
use super::size::Size;
use super::span::Span;
use super::stretch::Stretches;
use super::using::Use;
use crate::ground::figure::Figure;
use crate::ground::say::Sentence;
use crate::network::{Charge, Moment, Network, Reading, Solver};
use crate::site::plan::{Arrangement, Battery, Plan, Source};
use serde::Serialize;
use std::collections::BTreeMap;

/// Slices of charge for which the draw is solved.
const SLICES: usize = 16;

/// How long a store carries a day's use over and over.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Lasting {
    /// Time from the given charge down to the floor, h; none where nothing is drawn, or as much is
    /// charged.
    pub to_floor_h: Option<f64>,
    /// The floor, 0 to 1.
    pub floor_soc: f64,
    /// Energy at the terminals from the given charge down to the floor, Wh.
    pub to_floor_wh: f64,
    /// Time from the given charge until something quits, h; none as above.
    pub to_cut_off_h: Option<f64>,
    /// The charge at which it does, 0 to 1.
    pub cut_off_soc: f64,
    /// What quits first, in words.
    pub cut_off_by: Sentence,
    /// What is drawn on average at the given charge, W.
    pub average_w: f64,
    /// What is stored on average at the same time through its inputs, W.
    pub charged_w: f64,
}

/// How long each store in use carries the day's use, from `charge` down to its floor and to where
/// something quits.
///
/// dsoc/dt = −I_eff/(C·f(T)) with I_eff = I·(I/I_rated)^(k−1) above the rated current, else I
/// (Peukert 1897); energy stores −P/(E·f(T)). Integrated over the charge by the midpoint rule.
/// A steady estimate: every store by itself, at the rate of the day's mean.
pub fn lasting(
    plan: &Plan,
    arrangement: &Arrangement,
    charge: &Charge,
) -> BTreeMap<String, Lasting> {
    lasting_over(plan, arrangement, charge, &Span::day(plan))
}

/// [`lasting`] with the use and the temperature of a span.
pub fn lasting_over(
    plan: &Plan,
    arrangement: &Arrangement,
    charge: &Charge,
    span: &Span,
) -> BTreeMap<String, Lasting> {
    let network = Network::build(plan, arrangement, span.ambient);
    Use::over(plan, arrangement, &network, span.clone()).lasting(charge)
}

impl Use<'_> {
    /// See [`lasting`].
    pub(crate) fn lasting(&self, charge: &Charge) -> BTreeMap<String, Lasting> {
        let ready = (self.network, &self.stretches);
        lasting_on(self.plan, self.way, charge, &self.span, ready)
    }
}

fn lasting_on(
    plan: &Plan,
    arrangement: &Arrangement,
    charge: &Charge,
    span: &Span,
    (network, stretches): (&Network, &Stretches),
) -> BTreeMap<String, Lasting> {
    let mut solver = Solver::new(network);
    let filling = Filling::of(plan, network, &mut solver, stretches, charge, span.ambient);
    let edges = filling.edges();
    let stored = plan
        .kit
        .sources
        .iter()
        .filter_map(|it| Some((it, it.battery.as_ref()?)));
    let in_use = stored.filter_map(|(source, battery)| {
        let index = network.source_index(source.id.as_str())?;
        let from = charge.of(source.id.as_str());
        let (cut_off_soc, cut_off_by) = cut_off(plan, arrangement, network, charge, source);
        let mut rate = |soc: f64, hours: f64| {
            let open_v = network.open_volts(&charge.clone().with(source.id.as_str(), soc));
            let takes = filling.with_own(filling.at(hours), network, source.id.as_str());
            let mut mean = Rate {
                share: 0.0,
                watts: 0.0,
                charged_w: 0.0,
            };
            for (part, on) in Filling::parts(&takes) {
                filling.apply(&mut solver, &on);
                let it = mean_rate(&mut solver, stretches, &open_v, index, battery, span);
                mean.share += part * it.share;
                mean.watts += part * it.watts;
                mean.charged_w += part * it.charged_w;
            }
            mean
        };
        let floor = battery.floor();
        let (to_floor_h, to_floor_wh) = run_down(from, floor, &edges, &mut rate);
        let (to_cut_off_h, _) = run_down(from, cut_off_soc, &edges, &mut rate);
        let Rate {
            watts, charged_w, ..
        } = rate(from, 0.0);
        let lasting = Lasting {
            to_floor_h,
            floor_soc: floor,
            to_floor_wh,
            to_cut_off_h,
            cut_off_soc,
            cut_off_by: cut_off_by.into(),
            average_w: watts,
            charged_w,
        };
        Some((source.id.to_string(), lasting))
    });
    in_use.collect()
}

/// A store's mean rate over a span.
struct Rate {
    /// Share of the store used per hour, charging taken off.
    share: f64,
    watts: f64,
    charged_w: f64,
}

fn mean_rate(
    solver: &mut Solver<'_>,
    stretches: &Stretches,
    open_v: &[f64],
    source: usize,
    battery: &Battery,
    span: &Span,
) -> Rate {
    let size = Size::of(battery, span.ambient.0);
    let hours = span.hours().max(f64::MIN_POSITIVE);
    let mut rate = Rate {
        share: 0.0,
        watts: 0.0,
        charged_w: 0.0,
    };
    for stretch in &stretches.list {
        stretches.solve(stretch, solver, open_v);
        let (drawn_w, amps) = solver.source(source);
        let charged_w = solver.charged_w_of(source);
        let weight = stretch.hours / hours;
        rate.share += weight
            * (size.share_per_hour(drawn_w, amps, amps)
                - size.charged_per_hour(charged_w, open_v[source]));
        rate.watts += weight * drawn_w;
        rate.charged_w += weight * charged_w;
    }
    rate
}

/// Hours and watt-hours from one charge down to another; no hours where it does not go down. The
/// rate is that of the charge and of the time: it changes at the `edges` (h, rising), where
/// something that is filled from the store is full.
fn run_down(
    from: f64,
    to: f64,
    edges: &[f64],
    rate: &mut dyn FnMut(f64, f64) -> Rate,
) -> (Option<f64>, f64) {
    let slice = (from - to).max(0.0) / SLICES as f64;
    let (mut hours, mut energy_wh) = (0.0, 0.0);
    for index in 0..SLICES {
        let soc = from - slice * (index as f64 + 0.5);
        let mut left = slice;
        for edge in edges
            .iter()
            .copied()
            .chain([f64::INFINITY])
            .filter(|it| *it > 0.0)
        {
            if edge <= hours {
                continue;
            }
            let Rate { share, watts, .. } = rate(soc, hours);
            if share <= 0.0 && edge.is_infinite() {
                return (None, 0.0);
            }
            let long = if share > 0.0 {
                (left / share).min(edge - hours)
            } else {
                edge - hours
            };
            hours += long;
            energy_wh += long * watts;
            left = (left - long * share.max(0.0)).max(0.0);
            if left <= slice * 1e-12 {
                break;
            }
        }
    }
    if hours.is_finite() {
        (Some(hours), energy_wh)
    } else {
        (None, 0.0)
    }
}

/// The charge at which something that hangs on a store quits when busy, and what: the battery at
/// its cut-off, a converter at its cut-out, a device at its least voltage, or the empty store.
pub(super) fn cut_off(
    plan: &Plan,
    arrangement: &Arrangement,
    network: &Network,
    charge: &Charge,
    source: &Source,
) -> (f64, String) {
    let id = source.id.as_str();
    let loads = Moment::Busy.loads(plan, arrangement, network);
    let least = |item: &str| -> Option<f64> {
        if let Some(device) = plan.device(item) {
            return device.input.min_v.as_ref().map(Figure::get);
        }
        let input = &plan.converter(item)?.input;
        let edges = [input.min_v.as_ref(), input.cut_out_v.as_ref()];
        edges
            .into_iter()
            .flatten()
            .map(Figure::get)
            .reduce(f64::max)
    };
    let hangs = |item: &str| {
        arrangement
            .chain(item)
            .last()
            .is_some_and(|it| arrangement.feeds[*it].from.item.as_str() == id)
    };
    let watched: Vec<(usize, &str, f64)> = network
        .feeds()
        .filter_map(|(node, feed)| {
            let item = arrangement.feeds[feed].to.item.as_str();
            Some((node, item, least(item)?)).filter(|_| hangs(item))
        })
        .collect();
    let own = source
        .battery
        .as_ref()
        .and_then(|it| it.cut_off_v.as_ref())
        .map(Figure::get);
    let index = network.source_index(id);
    let mut solver = Solver::new(network);
    let mut quits = |soc: f64| -> Option<String> {
        solver.solve(&loads, &network.open_volts(&charge.clone().with(id, soc)));
        let terminals = index.and_then(|it| solver.read(Reading::TerminalVolts(it)));
        if let (Some(own), Some(volts)) = (own, terminals)
            && volts <= own
        {
            return Some(format!("{} cuts off", source.label));
        }
        // What is dark has quit as well.
        let below = |node: usize, least: f64| {
            solver
                .read(Reading::FarVolts(node))
                .is_none_or(|it| it < least)
        };
        let first = watched.iter().find(|(node, _, least)| below(*node, *least));
        first.map(|(_, item, _)| format!("{} quits", plan.label(item)))
    };
    let from = charge.of(id);
    if let Some(what) = quits(from) {
        return (from, what);
    }
    let Some(mut what) = quits(0.0) else {
        return (0.0, format!("{} is empty", source.label));
    };
    let (mut bad, mut good) = (0.0, from);
    for _ in 0..30 {
        let middle = f64::midpoint(bad, good);
        match quits(middle) {
            Some(it) => (bad, what) = (middle, it),
            None => good = middle,
        }
    }
    (good, what)
}
