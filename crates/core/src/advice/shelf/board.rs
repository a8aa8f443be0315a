//! An arrangement put together for a question, and what the findings say of it.

use crate::advice::fits::{Leads, laid, refused, unlaid};
use crate::ground::say::Sentence;
use crate::limits::{Code, Finding, Judged, Status, findings_of, judged};
use crate::network::{Charge, Moment, evaluate};
use crate::site::plan::device::Current;
use crate::site::plan::{Arrangement, ConverterKind, Feed, From, Id, Outage, Plan, PortVoltage};
use crate::time::outage::simulate;
use serde::Serialize;

/// Ratings of what stands there before any lead is laid.
const RATINGS: [Code; 6] = [
    Code::PortLimit,
    Code::GroupLimit,
    Code::ConverterInputCurrent,
    Code::ConverterOutputLimit,
    Code::BatteryCurrent,
    Code::AlternatorShare,
];

/// What a device that draws by its voltage draws at least behind a lead that holds, as a share.
pub(super) const LEAST_BEHIND_LEAD: f64 = 0.8;

/// The share of the rating with the least room that is free.
pub(super) fn least_margin(found: &[Judged]) -> f64 {
    let given = found
        .iter()
        .filter(|it| RATINGS.contains(&it.code) && it.limit > 0.0);
    1.0 - given
        .map(|it| it.value / it.limit)
        .reduce(f64::max)
        .unwrap_or(0.0)
}

/// What more load can mend: a port that turns itself off, an engine or a converter that carries too
/// little.
pub(super) const MENDED_BY_LOAD: [Code; 3] = [Code::AutoOff, Code::LeastLoad, Code::IdleDraw];

/// Whether something trips, and only in ways that more load mends.
pub(super) fn wants_load(found: &[Finding]) -> bool {
    let mut trips = found
        .iter()
        .filter(|it| it.status == Status::Trips)
        .peekable();
    trips.peek().is_some() && trips.all(|it| MENDED_BY_LOAD.contains(&it.code))
}

/// The findings that a board is made of: what holds and is no rating is not told in it.
pub(super) fn telling(plan: &Plan, way: &Arrangement) -> Vec<Finding> {
    findings_of(plan, way, |code, status| {
        status > Status::Holds || RATINGS.contains(&code)
    })
}

/// How much is used of the rating with the least room.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RatingUse {
    /// Which rating.
    pub code: Code,
    /// Where it is: an item or `item/port`.
    #[serde(rename = "where")]
    pub place: String,
    /// What is used of it.
    pub value: f64,
    /// What it carries for ever.
    pub limit: f64,
    /// The unit of both.
    pub unit: &'static str,
    /// The share of it that is used; above 1 it is more than it carries for ever.
    pub used: f64,
    /// The verdict on it, in a sentence.
    pub message: Sentence,
}

impl RatingUse {
    fn of(it: &Finding) -> Self {
        Self {
            code: it.code,
            place: it.place.clone(),
            value: it.value,
            limit: it.limit,
            unit: it.unit,
            used: it.value / it.limit,
            message: it.message.clone(),
        }
    }
}

/// The finding that decides.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Decides {
    pub(super) code: Code,
    pub(super) place: String,
    pub(super) value: f64,
    pub(super) limit: f64,
    pub(super) unit: &'static str,
    pub(super) unstated: bool,
}

/// What an arrangement was found to be.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Board {
    pub(super) status: Status,
    /// Whether it trips only in ways that more load on the same port mends.
    pub(super) wants_load: bool,
    /// What decides, where it is not well.
    pub(super) worst: Option<Decides>,
    pub(super) rating: Option<RatingUse>,
    pub(super) brief: Sentence,
    pub(super) message: Sentence,
    pub(super) arrangement: Arrangement,
}

impl Board {
    /// Judges an arrangement by what decides of it.
    pub(super) fn of(plan: &Plan, way: Arrangement) -> Self {
        Self::from(&telling(plan, &way), way)
    }

    /// The same by findings that are there already.
    pub(super) fn from(found: &[Finding], way: Arrangement) -> Self {
        // The leads and fuses were chosen to fit: what is told is how much is used of what stands
        // there already.
        let share = |it: &&Finding| it.value / it.limit;
        let given = found
            .iter()
            .filter(|it| RATINGS.contains(&it.code) && it.limit > 0.0);
        let rating = given
            .max_by(|a, b| share(a).total_cmp(&share(b)))
            .map(RatingUse::of);
        let worst = found.first().filter(|it| it.status > Status::Holds);
        Self {
            status: worst.map_or(Status::Holds, |it| it.status),
            wants_load: wants_load(found),
            worst: worst.map(|it| Decides {
                code: it.code,
                place: it.place.clone(),
                value: it.value,
                limit: it.limit,
                unit: it.unit,
                unstated: it.unstated.is_some(),
            }),
            brief: worst.map(|it| it.brief.clone()).unwrap_or_default(),
            message: match (worst, &rating) {
                (Some(it), _) => it.message.clone(),
                (None, Some(it)) => it.message.clone(),
                (None, None) => "No limit is stated on its way.".into(),
            },
            rating,
            arrangement: way,
        }
    }

    /// What it draws while everything runs, W.
    pub(super) fn drawn_w(&self, plan: &Plan) -> f64 {
        drawn_w(plan, &self.arrangement)
    }
}

fn drawn_w(plan: &Plan, way: &Arrangement) -> f64 {
    evaluate(plan, way, &Moment::Running, &Charge::full())
        .map_or(f64::INFINITY, |it| it.totals.drawn_w)
}

/// What came of a path that was put together.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Tried {
    /// It was judged without its leads, which make nothing better.
    Bare(Box<Bare>),
    /// The labels refuse it.
    Refused(String),
}

/// A path without leads.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Bare {
    way: Arrangement,
    /// Whether it trips in a way that neither a lead nor more load mends.
    lost: bool,
    /// The best verdict that may become of it with its leads.
    pub(super) status: Status,
    /// The least that it may draw with its leads, W.
    pub(super) drawn_w: f64,
}

impl Bare {
    /// With its leads and fuses, judged.
    pub(super) fn with_leads(self, plan: &Plan, length_m: f64) -> Board {
        let Self { mut way, lost, .. } = self;
        if lost {
            return Board::of(plan, way);
        }
        let leads = lay(plan, &mut way, length_m);
        let mut board = Board::of(plan, way);
        if let Some(why) = leads.refused {
            board.status = board.status.max(Status::Unproven);
            (board.brief, board.message) =
                (Sentence::from("no standard lead".to_owned()), why.into());
        }
        board
    }
}

/// A path from a port through converters to an item, put together and judged without leads.
pub(super) fn tried(plan: &Plan, path: &[From], to: &str, label: &str) -> Option<Tried> {
    let mut way = Arrangement::of_feeds(Vec::new());
    if let Some(why) = refused(plan, &way, path, to) {
        return Some(Tried::Refused(why));
    }
    way.feeds = unlaid(plan, path, to)?;
    (way.id, way.label) = (
        free_id(plan, &format!("{to}-on-{}-{}", path[0].item, path[0].port)),
        label.to_owned(),
    );
    let found = judged(plan, &way);
    // What trips without a lead is mended by none; what a lead makes good is not held against it
    // here.
    let mends = |code: Code| code == Code::FuseMissing || MENDED_BY_LOAD.contains(&code);
    let lost = found
        .iter()
        .any(|it| it.status == Status::Trips && !mends(it.code));
    let leads = |it: &&Judged| lost || it.code != Code::FuseMissing;
    let status = found
        .iter()
        .filter(leads)
        .map(|it| it.status)
        .max()
        .unwrap_or(Status::Holds);
    let drawn_w = drawn_w(plan, &way);
    // What draws by its voltage draws less behind a lead.
    let steady = plan.device(to).is_some_and(|it| {
        it.draw
            .is_none_or(|it| it == crate::site::plan::Draw::Power)
    });
    let drawn_w = if steady || lost {
        drawn_w
    } else {
        drawn_w * LEAST_BEHIND_LEAD
    };
    Some(Tried::Bare(Box::new(Bare {
        way,
        lost,
        status,
        drawn_w,
    })))
}

/// The feeds that take a lead, each with its length, m: a mains plug, an adapter's cord and a data
/// cable come with theirs. A device keeps the distance that the plan knows of it; everything else
/// gets `length_m`.
pub(super) fn leads_of(plan: &Plan, way: &Arrangement, length_m: f64) -> Vec<(usize, f64)> {
    let bare = |it: &Feed| {
        let cord = plan
            .converter(it.from.item.as_str())
            .is_some_and(|it| it.kind == ConverterKind::AcAdapter);
        let port = plan.port(&it.from);
        !cord
            && port.is_some_and(|it| {
                it.current == Current::Dc && !matches!(it.voltage, PortVoltage::Offers { .. })
            })
    };
    let long = |it: &Feed| known_m(plan, &it.to.name()).unwrap_or(length_m);
    (0..way.feeds.len())
        .filter(|it| bare(&way.feeds[*it]))
        .map(|it| (it, long(&way.feeds[it])))
        .collect()
}

/// Gives a lead and its fuse to whatever takes one.
pub(super) fn lay(plan: &Plan, way: &mut Arrangement, length_m: f64) -> Leads {
    let feeds = leads_of(plan, way, length_m);
    laid(plan, way, &feeds)
}

/// How far away a device stands, as far as the plan says: the longest lead that leads to it in any
/// arrangement, m.
fn known_m(plan: &Plan, to: &str) -> Option<f64> {
    plan.device(to)?;
    let feeds = plan
        .arrangements
        .iter()
        .flat_map(|it| &it.feeds)
        .filter(|it| it.to.name() == to);
    feeds
        .filter_map(|it| Some(it.cable.as_ref()?.length_m.get()))
        .reduce(f64::max)
}

/// An id that no arrangement has, made of letters of another text.
pub(super) fn free_id(plan: &Plan, like: &str) -> Id {
    let short: String = like.chars().take(56).collect();
    let names = std::iter::once(short.clone()).chain((2..1000).map(|it| format!("{short}-{it}")));
    let mut free = names.filter(|it| plan.arrangement(it).is_none());
    free.find_map(|it| Id::new(&it).ok())
        .unwrap_or_else(|| Id::own("tried"))
}

/// Hours until the first of an arrangement's devices is lost; none where none is within the outage.
pub(super) fn lasts_h(plan: &Plan, way: &Arrangement, outage: &Outage) -> Option<f64> {
    let used = |id: &str| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
    };
    let found = simulate(plan, way, &outage.within(used), None);
    found
        .devices
        .values()
        .filter_map(|it| it.down_at_h)
        .reduce(f64::min)
}
