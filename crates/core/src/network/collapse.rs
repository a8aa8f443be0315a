//! A lead that cannot carry its load at any voltage, and what could.

use super::build::{End, Network, Takes};
use super::load::Load;
use super::solve::{Broken, Solver};
use crate::ground::quantity::Celsius;
use crate::site::plan::Arrangement;
use crate::site::wire::{Lead, area, per_metre};
use serde::Serialize;

/// A feed, or a source's own resistance, that has no stable state under its load.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Collapse {
    /// What the feed leads to; the source where its own resistance is to blame.
    pub at: String,
    /// Whether it is a source's own resistance.
    pub inside_source: bool,
    /// Voltage at the near end with this feed cut off, V.
    pub near_v: f64,
    /// Resistance of the lead, Ω.
    pub ohms: f64,
    /// What the far end wants at the near end's voltage, W.
    pub wanted_w: f64,
    /// The most that could arrive through this lead, V²·power factor/(4R), W.
    pub most_w: f64,
    /// The longest lead of this area that has a stable state, m; none where even no lead has one.
    pub longest_m: Option<f64>,
    /// The smallest area at this length that has a stable state, mm².
    pub least_mm2: Option<f64>,
}

/// Describes everything that broke off in a solved state.
pub(super) fn describe(
    arrangement: &Arrangement,
    ambient: Celsius,
    solver: &Solver<'_>,
    network: &Network,
    terms: (&[Load], &[f64]),
) -> Vec<Collapse> {
    let broken = solver.state.broken.iter();
    broken
        .map(|it| match *it {
            Broken::Node(node) => lead(arrangement, ambient, solver, network, node, terms),
            Broken::Terminals(source) => {
                let ohms = solver.state.inner[source];
                let open_v = terms.1[source];
                Collapse {
                    at: network.sources[source].id.clone(),
                    inside_source: true,
                    near_v: open_v,
                    ohms,
                    wanted_w: wanted_inside(network, source, terms),
                    most_w: open_v * open_v / (4.0 * ohms),
                    longest_m: None,
                    least_mm2: None,
                }
            }
        })
        .collect()
}

/// What everything on a source would draw if the source had no resistance of its own, W.
fn wanted_inside(network: &Network, source: usize, (loads, open_v): (&[Load], &[f64])) -> f64 {
    let mut stiff = network.clone();
    if let Some(cells) = &mut stiff.sources[source].cells {
        cells.internal_ohm = 0.0;
    }
    let mut solver = Solver::new(&stiff);
    solver.solve(loads, open_v);
    solver.source(source).0
}

fn lead(
    arrangement: &Arrangement,
    ambient: Celsius,
    solver: &Solver<'_>,
    network: &Network,
    node: usize,
    (loads, open_v): (&[Load], &[f64]),
) -> Collapse {
    let this = &network.nodes[node];
    let feed = &arrangement.feeds[this.feed];
    let near_v = solver.state.near[node];
    let (wanted_w, factor) = match &this.end {
        End::Device(device) => (loads[*device].power(near_v), loads[*device].power_factor),
        End::Input(input) => (input.most_w(near_v, Takes::ALL), 1.0),
        End::Converter(stage) => {
            let without = with_ohms(network, node, 0.0);
            let mut solver = Solver::new(&without);
            solver.solve(loads, open_v);
            (
                solver.state.watts[node],
                network.converters[*stage].power_factor,
            )
        }
    };
    let stable = stable_ohms(network, node, loads, open_v);
    let cable = feed.cable.as_ref();
    let contacts = cable
        .and_then(|it| it.contact_ohm.as_ref())
        .map_or(0.0, crate::ground::figure::Figure::get);
    let conductor = stable
        .map(|ohms| ohms - contacts)
        .filter(|ohms| *ohms > 0.0);
    let (length, area) = (cable.map(|it| it.length_m.get()), cable.and_then(area));
    // What the current adds stays as it is: a shorter lead carries no less, a thicker one is cooler
    // than told.
    let warm = if this.lead.ohms > contacts {
        (this.lead.at(f64::INFINITY) - contacts) / (this.lead.ohms - contacts)
    } else {
        1.0
    };
    let per_metre = cable
        .and_then(|it| per_metre(it, ambient))
        .map(|it| it * warm);
    Collapse {
        at: feed.to.to_string(),
        inside_source: false,
        near_v,
        ohms: this.lead.ohms,
        wanted_w,
        most_w: factor * near_v * near_v / (4.0 * this.lead.ohms),
        longest_m: conductor
            .zip(per_metre)
            .map(|(ohms, per_metre)| ohms / per_metre),
        least_mm2: conductor
            .zip(length)
            .zip(per_metre.zip(area))
            .map(|((ohms, length), (per_metre, area))| per_metre * area.0 * length / ohms),
    }
}

fn with_ohms(network: &Network, node: usize, ohms: f64) -> Network {
    let mut other = network.clone();
    other.nodes[node].lead = Lead {
        ohms,
        ..Lead::default()
    };
    other
}

/// The largest resistance of one lead at which it stands, by bisection; `None` where not even 0
/// does.
fn stable_ohms(network: &Network, node: usize, loads: &[Load], open_v: &[f64]) -> Option<f64> {
    let stands = |ohms: f64| {
        let other = with_ohms(network, node, ohms);
        let mut solver = Solver::new(&other);
        solver.solve(loads, open_v);
        !solver.state.broken.contains(&Broken::Node(node)) && solver.state.alive[node]
    };
    if !stands(0.0) {
        return None;
    }
    let (mut low, mut high) = (0.0, network.nodes[node].lead.at(f64::INFINITY));
    for _ in 0..60 {
        let middle = f64::midpoint(low, high);
        if stands(middle) {
            low = middle;
        } else {
            high = middle;
        }
    }
    Some(low)
}
