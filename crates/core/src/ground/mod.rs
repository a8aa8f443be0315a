//! What every other room stands on.
//!
//! # Layout
//! - [`quantity`], [`figure`]: numbers with units, uncertainty and basis
//! - [`json`]: reading with errors that name the field
//! - [`say`]: sentences as data, rendered last
//! - [`work`]: work that can be stopped; `draw`: numbers drawn by chance

pub(crate) mod draw;
pub mod figure;
pub mod json;
pub mod quantity;
pub mod say;
pub mod work;
