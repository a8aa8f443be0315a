//! The bench: what two meters and an evening tell, as figures with their ±.
//!
//! # Layout
//! - `protocol`: the tests by name, and the one that gives a figure
//! - `meter`: readings with what they may be off; `log`: files of meters, loggers and scopes;
//!   `digest`: what is kept of one
//! - `fit`: a loss law through points, `spread`: how far it may be from the truth, `power`: what is
//!   measured of it; `capture`: a switchover; `profile`: the phases of a device
//! - `guide`: how a test is carried out; `history`: a figure over the years; `next`: what to
//!   measure next
//! - `place`: where a meter stood, and what came out there took from the store
//! - `case`: a test as it is kept, and what tests share; `outcome`: what comes of one, as data;
//!   `methods`: a module for each test; `test`: a test carried out, and its figures put into the
//!   plan

mod capture;
mod case;
mod digest;
mod fit;
mod guide;
mod history;
mod log;
mod meter;
mod methods;
mod outcome;
pub mod past;
mod place;
mod power;
mod profile;
mod protocol;
mod spread;
mod test;
pub mod walk;
mod worth;

pub use capture::{Capture, Sample, capture};
pub(crate) use case::full_wh;
pub use case::{Row, Subject, Test};
pub use digest::{Digest, digest, fine_s};
pub use fit::{BandPoint, LossFit, fit};
pub use guide::{Guide, Meter, Step, Target};
pub use history::drift;
pub use log::{Column, Holds, Log, Pick, Reader, Times, Wrong, read_log};
pub use meter::{Instrument, Known, Reading, student};
pub use methods::guides;
pub use outcome::{
    Axis, CurveAt, Given, GivenList, Mark, Outcome, Plot, Plotted, Question, Stretch, Told, thinned,
};
pub use power::{Moved, Pair, Power};
pub use profile::{Cycles, Found, Profile, profile};
pub use protocol::Protocol;
pub use test::{outcome, put_back, readings, replaced, with_figures};
pub(crate) use worth::{LEAST_SHARE, guide_of, narrowed, part_of, worth};
