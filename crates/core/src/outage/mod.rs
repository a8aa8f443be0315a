//! An outage marched through in time: what goes down when, and why.
//!
//! # Layout
//! - `schedule`: when devices are on by the clock, and when that changes next
//! - `march`: the state, its steps and its events
//! - `result`: what came of it

mod march;
mod result;
mod schedule;

pub use march::simulate;
pub use result::{DeviceRun, Energy, Event, Simulation, SourceRun};
