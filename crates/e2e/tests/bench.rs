//! The bench through the real interface: readings typed, a figure used and taken back, a wait over
//! a reload, files.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;
use serde_json::json;

const ENTER: char = '\u{e007}';

async fn begin(stage: &Stage, title: &str, subject: &str) -> Result<()> {
    stage.browser.wait("[data-test=protocol]").await?;
    let press = format!(
        "[...document.querySelectorAll('[data-test=protocol]')].find((it) => \
        it.textContent.includes({title:?})).click()"
    );
    stage.browser.run(&press).await?;
    stage.browser.wait("[data-test=new-test] select").await?;
    let choose = format!(
        "const it = document.querySelector('[data-test=new-test] select'); it.value = {subject:?}; \
        it.dispatchEvent(new Event('change'))"
    );
    stage.browser.run(&choose).await?;
    stage.browser.click("[data-test=begin]").await?;
    stage.browser.wait("[data-test=test]").await?;
    Ok(())
}

async fn row(stage: &Stage, text: &str) -> Result<()> {
    let before = stage
        .browser
        .client
        .find_all(Locator::Css("[data-test=row]"))
        .await?
        .len();
    stage.browser.fill("[data-test=row-entry]", text).await?;
    stage.browser.press(ENTER, false).await?;
    for _ in 0..100 {
        if stage
            .browser
            .client
            .find_all(Locator::Css("[data-test=row]"))
            .await?
            .len()
            > before
        {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    anyhow::bail!("{text} does not become a row")
}

#[tokio::test(flavor = "multi_thread")]
async fn an_idle_draw_is_measured_used_seen_in_chains_and_taken_back() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let before = stage
        .browser
        .text_until("[data-test=headline]", |text| text.contains("15.7 W"))
        .await?;
    stage.go("/bench").await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.starts_with("6 tests, 2 in use")
        })
        .await?;
    begin(&stage, "Idle draw", "converter|small-inverter").await?;
    stage
        .browser
        .text_until("[data-test=answer]", |text| text.contains("three times"))
        .await?;
    for text in ["12.5 0.49", "12,5 0,488", "12.5;0.492"] {
        row(&stage, text).await?;
    }
    let answer = stage
        .browser
        .text_until("[data-test=answer]", |text| text.starts_with("Idle 6.1"))
        .await?;
    assert!(
        answer.contains('±') && answer.contains("Wh a day"),
        "{answer}"
    );
    // A slip is asked about, struck with a reason, and stays to be seen.
    row(&stage, "12.5 4.9").await?;
    stage
        .browser
        .text_until("[data-test=question]", |text| text.contains("is it right?"))
        .await?;
    stage
        .browser
        .click("button[aria-label='strike row 4']")
        .await?;
    stage
        .browser
        .fill("input[aria-label='why row 4 does not count']", "a slip")
        .await?;
    stage.browser.press(ENTER, false).await?;
    stage
        .browser
        .text_until("[data-test=row].struck", |text| text.contains("a slip"))
        .await?;
    stage
        .browser
        .text_until("[data-test=answer]", |text| *text == *answer)
        .await?;
    // Words instead of numbers are told, and change nothing.
    stage
        .browser
        .fill("[data-test=row-entry]", "12.5 lots")
        .await?;
    stage.browser.press(ENTER, false).await?;
    stage
        .browser
        .text_until(".rows [role=alert]", |text| {
            text.contains("“lots” is no number")
        })
        .await?;
    assert_eq!(
        stage.browser.value("[data-test=row-entry]").await?,
        "12.5 lots"
    );

    stage.browser.click("[data-test=look-use]").await?;
    let told = stage
        .browser
        .text_until("[data-test=use-preview]", |text| {
            text.contains("Through the small inverter")
        })
        .await?;
    assert!(told.contains("less a day"), "{told}");
    stage.browser.click("[data-test=use]").await?;
    stage
        .browser
        .text_until(".outcome", |text| text.contains("in use"))
        .await?;
    stage.go("/chains").await?;
    let after = stage
        .browser
        .text_until("[data-test=headline]", |text| {
            *text != *before && text.contains("W;")
        })
        .await?;
    assert!(!after.contains("15.7 W"), "{after}");
    stage.go("/bench").await?;
    stage.browser.click("[data-test=kept-test]").await?;
    stage.browser.click("[data-test=take-back]").await?;
    stage
        .browser
        .text_until(".outcome", |text| text.contains("7.9 in the plan now"))
        .await?;
    stage.go("/chains").await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| *text == *before)
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_wait_survives_a_reload_and_nothing_bars_anybody() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    begin(&stage, "Efficiency", "converter|small-inverter").await?;
    stage.browser.click("[data-test=timer] button").await?;
    stage
        .browser
        .text_until("[data-test=timer]", |text| text.contains("left"))
        .await?;
    stage.go("/bench").await?;
    stage.browser.click("[data-test=kept-test]").await?;
    stage
        .browser
        .text_until("[data-test=timer]", |text| text.contains("left"))
        .await?;
    for text in [
        "12.62 1.05 230 0.0261",
        "12.60 2.42 230 0.096",
        "12.55 4.90 230 0.209",
        "12.48 8.41 229.5 0.37",
    ] {
        row(&stage, text).await?;
    }
    stage.browser.wait("[data-test=plot] .law").await?;
    stage
        .browser
        .text_until("[data-test=answer]", |text| {
            text.contains("Measured from 6")
        })
        .await?;
    for theme in ["day", "blackout"] {
        stage
            .browser
            .wait(&format!(":root[data-theme={theme}]"))
            .await?;
        assert_eq!(
            stage.browser.barriers().await?,
            Vec::<String>::new(),
            "{theme}"
        );
        stage.browser.click("[data-test=theme]").await?;
    }
    stage.browser.resize(PHONE).await?;
    assert_eq!(
        stage.browser.run(OVERFLOWING).await?,
        json!([]),
        "on a phone"
    );
    let wide = stage
        .browser
        .run("return document.documentElement.scrollWidth > document.documentElement.clientWidth")
        .await?;
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
        stage
            .browser
            .wait("[data-test=test-file]")
            .await?
            .send_keys(path.to_str().unwrap_or_default())
            .await?;
        Ok(())
    };
    give("capture-ac-switchover.csv").await?;
    stage
        .browser
        .text_until("[data-test=answer]", |text| text.starts_with("Dead for 17"))
        .await?;
    begin(&stage, "Start and stop profile", "device|gate-camera").await?;
    give("logger-phases.csv").await?;
    let answer = stage
        .browser
        .text_until("[data-test=answer]", |text| text.contains("busy"))
        .await?;
    assert!(
        answer.starts_with("Starting 4") && answer.contains("of the time"),
        "{answer}"
    );
    // A wrong file says where and what to do, and the test stays what it was.
    let wrong = tempfile::NamedTempFile::with_suffix(".csv")?;
    std::fs::write(wrong.path(), "time_s,watts\n0,5\n1,lots\n")?;
    stage
        .browser
        .wait("[data-test=test-file]")
        .await?
        .send_keys(wrong.path().to_str().unwrap_or_default())
        .await?;
    stage
        .browser
        .text_until("[data-test=pick-columns]", |text| {
            text.contains("row 3, column 2")
        })
        .await?;
    stage
        .browser
        .text_until("[data-test=answer]", |text| *text == *answer)
        .await?;
    Ok(())
}

/// Sets something on a stand-in through the sheet, as there is no bench to turn a knob on.
async fn set(stage: &Stage, name: &str, value: &str) -> Result<()> {
    let field = format!("[aria-label^={name:?}]");
    stage.browser.wait(&field).await?;
    let script = format!(
        "const it = document.querySelector({field:?}); it.focus(); it.value = {value:?};
         it.dispatchEvent(new Event(it.tagName === 'SELECT' ? 'change' : 'input', {{ bubbles: true \
         }})); it.blur()"
    );
    stage.browser.run(&script).await?;
    Ok(())
}

/// Reads the meters by the key, and enters what they show.
async fn read_row(stage: &Stage, begin: &str) -> Result<()> {
    let before = stage
        .browser
        .client
        .find_all(Locator::Css("[data-test=row]"))
        .await?
        .len();
    stage.browser.fill("[data-test=row-entry]", begin).await?;
    stage.browser.press('m', false).await?;
    for _ in 0..60 {
        if stage.browser.value("[data-test=row-entry]").await?.len() > begin.len() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    stage.browser.press(ENTER, false).await?;
    for _ in 0..100 {
        if stage
            .browser
            .client
            .find_all(Locator::Css("[data-test=row]"))
            .await?
            .len()
            > before
        {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    anyhow::bail!(
        "{} does not become a row",
        stage.browser.value("[data-test=row-entry]").await?
    )
}

#[tokio::test(flavor = "multi_thread")]
async fn a_capacity_is_measured_behind_an_outlet_and_what_gave_up_first_is_said() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    begin(&stage, "Capacity, down", "source|station").await?;
    let stands = "const it = document.querySelector(\"select[aria-label='where the meter \
        stands']\"); it.value = 'outlet|counted'; it.dispatchEvent(new Event('change'))";
    stage.browser.wait("[data-test=meter-place]").await?;
    stage.browser.run(stands).await?;
    stage
        .browser
        .text_until(".rows thead", |text| text.contains("counted"))
        .await?;
    row(&stage, "12 430").await?;
    // The outlet's own loss is added to what came out of it.
    let answer = stage
        .browser
        .text_until("[data-test=answer]", |text| text.contains("from the store"))
        .await?;
    assert!(
        answer.contains("430 Wh behind") && answer.contains("of what the plan has"),
        "{answer}"
    );
    stage.browser.wait("[data-test=look-use]").await?;
    // Where something else gave up first it holds at least that, and no figure is offered.
    stage
        .browser
        .enter(
            "input[aria-label='what gave up before the store did']",
            "the lamp",
        )
        .await?;
    let least = stage
        .browser
        .text_until("[data-test=answer]", |text| text.starts_with("At least"))
        .await?;
    assert!(
        least.contains("the lamp gave up before the store did"),
        "{least}"
    );
    stage.browser.gone("[data-test=look-use]").await?;
    // Rows that were read another way are not taken for what they are not.
    let elsewhere = stands.replace("outlet|counted", "terminals");
    stage.browser.run(&elsewhere).await?;
    stage
        .browser
        .text_until("[data-test=meter-place]", |text| {
            text.contains("were read another way")
        })
        .await?;
    assert!(stage.browser.severe().await?.is_empty());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_small_inverter_s_efficiency_is_measured_with_the_stand_ins_and_used() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    begin(&stage, "Efficiency", "converter|small-inverter").await?;
    set(
        &stage,
        "Bench meter, a stand-in: on the bench",
        "small-inverter",
    )
    .await?;
    for load in ["0", "20", "45", "80", "120"] {
        set(&stage, "Bench meter, a stand-in: load", load).await?;
        // What it shows comes to the load as a display does.
        let near: f64 = load.parse::<f64>()? / 230.0;
        stage
            .browser
            .text_until("[data-test=live]", |text| {
                let out = text
                    .split("amperes out")
                    .nth(1)
                    .and_then(|it| it.split_whitespace().next()?.parse().ok());
                out.is_some_and(|it: f64| (it - near).abs() < 0.02 * near + 0.0006)
            })
            .await?;
        read_row(&stage, "").await?;
    }
    let answer = stage
        .browser
        .text_until("[data-test=answer]", |text| text.contains("Measured from"))
        .await?;
    let figures = stage.browser.text(".outcome table").await?;
    // The label says 7.9 W idle; the inverter on the bench takes 6.1.
    let idle = figures
        .split("idle draw")
        .nth(1)
        .and_then(|it| it.split_whitespace().next())
        .unwrap_or_default();
    let idle: f64 = idle.parse()?;
    assert!((5.6..6.6).contains(&idle), "{answer}: {figures}");
    stage.browser.click("[data-test=look-use]").await?;
    stage.browser.click("[data-test=use]").await?;
    stage
        .browser
        .text_until(".outcome", |text| text.contains("in use"))
        .await?;
    // Supply shows the measured figure, with a door to its test.
    stage.go("/supply").await?;
    stage.browser.wait("[data-test=figure-test]").await?;
    let press = "[...document.querySelectorAll('[data-test=figure-test]')].find((it) => \
        it.href.includes('efficiency-small-inverter')).click()";
    stage.browser.run(press).await?;
    stage
        .browser
        .text_until("[data-test=test] h2", |text| {
            text.contains("Small sine inverter")
        })
        .await?;
    stage.browser.click("[data-test=take-back]").await?;
    stage
        .browser
        .text_until(".outcome", |text| text.contains("7.9 in the plan now"))
        .await?;
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn one_way_is_told_from_the_other_by_a_night_that_passes_in_seconds() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    begin(&stage, "Charge drop", "source|house-bank").await?;
    for (way, arrangement) in [("1", "1"), ("2", "0")] {
        set(&stage, "Battery monitor, a stand-in: its clock runs", "1").await?;
        set(
            &stage,
            "Battery monitor, a stand-in: hangs on it",
            arrangement,
        )
        .await?;
        set(&stage, "Battery monitor, a stand-in: charged to", "100").await?;
        stage
            .browser
            .text_until("[data-test=live]", |text| text.contains("100 %"))
            .await?;
        stage.browser.fill("[data-test=row-entry]", way).await?;
        stage.browser.press('m', false).await?;
        stage
            .browser
            .shows("[data-test=row-entry]", &format!("{way}  100.0 "))
            .await?;
        // A reload in the middle of the run loses nothing of it.
        set(
            &stage,
            "Battery monitor, a stand-in: its clock runs",
            "7200",
        )
        .await?;
        if way == "1" {
            stage.go("/bench").await?;
            stage.browser.click("[data-test=kept-test]").await?;
            stage.browser.wait("[data-test=live]").await?;
        }
        tokio::time::sleep(std::time::Duration::from_secs(5)).await;
        set(&stage, "Battery monitor, a stand-in: its clock runs", "1").await?;
        stage
            .browser
            .text_until("[data-test=live]", |text| text.contains("its clock"))
            .await?;
        tokio::time::sleep(std::time::Duration::from_millis(1200)).await;
        read_row(&stage, &format!("{way} 100 ")).await?;
    }
    let answer = stage
        .browser
        .text_until("[data-test=answer]", |text| {
            text.contains("the second way takes")
        })
        .await?;
    assert!(
        answer.contains("more than the displays can be off"),
        "{answer}"
    );
    // Through the inverter the camera takes 15 to 16 W, straight off the bank 6 to 7.
    let watts: Vec<f64> = answer
        .split(" W ")
        .filter_map(|it| it.rsplit(' ').next()?.parse().ok())
        .collect();
    assert!(
        (14.0..18.0).contains(&watts[0]) && (5.0..8.5).contains(&watts[1]),
        "{answer}"
    );
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn columns_without_names_are_picked_and_the_raw_file_stays() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    begin(&stage, "Switchover, from a capture", "source|station").await?;
    let cases = concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../core/tests/cases/bench/capture-ac-switchover.csv"
    );
    let text = std::fs::read_to_string(cases)?.replacen("time_s,volts", "first,second", 1);
    let file = tempfile::NamedTempFile::with_suffix(".csv")?;
    std::fs::write(file.path(), &text)?;
    stage
        .browser
        .wait("[data-test=test-file]")
        .await?
        .send_keys(file.path().to_str().unwrap_or_default())
        .await?;
    stage
        .browser
        .text_until("[data-test=pick-columns]", |text| {
            text.contains("what does each column hold")
        })
        .await?;
    set(&stage, "what first holds", "time:1").await?;
    set(&stage, "what second holds", "volts:1").await?;
    stage.browser.click("[data-test=give-file]").await?;
    stage
        .browser
        .text_until("[data-test=answer]", |text| text.starts_with("Dead for 17"))
        .await?;
    stage.browser.wait("[data-test=plot] .trace").await?;
    let marks = stage
        .browser
        .run("return [...document.querySelectorAll('.mark text')].map((it) => it.textContent)")
        .await?;
    assert_eq!(marks, json!(["disturbed 20.70 ms", "dead 17.72 ms"]));
    let raw = "const at = document.querySelector('[data-test=file-kept] a').href;
               return fetch(at).then((it) => it.text()).then((it) => it.length)";
    assert_eq!(stage.browser.run(raw).await?, json!(text.len()));
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_battery_s_years_are_seen_and_an_instrument_is_described_once() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/supply").await?;
    // The size of the cabin bank was measured: its door leads to the test.
    stage.browser.click("[data-test=store-test]").await?;
    stage
        .browser
        .text_until("[data-test=test] h2", |text| text.contains("Cabin bank"))
        .await?;
    let years = stage
        .browser
        .text_until("[data-test=history]", |text| text.contains("Falls by 6 ±"))
        .await?;
    assert!(years.contains("label says 80"), "{years}");
    assert_eq!(
        stage
            .browser
            .client
            .find_all(Locator::Css("[data-test=history] .point"))
            .await?
            .len(),
        3
    );
    // What is described once can be chosen for a column, and the ± follows.
    begin(&stage, "Idle draw", "converter|small-inverter").await?;
    row(&stage, "12.5 0.49").await?;
    let before = stage
        .browser
        .text_until("[data-test=answer]", |text| text.starts_with("Idle"))
        .await?;
    stage
        .browser
        .click("[data-test=instruments] summary")
        .await?;
    stage
        .browser
        .fill("[data-test=instrument-name]", "shunt, green board")
        .await?;
    stage
        .browser
        .fill("[data-test=instrument-share]", "0,2")
        .await?;
    stage
        .browser
        .fill("[data-test=instrument-step]", "0.001")
        .await?;
    stage.browser.click("[data-test=describe]").await?;
    stage
        .browser
        .text_until("[data-test=instruments]", |text| {
            text.contains("shunt, green board: ± 0.2 %")
        })
        .await?;
    set(&stage, "the meter of amperes in", "shunt, green board").await?;
    stage
        .browser
        .text_until("[data-test=answer]", |text| *text != before)
        .await?;
    for theme in ["day", "blackout"] {
        stage
            .browser
            .wait(&format!(":root[data-theme={theme}]"))
            .await?;
        assert_eq!(
            stage.browser.barriers().await?,
            Vec::<String>::new(),
            "{theme}"
        );
        stage.browser.click("[data-test=theme]").await?;
    }
    stage.browser.resize(PHONE).await?;
    assert_eq!(
        stage.browser.run(OVERFLOWING).await?,
        json!([]),
        "on a phone"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_test_that_is_most_worth_its_minutes_is_begun_at_once() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    let next = stage
        .browser
        .text_until("[data-test=next]", |text| text.contains("Idle draw"))
        .await?;
    assert!(next.contains("10 min") && next.contains("a day"), "{next}");
    // On a phone it stands above what was done, and what is opened further down comes into sight.
    stage.browser.resize(PHONE).await?;
    let above = "const top = (it) => document.querySelector(it).getBoundingClientRect().top; \
        return top('[data-test=next]') < top('[data-test=kept-test]')";
    assert_eq!(stage.browser.run(above).await?, json!(true));
    let open = "const it = document.querySelector('[data-test=kept-test]'); it.scrollIntoView(); \
        it.click()";
    stage.browser.run(open).await?;
    stage.browser.wait("[data-test=test] h2").await?;
    let seen = "const box = document.querySelector('[data-test=test] h2').getBoundingClientRect(); \
        return box.top >= 0 && box.bottom < innerHeight";
    assert_eq!(stage.browser.run(seen).await?, json!(true));
    stage.browser.resize(DESK).await?;
    stage.go("/bench").await?;
    stage.browser.wait("[data-test=begin-next]").await?;
    let press = "[...document.querySelectorAll('[data-test=begin-next]')].find((it) => \
        it.textContent.includes('Idle draw')).click()";
    stage.browser.run(press).await?;
    stage
        .browser
        .text_until("[data-test=test] h2", |text| {
            text.contains("Small sine inverter")
        })
        .await?;
    // The stand-in shows volts and amperes; the key fills the row with both.
    stage
        .browser
        .text_until("[data-test=live]", |text| text.contains("amperes in"))
        .await?;
    set(&stage, "Bench meter, a stand-in: load", "0").await?;
    tokio::time::sleep(std::time::Duration::from_millis(2500)).await;
    for _ in 0..3 {
        read_row(&stage, "").await?;
    }
    stage
        .browser
        .text_until("[data-test=answer]", |text| text.starts_with("Idle 6."))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_later_test_offers_to_replace_the_figure_and_is_taken_at_its_word() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    begin(&stage, "Capacity", "source|cabin-bank").await?;
    for text in ["0 12.7 3.0", "9 12.2 3.0", "19 10.8 3.0"] {
        row(&stage, text).await?;
    }
    stage
        .browser
        .text_until("[data-test=offers]", |text| {
            text.contains("capacity of an earlier test")
        })
        .await?;
    stage
        .browser
        .text_until("[data-test=offering]", |text| {
            text.contains("offers to replace")
        })
        .await?;
    stage.browser.click("[data-test=look-use]").await?;
    stage.browser.click("[data-test=use]").await?;
    stage
        .browser
        .text_until(".outcome", |text| text.contains("in use"))
        .await?;
    stage.browser.gone("[data-test=offering]").await?;
    stage.browser.click("[data-test=take-back]").await?;
    stage
        .browser
        .text_until("[data-test=offering]", |text| {
            text.contains("offers to replace")
        })
        .await?;
    Ok(())
}
