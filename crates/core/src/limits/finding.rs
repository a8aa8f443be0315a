//! Findings: each limit once, with its worst moment and charge, worst first.

use super::survey::{CHARGES, Seen, Survey, survey};
use super::verdict::Status;
use super::{gauge::Gauge, words};
use crate::json::words as word_enum;
use crate::network::Charge;
use crate::plan::{Arrangement, Plan};
use crate::working::Working;
use serde::Serialize;
use std::collections::BTreeMap;

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
        /// Voltage lost in a lead, by a planning rule.
        VoltageDrop = "voltage-drop",
        /// Current of a feed against the rating of its fuse.
        FuseSize = "fuse-size",
        /// Power for being on, against what is carried.
        IdleDraw = "idle-draw",
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
    pub charge: String,
    /// The item, feed or `item/port` that it is at.
    #[serde(rename = "where")]
    pub place: String,
    /// The value at the worst.
    pub value: f64,
    /// The limit that it was judged against.
    pub limit: f64,
    /// The unit of value, limit and margin.
    pub unit: String,
    /// How far the value is on the good side of the limit; negative beyond it.
    pub margin: f64,
    /// How long the moment lasts, s; none for ever or where nobody knows.
    pub seconds: Option<f64>,
    /// For how long the value is carried, s, where a time limits it; 0 is: not at all.
    pub allowed_s: Option<f64>,
    /// The verdict in a sentence.
    pub message: String,
    /// The verdict in three or four words.
    pub brief: String,
    /// The sum behind it.
    pub working: Working,
    /// What to mind where it can hurt someone.
    pub caution: Option<String>,
    /// Other moments and charges at which it is not well either.
    pub also: Vec<Elsewhere>,
}

/// Another moment and charge of the same finding.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Elsewhere {
    /// The moment.
    pub moment: String,
    /// The charge in a word: full, half or floor.
    pub charge: String,
    /// How bad it is there.
    pub status: Status,
    /// The value there.
    pub value: f64,
}

/// Everything that the limits of an arrangement say, worst first, then by what matters most.
pub fn findings(plan: &Plan, arrangement: &Arrangement) -> Vec<Finding> {
    let survey = survey(plan, arrangement);
    let of_gauge = |(gauge, seen): (&Gauge, &Vec<Seen>)| finding(plan, arrangement, &survey, gauge, seen);
    let mut findings: Vec<Finding> = survey.gauges.iter().zip(&survey.seen).filter_map(of_gauge).collect();
    // A limit without a value to speak of (an open window, a lead that stands) is no news.
    findings.retain(|it| it.status != Status::Holds || !matches!(it.code, Code::Collapse | Code::IdleDraw));
    findings.sort_by_cached_key(|it| {
        // What holds needs no order of urgency.
        let priority = if it.status > Status::Holds { priority(plan, arrangement, &it.place) } else { u64::MAX };
        (std::cmp::Reverse(it.status), priority, it.code, it.place.clone(), it.unit.clone())
    });
    findings
}

fn finding(plan: &Plan, arrangement: &Arrangement, survey: &Survey, gauge: &Gauge, seen: &[Seen]) -> Option<Finding> {
    // How far beyond, relative to the limit, decides between equals.
    let strain = |it: &Seen| -it.margin / it.limit.abs().max(1e-9);
    let worse = |a: &&Seen, b: &&Seen| {
        let status = a.verdict.status.cmp(&b.verdict.status);
        // The earlier moment and the fuller charge stand for equals, so later ones win only when truly worse.
        status.then(strain(a).total_cmp(&strain(b))).then(b.moment.cmp(&a.moment)).then(b.charge.cmp(&a.charge))
    };
    let worst = seen.iter().max_by(worse)?;
    let moment = &survey.moments[worst.moment];
    let others = seen.iter().filter(|it| !std::ptr::eq(*it, worst) && it.verdict.status > Status::Holds);
    let also = others.map(|it| Elsewhere {
        moment: survey.moments[it.moment].to_string(),
        charge: CHARGES[it.charge].to_owned(),
        status: it.verdict.status,
        value: it.value,
    });
    Some(Finding {
        code: gauge.code,
        status: worst.verdict.status,
        arrangement: arrangement.id.to_string(),
        moment: moment.to_string(),
        soc: charge_of(plan, arrangement, worst.charge),
        charge: CHARGES[worst.charge].to_owned(),
        place: gauge.place.clone(),
        value: worst.value,
        limit: worst.limit,
        unit: gauge.unit.to_owned(),
        margin: worst.margin,
        seconds: worst.lasts.seconds(),
        allowed_s: worst.verdict.allowed_s,
        message: words::message(plan, gauge, worst, moment),
        brief: words::brief(gauge, worst),
        working: words::working(gauge, worst, moment, plan.site.tight_from()),
        caution: words::caution(plan, gauge, worst),
        also: also.collect(),
    })
}

fn charge_of(plan: &Plan, arrangement: &Arrangement, charge: usize) -> BTreeMap<String, f64> {
    let charge = [Charge::full(), Charge::uniform(0.5), Charge::floor(plan)][charge].clone();
    let used = |id: &str| arrangement.feeds.iter().any(|it| it.from.item.as_str() == id);
    let stores = plan.kit.sources.iter().filter(|it| it.battery.is_some() && used(it.id.as_str()));
    stores.map(|it| (it.id.to_string(), charge.of(it.id.as_str()))).collect()
}

/// The best priority among the devices that hang on a place; the last where there is none.
fn priority(plan: &Plan, arrangement: &Arrangement, place: &str) -> u64 {
    let item = place.split('/').next().unwrap_or(place);
    let hangs = |device: &crate::plan::Device| {
        let mut at = device.id.as_str();
        for _ in 0..=arrangement.feeds.len() {
            if at == item {
                return true;
            }
            match arrangement.feeds.iter().find(|it| it.to.item.as_str() == at) {
                Some(feed) => at = feed.from.item.as_str(),
                None => return false,
            }
        }
        false
    };
    let priorities = plan.kit.devices.iter().filter(|it| hangs(it)).filter_map(|it| it.priority.as_ref());
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a count, whole and not negative")]
    let whole = priorities.map(|it| it.get() as u64);
    whole.min().unwrap_or(u64::MAX)
}
