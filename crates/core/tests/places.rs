//! Where the figures of a plan stand: the walk that reading makes goes to each of them, once, and a
//! term of a working says where the figure stands that it shows.

use ash_pond_core::bench::past::{Said, stands};
use ash_pond_core::site::plan::{ElementKind, Plan};
use ash_pond_core::site::sum::Working;
use proptest::prelude::*;
use serde_json::Value;
use std::collections::{BTreeMap, BTreeSet};

use crate::common::{read, site};

/// Every element of a plan as it is written, by its kind and id.
fn bodies(plan: &Plan) -> BTreeMap<(&'static str, String), Value> {
    let mut found = BTreeMap::new();
    for kind in ElementKind::ALL {
        for place in 0..plan.count(kind) {
            let body = plan.element(kind, place).unwrap();
            let id = body["id"].as_str().unwrap_or("site").to_owned();
            found.insert((kind.word(), id), body);
        }
    }
    found
}

/// The walk goes to what is written, no more, and leaves out only what is no figure: pairs of depth
/// and cycles.
fn goes_to_each(plan: &Plan) -> usize {
    let mut met = BTreeMap::new();
    let mut which = BTreeSet::new();
    plan.each_figure(&mut |kind, id, at, it| {
        assert!(
            which.insert(it.which),
            "{id} {at} is the same figure as another"
        );
        assert_eq!(
            met.insert((kind.word(), id.to_owned(), at.to_string()), it.value),
            None,
            "{id} {at} is met twice"
        );
    });
    let mut written = BTreeMap::new();
    for ((kind, id), body) in bodies(plan) {
        for it in stands(&body)
            .into_iter()
            .filter(|it| !it.path.contains("cycles["))
        {
            written.insert(
                (kind, id.clone(), it.path),
                Said::of(it.figure).unwrap().value,
            );
        }
    }
    assert_eq!(met, written);
    met.len()
}

/// Each term of a working that is a figure says where it stands, and there stands what the term
/// shows; tells how many did.
pub(crate) fn told_where(plan: &Plan, key: &str, working: &Working) -> usize {
    let bodies = bodies(plan);
    let mut told = 0;
    for term in &working.terms {
        let Some(at) = &term.at else {
            // Where the plan is silent, what is assumed stands nowhere.
            let silent = term
                .basis
                .is_none_or(|it| it == ash_pond_core::ground::figure::Basis::Assumed);
            assert!(
                silent && term.test.is_none(),
                "{key}: {term:?} stands nowhere"
            );
            continue;
        };
        let body = &bodies[&(at.kind, at.id.clone())];
        let figure = stands(body).into_iter().find(|it| it.path == at.path);
        let figure = figure.unwrap_or_else(|| panic!("{key}: {at:?} is no figure"));
        let said = Said::of(figure.figure).unwrap();
        assert_eq!(Some(said.basis), term.basis, "{key}: {term:?}");
        // A wire gauge is shown as its area, a resistance as that of the store as it is now.
        let itself =
            !["awg", "internal_ohm"].contains(&at.path.rsplit('.').next().unwrap_or_default());
        assert!(
            !itself || (said.value - term.value).abs() <= 1e-12 * term.value.abs(),
            "{key}: {term:?}, and {} stands there",
            said.value
        );
        told += 1;
    }
    told
}

#[test]
fn each_figure_of_the_demo_and_of_the_cases_is_met_once_where_it_stands() {
    let demo = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    assert!(goes_to_each(&demo) > 500);
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/cases");
    let mut plans = 0;
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.extension().is_some_and(|it| it == "json") {
            let case: Value =
                serde_json::from_str(&std::fs::read_to_string(&path).unwrap()).unwrap();
            assert!(
                goes_to_each(&Plan::from_value(&case["plan"]).unwrap()) > 0,
                "{}",
                path.display()
            );
            plans += 1;
        }
    }
    assert!(plans > 15, "{plans}");
}

#[test]
fn each_field_of_the_format_that_is_a_figure_is_met() {
    // The parts that the demo has none of: an hours cycle with a job, a wave with its distortion,
    // rules of every kind.
    let plan = Plan::parse(
        r#"{"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
        "kit": {"devices": [{"id": "scooter", "label": "Scooter", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": 60}], "after_loss": {"kind": "restarts", "seconds": 40},
                "cycle": {"kind": "charge", "wh": 180, "from": "20:00", "every_days": 2,
                    "job": {"label": "miles", "wh": 15}}},
            {"id": "pump", "label": "Pump", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": 5}],
                "cycle": {"kind": "thermostat", "on_fraction": 0.4, "period_s": 900}}],
            "sources": [{"id": "s", "label": "S", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 900, "cycles": [[0.8, 3000]]},
                "ports": [{"id": "ac", "current": "ac", "voltage": {"ac_v": 230, "distortion": 0.03}},
                          {"id": "usb", "current": "dc", "voltage": {"offers_v": [5, 9, 12]}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "s", "port": "usb"}, "to": "pump",
            "voltage_v": 12, "fuse": {"rating_a": 2, "rated_v_dc": 32, "breaks_a": 1000}}]}],
        "outages": [{"id": "o", "label": "O", "start": "2026-01-14T17:00", "hours": 8, "initial_soc": {"s": 0.9},
            "rules": [{"kind": "shed", "device": "pump", "source": "s", "below_soc": 0.4},
                      {"kind": "restore", "source": "s", "above_soc": 0.6}, {"kind": "stagger", "seconds": 20}]}]}"#,
    )
    .unwrap();
    assert_eq!(goes_to_each(&plan), 25);
}

proptest! {
    #[test]
    fn each_figure_of_a_generated_site_is_met_once_where_it_stands(site in site(6)) {
        prop_assert!(goes_to_each(&read(&site)) > 0);
    }
}
