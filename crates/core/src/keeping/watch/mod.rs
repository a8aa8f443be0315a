//! An outage that is happening: what meters and people saw of it, and what follows for the hours to
//! come.
//!
//! A Bayesian estimate over the same figures that [`crate::time::outage::chances`] draws, and over what
//! meters and stores are off by: the middle of what is likely is found by Gauss and Newton on the
//! march itself, then runs are drawn around it and weighted by how well they say what was read
//! (importance sampling; Owen 2013, chapter 9, with weights cut off as Ionides 2008 does). Without
//! a reading the runs are those of the plan.
//!
//! # Layout
//! - `seen`: readings and what people did; `replay`: the file that holds them; `logger`: that of a
//!   logger at a store
//! - `world`: one run: figures drawn, marched through, and what the meters would have shown
//! - `plugged`: devices that were plugged over to another outlet; `over`: what that would bring
//! - `observed`: readings taken together, each with what it may be off by; `ahead`: what happened
//!   to be busy, drawn beside the figures
//! - `problem`: the middle of what is likely, and runs around it
//! - `estimate`: what is known at a moment, and how a reading moves it
//! - `drill`: hidden worlds
//! - `review`: afterwards
//! - `told`, `answer`: what the runs say; `words`: as a person reads it
//! - `happening`: the outage that begins now, and readings as they are typed

mod ahead;
mod answer;
mod drill;
mod estimate;
mod happening;
mod logger;
mod observed;
mod over;
mod plugged;
mod problem;
mod replay;
mod review;
mod seen;
mod told;
mod words;
mod world;

pub use answer::{
    Claim, Course, Deadline, Doubt, DropGain, Estimate, Learned, Next, Range, StoreNow, Until,
};
pub use drill::{Hidden, Hides, Noticed};
pub use estimate::{Standing, WorthReading, estimate};
pub use happening::{Entered, entered, happening, not_counted};
pub use logger::read_past;
pub use over::{Outlet, Outlets, outlet_label};
pub use plugged::{can_plug, ever_hung, left, not_plugged, outlet, plugged};
pub use replay::{MOST_ROWS, read_seen};
pub use review::{Decision, HourTold, Review, Truth, review};
pub use seen::{Act, Acted, Reading, Seen, Start};
pub use words::{
    ComingTold, DeadlineTold, DropTold, Headline, Words, by_the_clock, in_order, look_first_since,
    off_since, words,
};
