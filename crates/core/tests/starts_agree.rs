//! One question, one answer: what `check` says of a start, what the march makes of it, and what the
//! planner says.

use ash_pond_core::limits::{Code, Status, findings};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{Doing, Fate, simulate, starts, switchover, tell};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// What a start is up against: a port's limit, or a fuse.
#[derive(Debug, Clone)]
struct Spec {
    other_w: f64,
    running_w: f64,
    phases: Vec<(f64, Option<f64>)>,
    continuous_w: f64,
    overload: Vec<(f64, Option<f64>)>,
    fuse_a: Option<f64>,
}

prop_compose! {
    fn spec()(
        other_w in 1.0..60.0_f64, running_w in 5.0..80.0_f64,
        phases in prop::collection::vec((10.0..300.0_f64, prop::option::weighted(0.85,
            0.5..400.0_f64)), 1..4),
        continuous_w in 40.0..250.0_f64,
        overload in prop::collection::vec((1.05..2.5_f64, prop::option::weighted(0.8,
            0.5..200.0_f64)), 0..3),
        fuse_a in prop::option::of(prop::sample::select(vec![5.0, 10.0, 15.0, 20.0])),
    ) -> Spec {
        let overload = overload.into_iter().map(|(times, seconds)| (continuous_w * times,
            seconds)).collect();
        Spec { other_w, running_w, phases, continuous_w, overload, fuse_a }
    }
}

/// A heater that comes on an hour after the start beside a lamp that is always on, both on one
/// socket of 12 V.
fn plan(spec: &Spec) -> Plan {
    let mut phases = vec![json!({"when": "running", "watts": spec.running_w})];
    for (watts, seconds) in &spec.phases {
        let mut phase = json!({"when": "starting", "watts": watts});
        if let Some(seconds) = seconds {
            phase["seconds"] = json!(seconds);
        }
        phases.push(phase);
    }
    let overload: Vec<Value> = spec
        .overload
        .iter()
        .map(|(watts, seconds)| match seconds {
            Some(seconds) => json!({"up_to_w": watts, "for_s": seconds}),
            None => json!({"up_to_w": watts}),
        })
        .collect();
    let mut feed = json!({"from": {"item": "station", "port": "socket"}, "to": "heater"});
    if let Some(rating) = spec.fuse_a {
        feed["fuse"] = json!({"rating_a": rating});
    }
    Plan::from_value(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Lock"},
        "kit": {
            "devices": [
                {"id": "heater", "label": "Heater", "priority": 1, "input": {"current": "dc",
                    "rated_v": 12}, "phases": phases,
                    "after_loss": {"kind": "resumes"}, "cycle": {"kind": "hours", "from": "13:00",
                        "to": "20:00"}},
                {"id": "lamp", "label": "Lamp", "priority": 2, "input": {"current": "dc",
                    "rated_v": 12},
                    "after_loss": {"kind": "resumes"}, "phases": [{"when": "running",
                        "watts": spec.other_w}]}],
            "converters": [],
            "sources": [{"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 50_000},
                "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12},
                    "limit": {"continuous_w": spec.continuous_w, "overload": overload}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [feed, {"from": {"item": "station",
            "port": "socket"}, "to": "lamp"}]}],
        "outages": [{"id": "o", "label": "O", "start": "2026-01-14T12:00", "hours": 4}]}),
    )
    .unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    /// `check` says that the start, or the running after it, trips if and only if the march that
    /// starts it so trips, and the planner refuses it.
    #[test]
    fn a_start_trips_in_check_if_and_only_if_it_trips_in_the_march_and_the_planner_refuses_it(spec in spec()) {
        let plan = plan(&spec);
        let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
        let switches_off = |code: Code| matches!(code, Code::PortLimit | Code::FuseSize);
        let found = findings(&plan, way);
        let of_start = |moment: &str| moment == "starting \
            heater" || moment == "busy" || moment == "running";
        let judged = found.iter().filter(|it| switches_off(it.code)).any(|it| {
            let here = it.status == Status::Trips && of_start(&it.moment);
            here || it.also.iter().any(|it| it.status == Status::Trips && of_start(&it.moment))
        });
        let marched = simulate(&plan, way, outage, None);
        let tripped = marched.events.iter().any(|it| it.what == "trip" || it.what == "fuse");
        prop_assert_eq!(judged, tripped, "{:?}", marched.events);
        let order = starts(&plan, way, outage, &BTreeMap::new());
        if judged {
            prop_assert!(!order.at_once, "{}", order.sentence.plain());
        }
        // The last in the order starts while the other runs, which is the moment that is checked.
        let alone = order.turns.iter().any(|it| it.device == "heater") && order.never.is_empty();
        if !judged && alone {
            prop_assert!(order.turns.iter().all(|it| it.strain.is_finite()));
        }
    }

    /// The headline, the timeline, the table of what to do and the switch tell the same end.
    #[test]
    fn the_ends_that_are_told_are_those_of_the_march(spec in spec(), standby in any::<bool>()) {
        let mut text = serde_json::to_value(plan(&spec)).unwrap();
        if standby {
            text["kit"]["sources"][0]["line"] = json!({"mode": "standby", "transfer_ms": 20,
                "return_ms": 5});
            text["kit"]["devices"][1]["ride_through_ms"] = json!(10);
        }
        let plan = Plan::from_value(&text).unwrap();
        let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
        let told = tell(&plan, way, outage, 60);
        let marched = simulate(&plan, way, outage, None);
        for (id, run) in &marched.devices {
            let there = &told.simulation.devices[id];
            prop_assert!((run.up_h - there.up_h).abs() < 1e-6
                && run.down_at_h.is_some() == there.down_at_h.is_some());
        }
        match marched.devices["heater"].down_at_h {
            None => prop_assert!(told.headline.contains("lasts all 4 h"), "{}",
                told.headline.plain()),
            Some(at) => {
                prop_assert!(!told.headline.contains("lasts all"), "{}", told.headline.plain());
                prop_assert!(told.todo.iter().any(|it| (it.at_h - at).abs() < 1e-6
                    && it.kind == "expect"), "{:?}", told.todo);
            }
        }
        let lamp = told.switchover.switch.iter().find(|it| it.device == "lamp").unwrap();
        let seen = marched.events.iter().any(|it| it.what == "switchover" && it.item == "lamp");
        prop_assert_eq!(lamp.fate == Fate::Resumes, seen);
        prop_assert_eq!(standby, seen);
    }
}

/// A heater that needs a hand on a socket that its start trips, beside a lamp.
fn by_hand(limit_a: f64) -> Plan {
    Plan::from_value(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Lock"},
        "kit": {
            "devices": [
                {"id": "heater", "label": "Heater", "priority": 1, "ride_through_ms": 5,
                    "input": {"current": "dc", "rated_v": 12},
                    "after_loss": {"kind": "latches"},
                    "phases": [{"when": "running", "watts": 24}, {"when": "starting",
                        "watts": 108, "seconds": 120}]},
                {"id": "lamp", "label": "Lamp", "priority": 2, "ride_through_ms": 50,
                    "input": {"current": "dc", "rated_v": 12},
                    "after_loss": {"kind": "resumes"}, "phases": [{"when": "running",
                        "watts": 24}]}],
            "converters": [],
            "sources": [{"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500},
                "line": {"mode": "standby", "transfer_ms": 20, "return_ms": 20},
                "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12},
                    "limit": {"continuous_a": limit_a}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [
            {"from": {"item": "station", "port": "socket"}, "to": "heater"},
                {"from": {"item": "station", "port": "socket"}, "to": "lamp"}]}],
        "outages": [{"id": "o", "label": "Cut", "start": "2026-01-14T12:00", "hours": 9}]}),
    )
    .unwrap()
}

#[test]
fn a_device_that_latches_at_the_switch_is_off_everywhere_and_its_start_by_hand_is_judged() {
    // 9 A of its start and 2 A of the lamp on a socket of 10 A.
    let plan = by_hand(10.0);
    let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
    let told = tell(&plan, way, outage, 60);
    let heater = &told.simulation.devices["heater"];
    assert_eq!((heater.down_at_h, heater.up_h), (Some(0.0), 0.0));
    assert_eq!(heater.spans[0].state, Doing::Latched);
    assert_eq!(
        told.headline,
        "Cut: Heater goes off at the switch, and a person has to start it."
    );
    assert!(
        told.switchover.headline.contains("Heater needs a person"),
        "{:?}",
        told.switchover.headline
    );
    let order = starts(&plan, way, outage, &BTreeMap::new());
    assert!(!order.at_once && order.by_hand == ["heater"], "{order:?}");
    assert_eq!(
        order.hands[0].off_meanwhile.as_deref(),
        Some(&["lamp".to_owned()][..])
    );
    assert!(
        order
            .sentence
            .contains("Heater is started by hand, and only while Lamp is off"),
        "{:?}",
        order.sentence
    );
    // With 8 A there is no way at all, with 12 A it goes beside the lamp.
    let alone = by_hand(8.0);
    let order = starts(
        &alone,
        &alone.arrangements[0],
        &alone.outages[0],
        &BTreeMap::new(),
    );
    assert!(
        order.hands[0].off_meanwhile.is_none() && !order.at_once,
        "{:?}",
        order.hands
    );
    let wide = by_hand(12.0);
    let order = starts(
        &wide,
        &wide.arrangements[0],
        &wide.outages[0],
        &BTreeMap::new(),
    );
    assert!(
        order.at_once && order.hands[0].breaks.is_none(),
        "{:?}",
        order.sentence
    );
}

#[test]
fn a_restart_at_the_switch_that_trips_takes_its_neighbours_along() {
    let mut text = serde_json::to_value(by_hand(10.0)).unwrap();
    text["kit"]["devices"][0]["after_loss"] = json!({"kind": "restarts", "seconds": 30});
    let plan = Plan::from_value(&text).unwrap();
    let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
    let found = simulate(&plan, way, outage, None);
    let what: Vec<(&str, &str)> = found
        .events
        .iter()
        .map(|it| (it.what.as_str(), it.item.as_str()))
        .collect();
    assert_eq!(
        what,
        [
            ("switchover", "heater"),
            ("restart", "heater"),
            ("trip", "station/socket")
        ]
    );
    for id in ["heater", "lamp"] {
        let it = &found.devices[id];
        assert!(
            (it.down_at_h.unwrap() - 30.0 / 3600.0).abs() < 1e-6
                && it.why.as_deref() == Some("trip"),
            "{id}: {it:?}"
        );
    }
    let told = tell(&plan, way, outage, 60);
    assert_eq!(told.headline, "Cut: Heater lasts 30 s.");
    assert!(!starts(&plan, way, outage, &BTreeMap::new()).at_once);
}

#[test]
fn what_stood_still_for_too_long_is_looked_at_before_it_starts() {
    let mut text = serde_json::to_value(by_hand(20.0)).unwrap();
    text["kit"]["devices"][1]["deadline"] =
        json!({"minutes": 30, "consequence": "the filter dies", "then": "inspect-before-restart"});
    text["kit"]["sources"][0]["battery"]["energy_wh"] = json!(60);
    text["outages"][0]["mains"] = json!([{"from_h": 0, "to_h": 8, "state": "out"}]);
    let plan = Plan::from_value(&text).unwrap();
    let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
    let told = switchover(&plan, way, outage);
    assert_eq!(told.returns_at_h, Some(8.0));
    let lamp = told.back.iter().find(|it| it.device == "lamp").unwrap();
    assert_eq!((lamp.fate, lamp.back_s), (Fate::Inspect, None));
    assert!(
        lamp.sentence
            .contains("longer than it may (the filter dies)"),
        "{:?}",
        lamp.sentence
    );
    assert!(
        told.return_headline
            .contains("Lamp must be looked at before it starts"),
        "{:?}",
        told.return_headline
    );
    let order = starts(&plan, way, outage, &BTreeMap::new());
    assert_eq!(order.look_first, ["lamp"]);
    assert!(
        order.turns.iter().all(|it| it.device != "lamp"),
        "{order:?}"
    );
}

/// What flows beside a start and is not touched by it is no limit of it: a van that fills a box
/// through its socket says nothing of the start of a router on another bank.
#[test]
fn what_a_start_does_not_touch_is_no_limit_of_it() {
    let text = include_str!("../../../demo/hollin-lock.plan.json");
    let mut plan: Value = serde_json::from_str(text).unwrap();
    let told = |plan: &Value| {
        let plan = Plan::from_value(plan).unwrap();
        let way = plan.arrangement("direct").unwrap();
        starts(&plan, way, &plan.outages[0], &BTreeMap::new())
    };
    let before = told(&plan);
    let ways = plan["arrangements"].as_array_mut().unwrap();
    let direct = ways.iter_mut().find(|it| it["id"] == "direct").unwrap();
    direct["feeds"].as_array_mut().unwrap().push(json!({
        "from": {"item": "van", "port": "socket"}, "to": "station/panel",
        "cable": {"length_m": 2, "area_mm2": 10}, "fuse": {"rating_a": 10}}));
    let after = told(&plan);
    let limits = |of: &ash_pond_core::time::outage::Starts| -> Vec<_> {
        let each = of.turns.iter();
        each.map(|it| (it.device.clone(), it.tightest.clone()))
            .collect()
    };
    assert!(before.turns.len() > 3, "{before:?}");
    assert_eq!(limits(&after), limits(&before));
    // A constant power somewhere else draws a little more where the volts sag: that is no limit of
    // the start.
    let of = |device: &str| {
        let found = before.turns.iter().find(|it| it.device == device).unwrap();
        found.tightest.as_ref().map(|it| it.plain())
    };
    for (device, others) in [("lamps", "Alarm hooter"), ("air-pump", "Step-down/up 12 V")] {
        let said = of(device).unwrap_or_default();
        assert!(!said.contains(others), "{device}: {said}");
    }
}

/// What nothing carries is not told to be carried for no time.
#[test]
fn what_trips_at_once_is_not_carried_for_no_seconds() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let way = plan.arrangement("shared-out").unwrap();
    let found = starts(&plan, way, &plan.outages[0], &BTreeMap::new());
    let said = found.sentence.plain();
    assert!(said.contains("12 V socket at 9.69 A of 8 A"), "{said}");
    assert!(!said.contains(" 0 s"), "{said}");
}
