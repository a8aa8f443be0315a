//! A figure over the years: what each test of it said, and how fast it drifts.

use super::meter::Known;

/// How a figure changes, by a straight line through its tests weighted by their ±: per year, with
/// the half-width of its 95 % interval. `of` holds years and values; none where fewer than two
/// tests lie a month or more apart.
///
/// The weights are 1/σ² with σ = ±/2 (weighted least squares); where the tests scatter more than
/// their ± say, the interval is as much wider (Birge ratio).
///
/// ```
/// use ash_pond_core::bench::{Known, drift};
/// let known = |value| Known { value, plus_minus: 2.0 };
/// let found = drift(&[(2023.0, known(80.0)), (2024.0, known(74.0)), (2025.0, known(68.0))]).unwrap();
/// assert!((found.value + 6.0).abs() < 1e-9 && found.plus_minus > 1.0);
/// assert!(drift(&[(2025.0, known(80.0))]).is_none());
/// ```
pub fn drift(of: &[(f64, Known)]) -> Option<Known> {
    let weight = |it: &Known| (2.0 / it.plus_minus.max(1e-9 + 1e-6 * it.value.abs())).powi(2);
    let sum: f64 = of.iter().map(|it| weight(&it.1)).sum();
    let mean = |at: &dyn Fn(&(f64, Known)) -> f64| {
        of.iter().map(|it| weight(&it.1) * at(it)).sum::<f64>() / sum
    };
    let (middle, level) = (mean(&|it| it.0), mean(&|it| it.1.value));
    let spread: f64 = of
        .iter()
        .map(|it| weight(&it.1) * (it.0 - middle).powi(2))
        .sum();
    let first = of.iter().map(|it| it.0).fold(f64::INFINITY, f64::min);
    let last = of.iter().map(|it| it.0).fold(f64::NEG_INFINITY, f64::max);
    if of.len() < 2 || last - first < 1.0 / 12.0 || spread <= 0.0 {
        return None;
    }
    let slope = of
        .iter()
        .map(|it| weight(&it.1) * (it.0 - middle) * (it.1.value - level))
        .sum::<f64>()
        / spread;
    let off = |it: &(f64, Known)| it.1.value - level - slope * (it.0 - middle);
    let squares: f64 = of.iter().map(|it| weight(&it.1) * off(it).powi(2)).sum();
    let ratio = if of.len() > 2 {
        (squares / (of.len() - 2) as f64).sqrt().max(1.0)
    } else {
        1.0
    };
    Some(Known {
        value: slope,
        plus_minus: 2.0 * ratio / spread.sqrt(),
    })
}
