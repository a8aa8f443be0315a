//! An arrangement and an outage made ready to be marched through: everything by its place in flat
//! lists.

use super::clock::Clock;
use super::schedule::Habit;
use super::sun::{Seat, Sky};
use crate::battery::{held_until, is_too_cold};
use crate::chemistry::{self, Chemistry};
use crate::day::Size;
use crate::figure::{Basis, Figure};
use crate::limits::{Breaker, breakers};
use crate::network::{
    Behind, Casing, Gates, Load, Moment, Network, average, engine_volts, fed, phase_load,
};
use crate::plan::outage::{Carried, MainsState, Rule};
use crate::plan::source::{Engine, InputKind, SourceInput};
use crate::plan::{
    AfterLoss, Arrangement, Battery, Converter, Device, Outage, PhaseKind, Plan, Source,
    SourceKind, Then,
};
use crate::quantity::Celsius;

/// Tilt of a panel of which nobody says more, ° from level.
pub(super) const PANEL_TILT: f64 = 50.0;
/// Share of its rated power that a panel gives in full light, for dirt, warmth and leads (a usual
/// planning figure).
const PANEL_SHARE: f64 = 0.8;
/// A thermostat that is quicker than this is not followed turn by turn, s.
const SHORTEST_PERIOD: f64 = 5.0;

/// A start of which nobody said how long it lasts is tested for this long, s.
const INSTANT_S: f64 = 1e-3;

/// A device in use.
#[derive(Debug)]
pub(super) struct Run<'a> {
    pub(super) device: &'a Device,
    pub(super) node: usize,
    pub(super) habit: Habit,
    pub(super) running: Load,
    pub(super) busy: Load,
    /// What its phases are drawn times: what its wave makes of it, and the share for which it is on
    /// where that is not followed.
    pub(super) drawn: f64,
    /// From when on it draws what where it runs, s in order; nothing where that is its average all
    /// the time.
    pub(super) spells: Vec<(f64, Load)>,
    /// Its starting phases with their seconds.
    pub(super) starting: Vec<(Load, f64)>,
    pub(super) min_v: Option<f64>,
    pub(super) after: Option<&'a AfterLoss>,
    pub(super) deadline_s: Option<f64>,
    pub(super) inspects: bool,
    pub(super) priority: f64,
    /// From when to when it hangs where it does, s.
    pub(super) there: (f64, f64),
    /// Where it hung before, by its place among the devices.
    pub(super) before: Option<usize>,
}

/// Something that hangs where it does, or is switched on at all, only for a while.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct There {
    /// A device, a converter, or a source's outlet as `source/port`.
    pub(crate) place: String,
    /// From and to, s after the outage began.
    pub(crate) from_s: f64,
    pub(crate) to_s: f64,
    /// The device that it was before it was plugged over.
    pub(crate) before: Option<String>,
}

/// A source that stores something.
#[derive(Debug)]
pub(super) struct Store<'a> {
    pub(super) source: &'a Source,
    pub(super) battery: &'a Battery,
    /// Its place in the network, where one of its ports is in use.
    pub(super) place: Option<usize>,
    pub(super) size: Size,
    pub(super) chemistry: Option<&'static Chemistry>,
    pub(super) from_soc: f64,
    pub(super) floor: f64,
    /// From this charge on its ports come back on by themselves; none where they stay off.
    pub(super) restore: Option<f64>,
    /// Those of its ports that stay off then, by their place.
    pub(super) stay_off: Vec<usize>,
    pub(super) cut_off_v: Option<f64>,
    pub(super) too_cold: bool,
    /// Whether it is too cold to give anything.
    pub(super) gives_nothing: bool,
    pub(super) max_charge_a: f64,
    /// At which volts chargers that are wired into it hold its terminals, the lowest first.
    pub(super) charged_at: Vec<f64>,
    /// The charges above which they give it nothing, where they lie below full.
    pub(super) held_until: Vec<f64>,
    /// Stored from the wall when the mains is there and it is plugged in without a feed of its own,
    /// W.
    pub(super) wall_w: f64,
    /// Whether the mains carries its ports while it is there.
    pub(super) passes: bool,
    /// Charging from elsewhere: from and to in s, and W.
    pub(super) spans: Vec<(f64, f64, f64)>,
    /// When it is away, and where.
    pub(super) away: Vec<&'a Carried>,
}

impl Store<'_> {
    /// Whether it takes no more than something, whatever its inputs would give it.
    pub(super) fn is_bounded(&self) -> bool {
        self.battery.is_full_model()
            || self.battery.cells.is_some() && self.max_charge_a.is_finite()
    }
}

/// A source in use.
#[derive(Debug)]
pub(super) struct Origin<'a> {
    pub(super) source: &'a Source,
    pub(super) store: Option<usize>,
    pub(super) needs_mains: bool,
    pub(super) is_panel: bool,
    /// What a panel gives in full light of what its port says: all of it where that was measured,
    /// else four fifths.
    pub(super) in_light: f64,
    /// How a panel stands, where the plan says so: its tilt and where it faces, °, and when it is
    /// in the shade, s of the day.
    pub(super) tilt_deg: Option<f64>,
    pub(super) azimuth_deg: Option<f64>,
    pub(super) shade: Vec<(f64, f64)>,
    pub(super) engine: Option<&'a Engine>,
    /// When it runs, s; whenever it may where nothing is said.
    pub(super) runs: Vec<(f64, f64)>,
    /// When the engine of a vehicle runs, s, and at which voltage it holds the terminals then, V.
    pub(super) drives: Vec<(f64, f64)>,
    pub(super) running_v: f64,
}

/// A panel controller that draws from its battery by night.
#[derive(Debug)]
pub(super) struct Keeper {
    /// The store, by place.
    pub(super) store: usize,
    /// The feed into the store, and that into the controller.
    pub(super) node: usize,
    pub(super) stage: usize,
    pub(super) watts: f64,
}

/// A converter in use.
#[derive(Debug)]
pub(super) struct Stage {
    pub(super) id: String,
    pub(super) node: usize,
    /// Below this it cuts out, V.
    pub(super) edge_v: Option<f64>,
    /// From this on it comes back by itself, V.
    pub(super) cut_in_v: Option<f64>,
    pub(super) start_s: f64,
    /// For how long it bears less than `edge_v`, s.
    pub(super) delay_s: f64,
}

/// The case of a converter in use.
#[derive(Debug, Clone, Copy)]
pub(super) struct Warming {
    pub(super) casing: Casing,
    /// The feed into the converter.
    pub(super) node: usize,
    /// What is divided behind it, by its place; none where nothing there yields.
    pub(super) budget: Option<usize>,
}

/// A port that turns itself off.
#[derive(Debug)]
pub(super) struct Sleeper {
    pub(super) port: usize,
    pub(super) below_w: f64,
    pub(super) after_s: f64,
}

/// A rule, by places.
#[derive(Debug, Clone)]
pub(super) enum Order {
    Shed {
        device: usize,
        store: usize,
        below: f64,
    },
    Hold {
        device: usize,
        starting: usize,
    },
    Stagger {
        seconds: f64,
        devices: Vec<usize>,
    },
    /// Dropped from one moment to another, s.
    DropAt {
        device: usize,
        at: f64,
        until: f64,
    },
}

/// All of it.
#[derive(Debug)]
pub struct Setting<'a> {
    pub(super) plan: &'a Plan,
    pub(super) way: &'a Arrangement,
    pub(super) outage: &'a Outage,
    pub(super) network: Network,
    pub(super) ambient_c: f64,
    pub(super) clock: Clock,
    pub(super) end: f64,
    pub(super) devices: Vec<Run<'a>>,
    pub(super) stores: Vec<Store<'a>>,
    pub(super) origins: Vec<Origin<'a>>,
    pub(super) stages: Vec<Stage>,
    pub(super) sleepers: Vec<Sleeper>,
    pub(super) breakers: Vec<Breaker>,
    /// The cases of converters of which the plan says how warm they get.
    pub(super) warming: Vec<Warming>,
    /// What a tripped breaker switches off: ports, converters and sources by place.
    pub(super) guards: Vec<Guard>,
    pub(super) orders: Vec<Order>,
    /// Feeds into charging inputs: the feed, and the store by place.
    pub(super) inputs: Vec<(usize, usize, f64)>,
    /// At how many volts the charger before each of them holds its terminals; none where none does.
    pub(super) charge_v: Vec<Option<f64>>,
    /// Where the chain of each of them begins, and what else ends behind that.
    pub(super) behind: Vec<Behind>,
    /// Feeds that a person plugs over: the feed and how long it takes, s.
    pub(super) by_hand: Vec<(usize, f64)>,
    /// Stretches with the mains there, s; later ones win.
    mains: Vec<(f64, f64, bool)>,
    /// Fixed moments at which something changes, s, in order.
    pub(super) edges: Vec<f64>,
    /// Whether devices are busy by spells.
    pub(super) has_spells: bool,
    pub(super) seat: Option<Seat>,
    /// The sky over its panels, and their tilt from level, °.
    pub(super) sky: Sky,
    pub(super) tilt_deg: f64,
    pub(super) has_panels: bool,
    /// Panel controllers that draw from their battery while no light falls on their panel.
    pub(super) keepers: Vec<Keeper>,
    /// What is on only while it is needed.
    pub(super) gates: Gates,
}

/// What goes off when a breaker trips.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Guard {
    Ports(Vec<usize>),
    Stage(usize),
    Source(usize),
    Feed(usize),
}

impl<'a> Setting<'a> {
    /// Makes an outage of an arrangement of a checked plan ready.
    pub fn of(plan: &'a Plan, way: &'a Arrangement, outage: &'a Outage) -> Self {
        let ambient = outage
            .ambient_c
            .as_ref()
            .map_or(plan.site.ambient(), |it| Celsius(it.get()));
        let network = Network::build(plan, way, ambient);
        let gates = Gates::of(way, &network);
        let clock = Clock::of(plan, outage);
        let end = outage.hours.get() * 3600.0;
        let seat = Seat::of(plan, &clock);
        let mut setting = Self {
            plan,
            way,
            outage,
            network,
            ambient_c: ambient.0,
            clock,
            end,
            devices: Vec::new(),
            stores: Vec::new(),
            origins: Vec::new(),
            stages: Vec::new(),
            sleepers: Vec::new(),
            breakers: Vec::new(),
            warming: Vec::new(),
            guards: Vec::new(),
            orders: Vec::new(),
            inputs: Vec::new(),
            charge_v: Vec::new(),
            behind: Vec::new(),
            by_hand: Vec::new(),
            mains: Vec::new(),
            edges: Vec::new(),
            has_spells: false,
            seat,
            // In an outage the sky is as it usually is, and overcast where the site does not say
            // how that is.
            sky: Sky::Usual,
            tilt_deg: PANEL_TILT,
            has_panels: false,
            keepers: Vec::new(),
            gates,
        };
        setting.fill_devices();
        setting.fill_sources();
        setting.fill_stages();
        setting.fill_rules();
        setting.breakers = breakers(plan, way, &setting.network);
        setting.guards = setting
            .breakers
            .iter()
            .map(|it| setting.guard(it))
            .collect();
        setting.fill_edges();
        setting
    }

    /// The inputs of a store, each with the volts of its charger.
    pub(super) fn inputs_of(
        &self,
        store: usize,
    ) -> impl Iterator<Item = (&(usize, usize, f64), Option<f64>)> {
        self.inputs
            .iter()
            .zip(self.charge_v.iter().copied())
            .filter(move |it| it.0.1 == store)
    }

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

    fn fill_devices(&mut self) {
        for node in 0..self.network.len() {
            let Some(index) = self.network.device_at(node) else {
                continue;
            };
            let Some(device) = self.plan.device(self.network.device_id(index)) else {
                continue;
            };
            let seconds = |it: &crate::plan::Phase| it.seconds.as_ref().map_or(0.0, Figure::get);
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

    fn fill_sources(&mut self) {
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
            let place = |port: &crate::plan::Port| {
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

    fn fill_stages(&mut self) {
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

    fn fill_rules(&mut self) {
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

    /// Drops devices by id at times, h after the start, on top of what the rules do.
    pub(super) fn drop_at(&mut self, drops: &std::collections::BTreeMap<String, f64>) {
        for (id, at_h) in drops {
            self.drop_between(id, at_h * 3600.0, f64::INFINITY);
        }
    }

    /// Drops a device from one moment to another, s, as a person did who watches.
    pub(crate) fn drop_between(&mut self, id: &str, at: f64, until: f64) {
        if let Some(device) = self
            .devices
            .iter()
            .position(|it| it.device.id.as_str() == id)
        {
            self.orders.push(Order::DropAt { device, at, until });
            self.add_edges(vec![at, until]);
        }
    }

    /// Adds fixed moments at which something changes, s.
    pub(super) fn add_edges(&mut self, more: Vec<f64>) {
        self.edges
            .extend(more.into_iter().filter(|it| *it > 0.0 && *it < self.end));
        self.edges.sort_by(f64::total_cmp);
        self.edges.dedup();
    }

    /// Lets devices, converters and outlets be there only for a while, as a person who watches
    /// plugged them over.
    pub(crate) fn there(&mut self, list: &[There]) {
        if list.is_empty() {
            return;
        }
        let place =
            |all: &[Run<'_>], id: &str| all.iter().position(|it| it.device.id.as_str() == id);
        for it in list {
            if let Some(index) = place(&self.devices, &it.place) {
                self.devices[index].there = (it.from_s, it.to_s);
                self.devices[index].before =
                    it.before.as_ref().and_then(|id| place(&self.devices, id));
            }
        }
        let switched = list
            .iter()
            .filter(|it| self.plan.device(&it.place).is_none());
        let switched: Vec<(&str, (f64, f64))> = switched
            .map(|it| (it.place.as_str(), (it.from_s, it.to_s)))
            .collect();
        self.gates = Gates::with_windows(self.way, &self.network, &switched);
        self.add_edges(list.iter().flat_map(|it| [it.from_s, it.to_s]).collect());
    }

    /// What is left in each store as its floor, 0 to 1, in their order.
    pub(crate) fn floors(&self) -> impl Iterator<Item = f64> {
        self.stores.iter().map(|it| it.floor)
    }

    /// Moves the voltage of a store's cells away from what its chemistry says: by `shift_v` at half
    /// charge, V a cell, tilted by `tilt_v` between empty and full.
    pub(crate) fn bend(&mut self, source: &str, shift_v: f64, tilt_v: f64) {
        if let Some(place) = self.network.source_index(source) {
            self.network.bend(place, shift_v, tilt_v);
        }
    }

    /// Puts its panels under a sky, at a tilt from level in °.
    pub(crate) fn under(&mut self, sky: Sky, tilt_deg: f64) {
        (self.sky, self.tilt_deg) = (sky, tilt_deg);
    }

    /// The place of the panel at the beginning of the chain into a charging input; none where none
    /// stands there.
    pub(super) fn panel_of(&self, node: usize) -> Option<usize> {
        let top = self
            .inputs
            .iter()
            .position(|it| it.0 == node)
            .map_or(node, |it| self.behind[it].top);
        self.network
            .port_source(self.network.port_of(top))
            .filter(|it| self.origins[*it].is_panel)
    }

    /// Whether a store is away at `t` s, and where.
    pub(super) fn away(&self, store: usize, t: f64) -> Option<&'a Carried> {
        let at = t + 1e-6;
        self.stores[store]
            .away
            .iter()
            .copied()
            .find(|it| it.from_h.get() * 3600.0 <= at && at < it.to_h.get() * 3600.0)
    }

    /// Whether the engine of a vehicle runs at `t` s, by the place of its source.
    pub(super) fn drives(&self, origin: usize, t: f64) -> bool {
        let at = t + 1e-6;
        self.origins[origin]
            .drives
            .iter()
            .any(|it| it.0 <= at && at < it.1)
    }

    /// Whether what a source gives comes from the mains that it passes on, or from its alternator,
    /// and not from its store.
    pub(super) fn is_carried(&self, origin: usize, mains: bool, t: f64) -> bool {
        let passes = self.origins[origin]
            .store
            .is_some_and(|it| self.stores[it].passes);
        mains && passes || self.drives(origin, t)
    }

    /// The sources of its network by their ids, in their order.
    pub(crate) fn network_sources(&self) -> impl Iterator<Item = &str> {
        self.origins.iter().map(|it| it.source.id.as_str())
    }

    /// The devices, by their ids.
    pub(crate) fn device_ids(&self) -> impl Iterator<Item = &str> {
        self.devices.iter().map(|it| it.device.id.as_str())
    }

    /// The stores, by the ids of their sources.
    pub(crate) fn store_ids(&self) -> impl Iterator<Item = &str> {
        self.stores.iter().map(|it| it.source.id.as_str())
    }

    fn fill_edges(&mut self) {
        let hours = |it: &Figure<crate::quantity::Hours>| it.get() * 3600.0;
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

    /// Whether the mains is there at `t` s.
    pub(super) fn mains_on(&self, t: f64) -> bool {
        let at = t + 1e-6;
        let stated = self.mains.iter().rev().find(|it| it.0 <= at && at < it.1);
        // As `Outage::mains_is_on` has it: where some stretch says when it is out, it is there
        // otherwise.
        stated.map_or_else(|| self.mains.iter().any(|it| !it.2), |it| it.2)
    }

    /// The next fixed moment after `t` at which something changes, s.
    pub(super) fn next_edge(&self, t: f64) -> f64 {
        let next = self.edges.partition_point(|it| *it <= t + 1e-6);
        self.edges.get(next).copied().unwrap_or(f64::INFINITY)
    }

    fn guard(&self, breaker: &Breaker) -> Guard {
        use crate::limits::Code;
        let ports = |keep: &dyn Fn(&str) -> bool| {
            (0..self.network.ports_len())
                .filter(|it| keep(self.network.port_name(*it)))
                .collect()
        };
        match breaker.code {
            Code::ConverterInputCurrent => self
                .stages
                .iter()
                .position(|it| it.id == breaker.place)
                .map_or(Guard::Ports(Vec::new()), Guard::Stage),
            Code::FuseSize => {
                let feed = self
                    .way
                    .feeds
                    .iter()
                    .position(|it| it.to.name() == breaker.place);
                let node = self.network.feeds().find(|it| Some(it.1) == feed);
                node.map_or(Guard::Ports(Vec::new()), |it| Guard::Feed(it.0))
            }
            Code::BatteryCurrent => self
                .network
                .source_index(&breaker.place)
                .map_or(Guard::Ports(Vec::new()), Guard::Source),
            Code::GroupLimit => {
                let (item, group) = breaker
                    .place
                    .split_once('/')
                    .unwrap_or((&breaker.place, ""));
                let source = self.plan.source(item).map(|it| &it.ports);
                let all = source.or_else(|| self.plan.converter(item).map(|it| &it.outputs));
                let members: Vec<String> = all
                    .into_iter()
                    .flatten()
                    .filter(|it| it.group.as_ref().is_some_and(|it| it.as_str() == group))
                    .map(|it| format!("{item}/{}", it.id))
                    .collect();
                Guard::Ports(ports(&|name| members.iter().any(|it| it == name)))
            }
            _ => Guard::Ports(ports(&|name| name == breaker.place)),
        }
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
