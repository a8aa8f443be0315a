//! How what was drawn ran ahead of what is drawn on the whole, or stayed behind it, because of what
//! happened to be busy, as a run draws it beside its figures (a random walk, Brown's). Without it a
//! charge that was read to a point would be taken to say how much is drawn in all the hours to
//! come.

use super::observed::{BUSY_S, sway};
use super::world::{Run, World};
use crate::site::chemistry::{self, Chemistry};
use crate::site::plan::{Arrangement, Plan};
use std::collections::BTreeMap;

/// Stretches into which the time up to now is cut; in each, one share more or less is drawn.
const STRETCHES: usize = 4;

/// How far each store is ahead.
#[derive(Debug, Clone)]
pub(super) struct Ahead {
    stores: Vec<Sways>,
    /// The place of the store that an item hangs on, or is, by its id.
    hangs: BTreeMap<String, usize>,
    now_s: f64,
}

/// How what is drawn from a store sways.
#[derive(Debug, Clone)]
struct Sways {
    /// The variance of a mean of it over a second, as a share of its square, s: over a longer time
    /// it falls as the time grows.
    share_s: f64,
    /// What is drawn in an hour of all that is stored, 1/h.
    drawn: f64,
    cells: Option<(f64, &'static Chemistry)>,
}

impl Ahead {
    /// How it is up to a moment, h, of what hangs as it does in `way`; `volts` are those at each
    /// store.
    pub(super) fn of(
        plan: &Plan,
        way: &Arrangement,
        world: &World,
        volts: &[f64],
        now_h: f64,
    ) -> Self {
        let mut hangs: BTreeMap<String, usize> = BTreeMap::new();
        for (store, id) in world.stores.iter().enumerate() {
            hangs.insert(id.clone(), store);
            for to in way
                .feeds
                .iter()
                .map(|it| it.to.item.as_str())
                .filter(|it| way.hangs_on(it, id))
            {
                hangs.entry(to.to_owned()).or_insert(store);
            }
        }
        let one = |(store, id): (usize, &String)| {
            let own = plan
                .kit
                .devices
                .iter()
                .filter(|it| hangs.get(it.id.as_str()) == Some(&store));
            let watts: f64 = own.map(|it| crate::network::average(it).watts).sum();
            let battery = plan.source(id).and_then(|it| it.battery.as_ref());
            let stored_wh = battery.map_or(0.0, |it| match (&it.energy_wh, &it.capacity_ah) {
                (Some(energy), _) => energy.get(),
                (None, Some(capacity)) => capacity.get() * volts[store],
                (None, None) => 0.0,
            });
            let share = if watts > 0.0 {
                (sway(plan, way, id) / watts).powi(2)
            } else {
                0.0
            };
            let drawn = if stored_wh > 0.0 {
                watts / stored_wh
            } else {
                0.0
            };
            let cells = battery
                .and_then(|it| Some((it.cells.as_ref()?.get(), chemistry::find(&it.chemistry)?)));
            Sways {
                share_s: share * BUSY_S,
                drawn,
                cells,
            }
        };
        let stores = world.stores.iter().enumerate().map(one).collect();
        Self {
            stores,
            hangs,
            now_s: now_h * 3600.0,
        }
    }

    /// The store that an item hangs on, or is, by its place.
    pub(super) fn store_of(&self, item: &str) -> Option<usize> {
        self.hangs.get(item).copied()
    }

    /// How many deviates it is drawn from.
    pub(super) fn size(&self) -> usize {
        self.stores.len() * STRETCHES
    }

    /// By which share more is drawn from a store at a moment, s; nothing of what is still to come.
    fn more(&self, store: usize, z: &[f64], at_s: f64) -> f64 {
        if at_s > self.now_s + 1.0 || self.now_s <= 0.0 {
            return 0.0;
        }
        let long_s = self.now_s / STRETCHES as f64;
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "a few stretches"
        )]
        let place = ((at_s / long_s).max(0.0) as usize).min(STRETCHES - 1);
        z[store * STRETCHES + place] * (self.stores[store].share_s / long_s.max(BUSY_S)).sqrt()
    }

    /// Puts what some deviates make of it into a run that was looked at at some moments, s: into
    /// what meters show and what is left at them, and into what is lost how much earlier.
    pub(super) fn put(&self, run: &mut Run, z: &[f64], moments: &[f64], floors: &[f64]) {
        run.ahead_h = vec![0.0; self.stores.len()];
        for (store, own) in self
            .stores
            .iter()
            .enumerate()
            .filter(|it| it.1.share_s > 0.0)
        {
            let (mut before_s, mut before) = (0.0, run.meters[store].soc_at_start);
            let mut moved = 0.0;
            for (look, at_s) in run.looks.iter_mut().zip(moments) {
                // The middle of what lies between two looks says whose stretch it was.
                moved -= (before - look.soc[store]).max(0.0)
                    * self.more(store, z, f64::midpoint(before_s, *at_s));
                (before_s, before) = (*at_s, look.soc[store]);
                let soc = (before + moved).clamp(floors[store].min(before), 1.0);
                if let Some((cells, chemistry)) = own.cells {
                    look.volts[store] += cells * (chemistry.cell_v(soc) - chemistry.cell_v(before));
                }
                look.soc[store] = soc;
                if look.amps[store] > 0.0 {
                    let more = 1.0 + self.more(store, z, *at_s);
                    look.amps[store] *= more;
                    look.out_w[store] *= more;
                }
            }
            run.ahead_h[store] = if own.drawn > 0.0 {
                -moved / own.drawn
            } else {
                0.0
            };
        }
    }

    /// When what a run has at a time (h) comes by what was drawn up to now, and by what will happen
    /// to be busy; nothing that is over moves.
    pub(super) fn comes(&self, run: &Run, item: &str, at_h: f64, hours: f64) -> f64 {
        let now_h = self.now_s / 3600.0;
        let Some(store) = self.store_of(item).filter(|_| !run.ahead_h.is_empty()) else {
            return at_h;
        };
        if at_h <= now_h || at_h >= hours - 1e-6 {
            return at_h;
        }
        let left_h = at_h - now_h - run.ahead_h[store];
        let sd = (self.stores[store].share_s / (left_h * 3600.0).max(BUSY_S)).sqrt();
        (now_h + left_h * (1.0 + sd * run.sways).max(0.1)).min(hours)
    }
}
