//! Laws of the bench: made from known truth, the truth lies within ±; nothing panics; a worse meter never knows more.

use ash_pond_core::bench::{
    Instrument, Known, Outcome, Pair, Reader, Row, Subject, Test, drift, fit, outcome, read_log, readings, student,
};
use ash_pond_core::plan::Plan;
use proptest::prelude::*;

/// Numbers that are the same in every run: one standard deviation wide.
struct Noise(u64);
impl Noise {
    fn uniform(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        f64::from((self.0 >> 33) as u32) / f64::from(1_u32 << 31)
    }
    fn normal(&mut self) -> f64 {
        let (a, b) = (self.uniform().max(1e-12), self.uniform());
        (-2.0 * a.ln()).sqrt() * (std::f64::consts::TAU * b).cos()
    }
}

const OUT: [f64; 8] = [4.0, 15.0, 35.0, 60.0, 95.0, 130.0, 170.0, 210.0];
const TRUTH: [f64; 3] = [6.6, 0.05, 2.2e-4];

fn lost(out: f64) -> f64 {
    TRUTH[0] + TRUTH[1] * out + TRUTH[2] * out * out
}

/// How often the true law lies within the ± of its idle draw, and within the band in the middle, of a thousand tries.
fn covered(known: bool) -> [f64; 2] {
    let mut noise = Noise(1);
    let mut hits = [0, 0];
    for _ in 0..1000 {
        let points: Vec<Pair> = OUT
            .iter()
            .map(|out| {
                let half = 0.8;
                let input = out + lost(*out) + half / 1.96 * noise.normal();
                let plus_minus = if known { half } else { 0.0 };
                Pair { out: Known::sure(*out), input: Known { value: input, plus_minus } }
            })
            .collect();
        let found = fit(&points).unwrap();
        let half = found.plus_minus.unwrap();
        hits[0] += u32::from((found.idle_w - TRUTH[0]).abs() <= half[0]);
        let middle = &found.band[12];
        hits[1] += u32::from((middle.loss_w - lost(middle.out_w)).abs() <= middle.plus_minus);
    }
    hits.map(|it| f64::from(it) / 1000.0)
}

#[test]
fn the_truth_lies_within_the_plus_minus_in_19_of_20_tries() {
    // By the meters' own ±; the larger of both is taken, so a little more than 95 % is covered.
    for share in covered(true) {
        assert!((0.94..=0.995).contains(&share), "{share} of the tries are covered by the meters' ±");
    }
    // By nothing but the scatter of the points.
    for share in covered(false) {
        assert!((0.92..=0.98).contains(&share), "{share} of the tries are covered by the scatter");
    }
}

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn test(protocol: &str, kind: &str, id: &str, part: Option<&str>, rows: Vec<Vec<f64>>) -> Test {
    let row = |it: Vec<f64>| Row { values: it.into_iter().map(Some).collect(), struck: None };
    Test {
        protocol: protocol.into(),
        of: Subject { kind: kind.into(), id: id.into(), part: part.map(Into::into) },
        meters: Vec::new(),
        rows: rows.into_iter().map(row).collect(),
        file: None,
        note: String::new(),
    }
}

/// Of a thousand seeded tries of a test made from known truth, the share in which the truth lies within ±.
fn share_covered(mut once: impl FnMut(&Plan, &mut Noise) -> (Known, f64)) -> f64 {
    let (plan, mut noise) = (demo(), Noise(7));
    let hits = (0..1000).filter(|_| {
        let (found, truth) = once(&plan, &mut noise);
        (found.value - truth).abs() <= found.plus_minus
    });
    hits.count() as f64 / 1000.0
}

fn given(outcome: &Outcome, pointer: &str) -> Known {
    let it = outcome.figures.iter().find(|it| it.pointer.ends_with(pointer)).unwrap();
    Known { value: it.value, plus_minus: it.plus_minus }
}

#[test]
fn idle_covers_what_the_meter_is_off_and_what_the_readings_scatter() {
    let share = share_covered(|plan, noise| {
        // The clamp is off by 2 % (95 %) for all rows alike, and each reading scatters by 1 %.
        let off = 1.0 + 0.01 * noise.normal();
        let rows = (0..8).map(|_| vec![12.5, 0.49 * off * (1.0 + 0.01 * noise.normal())]).collect();
        let mut idle = test("idle", "converter", "small-inverter", None, rows);
        idle.meters = vec![Instrument::default(), Instrument { name: None, share: 0.02, fixed: 0.0, step: 0.0 }];
        (given(&outcome(plan, &idle).unwrap(), "idle_w"), 12.5 * 0.49)
    });
    assert!((0.92..=0.98).contains(&share), "{share} of the tries are covered");
}

#[test]
fn heat_soak_covers_the_time_constant_of_a_run_shorter_than_its_settling() {
    let share = share_covered(|plan, noise| {
        let rows = (0..16).map(f64::from).map(|it| {
            let minutes = it * 3.0;
            let rise = 24.0 * (1.0 - (-minutes / 25.0).exp());
            vec![minutes, 15.0 + rise + 0.1 * noise.normal(), 15.0, 60.0]
        });
        let soak = test("heat-soak", "converter", "small-inverter", None, rows.collect());
        (given(&outcome(plan, &soak).unwrap(), "time_constant_s"), 1500.0)
    });
    assert!((0.92..=0.98).contains(&share), "{share} of the tries are covered");
}

#[test]
fn far_end_capacity_and_charging_cover_what_their_meters_are_off() {
    let half = |share: f64| Instrument { name: None, share, fixed: 0.0, step: 0.0 };
    let capacity = share_covered(|plan, noise| {
        // A clamp that is off by 3 % (95 %) over the whole discharge.
        let off = 1.0 + 0.015 * noise.normal();
        let rows = (0..=20).map(f64::from).map(|it| vec![it / 2.0, 13.3 - 0.29 * it / 2.0, 9.3 * off]);
        let mut it = test("capacity", "source", "house-bank", None, rows.collect());
        it.meters = vec![Instrument::default(), Instrument::default(), half(0.03)];
        (given(&outcome(plan, &it).unwrap(), "capacity_ah"), 93.0)
    });
    assert!((0.92..=0.98).contains(&capacity), "capacity: {capacity}");
    let far = share_covered(|plan, noise| {
        // Each voltmeter is off by 0.1 V (95 %) of its own; the lead has 0.9 Ω in all.
        let (near, far) = (0.05 * noise.normal(), 0.05 * noise.normal());
        let rows = vec![vec![13.0 + near, 13.0 - 0.9 * 0.62 + far, 0.62]];
        let mut it = test("far-end", "arrangement", "camera-direct", Some("gate-camera"), rows);
        let fixed = Instrument { name: None, share: 0.0, fixed: 0.1, step: 0.0 };
        it.meters = vec![fixed.clone(), fixed, Instrument::default()];
        let found = outcome(plan, &it).unwrap();
        let conductors =
            ash_pond_core::wire::conductor_ohms(ash_pond_core::plan::Material::Copper, 22.0, 1.5, plan.site.ambient())
                .0;
        (given(&found, "contact_ohm"), 0.9 - conductors)
    });
    assert!((0.92..=0.98).contains(&far), "far end: {far}");
}

/// A test of every protocol that is read by hand, each good for a figure or a result.
fn one_of_each() -> Vec<Test> {
    let rows = |it: &[&[f64]]| it.iter().map(|it| it.to_vec()).collect::<Vec<_>>();
    let soak = (0..12).map(f64::from).map(|it| vec![it * 4.0, 15.0 + 24.0 * (1.0 - (-it / 5.0).exp()), 15.0, 60.0]);
    vec![
        test("idle", "converter", "small-inverter", None, rows(&[&[12.5, 0.49], &[12.5, 0.488], &[12.5, 0.492]])),
        test("idle-by-drop", "source", "station", Some("outlet"), rows(&[&[100.0, 84.0, 12.0]])),
        test(
            "efficiency",
            "converter",
            "small-inverter",
            None,
            rows(&[
                &[12.6, 0.5, 230.0, 0.0],
                &[12.6, 2.2, 230.0, 0.087],
                &[12.6, 4.6, 230.0, 0.2],
                &[12.5, 8.4, 230.0, 0.37],
            ]),
        ),
        test("charge-drop", "source", "station", None, rows(&[&[1.0, 100.0, 71.0, 8.0], &[2.0, 100.0, 78.0, 8.0]])),
        test(
            "capacity",
            "source",
            "house-bank",
            None,
            rows(&[&[0.0, 13.3, 9.3], &[5.0, 12.6, 9.3], &[10.0, 10.4, 9.3]]),
        ),
        test("trip-level", "source", "station", Some("socket"), rows(&[&[7.0, 60.0, 0.0], &[7.4, 9.0, 1.0]])),
        test("auto-off", "source", "station", Some("outlet"), rows(&[&[2.0, 118.0, 1.0], &[6.0, 240.0, 0.0]])),
        test("shared-budget", "source", "station", Some("dc"), rows(&[&[80.0, 30.0, 0.0], &[80.0, 45.0, 1.0]])),
        test("heat-soak", "converter", "small-inverter", None, soak.collect()),
        test("charging", "source", "station", Some("wall"), rows(&[&[0.0, 20.0, 0.0], &[3.0, 100.0, 700.0]])),
        test("far-end", "arrangement", "camera-direct", Some("gate-camera"), rows(&[&[13.0, 12.3, 0.62]])),
    ]
}

#[test]
fn struck_rows_never_count_and_worse_meters_never_know_more_in_any_test() {
    let plan = demo();
    for mut it in one_of_each() {
        let columns = readings(&plan, &it);
        it.meters = columns.iter().map(Instrument::usual).collect();
        let found = outcome(&plan, &it).unwrap();
        assert!(!found.figures.is_empty() || !found.told.is_empty(), "{}: {}", it.protocol, found.sentence);
        let mut struck = it.clone();
        let slip = Row { values: columns.iter().map(|_| Some(77.0)).collect(), struck: Some("a slip".into()) };
        struck.rows.insert(0, slip);
        let again = outcome(&plan, &struck).unwrap();
        assert_eq!((&again.figures, &again.told), (&found.figures, &found.told), "{}", it.protocol);
        assert_eq!(again.sentence, found.sentence);
        let mut worse = it.clone();
        for meter in &mut worse.meters {
            *meter =
                Instrument { name: None, share: 2.0 * meter.share, fixed: 2.0 * meter.fixed, step: 2.0 * meter.step };
        }
        let wider = outcome(&plan, &worse).unwrap();
        for (better, worse) in found.figures.iter().zip(&wider.figures) {
            assert!(worse.plus_minus >= better.plus_minus * (1.0 - 1e-9), "{}: {}", it.protocol, better.name);
        }
        for (better, worse) in found.told.iter().zip(&wider.told) {
            assert!(worse.plus_minus >= better.plus_minus, "{}: {}", it.protocol, better.name);
        }
    }
}

#[test]
fn student_s_factor_is_that_of_the_tables() {
    for (dof, wanted) in [(1, 12.706), (2, 4.303), (3, 3.182), (5, 2.571), (10, 2.228), (30, 2.042), (1000, 1.962)] {
        assert!((student(dof) - wanted).abs() < 0.004, "{dof}: {} against {wanted}", student(dof));
    }
}

#[test]
fn a_point_that_is_out_of_line_is_named_and_points_that_cannot_be_are_refused() {
    let mut points: Vec<Pair> = OUT
        .iter()
        .map(|out| Pair { out: Known::sure(*out), input: Known::sure(out + lost(*out) + 0.02 * (out * 7.0).sin()) })
        .collect();
    assert!(fit(&points).unwrap().out_of_line.is_empty());
    points[3].input.value += 6.0;
    assert_eq!(fit(&points).unwrap().out_of_line, [3]);
    assert!(fit(&points[..2]).unwrap_err().contains("three or more"));
    points[0].input.value = 1.0;
    assert!(fit(&points).unwrap_err().contains("point 1"));
}

proptest! {
    #![proptest_config(ProptestConfig { rng_seed: proptest::test_runner::RngSeed::Fixed(6), ..ProptestConfig::default() })]

    /// A law is found again from its own points, and no part of it is ever below zero.
    #[test]
    fn a_law_is_found_again(idle in 0.0_f64..20.0, proportional in 0.0_f64..0.2, quadratic in 0.0_f64..1e-3, bend in -3.0_f64..3.0) {
        let at = |out: f64| idle + proportional * out + quadratic * out * out;
        let exact: Vec<Pair> = OUT.iter().map(|out| Pair { out: Known::sure(*out), input: Known::sure(out + at(*out)) }).collect();
        let found = fit(&exact).unwrap();
        prop_assert!((found.idle_w - idle).abs() < 1e-6 * (1.0 + idle), "{found:?}");
        prop_assert!((found.proportional - proportional).abs() < 1e-7 && (found.quadratic_per_w - quadratic).abs() < 1e-9);
        prop_assert!(found.rms_w < 1e-7);
        let bent: Vec<Pair> = OUT.iter().map(|out| Pair { out: Known::sure(*out), input: Known::sure(out + (at(*out) + bend * out.sqrt()).max(0.0)) }).collect();
        let found = fit(&bent).unwrap();
        prop_assert!(found.idle_w >= 0.0 && found.proportional >= 0.0 && found.quadratic_per_w >= 0.0);
    }

    /// A wider instrument never makes a result surer.
    #[test]
    fn a_worse_meter_never_knows_more(value in 0.1_f64..500.0, share in 0.0_f64..0.1, fixed in 0.0_f64..1.0, step in 0.0_f64..1.0, more in 1.0_f64..3.0) {
        let meter = Instrument { name: None, share, fixed, step };
        let worse = Instrument { name: None, share: share * more, fixed: fixed * more, step: step * more };
        prop_assert!(worse.read(value).plus_minus >= meter.read(value).plus_minus);
        let (a, b) = (meter.read(value), worse.read(value));
        let other = Known { value: 12.0, plus_minus: 0.1 };
        prop_assert!(b.times(other).plus_minus >= a.times(other).plus_minus);
        prop_assert!(b.over(other).plus_minus >= a.over(other).plus_minus);
        prop_assert!(b.minus(other).plus_minus >= a.minus(other).plus_minus);
        // What is added and taken away again comes back, surer never.
        let back = a.plus(other).minus(other);
        prop_assert!((back.value - a.value).abs() < 1e-9 && back.plus_minus >= a.plus_minus);
        let points = |meter: Instrument| -> Vec<Pair> {
            OUT.iter().map(|out| Pair { out: Known::sure(*out), input: meter.read(out + lost(*out)) }).collect()
        };
        let (sure, unsure) = (fit(&points(meter)).unwrap(), fit(&points(worse)).unwrap());
        for (sure, unsure) in sure.plus_minus.unwrap().iter().zip(unsure.plus_minus.unwrap()) {
            prop_assert!(unsure >= *sure - 1e-12);
        }
    }

    /// No file panics; a bad one names a row that it has.
    #[test]
    fn any_rows_are_judged_or_refused(which in 0_usize..11, values in prop::collection::vec(prop::collection::vec(prop::option::of(-1e7_f64..1e7), 0..6), 0..8)) {
        let mut it = one_of_each().swap_remove(which);
        it.rows = values.into_iter().map(|values| Row { values, struck: None }).collect();
        if let Ok(found) = outcome(&demo(), &it) {
            prop_assert!(found.figures.iter().all(|it| it.value.is_finite() && it.plus_minus >= 0.0), "{:?}", found.figures);
        }
    }

    #[test]
    fn a_drift_is_found_again(slope in -9.0_f64..9.0, level in 20.0_f64..200.0, off in 0.1_f64..5.0, years in 1.0_f64..12.0) {
        let at = |year: f64| (2020.0 + year, Known { value: level + slope * year, plus_minus: off });
        let found = drift(&[at(0.0), at(years / 3.0), at(years)]).unwrap();
        prop_assert!((found.value - slope).abs() < 1e-6 * (1.0 + slope.abs()) && found.plus_minus > 0.0);
        // More years tell it better, worse tests worse.
        let longer = drift(&[at(0.0), at(years), at(2.0 * years)]).unwrap();
        prop_assert!(longer.plus_minus < found.plus_minus);
    }

    #[test]
    fn any_text_with_any_picks_is_read_or_refused(text in "[ -~\n\t;,µ]{0,300}", picks in prop::collection::vec("time|volts|amps:3|watts|other", 1..5), fine in 0.0_f64..2.0) {
        let picks = picks.iter().map(|it| it.parse().unwrap()).collect();
        let mut reader = Reader::default().picked(picks).thrifty(fine);
        if text.lines().all(|line| reader.line(line).is_ok()) {
            let _ = reader.end();
        }
    }

    #[test]
    fn any_text_is_read_or_refused(text in "[ -~\n\t;,µ]{0,300}") {
        if let Err(wrong) = read_log(&text) {
            prop_assert!(wrong.row >= 1 && wrong.row <= text.lines().count().max(1));
            prop_assert!(!wrong.sentence.is_empty());
        }
    }

    /// Numbers come back in every form that they are written in.
    #[test]
    fn numbers_are_the_same_in_every_form(values in prop::collection::vec((-1000_i32..1000, 0_i32..1000), 1..20)) {
        let rows = |mark: &str, decimal: &str| {
            let line = |(index, (whole, parts)): (usize, &(i32, i32))| {
                let sign = if *whole < 0 { "-" } else { "" };
                format!("{index}{mark}{sign}{}{decimal}{parts:03}\n", whole.abs())
            };
            format!("time_s{mark}volts\n{}", values.iter().enumerate().map(line).collect::<String>())
        };
        let wanted = read_log(&rows(",", ".")).unwrap();
        for (mark, decimal) in [(";", ","), ("\t", ","), ("|", "."), (" ", ".")] {
            prop_assert_eq!(&read_log(&rows(mark, decimal)).unwrap().values, &wanted.values);
        }
    }
}
