//! An outage that is watched, and a drill, as their users go about them.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use serde_json::{Value, json};

const ENTER: char = '\u{e007}';
const CTRL_SETTLES: std::time::Duration = std::time::Duration::from_millis(50);

/// Asks the API from the page, and waits for its answer.
async fn ask(stage: &Stage, path: &str, body: &Value) -> Result<Value> {
    let script = format!(
        "window.asked = undefined; fetch('/api/sites/hollin-lock/{path}', {{method: 'POST', \
        headers: {{'content-type': 'application/json'}}, \
         body: JSON.stringify({body})}}).then((it) => it.json()).then((it) => {{ window.asked = \
         it; }})"
    );
    stage.browser.run(&script).await?;
    for _ in 0..600 {
        let found = stage.browser.run("return window.asked ?? null").await?;
        if !found.is_null() {
            return Ok(found);
        }
        tokio::time::sleep(CTRL_SETTLES).await;
    }
    anyhow::bail!("no answer from {path}")
}

/// Waits for a text as long as an estimate takes where nothing is optimised.
async fn comes(stage: &Stage, css: &str, good: impl Fn(&str) -> bool + Copy) -> Result<String> {
    let mut last = stage.browser.text_until(css, good).await;
    for _ in 0..4 {
        if last.is_ok() {
            break;
        }
        last = stage.browser.text_until(css, good).await;
    }
    last
}

/// A drill that stands, so that what happens in it is what the test does.
async fn drill(stage: &Stage, hides: &str) -> Result<()> {
    let body = json!({"arrangement": "direct", "outage": "winter-storm", "drill": {"hides": hides,
        "seed": 3, "speed": 1}});
    ask(stage, "watches", &body).await?;
    ask(stage, "watches/1/clock", &json!({"paused": true})).await?;
    stage.go("/watch").await?;
    comes(stage, "[data-test=watch-headline]", |it| {
        it.contains("Router until")
    })
    .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_whole_drill_is_gone_through_by_keys_in_the_dark() -> Result<()> {
    let mut stage = Stage::set(DESK).await?;
    stage
        .browser
        .run("localStorage.setItem('ash-pond.theme', 'blackout')")
        .await?;
    drill(&stage, "heater-trips").await?;
    let browser = &stage.browser;
    // Read from two metres.
    let high = browser
        .run("return document.querySelector('[data-test=watch-headline]').getBoundingClientRect().height")
        .await?;
    assert!(high.as_f64().unwrap_or_default() >= 90.0, "{high}");
    let first = browser.text("[data-test=watch-headline]").await?;
    // The one switch that buys most, by its key; and back.
    let best = browser.text("[data-test=drop] strong").await?;
    assert_eq!(best, "Satellite terminal");
    browser.press('d', false).await?;
    let longer = comes(&stage, "[data-test=watch-headline]", |it| it != first).await?;
    comes(&stage, "[data-test=entry]", |it| {
        it.contains("Satellite terminal switched off")
    })
    .await?;
    browser.press('u', false).await?;
    comes(&stage, "[data-test=watch-headline]", |it| it != longer).await?;
    // Hours pass; somebody in the room notices, and it rings until it is heard.
    ask(&stage, "watches/1/clock", &json!({"step_s": 18000})).await?;
    stage.go("/watch").await?;
    let browser = &stage.browser;
    comes(&stage, "[data-test=rings]", |it| {
        it.contains("The fan of Diesel heater has stopped")
    })
    .await?;
    let title = browser.run("return document.title").await?;
    assert!(
        title.as_str().unwrap_or_default().starts_with("! "),
        "{title}"
    );
    browser.press('m', false).await?;
    browser.wait("[data-test=muted]").await?;
    browser.click("[data-test=heard]").await?;
    browser.gone("[data-test=rings]").await?;
    // It is said, in the order of keys.
    browser.press('o', false).await?;
    browser.click("[data-test=lost-heater]").await?;
    comes(&stage, "[data-test=entry]", |it| {
        it.contains("Diesel heater went off by itself")
    })
    .await?;
    // A reading in one line; a strange one is asked about, and left.
    browser.enter("[data-test=reading]", "231 V").await?;
    browser.press(ENTER, false).await?;
    comes(&stage, "[data-test=question]", |it| {
        it.contains("Is it read of another one?")
    })
    .await?;
    browser.fill("[data-test=reading]", "80").await?;
    browser.press(ENTER, false).await?;
    comes(&stage, "[data-test=refused]", |it| it.contains("its unit")).await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    // Over a reload, and over a restart of the server.
    stage.server.restart().await?;
    stage.go("/watch").await?;
    let browser = &stage.browser;
    comes(&stage, "[data-test=watch-headline]", |it| {
        it.contains("Router until")
    })
    .await?;
    comes(&stage, "[aria-label='what was done']", |it| {
        it.contains("Diesel heater went off by itself")
    })
    .await?;
    // In one hand.
    browser.resize(PHONE).await?;
    comes(&stage, "[data-test=watch-headline]", |it| {
        it.contains("Router until")
    })
    .await?;
    assert_eq!(browser.run(OVERFLOWING).await?, json!([]));
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    browser.resize(DESK).await?;
    // The mains is back: looked at, started, in order.
    browser.run("document.activeElement?.blur()").await?;
    browser.press('r', false).await?;
    comes(&stage, "[data-test=return] li", |it| !it.is_empty()).await?;
    browser.click("[data-test=return-start-heater]").await?;
    comes(&stage, "[data-test=return] li.done", |it| !it.is_empty()).await?;
    // The end, and what is seen looking back.
    browser.press('e', false).await?;
    browser.press('e', false).await?;
    comes(&stage, "[data-test=review-headline]", |it| {
        it.contains("Router was on for all of")
    })
    .await?;
    assert!(
        browser
            .text("[data-test=review]")
            .await?
            .contains("Hidden in it: the heater goes off by itself.")
    );
    browser.wait("[data-test=decision]").await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    browser.click("[data-test=leave-review]").await?;
    browser.wait("[data-test=past-1]").await?;
    // What was refused on purpose is in the console as well, and what was asked while the server
    // was away.
    let on_purpose =
        |it: &String| it.contains("422") || it.contains("Failed to load resource: net::ERR_");
    let severe: Vec<String> = browser
        .severe()
        .await?
        .into_iter()
        .filter(|it| !on_purpose(it))
        .collect();
    assert_eq!(severe, Vec::<String>::new());
    Ok(())
}

/// Plugged over by keys: the outlets come judged and tried, one is taken, and taken back; after the
/// return it is plugged back.
#[tokio::test(flavor = "multi_thread")]
async fn a_device_is_plugged_over_by_keys_and_back_after_the_return() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    drill(&stage, "nothing").await?;
    let browser = &stage.browser;
    let first = browser.text("[data-test=watch-headline]").await?;
    browser.press('p', false).await?;
    browser.click("[data-test=moved-router]").await?;
    let pack = "[data-test='over-router-pack/out']";
    let told = comes(&stage, pack, |it| it.contains("Router then until")).await?;
    assert!(told.contains("Router pack, 12 V lead"), "{told}");
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    browser.resize(PHONE).await?;
    browser.wait(pack).await?;
    assert_eq!(browser.run(OVERFLOWING).await?, json!([]));
    browser.resize(DESK).await?;
    browser.click(pack).await?;
    comes(&stage, "[data-test=entry]", |it| {
        it.contains("Router plugged over to Router pack, 12 V lead")
    })
    .await?;
    let over = comes(&stage, "[data-test=watch-headline]", |it| it != first).await?;
    comes(&stage, "[aria-label=devices]", |it| {
        it.contains("on Router pack, 12 V lead")
    })
    .await?;
    // Taken back by its key, and done again.
    browser.press('u', false).await?;
    comes(&stage, "[data-test=watch-headline]", |it| it != over).await?;
    browser.press('p', false).await?;
    browser.click("[data-test=moved-router]").await?;
    comes(&stage, pack, |it| it.contains("Router then until")).await?;
    browser.click(pack).await?;
    comes(&stage, "[data-test=watch-headline]", |it| it == over).await?;
    browser.run("document.activeElement?.blur()").await?;
    browser.press('r', false).await?;
    comes(&stage, "[data-test=return-plug-router]", |it| {
        it.contains("Plug Router back to Step-down/up 12 V")
    })
    .await?;
    browser.click("[data-test=return-plug-router]").await?;
    comes(&stage, "[data-test=return] li.done", |it| {
        it.contains("Plug Router back")
    })
    .await?;
    assert_eq!(browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_outage_begins_by_one_key_and_nothing_moves_where_nothing_changed() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/watch").await?;
    let browser = &stage.browser;
    browser.wait("[data-test=begin]").await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    browser.press('g', false).await?;
    comes(&stage, "[data-test=watch-headline]", |it| {
        it.contains("Router until")
    })
    .await?;
    // Two looks within a minute of the clock are the same picture, but for the minute.
    let shown = "return ['[data-test=watch-headline]', '[data-test=coming]', \
        '[data-test=drop]'].map((it) => document.querySelector(it)?.textContent).join()";
    let one = browser.run(shown).await?;
    ask(
        &stage,
        "watches/1/entries",
        &json!({"did": "note", "text": "nothing"}),
    )
    .await?;
    comes(&stage, "[data-test=entry]", |it| it.contains("nothing")).await?;
    assert_eq!(browser.run(shown).await?, one);
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_logger_s_file_is_looked_back_at_and_a_figure_of_it_is_used_and_taken_back() -> Result<()>
{
    let stage = Stage::set(DESK).await?;
    stage.go("/watch").await?;
    // As a logger at the bank writes it: whose file it is the person says.
    let mut csv = "time (h);current_A;soc_%\n".to_owned();
    for hour in 0..6 {
        csv += &format!("{hour};9,1;{:.0}\n", 95.0 - 9.4 * f64::from(hour));
    }
    let folder = tempfile::tempdir()?;
    let file = folder.path().join("logger.csv");
    std::fs::write(&file, csv)?;
    let browser = &stage.browser;
    browser.click("[data-test=bring-in]").await?;
    browser
        .wait("[data-test=past-file]")
        .await?
        .send_keys(file.to_str().unwrap_or_default())
        .await?;
    browser.click("[data-test=past-send]").await?;
    comes(&stage, "[data-test=review-headline]", |it| {
        it.contains("Router")
    })
    .await?;
    let learn = browser
        .run("return document.querySelector('[data-test^=learn-]')?.dataset.test ?? ''")
        .await?;
    let learn = learn.as_str().unwrap_or_default().to_owned();
    assert!(learn.starts_with("learn-"), "nothing of it can be used");
    browser.click(&format!("[data-test={learn}]")).await?;
    comes(&stage, "[data-test=preview]", |it| {
        it.contains("Router lasts")
    })
    .await?;
    browser.click("[data-test=use-learned]").await?;
    comes(&stage, "[data-test=preview]", |it| {
        it.contains("in the plan as measured")
    })
    .await?;
    browser.press('z', true).await?;
    comes(&stage, "[role=status].said", |it| it.contains("Undone")).await?;
    Ok(())
}

/// Where nothing changed, nothing moves: two pictures of a drill that stands, with a look at the
/// server between them, are the same.
#[tokio::test(flavor = "multi_thread")]
async fn two_pictures_of_what_stands_are_the_same() -> Result<()> {
    const LOOKS: &str = "arguments[0](performance.getEntriesByType('resource').filter((it) => \
        it.name.endsWith('/watches/1')).length)";
    let stage = Stage::set(DESK).await?;
    drill(&stage, "nothing").await?;
    let browser = &stage.browser;
    let one = browser.picture().await?;
    let before = browser.run_async(LOOKS).await?.as_u64().unwrap_or_default();
    // Everybody is told that something may have changed, and looks.
    ask(&stage, "watches/1/clock", &json!({"paused": true})).await?;
    browser
        .run_until(LOOKS, |it| it.as_u64().unwrap_or_default() > before)
        .await?;
    assert!(
        one == browser.picture().await?,
        "the page moved while nothing changed"
    );
    // Where something did change, they are not.
    ask(
        &stage,
        "watches/1/entries",
        &json!({"did": "drop", "item": "terminal"}),
    )
    .await?;
    comes(&stage, "[data-test=entry]", |it| {
        it.contains("switched off")
    })
    .await?;
    assert!(one != browser.picture().await?);
    Ok(())
}
