//! The weakest link: for each moment, the one limit that gives way first.

use super::bound::{Bound, Measure};
use super::code::Code;
use super::gauge::Gauge;
use super::study::Study;
use super::survey::{CHARGES, charge_named};
use super::verdict::{Lasts, Status};
use super::words::when;
use crate::ground::say::{Sentence, amount, percent};
use crate::network::{Moment, Reading, Solver, moments};
use crate::site::plan::{Arrangement, Plan};
use serde::Serialize;

/// The limit with the least room at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WeakestLink {
    /// The moment.
    pub moment: String,
    /// The charge at which there is the least room: full, half or floor.
    pub charge: String,
    /// The code of the finding that this limit makes.
    pub code: Code,
    /// The item, feed or `item/port` that it is at.
    #[serde(rename = "where")]
    pub place: String,
    /// What the limit is called, such as the fuse of something.
    pub name: String,
    /// The value.
    pub value: f64,
    /// What is carried for as long as the moment lasts, with a stated time; a least voltage for a
    /// window.
    pub limit: f64,
    /// The unit of value and limit.
    pub unit: String,
    /// The limit seen from the other side: in watts where it is in amperes, and the other way
    /// round.
    pub other_limit: Option<f64>,
    /// The unit of that.
    pub other_unit: Option<String>,
    /// How much of the limit is used, 1 is all of it; none for a lead that collapses.
    pub used: Option<f64>,
    /// The verdict on it.
    pub status: Status,
    /// The largest limit on the way that does not matter, where there is one.
    pub idle_limit: Option<Sentence>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// A limit with what is used of it.
struct Strained<'a> {
    gauge: &'a Gauge,
    charge: usize,
    value: f64,
    limit: f64,
    used: Option<f64>,
    status: Status,
    other: Option<(f64, &'static str)>,
}

impl Strained<'_> {
    fn rank(&self) -> f64 {
        self.used.unwrap_or(f64::INFINITY)
    }
}

/// The weakest link of every moment: on the chain of the device that starts or stops, else
/// anywhere.
pub fn weakest(plan: &Plan, arrangement: &Arrangement) -> Vec<WeakestLink> {
    Study::of(plan, arrangement).weakest()
}

/// The one limit of an arrangement with the least room at any moment and charge.
pub fn tightest(plan: &Plan, arrangement: &Arrangement) -> Option<WeakestLink> {
    Study::of(plan, arrangement).tightest()
}

impl Study<'_> {
    /// See [`weakest`].
    pub(crate) fn weakest(&self) -> Vec<WeakestLink> {
        let links = moments(self.plan, self.way)
            .into_iter()
            .filter_map(|moment| {
                let place = moment.place(self.plan, self.way);
                if place.id == self.way.id {
                    self.link(&moment)
                } else {
                    Study::of(self.plan, place).link(&moment)
                }
            });
        links.collect()
    }

    /// See [`tightest`].
    pub(crate) fn tightest(&self) -> Option<WeakestLink> {
        let rank = |it: &WeakestLink| it.used.unwrap_or(f64::INFINITY);
        let all = self.weakest().into_iter();
        all.max_by(|a, b| rank(a).total_cmp(&rank(b)))
    }

    /// The limit that decides a moment.
    fn link(&self, moment: &Moment) -> Option<WeakestLink> {
        let plan = self.plan;
        let device = match moment {
            Moment::Starting(id) | Moment::Stopping(id) => Some(id.as_str()),
            _ => None,
        };
        let chain = device.map(|it| self.way.chain(it));
        let on_path = |place: &str| {
            chain
                .as_ref()
                .is_none_or(|chain| plan.is_on_way(self.way, chain, place))
        };
        let (loads, lasts) = (self.loads(moment), self.lasts(moment));
        let mut solver = Solver::new(self.network());
        let mut strained = Vec::new();
        for (charge, state) in CHARGES.into_iter().enumerate() {
            solver.solve(
                &loads,
                &self.network().open_volts(&charge_named(plan, state)),
            );
            let gauges = self
                .gauges
                .iter()
                .filter(|it| it.when.is(moment) && on_path(&it.place));
            strained.extend(
                gauges.filter_map(|it| strain(it, charge, lasts, plan.site.tight_from(), &solver)),
            );
        }
        let worst = strained
            .iter()
            .max_by(|a, b| a.rank().total_cmp(&b.rank()).then(b.charge.cmp(&a.charge)))?;
        // The other large promise on the way, in watts, that nothing hangs on.
        let watts = |it: &Strained<'_>| match it.gauge.unit {
            "W" | "VA" => it.gauge.bound.levels().map(|levels| {
                levels
                    .overload
                    .iter()
                    .map(|level| level.0)
                    .fold(levels.continuous, f64::max)
            }),
            _ => None,
        };
        let idle = strained
            .iter()
            .filter(|it| it.charge == worst.charge && it.gauge.place != worst.gauge.place);
        let idle = idle
            .filter_map(|it| Some((it, watts(it)?)))
            .max_by(|a, b| a.1.total_cmp(&b.1));
        let worst_w = match worst.gauge.unit {
            "W" | "VA" => Some(worst.limit),
            _ => worst.other.filter(|it| it.1 == "W").map(|it| it.0),
        };
        let idle = idle.filter(|(_, watts)| worst_w.is_none_or(|it| it < *watts));
        let idle_limit = idle
            .map(|(it, watts)| format!("{} of {}", amount(watts, it.gauge.unit), it.gauge.name));
        let sentence = sentence(plan, moment, worst, idle_limit.as_deref());
        Some(WeakestLink {
            moment: moment.to_string(),
            charge: CHARGES[worst.charge].to_owned(),
            code: worst.gauge.code,
            place: worst.gauge.place.clone(),
            name: named(worst.gauge),
            value: worst.value,
            limit: worst.limit,
            unit: worst.gauge.unit.to_owned(),
            other_limit: worst.other.map(|it| it.0),
            other_unit: worst.other.map(|it| it.1.to_owned()),
            used: worst.used,
            status: worst.status,
            idle_limit: idle_limit.map(Into::into),
            sentence: sentence.into(),
        })
    }
}

/// How much of a limit is used; `None` for what is no limit of this kind, or is dark.
fn strain<'a>(
    gauge: &'a Gauge,
    charge: usize,
    lasts: Lasts,
    tight_from: f64,
    solver: &Solver<'_>,
) -> Option<Strained<'a>> {
    let value = gauge.value(solver)?;
    let status = gauge.judge(value, lasts, tight_from, solver).0.status;
    let base = Strained {
        gauge,
        charge,
        value,
        limit: 0.0,
        used: None,
        status,
        other: None,
    };
    match &gauge.bound {
        Bound::Stands => (value > 0.0).then_some(base),
        Bound::Window { low: Some(low), .. } => {
            let Measure::One(Reading::FarVolts(node)) = gauge.measure else {
                return None;
            };
            let open_v = solver.read(Reading::SupplyVolts(node))?;
            // Of the volts that may be lost between the store and the input, the share that is.
            let used = if open_v > *low {
                (open_v - value) / (open_v - low)
            } else {
                1.0 + (low - value).max(0.0) / low.max(1e-9)
            };
            Some(Strained {
                limit: *low,
                used: Some(used),
                ..base
            })
        }
        bound => {
            let levels = bound.levels()?;
            let stated = levels
                .overload
                .iter()
                .filter_map(|(level, seconds)| Some((*level, (*seconds)?)));
            let carried = match lasts {
                Lasts::Seconds(wanted) => stated
                    .filter(|it| it.1 >= wanted)
                    .map(|it| it.0)
                    .fold(0.0, f64::max),
                Lasts::ForEver | Lasts::Unknown => 0.0,
            };
            let limit = levels.continuous.max(carried);
            let other = gauge
                .other
                .and_then(|(reading, unit)| Some((solver.read(reading)?, unit)));
            let other = other
                .filter(|_| value > 0.0)
                .map(|(there, unit)| (limit * there / value, unit));
            Some(Strained {
                limit,
                used: Some(value / limit.max(1e-9)),
                other,
                ..base
            })
        }
    }
}

/// What a limit is called inside a sentence.
fn named(gauge: &Gauge) -> String {
    let name = &gauge.name;
    match gauge.code {
        Code::FuseSize => format!("the fuse of {name}"),
        Code::CableAmpacity => format!("the lead to {name}"),
        Code::ConnectorRating => format!("the plug of {name}"),
        Code::Contacts => format!("the contacts of the lead to {name}"),
        Code::Collapse => format!("the lead to {name}, which collapses"),
        Code::DeviceVoltage | Code::ConverterVoltage => format!("the voltage at {name}"),
        _ => name.clone(),
    }
}

fn sentence(plan: &Plan, moment: &Moment, worst: &Strained<'_>, idle: Option<&str>) -> String {
    let mut when = when(plan, moment).to_string();
    if let Some(first) = when.get(..1).map(str::to_uppercase) {
        when.replace_range(..1, &first);
    }
    let (name, unit) = (&worst.gauge.name, worst.gauge.unit);
    let (value, limit) = (amount(worst.value, unit), amount(worst.limit, unit));
    let both = worst.other.map_or_else(String::new, |(other, unit)| {
        format!(" = {}", amount(other, unit))
    });
    let place = named(worst.gauge);
    let decides = match (&worst.gauge.bound, worst.used) {
        (Bound::Stands, _) => {
            format!("{when} the lead to {name} decides: it has no stable voltage")
        }
        (Bound::Window { .. }, _) => {
            format!("{when} the voltage at {name} decides: {value}, and it needs {limit}")
        }
        (_, Some(used)) => format!(
            "{when} {place} decides: {value} of {limit}{both}, {} of it",
            percent(used)
        ),
        (_, None) => format!("{when} {place} decides"),
    };
    match idle {
        Some(idle) => format!("{decides}; the {idle} do not matter."),
        None => format!("{decides}."),
    }
}
