//! Sites, elements, revisions and the change journal, in one SQLite file in one folder.
//!
//! Every write is one transaction that ends on disk (`synchronous=FULL`) before it is
//! acknowledged, and no transaction ends with a plan that core would refuse.
//!
//! # Layout
//! - [`error`]: what can go wrong, with what to do about it
//! - `folder`: opening, the lock against a second process, migrations, connections
//! - [`backup`]: copies of it all while it is in use, each day and by hand, and the way back
//! - [`element`]: kinds of elements, and plans taken apart and put together
//! - `sites`: sites and their plans; [`change`]: edits, conflicts, the journal, undo and redo
//! - `step`: the one way in which anything is changed, so that it can be undone
//! - `tests`: tests of the bench, and what their figures replaced
//! - `meters`: instruments, and meters that answer by themselves
//! - `walks`: readings at the joints of arrangements
//! - `watches`: outages that are watched, and what was read, done and noted in them
//! - `past`: what figures were before they were changed
//! - `log`: everything that happened, found by words, with pictures and files
//! - [`readings`]: what meters showed by time, made for ten million rows
//! - [`archive`]: one site whole in a file, and the way back

pub mod archive;
pub mod backup;
pub mod change;
pub mod element;
pub mod error;
mod folder;
mod held;
mod log;
mod meters;
mod past;
pub mod readings;
mod rows;
mod sites;
mod step;
mod tests;
mod walks;
mod watches;

pub use change::{Edit, Told, Undone};
pub use element::{Element, Kind};
pub use error::StoreError;
pub use folder::Store;
pub use held::Revised;
pub use log::{LARGEST_FILE, LogAsked, LogFile, LogRow, MOST_ROWS, NewEntry};
pub use meters::MeterRow;
pub use past::{PastFigure, PastPlace};
pub use sites::SiteRow;
pub use tests::{TestRow, TestStep};
pub use walks::{MOST_TOLD, WalkRead};
pub use watches::{MOST_ENTRIES, WatchEntry, WatchRow};
