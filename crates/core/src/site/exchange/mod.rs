//! Devices, sources and converters as tables, in and out, and plans read into a site that is there
//! already.
//!
//! Nothing lands by itself: an import is read into a [`Preview`] of what it would add and change
//! and of what could not be read, with its row, its column and the remedy. The header is documented
//! in `docs/exchange.md`.
//!
//! # Layout
//! - `columns`: the columns of each table, and how a cell is written and read
//! - `cells`: cells that hold more than a word or a figure
//! - `sheet`: text as rows, whatever parts its cells
//! - `write`: out; `preview`: in

mod cells;
mod columns;
mod preview;
mod sheet;
mod write;

pub use columns::{Table, columns};
pub use preview::{Landing, Preview, Touched, Unreadable, preview};
pub use write::{harmless, meant, table};
