//! Fields and their changes in words, over the whole format.

use ash_pond_core::site::fields::{change, join, named, unit};
use ash_pond_core::site::plan::Plan;
use serde_json::{Value, json};

#[test]
fn every_number_of_the_demo_changes_in_words_with_its_unit() {
    let plan: Value = serde_json::to_value(
        Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap(),
    )
    .unwrap();
    for (list, kind) in [
        ("devices", "device"),
        ("sources", "source"),
        ("converters", "converter"),
    ] {
        for before in plan["kit"][list].as_array().unwrap() {
            for (pointer, key) in numbers(before, "") {
                let mut after = before.clone();
                *after.pointer_mut(&pointer).unwrap() = json!(123.5);
                let words = change(kind, "id", Some(before), Some(&after));
                let label = before["label"].as_str().unwrap();
                assert!(words.starts_with(&format!("{label}: ")), "{words}");
                let told = if unit(&key).is_empty() {
                    "123.5".to_owned()
                } else {
                    format!("123.5 {}", unit(&key))
                };
                assert!(
                    words.contains("123.5") || words.contains("124"),
                    "{pointer}: {words}"
                );
                assert!(
                    words.contains(&told) || words.contains(&told.replace("123.5", "124")),
                    "{pointer}: {words} {told}"
                );
                assert!(!words.contains("_") && !words.contains("  "), "{words}");
            }
        }
    }
}

/// Every bare number and figure of an element, with the name of its field.
fn numbers(value: &Value, pointer: &str) -> Vec<(String, String)> {
    let key = pointer
        .rsplit('/')
        .find(|it| it.parse::<usize>().is_err())
        .unwrap_or_default()
        .to_owned();
    match value {
        Value::Number(_) => vec![(pointer.to_owned(), key)],
        Value::Object(map) if map.contains_key("value") => vec![(pointer.to_owned(), key)],
        Value::Object(map) => map
            .iter()
            .flat_map(|(key, it)| numbers(it, &format!("{pointer}/{key}")))
            .collect(),
        // A list of bare numbers changes as a whole.
        Value::Array(list) => list
            .iter()
            .enumerate()
            .filter(|(_, it)| it.is_object() && it.get("value").is_none())
            .flat_map(|(index, it)| numbers(it, &format!("{pointer}/{index}")))
            .collect(),
        _ => Vec::new(),
    }
}

#[test]
fn an_entry_is_called_by_what_a_person_knows_it_by() {
    assert_eq!(
        named(&json!({"when": "busy", "label": "infra-red"}), 2),
        "busy"
    );
    assert_eq!(named(&json!({"to": "router"}), 0), "router");
    assert_eq!(named(&json!({"id": "usb", "label": "USB-C"}), 0), "USB-C");
    assert_eq!(named(&json!(5), 3), "4");
    assert_eq!(
        (join("12 V socket", "continuous_a"), join("", "watts")),
        ("12 V socket limit".into(), "watts".into())
    );
}
