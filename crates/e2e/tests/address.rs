//! What is looked at stands in the address: a reload, or a link that is sent, shows the same.

use anyhow::Result;
use ash_pond_e2e::{DESK, Stage};
use serde_json::json;

/// One part of the question in the address.
fn part(name: &str) -> String {
    format!("arguments[0](new URLSearchParams(location.search).get('{name}'))")
}

#[tokio::test(flavor = "multi_thread")]
async fn a_link_to_chains_shows_what_its_sender_saw() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    let at_first = browser.text("[data-test=headline]").await?;
    stage
        .go("/chains?ways=direct,shared-out&moment=starting:router&charge=0.35&panel=findings")
        .await?;
    browser.wait("[data-test=findings]").await?;
    let pressed = "arguments[0]([...document.querySelectorAll('[data-test=way][aria-pressed=true]')]\
        .length)";
    browser.run_until(pressed, |it| *it == json!(2)).await?;
    let charge = browser.value("[data-test=charge]").await?;
    assert!((charge.parse::<f64>()? - 0.35).abs() < 1e-9, "{charge}");
    let headline = browser
        .text_until("[data-test=headline]", |it| it.len() > 5 && *it != at_first)
        .await?;
    // Every address names its site, whatever it named before.
    browser
        .run_until(&part("site"), |it| *it == json!("hollin-lock"))
        .await?;
    // What is chosen by hand stands there too, and what is as at first does not.
    browser.press('g', false).await?;
    browser.wait("[data-test=gauges]").await?;
    browser
        .run_until(&part("panel"), |it| *it == json!("gauges"))
        .await?;
    browser.press('g', false).await?;
    browser.run_until(&part("panel"), |it| it.is_null()).await?;
    browser.run("location.reload()").await?;
    browser.run_until(pressed, |it| *it == json!(2)).await?;
    browser
        .text_until("[data-test=headline]", |it| *it == headline)
        .await?;
    let moment = browser.run_async(&part("moment")).await?;
    assert_eq!(moment, json!("starting:router"));
    // A moment that is not is left for what runs.
    stage
        .go("/chains?ways=direct&moment=starting:nobody")
        .await?;
    browser
        .text_until("[data-test=headline]", |it| it.len() > 5)
        .await?;
    browser
        .run_until(&part("moment"), |it| it.is_null())
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_link_to_an_outage_shows_its_hour_and_what_is_dropped() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage
        .go("/outage?way=direct&outage=works-cut&drop=hatchery-lamp&hour=1.5&row=router")
        .await?;
    let read = browser
        .text_until("[data-test=cursor-line]", |it| it.contains("after 1 h 30"))
        .await?;
    let headline = browser
        .text_until("[data-test=headline]", |it| it.len() > 5)
        .await?;
    browser.run("location.reload()").await?;
    browser
        .text_until("[data-test=headline]", |it| *it == headline)
        .await?;
    browser
        .text_until("[data-test=cursor-line]", |it| *it == read)
        .await?;
    let dropped = browser.run_async(&part("drop")).await?;
    assert_eq!(dropped, json!("hatchery-lamp"));
    // What no longer is, or never was, is left out.
    stage
        .go("/outage?way=gone&outage=never&hour=soon&row=nobody&below=x")
        .await?;
    browser
        .text_until("[data-test=headline]", |it| it.len() > 5)
        .await?;
    browser
        .run_until(&part("way"), |it| it != &json!("gone"))
        .await?;
    browser.run_until(&part("hour"), |it| it.is_null()).await?;
    assert_eq!(browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_link_opens_its_site_and_says_where_there_is_none() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.open(ash_pond::HUT_PLAN, "/supply").await?;
    let site = "[data-test=site]";
    browser
        .text_until(site, |it| it.contains("Weir Hut"))
        .await?;
    // The views keep it, and going back goes back to it.
    stage.go("/needs?site=hollin-lock").await?;
    browser
        .text_until(site, |it| it.contains("Hollin Lock"))
        .await?;
    browser.press('2', false).await?;
    browser
        .run_until(&part("site"), |it| *it == json!("hollin-lock"))
        .await?;
    browser.run("history.go(-2)").await?;
    browser
        .text_until(site, |it| it.contains("Weir Hut"))
        .await?;
    stage.go("/needs?site=nowhere").await?;
    browser
        .text_until("[role=alert]", |it| {
            it.contains("There is no site “nowhere” here; this is ")
        })
        .await?;
    Ok(())
}
