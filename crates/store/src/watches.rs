//! Outages that are watched: what they are, and what was read, done and noted in them.

use crate::error::{StoreError, stored};
use crate::folder::Store;
use crate::sites::revision;
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde_json::Value;

/// Entries of a watch at most: days of somebody who writes one each second.
pub const MOST_ENTRIES: i64 = 100_000;

/// A watch.
#[derive(Debug, Clone, PartialEq)]
pub struct WatchRow {
    /// Its number among those of its site, from 1.
    pub number: i64,
    /// What it is.
    pub body: Value,
    /// When the server last watched it, ms since 1970.
    pub heard_ms: i64,
    /// Whether it still goes on.
    pub is_open: bool,
}

/// Something that was read, done or noted.
#[derive(Debug, Clone, PartialEq)]
pub struct WatchEntry {
    /// Its number within its watch, from 1.
    pub number: i64,
    /// When, s since the outage began.
    pub at_s: f64,
    /// What.
    pub body: Value,
    /// Whether it was taken back.
    pub undone: bool,
}

type Raw = (i64, String, i64, bool);

fn raw(row: &Row<'_>) -> rusqlite::Result<Raw> {
    Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?))
}

fn whole(site: &str, (number, text, heard_ms, is_open): Raw) -> Result<WatchRow, StoreError> {
    let body = stored(&text, "watches", || format!("{number} of {site}"))?;
    Ok(WatchRow {
        number,
        body,
        heard_ms,
        is_open,
    })
}

const COLUMNS: &str = "number, body, heard_ms, is_open";

fn one(db: &Connection, site: &str, number: i64) -> Result<WatchRow, StoreError> {
    revision(db, site)?;
    let sql = format!("SELECT {COLUMNS} FROM watches WHERE site = ?1 AND number = ?2");
    let found = db.query_row(&sql, params![site, number], raw).optional()?;
    let missing = || StoreError::Missing {
        what: "watch",
        id: number.to_string(),
    };
    whole(site, found.ok_or_else(missing)?)
}

impl Store {
    /// The watches of a site, the latest first.
    ///
    /// # Errors
    /// Where there is no such site, where one cannot be read, or the database fails.
    pub fn watches(&self, site: &str) -> Result<Vec<WatchRow>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = format!(
                "SELECT {COLUMNS} FROM watches WHERE site = ?1 ORDER BY number DESC LIMIT 500"
            );
            let mut query = db.prepare_cached(&sql)?;
            let rows: Vec<Raw> = query.query_map([site], raw)?.collect::<Result<_, _>>()?;
            rows.into_iter().map(|it| whole(site, it)).collect()
        })
    }

    /// Every watch that still goes on, with its site.
    ///
    /// # Errors
    /// Where one cannot be read, or the database fails.
    pub fn open_watches(&self) -> Result<Vec<(String, WatchRow)>, StoreError> {
        self.read(|db| {
            let sql = format!(
                "SELECT site, {COLUMNS} FROM watches JOIN sites ON sites.id = site
                 WHERE is_open = 1 AND sites.removed = 0"
            );
            let mut query = db.prepare_cached(&sql)?;
            let rows = query.query_map([], |row| {
                Ok((
                    row.get::<_, String>(0)?,
                    (row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?),
                ))
            })?;
            let rows: Vec<(String, Raw)> = rows.collect::<Result<_, _>>()?;
            rows.into_iter()
                .map(|(site, it)| Ok((site.clone(), whole(&site, it)?)))
                .collect()
        })
    }

    /// One watch.
    ///
    /// # Errors
    /// Where there is none, where it cannot be read, or the database fails.
    pub fn watch(&self, site: &str, number: i64) -> Result<WatchRow, StoreError> {
        self.read(|db| one(db, site, number))
    }

    /// Begins a watch, and gives its number.
    ///
    /// # Errors
    /// Where there is no such site, where another one is open there, or the database fails.
    pub fn begin_watch(
        &self,
        site: &str,
        body: &Value,
        now_ms: i64,
        is_open: bool,
    ) -> Result<i64, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        revision(&transaction, site)?;
        let open: Option<i64> = transaction
            .query_row(
                "SELECT number FROM watches WHERE site = ?1 AND is_open = 1",
                [site],
                |row| row.get(0),
            )
            .optional()?;
        if let Some(number) = open.filter(|_| is_open) {
            return Err(StoreError::Watched(format!(
                "an outage is being watched here already (number {number}); end that one first"
            )));
        }
        let sql = "SELECT coalesce(max(number), 0) + 1 FROM watches WHERE site = ?1";
        let number: i64 = transaction.query_row(sql, [site], |row| row.get(0))?;
        transaction.execute(
            "INSERT INTO watches (site, number, body, heard_ms, is_open) VALUES (?1, ?2, ?3, ?4, \
            ?5)",
            params![site, number, body.to_string(), now_ms, is_open],
        )?;
        transaction.commit()?;
        Ok(number)
    }

    /// Changes what a watch is. `make` is given it as it is within the transaction, and tells what
    /// it is from then on and whether it still goes on.
    ///
    /// # Errors
    /// Where there is none, where `make` refuses it, or the database fails.
    pub fn change_watch<E: From<StoreError>>(
        &self,
        site: &str,
        number: i64,
        make: impl FnOnce(WatchRow) -> Result<(Value, bool), E>,
    ) -> Result<(), E> {
        let mut writer = self.writer();
        let transaction = writer.transaction().map_err(StoreError::from)?;
        let (body, is_open) = make(one(&transaction, site, number)?)?;
        let sql = "UPDATE watches SET body = ?3, is_open = ?4 WHERE site = ?1 AND number = ?2";
        transaction
            .execute(sql, params![site, number, body.to_string(), is_open])
            .map_err(StoreError::from)?;
        transaction.commit().map_err(StoreError::from)?;
        Ok(())
    }

    /// Notes that a watch is being watched now.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn heard(&self, site: &str, number: i64, now_ms: i64) -> Result<(), StoreError> {
        let sql = "UPDATE watches SET heard_ms = ?3 WHERE site = ?1 AND number = ?2";
        self.writer().execute(sql, params![site, number, now_ms])?;
        Ok(())
    }

    /// What was read, done and noted in a watch, by time and then in the order in which it came.
    ///
    /// # Errors
    /// Where there is no such watch, where an entry cannot be read, or the database fails.
    pub fn watch_entries(&self, site: &str, number: i64) -> Result<Vec<WatchEntry>, StoreError> {
        self.read(|db| {
            one(db, site, number)?;
            let sql = "SELECT number, at_s, body, undone FROM watch_entries
                       WHERE site = ?1 AND watch = ?2 ORDER BY at_s, number";
            let mut query = db.prepare_cached(sql)?;
            let rows = query.query_map(params![site, number], |row| {
                Ok((
                    row.get::<_, i64>(0)?,
                    row.get(1)?,
                    row.get::<_, String>(2)?,
                    row.get(3)?,
                ))
            })?;
            let rows: Vec<(i64, f64, String, bool)> = rows.collect::<Result<_, _>>()?;
            let each = rows.into_iter().map(|(entry, at_s, text, undone)| {
                let body = stored(&text, "watch_entries", || {
                    format!("{entry} of watch {number} of {site}")
                })?;
                Ok(WatchEntry {
                    number: entry,
                    at_s,
                    body,
                    undone,
                })
            });
            each.collect()
        })
    }

    /// Adds entries to a watch in one transaction, and gives the number of the last.
    ///
    /// # Errors
    /// Where there is no such watch, where it holds too many, or the database fails, as on a full
    /// disk; none is kept then.
    pub fn add_to_watch(
        &self,
        site: &str,
        number: i64,
        entries: &[(f64, Value)],
    ) -> Result<i64, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        one(&transaction, site, number)?;
        let sql =
            "SELECT coalesce(max(number), 0) FROM watch_entries WHERE site = ?1 AND watch = ?2";
        let mut last: i64 = transaction.query_row(sql, params![site, number], |row| row.get(0))?;
        if last + i64::try_from(entries.len()).unwrap_or(i64::MAX) > MOST_ENTRIES {
            return Err(StoreError::Watched(format!(
                "the watch holds {MOST_ENTRIES} entries, which is the most; end it and begin \
                another one"
            )));
        }
        for (at_s, body) in entries {
            last += 1;
            transaction.execute(
                "INSERT INTO watch_entries (site, watch, number, at_s, body) VALUES (?1, ?2, ?3, \
                ?4, ?5)",
                params![site, number, last, at_s, body.to_string()],
            )?;
        }
        transaction.commit()?;
        Ok(last)
    }

    /// Takes an entry back, or lets it count again.
    ///
    /// # Errors
    /// Where there is no such entry, or the database fails.
    pub fn take_back(
        &self,
        site: &str,
        watch: i64,
        entry: i64,
        undone: bool,
    ) -> Result<(), StoreError> {
        let writer = self.writer();
        one(&writer, site, watch)?;
        let sql =
            "UPDATE watch_entries SET undone = ?4 WHERE site = ?1 AND watch = ?2 AND number = ?3";
        if writer.execute(sql, params![site, watch, entry, undone])? == 0 {
            return Err(StoreError::Missing {
                what: "entry of the watch",
                id: entry.to_string(),
            });
        }
        Ok(())
    }
}
