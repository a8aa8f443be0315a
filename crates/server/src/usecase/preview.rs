//! A saved plan, or one with changes that are not saved, and what questions say of it.

use crate::bodies::plan::Unsaved;
use crate::error::ApiError;
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::{Arrangement, Plan};
use ash_pond_store::element::Anew;
use ash_pond_store::{Kind, Revised, Store};
use std::collections::BTreeMap;
use std::sync::Arc;

/// The plan of a site, with changes laid over it.
pub(crate) fn plan(store: &Store, site: &str, changes: &[Unsaved]) -> Result<Arc<Plan>, ApiError> {
    let saved = store.plan(site)?;
    if changes.is_empty() {
        Ok(saved.plan)
    } else {
        with_changes(&saved, changes).map(Arc::new)
    }
}

/// The charge of the stores, full where it is not told.
pub(crate) fn charge(plan: &Plan, soc: &BTreeMap<String, f64>) -> Result<Charge, ApiError> {
    let mut charge = Charge::full();
    for (source, soc) in soc {
        if plan.source(source).is_none_or(|it| it.battery.is_none()) {
            return Err(ApiError::at(
                &format!("soc.{source}"),
                "names no source with a battery",
            ));
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
    Err(ApiError::at(
        at,
        format!("is {soc}; a charge lies between 0 and 1"),
    ))
}

/// The arrangements of these ids.
pub(crate) fn ways<'a>(plan: &'a Plan, ids: &[String]) -> Result<Vec<&'a Arrangement>, ApiError> {
    let known = |(index, id): (usize, &String)| {
        let path = format!("arrangements[{index}]");
        plan.arrangement(id).ok_or_else(|| {
            ApiError::at(
                &path,
                format!("is \"{id}\", and no arrangement has that id"),
            )
        })
    };
    ids.iter().enumerate().map(known).collect()
}

/// The plan that a site would have with changes.
fn with_changes(saved: &Revised, changes: &[Unsaved]) -> Result<Plan, ApiError> {
    let mut rows = Vec::with_capacity(changes.len());
    for (index, change) in changes.iter().enumerate() {
        let kind = Kind::parse(&change.kind).ok_or_else(|| {
            ApiError::at(
                &format!("changes[{index}].kind"),
                format!("is \"{}\"; there is no such kind", change.kind),
            )
        })?;
        rows.push((
            kind,
            change.id.as_str(),
            (!change.body.is_null()).then_some(&change.body),
        ));
    }
    Ok(saved.with(&rows, Anew::Written)?)
}
