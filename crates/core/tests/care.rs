//! What is due and why, and how batteries age: rules worked by hand, laws, and health recovered
//! from generated histories.

use ash_pond_core::ground::figure::Figure;
use ash_pond_core::keeping::care::{
    Check, Did, Own, Point, Record, due, health, needs_of, resistance,
};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use jiff::ToSpan;
use jiff::civil::Date;
use proptest::prelude::*;
use rand::SeedableRng as _;
use rand::rngs::StdRng;
use serde_json::json;
use std::collections::BTreeMap;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn day(text: &str) -> Date {
    text.parse().unwrap()
}

fn checks(plan: &Plan, records: &[Record], today: &str) -> Vec<Check> {
    due(plan, records, &[], &BTreeMap::new(), day(today))
}

fn one<'a>(checks: &'a [Check], id: &str) -> &'a Check {
    checks.iter().find(|it| it.id == id).unwrap_or_else(|| {
        panic!(
            "{id}: {:?}",
            checks.iter().map(|it| it.id.as_str()).collect::<Vec<_>>()
        )
    })
}

fn record(check: &str, did: Did, on: &str) -> Record {
    Record {
        check: check.into(),
        did,
        on: day(on),
        until: None,
        why: String::new(),
    }
}

/// A plan of nothing but what is named.
fn kit(sources: &serde_json::Value, devices: &serde_json::Value) -> Plan {
    Plan::from_value(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Hut"},
        "kit": {"devices": devices, "sources": sources, "converters": []}, "arrangements": [],
            "outages": []
    }))
    .unwrap()
}

#[test]
fn each_rule_is_worked_by_hand() {
    // Absorbed mat loses 3 % a month: a fifth in 6.67 months of 30.4 days, 202 days.
    let battery = |chemistry: &str| {
        json!([{"id": "bank", "label": "Bank", "kind": "battery", "ports": [],
        "battery": {"chemistry": chemistry, "cells": 6, "capacity_ah": 80}}])
    };
    let of = |plan: &Plan, id: &str| one(&checks(plan, &[], "2026-06-01"), id).clone();
    let lead = kit(&battery("agm"), &json!([]));
    let top_up = of(&lead, "top-up/bank");
    assert_eq!(top_up.every_days, 202);
    assert!(
        top_up.reason.contains("3 % a month") && top_up.reason.contains("6.67 months"),
        "{:?}",
        top_up.reason
    );
    // Open cells lose 6 %: 3.33 months, 101 days; and their water is looked at.
    let open = kit(&battery("flooded"), &json!([]));
    assert_eq!(of(&open, "top-up/bank").every_days, 101);
    assert_eq!(of(&open, "water/bank").every_days, 60);
    assert!(
        !checks(&lead, &[], "2026-06-01")
            .iter()
            .any(|it| it.rule == "water")
    );
    // Iron phosphate may rest at two fifths: two years, and a year is the most.
    assert_eq!(
        of(&kit(&battery("lfp"), &json!([])), "top-up/bank").every_days,
        365
    );
    // A petrol generator: run each month, its fuel replaced after half a year; diesel after a year;
    // gas keeps.
    let generator = |fuel: &str| {
        kit(
            &json!([{"id": "set", "label": "Generator", "kind": "generator",
                "ports": [{"id": "out", "label": "outlet", "current": "ac",
                    "voltage": {"ac_v": 230}}],
                "engine": {"fuel": fuel, "fuel_l": 10, "l_per_kwh": 0.6}}]),
            &json!([]),
        )
    };
    assert_eq!(of(&generator("petrol"), "engine-run/set").every_days, 30);
    assert_eq!(of(&generator("petrol"), "fuel-age/set").every_days, 180);
    assert_eq!(of(&generator("diesel"), "fuel-age/set").every_days, 365);
    let gas = checks(&generator("gas"), &[], "2026-06-01");
    assert!(!gas.iter().any(|it| it.rule == "fuel-age"));
    assert!(
        one(&gas, "co-alarm/set")
            .reason
            .contains("Generator burns fuel")
    );
    assert!(
        gas.iter().all(|it| it.rule != "top-up"),
        "nothing of what the kit does not have"
    );
}

#[test]
fn the_demo_is_asked_for_what_hangs_on_its_plan() {
    let plan = demo();
    let list = checks(&plan, &[], "2026-11-28");
    // The storm begins on 14 January, behind the longest time of the year without an outage; six
    // weeks before it is 3 December.
    let capacity = one(&list, "capacity/cabin-bank");
    assert_eq!(
        (capacity.due.as_str(), capacity.protocol.as_deref()),
        ("2026-12-03", Some("capacity"))
    );
    assert!(
        capacity.reason.contains("Winter storm") && capacity.reason.contains("January"),
        "{:?}",
        capacity.reason
    );
    assert!(
        one(&list, "co-alarm/heater")
            .reason
            .contains("Diesel heater burns fuel")
    );
    assert!(
        one(&list, "transfer/router-pack")
            .title
            .contains("Router pack")
            || !one(&list, "transfer/router-pack").title.is_empty()
    );
    let joints = list.iter().find(|it| it.rule == "hot-joints").unwrap();
    assert!(joints.reason.contains(" A flows"), "{:?}", joints.reason);
    assert!(
        one(&list, "spares").reason.contains(" A"),
        "{:?}",
        one(&list, "spares").reason
    );
    // A sealed lead bank that no charger is wired to is topped up; a backup unit that stands in the
    // mains is not.
    assert!(list.iter().any(|it| it.id == "top-up/cabin-bank"));
    assert!(!list.iter().any(|it| it.id == "top-up/router-pack"));
    for it in &list {
        assert!(
            !it.title.contains("{") && !it.reason.contains("{"),
            "{it:?}"
        );
        assert_eq!(
            it.overdue_days, 0,
            "what was never done is due, and not overdue: {it:?}"
        );
    }
}

#[test]
fn done_put_off_and_left_out_move_what_is_due() {
    let plan = demo();
    let id = "smoke-alarm";
    let done = [record(id, Did::Done, "2026-10-01")];
    let list = checks(&plan, &done, "2026-11-28");
    let it = one(&list, id);
    assert_eq!(
        (it.due.as_str(), it.last.as_deref(), it.overdue_days),
        ("2026-10-31", Some("2026-10-01"), 28)
    );
    assert_eq!(list[0].id, id, "what is overdue stands first");
    let mut put_off = done.to_vec();
    put_off.push(Record {
        until: Some(day("2026-12-15")),
        ..record(id, Did::PutOff, "2026-11-20")
    });
    let list = checks(&plan, &put_off, "2026-11-28");
    assert_eq!(
        (
            one(&list, id).due.as_str(),
            one(&list, id).put_off,
            one(&list, id).in_days
        ),
        ("2026-12-15", true, 17)
    );
    // Done since, it is not put off any more.
    put_off.push(record(id, Did::Done, "2026-11-25"));
    assert_eq!(
        one(&checks(&plan, &put_off, "2026-11-28"), id).due,
        "2026-12-25"
    );
    let mut left = done.to_vec();
    left.push(Record {
        why: "the landlord does it".into(),
        ..record(id, Did::LeftOut, "2026-11-01")
    });
    let list = checks(&plan, &left, "2026-11-28");
    assert_eq!(
        one(&list, id).left_out.as_deref(),
        Some("the landlord does it")
    );
    assert_eq!(one(&list, id).overdue_days, 0);
    left.push(record(id, Did::Back, "2026-11-02"));
    assert_eq!(
        one(&checks(&plan, &left, "2026-11-28"), id).overdue_days,
        28
    );
    // A capacity that was measured in November is due before the next winter.
    let capacity = [record("capacity/cabin-bank", Did::Done, "2026-11-10")];
    assert_eq!(
        one(
            &checks(&plan, &capacity, "2026-11-28"),
            "capacity/cabin-bank"
        )
        .due,
        "2027-12-03"
    );
}

#[test]
fn a_figure_that_has_outlived_its_drift_is_measured_again() {
    let plan = demo();
    let measured: BTreeMap<String, Date> =
        [("idle-big-inverter".to_owned(), day("2021-02-16"))].into();
    let list = due(&plan, &[], &[], &measured, day("2026-11-28"));
    let it = list
        .iter()
        .find(|it| it.rule == "drift")
        .expect("an idle draw of five years ago");
    assert_eq!(
        (it.item.as_str(), it.last.as_deref()),
        ("big-inverter", Some("2021-02-16"))
    );
    assert!(
        it.overdue_days > 300 && it.title.contains("idle draw"),
        "{it:?}"
    );
    assert!(
        !checks(&plan, &[], "2026-11-28")
            .iter()
            .any(|it| it.rule == "drift"),
        "nobody knows when it was measured"
    );
}

#[test]
fn ones_own_checks_are_due_on_their_day_and_bad_ones_are_refused() {
    let own = |every_days, title: &str| Own {
        id: "own/1".into(),
        title: title.into(),
        item: "van".into(),
        every_days,
        first: day("2026-11-01"),
    };
    let made = own(14, "Look under the van").checked().unwrap();
    let list = due(&demo(), &[], &[made], &BTreeMap::new(), day("2026-11-28"));
    assert_eq!(
        (
            one(&list, "own/1").overdue_days,
            one(&list, "own/1").every_days
        ),
        (27, 14)
    );
    assert_eq!(own(0, "x").checked().unwrap_err().path, "every_days");
    assert_eq!(own(14, "  ").checked().unwrap_err().path, "title");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, failure_persistence: None,
        ..ProptestConfig::default() })]
    /// Done moves the next one on, whatever is due and whenever it is done.
    #[test]
    fn done_moves_the_next_due_date_on(place in 0..40_usize, ago in 0..900_i64,
        later in 1..900_i64) {
        let plan = demo();
        let today = day("2026-11-28");
        let list = checks(&plan, &[], "2026-11-28");
        let it = &list[place % list.len()];
        let first = today.checked_sub(ago.days()).unwrap();
        let then = first.checked_add(later.days()).unwrap().min(today);
        let at = |on: Date| Record { check: it.id.clone(), did: Did::Done, on, until: None,
            why: String::new() };
        let of = |records: &[Record]| -> Date {
            one(&due(&plan, records, &[], &BTreeMap::new(), today), &it.id).due.parse().unwrap()
        };
        let (once, twice) = (of(&[at(first)]), of(&[at(first), at(then)]));
        prop_assert!(once > first);
        prop_assert!(twice >= once, "{} {once} {twice}", it.id);
        prop_assert!(twice > then);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, failure_persistence: None,
        ..ProptestConfig::default() })]
    /// No rule asks for what the kit does not have, whatever is taken out of it.
    #[test]
    fn no_rule_asks_for_what_the_kit_does_not_have(kept in proptest::collection::vec(any::<bool>(), 40)) {
        let whole = demo();
        let mut plan = whole.clone();
        let mut keep = kept.iter().cycle();
        plan.kit.devices.retain(|_| *keep.next().unwrap());
        plan.kit.sources.retain(|_| *keep.next().unwrap());
        plan.kit.converters.retain(|_| *keep.next().unwrap());
        let there = |id: &str| {
            let kit = &plan.kit;
            kit.devices.iter().any(|it| it.id.as_str() == id)
                || kit.sources.iter().any(|it| it.id.as_str() == id)
                || kit.converters.iter().any(|it| it.id.as_str() == id)
        };
        plan.arrangements.retain(|way| way.feeds.iter().all(|it| there(it.from.item.as_str())
            && there(it.to.item.as_str())));
        for it in checks(&plan, &[], "2026-11-28") {
            let is_way = plan.arrangements.iter().any(|way| way.id.as_str() == it.item);
            prop_assert!(it.item.is_empty() || there(&it.item) || is_way, "{it:?}");
            let of = plan.source(&it.item);
            let battery = of.and_then(|it| it.battery.as_ref());
            match it.rule.as_str() {
                "water" => prop_assert!(battery.is_some_and(|it| it.chemistry == "flooded")),
                "top-up" | "capacity" => prop_assert!(battery.is_some()),
                "transfer" => prop_assert!(of.is_some_and(|it| it.line.is_some())),
                "engine-run" | "fuel-age" => prop_assert!(of.is_some_and(|it| it.engine.is_some())),
                _ => {}
            }
        }
    }
}

fn normal(chance: &mut StdRng) -> f64 {
    let (one, other): (f64, f64) = (chance.random(), chance.random());
    (-2.0 * (1.0 - one).ln()).sqrt() * (std::f64::consts::TAU * other).cos()
}

/// Batteries that fade at a rate of their own, measured now and then, once in ten wrongly: what
/// they hold today lies within the band, and what they will hold in three years, nine times out of
/// ten.
#[test]
fn health_is_recovered_from_generated_histories() {
    let plan = demo();
    let (mut now_inside, mut then_inside, many) = (0, 0, 500);
    for seed in 0..many {
        let mut chance = StdRng::seed_from_u64(seed);
        let (level, fades) = (80.0, (2.6 * (1.0 + 0.6 * normal(&mut chance))).max(0.0));
        let tests = 2 + chance.random_range(0..6);
        let mut points = Vec::new();
        for test in 0..tests {
            let days_ago = i64::from(test) * 300 + chance.random_range(10..200);
            let years = -f64::from(i32::try_from(days_ago).unwrap()) / 365.25;
            let half = 1.5 + 4.0 * chance.random::<f64>();
            let wrong = if chance.random_bool(0.05) {
                12.0 * normal(&mut chance)
            } else {
                0.0
            };
            points.push(Point {
                on: day("2026-11-28").checked_sub(days_ago.days()).unwrap(),
                value: (level - 8.0 - fades * years + half / 2.0 * normal(&mut chance) + wrong)
                    .max(5.0),
                plus_minus: half,
                what: "capacity test".into(),
                origin: String::new(),
            });
        }
        let found = health(
            &plan,
            "cabin-bank",
            &points,
            None,
            &[],
            Vec::new(),
            day("2026-11-28"),
        )
        .unwrap();
        let truth = level - 8.0;
        now_inside += i32::from((found.now.low..=found.now.high).contains(&truth));
        let then = found.trend.iter().min_by(|a, b| {
            (a.year - found.now.year - 3.0)
                .abs()
                .total_cmp(&(b.year - found.now.year - 3.0).abs())
        });
        let then = then.unwrap();
        let truth_then = truth - fades * (then.year - found.now.year);
        then_inside += i32::from((then.low..=then.high).contains(&truth_then));
        assert!(
            found.loses_per_year[0] >= 0.0,
            "health never rises by resting"
        );
    }
    println!("today {now_inside}, in three years {then_inside} of {many}");
    assert!(
        now_inside * 10 >= i32::try_from(many).unwrap() * 9,
        "{now_inside} of {many}"
    );
    assert!(
        then_inside * 10 >= i32::try_from(many).unwrap() * 9,
        "{then_inside} of {many}"
    );
}

fn point_of_a_walk() -> Point {
    let (what, origin) = ("walk at the terminals".into(), "walk/direct/1".into());
    Point {
        on: day("2026-05-01"),
        value: 0.02,
        plus_minus: 0.002,
        what,
        origin,
    }
}

/// Resistances that rise at a rate of their own, measured now and then, once in twenty wrongly.
#[test]
fn a_rising_resistance_is_recovered_from_generated_histories() {
    let plan = demo();
    let (mut inside, mut told, many) = (0, 0, 500);
    for seed in 0..many {
        let mut chance = StdRng::seed_from_u64(seed);
        let (today, rises) = (0.024, (0.002 * (1.0 + 0.6 * normal(&mut chance))).max(0.0));
        let points = (0..2 + chance.random_range(0..6)).map(|test| {
            let days_ago = i64::from(test) * 300 + chance.random_range(10..200);
            let years = f64::from(i32::try_from(days_ago).unwrap()) / 365.25;
            let half = 0.001 + 0.003 * chance.random::<f64>();
            let wrong = if chance.random_bool(0.05) {
                0.006 * normal(&mut chance)
            } else {
                0.0
            };
            Point {
                on: day("2026-11-28").checked_sub(days_ago.days()).unwrap(),
                value: (today - rises * years + half / 2.0 * normal(&mut chance) + wrong)
                    .max(0.001),
                plus_minus: half,
                what: "resistance test".into(),
                origin: String::new(),
            }
        });
        let points: Vec<Point> = points.collect();
        let Some(found) = resistance(&plan, "cabin-bank", &points, None, day("2026-11-28")) else {
            continue;
        };
        told += 1;
        inside += i32::from((found.now.low..=found.now.high).contains(&today));
        assert!(
            found.gains_per_year[0] >= 0.0,
            "no resistance falls by resting"
        );
        assert!(
            found
                .trend
                .windows(2)
                .all(|it| it[1].value >= it[0].value - 1e-12)
        );
    }
    println!("{inside} of {told} that are told, of {many}");
    assert!(
        inside * 10 >= told * 9 && told * 10 >= i32::try_from(many).unwrap() * 9,
        "{inside} of {told} of {many}"
    );
    // A walk alone knows nothing of it: 37 ± 164 mΩ are not told.
    let unsure = Point {
        value: 0.037,
        plus_minus: 0.164,
        ..point_of_a_walk()
    };
    assert!(resistance(&plan, "cabin-bank", &[unsure], None, day("2026-11-28")).is_none());
    // What was there before it was replaced is told apart; where nothing was measured since, there
    // is nothing to say.
    let point = |on: &str| Point {
        on: day(on),
        value: 0.02,
        plus_minus: 0.002,
        what: "resistance test".into(),
        origin: String::new(),
    };
    let both = [point("2022-05-01"), point("2026-05-01")];
    let found = resistance(
        &plan,
        "cabin-bank",
        &both,
        Some(day("2024-01-01")),
        day("2026-11-28"),
    )
    .unwrap();
    assert_eq!((found.points.len(), found.before.len()), (1, 1));
    assert!(
        found.sentence.plain().contains("by one measurement"),
        "{}",
        found.sentence
    );
    assert!(
        resistance(
            &plan,
            "cabin-bank",
            &both[..1],
            Some(day("2024-01-01")),
            day("2026-11-28")
        )
        .is_none()
    );
}

#[test]
fn a_battery_that_was_replaced_begins_anew_and_its_predecessor_stays() {
    let plan = demo();
    let point = |on: &str, value: f64| Point {
        on: day(on),
        value,
        plus_minus: 3.0,
        what: "capacity test".into(),
        origin: String::new(),
    };
    let points = [
        point("2022-11-04", 50.0),
        point("2023-11-09", 44.0),
        point("2025-11-08", 80.0),
    ];
    let today = day("2026-11-28");
    let found = health(
        &plan,
        "cabin-bank",
        &points,
        Some(day("2024-06-01")),
        &[0.5, 0.5],
        Vec::new(),
        today,
    )
    .unwrap();
    assert_eq!((found.points.len(), found.before.len()), (1, 2));
    assert!((74.0..80.5).contains(&found.now.value), "{:?}", found.now);
    assert!((found.cycles - 1.0).abs() < 1e-9);
    // What a day takes of it is what a day's use says: 365 such days are so many of the cycles of
    // that depth.
    let by_day = found.by_day.as_ref().unwrap();
    let way = plan.arrangement(&by_day.arrangement).unwrap();
    let drawn = ash_pond_core::time::day::day(&plan, way, &ash_pond_core::network::Charge::full())
        .sources["cabin-bank"];
    // The first that draws from it; 62 Ah at 12 V are 744 Wh.
    let before = plan.arrangements.iter().take_while(|it| it.id != way.id);
    let idle = |way: &ash_pond_core::site::plan::Arrangement| {
        way.feeds
            .iter()
            .all(|it| it.from.item.as_str() != "cabin-bank")
    };
    assert!(before.into_iter().all(idle) && drawn > 0.0);
    assert!(
        (by_day.depth - drawn / 744.0).abs() < 1e-9,
        "{}",
        by_day.sentence
    );
    let battery = plan.source("cabin-bank").unwrap().battery.as_ref().unwrap();
    let life = 365.25 / ash_pond_core::site::battery::cycles_at(battery, by_day.depth);
    match by_day.life_a_year {
        Some(it) => assert!(
            (it - life).abs() < 1e-9 && by_day.depth < 1.0,
            "{}",
            by_day.sentence
        ),
        None => assert!(
            by_day.depth >= 1.0 && by_day.sentence.contains("does not last a day"),
            "{}",
            by_day.sentence
        ),
    }
    // Two swings of a half: 600 of these are a life.
    assert!(
        (found.life_used - 2.0 / 600.0).abs() < 1e-9,
        "{}",
        found.life_used
    );
    // A point that rises is no recovery.
    let rising = [point("2024-11-04", 60.0), point("2025-11-09", 66.0)];
    let found = health(&plan, "cabin-bank", &rising, None, &[], Vec::new(), today).unwrap();
    assert!(found.loses_per_year[0] >= 0.0);
    assert!(
        found
            .trend
            .windows(2)
            .all(|it| it[1].value <= it[0].value + 1e-9)
    );
}

/// What an outage is said to need of a store, put in, lasts just so long; a little less does not.
#[test]
fn what_an_outage_needs_lasts_it_and_less_does_not() {
    let plan = demo();
    let needs = needs_of(&plan, "cabin-bank");
    assert_eq!(needs.len(), plan.outages.len());
    let mut tried = 0;
    for it in &needs {
        let Some(needed) = it.needs.filter(|it| *it > 2.0) else {
            continue;
        };
        let lasts = |ah: f64| {
            let mut with = plan.clone();
            let of = with
                .kit
                .sources
                .iter_mut()
                .find(|it| it.id.as_str() == "cabin-bank")
                .unwrap();
            of.battery.as_mut().unwrap().capacity_ah = Some(Figure::assumed(ah));
            let outage = with
                .outages
                .iter()
                .find(|other| other.id.as_str() == it.outage)
                .unwrap();
            let run = simulate(
                &with,
                with.arrangement(&it.arrangement).unwrap(),
                outage,
                None,
            );
            run.devices[&it.device].down_at_h.is_none()
        };
        assert!(lasts(needed), "{it:?}");
        assert!(!lasts(needed * 0.99), "{it:?}");
        tried += 1;
    }
    assert!(tried > 0, "{needs:?}");
}

#[test]
fn the_cabin_bank_of_the_demo_meets_what_the_storm_needs_of_it() {
    let plan = demo();
    let point = |on: &str, value: f64| Point {
        on: day(on),
        value,
        plus_minus: 3.0,
        what: "capacity test".into(),
        origin: String::new(),
    };
    let points = [
        point("2023-11-04", 74.0),
        point("2024-11-09", 68.4),
        point("2025-11-08", 62.0),
    ];
    let needs = needs_of(&plan, "cabin-bank");
    let found = health(
        &plan,
        "cabin-bank",
        &points,
        None,
        &[],
        needs,
        day("2026-11-28"),
    )
    .unwrap();
    assert_eq!(
        found.crossings.len(),
        found.needs.iter().filter(|it| it.needs.is_some()).count()
    );
    for it in &found.crossings {
        let order = [it.earliest, it.year, it.latest].map(|it| it.unwrap_or(f64::INFINITY));
        assert!(order[0] <= order[1] && order[1] <= order[2], "{it:?}");
    }
    println!("{} {:?}", found.sentence.plain(), found.needs);
}
