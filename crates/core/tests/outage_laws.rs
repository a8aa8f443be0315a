//! Laws of an outage.

use crate::common;

use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{
    Fineness, Setting, Simulation, march, sets, shed_board, simulate, starts, trips_at_return,
};
use proptest::prelude::*;
use serde_json::{Value, json};

/// Two devices on a bank, one through a converter, one by the clock.
fn site(watts: f64, soc: f64, celsius: f64, swapped: bool) -> Plan {
    let router = json!({"id": "router", "label": "Router", "input": {"current": "dc",
        "rated_v": 12, "min_v": 11},
        "draw": "power", "phases": [{"when": "starting", "watts": 2.0 * watts, "seconds": 40},
            {"when": "running", "watts": watts}]});
    let lamp = json!({"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12,
        "min_v": 10},
        "draw": "current", "phases": [{"when": "running", "watts": 9}], "cycle": {"kind": "hours",
            "from": "17:30", "to": "23:00"}});
    let devices = if swapped {
        json!([lamp, router])
    } else {
        json!([router, lamp])
    };
    Plan::from_value(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice"},
        "kit": {"devices": devices,
            "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 60,
                    "internal_ohm": 0.015, "cut_off_v": 10.4},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}],
            "converters": [{"id": "steady", "label": "Steady", "kind": "buck_boost",
                "input": {"current": "dc", "min_v": 9},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}],
                "loss": {"idle_w": 0.8, "proportional": 0.06}}]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": [
            {"from": {"item": "bank", "port": "studs"}, "to": "steady", "cable": {"length_m": 2,
                "area_mm2": 2.5}},
            {"from": {"item": "steady", "port": "out"}, "to": "router"},
            {"from": {"item": "bank", "port": "studs"}, "to": "lamp", "cable": {"length_m": 8,
                "area_mm2": 1.5}}]}],
        "outages": [{"id": "storm", "label": "Storm", "start": "2026-01-14T16:00", "hours": 240,
            "ambient_c": celsius,
            "initial_soc": {"bank": soc}}]
    }))
    .unwrap()
}

fn storm(plan: &Plan) -> Simulation {
    simulate(plan, &plan.arrangements[0], &plan.outages[0], None)
}

fn lasts(of: &Simulation) -> f64 {
    of.devices["router"].down_at_h.unwrap_or(f64::INFINITY)
}

fn closes(of: &Simulation) -> bool {
    let it = of.energy;
    let out = it.delivered_wh + it.charging_wh + it.conversion_wh + it.idle_wh + it.cables_wh;
    (out - it.drawn_wh).abs() <= 1e-6 * it.drawn_wh.max(1.0)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32,
        rng_seed: proptest::test_runner::RngSeed::Fixed(1), ..ProptestConfig::default() })]

    #[test]
    fn more_load_lasts_less_more_charge_more_and_cold_never_longer(watts in 3.0_f64..60.0,
        soc in 0.3_f64..1.0, celsius in -20.0_f64..30.0, more in 1.05_f64..2.0) {
        let base = storm(&site(watts, soc, celsius, false));
        prop_assert!(lasts(&storm(&site(watts * more, soc, celsius, false))) < lasts(&base));
        prop_assert!(lasts(&storm(&site(watts, (soc * more).min(1.0), celsius,
            false))) >= lasts(&base));
        prop_assert!(lasts(&storm(&site(watts, soc, celsius - 10.0,
            false))) <= lasts(&base) + 1e-6);
        prop_assert!(closes(&base));
        prop_assert_eq!(storm(&site(watts, soc, celsius, true)).devices, base.devices);
    }

    #[test]
    fn an_outage_cut_in_two_and_joined_is_the_same(watts in 3.0_f64..20.0, cut in 1.0_f64..10.0) {
        let whole = site(watts, 1.0, 12.0, false);
        let hours = 16.0;
        let lasting = |start: &str, hours: f64, soc: f64| {
            let mut text = serde_json::to_value(&whole).unwrap();
            text["outages"][0]["hours"] = json!(hours);
            text["outages"][0]["start"] = json!(start);
            text["outages"][0]["initial_soc"]["bank"] = json!(soc);
            storm(&Plan::from_value(&text).unwrap())
        };
        let seconds = (cut * 3600.0).round();
        let at: Value = json!(seconds);
        let clock = 16 * 3600 + at.to_string().trim_end_matches(".0").parse::<u32>().unwrap();
        let second = format!("2026-01-14T{:02}:{:02}:{:02}", clock / 3600 % 24, clock / 60 % 60,
            clock % 60);
        prop_assume!(clock < 24 * 3600);
        let one = lasting("2026-01-14T16:00", hours, 1.0);
        let first = lasting("2026-01-14T16:00", seconds / 3600.0, 1.0);
        let rest = lasting(&second, hours - seconds / 3600.0, first.sources["bank"].end_soc);
        prop_assert!((rest.sources["bank"].end_soc - one.sources["bank"].end_soc).abs() < 1e-5);
        let drawn = first.energy.drawn_wh + rest.energy.drawn_wh;
        prop_assert!((drawn - one.energy.drawn_wh).abs() < 1e-4 * one.energy.drawn_wh, "{} and \
            {}", drawn, one.energy.drawn_wh);
    }
}

#[test]
fn every_outage_of_the_demo_closes_its_balance() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    for way in &plan.arrangements {
        for outage in &plan.outages {
            let found = simulate(&plan, way, outage, Some(3600.0));
            assert!(
                closes(&found),
                "{}, {}: {:?}",
                way.id,
                outage.id,
                found.energy
            );
            let longest = outage.hours.get();
            for (id, it) in &found.devices {
                assert!(
                    it.up_h <= longest + 1e-6 && it.wh.is_finite(),
                    "{id}: {it:?}"
                );
                assert_eq!(it.why.is_some(), it.down_at_h.is_some(), "{id}");
            }
            for (id, it) in &found.sources {
                assert!((0.0..=1.0).contains(&it.end_soc), "{id}: {it:?}");
                assert!(it.series.windows(2).all(|it| it[0][0] < it[1][0]), "{id}");
            }
            assert!(found.events.windows(2).all(|it| it[0].at_h <= it[1].at_h));
        }
    }
}

/// Devices of given watts, priorities by their order, on a store of energy behind one outlet with
/// an idle draw; starts of given watts for ten seconds.
fn outlet(
    watts: &[f64],
    starting: &[f64],
    idle_w: f64,
    limit_w: f64,
    hours: f64,
    until: &[f64],
) -> Plan {
    let devices: Vec<Value> = watts
        .iter()
        .zip(starting)
        .enumerate()
        .map(|(index, (running, starting))| {
            // On from noon, when the outage begins, until it is dropped.
            let minutes = until.get(index).map_or(720.0, |it| (it * 60.0).round());
            let cycle = match minutes {
                m if m >= 720.0 => json!({"kind": "continuous"}),
                m if m < 1.0 => json!({"kind": "hours", "from": "11:00", "to": "12:00"}),
                m => json!({"kind": "hours", "from": "12:00", "to": format!("{:02.0}:{:02.0}",
                    12.0 + (m / 60.0).floor(), m % 60.0)}),
            };
            json!({"id": format!("d{index}"), "label": format!("Device {index}"),
                "priority": index + 1, "cycle": cycle,
                "after_loss": {"kind": "resumes"}, "input": {"current": "ac", "rated_v": 230},
                "phases": [{"when": "running", "watts": running}, {"when": "starting",
                    "watts": starting, "seconds": 10}]})
        })
        .collect();
    let feeds: Vec<Value> = (0..watts.len())
        .map(|it| json!({"from": {"item": "station", "port": "outlet"}, "to": format!("d{it}")}))
        .collect();
    Plan::from_value(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice",
        "ambient_c": 25},
        "kit": {"devices": devices, "converters": [], "sources": [{"id": "station",
            "label": "Station", "kind": "power_station",
            "battery": {"chemistry": "lfp", "energy_wh": 400, "floor_soc": 0.1},
                "line": {"mode": "online"},
            "ports": [{"id": "outlet", "current": "ac", "voltage": {"ac_v": 230},
                "loss": {"idle_w": idle_w, "proportional": 0.08},
                "limit": {"continuous_w": limit_w, "overload": [{"up_to_w": limit_w * 1.4,
                    "for_s": 25}]}}]}]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": feeds}],
        "outages": [{"id": "cut", "label": "Cut", "start": "2026-01-14T12:00", "hours": hours}]}),
    )
    .unwrap()
}

/// Hours of the devices in the order of priority.
fn hours_of(of: &Simulation, count: usize, whole: f64) -> Vec<f64> {
    (0..count)
        .map(|it| of.devices[&format!("d{it}")].down_at_h.unwrap_or(whole))
        .collect()
}

/// Whether `a` is worse than `b` by what matters most first, by more than two minutes.
fn is_worse(a: &[f64], b: &[f64]) -> bool {
    a.iter()
        .zip(b)
        .find(|(a, b)| (*a - *b).abs() > 1.0 / 30.0)
        .is_some_and(|(a, b)| a < b)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24,
        rng_seed: proptest::test_runner::RngSeed::Fixed(2), ..ProptestConfig::default() })]

    #[test]
    fn halving_the_step_changes_nothing_that_counts(spec in common::plain::spec()) {
        let plan = common::read(&spec.plan());
        let setting = Setting::of(&plan, &plan.arrangements[0], &plan.outages[0]);
        let usual = march(&setting, None, Fineness::default());
        let fine = Fineness { longest_s: Fineness::default().longest_s / 2.0,
            most_share: Fineness::default().most_share / 2.0, ..Fineness::default() };
        let half = march(&setting, None, fine);
        prop_assert!(closes(&usual) && closes(&half));
        let (a, b) = (usual.sources["bank"].end_soc, half.sources["bank"].end_soc);
        prop_assert!((a - b).abs() < 5e-4, "{a} {b}");
        for (id, it) in &usual.devices {
            let (a, b) = (it.down_at_h.unwrap_or(99.0), half.devices[id].down_at_h.unwrap_or(99.0));
            // What hangs on a hair may fall either way.
            prop_assert!((a - b).abs() <= 0.003 * a + 0.01
                || (it.up_h - half.devices[id].up_h).abs() < 0.2, "{id}: {a} {b}");
        }
    }

    #[test]
    fn whatever_grows_is_marched_through_and_closes_its_balance(
        grown in common::site(14), hours in 1_u32..400, soc in 0.05..1.0_f64,
            everything in any::<bool>(), period in 0.5..4000.0_f64,
    ) {
        let mut site = grown;
        let devices = site["kit"]["devices"].as_array_mut().unwrap();
        for (index, it) in devices.iter_mut().enumerate() {
            it["after_loss"] = [json!({"kind": "resumes"}), json!({"kind": "latches"}),
                json!({"kind": "restarts", "seconds": 30})][index % 3].clone();
            it["deadline"] = json!({"minutes": 20, "then": "inspect-before-restart"});
            if index % 2 == 0 {
                it["cycle"] = json!({"kind": "thermostat", "on_fraction": 0.4, "period_s": period});
            }
        }
        site["outages"] = json!([{"id": "cut", "label": "Cut", "start": "2026-10-24T18:00",
            "hours": hours, "use_everything": everything,
            "initial_soc": {"bank": soc}, "rules": [{"kind": "stagger", "seconds": 20}],
            "mains": [{"from_h": 1, "to_h": 2, "state": "on"}], "charging": [{"source": "bank",
                "from_h": 3, "to_h": 9, "watts": 60}]}]);
        site["site"]["place"] = json!({"latitude_deg": 53.0, "time_zone": "Europe/Berlin"});
        let plan = common::read(&site);
        let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
        prop_assert!(closes(&found), "{:?}", found.energy);
        let whole = f64::from(hours);
        for it in found.devices.values() {
            prop_assert!(it.up_h >= -1e-9 && it.up_h <= whole + 1e-6 && it.wh.is_finite());
            prop_assert!(it.down_at_h.is_none_or(|it| (0.0..=whole + 1e-6).contains(&it)));
            prop_assert!(it.spans.windows(2).all(|it| (it[0].to_h - it[1].from_h).abs() < 1e-9));
        }
        prop_assert!(found.sources.values().all(|it| (0.0..=1.0).contains(&it.end_soc)));
    }

    #[test]
    fn two_sites_side_by_side_are_the_sum_of_both(a in common::plain::spec(),
        b in common::plain::spec()) {
        let (mut one, mut two) = (a.plan(), b.plan_of("other", "e"));
        for key in ["hours", "ambient_c", "use_everything"] {
            two["outages"][0][key] = one["outages"][0][key].clone();
        }
        // Its charging ends with the hours that are looked at, which are the other's now.
        let hours = one["outages"][0]["hours"].as_f64().unwrap();
        let charging = two["outages"][0]["charging"].as_array().cloned().unwrap_or_default();
        let within = charging.into_iter().filter(|it| it["from_h"].as_f64().unwrap() < hours).map(|mut it| {
            it["to_h"] = json!(it["to_h"].as_f64().unwrap().min(hours));
            it
        });
        two["outages"][0]["charging"] = within.collect();
        let run = |plan: &Value| { let plan = common::read(plan); simulate(&plan,
            &plan.arrangements[0], &plan.outages[0], None) };
        let (first, second) = (run(&one), run(&two));
        for path in ["/kit/devices", "/kit/sources", "/kit/converters", "/arrangements/0/feeds",
            "/arrangements/0/switching", "/outages/0/rules", "/outages/0/charging"] {
            let more = two.pointer(path).and_then(Value::as_array).cloned().unwrap_or_default();
            one.pointer_mut(path).and_then(Value::as_array_mut).unwrap().extend(more);
        }
        one["outages"][0]["initial_soc"]["other"] = two["outages"][0]["initial_soc"]["other"].clone();
        let both = run(&one);
        let (apart, together) =
            (first.energy.drawn_wh + second.energy.drawn_wh, both.energy.drawn_wh);
        prop_assert!((apart - together).abs() < 1e-3 * together.max(1.0));
        for (id, it) in first.devices.iter().chain(&second.devices) {
            let there = &both.devices[id];
            prop_assert!((it.up_h - there.up_h).abs() < 0.003 * it.up_h + 0.02, "{id}: {} {}",
                it.up_h, there.up_h);
        }
    }

    #[test]
    fn the_best_order_beats_every_way_to_drop_at_fixed_times(
        watts in prop::collection::vec(5.0..90.0_f64, 2..5), idle in 0.0..15.0_f64,
            hours in 6.0..11.5_f64,
    ) {
        let plan = outlet(&watts, &watts, idle, 5000.0, hours, &[]);
        let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
        let best = shed_board(&plan, way, outage, &[], None).unwrap();
        let found: Vec<f64> = best.best.iter().map(|it| it.hours).collect();
        // Every way to drop each of them at a quarter of the outage, or never.
        for code in 0..5_u32.pow(u32::try_from(watts.len()).unwrap()) {
            let cut: Vec<f64> = (0..u32::try_from(watts.len()).unwrap())
                .map(|it| code / 5_u32.pow(it) % 5)
                .map(|at| f64::from(at) / 4.0 * if at == 4 { 12.0 } else { hours })
                .collect();
            let dropped = outlet(&watts, &watts, idle, 5000.0, hours, &cut);
            let run = simulate(&dropped, &dropped.arrangements[0], &dropped.outages[0], None);
            let got: Vec<f64> = hours_of(&run, watts.len(), hours).iter().zip(&cut).map(|(a,
                b)| a.min(*b)).collect();
            prop_assert!(!is_worse(&found, &got), "{found:?} is beaten by {got:?}, dropped at \
                {cut:?}");
        }
        // And dropping sets at the start never keeps the first one on for longer.
        for (_, kept) in sets(&plan, way, outage, 4) {
            prop_assert!(kept <= found[0] + 1.0 / 60.0);
        }
    }

    #[test]
    fn the_planners_order_never_trips_when_it_is_marched_through(
        watts in prop::collection::vec(5.0..60.0_f64, 2..6),
            times in prop::collection::vec(1.0..5.0_f64, 6), limit in 100.0..400.0_f64,
    ) {
        let starting: Vec<f64> = watts.iter().zip(&times).map(|(a, b)| a * b).collect();
        let plan = outlet(&watts, &starting, 2.0, limit, 6.0, &[]);
        let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
        let order = starts(&plan, way, outage, &std::collections::BTreeMap::new());
        if order.never.is_empty() {
            prop_assert_eq!(order.turns.len(), watts.len());
            prop_assert_eq!(trips_at_return(&plan, way, outage, order.rule.as_ref()),
                Vec::<String>::new());
        } else {
            // Whoever of them starts last is over the limit with the others on.
            let place = |id: &String| id[1..].parse::<usize>().unwrap();
            for last in &order.never {
                let others: f64 = order.never.iter().filter(|it| *it != last).map(|it| watts[place(it)]).sum();
                let all: f64 = order.never.iter().map(|it| watts[place(it)]).sum();
                prop_assert!(others + starting[place(last)] > limit * 1.4 - 1e-6
                    || all > limit - 1e-6);
            }
        }
    }
}
