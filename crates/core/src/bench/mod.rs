//! The bench: what two meters and an evening tell, as figures with their ±.
//!
//! # Layout
//! - `protocol`: the tests by name, and the one that gives a figure
//! - `meter`: readings with what they may be off; `log`: files of meters, loggers and scopes
//! - `fit`: a loss law through points; `capture`: a switchover; `profile`: the phases of a device
//! - `guide`: how a test is carried out
//! - `test`: a test as it is kept, and what comes of it

mod capture;
mod fit;
mod guide;
mod log;
mod meter;
mod profile;
mod protocol;
mod test;

pub use capture::{Capture, Sample, capture};
pub use fit::{BandPoint, LossFit, Pair, fit};
pub use guide::{Guide, Meter, Step, guides};
pub use log::{Column, Holds, Log, Reader, Wrong, read_log};
pub use meter::{Instrument, Known, student};
pub use profile::{Cycles, Found, Profile, profile};
pub use protocol::Protocol;
pub use test::{
    Given, Outcome, Plotted, Question, Reading, Row, Subject, Test, outcome, put_back, readings, replaced, with_figures,
};
