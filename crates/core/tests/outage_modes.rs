//! What devices do at a loss and after it, worked out by hand.

use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{
    Doing, Fate, Handle, Plane, Simulation, Sky, Sun, chances, clocked, shed_board, simulate,
    starts, switchover, tell, trips_at_return, wear,
};
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// A station that passes the mains on, with an outlet; devices hang on the outlet by an adapter
/// that holds up.
fn station(devices: &Value, outage: Value) -> Plan {
    let feeds: Vec<Value> = devices
        .as_array()
        .unwrap()
        .iter()
        .map(|it| json!({"from": {"item": "station", "port": "outlet"}, "to": it["id"]}))
        .collect();
    let mut outage = outage;
    outage["id"] = json!("cut");
    outage["label"] = json!("Cut");
    // At 25 °C the chemistry has all of its capacity.
    outage["ambient_c"] = json!(25);
    Plan::from_value(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice"},
        "kit": {"devices": devices, "converters": [],
            "sources": [{"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500, "floor_soc": 0.1},
                "line": {"mode": "standby", "transfer_ms": 20, "return_ms": 8},
                "inputs": [{"id": "wall", "kind": "mains", "max_w": 300, "efficiency": 0.9}],
                "ports": [{"id": "outlet", "current": "ac", "voltage": {"ac_v": 230},
                    "limit": {"continuous_w": 300, "overload": [{"up_to_w": 400,
                        "for_s": 20}]}}]}]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": feeds}], "outages": [outage]}),
    )
    .unwrap()
}

#[expect(
    clippy::needless_pass_by_value,
    reason = "what it is given is made where it is called"
)]
fn device(id: &str, watts: f64, more: Value) -> Value {
    let mut it = json!({"id": id, "label": id, "input": {"current": "ac", "rated_v": 230},
        "phases": [{"when": "running", "watts": watts}]});
    for (key, value) in more.as_object().unwrap() {
        it[key] = value.clone();
    }
    it
}

fn cut(plan: &Plan) -> Simulation {
    simulate(plan, &plan.arrangements[0], &plan.outages[0], None)
}

fn near(a: f64, b: f64, by: f64) {
    assert!((a - b).abs() <= by, "{a} instead of {b}");
}

fn states(of: &Simulation, id: &str) -> Vec<(Doing, f64)> {
    of.devices[id]
        .spans
        .iter()
        .map(|it| (it.state, (it.to_h * 3600.0).round() / 3600.0))
        .collect()
}

#[test]
fn a_return_brings_each_back_in_its_own_way() {
    let devices = json!([
        device(
            "pump",
            50.0,
            json!({"ride_through_ms": 30, "after_loss": {"kind": "resumes"}})
        ),
        device(
            "router",
            50.0,
            json!({"ride_through_ms": 30, "after_loss": {"kind": "restarts", "seconds": 60},
            "phases": [{"when": "running", "watts": 50}, {"when": "starting", "watts": 80,
                "seconds": 30}]})
        ),
        device(
            "heater",
            50.0,
            json!({"ride_through_ms": 30, "after_loss": {"kind": "latches"}})
        ),
        device(
            "filter",
            50.0,
            json!({"ride_through_ms": 30, "after_loss": {"kind": "resumes"},
            "deadline": {"minutes": 30, "then": "inspect-before-restart", "consequence": "the \
            water turns"}})
        ),
        device("quiet", 25.0, json!({})),
    ]);
    // 450 Wh of 500 down to the floor, at 225 W: two hours; the mains is back after four.
    let plan = station(
        &devices,
        json!({"start": "2026-01-14T12:00", "hours": 6, "mains": [{"from_h": 0, "to_h": 4,
            "state": "out"}, {"from_h": 4, "to_h": 6, "state": "on"}]}),
    );
    let found = cut(&plan);
    for id in ["pump", "router", "heater", "filter", "quiet"] {
        near(found.devices[id].down_at_h.unwrap(), 2.0, 1e-3);
        assert_eq!(found.devices[id].why.as_deref(), Some("floor"));
        assert_eq!(found.devices[id].losses, 1);
    }
    near(found.sources["station"].to_floor_h.unwrap(), 2.0, 1e-3);
    assert_eq!(
        states(&found, "pump")[1..],
        [(Doing::Down, 4.0), (Doing::On, 6.0)]
    );
    assert_eq!(
        states(&found, "router")[1..],
        [
            (Doing::Down, 4.0),
            (Doing::Restarting, (4.0_f64 * 3600.0 + 60.0) / 3600.0),
            (Doing::Starting, (4.0_f64 * 3600.0 + 90.0) / 3600.0),
            (Doing::On, 6.0)
        ]
    );
    assert_eq!(
        states(&found, "heater")[1..],
        [(Doing::Down, 4.0), (Doing::Latched, 6.0)]
    );
    // Nobody said what it does: it waits for a person too.
    assert_eq!(
        states(&found, "quiet")[1..],
        [(Doing::Down, 4.0), (Doing::Latched, 6.0)]
    );
    assert_eq!(
        states(&found, "filter")[1..],
        [(Doing::Down, 4.0), (Doing::Inspect, 6.0)]
    );
    near(
        found.devices["filter"].deadline_missed_h.unwrap(),
        2.5,
        1e-3,
    );
    assert_eq!(
        (
            found.devices["pump"].restarts,
            found.devices["router"].restarts,
            found.devices["heater"].restarts
        ),
        (1, 1, 0)
    );
    // While the mains is there it carries the outlet and fills the store: 300 W × 0.9 × 0.98 or so,
    // tapering.
    let station = &found.sources["station"];
    near(station.drawn_wh, 450.0, 0.5);
    assert!(
        station.end_soc > 0.95 && station.charged_wh > 400.0,
        "{station:?}"
    );
    near(
        found.energy.mains_wh,
        50.0 * 2.0 + (50.0 * (2.0 - 90.0 / 3600.0) + 80.0 * 30.0 / 3600.0),
        0.5,
    );
}

#[test]
fn a_mains_that_goes_again_is_ridden_through_or_not() {
    let devices = json!([
        device(
            "tough",
            20.0,
            json!({"ride_through_ms": 24, "after_loss": {"kind": "restarts", "seconds": 60}})
        ),
        device(
            "weak",
            20.0,
            json!({"ride_through_ms": 12, "after_loss": {"kind": "restarts", "seconds": 60}})
        ),
        device(
            "stuck",
            20.0,
            json!({"ride_through_ms": 6, "after_loss": {"kind": "latches"}})
        ),
    ]);
    let mains = json!([{"from_h": 0, "to_h": 1, "state": "out"}, {"from_h": 1, "to_h": 2,
        "state": "on"}, {"from_h": 2, "to_h": 3, "state": "out"}]);
    let plan = station(
        &devices,
        json!({"start": "2026-01-14T12:00", "hours": 3, "mains": mains}),
    );
    let found = cut(&plan);
    assert_eq!(found.devices["tough"].losses, 0);
    // The return takes 8 ms and the going 20: the weak one survives 12, the stuck one 6. It sees
    // the going at the start and again after two hours, and comes back from both by itself: two
    // losses, no end.
    assert_eq!(
        (found.devices["weak"].losses, found.devices["weak"].restarts),
        (2, 2)
    );
    assert_eq!(found.devices["weak"].down_at_h, None);
    near(found.devices["weak"].up_h, 3.0 - 120.0 / 3600.0, 1e-4);
    // The stuck one latches as the outage begins, and nobody is there.
    near(found.devices["stuck"].down_at_h.unwrap(), 0.0, 1e-9);
    assert_eq!(found.devices["stuck"].why.as_deref(), Some("switchover"));
    near(found.devices["stuck"].up_h, 0.0, 1e-9);
    let told = switchover(&plan, &plan.arrangements[0], &plan.outages[0]);
    let fates: Vec<Fate> = told.switch.iter().map(|it| it.fate).collect();
    assert_eq!(fates, [Fate::RidesThrough, Fate::Reboots, Fate::Latches]);
    let fates: Vec<Fate> = told.back.iter().map(|it| it.fate).collect();
    assert_eq!(
        fates,
        [Fate::RidesThrough, Fate::RidesThrough, Fate::Latches]
    );
    assert_eq!(told.switch[1].back_s, Some(60.02));
    assert!(
        told.headline.contains("stuck") && told.headline.contains("needs a person"),
        "{}",
        told.headline
    );
}

#[test]
fn a_stage_between_shortens_the_gap_by_what_it_holds() {
    let plan = Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "Sluice"},
        "kit": {"devices": [{"id": "router", "label": "Router", "ride_through_ms": 5,
            "after_loss": {"kind": "restarts", "seconds": 40},
                "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running",
                    "watts": 12}]}],
            "converters": [{"id": "adapter", "label": "Adapter", "kind": "ac_adapter",
                "input": {"current": "ac"},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}],
                    "hold_up": {"ms": 10, "at_w": 18}}],
            "sources": [{"id": "unit", "label": "Unit", "kind": "backup_unit",
                "battery": {"chemistry": "agm", "energy_wh": 90},
                "line": {"mode": "standby", "transfer_ms": 20}, "ports": [{"id": "out",
                    "current": "ac", "voltage": {"ac_v": 230}}]}]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": [{"from": {"item": "unit",
            "port": "out"}, "to": "adapter"},
            {"from": {"item": "adapter", "port": "out"}, "to": "router"}]}],
        "outages": [{"id": "cut", "label": "Cut", "start": "2026-01-14T12:00", "hours": 3}]}))
    .unwrap();
    let told = switchover(&plan, &plan.arrangements[0], &plan.outages[0]);
    // 10 ms at 18 W is 15 ms at 12 W: 5 of the 20 are left, which it just survives.
    near(told.switch[0].held_ms, 15.0, 1e-9);
    near(told.switch[0].gap_ms, 5.0, 1e-9);
    assert_eq!(told.switch[0].fate, Fate::RidesThrough);
    // Nobody said how long the return takes.
    assert_eq!(told.back[0].fate, Fate::Unknown);
}

#[test]
fn a_hand_takes_its_minutes() {
    let mut plan = serde_json::to_value(station(
        &json!([
            device("pump", 20.0, json!({"after_loss": {"kind": "latches"}})),
            device("lamp", 20.0, json!({}))
        ]),
        json!({"start": "2026-01-14T12:00", "hours": 2}),
    ))
    .unwrap();
    plan["arrangements"][0]["feeds"][0]["hand_switchover_minutes"] = json!(6);
    let plan = Plan::from_value(&plan).unwrap();
    let found = cut(&plan);
    near(found.devices["pump"].up_h, 1.9, 1e-4);
    assert_eq!(
        (
            found.devices["pump"].down_at_h,
            found.devices["pump"].losses
        ),
        (None, 1)
    );
    near(found.devices["lamp"].up_h, 2.0, 1e-6);
    let told = switchover(&plan, &plan.arrangements[0], &plan.outages[0]);
    assert_eq!(told.switch[0].fate, Fate::ByHand);
    assert_eq!(told.switch[0].back_s, Some(360.0));
}

#[test]
fn a_start_over_the_limit_trips_after_its_time_and_a_shorter_one_does_not() {
    let start = |seconds: f64| {
        let devices = json!([device(
            "motor",
            250.0,
            json!({"cycle": {"kind": "hours", "from": "13:00", "to": "13:30"},
            "phases": [{"when": "running", "watts": 250}, {"when": "starting", "watts": 350,
                "seconds": seconds}]})
        )]);
        cut(&station(
            &devices,
            json!({"start": "2026-01-14T12:00", "hours": 2}),
        ))
    };
    assert!(start(19.0).events.is_empty());
    let tripped = start(40.0);
    assert_eq!(tripped.events[0].what, "trip");
    near(tripped.events[0].at_h, 1.0 + 20.0 / 3600.0, 1e-5);
    assert!(
        tripped.events[0].cause[0].contains("while motor started"),
        "{:?}",
        tripped.events[0].cause
    );
    assert_eq!(tripped.devices["motor"].why.as_deref(), Some("trip"));
}

#[test]
fn what_is_warm_trips_sooner_than_what_has_cooled() {
    // Two motors of 350 W for 15 s each on an outlet that carries that for 20 s: the second within
    // the minute trips after 20 − (15 − pause) seconds, as it cools as fast as it heats.
    let run = |second: &str, period: f64| {
        let motor = |id: &str, from: &str| {
            device(
                id,
                10.0,
                json!({"cycle": {"kind": "hours", "from": from, "to": "14:00"},
                "phases": [{"when": "running", "watts": 10}, {"when": "starting", "watts": 340,
                    "seconds": period}]}),
            )
        };
        cut(&station(
            &json!([motor("a", "13:00"), motor("b", second)]),
            json!({"start": "2026-01-14T12:00", "hours": 2}),
        ))
    };
    // 55 s of start heats up fully in 20 s: trips at once in the first.
    near(run("13:01", 55.0).events[0].at_h, 1.0 + 20.0 / 3600.0, 1e-5);
    // 19 s, then 41 s of rest: cold again.
    assert!(run("13:01", 19.0).events.is_empty());
    // At the same minute they are over every level at once.
    near(run("13:00", 15.0).events[0].at_h, 1.0, 1e-5);
}

#[test]
fn a_staggered_return_never_starts_two_at_once() {
    let starting = |id: &str| {
        device(
            id,
            100.0,
            json!({"ride_through_ms": 30, "after_loss": {"kind": "restarts", "seconds": 0},
                "priority": 1,
            "phases": [{"when": "running", "watts": 90}, {"when": "starting", "watts": 210,
                "seconds": 10}]}),
        )
    };
    let mains =
        json!([{"from_h": 0, "to_h": 2, "state": "out"}, {"from_h": 2, "to_h": 4, "state": "on"}]);
    let plan = station(
        &json!([
            starting("a"),
            starting("b"),
            device("lamp", 5.0, json!({"after_loss": {"kind": "resumes"}}))
        ]),
        json!({"start": "2026-01-14T12:00", "hours": 4, "initial_soc": {"station": 0.3},
            "mains": mains}),
    );
    let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
    let order = starts(&plan, way, outage, &BTreeMap::new());
    assert!(!order.at_once && order.never.is_empty(), "{order:?}");
    assert_eq!(order.turns.len(), 3);
    assert!(!trips_at_return(&plan, way, outage, None).is_empty());
    assert_eq!(
        trips_at_return(&plan, way, outage, order.rule.as_ref()),
        Vec::<String>::new()
    );
}

#[test]
fn a_pair_that_never_fits_is_named() {
    let starting = |id: &str, watts: f64| {
        device(
            id,
            watts,
            json!({"after_loss": {"kind": "resumes"},
            "phases": [{"when": "running", "watts": watts}, {"when": "starting", "watts": 390,
                "seconds": 10}]}),
        )
    };
    let plan = station(
        &json!([
            starting("saw", 120.0),
            starting("press", 120.0),
            device("lamp", 5.0, json!({"after_loss": {"kind": "resumes"}}))
        ]),
        json!({"start": "2026-01-14T12:00", "hours": 4}),
    );
    let order = starts(
        &plan,
        &plan.arrangements[0],
        &plan.outages[0],
        &BTreeMap::new(),
    );
    let mut never = order.never.clone();
    never.sort();
    assert_eq!(never, ["press", "saw"]);
    assert!(
        order.turns.is_empty() && order.sentence.contains("no order"),
        "{}",
        order.sentence
    );
}

#[test]
fn summer_time_moves_what_goes_by_the_clock() {
    let lamp = json!([device(
        "lamp",
        10.0,
        json!({"cycle": {"kind": "hours", "from": "06:00", "to": "07:00"}})
    )]);
    let mut plan = serde_json::to_value(station(
        &lamp,
        json!({"start": "2026-03-28T22:00", "hours": 12}),
    ))
    .unwrap();
    let on_from = |plan: &Value| {
        let found = cut(&Plan::from_value(plan).unwrap());
        let on = found.devices["lamp"]
            .spans
            .iter()
            .find(|it| it.state == Doing::On)
            .unwrap()
            .clone();
        (on.from_h, on.to_h)
    };
    let (from, to) = on_from(&plan);
    near(from, 8.0, 1e-6);
    near(to, 9.0, 1e-6);
    // In the night to the 29th the clocks of central Europe go forward: six o'clock comes an hour
    // sooner.
    plan["site"]["place"] = json!({"time_zone": "Europe/Berlin"});
    let (from, to) = on_from(&plan);
    near(from, 7.0, 1e-6);
    near(to, 8.0, 1e-6);
    plan["outages"][0]["start"] = json!("2026-10-24T22:00");
    let (from, _) = on_from(&plan);
    near(from, 9.0, 1e-6);
    plan["site"]["place"]["time_zone"] = json!("Nowhere/Else");
    let refused = Plan::from_value(&plan).unwrap_err();
    assert_eq!(refused.path, "site.place.time_zone");
}

#[test]
fn a_generator_runs_by_its_hours_its_quiet_and_its_fuel() {
    let plan = |fuel: f64, quiet: Value, runs: Value| {
        Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
            "site": {"name": "Sluice"},
            "kit": {"devices": [device("pump", 100.0,
                json!({"after_loss": {"kind": "resumes"}}))], "converters": [],
                "sources": [{"id": "set", "label": "Set", "kind": "generator",
                    "engine": {"fuel_l": fuel, "idle_l_per_h": 0.2, "l_per_kwh": 0.5,
                        "quiet": quiet},
                    "ports": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}]}]},
            "arrangements": [{"id": "way", "label": "Way", "feeds": [{"from": {"item": "set",
                "port": "out"}, "to": "pump"}]}],
            "outages": [{"id": "cut", "label": "Cut", "start": "2026-01-14T18:00", "hours": 24,
                "runs": runs}]}))
        .unwrap()
    };
    // 0.2 l an hour and 0.05 l for its 100 W: a litre is four hours.
    let found = cut(&plan(1.0, json!([]), json!([])));
    near(found.devices["pump"].down_at_h.unwrap(), 4.0, 1e-3);
    assert_eq!(found.events[0].what, "out of fuel");
    // Quiet from ten to six: four hours in the evening, then from six on.
    let found = cut(&plan(
        100.0,
        json!([{"from": "22:00", "to": "06:00"}]),
        json!([]),
    ));
    near(found.devices["pump"].down_at_h.unwrap(), 4.0, 1e-6);
    near(found.devices["pump"].up_h, 16.0, 1e-4);
    let found = cut(&plan(
        100.0,
        json!([]),
        json!([{"source": "set", "from_h": 2, "to_h": 5}]),
    ));
    near(found.devices["pump"].up_h, 3.0, 1e-4);
}

/// A bank with a pump, and a converter that cuts out and in again.
fn bank(more: &dyn Fn(&mut Value)) -> Plan {
    let mut plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice"},
        "kit": {"devices": [
                {"id": "router", "label": "Router", "priority": 1,
                    "after_loss": {"kind": "restarts", "seconds": 30},
                    "input": {"current": "dc", "rated_v": 12, "min_v": 11.6},
                        "phases": [{"when": "running", "watts": 12}]},
                {"id": "winch", "label": "Winch", "priority": 2, "after_loss": {"kind": "resumes"},
                    "input": {"current": "dc", "rated_v": 12}, "cycle": {"kind": "hours",
                        "from": "13:00", "to": "13:10"},
                    "phases": [{"when": "running", "watts": 10}, {"when": "starting",
                        "watts": 700, "seconds": 60}]}],
            "converters": [{"id": "block", "label": "Block", "kind": "junction",
                "input": {"current": "dc"},
                "outputs": [{"id": "ways", "current": "dc", "voltage": {"follows": true}}]}],
            "sources": [{"id": "bank", "label": "Bank", "kind": "battery", "price": 500,
                "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100,
                    "internal_ohm": 0.03},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": [
            {"from": {"item": "bank", "port": "studs"}, "to": "block", "cable": {"length_m": 1,
                "area_mm2": 6}},
            {"from": {"item": "block", "port": "ways"}, "to": "router"},
            {"from": {"item": "block", "port": "ways"}, "to": "winch"}]}],
        "outages": [{"id": "cut", "label": "Cut", "start": "2026-01-14T12:00", "hours": 4,
            "ambient_c": 20}]});
    more(&mut plan);
    Plan::from_value(&plan).unwrap()
}

#[test]
fn a_device_that_a_start_drags_down_comes_back_after_it_with_its_chain_of_cause() {
    let found = cut(&bank(&|_| ()));
    let router = &found.devices["router"];
    assert_eq!((router.losses, router.restarts), (1, 1));
    near(router.down_at_h.unwrap(), 1.0, 1e-6);
    // Down for the minute of the start, and the half minute of its own.
    near(router.up_h, 4.0 - 90.0 / 3600.0, 1e-3);
    let cause: Vec<String> = router
        .cause
        .iter()
        .map(|it| it.plain().into_owned())
        .collect();
    let cause = cause.join(" ← ");
    for words in [
        "Router down at 1 h",
        "it needs",
        "Bank at",
        "open",
        "lost inside it",
        "lost in 1 m of lead",
        "while Winch started",
    ] {
        assert!(cause.contains(words), "{words} is missing in {cause}");
    }
}

#[test]
fn a_converter_comes_back_at_its_cut_in_and_only_there() {
    let through = |cut_in: f64| {
        bank(&move |plan| {
            plan["kit"]["converters"].as_array_mut().unwrap().push(
                json!({"id": "steady", "label": "Steady", "kind": "buck_boost",
                "input": {"current": "dc", "cut_out_v": 12.0, "cut_in_v": cut_in},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}],
                    "start_s": 5}),
            );
            plan["arrangements"][0]["feeds"][1] =
                json!({"from": {"item": "block", "port": "ways"}, "to": "steady"});
            plan["arrangements"][0]["feeds"]
                .as_array_mut()
                .unwrap()
                .push(json!({"from": {"item": "steady", "port": "out"}, "to": "router"}));
        })
    };
    let found = cut(&through(12.8));
    let what: Vec<&str> = found.events.iter().map(|it| it.what.as_str()).collect();
    assert_eq!(what, ["low-voltage cut-out", "cut-in", "restart"]);
    near(found.events[1].at_h, 1.0 + 60.0 / 3600.0, 1e-4);
    near(found.events[2].at_h, 1.0 + 95.0 / 3600.0, 1e-4);
    // It would never get that far without a charge.
    assert_eq!(cut(&through(14.4)).devices["router"].restarts, 0);
}

#[test]
fn a_chained_store_takes_only_what_it_can() {
    let plan = bank(&|plan| {
        plan["kit"]["sources"].as_array_mut().unwrap().push(
            json!({"id": "pack", "label": "Pack", "kind": "power_station",
            "battery": {"chemistry": "li_ion", "energy_wh": 100},
            "inputs": [{"id": "in", "kind": "dc", "max_w": 60, "efficiency": 0.9}],
            "ports": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}]}),
        );
        plan["arrangements"][0]["feeds"][1] =
            json!({"from": {"item": "pack", "port": "out"}, "to": "router"});
        plan["arrangements"][0]["feeds"]
            .as_array_mut()
            .unwrap()
            .push(json!({"from": {"item": "block", "port": "ways"}, "to": "pack/in"}));
        plan["outages"][0]["initial_soc"] = json!({"pack": 0.5});
    });
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], Some(60.0));
    // It fills up, then takes no more than the router draws from it.
    let series = &found.sources["pack"].series;
    assert!(
        series.iter().any(|it| it[1] > 0.94),
        "{:?}",
        found.sources["pack"]
    );
    let last = found.series.as_ref().unwrap().charged_w["pack"]
        .last()
        .copied()
        .unwrap();
    near(last, 12.0, 3.0);
    let energy = found.energy;
    let out = energy.delivered_wh
        + energy.charging_wh
        + energy.conversion_wh
        + energy.idle_wh
        + energy.cables_wh;
    near(out, energy.drawn_wh, 1e-6 * energy.drawn_wh);
}

#[test]
fn the_same_seed_gives_the_same_answer_on_any_number_of_threads() {
    let plan = bank(&|plan| plan["outages"][0]["hours"] = json!(150));
    let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
    let on = |threads: usize, seed: u64| {
        let pool = rayon::ThreadPoolBuilder::new()
            .num_threads(threads)
            .build()
            .unwrap();
        pool.install(|| chances(&plan, way, outage, 60, seed, &Handle::default()).unwrap())
    };
    assert_eq!(on(1, 5), on(3, 5));
    assert_ne!(on(1, 5).devices, on(1, 6).devices);
    let cancelled = Handle::default();
    cancelled.cancel();
    assert_eq!(chances(&plan, way, outage, 60, 1, &cancelled), None);
}

#[test]
fn the_range_is_that_of_the_figure_that_makes_it() {
    // All is sure but the capacity: ±10 % of it are ±10 % of the hours, and it owns the spread.
    let sure = |value: f64| json!({"value": value, "plus_minus": 0, "basis": "measured"});
    let plan = bank(&|plan| {
        plan["kit"]["devices"].as_array_mut().unwrap().truncate(1);
        plan["kit"]["devices"][0]["phases"][0]["watts"] = sure(12.0);
        plan["kit"]["devices"][0]["input"]["min_v"] = sure(9.0);
        plan["kit"]["sources"][0]["battery"]["capacity_ah"] =
            json!({"value": 100, "plus_minus": 10, "basis": "measured"});
        plan["kit"]["sources"][0]["battery"]["internal_ohm"] = sure(0.03);
        plan["arrangements"][0]["feeds"] =
            json!([{"from": {"item": "bank", "port": "studs"}, "to": "router"}]);
        plan["kit"]["converters"] = json!([]);
        plan["outages"][0]["hours"] = json!(200);
    });
    let found = chances(
        &plan,
        &plan.arrangements[0],
        &plan.outages[0],
        1500,
        3,
        &Handle::default(),
    )
    .unwrap();
    let router = &found.devices["router"];
    let middle = cut(&plan).devices["router"].down_at_h.unwrap();
    near(router.hours.p50, middle, 0.01 * middle);
    // The 5th and 95th percentile lie 1.645 standard deviations out, which are 5 %.
    near(router.hours.p95 / middle, 1.0 + 1.645 * 0.05, 0.008);
    near(router.hours.p5 / middle, 1.0 - 1.645 * 0.05, 0.008);
    assert_eq!(router.shares[0].figure.path, "battery.capacity_ah");
    assert!(
        router.shares[0].share > 0.97 && router.lasts == 0.0,
        "{:?}",
        router.shares
    );
}

#[test]
fn what_is_dropped_buys_what_is_left() {
    // 1,152 Wh to the floor or so: 12 W and 36 W on a bank of energy.
    let plan = station(
        &json!([
            device("router", 10.0, json!({"priority": 1})),
            device("lamp", 30.0, json!({"priority": 2}))
        ]),
        json!({"start": "2026-01-14T12:00", "hours": 30}),
    );
    let board = shed_board(
        &plan,
        &plan.arrangements[0],
        &plan.outages[0],
        &["lamp".to_owned()],
        None,
    )
    .unwrap();
    // 450 Wh at 40 W are 11.25 h, at 10 W they are 45 h: it lasts the 30.
    near(board.keeps_h.unwrap(), 11.25, 0.01);
    near(board.each[0].wins_h, 30.0 - 11.25, 0.01);
    near(
        board.set.as_ref().unwrap().wins_h,
        board.each[0].wins_h,
        1e-9,
    );
    // The router for 30 h takes 300 Wh of the 450: the lamp has 150 Wh, five hours.
    let lamp = &board.best[1];
    near(lamp.at_h.unwrap(), 5.0, 0.02);
    near(lamp.below_soc.unwrap(), 1.0 - 5.0 * 40.0 / 500.0, 0.01);
    assert_eq!(board.best[0].at_h, None);
    // Dropped below 40 % of 500 Wh, it goes after 300 Wh or 7.5 h; the 150 Wh to the floor carry
    // the router 15 h more.
    let at = |soc: f64| {
        shed_board(
            &plan,
            &plan.arrangements[0],
            &plan.outages[0],
            &[],
            Some(soc),
        )
        .unwrap()
    };
    let later = at(0.4);
    near(later.each[0].wins_h, 7.5 + 15.0 - 11.25, 0.01);
    assert_eq!(
        later.each[0].sentence,
        "With lamp dropped below 40 % router lasts 11 h 15 min longer."
    );
    near(at(1.0).each[0].wins_h, board.each[0].wins_h, 1e-9);
    assert!(
        at(0.05).each[0].wins_h < 0.01,
        "below the floor nothing is left to win"
    );
    assert!(
        shed_board(
            &plan,
            &plan.arrangements[0],
            &plan.outages[0],
            &["nobody".to_owned()],
            None
        )
        .is_err()
    );
}

#[test]
fn wear_is_that_of_one_swing() {
    let plan = bank(&|plan| plan["outages"][0]["hours"] = json!(40));
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], Some(600.0));
    let bank = &wear(&plan, &found)["bank"];
    let lfp = ash_pond_core::site::chemistry::find("lfp").unwrap();
    // One way down: half a cycle of that depth.
    near(bank.life, 0.5 / lfp.cycles_at(bank.depth), 1e-9);
    near(bank.cost.unwrap(), 500.0 * bank.life, 1e-9);
    near(lfp.cycles_at(0.8), 3000.0, 1e-6);
    assert!(lfp.cycles_at(0.1) > lfp.cycles_at(0.3) && lfp.cycles_at(0.0).is_infinite());
}

#[test]
fn the_sun_stands_where_it_should() {
    // Equinox: twelve hours; Stockholm's midsummer: about eighteen and a half; the polar night:
    // none.
    near(
        Sun::of(50.0, jiff::civil::date(2026, 3, 21)).day_h(),
        12.0,
        0.1,
    );
    near(
        Sun::of(59.3, jiff::civil::date(2026, 6, 21)).day_h(),
        18.4,
        0.3,
    );
    near(
        Sun::of(80.0, jiff::civil::date(2026, 12, 21)).day_h(),
        0.0,
        1e-9,
    );
    // A level plane under the sun of the tropics at noon: about a kilowatt and a twentieth.
    let noon = Sun::of(23.4, jiff::civil::date(2026, 6, 21)).on_plane(
        12.0,
        Plane::tilted(0.0),
        Sky::Clear,
        None,
    );
    assert!((980.0..1100.0).contains(&noon), "{noon}");
    let winter = Sun::of(53.4, jiff::civil::date(2026, 1, 14));
    assert!(winter.day_wh(60.0, Sky::Clear) > 2.0 * winter.day_wh(0.0, Sky::Clear));
    assert!(winter.day_wh(60.0, Sky::Overcast) < 0.25 * winter.day_wh(60.0, Sky::Clear));
    near(
        winter.on_plane(0.0, Plane::tilted(30.0), Sky::Clear, None),
        0.0,
        1e-12,
    );
}

#[test]
fn an_outage_is_told_with_what_to_do() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let way = plan.arrangement("direct").unwrap();
    let told = tell(&plan, way, &plan.outages[0], 200);
    assert!(
        told.headline
            .starts_with("Winter storm, three days: Router lasts 10.7 h"),
        "{}",
        told.headline
    );
    assert!(told.second.contains("goes first"), "{}", told.second);
    assert_eq!(told.order[0], "router");
    // From one dusk to the fourth, by the sun of the place: nights of sixteen hours.
    assert_eq!(told.nights.len(), 4);
    let night = told.nights[1];
    near(night[1] - night[0], 16.0, 0.6);
    assert!(
        told.todo
            .iter()
            .any(|it| it.kind == "drop" && it.what.contains("Hatchery lamp")),
        "{:?}",
        told.todo
    );
    // The cabin's end names who goes with it, what is late is told once with its harm, and nobody
    // reads what stands still.
    let said: Vec<String> = told
        .todo
        .iter()
        .map(|it| it.what.plain().into_owned())
        .collect();
    assert!(
        said.iter().any(
            |it| it.starts_with("Cabin bank is at its floor, and these go down: Diesel heater")
        ),
        "{said:?}"
    );
    assert_eq!(
        said.iter()
            .filter(|it| it.contains("Air pump has been off for too long: the crayfish want air."))
            .count(),
        1
    );
    assert!(
        !said.iter().any(|it| it.contains("deadline passed")),
        "{said:?}"
    );
    let reads: Vec<&String> = said
        .iter()
        .filter(|it| it.starts_with("Read the charge"))
        .collect();
    assert!(
        reads.len() > 3 && reads.windows(2).all(|it| it[0] != it[1]),
        "{reads:?}"
    );
    assert!(told.todo.windows(2).all(|it| it[0].at_h <= it[1].at_h));
    let both = &told.both["router"];
    assert!(both.everything_h.unwrap() > both.spared_h.unwrap());
    assert_eq!(clocked(41.175), "41 h 10 min");
}
