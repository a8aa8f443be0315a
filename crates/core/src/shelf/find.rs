//! The finder: which chains run some devices for so long, with what is owned and what could be bought.
//!
//! # What is looked through
//! Each device hangs on one port of one source (not the mains, not a bare panel), straight, behind an inverter, or through the
//! fewest converters with which it does not trip alone; several may share a converter that is fed from the same port. A part stands
//! in one place at once. That is all that is looked through, and *proven* means: of all of that.
//!
//! # How
//! Branch and bound, device by device. What hangs on one source has nothing to do with what hangs on another, so that each set of
//! chains on a source is judged by its findings and marched once. A set that is not whole yet bounds what becomes of it: more on a
//! source never lasts longer, never costs or weighs less, never draws less, and never leaves more room. A branch is left where it
//! trips, exceeds a limit, or cannot better a member of the front in anything. Every member is put together whole, judged and
//! marched again before it is told.

use super::board::{Board, MENDED_BY_LOAD, free_id, lay};
use super::runs::{LENGTH_M, Place, RunCell, places, some_devices, ways_of};
use super::{LOOKED_H, Refused, outage_of, plain, within};
use crate::day::{alone_wh, day};
use crate::figure::Figure;
use crate::json::words;
use crate::kinds::kinds;
use crate::limits::{Status, amount, findings};
use crate::network::Charge;
use crate::outage::{clocked, simulate};
use crate::parts::parts;
use crate::plan::{Arrangement, Converter, Device, Draw, Feed, Id, Outage, Plan, Source};
use crate::say::{Name, Sentence};
use crate::work;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Devices that may be asked for at once.
pub const MOST_DEVICES: usize = 12;
/// Sets of chains that are judged and marched at most.
pub const MOST_TRIED: usize = 4000;
/// Branches that are looked at at most: what hangs on sources of its own is judged once, and there may be very many ways to put
/// such sets together.
const MOST_BRANCHES: usize = 200_000;
/// Hours are told and compared to this, h.
const HOUR: f64 = 0.1;
/// What is drawn a day is compared to this, Wh: less than a tenth of a watt is no reason to buy anything.
const DRAWN: f64 = 2.0;
/// Room is compared to this, as a share.
const ROOM: f64 = 0.01;
/// By how much a set of chains may last longer with one more device on it, for what a march leaves open, as a share.
const SLACK: f64 = 0.005;
words!(
    /// What may be used.
    Shelf {
        /// What is owned.
        Owned = "owned",
        /// Everything of the site's kit, owned or not.
        Site = "site",
        /// That, and the ready-made kinds.
        Kinds = "kinds",
    }
);

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct FindAsk {
    /// Devices that must run, by id; 1 to [`MOST_DEVICES`].
    pub devices: Vec<String>,
    /// For how long, h; above 0, and no longer than the outage.
    pub hours: f64,
    /// The outage, by id; one in which nothing comes where left out.
    pub outage: Option<String>,
    /// Money to spend at most, in the site's currency; without a limit where left out.
    pub spend: Option<f64>,
    /// Weight of what is bought at most, kg; without a limit where left out.
    pub weight_kg: Option<f64>,
    /// What may be used.
    pub shelf: Shelf,
    /// Prices of ready-made kinds, by their ids.
    pub prices: BTreeMap<String, f64>,
    /// Whether nothing may be left unproven.
    pub proven_only: bool,
    /// Whether the whole front is told, or only what lasts so long.
    pub front: bool,
    /// Sets of chains that are tried at most.
    pub most: usize,
}

impl FindAsk {
    /// Of what is on the site's shelf, within no limits.
    pub fn of(devices: &[&str], hours: f64) -> Self {
        Self {
            devices: devices.iter().map(|it| (*it).to_owned()).collect(),
            hours,
            outage: None,
            spend: None,
            weight_kg: None,
            shelf: Shelf::Site,
            prices: BTreeMap::new(),
            proven_only: false,
            front: false,
            most: MOST_TRIED,
        }
    }
}

/// What must be added to the plan.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Added {
    /// Devices: none, as only those of the plan are asked for.
    pub devices: Vec<crate::plan::Device>,
    /// Sources.
    pub sources: Vec<Source>,
    /// Converters.
    pub converters: Vec<Converter>,
}

/// One answer that no other betters.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(rename = "FrontMember"))]
pub struct Member {
    /// Its chains, with leads and fuses.
    pub arrangement: Arrangement,
    /// What is not in the plan yet.
    pub added: Added,
    /// Until the first of the devices is lost, h; as long as the outage where none is.
    pub hours: f64,
    /// What must be bought, in the site's currency.
    pub spend: f64,
    /// What that weighs, kg, as far as anybody says.
    pub weight_kg: f64,
    /// What is drawn a day, Wh.
    pub drawn_wh_day: f64,
    /// The share of the rating with the least room that is free; 0 is none.
    pub least_margin: f64,
    /// The worst verdict anywhere.
    pub status: Status,
    /// Labels of what must be bought.
    pub buys: Vec<String>,
    /// It in a sentence.
    pub sentence: Sentence,
}

impl Member {
    /// Whether this one is at least as good in everything.
    fn betters(&self, other: &Bound) -> bool {
        let grain = |value: f64, size: f64| (value / size).round();
        grain(self.hours, HOUR) >= grain(other.hours, HOUR)
            && self.spend <= other.spend + 1e-9
            && self.weight_kg <= other.weight_kg + 1e-9
            && grain(self.drawn_wh_day, DRAWN) <= grain(other.drawn_wh_day, DRAWN)
            && grain(self.least_margin, ROOM) >= grain(other.least_margin, ROOM)
    }

    fn bound(&self) -> Bound {
        Bound {
            hours: self.hours,
            spend: self.spend,
            weight_kg: self.weight_kg,
            drawn_wh_day: self.drawn_wh_day,
            least_margin: self.least_margin,
        }
    }
}

/// The best that may become of something.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Bound {
    hours: f64,
    spend: f64,
    weight_kg: f64,
    drawn_wh_day: f64,
    least_margin: f64,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(rename = "FinderAnswer"))]
pub struct Found {
    /// What nothing betters, the cheapest first.
    pub front: Vec<Member>,
    /// Whether that is proven.
    pub proven: bool,
    /// By how much something longer may have been missed, as a share of the longest hours; 0 where it is proven.
    pub within: f64,
    /// Sets of chains that were judged and marched.
    pub tried: usize,
    /// The longest that there is, where nothing lasts as long as was asked.
    pub longest: Option<Member>,
    /// What was left out because nobody states its price, by label.
    pub unpriced: Vec<String>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// Finds what runs some devices for so long.
///
/// # Errors
/// Names the field that cannot be.
pub fn find(plan: &Plan, ask: &FindAsk) -> Result<Found, Refused> {
    let devices: Vec<String> = some_devices(plan, &ask.devices)?.into_iter().map(str::to_owned).collect();
    if devices.is_empty() || devices.len() > MOST_DEVICES {
        return Err(Refused::of("devices", format!("are {}; name 1 to {MOST_DEVICES}", devices.len())));
    }
    let outage = match &ask.outage {
        Some(id) => outage_of(plan, id)?.clone(),
        None => plain(LOOKED_H.max(ask.hours.min(super::smallest::MOST_H))),
    };
    if !(ask.hours > 0.0 && ask.hours <= outage.hours.get()) {
        let why =
            format!("is {}; it lies above 0, and the outage lasts {}", ask.hours, amount(outage.hours.get(), "h"));
        return Err(Refused::of("hours", why));
    }
    for (field, limit) in [("spend", ask.spend), ("weight_kg", ask.weight_kg)] {
        if let Some(it) = limit.filter(|it| !(*it >= 0.0 && it.is_finite())) {
            return Err(Refused::of(field, format!("is {it}; it is 0 or more")));
        }
    }
    let (stocked, unpriced) = stocked(plan, ask)?;
    let mut search = Search::of(&stocked, ask, &devices, outage);
    search.run();
    let mut longest = None;
    let mut whole = search.members.clone();
    if whole.is_empty() && !ask.front {
        // Nothing lasts so long: what lasts longest is told beside it.
        let front = FindAsk { front: true, ..ask.clone() };
        let mut again = Search { ask: &front, ..search.begun() };
        again.run();
        search.tried += again.tried;
        longest =
            again.members.into_iter().max_by(|a, b| a.hours.total_cmp(&b.hours).then(b.spend.total_cmp(&a.spend)));
    }
    whole.sort_by(|a, b| {
        a.spend.total_cmp(&b.spend).then(b.hours.total_cmp(&a.hours)).then(a.drawn_wh_day.total_cmp(&b.drawn_wh_day))
    });
    for it in whole.iter_mut().chain(longest.as_mut()) {
        told(plan, &stocked, it);
    }
    let best = whole.iter().map(|it| it.hours).fold(0.0, f64::max);
    let within = if search.missed > best && best > 0.0 { search.missed / best - 1.0 } else { 0.0 };
    let mut found = Found {
        proven: !search.stopped,
        within,
        tried: search.tried,
        front: whole,
        longest,
        unpriced,
        sentence: Sentence::default(),
    };
    found.sentence = sentence(plan, ask, &devices, &found);
    Ok(found)
}

/// The plan with what may be used in its kit, and what nobody states a price of.
fn stocked(plan: &Plan, ask: &FindAsk) -> Result<(Plan, Vec<String>), Refused> {
    let mut plan = plan.clone();
    if ask.shelf == Shelf::Owned {
        plan.kit.sources.retain(|it| it.owned != Some(false));
        plan.kit.converters.retain(|it| it.owned != Some(false));
    }
    if ask.shelf == Shelf::Kinds {
        let taken = |plan: &Plan, id: &str| {
            plan.source(id).is_some() || plan.converter(id).is_some() || plan.device(id).is_some()
        };
        for (id, price) in &ask.prices {
            let known = kinds().sources.iter().any(|it| it.id.as_str() == id)
                || kinds().converters.iter().any(|it| it.id.as_str() == id);
            if !(known && *price >= 0.0 && price.is_finite()) {
                let why = format!("of \"{id}\" is {price}; name a ready-made kind, and a price of 0 or more");
                return Err(Refused::of("prices", why));
            }
        }
        let price = |id: &Id| ask.prices.get(id.as_str()).map(|it| Figure::assumed(*it));
        let free = |plan: &Plan, id: &Id| {
            let names = std::iter::once(format!("bought-{id}")).chain((2..100).map(|it| format!("bought-{id}-{it}")));
            names.filter(|it| !taken(plan, it)).find_map(|it| Id::new(&it).ok()).unwrap_or_else(|| id.clone())
        };
        for it in &kinds().sources {
            let id = free(&plan, &it.id);
            plan.kit.sources.push(Source { id, owned: Some(false), price: price(&it.id), ..it.clone() });
        }
        for it in &kinds().converters {
            let id = free(&plan, &it.id);
            plan.kit.converters.push(Converter { id, owned: Some(false), price: price(&it.id), ..it.clone() });
        }
    }
    // What nobody knows the price of keeps within no limit.
    let mut unpriced = Vec::new();
    if ask.spend.is_some() {
        let mut keep = |owned: Option<bool>, priced: bool, label: &str| {
            let keeps = owned != Some(false) || priced;
            if !keeps {
                unpriced.push(label.to_owned());
            }
            keeps
        };
        plan.kit.sources.retain(|it| keep(it.owned, it.price.is_some(), &it.label));
        plan.kit.converters.retain(|it| keep(it.owned, it.price.is_some(), &it.label));
    }
    Ok((plan, unpriced))
}

/// One way to feed one device.
struct Choice {
    /// The source it hangs on.
    source: String,
    /// It alone.
    cell: RunCell,
    /// Everything that it uses, by id.
    items: Vec<String>,
    alone: Set,
}

/// What some chains on one source come to.
#[derive(Debug, Clone, PartialEq)]
struct Set {
    hours: f64,
    drawn_wh_day: f64,
    least_margin: f64,
    /// Whether it trips in a way that no more load mends.
    trips: bool,
}

/// What everything is judged on.
struct Ground<'a> {
    plan: &'a Plan,
    outage: Outage,
}

impl Ground<'_> {
    /// The chains of some cells in one; none where a part would stand in two places.
    fn way(&self, cells: &[&RunCell]) -> Option<Arrangement> {
        let mut way = Arrangement::of_feeds(Vec::new());
        let mut shared = false;
        for feed in cells.iter().filter_map(|it| it.arrangement.as_ref()).flat_map(|it| &it.feeds) {
            match way.feeds.iter().find(|it| it.to == feed.to) {
                Some(it) if it.from == feed.from => shared = true,
                Some(_) => return None,
                None => way.feeds.push(feed.clone()),
            }
        }
        if shared {
            lay(self.plan, &mut way, LENGTH_M);
        }
        Some(way)
    }

    fn judged(&self, cells: &[&RunCell]) -> Option<Set> {
        let way = self.way(cells)?;
        let found = findings(self.plan, &way);
        let trips = found.iter().any(|it| it.status == Status::Trips && !MENDED_BY_LOAD.contains(&it.code));
        // A port that turns itself off may carry more for longer: it bounds nothing.
        let turns_off = |it: &Feed| self.plan.port(&it.from).is_some_and(|it| it.auto_off.is_some());
        let hours = match () {
            () if trips => 0.0,
            () if way.feeds.iter().any(turns_off) => self.outage.hours.get(),
            () => self.lasts_h(&way),
        };
        let drawn_wh_day = day(self.plan, &way, &Charge::full()).drawn_wh;
        let board = Board::from(&found, way);
        let least_margin = board.rating.map_or(1.0, |it| 1.0 - it.used);
        Some(Set { hours, drawn_wh_day, least_margin, trips })
    }

    fn lasts_h(&self, way: &Arrangement) -> f64 {
        let used = |id: &str| way.feeds.iter().any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id);
        let found = simulate(self.plan, way, &within(&self.outage, used), None);
        let whole = self.outage.hours.get();
        found.devices.values().filter_map(|it| it.down_at_h).fold(whole, f64::min)
    }
}

struct Search<'a> {
    plan: &'a Plan,
    ask: &'a FindAsk,
    ground: Arc<Ground<'a>>,
    /// By device, the one with the fewest choices first: its id and its choices, the cheapest first.
    devices: Vec<(String, Arc<Vec<Choice>>)>,
    /// The least that the devices from a place on draw a day, Wh; the longest that they last; the most room that they leave.
    rest: Vec<(f64, f64, f64)>,
    /// Sets that were judged already, by the places of devices and choices.
    known: BTreeMap<Vec<(usize, usize)>, Set>,
    members: Vec<Member>,
    tried: usize,
    branches: usize,
    stopped: bool,
    /// The longest that a branch which was not looked into may last, h.
    missed: f64,
}

impl<'a> Search<'a> {
    fn of(plan: &'a Plan, ask: &'a FindAsk, devices: &[String], outage: Outage) -> Self {
        let places = places(plan);
        let job = work::current();
        let ground = Ground { plan, outage };
        let good = |it: &RunCell| !ask.proven_only || it.status < Status::Unproven || it.may_run() && !it.runs();
        let one = |device: &String| -> Vec<Choice> {
            let of = |place: &Place<'_>| {
                let source = place.source.id.to_string();
                let choice = |cell: RunCell| {
                    let items = cell.arrangement.as_ref()?.feeds.iter().map(|it| it.from.item.to_string()).collect();
                    Some(Choice { source: source.clone(), items, alone: ground.judged(&[&cell])?, cell })
                };
                work::carried(job.as_ref(), || {
                    let cells = ways_of(plan, place, device, LENGTH_M).into_iter();
                    cells.filter(&good).filter_map(choice).collect::<Vec<_>>()
                })
            };
            places.par_iter().flat_map(of).collect()
        };
        let all: Vec<Vec<Choice>> = devices.iter().map(one).collect();
        let mut search = Self {
            plan,
            ask,
            ground: Arc::new(ground),
            devices: Vec::new(),
            rest: Vec::new(),
            known: BTreeMap::new(),
            members: Vec::new(),
            tried: 0,
            branches: 0,
            stopped: false,
            missed: 0.0,
        };
        for (device, mut choices) in devices.iter().zip(all) {
            let cost = |it: &Choice| search.bought(it.items.iter().map(String::as_str)).0;
            choices.sort_by(|a, b| {
                let draws = a.alone.drawn_wh_day.total_cmp(&b.alone.drawn_wh_day);
                cost(a).total_cmp(&cost(b)).then(draws)
            });
            search.devices.push((device.clone(), Arc::new(choices)));
        }
        search.devices.sort_by_key(|it| it.1.len());
        let mut rest = vec![(0.0, f64::INFINITY, f64::INFINITY)];
        for (id, choices) in search.devices.iter().rev() {
            let (drawn, hours, margin) = rest.last().copied().unwrap_or((0.0, f64::INFINITY, f64::INFINITY));
            let most = |of: fn(&Choice) -> f64| choices.iter().map(of).fold(0.0, f64::max);
            // What draws less at a lower voltage is taken to draw nothing.
            let steady = |it: &&Device| it.draw.is_none_or(|it| it == Draw::Power);
            let own = plan.device(id).filter(steady).map_or(0.0, alone_wh);
            rest.push((
                drawn + own,
                hours.min(most(|it| it.alone.hours)),
                margin.min(most(|it| it.alone.least_margin)),
            ));
        }
        rest.reverse();
        search.rest = rest;
        search
    }

    /// The same question from its beginning, with everything that is known.
    fn begun(&self) -> Search<'a> {
        Search {
            plan: self.plan,
            ask: self.ask,
            ground: Arc::clone(&self.ground),
            devices: self.devices.clone(),
            rest: self.rest.clone(),
            known: self.known.clone(),
            members: Vec::new(),
            tried: 0,
            branches: 0,
            stopped: false,
            missed: 0.0,
        }
    }

    fn run(&mut self) {
        let mut taken = Vec::new();
        self.branch(&mut taken);
    }

    /// Money and weight of those of some items that must be bought, each once.
    fn bought<'b>(&self, items: impl Iterator<Item = &'b str>) -> (f64, f64) {
        let mut ids: Vec<&str> = items.collect();
        ids.sort_unstable();
        ids.dedup();
        ids.into_iter().fold((0.0, 0.0), |(money, weight), id| {
            let source = self.plan.source(id).map(|it| (it.owned, &it.price, &it.weight_kg));
            let found = source.or_else(|| self.plan.converter(id).map(|it| (it.owned, &it.price, &it.weight_kg)));
            let Some((owned, price, kilograms)) = found.filter(|it| it.0 == Some(false)) else {
                return (money, weight);
            };
            let _ = owned;
            (money + price.as_ref().map_or(0.0, Figure::get), weight + kilograms.as_ref().map_or(0.0, Figure::get))
        })
    }

    /// A set of chains on one source, judged once.
    fn set(&mut self, key: &[(usize, usize)]) -> Option<Set> {
        if let Some(it) = self.known.get(key) {
            return Some(it.clone());
        }
        let rows: Vec<Arc<Vec<Choice>>> = key.iter().map(|it| self.devices[it.0].1.clone()).collect();
        let cells: Vec<&RunCell> = rows.iter().zip(key).map(|(row, it)| &row[it.1].cell).collect();
        let found = if let [(device, choice)] = key {
            self.devices[*device].1[*choice].alone.clone()
        } else {
            self.tried += 1;
            self.ground.judged(&cells)?
        };
        self.known.insert(key.to_vec(), found.clone());
        Some(found)
    }

    fn branch(&mut self, taken: &mut Vec<usize>) {
        let at = taken.len();
        if at == self.devices.len() {
            self.arrive(taken);
            return;
        }
        for choice in 0..self.devices[at].1.len() {
            taken.push(choice);
            // What solves nothing counts too: it ends with its reader, and at its budget.
            work::step();
            self.branches += 1;
            if let Some(bound) = self.bound(taken) {
                if self.tried >= self.ask.most || self.branches >= MOST_BRANCHES {
                    self.stopped = true;
                    self.missed = self.missed.max(bound.hours);
                } else {
                    self.branch(taken);
                }
            }
            taken.pop();
        }
    }

    /// The best that may become of what is taken; none where nothing may.
    fn bound(&mut self, taken: &[usize]) -> Option<Bound> {
        let last = taken.len() - 1;
        let rows: Vec<Arc<Vec<Choice>>> = self.devices[..taken.len()].iter().map(|it| it.1.clone()).collect();
        let of = |at: usize| &rows[at][taken[at]];
        // A part stands in one place.
        let place = |at: usize| of(at).cell.arrangement.iter().flat_map(|it| &it.feeds);
        let clashes =
            |at: usize| place(at).any(|one| place(last).any(|other| one.to == other.to && one.from != other.from));
        if (0..last).any(clashes) {
            return None;
        }
        let (spend, weight_kg) = self.bought((0..taken.len()).flat_map(|at| of(at).items.iter().map(String::as_str)));
        if self.ask.spend.is_some_and(|it| spend > it + 1e-9)
            || self.ask.weight_kg.is_some_and(|it| weight_kg > it + 1e-9)
        {
            return None;
        }
        let (rest_wh, rest_h, rest_margin) = self.rest[taken.len()];
        let mut bound = Bound { hours: rest_h, spend, weight_kg, drawn_wh_day: rest_wh, least_margin: rest_margin };
        let mut seen: Vec<&str> = Vec::new();
        for at in 0..taken.len() {
            let source = of(at).source.as_str();
            if seen.contains(&source) {
                continue;
            }
            seen.push(source);
            let key: Vec<(usize, usize)> =
                (0..taken.len()).filter(|it| of(*it).source == source).map(|it| (it, taken[it])).collect();
            let set = self.set(&key)?;
            if set.trips {
                return None;
            }
            bound.hours = bound.hours.min(set.hours);
            bound.drawn_wh_day += set.drawn_wh_day;
            bound.least_margin = bound.least_margin.min(set.least_margin);
        }
        let whole = taken.len() == self.devices.len();
        let loose = if whole { bound } else { Bound { hours: bound.hours * (1.0 + SLACK), ..bound } };
        if !self.ask.front && loose.hours < self.ask.hours - 1e-9 {
            return None;
        }
        (!self.members.iter().any(|it| it.betters(&loose))).then_some(loose)
    }

    /// Puts everything together, judges and marches it whole, and takes it into the front.
    fn arrive(&mut self, taken: &[usize]) {
        let rows: Vec<Arc<Vec<Choice>>> = self.devices.iter().map(|it| it.1.clone()).collect();
        let cells: Vec<&RunCell> = rows.iter().zip(taken).map(|(row, it)| &row[*it].cell).collect();
        let Some(mut way) = self.ground.way(&cells) else { return };
        let labels: Vec<&str> = self.ask.devices.iter().map(|it| self.plan.label(it)).collect();
        way.id = free_id(self.plan, "found");
        way.label = labels.join(", ").chars().take(80).collect();
        self.tried += 1;
        let hours = self.ground.lasts_h(&way);
        let drawn_wh_day = day(self.plan, &way, &Charge::full()).drawn_wh;
        let found = findings(self.plan, &way);
        let board = Board::from(&found, way);
        let short = !self.ask.front && hours < self.ask.hours - 1e-9;
        if board.status == Status::Trips || self.ask.proven_only && board.status >= Status::Unproven || short {
            return;
        }
        let items: Vec<String> = board.arrangement.feeds.iter().map(|it| it.from.item.to_string()).collect();
        let (spend, weight_kg) = self.bought(items.iter().map(String::as_str));
        let member = Member {
            hours,
            spend,
            weight_kg,
            drawn_wh_day,
            least_margin: board.rating.map_or(1.0, |it| 1.0 - it.used),
            status: board.status,
            arrangement: board.arrangement,
            added: Added::default(),
            buys: Vec::new(),
            sentence: Sentence::default(),
        };
        if self.members.iter().any(|it| it.betters(&member.bound())) {
            return;
        }
        self.members.retain(|it| !member.betters(&it.bound()));
        self.members.push(member);
    }
}

/// What is bought and added, and a member in a sentence.
fn told(plan: &Plan, stocked: &Plan, it: &mut Member) {
    let used = |id: &str| it.arrangement.feeds.iter().any(|feed| feed.from.item.as_str() == id);
    let new = |id: &str| used(id) && plan.source(id).is_none() && plan.converter(id).is_none();
    it.added.sources = stocked.kit.sources.iter().filter(|it| new(it.id.as_str())).cloned().collect();
    it.added.converters = stocked.kit.converters.iter().filter(|it| new(it.id.as_str())).cloned().collect();
    let bought = parts(stocked, &it.arrangement);
    it.buys = bought.to_buy;
    it.arrangement.id = free_id(plan, "found");
    let buys = if it.buys.is_empty() {
        "Nothing to buy".to_owned()
    } else {
        let names: Vec<String> = it.buys.iter().map(|it| Name(it).to_string()).collect();
        let money = amount(it.spend, plan.currency());
        format!("{} to buy for {money}", names.join(", "))
    };
    it.sentence = format!(
        "{buys}: {}, {} a day, {} of the tightest rating free.",
        clocked(it.hours),
        amount(it.drawn_wh_day, "Wh"),
        crate::limits::percent(it.least_margin.max(0.0))
    )
    .into();
}

fn sentence(plan: &Plan, ask: &FindAsk, devices: &[String], found: &Found) -> Sentence {
    let names: Vec<String> = devices.iter().map(|it| Name(plan.label(it)).to_string()).collect();
    let names = match names.as_slice() {
        [one] => one.clone(),
        [all @ .., last] => format!("{} and {last}", all.join(", ")),
        [] => String::new(),
    };
    let proof = if found.proven {
        format!("Proven best of what was looked through, with {} sets of chains tried", found.tried)
    } else if found.within > 0.0 {
        format!(
            "Stopped after {} sets of chains: at most {} longer was missed",
            found.tried,
            crate::limits::percent(found.within)
        )
    } else {
        format!("Stopped after {} sets of chains: something cheaper may have been missed", found.tried)
    };
    let hours = amount(ask.hours, "h");
    let first = found.front.first();
    let said = match (first, &found.longest) {
        (Some(it), _) if ask.front => {
            let many = found.front.len();
            format!(
                "{many} ways to run {names} that nothing betters, from {} on. {proof}.",
                amount(it.spend, plan.currency())
            )
        }
        (Some(it), _) => format!("{names} for {hours}: {} {proof}.", it.sentence),
        (None, Some(it)) => format!("Nothing runs {names} for {hours}; what lasts longest: {} {proof}.", it.sentence),
        (None, None) => format!("Nothing here runs {names} together without a trip. {proof}."),
    };
    said.into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    /// A small site of two stores and three converters, some of which must be bought.
    fn site(watts: [f64; 3], sizes: [f64; 2], prices: [f64; 3]) -> Plan {
        let device = |id: &str, watts: f64| {
            json!({"id": id, "label": id, "input": {"current": "dc", "rated_v": 12, "min_v": 11, "max_v": 13},
            "phases": [{"when": "running", "watts": watts}]})
        };
        let steady = |id: &str, price: f64, idle: f64| {
            json!({"id": id, "label": id, "kind": "buck_boost", "owned": false, "price": price, "weight_kg": 0.2,
            "input": {"current": "dc", "min_v": 9, "max_v": 30}, "loss": {"idle_w": idle, "proportional": 0.06},
            "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}, "limit": {"continuous_w": 60}}]})
        };
        let plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice", "ambient_c": 25},
            "kit": {"devices": [device("one", watts[0]), device("two", watts[1]), device("three", watts[2])],
                "sources": [
                {"id": "bank", "label": "Bank", "kind": "battery", "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": sizes[0]},
                    "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}, "limit": {"continuous_a": 30}}]},
                {"id": "box", "label": "Box", "kind": "power_station", "owned": false, "price": prices[2], "weight_kg": 6,
                    "battery": {"chemistry": "lfp", "energy_wh": sizes[1]},
                    "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12.4}, "limit": {"continuous_a": 6}}]}],
                "converters": [steady("first", prices[0], 0.3), steady("second", prices[1], 1.5)]},
            "arrangements": [], "outages": [{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 60}]});
        Plan::from_value(&plan).unwrap()
    }

    type Vector = (i64, i64, i64, i64, i64);
    fn vectors(members: &[Member]) -> Vec<Vector> {
        let round = |it: f64| {
            #[expect(clippy::cast_possible_truncation, reason = "rounded on purpose")]
            let whole = it.round() as i64;
            whole
        };
        let of = |it: &Member| {
            (
                round(it.hours / HOUR),
                round(it.spend * 100.0),
                round(it.weight_kg * 100.0),
                round(it.drawn_wh_day / DRAWN),
                round(it.least_margin / ROOM),
            )
        };
        let mut all: Vec<Vector> = members.iter().map(of).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    proptest! {
        #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(12) })]

        /// The front is that of everything put together, judged and marched without leaving anything out.
        #[test]
        fn the_front_is_that_of_everything_tried(
            watts in prop::array::uniform3(3.0_f64..30.0), sizes in (20.0_f64..120.0, 100.0_f64..900.0),
            prices in prop::array::uniform3(5.0_f64..200.0), spend in prop::option::of(0.0_f64..250.0),
        ) {
            let plan = site(watts, [sizes.0, sizes.1], prices);
            let ask = FindAsk { outage: Some("o".into()), spend, front: true, ..FindAsk::of(&["one", "two", "three"], 24.0) };
            let found = find(&plan, &ask).unwrap();
            prop_assert!(found.proven);
            let outage = plan.outages[0].clone();
            let devices: Vec<String> = ask.devices.clone();
            let mut brute = Search::of(&plan, &ask, &devices, outage);
            let sizes: Vec<usize> = brute.devices.iter().map(|it| it.1.len()).collect();
            let whole: usize = sizes.iter().product();
            for mut number in 0..whole {
                let taken: Vec<usize> = sizes.iter().map(|size| { let it = number % size; number /= size; it }).collect();
                let items: Vec<String> = taken.iter().enumerate()
                    .flat_map(|(at, it)| brute.devices[at].1[*it].items.clone()).collect();
                if spend.is_none_or(|most| brute.bought(items.iter().map(String::as_str)).0 <= most) {
                    brute.arrive(&taken);
                }
            }
            prop_assert_eq!(vectors(&found.front), vectors(&brute.members));
        }
    }
}
