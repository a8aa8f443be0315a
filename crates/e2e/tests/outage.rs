//! The outage, as its users go about it.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use serde_json::json;

const DOWN: char = '\u{e015}';
const RIGHT: char = '\u{e014}';

async fn storm() -> Result<Stage> {
    let stage = Stage::set(DESK).await?;
    stage.go("/outage").await?;
    stage
        .browser
        .text_until("[data-test=headline]", |it| it.contains("Router lasts"))
        .await?;
    stage
        .browser
        .wait("[data-test=shed-board] [data-drop=terminal]")
        .await?;
    Ok(stage)
}

/// Hours that Router lasts in the shorter outage, shared out.
async fn works_h(stage: &Stage) -> Result<f64> {
    let told = ask(
        stage,
        "outage",
        &json!({"arrangement": "shared-out", "outage": "works-cut"}),
    )
    .await?;
    Ok(told["simulation"]["devices"]["router"]["down_at_h"]
        .as_f64()
        .unwrap_or(10.0))
}

/// Asks the API from the page, and waits for its answer.
async fn ask(stage: &Stage, path: &str, body: &serde_json::Value) -> Result<serde_json::Value> {
    let script = format!(
        "window.asked = undefined; fetch('/api/sites/hollin-lock/{path}', {{method: 'POST', \
        headers: {{'content-type': 'application/json'}}, \
         body: JSON.stringify({body})}}).then((it) => it.json()).then((it) => {{ window.asked = \
         it; }})"
    );
    stage.browser.run(&script).await?;
    for _ in 0..100 {
        let found = stage.browser.run("return window.asked ?? null").await?;
        if !found.is_null() {
            return Ok(found);
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    anyhow::bail!("no answer from {path}")
}

#[tokio::test(flavor = "multi_thread")]
async fn the_storm_is_read_at_one_time_and_a_device_is_dropped_by_key() -> Result<()> {
    let stage = storm().await?;
    let browser = &stage.browser;
    assert!(
        browser
            .text("[data-test=second]")
            .await?
            .contains("goes first")
    );
    // What stands at the cursor is what the server says of that time.
    for _ in 0..6 {
        browser.press(RIGHT, false).await?;
    }
    let told = ask(
        &stage,
        "outage",
        &json!({"arrangement": "direct", "outage": "winter-storm"}),
    )
    .await?;
    let hours = browser
        .run("return Number(document.querySelector('[data-test=cursor]').value)")
        .await?
        .as_f64()
        .unwrap();
    assert!((hours - 72.0 / 96.0 * 6.0).abs() < 0.2, "{hours}");
    let series = &told["simulation"]["series"];
    let at = series["at_h"]
        .as_array()
        .unwrap()
        .iter()
        .rposition(|it| it.as_f64().unwrap() <= hours + 1e-6)
        .unwrap();
    let soc = series["soc"]["house-bank"][at].as_f64().unwrap() * 100.0;
    let watts = series["source_w"]["house-bank"][at].as_f64().unwrap();
    let read = browser.text("[data-read=house-bank]").await?;
    assert_eq!(read, format!("House bank {soc:.0} %, {watts:.1} W"));
    // Down to the third row, and dropped: the answer follows at once.
    let before = browser.text("[data-test=headline]").await?;
    for _ in 0..3 {
        browser.press(DOWN, false).await?;
    }
    browser.press('d', false).await?;
    let after = browser
        .text_until("[data-test=headline]", |it| *it != *before)
        .await?;
    let longer = ask(
        &stage,
        "outage",
        &json!({"arrangement": "direct", "outage": "winter-storm",
            "drop": [{"device": "terminal"}]}),
    )
    .await?;
    assert_eq!(after, longer["headline"].as_str().unwrap());
    assert_eq!(
        browser
            .run(
                "return document.querySelector('[data-drop=terminal]').getAttribute('aria-pressed')"
            )
            .await?,
        json!("true")
    );
    browser.press('d', false).await?;
    browser
        .text_until("[data-test=headline]", |it| *it == *before)
        .await?;
    // The same by hand: dragged to the line below the board, and back. The events are what the page
    // hears of a hand.
    let drag = |to: &str| {
        format!(
            "const data = new DataTransfer(); const say = (it, name) => it.dispatchEvent(new \
            DragEvent(name, {{bubbles: true, \
             cancelable: true, dataTransfer: data}})); const it = \
             document.querySelector('[data-drop=terminal]').closest('li'); \
             const to = document.querySelector('{to}'); say(it, 'dragstart'); say(to, 'dragover'); \
             say(to, 'drop'); say(it, 'dragend');"
        )
    };
    browser.run(&drag("[data-test=sink]")).await?;
    assert_eq!(
        browser
            .text_until("[data-test=headline]", |it| *it != *before)
            .await?,
        after
    );
    browser.run(&drag("[data-test=shed-board] ul")).await?;
    browser
        .text_until("[data-test=headline]", |it| *it == *before)
        .await?;
    // Nearer with + and on with ], the same with the wheel, and all of it again. The ticks say what
    // is seen.
    let ticks = "[...document.querySelectorAll('[data-test=timeline] svg text')].map((it) => \
        it.textContent.trim()).join(' ')";
    let seen = async || anyhow::Ok(browser.run(&format!("return {ticks}")).await?);
    let whole = seen().await?;
    let changed = async |from: &serde_json::Value| {
        for _ in 0..50 {
            let now = seen().await?;
            if now != *from {
                return Ok(now);
            }
            tokio::time::sleep(std::time::Duration::from_millis(40)).await;
        }
        anyhow::bail!("the picture stays as it is: {from}")
    };
    let wheel = |keys: &str| {
        format!(
            "const it = document.querySelector('[data-test=timeline] svg'); const box = \
            it.getBoundingClientRect(); \
             it.dispatchEvent(new WheelEvent('wheel', {{bubbles: true, cancelable: true, clientX: \
             box.left + 500, {keys}}}));"
        )
    };
    for _ in 0..3 {
        browser.press('+', false).await?;
    }
    let near = changed(&whole).await?;
    browser.press(']', false).await?;
    let on = changed(&near).await?;
    browser.run(&wheel("deltaY: -400, shiftKey: true")).await?;
    let back = changed(&on).await?;
    browser.run(&wheel("deltaY: 100, ctrlKey: true")).await?;
    changed(&back).await?;
    browser.press('\u{e011}', false).await?;
    for _ in 0..50 {
        if seen().await? == whole {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(40)).await;
    }
    assert_eq!(seen().await?, whole);
    // Everything used lasts longer, and both are told beside each other.
    browser.press('s', false).await?;
    browser
        .text_until("[data-test=headline]", |it| *it != *before)
        .await?;
    assert!(
        browser
            .text("[data-test=both]")
            .await?
            .contains("down to the floors")
    );
    assert_eq!(browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_device_dropped_at_a_charge_wins_less_than_now_and_is_taken_along() -> Result<()> {
    let stage = storm().await?;
    let browser = &stage.browser;
    let won = "return Number(document.querySelector('[data-drop=terminal] \
        .bar').style.width.slice(0, -2)) > 0 && \
        document.querySelector('[data-drop=circulation-pump] .won').textContent.trim()";
    let now = browser.run(won).await?;
    let before = browser.text("[data-test=headline]").await?;
    browser
        .run(
            "const it = document.querySelector('[data-test=drop-when]'); it.value = '0.4'; \
        it.dispatchEvent(new Event('change'))",
        )
        .await?;
    browser.click("[data-drop=terminal]").await?;
    let after = browser
        .text_until("[data-test=headline]", |it| *it != *before)
        .await?;
    let question = json!({
        "arrangement": "direct", "outage": "winter-storm", "drop": [{"device": "terminal",
            "below_soc": 0.4}]
    });
    assert_eq!(
        after,
        ask(&stage, "outage", &question).await?["headline"]
            .as_str()
            .unwrap()
    );
    let told = browser
        .text_until("[data-test=together]", |it| it.contains("below 40 %"))
        .await?;
    assert!(
        told.starts_with("With Satellite terminal dropped below 40 % Router lasts "),
        "{told}"
    );
    assert_ne!(browser.run(won).await?, now);
    // What is taken along is of what is looked at.
    let link = "return document.querySelector('[data-test=calendar]').getAttribute('href')";
    let link = browser.run(link).await?;
    assert!(
        link.as_str()
            .is_some_and(|it| it.contains("drop=terminal") && it.contains("below_soc=0.4")),
        "{link}"
    );
    browser.click("[data-test=everything]").await?;
    browser
        .text_until("[data-test=headline]", |it| *it != *after)
        .await?;
    let calendar = browser
        .run("return document.querySelector('[data-test=calendar]').getAttribute('href')")
        .await?;
    assert!(
        calendar
            .as_str()
            .is_some_and(|it| it.contains("use_everything=true")),
        "{calendar}"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_return_is_magnified_and_two_arrangements_stand_on_one_axis() -> Result<()> {
    let stage = storm().await?;
    let browser = &stage.browser;
    let choose = "const it = document.querySelector('select[aria-label=arrangement]'); it.value = \
        'shared-out'; it.dispatchEvent(new Event('change'))";
    browser.run(choose).await?;
    browser.press('r', false).await?;
    browser
        .text_until("[data-test=switch-strip]", |it| it.contains("The return"))
        .await?;
    browser.press('x', false).await?;
    let strip = browser
        .text_until("[data-test=switch-strip]", |it| {
            it.contains("The switch") && it.contains("goes on by itself")
        })
        .await?;
    assert!(
        strip.contains("rides through: 18 ms, survives 40") && strip.contains("10 min"),
        "{strip}"
    );
    browser.press('c', false).await?;
    browser
        .text_until("[data-test=beside]", |it| it.contains("Router lasts"))
        .await?;
    let timelines = browser
        .run("return document.querySelectorAll('[data-test=timeline]').length")
        .await?;
    assert_eq!(timelines, json!(2));
    browser.press('c', false).await?;
    browser.gone("[data-test=beside]").await?;
    // So does another outage: the shorter one ends on the axis of the longer.
    let choose = "const it = document.querySelector('select[aria-label=\"beside it\"]'); it.value \
        = 'outage works-cut'; it.dispatchEvent(new Event('change'))";
    browser.run(choose).await?;
    browser
        .text_until("[data-test=beside]", |it| {
            it.contains("Works cut, one night")
        })
        .await?;
    // The router's bar: hours on the storm's scale in both.
    let bars = "return [...document.querySelectorAll('[data-test=timeline] svg')].map((svg) => \
        Number(svg.querySelector('.span.on rect').getAttribute('width')))";
    let bars = browser.run(bars).await?;
    let told = ask(
        &stage,
        "outage",
        &json!({"arrangement": "shared-out", "outage": "winter-storm"}),
    )
    .await?;
    let lost = told["simulation"]["devices"]["router"]["down_at_h"]
        .as_f64()
        .unwrap();
    let (storm, works) = (bars[0].as_f64().unwrap(), bars[1].as_f64().unwrap());
    assert!(
        works > 20.0 && (storm / lost / (works / works_h(&stage).await?) - 1.0).abs() < 0.03,
        "{bars} {lost}"
    );
    browser.press('c', false).await?;
    browser.gone("[data-test=beside]").await?;
    // The same as tables, and what comes after.
    browser.press('t', false).await?;
    let table = browser.text("[data-test=outage-table]").await?;
    assert!(
        table.contains("Diesel heater") && table.contains("trip"),
        "{table}"
    );
    browser.press('b', false).await?;
    browser
        .text_until("[data-test=start-sentence]", |it| !it.is_empty())
        .await?;
    browser.wait("[data-test=recharge]").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn long_runs_are_cancelled_or_tell_their_range() -> Result<()> {
    let stage = storm().await?;
    let browser = &stage.browser;
    browser.click("[data-test=run]").await?;
    browser.click("[data-test=cancel]").await?;
    browser.wait("[data-test=run]").await?;
    assert!(!browser.text("[data-test=headline]").await?.contains(" to "));
    browser.click("[data-test=run]").await?;
    browser
        .text_until("[data-test=headline]", |it| it.contains(" to "))
        .await?;
    assert!(
        browser
            .text("[data-test=second]")
            .await?
            .contains("of that spread is")
    );
    browser.wait("[data-test=band]").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_site_without_an_outage_starts_from_a_ready_made_one() -> Result<()> {
    let stage = storm().await?;
    let browser = &stage.browser;
    let gone =
        ["winter-storm", "works-cut"].map(|it| json!({"kind": "outage", "id": it, "body": null}));
    ask(
        &stage,
        "changes",
        &json!({"words": "outages removed", "changes": gone}),
    )
    .await?;
    browser
        .text_until("[data-test=headline]", |it| {
            it.contains("No outage is described yet")
        })
        .await?;
    browser.click("[data-ready=works]").await?;
    browser
        .text_until("[data-test=headline]", |it| {
            it.starts_with("Works cut, eight hours: Router lasts")
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_outage_is_described_and_taken_along() -> Result<()> {
    let stage = storm().await?;
    let browser = &stage.browser;
    browser.press('e', false).await?;
    browser.click("[data-test=ready-made]").await?;
    browser.click("[data-ready=rolling]").await?;
    browser
        .text_until("[data-test=headline]", |it| it.starts_with("Rolling cuts"))
        .await?;
    browser.fill("[aria-label='length, h']", "30").await?;
    browser.click("[data-test=add-rule]").await?;
    browser
        .text_until("[data-test=rule]", |it| {
            it.contains("Drop ") && it.contains("below 40 %")
        })
        .await?;
    let calendar = "window.text = undefined; \
        fetch(document.querySelector('[data-test=calendar]').href).then((it) => \
        it.text()).then((it) => { window.text = it; })";
    browser.run(calendar).await?;
    let mut text = serde_json::Value::Null;
    for _ in 0..200 {
        text = browser.run("return window.text ?? null").await?;
        if text.is_string() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let opened: icalendar::Calendar = text
        .as_str()
        .unwrap()
        .parse()
        .map_err(|it: String| anyhow::anyhow!(it))?;
    assert!(opened.iter().count() >= 4, "{text}");
    browser.click("[data-test=paper-door]").await?;
    let paper = browser
        .text_until("[data-test=paper]", |it| it.contains("What lasts how long"))
        .await?;
    assert!(
        paper.contains("Rolling cuts") && paper.contains("Local codes"),
        "{paper}"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_outage_bars_nobody_in_either_theme_or_on_a_phone() -> Result<()> {
    let stage = storm().await?;
    let browser = &stage.browser;
    for theme in ["day", "blackout"] {
        browser.wait(&format!(":root[data-theme={theme}]")).await?;
        for panel in ["switch", "return", "back", "edit", "table"] {
            browser.click(&format!("[data-test=open-{panel}]")).await?;
            browser.rests().await?;
            assert_eq!(
                browser.barriers().await?,
                Vec::<String>::new(),
                "{panel}, {theme}"
            );
        }
        browser.run("scrollTo(0, 0)").await?;
        browser.click("[data-test=theme]").await?;
    }
    browser.resize(PHONE).await?;
    let wide = "return document.documentElement.scrollWidth > document.documentElement.clientWidth";
    for panel in ["switch", "return", "back", "edit", "table"] {
        browser
            .run(&format!(
                "document.querySelector('[data-test=open-{panel}]').click()"
            ))
            .await?;
        browser.rests().await?;
        assert_eq!(browser.run(OVERFLOWING).await?, json!([]), "{panel}");
        assert_eq!(browser.run(wide).await?, json!(false), "{panel}");
    }
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_store_is_wired_to_be_filled_and_that_is_undone() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    // The demo's site, whose station can be set to be filled quietly or fast.
    let mut plan: serde_json::Value = serde_json::from_str(ash_pond::DEMO_PLAN)?;
    plan["site"]["name"] = json!("Two Ways Lock");
    let sources = plan["kit"]["sources"].as_array_mut().expect("a list");
    let station = sources.iter_mut().find(|it| it["id"] == "station");
    let inputs = station.and_then(|it| it["inputs"].as_array_mut());
    let input = inputs.and_then(|it| it.iter_mut().find(|it| it["id"] == "panel"));
    input.expect("the station has a panel input")["modes"] = json!([{"id": "quiet", "label":
        "Quiet", "max_w": 30}, {"id": "fast", "label": "Fast", "max_w": 200}]);
    stage.open(&plan.to_string(), "/outage").await?;
    browser.wait("[data-test=headline]").await?;
    browser.press('b', false).await?;
    browser.wait("[data-test=recharge]").await?;
    browser
        .run(
            "const it = document.querySelector('[aria-label=store]'); it.value = 'station'; \
        it.dispatchEvent(new Event('change'))",
        )
        .await?;
    browser.enter("[aria-label='filled from, %']", "20").await?;
    // The wall fills it, as it passes the mains on; out of the mains only what could be wired.
    browser
        .text_until("[data-test=recharge]", |it| {
            it.contains("From Mains") && it.contains("full in")
        })
        .await?;
    browser.wait("[data-test=way-in]").await?;
    browser
        .run(
            "const it = document.querySelector('[aria-label=\"the mains\"]'); it.value = \
        'out'; it.dispatchEvent(new Event('change'))",
        )
        .await?;
    browser
        .text_until("[data-test=recharge]", |it| it.contains("Nothing is wired"))
        .await?;
    let offer = browser
        .text_until("[data-test=offer]", |it| it.contains("its panel input"))
        .await?;
    assert!(
        offer.contains("Not wired: ") && offer.contains("full in"),
        "{offer}"
    );
    browser.click("[data-test=wire]").await?;
    let wired = browser
        .text_until("[data-test=recharge]", |it| it.contains("goes from"))
        .await?;
    assert!(wired.contains("What holds it first"), "{wired}");
    // Set to be quiet it takes longer, and that is what holds it; fast it is as it was.
    let set = |mode: &str| {
        format!(
            "const it = document.querySelector('[data-mode=\"station/panel\"] select, \
            select[data-mode=\"station/panel\"]'); it.value = '{mode}'; it.dispatchEvent(new \
            Event('change', {{bubbles: true}}))"
        )
    };
    let full_h = "arguments[0](document.querySelector('[aria-label=\"When it is how \
        full\"]').innerText)";
    let before = browser.run_async(full_h).await?;
    browser.run(&set("quiet")).await?;
    let quiet = browser
        .text_until("[data-test=recharge]", |it| it.contains("Quiet"))
        .await?;
    assert!(quiet.contains("30 W"), "{quiet}");
    let slower = browser.run_until(full_h, |it| *it != before).await?;
    assert_ne!(slower, before);
    browser.run(&set("fast")).await?;
    browser.run_until(full_h, |it| *it == before).await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    assert_eq!(browser.run(OVERFLOWING).await?, serde_json::json!([]));
    browser.run("document.activeElement?.blur()").await?;
    browser.press('z', true).await?;
    browser
        .text_until("[data-test=recharge]", |it| it.contains("Nothing is wired"))
        .await?;
    Ok(())
}
