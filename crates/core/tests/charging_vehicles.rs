//! Vehicles that fill stores: a traction store behind its small converter for 12 V; and what
//! nobody said that a charge hangs on.

use crate::charging::{asked, feed, hours, lfp, near, site};
use ash_pond_core::advice::charge::LimitKind;
use ash_pond_core::site::kinds::kinds;
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use serde_json::{Value, json};

/// The station filled out of an electric vehicle of 40 kWh, whose converter for 12 V gives 5 A at
/// 13.6 V, takes 150 W to be on and loses a tenth; the station begins at a tenth.
fn plugged(edit: &dyn Fn(&mut Value)) -> Plan {
    site(&json!([feed("car/socket", "station/dc")]), &|plan| {
        let sources = plan["kit"]["sources"].as_array_mut().unwrap();
        sources.push(json!({"id": "car", "label": "Car", "kind": "vehicle",
            "battery": {"chemistry": "li_ion", "energy_wh": 40000, "floor_soc": 0.3},
            "ports": [{"id": "socket", "label": "dash socket", "current": "dc",
                "voltage": {"regulated_v": 13.6}, "limit": {"continuous_a": 5},
                "loss": {"idle_w": 150, "proportional": 0.1}}]}));
        plan["outages"] = json!([{"id": "cut", "label": "Cut", "start": "2026-03-20T12:00",
            "hours": 2, "initial_soc": {"station": 0.1}}]);
        edit(plan);
    })
}

#[test]
fn a_traction_store_fills_no_faster_than_its_small_converter_gives() {
    // 13.6 V stand in the band of 8 A, which is 108.8 W; its converter gives 5 A, 68 W.
    let plan = plugged(&|_| {});
    let told = asked(&plan, "station", |_| {});
    let way = &told.ways[0];
    near(way.watts, 68.0, 1e-6);
    assert_eq!(way.limits[0].kind, LimitKind::Port);
    assert_eq!(way.limits[0].limited_by, "Car, dash socket: 5 A");
    near(hours(&told, 0.8), 0.7 * 500.0 / (68.0 * 0.95 * lfp()), 1e-4);
    // Two hours of it cost the traction store 2 · (68 · 1.1 + 150) Wh, far from its floor.
    let run = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    near(
        1.0 - run.sources["car"].end_soc,
        2.0 * (68.0 * 1.1 + 150.0) / 40_000.0,
        1e-3,
    );
    // At its floor it gives nothing.
    let low = plugged(&|plan| {
        plan["outages"][0]["initial_soc"]["car"] = json!(0.305);
    });
    let run = simulate(&low, &low.arrangements[0], &low.outages[0], None);
    near(run.sources["car"].end_soc, 0.3, 1e-6);
    // A larger converter leaves it to the input.
    let large = plugged(&|plan| {
        let sources = plan["kit"]["sources"].as_array_mut().unwrap();
        sources.last_mut().unwrap()["ports"][0]["limit"]["continuous_a"] = json!(60);
    });
    let told = asked(&large, "station", |_| {});
    near(told.ways[0].watts, 8.0 * 13.6, 1e-6);
    assert_eq!(told.ways[0].limits[0].kind, LimitKind::Band);
}

#[test]
fn the_kind_of_it_can_be_asked_what_it_fills() {
    let mut all = kinds().sources.iter();
    let kind = all.find(|it| it.id.as_str() == "vehicle-traction");
    let kind = serde_json::to_value(kind.expect("there is one")).unwrap();
    let plan = plugged(&|plan| {
        let sources = plan["kit"]["sources"].as_array_mut().unwrap();
        let mut car = kind.clone();
        car["id"] = json!("car");
        *sources.last_mut().unwrap() = car;
    });
    let told = asked(&plan, "station", |_| {});
    // 13.8 V in the band of 8 A.
    near(told.ways[0].watts, 8.0 * 13.8, 1e-6);
    let found = ash_pond_core::advice::charge::fills(&plan).unwrap();
    let row = found
        .froms
        .iter()
        .position(|it| it.item == "car" && it.via.is_empty())
        .unwrap();
    let column = found.inputs.iter().position(|it| it == "station/dc");
    let cell = found.cells[row][column.unwrap()].as_ref().unwrap();
    near(cell.watts, told.ways[0].watts, 1e-6);
    near(cell.after_h.full.unwrap(), hours(&told, 1.0), 1e-2);
}

#[test]
fn what_nobody_said_is_asked_for() {
    let nowhere = site(&json!([feed("panel/out", "station/dc")]), &|plan| {
        plan["site"].as_object_mut().unwrap().remove("place");
    });
    let told = asked(&nowhere, "station", |_| {});
    assert_eq!(
        told.sentence,
        "Nobody said where the site is, so the sun is not known: give its latitude."
    );
    let unstated = plugged(&|plan| {
        plan["kit"]["sources"][0]["inputs"][1] = json!({"id": "dc", "kind": "dc"});
    });
    let told = asked(&unstated, "station", |_| {});
    assert_eq!(told.ways[0].limits[0].kind, LimitKind::Unstated);
    assert!(
        told.sentence
            .contains("states no limit: find out what it takes"),
        "{}",
        told.sentence
    );
}

#[test]
fn what_holds_the_way_that_brings_most_is_told_and_not_what_begins_first() {
    let plan = Plan::parse(include_str!("../../../demo/weir-hut.plan.json")).unwrap();
    let told = ash_pond_core::advice::charge::recharge(
        &plan,
        plan.arrangement("hut").unwrap(),
        None,
        &ash_pond_core::advice::charge::RechargeAsk::of("hut-bank"),
    )
    .unwrap();
    // At eight the sun is low, and the generator is quiet until nine.
    let of = |input: &str| told.ways.iter().find(|it| it.input == input).unwrap();
    assert!(of("hut-bank/sun").watts > of("hut-bank/set").watts);
    assert!(
        told.sentence
            .contains("What holds it first is Charger 20 A, out: 20 A."),
        "{}",
        told.sentence
    );
}

#[test]
fn what_the_cold_refuses_of_an_outage_is_told_at_its_hour_and_for_how_long() {
    let mut plan: Value =
        serde_json::from_str(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    plan["outages"][0]["ambient_c"] = json!(-6);
    plan["outages"][0]["charging"] =
        json!([{"source": "house-bank", "from_h": 16, "to_h": 19, "watts": 80}]);
    let plan = Plan::from_value(&plan).unwrap();
    let way = plan.arrangement("direct").unwrap();
    let told = ash_pond_core::time::outage::tell(&plan, way, &plan.outages[0], 50);
    let refused = told
        .todo
        .iter()
        .find(|it| it.what.contains("nothing of the 80 W for 3 h is counted"))
        .unwrap_or_else(|| panic!("{:?}", told.todo));
    near(refused.at_h, 16.0, 1e-9);
    assert!(
        refused.what.contains("6 °C it takes no harmless charge")
            && refused.what.contains("from 0 °C on"),
        "{}",
        refused.what
    );
    assert!(told.simulation.sources["house-bank"].charged_wh < 1e-9);
}

#[test]
fn a_class_is_picked_for_an_input_and_the_march_takes_the_class_that_is_wired() {
    // A supply that offers 5, 12 and 20 V at 3 A, into an input of 11 to 30 V.
    let plan = |volts: f64| {
        let wire = json!({"from": {"item": "brick", "port": "out"}, "to": "station/dc",
            "voltage_v": volts});
        site(&json!([wire]), &|plan| {
            let sources = plan["kit"]["sources"].as_array_mut().unwrap();
            sources.push(
                json!({"id": "brick", "label": "Brick", "kind": "generator", "ports":
                [{"id": "out", "current": "dc", "voltage": {"offers_v": [5, 12, 20]},
                    "limit": {"continuous_a": 3}}]}),
            );
        })
    };
    let watts = |volts: f64| asked(&plan(volts), "station", |_| {}).ways[0].watts;
    near(watts(12.0), 36.0, 1e-6);
    near(watts(20.0), 60.0, 1e-6);
    // The table picks the class that gives most, and has the hours of its march.
    let (whole, told) = (plan(20.0), asked(&plan(20.0), "station", |_| {}));
    let found = ash_pond_core::advice::charge::fills(&whole).unwrap();
    let row = found
        .froms
        .iter()
        .position(|it| it.item == "brick" && it.via.is_empty());
    let column = found.inputs.iter().position(|it| it == "station/dc");
    let cell = found.cells[row.unwrap()][column.unwrap()].as_ref().unwrap();
    assert_eq!(cell.class, Some(20.0));
    near(cell.watts, 60.0, 1e-6);
    near(cell.after_h.full.unwrap(), hours(&told, 1.0), 1e-2);
}

#[test]
fn strings_in_series_rise_over_a_window_in_the_cold_and_side_by_side_they_do_not() {
    use ash_pond_core::advice::charge::{Refusal, fills};
    // 14 V each: two in a row are 28 V at 25 °C, 31.4 V at −15 °C, on an input that bears 30.
    let refused = |panel: Value| {
        let plan = site(&json!([]), &|plan| {
            plan["site"]["ambient_c"] = json!(-15);
            plan["kit"]["sources"][4]["panel"] = panel.clone();
        });
        let found = fills(&plan).unwrap();
        let row = found
            .froms
            .iter()
            .position(|it| it.item == "panel" && it.via.is_empty());
        let column = found.inputs.iter().position(|it| it == "station/dc");
        found.cells[row.unwrap()][column.unwrap()]
            .as_ref()
            .unwrap()
            .refusal
    };
    assert_eq!(
        refused(json!({"open_v": 14, "in_series": 2})),
        Some(Refusal::TooHigh)
    );
    assert_ne!(
        refused(json!({"open_v": 14, "strings": 2})),
        Some(Refusal::TooHigh)
    );
}

#[test]
fn what_a_charger_holds_back_in_between_is_asked_about() {
    use ash_pond_core::bench::outcome;
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    // 300 W for an hour, 80 W for half of one, 300 W again, and less at the end.
    let rows: &[&[f64]] = &[
        &[0.0, 20.0, 0.0],
        &[0.5, 40.0, 150.0],
        &[1.0, 60.0, 300.0],
        &[1.5, 66.0, 340.0],
        &[2.0, 86.0, 490.0],
        &[2.5, 100.0, 600.0],
    ];
    let run = crate::bench_tests::test("charging", "source", "station", Some("wall"), rows);
    let found = outcome(&plan, &run).unwrap();
    let asked: Vec<_> = found.questions.iter().map(|it| it.row).collect();
    assert_eq!(asked, [3], "{:?}", found.questions);
    assert!(
        found.questions[0]
            .sentence
            .contains("80 W here and more again after it"),
        "{}",
        found.questions[0].sentence
    );
    assert!(
        found.sentence.contains("it takes less from 86 % on"),
        "{}",
        found.sentence
    );
    // What it takes at most is a figure, but not of an input that can be set in several ways.
    let most = |plan: &Plan| {
        let found = outcome(plan, &run).unwrap();
        found
            .figures
            .iter()
            .any(|it| it.pointer.ends_with("/max_w"))
    };
    let mut set = serde_json::to_value(&plan).unwrap();
    let sources = set["kit"]["sources"].as_array_mut().unwrap();
    let station = sources.iter_mut().find(|it| it["id"] == "station").unwrap();
    station["inputs"][0]["modes"] = json!([{"id": "quiet", "label": "Quiet", "max_w": 100}]);
    assert!(most(&plan) && !most(&Plan::from_value(&set).unwrap()));
}

#[test]
fn a_fuse_that_is_too_small_opens_and_nothing_comes_after_it() {
    // 68 W at 13.6 V are 5 A: two and a half times the fuse, which is gone within seconds.
    let fused = |rating: f64| {
        plugged(&|plan| {
            plan["arrangements"][0]["feeds"][0]["fuse"] = json!({"rating_a": rating});
        })
    };
    let told = asked(&fused(2.0), "station", |_| {});
    assert_eq!(told.opened.len(), 1, "{:?}", told.opened);
    assert!(told.levels.iter().all(|it| it.after_h.is_none()));
    assert!(told.sentence.contains("does not rise"), "{}", told.sentence);
    // One that carries it changes nothing.
    let told = asked(&fused(10.0), "station", |_| {});
    assert!(told.opened.is_empty(), "{:?}", told.opened);
    near(hours(&told, 0.8), 0.7 * 500.0 / (68.0 * 0.95 * lfp()), 1e-4);
}
