//! Outages to start from.

use crate::ground::json::{FromJson, Path};
use crate::site::plan::Outage;
use serde_json::{Value, json};

/// Ready-made outages: a works cut, a winter storm, rolling cuts, and a heat wave. Their dates are
/// examples, and so are their temperatures; ids are free to be changed.
///
/// ```
/// assert_eq!(ash_pond_core::time::outage::ready_made().len(), 4);
/// ```
pub fn ready_made() -> Vec<Outage> {
    let rolling: Vec<Value> = (0..12)
        .map(|it| {
            json!({"from_h": 4 * it, "to_h": 4 * (it + 1),
            "state": if it % 2 == 0 { "out" } else { "on" }})
        })
        .collect();
    // Four hours of every evening, when everybody cools.
    let evenings: Vec<Value> = (0..5)
        .flat_map(|it| {
            let from = 24 * it + 3;
            [
                json!({"from_h": 24 * it, "to_h": from, "state": "on"}),
                json!({"from_h": from, "to_h": from + 4, "state": "out"}),
                json!({"from_h": from + 4, "to_h": 24 * it + 24, "state": "on"}),
            ]
        })
        .collect();
    let all = [
        json!({"id": "works", "label": "Works cut, eight hours", "start": "2026-03-10T08:00",
            "hours": 10,
            "mains": [{"from_h": 0, "to_h": 8, "state": "out"}, {"from_h": 8, "to_h": 10,
                "state": "on"}]}),
        json!({"id": "storm", "label": "Winter storm, three days", "start": "2026-01-14T17:00",
            "hours": 76, "ambient_c": 0,
            "mains": [{"from_h": 0, "to_h": 72, "state": "out"}, {"from_h": 72, "to_h": 76,
                "state": "on"}]}),
        json!({"id": "rolling", "label": "Rolling cuts, four hours in eight",
            "start": "2026-02-02T06:00", "hours": 48, "mains": rolling}),
        json!({"id": "heat", "label": "Heat wave, evening cuts", "start": "2026-07-20T15:00",
            "hours": 120, "ambient_c": 36, "mains": evenings}),
    ];
    all.iter()
        .filter_map(|it| Outage::from_json(it, &Path::Root).ok())
        .collect()
}
