//! The voltage and polarity walk: what is expected, what a reading says, where it stops.

use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::plan::Plan;
use ash_pond_core::plan::device::Current;
use ash_pond_core::walk::{Read, Shows, Walk, walk};
use proptest::prelude::*;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn read(joint: &str, volts: f64) -> Read {
    Read { joint: joint.to_owned(), volts, at: "2026-01-14T17:30:00Z".into() }
}

fn first(walk: &Walk, key: &str) -> usize {
    walk.joints.iter().position(|it| it.joint.key == key).unwrap_or_else(|| panic!("no {key} in {walk:?}"))
}

#[test]
fn the_joints_go_from_the_store_to_the_device() {
    let plan = demo();
    let way = plan.arrangement("camera-inverter").unwrap();
    let found = walk(&plan, way, &Charge::uniform(0.6), &[]);
    let keys: Vec<&str> = found.joints.iter().map(|it| it.joint.key.as_str()).collect();
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
    assert_eq!(kinds[..4], [Current::Dc, Current::Dc, Current::Ac, Current::Ac]);
    // Mains is said to be what it is, and a bare battery too.
    assert!(found.joints[2].joint.caution.unwrap().contains("kill"));
    assert!(found.joints[0].joint.caution.unwrap().contains("short-circuit"));
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
        assert_eq!((found.stopped.as_deref(), found.next.as_deref()), (Some(end), None));
        // A later reading at the same joint that is right lets it go on.
        let mended = walk(&plan, way, &charge, &[good.clone(), read(end, volts), read(end, 13.0)]);
        assert_eq!((mended.stopped, mended.next), (None, None));
        assert_eq!(mended.sentence, "All 2 joints are right.");
    }
}

#[test]
fn the_sign_means_nothing_on_ac_and_an_empty_arrangement_has_no_joint() {
    let plan = demo();
    let way = plan.arrangement("camera-inverter").unwrap();
    let found = walk(&plan, way, &Charge::uniform(0.6), &[read("small-inverter/out", -229.0)]);
    let judged = found.joints[2].judged.as_ref().unwrap();
    assert_eq!(judged.shows, Shows::Expected, "{}", judged.sentence);
    let mut empty = way.clone();
    empty.feeds.clear();
    assert!(walk(&plan, &empty, &Charge::full(), &[]).sentence.contains("Nothing is connected"));
}

proptest! {
    #![proptest_config(ProptestConfig { rng_seed: proptest::test_runner::RngSeed::Fixed(5), ..ProptestConfig::default() })]

    /// What runs lies within what is expected; its opposite is reversed; the window widens with nothing but the charge.
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
                prop_assert_eq!(judged.shows == Shows::Expected, !over, "{}: {}", it.joint.key, judged.sentence);
                if it.joint.current == Current::Dc && !over {
                    let turned = walk(&plan, way, &charge, &[read(&it.joint.key, -it.joint.running_v.unwrap())]);
                    let place = first(&turned, &it.joint.key);
                    prop_assert_eq!(turned.joints[place].judged.as_ref().unwrap().shows, Shows::Reversed);
                }
            }
        }
    }

    /// No reading and no key panics.
    #[test]
    fn any_reading_is_judged(key in ".{0,12}", volts in proptest::num::f64::ANY) {
        let plan = demo();
        let way = plan.arrangement("direct").unwrap();
        let found = walk(&plan, way, &Charge::full(), &[read(&key, volts), read("house-bank/studs", volts)]);
        prop_assert!(!found.sentence.is_empty());
    }
}
