//! Instruments that were described once, and meters that answer by themselves. They belong to the machine, not to a site.

use crate::error::StoreError;
use crate::folder::Store;
use rusqlite::params;
use serde_json::Value;

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
}

impl Store {
    /// The instruments, by their names.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn instruments(&self) -> Result<Vec<Value>, StoreError> {
        self.read(|db| {
            let mut query = db.prepare_cached("SELECT body FROM instruments ORDER BY name")?;
            let rows = query.query_map([], |row| row.get::<_, String>(0))?;
            let texts: Vec<String> = rows.collect::<Result<_, _>>()?;
            Ok(texts.iter().filter_map(|it| serde_json::from_str(it).ok()).collect())
        })
    }

    /// Describes an instrument, new or changed; none takes it away. Tests keep what it was when they were carried out.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn keep_instrument(&self, name: &str, body: Option<&Value>) -> Result<(), StoreError> {
        let writer = self.writer();
        match body {
            Some(body) => writer.execute(
                "INSERT INTO instruments (name, body) VALUES (?1, ?2) ON CONFLICT (name) DO UPDATE SET body = ?2",
                params![name, body.to_string()],
            )?,
            None => writer.execute("DELETE FROM instruments WHERE name = ?1", [name])?,
        };
        Ok(())
    }

    /// The meters that answer by themselves.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn meters(&self) -> Result<Vec<MeterRow>, StoreError> {
        self.read(|db| {
            let mut query = db.prepare_cached("SELECT id, label, speaks, address FROM meters ORDER BY id")?;
            let rows = query.query_map([], |row| {
                Ok(MeterRow { id: row.get(0)?, label: row.get(1)?, speaks: row.get(2)?, address: row.get(3)? })
            })?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// Keeps a meter, new or changed.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn keep_meter(&self, row: &MeterRow) -> Result<(), StoreError> {
        let sql = "INSERT INTO meters (id, label, speaks, address) VALUES (?1, ?2, ?3, ?4)
                   ON CONFLICT (id) DO UPDATE SET label = ?2, speaks = ?3, address = ?4";
        self.writer().execute(sql, params![row.id, row.label, row.speaks, row.address])?;
        Ok(())
    }

    /// Takes a meter away; none may be there.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn remove_meter(&self, id: &str) -> Result<(), StoreError> {
        self.writer().execute("DELETE FROM meters WHERE id = ?1", [id])?;
        Ok(())
    }
}
