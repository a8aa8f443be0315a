//! What is known of each battery's capacity: tests of the bench, outages that were watched, and when it was replaced.

use super::when::Local;
use crate::error::ApiError;
use crate::routes::log_bodies::HealthTold;
use crate::usecase::bench::history;
use ash_pond_core::care::{Point, health, needs_of};
use ash_pond_core::plan::Plan;
use ash_pond_store::{LogAsked, LogRow, Store};
use jiff::civil::Date;

/// Entries about one battery that are looked through.
const MOST: u32 = 500;

/// How the batteries of a site age.
pub(crate) fn batteries(store: &Store, site: &str) -> Result<HealthTold, ApiError> {
    let plan = store.plan(site)?.plan;
    let local = Local::of(&plan);
    let stores = plan.kit.sources.iter().filter(|it| it.battery.is_some()).map(|it| it.id.to_string());
    let each = stores.map(|id| of_one(store, site, &plan, &local, &id)).collect::<Result<Vec<_>, _>>()?;
    Ok(HealthTold { batteries: each.into_iter().flatten().collect() })
}

fn of_one(
    store: &Store,
    site: &str,
    plan: &Plan,
    local: &Local,
    id: &str,
) -> Result<Option<ash_pond_core::care::Health>, ApiError> {
    let mut points = Vec::new();
    for figure in history(store, site, "source", id)?.figures {
        if !["/battery/capacity_ah", "/battery/energy_wh"].contains(&figure.pointer.as_str()) {
            continue;
        }
        points.extend(figure.points.iter().filter_map(|it| {
            Some(Point {
                on: date(local, &it.begun)?,
                value: it.value,
                plus_minus: it.plus_minus.max(0.005 * it.value),
                what: "capacity test".to_owned(),
                origin: format!("test/{}", it.test),
            })
        }));
    }
    let asked = LogAsked { item: Some(id.to_owned()), limit: MOST, ..LogAsked::default() };
    let entries: Vec<LogRow> = store.log(site, &asked)?.into_iter().filter(|it| it.struck.is_none()).collect();
    let replaced = entries.iter().filter(|it| it.entry.body["replaced"].as_bool() == Some(true));
    let replaced: Option<Date> = replaced.map(|it| local.date(it.entry.at_ms)).max();
    let mut depths = Vec::new();
    for row in &entries {
        let body = &row.entry.body;
        let on = local.date(row.entry.at_ms);
        if let (Some(value), Some(half)) = (body["holds"].as_f64(), body["plus_minus"].as_f64()) {
            let (what, origin) = ("an outage that was watched".to_owned(), row.entry.origin.clone());
            points.push(Point { on, value, plus_minus: half, what, origin });
        }
        if let Some(depth) = body["depth"].as_f64().filter(|_| replaced.is_none_or(|day| on >= day)) {
            depths.push(depth);
        }
    }
    Ok(health(plan, id, &points, replaced, &depths, needs_of(plan, id), local.today()))
}

fn date(local: &Local, iso: &str) -> Option<Date> {
    iso.parse::<jiff::Timestamp>().ok().map(|it| local.date(it.as_millisecond()))
}
