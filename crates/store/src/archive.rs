//! One site whole in a file: its plan, tests with their files, walks, instruments and readings, as
//! a zip of JSON and CSV that any program reads. Opened elsewhere it is a site of its own with the
//! same answers. Steps that could be undone stay where they are.

use crate::element::{Element, take_apart};
use crate::error::{StoreError, stored};
use crate::folder::{Store, own};
use crate::readings;
use crate::sites::{free_id, insert, load};
use crate::tests::TestRow;
use ash_pond_core::bench::Test;
use ash_pond_core::site::plan::Plan;
use rusqlite::{Connection, params};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Write};
use std::path::Path;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipArchive, ZipWriter};

/// What the first file of an archive says it is.
pub const FORMAT: &str = "ash-pond/archive";
/// The version that is written, and the newest that is read.
pub const VERSION: u32 = 1;
/// The largest text of an archive that is held at once, bytes.
const LARGEST_TEXT: u64 = 64 << 20;
/// The largest archive once it is unpacked, bytes.
const LARGEST: u64 = 8 << 30;
/// A part of a file, bytes.
const PART: usize = 1 << 20;

/// The first file of an archive: what the others are.
#[derive(Debug, Serialize, Deserialize)]
struct Index {
    format: String,
    version: u32,
    made: String,
    site: String,
    tests: Vec<ArchivedTest>,
    instruments: Vec<Value>,
    series: Vec<ArchivedSeries>,
    /// The site's id where it was written: the readings of its watches are named by it.
    #[serde(default)]
    id: String,
    #[serde(default)]
    watches: Vec<ArchivedWatch>,
    /// Whether there is a `log.csv`; archives of before the log have none.
    #[serde(default)]
    has_log: bool,
    #[serde(default)]
    log_files: Vec<ArchivedFile>,
    /// Whether there is a `past.csv`: what figures were before they were changed.
    #[serde(default)]
    has_past: bool,
}

#[derive(Debug, Serialize, Deserialize)]
struct ArchivedWatch {
    number: i64,
    body: Value,
    heard_ms: i64,
    is_open: bool,
    /// The name of the file that holds its entries.
    entries: String,
}

#[derive(Debug, Serialize, Deserialize)]
struct WatchLine {
    number: i64,
    at_s: f64,
    body: String,
    undone: i64,
}

#[derive(Debug, Serialize, Deserialize)]
struct LogLine {
    id: i64,
    at_ms: i64,
    kind: String,
    item: String,
    words: String,
    body: String,
    origin: String,
    many: i64,
    struck: Option<String>,
}

#[derive(Debug, Serialize, Deserialize)]
struct PastLine {
    kind: String,
    element: String,
    place: String,
    at_ms: i64,
    before: Option<String>,
    after: Option<String>,
}

#[derive(Debug, Serialize, Deserialize)]
struct ArchivedFile {
    /// The entry of the log that it stands beside, by its number in `log.csv`.
    entry: i64,
    name: String,
    kind: String,
    file: String,
    thumb: Option<String>,
}

#[derive(Debug, Serialize, Deserialize)]
struct ArchivedTest {
    id: String,
    begun: String,
    changed: String,
    body: Value,
    replaced: Option<Value>,
    /// The name of its file within the archive.
    file: Option<String>,
}

#[derive(Debug, Serialize, Deserialize)]
struct ArchivedSeries {
    meter: String,
    name: String,
    unit: String,
    all_from_ms: Option<i64>,
    readings: String,
    spans: String,
}

#[derive(Debug, Serialize, Deserialize)]
struct WalkLine {
    arrangement: String,
    walk: i64,
    joint: String,
    volts: f64,
    low_v: Option<f64>,
    high_v: Option<f64>,
    shows: String,
    at: String,
}

#[derive(Debug, Serialize, Deserialize)]
struct SpanLine {
    width_s: i64,
    at_ms: i64,
    low: f64,
    high: f64,
    sum: f64,
    count: i64,
}

impl Store {
    /// Writes a site whole to a file, as one snapshot while it goes on being used, and tells the
    /// file's length in bytes. `made` is when, as ISO 8601; readings of meters go along where
    /// `with_readings`.
    ///
    /// # Errors
    /// Where there is no such site, or the file cannot be written; no part of it is left then.
    pub fn archive(
        &self,
        site: &str,
        to: &Path,
        made: &str,
        with_readings: bool,
    ) -> Result<u64, StoreError> {
        let at = |error| StoreError::Folder {
            folder: to.to_owned(),
            error,
        };
        let part = to.with_added_extension("part");
        drop(std::fs::remove_file(&part));
        own(&part).map_err(at)?;
        let written = self.read(|db| {
            let snapshot = db.unchecked_transaction()?;
            let file = File::options()
                .write(true)
                .truncate(true)
                .open(&part)
                .map_err(at)?;
            let zip = ZipWriter::new(BufWriter::new(file));
            let options = SimpleFileOptions::default()
                .compression_method(CompressionMethod::Deflated)
                .large_file(true);
            let mut writer = Writer {
                db: &snapshot,
                site,
                to,
                zip,
                options,
            };
            writer.write(made, with_readings)?;
            let file = writer.zip.finish().map_err(|error| at(error.into()))?;
            let file = file.into_inner().map_err(|error| at(error.into_error()))?;
            file.sync_all().map_err(at)
        });
        let renamed = written.and_then(|()| std::fs::rename(&part, to).map_err(at));
        if let Err(error) = renamed {
            drop(std::fs::remove_file(&part));
            return Err(error);
        }
        Ok(std::fs::metadata(to).map_err(at)?.len())
    }

    /// Opens an archive as a site of its own, and tells its id. It comes whole or not at all.
    /// Instruments that are described here already stay what they are; readings join those of the
    /// same meter.
    ///
    /// # Errors
    /// Where it is no archive, of a newer version, damaged, too large, or where core refuses what
    /// is in it.
    pub fn open_archive(&self, from: &Path) -> Result<String, StoreError> {
        let wrong = |why: String| StoreError::NotArchive { why };
        let file = File::open(from).map_err(|error| StoreError::Folder {
            folder: from.to_owned(),
            error,
        })?;
        let zip = ZipArchive::new(BufReader::new(file))
            .map_err(|error| wrong(format!("it is no archive of a site ({error})")))?;
        let mut reader = Reader { zip, left: LARGEST };
        let index: Index = serde_json::from_str(&reader.text("archive.json")?)
            .map_err(|error| wrong(format!("its archive.json cannot be read: {error}")))?;
        if index.format != FORMAT {
            return Err(wrong(format!(
                "its format is \"{}\" and not \"{FORMAT}\"",
                index.format
            )));
        }
        if index.version > VERSION {
            let why = format!(
                "it was written by a newer Ash Pond (version {}); open it with that one",
                index.version
            );
            return Err(wrong(why));
        }
        // It was kept before, and is judged as what is kept.
        let plan = ash_pond_core::ground::json::parse(&reader.text("plan.json")?)?;
        let plan = Plan::from_kept(&plan, |_| false)?;
        for test in &index.tests {
            serde_json::from_value::<Test>(test.body.clone()).map_err(|error| {
                wrong(format!("its test \"{}\" cannot be read: {error}", test.id))
            })?;
        }
        let mut writer = self.writer();
        let transaction = writer.transaction()?;
        let site = free_id(&transaction, &plan.site.name)?;
        transaction.execute(
            "INSERT INTO sites (id, name) VALUES (?1, ?2)",
            params![site, plan.site.name],
        )?;
        for element in take_apart(&plan)? {
            insert(
                &transaction,
                &site,
                &Element {
                    revision: 1,
                    ..element
                },
            )?;
        }
        for (number, test) in index.tests.iter().enumerate() {
            let upload = test
                .file
                .as_ref()
                .map(|_| format!("{}-archive-{number}", self.opened));
            let row = TestRow {
                id: test.id.clone(),
                begun: test.begun.clone(),
                changed: test.changed.clone(),
                body: test.body.clone(),
                replaced: test.replaced.clone(),
                upload: upload.clone(),
                revision: 1,
            };
            crate::rows::put_test(&transaction, &site, 1, &test.id, Some(&row.kept()))?;
            if let (Some(name), Some(upload)) = (&test.file, &upload) {
                reader.parts(name, |part, bytes| {
                    let sql = "INSERT INTO test_files (site, test, upload, part, bytes) VALUES \
                        (?1, ?2, ?3, ?4, ?5)";
                    transaction.execute(sql, params![site, test.id, upload, part, bytes])?;
                    Ok(())
                })?;
            }
        }
        reader.rows("walks.csv", |line: WalkLine| {
            transaction
                .prepare_cached(
                    "INSERT INTO walk_reads (site, arrangement, walk, joint, volts, low_v, high_v, \
                    shows, at)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)",
                )?
                .execute(params![
                    site,
                    line.arrangement,
                    line.walk,
                    line.joint,
                    line.volts,
                    line.low_v,
                    line.high_v,
                    line.shows,
                    line.at
                ])?;
            Ok(())
        })?;
        for instrument in &index.instruments {
            let name = instrument["name"]
                .as_str()
                .ok_or_else(|| wrong("one of its instruments has no name".into()))?;
            let sql = "INSERT INTO instruments (name, body) VALUES (?1, ?2) ON CONFLICT (name) DO \
                NOTHING";
            transaction.execute(sql, params![name, instrument.to_string()])?;
        }
        for series in &index.series {
            let series = series.under(&index.id, &site);
            take_series(&transaction, &mut reader, &series)?;
        }
        take_watches(&transaction, &mut reader, &site, &index.watches)?;
        if index.has_past {
            take_past(&transaction, &mut reader, &site)?;
        }
        if index.has_log {
            take_log(&transaction, &mut reader, &site, &index.log_files)?;
        }
        transaction.commit()?;
        Ok(site)
    }
}

impl ArchivedSeries {
    /// The same where the site has another id: what its watches read is named by it.
    fn under(&self, before: &str, now: &str) -> Self {
        let own = self
            .meter
            .strip_prefix(&format!("watch/{before}/"))
            .filter(|_| !before.is_empty());
        Self {
            meter: own.map_or_else(|| self.meter.clone(), |rest| format!("watch/{now}/{rest}")),
            name: self.name.clone(),
            unit: self.unit.clone(),
            all_from_ms: self.all_from_ms,
            readings: self.readings.clone(),
            spans: self.spans.clone(),
        }
    }
}

/// Takes in outages that were watched. One that went on when it was written goes on no more.
fn take_watches(
    db: &Connection,
    reader: &mut Reader,
    site: &str,
    watches: &[ArchivedWatch],
) -> Result<(), StoreError> {
    for it in watches {
        let sql = "INSERT INTO watches (site, number, body, heard_ms, is_open) VALUES (?1, ?2, ?3, \
            ?4, 0)";
        db.execute(
            sql,
            params![site, it.number, it.body.to_string(), it.heard_ms],
        )?;
        reader.rows(&it.entries, |line: WatchLine| {
            let sql = "INSERT INTO watch_entries (site, watch, number, at_s, body, undone)
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
            db.prepare_cached(sql)?.execute(params![
                site,
                it.number,
                line.number,
                line.at_s,
                line.body,
                line.undone
            ])?;
            Ok(())
        })?;
    }
    Ok(())
}

/// Takes in what figures were.
fn take_past(db: &Connection, reader: &mut Reader, site: &str) -> Result<(), StoreError> {
    reader.rows("past.csv", |line: PastLine| {
        let sql = "INSERT INTO figure_past (site, kind, element, place, at_ms, before, after)
                   VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)";
        let PastLine {
            kind,
            element,
            place,
            at_ms,
            before,
            after,
        } = line;
        db.prepare_cached(sql)?
            .execute(params![site, kind, element, place, at_ms, before, after])?;
        Ok(())
    })
}

/// Takes in the log with what lies beside it.
fn take_log(
    db: &Connection,
    reader: &mut Reader,
    site: &str,
    files: &[ArchivedFile],
) -> Result<(), StoreError> {
    let mut now = std::collections::HashMap::new();
    reader.rows("log.csv", |line: LogLine| {
        let sql =
            "INSERT INTO log_entries (site, at_ms, kind, item, words, body, origin, many, struck)
                   VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)";
        let LogLine {
            at_ms,
            kind,
            item,
            words,
            body,
            origin,
            many,
            struck,
            ..
        } = line;
        db.prepare_cached(sql)?.execute(params![
            site, at_ms, kind, item, words, body, origin, many, struck
        ])?;
        now.insert(line.id, db.last_insert_rowid());
        Ok(())
    })?;
    for it in files {
        let Some(entry) = now.get(&it.entry) else {
            continue;
        };
        let mut whole = |name: &str| {
            let mut bytes = Vec::new();
            reader.parts(name, |_, part| {
                bytes.extend_from_slice(part);
                Ok(())
            })?;
            Ok::<_, StoreError>(bytes)
        };
        let bytes = whole(&it.file)?;
        let thumb = it.thumb.as_deref().map(&mut whole).transpose()?;
        crate::log::put_file(db, *entry, (&it.name, &it.kind), &bytes, thumb.as_deref())?;
    }
    Ok(())
}

/// Takes in the readings of a series; those that are here already stay.
fn take_series(
    db: &Connection,
    reader: &mut Reader,
    series: &ArchivedSeries,
) -> Result<(), StoreError> {
    let id = readings::series_of(db, &series.meter, &series.name, &series.unit)?;
    let sql = "SELECT EXISTS (SELECT 1 FROM reading_spans WHERE series = ?1)";
    let is_new: bool = !db.query_row::<bool, _, _>(sql, [id], |row| row.get(0))?;
    if is_new {
        db.execute(
            "UPDATE series SET all_from = ?2 WHERE id = ?1",
            params![id, series.all_from_ms],
        )?;
    }
    reader.rows(&series.readings, |(at_ms, value): (i64, f64)| {
        let is_value = value.is_finite().then_some(value);
        let value = is_value.ok_or_else(|| StoreError::NotArchive {
            why: "a reading in it is no number".into(),
        })?;
        if is_new {
            let sql = "INSERT OR IGNORE INTO readings (series, at_ms, value) VALUES (?1, ?2, ?3)";
            db.prepare_cached(sql)?.execute(params![id, at_ms, value])?;
        } else {
            readings::keep(db, id, at_ms, value)?;
        }
        Ok(())
    })?;
    reader.rows(&series.spans, |line: SpanLine| {
        // Where the meter has readings here, only what is older than single readings of the archive
        // adds to them.
        if is_new
            || series
                .all_from_ms
                .is_some_and(|it| line.at_ms + line.width_s * 1000 <= it)
        {
            let sql = "INSERT OR IGNORE INTO reading_spans (series, width_s, at_ms, low, high, \
                sum, count)
                       VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)";
            db.prepare_cached(sql)?.execute(params![
                id,
                line.width_s,
                line.at_ms,
                line.low,
                line.high,
                line.sum,
                line.count
            ])?;
        }
        Ok(())
    })
}

/// An archive that is being written.
struct Writer<'a> {
    db: &'a Connection,
    site: &'a str,
    to: &'a Path,
    zip: ZipWriter<BufWriter<File>>,
    options: SimpleFileOptions,
}

impl Writer<'_> {
    fn failed(&self, error: impl Into<std::io::Error>) -> StoreError {
        StoreError::Folder {
            folder: self.to.to_owned(),
            error: error.into(),
        }
    }

    fn begin(&mut self, name: &str) -> Result<(), StoreError> {
        self.zip
            .start_file(name, self.options)
            .map_err(|error| self.failed(error))
    }

    fn text(&mut self, name: &str, text: &str) -> Result<(), StoreError> {
        self.begin(name)?;
        self.zip
            .write_all(text.as_bytes())
            .map_err(|error| self.failed(error))
    }

    fn write(&mut self, made: &str, with_readings: bool) -> Result<(), StoreError> {
        let plan = load(self.db, self.site)?.plan;
        let mut tests = Vec::new();
        for (number, row) in crate::tests::list(self.db, self.site)?
            .into_iter()
            .enumerate()
        {
            let file = row
                .upload
                .as_ref()
                .map(|_| format!("tests/{}.file", number + 1));
            if let (Some(name), Some(upload)) = (&file, &row.upload) {
                self.file(name, &row.id, upload)?;
            }
            let TestRow {
                id,
                begun,
                changed,
                body,
                replaced,
                ..
            } = row;
            tests.push(ArchivedTest {
                id,
                begun,
                changed,
                body,
                replaced,
                file,
            });
        }
        self.walks()?;
        let mut series = Vec::new();
        if with_readings {
            for row in readings::every(self.db)? {
                let number = series.len() + 1;
                let (readings, spans) = (
                    format!("readings/{number}.csv"),
                    format!("readings/{number}-spans.csv"),
                );
                self.readings(row.id, &readings, &spans)?;
                let (meter, name, unit) = (row.meter, row.name, row.unit);
                series.push(ArchivedSeries {
                    meter,
                    name,
                    unit,
                    all_from_ms: row.all_from_ms,
                    readings,
                    spans,
                });
            }
        }
        let watches = self.watches()?;
        let log_files = self.log()?;
        self.past()?;
        let index = Index {
            format: FORMAT.into(),
            version: VERSION,
            made: made.to_owned(),
            site: plan.site.name.clone(),
            tests,
            instruments: instruments(self.db)?,
            series,
            id: self.site.to_owned(),
            watches,
            has_log: true,
            has_past: true,
            log_files,
        };
        let index = serde_json::to_string_pretty(&index).map_err(|error| self.failed(error))?;
        self.text("plan.json", &plan.to_text())?;
        self.text("archive.json", &index)
    }

    fn file(&mut self, name: &str, test: &str, upload: &str) -> Result<(), StoreError> {
        self.begin(name)?;
        let sql = "SELECT bytes FROM test_files WHERE site = ?1 AND test = ?2 AND upload = ?3 \
            ORDER BY part";
        let mut query = self.db.prepare_cached(sql)?;
        let mut rows = query.query([self.site, test, upload])?;
        while let Some(row) = rows.next()? {
            let bytes = row.get_ref(0)?.as_blob().map_err(rusqlite::Error::from)?;
            self.zip
                .write_all(bytes)
                .map_err(|error| StoreError::Folder {
                    folder: self.to.to_owned(),
                    error,
                })?;
        }
        Ok(())
    }

    fn watches(&mut self) -> Result<Vec<ArchivedWatch>, StoreError> {
        let to = self.to.to_owned();
        let failed = |error: csv::Error| StoreError::Folder {
            folder: to.clone(),
            error: error.into(),
        };
        let mut found = Vec::new();
        let mut query = self.db.prepare_cached(
            "SELECT number, body, heard_ms, is_open FROM watches WHERE site = ?1 ORDER BY 1",
        )?;
        let rows = query.query_map([self.site], |row| {
            Ok((
                row.get::<_, i64>(0)?,
                row.get::<_, String>(1)?,
                row.get::<_, i64>(2)?,
                row.get::<_, bool>(3)?,
            ))
        })?;
        for row in rows {
            let (number, text, heard_ms, is_open) = row?;
            let body = stored(&text, "watches", || number.to_string())?;
            let entries = format!("watches/{number}.csv");
            self.begin(&entries)?;
            let mut csv = csv::Writer::from_writer(&mut self.zip);
            let sql = "SELECT number, at_s, body, undone FROM watch_entries WHERE site = ?1 AND \
                watch = ?2 ORDER BY 1";
            let mut query = self.db.prepare_cached(sql)?;
            let lines = query.query_map(params![self.site, number], |row| {
                Ok(WatchLine {
                    number: row.get(0)?,
                    at_s: row.get(1)?,
                    body: row.get(2)?,
                    undone: row.get(3)?,
                })
            })?;
            for line in lines {
                csv.serialize(line?).map_err(failed)?;
            }
            csv.flush().map_err(|error| failed(error.into()))?;
            drop(csv);
            found.push(ArchivedWatch {
                number,
                body,
                heard_ms,
                is_open,
                entries,
            });
        }
        Ok(found)
    }

    fn past(&mut self) -> Result<(), StoreError> {
        let to = self.to.to_owned();
        let failed = |error: csv::Error| StoreError::Folder {
            folder: to.clone(),
            error: error.into(),
        };
        self.begin("past.csv")?;
        let mut csv = csv::Writer::from_writer(&mut self.zip);
        let sql = "SELECT kind, element, place, at_ms, before, after FROM figure_past WHERE site = \
            ?1 ORDER BY id";
        let mut query = self.db.prepare_cached(sql)?;
        let rows = query.query_map([self.site], |row| {
            let (kind, element, place) = (row.get(0)?, row.get(1)?, row.get(2)?);
            Ok(PastLine {
                kind,
                element,
                place,
                at_ms: row.get(3)?,
                before: row.get(4)?,
                after: row.get(5)?,
            })
        })?;
        for row in rows {
            csv.serialize(row?).map_err(failed)?;
        }
        csv.flush().map_err(|error| failed(error.into()))
    }

    fn log(&mut self) -> Result<Vec<ArchivedFile>, StoreError> {
        let to = self.to.to_owned();
        let failed = |error: csv::Error| StoreError::Folder {
            folder: to.clone(),
            error: error.into(),
        };
        self.begin("log.csv")?;
        let mut csv = csv::Writer::from_writer(&mut self.zip);
        let sql = "SELECT id, at_ms, kind, item, words, body, origin, many, struck FROM \
            log_entries WHERE site = ?1 ORDER BY id";
        let mut query = self.db.prepare_cached(sql)?;
        let rows = query.query_map([self.site], |row| {
            Ok(LogLine {
                id: row.get(0)?,
                at_ms: row.get(1)?,
                kind: row.get(2)?,
                item: row.get(3)?,
                words: row.get(4)?,
                body: row.get(5)?,
                origin: row.get(6)?,
                many: row.get(7)?,
                struck: row.get(8)?,
            })
        })?;
        for row in rows {
            csv.serialize(row?).map_err(failed)?;
        }
        csv.flush().map_err(|error| failed(error.into()))?;
        drop(csv);
        let sql =
            "SELECT f.id, f.entry, f.name, f.kind, f.thumb FROM log_files f JOIN log_entries \
            e ON e.id = f.entry
                   WHERE e.site = ?1 ORDER BY f.id";
        let mut query = self.db.prepare_cached(sql)?;
        let mut rows = query.query([self.site])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            let id: i64 = row.get(0)?;
            let thumb: Option<Vec<u8>> = row.get(4)?;
            let file = format!("log/{id}.file");
            self.begin(&file)?;
            let bytes = crate::log::bytes_of(self.db, id)?;
            self.zip
                .write_all(&bytes)
                .map_err(|error| StoreError::Folder {
                    folder: to.clone(),
                    error,
                })?;
            let small = thumb.as_ref().map(|_| format!("log/{id}.thumb"));
            if let (Some(name), Some(thumb)) = (&small, &thumb) {
                self.begin(name)?;
                self.zip
                    .write_all(thumb)
                    .map_err(|error| StoreError::Folder {
                        folder: to.clone(),
                        error,
                    })?;
            }
            found.push(ArchivedFile {
                entry: row.get(1)?,
                name: row.get(2)?,
                kind: row.get(3)?,
                file,
                thumb: small,
            });
        }
        Ok(found)
    }

    fn walks(&mut self) -> Result<(), StoreError> {
        self.begin("walks.csv")?;
        let sql = "SELECT arrangement, walk, joint, volts, low_v, high_v, shows, at FROM \
            walk_reads WHERE site = ?1 ORDER BY id";
        let mut query = self.db.prepare_cached(sql)?;
        let rows = query.query_map([self.site], |row| {
            Ok(WalkLine {
                arrangement: row.get(0)?,
                walk: row.get(1)?,
                joint: row.get(2)?,
                volts: row.get(3)?,
                low_v: row.get(4)?,
                high_v: row.get(5)?,
                shows: row.get(6)?,
                at: row.get(7)?,
            })
        })?;
        let mut csv = csv::Writer::from_writer(&mut self.zip);
        let failed = |error: csv::Error| StoreError::Folder {
            folder: self.to.to_owned(),
            error: error.into(),
        };
        for row in rows {
            csv.serialize(row?).map_err(failed)?;
        }
        csv.flush().map_err(|error| failed(error.into()))
    }

    fn readings(&mut self, series: i64, readings: &str, spans: &str) -> Result<(), StoreError> {
        let to = self.to.to_owned();
        let failed = |error: csv::Error| StoreError::Folder {
            folder: to.clone(),
            error: error.into(),
        };
        self.begin(readings)?;
        let mut csv = csv::Writer::from_writer(&mut self.zip);
        csv.write_record(["at_ms", "value"]).map_err(failed)?;
        let sql = "SELECT at_ms, value FROM readings WHERE series = ?1 ORDER BY at_ms";
        let mut query = self.db.prepare_cached(sql)?;
        for row in query.query_map([series], |row| {
            Ok((row.get::<_, i64>(0)?, row.get::<_, f64>(1)?))
        })? {
            csv.serialize(row?).map_err(failed)?;
        }
        csv.flush().map_err(|error| failed(error.into()))?;
        drop(csv);
        self.begin(spans)?;
        let mut csv = csv::Writer::from_writer(&mut self.zip);
        let sql = "SELECT width_s, at_ms, low, high, sum, count FROM reading_spans WHERE series = \
            ?1 ORDER BY 1, 2";
        let mut query = self.db.prepare_cached(sql)?;
        let rows = query.query_map([series], |row| {
            Ok(SpanLine {
                width_s: row.get(0)?,
                at_ms: row.get(1)?,
                low: row.get(2)?,
                high: row.get(3)?,
                sum: row.get(4)?,
                count: row.get(5)?,
            })
        })?;
        for row in rows {
            csv.serialize(row?).map_err(failed)?;
        }
        csv.flush().map_err(|error| failed(error.into()))
    }
}

fn instruments(db: &Connection) -> Result<Vec<Value>, StoreError> {
    let mut query = db.prepare_cached("SELECT name, body FROM instruments ORDER BY name")?;
    let rows = query.query_map([], |row| {
        Ok((row.get::<_, String>(0)?, row.get::<_, String>(1)?))
    })?;
    rows.map(|it| {
        it.map_err(StoreError::from)
            .and_then(|(name, text)| stored(&text, "instruments", || name))
    })
    .collect()
}

/// An archive that is being read. What it holds is bounded, whatever it says of itself.
struct Reader {
    zip: ZipArchive<BufReader<File>>,
    left: u64,
}

impl Reader {
    /// Reads a file of it through to its end; the archive is damaged where that fails, or where it
    /// holds too much.
    fn within<T>(
        &mut self,
        name: &str,
        read: impl FnOnce(&mut dyn Read) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let wrong = |why: String| StoreError::NotArchive { why };
        let file = self
            .zip
            .by_name(name)
            .map_err(|error| wrong(format!("its {name} cannot be read ({error})")))?;
        let mut bounded = file.take(self.left);
        let answer = read(&mut bounded)?;
        self.left = bounded.limit();
        if self.left == 0 {
            return Err(wrong("it holds more than 8 GB".into()));
        }
        Ok(answer)
    }

    fn text(&mut self, name: &str) -> Result<String, StoreError> {
        let wrong = |why: String| StoreError::NotArchive { why };
        self.within(name, |file| {
            let mut text = String::new();
            file.take(LARGEST_TEXT)
                .read_to_string(&mut text)
                .map_err(|error| wrong(format!("its {name} cannot be read ({error})")))?;
            Ok(text)
        })
    }

    fn parts(
        &mut self,
        name: &str,
        mut take: impl FnMut(u32, &[u8]) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        self.within(name, |file| {
            for number in 0.. {
                let mut part = Vec::with_capacity(PART);
                let read = file.take(PART as u64).read_to_end(&mut part);
                read.map_err(|error| StoreError::NotArchive {
                    why: format!("its {name} cannot be read ({error})"),
                })?;
                if part.is_empty() {
                    break;
                }
                take(number, &part)?;
            }
            Ok(())
        })
    }

    fn rows<T: serde::de::DeserializeOwned>(
        &mut self,
        name: &str,
        mut take: impl FnMut(T) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        self.within(name, |file| {
            for (number, row) in csv::Reader::from_reader(file)
                .into_deserialize()
                .enumerate()
            {
                let why =
                    |error| format!("row {} of its {name} cannot be read: {error}", number + 1);
                take(row.map_err(|error| StoreError::NotArchive { why: why(error) })?)?;
            }
            Ok(())
        })
    }
}
