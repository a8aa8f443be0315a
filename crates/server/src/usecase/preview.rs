//! A saved plan, or one with changes that are not saved, and what questions say of it.

use crate::error::ApiError;
use crate::routes::bodies::Unsaved;
use ash_pond_core::network::Charge;
use ash_pond_core::plan::{Arrangement, Plan};
use ash_pond_store::element::{Element, put_together};
use ash_pond_store::{Kind, Store};
use std::collections::BTreeMap;
use std::sync::Arc;

/// The plan of a site, with changes laid over it.
pub(crate) fn plan(store: &Store, site: &str, changes: &[Unsaved]) -> Result<Arc<Plan>, ApiError> {
    let saved = store.plan(site)?;
    if changes.is_empty() { Ok(saved.plan) } else { with_changes(Vec::clone(&saved.elements), changes).map(Arc::new) }
}

/// The charge of the stores, full where it is not told.
pub(crate) fn charge(plan: &Plan, soc: &BTreeMap<String, f64>) -> Result<Charge, ApiError> {
    let mut charge = Charge::full();
    for (source, soc) in soc {
        if plan.source(source).is_none_or(|it| it.battery.is_none()) {
            return Err(ApiError::at(&format!("soc.{source}"), "names no source with a battery"));
        }
        charge = charge.with(source, within(&format!("soc.{source}"), *soc)?);
    }
    Ok(charge)
}

/// A charge that was asked for, 0 to 1.
pub(crate) fn within(at: &str, soc: f64) -> Result<f64, ApiError> {
    if (0.0..=1.0).contains(&soc) {
        return Ok(soc);
    }
    Err(ApiError::at(at, format!("is {soc}; a charge lies between 0 and 1")))
}

/// The arrangements of these ids.
pub(crate) fn ways<'a>(plan: &'a Plan, ids: &[String]) -> Result<Vec<&'a Arrangement>, ApiError> {
    let known = |(index, id): (usize, &String)| {
        let path = format!("arrangements[{index}]");
        plan.arrangement(id).ok_or_else(|| ApiError::at(&path, format!("is \"{id}\", and no arrangement has that id")))
    };
    ids.iter().enumerate().map(known).collect()
}

/// The plan that a site would have with changes.
fn with_changes(mut elements: Vec<Element>, changes: &[Unsaved]) -> Result<Plan, ApiError> {
    for (index, change) in changes.iter().enumerate() {
        let kind = Kind::parse(&change.kind).ok_or_else(|| {
            ApiError::at(&format!("changes[{index}].kind"), format!("is \"{}\"; there is no such kind", change.kind))
        })?;
        let place = elements.iter().position(|it| it.kind == kind && it.id == change.id);
        match (place, change.body.is_null()) {
            (Some(place), true) => drop(elements.remove(place)),
            (Some(place), false) => elements[place].body = change.body.clone(),
            (None, true) => {}
            (None, false) => {
                let (id, body) = (change.id.clone(), change.body.clone());
                elements.push(Element { kind, id, position: i64::MAX, revision: 0, body });
            }
        }
    }
    let written: Vec<&str> =
        changes.iter().filter(|it| it.kind == Kind::Outage.word()).map(|it| it.id.as_str()).collect();
    Ok(put_together(&elements, &written)?)
}
