//! The shelf as its users go about it: what runs what, several on one port, and the smallest that
//! would do.

use anyhow::Result;
use ash_pond_core::site::plan::Plan;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use serde_json::json;

const ENTER: char = '\u{e007}';
const DOWN: char = '\u{e015}';

#[tokio::test(flavor = "multi_thread")]
async fn a_cell_becomes_an_arrangement_by_keys_and_goes_again() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/shelf").await?;
    browser
        .text_until("[data-test=headline]", |it| {
            it.contains("Of 12 devices, each alone")
        })
        .await?;
    // From the first cell down to the second device, opened by Enter.
    browser.wait("[data-at='0 0']").await?;
    browser
        .run("document.querySelector('[data-at=\"0 0\"]').focus()")
        .await?;
    browser.press(DOWN, false).await?;
    browser.press(ENTER, false).await?;
    let told = browser.text("[data-test=cell-detail]").await?;
    assert!(
        told.contains("Air pump on House bank, studs") && told.contains("mm²"),
        "{told}"
    );
    // The sum behind what decides, from figures that are known where they come from.
    browser.press('s', false).await?;
    let sum = browser
        .text_until("[data-test=cell-working]", |it| !it.contains("judged …"))
        .await?;
    assert!(
        sum.contains("full charge") && sum.contains("limit") && sum.contains("margin"),
        "{sum}"
    );
    browser.press('a', false).await?;
    browser.wait("[data-test=fall]").await?;
    browser
        .text_until("main", |it| it.contains("Air pump on House bank, studs"))
        .await?;
    browser.press('z', true).await?;
    let gone = |it: &str| !it.contains("Air pump on House bank, studs");
    browser.text_until("main", gone).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn six_devices_are_ticked_on_the_station_s_socket() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/shelf").await?;
    for id in [
        "router",
        "air-pump",
        "gate-camera",
        "weir-camera",
        "heater",
        "lamps",
    ] {
        browser.click(&format!("[data-test=tick-{id}]")).await?;
    }
    // The heater's start is more than the socket gives, whatever stands beside it.
    let foot = browser
        .text_until("[data-test='together-station/socket']", |it| {
            it.contains("of 6")
        })
        .await?;
    assert!(foot.contains("5 of 6"), "{foot}");
    let row = browser.text("[data-test=together]").await?;
    assert!(
        row.contains("6 ticked, together") && row.contains("without Diesel heater"),
        "{row}"
    );
    // What is found by typing stays, and ticks stay with it.
    browser.fill("[data-test=filter]", "heater").await?;
    browser
        .text_until("[data-test=runs] tbody", |it| !it.contains("Router"))
        .await?;
    assert!(
        browser
            .text("[data-test=together]")
            .await?
            .contains("6 ticked")
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_smallest_store_is_asked_for_in_a_sentence() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/shelf?table=least").await?;
    let choose = |name: &str, value: &str| {
        format!(
            "const it = document.querySelector('[data-test=least-question] \
            select[aria-label=\"{name}\"]'); it.value = '{value}'; it.dispatchEvent(new \
            Event('change'))"
        )
    };
    browser.wait("[data-test=least-answer]").await?;
    browser.run(&choose("arrangement", "direct")).await?;
    browser.run(&choose("part", "house-bank")).await?;
    browser.run(&choose("outage", "winter-storm")).await?;
    let told = browser
        .text_until("[data-test=least-answer]", |it| {
            it.contains("in House bank")
        })
        .await?;
    assert!(
        told.starts_with("72 h need") && told.contains("Ah"),
        "{told}"
    );
    browser
        .enter("[data-test=least-question] [aria-label^=hours]", "4")
        .await?;
    browser.run(&choose("what is asked", "lead")).await?;
    browser
        .text_until("[data-test=least-answer]", |it| it.contains("mm²"))
        .await?;
    // What fills what is one step further back, and the address says which table it is.
    browser.click("[data-test=table-fills]").await?;
    browser
        .text_until("[data-test=fills]", |it| it.contains("full in"))
        .await?;
    browser
        .run_until(
            "arguments[0](new URLSearchParams(location.search).get('table'))",
            |it| *it == json!("fills"),
        )
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_shelf_is_read_on_a_phone_and_by_a_reader() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/shelf").await?;
    stage.browser.click("[data-test=tick-router]").await?;
    stage.browser.wait("[data-at='0 0']").await?.click().await?;
    stage.browser.wait("[data-test=cell-detail]").await?;
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
    for table in ["runs", "fills", "least", "finder", "wins", "beside"] {
        stage.go(&format!("/shelf?table={table}")).await?;
        stage
            .browser
            .wait(
                "[data-test=runs], [data-test=fills], [data-test=least-answer], \
            [data-test=find], [data-test=wins-answer], [data-test=beside-answer]",
            )
            .await?;
        assert_eq!(stage.browser.run(OVERFLOWING).await?, json!([]), "{table}");
    }
    Ok(())
}

/// Paper has every port and every device, in tables that are no wider than it is: A4 less its
/// margins.
#[tokio::test(flavor = "multi_thread")]
async fn the_tables_are_printed_whole() -> Result<()> {
    const WIDTH: u32 = 717;
    const WIDER: &str = "return [...document.querySelectorAll('[data-test=paper] table, \
        [data-test=paper] td, [data-test=paper] th')]\
        .filter((it) => it.scrollWidth > it.clientWidth + 1 || it.getBoundingClientRect().right > \
        718).length";
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    let plan = Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    for (table, name) in [("runs", "What runs what"), ("fills", "What fills what")] {
        stage.go(&format!("/shelf?table={table}")).await?;
        browser.wait(&format!("[data-test={table}]")).await?;
        if table == "runs" {
            browser.click("[data-test=tick-router]").await?;
            browser
                .text_until("[data-test=together]", |it| it.contains("1 of 1"))
                .await?;
        }
        browser.on_paper(WIDTH).await?;
        let paper = browser
            .text_until("[data-test=paper]", |it| it.contains(name))
            .await?;
        assert_eq!(browser.run(WIDER).await?, json!(0), "{table}");
        for it in &plan.kit.sources {
            let told = if table == "runs" {
                it.battery.is_some()
            } else {
                !it.inputs.is_empty()
            };
            assert!(
                !told || paper.contains(&it.label),
                "{table}: {} is not on the paper",
                it.label
            );
        }
        if table == "runs" {
            assert!(
                paper.contains("1 together") && paper.contains("holds: "),
                "{paper}"
            );
            assert!(
                plan.kit.devices.iter().all(|it| paper.contains(&it.label)),
                "{paper}"
            );
        }
        // What scrolls on a screen is not there a second time.
        let seen =
            format!("return document.querySelector('[data-test={table}]').offsetParent === null");
        assert_eq!(browser.run(&seen).await?, json!(true), "{table}");
        browser.motion(false).await?;
        browser.resize(DESK).await?;
        let shown =
            "arguments[0](document.querySelector('[data-test=paper]').offsetParent === null)";
        browser.run_until(shown, |it| it == &json!(true)).await?;
    }
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn the_finder_buys_a_bank_that_lasts_the_storm_and_it_stands_in_chains_and_outage()
-> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    // What could be bought stands in the kit, with its price.
    let bank = json!({"id": "second-bank", "label": "Second lithium bank", "kind": "battery",
        "owned": false, "price": 540,
        "weight_kg": 33, "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 300},
        "ports": [{"id": "studs", "label": "studs", "current": "dc", "voltage": {"follows": true},
            "limit": {"continuous_a": 100}}]});
    let change = json!({"words": "a bank to buy", "changes": [{"kind": "source",
        "id": "second-bank", "revision": 0, "body": bank}]});
    let script = format!(
        "const done = arguments[0]; fetch('/api/sites/hollin-lock/changes', {{method: 'POST', \
        headers: {{'content-type': 'application/json'}}, body: \
        JSON.stringify({change})}}).then((it) => done(it.status), () => done(0))"
    );
    stage.go("/shelf?table=finder").await?;
    browser.wait("[data-test=find]").await?;
    assert_eq!(browser.run_async(&script).await?, json!(200));
    stage.go("/shelf?table=runs").await?;
    for id in ["router", "terminal"] {
        browser.click(&format!("[data-test=tick-{id}]")).await?;
    }
    browser.click("[data-test=table-finder]").await?;
    let choose = |name: &str, value: &str| {
        format!(
            "const it = document.querySelector('[data-test=finder-question] \
            select[aria-label=\"{name}\"]'); it.value = '{value}'; it.dispatchEvent(new \
            Event('change'))"
        )
    };
    browser.wait("[data-test=find]").await?;
    browser.run(&choose("outage", "winter-storm")).await?;
    browser
        .enter("[data-test=finder-question] [aria-label^=hours]", "72")
        .await?;
    browser.run("document.activeElement.blur()").await?;
    browser.press(ENTER, false).await?;
    let told = browser
        .text_until("[data-test=finder-answer]", |it| {
            it.contains("last 3 d 0 h")
        })
        .await?;
    assert!(
        told.contains("Second lithium bank to buy for 540"),
        "{told}"
    );
    assert!(
        browser
            .text("[data-test=finder-proof]")
            .await?
            .starts_with("Proven best")
    );
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    browser.press('a', false).await?;
    browser
        .text_until("main", |it| it.contains("Router, Satellite terminal"))
        .await?;
    stage.go("/outage").await?;
    browser.wait("select[aria-label=arrangement]").await?;
    browser
        .run(
            "const it = document.querySelector('select[aria-label=arrangement]'); it.value = \
        [...it.options].find((o) => o.textContent.includes('Router, Satellite')).value; \
        it.dispatchEvent(new Event('change'))",
        )
        .await?;
    browser
        .text_until("[data-test=headline]", |it| {
            it.contains("stays on") || it.contains("lasts") || it.contains("72")
        })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn leads_in_sizes_of_one_s_own_are_weighed_and_what_is_bettered_lies_under_water()
-> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/shelf").await?;
    for id in ["router", "weir-camera"] {
        browser.click(&format!("[data-test=tick-{id}]")).await?;
    }
    browser.click("[data-test=table-finder]").await?;
    browser.wait("[data-test=find]").await?;
    for (name, value) in [("outage", "winter-storm"), ("leads", "own")] {
        browser
            .run(&format!(
                "const it = document.querySelector('[data-test=finder-question] \
                select[aria-label=\"{name}\"]'); it.value = '{value}'; it.dispatchEvent(new \
                Event('change'))"
            ))
            .await?;
    }
    browser.wait("[data-test=leads]").await?;
    browser
        .enter("[aria-label='price of a metre of 1.5 mm²']", "0")
        .await?;
    browser
        .enter("[aria-label='price of a metre of 10 mm²']", "5")
        .await?;
    browser.run("document.activeElement.blur()").await?;
    browser.click("[data-test=find]").await?;
    let proof = browser
        .text_until("[data-test=finder-proof]", |it| {
            it.starts_with("Proven best")
        })
        .await?;
    assert!(proof.contains("sets of chains"), "{proof}");
    browser
        .text_until(".members", |it| it.contains("52 m of 10 mm² lead: 260 EUR"))
        .await?;
    assert!(
        browser
            .text("[data-test=under]")
            .await?
            .contains("bettered")
    );
    let under = browser
        .run("return document.querySelectorAll('svg.shore path.under').length > 2")
        .await?;
    assert_eq!(under, json!(true));
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    // What is taken has the size that was bought.
    browser
        .run(
            "[...document.querySelectorAll('[data-test=member]')].find((it) => \
            it.textContent.includes('52 m of 10 mm²')).click()",
        )
        .await?;
    browser.press('a', false).await?;
    browser
        .text_until("main", |it| it.contains("Router, Weir camera"))
        .await?;
    browser
        .text_until("main", |it| it.contains("52 m of 10 mm²"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_one_purchase_wins_begins_with_what_costs_nothing() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/shelf").await?;
    for id in ["router", "terminal"] {
        browser.click(&format!("[data-test=tick-{id}]")).await?;
    }
    browser.click("[data-test=table-wins]").await?;
    let choose = |name: &str, value: &str| {
        format!(
            "const it = document.querySelector('[data-test=wins-question] \
            select[aria-label=\"{name}\"]'); it.value = '{value}'; it.dispatchEvent(new \
            Event('change'))"
        )
    };
    browser.wait("[data-test=wins-answer]").await?;
    browser.run(&choose("outage", "winter-storm")).await?;
    browser.run(&choose("arrangement", "direct")).await?;
    let told = browser
        .text_until("[data-test=wins-answer]", |it| it.contains("cost nothing"))
        .await?;
    assert!(told.contains("As they hang now the devices last"), "{told}");
    // Ready-made kinds at a person's price: what a bank wins, and what an hour of it costs.
    browser.run(&choose("shelf", "kinds")).await?;
    browser.click("[data-test=prices] summary").await?;
    browser
        .fill("[aria-label='price of Lithium bank, 24 V']", "800")
        .await?;
    browser.run("document.activeElement.blur()").await?;
    let told = browser
        .text_until("[data-test=wins-answer]", |it| {
            it.contains("Lithium bank, 24 V")
        })
        .await?;
    assert!(
        told.contains("Most hours for the money") && told.contains("800"),
        "{told}"
    );
    let why = browser.text("[data-test=not-worth]").await?;
    assert!(why.contains("what is not worth it, and why"), "{why}");
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    // The best of what is owned becomes an arrangement, and the price is there again after a
    // reload.
    browser.click("[data-test=take-owned]").await?;
    browser
        .text_until("main", |it| it.contains("Router, Satellite terminal"))
        .await?;
    stage.go("/shelf?table=wins").await?;
    browser
        .wait("[data-test=wins-question] select[aria-label=shelf]")
        .await?;
    browser.run(&choose("shelf", "kinds")).await?;
    browser
        .text_until("[data-test=prices]", |it| it.contains("1 of"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn one_box_stands_beside_parts_and_two_inverters_cross() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/shelf?table=runs").await?;
    browser.click("[data-test=tick-gate-camera]").await?;
    browser.click("[data-test=table-beside]").await?;
    let told = browser
        .text_until("[data-test=beside-answer]", |it| it.contains("in one box"))
        .await?;
    assert!(
        told.contains("Gate camera lasts")
            && told.contains("House bank")
            && told.contains("in parts"),
        "{told}"
    );
    // What fails takes the camera with it, what becomes of it, and what more of it would win.
    let parts = browser
        .text_until("[data-test=candidate-parts]", |it| it.contains("goes out"))
        .await?;
    assert!(
        parts.contains("the calendar ends it first") || parts.contains("is worn out after"),
        "{parts}"
    );
    assert!(parts.contains("instead of"), "{parts}");
    browser.wait("[data-test=money-steps]").await?;
    // More often used it costs more over the years.
    let spent = "arguments[0]([...document.querySelectorAll('.beside tbody tr')].find((it) => \
        it.textContent.includes('spent in')).cells[1].textContent)";
    let seldom = browser.run_async(spent).await?;
    browser
        .enter(
            "[data-test=beside-question] [aria-label^='uses a week']",
            "7",
        )
        .await?;
    browser.run_until(spent, |it| *it != seldom).await?;
    // The two inverters over a range of loads, without an arrangement of either.
    let choose = "const it = document.querySelector('[data-test=beside-question] \
        select[aria-label=\"what differs\"]'); it.value = 'inverter'; it.dispatchEvent(new \
        Event('change'))";
    browser.run(choose).await?;
    let told = browser
        .text_until("[data-test=beside-answer]", |it| {
            it.contains("with Small sine inverter")
        })
        .await?;
    assert!(told.contains("Big stepped inverter"), "{told}");
    let crossing = browser
        .text_until("[data-test=crossing]", |it| {
            it.contains("A Small sine inverter")
        })
        .await?;
    assert!(crossing.contains("B Big stepped inverter"), "{crossing}");
    for theme in ["day", "blackout"] {
        browser.wait(&format!(":root[data-theme={theme}]")).await?;
        assert_eq!(browser.barriers().await?, Vec::<String>::new(), "{theme}");
        browser.click("[data-test=theme]").await?;
    }
    // By key it is an arrangement, and stands in Chains.
    browser.click("[data-test=take-candidate]").await?;
    browser
        .text_until("main", |it| it.contains("Gate camera"))
        .await?;
    assert_eq!(
        browser.run("return location.pathname").await?,
        json!("/chains")
    );
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_price_and_cycles_are_typed_where_the_battery_stands() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/supply").await?;
    browser.click("#source-house-bank .toggle").await?;
    let cycles = "[data-test=editor-house-bank] input[aria-label*='cycles, as']";
    browser.wait(cycles).await?;
    browser.enter(cycles, "5000 at 80 %, 3000 at 50 %").await?;
    browser
        .text_until("[data-test=editor-house-bank]", |it| {
            it.contains("what is deeper wears more")
        })
        .await?;
    browser.enter(cycles, "5000 at 50 %, 3000 at 80 %").await?;
    browser
        .enter(
            "[data-test=editor-house-bank] input[aria-label^='price of']",
            "480",
        )
        .await?;
    // It is in the plan, and a candidate's years are counted by it.
    let stored = "const done = arguments[0]; \
        fetch('/api/sites/hollin-lock/elements/source/house-bank').then((it) => \
        it.json()).then((it) => done(it.body ?? it)).catch(() => done(null))";
    let wanted = json!([[0.5, 5000], [0.8, 3000]]);
    browser
        .run_until(stored, |it| {
            it["battery"]["cycles"] == wanted && it["price"] != json!(520)
        })
        .await?;
    Ok(())
}
