//! Instruments that were described once, and meters that answer by themselves. They belong to the
//! machine, not to a site.

use crate::error::{StoreError, stored};
use crate::folder::Store;
use crate::step::{Step, Subject};
use rusqlite::{Connection, OptionalExtension};
use serde_json::{Value, json};

/// A meter that answers by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MeterRow {
    /// Its id.
    pub id: String,
    /// What it is called.
    pub label: String,
    /// What it speaks: scpi or modbus.
    pub speaks: String,
    /// Where it listens, as address and port.
    pub address: String,
    /// Whether its readings are kept as they come, also while nobody looks.
    pub records: bool,
}

impl Store {
    /// The instruments, by their names.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn instruments(&self) -> Result<Vec<Value>, StoreError> {
        self.read(|db| {
            let mut query =
                db.prepare_cached("SELECT name, body FROM instruments ORDER BY name")?;
            let rows = query.query_map([], |row| {
                Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?))
            })?;
            let read = |(name, text): (String, String)| stored(&text, "instruments", || name);
            rows.map(|it| read(it?)).collect()
        })
    }

    /// Describes an instrument, new or changed; none takes it away. Tests keep what it was when
    /// they were carried out. Where it is done from a site, it is a step of that site, and told
    /// with its counter then.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn keep_instrument(
        &self,
        site: Option<&str>,
        name: &str,
        body: Option<&Value>,
    ) -> Result<Option<i64>, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let sql = "SELECT body FROM instruments WHERE name = ?1";
        let before: Option<String> = transaction
            .query_row(sql, [name], |row| row.get(0))
            .optional()?;
        let before: Option<Value> = before
            .map(|text| stored(&text, "instruments", || name.to_owned()))
            .transpose()?;
        let words = format!(
            "instrument {}: {name}",
            if body.is_some() {
                "described"
            } else {
                "forgotten"
            }
        );
        let done = machine(
            &transaction,
            site,
            &words,
            Subject::Instrument,
            name,
            (before.as_ref(), body),
        )?;
        transaction.commit()?;
        Ok(done)
    }

    /// The meters that answer by themselves.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn meters(&self) -> Result<Vec<MeterRow>, StoreError> {
        self.read(|db| {
            let mut query = db.prepare_cached(
                "SELECT id, label, speaks, address, records FROM meters ORDER BY id",
            )?;
            let rows = query.query_map([], |row| {
                Ok(MeterRow {
                    id: row.get(0)?,
                    label: row.get(1)?,
                    speaks: row.get(2)?,
                    address: row.get(3)?,
                    records: row.get(4)?,
                })
            })?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Keeps a meter, new or changed; a step of a site where it is done from one.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn keep_meter(
        &self,
        site: Option<&str>,
        row: &MeterRow,
    ) -> Result<Option<i64>, StoreError> {
        let words = format!("meter kept: {}", row.label);
        self.meter_step(site, &words, &row.id, Some(row))
    }

    /// Takes a meter away; none may be there.
    ///
    /// # Errors
    /// Where there is no such site, or the database fails.
    pub fn remove_meter(&self, site: Option<&str>, id: &str) -> Result<Option<i64>, StoreError> {
        self.meter_step(site, &format!("meter removed: {id}"), id, None)
    }

    fn meter_step(
        &self,
        site: Option<&str>,
        words: &str,
        id: &str,
        after: Option<&MeterRow>,
    ) -> Result<Option<i64>, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let sql = "SELECT label, speaks, address, records FROM meters WHERE id = ?1";
        let before = transaction.query_row(sql, [id], |row| {
            Ok(MeterRow {
                id: id.to_owned(),
                label: row.get(0)?,
                speaks: row.get(1)?,
                address: row.get(2)?,
                records: row.get(3)?,
            })
        });
        let before = before.optional()?.as_ref().map(MeterRow::body);
        let after = after.map(MeterRow::body);
        let done = machine(
            &transaction,
            site,
            words,
            Subject::Meter,
            id,
            (before.as_ref(), after.as_ref()),
        )?;
        transaction.commit()?;
        Ok(done)
    }
}

impl MeterRow {
    fn body(&self) -> Value {
        json!({ "label": self.label, "speaks": self.speaks, "address": self.address,
            "records": self.records })
    }
}

/// Writes what belongs to the machine: as a step of a site where it is done from one.
fn machine(
    db: &Connection,
    site: Option<&str>,
    words: &str,
    subject: Subject,
    id: &str,
    (before, after): (Option<&Value>, Option<&Value>),
) -> Result<Option<i64>, StoreError> {
    let Some(site) = site else {
        crate::step::put(db, "", 0, subject, id, after.map(|it| (0, it)))?;
        return Ok(None);
    };
    let mut step = Step::begin(db, site, words, None)?;
    step.write(
        subject,
        id,
        before.map(|it| (0, it)),
        after.map(|it| (0, it)),
    )?;
    Ok(Some(step.end()?.revision))
}
