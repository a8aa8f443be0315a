//! What the finder says.

use super::asked::{Bettered, FindAsk, Found, LeadSize, Member};
use crate::advice::shelf::board::{free_id, leads_of};
use crate::advice::shelf::runs::LENGTH_M;
use crate::ground::say::{Name, Sentence, amount, percent};
use crate::site::parts::parts;
use crate::site::plan::{Arrangement, Cable, Plan};
use crate::time::outage::clocked;

/// What is bought and added, and a member in a sentence.
pub(in crate::advice::shelf) fn told(
    plan: &Plan,
    stocked: &Plan,
    sizes: &[LeadSize],
    it: &mut Member,
) {
    let used = |id: &str| {
        it.arrangement
            .feeds
            .iter()
            .any(|feed| feed.from.item.as_str() == id)
    };
    let new = |id: &str| used(id) && plan.source(id).is_none() && plan.converter(id).is_none();
    it.added.sources = stocked
        .kit
        .sources
        .iter()
        .filter(|it| new(it.id.as_str()))
        .cloned()
        .collect();
    it.added.converters = stocked
        .kit
        .converters
        .iter()
        .filter(|it| new(it.id.as_str()))
        .cloned()
        .collect();
    let bought = parts(stocked, &it.arrangement);
    it.priced = bought.buy_price.is_some();
    it.buys = bought.to_buy;
    it.leads = leads_bought(plan, sizes, &it.arrangement);
    it.arrangement.id = free_id(plan, "found");
    let buys = if it.buys.is_empty() && it.leads.is_empty() {
        "nothing to buy".to_owned()
    } else {
        let names = it.buys.iter().map(|it| Name(it).to_string());
        let names: Vec<String> = names
            .chain(it.leads.iter().map(Sentence::to_string))
            .collect();
        let money = amount(it.spend, plan.currency());
        let names = names.join(", ");
        if it.priced {
            format!("{names} to buy for {money}")
        } else {
            format!("{names} to buy, at a price that nobody states")
        }
    };
    let hand = match it.by_hand {
        none if none < 0.5 => String::new(),
        one if one < 1.5 => ", one action by hand a day".to_owned(),
        more => format!(", {} actions by hand a day", amount(more.round(), "")),
    };
    it.sentence = format!(
        "{} with {buys}, {} a day{hand}, {} of the tightest rating free.",
        clocked(it.hours),
        amount(it.drawn_wh_day, "Wh"),
        percent(it.least_margin.max(0.0))
    )
    .into();
}

/// "7 m of 4 mm² lead": what must be bought of each size that costs something.
fn leads_bought(plan: &Plan, sizes: &[LeadSize], way: &Arrangement) -> Vec<Sentence> {
    let own: Vec<usize> = leads_of(plan, way, LENGTH_M)
        .into_iter()
        .map(|it| it.0)
        .collect();
    let metres = |size: &LeadSize| {
        let of = own.iter().filter_map(|it| way.feeds[*it].cable.as_ref());
        let same = |it: &Cable| {
            it.area_mm2
                .as_ref()
                .is_some_and(|area| (area.get() - size.area_mm2).abs() < 1e-9)
        };
        of.filter(|it| same(it))
            .map(|it| it.length_m.get())
            .sum::<f64>()
    };
    let told = |it: &LeadSize| match metres(it) {
        none if none <= 0.0 => None,
        some => Some(
            format!(
                "{} of {} lead",
                amount(some, "m"),
                amount(it.area_mm2, "mm²")
            )
            .into(),
        ),
    };
    sizes
        .iter()
        .filter(|it| it.price_m > 0.0)
        .filter_map(told)
        .collect()
}

/// "Van battery, Small inverter: 21 h for 60 EUR; for nothing there are 34 h."
pub(super) fn under(plan: &Plan, it: &Bettered, by: &Member) -> Sentence {
    let names: Vec<String> = it.through.iter().map(|it| Name(it).to_string()).collect();
    let money = |it: f64| {
        if it > 0.0 {
            format!("for {}", amount(it, plan.currency()))
        } else {
            "for nothing".into()
        }
    };
    let (names, own) = (names.join(", "), money(it.spend));
    let better = format!(
        "{} a day {}",
        amount(by.drawn_wh_day, "Wh"),
        money(by.spend)
    );
    let (hours, drawn) = (clocked(it.hours), amount(it.drawn_wh_day, "Wh"));
    let close = if by.hours < it.hours - 1e-6 {
        ", as good as that,"
    } else {
        ""
    };
    format!(
        "{names}: {hours} at {drawn} a day {own}; another lasts {}{close} at {better}.",
        clocked(by.hours)
    )
    .into()
}

pub(super) fn sentence(plan: &Plan, ask: &FindAsk, devices: &[String], found: &Found) -> Sentence {
    let names = named(plan, devices);
    let tried = match found.tried {
        1 => "one set of chains".to_owned(),
        more => format!("{more} sets of chains"),
    };
    let proof = if found.proven {
        format!("Proven best of what was looked through, with {tried} tried")
    } else if found.within > 0.0 {
        format!(
            "Stopped after {} sets of chains: at most {} longer was missed",
            found.tried,
            percent(found.within)
        )
    } else {
        format!("Stopped after {tried}: something cheaper may have been missed")
    };
    let hours = match ask.day {
        Some(day) => format!(
            "{} on {}",
            amount(ask.hours, "h"),
            day.strftime("%-d %B %Y")
        ),
        None => amount(ask.hours, "h").to_string(),
    };
    let first = found.front.first();
    let said = match (first, &found.longest) {
        (Some(it), _) if ask.front => {
            let many = match found.front.len() {
                1 => "One way".to_owned(),
                more => format!("{more} ways"),
            };
            format!(
                "{many} to run {names} that nothing betters, from {} on. {proof}.",
                amount(it.spend, plan.currency())
            )
        }
        (Some(it), _) => format!("{names} for {hours}: that lasts {} {proof}.", it.sentence),
        (None, Some(it)) => format!(
            "Nothing runs {names} for {hours}; what lasts longest: {} {proof}.",
            it.sentence
        ),
        (None, None) => format!("Nothing here runs {names} together without a trip. {proof}."),
    };
    said.into()
}

/// "Of what may be used nothing runs Phone, not even alone."
pub(super) fn dark(plan: &Plan, dark: &[String]) -> String {
    format!(
        "Of what may be used nothing runs {}, not even alone.",
        named(plan, dark)
    )
}

pub(in crate::advice::shelf) fn named(plan: &Plan, devices: &[String]) -> String {
    let names: Vec<String> = devices
        .iter()
        .map(|it| Name(plan.label(it)).to_string())
        .collect();
    match names.as_slice() {
        [one] => one.clone(),
        [all @ .., last] => format!("{} and {last}", all.join(", ")),
        [] => String::new(),
    }
}
