//! Numbers, times and moments as a person writes them, and the cautions.

use super::verdict::Status;
use crate::network::Moment;
use crate::plan::Plan;
use std::fmt;

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
/// assert_eq!(amount(-2.5, ""), "-2.5");
/// ```
pub fn amount(value: f64, unit: &str) -> String {
    Amount(value, unit).to_string()
}

/// A share as a percentage: `1.6 %`, `42 %`.
pub fn percent(share: f64) -> String {
    share_of(share).to_string()
}

/// [`amount`] without a string of its own: findings are many, and most of their time is writing.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Amount<'a>(pub(crate) f64, pub(crate) &'a str);

/// [`percent`] without a string of its own.
pub(super) fn share_of(share: f64) -> Amount<'static> {
    Amount(share * 100.0, "%")
}

/// A time in the unit that a person would use.
pub(super) fn time(seconds: f64) -> Amount<'static> {
    match seconds {
        _ if seconds >= 5400.0 => Amount(seconds / 3600.0, "h"),
        _ if seconds >= 600.0 => Amount(seconds / 60.0, "min"),
        _ => Amount(seconds, "s"),
    }
}

impl fmt::Display for Amount<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self(value, unit) = *self;
        let size = value.abs();
        let (digits, scale) = match size {
            _ if size >= 100.0 || size == 0.0 => (0, 1.0),
            _ if size >= 10.0 => (1, 10.0),
            _ if size >= 0.1 => (2, 100.0),
            _ => (3, 1000.0),
        };
        let scaled = (size * scale).round();
        if scaled.is_nan() || scaled >= 1e15 {
            return write!(f, "{value:.digits$} {unit}");
        }
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "less than 1e15, and whole")]
        let mut whole = scaled as u64;
        let mut behind = digits;
        // Zeros at the end behind the point tell nothing.
        while behind > 0 && whole.is_multiple_of(10) {
            whole /= 10;
            behind -= 1;
        }
        // Written from the back: 20 digits, 6 commas, a point and a sign at the most.
        let mut text = [0_u8; 32];
        let mut at = text.len();
        let mut put = |byte: u8| {
            at -= 1;
            text[at] = byte;
        };
        let mut written = 0;
        while whole > 0 || written <= behind {
            let before = written.max(behind) - behind;
            if written == behind && behind > 0 {
                put(b'.');
            } else if before > 0 && before.is_multiple_of(3) {
                put(b',');
            }
            put(b'0' + (whole % 10) as u8);
            whole /= 10;
            written += 1;
        }
        if value < 0.0 && scaled > 0.0 {
            put(b'-');
        }
        f.write_str(std::str::from_utf8(&text[at..]).map_err(|_| fmt::Error)?)?;
        if unit.is_empty() {
            return Ok(());
        }
        f.write_str(" ")?;
        f.write_str(unit)
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
            Moment::Starting(id) => write!(f, "while {} starts", self.plan.label(id)),
            Moment::Stopping(id) => write!(f, "while {} stops", self.plan.label(id)),
            Moment::AllStarting => f.write_str("while everything starts at once"),
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

#[cfg(test)]
mod tests {
    use super::amount;

    #[test]
    fn amounts_are_written_as_a_person_would() {
        let cases = [
            (0.0, "0 W"),
            (0.0004, "0 W"),
            (0.0996, "0.1 W"),
            (0.5, "0.5 W"),
            (9.999, "10 W"),
            (12.34, "12.3 W"),
            (99.96, "100 W"),
            (999.6, "1,000 W"),
            (1_234_567.0, "1,234,567 W"),
            (-0.04, "-0.04 W"),
            (-1500.0, "-1,500 W"),
            (-0.0001, "0 W"),
            (100.0, "100 W"),
        ];
        for (value, text) in cases {
            assert_eq!(amount(value, "W"), text, "{value}");
        }
    }

    #[test]
    fn amounts_agree_with_the_exact_way_of_writing() {
        for step in 1..20_000_u32 {
            // Odd sevenths are no ties.
            let value = f64::from(step) / 7.0 + 1e-4;
            let digits = if value >= 100.0 {
                0
            } else if value >= 10.0 {
                1
            } else {
                2
            };
            let exact = format!("{value:.digits$}");
            let exact = if digits > 0 { exact.trim_end_matches('0').trim_end_matches('.') } else { &exact };
            assert_eq!(amount(value, "").replace(',', ""), exact);
        }
    }
}
