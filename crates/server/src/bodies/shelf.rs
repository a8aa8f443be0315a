//! Bodies of the shelf.

use super::plan::Unsaved;
use crate::error::ApiError;
use ash_pond_core::advice::shelf::{Apart, Candidates, Found, Runs, Shelf, Smallest, Wins};
use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What this answers and is given, for the description of the API.
pub(crate) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<RunsQuestion>();
    generator.subschema_for::<Runs>();
    generator.subschema_for::<SmallestQuestion>();
    generator.subschema_for::<Smallest>();
    generator.subschema_for::<FindQuestion>();
    generator.subschema_for::<Found>();
    generator.subschema_for::<FinderSoFar>();
    generator.subschema_for::<WinsQuestion>();
    generator.subschema_for::<Wins>();
    generator.subschema_for::<CandidatesQuestion>();
    generator.subschema_for::<Candidates>();
}

/// Asks what runs what.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RunsQuestion {
    /// Devices by id; all of them where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) devices: Vec<String>,
    /// Ports as `source/port`, or a source for all of its own; all of them where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) ports: Vec<String>,
    /// Devices that are judged together on each port, by id; all that are asked for where left out,
    /// none where empty.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) together: Option<Vec<String>>,
    /// The outage in which hours are looked for, by id; two weeks in which nothing comes where left
    /// out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// Length of each lead that is proposed, m; 2 where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) length_m: Option<f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// Asks for the smallest that would do.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SmallestQuestion {
    /// What is made smaller: `store`, `lead`, `inverter`; longer or later: `length`, `start`.
    pub(crate) what: String,
    /// The store, the converter, the engine, or what a lead leads to, by id.
    pub(crate) item: String,
    /// The arrangement, by id.
    pub(crate) arrangement: String,
    /// The outage, by id; one in which nothing comes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// For how long it must last, h.
    pub(crate) hours: f64,
    /// Devices that must last, by id; those that hang on the item where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) devices: Vec<String>,
    /// The chance with which it must, 0.5 to 0.99; by the figures as they stand where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) chance: Option<f64>,
    /// Seed of the draws; 1 where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) seed: Option<u64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// Asks which chains run some devices for so long.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FindQuestion {
    /// Devices that must run, by id; 1 to 12.
    pub(crate) devices: Vec<String>,
    /// For how long, h.
    pub(crate) hours: f64,
    /// The outage, by id; one in which nothing comes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// A day in place of an outage, such as 2026-12-21: from midnight to midnight without the
    /// mains, every store full at its beginning.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) day: Option<String>,
    /// Money to spend at most, in the site's currency; without a limit where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) spend: Option<f64>,
    /// Weight of what is bought at most, kg; without a limit where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) weight_kg: Option<f64>,
    /// What may be used: `owned`, `site`, `kinds`; the site's kit where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) shelf: Option<String>,
    /// Prices of ready-made kinds, by their ids.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) prices: BTreeMap<String, f64>,
    /// Parts that are bought at most; without a limit where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) parts: Option<usize>,
    /// How many there are of a ready-made kind or of an item of the kit, by id, 1 to 1,000; more
    /// than the one that is there must be bought, and more than there are devices is never used.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) counts: BTreeMap<String, usize>,
    /// Sizes of lead to choose from, 8 at most; the smallest standard one that holds, at no price,
    /// where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) leads: Vec<LeadOffer>,
    /// Devices to which no alternating current may lead, by id.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) no_mains: Vec<String>,
    /// Actions a day that a person does at most, 0 to 24; nothing is switched where 0.
    #[serde(default)]
    pub(crate) by_hand: f64,
    /// Sources that may be used, by id; all of them where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) sources: Vec<String>,
    /// Whether nothing may be left unproven.
    #[serde(default)]
    pub(crate) proven_only: bool,
    /// Whether the whole front is told, however long it lasts.
    #[serde(default)]
    pub(crate) front: bool,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// A size of lead that may be used.
#[derive(Debug, Clone, Copy, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct LeadOffer {
    /// Cross-section of each conductor, mm²: a standard one.
    pub(crate) area_mm2: f64,
    /// What a metre with both conductors costs, in the site's currency; 0 for what is there
    /// already.
    pub(crate) price_m: f64,
}

/// Asks what single purchases and changes win.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct WinsQuestion {
    /// Devices that must run, by id; 1 to 12.
    pub(crate) devices: Vec<String>,
    /// The outage, by id; one in which nothing comes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// The arrangement that is in use, by id; what changing it wins is told where it is named.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) arrangement: Option<String>,
    /// What may be bought: `site`, `kinds`; what of the site's kit is not owned where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) shelf: Option<String>,
    /// Prices of ready-made kinds, by their ids.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) prices: BTreeMap<String, f64>,
    /// Money to spend at most, in the site's currency; without a limit where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) spend: Option<f64>,
    /// Weight of what is bought at most, kg; without a limit where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) weight_kg: Option<f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// Asks for candidates side by side: one box or parts, two batteries, two inverters.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CandidatesQuestion {
    /// Devices that must run, by id; 1 to 12.
    pub(crate) devices: Vec<String>,
    /// By what they differ: `store`, `inverter`; by their store where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) of: Option<String>,
    /// The candidates, by id; everything of that sort that may be used where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) items: Vec<String>,
    /// How long one use is, h; that of the outage, or a day, where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) hours: Option<f64>,
    /// The outage, by id; one in which nothing comes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// How often they are used so in a week, above 0 to 168; nothing is worn by use where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) uses_a_week: Option<f64>,
    /// Over how many years money is counted, 1 to 40; 10 where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) years: Option<f64>,
    /// What may be used: `owned`, `site`, `kinds`; the site's kit where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) shelf: Option<String>,
    /// Prices of ready-made kinds, by their ids.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) prices: BTreeMap<String, f64>,
    /// Devices to which no alternating current may lead, by id.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) no_mains: Vec<String>,
    /// Sources that may be used, by id; all of them where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) sources: Vec<String>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// By what candidates differ, by its word.
pub(crate) fn apart_of(word: Option<&str>) -> Result<Apart, ApiError> {
    let Some(word) = word else {
        return Ok(Apart::Store);
    };
    let known = || {
        Apart::ALL
            .iter()
            .map(|it| it.word())
            .collect::<Vec<_>>()
            .join(", ")
    };
    let found = Apart::ALL.iter().copied().find(|it| it.word() == word);
    found.ok_or_else(|| ApiError::at("of", format!("is \"{word}\"; there are {}", known())))
}

/// How far a search is.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub(crate) struct FinderSoFar {
    /// Sets of chains that were judged and marched until now.
    pub(crate) tried: usize,
    /// Branches that were looked at until now.
    pub(crate) branches: usize,
    /// What was found until now, where that is more than was told before.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) found: Option<Found>,
}

/// What may be used, by its word.
pub(crate) fn shelf_of(word: Option<&str>) -> Result<Shelf, ApiError> {
    let Some(word) = word else {
        return Ok(Shelf::Site);
    };
    let known = || {
        Shelf::ALL
            .iter()
            .map(|it| it.word())
            .collect::<Vec<_>>()
            .join(", ")
    };
    let found = Shelf::ALL.iter().copied().find(|it| it.word() == word);
    found.ok_or_else(|| ApiError::at("shelf", format!("is \"{word}\"; there are {}", known())))
}
