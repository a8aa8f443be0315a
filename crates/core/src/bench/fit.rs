//! Efficiency over load: points of power out and in, and the loss law that goes through them.
//!
//! loss = idle + k·P + q·P², fitted to `P_in − P_out` by least squares with none of the three below
//! zero. With three unknowns the best of the eight choices of which stay at zero is the exact
//! answer of non-negative least squares (Lawson and Hanson 1974, chapter 23). How far each part may
//! be from the truth is told by [`super::spread`].

use super::meter::{Known, student};
use super::power::{Pair, Row, dot};
use super::spread::weigh;
use crate::ground::json::FieldError;
use crate::ground::say::Sentence;
use serde::Serialize;

/// A loss law fitted to points.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LossFit {
    /// Drawn for being on, W.
    pub idle_w: f64,
    /// Lost per watt of output.
    pub proportional: f64,
    /// Lost per squared watt of output, 1/W.
    pub quadratic_per_w: f64,
    /// Half-width of the 95 % interval of each, by what the meters may be off (alike in all rows,
    /// or anew in each) and what the points scatter; none where nothing is known of the meters and
    /// as many unknowns as points leave nothing to judge by.
    pub plus_minus: Option<[f64; 3]>,
    /// Root of the mean squared residual, W.
    pub rms_w: f64,
    /// What each point lies above the law, W, in the order of the points.
    pub residuals_w: Vec<f64>,
    /// Output from and to which was measured, W; beyond it the law is an extrapolation.
    pub range_w: [f64; 2],
    /// Points that lie out of line by more than three times what the others do, counted from 0.
    pub out_of_line: Vec<usize>,
    /// Half-widths of the law's own band, W, at 25 outputs over the measured range.
    pub band: Vec<BandPoint>,
    /// What is said of it.
    pub sentence: Sentence,
}

/// The law and its band at one output.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct BandPoint {
    /// Output, W.
    pub out_w: f64,
    /// Loss by the law, W.
    pub loss_w: f64,
    /// Half-width of its 95 % band, W.
    pub plus_minus: f64,
}

/// How many points the band is told at.
const BAND: usize = 25;
/// Least number of points.
const LEAST: usize = 3;
/// Beyond so many points they are looked at together for what is out of line, further off than so
/// many times their spread.
const MANY: usize = 400;
const FAR: f64 = 4.0;

type Square = [[f64; 3]; 3];

/// Fits the loss law to points.
///
/// # Errors
/// Where there are fewer than three points at different outputs, or a point gives more than it
/// takes.
pub fn fit(points: &[Pair]) -> Result<LossFit, FieldError> {
    let no = |why: String| FieldError::of("points", why);
    for (index, it) in points.iter().enumerate() {
        let (out, input) = (it.out.watts, it.input.watts);
        if !(out.is_finite() && input.is_finite() && out >= 0.0) {
            return Err(no(format!(
                "point {}: power out must be a number of 0 W or more",
                index + 1
            )));
        }
        if input + it.input.known().plus_minus + it.out.known().plus_minus < out {
            return Err(no(format!(
                "point {}: {out} W come out of {input} W; swap the columns, or look which meter \
                stands where",
                index + 1
            )));
        }
    }
    let outputs = outputs(points);
    if outputs.len() < LEAST {
        return Err(no(format!(
            "there are {} points at different outputs; measure at three or more",
            outputs.len()
        )));
    }
    // Outputs are taken as shares of the largest, so that the three unknowns weigh alike.
    let scale = outputs[outputs.len() - 1].max(1e-9);
    let row = |out: f64| -> Row { [1.0, out / scale, (out / scale).powi(2)] };
    let rows: Vec<Row> = points.iter().map(|it| row(it.out.watts)).collect();
    let losses: Vec<f64> = points
        .iter()
        .map(|it| it.input.watts - it.out.watts)
        .collect();
    let first = least_squares(&rows, &losses).0;
    let slope = |it: &Pair| 1.0 + (first[1] + 2.0 * first[2] * it.out.watts / scale) / scale;
    let spread = weigh(
        &rows,
        &losses,
        points,
        &points.iter().map(slope).collect::<Vec<_>>(),
    );
    let law = [
        spread.law[0],
        spread.law[1] / scale,
        spread.law[2] / (scale * scale),
    ];
    let at = |out: f64| law[0] + law[1] * out + law[2] * out * out;
    let residuals: Vec<f64> = points
        .iter()
        .zip(&losses)
        .map(|(it, loss)| loss - at(it.out.watts))
        .collect();
    let squares: f64 = residuals.iter().map(|it| it * it).sum();
    let n = points.len();
    let half = |row: Row| spread.half(row);
    let own = || {
        Some([
            half([1.0, 0.0, 0.0])?,
            half([0.0, 1.0 / scale, 0.0])?,
            half([0.0, 0.0, 1.0 / (scale * scale)])?,
        ])
    };
    let plus_minus = own();
    let (from, to) = (outputs[0], outputs[outputs.len() - 1]);
    let band = (0..BAND).map(|step| {
        let out_w = from + (to - from) * step as f64 / (BAND - 1) as f64;
        BandPoint {
            out_w,
            loss_w: at(out_w),
            plus_minus: half(row(out_w)).unwrap_or(0.0),
        }
    });
    Ok(LossFit {
        idle_w: law[0],
        proportional: law[1],
        quadratic_per_w: law[2],
        rms_w: (squares / n as f64).sqrt(),
        out_of_line: out_of_line(&rows, &losses),
        residuals_w: residuals,
        range_w: [from, to],
        band: band.collect(),
        sentence: sentence(law, plus_minus, [from, to]).into(),
        plus_minus,
    })
}

/// The different outputs of points, from the least, W.
pub(super) fn outputs(points: &[Pair]) -> Vec<f64> {
    let mut outputs: Vec<f64> = points.iter().map(|it| it.out.watts).collect();
    outputs.sort_by(f64::total_cmp);
    outputs.dedup_by(|a, b| (*a - *b).abs() < 1e-9 * (1.0 + b.abs()));
    outputs
}

/// The best of all choices of which unknowns stay at zero, and which did not.
fn least_squares(rows: &[Row], losses: &[f64]) -> (Row, [bool; 3]) {
    let mut best = (
        [0.0; 3],
        [false; 3],
        losses.iter().map(|it| it * it).sum::<f64>(),
    );
    for choice in 1_u8..8 {
        let kept = [0, 1, 2].map(|it| choice >> it & 1 == 1);
        let Some(found) = solved(rows, losses, kept) else {
            continue;
        };
        let squares: f64 = rows
            .iter()
            .zip(losses)
            .map(|(row, loss)| (loss - dot(*row, found)).powi(2))
            .sum();
        if found.iter().all(|it| *it >= 0.0) && squares < best.2 - 1e-15 * best.2.abs() {
            best = (found, kept, squares);
        }
    }
    (best.0, best.1)
}

fn variance(of: Square, row: Row) -> f64 {
    (0..3)
        .map(|i| (0..3).map(|j| row[i] * of[i][j] * row[j]).sum::<f64>())
        .sum()
}

/// The normal matrix of the kept unknowns; the others stand by themselves.
fn normal(rows: &[Row], kept: [bool; 3]) -> Square {
    let mut square = [[0.0; 3]; 3];
    for (i, line) in square.iter_mut().enumerate() {
        for (j, cell) in line.iter_mut().enumerate() {
            *cell = if kept[i] && kept[j] {
                rows.iter().map(|row| row[i] * row[j]).sum()
            } else {
                f64::from(u8::from(i == j))
            };
        }
    }
    square
}

fn solved(rows: &[Row], losses: &[f64], kept: [bool; 3]) -> Option<Row> {
    let inverse = inverse(normal(rows, kept))?;
    let right = [0, 1, 2].map(|i| {
        if kept[i] {
            rows.iter()
                .zip(losses)
                .map(|(row, loss)| row[i] * loss)
                .sum()
        } else {
            0.0
        }
    });
    Some([0, 1, 2].map(|i| dot(inverse[i], right)))
}

/// The inverse by its cofactors; none where rows of it say the same.
fn inverse(of: Square) -> Option<Square> {
    let minor = |r: usize, c: usize| {
        let (a, b) = ((r + 1) % 3, (r + 2) % 3);
        let (d, e) = ((c + 1) % 3, (c + 2) % 3);
        of[a][d] * of[b][e] - of[a][e] * of[b][d]
    };
    let determinant = (0..3).map(|c| of[0][c] * minor(0, c)).sum::<f64>();
    let size = (0..3).map(|i| of[i][i]).product::<f64>();
    if determinant.abs() <= 1e-13 * size.abs().max(f64::MIN_POSITIVE) {
        return None;
    }
    let mut inverse = [[0.0; 3]; 3];
    for (r, line) in inverse.iter_mut().enumerate() {
        for (c, cell) in line.iter_mut().enumerate() {
            *cell = minor(c, r) / determinant;
        }
    }
    Some(inverse)
}

/// Points that the others do not expect: left out of the fit, further from it than half as much
/// again as the 95 % interval of what the rest expects there (deleted residuals, Belsley, Kuh and
/// Welsch 1980, 2.1).
fn out_of_line(rows: &[Row], losses: &[f64]) -> Vec<usize> {
    if rows.len() < 6 {
        return Vec::new();
    }
    // Of very many points none bends the law, and each without the others would take for ever.
    if rows.len() > MANY {
        let (law, _) = least_squares(rows, losses);
        let off: Vec<f64> = rows
            .iter()
            .zip(losses)
            .map(|(row, loss)| (loss - dot(*row, law)).abs())
            .collect();
        let spread = (off.iter().map(|it| it * it).sum::<f64>() / off.len() as f64).sqrt();
        let size = losses.iter().fold(0.0_f64, |most, it| most.max(it.abs()));
        let most = (FAR * spread).max(1e-6 * size);
        return (0..off.len()).filter(|it| off[*it] > most).collect();
    }
    let is_out = |index: &usize| {
        let others = || (0..rows.len()).filter(|it| it != index);
        let (kept_rows, kept_losses): (Vec<Row>, Vec<f64>) =
            others().map(|it| (rows[it], losses[it])).unzip();
        let (law, kept) = least_squares(&kept_rows, &kept_losses);
        let squares: f64 = others()
            .map(|it| (losses[it] - dot(rows[it], law)).powi(2))
            .sum();
        let dof = (rows.len() - 1)
            .saturating_sub(kept.iter().filter(|it| **it).count())
            .max(1);
        // A point at the end of the range is expected less surely than one in the middle.
        let own = [0, 1, 2].map(|it| if kept[it] { rows[*index][it] } else { 0.0 });
        let lever = inverse(normal(&kept_rows, kept)).map_or(0.0, |of| variance(of, own).max(0.0));
        let spread = (squares / dof as f64 * (1.0 + lever)).sqrt();
        let size = losses.iter().fold(0.0_f64, |most, it| most.max(it.abs()));
        (losses[*index] - dot(rows[*index], law)).abs()
            > (1.5 * student(dof) * spread).max(1e-6 * size)
    };
    (0..rows.len()).filter(is_out).collect()
}

fn sentence(law: Row, plus_minus: Option<Row>, range: [f64; 2]) -> String {
    use crate::ground::say::Amount;
    use crate::ground::say::percent;
    let idle = Known {
        value: law[0],
        plus_minus: plus_minus.map_or(0.0, |it| it[0]),
    };
    let mut text = format!(
        "Idle {}: {} a day",
        idle.words("W"),
        Amount(law[0] * 24.0, "Wh")
    );
    if law[1] > 0.0 {
        text += &format!("; {} of the load", percent(law[1]));
    }
    if law[2] > 0.0 {
        text += &format!(
            "; {} at {} with its square",
            Amount(law[2] * range[1] * range[1], "W"),
            Amount(range[1], "W")
        );
    }
    text + &format!(
        ". Measured from {} to {}.",
        Amount(range[0], "W"),
        Amount(range[1], "W")
    )
}
