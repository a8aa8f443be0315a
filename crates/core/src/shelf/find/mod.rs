//! The finder: which chains run some devices for so long, with what is owned and what could be bought.
//!
//! # Layout
//! - this file: what is asked and told; `stock`: what there is to choose from; `choice`: the ways to feed a device;
//!   `ground`: sets of chains judged and marched; `search`: branch and bound; `told`: its words
//!
//! # What is looked through
//! Each device hangs on one port of one source (not the mains, not a bare panel), straight, behind an inverter, or through the
//! fewest converters with which it does not trip alone; several may share a converter that is fed from the same port. A part stands
//! in one place at once, and there may be several of a kind. Where a person may switch, what draws something for being on is
//! switched with its load as well. That is all that is looked through, and *proven* means: of all of that.
//!
//! # How
//! Branch and bound, device by device. What hangs on one source has nothing to do with what hangs on another, so that each set of
//! chains on a source is judged by its findings and marched once. A set that is not whole yet bounds what becomes of it: more on a
//! source never lasts longer, never costs or weighs less, never draws less, and never leaves more room. A branch is left where it
//! trips, exceeds a limit, or cannot better a member of the front in anything. Every member is put together whole, judged and
//! marched again before it is told.

mod choice;
mod ground;
mod search;
mod stock;
#[cfg(test)]
mod tests;
mod told;

pub(super) use search::{Choices, HOUR};
pub(super) use stock::{Unpriced, is_to_buy, several, stocked};

use search::Search;
pub(super) use told::named;
use told::told;

use super::runs::some_devices;
use super::{LOOKED_H, Refused, outage_of, plain};
use crate::json::words;
use crate::limits::{Status, amount};
use crate::plan::{Arrangement, Converter, Outage, Plan, Source};
use crate::say::Sentence;
use serde::Serialize;
use std::collections::BTreeMap;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Devices that may be asked for at once.
pub const MOST_DEVICES: usize = 12;
/// Sets of chains that are judged and marched at most.
pub const MOST_TRIED: usize = 4000;
/// How many of a kind there may be at most.
pub const MOST_OF_A_KIND: usize = 4;
/// Actions by hand that may be asked for at most: one each hour, day and night.
pub const MOST_BY_HAND: f64 = 24.0;
/// Branches that are looked at at most: what hangs on sources of its own is judged once, and there may be very many ways to put
/// such sets together.
const MOST_BRANCHES: usize = 2_000_000;
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
    /// Parts that are bought at most; without a limit where left out.
    pub parts: Option<usize>,
    /// How many there are of a ready-made kind or of an item of the kit, by id, 1 to [`MOST_OF_A_KIND`]; what is more than the one
    /// that is there must be bought at the same price.
    pub counts: BTreeMap<String, usize>,
    /// Devices to which no alternating current may lead, by id: those that stand outside, or in the wet.
    pub no_mains: Vec<String>,
    /// Actions a day that a person does at most, 0 to [`MOST_BY_HAND`]; nothing is switched where 0.
    pub by_hand: f64,
    /// Sources that may be used, by id; all of them where empty.
    pub sources: Vec<String>,
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
            parts: None,
            counts: BTreeMap::new(),
            no_mains: Vec::new(),
            by_hand: 0.0,
            sources: Vec::new(),
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
    /// Actions a day that a person must do.
    pub by_hand: f64,
    /// Labels of what must be bought.
    pub buys: Vec<String>,
    /// Whether the price of all of that is stated; what nobody states counts as nothing in `spend`.
    pub priced: bool,
    /// It in a sentence.
    pub sentence: Sentence,
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

/// What lasts longest of some chains.
pub(super) struct Longest {
    /// The cheapest of those; none where nothing runs all of the devices.
    pub(super) member: Option<Member>,
    /// Whether that is proven.
    pub(super) proven: bool,
    /// Devices that nothing runs, not even alone, by id.
    pub(super) dark: Vec<String>,
}

/// What lasts longest of some choices, and of that the cheapest. An item that must be part of it is one that all of it needs.
pub(super) fn longest(
    plan: &Plan,
    stock: &Plan,
    ask: &FindAsk,
    (devices, outage): (&[String], &Outage),
    choices: Choices<'_>,
) -> Longest {
    let mut search = Search::with(stock, ask, devices, outage.clone(), &choices);
    search.longest_only = true;
    if let Choices::Served { must: Some(id) } = choices {
        search.must = Some(id.to_owned());
    }
    search.run(&|_| {});
    let mut member = search.members.pop();
    if let Some(it) = &mut member {
        told(plan, stock, it);
    }
    Longest { member, proven: !search.stopped, dark: search.dark() }
}

/// How far a search is, for whoever waits for it.
#[derive(Debug, Default)]
pub struct Progress {
    tried: AtomicUsize,
    branches: AtomicUsize,
    so_far: Mutex<(usize, Option<Found>)>,
}

impl Progress {
    /// Sets of chains that were judged and marched until now.
    pub fn tried(&self) -> usize {
        self.tried.load(Ordering::Relaxed)
    }

    /// Branches that were looked at until now.
    pub fn branches(&self) -> usize {
        self.branches.load(Ordering::Relaxed)
    }

    /// What was found until now, where that is more than at `seen`; with the number to ask with the next time.
    pub fn more_than(&self, seen: usize) -> Option<(usize, Found)> {
        let now = self.so_far.lock().ok()?;
        (now.0 > seen).then(|| Some((now.0, now.1.clone()?)))?
    }
}

/// Finds what runs some devices for so long.
///
/// # Errors
/// Names the field that cannot be.
pub fn find(plan: &Plan, ask: &FindAsk) -> Result<Found, Refused> {
    find_watched(plan, ask, None)
}

/// Whether a question can be asked at all.
///
/// # Errors
/// Names the field that cannot be.
pub fn can_find(plan: &Plan, ask: &FindAsk) -> Result<(), Refused> {
    checked(plan, ask)?;
    stocked(plan, ask, Unpriced::LeftOut).map(|_| ())
}

/// [`find`], with word of how far it is.
///
/// # Errors
/// Names the field that cannot be.
pub fn find_watched(plan: &Plan, ask: &FindAsk, progress: Option<&Progress>) -> Result<Found, Refused> {
    let Checked { devices, outage } = checked(plan, ask)?;
    let (stocked, unpriced) = stocked(plan, ask, Unpriced::LeftOut)?;
    let mut search = Search::of(&stocked, ask, &devices, outage);
    let told = |search: &Search<'_>| search.found(plan, &devices, &unpriced);
    search.run(&|search| {
        let Some(progress) = progress else { return };
        progress.tried.store(search.tried, Ordering::Relaxed);
        progress.branches.store(search.branches, Ordering::Relaxed);
        if let Ok(mut now) = progress.so_far.lock()
            && now.0 < search.arrived
        {
            *now = (search.arrived, Some(told(search)));
        }
    });
    let mut found = told(&search);
    if found.front.is_empty() && !ask.front {
        // Nothing lasts so long: what lasts longest is told beside it.
        let front = FindAsk { front: true, ..ask.clone() };
        let mut again = search.again(&front);
        again.longest_only = true;
        again.run(&|_| {});
        found.tried += again.tried;
        found.proven &= !again.stopped;
        found.longest = again.found(plan, &devices, &[]).front.pop();
    }
    found.sentence = told::sentence(plan, ask, &devices, &found);
    let dark = search.dark();
    if !dark.is_empty() {
        found.sentence = told::dark(plan, &dark).into();
    }
    Ok(found)
}

/// What was asked, looked at.
pub(super) struct Checked {
    pub(super) devices: Vec<String>,
    pub(super) outage: Outage,
}

/// # Errors
/// Names the field that cannot be.
pub(super) fn checked(plan: &Plan, ask: &FindAsk) -> Result<Checked, Refused> {
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
    if !(0.0..=MOST_BY_HAND).contains(&ask.by_hand) {
        return Err(Refused::of("by_hand", format!("is {}; it lies between 0 and {MOST_BY_HAND} a day", ask.by_hand)));
    }
    if let Some(it) = ask.no_mains.iter().find(|it| !devices.contains(it)) {
        return Err(Refused::of(
            "no_mains",
            format!("names \"{it}\", which is none of the devices that are asked for"),
        ));
    }
    Ok(Checked { devices, outage })
}
