//! Texts and sizes that somebody gives to do harm: refused with the field and the remedy, or made
//! harmless, and nothing is lost.

use ash_pond_core::ground::work::{Job, within};
use ash_pond_core::site::entry::DecimalMark;
use ash_pond_core::site::exchange::{Table, preview, table};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use serde_json::{Value, json};

const DEMO: &str = include_str!("../../../demo/hollin-lock.plan.json");

fn demo() -> Value {
    serde_json::from_str(DEMO).unwrap()
}

fn labelled(label: &str) -> Value {
    let mut plan = demo();
    plan["kit"]["devices"][0]["label"] = json!(label);
    plan
}

#[test]
fn what_is_not_seen_is_refused_and_where_it_was_kept_made_harmless() {
    for unseen in [
        '\u{202e}', '\u{2066}', '\u{200f}', '\u{7}', '\r', '\u{0}', '\u{9f}',
    ] {
        let plan = labelled(&format!("Router{unseen}retuor"));
        let error = Plan::from_value(&plan).unwrap_err().to_string();
        assert!(
            error.contains("kit.devices[0].label") && error.contains("leave it out"),
            "{error}"
        );
        let kept = Plan::from_kept(&plan, |_| false).unwrap();
        assert_eq!(kept.kit.devices[0].label, "Routerretuor");
    }
    assert!(Plan::from_value(&labelled("Kühlbox, größer als 40 l, 水槽")).is_ok());
}

#[test]
fn ids_are_no_folders() {
    for id in [".", ".."] {
        let mut plan = demo();
        plan["outages"][0]["id"] = json!(id);
        let error = Plan::from_value(&plan).unwrap_err().to_string();
        assert!(
            error.contains("outages[0].id") && error.contains("folder"),
            "{error}"
        );
    }
}

#[test]
fn no_cell_is_a_formula_and_what_went_out_comes_back_the_same() {
    for label in [
        "=HYPERLINK(\"x\")",
        "+1 lamp",
        "-gate",
        "@home",
        "'=1",
        "'90 lamp",
        "''-",
    ] {
        let plan = Plan::from_value(&labelled(label)).unwrap();
        let text = table(&plan, Table::Devices);
        for row in csv::ReaderBuilder::new()
            .from_reader(text.as_bytes())
            .records()
        {
            let row = row.unwrap();
            let formula = row
                .iter()
                .any(|it| it.starts_with(['=', '+', '-', '@']) && it.parse::<f64>().is_err());
            assert!(!formula, "{row:?}");
        }
        let seen = preview(&plan, &text, Some(Table::Devices), DecimalMark::Point);
        let seen = serde_json::to_value(&seen).unwrap();
        assert_eq!(seen["changes"], json!([]), "{label}: {seen}");
    }
}

#[test]
fn more_than_a_person_means_is_refused() {
    let lamp =
        json!({"id": "x", "label": "X", "input": {"current": "dc", "rated_v": 12}, "phases": []});
    let mut plan = demo();
    plan["kit"]["devices"] = Value::Array(vec![lamp; 10_001]);
    let error = Plan::from_value(&plan).unwrap_err().to_string();
    assert!(
        error.contains("kit.devices: has 10001 entries") || error.contains("kit.devices has 10001"),
        "{error}"
    );
}

/// Every number of the plan a thousand times as large and as small, where the plan is accepted
/// then: no outage goes on for ever.
#[test]
fn no_accepted_figure_makes_an_outage_that_never_ends() {
    fn numbers(value: &Value, at: &str, into: &mut Vec<String>) {
        match value {
            Value::Number(_) => into.push(at.to_owned()),
            Value::Array(list) => {
                for (index, it) in list.iter().enumerate() {
                    numbers(it, &format!("{at}/{index}"), into);
                }
            }
            Value::Object(fields) => fields
                .iter()
                .for_each(|(key, it)| numbers(it, &format!("{at}/{key}"), into)),
            _ => {}
        }
    }
    let plan = demo();
    let mut places = Vec::new();
    for part in ["kit", "arrangements", "outages"] {
        numbers(&plan[part], &format!("/{part}"), &mut places);
    }
    let mut marched = 0;
    for (index, place) in places.iter().enumerate() {
        let factor = if index % 2 == 0 { 1000.0 } else { 0.001 };
        let mut text = plan.clone();
        let was = text.pointer(place).and_then(Value::as_f64).unwrap();
        *text.pointer_mut(place).unwrap() = json!(was * factor);
        let Ok(plan) = Plan::from_value(&text) else {
            continue;
        };
        let Some(outage) = plan.outages.iter().find(|it| it.id.as_str() == "works-cut") else {
            continue;
        };
        let way = plan.arrangement("direct").unwrap();
        let job = Job::with_steps(30_000_000);
        let found = within(&job, || simulate(&plan, way, outage, None))
            .unwrap_or_else(|it| panic!("{place}: {it:?}"));
        assert!(found.events.len() <= 50_001, "{place}");
        marched += 1;
    }
    assert!(marched > 200, "{marched} of {} were tried", places.len());
}
