//! Everything that the limits of an arrangement say, worst first.

use super::bound::Bound;
use super::code::{Code, Unstated};
use super::fact::Fact;
use super::facts::facts;
use super::finding::{Elsewhere, Finding};
use super::gauge::Gauge;
use super::plugs::USB_C;
use super::rules::Rules;
use super::sentences::{self, is_medical};
use super::study::Study;
use super::survey::{CHARGES, Kept, Seen, Shown, charge_named, survey, survey_within};
use super::verdict::Status;
use super::words::MEDICAL;
use crate::ground::work;
use crate::network::Moment;
use crate::site::plan::{Arrangement, Device, Plan, StartsOn};
use crate::site::sum::{Term, Working, place};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};

/// Everything that the limits of an arrangement say, worst first, then by what matters most.
///
/// A device that starts on another arrangement is judged there while it starts.
pub fn findings(plan: &Plan, arrangement: &Arrangement) -> Vec<Finding> {
    findings_of(plan, arrangement, |_, _| true)
}

/// Of [`findings`] only those of some codes and verdicts, in their order: the words of the others,
/// which take most of the time, are not written.
pub(crate) fn findings_of(
    plan: &Plan,
    arrangement: &Arrangement,
    keep: impl Fn(Code, Status) -> bool + Copy,
) -> Vec<Finding> {
    found(&Study::of(plan, arrangement), None, keep)
}

impl Study<'_> {
    /// See [`findings`]; what a survey of this has kept is not looked at again.
    pub(crate) fn findings(&self, known: Option<&Kept<'_>>) -> Vec<Finding> {
        found(self, known, |_, _| true)
    }
}

fn found(
    study: &Study<'_>,
    known: Option<&Kept<'_>>,
    keep: impl Fn(Code, Status) -> bool + Copy,
) -> Vec<Finding> {
    let (plan, arrangement) = (study.plan, study.way);
    let mut list = surveyed(study, known, keep);
    let full = charge_of(plan, arrangement, 0);
    let facts = facts(study)
        .into_iter()
        .filter(|it| keep(it.code, it.status));
    list.extend(facts.map(|it| of_fact(plan, &full, it)));
    for start in &arrangement.starts_on {
        elsewhere(plan, start, &mut list, keep);
    }
    let life = lives(plan, arrangement);
    for it in &mut list {
        it.arrangement = arrangement.id.to_string();
        // What a life hangs on inherits its caution, with the one that it has.
        if it.status != Status::Holds && life.contains(&it.place) {
            let own = it.caution.take();
            it.caution = Some(
                own.map_or_else(|| MEDICAL.to_owned(), |own| format!("{MEDICAL} {own}"))
                    .into(),
            );
        }
    }
    // A limit without a value to speak of (an open window, a lead that stands, sound contacts) is
    // no news.
    list.retain(|it| is_news(it.code, it.status));
    place(plan, list.iter_mut().map(|it| &mut it.working));
    sorted(plan, arrangement, list)
}

/// What [`findings`] says of an arrangement without its words, in no order.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Judged {
    pub(crate) code: Code,
    pub(crate) status: Status,
    /// The item, feed or `item/port` that it is at.
    pub(crate) place: String,
    pub(crate) value: f64,
    pub(crate) limit: f64,
    pub(crate) unit: &'static str,
    /// How far the value is on the good side of the limit, in the unit.
    pub(crate) margin: f64,
    /// What nobody stated, where that alone leaves it open.
    pub(crate) unstated: Option<Unstated>,
    /// Which time of its own that is of, as [`own_time`] has it.
    pub(crate) own: &'static str,
}

impl Judged {
    fn is_news(&self) -> bool {
        is_news(self.code, self.status)
    }
}

fn is_news(code: Code, status: Status) -> bool {
    status != Status::Holds || !matches!(code, Code::Collapse | Code::IdleDraw | Code::Contacts)
}

/// Which time of its own a moment is, by its name, whose verdicts stand beside those of all others:
/// `charging`, `engine-running`, `cranking`, or nothing.
pub(crate) fn own_time(moment: &str) -> &'static str {
    moment.parse().map_or("", |it| own_of(&it))
}

fn own_of(moment: &Moment) -> &'static str {
    match moment {
        Moment::Charging => "charging",
        Moment::EngineRunning => "engine-running",
        Moment::Cranking => "cranking",
        _ => "",
    }
}

/// Judges an arrangement by the same code as [`findings`], for who only wants to know how it is.
pub(crate) fn judged(plan: &Plan, arrangement: &Arrangement) -> Vec<Judged> {
    Study::of(plan, arrangement).judged(None)
}

impl Study<'_> {
    /// See [`judged`]. What an island says is what its arrangement says of it: the islands of one
    /// without starts elsewhere say together what it says. What a survey of something alike has
    /// kept is not looked at again.
    pub(crate) fn judged(&self, known: Option<&Kept<'_>>) -> Vec<Judged> {
        self.judged_within(known, |_| Status::Trips)
            .unwrap_or_default()
    }
}

/// What a verdict will be of, before it is known.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct VerdictOf<'a> {
    pub(crate) code: Code,
    /// The item, feed or `item/port` that it will be at.
    pub(crate) place: &'a str,
    pub(crate) unit: &'static str,
    /// Which time of its own it will be of, as [`own_time`] has it.
    pub(crate) own: &'static str,
    /// What may alone leave it open.
    pub(crate) unstated: Option<Unstated>,
}

impl<'a> VerdictOf<'a> {
    fn of(it: &'a Judged) -> Self {
        Self {
            code: it.code,
            place: &it.place,
            unit: it.unit,
            own: it.own,
            unstated: it.unstated,
        }
    }
}

impl Study<'_> {
    /// Judges as [`judged`] does, for who does not want to know more as soon as anything is worse
    /// than `most` of it: none then, after a small part of the work.
    pub(crate) fn judged_within(
        &self,
        known: Option<&Kept<'_>>,
        most: impl Fn(VerdictOf<'_>) -> Status,
    ) -> Option<Vec<Judged>> {
        judged_as(self, known, most)
    }
}

fn judged_as(
    study: &Study<'_>,
    known: Option<&Kept<'_>>,
    most: impl Fn(VerdictOf<'_>) -> Status,
) -> Option<Vec<Judged>> {
    let allowed = |it: &Judged| it.status <= most(VerdictOf::of(it));
    if !study.way.starts_on.is_empty() {
        let of = |it: Finding| Judged {
            own: own_time(&it.moment),
            code: it.code,
            status: it.status,
            place: it.place,
            value: it.value,
            limit: it.limit,
            unit: it.unit,
            margin: it.margin,
            unstated: it.unstated,
        };
        let found: Vec<Judged> = study.findings(known).into_iter().map(of).collect();
        return found.iter().all(allowed).then_some(found);
    }
    let mut found: Vec<Judged> = facts(study)
        .into_iter()
        .map(|it| Judged {
            own: own_of(&it.moment),
            code: it.code,
            status: it.status,
            margin: margin_of(&it),
            place: it.place,
            value: it.value,
            limit: it.limit,
            unit: it.unit,
            unstated: it.unstated,
        })
        .collect();
    if !found.iter().all(allowed) {
        return None;
    }
    let most_of = |it: &Gauge| {
        most(VerdictOf {
            code: it.code,
            place: &it.place,
            unit: it.unit,
            own: "",
            unstated: may_be_unstated(it),
        })
    };
    let survey = survey_within(study, &Rules::default(), known, most_of);
    if !survey.whole {
        return None;
    }
    let shown = study
        .gauges
        .iter()
        .zip(survey.shown)
        .filter_map(|(gauge, shown)| {
            let worst = shown.worst?;
            let own = own_of(&study.moments[worst.moment]);
            let unstated = unstated(gauge, &worst);
            let (status, value, limit, margin) =
                (worst.verdict.status, worst.value, worst.limit, worst.margin);
            let unit = gauge.unit;
            Some(Judged {
                code: gauge.code,
                status,
                place: gauge.place.clone(),
                value,
                limit,
                unit,
                margin,
                unstated,
                own,
            })
        });
    // The gauges stand first, as in the findings.
    let shown: Vec<Judged> = shown.collect();
    found.splice(0..0, shown);
    found.retain(Judged::is_news);
    Some(found)
}

/// Every place that a medical device hangs on: the sources, converters, ports, groups and leads of
/// its chain.
fn lives(plan: &Plan, arrangement: &Arrangement) -> BTreeSet<String> {
    let mut places = BTreeSet::new();
    for device in plan
        .kit
        .devices
        .iter()
        .filter(|it| is_medical(plan, it.id.as_str()))
    {
        for index in arrangement.chain(device.id.as_str()) {
            let feed = &arrangement.feeds[index];
            let item = feed.from.item.as_str();
            places.insert(item.to_owned());
            places.insert(format!("{item}/{}", feed.from.port));
            places.extend(
                plan.port(&feed.from)
                    .and_then(|it| it.group.as_ref())
                    .map(|it| format!("{item}/{it}")),
            );
        }
    }
    places
}

/// The findings of every arrangement of a plan, one after the other; found on all cores.
pub fn all_findings(plan: &Plan) -> Vec<Finding> {
    let job = work::current();
    let one = |it| work::carried(job.as_ref(), || findings(plan, it));
    let each: Vec<_> = plan.arrangements.par_iter().map(one).collect();
    each.into_iter().flatten().collect()
}

/// Worst first, then by the order of priority, then by what and where it is.
fn sorted(plan: &Plan, arrangement: &Arrangement, list: Vec<Finding>) -> Vec<Finding> {
    let rank = |it: &Finding| match it.status {
        // What holds needs no order of urgency.
        Status::Holds => u64::MAX,
        _ => priority(plan, arrangement, &it.place),
    };
    let ranks: Vec<u64> = list.iter().map(rank).collect();
    let mut order: Vec<usize> = (0..list.len()).collect();
    order.sort_unstable_by(|&one, &other| {
        let (a, b) = (&list[one], &list[other]);
        // What merely nobody stated stands behind what was looked at.
        let urgent = b.status.cmp(&a.status).then(a.unstated.cmp(&b.unstated));
        let urgent = urgent
            .then(ranks[one].cmp(&ranks[other]))
            .then(a.code.cmp(&b.code));
        urgent.then_with(|| (&a.place, a.unit, &a.message).cmp(&(&b.place, b.unit, &b.message)))
    });
    // A finding is large: it is moved once, into its place.
    let mut slots: Vec<Option<Finding>> = list.into_iter().map(Some).collect();
    order
        .into_iter()
        .filter_map(|it| slots[it].take())
        .collect()
}

/// What the gauges of a study say.
fn surveyed(
    study: &Study<'_>,
    known: Option<&Kept<'_>>,
    keep: impl Fn(Code, Status) -> bool,
) -> Vec<Finding> {
    let shown = survey(study, known).shown;
    let told = Told {
        plan: study.plan,
        names: study.moments.iter().map(ToString::to_string).collect(),
        moments: &study.moments,
        charges: [0, 1, 2].map(|it| charge_of(study.plan, study.way, it)),
    };
    let kept = study.gauges.iter().zip(&shown).filter(|(gauge, shown)| {
        shown
            .worst
            .as_ref()
            .is_some_and(|it| keep(gauge.code, it.verdict.status))
    });
    kept.filter_map(|(gauge, shown)| told.finding(gauge, shown))
        .collect()
}

/// Adds what is said of the start of a device on another arrangement, along its chain there.
fn elsewhere(
    plan: &Plan,
    start: &StartsOn,
    list: &mut Vec<Finding>,
    keep: impl Fn(Code, Status) -> bool,
) {
    let Some(other) = plan.arrangement(start.arrangement.as_str()) else {
        return;
    };
    let chain = other.chain(start.device.as_str());
    let start = vec![Moment::Starting(start.device.to_string())];
    for found in surveyed(&Study::at(plan, other, start), None, keep)
        .into_iter()
        .filter(|it| plan.is_on_way(other, &chain, &it.place))
    {
        let same = |it: &&mut Finding| {
            it.code == found.code && it.place == found.place && it.unit == found.unit
        };
        match list.iter_mut().find(same) {
            None => list.push(found),
            Some(known) if found.status > known.status => {
                let before = std::mem::replace(known, found);
                if before.status > Status::Holds {
                    known.also.push(before.as_elsewhere());
                }
                known.also.extend(before.also);
            }
            Some(known) if found.status > Status::Holds => known.also.push(found.as_elsewhere()),
            Some(_) => {}
        }
    }
}

/// How far the value of a fact is on the good side of its limit, in its unit.
fn margin_of(fact: &Fact<'_>) -> f64 {
    match fact.code {
        // Warmer than the least is good.
        Code::ColdCharge => fact.value - fact.limit,
        _ => fact.limit - fact.value,
    }
}

fn of_fact(plan: &Plan, full: &BTreeMap<String, f64>, fact: Fact<'_>) -> Finding {
    let margin = margin_of(&fact);
    let mut terms = fact.terms;
    if terms.is_empty() {
        terms.push(Term::computed("value", fact.value, fact.unit));
    }
    terms.push(Term::computed("limit", fact.limit, fact.unit));
    let medical = is_medical(plan, &fact.place).then_some(MEDICAL);
    Finding {
        code: fact.code,
        status: fact.status,
        arrangement: String::new(),
        moment: fact.moment.to_string(),
        soc: full.clone(),
        charge: CHARGES[0],
        place: fact.place,
        value: fact.value,
        limit: fact.limit,
        unit: fact.unit,
        margin,
        seconds: None,
        allowed_s: None,
        message: fact.message.written().into(),
        brief: fact.brief.written().into(),
        working: Working::of(
            fact.code.word(),
            fact.rule,
            fact.formula,
            terms,
            Term::computed("value", fact.value, fact.unit),
        ),
        caution: medical.or(fact.caution).map(Into::into),
        unstated: fact.unstated,
        also: Vec::new(),
        ruled: Vec::new(),
        mends: Vec::new(),
    }
}

/// What every finding of a survey shares.
struct Told<'a> {
    plan: &'a Plan,
    moments: &'a [Moment],
    names: Vec<String>,
    charges: [BTreeMap<String, f64>; 3],
}

impl Told<'_> {
    /// What one gauge showed, at its worst; `None` for one that showed nothing. The arrangement is
    /// filled in later.
    fn finding(&self, gauge: &Gauge, shown: &Shown) -> Option<Finding> {
        let worst = shown.worst.as_ref()?;
        let (plan, moment) = (self.plan, &self.moments[worst.moment]);
        let also = shown.others.iter().map(|it| Elsewhere {
            moment: self.names[it.moment].clone(),
            charge: CHARGES[it.charge],
            status: it.verdict.status,
            value: it.value,
        });
        Some(Finding {
            code: gauge.code,
            status: worst.verdict.status,
            arrangement: String::new(),
            moment: self.names[worst.moment].clone(),
            soc: self.charges[worst.charge].clone(),
            charge: CHARGES[worst.charge],
            value: worst.value,
            limit: worst.limit,
            unit: gauge.unit,
            margin: worst.margin,
            seconds: worst.lasts.seconds(),
            allowed_s: worst.verdict.allowed_s,
            message: sentences::message(plan, gauge, worst, moment).into(),
            brief: sentences::brief(gauge, worst).into(),
            working: sentences::working(gauge, worst, moment, plan.site.tight_from()),
            caution: sentences::caution(plan, gauge, worst).map(Into::into),
            unstated: unstated(gauge, worst),
            also: also.collect(),
            ruled: Vec::new(),
            mends: Vec::new(),
            place: gauge.place.clone(),
        })
    }
}

/// What a gauge leaves open only because nobody stated it.
fn unstated(gauge: &Gauge, worst: &Seen) -> Option<Unstated> {
    may_be_unstated(gauge).filter(|_| worst.verdict.status == Status::Unproven)
}

/// What nobody stated of what a gauge is judged by.
fn may_be_unstated(gauge: &Gauge) -> Option<Unstated> {
    match gauge.bound {
        Bound::Contact { called, .. } if called == USB_C => {
            (gauge.code == Code::ConnectorRating).then_some(Unstated::MarkedCable)
        }
        Bound::Crest { supposed: true, .. } => Some(Unstated::Crest),
        _ => None,
    }
}

fn charge_of(plan: &Plan, arrangement: &Arrangement, charge: usize) -> BTreeMap<String, f64> {
    let charge = charge_named(plan, CHARGES[charge]);
    let used = |id: &str| {
        arrangement
            .feeds
            .iter()
            .any(|it| it.from.item.as_str() == id)
    };
    let stores = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.battery.is_some() && used(it.id.as_str()));
    stores
        .map(|it| (it.id.to_string(), charge.of(it.id.as_str())))
        .collect()
}

/// The best priority among the devices that hang on a place; the last where there is none.
fn priority(plan: &Plan, arrangement: &Arrangement, place: &str) -> u64 {
    let item = place.split('/').next().unwrap_or(place);
    let hangs = |device: &Device| {
        let id = device.id.as_str();
        id == item
            || arrangement
                .chain(id)
                .iter()
                .any(|it| arrangement.feeds[*it].from.item.as_str() == item)
    };
    let priorities = plan
        .kit
        .devices
        .iter()
        .filter(|it| hangs(it))
        .filter_map(|it| it.priority.as_ref());
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "a count, whole and not negative"
    )]
    let whole = priorities.map(|it| it.get() as u64);
    whole.min().unwrap_or(u64::MAX)
}
