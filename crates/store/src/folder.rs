//! Opening a data folder: the lock, the migrations, the connections.

use crate::error::StoreError;
use nix::fcntl::{Flock, FlockArg};
use rusqlite::Connection;
use rusqlite_migration::{M, MigrationDefinitionError, Migrations};
use std::fs::File;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Readers that are kept open between uses.
const MOST_READERS: usize = 4;

const SCRIPTS: &[M<'static>] = &[
    M::up(include_str!("../migrations/0001.sql")),
    M::up(include_str!("../migrations/0002.sql")),
    M::up(include_str!("../migrations/0003.sql")),
    M::up(include_str!("../migrations/0004.sql")),
    M::up(include_str!("../migrations/0005.sql")),
];
const MIGRATIONS: Migrations<'static> = Migrations::from_slice(SCRIPTS);

/// An open data folder. One writer, a few readers; safe to share between threads.
pub struct Store {
    file: PathBuf,
    writer: Mutex<Connection>,
    readers: Mutex<Vec<Connection>>,
    /// Held for as long as the store is open; let go by the system even when the process is killed.
    _lock: Flock<File>,
}

impl Store {
    /// Opens the data folder at `folder`, and makes it where it is not there.
    ///
    /// # Errors
    /// Where another process has it open, where a newer version wrote it, or where it cannot be used.
    pub fn open(folder: &Path) -> Result<Self, StoreError> {
        let unusable = |error| StoreError::Folder { folder: folder.to_owned(), error };
        std::fs::create_dir_all(folder).map_err(unusable)?;
        let lock = File::create(folder.join("lock")).map_err(unusable)?;
        let lock =
            Flock::lock(lock, FlockArg::LockExclusiveNonblock).map_err(|_| StoreError::InUse(folder.to_owned()))?;
        let file = folder.join("ash-pond.sqlite");
        let mut writer = connect(&file)?;
        MIGRATIONS.to_latest(&mut writer).map_err(|error| match error {
            rusqlite_migration::Error::MigrationDefinition(MigrationDefinitionError::DatabaseTooFarAhead) => {
                StoreError::TooNew(folder.to_owned())
            }
            other => StoreError::Migration(other),
        })?;
        Ok(Self { file, writer: Mutex::new(writer), readers: Mutex::new(Vec::new()), _lock: lock })
    }

    /// The one connection that writes.
    pub(crate) fn writer(&self) -> MutexGuard<'_, Connection> {
        // A panic elsewhere leaves no half-done state behind: its transaction was rolled back.
        self.writer.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Runs `read` on a connection that does not wait for the writer.
    pub(crate) fn read<T>(&self, read: impl FnOnce(&Connection) -> Result<T, StoreError>) -> Result<T, StoreError> {
        let kept = self.readers.lock().unwrap_or_else(PoisonError::into_inner).pop();
        let connection = kept.map_or_else(|| connect(&self.file), Ok)?;
        let answer = read(&connection);
        let mut readers = self.readers.lock().unwrap_or_else(PoisonError::into_inner);
        if readers.len() < MOST_READERS {
            readers.push(connection);
        }
        answer
    }
}

fn connect(file: &Path) -> Result<Connection, StoreError> {
    let connection = Connection::open(file)?;
    connection.pragma_update(None, "journal_mode", "WAL")?;
    connection.pragma_update(None, "synchronous", "FULL")?;
    connection.pragma_update(None, "foreign_keys", true)?;
    connection.busy_timeout(std::time::Duration::from_secs(5))?;
    Ok(connection)
}
