//! How fast one moment is solved, and how that grows with the feeds.

use ash_pond_core::limits::{all_findings, findings};
use ash_pond_core::network::{Charge, Moment, Network, Solver};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::answer;
use ash_pond_core::time::day::{being_on, day, with_their_load};
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use serde_json::json;
use std::hint::black_box;

#[path = "../tests/common/naive.rs"]
#[allow(dead_code, unreachable_pub, missing_docs, reason = "the tests' own")]
mod naive_solver;
use naive_solver::Naive;

/// The allocator of the binary.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// A bank with junctions of eight, each feed a device or a step-down with a device behind it.
fn grown(feeds: usize) -> Plan {
    let (mut devices, mut converters, mut list) = (Vec::new(), Vec::new(), Vec::new());
    let cable = |length: usize| json!({"length_m": 1 + length % 9, "area_mm2": 25});
    let mut hub = ("bank".to_owned(), "studs");
    while list.len() < feeds {
        let n = list.len();
        if n % 8 == 0 {
            let id = format!("block-{n}");
            converters.push(
                json!({"id": id, "label": id, "kind": "junction", "input": {"current": "dc"},
                "outputs": [{"id": "ways", "current": "dc", "voltage": {"follows": true}}]}),
            );
            list.push(json!({"from": {"item": "bank", "port": "studs"}, "to": id,
                    "cable": {"length_m": 1, "area_mm2": 50}}));
            hub = (id, "ways");
            continue;
        }
        let id = format!("device-{n}");
        devices.push(
            json!({"id": id, "label": id, "input": {"current": "dc", "rated_v": 12},
            "draw": (["power", "current", "resistance"][n % 3]), "phases": [{"when": "running",
                "watts": 0.2}]}),
        );
        list.push(json!({"from": {"item": hub.0, "port": hub.1}, "to": id, "cable": cable(n)}));
    }
    Plan::from_value(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "Grown"},
        "kit": {"devices": devices, "converters": converters, "sources": [{"id": "bank",
            "label": "bank", "kind": "battery",
            "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 400, "internal_ohm": 0.002},
            "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": list}]
    }))
    .expect("a grown plan reads")
}

fn moment(criterion: &mut Criterion) {
    let mut group = criterion.benchmark_group("one moment");
    for feeds in [12, 100, 1000] {
        let plan = grown(feeds);
        let network = Network::build(&plan, &plan.arrangements[0], plan.site.ambient());
        let loads = network.loads(&plan, |device| Moment::Running.load_of(device));
        let open_v = network.open_volts(&Charge::uniform(0.6));
        let mut solver = Solver::new(&network);
        group.bench_function(
            BenchmarkId::from_parameter(format!("{feeds} feeds")),
            |bencher| {
                bencher.iter(|| {
                    solver.solve(black_box(&loads), black_box(&open_v));
                    solver.drawn_w()
                });
            },
        );
    }
    group.finish();
}

fn demo_site(criterion: &mut Criterion) {
    let plan =
        Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads");
    criterion.bench_function("all findings of the demo site", |bencher| {
        bencher.iter(|| all_findings(black_box(&plan)).len());
    });
    criterion.bench_function("findings of one whole arrangement", |bencher| {
        let way = plan.arrangement("direct").expect("an arrangement");
        bencher.iter(|| findings(black_box(&plan), way).len());
    });
}

/// What an edit has to answer where everything is switched with its load: a day, its savings, and
/// the whole answer.
fn switched(criterion: &mut Criterion) {
    let mut plan =
        Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads");
    for index in 0..plan.arrangements.len() {
        plan.arrangements[index] = with_their_load(&plan, &plan.arrangements[index]);
    }
    let way = plan.arrangement("mains-like").expect("an arrangement");
    let charge = Charge::uniform(0.6);
    let mut group = criterion.benchmark_group(format!("{} switches", way.switching.len()));
    group.bench_function("a day", |bencher| {
        bencher.iter(|| day(black_box(&plan), way, &charge).drawn_wh);
    });
    group.bench_function("what switching saves", |bencher| {
        bencher.iter(|| being_on(black_box(&plan), way, &charge).len());
    });
    group.bench_function("the whole answer", |bencher| {
        bencher.iter(|| {
            answer(black_box(&plan), &[way], &Moment::Running, &charge)
                .expect("an answer")
                .ways
                .len()
        });
    });
    group.finish();
}

/// The same state by the naive solver of the tests, for the ratio.
fn naive(criterion: &mut Criterion) {
    let plan =
        Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads");
    let way = plan.arrangement("camera-inverter").expect("an arrangement");
    let mut group = criterion.benchmark_group("three feeds in a row");
    let network = Network::build(&plan, way, plan.site.ambient());
    let loads = network.loads(&plan, |device| Moment::Busy.load_of(device));
    let open_v = network.open_volts(&Charge::uniform(0.6));
    let mut solver = Solver::new(&network);
    group.bench_function("the fast solver", |bencher| {
        bencher.iter(|| {
            solver.solve(black_box(&loads), black_box(&open_v));
            solver.drawn_w()
        });
    });
    group
        .sample_size(10)
        .bench_function("the naive solver of the tests", |bencher| {
            bencher
                .iter(|| Naive::new(black_box(&plan), way, Moment::Busy).source("house-bank", 0.6));
        });
    group.finish();
}

criterion_group!(benches, moment, naive, demo_site, switched);
criterion_main!(benches);
