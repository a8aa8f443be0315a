//! What a charger's own volts let through as the cells come up to them, and shade to the minute:
//! worked by hand, against the table of fillings, and as laws.

use crate::charging::{asked, feed, hours, near, site};
use ash_pond_core::advice::charge::{LimitKind, Recharged, fills};
use ash_pond_core::site::chemistry;
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{Sky, simulate};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A generator with its charger on a bank of 100 Ah with 20 mΩ, whose charger holds so many volts.
fn held(volts: f64, edit: &dyn Fn(&mut Value)) -> Plan {
    site(
        &json!([
            feed("set/out", "charger"),
            feed("charger/out", "bank/studs")
        ]),
        &|plan| {
            plan["kit"]["converters"][0]["charge_v"] = json!(volts);
            plan["kit"]["sources"][1]["battery"]["internal_ohm"] = json!(0.02);
            plan["kit"]["sources"][3]["ports"][0]["limit"]["continuous_w"] = json!(1000);
            plan["kit"]["sources"][3]["engine"]["fuel_l"] = json!(100);
            edit(plan);
        },
    )
}

fn filled(plan: &Plan, from: f64, to: &[f64]) -> Recharged {
    asked(plan, "bank", |it| {
        (it.from_soc, it.levels) = (from, to.to_vec());
    })
}

#[test]
fn what_flows_falls_as_the_cells_come_up_to_the_volts_of_their_charger() {
    // From 97 to 100 % four cells rest at 13.48 to 13.8 V: at 13.6 V from 98.125 % on. Between, the
    // current falls with what is missing: 10.67 V for all of the charge over 20 mΩ in 100 Ah.
    let told = filled(&held(13.6, &|_| {}), 0.975, &[0.98, 0.99]);
    let fall_per_h = 0.32 / 0.03 / 0.02 / 100.0 * chemistry::find("lfp").unwrap().charge_efficiency;
    near(
        hours(&told, 0.98),
        ((0.98125_f64 - 0.975) / (0.98125 - 0.98)).ln() / fall_per_h,
        0.01,
    );
    assert_eq!(told.levels[1].after_h, None, "{}", told.sentence);
    let limit = &told.ways[0].limits[0];
    assert_eq!(limit.kind, LimitKind::Charger);
    assert_eq!(
        limit.limited_by,
        "Charger holds 13.6 V, and its cells rest at that from 98.1 % on"
    );
    // 66.7 mV over 20 mΩ.
    near(
        limit.watts,
        13.6 * (13.6 - (13.48 + 0.005 * 0.32 / 0.03)) / 0.02,
        2e-3,
    );
    // What is made for these cells fills them, held by what they take.
    let whole = filled(&held(14.4, &|_| {}), 0.975, &[1.0]);
    assert!(
        whole.levels[0].after_h.is_some()
            && whole.ways[0]
                .limits
                .iter()
                .all(|it| it.kind != LimitKind::Charger)
    );
    // Nobody says what resistance there is: all of it flows up to there, and nothing above.
    let open = held(13.6, &|plan| {
        plan["kit"]["sources"][1]["battery"]
            .as_object_mut()
            .unwrap()
            .remove("internal_ohm");
    });
    let open = filled(&open, 0.9, &[0.98, 0.99]);
    assert!(
        open.levels[0].after_h.is_some() && open.levels[1].after_h.is_none(),
        "{}",
        open.sentence
    );
}

#[test]
fn a_store_gets_no_more_than_it_may_where_its_charger_gives_little_more() {
    // A charger of 25 A on an input of 60 A: the bank may be charged with 20 A. What the input
    // would take by itself is three times as much, and holds nothing down.
    let plan = held(14.4, &|plan| {
        plan["kit"]["sources"][1]["battery"]["max_charge_a"] = json!(20);
    });
    let told = filled(&plan, 0.5, &[0.8]);
    near(told.ways[0].watts, 20.0 * 13.2, 1e-3);
    assert_eq!(told.ways[0].limited_by, "what it may be charged with: 20 A");
    near(
        hours(&told, 0.8),
        0.3 * 100.0 / 20.0 / chemistry::find("lfp").unwrap().charge_efficiency,
        2e-3,
    );
}

#[test]
fn what_is_drawn_meanwhile_passes_by_the_cells() {
    let plan = held(13.6, &|plan| {
        plan["kit"]["devices"] = json!([{"id": "lamp", "label": "Lamp", "input": {"current": "dc",
            "rated_v": 12},
            "phases": [{"when": "running", "watts": 40}]}]);
        plan["arrangements"][0]["feeds"]
            .as_array_mut()
            .unwrap()
            .push(feed("bank/out", "lamp"));
        plan["outages"] = json!([{"id": "o", "label": "O", "start": "2026-01-14T06:00",
            "hours": 24, "initial_soc": {"bank": 0.981},
            "runs": [{"source": "set", "from_h": 0, "to_h": 24}]}]);
    });
    let run = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    // The bank stays where its charger holds it, and the lamp hangs on the engine.
    assert!(
        (run.sources["bank"].end_soc - 0.981).abs() < 1e-3,
        "{:?}",
        run.sources["bank"].end_soc
    );
    let mut value = serde_json::to_value(&plan).unwrap();
    value["outages"][0]["runs"] = json!([{"source": "set", "from_h": 0, "to_h": 0.001}]);
    let alone = Plan::from_value(&value).unwrap();
    let alone = simulate(&alone, &alone.arrangements[0], &alone.outages[0], None);
    assert!(
        alone.sources["bank"].end_soc < 0.4,
        "{}",
        alone.sources["bank"].end_soc
    );
}

#[test]
fn the_charger_that_holds_less_gives_nothing_where_another_lifts_the_terminals() {
    let plan = held(14.4, &|plan| {
        let mut low = plan["kit"]["converters"][0].clone();
        low["id"] = json!("low");
        low["label"] = json!("Low");
        low["charge_v"] = json!(13.4);
        plan["kit"]["converters"].as_array_mut().unwrap().push(low);
        let inputs = plan["kit"]["sources"][1]["inputs"].as_array_mut().unwrap();
        inputs.push(json!({"id": "second", "kind": "dc", "max_a": 60}));
        let feeds = plan["arrangements"][0]["feeds"].as_array_mut().unwrap();
        feeds.extend([feed("mains/socket", "low"), feed("low/out", "bank/second")]);
    });
    // At 50 % they rest at 13.2 V: 25 A of the one lift them by 0.5 V.
    let told = filled(&plan, 0.5, &[0.8]);
    let way = |input: &str| told.ways.iter().find(|it| it.input == input).unwrap();
    assert!(way("bank/second").watts < 1e-3, "{:?}", way("bank/second"));
    assert_eq!(way("bank/second").limits[0].kind, LimitKind::Charger);
    assert!(way("bank/studs").watts > 300.0);
    let one = filled(&held(14.4, &|_| {}), 0.5, &[0.8]);
    near(hours(&told, 0.8), hours(&one, 0.8), 1e-3);
}

#[test]
fn a_store_tapers_of_what_its_input_would_take_whatever_feeds_it() {
    // Its input takes 200 W at 20 V: with 60 W of a small set, or what a panel gives in the morning,
    // the taper is not felt before it leaves less than that: 30 % of it at 95 + 5 · 7/9 = 98.9 %.
    let by = |from: &str| {
        let plan = site(&json!([feed(from, "station/dc")]), &|plan| {
            let sources = plan["kit"]["sources"].as_array_mut().unwrap();
            sources.push(
                json!({"id": "desk", "label": "Desk set", "kind": "generator", "ports":
                [{"id": "out", "current": "dc", "voltage": {"regulated_v": 20},
                    "limit": {"continuous_w": 60}}]}),
            );
        });
        move |from_soc: f64, to: f64| {
            asked(&plan, "station", |it| {
                (it.sky, it.from_soc, it.levels) = (Sky::Clear, from_soc, vec![to]);
            })
        }
    };
    for (from, kind) in [
        ("desk/out", LimitKind::Port),
        ("panel/out", LimitKind::Light),
    ] {
        let filled = by(from);
        let (middle, top) = (filled(0.5, 0.535), filled(0.95, 0.985));
        near(hours(&top, 0.985), hours(&middle, 0.535), 1e-6);
        assert_eq!(top.ways[0].limits[0].kind, kind, "{from}");
        let last = filled(0.95, 1.0);
        assert!(hours(&last, 1.0) > 1.02 * hours(&filled(0.5, 0.55), 0.55));
        let tapers = last.ways[0].limits.last().unwrap();
        assert_eq!(tapers.kind, LimitKind::Taper, "{from}");
        assert!(tapers.soc > 0.985, "{from}: from {}", tapers.soc);
        if from == "desk/out" {
            near(tapers.soc, 0.95 + 0.05 * 7.0 / 9.0, 1e-3);
        }
    }
}

#[test]
fn shade_falls_and_goes_to_the_minute() {
    let shaded = |shade: &Value| {
        let plan = site(&json!([feed("panel/out", "station/dc")]), &|plan| {
            plan["kit"]["sources"][4]["panel"]["shade"] = shade.clone();
        });
        asked(&plan, "station", |it| {
            (it.sky, it.levels) = (Sky::Clear, vec![0.7, 1.0]);
        })
    };
    // The day of filling begins at midnight or later: a time of day in its spans is that of its
    // clock.
    let told = shaded(&json!([{"from": "10:07", "to": "13:52"}]));
    let begins = told
        .spans
        .iter()
        .map(|it| it.from_h.rem_euclid(24.0))
        .collect::<Vec<_>>();
    let ends = told
        .spans
        .iter()
        .map(|it| it.to_h.rem_euclid(24.0))
        .collect::<Vec<_>>();
    let gap = (13.0 + 52.0 / 60.0) - (10.0 + 7.0 / 60.0);
    let found = ends
        .iter()
        .zip(begins.iter().skip(1))
        .map(|(end, begin)| begin - end);
    assert!(
        found.clone().any(|it| (it - gap).abs() < 1e-4),
        "{:?} of {:?}",
        found.collect::<Vec<_>>(),
        told.spans
    );
    // A shade of two minutes takes two minutes, and not a quarter of an hour or nothing: so much
    // later, and a little more where the sun is lower by then, is it at seven tenths.
    let (none, short) = (
        shaded(&json!([])),
        shaded(&json!([{"from": "12:05", "to": "12:07"}])),
    );
    let lost = hours(&short, 0.7) - hours(&none, 0.7);
    let shade = 2.0 / 60.0;
    assert!((shade * 0.99..shade * 1.6).contains(&lost), "{lost}");
}

proptest! {
    #[test]
    fn a_held_cell_has_the_hours_of_its_march(volts in 13.2_f64..14.6, ohms in 0.004_f64..0.08,
        amps in 5.0_f64..50.0) {
        let plan = held(volts, &|plan| {
            plan["kit"]["sources"][1]["battery"]["internal_ohm"] = json!(ohms);
            plan["kit"]["converters"][0]["outputs"][0]["limit"]["continuous_a"] = json!(amps);
        });
        let told = asked(&plan, "bank", |_| {});
        let table = fills(&plan).unwrap();
        let row = table.froms.iter().position(|it| it.item == "set" && it.via == ["charger"]).unwrap();
        let column = table.inputs.iter().position(|it| it == "bank/studs").unwrap();
        let cell = table.cells[row][column].as_ref().unwrap();
        let reached = |soc: f64| told.levels.iter().find(|it| (it.soc - soc).abs() < 1e-9).unwrap().after_h;
        // Near to where nothing flows any more hours stretch without end.
        for (of_cell, of_march, edge) in [(cell.after_h.most, reached(0.8), 13.34),
            (cell.after_h.full, reached(1.0), 13.75)] {
            if let (Some(of_cell), Some(of_march)) = (of_cell, of_march) && volts > edge + 0.01 {
                near(of_cell, of_march, if volts < edge + 0.1 { 0.15 } else { 0.06 });
            }
        }
        if volts > 13.4 {
            prop_assert!(cell.after_h.most.is_some() && reached(0.8).is_some());
        }
        if volts < 13.75 {
            prop_assert!(cell.after_h.full.is_none() && reached(1.0).is_none());
            prop_assert!(cell.limited_by.contains("never full"), "{}", cell.limited_by);
        }
    }

    #[test]
    fn more_volts_and_less_resistance_never_take_longer(
        volts in 13.3_f64..14.2, more in 0.0_f64..0.4, ohms in 0.004_f64..0.08,
            less in 0.0_f64..1.0,
    ) {
        let at = |volts: f64, ohms: f64| {
            let plan = held(volts,
                &|plan| plan["kit"]["sources"][1]["battery"]["internal_ohm"] = json!(ohms));
            filled(&plan, 0.1, &[0.7,
                0.97]).levels.iter().map(|it| it.after_h.unwrap_or(f64::INFINITY)).collect::<Vec<_>>()
        };
        let (plain, higher, better) = (at(volts, ohms), at(volts + more, ohms), at(volts,
            ohms * less));
        for it in 0..2 {
            prop_assert!(higher[it] <= plain[it] * (1.0 + 5e-3), "{} V: {higher:?} after \
                {plain:?}", volts + more);
            prop_assert!(better[it] <= plain[it] * (1.0 + 5e-3), "{} Ω: {better:?} after \
                {plain:?}", ohms * less);
        }
    }
}
