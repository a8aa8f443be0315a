//! What the contacts of a lead lose, worked by hand, and as a law.

use ash_pond_core::bench::{Instrument, with_figures};
use ash_pond_core::limits::{Code, Finding, Status, boards, findings};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::Plan;
use proptest::prelude::*;
use serde_json::{Value, json};

/// A pump of so many watts on the studs of a bank of 12.8 V, by a lead of 6 mm² whose contacts have
/// so many Ω.
fn pump(watts: f64, contacts: &Value, edit: &dyn Fn(&mut Value)) -> Plan {
    let mut plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Paper",
        "ambient_c": 20},
        "kit": {"devices": [{"id": "pump", "label": "Pump", "input": {"current": "dc",
            "rated_v": 12.8}, "phases": [{"when": "running", "watts": watts}]}],
            "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100},
                "ports": [{"id": "studs", "current": "dc", "connector": "M8 studs",
                    "voltage": {"regulated_v": 12.8}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "bank",
            "port": "studs"}, "to": "pump",
            "cable": {"length_m": 1, "area_mm2": 6, "contact_ohm": contacts}}]}]});
    edit(&mut plan);
    Plan::from_value(&plan).unwrap_or_else(|error| panic!("{error}"))
}

fn found(plan: &Plan) -> Option<Finding> {
    findings(plan, &plan.arrangements[0])
        .into_iter()
        .find(|it| it.code == Code::Contacts)
}

#[test]
fn contacts_soften_by_the_volts_that_each_loses() {
    // Sound: four crimped ends of half a milliohm. That is no news.
    assert_eq!(found(&pump(128.0, &json!(0.002), &|_| {})), None);
    // 12 mΩ, 10 mΩ of them in one clamp perhaps: 7 A are sure, and 23.3 A where all four share it.
    let clamps = json!({"value": 0.012, "basis": "measured"});
    assert_eq!(found(&pump(60.0, &clamps, &|_| {})), None);
    let tight = found(&pump(85.0, &clamps, &|_| {})).unwrap();
    assert_eq!((tight.status, tight.unit), (Status::Tight, "A"));
    assert!((tight.limit - 7.0).abs() < 1e-9, "{}", tight.limit);
    let open = found(&pump(190.0, &clamps, &|_| {})).unwrap();
    assert_eq!(open.status, Status::Unproven, "{}", open.message);
    let volts = open.value * 0.012;
    assert!((volts - 0.18).abs() < 0.005, "{volts}");
    for part in [
        "12 mΩ, 10 mΩ more than sound ones",
        "2.76 W",
        "tin softens at 95 °C",
        "feel them after an hour",
    ] {
        assert!(open.message.contains(part), "{part} in: {}", open.message);
    }
    assert!(
        open.caution
            .is_some_and(|it| it.contains("off before you touch it"))
    );
    // 150 mV in one of them: √(293² + 0.15²/(4·L)) = 564 K.
    assert!(
        open.message.contains("a spot in it gets 2"),
        "{}",
        open.message
    );
    let bad = found(&pump(330.0, &clamps, &|_| {})).unwrap();
    assert_eq!(bad.status, Status::Trips, "{}", bad.message);
    // A vehicle plug and a fuse in its holder have contacts of their own, which are sound with
    // that.
    let plugged = |contacts: f64, watts: f64| {
        pump(watts, &json!(contacts), &|plan| {
            plan["kit"]["sources"][0]["ports"][0]["connector"] = json!("vehicle socket");
            plan["arrangements"][0]["feeds"][0]["fuse"] = json!({"rating_a": 10});
        })
    };
    assert_eq!(found(&plugged(0.035, 100.0)), None);
    assert_eq!(
        found(&plugged(0.055, 100.0)).unwrap().status,
        Status::Unproven
    );
    // It is told as a finding, and stands on no board.
    let plan = pump(190.0, &clamps, &|_| {});
    assert!(
        boards(&plan, &plan.arrangements[0], &Charge::full())
            .iter()
            .all(|it| it.code != Code::Contacts)
    );
}

#[test]
fn a_start_is_too_short_to_warm_them() {
    let starts = |seconds: f64| {
        let plan = pump(60.0, &json!(0.012), &|plan| {
            let phases = plan["kit"]["devices"][0]["phases"].as_array_mut().unwrap();
            phases.push(json!({"when": "starting", "watts": 150, "seconds": seconds}));
        });
        found(&plan).map(|it| it.status)
    };
    assert_eq!(
        (starts(5.0), starts(600.0)),
        (Some(Status::Brief), Some(Status::Unproven))
    );
}

#[test]
fn what_the_far_end_test_finds_at_the_contacts_is_judged() {
    // 1.2 mΩ/m·m of copper in 6 mm², both ways 5.7 mΩ; 15 A lose 0.45 V between 12.80 and 12.35 V.
    let plan = pump(190.0, &json!(0.002), &|_| {});
    let mut test = crate::bench_tests::test(
        "far-end",
        "arrangement",
        "a",
        Some("pump"),
        &[&[12.80, 12.35, 15.0]],
    );
    test.meters = vec![
        Instrument {
            name: None,
            share: 0.002,
            fixed: 0.0,
            step: 0.01
        };
        3
    ];
    let mut value = serde_json::to_value(&plan).unwrap();
    value["arrangements"][0] = with_figures(&plan, &test, "t1").unwrap();
    let measured = Plan::from_value(&value).unwrap();
    let contacts = measured.arrangements[0].feeds[0]
        .cable
        .as_ref()
        .unwrap()
        .contact_ohm
        .as_ref()
        .unwrap()
        .get();
    assert!((contacts - 0.0243).abs() < 5e-4, "{contacts}");
    assert!(found(&plan).is_none() && found(&measured).unwrap().status > Status::Tight);
}

proptest! {
    #[test]
    fn more_ohms_and_more_current_are_never_judged_better(
        ohms in 1e-4_f64..0.05, more in 1.0_f64..3.0, watts in 5.0_f64..300.0,
            times in 1.0_f64..2.0,
    ) {
        // Where the lead cannot carry it at all, that is what is told.
        let status = |ohms: f64, watts: f64| {
            let plan = pump(watts, &json!(ohms), &|_| {});
            let told = findings(&plan, &plan.arrangements[0]);
            let of = |it: &&Finding| matches!(it.code, Code::Contacts | Code::Collapse);
            told.iter().filter(of).map(|it| it.status).max().unwrap_or(Status::Holds)
        };
        let plain = status(ohms, watts);
        prop_assert!(status(ohms * more, watts) >= plain && status(ohms, watts * times) >= plain);
    }
}
