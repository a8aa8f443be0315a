//! Tests of the bench: kept, judged, and their figures put to use and taken back.

use crate::error::ApiError;
use crate::routes::bodies::{Begun, Previewed, PreviewedWay, Tested, Tests};
use ash_pond_core::bench::{Test, outcome, put_back, replaced, with_figures};
use ash_pond_core::compare::difference;
use ash_pond_core::network::Charge;
use ash_pond_core::plan::Plan;
use ash_pond_store::element::put_together;
use ash_pond_store::{Edit, Kind, Revised, Store, TestRow};
use serde_json::Value;

/// Longest file that is kept with a test, bytes.
const MOST_FILE: usize = 40_000_000;
/// Most rows of a test.
const MOST_ROWS: usize = 2000;

fn now() -> String {
    jiff::Timestamp::now().round(jiff::Unit::Second).map_or_else(|_| String::new(), |it| it.to_string())
}

/// Every test of a site, with what comes of it.
pub(crate) fn list(store: &Store, site: &str) -> Result<Tests, ApiError> {
    let plan = store.plan(site)?.plan;
    let tests = store.tests(site)?.into_iter().map(|it| told(&plan, it)).collect::<Result<_, _>>()?;
    Ok(Tests { tests })
}

fn read(body: Value) -> Result<Test, ApiError> {
    serde_json::from_value(body).map_err(|error| ApiError::at("", error.to_string()))
}

fn told(plan: &Plan, row: TestRow) -> Result<Tested, ApiError> {
    let mut test = read(row.body)?;
    let (outcome, wrong) = match outcome(plan, &test) {
        Ok(outcome) => (Some(outcome), None),
        Err((field, why)) => (None, Some(format!("{field}: {why}"))),
    };
    // In use is what the plan says: a step that was undone took the figures out again.
    let in_use = outcome.iter().flat_map(|it| &it.figures).any(|it| it.now_test.as_deref() == Some(row.id.as_str()));
    // The file stays with the test, and is asked for by itself: lists would be as long as all files together.
    if let Some(file) = &mut test.file {
        *file = file.lines().take(3).collect::<Vec<_>>().join("\n");
    }
    Ok(Tested { id: row.id, begun: row.begun, changed: row.changed, test, outcome, wrong, in_use })
}

fn checked(store: &Store, site: &str, body: &Value) -> Result<Test, ApiError> {
    let test = read(body.clone())?;
    if test.rows.len() > MOST_ROWS {
        return Err(ApiError::at("rows", format!("has {} rows; at most {MOST_ROWS} are kept", test.rows.len())));
    }
    if test.file.as_ref().is_some_and(|it| it.len() > MOST_FILE) {
        return Err(ApiError::at("file", format!("is longer than {} MB; thin it out", MOST_FILE / 1_000_000)));
    }
    let plan = store.plan(site)?.plan;
    outcome(&plan, &test).map_err(|(field, why)| ApiError::at(field, why))?;
    Ok(test)
}

/// Begins a test, with an id made from what it is and of what.
pub(crate) fn begin(store: &Store, site: &str, body: &Value) -> Result<Begun, ApiError> {
    let test = checked(store, site, body)?;
    let known = store.tests(site)?;
    let stem = format!("{}-{}", test.protocol, test.of.id);
    let ids = std::iter::once(stem.clone()).chain((2..).map(|it| format!("{stem}-{it}")));
    let mut free = ids.filter(|id| !known.iter().any(|it| it.id == *id));
    let id = free.next().unwrap_or(stem);
    store.keep_test(site, &id, body, &now())?;
    Ok(Begun { id })
}

/// Keeps a changed test. A file that is left out stays what it was.
pub(crate) fn keep(store: &Store, site: &str, id: &str, mut body: Value) -> Result<Tested, ApiError> {
    let before = store.test(site, id)?;
    if body["file"].is_null() && before.body["file"].is_string() {
        body["file"] = before.body["file"].clone();
    }
    checked(store, site, &body)?;
    store.keep_test(site, id, &body, &now())?;
    told(&store.plan(site)?.plan, store.test(site, id)?)
}

/// The element that a test is of, with the test's figures in it.
fn element_with(store: &Store, site: &str, id: &str) -> Result<(Test, Kind, Value), ApiError> {
    let test = read(store.test(site, id)?.body)?;
    let plan = store.plan(site)?.plan;
    let body = with_figures(&plan, &test, id).map_err(|(field, why)| ApiError::at(field, why))?;
    let kind =
        Kind::parse(&test.of.kind).ok_or_else(|| ApiError::at("of", "names a kind of element that there is not"))?;
    Ok((test, kind, body))
}

/// What its figures would change, arrangement by arrangement.
pub(crate) fn preview(store: &Store, site: &str, id: &str) -> Result<Previewed, ApiError> {
    let (test, kind, body) = element_with(store, site, id)?;
    let saved = store.plan(site)?;
    let mut elements = saved.elements;
    if let Some(found) = elements.iter_mut().find(|it| it.kind == kind && it.id == test.of.id) {
        found.body = body;
    }
    let after = put_together(&elements)?;
    let ways = saved.plan.arrangements.iter().filter_map(|way| {
        let found = difference((&saved.plan, way), (&after, after.arrangement(way.id.as_str())?), &Charge::full());
        let changes = !found.rows.is_empty() || !found.mended.is_empty() || !found.broken.is_empty();
        changes.then(|| PreviewedWay { id: way.id.to_string(), label: way.label.clone(), difference: found })
    });
    Ok(Previewed { arrangements: ways.collect() })
}

/// Puts its figures into the plan as one step, and notes what they replaced.
pub(crate) fn put_to_use(store: &Store, site: &str, id: &str) -> Result<Revised, ApiError> {
    let (test, kind, body) = element_with(store, site, id)?;
    let plan = store.plan(site)?.plan;
    let before = replaced(&plan, &test).map_err(|(field, why)| ApiError::at(field, why))?;
    let words = format!("{}: measured ({})", plan.label(&test.of.id), test.protocol);
    let edit = Edit { kind, id: test.of.id.clone(), based_on: None, body: Some(body) };
    let revised = store.change(site, &[edit], &words)?;
    // A test that is used again keeps what stood there before it was ever used.
    if store.test(site, id)?.replaced.is_none() {
        store.note_replaced(site, id, Some(&serde_json::to_value(before).unwrap_or_default()))?;
    }
    Ok(revised)
}

/// Puts back what its figures replaced, as one step.
pub(crate) fn take_back(store: &Store, site: &str, id: &str) -> Result<Revised, ApiError> {
    let row = store.test(site, id)?;
    let Some(before) = row.replaced else {
        return Err(ApiError::at("", "its figures are not in use"));
    };
    let before: Vec<(String, Value)> = serde_json::from_value(before).unwrap_or_default();
    let test = read(row.body)?;
    let kind =
        Kind::parse(&test.of.kind).ok_or_else(|| ApiError::at("of", "names a kind of element that there is not"))?;
    let mut body = store.element(site, kind, &test.of.id)?.body;
    put_back(&mut body, &before);
    let words =
        format!("{}: measured figures taken back ({})", store.plan(site)?.plan.label(&test.of.id), test.protocol);
    let edit = Edit { kind, id: test.of.id.clone(), based_on: None, body: Some(body) };
    let revised = store.change(site, &[edit], &words)?;
    store.note_replaced(site, id, None)?;
    Ok(revised)
}
