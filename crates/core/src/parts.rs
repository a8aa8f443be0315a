//! What an arrangement is made of.

use crate::figure::Figure;
use crate::plan::{Arrangement, ConverterKind, Plan};
use crate::quantity::{Kilograms, Money};
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
}

type Stated<'a> = (Option<&'a Figure<Money>>, Option<&'a Figure<Kilograms>>);

/// Counts the parts of an arrangement, and adds up what they cost and weigh.
pub fn parts(plan: &Plan, arrangement: &Arrangement) -> Parts {
    let converters = arrangement.feeds.iter().filter_map(|it| plan.converter(it.to.item.as_str()));
    let converters: Vec<Stated<'_>> = converters
        .filter(|it| it.kind != ConverterKind::Junction)
        .map(|it| (it.price.as_ref(), it.weight_kg.as_ref()))
        .collect();
    let used = |id: &str| arrangement.feeds.iter().any(|it| it.from.item.as_str() == id);
    let sources = plan.kit.sources.iter().filter(|it| used(it.id.as_str()));
    let sources: Vec<Stated<'_>> = sources.map(|it| (it.price.as_ref(), it.weight_kg.as_ref())).collect();
    // An empty sum of floats is −0; adding 0 makes it 0.
    let price =
        |list: &[Stated<'_>]| list.iter().map(|it| it.0.map(Figure::get)).sum::<Option<f64>>().map(|it| it + 0.0);
    let weight =
        |list: &[Stated<'_>]| list.iter().map(|it| it.1.map(Figure::get)).sum::<Option<f64>>().map(|it| it + 0.0);
    Parts {
        sources: sources.len(),
        converters: converters.len(),
        leads: arrangement.feeds.iter().filter(|it| it.cable.is_some()).count(),
        fuses: arrangement.feeds.iter().filter(|it| it.fuse.is_some()).count(),
        price: price(&converters),
        weight_kg: weight(&converters),
        sources_price: price(&sources),
        sources_weight_kg: weight(&sources),
    }
}
