use super::*;
use proptest::prelude::*;
use serde_json::json;
use std::collections::BTreeMap;

/// A small site of two stores and three converters, some of which must be bought.
fn site(watts: [f64; 3], sizes: [f64; 2], prices: [f64; 3]) -> Plan {
    let device = |id: &str, watts: f64| {
        json!({"id": id, "label": id, "input": {"current": "dc", "rated_v": 12, "min_v": 11, "max_v": 13},
        "phases": [{"when": "running", "watts": watts}],
        "cycle": if id == "three" { json!({"kind": "hours", "from": "18:00", "to": "23:00"}) } else { json!({"kind": "continuous"}) }})
    };
    let steady = |id: &str, price: f64, idle: f64| {
        json!({"id": id, "label": id, "kind": "buck_boost", "owned": false, "price": price, "weight_kg": 0.2,
        "input": {"current": "dc", "min_v": 9, "max_v": 30}, "loss": {"idle_w": idle, "proportional": 0.06},
        "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}, "limit": {"continuous_w": 60}}]})
    };
    let plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice", "ambient_c": 25},
        "kit": {"devices": [device("one", watts[0]), device("two", watts[1]), device("three", watts[2])],
            "sources": [
            {"id": "bank", "label": "Bank", "kind": "battery", "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": sizes[0]},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}, "limit": {"continuous_a": 30}}]},
            {"id": "box", "label": "Box", "kind": "power_station", "owned": false, "price": prices[2], "weight_kg": 6,
                "battery": {"chemistry": "lfp", "energy_wh": sizes[1]},
                "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12.4}, "limit": {"continuous_a": 6}}]}],
            "converters": [steady("first", prices[0], 0.3), steady("second", prices[1], 1.5)]},
        "arrangements": [], "outages": [{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 60}]});
    Plan::from_value(&plan).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(12) })]

    /// The front is that of everything put together, judged and marched without leaving anything out.
    #[test]
    fn the_front_is_that_of_everything_tried(
        watts in prop::array::uniform3(3.0_f64..30.0), sizes in (20.0_f64..120.0, 100.0_f64..900.0),
        prices in prop::array::uniform3(5.0_f64..200.0), spend in prop::option::of(0.0_f64..250.0),
        parts in prop::option::of(0_usize..3), two in prop::bool::ANY, by_hand in prop::sample::select(vec![0.0, 2.0, 4.0]),
    ) {
        let plan = site(watts, [sizes.0, sizes.1], prices);
        let ask = FindAsk { outage: Some("o".into()), spend, front: true, parts, by_hand,
            counts: if two { BTreeMap::from([("first".to_owned(), 2)]) } else { BTreeMap::new() },
            ..FindAsk::of(&["one", "two", "three"], 24.0) };
        let found = find(&plan, &ask).unwrap();
        prop_assert!(found.proven);
        let outage = plan.outages[0].clone();
        let devices: Vec<String> = ask.devices.clone();
        let (plan, _) = stocked(&plan, &ask, Unpriced::LeftOut).unwrap();
        let mut brute = Search::with(&plan, &ask, &devices, outage, &Choices::Every);
        let sizes: Vec<usize> = brute.ready.devices.iter().map(|it| it.1.len()).collect();
        let whole: usize = sizes.iter().product();
        let mut every: Vec<Member> = Vec::new();
        for mut number in 0..whole {
            let taken: Vec<usize> = sizes.iter().map(|size| { let it = number % size; number /= size; it }).collect();
            let items: Vec<String> = taken.iter().enumerate()
                .flat_map(|(at, it)| brute.ready.devices[at].1[*it].items.clone()).collect();
            if brute.may_buy(&brute.bought(items.iter().map(String::as_str))) {
                brute.arrive(&taken);
                every.append(&mut brute.members);
            }
        }
        // Each that there is is as good as one of the front, but for so little that it says nothing.
        for it in &every {
            let bound = it.bound();
            prop_assert!(found.front.iter().any(|member| member.betters(&bound, it.by_hand, 2.0 + 1e-6)), "{it:?} {:?}", found.front);
        }
        // And each of the front is one that there is, which no other betters.
        let close = |a: f64, b: f64| (a - b).abs() < 1e-6 * (1.0 + a.abs());
        for member in &found.front {
            let same = |it: &&Member| close(it.hours, member.hours) && close(it.spend, member.spend)
                && close(it.drawn_wh_day, member.drawn_wh_day) && close(it.least_margin, member.least_margin);
            prop_assert!(every.iter().any(|it| same(&it)), "{member:?}");
            let others = found.front.iter().filter(|it| !std::ptr::eq(*it, member));
            prop_assert!(!others.into_iter().any(|it| it.replaces(member)));
        }
    }
}
