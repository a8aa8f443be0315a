//! What the log says of a watch: that it began, how long it went on, and what it told of each
//! battery.

use super::open::{Kept, Open};
use crate::bodies::watch::WatchKind;
use crate::error::ApiError;
use ash_pond_core::ground::say::{Measured, Sentence};
use ash_pond_core::keeping::watch::estimate;
use ash_pond_core::time::outage::clocked;
use ash_pond_store::{NewEntry, Store};
use serde_json::json;

/// A swing that is smaller is none.
const LEAST_DEPTH: f64 = 0.02;

/// Writes into the log what a watch is now; once it has ended, what it told of each battery as
/// well.
pub(super) fn log(store: &Store, site: &str, number: i64) -> Result<(), ApiError> {
    let row = store.watch(site, number)?;
    let kept = Kept::of(&row, site)?;
    let (kind, what) = match kept.kind {
        WatchKind::Outage => ("watch", "An outage"),
        WatchKind::Drill => ("drill", "A drill"),
        WatchKind::Past => ("watch", "An outage of the past"),
    };
    // One of the past stands where it happened.
    let at_ms = match kept.kind {
        WatchKind::Past => {
            let plan = ash_pond_core::site::plan::Plan::from_kept(&kept.plan, |_| false)?;
            crate::usecase::log::moment_ms(&plan, &kept.start).unwrap_or(kept.began_ms)
        }
        _ => kept.began_ms,
    };
    let long = kept
        .ended_s
        .map(|it| clocked(it / 3600.0).plain().into_owned());
    let words = match (&long, kept.kind) {
        (Some(long), WatchKind::Past) => format!(
            "{what}, {}, was brought in: {long} from {}",
            kept.label, kept.start
        ),
        (Some(long), _) => format!("{what}, {}, was watched for {long}", kept.label),
        (None, _) => format!("{what}, {}, is being watched", kept.label),
    };
    let mut body = json!({ "watch": number });
    if let Some(by) = &kept.by {
        body["by"] = json!(by);
    }
    let entry = NewEntry {
        at_ms,
        kind: kind.into(),
        item: String::new(),
        words,
        body,
        origin: format!("watch/{number}"),
    };
    store.tell_log(site, &entry)?;
    if row.is_open || kept.kind == WatchKind::Drill {
        return Ok(());
    }
    of_batteries(store, site, number, at_ms)
}

/// What an outage told of each battery: how deep it went, and what it seems to hold.
fn of_batteries(store: &Store, site: &str, number: i64, at_ms: i64) -> Result<(), ApiError> {
    let open = Open::read(store, site, number)?;
    let now_h = open.kept.now_s(crate::clock::now().as_millisecond()) / 3600.0;
    let seen = open.seen(store)?;
    if seen.readings.is_empty() {
        return Ok(());
    }
    // Nothing that can be reckoned is told of, and the outage stands in the log all the same.
    let Ok(found) = estimate(&open.plan, open.way(), &open.outage, &seen, now_h, 1) else {
        return Ok(());
    };
    for (id, now) in &found.sources {
        let start = seen.starts.get(id).map_or(1.0, |it| it.soc);
        let depth = start - now.soc.p50;
        if depth < LEAST_DEPTH {
            continue;
        }
        let is_capacity = |path: &str| path == "battery.capacity_ah" || path == "battery.energy_wh";
        let learned = found
            .learned
            .iter()
            .find(|it| it.figure.id == *id && is_capacity(&it.figure.path));
        let label = open.plan.label(id);
        let mut words = format!("{label} went down by {:.0} % in the outage", depth * 100.0);
        let mut body = json!({ "watch": number, "depth": depth });
        if let Some(it) = learned {
            let [value, half] = it.to;
            let holds = Sentence::from(Measured(value, half, it.figure.unit).to_string())
                .plain()
                .into_owned();
            words += &format!(", and seems to hold {holds}");
            body["holds"] = json!(value);
            body["plus_minus"] = json!(half);
        }
        let entry = NewEntry {
            at_ms,
            kind: "watch".into(),
            item: id.clone(),
            words,
            body,
            origin: format!("watch/{number}/{id}"),
        };
        store.tell_log(site, &entry)?;
    }
    Ok(())
}
