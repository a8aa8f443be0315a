//! All gauges at all moments and at full, half and floor charge.

use super::gauge::{Gauge, lasts};
use super::gauges::gauges;
use super::rules::Rules;
use super::verdict::{Lasts, Status, Verdict};
use super::words;
use crate::network::{Charge, Load, Moment, Network, Reading, Solver, fed, moments, phase_load};
use crate::plan::{Arrangement, Device, PhaseKind, Plan};
use crate::say::Sentence;
use serde::Serialize;

/// One value that a gauge showed.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Seen {
    pub(super) moment: usize,
    pub(super) charge: usize,
    pub(super) value: f64,
    pub(super) limit: f64,
    pub(super) margin: f64,
    pub(super) lasts: Lasts,
    pub(super) verdict: Verdict,
}

impl Seen {
    /// How far beyond, relative to the limit; decides between equals.
    fn strain(&self) -> f64 {
        -self.margin / self.limit.abs().max(1e-9)
    }

    /// Whether it is worse than another. The earlier moment and the fuller charge stand for equals,
    /// so that later ones win only when truly worse.
    fn is_worse(&self, than: &Self) -> bool {
        let status = self.verdict.status.cmp(&than.verdict.status);
        status
            .then_with(|| self.strain().total_cmp(&than.strain()))
            .is_gt()
    }
}

/// What one gauge showed over all moments and charges: its worst, and whatever else is not well, in
/// order.
#[derive(Debug, Clone, PartialEq, Default)]
pub(super) struct Shown {
    pub(super) worst: Option<Seen>,
    pub(super) others: Vec<Seen>,
}

impl Shown {
    /// How bad it is at worst; it holds where nothing was shown.
    pub(super) fn status(&self) -> Status {
        self.worst
            .as_ref()
            .map_or(Status::Holds, |it| it.verdict.status)
    }

    /// Adds a value; moments come in order, and charges within them.
    fn add(&mut self, seen: Seen) {
        let rest = match &mut self.worst {
            None => {
                self.worst = Some(seen);
                return;
            }
            Some(worst) if seen.is_worse(worst) => std::mem::replace(worst, seen),
            Some(_) => seen,
        };
        if rest.verdict.status > Status::Holds {
            self.others.push(rest);
        }
    }
}

/// A survey of an arrangement.
pub(super) struct Survey {
    pub(super) gauges: Vec<Gauge>,
    pub(super) moments: Vec<Moment>,
    /// What each gauge showed.
    pub(super) shown: Vec<Shown>,
    /// Whether that is all of it: not where something was worse than was allowed.
    pub(super) whole: bool,
}

/// The charges at which everything is checked, by name.
pub(super) const CHARGES: [&str; 3] = ["full", "half", "floor"];

/// The state of charge that a name stands for.
pub(super) fn charge_named(plan: &Plan, name: &str) -> Charge {
    match name {
        "half" => Charge::uniform(0.5),
        "floor" => Charge::floor(plan),
        _ => Charge::full(),
    }
}

/// Reads every gauge at the given moments and at every charge.
pub(super) fn survey(plan: &Plan, arrangement: &Arrangement, moments: Vec<Moment>) -> Survey {
    survey_ruled(plan, arrangement, moments, &Rules::default())
}

/// The same where rules hold devices back while others start, or keep starts apart.
pub(super) fn survey_ruled(
    plan: &Plan,
    arrangement: &Arrangement,
    moments: Vec<Moment>,
    rules: &Rules<'_>,
) -> Survey {
    survey_within(plan, (arrangement, arrangement), moments, rules, |_| {
        Status::Trips
    })
}

/// The same, which ends with what it has as soon as a gauge is worse than `most` of it. The
/// arrangement may be an island of a whole one, whose moments last as they do there.
pub(super) fn survey_within(
    plan: &Plan,
    (arrangement, whole_way): (&Arrangement, &Arrangement),
    moments: Vec<Moment>,
    rules: &Rules<'_>,
    most: impl Fn(&Gauge) -> Status,
) -> Survey {
    let network = Network::build(plan, arrangement, plan.site.ambient());
    let gauges = gauges(plan, arrangement, &network);
    let most: Vec<Status> = gauges.iter().map(most).collect();
    let tight_from = plan.site.tight_from();
    let open_v = CHARGES.map(|it| network.open_volts(&charge_named(plan, it)));
    let mut shown = vec![Shown::default(); gauges.len()];
    let mut solver = Solver::new(&network);
    let mut whole = true;
    let mut seen: Vec<Option<Seen>> = vec![None; gauges.len()];
    let mut heat = vec![0.0; gauges.len()];
    'all: for (moment, named) in moments.iter().enumerate() {
        let steps = steps(plan, (arrangement, whole_way), &network, named, rules);
        for (charge, open_v) in open_v.iter().enumerate() {
            heat.fill(0.0);
            for (loads, lasts) in &steps {
                solver.solve(loads, open_v);
                for (index, gauge) in gauges.iter().enumerate() {
                    if !gauge.when.is(named) {
                        continue;
                    }
                    let Some(value) = gauge.value(&solver) else {
                        continue;
                    };
                    let (mut verdict, limit) = gauge.judge(value, *lasts, tight_from, &solver);
                    // What is cold and carries no more than it may for ever stays cold.
                    if heat[index] > 0.0
                        || gauge.bound.carries_for_ever().is_some_and(|it| value > it)
                    {
                        heat[index] = (heat[index] + warms(gauge, value, *lasts)).max(0.0);
                    }
                    if heat[index] > 1.0 + 1e-9 {
                        // What each step of a start alone is carried through, all of them together
                        // are not.
                        verdict = Verdict {
                            status: Status::Trips,
                            ..verdict
                        };
                    }
                    if verdict.status > most[index] {
                        whole = false;
                        break 'all;
                    }
                    let margin = gauge.margin(value, limit);
                    let now = Seen {
                        moment,
                        charge,
                        value,
                        limit,
                        margin,
                        lasts: *lasts,
                        verdict,
                    };
                    if steps.len() == 1 {
                        shown[index].add(now);
                    } else if seen[index].as_ref().is_none_or(|it| now.is_worse(it)) {
                        seen[index] = Some(now);
                    }
                }
            }
            if steps.len() > 1 {
                for (seen, shown) in seen.iter_mut().zip(&mut shown) {
                    if let Some(seen) = seen.take() {
                        shown.add(seen);
                    }
                }
            }
        }
    }
    for it in &mut shown {
        it.others.sort_by_key(|it| (it.moment, it.charge));
    }
    Survey {
        gauges,
        moments,
        shown,
        whole,
    }
}

/// What is drawn at a moment and how long that lasts; of a start, every step of it in its order.
fn steps(
    plan: &Plan,
    (arrangement, whole_way): (&Arrangement, &Arrangement),
    network: &Network,
    moment: &Moment,
    rules: &Rules<'_>,
) -> Vec<(Vec<Load>, Lasts)> {
    let lasts = || lasts(moment, plan, whole_way);
    if *moment == Moment::AllStarting && !rules.is_empty() {
        return rules
            .all_starting(plan, arrangement, network)
            .into_iter()
            .map(|it| (it, lasts()))
            .collect();
    }
    let Moment::Starting(id) = moment else {
        return vec![(moment.loads(plan, arrangement, network), lasts())];
    };
    let held = |device: &Device| {
        if rules.holds(device.id.as_str(), &[id]) {
            0.0
        } else {
            1.0
        }
    };
    let phases = plan
        .device(id)
        .map_or_else(Vec::new, |it| it.phases_of(PhaseKind::Starting).collect());
    if phases.len() < 2 {
        return vec![(
            network.loads(plan, |device| moment.load_of(device).times(held(device))),
            lasts(),
        )];
    }
    let steps = phases.into_iter().map(|phase| {
        let loads = network.loads(plan, |device| {
            if device.id.as_str() == id {
                phase_load(device, phase).times(device.count())
            } else {
                moment.load_of(device).times(held(device))
            }
        });
        let seconds = phase.seconds.as_ref().map(crate::figure::Figure::get);
        (loads, seconds.map_or(Lasts::Unknown, Lasts::Seconds))
    });
    steps.collect()
}

/// How much of the way to its tripping a limit goes in a step, or how far it cools down again; the
/// march counts the same.
fn warms(gauge: &Gauge, value: f64, lasts: Lasts) -> f64 {
    let (Lasts::Seconds(seconds), Some(levels)) = (lasts, gauge.bound.switches_off()) else {
        return 0.0;
    };
    let carried = levels.carried_s(value);
    match carried {
        _ if carried.is_infinite() => -seconds / levels.cools_s().max(1e-9),
        _ if carried > 0.0 => seconds / carried,
        _ => 0.0,
    }
}

/// Whether a device keeps its voltage, and down to which charge.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeviceVerdict {
    /// The device.
    pub device: String,
    /// How bad it is at worst, between the given charge and the floor.
    pub status: Status,
    /// Lowest voltage at its input between the given charge and the floor, V.
    pub lowest_v: f64,
    /// The moment of the lowest voltage.
    pub lowest_at: String,
    /// Lowest charge of its source down to which it keeps its voltage at every moment, 0 to 1;
    /// none where it does so even when empty, or at no charge at all.
    pub holds_to_soc: Option<f64>,
    /// The verdict in a sentence.
    pub sentence: Sentence,
}

/// Whether each device keeps its voltage from `charge` down to the floor, in the order of the plan.
pub fn device_verdicts(
    plan: &Plan,
    arrangement: &Arrangement,
    charge: &Charge,
) -> Vec<DeviceVerdict> {
    let network = Network::build(plan, arrangement, plan.site.ambient());
    let mut moments = moments(plan, arrangement);
    moments.retain(|it| it.place(plan, arrangement).id == arrangement.id);
    let loads: Vec<Vec<Load>> = moments
        .iter()
        .map(|it| it.loads(plan, arrangement, &network))
        .collect();
    let mut solver = Solver::new(&network);
    // The lowest and the highest voltage at some places at any moment, and at which it is lowest:
    // each moment is solved once.
    let mut spans = |charge: &Charge, nodes: &[usize]| {
        let open_v = network.open_volts(charge);
        let mut spans: Vec<(f64, f64, usize)> = vec![(f64::INFINITY, 0.0, 0); nodes.len()];
        for (index, loads) in loads.iter().enumerate() {
            solver.solve(loads, &open_v);
            for (node, span) in nodes.iter().zip(&mut spans) {
                let volts = solver.read(Reading::FarVolts(*node)).unwrap_or(0.0);
                if volts < span.0 {
                    (span.0, span.2) = (volts, index);
                }
                span.1 = span.1.max(volts);
            }
        }
        spans
    };
    let leads_to = |it: &Device| {
        network
            .feeds()
            .find(|(_, feed)| arrangement.feeds[*feed].to.item == it.id)
    };
    let devices: Vec<(&Device, usize)> = fed(plan, arrangement)
        .filter_map(|it| Some((it, leads_to(it)?.0)))
        .collect();
    let nodes: Vec<usize> = devices.iter().map(|it| it.1).collect();
    let now = spans(charge, &nodes);
    let at_floor = spans(&Charge::floor(plan), &nodes);
    let (empty, full) = (
        spans(&Charge::uniform(0.0), &nodes),
        spans(&Charge::uniform(1.0), &nodes),
    );
    let each = devices.iter().enumerate().map(|(place, (device, node))| {
        let low = device
            .input
            .min_v
            .as_ref()
            .map_or(0.0, crate::figure::Figure::get);
        let high = device
            .input
            .max_v
            .as_ref()
            .map_or(f64::INFINITY, crate::figure::Figure::get);
        let top = now[place].1;
        let (lowest_v, _, at) = at_floor[place];
        let (holds_empty, holds_full) = (empty[place].0 >= low, full[place].0 >= low);
        let (mut bad, mut good) = (0.0, 1.0);
        let holds_to_soc = (holds_full && !holds_empty).then(|| {
            for _ in 0..24 {
                let middle = f64::midpoint(bad, good);
                if spans(&Charge::uniform(middle), &[*node])[0].0 >= low {
                    good = middle;
                } else {
                    bad = middle;
                }
            }
            good
        });
        let status = match () {
            () if lowest_v < low || top > high => Status::Trips,
            () if lowest_v - low < 0.02 * low || high - top < 0.02 * high => Status::Tight,
            () => Status::Holds,
        };
        let lowest_at = moments[at].to_string();
        let sentence = words::device_verdict(
            (low, high),
            (lowest_v, top),
            (holds_full, holds_to_soc),
            &lowest_at,
        );
        DeviceVerdict {
            device: device.id.to_string(),
            status,
            lowest_v,
            lowest_at,
            holds_to_soc,
            sentence: sentence.into(),
        }
    });
    each.collect()
}
