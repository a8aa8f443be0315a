//! Sites, elements, revisions and the change journal, in one SQLite file in one folder.
//!
//! Every write is one transaction that ends on disk (`synchronous=FULL`) before it is
//! acknowledged, and no transaction ends with a plan that core would refuse.
//!
//! # Layout
//! - [`error`]: what can go wrong, with what to do about it
//! - `folder`: opening, the lock against a second process, migrations, connections
//! - [`element`]: kinds of elements, and plans taken apart and put together
//! - `sites`: sites and their plans; [`change`]: edits, conflicts, the journal, undo and redo
//! - `tests`: tests of the bench, and what their figures replaced
//! - `meters`: instruments, and meters that answer by themselves
//! - `walks`: readings at the joints of arrangements

pub mod change;
pub mod element;
pub mod error;
mod folder;
mod meters;
mod sites;
mod tests;
mod walks;

pub use change::{Edit, Step, Undone};
pub use element::{Element, Kind};
pub use error::StoreError;
pub use folder::Store;
pub use meters::MeterRow;
pub use sites::{Revised, SiteRow};
pub use tests::TestRow;
pub use walks::WalkRead;
