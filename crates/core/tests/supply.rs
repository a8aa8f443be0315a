//! What stores give and outlets cost, worked by hand.

mod common;

use ash_pond_core::figure::Basis;
use ash_pond_core::plan::Plan;
use ash_pond_core::supply::{Supply, supply};
use common::close;
use serde_json::json;

fn demo() -> Supply {
    supply(&Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap())
}

#[test]
fn a_store_of_energy_is_its_label_less_cold_and_floor() {
    let plan = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S", "ambient_c": 25}, "kit": {"sources": [
        {"id": "box", "label": "Box", "kind": "power_station", "battery": {"chemistry": "lfp", "energy_wh": {"value": 500, "basis": "label"}, "floor_soc": 0.2},
         "ports": [{"id": "socket", "label": "12 V socket", "current": "dc", "voltage": {"regulated_v": 13}, "loss": {"idle_w": 2}, "limit": {"continuous_a": 10}, "group": "dc"},
                   {"id": "usb", "current": "dc", "voltage": {"offers_v": [5, 20]}}],
         "groups": [{"id": "dc", "limit": {"continuous_w": 100, "overload": [{"up_to_w": 120}]}}],
         "inputs": [{"id": "wall", "kind": "mains", "max_w": 200, "efficiency": 0.8}, {"id": "dc", "kind": "dc"}]}]}}))
    .unwrap();
    let found = supply(&plan);
    let store = found.sources[0].stored.as_ref().unwrap();
    assert!(close(store.usable_wh, 400.0, 1e-9) && close(store.share, 0.8, 1e-12) && store.basis == Basis::Label);
    let steps: f64 = store.steps.iter().map(|it| it.wh).sum();
    assert!(close(store.nominal_wh + steps, store.usable_wh, 1e-9));
    let socket = &found.sources[0].ports[0];
    // 2 W are 48 Wh a day, twelve hundredths of what it gives.
    assert!(close(socket.idle_day_wh.unwrap(), 48.0, 1e-12) && close(socket.share_of_store.unwrap(), 0.12, 1e-9));
    let limits: Vec<_> = socket.limits.iter().map(|it| (it.unit, it.continuous, it.group.as_deref())).collect();
    assert_eq!(limits, [("A", 10.0, None), ("W", 100.0, Some("dc"))]);
    assert_eq!(socket.unknown, ["for how long it carries its peak"]);
    let usb = &found.sources[0].ports[1];
    assert_eq!((usb.gives.as_str(), usb.idle_w), ("5, 20 V DC, as asked", None));
    assert_eq!(usb.unknown, ["what it costs to be on", "its limit"]);
    let efficiency = ash_pond_core::chemistry::find("lfp").unwrap().charge_efficiency;
    let wall = &found.sources[0].inputs[0];
    // 200 W store 160 W and a little less: 300 Wh for 60 %.
    assert!(close(wall.to_80_h.unwrap(), 300.0 / (160.0 * efficiency), 1e-9));
    let slow = 25.0 / (160.0 * efficiency) * 10.0_f64.ln() / 0.9;
    assert!(close(wall.to_full_h.unwrap(), 475.0 / (160.0 * efficiency) + slow, 1e-9));
    assert_eq!(found.sources[0].inputs[1].to_full_h, None);
    assert_eq!(
        found.headline,
        "One store gives 400 Wh of the 500 Wh on their labels; Box, 12 V socket takes 48 Wh a day just to be on."
    );
}

#[test]
fn a_bank_is_integrated_over_its_discharge_curve() {
    let found = demo();
    let bank = found.sources[0].stored.as_ref().unwrap();
    assert!(close(bank.nominal_wh, 1280.0, 1e-9), "{}", bank.nominal_wh);
    let names: Vec<_> = bank.steps.iter().map(|it| it.name.as_str()).collect();
    assert_eq!(names, ["discharge curve", "temperature", "floor"]);
    let steps: f64 = bank.steps.iter().map(|it| it.wh).sum();
    assert!(close(bank.nominal_wh + steps, bank.usable_wh, 1e-9));
    // Ninety of a hundred ampere-hours, 13.1 to 13.3 V on average, of what is left at 12 °C.
    let share = ash_pond_core::chemistry::find("lfp").unwrap().capacity_share(12.0);
    let volts = bank.usable_wh / (90.0 * share);
    assert!((13.0..13.4).contains(&volts), "{volts}");
    // Bare studs cost nothing to be on, and have no limit that is missing.
    let studs = &found.sources[0].ports[0];
    assert_eq!((studs.idle_w, studs.unknown.len()), (Some(0.0), 0));
}

#[test]
fn a_converter_tells_its_curve_and_what_it_really_carries() {
    let found = demo();
    let inverter = found.converters.iter().find(|it| it.converter == "small-inverter").unwrap();
    assert_eq!(inverter.idle_day_wh.map(f64::round), Some(190.0));
    let (first, last) = (inverter.curve[0], inverter.curve[24]);
    assert!(close(first.in_w, 7.9, 1e-12) && close(last.out_w, 180.0, 1e-12));
    assert!(close(last.in_w, 180.0 * 1.06 + 7.9 + 0.0002 * 180.0 * 180.0, 1e-9));
    let camera = inverter.carries.iter().find(|it| it.arrangement == "camera-inverter").unwrap();
    assert!(camera.efficiency.unwrap() < 0.5 && camera.out_w < 8.0);
    assert_eq!(inverter.unknown, ["for how long it carries its peak"]);
    assert!(found.converters.iter().all(|it| it.converter != "block"), "junctions convert nothing");
    assert!(supply(&Plan::empty("Nothing")).headline.starts_with("Nothing is entered"));
}
