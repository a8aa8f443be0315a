//! A disk that is full, a folder that cannot be written, connections that are held up, large
//! bodies, and hung meters.

use super::stage::{Stage, idle, record};
use crate::client::{Client, SITE};
use crate::table::{Table, percentile};
use anyhow::{Context as _, Result};
use http::Method;
use serde_json::{Value, json};
use std::time::Duration;
use tokio::io::AsyncWriteExt as _;
use tokio::net::{TcpListener, TcpStream};

/// Room that is left on the full disk, kB.
const ROOM_KB: u64 = 64;
/// Notes that are made in an open watch while it is full.
const NOTES: u64 = 40;

/// Writes until nothing is taken any more: each refusal is a problem that says why, what is there
/// stays readable, and once there is room again everything is there that was acknowledged.
pub(super) async fn disk(stage: &mut Stage<'_>, table: &mut Table) -> Result<()> {
    let size =
        |name: &str| std::fs::metadata(stage.data().join(name)).map_or(0, |it| it.len() / 1024);
    let limit = size("ash-pond.sqlite").max(size("ash-pond.sqlite-wal")) + ROOM_KB;
    let (program, client) = stage.start(Some(limit))?;
    record(&client, "bench").await?;
    let watch = format!(
        "{SITE}/watches/{}",
        super::kills::open_watch(&client).await?
    );
    let note = |it: u64| json!({"did": "note", "text": format!("while it was full {it}")});
    let (mut acknowledged, mut refused, mut wrong) = (Vec::new(), 0, 0);
    while refused < 20 && acknowledged.len() < 2000 {
        let answer = client
            .send(Method::POST, &format!("{SITE}/tests"), &idle(0.4))
            .await?;
        if answer.status.is_success() {
            acknowledged.push(answer.json()["id"].as_str().context("no id")?.to_owned());
        } else {
            refused += 1;
            let told = answer.json();
            wrong += u64::from(
                told["code"] != "store" || told["detail"].as_str().is_none_or(str::is_empty),
            );
        }
    }
    wrong += u64::from(refused == 0);
    // A watch goes on with what it has: what cannot be written down says why.
    let mut noted = Vec::new();
    for it in 0..NOTES {
        let answer = client
            .send(Method::POST, &format!("{watch}/entries"), &note(it))
            .await?;
        if answer.status.is_success() {
            noted.push(it);
        } else {
            refused += 1;
            let told = answer.json();
            wrong += u64::from(
                told["code"] != "store" || told["detail"].as_str().is_none_or(str::is_empty),
            );
        }
    }
    wrong += u64::from(u64::try_from(noted.len())? == NOTES);
    // What is there can be read all the while.
    for path in [
        "/api/health",
        &format!("{SITE}/plan"),
        &format!("{SITE}/tests"),
        "/api/readings",
        &watch,
    ] {
        wrong += u64::from(!client.get(path).await?.status.is_success());
    }
    wrong += u64::from(program.stop().is_err());
    let (program, client) = stage.start(None)?;
    let list = super::stage::every_test(&client).await?;
    let lost = acknowledged
        .iter()
        .filter(|it| !list.iter().any(|test| test["id"] == it.as_str()))
        .count();
    let again = client
        .send(Method::POST, &format!("{SITE}/tests"), &idle(0.4))
        .await?;
    wrong += u64::from(!again.status.is_success());
    let again = client
        .send(Method::POST, &format!("{watch}/entries"), &note(NOTES))
        .await?;
    wrong += u64::from(!again.status.is_success());
    let open = client.get(&watch).await?;
    let kept = |it: &u64| open.text.contains(&format!("while it was full {it}\""));
    wrong += u64::from(open.json()["open"] != true || !kept(&NOTES));
    let lost = lost + noted.iter().filter(|it| !kept(it)).count();
    program.stop()?;
    let told = format!(
        "{} acknowledged before, {refused} refused with why, {} of {NOTES} notes of an open watch \
        among them; read all the while; written again once there was room",
        acknowledged.len(),
        NOTES - u64::try_from(noted.len())?
    );
    table.add(
        "disk full",
        u64::try_from(acknowledged.len())? + refused,
        wrong + u64::try_from(lost)?,
        told,
    );
    Ok(())
}

/// Half heads, bodies that trickle, large bodies, and meters that never answer: beside all of them
/// the server answers.
pub(super) async fn held_up(stage: &Stage<'_>, table: &mut Table) -> Result<()> {
    let (program, client) = stage.start(None)?;
    let address = program.base.trim_start_matches("http://").to_owned();
    let mut held = Vec::new();
    for number in 0..300 {
        let mut stream = TcpStream::connect(&address).await?;
        let half = if number % 2 == 0 {
            "GET /api/health HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: ".to_owned()
        } else {
            format!(
                "POST {SITE}/changes HTTP/1.1\r\nHost: {address}\r\nContent-Type: \
                application/json\r\nContent-Length: 900000\r\n\r\n{{"
            )
        };
        stream.write_all(half.as_bytes()).await?;
        held.push(stream);
    }
    let beside = asked(&client, 100).await;
    table.add(
        "half heads and bodies that never come, 300 at once",
        300,
        beside.lost,
        beside.told,
    );
    drop(held);

    let silent = TcpListener::bind("127.0.0.1:0").await?;
    let at = silent.local_addr()?.to_string();
    tokio::spawn(async move {
        let mut kept = Vec::new();
        while let Ok((stream, _)) = silent.accept().await {
            kept.push(stream);
        }
    });
    for number in 0..20 {
        let speaks = if number % 2 == 0 { "scpi" } else { "modbus" };
        let body = json!({"label": format!("hung {number}"), "speaks": speaks, "address": at,
            "records": true});
        client
            .send(Method::PUT, &format!("/api/meters/hung-{number}"), &body)
            .await?;
    }
    tokio::time::sleep(Duration::from_millis(300)).await;
    let beside = asked(&client, 100).await;
    table.add(
        "meters that never answer, recorded",
        20,
        beside.lost,
        beside.told,
    );
    for number in 0..20 {
        client
            .send(
                Method::DELETE,
                &format!("/api/meters/hung-{number}"),
                &Value::Null,
            )
            .await?;
    }

    let large = format!("[{}1]", "1,".repeat(3_900_000));
    let mut tasks = tokio::task::JoinSet::new();
    for _ in 0..30 {
        let (client, large) = (client.clone(), large.clone());
        tasks.spawn(async move {
            client
                .ask(
                    Method::POST,
                    &format!("{SITE}/changes"),
                    "application/json",
                    large,
                )
                .await
        });
    }
    let beside = asked(&client, 200).await;
    let mut wrong = 0;
    while let Some(done) = tasks.join_next().await {
        // Refused as no list of changes, or asked to come later: an answer either way.
        wrong += u64::from(
            !done?.is_ok_and(|it| it.status.is_client_error() || it.status.as_u16() == 503),
        );
    }
    let told = format!(
        "{}; {:.0} MB of memory at the end",
        beside.told,
        program.memory_mb()
    );
    table.add("bodies of 8 MB, 30 at once", 30, wrong + beside.lost, told);
    program.stop()?;
    Ok(())
}

/// What health said meanwhile.
pub(super) struct Beside {
    pub(super) lost: u64,
    pub(super) told: String,
}

/// Asks whether the server is well so many times, one after another.
pub(super) async fn asked(client: &Client, times: u32) -> Beside {
    let (mut took, mut lost) = (Vec::new(), 0);
    for _ in 0..times {
        match client.get("/api/health").await {
            Ok(it) if it.status.is_success() => took.push(it.took.as_secs_f64() * 1000.0),
            _ => lost += 1,
        }
        tokio::time::sleep(Duration::from_millis(5)).await;
    }
    let (middle, most) = (percentile(&mut took, 0.5), percentile(&mut took, 0.99));
    Beside {
        lost,
        told: format!("health beside it: middle {middle:.1} ms, p99 {most:.1} ms"),
    }
}
