//! Money, weight and services: hand-worked comparisons and laws; and watts that a stepped wave
//! changes.

use crate::common;

use ash_pond_core::advice::compare::{Aspect, Pays, compare};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::day::day;
use ash_pond_core::time::outage::simulate;
use common::{close, read};
use proptest::prelude::*;
use serde_json::{Value, json};

/// One cooling, by a cooler of 500 W through an inverter or by two fans and a pump straight off the
/// bank.
fn cooling() -> Value {
    let bank = json!({"item": "bank", "port": "studs"});
    json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "Shed", "ambient_c": 25, "energy_price": {"per_kwh": 0.4,
            "currency": "EUR"}},
        "kit": {"devices": [
            {"id": "cooler", "label": "Cooler", "service": "cooling", "way": "ac",
                "input": {"current": "ac", "rated_v": 230},
             "phases": [{"when": "running", "watts": 500}], "cycle": {"kind": "thermostat",
                 "on_fraction": 0.3, "period_s": 1800}, "price": 300, "weight_kg": 20},
            {"id": "fans", "label": "Fans", "service": "cooling", "way": "dc", "quantity": 2,
                "owned": false, "input": {"current": "dc", "rated_v": 12},
             "phases": [{"when": "running", "watts": 6}], "price": 25, "weight_kg": 0.5},
            {"id": "pump", "label": "Mist pump", "service": "cooling", "way": "dc",
                "owned": false, "input": {"current": "dc", "rated_v": 12},
             "phases": [{"when": "running", "watts": 8}], "price": 40, "weight_kg": 1}],
          "converters": [{"id": "inverter", "label": "Inverter", "kind": "inverter",
              "input": {"current": "dc"}, "price": 150, "weight_kg": 4,
            "outputs": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230,
                "waveform": "stepped"}}], "loss": {"idle_w": 10, "proportional": 0.1}}],
          "sources": [{"id": "bank", "label": "Bank", "kind": "battery", "price": 600,
              "weight_kg": 25,
            "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 200},
                "inputs": [{"id": "wall", "kind": "mains", "max_w": 400, "efficiency": 0.9}],
            "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}]},
        "arrangements": [
            {"id": "ac", "label": "With the cooler", "feeds": [{"from": bank, "to": "inverter"},
                {"from": {"item": "inverter", "port": "out"}, "to": "cooler"}]},
            {"id": "dc", "label": "With fans", "feeds": [{"from": bank, "to": "fans"},
                {"from": bank, "to": "pump"}]}],
        "outages": [{"id": "o", "label": "O", "start": "2026-07-10T12:00", "hours": 24}]})
}

fn both(plan: &Plan) -> [&ash_pond_core::site::plan::Arrangement; 2] {
    ["ac", "dc"].map(|id| plan.arrangement(id).unwrap())
}

#[test]
fn two_ways_to_the_same_cooling_are_compared_with_their_money() {
    let plan = read(&cooling());
    let found = compare(&plan, &both(&plan), &Charge::full(), None).unwrap();
    // Drawn: 24 · (10 + 1.1 · 0.3 · 500) against 24 · (2 · 6 + 8).
    let (ac, dc) = (24.0 * (10.0 + 1.1 * 150.0), 24.0 * 20.0);
    assert!(
        close(found.ways[0].usage.drawn_wh, ac, 1e-6)
            && close(found.ways[1].usage.drawn_wh, dc, 1e-6)
    );
    let change = &found.changes[0];
    assert_eq!(
        (change.from.as_str(), change.to.as_str(), change.pays),
        ("ac", "dc", Pays::Back)
    );
    // Two fans and a pump are to be bought; the bank is there.
    assert!(close(change.costs.unwrap(), 2.0 * 25.0 + 40.0, 1e-9));
    assert_eq!(change.buys, ["fans", "pump"]);
    let charge = ash_pond_core::site::chemistry::find("lfp")
        .unwrap()
        .charge_efficiency;
    let saves = (ac - dc) / (charge * 0.9);
    assert!(close(change.saves_wh_day, saves, 1e-6));
    assert!(close(
        change.saves_a_year.unwrap(),
        saves * 365.25 / 1000.0 * 0.4,
        1e-6
    ));
    assert!(close(
        change.pays_back_years.unwrap(),
        90.0 / (saves * 365.25 / 1000.0 * 0.4),
        1e-6
    ));
    assert!(
        change
            .sentence
            .plain()
            .contains("90 EUR to buy, paid back after "),
        "{}",
        change.sentence.plain()
    );
    // Sources count, and devices; what is owned is not bought.
    assert!(close(
        found.ways[0].parts.all_price.unwrap(),
        300.0 + 150.0 + 600.0,
        1e-9
    ));
    assert!(close(
        found.ways[0].parts.all_weight_kg.unwrap(),
        20.0 + 4.0 + 25.0,
        1e-9
    ));
    assert_eq!(found.ways[0].parts.buy_price, Some(0.0));
    assert_eq!(found.ways[1].parts.to_buy, ["Fans", "Mist pump"]);
    let usable = found.ways[1].usable_wh;
    assert!(close(
        found.ways[1].usable_wh_per_kg.unwrap(),
        usable / 25.0,
        1e-9
    ));
    assert!(close(
        found.ways[1].price_per_usable_kwh.unwrap(),
        600.0 / usable * 1000.0,
        1e-9
    ));
    let best = found
        .best
        .iter()
        .find(|it| it.aspect == Aspect::WholePrice)
        .unwrap();
    assert!(
        best.sentence.plain().contains("90 EUR of it to be bought"),
        "{}",
        best.sentence.plain()
    );
    // The same over an outage.
    let storm = compare(&plan, &both(&plan), &Charge::full(), Some(&plan.outages[0])).unwrap();
    assert!(close(storm.changes[0].saves_wh_day, saves, 1e-6));
}

#[test]
fn what_is_not_one_need_is_not_compared_and_what_is_not_stated_is_said() {
    let mut site = cooling();
    site["kit"]["devices"][2]["service"] = json!("watering");
    let plan = read(&site);
    let why = compare(&plan, &both(&plan), &Charge::full(), None).unwrap_err();
    assert!(
        why.message
            .contains("nothing in \"ac\" does what Mist pump does"),
        "{why}"
    );
    let mut site = cooling();
    site["kit"]["devices"][1]
        .as_object_mut()
        .unwrap()
        .remove("price");
    let plan = read(&site);
    let change = compare(&plan, &both(&plan), &Charge::full(), None)
        .unwrap()
        .changes
        .remove(0);
    assert_eq!(
        (change.pays, change.pays_back_years, change.costs),
        (Pays::Unknown, None, None)
    );
    assert!(
        change
            .sentence
            .plain()
            .contains("what Fans and Mist pump costs is not stated"),
        "{}",
        change.sentence.plain()
    );
    // What is owned costs nothing to change to.
    let mut site = cooling();
    for device in site["kit"]["devices"].as_array_mut().unwrap() {
        device.as_object_mut().unwrap().remove("owned");
    }
    let plan = read(&site);
    let change = compare(&plan, &both(&plan), &Charge::full(), None)
        .unwrap()
        .changes
        .remove(0);
    assert_eq!((change.pays, change.costs), (Pays::AtOnce, Some(0.0)));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn payback_falls_as_the_price_rises(low in 0.05..1.0_f64, more in 1.01..4.0_f64,
        cost in 1.0..500.0_f64) {
        let with = |per_kwh: f64| {
            let mut site = cooling();
            site["site"]["energy_price"]["per_kwh"] = json!(per_kwh);
            site["kit"]["devices"][2]["price"] = json!(cost);
            let plan = read(&site);
            compare(&plan, &both(&plan), &Charge::full(), None).unwrap().changes.remove(0)
        };
        let (one, other) = (with(low), with(low * more));
        prop_assert!(other.pays_back_years.unwrap() < one.pays_back_years.unwrap());
        prop_assert!(close(other.saves_a_year.unwrap(), one.saves_a_year.unwrap() * more, 1e-9));
    }
}

#[test]
fn watts_by_wave_count_on_a_stepped_outlet_only() {
    let mut site = cooling();
    site["kit"]["devices"][0]["cycle"] = json!({"kind": "continuous"});
    site["kit"]["devices"][0]["input"]["stepped_watts_factor"] = json!(1.2);
    let drawn = |site: &Value| {
        let plan = read(site);
        let way = plan.arrangement("ac").unwrap();
        let at = evaluate(&plan, way, &Moment::Running, &Charge::full())
            .unwrap()
            .devices["cooler"]
            .watts;
        let a_day = day(&plan, way, &Charge::full()).devices["cooler"];
        let outage = simulate(&plan, way, &plan.outages[0], None).devices["cooler"].clone();
        [at, a_day / 24.0, outage.wh / outage.up_h]
    };
    for watts in drawn(&site) {
        assert!(close(watts, 600.0, 1e-6), "{watts}");
    }
    site["kit"]["converters"][0]["outputs"][0]["voltage"] =
        json!({"ac_v": 230, "waveform": "sine"});
    for watts in drawn(&site) {
        assert!(close(watts, 500.0, 1e-6), "{watts}");
    }
    site["kit"]["devices"][0]["input"]["stepped_watts_factor"] = json!(0);
    let why = Plan::from_value(&site).unwrap_err().to_string();
    assert!(
        why.starts_with("kit.devices[0].input.stepped_watts_factor: "),
        "{why}"
    );
}
