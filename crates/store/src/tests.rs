//! Tests of the bench: their readings, and what their figures replaced.

use crate::change::{Edit, write};
use crate::error::{StoreError, stored};
use crate::folder::Store;
use crate::held::Revised;
use crate::rows;
use crate::sites::{load, revision};
use crate::step::{Step, Subject};
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde_json::{Value, json};
use std::sync::PoisonError;
use std::sync::atomic::Ordering;

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
    /// The site's counter at its last change.
    pub revision: i64,
}

/// What a step does with a test.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct TestStep {
    /// The test from now on; none where it stays.
    pub body: Option<Value>,
    /// What its figures replaced from now on: none inside where they are no longer in use; none
    /// where it stays.
    pub replaced: Option<Option<Value>>,
    /// The upload that its file came by from now on; none where it stays.
    pub upload: Option<String>,
    /// Edits of the plan that belong to it.
    pub edits: Vec<Edit>,
    /// What it does, in words.
    pub words: String,
}

const COLUMNS: &str = "id, begun, changed, body, replaced, upload, revision";

impl Store {
    /// The tests of a site, the latest first.
    ///
    /// # Errors
    /// Where there is no such site, where one cannot be read, or the database fails.
    pub fn tests(&self, site: &str) -> Result<Vec<TestRow>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            list(db, site)
        })
    }

    /// One test.
    ///
    /// # Errors
    /// Where there is none, where it cannot be read, or the database fails.
    pub fn test(&self, site: &str, id: &str) -> Result<TestRow, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            test(db, site, id)
        })
    }

    /// Begins a test as a step; its id is made from `stem`, and no other has it.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn begin_test(
        &self,
        site: &str,
        stem: &str,
        body: &Value,
        at: &str,
        words: &str,
    ) -> Result<(String, Revised), StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let mut step = Step::begin(&transaction, site, words, self.held(site))?;
        let id = free_id(&transaction, site, stem)?;
        let row = TestRow {
            id: id.clone(),
            begun: at.to_owned(),
            changed: at.to_owned(),
            body: body.clone(),
            replaced: None,
            upload: None,
            revision: step.revision,
        };
        step.write(Subject::Test, &id, None, Some((0, &row.kept())))?;
        let revised = step.end()?;
        self.commit(transaction, site, &revised)?;
        Ok((id, revised))
    }

    /// Changes a test as a step, with the edits of the plan that belong to it. `make` is given the
    /// plan and the test as they are within the step, so that nothing comes between; `based_on` is
    /// the revision of the test that the change is based on.
    ///
    /// # Errors
    /// Where there is no such test, where it was changed elsewhere, where `make` or core refuses
    /// it, or the database fails.
    pub fn change_test<E: From<StoreError>>(
        &self,
        site: &str,
        id: &str,
        based_on: Option<i64>,
        at: &str,
        make: impl FnOnce(&Revised, &TestRow) -> Result<TestStep, E>,
    ) -> Result<Revised, E> {
        let mut writer = self.writer();
        let transaction = writer.transaction().map_err(StoreError::from)?;
        let current = revision(&transaction, site)?;
        let held = self.held(site).filter(|it| it.revision == current);
        let plan = held.map_or_else(|| load(&transaction, site), Ok)?;
        let before = test(&transaction, site, id)?;
        if let Some(yours) = based_on.filter(|it| *it != before.revision) {
            let (kind, id, current) = ("test", id.to_owned(), before.revision);
            Err(StoreError::Stale {
                kind,
                id,
                yours,
                current,
                body: Some(before.body.clone()),
            })?;
        }
        let made = make(&plan, &before)?;
        let mut step = Step::begin(&transaction, site, &made.words, Some(plan))?;
        for edit in &made.edits {
            write(&mut step, edit)?;
        }
        let after = TestRow {
            changed: at.to_owned(),
            body: made.body.unwrap_or_else(|| before.body.clone()),
            replaced: made.replaced.unwrap_or_else(|| before.replaced.clone()),
            upload: made.upload.or_else(|| before.upload.clone()),
            ..before.clone()
        };
        step.write(
            Subject::Test,
            id,
            Some((0, &before.kept())),
            Some((0, &after.kept())),
        )?;
        let revised = step.end()?;
        self.commit(transaction, site, &revised)?;
        Ok(revised)
    }

    /// Keeps a test that was carried out elsewhere or earlier, with when it was begun. It is no
    /// step.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn keep_earlier_test(&self, site: &str, row: &TestRow) -> Result<(), StoreError> {
        let writer = self.writer();
        let revision = revision(&writer, site)?;
        rows::put_test(&writer, site, revision, &row.id, Some(&row.kept()))
    }

    /// Notes what was found in a file that an earlier version kept. It is no step, and is left
    /// where the test was changed since.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn note_found(
        &self,
        site: &str,
        id: &str,
        revision: i64,
        body: &Value,
    ) -> Result<(), StoreError> {
        let sql = "UPDATE tests SET body = ?4 WHERE site = ?1 AND id = ?2 AND revision = ?3";
        self.writer()
            .execute(sql, params![site, id, revision, body.to_string()])?;
        Ok(())
    }

    /// Keeps a part of a file that is coming; it counts once a step names the upload as the test's.
    ///
    /// # Errors
    /// Where there is no such test, or the database fails.
    pub fn keep_part(
        &self,
        site: &str,
        id: &str,
        upload: &str,
        part: u32,
        bytes: &[u8],
    ) -> Result<(), StoreError> {
        let sql =
            "INSERT INTO test_files (site, test, upload, part, bytes) VALUES (?1, ?2, ?3, ?4, ?5)";
        self.writer()
            .execute(sql, params![site, id, upload, part, bytes])?;
        Ok(())
    }

    /// Begins an upload, and gives its name. Until it is dropped its parts are left alone.
    pub fn begin_upload(&self) -> Upload<'_> {
        let name = format!(
            "{}-{}",
            self.opened,
            self.uploads_begun.fetch_add(1, Ordering::Relaxed)
        );
        self.uploads
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .push(name.clone());
        Upload { store: self, name }
    }

    /// Throws away the parts of uploads that are no test's file, that no step could bring back, and
    /// that are not under way.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn sweep_uploads(&self) -> Result<usize, StoreError> {
        let under_way = self
            .uploads
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .clone();
        rows::sweep(&self.writer(), &under_way)
    }

    /// One part of a file; none behind the last.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn file_part(
        &self,
        site: &str,
        id: &str,
        upload: &str,
        part: u32,
    ) -> Result<Option<Vec<u8>>, StoreError> {
        self.read(|db| {
            let sql = "SELECT bytes FROM test_files WHERE site = ?1 AND test = ?2 AND upload = ?3 \
                AND part = ?4";
            Ok(db
                .query_row(sql, params![site, id, upload, part], |row| row.get(0))
                .optional()?)
        })
    }
}

/// An upload that is under way.
pub struct Upload<'a> {
    store: &'a Store,
    /// Its name, which no other upload has.
    pub name: String,
}

impl Drop for Upload<'_> {
    fn drop(&mut self) {
        self.store
            .uploads
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .retain(|it| *it != self.name);
    }
}

impl TestRow {
    /// It as the journal keeps it.
    pub(crate) fn kept(&self) -> Value {
        json!({
            "begun": self.begun, "changed": self.changed, "body": self.body,
            "replaced": self.replaced, "upload": self.upload,
        })
    }
}

/// The tests of a site, the latest first.
pub(crate) fn list(db: &Connection, site: &str) -> Result<Vec<TestRow>, StoreError> {
    let sql = format!(
        "SELECT {COLUMNS} FROM tests WHERE site = ?1 AND gone = 0 ORDER BY begun DESC, id DESC"
    );
    let mut query = db.prepare_cached(&sql)?;
    let rows = query.query_map([site], raw_test)?;
    rows.map(|it| read_test(site, it?)).collect()
}

fn test(db: &Connection, site: &str, id: &str) -> Result<TestRow, StoreError> {
    let sql = format!("SELECT {COLUMNS} FROM tests WHERE site = ?1 AND id = ?2 AND gone = 0");
    let found = db.query_row(&sql, [site, id], raw_test).optional()?;
    read_test(
        site,
        found.ok_or_else(|| StoreError::Missing {
            what: "test",
            id: id.to_owned(),
        })?,
    )
}

/// An id made from a stem that no test of a site has or had.
fn free_id(db: &Connection, site: &str, stem: &str) -> Result<String, StoreError> {
    let mut id = stem.to_owned();
    for number in 2.. {
        let sql = "SELECT EXISTS (SELECT 1 FROM tests WHERE site = ?1 AND id = ?2)";
        if !db.query_row(sql, [site, &id], |row| row.get(0))? {
            break;
        }
        id = format!("{stem}-{number}");
    }
    Ok(id)
}

type RawTest = (
    String,
    String,
    String,
    String,
    Option<String>,
    Option<String>,
    i64,
);

fn raw_test(row: &Row<'_>) -> rusqlite::Result<RawTest> {
    Ok((
        row.get(0)?,
        row.get(1)?,
        row.get(2)?,
        row.get(3)?,
        row.get(4)?,
        row.get(5)?,
        row.get(6)?,
    ))
}

fn read_test(site: &str, raw: RawTest) -> Result<TestRow, StoreError> {
    let (id, begun, changed, body, replaced, upload, revision) = raw;
    let row = || format!("{id} of {site}");
    let body = stored(&body, "tests", row)?;
    let replaced = replaced.map(|it| stored(&it, "tests", row)).transpose()?;
    Ok(TestRow {
        id,
        begun,
        changed,
        body,
        replaced,
        upload,
        revision,
    })
}
