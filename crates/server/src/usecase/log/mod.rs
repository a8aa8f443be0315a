//! The log: what happened, what is due, how batteries age.
//!
//! # Layout
//! - this file: the list, what somebody writes, and what is struck
//! - `line`: what a line is about, taken from its words; `when`: days and times by the clock of the
//!   site
//! - `files`: pictures and files beside an entry
//! - `taken`: the log as a table and a file, out and in again
//! - `due`: checks, answered and of one's own, and their calendar
//! - `item`: one item at a glance
//! - `aging`: what is known of each battery's capacity

mod aging;
mod due;
mod files;
mod item;
mod line;
mod taken;
mod when;

pub(crate) use aging::batteries;
pub(crate) use due::{answer_check, calendar, due_of, own_check};
pub(crate) use files::{add_file, too_large};
pub(crate) use item::item;
pub(crate) use taken::{import, table, whole};

use crate::bodies::log::LogQuery;
use crate::bodies::log::{LogAsking, LogFileTold, LogLine, LogStrike, LogTold, LogWritten};
use crate::error::ApiError;
use ash_pond_core::site::plan::Plan;
use ash_pond_store::{LogAsked, LogRow, NewEntry, Store};
use serde_json::json;
use when::Local;

/// A local time of a site, `2026-01-14T17:30`, as ms since 1970; none where it cannot be read, or
/// is still to come.
pub(crate) fn moment_ms(plan: &Plan, text: &str) -> Option<i64> {
    Local::of(plan).at_ms("", Some(text)).ok()
}

/// Kinds that a person writes.
const WRITTEN: [&str; 4] = ["note", "repair", "purchase", "check"];
/// The most letters of an entry, of a name and of a reason.
const MOST_WORDS: usize = 2000;
const MOST_NAME: usize = 40;
const MOST_WHY: usize = 300;
/// Entries that are told at once where nobody says how many.
const PAGE: u32 = 100;

/// A text that a person wrote, without signs that cannot be shown.
fn text(field: &str, text: &str, most: usize) -> Result<String, ApiError> {
    let text = text.trim();
    let odd = |it: char| {
        (it.is_control() && it != '\n' && it != '\t') || ('\u{202a}'..='\u{202e}').contains(&it)
    };
    if text.chars().count() > most
        || text.chars().any(odd)
        || ash_pond_core::ground::say::has_mark(text)
    {
        let why = format!("is too long, or holds what cannot be shown; use {most} letters at most");
        return Err(ApiError::at(field, why));
    }
    Ok(text.to_owned())
}

/// Entries as they are asked for.
pub(crate) fn list(store: &Store, site: &str, asked: &LogQuery) -> Result<LogTold, ApiError> {
    let plan = store.plan(site)?.plan;
    let local = Local::of(&plan);
    let day = |field: &str, it: &Option<String>| -> Result<Option<jiff::civil::Date>, ApiError> {
        let it = it.as_deref().map(str::trim).filter(|it| !it.is_empty());
        it.map(|it| when::day(field, it)).transpose()
    };
    let from_ms = day("from", &asked.from)?.map(|it| local.begins_ms(it));
    let to_ms = day("to", &asked.to)?.map(|it| local.ends_ms(it));
    if from_ms.zip(to_ms).is_some_and(|(from, to)| from >= to) {
        return Err(ApiError::at(
            "to",
            "lies before the first day; give a later one",
        ));
    }
    let behind = asked.behind.as_deref().map(|it| {
        let found = it
            .split_once('-')
            .and_then(|(at, id)| Some((at.parse().ok()?, id.parse().ok()?)));
        found.ok_or_else(|| {
            ApiError::at("behind", format!("is {it:?}; give what stood in \"next\""))
        })
    });
    let kinds = asked.kind.as_deref().unwrap_or_default();
    let limit = asked
        .limit
        .unwrap_or(PAGE)
        .clamp(1, ash_pond_store::MOST_ROWS);
    let question = LogAsked {
        words: asked.words.clone().unwrap_or_default(),
        kinds: kinds
            .split(',')
            .map(str::trim)
            .filter(|it| !it.is_empty())
            .take(12)
            .map(str::to_owned)
            .collect(),
        item: asked.item.clone().filter(|it| !it.is_empty()),
        from_ms,
        to_ms,
        after: behind.transpose()?,
        limit: limit + 1,
    };
    // One more is asked for than is told, so that the last page says that it is.
    let asked_for = LogAsked {
        limit: (limit + 1).min(ash_pond_store::MOST_ROWS),
        ..question
    };
    let mut rows = store.log(site, &asked_for)?;
    let most = usize::try_from(limit.min(ash_pond_store::MOST_ROWS - 1)).unwrap_or(usize::MAX);
    let goes_on = rows.len() > most;
    rows.truncate(most);
    let next = rows
        .last()
        .filter(|_| goes_on)
        .map(|it| format!("{}-{}", it.entry.at_ms, it.id));
    Ok(LogTold {
        entries: rows.into_iter().map(|it| told(&plan, &local, it)).collect(),
        next,
    })
}

/// An entry as it is told.
fn told(plan: &Plan, local: &Local, row: LogRow) -> LogLine {
    let LogRow {
        id,
        entry,
        many,
        struck,
        files,
    } = row;
    let (day, time) = local.day_and_time(entry.at_ms);
    let item_label = if entry.item.is_empty() {
        String::new()
    } else {
        plan.label(&entry.item).to_owned()
    };
    LogLine {
        id,
        at: when::iso(entry.at_ms),
        day,
        time,
        door: door(plan, &entry),
        by: entry.body["by"].as_str().map(str::to_owned),
        kind: entry.kind,
        item: entry.item,
        item_label,
        words: entry.words,
        many,
        struck,
        files: files
            .into_iter()
            .map(|it| LogFileTold {
                id: it.id,
                name: it.name,
                kind: it.kind,
                size: it.size,
                has_thumb: it.has_thumb,
            })
            .collect(),
    }
}

/// The page that an entry came from.
fn door(plan: &Plan, entry: &NewEntry) -> Option<String> {
    let item = entry.item.as_str();
    let view = || {
        if plan.device(item).is_some() {
            Some(format!("/needs#{item}"))
        } else if plan.source(item).is_some() || plan.converter(item).is_some() {
            Some(format!("/supply#{item}"))
        } else if plan.arrangement(item).is_some() {
            Some("/chains".to_owned())
        } else {
            plan.outages
                .iter()
                .any(|it| it.id.as_str() == item)
                .then(|| "/outage".to_owned())
        }
    };
    match entry.kind.as_str() {
        "watch" | "drill" => Some("/watch".to_owned()),
        "test" => Some("/bench".to_owned()),
        "walk" => Some("/chains".to_owned()),
        _ => view(),
    }
}

/// Writes what somebody typed.
pub(crate) fn write(store: &Store, site: &str, asked: &LogAsking) -> Result<LogWritten, ApiError> {
    let plan = store.plan(site)?.plan;
    let words = text("words", &asked.words, MOST_WORDS)?;
    if words.is_empty() {
        return Err(ApiError::at(
            "words",
            "is empty; say in a line what happened",
        ));
    }
    let local = Local::of(&plan);
    let at_ms = local.at_ms("at", asked.at.as_deref())?;
    let kind = match asked.kind.as_deref().filter(|it| !it.is_empty()) {
        Some(kind) if WRITTEN.contains(&kind) => kind.to_owned(),
        Some(kind) => {
            return Err(ApiError::at(
                "kind",
                format!("is {kind:?}; use {}", WRITTEN.join(", ")),
            ));
        }
        None => line::kind(&words).to_owned(),
    };
    let item = match &asked.item {
        Some(item) if item.is_empty() || line::is_there(&plan, item) => item.clone(),
        Some(item) => {
            return Err(ApiError::at(
                "item",
                format!("is {item:?}, and the plan has nothing of that id"),
            ));
        }
        None => line::item(&plan, &words),
    };
    let is_store = plan.source(&item).is_some_and(|it| it.battery.is_some());
    if asked.replaced && !is_store {
        return Err(ApiError::at(
            "replaced",
            "is said of something that has no battery; choose the battery as its item",
        ));
    }
    let by = asked
        .by
        .as_deref()
        .map(|it| text("by", it, MOST_NAME))
        .transpose()?
        .filter(|it| !it.is_empty());
    let mut body = json!({});
    if let Some(by) = by {
        body["by"] = json!(by);
    }
    if asked.replaced {
        body["replaced"] = json!(true);
    }
    let entry = NewEntry {
        at_ms,
        kind: kind.clone(),
        item: item.clone(),
        words,
        body,
        origin: String::new(),
    };
    let id = store.add_to_log(site, &[entry])?[0];
    Ok(LogWritten { id, kind, item })
}

/// Strikes an entry, or lets it count again.
pub(crate) fn strike(
    store: &Store,
    site: &str,
    entry: i64,
    asked: &LogStrike,
) -> Result<(), ApiError> {
    let why = asked
        .why
        .as_deref()
        .map(|it| text("why", it, MOST_WHY))
        .transpose()?;
    if why.as_deref() == Some("") {
        return Err(ApiError::at(
            "why",
            "is empty; say in a few words why it does not count",
        ));
    }
    Ok(store.strike(site, entry, why.as_deref())?)
}
