//! A day of use, or the hours of an outage, and how long a store carries it.
//!
//! A day is cut at the edges of every `hours` cycle. Within a stretch each thermostat is on
//! or off, independently of the others, for its share of the time; every combination is
//! solved on the real network and weighted, so that losses with the square of a current
//! are those of the current that really flows and not of its average. Beyond six
//! thermostats the lightest ones are averaged instead.
//!
//! # Layout
//! - `span`: which hours; `stretch`: the states of the devices in them
//! - `filling`: when charging inputs take, until their store is full
//! - `usage`: what flows in them, in watt-hours; `lasting`: how long a store carries that

mod filling;
mod lasting;
mod span;
mod stretch;
mod usage;

pub(crate) use lasting::Size;
pub use lasting::{Lasting, lasting, lasting_over};
pub use span::Span;
pub(crate) use stretch::{alone_wh, hours_a_day};
pub use usage::{LossWh, Usage, day, over};
