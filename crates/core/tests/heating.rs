//! Cases that get as warm as they bear while something is filled through them: worked by hand,
//! against the table of fillings, and as laws.

use crate::charging::{asked, feed, hours, lfp, near, site};
use ash_pond_core::advice::charge::{LimitKind, Recharged, fills};
use ash_pond_core::limits::{Code, Status, findings};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use proptest::prelude::*;
use serde_json::{Value, json};

/// The van through the step-up into the station; 200 W behind it lose 11 W, which make its case 40
/// K warmer in the end.
fn warm(thermal: &Value, edit: &dyn Fn(&mut Value)) -> Plan {
    let chain = json!([
        feed("van/socket", "step-up"),
        feed("step-up/out", "station/dc")
    ]);
    site(&chain, &|plan| {
        let step_up = &mut plan["kit"]["converters"][1];
        step_up["outputs"][0]["limit"] = json!({"continuous_w": 200});
        step_up["thermal"] = thermal.clone();
        edit(plan);
    })
}

fn thermal(max_case_c: f64, tau_s: f64) -> Value {
    json!({"full_load_rise_c": 40, "time_constant_s": tau_s, "max_case_c": max_case_c})
}

fn at_speed(plan: &Plan) -> Recharged {
    asked(plan, "station", |it| {
        it.modes.insert("van".to_owned(), "full".to_owned());
    })
}

#[test]
fn a_case_that_is_as_warm_as_it_bears_lets_less_through() {
    // 45 °C in air of 25: 20 K, so 5.5 W may be lost, 1 W and a twentieth of 90 W. From cold, 11 W
    // bring it there in 1000·ln 2 s.
    let told = at_speed(&warm(&thermal(45.0, 1000.0), &|_| {}));
    let stored = |watts: f64| watts * 0.95 * lfp();
    let warms_h = 1000.0 * 2.0_f64.ln() / 3600.0;
    near(
        hours(&told, 0.8),
        warms_h + (350.0 - stored(200.0) * warms_h) / stored(90.0),
        1e-3,
    );
    let limits = &told.ways[0].limits;
    assert_eq!(
        (limits[0].kind, limits[1].kind),
        (LimitKind::Input, LimitKind::Heat),
        "{limits:?}"
    );
    near(limits[1].at_h, warms_h, 1e-3);
    near(limits[1].watts, 90.0, 1e-3);
    assert_eq!(
        limits[1].limited_by,
        "Step-up is as warm as its case bears of 45 °C: 90 W"
    );
    // Towards full it takes less than the case lets through.
    assert_eq!(limits.last().unwrap().kind, LimitKind::Taper, "{limits:?}");
    // Without a time constant it is held from the beginning on.
    let at_once = at_speed(&warm(
        &json!({"full_load_rise_c": 40, "max_case_c": 45}),
        &|_| {},
    ));
    near(hours(&at_once, 0.8), 350.0 / stored(90.0), 1e-3);
    // A fan leaves six tenths of the rise: 24 K at 200 W, so 20 K are 9.17 W lost, with 163 W
    // given.
    let fan =
        json!({"full_load_rise_c": 40, "time_constant_s": 1000, "max_case_c": 45, "fan": true});
    let fanned = at_speed(&warm(&fan, &|_| {}));
    near(
        fanned.ways[0].limits[1].watts,
        (11.0 * 20.0 / 24.0 - 1.0) / 0.05,
        1e-3,
    );
    assert!(hours(&fanned, 0.8) < hours(&told, 0.8));
    // In air that is as warm as the case may be, nothing is let through.
    let hot = at_speed(&warm(&thermal(25.0, 1000.0), &|_| {}));
    assert!(
        hot.levels.iter().all(|it| it.after_h.is_none()),
        "{}",
        hot.sentence
    );
}

#[test]
fn a_case_that_bears_all_of_it_changes_nothing() {
    let cool = at_speed(&warm(&thermal(90.0, 1000.0), &|_| {}));
    let silent = at_speed(&warm(&Value::Null, &|_| {}));
    for (one, other) in cool.levels.iter().zip(&silent.levels) {
        near(one.after_h.unwrap(), other.after_h.unwrap(), 1e-9);
    }
    assert!(
        cool.ways[0]
            .limits
            .iter()
            .all(|it| it.kind != LimitKind::Heat)
    );
}

/// The station filled by the van for eight hours of an outage, and a lamp behind the step-up.
fn outage(thermal: &Value, lamp_w: f64) -> Plan {
    warm(thermal, &|plan| {
        plan["kit"]["devices"] = json!([{"id": "lamp", "label": "Lamp", "input": {"current": "dc",
            "rated_v": 24},
            "phases": [{"when": "running", "watts": lamp_w}]}]);
        plan["arrangements"][0]["feeds"]
            .as_array_mut()
            .unwrap()
            .push(feed("step-up/out", "lamp"));
        plan["kit"]["sources"][2]["alternator"]["idle_a"] = json!(80);
        plan["outages"] = json!([{"id": "o", "label": "O", "start": "2026-03-03T08:00", "hours": 8,
            "initial_soc": {"station": 0.2}, "runs": [{"source": "van", "from_h": 0, "to_h": 8}]}]);
    })
}

#[test]
fn in_an_outage_what_yields_is_held_and_what_does_not_is_told_of() {
    let run = |plan: &Plan| simulate(plan, &plan.arrangements[0], &plan.outages[0], None);
    let held = run(&outage(&thermal(45.0, 1000.0), 10.0));
    let event = held
        .events
        .iter()
        .find(|it| it.what == "held by heat")
        .expect("it gets warm");
    assert_eq!(event.item, "step-up");
    assert_eq!(
        event.cause[0],
        "Step-up is at the 45 °C that its case bears: it gives 90 W on, and no more"
    );
    // The lamp is served first: 80 W are left for the station.
    let cool = run(&outage(&thermal(90.0, 1000.0), 10.0));
    assert!(held.sources["station"].charged_wh < cool.sources["station"].charged_wh);
    assert_eq!(held.devices["lamp"].down_at_h, None);
    // A lamp of 150 W takes what it takes: the case is told of, by the march as by the finding.
    let plan = outage(&thermal(45.0, 1000.0), 150.0);
    let lamp = Plan::from_value(&{
        let mut value = serde_json::to_value(&plan).unwrap();
        value["arrangements"][0]["feeds"]
            .as_array_mut()
            .unwrap()
            .retain(|it| it["to"] != "station/dc");
        value
    })
    .unwrap();
    let warm = run(&lamp);
    let event = warm
        .events
        .iter()
        .find(|it| it.what == "too warm")
        .expect("it gets too warm");
    assert!(
        event.cause[0].contains("takes what it takes"),
        "{:?}",
        event.cause
    );
    // 150 W lose 8.5 W: 30.9 K in the end, 20 after 1000·ln(30.9 / 10.9).
    near(
        event.at_h,
        1000.0 * (30.909_f64 / 10.909).ln() / 3600.0,
        1e-3,
    );
    let found = findings(&lamp, &lamp.arrangements[0]);
    let heat = found.iter().find(|it| it.code == Code::Heat).unwrap();
    assert_eq!(heat.status, Status::Trips);
    near(heat.value, 25.0 + 30.909, 1e-3);
}

/// A lamp that comes and goes warms the case again and again: it is told of once.
#[test]
fn what_gets_warm_with_every_turn_is_told_of_once() {
    let mut value = serde_json::to_value(outage(&thermal(45.0, 300.0), 150.0)).unwrap();
    value["kit"]["devices"][0]["cycle"] =
        json!({"kind": "thermostat", "on_fraction": 0.5, "period_s": 3600});
    value["arrangements"][0]["feeds"]
        .as_array_mut()
        .unwrap()
        .retain(|it| it["to"] != "station/dc");
    let plan = Plan::from_value(&value).unwrap();
    let run = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    assert_eq!(
        run.events.iter().filter(|it| it.what == "too warm").count(),
        1,
        "{:?}",
        run.events
    );
}

proptest! {
    #[test]
    fn a_warm_cell_has_the_hours_of_its_march(case in 32.0_f64..70.0, tau in 0.0_f64..4000.0,
        share in 0.1_f64..0.5) {
        let plan = warm(&thermal(case, tau), &|plan| {
            plan["kit"]["sources"][2]["alternator"]["idle_a"] = json!(40);
            plan["kit"]["converters"][1]["loss"]["proportional"] = json!(share / 5.0);
        });
        let told = asked(&plan, "station", |_| {});
        let table = fills(&plan).unwrap();
        let row = table.froms.iter().position(|it| it.item == "van" && it.via == ["step-up"]).unwrap();
        let column = table.inputs.iter().position(|it| it == "station/dc").unwrap();
        let cell = table.cells[row][column].as_ref().unwrap();
        let reached = |soc: f64| told.levels.iter().find(|it| (it.soc - soc).abs() < 1e-9).unwrap().after_h;
        for (of_cell, of_march, share) in [(cell.after_h.most, reached(0.8), 0.01),
            (cell.after_h.full, reached(1.0), 0.015)] {
            prop_assert_eq!(of_cell.is_some(), of_march.is_some());
            near(of_cell.unwrap_or(1.0), of_march.unwrap_or(1.0), share);
        }
        let gets_warm = told.ways[0].limits.iter().any(|it| it.kind == LimitKind::Heat);
        prop_assert!(!gets_warm || cell.limited_by.contains("as warm as its case bears"), "{}",
            cell.limited_by);
    }

    #[test]
    fn a_case_that_bears_more_and_cooler_air_never_take_longer(case in 30.0_f64..70.0,
        more in 0.0_f64..30.0, air in 0.0_f64..25.0) {
        let at = |case: f64, air: f64| {
            let plan = warm(&thermal(case, 900.0), &|plan| plan["site"]["ambient_c"] = json!(air));
            hours(&at_speed(&plan), 0.8)
        };
        let (hot, cool, cold) = (at(case, 25.0), at(case + more, 25.0), at(case, air));
        prop_assert!(cool <= hot * (1.0 + 1e-6), "{cool} after {hot}");
        // Leads and cells are no better in the cold; the case is.
        prop_assert!(cold <= hot * (1.0 + 5e-3), "{cold} after {hot}");
    }
}
