//! Tests of the bench: kept, judged, and their figures put to use and taken back.

use super::lines::read_again;
use crate::bodies::bench::{Begun, Offer, Previewed, PreviewedWay, Tested, Tests};
use crate::error::ApiError;
use ash_pond_core::advice::compare::difference;
use ash_pond_core::bench::{Instrument, Test, outcome, put_back, readings, replaced, with_figures};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::Plan;
use ash_pond_store::element::Anew;
use ash_pond_store::{Edit, Kind, Revised, Store, StoreError, TestRow, TestStep};
use serde::Deserialize as _;
use serde_json::Value;
use std::collections::HashMap;

/// Most rows of a test.
const MOST_ROWS: usize = 2000;
/// The day, by the clock of the world.
pub(crate) fn today() -> jiff::civil::Date {
    jiff::tz::Offset::UTC
        .to_datetime(crate::clock::now())
        .date()
}

pub(crate) fn now() -> String {
    crate::clock::now()
        .round(jiff::Unit::Second)
        .map_or_else(|_| String::new(), |it| it.to_string())
}

/// Tests that are told at once; older ones by their page.
pub(crate) const MOST_TOLD: usize = 200;

/// Tests of a site with what comes of them, the latest first: those behind one of them where it is
/// named, and at most so many.
pub(crate) fn list(
    store: &Store,
    site: &str,
    behind: Option<&str>,
    most: usize,
) -> Result<Tests, ApiError> {
    let plan = store.plan(site)?.plan;
    let rows = store.tests(site)?;
    let begun: HashMap<String, String> = rows
        .iter()
        .map(|it| (it.id.clone(), it.begun.clone()))
        .collect();
    let from = match behind {
        None => 0,
        Some(id) => {
            let at = rows.iter().position(|it| it.id == id);
            at.ok_or_else(|| {
                ApiError::at("behind", format!("is \"{id}\", and there is no such test"))
            })? + 1
        }
    };
    let goes_on = rows.len() > from + most;
    let page: Vec<TestRow> = rows.into_iter().skip(from).take(most).collect();
    let next = page.last().filter(|_| goes_on).map(|it| it.id.clone());
    let told = |row| told(store, site, &plan, row, &begun);
    Ok(Tests {
        tests: page.into_iter().map(told).collect::<Result<_, _>>()?,
        next,
    })
}

/// A test as somebody gives it.
fn given(body: Value) -> Result<Test, ApiError> {
    serde_json::from_value(body).map_err(|error| ApiError::at("", error.to_string()))
}

/// A test as it is stored; what cannot be read is told with its place, and is never a default.
pub(super) fn read(site: &str, row: &TestRow) -> Result<Test, ApiError> {
    Test::deserialize(&row.body).map_err(|error| unreadable(site, &row.id, &error).into())
}

fn unreadable(site: &str, id: &str, error: &serde_json::Error) -> StoreError {
    StoreError::Unreadable {
        table: "tests",
        row: format!("{id} of {site}"),
        why: error.to_string(),
    }
}

/// As it is stored.
pub(super) fn json(it: &impl serde::Serialize) -> Result<Value, ApiError> {
    serde_json::to_value(it).map_err(|error| ApiError::at("", error.to_string()))
}

/// A test with what comes of it. `begun` says when each test was begun, by which a later one offers
/// to replace an earlier one.
fn told(
    store: &Store,
    site: &str,
    plan: &Plan,
    row: TestRow,
    begun: &HashMap<String, String>,
) -> Result<Tested, ApiError> {
    let mut test = read(site, &row)?;
    let has_file = row.upload.is_some();
    let mut unread = None;
    if has_file && test.file.is_none() {
        // It was kept by an earlier version: it is read now, and never again.
        let upload = row.upload.as_deref().unwrap_or_default();
        match read_again(store, (site, &row.id, upload), plan, &test) {
            Ok(found) => {
                test.file = Some(found);
                store.note_found(site, &row.id, row.revision, &json(&test)?)?;
            }
            Err(why) => unread = Some(why),
        }
    }
    let (outcome, wrong) = match outcome(plan, &test) {
        Ok(outcome) => (Some(outcome), unread),
        Err(wrong) => (None, Some(wrong.to_string())),
    };
    let figures = || {
        outcome.iter().flat_map(|it| {
            it.figures
                .iter()
                .map(|it| (&it.name, it.now_test.as_deref()))
        })
    };
    let lists = || {
        outcome
            .iter()
            .flat_map(|it| it.lists.iter().map(|it| (&it.name, it.now_test.as_deref())))
    };
    // In use is what the plan says: a step that was undone took the figures out again.
    let in_use = figures()
        .chain(lists())
        .any(|it| it.1 == Some(row.id.as_str()));
    let earlier = |it: &(&String, Option<&str>)| {
        let other = it.1.and_then(|it| begun.get(it));
        other.is_some_and(|it| *it < row.begun)
    };
    let offers = figures()
        .chain(lists())
        .filter(|_| !in_use)
        .find(earlier)
        .map(|(name, other)| Offer {
            figure: name.clone(),
            test: other.unwrap_or_default().to_owned(),
        });
    let readings = readings(plan, &test);
    Ok(Tested {
        id: row.id,
        begun: row.begun,
        changed: row.changed,
        revision: row.revision,
        test,
        readings,
        has_file,
        outcome,
        wrong,
        in_use,
        offers,
    })
}

fn checked(plan: &Plan, body: &Value) -> Result<Test, ApiError> {
    let test = given(body.clone())?;
    if test.rows.len() > MOST_ROWS {
        return Err(ApiError::at(
            "rows",
            format!("has {} rows; at most {MOST_ROWS} are kept", test.rows.len()),
        ));
    }
    outcome(plan, &test)?;
    Ok(test)
}

/// Begins a test, with an id made from what it is and of what.
pub(crate) fn begin(store: &Store, site: &str, mut body: Value) -> Result<(Begun, i64), ApiError> {
    forget_file(&mut body);
    let plan = store.plan(site)?.plan;
    let test = checked(&plan, &body)?;
    if test.meters.is_empty() {
        let meters: Vec<Instrument> = readings(&plan, &test)
            .iter()
            .map(Instrument::usual)
            .collect();
        body["meters"] = json(&meters)?;
    }
    let stem = format!("{}-{}", test.protocol, test.of.id);
    let words = format!(
        "{}: test begun ({})",
        plan.label(&test.of.id),
        test.protocol
    );
    let (id, revised) = store.begin_test(site, &stem, &body, &now(), &words)?;
    let revision = revised.revision;
    Ok((Begun { id, revision }, revision))
}

/// What a file shows is found here, and never taken from who asks.
fn forget_file(body: &mut Value) {
    if let Some(fields) = body.as_object_mut() {
        fields.remove("file");
    }
}

/// Keeps a changed test. Its file stays what it was.
pub(crate) fn keep(
    store: &Store,
    site: &str,
    id: &str,
    based_on: Option<i64>,
    mut body: Value,
) -> Result<Tested, ApiError> {
    forget_file(&mut body);
    store.change_test::<ApiError>(site, id, based_on, &now(), |before, row| {
        if row.body["file"].is_object() {
            body["file"] = row.body["file"].clone();
        }
        let test = checked(&before.plan, &body)?;
        let words = format!(
            "{}: test changed ({})",
            before.plan.label(&test.of.id),
            test.protocol
        );
        Ok(TestStep {
            body: Some(body),
            words,
            ..TestStep::default()
        })
    })?;
    one(store, site, id)
}

pub(super) fn one(store: &Store, site: &str, id: &str) -> Result<Tested, ApiError> {
    let begun = store
        .tests(site)?
        .into_iter()
        .map(|it| (it.id, it.begun))
        .collect();
    told(
        store,
        site,
        &store.plan(site)?.plan,
        store.test(site, id)?,
        &begun,
    )
}

fn kind_of(test: &Test) -> Result<Kind, ApiError> {
    Kind::parse(&test.of.kind)
        .ok_or_else(|| ApiError::at("of", "names a kind of element that there is not"))
}

/// What its figures would change, arrangement by arrangement.
pub(crate) fn preview(store: &Store, site: &str, id: &str) -> Result<Previewed, ApiError> {
    let saved = store.plan(site)?;
    let test = read(site, &store.test(site, id)?)?;
    let body = with_figures(&saved.plan, &test, id)?;
    let kind = kind_of(&test)?;
    let after = saved.with(&[(kind, test.of.id.as_str(), Some(&body))], Anew::Kept)?;
    let ways = saved.plan.arrangements.iter().filter_map(|way| {
        let found = difference(
            (&saved.plan, way),
            (&after, after.arrangement(way.id.as_str())?),
            &Charge::full(),
        );
        let changes =
            !found.rows.is_empty() || !found.mended.is_empty() || !found.broken.is_empty();
        changes.then(|| PreviewedWay {
            id: way.id.to_string(),
            label: way.label.clone(),
            difference: found,
        })
    });
    Ok(Previewed {
        arrangements: ways.collect(),
    })
}

/// Puts its figures into the plan, and notes what they replaced: both or neither, as one step.
pub(crate) fn put_to_use(
    store: &Store,
    site: &str,
    id: &str,
    based_on: Option<i64>,
) -> Result<Revised, ApiError> {
    store.change_test::<ApiError>(site, id, based_on, &now(), |before, row| {
        let test = read(site, row)?;
        let body = with_figures(&before.plan, &test, id)?;
        let was = replaced(&before.plan, &test)?;
        let words = format!(
            "{}: measured ({})",
            before.plan.label(&test.of.id),
            test.protocol
        );
        let edit = Edit {
            kind: kind_of(&test)?,
            id: test.of.id.clone(),
            based_on: None,
            body: Some(body),
        };
        // A test that is used again keeps what stood there before it was ever used.
        let noted = if row.replaced.is_none() {
            Some(Some(json(&was)?))
        } else {
            None
        };
        Ok(TestStep {
            replaced: noted,
            edits: vec![edit],
            words,
            ..TestStep::default()
        })
    })
}

/// Puts back what its figures replaced, as one step.
pub(crate) fn take_back(
    store: &Store,
    site: &str,
    id: &str,
    based_on: Option<i64>,
) -> Result<Revised, ApiError> {
    store.change_test::<ApiError>(site, id, based_on, &now(), |plan, row| {
        let Some(was) = &row.replaced else {
            return Err(ApiError::at("", "its figures are not in use"));
        };
        let was = Vec::<(String, Value)>::deserialize(was)
            .map_err(|error| unreadable(site, id, &error))?;
        let test = read(site, row)?;
        let kind = kind_of(&test)?;
        let found = plan
            .elements
            .iter()
            .find(|it| it.kind == kind && it.id == test.of.id);
        let missing = || StoreError::Missing {
            what: kind.word(),
            id: test.of.id.clone(),
        };
        let mut body = found.ok_or_else(missing)?.body.clone();
        put_back(&mut body, &was);
        let words = format!(
            "{}: measured figures taken back ({})",
            plan.plan.label(&test.of.id),
            test.protocol
        );
        let edit = Edit {
            kind,
            id: test.of.id.clone(),
            based_on: None,
            body: Some(body),
        };
        Ok(TestStep {
            replaced: Some(None),
            edits: vec![edit],
            words,
            ..TestStep::default()
        })
    })
}
