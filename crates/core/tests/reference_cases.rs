//! The reference cases, from an independent calculation: every value that they name, to
//! the tolerance that they state.

use ash_pond_core::ground::json;
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use serde_json::Value;
use std::path::{Path, PathBuf};

fn cases(prefix: &str) -> Vec<(PathBuf, Value)> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("cases");
    let mut found: Vec<_> = std::fs::read_dir(folder)
        .expect("the cases are there")
        .map(|entry| entry.expect("a readable folder").path())
        .filter(|path| {
            path.file_name()
                .is_some_and(|name| name.to_string_lossy().starts_with(prefix))
        })
        .map(|path| {
            let text = std::fs::read_to_string(&path).expect("a readable case");
            (path, json::parse(&text).expect("a case is JSON"))
        })
        .collect();
    found.sort_by(|a, b| a.0.cmp(&b.0));
    found
}

/// Compares every number below `expected` with the one at the same place in `actual`.
fn compare(at: &str, expected: &Value, actual: &Value, relative: f64) {
    match expected {
        Value::Object(map) => {
            for (key, inner) in map {
                let found = actual
                    .get(key)
                    .unwrap_or_else(|| panic!("{at}.{key} is missing"));
                compare(&format!("{at}.{key}"), inner, found, relative);
            }
        }
        Value::Number(number) => {
            let (want, have) = (
                number.as_f64().unwrap(),
                actual.as_f64().unwrap_or(f64::NAN),
            );
            let close = (want - have).abs() <= relative * want.abs().max(1e-9);
            assert!(close, "{at}: expected {want}, computed {have}");
        }
        other => assert_eq!(other, actual, "{at}"),
    }
}

#[test]
fn every_evaluate_case_is_met() {
    let cases = cases("evaluate-");
    assert!(cases.len() >= 10, "only {} cases found", cases.len());
    for (path, case) in cases {
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        let plan =
            Plan::from_value(&case["plan"]).unwrap_or_else(|error| panic!("{name}: {error}"));
        let ask = &case["ask"];
        let way = plan
            .arrangement(ask["arrangement"].as_str().unwrap())
            .expect("the arrangement of the case");
        let moment = ask["moment"].as_str().unwrap().parse::<Moment>().unwrap();
        let socs = ask["soc"].as_object().unwrap();
        let charge = socs.iter().fold(Charge::full(), |charge, (id, soc)| {
            charge.with(id, soc.as_f64().unwrap())
        });
        let flow = evaluate(&plan, way, &moment, &charge).unwrap();
        let actual = serde_json::to_value(&flow).unwrap();
        compare(
            &name,
            &case["expect"],
            &actual,
            case["tolerance"]["relative"].as_f64().unwrap(),
        );
    }
}

#[test]
fn every_plan_of_the_cases_survives_the_round_trip() {
    for prefix in ["evaluate-", "simulate-"] {
        for (path, case) in cases(prefix) {
            let plan = Plan::from_value(&case["plan"])
                .unwrap_or_else(|error| panic!("{}: {error}", path.display()));
            let text = plan.to_text();
            let again = Plan::parse(&text).unwrap();
            assert_eq!(again, plan);
            assert_eq!(again.to_text(), text);
        }
    }
}
