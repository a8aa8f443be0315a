//! Long trials that a person starts, each with a short form that the tests run.
//!
//! # Layout
//! - [`soak`]: a server that is killed, starved of disk, moved in time, held up and loaded; what it
//!   acknowledged must be there
//! - [`fuzz`]: odd plans, files, entries, readings and requests; none may panic, hang, or give what
//!   is no number
//! - [`program`]: the program under trial; [`client`]: what asks it; [`table`]: what was tried and
//!   what was lost

pub mod client;
pub mod fuzz;
pub mod program;
pub mod soak;
pub mod table;
