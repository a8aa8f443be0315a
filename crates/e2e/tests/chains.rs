//! The Chains view, as a person uses it.

use anyhow::Result;
use ash_pond_core::network::{Charge, Moment};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::{Answer, answer};
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use fantoccini::Locator;
use serde_json::json;

const LENGTH: &str = ".way:first-child input[aria-label='length, m']";
const AREA: &str = ".way:first-child input[aria-label='area, mm²']";
const RUNNING: &str = "input[aria-label='running watts, W']";
const HEADLINE: &str = "[data-test=headline]";

/// What core says of the two ways at 60 % charge.
fn computed(edit: impl FnOnce(&mut Plan), moment: &Moment, soc: f64) -> Answer {
    let mut plan = Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    edit(&mut plan);
    let ways = ["camera-direct", "camera-inverter"].map(|id| plan.arrangement(id).unwrap());
    answer(
        &plan,
        &ways,
        moment,
        &Charge::full().with("house-bank", soc),
    )
    .unwrap()
}

/// The text of every element that a selector finds.
async fn texts(stage: &Stage, css: &str) -> Result<Vec<String>> {
    let mut texts = Vec::new();
    for element in stage.browser.client.find_all(Locator::Css(css)).await? {
        texts.push(element.text().await?.replace('\u{a0}', " "));
    }
    Ok(texts)
}

#[tokio::test(flavor = "multi_thread")]
async fn the_numbers_on_screen_are_those_of_the_core() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let expected = computed(|_| {}, &Moment::Running, 0.6);
    assert_eq!(stage.browser.text(HEADLINE).await?, expected.headline);
    assert_eq!(
        stage.browser.text("[data-test=decides]").await?,
        expected.decides.unwrap()
    );
    assert_eq!(
        stage.browser.text("[data-test=line]").await?,
        expected.ways[0].line
    );
    let feet = texts(&stage, "[data-test=foot]").await?;
    assert_eq!(feet.len(), 2);
    for (foot, way) in feet.iter().zip(&expected.ways) {
        let volts = format!("{:.1} V", way.flow.devices["gate-camera"].input_v);
        let a_day = format!("{:.0} Wh", way.day.drawn_wh);
        let sentence = way.devices[0].sentence.plain().into_owned();
        for text in [&volts, &a_day, &sentence] {
            assert!(foot.contains(text.as_str()), "{text} is not in {foot}");
        }
    }
    let losses = texts(&stage, ".loss").await?.join("; ");
    let inverter = &expected.ways[1].flow.converters["small-inverter"];
    assert!(
        losses.contains(&format!("switched on {:.1} W", inverter.loss_idle_w)),
        "{losses}"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_moment_and_a_charge_change_what_flows() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let buttons = stage
        .browser
        .client
        .find_all(Locator::Css(".moments button"))
        .await?;
    assert_eq!(buttons.len(), 4);
    buttons[2].click().await?;
    let starting = computed(|_| {}, &Moment::Starting("gate-camera".into()), 0.6).headline;
    stage
        .browser
        .text_until(HEADLINE, |text| text == starting)
        .await?;
    // The scale is a slider: two steps of the keys are two hundredths.
    stage
        .browser
        .wait("[data-test=charge]")
        .await?
        .send_keys("\u{e012}\u{e012}")
        .await?;
    let lower = computed(|_| {}, &Moment::Starting("gate-camera".into()), 0.58);
    let volts = format!(
        "{:.1} V at the terminals",
        lower.ways[0].flow.sources["house-bank"].terminal_v.unwrap()
    );
    stage
        .browser
        .text_until(".scale", |text| {
            text.contains("58 %") && text.contains(&volts)
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_edit_moves_the_picture_and_is_saved_and_undone() -> Result<()> {
    let mut stage = Stage::set(DESK).await?;
    let before = stage.browser.text(HEADLINE).await?;
    stage.browser.fill(RUNNING, "9.5").await?;
    let heavier = computed(
        |plan| plan.kit.devices[3].phases[1].watts = 9.5.into(),
        &Moment::Running,
        0.6,
    )
    .headline;
    stage
        .browser
        .text_until(HEADLINE, |text| text == heavier)
        .await?;
    stage
        .browser
        .text_until(".said", |text| text == "Saved.")
        .await?;

    // It is still there after a reload, and after a restart of the server.
    stage.server.restart().await?;
    stage.go("/chains").await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == heavier)
        .await?;

    stage.browser.press('z', true).await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == before)
        .await?;
    let said = stage
        .browser
        .text_until(".said", |text| text.starts_with("Undone"))
        .await?;
    assert!(
        said.contains("Gate camera: running 4.9 ± 0.2, measured → 9.5"),
        "{said}"
    );
    stage.browser.press('y', true).await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == heavier)
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_longer_and_thinner_lead_lowers_the_volts() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.browser.fill(LENGTH, "60").await?;
    stage.browser.fill(AREA, "0.75").await?;
    let edited = computed(
        |plan| {
            let cable = plan.arrangements[0].feeds[0].cable.as_mut().unwrap();
            cable.length_m = 60.0.into();
            cable.area_mm2 = Some(0.75.into());
        },
        &Moment::Running,
        0.6,
    );
    let volts = format!("{:.1}", edited.ways[0].flow.devices["gate-camera"].input_v);
    stage
        .browser
        .text_until("[data-test=foot] .big", |text| text.starts_with(&volts))
        .await?;
    let verdict = &edited.ways[0].devices[0].sentence;
    assert!(verdict.starts_with("Resets below"), "{verdict}");
    stage
        .browser
        .text_until("[data-test=foot] .verdict", |text| {
            text.contains(&*verdict.plain())
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn bad_input_shows_its_sentence_and_changes_nothing() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let before = stage.browser.text(HEADLINE).await?;
    stage.browser.fill(RUNNING, "-5").await?;
    stage
        .browser
        .text_until("[role=alert]", |text| {
            text == "is -5; watts cannot be negative"
        })
        .await?;
    assert_eq!(stage.browser.text(HEADLINE).await?, before);
    stage.browser.fill(RUNNING, "five").await?;
    stage
        .browser
        .text_until("[role=alert]", |text| {
            text.contains("“five” cannot be read")
        })
        .await?;
    assert_eq!(stage.browser.text(HEADLINE).await?, before);
    stage.go("/chains").await?;
    stage
        .browser
        .text_until(HEADLINE, |text| text == before)
        .await?;
    let field = stage.browser.wait(RUNNING).await?;
    assert_eq!(field.prop("value").await?.as_deref(), Some("4.9"));
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_figure_opens_its_working_by_click_and_by_key() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.browser.press('w', false).await?;
    let drawn = stage
        .browser
        .text_until("[data-test=working]", |text| {
            text.contains("from House bank")
        })
        .await?;
    assert!(drawn.contains("the sum over the sources"), "{drawn}");
    // Each term leads on to its own working, down to the figures of the plan.
    stage
        .browser
        .wait("[data-test=working] .see")
        .await?
        .click()
        .await?;
    stage
        .browser
        .text_until("[data-test=working]", |text| {
            text.contains("out of house-bank/studs")
        })
        .await?;
    stage.browser.client.refresh().await?;
    stage
        .browser
        .wait("[data-test=foot] .big")
        .await?
        .click()
        .await?;
    let volts = stage
        .browser
        .text_until("[data-test=working]", |text| text.contains("resistance"))
        .await?;
    assert!(volts.contains("near end − current × resistance"), "{volts}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn digits_go_to_the_views_and_the_theme_is_remembered() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    for (digit, name) in (1_u8..).zip([
        "needs", "supply", "chains", "bench", "outage", "shelf", "watch", "log",
    ]) {
        stage.browser.press(char::from(b'0' + digit), false).await?;
        stage
            .browser
            .run_until("arguments[0](location.pathname)", |it| {
                *it == json!(format!("/{name}"))
            })
            .await?;
        if name == "log" {
            stage
                .browser
                .text_until("main", |text| text.contains("due"))
                .await?;
        }
    }
    stage
        .browser
        .wait("[data-test=theme]")
        .await?
        .click()
        .await?;
    stage.go("/chains").await?;
    stage
        .browser
        .wait(":root[data-theme=blackout] [data-test=fall]")
        .await?;
    let ground = stage
        .browser
        .run("return getComputedStyle(document.body).backgroundColor")
        .await?;
    assert_eq!(ground, "rgb(13, 17, 18)");
    Ok(())
}

/// Pairs of words in the picture that lie over each other.
const OVERLAPPING: &str = r"
    const boards = ['name', 'tide', 'verdict', 'limit-text'].map((it) => '.fall .board .' + it);
    const words = [...document.querySelectorAll(['.fall .over', '.way h2 button', ...boards].join())];
    const boxes = words.map((it) => [it, it.getBoundingClientRect()]).filter(([, box]) => box.width > 0);
    const found = [];
    boxes.forEach(([one, a], index) => {
        for (const [other, b] of boxes.slice(index + 1)) {
            const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
            const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
            if (across > 2 && down > 3 && !one.contains(other) && !other.contains(one))
                found.push(one.textContent.trim() + ' / ' + other.textContent.trim());
        }
    });
    return found;
";

#[tokio::test(flavor = "multi_thread")]
async fn nothing_overflows_or_overlaps_on_a_laptop_or_a_phone() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    for size in [DESK, PHONE] {
        stage.browser.resize(size).await?;
        stage.go("/chains").await?;
        stage.browser.wait("[data-test=fall]").await?;
        for moment in 0..3 {
            stage
                .browser
                .client
                .find_all(Locator::Css(".moments button"))
                .await?[moment]
                .click()
                .await?;
            stage.browser.rests().await?;
            assert_eq!(
                stage.browser.run(OVERFLOWING).await?,
                serde_json::json!([]),
                "at {size:?}, moment {moment}"
            );
            assert_eq!(
                stage.browser.run(OVERLAPPING).await?,
                serde_json::json!([]),
                "at {size:?}, moment {moment}"
            );
        }
    }
    stage.browser.resize(DESK).await?;
    stage.go("/chains").await?;
    stage.browser.wait("[data-test=fall]").await?;
    stage.browser.rests().await?;
    let high = stage
        .browser
        .run("return document.documentElement.scrollHeight")
        .await?;
    assert!(
        high.as_f64().unwrap() <= 800.0,
        "the laptop's page scrolls: {high}"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn no_foreign_request_and_no_error_in_the_console() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.browser.press('w', false).await?;
    stage.browser.wait("[data-test=working]").await?;
    for path in ["/needs", "/log", "/nowhere", "/chains"] {
        stage.go(path).await?;
        stage.browser.wait("main").await?;
    }
    assert_eq!(stage.browser.severe().await?, Vec::<String>::new());
    assert_eq!(
        stage.browser.foreign_requests().await?,
        Vec::<String>::new()
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn everything_is_reached_by_keys_alone() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let wanted = stage
        .browser
        .run("return document.querySelectorAll('main button, main input').length")
        .await?;
    let mut reached = std::collections::BTreeSet::new();
    for _ in 0..120 {
        stage.browser.press('\u{e004}', false).await?;
        let at = stage
            .browser
            .run(
                "const all = [...document.querySelectorAll('main button, main input')]; const it \
                = document.activeElement; const ring = getComputedStyle(it).outlineStyle; return \
                [all.indexOf(it), ring]",
            )
            .await?;
        if let Some(index) = at[0].as_i64().filter(|it| *it >= 0) {
            assert_eq!(
                at[1], "solid",
                "the focus on element {index} cannot be seen"
            );
            reached.insert(index);
        }
    }
    assert_eq!(reached.len() as u64, wanted.as_u64().unwrap());
    Ok(())
}
