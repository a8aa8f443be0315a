//! What flows in a moment of the march, at the charge that its stores have then: what panels give in
//! their light, what inputs take, and what chargers hold.

use super::clock::DAY;
use super::march::March;
use super::sun::Plane;
use crate::network::Takes;
use crate::site::battery::{held_amps, takes_w, taper};

/// Below this charge nothing is kept awake any more.
const AWAKE: f64 = 0.005;
/// Rounds in which inputs are held down to what their store takes.
const BOUND_ROUNDS: usize = 4;
/// How near to its time the edge of a shade is met, s.
const SHADE_EXACT_S: f64 = 1e-3;

impl March<'_> {
    pub(super) fn solve_at(&mut self, soc: &[f64]) {
        let setting = self.setting;
        // Where everything is off, nothing flows at any charge.
        let still = self.feeds_off.iter().all(|it| *it) && !self.turning.stands_by;
        if std::mem::replace(&mut self.still, still) && self.still {
            return;
        }
        for (store, soc) in setting.stores.iter().zip(soc) {
            if let Some(place) = store.place {
                let running = setting.drives(place, self.t);
                self.open_v[place] = if running {
                    setting.origins[place].running_v
                } else {
                    setting.network.open_volts_of(place, *soc)
                };
            }
        }
        if !setting.inputs.is_empty() {
            for (node, store, _) in &setting.inputs {
                self.takes[*node] = self.taken(*store, soc[*store], *node);
            }
            self.solver
                .switch(&self.feeds_off, &self.ports_off, &self.takes);
        }
        self.solver.solve(&self.loads, &self.open_v);
        self.bound_inputs(soc);
    }

    /// Holds the inputs of each store down to what its chargers give at their volts, and to what it
    /// takes.
    fn bound_inputs(&mut self, soc: &[f64]) {
        let setting = self.setting;
        for (index, store) in setting.stores.iter().enumerate() {
            if !setting.inputs.iter().any(|it| it.1 == index) {
                continue;
            }
            self.bound_by_volts(index, soc[index]);
            if !store.is_bounded() {
                continue;
            }
            let most = self.most_w(index, soc[index]);
            let own = store
                .chemistry
                .map_or(1.0, |it| it.charge_efficiency)
                .max(1e-9);
            for _ in 0..BOUND_ROUNDS {
                let fed = setting.inputs.iter().filter(|it| it.1 == index);
                let given: f64 = fed
                    .map(|(node, _, stored)| self.solver.watts_at(*node) * stored / own)
                    .sum();
                if given <= most * (1.0 + 1e-6) {
                    break;
                }
                for (node, _, _) in setting.inputs.iter().filter(|it| it.1 == index) {
                    self.hold_down(*node, most / given);
                }
                self.solver
                    .switch(&self.feeds_off, &self.ports_off, &self.takes);
                self.solver.solve(&self.loads, &self.open_v);
            }
        }
    }

    /// Lets an input take a share of what it gets: what it would take itself may be more than that,
    /// where a port before it gives no more.
    fn hold_down(&mut self, node: usize, share: f64) {
        let (gets, wants) = (self.solver.watts_at(node), self.solver.wants_w(node));
        self.takes[node].share *= if wants > 0.0 {
            (gets * share / wants).min(1.0)
        } else {
            share
        };
    }

    /// Holds what chargers give a store down to what flows at the volts that each of them holds,
    /// the lowest first: what others bring lifts the terminals too, and what is drawn meanwhile
    /// passes by the cells.
    fn bound_by_volts(&mut self, index: usize, soc: f64) {
        let setting = self.setting;
        let store = &setting.stores[index];
        let own = store
            .chemistry
            .map_or(1.0, |it| it.charge_efficiency)
            .max(1e-9);
        let holds =
            |charger: Option<f64>, volts: f64| charger.is_some_and(|it| (it - volts).abs() < 1e-9);
        for volts in &store.charged_at {
            let most_a = held_amps(store.battery, soc, setting.ambient_c, *volts);
            if most_a.is_infinite() {
                continue;
            }
            for _ in 0..BOUND_ROUNDS {
                let drawn_a = store.place.map_or(0.0, |it| self.solver.source(it).1);
                let (mut given_a, mut others_a) = (0.0, 0.0);
                for ((node, _, stored), charger) in setting.inputs_of(index) {
                    let amps = self.solver.watts_at(*node) * stored / own / volts;
                    *(if holds(charger, *volts) {
                        &mut given_a
                    } else {
                        &mut others_a
                    }) += amps;
                }
                let may_a = (most_a + drawn_a - others_a).max(0.0);
                if given_a <= may_a * (1.0 + 1e-6) + 1e-9 {
                    break;
                }
                for ((node, _, _), _) in setting.inputs_of(index).filter(|it| holds(it.1, *volts)) {
                    self.hold_down(*node, may_a / given_a);
                }
                self.solver
                    .switch(&self.feeds_off, &self.ports_off, &self.takes);
                self.solver.solve(&self.loads, &self.open_v);
            }
        }
    }

    /// What a store takes at its terminals at a charge, W: what its chemistry takes, and what it
    /// may be charged with.
    pub(super) fn most_w(&self, index: usize, soc: f64) -> f64 {
        let store = &self.setting.stores[index];
        let volts = self.volts_of(index, soc);
        let may = if store.battery.cells.is_some() {
            store.max_charge_a * volts
        } else {
            f64::INFINITY
        };
        takes_w(store.battery, soc, self.setting.ambient_c, volts).min(may)
    }

    /// The volts of a store: at its terminals where it is in use, else at rest.
    pub(super) fn volts_of(&self, index: usize, soc: f64) -> f64 {
        let store = &self.setting.stores[index];
        let volts = store.place.map_or(0.0, |it| {
            let under = self.solver.terminal_volts(it);
            if under > 0.0 && !self.still {
                under
            } else {
                self.setting.network.open_volts_of(it, soc)
            }
        });
        if volts > 0.0 {
            return volts;
        }
        let cells = store
            .battery
            .cells
            .as_ref()
            .map_or(1.0, crate::ground::figure::Figure::get);
        store.chemistry.map_or(0.0, |it| it.cell_v(soc)) * cells
    }

    /// How much a charging input takes: the less of what it would take by itself the fuller its
    /// store is, and no more than the light gives.
    fn taken(&self, store: usize, soc: f64, node: usize) -> Takes {
        let it = &self.setting.stores[store];
        let refuses = it.too_cold || self.full[store] || self.setting.away(store, self.t).is_some();
        Takes {
            share: if refuses { 0.0 } else { taper(it.battery, soc) },
            light: self.light_on(node),
        }
    }

    /// What a panel gives of its most at the beginning of a feed, 0 to 1; 1 where none stands
    /// there.
    pub(super) fn light_on(&self, node: usize) -> f64 {
        let setting = self.setting;
        let Some(origin) = setting.panel_of(node).map(|it| &setting.origins[it]) else {
            return 1.0;
        };
        if self.is_shaded(node) {
            return 0.0;
        }
        let plane = Plane {
            tilt_deg: origin.tilt_deg.unwrap_or(setting.tilt_deg),
            azimuth_deg: origin.azimuth_deg,
        };
        let light = setting.seat.map_or(0.0, |it| {
            it.share(&setting.clock, self.t, plane, setting.sky)
        });
        setting
            .network
            .in_light(node, (light * origin.in_light).min(1.0))
    }

    /// Whether the panel at the beginning of a feed stands in the shade now.
    pub(super) fn is_shaded(&self, node: usize) -> bool {
        let now = self.setting.clock.of_day(self.t + SHADE_EXACT_S);
        let Some(origin) = self
            .setting
            .panel_of(node)
            .map(|it| &self.setting.origins[it])
        else {
            return false;
        };
        origin.shade.iter().any(|(from, to)| {
            if from < to {
                *from <= now && now < *to
            } else {
                now >= *from || now < *to
            }
        })
    }

    /// When a shade falls on a panel or leaves one next, s.
    pub(super) fn next_shade(&self) -> f64 {
        let now = self.setting.clock.of_day(self.t);
        let edges = self
            .setting
            .origins
            .iter()
            .flat_map(|it| &it.shade)
            .flat_map(|it| [it.0, it.1]);
        let left = edges
            .map(|it| (it - now).rem_euclid(DAY))
            .filter(|it| *it > SHADE_EXACT_S);
        self.t + left.fold(f64::INFINITY, f64::min)
    }

    pub(super) fn flow_at(&mut self, soc: &[f64], first: bool) {
        self.solve_at(soc);
        let setting = self.setting;
        let flow = if first {
            &mut self.here
        } else {
            &mut self.there
        };
        let sums = self.solver.sums();
        flow.delivered_w = sums.delivered_w;
        flow.charging_w = sums.charging_w;
        flow.conversion_w = sums.conversion_w;
        flow.idle_w = sums.idle_w;
        flow.cables_w = sums.cables_w;
        flow.drawn_w = sums.drawn_w;
        flow.internal_w = sums.internal_w;
        flow.mains_w = 0.0;
        for (watts, run) in flow.devices.iter_mut().zip(&setting.devices) {
            *watts = self.solver.watts_at(run.node);
        }
        if self.fineness.told {
            for (node, lost) in flow.at_feeds.iter_mut().enumerate() {
                let [idle, load] = self.solver.loss_at(node);
                let amps = self.solver.amps_at(node);
                *lost = [idle, load, amps * amps * self.solver.ohms_at(node)];
            }
            for (port, lost) in flow.at_ports.iter_mut().enumerate() {
                *lost = self.solver.loss_of_port(port);
            }
        }
        for (((node, _, _), behind), at) in setting
            .inputs
            .iter()
            .zip(&setting.behind)
            .zip(&mut flow.at_inputs)
        {
            *at = [
                self.solver.watts_at(*node),
                self.solver.taken_for(*node, behind),
            ];
        }
        for (lost, it) in flow.case_lost.iter_mut().zip(&setting.warming) {
            *lost = it
                .casing
                .lost_w(self.solver.watts_at(it.node), self.solver.loss_at(it.node));
        }
        for (index, origin) in setting.origins.iter().enumerate() {
            let drawn = self.solver.source(index).0;
            let passing = setting.is_carried(index, self.mains, self.t);
            if passing || origin.store.is_none() && !origin.is_panel {
                flow.mains_w += drawn;
            }
            if let Some(engine) = origin.engine {
                let runs = self.sources[index].is_none()
                    && (origin.drives.is_empty() || setting.drives(index, self.t));
                let idle = engine
                    .idle_l_per_h
                    .as_ref()
                    .map_or(0.0, crate::ground::figure::Figure::get);
                flow.burnt[index] = if runs {
                    idle + engine.l_per_kwh.get() * drawn / 1000.0
                } else {
                    0.0
                };
            }
        }
        let volts: Vec<f64> = (0..setting.stores.len())
            .map(|it| self.volts_of(it, soc[it]))
            .collect();
        let mut kept = vec![
            0.0;
            if setting.keepers.is_empty() {
                0
            } else {
                setting.stores.len()
            }
        ];
        for it in &setting.keepers {
            // An empty battery keeps nothing awake.
            if soc[it.store] > AWAKE && self.light_on(it.node) <= 0.0 {
                kept[it.store] += it.watts;
                let flow = if first {
                    &mut self.here
                } else {
                    &mut self.there
                };
                flow.idle_w += it.watts;
                flow.drawn_w += it.watts;
                if self.fineness.told {
                    flow.at_feeds[it.stage][0] += it.watts;
                }
            }
        }
        let flow = if first {
            &mut self.here
        } else {
            &mut self.there
        };
        for (index, store) in setting.stores.iter().enumerate() {
            let volts = volts[index];
            let passing = store
                .place
                .is_some_and(|it| setting.is_carried(it, self.mains, self.t));
            let (drawn, amps) = store
                .place
                .filter(|_| !passing)
                .map_or((0.0, 0.0), |it| self.solver.source(it));
            let kept = kept.get(index).copied().unwrap_or(0.0);
            let (drawn, amps) = (
                drawn + kept,
                amps + if volts > 0.0 { kept / volts } else { 0.0 },
            );
            let efficiency = store.chemistry.map_or(1.0, |it| it.charge_efficiency);
            let mut charged = 0.0;
            if !store.too_cold {
                let at = self.t + 1e-6;
                let spans = store.spans.iter().filter(|it| it.0 <= at && at < it.1);
                let wall = if self.mains && setting.away(index, self.t).is_none() {
                    store.wall_w
                } else {
                    0.0
                };
                let offered: f64 = spans.map(|it| it.2).sum::<f64>() + wall;
                let most = if store.battery.cells.is_some() {
                    store.max_charge_a * volts
                } else {
                    f64::INFINITY
                };
                let fed = setting.inputs.iter().filter(|it| it.1 == index);
                let through = fed
                    .map(|(node, _, stored)| self.solver.watts_at(*node) * stored)
                    .sum::<f64>();
                // What comes through its inputs is taken first; the rest of what it takes is for
                // the others.
                let left = (takes_w(store.battery, soc[index], setting.ambient_c, volts)
                    - through / efficiency)
                    .max(0.0);
                charged =
                    offered.min(most).min(left) * efficiency * taper(store.battery, soc[index])
                        + through;
            }
            flow.stores[index] = drawn;
            flow.charged[index] = charged;
            // Whoever drinks in gulps is as tired as by the mean of them.
            let mean = self.mean_a[index];
            let strained = if store.battery.is_full_model() && mean.1 > 0.0 {
                mean.0
            } else {
                amps
            };
            flow.amps[index] = amps;
            flow.rates[index] = store.size.charged_per_hour(charged, volts)
                - store.size.share_per_hour(drawn, amps, strained);
        }
    }
}
