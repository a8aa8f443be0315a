//! What is known of each battery's capacity and resistance: tests of the bench, charges, outages
//! that were watched, walks at its terminals, and when it was replaced.

use super::when::Local;
use crate::bodies::log::HealthTold;
use crate::error::ApiError;
use crate::usecase::bench::history;
use crate::usecase::tests::read;
use ash_pond_core::bench::{Protocol, outcome};
use ash_pond_core::keeping::care::{Health, Point, health, needs_of, resistance};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::battery::{internal_ohm, nominal_v};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::{LogAsked, LogRow, Store};
use jiff::civil::Date;

/// Entries about one battery that are looked through.
const MOST: u32 = 500;

/// Less than so much flows through no terminal by which its resistance could be told, A.
const LEAST_A: f64 = 1.0;

/// How the batteries of a site age.
pub(crate) fn batteries(store: &Store, site: &str) -> Result<HealthTold, ApiError> {
    let plan = store.plan(site)?.plan;
    let local = Local::of(&plan);
    let stores = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.battery.is_some())
        .map(|it| it.id.to_string());
    let each = stores
        .map(|id| of_one(store, site, &plan, &local, &id))
        .collect::<Result<Vec<_>, _>>()?;
    Ok(HealthTold {
        batteries: each.into_iter().flatten().collect(),
    })
}

fn of_one(
    store: &Store,
    site: &str,
    plan: &Plan,
    local: &Local,
    id: &str,
) -> Result<Option<Health>, ApiError> {
    let (mut points, mut ohms) = (Vec::new(), by_walks(store, site, plan, local, id)?);
    for figure in history(store, site, "source", id)?.figures {
        let (list, what) = match figure.pointer.as_str() {
            "/battery/capacity_ah" | "/battery/energy_wh" => (&mut points, "capacity test"),
            "/battery/internal_ohm" => (&mut ohms, "resistance test"),
            _ => continue,
        };
        list.extend(figure.points.iter().filter_map(|it| {
            Some(Point {
                on: date(local, &it.begun)?,
                value: it.value,
                plus_minus: it.plus_minus.max(0.005 * it.value),
                what: what.to_owned(),
                origin: format!("test/{}", it.test),
            })
        }));
    }
    points.extend(by_charges(store, site, plan, local, id)?);
    let asked = LogAsked {
        item: Some(id.to_owned()),
        limit: MOST,
        ..LogAsked::default()
    };
    let entries: Vec<LogRow> = store
        .log(site, &asked)?
        .into_iter()
        .filter(|it| it.struck.is_none())
        .collect();
    let replaced = entries
        .iter()
        .filter(|it| it.entry.body["replaced"].as_bool() == Some(true));
    let replaced: Option<Date> = replaced.map(|it| local.date(it.entry.at_ms)).max();
    let mut depths = Vec::new();
    for row in &entries {
        let body = &row.entry.body;
        let on = local.date(row.entry.at_ms);
        if let (Some(value), Some(half)) = (body["holds"].as_f64(), body["plus_minus"].as_f64()) {
            let (what, origin) = (
                "an outage that was watched".to_owned(),
                row.entry.origin.clone(),
            );
            points.push(Point {
                on,
                value,
                plus_minus: half,
                what,
                origin,
            });
        }
        if let Some(depth) = body["depth"]
            .as_f64()
            .filter(|_| replaced.is_none_or(|day| on >= day))
        {
            depths.push(depth);
        }
    }
    let today = local.today();
    let found = health(
        plan,
        id,
        &points,
        replaced,
        &depths,
        needs_of(plan, id),
        today,
    );
    Ok(found.map(|it| Health {
        resistance: resistance(plan, id, &ohms, replaced, today),
        ..it
    }))
}

/// What charges say that a store holds, in the unit of its capacity.
fn by_charges(
    store: &Store,
    site: &str,
    plan: &Plan,
    local: &Local,
    id: &str,
) -> Result<Vec<Point>, ApiError> {
    let Some(battery) = plan.source(id).and_then(|it| it.battery.as_ref()) else {
        return Ok(Vec::new());
    };
    let volts = if battery.capacity_ah.is_some() {
        nominal_v(battery)
    } else {
        Some(1.0)
    };
    let Some(volts) = volts else {
        return Ok(Vec::new());
    };
    let mut points = Vec::new();
    for row in store.tests(site)? {
        let test = read(site, &row)?;
        if test.of.kind != "source"
            || test.of.id != id
            || test.protocol != Protocol::Charging.word()
        {
            continue;
        }
        let held = outcome(plan, &test).ok().and_then(|it| it.holds_wh);
        points.extend(held.zip(date(local, &row.begun)).map(|(held, on)| Point {
            on,
            value: held.value / volts,
            plus_minus: held.plus_minus.max(0.005 * held.value) / volts,
            what: "charge".to_owned(),
            origin: format!("test/{}", row.id),
        }));
    }
    Ok(points)
}

/// What the volts read at a store's terminals on walks say of the resistance inside it: what they
/// lie below those expected of the plan, over the amperes that flow there by it now. It is as
/// unsure as the charge was.
fn by_walks(
    store: &Store,
    site: &str,
    plan: &Plan,
    local: &Local,
    id: &str,
) -> Result<Vec<Point>, ApiError> {
    let stated = plan.source(id).and_then(|it| it.battery.as_ref());
    let Some(stated) = stated.map(|it| internal_ohm(it, plan.site.ambient().0)) else {
        return Ok(Vec::new());
    };
    let mut points = Vec::new();
    for way in plan
        .arrangements
        .iter()
        .filter(|it| it.feeds.iter().any(|feed| feed.from.item.as_str() == id))
    {
        let Ok(flow) = evaluate(plan, way, &Moment::Running, &Charge::full()) else {
            continue;
        };
        for it in store.walk_history(site, way.id.as_str(), None)? {
            let of_it = it
                .joint
                .strip_prefix(id)
                .is_some_and(|rest| rest.starts_with('/'));
            let amps = flow.ports.get(&it.joint).map_or(0.0, |it| it.amps);
            let (Some(low), Some(high), Some(on)) = (it.low_v, it.high_v, date(local, &it.at))
            else {
                continue;
            };
            if !of_it || amps < LEAST_A {
                continue;
            }
            points.push(Point {
                on,
                value: stated + (f64::midpoint(low, high) - it.volts) / amps,
                plus_minus: ((high - low) / 2.0 / amps).max(1e-4),
                what: "walk at the terminals".to_owned(),
                origin: format!("walk/{}/{}", way.id, it.walk),
            });
        }
    }
    Ok(points)
}

fn date(local: &Local, iso: &str) -> Option<Date> {
    iso.parse::<jiff::Timestamp>()
        .ok()
        .map(|it| local.date(it.as_millisecond()))
}
