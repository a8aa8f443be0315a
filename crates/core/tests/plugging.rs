//! Devices that are plugged over to another outlet while an outage goes on: what they draw moves
//! with them, and nothing else does.

use ash_pond_core::keeping::watch::{
    Act, Acted, Estimate, Hidden, Hides, Noticed, Outlets, Seen, Standing, can_plug, estimate,
    off_since, plugged, read_seen, review,
};
use ash_pond_core::site::plan::{Arrangement, From, Id, Outage, Plan};
use ash_pond_core::time::outage::simulate;
use proptest::prelude::*;
use std::collections::BTreeMap;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn port(text: &str) -> From {
    let (item, port) = text.split_once('/').unwrap();
    From {
        item: Id::new(item).unwrap(),
        port: Id::new(port).unwrap(),
    }
}

fn over(at_h: f64, device: &str, to: &str) -> Acted {
    Acted {
        at_s: at_h * 3600.0,
        act: Act::Over(device.to_owned(), port(to)),
    }
}

fn storm(plan: &Plan) -> (&Arrangement, &Outage) {
    (
        plan.arrangement("direct").unwrap(),
        plan.outages
            .iter()
            .find(|it| it.id.as_str() == "winter-storm")
            .unwrap(),
    )
}

fn known(plan: &Plan, acted: &[Acted], at_h: f64) -> Estimate {
    let (way, outage) = storm(plan);
    let seen = Seen {
        acted: acted.to_vec(),
        ..Seen::default()
    };
    estimate(plan, way, outage, &seen, at_h, 1).unwrap()
}

fn outlets(plan: &Plan, acted: &[Acted], at_h: f64, device: &str) -> Outlets {
    let (way, outage) = storm(plan);
    let seen = Seen {
        acted: acted.to_vec(),
        ..Seen::default()
    };
    let standing = Standing::at(plan, way, outage, &seen, at_h, 1).unwrap();
    standing.outlets(plan, way, outage, &seen, device).unwrap()
}

fn world(plan: &Plan, acted: &[Acted], seed: u64) -> Hidden {
    let (way, outage) = storm(plan);
    Hidden::of(
        plan,
        way,
        outage,
        &BTreeMap::new(),
        (Hides::Nothing, seed),
        acted,
    )
    .unwrap()
}

/// A pack that feeds nothing but the router lasts from then on for as long as it does alone, and
/// what it left lasts no less.
#[test]
fn the_router_on_its_pack_lasts_as_long_as_the_pack_alone_and_the_bank_is_relieved() {
    let plan = demo();
    let (_, outage) = storm(&plan);
    let told = outlets(&plan, &[], 2.0, "router");
    let pack = told
        .outlets
        .iter()
        .find(|it| it.port == port("router-pack/out"))
        .unwrap();
    let mut alone = plan.arrangement("shared-out").unwrap().clone();
    alone.feeds.retain(|it| it.to.item.as_str() == "router");
    let lasts = simulate(&plan, &alone, outage, None).devices["router"]
        .down_at_h
        .unwrap();
    assert!(
        (pack.until_h - 2.0 - lasts).abs() < 0.02,
        "{} and not 2 h and {lasts} h",
        pack.until_h
    );
    let (before, after) = (
        known(&plan, &[], 2.0),
        known(&plan, &[over(2.0, "router", "router-pack/out")], 2.0),
    );
    for stays in ["terminal", "air-pump", "gate-camera"] {
        let (was, is) = (
            before.devices[stays].until_h.p50,
            after.devices[stays].until_h.p50,
        );
        assert!(is > was, "{stays}: {is} after {was}");
    }
    // The pack is in it now, and was not before.
    assert!(
        after.sources.contains_key("router-pack") && !before.sources.contains_key("router-pack")
    );
    assert_eq!(
        before.devices.keys().collect::<Vec<_>>(),
        after.devices.keys().collect::<Vec<_>>()
    );
}

/// What is told of an outlet is what comes about where it is done.
#[test]
fn what_an_outlet_is_told_to_bring_comes_about() {
    let plan = demo();
    let (way, outage) = storm(&plan);
    let mut tried = 0;
    for device in ["router", "terminal", "gate-camera", "heater"] {
        for it in outlets(&plan, &[], 3.0, device).outlets {
            let acted = [Acted {
                at_s: 3.0 * 3600.0,
                act: Act::Over(device.to_owned(), it.port.clone()),
            }];
            let seen = Seen {
                acted: acted.to_vec(),
                ..Seen::default()
            };
            let then = Standing::at(&plan, way, outage, &seen, 3.0, 1).unwrap();
            let range = then.told().devices[device].until_h;
            assert!(
                range.p5 - 0.3 <= it.until_h && it.until_h <= range.p95 + 0.3,
                "{device} on {}: {} told, {range:?} came",
                it.label,
                it.until_h
            );
            assert!(it.text.plain().contains(" then "), "{}", it.text.plain());
            tried += 1;
        }
    }
    assert!(tried >= 8, "{tried}");
}

/// Over and back at once is a restart and nothing more.
#[test]
fn over_and_back_changes_nothing_for_the_others() {
    let plan = demo();
    let before = world(&plan, &[], 5).until_h();
    let after = world(
        &plan,
        &[
            over(4.0, "router", "router-pack/out"),
            over(4.0, "router", "steady-12/out"),
        ],
        5,
    )
    .until_h();
    for (id, was) in &before {
        let is = after[id];
        assert!((is - was).abs() < 0.05, "{id}: {is} and not {was}");
    }
}

/// Whatever is done later, a world was the same before; and what is not in use yet neither draws
/// nor is drawn from.
#[test]
fn a_world_is_the_same_until_something_is_plugged_over() {
    let plan = demo();
    let moments: Vec<f64> = (0..5).map(|it| f64::from(it) * 3600.0).collect();
    for seed in [1, 7, 30] {
        let plain = world(&plan, &[], seed).readings(&moments);
        for to in ["router-pack/out", "router-adapter/out", "station/socket"] {
            let acted = [over(4.5, "router", to)];
            let other = world(&plan, &acted, seed);
            let shown = other.readings(&moments);
            for (was, is) in plain.iter().zip(&shown) {
                for reading in was {
                    let own = is.iter().find(|it| it.source == reading.source).unwrap();
                    assert_eq!(own, reading, "seed {seed}, {to}");
                }
                // A pack out of which nothing flows.
                let joined = is
                    .iter()
                    .filter(|it| ["router-pack", "station"].contains(&it.source.as_str()));
                for it in joined {
                    assert!(
                        it.watts.is_none_or(|it| it < 0.5)
                            && it.amps.is_none_or(|it| it.abs() < 0.4),
                        "{to}: {it:?}"
                    );
                }
            }
        }
    }
}

/// An adapter that hangs between goes with its device, and draws where it is now.
#[test]
fn an_adapter_goes_with_its_device() {
    let plan = demo();
    let way = plan.arrangement("direct").unwrap();
    // The router takes 12 V, its steadier 9 to 36: on the station's socket it hangs on that.
    let then = plugged(&plan, way, &[over(1.0, "router", "station/socket")]);
    assert_eq!(
        then.feed_into("steady-12").unwrap().from,
        port("station/socket")
    );
    assert_eq!(
        then.feed_into("router").unwrap().from,
        port("steady-12/out")
    );
    assert!(
        then.chain("router")
            .iter()
            .all(|it| then.feeds[*it].from.item.as_str() != "house-bank")
    );
    // What feeds others too does not go.
    let then = plugged(&plan, way, &[over(1.0, "air-pump", "cabin-block/ways")]);
    assert_eq!(
        then.feed_into("block").unwrap().from,
        port("house-bank/studs")
    );
    // Back where it was.
    let twice = [
        over(1.0, "router", "station/socket"),
        over(2.0, "router", "block/ways"),
    ];
    let back = plugged(&plan, way, &twice);
    let mut was: Vec<String> = way
        .feeds
        .iter()
        .map(|it| format!("{:?} {:?}", it.from, it.to))
        .collect();
    let mut is: Vec<String> = back
        .feeds
        .iter()
        .map(|it| format!("{:?} {:?}", it.from, it.to))
        .collect();
    was.sort();
    is.sort();
    assert_eq!(was, is);
}

/// Plugged over it is on again, and what it was dropped from does not count any more.
#[test]
fn what_is_plugged_over_is_on() {
    let plan = demo();
    let drop = Acted {
        at_s: 3600.0,
        act: Act::Drop("router".into()),
    };
    let acted = vec![drop, over(2.0, "router", "router-pack/out")];
    let seen = Seen {
        acted: acted.clone(),
        ..Seen::default()
    };
    assert!(off_since(&seen, "router", 1.5).is_some() && off_since(&seen, "router", 2.5).is_none());
    let (after, without) = (known(&plan, &acted, 2.5), known(&plan, &acted[1..], 2.5));
    assert_eq!(after.devices["router"], without.devices["router"]);
}

/// What a person noticed before something was plugged over was noticed, whatever is plugged over
/// afterwards.
#[test]
fn what_was_noticed_before_stays_noticed() {
    let plan = demo();
    let mut lost = 0;
    for seed in 0..6 {
        let before = world(&plan, &[], seed);
        for device in ["router", "terminal", "gate-camera"] {
            let until_h = before.until_h()[device];
            let at_h = (until_h + 0.5).min(60.0);
            lost += usize::from(until_h < at_h);
            let to = if device == "router" {
                "router-pack/out"
            } else {
                "cabin-bank/posts"
            };
            let after = world(&plan, &[over(at_h, device, to)], seed);
            let (was, is) = (
                before.noticed(at_h * 3600.0 - 60.0),
                after.noticed(at_h * 3600.0 - 60.0),
            );
            let what = |all: &[Noticed]| {
                all.iter()
                    .map(|it| it.sentence.plain().into_owned())
                    .collect::<Vec<_>>()
            };
            assert_eq!(
                what(&was),
                what(&is),
                "{device} over at {at_h:.2} h, seed {seed}"
            );
            // Two marches of one world may step apart.
            assert!(
                was.iter()
                    .zip(&is)
                    .all(|(a, b)| (a.at_s - b.at_s).abs() < 60.0),
                "{was:?} {is:?}"
            );
        }
    }
    assert!(lost > 6, "{lost} were lost before they were plugged over");
}

#[test]
fn what_cannot_be_plugged_over_says_why() {
    let plan = demo();
    let way = plan.arrangement("direct").unwrap();
    let why = |device: &str, to: &str| can_plug(&plan, way, device, &port(to)).unwrap_err();
    for (device, to, says) in [
        ("router", "steady-12/out", "hangs there already"),
        (
            "router",
            "block/ways",
            "hangs there already, on its adapter",
        ),
        ("router", "station/nothing", "is no outlet of the plan"),
        ("phone", "station/usb-c", "feeds no such device"),
        ("circulation-pump", "cabin-block/ways", "takes AC"),
        ("gate-camera", "step-up/out", "takes 10.8 to 14.5 V"),
    ] {
        let said = why(device, to);
        assert!(said.message.contains(says), "{device} on {to}: {said}");
    }
    let (way, outage) = storm(&plan);
    let read = |row: &str| {
        read_seen(
            &format!("time_s,source,percent,action,item\n{row}\n"),
            &plan,
            way,
            outage,
        )
    };
    let seen = read("3600,router-pack/out,,over,router\n7200,router-pack,80,,").unwrap();
    assert_eq!((seen.acted.len(), seen.readings.len()), (1, 1));
    for (row, says) in [
        ("3600,router-pack,,over,router", "write it as item/port"),
        ("3600,step-up/out,,over,gate-camera", "takes 10.8 to 14.5 V"),
        ("3600,steady-12/out,,over,router", "hangs there already"),
        ("3600,router-pack,80,,", "is no store of this arrangement"),
    ] {
        let error = read(row).unwrap_err().to_string();
        assert!(
            error.contains("row 1") && error.contains(says),
            "{row}: {error}"
        );
    }
}

/// A device that is dropped for the sake of a store is not, once it hangs on another one.
#[test]
fn a_rule_for_the_sake_of_a_store_goes_only_where_the_device_hangs_on_it() {
    let plan = demo();
    let mut ruled = plan.clone();
    let rules = serde_json::json!([{"kind": "shed", "device": "router", "source": "house-bank",
        "below_soc": 0.99}]);
    let place = ruled
        .outages
        .iter()
        .position(|it| it.id.as_str() == "winter-storm")
        .unwrap();
    let mut text = serde_json::to_value(&ruled).unwrap();
    text["outages"][place]["rules"] = rules;
    ruled = Plan::from_value(&text).unwrap();
    let stays = known(&ruled, &[], 1.0).devices["router"].until_h.p50;
    assert!(stays < 3.0, "{stays}");
    let moved = known(&ruled, &[over(0.01, "router", "router-pack/out")], 1.0).devices["router"]
        .until_h
        .p50;
    assert!(moved > 3.0, "{moved}");
}

/// Looked back at, plugging over is a decision: what it was likely to win stands beside what it
/// really won.
#[test]
fn plugging_over_is_a_decision_that_is_looked_back_at() {
    let plan = demo();
    let (way, outage) = storm(&plan);
    let acted = vec![
        over(0.4, "router", "router-pack/out"),
        over(3.0, "air-pump", "cabin-block/ways"),
    ];
    let hidden = world(&plan, &acted, 9);
    let seen = Seen {
        starts: hidden.starts().clone(),
        readings: Vec::new(),
        acted: acted.clone(),
    };
    let really = |acted: &[Acted]| Some(world(&plan, acted, 9).until_h());
    let back = review(&plan, way, outage, &seen, 8.0, Some(&really)).unwrap();
    let [router, pump] = &back.decisions[..] else {
        panic!("{:?}", back.decisions)
    };
    assert_eq!(
        (router.device.as_deref(), router.outlet.as_deref()),
        (Some("router"), Some("router-pack/out"))
    );
    assert_eq!(
        (pump.device.as_deref(), pump.outlet.as_deref()),
        (Some("air-pump"), Some("cabin-block/ways"))
    );
    for it in [router, pump] {
        assert_eq!(it.winner, "router");
        let really = it.really_h.unwrap();
        assert!(
            (really - it.wins_h).abs() < 0.35 * really.abs() + 1.0,
            "{it:?}"
        );
    }
}

/// A pump that does not start again once it was off does not start on another outlet either.
#[test]
fn a_pump_that_stays_off_stays_off_elsewhere() {
    let plan = demo();
    let (way, outage) = storm(&plan);
    let acted = [over(1.0, "circulation-pump", "big-inverter/out")];
    let of = |hides| Hidden::of(&plan, way, outage, &BTreeMap::new(), (hides, 11), &acted).unwrap();
    let says = |it: &Hidden| {
        it.noticed(1e6)
            .iter()
            .any(|it| it.sentence.plain().contains("hums and does not turn"))
    };
    assert!(says(&of(Hides::PumpStays)) && !says(&of(Hides::Nothing)));
    assert!(of(Hides::PumpStays).until_h()["router"] > of(Hides::Nothing).until_h()["router"]);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Whatever is plugged where in whatever order: every device has its hours, and everything told
    /// is of the plan.
    #[test]
    fn anything_can_be_plugged_anywhere(acts in prop::collection::vec((0.0..20.0_f64, 0_usize..12,
        0_usize..24, 0_usize..5), 1..7)) {
        let plan = demo();
        let (_, outage) = storm(&plan);
        let devices: Vec<&str> = plan.kit.devices.iter().map(|it| it.id.as_str()).collect();
        let mut ports = Vec::new();
        for it in &plan.kit.sources {
            ports.extend(it.ports.iter().map(|port| format!("{}/{}", it.id, port.id)));
        }
        for it in &plan.kit.converters {
            ports.extend(it.outputs.iter().map(|port| format!("{}/{}", it.id, port.id)));
        }
        let mut acted: Vec<Acted> = acts.iter().map(|(at_h, device, to, what)| {
            let id = devices[device % devices.len()].to_owned();
            let act = match what {
                0 => Act::Drop(id),
                1 => Act::Restore(id),
                _ => Act::Over(id, port(&ports[to % ports.len()])),
            };
            Acted { at_s: at_h * 3600.0, act }
        }).collect();
        acted.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
        let world = world(&plan, &acted, 3);
        let hours = outage.hours.get();
        for (id, until) in world.until_h() {
            prop_assert!((0.0..=hours).contains(&until) && devices.contains(&id.as_str()), "{id} \
                {until}");
        }
        for it in world.noticed(hours * 3600.0) {
            prop_assert!(it.item.is_empty() || plan.device(&it.item).is_some(), "{it:?}");
        }
        // Every arrangement on the way is one.
        let then = plugged(&plan, plan.arrangement("direct").unwrap(), &acted);
        let mut text = serde_json::to_value(&plan).unwrap();
        text["arrangements"] = serde_json::json!([then]);
        text["outages"] = serde_json::json!([]);
        prop_assert!(Plan::from_value(&text).is_ok(), "{:?}", Plan::from_value(&text).err());
    }
}
