//! The log as a table and as a file, out and in again; and tables of one's own.

use super::when::{Local, iso};
use super::{MOST_NAME, MOST_WHY, MOST_WORDS, line, text};
use crate::bodies::log::{LogFileEntry, LogFileOf, LogImport, LogImported};
use crate::error::ApiError;
use ash_pond_core::site::exchange::harmless;
use ash_pond_core::site::plan::Plan;
use ash_pond_store::{LogAsked, LogRow, NewEntry, Store};
use serde_json::json;
use std::collections::HashSet;

const FORMAT: &str = "ash-pond/log";
const COLUMNS: [&str; 7] = ["at", "kind", "item", "words", "many", "by", "struck"];
/// Rows that are taken in at once at most.
const MOST_ROWS: usize = 100_000;
/// Rows that are told as they would stand.
const FIRST: usize = 5;
/// Refused rows that are told.
const REFUSED: usize = 20;
/// Names of columns in tables of one's own.
const DATES: [&str; 9] = [
    "at",
    "date",
    "day",
    "time",
    "when",
    "datum",
    "timestamp",
    "recorded",
    "on",
];
const WORDS: [&str; 10] = [
    "words",
    "note",
    "notes",
    "what",
    "text",
    "description",
    "remark",
    "event",
    "comment",
    "entry",
];
const ITEMS: [&str; 7] = ["item", "device", "battery", "source", "thing", "of", "unit"];
const VALUES: [&str; 6] = ["value", "reading", "result", "volts", "hours", "capacity"];

fn every(store: &Store, site: &str) -> Result<Vec<LogRow>, ApiError> {
    let mut all = Vec::new();
    let mut asked = LogAsked {
        limit: ash_pond_store::MOST_ROWS,
        ..LogAsked::default()
    };
    loop {
        let page = store.log(site, &asked)?;
        let Some(last) = page.last() else { break };
        asked.after = Some((last.entry.at_ms, last.id));
        all.extend(page);
    }
    all.reverse();
    Ok(all)
}

fn entry(row: &LogRow) -> LogFileEntry {
    LogFileEntry {
        at: iso(row.entry.at_ms),
        kind: row.entry.kind.clone(),
        item: row.entry.item.clone(),
        words: row.entry.words.clone(),
        many: row.many,
        by: row.entry.body["by"].as_str().unwrap_or_default().to_owned(),
        struck: row.struck.clone().unwrap_or_default(),
    }
}

/// The log in a file.
pub(crate) fn whole(store: &Store, site: &str) -> Result<LogFileOf, ApiError> {
    let entries = every(store, site)?.iter().map(entry).collect();
    Ok(LogFileOf {
        format: FORMAT.to_owned(),
        version: 1,
        entries,
    })
}

/// The log as a table.
pub(crate) fn table(store: &Store, site: &str) -> Result<String, ApiError> {
    let broken = |error: csv::Error| ApiError::at("", error.to_string());
    let mut writer = csv::Writer::from_writer(Vec::new());
    writer.write_record(COLUMNS).map_err(broken)?;
    for row in every(store, site)? {
        let it = entry(&row);
        let many = it.many.to_string();
        let cells = [
            &it.at, &it.kind, &it.item, &it.words, &many, &it.by, &it.struck,
        ];
        writer
            .write_record(cells.map(|it| harmless(it).into_owned()))
            .map_err(broken)?;
    }
    let bytes = writer
        .into_inner()
        .map_err(|error| ApiError::at("", error.to_string()))?;
    String::from_utf8(bytes).map_err(|error| ApiError::at("", error.to_string()))
}

/// What stands in a text: entries, how its columns are read, and rows that cannot be.
struct Read {
    columns: Vec<String>,
    entries: Vec<(i64, LogFileEntry)>,
    refused: Vec<String>,
}

fn checked(plan: &Plan, it: LogFileEntry, at_ms: i64) -> Result<(i64, LogFileEntry), ApiError> {
    let words = text("words", &it.words, MOST_WORDS)?;
    if words.is_empty() {
        return Err(ApiError::at("words", "is empty"));
    }
    let kind = text("kind", &it.kind, 20)?;
    let is_kind = !kind.is_empty() && kind.chars().all(|it| it.is_ascii_lowercase());
    let kind = if is_kind {
        kind
    } else {
        line::kind(&words).to_owned()
    };
    let item = if line::is_there(plan, &it.item) {
        it.item
    } else {
        line::item(plan, &format!("{} {words}", it.item))
    };
    let (by, struck) = (
        text("by", &it.by, MOST_NAME)?,
        text("struck", &it.struck, MOST_WHY)?,
    );
    Ok((
        at_ms,
        LogFileEntry {
            at: iso(at_ms),
            kind,
            item,
            words,
            many: it.many.clamp(1, 1_000_000),
            by,
            struck,
        },
    ))
}

/// A moment in a table of somebody's own, in what order its parts may stand.
fn moment(local: &Local, cell: &str) -> Result<i64, ApiError> {
    if let Ok(at) = cell.parse::<jiff::Timestamp>() {
        let now = crate::clock::now();
        return if at > now {
            Err(ApiError::at(
                "at",
                format!("is {cell:?}, which is still to come"),
            ))
        } else {
            Ok(at.as_millisecond())
        };
    }
    if cell.is_empty() {
        return Err(ApiError::at("at", "is empty; give a day"));
    }
    let plain = cell.replace(['/', '.'], "-");
    let parts: Vec<&str> = plain.splitn(2, ' ').collect();
    let mut day: Vec<&str> = parts[0].split('-').collect();
    // Where the year stands last the day stands first.
    if day.len() == 3 && day[2].len() == 4 {
        day.reverse();
    }
    let day: Vec<String> = day.iter().map(|it| format!("{it:0>2}")).collect();
    let date = day.join("-");
    let text = parts.get(1).map_or_else(
        || date.clone(),
        |time| format!("{date}T{}", time.replace('-', ":")),
    );
    local.at_ms("at", Some(&text))
}

fn of_table(plan: &Plan, local: &Local, text: &str) -> Result<Read, ApiError> {
    let first = text.lines().next().unwrap_or_default();
    let many = |sign: char| first.matches(sign).count();
    let delimiter = if many('\t') > 0 {
        b'\t'
    } else if many(';') > many(',') {
        b';'
    } else {
        b','
    };
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(delimiter)
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let head = reader
        .headers()
        .map_err(|error| ApiError::at("text", error.to_string()))?
        .clone();
    let name = |it: &str| {
        it.trim_start_matches('\u{feff}')
            .trim_start_matches('\'')
            .to_lowercase()
    };
    let names: Vec<String> = head.iter().map(name).collect();
    let place = |wanted: &[&str]| {
        let whole = |it: &String| wanted.contains(&it.as_str());
        let begins = |it: &String| {
            wanted.iter().any(|word| {
                it.split(|it: char| !it.is_alphanumeric())
                    .any(|part| part == *word)
            })
        };
        names
            .iter()
            .position(whole)
            .or_else(|| names.iter().position(begins))
    };
    let at = place(&DATES)
        .ok_or_else(|| ApiError::at("text", "has no column of dates; call one \"date\""))?;
    let words = place(&WORDS).filter(|it| *it != at);
    let values: Vec<usize> = (0..names.len())
        .filter(|it| *it != at && Some(*it) != words)
        .filter(|it| {
            VALUES.iter().any(|word| {
                names[*it]
                    .split(|it: char| !it.is_alphanumeric())
                    .any(|part| part == *word)
            })
        })
        .collect();
    if words.is_none() && values.is_empty() {
        return Err(ApiError::at(
            "text",
            "has no column of words or values; call one \"note\" or \"value\"",
        ));
    }
    let own = |wanted: &str| names.iter().position(|it| it == wanted);
    let item = place(&ITEMS).filter(|it| *it != at && Some(*it) != words && !values.contains(it));
    let (kind, many_at, by, struck) = (own("kind"), own("many"), own("by"), own("struck"));
    let columns = names
        .iter()
        .enumerate()
        .map(|(index, name)| {
            let index = Some(index);
            let read = if index == Some(at) {
                "when"
            } else if index == words {
                "what happened"
            } else if index == item {
                "what it is about"
            } else if index == kind {
                "its kind"
            } else if index == by {
                "who"
            } else if index == struck {
                "why it is struck"
            } else if index == many_at {
                "how many"
            } else if index.is_some_and(|it| values.contains(&it)) {
                "a value, put to the words"
            } else {
                "not read"
            };
            format!("{name}: {read}")
        })
        .collect();
    let mut found = Read {
        columns,
        entries: Vec::new(),
        refused: Vec::new(),
    };
    for (number, row) in reader.records().enumerate() {
        if number >= MOST_ROWS {
            return Err(ApiError::at(
                "text",
                format!("has more than {MOST_ROWS} rows; take it in in parts"),
            ));
        }
        let row = row.map_err(|error| ApiError::at("text", error.to_string()))?;
        // What was made harmless for spreadsheets is as it was again.
        let cell = |it: Option<usize>| {
            let cell = it.and_then(|it| row.get(it)).unwrap_or_default();
            match cell.strip_prefix('\'') {
                Some(rest) if rest.starts_with(['=', '+', '-', '@', '\t', '\r']) => rest,
                _ => cell,
            }
        };
        let mut said = cell(words).to_owned();
        for value in &values {
            let value = (cell(Some(*value)), &names[*value]);
            if !value.0.is_empty() {
                said = format!(
                    "{said}{}{} {}",
                    if said.is_empty() { "" } else { ", " },
                    value.1,
                    value.0
                );
            }
        }
        let read = || -> Result<(i64, LogFileEntry), ApiError> {
            let at_ms = moment(local, cell(Some(at)))?;
            let it = LogFileEntry {
                at: String::new(),
                kind: cell(kind).to_owned(),
                item: cell(item).to_owned(),
                words: said.clone(),
                many: cell(many_at).parse().unwrap_or(1),
                by: cell(by).to_owned(),
                struck: cell(struck).to_owned(),
            };
            checked(plan, it, at_ms)
        };
        match read() {
            Ok(it) => found.entries.push(it),
            Err(error) => found
                .refused
                .push(format!("row {}: {}", number + 1, error.told())),
        }
    }
    Ok(found)
}

fn of_file(plan: &Plan, local: &Local, text: &str) -> Result<Read, ApiError> {
    let file: LogFileOf = serde_json::from_str(text)
        .map_err(|error| ApiError::at("text", format!("is no log: {error}")))?;
    if file.format != FORMAT || file.version != 1 {
        let why = format!(
            "is of format \"{}\", version {}, and not \"{FORMAT}\", version 1",
            file.format, file.version
        );
        return Err(ApiError::at("text", why));
    }
    if file.entries.len() > MOST_ROWS {
        return Err(ApiError::at(
            "text",
            format!("has more than {MOST_ROWS} entries; take it in in parts"),
        ));
    }
    let mut found = Read {
        columns: Vec::new(),
        entries: Vec::new(),
        refused: Vec::new(),
    };
    for (number, it) in file.entries.into_iter().enumerate() {
        match moment(local, &it.at).and_then(|at_ms| checked(plan, it, at_ms)) {
            Ok(it) => found.entries.push(it),
            Err(error) => found
                .refused
                .push(format!("entry {}: {}", number + 1, error.told())),
        }
    }
    Ok(found)
}

/// Looks at a table or file, or takes it in.
pub(crate) fn import(
    store: &Store,
    site: &str,
    asked: &LogImport,
) -> Result<LogImported, ApiError> {
    let plan = store.plan(site)?.plan;
    let local = Local::of(&plan);
    let is_file = asked.text.trim_start().starts_with('{');
    let Read {
        columns,
        entries,
        mut refused,
    } = if is_file {
        of_file(&plan, &local, &asked.text)?
    } else {
        of_table(&plan, &local, &asked.text)?
    };
    let key = |at_ms: i64, it: &LogFileEntry| (at_ms, it.kind.clone(), it.words.clone());
    let mut known: HashSet<_> = every(store, site)?
        .iter()
        .map(|it| key(it.entry.at_ms, &entry(it)))
        .collect();
    let all = entries.len();
    let new: Vec<(i64, LogFileEntry)> = entries
        .into_iter()
        .filter(|(at, it)| known.insert(key(*at, it)))
        .collect();
    if asked.keep && !new.is_empty() {
        let made = |(at_ms, it): &(i64, LogFileEntry)| {
            let body = if it.by.is_empty() {
                json!({})
            } else {
                json!({ "by": it.by })
            };
            let (kind, item, words) = (it.kind.clone(), it.item.clone(), it.words.clone());
            let struck = (!it.struck.is_empty()).then(|| it.struck.clone());
            (
                NewEntry {
                    at_ms: *at_ms,
                    kind,
                    item,
                    words,
                    body,
                    origin: String::new(),
                },
                it.many,
                struck,
            )
        };
        store.take_into_log(site, &new.iter().map(made).collect::<Vec<_>>())?;
    }
    refused.truncate(REFUSED);
    Ok(LogImported {
        columns,
        new: new.len(),
        known: all - new.len(),
        refused,
        first: new.iter().take(FIRST).map(|it| it.1.clone()).collect(),
        kept: asked.keep && !new.is_empty(),
    })
}
