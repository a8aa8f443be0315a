//! Watches: begun, read, acted in, told, ended and looked back at.

use crate::error::ApiError;
use crate::routes::watch_bodies::{
    DeviceTold, Did, DrillAsked, DrillClock, DrillTold, EntryAsked, EntryTold, PastAsked, ReturnStep, ReturnTold,
    StartAsked, StoreTold, WatchAsked, WatchKind, WatchListed, WatchTold, Watches,
};
use crate::watching::{Heard, Watching};
use ash_pond_core::entry::Around;
use ash_pond_core::figure::Figure;
use ash_pond_core::json::{FromJson, Path};
use ash_pond_core::outage::{RechargeAsk, clocked, recharge, starts, ticks_of, with_drop};
use ash_pond_core::plan::outage::{LocalTime, MainsSpan, MainsState};
use ash_pond_core::plan::{Arrangement, Id, Outage, Plan};
use ash_pond_core::say::{Amount, Name, Sentence};
use ash_pond_core::watch::{
    Act, Acted, Entered, Estimate, Hidden, Hides, Reading, Seen, Standing, Start, by_the_clock, entered, happening,
    in_order, not_counted, off_since, read_seen, words,
};
use ash_pond_store::{Store, StoreError, WatchEntry, WatchRow};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// Readings of a meter that an estimate takes at most.
const MOST_READ: u32 = 500;
/// What is known is found anew after so long, s of the watch.
const ANEW_S: f64 = 900.0;
/// Entries that are told.
const MOST_TOLD: usize = 100;
/// The most letters of a name, and of a note.
const MOST_NAME: usize = 40;
const MOST_NOTE: usize = 500;
/// How fast a drill's clock runs.
const SPEEDS: std::ops::RangeInclusive<f64> = 1.0..=3600.0;
/// Where nobody chose how fast.
const SPEED: f64 = 60.0;
/// What a person reads of a moment that lies ahead of now by so much is a mistake, s.
const AHEAD_S: f64 = 60.0;

/// A drill as it is kept.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct KeptDrill {
    pub(crate) hides: Hides,
    pub(crate) seed: u64,
    pub(crate) speed: f64,
    /// Where its clock stood, s,
    pub(crate) at_s: f64,
    /// and when that was, ms since 1970; none while it stands.
    pub(crate) since_ms: Option<i64>,
}

/// A watch as it is kept.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct Kept {
    pub(crate) kind: WatchKind,
    pub(crate) arrangement: String,
    pub(crate) outage: String,
    pub(crate) label: String,
    pub(crate) start: String,
    /// The outage that is happening.
    pub(crate) happening: Value,
    /// The plan as it was when it began.
    pub(crate) plan: Value,
    pub(crate) plan_revision: i64,
    pub(crate) began_ms: i64,
    pub(crate) starts: BTreeMap<String, StartAsked>,
    pub(crate) meters: BTreeMap<String, String>,
    pub(crate) by: Option<String>,
    pub(crate) ended_s: Option<f64>,
    pub(crate) drill: Option<KeptDrill>,
}

/// What a person entered, as it is kept.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub(crate) struct KeptEntry {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) source: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) volts: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) amps: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) watts: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) percent: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) did: Option<Did>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) item: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) text: Option<String>,
    /// From when on nobody watched, s.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) gap_from_s: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) by: Option<String>,
}

impl Kept {
    pub(crate) fn of(row: &WatchRow, site: &str) -> Result<Self, ApiError> {
        let unreadable = |error: serde_json::Error| {
            ApiError::from(StoreError::unreadable("watches", format!("{} of {site}", row.number), error.to_string()))
        };
        serde_json::from_value(row.body.clone()).map_err(unreadable)
    }

    fn value(&self) -> Value {
        serde_json::to_value(self).unwrap_or_default()
    }

    /// Where its clock stands, s since the outage began.
    pub(crate) fn now_s(&self, now_ms: i64) -> f64 {
        let most = self.hours() * 3600.0;
        let now = match (&self.ended_s, &self.drill) {
            (Some(ended), _) => *ended,
            (None, Some(drill)) => {
                let passed = drill.since_ms.map_or(0, |it| now_ms.saturating_sub(it));
                drill.at_s + passed as f64 / 1000.0 * drill.speed
            }
            // A clock that was set back does not take back what was seen.
            (None, None) => now_ms.saturating_sub(self.began_ms) as f64 / 1000.0,
        };
        now.clamp(0.0, most)
    }

    fn hours(&self) -> f64 {
        let hours = &self.happening["hours"];
        hours.as_f64().or_else(|| hours["value"].as_f64()).unwrap_or(24.0)
    }
}

/// A watch with all that is known of it.
pub(crate) struct Open {
    pub(crate) site: String,
    pub(crate) number: i64,
    pub(crate) kept: Kept,
    pub(crate) is_open: bool,
    pub(crate) plan: Plan,
    pub(crate) plan_revision: i64,
    /// Whether the arrangement is gone from the plan, so that it goes on as it was.
    pub(crate) as_it_was: bool,
    pub(crate) outage: Outage,
    pub(crate) entries: Vec<(WatchEntry, KeptEntry)>,
}

impl Open {
    /// Reads a watch.
    pub(crate) fn read(store: &Store, site: &str, number: i64) -> Result<Self, ApiError> {
        let row = store.watch(site, number)?;
        let kept = Kept::of(&row, site)?;
        let saved = store.plan(site)?;
        let as_it_was = saved.plan.arrangement(&kept.arrangement).is_none();
        let plan = if as_it_was { Plan::from_value(&kept.plan)? } else { saved.plan };
        let outage = Outage::from_json(&kept.happening, &Path::Root)?;
        let entries = store.watch_entries(site, number)?.into_iter().map(|it| {
            let body = serde_json::from_value(it.body.clone()).map_err(|error| {
                let row = format!("{} of watch {number} of {site}", it.number);
                ApiError::from(StoreError::unreadable("watch_entries", row, error.to_string()))
            })?;
            Ok((it, body))
        });
        let entries = entries.collect::<Result<_, ApiError>>()?;
        let (site, is_open, plan_revision) = (site.to_owned(), row.is_open, saved.revision);
        Ok(Self { site, number, kept, is_open, plan, plan_revision, as_it_was, outage, entries })
    }

    pub(crate) fn way(&self) -> &Arrangement {
        self.plan.arrangement(&self.kept.arrangement).unwrap_or(&self.plan.arrangements[0])
    }

    /// What was done, in the order of time.
    pub(crate) fn acted(&self) -> Vec<Acted> {
        let known = |id: &Option<String>| id.clone().filter(|id| self.way().feed_into(id).is_some());
        let act = |it: &KeptEntry| {
            Some(match it.did? {
                Did::Drop => Act::Drop(known(&it.item)?),
                Did::Restore | Did::Started => Act::Restore(known(&it.item)?),
                Did::Lost => Act::Lost(known(&it.item)?),
                Did::MainsBack => Act::MainsBack,
                Did::MainsGone => Act::MainsGone,
                Did::Charge => Act::Charge(it.item.clone()?, it.watts.unwrap_or_default()),
                Did::Checked | Did::Refuelled | Did::Note => return None,
            })
        };
        let counted = self.entries.iter().filter(|it| !it.0.undone);
        counted.filter_map(|(row, it)| Some(Acted { at_s: row.at_s, act: act(it)? })).collect()
    }

    /// What is known beside the plan: what meters showed, what people read, what was done.
    pub(crate) fn seen(&self, store: &Store) -> Result<Seen, ApiError> {
        let starts = self
            .kept
            .starts
            .iter()
            .map(|(id, it)| (id.clone(), Start { soc: it.soc, plus_minus: it.plus_minus.unwrap_or(0.05) }));
        let mut readings: Vec<Reading> = Vec::new();
        for (row, it) in self.entries.iter().filter(|it| !it.0.undone) {
            if let Some(source) = it.source.as_ref().filter(|it| self.is_store(it)) {
                let (volts, amps, watts, percent) = (it.volts, it.amps, it.watts, it.percent);
                readings.push(Reading { at_s: row.at_s, source: source.clone(), volts, amps, watts, percent });
            }
        }
        let began = self.kept.began_ms;
        for series in store.series()?.into_iter().filter(|it| it.meter.starts_with(&prefix(&self.site, self.number))) {
            let source = series.meter[prefix(&self.site, self.number).len()..].to_owned();
            if !self.is_store(&source) {
                continue;
            }
            for span in store.thinned(series.id, i64::MIN, i64::MAX, MOST_READ)? {
                let mut reading = Reading {
                    at_s: ((span.at_ms - began) as f64 / 1000.0).max(0.0),
                    source: source.clone(),
                    ..Reading::default()
                };
                match series.unit.as_str() {
                    "V" => reading.volts = Some(span.mean),
                    "A" => reading.amps = Some(span.mean),
                    "W" => reading.watts = Some(span.mean),
                    _ => reading.percent = Some(span.mean),
                }
                readings.push(reading);
            }
        }
        readings.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
        Ok(Seen { starts: starts.collect(), readings, acted: self.acted() })
    }

    fn is_store(&self, id: &str) -> bool {
        let used = self.way().feeds.iter().any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id);
        used && self.plan.source(id).is_some_and(|it| it.battery.is_some())
    }

    /// The stores of the arrangement.
    pub(crate) fn stores(&self) -> Vec<String> {
        let all = self.plan.kit.sources.iter().map(|it| it.id.to_string());
        all.filter(|it| self.is_store(it)).collect()
    }

    /// The hidden world of a drill, with what was done in it.
    pub(crate) fn hidden(&self, acted: &[Acted]) -> Result<Option<Hidden>, ApiError> {
        let Some(drill) = &self.kept.drill else { return Ok(None) };
        let starts = self
            .kept
            .starts
            .iter()
            .map(|(id, it)| (id.clone(), Start { soc: it.soc, plus_minus: it.plus_minus.unwrap_or(0.05) }));
        let starts = starts.collect();
        // The world is that of the plan as it was when it began.
        let plan = Plan::from_value(&self.kept.plan)?;
        let way = plan.arrangement(&self.kept.arrangement).unwrap_or(&plan.arrangements[0]);
        let hidden = Hidden::of(&plan, way, &self.outage, &starts, (drill.hides, drill.seed), acted);
        hidden.map(Some).map_err(|why| ApiError::at("drill", why))
    }

    /// What an estimate hangs on beside readings that are later than it.
    fn fingerprint(&self, to_s: f64) -> u64 {
        let mut hasher = DefaultHasher::new();
        (self.plan_revision, self.as_it_was).hash(&mut hasher);
        for (row, it) in &self.entries {
            // A note changes nothing, and a reading that is later than it moves it.
            let says_nothing =
                it.gap_from_s.is_some() || matches!(it.did, Some(Did::Note | Did::Checked | Did::Refuelled));
            let is_later = it.source.is_some() && row.at_s > to_s;
            if !says_nothing && !is_later {
                (row.number, row.undone).hash(&mut hasher);
            }
        }
        hasher.finish()
    }
}

/// What the series of a watch's readings begin with.
pub(crate) fn prefix(site: &str, number: i64) -> String {
    format!("watch/{site}/{number}/")
}

/// What was known last, so that a reading moves it at once.
pub(crate) struct Known {
    fingerprint: u64,
    at_s: f64,
    standing: Standing,
}

/// The local time of a site now.
fn local(plan: &Plan) -> String {
    let name = plan.site.place.as_ref().and_then(|it| it.time_zone.as_deref());
    let zone = name.and_then(|it| jiff::tz::TimeZone::get(it).ok()).unwrap_or_else(jiff::tz::TimeZone::system);
    zone.to_datetime(crate::clock::now()).strftime("%Y-%m-%dT%H:%M").to_string()
}

fn short(field: &str, text: Option<&str>, most: usize) -> Result<Option<String>, ApiError> {
    let Some(text) = text.map(str::trim).filter(|it| !it.is_empty()) else { return Ok(None) };
    if text.chars().count() > most || text.chars().any(char::is_control) || ash_pond_core::say::has_mark(text) {
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
    plan: Plan,
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
        return Err(ApiError::at("arrangement", "feeds nothing yet; build a chain first, in Chains"));
    }
    let planned = saved.plan.outages.iter().find(|it| it.id.as_str() == outage).cloned();
    let why = || ApiError::at("outage", format!("is \"{outage}\", and no outage has that id"));
    Ok(Asked { planned: planned.ok_or_else(why)?, revision: saved.revision, plan: saved.plan })
}

/// Begins a watch, and gives its number.
pub(crate) fn begin(store: &Store, site: &str, asking: &WatchAsked) -> Result<i64, ApiError> {
    let Asked { plan, revision, planned } = asked(store, site, &asking.arrangement, &asking.outage)?;
    checked_starts(&plan, &asking.starts)?;
    let meters = store.meters()?;
    for (meter, source) in &asking.meters {
        if !meters.iter().any(|it| it.id == *meter) {
            return Err(ApiError::at(&format!("meters.{meter}"), "names no meter; add it on the site's page"));
        }
        if plan.source(source).is_none_or(|it| it.battery.is_none()) {
            return Err(ApiError::at(&format!("meters.{meter}"), format!("\"{source}\" is no store of the plan")));
        }
    }
    let now_ms = crate::clock::now().as_millisecond();
    let drill = asking.drill.as_ref().map(|it| kept_drill(it, now_ms)).transpose()?;
    let start =
        if drill.is_some() { planned.start.time().strftime("%Y-%m-%dT%H:%M").to_string() } else { local(&plan) };
    let begins = LocalTime::parse(&start).ok_or_else(|| ApiError::busy("the clock of this machine cannot be read"))?;
    let now = happening(&planned, begins);
    let mut starts = asking.starts.clone();
    for (id, own) in &planned.initial_soc {
        starts.entry(id.clone()).or_insert(StartAsked { soc: own.get(), plus_minus: None });
    }
    let kept = Kept {
        kind: if drill.is_some() { WatchKind::Drill } else { WatchKind::Outage },
        arrangement: asking.arrangement.clone(),
        outage: asking.outage.clone(),
        label: planned.label.clone(),
        start,
        happening: serde_json::to_value(&now).unwrap_or_default(),
        plan: serde_json::to_value(&plan).unwrap_or_default(),
        plan_revision: revision,
        began_ms: now_ms,
        starts,
        meters: asking.meters.clone(),
        by: short("by", asking.by.as_deref(), MOST_NAME)?,
        ended_s: None,
        drill,
    };
    Ok(store.begin_watch(site, &kept.value(), now_ms, true)?)
}

fn kept_drill(asked: &DrillAsked, now_ms: i64) -> Result<KeptDrill, ApiError> {
    let speed = speed(asked.speed.unwrap_or(SPEED))?;
    // What is not chosen is drawn, so that whoever practises does not know it.
    let drawn = Hides::ALL[usize::try_from(asked.seed.wrapping_mul(0x9e37_79b9_7f4a_7c15) >> 33).unwrap_or(0) % 7];
    Ok(KeptDrill { hides: asked.hides.unwrap_or(drawn), seed: asked.seed, speed, at_s: 0.0, since_ms: Some(now_ms) })
}

fn speed(asked: f64) -> Result<f64, ApiError> {
    if SPEEDS.contains(&asked) {
        return Ok(asked);
    }
    Err(ApiError::at("speed", format!("is {asked}; a drill runs 1 to 3600 times as fast as life")))
}

/// Brings in an outage of the past, and gives its number.
pub(crate) fn bring_in(store: &Store, site: &str, asking: &PastAsked) -> Result<i64, ApiError> {
    let Asked { plan, revision, planned } = asked(store, site, &asking.arrangement, &asking.outage)?;
    checked_starts(&plan, &asking.starts)?;
    let begins = LocalTime::parse(&asking.start);
    let begins = begins.ok_or_else(|| ApiError::at("start", "is no local time; write it as 2026-01-14T17:30"))?;
    let now = happening(&planned, begins);
    let way = plan.arrangement(&asking.arrangement).unwrap_or(&plan.arrangements[0]);
    let seen = read_seen(&asking.csv, &plan, way, &now)?;
    let last = seen.readings.iter().map(|it| it.at_s).chain(seen.acted.iter().map(|it| it.at_s)).fold(0.0, f64::max);
    if last <= 0.0 {
        return Err(ApiError::at("csv", "holds nothing after its beginning; give at least two rows with times"));
    }
    let mut starts = asking.starts.clone();
    for (id, own) in &planned.initial_soc {
        starts.entry(id.clone()).or_insert(StartAsked { soc: own.get(), plus_minus: None });
    }
    let now_ms = crate::clock::now().as_millisecond();
    let kept = Kept {
        kind: WatchKind::Past,
        arrangement: asking.arrangement.clone(),
        outage: asking.outage.clone(),
        label: planned.label.clone(),
        start: asking.start.clone(),
        happening: serde_json::to_value(&now).unwrap_or_default(),
        plan: serde_json::to_value(&plan).unwrap_or_default(),
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
        let (did, item, watts, text) = match &it.act {
            Act::Drop(id) => (Did::Drop, Some(id.clone()), None, None),
            Act::Restore(id) => (Did::Restore, Some(id.clone()), None, None),
            Act::Lost(id) => (Did::Lost, Some(id.clone()), None, None),
            Act::MainsBack => (Did::MainsBack, None, None, None),
            Act::MainsGone => (Did::MainsGone, None, None, None),
            Act::Charge(id, watts) => (Did::Charge, Some(id.clone()), Some(*watts), None),
            Act::Note(text) => (Did::Note, None, None, Some(text.clone())),
        };
        entries.push((it.at_s, json!(KeptEntry { did: Some(did), item, watts, text, ..KeptEntry::default() })));
    }
    let number = store.begin_watch(site, &kept.value(), now_ms, false)?;
    store.add_to_watch(site, number, &entries)?;
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
    let all: Result<Vec<WatchListed>, ApiError> = store.watches(site)?.into_iter().map(one).collect();
    Ok(Watches { watches: all? })
}

/// Keeps what was read, done or noted; a reading that is strange is not kept until its reader is sure, and its question is told.
pub(crate) fn enter(
    store: &Store,
    watching: &Watching,
    (site, number): (&str, i64),
    asking: &EntryAsked,
    around: Around,
) -> Result<Option<Sentence>, ApiError> {
    let open = Open::read(store, site, number)?;
    if !open.is_open {
        return Err(ApiError::at("", "the watch has ended; what it knows is kept as it is"));
    }
    let now_s = open.kept.now_s(crate::clock::now().as_millisecond());
    let at_s = asking.at_s.unwrap_or(now_s);
    if !at_s.is_finite() || at_s < 0.0 || at_s > now_s + AHEAD_S {
        let why = format!("is {at_s} s; it lies between 0 and now, {now_s:.0} s after the outage began");
        return Err(ApiError::at("at_s", why));
    }
    let by = short("by", asking.by.as_deref(), MOST_NAME)?;
    let item = asking.item.as_deref().unwrap_or_default();
    let entry = if let Some(text) = &asking.reading {
        if !open.is_store(item) {
            let known: Vec<String> = open.stores().iter().map(|it| open.plan.label(it).to_owned()).collect();
            return Err(ApiError::at(
                "item",
                format!("\"{item}\" is no store of this arrangement; there are {}", known.join(", ")),
            ));
        }
        let seen = open.seen(store)?;
        let Entered { reading, question } = entered(&open.plan, &seen.up_to(at_s), item, text, at_s, around)
            .map_err(|why| ApiError::at("reading", why))?;
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
        did(&open, asking, item, by)?
    };
    store.add_to_watch(site, number, &[(at_s, json!(entry))])?;
    watching.changed(site, number);
    Ok(None)
}

fn did(open: &Open, asking: &EntryAsked, item: &str, by: Option<String>) -> Result<KeptEntry, ApiError> {
    let Some(did) = asking.did else { return Err(ApiError::at("", "says neither what was read nor what was done")) };
    let device = || {
        let known = open.plan.device(item).is_some() && open.way().feed_into(item).is_some();
        if known {
            Ok(Some(item.to_owned()))
        } else {
            Err(ApiError::at("item", format!("\"{item}\" is no device of this arrangement")))
        }
    };
    let text = short("text", asking.text.as_deref(), MOST_NOTE)?;
    let acted = Seen { acted: open.acted(), ..Seen::default() };
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
                return Err(ApiError::at("item", format!("{} is on; nobody said that it was off", label())));
            }
            found
        }
        Did::Started => device()?,
        Did::MainsBack | Did::MainsGone => {
            let back = is_back(&open.acted());
            if back == (did == Did::MainsBack) {
                let why = if back { "the mains is back already" } else { "the mains is out already" };
                return Err(ApiError::at("did", why));
            }
            None
        }
        Did::Charge => {
            if !open.is_store(item) {
                return Err(ApiError::at("item", format!("\"{item}\" is no store of this arrangement")));
            }
            let watts = asking.watts.unwrap_or(-1.0);
            if !(0.0..=1e6).contains(&watts) {
                return Err(ApiError::at("watts", "must say with how many watts it is charged; 0 ends it"));
            }
            Some(item.to_owned())
        }
        Did::Checked | Did::Refuelled => {
            let known = open.plan.device(item).is_some() || open.plan.source(item).is_some();
            if !known {
                return Err(ApiError::at("item", format!("\"{item}\" is nothing of the plan")));
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
    if did == Did::Started {
        let needs_look = open
            .entries
            .iter()
            .all(|(row, it)| row.undone || it.did != Some(Did::Checked) || it.item.as_deref() != Some(item));
        let inspects = open.plan.device(item).and_then(|it| it.deadline.as_ref()).is_some_and(|it| it.then.is_some());
        if needs_look && inspects && was_off_too_long(open, item) {
            let why = format!("{} was off for too long: look at it and say so before it starts", label());
            return Err(ApiError::at("item", why));
        }
    }
    let watts = asking.watts.filter(|_| did == Did::Charge);
    Ok(KeptEntry { did: Some(did), item: item_of, watts, text, by, ..KeptEntry::default() })
}

/// Whether a device was off for longer than its deadline, by what was said of it.
fn was_off_too_long(open: &Open, id: &str) -> bool {
    let Some(deadline) = open.plan.device(id).and_then(|it| it.deadline.as_ref()) else { return false };
    let now_h = open.kept.now_s(crate::clock::now().as_millisecond()) / 3600.0;
    let seen = Seen { acted: open.acted(), ..Seen::default() };
    off_since(&seen, id, now_h).is_some_and(|it| now_h - it.0 / 3600.0 >= deadline.minutes.get() / 60.0)
}

fn is_back(acted: &[Acted]) -> bool {
    let last = acted.iter().rev().find(|it| matches!(it.act, Act::MainsBack | Act::MainsGone));
    last.is_some_and(|it| it.act == Act::MainsBack)
}

/// Sets the clock of a drill.
pub(crate) fn set_clock(store: &Store, site: &str, number: i64, asked: DrillClock) -> Result<(), ApiError> {
    let now_ms = crate::clock::now().as_millisecond();
    store.change_watch(site, number, |row| {
        let mut kept = Kept::of(&row, site)?;
        let now_s = kept.now_s(now_ms);
        let Some(drill) = kept.drill.as_mut().filter(|_| row.is_open) else {
            return Err(ApiError::at("", "only the clock of a drill that goes on can be set"));
        };
        let step = asked.step_s.unwrap_or(0.0);
        if !(0.0..=86_400.0).contains(&step) {
            return Err(ApiError::at("step_s", format!("is {step}; a step is 0 to 86400 s")));
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
        Ok((kept.value(), false))
    })
}

/// A watch at this moment.
pub(crate) fn told(store: &Store, watching: &Watching, site: &str, number: i64) -> Result<WatchTold, ApiError> {
    let open = Open::read(store, site, number)?;
    let now_s = open.kept.now_s(crate::clock::now().as_millisecond());
    let at_h = now_s / 3600.0;
    let heard = watching.heard(site, number);
    let mut seen = open.seen(store)?;
    // What was read lately waits to be written; it counts at once.
    let last = seen.readings.last().map_or(-1.0, |it| it.at_s);
    seen.readings.extend(heard.iter().flat_map(|it| it.waiting.iter().filter(|it| it.at_s > last).cloned()));
    seen.readings.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
    let (estimate, worth) = known(watching, &open, &seen, at_h)?;
    let said = words(&open.plan, &open.outage, &seen, &estimate);
    let clock = |h: f64| by_the_clock(&open.plan, &open.outage, at_h, h);
    let horizon = horizon(&open, &estimate, &said.headline.device);
    let entries = entries(&open, at_h, &clock)?;
    let stores = stores(&open, &seen, &estimate, heard.as_ref(), at_h);
    let devices =
        in_order(&open.plan, &estimate).into_iter().map(|it| device(&open, &seen, &estimate, it, at_h, &clock));
    let mains_back = is_back(&seen.acted);
    let worth_words = worth.as_ref().map(|it| {
        let unit = match it.unit.as_str() {
            "V" => "volts",
            "A" => "amperes",
            "W" => "watts",
            _ => "charge in per cent",
        };
        let name = Name(open.plan.label(&it.source));
        format!(
            "The {unit} of {name}, read now, would tell it to {} instead of {}.",
            clocked(it.then_h),
            clocked(it.wide_h)
        )
        .into()
    });
    let returning = mains_back.then(|| returning(&open, &estimate, &seen, at_h));
    let since = format!("mains out since {} · {}", clock(0.0), clocked(at_h));
    Ok(WatchTold {
        number,
        kind: open.kept.kind,
        arrangement: open.kept.arrangement.clone(),
        outage: open.kept.outage.clone(),
        label: open.kept.label.clone(),
        start: open.kept.start.clone(),
        hours: horizon,
        at_h,
        now: clock(at_h),
        since: if mains_back { format!("the mains is back · {}", clock(at_h)).into() } else { since.into() },
        open: open.is_open,
        mains_back,
        headline: said.headline,
        coming: said.coming,
        drops: said.drops,
        deadlines: said.deadlines,
        stores,
        devices: devices.collect(),
        entries,
        notes: notes(&open),
        worth,
        worth_words,
        returning,
        drill: drill(&open, now_s)?,
        ticks: ticks_of(&open.plan, &open.outage, horizon),
        question: None,
        estimate,
    })
}

/// What is known now: moved by what was read since it was found, or found anew.
fn known(
    watching: &Watching,
    open: &Open,
    seen: &Seen,
    at_h: f64,
) -> Result<(Estimate, Option<ash_pond_core::watch::WorthReading>), ApiError> {
    let at_s = at_h * 3600.0;
    let slot = watching.known(&open.site, open.number);
    let mut slot = slot.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    if let Some(it) = slot.as_ref() {
        let fresh = it.fingerprint == open.fingerprint(it.at_s) && at_s >= it.at_s && at_s < it.at_s + ANEW_S;
        let later: Vec<Reading> =
            seen.readings.iter().filter(|reading| reading.at_s > it.at_s && reading.at_s <= at_s).cloned().collect();
        if let Some(found) = fresh.then(|| it.standing.moved_by(&later, at_h)).flatten() {
            return Ok((found, None));
        }
    }
    let standing = Standing::at(&open.plan, open.way(), &open.outage, seen, at_h, 1);
    let standing = standing.map_err(|why| ApiError::at("", format!("what is known {why}")))?;
    let found = standing.told().clone();
    let worth = standing.worth_reading();
    *slot = Some(Known { fingerprint: open.fingerprint(at_s), at_s, standing });
    Ok((found, worth))
}

/// How far the picture looks ahead, h.
fn horizon(open: &Open, estimate: &Estimate, device: &str) -> f64 {
    let hours = open.outage.hours.get();
    let end = estimate.devices.get(device).map_or(hours, |it| it.until_h.p95);
    (end * 1.15).max(estimate.at_h + 3.0).min(hours)
}

fn notes(open: &Open) -> Vec<Sentence> {
    let mut notes: Vec<Sentence> = Vec::new();
    let planned = open.plan.outages.iter().find(|it| it.id.as_str() == open.kept.outage);
    notes.extend(planned.map(not_counted).unwrap_or_default());
    if open.as_it_was {
        notes.push("The arrangement was removed from the plan; this goes on with it as it was.".into());
    } else if open.plan_revision != open.kept.plan_revision {
        notes.push("The plan was changed since this began; it is counted with as it is now.".into());
    }
    notes
}

fn entries(open: &Open, at_h: f64, clock: &dyn Fn(f64) -> Sentence) -> Result<Vec<EntryTold>, ApiError> {
    let label = |id: &Option<String>| Name(open.plan.label(id.as_deref().unwrap_or_default())).to_string();
    let mut all: Vec<EntryTold> = open
        .entries
        .iter()
        .map(|(row, it)| {
            let amount = |value: Option<f64>, unit: &str| value.map(|it| Amount(it, unit).to_string());
            let read: Vec<String> =
                [amount(it.percent, "%"), amount(it.volts, "V"), amount(it.amps, "A"), amount(it.watts, "W")]
                    .into_iter()
                    .flatten()
                    .collect();
            let name = label(&it.item);
            let (kind, words) = match (it.did, it.gap_from_s) {
                (_, Some(from_s)) => {
                    let long = clocked((row.at_s - from_s) / 3600.0);
                    ("gap", format!("Nobody watched for {long}; what was done meanwhile is not known."))
                }
                (None, None) => ("reading", format!("{}: {}", label(&it.source), read.join(", "))),
                (Some(Did::Drop), _) => ("did", format!("{name} switched off")),
                (Some(Did::Restore), _) => ("did", format!("{name} back on")),
                (Some(Did::Lost), _) => ("did", format!("{name} went off by itself")),
                (Some(Did::MainsBack), _) => ("did", "The mains is back".to_owned()),
                (Some(Did::MainsGone), _) => ("did", "The mains has gone again".to_owned()),
                (Some(Did::Charge), _) if it.watts.unwrap_or_default() > 0.0 => {
                    ("did", format!("{name} charged with {}", Amount(it.watts.unwrap_or_default(), "W")))
                }
                (Some(Did::Charge), _) => ("did", format!("{name} no longer charged")),
                (Some(Did::Checked), _) => ("did", format!("{name} looked at")),
                (Some(Did::Refuelled), _) => ("did", format!("{name} refuelled")),
                (Some(Did::Started), _) => ("did", format!("{name} started")),
                (Some(Did::Note), _) => ("note", it.text.clone().map_or_else(String::new, |it| Name(&it).to_string())),
            };
            EntryTold {
                number: Some(row.number),
                at_h: row.at_s / 3600.0,
                when: clock(row.at_s / 3600.0),
                kind: kind.to_owned(),
                item: it.item.clone().or_else(|| it.source.clone()),
                words: words.into(),
                by: it.by.clone(),
                undone: row.undone,
            }
        })
        .collect();
    if let Some(hidden) = open.hidden(&open.acted())? {
        all.extend(hidden.noticed(at_h * 3600.0).into_iter().map(|it| EntryTold {
            number: None,
            at_h: it.at_s / 3600.0,
            when: clock(it.at_s / 3600.0),
            kind: if it.by_rule { "rule" } else { "noticed" }.to_owned(),
            item: Some(it.item).filter(|it| !it.is_empty()),
            words: it.sentence,
            by: None,
            undone: false,
        }));
    }
    all.sort_by(|a, b| b.at_h.total_cmp(&a.at_h).then(b.number.cmp(&a.number)));
    all.truncate(MOST_TOLD);
    Ok(all)
}

fn stores(open: &Open, seen: &Seen, estimate: &Estimate, heard: Option<&Heard>, at_h: f64) -> Vec<StoreTold> {
    let one = |id: String| {
        let label = open.plan.label(&id).to_owned();
        let charge = estimate.sources.get(&id).map_or_else(String::new, |it| {
            let half = (it.soc.p95 - it.soc.p5) / 2.0 * 100.0;
            Amount((it.soc.p50 * 100.0).round(), "%").to_string()
                + &if half >= 1.0 { format!(" ± {}", Amount(half.round(), "%")) } else { String::new() }
        });
        let own = || seen.readings.iter().filter(|it| it.source == id);
        let read = own().next_back().map_or_else(
            || "Nothing was read of it yet.".to_owned(),
            |it| {
                let amount = |value: Option<f64>, unit: &str| value.map(|it| Amount(it, unit).to_string());
                let all = [amount(it.percent, "%"), amount(it.volts, "V"), amount(it.amps, "A"), amount(it.watts, "W")];
                let all: Vec<String> = all.into_iter().flatten().collect();
                format!("read {} {} ago", all.join(", "), clocked((at_h - it.at_s / 3600.0).max(0.0)))
            },
        );
        let every = own().count().div_ceil(200).max(1);
        let readings = own().filter_map(|it| Some([it.at_s / 3600.0, it.percent?]));
        let trouble = heard.and_then(|it| it.trouble.get(&id).cloned());
        StoreTold {
            label,
            charge: charge.into(),
            read: read.into(),
            trouble,
            readings: readings.step_by(every).collect(),
            id,
        }
    };
    open.stores().into_iter().map(one).collect()
}

fn device(
    open: &Open,
    seen: &Seen,
    estimate: &Estimate,
    it: &ash_pond_core::plan::Device,
    at_h: f64,
    clock: &dyn Fn(f64) -> Sentence,
) -> DeviceTold {
    let id = it.id.to_string();
    let until = estimate.devices.get(&id).map_or_else(Default::default, |it| it.until_h);
    let end = open.outage.hours.get() - 1e-3;
    let (state, until) = match off_since(seen, &id, at_h) {
        Some((since, false)) => ("dropped", format!("off since {}", clock(since / 3600.0))),
        Some((since, true)) => ("lost", format!("went off at {}", clock(since / 3600.0))),
        None if until.p50 >= end => ("on", format!("beyond {}", clock(open.outage.hours.get()))),
        None if until.p50 <= at_h + 1e-3 => ("on", "at its end".to_owned()),
        None => ("on", format!("until {}", clock(until.p50))),
    };
    DeviceTold { label: it.label.clone(), state: state.to_owned(), until: until.into(), id }
}

fn drill(open: &Open, now_s: f64) -> Result<Option<DrillTold>, ApiError> {
    let Some(it) = &open.kept.drill else { return Ok(None) };
    let mut displays: BTreeMap<String, Sentence> = BTreeMap::new();
    // What no meter of its own reads, a person reads off its display.
    if open.is_open
        && let Some(hidden) = open.hidden(&open.acted())?
    {
        for reading in hidden.readings(&[now_s]).into_iter().flatten().filter(|it| it.volts.is_none()) {
            let both = [reading.percent.map(|it| Amount(it, "%")), reading.watts.map(|it| Amount(it, "W"))];
            let both: Vec<String> = both.into_iter().flatten().map(|it| it.to_string()).collect();
            displays.insert(reading.source, format!("its display shows {}", both.join(", ")).into());
        }
    }
    let hid = (!open.is_open).then(|| it.hides.told().to_owned());
    Ok(Some(DrillTold { seed: it.seed, speed: it.speed, paused: it.since_ms.is_none(), hid, displays }))
}

/// The outage as it went, with the mains back at a moment, h, and what was dropped.
fn gone_by(open: &Open, seen: &Seen, back_h: f64) -> Outage {
    let mut outage = open.outage.clone();
    let hours = (back_h + 1.0).min(outage.hours.get()).max(back_h + 0.1);
    let span =
        |from: f64, to: f64, state| MainsSpan { from_h: Figure::assumed(from), to_h: Figure::assumed(to), state };
    outage.hours = Figure::assumed(hours);
    outage.mains = vec![span(0.0, back_h.max(1e-3), MainsState::Out)];
    for it in in_acted(seen) {
        if let Some(found) = Id::new(&it).ok().and_then(|id| with_drop(open.way(), &outage, &id, 1.0)) {
            outage = found;
        }
    }
    outage
}

/// Devices that are off.
fn in_acted(seen: &Seen) -> Vec<String> {
    let mut off: Vec<String> = Vec::new();
    for it in &seen.acted {
        match &it.act {
            Act::Drop(id) | Act::Lost(id) if !off.contains(id) => off.push(id.clone()),
            Act::Restore(id) => off.retain(|it| it != id),
            _ => {}
        }
    }
    off
}

/// What to do now that the mains is back: what is looked at first, what starts when, what is charged first.
fn returning(open: &Open, estimate: &Estimate, seen: &Seen, at_h: f64) -> ReturnTold {
    let back_h = seen.acted.iter().rev().find(|it| it.act == Act::MainsBack).map_or(at_h, |it| it.at_s / 3600.0);
    // The order is that of the moment of the return: what is ticked off stays in it.
    let mut then = seen.up_to(back_h * 3600.0);
    // The clock of a drill may stand meanwhile.
    let back = then.acted.iter().rposition(|it| it.act == Act::MainsBack);
    then.acted.truncate(back.unwrap_or(then.acted.len()));
    let outage = gone_by(open, &then, back_h);
    let charge: BTreeMap<String, f64> = estimate.sources.iter().map(|(id, it)| (id.clone(), it.soc.p50)).collect();
    let order = starts(&open.plan, open.way(), &outage, &charge);
    let was = |did: Did, item: &str| {
        open.entries.iter().any(|(row, it)| {
            let after = row.at_s / 3600.0 >= back_h - 1e-3;
            !row.undone && after && it.did == Some(did) && it.item.as_deref() == Some(item)
        })
    };
    let mut steps: Vec<ReturnStep> = Vec::new();
    let off = in_acted(&then);
    let mut look: Vec<String> = order.look_first.clone();
    for id in &off {
        let deadline = open.plan.device(id).and_then(|it| it.deadline.as_ref()).filter(|it| it.then.is_some());
        let since_s = off_since(&then, id, back_h).map_or(f64::INFINITY, |it| it.0);
        let is_late = deadline.is_some_and(|it| back_h - since_s / 3600.0 >= it.minutes.get() / 60.0);
        if is_late && !look.contains(id) {
            look.push(id.clone());
        }
    }
    for id in &look {
        let harm = open.plan.device(id).and_then(|it| it.deadline.as_ref()?.consequence.clone());
        let harm = harm.map_or_else(String::new, |it| format!(" ({it})"));
        steps.push(ReturnStep {
            kind: "look".into(),
            item: id.clone(),
            text: format!("Look at {}: it was off for longer than it may be{harm}.", Name(open.plan.label(id))).into(),
            done: was(Did::Checked, id),
            waits: None,
        });
    }
    let mut start = |id: &str, text: String| {
        let waits = (look.iter().any(|it| it == id) && !was(Did::Checked, id))
            .then(|| format!("Look at {} first.", Name(open.plan.label(id))).into());
        steps.push(ReturnStep {
            kind: "start".into(),
            item: id.to_owned(),
            text: text.into(),
            done: was(Did::Started, id),
            waits,
        });
    };
    for turn in &order.turns {
        let name = Name(open.plan.label(&turn.device));
        let when = if turn.at_s < 1.0 {
            "at once".to_owned()
        } else {
            format!("{} after the first", clocked(turn.at_s / 3600.0))
        };
        let near = turn.tightest.as_ref().map_or_else(String::new, |it| format!("; {}", it.marked()));
        start(&turn.device, format!("Start {name} {when}{near}."));
    }
    for hand in order.hands.iter().filter(|it| !order.turns.iter().any(|turn| turn.device == it.device)) {
        start(&hand.device, hand.sentence.to_string());
    }
    for id in off.iter().filter(|it| {
        !order.turns.iter().any(|turn| turn.device == **it) && !order.hands.iter().any(|hand| hand.device == **it)
    }) {
        start(id, format!("Switch {} on again.", Name(open.plan.label(id))));
    }
    let mut stores: Vec<(&String, f64)> = charge.iter().map(|it| (it.0, *it.1)).collect();
    stores.sort_by(|a, b| a.1.total_cmp(&b.1));
    for (id, soc) in stores.into_iter().filter(|it| it.1 < 0.95) {
        let ask = RechargeAsk { from_soc: soc, drawn_w: 0.0, tilt_deg: 50.0 };
        let wall = recharge(&open.plan, id, &open.outage, ask).unwrap_or_default();
        let wall = wall.iter().find(|it| it.from == "wall");
        let how = wall.map_or_else(
            || "; nothing is known that charges it from the wall".to_owned(),
            |it| format!(": {}", it.sentence.marked().trim_end_matches('.')),
        );
        steps.push(ReturnStep {
            kind: "charge".into(),
            item: id.clone(),
            text: format!(
                "Charge {}, which is at {}{how}.",
                Name(open.plan.label(id)),
                Amount((soc * 100.0).round(), "%")
            )
            .into(),
            done: open.entries.iter().any(|(row, it)| {
                !row.undone
                    && it.did == Some(Did::Charge)
                    && it.item.as_ref() == Some(id)
                    && row.at_s / 3600.0 >= back_h
            }),
            waits: None,
        });
    }
    ReturnTold { sentence: order.sentence, steps, turns: order.turns }
}

/// What an open watch of the store is; for whoever watches over all of them.
pub(crate) type Slot = Arc<std::sync::Mutex<Option<Known>>>;
