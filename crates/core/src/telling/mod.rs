//! How an answer is told.
//!
//! # Layout
//! - [`answer`]: what an arrangement comes to, in sentences
//! - [`working`]: the sum behind every number

pub mod answer;
pub mod working;
