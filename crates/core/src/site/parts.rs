//! What an arrangement is made of.

use crate::ground::figure::Figure;
use crate::ground::quantity::{Kilograms, Money};
use crate::site::plan::{Arrangement, ConverterKind, Id, Plan, SourceKind};
use serde::Serialize;

/// What an arrangement is made of.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Parts {
    /// Sources in use.
    pub sources: usize,
    /// Converters, junctions apart.
    pub converters: usize,
    /// Leads.
    pub leads: usize,
    /// Fuses.
    pub fuses: usize,
    /// Price of the converters, in the site's currency; none where one states none.
    pub price: Option<f64>,
    /// Weight of the converters, kg; none where one states none.
    pub weight_kg: Option<f64>,
    /// Price of the sources in use; none where one states none.
    pub sources_price: Option<f64>,
    /// Weight of the sources in use, kg; none where one states none.
    pub sources_weight_kg: Option<f64>,
    /// Price of everything that it uses, devices, converters and sources; none where one states
    /// none.
    pub all_price: Option<f64>,
    /// Weight of the same, kg; none where one states none.
    pub all_weight_kg: Option<f64>,
    /// Labels of what is not owned, and must be bought.
    pub to_buy: Vec<String>,
    /// Price of that, in the site's currency; none where one states none.
    pub buy_price: Option<f64>,
    /// Weight of that, kg; none where one states none.
    pub buy_weight_kg: Option<f64>,
}

type Stated<'a> = (Option<&'a Figure<Money>>, Option<&'a Figure<Kilograms>>);

/// Counts the parts of an arrangement, and adds up what they cost and weigh.
pub fn parts(plan: &Plan, arrangement: &Arrangement) -> Parts {
    let converters = arrangement
        .feeds
        .iter()
        .filter_map(|it| plan.converter(it.to.item.as_str()));
    let converters: Vec<Stated<'_>> = converters
        .filter(|it| it.kind != ConverterKind::Junction)
        .map(|it| (it.price.as_ref(), it.weight_kg.as_ref()))
        .collect();
    let used = |id: &str| {
        arrangement
            .feeds
            .iter()
            .any(|it| it.from.item.as_str() == id)
    };
    let sources = plan.kit.sources.iter().filter(|it| used(it.id.as_str()));
    let sources: Vec<Stated<'_>> = sources
        .map(|it| (it.price.as_ref(), it.weight_kg.as_ref()))
        .collect();
    let all = used_parts(plan, arrangement);
    let bought: Vec<&Used<'_>> = all.iter().filter(|it| !it.owned).collect();
    let sum = |list: &[&Used<'_>], of: fn(&Used<'_>) -> Option<f64>| {
        list.iter()
            .map(|it| of(it))
            .sum::<Option<f64>>()
            .map(|it| it + 0.0)
    };
    let whole: Vec<&Used<'_>> = all.iter().collect();
    // An empty sum of floats is −0; adding 0 makes it 0.
    let price = |list: &[Stated<'_>]| {
        list.iter()
            .map(|it| it.0.map(Figure::get))
            .sum::<Option<f64>>()
            .map(|it| it + 0.0)
    };
    let weight = |list: &[Stated<'_>]| {
        list.iter()
            .map(|it| it.1.map(Figure::get))
            .sum::<Option<f64>>()
            .map(|it| it + 0.0)
    };
    Parts {
        sources: sources.len(),
        converters: converters.len(),
        leads: arrangement
            .feeds
            .iter()
            .filter(|it| it.cable.is_some())
            .count(),
        fuses: arrangement
            .feeds
            .iter()
            .filter(|it| it.fuse.is_some())
            .count(),
        price: price(&converters),
        weight_kg: weight(&converters),
        sources_price: price(&sources),
        sources_weight_kg: weight(&sources),
        all_price: sum(&whole, |it| it.price),
        all_weight_kg: sum(&whole, |it| it.weight_kg),
        to_buy: bought.iter().map(|it| it.label.to_owned()).collect(),
        buy_price: sum(&bought, |it| it.price),
        buy_weight_kg: sum(&bought, |it| it.weight_kg),
    }
}

/// A device, converter or source that an arrangement uses.
pub(crate) struct Used<'a> {
    pub(crate) id: &'a str,
    label: &'a str,
    pub(crate) owned: bool,
    pub(crate) price: Option<f64>,
    pub(crate) weight_kg: Option<f64>,
}

/// Everything that an arrangement uses, in the order of the plan.
pub(crate) fn used_parts<'a>(plan: &'a Plan, arrangement: &Arrangement) -> Vec<Used<'a>> {
    let fed = |id: &str| arrangement.feeds.iter().any(|it| it.to.item.as_str() == id);
    let gives = |id: &str| {
        arrangement
            .feeds
            .iter()
            .any(|it| it.from.item.as_str() == id)
    };
    let of = |(id, label): (&'a Id, &'a String),
              owned: Option<bool>,
              stated: Stated<'_>,
              count: f64,
              free: bool| {
        // A junction of which nobody says what it costs costs nothing, and nobody carries or buys
        // the mains.
        let nothing = free.then_some(0.0);
        Used {
            id: id.as_str(),
            label,
            owned: owned != Some(false),
            price: stated.0.map(|it| it.get() * count).or(nothing),
            weight_kg: stated.1.map(|it| it.get() * count).or(nothing),
        }
    };
    let (devices, converters, sources) =
        (&plan.kit.devices, &plan.kit.converters, &plan.kit.sources);
    let devices = devices.iter().filter(|it| fed(it.id.as_str())).map(|it| {
        of(
            (&it.id, &it.label),
            it.owned,
            (it.price.as_ref(), it.weight_kg.as_ref()),
            it.count(),
            false,
        )
    });
    let converters = converters
        .iter()
        .filter(|it| fed(it.id.as_str()))
        .map(|it| {
            let junction = it.kind == ConverterKind::Junction;
            of(
                (&it.id, &it.label),
                it.owned,
                (it.price.as_ref(), it.weight_kg.as_ref()),
                1.0,
                junction,
            )
        });
    let sources = sources
        .iter()
        .filter(|it| fed(it.id.as_str()) || gives(it.id.as_str()))
        .map(|it| {
            let mains = it.kind == SourceKind::Mains;
            of(
                (&it.id, &it.label),
                it.owned,
                (it.price.as_ref(), it.weight_kg.as_ref()),
                1.0,
                mains,
            )
        });
    devices.chain(converters).chain(sources).collect()
}
