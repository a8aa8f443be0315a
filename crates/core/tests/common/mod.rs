//! Generated sites, and a naive solver to hold the fast one against.
#![allow(
    dead_code,
    unreachable_pub,
    missing_docs,
    reason = "each test binary uses its own part"
)]

use ash_pond_core::site::plan::Plan;
use proptest::prelude::*;
use serde_json::{Value, json};

pub mod naive;
pub mod plain;

/// One step of growing a site: what is hung where, and on what lead.
#[derive(Debug, Clone)]
pub struct Growth {
    kind: u8,
    parent: usize,
    watts: f64,
    length_m: f64,
    area_mm2: f64,
    contact_ohm: f64,
    draw: u8,
    factor: f64,
}

prop_compose! {
    fn growth()(
        kind in 0_u8..8, parent in 0_usize..64, watts in 0.0..40.0_f64, length_m in 0.0..12.0_f64,
        area_mm2 in prop::sample::select(vec![0.5, 0.75, 1.0, 1.5, 2.5, 6.0]),
        contact_ohm in 0.0..0.02_f64, draw in 0_u8..3, factor in 0.4..1.0_f64,
    ) -> Growth {
        Growth { kind, parent, watts, length_m, area_mm2, contact_ohm, draw, factor }
    }
}

/// A site that can be evaluated: a bank and a station, and up to `most` things hung on them.
pub fn site(most: usize) -> impl Strategy<Value = Value> {
    let bank = (
        2_u8..5,
        20.0..200.0_f64,
        0.0..0.03_f64,
        -15.0..40.0_f64,
        prop::sample::select(vec!["lfp", "agm", "li_ion"]),
    );
    (bank, prop::collection::vec(growth(), 1..most)).prop_map(
        |((cells, capacity, internal, ambient, chemistry), steps)| {
            let cells = if chemistry == "agm" {
                cells * 3
            } else {
                cells + 1
            };
            grown(cells, capacity, internal, ambient, chemistry, &steps)
        },
    )
}

/// A place that something can be hung on: item, port, and whether it is AC.
type Place = (String, &'static str, bool);

fn grown(
    cells: u8,
    capacity_ah: f64,
    internal_ohm: f64,
    ambient_c: f64,
    chemistry: &str,
    steps: &[Growth],
) -> Value {
    let mut places: Vec<Place> = vec![
        ("bank".into(), "terminals", false),
        ("bank".into(), "steady", false),
        ("station".into(), "socket", false),
        ("station".into(), "outlet", true),
    ];
    let (mut devices, mut converters, mut feeds) = (Vec::new(), Vec::new(), Vec::new());
    for (index, step) in steps.iter().enumerate() {
        let (item, port, ac) = places[step.parent % places.len()].clone();
        let id = format!("item-{index}");
        let current = if ac { "ac" } else { "dc" };
        let loss = json!({"idle_w": step.watts / 20.0, "proportional": step.factor / 8.0,
            "quadratic_per_w": 0.0002});
        match step.kind {
            0 => {
                converters.push(json!({"id": id, "label": id, "kind": "junction",
                    "input": {"current": current},
                    "outputs": [{"id": "out", "current": current, "voltage": {"follows": true}}]}));
                places.push((id.clone(), "out", ac));
            }
            1 | 2 => {
                let volts = if ac {
                    12.0
                } else {
                    9.0 + f64::from(step.draw) * 8.0
                };
                converters.push(json!({"id": id, "label": id, "kind": "buck_boost",
                    "input": {"current": current,
                        "power_factor": if ac { step.factor } else { 1.0 }},
                    "outputs": [{"id": "out", "current": "dc",
                        "voltage": {"regulated_v": volts}}], "loss": loss}));
                places.push((id.clone(), "out", false));
            }
            3 if !ac => {
                converters.push(json!({"id": id, "label": id, "kind": "inverter",
                    "input": {"current": "dc"},
                    "outputs": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}],
                        "loss": loss}));
                places.push((id.clone(), "out", true));
            }
            _ => devices.push(json!({"id": id, "label": id, "priority": index + 1,
                "input": {"current": current, "rated_v": if ac { 230 } else { 12 },
                    "power_factor": if ac { step.factor } else { 1.0 }},
                "draw": (["power", "current", "resistance"])[usize::from(step.draw)],
                "phases": [{"when": "running", "watts": step.watts}, {"when": "busy",
                    "watts": step.watts * 1.4, "share": 0.3},
                    {"when": "starting", "watts": step.watts * 2.0, "seconds": 9}]})),
        }
        feeds.push(json!({"from": {"item": item, "port": port}, "to": id,
            "cable": {"length_m": step.length_m, "area_mm2": step.area_mm2,
                "contact_ohm": step.contact_ohm}}));
    }
    json!({
        "format": "ash-pond/plan", "version": 1,
        "site": {"name": "Generated", "ambient_c": ambient_c},
        "kit": {"devices": devices, "converters": converters, "sources": [
            {"id": "bank", "label": "bank", "kind": "battery",
             "battery": {"chemistry": chemistry, "cells": cells, "capacity_ah": capacity_ah,
                 "internal_ohm": internal_ohm},
             "ports": [{"id": "terminals", "current": "dc", "voltage": {"follows": true}},
                       {"id": "steady", "current": "dc", "voltage": {"regulated_v": 13.2},
                           "loss": {"idle_w": 0.8, "proportional": 0.05}}]},
            {"id": "station", "label": "station", "kind": "power_station",
                "battery": {"chemistry": "lfp", "energy_wh": 500},
             "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 13},
                 "loss": {"idle_w": 1.1, "quadratic_per_w": 0.0001}},
                       {"id": "outlet", "current": "ac", "voltage": {"ac_v": 230},
                           "loss": {"idle_w": 9.0, "proportional": 0.07}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": feeds}]
    })
}

/// Reads a generated site.
pub fn read(site: &Value) -> Plan {
    Plan::from_value(site)
        .unwrap_or_else(|error| panic!("a generated site is refused: {error}\n{site:#}"))
}

/// Whether two numbers agree to a relative tolerance.
pub fn close(a: f64, b: f64, relative: f64) -> bool {
    (a - b).abs() <= relative * a.abs().max(b.abs()).max(1e-6)
}

/// How many junctions stand one behind the other at most.
pub fn junctions_deep(plan: &Plan) -> usize {
    let way = &plan.arrangements[0];
    let is_junction = |id: &str| {
        plan.converter(id)
            .is_some_and(|it| it.kind.word() == "junction")
    };
    let depth = |id: &str| {
        let (mut at, mut depth) = (id.to_owned(), 0);
        while let Some(feed) = way.feeds.iter().find(|it| it.to.item.as_str() == at) {
            depth += usize::from(is_junction(&at));
            at = feed.from.item.to_string();
        }
        depth
    };
    way.feeds
        .iter()
        .map(|it| depth(it.to.item.as_str()))
        .max()
        .unwrap_or(0)
}
