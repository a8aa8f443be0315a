//! Kills while everything that writes writes: what was acknowledged is there afterwards, and
//! figures in use have a way back.

use super::stage::{Stage, idle, record, set_clock};
use crate::client::{Client, SITE};
use crate::table::Table;
use anyhow::{Context as _, Result, ensure};
use http::Method;
use rand::RngExt as _;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::task::JoinSet;

/// Notes after which a watch is ended and another begun: a hundred entries are told, with gaps
/// among them.
const MOST_NOTES: u64 = 30;

/// The watch that is noted in, with the numbers of the notes around those that it was told.
#[derive(Debug, Clone, Copy)]
struct Watched {
    number: i64,
    before: u64,
    last: u64,
}

/// What was acknowledged so far.
#[derive(Debug, Default, Clone)]
struct Acknowledged {
    writes: u64,
    /// The last watts of the lamp that were acknowledged, and those on the way.
    watts: (u64, u64),
    /// Tests that were begun.
    tests: Vec<String>,
    /// Files by their test: the last number that was acknowledged, and the one on the way.
    files: BTreeMap<String, (u64, u64)>,
    /// Readings of the walk.
    walked: u64,
    /// Uses and take-backs.
    uses: u64,
    /// The open watch.
    watch: Option<Watched>,
    /// Notes of watches that were acknowledged, and the number of the last one that was on its way.
    notes: Vec<u64>,
    noted: u64,
    /// Lines of the log.
    logged: u64,
}

type Shared = Arc<Mutex<Acknowledged>>;

fn held(shared: &Shared) -> std::sync::MutexGuard<'_, Acknowledged> {
    shared.lock().unwrap_or_else(PoisonError::into_inner)
}

pub(super) async fn run(stage: &mut Stage<'_>, table: &mut Table) -> Result<()> {
    let known = Shared::default();
    let mut lost = Vec::new();
    let mut jumps = 0;
    for round in 0..stage.soak.kills {
        // The clock stands anywhere within half a year, and jumps while the program runs.
        set_clock(
            &stage.clock(),
            stage.chance.random_range(-15_000_000..15_000_000),
        )?;
        let (program, client) = stage.start(None)?;
        if round > 0 {
            lost.extend(check(&client, &known).await?);
        } else {
            begin(&client, &known).await?;
        }
        record(&client, "monitor").await?;
        let mut writers = JoinSet::new();
        writers.spawn(elements(client.clone(), known.clone()));
        writers.spawn(tests(client.clone(), known.clone()));
        writers.spawn(files(client.clone(), known.clone()));
        writers.spawn(walks(client.clone(), known.clone()));
        writers.spawn(uses(client.clone(), known.clone()));
        writers.spawn(watches(client.clone(), known.clone()));
        writers.spawn(logs(client.clone(), known.clone()));
        tokio::time::sleep(Duration::from_millis(stage.chance.random_range(50..500))).await;
        set_clock(
            &stage.clock(),
            stage.chance.random_range(-15_000_000..15_000_000),
        )?;
        jumps += 2;
        tokio::time::sleep(Duration::from_millis(stage.chance.random_range(50..500))).await;
        program.kill()?;
        // Whatever was on its way when it was killed ends with an error.
        while writers.join_next().await.is_some() {}
    }
    let (program, client) = stage.start(None)?;
    lost.extend(check(&client, &known).await?);
    let took = program.stop()?;
    for it in &lost {
        eprintln!("lost: {it}");
    }
    let known = held(&known);
    let told = format!(
        "{} writes acknowledged: {} tests begun, {} files, {} readings of walks, {} figures used \
        or taken back, {} \
         notes of watches, {} lines of the log",
        known.writes,
        known.tests.len(),
        known.files.values().map(|it| it.0).sum::<u64>(),
        known.walked,
        known.uses,
        known.notes.len(),
        known.logged
    );
    table.add(
        "killed while everything writes",
        stage.soak.kills,
        u64::try_from(lost.len())?,
        told,
    );
    table.add(
        "clock set back or forth, up to half a year",
        jumps,
        0,
        "between starts and while it runs; what it lost would stand in the line above",
    );
    table.add(
        "asked to stop",
        1,
        0,
        format!("gone after {:.1} s", took.as_secs_f64()),
    );
    Ok(())
}

async fn begin(client: &Client, known: &Shared) -> Result<()> {
    // Its id comes from what it is of; the first one keeps it.
    let begun = client
        .send(Method::POST, &format!("{SITE}/tests"), &idle(0.47))
        .await?;
    let id = begun.json()["id"]
        .as_str()
        .context("a test was not begun")?
        .to_owned();
    held(known).tests.push(id);
    let number = open_watch(client).await?;
    held(known).watch = Some(Watched {
        number,
        before: 0,
        last: 0,
    });
    Ok(())
}

async fn elements(client: Client, known: Shared) -> Result<()> {
    let path = format!("{SITE}/elements/device/gate-camera");
    loop {
        let watts = held(&known).watts.1 + 1;
        held(&known).watts.1 = watts;
        let mut body = client.get(&path).await?.json()["body"].clone();
        body["phases"][0]["watts"] = json!(1.0 + f64::from(u32::try_from(watts)?) / 1000.0);
        let answer = client.send(Method::PUT, &path, &body).await?;
        ensure!(answer.status.is_success(), "{}", answer.text);
        let mut known = held(&known);
        known.watts.0 = watts;
        known.writes += 1;
    }
}

async fn tests(client: Client, known: Shared) -> Result<()> {
    loop {
        let answer = client
            .send(Method::POST, &format!("{SITE}/tests"), &idle(0.5))
            .await?;
        let id = answer.json()["id"].as_str().context("no id")?.to_owned();
        {
            let mut known = held(&known);
            known.tests.push(id);
            known.writes += 1;
        }
        // So that the list stays one that can be read after each of hundreds of kills.
        tokio::time::sleep(Duration::from_millis(60)).await;
    }
}

/// A file that can be told from all others: its number stands in each row.
fn file(number: u64) -> String {
    let rows = (0..200).map(|it| format!("{it},{}", 5 + number % 7));
    format!(
        "time_s,watts\n{}\n300,{number}\n",
        rows.collect::<Vec<_>>().join("\n")
    )
}

async fn files(client: Client, known: Shared) -> Result<()> {
    let begun = json!({"protocol": "profile", "of": {"kind": "device", "id": "gate-camera"}});
    let answer = client
        .send(Method::POST, &format!("{SITE}/tests"), &begun)
        .await?;
    let id = answer.json()["id"].as_str().context("no id")?.to_owned();
    held(&known).tests.push(id.clone());
    for number in 1.. {
        held(&known).files.entry(id.clone()).or_default().1 = number;
        let answer = client
            .ask(
                Method::PUT,
                &format!("{SITE}/tests/{id}/file"),
                "text/csv",
                file(number),
            )
            .await?;
        ensure!(answer.status.is_success(), "{}", answer.text);
        let mut known = held(&known);
        known.files.entry(id.clone()).or_default().0 = number;
        known.writes += 1;
    }
    Ok(())
}

async fn walks(client: Client, known: Shared) -> Result<()> {
    let read = json!({"arrangement": "camera-direct", "soc": {"house-bank": 0.6},
        "joint": "house-bank/studs", "volts": 13.1});
    loop {
        let answer = client
            .send(Method::POST, &format!("{SITE}/walk/readings"), &read)
            .await?;
        ensure!(answer.status.is_success(), "{}", answer.text);
        let mut known = held(&known);
        known.walked += 1;
        known.writes += 1;
    }
}

async fn uses(client: Client, known: Shared) -> Result<()> {
    let id = held(&known).tests[0].clone();
    loop {
        for what in ["use", "take-back"] {
            // After a kill it may be in use already: that it is refused then is an answer too.
            let answer = client
                .send(
                    Method::POST,
                    &format!("{SITE}/tests/{id}/{what}"),
                    &Value::Null,
                )
                .await?;
            ensure!(!answer.status.is_server_error(), "{}", answer.text);
            let mut known = held(&known);
            known.uses += 1;
            known.writes += u64::from(answer.status.is_success());
        }
    }
}

/// A watch that goes on through kills, whatever the clock says, and is noted in; another one once
/// it holds many notes.
async fn watches(client: Client, known: Shared) -> Result<()> {
    let held_now = held(&known).watch;
    let full = held_now.filter(|it| it.last - it.before >= MOST_NOTES);
    if let Some(it) = full {
        held(&known).watch = None;
        let path = format!("{SITE}/watches/{}/end", it.number);
        ensure!(
            !client
                .send(Method::POST, &path, &Value::Null)
                .await?
                .status
                .is_server_error()
        );
    }
    if held(&known).watch.is_none() {
        let number = open_watch(&client).await?;
        let last = held(&known).noted;
        held(&known).watch = Some(Watched {
            number,
            before: last,
            last,
        });
    }
    let Some(Watched { number, .. }) = held(&known).watch else {
        return Ok(());
    };
    for _ in 0..MOST_NOTES {
        let note = held(&known).noted + 1;
        // What is on its way may come or not; its number is not given again.
        held(&known).noted = note;
        let body = json!({"did": "note", "text": format!("note {note}")});
        let answer = client
            .send(
                Method::POST,
                &format!("{SITE}/watches/{number}/entries"),
                &body,
            )
            .await?;
        ensure!(answer.status.is_success(), "{}", answer.text);
        let mut known = held(&known);
        known.notes.push(note);
        if let Some(it) = known.watch.as_mut() {
            it.last = note;
        }
        known.writes += 1;
    }
    Ok(())
}

/// The watch that is open, or one that is begun now: the one that is least to be found anew with
/// each note.
pub(super) async fn open_watch(client: &Client) -> Result<i64> {
    let list = client.get(&format!("{SITE}/watches")).await?.json();
    let open = list["watches"]
        .as_array()
        .into_iter()
        .flatten()
        .find(|it| it["open"] == true);
    if let Some(number) = open.and_then(|it| it["number"].as_i64()) {
        return Ok(number);
    }
    let watch = json!({"arrangement": "camera-direct", "outage": "works-cut"});
    let begun = client
        .send(Method::POST, &format!("{SITE}/watches"), &watch)
        .await?;
    begun.json()["number"]
        .as_i64()
        .with_context(|| begun.text.clone())
}

async fn logs(client: Client, known: Shared) -> Result<()> {
    loop {
        let number = held(&known).logged + 1;
        let body = json!({"words": format!("soaked{number}")});
        let answer = client
            .send(Method::POST, &format!("{SITE}/log"), &body)
            .await?;
        ensure!(answer.status.is_success(), "{}", answer.text);
        let mut known = held(&known);
        known.logged = number;
        known.writes += 1;
    }
}

/// Notes of the open watch and lines of the log that were acknowledged and are not there.
async fn check_told(client: &Client, known: &Acknowledged) -> Result<Vec<String>> {
    let mut lost = Vec::new();
    if let Some(Watched {
        number,
        before,
        last,
    }) = known.watch
    {
        let told = client.get(&format!("{SITE}/watches/{number}")).await?;
        let entries = told.json()["entries"]
            .as_array()
            .cloned()
            .unwrap_or_default();
        let words: Vec<&str> = entries
            .iter()
            .filter_map(|it| it["words"].as_str())
            .collect();
        let own = known
            .notes
            .iter()
            .filter(|it| (before + 1..=last).contains(*it));
        let gone = own.filter(|it| {
            !words
                .iter()
                .any(|words| words.ends_with(&format!("note {it}")))
        });
        let begins = told.text.chars().take(200).collect::<String>();
        lost.extend(gone.map(|it| format!("note {it} of watch {number}: {begins}")));
    }
    for number in known.logged.saturating_sub(4).max(1)..=known.logged {
        let found = client
            .get(&format!("{SITE}/log?words=soaked{number}"))
            .await?
            .json();
        if found["entries"].as_array().is_none_or(Vec::is_empty) {
            lost.push(format!("line {number} of the log"));
        }
    }
    Ok(lost)
}

/// What was acknowledged and is not there.
async fn check(client: &Client, shared: &Shared) -> Result<Vec<String>> {
    let mut lost = Vec::new();
    let list = super::stage::every_test(client).await?;
    let plan = client.get(&format!("{SITE}/plan")).await?.json()["plan"].clone();
    let journal = client
        .get(&format!("{SITE}/elements/device/gate-camera"))
        .await?
        .json();
    let known = held(shared).clone();
    lost.extend(check_told(client, &known).await?);
    let ids: std::collections::BTreeSet<&str> =
        list.iter().filter_map(|it| it["id"].as_str()).collect();
    lost.extend(
        known
            .tests
            .iter()
            .filter(|it| !ids.contains(it.as_str()))
            .map(|it| format!("test {it}")),
    );
    let watts = journal["body"]["phases"][0]["watts"]
        .as_f64()
        .unwrap_or_default();
    let number = |it: u64| 1.0 + f64::from(u32::try_from(it).unwrap_or_default()) / 1000.0;
    if known.watts.0 > 0
        && ![known.watts.0, known.watts.1]
            .iter()
            .any(|it| (number(*it) - watts).abs() < 1e-9)
    {
        lost.push(format!(
            "watts are {watts} and not {} or {}",
            number(known.watts.0),
            number(known.watts.1)
        ));
    }
    // What was on its way came, or did not: the next round is held against what is there.
    if (number(known.watts.1) - watts).abs() < 1e-9 {
        held(shared).watts.0 = known.watts.1;
    }
    // A figure stands in the plan as measured where its test is in use, and nowhere else.
    let converters = plan["kit"]["converters"]
        .as_array()
        .cloned()
        .unwrap_or_default();
    let inverter = converters
        .iter()
        .find(|it| it["id"] == "small-inverter")
        .cloned()
        .unwrap_or_default();
    let value = inverter["loss"]["idle_w"]["value"]
        .as_f64()
        .unwrap_or_default();
    let in_use = list
        .iter()
        .any(|it| it["in_use"] == true && it["id"] == known.tests[0].as_str());
    if in_use != ((value - 12.5 * 0.47).abs() < 1e-6) {
        lost.push(format!(
            "the figure of {} is {value} W, and in use is {in_use}",
            known.tests[0]
        ));
    }
    let walked = known.walked;
    for (id, (acknowledged, begun)) in known.files {
        if begun == 0 {
            continue;
        }
        let kept = client.get(&format!("{SITE}/tests/{id}/file")).await?;
        let whole = (acknowledged..=begun).any(|it| {
            if it == 0 {
                !kept.status.is_success()
            } else {
                kept.text == file(it)
            }
        });
        if !whole {
            lost.push(format!("file {acknowledged} of {id}"));
        }
    }
    let mut counted = 0;
    let mut before = None::<i64>;
    loop {
        let at = before.map_or_else(String::new, |it| format!(",\"before\":{it}"));
        let body: Value =
            serde_json::from_str(&format!("{{\"arrangement\":\"camera-direct\"{at}}}"))?;
        let page = client
            .send(Method::POST, &format!("{SITE}/walk"), &body)
            .await?
            .json();
        counted += u64::try_from(page["history"].as_array().map_or(0, Vec::len))?;
        before = page["earlier"].as_i64();
        if before.is_none() {
            break;
        }
    }
    if counted < walked {
        lost.push(format!(
            "{} of {walked} readings of walks",
            walked - counted
        ));
    }
    Ok(lost)
}
