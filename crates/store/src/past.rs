//! What figures were before they were changed: written with every change of an element, and kept
//! when the journal forgets.

use crate::element::Kind;
use crate::error::{StoreError, stored};
use crate::folder::Store;
use crate::sites::revision;
use ash_pond_core::bench::past::{Said, changed};
use rusqlite::{Connection, OptionalExtension, params};
use serde_json::Value;

/// Changes of a figure that follow each other closely are one: somebody is still typing.
const TOGETHER_MS: i64 = 10 * 60_000;

/// A change of a figure.
#[derive(Debug, Clone, PartialEq)]
pub struct PastFigure {
    /// When, ms since 1970.
    pub at_ms: i64,
    /// What it was; none where nothing was stated.
    pub before: Option<Value>,
    /// What it became; none where nothing was stated any more.
    pub after: Option<Value>,
}

/// A figure that was changed once: whose it is, and where it stands there by names.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct PastPlace {
    /// The kind of the element.
    pub kind: String,
    /// Its id.
    pub element: String,
    /// Where the figure stands in it.
    pub place: String,
}

/// Notes what a change of an element changes of its figures.
pub(crate) fn note(
    db: &Connection,
    site: &str,
    kind: Kind,
    id: &str,
    after: &Value,
) -> Result<(), StoreError> {
    let sql = "SELECT body FROM elements WHERE site = ?1 AND kind = ?2 AND id = ?3";
    let before: Option<String> = db
        .prepare_cached(sql)?
        .query_row(params![site, kind.word(), id], |row| row.get(0))
        .optional()?;
    let Some(before) = before else { return Ok(()) };
    let before: Value = stored(&before, "elements", || {
        format!("{} {id} of {site}", kind.word())
    })?;
    let now: i64 = db
        .prepare_cached("SELECT CAST(unixepoch('subsec') * 1000 AS INTEGER)")?
        .query_row([], |row| row.get(0))?;
    for it in changed(&before, after) {
        let text = |it: &Option<Value>| it.as_ref().map(Value::to_string);
        let sql = "SELECT id, at_ms, before, after FROM figure_past
                   WHERE site = ?1 AND kind = ?2 AND element = ?3 AND place = ?4 ORDER BY id DESC \
                   LIMIT 1";
        type Last = (i64, i64, Option<String>, Option<String>);
        let last: Option<Last> = db
            .prepare_cached(sql)?
            .query_row(params![site, kind.word(), id, it.place], |row| {
                Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?))
            })
            .optional()?;
        let said = |text: &Option<String>| -> Result<Option<Said>, StoreError> {
            let row = || format!("{} of {id} of {site}", it.place);
            let figure: Option<Value> = text
                .as_deref()
                .map(|text| stored(text, "figure_past", row))
                .transpose()?;
            Ok(figure.as_ref().and_then(Said::of))
        };
        let new = it.after.as_ref().and_then(Said::of);
        // What comes from elsewhere is a thing of its own: a label is not typed away by the test
        // that follows it.
        let whence = |it: &Option<Said>| it.as_ref().map(|it| (it.basis, it.test.clone()));
        let is_near = |it: &Last| (0..TOGETHER_MS).contains(&(now - it.1));
        let near = last
            .filter(is_near)
            .map(|(row, _, was, is)| Ok::<_, StoreError>((row, said(&was)?, said(&is)?)));
        match near.transpose()? {
            // It is again what it was.
            Some((row, was, _)) if was == new => {
                db.prepare_cached("DELETE FROM figure_past WHERE id = ?1")?
                    .execute([row])?;
            }
            Some((row, _, is)) if whence(&is) == whence(&new) => {
                let sql = "UPDATE figure_past SET after = ?2, at_ms = ?3 WHERE id = ?1";
                db.prepare_cached(sql)?
                    .execute(params![row, text(&it.after), now])?;
            }
            _ => {
                let sql =
                    "INSERT INTO figure_past (site, kind, element, place, at_ms, before, after)
                           VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)";
                let (before, after) = (text(&it.before), text(&it.after));
                db.prepare_cached(sql)?.execute(params![
                    site,
                    kind.word(),
                    id,
                    it.place,
                    now,
                    before,
                    after
                ])?;
            }
        }
    }
    Ok(())
}

impl Store {
    /// The figures of a site that were changed once.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn past_places(&self, site: &str) -> Result<Vec<PastPlace>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = "SELECT DISTINCT kind, element, place FROM figure_past WHERE site = ?1 ORDER \
                BY 1, 2, 3";
            let mut query = db.prepare_cached(sql)?;
            let rows = query.query_map([site], |row| {
                Ok(PastPlace {
                    kind: row.get(0)?,
                    element: row.get(1)?,
                    place: row.get(2)?,
                })
            })?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Every change of a figure, the earliest first.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn past_of(&self, site: &str, at: &PastPlace) -> Result<Vec<PastFigure>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let sql = "SELECT at_ms, before, after FROM figure_past
                       WHERE site = ?1 AND kind = ?2 AND element = ?3 AND place = ?4 ORDER BY id";
            type Row = (i64, Option<String>, Option<String>);
            let rows: Vec<Row> = {
                let mut query = db.prepare_cached(sql)?;
                let asked = params![site, at.kind, at.element, at.place];
                query
                    .query_map(asked, |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)))?
                    .collect::<Result<_, _>>()?
            };
            let read = |text: Option<String>| {
                let row = || format!("{} of {} of {site}", at.place, at.element);
                text.map(|it| stored(&it, "figure_past", row)).transpose()
            };
            let change = |(at_ms, before, after): Row| {
                Ok(PastFigure {
                    at_ms,
                    before: read(before)?,
                    after: read(after)?,
                })
            };
            rows.into_iter().map(change).collect()
        })
    }
}
