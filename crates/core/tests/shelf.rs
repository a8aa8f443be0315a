//! What runs what, and the smallest that would do: by hand, carried out, and as laws.

mod candidates;
mod leads;

use ash_pond_core::advice::shelf::{
    FindAsk, LeadSize, Member, RunCell, Runs, RunsAsk, Shelf, Smallest, SmallestAsk, SmallestKind,
    WinsAsk, Worth, find, runs, smallest, wins,
};
use ash_pond_core::limits::{Status, findings};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use jiff::civil::date;
use proptest::prelude::*;
use serde_json::{Value, json};

/// A bank of 100 Ah, a station with a socket of 10 A and an outlet, an inverter, an adapter, and
/// four devices.
fn site(edit: &dyn Fn(&mut Value)) -> Plan {
    let dc = |id: &str, label: &str, watts: f64| {
        json!({"id": id, "label": label, "input": {"current": "dc", "rated_v": 12, "min_v": 9,
            "max_v": 16},
        "phases": [{"when": "running", "watts": watts}]})
    };
    let mut plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice",
        "ambient_c": 25},
        "kit": {"devices": [
            dc("lamp", "Lamp", 24.0),
            {"id": "heater", "label": "Heater", "priority": 2,
                "input": {"current": "dc", "rated_v": 12, "min_v": 9, "max_v": 16},
                "phases": [{"when": "starting", "watts": 156, "seconds": 60}, {"when": "running",
                    "watts": 30}]},
            {"id": "router", "label": "Router", "priority": 1,
                "input": {"current": "dc", "rated_v": 12, "min_v": 11, "max_v": 13},
                "phases": [{"when": "running", "watts": 12}]},
            {"id": "pump", "label": "Pump", "input": {"current": "ac", "rated_v": 230,
                "power_factor": 1},
                "phases": [{"when": "running", "watts": 60}]}],
            "sources": [
            {"id": "bank", "label": "Bank", "kind": "battery", "battery": {"chemistry": "lfp",
                "cells": 4, "capacity_ah": 100, "floor_soc": 0.1},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true},
                    "limit": {"continuous_a": 100}}]},
            {"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500, "floor_soc": 0.1},
                "ports": [
                    {"id": "socket", "current": "dc", "voltage": {"regulated_v": 12.5},
                        "limit": {"continuous_a": 10}},
                    {"id": "outlet", "current": "ac", "voltage": {"ac_v": 230,
                        "waveform": "sine"}, "limit": {"continuous_w": 300}}]}],
            "converters": [
            {"id": "inverter", "label": "Inverter", "kind": "inverter", "input": {"current": "dc",
                "min_v": 10.5, "max_v": 16},
                "outputs": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230,
                    "waveform": "sine"}, "limit": {"continuous_w": 150}}],
                "loss": {"idle_w": 6, "proportional": 0.08}},
            {"id": "steady", "label": "Steady 12", "kind": "buck_boost",
                "input": {"current": "dc", "min_v": 9, "max_v": 30},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12},
                    "limit": {"continuous_w": 60}}],
                "loss": {"idle_w": 0.4, "proportional": 0.08}},
            {"id": "adapter", "label": "Adapter", "kind": "ac_adapter", "input": {"current": "ac",
                "min_v": 200, "max_v": 250},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12},
                    "limit": {"continuous_w": 40}}],
                "loss": {"idle_w": 0.3, "proportional": 0.1}}]},
        "arrangements": [], "outages": []});
    edit(&mut plan);
    Plan::from_value(&plan).unwrap()
}

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn told(plan: &Plan) -> Runs {
    runs(plan, &RunsAsk::default()).unwrap()
}

fn column(found: &Runs, port: &str) -> usize {
    let name = |it: usize| {
        let it = &found.ports[it];
        let all: Vec<&str> = std::iter::once(it.port.as_str())
            .chain(it.behind.iter().map(String::as_str))
            .collect();
        format!("{}/{}", it.item, all.join(">"))
    };
    (0..found.ports.len())
        .find(|it| name(*it) == port)
        .unwrap_or_else(|| panic!("no {port}: {:?}", found.ports))
}

fn cell<'a>(found: &'a Runs, device: &str, port: &str) -> &'a RunCell {
    let row = found.devices.iter().position(|it| it == device).unwrap();
    &found.cells[row][column(found, port)]
}

#[test]
fn each_device_on_each_port_as_by_hand() {
    let plan = site(&|_| {});
    let found = told(&plan);
    // 24 of 125 W: it holds, and the socket's 10 A decide.
    let lamp = cell(&found, "lamp", "station/socket");
    assert_eq!(
        (lamp.status, lamp.via.len(), lamp.unit),
        (Status::Holds, 0, "A")
    );
    assert!(
        (lamp.value.unwrap() - 24.0 / 12.5).abs() < 0.05
            && (lamp.limit.unwrap() - 10.0).abs() < 1e-9,
        "{lamp:?}"
    );
    // 156 W at 12.5 V are 12.5 A where 10 are given, and no converter makes that less.
    let heater = cell(&found, "heater", "station/socket");
    assert_eq!(heater.status, Status::Trips);
    assert!(
        heater.value.unwrap() > 12.4 && (heater.limit.unwrap() - 10.0).abs() < 1e-9,
        "{heater:?}"
    );
    assert!(cell(&found, "heater", "bank/studs").runs());
    // A full bank stands above the 13 V that the router takes; what steadies it is found and named.
    let router = cell(&found, "router", "bank/studs");
    assert_eq!(
        (router.via.as_slice(), router.runs()),
        (&["steady".to_owned()][..], true),
        "{router:?}"
    );
    assert!(cell(&found, "router", "station/socket").via.is_empty());
    assert_eq!(cell(&found, "router", "station/outlet").via, ["adapter"]);
    assert_eq!(
        cell(&found, "router", "bank/studs>inverter").via,
        ["adapter"]
    );
    // A pump takes its alternating current behind the inverter alone.
    let pump = cell(&found, "pump", "bank/studs");
    assert!(
        pump.refused.as_ref().unwrap().contains("takes AC") && pump.arrangement.is_none(),
        "{pump:?}"
    );
    let behind = cell(&found, "pump", "bank/studs>inverter");
    // All that is open is how it is earthed, which nobody said; 60 of its 150 W are used.
    assert_eq!(
        (behind.status, behind.unstated),
        (Status::Unproven, true),
        "{behind:?}"
    );
    let rating = behind.rating.as_ref().unwrap();
    assert!(
        (rating.used - 0.4).abs() < 0.01 && rating.place == "inverter/out",
        "{rating:?}"
    );
    assert!(
        found.sentence.contains("Bank, studs")
            && found
                .sentence
                .contains("Of 4 devices, each alone, 3 hold on"),
        "{}",
        found.sentence
    );
}

#[test]
fn those_on_one_port_are_judged_together_and_the_pair_that_never_fits_is_named() {
    let plan = site(&|plan| {
        // Two of 72 W on a socket of 125 W.
        for (at, id) in ["lamp", "router"].into_iter().enumerate() {
            let it = &mut plan["kit"]["devices"][at * 2];
            (it["id"], it["phases"][0]["watts"]) = (json!(id), json!(72));
            (it["input"]["min_v"], it["input"]["max_v"]) = (json!(9), json!(16));
        }
    });
    let ask = RunsAsk {
        together: Some(vec!["lamp".into(), "router".into(), "pump".into()]),
        ..RunsAsk::default()
    };
    let found = runs(&plan, &ask).unwrap();
    let socket = &found.together[column(&found, "station/socket")];
    assert_eq!(socket.status, Status::Trips);
    assert_eq!(socket.never, [["router".to_owned(), "lamp".to_owned()]]);
    // The router matters more, and the pump does not fit at all.
    assert_eq!(socket.carries, ["router"]);
    let left: Vec<&str> = socket
        .left_out
        .iter()
        .map(|it| it.device.as_str())
        .collect();
    assert_eq!(left, ["pump", "lamp"]);
    // 450 Wh for 72 W and what the lead loses.
    assert!(
        (socket.hours.unwrap() - 450.0 / 72.0).abs() < 0.05 * 6.25,
        "{socket:?}"
    );
    let bank = &found.together[column(&found, "bank/studs")];
    assert_eq!((bank.carries.len(), bank.never.len()), (2, 0), "{bank:?}");
    assert!(bank.hours > socket.hours);
}

#[test]
fn a_start_that_holds_only_after_the_others_says_so() {
    let plan = site(&|plan| {
        let list = plan["kit"]["devices"].as_array_mut().unwrap();
        let start = |id: &str| {
            json!({"id": id, "label": id, "input": {"current": "dc", "rated_v": 12, "min_v": 9,
                "max_v": 16},
            "phases": [{"when": "starting", "watts": 90, "seconds": 5}, {"when": "running",
                "watts": 20}]})
        };
        *list = vec![start("one"), start("two")];
    });
    let found = told(&plan);
    let socket = &found.together[column(&found, "station/socket")];
    assert_eq!(
        (socket.status, socket.one_after_another),
        (Status::Trips, Status::Tight),
        "{socket:?}"
    );
    // So both are carried, and no pair is one that never fits.
    assert_eq!(
        (socket.carries.len(), socket.never.len()),
        (2, 0),
        "{socket:?}"
    );
}

/// Whatever a cell says, the plan with its arrangement in it says.
fn carried_out(plan: &Plan) {
    let found = told(plan);
    let mut judged = 0;
    for (device, row) in found.devices.iter().zip(&found.cells) {
        for it in row {
            let Some(way) = &it.arrangement else { continue };
            let mut with = plan.clone();
            with.arrangements.push(way.clone());
            // It is a plan that reads, and its chain runs through what was named.
            let with = Plan::from_value(&serde_json::to_value(&with).unwrap())
                .unwrap_or_else(|why| panic!("{why}: {way:?}"));
            let way = with.arrangement(way.id.as_str()).unwrap();
            let list = findings(&with, way);
            let worst = list.first().map_or(Status::Holds, |it| it.status);
            assert!(
                worst == it.status || worst < it.status && it.brief.contains("no standard lead"),
                "{device}: {worst:?}, {it:?}"
            );
            for via in &it.via {
                assert!(
                    way.chain(device)
                        .iter()
                        .any(|at| way.feeds[*at].to.item.as_str() == via),
                    "{it:?}"
                );
            }
            judged += 1;
        }
    }
    assert!(judged > 3, "{judged}");
    for it in &found.together {
        let Some(way) = &it.arrangement else { continue };
        let mut with = plan.clone();
        with.arrangements.push(way.clone());
        let with = Plan::from_value(&serde_json::to_value(&with).unwrap()).unwrap();
        let way = with.arrangement(way.id.as_str()).unwrap();
        let at_once = |it: &ash_pond_core::limits::Finding| it.moment == "all-starting";
        assert!(
            findings(&with, way)
                .iter()
                .all(|it| it.status < Status::Trips || at_once(it)),
            "{it:?}"
        );
        assert!(it.carries.iter().all(|id| way.feed_into(id).is_some()));
    }
}

#[test]
fn what_a_cell_says_stands_in_check_once_it_is_an_arrangement() {
    carried_out(&site(&|_| {}));
    carried_out(&demo());
}

#[test]
fn the_demo_s_devices_find_their_ports() {
    let plan = demo();
    let found = told(&plan);
    assert_eq!(found.devices.len(), plan.kit.devices.len());
    assert!(
        found.ports.iter().all(|it| it.item != "mains"),
        "{:?}",
        found.ports
    );
    // What the plan already feeds straight from the house bank runs there.
    assert!(found.cells.iter().all(|row| row.len() == found.ports.len()));
    assert!(found.cells.iter().flatten().any(|it| it.via.len() == 1));
    // No cell without a reason.
    for it in found
        .cells
        .iter()
        .flatten()
        .filter(|it| it.status > Status::Holds)
    {
        assert!(!it.message.is_empty() && !it.brief.is_empty(), "{it:?}");
    }
}

fn bank_with(watts: f64, hours: f64) -> (Plan, SmallestAsk) {
    let plan = site(&|plan| {
        plan["kit"]["devices"][0]["phases"][0]["watts"] = json!(watts);
        plan["arrangements"] = json!([{"id": "way", "label": "Way", "feeds": [
            {"from": {"item": "bank", "port": "studs"}, "to": "lamp", "cable": {"length_m": 4,
                "area_mm2": 6}, "fuse": {"rating_a": 15}}]}]);
    });
    let ask = SmallestAsk {
        what: SmallestKind::Store,
        item: "bank".into(),
        arrangement: "way".into(),
        outage: None,
        hours,
        devices: Vec::new(),
        chance: None,
        seed: 7,
    };
    (plan, ask)
}

/// Hours to the first loss with a bank of so many ampere-hours.
fn lasts(plan: &Plan, amp_hours: f64, hours: f64) -> f64 {
    let mut text = serde_json::to_value(plan).unwrap();
    text["kit"]["sources"][0]["battery"]["capacity_ah"] = json!(amp_hours);
    text["outages"] =
        json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": hours * 2.0}]);
    let plan = Plan::from_value(&text).unwrap();
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    found.devices["lamp"].down_at_h.unwrap_or(hours * 2.0)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None,
        ..ProptestConfig::with_cases(24) })]

    /// The smallest store lasts just so long, and one of a hundredth less does not.
    #[test]
    fn the_smallest_store_put_in_lasts_just_so_long(watts in 5.0_f64..60.0,
        hours in 6.0_f64..120.0) {
        let (plan, ask) = bank_with(watts, hours);
        let found = smallest(&plan, &ask).unwrap();
        let value = found.value.unwrap();
        prop_assert_eq!((found.unit, found.devices.as_slice()), ("Ah", &["lamp".to_owned()][..]));
        prop_assert!(lasts(&plan, value, hours) >= hours - 1e-6, "{} Ah: {}", value, lasts(&plan,
            value, hours));
        prop_assert!(lasts(&plan, value * 0.99, hours) < hours, "{} Ah: {}", value * 0.99,
            lasts(&plan, value * 0.99, hours));
    }

    /// One more converter in the kit never makes a cell worse.
    #[test]
    fn more_on_the_shelf_is_never_worse(volts in 9.0_f64..20.0, watts in 10.0_f64..120.0) {
        let before = site(&|_| {});
        let after = site(&|plan| {
            plan["kit"]["converters"].as_array_mut().unwrap().push(json!({"id": "more",
                "label": "More", "kind": "buck_boost",
                "input": {"current": "dc", "min_v": 9, "max_v": 30}, "loss": {"idle_w": 0.2,
                    "proportional": 0.05},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": volts},
                    "limit": {"continuous_w": watts}}]}));
        });
        let (before, after) = (told(&before), told(&after));
        for (one, two) in before.cells.iter().flatten().zip(after.cells.iter().flatten()) {
            prop_assert!(two.status <= one.status, "{one:?}, {two:?}");
        }
    }
}

fn asked(plan: &Plan, what: SmallestKind, item: &str, hours: f64) -> Smallest {
    let ask = SmallestAsk {
        what,
        item: item.into(),
        arrangement: "way".into(),
        outage: plan.outages.first().map(|it| it.id.to_string()),
        hours,
        devices: Vec::new(),
        chance: None,
        seed: 7,
    };
    smallest(plan, &ask).unwrap()
}

#[test]
fn a_chance_asks_for_more_than_the_figures_as_they_stand() {
    let (plan, ask) = bank_with(20.0, 48.0);
    let sure = smallest(
        &plan,
        &SmallestAsk {
            chance: Some(0.9),
            ..ask.clone()
        },
    )
    .unwrap();
    let even = smallest(
        &plan,
        &SmallestAsk {
            chance: Some(0.5),
            ..ask.clone()
        },
    )
    .unwrap();
    let plain = smallest(&plan, &ask).unwrap().value.unwrap();
    assert_eq!(sure.on_average, Some(plain));
    assert!(sure.value.unwrap() > 1.02 * plain, "{}", sure.sentence);
    assert!(
        (even.value.unwrap() - plain).abs() < 0.05 * plain,
        "{} and {plain}",
        even.value.unwrap()
    );
    assert!(
        sure.sentence.contains("90 chances in 100"),
        "{}",
        sure.sentence
    );
    // The same seed, the same answer.
    assert_eq!(
        smallest(
            &plan,
            &SmallestAsk {
                chance: Some(0.9),
                ..ask
            }
        )
        .unwrap(),
        sure
    );
}

/// A pump behind the inverter, over a lead.
fn behind(edit: &dyn Fn(&mut Value)) -> Plan {
    site(&|plan| {
        plan["arrangements"] = json!([{"id": "way", "label": "Way", "feeds": [
            {"from": {"item": "bank", "port": "studs"}, "to": "inverter", "cable": {"length_m": 2,
                "area_mm2": 10}, "fuse": {"rating_a": 15}},
            {"from": {"item": "inverter", "port": "out"}, "to": "pump"}]}]);
        edit(plan);
    })
}

#[test]
fn the_thinnest_lead_holds_and_the_next_thinner_does_not() {
    let plan = behind(&|_| {});
    let found = asked(&plan, SmallestKind::Lead, "inverter", 4.0);
    let value = found.value.unwrap();
    assert!(
        value < 10.0 && found.now == Some(10.0),
        "{}",
        found.sentence
    );
    let with = |area: f64| {
        let plan =
            behind(&|plan| plan["arrangements"][0]["feeds"][0]["cable"]["area_mm2"] = json!(area));
        let list = findings(&plan, &plan.arrangements[0]);
        let own = list
            .into_iter()
            .filter(|it| it.place == "inverter" && it.status > Status::Holds);
        own.map(|it| it.code.word().to_owned()).collect::<Vec<_>>()
    };
    let sizes = [0.5, 0.75, 1.0, 1.5, 2.5, 4.0, 6.0, 10.0];
    let thinner = sizes.iter().rev().find(|it| **it < value - 1e-9).unwrap();
    // What the fuse breaks is open with any lead.
    let lead = [
        "collapse",
        "voltage-drop",
        "cable-ampacity",
        "fuse-size",
        "fuse-missing",
    ];
    assert!(
        with(value).iter().all(|it| !lead.contains(&it.as_str())),
        "{:?}",
        with(value)
    );
    assert!(
        with(*thinner).iter().any(|it| lead.contains(&it.as_str())),
        "{thinner}: {:?}",
        with(*thinner)
    );
    // The longest lead of the size that stands there is longer than it is, and one longer is not
    // well.
    let long = asked(&plan, SmallestKind::Length, "inverter", 4.0)
        .value
        .unwrap();
    assert!(long > 2.0 && long < 500.0, "{long}");
    let by_length = |length: f64| {
        let plan = behind(&|plan| {
            plan["arrangements"][0]["feeds"][0]["cable"]["length_m"] = json!(length);
        });
        findings(&plan, &plan.arrangements[0])
            .into_iter()
            .any(|it| it.status > Status::Holds && lead.contains(&it.code.word()))
    };
    assert!(!by_length(long) && by_length(long * 1.02 + 0.1), "{long}");
}

#[test]
fn the_smallest_inverter_gives_what_the_pump_takes_with_the_policy_s_room() {
    let plan = behind(&|_| {});
    let found = asked(&plan, SmallestKind::Inverter, "inverter", 4.0);
    // 60 W at four fifths of its rating.
    assert!(
        (found.value.unwrap() - 75.0).abs() < 0.1,
        "{}",
        found.sentence
    );
    assert_eq!((found.unit, found.now), ("W", Some(150.0)));
}

#[test]
fn the_latest_start_of_an_engine_still_holds_and_a_later_one_does_not() {
    let with = |from_h: Option<f64>| {
        behind(&|plan| {
            plan["kit"]["sources"].as_array_mut().unwrap().push(
                json!({"id": "set", "label": "Set", "kind": "generator",
                "engine": {"fuel_l": 50, "idle_l_per_h": 0.2, "l_per_kwh": 0.5},
                "ports": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230},
                    "limit": {"continuous_w": 800}}]}),
            );
            plan["kit"]["sources"][0]["inputs"] =
                json!([{"id": "studs", "kind": "dc", "max_a": 60}]);
            plan["kit"]["converters"]
                .as_array_mut()
                .unwrap()
                .push(json!({"id": "charger",
                "label": "Charger", "kind": "charger",
                "input": {"current": "ac"}, "loss": {"proportional": 0.1}, "charge_v": 14.2,
                    "float_v": 13.6,
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 14.2},
                    "limit": {"continuous_a": 25}}]}));
            let feeds = plan["arrangements"][0]["feeds"].as_array_mut().unwrap();
            feeds.push(json!({"from": {"item": "set", "port": "out"}, "to": "charger"}));
            feeds.push(
                json!({"from": {"item": "charger", "port": "out"}, "to": "bank/studs",
                "cable": {"length_m": 1, "area_mm2": 10}}),
            );
            let runs = from_h.map_or(
                json!([]),
                |from| json!([{"source": "set", "from_h": from, "to_h": 48}]),
            );
            plan["outages"] = json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00",
                "hours": 48, "runs": runs}]);
        })
    };
    let found = asked(&with(None), SmallestKind::Start, "set", 48.0);
    let latest = found.value.unwrap();
    assert!(latest > 5.0 && latest < 30.0, "{}", found.sentence);
    let lost = |from: f64| {
        let plan = with(Some(from));
        simulate(&plan, &plan.arrangements[0], &plan.outages[0], None).devices["pump"].down_at_h
    };
    assert_eq!(lost(latest), None);
    assert!(lost(latest + 0.05).is_some(), "{latest}");
}

#[test]
fn what_no_size_mends_says_what_is_lost_and_why() {
    let plan = behind(&|plan| {
        // Nothing comes out of an inverter that needs 20 V.
        plan["kit"]["converters"][0]["input"]["min_v"] = json!(20);
        plan["kit"]["converters"][0]["input"]["max_v"] = json!(30);
        plan["kit"]["converters"][0]["input"]["cut_out_v"] = json!(20);
    });
    let found = asked(&plan, SmallestKind::Store, "bank", 4.0);
    assert_eq!(found.value, None);
    assert!(
        found.sentence.contains("no capacity is enough") && found.sentence.contains("Pump"),
        "{}",
        found.sentence
    );
}

#[test]
fn what_cannot_be_asked_names_its_field() {
    let plan = behind(&|_| {});
    let refused = |edit: &dyn Fn(&mut RunsAsk)| {
        let mut ask = RunsAsk::default();
        edit(&mut ask);
        runs(&plan, &ask).unwrap_err()
    };
    assert_eq!(
        refused(&|it| it.devices = vec!["nothing".into()]).path,
        "devices"
    );
    assert_eq!(
        refused(&|it| it.together = Some(vec!["nothing".into()])).path,
        "devices"
    );
    assert_eq!(
        refused(&|it| it.ports = vec!["bank/nothing".into()]).path,
        "ports"
    );
    assert_eq!(
        refused(&|it| it.outage = Some("nothing".into())).path,
        "outage"
    );
    assert_eq!(refused(&|it| it.length_m = f64::NAN).path, "length_m");
    let (_, ask) = bank_with(20.0, 48.0);
    let refused = |edit: &dyn Fn(&mut SmallestAsk)| {
        let mut ask = ask.clone();
        edit(&mut ask);
        smallest(&plan, &ask).unwrap_err()
    };
    assert_eq!(refused(&|it| it.hours = 0.0).path, "hours");
    assert_eq!(refused(&|it| it.hours = f64::NAN).path, "hours");
    assert_eq!(refused(&|it| it.chance = Some(1.0)).path, "chance");
    assert_eq!(
        refused(&|it| it.arrangement = "nothing".into()).path,
        "arrangement"
    );
    assert_eq!(refused(&|it| it.item = "pump".into()).path, "item");
    assert_eq!(
        refused(&|it| it.devices = vec!["lamp".into()]).path,
        "devices"
    );
    for what in [
        SmallestKind::Lead,
        SmallestKind::Inverter,
        SmallestKind::Length,
        SmallestKind::Start,
    ] {
        assert_eq!(
            refused(&|it| (it.what, it.item) = (what, "bank".into())).path,
            "item"
        );
    }
    // Only what is asked for is told.
    let found = runs(
        &plan,
        &RunsAsk {
            devices: vec!["lamp".into()],
            ports: vec!["station".into()],
            together: Some(Vec::new()),
            ..RunsAsk::default()
        },
    );
    let found = found.unwrap();
    assert_eq!(
        (found.cells.len(), found.ports.len(), found.together.len()),
        (1, 3, 0)
    );
}

/// A member put into the plan: what `check` and `simulate` say of it.
fn put_in(plan: &Plan, it: &Member, outage: &str) -> (Status, f64) {
    let mut with = plan.clone();
    with.kit.sources.extend(it.added.sources.iter().cloned());
    with.kit
        .converters
        .extend(it.added.converters.iter().cloned());
    with.arrangements.push(it.arrangement.clone());
    let with = Plan::from_value(&serde_json::to_value(&with).unwrap()).unwrap();
    let way = with.arrangement(it.arrangement.id.as_str()).unwrap();
    let outage = with
        .outages
        .iter()
        .find(|it| it.id.as_str() == outage)
        .unwrap();
    let run = simulate(&with, way, outage, None);
    let lost = run
        .devices
        .values()
        .filter_map(|it| it.down_at_h)
        .fold(outage.hours.get(), f64::min);
    (
        findings(&with, way)
            .first()
            .map_or(Status::Holds, |it| it.status),
        lost,
    )
}

#[test]
fn what_the_finder_says_is_what_check_and_simulate_say() {
    let plan = demo();
    let ask = FindAsk {
        outage: Some("winter-storm".into()),
        front: true,
        ..FindAsk::of(&["router", "terminal"], 24.0)
    };
    let found = find(&plan, &ask).unwrap();
    assert!(
        found.proven && !found.front.is_empty(),
        "{}",
        found.sentence
    );
    for it in &found.front {
        let (status, lost) = put_in(&plan, it, "winter-storm");
        assert_eq!(status, it.status);
        assert!(
            status < Status::Trips && (lost - it.hours).abs() < 1e-6,
            "{lost} h, {it:?}"
        );
    }
    // None is bettered by another.
    for (at, one) in found.front.iter().enumerate() {
        for (other_at, other) in found.front.iter().enumerate() {
            let better = other.hours >= one.hours
                && other.spend <= one.spend
                && other.weight_kg <= one.weight_kg
                && other.drawn_wh_day <= one.drawn_wh_day
                && other.least_margin >= one.least_margin;
            // A lead of the finder's is as long as the plan knows the way to its device.
            for feed in one
                .arrangement
                .feeds
                .iter()
                .filter(|it| plan.device(&it.to.name()).is_some())
            {
                let known = plan
                    .arrangements
                    .iter()
                    .flat_map(|it| &it.feeds)
                    .filter(|it| it.to.name() == feed.to.name());
                let known = known
                    .filter_map(|it| Some(it.cable.as_ref()?.length_m.get()))
                    .fold(0.0, f64::max);
                let own = feed
                    .cable
                    .as_ref()
                    .map_or(f64::INFINITY, |it| it.length_m.get());
                assert!(own >= known, "{feed:?}");
            }
            assert!(at == other_at || !better, "{one:?}, {other:?}");
        }
    }
    // The same question without the front: only what lasts so long, the cheapest first.
    let wanted = find(
        &plan,
        &FindAsk {
            front: false,
            ..ask.clone()
        },
    )
    .unwrap();
    assert!(
        wanted.front.iter().all(|it| it.hours >= 24.0),
        "{}",
        wanted.sentence
    );
    assert!(
        !wanted.front.is_empty() && wanted.front.windows(2).all(|it| it[0].spend <= it[1].spend)
    );
    // For as long as nothing lasts, what lasts longest is told.
    let never = find(
        &plan,
        &FindAsk {
            front: false,
            hours: 72.0,
            devices: vec!["heater".into(), "router".into()],
            ..ask
        },
    )
    .unwrap();
    assert!(
        never.front.is_empty() && never.longest.is_some(),
        "{}",
        never.sentence
    );
    assert!(
        never.sentence.contains("Nothing runs"),
        "{}",
        never.sentence
    );
}

#[test]
fn more_to_choose_from_is_never_worse_and_a_tighter_limit_never_better() {
    let plan = demo();
    let best = |edit: &dyn Fn(&mut FindAsk)| {
        let mut ask = FindAsk {
            outage: Some("winter-storm".into()),
            front: true,
            ..FindAsk::of(&["router", "gate-camera"], 10.0)
        };
        edit(&mut ask);
        let found = find(&plan, &ask).unwrap();
        assert!(found.proven, "{}", found.sentence);
        found.front.iter().map(|it| it.hours).fold(0.0, f64::max)
    };
    let site = best(&|_| {});
    assert!(best(&|it| it.shelf = Shelf::Owned) <= site + 1e-9);
    assert!(best(&|it| it.spend = Some(0.0)) <= site + 1e-9);
    assert!(best(&|it| it.proven_only = true) <= site + 1e-9);
    assert!(best(&|it| it.weight_kg = Some(0.0)) <= best(&|it| it.weight_kg = Some(50.0)) + 1e-9);
}

/// A lamp of 24 W from dusk to dawn on 20 Ah: 144 Wh of it are used up before the morning, the rest
/// by the evening.
#[test]
fn a_day_is_asked_for_as_an_outage_from_midnight_to_midnight_is() {
    let plan = site(&|plan| {
        plan["kit"]["devices"][0]["cycle"] =
            json!({"kind": "hours", "from": "18:00", "to": "06:00"});
        plan["kit"]["sources"][0]["battery"]["capacity_ah"] = json!(20);
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-12-21T00:00", "hours": 24}]);
    });
    let ask = FindAsk {
        sources: vec!["bank".into()],
        front: true,
        ..FindAsk::of(&["lamp"], 20.0)
    };
    let day = find(
        &plan,
        &FindAsk {
            day: Some(date(2026, 12, 21)),
            ..ask.clone()
        },
    )
    .unwrap();
    let outage = find(
        &plan,
        &FindAsk {
            outage: Some("o".into()),
            ..ask
        },
    )
    .unwrap();
    assert_eq!(day.front, outage.front);
    let lasts = day.front[0].hours;
    assert!((20.0..22.5).contains(&lasts), "{lasts} h");
    let told = find(
        &plan,
        &FindAsk {
            front: false,
            day: Some(date(2026, 12, 21)),
            ..FindAsk::of(&["lamp"], 24.0)
        },
    );
    assert!(
        told.unwrap()
            .sentence
            .contains("for 24 h on 21 December 2026")
    );
}

#[test]
fn what_the_finder_cannot_be_asked_names_its_field() {
    let plan = demo();
    let refused = |edit: &dyn Fn(&mut FindAsk)| {
        let mut ask = FindAsk {
            outage: Some("winter-storm".into()),
            ..FindAsk::of(&["router"], 24.0)
        };
        edit(&mut ask);
        find(&plan, &ask).unwrap_err().path
    };
    assert_eq!(refused(&|it| it.devices = Vec::new()), "devices");
    assert_eq!(refused(&|it| it.devices = vec!["moon".into()]), "devices");
    assert_eq!(refused(&|it| it.outage = Some("moon".into())), "outage");
    assert_eq!(refused(&|it| it.day = Some(date(2026, 12, 21))), "day");
    assert_eq!(
        refused(&|it| (it.outage, it.day, it.hours) = (None, Some(date(2026, 12, 21)), 24.5)),
        "hours"
    );
    assert_eq!(refused(&|it| it.hours = 1e4), "hours");
    assert_eq!(refused(&|it| it.hours = f64::NAN), "hours");
    assert_eq!(refused(&|it| it.spend = Some(-1.0)), "spend");
    assert_eq!(
        refused(&|it| it.weight_kg = Some(f64::INFINITY)),
        "weight_kg"
    );
    assert_eq!(
        refused(&|it| (it.shelf, it.prices) = (Shelf::Kinds, [("moon".to_owned(), 3.0)].into())),
        "prices"
    );
    assert_eq!(
        refused(&|it| it.prices = [("power-station-small".to_owned(), 3.0)].into()),
        "prices"
    );
    assert_eq!(
        refused(&|it| it.counts = [("moon".to_owned(), 2)].into()),
        "counts"
    );
    assert_eq!(
        refused(&|it| it.counts = [("steady-12".to_owned(), 0)].into()),
        "counts"
    );
    assert_eq!(
        refused(&|it| it.counts = [("steady-12".to_owned(), 1001)].into()),
        "counts"
    );
    let size = |area_mm2: f64, price_m: f64| LeadSize { area_mm2, price_m };
    for leads in [
        vec![size(3.0, 1.0)],
        vec![size(4.0, -1.0)],
        vec![size(4.0, f64::NAN)],
        vec![size(4.0, 1.0), size(4.0, 2.0)],
        vec![size(4.0, 1.0); 9],
        vec![size(f64::INFINITY, 1.0)],
    ] {
        assert_eq!(
            refused(&|it| it.leads.clone_from(&leads)),
            "leads",
            "{leads:?}"
        );
    }
    assert_eq!(
        refused(&|it| it.no_mains = vec!["heater".into()]),
        "no_mains"
    );
    assert_eq!(refused(&|it| it.by_hand = f64::NAN), "by_hand");
    assert_eq!(refused(&|it| it.by_hand = -1.0), "by_hand");
    assert_eq!(
        refused(&|it| it.sources = vec!["steady-12".into()]),
        "sources"
    );
}

#[test]
fn ready_made_kinds_are_bought_at_a_person_s_price_and_none_without_one() {
    let plan = site(&|plan| {
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 24}]);
        plan["kit"]["converters"] = json!([]);
    });
    let ask = FindAsk {
        outage: Some("o".into()),
        spend: Some(100.0),
        shelf: Shelf::Kinds,
        ..FindAsk::of(&["pump"], 5.0)
    };
    let none = find(&plan, &ask).unwrap();
    assert!(!none.unpriced.is_empty());
    let inverter = ash_pond_core::site::kinds::kinds()
        .converters
        .iter()
        .find(|it| it.kind.word() == "inverter")
        .unwrap();
    let priced = FindAsk {
        prices: [(inverter.id.to_string(), 60.0)].into(),
        front: true,
        ..ask
    };
    let found = find(&plan, &priced).unwrap();
    let bought = found
        .front
        .iter()
        .find(|it| !it.added.converters.is_empty())
        .unwrap();
    assert!(
        (bought.spend - 60.0).abs() < 1e-9 && bought.buys == [inverter.label.clone()],
        "{bought:?}"
    );
    assert!((put_in(&plan, bought, "o").1 - bought.hours).abs() < 1e-6);
}

#[test]
fn a_question_with_very_many_answers_ends_and_says_that_it_is_not_proven() {
    let plan = site(&|plan| {
        let device = |it: usize| {
            json!({"id": format!("d{it}"), "label": format!("D{it}"), "input": {"current": "dc",
                "rated_v": 12, "min_v": 9, "max_v": 16},
            "phases": [{"when": "running", "watts": 5 + it}]})
        };
        let bank = |it: usize| {
            json!({"id": format!("b{it}"), "label": format!("B{it}"), "kind": "battery",
                "owned": false, "price": 50 + it,
            "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 20 + 7 * it},
            "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true},
                "limit": {"continuous_a": 40}}]})
        };
        plan["kit"]["devices"] = (0..10).map(device).collect();
        plan["kit"]["sources"] = (0..9).map(bank).collect();
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 48}]);
    });
    let all: Vec<String> = (0..10).map(|it| format!("d{it}")).collect();
    let all: Vec<&str> = all.iter().map(String::as_str).collect();
    let ask = FindAsk {
        outage: Some("o".into()),
        front: true,
        most: 200,
        ..FindAsk::of(&all, 24.0)
    };
    let found = find(&plan, &ask).unwrap();
    assert!(
        !found.proven && !found.front.is_empty(),
        "{}",
        found.sentence
    );
    assert!(
        found.sentence.contains("Stopped after"),
        "{}",
        found.sentence
    );
    for it in &found.front {
        assert!(it.sentence.contains("to buy for"), "{}", it.sentence);
    }
}

#[test]
fn what_alone_is_too_little_for_a_port_is_carried_beside_what_keeps_it_on() {
    let plan = site(&|plan| {
        let device = |id: &str, watts: f64| {
            json!({"id": id, "label": id, "input": {"current": "dc", "rated_v": 12, "min_v": 9,
                "max_v": 16},
            "phases": [{"when": "running", "watts": watts}]})
        };
        plan["kit"]["devices"] = json!([device("sensor", 1.0), device("camera", 12.0)]);
        plan["kit"]["sources"][1]["ports"][0]["auto_off"] = json!({"below_w": 4, "after_s": 600});
        plan["kit"]["sources"][1]["ports"]
            .as_array_mut()
            .unwrap()
            .truncate(1);
        plan["kit"]["sources"].as_array_mut().unwrap().remove(0);
        plan["kit"]["converters"] = json!([]);
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 20}]);
    });
    let found = told(&plan);
    assert_eq!(
        cell(&found, "sensor", "station/socket").status,
        Status::Trips
    );
    let socket = &found.together[column(&found, "station/socket")];
    assert!(
        socket.status < Status::Trips && socket.carries.len() == 2,
        "{socket:?}"
    );
    let ask = FindAsk {
        outage: Some("o".into()),
        ..FindAsk::of(&["sensor", "camera"], 20.0)
    };
    let both = find(&plan, &ask).unwrap();
    assert!(
        (put_in(&plan, &both.front[0], "o").1 - 20.0).abs() < 1e-6,
        "{}",
        both.sentence
    );
    let alone = find(
        &plan,
        &FindAsk {
            devices: vec!["sensor".into()],
            ..ask
        },
    )
    .unwrap();
    assert!(alone.front.is_empty() && alone.proven, "{}", alone.sentence);
}

/// Two devices of 40 W that want steady 12 V, on the bank and one converter of 60 W.
fn two_on_one_converter() -> Plan {
    site(&|plan| {
        let router = plan["kit"]["devices"][2].clone();
        let named = |id: &str| {
            let mut it = router.clone();
            (it["id"], it["label"], it["phases"][0]["watts"]) = (json!(id), json!(id), json!(40));
            it
        };
        plan["kit"]["devices"] = json!([named("one"), named("two")]);
        plan["kit"]["sources"].as_array_mut().unwrap().truncate(1);
        let mut steady = plan["kit"]["converters"][1].clone();
        (steady["price"], steady["weight_kg"]) = (json!(25), json!(0.3));
        plan["kit"]["converters"] = json!([steady]);
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 24}]);
    })
}

#[test]
fn there_may_be_several_of_a_kind_and_those_that_are_more_are_bought() {
    let plan = two_on_one_converter();
    let ask = FindAsk {
        outage: Some("o".into()),
        front: true,
        ..FindAsk::of(&["one", "two"], 5.0)
    };
    assert!(
        find(&plan, &ask).unwrap().front.is_empty(),
        "80 W on a converter of 60 W"
    );
    let two = FindAsk {
        counts: [("steady".to_owned(), 2)].into(),
        ..ask
    };
    let found = find(&plan, &two).unwrap();
    let it = found.front.first().unwrap();
    assert!(found.proven && found.front.len() == 1, "{}", found.sentence);
    assert_eq!(
        (it.spend, it.weight_kg, it.buys.clone()),
        (25.0, 0.3, vec!["Steady 12, no. 2".to_owned()])
    );
    assert_eq!(it.added.converters.len(), 1);
    assert!((put_in(&plan, it, "o").1 - it.hours).abs() < 1e-6);
    // More than are needed change nothing; none may be bought where no part may.
    let more = find(
        &plan,
        &FindAsk {
            counts: [("steady".to_owned(), 4)].into(),
            ..two.clone()
        },
    )
    .unwrap();
    assert_eq!(
        more.front.iter().map(|it| it.spend).collect::<Vec<_>>(),
        [25.0]
    );
    assert!(
        find(
            &plan,
            &FindAsk {
                parts: Some(0),
                ..two.clone()
            }
        )
        .unwrap()
        .front
        .is_empty()
    );
    // Any number of it is as many as there are devices.
    let any = find(
        &plan,
        &FindAsk {
            counts: [("steady".to_owned(), 1000)].into(),
            ..two.clone()
        },
    )
    .unwrap();
    assert_eq!(any, found);
    assert_eq!(
        find(
            &plan,
            &FindAsk {
                parts: Some(1),
                ..two
            }
        )
        .unwrap()
        .front
        .len(),
        1
    );
}

#[test]
fn no_mains_leads_to_what_stands_outside_and_only_named_sources_are_used() {
    let plan = site(&|plan| {
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 24}]);
    });
    let ask = FindAsk {
        outage: Some("o".into()),
        front: true,
        ..FindAsk::of(&["router"], 5.0)
    };
    let only = |source: &str, dry: bool| {
        let no_mains = if dry {
            vec!["router".to_owned()]
        } else {
            Vec::new()
        };
        find(
            &plan,
            &FindAsk {
                sources: vec![source.into()],
                no_mains,
                ..ask.clone()
            },
        )
        .unwrap()
    };
    let fed = |it: &Member| {
        it.arrangement
            .feeds
            .iter()
            .map(|it| it.from.item.to_string())
            .collect::<Vec<_>>()
    };
    for dry in [false, true] {
        for it in only("station", dry).front {
            assert!(
                fed(&it).contains(&"station".to_owned()) && !fed(&it).contains(&"bank".to_owned()),
                "{it:?}"
            );
            assert!(!dry || !fed(&it).contains(&"adapter".to_owned()), "{it:?}");
        }
    }
    assert!(!only("bank", true).front.is_empty());
    // A pump for alternating current in the wet runs on nothing here.
    let pump = FindAsk {
        devices: vec!["pump".into()],
        no_mains: vec!["pump".into()],
        ..ask
    };
    let none = find(&plan, &pump).unwrap();
    assert!(
        none.front.is_empty() && none.sentence.contains("nothing runs"),
        "{}",
        none.sentence
    );
    assert!(
        none.sentence.contains("not even alone"),
        "{}",
        none.sentence
    );
}

#[test]
fn a_person_who_switches_wins_hours_and_no_more_is_asked_of_him_than_he_said() {
    let plan = site(&|plan| {
        plan["kit"]["devices"][3]["cycle"] =
            json!({"kind": "hours", "from": "18:00", "to": "19:00"});
        plan["kit"]["sources"][1]["ports"][1]["loss"] = json!({"idle_w": 11, "proportional": 0.1});
        plan["kit"]["converters"] = json!([]);
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 200}]);
    });
    let ask = |by_hand: f64| FindAsk {
        outage: Some("o".into()),
        front: true,
        by_hand,
        ..FindAsk::of(&["pump"], 10.0)
    };
    let left = find(&plan, &ask(0.0)).unwrap();
    let once = find(&plan, &ask(1.0)).unwrap();
    let twice = find(&plan, &ask(2.0)).unwrap();
    let longest = |it: &[Member]| it.iter().map(|it| it.hours).fold(0.0, f64::max);
    // 450 Wh at 11 W for being on and 67 Wh an hour a day: under two days; switched, near a week.
    assert!(longest(&left.front) < 40.0, "{}", left.sentence);
    assert_eq!(
        once.front.len(),
        left.front.len(),
        "on and off are two actions"
    );
    assert!(longest(&twice.front) > 100.0, "{}", twice.sentence);
    assert!(
        left.front
            .iter()
            .all(|it| it.by_hand.abs() < 1e-9 && it.arrangement.switching.is_empty())
    );
    let best = twice
        .front
        .iter()
        .max_by(|a, b| a.hours.total_cmp(&b.hours))
        .unwrap();
    assert!(
        (best.by_hand - 2.0).abs() < 1e-9 && best.arrangement.switching.len() == 1,
        "{best:?}"
    );
    assert!(
        best.sentence.contains("2 actions by hand a day"),
        "{}",
        best.sentence
    );
    assert!((put_in(&plan, best, "o").1 - best.hours).abs() < 1e-6);
}

/// A router on a small bank that is owned, and what could be bought.
fn to_buy() -> Plan {
    site(&|plan| {
        let bank = plan["kit"]["sources"][0].clone();
        let named = |id: &str, label: &str, amp_hours: f64, price: Value, kilograms: f64| {
            let mut it = bank.clone();
            (it["id"], it["label"], it["owned"]) = (json!(id), json!(label), json!(false));
            (it["battery"]["capacity_ah"], it["weight_kg"]) = (json!(amp_hours), json!(kilograms));
            if price.is_number() {
                it["price"] = price;
            }
            it
        };
        let mut own = bank.clone();
        own["battery"]["capacity_ah"] = json!(20);
        plan["kit"]["sources"] = json!([
            own,
            named("large", "Large bank", 60.0, json!(300), 8.0),
            named("dear", "Dear bank", 60.0, json!(500), 8.0),
            named("tiny", "Tiny bank", 10.0, json!(40), 1.0),
            named("secret", "Bank without a price", 50.0, json!(null), 7.0)
        ]);
        plan["kit"]["converters"]
            .as_array_mut()
            .unwrap()
            .retain(|it| it["id"] == "steady");
        let mut spare = plan["kit"]["converters"][0].clone();
        (spare["id"], spare["label"], spare["owned"]) =
            (json!("lean"), json!("Lean 12"), json!(false));
        (spare["price"], spare["loss"]["idle_w"]) = (json!(10), json!(0.1));
        plan["kit"]["converters"]
            .as_array_mut()
            .unwrap()
            .push(spare);
        plan["arrangements"] = json!([{"id": "now", "label": "Now", "feeds": [
            {"from": {"item": "bank", "port": "studs"}, "to": "steady"},
                {"from": {"item": "steady", "port": "out"}, "to": "router"}]}]);
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 96}]);
        plan["site"]["energy_price"] = json!({"per_kwh": 0.4, "currency": "EUR"});
    })
}

#[test]
fn what_a_purchase_wins_is_what_it_lasts_and_what_is_not_worth_it_says_why() {
    let plan = to_buy();
    let find_ask = FindAsk {
        outage: Some("o".into()),
        ..FindAsk::of(&["router"], 1.0)
    };
    let ask = WinsAsk {
        find: find_ask.clone(),
        arrangement: Some("now".into()),
    };
    let found = wins(&plan, &ask).unwrap();
    let of = |id: &str| found.purchases.iter().find(|it| it.item == id).unwrap();
    let owned = found.owned.as_ref().unwrap();
    assert!(found.proven && owned.buys.is_empty(), "{}", found.sentence);
    // 20 Ah at 12.8 V to a tenth, at 12 / 0.92 + 0.4 W and a little: some 17 h; 60 Ah three times
    // that.
    assert!((16.0..18.0).contains(&owned.hours), "{}", owned.hours);
    let large = of("large");
    assert!(
        (large.hours.unwrap() / owned.hours - 3.0).abs() < 0.05,
        "{}",
        large.sentence
    );
    assert!((large.h_per_coin.unwrap() - large.won_h / 300.0).abs() < 1e-9);
    assert!((large.h_per_kg.unwrap() - large.won_h / 8.0).abs() < 1e-9);
    assert_eq!(
        (large.worth, of("dear").worth, of("tiny").worth),
        (Worth::Wins, Worth::Bettered, Worth::Nothing)
    );
    assert_eq!(of("secret").worth, Worth::Unpriced);
    assert!(
        of("dear").sentence.contains("Large bank"),
        "{}",
        of("dear").sentence
    );
    assert!(
        of("tiny").sentence.contains("wins no hours"),
        "{}",
        of("tiny").sentence
    );
    assert!(
        found.sentence.contains("Large bank") || found.sentence.contains("Lean 12"),
        "{}",
        found.sentence
    );
    // A converter that idles less saves a little each day, and that pays for it.
    let lean = of("lean");
    assert!(
        lean.saves_wh_day.unwrap() > 5.0 && lean.pays_back_years.unwrap() > 0.0,
        "{lean:?}"
    );
    assert!(
        (lean.pays_back_years.unwrap()
            - 10.0 / (lean.saves_wh_day.unwrap() / 1000.0 * 0.4 * 365.25))
            .abs()
            < 1e-6
    );
    // Carried out, each lasts what was said, and none lasts longer than everything together.
    let all = find(
        &plan,
        &FindAsk {
            front: true,
            ..find_ask.clone()
        },
    )
    .unwrap();
    let longest = all.front.iter().map(|it| it.hours).fold(0.0, f64::max);
    for it in &found.purchases {
        let Some(member) = &it.member else { continue };
        assert!(
            (put_in(&plan, member, "o").1 - it.hours.unwrap()).abs() < 1e-6,
            "{it:?}"
        );
        assert!(
            member.buys == [it.label.clone()] && it.hours.unwrap() <= longest * 1.021,
            "{it:?}"
        );
    }
    let best = found.purchases.iter().filter(|it| it.worth == Worth::Wins);
    assert!(
        best.clone()
            .zip(best.skip(1))
            .all(|(one, next)| one.h_per_coin >= next.h_per_coin)
    );
    // Beyond what was named, and with nothing to buy.
    let poor = WinsAsk {
        find: FindAsk {
            spend: Some(100.0),
            ..find_ask.clone()
        },
        arrangement: None,
    };
    let poor = wins(&plan, &poor).unwrap();
    assert_eq!(
        poor.purchases
            .iter()
            .find(|it| it.item == "large")
            .unwrap()
            .worth,
        Worth::Beyond
    );
    assert!(poor.now_h.is_none());
    let none = wins(
        &plan,
        &WinsAsk {
            find: FindAsk {
                shelf: Shelf::Owned,
                ..find_ask.clone()
            },
            arrangement: None,
        },
    )
    .unwrap();
    assert!(
        none.purchases.is_empty() && none.sentence.contains("There is nothing to buy"),
        "{}",
        none.sentence
    );
    let dark = WinsAsk {
        find: FindAsk {
            devices: vec!["lamp".into()],
            ..find_ask
        },
        arrangement: Some("now".into()),
    };
    assert_eq!(wins(&plan, &dark).unwrap_err().path, "arrangement");
}

#[test]
fn other_chains_of_what_is_owned_come_before_any_purchase() {
    let plan = demo();
    let find = FindAsk {
        outage: Some("winter-storm".into()),
        ..FindAsk::of(&["router", "terminal"], 1.0)
    };
    let found = wins(
        &plan,
        &WinsAsk {
            find,
            arrangement: Some("direct".into()),
        },
    )
    .unwrap();
    let (now, owned) = (found.now_h.unwrap(), found.owned.as_ref().unwrap());
    assert!(owned.hours > now, "{}", found.sentence);
    assert!((put_in(&plan, owned, "winter-storm").1 - owned.hours).abs() < 1e-6);
    assert!(
        found.sentence.contains("cost nothing"),
        "{}",
        found.sentence
    );
    for it in &found.changes {
        let mut with = plan.clone();
        let way = with
            .arrangements
            .iter_mut()
            .find(|it| it.id.as_str() == "direct")
            .unwrap();
        way.switching = it.switching.clone();
        let way = way.clone();
        let outage = with
            .outages
            .iter()
            .find(|it| it.id.as_str() == "winter-storm")
            .unwrap();
        let run = simulate(&with, &way, outage, None);
        let lost = ["router", "terminal"]
            .iter()
            .filter_map(|id| run.devices[*id].down_at_h)
            .fold(f64::INFINITY, f64::min);
        assert!(
            (lost.min(outage.hours.get()) - it.hours).abs() < 1e-6,
            "{it:?}"
        );
    }
}

#[test]
fn two_outlets_of_one_converter_carry_what_one_of_them_does_not() {
    let plan = site(&|plan| {
        let mut one = plan["kit"]["devices"][2].clone();
        one["phases"][0]["watts"] = json!(15);
        let mut two = one.clone();
        (two["id"], two["label"]) = (json!("two"), json!("Two"));
        plan["kit"]["devices"] = json!([one, two]);
        plan["kit"]["sources"].as_array_mut().unwrap().truncate(1);
        let mut steady = plan["kit"]["converters"][1].clone();
        let mut out = steady["outputs"][0].clone();
        out["limit"]["continuous_w"] = json!(20);
        let mut other = out.clone();
        other["id"] = json!("other");
        steady["outputs"] = json!([out, other]);
        plan["kit"]["converters"] = json!([steady]);
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 24}]);
    });
    let ask = FindAsk {
        outage: Some("o".into()),
        front: true,
        ..FindAsk::of(&["router", "two"], 5.0)
    };
    let found = find(&plan, &ask).unwrap();
    let way = &found
        .front
        .first()
        .unwrap_or_else(|| panic!("{}", found.sentence))
        .arrangement;
    let outlets: Vec<&str> = way
        .feeds
        .iter()
        .filter(|it| it.from.item.as_str() == "steady")
        .map(|it| it.from.port.as_str())
        .collect();
    assert!(
        outlets.contains(&"out") && outlets.contains(&"other"),
        "{outlets:?}"
    );
}
