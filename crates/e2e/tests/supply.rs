//! The Supply view, as a person uses it.

use anyhow::Result;
use ash_pond_core::advice::supply::{Supply, supply};
use ash_pond_core::site::plan::Plan;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;
use serde_json::json;

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
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("5 stores"))
        .await?;
    Ok(stage)
}

#[tokio::test(flavor = "multi_thread")]
async fn each_store_outlet_and_converter_says_what_the_core_says() -> Result<()> {
    let stage = stage().await?;
    let expected = computed(|_| {});
    assert_eq!(stage.browser.text(HEADLINE).await?, expected.headline);
    assert_eq!(
        stage.browser.text("[data-test=enough]").await?,
        expected.enough.clone().unwrap()
    );
    let bank = stage.browser.text("#source-house-bank").await?;
    let stored = expected.sources[0].stored.as_ref().unwrap();
    for words in [
        &format!("1,{:03.0} Wh", stored.usable_wh - 1000.0),
        "of the 1,280 Wh by its label",
        &*stored.steps[0].words.plain(),
    ] {
        assert!(bank.contains(words), "{words} is not in {bank}");
    }
    let station = stage.browser.text("#source-station").await?;
    for words in [
        "8 A, 9 A for 3 s",
        "130 W, shared by dc",
        "230 Wh a day left on, 37 % of the store",
        "turns itself off below 5 W",
        "1200 W for a time nobody states",
        "not known: for how long it carries its peak",
        "up to 300 W, 20 to 80 % in 1.7 h",
        "11 to 30 V, 8 A from 11 V, 10 A from 20 V; 94 % of it arrives",
        "nothing before the floor, in “Shared out”",
    ] {
        assert!(station.contains(words), "{words} is not in {station}");
    }
    let inverter = stage.browser.text("#converter-small-inverter").await?;
    for words in [
        "190 Wh a day just to be on",
        "7.4 W, 47 % in Through the small inverter",
    ] {
        assert!(inverter.contains(words), "{words} is not in {inverter}");
    }
    // Cautions stand where they matter, in the product's own words.
    assert!(bank.contains("A fuse at the positive terminal"), "{bank}");
    assert!(
        stage
            .browser
            .text("#source-mains")
            .await?
            .contains("a licensed electrician")
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_figure_is_edited_in_place_and_undone() -> Result<()> {
    let stage = stage().await?;
    let before = stage.browser.text(HEADLINE).await?;
    let smaller = computed(|plan| {
        plan.kit.sources[0].battery.as_mut().unwrap().capacity_ah = Some(60.0.into());
    })
    .headline;
    stage
        .browser
        .fill("input[aria-label='House bank, capacity']", "60\u{e007}")
        .await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == smaller)
        .await?;
    let idle = "#source-station input[aria-label='outlet costs to be on']";
    stage.browser.fill(idle, "4±0.5 m\u{e007}").await?;
    stage
        .browser
        .text_until("#source-station", |text| {
            text.contains("96 Wh a day left on, 15 % of the store")
        })
        .await?;
    stage.browser.fill(idle, "much\u{e007}").await?;
    let sentence = stage.browser.text("#source-station [role=alert]").await?;
    assert!(sentence.contains("“much”"), "{sentence}");
    stage.browser.run("document.activeElement.blur()").await?;
    stage.go("/supply").await?;
    stage
        .browser
        .text_until("#source-station", |text| {
            text.contains("96 Wh a day left on")
        })
        .await?;
    stage.browser.press('z', true).await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == before)
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_figure_was_is_one_click_from_where_it_stands() -> Result<()> {
    let stage = stage().await?;
    let browser = &stage.browser;
    // The size of the cabin bank was measured three times.
    let door = "#source-cabin-bank [data-test=figure-past]";
    browser.wait(door).await?;
    browser
        .run(&format!("document.querySelector('{door}').click()"))
        .await?;
    let said = browser
        .text_until("[data-test=past-sentence]", |it| {
            it.contains("stands in place of")
        })
        .await?;
    assert!(
        said.starts_with("62 ± 3 Ah, measured by its test") && said.contains("later measurement"),
        "{said}"
    );
    // It slides in: what has not come yet is not read.
    let all = |it: &str| it.contains("an earlier test") && it.contains(", stands");
    browser.text_until("[data-test=past-rows]", all).await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    browser.press('\u{e00c}', false).await?;
    browser.gone("[data-test=past-sentence]").await?;
    // What nobody changed has none, and has one once it is typed over.
    let outlet = "#source-station [data-test=figure-past]";
    assert_eq!(
        browser
            .run(&format!(
                "return document.querySelectorAll('{outlet}').length"
            ))
            .await?,
        json!(0)
    );
    browser
        .fill(
            "#source-station input[aria-label='outlet costs to be on']",
            "4±0.5 m\u{e007}",
        )
        .await?;
    browser.run("document.activeElement.blur()").await?;
    browser.wait(outlet).await?;
    browser
        .run(&format!("document.querySelector('{outlet}').click()"))
        .await?;
    let said = browser
        .text_until("[data-test=past-sentence]", |it| it.contains("4.0 ± 0.5 W"))
        .await?;
    assert!(said.contains("stands in place of 9.6"), "{said}");
    Ok(())
}

/// The demo's second site: when what comes in, and how long the generator must run each day, where
/// the store stands.
#[tokio::test(flavor = "multi_thread")]
async fn a_day_of_charging_is_told_where_the_store_stands() -> Result<()> {
    let stage = stage().await?;
    let browser = &stage.browser;
    stage.open(ash_pond::HUT_PLAN, "/supply").await?;
    let place = "#source-hut-bank [data-test=filling-place]";
    browser.wait(place).await?;
    browser
        .run(&format!(
            "document.querySelector('{place} summary').click()"
        ))
        .await?;
    let day = browser
        .text_until("#source-hut-bank [data-test=engine-day]", |it| {
            it.contains("generator")
        })
        .await?;
    assert!(
        day.starts_with("Run Suitcase generator from ")
            || day.starts_with("Suitcase generator need not run"),
        "{day}"
    );
    browser
        .run(&format!(
            "document.querySelector('{place} .days summary').click()"
        ))
        .await?;
    let spans = browser
        .text_until("[data-test=fill-spans]", |it| it.contains("Wh"))
        .await?;
    assert!(
        spans.contains("Roof panel → Panel controller") && spans.contains(" to "),
        "{spans}"
    );
    // The step-up in the van gets as warm as it bears, and the way in says so.
    let van = "#source-box [data-test=filling-place]";
    browser
        .run(&format!("document.querySelector('{van} summary').click()"))
        .await?;
    browser
        .text_until(van, |it| it.contains("keep it so"))
        .await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    Ok(())
}

/// What divides a lead is edited as everything else is: what it carries, and whether it crosses
/// plus and minus.
#[tokio::test(flavor = "multi_thread")]
async fn a_block_is_edited_in_place_and_undone() -> Result<()> {
    const MOST: &str = "input[aria-label='Distribution block, ways, at most']";
    const KEPT: &str = "const done = arguments[0]; fetch('/api/sites/hollin-lock/plan').then((it) \
        => it.json())\
        .then((it) => (it.plan ?? it).kit.converters.find((it) => it.id === 'block'))\
        .then((it) => done([it.reverses_polarity ?? false, it.outputs[0].limit.continuous_a.value \
        ?? it.outputs[0].limit.continuous_a]))";
    let stage = stage().await?;
    let browser = &stage.browser;
    let kept = async |good: serde_json::Value| -> Result<()> {
        for _ in 0..100 {
            if browser.run_async(KEPT).await? == good {
                return Ok(());
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        anyhow::bail!("{} and not {good}", browser.run_async(KEPT).await?)
    };
    assert!(
        browser
            .text("[data-test=junction-block]")
            .await?
            .contains("in Direct DC")
    );
    browser.fill(MOST, "50\u{e007}").await?;
    kept(json!([false, 50])).await?;
    let cross = "const it = document.querySelector('[data-test=junction-block] \
        select[aria-label^=plus]'); \
        it.value = 'true'; it.dispatchEvent(new Event('change'))";
    browser.run(cross).await?;
    kept(json!([true, 50])).await?;
    browser.run("document.activeElement.blur()").await?;
    browser.press('z', true).await?;
    kept(json!([false, 50])).await?;
    browser.press('z', true).await?;
    kept(json!([false, 60])).await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_converter_is_added_from_a_kind_and_a_source_goes_with_its_chains() -> Result<()> {
    let stage = stage().await?;
    stage.browser.press('c', false).await?;
    stage
        .browser
        .wait("input[aria-label='find a kind']")
        .await?
        .send_keys("trigger\u{e007}")
        .await?;
    stage
        .browser
        .text_until("#converter-usb-c-trigger-lead", |text| {
            text.contains("on the shelf")
        })
        .await?;
    let button = "#source-cabin-bank .actions button:last-child";
    stage
        .browser
        .client
        .find(Locator::Css(button))
        .await?
        .click()
        .await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("4 stores"))
        .await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(".said", |text| text == "Undone: source removed: Cabin bank")
        .await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("5 stores"))
        .await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(".said", |text| {
            text == "Undone: converter added: USB-C trigger lead"
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_overflows_on_a_laptop_or_a_phone_in_either_theme() -> Result<()> {
    let stage = stage().await?;
    for size in [DESK, PHONE] {
        stage.browser.resize(size).await?;
        stage.go("/supply").await?;
        stage
            .browser
            .text_until(HEADLINE, |text| text.starts_with("5 stores"))
            .await?;
        for theme in ["day", "blackout"] {
            stage
                .browser
                .wait(&format!(":root[data-theme={theme}]"))
                .await?;
            assert_eq!(
                stage.browser.run(OVERFLOWING).await?,
                serde_json::json!([]),
                "at {size:?}, {theme}"
            );
            stage
                .browser
                .wait("[data-test=theme]")
                .await?
                .click()
                .await?;
        }
    }
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_overload_without_a_time_is_unproven_until_its_time_is_known() -> Result<()> {
    let stage = stage().await?;
    let socket = "#source-station [data-test=port]";
    stage
        .browser
        .text_until(socket, |text| text.contains("trips run 1.6"))
        .await?;
    stage.browser.click(&format!("{socket} .toggle")).await?;
    let time = "#source-station input[aria-label='12 V socket for how long, 1']";
    stage.browser.shows(time, "3 ± 1 m").await?;
    // 9.7 A for 150 s: an overload of 12 A whose time nobody states proves nothing.
    stage
        .browser
        .enter(
            "#source-station input[aria-label='12 V socket for a while, 1']",
            "12",
        )
        .await?;
    stage.browser.fill(time, "\u{8}\u{e007}").await?;
    let told = stage
        .browser
        .text_until(socket, |text| text.contains("unproven"))
        .await?;
    assert!(
        told.contains("8 A, 12 A for a time nobody states")
            && told.contains("not known: for how long it carries its peak"),
        "{told}"
    );
    assert!(told.contains("measure it"), "{told}");
    stage.browser.enter(time, "5 min d").await?;
    stage
        .browser
        .text_until(socket, |text| {
            text.contains("brief") && text.contains("12 A for 300 s")
        })
        .await?;
    // An outlet that turns itself off under its running load is told in the same row.
    stage
        .browser
        .enter(
            "#source-station input[aria-label='12 V socket turns itself off below']",
            "40",
        )
        .await?;
    stage
        .browser
        .text_until(socket, |text| {
            text.contains("turns itself off below 40 W for 2 h")
        })
        .await?;
    stage.browser.wait(&format!("{socket} .auto.quits")).await?;
    for _ in 0..4 {
        stage.browser.press('z', true).await?;
    }
    stage
        .browser
        .text_until(socket, |text| {
            text.contains("8 A, 9 A for 3 s") && text.contains("trips run 1.6")
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_pack_that_states_only_milliampere_hours_is_a_choice() -> Result<()> {
    let stage = stage().await?;
    let field = "input[aria-label='Router pack, capacity']";
    stage.browser.enter(field, "20000 mAh l").await?;
    let told = stage
        .browser
        .text_until("#source-router-pack .question", |text| {
            text.contains("choose")
        })
        .await?;
    assert!(
        told.contains("20 Ah × 12 V of an outlet = 240 Wh") && told.contains("of a cell"),
        "{told}"
    );
    stage
        .browser
        .click("#source-router-pack [data-test=reading]")
        .await?;
    stage
        .browser
        .text_until("#source-router-pack .sum", |text| {
            text.contains("by its label")
        })
        .await?;
    stage
        .browser
        .text_until("#source-router-pack .entry .note", |text| {
            text.contains("of a cell")
        })
        .await?;
    stage.browser.enter(field, "lots").await?;
    let sentence = stage
        .browser
        .text("#source-router-pack [role=alert]")
        .await?;
    assert!(
        sentence.contains("“lots”") && sentence.contains("20000 mAh"),
        "{sentence}"
    );
    assert_eq!(stage.browser.value(field).await?, "lots");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_converter_with_only_a_label_gets_a_law_that_says_so() -> Result<()> {
    let stage = stage().await?;
    let inverter = "#converter-small-inverter";
    stage.browser.click(&format!("{inverter} .toggle")).await?;
    stage
        .browser
        .click(&format!("{inverter} [aria-label^='it has only a label']"))
        .await?;
    stage
        .browser
        .enter(
            &format!("{inverter} input[aria-label$='efficiency by its label']"),
            "90 %",
        )
        .await?;
    stage
        .browser
        .enter(
            &format!("{inverter} input[aria-label$='standby by its label']"),
            "10",
        )
        .await?;
    stage
        .browser
        .click(&format!("{inverter} [aria-label^='take that']"))
        .await?;
    let words = stage
        .browser
        .text_until(&format!("{inverter} .words"), |text| {
            text.contains("until it is measured")
        })
        .await?;
    assert!(
        words.contains("10 W standby by its label") && words.contains("best at half of its 180 W"),
        "{words}"
    );
    stage
        .browser
        .shows(
            &format!("{inverter} input[aria-label$='on at no load']"),
            "10 ± 3 l",
        )
        .await?;
    stage
        .browser
        .text_until(inverter, |text| text.contains("240 Wh a day just to be on"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn measured_points_and_their_range_are_drawn() -> Result<()> {
    let stage = stage().await?;
    let step_up = "#converter-step-up";
    let told = stage.browser.text(step_up).await?;
    assert!(
        told.contains("measured from 5 to 48 W") && told.contains("0.9 W + 5.5 % of the load"),
        "{told}"
    );
    let points = stage
        .browser
        .client
        .find_all(Locator::Css("#converter-step-up .point path"))
        .await?
        .len();
    assert_eq!(points, 5, "each point has its ±");
    assert!(told.contains('V'), "its window is told: {told}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn no_barrier_stands_in_the_way_in_either_theme() -> Result<()> {
    let stage = stage().await?;
    stage
        .browser
        .click("#source-station [data-test=port] .toggle")
        .await?;
    stage.browser.click("#converter-step-up .toggle").await?;
    stage.browser.wait("#converter-step-up .editor").await?;
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
    Ok(())
}
