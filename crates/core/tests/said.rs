//! What is said between the parts: of stores that are full, of devices that nobody feeds, of
//! stretches that cannot be, of deadlines and of what never settles; worked out by hand.

use crate::common;

use ash_pond_core::advice::compare::compare;
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::kinds::kinds;
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::answer;
use ash_pond_core::time::day::{day, lasting};
use ash_pond_core::time::outage::{simulate, tell};
use common::read;
use serde_json::{Value, json};

fn lamp(id: &str, watts: f64) -> Value {
    json!({"id": id, "label": format!("Lamp {id}"), "draw": "power", "input": {"current": "dc",
        "rated_v": 12},
        "phases": [{"when": "running", "watts": watts}]})
}

fn station(id: &str, energy_wh: f64) -> Value {
    json!({"id": id, "label": format!("Station {id}"), "kind": "power_station",
        "battery": {"chemistry": "lfp", "energy_wh": energy_wh, "floor_soc": 0.1},
        "inputs": [{"id": "dc", "kind": "dc", "max_w": 50}],
        "ports": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 13}}]})
}

/// A big station that fills a small one, on which a lamp may hang.
fn filled(small_wh: f64, lamp_w: f64) -> Plan {
    let mut feeds = vec![json!({"from": {"item": "big", "port": "out"}, "to": "small/dc"})];
    if lamp_w > 0.0 {
        feeds.push(json!({"from": {"item": "small", "port": "out"}, "to": "a"}));
    }
    read(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S", "ambient_c": 25},
        "kit": {"devices": [lamp("a", lamp_w.max(1.0))], "sources": [station("big", 5000.0),
            station("small", small_wh)],
            "converters": []},
        "arrangements": [{"id": "way", "label": "Way", "feeds": feeds}]}),
    )
}

/// Watts that the small one's input takes, and what of them is stored, 0 to 1.
fn taking(plan: &Plan, soc: f64) -> (f64, f64) {
    let charge = Charge::full().with("small", soc);
    let flow = evaluate(plan, &plan.arrangements[0], &Moment::Running, &charge).unwrap();
    let input = &flow.inputs["small/dc"];
    (input.watts, input.stored_w / input.watts)
}

#[test]
fn a_store_that_is_full_takes_no_more_in_a_day() {
    // 40 Wh at half: 20 Wh are stored, however long the day is.
    let plan = filled(40.0, 0.0);
    let (watts, stored) = taking(&plan, 0.5);
    assert!(watts > 40.0, "{watts}");
    let usage = day(
        &plan,
        &plan.arrangements[0],
        &Charge::full().with("small", 0.5),
    );
    assert!(
        (usage.charging_wh * stored - 20.0).abs() < 1e-6,
        "{} × {stored}",
        usage.charging_wh
    );
    // Full to begin with, it takes nothing.
    let usage = day(&plan, &plan.arrangements[0], &Charge::full());
    assert!(
        usage.charging_wh.abs() < 1e-9 && usage.drawn_wh.abs() < 1e-9,
        "{usage:?}"
    );
}

#[test]
fn a_full_store_takes_what_is_drawn_from_it() {
    // 6 W all day are 144 Wh; the charging replaces them and no more.
    let plan = filled(400.0, 6.0);
    let (_, stored) = taking(&plan, 1.0);
    let usage = day(&plan, &plan.arrangements[0], &Charge::full());
    assert!(
        (usage.charging_wh * stored - 144.0).abs() < 1e-6,
        "{}",
        usage.charging_wh
    );
    assert!((usage.sources["small"] - 144.0).abs() < 1e-6);
    // The big one gives 144 Wh ÷ what is stored of it a day, and lasts as long as 4,500 Wh of it
    // do.
    let a_day = 144.0 / stored;
    let lasts = lasting(&plan, &plan.arrangements[0], &Charge::full())["big"]
        .to_floor_h
        .unwrap();
    assert!(
        (lasts - 4500.0 / a_day * 24.0).abs() < 1e-3 * lasts,
        "{lasts}"
    );
}

#[test]
fn a_store_too_cold_to_be_charged_takes_nothing() {
    let mut plan = serde_json::to_value(filled(40.0, 0.0)).unwrap();
    plan["site"]["ambient_c"] = json!(-8);
    let plan = read(&plan);
    let usage = day(
        &plan,
        &plan.arrangements[0],
        &Charge::full().with("small", 0.2),
    );
    assert!(usage.charging_wh.abs() < 1e-9, "{}", usage.charging_wh);
}

#[test]
fn who_is_unfed_is_named_and_is_not_the_cheaper() {
    let feed = |to: &str| json!({"from": {"item": "big", "port": "out"}, "to": to});
    let plan = read(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
        "kit": {"devices": [lamp("a", 6.0), lamp("b", 9.0)], "sources": [station("big", 900.0)],
            "converters": []},
        "arrangements": [
            {"id": "both", "label": "Both", "feeds": [feed("a"), feed("b")]},
            {"id": "one", "label": "One alone", "feeds": [feed("a")]}]}),
    );
    let ways: Vec<_> = plan.arrangements.iter().collect();
    let found = answer(&plan, &ways, &Moment::Running, &Charge::full()).unwrap();
    assert_eq!(
        (found.ways[0].unfed.len(), &found.ways[1].unfed[..]),
        (0, &["Lamp b".to_owned()][..])
    );
    let headline = found.headline.plain().into_owned();
    assert!(
        headline.contains("One alone does not feed Lamp b"),
        "{headline}"
    );
    let line = found.ways[1].line.plain().into_owned();
    assert!(line.contains("does not feed Lamp b"), "{line}");
    // Nothing is said to cost less or more a day than an arrangement that leaves one out.
    let decides = found
        .decides
        .map(|it| it.plain().into_owned())
        .unwrap_or_default();
    assert!(!decides.contains("more a day"), "{decides}");
    // A comparison as a table refuses, and says who is not fed by whom.
    let why = compare(&plan, &ways, &Charge::full(), None).unwrap_err();
    assert!(
        why.message.contains("Lamp b") && why.message.contains("\"one\""),
        "{why}"
    );
}

#[test]
fn the_largest_part_is_named_and_most_is_over_half() {
    // A lamp of 2 W on a station whose port takes 15 W to be on: the loss is the largest part, and
    // most.
    let told = |watts: f64, idle: f64| {
        let mut source = station("big", 900.0);
        source["ports"][0]["loss"] = json!({"idle_w": idle});
        let feed = |to: &str| json!({"from": {"item": "big", "port": "out"}, "to": to});
        let plan = read(
            &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
            "kit": {"devices": [lamp("a", watts), lamp("b", watts)], "sources": [source],
                "converters": []},
            "arrangements": [{"id": "both", "label": "Both", "feeds": [feed("a"), feed("b")]}]}),
        );
        let found = answer(
            &plan,
            &[&plan.arrangements[0]],
            &Moment::Running,
            &Charge::full(),
        )
        .unwrap();
        found.decides.unwrap().plain().into_owned()
    };
    let lost = told(2.0, 15.0);
    assert!(
        lost.starts_with("Most is lost in Station big, out: 360 Wh of 456 Wh a day"),
        "{lost}"
    );
    let largest = told(8.0, 10.0);
    assert!(
        largest.starts_with("The largest part is lost in Station big, out: 240 Wh of 624 Wh a day"),
        "{largest}"
    );
}

#[test]
fn who_hangs_on_a_port_that_trips_does_not_stand_there_as_well() {
    // 60 W and 6 W on a port of 4 A at 13 V: 5.1 A trip it, and both are dark with it; the third
    // has a port of its own.
    let mut source = station("big", 900.0);
    source["ports"][0]["limit"] = json!({"continuous_a": 4});
    source["ports"]
        .as_array_mut()
        .unwrap()
        .push(json!({"id": "own", "current": "dc", "voltage": {"regulated_v": 13}}));
    let feed = |port: &str, to: &str| json!({"from": {"item": "big", "port": port}, "to": to});
    let plan = read(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
        "kit": {"devices": [lamp("a", 60.0), lamp("b", 6.0), lamp("c", 6.0)], "sources": [source],
            "converters": []},
        "arrangements": [{"id": "all", "label": "All", "feeds": [feed("out", "a"), feed("out",
            "b"), feed("own", "c")]}]}),
    );
    let found = answer(
        &plan,
        &[&plan.arrangements[0]],
        &Moment::Running,
        &Charge::full(),
    )
    .unwrap();
    let dark: Vec<&str> = found.ways[0]
        .trips_with
        .keys()
        .map(String::as_str)
        .collect();
    assert_eq!(dark, ["a", "b"]);
    let why = found.ways[0].trips_with["b"].plain();
    assert!(
        why.starts_with("Trips: 5.08 A") && why.contains("Station big"),
        "{why}"
    );
}

fn with_outage(more: &Value) -> Result<Plan, String> {
    let mut outage = json!({"id": "o", "label": "Cut", "start": "2026-01-14T22:00", "hours": 10});
    for (key, value) in more.as_object().unwrap() {
        outage[key] = value.clone();
    }
    let plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
        "kit": {"devices": [lamp("a", 6.0)], "sources": [station("big", 900.0)], "converters": []},
        "arrangements": [{"id": "way", "label": "Way", "feeds": [{"from": {"item": "big",
            "port": "out"}, "to": "a"}]}],
        "outages": [outage]});
    Plan::from_value(&plan).map_err(|it| it.to_string())
}

#[test]
fn stretches_that_cannot_be_are_refused_with_their_place() {
    let out = |from: f64, to: f64| json!({"from_h": from, "to_h": to, "state": "out"});
    let on = |from: f64, to: f64| json!({"from_h": from, "to_h": to, "state": "on"});
    let past = with_outage(&json!({"mains": [out(0.0, 30.0)]})).unwrap_err();
    assert!(
        past.contains("outages[0].mains[0].to_h") && past.contains("10 h"),
        "{past}"
    );
    let over = with_outage(&json!({"mains": [out(0.0, 6.0), on(5.0, 9.0)]})).unwrap_err();
    assert!(
        over.contains("outages[0].mains[1].from_h") && over.contains("0 to 6 h"),
        "{over}"
    );
    let charging = json!({"charging": [{"source": "big", "from_h": 9, "to_h": 12, "watts": 20}]});
    let late = with_outage(&charging).unwrap_err();
    assert!(late.contains("outages[0].charging[0].to_h"), "{late}");
    // One that begins where the other ends is none, and two chargers at once are two.
    with_outage(&json!({"mains": [out(0.0, 5.0), on(5.0, 10.0)]})).unwrap();
    with_outage(
        &json!({"charging": [{"source": "big", "from_h": 1, "to_h": 4, "watts": 20},
        {"source": "big", "from_h": 2, "to_h": 3, "watts": 30}]}),
    )
    .unwrap();
}

#[test]
fn what_was_kept_from_before_is_put_right() {
    let good = with_outage(&json!({})).unwrap();
    let mut kept = serde_json::to_value(&good).unwrap();
    kept["outages"][0]["mains"] =
        json!([{"from_h": 0, "to_h": 30, "state": "out"}, {"from_h": 4, "to_h": 6, "state": "on"}]);
    assert!(Plan::from_kept(&kept, |id| id == "o").is_err());
    let plan = Plan::from_kept(&kept, |_| false).unwrap();
    let is_on: Vec<bool> = [1.0, 5.0, 7.0, 9.9]
        .iter()
        .map(|it| plan.outages[0].mains_is_on(*it))
        .collect();
    assert_eq!(is_on, [false, true, false, false]);
    // And what is written out of it is read again as it is.
    assert_eq!(
        Plan::from_value(&serde_json::to_value(&plan).unwrap()).unwrap(),
        plan
    );
}

#[test]
fn every_ready_made_device_with_a_deadline_misses_it_unfed() {
    let mut judged = Vec::new();
    for kind in &kinds().devices {
        let mut device = serde_json::to_value(kind).unwrap();
        let Some(minutes) = kind.deadline.as_ref().map(|it| it.minutes.get()) else {
            continue;
        };
        device["id"] = json!("it");
        let volts = kind.input.rated_v.get();
        let voltage = if device["input"]["current"] == "ac" {
            json!({"ac_v": volts})
        } else {
            json!({"regulated_v": volts})
        };
        let current = device["input"]["current"].clone();
        let source = json!({"id": "s", "label": "S", "kind": "power_station",
            "battery": {"chemistry": "lfp", "energy_wh": 100, "floor_soc": 0},
            "ports": [{"id": "out", "current": current, "voltage": voltage}]});
        let plan = read(
            &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
            "kit": {"devices": [device], "sources": [source], "converters": []},
            "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "s",
                "port": "out"}, "to": "it"}]}],
            "outages": [{"id": "o", "label": "O", "start": "2026-01-14T20:00", "hours": 400,
                "ambient_c": 25}]}),
        );
        let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
        let run = &found.devices["it"];
        let (down, missed) = (run.down_at_h, run.deadline_missed_h);
        let missed = missed.unwrap_or_else(|| {
            panic!(
                "{} is down at {down:?} and never misses its deadline",
                kind.id
            )
        });
        let down = down.unwrap();
        // It is due again at the latest a day after it went down (its hours), or a period (its
        // thermostat).
        assert!(
            missed >= minutes / 60.0 && missed <= down + 24.0 + minutes / 60.0 + 1e-6,
            "{}: {down} {missed}",
            kind.id
        );
        judged.push(kind.id.to_string());
    }
    for id in ["medical-fridge", "small-freezer", "cool-box", "sump-pump"] {
        assert!(
            judged.iter().any(|it| it == id),
            "{id} is not among {judged:?}"
        );
    }
}

#[test]
fn ohms_typed_for_milliohms_end_with_a_sentence_that_names_them() {
    let mut bank = json!({"id": "bank", "label": "Bank", "kind": "battery",
        "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100, "internal_ohm": 14},
        "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true},
            "limit": {"continuous_a": 50}}]});
    let site = |bank: &Value| {
        read(
            &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
            "kit": {"devices": [{"id": "box", "label": "Cool box", "draw": "power",
                "input": {"current": "ac", "rated_v": 230},
                    "phases": [{"when": "running", "watts": 6}, {"when": "starting", "watts": 9,
                        "seconds": 2}],
                    "cycle": {"kind": "thermostat", "on_fraction": 0.4, "period_s": 900},
                        "after_loss": {"kind": "restarts", "seconds": 5}}],
                "sources": [bank],
                "converters": [{"id": "inverter", "label": "Inverter", "kind": "inverter",
                    "input": {"current": "dc", "min_v": 10.5, "cut_out_v": 10.5, "cut_in_v": 11.5},
                    "loss": {"idle_w": 0.4},
                    "outputs": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}]}]},
            "arrangements": [{"id": "a", "label": "A", "feeds": [
                {"from": {"item": "bank", "port": "studs"}, "to": "inverter",
                    "fuse": {"rating_a": 20}},
                {"from": {"item": "inverter", "port": "out"}, "to": "box"}]}],
            "outages": [{"id": "o", "label": "O", "start": "2026-01-14T20:00", "hours": 72,
                "ambient_c": 25}]}),
        )
    };
    let plan = site(&bank);
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    let sentence = found
        .unsettled
        .as_ref()
        .expect("it does not settle")
        .plain()
        .into_owned();
    assert!(
        sentence.contains("internal resistance of Bank is 14 Ω")
            && sentence.contains("internal_ohm"),
        "{sentence}"
    );
    // Those who read the answer are told so.
    let told = tell(&plan, &plan.arrangements[0], &plan.outages[0], 60);
    assert!(
        told.todo
            .iter()
            .any(|it| it.kind == "look" && it.what.plain() == sentence),
        "{:?}",
        told.todo
    );
    // With milliohms it runs, and nothing is said.
    bank["battery"]["internal_ohm"] = json!(0.014);
    let plan = site(&bank);
    assert_eq!(
        simulate(&plan, &plan.arrangements[0], &plan.outages[0], None).unsettled,
        None
    );
}

/// A bank that comes to its floor, is charged again, and stays off until somebody switches it back
/// on.
#[test]
fn a_store_that_was_charged_again_is_not_said_to_be_at_its_floor() {
    let of = |charging: &Value| {
        let plan = with_outage(
            &json!({"mains": [{"from_h": 0, "to_h": 40, "state": "out"}], "hours": 48,
            "initial_soc": {"big": 0.3}, "charging": charging}),
        )
        .unwrap();
        let told =
            ash_pond_core::time::outage::tell(&plan, &plan.arrangements[0], &plan.outages[0], 24);
        told.todo
            .iter()
            .map(|it| it.what.plain().into_owned())
            .collect::<Vec<_>>()
            .join("\n")
    };
    let never = of(&json!([]));
    assert!(
        never.contains("is at its floor and the mains does not carry it: charge it"),
        "{never}"
    );
    let again = of(&json!([{"source": "big", "from_h": 31, "to_h": 37, "watts": 200}]));
    assert!(
        again.contains("gets 200 W for 6 h, while it is not full."),
        "{again}"
    );
    assert!(again.contains("was at its floor and is at "), "{again}");
    assert!(!again.contains("is at its floor and the mains"), "{again}");
}
