//! Switches and things that are charged: hand-worked days and outages, laws, and what is refused.

use crate::common;

use ash_pond_core::advice::compare::difference;
use ash_pond_core::limits::{Code, Status, findings};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::day::{Switching, being_on, day, fillings};
use ash_pond_core::time::outage::{Doing, simulate};
use common::{close, read, site};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A box of 980 Wh with a socket and an outlet, a router of 9 W on the one and tools of 65 W for an
/// hour and a quarter on the other.
fn box_with_tools() -> Value {
    json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "Box", "ambient_c": 15, "energy_price": {"per_kwh": 0.3,
            "currency": "EUR"}},
        "kit": {"devices": [
            {"id": "router", "label": "Router", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": 9}]},
            {"id": "tools", "label": "Tools", "input": {"current": "ac", "rated_v": 230,
                "power_factor": 0.8},
             "phases": [{"when": "running", "watts": 65}], "cycle": {"kind": "hours",
                 "from": "12:00", "to": "13:15"}}],
          "converters": [],
          "sources": [{"id": "box", "label": "Box", "kind": "power_station",
              "battery": {"chemistry": "lfp", "energy_wh": 980},
            "inputs": [{"id": "wall", "kind": "mains", "max_w": 300, "efficiency": 0.9}],
            "ports": [
              {"id": "socket", "current": "dc", "voltage": {"regulated_v": 13.1},
                  "loss": {"idle_w": 1.1, "proportional": 0.05, "quadratic_per_w": 0.0003}},
              {"id": "outlet", "current": "ac", "voltage": {"ac_v": 230}, "loss": {"idle_w": 9.5,
                  "proportional": 0.08, "quadratic_per_w": 0.0001}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [
            {"from": {"item": "box", "port": "socket"}, "to": "router"},
            {"from": {"item": "box", "port": "outlet"}, "to": "tools"}]}],
        "outages": [{"id": "o", "label": "O", "start": "2026-02-10T19:40", "hours": 60}]})
}

fn switched(mut site: Value, rows: Value) -> Value {
    site["arrangements"][0]["switching"] = rows;
    site
}

fn a_day(site: &Value) -> ash_pond_core::time::day::Usage {
    let plan = read(site);
    day(&plan, &plan.arrangements[0], &Charge::full())
}

#[test]
fn an_outlet_costs_for_being_on_only_while_its_load_is() {
    let site = box_with_tools();
    let left = a_day(&site);
    assert!(close(left.ports["box/outlet"].idle_wh, 24.0 * 9.5, 1e-9));
    // On with its load: an hour and a quarter of 9.5 W.
    let load = a_day(&switched(
        site.clone(),
        json!([{"item": "box", "port": "outlet", "when": "with_load"}]),
    ));
    assert!(close(load.ports["box/outlet"].idle_wh, 1.25 * 9.5, 1e-9));
    assert!(close(left.drawn_wh - load.drawn_wh, 22.75 * 9.5, 1e-9));
    // By the clock for two hours, standing by at 0.3 W for the rest.
    let hours = json!([{"item": "box", "port": "outlet", "when": "hours", "from": "11:30",
        "to": "13:30", "standby_w": 0.3}]);
    let hours = a_day(&switched(site.clone(), hours));
    assert!(close(
        hours.ports["box/outlet"].idle_wh,
        2.0 * 9.5 + 22.0 * 0.3,
        1e-9
    ));
    assert!(close(hours.devices["tools"], left.devices["tools"], 1e-9));
    // Its hours cut the tools short.
    let short =
        json!([{"item": "box", "port": "outlet", "when": "hours", "from": "12:30", "to": "14:00"}]);
    assert!(close(
        a_day(&switched(site, short)).devices["tools"],
        0.75 * 65.0,
        1e-9
    ));
}

#[test]
fn what_switching_would_save_is_told_and_holds_once_it_is_done() {
    let site = box_with_tools();
    let plan = read(&site);
    let on = being_on(&plan, &plan.arrangements[0], &Charge::full());
    let outlet = on.iter().find(|it| it.place == "box/outlet").unwrap();
    assert_eq!(
        (outlet.now.how, outlet.by_hand, outlet.worth),
        (Switching::LeftOn, true, true)
    );
    assert!(close(outlet.saves_wh, 22.75 * 9.5, 1e-9) && close(outlet.with_load.turns, 2.0, 1e-9));
    assert_eq!(
        outlet.sentence.plain(),
        "On with its load: 11.9 Wh instead of 228 Wh a day; two actions by hand."
    );
    let socket = on.iter().find(|it| it.place == "box/socket").unwrap();
    assert!(
        !socket.worth && socket.sentence.contains("always on"),
        "{}",
        socket.sentence
    );
    // Carried out: the switches that it gives, put into the arrangement.
    let mut done = plan.clone();
    done.arrangements[0].switching = outlet.then.clone();
    let was = day(&plan, &plan.arrangements[0], &Charge::full());
    let is = day(&done, &done.arrangements[0], &Charge::full());
    assert!(close(was.drawn_wh - is.drawn_wh, outlet.saves_wh, 1e-9));
    let on = being_on(&done, &done.arrangements[0], &Charge::full());
    let outlet = on.iter().find(|it| it.place == "box/outlet").unwrap();
    assert_eq!(outlet.now.how, Switching::WithLoad);
    assert_eq!(
        outlet.sentence.plain(),
        "On with its load, 1.25 h a day: 11.9 Wh instead of 228 Wh; two actions by hand."
    );
    // What it does is told before it is done: hours, and actions by hand.
    let told = difference(
        (&plan, &plan.arrangements[0]),
        (&done, &done.arrangements[0]),
        &Charge::full(),
    );
    let row = |name: &str| told.rows.iter().find(|it| it.name == name).unwrap();
    assert!(
        row("to the first floor").after.unwrap() > 1.5 * row("to the first floor").before.unwrap()
    );
    assert_eq!(row("actions by hand, a day").after, Some(2.0));
    assert!(told.rows.iter().all(|it| !it.name.ends_with("gets, a day")));
}

#[test]
fn a_preview_says_what_gets_less() {
    let site = box_with_tools();
    let night = json!([{"item": "box", "port": "socket", "when": "hours", "from": "06:00",
        "to": "22:00", "by_hand": true}]);
    let (plan, off) = (read(&site), read(&switched(site, night)));
    let told = difference(
        (&plan, &plan.arrangements[0]),
        (&off, &off.arrangements[0]),
        &Charge::full(),
    );
    let said = told.sentence.plain();
    assert!(
        said.contains("Router gets 144 Wh a day instead of 216 Wh"),
        "{said}"
    );
}

#[test]
fn off_by_a_switch_is_neither_up_nor_lost() {
    let night =
        json!([{"item": "box", "port": "socket", "when": "hours", "from": "06:00", "to": "22:00"}]);
    let mut site = switched(box_with_tools(), night);
    site["kit"]["devices"][0]["phases"]
        .as_array_mut()
        .unwrap()
        .push(json!({"when": "starting", "watts": 14, "seconds": 90}));
    site["outages"][0]["hours"] = json!(24);
    let plan = read(&site);
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    let router = &found.devices["router"];
    assert!(close(router.up_h, 16.0, 1e-6), "{}", router.up_h);
    assert_eq!((router.down_at_h, router.losses), (None, 0));
    // 16 hours, one and a half minutes of them at 14 W.
    assert!(
        close(router.wh, 16.0 * 9.0 + 0.025 * 5.0, 1e-6),
        "{}",
        router.wh
    );
    let states: Vec<Doing> = router.spans.iter().map(|it| it.state).collect();
    assert_eq!(states, [Doing::On, Doing::Shut, Doing::Starting, Doing::On]);
    let run = &found.switching["box/socket"];
    assert_eq!((run.turns, run.spans.len()), (2, 2));
    assert!(close(run.on_h, 16.0, 1e-6));
}

#[test]
fn what_a_hand_switches_stands_in_what_to_do_and_what_is_off_notices_no_switchover() {
    let rows = json!([{"item": "box", "port": "outlet", "when": "with_load", "by_hand": true},
        {"item": "box", "port": "socket", "when": "hours", "from": "06:00", "to": "18:00"}]);
    let mut site = switched(box_with_tools(), rows);
    site["kit"]["sources"][0]["line"] = json!({"mode": "standby", "transfer_ms": 20});
    site["outages"][0]["hours"] = json!(20);
    let plan = read(&site);
    let told =
        ash_pond_core::time::outage::tell(&plan, &plan.arrangements[0], &plan.outages[0], 100);
    let todo: Vec<(f64, String)> = told
        .todo
        .iter()
        .map(|it| (it.at_h, it.what.plain().into_owned()))
        .collect();
    let at = |words: &str| todo.iter().find(|it| it.1 == words).map(|it| it.0);
    // From 19:40 to noon, and to a quarter past one.
    assert!(
        close(
            at("Switch on Box, outlet.").unwrap(),
            16.0 + 20.0 / 60.0,
            1e-6
        ),
        "{todo:?}"
    );
    assert!(
        close(
            at("Switch off Box, outlet.").unwrap(),
            17.0 + 35.0 / 60.0,
            1e-6
        ),
        "{todo:?}"
    );
    // The socket goes by itself.
    assert!(todo.iter().all(|it| !it.1.contains("socket")), "{todo:?}");
    let router = told
        .switchover
        .switch
        .iter()
        .find(|it| it.device == "router")
        .unwrap();
    assert_eq!(
        router.sentence.plain(),
        "Router is switched off at that hour."
    );
}

#[test]
fn a_converter_takes_its_time_when_it_is_switched_on_and_nothing_is_lost_by_it() {
    let site = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S",
        "ambient_c": 15},
        "kit": {"devices": [{"id": "fan", "label": "Fan", "input": {"current": "ac",
            "rated_v": 230}, "phases": [{"when": "running", "watts": 20}],
            "after_loss": {"kind": "latches"}, "cycle": {"kind": "thermostat", "on_fraction": 0.5,
                "period_s": 1200}}],
          "converters": [{"id": "inverter", "label": "Inverter", "kind": "inverter",
              "start_s": 12, "input": {"current": "dc", "cut_out_v": 10.5},
            "outputs": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}],
                "loss": {"idle_w": 6, "proportional": 0.1}}],
          "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
              "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100,
              "internal_ohm": 0.004},
            "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "bank",
            "port": "studs"}, "to": "inverter"},
            {"from": {"item": "inverter", "port": "out"}, "to": "fan"}],
                "switching": [{"item": "inverter", "when": "with_load", "standby_w": 0.4}]}],
        "outages": [{"id": "o", "label": "O", "start": "2026-02-10T19:40", "hours": 10}]});
    let plan = read(&site);
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    let fan = &found.devices["fan"];
    assert_eq!((fan.down_at_h, fan.losses), (None, 0));
    // Thirty turns of ten minutes; all but the first wait twelve seconds for the inverter.
    assert!(
        close(fan.up_h, 5.0 - 29.0 * 12.0 / 3600.0, 1e-6),
        "{}",
        fan.up_h
    );
    assert!(
        close(found.energy.idle_wh, 5.0 * 6.0 + 5.0 * 0.4, 1e-6),
        "{}",
        found.energy.idle_wh
    );
    let on = being_on(&plan, &plan.arrangements[0], &Charge::full());
    assert!(
        !on[0].by_hand && close(on[0].now.turns, 144.0, 1e-9),
        "{}",
        on[0].now.turns
    );
    assert!(
        on[0]
            .sentence
            .contains("which only a switch that senses its load does"),
        "{}",
        on[0].sentence
    );
}

fn phones() -> Value {
    let mut site = box_with_tools();
    site["kit"]["devices"][1] = json!({"id": "tools", "label": "Phones", "quantity": 2,
        "input": {"current": "ac", "rated_v": 230},
        "phases": [{"when": "running", "watts": 17}], "cycle": {"kind": "charge", "wh": 15,
            "from": "21:30", "job": {"label": "calls", "wh": 0.5}}});
    switched(
        site,
        json!([{"item": "box", "port": "outlet", "when": "with_load"}]),
    )
}

#[test]
fn fillings_are_counted_through_their_chain() {
    let site = phones();
    let plan = read(&site);
    let told = fillings(&plan, &plan.arrangements[0], &Charge::full());
    let phones = &told[0];
    // 34 W out of the outlet take 34 + 9.5 + 0.08 · 34 + 0.0001 · 34² = 46.34 W from the store.
    let per_watt = (34.0 + 9.5 + 0.08 * 34.0 + 0.0001 * 34.0 * 34.0) / 34.0;
    assert!(
        close(phones.drawn_wh, 30.0 * per_watt, 1e-6),
        "{}",
        phones.drawn_wh
    );
    let battery = plan.kit.sources[0].battery.as_ref().unwrap();
    let chemistry = ash_pond_core::site::chemistry::find("lfp").unwrap();
    let usable = 980.0 * chemistry.capacity_share(15.0) * (1.0 - battery.floor());
    assert!(
        close(phones.count.unwrap(), usable / (30.0 * per_watt), 1e-6),
        "{:?} of {usable}",
        phones.count
    );
    // 30 Wh at 34 W: 53 minutes after half past nine.
    assert!(close(phones.done_at_h.unwrap(), 21.5 + 30.0 / 34.0, 1e-9));
    let cost = 0.3 * phones.drawn_wh / 1000.0 / (chemistry.charge_efficiency * 0.9);
    assert!(close(phones.cost.unwrap(), cost, 1e-9));
    let said = phones.sentence.plain();
    assert!(
        said.starts_with("One filling of Phones takes 30 Wh, done at 22:23; Box gives "),
        "{said}"
    );
    assert!(said.contains("one is 30 calls"), "{said}");
    // So many of them are had in an outage in which nothing else is on.
    let mut alone = site;
    alone["arrangements"][0]["feeds"]
        .as_array_mut()
        .unwrap()
        .remove(0);
    alone["outages"][0]["hours"] = json!(24 * 40);
    let plan = read(&alone);
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    assert!(
        (found.devices["tools"].wh / 30.0 - phones.count.unwrap()).abs() < 1.0,
        "{}",
        found.devices["tools"].wh
    );
}

#[test]
fn a_filling_waits_for_what_is_switched_before_it() {
    let site = switched(
        phones(),
        json!([{"item": "box", "port": "outlet", "when": "hours", "from": "22:00", "to": "22:20"},
        {"item": "box", "port": "outlet", "when": "hours", "from": "23:00", "to": "23:45"}]),
    );
    let plan = read(&site);
    let told = fillings(&plan, &plan.arrangements[0], &Charge::full());
    // Twenty minutes, and what is left of 53 from eleven on.
    assert!(
        close(
            told[0].done_at_h.unwrap(),
            23.0 + 30.0 / 34.0 - 1.0 / 3.0,
            1e-9
        ),
        "{:?}",
        told[0].done_at_h
    );
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    let phones = &found.devices["tools"];
    assert!(
        close(phones.up_h, 3.0 * 30.0 / 34.0, 1e-6),
        "{}",
        phones.up_h
    );
    assert!(close(
        phones
            .spans
            .iter()
            .find(|it| it.state == Doing::On)
            .unwrap()
            .from_h,
        22.0 - 19.0 - 40.0 / 60.0,
        1e-6
    ));
    // A day of it is what the outage has of it in one of its three evenings.
    assert!(close(
        day(&plan, &plan.arrangements[0], &Charge::full()).devices["tools"],
        30.0,
        1e-9
    ));
}

#[test]
fn what_cannot_be_switched_or_filled_is_refused_with_its_place() {
    let refused = |rows: Value| {
        Plan::from_value(&switched(box_with_tools(), rows))
            .unwrap_err()
            .to_string()
    };
    for (rows, path, says) in [
        (
            json!([{"item": "inverter", "when": "with_load"}]),
            "arrangements[0].switching[0].item",
            "no converter or source",
        ),
        (
            json!([{"item": "router", "when": "with_load"}]),
            "arrangements[0].switching[0].item",
            "its cycle",
        ),
        (
            json!([{"item": "box", "when": "with_load"}]),
            "arrangements[0].switching[0].port",
            "socket, outlet",
        ),
        (
            json!([{"item": "box", "port": "usb", "when": "with_load"}]),
            "arrangements[0].switching[0].port",
            "socket, outlet",
        ),
        (
            json!([{"item": "box", "port": "outlet", "when": "hours", "from": "12:00",
                "to": "12:00"}]),
            "arrangements[0].switching[0].to",
            "all day or never",
        ),
        (
            json!([{"item": "box", "port": "outlet", "when": "hours", "from": "12:00"}]),
            "arrangements[0].switching[0].to",
            "is missing",
        ),
        (
            json!([{"item": "box", "port": "outlet", "when": "with_load", "from": "12:00"}]),
            "arrangements[0].switching[0].from",
            "leave it out",
        ),
        (
            json!([{"item": "box", "port": "outlet", "when": "with_load"}, {"item": "box",
                "port": "outlet", "when": "hours", "from": "12:00", "to": "13:00"}]),
            "arrangements[0].switching[0].when",
            "another way",
        ),
        (
            json!([{"item": "box", "port": "outlet", "when": "with_load"}, {"item": "box",
                "port": "outlet", "when": "with_load"}]),
            "arrangements[0].switching[0].item",
            "twice",
        ),
        (
            json!([{"item": "box", "port": "outlet", "when": "sometimes"}]),
            "arrangements[0].switching[0].when",
            "with_load",
        ),
        (
            json!([{"item": "box", "port": "outlet", "when": "with_load", "standby_w": -1}]),
            "arrangements[0].switching[0].standby_w",
            "negative",
        ),
    ] {
        let why = refused(rows);
        assert!(
            why.starts_with(&format!("{path}: ")) && why.contains(says),
            "{why}"
        );
    }
    let many: Vec<Value> = (0..401)
        .map(|_| {
            json!({"item": "box", "port": "outlet", "when": "hours", "from": "12:00",
            "to": "13:00"})
        })
        .collect();
    let why = refused(Value::Array(many));
    assert!(
        why.starts_with("arrangements[0].switching: has 401 rows"),
        "{why}"
    );
    let mut unfed = box_with_tools();
    unfed["arrangements"][0]["feeds"]
        .as_array_mut()
        .unwrap()
        .pop();
    let why = Plan::from_value(&switched(
        unfed,
        json!([{"item": "box", "port": "outlet", "when": "with_load"}]),
    ))
    .unwrap_err();
    assert!(why.to_string().contains("feeds nothing"), "{why}");
    let filled = |cycle: Value| {
        let mut site = box_with_tools();
        site["kit"]["devices"][1]["cycle"] = cycle;
        Plan::from_value(&site).unwrap_err().to_string()
    };
    for (cycle, path, says) in [
        (
            json!({"kind": "charge", "wh": 0, "from": "10:00"}),
            "kit.devices[1].cycle.wh",
            "above 0",
        ),
        (
            json!({"kind": "charge", "wh": 1600, "from": "10:00"}),
            "kit.devices[1].cycle.wh",
            "24.6 h at 65 W",
        ),
        (
            json!({"kind": "charge", "wh": 15, "from": "10:00", "every_days": 0}),
            "kit.devices[1].cycle.every_days",
            "whole days",
        ),
        (
            json!({"kind": "charge", "wh": 15, "from": "10:00", "job": {"label": "miles",
                "wh": 0}}),
            "kit.devices[1].cycle.job.wh",
            "above 0",
        ),
        (
            json!({"kind": "charge", "wh": 15}),
            "kit.devices[1].cycle.from",
            "is missing",
        ),
    ] {
        let why = filled(cycle);
        assert!(
            why.starts_with(&format!("{path}: ")) && why.contains(says),
            "{why}"
        );
    }
    // A switch that lets it in for a minute on the wrong day of the filling never lets it be done,
    // and says so.
    let shut =
        json!([{"item": "box", "port": "outlet", "when": "hours", "from": "09:00", "to": "09:01"}]);
    let mut site = switched(phones(), shut);
    site["kit"]["devices"][1]["cycle"]["every_days"] = json!(366);
    let plan = read(&site);
    let told = fillings(&plan, &plan.arrangements[0], &Charge::full());
    assert!(
        told[0]
            .done_at_h
            .is_some_and(|it| (9.0..9.02).contains(&it)),
        "{:?}",
        told[0].done_at_h
    );
    site["kit"]["devices"][1]["cycle"]["every_days"] = json!(3);
    let plan = read(&site);
    let told = fillings(&plan, &plan.arrangements[0], &Charge::full());
    assert!(
        told[0].done_at_h.is_none() && told[0].sentence.plain().contains("is never done"),
        "{}",
        told[0].sentence.plain()
    );
    // Every second day it has the time.
    let mut site = box_with_tools();
    site["kit"]["devices"][1]["cycle"] =
        json!({"kind": "charge", "wh": 1600, "from": "10:00", "every_days": 2});
    assert!(close(a_day(&site).devices["tools"], 800.0, 1e-9));
}

#[test]
fn what_must_not_be_cut_is_not_offered_and_is_found_where_it_is() {
    let told = |site: &Value| {
        let plan = read(site);
        let on = being_on(&plan, &plan.arrangements[0], &Charge::full());
        on.into_iter().find(|it| it.place == "box/outlet").unwrap()
    };
    let bad = |site: &Value| {
        let plan = read(site);
        let found = findings(&plan, &plan.arrangements[0])
            .into_iter()
            .find(|it| it.code == Code::Switched);
        found.map(|it| (it.place.clone(), it.status, it.message.plain().into_owned()))
    };
    let load = json!([{"item": "box", "port": "outlet", "when": "with_load"}]);
    let night =
        json!([{"item": "box", "port": "outlet", "when": "hours", "from": "06:00", "to": "22:00"}]);
    // A burner that cools after it goes off.
    let mut burner = box_with_tools();
    burner["kit"]["devices"][1]["phases"]
        .as_array_mut()
        .unwrap()
        .push(json!({"when": "stopping", "watts": 90, "seconds": 180}));
    let outlet = told(&burner);
    assert!(!outlet.worth && !outlet.by_clock);
    assert_eq!(
        outlet.sentence.plain(),
        "Left on it costs 228 Wh a day. Tools runs on for 180 s after it goes off: its feed stays \
        on, and is never cut while it is hot."
    );
    let (place, status, message) = bad(&switched(burner.clone(), load.clone())).unwrap();
    assert_eq!((place.as_str(), status), ("tools", Status::Trips));
    assert!(
        message.starts_with("Do not switch it: Tools runs on"),
        "{message}"
    );
    // Nor is it taken as switched where the rest is.
    let plan = read(&burner);
    let rest = ash_pond_core::time::day::with_their_load(&plan, &plan.arrangements[0]);
    let places: Vec<String> = rest.switching.iter().map(|it| it.place()).collect();
    assert_eq!(places, ["box/socket"]);
    // A life hangs on it.
    let mut medical = box_with_tools();
    medical["kit"]["devices"][1]["role"] = json!("medical, breathing aid");
    assert!(!told(&medical).worth && told(&medical).sentence.plain().contains("the care team"));
    assert!(bad(&switched(medical, load.clone())).is_some());
    // What may not be off for half an hour is not switched by the clock; with its load it is.
    let mut filter = box_with_tools();
    filter["kit"]["devices"][1]["deadline"] =
        json!({"minutes": 35, "consequence": "the filter dies"});
    let outlet = told(&filter);
    assert!(outlet.worth && !outlet.by_clock);
    assert_eq!(bad(&switched(filter.clone(), load)), None);
    let (_, _, message) = bad(&switched(filter, night)).unwrap();
    assert!(
        message.starts_with(
            "Off for too long: Tools is off by the clock for 8 h, and may be for 35 min: the \
            filter dies."
        ),
        "{message}"
    );
}

/// Cycles of every kind for the devices of a generated site.
fn with_habits(mut site: Value, from: u32, days: u32) -> Value {
    for (index, device) in site["kit"]["devices"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .enumerate()
    {
        let watts = device["phases"]
            .as_array()
            .unwrap()
            .iter()
            .find(|it| it["when"] == "running")
            .unwrap()["watts"]
            .as_f64()
            .unwrap();
        device["cycle"] = match index % 4 {
            0 => {
                json!({"kind": "hours", "from": format!("{from:02}:00"), "to": format!("{:02}:30",
                    (from + 3) % 24)})
            }
            1 => json!({"kind": "thermostat", "on_fraction": 0.3, "period_s": 2400}),
            2 if watts > 0.1 => {
                json!({"kind": "charge", "wh": watts * 2.0, "from": format!("{:02}:15",
                    (from + 9) % 24), "every_days": days})
            }
            _ => json!({"kind": "continuous"}),
        };
    }
    site
}

/// Every converter and outlet of a generated site, switched in one way.
fn all_switched(site: &Value, row: impl Fn(Value) -> Value) -> Value {
    let plan = read(site);
    let way = &plan.arrangements[0];
    let mut rows: Vec<Value> = Vec::new();
    for feed in &way.feeds {
        if plan.converter(feed.to.item.as_str()).is_some() {
            rows.push(row(json!({"item": feed.to.item})));
        }
        let port = json!({"item": feed.from.item, "port": feed.from.port});
        if plan.source(feed.from.item.as_str()).is_some()
            && !rows
                .iter()
                .any(|it| it["port"] == port["port"] && it["item"] == port["item"])
        {
            rows.push(row(port));
        }
    }
    switched(site.clone(), Value::Array(rows))
}

fn with(mut row: Value, more: &Value) -> Value {
    row.as_object_mut()
        .unwrap()
        .extend(more.as_object().unwrap().clone());
    row
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn switching_with_the_load_never_draws_more_and_takes_nothing_from_anybody(site in site(8),
        from in 0_u32..24, days in 1_u32..3) {
        let mut site = with_habits(site, from, days);
        site["outages"] = json!([{"id": "o", "label": "O", "start": "2026-05-02T17:10",
            "hours": 30}]);
        let load = read(&all_switched(&site, |row| with(row, &json!({"when": "with_load"}))));
        let left = read(&site);
        let (a, b) = (day(&left, &left.arrangements[0], &Charge::uniform(0.8)), day(&load,
            &load.arrangements[0], &Charge::uniform(0.8)));
        prop_assert!(b.drawn_wh <= a.drawn_wh * (1.0 + 1e-9)
            && b.idle_wh <= a.idle_wh * (1.0 + 1e-9), "{} and {}", a.drawn_wh, b.drawn_wh);
        for (id, wh) in &a.devices {
            // A device at the end of a lead that carries less gets a little more.
            prop_assert!(b.devices[id] >= wh * (1.0 - 1e-9), "{id}: {wh} and {}", b.devices[id]);
        }
        let parts = b.delivered_wh + b.charging_wh + b.idle_wh + b.conversion_wh + b.cables_wh;
        prop_assert!(close(b.drawn_wh, parts, 1e-6), "drawn {} and parts {parts}", b.drawn_wh);
        // The march of it: nothing is lost earlier, and the balance closes.
        let (a, b) = (&left, &load);
        let (a, b) = (simulate(a, &a.arrangements[0], &a.outages[0], None), simulate(b,
            &b.arrangements[0], &b.outages[0], None));
        for (id, run) in &a.devices {
            let later = b.devices[id].down_at_h.unwrap_or(f64::INFINITY);
            prop_assert!(later >= run.down_at_h.unwrap_or(f64::INFINITY).min(30.0) - 0.02, "{id}: \
                {:?} and {later}", run.down_at_h);
        }
        let energy = b.energy;
        let out = energy.delivered_wh + energy.charging_wh + energy.conversion_wh + energy.idle_wh + energy.cables_wh;
        prop_assert!((out - energy.drawn_wh).abs() <= 1e-6 * energy.drawn_wh.max(1e-6), "{out} of \
            {}", energy.drawn_wh);
    }

    #[test]
    fn a_switch_that_is_always_on_changes_nothing(site in site(8), from in 0_u32..24) {
        let mut site = with_habits(site, from, 1);
        site["outages"] = json!([{"id": "o", "label": "O", "start": "2026-05-02T17:10",
            "hours": 30}]);
        let always = |row: Value| with(row, &json!({"when": "hours", "from": "00:00",
            "to": "24:00"}));
        let (left, on) = (read(&site), read(&all_switched(&site, always)));
        let (a, b) = (day(&left, &left.arrangements[0], &Charge::full()), day(&on,
            &on.arrangements[0], &Charge::full()));
        prop_assert!(close(a.drawn_wh, b.drawn_wh, 1e-9) && close(a.delivered_wh, b.delivered_wh,
            1e-9));
        let (a, b) = (simulate(&left, &left.arrangements[0], &left.outages[0], None),
            simulate(&on, &on.arrangements[0], &on.outages[0], None));
        for (id, run) in &a.devices {
            prop_assert_eq!(run.why.as_deref(), b.devices[id].why.as_deref());
            prop_assert!(close(run.wh, b.devices[id].wh,
                1e-3) || (run.wh - b.devices[id].wh).abs() < 1e-3, "{}: {} and {}", id, run.wh,
                b.devices[id].wh);
        }
    }

    #[test]
    fn a_day_and_a_day_of_the_march_agree_on_switches_and_fillings(site in site(7),
        from in 0_u32..24, opens in 0_u32..24, long in 3_u32..20) {
        // Without a store that runs down, and starting at midnight, a march of a day is the day.
        let mut site = with_habits(site, from, 1);
        // Without starts, which a day has in the mean, and with quick thermostats, so that where a
        // turn is cut off counts for little; each with a period of its own, as a day takes them to
        // go on and off independently.
        for (index, device) in site["kit"]["devices"].as_array_mut().unwrap().iter_mut().enumerate() {
            device["phases"].as_array_mut().unwrap().retain(|it| it["when"] != "starting");
            if device["cycle"]["kind"] == "thermostat" {
                device["cycle"]["period_s"] = json!(101 + 17 * index);
            }
            // At another voltage than its own a filling takes other hours, which a day does not
            // follow.
            if device["cycle"]["kind"] == "charge" {
                device["draw"] = json!("power");
            }
        }
        for source in site["kit"]["sources"].as_array_mut().unwrap() {
            for (field, value) in [("capacity_ah", 1e5), ("energy_wh", 1e7)] {
                if source["battery"].get(field).is_some() {
                    source["battery"][field] = json!(value);
                }
            }
        }
        site["outages"] = json!([{"id": "o", "label": "O", "start": "2026-05-02T00:00",
            "hours": 24, "use_everything": true}]);
        let hours = json!({"when": "hours", "from": format!("{opens:02}:00"),
            "to": format!("{:02}:00", (opens + long) % 24), "standby_w": 0.2});
        let mut turn = 0;
        let rows = std::cell::RefCell::new(&mut turn);
        let mixed = all_switched(&site, |row| {
            let mut turn = rows.borrow_mut();
            **turn += 1;
            with(row, &if **turn % 3 == 0 { hours.clone() } else { json!({"when": "with_load",
                "standby_w": 0.1}) })
        });
        let plan = read(&mixed);
        // Where a lead collapses at some moment, a mean of moments is another state.
        prop_assume!(findings(&plan,
            &plan.arrangements[0]).iter().all(|it| it.code != Code::Collapse));
        let usage = day(&plan, &plan.arrangements[0], &Charge::full());
        let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
        prop_assume!(found.events.is_empty() && usage.charging_wh == 0.0);
        prop_assert!(close(found.energy.delivered_wh, usage.delivered_wh,
            0.01) || (found.energy.delivered_wh - usage.delivered_wh).abs() < 0.3,
            "{:?} and {:?}", found.devices.iter().map(|it| (it.0, it.1.wh)).collect::<Vec<_>>(),
                usage.devices);
        prop_assert!(close(found.energy.idle_wh, usage.idle_wh,
            0.02) || (found.energy.idle_wh - usage.idle_wh).abs() < 0.3,
            "idle {} and {}", found.energy.idle_wh, usage.idle_wh);
    }
}
