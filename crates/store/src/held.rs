//! Plans as they were read, held in memory.

use crate::element::{Anew, Element, Kind};
use crate::error::StoreError;
use ash_pond_core::site::plan::{Comes, Plan};
use serde_json::Value;
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

/// Plans that are held in memory at most.
const MOST_PLANS: usize = 8;

/// Plans that are held in memory, by site, and how often another database took the place of the one
/// that they were read of.
pub(crate) type Plans = (u64, HashMap<String, Revised>);

/// A plan with the revisions of its elements. Whoever asks shares it with all others, so that
/// telling it costs nothing.
#[derive(Debug, Clone, PartialEq)]
pub struct Revised {
    /// The plan.
    pub plan: Arc<Plan>,
    /// The site's counter of changes.
    pub revision: i64,
    /// The elements, sorted by kind and place.
    pub elements: Arc<Vec<Arc<Element>>>,
}

/// An element of a plan that would be: of which kind, its id, and its body where it takes the place
/// of what is there.
pub(crate) type Would<'a> = (Kind, &'a str, Option<&'a Value>);

impl Revised {
    /// What was read as a whole.
    pub(crate) fn read(plan: Plan, revision: i64, elements: Vec<Element>) -> Self {
        Self {
            plan: Arc::new(plan),
            revision,
            elements: Arc::new(elements.into_iter().map(Arc::new).collect()),
        }
    }

    /// The plan with some elements written anew or taken away (no body), one after another; what is
    /// new comes last of its kind. Only those are read, and the plan is checked as a whole.
    ///
    /// # Errors
    /// Where core refuses the plan.
    pub fn with(
        &self,
        changes: &[(Kind, &str, Option<&Value>)],
        anew: Anew,
    ) -> Result<Plan, StoreError> {
        let mut rows: Vec<Would<'_>> = self
            .elements
            .iter()
            .map(|it| (it.kind, it.id.as_str(), None))
            .collect();
        for change @ (kind, id, body) in changes {
            match (
                rows.iter().position(|it| it.0 == *kind && it.1 == *id),
                body,
            ) {
                (Some(place), None) => drop(rows.remove(place)),
                (Some(place), Some(_)) => rows[place] = *change,
                (None, None) => {}
                (None, Some(_)) => rows.push(*change),
            }
        }
        self.rewritten(&changes.iter().map(|it| it.0).collect(), &rows, anew)
    }

    /// The plan that `rows` would make, in the order of each kind; lists of other kinds than
    /// `kinds` are as they were.
    pub(crate) fn rewritten<'a>(
        &self,
        kinds: &BTreeSet<Kind>,
        rows: &[Would<'a>],
        anew: Anew,
    ) -> Result<Plan, StoreError> {
        Ok(self.plan.rewritten(|kind| {
            let of_kind = self.elements.iter().filter(|it| it.kind == kind);
            let was: HashMap<&str, usize> = of_kind
                .enumerate()
                .map(|(at, it)| (it.id.as_str(), at))
                .collect();
            let comes = |(_, id, body): &Would<'a>| match (*body, anew) {
                (None, _) => Comes::Stays(was.get(id).copied().unwrap_or(usize::MAX)),
                (Some(body), Anew::Written) => Comes::Written(body),
                (Some(body), Anew::Kept) => Comes::Kept(body),
            };
            kinds
                .contains(&kind)
                .then(|| rows.iter().filter(|it| it.0 == kind).map(comes).collect())
        })?)
    }
}

/// Holds a plan in memory as the site has it, where the database is still the one that it was read
/// of.
pub(crate) fn hold(plans: &mut Plans, generation: u64, site: &str, read: &Revised) {
    if plans.0 != generation {
        return;
    }
    if plans.1.len() >= MOST_PLANS && !plans.1.contains_key(site) {
        plans.1.clear();
    }
    plans.1.insert(site.to_owned(), read.clone());
}
