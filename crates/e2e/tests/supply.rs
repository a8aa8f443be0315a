//! The Supply view, as a person uses it.

use anyhow::Result;
use ash_pond_core::plan::Plan;
use ash_pond_core::supply::{Supply, supply};
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;

const HEADLINE: &str = "[data-test=headline]";

/// What core says of the demo's sources and converters.
fn computed(edit: impl FnOnce(&mut Plan)) -> Supply {
    let mut plan = Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    edit(&mut plan);
    supply(&plan)
}

async fn stage() -> Result<Stage> {
    let stage = Stage::set(DESK).await?;
    stage.go("/supply").await?;
    stage.browser.text_until(HEADLINE, |text| text.starts_with("5 stores")).await?;
    Ok(stage)
}

#[tokio::test(flavor = "multi_thread")]
async fn each_store_outlet_and_converter_says_what_the_core_says() -> Result<()> {
    let stage = stage().await?;
    let expected = computed(|_| {});
    assert_eq!(stage.browser.text(HEADLINE).await?, expected.headline);
    let bank = stage.browser.text("#source-house-bank").await?;
    let stored = expected.sources[0].stored.as_ref().unwrap();
    for words in
        [&format!("1,{:03.0} Wh", stored.usable_wh - 1000.0), "of the 1,280 Wh by its label", &stored.steps[0].words]
    {
        assert!(bank.contains(words), "{words} is not in {bank}");
    }
    let station = stage.browser.text("#source-station").await?;
    for words in [
        "8 A, 9 A for 3 s",
        "130 W, shared by dc",
        "230 Wh a day, 37 % of the store",
        "turns itself off below 5 W",
        "1200 W for a time nobody states",
        "not known: for how long it carries its peak",
        "wall: up to 300 W, 20 to 80 % in 1.7 h",
    ] {
        assert!(station.contains(words), "{words} is not in {station}");
    }
    let inverter = stage.browser.text("#converter-small-inverter").await?;
    for words in ["190 Wh a day just to be on", "7.3 W, 47 % in Through the small inverter"] {
        assert!(inverter.contains(words), "{words} is not in {inverter}");
    }
    // Cautions stand where they matter, in the product's own words.
    assert!(bank.contains("A fuse at the positive terminal"), "{bank}");
    assert!(stage.browser.text("#source-mains").await?.contains("a licensed electrician"));
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_figure_is_edited_in_place_and_undone() -> Result<()> {
    let stage = stage().await?;
    let before = stage.browser.text(HEADLINE).await?;
    let smaller =
        computed(|plan| plan.kit.sources[0].battery.as_mut().unwrap().capacity_ah = Some(60.0.into())).headline;
    stage.browser.fill("input[aria-label='House bank, capacity']", "60\u{e007}").await?;
    stage.browser.text_until(HEADLINE, |text| text == smaller).await?;
    let idle = "input[aria-label='outlet costs to be on']";
    stage.browser.fill(idle, "4±0.5 m\u{e007}").await?;
    stage.browser.text_until("#source-station", |text| text.contains("96 Wh a day, 15 % of the store")).await?;
    stage.browser.fill(idle, "much\u{e007}").await?;
    let sentence = stage.browser.text("#source-station [role=alert]").await?;
    assert!(sentence.contains("“much”"), "{sentence}");
    stage.browser.run("document.activeElement.blur()").await?;
    stage.go("/supply").await?;
    stage.browser.text_until("#source-station", |text| text.contains("96 Wh a day")).await?;
    stage.browser.press('z', true).await?;
    stage.browser.press('z', true).await?;
    stage.browser.text_until(HEADLINE, |text| text == before).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_converter_is_added_from_a_kind_and_a_source_goes_with_its_chains() -> Result<()> {
    let stage = stage().await?;
    stage.browser.press('c', false).await?;
    stage.browser.wait("input[aria-label='find a kind']").await?.send_keys("trigger\u{e007}").await?;
    stage.browser.text_until("#converter-usb-c-trigger-lead", |text| text.contains("on the shelf")).await?;
    let button = "#source-cabin-bank .actions button";
    stage.browser.client.find(Locator::Css(button)).await?.click().await?;
    stage.browser.text_until(HEADLINE, |text| text.starts_with("4 stores")).await?;
    stage.browser.press('z', true).await?;
    stage.browser.text_until(".said", |text| text == "Undone: source removed: Cabin bank").await?;
    stage.browser.text_until(HEADLINE, |text| text.starts_with("5 stores")).await?;
    stage.browser.press('z', true).await?;
    stage.browser.text_until(".said", |text| text == "Undone: converter added: USB-C trigger lead").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_overflows_on_a_laptop_or_a_phone_in_either_theme() -> Result<()> {
    let stage = stage().await?;
    for size in [DESK, PHONE] {
        stage.browser.resize(size).await?;
        stage.go("/supply").await?;
        stage.browser.text_until(HEADLINE, |text| text.starts_with("5 stores")).await?;
        for theme in ["day", "blackout"] {
            stage.browser.wait(&format!(":root[data-theme={theme}]")).await?;
            assert_eq!(stage.browser.run(OVERFLOWING).await?, serde_json::json!([]), "at {size:?}, {theme}");
            stage.browser.wait("[data-test=theme]").await?.click().await?;
        }
    }
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}
