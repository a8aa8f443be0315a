//! A day of use, or the hours of an outage, and how long a store carries it.
//!
//! A day is cut at the edges of every `hours` cycle, of every filling and of every switch by the
//! clock. Within a stretch each thermostat is on or off, independently of the others, for its share
//! of the time, and what is filled every few days for its share of the days; what is switched with
//! its load is on where something behind it is; every combination is solved on the real network and
//! weighted, so that losses with the square of a current are those of the current that really flows
//! and not of its average. Beyond six of them the lightest ones are averaged instead.
//!
//! # Layout
//! - `span`: which hours; `windows`: when each device is on in them; `dividing`: where a budget
//!   divides; `stretch`: the states of all of them
//! - `filling`: when charging inputs take, until their store is full
//! - `being_on`: what things cost for being on, and what switching them would save
//! - `fillings`: how often a store fills what is charged
//! - `size`: how much a store holds
//! - `using`: a span made ready once; `parts`: an arrangement by its islands, for who moves figures
//! - `usage`: what flows in them, in watt-hours; `lasting`: how long a store carries that

mod being_on;
mod dividing;
mod filling;
mod fillings;
mod lasting;
mod parts;
mod size;
mod span;
mod stretch;
mod usage;
mod using;
mod windows;

pub use being_on::{BeingOn, OnForADay, Switching, being_on, with_their_load};
pub(crate) use fillings::put_back_share;
pub use fillings::{Fillings, fillings};
pub use lasting::{Lasting, lasting, lasting_over};
pub(crate) use parts::{Felt, Parts};
pub(crate) use size::Size;
pub use span::Span;
pub(crate) use stretch::{alone_wh, hours_a_day, turns_by_hand};
pub use usage::{LossWh, Usage, day, over};
pub(crate) use using::Use;
