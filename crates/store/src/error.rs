//! What can go wrong in the store, with what to do about it.

use ash_pond_core::ground::json::FieldError;
use std::path::PathBuf;

/// Why the store could not do what it was asked.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// Nothing has this id.
    #[error("there is no {what} \"{id}\"")]
    Missing {
        /// What was looked for.
        what: &'static str,
        /// Its id.
        id: String,
    },
    /// The element was changed by someone else since it was read.
    #[error(
        "the {kind} \"{id}\" was changed elsewhere since it was read (revision {current}, yours \
        {yours})"
    )]
    Stale {
        /// The element's kind.
        kind: &'static str,
        /// Its id.
        id: String,
        /// The revision that the change was based on.
        yours: i64,
        /// The revision that it has now; 0 where it is gone.
        current: i64,
        /// Its body now, where it still is.
        body: Option<serde_json::Value>,
    },
    /// The plan would not be one that core accepts.
    #[error(transparent)]
    Refused(#[from] FieldError),
    /// There is nothing to undo, or nothing to do again.
    #[error("there is nothing to {0}")]
    Nothing(&'static str),
    /// A watch that is there already, or holds too much.
    #[error("{0}")]
    Watched(String),
    /// Another process has the folder open.
    #[error("the folder {} is in use by another Ash Pond; stop that one, or choose another folder \
        with --data", .0.display())]
    InUse(PathBuf),
    /// The database was written by a newer version.
    #[error("the data in {} were written by a newer Ash Pond; open them with that version, or \
        choose another folder with --data", .0.display())]
    TooNew(PathBuf),
    /// The folder cannot be made or read.
    #[error("the folder {} cannot be used: {error}", .folder.display())]
    Folder {
        /// The folder.
        folder: PathBuf,
        /// What the system says.
        error: std::io::Error,
    },
    /// Something that is stored cannot be read.
    #[error(
        "stored data cannot be read: {table}, {row}: {why}. Nothing was changed; open a backup, \
        and report it"
    )]
    Unreadable {
        /// The table.
        table: &'static str,
        /// Which row of it.
        row: String,
        /// What is wrong with it.
        why: String,
    },
    /// It is no archive of a site that can be opened.
    #[error("the archive cannot be opened: {why}. Nothing was changed")]
    NotArchive {
        /// What is wrong with it.
        why: String,
    },
    /// The database is damaged.
    #[error("the data in {} are damaged: {why}. Nothing was changed; restore a backup into another \
        folder with `ash-pond restore`", .folder.display())]
    Damaged {
        /// The folder.
        folder: PathBuf,
        /// What the check says.
        why: String,
    },
    /// SQLite failed.
    #[error("the database failed: {0}")]
    Sqlite(#[from] rusqlite::Error),
    /// A migration failed.
    #[error("the database could not be brought up to date: {0}")]
    Migration(rusqlite_migration::Error),
}

impl StoreError {
    /// Stored data that cannot be read: of which table and row, and why.
    pub fn unreadable(table: &'static str, row: String, why: impl Into<String>) -> Self {
        Self::Unreadable {
            table,
            row,
            why: why.into(),
        }
    }
}

/// Stored JSON, or which row cannot be read. Nothing that is stored is ever a default.
pub(crate) fn stored<T: serde::de::DeserializeOwned>(
    text: &str,
    table: &'static str,
    row: impl FnOnce() -> String,
) -> Result<T, StoreError> {
    serde_json::from_str(text)
        .map_err(|error| StoreError::unreadable(table, row(), error.to_string()))
}
