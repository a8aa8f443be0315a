//! What stores give and outlets cost, worked by hand.

// Values that were typed come back as they were typed, to the last bit.
#![allow(clippy::float_cmp)]

use crate::common;

use ash_pond_core::advice::supply::{Supply, supply};
use ash_pond_core::ground::figure::Basis;
use ash_pond_core::site::plan::Plan;
use common::close;
use serde_json::json;

fn demo() -> Supply {
    supply(&Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap())
}

#[test]
fn a_store_of_energy_is_its_label_less_cold_and_floor() {
    let plan = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "S", "ambient_c": 25}, "kit": {"sources": [
        {"id": "box", "label": "Box", "kind": "power_station", "battery": {"chemistry": "lfp",
            "energy_wh": {"value": 500, "basis": "label"}, "floor_soc": 0.2},
         "ports": [{"id": "socket", "label": "12 V socket", "current": "dc",
             "voltage": {"regulated_v": 13}, "loss": {"idle_w": 2}, "limit": {"continuous_a": 10},
             "group": "dc"},
                   {"id": "usb", "current": "dc", "voltage": {"offers_v": [5, 20]}}],
         "groups": [{"id": "dc", "limit": {"continuous_w": 100, "overload": [{"up_to_w": 120}]}}],
         "inputs": [{"id": "wall", "kind": "mains", "max_w": 200, "efficiency": 0.8}, {"id": "dc",
             "kind": "dc"}]}]}}))
    .unwrap();
    let found = supply(&plan);
    let store = found.sources[0].stored.as_ref().unwrap();
    assert!(
        close(store.usable_wh, 400.0, 1e-9)
            && close(store.share, 0.8, 1e-12)
            && store.basis == Basis::Label
    );
    let steps: f64 = store.steps.iter().map(|it| it.wh).sum();
    assert!(close(store.nominal_wh + steps, store.usable_wh, 1e-9));
    let socket = &found.sources[0].ports[0];
    // 2 W are 48 Wh a day, twelve hundredths of what it gives.
    assert!(
        close(socket.idle_day_wh.unwrap(), 48.0, 1e-12)
            && close(socket.share_of_store.unwrap(), 0.12, 1e-9)
    );
    let limits: Vec<_> = socket
        .limits
        .iter()
        .map(|it| (it.unit, it.continuous, it.group.as_deref()))
        .collect();
    assert_eq!(limits, [("A", 10.0, None), ("W", 100.0, Some("dc"))]);
    assert_eq!(socket.unknown, ["for how long it carries its peak"]);
    let usb = &found.sources[0].ports[1];
    assert_eq!(
        (&*usb.gives.plain(), usb.idle_w),
        ("5, 20 V DC, as asked", None)
    );
    assert_eq!(usb.unknown, ["what it costs to be on", "its limit"]);
    let efficiency = ash_pond_core::site::chemistry::find("lfp")
        .unwrap()
        .charge_efficiency;
    let wall = &found.sources[0].inputs[0];
    // 200 W store 160 W and a little less: 300 Wh for 60 %.
    assert!(close(
        wall.to_80_h.unwrap(),
        300.0 / (160.0 * efficiency),
        1e-9
    ));
    let slow = 25.0 / (160.0 * efficiency) * 10.0_f64.ln() / 0.9;
    assert!(close(
        wall.to_full_h.unwrap(),
        475.0 / (160.0 * efficiency) + slow,
        1e-9
    ));
    assert_eq!(found.sources[0].inputs[1].to_full_h, None);
    assert_eq!(
        found.headline,
        "One store gives 400 Wh of the 500 Wh on its label; Box, 12 V socket takes 48 Wh a day \
        just to be on."
    );
}

#[test]
fn before_anything_is_connected_the_answer_is_an_upper_bound() {
    // 20 W are 480 Wh a day; 60 Ah of lead, a half of it spared, are some 365 Wh.
    let found = supply(&lead(20.0, 1.0, 0.5));
    let usable = found.sources[0].stored.as_ref().unwrap().usable_wh;
    let words = found.enough.unwrap();
    assert!(
        words.contains("takes 480 Wh a day at the devices"),
        "{words}"
    );
    assert!(
        words.contains(&format!("the store lasts {:.0} h at most", usable / 20.0)),
        "{words} {usable}"
    );
    assert_eq!(supply(&Plan::empty("Nothing")).enough, None);
}

#[test]
fn a_bank_is_integrated_over_its_discharge_curve() {
    let found = demo();
    let bank = found.sources[0].stored.as_ref().unwrap();
    assert!(close(bank.nominal_wh, 1280.0, 1e-9), "{}", bank.nominal_wh);
    let names: Vec<_> = bank.steps.iter().map(|it| it.name.as_str()).collect();
    assert_eq!(
        names,
        [
            "discharge curve",
            "temperature",
            "floor",
            "rate",
            "gives up first"
        ]
    );
    let steps: f64 = bank.steps.iter().map(|it| it.wh).sum();
    assert!(close(bank.nominal_wh + steps, bank.usable_wh, 1e-9));
    // Ninety of a hundred ampere-hours, 13.1 to 13.3 V on average, of what is left at 12 °C.
    let share = ash_pond_core::site::chemistry::find("lfp")
        .unwrap()
        .capacity_share(12.0);
    let volts = bank.usable_wh / (90.0 * share);
    assert!((13.0..13.4).contains(&volts), "{volts}");
    // Bare studs cost nothing to be on, and have no limit that is missing.
    let studs = &found.sources[0].ports[0];
    assert_eq!((studs.idle_w, studs.unknown.len()), (Some(0.0), 0));
}

/// A lead bank of 60 Ah over twenty hours, at 20 °C, with a load of `watts` and a cut-off.
fn lead(watts: f64, cut_off_v: f64, floor: f64) -> Plan {
    Plan::from_value(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S",
        "ambient_c": 25}, "kit": {
        "devices": [{"id": "pump", "label": "Pump", "input": {"current": "dc", "rated_v": 12},
            "phases": [{"when": "running", "watts": watts}]}],
        "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
            "battery": {"chemistry": "agm", "cells": 6, "capacity_ah": 60, "rated_hours": 20,
                "cut_off_v": cut_off_v, "floor_soc": floor},
            "ports": [{"id": "posts", "current": "dc", "voltage": {"follows": true}}]}]},
        "arrangements": [{"id": "a", "label": "Straight", "feeds": [{"from": {"item": "bank",
            "port": "posts"}, "to": "pump", "fuse": {"rating_a": 10}}]}]}),
    )
    .unwrap()
}

#[test]
fn a_high_rate_takes_from_lead_what_peukert_says_and_a_low_one_nothing() {
    // 3 A are what it is rated at.
    let store = |watts: f64| {
        supply(&lead(watts, 1.0, 0.5)).sources[0]
            .stored
            .clone()
            .unwrap()
    };
    let (slow, fast) = (store(20.0), store(120.0));
    assert!(
        slow.steps[3].wh == 0.0 && slow.steps[3].words.contains("within the 3 A"),
        "{:?}",
        slow.steps[3]
    );
    let agm = ash_pond_core::site::chemistry::find("agm").unwrap();
    let amps = 120.0 / (agm.cell_v(0.5) * 6.0);
    let left = (3.0 / amps).powf(agm.peukert - 1.0);
    assert!(
        close(fast.usable_wh / slow.usable_wh, left, 1e-6),
        "{} {left}",
        fast.usable_wh / slow.usable_wh
    );
    assert!(
        fast.steps[3].words.contains("above the 3 A"),
        "{}",
        fast.steps[3].words
    );
    assert_eq!(fast.used_in.as_deref(), Some("a"));
}

#[test]
fn what_gives_up_above_the_floor_keeps_the_rest_to_itself() {
    let agm = ash_pond_core::site::chemistry::find("agm").unwrap();
    let at_60 = agm.cell_v(0.6) * 6.0;
    let store = |cut_off_v: f64| {
        supply(&lead(20.0, cut_off_v, 0.2)).sources[0]
            .stored
            .clone()
            .unwrap()
    };
    let (whole, cut) = (store(1.0), store(at_60));
    assert!(
        whole.steps[4].wh == 0.0 && whole.steps[4].words.starts_with("nothing before the floor"),
        "{:?}",
        whole.steps[4]
    );
    assert!(
        cut.steps[4].words.starts_with("Bank cuts off at 60 %"),
        "{}",
        cut.steps[4].words
    );
    // Forty of eighty hundredths, and those at the higher volts.
    let share = cut.usable_wh / whole.usable_wh;
    assert!((0.5..0.53).contains(&share), "{share}");
    let steps: f64 = cut.steps.iter().map(|it| it.wh).sum();
    assert!(close(cut.nominal_wh + steps, cut.usable_wh, 1e-9));
}

#[test]
fn an_outlet_is_a_gauge_board_with_the_marks_of_what_strains_it_most() {
    let found = demo();
    let station = found
        .sources
        .iter()
        .find(|it| it.source == "station")
        .unwrap();
    let socket = &station.ports[0];
    let own = &socket.limits[0];
    assert!(
        own.arrangement.is_some() && own.board.marks.len() > 1,
        "{own:?}"
    );
    assert_eq!(
        (own.board.limit, own.board.unit.as_str()),
        (own.continuous, own.unit)
    );
    assert!(own.board.marks.iter().all(|it| it.value >= 0.0));
    assert!(
        socket
            .limits
            .iter()
            .any(|it| it.group.as_deref() == Some("dc"))
    );
    // Alternating current is judged in volt-amperes.
    let inverter = found
        .converters
        .iter()
        .find(|it| it.converter == "big-inverter")
        .unwrap();
    let board = &inverter.limits[0].limit.board;
    assert!(
        board.unit == "VA" && board.marks.iter().any(|it| it.value > 80.0),
        "{board:?}"
    );
    let studs = &found.sources[0].ports[0];
    // Bare studs bear what the battery bears.
    assert_eq!((studs.limits.len(), studs.limits[0].continuous), (1, 100.0));
    assert!(studs.limits[0].arrangement.is_some());
}

#[test]
fn measured_points_carry_the_uncertainty_of_both_meters_and_mark_what_lies_outside() {
    let mut plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let figure = |value: f64, half: Option<f64>| {
        let mut it = ash_pond_core::ground::figure::Figure::assumed(value);
        it.plus_minus = half;
        it
    };
    let inverter = plan
        .kit
        .converters
        .iter_mut()
        .find(|it| it.id.as_str() == "small-inverter")
        .unwrap();
    let point = |out: f64, input: f64, half| ash_pond_core::site::plan::LossPoint {
        out_w: figure(out, half),
        in_w: figure(input, half),
    };
    inverter.loss.as_mut().unwrap().points =
        vec![point(40.0, 50.0, Some(1.0)), point(100.0, 120.0, None)];
    let found = supply(&plan);
    let inverter = found
        .converters
        .iter()
        .find(|it| it.converter == "small-inverter")
        .unwrap();
    assert_eq!(inverter.measured_w, Some([40.0, 100.0]));
    let first = &inverter.points[0];
    assert!(close(first.efficiency, 0.8, 1e-12));
    let half = 0.8 * ((1.0_f64 / 40.0).powi(2) + (1.0_f64 / 50.0).powi(2)).sqrt();
    assert!(
        close(first.plus_minus.unwrap(), half, 1e-12) && inverter.points[1].plus_minus.is_none()
    );
    let camera = inverter
        .carries
        .iter()
        .find(|it| it.arrangement == "camera-inverter")
        .unwrap();
    assert!(camera.outside, "7 W are not between 40 and 100");
    assert!(
        inverter
            .law
            .starts_with("7.9 W + 6 % of the load + 2 W at 100 W, with its square"),
        "{}",
        inverter.law
    );
    let thermal = inverter.thermal.as_ref().unwrap();
    assert!(
        thermal.contains("38 K warmer at full load") && thermal.contains("bears 75 °C"),
        "{thermal}"
    );
}

#[test]
fn an_input_says_what_it_takes_and_what_nobody_knows() {
    let found = demo();
    let station = found
        .sources
        .iter()
        .find(|it| it.source == "station")
        .unwrap();
    assert!(
        station.inputs[0].takes.starts_with("the mains"),
        "{}",
        station.inputs[0].takes
    );
    let plan = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "S", "ambient_c": 2}, "kit": {"sources": [
        {"id": "box", "label": "Box", "kind": "power_station", "battery": {"chemistry": "lfp",
            "energy_wh": 500}, "ports": [],
         "inputs": [{"id": "panel", "kind": "dc", "min_v": 11, "max_v": 30, "efficiency": 0.9,
             "bands": [{"from_v": 11, "max_a": 8}, {"from_v": 20, "max_a": 10}]},
                    {"id": "back", "kind": "dc"}]}]}}))
    .unwrap();
    let inputs = &supply(&plan).sources[0].inputs;
    assert_eq!(
        inputs[0].takes,
        "11 to 30 V, 8 A from 11 V, 10 A from 20 V; 90 % of it arrives; not below 0 °C: cold \
        charging ruins it"
    );
    assert_eq!(
        inputs[1].unknown,
        [
            "the most that it takes",
            "the volts that it bears",
            "what of it arrives"
        ]
    );
}

#[test]
fn a_converter_tells_its_curve_and_what_it_really_carries() {
    let found = demo();
    let inverter = found
        .converters
        .iter()
        .find(|it| it.converter == "small-inverter")
        .unwrap();
    assert_eq!(inverter.idle_day_wh.map(f64::round), Some(190.0));
    let (first, last) = (inverter.curve[0], inverter.curve[24]);
    assert!(close(first.in_w, 7.9, 1e-12) && close(last.out_w, 180.0, 1e-12));
    assert!(close(
        last.in_w,
        180.0 * 1.06 + 7.9 + 0.0002 * 180.0 * 180.0,
        1e-9
    ));
    let camera = inverter
        .carries
        .iter()
        .find(|it| it.arrangement == "camera-inverter")
        .unwrap();
    assert!(camera.efficiency.unwrap() < 0.5 && camera.out_w < 8.0);
    assert_eq!(inverter.unknown, ["for how long it carries its peak"]);
    assert_eq!(
        inverter.limits[0].limit.board.limit,
        inverter.limits[0].limit.continuous
    );
    assert!(
        found.converters.iter().all(|it| it.converter != "block"),
        "junctions convert nothing"
    );
    assert!(
        supply(&Plan::empty("Nothing"))
            .headline
            .starts_with("Nothing is entered")
    );
}
