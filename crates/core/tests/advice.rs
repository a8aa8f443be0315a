//! Laws of advice: whatever is offered is carried out and judged again, and nothing anywhere is
//! worse.

use crate::common;

use ash_pond_core::advice::fits::can_change;
use ash_pond_core::limits::{Code, Remedy, Status, findings, mended};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::{Arrangement, Plan};
use common::{read, site};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;

type Verdicts = BTreeMap<(Code, String, &'static str, bool), Status>;

fn verdicts(plan: &Plan, way: &Arrangement) -> Verdicts {
    let mut all = BTreeMap::new();
    for it in findings(plan, way) {
        let worst = all
            .entry((it.code, it.place, it.unit, it.moment == "charging"))
            .or_insert(it.status);
        *worst = it.status.max(*worst);
    }
    all
}

fn worse(before: &Verdicts, after: &Verdicts) -> Vec<String> {
    let worse = after.iter().filter(|(key, now)| {
        before
            .get(*key)
            .map_or(**now == Status::Trips, |was| *now > was)
    });
    worse.map(|it| format!("{it:?}")).collect()
}

/// Puts every mend of every finding into the plan and judges again.
fn carried_out(plan: &Plan, way: &Arrangement) -> usize {
    let before = verdicts(plan, way);
    let mut tried = 0;
    for finding in mended(plan, way) {
        for mend in &finding.mends {
            let Some(feed) = &mend.feed else { continue };
            tried += 1;
            let mut trial = way.clone();
            let index = trial.feeds.iter().position(|it| it.to == feed.to).unwrap();
            trial.feeds[index] = feed.clone();
            let after = verdicts(plan, &trial);
            assert_eq!(
                worse(&before, &after),
                Vec::<String>::new(),
                "{:?}",
                mend.sentence
            );
            let key = (
                finding.code,
                finding.place.clone(),
                finding.unit,
                finding.moment == "charging",
            );
            let now = after.get(&key).copied().unwrap_or(Status::Holds);
            assert!(
                now < finding.status && now <= Status::Tight,
                "{:?} leaves it {now:?}",
                mend.sentence
            );
            assert!(
                now <= mend.then,
                "{:?} promises {:?} and gives {now:?}",
                mend.sentence,
                mend.then
            );
            let says = if mend.then == Status::Holds {
                "holds"
            } else {
                "tight"
            };
            assert!(mend.sentence.contains(says), "{:?}", mend.sentence);
        }
    }
    tried
}

/// A generated site with windows, fuses and limits, so that there is something to mend.
fn strained(mut site: Value, seed: u64) -> Value {
    let pick = |index: usize, of: u64| (seed >> (index % 48)) % of;
    for (index, it) in site["kit"]["devices"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .enumerate()
    {
        let rated = it["input"]["rated_v"].as_f64().unwrap();
        if pick(index, 3) != 0 {
            it["input"]["min_v"] = json!(rated * 0.9);
            let above = [1.08, 1.2, 1.5][usize::try_from(pick(index + 7, 3)).unwrap()];
            it["input"]["max_v"] = json!(rated * above);
        }
    }
    for (index, it) in site["kit"]["converters"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .enumerate()
    {
        if it["kind"] != "junction" && pick(index, 2) == 0 {
            it["outputs"][0]["limit"] = json!({"continuous_w": 20 + 30 * pick(index + 3, 4)});
        }
    }
    for (index, it) in site["arrangements"][0]["feeds"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .enumerate()
    {
        if pick(index, 2) == 0 {
            let rating = [3, 10, 30][usize::try_from(pick(index + 5, 3)).unwrap()];
            it["fuse"] = json!({"rating_a": rating});
        }
    }
    for it in site["kit"]["sources"].as_array_mut().unwrap() {
        it["inputs"] = json!([{"id": "wall", "kind": "mains", "max_w": 200}]);
    }
    site
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]
    #[test]
    fn a_mend_that_is_carried_out_never_worsens_and_keeps_its_promise(site in site(9),
        seed in any::<u64>()) {
        let plan = read(&strained(site, seed));
        carried_out(&plan, &plan.arrangements[0]);
    }

    #[test]
    fn a_stage_that_fits_never_worsens(way in 0_usize..5, feed in 0_usize..16,
        length in 0.3..30.0_f64) {
        let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
        let way = &plan.arrangements[way];
        let feed = &way.feeds[feed % way.feeds.len()];
        let before = verdicts(&plan, way);
        let to = feed.to.name();
        for stage in can_change(&plan, way, &to, length, &Charge::full()).unwrap().options {
            if !stage.fits || stage.how == ash_pond_core::advice::fits::How::Cut {
                continue;
            }
            let mut trial = way.clone();
            trial.feeds = stage.feeds.clone();
            // The feed's own lead may lead to the stage now, and is then judged under its name.
            let known = |name: &str| way.feed_into(name).is_some() || way.feeds.iter().any(|it| it.to.name() == name);
            let mut was = before.clone();
            if stage.how == ash_pond_core::advice::fits::How::InsertLast {
                let moved: Vec<_> = before.iter().filter(|it| it.0.1 == to).map(|it| (it.0.clone(), *it.1)).collect();
                for it in trial.feeds.iter().map(|it| it.to.name()).filter(|it| !known(it)) {
                    was.extend(moved.iter().map(|(key, status)| ((key.0, it.clone(), key.2,
                        key.3), *status)));
                }
            }
            let after = verdicts(&plan, &trial);
            prop_assert_eq!(worse(&was, &after), Vec::<String>::new(), "{}", stage.words);
        }
    }
}

#[test]
fn every_mend_of_the_demo_keeps_its_promise() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let tried: usize = plan
        .arrangements
        .iter()
        .map(|it| carried_out(&plan, it))
        .sum();
    assert!(tried >= 4, "{tried} mends were tried");
}

/// A heater that bears 15.5 V through a junction, on a socket that trips at its start, beside a
/// bank of 36 V.
#[test]
fn a_bank_of_36_volts_is_no_mend_for_a_heater_that_bears_15() {
    let plan = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "Lock"},
        "kit": {
            "devices": [{"id": "heater", "label": "Heater", "input": {"current": "dc",
                "rated_v": 12, "min_v": 10.5, "max_v": 15.5},
                "phases": [{"when": "running", "watts": 24}, {"when": "starting", "watts": 130,
                    "seconds": 150}]}],
            "converters": [{"id": "block", "label": "Block", "kind": "junction",
                "input": {"current": "dc"},
                "outputs": [{"id": "ways", "current": "dc", "voltage": {"follows": true}}]}],
            "sources": [
                {"id": "station", "label": "Station", "kind": "power_station",
                    "battery": {"chemistry": "lfp", "energy_wh": 500},
                    "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 13},
                        "limit": {"continuous_a": 8}}]},
                {"id": "b36", "label": "b36", "kind": "battery", "battery": {"chemistry": "lfp",
                    "cells": 12, "capacity_ah": 50},
                    "ports": [{"id": "terminals", "current": "dc", "voltage": {"follows": true},
                        "limit": {"continuous_a": 50}}]},
                {"id": "b12", "label": "b12", "kind": "battery", "battery": {"chemistry": "lfp",
                    "cells": 4, "capacity_ah": 50},
                    "ports": [{"id": "terminals", "current": "dc", "voltage": {"follows": true},
                        "limit": {"continuous_a": 50}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [
            {"from": {"item": "station", "port": "socket"}, "to": "block"},
            {"from": {"item": "block", "port": "ways"}, "to": "heater"}]}]}))
    .unwrap();
    let found = mended(&plan, &plan.arrangements[0]);
    let trips = found.iter().find(|it| it.code == Code::PortLimit).unwrap();
    assert_eq!(trips.status, Status::Trips);
    let ports: Vec<&str> = trips
        .mends
        .iter()
        .filter(|it| it.remedy == Remedy::OtherPort)
        .map(|it| it.place.as_str())
        .collect();
    assert_eq!(ports, ["b12/terminals"], "{:?}", trips.mends);
}

#[test]
fn what_cannot_bear_the_charging_voltage_is_told() {
    let with = |max_v: f64, chemistry: &str, cells: u32, more: Value| {
        let mut plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Lock",
            "ambient_c": 25},
            "kit": {"devices": [{"id": "camera", "label": "Camera", "input": {"current": "dc",
                "rated_v": 12, "min_v": 10, "max_v": max_v},
                    "phases": [{"when": "running", "watts": 5}]}], "converters": [],
                "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                    "battery": {"chemistry": chemistry, "cells": cells, "capacity_ah": 100},
                    "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true},
                        "limit": {"continuous_a": 50}}]}]},
            "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "bank",
                "port": "studs"}, "to": "camera"}]}],
            "outages": [{"id": "o", "label": "O", "start": "2026-01-01T12:00", "hours": 8}]});
        for (pointer, value) in more.as_object().unwrap() {
            *plan.pointer_mut(pointer).unwrap() = value.clone();
        }
        let plan = Plan::from_value(&plan).unwrap();
        let found = findings(&plan, &plan.arrangements[0]);
        found
            .into_iter()
            .find(|it| it.moment == "charging")
            .map(|it| (it.status, it.value, it.message))
    };
    let wall = || {
        json!({"/kit/sources/0": {"id": "bank", "label": "Bank", "kind": "battery",
        "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100}, "inputs": [{"id": "wall",
            "kind": "mains", "max_w": 200}],
        "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true},
            "limit": {"continuous_a": 50}}]}})
    };
    // Nothing can fill it: nothing is said. With an input, 4 × 3.6 V.
    assert_eq!(with(14.0, "lfp", 4, json!({})), None);
    let (status, volts, message) = with(14.0, "lfp", 4, wall()).unwrap();
    assert!(
        status == Status::Trips && (volts - 14.4).abs() < 1e-9,
        "{volts}"
    );
    assert!(
        message.contains(
            "May destroy Camera: 14.4 V at its input while Bank is charged; it takes 14 V at most."
        ),
        "{message:?}"
    );
    assert_eq!(with(14.5, "lfp", 4, wall()).unwrap().0, Status::Tight);
    assert_eq!(with(15.0, "lfp", 4, wall()).unwrap().0, Status::Holds);
    // Charging that an outage brings counts too; lead at 0 °C wants 6 × (2.40 + 25 × 0.004) V =
    // 15.0 V.
    let brought = json!({"/site/ambient_c": 0, "/outages/0": {"id": "o", "label": "O",
        "start": "2026-01-01T12:00", "hours": 8,
        "charging": [{"source": "bank", "from_h": 1, "to_h": 2, "watts": 50}]}});
    let (status, volts, _) = with(14.8, "agm", 6, brought.clone()).unwrap();
    assert!(
        status == Status::Trips && (volts - 15.0).abs() < 1e-9,
        "{volts}"
    );
    // Flooded cells are equalised as well: 6 × (2.58 + 0.1) V = 16.08 V.
    let (status, volts, message) = with(15.6, "flooded", 6, brought).unwrap();
    assert!(
        status == Status::Trips && (volts - 16.08).abs() < 1e-9,
        "{volts}"
    );
    assert!(message.contains("equalised"), "{message:?}");
}

/// How much more hold-up would do is tried; what no hold-up brings back is not promised any.
#[test]
fn so_much_more_hold_up_is_tried_before_it_is_told() {
    let site = |after: Option<&str>, rides: Value| {
        let mut camera = json!({"id": "camera", "label": "Camera", "input": {"current": "ac",
            "rated_v": 230}, "phases": [{"when": "running", "watts": 20}]});
        camera["ride_through_ms"] = rides;
        if let Some(kind) = after {
            camera["after_loss"] = json!({"kind": kind});
        }
        Plan::from_value(
            &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Lock"},
            "kit": {"devices": [camera], "converters": [], "sources": [
                {"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500},
                "line": {"mode": "standby", "transfer_ms": 20},
                "ports": [{"id": "outlet", "current": "ac", "voltage": {"ac_v": 230, "waveform":
                    "sine"}, "limit": {"continuous_w": 300}}]}]},
            "arrangements": [{"id": "a", "label": "A", "feeds": [
                {"from": {"item": "station", "port": "outlet"}, "to": "camera"}]}]}),
        )
        .unwrap()
    };
    let gap = |plan: &Plan| {
        let found = mended(plan, &plan.arrangements[0]);
        found.into_iter().find(|it| it.code == Code::RideThrough)
    };
    for (after, rides) in [
        (Some("latches"), json!(5)),
        (None, json!(12)),
        (Some("latches"), Value::Null),
    ] {
        let mut plan = serde_json::to_value(site(after, rides.clone())).unwrap();
        let found = gap(&Plan::from_value(&plan).unwrap()).expect("the switch is seen");
        assert!(found.status > Status::Tight, "{found:?}");
        let mend = &found.mends[0];
        assert_eq!((mend.remedy, mend.then), (Remedy::HoldUp, Status::Tight));
        let more = mend.value.expect("it was tried");
        assert!((found.limit + more - found.value).abs() < 1e-9);
        plan["kit"]["devices"][0]["ride_through_ms"] = json!(found.value);
        let then = gap(&Plan::from_value(&plan).unwrap()).map(|it| it.status);
        assert!(then <= Some(Status::Tight), "{then:?}");
    }
}
