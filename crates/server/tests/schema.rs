//! The published schema of the plan file, held against an independent validator.

use ash_pond_core::site::plan::Plan;
use ash_pond_core::site::schema;
use jsonschema::Validator;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

fn validator() -> Validator {
    let schema = schema::plan();
    assert!(
        jsonschema::meta::is_valid(&schema),
        "the schema itself is not valid"
    );
    jsonschema::draft202012::new(&schema).unwrap()
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn tree(path: &Path) -> Value {
    serde_json::from_str(&std::fs::read_to_string(path).unwrap())
        .unwrap_or_else(|error| panic!("{}: {error}", path.display()))
}

/// Every plan in the repository, with where it stands.
fn plans() -> Vec<(String, Value)> {
    let mut found = vec![
        (
            "the demo".to_owned(),
            tree(&root().join("demo/hollin-lock.plan.json")),
        ),
        (
            "the kinds".to_owned(),
            tree(&root().join("crates/core/data/kinds.plan.json")),
        ),
    ];
    for folder in ["crates/core/tests/cases", "crates/core/tests/corpus"] {
        for entry in std::fs::read_dir(root().join(folder)).unwrap() {
            let path = entry.unwrap().path();
            if path.extension().is_some_and(|it| it == "json") {
                let whole = tree(&path);
                let plan = whole.get("plan").cloned().unwrap_or(whole);
                found.push((path.display().to_string(), plan));
            }
        }
    }
    let docs = std::fs::read_to_string(root().join("docs/plan-format.md")).unwrap();
    for block in docs.split("```json").skip(1) {
        found.push((
            "docs/plan-format.md".into(),
            serde_json::from_str(block.split("```").next().unwrap()).unwrap(),
        ));
    }
    found
}

#[test]
fn every_plan_of_the_repository_is_valid_by_the_schema() {
    let validator = validator();
    let plans = plans();
    assert!(plans.len() > 25);
    for (name, plan) in plans {
        let errors: Vec<String> = validator
            .iter_errors(&plan)
            .map(|it| format!("{}: {it}", it.instance_path()))
            .collect();
        assert!(errors.is_empty(), "{name}: {errors:?}");
        // And what is written back in canonical form is valid as well.
        let written: Value =
            serde_json::from_str(&Plan::from_value(&plan).unwrap().to_text()).unwrap();
        assert!(validator.is_valid(&written), "{name}, written back");
    }
}

#[test]
fn the_published_schema_is_the_one_that_the_code_makes() {
    assert_eq!(
        std::fs::read_to_string(root().join("docs/plan.schema.json")).unwrap(),
        schema::text()
    );
}

#[test]
fn what_the_schema_refuses_the_reader_refuses_too() {
    let validator = validator();
    let demo = tree(&root().join("demo/hollin-lock.plan.json"));
    let edits: [(&str, Value); 12] = [
        ("/format", json!("another/plan")),
        ("/version", json!(2)),
        ("/site/nickname", json!("x")),
        ("/kit/devices/0/phases/0/watts", json!(-5)),
        (
            "/kit/devices/0/phases/0/watts",
            json!({"value": 5, "basis": "dreamt"}),
        ),
        ("/kit/devices/0/phases/0/when", json!("sleeping")),
        (
            "/kit/devices/5/cycle",
            json!({"kind": "hours", "from": "25:00", "to": "08:00"}),
        ),
        ("/kit/devices/5/cycle", json!({"kind": "sometimes"})),
        (
            "/kit/sources/0/ports/0/voltage",
            json!({"ac_v": 230, "regulated_v": 12}),
        ),
        ("/kit/sources/0/battery/floor_soc", json!(40)),
        ("/arrangements/0/feeds/0/to", json!("a/b/c")),
        ("/outages/0/start", json!("yesterday")),
    ];
    for (place, value) in edits {
        let mut plan = demo.clone();
        let (parent, key) = place.rsplit_once('/').unwrap();
        let parent = plan.pointer_mut(parent).unwrap();
        match parent {
            Value::Array(items) => items[key.parse::<usize>().unwrap()] = value,
            other => other[key] = value,
        }
        assert!(!validator.is_valid(&plan), "the schema lets {place} pass");
        assert!(
            Plan::from_value(&plan).is_err(),
            "the reader lets {place} pass"
        );
    }
}

/// Every object of the plan's own format, with whether each of its fields is described and has its
/// unit told.
#[test]
fn every_field_is_described() {
    let schema = schema::plan();
    let mut fields = 0;
    for (name, part) in schema["$defs"].as_object().unwrap() {
        assert!(
            part["description"].is_string() || part["oneOf"].is_array(),
            "{name} is not described"
        );
        let Some(properties) = part["properties"].as_object() else {
            continue;
        };
        for (field, described) in properties {
            let text = described["description"].as_str().unwrap_or_default();
            assert!(!text.is_empty(), "{name}.{field} is not described");
            assert!(!text.contains("```"), "{name}.{field} shows code");
            let unit = match field.rsplit_once('_').map(|it| it.1) {
                Some("w") => "W",
                Some("v") => "V",
                Some("a") => "A",
                Some("s") => "s",
                Some("m") => "m",
                Some("kg") => "kg",
                _ => "",
            };
            assert!(
                text.contains(unit),
                "{name}.{field} does not tell its unit: {text}"
            );
            fields += 1;
        }
    }
    assert!(fields > 120, "only {fields} fields");
}
