//! What to measure next.

use ash_pond_core::advice::matters::matters;
use ash_pond_core::ground::figure::Basis;
use ash_pond_core::limits::Status;
use ash_pond_core::site::plan::Plan;
use serde_json::{Value, json};

fn plan(basis: &str, limit_a: f64) -> Plan {
    let text = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"}, "kit": {
        "devices": [
            {"id": "pump", "label": "Pump", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": {"value": 100, "basis": basis}}]},
            {"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": 1}]},
            {"id": "idle", "label": "On the shelf", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": 500}]}],
        "sources": [{"id": "box", "label": "Box", "kind": "power_station",
            "battery": {"chemistry": "lfp", "energy_wh": 1000},
            "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12},
                "loss": {"idle_w": {"value": 2, "basis": "measured"}},
                "limit": {"continuous_a": limit_a}}]}]},
        "arrangements": [{"id": "a", "label": "Straight", "feeds": [
            {"from": {"item": "box", "port": "socket"}, "to": "block"}, {"from": {"item": "block",
                "port": "a"}, "to": "pump"}, {"from": {"item": "block", "port": "b"},
                "to": "lamp"}]}]});
    let mut text = text;
    let volts = json!({"follows": true});
    text["kit"]["converters"] = json!([{"id": "block", "label": "Block", "kind": "junction",
        "input": {"current": "dc"},
        "outputs": [{"id": "a", "current": "dc", "voltage": volts}, {"id": "b", "current": "dc",
            "voltage": volts}]}]);
    Plan::from_value(&text).unwrap_or_else(|_| {
        // A store of energy has no junction that follows it where the format refuses that.
        text["kit"]["converters"] = Value::Array(Vec::new());
        text["arrangements"][0]["feeds"] =
            json!([{"from": {"item": "box", "port": "socket"}, "to": "pump"}]);
        Plan::from_value(&text).unwrap()
    })
}

#[test]
fn the_heaviest_guess_comes_first_with_what_it_moves() {
    // 101 W from 12 V are 8.4 A; a third more is over 9 A, as the limit is.
    let found = matters(&plan("assumed", 9.0));
    let first = &found.figures[0];
    assert_eq!(
        (
            first.figure.id.as_str(),
            first.figure.name.as_str(),
            first.figure.basis
        ),
        ("pump", "running", Basis::Assumed)
    );
    assert_eq!(
        (
            first.figure.path.as_str(),
            first.figure.plus_minus,
            first.stated
        ),
        ("phases[0].watts", 30.0, false)
    );
    assert!((first.day_wh - 720.0).abs() < 1e-6, "{}", first.day_wh);
    let turn = first.turns.as_ref().unwrap();
    assert_eq!(
        (turn.to, turn.place.as_str()),
        (Status::Trips, "box/socket")
    );
    assert!(
        first.sentence.contains("into “trips”") && first.sentence.contains("moves a day by 720 Wh"),
        "{}",
        first.sentence
    );
    assert!(
        found
            .headline
            .contains("measure this one next: Pump, running"),
        "{}",
        found.headline
    );
}

#[test]
fn what_was_measured_and_what_is_not_connected_is_left_out() {
    let found = matters(&plan("measured", 90.0));
    assert!(
        found
            .figures
            .iter()
            .all(|it| it.figure.id != "idle"
                && !(it.figure.id == "pump" && it.figure.name == "running")),
        "{found:?}"
    );
    assert!(
        found
            .figures
            .iter()
            .all(|it| it.figure.name != "socket idle"),
        "its idle draw was measured"
    );
}

#[test]
fn a_label_deserves_less_doubt_than_a_guess() {
    let of = |basis: &str| {
        matters(&plan(basis, 90.0))
            .figures
            .iter()
            .find(|it| it.figure.id == "pump")
            .unwrap()
            .figure
            .plus_minus
    };
    assert_eq!(
        (of("assumed"), of("label"), of("datasheet")),
        (30.0, 20.0, 10.0)
    );
}

#[test]
fn the_demo_names_its_worst_guesses_in_order() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let found = matters(&plan);
    assert!(
        !found.figures.is_empty()
            && found.figures.len() <= 12
            && found.unmeasured > found.figures.len()
    );
    for it in &found.figures {
        assert!(
            it.figure.basis != Basis::Measured
                && it.figure.plus_minus > 0.0
                && it.sentence.ends_with("."),
            "{it:?}"
        );
        assert!(it.turns.is_some() || it.day_share > 0.0 || it.margin_share > 0.0);
    }
    assert!(
        found
            .figures
            .windows(2)
            .all(|it| it[0].weight() >= it[1].weight())
    );
}

#[test]
fn a_site_without_chains_says_so() {
    assert!(
        matters(&Plan::empty("S"))
            .headline
            .contains("Build a chain")
    );
}
