//! Laws of the findings, over generated sites with limits everywhere.

use crate::common;

use ash_pond_core::limits::{Code, Finding, Status, findings};
use ash_pond_core::network::{Charge, Moment, evaluate};
use common::{close, read, site};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Gives every port, group, battery, input, fuse and window of a generated site a limit around
/// `level`.
fn limited(mut site: Value, level: f64) -> Value {
    let limit = |watts: f64| {
        json!({"continuous_w": watts, "overload": [{"up_to_w": watts * 1.3,
        "for_s": 20}, {"up_to_w": watts * 1.6}]})
    };
    for source in site["kit"]["sources"].as_array_mut().unwrap() {
        source["groups"] = json!([{"id": "all", "limit": limit(level * 6.0)}]);
        if source["battery"].get("cells").is_some() {
            source["battery"]["max_discharge_a"] = json!(level / 4.0);
            source["battery"]["peak"] = json!([{"up_to_a": level / 2.0, "for_s": 4}]);
        }
        for port in source["ports"].as_array_mut().unwrap() {
            port["limit"] = limit(level * 3.0);
            port["group"] = json!("all");
        }
    }
    for converter in site["kit"]["converters"].as_array_mut().unwrap() {
        if converter["kind"] != "junction" {
            converter["input"]["max_a"] = json!(level / 8.0);
            converter["input"]["min_v"] = json!(10.0);
            converter["outputs"][0]["limit"] = limit(level);
        }
    }
    for device in site["kit"]["devices"].as_array_mut().unwrap() {
        let low = device["input"]["rated_v"].as_f64().unwrap() * 0.85;
        device["input"]["min_v"] = json!(low);
    }
    for feed in site["arrangements"][0]["feeds"].as_array_mut().unwrap() {
        feed["fuse"] = json!({"rating_a": level / 5.0});
    }
    site
}

fn found(site: &Value) -> Vec<Finding> {
    let plan = read(site);
    findings(&plan, &plan.arrangements[0])
}

/// The worst status by what it is about.
fn worst(list: &[Finding]) -> BTreeMap<(Code, String, String), Status> {
    let mut map = BTreeMap::new();
    for it in list {
        let at = map
            .entry((it.code, it.place.clone(), it.unit.to_owned()))
            .or_insert(it.status);
        *at = it.status.max(*at);
    }
    map
}

fn collapses(list: &[Finding]) -> bool {
    list.iter().any(|it| it.code == Code::Collapse)
}

fn scale(value: &mut Value, key: &str, by: f64) {
    if let Some(number) = value.get(key).and_then(Value::as_f64) {
        value[key] = json!(number * by);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 120, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn raising_a_limit_never_makes_a_finding_worse(site in site(9), level in 5.0..120.0_f64,
        by in 1.0..3.0_f64) {
        let site = limited(site, level);
        let mut raised = site.clone();
        let raise = |limit: &mut Value| {
            scale(limit, "continuous_w", by);
            limit["overload"].as_array_mut().unwrap().iter_mut().for_each(|it| scale(it,
                "up_to_w", by));
        };
        for source in raised["kit"]["sources"].as_array_mut().unwrap() {
            raise(&mut source["groups"][0]["limit"]);
            scale(&mut source["battery"], "max_discharge_a", by);
            source["ports"].as_array_mut().unwrap().iter_mut().for_each(|it| raise(&mut it["limit"]));
        }
        for converter in raised["kit"]["converters"].as_array_mut().unwrap() {
            if converter["kind"] != "junction" {
                scale(&mut converter["input"], "max_a", by);
                raise(&mut converter["outputs"][0]["limit"]);
            }
        }
        let (before, after) = (worst(&found(&site)), worst(&found(&raised)));
        for (what, status) in &before {
            prop_assert!(after.get(what).is_none_or(|it| it <= status), "{what:?}: {status:?} \
                became {:?}", after.get(what));
        }
    }

    #[test]
    fn raising_a_load_never_makes_one_better(mut site in site(8), level in 5.0..120.0_f64,
        which in 0_usize..8, by in 1.0..1.6_f64) {
        for device in site["kit"]["devices"].as_array_mut().unwrap() {
            // What answers a falling voltage with less power may take less of a neighbour's.
            device["draw"] = json!("power");
        }
        let site = limited(site, level);
        let mut heavier = site.clone();
        let devices = heavier["kit"]["devices"].as_array_mut().unwrap();
        prop_assume!(!devices.is_empty());
        let index = which % devices.len();
        devices[index]["phases"].as_array_mut().unwrap().iter_mut().for_each(|it| scale(it,
            "watts", by));
        let (before, after) = (found(&site), found(&heavier));
        // Behind a lead that collapses everything is dark, and draws nothing.
        prop_assume!(!collapses(&after));
        let (before, after) = (worst(&before), worst(&after));
        for (what, status) in before.iter().filter(|it| it.0.0 != Code::IdleDraw) {
            prop_assert!(after.get(what).is_some_and(|it| it >= status), "{what:?}: {status:?} \
                became {:?}", after.get(what));
        }
    }

    #[test]
    fn findings_do_not_depend_on_the_order_of_lists(site in site(10), level in 5.0..120.0_f64) {
        let site = limited(site, level);
        let mut other = site.clone();
        for list in ["devices", "sources", "converters"] {
            other["kit"][list].as_array_mut().unwrap().reverse();
        }
        other["arrangements"][0]["feeds"].as_array_mut().unwrap().reverse();
        for source in other["kit"]["sources"].as_array_mut().unwrap() {
            source["ports"].as_array_mut().unwrap().reverse();
        }
        let (one, two) = (found(&site), found(&other));
        // What collapses first is cut off first; which of two is first, is a matter of order.
        prop_assume!(!collapses(&one));
        prop_assert_eq!(one.len(), two.len());
        for (a, b) in one.iter().zip(&two) {
            prop_assert_eq!((a.code, &a.place, a.status, &a.unit), (b.code, &b.place, b.status,
                &b.unit));
            prop_assert!(close(a.value, b.value, 1e-8), "{} at {}: {} and {}", a.code.word(),
                a.place, a.value, b.value);
        }
    }

    #[test]
    fn scaling_everything_keeps_every_share(site in site(9), level in 5.0..120.0_f64,
        by in 0.3..4.0_f64) {
        let mut site = limited(site, level);
        // What a lead is planned for and sound contacts do not scale, and the nearest fuse is none
        // of a scaled site.
        let mut scaled = site.clone();
        for (which, at) in [(&mut site, 1.0), (&mut scaled, by)] {
            let kit = &mut which["kit"];
            for device in kit["devices"].as_array_mut().unwrap() {
                device["phases"].as_array_mut().unwrap().iter_mut().for_each(|it| scale(it,
                    "watts", at));
            }
            let law = |loss: &mut Value| {
                scale(loss, "idle_w", at);
                scale(loss, "quadratic_per_w", 1.0 / at);
            };
            let limit = |limit: &mut Value| {
                scale(limit, "continuous_w", at);
                limit["overload"].as_array_mut().unwrap().iter_mut().for_each(|it| scale(it,
                    "up_to_w", at));
            };
            for converter in kit["converters"].as_array_mut().unwrap() {
                if converter["kind"] != "junction" {
                    law(&mut converter["loss"]);
                    scale(&mut converter["input"], "max_a", at);
                    limit(&mut converter["outputs"][0]["limit"]);
                }
            }
            for source in kit["sources"].as_array_mut().unwrap() {
                limit(&mut source["groups"][0]["limit"]);
                let battery = &mut source["battery"];
                scale(battery, "internal_ohm", 1.0 / at);
                scale(battery, "max_discharge_a", at);
                if let Some(peak) = battery["peak"].as_array_mut() {
                    for it in peak {
                        scale(it, "up_to_a", at);
                    }
                }
                for port in source["ports"].as_array_mut().unwrap() {
                    limit(&mut port["limit"]);
                    if port.get("loss").is_some() {
                        law(&mut port["loss"]);
                    }
                }
            }
            for feed in which["arrangements"][0]["feeds"].as_array_mut().unwrap() {
                scale(&mut feed["cable"], "area_mm2", at);
                scale(&mut feed["cable"], "contact_ohm", 1.0 / at);
                scale(&mut feed["fuse"], "rating_a", at);
            }
        }
        let planned = |it: &Finding| matches!(it.code,
            Code::CableAmpacity | Code::Contacts | Code::FuseRating)
                || it.message.starts_with("Too large") || it.message.starts_with("No fuse");
        let (one, two) = (found(&site), found(&scaled));
        let key = |it: &Finding| (it.code, it.place.clone(), it.unit.to_owned());
        let after: BTreeMap<_, _> = two.iter().filter(|it| !planned(it)).map(|it| (key(it),
            it)).collect();
        for it in one.iter().filter(|it| !planned(it)) {
            let other = after[&key(it)];
            // Within rounding of an edge, either side of it is right.
            let at_edge = (it.value / it.limit.max(1e-9) - 1.0).abs() < 1e-6
                || (it.value / it.limit.max(1e-9) - 0.8).abs() < 1e-6;
            prop_assert!(it.status == other.status || at_edge, "{}: {} and {}", it.code.word(),
                it.message, other.message);
            if matches!(it.unit, "W" | "VA" | "A") {
                prop_assert!(close(it.value * by, other.value, 1e-7), "{}: {} and {}",
                    it.code.word(), it.message, other.message);
            }
        }
        let flow = |site: &Value| {
            let plan = read(site);
            evaluate(&plan, &plan.arrangements[0], &Moment::Busy,
                &Charge::uniform(0.6)).unwrap().totals
        };
        let (one, two) = (flow(&site), flow(&scaled));
        prop_assert!(close(one.drawn_w * by, two.drawn_w, 1e-8));
        prop_assert!(close(one.efficiency.unwrap_or(0.0), two.efficiency.unwrap_or(0.0), 1e-8));
    }
}
