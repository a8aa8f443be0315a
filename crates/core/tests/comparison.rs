//! Arrangements side by side, and where they cross.

use crate::common;

use ash_pond_core::advice::compare::{
    Ask, Aspect, Crossings, Meeting, Over, compare, compare_used, crossings,
};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::{Outage, Plan};
use ash_pond_core::time::day::{Span, day, over};
use ash_pond_core::time::outage::{simulate, wear};
use common::{close, read};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Two inverters for one lamp: the small one idles at little and loses much, the big one the other
/// way round.
fn two_inverters(small: (f64, f64, f64), big: (f64, f64, f64)) -> Value {
    let inverter = |id: &str, (idle, proportional, quadratic): (f64, f64, f64)| {
        json!({"id": id, "label": format!("{id} inverter"), "kind": "inverter",
            "input": {"current": "dc"}, "price": 50, "weight_kg": 1,
            "outputs": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}],
            "loss": {"idle_w": idle, "proportional": proportional, "quadratic_per_w": quadratic}})
    };
    let way = |id: &str| {
        json!({"id": id, "label": format!("The {id} one"), "feeds": [
            {"from": {"item": "bank", "port": "studs"}, "to": id, "cable": {"length_m": 2,
                "area_mm2": 10}, "fuse": {"rating_a": 40}},
            {"from": {"item": id, "port": "out"}, "to": "lamp"}]})
    };
    json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Two", "ambient_c": 20,
            "energy_price": {"per_kwh": 0.5, "currency": "EUR"}},
        "kit": {
            "devices": [{"id": "lamp", "label": "Lamp", "input": {"current": "ac",
                "rated_v": 230}, "phases": [{"when": "running", "watts": 20}]}],
            "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}],
            "converters": [inverter("small", small), inverter("big", big)]},
        "arrangements": [way("small"), way("big")]
    })
}

fn cross(plan: &Plan, ask: &Ask<'_>) -> Crossings {
    let ways = [&plan.arrangements[0], &plan.arrangements[1]];
    crossings(plan, ways, &Charge::uniform(0.6), ask).unwrap()
}

/// What an arrangement draws with the lamp at so many watts.
fn drawn(site: &Value, way: usize, watts: f64) -> f64 {
    let mut site = site.clone();
    site["kit"]["devices"][0]["phases"][0]["watts"] = json!(watts);
    let plan = read(&site);
    evaluate(
        &plan,
        &plan.arrangements[way],
        &Moment::Running,
        &Charge::uniform(0.6),
    )
    .unwrap()
    .totals
    .drawn_w
}

#[test]
fn the_small_inverter_is_cheaper_below_and_the_big_one_above() {
    // 4 + 1.2·P against 10 + 1.1·P: they meet at 60 W at the inverters, and nearly so at the bank.
    let site = two_inverters((4.0, 0.2, 0.0), (10.0, 0.1, 0.0));
    let found = cross(&read(&site), &Ask::over(Over::Load));
    assert_eq!(found.crossings.len(), 1);
    let crossing = &found.crossings[0];
    assert_eq!(
        (
            crossing.meeting,
            crossing.below.as_str(),
            crossing.above.as_str()
        ),
        (Meeting::Crosses, "small", "big")
    );
    assert!((crossing.at - 60.0).abs() < 1e-6, "{}", crossing.at);
    assert_eq!(
        crossing.sentence,
        "Below 60 W The small one draws less, above it The big one."
    );
    assert!(
        drawn(&site, 0, 59.0) < drawn(&site, 1, 59.0)
            && drawn(&site, 0, 61.0) > drawn(&site, 1, 61.0)
    );
    // The series is that of the network.
    let point = found.series[48];
    assert!(close(
        point.drawn[0].unwrap(),
        drawn(&site, 0, point.at),
        1e-9
    ));
}

/// 4 · 24 + 1.5 · 20 · h against 10 · 24 + 1.1 · 20 · h meet at 18 h; on with their load it is 34 ·
/// h against 32 · h.
#[test]
fn over_hours_of_use_left_on_stands_beside_on_with_its_load() {
    let site = two_inverters((4.0, 0.5, 0.0), (10.0, 0.1, 0.0));
    let found = cross(&read(&site), &Ask::over(Over::Hours));
    assert_eq!(found.crossings.len(), 1, "{}", found.sentence);
    assert!(
        (found.crossings[0].at - 18.0).abs() < 0.1,
        "{}",
        found.crossings[0].at
    );
    let on = found.with_load.unwrap();
    assert!(
        on.sentence.plain().starts_with("On with their load: "),
        "{}",
        on.sentence
    );
    assert!(on.crossings.iter().all(|it| it.at < 1.0), "{}", on.sentence);
    // Carried out: the lamp for twelve hours, both inverters on with their load, and left on.
    let mut done = site.clone();
    done["kit"]["devices"][0]["cycle"] = json!({"kind": "hours", "from": "06:00", "to": "18:00"});
    let at = |series: &[ash_pond_core::advice::compare::Point], way: usize| {
        let nearest = series
            .iter()
            .min_by(|a, b| (a.at - 12.0).abs().total_cmp(&(b.at - 12.0).abs()))
            .unwrap();
        assert!((nearest.at - 12.0).abs() < 1e-9, "{}", nearest.at);
        nearest.drawn[way].unwrap()
    };
    for (way, id) in ["small", "big"].into_iter().enumerate() {
        let left = read(&done);
        let drawn = day(&left, &left.arrangements[way], &Charge::uniform(0.6)).drawn_wh;
        assert!(
            close(at(&found.series, way), drawn, 1e-6),
            "{id} left on: {drawn}"
        );
        let mut switched = done.clone();
        switched["arrangements"][way]["switching"] = json!([{"item": id, "when": "with_load"}]);
        let switched = read(&switched);
        let drawn = day(
            &switched,
            &switched.arrangements[way],
            &Charge::uniform(0.6),
        )
        .drawn_wh;
        assert!(
            close(at(&on.series, way), drawn, 1e-6),
            "{id} on with its load: {drawn}"
        );
    }
}

#[test]
fn curves_that_cross_twice_are_told_so() {
    // 10 + 0.002·P² is below 2 + 0.2·P + … only in between: P² − 100·P + 2400 = 0 at 40 and 60 W.
    let site = two_inverters((6.8, 0.0, 0.002), (2.0, 0.2, 0.0));
    let found = cross(&read(&site), &Ask::over(Over::Load));
    let at: Vec<f64> = found.crossings.iter().map(|it| it.at).collect();
    assert_eq!(at.len(), 2, "{}", found.sentence);
    assert!(
        (at[0] - 40.0).abs() < 1e-6 && (at[1] - 60.0).abs() < 1e-6,
        "{at:?}"
    );
    assert_eq!(
        (
            found.crossings[0].below.as_str(),
            found.crossings[0].above.as_str()
        ),
        ("big", "small")
    );
}

#[test]
fn a_tangent_is_told_as_one() {
    // P² − 100·P + 2500 = 0 touches at 50 W.
    let site = two_inverters((7.0, 0.0, 0.002), (2.0, 0.2, 0.0));
    let found = cross(&read(&site), &Ask::over(Over::Load));
    assert_eq!(found.crossings.len(), 1, "{}", found.sentence);
    assert_eq!(found.crossings[0].meeting, Meeting::Touches);
    assert!((found.crossings[0].at - 50.0).abs() < 0.01);
    assert!(found.sentence.contains("either side"), "{}", found.sentence);
}

#[test]
fn what_never_crosses_is_told_with_its_numbers() {
    let site = two_inverters((4.0, 0.1, 0.0), (6.0, 0.1, 0.0));
    let found = cross(&read(&site), &Ask::over(Over::Load));
    assert!(found.crossings.is_empty());
    assert!(
        found
            .sentence
            .starts_with("They do not cross between 0 W and 200 W: The small one draws 2 W to 2"),
        "{}",
        found.sentence
    );
}

#[test]
fn two_equal_chains_cost_the_same() {
    let plan = read(&two_inverters((5.0, 0.1, 0.001), (5.0, 0.1, 0.001)));
    for over in Over::ALL {
        let found = cross(&plan, &Ask::over(*over));
        // Only one of them has the converter whose idle draw changes, so there they do cross.
        if *over == Over::Idle {
            assert_eq!(found.crossings.len(), 1);
            assert!(close(found.crossings[0].at, 5.0, 1e-9));
            continue;
        }
        assert!(
            found.crossings.is_empty(),
            "{over:?}: {:?}",
            found.crossings
        );
        assert!(
            found.sentence.starts_with("They draw the same"),
            "{}",
            found.sentence
        );
    }
    let ways: Vec<_> = plan.arrangements.iter().collect();
    let compared = compare(&plan, &ways, &Charge::full(), None).unwrap();
    let (one, other) = (&compared.ways[0], &compared.ways[1]);
    assert!(
        close(one.usage.drawn_wh, other.usage.drawn_wh, 1e-12)
            && one.to_floor_h == other.to_floor_h
    );
    assert!(
        compared.best.iter().all(|it| it.way.is_none()),
        "{:?}",
        compared.best
    );
}

#[test]
fn hours_of_use_cross_where_the_idle_hours_weigh_the_same() {
    // On: 4 + 1.3·20 = 30 and 10 + 20 = 30 … made unequal: 28 against 30 W on, 8 against 2 W off.
    let site = two_inverters((8.0, 0.0, 0.0), (2.0, 0.4, 0.0));
    let plan = read(&site);
    let found = cross(
        &plan,
        &Ask {
            device: Some("lamp"),
            ..Ask::over(Over::Hours)
        },
    );
    assert_eq!(found.crossings.len(), 1, "{}", found.sentence);
    // h·28 + (24 − h)·8 = h·30 + (24 − h)·2 gives h = 18, but for the little that the lead loses.
    assert!(
        (found.crossings[0].at - 18.0).abs() < 0.05,
        "{}",
        found.crossings[0].at
    );
    assert_eq!(found.drawn_unit, "Wh a day");
    // The same day by the other way of computing it.
    let mut timed = site.clone();
    timed["kit"]["devices"][0]["cycle"] = json!({"kind": "hours", "from": "06:00", "to": "18:00"});
    let timed = read(&timed);
    let twelve = &found.series[48];
    assert!(close(twelve.at, 12.0, 1e-12));
    let by_day = day(&timed, &timed.arrangements[0], &Charge::uniform(0.6)).drawn_wh;
    assert!(close(twelve.drawn[0].unwrap(), by_day, 1e-9), "{by_day}");
}

#[test]
fn a_longer_lead_and_an_idle_draw_cross_where_their_watts_are_equal() {
    let mut site = two_inverters((4.0, 0.1, 0.0), (10.0, 0.1, 0.0));
    // The small one hangs on a lead of its own length; the big one on a short one.
    site["arrangements"][0]["feeds"][0]["cable"] = json!({"length_m": 20, "area_mm2": 1.5});
    site["arrangements"][0]["feeds"][0]["fuse"] = json!({"rating_a": 10});
    let plan = read(&site);
    let length = cross(
        &plan,
        &Ask {
            item: Some("small"),
            to: Some(400.0),
            ..Ask::over(Over::Length)
        },
    );
    assert_eq!(length.crossings.len(), 1, "{}", length.sentence);
    let mut at = site.clone();
    at["arrangements"][0]["feeds"][0]["cable"]["length_m"] = json!(length.crossings[0].at);
    assert!(close(drawn(&at, 0, 20.0), drawn(&at, 1, 20.0), 1e-9));
    let idle = cross(
        &plan,
        &Ask {
            item: Some("big"),
            ..Ask::over(Over::Idle)
        },
    );
    assert_eq!(idle.crossings.len(), 1, "{}", idle.sentence);
    let mut at = site.clone();
    at["kit"]["converters"][1]["loss"]["idle_w"] = json!(idle.crossings[0].at);
    assert!(close(drawn(&at, 0, 20.0), drawn(&at, 1, 20.0), 1e-9));
}

#[test]
fn where_a_lead_collapses_there_is_no_point_and_what_it_carries_is_told() {
    let mut site = two_inverters((4.0, 0.1, 0.0), (10.0, 0.1, 0.0));
    site["arrangements"][0]["feeds"][0]["cable"] = json!({"length_m": 40, "area_mm2": 1.5});
    let found = cross(&read(&site), &Ask::over(Over::Load));
    assert!(
        found.series.iter().any(|it| it.drawn[0].is_none())
            && found.series.iter().all(|it| it.drawn[1].is_some())
    );
    let carries = found.carries_to[0].unwrap();
    assert!(carries > 10.0 && carries < 100.0, "{carries}");
    assert!(
        found.sentence.contains("The small one carries it up to"),
        "{}",
        found.sentence
    );
}

#[test]
fn bad_questions_are_refused_with_their_parameter() {
    let mut site = two_inverters((4.0, 0.1, 0.0), (10.0, 0.1, 0.0));
    let plan = read(&site);
    let ways = [&plan.arrangements[0], &plan.arrangements[1]];
    let refused = |ask: &Ask<'_>| crossings(&plan, ways, &Charge::full(), ask).unwrap_err();
    assert_eq!(
        refused(&Ask {
            device: Some("nobody"),
            ..Ask::over(Over::Load)
        })
        .path,
        "device"
    );
    assert_eq!(
        refused(&Ask {
            item: Some("nothing"),
            ..Ask::over(Over::Idle)
        })
        .path,
        "item"
    );
    assert_eq!(
        refused(&Ask {
            from: Some(9.0),
            to: Some(3.0),
            ..Ask::over(Over::Load)
        })
        .path,
        "to"
    );
    assert_eq!(
        refused(&Ask {
            from: Some(-1.0),
            ..Ask::over(Over::Load)
        })
        .path,
        "from"
    );
    assert_eq!(
        refused(&Ask {
            to: Some(f64::NAN),
            ..Ask::over(Over::Charge)
        })
        .path,
        "to"
    );
    site["arrangements"][1]["feeds"]
        .as_array_mut()
        .unwrap()
        .truncate(1);
    let plan = read(&site);
    let why = compare(
        &plan,
        &[&plan.arrangements[0], &plan.arrangements[1]],
        &Charge::full(),
        None,
    )
    .unwrap_err();
    assert!(
        why.message
            .contains("do not carry the same devices: Lamp is not fed by \"big\""),
        "{why}"
    );
    assert!(
        compare(&plan, &[&plan.arrangements[0]], &Charge::full(), None)
            .unwrap_err()
            .message
            .contains("two or more")
    );
}

#[test]
fn a_comparison_adds_up_and_says_what_is_best() {
    let plan = read(&two_inverters((4.0, 0.2, 0.0), (10.0, 0.1, 0.0)));
    let ways: Vec<_> = plan.arrangements.iter().collect();
    let found = compare(&plan, &ways, &Charge::full(), None).unwrap();
    for it in &found.ways {
        let usage = &it.usage;
        let parts = usage.delivered_wh
            + usage.charging_wh
            + usage.idle_wh
            + usage.conversion_wh
            + usage.cables_wh;
        assert!(close(usage.drawn_wh, parts, 1e-9));
        let split: f64 = usage.converters.values().map(|it| it.total_wh()).sum();
        assert!(close(split, usage.idle_wh + usage.conversion_wh, 1e-9));
        assert!(close(
            it.energy_cost.unwrap(),
            usage.drawn_wh * 0.0005,
            1e-12
        ));
        assert!(it.to_floor_h.unwrap() < it.to_cut_off_h.unwrap());
        assert_eq!(it.cut_off_by.as_ref().unwrap(), &"Bank is empty");
    }
    // 20 W in: 28 W and 32 W, all day.
    assert!(close(
        found.ways[0].usage.converters["small"].idle_wh,
        96.0,
        1e-9
    ));
    let energy = found
        .best
        .iter()
        .find(|it| it.aspect == Aspect::Energy)
        .unwrap();
    assert_eq!(energy.way.as_deref(), Some("small"));
    assert!(
        energy.sentence.starts_with("The small one draws 67"),
        "{}",
        energy.sentence
    );
}

#[test]
fn an_outage_counts_the_hours_in_which_the_mains_is_out() {
    let mut site = two_inverters((4.0, 0.2, 0.0), (10.0, 0.1, 0.0));
    site["kit"]["devices"][0]["cycle"] = json!({"kind": "hours", "from": "18:00", "to": "23:00"});
    site["outages"] = json!([{"id": "o", "label": "Night", "start": "2026-01-14T20:00",
        "hours": 48, "ambient_c": 0,
        "initial_soc": {"bank": 0.5}, "mains": [{"from_h": 0, "to_h": 26, "state": "out"}]}]);
    let plan = read(&site);
    let ways: Vec<_> = plan.arrangements.iter().collect();
    let found = compare(&plan, &ways, &Charge::full(), Some(&plan.outages[0])).unwrap();
    assert_eq!((found.hours, found.ambient_c), (26.0, 0.0));
    // Eight till eleven on the first evening, six till ten on the second: 7 h of 20 W.
    assert!(close(found.ways[0].usage.delivered_wh, 140.0, 1e-9));
    // From half: down to the floor of 10 %, of what is left at 0 °C.
    assert!(close(found.ways[0].lasting["bank"].cut_off_soc, 0.0, 1e-6));
}

#[test]
fn a_store_that_gains_does_not_run_down() {
    let site = |amps: f64| {
        json!({
            "format": "ash-pond/plan", "version": 1, "site": {"name": "Sun", "ambient_c": 20},
            "kit": {
                "devices": [{"id": "lamp", "label": "Lamp", "input": {"current": "dc",
                    "rated_v": 12}, "phases": [{"when": "running", "watts": 12}]}],
                "converters": [{"id": "up", "label": "Step-up", "kind": "boost",
                    "input": {"current": "dc"}, "loss": {"idle_w": 0.5, "proportional": 0.1},
                    "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 24}}]}],
                "sources": [
                    {"id": "van", "label": "Van", "kind": "vehicle",
                        "battery": {"chemistry": "flooded", "cells": 6, "capacity_ah": 70,
                        "internal_ohm": 0.01},
                        "ports": [{"id": "lead", "current": "dc", "voltage": {"follows": true}}]},
                    {"id": "station", "label": "Station", "kind": "power_station",
                        "battery": {"chemistry": "lfp", "energy_wh": 500},
                        "ports": [{"id": "socket", "current": "dc",
                            "voltage": {"regulated_v": 12}, "loss": {"idle_w": 1}}],
                        "inputs": [{"id": "dc", "kind": "dc", "min_v": 11, "max_v": 30,
                            "efficiency": 0.9, "bands": [{"from_v": 11, "max_a": amps}]}]}]},
            "arrangements": [{"id": "a", "label": "A", "feeds": [
                {"from": {"item": "van", "port": "lead"}, "to": "up", "cable": {"length_m": 4,
                    "area_mm2": 4}, "fuse": {"rating_a": 15}},
                {"from": {"item": "up", "port": "out"}, "to": "station/dc"},
                {"from": {"item": "station", "port": "socket"}, "to": "lamp"}]}]
        })
    };
    // Vehicle, step-up, station, lamp: 1 A at 24 V are 24 W in, and 24 × 0.9 × the chemistry's
    // share stored; 13 W go out.
    let plan = read(&site(1.0));
    let flow = evaluate(
        &plan,
        &plan.arrangements[0],
        &Moment::Running,
        &Charge::full(),
    )
    .unwrap();
    let input = &flow.inputs["station/dc"];
    assert!(
        close(input.watts, 24.0, 1e-9)
            && close(input.amps, 1.0, 1e-9)
            && input.band_from_v == Some(11.0)
    );
    let efficiency = ash_pond_core::site::chemistry::find("lfp")
        .unwrap()
        .charge_efficiency;
    assert!(close(input.stored_w, 24.0 * 0.9 * efficiency, 1e-9));
    // Charge and discharge at once are told apart.
    let station = &flow.sources["station"];
    assert!(close(station.watts, 13.0, 1e-9) && close(station.charged_w, input.stored_w, 1e-12));
    assert!(
        close(flow.converters["up"].output_w, 24.0, 1e-9)
            && close(flow.converters["up"].input_w, 26.9, 1e-9)
    );
    assert!(
        close(flow.totals.charging_w, 24.0, 1e-9) && close(flow.totals.delivered_w, 12.0, 1e-9)
    );
    let lasting = ash_pond_core::time::day::lasting(&plan, &plan.arrangements[0], &Charge::full());
    assert_eq!(lasting["station"].to_floor_h, None, "it gains");
    assert!(lasting["van"].to_floor_h.is_some());
    // With a third of an ampere it loses 13 W and gains 7.
    let plan = read(&site(0.3));
    let lasting = ash_pond_core::time::day::lasting(&plan, &plan.arrangements[0], &Charge::full());
    let (stored, floor) = (7.2 * 0.9 * efficiency, lasting["station"].floor_soc);
    let hours = 500.0 * (1.0 - floor) / (13.0 - stored);
    let at_20 = ash_pond_core::site::chemistry::find("lfp")
        .unwrap()
        .capacity_share(20.0);
    assert!(close(
        lasting["station"].to_floor_h.unwrap(),
        hours * at_20,
        1e-6
    ));
}

#[test]
fn a_panel_gives_no_more_than_it_has() {
    let plan = read(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Sun"},
        "kit": {"sources": [
            {"id": "sun", "label": "Panel", "kind": "panel", "panel": {"open_v": 22},
                "ports": [{"id": "leads", "current": "dc", "voltage": {"regulated_v": 18},
                    "limit": {"continuous_w": 75}}]},
            {"id": "station", "label": "Station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500},
                "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12}}],
                "inputs": [{"id": "panel", "kind": "dc", "max_w": 200, "max_a": 10}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": [{"from": {"item": "sun",
            "port": "leads"}, "to": "station/panel"}]}]
    }));
    let flow = evaluate(
        &plan,
        &plan.arrangements[0],
        &Moment::Running,
        &Charge::full(),
    )
    .unwrap();
    assert!(close(flow.inputs["station/panel"].watts, 75.0, 1e-9));
}

#[test]
fn a_start_on_ac_and_a_run_on_dc_is_compared_with_both() {
    let mut site = two_inverters((10.0, 0.1, 0.0), (10.0, 0.1, 0.0));
    let device = &mut site["kit"]["devices"][0];
    device["input"] = json!({"current": "dc", "rated_v": 12});
    device["phases"] = json!([{"when": "running", "watts": 10}, {"when": "starting", "watts": 120,
        "seconds": 360}]);
    device["cycle"] = json!({"kind": "hours", "from": "06:00", "to": "18:00"});
    site["kit"]["converters"][1] = json!({"id": "big", "label": "Adapter", "kind": "ac_adapter",
        "input": {"current": "ac"},
        "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}]});
    let (bank, fuse) = (
        json!({"item": "bank", "port": "studs"}),
        json!({"rating_a": 40}),
    );
    site["arrangements"] = json!([
        {"id": "dc", "label": "DC", "feeds": [{"from": bank, "to": "lamp", "fuse": fuse}]},
        {"id": "ac", "label": "AC", "feeds": [{"from": bank, "to": "small", "fuse": fuse},
            {"from": {"item": "small", "port": "out"}, "to": "big"}, {"from": {"item": "big",
            "port": "out"}, "to": "lamp"}]},
        {"id": "mixed", "label": "Mixed", "feeds": [{"from": bank, "to": "lamp", "fuse": fuse}],
            "starts_on": [{"device": "lamp", "arrangement": "ac"}]}]);
    let plan = read(&site);
    let ways: Vec<_> = plan.arrangements.iter().collect();
    let found = compare(&plan, &ways, &Charge::full(), None).unwrap();
    let drawn = |index: usize| found.ways[index].usage.drawn_wh;
    // DC: 0.1 h of 120 W and 11.9 h of 10 W. Mixed: 12 h of 10 W, and 0.1 h of 10 + 1.1 × 120 W.
    assert!(close(drawn(0), 12.0 + 119.0, 1e-9));
    assert!(close(drawn(2), 120.0 + 14.2, 1e-9), "{}", drawn(2));
    assert!(drawn(0) < drawn(2) && drawn(2) < drawn(1));
    let start = evaluate(
        &plan,
        ways[2],
        &Moment::Starting("lamp".into()),
        &Charge::full(),
    )
    .unwrap();
    assert_eq!(start.arrangement, "ac");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None,
        ..ProptestConfig::default() })]

    /// Both sides of every crossing, computed by the ordinary way on a plan with that figure.
    #[test]
    fn a_crossing_found_is_a_crossing(
        small in (0.0..12.0_f64, 0.0..0.4_f64, 0.0..0.003_f64), big in (0.0..12.0_f64,
            0.0..0.4_f64, 0.0..0.003_f64),
    ) {
        let site = two_inverters(small, big);
        let found = cross(&read(&site), &Ask::over(Over::Load));
        for it in found.crossings.iter().filter(|it| it.meeting == Meeting::Crosses) {
            let step = 1e-4 * (1.0 + it.at);
            let less = |watts: f64| if drawn(&site, 0, watts) < drawn(&site, 1,
                watts) { "small" } else { "big" };
            prop_assert!(close(drawn(&site, 0, it.at), drawn(&site, 1, it.at), 1e-7));
            if it.at > step {
                prop_assert_eq!(less(it.at - step), it.below.as_str());
            }
            prop_assert_eq!(less(it.at + step), it.above.as_str());
        }
        // And none is missed: the one that draws less changes only where a crossing is told.
        let mut less = None;
        for point in &found.series {
            let (Some(a), Some(b)) = (point.drawn[0], point.drawn[1]) else { continue };
            if (a - b).abs() < 1e-6 {
                continue;
            }
            let now = a < b;
            if let Some((before, at)) = less
                && before != now
            {
                prop_assert!(found.crossings.iter().any(|it| at <= it.at && it.at <= point.at),
                    "between {} and {}", at, point.at);
            }
            less = Some((now, point.at));
        }
    }

    /// A span twice as long takes twice as much, and the parts of a day make the day.
    #[test]
    fn hours_add_up(watts in 0.5..60.0_f64, from in 0_u32..24, long in 1_u32..72) {
        let mut site = two_inverters((4.0, 0.2, 0.001), (10.0, 0.1, 0.0));
        site["kit"]["devices"][0]["phases"][0]["watts"] = json!(watts);
        site["kit"]["devices"][0]["cycle"] = json!({"kind": "hours", "from": "07:30",
            "to": "21:15"});
        let span = |start: u32, hours: u32| {
            let mut site = site.clone();
            site["outages"] = json!([{"id": "o", "label": "O",
                "start": format!("2026-03-0{}T{:02}:00", 1 + start / 24, start % 24),
                "hours": hours}]);
            let plan = read(&site);
            let span = Span::outage(&plan, &plan.outages[0]);
            over(&plan, &plan.arrangements[0], &Charge::full(), &span)
        };
        let (whole, first, rest) = (span(from, 2 * long), span(from, long),
            span((from + long) % 120, long));
        prop_assert!(close(whole.hours, first.hours + rest.hours, 1e-12));
        prop_assert!(close(whole.drawn_wh, first.drawn_wh + rest.drawn_wh, 1e-9));
    }
}

/// Who answers how long something lasts in an outage: a comparison over it and `simulate` say the
/// same, whatever comes in, is dropped or is switched meanwhile.
#[test]
fn a_comparison_over_an_outage_says_what_the_outage_says() {
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let mut tried = 0;
    for ids in [
        &["camera-direct", "camera-inverter"][..],
        &["direct", "mains-like", "shared-out"],
    ] {
        let ways: Vec<_> = ids.iter().map(|it| plan.arrangement(it).unwrap()).collect();
        for outage in &plan.outages {
            let Ok(found) = compare(&plan, &ways, &Charge::full(), Some(outage)) else {
                continue;
            };
            for (it, way) in found.ways.iter().zip(&ways) {
                let fared = it.fared.as_ref().unwrap();
                let run = |everything: bool| {
                    simulate(
                        &plan,
                        way,
                        &Outage {
                            use_everything: Some(everything),
                            ..outage.clone()
                        },
                        None,
                    )
                };
                let (spared, used_up) = (run(false), run(true));
                let floor = spared
                    .sources
                    .values()
                    .filter_map(|it| it.to_floor_h)
                    .reduce(f64::min);
                assert_eq!(fared.to_floor_h, floor, "{} in {}", way.id, outage.id);
                for (run, told) in [(&spared, &fared.spared), (&used_up, &fared.used_up)] {
                    let lost = run
                        .devices
                        .values()
                        .filter(|it| it.why.as_deref() != Some("shed by rule"));
                    let first = lost.filter_map(|it| it.down_at_h).reduce(f64::min);
                    assert_eq!(
                        told.as_ref().map(|it| it.at_h),
                        first,
                        "{} in {}",
                        way.id,
                        outage.id
                    );
                    if let Some(it) = told {
                        assert_eq!(run.devices[&it.device].down_at_h, first);
                    }
                }
                tried += 1;
            }
        }
    }
    assert!(tried >= 8, "{tried}");
    // By its mean alone the small inverter would empty the bank within the storm; what is charged
    // meanwhile carries it through.
    let ways = ["camera-direct", "camera-inverter"].map(|it| plan.arrangement(it).unwrap());
    let storm = plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == "winter-storm");
    let found = compare(&plan, &ways, &Charge::full(), storm).unwrap();
    assert!(
        found.ways[1].to_floor_h.unwrap() < found.hours
            && found.ways[1].fared.as_ref().unwrap().to_floor_h.is_none()
    );
    let told = |aspect| found.best.iter().find(|it| it.aspect == aspect).unwrap();
    assert_eq!(told(Aspect::ToFloor).way, None);
    assert_eq!(
        told(Aspect::ToFloor).sentence,
        "Straight off the bank lasts all of it; Through the small inverter lasts all of it."
    );
    // How deep the storm takes the bank is what it is worn by, and what `wear` says of it.
    let used = compare_used(&plan, &ways, &Charge::full(), storm, Some(0.5)).unwrap();
    let full = Outage {
        initial_soc: BTreeMap::new(),
        ..storm.unwrap().clone()
    };
    let run = simulate(&plan, ways[1], &full, Some(100.0));
    let (deep, worn) = (
        &used.ways[1].lives["house-bank"],
        &wear(&plan, &run)["house-bank"],
    );
    assert!(
        close(deep.depth, 1.0 - worn.lowest, 1e-3),
        "{} and {}",
        deep.depth,
        1.0 - worn.lowest
    );
    // Over a day nothing is marched.
    assert!(
        compare(&plan, &ways, &Charge::full(), None)
            .unwrap()
            .ways
            .iter()
            .all(|it| it.fared.is_none())
    );
}
