//! Numbers drawn by chance.

use rand::RngExt;
use rand::rngs::StdRng;

/// A number from the standard normal distribution (Box and Muller 1958).
pub(crate) fn normal(rng: &mut StdRng) -> f64 {
    let (first, second): (f64, f64) = (rng.random(), rng.random());
    (-2.0 * (1.0 - first).ln()).sqrt() * (std::f64::consts::TAU * second).cos()
}
