//! Building out of what fits: what is proposed holds, what is refused truly fails.

use ash_pond_core::advice::fits::{Fit, Fits, can_feed, can_follow};
use ash_pond_core::limits::{Code, Status, findings};
use ash_pond_core::site::plan::{Arrangement, Id, Plan};
use proptest::prelude::*;
use serde_json::json;
use std::collections::BTreeMap;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn empty(id: &str) -> Arrangement {
    Arrangement {
        id: Id::new(id).unwrap(),
        label: "New".into(),
        feeds: Vec::new(),
        starts_on: Vec::new(),
        switching: Vec::new(),
        note: None,
    }
}

/// The arrangement with an option in it, as a plan that is checked.
fn with(plan: &Plan, way: &Arrangement, option: &Fit) -> (Plan, Arrangement) {
    let mut way = way.clone();
    way.feeds.extend(option.feeds.iter().cloned());
    let mut plan = plan.clone();
    plan.arrangements.retain(|it| it.id != way.id);
    plan.arrangements.push(way.clone());
    plan.check()
        .unwrap_or_else(|error| panic!("{option:?} is no arrangement: {error}"));
    (plan, way)
}

fn named<'a>(fits: &'a Fits, from: &str, through: &[&str]) -> &'a Fit {
    let found = fits
        .options
        .iter()
        .find(|it| it.from == from && it.through == through);
    found.unwrap_or_else(|| {
        panic!(
            "{from} through {through:?} is not among {:#?}",
            fits.options
        )
    })
}

/// What a lead and its fuse are proposed for.
const FOR: [Code; 5] = [
    Code::Collapse,
    Code::VoltageDrop,
    Code::CableAmpacity,
    Code::FuseSize,
    Code::FuseMissing,
];

/// The worst status of each limit, by what and where it is.
fn verdicts(
    plan: &Plan,
    way: &Arrangement,
) -> BTreeMap<(Code, String, &'static str, bool), Status> {
    let mut all = BTreeMap::new();
    for it in findings(plan, way) {
        let worst = all
            .entry((it.code, it.place, it.unit, it.moment == "charging"))
            .or_insert(it.status);
        *worst = it.status.max(*worst);
    }
    all
}

/// Carries every option out and judges again: what fits makes nothing worse, and what does not fit
/// has its reason.
fn honest(plan: &Plan, way: &Arrangement, fits: &Fits) {
    let before = verdicts(plan, way);
    for option in &fits.options {
        assert_eq!(option.fits, option.reason.is_none(), "{option:?}");
        let (after, candidate) = with(plan, way, option);
        let now = verdicts(&after, &candidate);
        let worse: Vec<_> = now
            .iter()
            .filter(|(key, now)| {
                before
                    .get(*key)
                    .map_or(**now == Status::Trips, |was| *now > was)
            })
            .collect();
        if option.fits {
            assert!(worse.is_empty(), "{option:?} makes worse {worse:?}");
            // What is proposed holds in all that it was proposed for.
            for finding in findings(&after, &candidate) {
                let own = option.feeds.iter().any(|it| it.to.name() == finding.place);
                assert!(
                    !own || !FOR.contains(&finding.code) || finding.status == Status::Holds,
                    "{option:?}: {}",
                    finding.message
                );
            }
        } else {
            let reason = option.reason.as_ref().unwrap();
            let by_label = [" takes ", " needs "].iter().any(|it| reason.contains(it));
            let no_lead = reason.contains("no standard lead");
            assert!(
                !worse.is_empty() || by_label || no_lead,
                "{option:?} is refused for nothing"
            );
        }
    }
}

#[test]
fn the_cameras_second_chain_is_found_from_nothing() {
    let plan = demo();
    let way = empty("second");
    let fits = can_feed(&plan, &way, "gate-camera", 22.0).unwrap();
    let direct = named(&fits, "House bank, studs", &[]);
    assert!(direct.fits && direct.feeds.len() == 1, "{direct:?}");
    let cable = direct.feeds[0].cable.as_ref().unwrap();
    assert!(
        (cable.length_m.get() - 22.0).abs() < 1e-12 && direct.feeds[0].fuse.is_some(),
        "{direct:?}"
    );
    let through = named(
        &fits,
        "House bank, studs",
        &["Small sine inverter", "AC adapter of the gate camera"],
    );
    assert!(through.fits && through.feeds.len() == 3, "{through:?}");
    assert!(
        through.more_day_wh > direct.more_day_wh,
        "two conversions cost more than none"
    );
    let order: Vec<f64> = fits
        .options
        .iter()
        .filter(|it| it.fits)
        .map(|it| it.more_day_wh)
        .collect();
    assert!(order.windows(2).all(|it| it[0] <= it[1]), "{order:?}");
    let outlet = named(&fits, "Power station, outlet", &[]);
    assert_eq!(
        outlet.reason.as_ref().unwrap(),
        &"gives AC; Gate camera takes DC"
    );
    let usb = named(&fits, "Power station, USB-C", &[]);
    assert!(
        usb.reason.as_ref().unwrap().contains(
            "offers 5, 9, 15, 20 V to what asks for it, and 5 V over a plain lead; Gate camera \
            takes 10.8 to 14.5 V"
        ),
        "{usb:?}"
    );
    honest(&plan, &way, &fits);
}

#[test]
fn what_can_follow_a_port_is_each_item_that_is_not_fed() {
    let plan = demo();
    let way = plan.arrangement("camera-direct").unwrap();
    let fits = can_follow(&plan, way, "house-bank", "studs", 3.0).unwrap();
    let ends: Vec<&str> = fits.options.iter().map(|it| it.to.as_str()).collect();
    assert!(
        ends.contains(&"Step-up 28 V")
            && ends.contains(&"Router")
            && !ends.contains(&"Gate camera"),
        "{ends:?}"
    );
    let pump = fits
        .options
        .iter()
        .find(|it| it.to == "Circulation pump")
        .unwrap();
    assert_eq!(
        pump.reason.as_ref().unwrap(),
        &"gives DC; Circulation pump takes AC"
    );
    honest(&plan, way, &fits);
}

#[test]
fn what_makes_no_sense_is_refused_with_a_sentence() {
    let plan = demo();
    let way = plan.arrangement("camera-direct").unwrap();
    assert!(
        can_feed(&plan, way, "gate-camera", 2.0)
            .unwrap_err()
            .message
            .contains("is fed already")
    );
    assert!(
        can_feed(&plan, way, "moon", 2.0)
            .unwrap_err()
            .message
            .contains("no device and no converter")
    );
    assert!(
        can_follow(&plan, way, "step-up", "out", 2.0)
            .unwrap_err()
            .message
            .contains("no port \"out\" that is live")
    );
    let nothing = Plan::empty("Nothing");
    assert!(can_follow(&nothing, &empty("a"), "bank", "studs", 1.0).is_err());
}

#[test]
fn a_port_that_offers_several_voltages_is_asked_for_the_nearest() {
    let with = |plug: &str| {
        Plan::from_value(
            &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "S"},
            "kit": {
        "devices": [{"id": "terminal", "label": "Terminal", "input": {"current": "dc",
            "rated_v": 19, "min_v": 18, "max_v": 21, "connector": plug},
            "phases": [{"when": "running", "watts": 20}]}],
        "sources": [{"id": "box", "label": "Box", "kind": "power_station",
            "battery": {"chemistry": "lfp", "energy_wh": 500},
            "ports": [{"id": "usb", "current": "dc", "voltage": {"offers_v": [5, 9, 15, 20]},
                "loss": {"idle_w": 1}, "limit": {"continuous_w": 60}}]}]}}),
        )
        .unwrap()
    };
    // Over a plain lead nothing asks for more than the least.
    let plain = can_feed(&with("barrel 5.5/2.1"), &empty("a"), "terminal", 1.0).unwrap();
    assert!(
        !plain.options[0].fits && plain.options[0].feeds[0].voltage_v.is_none(),
        "{:?}",
        plain.options[0]
    );
    let plan = with("USB-C");
    let fits = can_feed(&plan, &empty("a"), "terminal", 1.0).unwrap();
    let usb = &fits.options[0];
    assert!(
        usb.fits && usb.feeds[0].voltage_v.as_ref().map(|it| it.get()) == Some(20.0),
        "{usb:?}"
    );
    // 20 W, the loss of the lead, and 1 W to be on.
    assert!(usb.more_w > 21.0 && usb.more_w < 22.0, "{}", usb.more_w);
    honest(&plan, &empty("a"), &fits);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]
    /// Any device taken out of any arrangement of the demo, with any length of lead and any other
    /// watts.
    #[test]
    fn what_is_proposed_holds_and_what_is_refused_fails(way in 0_usize..5, device in 0_usize..10,
        length in 0.3..40.0f64, watts in 1.0..120.0f64) {
        let mut text = serde_json::to_value(demo()).unwrap();
        for phase in text["kit"]["devices"][device]["phases"].as_array_mut().unwrap() {
            if phase["when"] == "running" {
                phase["watts"] = json!((watts * 10.0).round() / 10.0);
            }
        }
        let plan = Plan::from_value(&text).unwrap();
        let mut way = plan.arrangements[way].clone();
        let id = plan.kit.devices[device].id.clone();
        way.feeds.retain(|it| it.to.item != id);
        let fits = can_feed(&plan, &way, id.as_str(), (length * 10.0).round() / 10.0).unwrap();
        prop_assert!(!fits.options.is_empty());
        honest(&plan, &way, &fits);
    }

    #[test]
    fn what_follows_any_live_port_is_told_honestly(way in 0_usize..5, port in 0_usize..12,
        length in 0.3..30.0f64) {
        let plan = demo();
        let way = &plan.arrangements[way];
        let mut ports: Vec<(&str, &str)> = Vec::new();
        for source in &plan.kit.sources {
            ports.extend(source.ports.iter().map(|it| (source.id.as_str(), it.id.as_str())));
        }
        let (item, port) = ports[port % ports.len()];
        let fits = can_follow(&plan, way, item, port, length).unwrap();
        honest(&plan, way, &fits);
    }
}
