//! A watch that is read for twelve hours, once a second in the long form: what it holds in memory,
//! and how soon it answers.

use super::stage::{Stage, set_clock};
use crate::client::SITE;
use crate::table::{Table, percentile};
use anyhow::{Context as _, Result, ensure};
use ash_pond_core::keeping::watch::{Hidden, Hides, Reading, happening};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::site::plan::outage::LocalTime;
use ash_pond_store::Store;
use ash_pond_store::readings::Sample;
use http::Method;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::json;
use std::collections::BTreeMap;
use std::time::{SystemTime, UNIX_EPOCH};

/// Hours after which it is asked.
const ASKED_H: [i64; 3] = [1, 6, 12];
/// How often it is asked then.
const ASKED: usize = 12;
/// What more than in its first hour is not flat any more, MB.
const FLAT_MB: f64 = 12.0;

pub(super) async fn run(stage: &Stage<'_>, table: &mut Table) -> Result<()> {
    set_clock(&stage.clock(), 0)?;
    let (program, client) = stage.start(None)?;
    let list = client.get(&format!("{SITE}/watches")).await?.json();
    for it in list["watches"]
        .as_array()
        .into_iter()
        .flatten()
        .filter(|it| it["open"] == true)
    {
        client
            .send(
                Method::POST,
                &format!("{SITE}/watches/{}/end", it["number"]),
                &json!(null),
            )
            .await?;
    }
    let began_ms = i64::try_from(SystemTime::now().duration_since(UNIX_EPOCH)?.as_millis())?;
    let begun = json!({"arrangement": "direct", "outage": "winter-storm"});
    let answer = client
        .send(Method::POST, &format!("{SITE}/watches"), &begun)
        .await?;
    let number = answer.json()["number"]
        .as_i64()
        .with_context(|| answer.text.clone())?;
    program.stop()?;
    let (mut held, mut slowest, mut from_s) = (Vec::new(), Vec::new(), 0);
    for hour in ASKED_H {
        fill(stage, number, began_ms, from_s..hour * 3600)?;
        from_s = hour * 3600;
        set_clock(&stage.clock(), from_s)?;
        let (program, client) = stage.start(None)?;
        let mut took = Vec::new();
        for _ in 0..ASKED {
            let told = client.get(&format!("{SITE}/watches/{number}")).await?;
            ensure!(told.status.is_success(), "{}", told.text);
            took.push(told.took.as_secs_f64() * 1000.0);
        }
        held.push(program.memory_mb());
        slowest.push(percentile(&mut took, 1.0));
        program.stop()?;
    }
    set_clock(&stage.clock(), 0)?;
    let grown = held[held.len() - 1] - held[0];
    let told = format!(
        "asked after 1, 6 and 12 hours: {:.0}, {:.0} and {:.0} MB held; slowest answer {:.0}, \
        {:.0} and {:.0} ms, found anew",
        held[0], held[1], held[2], slowest[0], slowest[1], slowest[2]
    );
    let read = u64::try_from(from_s)? / stage.soak.read_every_s.max(1) as u64;
    table.add(
        "readings of a watch of twelve hours",
        read,
        u64::from(grown > FLAT_MB),
        told,
    );
    Ok(())
}

/// Readings of its bank, one a second, as a monitor would show them in a world of the demo's storm.
fn fill(
    stage: &Stage<'_>,
    number: i64,
    began_ms: i64,
    seconds: std::ops::Range<i64>,
) -> Result<()> {
    let plan = Plan::parse(ash_pond::DEMO_PLAN)?;
    let way = plan.arrangement("direct").context("the demo's way")?;
    let planned = plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == "winter-storm")
        .context("the demo's storm")?;
    let start = TimeZone::system().to_datetime(Timestamp::from_millisecond(began_ms)?);
    let start =
        LocalTime::parse(&start.strftime("%Y-%m-%dT%H:%M").to_string()).context("a local time")?;
    let now = happening(planned, start);
    let hidden = Hidden::of(
        &plan,
        way,
        &now,
        &BTreeMap::new(),
        (Hides::Nothing, stage.soak.seed),
        &[],
    )
    .map_err(anyhow::Error::msg)?;
    let seconds = seconds.step_by(stage.soak.read_every_s.max(1));
    let moments: Vec<f64> = seconds
        .map(|it| f64::from(i32::try_from(it).unwrap_or_default()))
        .collect();
    let site = SITE.rsplit('/').next().unwrap_or_default();
    let of = |it: &Reading| {
        #[expect(clippy::cast_possible_truncation, reason = "half a day, in ms")]
        let at_ms = began_ms + (it.at_s * 1000.0) as i64;
        let sample = |name: &str, unit: &str, value: Option<f64>| {
            let meter = format!("watch/{site}/{number}/{}", it.source);
            Some(Sample {
                meter,
                name: name.into(),
                unit: unit.into(),
                at_ms,
                value: value?,
            })
        };
        [
            sample("volts", "V", it.volts),
            sample("amperes", "A", it.amps),
            sample("charge", "%", it.percent),
        ]
    };
    let read: Vec<Reading> = hidden.readings(&moments).into_iter().flatten().collect();
    let all: Vec<Sample> = read
        .iter()
        .filter(|it| it.source == "house-bank")
        .flat_map(of)
        .flatten()
        .collect();
    let store = Store::open(&stage.data())?;
    for some in all.chunks(20_000) {
        store.keep_samples(some)?;
    }
    Ok(())
}
