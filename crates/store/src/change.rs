//! Changes: edits of elements, refused when stale, kept in a journal, undone and done again.

use crate::element::{Anew, Element, Kind};
use crate::error::{StoreError, stored};
use crate::folder::Store;
use crate::held::Revised;
use crate::sites::{element, revision};
use crate::step::{Step, Subject, Touched, put, settle};
use rusqlite::{Connection, OptionalExtension, params};
use serde_json::Value;

/// One edit of one element.
#[derive(Debug, Clone, PartialEq)]
pub struct Edit {
    /// The element's kind.
    pub kind: Kind,
    /// Its id.
    pub id: String,
    /// The revision that the edit is based on; `None` to overwrite whatever is there.
    pub based_on: Option<i64>,
    /// Its body from now on; `None` removes it.
    pub body: Option<Value>,
}

/// A step of the journal as it is told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Told {
    /// Its number, rising.
    pub step: i64,
    /// What it did, in words.
    pub words: String,
    /// Whether it is undone now.
    pub undone: bool,
}

/// What undo or redo did.
#[derive(Debug, Clone, PartialEq)]
pub struct Undone {
    /// The step's words.
    pub words: String,
    /// The site afterwards.
    pub site: Revised,
}

impl Store {
    /// Applies edits as one step with `words`, and tells the site afterwards.
    ///
    /// # Errors
    /// Where an edit is stale, where core refuses the plan that would result (nothing is
    /// changed then), where there is no such site or element, or where the database fails.
    pub fn change(&self, site: &str, edits: &[Edit], words: &str) -> Result<Revised, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let mut step = Step::begin(&transaction, site, words, self.held(site))?;
        for edit in edits {
            write(&mut step, edit)?;
        }
        let after = step.end()?;
        self.commit(transaction, site, &after)?;
        Ok(after)
    }

    /// Takes the last step back.
    ///
    /// # Errors
    /// Where there is nothing to undo, no such site, or the database fails.
    pub fn undo(&self, site: &str) -> Result<Undone, StoreError> {
        self.walk(site, true)
    }

    /// Does the last step that was undone again.
    ///
    /// # Errors
    /// Where there is nothing to do again, no such site, or the database fails.
    pub fn redo(&self, site: &str) -> Result<Undone, StoreError> {
        self.walk(site, false)
    }

    /// The steps of a site, latest first.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn journal(&self, site: &str) -> Result<Vec<Told>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = "SELECT step, words, undone FROM journal WHERE site = ?1 GROUP BY step ORDER \
                BY step DESC";
            let mut query = db.prepare_cached(sql)?;
            let rows = query.query_map([site], |row| {
                Ok(Told {
                    step: row.get(0)?,
                    words: row.get(1)?,
                    undone: row.get(2)?,
                })
            })?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    fn walk(&self, site: &str, back: bool) -> Result<Undone, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let next = revision(&transaction, site)? + 1;
        let (sql, order) = if back {
            (
                "SELECT step, words FROM journal WHERE site = ?1 AND undone = 0 ORDER BY step DESC \
                LIMIT 1",
                "DESC",
            )
        } else {
            (
                "SELECT step, words FROM journal WHERE site = ?1 AND undone = 1 ORDER BY step \
                LIMIT 1",
                "ASC",
            )
        };
        let found = transaction
            .query_row(sql, [site], |row| Ok((row.get(0)?, row.get(1)?)))
            .optional()?;
        let (step, words): (i64, String) =
            found.ok_or(StoreError::Nothing(if back { "undo" } else { "do again" }))?;
        let sql = format!(
            "SELECT kind, element, position_before, before, position_after, after FROM journal
             WHERE site = ?1 AND step = ?2 ORDER BY entry {order}"
        );
        type Entry = (
            String,
            String,
            Option<i64>,
            Option<String>,
            Option<i64>,
            Option<String>,
        );
        let entries: Vec<Entry> = {
            let mut query = transaction.prepare(&sql)?;
            let rows = query.query_map(params![site, step], |row| {
                Ok((
                    row.get(0)?,
                    row.get(1)?,
                    row.get(2)?,
                    row.get(3)?,
                    row.get(4)?,
                    row.get(5)?,
                ))
            })?;
            rows.collect::<Result<_, _>>()?
        };
        let mut touched = Touched::new();
        for (kind, id, position_before, before, position_after, after) in entries {
            let row = || format!("step {step} of {site}, {kind} {id}");
            let subject = Subject::parse(&kind).ok_or_else(|| {
                StoreError::unreadable("journal", row(), "it is of a kind that there is not")
            })?;
            let (position, body) = if back {
                (position_before, before)
            } else {
                (position_after, after)
            };
            let body = body.map(|text| stored(&text, "journal", row)).transpose()?;
            put(
                &transaction,
                site,
                next,
                subject,
                &id,
                position.zip(body.as_ref()),
            )?;
            if let Subject::Element(kind) = subject {
                touched.insert((kind, id));
            }
        }
        transaction.execute(
            "UPDATE journal SET undone = ?3 WHERE site = ?1 AND step = ?2",
            params![site, step, back],
        )?;
        let told = if back {
            format!("taken back: {words}")
        } else {
            format!("done again: {words}")
        };
        crate::log::note_step(&transaction, site, "change", "", &told)?;
        let after = settle(
            &transaction,
            site,
            next,
            &touched,
            Anew::Kept,
            self.held(site).as_ref(),
        )?;
        self.commit(transaction, site, &after)?;
        Ok(Undone { words, site: after })
    }
}

/// Refuses an edit that is based on something else than what is there.
fn fresh(edit: &Edit, before: Option<&Element>) -> Result<(), StoreError> {
    let current = before.map_or(0, |it| it.revision);
    if before.is_none() && edit.body.is_none() {
        return Err(StoreError::Missing {
            what: edit.kind.word(),
            id: edit.id.clone(),
        });
    }
    match edit.based_on {
        Some(yours) if yours != current => Err(StoreError::Stale {
            kind: edit.kind.word(),
            id: edit.id.clone(),
            yours,
            current,
            body: before.map(|it| it.body.clone()),
        }),
        _ => Ok(()),
    }
}

fn end_of(db: &Connection, site: &str, kind: Kind) -> Result<i64, StoreError> {
    let sql = "SELECT coalesce(max(position), -1) + 1 FROM elements WHERE site = ?1 AND kind = ?2";
    Ok(db.query_row(sql, params![site, kind.word()], |row| row.get(0))?)
}

/// Writes one edit as part of a step.
pub(crate) fn write(step: &mut Step<'_>, edit: &Edit) -> Result<(), StoreError> {
    let before = element(step.db, step.site, edit.kind, &edit.id)?;
    fresh(edit, before.as_ref())?;
    let position = match before.as_ref() {
        Some(before) => before.position,
        None => end_of(step.db, step.site, edit.kind)?,
    };
    let after = edit.body.as_ref().map(|body| (position, body));
    let before = before.as_ref().map(|it| (it.position, &it.body));
    step.write(Subject::Element(edit.kind), &edit.id, before, after)
}
