//! Chains for a whole site: the picture, building out of what fits, mending, comparing.

use anyhow::Result;
use ash_pond_core::advice::compare::{Ask, Over, compare, crossings, decides};
use ash_pond_core::advice::fits::can_feed;
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::Plan;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;
use serde_json::json;

/// Words of the picture whose boxes touch each other, and words that are cut off.
const TOUCHING: &str = r"
    const words = '[data-test=end] p, [data-test=weir], [data-test=lead], .site-fall .store, .site-fall > .staff';
    const boxes = [...document.querySelectorAll(words)]
        .map((it) => ({ text: it.textContent.trim().replace(/\s+/g, ' '), box: it.getBoundingClientRect() }));
    const found = [];
    boxes.forEach((a, i) => boxes.slice(i + 1).forEach((b) => {
        const x = Math.min(a.box.right, b.box.right) - Math.max(a.box.left, b.box.left);
        const y = Math.min(a.box.bottom, b.box.bottom) - Math.max(a.box.top, b.box.top);
        if (x > 1 && y > 3) found.push(`${a.text} / ${b.text}: ${Math.round(x)} by ${Math.round(y)}`);
    }));
    return found;
";

fn demo() -> Plan {
    Plan::parse(ash_pond::DEMO_PLAN).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_whole_site_is_one_picture_that_says_what_the_core_says() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.look_at("Direct DC").await?;
    let plan = demo();
    let way = plan.arrangement("direct").unwrap();
    let charge = Charge::full()
        .with("house-bank", 0.6)
        .with("cabin-bank", 0.6);
    let flow = ash_pond_core::network::evaluate(
        &plan,
        way,
        &ash_pond_core::network::Moment::Running,
        &charge,
    )
    .unwrap();
    let weir = format!("{:.1} V", flow.devices["weir-camera"].input_v);
    let words = stage
        .browser
        .text_until("[data-test=site-fall]", |text| text.contains(&weir))
        .await?;
    assert_eq!(
        stage
            .browser
            .client
            .find_all(Locator::Css("[data-test=end]"))
            .await?
            .len(),
        10
    );
    for part in [
        "Step-up 28 V",
        "Small sine inverter",
        "52 m of 0.75 mm²",
        "Cabin lamps, 3",
        "trips",
        "House bank",
    ] {
        assert!(words.contains(part), "{part} is not in {words}");
    }
    stage
        .browser
        .text_until("[data-test=site-foot]", |text| {
            text.contains("conversions") && text.contains("h to the first floor")
        })
        .await?;
    // The working of a number of the picture.
    stage.browser.click("[data-test=end] .volts").await?;
    stage
        .browser
        .text_until("[data-test=working]", |text| text.contains('V'))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn no_words_touch_in_any_arrangement_theme_or_size() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    for label in ["Direct DC", "All through the big inverter", "Shared out"] {
        stage.look_at(label).await?;
        for moment in [1, 2] {
            stage
                .browser
                .click(&format!(".moments button:nth-child({moment})"))
                .await?;
            stage.browser.wait("[data-test=site-fall]").await?;
            stage.browser.rests().await?;
            assert_eq!(
                stage.browser.run(TOUCHING).await?,
                json!([]),
                "{label}, moment {moment}"
            );
            assert_eq!(stage.browser.run(OVERFLOWING).await?, json!([]), "{label}");
        }
    }
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
    stage.go("/chains").await?;
    stage.browser.wait("[data-test=fall]").await?;
    stage.look_at("Direct DC").await?;
    stage.browser.wait("[data-test=site-list]").await?;
    assert_eq!(
        stage.browser.run(OVERFLOWING).await?,
        json!([]),
        "on a phone"
    );
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    Ok(())
}

/// Twelve devices behind six converters, on one bank.
const TWELVE: &str = include_str!("../../server/tests/plans/twelve.plan.json");

#[tokio::test(flavor = "multi_thread")]
async fn twelve_devices_behind_six_converters_stay_readable_and_answer_at_once() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.open(TWELVE, "/chains").await?;
    stage.browser.wait("[data-test=site-fall]").await?;
    assert_eq!(
        stage
            .browser
            .client
            .find_all(Locator::Css("[data-test=end]"))
            .await?
            .len(),
        12
    );
    assert_eq!(stage.browser.run(TOUCHING).await?, json!([]));
    assert_eq!(stage.browser.run(OVERFLOWING).await?, json!([]));
    // How long a change takes to be on screen is written down, and judged by the bench.
    let trace = "const done = arguments[0]; const before = document.querySelector('.site-fall \
        .store').textContent; const start = performance.now(); \
        new MutationObserver((_, own) => { const now = document.querySelector('.site-fall \
        .store')?.textContent; if (now && now !== before) { own.disconnect(); \
        done(performance.now() - start) } }) \
            .observe(document.querySelector('.sites'), {subtree: true, childList: true, \
            characterData: true}); \
        const slider = document.querySelector('[data-test=charge]'); slider.value = '0.2'; \
        slider.dispatchEvent(new Event('input'))";
    let took = stage
        .browser
        .client
        .execute_async(trace, Vec::new())
        .await?;
    println!("a change of the charge of twelve devices is on screen after {took} ms");
    assert!(took.as_f64().is_some_and(|it| it > 0.0), "{took}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_cameras_second_chain_is_built_from_nothing_by_keys_alone() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let press = async |script: &str| stage.browser.run(script).await;
    // Tab order is the page's own; focus is what a keyboard moves, Enter what it presses.
    press("document.querySelector('[data-test=new-way]').focus()").await?;
    stage.browser.press('\u{e007}', false).await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| {
            text.contains("Arrangement 7 draws 0.0 W")
        })
        .await?;
    press("document.activeElement.blur()").await?;
    stage.browser.press('b', false).await?;
    stage.browser.wait("[data-test=build]").await?;
    press(
        "[...document.querySelectorAll('[data-test=waiting]')].find((it) => \
        it.textContent.includes('Gate camera')).focus()",
    )
    .await?;
    stage.browser.press('\u{e007}', false).await?;
    stage.browser.wait("[data-test=fit] button:focus").await?;
    let plan = demo();
    let mut empty = plan.arrangements[0].clone();
    empty.feeds.clear();
    let fits = can_feed(&plan, &empty, "gate-camera", 2.0).unwrap();
    let shown = stage
        .browser
        .client
        .find_all(Locator::Css("[data-test=fit]"))
        .await?
        .len();
    assert_eq!(shown, fits.options.len());
    let words = stage.browser.text(".options ul").await?;
    let refused = fits
        .options
        .iter()
        .find_map(|it| it.reason.as_ref())
        .unwrap()
        .plain()
        .into_owned();
    assert!(words.contains(&refused), "{refused} is not in {words}");
    // Down to the way through the inverter and the adapter, and Enter.
    let wanted =
        "House bank, studs → Small sine inverter → AC adapter of the gate camera → Gate camera";
    for _ in 0..shown {
        let at = press("return document.activeElement.textContent.trim()").await?;
        if at == wanted {
            break;
        }
        stage.browser.press('\u{e015}', false).await?;
    }
    stage.browser.press('\u{e007}', false).await?;
    stage
        .browser
        .text_until(".said", |text| text.contains(wanted))
        .await?;
    // It is one device's way now, and is drawn as such; the wiring stands below.
    stage.browser.wait("[data-test=fall]").await?;
    assert_eq!(
        stage
            .browser
            .client
            .find_all(Locator::Css("[data-test=feed]"))
            .await?
            .len(),
        3
    );
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| text.contains("draws 0.0 W"))
        .await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(".ways", |text| !text.contains("Arrangement 6"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_finding_is_mended_with_one_press_and_undone() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.look_at("Direct DC").await?;
    stage.browser.press('f', false).await?;
    let list = stage
        .browser
        .text_until("[data-test=findings]", |text| {
            text.contains("Weir camera gets")
        })
        .await?;
    assert!(
        list.contains("not well") && list.contains("trips"),
        "{list}"
    );
    stage.browser.click("[data-test=mend]").await?;
    // What it would change is told first; nothing has changed yet.
    let told = stage
        .browser
        .text_until("[data-test=difference]", |text| {
            text.contains("Weir camera, at worst")
        })
        .await?;
    assert!(
        told.contains("no longer:") && told.contains("Resets: Weir camera"),
        "{told}"
    );
    assert!(
        stage
            .browser
            .text("[data-test=worst]")
            .await?
            .contains("Resets: Weir camera")
    );
    stage.browser.press('\u{e007}', false).await?;
    stage
        .browser
        .text_until(".said", |text| text.starts_with("Direct DC: "))
        .await?;
    stage
        .browser
        .text_until("[data-test=findings]", |text| {
            !text.contains("Resets: Weir camera")
        })
        .await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until("[data-test=findings]", |text| {
            text.contains("Resets: Weir camera")
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_table_and_the_crossing_are_those_of_the_core() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.browser.press('c', false).await?;
    let plan = demo();
    let ways = [
        plan.arrangement("camera-direct").unwrap(),
        plan.arrangement("camera-inverter").unwrap(),
    ];
    let charge = Charge::full().with("house-bank", 0.6);
    let compared = compare(&plan, &ways, &charge, None).unwrap();
    let first = stage
        .browser
        .text_until("[data-test=compared]", |text| text.contains("Wh"))
        .await?;
    for way in &compared.ways {
        let words = format!("{:.0} Wh", way.usage.drawn_wh);
        assert!(first.contains(&words), "{words} is not in {first}");
    }
    let table = stage.browser.text("[data-test=compare]").await?;
    for best in &compared.best {
        assert!(
            table.contains(&*best.sentence.plain()),
            "{} is not in {table}",
            best.sentence
        );
    }
    let decided = decides(&plan, &ways, &charge).unwrap();
    let told = stage
        .browser
        .text_until("[data-test=what-decides]", |text| {
            text.contains(&*decided.sentence.plain())
        })
        .await?;
    for figure in &decided.figures {
        assert!(
            told.contains(&*figure.sentence.plain()),
            "{} is not in {told}",
            figure.sentence
        );
    }
    let ask = Ask {
        band: true,
        ..Ask::over(Over::Load)
    };
    let crossed = crossings(&plan, ways, &charge, &ask).unwrap();
    let today = stage
        .browser
        .text_until("[data-test=today]", |text| !text.is_empty())
        .await?;
    assert_eq!(today, format!("today {:.2}", crossed.today.unwrap()));
    let shown = stage
        .browser
        .text_until("[data-test=crossed]", |text| !text.is_empty())
        .await?;
    assert_eq!(shown, crossed.crossings[0].sentence);
    // The cursor is moved by keys.
    stage
        .browser
        .run("document.querySelector('input[aria-label=cursor]').focus()")
        .await?;
    let before = stage.browser.text("[data-test=cursor]").await?;
    stage.browser.press('\u{e014}', false).await?;
    stage.browser.press('\u{e014}', false).await?;
    stage.browser.press('\u{e014}', false).await?;
    stage
        .browser
        .text_until("[data-test=cursor]", |text| {
            text != before && text.contains('W')
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_lead_is_changed_in_the_wiring_and_the_way_is_copied_and_removed() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.browser.press('b', false).await?;
    stage.browser.click("[data-test=duplicate]").await?;
    stage
        .browser
        .text_until(".ways", |text| {
            text.contains("Straight off the bank, another")
        })
        .await?;
    let before = stage.browser.text("[data-test=headline]").await?;
    stage
        .browser
        .enter(
            "input[aria-label='length of the lead to Gate camera']",
            "60",
        )
        .await?;
    stage
        .browser
        .text_until("[data-test=headline]", |text| text != before)
        .await?;
    stage
        .browser
        .enter(
            "input[aria-label='fuse of the lead to Gate camera']",
            "much",
        )
        .await?;
    let told = stage.browser.text("[data-test=feed] [role=alert]").await?;
    assert!(told.contains("“much”"), "{told}");
    stage
        .browser
        .enter("input[aria-label='fuse of the lead to Gate camera']", "5")
        .await?;
    stage
        .browser
        .text_until(".said", |text| text == "Saved.")
        .await?;
    stage.browser.click(".build .remove").await?;
    stage
        .browser
        .text_until(".said", |text| text.starts_with("arrangement removed"))
        .await?;
    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(".said", |text| {
            text.starts_with("Undone: arrangement removed")
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_lead_that_begins_in_the_table_has_the_contacts_of_one_that_is_offered() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.look_at("All through the big inverter").await?;
    stage.browser.press('b', false).await?;
    stage
        .browser
        .wait("input[aria-label='length of the lead to AC adapter of the router']")
        .await?;
    stage
        .browser
        .enter(
            "input[aria-label='length of the lead to AC adapter of the router']",
            "2",
        )
        .await?;
    stage
        .browser
        .text_until(".said", |text| text == "Saved.")
        .await?;
    let stored = stage.browser.client.execute_async(
        "const done = arguments[0]; fetch('/api/sites/hollin-lock/plan').then((it) => \
        it.json()).then((it) => done( \
         it.plan.arrangements.find((way) => way.id === 'mains-like').feeds.find((feed) => feed.to \
         === 'router-adapter').cable))",
        Vec::new(),
    );
    let cable = stored.await?;
    assert_eq!(cable["length_m"], json!(2), "{cable}");
    assert_eq!(
        (&cable["area_mm2"], &cable["strand"]),
        (&json!(1.5), &json!("class5")),
        "{cable}"
    );
    assert_eq!(
        cable["contact_ohm"]["note"],
        json!("four crimped ends"),
        "{cable}"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_arrangement_is_a_sheet_to_take_along() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.look_at("Direct DC").await?;
    stage.browser.wait("[data-test=site-fall]").await?;
    stage.browser.press('b', false).await?;
    stage.browser.click("[data-test=wiring]").await?;
    let sheet = stage
        .browser
        .text_until("[data-test=sheet]", |text| text.contains("Weir camera"))
        .await?;
    let rows = stage
        .browser
        .client
        .find_all(Locator::Css("[data-test=sheet] tbody tr"))
        .await?
        .len();
    assert_eq!(rows, demo().arrangement("direct").unwrap().feeds.len());
    for words in [
        "52 m of 0.75 mm², copper",
        "Local codes rule",
        "centre-positive",
        "Distribution block",
        "licensed electrician",
    ] {
        assert!(sheet.contains(words), "{words} is not in {sheet}");
    }
    for size in [DESK, PHONE] {
        stage.browser.resize(size).await?;
        assert_eq!(
            stage.browser.barriers().await?,
            Vec::<String>::new(),
            "{size:?}"
        );
    }
    let wide = stage
        .browser
        .run("return document.documentElement.scrollWidth > document.documentElement.clientWidth")
        .await?;
    assert_eq!(wide, json!(false));
    Ok(())
}
