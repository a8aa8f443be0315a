//! What an outage costs the stores in life: cycles and their depth against the life by depth, its
//! maker's or its chemistry's.
//!
//! Swings of the charge are counted by rainflow (Matsuishi and Endo 1968; ASTM E1049, 5.4.4) and
//! added by Miner's rule (1945): a cycle of depth d is 1/N(d) of a life, a half one half of that.

use super::result::Simulation;
use crate::ground::figure::Figure;
use crate::ground::say::{Sentence, percent};
use crate::site::battery::cycles_at;
use crate::site::plan::Plan;
use crate::time::life::two_digits;
use serde::Serialize;
use std::collections::BTreeMap;

/// What an outage does to one store.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Wear {
    /// The deepest swing of its charge, 0 to 1.
    pub depth: f64,
    /// Its lowest charge, 0 to 1.
    pub lowest: f64,
    /// Share of its life that is used, 0 to 1.
    pub life: f64,
    /// How many such outages it bears; none where it was not used.
    pub outages: Option<f64>,
    /// What that is worth, in the site's currency, where its price is known.
    pub cost: Option<f64>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// Swings of a series as depths and how many of each: whole ones 1, halves 0.5.
///
/// ```
/// use ash_pond_core::time::outage::swings;
/// // Down by 0.6, up by 0.2 and down again on the way: one whole swing of 0.2 in a half one of 0.6.
/// assert_eq!(swings(&[1.0, 0.7, 0.9, 0.4]), [(0.2, 1.0), (0.6, 0.5)]);
/// ```
pub fn swings(series: &[f64]) -> Vec<(f64, f64)> {
    let round = |it: f64| (it * 1e9).round() / 1e9;
    let mut turns: Vec<f64> = Vec::new();
    for value in series {
        match turns.as_slice() {
            [.., last] if (last - value).abs() < 1e-12 => {}
            [.., before, last] if (last - before) * (value - last) > 0.0 => {
                if let Some(it) = turns.last_mut() {
                    *it = *value;
                }
            }
            _ => turns.push(*value),
        }
    }
    let mut found = Vec::new();
    let mut stack: Vec<f64> = Vec::new();
    for turn in turns {
        stack.push(turn);
        while let [.., a, b, c] = stack.as_slice() {
            let (new, old) = ((c - b).abs(), (b - a).abs());
            if new < old {
                break;
            }
            if stack.len() == 3 {
                found.push((round(old), 0.5));
                stack.remove(0);
            } else {
                found.push((round(old), 1.0));
                let last = stack.len() - 1;
                stack.drain(last - 2..last);
            }
        }
    }
    found.extend(
        stack
            .windows(2)
            .map(|it| (round((it[1] - it[0]).abs()), 0.5)),
    );
    found
}

/// The wear of every store of a simulation with a series.
pub fn wear(plan: &Plan, found: &Simulation) -> BTreeMap<String, Wear> {
    let stores = found.sources.iter().filter_map(|(id, run)| {
        let source = plan.source(id)?;
        let battery = source.battery.as_ref()?;
        let mut charges: Vec<f64> = run.series.iter().map(|it| it[1]).collect();
        charges.push(run.end_soc);
        let lowest = charges.iter().copied().fold(1.0, f64::min);
        let swings = swings(&charges);
        let life: f64 = swings
            .iter()
            .map(|(depth, count)| count / cycles_at(battery, *depth))
            .sum();
        let depth = swings.iter().map(|it| it.0).fold(0.0, f64::max);
        let price = source.price.as_ref().map(Figure::get);
        let outages = (life > 0.0).then(|| 1.0 / life);
        let sentence = match outages {
            Some(outages) => format!(
                "{}: down to {}, a swing of {}; it bears about {:.0} of these.",
                source.label,
                percent(lowest),
                percent(depth),
                two_digits(outages)
            ),
            None => format!("{}: not used.", source.label),
        };
        Some((
            id.clone(),
            Wear {
                depth,
                lowest,
                life,
                outages,
                cost: price.map(|it| it * life),
                sentence: sentence.into(),
            },
        ))
    });
    stores.collect()
}
