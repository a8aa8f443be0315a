//! Walks: what a meter showed at the joints of an arrangement.

use crate::error::StoreError;
use crate::folder::Store;
use crate::sites::revision;
use crate::step::{Step, Subject};
use rusqlite::{Connection, Row, params};
use serde_json::{Value, json};

/// A reading at a joint.
#[derive(Debug, Clone, PartialEq)]
pub struct WalkRead {
    /// Its number among all readings; 0 before it is kept.
    pub id: i64,
    /// The joint, by its key.
    pub joint: String,
    /// What the meter showed, V.
    pub volts: f64,
    /// The least that was expected then, V.
    pub low_v: Option<f64>,
    /// The most that was expected then, V.
    pub high_v: Option<f64>,
    /// What the reading said.
    pub shows: String,
    /// When, as ISO 8601.
    pub at: String,
    /// The walk that it belongs to, counted from 1.
    pub walk: i64,
}

/// Readings of earlier walks that are told at once; older ones by their page.
pub const MOST_TOLD: u32 = 200;

impl WalkRead {
    fn body(&self, arrangement: &str) -> Value {
        json!({
            "arrangement": arrangement, "walk": self.walk, "joint": self.joint, "volts": self.volts,
            "low_v": self.low_v, "high_v": self.high_v, "shows": self.shows, "at": self.at,
        })
    }
}

const COLUMNS: &str = "id, joint, volts, low_v, high_v, shows, at, walk";

fn read(row: &Row<'_>) -> rusqlite::Result<WalkRead> {
    Ok(WalkRead {
        id: row.get(0)?,
        joint: row.get(1)?,
        volts: row.get(2)?,
        low_v: row.get(3)?,
        high_v: row.get(4)?,
        shows: row.get(5)?,
        at: row.get(6)?,
        walk: row.get(7)?,
    })
}

/// The number of the latest walk of an arrangement; 1 where nobody walked it.
fn latest(db: &Connection, site: &str, arrangement: &str) -> Result<i64, StoreError> {
    let sql = "SELECT max(walk) FROM walk_reads WHERE site = ?1 AND arrangement = ?2";
    let found: Option<i64> = db.query_row(sql, [site, arrangement], |row| row.get(0))?;
    Ok(found.unwrap_or(1))
}

/// The readings of one walk in the order in which they were taken.
fn of_walk(
    db: &Connection,
    site: &str,
    arrangement: &str,
    walk: i64,
) -> Result<Vec<WalkRead>, StoreError> {
    let sql = format!(
        "SELECT {COLUMNS} FROM walk_reads WHERE site = ?1 AND arrangement = ?2 AND walk = ?3 ORDER \
        BY id DESC LIMIT ?4"
    );
    let mut query = db.prepare_cached(&sql)?;
    let rows = query.query_map(params![site, arrangement, walk, MOST_TOLD * 10], read)?;
    let mut list: Vec<WalkRead> = rows.collect::<Result<_, _>>()?;
    list.reverse();
    Ok(list)
}

impl Store {
    /// The readings of the latest walk along an arrangement, in the order in which they were taken,
    /// and the walk's number.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn latest_walk(
        &self,
        site: &str,
        arrangement: &str,
    ) -> Result<(i64, Vec<WalkRead>), StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let walk = latest(db, site, arrangement)?;
            Ok((walk, of_walk(db, site, arrangement, walk)?))
        })
    }

    /// Readings of an arrangement, the latest first: those before one of them where it is named,
    /// and at most [`MOST_TOLD`].
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn walk_history(
        &self,
        site: &str,
        arrangement: &str,
        before: Option<i64>,
    ) -> Result<Vec<WalkRead>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = format!(
                "SELECT {COLUMNS} FROM walk_reads WHERE site = ?1 AND arrangement = ?2 AND id < ?3 \
                ORDER BY id DESC LIMIT ?4"
            );
            let mut query = db.prepare_cached(&sql)?;
            let rows = query.query_map(
                params![site, arrangement, before.unwrap_or(i64::MAX), MOST_TOLD],
                read,
            )?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Keeps a reading of an arrangement as a step. `make` is given the number of the walk that it
    /// belongs to (a new one where one is begun) and the readings of that walk so far.
    ///
    /// # Errors
    /// Where there is no such site, where `make` refuses it, or the database fails.
    pub fn keep_walk_read<E: From<StoreError>>(
        &self,
        site: &str,
        arrangement: &str,
        begins: bool,
        make: impl FnOnce(i64, Vec<WalkRead>) -> Result<WalkRead, E>,
    ) -> Result<i64, E> {
        let mut writer = self.writer();
        let transaction = writer.transaction().map_err(StoreError::from)?;
        revision(&transaction, site)?;
        let last = latest(&transaction, site, arrangement)?;
        let so_far = of_walk(&transaction, site, arrangement, last)?;
        let begins = begins && !so_far.is_empty();
        let walk = last + i64::from(begins);
        let made = make(walk, if begins { Vec::new() } else { so_far })?;
        let words = format!("read at a joint: {}", made.joint);
        let sql = "SELECT coalesce(max(seq), 0) + 1 FROM sqlite_sequence WHERE name = 'walk_reads'";
        let id: i64 = transaction
            .query_row(sql, [], |row| row.get(0))
            .map_err(StoreError::from)?;
        let body = WalkRead { walk, ..made }.body(arrangement);
        let mut step = Step::begin(&transaction, site, &words, self.held(site))?;
        step.write(Subject::Reading, &id.to_string(), None, Some((0, &body)))?;
        let after = step.end()?;
        self.commit(transaction, site, &after)?;
        Ok(after.revision)
    }
}
