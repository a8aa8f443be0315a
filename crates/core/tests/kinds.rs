//! The ready-made kinds: that they read, that they admit what nobody measured, and that they can be
//! used.

use ash_pond_core::limits::{Code, Status, mended};
use ash_pond_core::network::{Charge, evaluate, moments};
use ash_pond_core::site::kinds::{TEXT, kinds};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::site::plan::device::PhaseKind;
use serde_json::{Value, json};

fn plan() -> Plan {
    Plan::parse(TEXT).unwrap()
}

#[test]
fn the_kinds_are_in_canonical_form() {
    assert_eq!(plan().to_text(), TEXT);
}

#[test]
fn there_are_enough_of_each_and_each_says_what_to_measure_first() {
    let kit = kinds();
    assert!(kit.devices.len() >= 25 && kit.sources.len() >= 15 && kit.converters.len() >= 15);
    let devices = kit.devices.iter().map(|it| (&it.id, &it.note));
    let sources = kit.sources.iter().map(|it| (&it.id, &it.note));
    let converters = kit.converters.iter().map(|it| (&it.id, &it.note));
    for (id, note) in devices.chain(sources).chain(converters) {
        let note = note.as_deref().unwrap_or_default();
        assert!(
            note.contains("Measure first:"),
            "{id} does not say what to measure first"
        );
    }
}

/// Every figure of a tree that decides power, with its path.
fn figures(value: &Value, at: &str, found: &mut Vec<(String, Value)>) {
    const DECIDING: [&str; 11] = [
        "watts",
        "idle_w",
        "proportional",
        "continuous_w",
        "continuous_a",
        "capacity_ah",
        "energy_wh",
        "seconds",
        "up_to_w",
        "internal_ohm",
        "open_v",
    ];
    match value {
        Value::Object(map) => {
            for (key, inner) in map {
                if DECIDING.contains(&key.as_str()) {
                    found.push((format!("{at}.{key}"), inner.clone()));
                }
                figures(inner, &format!("{at}.{key}"), found);
            }
        }
        Value::Array(items) => {
            items
                .iter()
                .enumerate()
                .for_each(|(index, it)| figures(it, &format!("{at}[{index}]"), found));
        }
        _ => {}
    }
}

#[test]
fn figures_are_assumed_or_from_labels_and_wide() {
    let tree: Value = serde_json::from_str(TEXT).unwrap();
    let mut found = Vec::new();
    figures(&tree["kit"], "kit", &mut found);
    assert!(found.len() > 150, "only {} figures", found.len());
    for (at, figure) in found {
        let basis = figure
            .get("basis")
            .and_then(Value::as_str)
            .unwrap_or("assumed");
        assert!(["assumed", "label"].contains(&basis), "{at} is {basis}");
        let (value, half) = (
            figure["value"].as_f64().unwrap(),
            figure["plus_minus"].as_f64(),
        );
        assert!(
            half.is_some_and(|it| it >= 0.04 * value.abs()),
            "{at} is too sure of itself: {figure}"
        );
    }
}

#[test]
fn every_device_runs_from_some_source_that_fits_it() {
    let base = plan();
    for device in &base.kit.devices {
        // Straight off a port that gives what it is rated for.
        let (current, volts) = (device.input.current.word(), device.input.rated_v.get());
        let voltage = if current == "ac" {
            json!({"ac_v": volts})
        } else {
            json!({"regulated_v": volts})
        };
        let mut tree: Value = serde_json::from_str(TEXT).unwrap();
        tree["kit"]["sources"].as_array_mut().unwrap().push(
            json!({"id": "wanted", "label": "Wanted", "kind": "generator",
            "ports": [{"id": "out", "current": current, "voltage": voltage}]}),
        );
        tree["arrangements"] = json!([{"id": "a", "label": "A",
            "feeds": [{"from": {"item": "wanted", "port": "out"}, "to": device.id.as_str()}]}]);
        let plan = Plan::from_value(&tree).unwrap();
        let way = &plan.arrangements[0];
        for moment in moments(&plan, way) {
            let flow = evaluate(&plan, way, &moment, &Charge::full()).unwrap();
            assert!(
                flow.collapses.is_empty() && flow.totals.drawn_w > 0.0,
                "{} at {moment}",
                device.id
            );
        }
        let voltage = mended(&plan, way)
            .into_iter()
            .find(|it| it.code == Code::DeviceVoltage);
        assert!(
            voltage.is_none_or(|it| it.status < Status::Trips),
            "{} does not bear its own voltage",
            device.id
        );
    }
}

#[test]
fn every_converter_works_from_the_middle_of_its_window() {
    let base = plan();
    for converter in &base.kit.converters {
        let input = &converter.input;
        let edge = |it: &Option<
            ash_pond_core::ground::figure::Figure<ash_pond_core::ground::quantity::Volts>,
        >| { it.as_ref().map_or(12.0, |it| it.get()) };
        let (current, volts) = (
            input.current.word(),
            f64::midpoint(edge(&input.min_v), edge(&input.max_v)),
        );
        let voltage = if current == "ac" {
            json!({"ac_v": volts})
        } else {
            json!({"regulated_v": volts})
        };
        let out = &converter.outputs[0];
        let mut tree: Value = serde_json::from_str(TEXT).unwrap();
        tree["kit"]["sources"].as_array_mut().unwrap().push(
            json!({"id": "wanted", "label": "Wanted", "kind": "generator",
            "ports": [{"id": "out", "current": current, "voltage": voltage}]}),
        );
        tree["kit"]["devices"]
            .as_array_mut()
            .unwrap()
            .push(json!({"id": "load", "label": "Load",
            "input": {"current": out.current.word(),
                "rated_v": out.voltage.standing(None).unwrap_or(volts)},
                "phases": [{"when": "running", "watts": 5}]}));
        tree["arrangements"] = json!([{"id": "a", "label": "A", "feeds": [
            {"from": {"item": "wanted", "port": "out"}, "to": converter.id.as_str()},
            {"from": {"item": converter.id.as_str(), "port": out.id.as_str()}, "to": "load"}]}]);
        let plan = Plan::from_value(&tree).unwrap();
        let found = mended(&plan, &plan.arrangements[0]);
        let trips: Vec<_> = found
            .iter()
            .filter(|it| it.status == Status::Trips)
            .map(|it| &it.message)
            .collect();
        assert!(trips.is_empty(), "{}: {trips:?}", converter.id);
    }
}

/// Motors start with many times what they run with; an inverter gives up over its volt-amperes.
#[test]
fn motors_start_with_the_volt_amperes_that_such_motors_take() {
    let volt_amperes = |id: &str| {
        let device = kinds()
            .devices
            .iter()
            .find(|it| it.id.as_str() == id)
            .unwrap();
        let start = device.highest(PhaseKind::Starting).unwrap();
        assert_eq!(device.input.needs_sine, Some(true), "{id}");
        // A rotor that stands still takes volt-amperes, of which about half are watts.
        start.watts.get() / start.power_factor.as_ref().unwrap().get()
    };
    for (id, least, most) in [
        ("oxygen-concentrator", 1800.0, 2300.0),
        ("medical-fridge", 700.0, 1100.0),
        ("small-freezer", 900.0, 1500.0),
        ("sump-pump", 2500.0, 3200.0),
        ("garage-door", 500.0, 1000.0),
    ] {
        let found = volt_amperes(id);
        assert!((least..=most).contains(&found), "{id}: {found} VA");
    }
}

/// A plug is offered for no more than it carries for long.
#[test]
fn no_kind_draws_more_through_a_plug_than_it_carries() {
    for converter in &kinds().converters {
        if converter.input.connector.as_deref() == Some("vehicle plug") {
            assert!(
                converter
                    .input
                    .max_a
                    .as_ref()
                    .is_some_and(|it| it.get() <= 8.0),
                "{}",
                converter.label
            );
        }
        for port in converter
            .outputs
            .iter()
            .filter(|it| it.connector.as_deref() == Some("barrel 5.5/2.1"))
        {
            let amps = port.limit.as_ref().and_then(|it| it.continuous_a.as_ref());
            assert!(amps.is_none_or(|it| it.get() < 5.0), "{}", converter.label);
        }
    }
}
