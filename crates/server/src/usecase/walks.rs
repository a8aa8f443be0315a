//! Walks: the joints as core expects them, with the readings that the store keeps.

use crate::bodies::plan::{WalkQuestion, WalkReading, WalkTaken, Walking};
use crate::error::ApiError;
use crate::usecase::preview;
use crate::usecase::tests::now;
use ash_pond_core::bench::walk::{Read, Walk, walk as of};
use ash_pond_store::{MOST_TOLD, Store, WalkRead};

/// Highest voltage that a reading may have, V.
const MOST_V: f64 = 2000.0;

/// The walk of an arrangement as it stands.
pub(crate) fn walk(
    store: &Store,
    site: &str,
    question: &WalkQuestion,
) -> Result<Walking, ApiError> {
    let (_, reads) = store.latest_walk(site, &question.arrangement)?;
    let walk = computed(store, site, question, &reads)?;
    let history = store.walk_history(site, &question.arrangement, question.before)?;
    let earlier = if history.len() == MOST_TOLD as usize {
        history.last().map(|it| it.id)
    } else {
        None
    };
    Ok(Walking {
        walk,
        history: history.into_iter().map(taken).collect(),
        earlier,
    })
}

fn taken(it: WalkRead) -> WalkTaken {
    WalkTaken {
        walk: it.walk,
        joint: it.joint,
        volts: it.volts,
        low_v: it.low_v,
        high_v: it.high_v,
        shows: it.shows,
        at: it.at,
    }
}

/// Keeps a reading, and tells the walk with it.
pub(crate) fn reading(
    store: &Store,
    site: &str,
    asked: &WalkReading,
) -> Result<(Walking, i64), ApiError> {
    if !asked.volts.is_finite() || asked.volts.abs() > MOST_V {
        return Err(ApiError::at(
            "volts",
            format!(
                "is {}; a reading lies between -{MOST_V} and {MOST_V} V",
                asked.volts
            ),
        ));
    }
    let (arrangement, soc) = (asked.arrangement.clone(), asked.soc.clone());
    let question = &WalkQuestion {
        arrangement,
        soc,
        before: None,
        changes: Vec::new(),
    };
    let revision = store.keep_walk_read::<ApiError>(
        site,
        &question.arrangement,
        asked.again,
        |walk, mut reads| {
            let mut read = WalkRead {
                id: 0,
                joint: asked.joint.clone(),
                volts: asked.volts,
                low_v: None,
                high_v: None,
                shows: String::new(),
                at: now(),
                walk,
            };
            reads.push(read.clone());
            let told = computed(store, site, question, &reads)?;
            let Some(found) = told.joints.iter().find(|it| it.joint.key == asked.joint) else {
                let keys: Vec<&str> = told.joints.iter().map(|it| it.joint.key.as_str()).collect();
                return Err(ApiError::at(
                    "joint",
                    format!("is \"{}\"; the joints are {}", asked.joint, keys.join(", ")),
                ));
            };
            (read.low_v, read.high_v) = (found.joint.low_v, found.joint.high_v);
            read.shows = found
                .judged
                .as_ref()
                .map_or_else(String::new, |it| it.shows.word().to_owned());
            Ok(read)
        },
    )?;
    Ok((self::walk(store, site, question)?, revision))
}

/// The joints with the readings of one walk.
fn computed(
    store: &Store,
    site: &str,
    question: &WalkQuestion,
    reads: &[WalkRead],
) -> Result<Walk, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let charge = preview::charge(&plan, &question.soc)?;
    let way = preview::ways(&plan, std::slice::from_ref(&question.arrangement))?[0];
    let reads: Vec<Read> = reads
        .iter()
        .map(|it| Read {
            joint: it.joint.clone(),
            volts: it.volts,
            at: it.at.clone(),
        })
        .collect();
    Ok(of(&plan, way, &charge, &reads))
}
