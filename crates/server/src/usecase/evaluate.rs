//! Answering what flows, on a saved plan or on one with changes that are not saved.

use crate::error::ApiError;
use crate::routes::bodies::{Question, Unsaved, WorkingQuestion};
use ash_pond_core::answer::{Answer, answer};
use ash_pond_core::day::day;
use ash_pond_core::network::{Charge, Moment, evaluate as flow};
use ash_pond_core::plan::{Arrangement, Plan};
use ash_pond_core::working::{Sums, Working, working as of_key};
use ash_pond_store::element::{Element, put_together};
use ash_pond_store::{Kind, Store};

/// The answer to a question.
pub(crate) fn evaluate(store: &Store, site: &str, question: &Question) -> Result<Answer, ApiError> {
    let asked = Asked::of(store, site, question)?;
    let ways = asked.ways(question)?;
    answer(&asked.plan, &ways, &asked.moment, &asked.charge).map_err(|why| ApiError::at("moment", why))
}

/// The working of one number of an answer.
pub(crate) fn working(store: &Store, site: &str, asked: &WorkingQuestion) -> Result<Working, ApiError> {
    let question = &asked.question;
    let (key, asked) = (&asked.key, Asked::of(store, site, question)?);
    let [way] = asked.ways(question)?[..] else {
        return Err(ApiError::at("question.arrangements", "must name exactly one arrangement"));
    };
    let flow =
        flow(&asked.plan, way, &asked.moment, &asked.charge).map_err(|why| ApiError::at("question.moment", why))?;
    let day = day(&asked.plan, way, &asked.charge);
    let sums = Sums { plan: &asked.plan, arrangement: way, flow: &flow, day: &day };
    of_key(&sums, key).ok_or_else(|| ApiError::missing(format!("no number here is called \"{key}\"")))
}

/// A question with its plan.
struct Asked {
    plan: Plan,
    moment: Moment,
    charge: Charge,
}

impl Asked {
    fn of(store: &Store, site: &str, question: &Question) -> Result<Self, ApiError> {
        let saved = store.plan(site)?;
        let plan =
            if question.changes.is_empty() { saved.plan } else { with_changes(saved.elements, &question.changes)? };
        let moment = question.moment.as_deref().unwrap_or("running");
        let moment = Moment::parse(moment).map_err(|why| ApiError::at("moment", why))?;
        let mut charge = Charge::full();
        for (source, soc) in &question.soc {
            if plan.source(source).is_none_or(|it| it.battery.is_none()) {
                return Err(ApiError::at(&format!("soc.{source}"), "names no source with a battery"));
            }
            if !(0.0..=1.0).contains(soc) {
                return Err(ApiError::at(&format!("soc.{source}"), format!("is {soc}; a charge lies between 0 and 1")));
            }
            charge = charge.with(source, *soc);
        }
        Ok(Self { plan, moment, charge })
    }

    fn ways(&self, question: &Question) -> Result<Vec<&Arrangement>, ApiError> {
        let known = |(index, id): (usize, &String)| {
            let path = format!("arrangements[{index}]");
            self.plan
                .arrangement(id)
                .ok_or_else(|| ApiError::at(&path, format!("is \"{id}\", and no arrangement has that id")))
        };
        question.arrangements.iter().enumerate().map(known).collect()
    }
}

/// The plan that a site would have with changes.
fn with_changes(mut elements: Vec<Element>, changes: &[Unsaved]) -> Result<Plan, ApiError> {
    for (index, change) in changes.iter().enumerate() {
        let kind = Kind::parse(&change.kind).ok_or_else(|| {
            ApiError::at(&format!("changes[{index}].kind"), format!("is \"{}\"; there is no such kind", change.kind))
        })?;
        let place = elements.iter().position(|it| it.kind == kind && it.id == change.id);
        match (place, change.body.is_null()) {
            (Some(place), true) => drop(elements.remove(place)),
            (Some(place), false) => elements[place].body = change.body.clone(),
            (None, true) => {}
            (None, false) => {
                let (id, body) = (change.id.clone(), change.body.clone());
                elements.push(Element { kind, id, position: i64::MAX, revision: 0, body });
            }
        }
    }
    Ok(put_together(&elements)?)
}
