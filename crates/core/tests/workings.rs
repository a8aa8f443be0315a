//! Every working comes to its result: its formula, computed from its terms by an evaluator that
//! knows nothing of how the number came about.

use crate::common;
use crate::places::told_where;

use ash_pond_core::limits::findings;
use ash_pond_core::network::{Charge, Moment, evaluate, moments};
use ash_pond_core::site::kinds::kinds;
use ash_pond_core::site::plan::{Arrangement, Plan};
use ash_pond_core::site::sum::Working;
use ash_pond_core::telling::working::{Sums, working};
use ash_pond_core::time::day::day;
use common::{read, site};
use evalexpr::{
    ContextWithMutableVariables, HashMapContext, Value as Number, eval_number_with_context,
};
use proptest::prelude::*;
use serde_json::{Value, json};

/// What the formula of a working comes to.
fn computed(it: &Working) -> f64 {
    let mut context = HashMapContext::new();
    for (place, term) in it.terms.iter().enumerate() {
        context
            .set_value(format!("t{}", place + 1), Number::Float(term.value))
            .unwrap();
    }
    eval_number_with_context(&it.formula, &context)
        .unwrap_or_else(|why| panic!("{} = {} cannot be computed: {why}", it.name, it.formula))
}

fn comes_to_its_result(key: &str, it: &Working) {
    let found = computed(it);
    let (wanted, scale) = (
        it.result.value,
        it.terms.iter().map(|it| it.value.abs()).fold(0.0, f64::max),
    );
    let near = (found - wanted).abs() <= 1e-6 * wanted.abs().max(found.abs()) + 1e-9 * scale + 1e-9;
    assert!(
        near,
        "{key}: {} = {found}, and {wanted} is told\n{:#?}",
        it.formula, it.terms
    );
}

const FIELDS: [(&str, &[&str]); 7] = [
    ("devices", &["watts", "amps", "input_v"]),
    (
        "feeds",
        &[
            "ohms",
            "near_v",
            "far_v",
            "drop_v",
            "drop_share",
            "loss_w",
            "amps",
        ],
    ),
    (
        "converters",
        &[
            "input_v",
            "output_w",
            "input_w",
            "input_a",
            "loss_w",
            "loss_idle_w",
            "loss_proportional_w",
            "loss_quadratic_w",
            "efficiency",
        ],
    ),
    ("junctions", &["volts", "amps", "watts"]),
    (
        "ports",
        &[
            "watts",
            "amps",
            "loss_idle_w",
            "loss_proportional_w",
            "loss_quadratic_w",
        ],
    ),
    (
        "sources",
        &[
            "watts",
            "amps",
            "terminal_v",
            "internal_loss_w",
            "charged_w",
        ],
    ),
    (
        "inputs",
        &["input_v", "watts", "amps", "band_from_v", "stored_w"],
    ),
];

/// Evaluates every working of an arrangement, at every moment and at a charge; tells how many there
/// were.
pub(crate) fn all_of(plan: &Plan, way: &Arrangement, soc: f64) -> usize {
    let charge = Charge::uniform(soc);
    let day = day(plan, way, &charge);
    let mut count = 0;
    for moment in moments(plan, way) {
        // The start of a device that starts elsewhere is a moment of the other arrangement.
        let place: &Arrangement = moment.place(plan, way);
        let flow = evaluate(plan, way, &moment, &charge).unwrap();
        let sums = Sums {
            plan,
            arrangement: place,
            flow: &flow,
            day: &day,
        };
        let told = serde_json::to_value(&flow).unwrap();
        let mut keys: Vec<String> = Vec::new();
        for (kind, fields) in FIELDS {
            for id in told[kind].as_object().into_iter().flatten().map(|it| it.0) {
                keys.extend(fields.iter().map(|field| format!("{kind}.{id}.{field}")));
            }
        }
        keys.extend(
            [
                "drawn_w",
                "delivered_w",
                "charging_w",
                "lost_w",
                "cables_w",
                "idle_w",
                "efficiency",
            ]
            .map(|it| format!("totals.{it}")),
        );
        if moment == Moment::Running {
            let fields = [
                "drawn_wh",
                "delivered_wh",
                "idle_wh",
                "conversion_wh",
                "cables_wh",
                "charging_wh",
            ];
            keys.extend(fields.map(|it| format!("day.{it}")));
        }
        for key in keys {
            if let Some(found) = working(&sums, &key) {
                comes_to_its_result(&format!("{} at {moment}: {key}", way.id), &found);
                if moment == Moment::Running {
                    told_where(plan, &key, &found);
                }
                count += 1;
            }
        }
    }
    for it in findings(plan, way) {
        comes_to_its_result(
            &format!("{}: {:?} of {}", way.id, it.code, it.place),
            &it.working,
        );
        told_where(plan, &it.place, &it.working);
        count += 1;
    }
    count
}

#[test]
fn every_working_of_the_demo_comes_to_its_result() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    for soc in [1.0, 0.35] {
        let count: usize = plan
            .arrangements
            .iter()
            .map(|it| all_of(&plan, it, soc))
            .sum();
        assert!(count > 1000, "{count}");
    }
}

#[test]
fn every_working_of_a_ready_made_device_comes_to_its_result() {
    let mut seen = 0;
    for kind in &kinds().devices {
        let mut device = serde_json::to_value(kind).unwrap();
        device["id"] = json!("it");
        let volts = device["input"]["rated_v"]["value"]
            .as_f64()
            .or_else(|| device["input"]["rated_v"].as_f64())
            .unwrap();
        // A little less than the rated voltage, so that every law of draw counts.
        let port = if device["input"]["current"] == "ac" {
            json!({"id": "out", "current": "ac", "voltage": {"ac_v": volts * 0.96}})
        } else {
            json!({"id": "out", "current": "dc", "voltage": {"regulated_v": volts * 0.96}})
        };
        let site = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
            "kit": {"devices": [device], "sources": [{"id": "s", "label": "S",
                "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 900}, "ports": [port]}],
                    "converters": []},
            "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "s",
                "port": "out"}, "to": "it"}]}]});
        let plan = read(&site);
        seen += all_of(&plan, &plan.arrangements[0], 1.0);
    }
    assert!(seen > 200, "{seen}");
}

#[test]
fn a_start_with_a_law_of_its_own_is_worked_by_it() {
    // 60 W stated at 12 V, a heating element: at 13.8 V it is 60 × (13.8 ÷ 12)² = 79.35 W. Its pump
    // runs at 20 W whatever the voltage.
    let device = json!({"id": "it", "label": "Glow", "input": {"current": "dc", "rated_v": 12},
        "phases": [
        {"when": "running", "watts": 20}, {"when": "starting", "watts": 60, "seconds": 30,
            "draw": "resistance"}]});
    let site = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
        "kit": {"devices": [device], "sources": [{"id": "s", "label": "S", "kind": "power_station",
            "battery": {"chemistry": "lfp", "energy_wh": 900},
            "ports": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 13.8}}]}],
                "converters": []},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "s",
            "port": "out"}, "to": "it"}]}]});
    let plan = read(&site);
    let way = &plan.arrangements[0];
    let at = |moment: Moment| {
        let flow = evaluate(&plan, way, &moment, &Charge::full()).unwrap();
        let day = day(&plan, way, &Charge::full());
        working(
            &Sums {
                plan: &plan,
                arrangement: way,
                flow: &flow,
                day: &day,
            },
            "devices.it.watts",
        )
        .unwrap()
    };
    let start = at(Moment::Starting("it".into()));
    assert!((start.result.value - 79.35).abs() < 1e-9 && (computed(&start) - 79.35).abs() < 1e-9);
    assert!(
        start.words == "starting: watts × (volts ÷ stated volts)²: a heating element",
        "{:?}",
        start.words
    );
    let running = at(Moment::Running);
    assert!(
        (computed(&running) - 20.0).abs() < 1e-12
            && running.words == "running: the same at any voltage"
    );
}

/// A site in which devices answer a voltage in every way, some phases by a law of their own.
fn by_law(mut site: Value, laws: &[u8]) -> Value {
    const LAWS: [&str; 3] = ["power", "current", "resistance"];
    for (index, it) in site["kit"]["devices"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .enumerate()
    {
        let law = |place: usize| LAWS[usize::from(laws[(index + place) % laws.len()]) % 3];
        let rated = it["input"]["rated_v"].as_f64().unwrap();
        it["draw"] = json!(law(0));
        for (place, phase) in it["phases"].as_array_mut().unwrap().iter_mut().enumerate() {
            if (index + place) % 2 == 0 {
                phase["draw"] = json!(law(place + 1));
                phase["at_v"] = json!(rated * 1.05);
            }
        }
        if index % 3 == 1 {
            it["quantity"] = json!(2);
        }
    }
    site
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn every_working_of_a_generated_site_comes_to_its_result(
        site in site(8), laws in prop::collection::vec(0_u8..3, 3..9), soc in 0.3..1.0_f64,
    ) {
        let plan = read(&by_law(site, &laws));
        all_of(&plan, &plan.arrangements[0], soc);
    }
}

/// A lead that collapses leaves a junction dark: what begins there begins at nothing, and its sum
/// says so.
#[test]
fn what_begins_at_a_dark_junction_begins_at_nothing() {
    let feed = |item: &str, port: &str, to: &str, metres: f64| {
        json!({"from": {"item": item,
        "port": port}, "to": to, "cable": {"length_m": metres, "area_mm2": 0.5}})
    };
    let site = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
        "kit": {"devices": [{"id": "it", "label": "It", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": 60}]}],
            "converters": [{"id": "block", "label": "Block", "kind": "junction",
                "input": {"current": "dc"},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"follows": true}}]}],
            "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                "battery": {"chemistry": "lfp", "cells": 3, "capacity_ah": 20},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}]},
        "arrangements": [{"id": "a", "label": "A",
            "feeds": [feed("bank", "studs", "block", 20.0), feed("block", "out", "it", 1.0)]}]});
    let plan = read(&site);
    let way = &plan.arrangements[0];
    let flow = evaluate(&plan, way, &Moment::Running, &Charge::uniform(0.3)).unwrap();
    assert_eq!(flow.collapses.len(), 1);
    assert!(
        flow.feeds["block"].near_v > 9.0 && flow.feeds["it"].near_v == 0.0,
        "{:?}",
        flow.feeds
    );
    assert!(all_of(&plan, way, 0.3) > 10);
}

/// What a finding says of its value is what the sum says that it opens.
#[test]
fn the_value_of_a_finding_opens_a_sum_that_comes_to_it() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let mut opened = std::collections::BTreeSet::new();
    for way in &plan.arrangements {
        for found in findings(&plan, way) {
            let Some(key) = found.working.terms.iter().find_map(|it| it.see.as_ref()) else {
                continue;
            };
            let charge = found
                .soc
                .iter()
                .fold(Charge::full(), |all, (id, soc)| all.with(id, *soc));
            let moment = found.moment.parse::<Moment>().unwrap();
            let (flow, day) = (
                evaluate(&plan, way, &moment, &charge).unwrap(),
                day(&plan, way, &charge),
            );
            let sums = Sums {
                plan: &plan,
                arrangement: way,
                flow: &flow,
                day: &day,
            };
            let sum = working(&sums, key).unwrap_or_else(|| panic!("{key}: {found:?}"));
            let off = (sum.result.value - found.value).abs();
            assert!(
                off <= 1e-6 * found.value.abs() + 1e-9,
                "{key}: {} and {}",
                sum.result.value,
                found.message
            );
            opened.insert(format!("{:?}", found.code));
        }
    }
    assert!(opened.len() >= 8, "{opened:?}");
}
