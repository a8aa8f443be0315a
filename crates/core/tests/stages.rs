//! Stages put in, replaced and taken out, and what a change does before it is made.

use ash_pond_core::advice::compare::{Broken, Turn, difference};
use ash_pond_core::advice::fits::{How, Stage, can_change};
use ash_pond_core::limits::{Status, device_verdicts, findings};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::{Arrangement, Plan};
use serde_json::{Value, json};

const DEMO: &str = include_str!("../../../demo/hollin-lock.plan.json");

/// The demo with one more arrangement: the weir camera straight off the bank over its 52 m.
fn plan() -> Plan {
    let mut plan: Value = serde_json::from_str(DEMO).unwrap();
    plan["arrangements"].as_array_mut().unwrap().push(json!({
        "id": "weir-alone", "label": "Weir camera alone",
        "feeds": [{"from": {"item": "house-bank", "port": "studs"}, "to": "weir-camera",
            "cable": {"length_m": 52, "area_mm2": 0.75}, "fuse": {"rating_a": 3}}]
    }));
    Plan::from_value(&plan).unwrap()
}

fn done(plan: &Plan, way: &Arrangement, stage: &Stage) -> Arrangement {
    let mut way = way.clone();
    way.feeds.clone_from(&stage.feeds);
    let mut plan = plan.clone();
    plan.arrangements.retain(|it| it.id != way.id);
    plan.arrangements.push(way.clone());
    plan.check()
        .unwrap_or_else(|error| panic!("{} is no arrangement: {error}", stage.words));
    way
}

fn volts(plan: &Plan, way: &Arrangement, device: &str) -> f64 {
    evaluate(plan, way, &Moment::Running, &Charge::uniform(0.6))
        .unwrap()
        .feeds[device]
        .far_v
}

#[test]
fn a_step_up_behind_a_long_lead_raises_the_volts_and_taking_it_out_lowers_them_again() {
    let plan = plan();
    let way = plan.arrangement("weir-alone").unwrap();
    let before = volts(&plan, way, "weir-camera");
    let stages = can_change(&plan, way, "weir-camera", 1.0, &Charge::uniform(0.6)).unwrap();
    let found = stages
        .options
        .iter()
        .find(|it| it.how == How::InsertLast && it.words.starts_with("Step-down/up 12 V"));
    assert!(found.is_some_and(|it| it.fits));
    let found = found.unwrap_or_else(|| {
        panic!(
            "{:?}",
            stages
                .options
                .iter()
                .map(|it| &it.words)
                .collect::<Vec<_>>()
        )
    });
    let with = done(&plan, way, found);
    let after = volts(&plan, &with, "weir-camera");
    assert!(
        before < 11.9 && after > 11.95,
        "{before} V before, {after} V after"
    );
    assert!(
        found.proposes.iter().any(|it| it.starts_with("1 m of ")),
        "{:?}",
        found.proposes
    );
    // What the preview says is what comes of it.
    let row = found
        .difference
        .as_ref()
        .unwrap()
        .rows
        .iter()
        .find(|it| it.unit == "V")
        .unwrap();
    let lowest = |way: &Arrangement| device_verdicts(&plan, way, &Charge::uniform(0.6))[0].lowest_v;
    assert_eq!(
        (row.before, row.after),
        (Some(lowest(way)), Some(lowest(&with)))
    );

    let converter = with.feeds[0].to.item.to_string();
    let back = can_change(&plan, &with, &converter, 1.0, &Charge::uniform(0.6)).unwrap();
    let out = back
        .options
        .iter()
        .find(|it| it.how == How::Remove)
        .unwrap();
    let again = done(&plan, &with, out);
    assert_eq!(again.feeds.len(), 1);
    assert_eq!(again.feeds[0].from, way.feeds[0].from);
}

#[test]
fn what_fits_trips_nothing_new_and_what_does_not_says_why() {
    let plan = plan();
    for way in &plan.arrangements {
        for feed in &way.feeds {
            let stages = can_change(&plan, way, &feed.to.name(), 2.0, &Charge::full()).unwrap();
            assert!(
                stages
                    .options
                    .iter()
                    .any(|it| it.how == How::Cut && it.fits),
                "a feed can always be taken out"
            );
            for stage in &stages.options {
                assert_eq!(stage.fits, stage.reason.is_none(), "{}", stage.words);
                let Some(told) = &stage.difference else {
                    assert!(!stage.fits, "{} fits and tells nothing", stage.words);
                    continue;
                };
                let candidate = done(&plan, way, stage);
                let worst = findings(&plan, &candidate)
                    .first()
                    .map_or(Status::Holds, |it| it.status);
                assert_eq!(told.after, worst, "{}", stage.words);
                // What fits makes nothing trip that did not: only the feed's own lead may have got
                // another name.
                let named = |it: &Broken| {
                    stage.how == How::InsertLast && way.feed_into(&it.place).is_none()
                };
                let trips = told
                    .broken
                    .iter()
                    .any(|it| it.status == Status::Trips && !named(it));
                assert!(
                    !stage.fits || !trips || stage.how == How::Cut,
                    "{}: {:?}",
                    stage.words,
                    told.broken
                );
                assert!(
                    stage.fits || stage.reason.as_ref().is_some_and(|it| !it.is_empty()),
                    "{}",
                    stage.words
                );
            }
        }
    }
}

#[test]
fn a_converter_is_replaced_with_what_it_feeds_kept() {
    let plan = plan();
    let way = plan.arrangement("camera-inverter").unwrap();
    let stages = can_change(&plan, way, "small-inverter", 2.0, &Charge::full()).unwrap();
    let big = stages
        .options
        .iter()
        .find(|it| it.how == How::Replace && it.words.starts_with("Big stepped"))
        .unwrap();
    let with = done(&plan, way, big);
    assert!(with.feed_into("small-inverter").is_none());
    assert_eq!(
        with.feed_into("gate-camera").map(|it| &it.from),
        way.feed_into("gate-camera").map(|it| &it.from)
    );
    assert_eq!(with.feeds[0].cable, way.feeds[0].cable);
    // The big one idles more, and that is told before anything is changed.
    let told = big.difference.as_ref().unwrap();
    let day = told.rows.iter().find(|it| it.name == "a day").unwrap();
    assert!(day.after > day.before && day.turn == Turn::Worse, "{day:?}");
}

#[test]
fn cutting_takes_all_that_hangs_on_it_and_nothing_else() {
    let plan = plan();
    let way = plan.arrangement("camera-inverter").unwrap();
    let stages = can_change(&plan, way, "small-inverter", 2.0, &Charge::full()).unwrap();
    let cut = stages.options.iter().find(|it| it.how == How::Cut).unwrap();
    assert!(cut.feeds.is_empty(), "{:?}", cut.feeds);
    let direct = plan.arrangement("direct").unwrap();
    let stages = can_change(&plan, direct, "weir-camera", 2.0, &Charge::full()).unwrap();
    let cut = stages.options.iter().find(|it| it.how == How::Cut).unwrap();
    assert_eq!(cut.feeds.len(), direct.feeds.len() - 1);
    let wrong = can_change(&plan, direct, "nobody", 2.0, &Charge::full()).unwrap_err();
    assert!(
        wrong.message.contains("nobody") && wrong.message.contains("name what a feed leads to"),
        "{wrong}"
    );
}

#[test]
fn no_change_makes_no_difference_and_a_change_back_undoes_it() {
    let plan = plan();
    let charge = Charge::uniform(0.6);
    for way in &plan.arrangements {
        let none = difference((&plan, way), (&plan, way), &charge);
        assert!(
            none.rows.is_empty() && none.mended.is_empty() && none.broken.is_empty(),
            "{none:?}"
        );
        assert_eq!(none.sentence, "Nothing changes.");
    }
    let (one, other) = (
        plan.arrangement("camera-direct").unwrap(),
        plan.arrangement("camera-inverter").unwrap(),
    );
    let there = difference((&plan, one), (&plan, other), &charge);
    let back = difference((&plan, other), (&plan, one), &charge);
    assert_eq!((there.before, there.after), (back.after, back.before));
    for row in &there.rows {
        let same = back.rows.iter().find(|it| it.name == row.name).unwrap();
        assert_eq!((row.before, row.after), (same.after, same.before));
        assert!(
            row.turn == Turn::Other || row.turn != same.turn,
            "{row:?} and {same:?} are both better or both worse"
        );
    }
}
