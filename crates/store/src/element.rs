//! Elements: a plan taken apart, each part with its kind, its place and its revision.

use crate::error::StoreError;
pub use ash_pond_core::site::plan::ElementKind as Kind;
use ash_pond_core::site::plan::Plan;
use serde_json::{Map, Value, json};

/// One element of a stored site.
#[derive(Debug, Clone, PartialEq)]
pub struct Element {
    /// Its kind.
    pub kind: Kind,
    /// Its id.
    pub id: String,
    /// Its place among those of its kind.
    pub position: i64,
    /// The site's counter at its last change.
    pub revision: i64,
    /// Its JSON, in canonical form.
    pub body: Value,
}

impl Element {
    /// By what elements are sorted: as the database sorts them.
    pub(crate) fn rank(&self) -> (&str, i64, &str) {
        (self.kind.word(), self.position, &self.id)
    }
}

/// How elements that take the place of others are judged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Anew {
    /// A person wrote them now.
    Written,
    /// They were kept from earlier: an outage that could be kept once is put right rather than
    /// refused.
    Kept,
}

/// Takes a plan apart. The elements have no revision yet.
///
/// # Errors
/// Where the plan cannot be written as JSON, which no checked plan does.
pub fn take_apart(plan: &Plan) -> Result<Vec<Element>, StoreError> {
    let body = serde_json::to_value(plan).map_err(|error| {
        StoreError::unreadable("elements", plan.site.name.clone(), error.to_string())
    })?;
    let mut elements = vec![Element {
        kind: Kind::Site,
        id: "site".into(),
        position: 0,
        revision: 0,
        body: body["site"].clone(),
    }];
    let lists = [
        (Kind::Device, &body["kit"]["devices"]),
        (Kind::Source, &body["kit"]["sources"]),
        (Kind::Converter, &body["kit"]["converters"]),
        (Kind::Arrangement, &body["arrangements"]),
        (Kind::Outage, &body["outages"]),
    ];
    for (kind, list) in lists {
        for (position, body) in (0_i64..).zip(list.as_array().into_iter().flatten()) {
            let id = body["id"].as_str().unwrap_or_default().to_owned();
            elements.push(Element {
                kind,
                id,
                position,
                revision: 0,
                body: body.clone(),
            });
        }
    }
    Ok(elements)
}

/// Puts elements, sorted by kind and place, together as a checked plan. Of the outages only those
/// with an id in `written` are judged as strictly as what is new; the others were kept, and are put
/// right where they need it.
///
/// # Errors
/// Where core refuses the plan.
pub fn put_together(elements: &[Element], written: &[&str]) -> Result<Plan, StoreError> {
    Ok(Plan::from_kept(&plan_value(elements), |id| {
        written.contains(&id)
    })?)
}

/// Puts elements together as the JSON of a plan, unchecked.
pub fn plan_value(elements: &[Element]) -> Value {
    let list = |kind: Kind| -> Value {
        elements
            .iter()
            .filter(|it| it.kind == kind)
            .map(|it| it.body.clone())
            .collect()
    };
    let site = elements
        .iter()
        .find(|it| it.kind == Kind::Site)
        .map_or_else(|| Value::Object(Map::new()), |it| it.body.clone());
    json!({
        "format": ash_pond_core::site::plan::FORMAT,
        "version": ash_pond_core::site::plan::VERSION,
        "site": site,
        "kit": { "devices": list(Kind::Device), "sources": list(Kind::Source),
            "converters": list(Kind::Converter) },
        "arrangements": list(Kind::Arrangement),
        "outages": list(Kind::Outage),
    })
}
