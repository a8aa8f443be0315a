//! The plan file: a site, its kit, the ways to run it, and the outages to run it through.
//!
//! # Layout
//! - [`site`]: the place, its mains, its prices and policies
//! - [`device`]: what must stay on
//! - [`source`], [`port`], [`converter`]: what it runs from and through
//! - [`arrangement`]: trees of feeds
//! - [`outage`]: scenarios in time
//! - `check`: what no single field can know (ids, references, forests)
//! - `fed`: which devices an arrangement feeds; `id`: ids, and what a file says of itself;
//!   [`places`]: where each figure stands
//! - [`rewrite`]: some elements written anew, the others as they were read

pub mod arrangement;
mod check;
pub mod converter;
pub mod device;
mod fed;
mod id;
pub mod outage;
pub mod places;
pub mod port;
pub mod rewrite;
pub mod site;
pub mod source;

pub use arrangement::{
    Arrangement, Cable, Feed, From, Fuse, FuseType, Material, StartsOn, Strand, Switch,
    SwitchedWhen,
};
pub use converter::{Converter, ConverterInput, ConverterKind};
pub use device::{AfterLoss, Cycle, Device, Draw, Phase, PhaseKind, Then};
pub use fed::fed;
pub use id::{FORMAT, Format, Id, VERSION, Version};
pub use outage::Outage;
pub use places::FigurePlace;
pub use port::{AutoOff, Limit, LossLaw, LossPoint, Overload, Port, PortVoltage, Waveform};
pub use rewrite::{Comes, ElementKind};
pub use site::{Mains, Place, Policy, Site};
pub use source::{Battery, Panel, Source, SourceKind};

use crate::ground::json::{self, FieldError, FromJson, Path, reads};
use serde::Serialize;
use serde_json::Value;

/// A whole plan file.
///
/// ```
/// use ash_pond_core::site::plan::Plan;
/// let plan = Plan::parse(r#"{"format": "ash-pond/plan", "version": 1, "site": {"name": "Cabin"}}"#).unwrap();
/// assert_eq!(plan.site.name, "Cabin");
/// let refused = Plan::parse(r#"{"format": "ash-pond/plan", "version": 1, "site": {"nmae": "Cabin"}}"#);
/// assert_eq!(refused.unwrap_err().to_string(), "site.name: is missing; it is required here");
/// ```
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Plan {
    /// Always `ash-pond/plan`.
    pub format: Format,
    /// The version of the format, 1.
    pub version: Version,
    /// The place and its habits.
    pub site: Site,
    /// Everything on the shelf and in use.
    #[serde(default)]
    pub kit: Kit,
    /// The ways to run the site.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schemars(length(max = 10_000)))]
    pub arrangements: Vec<Arrangement>,
    /// The outages to run it through.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schemars(length(max = 10_000)))]
    pub outages: Vec<Outage>,
}

/// Elements of a kind that a plan may have: more than any person means.
pub const MOST_ELEMENTS: usize = 10_000;

reads!(Plan { format, version, site, kit = Kit::default(), arrangements, outages });

/// The devices, sources and converters of a site.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Kit {
    /// What must stay on.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schemars(length(max = 10_000)))]
    pub devices: Vec<Device>,
    /// What it runs from.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schemars(length(max = 10_000)))]
    pub sources: Vec<Source>,
    /// What stands between.
    #[serde(default)]
    #[cfg_attr(feature = "schema", schemars(length(max = 10_000)))]
    pub converters: Vec<Converter>,
}

reads!(Kit {
    devices,
    sources,
    converters
});

impl Plan {
    /// An empty plan for a site of this name.
    pub fn empty(name: &str) -> Self {
        Self {
            format: Format,
            version: Version,
            site: Site {
                name: name.to_owned(),
                ..Site::default()
            },
            kit: Kit::default(),
            arrangements: Vec::new(),
            outages: Vec::new(),
        }
    }

    /// Reads and checks a plan from JSON text.
    ///
    /// # Errors
    /// Names the first field that cannot be accepted, and the remedy.
    pub fn parse(text: &str) -> Result<Self, FieldError> {
        Self::from_value(&json::parse(text)?)
    }

    /// Reads and checks a plan from a JSON tree.
    ///
    /// # Errors
    /// Names the first field that cannot be accepted, and the remedy.
    pub fn from_value(value: &Value) -> Result<Self, FieldError> {
        let mut plan = Self::from_json(value, &Path::Root)?;
        plan.kit.converters.iter_mut().for_each(Converter::settle);
        plan.check()?;
        Ok(plan)
    }

    /// Reads and checks a plan of which only the outages of some ids were written now: in the
    /// others, which were kept from before it was refused, stretches that cannot be are put right,
    /// so that no site that was saved once is shut out.
    ///
    /// # Errors
    /// Names the first field that cannot be accepted, and the remedy.
    pub fn from_kept(value: &Value, written: impl Fn(&str) -> bool) -> Result<Self, FieldError> {
        // What was kept before such characters were refused is made harmless.
        let mut value = value.clone();
        crate::ground::json::without_unseen(&mut value);
        let mut plan = Self::from_json(&value, &Path::Root)?;
        plan.kit.converters.iter_mut().for_each(Converter::settle);
        plan.outages
            .iter_mut()
            .filter(|it| !written(it.id.as_str()))
            .for_each(Outage::put_right);
        plan.check()?;
        Ok(plan)
    }

    /// The canonical text of the plan: two spaces, fields in the order of the format, bare
    /// numbers where a figure says nothing more, a newline at the end.
    pub fn to_text(&self) -> String {
        let mut text = serde_json::to_string_pretty(self).unwrap_or_default();
        text.push('\n');
        text
    }

    /// The currency of its prices; empty where none is stated.
    pub fn currency(&self) -> &str {
        self.site
            .energy_price
            .as_ref()
            .map_or("", |it| it.currency.as_str())
    }

    /// The device of this id.
    pub fn device(&self, id: &str) -> Option<&Device> {
        self.kit.devices.iter().find(|it| it.id.as_str() == id)
    }

    /// The source of this id.
    pub fn source(&self, id: &str) -> Option<&Source> {
        self.kit.sources.iter().find(|it| it.id.as_str() == id)
    }

    /// The converter of this id.
    pub fn converter(&self, id: &str) -> Option<&Converter> {
        self.kit.converters.iter().find(|it| it.id.as_str() == id)
    }

    /// The port that a feed leaves.
    pub fn port(&self, from: &From) -> Option<&Port> {
        let item = from.item.as_str();
        let outputs = || self.converter(item).map(|it| &it.outputs);
        let ports = self.source(item).map(|it| &it.ports).or_else(outputs)?;
        ports.iter().find(|it| it.id == from.port)
    }

    /// Whether a place (an item, `item/port`, `item/group` or `source/input`) is on the way of some
    /// feeds of an arrangement: what they lead to, the port that they leave, its group, and what
    /// the port belongs to.
    pub fn is_on_way(&self, arrangement: &Arrangement, feeds: &[usize], place: &str) -> bool {
        let on = |feed: &Feed| {
            let item = feed.from.item.as_str();
            let of_item = |id: &str| {
                place
                    .strip_prefix(item)
                    .and_then(|rest| rest.strip_prefix('/'))
                    == Some(id)
            };
            let group = self.port(&feed.from).and_then(|it| it.group.as_ref());
            place == item
                || of_item(feed.from.port.as_str())
                || group.is_some_and(|it| of_item(it.as_str()))
        };
        feeds
            .iter()
            .map(|it| &arrangement.feeds[*it])
            .any(|feed| feed.to.name() == place || on(feed))
    }

    /// The arrangement of this id.
    pub fn arrangement(&self, id: &str) -> Option<&Arrangement> {
        self.arrangements.iter().find(|it| it.id.as_str() == id)
    }

    /// What the item of this id is called, or the id itself.
    pub fn label<'a>(&'a self, id: &'a str) -> &'a str {
        let device = self.device(id).map(|it| it.label.as_str());
        let source = || self.source(id).map(|it| it.label.as_str());
        let converter = || self.converter(id).map(|it| it.label.as_str());
        let way = || self.arrangement(id).map(|it| it.label.as_str());
        let outage = || {
            self.outages
                .iter()
                .find(|it| it.id.as_str() == id)
                .map(|it| it.label.as_str())
        };
        device
            .or_else(source)
            .or_else(converter)
            .or_else(way)
            .or_else(outage)
            .unwrap_or(id)
    }
}
