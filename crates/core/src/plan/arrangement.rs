//! Arrangements: trees of feeds, each one way to run the site.

use super::Id;
use crate::figure::Figure;
use crate::json::{FieldError, FromJson, Path, reads, words};
use crate::quantity::{Amps, Gauge, Metres, Minutes, Ohms, Seconds, SquareMillimetres, Volts};
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
    /// Devices that start on another arrangement and are plugged over to this one by hand.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub starts_on: Vec<StartsOn>,
    /// A remark.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

reads!(Arrangement { id, label, feeds, starts_on, note });

impl Arrangement {
    /// The feed into an item (not into a source's charging input).
    pub fn feed_into(&self, item: &str) -> Option<&Feed> {
        self.feeds.iter().find(|it| it.to.input.is_none() && it.to.item.as_str() == item)
    }

    /// The feeds from an item back to its source, the item's own first, by their place in `feeds`.
    pub fn chain(&self, item: &str) -> Vec<usize> {
        let mut chain = Vec::new();
        let mut at = item;
        while let Some(index) = self.feeds.iter().position(|it| it.to.input.is_none() && it.to.item.as_str() == at)
            && chain.len() < self.feeds.len()
        {
            chain.push(index);
            at = self.feeds[index].from.item.as_str();
        }
        chain
    }

    /// Where a device starts, if not on this arrangement.
    pub fn start_of(&self, device: &str) -> Option<&StartsOn> {
        self.starts_on.iter().find(|it| it.device.as_str() == device)
    }
}

/// A device that starts on another arrangement, and is then plugged over by hand.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct StartsOn {
    /// The device; both arrangements feed it.
    pub device: Id,
    /// The arrangement on which it starts.
    pub arrangement: Id,
    /// How long it is without a feed while it is plugged over, s; 0 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gap_s: Option<Figure<Seconds>>,
}

reads!(StartsOn { device, arrangement, gap_s });

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

impl Target {
    /// The id of an item, or `source/input`.
    pub fn name(&self) -> String {
        match &self.input {
            None => self.item.as_str().to_owned(),
            Some(input) => [self.item.as_str(), "/", input.as_str()].concat(),
        }
    }
}

impl std::fmt::Display for Target {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.input {
            None => f.write_str(self.item.as_str()),
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
