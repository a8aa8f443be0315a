//! What some chains on one source come to: put together, judged and marched.

use crate::advice::shelf::board::{MENDED_BY_LOAD, lasts_h, lay, least_margin};
use crate::advice::shelf::cell::RunCell;
use crate::advice::shelf::runs::LENGTH_M;
use crate::limits::{Code, Judged, Status, judged};
use crate::network::Charge;
use crate::site::plan::{Arrangement, Feed, Outage, Plan, Port};
use crate::time::day::{day, with_their_load};

/// What some chains on one source come to, at best.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Set {
    pub(super) hours: f64,
    pub(super) drawn_wh_day: f64,
    pub(super) least_margin: f64,
    /// Whether it trips in a way that no more load mends.
    pub(super) trips: bool,
}

/// What everything is judged on.
pub(super) struct Ground<'a> {
    pub(super) plan: &'a Plan,
    /// The same with no port that turns itself off, and nothing drawn for being on at those:
    /// nothing lasts longer than there.
    pub(super) unceasing: Option<Plan>,
    pub(super) outage: Outage,
    /// Whether anything may be switched by hand.
    pub(super) switched: bool,
}

/// How a set of chains is judged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Leads {
    /// Without leads and fuses, which make nothing better: what may become of it at best.
    None,
    /// With its leads and fuses.
    Laid,
}

impl<'a> Ground<'a> {
    pub(super) fn of(plan: &'a Plan, outage: Outage, switched: bool) -> Self {
        let ends = |it: &Port| it.auto_off.is_some();
        let unceasing = plan
            .kit
            .sources
            .iter()
            .any(|it| it.ports.iter().any(ends))
            .then(|| {
                let mut plan = plan.clone();
                for port in plan
                    .kit
                    .sources
                    .iter_mut()
                    .flat_map(|it| &mut it.ports)
                    .filter(|it| ends(it))
                {
                    port.auto_off = None;
                    if let Some(loss) = &mut port.loss {
                        loss.idle_w = None;
                    }
                }
                plan
            });
        Self {
            plan,
            unceasing,
            outage,
            switched,
        }
    }

    /// The chains of some cells in one; none where a part would stand in two places.
    pub(super) fn way(&self, cells: &[&RunCell], leads: Leads) -> Option<Arrangement> {
        let mut way = Arrangement::of_feeds(Vec::new());
        let mut carried: Vec<usize> = Vec::new();
        for feed in cells
            .iter()
            .filter_map(|it| it.arrangement.as_ref())
            .flat_map(|it| &it.feeds)
        {
            match way.feeds.iter().position(|it| it.to == feed.to) {
                Some(at) if way.feeds[at].from == feed.from => carried.push(at),
                Some(_) => return None,
                None => way.feeds.push(feed.clone()),
            }
        }
        match leads {
            Leads::None => {
                for feed in &mut way.feeds {
                    (feed.cable, feed.fuse) = (None, None);
                }
            }
            // Leads that carry more than when they were chosen are chosen anew.
            Leads::Laid if !carried.is_empty() => {
                lay(self.plan, &mut way, LENGTH_M);
            }
            Leads::Laid => {}
        }
        Some(way)
    }

    pub(super) fn judged(&self, cells: &[&RunCell], leads: Leads) -> Option<Set> {
        let way = self.way(cells, leads)?;
        let found = judged(self.plan, &way);
        Some(self.best(&way, &found, leads))
    }

    /// What an arrangement comes to at best, by what was judged of it.
    pub(super) fn best(&self, way: &Arrangement, found: &[Judged], leads: Leads) -> Set {
        let left_on = self.set(way, found, leads);
        if !self.switched {
            return left_on;
        }
        // The best that switching may come to: nothing is on without its load.
        let load = with_their_load(self.plan, way);
        if load == *way {
            return left_on;
        }
        let switched = self.set(&load, &judged(self.plan, &load), leads);
        if left_on.trips || switched.trips {
            return if left_on.trips { switched } else { left_on };
        }
        Set {
            hours: left_on.hours.max(switched.hours),
            drawn_wh_day: left_on.drawn_wh_day.min(switched.drawn_wh_day),
            least_margin: left_on.least_margin.max(switched.least_margin),
            trips: false,
        }
    }

    fn set(&self, way: &Arrangement, found: &[Judged], leads: Leads) -> Set {
        // What a lead mends is not held against what has none yet.
        let mended = |code: Code| {
            MENDED_BY_LOAD.contains(&code) || leads == Leads::None && code == Code::FuseMissing
        };
        let trips = found
            .iter()
            .any(|it| it.status == Status::Trips && !mended(it.code));
        let hours = if trips { 0.0 } else { self.at_most_h(way) };
        let drawn_wh_day = day(self.plan, way, &Charge::full()).drawn_wh;
        Set {
            hours,
            drawn_wh_day,
            least_margin: least_margin(found),
            trips,
        }
    }

    /// The longest that it and everything with more on it may last, h: a port that turns itself off
    /// may be kept on by more.
    pub(super) fn at_most_h(&self, way: &Arrangement) -> f64 {
        let turns_off = |it: &Feed| {
            self.plan
                .port(&it.from)
                .is_some_and(|it| it.auto_off.is_some())
        };
        match self
            .unceasing
            .as_ref()
            .filter(|_| way.feeds.iter().any(turns_off))
        {
            Some(plan) => self.lasts_on(plan, way),
            None => self.lasts_h(way),
        }
    }

    pub(super) fn lasts_h(&self, way: &Arrangement) -> f64 {
        self.lasts_on(self.plan, way)
    }

    pub(super) fn lasts_on(&self, plan: &Plan, way: &Arrangement) -> f64 {
        lasts_h(plan, way, &self.outage).unwrap_or_else(|| self.outage.hours.get())
    }
}
