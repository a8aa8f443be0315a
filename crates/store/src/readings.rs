//! Readings of meters by time: kept as they come, paged, thinned for plots, and thinned out as they
//! age.
//!
//! Made for ten million rows: each question reads a bounded number of them, whatever the span that
//! is asked for.

use crate::error::{StoreError, stored};
use crate::folder::Store;
use rusqlite::{Connection, OptionalExtension, Row, params};
use serde::{Deserialize, Serialize};

/// Readings of a page.
pub const PAGE: u32 = 5_000;
/// Points of a plot at most.
pub const MOST_POINTS: u32 = 1_000;
/// Rows that a plot reads at most.
const MOST_READ: u32 = 8_000;
/// Rows that are thrown away at once, so that nobody who writes waits for long.
const AT_ONCE: u32 = 5_000;
/// A day, ms.
const DAY_MS: i64 = 86_400_000;
/// The widths of the spans that are kept with the readings, s.
const WIDTHS: [i64; 3] = [60, 3_600, 86_400];

/// A reading that has come.
#[derive(Debug, Clone, PartialEq)]
pub struct Sample {
    /// The id of its meter.
    pub meter: String,
    /// What it is a reading of, as the meter calls it.
    pub name: String,
    /// Its unit.
    pub unit: String,
    /// When, in milliseconds since 1970.
    pub at_ms: i64,
    /// What the meter showed, in its unit; finite.
    pub value: f64,
}

/// A series of readings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SeriesRow {
    /// Its number.
    pub id: i64,
    /// The id of its meter, which may have been removed since.
    pub meter: String,
    /// What it holds, as the meter calls it.
    pub name: String,
    /// Its unit.
    pub unit: String,
    /// The first moment that is known of it, ms; none where nothing came yet.
    pub first_ms: Option<i64>,
    /// The last one.
    pub last_ms: Option<i64>,
    /// From here on every reading is still there, ms; none where none was thinned out.
    pub all_from_ms: Option<i64>,
}

/// What a series held in a stretch of time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Span {
    /// When it begins, ms.
    pub at_ms: i64,
    /// The least value in it.
    pub low: f64,
    /// The most.
    pub high: f64,
    /// The mean of its readings.
    pub mean: f64,
    /// Readings in it.
    pub count: i64,
}

/// For how long readings are kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Kept {
    /// Every reading, days.
    pub all_days: u32,
    /// The least, the most and the mean of each minute, days; of each hour they are kept for ever.
    pub minute_days: u32,
}

impl Default for Kept {
    fn default() -> Self {
        Self {
            all_days: 30,
            minute_days: 730,
        }
    }
}

impl Store {
    /// Keeps readings as they come, in one transaction, and tells how many were new: a series has
    /// one reading for a moment. A value that is not finite is left out.
    ///
    /// # Errors
    /// Where the database fails, as on a full disk; none of them is kept then.
    pub fn keep_samples(&self, samples: &[Sample]) -> Result<usize, StoreError> {
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let mut kept = 0;
        let mut of: Option<(&str, &str, i64)> = None;
        for sample in samples.iter().filter(|it| it.value.is_finite()) {
            let series = match of {
                Some((meter, name, id)) if meter == sample.meter && name == sample.name => id,
                _ => series_of(&transaction, &sample.meter, &sample.name, &sample.unit)?,
            };
            of = Some((&sample.meter, &sample.name, series));
            kept += usize::from(keep(&transaction, series, sample.at_ms, sample.value)?);
        }
        transaction.commit()?;
        Ok(kept)
    }

    /// Every series, by meter and name.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn series(&self) -> Result<Vec<SeriesRow>, StoreError> {
        self.read(every)
    }

    /// One series.
    ///
    /// # Errors
    /// Where there is none, or the database fails.
    pub fn one_series(&self, id: i64) -> Result<SeriesRow, StoreError> {
        self.read(|db| one(db, id))
    }

    /// A page of readings, from a moment on: at most [`PAGE`], as time (ms) and value, in their
    /// order.
    ///
    /// # Errors
    /// Where there is no such series, or the database fails.
    pub fn readings(
        &self,
        series: i64,
        from_ms: i64,
        most: u32,
    ) -> Result<Vec<(i64, f64)>, StoreError> {
        self.read(|db| {
            one(db, series)?;
            let sql = "SELECT at_ms, value FROM readings WHERE series = ?1 AND at_ms >= ?2 ORDER \
                BY at_ms LIMIT ?3";
            let mut query = db.prepare_cached(sql)?;
            let rows = query.query_map(params![series, from_ms, most.min(PAGE)], |row| {
                Ok((row.get(0)?, row.get(1)?))
            })?;
            Ok(rows.collect::<Result<_, _>>()?)
        })
    }

    /// What a series held between two moments, in at most `points` stretches of one width (1 to
    /// [`MOST_POINTS`]): the least, the most and the mean of each that holds any. It is read from
    /// the finest that is still there and short enough: readings, minutes, hours or days; so it
    /// never reads more than some thousand rows.
    ///
    /// # Errors
    /// Where there is no such series, or the database fails.
    pub fn thinned(
        &self,
        series: i64,
        from_ms: i64,
        to_ms: i64,
        points: u32,
    ) -> Result<Vec<Span>, StoreError> {
        self.read(|db| {
            let all = one(db, series)?;
            // What lies outside what is known changes nothing, and could not be counted with.
            let from = from_ms.max(all.first_ms.unwrap_or_default());
            let to = to_ms.min(all.last_ms.unwrap_or_default().saturating_add(1));
            if from >= to || all.first_ms.is_none() {
                return Ok(Vec::new());
            }
            let points = i64::from(points.clamp(1, MOST_POINTS));
            let width = (to - from - 1) / points + 1;
            let minutes_from: Option<i64> = db.query_row(
                "SELECT minutes_from FROM series WHERE id = ?1",
                [series],
                |row| row.get(0),
            )?;
            let is_there = |since: Option<i64>| since.is_none_or(|it| it <= from);
            let tiers = [
                (1, is_there(all.all_from_ms)),
                (60, is_there(minutes_from)),
                (3_600, true),
                (86_400, true),
            ];
            for (place, (seconds, _)) in tiers.into_iter().enumerate().filter(|it| it.1.1) {
                // Where the next one is fine enough for such a plot, and this one would have to be
                // full of holes to be short, it is not even counted.
                let coarser = tiers.get(place + 1).filter(|it| it.1);
                let is_fine = coarser.is_some_and(|it| it.0 * 1000 * FINE_ENOUGH <= width);
                if is_fine && (to - from) / (seconds * 1000) > HOLES * i64::from(MOST_READ) {
                    continue;
                }
                let is_last = seconds == 86_400;
                if is_last || is_short(db, series, seconds, from, to)? {
                    return spans(db, (series, seconds), (from, to), width);
                }
            }
            Ok(Vec::new())
        })
    }

    /// What was chosen under a name; none where nothing was.
    ///
    /// # Errors
    /// Where it cannot be read, or the database fails.
    pub fn setting(&self, name: &str) -> Result<Option<serde_json::Value>, StoreError> {
        self.read(|db| {
            let sql = "SELECT body FROM settings WHERE name = ?1";
            let text: Option<String> = db.query_row(sql, [name], |row| row.get(0)).optional()?;
            text.map(|it| stored(&it, "settings", || name.to_owned()))
                .transpose()
        })
    }

    /// Everything that was chosen under names that begin alike, by what follows in them.
    ///
    /// # Errors
    /// Where one cannot be read, or the database fails.
    pub fn settings_below(
        &self,
        stem: &str,
    ) -> Result<Vec<(String, serde_json::Value)>, StoreError> {
        self.read(|db| {
            let mut query = db
                .prepare_cached("SELECT name, body FROM settings WHERE substr(name, 1, ?2) = ?1")?;
            let long = i64::try_from(stem.chars().count()).unwrap_or(i64::MAX);
            let rows =
                query.query_map(params![stem, long], |row| Ok((row.get(0)?, row.get(1)?)))?;
            let rows: Vec<(String, String)> = rows.collect::<Result<_, _>>()?;
            let each = rows.into_iter().map(|(name, text)| {
                let rest = name.get(stem.len()..).unwrap_or_default().to_owned();
                Ok((rest, stored(&text, "settings", || name)?))
            });
            each.collect()
        })
    }

    /// Chooses something under a name; none takes it away.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn set_setting(
        &self,
        name: &str,
        body: Option<&serde_json::Value>,
    ) -> Result<(), StoreError> {
        let writer = self.writer();
        match body {
            Some(body) => writer.execute(
                "INSERT INTO settings (name, body) VALUES (?1, ?2) ON CONFLICT (name) DO UPDATE \
                SET body = ?2",
                params![name, body.to_string()],
            )?,
            None => writer.execute("DELETE FROM settings WHERE name = ?1", [name])?,
        };
        Ok(())
    }

    /// For how long readings are kept.
    ///
    /// # Errors
    /// Where what was chosen cannot be read, or the database fails.
    pub fn kept(&self) -> Result<Kept, StoreError> {
        self.read(|db| {
            let sql = "SELECT body FROM settings WHERE name = 'readings'";
            let text: Option<String> = db.query_row(sql, [], |row| row.get(0)).optional()?;
            text.map_or_else(
                || Ok(Kept::default()),
                |it| stored(&it, "settings", || "readings".into()),
            )
        })
    }

    /// Chooses for how long readings are kept.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn choose_kept(&self, kept: Kept) -> Result<(), StoreError> {
        let sql = "INSERT INTO settings (name, body) VALUES ('readings', ?1)
                   ON CONFLICT (name) DO UPDATE SET body = ?1";
        self.writer()
            .execute(sql, [serde_json::json!(kept).to_string()])?;
        Ok(())
    }

    /// Throws away single readings and minutes that are too old, some thousand at once, so that
    /// nobody who writes waits for long; tells how many went.
    ///
    /// # Errors
    /// Where the database fails.
    pub fn thin_out(&self, now_ms: i64) -> Result<usize, StoreError> {
        let kept = self.kept()?;
        let before = |days: u32| now_ms.saturating_sub(i64::from(days) * DAY_MS);
        let mut gone = 0;
        for series in self.series()? {
            let tiers = [
                (
                    "DELETE FROM readings WHERE series = ?1 AND at_ms IN
                     (SELECT at_ms FROM readings WHERE series = ?1 AND at_ms < ?2 ORDER BY at_ms \
                     LIMIT ?3)",
                    "UPDATE series SET all_from = max(coalesce(all_from, ?2), ?2) WHERE id = ?1",
                    before(kept.all_days),
                ),
                (
                    "DELETE FROM reading_spans WHERE series = ?1 AND width_s = 60 AND at_ms IN
                     (SELECT at_ms FROM reading_spans WHERE series = ?1 AND width_s = 60 AND at_ms \
                     < ?2
                      ORDER BY at_ms LIMIT ?3)",
                    "UPDATE series SET minutes_from = max(coalesce(minutes_from, ?2), ?2) WHERE id \
                    = ?1",
                    before(kept.minute_days),
                ),
            ];
            for (delete, since, before) in tiers {
                if series.first_ms.is_none_or(|it| it >= before) {
                    continue;
                }
                loop {
                    let mut writer = self.writer();
                    let transaction = writer.transaction()?;
                    transaction.execute(since, params![series.id, before])?;
                    let some = transaction
                        .prepare_cached(delete)?
                        .execute(params![series.id, before, AT_ONCE])?;
                    transaction.commit()?;
                    gone += some;
                    if some < AT_ONCE as usize {
                        break;
                    }
                }
            }
        }
        Ok(gone)
    }
}

/// The number of a series, which is made where there is none.
pub(crate) fn series_of(
    db: &Connection,
    meter: &str,
    name: &str,
    unit: &str,
) -> Result<i64, StoreError> {
    let sql = "SELECT id FROM series WHERE meter = ?1 AND name = ?2";
    let found = db
        .prepare_cached(sql)?
        .query_row([meter, name], |row| row.get(0))
        .optional()?;
    if let Some(id) = found {
        return Ok(id);
    }
    db.execute(
        "INSERT INTO series (meter, name, unit) VALUES (?1, ?2, ?3)",
        [meter, name, unit],
    )?;
    Ok(db.last_insert_rowid())
}

/// Keeps one reading with its spans; whether it was new.
pub(crate) fn keep(
    db: &Connection,
    series: i64,
    at_ms: i64,
    value: f64,
) -> Result<bool, StoreError> {
    let sql = "INSERT OR IGNORE INTO readings (series, at_ms, value) VALUES (?1, ?2, ?3)";
    if db
        .prepare_cached(sql)?
        .execute(params![series, at_ms, value])?
        == 0
    {
        return Ok(false);
    }
    for width in WIDTHS {
        let begins = at_ms - at_ms.rem_euclid(width * 1000);
        add_span(
            db,
            (series, width),
            Span {
                at_ms: begins,
                low: value,
                high: value,
                mean: value,
                count: 1,
            },
        )?;
    }
    Ok(true)
}

/// Adds readings to a span of a width that is kept.
pub(crate) fn add_span(
    db: &Connection,
    (series, width): (i64, i64),
    span: Span,
) -> Result<(), StoreError> {
    let sql = "INSERT INTO reading_spans (series, width_s, at_ms, low, high, sum, count)
               VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)
               ON CONFLICT (series, width_s, at_ms) DO UPDATE SET
               low = min(low, ?4), high = max(high, ?5), sum = sum + ?6, count = count + ?7";
    let sum = span.mean * span.count as f64;
    db.prepare_cached(sql)?.execute(params![
        series, width, span.at_ms, span.low, span.high, sum, span.count
    ])?;
    Ok(())
}

const SERIES: &str = "SELECT id, meter, name, unit,
    (SELECT min(at_ms) FROM reading_spans WHERE series = id AND width_s = 86400),
    (SELECT max(at_ms) FROM readings WHERE series = id),
    (SELECT max(at_ms) + 60000 FROM reading_spans WHERE series = id AND width_s = 60),
    (SELECT max(at_ms) + 3600000 FROM reading_spans WHERE series = id AND width_s = 3600), all_from,
    (SELECT min(at_ms) FROM readings WHERE series = id) FROM series";

fn series_row(row: &Row<'_>) -> rusqlite::Result<SeriesRow> {
    let day: Option<i64> = row.get(4)?;
    let last: [Option<i64>; 3] = [row.get(5)?, row.get(6)?, row.get(7)?];
    let (all_from, first): (Option<i64>, Option<i64>) = (row.get(8)?, row.get(9)?);
    Ok(SeriesRow {
        id: row.get(0)?,
        meter: row.get(1)?,
        name: row.get(2)?,
        unit: row.get(3)?,
        // While every reading is there the first one says it to the millisecond.
        first_ms: if all_from.is_none() {
            first.or(day)
        } else {
            day.or(first)
        },
        last_ms: last.into_iter().flatten().next(),
        all_from_ms: all_from,
    })
}

/// Every series, by meter and name.
pub(crate) fn every(db: &Connection) -> Result<Vec<SeriesRow>, StoreError> {
    let mut query = db.prepare_cached(&format!("{SERIES} ORDER BY meter, name"))?;
    let rows = query.query_map([], series_row)?;
    Ok(rows.collect::<Result<_, _>>()?)
}

fn one(db: &Connection, id: i64) -> Result<SeriesRow, StoreError> {
    let found = db
        .prepare_cached(&format!("{SERIES} WHERE id = ?1"))?
        .query_row([id], series_row)
        .optional()?;
    found.ok_or_else(|| StoreError::Missing {
        what: "series of readings",
        id: id.to_string(),
    })
}

/// So many stretches of a tier make one point of a plot at least, where a finer tier is not looked
/// at.
const FINE_ENOUGH: i64 = 4;
/// Of a tier that is not looked at, so many times as many would lie there as are read.
const HOLES: i64 = 8;

/// Whether so few rows lie between two moments that a plot can read them.
fn is_short(
    db: &Connection,
    series: i64,
    seconds: i64,
    from: i64,
    to: i64,
) -> Result<bool, StoreError> {
    let sql = if seconds == 1 {
        "SELECT count(*) FROM (SELECT 1 FROM readings WHERE series = ?1 AND ?2 = ?2 AND at_ms >= \
        ?3 AND at_ms < ?4 LIMIT ?5)"
    } else {
        "SELECT count(*) FROM (SELECT 1 FROM reading_spans WHERE series = ?1 AND width_s = ?2 AND \
        at_ms >= ?3 AND at_ms < ?4
         LIMIT ?5)"
    };
    let from = if seconds == 1 {
        from
    } else {
        from - from.rem_euclid(seconds * 1000)
    };
    let count: u32 = db
        .prepare_cached(sql)?
        .query_row(params![series, seconds, from, to, MOST_READ + 1], |row| {
            row.get(0)
        })?;
    Ok(count <= MOST_READ)
}

/// Rows between two moments, put together into stretches of one width.
fn spans(
    db: &Connection,
    (series, seconds): (i64, i64),
    (from, to): (i64, i64),
    width: i64,
) -> Result<Vec<Span>, StoreError> {
    // They come in the order of time, so that each stretch is whole before the next begins: nothing
    // is sorted.
    let sql = if seconds == 1 {
        "SELECT at_ms, value, value, value, 1 FROM readings
         WHERE series = ?1 AND ?2 = ?2 AND at_ms >= ?3 AND at_ms < ?4 ORDER BY at_ms"
    } else {
        "SELECT at_ms, low, high, sum, count FROM reading_spans
         WHERE series = ?1 AND width_s = ?2 AND at_ms >= ?3 AND at_ms < ?4 ORDER BY at_ms"
    };
    // A span that began before and reaches into the stretch belongs to it.
    let (from, width) = if seconds == 1 {
        (from, width)
    } else {
        let tier = seconds * 1000;
        (
            from - from.rem_euclid(tier),
            ((width - 1) / tier + 1) * tier,
        )
    };
    let mut query = db.prepare_cached(sql)?;
    let mut rows = query.query(params![series, seconds, from, to])?;
    let mut spans: Vec<Span> = Vec::new();
    while let Some(row) = rows.next()? {
        let (at_ms, count): (i64, i64) = (row.get(0)?, row.get(4)?);
        let (low, high, sum): (f64, f64, f64) = (row.get(1)?, row.get(2)?, row.get(3)?);
        let begins = from + (at_ms - from) / width * width;
        match spans.last_mut().filter(|it| it.at_ms == begins) {
            // The mean stands for the sum until the stretch is whole.
            Some(it) => {
                (it.low, it.high) = (it.low.min(low), it.high.max(high));
                (it.mean, it.count) = (it.mean + sum, it.count + count);
            }
            None => spans.push(Span {
                at_ms: begins,
                low,
                high,
                mean: sum,
                count,
            }),
        }
    }
    for it in &mut spans {
        it.mean /= it.count.max(1) as f64;
    }
    Ok(spans)
}
