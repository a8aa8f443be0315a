//! How fast it is found what runs what, what fills what, how small would do, and what to buy.

use ash_pond_core::advice::charge::fills;
use ash_pond_core::advice::shelf::{
    FindAsk, LeadSize, RunsAsk, SmallestAsk, SmallestKind, find, runs, smallest,
};
use ash_pond_core::site::plan::Plan;
use criterion::{Criterion, criterion_group, criterion_main};
use serde_json::{Value, json};
use std::hint::black_box;

/// The allocator of the binary.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads")
}

/// So many devices, sources of two ports, and converters, every third part to be bought.
fn large(devices: usize, sources: usize, converters: usize) -> Plan {
    let whole = |it: usize| u32::try_from(it).map_or(0.0, f64::from);
    let windows = [(9.0, 16.0), (11.0, 13.0), (20.0, 30.0), (10.5, 15.0)];
    let device = |it: usize| {
        let (low, high) = windows[it % windows.len()];
        json!({"id": format!("d{it}"), "label": format!("Device {it}"), "priority": it + 1,
            "input": {"current": "dc", "rated_v": if low > 18.0 { 24 } else { 12 }, "min_v": low,
                "max_v": high},
            "phases": [{"when": "starting", "watts": 14.0 + whole(it % 7), "seconds": 20},
                {"when": "running", "watts": 4.0 + whole(it % 5) * 2.0}]})
    };
    let source = |it: usize| {
        let battery = if it.is_multiple_of(2) {
            json!({"chemistry": "lfp", "cells": 4, "capacity_ah": 40.0 + whole(it) * 12.0})
        } else {
            json!({"chemistry": "lfp", "energy_wh": 300.0 + whole(it) * 90.0})
        };
        let ports = if it.is_multiple_of(2) {
            json!([{"id": "studs", "current": "dc", "voltage": {"follows": true},
                "limit": {"continuous_a": 60}},
                   {"id": "plug", "current": "dc", "voltage": {"follows": true},
                       "limit": {"continuous_a": 10}}])
        } else {
            json!([{"id": "socket", "current": "dc", "voltage": {"regulated_v": 12.5},
                "limit": {"continuous_a": 8}},
                   {"id": "out", "current": "dc", "voltage": {"regulated_v": 24},
                       "limit": {"continuous_a": 5}}])
        };
        let kind = if it.is_multiple_of(2) {
            "battery"
        } else {
            "power_station"
        };
        json!({"id": format!("s{it}"), "label": format!("Store {it}"), "kind": kind,
            "battery": battery, "ports": ports, "inputs": [
                {"id": "low", "kind": "dc", "min_v": 10, "max_v": 32, "max_w": 200,
                    "bands": [{"from_v": 10, "max_a": 8}, {"from_v": 20, "max_a": 10}]},
                {"id": "high", "kind": "dc", "min_v": 10, "max_v": 60, "max_a": 20}],
            "owned": !it.is_multiple_of(3), "price": 120.0 + whole(it) * 35.0,
                "weight_kg": 4.0 + whole(it)})
    };
    let converter = |it: usize| {
        let out = [12.0, 24.0, 12.2, 13.0][it % 4];
        json!({"id": format!("c{it}"), "label": format!("Converter {it}"), "kind": "buck_boost",
            "owned": !it.is_multiple_of(3),
            "price": 12.0 + whole(it) * 3.0, "weight_kg": 0.2, "input": {"current": "dc",
                "min_v": 9, "max_v": 32},
            "loss": {"idle_w": 0.3 + whole(it % 5) * 0.2,
                "proportional": 0.05 + whole(it % 3) * 0.01},
            "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": out},
                "limit": {"continuous_w": 40 + 10 * (it % 4)}}]})
    };
    let list = |count: usize, of: &dyn Fn(usize) -> Value| (0..count).map(of).collect::<Vec<_>>();
    let plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Large",
        "ambient_c": 20},
        "kit": {"devices": list(devices, &device), "sources": list(sources, &source),
            "converters": list(converters, &converter)},
        "arrangements": [], "outages": [{"id": "storm", "label": "Storm",
            "start": "2026-01-10T18:00", "hours": 72}]});
    Plan::from_value(&plan).expect("the large site reads")
}

fn table(criterion: &mut Criterion) {
    let alone = RunsAsk {
        together: Some(Vec::new()),
        ..RunsAsk::default()
    };
    let (small, big) = (demo(), large(25, 20, 6));
    criterion.bench_function("what runs what, the demo", |it| {
        it.iter(|| runs(black_box(&small), &alone));
    });
    let mut group = criterion.benchmark_group("what runs what");
    group.sample_size(10);
    group.bench_function("25 devices on 40 ports", |it| {
        it.iter(|| runs(black_box(&big), &alone));
    });
    group.bench_function("the demo, all ticked together", |it| {
        it.iter(|| runs(black_box(&small), &RunsAsk::default()));
    });
}

fn least(criterion: &mut Criterion) {
    let plan = demo();
    let ask = |chance: Option<f64>| SmallestAsk {
        what: SmallestKind::Store,
        item: "house-bank".into(),
        arrangement: "direct".into(),
        outage: Some("winter-storm".into()),
        hours: 48.0,
        devices: vec!["router".into()],
        chance,
        seed: 1,
    };
    criterion.bench_function("the smallest store for 48 h", |it| {
        it.iter(|| smallest(black_box(&plan), &ask(None)));
    });
    let mut group = criterion.benchmark_group("the smallest store for 48 h by chance");
    group.sample_size(10);
    group.bench_function("nine in ten", |it| {
        it.iter(|| smallest(black_box(&plan), &ask(Some(0.9))));
    });
}

fn filling(criterion: &mut Criterion) {
    let (small, big) = (demo(), large(0, 10, 10));
    let cells = |plan: &Plan| {
        let found = fills(plan).expect("asked well");
        found.cells.iter().map(Vec::len).sum::<usize>()
    };
    println!(
        "what fills what: {} cells of the demo, {} of twenty ports through ten converters",
        cells(&small),
        cells(&big)
    );
    let mut group = criterion.benchmark_group("what fills what");
    group.sample_size(10);
    group.bench_function("the demo", |it| it.iter(|| fills(black_box(&small))));
    group.bench_function("twenty ports through ten converters", |it| {
        it.iter(|| fills(black_box(&big)));
    });
}

fn finder(criterion: &mut Criterion) {
    let (small, big) = (demo(), large(8, 20, 20));
    let of = |devices: &[&str], front: bool| FindAsk {
        outage: Some("winter-storm".into()),
        front,
        ..FindAsk::of(devices, 24.0)
    };
    let six = [
        "router",
        "terminal",
        "gate-camera",
        "weir-camera",
        "heater",
        "lamps",
    ];
    let mut group = criterion.benchmark_group("the finder");
    group.sample_size(10);
    group.bench_function("the demo, six devices for 24 h", |it| {
        it.iter(|| find(black_box(&small), &of(&six, false)));
    });
    let far = FindAsk {
        leads: [(1.5, 0.9), (4.0, 2.0), (10.0, 5.0)]
            .map(|(area_mm2, price_m)| LeadSize { area_mm2, price_m })
            .to_vec(),
        ..of(&["router", "weir-camera", "gate-camera"], true)
    };
    let found = find(&small, &far).expect("asked well");
    println!(
        "three devices in three sizes of lead: {} sets of chains",
        found.tried
    );
    group.bench_function("the demo, three devices in three sizes of lead", |it| {
        it.iter(|| find(black_box(&small), &far));
    });
    let eight: Vec<String> = (0..8).map(|it| format!("d{it}")).collect();
    let eight: Vec<&str> = eight.iter().map(String::as_str).collect();
    let ask = FindAsk {
        outage: Some("storm".into()),
        spend: Some(400.0),
        weight_kg: Some(20.0),
        ..FindAsk::of(&eight, 48.0)
    };
    let found = find(&big, &ask).expect("asked well");
    println!("60 ports and parts, 8 devices: {}", found.sentence.plain());
    group.bench_function("60 ports and parts, eight devices", |it| {
        it.iter(|| find(black_box(&big), &ask));
    });
}

criterion_group!(benches, table, filling, least, finder);
criterion_main!(benches);
