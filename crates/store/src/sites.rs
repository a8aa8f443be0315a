//! Sites and their plans.

use crate::element::{Element, Kind, put_together, take_apart};
use crate::error::{StoreError, stored};
use crate::folder::Store;
use crate::held::{Revised, hold};
use ash_pond_core::site::plan::Plan;
use rusqlite::{Connection, OptionalExtension, Row, Transaction, params};
use std::sync::PoisonError;

/// A site in the list of sites.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SiteRow {
    /// Its id.
    pub id: String,
    /// What it is called.
    pub name: String,
    /// Its counter of changes.
    pub revision: i64,
}

impl Store {
    /// Every site, by name; those that were removed are told by [`Store::removed_sites`].
    ///
    /// # Errors
    /// Where the database fails.
    pub fn sites(&self) -> Result<Vec<SiteRow>, StoreError> {
        self.read(|db| list(db, false))
    }

    /// The sites that were removed and can be brought back, by name.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn removed_sites(&self) -> Result<Vec<SiteRow>, StoreError> {
        self.read(|db| list(db, true))
    }

    /// Makes a site like another one, under another name, and tells its id. The steps of the first
    /// stay with it.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn copy_site(&self, site: &str, name: &str) -> Result<String, StoreError> {
        let mut plan = Plan::clone(&self.plan(site)?.plan);
        name.clone_into(&mut plan.site.name);
        self.create_site(&plan)
    }

    /// Takes a site off the list, with its steps; [`Store::restore_site`] brings it back.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn remove_site(&self, site: &str) -> Result<(), StoreError> {
        self.set_removed(site, true)
    }

    /// Brings a site back that was removed.
    ///
    /// # Errors
    /// Where there is no such removed site, or the database fails.
    pub fn restore_site(&self, site: &str) -> Result<(), StoreError> {
        self.set_removed(site, false)
    }

    fn set_removed(&self, site: &str, removed: bool) -> Result<(), StoreError> {
        let sql = "UPDATE sites SET removed = ?2 WHERE id = ?1 AND removed <> ?2";
        match self.writer().execute(sql, params![site, removed])? {
            0 => Err(StoreError::Missing {
                what: if removed { "site" } else { "removed site" },
                id: site.to_owned(),
            }),
            _ => Ok(()),
        }
    }

    /// Makes a site from a checked plan, and tells its id, which is made from its name.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn create_site(&self, plan: &Plan) -> Result<String, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let id = free_id(&transaction, &plan.site.name)?;
        transaction.execute(
            "INSERT INTO sites (id, name) VALUES (?1, ?2)",
            params![id, plan.site.name],
        )?;
        for element in take_apart(plan)? {
            insert(
                &transaction,
                &id,
                &Element {
                    revision: 1,
                    ..element
                },
            )?;
        }
        transaction.commit()?;
        Ok(id)
    }

    /// The plan of a site, with its revisions.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn plan(&self, site: &str) -> Result<Revised, StoreError> {
        let known = || self.plans.lock().unwrap_or_else(PoisonError::into_inner);
        let generation = known().0;
        self.read(|db| {
            // One snapshot, so that the counter and the elements belong together.
            let snapshot = db.unchecked_transaction()?;
            let current = revision(&snapshot, site)?;
            let kept = Some(known()).filter(|it| it.0 == generation);
            let kept =
                kept.and_then(|it| it.1.get(site).filter(|it| it.revision == current).cloned());
            if let Some(kept) = kept {
                return Ok(kept);
            }
            let read = load(&snapshot, site)?;
            // What was read of a database that another one has replaced meanwhile is told, and not
            // kept.
            hold(&mut known(), generation, site, &read);
            Ok(read)
        })
    }

    /// A site as it is held in memory, if it is. Where the writer is locked, and what is held has
    /// the site's counter, it is what the database has.
    pub(crate) fn held(&self, site: &str) -> Option<Revised> {
        self.plans
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .1
            .get(site)
            .cloned()
    }

    /// Ends a transaction that changed a site on disk, and holds what the site is since. The writer
    /// is still locked then, so that nothing comes between.
    pub(crate) fn commit(
        &self,
        transaction: Transaction<'_>,
        site: &str,
        after: &Revised,
    ) -> Result<(), StoreError> {
        transaction.commit()?;
        let mut plans = self.plans.lock().unwrap_or_else(PoisonError::into_inner);
        let generation = plans.0;
        hold(&mut plans, generation, site, after);
        Ok(())
    }

    /// One element of a site.
    ///
    /// # Errors
    /// Where there is none, or the database fails.
    pub fn element(&self, site: &str, kind: Kind, id: &str) -> Result<Element, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            element(db, site, kind, id)?.ok_or_else(|| StoreError::Missing {
                what: kind.word(),
                id: id.to_owned(),
            })
        })
    }
}

fn list(db: &Connection, removed: bool) -> Result<Vec<SiteRow>, StoreError> {
    let sql = "SELECT id, name, revision FROM sites WHERE removed = ?1 ORDER BY name, id";
    let mut query = db.prepare_cached(sql)?;
    let row = |row: &Row<'_>| {
        Ok(SiteRow {
            id: row.get(0)?,
            name: row.get(1)?,
            revision: row.get(2)?,
        })
    };
    let rows = query.query_map([removed], row)?;
    Ok(rows.collect::<Result<_, _>>()?)
}

/// The counter of a site that is not removed.
pub(crate) fn revision(db: &Connection, site: &str) -> Result<i64, StoreError> {
    let sql = "SELECT revision FROM sites WHERE id = ?1 AND removed = 0";
    let found = db
        .prepare_cached(sql)?
        .query_row([site], |row| row.get(0))
        .optional()?;
    found.ok_or_else(|| StoreError::Missing {
        what: "site",
        id: site.to_owned(),
    })
}

/// A site's plan and elements.
pub(crate) fn load(db: &Connection, site: &str) -> Result<Revised, StoreError> {
    let revision = revision(db, site)?;
    let elements = elements(db, site)?;
    Ok(Revised::read(
        put_together(&elements, &[])?,
        revision,
        elements,
    ))
}

/// A site's elements, sorted by kind and place.
pub(crate) fn elements(db: &Connection, site: &str) -> Result<Vec<Element>, StoreError> {
    let mut query = db.prepare_cached(
        "SELECT kind, id, position, revision, body FROM elements WHERE site = ?1 ORDER BY kind, \
        position, id",
    )?;
    let rows = query.query_map([site], raw_element)?;
    rows.map(|it| read_element(site, it?)).collect()
}

/// One element.
pub(crate) fn element(
    db: &Connection,
    site: &str,
    kind: Kind,
    id: &str,
) -> Result<Option<Element>, StoreError> {
    let sql = "SELECT kind, id, position, revision, body FROM elements WHERE site = ?1 AND kind = \
        ?2 AND id = ?3";
    let found = db
        .prepare_cached(sql)?
        .query_row(params![site, kind.word(), id], raw_element)
        .optional()?;
    found.map(|it| read_element(site, it)).transpose()
}

type RawElement = (String, String, i64, i64, String);

fn raw_element(row: &Row<'_>) -> rusqlite::Result<RawElement> {
    Ok((
        row.get(0)?,
        row.get(1)?,
        row.get(2)?,
        row.get(3)?,
        row.get(4)?,
    ))
}

fn read_element(
    site: &str,
    (word, id, position, revision, text): RawElement,
) -> Result<Element, StoreError> {
    let row = || format!("{word} {id} of {site}");
    let kind = Kind::parse(&word)
        .ok_or_else(|| StoreError::unreadable("elements", row(), "there is no such kind"))?;
    let body = stored(&text, "elements", row)?;
    Ok(Element {
        kind,
        id,
        position,
        revision,
        body,
    })
}

/// Writes an element anew.
pub(crate) fn insert(db: &Connection, site: &str, element: &Element) -> Result<(), StoreError> {
    let Element {
        kind,
        id,
        position,
        revision,
        body,
    } = element;
    let sql =
        "INSERT INTO elements (site, kind, id, position, revision, body) VALUES (?1, ?2, ?3, \
        ?4, ?5, ?6)
               ON CONFLICT (site, kind, id) DO UPDATE SET position = ?4, revision = ?5, body = ?6";
    db.prepare_cached(sql)?.execute(params![
        site,
        kind.word(),
        id,
        position,
        revision,
        body.to_string()
    ])?;
    Ok(())
}

/// An id made from a name that no site has yet.
pub(crate) fn free_id(db: &Connection, name: &str) -> Result<String, StoreError> {
    let lower = name.to_lowercase();
    let words: Vec<_> = lower
        .split(|c: char| !c.is_ascii_alphanumeric())
        .filter(|it| !it.is_empty())
        .collect();
    let stem = if words.is_empty() {
        "site".to_owned()
    } else {
        words.join("-").chars().take(48).collect()
    };
    let mut id = stem.clone();
    for number in 2.. {
        let taken: bool = db.query_row(
            "SELECT EXISTS (SELECT 1 FROM sites WHERE id = ?1)",
            [&id],
            |row| row.get(0),
        )?;
        if !taken {
            break;
        }
        id = format!("{stem}-{number}");
    }
    Ok(id)
}
