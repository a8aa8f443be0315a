//! How fast an outage is marched through, and how that grows with its length and its devices.

#[path = "../tests/common/plain.rs"]
#[allow(
    dead_code,
    unreachable_pub,
    missing_docs,
    clippy::pedantic,
    reason = "the tests' own, kept simple"
)]
mod plain;

use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{Fineness, Handle, Setting, chances, march, simulate};
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use serde_json::{Value, json};
use std::hint::black_box;

/// The allocator of the binary.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads")
}

/// A bank that lasts, with so many devices: pumps, cool boxes and lamps by turns.
fn site(devices: usize, days: usize) -> Plan {
    let kit: Vec<Value> = (0..devices)
        .map(|it| {
            let cycle = match it % 4 {
                0 => json!({"kind": "thermostat", "on_fraction": 0.35, "period_s": 2400 + 60 * it}),
                1 => json!({"kind": "hours", "from": "17:00", "to": "22:30"}),
                _ => json!({"kind": "continuous"}),
            };
            json!({"id": format!("d{it}"), "label": format!("Device {it}"), "priority": it + 1,
                "cycle": cycle,
                "input": {"current": "dc", "rated_v": 12, "min_v": 10.5, "max_v": 15},
                "phases": [{"when": "running", "watts": 4.0}, {"when": "starting", "watts": 9.0,
                    "seconds": 20}]})
        })
        .collect();
    let mut feeds: Vec<Value> =
        vec![json!({"from": {"item": "bank", "port": "studs"}, "to": "block"})];
    feeds.extend((0..devices).map(|it| {
        json!({"from": {"item": "block", "port": "ways"}, "to": format!("d{it}"),
            "cable": {"length_m": 3, "area_mm2": 2.5}})
    }));
    let plan = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Bench"},
        "kit": {"devices": kit,
            "sources": [{"id": "bank", "label": "Bank", "kind": "battery",
                "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 6000,
                    "internal_ohm": 0.002, "max_discharge_a": 100},
                "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}],
            "converters": [{"id": "block", "label": "Block", "kind": "junction",
                "input": {"current": "dc"},
                "outputs": [{"id": "ways", "current": "dc", "voltage": {"follows": true},
                    "limit": {"continuous_a": 60}}]}]},
        "arrangements": [{"id": "way", "label": "Way", "feeds": feeds}],
        "outages": [{"id": "long", "label": "Long", "start": "2026-01-14T17:30",
            "hours": 24 * days}]});
    Plan::from_value(&plan).expect("a plan")
}

fn marches(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("an outage");
    for (days, devices) in [(3, 12), (14, 3), (14, 6), (14, 12), (14, 24), (56, 12)] {
        let plan = site(devices, days);
        let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
        group.bench_function(
            BenchmarkId::from_parameter(format!("{days} days, {devices} devices")),
            |bencher| {
                bencher.iter(|| {
                    simulate(black_box(&plan), way, outage, None)
                        .energy
                        .drawn_wh
                });
            },
        );
    }
    let plan = demo();
    let (way, outage) = (plan.arrangement("direct").expect("a way"), &plan.outages[0]);
    group.bench_function("the demo's winter storm", |bencher| {
        bencher.iter(|| {
            simulate(black_box(&plan), way, outage, None)
                .energy
                .drawn_wh
        });
    });
    let coarse = Fineness {
        longest_s: 3600.0,
        most_share: 0.02,
        exact_s: 15.0,
        told: false,
        timed: false,
    };
    group.bench_function("the demo's winter storm, as one of many", |bencher| {
        bencher.iter(|| {
            march(
                &Setting::of(black_box(&plan), way, outage),
                Some(3600.0),
                coarse,
            )
            .energy
            .drawn_wh
        });
    });
    group.finish();
}

/// Twelve devices on a bank, as the plain march knows them.
fn twelve(hours: f64) -> plain::Spec {
    let habit = |it: u32| match it % 4 {
        0 => plain::Habit::Thermostat(0.35, f64::from(2400 + 60 * it)),
        1 => plain::Habit::Hours(17, 22),
        _ => plain::Habit::Always,
    };
    let device = |it: u32| plain::Device {
        watts: 4.0,
        draw: 0,
        min_v: 10.5,
        metres: 3.0,
        habit: habit(it),
        starting: Some((9.0, 20.0)),
        converter: None,
        switch: plain::Switch::Always,
    };
    plain::Spec {
        sealed_lead: false,
        capacity_ah: 2000.0,
        internal_ohm: 0.002,
        ambient_c: 20.0,
        soc: 1.0,
        hours,
        everything: false,
        devices: (0..12).map(device).collect(),
        shed: None,
        charging: None,
    }
}

/// The march against a plain one of a second at a time: their times as a ratio.
fn ratio(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("fourteen days of twelve devices");
    group.sample_size(10);
    let spec = twelve(336.0);
    let plan = Plan::from_value(&spec.plan()).expect("a plan");
    group.bench_function("by events", |bencher| {
        bencher.iter(|| {
            simulate(
                black_box(&plan),
                &plan.arrangements[0],
                &plan.outages[0],
                None,
            )
            .energy
            .drawn_wh
        });
    });
    group.bench_function("second by second", |bencher| {
        bencher.iter(|| plain::march(black_box(&spec)).end_soc);
    });
    group.finish();
}

fn many(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("uncertain runs of the demo's three days");
    group.sample_size(10);
    let plan = demo();
    let (way, outage) = (plan.arrangement("direct").expect("a way"), &plan.outages[0]);
    for runs in [200, 2000, 8000] {
        group.bench_function(BenchmarkId::from_parameter(runs), |bencher| {
            bencher.iter(|| {
                chances(black_box(&plan), way, outage, runs, 1, &Handle::default())
                    .expect("ran")
                    .drawn
            });
        });
    }
    group.finish();
}

criterion_group!(benches, marches, ratio, many);
criterion_main!(benches);
