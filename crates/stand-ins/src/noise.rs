//! What a display makes of a true value: lag, noise, a range with its step.

use rand::prelude::*;
use std::time::Instant;

/// A channel of a meter.
#[derive(Debug)]
pub struct Channel {
    /// Noise of a reading as a share of it, one standard deviation.
    share: f64,
    /// The ranges, each with the step that it shows; the last one's end is the most that can be
    /// read.
    ranges: &'static [(f64, f64)],
    shown: Option<f64>,
    since: Instant,
    random: SmallRng,
}

/// Seconds in which a display comes two thirds of its way to a new value.
const LAG_S: f64 = 0.25;

impl Channel {
    /// A channel; the same seed shows the same noise.
    pub fn new(share: f64, ranges: &'static [(f64, f64)], seed: u64) -> Self {
        Self {
            share,
            ranges,
            shown: None,
            since: Instant::now(),
            random: SmallRng::seed_from_u64(seed),
        }
    }

    /// What it shows while the true value is `value`; none beyond its last range.
    pub fn read(&mut self, value: f64) -> Option<f64> {
        let passed = self.since.elapsed().as_secs_f64();
        self.since = Instant::now();
        let before = self.shown.unwrap_or(value);
        let settled = value + (before - value) * (-passed / LAG_S).exp();
        self.shown = Some(settled);
        // The sum of twelve uniform numbers less six is as good as normal here, and bounded.
        let normal = (0..12).map(|_| self.random.random::<f64>()).sum::<f64>() - 6.0;
        let noisy = settled * (1.0 + self.share * normal);
        let step = self.ranges.iter().find(|it| noisy.abs() <= it.0)?.1;
        Some((noisy / step).round() * step)
    }

    /// Lets it show a new value at once, as after its leads were moved.
    pub fn settle(&mut self) {
        self.shown = None;
    }
}

#[cfg(test)]
mod tests {
    use super::Channel;

    const RANGES: &[(f64, f64)] = &[(4.0, 0.001), (40.0, 0.01), (400.0, 0.1)];

    #[test]
    fn a_range_has_its_step_and_an_end() {
        let mut channel = Channel::new(0.0, RANGES, 1);
        assert_eq!(channel.read(3.123_4), Some(3.123));
        channel.settle();
        assert_eq!(channel.read(31.234), Some(31.23));
        channel.settle();
        assert_eq!(channel.read(500.0), None);
    }

    #[test]
    fn noise_is_about_as_wide_as_said_and_the_lag_comes_near() {
        let mut channel = Channel::new(0.01, RANGES, 7);
        let reads: Vec<f64> = (0..2000).filter_map(|_| channel.read(20.0)).collect();
        let mean = reads.iter().sum::<f64>() / reads.len() as f64;
        let spread =
            (reads.iter().map(|it| (it - mean).powi(2)).sum::<f64>() / reads.len() as f64).sqrt();
        assert!(
            (mean - 20.0).abs() < 0.03 && (spread - 0.2).abs() < 0.02,
            "{mean} ± {spread}"
        );
        let mut slow = Channel::new(0.0, RANGES, 7);
        slow.read(10.0);
        let at_once = slow.read(20.0).unwrap();
        assert!(at_once < 11.0, "{at_once}");
    }
}
