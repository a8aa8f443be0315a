//! The demo site: its plan, and what was measured of it over the years.

use anyhow::{Context, Result};
use ash_pond_core::bench::Test;
use ash_pond_core::site::plan::Plan;
use ash_pond_stand_ins::{battery_monitor, bench_meter};
use ash_pond_store::{MeterRow, NewEntry, Store, TestRow};
use serde::Deserialize;
use serde_json::json;
use std::net::Ipv4Addr;
use tokio::net::TcpListener;

/// The plan of the demo's second site: a hut off the grid, filled by the sun, a generator and a
/// van.
pub const HUT_PLAN: &str = include_str!("../../../demo/weir-hut.plan.json");
/// The demo site's plan.
pub const DEMO_PLAN: &str = include_str!("../../../demo/hollin-lock.plan.json");
/// What was noted of it over the years.
const DEMO_LOG: &str = include_str!("../../../demo/hollin-lock.log.json");
/// The tests that were carried out on it.
const DEMO_BENCH: &str = include_str!("../../../demo/hollin-lock.bench.json");

#[derive(Deserialize)]
struct Kept {
    id: String,
    begun: String,
    /// Whether the plan names it: taken back, its figures go, and nothing was known before.
    in_use: bool,
    test: Test,
}

/// The tests of the demo site, as a store keeps them.
///
/// # Errors
/// Where what is built in does not read.
pub fn demo_tests() -> Result<Vec<TestRow>> {
    let plan = Plan::parse(DEMO_PLAN).context("the demo plan does not read")?;
    let kept: Vec<Kept> =
        serde_json::from_str(DEMO_BENCH).context("the demo's tests do not read")?;
    let row = |it: Kept| -> Result<TestRow> {
        let before = match (it.in_use, it.test.of.id.as_str()) {
            (false, _) => None,
            // What the label says is what stood there before it was measured.
            (true, "cabin-bank") => {
                Some(json!([["/battery/capacity_ah", {"value": 80, "basis": "label"}]]))
            }
            (true, _) => Some(json!([["/loss/idle_w", {"value": 9, "basis": "label"}]])),
        };
        ash_pond_core::bench::outcome(&plan, &it.test)?;
        Ok(TestRow {
            changed: it.begun.clone(),
            begun: it.begun,
            body: serde_json::to_value(&it.test)?,
            replaced: before,
            upload: None,
            revision: 1,
            id: it.id,
        })
    };
    kept.into_iter().map(row).collect()
}

/// What happened at the demo site over the years: what was noted, and what was tested.
fn demo_log(plan: &Plan) -> Result<Vec<NewEntry>> {
    let ms = |at: &str| {
        Ok::<_, anyhow::Error>(
            at.parse::<jiff::Timestamp>()
                .context("a time of the demo")?
                .as_millisecond(),
        )
    };
    let noted: Vec<serde_json::Value> =
        serde_json::from_str(DEMO_LOG).context("the demo's log does not read")?;
    let mut entries = Vec::new();
    for it in noted {
        let text = |key: &str| it[key].as_str().unwrap_or_default().to_owned();
        let mut body = json!({});
        for key in ["by", "record"] {
            if let Some(value) = it.get(key) {
                body[key] = value.clone();
            }
        }
        let (kind, item, words) = (text("kind"), text("item"), text("words"));
        entries.push(NewEntry {
            at_ms: ms(&text("at"))?,
            kind,
            item,
            words,
            body,
            origin: String::new(),
        });
    }
    for row in demo_tests()? {
        let test: Test = serde_json::from_value(row.body.clone())?;
        let found = ash_pond_core::bench::outcome(plan, &test)?;
        let words = format!("{}: {}", plan.label(&test.of.id), found.sentence.plain());
        let (item, origin) = (test.of.id.clone(), format!("test/{}", row.id));
        entries.push(NewEntry {
            at_ms: ms(&row.begun)?,
            kind: "test".into(),
            item,
            words,
            body: json!({}),
            origin,
        });
    }
    entries.sort_by_key(|it| it.at_ms);
    Ok(entries)
}

/// Puts the demo site into a store, and gives its id.
///
/// # Errors
/// Where the store cannot take it.
pub fn fill(store: &Store) -> Result<String> {
    let plan = Plan::parse(DEMO_PLAN).context("the demo plan does not read")?;
    let site = store.create_site(&plan)?;
    for row in demo_tests()? {
        store.keep_earlier_test(&site, &row)?;
    }
    store.add_to_log(&site, &demo_log(&plan)?)?;
    for (name, share, step) in [
        ("multimeter, red case", 0.005, 0.01),
        ("clamp, yellow case", 0.035, 0.01),
    ] {
        store.keep_instrument(
            None,
            name,
            Some(&json!({"name": name, "share": share, "fixed": 0.0, "step": step})),
        )?;
    }
    Ok(site)
}

/// Puts the demo's second site into a store, and gives its id.
///
/// # Errors
/// Where the store cannot take it.
pub fn fill_hut(store: &Store) -> Result<String> {
    Ok(store.create_site(&Plan::parse(HUT_PLAN).context("the plan of the hut does not read")?)?)
}

/// The source that a battery monitor watches where none is named.
pub(crate) fn first_store(plan: &Plan) -> Option<&str> {
    plan.kit
        .sources
        .iter()
        .find(|it| it.battery.is_some())
        .map(|it| it.id.as_str())
}

/// Starts both stand-ins on free ports, and tells the store where they listen; they end with the
/// runtime.
///
/// # Errors
/// Where no port is free, or the store cannot take it.
pub async fn stand_ins(store: &Store) -> Result<()> {
    let plan = || Plan::parse(DEMO_PLAN).context("the demo plan does not read");
    let free = || TcpListener::bind((Ipv4Addr::LOCALHOST, 0));
    let (meter, battery) = (free().await?, free().await?);
    let before = store.meters()?;
    let row = |id: &str, label: &str, speaks: &str, listener: &TcpListener| -> Result<MeterRow> {
        let address = listener.local_addr()?.to_string();
        // Whether it is recorded is chosen by a person, and stays.
        let records = before.iter().any(|it| it.id == id && it.records);
        Ok(MeterRow {
            id: id.into(),
            label: label.into(),
            speaks: speaks.into(),
            address,
            records,
        })
    };
    store.keep_meter(
        None,
        &row("bench", "Bench meter, a stand-in", "scpi", &meter)?,
    )?;
    store.keep_meter(
        None,
        &row("monitor", "Battery monitor, a stand-in", "modbus", &battery)?,
    )?;
    let watched = plan()?;
    let source = first_store(&watched).unwrap_or_default().to_owned();
    tokio::spawn(bench_meter::serve(meter, bench_meter::Bench::new(plan()?)?));
    tokio::spawn(battery_monitor::serve(
        battery,
        battery_monitor::Monitor::new(watched, &source)?,
    ));
    Ok(())
}
