//! The short forms of the campaigns, one binary.

mod fuzz;
mod soak;
