//! What is said is so: a missing answer is no good one, one scenario is the same in every place,
//! and what is typed in a unit is read in it.

use anyhow::Result;
use ash_pond_e2e::{DESK, Stage};

/// Leads, heat and clocks as people across the sea have them.
const OVERSEAS: &str = "localStorage.setItem('ash-pond.habits', JSON.stringify({decimal: 'point', \
    temperature: 'f', \
                        length: 'ft', area: 'awg', date: 'mdy', clock: '12h'})); location.reload()";

#[tokio::test(flavor = "multi_thread")]
async fn a_missing_answer_is_told_and_asked_for_again() -> Result<()> {
    let mut stage = Stage::set(DESK).await?;
    stage.go("/bench").await?;
    stage.browser.wait("[data-test=next] li").await?;
    stage.browser.click("a[href='/needs']").await?;
    stage.browser.wait("[data-test=device]").await?;
    stage.server.stop().await;
    stage.browser.click("a[href='/bench']").await?;
    let failed = stage
        .browser
        .text("[data-test=next] [data-test=failed]")
        .await?;
    assert!(failed.contains("again"), "{failed}");
    // Nothing is measured well because nobody answered.
    stage.browser.gone("[data-test=all-measured]").await?;
    stage.server.restart().await?;
    stage
        .browser
        .click("[data-test=next] [data-test=ask-again]")
        .await?;
    stage.browser.wait("[data-test=next] li").await?;
    stage
        .browser
        .gone("[data-test=next] [data-test=failed]")
        .await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_blank_outage_is_made_typed_by_habit_and_removed() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    browser.run(OVERSEAS).await?;
    // Each habit can be chosen, the clock too.
    stage.go("/site").await?;
    for (name, value) in [
        ("temperatures", "f"),
        ("lengths", "ft"),
        ("leads", "awg"),
        ("dates", "mdy"),
        ("clock", "12h"),
    ] {
        browser
            .shows(&format!("select[aria-label={name}]"), value)
            .await?;
    }
    stage.go("/outage").await?;
    browser.wait("[data-test=headline]").await?;
    browser.press('e', false).await?;
    let before = browser
        .run("return document.querySelectorAll(\"select[aria-label=outage] option\").length")
        .await?;
    browser.click("[data-test=ready-made]").await?;
    browser.click("[data-test=blank-outage]").await?;
    browser
        .text_until("[data-test=headline]", |it| it.starts_with("Outage"))
        .await?;
    browser
        .enter("[aria-label=start]", "1/15/2026 4:30 pm")
        .await?;
    browser
        .shows("[aria-label=start]", "01/15/2026 4:30 pm")
        .await?;
    browser
        .enter("[aria-label=start]", "30/15/2026 4:30")
        .await?;
    let refused = browser
        .text("[data-test=outage-editor] [role=alert]")
        .await?;
    assert!(refused.contains("11/25/2026 4:30 pm"), "{refused}");
    browser
        .enter("[aria-label=start]", "1/15/2026 17:30")
        .await?;
    browser
        .text_until("[data-test=cursor-line]", |it| it.contains("5:30 pm"))
        .await?;
    browser
        .enter("[aria-label='temperature, °F']", "-5 °C")
        .await?;
    browser
        .shows("[aria-label='temperature, °F']", "23")
        .await?;
    browser.click("[data-test=remove-outage]").await?;
    browser
        .text_until("[data-test=headline]", |it| !it.starts_with("Outage"))
        .await?;
    let after = browser
        .run("return document.querySelectorAll(\"select[aria-label=outage] option\").length")
        .await?;
    assert_eq!(before, after);
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_lead_is_typed_in_feet_and_gauges_and_stays_what_it_is() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.look_at("Straight off the bank").await?;
    browser.press('b', false).await?;
    let (length, size) = (
        "[aria-label='length of the lead to Gate camera']",
        "[aria-label='size of the lead to Gate camera']",
    );
    browser.enter(length, "10 ft").await?;
    browser.shows(length, "3.048").await?;
    browser.enter(size, "12 AWG").await?;
    browser.shows(size, "12").await?;
    browser
        .shows("[aria-label='unit of the lead to Gate camera']", "awg")
        .await?;
    // Counted in mm² it is no thicker than it was.
    browser
        .run(
            "const it = document.querySelector(\"[aria-label='unit of the lead to Gate \
        camera']\"); it.value = 'mm2'; it.dispatchEvent(new Event('change', {bubbles: \
        true}))",
        )
        .await?;
    browser.shows(size, "3.3").await?;
    browser.enter(size, "1/0 AWG").await?;
    browser.shows(size, "1/0").await?;
    browser.enter(size, "thick").await?;
    let refused = browser.text("[data-test=feed] [role=alert]").await?;
    assert!(refused.contains("12 AWG"), "{refused}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_dropped_is_dropped_on_paper_too() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/outage").await?;
    browser
        .wait("[data-test=shed-board] [data-drop=terminal]")
        .await?;
    let before = browser.text("[data-test=headline]").await?;
    browser
        .click("[data-test=shed-board] [data-drop=terminal]")
        .await?;
    let headline = browser
        .text_until("[data-test=headline]", |it| it != before)
        .await?;
    let paper = browser
        .run(
            "return [...document.querySelectorAll('a')].find((it) => \
        it.textContent.trim() === 'paper plan').getAttribute('href')",
        )
        .await?;
    stage.go(paper.as_str().unwrap_or_default()).await?;
    let scene = browser
        .text_until("[data-test=paper-scene]", |it| {
            it.contains("Satellite terminal")
        })
        .await?;
    assert!(
        scene.contains("Without Satellite terminal, from the beginning"),
        "{scene}"
    );
    // How sure that is stands on paper too.
    browser
        .text_until("[data-test=paper-range]", |it| it.contains("Router lasts"))
        .await?;
    let told = browser.text("[data-test=paper]").await?;
    assert!(told.contains("in nine of ten"), "{told}");
    assert!(
        told.contains(&headline),
        "{headline} is not on paper: {told}"
    );
    Ok(())
}
