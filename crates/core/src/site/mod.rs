//! The plan and its figures: what a site is made of, before anything flows.
//!
//! # Layout
//! - [`plan`]: the plan file; [`schema`]: what it may hold, for others
//! - [`parts`]: what it is made of; [`kinds`]: ready-made devices, sources and converters
//! - [`chemistry`]: what batteries of a kind do; [`battery`]: what the full model of one adds
//! - [`wire`]: leads, their resistance and what is planned for them
//! - [`figures`]: every figure that can be measured, moved and drawn where it stands; [`fields`]: the
//!   fields of a plan in words
//! - [`entry`]: what a person types for a figure, in the units that they have; [`claim`]: a loss law
//!   from nothing but a label
//! - [`exchange`]: devices, sources and converters as tables, in and out
//! - [`sum`]: the sum behind a number, as data

pub mod battery;
pub mod chemistry;
pub mod claim;
pub mod entry;
pub mod exchange;
pub mod fields;
pub mod figures;
pub mod kinds;
pub mod parts;
pub mod plan;
#[cfg(feature = "schema")]
pub mod schema;
pub mod sum;
pub mod wire;
