//! The shelf: what runs what, and the smallest that would do.

use crate::error::ApiError;
use crate::routes::shelf::{FindQuestion, RunsQuestion, SmallestQuestion};
use crate::usecase::answers::{Answer, Answers};
use crate::usecase::preview;
use ash_pond_core::shelf::{self, FindAsk, RunsAsk, Smallest, SmallestAsk};
use ash_pond_store::Store;

/// What runs what.
pub(crate) fn what_runs(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &RunsQuestion,
) -> Result<Answer, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let ask = RunsAsk {
        devices: question.devices.clone(),
        ports: question.ports.clone(),
        together: question.together.clone(),
        outage: question.outage.clone(),
        length_m: question.length_m.unwrap_or(RunsAsk::default().length_m),
    };
    answers.answer(&plan, "runs", question, || shelf::runs(&plan, &ask).map_err(|it| ApiError::at(it.field, it.why)))
}

/// The smallest that would do.
pub(crate) fn least(store: &Store, site: &str, question: &SmallestQuestion) -> Result<Smallest, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let ask = SmallestAsk {
        what: question.kind()?,
        item: question.item.clone(),
        arrangement: question.arrangement.clone(),
        outage: question.outage.clone(),
        hours: question.hours,
        devices: question.devices.clone(),
        chance: question.chance,
        seed: question.seed.unwrap_or(1),
    };
    shelf::smallest(&plan, &ask).map_err(|it| ApiError::at(it.field, it.why))
}

/// Which chains run some devices for so long.
pub(crate) fn finder(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &FindQuestion,
) -> Result<Answer, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let ask = FindAsk {
        devices: question.devices.clone(),
        outage: question.outage.clone(),
        spend: question.spend,
        weight_kg: question.weight_kg,
        shelf: question.shelf()?,
        prices: question.prices.clone(),
        proven_only: question.proven_only,
        front: question.front,
        ..FindAsk::of(&[], question.hours)
    };
    answers.answer(&plan, "find", question, || shelf::find(&plan, &ask).map_err(|it| ApiError::at(it.field, it.why)))
}
