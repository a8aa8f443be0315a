//! Arrangements: trees of feeds, each one way to run the site.

use super::device::TimeOfDay;
use super::id::Id;
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, Fields, FromJson, Met, Path, Settable, reads, words};
use crate::ground::quantity::{
    Amps, Count, Gauge, Metres, Minutes, Ohms, Seconds, SquareMillimetres, Volts, Watts,
};
use serde::Serialize;
use serde_json::Value;
use std::collections::BTreeSet;

words!(
    /// The metal of a cable.
    Material {
        /// Copper.
        Copper = "copper",
        /// Aluminium.
        Aluminium = "aluminium",
        /// Aluminium with a skin of copper.
        CopperClad = "copper-clad",
    }
);

words!(
    /// How a conductor is made up (IEC 60228).
    Strand {
        /// One solid wire.
        Solid = "solid",
        /// A few wires, for what is laid for good: class 2.
        Class2 = "class2",
        /// Many fine wires, flexible: class 5.
        Class5 = "class5",
    }
);

words!(
    /// How a fuse is built.
    FuseType {
        /// Two blades in a plastic body, plugged in.
        Blade = "blade",
        /// A strip in a body that is bolted down.
        BoltDown = "bolt_down",
        /// A block that sits on a stud, as on a battery's terminal.
        Stud = "stud",
        /// A fast fuse of class T, for the largest short-circuit currents.
        ClassT = "class_t",
    }
);

words!(
    /// When a switch is on.
    SwitchedWhen {
        /// While a device behind it is on.
        WithLoad = "with_load",
        /// Between two times of day.
        Hours = "hours",
    }
);

/// One way to run the site.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
    /// Converters and outlets that are on only while they are needed; what is not named is on all
    /// the time.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub switching: Vec<Switch>,
    /// A remark.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

reads!(Arrangement {
    id,
    label,
    feeds,
    starts_on,
    switching,
    note
});

impl Arrangement {
    /// The places of its feeds by islands: what no feed joins with the rest, through sources and
    /// their inputs, converters and devices. What is moved in one changes nothing in another.
    pub(crate) fn islands(&self) -> Vec<Vec<usize>> {
        self.islands_with(&[])
    }

    /// The same, where what each of some groups of items names belongs together too.
    pub(crate) fn islands_with<'a>(&'a self, groups: &[Vec<&'a str>]) -> Vec<Vec<usize>> {
        let mut islands: Vec<(BTreeSet<&str>, Vec<usize>)> = groups
            .iter()
            .map(|it| (it.iter().copied().collect(), Vec::new()))
            .collect();
        for (index, feed) in self.feeds.iter().enumerate() {
            let ends = [feed.from.item.as_str(), feed.to.item.as_str()];
            let mut joined = (BTreeSet::from(ends), vec![index]);
            islands.retain_mut(|it| {
                let meets = ends.iter().any(|end| it.0.contains(end));
                if meets {
                    joined.0.append(&mut it.0);
                    joined.1.append(&mut it.1);
                }
                !meets
            });
            joined.1.sort_unstable();
            islands.push(joined);
        }
        let places = islands.into_iter().map(|it| it.1);
        places.filter(|it| !it.is_empty()).collect()
    }

    /// One of its islands, with what is switched there.
    pub(crate) fn island(&self, feeds: &[usize]) -> Self {
        let feeds: Vec<Feed> = feeds.iter().map(|it| self.feeds[*it].clone()).collect();
        let switches = self.switches_of(&feeds);
        let switching = switches
            .iter()
            .map(|it| self.switching[*it].clone())
            .collect();
        Self {
            id: self.id.clone(),
            label: self.label.clone(),
            feeds,
            starts_on: self.starts_on.clone(),
            switching,
            note: None,
        }
    }

    /// The places of its switches of what some feeds join.
    fn switches_of(&self, feeds: &[Feed]) -> Vec<usize> {
        let is_here = |item: &Id| {
            feeds
                .iter()
                .any(|it| it.from.item == *item || it.to.item == *item)
        };
        let places = 0..self.switching.len();
        places
            .filter(|it| is_here(&self.switching[*it].item))
            .collect()
    }

    /// Where a path in one of its islands stands in itself: there feeds and switches have other
    /// places.
    pub(crate) fn path_of(&self, island: &[usize], path: &str) -> String {
        let feeds: Vec<Feed> = island.iter().map(|it| self.feeds[*it].clone()).collect();
        let places = [
            ("feeds[", island.to_vec()),
            ("switching[", self.switches_of(&feeds)),
        ];
        places
            .iter()
            .find_map(|(list, places)| {
                let (place, rest) = path.strip_prefix(list)?.split_once(']')?;
                let place = places.get(place.parse::<usize>().ok()?)?;
                Some(format!("{list}{place}]{rest}"))
            })
            .unwrap_or_else(|| path.to_owned())
    }

    /// Nothing but some feeds, to see what flows.
    pub(crate) fn of_feeds(feeds: Vec<Feed>) -> Self {
        let (starts_on, switching) = (Vec::new(), Vec::new());
        Self {
            id: Id::own("tried"),
            label: "Tried".to_owned(),
            feeds,
            starts_on,
            switching,
            note: None,
        }
    }

    /// The feed into an item (not into a source's charging input).
    pub fn feed_into(&self, item: &str) -> Option<&Feed> {
        self.feeds
            .iter()
            .find(|it| it.to.input.is_none() && it.to.item.as_str() == item)
    }

    /// The feeds from an item back to its source, the item's own first, by their place in `feeds`.
    pub fn chain(&self, item: &str) -> Vec<usize> {
        let mut chain = Vec::new();
        let mut at = item;
        while let Some(index) = self
            .feeds
            .iter()
            .position(|it| it.to.input.is_none() && it.to.item.as_str() == at)
            && chain.len() < self.feeds.len()
        {
            chain.push(index);
            at = self.feeds[index].from.item.as_str();
        }
        chain
    }

    /// Whether an item gets what it gets from another, near or far.
    pub fn hangs_on(&self, item: &str, from: &str) -> bool {
        self.chain(item)
            .into_iter()
            .any(|feed| self.feeds[feed].from.item.as_str() == from)
    }

    /// Where a device starts, if not on this arrangement.
    pub fn start_of(&self, device: &str) -> Option<&StartsOn> {
        self.starts_on
            .iter()
            .find(|it| it.device.as_str() == device)
    }
}

/// A device that starts on another arrangement, and is then plugged over by hand.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct StartsOn {
    /// The device; both arrangements feed it.
    pub device: Id,
    /// The arrangement on which it starts.
    pub arrangement: Id,
    /// How long it is without a feed while it is plugged over, s; 0 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub gap_s: Option<Figure<Seconds>>,
}

reads!(StartsOn {
    device,
    arrangement,
    gap_s
});

/// When a converter, or an outlet of a source, is on. Several rows of hours for one item add up.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Switch {
    /// A converter that the arrangement feeds, or a source.
    pub item: Id,
    /// Of a source, the outlet that is switched.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub port: Option<Id>,
    /// With what hangs on it, or by the clock.
    pub when: SwitchedWhen,
    /// On from this time of day; for `hours`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub from: Option<TimeOfDay>,
    /// Off from this time of day, over midnight where it is the earlier; for `hours`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to: Option<TimeOfDay>,
    /// What it draws while it is off, at its input, or from the store for an outlet, W; 0 where
    /// left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub standby_w: Option<Figure<Watts>>,
    /// Whether a person switches it; by itself where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by_hand: Option<bool>,
}

reads!(Switch {
    item,
    port,
    when,
    from,
    to,
    standby_w,
    by_hand
});

impl Switch {
    /// A switch that is on while something behind it is.
    pub fn with_load(item: Id, port: Option<Id>) -> Self {
        Self {
            item,
            port,
            when: SwitchedWhen::WithLoad,
            from: None,
            to: None,
            standby_w: None,
            by_hand: None,
        }
    }

    /// The item, or `source/port`.
    pub fn place(&self) -> String {
        match &self.port {
            None => self.item.to_string(),
            Some(port) => format!("{}/{port}", self.item),
        }
    }

    /// Its hours, where it goes by the clock.
    pub fn hours(&self) -> Option<(TimeOfDay, TimeOfDay)> {
        self.from
            .zip(self.to)
            .filter(|_| self.when == SwitchedWhen::Hours)
    }
}

/// One lead from a port to an item.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
    /// A second fuse, at the far end, for a lead into a battery: that feeds it in a short circuit
    /// too.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fuse_far: Option<Fuse>,
    /// Which of the offered voltages it asks for, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub voltage_v: Option<Figure<Volts>>,
    /// Minutes that a person takes to plug it over when the mains fails.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub hand_switchover_minutes: Option<Figure<Minutes>>,
    /// To which of its modes the charging input at its end is set.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub mode: Option<Id>,
}

reads!(Feed {
    from,
    to,
    cable,
    fuse,
    fuse_far,
    voltage_v,
    hand_switchover_minutes,
    mode
});

impl Feed {
    /// A feed without a lead, a fuse or a choice of voltage.
    pub fn bare(from: From, to: Target) -> Self {
        let (cable, fuse, fuse_far, voltage_v, hand_switchover_minutes) =
            (None, None, None, None, None);
        Self {
            from,
            to,
            cable,
            fuse,
            fuse_far,
            voltage_v,
            hand_switchover_minutes,
            mode: None,
        }
    }
}

/// The near end of a feed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
        let id = |part: &str| Id::new(part).map_err(|it| at.error(it.message));
        Ok(Self {
            item: id(item)?,
            input: input.map(id).transpose()?,
        })
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
        schemars::json_schema!({"type": "string", "pattern": "^[^\\s/\"]+(/[^\\s/\"]+)?$",
            "description": "The id of an item, or `source/input`."})
    }
}

/// A lead of two conductors.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Cable {
    /// Length one way, m.
    pub length_m: Figure<Metres>,
    /// Cross-section of one conductor, mm²; above 0. Either this, `awg` or `pairs`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub area_mm2: Option<Figure<SquareMillimetres>>,
    /// American wire gauge; either this, `area_mm2` or `pairs`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub awg: Option<Figure<Gauge>>,
    /// Pairs of a data cable that feed together, 1 to 4, two on a run of two; either this,
    /// `area_mm2` or `awg`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pairs: Option<Figure<Count>>,
    /// The metal; copper where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub material: Option<Material>,
    /// How its conductors are made up. Where it is stated, they are also as warm as their current
    /// makes them.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub strand: Option<Strand>,
    /// How many leads that carry current lie together, this one counted, 1 or more; 1 where left
    /// out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub bundle: Option<Figure<Count>>,
    /// Whether it is a USB-C cable that is marked for 5 A; not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub marked: Option<bool>,
    /// Resistance of all its contacts together, Ω; 0 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub contact_ohm: Option<Figure<Ohms>>,
}

reads!(Cable {
    length_m,
    area_mm2,
    awg,
    pairs,
    material,
    strand,
    bundle,
    marked,
    contact_ohm
});

impl Cable {
    /// A copper cable of a length one way in m and a cross-section in mm², of which nobody said
    /// more.
    pub fn of(length_m: f64, area_mm2: f64) -> Self {
        Self {
            length_m: Figure::assumed(length_m),
            area_mm2: Some(Figure::assumed(area_mm2)),
            awg: None,
            pairs: None,
            material: None,
            strand: None,
            bundle: None,
            marked: None,
            contact_ohm: None,
        }
    }
}

/// A fuse at one end of a feed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Fuse {
    /// Its rating, A; above 0.
    pub rating_a: Figure<Amps>,
    /// How it is built; not known where left out.
    #[serde(rename = "type", skip_serializing_if = "Option::is_none")]
    pub built: Option<FuseType>,
    /// The direct voltage that it can break, V; what is usual for its type where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rated_v_dc: Option<Figure<Volts>>,
    /// The current that it can break, A; what is usual for its type where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub breaks_a: Option<Figure<Amps>>,
}

impl Fuse {
    /// A fuse of a rating in A of which nobody said how it is built.
    pub fn of(rating_a: f64) -> Self {
        Self {
            rating_a: Figure::assumed(rating_a),
            built: None,
            rated_v_dc: None,
            breaks_a: None,
        }
    }
}

impl FromJson for Fuse {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let mut fields = Fields::open(value, at)?;
        let fuse = Self {
            rating_a: fields.take("rating_a")?,
            built: fields.take("type")?,
            rated_v_dc: fields.take("rated_v_dc")?,
            breaks_a: fields.take("breaks_a")?,
        };
        fields.close()?;
        Ok(fuse)
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        let Self {
            rating_a,
            built: _,
            rated_v_dc,
            breaks_a,
        } = self;
        rating_a.each_figure(&at.key("rating_a"), visit);
        rated_v_dc.each_figure(&at.key("rated_v_dc"), visit);
        breaks_a.each_figure(&at.key("breaks_a"), visit);
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        let Self {
            rating_a,
            built: _,
            rated_v_dc,
            breaks_a,
        } = self;
        rating_a.each_figure_mut(visit);
        rated_v_dc.each_figure_mut(visit);
        breaks_a.each_figure_mut(visit);
    }
}
