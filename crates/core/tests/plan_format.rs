//! The plan format: what is refused, where and with which remedy; and the round trip.

use ash_pond_core::site::plan::{Comes, ElementKind, Plan};
use proptest::prelude::*;
use serde_json::{Value, json};

const DEMO: &str = include_str!("../../../demo/hollin-lock.plan.json");

fn demo() -> Value {
    serde_json::from_str(DEMO).expect("the demo is JSON")
}

/// The error that a plan makes once `edit` has been at it.
fn refusal(edit: impl FnOnce(&mut Value)) -> String {
    let mut plan = demo();
    edit(&mut plan);
    Plan::from_value(&plan)
        .expect_err("the edit spoils the plan")
        .to_string()
}

#[test]
fn the_demo_is_in_canonical_form() {
    assert_eq!(Plan::parse(DEMO).unwrap().to_text(), DEMO);
}

#[test]
fn a_negative_number_names_its_field_and_the_remedy() {
    let error = refusal(|plan| plan["kit"]["devices"][2]["phases"][0]["watts"] = json!(-5));
    assert_eq!(
        error,
        "kit.devices[2].phases[0].watts: is -5; watts cannot be negative"
    );
    let error = refusal(|plan| {
        plan["kit"]["devices"][2]["phases"][0]["watts"] = json!({"value": -5, "basis": "label"});
    });
    assert_eq!(
        error,
        "kit.devices[2].phases[0].watts.value: is -5; watts cannot be negative"
    );
}

#[test]
fn every_kind_of_mistake_names_its_path() {
    type Edit = fn(&mut Value);
    let mistakes: &[(Edit, &str, &str)] = &[
        (|p| p["format"] = json!("other"), "format", "ash-pond/plan"),
        (|p| p["version"] = json!(2), "version", "newer"),
        (|p| p["surprise"] = json!(1), "surprise", "not a field"),
        (
            |p| p["site"]["ambient"] = json!(1),
            "site.ambient",
            "did you mean `ambient_c`",
        ),
        (
            |p| p["site"]["policy"]["tight_from"] = json!(80),
            "site.policy.tight_from",
            "between 0 and 1",
        ),
        (
            |p| p["site"]["mains"]["voltage_v"] = json!(0),
            "site.mains.voltage_v",
            "above 0",
        ),
        (
            |p| p["site"]["ambient_c"] = json!(-300),
            "site.ambient_c",
            "between -273.15",
        ),
        (
            |p| p["kit"]["devices"][0]["id"] = json!("air-pump"),
            "kit.devices[1].id",
            "has already",
        ),
        (
            |p| p["kit"]["devices"][0]["id"] = json!("air pump"),
            "kit.devices[0].id",
            "without spaces",
        ),
        (
            |p| p["kit"]["devices"][0]["quantity"] = json!(1.5),
            "kit.devices[0].quantity",
            "whole number",
        ),
        (
            |p| p["kit"]["devices"][0]["input"]["rated_v"] = json!("12"),
            "kit.devices[0].input.rated_v",
            "a number is needed",
        ),
        (
            |p| p["kit"]["devices"][0]["input"]["min_v"] = json!(14),
            "kit.devices[0].input.min_v",
            "swap",
        ),
        (
            |p| p["kit"]["devices"][0]["phases"][2]["share"] = Value::Null,
            "kit.devices[0].phases[2].share",
            "is missing",
        ),
        (
            |p| p["kit"]["devices"][0]["phases"][1]["when"] = json!("idle"),
            "kit.devices[0].phases[1].when",
            "starting, running",
        ),
        (
            |p| p["kit"]["devices"][0]["phases"][1]["when"] = json!("busy"),
            "kit.devices[0].phases[1].share",
            "is missing",
        ),
        (
            |p| p["kit"]["devices"][0]["phases"] = json!([]),
            "kit.devices[0].phases",
            "exactly one",
        ),
        (
            |p| p["kit"]["devices"][5]["cycle"]["from"] = json!("25:00"),
            "kit.devices[5].cycle.from",
            "HH:MM",
        ),
        (
            |p| p["kit"]["devices"][5]["cycle"]["kind"] = json!("tides"),
            "kit.devices[5].cycle.kind",
            "thermostat",
        ),
        (
            |p| p["kit"]["devices"][5]["cycle"]["period_s"] = json!(9),
            "kit.devices[5].cycle.period_s",
            "not a field",
        ),
        (
            |p| p["kit"]["devices"][0]["after_loss"]["seconds"] = json!(-1),
            "kit.devices[0].after_loss.seconds",
            "negative",
        ),
        (
            |p| p["kit"]["sources"][0]["battery"]["chemistry"] = json!("peat"),
            "kit.sources[0].battery.chemistry",
            "agm",
        ),
        (
            |p| p["kit"]["sources"][0]["battery"]["energy_wh"] = json!(9),
            "kit.sources[0].battery.energy_wh",
            "one or the other",
        ),
        (
            |p| p["kit"]["sources"][0]["battery"]["cells"] = Value::Null,
            "kit.sources[0].battery.cells",
            "is missing",
        ),
        (
            |p| p["kit"]["sources"][0]["ports"][0]["voltage"] = json!({}),
            "kit.sources[0].ports[0].voltage",
            "give one of",
        ),
        (
            |p| p["kit"]["sources"][2]["ports"][0]["voltage"] = json!({"follows": true}),
            "kit.sources[2].ports[0].voltage",
            "cells",
        ),
        (
            |p| p["kit"]["sources"][2]["ports"][0]["group"] = json!("ac"),
            "kit.sources[2].ports[0].group",
            "no group",
        ),
        (
            |p| p["kit"]["sources"][2]["ports"][0]["current"] = json!("ac"),
            "kit.sources[2].ports[0].current",
            "ac goes with ac_v",
        ),
        (
            |p| p["kit"]["sources"][2]["ports"][0]["limit"]["overload"][0] = json!({"up_to_w": 9}),
            "kit.sources[2].ports[0].limit.overload[0]",
            "continuous_w",
        ),
        (
            |p| p["kit"]["converters"][0]["kind"] = json!("magic"),
            "kit.converters[0].kind",
            "junction",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["to"] = json!("nobody"),
            "arrangements[0].feeds[0].to",
            "no device or converter",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["to"] = json!("station"),
            "arrangements[0].feeds[0].to",
            "station/panel",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["to"] = json!("station/roof"),
            "arrangements[0].feeds[0].to",
            "wall, panel",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["from"]["item"] = json!("router"),
            "arrangements[0].feeds[0].from.item",
            "no source or converter",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["from"]["port"] = json!("usb"),
            "arrangements[0].feeds[0].from.port",
            "studs",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["voltage_v"] = json!(9),
            "arrangements[0].feeds[0].voltage_v",
            "only one",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["cable"]["awg"] = json!(14),
            "arrangements[0].feeds[0].cable.awg",
            "one or the other",
        ),
        (
            |p| p["arrangements"][0]["feeds"][0]["fuse"]["rating_a"] = json!(0),
            "arrangements[0].feeds[0].fuse.rating_a",
            "above 0",
        ),
        (
            |p| p["arrangements"][1]["feeds"][2]["to"] = json!("camera-adapter"),
            "arrangements[1].feeds[2].to",
            "feeds[1] feeds already",
        ),
        (
            |p| p["arrangements"][1]["feeds"][0]["to"] = json!("big-inverter"),
            "arrangements[1].feeds[1].from.item",
            "nothing feeds it",
        ),
        (
            |p| p["arrangements"][1]["feeds"][0]["from"] = json!({"item": "strip", "port": "ways"}),
            "arrangements[1].feeds[0].from.item",
            "nothing feeds it",
        ),
        (
            |p| p["outages"][0]["start"] = json!("tomorrow"),
            "outages[0].start",
            "YYYY-MM-DDTHH:MM",
        ),
        (
            |p| p["outages"][0]["hours"] = json!(0),
            "outages[0].hours",
            "above 0",
        ),
        (
            |p| p["outages"][0]["initial_soc"]["router"] = json!(1),
            "outages[0].initial_soc.router",
            "no source",
        ),
        (
            |p| p["outages"][0]["initial_soc"]["station"] = json!(2),
            "outages[0].initial_soc.station",
            "between 0 and 1",
        ),
        (
            |p| p["outages"][0]["mains"][0]["to_h"] = json!(0),
            "outages[0].mains[0].to_h",
            "later",
        ),
        (
            |p| p["outages"][0]["rules"][0]["device"] = json!("x"),
            "outages[0].rules[0].device",
            "no device",
        ),
        (
            |p| p["outages"][0]["rules"][1]["while_starting"] = json!("x"),
            "outages[0].rules[1].while_starting",
            "no device",
        ),
    ];
    for (edit, path, remedy) in mistakes {
        let error = refusal(edit);
        assert!(
            error.starts_with(&format!("{path}: ")),
            "expected the path {path}, got: {error}"
        );
        assert!(error.contains(remedy), "expected “{remedy}” in: {error}");
    }
}

#[test]
fn a_circle_of_converters_is_refused() {
    let error = refusal(|plan| {
        plan["arrangements"][0]["feeds"] = json!([
            {"from": {"item": "block", "port": "ways"}, "to": "cabin-block"},
            {"from": {"item": "cabin-block", "port": "ways"}, "to": "block"}
        ]);
    });
    assert!(error.contains("in a circle"), "{error}");
}

#[test]
fn a_station_that_charges_itself_is_refused() {
    let error = refusal(|plan| {
        plan["arrangements"][0]["feeds"] =
            json!([{"from": {"item": "station", "port": "socket"}, "to": "station/panel"}]);
    });
    assert!(error.contains("in a circle"), "{error}");
}

#[test]
fn broken_json_is_refused_with_its_line() {
    let error = Plan::parse("{\n  \"format\": oops }")
        .unwrap_err()
        .to_string();
    assert!(error.contains("line 2"), "{error}");
}

/// A way to change a JSON tree at a place chosen by number.
#[derive(Debug, Clone)]
enum Change {
    Remove,
    Figure(f64, u8),
    Replace(Value),
}

fn change() -> impl Strategy<Value = Change> {
    prop_oneof![
        3 => Just(Change::Remove),
        4 => (0.0..5.0_f64, 0_u8..4).prop_map(|(half, basis)| Change::Figure(half, basis)),
        1 => prop::sample::select(vec![json!(null), json!(-1), json!(1e300), json!("text"),
            json!([]), json!({}), json!(true)])
            .prop_map(Change::Replace),
    ]
}

/// Every place of a tree, as JSON pointers.
fn places(value: &Value, at: String, found: &mut Vec<String>) {
    match value {
        Value::Object(map) => map
            .iter()
            .for_each(|(key, it)| places(it, format!("{at}/{key}"), found)),
        Value::Array(items) => {
            items
                .iter()
                .enumerate()
                .for_each(|(index, it)| places(it, format!("{at}/{index}"), found));
        }
        _ => {}
    }
    found.push(at);
}

fn apply(plan: &mut Value, which: usize, change: &Change) {
    let mut found = Vec::new();
    places(plan, String::new(), &mut found);
    let at = &found[which % found.len()];
    match change {
        Change::Remove => {
            let Some((parent, key)) = at.rsplit_once('/') else {
                return;
            };
            if let Some(map) = plan.pointer_mut(parent).and_then(Value::as_object_mut) {
                map.remove(key);
            }
        }
        Change::Figure(half, basis) => {
            let Some(place) = plan.pointer_mut(at).filter(|it| it.is_number()) else {
                return;
            };
            let basis = ["assumed", "label", "datasheet", "measured"][usize::from(*basis)];
            *place = json!({"value": place.clone(), "plus_minus": half, "basis": basis,
                "note": "varied"});
        }
        Change::Replace(value) => {
            *plan.pointer_mut(at).expect("a place of the tree") = value.clone();
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn import_of_export_is_the_same_plan(changes in prop::collection::vec((any::<usize>(),
        change()), 0..12)) {
        let mut plan = demo();
        for (which, change) in &changes {
            let mut trial = plan.clone();
            apply(&mut trial, *which, change);
            // A change that spoils the plan must be refused with a path; the rest must survive.
            match Plan::from_value(&trial) {
                Ok(_) => plan = trial,
                Err(error) => prop_assert!(!error.message.is_empty()),
            }
        }
        let read = Plan::from_value(&plan).unwrap();
        let text = read.to_text();
        let again = Plan::parse(&text).unwrap();
        prop_assert!(again == read);
        prop_assert!(again.to_text() == text);
    }

    #[test]
    fn no_text_makes_the_reader_panic(text in "\\PC{0,200}") {
        let _ = Plan::parse(&text);
    }
}

/// The pointers of all numbers below a value.
fn numbers(value: &Value, at: &str, found: &mut Vec<String>) {
    match value {
        Value::Number(_) => found.push(at.to_owned()),
        Value::Object(fields) => {
            for (key, inner) in fields {
                let key = key.replace('~', "~0").replace('/', "~1");
                numbers(inner, &format!("{at}/{key}"), found);
            }
        }
        Value::Array(list) => {
            for (index, inner) in list.iter().enumerate() {
                numbers(inner, &format!("{at}/{index}"), found);
            }
        }
        _ => {}
    }
}

#[test]
fn an_element_written_anew_makes_the_plan_that_the_whole_text_makes() {
    let text = demo();
    let plan = Plan::from_value(&text).unwrap();
    let lists = [
        (ElementKind::Device, "/kit/devices"),
        (ElementKind::Source, "/kit/sources"),
        (ElementKind::Converter, "/kit/converters"),
        (ElementKind::Arrangement, "/arrangements"),
    ];
    let (mut made, mut refused) = (0, 0);
    for (kind, list) in lists {
        for (place, element) in text
            .pointer(list)
            .unwrap()
            .as_array()
            .unwrap()
            .iter()
            .enumerate()
        {
            let mut found = Vec::new();
            numbers(element, "", &mut found);
            for at in found {
                for change in [|it: f64| it * 1.3 + 0.1, |_: f64| -1.0] {
                    let mut body = element.clone();
                    let number = body.pointer_mut(&at).unwrap();
                    *number = json!(change(number.as_f64().unwrap()));
                    let mut whole = text.clone();
                    whole.pointer_mut(list).unwrap()[place] = body.clone();
                    let stays = |it: usize| {
                        if it == place {
                            Comes::Written(&body)
                        } else {
                            Comes::Stays(it)
                        }
                    };
                    let anew = plan.rewritten(|of| {
                        (of == kind).then(|| (0..plan.count(of)).map(stays).collect())
                    });
                    let read = Plan::from_value(&whole);
                    assert_eq!(anew.is_ok(), read.is_ok(), "{list}/{place}{at}");
                    match read.ok() {
                        Some(read) => {
                            assert_eq!(anew.unwrap(), read, "{list}/{place}{at}");
                            made += 1;
                        }
                        None => refused += 1,
                    }
                }
            }
        }
    }
    assert!(
        made > 300 && refused > 200,
        "{made} made, {refused} refused"
    );
}
