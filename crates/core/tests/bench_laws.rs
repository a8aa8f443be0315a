//! Laws of the bench: made from known truth, the truth lies within ±; nothing panics; a worse meter never knows more.

use ash_pond_core::bench::{Instrument, Known, Pair, fit, read_log, student};
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
