//! The one door for advice: whatever is offered is carried out on a copy and judged whole, and goes
//! out only if nothing anywhere gets worse.

use super::code::{Code, Unstated};
use super::finding::Finding;
use super::judging::findings;
use super::verdict::Status;
use crate::plan::{Arrangement, Plan};
use crate::say::Sentence;
use std::collections::BTreeMap;

/// What a verdict is of: its kind, where it is, its unit, and which time of its own it is of, as
/// that of charging.
type Key = (Code, String, &'static str, &'static str);

/// One verdict, and what nobody stated where that alone leaves it open.
#[derive(Debug, Clone)]
struct Verdict {
    status: Status,
    message: Sentence,
    unstated: Option<Unstated>,
}

/// Every verdict on an arrangement: at all moments and charges, and while it is charged.
#[derive(Debug, Clone)]
pub(crate) struct Verdicts {
    by_key: BTreeMap<Key, Verdict>,
    fed: Vec<String>,
}

impl Verdicts {
    pub(crate) fn of(plan: &Plan, way: &Arrangement) -> Self {
        Self::from(plan, way, &findings(plan, way))
    }

    pub(crate) fn from(plan: &Plan, way: &Arrangement, found: &[Finding]) -> Self {
        let mut by_key: BTreeMap<Key, Verdict> = BTreeMap::new();
        for it in found {
            let verdict = Verdict {
                status: it.status,
                message: it.message.clone(),
                unstated: it.unstated,
            };
            let known = by_key.entry(key(it)).or_insert_with(|| verdict.clone());
            if verdict.status > known.status {
                *known = verdict;
            }
        }
        // A stage may be taken out; a device or a store that was fed must stay so.
        let ends = way
            .feeds
            .iter()
            .filter(|it| plan.converter(it.to.item.as_str()).is_none());
        Self {
            by_key,
            fed: ends.map(|it| it.to.name()).collect(),
        }
    }

    /// The status of what a finding is of; it holds where nothing is said of it.
    pub(crate) fn status(&self, finding: &Finding) -> Status {
        self.by_key
            .get(&key(finding))
            .map_or(Status::Holds, |it| it.status)
    }

    /// What is worse here than it was `before`, the worst first: a verdict, or something that is
    /// not fed any more. What is new here is worse where it trips. `moved` names what something was
    /// called before, where it has got another name.
    pub(crate) fn worse<'a>(
        &'a self,
        before: &'a Self,
        moved: impl Fn(&str) -> Option<String>,
    ) -> Option<(Status, Sentence)> {
        if let Some(gone) = before.fed.iter().find(|it| !self.fed.contains(it)) {
            return Some((Status::Trips, format!("{gone} is not fed any more").into()));
        }
        let worse = self.by_key.iter().filter(|(key, now)| {
            let was = before.by_key.get(*key).or_else(|| {
                let name = moved(&key.1)?;
                before.by_key.get(&(key.0, name, key.2, key.3))
            });
            match was {
                Some(was) => now.status > was.status,
                None => now.status == Status::Trips,
            }
        });
        worse
            .map(|(_, now)| (now.status, now.message.clone()))
            .max_by_key(|it| it.0)
    }

    /// The worst verdict of a kind at a place.
    pub(crate) fn of_code(&self, code: Code, place: &str) -> Status {
        let own = self
            .by_key
            .iter()
            .filter(|it| it.0.0 == code && it.0.1 == place);
        own.map(|it| it.1.status).max().unwrap_or(Status::Holds)
    }

    /// The worst verdict of some kinds among some places; `of` is asked with the kind, the place,
    /// and what nobody stated.
    pub(crate) fn worst_of(&self, of: impl Fn(Code, &str, Option<Unstated>) -> bool) -> Status {
        let some = self
            .by_key
            .iter()
            .filter(|(key, it)| of(key.0, &key.1, it.unstated));
        some.map(|it| it.1.status).max().unwrap_or(Status::Holds)
    }
}

fn key(finding: &Finding) -> Key {
    let own = ["charging", "engine-running", "cranking"]
        .into_iter()
        .find(|it| *it == finding.moment);
    (
        finding.code,
        finding.place.clone(),
        finding.unit,
        own.unwrap_or_default(),
    )
}
