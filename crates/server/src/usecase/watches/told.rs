//! A watch at one moment, for whoever looks at it.

use super::held::{Heard, Known, Watching};
use super::open::{Open, is_back};
use super::returning::returning;
use crate::bodies::watch::{DeviceTold, Did, DrillTold, StoreTold, WatchTold};
use crate::error::ApiError;
use ash_pond_core::ground::say::{Amount, Name, Sentence};
use ash_pond_core::keeping::watch::{
    Estimate, Outlets, Reading, Seen, Standing, WorthReading, by_the_clock, in_order, left,
    not_counted, not_plugged, off_since, outlet_label, words,
};
use ash_pond_core::site::plan::Arrangement;
use ash_pond_core::time::outage::{clocked, ticks_of};
use ash_pond_store::Store;
use std::collections::BTreeMap;

/// What is known is found anew after so long, s of the watch.
const ANEW_S: f64 = 900.0;

/// A watch at this moment.
pub(crate) fn told(
    store: &Store,
    watching: &Watching,
    site: &str,
    number: i64,
) -> Result<WatchTold, ApiError> {
    let open = Open::read(store, site, number)?;
    let now_s = open.kept.now_s(crate::clock::now().as_millisecond());
    let at_h = now_s / 3600.0;
    let heard = watching.heard(site, number);
    let mut seen = open.seen(store)?;
    // What was read lately waits to be written; it counts at once.
    let last = seen.readings.last().map_or(-1.0, |it| it.at_s);
    seen.readings.extend(
        heard
            .iter()
            .flat_map(|it| it.waiting.iter().filter(|it| it.at_s > last).cloned()),
    );
    seen.readings.sort_by(|a, b| a.at_s.total_cmp(&b.at_s));
    let (estimate, worth) = known(watching, &open, &seen, at_h)?;
    let said = words(&open.plan, &open.outage, &seen, &estimate);
    let clock = |h: f64| by_the_clock(&open.plan, &open.outage, at_h, h);
    let horizon = horizon(&open, &estimate, &said.headline.device);
    let mut entries = super::entries::all(&open, at_h)?;
    let entry_count = entries.len();
    entries.truncate(super::entries::MOST_TOLD);
    let stores = stores(&open, &seen, &estimate, heard.as_ref(), at_h);
    let now = open.now();
    let devices = in_order(&open.plan, &estimate)
        .into_iter()
        .map(|it| device((&open, &now), &seen, &estimate, it, at_h, &clock));
    let mains_back = is_back(&seen.acted);
    let worth_words = worth.as_ref().map(|it| {
        let unit = it.what();
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
        since: if mains_back {
            format!("the mains is back · {}", clock(at_h)).into()
        } else {
            since.into()
        },
        open: open.is_open,
        mains_back,
        headline: said.headline,
        coming: said.coming,
        drops: said.drops,
        deadlines: said.deadlines,
        stores,
        devices: devices.collect(),
        entries,
        entry_count,
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
pub(super) fn known(
    watching: &Watching,
    open: &Open,
    seen: &Seen,
    at_h: f64,
) -> Result<(Estimate, Option<WorthReading>), ApiError> {
    let at_s = at_h * 3600.0;
    let slot = watching.known(&open.site, open.number);
    let mut slot = slot
        .lock()
        .unwrap_or_else(std::sync::PoisonError::into_inner);
    if let Some(it) = slot.as_ref() {
        let later: Vec<Reading> = seen
            .readings
            .iter()
            .filter(|reading| reading.at_s > it.at_s && reading.at_s <= at_s)
            .cloned()
            .collect();
        let fresh = it.is_fresh(open, at_s);
        if let Some(found) = fresh.then(|| it.standing.moved_by(&later, at_h)).flatten() {
            return Ok((found, None));
        }
    }
    let it = slot.insert(Known::of(open, seen, at_h)?);
    Ok((it.standing.told().clone(), it.standing.worth_reading()))
}

impl Known {
    fn of(open: &Open, seen: &Seen, at_h: f64) -> Result<Self, ApiError> {
        let standing = Standing::at(&open.plan, open.way(), &open.outage, seen, at_h, 1);
        let standing =
            standing.map_err(|it| ApiError::at("", format!("what is known {}", it.message)))?;
        let at_s = at_h * 3600.0;
        Ok(Self {
            fingerprint: open.fingerprint(at_s),
            at_s,
            standing,
        })
    }

    /// Whether nothing was done since, and it is not long ago.
    fn is_fresh(&self, open: &Open, at_s: f64) -> bool {
        self.fingerprint == open.fingerprint(self.at_s)
            && at_s >= self.at_s
            && at_s < self.at_s + ANEW_S
    }
}

/// Where a device of a watch can be plugged over now, and what each outlet would bring.
pub(crate) fn outlets(
    store: &Store,
    watching: &Watching,
    site: &str,
    number: i64,
    device: &str,
) -> Result<Outlets, ApiError> {
    let open = Open::read(store, site, number)?;
    let at_h = open.kept.now_s(crate::clock::now().as_millisecond()) / 3600.0;
    let seen = open.seen(store)?;
    let slot = watching.known(site, number);
    let mut slot = slot
        .lock()
        .unwrap_or_else(std::sync::PoisonError::into_inner);
    let known = slot.take().filter(|it| it.is_fresh(&open, at_h * 3600.0));
    let known = slot.insert(known.map_or_else(|| Known::of(&open, &seen, at_h), Ok)?);
    let found = known
        .standing
        .outlets(&open.plan, open.way(), &open.outage, &seen, device);
    Ok(found?)
}

/// How far the picture looks ahead, h.
fn horizon(open: &Open, estimate: &Estimate, device: &str) -> f64 {
    let hours = open.outage.hours.get();
    let end = estimate
        .devices
        .get(device)
        .map_or(hours, |it| it.until_h.p95);
    (end * 1.15).max(estimate.at_h + 3.0).min(hours)
}

fn notes(open: &Open) -> Vec<Sentence> {
    let mut notes: Vec<Sentence> = Vec::new();
    let planned = open
        .plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == open.kept.outage);
    notes.extend(planned.map(not_counted).unwrap_or_default());
    if open.as_it_was {
        notes.push(
            "The arrangement was removed from the plan; this goes on with it as it was.".into(),
        );
    } else if open.plan_revision != open.kept.plan_revision {
        notes
            .push("The plan was changed since this began; it is counted with as it is now.".into());
    }
    notes.extend(does_not_count(open));
    notes
}

/// What was read and done before the plan was changed, and has nothing there any more to count for.
fn does_not_count(open: &Open) -> Vec<Sentence> {
    let stores = open.stores();
    let mut gone: Vec<&str> = Vec::new();
    for (_, it) in open.entries.iter().filter(|it| !it.0.undone) {
        let item = match (it.did, it.source.as_deref(), it.item.as_deref()) {
            (None, Some(source), _) => {
                Some(source).filter(|it| !stores.iter().any(|store| store == it))
            }
            (Some(Did::Charge), _, Some(item)) => {
                Some(item).filter(|it| !stores.iter().any(|store| store == it))
            }
            (
                Some(Did::Drop | Did::Restore | Did::Started | Did::Over | Did::Lost),
                _,
                Some(item),
            ) => Some(item).filter(|it| open.way().feed_into(it).is_none()),
            _ => None,
        };
        gone.extend(item.filter(|it| !gone.contains(it)));
    }
    let gone = gone.into_iter().map(|it| {
        format!(
            "{} has no part in the arrangement any more: what was read and done with it does not \
            count.",
            Name(open.plan.label(it))
        )
    });
    let missed = not_plugged(&open.plan, open.way(), &open.acted())
        .into_iter()
        .map(|(device, port, why)| {
            format!(
                "{} was plugged over to {}, which does not count as the plan is now: it {why}.",
                Name(open.plan.label(&device)),
                Name(&outlet_label(&open.plan, &port))
            )
        });
    gone.chain(missed).map(Into::into).collect()
}

fn stores(
    open: &Open,
    seen: &Seen,
    estimate: &Estimate,
    heard: Option<&Heard>,
    at_h: f64,
) -> Vec<StoreTold> {
    let one = |id: String| {
        let label = open.plan.label(&id).to_owned();
        let charge = estimate.sources.get(&id).map_or_else(String::new, |it| {
            let half = (it.soc.p95 - it.soc.p5) / 2.0 * 100.0;
            Amount((it.soc.p50 * 100.0).round(), "%").to_string()
                + &if half >= 1.0 {
                    format!(" ± {}", Amount(half.round(), "%"))
                } else {
                    String::new()
                }
        });
        let own = || seen.readings.iter().filter(|it| it.source == id);
        let read = own().next_back().map_or_else(
            || "Nothing was read of it yet.".to_owned(),
            |it| {
                let amount =
                    |value: Option<f64>, unit: &str| value.map(|it| Amount(it, unit).to_string());
                let all = [
                    amount(it.percent, "%"),
                    amount(it.volts, "V"),
                    amount(it.amps, "A"),
                    amount(it.watts, "W"),
                ];
                let all: Vec<String> = all.into_iter().flatten().collect();
                format!(
                    "read {} {} ago",
                    all.join(", "),
                    clocked((at_h - it.at_s / 3600.0).max(0.0))
                )
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

/// Where a device hangs that was plugged over; nothing of one that hangs where it did.
fn hangs(open: &Open, now: &Arrangement, id: &str) -> String {
    left(now, open.way(), id).map_or_else(String::new, |it| {
        format!(", on {}", Name(&outlet_label(&open.plan, &it)))
    })
}

fn device(
    (open, now): (&Open, &Arrangement),
    seen: &Seen,
    estimate: &Estimate,
    it: &ash_pond_core::site::plan::Device,
    at_h: f64,
    clock: &dyn Fn(f64) -> Sentence,
) -> DeviceTold {
    let id = it.id.to_string();
    let until = estimate
        .devices
        .get(&id)
        .map_or_else(Default::default, |it| it.until_h);
    let end = open.outage.hours.get() - 1e-3;
    let (state, until) = match off_since(seen, &id, at_h) {
        Some((since, false)) => ("dropped", format!("off since {}", clock(since / 3600.0))),
        Some((since, true)) => ("lost", format!("went off at {}", clock(since / 3600.0))),
        None if until.p50 >= end => (
            "on",
            format!(
                "beyond {}{}",
                clock(open.outage.hours.get()),
                hangs(open, now, &id)
            ),
        ),
        None if until.p50 <= at_h + 1e-3 => ("on", "at its end".to_owned()),
        None => (
            "on",
            format!("until {}{}", clock(until.p50), hangs(open, now, &id)),
        ),
    };
    DeviceTold {
        label: it.label.clone(),
        state: state.to_owned(),
        until: until.into(),
        id,
    }
}

fn drill(open: &Open, now_s: f64) -> Result<Option<DrillTold>, ApiError> {
    let Some(it) = &open.kept.drill else {
        return Ok(None);
    };
    let mut displays: BTreeMap<String, Sentence> = BTreeMap::new();
    // What no meter of its own reads, a person reads off its display.
    if open.is_open
        && let Some(hidden) = open.hidden(&open.acted())?
    {
        for reading in hidden
            .readings(&[now_s])
            .into_iter()
            .flatten()
            .filter(|it| it.volts.is_none())
        {
            let both = [
                reading.percent.map(|it| Amount(it, "%")),
                reading.watts.map(|it| Amount(it, "W")),
            ];
            let both: Vec<String> = both
                .into_iter()
                .flatten()
                .map(|it| it.to_string())
                .collect();
            displays.insert(
                reading.source,
                format!("its display shows {}", both.join(", ")).into(),
            );
        }
    }
    let hid = (!open.is_open).then(|| it.hides.told().to_owned());
    Ok(Some(DrillTold {
        seed: it.seed,
        speed: it.speed,
        paused: it.since_ms.is_none(),
        hid,
        displays,
    }))
}
