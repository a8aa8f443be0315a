//! An arrangement compiled once, for everything that its limits are asked.

use super::gauge::{Gauge, lasts};
use super::gauges::gauges;
use super::verdict::Lasts;
use crate::network::{Load, Moment, Network, moments};
use crate::site::plan::{Arrangement, Plan, fed};
use std::collections::BTreeSet;

/// An arrangement at the site's temperature: its network, every limit of it, and the moments that
/// happen on it. Findings, boards, windows, verdicts and weakest links are all read from one.
pub(crate) struct Study<'a> {
    pub(crate) plan: &'a Plan,
    pub(crate) way: &'a Arrangement,
    /// What it is an island of; else itself. Moments last as they do there.
    whole: &'a Arrangement,
    network: Network,
    pub(super) gauges: Vec<Gauge>,
    pub(super) moments: Vec<Moment>,
}

impl<'a> Study<'a> {
    /// Of an arrangement, with the moments that happen on it: not the start of what starts on
    /// another one.
    pub(crate) fn of(plan: &'a Plan, way: &'a Arrangement) -> Self {
        let mut here = moments(plan, way);
        here.retain(|it| it.place(plan, way).id == way.id);
        Self::at(plan, way, here)
    }

    /// Of an arrangement at some moments alone.
    pub(super) fn at(plan: &'a Plan, way: &'a Arrangement, moments: Vec<Moment>) -> Self {
        Self::within(plan, (way, way), moments)
    }

    /// Of an island of an arrangement without starts elsewhere: see [`Arrangement::islands`].
    pub(crate) fn of_island(
        plan: &'a Plan,
        island: &'a Arrangement,
        whole: &'a Arrangement,
    ) -> Self {
        let fed: BTreeSet<&str> = fed(plan, island).map(|it| it.id.as_str()).collect();
        let mut here = moments(plan, whole);
        here.retain(|it| match it {
            Moment::Starting(id) | Moment::Stopping(id) => fed.contains(id.as_str()),
            _ => true,
        });
        Self::within(plan, (island, whole), here)
    }

    fn within(
        plan: &'a Plan,
        (way, whole): (&'a Arrangement, &'a Arrangement),
        moments: Vec<Moment>,
    ) -> Self {
        let network = Network::build(plan, way, plan.site.ambient());
        Self {
            plan,
            way,
            whole,
            gauges: gauges(plan, way, &network),
            network,
            moments,
        }
    }

    /// The compiled arrangement.
    pub(crate) fn network(&self) -> &Network {
        &self.network
    }

    /// What is drawn at a moment.
    pub(super) fn loads(&self, moment: &Moment) -> Vec<Load> {
        moment.loads(self.plan, self.way, &self.network)
    }

    /// How long a moment lasts.
    pub(super) fn lasts(&self, moment: &Moment) -> Lasts {
        lasts(moment, self.plan, self.whole)
    }
}
