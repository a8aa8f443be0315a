//! What is on only while it is needed, and what is charged, as people go about it.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use serde_json::json;

const ENTER: char = '\u{e007}';

/// Hours to the floor, as the line in the header has them.
fn hours(line: &str) -> f64 {
    let before = line.split(" h to the floor").next().unwrap_or_default();
    before
        .rsplit(' ')
        .next()
        .and_then(|it| it.parse().ok())
        .unwrap_or(f64::NAN)
}

#[tokio::test(flavor = "multi_thread")]
async fn an_outlet_is_put_on_its_load_by_key_and_back() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.look_at("The keeper's shelf").await?;
    let line = "[data-test=line]";
    let left = browser
        .text_until(line, |it| {
            it.contains("keeper's shelf") && it.contains("to the floor")
        })
        .await?;
    browser.press('s', false).await?;
    let outlet = "[data-place='station/outlet'] [data-test=being-on-told]";
    let told = browser
        .text_until(outlet, |it| it.contains("On with its load"))
        .await?;
    assert!(told.contains("instead of 230 Wh a day"), "{told}");
    // What costs most is the first, and its key has the focus.
    let focused = "return document.activeElement?.closest('[data-place]')?.dataset.place ?? ''";
    assert_eq!(browser.run(focused).await?, json!("station/outlet"));
    browser.press(ENTER, false).await?;
    let seen = browser
        .text_until("[data-test=difference]", |it| {
            it.contains("to the first floor")
        })
        .await?;
    assert!(seen.contains("actions by hand, a day"), "{seen}");
    assert!(browser.barriers().await?.is_empty());
    browser.press(ENTER, false).await?;
    let on = browser
        .text_until(line, |it| {
            it.contains("to the floor") && hours(it) > 1.4 * hours(&left)
        })
        .await?;
    browser
        .text_until(outlet, |it| it.starts_with("On with its load, "))
        .await?;
    // In an outage it stands in a row of its own, drawn up while it is on.
    stage.go("/outage").await?;
    browser.wait("[data-test=timeline]").await?;
    browser
        .run(
            "for (const it of document.querySelectorAll('select')) { const to = \
        [...it.options].find((one) => one.text.includes(\"keeper's shelf\")); if (to) { it.value = \
        to.value; it.dispatchEvent(new Event('change', {bubbles: true})); } }",
        )
        .await?;
    browser.wait("[data-switch='station/outlet'] rect").await?;
    let says = browser
        .run("return document.querySelector(\"[data-switch='station/outlet']\").getAttribute('aria-label')")
        .await?;
    assert!(says.as_str().unwrap().contains("by hand"), "{says}");
    // Taken back, it is left on again.
    stage.go("/chains").await?;
    stage.look_at("The keeper's shelf").await?;
    browser.press('z', true).await?;
    let again = browser
        .text_until(line, |it| {
            it.contains("to the floor") && (hours(it) - hours(&left)).abs() < 0.05
        })
        .await?;
    assert_ne!(again, on);
    assert!(browser.severe().await?.is_empty());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn hours_of_a_switch_are_set_and_what_gets_less_is_told_before() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.look_at("The keeper's shelf").await?;
    browser.press('s', false).await?;
    browser
        .click("[data-place='steady-12'] [data-test=switch-hours]")
        .await?;
    let seen = browser
        .text_until("[data-test=difference]", |it| it.contains("Router gets"))
        .await?;
    assert!(seen.contains("instead of"), "{seen}");
    browser.click("[data-test=do-switch]").await?;
    let row = "[data-place='steady-12'] [data-test=switch-row]";
    browser.wait(row).await?;
    // The same hour twice is refused where it stands, and nothing is lost.
    browser
        .enter(&format!("{row} [aria-label$='on to']"), "06:30")
        .await?;
    browser
        .text_until("[data-test=switches]", |it| it.contains("all day or never"))
        .await?;
    browser
        .text_until("[data-place='steady-12'] [data-test=being-on-told]", |it| {
            it.contains("16.5 h a day")
        })
        .await?;
    browser
        .shows(&format!("{row} [aria-label$='on to']"), "06:30")
        .await?;
    browser
        .enter(&format!("{row} [aria-label$='on to']"), "22:00")
        .await?;
    browser
        .text_until("[data-place='steady-12'] [data-test=being-on-told]", |it| {
            it.contains("15.5 h a day")
        })
        .await?;
    Ok(())
}

/// All of a chain sleeps by one gesture, looked at first, and is left on again by another: each one
/// step.
#[tokio::test(flavor = "multi_thread")]
async fn a_whole_chain_is_off_at_night_by_one_gesture() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.look_at("The keeper's shelf").await?;
    browser.press('s', false).await?;
    let night = "[data-test=night-off]";
    browser
        .text_until(night, |it| it.contains("all of it off at night"))
        .await?;
    browser.click(night).await?;
    browser
        .text_until("[data-test=difference]", |it| it.contains("gets"))
        .await?;
    browser.click("[data-test=do-switch]").await?;
    browser
        .text_until(night, |it| it.contains("left on again"))
        .await?;
    let rows = "return document.querySelectorAll('[data-test=switch-row]').length";
    let count = browser.run(rows).await?.as_u64().unwrap_or_default();
    assert!(count >= 2, "{count} are switched");
    browser.click(night).await?;
    browser.click("[data-test=do-switch]").await?;
    browser
        .text_until(night, |it| it.contains("all of it off at night"))
        .await?;
    assert_eq!(browser.run(rows).await?, json!(0));
    assert!(browser.severe().await?.is_empty());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_phone_is_filled_so_many_times_and_its_size_is_typed_as_it_is_printed() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/needs").await?;
    let filled = "[data-test=filled]";
    let times = |told: &str| -> f64 {
        let count = told
            .split(" gives ")
            .nth(1)
            .and_then(|it| it.split(' ').next());
        count.and_then(|it| it.parse().ok()).unwrap_or(f64::NAN)
    };
    let told = browser
        .text_until(filled, |it| it.contains("Keeper's phone"))
        .await?;
    assert!(
        times(&told) >= 10.0 && told.contains("done at 22:23"),
        "{told}"
    );
    browser
        .run(
            "[...document.querySelectorAll('[data-test=device]')].find((it) => \
        it.textContent.includes('phone')).click()",
        )
        .await?;
    browser
        .enter("[aria-label='one filling takes']", "1821 mAh 3.82 V")
        .await?;
    let smaller = browser
        .text_until(filled, |it| it.contains("takes 6.96 Wh"))
        .await?;
    assert!(times(&smaller) > 1.9 * times(&told), "{smaller}");
    browser.press('z', true).await?;
    browser.text_until(filled, |it| *it == *told).await?;
    assert!(browser.barriers().await?.is_empty());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn supply_says_what_switching_would_save_and_it_is_done_on_a_phone() -> Result<()> {
    let stage = Stage::set(PHONE).await?;
    let browser = &stage.browser;
    stage.go("/supply").await?;
    let on = "[data-test=being-on]";
    browser.wait(on).await?;
    let told = browser
        .text(&format!("{on} [data-test=being-on-told]"))
        .await?;
    assert!(told.contains("On with its load"), "{told}");
    browser
        .click(&format!("{on} [data-test=switch-with_load]"))
        .await?;
    browser.click("[data-test=do-switch]").await?;
    browser
        .text_until(on, |it| it.contains("On with its load, "))
        .await?;
    assert_eq!(browser.run(OVERFLOWING).await?, json!([]));
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn two_ways_to_one_need_are_compared_with_what_the_change_costs_and_saves() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    // The same cooling by a cooler on the big inverter, or by two fans that would be bought.
    let device = |body: serde_json::Value| {
        json!({"kind": "device", "id": body["id"].clone(),
        "revision": 0, "body": body})
    };
    let way = |body: serde_json::Value| {
        json!({"kind": "arrangement", "id": body["id"].clone(),
        "revision": 0, "body": body})
    };
    let studs = json!({"item": "house-bank", "port": "studs"});
    let changes = json!({"words": "two ways to cool", "changes": [
        device(json!({"id": "cooler", "label": "Cooler", "service": "cooling", "way": "ac",
            "input": {"current": "ac", "rated_v": 230},
            "phases": [{"when": "running", "watts": 500}], "cycle": {"kind": "thermostat",
                "on_fraction": 0.3, "period_s": 1800}, "price": 300, "weight_kg": 20})),
        device(json!({"id": "fans", "label": "Fans", "service": "cooling", "way": "dc",
            "quantity": 2, "owned": false, "input": {"current": "dc", "rated_v": 12},
            "phases": [{"when": "running", "watts": 6}], "price": 25, "weight_kg": 0.5})),
        way(json!({"id": "cool-ac", "label": "Cooled by the cooler", "feeds": [{"from": studs,
            "to": "big-inverter"},
            {"from": {"item": "big-inverter", "port": "out"}, "to": "cooler"}]})),
        way(json!({"id": "cool-dc", "label": "Cooled by fans", "feeds": [{"from": studs,
            "to": "fans"}]})),
    ]});
    let script = format!(
        "const done = arguments[arguments.length - 1]; fetch('/api/sites/hollin-lock/changes', \
        {{method: 'POST', \
         headers: {{'content-type': 'application/json'}}, body: \
         JSON.stringify({changes})}}).then((it) => done(it.status))"
    );
    assert_eq!(browser.run_async(&script).await?, json!(200));
    stage.go("/chains").await?;
    stage.look_at("Cooled by the cooler").await?;
    browser
        .run(
            "[...document.querySelectorAll('[data-test=way]')].find((it) => \
            it.textContent.includes('Cooled by fans')).click()",
        )
        .await?;
    browser.press('c', false).await?;
    let told = browser
        .text_until("[data-test=change-of-way]", |it| {
            it.contains("paid back after")
        })
        .await?;
    assert!(
        told.starts_with("From Cooled by the cooler to Cooled by fans: ")
            && told.contains(" less to put back into the stores a day"),
        "{told}"
    );
    assert!(told.contains("50 EUR to buy"), "{told}");
    browser
        .text_until("[data-test=compare]", |it| {
            it.contains("of that to be bought")
        })
        .await?;
    // Once a week it outlives its makers; each day it is worn out by use.
    browser
        .text_until("[data-test=compare]", |it| {
            it.contains("which it bears about")
        })
        .await?;
    browser.enter("[data-test=wear] input", "7").await?;
    browser
        .text_until("[data-test=compare]", |it| it.contains("deep each day"))
        .await?;
    assert!(browser.severe().await?.is_empty());
    Ok(())
}
