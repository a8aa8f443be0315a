//! A watch as it is kept, and with all that is known of it.

use crate::bodies::watch::{Did, StartAsked, WatchKind};
use crate::error::ApiError;
use ash_pond_core::ground::json::{FromJson, Path};
use ash_pond_core::keeping::watch::{
    Act, Acted, Hidden, Hides, Reading, Seen, Start, ever_hung, outlet, plugged,
};
use ash_pond_core::site::plan::{Arrangement, Outage, Plan};
use ash_pond_store::{Store, StoreError, WatchEntry, WatchRow};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::collections::BTreeMap;
use std::collections::hash_map::DefaultHasher;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

/// How well the charge at the beginning is known where nobody says, as a share.
const PLUS_MINUS: f64 = 0.05;
/// Readings of a meter that an estimate takes at most.
const MOST_READ: u32 = 500;

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
    /// The outlet to which it was plugged over, as `item/port`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outlet: Option<String>,
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
            ApiError::from(StoreError::unreadable(
                "watches",
                format!("{} of {site}", row.number),
                error.to_string(),
            ))
        };
        serde_json::from_value(row.body.clone()).map_err(unreadable)
    }

    pub(super) fn value(&self) -> Value {
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
        hours
            .as_f64()
            .or_else(|| hours["value"].as_f64())
            .unwrap_or(24.0)
    }
}

/// A watch with all that is known of it.
pub(crate) struct Open {
    pub(crate) site: String,
    pub(crate) number: i64,
    pub(crate) kept: Kept,
    pub(crate) is_open: bool,
    pub(crate) plan: Arc<Plan>,
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
        let plan = if as_it_was {
            Arc::new(Plan::from_value(&kept.plan)?)
        } else {
            saved.plan
        };
        let outage = Outage::from_json(&kept.happening, &Path::Root)?;
        let entries = store.watch_entries(site, number)?.into_iter().map(|it| {
            let body = serde_json::from_value(it.body.clone()).map_err(|error| {
                let row = format!("{} of watch {number} of {site}", it.number);
                ApiError::from(StoreError::unreadable(
                    "watch_entries",
                    row,
                    error.to_string(),
                ))
            })?;
            Ok((it, body))
        });
        let entries = entries.collect::<Result<_, ApiError>>()?;
        let (site, is_open, plan_revision) = (site.to_owned(), row.is_open, saved.revision);
        Ok(Self {
            site,
            number,
            kept,
            is_open,
            plan,
            plan_revision,
            as_it_was,
            outage,
            entries,
        })
    }

    pub(crate) fn way(&self) -> &Arrangement {
        self.plan
            .arrangement(&self.kept.arrangement)
            .unwrap_or(&self.plan.arrangements[0])
    }

    /// What was done, in the order of time.
    pub(crate) fn acted(&self) -> Vec<Acted> {
        let known =
            |id: &Option<String>| id.clone().filter(|id| self.way().feed_into(id).is_some());
        let act = |it: &KeptEntry| {
            Some(match it.did? {
                Did::Drop => Act::Drop(known(&it.item)?),
                Did::Restore | Did::Started => Act::Restore(known(&it.item)?),
                Did::Over => Act::Over(known(&it.item)?, outlet(it.outlet.as_deref()?)?),
                Did::Lost => Act::Lost(known(&it.item)?),
                Did::MainsBack => Act::MainsBack,
                Did::MainsGone => Act::MainsGone,
                Did::Charge => Act::Charge(it.item.clone()?, it.watts.unwrap_or_default()),
                Did::Checked | Did::Refuelled | Did::Note => return None,
            })
        };
        let counted = self.entries.iter().filter(|it| !it.0.undone);
        counted
            .filter_map(|(row, it)| {
                Some(Acted {
                    at_s: row.at_s,
                    act: act(it)?,
                })
            })
            .collect()
    }

    /// What the charge of each store was taken to be at the beginning.
    fn starts(&self) -> BTreeMap<String, Start> {
        let one = |it: &StartAsked| Start {
            soc: it.soc,
            plus_minus: it.plus_minus.unwrap_or(PLUS_MINUS),
        };
        self.kept
            .starts
            .iter()
            .map(|(id, it)| (id.clone(), one(it)))
            .collect()
    }

    /// What is known beside the plan: what meters showed, what people read, what was done.
    pub(crate) fn seen(&self, store: &Store) -> Result<Seen, ApiError> {
        let starts = self.starts();
        let mut readings: Vec<Reading> = Vec::new();
        let stores = self.stores();
        for (row, it) in self.entries.iter().filter(|it| !it.0.undone) {
            if let Some(source) = it.source.as_ref().filter(|it| stores.contains(it)) {
                let (volts, amps, watts, percent) = (it.volts, it.amps, it.watts, it.percent);
                readings.push(Reading {
                    at_s: row.at_s,
                    source: source.clone(),
                    volts,
                    amps,
                    watts,
                    percent,
                });
            }
        }
        let began = self.kept.began_ms;
        for series in store
            .series()?
            .into_iter()
            .filter(|it| it.meter.starts_with(&prefix(&self.site, self.number)))
        {
            let source = series.meter[prefix(&self.site, self.number).len()..].to_owned();
            if !stores.contains(&source) {
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
        Ok(Seen {
            starts,
            readings,
            acted: self.acted(),
        })
    }

    /// Where everything hangs now.
    pub(super) fn now(&self) -> Arrangement {
        plugged(&self.plan, self.way(), &self.acted())
    }

    pub(super) fn is_store(&self, id: &str) -> bool {
        self.stores().iter().any(|it| it == id)
    }

    /// The stores that have or had a part in it.
    pub(crate) fn stores(&self) -> Vec<String> {
        let ever = ever_hung(&self.plan, self.way(), &self.acted());
        let used = |id: &str| {
            ever.feeds
                .iter()
                .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
        };
        let all = self
            .plan
            .kit
            .sources
            .iter()
            .filter(|it| it.battery.is_some() && used(it.id.as_str()));
        all.map(|it| it.id.to_string()).collect()
    }

    /// The hidden world of a drill, with what was done in it.
    pub(crate) fn hidden(&self, acted: &[Acted]) -> Result<Option<Hidden>, ApiError> {
        let Some(drill) = &self.kept.drill else {
            return Ok(None);
        };
        let starts = self.starts();
        // The world is that of the plan as it was when it began.
        let plan = Plan::from_value(&self.kept.plan)?;
        let way = plan
            .arrangement(&self.kept.arrangement)
            .unwrap_or(&plan.arrangements[0]);
        let hidden = Hidden::of(
            &plan,
            way,
            &self.outage,
            &starts,
            (drill.hides, drill.seed),
            acted,
        );
        hidden
            .map(Some)
            .map_err(|it| ApiError::at("drill", it.message))
    }

    /// What an estimate hangs on beside readings that are later than it.
    pub(super) fn fingerprint(&self, to_s: f64) -> u64 {
        let mut hasher = DefaultHasher::new();
        (self.plan_revision, self.as_it_was).hash(&mut hasher);
        for (row, it) in &self.entries {
            // A note changes nothing, and a reading that is later than it moves it.
            let says_nothing = it.gap_from_s.is_some()
                || matches!(it.did, Some(Did::Note | Did::Checked | Did::Refuelled));
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

pub(super) fn is_back(acted: &[Acted]) -> bool {
    let last = acted
        .iter()
        .rev()
        .find(|it| matches!(it.act, Act::MainsBack | Act::MainsGone));
    last.is_some_and(|it| it.act == Act::MainsBack)
}
