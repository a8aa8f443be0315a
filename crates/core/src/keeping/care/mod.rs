//! A site over the years: what is due and why, and how its batteries age.
//!
//! # Layout
//! - `due`: checks that follow from the plan, by rules that are data, and those of one's own
//! - `health`: what is known of a battery's capacity and resistance, their course, what each outage
//!   needs of it, and when they cross

mod due;
mod health;

pub use due::{Check, Did, Own, Record, due};
pub use health::{Aged, Crossing, Health, Need, Point, Resistance, health, needs_of, resistance};
