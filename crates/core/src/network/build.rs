//! Compiles an arrangement into flat arrays that can be solved many times.
//!
//! Regulated ports cut the forest into *regions* whose voltages do not depend on each
//! other: below a regulated port every voltage hangs on that port's fixed one, and all
//! that the region above sees is a constant power. A region is a tree of nodes, one per
//! feed; nodes stand parents first, regions stand upstream first.

use super::law::Law;
use super::load::Load;
use super::shares::Budget;
use crate::ground::figure::Figure;
use crate::ground::quantity::{Celsius, Factor};
use crate::site::chemistry::{self, Chemistry};
use crate::site::plan::device::power_factor;
use crate::site::plan::port::or_zero;
use crate::site::plan::source::SourceInput;
use crate::site::plan::{
    Arrangement, Converter, ConverterKind, Feed, Plan, Port, PortVoltage, Source, SourceKind,
    Waveform, fed,
};
use crate::site::wire::{Lead, lead};
use std::collections::HashMap;

/// The charge at which a battery stands that a panel is held at.
const HALF: f64 = 0.5;

/// What stands at the far end of a feed.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum End {
    /// A device, by its place in [`Network::devices`].
    Device(usize),
    /// A converter, by its place in [`Network::converters`].
    Converter(usize),
    /// A charging input.
    Input(ChargeInput),
}

/// A charging input as a load; by default one that takes nothing.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct ChargeInput {
    /// The source that it charges.
    pub(super) source: String,
    /// Stored over taken: the input's efficiency times the chemistry's.
    pub(super) stored_share: f64,
    /// The most that it takes by itself, W; what its panel gives where it states nothing.
    pub(super) max_w: f64,
    /// What a panel at the beginning of its chain gives at most, W; endless where none stands
    /// there.
    pub(super) gives_w: f64,
    /// The panel's own most, W, and what is lost between it and the input, where a converter stands
    /// there.
    pub(super) panel: Option<(f64, Law)>,
    pub(super) max_a: f64,
    pub(super) min_v: f64,
    /// Bands by rising voltage: from V, at most A.
    pub(super) bands: Vec<(f64, f64)>,
    /// The most watts of each band.
    pub(super) band_w: Vec<f64>,
}

impl ChargeInput {
    /// `panel` is what stands before it in full light, W, and what is lost between; `mode` the one
    /// of its ways that it is set to.
    fn of(
        source: &Source,
        input: &SourceInput,
        mode: Option<&str>,
        panel: Option<(f64, Law)>,
    ) -> Self {
        let gives_w = panel.map_or(f64::INFINITY, |it| it.1.output(it.0));
        let chemistry = source
            .battery
            .as_ref()
            .and_then(|it| chemistry::find(&it.chemistry));
        let or_endless = |raw: Option<f64>| raw.unwrap_or(f64::INFINITY);
        let mut sorted: Vec<_> = input.bands.iter().collect();
        sorted.sort_by(|a, b| a.from_v.get().total_cmp(&b.from_v.get()));
        let bands: Vec<_> = sorted
            .iter()
            .map(|it| (it.from_v.get(), it.max_a.get()))
            .collect();
        let band_w = sorted
            .iter()
            .map(|it| or_endless(it.max_w.as_ref().map(crate::ground::figure::Figure::get)))
            .collect();
        let own_w = input.most_w(mode);
        let states_none = own_w.is_infinite() && input.max_a.is_none() && input.bands.is_empty();
        Self {
            source: source.id.to_string(),
            stored_share: input
                .efficiency
                .as_ref()
                .map_or(1.0, crate::ground::figure::Figure::get)
                * chemistry.map_or(1.0, |it| it.charge_efficiency),
            max_w: if states_none { gives_w } else { own_w },
            gives_w,
            panel,
            max_a: or_endless(input.max_a.as_ref().map(crate::ground::figure::Figure::get)),
            min_v: or_zero(input.min_v.as_ref()),
            bands,
            band_w,
        }
    }

    /// What it takes at `volts`, W: so much of what it would take by itself, and no more than its
    /// panel gives.
    pub(super) fn most_w(&self, volts: f64, takes: Takes) -> f64 {
        self.own_w(volts, takes.share)
            .min(self.gives_w * takes.light)
    }

    /// What it would take by itself at `volts`, W, of which it takes a share of 0 to 1.
    pub(super) fn own_w(&self, volts: f64, share: f64) -> f64 {
        let own = (volts * self.allowed_a(volts)).min(self.max_w);
        if share > 0.0 { own * share } else { 0.0 }
    }

    /// Current that the input takes at `volts`, A: the band's and its own limit.
    pub(super) fn allowed_a(&self, volts: f64) -> f64 {
        if volts < self.min_v {
            return 0.0;
        }
        let places = self.bands.iter().zip(&self.band_w);
        let band = places
            .rev()
            .find(|it| volts >= it.0.0)
            .map(|it| it.0.1.min(it.1 / volts));
        let banded = if self.bands.is_empty() {
            f64::INFINITY
        } else {
            band.unwrap_or(0.0)
        };
        let amps = banded.min(self.max_a);
        // An input that states no limit at all takes nothing that could be computed.
        if amps.is_infinite() && self.max_w.is_infinite() {
            0.0
        } else {
            amps
        }
    }
}

/// How much a charging input takes: of what it would take by itself, and of what the panel before
/// it gives in full light; 0 to 1 each.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Takes {
    /// Less than 1 where its store tapers, or is held down; 0 where it takes nothing.
    pub(crate) share: f64,
    /// 1 where no panel stands before it.
    pub(crate) light: f64,
}

impl Takes {
    /// All that it would take, in full light.
    pub(crate) const ALL: Self = Self {
        share: 1.0,
        light: 1.0,
    };
}

/// What holds a charging input down.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Binds {
    /// Less than its least voltage arrives.
    LowVolts {
        /// That arrives, V.
        volts: f64,
        /// That it needs, V.
        least: f64,
    },
    /// The current of one of its bands, from a voltage in V upwards.
    Band { from_v: f64, amps: f64 },
    /// The power of one of its bands.
    BandWatts { from_v: f64, watts: f64 },
    /// Its own current, A.
    Amps(f64),
    /// Its own power, or that of its mode, W.
    Watts(f64),
    /// What the panel at its feed gives, W.
    Panel(f64),
    /// The lead: at its near end a higher band would stand open.
    Lead {
        /// At its near end, V.
        near_v: f64,
        /// At its far end, V.
        far_v: f64,
    },
    /// It states no limit, so nothing can be computed.
    Unstated,
}

impl ChargeInput {
    /// The band that a voltage falls into: from V, and its place.
    pub(super) fn band(&self, volts: f64) -> Option<usize> {
        self.bands.iter().rposition(|it| volts >= it.0)
    }

    pub(super) fn binds(&self, near_v: f64, far_v: f64) -> Binds {
        if far_v < self.min_v || !self.bands.is_empty() && self.band(far_v).is_none() {
            let least = self
                .bands
                .first()
                .map_or(self.min_v, |it| it.0.max(self.min_v));
            return if near_v >= least {
                Binds::Lead { near_v, far_v }
            } else {
                Binds::LowVolts {
                    volts: far_v,
                    least,
                }
            };
        }
        let band = self.band(far_v);
        let by_band = band.map_or(f64::INFINITY, |it| self.bands[it].1 * far_v);
        let by_band_w = band.map_or(f64::INFINITY, |it| self.band_w[it]);
        let least = by_band
            .min(by_band_w)
            .min(self.max_a * far_v)
            .min(self.max_w)
            .min(self.gives_w);
        if least.is_infinite() {
            return Binds::Unstated;
        }
        if let Some(at) = band.filter(|it| {
            by_band.min(by_band_w) <= least && self.band(near_v).is_some_and(|near| near > *it)
        }) {
            let gain = self.bands[at + 1].1 * near_v;
            if gain > least {
                return Binds::Lead { near_v, far_v };
            }
        }
        match band {
            Some(at) if by_band <= least => Binds::Band {
                from_v: self.bands[at].0,
                amps: self.bands[at].1,
            },
            Some(at) if by_band_w <= least => Binds::BandWatts {
                from_v: self.bands[at].0,
                watts: by_band_w,
            },
            _ if self.max_a * far_v <= least => Binds::Amps(self.max_a),
            _ if self.gives_w <= least => Binds::Panel(self.gives_w),
            _ => Binds::Watts(self.max_w),
        }
    }
}

/// One feed of a region.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Node {
    /// Index of the feed in the arrangement.
    pub(super) feed: usize,
    /// The node whose voltage it hangs on; `None` for the region's own supply.
    pub(super) parent: Option<usize>,
    /// The lead with its contacts.
    pub(super) lead: Lead,
    pub(super) end: End,
    /// Index into [`Network::ports`] of the port that the feed leaves.
    pub(super) port: usize,
}

/// What a region's voltages hang on.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Supply {
    /// A fixed voltage, V.
    Fixed(f64),
    /// The terminals of a source's battery.
    Terminals(usize),
}

/// Nodes that share one supply.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Region {
    pub(super) supply: Supply,
    /// Range of its nodes in [`Network::nodes`].
    pub(super) first: usize,
    pub(super) end: usize,
    /// Whether a converter in it gives on its input's voltage with a loss of its own, so that
    /// powers count and not currents alone.
    pub(super) passes_power: bool,
    /// Whether a lead in it has the more resistance the more flows.
    pub(super) warms: bool,
}

/// A converter in use.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Stage {
    pub(super) id: String,
    pub(super) law: Law,
    pub(super) power_factor: f64,
    /// Whether its output stands at its input's voltage.
    pub(super) follows: bool,
    /// Whether it is a junction: a lead into several, without a loss.
    pub(super) junction: bool,
}

/// A port in use.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Outlet {
    /// `item/port`.
    pub(super) name: String,
    /// The source that it belongs to, if not a converter.
    pub(super) source: Option<usize>,
    /// The converter that it belongs to, if not a source.
    pub(super) converter: Option<usize>,
    pub(super) law: Law,
    pub(super) follows: bool,
}

/// A source in use.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Store {
    pub(super) id: String,
    /// Chemistry, cells in series and internal resistance, where it is a store of charge.
    pub(super) cells: Option<Cells>,
}

#[derive(Debug, Clone, PartialEq)]
pub(super) struct Cells {
    pub(super) chemistry: &'static Chemistry,
    pub(super) count: f64,
    /// Internal resistance when full, Ω.
    pub(super) internal_ohm: f64,
    /// Whether that rises as it is emptied.
    pub(super) by_charge: bool,
    /// How far its cells stand from what their chemistry says: at half charge, and between empty
    /// and full, V a cell.
    pub(super) bent_v: (f64, f64),
}

impl Cells {
    /// Internal resistance at a resting voltage of all cells together, Ω.
    pub(super) fn ohms_at(&self, open_v: f64) -> f64 {
        if self.by_charge {
            let soc = self.chemistry.soc_at(open_v / self.count);
            self.internal_ohm * crate::site::battery::empty_factor(self.chemistry, soc)
        } else {
            self.internal_ohm
        }
    }
}

/// A device in use.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Consumer {
    pub(super) id: String,
    /// Its place among the plan's devices.
    place: usize,
    /// What it draws here over what it draws on a sine.
    factor: f64,
}

/// An arrangement, compiled.
#[derive(Debug, Clone, PartialEq)]
pub struct Network {
    pub(super) nodes: Vec<Node>,
    pub(super) regions: Vec<Region>,
    pub(super) converters: Vec<Stage>,
    pub(super) ports: Vec<Outlet>,
    pub(super) sources: Vec<Store>,
    pub(super) devices: Vec<Consumer>,
    /// What is divided among what takes what it gets.
    pub(super) budgets: Vec<Budget>,
}

impl Network {
    /// [`Network::build`] without what is divided.
    pub(super) fn compiled(plan: &Plan, arrangement: &Arrangement, ambient: Celsius) -> Self {
        let place = |id: &str| {
            plan.kit
                .devices
                .iter()
                .position(|it| it.id.as_str() == id)
                .unwrap_or_default()
        };
        let devices = fed(plan, arrangement).map(|it| Consumer {
            id: it.id.to_string(),
            place: place(it.id.as_str()),
            factor: wave_factor(plan, arrangement, it),
        });
        let devices = devices.collect();
        let network = Self {
            nodes: Vec::with_capacity(arrangement.feeds.len()),
            regions: Vec::new(),
            converters: Vec::new(),
            ports: Vec::new(),
            sources: Vec::new(),
            devices,
            budgets: Vec::new(),
        };
        let mut builder = Builder {
            plan,
            arrangement,
            ambient,
            leaving: HashMap::new(),
            network,
        };
        for (index, feed) in arrangement.feeds.iter().enumerate() {
            builder
                .leaving
                .entry((feed.from.item.as_str(), feed.from.port.as_str()))
                .or_default()
                .push(index);
        }
        builder.run();
        builder.network
    }

    /// Whether something here takes what it gets.
    pub(crate) fn has_budgets(&self) -> bool {
        !self.budgets.is_empty()
    }

    /// Number of feeds.
    pub fn len(&self) -> usize {
        self.nodes.len()
    }

    /// Whether nothing is fed.
    pub fn is_empty(&self) -> bool {
        self.nodes.is_empty()
    }

    /// What each device in use draws, by a function of the plan's devices.
    pub fn loads(&self, plan: &Plan, of: impl Fn(&crate::site::plan::Device) -> Load) -> Vec<Load> {
        // The plan may be another one with the same devices, in another order.
        let known = |it: &Consumer| {
            let here = plan
                .kit
                .devices
                .get(it.place)
                .filter(|device| device.id.as_str() == it.id);
            here.or_else(|| plan.device(&it.id))
        };
        let load = |it: &Consumer| {
            // Times one is the same to the last bit.
            known(it).map(&of).unwrap_or_default().times(it.factor)
        };
        self.devices.iter().map(load).collect()
    }

    /// What a device draws here over what it draws on a sine, by its place in [`Network::loads`].
    pub(crate) fn wave_factor(&self, device: usize) -> f64 {
        self.devices[device].factor
    }
}

/// What a device draws at the outlet that makes its wave over what it draws on a sine.
fn wave_factor(plan: &Plan, arrangement: &Arrangement, device: &crate::site::plan::Device) -> f64 {
    on_stepped_wave(plan, arrangement, device).map_or(1.0, Figure::get)
}

/// What a device draws over what it draws on a sine, where it states that and hangs on a stepped
/// wave.
pub(crate) fn on_stepped_wave<'a>(
    plan: &Plan,
    arrangement: &Arrangement,
    device: &'a crate::site::plan::Device,
) -> Option<&'a Figure<Factor>> {
    let factor = device.input.stepped_watts_factor.as_ref()?;
    let chain = arrangement.chain(device.id.as_str());
    let ports = chain
        .iter()
        .filter_map(|it| plan.port(&arrangement.feeds[*it].from));
    let made = ports
        .map(|it| &it.voltage)
        .find(|it| it.standing(None).is_some());
    let stepped = matches!(
        made,
        Some(PortVoltage::Alternating {
            waveform: Some(Waveform::Stepped),
            ..
        })
    );
    stepped.then_some(factor)
}

struct Builder<'a> {
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    ambient: Celsius,
    leaving: HashMap<(&'a str, &'a str), Vec<usize>>,
    network: Network,
}

/// A region still to be filled: its supply, and the feeds that leave it.
struct Pending {
    supply: Supply,
    feeds: Vec<(usize, Option<usize>, usize)>,
}

impl<'a> Builder<'a> {
    fn run(&mut self) {
        let plan = self.plan;
        let mut pending: Vec<Pending> = Vec::new();
        for source in &plan.kit.sources {
            let used = |port: &&Port| {
                self.leaving
                    .contains_key(&(source.id.as_str(), port.id.as_str()))
            };
            let ports: Vec<&Port> = source.ports.iter().filter(used).collect();
            if ports.is_empty() {
                continue;
            }
            let store = self.network.sources.len();
            let battery = source.battery.as_ref();
            self.network.sources.push(Store {
                id: source.id.to_string(),
                cells: battery.and_then(|it| {
                    Some(Cells {
                        chemistry: chemistry::find(&it.chemistry)?,
                        count: it.cells.as_ref()?.get(),
                        bent_v: (0.0, 0.0),
                        internal_ohm: crate::site::battery::internal_ohm(it, self.ambient.0),
                        by_charge: it.is_full_model(),
                    })
                }),
            });
            let (mut terminals, mut regulated) = (Vec::new(), Vec::new());
            for port in ports {
                let outlet = self.outlet(source.id.as_str(), port, Some(store), None);
                self.leave(
                    source.id.as_str(),
                    port,
                    outlet,
                    &mut terminals,
                    &mut regulated,
                    None,
                );
            }
            // The terminals carry the regulated ports too, so they stand upstream of them.
            if self.network.sources[store].cells.is_some() {
                pending.push(Pending {
                    supply: Supply::Terminals(store),
                    feeds: terminals,
                });
            }
            pending.append(&mut regulated);
        }
        let mut next = 0;
        while next < pending.len() {
            let feeds = std::mem::take(&mut pending[next].feeds);
            let supply = pending[next].supply.clone();
            self.region(supply, feeds, &mut pending);
            next += 1;
        }
    }

    fn outlet(
        &mut self,
        item: &str,
        port: &Port,
        source: Option<usize>,
        converter: Option<usize>,
    ) -> usize {
        self.network.ports.push(Outlet {
            name: format!("{item}/{}", port.id),
            source,
            converter,
            law: Law::of(port.loss.as_ref()),
            follows: port.voltage.standing(None).is_none(),
        });
        self.network.ports.len() - 1
    }

    /// Files the feeds that leave a port: into the region at hand where it follows, else each into
    /// its own.
    fn leave(
        &self,
        item: &'a str,
        port: &'a Port,
        outlet: usize,
        here: &mut Vec<(usize, Option<usize>, usize)>,
        pending: &mut Vec<Pending>,
        parent: Option<usize>,
    ) {
        for &feed in self
            .leaving
            .get(&(item, port.id.as_str()))
            .into_iter()
            .flatten()
        {
            let picked = self.arrangement.feeds[feed]
                .voltage_v
                .as_ref()
                .map(crate::ground::figure::Figure::get);
            match port.voltage.standing(picked) {
                None => here.push((feed, parent, outlet)),
                Some(volts) => {
                    pending.push(Pending {
                        supply: Supply::Fixed(volts),
                        feeds: vec![(feed, None, outlet)],
                    });
                }
            }
        }
    }

    /// The most that a panel gives to a feed that leaves it or the converter behind it, W, and what
    /// that converter loses; an input takes no more than that. None for every other source, whose
    /// limits judge what flows instead.
    fn panel_gives(&self, feed: &Feed) -> Option<(f64, Law)> {
        let Some(converter) = self.plan.converter(feed.from.item.as_str()) else {
            let panel = self
                .plan
                .source(feed.from.item.as_str())
                .is_some_and(|it| it.kind == SourceKind::Panel);
            let limit = self
                .plan
                .port(&feed.from)
                .and_then(|it| it.limit.as_ref()?.continuous_w.as_ref());
            return limit.filter(|_| panel).map(|it| (it.get(), Law::default()));
        };
        let above = self.arrangement.feed_into(converter.id.as_str())?;
        let (watts, _) = self
            .panel_gives(above)
            .filter(|_| self.plan.source(above.from.item.as_str()).is_some())?;
        Some((watts, self.law_of(converter)))
    }

    /// What a converter loses. One that holds a panel at the voltage of the battery gives its
    /// current on, and what the panel would have given at its own voltage is lost.
    fn law_of(&self, converter: &Converter) -> Law {
        let law = Law::of(converter.loss.as_ref());
        if converter.holds_panel != Some(true) {
            return law;
        }
        let above = self
            .arrangement
            .feed_into(converter.id.as_str())
            .and_then(|it| self.plan.port(&it.from));
        let below = self
            .arrangement
            .feeds
            .iter()
            .find(|it| it.from.item == converter.id && it.to.input.is_some());
        let battery = below.and_then(|it| self.plan.source(it.to.item.as_str())?.battery.as_ref());
        let cells = battery.and_then(|it| {
            Some(chemistry::find(&it.chemistry)?.cell_v(HALF) * it.cells.as_ref()?.get())
        });
        let held = cells.or_else(|| converter.charges_at());
        let (Some(works), Some(held)) = (above.and_then(|it| it.voltage.standing(None)), held)
        else {
            return law;
        };
        let times = (works / held).max(1.0);
        Law {
            proportional: (1.0 + law.proportional) * times - 1.0,
            ..law
        }
    }

    fn region(
        &mut self,
        supply: Supply,
        mut feeds: Vec<(usize, Option<usize>, usize)>,
        pending: &mut Vec<Pending>,
    ) {
        let first = self.network.nodes.len();
        let mut next = 0;
        while next < feeds.len() {
            let (index, parent, port) = feeds[next];
            let feed = &self.arrangement.feeds[index];
            let lead = lead(feed.cable.as_ref(), self.ambient);
            let node = self.network.nodes.len();
            let item = feed.to.item.as_str();
            let end = if let Some(converter) = self.plan.converter(item) {
                let stage = self.network.converters.len();
                let kind_is_junction = converter.kind == ConverterKind::Junction;
                self.network.converters.push(Stage {
                    id: converter.id.to_string(),
                    law: if kind_is_junction {
                        Law::default()
                    } else {
                        self.law_of(converter)
                    },
                    power_factor: power_factor(converter.input.power_factor.as_ref()),
                    follows: converter
                        .outputs
                        .iter()
                        .any(|it| it.voltage.standing(None).is_none()),
                    junction: kind_is_junction,
                });
                for port in &converter.outputs {
                    if self.leaving.contains_key(&(item, port.id.as_str())) {
                        let outlet = self.outlet(item, port, None, Some(stage));
                        self.leave(
                            converter.id.as_str(),
                            port,
                            outlet,
                            &mut feeds,
                            pending,
                            Some(node),
                        );
                    }
                }
                End::Converter(stage)
            } else if let Some(device) = self.network.devices.iter().position(|it| it.id == item) {
                End::Device(device)
            } else {
                let input = feed.to.input.as_ref();
                let source = self.plan.source(item);
                let found = source.and_then(|it| {
                    Some((it, it.inputs.iter().find(|known| Some(&known.id) == input)?))
                });
                let panel = self.panel_gives(feed);
                let mode = feed.mode.as_ref().map(crate::site::plan::Id::as_str);
                End::Input(found.map_or_else(ChargeInput::default, |it| {
                    ChargeInput::of(it.0, it.1, mode, panel)
                }))
            };
            self.network.nodes.push(Node {
                feed: index,
                parent,
                lead,
                end,
                port,
            });
            next += 1;
        }
        let passes = |it: &Node| match it.end {
            End::Converter(stage) => {
                self.network.converters[stage].follows && !self.network.converters[stage].junction
            }
            _ => false,
        };
        let passes_power = self.network.nodes[first..].iter().any(passes);
        let warms = self.network.nodes[first..]
            .iter()
            .any(|it| it.lead.per_square_amp > 0.0);
        self.network.regions.push(Region {
            supply,
            first,
            end: self.network.nodes.len(),
            passes_power,
            warms,
        });
    }
}
