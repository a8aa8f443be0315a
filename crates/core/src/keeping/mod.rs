//! The site as it is lived with: a night without the mains, and the years.
//!
//! # Layout
//! - [`watch`]: an outage that is happening, estimated by what is read of it
//! - [`care`]: what is due and why, and how batteries age

pub mod care;
pub mod watch;
