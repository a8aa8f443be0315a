//! Watches: begun, read, acted in, ended.
//!
//! # Layout
//! - `entries`: what was read, done, noted and noticed
//! - `logged`: what the log says of a watch
//! - `open`: a watch as it is kept, and with all that is known of it
//! - `told`: a watch at one moment; `returning`: what to do once the mains is back

mod entries;
mod held;
mod logged;
mod open;
mod returning;
mod told;

pub(crate) use entries::page;
pub(crate) use held::{Faced, Watching, locked};
pub(crate) use open::{Kept, KeptEntry, Open, prefix};
pub(crate) use told::{outlets, told};

use crate::bodies::watch::{
    Did, DrillAsked, DrillClock, EntryAsked, PastAsked, StartAsked, WatchAsked, WatchKind,
    WatchListed, Watches,
};
use crate::error::ApiError;
use ash_pond_core::ground::say::Sentence;
use ash_pond_core::keeping::watch::{
    Act, Entered, Hides, Seen, can_plug, entered, happening, look_first_since, off_since, outlet,
    read_past,
};
use ash_pond_core::site::entry::Around;
use ash_pond_core::site::plan::outage::LocalTime;
use ash_pond_core::site::plan::{Outage, Plan};
use ash_pond_store::{Store, WatchRow};
use open::{KeptDrill, is_back};
use returning::{Return, was_done};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;

/// The most letters of a name, and of a note.
const MOST_NAME: usize = 40;
const MOST_NOTE: usize = 500;
/// How fast a drill's clock runs.
const SPEEDS: std::ops::RangeInclusive<f64> = 1.0..=3600.0;
/// Where nobody chose how fast.
const SPEED: f64 = 60.0;
/// What a person reads of a moment that lies ahead of now by so much is a mistake, s.
const AHEAD_S: f64 = 60.0;

/// The local time of a site now.
fn local(plan: &Plan) -> String {
    let name = plan
        .site
        .place
        .as_ref()
        .and_then(|it| it.time_zone.as_deref());
    let zone = name
        .and_then(|it| jiff::tz::TimeZone::get(it).ok())
        .unwrap_or_else(jiff::tz::TimeZone::system);
    zone.to_datetime(crate::clock::now())
        .strftime("%Y-%m-%dT%H:%M")
        .to_string()
}

fn short(field: &str, text: Option<&str>, most: usize) -> Result<Option<String>, ApiError> {
    let Some(text) = text.map(str::trim).filter(|it| !it.is_empty()) else {
        return Ok(None);
    };
    if text.chars().count() > most
        || text.chars().any(char::is_control)
        || ash_pond_core::ground::say::has_mark(text)
    {
        return Err(ApiError::at(
            field,
            format!("is too long, or holds what cannot be shown; use {most} letters at most"),
        ));
    }
    Ok(Some(text.to_owned()))
}

fn checked_starts(plan: &Plan, starts: &BTreeMap<String, StartAsked>) -> Result<(), ApiError> {
    for (id, it) in starts {
        let at = |field: &str| format!("starts.{id}{field}");
        if plan.source(id).is_none_or(|it| it.battery.is_none()) {
            return Err(ApiError::at(&at(""), "names no store of the plan"));
        }
        super::preview::within(&at(".soc"), it.soc)?;
        super::preview::within(&at(".plus_minus"), it.plus_minus.unwrap_or(0.05))?;
    }
    Ok(())
}

struct Asked {
    plan: Arc<Plan>,
    revision: i64,
    planned: Outage,
}

/// The plan, and the outage that it was planned with.
fn asked(store: &Store, site: &str, arrangement: &str, outage: &str) -> Result<Asked, ApiError> {
    let saved = store.plan(site)?;
    let Some(way) = saved.plan.arrangement(arrangement) else {
        let why = format!("is \"{arrangement}\", and no arrangement has that id");
        return Err(ApiError::at("arrangement", why));
    };
    if way.feeds.is_empty() {
        return Err(ApiError::at(
            "arrangement",
            "feeds nothing yet; build a chain first, in Chains",
        ));
    }
    let planned = saved
        .plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == outage)
        .cloned();
    let why = || {
        ApiError::at(
            "outage",
            format!("is \"{outage}\", and no outage has that id"),
        )
    };
    Ok(Asked {
        planned: planned.ok_or_else(why)?,
        revision: saved.revision,
        plan: saved.plan,
    })
}

/// Begins a watch, and gives its number.
pub(crate) fn begin(store: &Store, site: &str, asking: &WatchAsked) -> Result<i64, ApiError> {
    let Asked {
        plan,
        revision,
        planned,
    } = asked(store, site, &asking.arrangement, &asking.outage)?;
    checked_starts(&plan, &asking.starts)?;
    let meters = store.meters()?;
    for (meter, source) in &asking.meters {
        if !meters.iter().any(|it| it.id == *meter) {
            return Err(ApiError::at(
                &format!("meters.{meter}"),
                "names no meter; add it on the site's page",
            ));
        }
        if plan.source(source).is_none_or(|it| it.battery.is_none()) {
            return Err(ApiError::at(
                &format!("meters.{meter}"),
                format!("\"{source}\" is no store of the plan"),
            ));
        }
    }
    let now_ms = crate::clock::now().as_millisecond();
    let drill = asking
        .drill
        .as_ref()
        .map(|it| kept_drill(it, now_ms))
        .transpose()?;
    let start = if drill.is_some() {
        planned.start.time().strftime("%Y-%m-%dT%H:%M").to_string()
    } else {
        local(&plan)
    };
    let begins = LocalTime::parse(&start)
        .ok_or_else(|| ApiError::busy("the clock of this machine cannot be read"))?;
    let now = happening(&planned, begins);
    let mut starts = asking.starts.clone();
    for (id, own) in &planned.initial_soc {
        starts.entry(id.clone()).or_insert(StartAsked {
            soc: own.get(),
            plus_minus: None,
        });
    }
    let kept = Kept {
        kind: if drill.is_some() {
            WatchKind::Drill
        } else {
            WatchKind::Outage
        },
        arrangement: asking.arrangement.clone(),
        outage: asking.outage.clone(),
        label: planned.label.clone(),
        start,
        happening: serde_json::to_value(&now).unwrap_or_default(),
        plan: serde_json::to_value(&*plan).unwrap_or_default(),
        plan_revision: revision,
        began_ms: now_ms,
        starts,
        meters: asking.meters.clone(),
        by: short("by", asking.by.as_deref(), MOST_NAME)?,
        ended_s: None,
        drill,
    };
    let number = store.begin_watch(site, &kept.value(), now_ms, true)?;
    logged::log(store, site, number)?;
    Ok(number)
}

fn kept_drill(asked: &DrillAsked, now_ms: i64) -> Result<KeptDrill, ApiError> {
    let speed = speed(asked.speed.unwrap_or(SPEED))?;
    // What is not chosen is drawn, so that whoever practises does not know it.
    let drawn = Hides::ALL
        [usize::try_from(asked.seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 33).unwrap_or(0) % 7];
    Ok(KeptDrill {
        hides: asked.hides.unwrap_or(drawn),
        seed: asked.seed,
        speed,
        at_s: 0.0,
        since_ms: Some(now_ms),
    })
}

fn speed(asked: f64) -> Result<f64, ApiError> {
    if SPEEDS.contains(&asked) {
        return Ok(asked);
    }
    Err(ApiError::at(
        "speed",
        format!("is {asked}; a drill runs 1 to 3600 times as fast as life"),
    ))
}

/// Brings in an outage of the past, and gives its number.
pub(crate) fn bring_in(store: &Store, site: &str, asking: &PastAsked) -> Result<i64, ApiError> {
    let Asked {
        plan,
        revision,
        planned,
    } = asked(store, site, &asking.arrangement, &asking.outage)?;
    checked_starts(&plan, &asking.starts)?;
    let begins = LocalTime::parse(&asking.start);
    let begins = begins
        .ok_or_else(|| ApiError::at("start", "is no local time; write it as 2026-01-14T17:30"))?;
    let now = happening(&planned, begins);
    let way = plan
        .arrangement(&asking.arrangement)
        .unwrap_or(&plan.arrangements[0]);
    let seen = read_past(&asking.csv, &plan, way, &now, asking.store.as_deref())?;
    let last = seen
        .readings
        .iter()
        .map(|it| it.at_s)
        .chain(seen.acted.iter().map(|it| it.at_s))
        .fold(0.0, f64::max);
    if last <= 0.0 {
        return Err(ApiError::at(
            "csv",
            "holds nothing after its beginning; give at least two rows with times",
        ));
    }
    let mut starts = asking.starts.clone();
    for (id, own) in &planned.initial_soc {
        starts.entry(id.clone()).or_insert(StartAsked {
            soc: own.get(),
            plus_minus: None,
        });
    }
    let now_ms = crate::clock::now().as_millisecond();
    let kept = Kept {
        kind: WatchKind::Past,
        arrangement: asking.arrangement.clone(),
        outage: asking.outage.clone(),
        label: planned.label.clone(),
        start: asking.start.clone(),
        happening: serde_json::to_value(&now).unwrap_or_default(),
        plan: serde_json::to_value(&*plan).unwrap_or_default(),
        plan_revision: revision,
        began_ms: now_ms,
        starts,
        meters: BTreeMap::new(),
        by: None,
        ended_s: Some(last),
        drill: None,
    };
    let mut entries: Vec<(f64, Value)> = Vec::new();
    // A logger of each second says no more than one of each few: what lies close is thinned.
    let every = seen.readings.len().div_ceil(5000).max(1);
    for it in seen.readings.iter().step_by(every) {
        let entry = KeptEntry {
            source: Some(it.source.clone()),
            volts: it.volts,
            amps: it.amps,
            watts: it.watts,
            percent: it.percent,
            ..KeptEntry::default()
        };
        entries.push((it.at_s, json!(entry)));
    }
    for it in &seen.acted {
        let mut kept = KeptEntry::default();
        let (did, item, watts, text) = match &it.act {
            Act::Over(id, port) => {
                kept.outlet = Some(format!("{}/{}", port.item, port.port));
                (Did::Over, Some(id.clone()), None, None)
            }
            Act::Drop(id) => (Did::Drop, Some(id.clone()), None, None),
            Act::Restore(id) => (Did::Restore, Some(id.clone()), None, None),
            Act::Lost(id) => (Did::Lost, Some(id.clone()), None, None),
            Act::MainsBack => (Did::MainsBack, None, None, None),
            Act::MainsGone => (Did::MainsGone, None, None, None),
            Act::Charge(id, watts) => (Did::Charge, Some(id.clone()), Some(*watts), None),
            Act::Note(text) => (Did::Note, None, None, Some(text.clone())),
        };
        entries.push((
            it.at_s,
            json!(KeptEntry {
                did: Some(did),
                item,
                watts,
                text,
                ..kept
            }),
        ));
    }
    let number = store.begin_watch(site, &kept.value(), now_ms, false)?;
    store.add_to_watch(site, number, &entries)?;
    logged::log(store, site, number)?;
    Ok(number)
}

/// The watches of a site.
pub(crate) fn list(store: &Store, site: &str) -> Result<Watches, ApiError> {
    let one = |row: WatchRow| {
        let kept = Kept::of(&row, site)?;
        Ok(WatchListed {
            number: row.number,
            kind: kept.kind,
            label: kept.label,
            start: kept.start,
            open: row.is_open,
            watched_h: kept.ended_s.map(|it| it / 3600.0),
        })
    };
    let all: Result<Vec<WatchListed>, ApiError> =
        store.watches(site)?.into_iter().map(one).collect();
    Ok(Watches { watches: all? })
}

/// Keeps what was read, done or noted; a reading that is strange is not kept until its reader is
/// sure, and its question is told.
pub(crate) fn enter(
    store: &Store,
    watching: &Watching,
    (site, number): (&str, i64),
    asking: &EntryAsked,
    around: Around,
) -> Result<Option<Sentence>, ApiError> {
    let open = Open::read(store, site, number)?;
    if !open.is_open {
        return Err(ApiError::at(
            "",
            "the watch has ended; what it knows is kept as it is",
        ));
    }
    let now_s = open.kept.now_s(crate::clock::now().as_millisecond());
    let at_s = asking.at_s.unwrap_or(now_s);
    if !at_s.is_finite() || at_s < 0.0 || at_s > now_s + AHEAD_S {
        let why =
            format!("is {at_s} s; it lies between 0 and now, {now_s:.0} s after the outage began");
        return Err(ApiError::at("at_s", why));
    }
    let by = short("by", asking.by.as_deref(), MOST_NAME)?;
    let item = asking.item.as_deref().unwrap_or_default();
    let entry = if let Some(text) = &asking.reading {
        if !open.is_store(item) {
            let known: Vec<String> = open
                .stores()
                .iter()
                .map(|it| open.plan.label(it).to_owned())
                .collect();
            return Err(ApiError::at(
                "item",
                format!(
                    "\"{item}\" is no store of this arrangement; there are {}",
                    known.join(", ")
                ),
            ));
        }
        let seen = open.seen(store)?;
        let Entered { reading, question } =
            entered(&open.plan, &seen.up_to(at_s), item, text, at_s, around)?;
        if question.is_some() && !asking.sure {
            return Ok(question);
        }
        KeptEntry {
            source: Some(reading.source),
            volts: reading.volts,
            amps: reading.amps,
            watts: reading.watts,
            percent: reading.percent,
            by,
            ..KeptEntry::default()
        }
    } else {
        let entry = did(&open, asking, item, by)?;
        if matches!(entry.did, Some(Did::Started | Did::Restore | Did::Over)) {
            may_start(store, watching, &open, item, at_s)?;
        }
        entry
    };
    store.add_to_watch(site, number, &[(at_s, json!(entry))])?;
    watching.changed(site, number);
    Ok(None)
}

fn did(
    open: &Open,
    asking: &EntryAsked,
    item: &str,
    by: Option<String>,
) -> Result<KeptEntry, ApiError> {
    let Some(did) = asking.did else {
        return Err(ApiError::at(
            "",
            "says neither what was read nor what was done",
        ));
    };
    let device = || {
        let known = open.plan.device(item).is_some() && open.way().feed_into(item).is_some();
        if known {
            Ok(Some(item.to_owned()))
        } else {
            Err(ApiError::at(
                "item",
                format!("\"{item}\" is no device of this arrangement"),
            ))
        }
    };
    let text = short("text", asking.text.as_deref(), MOST_NOTE)?;
    let acted = Seen {
        acted: open.acted(),
        ..Seen::default()
    };
    let is_off = |id: &str| off_since(&acted, id, f64::MAX / 4000.0).is_some();
    let label = || open.plan.label(item).to_owned();
    let item_of = match did {
        Did::Drop | Did::Lost => {
            let found = device()?;
            if is_off(item) {
                return Err(ApiError::at("item", format!("{} is off already", label())));
            }
            found
        }
        Did::Restore => {
            let found = device()?;
            if !is_off(item) {
                return Err(ApiError::at(
                    "item",
                    format!("{} is on; nobody said that it was off", label()),
                ));
            }
            found
        }
        Did::Started => device()?,
        Did::Over => {
            let found = device()?;
            let asked = asking.outlet.as_deref().unwrap_or_default();
            let port = outlet(asked).ok_or_else(|| {
                ApiError::at(
                    "outlet",
                    "names no outlet; write it as item/port, such as station/usb",
                )
            })?;
            can_plug(&open.plan, &open.now(), item, &port)
                .map_err(|it| ApiError::at("outlet", format!("\"{asked}\": {}", it.message)))?;
            found
        }
        Did::MainsBack | Did::MainsGone => {
            let back = is_back(&open.acted());
            if back == (did == Did::MainsBack) {
                let why = if back {
                    "the mains is back already"
                } else {
                    "the mains is out already"
                };
                return Err(ApiError::at("did", why));
            }
            None
        }
        Did::Charge => {
            if !open.is_store(item) {
                return Err(ApiError::at(
                    "item",
                    format!("\"{item}\" is no store of this arrangement"),
                ));
            }
            let watts = asking.watts.unwrap_or(-1.0);
            if !(0.0..=1e6).contains(&watts) {
                return Err(ApiError::at(
                    "watts",
                    "must say with how many watts it is charged; 0 ends it",
                ));
            }
            Some(item.to_owned())
        }
        Did::Checked | Did::Refuelled => {
            let known = open.plan.device(item).is_some() || open.plan.source(item).is_some();
            if !known {
                return Err(ApiError::at(
                    "item",
                    format!("\"{item}\" is nothing of the plan"),
                ));
            }
            Some(item.to_owned())
        }
        Did::Note => {
            if text.is_none() {
                return Err(ApiError::at("text", "is empty; say what is noted"));
            }
            None
        }
    };
    let watts = asking.watts.filter(|_| did == Did::Charge);
    let outlet = asking.outlet.clone().filter(|_| did == Did::Over);
    Ok(KeptEntry {
        did: Some(did),
        item: item_of,
        outlet,
        watts,
        text,
        by,
        ..KeptEntry::default()
    })
}

/// Refuses that a device starts that must be looked at first, whichever way it is to be on again.
fn may_start(
    store: &Store,
    watching: &Watching,
    open: &Open,
    item: &str,
    at_s: f64,
) -> Result<(), ApiError> {
    let at_h = at_s / 3600.0;
    let acted = Seen {
        acted: open.acted(),
        ..Seen::default()
    };
    let mut waits = look_first_since(&open.plan, &acted, item, at_h)
        .is_some_and(|it| !was_done(open, Did::Checked, item, it / 3600.0));
    if !waits
        && is_back(&acted.acted)
        && open
            .plan
            .device(item)
            .is_some_and(|it| it.deadline.is_some())
    {
        let seen = open.seen(store)?;
        let estimate = told::known(watching, open, &seen, at_h)?.0;
        waits = Return::of(open, &estimate, &seen, at_h).waits(open, item);
    }
    if waits {
        let name = open.plan.label(item);
        let why = format!(
            "{name} was off for too long: look at it and say so (checked) before it starts"
        );
        return Err(ApiError::at("item", why));
    }
    Ok(())
}

/// Sets the clock of a drill.
pub(crate) fn set_clock(
    store: &Store,
    site: &str,
    number: i64,
    asked: DrillClock,
) -> Result<(), ApiError> {
    let now_ms = crate::clock::now().as_millisecond();
    store.change_watch(site, number, |row| {
        let mut kept = Kept::of(&row, site)?;
        let now_s = kept.now_s(now_ms);
        let Some(drill) = kept.drill.as_mut().filter(|_| row.is_open) else {
            return Err(ApiError::at(
                "",
                "only the clock of a drill that goes on can be set",
            ));
        };
        let step = asked.step_s.unwrap_or(0.0);
        if !(0.0..=86_400.0).contains(&step) {
            return Err(ApiError::at(
                "step_s",
                format!("is {step}; a step is 0 to 86400 s"),
            ));
        }
        if let Some(asked) = asked.speed {
            drill.speed = speed(asked)?;
        }
        drill.at_s = now_s + step;
        let paused = asked.paused.unwrap_or(drill.since_ms.is_none());
        drill.since_ms = (!paused).then_some(now_ms);
        Ok((kept.value(), true))
    })
}

/// Ends a watch.
pub(crate) fn end(store: &Store, site: &str, number: i64) -> Result<(), ApiError> {
    let now_ms = crate::clock::now().as_millisecond();
    store.change_watch(site, number, |row| {
        let mut kept = Kept::of(&row, site)?;
        kept.ended_s.get_or_insert(kept.now_s(now_ms));
        if let Some(drill) = kept.drill.as_mut() {
            drill.since_ms = None;
        }
        Ok::<_, ApiError>((kept.value(), false))
    })?;
    logged::log(store, site, number)
}
