//! Findings in sentences: short, with their numbers, in the words of the glossary.

use super::finding::Code;
use super::gauge::{Bound, DROP_TIGHT, DROP_TOO_MUCH, Gauge};
use super::survey::{CHARGES, Seen};
use super::verdict::{Lasts, Status};
use crate::network::Moment;
use crate::plan::Plan;
use crate::working::{Term, Working};

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

fn time(seconds: f64) -> String {
    match seconds {
        _ if seconds >= 5400.0 => amount(seconds / 3600.0, "h"),
        _ if seconds >= 600.0 => amount(seconds / 60.0, "min"),
        _ => amount(seconds, "s"),
    }
}

/// When a moment is, in words.
fn when(plan: &Plan, moment: &Moment) -> String {
    match moment {
        Moment::Running => "while running".into(),
        Moment::Busy => "when busy".into(),
        Moment::Starting(id) => format!("while {} starts", plan.label(id)),
        Moment::Stopping(id) => format!("while {} stops", plan.label(id)),
        Moment::AllStarting => "while everything starts at once".into(),
    }
}

fn verb(status: Status) -> &'static str {
    match status {
        Status::Holds => "Holds",
        Status::Tight => "Tight",
        Status::Brief => "Brief",
        Status::Unproven => "Unproven",
        Status::Trips => "Trips",
    }
}

/// The sentence of a finding.
pub(super) fn message(plan: &Plan, gauge: &Gauge, seen: &Seen, moment: &Moment) -> String {
    let (name, when, status) = (&gauge.name, when(plan, moment), seen.verdict.status);
    let value = amount(seen.value, gauge.unit);
    let limit = amount(seen.limit, gauge.unit);
    let verb = verb(status);
    let charge = CHARGES[seen.charge];
    match gauge.code {
        Code::DeviceVoltage | Code::ConverterVoltage => window(gauge, seen, &when),
        Code::Collapse if status == Status::Trips => format!(
            "Collapses: the lead to {name} has no stable voltage {when} at {charge} charge; shorten it, thicken it, or raise the voltage."
        ),
        Code::Collapse => format!("Holds: the lead to {name} has a stable voltage at every moment."),
        Code::VoltageDrop => {
            let much = match status {
                Status::Trips => format!("Too much: {name} loses {} of its voltage in its lead", percent(seen.value)),
                Status::Tight => format!("Much: {name} loses {} of its voltage in its lead", percent(seen.value)),
                _ => format!("Holds: {name} loses {} of its voltage in its lead", percent(seen.value)),
            };
            let rule = format!("planning rule: {} is good, {} the most", percent(DROP_TIGHT), percent(DROP_TOO_MUCH));
            format!("{much} {when} ({rule}).")
        }
        Code::IdleDraw if status == Status::Holds => {
            format!("Holds: {name} takes {value} to be on and carries {limit}.")
        }
        Code::IdleDraw => format!("Costly: {name} takes {value} just to be on, more than the {limit} that it carries."),
        _ => {
            let length = match seen.lasts {
                Lasts::ForEver => String::new(),
                Lasts::Seconds(seconds) => format!(" for {}", time(seconds)),
                Lasts::Unknown => " for a time that nobody stated".into(),
            };
            let what = match gauge.code {
                Code::BatteryCurrent => "draw from",
                Code::ConverterInputCurrent => "into",
                Code::FuseSize => "through the fuse of",
                _ => "on",
            };
            let load = format!("{verb}: {value}{length} {what} {name} {when}");
            match (status, seen.verdict.allowed_s) {
                (Status::Holds, _) => format!("{load}; its limit is {limit}."),
                (Status::Tight, _) => format!("{load}; close to its limit of {limit}."),
                (Status::Brief, Some(allowed)) => {
                    format!("{load}; over its {limit}, but carried for {}.", time(allowed))
                }
                (Status::Unproven, Some(allowed)) => format!(
                    "{load}; it is carried for {}, and how long the start lasts is not known. Time it on the bench.",
                    time(allowed)
                ),
                (Status::Unproven, None) | (Status::Brief, None) => format!(
                    "{load}; over its {limit}, and its higher rating states no time. Try it on the bench before anything depends on it."
                ),
                (Status::Trips, Some(allowed)) if allowed > 0.0 => {
                    format!("{load}; its limit is {limit}, and it carries that only for {}.", time(allowed))
                }
                (Status::Trips, _) => format!("{load}; its limit is {limit}."),
            }
        }
    }
}

/// A finding in three or four words: "Weir camera resets".
pub(super) fn brief(gauge: &Gauge, seen: &Seen) -> String {
    let name = &gauge.name;
    let Bound::Window { low, .. } = gauge.bound else {
        return match (gauge.code, seen.verdict.status) {
            (_, Status::Holds) => format!("{name} holds"),
            (Code::Collapse, _) => format!("lead to {name} collapses"),
            (Code::VoltageDrop, Status::Trips) => format!("lead to {name} too long"),
            (Code::VoltageDrop, _) => format!("lead to {name} tight"),
            (Code::FuseSize, status) => format!("fuse of {name} {}", status.word()),
            (Code::IdleDraw, _) => format!("{name} costs more than it carries"),
            (_, status) => format!("{name} {}", status.word()),
        };
    };
    match (seen.verdict.status, low == Some(seen.limit), gauge.code) {
        (Status::Trips, true, Code::DeviceVoltage) => format!("{name} resets"),
        (Status::Trips, true, _) => format!("{name} cuts out"),
        (Status::Trips, false, _) => format!("{name} may be destroyed"),
        (status, _, _) => format!("{name} {}", status.word()),
    }
}

fn window(gauge: &Gauge, seen: &Seen, when: &str) -> String {
    let (name, volts) = (&gauge.name, amount(seen.value, "V"));
    let edge = amount(seen.limit, "V");
    let charge = CHARGES[seen.charge];
    let Bound::Window { low, high } = gauge.bound else { return String::new() };
    let below = low == Some(seen.limit);
    let device = gauge.code == Code::DeviceVoltage;
    match seen.verdict.status {
        Status::Trips if below && device => {
            format!("Resets: {name} gets {volts} {when} at {charge} charge and needs {edge}.")
        }
        Status::Trips if below => {
            format!("Cuts out: {name} gets {volts} {when} at {charge} charge and cuts out at {edge}.")
        }
        Status::Trips => {
            format!("May destroy {name}: {volts} at its input {when} at {charge} charge; it takes {edge} at most.")
        }
        Status::Tight if below => format!(
            "Tight: {name} gets {volts} {when} at {charge} charge, {} over its least {edge}.",
            amount(seen.margin, "V")
        ),
        Status::Tight => format!(
            "Tight: {name} gets {volts} {when} at {charge} charge, {} under its most {edge}.",
            amount(seen.margin, "V")
        ),
        _ => {
            let window = match (low, high) {
                (Some(low), Some(high)) => format!("it takes {} to {}", amount(low, ""), amount(high, "V")),
                (Some(low), None) => format!("it takes {} and more", amount(low, "V")),
                (None, Some(high)) => format!("it takes {} at most", amount(high, "V")),
                (None, None) => "its window is not known".into(),
            };
            format!("Holds: {name} gets at worst {volts} {when} at {charge} charge; {window}.")
        }
    }
}

/// The working of a finding.
pub(super) fn working(gauge: &Gauge, seen: &Seen, moment: &Moment, tight_from: f64) -> Working {
    let value = Term::computed(
        &format!("value at the moment “{moment}”, {} charge", CHARGES[seen.charge]),
        seen.value,
        gauge.unit,
    );
    let limit = Term::computed("limit", seen.limit, gauge.unit);
    let margin = Term::computed("margin", seen.margin, gauge.unit);
    let words = match &gauge.bound {
        Bound::Levels(levels) => {
            let timed = levels.overload.iter().map(|(level, seconds)| match seconds {
                Some(seconds) => format!("up to {} for {}", amount(*level, gauge.unit), time(*seconds)),
                None => format!("up to {} for a time that nobody stated", amount(*level, gauge.unit)),
            });
            let mut words = format!("holds up to {} of the continuous limit, tight up to it", percent(tight_from));
            for level in timed {
                words += "; ";
                words += &level;
            }
            words
        }
        Bound::Window { .. } => {
            "margin = distance to the nearer edge of the window; tight within 2 % of the edge".into()
        }
        Bound::Drop => "share of the near end's voltage that the lead takes; over 3 % tight, over 10 % too much".into(),
        Bound::Idle { .. } => "power for being on against the power carried while running".into(),
        Bound::Stands => "a lead is stable while the power it carries grows with its current".into(),
    };
    Working::of(gauge.code.word(), &words, vec![value, limit], margin)
}

/// What to mind where a finding can hurt someone.
pub(super) fn caution(plan: &Plan, gauge: &Gauge, seen: &Seen) -> Option<String> {
    if seen.verdict.status == Status::Holds {
        return None;
    }
    let item = gauge.place.split('/').next().unwrap_or_default();
    let medical = plan
        .device(item)
        .and_then(|it| it.role.as_deref())
        .is_some_and(|role| role.contains("medical") || role.contains("breathing"));
    let text = match gauge.code {
        _ if medical => {
            "A medical device: its maker and the care team decide how it is backed up. These figures are no medical assurance."
        }
        Code::DeviceVoltage | Code::ConverterVoltage if seen.verdict.status == Status::Trips => {
            "Check voltage and polarity with a meter at every joint before the far end is plugged in."
        }
        Code::BatteryCurrent | Code::Collapse => {
            "A battery can give a short circuit thousands of amperes: a fuse at its positive terminal, insulated tools."
        }
        Code::VoltageDrop if seen.verdict.status == Status::Trips => {
            "Thin leads get hot in long runs; local codes rule their size."
        }
        _ => return None,
    };
    Some(text.into())
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
