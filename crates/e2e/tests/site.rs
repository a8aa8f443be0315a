//! The Site view, as a person uses it: several sites, habits, imports, steps.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;
use serde_json::json;

async fn stage() -> Result<Stage> {
    let stage = Stage::set(DESK).await?;
    stage.go("/site").await?;
    stage
        .browser
        .text_until("h1", |text| text == "Hollin Lock")
        .await?;
    Ok(stage)
}

const SITES: &str = ".sites ul";

#[tokio::test(flavor = "multi_thread")]
async fn sites_are_made_copied_renamed_removed_and_brought_back() -> Result<()> {
    let stage = stage().await?;
    stage
        .browser
        .enter("input[aria-label='name of a new site']", "Upper Sluice")
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Upper Sluice")
        .await?;
    // It is the one that is open on every view, also after a reload.
    stage.go("/needs").await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.starts_with("Nothing is entered")
        })
        .await?;
    stage.browser.click("[data-test=site]").await?;
    stage
        .browser
        .click("[aria-label='copy Hollin Lock']")
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Hollin Lock, another")
        .await?;
    stage
        .browser
        .enter("input[aria-label='name of the site']", "Lower Lock")
        .await?;
    stage
        .browser
        .text_until("[data-test=journal]", |text| {
            text.contains("name Hollin Lock, another → Lower Lock")
        })
        .await?;
    stage
        .browser
        .text_until("[data-test=site]", |text| text == "Lower Lock")
        .await?;
    stage
        .browser
        .click("[aria-label='open Hollin Lock']")
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Hollin Lock")
        .await?;
    stage
        .browser
        .click("[aria-label='remove Lower Lock']")
        .await?;
    stage
        .browser
        .text_until("[data-test=removed-site]", |text| {
            text.contains("Lower Lock")
        })
        .await?;
    stage
        .browser
        .click("[aria-label='bring it back: Lower Lock']")
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Lower Lock")
        .await?;
    let sites = stage
        .browser
        .text_until(SITES, |text| !text.contains("removed"))
        .await?;
    for name in ["Hollin Lock", "Lower Lock", "Upper Sluice"] {
        assert!(sites.contains(name), "{sites}");
    }
    // Without any site the page asks for the first.
    for name in ["Lower Lock", "Hollin Lock", "Upper Sluice"] {
        stage
            .browser
            .click(&format!("[aria-label='remove {name}']"))
            .await?;
        stage
            .browser
            .wait(&format!("[aria-label='bring it back: {name}']"))
            .await?;
    }
    stage
        .browser
        .text_until(".empty", |text| text.contains("Give the first one a name"))
        .await?;
    stage
        .browser
        .click("[aria-label='bring it back: Hollin Lock']")
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Hollin Lock")
        .await?;
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_sites_own_facts_are_edited_and_each_is_a_step() -> Result<()> {
    let stage = stage().await?;
    let journal = "[data-test=journal]";
    stage
        .browser
        .enter("input[aria-label=temperature]", "-3")
        .await?;
    stage
        .browser
        .text_until(journal, |text| {
            text.contains("Hollin Lock: ambient 12 → -3 °C")
        })
        .await?;
    stage
        .browser
        .enter("input[aria-label=longitude]", "2.4 W")
        .await?;
    stage
        .browser
        .shows("input[aria-label=longitude]", "-2.4")
        .await?;
    stage
        .browser
        .text_until(journal, |text| text.contains("place longitude"))
        .await?;
    let mains = stage.browser.wait("select[aria-label=mains]").await?;
    mains.select_by_value("120/60").await?;
    stage
        .browser
        .text_until(journal, |text| {
            text.contains("mains voltage 230 → 120 V; mains frequency 50 → 60 Hz")
        })
        .await?;
    stage
        .browser
        .enter("input[aria-label='tight from']", "120 %")
        .await?;
    stage
        .browser
        .text_until("[role=alert]", |text| text.contains("at most 100 %"))
        .await?;
    stage
        .browser
        .enter("input[aria-label='tight from']", "70 %")
        .await?;
    stage
        .browser
        .text_until(journal, |text| text.contains("policy tight from 0.8 → 0.7"))
        .await?;
    stage.browser.click("[data-test=undo]").await?;
    stage
        .browser
        .shows("input[aria-label='tight from']", "80 %")
        .await?;
    stage
        .browser
        .text_until(journal, |text| text.contains("undone"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn habits_are_remembered_and_hold_everywhere() -> Result<()> {
    let stage = stage().await?;
    for (name, value) in [
        ("numbers", "comma"),
        ("temperatures", "f"),
        ("lengths", "ft"),
        ("leads", "awg"),
    ] {
        stage
            .browser
            .wait(&format!("select[aria-label={name}]"))
            .await?
            .select_by_value(value)
            .await?;
    }
    stage
        .browser
        .shows("input[aria-label=temperature]", "53,6")
        .await?;
    stage
        .browser
        .enter("input[aria-label=temperature]", "50")
        .await?;
    stage
        .browser
        .text_until("[data-test=journal]", |text| text.contains("→ 50 °F"))
        .await?;
    stage.go("/supply").await?;
    // 50 °F are 10 °C; the sum says so in °F, and its decimals have commas.
    let bank = stage
        .browser
        .text_until("#source-house-bank", |text| text.contains("50 °F"))
        .await?;
    assert!(
        bank.contains("13,1 V on average, and not 12,8 V") && bank.contains("1.280 Wh"),
        "{bank}"
    );
    stage
        .browser
        .enter("input[aria-label='House bank, capacity']", "99,5")
        .await?;
    stage
        .browser
        .shows("input[aria-label='House bank, capacity']", "99,5 Ah")
        .await?;
    stage.go("/chains").await?;
    let lead = "input[aria-label='length, ft']";
    let feet = stage
        .browser
        .value(lead)
        .await?
        .replace(',', ".")
        .parse::<f64>()?;
    let gauge = stage.browser.value("input[aria-label='gauge']").await?;
    assert!(feet > 3.0 && gauge.parse::<i32>().is_ok(), "{feet} {gauge}");
    stage.browser.fill(lead, "32,8").await?;
    let address = format!("{}/api/sites/hollin-lock/plan", stage.server.address());
    let lengths = format!(
        "const done = arguments[0]; fetch('{address}').then((it) => it.json()).then((it) => \
        done(JSON.stringify(it.plan.arrangements)))"
    );
    let mut found = false;
    for _ in 0..100 {
        let plan = stage
            .browser
            .client
            .execute_async(&lengths, Vec::new())
            .await?;
        found = plan.as_str().is_some_and(|it| {
            it.contains("\"length_m\":9.997") || it.contains("\"length_m\":{\"value\":9.997")
        });
        if found {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert!(found, "32.8 ft are 9.997 m");
    Ok(())
}

const SHEET: &str = "Device\\tPower (W)\\tVolts\\tColour\\nTide \
    gauge\\t2.4\\t12\\tred\\nLamp\\tmany\\t12\\t\\nFan\\t3\\t\\t\\n";

#[tokio::test(flavor = "multi_thread")]
async fn pasted_rows_are_shown_with_their_errors_before_they_land() -> Result<()> {
    let stage = stage().await?;
    let paste = format!(
        "const box = document.querySelector('textarea'); box.value = \"{SHEET}\"; \
        box.dispatchEvent(new Event('input'))"
    );
    stage.browser.run(&paste).await?;
    stage.browser.click("[data-test=look]").await?;
    let told = stage
        .browser
        .text_until("[data-test=preview]", |text| text.contains("Adds"))
        .await?;
    for words in [
        "Adds 1; 3 could not be read.",
        "device added: Tide gauge",
        "row 3",
        "“many”",
        "row 4",
        "rated_v",
        "Colour",
    ] {
        assert!(told.contains(words), "{words} is not in {told}");
    }
    assert_eq!(stage.browser.text("[data-test=site]").await?, "Hollin Lock");
    stage.go("/needs").await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.starts_with("Twelve things")
        })
        .await?;
    stage.go("/site").await?;
    stage.browser.wait("textarea").await?;
    stage.browser.run(&paste).await?;
    stage.browser.click("[data-test=look]").await?;
    stage.browser.click("[data-test=yes]").await?;
    stage
        .browser
        .text_until("[data-test=journal]", |text| {
            text.contains("imported: Adds 1")
        })
        .await?;
    stage.browser.gone("[data-test=preview]").await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until("[data-test=journal]", |text| text.contains("undone"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_whole_site_goes_out_as_one_file_and_opens_again() -> Result<()> {
    let stage = stage().await?;
    let script = "const done = arguments[0]; (async () => { const link = \
        [...document.querySelectorAll('.files a')][0]; \
        const text = await (await fetch(link.href)).text(); const box = \
        document.querySelector('textarea'); \
        box.value = text; box.dispatchEvent(new Event('input')); \
        done(link.hasAttribute('download')) })()";
    assert_eq!(
        stage
            .browser
            .client
            .execute_async(script, Vec::new())
            .await?,
        json!(true)
    );
    stage.browser.click("[data-test=look]").await?;
    let told = stage
        .browser
        .text_until("[data-test=preview]", |text| text.contains("there already"))
        .await?;
    assert!(told.contains("Changes nothing"), "{told}");
    stage.browser.click("[data-test=as-site]").await?;
    stage
        .browser
        .text_until(SITES, |text| text.matches("Hollin Lock").count() == 2)
        .await?;
    stage.go("/needs").await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.starts_with("Twelve things")
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_site_that_was_removed_in_another_window_is_told() -> Result<()> {
    let stage = stage().await?;
    stage
        .browser
        .click("[aria-label='copy Hollin Lock']")
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Hollin Lock, another")
        .await?;
    let address = format!("{}/api/sites/hollin-lock-another", stage.server.address());
    let script = format!(
        "const done = arguments[0]; fetch('{address}', {{ method: 'DELETE' }}).then((it) => \
        done(it.status))"
    );
    assert_eq!(
        stage
            .browser
            .client
            .execute_async(&script, Vec::new())
            .await?,
        json!(204)
    );
    stage
        .browser
        .text_until(".said", |text| {
            text == "Hollin Lock, another was removed elsewhere."
        })
        .await?;
    stage
        .browser
        .text_until("h1", |text| text == "Hollin Lock")
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_overflows_and_no_barrier_stands_in_either_theme() -> Result<()> {
    let stage = stage().await?;
    for size in [DESK, PHONE] {
        stage.browser.resize(size).await?;
        for theme in ["day", "blackout"] {
            stage
                .browser
                .wait(&format!(":root[data-theme={theme}]"))
                .await?;
            assert_eq!(
                stage.browser.run(OVERFLOWING).await?,
                json!([]),
                "at {size:?}, {theme}"
            );
            assert_eq!(
                stage.browser.barriers().await?,
                Vec::<String>::new(),
                "at {size:?}, {theme}"
            );
            stage
                .browser
                .client
                .find(Locator::Css("[data-test=theme]"))
                .await?
                .click()
                .await?;
        }
    }
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_that_were_left_hold_nothing_up() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    // More pages than a browser has connections to one server: each lets go of its event stream.
    for path in [
        "/chains", "/needs", "/supply", "/chains", "/site", "/needs", "/supply", "/chains",
        "/bench",
    ] {
        stage.go(path).await?;
        stage.browser.wait("main").await?;
        stage.browser.rests().await?;
    }
    let write = "const done = arguments[0]; setTimeout(() => done('it waits'), 8000); \
        fetch('/api/sites/hollin-lock/copy', {method: 'POST', headers: {'content-type': \
        'application/json'}, body: JSON.stringify({name: 'Lower Lock'})}).then((it) => \
        done(it.status))";
    assert_eq!(
        stage
            .browser
            .client
            .execute_async(write, Vec::new())
            .await?,
        serde_json::json!(201)
    );
    Ok(())
}
