//! How a setting is made: its flat lists, out of the plan.

use super::schedule::Habit;
use super::setting::{Keeper, Order, Origin, Run, Setting, Sleeper, Stage, Store, Warming};
use crate::ground::figure::{Basis, Figure};
use crate::network::{Casing, Moment, average, engine_volts, fed, phase_load};
use crate::site::battery::{held_until, is_too_cold};
use crate::site::chemistry;
use crate::site::plan::outage::{MainsState, Rule};
use crate::site::plan::source::{InputKind, SourceInput};
use crate::site::plan::{Converter, PhaseKind, Source, SourceKind, Then};
use crate::time::day::Size;

/// Share of its rated power that a panel gives in full light, for dirt, warmth and leads (a usual
/// planning figure).
const PANEL_SHARE: f64 = 0.8;
/// A thermostat that is quicker than this is not followed turn by turn, s.
const SHORTEST_PERIOD: f64 = 5.0;
/// A start of which nobody said how long it lasts is tested for this long, s.
const INSTANT_S: f64 = 1e-3;

impl Setting<'_> {
    /// Writes down the controller before a charging input, if it draws by night.
    fn keeps(&mut self, node: usize, store: usize) {
        let network = &self.network;
        let Some(place) = network.port_converter(network.port_of(node)) else {
            return;
        };
        let Some(stage) = (0..network.len()).find(|it| network.converter_at(*it) == Some(place))
        else {
            return;
        };
        let drawn = self
            .plan
            .converter(network.converter_id(place))
            .and_then(|it| it.night_w.as_ref());
        let watts = drawn.map_or(0.0, Figure::get);
        if watts > 0.0 {
            self.keepers.push(Keeper {
                store,
                node,
                stage,
                watts,
            });
        }
    }

    pub(super) fn fill_devices(&mut self) {
        for node in 0..self.network.len() {
            let Some(index) = self.network.device_at(node) else {
                continue;
            };
            let Some(device) = self.plan.device(self.network.device_id(index)) else {
                continue;
            };
            let seconds =
                |it: &crate::site::plan::Phase| it.seconds.as_ref().map_or(0.0, Figure::get);
            let wave = self.network.wave_factor(index);
            // What goes on and off every few seconds is on for its share all the time.
            let (habit, share) = match Habit::of(device) {
                Habit::Thermostat { share, period } if period < SHORTEST_PERIOD => {
                    (Habit::Always, share)
                }
                other => (other, 1.0),
            };
            self.devices.push(Run {
                device,
                node,
                habit,
                running: average(device).times(share * wave),
                busy: Moment::Busy.load_of(device).times(wave),
                drawn: share * wave,
                spells: Vec::new(),
                starting: device
                    .phases_of(PhaseKind::Starting)
                    .map(|it| {
                        (
                            phase_load(device, it).times(device.count() * wave),
                            seconds(it).max(INSTANT_S),
                        )
                    })
                    .collect(),
                min_v: device.input.min_v.as_ref().map(Figure::get),
                after: device.after_loss.as_ref(),
                deadline_s: device.deadline.as_ref().map(|it| it.minutes.get() * 60.0),
                inspects: device
                    .deadline
                    .as_ref()
                    .is_some_and(|it| it.then == Some(Then::InspectBeforeRestart)),
                priority: device.priority.as_ref().map_or(f64::INFINITY, Figure::get),
                there: (f64::NEG_INFINITY, f64::INFINITY),
                before: None,
            });
        }
        // In the order of the network's loads.
        let place = |id: &str| fed(self.plan, self.way).position(|it| it.id.as_str() == id);
        self.devices.sort_by_key(|it| place(it.device.id.as_str()));
    }

    pub(super) fn fill_sources(&mut self) {
        self.fill_stores();
        self.fill_origins();
        self.fill_inputs();
        self.fill_sleepers();
    }

    fn fill_stores(&mut self) {
        let used = |id: &str| {
            self.way
                .feeds
                .iter()
                .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
        };
        for source in self
            .plan
            .kit
            .sources
            .iter()
            .filter(|it| used(it.id.as_str()))
        {
            let Some(battery) = &source.battery else {
                continue;
            };
            let chemistry = chemistry::find(&battery.chemistry);
            let carried = self
                .outage
                .carried
                .iter()
                .filter(|it| it.source == source.id);
            let spans = self
                .outage
                .charging
                .iter()
                .filter(|it| it.source == source.id);
            let wall = source.inputs.iter().find(|it| it.kind == InputKind::Mains);
            let has_feed = |input: &SourceInput| {
                self.way
                    .feeds
                    .iter()
                    .any(|it| it.to.item == source.id && it.to.input.as_ref() == Some(&input.id))
            };
            // What passes the mains on stands plugged into it.
            let wall_w = wall
                .filter(|it| source.line.is_some() && !has_feed(it))
                .map_or(0.0, |it| {
                    it.max_w.as_ref().map_or(0.0, Figure::get)
                        * it.efficiency.as_ref().map_or(1.0, Figure::get)
                });
            let rule = self.outage.rules.iter().find_map(|it| match it {
                Rule::Restore {
                    source: of,
                    above_soc,
                } if *of == source.id => Some(above_soc.get()),
                _ => None,
            });
            let own = source
                .ports
                .iter()
                .filter_map(|it| it.restore_soc.as_ref())
                .map(Figure::get);
            let restore = rule.or_else(|| own.reduce(f64::max));
            // A rule is somebody who switches all of it on again.
            let stays = source
                .ports
                .iter()
                .filter(|it| rule.is_none() && it.restore_soc.is_none());
            let place = |port: &crate::site::plan::Port| {
                self.network
                    .port_index(source.id.as_str(), port.id.as_str())
            };
            let stay_off = stays.filter_map(place).collect();
            self.stores.push(Store {
                restore,
                stay_off,
                source,
                battery,
                place: self.network.source_index(source.id.as_str()),
                size: Size::of(battery, self.ambient_c),
                chemistry,
                from_soc: self
                    .outage
                    .initial_soc
                    .get(source.id.as_str())
                    .map_or(1.0, Figure::get),
                floor: battery.floor(),
                cut_off_v: battery.cut_off_v.as_ref().map(Figure::get),
                gives_nothing: is_too_cold(battery, self.ambient_c),
                too_cold: chemistry.is_some_and(|it| self.ambient_c < it.charge_min_c),
                max_charge_a: battery
                    .max_charge_a
                    .as_ref()
                    .map_or(f64::INFINITY, Figure::get),
                charged_at: Vec::new(),
                held_until: Vec::new(),
                wall_w,
                passes: source.line.is_some(),
                spans: spans
                    .map(|it| {
                        (
                            it.from_h.get() * 3600.0,
                            it.to_h.get() * 3600.0,
                            it.watts.get(),
                        )
                    })
                    .chain(carried.clone().map(|it| {
                        let watts = it.watts.as_ref().map_or(0.0, Figure::get);
                        (it.from_h.get() * 3600.0, it.to_h.get() * 3600.0, watts)
                    }))
                    .collect(),
                away: carried.collect(),
            });
        }
    }

    fn fill_origins(&mut self) {
        for index in 0..self.network.sources_len() {
            let source = self
                .plan
                .kit
                .sources
                .iter()
                .find(|it| self.network.source_index(it.id.as_str()) == Some(index));
            let Some(source) = source else { continue };
            let runs = self.outage.runs.iter().filter(|it| it.source == source.id);
            let runs: Vec<_> = runs
                .map(|it| (it.from_h.get() * 3600.0, it.to_h.get() * 3600.0))
                .collect();
            // A vehicle gives from its battery while its engine stands; a generator gives nothing
            // then.
            let (runs, drives) = if source.battery.is_some() {
                (Vec::new(), runs)
            } else {
                (runs, Vec::new())
            };
            self.origins.push(Origin {
                source,
                store: self.stores.iter().position(|it| it.source.id == source.id),
                needs_mains: source.kind == SourceKind::Mains,
                is_panel: source.kind == SourceKind::Panel,
                in_light: if is_measured(source) {
                    1.0
                } else {
                    PANEL_SHARE
                },
                tilt_deg: source
                    .panel
                    .as_ref()
                    .and_then(|it| it.tilt_deg.as_ref())
                    .map(Figure::get),
                azimuth_deg: source
                    .panel
                    .as_ref()
                    .and_then(|it| it.azimuth_deg.as_ref())
                    .map(Figure::get),
                shade: source
                    .panel
                    .iter()
                    .flat_map(|it| &it.shade)
                    .map(|it| (it.from.hours() * 3600.0, it.to.hours() * 3600.0))
                    .collect(),
                engine: source
                    .engine
                    .as_ref()
                    .filter(|_| source.battery.is_none() || !drives.is_empty()),
                runs,
                drives,
                running_v: engine_volts(source).unwrap_or(0.0),
            });
            self.has_panels |= source.kind == SourceKind::Panel;
        }
    }

    fn fill_inputs(&mut self) {
        for node in 0..self.network.len() {
            if let Some((id, stored)) = self.network.input_at(node)
                && let Some(store) = self
                    .stores
                    .iter()
                    .position(|it| it.source.id.as_str() == id)
            {
                self.inputs.push((node, store, stored));
                let before = self.network.port_converter(self.network.port_of(node));
                let charger =
                    before.and_then(|it| self.plan.converter(self.network.converter_id(it)));
                self.charge_v.push(charger.and_then(Converter::charges_at));
                self.behind.push(self.network.behind(node));
                self.keeps(node, store);
            }
        }
        for (index, store) in self.stores.iter_mut().enumerate() {
            let into = self
                .inputs
                .iter()
                .zip(&self.charge_v)
                .filter(|it| it.0.1 == index);
            store.charged_at = into.filter_map(|it| *it.1).collect();
            store.charged_at.sort_by(f64::total_cmp);
            store.charged_at.dedup();
            let until = store
                .charged_at
                .iter()
                .map(|it| held_until(store.battery, *it));
            store.held_until = until.filter(|it| it.is_finite()).collect();
        }
    }

    fn fill_sleepers(&mut self) {
        for source in &self.plan.kit.sources {
            for port in &source.ports {
                let Some(auto_off) = &port.auto_off else {
                    continue;
                };
                if let Some(place) = self
                    .network
                    .port_index(source.id.as_str(), port.id.as_str())
                {
                    let (below_w, after_s) = (auto_off.below_w.get(), auto_off.after_s.get());
                    self.sleepers.push(Sleeper {
                        port: place,
                        below_w,
                        after_s,
                    });
                }
            }
        }
    }

    pub(super) fn fill_stages(&mut self) {
        let mut stages: Vec<(usize, Stage)> = Vec::new();
        for (node, feed) in self.network.feeds() {
            let feed = &self.way.feeds[feed];
            if let Some(minutes) = &feed.hand_switchover_minutes {
                self.by_hand.push((node, minutes.get() * 60.0));
            }
            let Some(place) = self.network.converter_at(node) else {
                continue;
            };
            let Some(converter) = self.plan.converter(feed.to.item.as_str()) else {
                continue;
            };
            let input = &converter.input;
            let edge_v = input
                .cut_out_v
                .as_ref()
                .or(input.min_v.as_ref())
                .map(Figure::get);
            let cut_in_v = input.cut_in_v.as_ref().map(Figure::get);
            stages.push((
                place,
                Stage {
                    id: converter.id.to_string(),
                    node,
                    edge_v,
                    // One that would come back before it goes would never settle: it stays off.
                    cut_in_v: cut_in_v.filter(|it| edge_v.is_none_or(|edge| *it > edge)),
                    start_s: converter.start_s.as_ref().map_or(0.0, Figure::get),
                    delay_s: input.cut_out_delay_s.as_ref().map_or(0.0, Figure::get),
                },
            ));
        }
        stages.sort_by_key(|it| it.0);
        self.stages = stages.into_iter().map(|it| it.1).collect();
        let warming = self.stages.iter().filter_map(|it| {
            let casing = Casing::of(self.plan.converter(&it.id)?, self.ambient_c)?;
            Some(Warming {
                casing,
                node: it.node,
                budget: self.network.heat_budget(&it.id),
            })
        });
        self.warming = warming.collect();
    }

    pub(super) fn fill_rules(&mut self) {
        let device = |id: &str| {
            self.devices
                .iter()
                .position(|it| it.device.id.as_str() == id)
        };
        let store = |id: &str| {
            self.stores
                .iter()
                .position(|it| it.source.id.as_str() == id)
        };
        let orders = self.outage.rules.iter().filter_map(|it| match it {
            // Stands with its store.
            Rule::Restore { .. } => None,
            Rule::Shed {
                device: shed,
                source,
                below_soc,
            } => Some(Order::Shed {
                device: device(shed.as_str())?,
                store: store(source.as_str())?,
                below: below_soc.get(),
            }),
            Rule::Hold {
                device: held,
                while_starting,
            } => Some(Order::Hold {
                device: device(held.as_str())?,
                starting: device(while_starting.as_str())?,
            }),
            Rule::Stagger { seconds, devices } => {
                let mut list: Vec<usize> = devices
                    .iter()
                    .filter_map(|it| device(it.as_str()))
                    .collect();
                if devices.is_empty() {
                    list = (0..self.devices.len()).collect();
                    list.sort_by(|a, b| {
                        self.devices[*a]
                            .priority
                            .total_cmp(&self.devices[*b].priority)
                    });
                }
                Some(Order::Stagger {
                    seconds: seconds.get(),
                    devices: list,
                })
            }
        });
        self.orders = orders.collect();
    }

    pub(super) fn fill_edges(&mut self) {
        let hours = |it: &Figure<crate::ground::quantity::Hours>| it.get() * 3600.0;
        let spans = self.outage.mains.iter();
        self.mains = spans
            .map(|it| {
                (
                    hours(&it.from_h),
                    hours(&it.to_h),
                    it.state == MainsState::On,
                )
            })
            .collect();
        let mut edges: Vec<f64> = self.mains.iter().flat_map(|it| [it.0, it.1]).collect();
        edges.extend(
            self.stores
                .iter()
                .flat_map(|it| it.spans.iter().flat_map(|it| [it.0, it.1])),
        );
        edges.extend(
            self.origins
                .iter()
                .flat_map(|it| it.runs.iter().chain(&it.drives).flat_map(|it| [it.0, it.1])),
        );
        self.add_edges(edges);
    }
}

/// Whether what a panel gives was measured.
fn is_measured(source: &Source) -> bool {
    let rated = source
        .ports
        .iter()
        .find_map(|it| it.limit.as_ref()?.continuous_w.as_ref());
    rated.is_some_and(|it| it.basis == Basis::Measured)
}
