//! Outages that have an answer in closed form, over all their figures.

use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{Doing, Simulation, simulate};
use proptest::prelude::*;
use serde_json::{Value, json};

/// One device on one source.
fn site(source: &Value, device: &Value, outage: &Value) -> Value {
    json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice"},
        "kit": {"devices": [device], "sources": [source], "converters": []},
        "arrangements": [{"id": "way", "label": "Way", "feeds": [{"from": {"item": source["id"],
            "port": "out"}, "to": device["id"]}]}],
        "outages": [outage]})
}

fn run(plan: &Value) -> Simulation {
    let plan = Plan::from_value(plan).unwrap();
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    let it = found.energy;
    let out = it.delivered_wh + it.charging_wh + it.conversion_wh + it.idle_wh + it.cables_wh;
    assert!(
        (out - it.drawn_wh).abs() <= 1e-6 * it.drawn_wh.max(1.0),
        "{it:?}"
    );
    found
}

fn near(a: f64, b: f64, share: f64) {
    assert!(
        (a - b).abs() <= share * b.abs().max(1e-6),
        "{a} instead of {b}"
    );
}

/// A store of energy behind an outlet with a loss.
fn station(energy_wh: f64, loss: [f64; 3]) -> Value {
    json!({"id": "station", "label": "Station", "kind": "power_station",
        "battery": {"chemistry": "lfp", "energy_wh": energy_wh, "floor_soc": 0.1},
        "ports": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230},
            "loss": {"idle_w": loss[0], "proportional": loss[1], "quadratic_per_w": loss[2]}}]})
}

fn pump(watts: f64) -> Value {
    json!({"id": "pump", "label": "Pump", "input": {"current": "ac", "rated_v": 230},
        "phases": [{"when": "running", "watts": watts}]})
}

fn cut(hours: f64, celsius: f64) -> Value {
    json!({"id": "cut", "label": "Cut", "start": "2026-01-14T12:00", "hours": hours,
        "ambient_c": celsius})
}

/// A bare sealed lead bank of six cells without a resistance, and a lamp whose current is the same
/// at any voltage.
fn lead(amps: f64, capacity_ah: f64, floor: f64) -> Value {
    let bank = json!({"id": "bank", "label": "Bank", "kind": "battery",
        "battery": {"chemistry": "agm", "cells": 6, "capacity_ah": capacity_ah, "internal_ohm": 0,
            "floor_soc": floor},
        "ports": [{"id": "out", "current": "dc", "voltage": {"follows": true}}]});
    let lamp = json!({"id": "lamp", "label": "Lamp", "draw": "current", "input": {"current": "dc",
        "rated_v": 12},
        "phases": [{"when": "running", "watts": 12.0 * amps}]});
    site(&bank, &lamp, &cut(2000.0, 25.0))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40,
        rng_seed: proptest::test_runner::RngSeed::Fixed(5), ..ProptestConfig::default() })]

    /// t = E·f(T)·(1 − floor)/(idle + (1 + k)·P + q·P²)
    #[test]
    fn a_store_of_energy_lasts_what_is_in_it_over_what_is_drawn(
        energy in 80.0_f64..2000.0, watts in 2.0_f64..200.0, idle in 0.0_f64..15.0,
            part in 0.0_f64..0.2, square in 0.0_f64..4e-4,
        cold in 0.0_f64..1.0,
    ) {
        let celsius = -20.0 + 45.0 * cold;
        let drawn = idle + watts * (1.0 + part) + square * watts * watts;
        // Between the points of the chemistry: −20 °C 0.60, −10 0.77, 0 0.90, 10 0.96, 25 1.
        let points = [(-20.0, 0.60), (-10.0, 0.77), (0.0, 0.90), (10.0, 0.96), (25.0, 1.0)];
        let pair = points.windows(2).find(|it| celsius <= it[1].0).unwrap();
        let left = pair[0].1 + (pair[1].1 - pair[0].1) * (celsius - pair[0].0) / (pair[1].0 - pair[0].0);
        let hours = energy * left * 0.9 / drawn;
        prop_assume!(hours < 2000.0);
        let mut plan = site(&station(energy, [idle, part, square]), &pump(watts), &cut(2000.0,
            celsius));
        let found = run(&plan);
        near(found.devices["pump"].down_at_h.unwrap(), hours, 1e-4);
        near(found.energy.drawn_wh, hours * drawn, 1e-4);
        near(found.energy.idle_wh, hours * idle, 1e-3);
        near(found.energy.conversion_wh, hours * (part * watts + square * watts * watts), 1e-3);
        near(found.sources["station"].end_soc, 0.1, 1e-4);
        // With everything used, a tenth more of the whole.
        plan["outages"][0]["use_everything"] = json!(true);
        near(run(&plan).devices["pump"].down_at_h.unwrap(), hours / 0.9, 1e-4);
    }

    /// Above C/20 h the charge that counts is I·(I/I₂₀)^(k−1), below it is I.
    #[test]
    fn lead_gives_less_of_its_charge_the_faster_it_is_taken(capacity in 20.0_f64..200.0,
        times in 0.2_f64..6.0) {
        let rated = capacity / 20.0;
        let amps = rated * times;
        let counts = if times > 1.0 { amps * times.powf(0.12) } else { amps };
        let found = run(&lead(amps, capacity, 0.5));
        near(found.devices["lamp"].down_at_h.unwrap(), capacity * 0.5 / counts, 2e-4);
    }

    /// With a constant current behind a resistance the cut-off comes where the curve stands at U +
    /// I·R.
    #[test]
    fn the_cut_off_comes_where_the_resting_voltage_is_that_of_the_load_above_it(
        ohms in 0.005_f64..0.08, amps in 1.0_f64..8.0, from in 0.8_f64..1.0,
    ) {
        let mut plan = lead(amps, 160.0, 0.0);
        plan["kit"]["sources"][0]["battery"]["internal_ohm"] = json!(ohms);
        // Between 0.25 and 0.5 of the charge a cell rests at 1.997 to 2.047 V.
        let soc = 0.4;
        let rests = 6.0 * (1.997 + (2.047 - 1.997) * (soc - 0.25) / 0.25);
        plan["kit"]["sources"][0]["battery"]["cut_off_v"] = json!(rests - amps * ohms);
        plan["outages"][0]["initial_soc"] = json!({"bank": from});
        // The lamp's current is that of its power at 12 V, whatever the voltage.
        let found = run(&plan);
        near(found.devices["lamp"].down_at_h.unwrap(), (from - soc) * 160.0 / amps, 1e-3);
        prop_assert_eq!(found.devices["lamp"].why.as_deref(), Some("cut-off"));
        near(found.sources["bank"].end_soc, soc, 1e-3);
    }

    /// Full acceptance up to 0.95, then a line to a tenth at 1: s' = a·(1 − 18·(s − 0.95)), an
    /// exponential.
    #[test]
    fn a_charge_tapers_off_along_its_exponential(watts in 20.0_f64..120.0, hours in 0.5_f64..4.0,
        energy in 300.0_f64..900.0) {
        let mut outage = cut(hours, 25.0);
        outage["initial_soc"] = json!({"station": 0.6});
        outage["charging"] = json!([{"source": "station", "from_h": 0, "to_h": hours,
            "watts": watts}]);
        let found = run(&site(&station(energy, [0.0; 3]), &pump(1e-9), &outage));
        let rate = watts * 0.98 / energy;
        let straight = 0.35 / rate;
        let expected = if hours <= straight {
            0.6 + rate * hours
        } else {
            let after = hours - straight;
            (0.95 + (1.0 - (-18.0 * rate * after).exp()) / 18.0).min(1.0)
        };
        near(found.sources["station"].end_soc, expected, 3e-3);
    }

    /// On for a share of every period from the start on.
    #[test]
    fn a_thermostat_is_on_for_its_share(share in 0.05_f64..0.95, period in 300.0_f64..5400.0,
        turns in 3_u32..40) {
        let mut device = pump(40.0);
        device["cycle"] = json!({"kind": "thermostat", "on_fraction": share, "period_s": period});
        let hours = f64::from(turns) * period / 3600.0;
        let found = run(&site(&station(9000.0, [0.0; 3]), &device, &cut(hours, 25.0)));
        near(found.devices["pump"].up_h, hours * share, 1e-5);
        near(found.devices["pump"].wh, 40.0 * hours * share, 1e-5);
        prop_assert_eq!(found.devices["pump"].losses, 0);
    }

    /// From an hour of the clock to another, over midnight as well.
    #[test]
    fn hours_of_the_clock_add_up_over_midnight(from in 0_u32..24, long in 1_u32..24,
        days in 1_u32..5) {
        let to = (from + long) % 24;
        let mut device = pump(25.0);
        device["cycle"] = json!({"kind": "hours", "from": format!("{from:02}:00"),
            "to": format!("{to:02}:00")});
        let found = run(&site(&station(9000.0, [0.0; 3]), &device, &cut(24.0 * f64::from(days),
            25.0)));
        near(found.devices["pump"].up_h, f64::from(long * days), 1e-6);
    }
}

#[test]
fn below_its_least_temperature_a_store_takes_nothing() {
    let outage = |celsius: f64| {
        let mut it = cut(3.0, celsius);
        it["initial_soc"] = json!({"station": 0.5});
        it["charging"] = json!([{"source": "station", "from_h": 0, "to_h": 3, "watts": 50}]);
        it
    };
    let end = |celsius: f64| {
        run(&site(
            &station(500.0, [0.0; 3]),
            &pump(1e-9),
            &outage(celsius),
        ))
        .sources["station"]
            .end_soc
    };
    near(end(-0.1), 0.5, 1e-6);
    near(end(25.0), 0.5 + 150.0 * 0.98 / 500.0, 1e-4);
}

#[test]
fn a_port_that_is_below_its_threshold_for_long_enough_stays_off_until_a_person_acts() {
    let mut source = station(2000.0, [2.0, 0.05, 0.0]);
    source["ports"][0]["auto_off"] = json!({"below_w": 5, "after_s": 5400});
    let mut lamp = pump(30.0);
    lamp["cycle"] = json!({"kind": "hours", "from": "06:00", "to": "22:00"});
    let found = run(&site(&source, &lamp, &cut(30.0, 25.0)));
    let it = &found.devices["pump"];
    // Off at ten in the evening, the port an hour and a half later; in the morning nothing comes.
    near(it.down_at_h.unwrap(), 11.5, 1e-6);
    assert_eq!(it.why.as_deref(), Some("auto-off"));
    near(it.up_h, 10.0, 1e-6);
    // A base load keeps it awake.
    source["ports"][0]["auto_off"]["below_w"] = json!(0);
    near(
        run(&site(&source, &lamp, &cut(30.0, 25.0))).devices["pump"].up_h,
        22.0,
        1e-6,
    );
}

#[test]
fn what_was_off_for_too_long_is_looked_at_before_it_starts_again() {
    // Mains comes back after `back` hours; the outlet gives nothing meanwhile.
    let plan = |back: f64, then: Option<&str>| {
        let wall = json!({"id": "wall", "label": "Wall", "kind": "mains",
            "ports": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}]});
        let mut box_ = pump(45.0);
        box_["after_loss"] = json!({"kind": "restarts", "seconds": 60});
        box_["deadline"] = json!({"minutes": 90, "consequence": "the medicine warms up"});
        if let Some(then) = then {
            box_["deadline"]["then"] = json!(then);
        }
        let mut outage = cut(8.0, 20.0);
        outage["mains"] = json!([{"from_h": 0, "to_h": back, "state": "out"}, {"from_h": back,
            "to_h": 8, "state": "on"}]);
        run(&site(&wall, &box_, &outage))
    };
    let in_time = plan(1.4, Some("inspect-before-restart"));
    assert_eq!(in_time.devices["pump"].deadline_missed_h, None);
    near(
        in_time.devices["pump"].up_h,
        8.0 - 1.4 - 60.0 / 3600.0,
        1e-4,
    );
    let late = plan(2.0, Some("inspect-before-restart"));
    near(late.devices["pump"].deadline_missed_h.unwrap(), 1.5, 1e-6);
    near(late.devices["pump"].up_h, 0.0, 1e-9);
    assert_eq!(
        late.devices["pump"].spans.last().unwrap().state,
        Doing::Inspect
    );
    let told = late
        .events
        .iter()
        .find(|it| it.what == "deadline passed")
        .unwrap();
    assert_eq!(told.cause, ["the medicine warms up"]);
    // Where nobody has to look, it starts by itself.
    near(
        plan(2.0, None).devices["pump"].up_h,
        6.0 - 60.0 / 3600.0,
        1e-4,
    );
}

#[test]
fn a_rule_drops_at_its_charge_and_another_holds_back_while_one_starts() {
    let mut plan = site(&station(600.0, [0.0; 3]), &pump(60.0), &cut(24.0, 25.0));
    let mut lamp = pump(30.0);
    lamp["id"] = json!("lamp");
    lamp["label"] = json!("Lamp");
    plan["kit"]["devices"].as_array_mut().unwrap().push(lamp);
    plan["arrangements"][0]["feeds"]
        .as_array_mut()
        .unwrap()
        .push(json!({"from": {"item": "station", "port": "out"}, "to": "lamp"}));
    let mut dropped = plan.clone();
    dropped["outages"][0]["rules"] =
        json!([{"kind": "shed", "device": "lamp", "source": "station", "below_soc": 0.4}]);
    let found = run(&dropped);
    // 90 W down to 0.4, then 60 W down to 0.1.
    near(
        found.devices["lamp"].down_at_h.unwrap(),
        0.6 * 600.0 / 90.0,
        1e-4,
    );
    near(
        found.devices["pump"].down_at_h.unwrap(),
        0.6 * 600.0 / 90.0 + 0.3 * 600.0 / 60.0,
        1e-4,
    );
    assert_eq!(found.devices["lamp"].why.as_deref(), Some("shed by rule"));
    // The pump goes by the clock and takes five minutes to start; the lamp waits for that.
    plan["kit"]["devices"][0]["phases"]
        .as_array_mut()
        .unwrap()
        .push(json!({"when": "starting", "watts": 90, "seconds": 300}));
    plan["kit"]["devices"][0]["cycle"] = json!({"kind": "hours", "from": "13:00", "to": "14:00"});
    plan["outages"][0]["rules"] =
        json!([{"kind": "hold", "device": "lamp", "while_starting": "pump"}]);
    plan["outages"][0]["hours"] = json!(3);
    let found = run(&plan);
    near(found.devices["lamp"].up_h, 3.0 - 300.0 / 3600.0, 1e-5);
    assert_eq!(
        (
            found.devices["lamp"].losses,
            found.devices["lamp"].down_at_h
        ),
        (0, None)
    );
    let held = found.devices["lamp"]
        .spans
        .iter()
        .find(|it| it.state == Doing::Held)
        .unwrap();
    near(held.from_h, 1.0, 1e-6);
    near(held.to_h, 1.0 + 300.0 / 3600.0, 1e-6);
    near(
        found.devices["pump"].wh,
        90.0 / 12.0 + 60.0 * 11.0 / 12.0,
        1e-4,
    );
}
