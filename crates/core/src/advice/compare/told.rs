//! What is told of arrangements side by side.

use super::fared::Fared;
use crate::ground::json::words;
use crate::ground::say::Sentence;
use crate::limits::{DeviceVerdict, Status, WeakestLink};
use crate::site::parts::Parts;
use crate::time::day::{Lasting, Usage};
use crate::time::life::Life;
use serde::Serialize;
use std::collections::BTreeMap;

words!(
    /// What arrangements are compared by.
    Aspect {
        /// What trips, and what does not.
        Limits = "limits",
        /// What is drawn.
        Energy = "energy",
        /// What is lost only for being on.
        Idle = "idle",
        /// How long until the floor.
        ToFloor = "to-floor",
        /// How long until something quits.
        ToCutOff = "to-cut-off",
        /// Room at the tightest limit.
        Margin = "margin",
        /// What the converters cost.
        Price = "price",
        /// What the converters weigh.
        Weight = "weight",
        /// What everything in it costs.
        WholePrice = "whole-price",
        /// What everything in it weighs.
        WholeWeight = "whole-weight",
        /// What a usable kilowatt-hour of its sources costs.
        PerUsable = "per-usable",
        /// What a kilogram of its sources gives.
        UsablePerKilogram = "usable-per-kilogram",
        /// How many boxes and leads there are.
        Parts = "parts",
        /// How many years its stores last in use.
        Years = "years",
    }
);

/// Arrangements side by side over a span.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Comparison {
    /// What is looked at: a day, or an outage by its label.
    pub span: String,
    /// How long it is, h.
    pub hours: f64,
    /// Temperature around cables and stores, °C.
    pub ambient_c: f64,
    /// The arrangements, in the order asked.
    pub ways: Vec<Compared>,
    /// Which is best at what.
    pub best: Vec<Best>,
    /// What changing from one to another costs, saves a year, and when that is paid back.
    pub changes: Vec<Change>,
}

/// One arrangement over the span.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Compared {
    /// Its id.
    pub id: String,
    /// What it is called.
    pub label: String,
    /// What flows, in watt-hours, with every loss.
    pub usage: Usage,
    /// What is drawn on average, W.
    pub average_w: f64,
    /// Delivered and charging over drawn, 0 to 1; none where nothing is drawn.
    pub efficiency: Option<f64>,
    /// What the energy drawn costs at the site's price; none where there is none.
    pub energy_cost: Option<f64>,
    /// How long each store would carry it if it went on as on average: a steady estimate, which
    /// knows no clock and nothing that comes in from elsewhere. What happens in an outage is
    /// `fared`.
    pub lasting: BTreeMap<String, Lasting>,
    /// What its stores give from full down to their floors in this use, Wh.
    pub usable_wh: f64,
    /// What its sources cost for each usable kilowatt-hour, in the site's currency; none where a
    /// price is not stated.
    pub price_per_usable_kwh: Option<f64>,
    /// What its sources give for each of their kilograms, Wh/kg; none where a weight is not stated.
    pub usable_wh_per_kg: Option<f64>,
    /// The shortest time to a floor by that estimate, h; none where no store runs down.
    pub to_floor_h: Option<f64>,
    /// The shortest time until something quits by that estimate, h; none where no store runs down.
    pub to_cut_off_h: Option<f64>,
    /// What quits then.
    pub cut_off_by: Option<Sentence>,
    /// The limit with the least room at any moment.
    pub tightest: Option<WeakestLink>,
    /// Volts at each device at worst.
    pub devices: Vec<DeviceVerdict>,
    /// The worst status of its findings.
    pub status: Status,
    /// How many of its findings trip.
    pub trips: usize,
    /// The worst finding in a sentence; none where all holds.
    pub worst: Option<Sentence>,
    /// What it is made of.
    pub parts: Parts,
    /// How it fares in the outage that it is compared over, as `simulate` marches it; none over a
    /// day.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fared: Option<Fared>,
    /// How many years each store lasts where the span comes so often; empty where nobody says how
    /// often.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub lives: BTreeMap<String, Life>,
}

/// Which arrangement is best at one thing.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Best {
    /// At what.
    pub aspect: Aspect,
    /// The arrangement; none where several are equal.
    pub way: Option<String>,
    /// In a sentence, with numbers.
    pub sentence: Sentence,
}

words!(
    /// Whether a change pays.
    Pays {
        /// It costs nothing, and saves from the first day on.
        AtOnce = "at-once",
        /// What it saves pays it back.
        Back = "back",
        /// It saves nothing.
        Never = "never",
        /// A price is not stated.
        Unknown = "unknown",
    }
);

/// A change from the arrangement that draws more to the one that draws less.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "ChangeOfWay"))]
pub struct Change {
    /// From this arrangement.
    pub from: String,
    /// To this one.
    pub to: String,
    /// What of it must be bought for that: what it uses, the other does not, and nobody owns.
    pub buys: Vec<String>,
    /// What that costs, in the site's currency; none where a price is not stated.
    pub costs: Option<f64>,
    /// What it saves a day in what is put back into the stores, Wh.
    pub saves_wh_day: f64,
    /// What that saves a year at the site's price; none where there is none.
    pub saves_a_year: Option<f64>,
    /// Whether it pays.
    pub pays: Pays,
    /// After how many years it is paid back; none where it never is, or nobody can say.
    pub pays_back_years: Option<f64>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}
