//! Every limit of an arrangement, and where its value is read.

use super::bound::{Bound, Measure};
use super::code::Code;
use super::verdict::{Lasts, Verdict};
use crate::network::{Moment, Reading, Solver};
use crate::site::plan::{Arrangement, Plan};

/// The moments at which a limit is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum When {
    /// At each.
    Always,
    /// While running and when busy: at what may last.
    Lasting,
    /// While running.
    Running,
}

impl When {
    pub(super) fn is(self, moment: &Moment) -> bool {
        match self {
            Self::Always => true,
            Self::Lasting => matches!(moment, Moment::Running | Moment::Busy),
            Self::Running => *moment == Moment::Running,
        }
    }
}

/// One limit at one place.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Gauge {
    pub(super) code: Code,
    /// The item, feed or `item/port` that it is at.
    pub(super) place: String,
    /// What the place is called.
    pub(super) name: String,
    pub(super) unit: &'static str,
    pub(super) measure: Measure,
    pub(super) bound: Bound,
    pub(super) when: When,
    /// The same place in the other of amperes and watts, so that a limit can be told in both.
    pub(super) other: Option<(Reading, &'static str)>,
}

impl Gauge {
    pub(super) fn new(
        code: Code,
        place: &str,
        name: &str,
        unit: &'static str,
        reading: Reading,
        bound: Bound,
    ) -> Self {
        let (place, name, measure) = (place.to_owned(), name.to_owned(), Measure::One(reading));
        Self {
            code,
            place,
            name,
            unit,
            measure,
            bound,
            when: When::Always,
            other: None,
        }
    }

    /// The value in a solved state; `None` where the place is dark.
    pub(super) fn value(&self, solver: &Solver<'_>) -> Option<f64> {
        self.measure.value(solver)
    }

    /// The key of the value's own working, as [`crate::telling::working::working`] knows it; none where it
    /// has none.
    pub(super) fn key(&self) -> Option<String> {
        let Measure::One(reading) = &self.measure else {
            return None;
        };
        let (kind, field) = match (reading, self.code) {
            (Reading::PortWatts(_), _) => ("ports", "watts"),
            (Reading::PortAmps(_), _) => ("ports", "amps"),
            (Reading::PortIdle(_), _) => ("ports", "loss_idle_w"),
            (Reading::SourceAmps(_), _) => ("sources", "amps"),
            (Reading::SourceWatts(_), _) => ("sources", "watts"),
            (
                Reading::FarVolts(_),
                Code::DeviceVoltage | Code::ConverterVoltage | Code::ChargeInput,
            ) => ("feeds", "far_v"),
            (
                Reading::FeedAmps(_),
                Code::CableAmpacity | Code::Contacts | Code::FuseSize | Code::ConverterInputCurrent,
            ) => ("feeds", "amps"),
            (Reading::DropShare(_), _) => ("feeds", "drop_share"),
            (Reading::StageIdle(_), _) => ("converters", "loss_idle_w"),
            _ => return None,
        };
        Some(format!("{kind}.{}.{field}", self.place))
    }

    /// The verdict on a value, and the limit that it was judged against.
    pub(super) fn judge(
        &self,
        value: f64,
        lasts: Lasts,
        tight_from: f64,
        solver: &Solver<'_>,
    ) -> (Verdict, f64) {
        self.bound.judge(value, lasts, tight_from, solver)
    }

    /// How far the value is on the good side of the limit, in the unit.
    pub(super) fn margin(&self, value: f64, limit: f64) -> f64 {
        self.bound.margin(value, limit)
    }
}

/// How long a moment lasts.
pub(super) fn lasts(moment: &Moment, plan: &Plan, arrangement: &Arrangement) -> Lasts {
    match (moment, moment.seconds(plan, arrangement)) {
        (Moment::Running | Moment::Busy | Moment::Charging | Moment::EngineRunning, _) => {
            Lasts::ForEver
        }
        (Moment::Cranking, _) => Lasts::Seconds(1.0),
        (_, Some(seconds)) => Lasts::Seconds(seconds),
        (_, None) => Lasts::Unknown,
    }
}
