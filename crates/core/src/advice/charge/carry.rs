//! A charge carried out: the march of an arrangement that is ready for it, with what it costs.

use super::day;
use super::told::{ReachedLevel, RechargeAsk, Recharged, WayIn};
use super::wiring::{self, Ready};
use super::words;
use crate::ground::json::FieldError;
use crate::ground::say::Sentence;
use crate::site::plan::{Arrangement, Outage, Plan, SourceKind};
use crate::time::outage::{Filled, Setting, fill};

/// A step of a charge that is told takes no more of the store than this.
const MOST_SHARE: f64 = 0.005;

/// What [`super::recharge`] tells, without what is not wired.
pub(super) fn filled(
    plan: &Plan,
    way: &Arrangement,
    outage: Option<&Outage>,
    ask: &RechargeAsk,
) -> Result<Recharged, FieldError> {
    Ok(carried_out(&Ready::of(plan, way, outage, ask)?, ask))
}

/// The march of a ready arrangement, told.
pub(super) fn carried_out(ready: &Ready, ask: &RechargeAsk) -> Recharged {
    let (plan, way) = (&ready.plan, &ready.way);
    let mut setting = Setting::of(plan, way, &ready.outage);
    setting.under(ask.sky, ask.tilt_deg);
    let mut levels = ask.levels.clone();
    levels.sort_by(f64::total_cmp);
    levels.dedup();
    let found = fill(&setting, &ask.source, &levels, MOST_SHARE);
    let found = found.unwrap_or_else(|| Filled::nothing(&levels, ask.from_soc));
    let costs = Costs::of(plan, way, &setting, &found);
    let reached: Vec<ReachedLevel> = found
        .levels
        .iter()
        .map(|it| {
            let (cost, fuel_l) = costs.at(&it.taken_wh, &it.burnt_l);
            let taken_wh = it.taken_wh.iter().sum();
            let at = it
                .at_h
                .filter(|it| *it > 0.0)
                .map(|it| day::when(ready, it));
            ReachedLevel {
                soc: it.soc,
                after_h: it.at_h,
                at,
                taken_wh,
                cost,
                fuel_l,
            }
        })
        .collect();
    let ways: Vec<WayIn> = found
        .inputs
        .iter()
        .map(|it| words::way_in(plan, way, it))
        .collect();
    let last = reached.last();
    let mut told = Recharged {
        source: ask.source.clone(),
        from: ask.from_soc,
        stored_wh: found.stored_wh,
        taken_wh: found.inputs.iter().map(|it| it.wh[1]).sum(),
        cost: last.and_then(|it| it.cost),
        fuel_l: last.and_then(|it| it.fuel_l),
        drawn_wh: found.drawn_wh,
        levels: reached,
        spans: day::spans(ready, &found),
        engines: Vec::new(),
        curve: found.curve,
        ways,
        opened: found.opened,
        trips: wiring::trips(plan, way, &ask.source),
        sentence: Sentence::default(),
        not_wired: Vec::new(),
    };
    told.sentence = words::sentence(plan, way, &ready.outage, &told);
    told
}

/// What is taken at each root, in money and fuel.
struct Costs {
    /// By input: what a Wh costs; none where it costs nothing that is known.
    per_wh: Vec<Option<f64>>,
    /// By source of the network: what it burns, where it burns something.
    burns: Vec<Option<Burns>>,
}

/// Something that burns fuel, and what a litre costs, where that is known.
#[derive(Debug, Clone, Copy)]
struct Burns {
    per_l: Option<f64>,
}

impl Costs {
    fn of(plan: &Plan, way: &Arrangement, setting: &Setting<'_>, found: &Filled) -> Self {
        let price = plan
            .site
            .energy_price
            .as_ref()
            .map(|it| it.per_kwh.get() / 1000.0);
        let roots: Vec<&str> = found
            .inputs
            .iter()
            .map(|it| wiring::root(way, it.feed))
            .collect();
        let per_wh = roots
            .iter()
            .map(|root| match plan.source(root).map(|it| it.kind) {
                Some(SourceKind::Mains) => price,
                // What an engine burns is counted by the litre, and the sun costs nothing.
                Some(SourceKind::Generator | SourceKind::Panel) => Some(0.0),
                Some(SourceKind::Vehicle) => plan.source(root)?.engine.as_ref().map(|_| 0.0),
                _ => None,
            });
        let per_wh = per_wh.collect();
        let burns = setting.network_sources().map(|id| {
            let engine = plan
                .source(id)
                .filter(|_| roots.contains(&id))?
                .engine
                .as_ref()?;
            Some(Burns {
                per_l: engine
                    .price_per_l
                    .as_ref()
                    .map(crate::ground::figure::Figure::get),
            })
        });
        Self {
            per_wh,
            burns: burns.collect(),
        }
    }

    /// Cost and fuel of what was taken and burnt.
    fn at(&self, taken_wh: &[f64], burnt_l: &[f64]) -> (Option<f64>, Option<f64>) {
        let by_input = taken_wh.iter().zip(&self.per_wh).map(|(wh, price)| {
            if *wh > 0.0 {
                Some(wh * (*price)?)
            } else {
                Some(0.0)
            }
        });
        let burning: Vec<(f64, Option<f64>)> = burnt_l
            .iter()
            .zip(&self.burns)
            .filter_map(|(litres, it)| Some((*litres, (*it)?.per_l)))
            .collect();
        let by_fuel = burning
            .iter()
            .map(|(litres, price)| price.map(|it| it * litres));
        if self.per_wh.is_empty() {
            return (None, None);
        }
        let cost = by_input
            .chain(by_fuel)
            .try_fold(0.0, |sum, it| Some(sum + it?));
        let fuel = (!burning.is_empty()).then(|| burning.iter().map(|it| it.0).sum());
        (cost, fuel)
    }
}
