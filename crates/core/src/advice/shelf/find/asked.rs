//! What the finder is asked, and what it tells.

use crate::ground::json::words;
use crate::ground::say::Sentence;
use crate::limits::Status;
use crate::site::plan::{Arrangement, Converter, Source};
use jiff::civil::Date;
use serde::Serialize;
use std::collections::BTreeMap;

/// Devices that may be asked for at once.
pub const MOST_DEVICES: usize = 12;
/// Sets of chains that are judged and marched at most.
pub const MOST_TRIED: usize = 4000;
/// The highest number of a kind that may be named; more than there are devices is never used, as
/// each hangs on one chain.
pub const MOST_OF_A_KIND: usize = 1000;
/// Sizes of lead that may be chosen from at once.
pub const MOST_SIZES: usize = 8;
/// What a metre of a lead's two conductors weighs for each mm², kg: copper of 8,960 kg/m³, without
/// what is around it.
pub(super) const COPPER_KG_M_MM2: f64 = 2.0 * 8.96e-3;
/// Actions by hand that may be asked for at most: one each hour, day and night.
pub const MOST_BY_HAND: f64 = 24.0;
/// Branches that are looked at at most: what hangs on sources of its own is judged once, and there
/// may be very many ways to put such sets together.
pub(super) const MOST_BRANCHES: usize = 2_000_000;
words!(
    /// What may be used.
    Shelf {
        /// What is owned.
        Owned = "owned",
        /// Everything of the site's kit, owned or not.
        Site = "site",
        /// That, and the ready-made kinds.
        Kinds = "kinds",
    }
);

/// A size of lead that may be used.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LeadSize {
    /// Cross-section of each conductor, mm²: a standard one.
    pub area_mm2: f64,
    /// What a metre with both conductors costs, in the site's currency; 0 for what is there
    /// already.
    pub price_m: f64,
}

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct FindAsk {
    /// Devices that must run, by id; 1 to [`MOST_DEVICES`].
    pub devices: Vec<String>,
    /// For how long, h; above 0, and no longer than the outage or the day.
    pub hours: f64,
    /// The outage, by id; one in which nothing comes where left out.
    pub outage: Option<String>,
    /// A day from midnight to midnight without the mains, every store full at its beginning, in
    /// place of an outage.
    pub day: Option<Date>,
    /// Money to spend at most, in the site's currency; without a limit where left out.
    pub spend: Option<f64>,
    /// Weight of what is bought at most, kg; without a limit where left out.
    pub weight_kg: Option<f64>,
    /// What may be used.
    pub shelf: Shelf,
    /// Prices of ready-made kinds, by their ids.
    pub prices: BTreeMap<String, f64>,
    /// Whether nothing may be left unproven.
    pub proven_only: bool,
    /// Whether the whole front is told, or only what lasts so long.
    pub front: bool,
    /// Sets of chains that are tried at most.
    pub most: usize,
    /// Parts that are bought at most; without a limit where left out.
    pub parts: Option<usize>,
    /// How many there are of a ready-made kind or of an item of the kit, by id, 1 to
    /// [`MOST_OF_A_KIND`]; what is more than the one that is there must be bought at the same
    /// price.
    pub counts: BTreeMap<String, usize>,
    /// Sizes of lead to choose from, [`MOST_SIZES`] at most; where empty each lead is the smallest
    /// standard one that holds, and counts for nothing.
    pub leads: Vec<LeadSize>,
    /// Devices to which no alternating current may lead, by id: those that stand outside, or in the
    /// wet.
    pub no_mains: Vec<String>,
    /// Actions a day that a person does at most, 0 to [`MOST_BY_HAND`]; nothing is switched where
    /// 0.
    pub by_hand: f64,
    /// Sources that may be used, by id; all of them where empty.
    pub sources: Vec<String>,
}

impl FindAsk {
    /// Of what is on the site's shelf, within no limits.
    pub fn of(devices: &[&str], hours: f64) -> Self {
        Self {
            devices: devices.iter().map(|it| (*it).to_owned()).collect(),
            hours,
            outage: None,
            day: None,
            spend: None,
            weight_kg: None,
            shelf: Shelf::Site,
            prices: BTreeMap::new(),
            proven_only: false,
            front: false,
            most: MOST_TRIED,
            parts: None,
            counts: BTreeMap::new(),
            leads: Vec::new(),
            no_mains: Vec::new(),
            by_hand: 0.0,
            sources: Vec::new(),
        }
    }
}

/// What must be added to the plan.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Added {
    /// Devices: none, as only those of the plan are asked for.
    pub devices: Vec<crate::site::plan::Device>,
    /// Sources.
    pub sources: Vec<Source>,
    /// Converters.
    pub converters: Vec<Converter>,
}

/// One answer that no other betters.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "FrontMember")
)]
pub struct Member {
    /// Its chains, with leads and fuses.
    pub arrangement: Arrangement,
    /// What is not in the plan yet.
    pub added: Added,
    /// Until the first of the devices is lost, h; as long as the outage where none is.
    pub hours: f64,
    /// What must be bought, in the site's currency.
    pub spend: f64,
    /// What that weighs, kg, as far as anybody says.
    pub weight_kg: f64,
    /// What is drawn a day, Wh.
    pub drawn_wh_day: f64,
    /// The share of the rating with the least room that is free; 0 is none.
    pub least_margin: f64,
    /// The worst verdict anywhere.
    pub status: Status,
    /// Actions a day that a person must do.
    pub by_hand: f64,
    /// Labels of what must be bought.
    pub buys: Vec<String>,
    /// Lengths of lead that must be bought, of the sizes that were named with a price: "7 m of 4
    /// mm² lead".
    pub leads: Vec<Sentence>,
    /// Whether the price of all of that is stated; what nobody states counts as nothing in `spend`.
    pub priced: bool,
    /// It in a sentence.
    pub sentence: Sentence,
}

/// Something that was put together whole and judged, and that a member of the front betters.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "FinderBettered")
)]
pub struct Bettered {
    /// Until the first of the devices is lost, h.
    pub hours: f64,
    /// What must be bought, in the site's currency.
    pub spend: f64,
    /// What is drawn a day, Wh.
    pub drawn_wh_day: f64,
    /// Labels of the sources and converters that it uses.
    pub through: Vec<String>,
    /// The place of the member that betters it in the front.
    pub by: usize,
    /// It in a sentence.
    pub sentence: Sentence,
}

/// What was found.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "FinderAnswer")
)]
pub struct Found {
    /// What nothing betters, the cheapest first.
    pub front: Vec<Member>,
    /// Some of what one of these betters, the longest first: of everything that uses the same parts
    /// the longest.
    pub bettered: Vec<Bettered>,
    /// Whether that is proven.
    pub proven: bool,
    /// By how much something longer may have been missed, as a share of the longest hours; 0 where
    /// it is proven.
    pub within: f64,
    /// Sets of chains that were judged and marched.
    pub tried: usize,
    /// The longest that there is, where nothing lasts as long as was asked.
    pub longest: Option<Member>,
    /// What was left out because nobody states its price, by label.
    pub unpriced: Vec<String>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}
