//! A march that goes on until a store is as full as somebody wants it: by what is wired into its
//! inputs, with what is drawn meanwhile.

use super::march::{Fineness, March};
use super::setting::Setting;
use crate::network::{Binds, HEAT, Leaf, Takes};
use crate::site::battery::{held_amps, taper};

/// What counts as full, 0 to 1: the last thousandth takes for ever where the current falls with
/// what is missing.
const FULL: f64 = 0.999;
/// Longest charging that is followed, s.
pub(crate) const LONGEST_S: f64 = 21.0 * 86_400.0;
/// Without any rise for so long it never gets there, s: longer than a night, and a day under
/// clouds.
const NO_RISE_S: f64 = 3.0 * 86_400.0;
/// Steps that are taken at most.
const MOST_STEPS: usize = 200_000;
/// What holds an input down is told as often as it changes, up to so many times.
const MOST_HOLDS: usize = 40;
/// Less than this is nothing that comes in, W.
const LEAST_W: f64 = 0.5;
/// Points of the curve of charge, at most one in so many seconds.
const POINT_S: f64 = 300.0;

/// What holds an input down at one moment.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Hold {
    /// Nothing comes: why, where it is known.
    Dark(Option<String>),
    /// The store is too cold to be charged.
    Cold,
    /// It is full, or takes the less the fuller it is.
    Taper,
    /// What the store takes, or may be charged with, W.
    Store(f64),
    /// What a port, a group or an alternator gives, by its place.
    Port(String),
    /// The case of a converter is as warm as it bears: which one, and what it gives on, W.
    Heat(String, f64),
    /// Its charger, by id, stands at the volts that it holds.
    Volts(String, f64),
    /// The sun, as a share of its rated light.
    Light(f64),
    /// The panel stands in the shade.
    Shade,
    /// The input itself, its lead, or the panel.
    Input(Binds),
}

impl Hold {
    /// Whether both are the same kind of thing.
    fn is_alike(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Heat(one, _), Self::Heat(other, _))
            | (Self::Volts(one, _), Self::Volts(other, _)) => one == other,
            (Self::Store(_), Self::Store(_)) | (Self::Light(_), Self::Light(_)) => true,
            (Self::Input(one), Self::Input(two)) => match (one, two) {
                (Binds::Lead { .. }, Binds::Lead { .. })
                | (Binds::LowVolts { .. }, Binds::LowVolts { .. }) => true,
                _ => one == two,
            },
            _ => self == other,
        }
    }
}

/// What an input gets from one moment on.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Held {
    pub(crate) at_h: f64,
    pub(crate) soc: f64,
    /// At the input.
    pub(crate) watts: f64,
    pub(crate) amps: f64,
    pub(crate) volts: f64,
    pub(crate) by: Hold,
}

/// A stretch in which something comes in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Span {
    pub(crate) from_h: f64,
    pub(crate) to_h: f64,
    /// At the input, Wh.
    pub(crate) wh: f64,
}

/// What came in by one input.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct ByInput {
    /// Its feed in the arrangement.
    pub(crate) feed: usize,
    /// What it gets, and what holds it down, as that changes.
    pub(crate) held: Vec<Held>,
    /// When something came in, up to so many times.
    pub(crate) spans: Vec<Span>,
    /// At the input, and taken for it where its chain begins, Wh.
    pub(crate) wh: [f64; 2],
}

impl ByInput {
    /// Adds what came in from one time to another, h.
    fn came(&mut self, from_h: f64, to_h: f64, wh: f64) {
        if wh <= LEAST_W * (to_h - from_h) {
            return;
        }
        let more = self.spans.len() < MOST_HOLDS;
        match self.spans.last_mut().filter(|it| from_h - it.to_h < 1e-6) {
            Some(last) => (last.to_h, last.wh) = (to_h, last.wh + wh),
            None if more => self.spans.push(Span { from_h, to_h, wh }),
            None => {}
        }
    }
}

/// When a charge is reached.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct LevelAt {
    pub(crate) soc: f64,
    pub(crate) at_h: Option<f64>,
    /// Taken for each input until then, Wh.
    pub(crate) taken_wh: Vec<f64>,
    /// Burnt by each source of the network until then, l.
    pub(crate) burnt_l: Vec<f64>,
}

/// A store filled.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Filled {
    pub(crate) levels: Vec<LevelAt>,
    pub(crate) inputs: Vec<ByInput>,
    /// What went into the store, Wh.
    pub(crate) stored_wh: f64,
    /// What was drawn from it meanwhile, Wh.
    pub(crate) drawn_wh: f64,
    /// Its charge over time: h and 0 to 1.
    pub(crate) curve: Vec<[f64; 2]>,
    /// Fuses and breakers that opened on the way, in sentences.
    pub(crate) opened: Vec<crate::ground::say::Sentence>,
}

/// Marches until a store, by its source's id, has reached each of the levels (0 to 1, rising) or
/// will not; none where it is not in use.
pub(crate) fn fill(
    setting: &Setting<'_>,
    source: &str,
    levels: &[f64],
    most_share: f64,
) -> Option<Filled> {
    let store = setting
        .stores
        .iter()
        .position(|it| it.source.id.as_str() == source)?;
    let fineness = Fineness {
        most_share,
        told: false,
        longest_s: 900.0,
        ..Fineness::default()
    };
    let mut march = March::new(setting, fineness);
    let places: Vec<usize> = (0..setting.inputs.len())
        .filter(|it| setting.inputs[*it].1 == store)
        .collect();
    let feed = |place: usize| {
        setting
            .network
            .feeds()
            .find(|it| it.0 == setting.inputs[place].0)
            .map_or(0, |it| it.1)
    };
    let mut inputs: Vec<ByInput> = places
        .iter()
        .map(|it| ByInput {
            feed: feed(*it),
            held: Vec::new(),
            spans: Vec::new(),
            wh: [0.0; 2],
        })
        .collect();
    let (mut reached, mut curve): (Vec<LevelAt>, Vec<[f64; 2]>) = (Vec::new(), Vec::new());
    let tank: Vec<f64> = march.fuel_l.clone();
    let burnt = |march: &March<'_>| -> Vec<f64> {
        tank.iter()
            .zip(&march.fuel_l)
            .map(|(full, left)| if full.is_finite() { full - left } else { 0.0 })
            .collect()
    };
    let taken = |march: &March<'_>| -> Vec<f64> {
        places.iter().map(|it| march.inputs_wh[*it][1]).collect()
    };
    let from = march.soc[store];
    let (there, wanted): (Vec<f64>, Vec<f64>) = levels.iter().partition(|it| **it <= from + 1e-9);
    let nothing = (taken(&march), burnt(&march));
    reached.extend(there.iter().map(|it| LevelAt {
        soc: *it,
        at_h: Some(0.0),
        taken_wh: nothing.0.clone(),
        burnt_l: nothing.1.clone(),
    }));
    let mut pending = wanted.into_iter();
    let mut next = pending.next();
    let (mut best, mut best_at) = (march.soc[store], 0.0);
    for _ in 0..MOST_STEPS {
        let Some(level) = next else { break };
        march.settle();
        march.flow(true);
        for (input, place) in inputs.iter_mut().zip(&places) {
            let held = march.held(*place, store);
            let is_new = input.held.last().is_none_or(|it| !it.by.is_alike(&held.by));
            if is_new && input.held.len() < MOST_HOLDS {
                input.held.push(held);
            }
        }
        let now_h = march.t / 3600.0;
        if curve
            .last()
            .is_none_or(|it| now_h - it[0] >= POINT_S / 3600.0)
        {
            curve.push([now_h, march.soc[store]]);
        }
        let (t, soc, before) = (march.t, march.soc[store], (taken(&march), burnt(&march)));
        let came: Vec<f64> = places.iter().map(|it| march.inputs_wh[*it][0]).collect();
        march.step(LONGEST_S);
        let (long, rise) = (march.t - t, march.soc[store] - soc);
        for ((input, place), wh) in inputs.iter_mut().zip(&places).zip(&came) {
            input.came(
                t / 3600.0,
                march.t / 3600.0,
                march.inputs_wh[*place][0] - wh,
            );
        }
        let mut at_level = Some(level);
        while let Some(level) = at_level.filter(|it| march.soc[store] >= it.min(FULL) - 1e-12) {
            // Charge runs nearly straight within a step.
            let part = if rise > 0.0 {
                ((level.min(FULL) - soc) / rise).clamp(0.0, 1.0)
            } else {
                1.0
            };
            let between =
                |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| a + (b - a) * part).collect();
            reached.push(LevelAt {
                soc: level,
                at_h: Some((t + long * part) / 3600.0),
                taken_wh: between(&before.0, &taken(&march)),
                burnt_l: between(&before.1, &burnt(&march)),
            });
            next = pending.next();
            at_level = next;
        }
        if march.soc[store] > best + 1e-4 {
            (best, best_at) = (march.soc[store], march.t);
        }
        if march.t >= setting.end - 1e-6 || march.t - best_at > NO_RISE_S {
            break;
        }
    }
    let rest = next.into_iter().chain(pending);
    reached.extend(rest.map(|it| LevelAt {
        soc: it,
        at_h: None,
        taken_wh: taken(&march),
        burnt_l: burnt(&march),
    }));
    curve.push([march.t / 3600.0, march.soc[store]]);
    for (input, place) in inputs.iter_mut().zip(&places) {
        input.wh = march.inputs_wh[*place];
    }
    let opened = march
        .found
        .events
        .iter()
        .filter(|it| matches!(it.what.as_str(), "trip" | "fuse"))
        .filter_map(|it| it.cause.first().cloned());
    Some(Filled {
        levels: reached,
        inputs,
        stored_wh: march.store_runs[store].charged_wh,
        drawn_wh: march.store_runs[store].drawn_wh,
        curve,
        opened: opened.collect(),
    })
}

/// A store at the end of an outage.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Left {
    /// What is left in it, and the least that was on the way, 0 to 1.
    pub(crate) soc: f64,
    pub(crate) lowest: f64,
    /// What was drawn from it, Wh.
    pub(crate) drawn_wh: f64,
    /// What each source of the network has burnt by then, l.
    pub(crate) burnt_l: Vec<f64>,
}

/// What an outage leaves in a store, by its source's id; none where it is not in use.
pub(crate) fn left_after(setting: &Setting<'_>, source: &str) -> Option<Left> {
    let store = setting
        .stores
        .iter()
        .position(|it| it.source.id.as_str() == source)?;
    let mut march = March::new(
        setting,
        Fineness {
            told: false,
            longest_s: 900.0,
            ..Fineness::default()
        },
    );
    let tank: Vec<f64> = march.fuel_l.clone();
    let mut lowest = march.soc[store];
    for _ in 0..MOST_STEPS {
        if march.t >= setting.end - 1e-6 {
            break;
        }
        march.step(setting.end);
        lowest = lowest.min(march.soc[store]);
    }
    let burnt = tank
        .iter()
        .zip(&march.fuel_l)
        .map(|(full, left)| if full.is_finite() { full - left } else { 0.0 });
    Some(Left {
        soc: march.soc[store],
        lowest,
        drawn_wh: march.store_runs[store].drawn_wh,
        burnt_l: burnt.collect(),
    })
}

impl Filled {
    /// Of a store into which nothing is wired, and from which nothing is.
    pub(crate) fn nothing(levels: &[f64], from: f64) -> Self {
        let level = |soc: &f64| LevelAt {
            soc: *soc,
            at_h: (*soc <= from + 1e-9).then_some(0.0),
            taken_wh: Vec::new(),
            burnt_l: Vec::new(),
        };
        Self {
            levels: levels.iter().map(level).collect(),
            inputs: Vec::new(),
            stored_wh: 0.0,
            drawn_wh: 0.0,
            curve: vec![[0.0, from]],
            opened: Vec::new(),
        }
    }
}

impl March<'_> {
    /// What the input of a place gets now, and what holds it down; what flows has been solved.
    fn held(&self, place: usize, store: usize) -> Held {
        let setting = self.setting;
        let node = setting.inputs[place].0;
        let (watts, amps) = (self.solver.watts_at(node), self.solver.amps_at(node));
        let lit = self.solver.is_lit(node) && !self.feeds_off[node];
        let volts = if lit { self.solver.volts_at(node) } else { 0.0 };
        let by = if setting.stores[store].too_cold {
            Hold::Cold
        } else if lit {
            self.holds(node, store)
        } else {
            Hold::Dark(Some(self.darkness_of(node).0))
        };
        Held {
            at_h: self.t / 3600.0,
            soc: self.soc[store],
            watts,
            amps,
            volts,
            by,
        }
    }

    /// What holds an input down that takes less than it is offered: the volts of its charger, or
    /// the store.
    fn held_by(&self, node: usize, store: usize) -> Hold {
        let (setting, soc) = (self.setting, self.soc[store]);
        let most_w = self.most_w(store, soc);
        let battery = setting.stores[store].battery;
        let volts = setting
            .inputs
            .iter()
            .zip(&setting.charge_v)
            .find(|it| it.0.0 == node)
            .and_then(|it| *it.1);
        let by_volts =
            volts.filter(|it| held_amps(battery, soc, setting.ambient_c, *it) * it < most_w);
        let charger = setting
            .network
            .port_converter(setting.network.port_of(node));
        match by_volts.zip(charger) {
            Some((volts, it)) => Hold::Volts(setting.network.converter_id(it).to_owned(), volts),
            None => Hold::Store(most_w),
        }
    }

    fn holds(&self, node: usize, store: usize) -> Hold {
        let (soc, battery) = (self.soc[store], self.setting.stores[store].battery);
        let yielding = self.solver.yielding();
        if let Some(it) = yielding.into_iter().find(|it| it.leaf == Leaf::Input(node)) {
            let heat = it
                .place
                .strip_suffix(HEAT)
                .and_then(|it| it.strip_suffix('/'));
            return match heat {
                Some(converter) => Hold::Heat(converter.to_owned(), it.gets_w),
                None => Hold::Port(it.place),
            };
        }
        if self.full[store] {
            return Hold::Taper;
        }
        let (Takes { share, light }, own) = (self.takes[node], taper(battery, soc));
        // The panel, or what the input would take of what its panel gives.
        if self.solver.lit_w(node) <= self.solver.wants_w(node) {
            if self.is_shaded(node) {
                return Hold::Shade;
            }
            if light < 1.0 - 1e-9 {
                return Hold::Light(light);
            }
        } else if share < own * (1.0 - 1e-6) {
            return self.held_by(node, store);
        } else if own < 1.0 - 1e-9 {
            return Hold::Taper;
        }
        let binds =
            self.setting
                .network
                .binds(node, self.solver.near_at(node), self.solver.volts_at(node));
        binds.map_or(Hold::Dark(None), Hold::Input)
    }
}
