//! Findings: each limit once, with its worst moment and charge, worst first.

use super::bound::Bound;
use super::facts::{Fact, facts};
use super::gauge::Gauge;
use super::mend::Mend;
use super::plugs::USB_C;
use super::ruled::Ruled;
use super::sentences::{self, is_medical};
use super::survey::{CHARGES, Seen, Shown, Survey, charge_named, survey};
use super::verdict::Status;
use super::words::MEDICAL;
use crate::json::words as word_enum;
use crate::network::{Moment, moments};
use crate::plan::{Arrangement, Device, Plan, StartsOn};
use crate::say::Sentence;
use crate::work;
use crate::working::{self, Term, Working};
use rayon::prelude::*;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

word_enum!(
    /// What a finding is about.
    Code {
        /// A source's port against its limit.
        PortLimit = "port-limit",
        /// Ports together against the limit that they share.
        GroupLimit = "group-limit",
        /// A converter's input current.
        ConverterInputCurrent = "converter-input-current",
        /// A converter's outlet against its limit.
        ConverterOutputLimit = "converter-output-limit",
        /// A battery's discharge current.
        BatteryCurrent = "battery-current",
        /// Voltage at a device.
        DeviceVoltage = "device-voltage",
        /// Voltage at a converter.
        ConverterVoltage = "converter-voltage",
        /// A lead without a stable state.
        Collapse = "collapse",
        /// AC into DC, or the other way round.
        CurrentKind = "current-kind",
        /// A stepped wave into what needs a sine.
        Waveform = "waveform",
        /// Polarity that contradicts, or that nobody verified.
        Polarity = "polarity",
        /// Plugs that differ.
        Connector = "connector",
        /// A lead off a bare battery or vehicle without a fuse.
        FuseMissing = "fuse-missing",
        /// The voltage and the current that a fuse must break in a short circuit.
        FuseRating = "fuse-rating",
        /// Current of a feed against its fuse, and the fuse against its lead.
        FuseSize = "fuse-size",
        /// Current of a feed against what its lead is planned for.
        CableAmpacity = "cable-ampacity",
        /// Voltage lost in a lead, by a planning rule.
        VoltageDrop = "voltage-drop",
        /// A port whose running output is below its threshold.
        AutoOff = "auto-off",
        /// Draw over the policy's share of an alternator's rating.
        AlternatorShare = "alternator-share",
        /// Voltage at a charging input, and the band that applies.
        ChargeInput = "charge-input",
        /// Charging below what the chemistry bears.
        ColdCharge = "cold-charge",
        /// The gap at a device when its source takes over.
        RideThrough = "ride-through",
        /// Power for being on, against what is carried.
        IdleDraw = "idle-draw",
        /// What a plug carries for long.
        ConnectorRating = "connector-rating",
        /// A data cable that feeds: its length and its class.
        DataCable = "data-cable",
        /// How an outlet for alternating current is earthed.
        Earthing = "earthing",
        /// The peak of an adapter that is switched on cold.
        Inrush = "inrush",
        /// The peaks that adapters take from an outlet while they run.
        Crest = "crest",
        /// Outlets that settle anew what they give when something is plugged in.
        Settling = "settling",
        /// What fills more slowly than it could, because what it hangs on divides what it gives.
        Slower = "slower",
        /// What is switched off and must not be.
        Switched = "switched",
        /// An engine that carries too little.
        LeastLoad = "least-load",
        /// A store in the cold: what it gives, and whether it freezes.
        ColdStore = "cold-store",
        /// Gas of a store in a room.
        Hydrogen = "hydrogen",
        /// How warm a converter's case gets.
        Heat = "heat",
    }
);

word_enum!(
    /// What nobody stated, so that a verdict is open.
    Unstated {
        /// How a fuse is built, or what it breaks.
        FuseType = "fuse-type",
        /// The size of a lead.
        LeadSize = "lead-size",
        /// What opens a port in a short circuit.
        Protection = "protection",
        /// Whether a neutral is bonded.
        Neutral = "neutral",
        /// Which loads have an earth pin.
        Earthed = "earthed",
        /// How far a wave is from a sine.
        Distortion = "distortion",
        /// The peak of an adapter that is switched on.
        Inrush = "inrush",
        /// How peaked the current of an adapter is.
        Crest = "crest",
        /// Whether outlets settle anew what they give.
        Settling = "settling",
        /// Whether a USB-C cable is marked for 5 A.
        MarkedCable = "marked-cable",
        /// The room in which a store stands.
        Room = "room",
    }
);

/// A check's verdict with its margin.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Finding {
    /// What it is about.
    pub code: Code,
    /// How bad it is at worst.
    pub status: Status,
    /// The arrangement.
    pub arrangement: String,
    /// The worst moment.
    pub moment: String,
    /// The charge of each store at the worst, 0 to 1.
    pub soc: BTreeMap<String, f64>,
    /// The charge at the worst in a word: full, half or floor.
    pub charge: &'static str,
    /// The item, feed or `item/port` that it is at.
    #[serde(rename = "where")]
    pub place: String,
    /// The value at the worst.
    pub value: f64,
    /// The limit that it was judged against.
    pub limit: f64,
    /// The unit of value, limit and margin.
    pub unit: &'static str,
    /// How far the value is on the good side of the limit; negative beyond it.
    pub margin: f64,
    /// How long the moment lasts, s; none for ever or where nobody knows.
    pub seconds: Option<f64>,
    /// For how long the value is carried, s, where a time limits it; 0 is: not at all.
    pub allowed_s: Option<f64>,
    /// The verdict in a sentence.
    pub message: Sentence,
    /// The verdict in three or four words.
    pub brief: Sentence,
    /// The sum behind it.
    pub working: Working,
    /// What to mind where it can hurt someone.
    pub caution: Option<Sentence>,
    /// What nobody stated, where that alone leaves the verdict open.
    pub unstated: Option<Unstated>,
    /// Other moments and charges at which it is not well either.
    pub also: Vec<Elsewhere>,
    /// How it stands in outages whose rules hold others back while something starts, where that is better; computed with the mends.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub ruled: Vec<Ruled>,
    /// What would mend it, computed; empty where it is well, or was not asked for.
    pub mends: Vec<Mend>,
}

/// Another moment and charge of the same finding.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Elsewhere {
    /// The moment.
    pub moment: String,
    /// The charge in a word: full, half or floor.
    pub charge: &'static str,
    /// How bad it is there.
    pub status: Status,
    /// The value there.
    pub value: f64,
}

/// Everything that the limits of an arrangement say, worst first, then by what matters most.
///
/// A device that starts on another arrangement is judged there while it starts.
pub fn findings(plan: &Plan, arrangement: &Arrangement) -> Vec<Finding> {
    findings_of(plan, arrangement, |_, _| true)
}

/// Of [`findings`] only those of some codes and verdicts, in their order: the words of the others, which take most of the time, are
/// not written.
pub(crate) fn findings_of(
    plan: &Plan,
    arrangement: &Arrangement,
    keep: impl Fn(Code, Status) -> bool + Copy,
) -> Vec<Finding> {
    let here: Vec<Moment> = moments(plan, arrangement);
    let here = here.into_iter().filter(|it| it.place(plan, arrangement).id == arrangement.id).collect();
    let mut list = surveyed(plan, arrangement, here, keep);
    let full = charge_of(plan, arrangement, 0);
    let facts = facts(plan, arrangement).into_iter().filter(|it| keep(it.code, it.status));
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
            it.caution = Some(own.map_or_else(|| MEDICAL.to_owned(), |own| format!("{MEDICAL} {own}")).into());
        }
    }
    // A limit without a value to speak of (an open window, a lead that stands) is no news.
    list.retain(|it| it.status != Status::Holds || !matches!(it.code, Code::Collapse | Code::IdleDraw));
    working::place(plan, list.iter_mut().map(|it| &mut it.working));
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
    /// Whether that is so while a store is charged.
    pub(crate) charging: bool,
}

impl Judged {
    fn is_news(&self) -> bool {
        self.status != Status::Holds || !matches!(self.code, Code::Collapse | Code::IdleDraw)
    }
}

/// Judges an arrangement by the same code as [`findings`], for who only wants to know how it is.
pub(crate) fn judged(plan: &Plan, arrangement: &Arrangement) -> Vec<Judged> {
    if !arrangement.starts_on.is_empty() {
        let of = |it: Finding| Judged {
            charging: it.moment == Moment::Charging.to_string(),
            code: it.code,
            status: it.status,
            place: it.place,
            value: it.value,
            limit: it.limit,
        };
        return findings(plan, arrangement).into_iter().map(of).collect();
    }
    let Survey { gauges, moments, shown } = survey(plan, arrangement, moments(plan, arrangement));
    let shown = gauges.into_iter().zip(shown).filter_map(|(gauge, shown)| {
        let worst = shown.worst?;
        let charging = moments[worst.moment] == Moment::Charging;
        let (status, value, limit) = (worst.verdict.status, worst.value, worst.limit);
        Some(Judged { code: gauge.code, status, place: gauge.place, value, limit, charging })
    });
    let facts = facts(plan, arrangement).into_iter().map(|it| Judged {
        charging: it.moment == Moment::Charging,
        code: it.code,
        status: it.status,
        place: it.place,
        value: it.value,
        limit: it.limit,
    });
    shown.chain(facts).filter(Judged::is_news).collect()
}

/// Every place that a medical device hangs on: the sources, converters, ports, groups and leads of its chain.
fn lives(plan: &Plan, arrangement: &Arrangement) -> BTreeSet<String> {
    let mut places = BTreeSet::new();
    for device in plan.kit.devices.iter().filter(|it| is_medical(plan, it.id.as_str())) {
        for index in arrangement.chain(device.id.as_str()) {
            let feed = &arrangement.feeds[index];
            let item = feed.from.item.as_str();
            places.insert(item.to_owned());
            places.insert(format!("{item}/{}", feed.from.port));
            places.extend(plan.port(&feed.from).and_then(|it| it.group.as_ref()).map(|it| format!("{item}/{it}")));
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
        let urgent = urgent.then(ranks[one].cmp(&ranks[other])).then(a.code.cmp(&b.code));
        urgent.then_with(|| (&a.place, a.unit, &a.message).cmp(&(&b.place, b.unit, &b.message)))
    });
    // A finding is large: it is moved once, into its place.
    let mut slots: Vec<Option<Finding>> = list.into_iter().map(Some).collect();
    order.into_iter().filter_map(|it| slots[it].take()).collect()
}

/// What the gauges of an arrangement say at some moments.
fn surveyed(
    plan: &Plan,
    arrangement: &Arrangement,
    moments: Vec<Moment>,
    keep: impl Fn(Code, Status) -> bool,
) -> Vec<Finding> {
    let Survey { gauges, moments, shown } = survey(plan, arrangement, moments);
    let told = Told {
        plan,
        names: moments.iter().map(ToString::to_string).collect(),
        moments,
        charges: [0, 1, 2].map(|it| charge_of(plan, arrangement, it)),
    };
    let kept = gauges
        .into_iter()
        .zip(&shown)
        .filter(|(gauge, shown)| shown.worst.as_ref().is_some_and(|it| keep(gauge.code, it.verdict.status)));
    kept.filter_map(|(gauge, shown)| told.finding(gauge, shown)).collect()
}

/// Adds what is said of the start of a device on another arrangement, along its chain there.
fn elsewhere(plan: &Plan, start: &StartsOn, list: &mut Vec<Finding>, keep: impl Fn(Code, Status) -> bool) {
    let Some(other) = plan.arrangement(start.arrangement.as_str()) else { return };
    let chain = other.chain(start.device.as_str());
    let start = vec![Moment::Starting(start.device.to_string())];
    for found in surveyed(plan, other, start, keep).into_iter().filter(|it| plan.is_on_way(other, &chain, &it.place)) {
        let same = |it: &&mut Finding| it.code == found.code && it.place == found.place && it.unit == found.unit;
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

impl Finding {
    fn as_elsewhere(&self) -> Elsewhere {
        let (moment, charge) = (self.moment.clone(), self.charge);
        Elsewhere { moment, charge, status: self.status, value: self.value }
    }
}

fn of_fact(plan: &Plan, full: &BTreeMap<String, f64>, fact: Fact) -> Finding {
    let margin = match fact.code {
        // Warmer than the least is good.
        Code::ColdCharge => fact.value - fact.limit,
        _ => fact.limit - fact.value,
    };
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
        message: fact.message.into(),
        brief: fact.brief.into(),
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
    moments: Vec<Moment>,
    names: Vec<String>,
    charges: [BTreeMap<String, f64>; 3],
}

impl Told<'_> {
    /// What one gauge showed, at its worst; `None` for one that showed nothing. The arrangement is filled in later.
    fn finding(&self, gauge: Gauge, shown: &Shown) -> Option<Finding> {
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
            message: sentences::message(plan, &gauge, worst, moment).into(),
            brief: sentences::brief(&gauge, worst).into(),
            working: sentences::working(&gauge, worst, moment, plan.site.tight_from()),
            caution: sentences::caution(plan, &gauge, worst).map(Into::into),
            unstated: unstated(&gauge, worst),
            also: also.collect(),
            ruled: Vec::new(),
            mends: Vec::new(),
            place: gauge.place,
        })
    }
}

/// What a gauge leaves open only because nobody stated it.
fn unstated(gauge: &Gauge, worst: &Seen) -> Option<Unstated> {
    let open = worst.verdict.status == Status::Unproven && gauge.code == Code::ConnectorRating;
    let usb = matches!(gauge.bound, Bound::Contact { called, .. } if called == USB_C);
    let peaked = matches!(gauge.bound, Bound::Crest { supposed: true, .. }) && worst.verdict.status == Status::Unproven;
    (open && usb).then_some(Unstated::MarkedCable).or(peaked.then_some(Unstated::Crest))
}

fn charge_of(plan: &Plan, arrangement: &Arrangement, charge: usize) -> BTreeMap<String, f64> {
    let charge = charge_named(plan, CHARGES[charge]);
    let used = |id: &str| arrangement.feeds.iter().any(|it| it.from.item.as_str() == id);
    let stores = plan.kit.sources.iter().filter(|it| it.battery.is_some() && used(it.id.as_str()));
    stores.map(|it| (it.id.to_string(), charge.of(it.id.as_str()))).collect()
}

/// The best priority among the devices that hang on a place; the last where there is none.
fn priority(plan: &Plan, arrangement: &Arrangement, place: &str) -> u64 {
    let item = place.split('/').next().unwrap_or(place);
    let hangs = |device: &Device| {
        let id = device.id.as_str();
        id == item || arrangement.chain(id).iter().any(|it| arrangement.feeds[*it].from.item.as_str() == item)
    };
    let priorities = plan.kit.devices.iter().filter(|it| hangs(it)).filter_map(|it| it.priority.as_ref());
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a count, whole and not negative")]
    let whole = priorities.map(|it| it.get() as u64);
    whole.min().unwrap_or(u64::MAX)
}
