//! Watches go on without a page: meters are read, gaps are told, drills have their meters, and an
//! outage that a meter sees begins by itself.

use crate::bodies::live::LiveMeter;
use crate::bodies::watch::BeginsBy;
use crate::bodies::watch::{Did, EntryAsked, WatchAsked, WatchKind};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::watches::{self, Faced, Kept, KeptEntry, Open, locked, prefix};
use ash_pond_core::keeping::watch::Reading;
use ash_pond_core::site::entry::Around;
use ash_pond_stand_ins::face::{self, Face, Shown};
use ash_pond_store::readings::Sample;
use ash_pond_store::{MeterRow, WatchRow};
use serde_json::json;
use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::{Duration, Instant};
use tokio::net::TcpListener;
use tokio::task::JoinHandle;
use tokio::time::{MissedTickBehavior, interval};

/// Everything is looked after so often.
const EVERY: Duration = Duration::from_secs(1);
/// Windows are told of new readings so often, in an outage and in a drill.
const TOLD_EVERY: [Duration; 2] = [Duration::from_secs(5), Duration::from_millis(900)];
/// That somebody watches is noted so often, ms.
const NOTED_EVERY_MS: i64 = 20_000;
/// After so long without it, nobody watched, ms.
const GAP_MS: i64 = 90_000;
/// A drill goes on for so long after the last device went off, h.
const OVER_H: f64 = 0.5;
/// Readings that may not be written yet.
const MOST_WAITING: usize = 600;
/// A meter must say so often in a row that the mains is gone, or back.
const IN_A_ROW: u32 = 3;

/// The task that keeps watch. It ends when this is dropped.
pub struct Keeper(JoinHandle<()>);

impl Drop for Keeper {
    fn drop(&mut self) {
        self.0.abort();
    }
}

impl Keeper {
    /// Begins to keep watch.
    pub fn begin(state: &AppState) -> Self {
        Self(tokio::spawn(keep(state.clone())))
    }
}

async fn keep(state: AppState) {
    let mut tick = interval(EVERY);
    tick.set_missed_tick_behavior(MissedTickBehavior::Delay);
    loop {
        tick.tick().await;
        let store = state.store.clone();
        let Ok(open) = tokio::task::spawn_blocking(move || store.open_watches()).await else {
            return;
        };
        let open = match open {
            Ok(open) => open,
            Err(error) => {
                tracing::error!("watches cannot be read: {error}");
                continue;
            }
        };
        let is_open = |key: &(String, i64)| {
            open.iter()
                .any(|(site, row)| *site == key.0 && row.number == key.1)
        };
        locked(&state.watching.mems).retain(|key, _| is_open(key));
        for (site, row) in &open {
            if let Err(why) = tend(&state, site, row).await {
                tracing::warn!("watch {} of {site}: {why}", row.number);
            }
        }
        if let Err(why) = by_itself(&state, &open).await {
            tracing::warn!("whether the mains is there: {why}");
        }
    }
}

async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ApiError> + Send + 'static,
) -> Result<T, String> {
    let done = tokio::task::spawn_blocking(work)
        .await
        .map_err(|error| error.to_string())?;
    done.map_err(|error| format!("{error:?}"))
}

async fn tend(state: &AppState, site: &str, row: &WatchRow) -> Result<(), String> {
    let now_ms = crate::clock::now().as_millisecond();
    let kept = Kept::of(row, site).map_err(|error| format!("{error:?}"))?;
    let now_s = kept.now_s(now_ms);
    let silent_ms = now_ms - row.heard_ms;
    if !(0..=NOTED_EVERY_MS).contains(&silent_ms) {
        let (store, at, number, began) = (
            state.store.clone(),
            site.to_owned(),
            row.number,
            kept.began_ms,
        );
        let is_gap = silent_ms > GAP_MS && kept.kind == WatchKind::Outage;
        let heard_ms = row.heard_ms;
        blocking(move || {
            if is_gap {
                let gap_from_s = Some(((heard_ms - began) as f64 / 1000.0).max(0.0));
                store.add_to_watch(
                    &at,
                    number,
                    &[(
                        now_s,
                        json!(KeptEntry {
                            gap_from_s,
                            ..KeptEntry::default()
                        }),
                    )],
                )?;
            }
            Ok(store.heard(&at, number, now_ms)?)
        })
        .await?;
    }
    let (live, rows) = if kept.kind == WatchKind::Drill {
        show(state, site, row.number, &kept, now_s).await?;
        let faces = state.watching.with(site, row.number, |it| {
            it.faces
                .iter()
                .map(|it| (it.row.clone(), it.source.clone()))
                .collect::<Vec<_>>()
        });
        (&state.watching.drills, faces)
    } else {
        let store = state.store.clone();
        let all = blocking(move || Ok(store.meters()?)).await?;
        let own = all
            .into_iter()
            .filter_map(|it| kept.meters.get(&it.id).cloned().map(|source| (it, source)));
        (&state.live, own.collect())
    };
    let is_drill = kept.kind == WatchKind::Drill;
    let ask = async |row: &MeterRow| {
        if is_drill {
            live.anew(row).await
        } else {
            live.one(row).await
        }
    };
    let shown = futures::future::join_all(rows.iter().map(|(row, _)| ask(row))).await;
    let mut readings = Vec::new();
    let mut trouble = BTreeMap::new();
    for (meter, (_, source)) in shown.iter().zip(&rows) {
        match (&meter.trouble, reading(meter, source, now_s)) {
            (None, Some(it)) => readings.push(it),
            (Some(why), _) => {
                drop(trouble.insert(source.clone(), format!("{}: {why}", meter.label)));
            }
            (None, None) => {
                drop(trouble.insert(source.clone(), format!("{} shows nothing", meter.label)));
            }
        }
    }
    let is_new = state.watching.with(site, row.number, |it| {
        it.heard.trouble = trouble;
        // The clock of a drill may stand.
        if now_s - it.sampled_s < 0.5 && it.sampled_s > 0.0 {
            return false;
        }
        it.sampled_s = now_s;
        it.heard.waiting.extend(readings.iter().cloned());
        let excess = it.heard.waiting.len().saturating_sub(MOST_WAITING);
        it.heard.waiting.drain(..excess);
        true
    });
    if is_new {
        let samples = readings
            .iter()
            .flat_map(|it| samples(site, row.number, &kept, it))
            .collect();
        state.live.recording.put(samples);
    }
    let every = TOLD_EVERY[usize::from(kept.kind == WatchKind::Drill)];
    let tells = state.watching.with(site, row.number, |it| {
        let due = it.told.is_none_or(|told| told.elapsed() >= every);
        if due {
            it.told = Some(Instant::now());
        }
        due
    });
    if tells {
        state.events.tell_watch(site, row.number);
    }
    Ok(())
}

/// What a meter shows, as a reading of a source; none where it shows nothing of it.
fn reading(meter: &LiveMeter, source: &str, at_s: f64) -> Option<Reading> {
    let of = |unit: &str| {
        meter
            .values
            .iter()
            .find(|it| it.unit == unit && it.side != "out")
            .and_then(|it| it.value)
    };
    let reading = Reading {
        at_s,
        source: source.to_owned(),
        volts: of("V"),
        amps: of("A"),
        watts: of("W"),
        percent: of("%"),
    };
    (reading.volts.is_some() || reading.amps.is_some() || reading.percent.is_some())
        .then_some(reading)
}

fn samples(site: &str, number: i64, kept: &Kept, it: &Reading) -> Vec<Sample> {
    #[expect(
        clippy::cast_possible_truncation,
        reason = "an outage lasts a year at most"
    )]
    let at_ms = kept.began_ms + (it.at_s * 1000.0) as i64;
    let meter = format!("{}{}", prefix(site, number), it.source);
    let all = [
        ("volts", "V", it.volts),
        ("amperes", "A", it.amps),
        ("watts", "W", it.watts),
        ("charge", "%", it.percent),
    ];
    all.into_iter()
        .filter_map(|(name, unit, value)| {
            Some(Sample {
                meter: meter.clone(),
                name: name.into(),
                unit: unit.into(),
                at_ms,
                value: value?,
            })
        })
        .collect()
}

/// Has the meters of a drill show what is true in its world.
async fn show(
    state: &AppState,
    site: &str,
    number: i64,
    kept: &Kept,
    now_s: f64,
) -> Result<(), String> {
    let (store, at) = (state.store.clone(), site.to_owned());
    let shown = blocking(move || {
        let open = Open::read(&store, &at, number)?;
        let hidden = open.hidden(&open.acted())?;
        let metered: Vec<String> = open
            .stores()
            .into_iter()
            .filter(|id| {
                open.plan
                    .source(id)
                    .and_then(|it| it.battery.as_ref()?.capacity_ah.as_ref())
                    .is_some()
            })
            .collect();
        // Where nothing is on any more there is nothing to practise.
        let all_h = hidden
            .as_ref()
            .map_or(0.0, |it| it.until_h().values().copied().fold(0.0, f64::max));
        if now_s / 3600.0 >= all_h + OVER_H || now_s >= open.outage.hours.get() * 3600.0 {
            watches::end(&store, &at, number)?;
        }
        let readings = hidden.map(|it| it.readings(&[now_s])).unwrap_or_default();
        Ok((
            metered,
            readings.into_iter().flatten().collect::<Vec<Reading>>(),
        ))
    });
    let (metered, readings) = shown.await?;
    let is_there = state.watching.with(site, number, |it| !it.faces.is_empty());
    if !is_there {
        let mut faces = Vec::new();
        for (place, source) in metered.into_iter().enumerate() {
            // As in life not all of them are of one kind: at every other store hangs a bench meter,
            // which counts nothing.
            let is_bench = place % 2 == 1;
            let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0))
                .await
                .map_err(|it| it.to_string())?;
            let address = listener
                .local_addr()
                .map_err(|it| it.to_string())?
                .to_string();
            let face = Face::default();
            let own = face.clone();
            let task = tokio::spawn(async move {
                let served = if is_bench {
                    face::serve_bench(listener, own).await
                } else {
                    face::serve(listener, own).await
                };
                if let Err(error) = served {
                    tracing::debug!("a meter of a drill ended: {error}");
                }
            });
            let row = MeterRow {
                id: format!("{site}/{number}/{source}"),
                label: if is_bench {
                    "The bench meter"
                } else {
                    "The battery monitor"
                }
                .into(),
                speaks: if is_bench { "scpi" } else { "modbus" }.into(),
                address,
                records: false,
            };
            faces.push(Faced {
                source,
                face,
                row,
                task,
            });
        }
        state.watching.with(site, number, |it| it.faces = faces);
    }
    let celsius = kept.happening["ambient_c"].as_f64().unwrap_or(12.0);
    state.watching.with(site, number, |it| {
        for faced in &it.faces {
            let read = readings.iter().find(|it| it.source == faced.source);
            faced.face.show(read.and_then(|it| {
                Some(Shown {
                    volts: it.volts?,
                    amps: it.amps?,
                    percent: it.percent?,
                    celsius,
                })
            }));
        }
    });
    Ok(())
}

/// Begins a watch where a meter says that the mains is gone, and tells one that it is back.
async fn by_itself(state: &AppState, open: &[(String, WatchRow)]) -> Result<(), String> {
    let store = state.store.clone();
    let chosen = blocking(move || {
        let all = store.settings_below(BeginsBy::STEM)?;
        let all = all
            .into_iter()
            .map(|(site, body)| Ok((site.clone(), BeginsBy::read(&BeginsBy::name(&site), body)?)));
        Ok((all.collect::<Result<Vec<_>, ApiError>>()?, store.meters()?))
    });
    let (chosen, meters) = chosen.await?;
    for (site, by) in chosen {
        let Some(row) = meters.iter().find(|it| it.id == by.meter) else {
            continue;
        };
        let shown = state.live.one(row).await;
        let Some(volts) = shown
            .values
            .iter()
            .find(|it| it.name == by.value)
            .and_then(|it| it.value)
        else {
            continue;
        };
        let is_gone = volts < by.below_v;
        let times = {
            let mut says = locked(&state.watching.says);
            let it = says.entry(site.clone()).or_insert((is_gone, 0));
            *it = if it.0 == is_gone {
                (is_gone, it.1.saturating_add(1))
            } else {
                (is_gone, 1)
            };
            it.1
        };
        if times != IN_A_ROW {
            continue;
        }
        let own = open.iter().find(|it| it.0 == site);
        let label = shown.label.chars().take(30).collect::<String>();
        match (is_gone, own) {
            (true, None) => {
                let asked = WatchAsked {
                    arrangement: by.arrangement.clone(),
                    outage: by.outage.clone(),
                    starts: BTreeMap::new(),
                    meters: BTreeMap::new(),
                    by: Some(label),
                    drill: None,
                };
                let (store, at) = (state.store.clone(), site.clone());
                let number = blocking(move || watches::begin(&store, &at, &asked)).await?;
                state.events.tell_watch(&site, number);
            }
            (_, Some((_, row)))
                if Kept::of(row, &site).is_ok_and(|it| it.kind == WatchKind::Outage) =>
            {
                let did = if is_gone {
                    Did::MainsGone
                } else {
                    Did::MainsBack
                };
                let asked = EntryAsked {
                    reading: None,
                    did: Some(did),
                    item: None,
                    outlet: None,
                    watts: None,
                    text: None,
                    sure: true,
                    by: Some(label),
                    at_s: None,
                };
                let (store, watching, at, number) = (
                    state.store.clone(),
                    state.watching.clone(),
                    site.clone(),
                    row.number,
                );
                // That it is so already is no trouble.
                let _ = blocking(move || {
                    watches::enter(&store, &watching, (&at, number), &asked, Around::default())
                })
                .await;
                state.events.tell_watch(&site, row.number);
            }
            _ => {}
        }
    }
    Ok(())
}
