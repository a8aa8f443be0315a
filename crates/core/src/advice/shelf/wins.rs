//! What a single purchase or change wins: hours of some devices, per coin and per kilogram, and
//! when it pays for itself.
//!
//! Each purchase is carried out: the finder looks for what lasts longest with what is owned and
//! that one thing, which must be part of it. Each change is put into the arrangement and marched.

use super::LOOKED_H;
use super::find::{
    Choices, FindAsk, HOUR, Member, Shelf, Unpriced, checked, is_to_buy, longest, stocked,
};
use crate::advice::compare::compare;
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, words};
use crate::ground::say::{Name, Sentence, amount};
use crate::ground::work;
use crate::network::Charge;
use crate::site::plan::{Arrangement, Outage, Plan, Switch};
use crate::time::day::being_on;
use crate::time::outage::clocked;
use rayon::prelude::*;
use serde::Serialize;
use std::collections::BTreeMap;

/// Sets of chains that are tried for each purchase at most.
const MOST_EACH: usize = 600;
/// What is paid back later than this is no reason to buy: few things last so long.
const LONGEST_YEARS: f64 = 20.0;
/// What is saved below this a day says nothing of money, Wh.
const SAVED_WH: f64 = 2.0;

words!(
    /// What a purchase comes to.
    Worth {
        /// It wins hours, and nothing wins as many for less.
        Wins = "wins",
        /// It wins hours, and something else wins as many or more for less.
        Bettered = "bettered",
        /// It wins nothing.
        Nothing = "nothing",
        /// Nobody states its price.
        Unpriced = "unpriced",
        /// It lies beyond the money or the weight that was named.
        Beyond = "beyond",
    }
);

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct WinsAsk {
    /// The devices, what may be bought and within what; its hours count for nothing, as what lasts
    /// longest is looked for.
    pub find: FindAsk,
    /// The arrangement that is in use now, by id: what changing it wins is told as well. None where
    /// left out.
    pub arrangement: Option<String>,
}

/// What purchases and changes win.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Wins {
    /// How long the devices last in the arrangement that is in use, h; none where none was named.
    pub now_h: Option<f64>,
    /// What lasts longest with what is owned; none where that runs them in no way.
    pub owned: Option<Member>,
    /// Changes of the arrangement that cost nothing, the one that wins most first.
    pub changes: Vec<FreeChange>,
    /// Purchases: those that win most hours per coin first, those that win nothing last.
    pub purchases: Vec<Purchase>,
    /// Whether each of that is proven.
    pub proven: bool,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// A change that costs nothing.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FreeChange {
    /// What is done, in words.
    pub what: Sentence,
    /// How long the devices last then, h.
    pub hours: f64,
    /// Hours more than now.
    pub won_h: f64,
    /// The switches of the arrangement once it is done.
    pub switching: Vec<Switch>,
}

/// One thing to buy.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Purchase {
    /// Its id; that of a ready-made kind as it would stand in the plan.
    pub item: String,
    /// What it is called.
    pub label: String,
    /// Its price, in the site's currency; none where nobody states it.
    pub price: Option<f64>,
    /// Its weight, kg; none where nobody states it.
    pub weight_kg: Option<f64>,
    /// How long the devices last with it at best, h; none where nothing runs them with it as a
    /// part.
    pub hours: Option<f64>,
    /// Hours more than with what is owned, 0 where it wins none.
    pub won_h: f64,
    /// Of those, per unit of money; none without a price, or where it costs nothing.
    pub h_per_coin: Option<f64>,
    /// Of those, per kilogram; none without a weight.
    pub h_per_kg: Option<f64>,
    /// What is put back into the stores less a day than with what is owned, Wh; none where nothing
    /// owned runs the devices.
    pub saves_wh_day: Option<f64>,
    /// After how many years what it saves has paid for it; none where it saves nothing, or a price
    /// is not stated.
    pub pays_back_years: Option<f64>,
    /// What it comes to.
    pub worth: Worth,
    /// What lasts longest with it.
    pub member: Option<Member>,
    /// All of it in a sentence, with the reason where it is not worth it.
    pub sentence: Sentence,
}

/// What single purchases and changes win for some devices.
///
/// # Errors
/// Names the field that cannot be.
pub fn wins(plan: &Plan, ask: &WinsAsk) -> Result<Wins, FieldError> {
    let hours = match &ask.find.outage {
        Some(id) => super::outage_of(plan, id)?.hours.get(),
        None => LOOKED_H,
    };
    let every = FindAsk {
        hours,
        front: true,
        most: MOST_EACH,
        parts: None,
        ..ask.find.clone()
    };
    let looked = checked(plan, &every)?;
    let (devices, outage) = (looked.devices, looked.outage);
    let now = match &ask.arrangement {
        Some(id) => {
            let way = plan.arrangement(id).ok_or_else(|| {
                FieldError::of(
                    "arrangement",
                    format!("is \"{id}\", and the plan has no arrangement of that id"),
                )
            })?;
            if let Some(dark) = devices.iter().find(|it| way.feed_into(it).is_none()) {
                let why = format!(
                    "is “{}”, which does not feed {}",
                    way.label,
                    Name(plan.label(dark))
                );
                return Err(FieldError::of("arrangement", why));
            }
            Some(way)
        }
        None => None,
    };
    // Limits are told purchase by purchase.
    let free = FindAsk {
        spend: None,
        weight_kg: None,
        ..every.clone()
    };
    let (stock, _) = stocked(plan, &free, Unpriced::Kept)?;
    let owned_ask = FindAsk {
        shelf: Shelf::Owned,
        prices: BTreeMap::new(),
        counts: BTreeMap::new(),
        ..free.clone()
    };
    let (owned_plan, _) = stocked(plan, &owned_ask, Unpriced::Kept)?;
    let found = longest(
        plan,
        &owned_plan,
        &owned_ask,
        (&devices, &outage),
        Choices::Served { must: None },
    );
    let (owned, proven) = (found.member, found.proven);
    let to_buy: Vec<&str> = {
        let sources = stock.kit.sources.iter().map(|it| it.id.as_str());
        let all = sources.chain(stock.kit.converters.iter().map(|it| it.id.as_str()));
        all.filter(|id| is_to_buy(&stock, id)).collect()
    };
    let job = work::current();
    let one = |id: &&str| {
        work::carried(job.as_ref(), || {
            purchase(
                plan,
                &stock,
                &ask.find,
                (&devices, &outage),
                owned.as_ref(),
                id,
            )
        })
    };
    let found: Vec<(Purchase, bool)> = to_buy.par_iter().map(one).collect();
    let proven = proven && found.iter().all(|it| it.1);
    let mut purchases: Vec<Purchase> = found.into_iter().map(|it| it.0).collect();
    rank(plan, &mut purchases, owned.as_ref());
    let base = |way: &Arrangement| lasting(plan, way, &devices, &outage);
    let now_h = now.map(base);
    let changes = now.map_or_else(Vec::new, |way| changes(plan, way, &devices, &outage));
    let mut told = Wins {
        now_h,
        owned,
        changes,
        purchases,
        proven,
        sentence: Sentence::default(),
    };
    told.sentence = sentence(&told, outage.hours.get()).into();
    Ok(told)
}

/// How long some devices last in an arrangement, h.
fn lasting(plan: &Plan, way: &Arrangement, devices: &[String], outage: &Outage) -> f64 {
    let used = |id: &str| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
    };
    let found = crate::time::outage::simulate(plan, way, &outage.within(used), None);
    let down = devices
        .iter()
        .filter_map(|id| found.devices.get(id)?.down_at_h);
    down.fold(outage.hours.get(), f64::min)
}

fn purchase(
    plan: &Plan,
    stock: &Plan,
    ask: &FindAsk,
    (devices, outage): (&[String], &Outage),
    owned: Option<&Member>,
    id: &str,
) -> (Purchase, bool) {
    let mut with = stock.clone();
    with.kit
        .sources
        .retain(|it| it.owned != Some(false) || it.id.as_str() == id);
    with.kit
        .converters
        .retain(|it| it.owned != Some(false) || it.id.as_str() == id);
    let (price, weight) = match (stock.source(id), stock.converter(id)) {
        (Some(it), _) => (it.price.as_ref(), it.weight_kg.as_ref()),
        (None, Some(it)) => (it.price.as_ref(), it.weight_kg.as_ref()),
        (None, None) => (None, None),
    };
    let (price, weight_kg) = (price.map(Figure::get), weight.map(Figure::get));
    let every = FindAsk {
        spend: None,
        weight_kg: None,
        front: true,
        most: MOST_EACH,
        ..ask.clone()
    };
    let found = longest(
        plan,
        &with,
        &every,
        (devices, outage),
        Choices::Served { must: Some(id) },
    );
    let (member, proven) = (found.member, found.proven);
    let hours = member.as_ref().map(|it| it.hours);
    let before = owned.map_or(0.0, |it| it.hours);
    let won_h = hours.map_or(0.0, |it| it - before);
    let won_h = if won_h < HOUR { 0.0 } else { won_h };
    let per = |of: Option<f64>| of.filter(|it| *it > 0.0).map(|it| won_h / it);
    let (saves_wh_day, pays_back_years) = match (owned, &member) {
        (Some(owned), Some(member)) => paid_back(&with, owned, member),
        _ => (None, None),
    };
    let beyond = ask
        .spend
        .zip(price)
        .is_some_and(|(most, it)| it > most + 1e-9)
        || ask
            .weight_kg
            .zip(weight_kg)
            .is_some_and(|(most, it)| it > most + 1e-9);
    let worth = match () {
        () if beyond => Worth::Beyond,
        () if won_h <= 0.0 => Worth::Nothing,
        () if price.is_none() => Worth::Unpriced,
        () => Worth::Wins,
    };
    let told = Purchase {
        item: id.to_owned(),
        label: with.label(id).to_owned(),
        price,
        weight_kg,
        hours,
        won_h,
        h_per_coin: per(price),
        h_per_kg: per(weight_kg),
        saves_wh_day,
        pays_back_years,
        worth,
        member,
        sentence: Sentence::default(),
    };
    (told, proven)
}

/// What the one saves a day against the other, and after how many years that has paid for it: as
/// two arrangements are compared.
fn paid_back(plan: &Plan, owned: &Member, bought: &Member) -> (Option<f64>, Option<f64>) {
    let ways = [
        Arrangement {
            id: crate::site::plan::Id::own("as-owned"),
            ..owned.arrangement.clone()
        },
        Arrangement {
            id: crate::site::plan::Id::own("as-bought"),
            ..bought.arrangement.clone()
        },
    ];
    let Ok(told) = compare(plan, &[&ways[0], &ways[1]], &Charge::full(), None) else {
        return (None, None);
    };
    let Some(change) = told.changes.first() else {
        return (None, None);
    };
    if change.from == "as-owned" {
        return (
            Some(change.saves_wh_day),
            change
                .pays_back_years
                .filter(|_| change.saves_wh_day > SAVED_WH),
        );
    }
    (Some(-change.saves_wh_day), None)
}

/// The best first; what another betters is told so, and each says why.
fn rank(plan: &Plan, purchases: &mut [Purchase], owned: Option<&Member>) {
    let key = |it: &Purchase| (it.worth, it.h_per_coin.unwrap_or(f64::INFINITY));
    let better: Vec<Option<String>> = purchases
        .iter()
        .map(|it| {
            let price = it.price.filter(|_| it.worth == Worth::Wins)?;
            let beats = |other: &&Purchase| {
                other.worth == Worth::Wins
                    && other.won_h >= it.won_h
                    && other.price.is_some_and(|other| other < price - 1e-9)
            };
            purchases
                .iter()
                .filter(beats)
                .max_by(|a, b| key(a).1.total_cmp(&key(b).1))
                .map(|it| it.label.clone())
        })
        .collect();
    for (it, better) in purchases.iter_mut().zip(better) {
        if better.is_some() {
            it.worth = Worth::Bettered;
        }
        it.sentence = said(plan, it, owned, better.as_deref()).into();
    }
    purchases.sort_by(|a, b| {
        let rank = |it: &Purchase| Worth::ALL.iter().position(|other| *other == it.worth);
        let per = |it: &Purchase| it.h_per_coin.unwrap_or(it.won_h);
        rank(a)
            .cmp(&rank(b))
            .then(per(b).total_cmp(&per(a)))
            .then_with(|| a.item.cmp(&b.item))
    });
}

/// "Large bank: 31 h more for 320 EUR, 0.097 h per EUR and 2.4 h per kg; 14 Wh less a day."
fn said(plan: &Plan, it: &Purchase, owned: Option<&Member>, better: Option<&str>) -> String {
    let (name, currency) = (Name(&it.label), plan.currency());
    let for_price = it
        .price
        .map_or_else(String::new, |it| format!(" for {}", amount(it, currency)));
    let mut saved = String::new();
    if let Some(wh) = it.saves_wh_day.filter(|it| *it > SAVED_WH) {
        saved = format!("; {} a day less to put back", amount(wh, "Wh"));
        if let Some(years) = it.pays_back_years.filter(|it| *it <= LONGEST_YEARS) {
            saved += &format!(", which pays for it in {} years", amount(years, ""));
        }
    }
    let Some(hours) = it.hours else {
        return format!("{name}: no chain with it runs these devices without a trip.");
    };
    let lasts = clocked(hours);
    match it.worth {
        Worth::Beyond => format!(
            "{name}{for_price}: {} more, and beyond what was named.",
            clocked(it.won_h)
        ),
        Worth::Nothing => {
            let without = owned.map_or_else(String::new, |it| {
                format!(", {} without it", clocked(it.hours))
            });
            format!("{name}{for_price} wins no hours: {lasts} with it at best{without}{saved}.")
        }
        Worth::Unpriced => {
            format!(
                "{name}: {} more, {lasts} in all; state its price to see what an hour \
                costs{saved}.",
                clocked(it.won_h)
            )
        }
        Worth::Wins | Worth::Bettered => {
            let coin = it.h_per_coin.map_or_else(String::new, |it| {
                format!(", {} per {currency}", amount(it, "h"))
            });
            let weight = it
                .h_per_kg
                .map_or_else(String::new, |it| format!(" and {} per kg", amount(it, "h")));
            let other = better.map_or_else(String::new, |it| {
                format!("; {} wins as much for less", Name(it))
            });
            format!(
                "{name}: {} more{for_price}{coin}{weight}{saved}{other}.",
                clocked(it.won_h)
            )
        }
    }
}

/// What the arrangement that is in use could do without a purchase.
fn changes(plan: &Plan, way: &Arrangement, devices: &[String], outage: &Outage) -> Vec<FreeChange> {
    let now = lasting(plan, way, devices, outage);
    let mut list: Vec<FreeChange> = Vec::new();
    for it in being_on(plan, way, &Charge::full())
        .into_iter()
        .filter(|it| it.worth)
    {
        let switched = Arrangement {
            switching: it.then.clone(),
            ..way.clone()
        };
        let hours = lasting(plan, &switched, devices, outage);
        if hours - now < HOUR {
            continue;
        }
        let (item, port) = it.place.split_once('/').unwrap_or((&it.place, ""));
        let port = if port.is_empty() {
            String::new()
        } else {
            format!(", {port}")
        };
        let hand = if it.by_hand {
            "by hand"
        } else {
            "by a switch that senses its load"
        };
        let what = format!("{}{port} on with its load, {hand}", Name(plan.label(item)));
        list.push(FreeChange {
            what: what.into(),
            hours,
            won_h: hours - now,
            switching: it.then,
        });
    }
    list.sort_by(|a, b| b.won_h.total_cmp(&a.won_h));
    list
}

fn sentence(it: &Wins, whole: f64) -> String {
    let lasts = |hours: f64| {
        if hours >= whole - 1e-9 {
            format!("the whole {}", amount(whole, "h"))
        } else {
            clocked(hours).to_string()
        }
    };
    let owned = it.owned.as_ref();
    let mut said = match (it.now_h, owned) {
        (Some(now), Some(owned)) if owned.hours - now >= HOUR => format!(
            "As they hang now the devices last {}; other chains of what is owned last {}, and cost \
            nothing.",
            lasts(now),
            lasts(owned.hours)
        ),
        (Some(now), _) => format!("As they hang now the devices last {}.", lasts(now)),
        (None, Some(owned)) => format!(
            "With what is owned the devices last {} at best.",
            lasts(owned.hours)
        ),
        (None, None) => "What is owned runs these devices in no way without a trip.".to_owned(),
    };
    if let Some(change) = it.changes.first() {
        said += &format!(" {}: {} more.", change.what, clocked(change.won_h));
    }
    if owned.is_some_and(|it| it.hours >= whole - 1e-9) {
        said += " Nothing has to be bought for that.";
        return said;
    }
    match it.purchases.first().filter(|it| it.worth == Worth::Wins) {
        Some(best) => said += &format!(" Most hours for the money: {}", best.sentence),
        None if it.purchases.is_empty() => {
            said += " There is nothing to buy: mark a source or a converter as not owned, or \
                choose from the ready-made kinds.";
        }
        None => said += " No single purchase with a stated price wins an hour.",
    }
    said
}
