//! Devices: what must stay on, and how it behaves.

use super::id::Id;
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, Fields, FromJson, Met, Path, Settable, reads, words};
use crate::ground::quantity::{
    Count, Factor, Kilograms, Milliseconds, Minutes, Money, Seconds, Share, Volts, WattHours, Watts,
};
use serde::Serialize;
use serde_json::Value;

words!(
    /// The kind of current at an input or outlet.
    Current {
        /// Direct current.
        Dc = "dc",
        /// Alternating current.
        Ac = "ac",
    }
);

words!(
    /// How a device answers a changed voltage.
    Draw {
        /// The same watts at any voltage: a switching supply.
        Power = "power",
        /// The same amperes at any voltage: a linear regulator.
        Current = "current",
        /// Watts with the square of the voltage: a heating element.
        Resistance = "resistance",
    }
);

words!(
    /// What a device is doing.
    PhaseKind {
        /// Coming on.
        Starting = "starting",
        /// Its ordinary state; exactly one per device.
        Running = "running",
        /// Working hard, for a share of the time.
        Busy = "busy",
        /// Going off.
        Stopping = "stopping",
    }
);

words!(
    /// How something that is charged answers what it is given.
    Takes {
        /// It takes no more than it gets, and fills more slowly.
        WhatItGets = "what_it_gets",
    }
);

words!(
    /// What must happen once a deadline has passed.
    Then {
        /// A person looks before it may run again.
        InspectBeforeRestart = "inspect-before-restart",
    }
);

/// A device: what must stay on.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Device {
    /// Its id, unique among devices, sources and converters.
    pub id: Id,
    /// What it is called.
    pub label: String,
    /// What it is for, such as `camera` or `heater`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub role: Option<String>,
    /// How many alike are fed together; 1 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub quantity: Option<Figure<Count>>,
    /// Its place in the order of what matters; 1 first.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub priority: Option<Figure<Count>>,
    /// The need that it meets, such as `cooling`; devices of one service meet it in other ways. Its
    /// own where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub service: Option<String>,
    /// In which way it does, such as `dc`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub way: Option<String>,
    /// What it must be fed with.
    pub input: DeviceInput,
    /// How its draw answers a changed voltage; `power` where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub draw: Option<Draw>,
    /// What it draws in each phase; exactly one is `running`.
    pub phases: Vec<Phase>,
    /// When it is on; all the time where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cycle: Option<Cycle>,
    /// The gap in its feed that it survives, ms.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ride_through_ms: Option<Figure<Milliseconds>>,
    /// What it does after a longer gap.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub after_loss: Option<AfterLoss>,
    /// How long it may be off before harm is done.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub deadline: Option<Deadline>,
    /// Whether it is there already; what is not must be bought. It is where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub owned: Option<bool>,
    /// What it costs, in the site's currency.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub price: Option<Figure<Money>>,
    /// What it weighs, kg.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub weight_kg: Option<Figure<Kilograms>>,
    /// Where more is to be read: documents or addresses.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub links: Vec<String>,
    /// A remark.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

reads!(Device {
    id,
    label,
    role,
    quantity,
    priority,
    service,
    way,
    input,
    draw,
    phases,
    cycle,
    ride_through_ms,
    after_loss,
    deadline,
    owned,
    price,
    weight_kg,
    links,
    note,
});

impl Device {
    /// The need that it meets: its service, or itself.
    pub fn need(&self) -> &str {
        self.service.as_deref().unwrap_or(self.id.as_str())
    }

    /// How many alike are fed together; 1 where the plan is silent.
    pub fn count(&self) -> f64 {
        self.quantity.as_ref().map_or(1.0, Figure::get)
    }

    /// How its draw answers a changed voltage; `power` where the plan is silent.
    pub fn draw(&self) -> Draw {
        self.draw.unwrap_or(Draw::Power)
    }

    /// The phases of one kind, in the order of the plan.
    pub fn phases_of(&self, kind: PhaseKind) -> impl Iterator<Item = &Phase> {
        self.phases.iter().filter(move |phase| phase.when == kind)
    }

    /// The phase of one kind that draws the most watts at its voltage.
    pub fn highest(&self, kind: PhaseKind) -> Option<&Phase> {
        self.phases_of(kind)
            .max_by(|a, b| a.watts.get().total_cmp(&b.watts.get()))
    }

    /// Share of its running time that it is busy, 0 to 1.
    pub fn busy_share(&self) -> f64 {
        self.phases_of(PhaseKind::Busy)
            .filter_map(|phase| phase.share.as_ref())
            .map(Figure::get)
            .sum::<f64>()
            .min(1.0)
    }
}

/// What a device must be fed with.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct DeviceInput {
    /// DC or AC.
    pub current: Current,
    /// The voltage at which its watts are stated, V; above 0.
    pub rated_v: Figure<Volts>,
    /// Below this it resets, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub min_v: Option<Figure<Volts>>,
    /// Above this it may be destroyed, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_v: Option<Figure<Volts>>,
    /// Whether a stepped wave harms it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub needs_sine: Option<bool>,
    /// What it draws on a stepped wave over what it draws on a sine, above 0; 1 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub stepped_watts_factor: Option<Figure<Factor>>,
    /// Whether it fills more slowly where it gets less than it would take; only for what is
    /// charged. It does not where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub takes: Option<Takes>,
    /// Real over apparent power, above 0 to 1; 1 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub power_factor: Option<Figure<Share>>,
    /// Its plug, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub connector: Option<String>,
    /// Which contact is positive, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub polarity: Option<String>,
    /// Whether exposed metal of it is connected to the protective earth (class I); not known where
    /// left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub earthed: Option<bool>,
}

reads!(DeviceInput {
    current,
    rated_v,
    min_v,
    max_v,
    needs_sine,
    stepped_watts_factor,
    takes,
    power_factor,
    connector,
    polarity,
    earthed,
});

/// One phase of a device.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Phase {
    /// Which kind of phase it is.
    pub when: PhaseKind,
    /// What happens in it, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// What it draws at `at_v`, W.
    pub watts: Figure<Watts>,
    /// How long it lasts, s; for starting and stopping.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seconds: Option<Figure<Seconds>>,
    /// Share of the running time, 0 to 1; for busy.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub share: Option<Figure<Share>>,
    /// How this phase answers a changed voltage; the device's own way where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub draw: Option<Draw>,
    /// The voltage at which `watts` is stated, V; `input.rated_v` where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub at_v: Option<Figure<Volts>>,
    /// Real over apparent power in this phase, above 0 to 1; the input's where left out. Of a motor
    /// that starts, a third to a half.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub power_factor: Option<Figure<Share>>,
}

reads!(Phase {
    when,
    label,
    watts,
    seconds,
    share,
    draw,
    at_v,
    power_factor
});

/// When a device is on.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Cycle {
    /// All the time.
    Continuous {},
    /// On for a share of each period, on first.
    Thermostat {
        /// Share of the period that it is on, 0 to 1.
        on_fraction: Figure<Share>,
        /// Length of the period, s; above 0.
        period_s: Figure<Seconds>,
    },
    /// On between two times of day, over midnight where `to` is the earlier.
    Hours {
        /// On from this time of day.
        from: TimeOfDay,
        /// Off from this time of day.
        to: TimeOfDay,
    },
    /// Filled up: on from a time of day until so much has flowed into it.
    Charge {
        /// What one filling takes, of one of its quantity, Wh; above 0. All of them are filled at
        /// once.
        wh: Figure<WattHours>,
        /// From this time of day on.
        from: TimeOfDay,
        /// Every so many days, counted from the first day that is looked at; 1, every day, where
        /// left out.
        #[serde(skip_serializing_if = "Option::is_none")]
        every_days: Option<Figure<Count>>,
        /// What one use of it takes, such as a mile or a job.
        #[serde(skip_serializing_if = "Option::is_none")]
        job: Option<Job>,
    },
}

/// One use of something that is charged.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Job {
    /// What it is called, in the plural, such as `miles`.
    pub label: String,
    /// What one takes, Wh; above 0.
    pub wh: Figure<WattHours>,
}

reads!(Job { label, wh });

/// A filling of something that is charged: how much it takes, and when.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Filling {
    /// What all of its quantity takes together, Wh.
    pub wh: f64,
    /// What all of it draws meanwhile at its rated voltage, W.
    pub watts: f64,
    /// How long one takes, h.
    pub hours: f64,
    /// From this time of day on, h.
    pub from_h: f64,
    /// Every so many days, 1 to 366.
    pub every_days: u16,
}

impl FromJson for Cycle {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let mut fields = Fields::open(value, at)?;
        let cycle = match fields.take::<String>("kind")?.as_str() {
            "continuous" => Self::Continuous {},
            "thermostat" => Self::Thermostat {
                on_fraction: fields.take("on_fraction")?,
                period_s: fields.take("period_s")?,
            },
            "hours" => Self::Hours {
                from: fields.take("from")?,
                to: fields.take("to")?,
            },
            "charge" => Self::Charge {
                wh: fields.take("wh")?,
                from: fields.take("from")?,
                every_days: fields.take("every_days")?,
                job: fields.take("job")?,
            },
            other => {
                return Err(at.key("kind").error(format!(
                    "is {other:?}; use one of continuous, thermostat, hours, charge"
                )));
            }
        };
        fields.close()?;
        Ok(cycle)
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        match self {
            Self::Continuous {} | Self::Hours { .. } => {}
            Self::Thermostat {
                on_fraction,
                period_s,
            } => {
                on_fraction.each_figure(&at.key("on_fraction"), visit);
                period_s.each_figure(&at.key("period_s"), visit);
            }
            Self::Charge {
                wh,
                from: _,
                every_days,
                job,
            } => {
                wh.each_figure(&at.key("wh"), visit);
                every_days.each_figure(&at.key("every_days"), visit);
                job.each_figure(&at.key("job"), visit);
            }
        }
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        match self {
            Self::Continuous {} | Self::Hours { .. } => {}
            Self::Thermostat {
                on_fraction,
                period_s,
            } => {
                on_fraction.each_figure_mut(visit);
                period_s.each_figure_mut(visit);
            }
            Self::Charge {
                wh,
                from: _,
                every_days,
                job,
            } => {
                wh.each_figure_mut(visit);
                every_days.each_figure_mut(visit);
                job.each_figure_mut(visit);
            }
        }
    }
}

/// A local time of day, to the minute; written `HH:MM`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct TimeOfDay {
    minutes: u16,
}

impl TimeOfDay {
    /// Reads `HH:MM`, 00:00 to 24:00.
    pub fn parse(text: &str) -> Option<Self> {
        let (hours, minutes) = text.split_once(':')?;
        let two = |part: &str| {
            (part.len() == 2)
                .then(|| part.parse::<u16>().ok())
                .flatten()
        };
        let (hours, minutes) = (two(hours)?, two(minutes)?);
        let total = hours * 60 + minutes;
        (minutes < 60 && total <= 24 * 60).then_some(Self { minutes: total })
    }

    /// Hours since midnight, 0 to 24.
    pub fn hours(self) -> f64 {
        f64::from(self.minutes) / 60.0
    }
}

impl Serialize for TimeOfDay {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&format_args!(
            "{:02}:{:02}",
            self.minutes / 60,
            self.minutes % 60
        ))
    }
}

impl FromJson for TimeOfDay {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        value
            .as_str()
            .and_then(Self::parse)
            .ok_or_else(|| at.error(format!("is {value}; a time of day is \"HH:MM\"")))
    }
}

#[cfg(feature = "schema")]
impl schemars::JsonSchema for TimeOfDay {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "TimeOfDay".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({"type": "string",
            "pattern": "^([01][0-9]|2[0-3]):[0-5][0-9]$|^24:00$", "description": "Local time of \
            day, HH:MM."})
    }
}

/// What a device does after its feed was gone for too long.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum AfterLoss {
    /// It goes on as if nothing had been.
    Resumes {},
    /// It starts anew and is back after this long.
    Restarts {
        /// Time until it is back, s.
        #[serde(skip_serializing_if = "Option::is_none")]
        seconds: Option<Figure<Seconds>>,
    },
    /// It stays off until a person acts.
    Latches {},
}

impl FromJson for AfterLoss {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let mut fields = Fields::open(value, at)?;
        let after = match fields.take::<String>("kind")?.as_str() {
            "resumes" => Self::Resumes {},
            "restarts" => Self::Restarts {
                seconds: fields.take("seconds")?,
            },
            "latches" => Self::Latches {},
            other => {
                return Err(at.key("kind").error(format!(
                    "is {other:?}; use one of resumes, restarts, latches"
                )));
            }
        };
        fields.close()?;
        Ok(after)
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        if let Self::Restarts { seconds } = self {
            seconds.each_figure(&at.key("seconds"), visit);
        }
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        if let Self::Restarts { seconds } = self {
            seconds.each_figure_mut(visit);
        }
    }
}

/// How long a device may be off before harm is done.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Deadline {
    /// The time, min.
    pub minutes: Figure<Minutes>,
    /// What the harm is, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub consequence: Option<String>,
    /// What must happen once it has passed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub then: Option<Then>,
}

reads!(Deadline {
    minutes,
    consequence,
    then
});

/// Real over apparent power of an input; 1 where the plan is silent.
pub(crate) fn power_factor(figure: Option<&Figure<Share>>) -> f64 {
    figure.map_or(1.0, Figure::get)
}
