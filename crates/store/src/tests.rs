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
    /// The upload that its file came by; none where it has no file.
    pub upload: Option<String>,
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
                "SELECT id, begun, changed, body, replaced, upload FROM tests WHERE site = ?1 ORDER BY begun DESC, id DESC";
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
            let sql = "SELECT id, begun, changed, body, replaced, upload FROM tests WHERE site = ?1 AND id = ?2";
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

    /// Keeps a test that was carried out elsewhere or earlier, with when it was begun.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn keep_earlier_test(&self, site: &str, row: &TestRow) -> Result<(), StoreError> {
        let writer = self.writer();
        revision(&writer, site)?;
        writer.execute(
            "INSERT OR REPLACE INTO tests (site, id, begun, changed, body, replaced) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
            params![
                site,
                row.id,
                row.begun,
                row.changed,
                row.body.to_string(),
                row.replaced.as_ref().map(Value::to_string)
            ],
        )?;
        Ok(())
    }

    /// Keeps a part of a file that is coming; it counts once [`Store::end_file`] is called.
    ///
    /// # Errors
    /// Where there is no such test, or the database fails.
    pub fn keep_part(&self, site: &str, id: &str, upload: &str, part: u32, bytes: &[u8]) -> Result<(), StoreError> {
        let sql = "INSERT INTO test_files (site, test, upload, part, bytes) VALUES (?1, ?2, ?3, ?4, ?5)";
        self.writer().execute(sql, params![site, id, upload, part, bytes])?;
        Ok(())
    }

    /// Ends an upload: the file that came by it is the test's, and an earlier one goes; where it failed, what came of it
    /// goes.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn end_file(&self, site: &str, id: &str, upload: &str, is_whole: bool) -> Result<(), StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let keys = params![site, id, upload];
        if is_whole {
            transaction.execute("UPDATE tests SET upload = ?3 WHERE site = ?1 AND id = ?2", keys)?;
            transaction.execute("DELETE FROM test_files WHERE site = ?1 AND test = ?2 AND upload <> ?3", keys)?;
        } else {
            transaction.execute("DELETE FROM test_files WHERE site = ?1 AND test = ?2 AND upload = ?3", keys)?;
        }
        Ok(transaction.commit()?)
    }

    /// One part of a test's file; none behind the last.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn file_part(&self, site: &str, id: &str, part: u32) -> Result<Option<Vec<u8>>, StoreError> {
        self.read(|db| {
            let sql = "SELECT bytes FROM test_files JOIN tests ON tests.site = test_files.site AND tests.id = test
                       AND tests.upload = test_files.upload WHERE test_files.site = ?1 AND test = ?2 AND part = ?3";
            Ok(db.query_row(sql, params![site, id, part], |row| row.get(0)).optional()?)
        })
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
        upload: row.get(5)?,
    })
}
