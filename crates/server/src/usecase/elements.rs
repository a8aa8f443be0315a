//! Writing elements and whole plans.

use crate::bodies::plan::{Change, ChangeSet};
use crate::error::ApiError;
use ash_pond_core::site::fields;
use ash_pond_core::site::plan::Plan;
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
    if let Some(found) = body
        .as_ref()
        .and_then(|it| it["id"].as_str())
        .filter(|found| *found != id)
    {
        let detail = format!(
            "is \"{found}\", but the address names \"{id}\"; remove the one and add the other to \
            rename it"
        );
        return Err(ApiError::at("id", detail));
    }
    let before = match store.element(site, kind, id) {
        Ok(element) => Some(element.body),
        Err(StoreError::Missing { .. }) => None,
        Err(other) => return Err(other.into()),
    };
    let words = fields::change(kind.word(), id, before.as_ref(), body.as_ref()).to_string();
    let edit = Edit {
        kind,
        id: id.to_owned(),
        based_on,
        body,
    };
    Ok(store.change(site, &[edit], &words)?)
}

/// The most changes of one step.
const MOST_CHANGES: usize = 5000;

/// Makes several changes as one step.
pub(crate) fn change_all(store: &Store, site: &str, set: ChangeSet) -> Result<Revised, ApiError> {
    let words = set.words.trim();
    if words.is_empty() || words.chars().count() > 200 {
        return Err(ApiError::at(
            "words",
            "must say in 1 to 200 characters what the step does",
        ));
    }
    if set.changes.is_empty() || set.changes.len() > MOST_CHANGES {
        return Err(ApiError::at(
            "changes",
            format!(
                "has {} entries; give 1 to {MOST_CHANGES}",
                set.changes.len()
            ),
        ));
    }
    let edit = |(index, it): (usize, Change)| {
        let path = |field: &str| format!("changes[{index}].{field}");
        let kind = Kind::parse(&it.kind).ok_or_else(|| {
            ApiError::at(
                &path("kind"),
                format!("is \"{}\"; there is no such kind", it.kind),
            )
        })?;
        let named = it.body["id"].as_str().unwrap_or(&it.id);
        if kind != Kind::Site && named != it.id {
            return Err(ApiError::at(
                &path("body.id"),
                format!("is \"{named}\", but the change names \"{}\"", it.id),
            ));
        }
        let body = (!it.body.is_null()).then_some(it.body);
        Ok(Edit {
            kind,
            id: it.id,
            based_on: it.revision,
            body,
        })
    };
    let edits = set
        .changes
        .into_iter()
        .enumerate()
        .map(edit)
        .collect::<Result<Vec<_>, _>>()?;
    Ok(store.change(site, &edits, words)?)
}

/// Replaces a whole plan, as one step of as few edits as it takes.
pub(crate) fn replace(
    store: &Store,
    site: &str,
    plan: &Plan,
    based_on: Option<i64>,
) -> Result<Revised, ApiError> {
    let now = store.plan(site)?;
    if let Some(yours) = based_on.filter(|it| *it != now.revision) {
        let (kind, id, current) = ("site", site.to_owned(), now.revision);
        return Err(StoreError::Stale {
            kind,
            id,
            yours,
            current,
            body: serde_json::to_value(&*now.plan).ok(),
        }
        .into());
    }
    let wanted = take_apart(plan)?;
    let mut edits = Vec::new();
    for element in &wanted {
        let same = now
            .elements
            .iter()
            .any(|it| it.kind == element.kind && it.id == element.id && it.body == element.body);
        if !same {
            let (kind, id, body) = (element.kind, element.id.clone(), Some(element.body.clone()));
            // What was read is what is replaced, whoever writes in between.
            let was = now
                .elements
                .iter()
                .find(|it| it.kind == kind && it.id == id)
                .map_or(0, |it| it.revision);
            edits.push(Edit {
                kind,
                id,
                based_on: Some(was),
                body,
            });
        }
    }
    for element in now.elements.iter() {
        if !wanted
            .iter()
            .any(|it| it.kind == element.kind && it.id == element.id)
        {
            let (kind, id, based_on) = (element.kind, element.id.clone(), Some(element.revision));
            edits.push(Edit {
                kind,
                id,
                based_on,
                body: None,
            });
        }
    }
    if edits.is_empty() {
        return Ok(now);
    }
    Ok(store.change(
        site,
        &edits,
        &format!("plan replaced: {} elements changed", edits.len()),
    )?)
}
