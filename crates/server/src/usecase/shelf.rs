//! The shelf: what runs what, and the smallest that would do.

use crate::bodies::shelf::{
    CandidatesQuestion, FindQuestion, RunsQuestion, SmallestQuestion, WinsQuestion, apart_of,
    shelf_of,
};
use crate::error::ApiError;
use crate::usecase::answers::{Answer, Answers};
use crate::usecase::preview;
use ash_pond_core::advice::shelf::{
    self, CandidatesAsk, FindAsk, LeadSize, Progress, RunsAsk, Smallest, SmallestAsk, WinsAsk,
};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::Store;
use std::sync::Arc;

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
    answers.answer(&plan, "runs", question, || {
        shelf::runs(&plan, &ask).map_err(ApiError::from)
    })
}

/// The smallest that would do.
pub(crate) fn least(
    store: &Store,
    site: &str,
    question: &SmallestQuestion,
) -> Result<Smallest, ApiError> {
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
    shelf::smallest(&plan, &ask).map_err(ApiError::from)
}

/// Which chains run some devices for so long.
pub(crate) fn finder(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &FindQuestion,
) -> Result<Answer, ApiError> {
    let ready = finder_ready(store, site, question)?;
    finder_watched(&ready, answers, &Progress::default())
}

/// A question for the finder that can be asked.
pub(crate) struct ReadyToFind {
    plan: Arc<Plan>,
    ask: FindAsk,
    question: FindQuestion,
}

/// The same question made ready, and looked at.
pub(crate) fn finder_ready(
    store: &Store,
    site: &str,
    question: &FindQuestion,
) -> Result<ReadyToFind, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let day = question.day.as_deref().map(|it| {
        it.parse().map_err(|_| {
            ApiError::at(
                "day",
                format!("is \"{it}\"; write a date such as 2026-12-21"),
            )
        })
    });
    let ask = FindAsk {
        devices: question.devices.clone(),
        outage: question.outage.clone(),
        day: day.transpose()?,
        spend: question.spend,
        weight_kg: question.weight_kg,
        shelf: shelf_of(question.shelf.as_deref())?,
        prices: question.prices.clone(),
        proven_only: question.proven_only,
        front: question.front,
        parts: question.parts,
        counts: question.counts.clone(),
        leads: question
            .leads
            .iter()
            .map(|it| LeadSize {
                area_mm2: it.area_mm2,
                price_m: it.price_m,
            })
            .collect(),
        no_mains: question.no_mains.clone(),
        by_hand: question.by_hand,
        sources: question.sources.clone(),
        ..FindAsk::of(&[], question.hours)
    };
    shelf::can_find(&plan, &ask)?;
    Ok(ReadyToFind {
        plan,
        ask,
        question: question.clone(),
    })
}

/// What it comes to, with word of how far it is.
pub(crate) fn finder_watched(
    ready: &ReadyToFind,
    answers: &Answers,
    progress: &Progress,
) -> Result<Answer, ApiError> {
    answers.answer(&ready.plan, "find", &ready.question, || {
        shelf::find_watched(&ready.plan, &ready.ask, Some(progress)).map_err(ApiError::from)
    })
}

/// What single purchases and changes win.
pub(crate) fn winning(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &WinsQuestion,
) -> Result<Answer, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let find = FindAsk {
        devices: question.devices.clone(),
        outage: question.outage.clone(),
        spend: question.spend,
        weight_kg: question.weight_kg,
        shelf: shelf_of(question.shelf.as_deref())?,
        prices: question.prices.clone(),
        ..FindAsk::of(&[], 1.0)
    };
    let ask = WinsAsk {
        find,
        arrangement: question.arrangement.clone(),
    };
    answers.answer(&plan, "wins", question, || {
        shelf::wins(&plan, &ask).map_err(ApiError::from)
    })
}

/// Candidates side by side.
pub(crate) fn side_by_side(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &CandidatesQuestion,
) -> Result<Answer, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    if let Some(hours) = question.hours.filter(|it| it.is_nan() || *it <= 0.0) {
        return Err(ApiError::at(
            "hours",
            format!("is {hours}; one use is longer than nothing"),
        ));
    }
    let find = FindAsk {
        devices: question.devices.clone(),
        outage: question.outage.clone(),
        shelf: shelf_of(question.shelf.as_deref())?,
        prices: question.prices.clone(),
        no_mains: question.no_mains.clone(),
        sources: question.sources.clone(),
        ..FindAsk::of(&[], question.hours.unwrap_or(0.0))
    };
    let ask = CandidatesAsk {
        find,
        of: apart_of(question.of.as_deref())?,
        items: question.items.clone(),
        uses_a_week: question.uses_a_week,
        years: question.years.unwrap_or(10.0),
    };
    answers.answer(&plan, "candidates", question, || {
        shelf::candidates(&plan, &ask).map_err(ApiError::from)
    })
}
