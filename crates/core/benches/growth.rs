//! How the answers about whole sites grow with the site: 10, 30 and 100 devices, each question once
//! or a few times, as a table. Thirty devices with eight sources and twenty converters in six
//! arrangements are a large household. `cargo bench --bench growth -- 30 matter` asks one of them.

use ash_pond_core::advice::compare::decides;
use ash_pond_core::advice::matters::matters;
use ash_pond_core::advice::next::next;
use ash_pond_core::limits::{all_findings, checked_all};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::{Arrangement, Plan};
use ash_pond_core::time::outage::{Handle, chances, simulate};
use serde_json::{Value, json};
use std::hint::black_box;
use std::time::Instant;

/// The allocator of the binary.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const ARRANGEMENTS: usize = 6;
const PLACE: &str = "in the long room behind the second workshop, on the shelf by the north window";

fn whole(it: usize) -> f64 {
    u32::try_from(it).map_or(0.0, f64::from)
}

fn device(it: usize) -> Value {
    json!({"id": format!("device-{it}"), "label": format!("Device number {it} {PLACE}"),
        "priority": it + 1,
        "input": {"current": "dc", "rated_v": 12, "min_v": 9.5, "max_v": 16},
        "phases": [
            {"when": "starting", "watts": 6.0 + whole(it % 7), "seconds": 20},
            {"when": "running", "watts": {"value": 2.0 + whole(it % 5), "basis": "label"}},
            {"when": "busy", "watts": 4.0 + whole(it % 5), "share": 0.2}]})
}

fn source(it: usize) -> Value {
    let label = format!("Store number {it} {PLACE}");
    if it.is_multiple_of(2) {
        return json!({"id": format!("source-{it}"), "label": label, "kind": "battery",
            "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100.0 + whole(it) * 10.0,
                "internal_ohm": 0.01, "max_discharge_a": 100},
            "ports": [{"id": "studs", "current": "dc", "voltage": {"follows": true},
                "limit": {"continuous_a": 60}}]});
    }
    json!({"id": format!("source-{it}"), "label": label, "kind": "power_station",
        "battery": {"chemistry": "li_ion", "energy_wh": 500.0 + whole(it) * 50.0},
        "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 13.2},
            "limit": {"continuous_a": 10}, "loss": {"idle_w": 2.5, "proportional": 0.06}}]})
}

fn converter(it: usize) -> Value {
    json!({"id": format!("stage-{it}"), "label": format!("Converter number {it} {PLACE}"),
        "kind": "buck_boost",
        "input": {"current": "dc", "min_v": 9, "max_v": 32, "max_a": 8},
        "loss": {"idle_w": {"value": 0.3 + whole(it % 5) * 0.2, "basis": "assumed"},
            "proportional": 0.05 + whole(it % 3) * 0.01},
        "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12},
            "limit": {"continuous_w": 40 + 10 * (it % 4)}}]})
}

/// A site of so many devices, with sources and converters in proportion, two thirds of the devices
/// behind converters; each arrangement moves everything one source on.
fn site(devices: usize) -> Plan {
    let (sources, stages) = ((devices * 8).div_ceil(30), (devices * 20).div_ceil(30));
    let port = |it: usize| {
        let port = if it.is_multiple_of(2) {
            "studs"
        } else {
            "socket"
        };
        json!({"item": format!("source-{it}"), "port": port})
    };
    let feed = |from: Value, to: String, length: usize| {
        json!({"from": from, "to": to, "cable": {"length_m": 1.5 + whole(length % 9),
            "area_mm2": 2.5}, "fuse": {"rating_a": 10}})
    };
    let arrangement = |way: usize| {
        let of_stages =
            (0..stages).map(|it| feed(port((it + way) % sources), format!("stage-{it}"), it));
        let of_devices = (0..devices).map(|it| {
            let from = if it % 3 == 2 {
                port((it + way) % sources)
            } else {
                json!({"item": format!("stage-{}", it % stages), "port": "out"})
            };
            feed(from, format!("device-{it}"), it + way)
        });
        json!({"id": format!("way-{way}"), "label": format!("Arrangement number {way} {PLACE}"),
            "feeds": of_stages.chain(of_devices).collect::<Vec<_>>()})
    };
    let list = |count: usize, of: &dyn Fn(usize) -> Value| (0..count).map(of).collect::<Vec<_>>();
    Plan::from_value(&json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "Large", "ambient_c": 15},
        "kit": {"devices": list(devices, &device), "sources": list(sources, &source),
            "converters": list(stages, &converter)},
        "arrangements": list(ARRANGEMENTS, &arrangement),
        "outages": [{"id": "storm", "label": "Storm", "start": "2026-01-10T18:00", "hours": 72}]}))
    .expect("the large site reads")
}

/// The quickest of a few, ms: fewer where one takes long.
fn quickest(mut of: impl FnMut()) -> f64 {
    let mut best = f64::INFINITY;
    let mut spent = 0.0;
    while spent < 1500.0 {
        let begun = Instant::now();
        of();
        let took = begun.elapsed().as_secs_f64() * 1000.0;
        best = best.min(took);
        spent += took;
    }
    best
}

fn main() {
    // Under the test runner it only shows that it runs.
    let given: Vec<String> = std::env::args().skip(1).collect();
    let is_bench = given.iter().any(|it| it == "--bench");
    let (numbers, words): (Vec<_>, Vec<_>) = given
        .iter()
        .filter(|it| !it.starts_with('-'))
        .partition(|it| it.parse::<usize>().is_ok());
    let mut sizes: Vec<usize> = numbers.iter().filter_map(|it| it.parse().ok()).collect();
    if sizes.is_empty() {
        sizes = if is_bench { vec![10, 30, 100] } else { vec![3] };
    }
    let plans: Vec<Plan> = sizes.iter().map(|it| site(*it)).collect();
    let row = |what: &str, of: &dyn Fn(&Plan)| {
        if !words.is_empty() && !words.iter().any(|it| what.contains(it.as_str())) {
            return;
        }
        let cells = plans
            .iter()
            .map(|plan| format!("{:.1}", quickest(|| of(plan))));
        println!("| {what} | {} |", cells.collect::<Vec<_>>().join(" | "));
    };
    let ways = |plan: &Plan| {
        plan.arrangements
            .iter()
            .map(Clone::clone)
            .collect::<Vec<_>>()
    };
    println!(
        "| devices, ms | {} |",
        sizes
            .iter()
            .map(ToString::to_string)
            .collect::<Vec<_>>()
            .join(" | ")
    );
    println!("|---|{}", "---|".repeat(sizes.len()));
    row("all findings of six arrangements", &|plan| {
        black_box(all_findings(plan).len());
    });
    row("… with mends and weakest links", &|plan| {
        let all: Vec<&Arrangement> = plan.arrangements.iter().collect();
        black_box(checked_all(plan, &all).len());
    });
    row("an outage of three days", &|plan| {
        black_box(
            simulate(plan, &plan.arrangements[0], &plan.outages[0], None)
                .events
                .len(),
        );
    });
    row("2,000 uncertain runs of it", &|plan| {
        let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
        black_box(chances(plan, way, outage, 2000, 1, &Handle::default()).map(|it| it.drawn));
    });
    row("what decides among three", &|plan| {
        let all = ways(plan);
        let three: Vec<&Arrangement> = all.iter().take(3).collect();
        black_box(decides(plan, &three, &Charge::full()).is_ok());
    });
    row("which figures matter", &|plan| {
        black_box(matters(plan).unmeasured);
    });
    row("what to measure next", &|plan| {
        black_box(next(plan).len());
    });
}
