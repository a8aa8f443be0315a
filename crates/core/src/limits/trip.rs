//! Limits that switch something off when they are exceeded for too long.

use super::bound::{Bound, Measure};
use super::finding::Code;
use super::gauge::gauges;
use super::verdict::Levels;
use crate::network::{Network, Solver};
use crate::plan::{Arrangement, Plan};

/// A limit with a breaker behind it: of a port, a group of ports, a converter's input or output, or a battery.
#[derive(Debug, Clone)]
pub(crate) struct Breaker {
    pub(crate) code: Code,
    /// What it guards: `item/port`, `item/group`, or an item.
    pub(crate) place: String,
    pub(crate) name: String,
    pub(crate) unit: &'static str,
    pub(crate) levels: Levels,
    measure: Measure,
}

/// Every breaker of an arrangement.
pub(crate) fn breakers(plan: &Plan, way: &Arrangement, network: &Network) -> Vec<Breaker> {
    let trips = |code: Code| {
        matches!(
            code,
            Code::PortLimit
                | Code::GroupLimit
                | Code::ConverterInputCurrent
                | Code::ConverterOutputLimit
                | Code::BatteryCurrent
        )
    };
    let all = gauges(plan, way, network).into_iter().filter(|it| trips(it.code));
    all.filter_map(|it| {
        let Bound::Levels(levels) = it.bound else { return None };
        Some(Breaker { code: it.code, place: it.place, name: it.name, unit: it.unit, levels, measure: it.measure })
    })
    .collect()
}

impl Breaker {
    /// What flows through it; none where it is dark.
    pub(crate) fn value(&self, solver: &Solver<'_>) -> Option<f64> {
        self.measure.value(solver)
    }
}

impl Levels {
    /// For how long a value is carried, s; endless up to the continuous level and where only a figure without a time
    /// covers it, 0 above every level.
    ///
    /// Between two timed levels the seconds are interpolated on their logarithm; up to the first of them its own hold.
    ///
    /// ```
    /// use ash_pond_core::limits::Levels;
    /// let outlet = Levels { continuous: 600.0, overload: vec![(900.0, Some(10.0)), (1200.0, Some(0.1))] };
    /// assert_eq!(outlet.carried_s(600.0), f64::INFINITY);
    /// assert_eq!(outlet.carried_s(700.0), 10.0);
    /// assert!((outlet.carried_s(1050.0) - 1.0).abs() < 1e-9);
    /// assert_eq!(outlet.carried_s(1300.0), 0.0);
    /// ```
    pub fn carried_s(&self, value: f64) -> f64 {
        let within = |limit: f64| value <= limit * (1.0 + 1e-9);
        if within(self.continuous) {
            return f64::INFINITY;
        }
        let mut timed: Vec<(f64, f64)> = self.overload.iter().filter_map(|it| Some((it.0, it.1?))).collect();
        timed.sort_by(|a, b| a.0.total_cmp(&b.0));
        if let Some(at) = timed.iter().position(|it| within(it.0)) {
            let (level, seconds) = timed[at];
            let Some((before, longer)) = at.checked_sub(1).map(|it| timed[it]) else { return seconds };
            if seconds <= 0.0 || longer <= 0.0 {
                return seconds;
            }
            let share = (value - before) / (level - before);
            return (longer.ln() + share * (seconds.ln() - longer.ln())).exp();
        }
        if self.overload.iter().any(|it| it.1.is_none() && within(it.0)) { f64::INFINITY } else { 0.0 }
    }

    /// The next level above a value at which something changes: the continuous one, or one that it is carried up to
    /// without a stated time.
    pub fn edge_above(&self, value: f64) -> f64 {
        let untimed = self.overload.iter().filter(|it| it.1.is_none()).map(|it| it.0);
        let edges = std::iter::once(self.continuous).chain(untimed).filter(|it| value <= it * (1.0 + 1e-9));
        edges.fold(f64::INFINITY, f64::min)
    }

    /// The time in which it cools down from just tripping, s: that of the first overload that states one.
    pub fn cools_s(&self) -> f64 {
        let timed = self.overload.iter().filter_map(|it| it.1);
        timed.fold(0.0, f64::max)
    }
}
