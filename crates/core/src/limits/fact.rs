//! A verdict that no state changes, as plain data.

use super::code::{Code, Unstated};
use super::verdict::Status;
use crate::network::Moment;
use crate::site::plan::{Arrangement, Feed, Plan, Port, PortVoltage};
use crate::site::sum::Term;

/// Words that are written where somebody reads them: most verdicts are only judged.
pub(super) struct Words<'a>(Box<dyn FnOnce() -> String + 'a>);

impl<'a> Words<'a> {
    pub(super) fn of(write: impl FnOnce() -> String + 'a) -> Self {
        Self(Box::new(write))
    }

    pub(super) fn written(self) -> String {
        self.0()
    }
}

/// [`Words`] by a format.
macro_rules! said {
    ($($it:tt)*) => { Words::of(move || format!($($it)*)) };
}
pub(super) use said;

/// A verdict that no state changes.
pub(super) struct Fact<'a> {
    pub(super) code: Code,
    pub(super) place: String,
    pub(super) status: Status,
    pub(super) value: f64,
    pub(super) limit: f64,
    pub(super) unit: &'static str,
    pub(super) message: Words<'a>,
    pub(super) brief: Words<'a>,
    /// The rule in words, for the working.
    pub(super) rule: &'static str,
    /// The formula over the terms that comes to the value; where there is no term, the value is one
    /// itself.
    pub(super) formula: &'static str,
    pub(super) terms: Vec<Term>,
    pub(super) caution: Option<&'static str>,
    /// The moment at which it is so.
    pub(super) moment: Moment,
    /// What nobody stated, where that alone leaves it open.
    pub(super) unstated: Option<Unstated>,
}

/// The item and port that a feed's voltage comes from: its own, or the one above the junctions
/// between.
pub(super) fn standing<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    feed: &'a Feed,
) -> Option<(&'a str, &'a Port)> {
    let mut at = feed;
    for _ in 0..=arrangement.feeds.len() {
        let port = plan.port(&at.from)?;
        let item = at.from.item.as_str();
        let follows = matches!(port.voltage, PortVoltage::Follows { .. });
        match arrangement.feed_into(item).filter(|_| follows) {
            Some(above) => at = above,
            None => return Some((item, port)),
        }
    }
    None
}
