//! Checking and comparing arrangements, on a saved plan or on one with changes that are not saved.

use crate::bodies::plan::{
    CheckQuestion, CheckedPlan, CompareQuestion, CrossingsQuestion, DifferenceQuestion,
    FitsQuestion, StagesQuestion,
};
use crate::error::ApiError;
use crate::usecase::preview;
use ash_pond_core::advice::compare::{self, Ask, Comparison, Crossings, Decides, Difference, Over};
use ash_pond_core::advice::fits::{Fits, Stages, can_change, can_feed, can_follow};
use ash_pond_core::limits::{checked_all, silences};
use ash_pond_core::time::life::can_be_used;
use ash_pond_store::Store;

/// What the limits say.
pub(crate) fn check(
    store: &Store,
    site: &str,
    question: &CheckQuestion,
) -> Result<CheckedPlan, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let ways = match &question.arrangements {
        Some(ids) => preview::ways(&plan, ids)?,
        None => plan.arrangements.iter().collect(),
    };
    let arrangements = checked_all(&plan, &ways);
    let unstated = silences(&plan, arrangements.iter().flat_map(|it| &it.findings));
    Ok(CheckedPlan {
        arrangements,
        unstated,
    })
}

/// Arrangements side by side.
pub(crate) fn side_by_side(
    store: &Store,
    site: &str,
    question: &CompareQuestion,
) -> Result<Comparison, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let ways = preview::ways(&plan, &question.arrangements)?;
    let charge = preview::charge(&plan, &question.soc)?;
    let outage = question.outage.as_deref().map(|id| {
        let found = plan.outages.iter().find(|it| it.id.as_str() == id);
        found.ok_or_else(|| {
            ApiError::at("outage", format!("is \"{id}\", and no outage has that id"))
        })
    });
    let outage = outage.transpose()?;
    question.uses_a_week.map_or(Ok(()), can_be_used)?;
    let told = compare::compare_used(&plan, &ways, &charge, outage, question.uses_a_week);
    told.map_err(ApiError::from)
}

/// Where two arrangements draw the same.
pub(crate) fn crossings(
    store: &Store,
    site: &str,
    question: &CrossingsQuestion,
) -> Result<Crossings, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let [one, other] = preview::ways(&plan, &question.arrangements)?[..] else {
        return Err(ApiError::at("arrangements", "names two arrangements"));
    };
    let charge = preview::charge(&plan, &question.soc)?;
    let over = Over::ALL
        .iter()
        .copied()
        .find(|it| it.word() == question.over)
        .ok_or_else(|| {
            ApiError::at(
                "over",
                format!(
                    "is \"{}\"; use load, hours, charge, length or idle",
                    question.over
                ),
            )
        })?;
    let ask = Ask {
        over,
        device: question.device.as_deref(),
        item: question.item.as_deref(),
        from: question.from,
        to: question.to,
        band: question.band,
    };
    compare::crossings(&plan, [one, other], &charge, &ask).map_err(ApiError::from)
}

/// What can be done next in an arrangement.
pub(crate) fn fits(store: &Store, site: &str, question: &FitsQuestion) -> Result<Fits, ApiError> {
    if !(question.length_m > 0.0 && question.length_m <= 10_000.0) {
        return Err(ApiError::at(
            "length_m",
            "must be above 0 and at most 10000 m",
        ));
    }
    let plan = preview::plan(store, site, &question.changes)?;
    let way = preview::ways(&plan, std::slice::from_ref(&question.arrangement))?[0];
    let length_m = question.length_m;
    match (&question.to, &question.from) {
        (Some(to), None) => can_feed(&plan, way, to, length_m).map_err(ApiError::from),
        (None, Some(it)) => {
            can_follow(&plan, way, &it.item, &it.port, length_m).map_err(ApiError::from)
        }
        _ => Err(ApiError::at(
            "to",
            "give either what is to be fed, or the port that something is to follow",
        )),
    }
}

/// What can be done at one feed.
pub(crate) fn stages(
    store: &Store,
    site: &str,
    question: &StagesQuestion,
) -> Result<Stages, ApiError> {
    if !(question.length_m > 0.0 && question.length_m <= 10_000.0) {
        return Err(ApiError::at(
            "length_m",
            "must be above 0 and at most 10000 m",
        ));
    }
    let plan = preview::plan(store, site, &question.changes)?;
    let way = preview::ways(&plan, std::slice::from_ref(&question.arrangement))?[0];
    let charge = preview::charge(&plan, &question.soc)?;
    can_change(&plan, way, &question.to, question.length_m, &charge).map_err(ApiError::from)
}

/// What changes do to an arrangement.
pub(crate) fn difference(
    store: &Store,
    site: &str,
    question: &DifferenceQuestion,
) -> Result<Difference, ApiError> {
    let before = preview::plan(store, site, &question.changes)?;
    let both: Vec<_> = question
        .changes
        .iter()
        .chain(&question.then)
        .cloned()
        .collect();
    let after = preview::plan(store, site, &both)?;
    let ids = std::slice::from_ref(&question.arrangement);
    let charge = preview::charge(&before, &question.soc)?;
    let (was, is) = (
        preview::ways(&before, ids)?[0],
        preview::ways(&after, ids)?[0],
    );
    Ok(compare::difference((&before, was), (&after, is), &charge))
}

/// What decides between arrangements.
pub(crate) fn decides(
    store: &Store,
    site: &str,
    question: &CompareQuestion,
) -> Result<Decides, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let ways = preview::ways(&plan, &question.arrangements)?;
    let charge = preview::charge(&plan, &question.soc)?;
    compare::decides(&plan, &ways, &charge).map_err(ApiError::from)
}
