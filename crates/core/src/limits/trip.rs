//! Limits that switch something off when they are exceeded for too long.

use super::bound::Measure;
use super::code::Code;
use super::gauges::gauges;
use super::verdict::Levels;
use crate::network::{Network, Solver};
use crate::site::plan::{Arrangement, Plan};

/// A limit that switches something off: of a port, a group of ports, a converter's input or output,
/// a battery, or a fuse.
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
                | Code::FuseSize
        )
    };
    let all = gauges(plan, way, network)
        .into_iter()
        .filter(|it| trips(it.code));
    all.filter_map(|it| {
        let levels = it.bound.switches_off()?;
        let name = if it.code == Code::FuseSize {
            format!("the fuse of {}", it.name)
        } else {
            it.name
        };
        Some(Breaker {
            code: it.code,
            place: it.place,
            name,
            unit: it.unit,
            levels,
            measure: it.measure,
        })
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
    /// For how long a value is carried, s; endless up to the continuous level and where only a
    /// figure without a time covers it, 0 above every level.
    ///
    /// Above the continuous level it is the longest time that is stated for a level that covers the
    /// value: the same answer as [`judge`](super::judge) gives, so that what is judged to trip
    /// trips, and nothing else does.
    ///
    /// ```
    /// use ash_pond_core::limits::Levels;
    /// let outlet = Levels { continuous: 600.0, overload: vec![(900.0, Some(10.0)), (1200.0, Some(0.1))] };
    /// assert_eq!(outlet.carried_s(600.0), f64::INFINITY);
    /// assert_eq!(outlet.carried_s(700.0), 10.0);
    /// assert_eq!(outlet.carried_s(1050.0), 0.1);
    /// assert_eq!(outlet.carried_s(1300.0), 0.0);
    /// ```
    pub fn carried_s(&self, value: f64) -> f64 {
        let within = |limit: f64| value <= limit * (1.0 + 1e-9);
        if within(self.continuous) {
            return f64::INFINITY;
        }
        let covering = || self.overload.iter().filter(|it| within(it.0));
        if covering().any(|it| it.1.is_none()) {
            return f64::INFINITY;
        }
        covering().filter_map(|it| it.1).fold(0.0, f64::max)
    }

    /// The next level above a value at which something changes: the continuous one, or one that it
    /// is carried up to without a stated time.
    pub fn edge_above(&self, value: f64) -> f64 {
        let untimed = self
            .overload
            .iter()
            .filter(|it| it.1.is_none())
            .map(|it| it.0);
        let edges = std::iter::once(self.continuous)
            .chain(untimed)
            .filter(|it| value <= it * (1.0 + 1e-9));
        edges.fold(f64::INFINITY, f64::min)
    }

    /// The time in which it cools down from just tripping, s: that of the first overload that
    /// states one.
    pub fn cools_s(&self) -> f64 {
        let timed = self.overload.iter().filter_map(|it| it.1);
        timed.fold(0.0, f64::max)
    }
}
