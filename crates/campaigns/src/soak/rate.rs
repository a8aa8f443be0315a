//! Mixed requests at a rate, beside readings that come and millions that lie there.

use super::stage::{Stage, record};
use crate::client::{Client, SITE};
use crate::table::{Table, percentile};
use anyhow::Result;
use ash_pond_store::Store;
use ash_pond_store::readings::Sample;
use http::Method;
use serde_json::{Value, json};
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::sync::Semaphore;
use tokio::task::JoinSet;

/// Requests that wait for their answers at once; a server takes more connections than that.
const MOST_AT_ONCE: usize = 256;

pub(super) async fn run(stage: &Stage<'_>, table: &mut Table) -> Result<()> {
    let filled = fill(stage)?;
    let (program, client) = stage.start(None)?;
    record(&client, "monitor").await?;
    record(&client, "bench").await?;
    let series = client.get("/api/readings").await?.json()["series"].clone();
    let all = series.as_array().cloned().unwrap_or_default();
    let longest = all
        .iter()
        .find(|it| it["meter"] == "filled")
        .map_or(json!(1), |it| it["id"].clone());
    let before = program.memory_mb();
    let mix = Arc::new(mix(&longest));
    let begun = Instant::now();
    let answers = ask_all(&client, &mix, stage.soak.rate, stage.soak.asked_for).await?;
    let mut took = Vec::new();
    let mut by_path = vec![Vec::new(); mix.len()];
    let mut lost = vec![0; mix.len()];
    for (which, ms) in answers {
        let Some(ms) = ms else {
            lost[which] += 1;
            continue;
        };
        took.push(ms);
        by_path[which].push(ms);
    }
    let each =
        f64::from(u32::try_from(took.len()).unwrap_or(u32::MAX)) / begun.elapsed().as_secs_f64();
    let told = format!(
        "{each:.0} a second, what was lost stands by each below; middle {:.1} ms, p99 {:.1} ms, {} \
        readings beside; memory {before:.0} to {:.0} MB",
        percentile(&mut took, 0.5),
        percentile(&mut took, 0.99),
        filled,
        program.memory_mb()
    );
    table.add("mixed requests", u64::try_from(took.len())?, 0, told);
    for (((_, path, _), times), lost) in mix.iter().zip(&mut by_path).zip(lost) {
        let told = format!(
            "middle {:.1} ms, p99 {:.1} ms",
            percentile(times, 0.5),
            percentile(times, 0.99)
        );
        table.add(
            &format!("of them {}", path.replace(SITE, "…")),
            u64::try_from(times.len())?,
            lost,
            told,
        );
    }
    program.stop()?;
    Ok(())
}

/// What pages ask while people work: mostly small things, now and then an answer that is computed.
fn mix(series: &Value) -> Vec<(Method, String, Value)> {
    let evaluate = json!({"arrangements": ["camera-direct"], "moment": "running"});
    let post = |path: &str, body: Value| (Method::POST, format!("{SITE}/{path}"), body);
    let get = |path: String| (Method::GET, path, Value::Null);
    vec![
        get("/api/health".into()),
        get(format!("{SITE}/plan")),
        get("/api/meters".into()),
        get(format!("/api/readings/{series}?points=400")),
        get(format!("/api/readings/{series}/rows?most=100")),
        post("evaluate", evaluate),
        get(format!("{SITE}/journal")),
        (
            Method::PUT,
            format!("{SITE}/elements/outage/asked"),
            json!({"id": "asked", "label": "Asked", "start": "2026-01-20T18:00", "hours": 8}),
        ),
    ]
}

/// Asks each request at its moment, whether those before it were answered or not: whoever reads
/// does not wait for somebody else's edit. Tells which of the mix it was, and how long it took from
/// its moment on, ms; none where it failed.
async fn ask_all(
    client: &Client,
    mix: &Arc<Vec<(Method, String, Value)>>,
    rate: u64,
    until: Duration,
) -> Result<Vec<(usize, Option<f64>)>> {
    let begun = Instant::now();
    let places = Arc::new(Semaphore::new(MOST_AT_ONCE));
    let mut asking = JoinSet::new();
    let mut answers = Vec::new();
    for number in 0_u64.. {
        let due = Duration::from_secs_f64(number as f64 / rate as f64);
        if due >= until {
            break;
        }
        tokio::time::sleep_until((begun + due).into()).await;
        let which = usize::try_from(number).unwrap_or_default() % mix.len();
        let (client, mix, place) = (
            client.clone(),
            mix.clone(),
            places.clone().acquire_owned().await?,
        );
        asking.spawn(async move {
            let (method, path, body) = &mix[which];
            let is_well = client
                .send(method.clone(), path, body)
                .await
                .is_ok_and(|it| it.status.is_success());
            drop(place);
            (
                which,
                is_well.then(|| begun.elapsed().saturating_sub(due).as_secs_f64() * 1000.0),
            )
        });
        while let Some(done) = asking.try_join_next() {
            answers.push(done?);
        }
    }
    while let Some(done) = asking.join_next().await {
        answers.push(done?);
    }
    Ok(answers)
}

/// Puts readings there, as of a meter that was asked every second for months.
fn fill(stage: &Stage<'_>) -> Result<u64> {
    let store = Store::open(&stage.data())?;
    // None of them is thinned out before it was asked for.
    store.choose_kept(ash_pond_store::readings::Kept {
        all_days: 36_500,
        minute_days: 36_500,
    })?;
    let count = i64::try_from(stage.soak.readings)?;
    let one = |it: i64| Sample {
        meter: "filled".into(),
        name: "volts".into(),
        unit: "V".into(),
        at_ms: 1_700_000_000_000 + it * 1000,
        value: 12.0 + f64::from(u16::try_from(it * 7919 % 1000).unwrap_or_default()) / 500.0,
    };
    for from in (0..count).step_by(50_000) {
        store.keep_samples(
            &(from..count.min(from + 50_000))
                .map(one)
                .collect::<Vec<_>>(),
        )?;
    }
    // They lie there: what the disk still has to write of them would be counted against whoever
    // writes next.
    nix::unistd::sync();
    Ok(stage.soak.readings)
}
