//! What the readings of an efficiency test leave open: the law that they speak for, and how far
//! each part of it may be from the truth.
//!
//! A meter that shows one per cent too much shows it in every row. Taken anew for each row, that
//! would be scatter, and idle draw, which stands at the small end, would seem hardly known; taken
//! as what it is, it moves the slope and leaves the idle draw alone. But some meters do scatter by
//! what they may be off, and nobody says which. So a share t of what the meters may be off is taken
//! as scatter and the rest, 1 − t, as one error for all rows; each t weighs by how likely it makes
//! the readings (restricted likelihood, Patterson and Thompson 1971), and t above 1 is a load that
//! sways. Given t this is least squares with correlated errors (Aitken 1935); the parts of the law
//! are zero or more, so what lies below zero is cut away from what the readings leave open, and ±
//! is how far around the law 95 % of the rest lies.

use super::power::{Pair, Row, dot};
use crate::ground::draw::normal;
use nalgebra::{DMatrix, DVector, Matrix3, Vector3};
use rand::{SeedableRng, rngs::StdRng};

/// Shares of what the meters may be off that are scatter, with how likely each is before a reading
/// was taken: a meter is mostly off alike in all rows or anew in each.
const SHARES: [(f64, f64); 9] = [
    (0.0, 1.0),
    (0.3, 0.03),
    (0.6, 0.08),
    (1.0, 1.1),
    (1.5, 0.35),
    (2.5, 0.15),
    (5.0, 0.05),
    (12.0, 0.03),
    (30.0, 0.02),
];
/// Where the meters tell nothing but the step of their display, what scatters besides is a multiple
/// of that.
const STEPS: [(f64, f64); 6] = [
    (0.0, 1.0),
    (1.0, 0.05),
    (3.0, 0.05),
    (10.0, 0.05),
    (30.0, 0.05),
    (100.0, 0.05),
];
/// Half-width of a 95 % interval, in standard deviations.
const HALF: f64 = 1.959_963_985;
/// Laws that are drawn from what is left open.
const DRAWS: usize = 4000;
/// With fewer than this of them at or above zero, nothing is cut away.
const LEAST: usize = 100;
/// The share of an interval, %.
const WITHIN: usize = 95;

/// What the readings say of a law: the law itself, and others that they speak for as well.
pub(super) struct Spread {
    /// The law that fits best with no part below zero.
    pub(super) law: Row,
    /// Laws drawn from what is left open; none where nothing says how far.
    drawn: Vec<Row>,
}

/// The errors of the losses: variances in W², and what is common to all rows in W.
struct Errors {
    step: DVector<f64>,
    own: DVector<f64>,
    shared: DMatrix<f64>,
}

impl Errors {
    /// From the meters, where the input rises by `slopes` watts a watt of output.
    fn of(pairs: &[Pair], slopes: &[f64]) -> Self {
        let n = pairs.len();
        let (mut step, mut own, mut columns) = (DVector::zeros(n), DVector::zeros(n), Vec::new());
        for side in 0..2 {
            let power = |row: usize| {
                if side == 0 {
                    &pairs[row].input
                } else {
                    &pairs[row].out
                }
            };
            let slope = |row: usize| if side == 0 { 1.0 } else { -slopes[row] };
            for meter in 0..(0..n).map(|row| power(row).meters.len()).max().unwrap_or(0) {
                let moved = |row: usize| power(row).meters.get(meter).copied().unwrap_or_default();
                for row in 0..n {
                    let (it, slope) = (moved(row), slope(row) / HALF);
                    step[row] += (slope * it.step_w).powi(2);
                    own[row] += (slope * it.scale_w).powi(2) + (slope * it.fixed_w).powi(2);
                }
                columns.push(DVector::from_fn(n, |row, _| {
                    slope(row) * moved(row).scale_w / HALF
                }));
                columns.push(DVector::from_fn(n, |row, _| {
                    slope(row) * moved(row).fixed_w / HALF
                }));
            }
        }
        columns.retain(|it| it.amax() > 0.0);
        let shared = if columns.is_empty() {
            DMatrix::zeros(n, 0)
        } else {
            DMatrix::from_columns(&columns)
        };
        Self { step, own, shared }
    }
}

/// One way that the errors may be: how likely before a reading was taken, what scatters in each
/// row, W², and what share of the variance of the meters is common to all rows.
struct Component {
    prior: f64,
    variance: DVector<f64>,
    common: f64,
}

/// Least squares with errors of which a part is common to all rows. The common part stands as
/// unknowns of its own beside those of the law, each with a variance of 1.
struct Weighed {
    normal: DMatrix<f64>,
    right: DVector<f64>,
    /// Σ y²/variance.
    whole: f64,
    /// Σ ln variance.
    logs: f64,
}

impl Weighed {
    fn of(rows: &[Row], losses: &[f64], variance: &DVector<f64>, shared: &DMatrix<f64>) -> Self {
        let (n, m) = (rows.len(), shared.ncols());
        let design = DMatrix::from_fn(n, 3 + m, |row, at| {
            if at < 3 {
                rows[row][at]
            } else {
                shared[(row, at - 3)]
            }
        });
        let weighed = DMatrix::from_fn(n, 3 + m, |row, at| design[(row, at)] / variance[row]);
        let mut normal = design.transpose() * &weighed;
        for at in 3..3 + m {
            normal[(at, at)] += 1.0;
        }
        let losses = DVector::from_column_slice(losses);
        Self {
            right: weighed.transpose() * &losses,
            normal,
            whole: losses
                .iter()
                .zip(variance.iter())
                .map(|(loss, of)| loss * loss / of)
                .sum(),
            logs: variance.iter().map(|it| it.ln()).sum(),
        }
    }

    /// The law without its unknowns that are not kept, and what of Σ y²/variance is left; none
    /// where the rows do not tell the kept ones apart.
    fn solved(&self, kept: [bool; 3]) -> Option<(Row, f64)> {
        let places: Vec<usize> = (0..self.normal.nrows())
            .filter(|it| *it >= 3 || kept[*it])
            .collect();
        let normal = DMatrix::from_fn(places.len(), places.len(), |a, b| {
            self.normal[(places[a], places[b])]
        });
        let right = DVector::from_fn(places.len(), |at, _| self.right[places[at]]);
        let found = normal.cholesky()?.solve(&right);
        let left = self.whole - right.dot(&found);
        let mut law = [0.0; 3];
        for (place, value) in places.iter().zip(found.iter()).filter(|it| *it.0 < 3) {
            law[*place] = *value;
        }
        law.iter().all(|it| it.is_finite()).then_some((law, left))
    }

    /// The best of all choices of which parts of the law stay at zero, with none below it.
    fn non_negative(&self) -> Row {
        let mut best = (
            [0.0; 3],
            self.solved([false; 3]).map_or(f64::INFINITY, |it| it.1),
        );
        for choice in 1_u8..8 {
            let kept = [0, 1, 2].map(|it| choice >> it & 1 == 1);
            let Some((law, left)) = self.solved(kept) else {
                continue;
            };
            if law.iter().all(|it| *it >= 0.0) && left < best.1 - 1e-15 * best.1.abs() {
                best = (law, left);
            }
        }
        best.0
    }

    /// The law free of any bound, its covariance, and the logarithm of its restricted likelihood.
    fn free(&self) -> Option<(Vector3<f64>, Matrix3<f64>, f64)> {
        let factor = self.normal.clone().cholesky()?;
        let found = factor.solve(&self.right);
        let spread: Matrix3<f64> = factor.inverse().fixed_view::<3, 3>(0, 0).into_owned();
        let twice =
            self.logs + factor.ln_determinant() + (self.whole - self.right.dot(&found)).max(0.0);
        let law = Vector3::new(found[0], found[1], found[2]);
        (law.iter().all(|it| it.is_finite()) && twice.is_finite()).then_some((
            law,
            spread,
            -0.5 * twice,
        ))
    }
}

/// Weighs the readings: `rows` are the three columns of the law, `losses` in W, `slopes` what the
/// input rises by a watt of output in a first fit, W/W.
pub(super) fn weigh(rows: &[Row], losses: &[f64], pairs: &[Pair], slopes: &[f64]) -> Spread {
    let n = rows.len();
    let errors = Errors::of(pairs, slopes);
    let (by_meters, by_steps) = (errors.own.amax() > 0.0, errors.step.amax() > 0.0);
    // A floor, so that a row that nothing can move does not outweigh all others.
    let floor = |of: &DVector<f64>| 1e-6 * of.mean().max(f64::MIN_POSITIVE);
    let components: Vec<Component> = if by_meters {
        let floor = floor(&errors.own);
        let at = |(share, prior): &(f64, f64)| Component {
            prior: *prior,
            variance: DVector::from_fn(n, |row, _| {
                errors.step[row] + share * errors.own[row] + floor
            }),
            common: (1.0 - share).max(0.0),
        };
        SHARES.iter().map(at).collect()
    } else if by_steps {
        let floor = floor(&errors.step);
        let at = |(more, prior): &(f64, f64)| Component {
            prior: *prior,
            variance: errors.step.map(|it| it * (1.0 + more) + floor),
            common: 0.0,
        };
        STEPS.iter().map(at).collect()
    } else {
        by_scatter(rows, losses)
    };
    let weighed = |variance: &DVector<f64>, common: f64| {
        let shared = if common > 0.0 {
            &errors.shared * common.sqrt()
        } else {
            DMatrix::zeros(n, 0)
        };
        Weighed::of(rows, losses, variance, &shared)
    };
    let mut found = Vec::new();
    for it in &components {
        if let Some((law, spread, likely)) = weighed(&it.variance, it.common).free() {
            found.push((likely + it.prior.ln(), law, spread, it));
        }
    }
    let plain = DVector::repeat(n, 1.0);
    let most = found
        .iter()
        .map(|it| it.0)
        .fold(f64::NEG_INFINITY, f64::max);
    if found.is_empty() || !most.is_finite() {
        return Spread {
            law: weighed(&plain, 0.0).non_negative(),
            drawn: Vec::new(),
        };
    }
    let sum: f64 = found.iter().map(|it| (it.0 - most).exp()).sum();
    let share = |likely: f64| (likely - most).exp() / sum;
    let law = if by_meters || by_steps {
        let mean = found.iter().fold(DVector::zeros(n), |sum, it| {
            sum + &it.3.variance * share(it.0)
        });
        let common = found.iter().map(|it| share(it.0) * it.3.common).sum();
        weighed(&mean, common).non_negative()
    } else {
        weighed(&plain, 0.0).non_negative()
    };
    let mut rng = StdRng::seed_from_u64(11);
    let (mut drawn, mut free) = (Vec::new(), Vec::new());
    // Each component has as many of the draws as its share of all.
    let mut until = 0.0;
    let mut next = 0.0_f64;
    for (likely, mean, spread, ..) in &found {
        until += share(*likely) * DRAWS as f64;
        let root = spread.cholesky();
        while next < until - 0.5 {
            next += 1.0;
            let Some(root) = &root else { continue };
            let it = mean + root.l() * Vector3::from_fn(|_, _| normal(&mut rng));
            // Around the law itself where nothing is at or above zero.
            free.push([0, 1, 2].map(|at| law[at] + it[at] - mean[at]));
            if it.iter().all(|it| *it >= 0.0) {
                drawn.push([it[0], it[1], it[2]]);
            }
        }
    }
    Spread {
        law,
        drawn: if drawn.len() < LEAST { free } else { drawn },
    }
}

/// Where nothing is known of the meters: the variance of the scatter, weighed by what it makes of
/// the points. None where as many unknowns as points leave no scatter to see.
fn by_scatter(rows: &[Row], losses: &[f64]) -> Vec<Component> {
    let n = rows.len();
    let plain = Weighed::of(
        rows,
        losses,
        &DVector::repeat(n, 1.0),
        &DMatrix::zeros(n, 0),
    );
    let Some((law, _)) = plain.solved([true; 3]).filter(|_| n > 3) else {
        return Vec::new();
    };
    let left: f64 = rows
        .iter()
        .zip(losses)
        .map(|(row, loss)| (loss - dot(*row, law)).powi(2))
        .sum();
    let size: f64 = losses.iter().map(|it| it * it).sum();
    let usual = (left / (n - 3) as f64)
        .max(1e-20 * size)
        .max(f64::MIN_POSITIVE);
    // A prior that is flat on the logarithm leaves Student's distribution.
    let at = |it: i32| Component {
        prior: 1.0,
        variance: DVector::repeat(n, usual * 2_f64.powf(f64::from(it) / 4.0)),
        common: 0.0,
    };
    (-12..32).map(at).collect()
}

impl Spread {
    /// How far around the law at a row 95 % of what is left open lies; none where nothing says how
    /// far.
    pub(super) fn half(&self, row: Row) -> Option<f64> {
        let at = dot(row, self.law);
        let mut far: Vec<f64> = self
            .drawn
            .iter()
            .map(|it| (dot(row, *it) - at).abs())
            .collect();
        let place = (far.len() * WITHIN / 100).min(far.len().checked_sub(1)?);
        let (_, found, _) = far.select_nth_unstable_by(place, f64::total_cmp);
        Some(*found)
    }
}
