//! The voltage and polarity walk: what is expected, what a reading says, where it stops.

use ash_pond_core::bench::walk::{Read, Shows, Walk, walk};
use ash_pond_core::limits::{Code, Status, findings};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::site::plan::device::Current;
use proptest::prelude::*;
use serde_json::{Value, json};

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn read(joint: &str, volts: f64) -> Read {
    Read {
        joint: joint.to_owned(),
        volts,
        at: "2026-01-14T17:30:00Z".into(),
    }
}

fn first(walk: &Walk, key: &str) -> usize {
    walk.joints
        .iter()
        .position(|it| it.joint.key == key)
        .unwrap_or_else(|| panic!("no {key} in {walk:?}"))
}

#[test]
fn the_joints_go_from_the_store_to_the_device() {
    let plan = demo();
    let way = plan.arrangement("camera-inverter").unwrap();
    let found = walk(&plan, way, &Charge::uniform(0.6), &[]);
    let keys: Vec<&str> = found
        .joints
        .iter()
        .map(|it| it.joint.key.as_str())
        .collect();
    assert_eq!(
        keys,
        [
            "house-bank/studs",
            "studs>small-inverter",
            "small-inverter/out",
            "out>camera-adapter",
            "camera-adapter/out",
            "out>gate-camera"
        ]
    );
    let kinds: Vec<Current> = found.joints.iter().map(|it| it.joint.current).collect();
    assert_eq!(
        kinds[..4],
        [Current::Dc, Current::Dc, Current::Ac, Current::Ac]
    );
    // Mains is said to be what it is, and a bare battery too.
    assert!(found.joints[2].joint.caution.unwrap().contains("kill"));
    assert!(
        found.joints[0]
            .joint
            .caution
            .unwrap()
            .contains("short-circuit")
    );
    assert_eq!(found.next.as_deref(), Some("house-bank/studs"));
    let last = &found.joints[5].joint;
    assert_eq!(
        (last.connector.as_deref(), last.polarity.as_deref()),
        (Some("barrel 5.5/2.1"), Some("centre-positive"))
    );
}

#[test]
fn every_way_of_reading_wrong_stops_the_walk_and_says_what_to_do() {
    let plan = demo();
    let way = plan.arrangement("camera-direct").unwrap();
    let charge = Charge::uniform(0.6);
    let end = "studs>gate-camera";
    let good = read("house-bank/studs", 13.2);
    let cases = [
        (-13.0, Shows::Reversed, "swapped"),
        (0.01, Shows::Dead, "fuse"),
        (11.9, Shows::Low, "contact"),
        (13.9, Shows::High, "charges"),
        (19.0, Shows::Harms, "Do not plug it in"),
        (-19.0, Shows::Harms, "Do not plug it in"),
    ];
    for (volts, shows, says) in cases {
        let found = walk(&plan, way, &charge, &[good.clone(), read(end, volts)]);
        let judged = found.joints[first(&found, end)].judged.clone().unwrap();
        assert_eq!(judged.shows, shows, "{volts} V: {}", judged.sentence);
        assert!(judged.sentence.contains(says), "{}", judged.sentence);
        assert_eq!(
            (found.stopped.as_deref(), found.next.as_deref()),
            (Some(end), None)
        );
        // A later reading at the same joint that is right lets it go on.
        let mended = walk(
            &plan,
            way,
            &charge,
            &[good.clone(), read(end, volts), read(end, 13.0)],
        );
        assert_eq!((mended.stopped, mended.next), (None, None));
        assert_eq!(mended.sentence, "All 2 joints are right.");
    }
}

#[test]
fn the_sign_means_nothing_on_ac_and_an_empty_arrangement_has_no_joint() {
    let plan = demo();
    let way = plan.arrangement("camera-inverter").unwrap();
    let found = walk(
        &plan,
        way,
        &Charge::uniform(0.6),
        &[read("small-inverter/out", -229.0)],
    );
    let judged = found.joints[2].judged.as_ref().unwrap();
    assert_eq!(judged.shows, Shows::Expected, "{}", judged.sentence);
    let mut empty = way.clone();
    empty.feeds.clear();
    assert!(
        walk(&plan, &empty, &Charge::full(), &[])
            .sentence
            .contains("Nothing is connected")
    );
}

proptest! {
    #![proptest_config(ProptestConfig { rng_seed: proptest::test_runner::RngSeed::Fixed(5),
        ..ProptestConfig::default() })]

    /// What runs lies within what is expected; its opposite is reversed; the window widens with
    /// nothing but the charge.
    #[test]
    fn what_really_stands_there_is_always_as_expected(soc in 0.15_f64..1.0) {
        let plan = demo();
        let charge = Charge::uniform(soc);
        for way in &plan.arrangements {
            let flow = evaluate(&plan, way, &Moment::Running, &charge).unwrap();
            let bare = walk(&plan, way, &charge, &[]);
            let mut reads = Vec::new();
            for it in &bare.joints {
                let joint = &it.joint;
                let (low, high) = (joint.low_v.unwrap(), joint.high_v.unwrap());
                prop_assert!(low < high, "{joint:?}");
                if let Some((_, to)) = joint.key.split_once('>') {
                    prop_assert_eq!(joint.running_v, Some(flow.feeds[to].far_v));
                }
                reads.push(read(&joint.key, joint.running_v.unwrap()));
            }
            let done = walk(&plan, way, &charge, &reads);
            for it in &done.joints {
                let judged = it.judged.as_ref().unwrap();
                // A device whose own window is left by what runs is told so, whatever was expected.
                let over = it.joint.takes_high_v.is_some_and(|most| it.joint.running_v.unwrap() > most);
                prop_assert_eq!(judged.shows == Shows::Expected, !over, "{}: {}", it.joint.key,
                    judged.sentence);
                if it.joint.current == Current::Dc && !over {
                    let turned = walk(&plan, way, &charge, &[read(&it.joint.key,
                        -it.joint.running_v.unwrap())]);
                    let place = first(&turned, &it.joint.key);
                    prop_assert_eq!(turned.joints[place].judged.as_ref().unwrap().shows,
                        Shows::Reversed);
                }
            }
        }
    }

    /// No reading and no key panics.
    #[test]
    fn any_reading_is_judged(key in ".{0,12}", volts in proptest::num::f64::ANY) {
        let plan = demo();
        let way = plan.arrangement("direct").unwrap();
        let found = walk(&plan, way, &Charge::full(), &[read(&key, volts),
            read("house-bank/studs", volts)]);
        prop_assert!(!found.sentence.is_empty());
    }
}

/// A camera behind a junction behind another on a port whose barrel has its plus in the centre, or
/// as `pole` says.
fn behind_junctions(pole: &str, first: Value, second: Value) -> Result<Plan, String> {
    let junction = |id: &str, reverses: Value| {
        let mut it = json!({"id": id, "label": id, "kind": "junction", "input": {"current": "dc"},
            "outputs": [{"id": "ways", "current": "dc", "voltage": {"follows": true},
                "connector": "barrel 5.5/2.1"}]});
        if !reverses.is_null() {
            it["reverses_polarity"] = reverses;
        }
        it
    };
    let feed =
        |item: &str, port: &str, to: &str| json!({"from": {"item": item, "port": port}, "to": to});
    let plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Weir",
        "ambient_c": 20},
        "kit": {"devices": [{"id": "camera", "label": "Camera", "input": {"current": "dc",
            "rated_v": 12, "min_v": 9, "max_v": 16,
                "connector": "barrel 5.5/2.1", "polarity": "centre-positive"},
                    "phases": [{"when": "running", "watts": 5}]}],
            "sources": [{"id": "pack", "label": "Pack", "kind": "backup_unit",
                "battery": {"chemistry": "li_ion", "energy_wh": 70},
                "ports": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12},
                    "connector": "barrel 5.5/2.1", "polarity": pole}]}],
            "converters": [junction("block", first), junction("strip", second)]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": [
            feed("pack", "out", "block"), feed("block", "ways", "strip"), feed("strip", "ways",
                "camera")]}]});
    Plan::from_value(&plan).map_err(|why| why.to_string())
}

#[test]
fn a_junction_that_crosses_its_conductors_turns_what_it_hands_on_in_the_findings_and_in_the_walk() {
    let none = || Value::Null;
    let cases = [
        ("centre-positive", none(), none(), Status::Holds),
        ("centre-negative", none(), none(), Status::Trips),
        ("centre-positive", json!(true), none(), Status::Trips),
        ("centre-negative", none(), json!(true), Status::Holds),
        // Crossed twice it is as it was.
        ("centre-positive", json!(true), json!(true), Status::Holds),
        ("centre-positive", json!(false), none(), Status::Holds),
        ("keyed", json!(true), none(), Status::Unproven),
    ];
    for (pole, first, second, status) in cases {
        let plan = behind_junctions(pole, first.clone(), second.clone()).unwrap();
        let way = &plan.arrangements[0];
        let found = findings(&plan, way);
        let found = found
            .iter()
            .find(|it| it.code == Code::Polarity && it.place == "camera")
            .unwrap();
        assert_eq!(
            found.status, status,
            "{pole} {first} {second}: {}",
            found.message
        );
        // The walk answers the same question at the plug.
        let walk = walk(&plan, way, &Charge::full(), &[]);
        let end = walk
            .joints
            .iter()
            .find(|it| it.joint.key == "ways>camera")
            .unwrap();
        let doubt = end.joint.doubt.clone().unwrap_or_default();
        assert_eq!(
            doubt.contains("do not plug it in"),
            status == Status::Trips,
            "{pole} {first} {second}: {doubt}"
        );
        assert_eq!(
            doubt.contains("the meter's sign tells"),
            status == Status::Unproven,
            "{pole} {first} {second}: {doubt}"
        );
    }
    let mut plan =
        serde_json::to_value(behind_junctions("keyed", none(), none()).unwrap()).unwrap();
    plan["kit"]["converters"][0]["kind"] = json!("buck_boost");
    plan["kit"]["converters"][0]["reverses_polarity"] = json!(true);
    let why = Plan::from_value(&plan).unwrap_err().to_string();
    assert!(
        why.contains("kit.converters[0].reverses_polarity: belongs to a junction"),
        "{why}"
    );
}
