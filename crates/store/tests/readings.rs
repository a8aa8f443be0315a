//! Readings by time: kept once, paged, thinned for plots to what a naive pass finds, and thinned
//! out without losing the hours.

use ash_pond_store::Store;
use ash_pond_store::readings::{Kept, PAGE, Sample, Span};

const DAY_MS: i64 = 86_400_000;
/// A midnight, ms.
const BEGIN: i64 = 20_000 * DAY_MS;

/// Volts that sway, so that each minute has a least and a most of its own.
fn volts(second: i64) -> f64 {
    let second = f64::from(i32::try_from(second).unwrap());
    12.0 + (second / 700.0).sin() + 0.1 * (second * 1.7).sin()
}

fn sample(name: &str, at_ms: i64, value: f64) -> Sample {
    Sample {
        meter: "monitor".into(),
        name: name.into(),
        unit: "V".into(),
        at_ms,
        value,
    }
}

fn filled(seconds: std::ops::Range<i64>, step: usize) -> (tempfile::TempDir, Store, i64) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let all: Vec<Sample> = seconds
        .step_by(step)
        .map(|it| sample("at its terminals", BEGIN + it * 1000, volts(it)))
        .collect();
    for some in all.chunks(20_000) {
        store.keep_samples(some).unwrap();
    }
    let id = store.series().unwrap()[0].id;
    (folder, store, id)
}

#[test]
fn a_moment_has_one_reading_and_what_is_no_number_is_left_out() {
    let (_folder, store, id) = filled(0..10, 1);
    let again = [
        sample("at its terminals", BEGIN, 99.0),
        sample("at its terminals", BEGIN + 1, f64::NAN),
        sample("at its terminals", BEGIN + 2, f64::INFINITY),
        sample("at its terminals", BEGIN + 3, 13.0),
        sample("out of it", BEGIN, 4.0),
    ];
    assert_eq!(store.keep_samples(&again).unwrap(), 2);
    let all = store.readings(id, i64::MIN, PAGE).unwrap();
    assert_eq!(
        (all.len(), all[0].1.to_bits(), all[1]),
        (11, volts(0).to_bits(), (BEGIN + 3, 13.0))
    );
    let series = store.series().unwrap();
    assert_eq!(
        (series.len(), series[0].first_ms, series[0].last_ms),
        (2, Some(BEGIN), Some(BEGIN + 9000))
    );
    let whole: Span = store.thinned(id, i64::MIN, i64::MAX, 1).unwrap()[0];
    assert_eq!(whole.count, 11);
    assert!(
        whole.high < 13.5,
        "the second reading of a moment counts for nothing: {whole:?}"
    );
}

#[test]
fn pages_follow_each_other_without_a_gap() {
    let (_folder, store, id) = filled(0..12_345, 1);
    let (mut all, mut from) = (Vec::new(), i64::MIN);
    loop {
        let page = store.readings(id, from, u32::MAX).unwrap();
        let Some(last) = page.last() else { break };
        assert!(page.len() <= PAGE as usize);
        from = last.0 + 1;
        all.extend(page);
    }
    assert_eq!(all.len(), 12_345);
    assert!(all.windows(2).all(|it| it[0].0 < it[1].0));
}

/// Whether the stretches hold what the readings in them do: least, most, mean and count, all of
/// them together every reading.
fn held_against(spans: &[Span], from: i64, to: i64, exact: bool, step: usize) {
    let readings = |low: i64, high: i64| {
        (0..3 * 86_400)
            .step_by(step)
            .map(|it| (BEGIN + it * 1000, volts(it)))
            .filter(move |it| it.0 >= low && it.0 < high)
    };
    let counted: i64 = spans.iter().map(|it| it.count).sum();
    let expected = i64::try_from(readings(from, to).count()).unwrap();
    assert!(
        if exact {
            counted == expected
        } else {
            counted >= expected
        },
        "{counted} of {expected}"
    );
    let (low, high) = readings(from, to).fold((f64::MAX, f64::MIN), |it, at| {
        (it.0.min(at.1), it.1.max(at.1))
    });
    let told = spans.iter().fold((f64::MAX, f64::MIN), |it, at| {
        (it.0.min(at.low), it.1.max(at.high))
    });
    if exact {
        assert_eq!(
            (told.0.to_bits(), told.1.to_bits()),
            (low.to_bits(), high.to_bits())
        );
    } else {
        assert!(told.0 <= low && told.1 >= high);
    }
    assert!(
        spans
            .iter()
            .all(|it| it.low <= it.mean + 1e-9 && it.mean <= it.high + 1e-9)
    );
    assert!(spans.windows(2).all(|it| it[0].at_ms < it[1].at_ms));
}

#[test]
fn a_plot_shows_the_least_and_the_most_whatever_it_is_read_from() {
    // Three days of a reading every two seconds: minutes for a day, hours for all.
    let (_folder, store, id) = filled(0..3 * 86_400, 2);
    let hour = 3_600_000;
    for (from, to, exact) in [
        (BEGIN + 1234, BEGIN + 2 * hour, true),
        (BEGIN + 5 * hour, BEGIN + 30 * hour, true),
        (BEGIN + 5 * hour + 1, BEGIN + 30 * hour + 1, false),
        (BEGIN, BEGIN + 3 * DAY_MS, true),
    ] {
        for points in [1, 7, 400, 1000] {
            let spans = store.thinned(id, from, to, points).unwrap();
            assert!(
                spans.len() <= points as usize + 1,
                "{} of {points}",
                spans.len()
            );
            held_against(&spans, from, to, exact, 2);
        }
    }
    // Nothing of a span that is empty, turned round or far away, and no plot of so many points that
    // nobody could see them.
    assert!(
        store
            .thinned(id, BEGIN + hour, BEGIN + hour, 100)
            .unwrap()
            .is_empty()
    );
    assert!(
        store
            .thinned(id, BEGIN + hour, BEGIN, 100)
            .unwrap()
            .is_empty()
    );
    assert!(
        store
            .thinned(id, BEGIN - 2 * DAY_MS, BEGIN - DAY_MS, 100)
            .unwrap()
            .is_empty()
    );
    assert!(
        store
            .thinned(id, i64::MIN, i64::MAX, u32::MAX)
            .unwrap()
            .len()
            <= 1001
    );
    assert!(store.thinned(id + 1, 0, 1, 10).is_err());
}

#[test]
fn what_is_old_is_thinned_out_and_the_plot_stays_what_it_was() {
    let (_folder, store, id) = filled(0..3 * 86_400, 5);
    let (from, to) = (BEGIN, BEGIN + 3 * DAY_MS);
    let before = store.thinned(id, from, to, 3).unwrap();
    store
        .choose_kept(Kept {
            all_days: 1,
            minute_days: 2,
        })
        .unwrap();
    assert_eq!(
        store.kept().unwrap(),
        Kept {
            all_days: 1,
            minute_days: 2
        }
    );
    let gone = store.thin_out(to).unwrap();
    assert_eq!(
        gone,
        2 * 17_280 + 1440,
        "two days of readings, and one of minutes"
    );
    assert_eq!(store.thin_out(to).unwrap(), 0);
    let series = store.one_series(id).unwrap();
    assert_eq!(
        (series.first_ms, series.last_ms),
        (Some(from), Some(to - 5000))
    );
    assert_eq!(series.all_from_ms, Some(from + 2 * DAY_MS));
    let after = store.thinned(id, from, to, 3).unwrap();
    assert_eq!(before.len(), after.len());
    for (one, other) in before.iter().zip(&after) {
        assert!(
            (one.low - other.low).abs() + (one.high - other.high).abs() < 1e-12,
            "{one:?} {other:?}"
        );
        assert!((one.mean - other.mean).abs() < 1e-9 && one.count == other.count);
    }
    // An hour of the first day is told by hours, one of the last by its readings.
    assert_eq!(
        store.thinned(id, from, from + 3_600_000, 60).unwrap().len(),
        1
    );
    assert_eq!(store.thinned(id, to - 3_600_000, to, 60).unwrap().len(), 60);
    assert_eq!(
        store.readings(id, i64::MIN, 1).unwrap()[0].0,
        from + 2 * DAY_MS
    );
}

#[test]
fn readings_put_together_by_day_join_what_is_thinned_out() {
    let (_folder, store, id) = filled(0..86_400, 10);
    store
        .choose_kept(Kept {
            all_days: 0,
            minute_days: 0,
        })
        .unwrap();
    store.thin_out(BEGIN + DAY_MS).unwrap();
    assert!(store.readings(id, i64::MIN, 10).unwrap().is_empty());
    let series = store.one_series(id).unwrap();
    assert_eq!(
        (series.first_ms, series.last_ms),
        (Some(BEGIN), Some(BEGIN + DAY_MS)),
        "the hours are still there"
    );
    assert_eq!(
        store.thinned(id, BEGIN, BEGIN + DAY_MS, 24).unwrap().len(),
        24
    );
}
