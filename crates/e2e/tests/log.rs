//! The log as its users go about it: a repair with a picture, found by a word, a check done by key,
//! how the cabin bank ages, papers.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use serde_json::json;

const ENTER: char = '\u{e007}';

/// A picture that a page hands over as if a person had picked it.
const PICK: &str = "
    const canvas = document.createElement('canvas');
    canvas.width = 400; canvas.height = 260;
    const pen = canvas.getContext('2d'); pen.fillStyle = '#2d5a62'; pen.fillRect(40, 40, 300, 160);
    const done = arguments[0];
    canvas.toBlob((blob) => {
        const list = new DataTransfer();
        list.items.add(new File([blob], 'crimp.png', {type: 'image/png'}));
        const field = document.querySelector('[data-test=log-files]');
        field.files = list.files;
        field.dispatchEvent(new Event('change', {bubbles: true}));
        done(1);
    }, 'image/png');";

#[tokio::test(flavor = "multi_thread")]
async fn a_repair_is_written_with_a_picture_found_by_a_word_and_struck() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    browser.press('8', false).await?;
    browser.wait("[data-test=log-row]").await?;
    browser.press('n', false).await?;
    browser
        .fill(
            "[data-test=log-words]",
            "Replaced the crimp at the gate camera",
        )
        .await?;
    browser.run_async(PICK).await?;
    browser.click("[data-test=log-send]").await?;
    let row = browser
        .text_until("[data-test=log-row]", |it| it.contains("crimp.png"))
        .await?;
    assert!(
        row.contains("repair") && row.contains("Replaced the crimp"),
        "{row}"
    );
    let wide = "const it = document.querySelector('[data-test=log-row] img'); return it && \
        it.complete ? it.naturalWidth : 0";
    let mut found = json!(0);
    for _ in 0..100 {
        found = browser.run(wide).await?;
        if found != json!(0) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(found, json!(360), "the small picture that the server made");
    // A word finds it by its beginning; nothing else does.
    browser.fill("[data-test=log-search]", "crimp gate").await?;
    let only = "return document.querySelectorAll('[data-test=log-row]').length";
    browser
        .text_until("main", |it| !it.contains("impeller"))
        .await?;
    assert_eq!(
        browser.run(only).await?,
        json!(2),
        "this one, and the one of three years ago"
    );
    browser.fill("[data-test=log-search]", "\"(*").await?;
    browser
        .text_until("[data-test=log-empty]", |it| {
            it.contains("Nothing in the log says so")
        })
        .await?;
    browser
        .fill("[data-test=log-search]", "replaced crimp")
        .await?;
    browser
        .text_until("[data-test=log-row]", |it| {
            it.contains("Replaced the crimp")
        })
        .await?;
    // Struck with a reason, it stays.
    browser.click("[data-test=strike]").await?;
    browser
        .fill("[data-test=strike-why]", "it was the weir camera")
        .await?;
    browser.press(ENTER, false).await?;
    browser
        .text_until("[data-test=log-row]", |it| {
            it.contains("Struck: it was the weir camera")
        })
        .await?;
    assert_eq!(browser.severe().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_check_is_done_by_key_and_leaves_the_strip() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    // What is overdue stands in the strip of every view.
    let strip = browser
        .text_until("[data-test=overdue]", |it| it.contains('·'))
        .await?;
    browser.press('8', false).await?;
    let first = browser
        .text_until("[data-test=due-sentence]", |it| it.contains("overdue"))
        .await?;
    assert!(first.contains("Power station"), "{first}");
    browser.wait("[data-test=log-row]").await?;
    browser.press('d', false).await?;
    browser
        .fill("[data-test=check-note]", "everything rode through")
        .await?;
    browser.press(ENTER, false).await?;
    let row = browser
        .text_until("[data-test=log-row]", |it| {
            it.contains("everything rode through")
        })
        .await?;
    assert!(
        row.contains("Take the mains away from Power station"),
        "{row}"
    );
    browser
        .text_until("[data-test=due-sentence]", |it| {
            !it.contains("Power station")
        })
        .await?;
    assert_ne!(browser.text("[data-test=overdue]").await?, strip);
    // One of one's own, and a reload that knows it.
    browser.click("[data-test=own-check]").await?;
    browser
        .fill("[data-test=own-title]", "Look under the van")
        .await?;
    browser.click("[data-test=own-send]").await?;
    browser
        .text_until("[aria-label='what is due']", |it| {
            it.contains("Look under the van")
        })
        .await?;
    browser.client.refresh().await?;
    browser
        .text_until("[aria-label='what is due']", |it| {
            it.contains("Look under the van")
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_cabin_bank_crosses_what_the_site_needs_of_it() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/log").await?;
    let told = browser
        .text_until("[data-test=battery-sentence]", |it| it.contains("holds"))
        .await?;
    assert!(told.contains("Ah"), "{told}");
    let cabin = browser
        .text_until("[data-test=battery-cabin-bank]", |it| {
            it.contains("by 3 measurements")
        })
        .await?;
    assert!(
        cabin.contains("no longer carries Works cut, one night"),
        "{cabin}"
    );
    let drawn = "const it = document.querySelector('[data-test=battery-cabin-bank]'); return \
        [it.querySelectorAll('.point').length, it.querySelectorAll('.need').length]";
    assert_eq!(browser.run(drawn).await?, json!([3, 1]));
    // A new one begins anew.
    browser.press('n', false).await?;
    browser
        .fill("[data-test=log-words]", "New cells in the Cabin bank")
        .await?;
    browser.click("[data-test=log-replaced]").await?;
    browser.click("[data-test=log-send]").await?;
    browser
        .text_until("[data-test=battery-cabin-bank]", |it| {
            it.contains("nothing was measured yet")
        })
        .await?;
    assert_eq!(
        browser.run(drawn).await?,
        json!([3, 1]),
        "its predecessor stays"
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn on_a_phone_in_the_dark_what_is_due_comes_first_and_nothing_is_cut_off() -> Result<()> {
    let stage = Stage::set(PHONE).await?;
    let browser = &stage.browser;
    browser
        .run("localStorage.setItem('ash-pond.theme', 'blackout')")
        .await?;
    stage.go("/log").await?;
    browser
        .text_until("[data-test=due-sentence]", |it| it.contains("overdue"))
        .await?;
    browser.wait("[data-test=log-row]").await?;
    browser.wait("[data-test=battery-cabin-bank]").await?;
    let order = "const top = (it) => document.querySelector(it).getBoundingClientRect().top; \
        return top('[aria-label=\"what is due\"]') < top('[data-test=log-row]')";
    assert_eq!(browser.run(order).await?, json!(true));
    let wide = browser.run(OVERFLOWING).await?;
    assert_eq!(wide, json!([]), "{wide}");
    // The code on a label opens its item, and that stands first.
    stage.go("/log?item=weir-camera").await?;
    let card = browser
        .text_until("[data-test=item-card]", |it| {
            it.contains("It was never tested here")
        })
        .await?;
    assert!(card.contains("into it while everything runs"), "{card}");
    browser.wait("[data-test=due-sentence]").await?;
    let first = "const top = (it) => document.querySelector(it).getBoundingClientRect().top; \
        return top('[data-test=item-card]') < top('[data-test=due-sentence]')";
    assert_eq!(browser.run(first).await?, json!(true));
    stage.go("/log").await?;
    browser.wait("[data-test=battery-cabin-bank]").await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    browser
        .run("localStorage.setItem('ash-pond.theme', 'day')")
        .await?;
    stage.go("/log").await?;
    browser.wait("[data-test=battery-cabin-bank]").await?;
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    Ok(())
}

/// Words that stand out of the page at a width of paper.
const CUT_OFF: &str = "
    const wide = document.documentElement.clientWidth;
    return [...document.querySelectorAll('p, li, td, th, h1, h2, h3, strong, svg')]
        .filter((it) => it.getBoundingClientRect().right > wide + 1 || it.scrollWidth > \
        it.clientWidth + 2 && getComputedStyle(it).display !== 'inline')
        .map((it) => it.textContent.slice(0, 60));";

#[tokio::test(flavor = "multi_thread")]
async fn the_report_and_the_labels_hold_everything_on_both_papers() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/log").await?;
    browser.click("[data-test=paper-words]").await?;
    browser
        .fill(
            "[data-test=paper-calls]",
            "Ada, at the mill: 0100 200\nTom: 0100 300",
        )
        .await?;
    browser.click("[data-test=paper-keep]").await?;
    browser
        .text_until("main", |it| it.contains("stands in the report from now on"))
        .await?;
    for wide in [794, 816] {
        // A4 and letter at 96 pixels an inch.
        browser.resize((wide, 1100)).await?;
        browser
            .client
            .goto(&format!(
                "{}/api/sites/hollin-lock/report.html",
                stage.server.address()
            ))
            .await?;
        let text = browser
            .text_until("body", |it| it.contains("For the keeper"))
            .await?;
        for part in [
            "What is here",
            "When the mains goes",
            "Never",
            "When the mains is back",
            "Ada, at the mill",
            "What is due",
            "Wiring sheet",
            "To buy",
            "Figures",
            "Diesel heater does not come back by itself",
        ] {
            assert!(text.contains(part), "{part}");
        }
        assert_eq!(browser.run(CUT_OFF).await?, json!([]));
        browser
            .client
            .goto(&format!(
                "{}/api/sites/hollin-lock/labels.html",
                stage.server.address()
            ))
            .await?;
        let text = browser
            .text_until("body", |it| it.contains("Fuse 40 A"))
            .await?;
        assert!(
            text.contains("House bank → Distribution block")
                && text.contains("1. Switch off: Satellite terminal"),
            "{text}"
        );
        let codes = browser
            .run(
                "return [document.querySelectorAll('.label').length, \
                document.querySelectorAll('.label svg').length]",
            )
            .await?;
        assert_eq!(codes[0], codes[1]);
        assert_eq!(browser.foreign_requests().await?, Vec::<String>::new());
    }
    Ok(())
}
