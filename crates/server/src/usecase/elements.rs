//! Writing elements and whole plans.

use super::words;
use crate::error::ApiError;
use ash_pond_core::plan::Plan;
use ash_pond_store::element::take_apart;
use ash_pond_store::{Edit, Kind, Revised, Store, StoreError};
use serde_json::Value;

/// Writes or removes one element, as one step.
pub(crate) fn write(
    store: &Store,
    site: &str,
    kind: Kind,
    id: &str,
    based_on: Option<i64>,
    body: Option<Value>,
) -> Result<Revised, ApiError> {
    if let Some(found) = body.as_ref().and_then(|it| it["id"].as_str()).filter(|found| *found != id) {
        let detail =
            format!("is \"{found}\", but the address names \"{id}\"; remove the one and add the other to rename it");
        return Err(ApiError::at("id", detail));
    }
    let before = match store.element(site, kind, id) {
        Ok(element) => Some(element.body),
        Err(StoreError::Missing { .. }) => None,
        Err(other) => return Err(other.into()),
    };
    let words = words::change(kind, id, before.as_ref(), body.as_ref());
    let edit = Edit { kind, id: id.to_owned(), based_on, body };
    Ok(store.change(site, &[edit], &words)?)
}

/// Replaces a whole plan, as one step of as few edits as it takes.
pub(crate) fn replace(store: &Store, site: &str, plan: &Plan, based_on: Option<i64>) -> Result<Revised, ApiError> {
    let now = store.plan(site)?;
    if let Some(yours) = based_on.filter(|it| *it != now.revision) {
        let (kind, id, current) = ("site", site.to_owned(), now.revision);
        return Err(StoreError::Stale { kind, id, yours, current, body: serde_json::to_value(&now.plan).ok() }.into());
    }
    let wanted = take_apart(plan);
    let mut edits = Vec::new();
    for element in &wanted {
        let same =
            now.elements.iter().any(|it| it.kind == element.kind && it.id == element.id && it.body == element.body);
        if !same {
            let (kind, id, body) = (element.kind, element.id.clone(), Some(element.body.clone()));
            edits.push(Edit { kind, id, based_on: None, body });
        }
    }
    for element in &now.elements {
        if !wanted.iter().any(|it| it.kind == element.kind && it.id == element.id) {
            edits.push(Edit { kind: element.kind, id: element.id.clone(), based_on: None, body: None });
        }
    }
    if edits.is_empty() {
        return Ok(now);
    }
    Ok(store.change(site, &edits, &format!("plan replaced: {} elements changed", edits.len()))?)
}
