//! What a figure was before it is what it is: every change of it, every test that measured it, and
//! which of all that stands.

use super::bench;
use crate::bodies::bench::{FigurePast, FigurePoint, PastFigures, PastRow, PastSort};
use crate::error::ApiError;
use ash_pond_core::bench::past::{Said, stands, which};
use ash_pond_core::ground::figure::Basis;
use ash_pond_core::site::fields::{join, unit};
use ash_pond_core::site::figures::figures_of;
use ash_pond_core::site::plan::FigurePlace;
use ash_pond_store::{Kind, PastPlace, Store};
use std::collections::BTreeSet;

/// Every figure of a site that was changed or measured once, where it stands now.
pub(crate) fn places(store: &Store, site: &str) -> Result<PastFigures, ApiError> {
    let changed: BTreeSet<PastPlace> = store.past_places(site)?.into_iter().collect();
    let mut figures = Vec::new();
    for element in store.plan(site)?.elements.iter() {
        for it in stands(&element.body) {
            let (kind, id) = (element.kind.word(), &element.id);
            let at = PastPlace {
                kind: kind.to_owned(),
                element: id.clone(),
                place: it.place,
            };
            if changed.contains(&at) || it.figure.get("test").is_some() {
                figures.push(FigurePlace {
                    kind,
                    id: id.clone(),
                    path: it.path,
                });
            }
        }
    }
    Ok(PastFigures { figures })
}

/// The past of one figure, the earliest first. `path` is where it stands in its element, as
/// `phases[1].watts`.
pub(crate) fn of(
    store: &Store,
    site: &str,
    kind: &str,
    id: &str,
    path: &str,
) -> Result<FigurePast, ApiError> {
    let known = Kind::parse(kind)
        .ok_or_else(|| ApiError::at("kind", format!("is \"{kind}\", which is no kind")))?;
    let body = store.element(site, known, id)?.body;
    let here = stands(&body).into_iter().find(|it| it.path == path);
    // What is not stated any more is asked for by its place.
    let place = here
        .as_ref()
        .map_or_else(|| path.to_owned(), |it| it.place.clone());
    let now = here.and_then(|it| Said::of(it.figure));
    let changes = store.past_of(
        site,
        &PastPlace {
            kind: kind.to_owned(),
            element: id.to_owned(),
            place,
        },
    )?;
    let tests = bench::history(store, site, kind, id)?;
    let pointer = format!(
        "/{}",
        path.replace('[', "/").replace(']', "").replace('.', "/")
    );
    let points: Vec<FigurePoint> = tests
        .figures
        .into_iter()
        .filter(|it| it.pointer == pointer)
        .flat_map(|it| it.points)
        .collect();
    // When a test measured what was there before anything is known to have changed.
    let measured_at = |said: &Option<Said>| {
        let test = said.as_ref()?.test.as_deref()?;
        begun(points.iter().find(|it| it.test == test)?)
    };

    let mut rows: Vec<(i64, PastSort, Option<Said>)> = Vec::new();
    let said = |figure: &Option<serde_json::Value>| figure.as_ref().and_then(Said::of);
    let first = changes
        .first()
        .map_or_else(|| now.clone(), |it| said(&it.before));
    let first_at = measured_at(&first).unwrap_or(i64::MIN);
    rows.push((first_at, PastSort::First, first));
    rows.extend(
        changes
            .iter()
            .map(|it| (it.at_ms, PastSort::Change, said(&it.after))),
    );
    let stands_at = changes.last().map_or(first_at, |it| it.at_ms);
    for point in &points {
        let of = |it: &Option<Said>| {
            it.as_ref().and_then(|it| it.test.as_deref()) == Some(point.test.as_str())
        };
        let Some(at_ms) = begun(point).filter(|_| !rows.iter().any(|it| of(&it.2))) else {
            continue;
        };
        let measured = Said {
            value: point.value,
            plus_minus: Some(point.plus_minus),
            basis: Basis::Measured,
            note: Some(point.note.clone()).filter(|it| !it.is_empty()),
            test: Some(point.test.clone()),
        };
        rows.push((at_ms, PastSort::Test, Some(measured)));
    }
    rows.sort_by_key(|it| it.0);
    let earlier: Vec<Said> = rows
        .iter()
        .filter(|it| it.0 <= stands_at)
        .filter_map(|it| it.2.clone())
        .collect();
    let later = rows
        .iter()
        .rev()
        .find(|it| it.1 == PastSort::Test && it.0 > stands_at);
    let unused =
        later.and_then(|it| Some((it.2.clone()?, time(it.0)?.strftime("%-d %B %Y").to_string())));
    let now_row = rows
        .iter()
        .rposition(|it| it.1 != PastSort::Test && it.2 == now);
    let told = |(at, (at_ms, sort, said)): (usize, (i64, PastSort, Option<Said>))| {
        row(sort, time(at_ms), said, now_row == Some(at))
    };
    let rows: Vec<PastRow> = rows.into_iter().enumerate().map(told).collect();
    let key = path
        .rsplit(['.', ']'])
        .find(|it| !it.is_empty())
        .unwrap_or(path);
    let key = key.split('[').next().unwrap_or(key);
    let unused = unused.as_ref().map(|(said, day)| (said, day.as_str()));
    let plan = store.plan(site)?.plan;
    let named = figures_of(&plan)
        .into_iter()
        .find(|it| it.kind == kind && it.id == id && it.path == path);
    Ok(FigurePast {
        label: plan.label(id).to_owned(),
        name: named.map_or_else(|| join("", key), |it| it.name),
        unit: unit(key).to_owned(),
        rows,
        sentence: which(key, now.as_ref(), &earlier, unused),
    })
}

/// When a test was begun, ms since 1970.
fn begun(point: &FigurePoint) -> Option<i64> {
    point
        .begun
        .parse()
        .ok()
        .map(|it: jiff::Timestamp| it.as_millisecond())
}

/// When that was; none for what was there before anything is known.
fn time(at_ms: i64) -> Option<jiff::Timestamp> {
    jiff::Timestamp::from_millisecond(at_ms).ok()
}

fn row(sort: PastSort, at: Option<jiff::Timestamp>, said: Option<Said>, stands: bool) -> PastRow {
    let at = at.map(|it| it.to_string());
    let (value, plus_minus) = (
        said.as_ref().map(|it| it.value),
        said.as_ref().and_then(|it| it.plus_minus),
    );
    let basis = said.as_ref().map(|it| it.basis.word().to_owned());
    let (note, test) = said.map_or((None, None), |it| (it.note, it.test));
    PastRow {
        sort,
        at,
        value,
        plus_minus,
        basis,
        note,
        test,
        stands,
    }
}
