//! Heat soak: where a case ends up, told from a run that is shorter than its settling.
//!
//! A body that loses heat in proportion to its rise warms as ΔT(t) = R + (ΔT₀ − R)·e^(−t/τ)
//! (Newton's law of cooling). R, ΔT₀ and τ are fitted by least squares: for each τ the other two
//! are linear, and τ is sought on a grid and by golden section. Their ± come from the curvature of
//! the squares at the best fit, with Student's factor.

use super::super::case::Case;
use super::super::guide::{Guide, HOT, MAINS, Target, columns, meter, step, wait};
use super::super::meter::{Known, student};
use super::super::outcome::{CurveAt, Outcome, Plot, Told};
use super::super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::ground::say::Amount;
use crate::network::Law;

/// Time constants that are sought, minutes.
const SLOWEST: f64 = 400.0;
const FASTEST: f64 = 0.5;
/// Places on the drawn curve.
const DRAWN: usize = 48;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::HeatSoak,
        title: "Heat soak",
        answers: "How hot a converter gets in the end, where it is mounted, from an hour's run: \
            before it is closed up in a box.",
        subjects: &[Target::Converter],
        needs: &[
            "a thermometer on the case, held by tape",
            "a thermometer for the air, away from it",
            "a steady load, a wattmeter",
        ],
        minutes: 20,
        cautions: &[
            HOT,
            MAINS,
            "Nothing lies on it or near it while it is tested.",
        ],
        disconnect: "Whatever would switch itself off meanwhile.",
        meters: vec![meter("W", "out", true), meter("°C", "in", false)],
        steps: vec![
            step("Let it stand off until it is as cold as the air."),
            step(
                "Switch the load on, and write down minutes, the case, the air and the watts out: \
                the first row at 0.",
            ),
            wait(
                "Again every five minutes, for as long as the case still warms quickly.",
                300,
            ),
            step(
                "Go on for about as long as it took to half of the rise; settling itself need not \
                be waited for.",
            ),
        ],
        invalid: &[
            "A fan that starts in between.",
            "Sun or a draught on it.",
            "A load that comes and goes.",
        ],
        stop: "The case gets hotter than its maker allows, or it smells.",
        readings: columns(&[
            ("minutes", "min", 1),
            ("case", "°C", 1),
            ("air", "°C", 1),
            ("watts out", "W", 0),
        ]),
        file: None,
    }
}

/// The fitted warming.
struct Warming {
    /// Final rise, K.
    rise: Known,
    /// Time constant, minutes.
    minutes: Known,
    /// Rise at the first row, K.
    start: f64,
    /// Minutes of the first row.
    t0: f64,
}

impl Warming {
    fn at(&self, minutes: f64) -> f64 {
        self.rise.value
            + (self.start - self.rise.value) * (-(minutes - self.t0) / self.minutes.value).exp()
    }
}

/// For one time constant: final rise, first rise, and the squares that are left.
fn linear(points: &[(f64, f64)], t0: f64, tau: f64) -> (f64, f64, f64) {
    let decay = |t: f64| (-(t - t0) / tau).exp();
    let (mut aa, mut ab, mut bb, mut ay, mut by) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for (t, y) in points {
        let b = decay(*t);
        let a = 1.0 - b;
        aa += a * a;
        ab += a * b;
        bb += b * b;
        ay += a * y;
        by += b * y;
    }
    let det = aa * bb - ab * ab;
    if det.abs() < 1e-14 * aa * bb {
        return (0.0, 0.0, f64::INFINITY);
    }
    let (rise, start) = ((ay * bb - by * ab) / det, (by * aa - ay * ab) / det);
    let squares = points
        .iter()
        .map(|(t, y)| (y - rise * (1.0 - decay(*t)) - start * decay(*t)).powi(2))
        .sum();
    (rise, start, squares)
}

/// The warming through points of minutes and rise; `read` is the half-width of one reading.
fn fitted(points: &[(f64, f64)], read: f64) -> Option<Warming> {
    let t0 = points[0].0;
    let squares = |log_tau: f64| linear(points, t0, log_tau.exp()).2;
    let (low, high) = (FASTEST.ln(), SLOWEST.ln());
    let grid = 80;
    let place = |index: usize| low + (high - low) * index as f64 / grid as f64;
    let best = (0..=grid).min_by(|a, b| squares(place(*a)).total_cmp(&squares(place(*b))))?;
    // At the edge of what is sought the run bends too little to say where it ends.
    if best == 0 || best == grid {
        return None;
    }
    let (mut a, mut b) = (place(best - 1), place(best + 1));
    let golden = (5.0_f64.sqrt() - 1.0) / 2.0;
    for _ in 0..60 {
        let (c, d) = (b - golden * (b - a), a + golden * (b - a));
        if squares(c) < squares(d) {
            b = d;
        } else {
            a = c;
        }
    }
    let tau = f64::midpoint(a, b).exp();
    let (rise, start, left) = linear(points, t0, tau);
    // Normal matrix of the three at the best fit.
    let mut normal = Three::default();
    for (t, _) in points {
        let since = t - t0;
        let e = (-since / tau).exp();
        normal.add([1.0 - e, e, (start - rise) * e * since / (tau * tau)]);
    }
    let inverse = normal.inverse()?;
    let dof = points.len().checked_sub(3).filter(|it| *it > 0)?;
    let scatter = (left / dof as f64).sqrt();
    let wide = |variance: f64| {
        (student(dof) * scatter * variance.max(0.0).sqrt()).hypot(read * variance.max(0.0).sqrt())
    };
    Some(Warming {
        rise: Known {
            value: rise,
            plus_minus: wide(inverse[0]).hypot(read),
        },
        minutes: Known {
            value: tau,
            plus_minus: wide(inverse[2]),
        },
        start,
        t0,
    })
}

/// A symmetric matrix of three, summed up and inverted.
#[derive(Default)]
struct Three([[f64; 3]; 3]);

impl Three {
    fn add(&mut self, row: [f64; 3]) {
        for i in 0..3 {
            for j in 0..3 {
                self.0[i][j] += row[i] * row[j];
            }
        }
    }

    /// The diagonal of the inverse; none where it has none.
    fn inverse(&self) -> Option<[f64; 3]> {
        let m = &self.0;
        let minor = |a: usize, b: usize| m[a][a] * m[b][b] - m[a][b] * m[b][a];
        let det = m[0][0] * minor(1, 2) - m[0][1] * (m[1][0] * m[2][2] - m[1][2] * m[2][0])
            + m[0][2] * (m[1][0] * m[2][1] - m[1][1] * m[2][0]);
        (det.abs() > 1e-18).then(|| [minor(1, 2) / det, minor(0, 2) / det, minor(0, 1) / det])
    }
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let rows = case.rows(4);
    if let Some(at) = rows
        .windows(2)
        .find(|it| it[1].1[0].value <= it[0].1[0].value)
    {
        return Err(FieldError::of(
            "rows",
            format!("row {}: the minutes must rise", at[1].0 + 1),
        ));
    }
    let rises: Vec<(usize, Known, Known)> = rows
        .iter()
        .map(|(row, it)| (*row, it[0], it[1].minus(it[2])))
        .collect();
    let plot = Plot::of(("since it was switched on", "min"), ("above the air", "K"))
        .with(rises.iter().copied());
    let says = |sentence: &str| Outcome {
        plot: Some(plot.clone()),
        ..Outcome::says(sentence)
    };
    if rows.len() < 5 {
        return Ok(says(
            "Write down minutes, case, air and watts out, every five minutes: five rows or more.",
        ));
    }
    let points: Vec<(f64, f64)> = rises.iter().map(|it| (it.1.value, it.2.value)).collect();
    let read = rises.iter().map(|it| it.2.plus_minus).sum::<f64>() / rises.len() as f64;
    let Some(warming) = fitted(&points, read).filter(|it| it.rise.value > 0.0) else {
        return Ok(says(
            "The rise is a straight line still, or none: go on until it bends.",
        ));
    };
    let seen = points[points.len() - 1].0 - points[0].0;
    let span = seen.max(3.0 * warming.minutes.value);
    let curve = (0..=DRAWN).map(|it| {
        let x = points[0].0 + span * it as f64 / DRAWN as f64;
        CurveAt {
            x,
            y: warming.at(x),
            plus_minus: warming.rise.plus_minus
                * (1.0 - (-(x - points[0].0) / warming.minutes.value).exp()),
        }
    });
    let plot = Plot {
        curve: curve.collect(),
        ..plot
    };
    let watts = rows.iter().map(|it| it.1[3].value).sum::<f64>() / rows.len() as f64;
    let full = at_full_load(case, watts, warming.rise);
    let thermal = &case.element.body["thermal"];
    let number = |key: &str| {
        thermal[key]
            .as_f64()
            .or_else(|| thermal[key]["value"].as_f64())
    };
    let air = case.plan.site.ambient().0;
    let mut sentence = format!(
        "Ends {} above the air with {} out; half of the way in {}.",
        warming.rise.words("K"),
        Amount(watts, "W"),
        Amount(warming.minutes.value * std::f64::consts::LN_2, "min")
    );
    if let Some(most) = number("max_case_c") {
        let end = air + full.map_or(warming.rise.value, |it| it.value);
        let load = if full.is_some() {
            "At its full load"
        } else {
            "So"
        };
        let verdict = if end > most { "too hot" } else { "within" };
        sentence += &format!(
            " {load} it gets {} where it is mounted, {verdict} for its {}.",
            Amount(end, "°C"),
            Amount(most, "°C")
        );
    }
    if seen < 0.7 * warming.minutes.value {
        sentence += " The run was short for that: a longer one tells it better.";
    }
    let constant = warming.minutes.scaled(60.0);
    let mut figures = vec![case.given("time constant", "s", "/thermal/time_constant_s", constant)];
    if let Some(full) = full {
        figures.insert(
            0,
            case.given("rise at full load", "K", "/thermal/full_load_rise_c", full),
        );
    }
    let told = vec![Told::of("rise with this load", "K", warming.rise)];
    Ok(Outcome {
        figures,
        told,
        plot: Some(plot),
        ..Outcome::says(sentence)
    })
}

/// The rise at full load: heat is what is lost, so the rise goes with the loss; none where its
/// limit or its loss is not known.
fn at_full_load(case: &Case<'_>, watts: f64, rise: Known) -> Option<Known> {
    let converter = case.plan.converter(&case.test.of.id)?;
    let law = Law::of(Some(converter.loss.as_ref()?));
    let full = converter.full_w()?;
    let lost = |out: f64| law.input(out) - out;
    (lost(watts) > 0.0).then(|| rise.scaled(lost(full) / lost(watts)))
}
