//! Outages: scenarios in time.

use super::Id;
use crate::figure::Figure;
use crate::json::{FieldError, Fields, FromJson, Path, reads, words};
use crate::quantity::{Celsius, Hours, Seconds, Share, Watts};
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeMap;

words!(
    /// What the mains does.
    MainsState {
        /// It is gone.
        Out = "out",
        /// It is there.
        On = "on",
    }
);

/// A scenario in time.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Outage {
    /// Its id, unique among outages.
    pub id: Id,
    /// What it is called.
    pub label: String,
    /// Local date and time at which it starts.
    pub start: LocalTime,
    /// How long it is looked at, h; above 0.
    pub hours: Figure<Hours>,
    /// Temperature around cables and stores, °C; the site's where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ambient_c: Option<Figure<Celsius>>,
    /// Charge at the start by source, 0 to 1; 1 where left out.
    #[serde(skip_serializing_if = "BTreeMap::is_empty", default)]
    pub initial_soc: BTreeMap<String, Figure<Share>>,
    /// When the mains is out or there; out for all of it where left out.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub mains: Vec<MainsSpan>,
    /// Charging that comes from elsewhere.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub charging: Vec<Charging>,
    /// When generators run; whenever they are not asked to be quiet where left out.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub runs: Vec<EngineRun>,
    /// Rules by which devices are dropped or held back.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub rules: Vec<Rule>,
    /// Whether sources run past their floor to their cut-off; false where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub use_everything: Option<bool>,
}

reads!(Outage { id, label, start, hours, ambient_c, initial_soc, mains, charging, runs, rules, use_everything });

/// A local date and time to the minute or second, without a zone; kept as it was written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LocalTime {
    text: String,
    time: jiff::civil::DateTime,
}

impl LocalTime {
    /// Reads `YYYY-MM-DDTHH:MM`.
    pub fn parse(text: &str) -> Option<Self> {
        let time = text.parse().ok().filter(|_| text.contains('T') && text.len() <= 32)?;
        Some(Self { text: text.to_owned(), time })
    }

    /// The date and time.
    pub fn time(&self) -> jiff::civil::DateTime {
        self.time
    }
}

impl Serialize for LocalTime {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.text)
    }
}

impl FromJson for LocalTime {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let time = value.as_str().and_then(Self::parse);
        time.ok_or_else(|| at.error(format!("is {value}; a local date and time is \"YYYY-MM-DDTHH:MM\"")))
    }
}

#[cfg(feature = "schema")]
impl schemars::JsonSchema for LocalTime {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "LocalTime".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({"type": "string", "pattern": "^\\d{4}-\\d{2}-\\d{2}T\\d{2}:\\d{2}", "description": "Local date and time, YYYY-MM-DDTHH:MM."})
    }
}

impl FromJson for BTreeMap<String, Figure<Share>> {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let Some(map) = value.as_object() else {
            return Err(at.error("must be an object of source ids and shares, such as {\"house-bank\": 0.9}"));
        };
        map.iter().map(|(id, share)| Ok((id.clone(), Figure::from_json(share, &at.key(id))?))).collect()
    }

    fn absent() -> Option<Self> {
        Some(Self::new())
    }
}

/// A stretch of time with the mains out or there.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct MainsSpan {
    /// From this many hours after the start, h.
    pub from_h: Figure<Hours>,
    /// To this many hours after the start, h; after `from_h`.
    pub to_h: Figure<Hours>,
    /// What the mains does.
    pub state: MainsState,
}

reads!(MainsSpan { from_h, to_h, state });

/// Charging that comes from elsewhere.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Charging {
    /// The source that is charged.
    pub source: Id,
    /// From this many hours after the start, h.
    pub from_h: Figure<Hours>,
    /// To this many hours after the start, h; after `from_h`.
    pub to_h: Figure<Hours>,
    /// With this power, W.
    pub watts: Figure<Watts>,
}

reads!(Charging { source, from_h, to_h, watts });

/// A stretch of time in which a generator runs, unless it must be quiet or has no fuel.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct EngineRun {
    /// The generator.
    pub source: Id,
    /// From this many hours after the start, h.
    pub from_h: Figure<Hours>,
    /// To this many hours after the start, h; after `from_h`.
    pub to_h: Figure<Hours>,
}

reads!(EngineRun { source, from_h, to_h });

/// A rule by which a device is dropped or held back.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Rule {
    /// Drop a device when a source falls below a charge.
    Shed {
        /// The device to drop.
        device: Id,
        /// The source that is watched.
        source: Id,
        /// Its state of charge, 0 to 1.
        below_soc: Figure<Share>,
    },
    /// Hold a device back while another starts.
    Hold {
        /// The device to hold back.
        device: Id,
        /// The device whose start it waits for.
        while_starting: Id,
    },
    /// Let no two devices come on within a time, in the order of priority.
    Stagger {
        /// Least time between two starts, s.
        seconds: Figure<Seconds>,
        /// The devices that wait for each other, in their order; all of them by priority where left out.
        #[serde(skip_serializing_if = "Vec::is_empty", default)]
        devices: Vec<Id>,
    },
}

impl FromJson for Rule {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let mut fields = Fields::open(value, at)?;
        let rule = match fields.take::<String>("kind")?.as_str() {
            "shed" => Self::Shed {
                device: fields.take("device")?,
                source: fields.take("source")?,
                below_soc: fields.take("below_soc")?,
            },
            "hold" => Self::Hold { device: fields.take("device")?, while_starting: fields.take("while_starting")? },
            "stagger" => Self::Stagger { seconds: fields.take("seconds")?, devices: fields.take("devices")? },
            other => return Err(at.key("kind").error(format!("is {other:?}; use one of shed, hold, stagger"))),
        };
        fields.close()?;
        Ok(rule)
    }
}

impl Rule {
    /// The ids that it names, of devices and sources.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        let names: Vec<&str> = match self {
            Self::Shed { device, source, .. } => vec![device.as_str(), source.as_str()],
            Self::Hold { device, while_starting } => vec![device.as_str(), while_starting.as_str()],
            Self::Stagger { devices, .. } => devices.iter().map(Id::as_str).collect(),
        };
        names.into_iter()
    }
}
