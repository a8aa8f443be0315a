//! Sizes of lead: every lead of a whole set of chains in every size that a person named, by branch
//! and bound.
//!
//! Lead by lead, the one that loses most first. Leads that have no size yet are none, which makes
//! nothing worse and costs as little as the cheapest that carries: what is judged and marched so
//! bounds what becomes of it. A branch is left where a lead that has its size does not hold, or
//! where the bound can better no member of the front in anything. With all sizes each lead gets its
//! fuse, and everything is judged again.

use super::ground::Leads;
use super::search::{Bound, Left, Search};
use super::stock::Bought;
use crate::advice::fits::Sizes;
use crate::advice::shelf::board::leads_of;
use crate::advice::shelf::runs::LENGTH_M;
use crate::ground::work;
use crate::limits::judged;
use crate::site::plan::Arrangement;

impl Search<'_> {
    /// Takes a whole set of chains into the front in each choice of sizes that nothing betters.
    pub(super) fn in_sizes(&mut self, way: &Arrangement, left: &mut Left) {
        let mut bare = way.clone();
        let feeds = leads_of(self.plan, way, LENGTH_M);
        for (index, _) in &feeds {
            (bare.feeds[*index].cable, bare.feeds[*index].fuse) = (None, None);
        }
        if feeds.is_empty() {
            self.take_each(&bare, Bought::default());
            return;
        }
        let areas: Vec<f64> = self.ask.leads.iter().map(|it| it.area_mm2).collect();
        let Some(sizes) = Sizes::of(self.plan, &bare, &feeds, &areas) else {
            return;
        };
        let parts = self.bought(bare.feeds.iter().map(|it| it.from.item.as_str()));
        self.next_lead(&sizes, 0, &bare, (parts, Bought::default()), left);
    }

    /// What the leads from a place on cost and weigh at least.
    fn least(&self, sizes: &Sizes<'_>, from: usize) -> Bought {
        let one = |at: usize| {
            let all = self
                .ask
                .leads
                .iter()
                .filter(|it| sizes.carries(at, it.area_mm2));
            let all = all.map(|it| Bought::lead(*it, sizes.length_m(at)));
            all.reduce(Bought::least_of).unwrap_or_default()
        };
        (from..sizes.len())
            .map(one)
            .fold(Bought::default(), Bought::and)
    }

    /// Gives the lead at a place each of its sizes, the cheapest first.
    fn next_lead(
        &mut self,
        sizes: &Sizes<'_>,
        at: usize,
        way: &Arrangement,
        (parts, leads): (Bought, Bought),
        left: &mut Left,
    ) {
        if at == sizes.len() {
            let Some(whole) = sizes.fused(way) else {
                return;
            };
            if sizes.hold(&judged(self.plan, &whole), at, true) {
                self.take_each(&whole, leads);
            }
            return;
        }
        let rest = self.least(sizes, at + 1);
        let mut offered = self.ask.leads.clone();
        // Of those that cost the same the thickest.
        offered.sort_by(|a, b| {
            a.price_m
                .total_cmp(&b.price_m)
                .then(b.area_mm2.total_cmp(&a.area_mm2))
        });
        for size in offered
            .into_iter()
            .filter(|it| sizes.carries(at, it.area_mm2))
        {
            work::step();
            let leads = leads.and(Bought::lead(size, sizes.length_m(at)));
            let bought = parts.and(leads);
            if !self.may_buy(&bought.and(rest)) {
                continue;
            }
            let mut with = way.clone();
            sizes.put(&mut with, at, size.area_mm2);
            let found = judged(self.plan, &with);
            if !sizes.hold(&found, at + 1, false) {
                continue;
            }
            let set = self.ready.ground.best(&with, &found, Leads::None);
            if set.trips {
                continue;
            }
            let bound = Bound::of(&set, bought.and(rest));
            if self.is_worse(&bound) {
                continue;
            }
            self.tried += 1;
            if self.tried >= self.ask.most {
                left.stop(&bound);
                continue;
            }
            self.next_lead(sizes, at + 1, &with, (parts, leads), left);
        }
    }
}
