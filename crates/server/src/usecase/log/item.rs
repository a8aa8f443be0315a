//! One item at a glance: what it carries, what is not well with it, its last test. A label's code
//! leads here.

use super::line;
use super::when::Local;
use crate::bodies::log::ItemTold;
use crate::error::ApiError;
use ash_pond_core::ground::say::{Amount, Name, Sentence};
use ash_pond_core::limits::{Status, all_findings};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::{Arrangement, Plan};
use ash_pond_store::Store;

/// Sentences of each kind that are told at most.
const MOST: usize = 6;

/// What is known of an item.
pub(crate) fn item(store: &Store, site: &str, id: &str) -> Result<ItemTold, ApiError> {
    let plan = store.plan(site)?.plan;
    if !line::is_there(&plan, id) {
        return Err(ApiError::missing(format!(
            "the plan has nothing of the id {id:?}"
        )));
    }
    let uses = |way: &&Arrangement| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
    };
    let carries = plan
        .arrangements
        .iter()
        .filter(uses)
        .filter_map(|way| carried(&plan, way, id))
        .take(MOST)
        .collect();
    let own =
        |place: &str| place == id || place.strip_prefix(id).is_some_and(|it| it.starts_with('/'));
    let found = all_findings(&plan);
    let mut bad: Vec<_> = found
        .iter()
        .filter(|it| it.status != Status::Holds && own(&it.place))
        .collect();
    bad.sort_by_key(|it| std::cmp::Reverse(it.status));
    let mut findings: Vec<Sentence> = Vec::new();
    for it in bad {
        if !findings.contains(&it.message) && findings.len() < MOST {
            findings.push(it.message.clone());
        }
    }
    let local = Local::of(&plan);
    let test = store
        .tests(site)?
        .into_iter()
        .find(|it| it.body["of"]["id"].as_str() == Some(id));
    let last_test = test.and_then(|row| {
        let test = crate::usecase::tests::read(site, &row).ok()?;
        let found = ash_pond_core::bench::outcome(&plan, &test).ok()?;
        let on = row
            .begun
            .parse::<jiff::Timestamp>()
            .ok()
            .map(|it| local.date(it.as_millisecond()))?;
        Some(Sentence::from(format!("{on}: {}", found.sentence.marked())))
    });
    Ok(ItemTold {
        id: id.to_owned(),
        label: plan.label(id).to_owned(),
        carries,
        findings,
        last_test,
    })
}

/// What flows into an item, or out of it, in an arrangement while everything runs.
fn carried(plan: &Plan, way: &Arrangement, id: &str) -> Option<Sentence> {
    let found = evaluate(plan, way, &Moment::Running, &Charge::full()).ok()?;
    let into = way.feeds.iter().filter(|it| it.to.item.as_str() == id);
    let out = way.feeds.iter().filter(|it| it.from.item.as_str() == id);
    let sum = |feeds: &mut dyn Iterator<Item = &ash_pond_core::site::plan::arrangement::Feed>| {
        let flows: Vec<_> = feeds
            .filter_map(|it| found.feeds.get(&it.to.name()))
            .collect();
        let amps: f64 = flows.iter().map(|it| it.amps).sum();
        flows.first().map(|it| (amps, it.near_v, it.far_v))
    };
    let name = Name(&way.label);
    if let Some((amps, _, far_v)) = sum(&mut into.into_iter()) {
        let (volts, amps) = (Amount(far_v, "V"), Amount(amps, "A"));
        return Some(format!("{name}: {amps} at {volts} into it while everything runs.").into());
    }
    let (amps, near_v, _) = sum(&mut out.into_iter())?;
    let (volts, amps) = (Amount(near_v, "V"), Amount(amps, "A"));
    Some(format!("{name}: {amps} at {volts} out of it while everything runs.").into())
}
