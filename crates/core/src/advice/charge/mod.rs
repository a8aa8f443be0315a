//! How a store gets full again, by what is really wired.
//!
//! Whatever is wired into an input of a store fills it, through its converters, leads, ports, bands
//! and modes, while everything else of the arrangement draws; nothing else does. It is the march of
//! an outage, begun at a charge and ended at another. What is not wired is offered as what could
//! be: put in, marched and judged before it is told.
//!
//! # Layout
//! - `told`: what is asked and told; `wiring`: the arrangement made ready for it; `carry`: its
//!   march; `words`: what holds an input down
//! - `day`: the same on the clock, and how long engines must run; `offers`: what is not wired;
//!   `fills`: which source into which input by which converter

mod carry;
mod day;
mod fills;
mod offers;
mod told;
mod wiring;
mod words;

pub use fills::{FillCell, FillFrom, Fills, HoursTo, MOST_CELLS, Refusal, fills};
pub use told::{
    EngineDay, FillSpan, LimitKind, Offer, ReachedLevel, RechargeAsk, Recharged, WayIn, WayLimit,
};

use crate::ground::json::FieldError;
use crate::site::plan::{Arrangement, Outage, Plan};
use carry::carried_out;
use wiring::Ready;

/// Fills a store by what an arrangement wires into it, with what is drawn meanwhile. By the
/// outage's start for the sun and its temperature for the cold; without one by the site's
/// temperature, and the sun of the equinox.
///
/// # Errors
/// Names the part of what was asked that cannot be.
pub fn recharge(
    plan: &Plan,
    way: &Arrangement,
    outage: Option<&Outage>,
    ask: &RechargeAsk,
) -> Result<Recharged, FieldError> {
    let ready = Ready::of(plan, way, outage, ask)?;
    let mut told = carried_out(&ready, ask);
    if ask.offers {
        let full_h = told.levels.last().and_then(|it| it.after_h);
        told.not_wired = offers::offers(plan, &ready, ask, full_h);
        told.engines = day::engines(&ready, ask);
    }
    Ok(told)
}
