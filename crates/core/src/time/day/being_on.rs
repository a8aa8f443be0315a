//! What things cost for being on: left on, as they are switched, and on with their load.
//!
//! Each of the three is a day of use of the whole arrangement, carried out with the switch put
//! there.

use super::span::Span;
use super::stretch::{Stretches, stretches};
use super::usage::{Usage, drawn_and_idle};
use super::using::Use;
use crate::ground::json::words;
use crate::ground::say::{Sentence, amount};
use crate::ground::work;
use crate::limits::feed_stays;
use crate::network::{Charge, Gates, Network, fed};
use crate::site::plan::{Arrangement, Device, Id, Plan, Switch, SwitchedWhen};
use rayon::prelude::*;
use serde::Serialize;

/// More turns than this a day nobody makes by hand.
const MOST_BY_HAND: f64 = 6.0;
/// What is saved below this is not worth a word, Wh a day and as a share of what it costs.
const WORTH_WH: f64 = 1.0;
const WORTH_SHARE: f64 = 0.02;
/// Each takes two days to be told: of an arrangement with more than this the rest are little.
const MOST_TOLD: usize = 24;
/// On for so much of a day, h, something is always on.
const ALWAYS_H: f64 = 23.9;

words!(
    /// How something is switched.
    Switching {
        /// On all the time.
        LeftOn = "left_on",
        /// On while something behind it is.
        WithLoad = "with_load",
        /// On at its hours.
        Hours = "hours",
    }
);

/// A way of switching something, over a day.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct OnForADay {
    /// How it is switched.
    pub how: Switching,
    /// How long it is on, h.
    pub on_h: f64,
    /// What it costs for being on, and standing by while it is off, Wh.
    pub wh: f64,
    /// What the whole arrangement draws from its stores, Wh.
    pub drawn_wh: f64,
    /// How often it is switched, on or off.
    pub turns: f64,
}

/// What a converter or an outlet costs for being on in an arrangement.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BeingOn {
    /// The arrangement.
    pub arrangement: String,
    /// The converter, or `source/port`.
    pub place: String,
    /// What it draws at no load, W.
    pub idle_w: f64,
    /// As it is.
    pub now: OnForADay,
    /// Left on all day.
    pub left_on: OnForADay,
    /// On with its load.
    pub with_load: OnForADay,
    /// What the arrangement would draw less in a day with it on with its load, Wh; below 0 where it
    /// would draw more.
    pub saves_wh: f64,
    /// Whether that is worth doing, and safe.
    pub worth: bool,
    /// Why its feed must not be cut, where that is so: something behind it runs on while it is hot,
    /// or a life hangs on it.
    pub never: Option<Sentence>,
    /// Whether it may go off by the clock: nothing behind it comes to harm by being off.
    pub by_clock: bool,
    /// Whether a person can do it by hand.
    pub by_hand: bool,
    /// The switches of the arrangement once it is on with its load, to be put in their place.
    pub then: Vec<Switch>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// What everything with an idle draw costs in a day of an arrangement at a charge, the most first;
/// of very many, what draws most.
pub fn being_on(plan: &Plan, way: &Arrangement, charge: &Charge) -> Vec<BeingOn> {
    let network = Network::build(plan, way, plan.site.ambient());
    let day = Use::day(plan, way, &network);
    day.being_on(charge, &day.usage(charge))
}

impl Use<'_> {
    /// See [`being_on`]; `usage` is what the day takes at that charge.
    pub(crate) fn being_on(&self, charge: &Charge, usage: &Usage) -> Vec<BeingOn> {
        being_on_in(&Carried {
            day: self,
            charge,
            usage,
        })
    }
}

fn being_on_in(now: &Carried<'_>) -> Vec<BeingOn> {
    let network = now.day.network;
    let mut dearest = places(network);
    let idle = |place: &String| network.idle(place).unwrap_or(0.0);
    dearest.sort_by(|a, b| idle(b).total_cmp(&idle(a)));
    dearest.truncate(MOST_TOLD);
    let job = work::current();
    let told = dearest
        .par_iter()
        .filter_map(|place| work::carried(job.as_ref(), || one(now, place)));
    let mut list: Vec<BeingOn> = told.collect();
    list.sort_by(|a, b| {
        b.now
            .wh
            .total_cmp(&a.now.wh)
            .then_with(|| a.place.cmp(&b.place))
    });
    list
}

/// Converters and outlets that draw something for being on.
fn places(network: &Network) -> Vec<String> {
    network.idlers().map(str::to_owned).collect()
}

/// The arrangement with everything that draws something for being on switched with its load, but
/// what must stay on.
pub fn with_their_load(plan: &Plan, way: &Arrangement) -> Arrangement {
    let network = Network::build(plan, way, plan.site.ambient());
    places(&network).iter().fold(way.clone(), |way, place| {
        let Some(switching) = on_with_load(&way, place) else {
            return way;
        };
        let load = Arrangement {
            switching,
            ..way.clone()
        };
        let stays = behind(plan, &load, &network, place)
            .iter()
            .any(|it| feed_stays(plan, it).is_some());
        if stays { way } else { load }
    })
}

/// The switches of an arrangement with one place on with its load, as the last of them; with the
/// standby that is known.
fn on_with_load(way: &Arrangement, place: &str) -> Option<Vec<Switch>> {
    let (item, port) = place
        .split_once('/')
        .map_or((place, None), |(item, port)| (item, Some(port)));
    let (item, port) = (Id::new(item).ok()?, port.map(Id::new).transpose().ok()?);
    let standby_w = way
        .switching
        .iter()
        .find(|it| it.place() == place)
        .and_then(|it| it.standby_w.clone());
    let others = way
        .switching
        .iter()
        .filter(|it| it.place() != place)
        .cloned();
    Some(
        others
            .chain([Switch {
                standby_w,
                ..Switch::with_load(item, port)
            }])
            .collect(),
    )
}

/// A day of use as it is switched: its states, and what is drawn in it.
struct Carried<'a> {
    day: &'a Use<'a>,
    charge: &'a Charge,
    usage: &'a Usage,
}

impl Carried<'_> {
    fn told(&self, how: Switching, devices: &[&Device], place: &str) -> OnForADay {
        told(
            how,
            &self.day.stretches,
            devices,
            place,
            (self.usage.drawn_wh, self.usage.idle_of(place)),
        )
    }
}

fn told(
    how: Switching,
    stretches: &Stretches,
    devices: &[&Device],
    place: &str,
    (drawn_wh, wh): (f64, f64),
) -> OnForADay {
    OnForADay {
        how,
        on_h: stretches.hours_open(place),
        wh,
        drawn_wh,
        turns: stretches.turns_a_day(devices, place),
    }
}

fn one(now: &Carried<'_>, place: &str) -> Option<BeingOn> {
    let Use {
        plan, way, network, ..
    } = *now.day;
    let idle_w = network.idle(place)?;
    let rows: Vec<&Switch> = way
        .switching
        .iter()
        .filter(|it| it.place() == place)
        .collect();
    let how = match rows.first().map(|it| it.when) {
        None => Switching::LeftOn,
        Some(SwitchedWhen::WithLoad) => Switching::WithLoad,
        Some(SwitchedWhen::Hours) => Switching::Hours,
    };
    let others = way.switching.iter().filter(|it| it.place() != place);
    let left = Arrangement {
        switching: others.cloned().collect(),
        ..way.clone()
    };
    let load = Arrangement {
        switching: on_with_load(way, place)?,
        ..way.clone()
    };
    let devices: Vec<&Device> = fed(plan, way).collect();
    let current = now.told(how, &devices, place);
    let at = |ask: Switching, other: &Arrangement| {
        if ask == how {
            return current.clone();
        }
        let span = Span::day(plan);
        let stretches = stretches(plan, other, network, &span);
        let both = drawn_and_idle(plan, other, now.charge, &span, (network, &stretches, place));
        told(ask, &stretches, &devices, place, both)
    };
    let (left_on, with_load) = (at(Switching::LeftOn, &left), at(Switching::WithLoad, &load));
    let saves_wh = current.drawn_wh - with_load.drawn_wh;
    let behind = behind(plan, &load, network, place);
    let never = behind.iter().find_map(|it| feed_stays(plan, it));
    let by_clock = never.is_none() && behind.iter().all(|it| it.deadline.is_none());
    let worth = never.is_none() && saves_wh > WORTH_WH && saves_wh > WORTH_SHARE * current.wh;
    let by_hand = with_load.turns <= MOST_BY_HAND + 0.5;
    let mut then = load.switching;
    if let Some(row) = then.last_mut() {
        row.by_hand = by_hand.then_some(true);
    }
    let mut sentence = sentence(&current, &left_on, &with_load, worth, by_hand);
    if let Some(why) = &never {
        // What must not be cut is not told what cutting it would save.
        sentence = format!(
            "Left on it costs {} a day. {}",
            amount(left_on.wh, "Wh"),
            why.marked()
        );
    }
    Some(BeingOn {
        arrangement: way.id.to_string(),
        place: place.to_owned(),
        idle_w,
        now: current,
        left_on,
        with_load,
        saves_wh,
        worth,
        never,
        by_clock,
        by_hand,
        then,
        sentence: sentence.into(),
    })
}

/// The devices behind something that is switched.
fn behind<'a>(
    plan: &'a Plan,
    way: &'a Arrangement,
    network: &Network,
    place: &str,
) -> Vec<&'a Device> {
    let gates = Gates::of(way, network);
    let devices: Vec<&Device> = fed(plan, way).collect();
    let gate = gates.list.into_iter().find(|it| it.place == place);
    gate.map_or_else(Vec::new, |it| {
        it.devices.iter().map(|device| devices[*device]).collect()
    })
}

/// "On with its load: 67 Wh instead of 339 a day; two actions by hand."
fn sentence(
    now: &OnForADay,
    left: &OnForADay,
    load: &OnForADay,
    worth: bool,
    by_hand: bool,
) -> String {
    let wh = |it: &OnForADay| amount(it.wh, "Wh");
    let hours = |it: &OnForADay| amount(it.on_h, "h");
    let turns = turns(load.turns, by_hand);
    match now.how {
        Switching::WithLoad => {
            format!(
                "On with its load, {} a day: {} instead of {}; {turns}.",
                hours(now),
                wh(now),
                wh(left)
            )
        }
        Switching::Hours if worth => format!(
            "On at its hours, {} a day: {}. On with its load it would be {}; {turns}.",
            hours(now),
            wh(now),
            wh(load)
        ),
        Switching::Hours => format!(
            "On at its hours, {} a day: {} instead of {}.",
            hours(now),
            wh(now),
            wh(left)
        ),
        Switching::LeftOn if worth => format!(
            "On with its load: {} instead of {} a day; {turns}.",
            wh(load),
            wh(now)
        ),
        Switching::LeftOn if load.on_h >= ALWAYS_H => {
            "Something behind it is always on: switching it saves nothing.".into()
        }
        Switching::LeftOn => "Switching it with its load saves next to nothing.".into(),
    }
}

fn turns(turns: f64, by_hand: bool) -> String {
    let count = turns.round().max(1.0);
    match () {
        () if !by_hand => format!(
            "{} a day, which only a switch that senses its load does",
            amount(count, "turns")
        ),
        () if count <= 1.0 => "one action by hand".into(),
        () if count <= 2.0 => "two actions by hand".into(),
        () => format!("{} actions by hand", amount(count, "")),
    }
}
