//! Outages: scenarios in time.

use super::id::Id;
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, Fields, FromJson, Met, Path, Settable, reads, words};
use crate::ground::quantity::{Celsius, Hours, Seconds, Share, Watts};
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
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
    /// When a store is away, carried to where it is filled or needed.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub carried: Vec<Carried>,
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

reads!(Outage {
    id,
    label,
    start,
    hours,
    ambient_c,
    initial_soc,
    mains,
    charging,
    carried,
    runs,
    rules,
    use_everything
});

impl Outage {
    /// The outage with nothing in it of what an arrangement does not use. Of what starts one after
    /// the other those that are used stay.
    pub(crate) fn within(&self, used: impl Fn(&str) -> bool) -> Self {
        let mut outage = self.clone();
        outage.initial_soc.retain(|id, _| used(id));
        outage.charging.retain(|it| used(it.source.as_str()));
        outage.carried.retain(|it| used(it.source.as_str()));
        outage.runs.retain(|it| used(it.source.as_str()));
        outage.rules.retain_mut(|it| match it {
            // Without devices it would be one for all of them.
            Rule::Stagger { devices, .. } if !devices.is_empty() => {
                devices.retain(|it| used(it.as_str()));
                !devices.is_empty()
            }
            _ => it.names().all(&used),
        });
        outage
    }

    /// Whether the mains is there at a time, h after the start: what the stretch says that holds
    /// it; outside every stretch it is there where some stretch says when it is out, and out where
    /// none does.
    pub fn mains_is_on(&self, at_h: f64) -> bool {
        let within = |it: &&MainsSpan| it.from_h.get() <= at_h && at_h < it.to_h.get();
        let stated = self.mains.iter().rev().find(within);
        stated.map_or_else(
            || self.mains.iter().any(|it| it.state == MainsState::Out),
            |it| it.state == MainsState::On,
        )
    }

    /// What cannot be: stretches that overlap, or reach past the hours that are looked at. Names
    /// the list, the place in it, the field, and what is wrong.
    pub(super) fn impossible(&self) -> Option<(&'static str, usize, &'static str, String)> {
        let hours = self.hours.get();
        let mains: Vec<Stretch<'_>> = self
            .mains
            .iter()
            .map(|it| ("", it.from_h.get(), it.to_h.get()))
            .collect();
        let runs: Vec<Stretch<'_>> = self
            .runs
            .iter()
            .map(|it| (it.source.as_str(), it.from_h.get(), it.to_h.get()))
            .collect();
        let charging: Vec<Stretch<'_>> = self
            .charging
            .iter()
            .map(|it| (it.source.as_str(), it.from_h.get(), it.to_h.get()))
            .collect();
        let carried: Vec<Stretch<'_>> = self
            .carried
            .iter()
            .map(|it| (it.source.as_str(), it.from_h.get(), it.to_h.get()))
            .collect();
        for (name, list) in [
            ("mains", &mains),
            ("charging", &charging),
            ("carried", &carried),
            ("runs", &runs),
        ] {
            for (index, (_, from, to)) in list.iter().enumerate() {
                let what = |at: f64| {
                    format!(
                        "is {at}, past the {hours} h that are looked at; end it there, or look for \
                        longer"
                    )
                };
                if *to > hours * (1.0 + 1e-9) {
                    return Some((name, index, "to_h", what(*to)));
                }
                if *from >= hours {
                    return Some((name, index, "from_h", what(*from)));
                }
            }
        }
        // Two chargers at once are no contradiction; the mains is there or not, and an engine runs
        // or not.
        for (name, list) in [("mains", &mains), ("carried", &carried), ("runs", &runs)] {
            for (index, (of, from, _)) in list.iter().enumerate() {
                let over = list[..index].iter().position(|(other, start, end)| {
                    other == of && *from < *end - 1e-9 && list[index].2 > *start + 1e-9
                });
                if let Some(other) = over {
                    let (_, start, end) = list[other];
                    let why = format!(
                        "is {from}, within the stretch from {start} to {end} h; let one begin \
                        where the other ends"
                    );
                    return Some((name, index, "from_h", why));
                }
            }
        }
        None
    }

    /// Puts right what cannot be in an outage that was kept before that was refused: stretches end
    /// with the hours that are looked at, and where two overlap the later one counts, as it always
    /// did.
    pub(super) fn put_right(&mut self) {
        if self.impossible().is_none() {
            return;
        }
        let hours = self.hours.get();
        let clip = |from: &Figure<Hours>, to: &mut Figure<Hours>| {
            if to.get() > hours {
                *to = Figure::assumed(hours);
            }
            from.get() < hours
        };
        self.mains.retain_mut(|it| clip(&it.from_h, &mut it.to_h));
        self.charging
            .retain_mut(|it| clip(&it.from_h, &mut it.to_h));
        self.carried.retain_mut(|it| clip(&it.from_h, &mut it.to_h));
        self.runs.retain_mut(|it| clip(&it.from_h, &mut it.to_h));
        let mains = std::mem::take(&mut self.mains);
        for it in mains {
            self.mains = without(
                std::mem::take(&mut self.mains),
                &it,
                |_| true,
                |it| (&mut it.from_h, &mut it.to_h),
            );
            self.mains.push(it);
        }
        self.mains
            .sort_by(|a, b| a.from_h.get().total_cmp(&b.from_h.get()));
        let runs = std::mem::take(&mut self.runs);
        for it in runs {
            let source = it.source.clone();
            let same = |other: &EngineRun| other.source == source;
            self.runs = without(std::mem::take(&mut self.runs), &it, same, |it| {
                (&mut it.from_h, &mut it.to_h)
            });
            self.runs.push(it);
        }
    }
}

type Stretch<'a> = (&'a str, f64, f64);

/// Stretches with the time of a later one cut out of them.
fn without<T: Clone>(
    list: Vec<T>,
    later: &T,
    same: impl Fn(&T) -> bool,
    span: impl Fn(&mut T) -> (&mut Figure<Hours>, &mut Figure<Hours>),
) -> Vec<T> {
    let mut later = later.clone();
    let (from, to) = span(&mut later);
    let (from, to) = (from.get(), to.get());
    let mut left = Vec::new();
    for mut it in list {
        if !same(&it) {
            left.push(it);
            continue;
        }
        let (start, end) = {
            let (start, end) = span(&mut it);
            (start.get(), end.get())
        };
        for (begin, stop) in [(start, end.min(from)), (start.max(to), end)] {
            if stop > begin {
                let mut part = it.clone();
                let (a, b) = span(&mut part);
                (*a, *b) = (Figure::assumed(begin), Figure::assumed(stop));
                left.push(part);
            }
        }
    }
    left
}

/// A local date and time to the minute or second, without a zone; kept as it was written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LocalTime {
    text: String,
    time: jiff::civil::DateTime,
}

impl LocalTime {
    /// Reads `YYYY-MM-DDTHH:MM`.
    pub fn parse(text: &str) -> Option<Self> {
        let time = text
            .parse()
            .ok()
            .filter(|_| text.contains('T') && text.len() <= 32)?;
        Some(Self {
            text: text.to_owned(),
            time,
        })
    }

    /// A date and time.
    pub(crate) fn at(time: jiff::civil::DateTime) -> Self {
        Self {
            text: time.strftime("%Y-%m-%dT%H:%M").to_string(),
            time,
        }
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
        time.ok_or_else(|| {
            at.error(format!(
                "is {value}; a local date and time is \"YYYY-MM-DDTHH:MM\""
            ))
        })
    }
}

#[cfg(feature = "schema")]
impl schemars::JsonSchema for LocalTime {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "LocalTime".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({"type": "string",
            "pattern": "^\\d{4}-\\d{2}-\\d{2}T\\d{2}:\\d{2}", "description": "Local date and time, \
            YYYY-MM-DDTHH:MM."})
    }
}

impl FromJson for BTreeMap<String, Figure<Share>> {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let Some(map) = value.as_object() else {
            return Err(at.error(
                "must be an object of source ids and shares, such as {\"house-bank\": 0.9}",
            ));
        };
        map.iter()
            .map(|(id, share)| Ok((id.clone(), Figure::from_json(share, &at.key(id))?)))
            .collect()
    }

    fn absent() -> Option<Self> {
        Some(Self::new())
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        for (id, share) in self {
            share.each_figure(&at.key(id), visit);
        }
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        for share in self.values_mut() {
            share.each_figure_mut(visit);
        }
    }
}

/// A stretch of time with the mains out or there.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct MainsSpan {
    /// From this many hours after the start, h.
    pub from_h: Figure<Hours>,
    /// To this many hours after the start, h; after `from_h`.
    pub to_h: Figure<Hours>,
    /// What the mains does.
    pub state: MainsState,
}

reads!(MainsSpan {
    from_h,
    to_h,
    state
});

/// Charging that comes from elsewhere.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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

reads!(Charging {
    source,
    from_h,
    to_h,
    watts
});

/// A stretch of time in which a store is away: what hangs on it is without it, and nothing that is
/// wired fills it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields, rename = "CarriedAway")
)]
pub struct Carried {
    /// The source that is carried.
    pub source: Id,
    /// From this many hours after the start, h.
    pub from_h: Figure<Hours>,
    /// To this many hours after the start, h; after `from_h`.
    pub to_h: Figure<Hours>,
    /// Where to, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub place: Option<String>,
    /// The power with which it is filled there, W; not at all where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub watts: Option<Figure<Watts>>,
}

reads!(Carried {
    source,
    from_h,
    to_h,
    place,
    watts
});

/// A stretch of time in which a generator runs, unless it must be quiet or has no fuel.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct EngineRun {
    /// The generator.
    pub source: Id,
    /// From this many hours after the start, h.
    pub from_h: Figure<Hours>,
    /// To this many hours after the start, h; after `from_h`.
    pub to_h: Figure<Hours>,
}

reads!(EngineRun {
    source,
    from_h,
    to_h
});

/// A rule by which a device is dropped or held back.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
        /// The devices that wait for each other, in their order; all of them by priority where left
        /// out.
        #[serde(skip_serializing_if = "Vec::is_empty", default)]
        devices: Vec<Id>,
    },
    /// Let what hangs on a source come back on when it is charged again, after its floor or its
    /// cut-off.
    Restore {
        /// The source that is watched.
        source: Id,
        /// Its state of charge, above its floor to 1.
        above_soc: Figure<Share>,
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
            "hold" => Self::Hold {
                device: fields.take("device")?,
                while_starting: fields.take("while_starting")?,
            },
            "stagger" => Self::Stagger {
                seconds: fields.take("seconds")?,
                devices: fields.take("devices")?,
            },
            "restore" => Self::Restore {
                source: fields.take("source")?,
                above_soc: fields.take("above_soc")?,
            },
            other => {
                return Err(at.key("kind").error(format!(
                    "is {other:?}; use one of shed, hold, stagger, restore"
                )));
            }
        };
        fields.close()?;
        Ok(rule)
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        match self {
            Self::Shed { below_soc, .. } => below_soc.each_figure(&at.key("below_soc"), visit),
            Self::Stagger { seconds, .. } => seconds.each_figure(&at.key("seconds"), visit),
            Self::Restore { above_soc, .. } => above_soc.each_figure(&at.key("above_soc"), visit),
            Self::Hold { .. } => {}
        }
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        match self {
            Self::Shed { below_soc, .. } => below_soc.each_figure_mut(visit),
            Self::Stagger { seconds, .. } => seconds.each_figure_mut(visit),
            Self::Restore { above_soc, .. } => above_soc.each_figure_mut(visit),
            Self::Hold { .. } => {}
        }
    }
}

impl Rule {
    /// The ids that it names, of devices and sources.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        let names: Vec<&str> = match self {
            Self::Shed { device, source, .. } => vec![device.as_str(), source.as_str()],
            Self::Hold {
                device,
                while_starting,
            } => vec![device.as_str(), while_starting.as_str()],
            Self::Stagger { devices, .. } => devices.iter().map(Id::as_str).collect(),
            Self::Restore { source, .. } => vec![source.as_str()],
        };
        names.into_iter()
    }
}
