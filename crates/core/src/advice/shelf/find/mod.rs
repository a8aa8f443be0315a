//! The finder: which chains run some devices for so long, with what is owned and what could be
//! bought.
//!
//! # Layout
//! - `asked`: what is asked and told; `stock`: what there is to choose from; `choice`: the ways to
//!   feed a device; `ground`: sets of chains judged and marched; `search`: branch and bound;
//!   `leads`: sizes of lead; `told`: its words
//!
//! # What is looked through
//! Each device hangs on one port of one source (not the mains, not a bare panel), straight, behind
//! an inverter, or through the fewest converters with which it does not trip alone; several may
//! share a converter that is fed from the same port. A part stands in one place at once, and there
//! may be any number of a kind. Leads are the smallest standard ones that hold, or of the sizes
//! that a person named with what a metre costs. Where a person may switch, what draws something for
//! being on is switched with its load as well. That is all that is looked through, and *proven*
//! means: of all of that.
//!
//! # How
//! Branch and bound, device by device. What hangs on one source has nothing to do with what hangs
//! on another, so that each set of chains on a source is judged by its findings and marched once. A
//! set that is not whole yet bounds what becomes of it: more on a source never lasts longer, never
//! costs or weighs less, never draws less, and never leaves more room. A branch is left where it
//! trips, exceeds a limit, or cannot better a member of the front in anything. Every member is put
//! together whole, judged and marched again before it is told.

mod asked;
mod choice;
mod ground;
mod leads;
mod search;
mod stock;
#[cfg(test)]
mod tests;
mod told;

pub use asked::{
    Added, Bettered, FindAsk, Found, LeadSize, MOST_BY_HAND, MOST_DEVICES, MOST_OF_A_KIND,
    MOST_SIZES, MOST_TRIED, Member, Shelf,
};
pub(super) use search::{Choices, HOUR};
pub(super) use stock::{Unpriced, is_to_buy, several, stocked};

use crate::ground::json::FieldError;
use search::Search;
pub(super) use told::named;
use told::told;

use super::runs::some_devices;
use super::{LOOKED_H, outage_of, plain};
use crate::ground::say::amount;
use crate::site::plan::outage::LocalTime;
use crate::site::plan::{Outage, Plan};
use crate::site::wire::areas;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

/// How long a day is looked at, h.
const DAY_H: f64 = 24.0;

/// What lasts longest of some chains.
pub(super) struct Longest {
    /// The cheapest of those; none where nothing runs all of the devices.
    pub(super) member: Option<Member>,
    /// Whether that is proven.
    pub(super) proven: bool,
    /// Devices that nothing runs, not even alone, by id.
    pub(super) dark: Vec<String>,
}

/// What lasts longest of some choices, and of that the cheapest. An item that must be part of it is
/// one that all of it needs.
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
        told(plan, stock, &ask.leads, it);
    }
    Longest {
        member,
        proven: !search.stopped,
        dark: search.dark(),
    }
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

    /// What was found until now, where that is more than at `seen`; with the number to ask with the
    /// next time.
    pub fn more_than(&self, seen: usize) -> Option<(usize, Found)> {
        let now = self.so_far.lock().ok()?;
        (now.0 > seen).then(|| Some((now.0, now.1.clone()?)))?
    }
}

/// Finds what runs some devices for so long.
///
/// # Errors
/// Names the field that cannot be.
pub fn find(plan: &Plan, ask: &FindAsk) -> Result<Found, FieldError> {
    find_watched(plan, ask, None)
}

/// Whether a question can be asked at all.
///
/// # Errors
/// Names the field that cannot be.
pub fn can_find(plan: &Plan, ask: &FindAsk) -> Result<(), FieldError> {
    checked(plan, ask)?;
    stocked(plan, ask, Unpriced::LeftOut).map(|_| ())
}

/// [`find`], with word of how far it is.
///
/// # Errors
/// Names the field that cannot be.
pub fn find_watched(
    plan: &Plan,
    ask: &FindAsk,
    progress: Option<&Progress>,
) -> Result<Found, FieldError> {
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
    found.bettered = search.bettered(&found.front);
    if found.front.is_empty() && !ask.front {
        // Nothing lasts so long: what lasts longest is told beside it.
        let front = FindAsk {
            front: true,
            ..ask.clone()
        };
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

/// # Errors
/// Names the leads where there are too many, one is of no standard size or stands twice, or one has
/// no price.
fn leads_offered(leads: &[LeadSize]) -> Result<(), FieldError> {
    if leads.len() > MOST_SIZES {
        return Err(FieldError::of(
            "leads",
            format!("are {} sizes; name {MOST_SIZES} at most", leads.len()),
        ));
    }
    for (at, it) in leads.iter().enumerate() {
        if !areas().any(|area| (area - it.area_mm2).abs() < 1e-9) {
            let known: Vec<String> = areas().map(|it| it.to_string()).collect();
            let why = format!(
                "name {} mm², which is no standard size; there are {}",
                it.area_mm2,
                known.join(", ")
            );
            return Err(FieldError::of("leads", why));
        }
        if leads[..at]
            .iter()
            .any(|other| (other.area_mm2 - it.area_mm2).abs() < 1e-9)
        {
            return Err(FieldError::of(
                "leads",
                format!("name {} mm² twice", it.area_mm2),
            ));
        }
        if !(it.price_m >= 0.0 && it.price_m.is_finite()) {
            let why = format!(
                "give {} mm² the price {} a metre; it is 0 or more",
                it.area_mm2, it.price_m
            );
            return Err(FieldError::of("leads", why));
        }
    }
    Ok(())
}

/// What was asked, looked at.
pub(super) struct Checked {
    pub(super) devices: Vec<String>,
    pub(super) outage: Outage,
}

/// # Errors
/// Names the field that cannot be.
pub(super) fn checked(plan: &Plan, ask: &FindAsk) -> Result<Checked, FieldError> {
    let devices: Vec<String> = some_devices(plan, &ask.devices)?
        .into_iter()
        .map(str::to_owned)
        .collect();
    if devices.is_empty() || devices.len() > MOST_DEVICES {
        return Err(FieldError::of(
            "devices",
            format!("are {}; name 1 to {MOST_DEVICES}", devices.len()),
        ));
    }
    let (outage, what) = match (&ask.outage, ask.day) {
        (Some(_), Some(_)) => {
            return Err(FieldError::of(
                "day",
                "stands beside an outage; name one of the two".to_owned(),
            ));
        }
        (Some(id), None) => (outage_of(plan, id)?.clone(), "the outage"),
        (None, Some(day)) => (
            Outage {
                start: LocalTime::at(day.at(0, 0, 0, 0)),
                ..plain(DAY_H)
            },
            "the day",
        ),
        (None, None) => (
            plain(LOOKED_H.max(ask.hours.min(super::smallest::MOST_H))),
            "the outage",
        ),
    };
    if !(ask.hours > 0.0 && ask.hours <= outage.hours.get()) {
        let why = format!(
            "is {}; it lies above 0, and {what} lasts {}",
            ask.hours,
            amount(outage.hours.get(), "h")
        );
        return Err(FieldError::of("hours", why));
    }
    for (field, limit) in [("spend", ask.spend), ("weight_kg", ask.weight_kg)] {
        if let Some(it) = limit.filter(|it| !(*it >= 0.0 && it.is_finite())) {
            return Err(FieldError::of(field, format!("is {it}; it is 0 or more")));
        }
    }
    leads_offered(&ask.leads)?;
    if !(0.0..=MOST_BY_HAND).contains(&ask.by_hand) {
        return Err(FieldError::of(
            "by_hand",
            format!(
                "is {}; it lies between 0 and {MOST_BY_HAND} a day",
                ask.by_hand
            ),
        ));
    }
    if let Some(it) = ask.no_mains.iter().find(|it| !devices.contains(it)) {
        return Err(FieldError::of(
            "no_mains",
            format!("names \"{it}\", which is none of the devices that are asked for"),
        ));
    }
    Ok(Checked { devices, outage })
}
