//! The log of a site: everything that happened, with its time, found by words, kind, item and span;
//! with pictures and files.

use crate::error::{StoreError, stored};
use crate::folder::Store;
use crate::sites::revision;
use rusqlite::types::Value as Sql;
use rusqlite::{Connection, OptionalExtension, Row, params, params_from_iter};
use serde_json::Value;

/// Rows that are given at once at most.
pub const MOST_ROWS: u32 = 500;
/// The largest file beside an entry, bytes.
pub const LARGEST_FILE: usize = 20 << 20;
/// Files beside one entry at most.
const MOST_FILES: i64 = 24;
/// Steps of the same words within so long are one entry, ms.
const TOGETHER_MS: i64 = 30 * 60 * 1000;
/// A part of a file, bytes.
const PART: usize = 1 << 20;

/// Something that happened, as it is to be kept.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct NewEntry {
    /// When, ms since 1970.
    pub at_ms: i64,
    /// What kind of thing: `note`, `repair`, `purchase`, `check`, `test`, `watch`, `drill`, `walk`,
    /// `change`.
    pub kind: String,
    /// What it is about, by id; nothing where it is about the whole site.
    pub item: String,
    /// As a person reads it.
    pub words: String,
    /// What else belongs to it.
    pub body: Value,
    /// What made it, as `watch/3`; nothing where a person did.
    pub origin: String,
}

/// An entry of the log.
#[derive(Debug, Clone, PartialEq)]
pub struct LogRow {
    /// Its number, unique among all sites.
    pub id: i64,
    /// What it says.
    pub entry: NewEntry,
    /// How many steps of the same words it stands for.
    pub many: i64,
    /// Why it was struck; none where it counts.
    pub struck: Option<String>,
    /// What lies beside it.
    pub files: Vec<LogFile>,
}

/// A picture or file beside an entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LogFile {
    /// Its number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What it is by its content, as a media type.
    pub kind: String,
    /// Its size, bytes.
    pub size: i64,
    /// Whether there is a small picture of it.
    pub has_thumb: bool,
}

/// Which rows are asked for; what is left out bounds nothing.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct LogAsked {
    /// Words, each found by its beginning.
    pub words: String,
    /// Of one of these kinds; of any where there is none.
    pub kinds: Vec<String>,
    /// About this.
    pub item: Option<String>,
    /// From this moment on, ms.
    pub from_ms: Option<i64>,
    /// Before this moment, ms.
    pub to_ms: Option<i64>,
    /// After this row in the list: its time and number.
    pub after: Option<(i64, i64)>,
    /// So many at most, 1 to [`MOST_ROWS`].
    pub limit: u32,
}

type Raw = (
    i64,
    i64,
    String,
    String,
    String,
    String,
    String,
    i64,
    Option<String>,
);
const COLUMNS: &str = "e.id, e.at_ms, e.kind, e.item, e.words, e.body, e.origin, e.many, e.struck";

fn raw(row: &Row<'_>) -> rusqlite::Result<Raw> {
    Ok((
        row.get(0)?,
        row.get(1)?,
        row.get(2)?,
        row.get(3)?,
        row.get(4)?,
        row.get(5)?,
        row.get(6)?,
        row.get(7)?,
        row.get(8)?,
    ))
}

fn whole(db: &Connection, it: Raw) -> Result<LogRow, StoreError> {
    let (id, at_ms, kind, item, words, text, origin, many, struck) = it;
    let body = stored(&text, "log_entries", || id.to_string())?;
    let entry = NewEntry {
        at_ms,
        kind,
        item,
        words,
        body,
        origin,
    };
    Ok(LogRow {
        id,
        entry,
        many,
        struck,
        files: files(db, id)?,
    })
}

fn files(db: &Connection, entry: i64) -> Result<Vec<LogFile>, StoreError> {
    let sql = "SELECT id, name, kind, size, thumb IS NOT NULL FROM log_files WHERE entry = ?1 \
        ORDER BY id";
    let mut query = db.prepare_cached(sql)?;
    let rows = query.query_map([entry], |row| {
        Ok(LogFile {
            id: row.get(0)?,
            name: row.get(1)?,
            kind: row.get(2)?,
            size: row.get(3)?,
            has_thumb: row.get(4)?,
        })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

fn one(db: &Connection, site: &str, id: i64) -> Result<LogRow, StoreError> {
    revision(db, site)?;
    let sql = format!("SELECT {COLUMNS} FROM log_entries e WHERE e.site = ?1 AND e.id = ?2");
    let found = db.query_row(&sql, params![site, id], raw).optional()?;
    let missing = || StoreError::Missing {
        what: "entry of the log",
        id: id.to_string(),
    };
    whole(db, found.ok_or_else(missing)?)
}

/// Puts an entry in.
pub(crate) fn insert(db: &Connection, site: &str, it: &NewEntry) -> Result<i64, StoreError> {
    let sql = "INSERT INTO log_entries (site, at_ms, kind, item, words, body, origin) VALUES (?1, \
        ?2, ?3, ?4, ?5, ?6, ?7)";
    let body = if it.body.is_null() {
        "{}".to_owned()
    } else {
        it.body.to_string()
    };
    db.prepare_cached(sql)?.execute(params![
        site, it.at_ms, it.kind, it.item, it.words, body, it.origin
    ])?;
    Ok(db.last_insert_rowid())
}

/// Notes a step: one of the same words as the last one, soon after it, counts with it.
pub(crate) fn note_step(
    db: &Connection,
    site: &str,
    kind: &str,
    item: &str,
    words: &str,
) -> Result<(), StoreError> {
    let sql = "SELECT CAST(unixepoch('subsec') * 1000 AS INTEGER)";
    let now: i64 = db.prepare_cached(sql)?.query_row([], |row| row.get(0))?;
    let sql = "SELECT id, at_ms, kind, item, words FROM log_entries
               WHERE site = ?1 AND origin = 'step' AND struck IS NULL ORDER BY id DESC LIMIT 1";
    let last: Option<(i64, i64, String, String, String)> = db
        .prepare_cached(sql)?
        .query_row([site], |row| {
            Ok((
                row.get(0)?,
                row.get(1)?,
                row.get(2)?,
                row.get(3)?,
                row.get(4)?,
            ))
        })
        .optional()?;
    if let Some((id, at_ms, last_kind, last_item, last_words)) = last
        && (0..TOGETHER_MS).contains(&(now - at_ms))
        && (last_kind.as_str(), last_item.as_str()) == (kind, item)
        && (last_words == words || kind == "walk")
    {
        let sql = "UPDATE log_entries SET many = many + 1, at_ms = ?2 WHERE id = ?1";
        db.prepare_cached(sql)?.execute(params![id, now])?;
        return Ok(());
    }
    let entry = NewEntry {
        at_ms: now,
        kind: kind.into(),
        item: item.into(),
        words: words.into(),
        body: Value::Null,
        origin: "step".into(),
    };
    insert(db, site, &entry).map(drop)
}

/// Words as the index is asked for them: each by its beginning, whatever signs stand between.
fn asked_words(words: &str) -> Option<String> {
    let each: Vec<String> = words
        .split(|it: char| !it.is_alphanumeric())
        .filter(|it| !it.is_empty())
        .take(12)
        .map(|it| format!("\"{it}\"*"))
        .collect();
    (!each.is_empty()).then(|| each.join(" "))
}

impl Store {
    /// The log of a site, the latest first.
    ///
    /// # Errors
    /// Where there is no such site, where a row cannot be read, or the database fails.
    pub fn log(&self, site: &str, asked: &LogAsked) -> Result<Vec<LogRow>, StoreError> {
        self.read(|db| {
            revision(db, site)?;
            let mut sql = format!("SELECT {COLUMNS} FROM ");
            let mut values: Vec<Sql> = Vec::new();
            let mut put = |it: Sql| {
                values.push(it);
                format!("?{}", values.len())
            };
            let found = asked_words(&asked.words);
            match &found {
                Some(words) => {
                    let words = put(Sql::from(words.clone()));
                    // The index leads, in its own order, which is that of time: a word that stands
                    // in all rows is as quick as one.
                    sql += &format!(
                        "log_words w CROSS JOIN log_entries e ON e.seq = w.rowid WHERE log_words \
                        MATCH {words} AND "
                    );
                }
                // Signs alone stand in no index, and in no row.
                None if !asked.words.trim().is_empty() => return Ok(Vec::new()),
                None => sql += "log_entries e WHERE ",
            }
            sql += &format!("e.site = {}", put(Sql::from(site.to_owned())));
            if !asked.kinds.is_empty() {
                let each: Vec<String> = asked
                    .kinds
                    .iter()
                    .map(|it| put(Sql::from(it.clone())))
                    .collect();
                sql += &format!(" AND e.kind IN ({})", each.join(", "));
            }
            if let Some(item) = &asked.item {
                sql += &format!(" AND e.item = {}", put(Sql::from(item.clone())));
            }
            if let Some(from) = asked.from_ms {
                sql += &format!(" AND e.at_ms >= {}", put(Sql::from(from)));
            }
            if let Some(to) = asked.to_ms {
                sql += &format!(" AND e.at_ms < {}", put(Sql::from(to)));
            }
            if let Some((at_ms, id)) = asked.after {
                let seq = at_ms.saturating_mul(1 << 20).saturating_add(id % (1 << 20));
                let column = if found.is_some() { "w.rowid" } else { "e.seq" };
                sql += &format!(" AND {column} < {}", put(Sql::from(seq)));
            }
            let limit = i64::from(asked.limit.clamp(1, MOST_ROWS));
            let order = if found.is_some() { "w.rowid" } else { "e.seq" };
            sql += &format!(" ORDER BY {order} DESC LIMIT {limit}");
            let mut query = db.prepare_cached(&sql)?;
            let rows: Vec<Raw> = query
                .query_map(params_from_iter(values), raw)?
                .collect::<Result<_, _>>()?;
            rows.into_iter().map(|it| whole(db, it)).collect()
        })
    }

    /// One entry.
    ///
    /// # Errors
    /// Where there is none, where it cannot be read, or the database fails.
    pub fn log_entry(&self, site: &str, id: i64) -> Result<LogRow, StoreError> {
        self.read(|db| one(db, site, id))
    }

    /// Adds entries in one transaction, and gives their numbers.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails, as on a full disk; none is kept then.
    pub fn add_to_log(&self, site: &str, entries: &[NewEntry]) -> Result<Vec<i64>, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        revision(&transaction, site)?;
        let ids = entries
            .iter()
            .map(|it| insert(&transaction, site, it))
            .collect::<Result<_, _>>()?;
        transaction.commit()?;
        Ok(ids)
    }

    /// Takes entries in that were written elsewhere, with how many steps each stands for and why it
    /// was struck; all or none.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails, as on a full disk.
    pub fn take_into_log(
        &self,
        site: &str,
        entries: &[(NewEntry, i64, Option<String>)],
    ) -> Result<(), StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        revision(&transaction, site)?;
        for (it, many, struck) in entries {
            let id = insert(&transaction, site, it)?;
            let sql = "UPDATE log_entries SET many = ?2, struck = ?3 WHERE id = ?1";
            transaction
                .prepare_cached(sql)?
                .execute(params![id, many, struck])?;
        }
        transaction.commit()?;
        Ok(())
    }

    /// Writes what made an entry tells of it now: the entry of that origin, or a new one.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn tell_log(&self, site: &str, entry: &NewEntry) -> Result<i64, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        revision(&transaction, site)?;
        let sql = "SELECT id FROM log_entries WHERE site = ?1 AND origin = ?2 ORDER BY id LIMIT 1";
        let own: Option<i64> = transaction
            .query_row(sql, params![site, entry.origin], |row| row.get(0))
            .optional()?;
        let id = match own.filter(|_| !entry.origin.is_empty()) {
            Some(id) => {
                let sql = "UPDATE log_entries SET words = ?2, body = ?3, kind = ?4, item = ?5 \
                    WHERE id = ?1";
                let body = if entry.body.is_null() {
                    "{}".to_owned()
                } else {
                    entry.body.to_string()
                };
                transaction.execute(sql, params![id, entry.words, body, entry.kind, entry.item])?;
                id
            }
            None => insert(&transaction, site, entry)?,
        };
        transaction.commit()?;
        Ok(id)
    }

    /// Strikes an entry with a reason, or lets it count again.
    ///
    /// # Errors
    /// Where there is no such entry, or the database fails.
    pub fn strike(&self, site: &str, id: i64, why: Option<&str>) -> Result<(), StoreError> {
        let writer = self.writer();
        one(&writer, site, id)?;
        writer.execute(
            "UPDATE log_entries SET struck = ?3 WHERE site = ?1 AND id = ?2",
            params![site, id, why],
        )?;
        Ok(())
    }

    /// Puts a file beside an entry, whole or not at all, and gives its number.
    ///
    /// # Errors
    /// Where there is no such entry, where it has too many, or the database fails, as on a full
    /// disk.
    pub fn add_log_file(
        &self,
        site: &str,
        id: i64,
        (name, kind): (&str, &str),
        bytes: &[u8],
        thumb: Option<&[u8]>,
    ) -> Result<i64, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        one(&transaction, site, id)?;
        let many: i64 = transaction.query_row(
            "SELECT count(*) FROM log_files WHERE entry = ?1",
            [id],
            |row| row.get(0),
        )?;
        if many >= MOST_FILES {
            return Err(StoreError::Watched(format!(
                "the entry has {MOST_FILES} files, which is the most; make another entry"
            )));
        }
        let file = put_file(&transaction, id, (name, kind), bytes, thumb)?;
        transaction.commit()?;
        Ok(file)
    }

    /// A file beside an entry: what it is, and its bytes.
    ///
    /// # Errors
    /// Where there is none, or the database fails.
    pub fn log_file(
        &self,
        site: &str,
        entry: i64,
        file: i64,
    ) -> Result<(LogFile, Vec<u8>), StoreError> {
        self.read(|db| {
            let row = one(db, site, entry)?;
            let missing = || StoreError::Missing {
                what: "file of the log",
                id: file.to_string(),
            };
            let found = row
                .files
                .into_iter()
                .find(|it| it.id == file)
                .ok_or_else(missing)?;
            Ok((found, bytes_of(db, file)?))
        })
    }

    /// The small picture of a file.
    ///
    /// # Errors
    /// Where there is none, or the database fails.
    pub fn log_thumb(&self, site: &str, entry: i64, file: i64) -> Result<Vec<u8>, StoreError> {
        self.read(|db| {
            one(db, site, entry)?;
            let sql = "SELECT thumb FROM log_files WHERE id = ?1 AND entry = ?2";
            let found: Option<Option<Vec<u8>>> = db
                .query_row(sql, params![file, entry], |row| row.get(0))
                .optional()?;
            let missing = || StoreError::Missing {
                what: "small picture of the log",
                id: file.to_string(),
            };
            found.flatten().ok_or_else(missing)
        })
    }
}

/// The bytes of a file, part by part.
pub(crate) fn bytes_of(db: &Connection, file: i64) -> Result<Vec<u8>, StoreError> {
    let mut query =
        db.prepare_cached("SELECT bytes FROM log_parts WHERE file = ?1 ORDER BY part")?;
    let mut rows = query.query([file])?;
    let mut bytes = Vec::new();
    while let Some(row) = rows.next()? {
        bytes.extend_from_slice(row.get_ref(0)?.as_blob().map_err(rusqlite::Error::from)?);
    }
    Ok(bytes)
}

/// Puts a file in, in parts.
pub(crate) fn put_file(
    db: &Connection,
    entry: i64,
    (name, kind): (&str, &str),
    bytes: &[u8],
    thumb: Option<&[u8]>,
) -> Result<i64, StoreError> {
    let size = i64::try_from(bytes.len()).unwrap_or(i64::MAX);
    let sql = "INSERT INTO log_files (entry, name, kind, size, thumb) VALUES (?1, ?2, ?3, ?4, ?5)";
    db.execute(sql, params![entry, name, kind, size, thumb])?;
    let file = db.last_insert_rowid();
    for (part, bytes) in bytes.chunks(PART).enumerate() {
        let part = i64::try_from(part).unwrap_or(i64::MAX);
        db.execute(
            "INSERT INTO log_parts (file, part, bytes) VALUES (?1, ?2, ?3)",
            params![file, part, bytes],
        )?;
    }
    Ok(file)
}
