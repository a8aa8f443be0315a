//! How fast arrangements are compared, and crossings found.

use ash_pond_core::advice::compare::{Ask, Over, compare, crossings};
use ash_pond_core::advice::matters::matters;
use ash_pond_core::limits::{checked_all, weakest};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::Plan;
use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use std::hint::black_box;

/// The allocator of the binary.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads")
}

fn crossing(criterion: &mut Criterion) {
    let plan = demo();
    let ways = ["camera-direct", "camera-inverter"]
        .map(|it| plan.arrangement(it).expect("an arrangement"));
    let mut group = criterion.benchmark_group("crossings of two chains");
    for over in Over::ALL {
        group.bench_function(BenchmarkId::from_parameter(over.word()), |bencher| {
            bencher.iter(|| {
                crossings(
                    black_box(&plan),
                    ways,
                    &Charge::uniform(0.6),
                    &Ask::over(*over),
                )
                .expect("found")
            });
        });
    }
    group.finish();
    let whole = ["direct", "mains-like"].map(|it| plan.arrangement(it).expect("an arrangement"));
    criterion.bench_function("crossings of two whole sites over load", |bencher| {
        bencher.iter(|| {
            crossings(
                black_box(&plan),
                whole,
                &Charge::uniform(0.6),
                &Ask::over(Over::Load),
            )
            .expect("found")
        });
    });
}

fn comparison(criterion: &mut Criterion) {
    let plan = demo();
    let ways: Vec<_> = ["direct", "mains-like", "shared-out"]
        .into_iter()
        .filter_map(|it| plan.arrangement(it))
        .collect();
    criterion.bench_function("three whole sites over a winter storm", |bencher| {
        bencher.iter(|| {
            compare(
                black_box(&plan),
                &ways,
                &Charge::full(),
                plan.outages.first(),
            )
            .expect("compared")
        });
    });
    criterion.bench_function(
        "all findings of the demo site, with mends and weakest links",
        |bencher| {
            let ways: Vec<_> = plan.arrangements.iter().collect();
            bencher.iter(|| checked_all(black_box(&plan), &ways).len());
        },
    );
    criterion.bench_function("the weakest links of the demo site", |bencher| {
        bencher.iter(|| {
            plan.arrangements
                .iter()
                .map(|way| weakest(black_box(&plan), way).len())
                .sum::<usize>()
        });
    });
}

/// Each figure that nobody measured is moved both ways, and everything is judged again.
fn measuring(criterion: &mut Criterion) {
    let plan = demo();
    criterion.bench_function("which figures of the demo site matter", |bencher| {
        bencher.iter(|| matters(black_box(&plan)).unmeasured);
    });
}

criterion_group!(benches, crossing, comparison, measuring);
criterion_main!(benches);
