//! Answers that can be checked on paper.

use crate::common;

use ash_pond_core::limits::{Code, Finding, Status, boards, findings};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::{answer, longest_lead};
use ash_pond_core::time::day::{day, lasting};
use common::close;
use serde_json::{Value, json};

/// A station whose 13 V socket feeds one device, without a lead.
fn socket(limit: &Value, phases: &Value) -> Plan {
    Plan::from_value(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Paper", "ambient_c": 25},
        "kit": {
            "devices": [{"id": "heater", "label": "Heater", "input": {"current": "dc",
                "rated_v": 13, "min_v": 11, "max_v": 15}, "phases": phases}],
            "sources": [{"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500, "floor_soc": 0.2},
                "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 13},
                    "loss": {"idle_w": 2, "proportional": 0.1}, "limit": limit}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "station",
            "port": "socket"}, "to": "heater"}]}]
    }))
    .unwrap()
}

fn of(plan: &Plan, code: Code) -> Finding {
    let all = findings(plan, &plan.arrangements[0]);
    all.into_iter()
        .find(|it| it.code == code)
        .unwrap_or_else(|| panic!("no finding {code:?}"))
}

fn start(watts: f64, seconds: Option<f64>) -> Value {
    json!([{"when": "running", "watts": 26}, {"when": "starting", "watts": watts,
        "seconds": seconds}])
}

#[test]
fn a_start_over_the_limit_trips_and_says_for_how_long_it_is_carried() {
    let plan = socket(
        &json!({"continuous_a": 8, "overload": [{"up_to_a": 9, "for_s": 3}]}),
        &start(110.5, Some(150.0)),
    );
    let finding = of(&plan, Code::PortLimit);
    assert_eq!(
        (finding.status, finding.moment.as_str(), finding.allowed_s),
        (Status::Trips, "starting heater", Some(3.0))
    );
    assert!(close(finding.value, 8.5, 1e-12) && close(finding.margin, -0.5, 1e-12));
    assert_eq!(finding.seconds, Some(150.0));
    assert_eq!(
        finding.message,
        "Trips: 8.5 A for 150 s on Station while Heater starts; its limit is 8 A, and it carries \
        that only for 3 s."
    );
    assert_eq!(finding.brief, "Station trips");
}

#[test]
fn each_status_of_a_port_is_reached() {
    let limit =
        json!({"continuous_a": 8, "overload": [{"up_to_a": 10, "for_s": 5}, {"up_to_a": 12}]});
    let cases = [
        (start(52.0, Some(2.0)), Status::Holds),
        (start(91.0, Some(2.0)), Status::Tight),
        (start(117.0, Some(5.0)), Status::Brief),
        (start(117.0, Some(6.0)), Status::Unproven),
        (start(117.0, None), Status::Unproven),
        (start(143.0, Some(0.1)), Status::Unproven),
        (start(157.0, Some(0.1)), Status::Trips),
    ];
    for (phases, status) in cases {
        assert_eq!(
            of(&socket(&limit, &phases), Code::PortLimit).status,
            status,
            "{phases}"
        );
    }
}

#[test]
fn a_port_that_costs_more_than_it_carries_is_said_so() {
    let plan = socket(
        &json!({"continuous_a": 8}),
        &json!([{"when": "running", "watts": 1.5}]),
    );
    let finding = of(&plan, Code::IdleDraw);
    assert_eq!(
        (finding.status, finding.value, finding.limit),
        (Status::Tight, 2.0, 1.5)
    );
}

#[test]
fn a_voltage_outside_the_window_resets_or_destroys() {
    let mut plan = socket(
        &json!({"continuous_a": 8}),
        &json!([{"when": "running", "watts": 26}]),
    );
    assert_eq!(of(&plan, Code::DeviceVoltage).status, Status::Holds);
    plan.kit.devices[0].input.max_v = Some(13.1.into());
    assert_eq!(of(&plan, Code::DeviceVoltage).status, Status::Tight);
    plan.kit.devices[0].input.max_v = Some(12.0.into());
    let high = of(&plan, Code::DeviceVoltage);
    assert_eq!(high.status, Status::Trips);
    assert!(
        high.message.starts_with("May destroy Heater: 13 V"),
        "{}",
        high.message
    );
    assert!(high.caution.is_some());
    plan.kit.devices[0].input.min_v = Some(14.0.into());
    plan.kit.devices[0].input.max_v = Some(15.0.into());
    assert!(
        of(&plan, Code::DeviceVoltage)
            .message
            .starts_with("Resets: Heater gets 13 V")
    );
}

#[test]
fn a_day_is_its_hours_times_its_watts() {
    let phases = json!([{"when": "running", "watts": 20}, {"when": "busy", "watts": 40,
        "share": 0.25}, {"when": "starting", "watts": 100, "seconds": 360}]);
    let mut plan = socket(&json!({}), &phases);
    let way = plan.arrangements[0].clone();
    // Average 25 W, and 1.1 × 25 + 2 W drawn, for 24 h.
    let all_day = day(&plan, &way, &Charge::full());
    assert!(
        close(all_day.delivered_wh, 600.0, 1e-12) && close(all_day.drawn_wh, 29.5 * 24.0, 1e-12)
    );
    assert!(close(all_day.idle_wh, 48.0, 1e-12));
    // Ten hours over midnight, the first 0.1 h of which it starts; idle goes on.
    plan.kit.devices[0].cycle = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "x"}, "kit": {"devices": [
        {"id": "d", "label": "d", "input": {"current": "dc", "rated_v": 12},
            "phases": [{"when": "running", "watts": 1}], "cycle": {"kind": "hours",
            "from": "20:00", "to": "06:00"}}]}}))
    .unwrap()
    .kit
    .devices[0]
        .cycle
        .clone();
    let night = day(&plan, &way, &Charge::full());
    let delivered = 9.9 * 25.0 + 0.1 * 100.0;
    assert!(
        close(night.delivered_wh, delivered, 1e-9),
        "{}",
        night.delivered_wh
    );
    assert!(close(night.drawn_wh, 1.1 * delivered + 48.0, 1e-9));
    // 500 Wh down to a floor of a fifth, at the mean draw.
    let floor = &lasting(&plan, &way, &Charge::full())["station"];
    assert!(close(floor.to_floor_wh, 400.0, 1e-9));
    assert!(close(
        floor.to_floor_h.unwrap(),
        400.0 / (night.drawn_wh / 24.0),
        1e-9
    ));
}

#[test]
fn a_thermostat_loses_in_its_lead_what_flows_while_it_is_on() {
    let plan = Plan::from_value(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Cool"},
        "kit": {
            "devices": [{"id": "cooler", "label": "Cooler", "draw": "current",
                "input": {"current": "dc", "rated_v": 13}, "phases": [{"when": "running",
                "watts": 52}],
                "cycle": {"kind": "thermostat", "on_fraction": 0.25, "period_s": 1800}}],
            "sources": [{"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500},
                "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 13}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "station",
            "port": "socket"}, "to": "cooler",
            "cable": {"length_m": 0, "area_mm2": 1, "contact_ohm": 0.1}}]}]
    }))
    .unwrap();
    // 4 A through 0.1 Ω for six hours: 9.6 Wh. The average current would lose a quarter of that.
    assert!(close(
        day(&plan, &plan.arrangements[0], &Charge::full()).cables_wh,
        9.6,
        1e-9
    ));
}

#[test]
fn peukert_shortens_a_lead_bank_above_its_rated_current() {
    let bank = |watts: f64| {
        let plan = Plan::from_value(&json!({
            "format": "ash-pond/plan", "version": 1, "site": {"name": "Lead", "ambient_c": 25},
            "kit": {
                "devices": [{"id": "load", "label": "Load", "draw": "current",
                    "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running",
                    "watts": watts}]}],
                "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                    "battery": {"chemistry": "agm", "cells": 6, "capacity_ah": 100},
                    "ports": [{"id": "posts", "current": "dc", "voltage": {"follows": true}}]}]},
            "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "bank",
                "port": "posts"}, "to": "load"}]}]
        }))
        .unwrap();
        lasting(&plan, &plan.arrangements[0], &Charge::full())["bank"]
            .to_floor_h
            .unwrap()
    };
    // Half of 100 Ah at 5 A, the twenty-hour rate; then at 10 A with (10/5)^0.12 taken off.
    assert!(close(bank(60.0), 10.0, 1e-9));
    assert!(close(bank(120.0), 50.0 / (10.0 * 2.0_f64.powf(0.12)), 1e-9));
}

#[test]
fn the_longest_lead_is_where_the_device_resets() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let mut way = plan.arrangement("camera-direct").unwrap().clone();
    let longest = longest_lead(&plan, &way, "gate-camera").unwrap();
    let lowest = |way: &_| {
        let flow = evaluate(
            &plan,
            way,
            &Moment::Starting("gate-camera".into()),
            &Charge::floor(&plan),
        )
        .unwrap();
        flow.devices.get("gate-camera").map_or(0.0, |it| it.input_v)
    };
    way.feeds[0].cable.as_mut().unwrap().length_m = longest.into();
    assert!((lowest(&way) - 10.8).abs() < 0.01, "{}", lowest(&way));
    way.feeds[0].cable.as_mut().unwrap().length_m = (longest + 0.1).into();
    assert!(lowest(&way) < 10.8);
}

#[test]
fn the_demo_is_answered_in_sentences_with_numbers() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let ways = ["camera-direct", "camera-inverter"].map(|id| plan.arrangement(id).unwrap());
    let answer = answer(&plan, &ways, &Moment::Running, &Charge::uniform(0.6)).unwrap();
    assert_eq!(
        answer.headline,
        "Straight off the bank draws 6.3 W; Through the small inverter 15.7 W, and 8.3 of them \
        only because things are switched on."
    );
    assert_eq!(
        answer.decides.unwrap(),
        "Through the small inverter costs 227 Wh more a day. Straight off the bank: a lead of over \
        79 m would reset Gate camera at the floor."
    );
    assert_eq!(
        answer.ways[0].line,
        "Straight off the bank · 100 h to the floor from 60 % · polarity of Gate camera unverified"
    );
    let parts = &answer.ways[1].parts;
    assert_eq!(
        (parts.converters, parts.leads, parts.fuses, parts.price),
        (2, 3, 1, Some(84.0))
    );
}

#[test]
fn every_arrangement_of_the_demo_is_evaluated_at_every_moment() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    assert_eq!((plan.arrangements.len(), plan.outages.len()), (6, 2));
    for way in &plan.arrangements {
        for moment in ash_pond_core::network::moments(&plan, way) {
            let flow = evaluate(&plan, way, &moment, &Charge::floor(&plan)).unwrap();
            assert!(flow.collapses.is_empty(), "{} collapses {moment}", way.id);
            assert!(flow.totals.lost_w > 0.0);
        }
        for board in boards(&plan, way, &Charge::full()) {
            assert!(
                board.limit > 0.0 && !board.marks.is_empty(),
                "{}",
                board.place
            );
        }
    }
}

#[test]
fn findings_are_sorted_by_how_bad_and_do_not_depend_on_the_order_of_lists() {
    let mut plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let told = |plan: &Plan| -> Vec<(Status, String)> {
        findings(plan, plan.arrangement("direct").unwrap())
            .into_iter()
            .map(|it| (it.status, it.message.plain().into_owned()))
            .collect()
    };
    let before = told(&plan);
    assert!(before.windows(2).all(|pair| pair[0].0 >= pair[1].0));
    plan.kit.devices.reverse();
    plan.kit.converters.reverse();
    for way in &mut plan.arrangements {
        way.feeds.reverse();
    }
    let (mut before, mut after) = (before, told(&plan));
    before.sort();
    after.sort();
    assert_eq!(before, after);
}

#[test]
fn the_example_of_the_docs_answers_what_the_docs_say() {
    let docs = include_str!("../../../docs/plan-format.md");
    let example = docs
        .split("```json")
        .nth(1)
        .and_then(|it| it.split("```").next())
        .unwrap();
    let plan = Plan::parse(example).unwrap();
    let flow = evaluate(
        &plan,
        &plan.arrangements[0],
        &Moment::Running,
        &Charge::full(),
    )
    .unwrap();
    let words = format!(
        "{:.1} W drawn, {:.1} V at the lamp",
        flow.totals.drawn_w, flow.devices["lamp"].input_v
    );
    assert!(docs.contains(&words), "{words}");
}

#[test]
fn every_named_number_has_a_working_that_results_in_it() {
    use ash_pond_core::telling::working::{Sums, working};
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let mut explained = 0;
    for way in &plan.arrangements {
        for moment in ash_pond_core::network::moments(&plan, way) {
            let charge = Charge::uniform(0.4);
            let flow = evaluate(&plan, way, &moment, &charge).unwrap();
            let day = day(&plan, way, &charge);
            let sums = Sums {
                plan: &plan,
                arrangement: way,
                flow: &flow,
                day: &day,
            };
            let named = serde_json::to_value(&flow).unwrap();
            for kind in [
                "devices",
                "converters",
                "junctions",
                "feeds",
                "ports",
                "sources",
                "inputs",
            ] {
                for (id, fields) in named[kind].as_object().unwrap() {
                    for (field, value) in fields
                        .as_object()
                        .unwrap()
                        .iter()
                        .filter(|(_, value)| value.is_number())
                    {
                        // What a store of energy has no terms for: it has no resistance of its own.
                        if field == "internal_loss_w" && flow.sources[id].amps.is_none() {
                            continue;
                        }
                        let key = format!("{kind}.{id}.{field}");
                        let found = working(&sums, &key)
                            .unwrap_or_else(|| panic!("{} {moment}: {key} has no working", way.id));
                        let value = value.as_f64().unwrap();
                        assert!(
                            close(found.result.value, value, 1e-9),
                            "{key}: {value}, but its working says {}",
                            found.result.value
                        );
                        assert!(!found.words.is_empty(), "{key}");
                        // A store that nothing charges has no terms for what charges it.
                        assert!(!found.terms.is_empty() || field == "charged_w", "{key}");
                        explained += 1;
                    }
                }
            }
            for (field, value) in named["totals"].as_object().unwrap() {
                let found = working(&sums, &format!("totals.{field}"))
                    .unwrap_or_else(|| panic!("totals.{field} has no working"));
                assert!(
                    close(found.result.value, value.as_f64().unwrap(), 1e-9),
                    "totals.{field}"
                );
            }
        }
    }
    assert!(explained > 2000, "only {explained} numbers were explained");
}

#[test]
fn the_terms_of_a_far_end_make_its_result() {
    use ash_pond_core::telling::working::{Sums, working};
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let way = plan.arrangement("camera-direct").unwrap();
    let (flow, day) = (
        evaluate(&plan, way, &Moment::Busy, &Charge::full()).unwrap(),
        day(&plan, way, &Charge::full()),
    );
    let sums = Sums {
        plan: &plan,
        arrangement: way,
        flow: &flow,
        day: &day,
    };
    let found = working(&sums, "feeds.gate-camera.far_v").unwrap();
    let [near, amps, ohms] = &found.terms[..] else {
        panic!("three terms make a far end")
    };
    assert!(close(
        near.value - amps.value * ohms.value,
        found.result.value,
        1e-12
    ));
    let lead = working(&sums, "feeds.gate-camera.ohms").unwrap();
    assert_eq!(
        lead.surer.as_ref().unwrap(),
        &"length one way: assumed. Measure it, or look for its datasheet."
    );
}

#[test]
fn what_must_stay_on_is_counted_before_anything_feeds_it() {
    use ash_pond_core::advice::needs::needs;
    use ash_pond_core::ground::figure::Basis;
    let device = |id: &str, priority: u32, more: Value| {
        let mut it = json!({"id": id, "label": id, "priority": priority,
            "input": {"current": "dc", "rated_v": 12}});
        it.as_object_mut()
            .unwrap()
            .extend(more.as_object().unwrap().clone());
        it
    };
    let plan = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "N"}, "kit": {"devices": [
        device("pump", 2, json!({"quantity": 2, "phases": [{"when": "running",
            "watts": {"value": 5, "basis": "measured"}}, {"when": "busy", "watts": 9,
            "share": 0.25}]})),
        device("heater", 3, json!({"cycle": {"kind": "hours", "from": "18:00", "to": "06:00"},
            "phases": [{"when": "starting", "watts": 110, "seconds": 360}, {"when": "running",
                "watts": 20}]})),
        device("box", 1, json!({"cycle": {"kind": "thermostat", "on_fraction": 0.5,
            "period_s": 3600}, "phases": [{"when": "running", "watts": {"value": 40,
            "basis": "label"}}]}))]}}))
    .unwrap();
    let found = needs(&plan);
    let order: Vec<_> = found.devices.iter().map(|it| it.device.as_str()).collect();
    assert_eq!(order, ["box", "pump", "heater"]);
    // Half of 40 W; two of 6 W; 11.9 h of 20 W and 0.1 h of 110 W.
    let day: Vec<f64> = found.devices.iter().map(|it| it.day_wh).collect();
    for (day, want) in day.iter().zip([480.0, 288.0, 249.0]) {
        assert!(close(*day, want, 1e-9), "{day} and not {want}");
    }
    assert!(close(found.day_wh, 1017.0, 1e-9));
    assert_eq!(
        (found.devices[0].basis, found.devices[1].basis),
        (Basis::Label, Basis::Assumed)
    );
    assert_eq!(
        (found.worst.moment.as_str(), found.worst.watts),
        ("starting heater", 40.0 + 18.0 + 110.0)
    );
    assert_eq!(
        found.headline,
        "Three things must stay on: 1.02 kWh a day, 168 W at worst, while heater starts."
    );
    assert_eq!((found.classes.len(), found.classes[0].devices), (1, 3));
    let steps: Vec<_> = found.devices[2]
        .strip
        .iter()
        .map(|it| (it.phase, it.watts))
        .collect();
    assert_eq!(steps, [(0, 110.0), (1, 20.0)]);
    assert!(
        needs(&Plan::empty("Nothing"))
            .headline
            .contains("Add the first device")
    );
}

#[test]
fn an_outlet_of_a_bank_that_cannot_carry_its_load_costs_nothing() {
    let plan = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "Weak"}, "kit": {
        "devices": [{"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12},
            "phases": [{"when": "running", "watts": 60}]}],
        "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
            "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 20, "internal_ohm": 2},
            "ports": [{"id": "steady", "current": "dc", "voltage": {"regulated_v": 12},
                "loss": {"idle_w": 0.8}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "bank",
            "port": "steady"}, "to": "lamp"}]}]}))
    .unwrap();
    let flow = evaluate(
        &plan,
        &plan.arrangements[0],
        &Moment::Running,
        &Charge::full(),
    )
    .unwrap();
    assert!(flow.collapses[0].inside_source);
    assert!(flow.totals.drawn_w.abs() < f64::EPSILON && flow.totals.idle_w.abs() < f64::EPSILON);
    assert!(flow.ports["bank/steady"].loss_idle_w.abs() < f64::EPSILON);
    let day = day(&plan, &plan.arrangements[0], &Charge::full());
    assert!(day.idle_wh.abs() < f64::EPSILON && day.drawn_wh.abs() < f64::EPSILON);
}
