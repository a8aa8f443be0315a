//! The Needs view, as a person uses it.

use anyhow::Result;
use ash_pond_core::advice::needs::{Needs, needs};
use ash_pond_core::site::plan::Plan;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;
use fantoccini::actions::{InputSource, KeyAction, KeyActions};

const HEADLINE: &str = "[data-test=headline]";
const RUNNING: &str = "#device-router input[aria-label='running draws']";

/// What core says of the demo's devices.
fn computed(edit: impl FnOnce(&mut Plan)) -> Needs {
    let mut plan = Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    edit(&mut plan);
    needs(&plan)
}

async fn stage() -> Result<Stage> {
    let stage = Stage::set(DESK).await?;
    stage.go("/needs").await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("Twelve things"))
        .await?;
    Ok(stage)
}

async fn names(stage: &Stage) -> Result<Vec<String>> {
    let mut names = Vec::new();
    for it in stage
        .browser
        .client
        .find_all(Locator::Css("[data-test=device] strong"))
        .await?
    {
        names.push(it.text().await?);
    }
    Ok(names)
}

async fn open(stage: &Stage, id: &str) -> Result<()> {
    stage
        .browser
        .wait(&format!("#device-{id} [data-test=device]"))
        .await?
        .click()
        .await?;
    stage
        .browser
        .wait(&format!("#device-{id} section.editor"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_rows_say_what_the_core_says() -> Result<()> {
    let stage = stage().await?;
    let expected = computed(|_| {});
    assert_eq!(stage.browser.text(HEADLINE).await?, expected.headline);
    let order = names(&stage).await?;
    assert_eq!(
        (order.len(), order[0].as_str(), order[9].as_str()),
        (12, "Router", "Cabin lamps, 3")
    );
    let row = stage.browser.text("#device-heater").await?;
    let heater = expected
        .devices
        .iter()
        .find(|it| it.device == "heater")
        .unwrap();
    for words in [
        &format!("{:.0} Wh", heater.day_wh),
        "12 V DC",
        "latches: a hand",
        "after 4 h",
        "assumed",
        "16:00 to 08:00",
    ] {
        assert!(row.contains(words), "{words} is not in {row}");
    }
    let classes = stage.browser.text("[data-test=classes]").await?;
    assert!(classes.contains("230 V AC 3 "), "{classes}");
    // What the totals hide is one click away: each device's part of the day and of the worst
    // moment.
    stage.browser.click("[data-test=hidden]").await?;
    let shares = stage.browser.text("[data-test=shares]").await?;
    for words in [
        "Satellite terminal",
        "31 %",
        "118 W at worst",
        "Everything starting at once",
    ] {
        assert!(shares.contains(words), "{words} is not in {shares}");
    }
    // The one-line answer stands on this view too.
    stage
        .browser
        .text_until("[data-test=line]", |text| text.contains("h to the floor"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn figures_are_typed_in_the_units_that_people_have() -> Result<()> {
    let stage = stage().await?;
    open(&stage, "router").await?;
    for (typed, shown) in [
        ("9.4±0.2 m", "9.4 ± 0.2 m"),
        ("0.7 A 12 V", "8.4"),
        ("0,7 A", "8.4"),
        ("600 mAh/h", "7.2"),
        ("180 Wh/day d", "7.5 d"),
        ("0.3 kWh in 30 h", "10"),
    ] {
        stage.browser.enter(RUNNING, typed).await?;
        stage.browser.shows(RUNNING, shown).await?;
    }
    let heavier = computed(|plan| plan.kit.devices[0].phases[1].watts = 10.0.into());
    stage
        .browser
        .text_until(HEADLINE, |text| text == heavier.headline)
        .await?;
    // The working of the conversion is shown, and kept with the figure, over a reload and a
    // restart.
    let address = format!(
        "{}/api/sites/hollin-lock/elements/device/router",
        stage.server.address()
    );
    let script = format!(
        "const done = arguments[0]; fetch('{address}').then((it) => it.json()).then((it) => \
        done(it.body.phases[1].watts.note ?? ''))"
    );
    stage
        .browser
        .text_until("#device-router .phase .note", |text| {
            text.contains("300 Wh ÷ 30 h")
        })
        .await?;
    let mut note = serde_json::Value::Null;
    for _ in 0..100 {
        note = stage
            .browser
            .client
            .execute_async(&script, Vec::new())
            .await?;
        if note == "300 Wh ÷ 30 h" {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(note, "300 Wh ÷ 30 h");
    stage.go("/needs").await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == heavier.headline)
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_label_as_a_running_load_is_questioned() -> Result<()> {
    let stage = stage().await?;
    open(&stage, "router").await?;
    stage.browser.enter(RUNNING, "12 V 1.5 A").await?;
    let question = stage.browser.text("#device-router .question").await?;
    assert!(question.contains("two fifths: 7.2 W"), "{question}");
    stage.browser.shows(RUNNING, "18 l").await?;
    stage
        .browser
        .wait("#device-router .assume")
        .await?
        .click()
        .await?;
    stage.browser.shows(RUNNING, "7.2").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_be_read_stays_with_its_sentence_and_changes_nothing() -> Result<()> {
    let stage = stage().await?;
    let before = stage.browser.text(HEADLINE).await?;
    open(&stage, "router").await?;
    stage.browser.enter(RUNNING, "six").await?;
    let sentence = stage.browser.text("#device-router [role=alert]").await?;
    assert!(
        sentence.contains("“six”") && sentence.contains("4.5 Wh/day"),
        "{sentence}"
    );
    assert_eq!(stage.browser.value(RUNNING).await?, "six");
    assert_eq!(stage.browser.text(HEADLINE).await?, before);
    // What only the whole plan can refuse is told beside the field too.
    stage
        .browser
        .enter(
            "#device-router input[aria-label='resets below, volts']",
            "40",
        )
        .await?;
    let refused = stage
        .browser
        .text_until(
            "#device-router label:has(input[aria-label='resets below, volts']) [role=alert]",
            |text| text.contains("swap"),
        )
        .await?;
    assert!(refused.contains("above max_v 13"), "{refused}");
    stage.go("/needs").await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == before)
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_device_is_added_from_a_kind_and_removed_and_each_is_undone() -> Result<()> {
    let stage = stage().await?;
    stage.browser.press('n', false).await?;
    stage
        .browser
        .wait("input[aria-label='find a kind']")
        .await?
        .send_keys("freez")
        .await?;
    stage
        .browser
        .text_until("#kinds li", |text| text.contains("Small freezer"))
        .await?;
    stage
        .browser
        .wait("input[aria-label='find a kind']")
        .await?
        .send_keys("\u{e007}")
        .await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("13 things"))
        .await?;
    stage
        .browser
        .wait("#device-small-freezer section.editor")
        .await?;
    assert_eq!(names(&stage).await?[12], "Small freezer");
    let remark = stage
        .browser
        .value("#device-small-freezer input[aria-label=remark]")
        .await?;
    assert!(remark.contains("Measure first"), "{remark}");

    // Removing a device takes its feeds with it, as one step.
    open(&stage, "hooter").await?;
    stage.browser.wait("#device-hooter .remove").await?;
    stage
        .browser
        .client
        .find(Locator::Css("#device-hooter .actions .remove"))
        .await?
        .click()
        .await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("Twelve things"))
        .await?;
    assert!(!names(&stage).await?.contains(&"Alarm hooter".to_owned()));
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(".said", |text| {
            text.contains("Undone: device removed: Alarm hooter")
        })
        .await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("13 things"))
        .await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text.starts_with("Twelve things"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_empty_device_takes_the_name_that_was_typed() -> Result<()> {
    let stage = stage().await?;
    stage.browser.wait("[data-test=add]").await?.click().await?;
    stage
        .browser
        .wait("input[aria-label='find a kind']")
        .await?
        .send_keys("Tide gauge\u{e007}")
        .await?;
    stage
        .browser
        .wait("#device-tide-gauge section.editor")
        .await?;
    let running = "#device-tide-gauge input[aria-label='running draws']";
    stage.browser.enter(running, "2.4").await?;
    stage
        .browser
        .text_until("#device-tide-gauge .day", |text| text.contains("58 Wh"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_order_is_changed_by_keys_and_by_buttons_and_is_kept() -> Result<()> {
    let stage = stage().await?;
    stage
        .browser
        .run("document.querySelector('[data-test=device]').focus()")
        .await?;
    let keys = KeyActions::new("keys".into())
        .then(KeyAction::Down { value: '\u{e00a}' })
        .then(KeyAction::Down { value: '\u{e015}' })
        .then(KeyAction::Up { value: '\u{e015}' })
        .then(KeyAction::Up { value: '\u{e00a}' });
    stage.browser.client.perform_actions(keys).await?;
    stage
        .browser
        .text_until("li:first-child [data-test=device] strong", |text| {
            text == "Air pump"
        })
        .await?;
    // The focus goes with the row, and the next arrow along the rows.
    let focused = "return document.activeElement.closest('li')?.id";
    for _ in 0..40 {
        if stage.browser.run(focused).await? == "device-router" {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(stage.browser.run(focused).await?, "device-router");
    open(&stage, "lamps").await?;
    stage
        .browser
        .client
        .find(Locator::Css("#device-lamps .actions button"))
        .await?
        .click()
        .await?;
    stage
        .browser
        .text_until("li:nth-child(9) [data-test=device] strong", |text| {
            text == "Cabin lamps, 3"
        })
        .await?;
    stage.go("/needs").await?;
    stage
        .browser
        .text_until("li:first-child [data-test=device] strong", |text| {
            text == "Air pump"
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_overflows_on_a_laptop_or_a_phone_in_either_theme() -> Result<()> {
    let stage = stage().await?;
    for size in [DESK, PHONE] {
        stage.browser.resize(size).await?;
        stage.go("/needs").await?;
        stage
            .browser
            .text_until(HEADLINE, |text| text.starts_with("Twelve things"))
            .await?;
        assert_eq!(
            stage.browser.run(OVERFLOWING).await?,
            serde_json::json!([]),
            "at {size:?}"
        );
        open(&stage, "heater").await?;
        assert_eq!(
            stage.browser.run(OVERFLOWING).await?,
            serde_json::json!([]),
            "at {size:?}, opened"
        );
        stage
            .browser
            .wait("[data-test=theme]")
            .await?
            .click()
            .await?;
        stage.browser.wait(":root[data-theme=blackout]").await?;
        assert_eq!(
            stage.browser.run(OVERFLOWING).await?,
            serde_json::json!([]),
            "at {size:?}, blackout"
        );
        stage
            .browser
            .wait("[data-test=theme]")
            .await?
            .click()
            .await?;
    }
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

/// Changes the router's running watts as another window would.
async fn elsewhere(stage: &Stage, watts: f64) -> Result<()> {
    let address = format!(
        "{}/api/sites/hollin-lock/elements/device/router",
        stage.server.address()
    );
    let script = format!(
        "const done = arguments[0]; (async () => {{ const it = await (await \
        fetch('{address}')).json(); it.body.phases[1].watts = {watts}; \
         const answer = await fetch('{address}', {{ method: 'PUT', body: JSON.stringify(it.body), \
         headers: {{ 'content-type': 'application/json', 'If-Match': String(it.revision) }} }}); \
         done(answer.status) }})()"
    );
    let status = stage
        .browser
        .client
        .execute_async(&script, Vec::new())
        .await?;
    anyhow::ensure!(
        status == 200,
        "the other window's change is answered with {status}"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn two_windows_stay_in_step() -> Result<()> {
    let stage = stage().await?;
    elsewhere(&stage, 30.0).await?;
    let heavier = computed(|plan| plan.kit.devices[0].phases[1].watts = 30.0.into());
    stage
        .browser
        .text_until(HEADLINE, |text| text == heavier.headline)
        .await?;
    // What is typed here next is based on what is there now, and is not refused.
    open(&stage, "router").await?;
    stage.browser.shows(RUNNING, "30").await?;
    stage.browser.enter(RUNNING, "31").await?;
    stage
        .browser
        .text_until(".said", |text| text == "Saved.")
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_server_that_is_gone_is_told_and_nothing_typed_is_lost() -> Result<()> {
    let mut stage = stage().await?;
    open(&stage, "router").await?;
    stage.server.stop().await;
    stage
        .browser
        .text_until(".trouble", |text| text.contains("What you type is kept"))
        .await?;
    stage.browser.enter(RUNNING, "9.9").await?;
    let kept = stage
        .browser
        .text("#device-router .phase [role=alert]")
        .await?;
    assert!(kept.contains("What you typed is kept"), "{kept}");
    stage.server.restart().await?;
    for _ in 0..200 {
        if stage
            .browser
            .client
            .find_all(Locator::Css(".trouble"))
            .await?
            .is_empty()
        {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert_eq!(stage.browser.value(RUNNING).await?, "9.9");
    stage
        .browser
        .wait(RUNNING)
        .await?
        .send_keys("\u{e007}")
        .await?;
    let heavier = computed(|plan| plan.kit.devices[0].phases[1].watts = 9.9.into());
    stage
        .browser
        .text_until("#device-router .day", |text| {
            text.contains(&format!("{:.0}", heavier.devices[0].day_wh))
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_assumed_and_matters_leads_to_its_row() -> Result<()> {
    let stage = stage().await?;
    stage.browser.press('m', false).await?;
    let matters = "[data-test=matters]";
    let told = stage
        .browser
        .text_until(matters, |text| {
            text.contains("figures that nobody measured, measure this one next")
        })
        .await?;
    let plan = Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    let expected = ash_pond_core::advice::matters::matters(&plan);
    assert!(told.contains(&*expected.headline.plain()), "{told}");
    for it in &expected.figures {
        assert!(
            told.contains(&*it.sentence.plain()) && told.contains(&it.figure.name),
            "{} is not in {told}",
            it.sentence
        );
    }
    // A figure that is measured now leaves the list, without a reload.
    let heater = expected
        .figures
        .iter()
        .any(|it| it.figure.id == "heater" && it.figure.name == "running");
    assert!(heater, "the demo's heater is assumed");
    open(&stage, "heater").await?;
    stage
        .browser
        .enter(
            "#device-heater input[aria-label='running draws']",
            "21 ± 1 m",
        )
        .await?;
    stage
        .browser
        .text_until(matters, |text| !text.contains("Diesel heater, running"))
        .await?;
    stage.browser.click("[data-test=matters] button").await?;
    stage.browser.gone(matters).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_row_is_dragged_to_its_place() -> Result<()> {
    let stage = stage().await?;
    // The browser's own drag needs a hand; its events are what the page hears of it.
    stage
        .browser
        .run(
            "const at = (id) => document.getElementById('device-' + id); const data = new \
            DataTransfer(); \
             const say = (it, name) => it.dispatchEvent(new DragEvent(name, {bubbles: true, \
             cancelable: true, dataTransfer: data})); \
             say(at('lamps'), 'dragstart'); say(at('air-pump'), 'dragover'); say(at('air-pump'), \
             'drop'); say(at('lamps'), 'dragend');",
        )
        .await?;
    stage
        .browser
        .text_until(".said", |text| text == "Cabin lamps moved to place 2")
        .await?;
    stage
        .browser
        .text_until("li:nth-child(2) [data-test=device] strong", |text| {
            text == "Cabin lamps, 3"
        })
        .await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until("li:nth-child(10) [data-test=device] strong", |text| {
            text == "Cabin lamps, 3"
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_value_that_was_changed_elsewhere_while_it_was_typed_is_a_choice() -> Result<()> {
    let stage = stage().await?;
    open(&stage, "router").await?;
    for (button, kept) in [(1, 9.9), (2, 30.0)] {
        stage.browser.fill(RUNNING, "9.9").await?;
        elsewhere(&stage, 30.0).await?;
        let told = stage
            .browser
            .text_until("[data-test=clash]", |text| text.contains("30"))
            .await?;
        assert!(
            told.contains("Changed elsewhere to 30; you typed 9.9"),
            "{told}"
        );
        assert_eq!(
            stage.browser.value(RUNNING).await?,
            "9.9",
            "nothing typed is lost"
        );
        stage
            .browser
            .click(&format!("[data-test=clash] button:nth-of-type({button})"))
            .await?;
        let wanted = computed(|plan| plan.kit.devices[0].phases[1].watts = kept.into());
        stage
            .browser
            .text_until(HEADLINE, |text| text == wanted.headline)
            .await?;
        stage.browser.gone("[data-test=clash]").await?;
        stage.browser.press('\u{e007}', false).await?;
        elsewhere(&stage, 8.0).await?;
        stage.browser.shows(RUNNING, "8").await?;
    }
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_stale_write_is_refused_with_both_values_and_a_choice() -> Result<()> {
    let stage = stage().await?;
    open(&stage, "router").await?;
    let address = format!(
        "{}/api/sites/hollin-lock/elements/device/router",
        stage.server.address()
    );
    for (choice, watts) in [("mine", 9.9), ("theirs", 30.0)] {
        // Both windows write at once: this one has not heard of the other when it does.
        let script = format!(
            "const done = arguments[0]; (async () => {{ const it = await (await \
            fetch('{address}')).json(); it.body.phases[1].watts = 30; it.body.note = 'seen by \
            another'; \
             await fetch('{address}', {{ method: 'PUT', headers: {{ 'content-type': \
             'application/json', 'If-Match': '*' }}, body: JSON.stringify(it.body) }}); \
             const field = document.querySelector(\"{RUNNING}\"); field.focus(); field.value = \
             '9.9'; field.dispatchEvent(new Event('input')); \
             field.dispatchEvent(new KeyboardEvent('keydown', {{key: 'Enter'}})); done(0) }})()"
        );
        // The news is held back, as on a slow line.
        stage
            .browser
            .run(
                "window.fetch = ((real) => async (...asked) => { const url = \
            String(asked[0]?.url ?? asked[0]); if (url.endsWith('/plan')) await new Promise((go) \
            => setTimeout(go, 1500)); return real(...asked) })(window.realFetch ??= \
            window.fetch)",
            )
            .await?;
        stage
            .browser
            .client
            .execute_async(&script, Vec::new())
            .await?;
        let told = stage
            .browser
            .text_until("[data-test=conflict], [data-test=clash]", |text| {
                text.contains("30")
            })
            .await?;
        assert!(told.contains("9.9"), "{told}");
        if stage
            .browser
            .client
            .find_all(Locator::Css("[data-test=conflict]"))
            .await?
            .is_empty()
        {
            let button = if choice == "mine" { 1 } else { 2 };
            stage
                .browser
                .click(&format!("[data-test=clash] button:nth-of-type({button})"))
                .await?;
        } else {
            assert!(
                told.contains("Router was changed in another window too"),
                "{told}"
            );
            assert!(
                told.contains("running")
                    && told.contains("yours 9.9")
                    && told.contains("theirs 30"),
                "{told}"
            );
            stage
                .browser
                .click(&format!("[data-test={choice}]"))
                .await?;
        }
        let wanted = computed(|plan| plan.kit.devices[0].phases[1].watts = watts.into());
        stage
            .browser
            .text_until(HEADLINE, |text| text == wanted.headline)
            .await?;
        stage.browser.gone("[data-test=conflict]").await?;
        // What only the other one changed stays either way.
        stage
            .browser
            .shows("#device-router input[aria-label=remark]", "seen by another")
            .await?;
        let back = format!(
            "const done = arguments[0]; (async () => {{ const it = await (await \
            realFetch('{address}')).json(); it.body.phases[1].watts = 8; delete it.body.note; \
            await realFetch('{address}', {{ method: 'PUT', headers: {{ 'content-type': \
            'application/json', 'If-Match': '*' }}, body: JSON.stringify(it.body) }}); done(0) \
            }})()"
        );
        stage
            .browser
            .client
            .execute_async(&back, Vec::new())
            .await?;
        stage.browser.shows(RUNNING, "8").await?;
    }
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn no_barrier_stands_in_the_way_in_either_theme() -> Result<()> {
    let stage = stage().await?;
    open(&stage, "heater").await?;
    stage.browser.press('m', false).await.ok();
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
