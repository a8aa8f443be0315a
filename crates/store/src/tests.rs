//! Tests of the bench: their readings, and what their figures replaced.

use crate::error::StoreError;
use crate::folder::Store;
use crate::sites::revision;
use rusqlite::{OptionalExtension, Row, params};
use serde_json::Value;

/// A test as it is kept.
#[derive(Debug, Clone, PartialEq)]
pub struct TestRow {
    /// Its id, unique within its site.
    pub id: String,
    /// When it was begun, as ISO 8601.
    pub begun: String,
    /// When it was last changed, as ISO 8601.
    pub changed: String,
    /// The test.
    pub body: Value,
    /// What stood where its figures are in use; none where they are not.
    pub replaced: Option<Value>,
}

impl Store {
    /// The tests of a site, the latest first.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn tests(&self, site: &str) -> Result<Vec<TestRow>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql =
                "SELECT id, begun, changed, body, replaced FROM tests WHERE site = ?1 ORDER BY begun DESC, id DESC";
            let mut query = db.prepare_cached(sql)?;
            let rows = query.query_map([site], read_test)?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// One test.
    ///
    /// # Errors
    /// Where there is none, or the database fails.
    pub fn test(&self, site: &str, id: &str) -> Result<TestRow, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = "SELECT id, begun, changed, body, replaced FROM tests WHERE site = ?1 AND id = ?2";
            let found = db.query_row(sql, [site, id], read_test).optional()?;
            found.ok_or_else(|| StoreError::Missing { what: "test", id: id.to_owned() })
        })
    }

    /// Keeps a test, new or changed; when it was begun, and what it replaced, stay.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn keep_test(&self, site: &str, id: &str, body: &Value, at: &str) -> Result<(), StoreError> {
        let writer = self.writer();
        revision(&writer, site)?;
        writer.execute(
            "INSERT INTO tests (site, id, begun, changed, body) VALUES (?1, ?2, ?3, ?3, ?4)
             ON CONFLICT (site, id) DO UPDATE SET changed = ?3, body = ?4",
            params![site, id, at, body.to_string()],
        )?;
        Ok(())
    }

    /// Notes what a test's figures replaced; none where they are no longer in use.
    ///
    /// # Errors
    /// Where there is no such test, or the database fails.
    pub fn note_replaced(&self, site: &str, id: &str, replaced: Option<&Value>) -> Result<(), StoreError> {
        let text = replaced.map(Value::to_string);
        let sql = "UPDATE tests SET replaced = ?3 WHERE site = ?1 AND id = ?2";
        match self.writer().execute(sql, params![site, id, text])? {
            0 => Err(StoreError::Missing { what: "test", id: id.to_owned() }),
            _ => Ok(()),
        }
    }
}

fn read_test(row: &Row<'_>) -> rusqlite::Result<TestRow> {
    let json = |index: usize, text: &str| {
        serde_json::from_str(text).map_err(|error| {
            rusqlite::Error::FromSqlConversionFailure(index, rusqlite::types::Type::Text, Box::new(error))
        })
    };
    let replaced: Option<String> = row.get(4)?;
    Ok(TestRow {
        id: row.get(0)?,
        begun: row.get(1)?,
        changed: row.get(2)?,
        body: json(3, &row.get::<_, String>(3)?)?,
        replaced: replaced.map(|it| json(4, &it)).transpose()?,
    })
}
