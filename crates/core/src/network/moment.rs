//! Moments: which phase each device is in.

use super::build::Network;
use super::load::Load;
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::site::plan::device::Filling;
use crate::site::plan::{Arrangement, Cycle, Device, Phase, PhaseKind, Plan, fed};
use std::fmt;
use std::str::FromStr;

/// A named combination of phases.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Moment {
    /// Every device at its running average.
    Running,
    /// Every device busy, or running where it has no busy phase.
    Busy,
    /// This device in its highest starting phase, the others busy.
    Starting(String),
    /// This device in its highest stopping phase, the others busy.
    Stopping(String),
    /// Every device that has one in its highest starting phase, the others busy.
    AllStarting,
    /// Nothing drawn, with every store that can be filled at its charging voltage.
    Charging,
    /// Every device busy, with the engine of every vehicle running.
    EngineRunning,
    /// Every device at its running average, while the engine of every vehicle is cranked.
    Cranking,
}

impl fmt::Display for Moment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Running => f.write_str("running"),
            Self::Busy => f.write_str("busy"),
            Self::Starting(id) => write!(f, "starting {id}"),
            Self::Stopping(id) => write!(f, "stopping {id}"),
            Self::AllStarting => f.write_str("all-starting"),
            Self::Charging => f.write_str("charging"),
            Self::EngineRunning => f.write_str("engine-running"),
            Self::Cranking => f.write_str("cranking"),
        }
    }
}

impl FromStr for Moment {
    type Err = FieldError;

    /// Reads a moment's name, such as `starting heater`; says which names there are.
    fn from_str(text: &str) -> Result<Self, FieldError> {
        match text.split_once(' ') {
            None if text == "running" => Ok(Self::Running),
            None if text == "busy" => Ok(Self::Busy),
            None if text == "all-starting" => Ok(Self::AllStarting),
            None if text == "charging" => Ok(Self::Charging),
            None if text == "engine-running" => Ok(Self::EngineRunning),
            None if text == "cranking" => Ok(Self::Cranking),
            Some(("starting", id)) => Ok(Self::Starting(id.to_owned())),
            Some(("stopping", id)) => Ok(Self::Stopping(id.to_owned())),
            _ => {
                let why = format!(
                    "is {text:?}; a moment is running, busy, all-starting, charging, \
                    engine-running, cranking, or starting or stopping with a device's id"
                );
                Err(FieldError::of("moment", why))
            }
        }
    }
}

impl Moment {
    /// What `device` draws at this moment, all of its quantity together.
    pub fn load_of(&self, device: &Device) -> Load {
        let one = match self {
            Self::Running | Self::Cranking => return average(device),
            Self::Busy | Self::EngineRunning => busy(device),
            Self::Starting(id) if id == device.id.as_str() => highest(device, PhaseKind::Starting),
            Self::Stopping(id) if id == device.id.as_str() => highest(device, PhaseKind::Stopping),
            Self::AllStarting if device.highest(PhaseKind::Starting).is_some() => {
                highest(device, PhaseKind::Starting)
            }
            Self::Charging => average(device).times(0.0),
            Self::Starting(_) | Self::Stopping(_) | Self::AllStarting => busy(device),
        };
        one.times(device.count())
    }

    /// What each device of a network draws at this moment. A device that starts on another
    /// arrangement has started there, and is busy while everything else starts.
    pub fn loads(&self, plan: &Plan, arrangement: &Arrangement, network: &Network) -> Vec<Load> {
        network.loads(plan, |device| match self {
            Self::AllStarting if arrangement.start_of(device.id.as_str()).is_some() => {
                Self::Busy.load_of(device)
            }
            _ => self.load_of(device),
        })
    }

    /// The arrangement on which it happens: the given one, unless it is the start of a device that
    /// starts elsewhere.
    pub fn place<'a>(&self, plan: &'a Plan, arrangement: &'a Arrangement) -> &'a Arrangement {
        let Self::Starting(device) = self else {
            return arrangement;
        };
        let start = arrangement.start_of(device);
        start
            .and_then(|it| plan.arrangement(it.arrangement.as_str()))
            .unwrap_or(arrangement)
    }

    /// How long the moment lasts, s; `None` for ever, or where nobody stated it.
    pub fn seconds(&self, plan: &Plan, arrangement: &Arrangement) -> Option<f64> {
        let of = |id: &str, kind| {
            plan.device(id)?
                .highest(kind)?
                .seconds
                .as_ref()
                .map(Figure::get)
        };
        match self {
            Self::Running | Self::Busy | Self::Charging | Self::EngineRunning => None,
            Self::Cranking => Some(1.0),
            Self::Starting(id) => of(id, PhaseKind::Starting),
            Self::Stopping(id) => of(id, PhaseKind::Stopping),
            Self::AllStarting => {
                let here = fed(plan, arrangement)
                    .filter(|it| arrangement.start_of(it.id.as_str()).is_none());
                let phases = here.filter_map(|it| it.highest(PhaseKind::Starting));
                let seconds: Option<Vec<f64>> = phases
                    .map(|it| it.seconds.as_ref().map(Figure::get))
                    .collect();
                seconds.map(|all| all.into_iter().fold(0.0, f64::max))
            }
        }
    }
}

/// Every moment of an arrangement: running, busy, each start, each stop, and all starts at once.
pub fn moments(plan: &Plan, arrangement: &Arrangement) -> Vec<Moment> {
    let having = |kind| {
        fed(plan, arrangement)
            .filter(move |it| it.highest(kind).is_some())
            .map(|it| it.id.to_string())
    };
    let starts: Vec<String> = having(PhaseKind::Starting).collect();
    let several = starts
        .iter()
        .filter(|it| arrangement.start_of(it).is_none())
        .count()
        > 1;
    let mut moments = vec![Moment::Running, Moment::Busy];
    moments.extend(starts.into_iter().map(Moment::Starting));
    moments.extend(having(PhaseKind::Stopping).map(Moment::Stopping));
    if several {
        moments.push(Moment::AllStarting);
    }
    moments
}

/// The load of one phase of one device.
pub fn phase_load(device: &Device, phase: &Phase) -> Load {
    let at_v = phase
        .at_v
        .as_ref()
        .map_or(device.input.rated_v.get(), Figure::get);
    let factor = phase
        .power_factor
        .as_ref()
        .or(device.input.power_factor.as_ref());
    Load::drawn(
        phase.draw.unwrap_or(device.draw()),
        phase.watts.get(),
        at_v,
        factor,
    )
}

/// Running average of a device, all of its quantity together: (1 − Σ share)·running + Σ share·busy.
pub fn average(device: &Device) -> Load {
    let phase = |kind| device.phases_of(kind);
    let running = phase(PhaseKind::Running)
        .next()
        .map(|it| phase_load(device, it))
        .unwrap_or_default();
    let mut load = running.times(1.0 - device.busy_share());
    for busy in phase(PhaseKind::Busy) {
        let share = busy.share.as_ref().map_or(0.0, Figure::get);
        load = load.plus(phase_load(device, busy).times(share));
    }
    load.times(device.count())
}

fn busy(device: &Device) -> Load {
    let phase = device
        .highest(PhaseKind::Busy)
        .or_else(|| device.highest(PhaseKind::Running));
    phase.map(|it| phase_load(device, it)).unwrap_or_default()
}

fn highest(device: &Device, kind: PhaseKind) -> Load {
    device
        .highest(kind)
        .map_or_else(|| busy(device), |it| phase_load(device, it))
}

impl Device {
    /// Its filling, where it is something that is charged.
    pub fn filling(&self) -> Option<Filling> {
        let Some(Cycle::Charge {
            wh,
            from,
            every_days,
            ..
        }) = &self.cycle
        else {
            return None;
        };
        let rated_v = self.input.rated_v.get();
        let (wh, watts) = (wh.get() * self.count(), average(self).power(rated_v));
        let days = every_days.as_ref().map_or(1.0, Figure::get);
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "whole days, held to 1 to 366"
        )]
        let every_days = days.round().clamp(1.0, 366.0) as u16;
        Some(Filling {
            wh,
            watts,
            hours: wh / watts.max(f64::MIN_POSITIVE),
            from_h: from.hours(),
            every_days,
        })
    }
}
