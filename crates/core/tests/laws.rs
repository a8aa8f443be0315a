//! Laws of the network, over generated sites.

use crate::common;

use ash_pond_core::network::{Charge, Evaluation, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use common::{close, junctions_deep, naive::Naive, read, site};
use proptest::prelude::*;
use serde_json::{Value, json};

fn flow(plan: &Plan, moment: &Moment) -> Evaluation {
    evaluate(plan, &plan.arrangements[0], moment, &Charge::uniform(0.6))
        .expect("a moment that exists")
}

fn running(site: &Value) -> Evaluation {
    flow(&read(site), &Moment::Running)
}

/// Checks that what goes into every item is what comes out of it, and what is lost.
fn balanced(plan: &Plan, flow: &Evaluation) {
    let way = &plan.arrangements[0];
    for (name, port) in &flow.ports {
        let (item, id) = name.split_once('/').unwrap();
        let leaving = way
            .feeds
            .iter()
            .filter(|it| it.from.item.as_str() == item && it.from.port.as_str() == id);
        let taken: f64 = leaving
            .map(|feed| {
                let to = feed.to.to_string();
                let end = flow.devices.get(&to).map(|it| it.watts);
                let end = end.or_else(|| flow.converters.get(&to).map(|it| it.input_w));
                let end = end
                    .or_else(|| flow.junctions.get(&to).map(|it| it.watts))
                    .unwrap();
                end + flow.feeds[&to].loss_w
            })
            .sum();
        assert!(
            close(port.watts, taken, 1e-9),
            "{name} gives {} and its feeds take {taken}",
            port.watts
        );
    }
    for (id, it) in &flow.converters {
        let parts = it.loss_idle_w + it.loss_proportional_w + it.loss_quadratic_w;
        assert!(
            close(it.input_w, it.output_w + parts, 1e-9),
            "{id} takes {} and gives {} and loses {parts}",
            it.input_w,
            it.output_w
        );
    }
    let port_losses: f64 = flow
        .ports
        .values()
        .map(|it| it.loss_idle_w + it.loss_proportional_w + it.loss_quadratic_w)
        .sum();
    let losses: f64 = flow.converters.values().map(|it| it.loss_w).sum::<f64>()
        + flow.totals.cables_w
        + port_losses;
    let out = flow.totals.delivered_w + losses;
    assert!(
        close(flow.totals.drawn_w, out, 1e-7),
        "drawn {} but delivered and lost {out}",
        flow.totals.drawn_w
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 160, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn energy_in_is_energy_out_and_losses_at_every_item(site in site(14)) {
        let plan = read(&site);
        for moment in [Moment::Running, Moment::Busy, Moment::AllStarting] {
            let flow = flow(&plan, &moment);
            balanced(&plan, &flow);
        }
    }

    #[test]
    fn a_thicker_or_shorter_lead_never_loses_more(mut site in site(10), which in 0_usize..10,
        thicker in any::<bool>()) {
        // Loads that answer a higher voltage with more power are another matter.
        site["kit"]["devices"].as_array_mut().unwrap().iter_mut().for_each(|it| it["draw"] = json!("power"));
        let before = running(&site);
        let feeds = site["arrangements"][0]["feeds"].as_array_mut().unwrap();
        let index = which % feeds.len();
        let cable = &mut feeds[index]["cable"];
        let (key, by) = if thicker { ("area_mm2", 1.6) } else { ("length_m", 0.6) };
        cable[key] = json!(cable[key].as_f64().unwrap() * by);
        let after = running(&site);
        prop_assume!(before.collapses.is_empty());
        prop_assert!(after.collapses.is_empty());
        prop_assert!(after.totals.cables_w <= before.totals.cables_w + 1e-9);
        prop_assert!(after.totals.drawn_w <= before.totals.drawn_w + 1e-9);
    }

    #[test]
    fn nothing_flows_that_is_not_fed(mut site in site(10)) {
        site["arrangements"][0]["feeds"] = json!([]);
        let flow = running(&site);
        prop_assert!(flow.devices.is_empty() && flow.sources.is_empty() && flow.ports.is_empty());
        prop_assert!(flow.totals.drawn_w.abs() < f64::EPSILON);
    }

    #[test]
    fn the_order_of_feeds_does_not_matter(mut site in site(12)) {
        let before = running(&site);
        site["arrangements"][0]["feeds"].as_array_mut().unwrap().reverse();
        site["kit"]["converters"].as_array_mut().unwrap().reverse();
        let after = running(&site);
        prop_assume!(before.collapses.is_empty());
        for (to, feed) in &before.feeds {
            prop_assert!(close(feed.far_v, after.feeds[to].far_v, 1e-10), "{}", to);
            prop_assert!(close(feed.amps, after.feeds[to].amps, 1e-9), "{}", to);
        }
        prop_assert!(close(before.totals.drawn_w, after.totals.drawn_w, 1e-9));
    }

    #[test]
    fn a_device_of_no_watts_leaves_exactly_the_idle_losses(draw in 0_usize..3,
        idle in 0.0..20.0_f64, own in 0.0..20.0_f64) {
        let plan = read(&json!({
            "format": "ash-pond/plan", "version": 1, "site": {"name": "Idle"},
            "kit": {
                "devices": [{"id": "off", "label": "off", "input": {"current": "ac",
                    "rated_v": 230},
                    "draw": (["power", "current", "resistance"][draw]),
                        "phases": [{"when": "running", "watts": 0}]}],
                "converters": [{"id": "inverter", "label": "inverter", "kind": "inverter",
                    "input": {"current": "dc"},
                    "outputs": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}],
                        "loss": {"idle_w": idle, "proportional": 0.1}}],
                "sources": [{"id": "station", "label": "station", "kind": "power_station",
                    "battery": {"chemistry": "lfp", "energy_wh": 500},
                    "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 13},
                        "loss": {"idle_w": own}}]}]},
            "arrangements": [{"id": "a", "label": "A", "feeds": [
                {"from": {"item": "station", "port": "socket"}, "to": "inverter"},
                {"from": {"item": "inverter", "port": "out"}, "to": "off",
                    "cable": {"length_m": 9, "area_mm2": 1}}]}]
        }));
        let flow = flow(&plan, &Moment::Running);
        prop_assert!(close(flow.totals.drawn_w, idle + own, 1e-12));
        prop_assert!(close(flow.totals.idle_w, flow.totals.lost_w, 1e-12));
    }

    #[test]
    fn a_lead_that_collapses_stands_at_the_length_and_area_that_it_names(watts in 60.0..400.0_f64,
        length in 20.0..80.0_f64) {
        let site = |length: f64, area: f64| json!({
            "format": "ash-pond/plan", "version": 1, "site": {"name": "Long"},
            "kit": {
                "devices": [{"id": "far", "label": "far", "input": {"current": "dc",
                    "rated_v": 12}, "phases": [{"when": "running", "watts": watts}]}],
                "sources": [{"id": "bank", "label": "bank", "kind": "battery",
                    "ports": [{"id": "t", "current": "dc", "voltage": {"follows": true}}],
                    "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100}}]},
            "arrangements": [{"id": "a", "label": "A", "feeds": [
                {"from": {"item": "bank", "port": "t"}, "to": "far", "cable": {"length_m": length,
                    "area_mm2": area, "contact_ohm": 0.002}}]}]
        });
        let broken = running(&site(length, 0.75));
        prop_assume!(!broken.collapses.is_empty());
        let collapse = &broken.collapses[0];
        prop_assert!(collapse.wanted_w > collapse.most_w);
        prop_assert!(broken.totals.drawn_w.abs() < f64::EPSILON);
        let (longest, least) = (collapse.longest_m.unwrap(), collapse.least_mm2.unwrap());
        prop_assert!(running(&site(longest * 0.999, 0.75)).collapses.is_empty());
        prop_assert!(!running(&site(longest * 1.001, 0.75)).collapses.is_empty());
        prop_assert!(running(&site(length, least * 1.001)).collapses.is_empty());
        prop_assert!(!running(&site(length, least * 0.999)).collapses.is_empty());
    }

    #[test]
    fn every_answer_is_finite(site in site(12), soc in 0.0..1.0_f64) {
        let plan = read(&site);
        let way = &plan.arrangements[0];
        let charge = Charge::uniform(soc);
        let answer = ash_pond_core::telling::answer::answer(&plan, &[way], &Moment::Busy, &charge).unwrap();
        fn finite(value: &Value) -> bool {
            match value {
                Value::Array(items) => items.iter().all(finite),
                Value::Object(map) => map.values().all(finite),
                Value::Number(number) => number.as_f64().is_some_and(f64::is_finite),
                _ => true,
            }
        }
        // serde_json writes a number that is not finite as null, which no required number may be.
        let text = serde_json::to_value(&answer).unwrap();
        prop_assert!(finite(&text));
        for way in &answer.ways {
            prop_assert!(way.day.drawn_wh.is_finite() && way.flow.totals.drawn_w.is_finite());
            prop_assert!(way.findings.iter().all(|it| it.value.is_finite() && it.limit.is_finite()
                && it.margin.is_finite()));
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn the_fast_solver_agrees_with_the_naive_one(site in site(7)) {
        let plan = read(&site);
        // The naive solver's time grows a hundredfold with each junction behind a junction.
        prop_assume!(junctions_deep(&plan) <= 1);
        let way = &plan.arrangements[0];
        for moment in [Moment::Running, Moment::AllStarting] {
            let fast = flow(&plan, &moment);
            for (id, source) in &fast.sources {
                let mut naive = Naive::new(&plan, way, moment.clone());
                let Some((volts, watts)) = naive.source(id, 0.6) else {
                    // Only scanning steps near a fold can make the naive one give up where the fast
                    // one stands.
                    let worst = fast.feeds.values().map(|it| it.drop_share).fold(0.0, f64::max);
                    prop_assert!(!fast.collapses.is_empty() || worst > 0.4, "the naive solver \
                        collapses at {id}, the fast one does not");
                    continue;
                };
                prop_assert!(!fast.collapses.iter().any(|it| it.at == *id), "the fast solver \
                    collapses at {id}, the naive one does not");
                if fast.collapses.is_empty() {
                    prop_assert!(close(source.watts, watts, 1e-7), "{id}: {} and {watts} W",
                        source.watts);
                    if let Some(terminal_v) = source.terminal_v {
                        prop_assert!(close(terminal_v, volts, 1e-9), "{id}: {terminal_v} and \
                            {volts} V");
                    }
                    for (to, (far_v, amps)) in &naive.feeds {
                        prop_assert!(close(fast.feeds[to].far_v, *far_v, 1e-8), "{to}: {} and \
                            {far_v} V", fast.feeds[to].far_v);
                        prop_assert!(close(fast.feeds[to].amps, *amps, 1e-7), "{to}: {} and {amps} \
                            A", fast.feeds[to].amps);
                    }
                }
            }
        }
    }
}
