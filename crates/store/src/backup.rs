//! Copies of the whole database: made while it is in use, checked before they count, and brought
//! back without losing what stood there.

use crate::error::StoreError;
use crate::folder::{FILE, Store, connect, locked, migrate, own, whole};
use jiff::civil::Date;
use rusqlite::backup::Backup;
use rusqlite::{Connection, OpenFlags};
use std::fs::File;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;

/// Daily copies that are kept: of so many last days, and one of each of so many weeks before.
pub const KEPT_DAYS: usize = 7;
/// See [`KEPT_DAYS`].
pub const KEPT_WEEKS: usize = 4;
/// The folder of the daily copies within the data folder.
const COPIES: &str = "backups";

/// A copy that lies in the data folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Copied {
    /// Its file name.
    pub name: String,
    /// Its length, bytes.
    pub bytes: u64,
}

/// What a restored copy holds, and where what stood there before is kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Restored {
    /// The names of its sites.
    pub sites: Vec<String>,
    /// The copy of what stood there; none where nothing did.
    pub kept: Option<PathBuf>,
}

impl Store {
    /// Copies the whole database to a file as it is at one moment, while it goes on being used, and
    /// tells its length in bytes.
    ///
    /// # Errors
    /// Where the file cannot be written, or the copy is not whole.
    pub fn backup(&self, to: &Path) -> Result<u64, StoreError> {
        self.copied(to, Pace::AtOnce)
    }

    fn copied(&self, to: &Path, pace: Pace) -> Result<u64, StoreError> {
        self.copying.fetch_add(1, Ordering::Relaxed);
        let done = self.read(|db| copy(db, to, pace));
        self.copying.fetch_sub(1, Ordering::Relaxed);
        done
    }

    /// Makes the copy of a day where there is none, and throws away those that are too old; tells
    /// the new one.
    ///
    /// # Errors
    /// Where the folder of copies cannot be written, or the copy is not whole.
    pub fn daily(&self, today: Date) -> Result<Option<PathBuf>, StoreError> {
        let folder = self.copies_folder()?;
        let name = format!("ash-pond-{today}.sqlite");
        let to = folder.join(&name);
        if to.exists() {
            return Ok(None);
        }
        self.copied(&to, Pace::Gently)?;
        for old in outdated(self.copies()?.into_iter().map(|it| it.name)) {
            let path = folder.join(old);
            std::fs::remove_file(&path).map_err(|error| StoreError::Folder {
                folder: path,
                error,
            })?;
        }
        Ok(Some(to))
    }

    /// The copies in the data folder, the latest first.
    ///
    /// # Errors
    /// Where the folder cannot be read.
    pub fn copies(&self) -> Result<Vec<Copied>, StoreError> {
        let folder = self.folder().join(COPIES);
        let unusable = |error| StoreError::Folder {
            folder: folder.clone(),
            error,
        };
        if !folder.exists() {
            return Ok(Vec::new());
        }
        let mut list = Vec::new();
        for entry in std::fs::read_dir(&folder).map_err(unusable)? {
            let entry = entry.map_err(unusable)?;
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.ends_with(".sqlite") {
                list.push(Copied {
                    name,
                    bytes: entry.metadata().map_err(unusable)?.len(),
                });
            }
        }
        list.sort_by(|a, b| b.name.cmp(&a.name));
        Ok(list)
    }

    /// Takes over a copy while the store is open. It is checked first, and what stood here is kept
    /// as a copy of its own.
    ///
    /// # Errors
    /// Where the copy is damaged, is none of this program, was written by a newer version, or
    /// cannot be read; nothing is changed then.
    pub fn take_over(&self, from: &Path, stamp: &str) -> Result<Restored, StoreError> {
        let ready = self.folder().join("restoring.sqlite");
        let sites = prepared(from, &ready)?;
        let kept = self
            .copies_folder()?
            .join(format!("before-restore-{stamp}.sqlite"));
        let taken = self.backup(&kept).and_then(|_| {
            let mut writer = self.writer();
            let source = Connection::open_with_flags(&ready, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
            let done = Backup::new(&source, &mut writer)?.run_to_completion(
                4096,
                std::time::Duration::ZERO,
                None,
            );
            // While nobody else can write: what is held of the other database is nothing that a
            // change may start from.
            self.forget_readers();
            Ok(done?)
        });
        drop(std::fs::remove_file(&ready));
        taken?;
        Ok(Restored {
            sites,
            kept: Some(kept),
        })
    }

    fn copies_folder(&self) -> Result<PathBuf, StoreError> {
        let folder = self.folder().join(COPIES);
        let made = || {
            std::fs::create_dir_all(&folder)?;
            std::fs::set_permissions(&folder, std::fs::Permissions::from_mode(0o700))
        };
        made().map_err(|error| StoreError::Folder {
            folder: folder.clone(),
            error,
        })?;
        Ok(folder)
    }
}

/// Copies the database of a folder, also while a server uses it.
///
/// # Errors
/// Where there is none, where the file cannot be written, or where the copy is not whole.
pub fn backup(folder: &Path, to: &Path) -> Result<u64, StoreError> {
    let from = folder.join(FILE);
    let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_URI;
    let missing =
        || std::io::Error::new(std::io::ErrorKind::NotFound, "there is no Ash Pond in it");
    if !from.exists() {
        return Err(StoreError::Folder {
            folder: folder.to_owned(),
            error: missing(),
        });
    }
    let db = Connection::open_with_flags(&from, flags)?;
    db.busy_timeout(std::time::Duration::from_secs(5))?;
    copy(&db, to, Pace::AtOnce)
}

/// Brings a copy back as the database of a folder that no server uses. It is checked first, and
/// what stood there is kept beside it.
///
/// # Errors
/// Where the copy is damaged, is none of this program, was written by a newer version, or cannot be
/// read, and where the folder is in use; nothing is changed then.
pub fn restore(folder: &Path, from: &Path, stamp: &str) -> Result<Restored, StoreError> {
    let unusable = |error| StoreError::Folder {
        folder: folder.to_owned(),
        error,
    };
    std::fs::create_dir_all(folder).map_err(unusable)?;
    let _lock = locked(folder)?;
    let ready = folder.join("restoring.sqlite");
    let sites = prepared(from, &ready)?;
    let file = folder.join(FILE);
    let kept = folder.join(format!("before-restore-{stamp}.sqlite"));
    let had = file.exists();
    if had {
        // What still stands in its log is written into it; where it is too damaged for that, the
        // log is kept beside it.
        let closed =
            connect(&file).and_then(|db| Ok(db.pragma_update(None, "journal_mode", "DELETE")?));
        let beside = |end: &str| {
            (
                folder.join(format!("{FILE}{end}")),
                folder.join(format!("{}{end}", kept_name(&kept))),
            )
        };
        std::fs::rename(&file, &kept).map_err(unusable)?;
        if closed.is_err() {
            for (was, is) in [beside("-wal"), beside("-shm")] {
                if was.exists() {
                    std::fs::rename(was, is).map_err(unusable)?;
                }
            }
        }
    }
    std::fs::rename(&ready, &file).map_err(unusable)?;
    Ok(Restored {
        sites,
        kept: had.then_some(kept),
    })
}

fn kept_name(kept: &Path) -> String {
    kept.file_name()
        .map(|it| it.to_string_lossy().into_owned())
        .unwrap_or_default()
}

/// A copy that is whole, of this program, and brought up to date, at `ready`; the names of its
/// sites.
fn prepared(from: &Path, ready: &Path) -> Result<Vec<String>, StoreError> {
    let at = |error| StoreError::Folder {
        folder: from.to_owned(),
        error,
    };
    drop(std::fs::remove_file(ready));
    own(ready).map_err(at)?;
    let checked = std::fs::copy(from, ready).map_err(at).and_then(|_| {
        let damaged = |why: String| StoreError::Damaged {
            folder: from.to_owned(),
            why,
        };
        let mut db = Connection::open(ready)?;
        whole(&db).map_err(damaged)?;
        let tables: i64 = db.query_row(
            "SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name IN ('sites', \
            'elements', 'journal')",
            [],
            |row| row.get(0),
        )?;
        if tables != 3 {
            return Err(damaged("it is no copy of an Ash Pond".into()));
        }
        db.pragma_update(None, "journal_mode", "DELETE")?;
        migrate(&mut db, from)?;
        let mut names = Vec::new();
        let ids: Vec<String> = {
            let mut query = db.prepare("SELECT id FROM sites ORDER BY name")?;
            let rows = query.query_map([], |row| row.get(0))?;
            rows.collect::<Result<_, _>>()?
        };
        for id in ids {
            // Every plan is read, also of sites that were removed, so that none is found unreadable
            // later.
            let elements = crate::sites::elements(&db, &id)?;
            names.push(crate::element::put_together(&elements, &[])?.site.name);
        }
        Ok(names)
    });
    if checked.is_err() {
        drop(std::fs::remove_file(ready));
    }
    checked
}

/// Copies a database as one snapshot: beside its place first, so that a copy that is there is
/// whole. How fast a copy is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Pace {
    /// Somebody waits for it.
    AtOnce,
    /// Nobody waits for it, and others work meanwhile: it rests in between, and brings what it
    /// wrote to the disk piece by piece, so that no change waits behind all of it.
    Gently,
}

/// Steps of the database's machine (some thousand rows) between two rests of a copy that is made
/// gently.
const STEPS_BETWEEN: i32 = 10_000;
/// How long it rests.
const REST: std::time::Duration = std::time::Duration::from_millis(4);
/// After so many rests what was written is brought to the disk.
const RESTS_A_PIECE: u32 = 16;

impl Pace {
    /// Has a connection rest in between where the copy that it makes, or checks, is a gentle one.
    fn of(self, db: &Connection, part: &Path) -> Result<(), StoreError> {
        if self == Self::AtOnce {
            return Ok(());
        }
        let at = |error| StoreError::Folder {
            folder: part.to_owned(),
            error,
        };
        let (written, mut rests) = (File::options().write(true).open(part).map_err(at)?, 0_u32);
        let rest = move || {
            rests += 1;
            if rests.is_multiple_of(RESTS_A_PIECE) {
                // Where it fails it fails again at the end, and is told there.
                drop(written.sync_data());
            }
            std::thread::sleep(REST);
            false
        };
        Ok(db.progress_handler(STEPS_BETWEEN, Some(rest))?)
    }
}

fn copy(db: &Connection, to: &Path, pace: Pace) -> Result<u64, StoreError> {
    let at = |error| StoreError::Folder {
        folder: to.to_owned(),
        error,
    };
    let part = to.with_added_extension("part");
    drop(std::fs::remove_file(&part));
    own(&part).map_err(at)?;
    let made = (|| {
        let name = part
            .to_str()
            .ok_or_else(|| at(std::io::Error::other("its name is no text")))?;
        pace.of(db, &part)?;
        let done = db.execute("VACUUM INTO ?1", [name]);
        db.progress_handler(0, None::<fn() -> bool>)?;
        done?;
        let copied = Connection::open_with_flags(&part, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
        pace.of(&copied, &part)?;
        whole(&copied).map_err(|why| StoreError::Damaged {
            folder: part.clone(),
            why,
        })?;
        drop(copied);
        File::open(&part).and_then(|it| it.sync_all()).map_err(at)?;
        std::fs::rename(&part, to).map_err(at)?;
        Ok(std::fs::metadata(to).map_err(at)?.len())
    })();
    if made.is_err() {
        drop(std::fs::remove_file(&part));
    }
    made
}

/// The names of daily copies that are too old: all but those of the last days, and the latest of
/// each week before.
fn outdated(names: impl Iterator<Item = String>) -> Vec<String> {
    let dated = names.filter_map(|name| {
        let date: Date = name
            .strip_prefix("ash-pond-")?
            .strip_suffix(".sqlite")?
            .parse()
            .ok()?;
        Some((date, name))
    });
    let mut dated: Vec<(Date, String)> = dated.collect();
    dated.sort_by_key(|it| std::cmp::Reverse(it.0));
    let mut weeks = Vec::new();
    let mut old = Vec::new();
    for (date, name) in dated.into_iter().skip(KEPT_DAYS) {
        let week = date.iso_week_date();
        let week = (week.year(), week.week());
        if weeks.last() != Some(&week) && weeks.len() < KEPT_WEEKS {
            weeks.push(week);
        } else {
            old.push(name);
        }
    }
    old
}

#[cfg(test)]
mod tests {
    use super::outdated;
    use jiff::ToSpan as _;
    use jiff::civil::date;

    #[test]
    fn a_week_of_days_and_a_month_of_weeks_are_kept() {
        let mut kept: Vec<String> = Vec::new();
        for day in 0..100 {
            kept.push(format!("ash-pond-{}.sqlite", date(2026, 1, 1) + day.days()));
            let old = outdated(
                kept.iter()
                    .cloned()
                    .chain(["before-restore-x.sqlite".into()]),
            );
            kept.retain(|it| !old.contains(it));
        }
        // Of each week before, the copy that stood longest is its first that fell out of the days.
        assert!((9..=11).contains(&kept.len()), "{kept:?}");
        assert!(kept.contains(&"ash-pond-2026-04-10.sqlite".to_owned()));
        assert!(kept.contains(&"ash-pond-2026-04-04.sqlite".to_owned()));
        assert!(kept[0].as_str() < "ash-pond-2026-03-20.sqlite", "{kept:?}");
    }
}
