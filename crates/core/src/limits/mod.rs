//! What a state does to every limit: gauges, verdicts, findings.
//!
//! The network computes what would flow; this judges it.
//!
//! # Layout
//! - `verdict`: one value against one limit, with time
//! - `gauge`: every limit of an arrangement, and how to read its value from a state
//! - `survey`: all gauges at all moments and charges
//! - `finding`: the survey as findings, worst first; `words`: their sentences

mod finding;
mod gauge;
mod survey;
mod verdict;
mod words;

pub use finding::{Code, Elsewhere, Finding, findings};
pub use gauge::{Board, Carried, Mark, boards};
pub use survey::{DeviceVerdict, device_verdicts};
pub use verdict::{Lasts, Levels, Status, Verdict, judge};
pub use words::{amount, percent};
