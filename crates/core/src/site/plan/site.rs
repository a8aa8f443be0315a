//! The place: its mains, its air, its prices and the policies that checks go by.

use crate::ground::figure::Figure;
use crate::ground::json::reads;
use crate::ground::quantity::{
    Celsius, Factor, Hertz, Latitude, Longitude, Money, Quantity, Share, Volts,
};
use serde::Serialize;

/// A site.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Site {
    /// What it is called.
    pub name: String,
    /// Where it is, for day and night.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub place: Option<Place>,
    /// The mains as it would be; 230 V, 50 Hz where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mains: Option<Mains>,
    /// Temperature around cables and stores, °C; 20 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ambient_c: Option<Figure<Celsius>>,
    /// The coldest that the place has seen, °C; 25 K under `ambient_c` where left out. Panels are
    /// judged by it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub record_low_c: Option<Figure<Celsius>>,
    /// What a kilowatt-hour costs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub energy_price: Option<EnergyPrice>,
    /// The margins that checks go by.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub policy: Option<Policy>,
}

reads!(Site {
    name,
    place,
    mains,
    ambient_c,
    record_low_c,
    energy_price,
    policy
});

impl Site {
    /// Temperature around cables and stores, °C; 20 where the plan is silent.
    pub fn ambient(&self) -> Celsius {
        self.ambient_c.as_ref().map_or(Celsius(20.0), |it| it.value)
    }

    /// Share of a continuous limit above which a finding is *tight*; 0.8 where the plan is silent.
    pub fn tight_from(&self) -> f64 {
        policy(self, |it| it.tight_from.as_ref(), 0.8)
    }

    /// Least ratio of a fuse's rating to the busy current; 1.25 where the plan is silent.
    pub fn fuse_factor(&self) -> f64 {
        policy(self, |it| it.fuse_factor.as_ref(), 1.25)
    }

    /// Share of an alternator's rating that a load may take; 0.5 where the plan is silent.
    pub fn alternator_share(&self) -> f64 {
        policy(self, |it| it.alternator_share.as_ref(), 0.5)
    }
}

fn policy<Q: Quantity>(
    site: &Site,
    pick: impl Fn(&Policy) -> Option<&Figure<Q>>,
    default: f64,
) -> f64 {
    site.policy
        .as_ref()
        .and_then(pick)
        .map_or(default, Figure::get)
}

/// Where a site is. The sun is computed from it; no map, no network.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Place {
    /// What the place is called.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// Latitude, degrees, north positive; −90 to 90.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub latitude_deg: Option<Figure<Latitude>>,
    /// Longitude, degrees, east positive; −180 to 180.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub longitude_deg: Option<Figure<Longitude>>,
    /// How much of a clear day's light falls on the mean day of each month, January first, 0 to 1;
    /// twelve numbers. An overcast sky is taken in outages, and what is asked elsewhere, where left
    /// out.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub clear_share: Vec<Figure<Share>>,
    /// Its time zone by the name of the open time zone database, such as "Etc/UTC"; clocks that are
    /// put forward and back follow it. Without one they are never changed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub time_zone: Option<String>,
}

reads!(Place {
    name,
    latitude_deg,
    longitude_deg,
    clear_share,
    time_zone
});

/// The mains of a place.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Mains {
    /// Nominal voltage, V RMS; above 0.
    pub voltage_v: Figure<Volts>,
    /// Nominal frequency, Hz; above 0.
    pub frequency_hz: Figure<Hertz>,
}

reads!(Mains {
    voltage_v,
    frequency_hz
});

/// What energy costs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct EnergyPrice {
    /// Price of a kilowatt-hour, in the currency.
    pub per_kwh: Figure<Money>,
    /// The currency's code, such as EUR.
    pub currency: String,
}

reads!(EnergyPrice { per_kwh, currency });

/// The margins that checks go by.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Policy {
    /// Share of a continuous limit above which a finding is *tight*; 0.8 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tight_from: Option<Figure<Share>>,
    /// Least ratio of a fuse's rating to the busy current; 1.25 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fuse_factor: Option<Figure<Factor>>,
    /// Share of an alternator's rating that a load may take; 0.5 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub alternator_share: Option<Figure<Share>>,
}

reads!(Policy {
    tight_from,
    fuse_factor,
    alternator_share
});
