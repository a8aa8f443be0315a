//! The bench: what two meters and an evening tell, as figures with their ±.
//!
//! # Layout
//! - `protocol`: the tests by name, and the one that gives a figure
//! - `meter`: readings with what they may be off; `log`: files of meters, loggers and scopes
//! - `fit`: a loss law through points; `capture`: a switchover; `profile`: the phases of a device

mod capture;
mod fit;
mod log;
mod meter;
mod profile;
mod protocol;

pub use capture::{Capture, Sample, capture};
pub use fit::{BandPoint, LossFit, Pair, fit};
pub use log::{Column, Holds, Log, Reader, Wrong, read_log};
pub use meter::{Instrument, Known, student};
pub use profile::{Cycles, Found, Profile, profile};
pub use protocol::Protocol;
