//! The ways to feed one device, by number, and which of them another serves for.

use super::asked::LeadSize;
use super::ground::Set;
use super::stock::{Bought, is_to_buy};
use crate::advice::fits::worst_amps;
use crate::advice::shelf::board::{LEAST_BEHIND_LEAD, leads_of};
use crate::advice::shelf::cell::RunCell;
use crate::advice::shelf::runs::LENGTH_M;
use crate::ground::figure::Figure;
use crate::network::{Charge, Load, Moment, Network, Solver, evaluate, fed};
use crate::site::plan::{Arrangement, Device, Draw, From, Id, Material, Outage, Plan};
use crate::site::wire::planned_amps;
use crate::time::day::{alone_wh, day};
use std::collections::BTreeMap;

/// One way to feed one device.
pub(super) struct Choice {
    /// It alone.
    pub(super) cell: RunCell,
    pub(super) alone: Set,
    /// The source and the port that it hangs on.
    pub(super) first: From,
    /// Everything that it uses, by id, in the order in which it stands in the chain.
    pub(super) items: Vec<String>,
    /// The same by number: the source, what must be bought, and of those that are alike the group
    /// and the place there.
    pub(super) source: usize,
    pub(super) buys: Vec<usize>,
    pub(super) turns: Vec<(usize, usize)>,
    /// Each converter by number, and what feeds it: an item and its port.
    pub(super) fed: Vec<(usize, From)>,
    /// Every port that gives something in it.
    pub(super) ports: Vec<From>,
    /// What it draws while it runs, and while it starts, W.
    pub(super) draws_w: [f64; 2],
    /// What it draws more in a day at least where what it stands on is on already, Wh.
    pub(super) more_wh: f64,
    /// What it draws a day with its leads, Wh.
    laid_wh_day: f64,
    /// What the lead to its device costs and weighs at least, where sizes are chosen from.
    pub(super) least_lead: Bought,
}

impl Choice {
    pub(super) fn of(
        plan: &Plan,
        numbers: &Numbers,
        sizes: &[LeadSize],
        cell: RunCell,
        alone: Set,
    ) -> Option<Self> {
        let way = cell.arrangement.as_ref()?;
        let first = way.feeds.first()?.from.clone();
        let drawn = |moment: &Moment| {
            evaluate(plan, way, moment, &Charge::full())
                .map(|it| it.totals.drawn_w)
                .ok()
        };
        let draws_w = [drawn(&Moment::Running)?, drawn(&Moment::AllStarting)?];
        let items: Vec<String> = way
            .feeds
            .iter()
            .map(|it| it.from.item.to_string())
            .collect();
        let number = |id: &str| numbers.of.get(id).copied();
        let fed = way
            .feeds
            .iter()
            .filter_map(|it| Some((number(it.to.item.as_str())?, it.from.clone())))
            .collect();
        Some(Self {
            source: number(first.item.as_str())?,
            buys: items
                .iter()
                .filter(|id| is_to_buy(plan, id))
                .filter_map(|id| number(id))
                .collect(),
            turns: items
                .iter()
                .filter_map(|id| numbers.twins.get(id).copied())
                .collect(),
            fed,
            items,
            ports: way.feeds.iter().map(|it| it.from.clone()).collect(),
            more_wh: more_wh(plan, way, alone.drawn_wh_day),
            laid_wh_day: day(plan, way, &Charge::full()).drawn_wh,
            least_lead: least_lead(plan, way, sizes)?,
            first,
            draws_w,
            alone,
            cell,
        })
    }

    /// Whether this one is as good beside anything: on the same port, with no other outlet, drawing
    /// and spending no more. On a port that turns itself off, or behind an engine, more load can be
    /// the better one.
    pub(super) fn serves_for(&self, other: &Self, plan: &Plan) -> bool {
        let keeps_on = || {
            plan.port(&self.first)
                .is_some_and(|it| it.auto_off.is_some())
                || plan
                    .source(self.first.item.as_str())
                    .is_some_and(crate::site::plan::Source::runs)
        };
        self.first == other.first
            && self.ports.iter().all(|it| other.ports.contains(it))
            && self.alone.drawn_wh_day <= other.alone.drawn_wh_day
            && self.laid_wh_day <= other.laid_wh_day
            && self.alone.hours >= other.alone.hours
            && self.alone.least_margin >= other.alone.least_margin
            && self
                .draws_w
                .iter()
                .zip(&other.draws_w)
                .all(|(own, others)| own <= others)
            && !self.cell.wants_load
            && !keeps_on()
    }
}

/// What the last lead of a chain costs and weighs at least; nothing where that comes with its own
/// or no sizes are chosen from, and none where no size carries it.
fn least_lead(plan: &Plan, way: &Arrangement, sizes: &[LeadSize]) -> Option<Bought> {
    let last = way.feeds.len() - 1;
    let lead = leads_of(plan, way, LENGTH_M)
        .into_iter()
        .find(|it| it.0 == last && !sizes.is_empty());
    let Some((_, length_m)) = lead else {
        return Some(Bought::default());
    };
    let mut bare = way.clone();
    for feed in &mut bare.feeds {
        (feed.cable, feed.fuse) = (None, None);
    }
    // What draws by its voltage carries less behind a lead.
    let amps = worst_amps(plan, &bare, last) * LEAST_BEHIND_LEAD;
    let carries = |it: &&LeadSize| planned_amps(Material::Copper, it.area_mm2) >= amps;
    let each = sizes
        .iter()
        .filter(carries)
        .map(|it| Bought::lead(*it, length_m));
    each.reduce(Bought::least_of)
}

/// What the device of a chain draws more in a day at least, Wh, where everything before it is on
/// already: all of it without what the chain draws for being on. What draws less at a lower voltage
/// is taken to draw nothing.
fn more_wh(plan: &Plan, way: &Arrangement, drawn_wh_day: f64) -> f64 {
    let steady = |it: &Device| it.draw.is_none_or(|it| it == Draw::Power);
    let Some(device) = fed(plan, way).next().filter(|it| steady(it)) else {
        return 0.0;
    };
    let network = Network::build(plan, way, plan.site.ambient());
    let loads: Vec<Load> = Moment::Running
        .loads(plan, way, &network)
        .iter()
        .map(|it| it.times(0.0))
        .collect();
    let mut solver = Solver::new(&network);
    solver.solve(&loads, &network.open_volts(&Charge::full()));
    alone_wh(device).max(drawn_wh_day - 24.0 * solver.drawn_w())
}

/// Sources and converters by number, what must be bought of them, and which are alike.
pub(super) struct Numbers {
    pub(super) of: BTreeMap<String, usize>,
    pub(super) costs: Vec<Bought>,
    pub(super) twins: BTreeMap<String, (usize, usize)>,
}

impl Numbers {
    pub(super) fn of(plan: &Plan, outage: &Outage) -> Self {
        let stated = |owned: Option<bool>, price: Option<f64>, kilograms: Option<f64>| {
            let bought = owned == Some(false);
            let of = |it: Option<f64>| it.filter(|_| bought).unwrap_or(0.0);
            Bought {
                spend: of(price),
                weight_kg: of(kilograms),
                parts: usize::from(bought),
            }
        };
        let sources = plan.kit.sources.iter().map(|it| {
            let (price, kilograms) = (
                it.price.as_ref().map(Figure::get),
                it.weight_kg.as_ref().map(Figure::get),
            );
            (it.id.to_string(), stated(it.owned, price, kilograms))
        });
        let converters = plan.kit.converters.iter().map(|it| {
            let (price, kilograms) = (
                it.price.as_ref().map(Figure::get),
                it.weight_kg.as_ref().map(Figure::get),
            );
            (it.id.to_string(), stated(it.owned, price, kilograms))
        });
        let (ids, costs): (Vec<String>, Vec<Bought>) = sources.chain(converters).unzip();
        let of = ids
            .into_iter()
            .enumerate()
            .map(|(number, id)| (id, number))
            .collect();
        Self {
            of,
            costs,
            twins: twins(plan, outage),
        }
    }

    /// Money, weight and number of what must be bought, each once.
    pub(super) fn bought(&self, items: impl Iterator<Item = usize>) -> Bought {
        let mut all: Vec<usize> = items.collect();
        all.sort_unstable();
        all.dedup();
        all.into_iter().fold(Bought::default(), |sum, it| {
            let more = self.costs[it];
            Bought {
                spend: sum.spend + more.spend,
                weight_kg: sum.weight_kg + more.weight_kg,
                parts: sum.parts + more.parts,
            }
        })
    }
}

/// Choices without those that another serves for. What uses an item that `must` be part of the
/// answer is served for only by what does as well.
pub(super) fn served(plan: &Plan, all: Vec<Choice>, must: Option<&str>) -> Vec<Choice> {
    let uses = |it: &Choice| must.is_some_and(|id| it.items.iter().any(|item| item == id));
    let better = |at: usize, it: &Choice| {
        let serves = |(other_at, other): (usize, &Choice)| {
            other_at != at
                && (uses(other) || !uses(it))
                && other.serves_for(it, plan)
                && (other_at < at || !it.serves_for(other, plan))
        };
        all.iter().enumerate().any(serves)
    };
    let keep: Vec<bool> = all
        .iter()
        .enumerate()
        .map(|(at, it)| !better(at, it))
        .collect();
    all.into_iter()
        .zip(keep)
        .filter_map(|(it, keep)| keep.then_some(it))
        .collect()
}

/// Whether those that are alike are taken one after another: which of two equal boxes is used makes
/// no other answer.
pub(super) fn in_turn(used: &mut BTreeMap<usize, usize>, choice: &Choice) -> bool {
    for (group, place) in &choice.turns {
        let next = used.entry(*group).or_default();
        if place > next {
            return false;
        }
        if place == next {
            *next += 1;
        }
    }
    true
}

/// Items that are alike but for their names, and of which an outage names none.
fn twins(plan: &Plan, outage: &Outage) -> BTreeMap<String, (usize, usize)> {
    let named = |id: &str| {
        let at = |it: &Id| it.as_str() == id;
        outage.initial_soc.contains_key(id)
            || outage.charging.iter().any(|it| at(&it.source))
            || outage.carried.iter().any(|it| at(&it.source))
            || outage.runs.iter().any(|it| at(&it.source))
            || outage.rules.iter().any(|it| it.names().any(|it| it == id))
    };
    let bare = Id::own("one");
    let sources: Vec<_> = plan
        .kit
        .sources
        .iter()
        .map(|it| {
            (
                it.id.clone(),
                crate::site::plan::Source {
                    id: bare.clone(),
                    label: String::new(),
                    ..it.clone()
                },
            )
        })
        .collect();
    let converters: Vec<_> = plan
        .kit
        .converters
        .iter()
        .map(|it| {
            (
                it.id.clone(),
                crate::site::plan::Converter {
                    id: bare.clone(),
                    label: String::new(),
                    ..it.clone()
                },
            )
        })
        .collect();
    let mut found = BTreeMap::new();
    alike(&sources, &named, &mut found);
    alike(&converters, &named, &mut found);
    found
}

fn alike<T: PartialEq>(
    items: &[(Id, T)],
    named: &dyn Fn(&str) -> bool,
    found: &mut BTreeMap<String, (usize, usize)>,
) {
    for (at, (id, body)) in items.iter().enumerate() {
        if named(id.as_str()) || found.contains_key(id.as_str()) {
            continue;
        }
        let same = items[at..]
            .iter()
            .filter(|it| it.1 == *body && !named(it.0.as_str()));
        let same: Vec<&Id> = same.map(|it| &it.0).collect();
        if same.len() > 1 {
            let group = found.len();
            found.extend(
                same.into_iter()
                    .enumerate()
                    .map(|(place, it)| (it.to_string(), (group, place))),
            );
        }
    }
}
