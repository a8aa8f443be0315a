//! The computation of Ash Pond: plans, chains, limits, batteries and their workings.
//!
//! No IO, no clock, no interface code. A plan comes in as text, an answer goes out as a
//! value that can explain itself.
//!
//! # Layout
//! - [`quantity`], [`figure`]: numbers with units, uncertainty and basis
//! - [`json`]: reading with errors that name the field; [`plan`]: the plan file
//! - [`chemistry`]: what batteries of a kind do
//! - [`network`]: the steady state of an arrangement at one moment
//! - [`limits`]: what that state does to every limit, as findings
//! - [`day`]: a day of use, and how long a store carries it
//! - [`answer`]: what it comes to, in sentences
//! - [`working`]: the sum behind every number
//!
//! ```
//! use ash_pond_core::{network::{Charge, Moment, evaluate}, plan::Plan};
//! let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
//! let way = plan.arrangement("camera-direct").unwrap();
//! let flow = evaluate(&plan, way, &Moment::Running, &Charge::full()).unwrap();
//! assert!(flow.totals.drawn_w > flow.totals.delivered_w);
//! ```

pub mod answer;
pub mod chemistry;
pub mod day;
pub mod figure;
pub mod json;
pub mod limits;
pub mod network;
pub mod plan;
pub mod quantity;
pub mod working;
