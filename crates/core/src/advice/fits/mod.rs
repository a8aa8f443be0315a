//! Building a chain out of what fits: what can feed an item, what can follow a port, and the lead,
//! fuse and converter that it takes. Each option is tried on the real network; what does not fit
//! says why.
//!
//! # Layout
//! - this file: the options; `lead`: the lead and the fuse that are proposed; `reason`: why
//!   something does not fit
//! - `stages`: a stage put in, replaced or taken out

mod lead;
mod reason;
mod stages;

pub use stages::{How, Stage, Stages, can_change};

use crate::ground::json::FieldError;
use crate::ground::say::Sentence;
use crate::ground::work;
use crate::limits::{Finding, Status, Verdicts, asks, findings};
use crate::network::{Charge, Moment, evaluate};
use crate::site::plan::{Arrangement, ConverterKind, Feed, From, Id, Plan, Port};
use crate::time::day::day;
use lead::{Proposal, still_hold};
pub(crate) use lead::{Sizes, proposed, worst_amps};
use rayon::prelude::*;
pub(crate) use reason::by_label;
use serde::Serialize;

/// The most options that are told.
const MOST: usize = 24;

/// What can be done next.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Fits {
    /// Those that fit, the thriftiest first, then those that do not.
    pub options: Vec<Fit>,
}

/// How often the leads of one option are looked at again at most.
const PASSES: usize = 4;

/// One option.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Fit {
    /// The port that it begins at, in words: "House bank, studs".
    pub from: String,
    /// The converters that it goes through, in words; none for a lead alone.
    pub through: Vec<String>,
    /// What it ends at, in words.
    pub to: String,
    /// The feeds that it adds, each with the lead and the fuse that are proposed.
    pub feeds: Vec<Feed>,
    /// Whether nothing anywhere gets worse by it, and what is new by it does not trip.
    pub fits: bool,
    /// Whether what gets worse is tight at most, so that a person may well take it.
    pub bearable: bool,
    /// Why it does not fit.
    pub reason: Option<Sentence>,
    /// What the arrangement draws more by it while running, W.
    pub more_w: f64,
    /// What it draws more in a day, Wh.
    pub more_day_wh: f64,
    /// Volts at its end while running; none where it is dark.
    pub volts: Option<f64>,
    /// The worst verdict on its way.
    pub status: Status,
    /// The least margin on its way, in a sentence.
    pub least: Option<Sentence>,
    /// What is proposed, in words: "4 mm², 10 A fuse".
    pub proposes: Vec<Sentence>,
}

/// What can feed an item: each port that is live in the arrangement or stands at a source, and for
/// a device also through one or two converters from the shelf. `length_m` is the length of the
/// leads that are proposed, m.
///
/// # Errors
/// Where the item is none that can be fed, or is fed already.
pub fn can_feed(
    plan: &Plan,
    way: &Arrangement,
    item: &str,
    length_m: f64,
) -> Result<Fits, FieldError> {
    let is_device = plan.device(item).is_some();
    if !is_device && plan.converter(item).is_none() {
        return Err(FieldError::of(
            "to",
            format!("\"{item}\" is no device and no converter of this site"),
        ));
    }
    if way.feed_into(item).is_some() {
        return Err(FieldError::of(
            "to",
            format!(
                "{} is fed already; take that feed out first",
                plan.label(item)
            ),
        ));
    }
    let base = Base::of(plan, way);
    let ports: Vec<(Id, &Port)> = live_ports(plan, way)
        .into_iter()
        .filter(|it| it.0.as_str() != item)
        .collect();
    let mut trials: Vec<Vec<From>> = ports
        .iter()
        .map(|(it, port)| vec![from(it, port)])
        .collect();
    if is_device {
        let shelf: Vec<_> = plan
            .kit
            .converters
            .iter()
            .filter(|it| it.kind != ConverterKind::Junction && unused(way, it.id.as_str()))
            .collect();
        for one in &shelf {
            for (at, port) in &ports {
                for out in &one.outputs {
                    trials.push(vec![from(at, port), from(&one.id, out)]);
                    // Two in a row only where they turn into alternating current and back.
                    for other in shelf.iter().filter(|it| {
                        it.kind == ConverterKind::AcAdapter
                            && one.kind == ConverterKind::Inverter
                            && it.id != one.id
                    }) {
                        let two = other.outputs.iter().map(|last| {
                            vec![from(at, port), from(&one.id, out), from(&other.id, last)]
                        });
                        trials.extend(two);
                    }
                }
            }
        }
    }
    Ok(told(base.tried(
        trials.into_iter().map(|it| (it, item.to_owned())).collect(),
        length_m,
    )))
}

/// What can follow a port: each device and converter that is not fed yet.
///
/// # Errors
/// Where there is no such port, or it is not live in the arrangement.
pub fn can_follow(
    plan: &Plan,
    way: &Arrangement,
    item: &str,
    port: &str,
    length_m: f64,
) -> Result<Fits, FieldError> {
    let found = live_ports(plan, way)
        .into_iter()
        .find(|(id, it)| id.as_str() == item && it.id.as_str() == port);
    let Some((id, port)) = found else {
        return Err(FieldError::of(
            "from",
            format!(
                "{} has no port \"{port}\" that is live in “{}”",
                plan.label(item),
                way.label
            ),
        ));
    };
    let upstream: Vec<&str> = way
        .chain(item)
        .iter()
        .map(|it| way.feeds[*it].to.item.as_str())
        .collect();
    let devices = plan.kit.devices.iter().map(|it| it.id.as_str());
    let converters = plan.kit.converters.iter().map(|it| it.id.as_str());
    let open = devices
        .chain(converters)
        .filter(|it| *it != item && way.feed_into(it).is_none() && !upstream.contains(it));
    let trials = open
        .map(|it| (vec![from(&id, port)], it.to_owned()))
        .collect();
    Ok(told(Base::of(plan, way).tried(trials, length_m)))
}

fn from(item: &Id, port: &Port) -> From {
    From {
        item: item.clone(),
        port: port.id.clone(),
    }
}

/// Ports that give something in an arrangement: those of every source, and those of converters that
/// are fed.
fn live_ports<'a>(plan: &'a Plan, way: &Arrangement) -> Vec<(Id, &'a Port)> {
    let sources = plan
        .kit
        .sources
        .iter()
        .flat_map(|it| it.ports.iter().map(|port| (it.id.clone(), port)));
    let fed = plan
        .kit
        .converters
        .iter()
        .filter(|it| way.feed_into(it.id.as_str()).is_some());
    sources
        .chain(fed.flat_map(|it| it.outputs.iter().map(|port| (it.id.clone(), port))))
        .collect()
}

fn unused(way: &Arrangement, converter: &str) -> bool {
    way.feed_into(converter).is_none()
}

/// Those that fit first; of those the thriftiest first.
fn told(mut options: Vec<Fit>) -> Fits {
    options.sort_by(|a, b| {
        b.fits.cmp(&a.fits).then(
            a.feeds
                .len()
                .cmp(&b.feeds.len())
                .then(a.more_day_wh.total_cmp(&b.more_day_wh))
                .then_with(|| a.from.cmp(&b.from)),
        )
    });
    // A way through converters that does not fit helps nobody.
    options.retain(|it| it.fits || it.through.is_empty());
    let most = options.iter().filter(|it| it.fits).count().min(MOST)
        + options.iter().filter(|it| !it.fits).count().min(MOST);
    let mut kept = 0;
    options.retain(|it| {
        kept += usize::from(it.fits);
        !it.fits || kept <= MOST
    });
    options.truncate(most);
    options.sort_by(|a, b| {
        b.fits
            .cmp(&a.fits)
            .then(a.more_day_wh.total_cmp(&b.more_day_wh))
    });
    Fits { options }
}

/// An arrangement as it is, against which an option is told.
struct Base<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    running_w: f64,
    day_wh: f64,
    verdicts: Verdicts,
}

impl<'a> Base<'a> {
    fn of(plan: &'a Plan, way: &'a Arrangement) -> Self {
        Self {
            plan,
            way,
            running_w: drawn_w(plan, way),
            day_wh: day(plan, way, &Charge::full()).drawn_wh,
            verdicts: Verdicts::of(plan, way),
        }
    }

    fn tried(&self, trials: Vec<(Vec<From>, String)>, length_m: f64) -> Vec<Fit> {
        let job = work::current();
        let one = |(path, to): (Vec<From>, String)| {
            work::carried(job.as_ref(), || self.trial(&path, &to, length_m))
        };
        trials.into_par_iter().filter_map(one).collect()
    }

    /// One path from a live port through converters to an item.
    fn trial(&self, path: &[From], to: &str, length_m: f64) -> Option<Fit> {
        let plan = self.plan;
        // What cannot fit by its label is not worth proposing a lead for; a lead alone is told with
        // its reason.
        let refused = refused(plan, self.way, path, to);
        if refused.is_some() && path.len() > 1 {
            return None;
        }
        let mut candidate = self.way.clone();
        let first = candidate.feeds.len();
        candidate.feeds.extend(unlaid(plan, path, to)?);
        let Leads {
            proposes,
            refused: no_lead,
        } = if refused.is_none() {
            let all: Vec<(usize, f64)> = (first..candidate.feeds.len())
                .map(|it| (it, length_m))
                .collect();
            laid(plan, &mut candidate, &all)
        } else {
            Leads::default()
        };
        let found = findings(plan, &candidate);
        // The door: the whole is judged with it, and it fits only if nothing anywhere is worse.
        let after = Verdicts::from(plan, &candidate, &found);
        let worse = after.worse(&self.verdicts, |_| None);
        let feeds: Vec<usize> = candidate.chain(to);
        let on_way = |it: &&Finding| plan.is_on_way(&candidate, &feeds, &it.place);
        let least = found.iter().find(on_way);
        let bearable = refused.is_none()
            && no_lead.is_none()
            && worse.as_ref().is_none_or(|it| it.0 <= Status::Tight);
        let reason = refused
            .or(no_lead)
            .map(Sentence::from)
            .or_else(|| worse.map(|it| it.1));
        let flow = evaluate(plan, &candidate, &Moment::Running, &Charge::full()).ok();
        Some(Fit {
            from: format!(
                "{}, {}",
                plan.label(path[0].item.as_str()),
                port_name(plan, &path[0])
            ),
            through: path[1..]
                .iter()
                .map(|it| plan.label(it.item.as_str()).to_owned())
                .collect(),
            to: plan.label(to).to_owned(),
            fits: reason.is_none(),
            bearable,
            reason,
            more_w: flow.as_ref().map_or(0.0, |it| it.totals.drawn_w) - self.running_w,
            more_day_wh: day(plan, &candidate, &Charge::full()).drawn_wh - self.day_wh,
            volts: flow
                .as_ref()
                .and_then(|it| it.feeds.get(to).map(|feed| feed.far_v)),
            status: least.map_or(Status::Holds, |it| it.status),
            least: least.map(|it| it.message.clone()),
            proposes: proposes.into_iter().map(Into::into).collect(),
            feeds: candidate.feeds[first..].to_vec(),
        })
    }
}

/// Why a path cannot be, by the labels of what stands on it.
pub(crate) fn refused(plan: &Plan, way: &Arrangement, path: &[From], to: &str) -> Option<String> {
    let mut ends = path[1..].iter().map(|it| it.item.as_str()).chain([to]);
    let refused = path
        .iter()
        .zip(ends.clone())
        .find_map(|(from, end)| reason::by_label(plan, from, end));
    refused.or_else(|| reason::by_kind(plan, way, path.first()?, ends.next()?))
}

/// The feeds of a path, without leads; none where there is no such thing.
pub(crate) fn unlaid(plan: &Plan, path: &[From], to: &str) -> Option<Vec<Feed>> {
    let ends = path[1..].iter().map(|it| it.item.as_str()).chain([to]);
    path.iter()
        .zip(ends)
        .map(|(from, end)| bare(plan, from, end))
        .collect()
}

/// Leads that are proposed.
#[derive(Debug, Clone, PartialEq, Default)]
pub(crate) struct Leads {
    /// They and their fuses, in words.
    pub(crate) proposes: Vec<String>,
    /// Why no standard lead does.
    pub(crate) refused: Option<String>,
}

/// Gives each of some feeds, by its place, a lead of so many metres and the fuse that it needs. A
/// lead loses power that the leads before it carry: those are looked at again, until nothing
/// changes.
pub(crate) fn laid(plan: &Plan, way: &mut Arrangement, feeds: &[(usize, f64)]) -> Leads {
    let mut leads = Leads::default();
    for _ in 0..PASSES {
        let given: Vec<(usize, Proposal)> = feeds
            .iter()
            .map(|it| (it.0, proposed(plan, way, it.0, it.1)))
            .collect();
        leads.refused = given.iter().find_map(|it| it.1.refused.clone());
        let settled = feeds.len() < 2 || still_hold(plan, way, &given);
        let again: Vec<String> = given.into_iter().flat_map(|it| it.1.words).collect();
        let settled = settled || again == leads.proposes;
        leads.proposes = again;
        if settled {
            break;
        }
    }
    leads
}

fn drawn_w(plan: &Plan, way: &Arrangement) -> f64 {
    evaluate(plan, way, &Moment::Running, &Charge::full()).map_or(0.0, |it| it.totals.drawn_w)
}

/// What a port is called inside its item.
fn port_name<'a>(plan: &'a Plan, from: &'a From) -> &'a str {
    plan.port(from)
        .and_then(|it| it.label.as_deref())
        .unwrap_or(from.port.as_str())
}

/// A feed without a lead. A port that offers several voltages is asked for the one nearest to what
/// the end is rated for.
pub(crate) fn bare(plan: &Plan, from: &From, to: &str) -> Option<Feed> {
    let target = crate::site::plan::arrangement::Target {
        item: Id::new(to).ok()?,
        input: None,
    };
    let voltage_v = match &plan.port(from)?.voltage {
        crate::site::plan::PortVoltage::Offers { offers_v } => {
            let wanted = reason::wanted_v(plan, to);
            let far = |it: f64| wanted.map_or(it, |wanted| (it - wanted).abs());
            offers_v
                .iter()
                .min_by(|a, b| far(a.get()).total_cmp(&far(b.get())))
                .map(|it| it.get().into())
        }
        _ => None,
    };
    let feed = Feed {
        voltage_v,
        ..Feed::bare(from.clone(), target)
    };
    // What asks for nothing gets the lowest.
    let voltage_v = if asks(plan, &feed) {
        feed.voltage_v.clone()
    } else {
        None
    };
    Some(Feed { voltage_v, ..feed })
}
