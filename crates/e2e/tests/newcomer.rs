//! From nothing to a first honest answer.

use anyhow::Result;
use ash_pond_e2e::{DESK, Stage};
use serde_json::json;
use std::time::{Duration, Instant};

const ENTER: char = '\u{e007}';

/// Adds a ready-made kind by typing a part of its name.
async fn add(stage: &Stage, key: char, typed: &str, shows: &str) -> Result<()> {
    // A part that was just added stands open with the keys in its first field; Escape leaves that.
    for _ in 0..20 {
        stage.browser.run("document.activeElement.blur()").await?;
        stage.browser.press(key, false).await?;
        if stage
            .browser
            .run("return !!document.querySelector(\"input[aria-label='find a kind']\")")
            .await?
            == json!(true)
        {
            break;
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    stage
        .browser
        .wait("input[aria-label='find a kind']")
        .await?
        .send_keys(typed)
        .await?;
    stage
        .browser
        .text_until("#kinds li", |text| text.contains(shows))
        .await?;
    stage
        .browser
        .wait("input[aria-label='find a kind']")
        .await?
        .send_keys("\u{e007}")
        .await?;
    stage
        .browser
        .gone("input[aria-label='find a kind']")
        .await?;
    stage
        .browser
        .text_until("main", |text| text.contains(shows))
        .await?;
    stage.browser.run("document.activeElement.blur()").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_empty_site_gives_a_first_honest_answer_for_three_devices() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let began = Instant::now();
    stage.go("/site").await?;
    stage
        .browser
        .enter("input[aria-label='name of a new site']", "Upper Sluice")
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Upper Sluice")
        .await?;
    stage.browser.run("document.activeElement.blur()").await?;
    stage.browser.press('1', false).await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.starts_with("Nothing is entered")
        })
        .await?;
    for (typed, shows) in [
        ("router", "Router"),
        ("air pump", "Air pump of a tank"),
        ("radio", "Radio"),
    ] {
        add(&stage, 'n', typed, shows).await?;
    }
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.starts_with("Three things")
        })
        .await?;
    stage.browser.press('2', false).await?;
    stage.browser.wait("main h1").await?;
    add(&stage, 'n', "lithium", "ithium").await?;
    stage.browser.press('3', false).await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.starts_with("Nothing is connected")
        })
        .await?;
    stage.browser.click("[data-test=new-way]").await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| text.contains("draws 0.0 W"))
        .await?;
    stage.browser.click("[data-test=build-door]").await?;
    // A full bank of lithium has more volts than the router takes: it is said, with what helps.
    stage.browser.click("[data-test=waiting]").await?;
    let refused = stage
        .browser
        .text_until("[data-test=nothing-fits]", |text| {
            text.contains("Put a converter")
        })
        .await?;
    assert!(
        refused.starts_with("Nothing that you have fits"),
        "{refused}"
    );
    stage.browser.click("[data-test=nothing-fits] a").await?;
    stage.browser.wait("main h1").await?;
    add(&stage, 'c', "steady", "Steady 12 V").await?;
    stage.browser.press('3', false).await?;
    stage.browser.click("[data-test=build-door]").await?;
    for left in (0..3).rev() {
        stage.browser.click("[data-test=waiting]").await?;
        // The thriftiest way that fits has the focus; Enter takes it.
        stage.browser.wait("[data-test=fit] button:focus").await?;
        stage.browser.press(ENTER, false).await?;
        stage.browser.gone("[data-test=fit]").await?;
        let waits = "return document.querySelectorAll('[data-test=waiting]').length";
        for _ in 0..100 {
            if stage.browser.run(waits).await? == json!(left) {
                break;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        assert_eq!(stage.browser.run(waits).await?, json!(left));
    }
    let answer = stage
        .browser
        .text_until("[data-test=headline]", |text| !text.contains("draws 0.0 W"))
        .await?;
    let line = stage
        .browser
        .text_until("main", |text| text.contains("h to the first floor"))
        .await?;
    let line = line
        .lines()
        .find(|it| it.contains("h to the first floor"))
        .unwrap_or_default();
    println!(
        "from nothing to “{answer}” ({line}) in {:.0} s of the machine's time",
        began.elapsed().as_secs_f64()
    );
    assert!(answer.contains(" W"), "{answer}");
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}
