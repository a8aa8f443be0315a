//! The bench through the real interface: readings typed, a figure used and taken back, a wait over a reload, files.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;
use serde_json::json;

const ENTER: char = '\u{e007}';

async fn begin(stage: &Stage, title: &str, subject: &str) -> Result<()> {
    stage.browser.wait("[data-test=protocol]").await?;
    let press = format!(
        "[...document.querySelectorAll('[data-test=protocol]')].find((it) => it.textContent.includes({title:?})).click()"
    );
    stage.browser.run(&press).await?;
    stage.browser.wait("[data-test=new-test] select").await?;
    let choose = format!(
        "const it = document.querySelector('[data-test=new-test] select'); it.value = {subject:?}; it.dispatchEvent(new Event('change'))"
    );
    stage.browser.run(&choose).await?;
    stage.browser.click("[data-test=begin]").await?;
    stage.browser.wait("[data-test=test]").await?;
    Ok(())
}

async fn row(stage: &Stage, text: &str) -> Result<()> {
    let before = stage.browser.client.find_all(Locator::Css("[data-test=row]")).await?.len();
    stage.browser.fill("[data-test=row-entry]", text).await?;
    stage.browser.press(ENTER, false).await?;
    for _ in 0..100 {
        if stage.browser.client.find_all(Locator::Css("[data-test=row]")).await?.len() > before {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    anyhow::bail!("{text} does not become a row")
}

#[tokio::test(flavor = "multi_thread")]
async fn an_idle_draw_is_measured_used_seen_in_chains_and_taken_back() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let before = stage.browser.text_until("[data-test=headline]", |text| text.contains("15.7 W")).await?;
    stage.go("/bench").await?;
    stage.browser.text_until("[data-test=headline]", |text| text.starts_with("Nothing is measured yet")).await?;
    begin(&stage, "Idle draw", "converter|small-inverter").await?;
    stage.browser.text_until("[data-test=answer]", |text| text.contains("three times")).await?;
    for text in ["12.5 0.49", "12,5 0,488", "12.5;0.492"] {
        row(&stage, text).await?;
    }
    let answer = stage.browser.text_until("[data-test=answer]", |text| text.starts_with("Idle 6.1")).await?;
    assert!(answer.contains('±') && answer.contains("Wh a day"), "{answer}");
    // A slip is asked about, struck with a reason, and stays to be seen.
    row(&stage, "12.5 4.9").await?;
    stage.browser.text_until("[data-test=question]", |text| text.contains("is it right?")).await?;
    stage.browser.click("button[aria-label='strike row 4']").await?;
    stage.browser.fill("input[aria-label='why row 4 does not count']", "a slip").await?;
    stage.browser.press(ENTER, false).await?;
    stage.browser.text_until("[data-test=row].struck", |text| text.contains("a slip")).await?;
    stage.browser.text_until("[data-test=answer]", |text| *text == *answer).await?;
    // Words instead of numbers are told, and change nothing.
    stage.browser.fill("[data-test=row-entry]", "12.5 lots").await?;
    stage.browser.press(ENTER, false).await?;
    stage.browser.text_until(".rows [role=alert]", |text| text.contains("“lots” is no number")).await?;
    assert_eq!(stage.browser.value("[data-test=row-entry]").await?, "12.5 lots");

    stage.browser.click("[data-test=look-use]").await?;
    let told =
        stage.browser.text_until("[data-test=use-preview]", |text| text.contains("Through the small inverter")).await?;
    assert!(told.contains("less a day"), "{told}");
    stage.browser.click("[data-test=use]").await?;
    stage.browser.text_until(".outcome", |text| text.contains("in use")).await?;
    stage.go("/chains").await?;
    let after =
        stage.browser.text_until("[data-test=headline]", |text| *text != *before && text.contains("W;")).await?;
    assert!(!after.contains("15.7 W"), "{after}");
    stage.go("/bench").await?;
    stage.browser.click("[data-test=kept-test]").await?;
    stage.browser.click("[data-test=take-back]").await?;
    stage.browser.text_until(".outcome", |text| text.contains("7.9 in the plan now")).await?;
    stage.go("/chains").await?;
    stage.browser.text_until("[data-test=headline]", |text| *text == *before).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wait_survives_a_reload_and_nothing_bars_anybody() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    begin(&stage, "Efficiency", "converter|small-inverter").await?;
    stage.browser.click("[data-test=timer] button").await?;
    stage.browser.text_until("[data-test=timer]", |text| text.contains("left")).await?;
    stage.go("/bench").await?;
    stage.browser.click("[data-test=kept-test]").await?;
    stage.browser.text_until("[data-test=timer]", |text| text.contains("left")).await?;
    for text in ["12.62 1.05 230 0.0261", "12.60 2.42 230 0.096", "12.55 4.90 230 0.209", "12.48 8.41 229.5 0.37"] {
        row(&stage, text).await?;
    }
    stage.browser.wait("[data-test=plot] .law").await?;
    stage.browser.text_until("[data-test=answer]", |text| text.contains("Measured from 6")).await?;
    for theme in ["day", "blackout"] {
        stage.browser.wait(&format!(":root[data-theme={theme}]")).await?;
        assert_eq!(stage.browser.barriers().await?, Vec::<String>::new(), "{theme}");
        stage.browser.click("[data-test=theme]").await?;
    }
    stage.browser.resize(PHONE).await?;
    assert_eq!(stage.browser.run(OVERFLOWING).await?, json!([]), "on a phone");
    let wide =
        stage.browser.run("return document.documentElement.scrollWidth > document.documentElement.clientWidth").await?;
    assert_eq!(wide, json!(false));
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn files_of_a_scope_and_of_a_logger_are_read() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    let cases = concat!(env!("CARGO_MANIFEST_DIR"), "/../core/tests/cases/bench");
    let cases = std::fs::canonicalize(cases)?;
    begin(&stage, "Switchover", "source|station").await?;
    let give = async |name: &str| -> Result<()> {
        let path = cases.join(name);
        stage.browser.wait("[data-test=test-file]").await?.send_keys(path.to_str().unwrap_or_default()).await?;
        Ok(())
    };
    give("capture-ac-switchover.csv").await?;
    stage.browser.text_until("[data-test=answer]", |text| text.starts_with("Dead for 17")).await?;
    begin(&stage, "Start and stop profile", "device|gate-camera").await?;
    give("logger-phases.csv").await?;
    let answer = stage.browser.text_until("[data-test=answer]", |text| text.contains("busy")).await?;
    assert!(answer.starts_with("Starting 4") && answer.contains("of the time"), "{answer}");
    // A wrong file says where and what to do, and the test stays what it was.
    let wrong = tempfile::NamedTempFile::with_suffix(".csv")?;
    std::fs::write(wrong.path(), "time_s,watts\n0,5\n1,lots\n")?;
    stage.browser.wait("[data-test=test-file]").await?.send_keys(wrong.path().to_str().unwrap_or_default()).await?;
    stage.browser.text_until(".bench > [role=alert]", |text| text.contains("row 3, column 2")).await?;
    stage.browser.text_until("[data-test=answer]", |text| *text == *answer).await?;
    Ok(())
}
