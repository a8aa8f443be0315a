//! The computation of Ash Pond: plans, chains, limits, batteries and their workings.
//!
//! No IO, no clock, no interface code. A plan comes in as text, an answer goes out as a
//! value that can explain itself.
//!
//! # The rooms
//! Each takes from those above it in this list alone, and has a map in its own page (a test of
//! `xtask` follows the arrows):
//! - [`ground`]: what all stand on: numbers with units and ±, sentences as data, reading JSON
//! - [`site`]: the plan and its figures
//! - [`network`]: the steady state of an arrangement at one moment
//! - [`limits`]: what that state does to every limit, as findings, and what would mend them
//! - [`bench`]: what can be measured, which test gives which figure, and what comes of it
//! - [`time`]: a day, an outage, the years of a battery
//! - [`advice`]: what fits, what is compared, what matters, what to buy and how to charge
//! - [`keeping`]: an outage that is watched; what is due
//! - [`telling`]: answers in sentences, and the sum behind every number
//!
//! ```
//! use ash_pond_core::{network::{Charge, Moment, evaluate}, site::plan::Plan};
//! let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
//! let way = plan.arrangement("camera-direct").unwrap();
//! let flow = evaluate(&plan, way, &Moment::Running, &Charge::full()).unwrap();
//! assert!(flow.totals.drawn_w > flow.totals.delivered_w);
//! ```

pub mod advice;
pub mod bench;
pub mod ground;
pub mod keeping;
pub mod limits;
pub mod network;
pub mod site;
pub mod telling;
pub mod time;

/// The examples of `docs/findings.md`, run as tests.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/findings.md")]
pub struct FindingsInTheDocs;
