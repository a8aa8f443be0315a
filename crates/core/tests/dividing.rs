//! Budgets that are divided among what takes what it gets: hand-worked states and outages, and
//! laws.

use crate::common;

use ash_pond_core::limits::{Code, Status, findings};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::day::{day, fillings};
use ash_pond_core::time::outage::simulate;
use common::{close, read};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A box with four USB outlets that share a budget; what hangs on them: watts, Wh of a filling
/// (none is a device that cannot yield), all from noon on.
fn shelf(budget_w: f64, things: &[(f64, Option<f64>)]) -> Value {
    let devices: Vec<Value> = things
        .iter()
        .enumerate()
        .map(|(index, (watts, wh))| {
            let cycle = wh.map_or_else(
                || json!({"kind": "continuous"}),
                |wh| json!({"kind": "charge", "wh": wh, "from": "12:00"}),
            );
            let mut input = json!({"connector": "USB-C", "current": "dc", "rated_v": 20,
                "min_v": 19, "max_v": 21});
            if wh.is_some() {
                input["takes"] = json!("what_it_gets");
            }
            json!({"id": format!("d{index}"), "label": format!("Thing {index}"), "input": input,
                "cycle": cycle,
                "phases": [{"when": "running", "watts": watts}]})
        })
        .collect();
    let ports: Vec<Value> = (0..things.len())
        .map(|it| {
            json!({"id": format!("usb{it}"), "connector": "USB-C", "current": "dc",
            "voltage": {"offers_v": [5, 20]}, "group": "usb", "limit": {"continuous_w": 100}})
        })
        .collect();
    let feeds: Vec<Value> = (0..things.len())
        .map(|it| {
            json!({"from": {"item": "box", "port": format!("usb{it}")},
            "to": format!("d{it}"), "voltage_v": 20})
        })
        .collect();
    json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Shelf", "ambient_c": 20},
        "kit": {"devices": devices, "converters": [], "sources": [{"id": "box", "label": "Box",
            "kind": "power_station",
            "battery": {"chemistry": "lfp", "energy_wh": 5000}, "ports": ports,
            "groups": [{"id": "usb", "limit": {"continuous_w": budget_w}, "sharing": "divides"}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": feeds}],
        "outages": [{"id": "o", "label": "O", "start": "2026-03-02T12:00", "hours": 20}]})
}

fn watts(plan: &Plan) -> Vec<f64> {
    let flow = evaluate(plan, &plan.arrangements[0], &Moment::Busy, &Charge::full()).unwrap();
    (0..plan.kit.devices.len())
        .map(|it| flow.devices[&format!("d{it}")].watts)
        .collect()
}

#[test]
fn what_cannot_yield_is_served_first_and_the_rest_is_level() {
    // 100 W, of which 5 cannot yield: 45 W get all they want, and 92 W what is left of it.
    let plan = read(&shelf(
        100.0,
        &[(5.0, None), (92.0, Some(100.0)), (45.0, Some(45.0))],
    ));
    let got = watts(&plan);
    for (got, wanted) in got.iter().zip([5.0, 50.0, 45.0]) {
        assert!(close(*got, wanted, 1e-6), "{got} and {wanted}");
    }
    let found = findings(&plan, &plan.arrangements[0]);
    let slower: Vec<_> = found.iter().filter(|it| it.code == Code::Slower).collect();
    assert_eq!(slower.len(), 1);
    assert_eq!(
        (slower[0].place.as_str(), slower[0].status),
        ("d1", Status::Tight)
    );
    assert!(close(slower[0].value, 50.0, 1e-6) && close(slower[0].limit, 92.0, 1e-6));
    assert!(
        slower[0]
            .message
            .plain()
            .starts_with("Slower: Thing 1 gets 50 W of the 92 W"),
        "{}",
        slower[0].message.plain()
    );
    assert!(
        found.iter().all(|it| it.status != Status::Trips),
        "{:?}",
        found
            .iter()
            .map(|it| it.message.plain().into_owned())
            .collect::<Vec<_>>()
    );
    // An hour at 50 W while the other is filled, and what is left at 92 W.
    let run = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    assert!(
        close(run.devices["d2"].up_h, 1.0, 1e-6),
        "{}",
        run.devices["d2"].up_h
    );
    assert!(
        close(run.devices["d1"].up_h, 1.0 + 50.0 / 92.0, 1e-6),
        "{}",
        run.devices["d1"].up_h
    );
    assert!(run.events.is_empty());
}

#[test]
fn without_dividing_it_trips_as_before() {
    let mut site = shelf(
        100.0,
        &[(5.0, None), (92.0, Some(100.0)), (45.0, Some(45.0))],
    );
    site["kit"]["sources"][0]["groups"][0]
        .as_object_mut()
        .unwrap()
        .remove("sharing");
    let plan = read(&site);
    assert!(close(watts(&plan)[1], 92.0, 1e-9));
    let found = findings(&plan, &plan.arrangements[0]);
    assert!(
        found
            .iter()
            .any(|it| it.code == Code::GroupLimit && it.status == Status::Trips)
    );
    // What cannot yield and is over the budget trips it too.
    let plan = read(&shelf(
        100.0,
        &[(70.0, None), (60.0, None), (20.0, Some(10.0))],
    ));
    assert!(close(watts(&plan)[2], 0.0, 1e-9) || watts(&plan)[2] < 1e-6);
    let found = findings(&plan, &plan.arrangements[0]);
    assert!(
        found
            .iter()
            .any(|it| it.code == Code::GroupLimit && it.status == Status::Trips)
    );
}

#[test]
fn a_charging_input_takes_no_more_than_its_port_gives() {
    let mut site = shelf(200.0, &[(5.0, None)]);
    site["kit"]["sources"]
        .as_array_mut()
        .unwrap()
        .push(json!({"id": "pack", "label": "Pack",
        "kind": "power_station",
        "battery": {"chemistry": "lfp", "energy_wh": 200}, "ports": [],
        "inputs": [{"id": "usb", "kind": "dc", "min_v": 15, "max_v": 21, "bands": [{"from_v": 15,
            "max_a": 9, "max_w": 150}]}]}));
    let mut ports = site["kit"]["sources"][0]["ports"].clone();
    ports.as_array_mut().unwrap().push(
        json!({"id": "big", "current": "dc", "voltage": {"regulated_v": 20},
            "limit": {"continuous_w": 60}}),
    );
    site["kit"]["sources"][0]["ports"] = ports;
    site["arrangements"][0]["feeds"]
        .as_array_mut()
        .unwrap()
        .push(json!({"from": {"item": "box", "port": "big"}, "to": "pack/usb"}));
    let plan = read(&site);
    let flow = evaluate(
        &plan,
        &plan.arrangements[0],
        &Moment::Running,
        &Charge::uniform(0.5),
    )
    .unwrap();
    assert!(
        close(flow.inputs["pack/usb"].watts, 60.0, 1e-6),
        "{}",
        flow.inputs["pack/usb"].watts
    );
    let found = findings(&plan, &plan.arrangements[0]);
    assert!(
        found
            .iter()
            .all(|it| !(it.code == Code::PortLimit && it.status == Status::Trips))
    );
    assert!(
        found
            .iter()
            .any(|it| it.code == Code::Slower && it.place == "pack/usb")
    );
    // A port that gives more: the band's own watts are what binds, not its 9 A at 20 V.
    site["kit"]["sources"][0]["ports"]
        .as_array_mut()
        .unwrap()
        .last_mut()
        .unwrap()["limit"]["continuous_w"] = json!(400);
    let plan = read(&site);
    let flow = evaluate(
        &plan,
        &plan.arrangements[0],
        &Moment::Running,
        &Charge::uniform(0.5),
    )
    .unwrap();
    assert!(
        close(flow.inputs["pack/usb"].watts, 150.0, 1e-6),
        "{}",
        flow.inputs["pack/usb"].watts
    );
}

#[test]
fn what_is_not_charged_cannot_take_what_it_gets() {
    let mut site = shelf(100.0, &[(5.0, None)]);
    site["kit"]["devices"][0]["input"]["takes"] = json!("what_it_gets");
    let why = Plan::from_value(&site).unwrap_err().to_string();
    assert!(
        why.starts_with("kit.devices[0].input.takes: ") && why.contains("not charged"),
        "{why}"
    );
}

#[test]
fn every_number_of_what_gets_less_has_its_working() {
    let plan = read(&shelf(
        100.0,
        &[(5.0, None), (92.0, Some(100.0)), (45.0, Some(45.0))],
    ));
    assert!(crate::workings::all_of(&plan, &plan.arrangements[0], 1.0) > 20);
}

#[test]
fn a_day_fills_them_as_an_outage_does() {
    let mut site = shelf(
        100.0,
        &[(5.0, None), (92.0, Some(100.0)), (45.0, Some(45.0))],
    );
    let told = |site: &Value| {
        let plan = read(site);
        let way = &plan.arrangements[0];
        let list = fillings(&plan, way, &Charge::full());
        let of = |id: &str| {
            list.iter()
                .find(|it| it.device == id)
                .map(|it| (it.hours, it.done_at_h))
                .unwrap()
        };
        let day = day(&plan, way, &Charge::full());
        (of("d1"), of("d2"), day.devices["d1"], day.devices["d2"])
    };
    let (one, other, one_wh, other_wh) = told(&site);
    assert!(
        close(one.0, 1.0 + 50.0 / 92.0, 1e-9) && close(one.1.unwrap(), 13.0 + 50.0 / 92.0, 1e-9),
        "{one:?}"
    );
    assert!(
        close(other.0, 1.0, 1e-9) && close(other.1.unwrap(), 13.0, 1e-9),
        "{other:?}"
    );
    assert!(
        close(one_wh, 100.0, 1e-6) && close(other_wh, 45.0, 1e-6),
        "{one_wh} and {other_wh}"
    );
    // The other half an hour later: 46 Wh alone, 50 beside it, and 4 alone again.
    site["kit"]["devices"][2]["cycle"]["from"] = json!("12:30");
    let (one, _, one_wh, _) = told(&site);
    assert!(
        close(one.0, 1.5 + 4.0 / 92.0, 1e-9) && close(one.1.unwrap(), 13.5 + 4.0 / 92.0, 1e-9),
        "{one:?}"
    );
    assert!(close(one_wh, 100.0, 1e-6), "{one_wh}");
    // Every other day: half of it in a day.
    site["kit"]["devices"][2]["cycle"]["every_days"] = json!(2);
    let (_, other, one_wh, other_wh) = told(&site);
    assert!(
        close(other.1.unwrap(), 13.5, 1e-9)
            && close(one_wh, 100.0, 1e-6)
            && close(other_wh, 22.5, 1e-6)
    );
    // Over midnight it meets what was begun the day before: 50 W of 92 from a quarter past eleven
    // to a quarter past twelve.
    site["kit"]["devices"][1]["cycle"] = json!({"kind": "charge", "wh": 100, "from": "23:00"});
    site["kit"]["devices"][2]["cycle"] = json!({"kind": "charge", "wh": 45, "from": "23:15"});
    let (one, other, one_wh, other_wh) = told(&site);
    assert!(close(other.1.unwrap(), 0.25, 1e-9), "{other:?}");
    assert!(close(one.1.unwrap(), 0.25 + 27.0 / 92.0, 1e-9), "{one:?}");
    assert!(
        close(one_wh, 100.0, 1e-6) && close(other_wh, 45.0, 1e-6),
        "{one_wh} and {other_wh}"
    );
    // What a day does not let in is never done, and counts as far as it came.
    site["kit"]["devices"][1]["cycle"] = json!({"kind": "charge", "wh": 2000, "from": "12:00"});
    site["kit"]["devices"][2]["cycle"] = json!({"kind": "charge", "wh": 1000, "from": "12:00"});
    let (one, other, one_wh, other_wh) = told(&site);
    let beside_h = 1000.0 / 45.0;
    assert!(
        one.1.is_none() && close(other.1.unwrap(), (12.0 + beside_h) % 24.0, 1e-9),
        "{one:?}, {other:?}"
    );
    assert!(
        close(one_wh, 50.0 * beside_h + 92.0 * (24.0 - beside_h), 1e-6)
            && close(other_wh, 1000.0, 1e-6)
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn dividing_never_exceeds_a_budget_and_never_gives_anyone_more_than_asked(
        budget in 5.0..200.0_f64, things in prop::collection::vec((1.0..95.0_f64, any::<bool>()),
            1..5),
    ) {
        let things: Vec<(f64, Option<f64>)> = things.into_iter().map(|(watts, fills)| (watts,
            fills.then_some(watts))).collect();
        let plan = read(&shelf(budget, &things));
        let got = watts(&plan);
        let fixed: f64 = things.iter().filter(|it| it.1.is_none()).map(|it| it.0).sum();
        let total: f64 = got.iter().sum();
        prop_assert!(total <= budget.max(fixed) * (1.0 + 1e-6), "{total} of {budget}, {fixed} \
            fixed");
        let yields: Vec<(f64,
            f64)> = got.iter().zip(&things).filter(|it| it.1.1.is_some()).map(|(got, it)| (*got,
            it.0)).collect();
        for ((watts, _), got) in things.iter().zip(&got) {
            prop_assert!(*got <= watts * (1.0 + 1e-9));
        }
        // Whoever gets less than he wants gets as much as anyone.
        let most = yields.iter().map(|it| it.0).fold(0.0, f64::max);
        for (got, want) in &yields {
            prop_assert!(*got >= want * (1.0 - 1e-6) || *got >= most * (1.0 - 1e-6), "{got} of \
                {want}, and somebody {most}");
        }
        // Nothing is left over while somebody wants more.
        let wants: f64 = things.iter().map(|it| it.0).sum();
        prop_assert!(close(total, wants.min(budget.max(fixed)), 1e-6), "{total}, {wants} wanted of \
            {budget}");
    }
    /// Who answers when something is full: a day of use and an outage that begins with it say the
    /// same.
    #[test]
    fn a_day_and_an_outage_say_the_same_of_every_filling(
        budget in 20.0..150.0_f64, things in prop::collection::vec((5.0..95.0_f64,
            prop::option::of(5.0..150.0_f64)), 1..5),
    ) {
        // What cannot yield fits.
        let mut room = budget - 10.0;
        let things: Vec<(f64, Option<f64>)> = things.into_iter().map(|(watts, wh)| {
            let fixed = watts.min(room.max(0.5));
            // What fills in no day is refused.
            let wh = wh.map(|it: f64| it.min(watts * 23.0));
            if wh.is_none() { room -= fixed; (fixed, None) } else { (watts, wh) }
        }).collect();
        prop_assume!(room > 1.0);
        let plan = read(&shelf(budget, &things));
        let way = &plan.arrangements[0];
        let run = simulate(&plan, way, &plan.outages[0], None);
        let used = day(&plan, way, &Charge::full());
        for it in fillings(&plan, way, &Charge::full()) {
            let up_h = run.devices[it.device.as_str()].up_h;
            // Beyond the outage's end nobody looks.
            if up_h > 19.9 { continue; }
            prop_assert!(close(it.hours, up_h, 1e-6), "{}: {} h in a day and {up_h} h in an \
                outage", it.device, it.hours);
            prop_assert!(close(it.done_at_h.unwrap(), (12.0 + up_h) % 24.0, 1e-6), "{:?}",
                it.done_at_h);
            prop_assert!(close(used.devices[it.device.as_str()], it.wh, 1e-6), "{} Wh",
                used.devices[it.device.as_str()]);
        }
    }
}
