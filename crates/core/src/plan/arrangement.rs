//! Arrangements: trees of feeds, each one way to run the site.

use super::Id;
use crate::figure::Figure;
use crate::json::{FieldError, FromJson, Path, reads, words};
use crate::quantity::{Amps, Gauge, Metres, Minutes, Ohms, SquareMillimetres, Volts};
use serde::Serialize;
use serde_json::Value;

words!(
    /// The metal of a cable.
    Material {
        /// Copper.
        Copper = "copper",
        /// Aluminium.
        Aluminium = "aluminium",
    }
);

/// One way to run the site.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Arrangement {
    /// Its id, unique among arrangements.
    pub id: Id,
    /// What it is called.
    pub label: String,
    /// Its feeds: a forest rooted in sources, one feed into each item.
    pub feeds: Vec<Feed>,
    /// A remark.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

reads!(Arrangement { id, label, feeds, note });

/// One lead from a port to an item.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Feed {
    /// Where it comes from.
    pub from: From,
    /// The item that it feeds, or a source's input as `source/input`.
    pub to: Target,
    /// Its cable; without resistance where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cable: Option<Cable>,
    /// Its fuse, at the near end.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fuse: Option<Fuse>,
    /// Which of the offered voltages it asks for, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub voltage_v: Option<Figure<Volts>>,
    /// Minutes that a person takes to plug it over when the mains fails.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub hand_switchover_minutes: Option<Figure<Minutes>>,
}

reads!(Feed { from, to, cable, fuse, voltage_v, hand_switchover_minutes });

/// The near end of a feed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct From {
    /// A source or a converter.
    pub item: Id,
    /// One of its ports.
    pub port: Id,
}

reads!(From { item, port });

/// The far end of a feed: an item, or a source's charging input.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Target {
    /// The device, converter or source.
    pub item: Id,
    /// The charging input, where the item is a source.
    pub input: Option<Id>,
}

impl std::fmt::Display for Target {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.input {
            None => write!(f, "{}", self.item),
            Some(input) => write!(f, "{}/{input}", self.item),
        }
    }
}

impl Serialize for Target {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl FromJson for Target {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let text = String::from_json(value, at)?;
        let (item, input) = match text.split_once('/') {
            None => (text.as_str(), None),
            Some((item, input)) => (item, Some(input)),
        };
        let id = |part: &str| Id::new(part).map_err(|why| at.error(why));
        Ok(Self { item: id(item)?, input: input.map(id).transpose()? })
    }
}

#[cfg(feature = "schema")]
impl schemars::JsonSchema for Target {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Target".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({"type": "string", "pattern": "^[^\\s/\"]+(/[^\\s/\"]+)?$", "description": "The id of an item, or `source/input`."})
    }
}

/// A lead of two conductors.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Cable {
    /// Length one way, m.
    pub length_m: Figure<Metres>,
    /// Cross-section of one conductor, mm²; above 0. Either this or `awg`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub area_mm2: Option<Figure<SquareMillimetres>>,
    /// American wire gauge; either this or `area_mm2`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub awg: Option<Figure<Gauge>>,
    /// The metal; copper where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub material: Option<Material>,
    /// Resistance of all its contacts together, Ω; 0 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub contact_ohm: Option<Figure<Ohms>>,
}

reads!(Cable { length_m, area_mm2, awg, material, contact_ohm });

/// A fuse at the near end of a feed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Fuse {
    /// Its rating, A; above 0.
    pub rating_a: Figure<Amps>,
}

reads!(Fuse { rating_a });
