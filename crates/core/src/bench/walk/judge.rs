//! What a reading at a joint says, and what to do.

use super::joint::Joint;
use crate::ground::json::words;
use crate::ground::say::{Sentence, amount};
use crate::site::plan::device::Current;
use serde::Serialize;

words!(
    /// What a reading says.
    Shows {
        /// It lies where it must.
        Expected = "expected",
        /// Plus and minus are swapped.
        Reversed = "reversed",
        /// Nothing arrives.
        Dead = "dead",
        /// Less than expected.
        Low = "low",
        /// More than expected.
        High = "high",
        /// More than what is plugged in here takes.
        Harms = "harms",
    }
);

/// A reading as it is judged.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Judged {
    /// What it says.
    pub shows: Shows,
    /// It in a sentence, with what to do where it is not as expected.
    pub sentence: Sentence,
}

/// Less than this share of what is expected is nothing.
const NOTHING: f64 = 0.05;

/// Judges a reading of `volts` at a joint. The sign counts for DC alone.
pub(super) fn judge(joint: &Joint, volts: f64) -> Judged {
    let volts = if joint.current == Current::Ac {
        volts.abs()
    } else {
        volts
    };
    let shown = amount(volts, "V");
    let expected = window(joint.low_v, joint.high_v);
    let what = joint.feeds.as_deref().unwrap_or("anything");
    let size = joint.running_v.or(joint.high_v).unwrap_or(0.0);
    let nothing = (NOTHING * size).max(0.1);
    let told = |shows, sentence| Judged { shows, sentence };
    if let Some(most) = joint.takes_high_v.filter(|it| volts.abs() > *it) {
        return told(
            Shows::Harms,
            format!(
                "{shown}, and {what} takes {} at most. Do not plug it in; look for the wrong \
                output, the wrong setting or the wrong adapter.",
                amount(most, "V")
            )
            .into(),
        );
    }
    if volts < -nothing {
        return told(
            Shows::Reversed,
            format!(
                "{shown}: plus and minus are swapped. Do not plug in {what}; turn the two \
                conductors round at the last joint, and measure again."
            )
            .into(),
        );
    }
    if volts < nothing && joint.low_v.is_none_or(|it| it > nothing) {
        return told(
            Shows::Dead,
            format!(
                "{shown}: nothing arrives. Look at the fuse, the switch of the port, and the \
                contacts since the last joint that was right."
            )
            .into(),
        );
    }
    if let Some(low) = joint.low_v.filter(|it| volts < *it) {
        let below = joint.takes_low_v.filter(|it| volts < *it);
        let also = below.map_or_else(String::new, |it| {
            format!(" {what} needs {}.", amount(it, "V"))
        });
        let why = if joint.feeds.is_some() {
            "a contact, a fuse holder or a thinner or longer lead than stated loses the rest; feel \
            which of them is warm, and mend it"
        } else {
            "the store is emptier than stated, or the output is set lower; look which, and put it \
            right in the plan"
        };
        return told(
            Shows::Low,
            format!(
                "{shown} where {expected} must be, {} too little: {why}.{also}",
                amount(low - volts, "V")
            )
            .into(),
        );
    }
    if let Some(high) = joint.high_v.filter(|it| volts > *it) {
        return told(
            Shows::High,
            format!(
                "{shown} where {expected} must be, {} too much: something charges, or the output \
                is set higher; look which before {what} is plugged in.",
                amount(volts - high, "V")
            )
            .into(),
        );
    }
    told(
        Shows::Expected,
        format!("{shown}, as it must be ({expected}).").into(),
    )
}

fn window(low: Option<f64>, high: Option<f64>) -> String {
    match (low, high) {
        (Some(low), Some(high)) => format!("{} to {}", amount(low, ""), amount(high, "V")),
        (None, Some(high)) => format!("up to {}", amount(high, "V")),
        (Some(low), None) => format!("at least {}", amount(low, "V")),
        (None, None) => "nothing".into(),
    }
}
