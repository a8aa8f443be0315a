//! Walks: what a meter showed at the joints of an arrangement.

use crate::error::StoreError;
use crate::folder::Store;
use crate::sites::revision;
use rusqlite::params;

/// A reading at a joint.
#[derive(Debug, Clone, PartialEq)]
pub struct WalkRead {
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

impl Store {
    /// Every reading of an arrangement, of all its walks, in the order in which they were taken.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn walk_reads(&self, site: &str, arrangement: &str) -> Result<Vec<WalkRead>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = "SELECT joint, volts, low_v, high_v, shows, at, walk FROM walk_reads
                       WHERE site = ?1 AND arrangement = ?2 ORDER BY id";
            let mut query = db.prepare_cached(sql)?;
            let rows = query.query_map([site, arrangement], |row| {
                Ok(WalkRead {
                    joint: row.get(0)?,
                    volts: row.get(1)?,
                    low_v: row.get(2)?,
                    high_v: row.get(3)?,
                    shows: row.get(4)?,
                    at: row.get(5)?,
                    walk: row.get(6)?,
                })
            })?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Keeps a reading of an arrangement.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn keep_walk_read(&self, site: &str, arrangement: &str, read: &WalkRead) -> Result<(), StoreError> {
        let writer = self.writer();
        revision(&writer, site)?;
        writer.execute(
            "INSERT INTO walk_reads (site, arrangement, walk, joint, volts, low_v, high_v, shows, at)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
            params![site, arrangement, read.walk, read.joint, read.volts, read.low_v, read.high_v, read.shows, read.at],
        )?;
        Ok(())
    }
}
