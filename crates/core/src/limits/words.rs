//! Numbers, times and moments as a person writes them, and the cautions.

use super::verdict::Status;
use crate::ground::say::{Amount, Name, amount, percent};
use crate::network::Moment;
use crate::site::plan::Plan;
use std::fmt;

/// What to mind wherever a plug goes into an expensive thing.
pub(super) const CHECK_POLARITY: &str =
    "Check voltage and polarity with a meter at every joint before the far end is plugged in.";
/// What to mind wherever a lead leaves a battery.
pub(super) const SHORT_CIRCUIT: &str = "A battery can give a short circuit thousands of amperes: a \
    fuse at its positive terminal, insulated tools.";
/// What to mind wherever a life hangs on it.
pub(super) const MEDICAL: &str = "A medical device: its maker and the care team decide how it is \
    backed up. These figures are no medical assurance.";

/// What to mind wherever an outlet could be plugged into a house.
pub(super) const BACK_FEED: &str = "Never feed a building's wiring through one of its sockets: it \
    kills who works on the line, and meets the mains when that returns. A change-over switch is an \
    electrician's work.";

/// What to mind where a lithium battery is charged in the cold.
pub(super) const COLD_CHARGE: &str = "Charging a lithium battery below freezing harms it for good, \
    and may make it unsafe; its maker's word rules.";

/// What to mind at panels.
pub(super) const PANEL: &str = "A panel in light is live, and an arc of direct current does not go \
    out by itself: cover the panel or use a switch rated for direct current, and pull no plug \
    under load. Above 60 V direct current can kill.";

/// A time in the unit that a person would use.
pub(super) fn time(seconds: f64) -> Amount<'static> {
    match seconds {
        _ if seconds >= 5400.0 => Amount(seconds / 3600.0, "h"),
        _ if seconds >= 600.0 => Amount(seconds / 60.0, "min"),
        _ => Amount(seconds, "s"),
    }
}

/// When a moment is, in words.
#[derive(Debug, Clone, Copy)]
pub(crate) struct When<'a> {
    plan: &'a Plan,
    moment: &'a Moment,
}

/// When a moment is, in words.
pub(crate) fn when<'a>(plan: &'a Plan, moment: &'a Moment) -> When<'a> {
    When { plan, moment }
}

impl fmt::Display for When<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.moment {
            Moment::Running => f.write_str("while running"),
            Moment::Busy => f.write_str("when busy"),
            Moment::Starting(id) => write!(f, "while {} starts", Name(self.plan.label(id))),
            Moment::Stopping(id) => write!(f, "while {} stops", Name(self.plan.label(id))),
            Moment::AllStarting => f.write_str("while everything starts at once"),
            Moment::Charging => f.write_str("while what can be is charged"),
            Moment::EngineRunning => f.write_str("with the engine running"),
            Moment::Cranking => f.write_str("while the engine is cranked"),
        }
    }
}

/// A verdict as the first word of a sentence.
pub(super) fn verb(status: Status) -> &'static str {
    match status {
        Status::Holds => "Holds",
        Status::Tight => "Tight",
        Status::Brief => "Brief",
        Status::Unproven => "Unproven",
        Status::Trips => "Trips",
    }
}

/// The verdict on a device's voltage. `window` and `seen` are low and high, V.
pub(super) fn device_verdict(
    window: (f64, f64),
    seen: (f64, f64),
    holds: (bool, Option<f64>),
    at: &str,
) -> String {
    let ((low, high), (lowest, top), (full, to_soc)) = (window, seen, holds);
    if top > high {
        return format!(
            "May be destroyed: {} arrive, it takes {} at most",
            amount(top, "V"),
            amount(high, "V")
        );
    }
    match (full, to_soc) {
        (true, None) => "Holds down to an empty store".into(),
        (true, Some(soc)) if lowest >= low => format!(
            "Holds down to {} charge",
            percent((soc * 100.0).ceil() / 100.0)
        ),
        (true, Some(soc)) => format!(
            "Resets below {} charge, when {at}",
            percent((soc * 100.0).ceil() / 100.0)
        ),
        (false, _) => format!(
            "Resets even at full charge, when {at}: {} arrive, it needs {}",
            amount(lowest, "V"),
            amount(low, "V")
        ),
    }
}
