//! The one door for advice: whatever is offered is carried out on a copy and judged whole, and goes
//! out only if nothing anywhere gets worse.

use super::code::{Code, Unstated};
use super::finding::Finding;
use super::judging::{Judged, VerdictOf, findings, judged, own_time};
use super::study::Study;
use super::survey::Kept;
use super::verdict::Status;
use crate::ground::say::Sentence;
use crate::site::plan::{Arrangement, Plan};
use std::collections::{BTreeMap, btree_map::Entry};

/// What a verdict is of: its kind, where it is, its unit, and which time of its own it is of, as
/// that of charging.
type Key = (Code, String, &'static str, &'static str);

/// One verdict, and what nobody stated where that alone leaves it open.
#[derive(Debug, Clone, PartialEq)]
struct Verdict {
    status: Status,
    /// Nothing where they were judged without words.
    message: Sentence,
    unstated: Option<Unstated>,
}

/// Every verdict on an arrangement: at all moments and charges, and while it is charged.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Verdicts {
    by_key: BTreeMap<Key, Verdict>,
    fed: Vec<String>,
}

impl Verdicts {
    pub(crate) fn of(plan: &Plan, way: &Arrangement) -> Self {
        Self::from(plan, way, &findings(plan, way))
    }

    /// The same without words, for what is tried and not told.
    pub(crate) fn silent(plan: &Plan, way: &Arrangement) -> Self {
        Self::judged(plan, way, judged(plan, way))
    }

    /// The same of a trial, where nothing in it is worse than `most` of it; with what a survey of
    /// that on which it is tried has kept.
    pub(super) fn within(
        (plan, way): (&Plan, &Arrangement),
        known: Option<&Kept<'_>>,
        most: impl Fn(VerdictOf<'_>) -> Status,
    ) -> Option<Self> {
        let judged = Study::of(plan, way).judged_within(known, most)?;
        Some(Self::judged(plan, way, judged))
    }

    /// The same of a trial, where nothing in it is worse than it was `before`, nor than `most` of
    /// it.
    pub(super) fn no_worse(
        trial: (&Plan, &Arrangement),
        known: Option<&Kept<'_>>,
        before: &Self,
        most: impl Fn(VerdictOf<'_>) -> Status,
    ) -> Option<Self> {
        Self::within(trial, known, |it| most(it).min(before.bears(it)))
            .filter(|it| it.worse(before, |_| None).is_none())
    }

    /// How bad a trial may be where this was before it: no worse than it was, and what is new not so
    /// that it trips.
    pub(crate) fn bears(&self, it: VerdictOf<'_>) -> Status {
        self.by_key
            .get(&(it.code, it.place.to_owned(), it.unit, it.own))
            .map_or(Status::Unproven, |it| it.status)
    }

    fn judged(plan: &Plan, way: &Arrangement, judged: Vec<Judged>) -> Self {
        let verdicts = judged.into_iter().map(|it| {
            let verdict = Verdict {
                status: it.status,
                message: String::new().into(),
                unstated: it.unstated,
            };
            ((it.code, it.place, it.unit, it.own), verdict)
        });
        Self::gathered(plan, way, verdicts)
    }

    pub(crate) fn from(plan: &Plan, way: &Arrangement, found: &[Finding]) -> Self {
        let verdicts = found.iter().map(|it| {
            let verdict = Verdict {
                status: it.status,
                message: it.message.clone(),
                unstated: it.unstated,
            };
            (key(it), verdict)
        });
        Self::gathered(plan, way, verdicts)
    }

    /// The worst of each key; the first where several are as bad.
    fn gathered(
        plan: &Plan,
        way: &Arrangement,
        verdicts: impl Iterator<Item = (Key, Verdict)>,
    ) -> Self {
        let mut by_key: BTreeMap<Key, Verdict> = BTreeMap::new();
        for (key, verdict) in verdicts {
            match by_key.entry(key) {
                Entry::Vacant(place) => {
                    place.insert(verdict);
                }
                Entry::Occupied(mut known) if verdict.status > known.get().status => {
                    known.insert(verdict);
                }
                Entry::Occupied(_) => {}
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
    (
        finding.code,
        finding.place.clone(),
        finding.unit,
        own_time(&finding.moment),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_tried_without_words_has_the_verdicts_of_the_findings() {
        let mut compared = 0;
        for text in [
            include_str!("../../../../demo/hollin-lock.plan.json"),
            include_str!("../../../../demo/weir-hut.plan.json"),
        ] {
            let mut plan = Plan::parse(text).unwrap();
            for round in 0..2 {
                for way in &plan.arrangements {
                    let (mut told, mut silent) =
                        (Verdicts::of(&plan, way), Verdicts::silent(&plan, way));
                    // What nobody stated may be told of either of two that are as bad.
                    for it in told.by_key.values_mut().chain(silent.by_key.values_mut()) {
                        (it.message, it.unstated) = (String::new().into(), None);
                    }
                    compared += told.by_key.len();
                    assert_eq!(told, silent, "{} in round {round}", way.id);
                }
                // Once more with less voltage and less room.
                for feed in plan.arrangements.iter_mut().flat_map(|it| &mut it.feeds) {
                    if let Some(cable) = &mut feed.cable {
                        cable.length_m = crate::ground::figure::Figure::assumed(60.0);
                    }
                }
            }
        }
        assert!(compared > 400, "{compared}");
    }

    /// What ends as soon as it may ends where something is worse than it may be, and only there.
    #[test]
    fn what_may_be_no_worse_ends_where_something_is() {
        let plan = Plan::parse(include_str!("../../../../demo/hollin-lock.plan.json")).unwrap();
        let (mut ended, mut whole) = (0, 0);
        for way in &plan.arrangements {
            let all = judged(&plan, way);
            for (at, it) in all.iter().enumerate() {
                for most in [Status::Holds, Status::Tight, Status::Unproven] {
                    let asked = |of: VerdictOf<'_>| {
                        if (of.code, of.place, of.unit, of.own)
                            == (it.code, it.place.as_str(), it.unit, it.own)
                        {
                            most
                        } else {
                            Status::Trips
                        }
                    };
                    let same = |other: &&Judged| {
                        (other.code, &other.place, other.unit, other.own)
                            == (it.code, &it.place, it.unit, it.own)
                    };
                    let worst = all.iter().filter(same).map(|it| it.status).max();
                    if !(at + most as usize).is_multiple_of(3) && worst <= Some(most) {
                        continue;
                    }
                    let found = Study::of(&plan, way).judged_within(None, asked);
                    if worst > Some(most) {
                        assert_eq!(found, None, "{} {}", it.code.word(), it.place);
                        ended += 1;
                    } else {
                        assert_eq!(found.as_ref(), Some(&all));
                        whole += 1;
                    }
                }
            }
        }
        assert!(ended > 50 && whole > 50, "{ended} {whole}");
    }
}
