//! What a campaign tried, and what it lost, as a table in Markdown.

use std::fmt;

/// A line: one kind of trial.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// What was tried.
    pub what: String,
    /// How often.
    pub tried: u64,
    /// How much of it went wrong; 0 is what is hoped for.
    pub lost: u64,
    /// More of it, in words.
    pub told: String,
}

/// All lines of a campaign.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Table {
    /// They, in their order.
    pub lines: Vec<Line>,
}

impl Table {
    /// Adds a line.
    pub fn add(&mut self, what: &str, tried: u64, lost: u64, told: impl Into<String>) {
        self.lines.push(Line {
            what: what.to_owned(),
            tried,
            lost,
            told: told.into(),
        });
    }

    /// Everything that went wrong.
    pub fn lost(&self) -> u64 {
        self.lines.iter().map(|it| it.lost).sum()
    }
}

impl fmt::Display for Table {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(
            f,
            "| what was tried | how often | lost | |\n|---|---|---|---|"
        )?;
        self.lines.iter().try_for_each(|it| {
            writeln!(
                f,
                "| {} | {} | {} | {} |",
                it.what, it.tried, it.lost, it.told
            )
        })
    }
}

/// The share of times that are at most so long, ms: 0.5 is the middle one. 0 where there are none.
pub fn percentile(times: &mut [f64], share: f64) -> f64 {
    times.sort_by(f64::total_cmp);
    let last = times.len().saturating_sub(1);
    let at = (0..=last)
        .find(|it| *it as f64 >= share * last as f64)
        .unwrap_or(last);
    times.get(at).copied().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::percentile;

    #[test]
    fn percentiles_of_a_hundred() {
        let mut times: Vec<f64> = (0..=100).rev().map(f64::from).collect();
        assert!(
            (percentile(&mut times, 0.5) - 50.0).abs() < 1e-9
                && (percentile(&mut times, 0.99) - 99.0).abs() < 1e-9
        );
        assert!(percentile(&mut [], 0.5).abs() < 1e-9);
    }
}
