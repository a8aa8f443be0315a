//! Changing what stands in a chain: a stage put in, replaced or taken out, each tried on the real
//! network first.

use super::lead::{Proposal, proposed};
use super::{bare, from, port_name, reason, unused};
use crate::advice::compare::{Difference, difference};
use crate::ground::json::{FieldError, words};
use crate::ground::say::Sentence;
use crate::limits::{Status, Verdicts};
use crate::network::Charge;
use crate::site::plan::arrangement::Target;
use crate::site::plan::{Arrangement, ConverterKind, Feed, From, Plan};
use serde::Serialize;

words!(
    /// What is done to a chain.
    How {
        /// A converter before the lead, at the port that feeds it.
        InsertFirst = "insert-first",
        /// A converter behind the lead, at what is fed.
        InsertLast = "insert-last",
        /// Another converter in the place of this one.
        Replace = "replace",
        /// Without this converter; what it fed is fed by what fed it.
        Remove = "remove",
        /// Without this feed and everything behind it.
        Cut = "cut",
    }
);

/// What can be done at one feed of a chain.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Stages {
    /// What can be done, what fits first.
    pub options: Vec<Stage>,
}

/// One thing that can be done.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Stage {
    /// What is done.
    pub how: How,
    /// It in words: "Step-up 28 V before the lead".
    pub words: Sentence,
    /// Every feed of the arrangement with it done.
    pub feeds: Vec<Feed>,
    /// Whether nothing anywhere gets worse by it.
    pub fits: bool,
    /// Whether what gets worse is tight at most, so that a person may well take it.
    pub bearable: bool,
    /// Why it does not fit.
    pub reason: Option<Sentence>,
    /// What is proposed for new leads, in words.
    pub proposes: Vec<Sentence>,
    /// What it changes; none where the labels refuse it already.
    pub difference: Option<Difference>,
}

/// What can be done at the feed into `to` (an item, or `source/input`): each converter from the
/// shelf put in before or behind its lead, and where it leads to a converter, each other one in its
/// place, none in its place, or all of it cut off. `length_m` is the length of new leads, m.
///
/// # Errors
/// Where nothing of the arrangement feeds `to`.
pub fn can_change(
    plan: &Plan,
    way: &Arrangement,
    to: &str,
    length_m: f64,
    charge: &Charge,
) -> Result<Stages, FieldError> {
    let index = way.feeds.iter().position(|it| it.to.name() == to);
    let index = index.ok_or_else(|| {
        let of = &way.label;
        let why = format!("\"{to}\" is fed by nothing in “{of}”; name what a feed leads to");
        FieldError::of("to", why)
    })?;
    let verdicts = Verdicts::of(plan, way);
    let change = Change {
        plan,
        way,
        index,
        length_m,
        charge,
        verdicts,
    };
    let shelf: Vec<&str> = plan
        .kit
        .converters
        .iter()
        .filter(|it| it.kind != ConverterKind::Junction && unused(way, it.id.as_str()))
        .map(|it| it.id.as_str())
        .collect();
    let mut options: Vec<Stage> = Vec::new();
    for one in &shelf {
        options.extend(change.inserted(one, How::InsertFirst));
        options.extend(change.inserted(one, How::InsertLast));
        options.extend(change.replaced(one));
    }
    options.extend(change.removed());
    options.push(change.cut());
    options.sort_by_key(|it| !it.fits);
    Ok(Stages { options })
}

struct Change<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    index: usize,
    length_m: f64,
    charge: &'a Charge,
    /// How everything stands as it is.
    verdicts: Verdicts,
}

impl Change<'_> {
    fn feed(&self) -> &Feed {
        &self.way.feeds[self.index]
    }

    /// Why a port cannot feed an item, by their labels.
    fn refused(&self, from: &From, to: &str) -> Option<String> {
        reason::by_label(self.plan, from, to)
            .or_else(|| reason::by_kind(self.plan, self.way, from, to))
    }

    fn label(&self, id: &str) -> String {
        self.plan.label(id).to_owned()
    }

    /// A converter between a port and what it feeds; with the first of its outputs that fits by
    /// label.
    fn inserted(&self, converter: &str, how: How) -> Option<Stage> {
        let (feed, plan) = (self.feed(), self.plan);
        let target = feed.to.item.as_str();
        let one = plan.converter(converter)?;
        let outs = one.outputs.iter().map(|it| from(&one.id, it));
        let out = outs
            .clone()
            .find(|it| reason::by_label(plan, it, target).is_none());
        let refused = self.refused(&feed.from, converter).or_else(|| match out {
            Some(_) => None,
            None => outs
                .clone()
                .next()
                .and_then(|it| reason::by_label(plan, &it, target)),
        });
        let out = out.or_else(|| outs.clone().next())?;
        let mut candidate = self.way.clone();
        let mut into = bare(plan, &feed.from, converter)?;
        let mut onward = bare(plan, &out, target)?;
        onward.to = feed.to.clone();
        onward
            .hand_switchover_minutes
            .clone_from(&feed.hand_switchover_minutes);
        let fresh = if how == How::InsertFirst {
            // The long lead stays where it is, behind the converter; a fuse stays at the port.
            onward.cable.clone_from(&feed.cable);
            self.index
        } else {
            into.cable.clone_from(&feed.cable);
            into.fuse.clone_from(&feed.fuse);
            self.index + 1
        };
        candidate
            .feeds
            .splice(self.index..=self.index, [into, onward]);
        let given = refused
            .is_none()
            .then(|| proposed(plan, &mut candidate, fresh, self.length_m));
        let refused = refused.or_else(|| given.as_ref().and_then(|it| it.refused.clone()));
        let proposes = given.map_or_else(Vec::new, |it: Proposal| it.words);
        let place = if how == How::InsertFirst {
            "before the lead"
        } else {
            "behind the lead"
        };
        Some(self.told(
            how,
            format!("{} {place}", one.label),
            candidate,
            refused,
            proposes,
        ))
    }

    /// Another converter in the place of the one that the feed leads to.
    fn replaced(&self, converter: &str) -> Option<Stage> {
        let (feed, plan) = (self.feed(), self.plan);
        let old = plan.converter(feed.to.item.as_str())?;
        let new = plan.converter(converter)?;
        let mut refused = self.refused(&feed.from, converter);
        let mut candidate = self.way.clone();
        candidate.feeds[self.index].to = Target {
            item: new.id.clone(),
            input: None,
        };
        for behind in candidate
            .feeds
            .iter_mut()
            .filter(|it| it.from.item == old.id)
        {
            let target = behind.to.item.to_string();
            let outs: Vec<From> = new.outputs.iter().map(|it| from(&new.id, it)).collect();
            let fitting = outs
                .iter()
                .find(|it| reason::by_label(plan, it, &target).is_none());
            if fitting.is_none() && refused.is_none() {
                refused = outs
                    .first()
                    .and_then(|it| reason::by_label(plan, it, &target));
            }
            let chosen = fitting.or_else(|| outs.first())?;
            let kept = bare(plan, chosen, &target)?;
            (behind.from, behind.voltage_v) = (kept.from, kept.voltage_v);
        }
        Some(self.told(
            How::Replace,
            format!("{} instead of {}", new.label, self.label(old.id.as_str())),
            candidate,
            refused,
            Vec::new(),
        ))
    }

    /// What the converter fed is fed by what fed it: each over its own lead, at the port of the
    /// converter's feed.
    fn removed(&self) -> Option<Stage> {
        let (feed, plan) = (self.feed(), self.plan);
        let old = plan.converter(feed.to.item.as_str())?;
        let mut refused = None;
        let mut candidate = self.way.clone();
        for behind in candidate
            .feeds
            .iter_mut()
            .filter(|it| it.from.item == old.id)
        {
            let target = behind.to.item.to_string();
            refused = refused.or_else(|| self.refused(&feed.from, &target));
            let kept = bare(plan, &feed.from, &target)?;
            (behind.from, behind.voltage_v) = (kept.from, kept.voltage_v);
            if behind.fuse.is_none() {
                behind.fuse.clone_from(&feed.fuse);
            }
        }
        candidate.feeds.remove(self.index);
        Some(self.told(
            How::Remove,
            format!(
                "without {}, from {}, {}",
                old.label,
                self.label(feed.from.item.as_str()),
                port_name(plan, &feed.from)
            ),
            candidate,
            refused,
            Vec::new(),
        ))
    }

    /// The feed taken out with everything that only it feeds.
    fn cut(&self) -> Stage {
        let mut gone = vec![self.index];
        loop {
            let behind = |it: &Feed| {
                gone.iter().any(|index| {
                    self.way.feeds[*index].to.item == it.from.item
                        && self.way.feeds[*index].to.input.is_none()
                })
            };
            let more = self
                .way
                .feeds
                .iter()
                .enumerate()
                .find(|(index, it)| !gone.contains(index) && behind(it));
            match more {
                Some((index, _)) => gone.push(index),
                None => break,
            }
        }
        let mut candidate = self.way.clone();
        candidate.feeds = (0..self.way.feeds.len())
            .filter(|it| !gone.contains(it))
            .map(|it| self.way.feeds[it].clone())
            .collect();
        let behind = if gone.len() > 1 {
            " and all behind it"
        } else {
            ""
        };
        let words = format!(
            "no feed into {}{behind}",
            self.label(self.feed().to.item.as_str())
        );
        self.told(How::Cut, words, candidate, None, Vec::new())
    }

    fn told(
        &self,
        how: How,
        words: String,
        candidate: Arrangement,
        refused: Option<String>,
        proposes: Vec<String>,
    ) -> Stage {
        let difference = refused
            .is_none()
            .then(|| difference((self.plan, self.way), (self.plan, &candidate), self.charge));
        let target = self.feed().to.name();
        // The lead that stays before a stage at its end leads to that stage now.
        let moved = |place: &str| {
            (how == How::InsertLast && self.way.feed_into(place).is_none()).then(|| target.clone())
        };
        let after = Verdicts::of(self.plan, &candidate);
        let worse = after.worse(&self.verdicts, moved);
        // Who cuts something off means to.
        let worse = if how == How::Cut { None } else { worse };
        let bearable = refused.is_none() && worse.as_ref().is_none_or(|it| it.0 <= Status::Tight);
        let reason = refused.map(Sentence::from).or_else(|| worse.map(|it| it.1));
        let proposes = proposes.into_iter().map(Into::into).collect();
        Stage {
            how,
            words: words.into(),
            feeds: candidate.feeds,
            fits: reason.is_none(),
            bearable,
            reason,
            proposes,
            difference,
        }
    }
}
