//! An outage that is happening: what meters and people saw of it, and what follows for the hours to come.
//!
//! A Bayesian estimate over the same figures that [`crate::outage::chances`] draws, and over what meters and stores are off
//! by: the middle of what is likely is found by Gauss and Newton on the march itself, then runs are drawn around it and weighted by
//! how well they say what was read (importance sampling; Owen 2013, chapter 9, with weights cut off as Ionides 2008 does). Without
//! a reading the runs are those of the plan.
//!
//! # Layout
//! - `seen`: readings and what people did, and the file that holds them
//! - `world`: one run: figures drawn, marched through, and what the meters would have shown
//! - `observed`: readings taken together, each with what it may be off by
//! - `estimate`: what is likely, and what it says

mod estimate;
mod observed;
mod seen;
mod world;

pub use estimate::{Doubt, DropGain, Estimate, Learned, Next, Range, StoreNow, Until, estimate};
pub use seen::{Act, Acted, MOST_ROWS, Reading, Seen, Start, read_seen};
