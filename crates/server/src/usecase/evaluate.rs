//! Answering what flows, on a saved plan or on one with changes that are not saved.

use crate::bodies::plan::{Question, WorkingQuestion};
use crate::error::ApiError;
use crate::usecase::preview;
use ash_pond_core::network::{Charge, Moment, evaluate as flow};
use ash_pond_core::site::plan::{Arrangement, Plan};
use ash_pond_core::site::sum::Working;
use ash_pond_core::telling::answer::{Answer, answer};
use ash_pond_core::telling::working::{Sums, working as of_key};
use ash_pond_core::time::day::day;
use ash_pond_store::Store;
use std::sync::Arc;

/// The answer to a question.
pub(crate) fn evaluate(store: &Store, site: &str, question: &Question) -> Result<Answer, ApiError> {
    let asked = Asked::of(store, site, question)?;
    let ways = asked.ways(question)?;
    answer(&asked.plan, &ways, &asked.moment, &asked.charge).map_err(ApiError::from)
}

/// The working of one number of an answer.
pub(crate) fn working(
    store: &Store,
    site: &str,
    asked: &WorkingQuestion,
) -> Result<Working, ApiError> {
    let question = &asked.question;
    let (key, asked) = (&asked.key, Asked::of(store, site, question)?);
    let [way] = asked.ways(question)?[..] else {
        return Err(ApiError::at(
            "question.arrangements",
            "must name exactly one arrangement",
        ));
    };
    let flow = flow(&asked.plan, way, &asked.moment, &asked.charge)
        .map_err(|it| ApiError::at("question.moment", it.message))?;
    let day = day(&asked.plan, way, &asked.charge);
    let sums = Sums {
        plan: &asked.plan,
        arrangement: way,
        flow: &flow,
        day: &day,
    };
    of_key(&sums, key)
        .ok_or_else(|| ApiError::missing(format!("no number here is called \"{key}\"")))
}

/// A question with its plan.
struct Asked {
    plan: Arc<Plan>,
    moment: Moment,
    charge: Charge,
}

impl Asked {
    fn of(store: &Store, site: &str, question: &Question) -> Result<Self, ApiError> {
        let plan = preview::plan(store, site, &question.changes)?;
        let moment = question.moment.as_deref().unwrap_or("running");
        let moment = moment.parse()?;
        let charge = preview::charge(&plan, &question.soc)?;
        Ok(Self {
            plan,
            moment,
            charge,
        })
    }

    fn ways(&self, question: &Question) -> Result<Vec<&Arrangement>, ApiError> {
        preview::ways(&self.plan, &question.arrangements)
    }
}
