//! An arrangement and an outage made ready to be marched through: everything by its place in flat
//! lists.

use super::clock::Clock;
use super::schedule::Habit;
use super::sun::{Seat, Sky};
use crate::ground::quantity::Celsius;
use crate::limits::{Breaker, breakers};
use crate::network::{Behind, Casing, Gates, Load, Network};
use crate::site::chemistry::Chemistry;
use crate::site::plan::outage::Carried;
use crate::site::plan::source::Engine;
use crate::site::plan::{AfterLoss, Arrangement, Battery, Device, Outage, Plan, Source};
use crate::time::day::Size;

/// Tilt of a panel of which nobody says more, ° from level.
pub(super) const PANEL_TILT: f64 = 50.0;

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
    pub(super) mains: Vec<(f64, f64, bool)>,
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
