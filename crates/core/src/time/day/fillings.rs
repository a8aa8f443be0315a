//! Things that are charged: how often a store fills them through its chain, what one filling costs,
//! and when it is done.

use super::dividing;
use super::lasting::cut_off;
use super::size::Size;
use super::windows::Windows;
use crate::ground::figure::Figure;
use crate::ground::say::{Clock, Name, Sentence, amount};
use crate::network::{Charge, Gates, Network, Solver, average, fed};
use crate::site::chemistry;
use crate::site::plan::source::InputKind;
use crate::site::plan::{Arrangement, Battery, Cycle, Device, Plan, Source};
use serde::Serialize;

/// Slices of charge for which the chain is solved.
const SLICES: usize = 32;
/// Of an arrangement in which more is charged, these are told.
const MOST_TOLD: usize = 100;

/// Something that is charged, in an arrangement.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Fillings {
    /// The device.
    pub device: String,
    /// The arrangement.
    pub arrangement: String,
    /// The source that fills it.
    pub source: String,
    /// What one filling takes of all its quantity, Wh.
    pub wh: f64,
    /// How long one takes while its chain is on, with what else is filled then, h.
    pub hours: f64,
    /// At which time of day it is done, hours since midnight; none where the switches before it
    /// never let it be done.
    pub done_at_h: Option<f64>,
    /// How often the store fills it from the given charge down to its floor, or to where something
    /// quits, with nothing else on; none where nothing is stored.
    pub count: Option<f64>,
    /// What one filling draws from the store, Wh.
    pub drawn_wh: f64,
    /// What that costs to put back from the mains, in the site's currency; none where there is no
    /// price.
    pub cost: Option<f64>,
    /// The same from the site's generator, in the site's currency; none where there is none, or no
    /// price of its fuel.
    pub engine_cost: Option<f64>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// What is charged in an arrangement, in the order of the plan; the stores at a charge.
pub fn fillings(plan: &Plan, way: &Arrangement, charge: &Charge) -> Vec<Fillings> {
    let network = Network::build(plan, way, plan.site.ambient());
    let gates = Gates::of(way, &network);
    let devices: Vec<&Device> = fed(plan, way).collect();
    let windows = dividing::windows(way, &network, &gates, &devices);
    let charged = devices
        .iter()
        .zip(&windows)
        .filter(|it| it.0.filling().is_some())
        .take(MOST_TOLD);
    charged
        .filter_map(|(device, windows)| one(plan, way, device, charge, windows))
        .collect()
}

fn one(
    plan: &Plan,
    way: &Arrangement,
    device: &Device,
    charge: &Charge,
    windows: &Windows,
) -> Option<Fillings> {
    let filling = device.filling()?;
    let id = device.id.as_str();
    let kept = way.chain(id);
    let root = way.feeds[*kept.last()?].from.item.as_str();
    let source = plan.source(root)?;
    let feeds = kept.iter().rev().map(|it| way.feeds[*it].clone()).collect();
    let chain = Arrangement {
        id: way.id.clone(),
        label: way.label.clone(),
        feeds,
        starts_on: Vec::new(),
        switching: Vec::new(),
        note: None,
    };
    let network = Network::build(plan, &chain, plan.site.ambient());
    let gives = gives(plan, &chain, &network, source, charge);
    // A chain that gives nothing fills nothing; the findings say why.
    if gives.delivered_wh <= 0.0 {
        return None;
    }
    let per = |wh: f64| filling.wh * wh / gives.delivered_wh;
    let drawn_wh = per(gives.drawn_wh);
    let taken_wh = drawn_wh / put_back_share(source);
    let price = plan.site.energy_price.as_ref().map(|it| it.per_kwh.get());
    let engine = plan.kit.sources.iter().filter_map(|it| it.engine.as_ref());
    let per_kwh = engine
        .filter_map(|it| Some(it.l_per_kwh.get() * it.price_per_l.as_ref()?.get()))
        .reduce(f64::min);
    let mut told = Fillings {
        device: id.to_owned(),
        arrangement: way.id.to_string(),
        source: root.to_owned(),
        wh: filling.wh,
        hours: windows
            .divided_hours(filling.every_days)
            .unwrap_or(filling.hours),
        done_at_h: windows.done_h.map(|it| it.rem_euclid(24.0)),
        count: source
            .battery
            .as_ref()
            .map(|_| gives.delivered_wh / filling.wh),
        drawn_wh,
        cost: price.map(|it| it * taken_wh / 1000.0),
        engine_cost: per_kwh.map(|it| it * taken_wh / 1000.0),
        sentence: Sentence::default(),
    };
    told.sentence = sentence(plan, device, source, &told).into();
    Some(told)
}

/// What a chain gives of a store.
#[derive(Debug, Clone, Copy, Default)]
struct Gives {
    drawn_wh: f64,
    delivered_wh: f64,
}

/// What a chain draws of a store and delivers, from a charge down to its floor, or to where
/// something quits; over an hour where nothing is stored. Integrated over the charge by the
/// midpoint rule, as [`super::lasting`].
fn gives(
    plan: &Plan,
    chain: &Arrangement,
    network: &Network,
    source: &Source,
    charge: &Charge,
) -> Gives {
    let loads = network.loads(plan, average);
    let mut solver = Solver::new(network);
    let Some(index) = network.source_index(source.id.as_str()) else {
        return Gives::default();
    };
    let mut at = |soc: f64| {
        solver.solve(
            &loads,
            &network.open_volts(&charge.clone().with(source.id.as_str(), soc)),
        );
        (solver.source(index), solver.sums().delivered_w)
    };
    let Some(battery) = &source.battery else {
        let ((drawn_wh, _), delivered_wh) = at(1.0);
        return Gives {
            drawn_wh,
            delivered_wh,
        };
    };
    let (from, quits) = (
        charge.of(source.id.as_str()),
        cut_off(plan, chain, network, charge, source).0,
    );
    let to = battery.floor().max(quits).min(from);
    let size = Size::of(battery, plan.site.ambient().0);
    let slice = (from - to) / SLICES as f64;
    let mut gives = Gives::default();
    for index in 0..SLICES {
        let ((watts, amps), delivered_w) = at(from - slice * (index as f64 + 0.5));
        let share = size.share_per_hour(watts, amps, amps);
        if share <= 0.0 {
            break;
        }
        gives.drawn_wh += watts * slice / share;
        gives.delivered_wh += delivered_w * slice / share;
    }
    gives
}

/// What of the energy that is taken from the wall is stored, 0 to 1.
pub(crate) fn put_back_share(source: &Source) -> f64 {
    let own = |it: &Battery| chemistry::find(&it.chemistry).map_or(1.0, |it| it.charge_efficiency);
    let stored = source.battery.as_ref().map_or(1.0, own);
    let wall = source
        .inputs
        .iter()
        .find(|it| it.kind == InputKind::Mains)
        .and_then(|it| it.efficiency.as_ref());
    (stored * wall.map_or(1.0, Figure::get)).max(0.01)
}

/// "One filling of Phones takes 30 Wh, done at 22:23; Station gives 20 of them, 38 Wh each."
fn sentence(plan: &Plan, device: &Device, source: &Source, told: &Fillings) -> String {
    let label = Name(&device.label);
    let done = told.done_at_h.map_or_else(
        || ", and is never done: what is switched before it is not on for long enough".to_owned(),
        |it| format!(", done at {}", Clock(it)),
    );
    let mut words = format!(
        "One filling of {label} takes {}{done}",
        amount(told.wh, "Wh")
    );
    if let Some(count) = told.count {
        words += &format!(
            "; {} gives {} of them, ",
            Name(&source.label),
            amount(count.floor(), "")
        );
        words += &format!("{} each", amount(told.drawn_wh, "Wh"));
    }
    let currency = plan.currency();
    let costs = [
        (told.cost, "from the mains"),
        (told.engine_cost, "from the generator"),
    ];
    let costs: Vec<String> = costs
        .iter()
        .filter_map(|(cost, from)| Some(format!("{} {from}", amount((*cost)?, currency))))
        .collect();
    if !costs.is_empty() {
        words += &format!("; to put one back costs {}", costs.join(", "));
    }
    if let Some(Cycle::Charge { job: Some(job), .. }) = &device.cycle {
        let jobs = told.wh / device.count() / job.wh.get().max(f64::MIN_POSITIVE);
        words += &format!("; one is {} {}", amount(jobs, ""), job.label);
        if let Some(cost) = told.cost {
            words += &format!(
                ", at {} each",
                amount(cost / device.count() / jobs, currency)
            );
        }
    }
    words + "."
}
