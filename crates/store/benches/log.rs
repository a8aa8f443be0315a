//! How long the log takes with a hundred thousand rows: its first page, a page further back, a
//! word, a word of one kind.
#![allow(missing_docs)] // Criterion's macro makes an undocumented function.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::{LogAsked, NewEntry, Store};
use criterion::{Criterion, criterion_group, criterion_main};
use serde_json::json;
use std::hint::black_box;

const ROWS: i64 = 100_000;
const THINGS: [&str; 5] = ["heater", "router", "pump", "inverter", "lamps"];
const DONE: [&str; 5] = [
    "smoked",
    "cleaned",
    "flickers",
    "tightened",
    "replaced by another",
];

fn log(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a folder");
    let store = Store::open(folder.path()).expect("it opens");
    let plan = Plan::from_value(
        &json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Sluice"}}),
    );
    let site = store.create_site(&plan.expect("a plan")).expect("a site");
    let place = |at: i64, many: usize| usize::try_from(at).unwrap_or_default() % many;
    let entry = |at: i64| NewEntry {
        at_ms: 1_600_000_000_000 + at * 600_000,
        kind: ["note", "repair", "check"][place(at, 3)].into(),
        item: THINGS[place(at, 5)].into(),
        words: format!(
            "The {} {}, no. {at}",
            THINGS[place(at, 5)],
            DONE[place(at / 5, 5)]
        ),
        body: json!(null),
        origin: String::new(),
    };
    for thousand in 0..ROWS / 1000 {
        let rows: Vec<NewEntry> = (0..1000).map(|it| entry(thousand * 1000 + it)).collect();
        store.add_to_log(&site, &rows).expect("kept");
    }
    let page = LogAsked {
        limit: 50,
        ..LogAsked::default()
    };
    let asked = [
        ("the latest rows", page.clone()),
        (
            "a common word",
            LogAsked {
                words: "flick".into(),
                ..page.clone()
            },
        ),
        (
            "two words of one kind",
            LogAsked {
                words: "heater smoked".into(),
                kinds: vec!["repair".into()],
                ..page.clone()
            },
        ),
        (
            "one row among all",
            LogAsked {
                words: "no 98765".into(),
                ..page.clone()
            },
        ),
        (
            "a word that is nowhere",
            LogAsked {
                words: "submarine".into(),
                ..page
            },
        ),
    ];
    let mut group = criterion.benchmark_group("the log, a hundred thousand rows");
    for (name, asked) in &asked {
        group.bench_function(*name, |it| {
            it.iter(|| store.log(black_box(&site), asked).map(|it| it.len()));
        });
    }
}

criterion_group!(benches, log);
criterion_main!(benches);
