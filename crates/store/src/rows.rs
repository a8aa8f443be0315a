//! Rows of tests, walks and meters, written as the journal has them.

use crate::error::StoreError;
use rusqlite::{Connection, params};
use serde_json::Value;

/// Takes away parts of files that no test and no step of the journal knows, and that are not under
/// way.
pub(crate) fn sweep(db: &Connection, under_way: &[String]) -> Result<usize, StoreError> {
    let under_way = serde_json::Value::from(under_way.to_vec()).to_string();
    let sql = "DELETE FROM test_files WHERE upload NOT IN (
                   SELECT upload FROM tests WHERE upload IS NOT NULL
                   UNION SELECT json_extract(before, '$.upload') FROM journal
                         WHERE kind = 'test' AND json_extract(before, '$.upload') IS NOT NULL
                   UNION SELECT json_extract(after, '$.upload') FROM journal
                         WHERE kind = 'test' AND json_extract(after, '$.upload') IS NOT NULL
                   UNION SELECT value FROM json_each(?1))";
    Ok(db.execute(sql, [under_way])?)
}

/// Writes a test as the journal has it; one that is taken away is kept aside, so that its file is
/// there when it comes back.
pub(crate) fn put_test(
    db: &Connection,
    site: &str,
    revision: i64,
    id: &str,
    after: Option<&Value>,
) -> Result<(), StoreError> {
    let Some(kept) = after else {
        db.execute(
            "UPDATE tests SET gone = 1 WHERE site = ?1 AND id = ?2",
            [site, id],
        )?;
        return Ok(());
    };
    let wrong = |key: &str| {
        StoreError::unreadable(
            "journal",
            format!("test {id} of {site}"),
            format!("it has no {key}"),
        )
    };
    let text = |key: &str| kept[key].as_str().ok_or_else(|| wrong(key));
    let body = kept.get("body").ok_or_else(|| wrong("body"))?;
    let replaced = Some(&kept["replaced"])
        .filter(|it| !it.is_null())
        .map(Value::to_string);
    db.execute(
        "INSERT INTO tests (site, id, begun, changed, body, replaced, upload, revision) VALUES \
        (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)
         ON CONFLICT (site, id) DO UPDATE SET begun = ?3, changed = ?4, body = ?5, replaced = ?6, \
         upload = ?7, revision = ?8,
         gone = 0",
        params![
            site,
            id,
            text("begun")?,
            text("changed")?,
            body.to_string(),
            replaced,
            kept["upload"].as_str(),
            revision
        ],
    )?;
    Ok(())
}

/// Writes a reading as the journal has it, or takes it away.
pub(crate) fn put_reading(
    db: &Connection,
    site: &str,
    id: &str,
    after: Option<&Value>,
) -> Result<(), StoreError> {
    let wrong =
        |why: &str| StoreError::unreadable("journal", format!("reading {id} of {site}"), why);
    let number: i64 = id.parse().map_err(|_| wrong("its id is no number"))?;
    let Some(body) = after else {
        db.execute(
            "DELETE FROM walk_reads WHERE id = ?1 AND site = ?2",
            params![number, site],
        )?;
        return Ok(());
    };
    let text = |key: &str| {
        body[key]
            .as_str()
            .ok_or_else(|| wrong(&format!("it has no {key}")))
    };
    let volts = body["volts"]
        .as_f64()
        .ok_or_else(|| wrong("it has no volts"))?;
    let walk = body["walk"]
        .as_i64()
        .ok_or_else(|| wrong("it has no walk"))?;
    db.execute(
        "INSERT INTO walk_reads (id, site, arrangement, walk, joint, volts, low_v, high_v, shows, \
        at)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
        params![
            number,
            site,
            text("arrangement")?,
            walk,
            text("joint")?,
            volts,
            body["low_v"].as_f64(),
            body["high_v"].as_f64(),
            text("shows")?,
            text("at")?
        ],
    )?;
    Ok(())
}

/// Writes an instrument, or takes it away.
pub(crate) fn put_instrument(
    db: &Connection,
    name: &str,
    after: Option<&Value>,
) -> Result<(), StoreError> {
    match after {
        Some(body) => db.execute(
            "INSERT INTO instruments (name, body) VALUES (?1, ?2) ON CONFLICT (name) DO UPDATE SET \
            body = ?2",
            params![name, body.to_string()],
        )?,
        None => db.execute("DELETE FROM instruments WHERE name = ?1", [name])?,
    };
    Ok(())
}

/// Writes a meter, or takes it away.
pub(crate) fn put_meter(
    db: &Connection,
    id: &str,
    after: Option<&Value>,
) -> Result<(), StoreError> {
    let Some(body) = after else {
        db.execute("DELETE FROM meters WHERE id = ?1", [id])?;
        return Ok(());
    };
    let text = |key: &str| {
        let found = body[key].as_str();
        found.ok_or_else(|| {
            StoreError::unreadable("journal", format!("meter {id}"), format!("it has no {key}"))
        })
    };
    db.execute(
        "INSERT INTO meters (id, label, speaks, address, records) VALUES (?1, ?2, ?3, ?4, ?5)
         ON CONFLICT (id) DO UPDATE SET label = ?2, speaks = ?3, address = ?4, records = ?5",
        // Steps of older versions say nothing of records: none were kept then.
        params![
            id,
            text("label")?,
            text("speaks")?,
            text("address")?,
            body["records"].as_bool() == Some(true)
        ],
    )?;
    Ok(())
}
