//! Whether anything trips that lasts: one state against every limit, without words.

use super::bound::Bound;
use super::gauge::Gauge;
use super::gauges::gauges;
use super::verdict::{Lasts, Status};
use crate::network::{Network, Solver};
use crate::site::plan::{Arrangement, Plan};

/// The limits of a compiled arrangement that a lasting state may break.
pub(crate) struct Watch {
    gauges: Vec<Gauge>,
    tight_from: f64,
}

impl Watch {
    pub(crate) fn of(plan: &Plan, arrangement: &Arrangement, network: &Network) -> Self {
        let mut gauges = gauges(plan, arrangement, network);
        gauges.retain(|it| {
            matches!(
                it.bound,
                Bound::Levels(_)
                    | Bound::Fuse { .. }
                    | Bound::Lead { .. }
                    | Bound::Window { .. }
                    | Bound::Stands
            )
        });
        Self {
            gauges,
            tight_from: plan.site.tight_from(),
        }
    }

    /// Whether no limit trips in a solved state that lasts.
    pub(crate) fn stands(&self, solver: &Solver<'_>) -> bool {
        self.gauges.iter().all(|it| {
            let judged = it
                .value(solver)
                .map(|value| it.judge(value, Lasts::ForEver, self.tight_from, solver));
            judged.is_none_or(|(verdict, _)| verdict.status < Status::Trips)
        })
    }
}
