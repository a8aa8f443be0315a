//! Branch and bound over the chains of some devices.
//!
//! Device by device. What hangs on one source has nothing to do with what hangs on another, so that
//! each set of chains on a source is judged by its findings and marched once. A set that is not
//! whole yet bounds what becomes of it: more on a source never lasts longer, never costs or weighs
//! less, never draws less, and never leaves more room; what is switched with its load never draws
//! more than what is left on. A branch is left where it trips, exceeds a limit, or cannot better a
//! member of the front in anything. Every member is put together whole, judged and marched again
//! before it is told.

use super::asked::{Added, Bettered, FindAsk, Found, MOST_BRANCHES, Member};
use super::choice::{Choice, Numbers, in_turn, served};
use super::ground::{Ground, Leads, Set};
use super::stock::Bought;
use super::told;
use crate::advice::shelf::board::{Board, free_id, least_margin, telling};
use crate::advice::shelf::cell::{Place, RunCell, places, ways_of};
use crate::advice::shelf::runs::LENGTH_M;
use crate::ground::say::Sentence;
use crate::ground::work;
use crate::limits::{Status, judged};
use crate::network::Charge;
use crate::site::plan::device::Current;
use crate::site::plan::{Arrangement, From, Outage, Plan};
use crate::time::day::{being_on, day, turns_by_hand};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// What is won by less than this is nothing, h.
pub(in crate::advice::shelf) const HOUR: f64 = 0.1;
/// What lasts longer or draws less by less than this share betters nothing: the figures behind it
/// are known no better.
const FINE: f64 = 0.01;
/// The same where only the longest is looked for.
const FINE_LONGEST: f64 = 0.001;
/// What leaves more room by less than this share of a rating betters nothing.
const ROOM: f64 = 0.02;
/// By how much a set of chains may last longer with one more device on it, for what a march leaves
/// open, as a share.
const SLACK: f64 = 0.005;
/// How often it is kept that something was passed by.
const MOST_PASSED: usize = 400;
/// How many of these are told.
const MOST_BETTERED: usize = 24;
/// Places of which it is tried whether a person switches them.
const MOST_SWITCHED: usize = 4;

/// The best that may become of something.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Bound {
    hours: f64,
    bought: Bought,
    drawn_wh_day: f64,
    least_margin: f64,
}

impl Bound {
    pub(super) fn of(set: &Set, bought: Bought) -> Self {
        let Set {
            hours,
            drawn_wh_day,
            least_margin,
            ..
        } = *set;
        Self {
            hours: hours * (1.0 + SLACK),
            bought,
            drawn_wh_day,
            least_margin,
        }
    }

    /// With what hangs on one more source.
    fn take(&mut self, set: &Set) {
        self.hours = self.hours.min(set.hours);
        self.drawn_wh_day += set.drawn_wh_day;
        self.least_margin = self.least_margin.min(set.least_margin);
    }
}

impl Member {
    /// Whether this one is as good in everything, but for so many times the little that says
    /// nothing.
    pub(super) fn betters(&self, other: &Bound, by_hand: f64, times: f64) -> bool {
        let (fine, room) = (times * FINE, times * ROOM);
        self.hours >= other.hours * (1.0 - fine)
            && self.spend <= other.bought.spend + 1e-9
            && self.weight_kg <= other.bought.weight_kg + 1e-9
            && self.drawn_wh_day * (1.0 - fine) <= other.drawn_wh_day
            && self.least_margin >= other.least_margin - room
            && self.by_hand <= by_hand + 1e-9
    }

    /// Whether this one is as good in everything.
    pub(super) fn replaces(&self, other: &Self) -> bool {
        self.hours >= other.hours
            && self.spend <= other.spend
            && self.weight_kg <= other.weight_kg
            && self.drawn_wh_day <= other.drawn_wh_day
            && self.least_margin >= other.least_margin
            && self.by_hand <= other.by_hand
    }

    /// Whether it lasts longer, or as long for no more money.
    fn outlasts(&self, other: &Bound) -> bool {
        let dearer = self.spend > other.bought.spend + 1e-9;
        self.hours
            >= other.hours
                * if dearer {
                    1.0 + FINE_LONGEST
                } else {
                    1.0 - FINE_LONGEST
                }
    }

    pub(super) fn bound(&self) -> Bound {
        Bound {
            hours: self.hours,
            bought: Bought {
                spend: self.spend,
                weight_kg: self.weight_kg,
                parts: self.buys.len(),
            },
            drawn_wh_day: self.drawn_wh_day,
            least_margin: self.least_margin,
        }
    }
}

/// What a question is answered with, whatever its limits.
#[derive(Clone)]
pub(super) struct Ready<'a> {
    pub(super) ground: Arc<Ground<'a>>,
    numbers: Arc<Numbers>,
    /// By device, the one with the fewest choices first: its id and its choices.
    pub(super) devices: Vec<(String, Arc<Vec<Choice>>)>,
    /// The least that the devices from a place on draw a day, Wh; the longest that they last; the
    /// most room that they leave.
    rest: Vec<(f64, f64, f64)>,
    /// Sets that were judged already, by the places of devices and choices: without leads, and with
    /// them.
    known: [BTreeMap<Key, Option<Set>>; 2],
}

/// A question on its way to its answer.
pub(in crate::advice::shelf) struct Search<'a> {
    pub(super) plan: &'a Plan,
    pub(super) ask: &'a FindAsk,
    pub(super) ready: Ready<'a>,
    pub(in crate::advice::shelf) members: Vec<Member>,
    /// Whether only the longest is looked for, and of those the cheapest.
    pub(in crate::advice::shelf) longest_only: bool,
    /// An item that must be part of it.
    pub(in crate::advice::shelf) must: Option<String>,
    pub(in crate::advice::shelf) tried: usize,
    pub(super) branches: usize,
    /// How often something came to the front.
    pub(super) arrived: usize,
    pub(in crate::advice::shelf) stopped: bool,
    /// The longest that a branch which was not looked into may last, h.
    missed: f64,
    /// What is bettered: by the parts that it uses the longest.
    passed: BTreeMap<Vec<String>, Passed>,
    passed_by: usize,
}

/// What is bettered.
#[derive(Debug, Clone)]
struct Passed {
    /// What it comes to, or may come to at best.
    bound: Bound,
    by_hand: f64,
    /// What was chosen, where it must still be carried out.
    choices: Option<Vec<usize>>,
}

/// Chains on one source, by the places of devices and choices.
type Key = Vec<(usize, usize)>;

/// What is taken for the first of the devices.
#[derive(Debug, Clone, Default)]
struct Taken {
    choices: Vec<usize>,
    /// By source: its chains, and what they come to.
    sets: Vec<(usize, Key, Set)>,
    /// Converters by number, and what feeds each.
    fed: Vec<(usize, From)>,
    buys: Vec<usize>,
    /// What the leads to their devices cost and weigh at least.
    leads: Bought,
    /// Of each group of those that are alike, how many are used.
    turns: BTreeMap<usize, usize>,
}

/// Which choices are looked at.
#[derive(Debug, Clone, Copy)]
pub(in crate::advice::shelf) enum Choices<'b> {
    /// All of them.
    #[cfg_attr(not(test), expect(dead_code, reason = "brute force is for the tests"))]
    Every,
    /// Those that no other serves for; nothing serves for what uses an item that must be part of
    /// it.
    Served {
        /// That item, by id.
        must: Option<&'b str>,
    },
    /// Those that lead through an item, by id.
    Through(&'b str),
}

/// Is told how far it is.
type Watching<'b> = dyn Fn(&Search<'_>) + 'b;

impl<'a> Search<'a> {
    pub(in crate::advice::shelf) fn of(
        plan: &'a Plan,
        ask: &'a FindAsk,
        devices: &[String],
        outage: Outage,
    ) -> Self {
        Self::with(plan, ask, devices, outage, &Choices::Served { must: None })
    }

    pub(super) fn with(
        plan: &'a Plan,
        ask: &'a FindAsk,
        devices: &[String],
        outage: Outage,
        choices: &Choices<'_>,
    ) -> Self {
        let may = |it: &Place<'_>| {
            ask.sources.is_empty() || ask.sources.iter().any(|id| id == it.source.id.as_str())
        };
        let places: Vec<Place<'_>> = places(plan).into_iter().filter(may).collect();
        let job = work::current();
        let numbers = Numbers::of(plan, &outage);
        let ground = Ground::of(plan, outage, ask.by_hand > 0.0);
        let good = |it: &RunCell| {
            !ask.proven_only || it.status < Status::Unproven || it.may_run() && !it.runs()
        };
        let one = |device: &String| -> Vec<Choice> {
            let dc_only = ask.no_mains.contains(device);
            let dry = |it: &RunCell| {
                let feeds = it.arrangement.iter().flat_map(|it| &it.feeds);
                feeds
                    .filter_map(|it| plan.port(&it.from))
                    .all(|it| it.current == Current::Dc)
            };
            let of = |place: &Place<'_>| {
                let choice = |cell: RunCell| {
                    let alone = ground.judged(&[&cell], Leads::None)?;
                    Choice::of(plan, &numbers, &ask.leads, cell, alone)
                };
                work::carried(job.as_ref(), || {
                    let cells = ways_of(plan, place, device, LENGTH_M).into_iter();
                    let cells = cells.filter(|it| good(it) && (!dc_only || dry(it)));
                    cells.filter_map(choice).collect::<Vec<_>>()
                })
            };
            let all: Vec<Choice> = places.par_iter().flat_map(of).collect();
            match choices {
                Choices::Every => all,
                // What draws less may take a thicker lead.
                Choices::Served { .. } if !ask.leads.is_empty() => all,
                Choices::Served { must } => served(plan, all, *must),
                Choices::Through(id) => {
                    let through = all
                        .into_iter()
                        .filter(|it| it.items.iter().any(|item| item == id));
                    served(plan, through.collect(), None)
                }
            }
        };
        let all: Vec<Vec<Choice>> = devices.iter().map(one).collect();
        let mut order: Vec<(String, Arc<Vec<Choice>>)> = devices
            .iter()
            .cloned()
            .zip(all.into_iter().map(Arc::new))
            .collect();
        order.sort_by_key(|it| it.1.len());
        let mut rest = vec![(0.0, f64::INFINITY, f64::INFINITY)];
        for (_, choices) in order.iter().rev() {
            let (drawn, hours, margin) =
                rest.last()
                    .copied()
                    .unwrap_or((0.0, f64::INFINITY, f64::INFINITY));
            let most = |of: fn(&Choice) -> f64| choices.iter().map(of).fold(0.0, f64::max);
            let own = choices
                .iter()
                .map(|it| it.more_wh)
                .reduce(f64::min)
                .unwrap_or(0.0);
            rest.push((
                drawn + own,
                hours.min(most(|it| it.alone.hours)),
                margin.min(most(|it| it.alone.least_margin)),
            ));
        }
        rest.reverse();
        let (ground, numbers) = (Arc::new(ground), Arc::new(numbers));
        Self::begun(
            plan,
            ask,
            Ready {
                ground,
                numbers,
                devices: order,
                rest,
                known: <[_; 2]>::default(),
            },
        )
    }

    /// Another question of the same devices and parts from its beginning, with everything that is
    /// known.
    pub(super) fn again<'b>(&self, ask: &'b FindAsk) -> Search<'b>
    where
        'a: 'b,
    {
        Search::begun(self.plan, ask, self.ready.clone())
    }

    fn begun(plan: &'a Plan, ask: &'a FindAsk, ready: Ready<'a>) -> Self {
        Self {
            plan,
            ask,
            ready,
            members: Vec::new(),
            longest_only: false,
            must: None,
            tried: 0,
            branches: 0,
            arrived: 0,
            stopped: false,
            missed: 0.0,
            passed: BTreeMap::new(),
            passed_by: 0,
        }
    }

    /// Devices that nothing here runs, not even alone.
    pub(super) fn dark(&self) -> Vec<String> {
        self.ready
            .devices
            .iter()
            .filter(|it| it.1.is_empty())
            .map(|it| it.0.clone())
            .collect()
    }

    pub(in crate::advice::shelf) fn run(&mut self, watching: &Watching<'_>) {
        // Until it is through, anything may be missing.
        self.stopped = true;
        self.missed = self
            .ready
            .rest
            .first()
            .map_or(0.0, |it| it.1 * (1.0 + SLACK))
            .min(self.ready.ground.outage.hours.get());
        let missed = self.missed;
        let mut left = Left::default();
        let offered = |id: &String| {
            self.ready
                .devices
                .iter()
                .flat_map(|it| &*it.1)
                .any(|it| it.items.contains(id))
        };
        if self.must.as_ref().is_none_or(offered) {
            self.branch(&Taken::default(), &mut left, watching);
        }
        self.stopped = left.stopped;
        self.missed = left.missed.min(missed);
        watching(self);
    }

    /// The front as it stands.
    pub(super) fn found(&self, plan: &Plan, devices: &[String], unpriced: &[String]) -> Found {
        let mut front = thinned(self.members.clone());
        front.sort_by(|a, b| {
            a.spend
                .total_cmp(&b.spend)
                .then(b.hours.total_cmp(&a.hours))
                .then(a.drawn_wh_day.total_cmp(&b.drawn_wh_day))
        });
        for it in &mut front {
            told::told(plan, self.plan, &self.ask.leads, it);
        }
        let best = front.iter().map(|it| it.hours).fold(0.0, f64::max);
        let within = if self.stopped && self.missed > best && best > 0.0 {
            self.missed / best - 1.0
        } else {
            0.0
        };
        let mut found = Found {
            proven: !self.stopped,
            within,
            tried: self.tried,
            front,
            longest: None,
            unpriced: unpriced.to_vec(),
            sentence: Sentence::default(),
            bettered: Vec::new(),
        };
        found.sentence = told::sentence(plan, self.ask, devices, &found);
        found
    }

    /// Money, weight and number of those of some items that must be bought, each once.
    pub(super) fn bought<'b>(&self, items: impl Iterator<Item = &'b str>) -> Bought {
        self.ready
            .numbers
            .bought(items.filter_map(|id| self.ready.numbers.of.get(id).copied()))
    }

    /// Whether that lies within what may be bought.
    pub(super) fn may_buy(&self, it: &Bought) -> bool {
        self.ask.spend.is_none_or(|most| it.spend <= most + 1e-9)
            && self
                .ask
                .weight_kg
                .is_none_or(|most| it.weight_kg <= most + 1e-9)
            && self.ask.parts.is_none_or(|most| it.parts <= most)
    }

    /// A set of chains on one source, judged once; none where a part would stand in two places.
    fn set(&mut self, key: &[(usize, usize)], leads: Leads) -> Option<Set> {
        let known = usize::from(leads == Leads::Laid);
        if let Some(it) = self.ready.known[known].get(key) {
            return it.clone();
        }
        let rows: Vec<Arc<Vec<Choice>>> = key
            .iter()
            .map(|it| self.ready.devices[it.0].1.clone())
            .collect();
        let cells: Vec<&RunCell> = rows
            .iter()
            .zip(key)
            .map(|(row, it)| &row[it.1].cell)
            .collect();
        let found = match key {
            [(device, choice)] if leads == Leads::None => {
                Some(self.ready.devices[*device].1[*choice].alone.clone())
            }
            _ => {
                self.tried += 1;
                self.ready.ground.judged(&cells, leads)
            }
        };
        self.ready.known[known].insert(key.to_vec(), found.clone());
        found
    }

    fn branch(&mut self, taken: &Taken, left: &mut Left, watching: &Watching<'_>) {
        let at = taken.choices.len();
        if at == self.ready.devices.len() {
            self.arrive(&taken.choices, left);
            return;
        }
        let row = self.ready.devices[at].1.clone();
        // By what may become of each, without judging anything: the best first, so that it betters
        // the others soon.
        let may = |it: usize| Some((it, self.may_become(taken, &row[it])?));
        let (worse, mut next): (Vec<(usize, Bound)>, Vec<_>) = (0..row.len())
            .filter_map(may)
            .partition(|it| self.is_worse(&it.1));
        self.branches += row.len();
        if at + 1 == self.ready.devices.len() {
            for (choice, bound) in worse {
                self.pass_by(taken, choice, &bound);
            }
        }
        let steps = |it: f64, fine: f64| (it.max(1e-3).ln() / fine).round();
        let rank = |it: &Bound| {
            let long = -steps(it.hours, FINE);
            let first = if self.longest_only { long } else { 0.0 };
            [
                first,
                it.bought.spend,
                steps(it.drawn_wh_day, FINE),
                long,
                -(it.least_margin / ROOM).round(),
            ]
        };
        let order = |a: &Bound, b: &Bound| {
            let pairs = rank(a).into_iter().zip(rank(b));
            pairs
                .map(|(a, b)| a.total_cmp(&b))
                .find(|it| it.is_ne())
                .unwrap_or(std::cmp::Ordering::Equal)
        };
        // Of equals the one whose source carries least so far.
        let carries = |choice: usize| {
            taken
                .sets
                .iter()
                .find(|it| it.0 == row[choice].source)
                .map_or(0, |it| it.1.len())
        };
        next.sort_by(|a, b| order(&a.1, &b.1).then_with(|| carries(a.0).cmp(&carries(b.0))));
        for (choice, may) in next {
            // What solves nothing counts too: it ends with its reader, and at its budget.
            work::step();
            watching(self);
            if self.is_worse(&may) {
                continue;
            }
            if self.tried >= self.ask.most || self.branches >= MOST_BRANCHES {
                left.stop(&may);
                continue;
            }
            if let Some(more) = self.joined(taken, &row[choice], choice) {
                self.branch(&more, left, watching);
            }
        }
    }

    /// The best that may become of one choice more, by what is known of it alone and of the rest;
    /// none where it cannot be taken.
    fn may_become(&self, taken: &Taken, choice: &Choice) -> Option<Bound> {
        let at = taken.choices.len();
        // A part stands in one place.
        let clashes =
            |one: &(usize, From)| taken.fed.iter().any(|it| it.0 == one.0 && it.1 != one.1);
        if choice.alone.trips
            || choice.fed.iter().any(clashes)
            || !choice.turns.is_empty() && !in_turn(&mut taken.turns.clone(), choice)
        {
            return None;
        }
        let bought = match (taken.buys.is_empty(), choice.buys.is_empty()) {
            (true, true) => Bought::default(),
            _ => self
                .ready
                .numbers
                .bought(taken.buys.iter().chain(&choice.buys).copied()),
        };
        let bought = bought.and(taken.leads).and(choice.least_lead);
        if !self.may_buy(&bought) {
            return None;
        }
        let offered = |id: &String| {
            self.ready.devices[at + 1..]
                .iter()
                .flat_map(|it| &*it.1)
                .any(|it| it.items.contains(id))
        };
        if self
            .must
            .as_ref()
            .is_some_and(|id| !self.uses(taken, choice, id) && !offered(id))
        {
            return None;
        }
        let (drawn_wh_day, hours, least_margin) = self.ready.rest[at + 1];
        let mut bound = Bound {
            hours,
            bought,
            drawn_wh_day,
            least_margin,
        };
        let mut alone = choice.alone.clone();
        for (source, _, set) in &taken.sets {
            if *source == choice.source {
                alone.hours = alone.hours.min(set.hours);
                alone.drawn_wh_day = alone.drawn_wh_day.max(set.drawn_wh_day + choice.more_wh);
                alone.least_margin = alone.least_margin.min(set.least_margin);
            } else {
                bound.take(set);
            }
        }
        bound.take(&alone);
        bound.hours *= 1.0 + SLACK;
        Some(bound)
    }

    fn uses(&self, taken: &Taken, choice: &Choice, id: &str) -> bool {
        let before = taken
            .choices
            .iter()
            .zip(&self.ready.devices)
            .flat_map(|(it, row)| &row.1[*it].items);
        before.chain(&choice.items).any(|it| it == id)
    }

    /// With one choice more, judged with what hangs on the same source; none where it trips, or
    /// nothing wanted becomes of it.
    fn joined(&mut self, taken: &Taken, choice: &Choice, number: usize) -> Option<Taken> {
        let at = taken.choices.len();
        let mut more = taken.clone();
        more.choices.push(number);
        in_turn(&mut more.turns, choice);
        more.buys.extend(&choice.buys);
        more.leads = more.leads.and(choice.least_lead);
        more.fed.extend(choice.fed.iter().cloned());
        let place = more.sets.iter().position(|it| it.0 == choice.source);
        let place = place.unwrap_or_else(|| {
            more.sets
                .push((choice.source, Vec::new(), choice.alone.clone()));
            more.sets.len() - 1
        });
        more.sets[place].1.push((at, number));
        let set = self
            .set(&more.sets[place].1, Leads::None)
            .filter(|it| !it.trips)?;
        more.sets[place].2 = set;
        let whole = more.choices.len() == self.ready.devices.len();
        let bought = self
            .ready
            .numbers
            .bought(more.buys.iter().copied())
            .and(more.leads);
        let loose = self.at_best(&more, bought);
        let loose = if whole {
            loose
        } else {
            Bound {
                hours: loose.hours * (1.0 + SLACK),
                ..loose
            }
        };
        if self.is_worse(&loose) {
            return None;
        }
        if whole && self.ask.leads.is_empty() {
            // With its leads it is a little worse.
            for it in &mut more.sets {
                it.2 = self.set(&it.1, Leads::Laid).filter(|it| !it.trips)?;
            }
            let bound = self.at_best(&more, bought);
            if self.is_worse(&bound) {
                self.pass_by(taken, number, &bound);
                return None;
            }
        }
        Some(more)
    }

    /// The best that may become of what is taken, source by source.
    fn at_best(&self, taken: &Taken, bought: Bought) -> Bound {
        let (drawn_wh_day, hours, least_margin) = self.ready.rest[taken.choices.len()];
        let mut bound = Bound {
            hours,
            bought,
            drawn_wh_day,
            least_margin,
        };
        taken.sets.iter().for_each(|it| bound.take(&it.2));
        bound
    }

    /// Whether nothing that is wanted may become of it.
    pub(super) fn is_worse(&self, it: &Bound) -> bool {
        !self.ask.front && it.hours < self.ask.hours - 1e-9 || self.is_bettered(it, 0.0)
    }

    fn is_bettered(&self, it: &Bound, by_hand: f64) -> bool {
        if self.longest_only {
            return self.members.iter().any(|member| member.outlasts(it));
        }
        self.members
            .iter()
            .any(|member| member.betters(it, by_hand, 1.0))
    }

    /// Puts everything together, judges and marches it whole, and takes it into the front; and each
    /// way of switching it by hand.
    fn arrive(&mut self, taken: &[usize], left: &mut Left) {
        let rows: Vec<Arc<Vec<Choice>>> =
            self.ready.devices.iter().map(|it| it.1.clone()).collect();
        let cells: Vec<&RunCell> = rows
            .iter()
            .zip(taken)
            .map(|(row, it)| &row[*it].cell)
            .collect();
        let Some(mut way) = self.ready.ground.way(&cells, Leads::Laid) else {
            return;
        };
        let labels: Vec<&str> = self
            .ask
            .devices
            .iter()
            .map(|it| self.plan.label(it))
            .collect();
        way.id = free_id(self.plan, "found");
        way.label = labels.join(", ").chars().take(80).collect();
        if self.ask.leads.is_empty() {
            self.take_each(&way, Bought::default());
        } else {
            self.in_sizes(&way, left);
        }
    }

    /// Takes an arrangement into the front, and each way of switching it by hand; its leads are
    /// bought.
    pub(super) fn take_each(&mut self, way: &Arrangement, leads: Bought) {
        for it in std::iter::once(way.clone()).chain(self.switched(way)) {
            self.take(it, leads);
        }
    }

    /// The same with some of what draws for being on switched by hand, as far as a person does so
    /// much.
    pub(super) fn switched(&self, way: &Arrangement) -> Vec<Arrangement> {
        if self.ask.by_hand <= 0.0 {
            return Vec::new();
        }
        let full = Charge::full();
        let worth = being_on(self.plan, way, &full)
            .into_iter()
            .filter(|it| it.worth && it.by_hand);
        let places: Vec<_> = worth
            .filter_map(|it| it.then.last().cloned())
            .take(MOST_SWITCHED)
            .collect();
        let some = |set: u32| {
            let chosen = places
                .iter()
                .enumerate()
                .filter(|it| set >> it.0 & 1 == 1)
                .map(|it| it.1.clone());
            Arrangement {
                switching: chosen.collect(),
                ..way.clone()
            }
        };
        let all = (1..1_u32 << places.len()).map(some);
        all.filter(|it| turns_by_hand(self.plan, it) <= self.ask.by_hand + 1e-9)
            .collect()
    }

    pub(super) fn take(&mut self, way: Arrangement, leads: Bought) {
        self.tried += 1;
        let hours = self.ready.ground.lasts_h(&way);
        let drawn_wh_day = day(self.plan, &way, &Charge::full()).drawn_wh;
        let by_hand = turns_by_hand(self.plan, &way);
        let found = telling(self.plan, &way);
        let board = Board::from(&found, way);
        let short = !self.ask.front && hours < self.ask.hours - 1e-9;
        if board.status == Status::Trips
            || self.ask.proven_only && board.status >= Status::Unproven
            || short
        {
            return;
        }
        let items: Vec<String> = board
            .arrangement
            .feeds
            .iter()
            .map(|it| it.from.item.to_string())
            .collect();
        let bought = self.bought(items.iter().map(String::as_str)).and(leads);
        let member = Member {
            hours,
            spend: bought.spend,
            weight_kg: bought.weight_kg,
            drawn_wh_day,
            least_margin: board.rating.map_or(1.0, |it| 1.0 - it.used),
            status: board.status,
            arrangement: board.arrangement,
            added: Added::default(),
            by_hand,
            buys: Vec::new(),
            leads: Vec::new(),
            priced: true,
            sentence: Sentence::default(),
        };
        if self.is_bettered(&member.bound(), by_hand) {
            self.pass(
                items,
                Passed {
                    bound: member.bound(),
                    by_hand,
                    choices: None,
                },
            );
            return;
        }
        if self.longest_only {
            self.members.clear();
        }
        let (gone, stay) = std::mem::take(&mut self.members)
            .into_iter()
            .partition(|it| member.replaces(it));
        self.members = stay;
        let gone: Vec<Member> = gone;
        for it in gone {
            let items = it
                .arrangement
                .feeds
                .iter()
                .map(|it| it.from.item.to_string())
                .collect();
            self.pass(
                items,
                Passed {
                    bound: it.bound(),
                    by_hand: it.by_hand,
                    choices: None,
                },
            );
        }
        self.members.push(member);
        self.arrived += 1;
    }

    /// Keeps that a last choice was passed by, as what would become of it is bettered.
    fn pass_by(&mut self, taken: &Taken, number: usize, bound: &Bound) {
        // With sizes of lead it is not known what it costs.
        if self.passed_by >= MOST_PASSED || !self.ask.leads.is_empty() {
            return;
        }
        self.passed_by += 1;
        let choices: Vec<usize> = taken.choices.iter().copied().chain([number]).collect();
        let rows = choices.iter().zip(&self.ready.devices);
        let items = rows
            .flat_map(|(it, row)| row.1[*it].items.clone())
            .collect();
        self.pass(
            items,
            Passed {
                bound: *bound,
                by_hand: 0.0,
                choices: Some(choices),
            },
        );
    }

    /// Keeps what is bettered, for each set of parts the longest.
    fn pass(&mut self, mut items: Vec<String>, it: Passed) {
        items.sort_unstable();
        items.dedup();
        match self.passed.get_mut(&items) {
            Some(known) if known.bound.hours < it.bound.hours => *known = it,
            Some(_) => {}
            None => {
                self.passed.insert(items, it);
            }
        }
    }

    /// Those of them that a member of a front betters, the longest first; what uses the same parts
    /// as a member is no other.
    pub(super) fn bettered(&self, front: &[Member]) -> Vec<Bettered> {
        let own = |member: &Member| {
            let items: BTreeSet<String> = member
                .arrangement
                .feeds
                .iter()
                .map(|it| it.from.item.to_string())
                .collect();
            items.into_iter().collect::<Vec<_>>()
        };
        let stand: Vec<Vec<String>> = front.iter().map(own).collect();
        let told = |(items, it): (&Vec<String>, &Passed)| {
            let bound = self.carried_out(it)?;
            let by = front
                .iter()
                .position(|member| member.betters(&bound, it.by_hand, 1.0))?;
            let kit = &self.plan.kit;
            let all = kit.sources.iter().map(|it| (&it.id, &it.label));
            let all = all.chain(kit.converters.iter().map(|it| (&it.id, &it.label)));
            let used = |id: &str| items.iter().any(|it| it == id);
            let through = all
                .filter(|it| used(it.0.as_str()))
                .map(|it| it.1.clone())
                .collect();
            let it = Bettered {
                hours: bound.hours,
                spend: bound.bought.spend,
                drawn_wh_day: bound.drawn_wh_day,
                through,
                by,
                sentence: Sentence::default(),
            };
            Some(Bettered {
                sentence: told::under(self.plan, &it, &front[by]),
                ..it
            })
        };
        let mut longest: Vec<(&Vec<String>, &Passed)> = self
            .passed
            .iter()
            .filter(|it| !stand.contains(it.0))
            .collect();
        longest.sort_by(|a, b| {
            b.1.bound
                .hours
                .total_cmp(&a.1.bound.hours)
                .then(a.0.cmp(b.0))
        });
        let mut all: Vec<Bettered> = longest
            .into_iter()
            .take(2 * MOST_BETTERED)
            .filter_map(told)
            .collect();
        all.sort_by(|a, b| {
            b.hours
                .total_cmp(&a.hours)
                .then(a.spend.total_cmp(&b.spend))
        });
        all.truncate(MOST_BETTERED);
        all
    }

    /// What it comes to whole; none where it trips then, which more load might have mended.
    fn carried_out(&self, it: &Passed) -> Option<Bound> {
        let Some(taken) = &it.choices else {
            return Some(it.bound);
        };
        let cells: Vec<&RunCell> = self
            .ready
            .devices
            .iter()
            .zip(taken)
            .map(|(row, choice)| &row.1[*choice].cell)
            .collect();
        let way = self.ready.ground.way(&cells, Leads::Laid)?;
        let found = judged(self.plan, &way);
        let hours = self.ready.ground.lasts_h(&way);
        let drawn_wh_day = day(self.plan, &way, &Charge::full()).drawn_wh;
        let holds = found.iter().all(|it| it.status < Status::Trips);
        holds.then(|| Bound {
            hours,
            drawn_wh_day,
            least_margin: least_margin(&found),
            ..it.bound
        })
    }
}

/// Members without those that another betters but for next to nothing; the longest stay.
fn thinned(mut members: Vec<Member>) -> Vec<Member> {
    members.sort_by(|a, b| {
        a.hours
            .total_cmp(&b.hours)
            .then(b.spend.total_cmp(&a.spend))
    });
    let mut at = 0;
    while at < members.len() {
        let (bound, by_hand) = (members[at].bound(), members[at].by_hand);
        let others = members.iter().enumerate().filter(|it| it.0 != at);
        if others
            .map(|it| it.1)
            .any(|it| it.betters(&bound, by_hand, 1.0))
        {
            members.remove(at);
        } else {
            at += 1;
        }
    }
    members
}

/// What was not looked into.
#[derive(Debug, Default)]
pub(super) struct Left {
    missed: f64,
    stopped: bool,
}

impl Left {
    /// Leaves a branch for want of budget.
    pub(super) fn stop(&mut self, may: &Bound) {
        self.stopped = true;
        self.missed = self.missed.max(may.hours);
    }
}
