//! When the charging inputs take over a span: until their store is full, and then only what is
//! drawn from it.

use super::size::Size;
use super::stretch::Stretches;
use crate::ground::figure::Figure;
use crate::ground::quantity::Celsius;
use crate::network::{Charge, Network, Solver};
use crate::site::chemistry;
use crate::site::plan::Plan;

/// Rounds in which the shares of stores that fill each other settle.
const ROUNDS: usize = 8;

/// The charging inputs of an arrangement, by the store that they fill.
#[derive(Debug)]
pub(super) struct Filling {
    stores: Vec<Fill>,
}

#[derive(Debug)]
struct Fill {
    nodes: Vec<usize>,
    /// When it is full, h; infinite where it never is, 0 where it takes nothing.
    until_h: f64,
    /// Share of the time in which it takes from then on, 0 to 1: what is drawn from it.
    after: f64,
}

impl Filling {
    /// By the mean rates of a use that goes on, from `charge`: a store of which the share c is
    /// stored an hour and the share d drawn is full after (1 − soc)/(c − d) and takes d/c of the
    /// time from then on. A store that is too cold to be charged takes nothing.
    pub(super) fn of(
        plan: &Plan,
        network: &Network,
        solver: &mut Solver<'_>,
        stretches: &Stretches,
        charge: &Charge,
        ambient: Celsius,
    ) -> Self {
        let mut stores: Vec<(String, Fill)> = Vec::new();
        for (node, _) in network.feeds() {
            let Some((source, _)) = network.input_at(node) else {
                continue;
            };
            match stores.iter_mut().find(|it| it.0 == source) {
                Some((_, fill)) => fill.nodes.push(node),
                None => {
                    stores.push((
                        source.to_owned(),
                        Fill {
                            nodes: vec![node],
                            until_h: f64::INFINITY,
                            after: 1.0,
                        },
                    ));
                }
            }
        }
        let open_v = network.open_volts(charge);
        // Share of each store that is stored an hour with every input taking.
        let mut stored = vec![0.0; stores.len()];
        for round in 0..ROUNDS {
            if stores.is_empty() {
                break;
            }
            let filling = Self {
                stores: stores.into_iter().map(|(_, fill)| fill).collect::<Vec<_>>(),
            };
            let shares: Vec<f64> = filling.stores.iter().map(|it| it.after).collect();
            let ids: Vec<String> = filling
                .stores
                .iter()
                .filter_map(|it| network.input_at(it.nodes[0]).map(|it| it.0.to_owned()))
                .collect();
            let mut drawn = vec![0.0; ids.len()];
            let hours: f64 = stretches
                .list
                .iter()
                .map(|it| it.hours)
                .sum::<f64>()
                .max(f64::MIN_POSITIVE);
            for (part, on) in Self::parts(&shares) {
                filling.apply(solver, &on);
                for stretch in &stretches.list {
                    stretches.solve(stretch, solver, &open_v);
                    let weight = part * stretch.hours / hours;
                    for (index, id) in ids.iter().enumerate() {
                        let Some(battery) = plan.source(id).and_then(|it| it.battery.as_ref())
                        else {
                            continue;
                        };
                        let size = Size::of(battery, ambient.0);
                        let place = network.source_index(id);
                        let volts = place.map_or_else(
                            || {
                                let cells = battery.cells.as_ref().map_or(1.0, Figure::get);
                                chemistry::find(&battery.chemistry)
                                    .map_or(0.0, |it| it.cell_v(charge.of(id)))
                                    * cells
                            },
                            |it| open_v[it],
                        );
                        if round == 0 {
                            stored[index] +=
                                weight * size.charged_per_hour(solver.charged_w(id), volts);
                        }
                        if let Some(place) = place {
                            let (watts, amps) = solver.source(place);
                            drawn[index] += weight * size.share_per_hour(watts, amps, amps);
                        }
                    }
                }
            }
            stores = ids.into_iter().zip(filling.stores).collect();
            for (index, (id, fill)) in stores.iter_mut().enumerate() {
                let battery = plan.source(id).and_then(|it| it.battery.as_ref());
                let chemistry = battery.and_then(|it| chemistry::find(&it.chemistry));
                if chemistry.is_some_and(|it| ambient.0 < it.charge_min_c) {
                    (fill.until_h, fill.after) = (0.0, 0.0);
                } else if stored[index] > drawn[index] {
                    // The filling itself is judged with every input on; only what follows hangs on
                    // the others' shares.
                    if round == 0 {
                        fill.until_h =
                            (1.0 - charge.of(id)).max(0.0) / (stored[index] - drawn[index]);
                    }
                    fill.after = drawn[index] / stored[index];
                }
            }
        }
        Self {
            stores: stores.into_iter().map(|(_, fill)| fill).collect(),
        }
    }

    /// Times at which a store is full, h, rising.
    pub(super) fn edges(&self) -> Vec<f64> {
        let mut edges: Vec<f64> = self
            .stores
            .iter()
            .map(|it| it.until_h)
            .filter(|it| it.is_finite())
            .collect();
        edges.sort_by(f64::total_cmp);
        edges
    }

    /// Share of the time in which each store takes, after `hours`.
    pub(super) fn at(&self, hours: f64) -> Vec<f64> {
        self.stores
            .iter()
            .map(|it| if hours < it.until_h { 1.0 } else { it.after })
            .collect()
    }

    /// Share of the time in which each store takes, over the first `hours`.
    pub(super) fn over(&self, hours: f64) -> Vec<f64> {
        let share = |it: &Fill| {
            let full = it.until_h.min(hours);
            if hours > 0.0 {
                (full + it.after * (hours - full)) / hours
            } else {
                it.after
            }
        };
        self.stores.iter().map(share).collect()
    }

    /// Parts of a time in which stores take for these shares of it: how long each is, 0 to 1, and
    /// who takes in it. Their times are laid one upon the other from the beginning on.
    pub(super) fn parts(shares: &[f64]) -> Vec<(f64, Vec<bool>)> {
        let mut edges = vec![0.0, 1.0];
        edges.extend(shares.iter().map(|it| it.clamp(0.0, 1.0)));
        edges.sort_by(f64::total_cmp);
        let pairs = edges.windows(2).filter(|it| it[1] > it[0]);
        pairs
            .map(|it| {
                (
                    it[1] - it[0],
                    shares.iter().map(|share| *share > it[0]).collect(),
                )
            })
            .collect()
    }

    /// Lets the inputs of stores take, or not.
    pub(super) fn apply(&self, solver: &mut Solver<'_>, on: &[bool]) {
        for (fill, on) in self.stores.iter().zip(on) {
            for node in &fill.nodes {
                solver.take(*node, if *on { 1.0 } else { 0.0 });
            }
        }
    }

    /// Shares with which a store's own inputs always take: what it gains is told against what it
    /// gives.
    pub(super) fn with_own(
        &self,
        mut shares: Vec<f64>,
        network: &Network,
        source: &str,
    ) -> Vec<f64> {
        for (fill, share) in self.stores.iter().zip(&mut shares) {
            if network
                .input_at(fill.nodes[0])
                .is_some_and(|it| it.0 == source)
                && fill.until_h > 0.0
            {
                *share = 1.0;
            }
        }
        shares
    }
}
