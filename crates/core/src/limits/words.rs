//! Numbers, times and moments as a person writes them, and the cautions.

use super::verdict::Status;
use crate::network::Moment;
use crate::plan::Plan;

/// What to mind wherever a plug goes into an expensive thing.
pub(super) const CHECK_POLARITY: &str =
    "Check voltage and polarity with a meter at every joint before the far end is plugged in.";
/// What to mind wherever a lead leaves a battery.
pub(super) const SHORT_CIRCUIT: &str =
    "A battery can give a short circuit thousands of amperes: a fuse at its positive terminal, insulated tools.";
/// What to mind wherever a life hangs on it.
pub(super) const MEDICAL: &str =
    "A medical device: its maker and the care team decide how it is backed up. These figures are no medical assurance.";

/// A number with its unit as a person would write it: three digits that count, no more than
/// two behind the point, a comma between thousands.
///
/// ```
/// use ash_pond_core::limits::amount;
/// assert_eq!(amount(9.4218, "A"), "9.42 A");
/// assert_eq!(amount(168.3, "W"), "168 W");
/// assert_eq!(amount(1234.6, "Wh"), "1,235 Wh");
/// assert_eq!(amount(0.004, "W"), "0.004 W");
/// ```
pub fn amount(value: f64, unit: &str) -> String {
    let size = value.abs();
    let digits = match size {
        _ if size >= 100.0 || size == 0.0 => 0,
        _ if size >= 10.0 => 1,
        _ if size >= 0.1 => 2,
        _ => 3,
    };
    let mut text = format!("{value:.digits$}");
    if text.contains('.') {
        text.truncate(text.trim_end_matches('0').trim_end_matches('.').len());
    }
    if size >= 999.5 {
        let (sign, whole) = text.strip_prefix('-').map_or(("", text.as_str()), |rest| ("-", rest));
        let grouped: Vec<_> = whole.as_bytes().rchunks(3).rev().map(|it| String::from_utf8_lossy(it)).collect();
        text = format!("{sign}{}", grouped.join(","));
    }
    if unit.is_empty() { text } else { format!("{text} {unit}") }
}

/// A share as a percentage: `1.6 %`, `42 %`.
pub fn percent(share: f64) -> String {
    amount(share * 100.0, "%")
}

/// A time in the unit that a person would use.
pub(super) fn time(seconds: f64) -> String {
    match seconds {
        _ if seconds >= 5400.0 => amount(seconds / 3600.0, "h"),
        _ if seconds >= 600.0 => amount(seconds / 60.0, "min"),
        _ => amount(seconds, "s"),
    }
}

/// When a moment is, in words.
pub(super) fn when(plan: &Plan, moment: &Moment) -> String {
    match moment {
        Moment::Running => "while running".into(),
        Moment::Busy => "when busy".into(),
        Moment::Starting(id) => format!("while {} starts", plan.label(id)),
        Moment::Stopping(id) => format!("while {} stops", plan.label(id)),
        Moment::AllStarting => "while everything starts at once".into(),
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
pub(super) fn device_verdict(window: (f64, f64), seen: (f64, f64), holds: (bool, Option<f64>), at: &str) -> String {
    let ((low, high), (lowest, top), (full, to_soc)) = (window, seen, holds);
    if top > high {
        return format!("May be destroyed: {} arrive, it takes {} at most", amount(top, "V"), amount(high, "V"));
    }
    match (full, to_soc) {
        (true, None) => "Holds down to an empty store".into(),
        (true, Some(soc)) if lowest >= low => format!("Holds down to {} charge", percent((soc * 100.0).ceil() / 100.0)),
        (true, Some(soc)) => format!("Resets below {} charge, when {at}", percent((soc * 100.0).ceil() / 100.0)),
        (false, _) => format!(
            "Resets even at full charge, when {at}: {} arrive, it needs {}",
            amount(lowest, "V"),
            amount(low, "V")
        ),
    }
}
