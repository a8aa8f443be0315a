//! Takes the pictures of the docs from the demo data through the real browser.

use anyhow::{Context, Result};
use ash_pond_e2e::{DESK, PHONE, Stage};
use std::path::PathBuf;
use std::time::Duration;

#[tokio::main]
async fn main() -> Result<()> {
    let folder: PathBuf = std::env::args_os()
        .nth(1)
        .context("give the folder for the pictures")?
        .into();
    std::fs::create_dir_all(&folder)?;
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    bench(&stage).await?;
    take(&stage, &folder, "bench").await?;
    stage.go("/chains").await?;
    take(&stage, &folder, "chains").await?;
    stage.browser.press('c', false).await?;
    stage.browser.wait("[data-test=crossed]").await?;
    stage
        .browser
        .run("document.querySelector('[data-test=compare]').scrollIntoView()")
        .await?;
    take(&stage, &folder, "compare").await?;
    stage.go("/chains").await?;
    whole_site(&stage).await?;
    take(&stage, &folder, "chains-site").await?;
    stage.go("/chains").await?;
    walk(&stage).await?;
    take(&stage, &folder, "walk").await?;
    stage.go("/chains").await?;
    stage
        .browser
        .wait("[data-test=foot] .big")
        .await?
        .click()
        .await?;
    stage.browser.wait("[data-test=working]").await?;
    take(&stage, &folder, "working").await?;
    stage.go("/chains").await?;
    stage
        .browser
        .wait("[data-test=theme]")
        .await?
        .click()
        .await?;
    take(&stage, &folder, "chains-blackout").await?;
    stage
        .browser
        .wait("[data-test=theme]")
        .await?
        .click()
        .await?;
    stage.browser.resize(PHONE).await?;
    stage.go("/chains").await?;
    take(&stage, &folder, "chains-phone").await?;
    stage.browser.resize(DESK).await?;
    stage.go("/needs").await?;
    take(&stage, &folder, "needs").await?;
    stage.go("/supply").await?;
    take(&stage, &folder, "supply").await?;
    outage(&stage, &folder).await?;
    watched(&stage, &folder).await?;
    stage.go("/site").await?;
    take(&stage, &folder, "site").await?;
    stage.go("/log").await?;
    stage
        .browser
        .wait("[data-test=battery-cabin-bank] .point")
        .await?;
    take(&stage, &folder, "log").await?;
    let report = format!(
        "{}/api/sites/hollin-lock/report.html",
        stage.server.address()
    );
    stage.browser.client.goto(&report).await?;
    take(&stage, &folder, "report").await?;
    shelf(&stage, &folder).await
}

/// Measures the small inverter at five loads.
async fn bench(stage: &Stage) -> Result<()> {
    stage.browser.wait("[data-test=protocol]").await?;
    stage
        .browser
        .run("document.querySelectorAll('[data-test=protocol]')[1].click()")
        .await?;
    stage.browser.wait("[data-test=new-test] select").await?;
    stage
        .browser
        .run(
            "const it = document.querySelector('[data-test=new-test] select'); it.value \
        = 'converter|small-inverter'; it.dispatchEvent(new Event('change'))",
        )
        .await?;
    stage.browser.click("[data-test=begin]").await?;
    stage.browser.wait("[data-test=test]").await?;
    let rows = [
        "12.62 0.985 230.1 0.0217",
        "12.60 2.31 230.0 0.0957",
        "12.55 4.72 230.0 0.2087",
        "12.48 8.02 229.6 0.37",
        "12.40 12.1 229.0 0.55",
    ];
    for (index, text) in rows.iter().enumerate() {
        stage.browser.fill("[data-test=row-entry]", text).await?;
        stage.browser.press('\u{e007}', false).await?;
        stage
            .browser
            .wait(&format!("[data-test=row]:nth-child({})", index + 1))
            .await?;
    }
    stage.browser.wait("[data-test=plot]").await?;
    stage
        .browser
        .run("document.activeElement.blur(); scrollTo(0, 190)")
        .await?;
    Ok(())
}

/// What runs what with three devices ticked, and the finder's front for the router and the
/// terminal.
async fn shelf(stage: &Stage, folder: &std::path::Path) -> Result<()> {
    stage.go("/shelf").await?;
    stage.browser.wait("[data-test=runs]").await?;
    for id in ["router", "gate-camera", "heater"] {
        stage
            .browser
            .click(&format!("[data-test=tick-{id}]"))
            .await?;
    }
    stage
        .browser
        .wait("[data-test='together-station/socket']")
        .await?;
    stage
        .browser
        .run(
            "document.activeElement.blur(); document.querySelector('.scroll').scrollTop = 0; \
            scrollTo(0, 0)",
        )
        .await?;
    take(stage, folder, "shelf").await?;
    // What could be bought: a second bank, for this picture alone.
    let bank = r#"{"id": "second-bank", "label": "Second lithium bank", "kind": "battery",
        "owned": false, "price": 540, "weight_kg": 33,
        "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 300},
        "ports": [{"id": "studs", "label": "studs", "current": "dc", "voltage": {"follows": true},
            "limit": {"continuous_a": 100}}]}"#;
    let add = format!(
        "const done = arguments[0]; fetch('/api/sites/hollin-lock/changes', {{method: 'POST', \
        headers: {{'content-type': 'application/json'}}, body: JSON.stringify({{words: 'a bank to \
        buy', changes: [{{kind: 'source', id: 'second-bank', revision: 0, body: \
        {bank}}}]}})}}).then((it) => done(it.status), () => done(0))"
    );
    stage.browser.run_async(&add).await?;
    stage.go("/shelf").await?;
    stage.browser.wait("[data-test=tick-router]").await?;
    for id in ["router", "terminal"] {
        stage
            .browser
            .click(&format!("[data-test=tick-{id}]"))
            .await?;
    }
    stage.browser.click("[data-test=table-finder]").await?;
    stage.browser.wait("[data-test=find]").await?;
    stage
        .browser
        .run(
            "const it = document.querySelector('[data-test=finder-question] \
        select[aria-label=outage]'); it.value = 'winter-storm'; it.dispatchEvent(new \
        Event('change'))",
        )
        .await?;
    stage.browser.click("[data-test=find]").await?;
    stage.browser.wait("[data-test=member]").await?;
    take(stage, folder, "finder").await
}

/// The demo's storm with its range, by day and in blackout.
async fn outage(stage: &Stage, folder: &std::path::Path) -> Result<()> {
    stage.go("/outage").await?;
    stage
        .browser
        .wait("[data-test=shed-board] [data-drop=terminal]")
        .await?;
    stage.browser.click("[data-test=run]").await?;
    for _ in 0..120 {
        if stage
            .browser
            .text("[data-test=headline]")
            .await?
            .contains(" to ")
        {
            break;
        }
        tokio::time::sleep(Duration::from_millis(500)).await;
    }
    for _ in 0..12 {
        stage.browser.press('\u{e014}', false).await?;
    }
    take(stage, folder, "outage").await?;
    stage
        .browser
        .wait("[data-test=theme]")
        .await?
        .click()
        .await?;
    take(stage, folder, "outage-blackout").await?;
    stage
        .browser
        .wait("[data-test=theme]")
        .await?
        .click()
        .await?;
    Ok(())
}

/// A drill on the mislabelled bank, in the dark, after five hours; and what is seen looking back at
/// it.
async fn watched(stage: &Stage, folder: &std::path::Path) -> Result<()> {
    let ask = |path: &str, body: &str| {
        format!(
            "const done = arguments[0]; fetch('/api/sites/hollin-lock/{path}', {{method: 'POST', \
            headers: {{'content-type': 'application/json'}}, body: \
            JSON.stringify({body})}}).then(() => done(1), () => done(0))"
        )
    };
    let drill = "{arrangement: 'direct', outage: 'winter-storm', drill: {hides: \
        'mislabelled-bank', seed: 7, speed: 1}, by: 'Ada'}";
    stage.browser.run_async(&ask("watches", drill)).await?;
    stage
        .browser
        .run_async(&ask("watches/1/clock", "{paused: true}"))
        .await?;
    for half_hour in 0..10 {
        stage
            .browser
            .run_async(&ask("watches/1/clock", "{step_s: 1800}"))
            .await?;
        // Its meters are read once a second.
        tokio::time::sleep(Duration::from_millis(2500)).await;
        if half_hour == 5 {
            stage
                .browser
                .run_async(&ask(
                    "watches/1/entries",
                    "{did: 'drop', item: 'circulation-pump', by: 'Ada'}",
                ))
                .await?;
        }
        if half_hour == 6 {
            stage
                .browser
                .run_async(&ask(
                    "watches/1/entries",
                    "{did: 'restore', item: 'circulation-pump', by: 'Ada'}",
                ))
                .await?;
            stage
                .browser
                .run_async(&ask(
                    "watches/1/entries",
                    "{did: 'drop', item: 'weir-camera', by: 'Ada'}",
                ))
                .await?;
        }
    }
    stage.go("/watch").await?;
    stage
        .browser
        .wait("[data-test=theme]")
        .await?
        .click()
        .await?;
    for _ in 0..20 {
        if stage
            .browser
            .wait("[data-test=watch-headline]")
            .await
            .is_ok()
        {
            break;
        }
    }
    take(stage, folder, "watch").await?;
    stage
        .browser
        .wait("[data-test=theme]")
        .await?
        .click()
        .await?;
    stage.browser.run_async(&ask("watches/1/end", "{}")).await?;
    stage.go("/watch").await?;
    stage.browser.click("[data-test=past-1]").await?;
    for _ in 0..20 {
        if stage
            .browser
            .wait("[data-test=review-headline]")
            .await
            .is_ok()
        {
            break;
        }
    }
    take(stage, folder, "drill").await
}

/// Walks along the chain through the inverter, up to a joint whose sign is wrong.
async fn walk(stage: &Stage) -> Result<()> {
    stage.look_at("Through the small inverter").await?;
    stage.browser.press('v', false).await?;
    for (volts, stands) in [
        ("13.21", "1 of 6"),
        ("13.18", "2 of 6"),
        ("229", "3 of 6"),
        ("228", "4 of 6"),
        ("-12.1", "Stopped"),
    ] {
        stage.browser.fill("[data-test=walk-volts]", volts).await?;
        stage.browser.press('\u{e007}', false).await?;
        stage
            .browser
            .text_until("[data-test=walk-stands]", |text| text.starts_with(stands))
            .await?;
    }
    stage
        .browser
        .run("document.querySelector('[data-test=walk]').scrollIntoView()")
        .await?;
    Ok(())
}

/// Looks at the whole site, all of it direct.
async fn whole_site(stage: &Stage) -> Result<()> {
    stage.look_at("Direct DC").await?;
    stage
        .browser
        .text_until("[data-test=site-fall]", |text| text.contains("Cabin lamps"))
        .await?;
    Ok(())
}

async fn take(stage: &Stage, folder: &std::path::Path, name: &str) -> Result<()> {
    stage
        .browser
        .wait(
            "[data-test=fall], [data-test=site-fall], [data-test=sheet], [data-test=timeline], \
            [data-test=device] strong, [data-test=converter], [data-test=journal], \
            [data-test=test], [data-test=watch-headline], [data-test=review-headline], \
            [data-test=log-row], [data-test=runs], [data-test=member], .keeper",
        )
        .await?;
    tokio::time::sleep(Duration::from_millis(500)).await;
    let file = folder.join(format!("{name}.png"));
    std::fs::write(&file, stage.browser.picture().await?)?;
    println!("{}", file.display());
    Ok(())
}
