//! What there is to choose from: what is owned, the site's kit, the ready-made kinds, and several
//! of each.

use super::asked::{COPPER_KG_M_MM2, FindAsk, LeadSize, MOST_DEVICES, MOST_OF_A_KIND, Shelf};
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::site::kinds::kinds;
use crate::site::plan::{Converter, Id, Plan, Source};
use std::collections::BTreeMap;

/// Whether an item of the kit is not owned.
pub(in crate::advice::shelf) fn is_to_buy(plan: &Plan, id: &str) -> bool {
    let owned = plan
        .source(id)
        .map(|it| it.owned)
        .or_else(|| plan.converter(id).map(|it| it.owned));
    owned == Some(Some(false))
}

/// What becomes of what nobody states a price of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::advice::shelf) enum Unpriced {
    /// It is looked at all the same.
    Kept,
    /// A ready-made kind is left out, and everything that is not owned under a limit of money.
    LeftOut,
}

/// The plan with what may be used in its kit, and what nobody states a price of, by label.
///
/// # Errors
/// Names the price, the count or the source that cannot be.
pub(in crate::advice::shelf) fn stocked(
    plan: &Plan,
    ask: &FindAsk,
    without: Unpriced,
) -> Result<(Plan, Vec<String>), FieldError> {
    let mut plan = plan.clone();
    if ask.shelf == Shelf::Owned {
        plan.kit.sources.retain(|it| it.owned != Some(false));
        plan.kit.converters.retain(|it| it.owned != Some(false));
    }
    if let Some(id) = ask
        .prices
        .keys()
        .next()
        .filter(|_| ask.shelf != Shelf::Kinds)
    {
        let why = format!(
            "names \"{id}\"; prices are those of the ready-made kinds, so choose from the kinds as \
            well"
        );
        return Err(FieldError::of("prices", why));
    }
    let mut bought: BTreeMap<&str, Id> = BTreeMap::new();
    if ask.shelf == Shelf::Kinds {
        for (id, price) in &ask.prices {
            let known = kinds().sources.iter().any(|it| it.id.as_str() == id)
                || kinds().converters.iter().any(|it| it.id.as_str() == id);
            if !(known && *price >= 0.0 && price.is_finite()) {
                let why = format!(
                    "of \"{id}\" is {price}; name a ready-made kind, and a price of 0 or more"
                );
                return Err(FieldError::of("prices", why));
            }
        }
        let price = |id: &Id| ask.prices.get(id.as_str()).map(|it| Figure::assumed(*it));
        for it in &kinds().sources {
            let id = free(&plan, &format!("bought-{}", it.id), &it.id);
            bought.insert(it.id.as_str(), id.clone());
            plan.kit.sources.push(Source {
                id,
                owned: Some(false),
                price: price(&it.id),
                ..it.clone()
            });
        }
        for it in &kinds().converters {
            let id = free(&plan, &format!("bought-{}", it.id), &it.id);
            bought.insert(it.id.as_str(), id.clone());
            plan.kit.converters.push(Converter {
                id,
                owned: Some(false),
                price: price(&it.id),
                ..it.clone()
            });
        }
    }
    for (id, count) in &ask.counts {
        let own = bought
            .get(id.as_str())
            .map_or(id.as_str(), Id::as_str)
            .to_owned();
        if !(1..=MOST_OF_A_KIND).contains(count) {
            return Err(FieldError::of(
                "counts",
                format!("of \"{id}\" is {count}; it lies between 1 and {MOST_OF_A_KIND}"),
            ));
        }
        // Each device hangs on one chain, and a chain uses one of a kind: more than there are
        // devices is never used.
        let used = (*count).min(if ask.devices.is_empty() {
            MOST_DEVICES
        } else {
            ask.devices.len()
        });
        several(&mut plan, &own, used).ok_or_else(|| {
            FieldError::of(
                "counts",
                format!("names \"{id}\", which is no source and no converter here"),
            )
        })?;
    }
    if let Some(id) = ask.sources.iter().find(|it| plan.source(it).is_none()) {
        return Err(FieldError::of(
            "sources",
            format!("names \"{id}\", which is no source here"),
        ));
    }
    // What nobody knows the price of keeps within no limit, and a kind that nobody priced is no
    // offer.
    let mut unpriced = Vec::new();
    if without == Unpriced::LeftOut {
        let kind = |id: &Id| bought.values().any(|it| it == id);
        let mut keep = |id: &Id, owned: Option<bool>, priced: bool, label: &str| {
            let keeps = owned != Some(false) || priced || ask.spend.is_none() && !kind(id);
            if !keeps {
                unpriced.push(label.to_owned());
            }
            keeps
        };
        plan.kit
            .sources
            .retain(|it| keep(&it.id, it.owned, it.price.is_some(), &it.label));
        plan.kit
            .converters
            .retain(|it| keep(&it.id, it.owned, it.price.is_some(), &it.label));
    }
    Ok((plan, unpriced))
}

/// An id like another that nothing of the plan has.
fn free(plan: &Plan, like: &str, else_: &Id) -> Id {
    let taken = |id: &str| {
        plan.source(id).is_some() || plan.converter(id).is_some() || plan.device(id).is_some()
    };
    let short: String = like.chars().take(58).collect();
    let mut names =
        std::iter::once(short.clone()).chain((2..100).map(|it| format!("{short}-{it}")));
    names
        .find(|it| !taken(it))
        .and_then(|it| Id::new(&it).ok())
        .unwrap_or_else(|| else_.clone())
}

/// Adds copies of an item, to be bought, until there are so many; none where there is no such item.
pub(in crate::advice::shelf) fn several(plan: &mut Plan, id: &str, count: usize) -> Option<()> {
    if let Some(first) = plan.source(id).cloned() {
        for number in 2..=count {
            let id = free(plan, id, &first.id);
            let label = format!("{}, no. {number}", first.label);
            plan.kit.sources.push(Source {
                id,
                label,
                owned: Some(false),
                ..first.clone()
            });
        }
        return Some(());
    }
    let first = plan.converter(id).cloned()?;
    for number in 2..=count {
        let id = free(plan, id, &first.id);
        let label = format!("{}, no. {number}", first.label);
        plan.kit.converters.push(Converter {
            id,
            label,
            owned: Some(false),
            ..first.clone()
        });
    }
    Some(())
}

/// What must be bought.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(super) struct Bought {
    pub(super) spend: f64,
    pub(super) weight_kg: f64,
    pub(super) parts: usize,
}

impl Bought {
    /// With something else.
    pub(super) fn and(self, more: Self) -> Self {
        Self {
            spend: self.spend + more.spend,
            weight_kg: self.weight_kg + more.weight_kg,
            parts: self.parts + more.parts,
        }
    }

    /// The least of both in each.
    pub(super) fn least_of(self, other: Self) -> Self {
        Self {
            spend: self.spend.min(other.spend),
            weight_kg: self.weight_kg.min(other.weight_kg),
            parts: self.parts.min(other.parts),
        }
    }

    /// So many metres of a lead; what is there already is not bought, and a lead is no part.
    pub(super) fn lead(size: LeadSize, length_m: f64) -> Self {
        if size.price_m <= 0.0 {
            return Self::default();
        }
        Self {
            spend: size.price_m * length_m,
            weight_kg: COPPER_KG_M_MM2 * size.area_mm2 * length_m,
            parts: 0,
        }
    }
}
