//! Checks: what is due by the plan and by one's own, what was done about it, and a calendar of it.

use super::when::{Local, day, iso};
use super::{line, text};
use crate::bodies::log::{CheckAnswer, DueTold, OwnCheck};
use crate::error::ApiError;
use ash_pond_core::ground::say::{Habits, Sentence};
use ash_pond_core::keeping::care::{Check, Did, Own, Record, due};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::{LogAsked, NewEntry, Store, StoreError};
use jiff::ToSpan;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Records that are read: decades of all checks of a site.
const MOST_RECORDS: u32 = 500;
/// A check is put off by so many days at most.
const MOST_PUT_OFF: i64 = 730;

/// What was done about a check, as it is kept with its entry.
#[derive(Debug, Serialize, Deserialize)]
struct KeptRecord {
    check: String,
    did: Did,
    until: Option<String>,
}

/// Entries of a kind, all pages of them, the earliest first.
fn every(store: &Store, site: &str, kind: &str) -> Result<Vec<ash_pond_store::LogRow>, StoreError> {
    let mut all = Vec::new();
    let mut asked = LogAsked {
        kinds: vec![kind.to_owned()],
        limit: MOST_RECORDS,
        ..LogAsked::default()
    };
    while all.len() < 20 * MOST_RECORDS as usize {
        let page = store.log(site, &asked)?;
        let Some(last) = page.last() else { break };
        asked.after = Some((last.entry.at_ms, last.id));
        all.extend(page.into_iter().filter(|it| it.struck.is_none()));
    }
    all.reverse();
    Ok(all)
}

fn records(store: &Store, site: &str, local: &Local) -> Result<(Vec<Record>, Vec<Own>), ApiError> {
    let mut records = Vec::new();
    let mut own = Vec::new();
    for row in every(store, site, "check")? {
        let wrong = |error: serde_json::Error| StoreError::Unreadable {
            table: "log_entries",
            row: row.id.to_string(),
            why: error.to_string(),
        };
        if let Some(body) = row.entry.body.get("record") {
            let it = KeptRecord::deserialize(body).map_err(wrong)?;
            let until = it.until.as_deref().map(|it| day("until", it)).transpose()?;
            let (on, why) = (
                local.date(row.entry.at_ms),
                row.entry.body["why"]
                    .as_str()
                    .unwrap_or_default()
                    .to_owned(),
            );
            records.push(Record {
                check: it.check,
                did: it.did,
                on,
                until,
                why,
            });
        }
        if let Some(body) = row.entry.body.get("own") {
            let it = OwnCheck::deserialize(body).map_err(wrong)?;
            let first = it.first.as_deref().map(|it| day("first", it)).transpose()?;
            let first = first.unwrap_or_else(|| local.date(row.entry.at_ms));
            own.push(Own {
                id: format!("own/{}", row.id),
                title: it.title,
                item: it.item,
                every_days: it.every_days,
                first,
            });
        }
    }
    Ok((records, own))
}

fn checks(store: &Store, site: &str) -> Result<(Arc<Plan>, Local, Vec<Check>), ApiError> {
    let plan = store.plan(site)?.plan;
    let local = Local::of(&plan);
    let (mut records, own) = records(store, site, &local)?;
    let tests = store.tests(site)?;
    let begun = |it: &ash_pond_store::TestRow| {
        it.begun
            .parse::<jiff::Timestamp>()
            .ok()
            .map(|at| local.date(at.as_millisecond()))
    };
    let measured: BTreeMap<String, Date> = tests
        .iter()
        .filter_map(|it| Some((it.id.clone(), begun(it)?)))
        .collect();
    // A capacity test is the check that asks for it.
    for row in &tests {
        if row.body["protocol"] == json!("capacity")
            && let (Some(of), Some(on)) = (row.body["of"]["id"].as_str(), begun(row))
        {
            records.push(Record {
                check: format!("capacity/{of}"),
                did: Did::Done,
                on,
                until: None,
                why: String::new(),
            });
        }
    }
    let list = due(&plan, &records, &own, &measured, local.today());
    Ok((plan, local, list))
}

/// What is due.
pub(crate) fn due_of(store: &Store, site: &str) -> Result<DueTold, ApiError> {
    let (_, local, checks) = checks(store, site)?;
    let counts = |it: &&Check| it.left_out.is_none();
    let overdue = checks
        .iter()
        .filter(counts)
        .filter(|it| it.overdue_days > 0)
        .count();
    let never = checks
        .iter()
        .filter(counts)
        .filter(|it| it.last.is_none() && it.in_days == 0)
        .count();
    let next = checks.iter().filter(counts).find(|it| it.in_days > 0);
    let many = |count: usize, one: &str, many: &str| {
        if count == 1 {
            format!("1 {one}")
        } else {
            format!("{count} {many}")
        }
    };
    let sentence = match (overdue, next) {
        (0, Some(next)) => Sentence::from(format!(
            "Nothing is overdue. Next, on {}: {}.",
            next.due,
            next.title.marked()
        )),
        (0, None) => Sentence::from("Nothing is overdue."),
        (overdue, _) => {
            let first = checks
                .first()
                .map_or_else(String::new, |it| it.title.marked().to_owned());
            Sentence::from(format!(
                "{}, the longest: {first}.",
                many(overdue, "check is overdue", "checks are overdue")
            ))
        }
    };
    Ok(DueTold {
        today: local.today().to_string(),
        overdue,
        never,
        sentence,
        checks,
    })
}

/// Notes what was done about a check.
pub(crate) fn answer_check(store: &Store, site: &str, asked: &CheckAnswer) -> Result<(), ApiError> {
    let (_, local, checks) = checks(store, site)?;
    let Some(check) = checks.iter().find(|it| it.id == asked.check) else {
        return Err(ApiError::at(
            "check",
            format!("is {:?}, and nothing of that id is due here", asked.check),
        ));
    };
    let note = asked
        .note
        .as_deref()
        .map(|it| text("note", it, super::MOST_WORDS))
        .transpose()?
        .unwrap_or_default();
    let by = asked
        .by
        .as_deref()
        .map(|it| text("by", it, super::MOST_NAME))
        .transpose()?
        .unwrap_or_default();
    let at_ms = local.at_ms("on", asked.on.as_deref())?;
    let title = check.title.plain().into_owned();
    let mut until = None;
    let words = match asked.did {
        Did::Done => title,
        Did::PutOff => {
            let today = local.today();
            let to = asked.until.as_deref().ok_or_else(|| {
                ApiError::at("until", "is left out; say until which day it is put off")
            })?;
            let to = day("until", to)?;
            let most = today.checked_add(MOST_PUT_OFF.days()).unwrap_or(Date::MAX);
            if to <= today || to > most {
                return Err(ApiError::at(
                    "until",
                    format!("is {to}; give a day from tomorrow to {most}"),
                ));
            }
            until = Some(to.to_string());
            format!("Put off until {to}: {title}")
        }
        Did::LeftOut if note.is_empty() => {
            return Err(ApiError::at("note", "is empty; say why it is left out"));
        }
        Did::LeftOut => format!("Left out from now on: {title}"),
        Did::Back => format!("Asked for again: {title}"),
    };
    let words = if note.is_empty() {
        words
    } else {
        format!("{words}. {note}")
    };
    let record = KeptRecord {
        check: check.id.clone(),
        did: asked.did,
        until,
    };
    let mut body = json!({ "record": record, "why": note });
    if !by.is_empty() {
        body["by"] = json!(by);
    }
    let entry = NewEntry {
        at_ms,
        kind: "check".into(),
        item: check.item.clone(),
        words,
        body,
        origin: String::new(),
    };
    store.add_to_log(site, &[entry])?;
    Ok(())
}

/// Makes a check of one's own. It stands in the log, and is gone once that entry is struck.
pub(crate) fn own_check(store: &Store, site: &str, asked: &OwnCheck) -> Result<(), ApiError> {
    let plan = store.plan(site)?.plan;
    let local = Local::of(&plan);
    let title = text("title", &asked.title, 120)?;
    if !asked.item.is_empty() && !line::is_there(&plan, &asked.item) {
        return Err(ApiError::at(
            "item",
            format!("is {:?}, and the plan has nothing of that id", asked.item),
        ));
    }
    let first = asked
        .first
        .as_deref()
        .map(|it| day("first", it))
        .transpose()?
        .unwrap_or_else(|| local.today());
    let own = Own {
        id: String::new(),
        title: title.clone(),
        item: asked.item.clone(),
        every_days: asked.every_days,
        first,
    };
    let own = own.checked()?;
    let kept = OwnCheck {
        title,
        item: own.item.clone(),
        every_days: own.every_days,
        first: Some(first.to_string()),
    };
    let entry = NewEntry {
        at_ms: crate::clock::now().as_millisecond(),
        kind: "check".into(),
        item: own.item,
        words: format!(
            "To be checked every {} days from {first} on: {}",
            own.every_days, own.title
        ),
        body: json!({ "own": kept }),
        origin: String::new(),
    };
    store.add_to_log(site, &[entry])?;
    Ok(())
}

/// What is due, as a calendar.
pub(crate) fn calendar(store: &Store, site: &str, habits: Habits) -> Result<String, ApiError> {
    use icalendar::{Calendar, Component, Event};
    let (plan, local, checks) = checks(store, site)?;
    let mut calendar = Calendar::new();
    calendar.name(&format!("{}: what is due", plan.site.name));
    let stamp = iso(crate::clock::now().as_millisecond());
    let stamp: String = stamp
        .split('.')
        .next()
        .unwrap_or_default()
        .trim_end_matches('Z')
        .chars()
        .filter(|it| *it != '-' && *it != ':')
        .collect();
    // Whoever imports it again finds the same events, later ones in the place of earlier ones.
    let sequence = i64::from((local.today() - jiff::civil::date(2020, 1, 1)).get_days());
    for check in checks.iter().filter(|it| it.left_out.is_none()) {
        let due: Date = check.due.parse().unwrap_or_else(|_| local.today());
        let next = due.checked_add(1.day()).unwrap_or(due);
        let plain = |it: Date| it.to_string().replace('-', "");
        let mut event = Event::new();
        event.uid(&format!("{site}-{}@ash-pond", check.id.replace('/', "-")));
        event.summary(&check.title.render(&habits));
        event.description(&check.reason.render(&habits));
        event.append_property(
            icalendar::Property::new("DTSTART", plain(due))
                .add_parameter("VALUE", "DATE")
                .done(),
        );
        event.append_property(
            icalendar::Property::new("DTEND", plain(next))
                .add_parameter("VALUE", "DATE")
                .done(),
        );
        event.add_property(
            "RRULE",
            format!("FREQ=DAILY;INTERVAL={}", check.every_days.max(1)),
        );
        event.add_property("SEQUENCE", sequence.to_string());
        event.add_property("DTSTAMP", format!("{stamp}Z"));
        calendar.push(event.done());
    }
    Ok(calendar.to_string())
}
