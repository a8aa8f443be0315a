//! What to do: what is compared, tried, carried out and judged before it is said.
//!
//! # Layout
//! - [`needs`]: what must stay on, before anything feeds it; [`supply`]: what stores give, outlets
//!   cost and converters lose
//! - [`fits`]: what can feed an item and what can follow a port, with the lead, fuse and converter
//!   that it takes
//! - [`compare`]: arrangements side by side, and where they cross
//! - [`matters`]: the figures on which an answer hangs; [`next`]: what to measure next
//! - [`charge`]: how a store gets full again, and what would be faster
//! - [`shelf`]: what runs what, and the smallest that would do

pub mod charge;
pub mod compare;
pub mod fits;
pub mod matters;
pub mod needs;
pub mod next;
pub mod shelf;
pub mod supply;
