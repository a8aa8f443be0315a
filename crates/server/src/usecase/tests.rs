//! Tests of the bench: kept, judged, and their figures put to use and taken back.

use super::files::read_again;
use crate::error::ApiError;
use crate::routes::bench_bodies::{Begun, Offer, Previewed, PreviewedWay, Tested, Tests};
use ash_pond_core::bench::{Instrument, Test, outcome, put_back, readings, replaced, with_figures};
use ash_pond_core::compare::difference;
use ash_pond_core::network::Charge;
use ash_pond_core::plan::Plan;
use ash_pond_store::element::put_together;
use ash_pond_store::{Edit, Kind, Revised, Store, TestRow};
use serde_json::Value;
use std::collections::HashMap;

/// Most rows of a test.
const MOST_ROWS: usize = 2000;
pub(super) fn now() -> String {
    jiff::Timestamp::now().round(jiff::Unit::Second).map_or_else(|_| String::new(), |it| it.to_string())
}

/// Every test of a site, with what comes of it.
pub(crate) fn list(store: &Store, site: &str) -> Result<Tests, ApiError> {
    let plan = store.plan(site)?.plan;
    let rows = store.tests(site)?;
    let begun: HashMap<String, String> = rows.iter().map(|it| (it.id.clone(), it.begun.clone())).collect();
    let told = |row| told(store, site, &plan, row, &begun);
    Ok(Tests { tests: rows.into_iter().map(told).collect::<Result<_, _>>()? })
}

pub(super) fn read(body: Value) -> Result<Test, ApiError> {
    serde_json::from_value(body).map_err(|error| ApiError::at("", error.to_string()))
}

/// A test with what comes of it. `begun` says when each test was begun, by which a later one offers to replace an
/// earlier one.
fn told(
    store: &Store,
    site: &str,
    plan: &Plan,
    row: TestRow,
    begun: &HashMap<String, String>,
) -> Result<Tested, ApiError> {
    let mut test = read(row.body)?;
    let has_file = row.upload.is_some();
    let mut unread = None;
    if has_file && test.file.is_none() {
        // It was kept by an earlier version: it is read now, and never again.
        match read_again(store, site, &row.id, plan, &test) {
            Ok(found) => {
                test.file = Some(found);
                let body = serde_json::to_value(&test).unwrap_or_default();
                store.keep_test(site, &row.id, &body, &row.changed)?;
            }
            Err(why) => unread = Some(why),
        }
    }
    let (outcome, wrong) = match outcome(plan, &test) {
        Ok(outcome) => (Some(outcome), unread),
        Err((field, why)) => (None, Some(format!("{field}: {why}"))),
    };
    let figures = || outcome.iter().flat_map(|it| it.figures.iter().map(|it| (&it.name, it.now_test.as_deref())));
    let lists = || outcome.iter().flat_map(|it| it.lists.iter().map(|it| (&it.name, it.now_test.as_deref())));
    // In use is what the plan says: a step that was undone took the figures out again.
    let in_use = figures().chain(lists()).any(|it| it.1 == Some(row.id.as_str()));
    let earlier = |it: &(&String, Option<&str>)| {
        let other = it.1.and_then(|it| begun.get(it));
        other.is_some_and(|it| *it < row.begun)
    };
    let offers = figures()
        .chain(lists())
        .filter(|_| !in_use)
        .find(earlier)
        .map(|(name, other)| Offer { figure: name.clone(), test: other.unwrap_or_default().to_owned() });
    let readings = readings(plan, &test);
    Ok(Tested {
        id: row.id,
        begun: row.begun,
        changed: row.changed,
        test,
        readings,
        has_file,
        outcome,
        wrong,
        in_use,
        offers,
    })
}

fn checked(store: &Store, site: &str, body: &Value) -> Result<Test, ApiError> {
    let test = read(body.clone())?;
    if test.rows.len() > MOST_ROWS {
        return Err(ApiError::at("rows", format!("has {} rows; at most {MOST_ROWS} are kept", test.rows.len())));
    }
    let plan = store.plan(site)?.plan;
    outcome(&plan, &test).map_err(|(field, why)| ApiError::at(field, why))?;
    Ok(test)
}

/// Begins a test, with an id made from what it is and of what.
pub(crate) fn begin(store: &Store, site: &str, mut body: Value) -> Result<Begun, ApiError> {
    forget_file(&mut body);
    let test = checked(store, site, &body)?;
    if test.meters.is_empty() {
        let meters: Vec<Instrument> = readings(&store.plan(site)?.plan, &test).iter().map(Instrument::usual).collect();
        body["meters"] = serde_json::to_value(meters).unwrap_or_default();
    }
    let known = store.tests(site)?;
    let stem = format!("{}-{}", test.protocol, test.of.id);
    let ids = std::iter::once(stem.clone()).chain((2..).map(|it| format!("{stem}-{it}")));
    let mut free = ids.filter(|id| !known.iter().any(|it| it.id == *id));
    let id = free.next().unwrap_or(stem);
    store.keep_test(site, &id, &body, &now())?;
    Ok(Begun { id })
}

/// What a file shows is found here, and never taken from who asks.
fn forget_file(body: &mut Value) {
    if let Some(fields) = body.as_object_mut() {
        fields.remove("file");
    }
}

/// Keeps a changed test. Its file stays what it was.
pub(crate) fn keep(store: &Store, site: &str, id: &str, mut body: Value) -> Result<Tested, ApiError> {
    let before = store.test(site, id)?;
    forget_file(&mut body);
    if before.body["file"].is_object() {
        body["file"] = before.body["file"].clone();
    }
    checked(store, site, &body)?;
    store.keep_test(site, id, &body, &now())?;
    one(store, site, id)
}

pub(super) fn one(store: &Store, site: &str, id: &str) -> Result<Tested, ApiError> {
    let begun = store.tests(site)?.into_iter().map(|it| (it.id, it.begun)).collect();
    told(store, site, &store.plan(site)?.plan, store.test(site, id)?, &begun)
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
    let after = put_together(&elements, &[])?;
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
