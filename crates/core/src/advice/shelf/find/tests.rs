use super::*;
use proptest::prelude::*;
use serde_json::json;
use std::collections::BTreeMap;

/// A small site of two stores and three converters, some of which must be bought.
fn site(watts: [f64; 3], sizes: [f64; 2], prices: [f64; 3]) -> Plan {
    let device = |id: &str, watts: f64| {
        json!({"id": id, "label": id, "input": {"current": "dc", "rated_v": 12, "min_v": 11,
            "max_v": 13},
        "phases": [{"when": "running", "watts": watts}],
        "cycle": if id == "three" { json!({"kind": "hours", "from": "18:00",
            "to": "23:00"}) } else { json!({"kind": "continuous"}) }})
    };
    let steady = |id: &str, price: f64, idle: f64| {
        json!({"id": id, "label": id, "kind": "buck_boost", "owned": false, "price": price,
            "weight_kg": 0.2,
        "input": {"current": "dc", "min_v": 9, "max_v": 30}, "loss": {"idle_w": idle,
            "proportional": 0.06},
        "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12},
            "limit": {"continuous_w": 60}}]})
    };
    let plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice",
        "ambient_c": 25},
        "kit": {"devices": [device("one", watts[0]), device("two", watts[1]), device("three",
            watts[2])],
            "sources": [
            {"id": "bank", "label": "Bank", "kind": "battery", "battery": {"chemistry": "lfp",
                "cells": 4, "capacity_ah": sizes[0]},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true},
                    "limit": {"continuous_a": 30}}]},
            {"id": "box", "label": "Box", "kind": "power_station", "owned": false,
                "price": prices[2], "weight_kg": 6,
                "battery": {"chemistry": "lfp", "energy_wh": sizes[1]},
                "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12.4},
                    "limit": {"continuous_a": 6}}]}],
            "converters": [steady("first", prices[0], 0.3), steady("second", prices[1], 1.5)]},
        "arrangements": [], "outages": [{"id": "o", "label": "O", "start": "2026-03-20T08:00",
            "hours": 60}]});
    Plan::from_value(&plan).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None,
        ..ProptestConfig::with_cases(12) })]

    /// The front is that of everything put together, judged and marched without leaving anything
    /// out.
    #[test]
    fn the_front_is_that_of_everything_tried(
        watts in prop::array::uniform3(3.0_f64..30.0), sizes in (20.0_f64..120.0, 100.0_f64..900.0),
        prices in prop::array::uniform3(5.0_f64..200.0), spend in prop::option::of(0.0_f64..250.0),
        parts in prop::option::of(0_usize..3), two in prop::bool::ANY,
            by_hand in prop::sample::select(vec![0.0, 2.0, 4.0]),
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
                let rows: Vec<_> = brute.ready.devices.iter().map(|it| it.1.clone()).collect();
                let cells: Vec<_> = rows.iter().zip(&taken).map(|(row,
                    it)| &row[*it].cell).collect();
                let Some(way) = brute.ready.ground.way(&cells,
                    ground::Leads::Laid) else { continue };
                // Each way of switching by itself: what one betters by next to nothing may stand
                // where that one is bettered itself.
                for it in std::iter::once(way.clone()).chain(brute.switched(&way)) {
                    brute.take(it, stock::Bought::default());
                    every.append(&mut brute.members);
                }
            }
        }
        // Each that there is is as good as one of the front, but for so little that it says
        // nothing.
        for it in &every {
            let bound = it.bound();
            prop_assert!(found.front.iter().any(|member| member.betters(&bound, it.by_hand,
                2.0 + 1e-6)), "{it:?} {:?}", found.front);
        }
        // And each of the front is one that there is, which no other betters.
        let close = |a: f64, b: f64| (a - b).abs() < 1e-6 * (1.0 + a.abs());
        for member in &found.front {
            let same = |it: &&Member| close(it.hours, member.hours) && close(it.spend, member.spend)
                && close(it.drawn_wh_day, member.drawn_wh_day) && close(it.least_margin,
                    member.least_margin);
            prop_assert!(every.iter().any(|it| same(&it)), "{member:?}");
            let others = found.front.iter().filter(|it| !std::ptr::eq(*it, member));
            prop_assert!(!others.into_iter().any(|it| it.replaces(member)));
        }
    }
}

/// What a lead of each size costs a metre.
fn sizes(prices: [f64; 3]) -> Vec<LeadSize> {
    [1.5, 4.0, 10.0]
        .into_iter()
        .zip(prices)
        .map(|(area_mm2, price_m)| LeadSize { area_mm2, price_m })
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None,
        ..ProptestConfig::with_cases(8) })]

    /// With sizes of lead too: every size of every lead put in, fused, judged and marched says the
    /// same.
    #[test]
    fn the_front_in_sizes_of_lead_is_that_of_every_size_tried(
        watts in prop::array::uniform2(8.0_f64..45.0), far_m in 4.0_f64..25.0,
            prices in prop::array::uniform3(0.2_f64..6.0),
        owned in prop::bool::ANY, spend in prop::option::of(5.0_f64..200.0),
            weight_kg in prop::option::of(0.2_f64..6.0),
    ) {
        let plan = site([watts[0], watts[1], 5.0], [90.0, 600.0], [25.0, 40.0, 180.0]);
        // The plan knows how far the first stands.
        let far = json!([{"from": {"item": "bank", "port": "studs"}, "to": "one",
            "cable": {"length_m": far_m, "area_mm2": 6}}]);
        let way = json!({"id": "known", "label": "Known", "feeds": far});
        let mut value: serde_json::Value = serde_json::from_str(&plan.to_text()).unwrap();
        value["arrangements"] = json!([way]);
        let plan = Plan::from_value(&value).unwrap();
        let prices = if owned { [prices[0], 0.0, prices[2]] } else { prices };
        let ask = FindAsk { outage: Some("o".into()), spend, weight_kg, front: true,
            leads: sizes(prices),
            ..FindAsk::of(&["one", "two"], 24.0) };
        let found = find(&plan, &ask).unwrap();
        prop_assert!(found.proven);
        let outage = plan.outages[0].clone();
        let (plan, _) = stocked(&plan, &ask, Unpriced::LeftOut).unwrap();
        let mut brute = Search::with(&plan, &ask, &ask.devices, outage, &Choices::Every);
        let rows: Vec<_> = brute.ready.devices.iter().map(|it| it.1.clone()).collect();
        let mut every: Vec<Member> = Vec::new();
        for (first, second) in (0..rows[0].len()).flat_map(|it| (0..rows[1].len()).map(move |other| (it, other))) {
            let cells = [&rows[0][first].cell, &rows[1][second].cell];
            let Some(way) = brute.ready.ground.way(&cells, ground::Leads::None) else { continue };
            let feeds = crate::advice::shelf::board::leads_of(&plan, &way, crate::advice::shelf::runs::LENGTH_M);
            let areas: Vec<f64> = ask.leads.iter().map(|it| it.area_mm2).collect();
            let Some(offered) = crate::advice::fits::Sizes::of(&plan, &way, &feeds,
                &areas) else { continue };
            for mut number in 0..areas.len().pow(u32::try_from(feeds.len()).unwrap()) {
                let mut with = way.clone();
                let mut leads = stock::Bought::default();
                for at in 0..offered.len() {
                    let size = ask.leads[number % areas.len()];
                    number /= areas.len();
                    offered.put(&mut with, at, size.area_mm2);
                    leads = leads.and(stock::Bought::lead(size, offered.length_m(at)));
                }
                let Some(whole) = offered.fused(&with) else { continue };
                let items: Vec<&str> = whole.feeds.iter().map(|it| it.from.item.as_str()).collect();
                let bought = brute.bought(items.into_iter()).and(leads);
                if offered.hold(&crate::limits::judged(&plan, &whole), offered.len(),
                    true) && brute.may_buy(&bought) {
                    brute.take_each(&whole, leads);
                    every.append(&mut brute.members);
                }
            }
        }
        for it in &every {
            let bound = it.bound();
            prop_assert!(found.front.iter().any(|member| member.betters(&bound, it.by_hand,
                2.0 + 1e-6)), "{it:?} {:?}", found.front);
        }
        let close = |a: f64, b: f64| (a - b).abs() < 1e-6 * (1.0 + a.abs());
        for member in &found.front {
            let same = |it: &&Member| close(it.hours, member.hours) && close(it.spend, member.spend)
                && close(it.weight_kg, member.weight_kg) && close(it.drawn_wh_day,
                    member.drawn_wh_day);
            prop_assert!(every.iter().any(|it| same(&it)), "{member:?}");
        }
        // What is under water was carried out, and something above betters it.
        for it in &found.bettered {
            let by = &found.front[it.by];
            prop_assert!(by.spend <= it.spend + 1e-9 && by.hours >= it.hours * 0.989
                && by.drawn_wh_day * 0.989 <= it.drawn_wh_day);
        }
    }
}
