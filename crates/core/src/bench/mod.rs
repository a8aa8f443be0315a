//! The bench: what can be measured, and which test gives which figure.
//!
//! # Layout
//! - `protocol`: the tests by name, and the one that gives a figure

mod protocol;

pub use protocol::Protocol;
