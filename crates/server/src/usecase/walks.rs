//! Walks: the joints as core expects them, with the readings that the store keeps.

use crate::error::ApiError;
use crate::routes::bodies::{WalkQuestion, WalkReading, WalkTaken, Walking};
use crate::usecase::preview;
use ash_pond_core::walk::{Read, Walk, walk as of};
use ash_pond_store::{Store, WalkRead};

/// Highest voltage that a reading may have, V.
const MOST_V: f64 = 2000.0;

/// The walk of an arrangement as it stands.
pub(crate) fn walk(store: &Store, site: &str, question: &WalkQuestion) -> Result<Walking, ApiError> {
    let reads = store.walk_reads(site, &question.arrangement)?;
    let latest = reads.iter().map(|it| it.walk).max().unwrap_or(1);
    let walk = computed(store, site, question, &reads, latest)?;
    let taken = |it: WalkRead| WalkTaken {
        walk: it.walk,
        joint: it.joint,
        volts: it.volts,
        low_v: it.low_v,
        high_v: it.high_v,
        shows: it.shows,
        at: it.at,
    };
    Ok(Walking { walk, history: reads.into_iter().rev().map(taken).collect() })
}

/// Keeps a reading, and tells the walk with it.
pub(crate) fn reading(store: &Store, site: &str, asked: &WalkReading) -> Result<Walking, ApiError> {
    if !asked.volts.is_finite() || asked.volts.abs() > MOST_V {
        return Err(ApiError::at(
            "volts",
            format!("is {}; a reading lies between -{MOST_V} and {MOST_V} V", asked.volts),
        ));
    }
    let (arrangement, soc) = (asked.arrangement.clone(), asked.soc.clone());
    let question = &WalkQuestion { arrangement, soc, changes: Vec::new() };
    let mut reads = store.walk_reads(site, &question.arrangement)?;
    let walk = reads.iter().map(|it| it.walk).max().unwrap_or(1) + i64::from(asked.again && !reads.is_empty());
    let mut read = WalkRead {
        joint: asked.joint.clone(),
        volts: asked.volts,
        low_v: None,
        high_v: None,
        shows: String::new(),
        at: jiff::Timestamp::now().round(jiff::Unit::Second).map_or_else(|_| String::new(), |it| it.to_string()),
        walk,
    };
    reads.push(read.clone());
    let told = computed(store, site, question, &reads, walk)?;
    let Some(found) = told.joints.iter().find(|it| it.joint.key == asked.joint) else {
        let keys: Vec<&str> = told.joints.iter().map(|it| it.joint.key.as_str()).collect();
        return Err(ApiError::at("joint", format!("is \"{}\"; the joints are {}", asked.joint, keys.join(", "))));
    };
    (read.low_v, read.high_v) = (found.joint.low_v, found.joint.high_v);
    read.shows = found.judged.as_ref().map_or_else(String::new, |it| it.shows.word().to_owned());
    store.keep_walk_read(site, &question.arrangement, &read)?;
    self::walk(store, site, question)
}

/// The joints with the readings of one walk.
fn computed(
    store: &Store,
    site: &str,
    question: &WalkQuestion,
    reads: &[WalkRead],
    latest: i64,
) -> Result<Walk, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let charge = preview::charge(&plan, &question.soc)?;
    let way = preview::ways(&plan, std::slice::from_ref(&question.arrangement))?[0];
    let reads: Vec<Read> = reads
        .iter()
        .filter(|it| it.walk == latest)
        .map(|it| Read { joint: it.joint.clone(), volts: it.volts, at: it.at.clone() })
        .collect();
    Ok(of(&plan, way, &charge, &reads))
}
