//! Laws of an outage.

use ash_pond_core::outage::{Simulation, simulate};
use ash_pond_core::plan::Plan;
use proptest::prelude::*;
use serde_json::{Value, json};

/// Two devices on a bank, one through a converter, one by the clock.
fn site(watts: f64, soc: f64, celsius: f64, swapped: bool) -> Plan {
    let router = json!({"id": "router", "label": "Router", "input": {"current": "dc", "rated_v": 12, "min_v": 11},
        "draw": "power", "phases": [{"when": "starting", "watts": 2.0 * watts, "seconds": 40}, {"when": "running", "watts": watts}]});
    let lamp = json!({"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12, "min_v": 10},
        "draw": "current", "phases": [{"when": "running", "watts": 9}], "cycle": {"kind": "hours", "from": "17:30", "to": "23:00"}});
    let devices = if swapped { json!([lamp, router]) } else { json!([router, lamp]) };
    Plan::from_value(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice"},
        "kit": {"devices": devices,
            "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 60, "internal_ohm": 0.015, "cut_off_v": 10.4},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}],
            "converters": [{"id": "steady", "label": "Steady", "kind": "buck_boost", "input": {"current": "dc", "min_v": 9},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}],
                "loss": {"idle_w": 0.8, "proportional": 0.06}}]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": [
            {"from": {"item": "bank", "port": "studs"}, "to": "steady", "cable": {"length_m": 2, "area_mm2": 2.5}},
            {"from": {"item": "steady", "port": "out"}, "to": "router"},
            {"from": {"item": "bank", "port": "studs"}, "to": "lamp", "cable": {"length_m": 8, "area_mm2": 1.5}}]}],
        "outages": [{"id": "storm", "label": "Storm", "start": "2026-01-14T16:00", "hours": 240, "ambient_c": celsius,
            "initial_soc": {"bank": soc}}]
    }))
    .unwrap()
}

fn storm(plan: &Plan) -> Simulation {
    simulate(plan, &plan.arrangements[0], &plan.outages[0], None)
}

fn lasts(of: &Simulation) -> f64 {
    of.devices["router"].down_at_h.unwrap_or(f64::INFINITY)
}

fn closes(of: &Simulation) -> bool {
    let it = of.energy;
    let out = it.delivered_wh + it.charging_wh + it.conversion_wh + it.idle_wh + it.cables_wh;
    (out - it.drawn_wh).abs() <= 1e-6 * it.drawn_wh.max(1.0)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, rng_seed: proptest::test_runner::RngSeed::Fixed(1), ..ProptestConfig::default() })]

    #[test]
    fn more_load_lasts_less_more_charge_more_and_cold_never_longer(watts in 3.0_f64..60.0, soc in 0.3_f64..1.0, celsius in -20.0_f64..30.0, more in 1.05_f64..2.0) {
        let base = storm(&site(watts, soc, celsius, false));
        prop_assert!(lasts(&storm(&site(watts * more, soc, celsius, false))) < lasts(&base));
        prop_assert!(lasts(&storm(&site(watts, (soc * more).min(1.0), celsius, false))) >= lasts(&base));
        prop_assert!(lasts(&storm(&site(watts, soc, celsius - 10.0, false))) <= lasts(&base) + 1e-6);
        prop_assert!(closes(&base));
        prop_assert_eq!(storm(&site(watts, soc, celsius, true)).devices, base.devices);
    }

    #[test]
    fn an_outage_cut_in_two_and_joined_is_the_same(watts in 3.0_f64..20.0, cut in 1.0_f64..10.0) {
        let whole = site(watts, 1.0, 12.0, false);
        let hours = 16.0;
        let lasting = |start: &str, hours: f64, soc: f64| {
            let mut text = serde_json::to_value(&whole).unwrap();
            text["outages"][0]["hours"] = json!(hours);
            text["outages"][0]["start"] = json!(start);
            text["outages"][0]["initial_soc"]["bank"] = json!(soc);
            storm(&Plan::from_value(&text).unwrap())
        };
        let seconds = (cut * 3600.0).round();
        let at: Value = json!(seconds);
        let clock = 16 * 3600 + at.to_string().trim_end_matches(".0").parse::<u32>().unwrap();
        let second = format!("2026-01-14T{:02}:{:02}:{:02}", clock / 3600 % 24, clock / 60 % 60, clock % 60);
        prop_assume!(clock < 24 * 3600);
        let one = lasting("2026-01-14T16:00", hours, 1.0);
        let first = lasting("2026-01-14T16:00", seconds / 3600.0, 1.0);
        let rest = lasting(&second, hours - seconds / 3600.0, first.sources["bank"].end_soc);
        prop_assert!((rest.sources["bank"].end_soc - one.sources["bank"].end_soc).abs() < 1e-5);
        let drawn = first.energy.drawn_wh + rest.energy.drawn_wh;
        prop_assert!((drawn - one.energy.drawn_wh).abs() < 1e-4 * one.energy.drawn_wh, "{} and {}", drawn, one.energy.drawn_wh);
    }
}

#[test]
fn every_outage_of_the_demo_closes_its_balance() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    for way in &plan.arrangements {
        for outage in &plan.outages {
            let found = simulate(&plan, way, outage, Some(3600.0));
            assert!(closes(&found), "{}, {}: {:?}", way.id, outage.id, found.energy);
            let longest = outage.hours.get();
            for (id, it) in &found.devices {
                assert!(it.up_h <= longest + 1e-6 && it.wh.is_finite(), "{id}: {it:?}");
                assert_eq!(it.why.is_some(), it.down_at_h.is_some(), "{id}");
            }
            for (id, it) in &found.sources {
                assert!((0.0..=1.0).contains(&it.end_soc), "{id}: {it:?}");
                assert!(it.series.windows(2).all(|it| it[0][0] < it[1][0]), "{id}");
            }
            assert!(found.events.windows(2).all(|it| it[0].at_h <= it[1].at_h));
        }
    }
}
