//! How soon a watch answers: found anew, moved by a reading, asked where a device could be plugged
//! over; and how a drill is shown.

use ash_pond_core::keeping::watch::{Hidden, Hides, Reading, Seen, Standing};
use ash_pond_core::site::plan::Plan;
use criterion::{Criterion, criterion_group, criterion_main};
use std::collections::BTreeMap;
use std::hint::black_box;

/// The allocator of the binary.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn watches(criterion: &mut Criterion) {
    let plan =
        Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads");
    let way = plan.arrangement("direct").expect("the demo's way");
    let outage = plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == "winter-storm")
        .expect("the demo's storm");
    let hidden = Hidden::of(
        &plan,
        way,
        outage,
        &BTreeMap::new(),
        (Hides::MislabelledBank, 7),
        &[],
    )
    .expect("a hidden world");
    let moments: Vec<f64> = (1..=16).map(|it| f64::from(it) * 900.0).collect();
    let readings: Vec<Reading> = hidden.readings(&moments).into_iter().flatten().collect();
    let seen = Seen {
        starts: hidden.starts().clone(),
        readings,
        acted: Vec::new(),
    };
    let mut group = criterion.benchmark_group("a watch");
    group.sample_size(10);
    for (label, hours) in [("at its beginning", 0.0), ("after four hours", 4.0)] {
        let known = seen.up_to(hours * 3600.0);
        group.bench_function(format!("found anew {label}"), |bencher| {
            bencher.iter(|| {
                Standing::at(&plan, way, outage, black_box(&known), hours, 1)
                    .expect("runs")
                    .told()
                    .at_h
            });
        });
    }
    let standing = Standing::at(&plan, way, outage, &seen, 4.0, 1).expect("runs");
    let later: Vec<Reading> = hidden.readings(&[14_460.0]).into_iter().flatten().collect();
    group.bench_function("moved by a reading", |bencher| {
        bencher.iter(|| {
            standing
                .moved_by(black_box(&later), 14_460.0 / 3600.0)
                .is_some()
        });
    });
    group.bench_function("where the router could be plugged over", |bencher| {
        bencher.iter(|| {
            standing
                .outlets(&plan, way, outage, &seen, "router")
                .expect("outlets")
                .outlets
                .len()
        });
    });
    group.bench_function("what a drill's meters show", |bencher| {
        bencher.iter(|| hidden.readings(black_box(&[14_460.0])).len());
    });
    group.finish();
}

criterion_group!(benches, watches);
criterion_main!(benches);
