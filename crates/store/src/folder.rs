//! Opening a data folder: the lock, the migrations, the connections.

use crate::error::StoreError;
use crate::held::Plans;
use nix::fcntl::{Flock, FlockArg};
use rusqlite::Connection;
use rusqlite_migration::{M, MigrationDefinitionError, Migrations};
use std::fs::{File, Permissions};
use std::os::unix::fs::{OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

/// Readers that are kept open between uses.
const MOST_READERS: usize = 8;
/// Writes after which what they left in the log of the database is brought into it.
const WRITES_BROUGHT_IN: u64 = 64;
/// Where nobody does so, whoever writes does it himself once there are so many pages (of 4 kB).
/// While a copy is made that is of no use, as the copy holds on to what was there when it began;
/// each try would sort all that came since.
const MOST_PAGES_LEFT: u32 = 25_000;

const SCRIPTS: &[M<'static>] = &[
    M::up(include_str!("../migrations/0001.sql")),
    M::up(include_str!("../migrations/0002.sql")),
    M::up(include_str!("../migrations/0003.sql")),
    M::up(include_str!("../migrations/0004.sql")),
    M::up(include_str!("../migrations/0005.sql")),
    M::up(include_str!("../migrations/0006.sql")),
    M::up(include_str!("../migrations/0007.sql")),
    M::up(include_str!("../migrations/0008.sql")),
    M::up(include_str!("../migrations/0009.sql")),
    M::up(include_str!("../migrations/0010.sql")),
    M::up(include_str!("../migrations/0011.sql")),
];
const MIGRATIONS: Migrations<'static> = Migrations::from_slice(SCRIPTS);

/// The database within its folder.
pub(crate) const FILE: &str = "ash-pond.sqlite";
/// Up to this size the database is checked whole whenever it is opened, bytes; a larger one where
/// it was not closed, and each day in its copy.
const CHECKED_UP_TO: u64 = 64 << 20;

/// An open data folder. One writer, a few readers; safe to share between threads.
pub struct Store {
    folder: PathBuf,
    file: PathBuf,
    writer: Mutex<Connection>,
    readers: Mutex<Vec<Connection>>,
    /// Writes since the log of the database was brought into it.
    written: AtomicU64,
    /// Copies that are being made.
    pub(crate) copying: AtomicU64,
    /// When it was opened, so that no upload is named as one before.
    pub(crate) opened: u128,
    pub(crate) uploads_begun: AtomicU64,
    /// Plans that were read lately, by site: each change of a site has a number of its own, so that
    /// one of the same number is the same.
    pub(crate) plans: Mutex<Plans>,
    /// The uploads that are under way.
    pub(crate) uploads: Mutex<Vec<String>>,
    /// Held for as long as the store is open; let go by the system even when the process is killed.
    _lock: Flock<File>,
}

impl Store {
    /// Opens the data folder at `folder`, and makes it where it is not there; nobody else can read
    /// what is made. A database that is damaged is not opened.
    ///
    /// # Errors
    /// Where another process has it open, where a newer version wrote it, where it is damaged, or
    /// where it cannot be used.
    pub fn open(folder: &Path) -> Result<Self, StoreError> {
        let unusable = |error| StoreError::Folder {
            folder: folder.to_owned(),
            error,
        };
        if !folder.exists() {
            std::fs::create_dir_all(folder).map_err(unusable)?;
            std::fs::set_permissions(folder, Permissions::from_mode(0o700)).map_err(unusable)?;
        }
        let lock = locked(folder)?;
        let file = folder.join(FILE);
        own(&file).map_err(unusable)?;
        let large = std::fs::metadata(&file).map_err(unusable)?.len() > CHECKED_UP_TO;
        let unclean =
            std::fs::metadata(folder.join("ash-pond.sqlite-wal")).is_ok_and(|it| it.len() > 0);
        let mut writer = connect(&file)?;
        if !large || unclean {
            whole(&writer).map_err(|why| StoreError::Damaged {
                folder: folder.to_owned(),
                why,
            })?;
        }
        migrate(&mut writer, folder)?;
        // What was coming when the process ended never came whole.
        crate::rows::sweep(&writer, &[])?;
        let opened = SystemTime::now()
            .duration_since(UNIX_EPOCH)
            .map_or(0, |it| it.as_nanos());
        Ok(Self {
            folder: folder.to_owned(),
            file,
            writer: Mutex::new(writer),
            readers: Mutex::new(Vec::new()),
            written: AtomicU64::new(0),
            copying: AtomicU64::new(0),
            opened,
            uploads_begun: AtomicU64::new(0),
            plans: Mutex::default(),
            uploads: Mutex::default(),
            _lock: lock,
        })
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The one connection that writes.
    pub(crate) fn writer(&self) -> MutexGuard<'_, Connection> {
        self.written.fetch_add(1, Ordering::Relaxed);
        // A panic elsewhere leaves no half-done state behind: its transaction was rolled back.
        self.writer.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Brings what was written into the database itself, beside whoever reads and writes, once it
    /// is worth it: so that nobody who writes waits for more than his own change to reach the disk.
    /// What was acknowledged is on disk before and after.
    ///
    /// # Errors
    /// Where the database cannot be written.
    pub fn bring_in(&self) -> Result<(), StoreError> {
        let is_copied = self.copying.load(Ordering::Relaxed) > 0;
        if is_copied || self.written.load(Ordering::Relaxed) < WRITES_BROUGHT_IN {
            return Ok(());
        }
        self.written.store(0, Ordering::Relaxed);
        self.read(|db| Ok(db.query_row("PRAGMA wal_checkpoint(PASSIVE)", [], |_| Ok(()))?))
    }

    /// Runs `read` on a connection that does not wait for the writer.
    pub(crate) fn read<T>(
        &self,
        read: impl FnOnce(&Connection) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let kept = self
            .readers
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .pop();
        let connection = kept.map_or_else(|| connect(&self.file), Ok)?;
        let answer = read(&connection);
        let mut readers = self.readers.lock().unwrap_or_else(PoisonError::into_inner);
        if readers.len() < MOST_READERS {
            readers.push(connection);
        }
        answer
    }

    /// Lets go of the connections that read, so that the next ones see the database anew.
    pub(crate) fn forget_readers(&self) {
        let mut plans = self.plans.lock().unwrap_or_else(PoisonError::into_inner);
        plans.0 += 1;
        plans.1.clear();
        drop(plans);
        self.readers
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .clear();
    }
}

/// The lock of a folder, which one process holds.
pub(crate) fn locked(folder: &Path) -> Result<Flock<File>, StoreError> {
    let unusable = |error| StoreError::Folder {
        folder: folder.to_owned(),
        error,
    };
    let path = folder.join("lock");
    own(&path).map_err(unusable)?;
    let lock = File::options().write(true).open(path).map_err(unusable)?;
    Flock::lock(lock, FlockArg::LockExclusiveNonblock)
        .map_err(|_| StoreError::InUse(folder.to_owned()))
}

/// Makes a file where there is none, and lets nobody else read it.
pub(crate) fn own(path: &Path) -> std::io::Result<()> {
    let file = File::options()
        .create(true)
        .append(true)
        .mode(0o600)
        .open(path)?;
    if file.metadata()?.permissions().mode() & 0o077 != 0 {
        file.set_permissions(Permissions::from_mode(0o600))?;
    }
    Ok(())
}

/// Brings a database up to date.
pub(crate) fn migrate(connection: &mut Connection, folder: &Path) -> Result<(), StoreError> {
    MIGRATIONS
        .to_latest(connection)
        .map_err(|error| match error {
            rusqlite_migration::Error::MigrationDefinition(
                MigrationDefinitionError::DatabaseTooFarAhead,
            ) => StoreError::TooNew(folder.to_owned()),
            other => StoreError::Migration(other),
        })
}

/// Whether a database is whole; else what SQLite says of it.
pub(crate) fn whole(connection: &Connection) -> Result<(), String> {
    let told: Result<String, _> =
        connection.query_row("PRAGMA quick_check(1)", [], |row| row.get(0));
    match told {
        Ok(told) if told == "ok" => Ok(()),
        Ok(told) => Err(told),
        Err(error) => Err(error.to_string()),
    }
}

pub(crate) fn connect(file: &Path) -> Result<Connection, StoreError> {
    let connection = Connection::open(file)?;
    connection.pragma_update(None, "journal_mode", "WAL")?;
    connection.pragma_update(None, "synchronous", "FULL")?;
    connection.pragma_update(None, "wal_autocheckpoint", MOST_PAGES_LEFT)?;
    connection.pragma_update(None, "foreign_keys", true)?;
    connection.busy_timeout(std::time::Duration::from_secs(5))?;
    Ok(connection)
}
