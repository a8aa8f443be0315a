//! What goes by with time: a day, an outage, the years of a battery.
//!
//! # Layout
//! - [`day`]: a day of use, and how long a store carries it
//! - [`outage`]: an outage marched through
//! - [`life`]: how many years a battery lasts in use

pub mod day;
pub mod life;
pub mod outage;
