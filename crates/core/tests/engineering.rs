//! The rules that an inspector would look at, each worked by hand: one that holds and one of each
//! worse status.

use crate::common;

use ash_pond_core::advice::charge::{RechargeAsk, recharge};
use ash_pond_core::limits::{
    Code, Finding, Status, Unstated, all_findings, findings, mended, silences,
};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{simulate, starts};
use common::close;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;

fn read(site: &Value) -> Plan {
    Plan::from_value(site).unwrap_or_else(|error| panic!("{error}\n{site:#}"))
}

fn merge(into: &mut Value, from: &Value) {
    match (into, from) {
        (Value::Object(into), Value::Object(from)) => {
            from.iter().for_each(|(key, value)| {
                merge(into.entry(key.clone()).or_insert(Value::Null), value);
            });
        }
        (into, from) => *into = from.clone(),
    }
}

/// A store with a lead from its studs to a lamp of so many watts; everything else is merged in.
fn site(battery: &Value, feed: &Value, lamp: &Value) -> Value {
    let mut store = json!({"chemistry": "lfp", "cells": 4, "capacity_ah": 100});
    merge(&mut store, battery);
    let mut lead = json!({"from": {"item": "bank", "port": "studs"}, "to": "lamp"});
    merge(&mut lead, feed);
    let mut device = json!({"id": "lamp", "label": "Lamp", "input": {"current": "dc",
        "rated_v": 12}, "phases": [{"when": "running", "watts": 24}]});
    merge(&mut device, lamp);
    json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Paper", "ambient_c": 20},
        "kit": {"devices": [device], "converters": [], "sources": [{"id": "bank", "label": "Bank",
            "kind": "battery", "battery": store,
            "ports": [{"id": "studs", "current": "dc", "connector": "M8 studs",
                "voltage": {"follows": true}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [lead]}]})
}

/// An outlet of a generator that states no engine, with one device on it.
fn outlet(port: &Value, feed: &Value, device: &Value) -> Value {
    let mut it = site(&json!({}), feed, device);
    let mut out = json!({"id": "studs", "current": "dc"});
    merge(&mut out, port);
    it["kit"]["sources"] =
        json!([{"id": "bank", "label": "Set", "kind": "generator", "ports": [out]}]);
    it
}

fn all(site: &Value) -> Vec<Finding> {
    let plan = read(site);
    findings(&plan, &plan.arrangements[0])
}

fn find(site: &Value, code: Code) -> Option<Finding> {
    all(site).into_iter().find(|it| it.code == code)
}

fn status(site: &Value, code: Code) -> Status {
    find(site, code).map_or(Status::Holds, |it| it.status)
}

#[test]
fn a_fuse_breaks_what_a_short_circuit_gives() {
    let with = |battery: Value, fuse: Value| {
        site(
            &battery,
            &json!({"cable": {"length_m": 1, "area_mm2": 6}, "fuse": fuse}),
            &json!({}),
        )
    };
    let of = |fuse: Value| find(&with(json!({}), fuse), Code::FuseRating).unwrap();
    // Four cells of 0.5 mΩ, 13.8 V open: 6,900 A.
    let unknown = of(json!({"rating_a": 20}));
    assert!(
        close(unknown.value, 6900.0, 1e-9) && unknown.status == Status::Unproven,
        "{}",
        unknown.message
    );
    assert_eq!(unknown.unstated, Some(Unstated::FuseType));
    assert_eq!(
        of(json!({"rating_a": 20, "type": "blade"})).status,
        Status::Trips
    );
    assert_eq!(
        of(json!({"rating_a": 20, "type": "bolt_down"})).status,
        Status::Trips
    );
    assert_eq!(
        of(json!({"rating_a": 20, "type": "stud"})).status,
        Status::Unproven
    );
    assert_eq!(
        of(json!({"rating_a": 20, "type": "stud", "breaks_a": 10_000})).status,
        Status::Holds
    );
    assert_eq!(
        of(json!({"rating_a": 20, "type": "class_t"})).status,
        Status::Holds
    );
    // Ten ampere-hours: 20 mΩ, 690 A, which any fuse breaks at 14.4 V.
    let small = find(
        &with(json!({"capacity_ah": 10}), json!({"rating_a": 20})),
        Code::FuseRating,
    )
    .unwrap();
    assert!(close(small.value, 690.0, 1e-9) && small.status == Status::Holds);
    // Sixteen cells, 55.2 V: a blade is for 32 V, and so is what nobody described.
    let high = |fuse: Value| {
        status(
            &with(json!({"cells": 16, "capacity_ah": 5}), fuse),
            Code::FuseRating,
        )
    };
    assert_eq!(
        high(json!({"rating_a": 20, "type": "blade"})),
        Status::Trips
    );
    assert_eq!(high(json!({"rating_a": 20})), Status::Unproven);
    assert_eq!(high(json!({"rating_a": 20, "type": "stud"})), Status::Holds);
    assert_eq!(
        high(json!({"rating_a": 20, "rated_v_dc": 80})),
        Status::Holds
    );
    // Lead by its own resistance: 12.852 V over 5 mΩ are 2,570 A.
    let lead = json!({"chemistry": "agm", "cells": 6, "internal_ohm": 0.005});
    let lead = find(
        &with(lead, json!({"rating_a": 20, "type": "stud"})),
        Code::FuseRating,
    )
    .unwrap();
    assert!(close(lead.value, 12.852 / 0.005, 1e-9) && lead.status == Status::Unproven);
}

#[test]
fn a_mend_fits_a_fuse_of_a_type_that_breaks_it() {
    let bare = site(
        &json!({}),
        &json!({"cable": {"length_m": 1, "area_mm2": 6}}),
        &json!({}),
    );
    let plan = read(&bare);
    let found = mended(&plan, &plan.arrangements[0]);
    let missing = found
        .iter()
        .find(|it| it.code == Code::FuseMissing)
        .unwrap();
    let offer = missing
        .mends
        .iter()
        .find(|it| it.feed.is_some())
        .expect("a fuse is offered");
    // Whoever reads the sentence buys one that breaks it.
    assert!(
        offer.sentence.contains(", a fuse of class T,"),
        "{}",
        offer.sentence
    );
    let mend = offer.feed.as_ref().unwrap();
    let mut after = plan.clone();
    after.arrangements[0].feeds[0] = mend.clone();
    assert!(
        findings(&after, &after.arrangements[0])
            .iter()
            .all(|it| it.status < Status::Unproven),
        "{mend:?}"
    );
}

/// A bank that a charger fills from the mains over a lead of 6 mm², beside a lamp.
fn charged(feed: &Value) -> Value {
    let mut it = site(
        &json!({}),
        &json!({"cable": {"length_m": 1, "area_mm2": 6}, "fuse": {"rating_a": 20,
            "type": "class_t"}}),
        &json!({}),
    );
    it["kit"]["sources"][0]["inputs"] =
        json!([{"id": "charger", "kind": "dc", "max_v": 60, "max_w": 100}]);
    it["kit"]["sources"]
        .as_array_mut()
        .unwrap()
        .push(json!({"id": "wall", "label": "Wall", "kind": "mains",
        "ports": [{"id": "socket", "current": "ac", "voltage": {"ac_v": 230}}]}));
    it["kit"]["converters"] = json!([{"id": "loader", "label": "Loader", "kind": "charger",
        "input": {"current": "ac"},
        "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 14.4},
            "limit": {"continuous_a": 10}}]}]);
    let mut lead = json!({"from": {"item": "loader", "port": "out"}, "to": "bank/charger",
        "cable": {"length_m": 1, "area_mm2": 6}});
    merge(&mut lead, feed);
    let feeds = it["arrangements"][0]["feeds"].as_array_mut().unwrap();
    feeds.push(json!({"from": {"item": "wall", "port": "socket"}, "to": "loader"}));
    feeds.push(lead);
    it
}

#[test]
fn a_lead_into_a_battery_has_a_fuse_at_the_batterys_end() {
    let at_input = |feed: Value, code: Code| {
        all(&charged(&feed))
            .into_iter()
            .filter(|it| it.code == code && it.place == "bank/charger")
            .map(|it| it.status)
            .max()
    };
    assert_eq!(at_input(json!({}), Code::FuseMissing), Some(Status::Trips));
    let far = |fuse: Value| json!({"fuse_far": fuse});
    assert_eq!(
        at_input(
            far(json!({"rating_a": 20, "type": "class_t"})),
            Code::FuseMissing
        ),
        Some(Status::Holds)
    );
    // 6 mm² are planned for 34 A; and what nobody measured is not protected by anything.
    assert_eq!(
        at_input(
            far(json!({"rating_a": 40, "type": "class_t"})),
            Code::FuseSize
        ),
        Some(Status::Trips)
    );
    assert_eq!(
        at_input(far(json!({"rating_a": 20})), Code::FuseRating),
        Some(Status::Unproven)
    );
    let unsized_lead = json!({"cable": null, "fuse_far": {"rating_a": 20, "type": "class_t"}});
    assert_eq!(
        at_input(unsized_lead, Code::FuseMissing),
        Some(Status::Unproven)
    );
    // The mend fits it where it belongs.
    let plan = read(&charged(&json!({})));
    let found = mended(&plan, &plan.arrangements[0]);
    let missing = found
        .iter()
        .find(|it| it.code == Code::FuseMissing && it.place == "bank/charger")
        .unwrap();
    assert!(
        missing
            .mends
            .iter()
            .any(|it| it.feed.as_ref().is_some_and(|it| it.fuse_far.is_some())),
        "{:?}",
        missing.mends
    );
    // A second fuse on a lead that charges nothing is a mistake, told with its field.
    let wrong = site(&json!({}), &far(json!({"rating_a": 20})), &json!({}));
    let error = Plan::from_value(&wrong).unwrap_err().to_string();
    assert!(
        error.contains("arrangements[0].feeds[0].fuse_far") && error.contains("charges nothing"),
        "{error}"
    );
}

#[test]
fn a_lead_of_unknown_size_is_unproven_and_a_limit_of_three_amperes_asks_nothing() {
    let off_bank = site(
        &json!({}),
        &json!({"fuse": {"rating_a": 20, "type": "class_t"}}),
        &json!({}),
    );
    let found = find(&off_bank, Code::FuseMissing).unwrap();
    assert_eq!(
        (found.status, found.unstated),
        (Status::Unproven, Some(Unstated::LeadSize))
    );
    let port = |amps: f64, connector: &str| {
        json!({"connector": connector,
        "voltage": {"regulated_v": 12}, "limit": {"continuous_a": amps}})
    };
    let of = |amps: f64, connector: &str| {
        status(
            &outlet(&port(amps, connector), &json!({}), &json!({})),
            Code::FuseMissing,
        )
    };
    assert_eq!(of(10.0, "vehicle socket"), Status::Unproven);
    assert_eq!(of(3.0, "vehicle socket"), Status::Holds);
    // A lead of a standard's plug is its maker's.
    assert_eq!(of(10.0, "USB-C"), Status::Holds);
}

#[test]
fn strings_side_by_side_have_a_fuse_each() {
    let with = |more: Value| {
        let found = all(&site(&more, &json!({}), &json!({}))).into_iter();
        found
            .filter(|it| {
                it.place == "bank" && matches!(it.code, Code::FuseMissing | Code::FuseRating)
            })
            .map(|it| it.status)
            .max()
    };
    assert_eq!(with(json!({"strings": 1})), None);
    assert_eq!(with(json!({"strings": 2})), Some(Status::Trips));
    // The other string drives half of 6,900 A through it.
    assert_eq!(
        with(json!({"strings": 2, "string_fuse": {"rating_a": 60, "type": "blade"}})),
        Some(Status::Trips)
    );
    assert_eq!(
        with(json!({"strings": 2, "string_fuse": {"rating_a": 60}})),
        Some(Status::Unproven)
    );
    assert_eq!(
        with(json!({"strings": 2, "string_fuse": {"rating_a": 60, "type": "class_t"}})),
        Some(Status::Holds)
    );
    let panels = |strings: u32, fuse: Value| {
        let mut it = outlet(
            &json!({"voltage": {"regulated_v": 18}}),
            &json!({}),
            &json!({}),
        );
        it["kit"]["sources"][0]["kind"] = json!("panel");
        it["kit"]["sources"][0]["panel"] = json!({"open_v": 22, "strings": strings});
        if !fuse.is_null() {
            it["kit"]["sources"][0]["panel"]["string_fuse"] = fuse;
        }
        status(&it, Code::FuseMissing)
    };
    assert_eq!(
        (panels(2, Value::Null), panels(3, Value::Null)),
        (Status::Holds, Status::Trips)
    );
    assert_eq!(panels(3, json!({"rating_a": 15})), Status::Holds);
}

/// An inverter on the bank with these properties of its outlet, and loads on it with or without an
/// earth pin.
fn inverter(port: &Value, loads: &[Option<bool>]) -> Value {
    let mut it = site(&json!({}), &json!({"to": "inverter"}), &json!({}));
    let mut out = json!({"id": "outlet", "current": "ac", "voltage": {"ac_v": 230,
        "waveform": "sine"}, "limit": {"continuous_w": 300}});
    merge(&mut out, port);
    it["kit"]["converters"] = json!([{"id": "inverter", "label": "Inverter", "kind": "inverter",
        "input": {"current": "dc"}, "outputs": [out]}]);
    it["kit"]["devices"] = loads
        .iter()
        .enumerate()
        .map(|(index, earthed)| {
            let mut device = json!({"id": format!("load-{index}"), "label": "Load",
                "input": {"current": "ac", "rated_v": 230}, "phases": [{"when": "running",
                "watts": 20}]});
            if let Some(earthed) = earthed {
                device["input"]["earthed"] = json!(earthed);
            }
            let feed = json!({"from": {"item": "inverter", "port": "outlet"},
                "to": format!("load-{index}")});
            it["arrangements"][0]["feeds"]
                .as_array_mut()
                .unwrap()
                .push(feed);
            device
        })
        .collect();
    it
}

#[test]
fn an_outlet_is_earthed_in_one_way_or_it_is_said() {
    let of = |neutral: &str, loads: &[Option<bool>]| {
        let port = if neutral.is_empty() {
            json!({})
        } else {
            json!({"neutral": neutral})
        };
        let found = find(&inverter(&port, loads), Code::Earthing).unwrap();
        assert!(
            found
                .caution
                .as_ref()
                .unwrap()
                .contains("change-over switch"),
            "{:?}",
            found.caution
        );
        (found.status, found.unstated)
    };
    assert_eq!(
        of("", &[Some(true)]),
        (Status::Unproven, Some(Unstated::Neutral))
    );
    assert_eq!(
        of("unknown", &[Some(true)]),
        (Status::Unproven, Some(Unstated::Neutral))
    );
    assert_eq!(of("floating", &[Some(true)]), (Status::Holds, None));
    assert_eq!(
        of("floating", &[Some(true), Some(false)]),
        (Status::Holds, None)
    );
    assert_eq!(
        of("floating", &[Some(true), Some(true)]),
        (Status::Unproven, None)
    );
    assert_eq!(
        of("floating", &[None, None]),
        (Status::Unproven, Some(Unstated::Earthed))
    );
    assert_eq!(
        of("bonded", &[Some(true), Some(true)]),
        (Status::Holds, None)
    );
    // Floating: the sentence says that a residual-current device does nothing.
    let floating = find(
        &inverter(&json!({"neutral": "floating"}), &[Some(true)]),
        Code::Earthing,
    )
    .unwrap();
    assert!(
        floating.message.contains("does nothing on a first fault"),
        "{}",
        floating.message
    );
    // What passes the mains on is bonded there too: never two bonds.
    let mut station = inverter(&json!({}), &[Some(true)]);
    station["kit"]["converters"] = json!([]);
    station["kit"]["sources"] = json!([{"id": "inverter", "label": "Station",
        "kind": "backup_unit", "battery": {"chemistry": "lfp", "energy_wh": 500},
        "line": {"mode": "standby", "transfer_ms": 10}, "ports": [{"id": "outlet",
            "current": "ac", "neutral": "bonded", "voltage": {"ac_v": 230}}]}]);
    station["arrangements"][0]["feeds"]
        .as_array_mut()
        .unwrap()
        .remove(0);
    let bonded = find(&station, Code::Earthing).unwrap();
    assert!(
        bonded.status == Status::Unproven && bonded.message.contains("passes the mains on"),
        "{}",
        bonded.message
    );
}

#[test]
fn conductors_are_as_thick_and_as_warm_as_they_are() {
    // 20 A whatever the voltage through 10 m of 2.5 mm²: 0.137928 Ω at 20 °C.
    let drop = |cable: Value, amps: f64| {
        let device =
            json!({"draw": "current", "phases": [{"when": "running", "watts": 12.0 * amps}]});
        let it = site(&json!({"cells": 4}), &json!({"cable": cable}), &device);
        let plan = read(&it);
        evaluate(
            &plan,
            &plan.arrangements[0],
            &Moment::Running,
            &Charge::full(),
        )
        .unwrap()
        .feeds["lamp"]
            .drop_v
    };
    let cable = |strand: Option<&str>| {
        let mut it = json!({"length_m": 10, "area_mm2": 2.5});
        if let Some(strand) = strand {
            it["strand"] = json!(strand);
        }
        it
    };
    let bare = 2.0 * 10.0 * 0.017_241 / 2.5;
    assert!(close(drop(cable(None), 20.0), 20.0 * bare, 1e-12));
    // At the 20 A that are planned for it the conductors are 40 K over the air.
    for (strand, factor) in [("solid", 1.0), ("class2", 1.07), ("class5", 1.15)] {
        let warm = 1.0 + 0.003_93 * 40.0;
        assert!(
            close(
                drop(cable(Some(strand)), 20.0),
                20.0 * bare * factor * warm,
                1e-8
            ),
            "{strand}"
        );
        // At half of it, a quarter of that.
        let quarter = 1.0 + 0.003_93 * 10.0;
        assert!(
            close(
                drop(cable(Some(strand)), 10.0),
                10.0 * bare * factor * quarter,
                1e-8
            ),
            "{strand}"
        );
    }
    // Pairs of a data cable: 12.5 Ω for 100 m over two pairs, 6.25 Ω over four.
    for (pairs, ohms) in [(2, 12.5), (4, 6.25)] {
        assert!(close(
            drop(json!({"length_m": 100, "pairs": pairs}), 0.2),
            0.2 * ohms,
            1e-9
        ));
    }
}

#[test]
fn bundles_carry_less_and_thin_aluminium_is_no_lead() {
    let limit = |cable: Value| {
        let it = site(&json!({}), &json!({"cable": cable}), &json!({}));
        find(&it, Code::CableAmpacity).unwrap()
    };
    for (bundle, factor) in [(1, 1.0), (2, 0.8), (3, 0.7), (4, 0.65), (9, 0.65)] {
        assert!(close(
            limit(json!({"length_m": 1, "area_mm2": 4, "bundle": bundle})).limit,
            27.0 * factor,
            1e-12
        ));
    }
    for metal in ["aluminium", "copper-clad"] {
        let thin = limit(json!({"length_m": 1, "area_mm2": 6, "material": metal}));
        assert!(
            thin.status == Status::Trips && thin.unit == "mm²",
            "{}",
            thin.message
        );
        let thick = limit(json!({"length_m": 1, "area_mm2": 16, "material": metal}));
        assert!(thick.status == Status::Holds && close(thick.limit, 62.0 * 0.78, 1e-12));
    }
    let none = Plan::from_value(&site(
        &json!({}),
        &json!({"cable": {"length_m": 1, "area_mm2": 4, "bundle": 0}}),
        &json!({}),
    ));
    assert!(
        none.unwrap_err()
            .to_string()
            .contains("feeds[0].cable.bundle")
    );
}

#[test]
fn plugs_carry_what_they_carry_for_long() {
    let with = |connector: &str, volts: f64, watts: f64, cable: Value, seconds: Option<f64>| {
        let port = json!({"connector": connector, "voltage": {"regulated_v": volts}});
        let mut phases =
            vec![json!({"when": "running", "watts": if seconds.is_some() { 1.0 } else { watts }})];
        phases.extend(seconds.map(|it| json!({"when": "starting", "watts": watts, "seconds": it})));
        let device = json!({"input": {"rated_v": volts}, "phases": phases});
        find(
            &outlet(&port, &json!({"cable": cable}), &device),
            Code::ConnectorRating,
        )
        .unwrap()
    };
    let plain = || json!({"length_m": 1, "area_mm2": 16});
    // 55 W at 12 V are 4.6 A, and USB-C carries 3.
    assert_eq!(
        with("USB-C", 12.0, 55.0, plain(), None).status,
        Status::Trips
    );
    assert_eq!(
        with("USB-C", 20.0, 40.0, plain(), None).status,
        Status::Holds
    );
    let open = with("USB-C", 20.0, 90.0, plain(), None);
    assert_eq!(
        (open.status, open.unstated),
        (Status::Unproven, Some(Unstated::MarkedCable))
    );
    let marked = |is: bool| json!({"length_m": 1, "area_mm2": 16, "marked": is});
    assert_eq!(
        with("USB-C", 20.0, 90.0, marked(true), None).status,
        Status::Tight
    );
    assert_eq!(
        with("USB-C", 20.0, 90.0, marked(false), None).status,
        Status::Trips
    );
    let vehicle = with("vehicle socket", 12.0, 60.0, plain(), None);
    assert_eq!(
        vehicle.message,
        "Holds: 5 A through the vehicle plug of Lamp while running; it carries 8 A."
    );
    // A vehicle plug: 8 A for long, and 9 A for as long as it warms: 60·ln((1.2656 − 0.64)/0.2656)
    // = 51.4 s.
    assert_eq!(
        with("vehicle socket", 12.0, 60.0, plain(), None).status,
        Status::Holds
    );
    assert_eq!(
        with("vehicle socket", 12.0, 90.0, plain(), None).status,
        Status::Tight
    );
    assert_eq!(
        with("vehicle socket", 12.0, 108.0, plain(), Some(50.0)).status,
        Status::Brief
    );
    assert_eq!(
        with("vehicle socket", 12.0, 108.0, plain(), Some(53.0)).status,
        Status::Trips
    );
    // Barrels: 3 A any, 5 A the good ones.
    assert_eq!(
        with("barrel 5.5/2.1", 12.0, 28.0, plain(), None).status,
        Status::Holds
    );
    assert_eq!(
        with("barrel 5.5/2.1", 12.0, 48.0, plain(), None).status,
        Status::Unproven
    );
    assert_eq!(
        with("barrel 5.5/2.1", 12.0, 72.0, plain(), None).status,
        Status::Trips
    );
    assert_eq!(
        with("C7 figure-eight", 12.0, 36.0, plain(), None).status,
        Status::Trips
    );
}

#[test]
fn data_cables_end_at_a_hundred_metres_and_a_class_gives_what_it_gives() {
    let with = |length: f64, gives: &str, takes: &str, watts: f64| {
        let port = json!({"connector": gives, "voltage": {"regulated_v": 48}});
        let device = json!({"input": {"rated_v": 48, "connector": takes},
            "phases": [{"when": "running", "watts": watts}]});
        let it = outlet(
            &port,
            &json!({"cable": {"length_m": length, "pairs": 2}}),
            &device,
        );
        all(&it)
            .into_iter()
            .filter(|it| it.code == Code::DataCable)
            .map(|it| it.status)
            .max()
    };
    assert_eq!(
        with(90.0, "RJ45, PoE class 4", "RJ45, PoE class 3", 10.0),
        Some(Status::Holds)
    );
    assert_eq!(
        with(101.0, "RJ45, PoE class 4", "RJ45, PoE class 3", 10.0),
        Some(Status::Trips)
    );
    assert_eq!(
        with(20.0, "RJ45, PoE class 3", "RJ45, PoE class 4", 10.0),
        Some(Status::Unproven)
    );
    // Class 3 gives 15.4 W at the port.
    assert_eq!(
        with(20.0, "RJ45, PoE class 3", "RJ45, PoE class 3", 14.0),
        Some(Status::Tight)
    );
    assert_eq!(
        with(20.0, "RJ45, PoE class 3", "RJ45, PoE class 3", 16.0),
        Some(Status::Trips)
    );
}

#[test]
fn a_plug_settles_no_polarity_that_is_contradicted() {
    let with = |connector: &str, one: Option<&str>, other: Option<&str>| {
        let mut port = json!({"connector": connector, "voltage": {"regulated_v": 24}});
        let mut input = json!({"rated_v": 24, "connector": connector});
        if let (Some(one), Some(other)) = (one, other) {
            port["polarity"] = json!(one);
            input["polarity"] = json!(other);
        }
        find(
            &outlet(&port, &json!({}), &json!({"input": input})),
            Code::Polarity,
        )
        .map(|it| it.status)
    };
    assert_eq!(
        with("RJ45", None, None),
        Some(Status::Unproven),
        "passive injectors differ"
    );
    assert_eq!(with("RJ45 PoE", None, None), None);
    assert_eq!(
        with("USB-C", Some("centre-positive"), Some("centre-negative")),
        Some(Status::Trips)
    );
}

/// A lead bank of 12 V with 5 mΩ, and a device that starts with so many watts for two seconds.
fn winch(model: &str, celsius: f64, start_w: f64) -> Value {
    let battery = json!({"chemistry": "agm", "cells": 6, "capacity_ah": 100,
        "internal_ohm": 0.005, "model": model});
    let device = json!({"input": {"min_v": 10.5}, "phases": [{"when": "running", "watts": 20},
        {"when": "starting", "watts": start_w, "seconds": 2}]});
    let mut it = site(&battery, &json!({}), &device);
    it["site"]["ambient_c"] = json!(celsius);
    it
}

#[test]
fn a_battery_has_more_resistance_in_the_cold_and_when_it_is_empty() {
    let terminal = |model: &str, celsius: f64, soc: f64| {
        let plan = read(&winch(model, celsius, 700.0));
        let flow = evaluate(
            &plan,
            &plan.arrangements[0],
            &Moment::Running,
            &Charge::uniform(soc),
        )
        .unwrap();
        let source = &flow.sources["bank"];
        source.internal_loss_w / source.amps.unwrap().powi(2)
    };
    assert!(close(terminal("plain", -10.0, 0.5), 0.005, 1e-12));
    assert!(close(terminal("full", 25.0, 1.0), 0.005, 1e-12));
    // × (1 + 0.02·35) at −10 °C, × (1 + 0.8·0.5) at half charge.
    assert!(close(terminal("full", -10.0, 1.0), 0.005 * 1.7, 1e-12));
    assert!(close(terminal("full", -10.0, 0.5), 0.005 * 1.7 * 1.4, 1e-9));
    let lithium = |celsius: f64, at: f64| {
        let battery = json!({"internal_ohm": 0.01, "internal_ohm_at_c": at, "model": "full"});
        let mut it = site(&battery, &json!({}), &json!({}));
        it["site"]["ambient_c"] = json!(celsius);
        let plan = read(&it);
        let flow = evaluate(
            &plan,
            &plan.arrangements[0],
            &Moment::Running,
            &Charge::full(),
        )
        .unwrap();
        flow.sources["bank"].internal_loss_w / flow.sources["bank"].amps.unwrap().powi(2)
    };
    assert!(close(lithium(0.0, 25.0), 0.025, 1e-9) && close(lithium(-10.0, 25.0), 0.038, 1e-9));
    // Stated at 0 °C it is what it is there.
    assert!(close(lithium(0.0, 0.0), 0.01, 1e-9));
}

#[test]
fn a_start_that_is_carried_in_the_warm_resets_in_the_cold() {
    let tired = |model: &str, celsius: f64| {
        let mut it = winch(model, celsius, 900.0);
        it["kit"]["sources"][0]["battery"]["internal_ohm"] = json!(0.01);
        it
    };
    let status = |celsius: f64| status(&tired("full", celsius), Code::DeviceVoltage);
    let (warm, cold) = (status(25.0), status(-10.0));
    assert!(
        warm <= Status::Tight && cold == Status::Trips,
        "{warm:?} and {cold:?}"
    );
    let plain = find(&tired("plain", -10.0), Code::DeviceVoltage).unwrap();
    assert!(
        plain.status <= Status::Tight,
        "the plain model does not see it: {}",
        plain.message
    );
}

/// A vehicle of 12 V with a device on its battery that takes from `min` to `max` V.
fn vehicle(min: f64, max: f64, device: &Value) -> Value {
    let mut lamp = json!({"input": {"min_v": min, "max_v": max}});
    merge(&mut lamp, device);
    let mut it = site(
        &json!({"chemistry": "flooded", "cells": 6}),
        &json!({}),
        &lamp,
    );
    it["kit"]["sources"][0]["kind"] = json!("vehicle");
    it["kit"]["sources"][0]["indoors"] = json!(false);
    it["kit"]["sources"][0]["alternator"] = json!({"idle_a": 70});
    it
}

#[test]
fn a_running_engine_and_its_starter_are_moments_of_their_own() {
    let of = |it: &Value, moment: &str| {
        all(it)
            .into_iter()
            .find(|it| it.code == Code::DeviceVoltage && it.moment == moment)
            .unwrap()
    };
    // 14.8 V while it runs.
    assert_eq!(
        of(&vehicle(6.0, 16.0, &json!({})), "engine-running").status,
        Status::Holds
    );
    assert_eq!(
        of(&vehicle(6.0, 15.0, &json!({})), "engine-running").status,
        Status::Tight
    );
    assert_eq!(
        of(&vehicle(6.0, 14.6, &json!({})), "engine-running").status,
        Status::Trips
    );
    // 7 V for a second while it is cranked.
    let cranked = |after: Value| of(&vehicle(10.5, 16.0, &after), "cranking");
    assert_eq!(
        of(&vehicle(6.0, 16.0, &json!({})), "cranking").status,
        Status::Holds
    );
    assert_eq!(
        cranked(json!({"ride_through_ms": 1500})).status,
        Status::Brief
    );
    assert_eq!(
        cranked(json!({"after_loss": {"kind": "restarts", "seconds": 20}})).status,
        Status::Brief
    );
    assert_eq!(
        cranked(json!({"after_loss": {"kind": "latches"}})).status,
        Status::Trips
    );
    assert_eq!(cranked(json!({})).status, Status::Unproven);
    // Both can be looked at.
    let plan = read(&vehicle(10.5, 16.0, &json!({})));
    let at = |moment: &str| {
        let moment = moment.parse::<Moment>().unwrap();
        evaluate(&plan, &plan.arrangements[0], &moment, &Charge::uniform(0.5))
            .unwrap()
            .feeds["lamp"]
            .near_v
    };
    assert!(close(at("engine-running"), 14.8, 1e-12) && close(at("cranking"), 7.0, 1e-12));
}

#[test]
fn acid_freezes_lithium_gives_nothing_and_nothing_is_charged_in_the_cold() {
    let with = |battery: Value, celsius: f64| {
        let mut it = site(&battery, &json!({}), &json!({}));
        it["site"]["ambient_c"] = json!(celsius);
        it
    };
    let lead = |floor: f64| json!({"chemistry": "agm", "cells": 6, "floor_soc": floor});
    // At −15 °C it freezes below a quarter.
    assert_eq!(
        status(&with(lead(0.5), -15.0), Code::ColdStore),
        Status::Holds
    );
    let frozen = find(&with(lead(0.2), -15.0), Code::ColdStore).unwrap();
    assert_eq!((frozen.status, frozen.limit), (Status::Trips, 0.25));
    assert!(find(&with(lead(0.2), -5.0), Code::ColdStore).is_none());
    let lithium = |model: &str| json!({"model": model});
    assert_eq!(
        status(&with(lithium("full"), -25.0), Code::ColdStore),
        Status::Trips
    );
    assert!(find(&with(lithium("full"), -15.0), Code::ColdStore).is_none());
    let outage = json!([{"id": "o", "label": "Frost", "start": "2026-01-14T17:00", "hours": 6,
        "ambient_c": -25,
        "charging": [{"source": "bank", "from_h": 1, "to_h": 2, "watts": 50}]}]);
    let mut cold = with(lithium("full"), 5.0);
    cold["outages"] = outage.clone();
    // What an outage brings from elsewhere into cold cells trips.
    assert_eq!(status(&cold, Code::ColdCharge), Status::Trips);
    // And the march gives nothing from the first second on, while the plain model knows no cold.
    let up = |plan: &Value| {
        let plan = read(plan);
        simulate(&plan, &plan.arrangements[0], &plan.outages[0], None).devices["lamp"].up_h
    };
    assert!(up(&cold) < 1e-6, "{}", up(&cold));
    cold["kit"]["sources"][0]["battery"]["model"] = json!("plain");
    assert!(close(up(&cold), 6.0, 1e-6));
}

#[test]
fn gas_of_lead_wants_air() {
    let with = |chemistry: &str, more: Value| {
        let mut it = site(
            &json!({"chemistry": chemistry, "cells": 6}),
            &json!({}),
            &json!({}),
        );
        merge(&mut it["kit"]["sources"][0], &more);
        find(&it, Code::Hydrogen)
    };
    // 0.05 × 6 cells × 0.02 A/Ah × 100 Ah.
    let unknown = with("flooded", json!({})).unwrap();
    assert!(close(unknown.value, 0.6, 1e-12));
    assert_eq!(
        (unknown.status, unknown.unstated),
        (Status::Unproven, Some(Unstated::Room))
    );
    assert!(close(with("agm", json!({})).unwrap().value, 0.24, 1e-12));
    // A room of 2 m³ changes 0.8 m³ an hour, one of 1 m³ only 0.4.
    assert_eq!(
        with("flooded", json!({"indoors": true, "room_m3": 2}))
            .unwrap()
            .status,
        Status::Holds
    );
    assert_eq!(
        with("flooded", json!({"indoors": true, "room_m3": 1}))
            .unwrap()
            .status,
        Status::Trips
    );
    assert!(with("flooded", json!({"indoors": false})).is_none());
    assert!(with("lfp", json!({})).is_none());
}

/// How long a bank of lead takes from one charge to another with so many watts from a charger that
/// loses nothing, h.
fn fills(model: &str, watts: f64, from: f64, to: f64) -> f64 {
    let battery = json!({"chemistry": "agm", "cells": 6, "capacity_ah": 400, "model": model});
    let mut it = site(&battery, &json!({}), &json!({}));
    it["kit"]["sources"][0]["inputs"] = json!([{"id": "wall", "kind": "mains", "max_w": watts}]);
    it["outages"] = json!([{"id": "o", "label": "O", "start": "2026-06-14T12:00", "hours": 6,
        "ambient_c": 20}]);
    it["kit"]["sources"]
        .as_array_mut()
        .unwrap()
        .push(json!({"id": "mains", "label": "Mains", "kind": "mains",
        "ports": [{"id": "socket", "current": "ac", "voltage": {"ac_v": 230}}]}));
    it["arrangements"][0]["feeds"] =
        json!([{"from": {"item": "mains", "port": "socket"}, "to": "bank/wall"}]);
    let plan = read(&it);
    let ask = RechargeAsk {
        from_soc: from,
        levels: vec![to],
        offers: false,
        ..RechargeAsk::of("bank")
    };
    recharge(&plan, &plan.arrangements[0], Some(&plan.outages[0]), &ask)
        .unwrap()
        .levels[0]
        .after_h
        .unwrap()
}

#[test]
fn a_small_charger_is_not_slowed_by_a_bank_that_would_take_more() {
    // About 4 A into 400 Ah: the last fifth is 80 Ah, which takes about 80/(4·0.85) = 23.5 h, for
    // the bank takes 6 A when full.
    let (plain, full) = (
        fills("plain", 50.0, 0.8, 1.0),
        fills("full", 50.0, 0.8, 1.0),
    );
    assert!(full < 26.0 && full > 20.0, "{full}");
    assert!(
        plain > 1.8 * full,
        "the plain model lets the charger itself taper: {plain}"
    );
    // A large one is bounded by what the bank takes: never more than a quarter of its capacity.
    let bulk = fills("full", 5000.0, 0.3, 0.8);
    assert!(
        bulk > 0.5 / (0.25 * 0.85) - 0.2 && bulk < 0.5 / (0.25 * 0.8) + 0.4,
        "{bulk}"
    );
}

#[test]
fn a_bank_that_nothing_draws_from_loses_by_itself() {
    let after = |model: &str| {
        let battery =
            json!({"chemistry": "flooded", "cells": 6, "capacity_ah": 100, "model": model});
        let mut it = site(
            &battery,
            &json!({}),
            &json!({"phases": [{"when": "running", "watts": 0}]}),
        );
        it["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-06-14T12:00", "hours": 729.6}]);
        let plan = read(&it);
        simulate(&plan, &plan.arrangements[0], &plan.outages[0], None).sources["bank"].end_soc
    };
    assert!(close(after("plain"), 1.0, 1e-9));
    // Six per cent in a month of 30.4 days.
    assert!((after("full") - 0.94).abs() < 1e-4, "{}", after("full"));
}

/// A bank with 60 mΩ, an inverter that cuts out at 11.5 V after so many seconds, and a pump on it
/// that starts for 2 s.
fn sags(delay: Option<f64>) -> Value {
    let mut it = inverter(&json!({"limit": {"continuous_w": 900}}), &[Some(false)]);
    it["kit"]["sources"][0]["battery"]["internal_ohm"] = json!(0.06);
    it["kit"]["converters"][0]["input"] = json!({"current": "dc", "cut_out_v": 11.5});
    if let Some(delay) = delay {
        it["kit"]["converters"][0]["input"]["cut_out_delay_s"] = json!(delay);
    }
    it["kit"]["devices"][0]["phases"] =
        json!([{"when": "running", "watts": 20}, {"when": "starting", "watts": 500, "seconds": 2}]);
    it["kit"]["devices"][0]["cycle"] = json!({"kind": "hours", "from": "13:00", "to": "15:00"});
    it["outages"] = json!([{"id": "o", "label": "O", "start": "2026-06-14T12:00", "hours": 2}]);
    it
}

#[test]
fn an_inverter_that_bears_a_sag_for_a_while_is_not_cut_out_by_a_short_one() {
    let told = |delay: Option<f64>| {
        let it = sags(delay);
        let worst = all(&it)
            .into_iter()
            .find(|it| it.code == Code::ConverterVoltage)
            .unwrap()
            .status;
        let plan = read(&it);
        let marched = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
        // The planner refuses what the march cuts out.
        let order = starts(
            &plan,
            &plan.arrangements[0],
            &plan.outages[0],
            &BTreeMap::new(),
        );
        let refused = order.turns.iter().all(|it| it.device != "load-0") && !order.at_once;
        (
            worst,
            marched
                .events
                .iter()
                .any(|it| it.what == "low-voltage cut-out"),
            refused,
        )
    };
    assert_eq!(told(None), (Status::Trips, true, true));
    assert_eq!(told(Some(3.0)), (Status::Brief, false, false));
    assert_eq!(told(Some(1.0)), (Status::Trips, true, true));
}

#[test]
fn a_motor_that_starts_takes_volt_amperes_beyond_its_watts() {
    let with = |factor: Option<f64>| {
        let mut it = inverter(
            &json!({"limit": {"continuous_w": 300, "overload": [{"up_to_w": 600, "for_s": 2}]}}),
            &[Some(false)],
        );
        let mut start = json!({"when": "starting", "watts": 270, "seconds": 1});
        if let Some(factor) = factor {
            start["power_factor"] = json!(factor);
        }
        it["kit"]["devices"][0]["phases"] = json!([{"when": "running", "watts": 80}, start]);
        find(&it, Code::ConverterOutputLimit).unwrap()
    };
    // 270 W at 0.45 are 600 VA, and at 0.4 they are 675.
    assert_eq!(with(None).status, Status::Tight);
    let locked = with(Some(0.45));
    assert!(
        locked.status == Status::Brief && close(locked.value, 600.0, 1e-9),
        "{}",
        locked.message
    );
    assert_eq!(with(Some(0.4)).status, Status::Trips);
}

#[test]
fn an_adapter_that_is_switched_on_cold_is_tried_before_it_is_trusted() {
    let with = |peak_w: f64, inrush: Option<f64>| {
        let mut it = inverter(
            &json!({"limit": {"continuous_w": 300, "overload": [{"up_to_w": peak_w, "for_s": 1}]}}),
            &[],
        );
        let mut input = json!({"current": "ac"});
        if let Some(amps) = inrush {
            input["inrush_a"] = json!(amps);
        }
        it["kit"]["devices"] = json!([{"id": "lamp", "label": "Lamp", "input": {"current": "dc",
            "rated_v": 12}, "phases": [{"when": "running", "watts": 5}]}]);
        it["kit"]["converters"].as_array_mut().unwrap().push(
            json!({"id": "adapter", "label": "Adapter", "kind": "ac_adapter", "input": input,
            "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}]}),
        );
        let feeds = it["arrangements"][0]["feeds"].as_array_mut().unwrap();
        feeds.push(json!({"from": {"item": "inverter", "port": "outlet"}, "to": "adapter"}));
        feeds.push(json!({"from": {"item": "adapter", "port": "out"}, "to": "lamp"}));
        let found = find(&it, Code::Inrush).unwrap();
        (found.status, found.unstated)
    };
    // 600 VA at 230 V are 3.7 A at the peak.
    assert_eq!(
        with(600.0, None),
        (Status::Unproven, Some(Unstated::Inrush))
    );
    assert_eq!(with(600.0, Some(30.0)), (Status::Unproven, None));
    assert_eq!(with(600.0, Some(3.0)), (Status::Holds, None));
    // 10 kVA give 61 A.
    assert_eq!(with(10_000.0, None), (Status::Holds, None));
}

#[test]
fn the_peaks_of_adapters_that_run_are_held_against_a_small_inverter() {
    // Two adapters of 46 W each at 230 V: 0.2 A each where the power factor is 1.
    let with = |peak_w: f64, stated: &Value| {
        let mut it = inverter(
            &json!({"limit": {"continuous_w": 200, "overload": [{"up_to_w": peak_w, "for_s": 1}]}}),
            &[],
        );
        let lamp = |id: &str| {
            json!({"id": id, "label": id, "input": {"current": "dc",
            "rated_v": 12}, "phases": [{"when": "running", "watts": 46}]})
        };
        it["kit"]["devices"] = json!([lamp("lamp"), lamp("lantern")]);
        for (id, lamp) in [("adapter", "lamp"), ("brick", "lantern")] {
            let mut input = stated.clone();
            input["current"] = json!("ac");
            it["kit"]["converters"].as_array_mut().unwrap().push(
                json!({"id": id, "label": id, "kind": "ac_adapter", "input": input,
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}]}),
            );
            let feeds = it["arrangements"][0]["feeds"].as_array_mut().unwrap();
            feeds.push(json!({"from": {"item": "inverter", "port": "outlet"}, "to": id}));
            feeds.push(json!({"from": {"item": id, "port": "out"}, "to": lamp}));
        }
        find(&it, Code::Crest).unwrap()
    };
    // 230 VA are 1 A and 1.41 A at the peak. Nobody stated anything: 2 × 0.2 A / 0.5 × 3 = 2.4 A.
    let open = with(230.0, &json!({}));
    assert_eq!(
        (open.status, open.unstated),
        (Status::Unproven, Some(Unstated::Crest))
    );
    assert!(
        close(open.value, 2.4, 1e-6) && close(open.limit, 2.0_f64.sqrt(), 1e-9),
        "{}",
        open.message
    );
    assert_eq!(with(400.0, &json!({})).status, Status::Holds);
    // Corrected: 0.4 A / 0.95 × 1.5 = 0.63 A.
    let corrected = with(230.0, &json!({"power_factor": 0.95}));
    assert!(
        corrected.status == Status::Holds && close(corrected.value, 0.4 / 0.95 * 1.5, 1e-6),
        "{}",
        corrected.message
    );
    // Stated, and too much for it: 0.4 A / 0.6 × 4 = 2.67 A.
    let stated = with(230.0, &json!({"power_factor": 0.6, "crest": 4}));
    assert_eq!((stated.status, stated.unstated), (Status::Unproven, None));
    assert!(
        close(stated.value, 0.4 / 0.6 * 4.0, 1e-6),
        "{}",
        stated.message
    );
    assert_eq!(
        with(230.0, &json!({"power_factor": 0.6, "crest": 2})).status,
        Status::Holds
    );
}

#[test]
fn an_engine_wants_a_load_and_its_wave_is_not_a_sine_by_itself() {
    let set = |fuel: &str, watts: f64, distortion: Option<f64>| {
        let mut voltage = json!({"ac_v": 230, "waveform": "sine"});
        if let Some(share) = distortion {
            voltage["distortion"] = json!(share);
        }
        let port = json!({"current": "ac", "voltage": voltage, "limit": {"continuous_w": 3000}});
        let mut it = outlet(
            &port,
            &json!({}),
            &json!({"input": {"current": "ac", "rated_v": 230, "needs_sine": true},
                "phases": [{"when": "running", "watts": watts}]}),
        );
        it["kit"]["sources"][0]["engine"] = json!({"fuel": fuel, "fuel_l": 10, "l_per_kwh": 0.4});
        it
    };
    assert_eq!(
        status(&set("diesel", 1000.0, None), Code::LeastLoad),
        Status::Holds
    );
    assert_eq!(
        status(&set("diesel", 500.0, None), Code::LeastLoad),
        Status::Tight
    );
    assert!(find(&set("petrol", 500.0, None), Code::LeastLoad).is_none());
    let wave = |it: Option<f64>| find(&set("petrol", 500.0, it), Code::Waveform).unwrap();
    assert_eq!(
        (wave(None).status, wave(None).unstated),
        (Status::Unproven, Some(Unstated::Distortion))
    );
    assert_eq!(wave(Some(0.03)).status, Status::Holds);
    assert_eq!(wave(Some(0.07)).status, Status::Tight);
    assert_eq!(wave(Some(0.2)).status, Status::Trips);
}

#[test]
fn outlets_that_settle_anew_reset_their_neighbours() {
    let with = |settles: Option<bool>, rides: f64| {
        let mut it = outlet(&json!({}), &json!({}), &json!({}));
        let port = |id: &str| {
            json!({"id": id, "current": "dc", "connector": "USB-C",
            "voltage": {"offers_v": [5, 20]}, "group": "usb"})
        };
        it["kit"]["sources"][0]["ports"] = json!([port("a"), port("b")]);
        it["kit"]["sources"][0]["groups"] = json!([{"id": "usb", "limit": {"continuous_w": 100}}]);
        if let Some(settles) = settles {
            it["kit"]["sources"][0]["groups"][0]["settles_anew"] = json!(settles);
        }
        let device = |id: &str| {
            json!({"id": id, "label": id, "ride_through_ms": rides,
            "input": {"current": "dc", "rated_v": 5}, "phases": [{"when": "running", "watts": 3}]})
        };
        it["kit"]["devices"] = json!([device("one"), device("two")]);
        it["arrangements"][0]["feeds"] = json!([{"from": {"item": "bank", "port": "a"},
            "to": "one"}, {"from": {"item": "bank", "port": "b"}, "to": "two"}]);
        find(&it, Code::Settling).map(|it| (it.status, it.unstated))
    };
    assert_eq!(
        with(None, 10.0),
        Some((Status::Unproven, Some(Unstated::Settling)))
    );
    assert_eq!(with(Some(true), 10.0), Some((Status::Tight, None)));
    assert_eq!(with(Some(false), 10.0), None);
    // What has a battery of its own does not mind.
    assert_eq!(with(None, 3_600_000.0), None);
}

#[test]
fn what_nobody_stated_is_one_line_for_each_kind_with_its_places() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let found = all_findings(&plan);
    let silent = silences(&plan, found.iter());
    let kinds: Vec<Unstated> = silent.iter().map(|it| it.kind).collect();
    assert!(
        kinds.windows(2).all(|pair| pair[0] < pair[1]),
        "each kind once: {kinds:?}"
    );
    for it in &silent {
        assert!(
            it.sentence.starts_with("Nobody stated") && !it.places.is_empty(),
            "{}",
            it.sentence
        );
        for place in &it.places {
            assert!(
                found
                    .iter()
                    .any(|it| it.place == place.place && it.arrangement == place.arrangement)
            );
        }
    }
    // Every finding that is open for that alone is in one of them.
    for it in found.iter().filter(|it| it.unstated.is_some()) {
        assert!(
            silent.iter().any(|line| Some(line.kind) == it.unstated
                && line.places.iter().any(|at| at.place == it.place)),
            "{}",
            it.message
        );
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]
    /// Colder never makes a sag smaller, nor an emptier battery.
    #[test]
    fn colder_or_emptier_never_makes_a_sag_smaller(
        chemistry in prop::sample::select(vec!["agm", "flooded", "lfp", "li_ion"]),
            warm in -20.0..40.0_f64, by in 0.0..30.0_f64,
        soc in 0.1..1.0_f64, less in 0.0..0.5_f64, watts in 10.0..600.0_f64,
    ) {
        let sag = |celsius: f64, soc: f64| {
            let battery = json!({"chemistry": chemistry,
                "cells": if chemistry.len() == 3 && chemistry != "agm" { 4 } else { 6 },
                "capacity_ah": 100, "internal_ohm": 0.006, "model": "full"});
            let device = json!({"draw": "current", "phases": [{"when": "running",
                "watts": watts}]});
            let mut it = site(&battery, &json!({}), &device);
            it["site"]["ambient_c"] = json!(celsius);
            let plan = read(&it);
            let flow = evaluate(&plan, &plan.arrangements[0], &Moment::Running,
                &Charge::uniform(soc)).unwrap();
            flow.sources["bank"].internal_loss_w / flow.sources["bank"].amps.unwrap()
        };
        prop_assert!(sag(warm - by, soc) >= sag(warm, soc) * (1.0 - 1e-9));
        prop_assert!(sag(warm, (soc - less).max(0.0)) >= sag(warm, soc) * (1.0 - 1e-9));
    }

    /// A battery without a model is computed as one that is plain, to the last bit, in any cold.
    #[test]
    fn an_old_battery_is_computed_as_before(celsius in -30.0..45.0_f64, soc in 0.0..1.0_f64,
        watts in 1.0..200.0_f64) {
        let of = |model: Option<&str>| {
            let mut it = winch("plain", celsius, 500.0);
            match model {
                Some(model) => it["kit"]["sources"][0]["battery"]["model"] = json!(model),
                None => { it["kit"]["sources"][0]["battery"].as_object_mut().unwrap().remove("model"); }
            }
            it["kit"]["devices"][0]["phases"][0]["watts"] = json!(watts);
            let plan = read(&it);
            evaluate(&plan, &plan.arrangements[0], &Moment::Running, &Charge::uniform(soc)).unwrap()
        };
        prop_assert_eq!(of(None), of(Some("plain")));
    }

    /// What a lead takes while it is charged never rises with its charge, and a lead that is made
    /// of finer wires never loses less.
    #[test]
    fn more_strands_and_more_current_never_lose_less(area in 0.5..50.0_f64,
        length in 0.5..30.0_f64, amps in 0.1..60.0_f64, more in 1.0..2.0_f64) {
        use ash_pond_core::{site::plan::{Cable, Strand}, ground::quantity::Celsius, site::wire::lead};
        let ohms = |strand: Option<Strand>, amps: f64| lead(Some(&Cable { strand,
            ..Cable::of(length, area) }), Celsius(20.0)).at(amps);
        let kinds = [None, Some(Strand::Solid), Some(Strand::Class2), Some(Strand::Class5)];
        for pair in kinds.windows(2) {
            prop_assert!(ohms(pair[1], amps) >= ohms(pair[0], amps));
        }
        prop_assert!(ohms(Some(Strand::Class5), amps * more) >= ohms(Some(Strand::Class5), amps));
    }
}
