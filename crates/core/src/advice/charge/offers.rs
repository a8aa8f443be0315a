//! What is not wired into a store and would fill it faster: put in, marched and judged before it is
//! told.

use super::carry::carried_out;
use super::fills::candidates;
use super::told::{Offer, RechargeAsk, hours};
use super::wiring::{Ready, marched};
use crate::advice::fits::proposed;
use crate::ground::figure::Figure;
use crate::ground::json::{FromJson as _, Path};
use crate::ground::say::{Name, Sentence, percent};
use crate::limits::{Status, Verdicts};
use crate::site::plan::source::SourceInput;
use crate::site::plan::{ConverterKind, Feed, Plan};
use serde_json::json;

/// So many are put in and marched at most.
const MOST: usize = 4;
/// Length of the leads that are proposed, m.
const LENGTH_M: f64 = 2.0;
/// What is not faster by this is not worth a lead.
const FASTER: f64 = 0.95;
/// What a bank of which nobody says more may be charged with, as a share of its capacity an hour.
const USUAL_RATE: f64 = 0.2;
/// The input that a bank has at its terminals, where it states none.
const AT_TERMINALS: &str = "terminals-in";

/// Each way that is not wired, does not make anything worse and is faster than what is wired, the
/// fastest first.
pub(super) fn offers(
    told: &Plan,
    ready: &Ready,
    ask: &RechargeAsk,
    full_h: Option<f64>,
) -> Vec<Offer> {
    let mut plan = ready.plan.clone();
    // The wall is there where anything else is, whether anybody wrote it down or not.
    if ask.mains {
        let _ = super::wiring::the_wall(&mut plan);
    }
    let added = at_terminals(&mut plan, &ask.source);
    let Some(store) = plan.source(&ask.source) else {
        return Vec::new();
    };
    let is_fed = |input: &SourceInput| {
        ready
            .way
            .feeds
            .iter()
            .any(|it| it.to.item == store.id && it.to.input.as_ref() == Some(&input.id))
    };
    let mut found = Vec::new();
    for input in store.inputs.iter().filter(|it| !is_fed(it)) {
        for (start, feeds, cell) in candidates(&plan, &ready.way, store, input) {
            let gone = !ask.mains && start.source.kind == crate::site::plan::SourceKind::Mains;
            let charger = start
                .via
                .is_some_and(|it| it.0.kind == ConverterKind::Charger);
            // On bare cells only what is made for charging them. What empties one store into
            // another fills nothing, and nobody proved a stepped wave on a charger.
            let gives = start.source.battery.is_none() || start.source.runs();
            if !gone && gives && !start.is_stepped() && (added.is_none() || charger) {
                found.push((start.source.id.clone(), input.id.clone(), feeds, cell));
            }
        }
    }
    found.sort_by(|a, b| {
        b.3.watts
            .total_cmp(&a.3.watts)
            .then(a.2.len().cmp(&b.2.len()))
    });
    let mut best: Vec<_> = Vec::new();
    for it in found {
        if !best
            .iter()
            .any(|(source, input, ..): &(_, _, _, _)| *source == it.0 && *input == it.1)
        {
            best.push(it);
        }
    }
    best.truncate(MOST);
    let before = Verdicts::silent(&plan, &ready.way);
    let mut list: Vec<Offer> = best
        .into_iter()
        .filter_map(|it| offer(told, &plan, ready, ask, &before, it.2, added.as_ref()))
        .collect();
    list.retain(|it| {
        let own = it.levels.last().and_then(|it| it.after_h);
        own.is_some_and(|own| full_h.is_none_or(|full| own < full * FASTER))
    });
    list.sort_by(|a, b| last(a).total_cmp(&last(b)));
    list
}

fn last(offer: &Offer) -> f64 {
    offer
        .levels
        .last()
        .and_then(|it| it.after_h)
        .unwrap_or(f64::INFINITY)
}

/// Gives a bank without an input one at its terminals.
fn at_terminals(plan: &mut Plan, source: &str) -> Option<SourceInput> {
    let found = plan
        .kit
        .sources
        .iter_mut()
        .find(|it| it.id.as_str() == source)?;
    let battery = found
        .battery
        .as_ref()
        .filter(|it| it.cells.is_some() && found.inputs.is_empty())?;
    let usual = battery.capacity_ah.as_ref().map(|it| it.get() * USUAL_RATE);
    let amps = battery.max_charge_a.as_ref().map(Figure::get).or(usual)?;
    let input = json!({"id": AT_TERMINALS, "kind": "dc", "max_a": amps, "efficiency": 1});
    let input = SourceInput::from_json(&input, &Path::Root).ok()?;
    found.inputs.push(input.clone());
    Some(input)
}

fn offer(
    told: &Plan,
    plan: &Plan,
    ready: &Ready,
    ask: &RechargeAsk,
    before: &Verdicts,
    feeds: Vec<Feed>,
    added: Option<&SourceInput>,
) -> Option<Offer> {
    let mut way = ready.way.clone();
    let first = way.feeds.len();
    way.feeds.extend(feeds);
    let mut proposes = Vec::new();
    // The mains and its plugs have their own leads.
    for index in first..way.feeds.len() {
        if plan
            .port(&way.feeds[index].from)
            .is_some_and(|it| it.current == crate::site::plan::device::Current::Dc)
        {
            let proposal = proposed(plan, &mut way, index, LENGTH_M);
            if proposal.refused.is_some() {
                return None;
            }
            proposes.extend(proposal.words.into_iter().map(Sentence::from));
        }
    }
    let after = Verdicts::silent(plan, &way);
    if after
        .worse(before, |_| None)
        .is_some_and(|it| it.0 > Status::Tight)
    {
        return None;
    }
    let outage = marched(plan, &way, Some(&ready.outage), ask);
    let tried = Ready {
        plan: plan.clone(),
        way,
        outage,
        floor: ready.floor,
        dated: ready.dated,
    };
    let found = carried_out(&tried, ask);
    let name = tried.way.feeds.last()?.to.name();
    let new = found.ways.iter().find(|it| it.input == name)?;
    if !found.opened.is_empty() {
        return None;
    }
    let full = found.levels.last()?;
    let input = name.split_once('/').map_or("", |it| it.1);
    let into = if added.is_some() {
        "its terminals".to_owned()
    } else {
        format!("its {} input", Name(input))
    };
    let until = full.after_h.map(hours)?;
    let to = if full.soc >= 1.0 - 1e-9 {
        "full".to_owned()
    } else {
        percent(full.soc).to_string()
    };
    let sentence = format!(
        "Not wired: {} into {into}, {to} in {until}; what holds it first is {}.",
        Name(&new.label),
        new.limited_by.marked()
    );
    // The wall that was added for it stands in no plan.
    let known = |it: &Feed| {
        told.source(it.from.item.as_str()).is_some()
            || told.converter(it.from.item.as_str()).is_some()
    };
    Some(Offer {
        input: name,
        label: new.label.clone(),
        chain: new.chain.clone(),
        watts: new.watts,
        feeds: tried.way.feeds[first..]
            .iter()
            .filter(|it| known(it))
            .cloned()
            .collect(),
        adds_input: added.cloned(),
        levels: found.levels,
        proposes,
        sentence: sentence.into(),
    })
}
