//! Changes: edits of elements, refused when stale, kept in a journal, undone and done again.

use crate::element::{Element, Kind, put_together};
use crate::error::StoreError;
use crate::folder::Store;
use crate::sites::{Revised, element, elements, insert, load, revision};
use rusqlite::{Connection, OptionalExtension, params};
use serde_json::Value;

/// Steps that can be undone; older ones are forgotten.
pub const MOST_STEPS: i64 = 200;

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

/// A step of the journal.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
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
        let next = revision(&transaction, site)? + 1;
        let last: Option<i64> =
            transaction.query_row("SELECT max(step) FROM journal WHERE site = ?1", [site], |row| row.get(0))?;
        let step = last.unwrap_or(0) + 1;
        transaction.execute("DELETE FROM journal WHERE site = ?1 AND undone = 1", [site])?;
        for edit in edits {
            let before = element(&transaction, site, edit.kind, &edit.id)?;
            fresh(edit, before.as_ref())?;
            let place = before.as_ref().map(|it| it.position);
            let position = match place {
                Some(place) => place,
                None => end_of(&transaction, site, edit.kind)?,
            };
            let after = edit.body.as_ref().map(|body| (position, body));
            put(&transaction, site, next, edit.kind, &edit.id, after)?;
            let before_body = before.as_ref().map(|it| it.body.to_string());
            let after_body = after.map(|(_, body)| body.to_string());
            transaction.execute(
                "INSERT INTO journal (site, step, words, kind, element, position_before, before, position_after, after)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
                params![
                    site,
                    step,
                    words,
                    edit.kind.word(),
                    edit.id,
                    place,
                    before_body,
                    after.map(|it| it.0),
                    after_body
                ],
            )?;
        }
        let written: Vec<&str> = edits.iter().filter(|it| it.kind == Kind::Outage).map(|it| it.id.as_str()).collect();
        let site_after = settle(&transaction, site, next, &written)?;
        transaction.execute("DELETE FROM journal WHERE site = ?1 AND step <= ?2", params![site, step - MOST_STEPS])?;
        transaction.commit()?;
        Ok(site_after)
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
    pub fn journal(&self, site: &str) -> Result<Vec<Step>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = "SELECT step, words, undone FROM journal WHERE site = ?1 GROUP BY step ORDER BY step DESC";
            let mut query = db.prepare_cached(sql)?;
            let rows = query
                .query_map([site], |row| Ok(Step { step: row.get(0)?, words: row.get(1)?, undone: row.get(2)? }))?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    fn walk(&self, site: &str, back: bool) -> Result<Undone, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let next = revision(&transaction, site)? + 1;
        let (sql, order) = if back {
            ("SELECT step, words FROM journal WHERE site = ?1 AND undone = 0 ORDER BY step DESC LIMIT 1", "DESC")
        } else {
            ("SELECT step, words FROM journal WHERE site = ?1 AND undone = 1 ORDER BY step LIMIT 1", "ASC")
        };
        let found = transaction.query_row(sql, [site], |row| Ok((row.get(0)?, row.get(1)?))).optional()?;
        let (step, words): (i64, String) = found.ok_or(StoreError::Nothing(if back { "undo" } else { "do again" }))?;
        let sql = format!(
            "SELECT kind, element, position_before, before, position_after, after FROM journal
             WHERE site = ?1 AND step = ?2 ORDER BY entry {order}"
        );
        type Entry = (String, String, Option<i64>, Option<String>, Option<i64>, Option<String>);
        let entries: Vec<Entry> = {
            let mut query = transaction.prepare(&sql)?;
            let rows = query.query_map(params![site, step], |row| {
                Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?, row.get(4)?, row.get(5)?))
            })?;
            rows.collect::<Result<_, _>>()?
        };
        for (kind, id, position_before, before, position_after, after) in entries {
            let kind = Kind::parse(&kind).ok_or_else(|| StoreError::Missing { what: "kind", id: kind })?;
            let (position, body) = if back { (position_before, before) } else { (position_after, after) };
            let body: Option<Value> = body.and_then(|text| serde_json::from_str(&text).ok());
            put(&transaction, site, next, kind, &id, position.zip(body.as_ref()))?;
        }
        transaction
            .execute("UPDATE journal SET undone = ?3 WHERE site = ?1 AND step = ?2", params![site, step, back])?;
        let site = settle(&transaction, site, next, &[])?;
        transaction.commit()?;
        Ok(Undone { words, site })
    }
}

/// Refuses an edit that is based on something else than what is there.
fn fresh(edit: &Edit, before: Option<&Element>) -> Result<(), StoreError> {
    let current = before.map_or(0, |it| it.revision);
    if before.is_none() && edit.body.is_none() {
        return Err(StoreError::Missing { what: edit.kind.word(), id: edit.id.clone() });
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

/// Writes or removes an element.
fn put(
    db: &Connection,
    site: &str,
    revision: i64,
    kind: Kind,
    id: &str,
    after: Option<(i64, &Value)>,
) -> Result<(), StoreError> {
    match after {
        Some((position, body)) => {
            insert(db, site, &Element { kind, id: id.to_owned(), position, revision, body: body.clone() })
        }
        None => {
            let sql = "DELETE FROM elements WHERE site = ?1 AND kind = ?2 AND id = ?3";
            db.execute(sql, params![site, kind.word(), id])?;
            Ok(())
        }
    }
}

/// Checks the plan that results, writes it in canonical form, and moves the counter on.
fn settle(db: &Connection, site: &str, next: i64, written: &[&str]) -> Result<Revised, StoreError> {
    let stored = elements(db, site)?;
    let plan = put_together(&stored, written)?;
    for (canonical, was) in crate::element::take_apart(&plan).iter().zip(&sorted(stored)) {
        if canonical.id == was.id && canonical.body != was.body {
            insert(db, site, &Element { body: canonical.body.clone(), ..was.clone() })?;
        }
    }
    db.execute("UPDATE sites SET revision = ?2, name = ?3 WHERE id = ?1", params![site, next, plan.site.name])?;
    load(db, site)
}

/// In the order in which a plan is taken apart.
fn sorted(mut elements: Vec<Element>) -> Vec<Element> {
    elements.sort_by_key(|it| (it.kind, it.position));
    elements
}
