//! All gauges at all moments and at full, half and floor charge.

use super::gauge::Gauge;
use super::rules::Rules;
use super::study::Study;
use super::verdict::{Lasts, Status, Verdict};
use crate::network::{Charge, Load, Moment, Solver, phase_load};
use crate::site::plan::{Device, PhaseKind, Plan};

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

    /// Brings whatever else is not well into order.
    fn sort(&mut self) {
        self.others.sort_by_key(|it| (it.moment, it.charge));
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
    /// What each gauge of its study showed.
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

/// What is drawn in a step of a moment, and how long that lasts.
type Step = (Vec<Load>, Lasts);

/// A survey with every state that it solved, for who changes one thing after the other: a state
/// that is the same then is not solved again, and a gauge that is the same in it not read again.
pub(crate) struct Kept<'a> {
    pub(super) study: &'a Study<'a>,
    rows: Vec<Row<'a>>,
    shown: Vec<Shown>,
}

/// One moment of a kept survey.
struct Row<'a> {
    steps: Vec<Step>,
    /// By charge, then by step.
    solved: [Vec<Solver<'a>>; 3],
    /// By charge, then by gauge.
    seen: [Vec<Option<Seen>>; 3],
}

impl<'a> Kept<'a> {
    pub(crate) fn of(study: &'a Study<'a>) -> Self {
        let open_v = open_volts(study);
        let mut shown = vec![Shown::default(); study.gauges.len()];
        let mut row = |(moment, named): (usize, &Moment)| {
            let steps = steps(study, named, &Rules::default());
            let solved = open_v.each_ref().map(|open_v| {
                let one = |(loads, _): &Step| {
                    let mut solver = Solver::new(study.network());
                    solver.solve(loads, open_v);
                    solver
                };
                steps.iter().map(one).collect::<Vec<_>>()
            });
            let seen = [0, 1, 2].map(|charge| {
                let at = At::of(study, moment, charge, &steps, &solved[charge]);
                let seen = |it| at.seen(named, it);
                study.gauges.iter().map(seen).collect::<Vec<_>>()
            });
            for seen in &seen {
                for (shown, seen) in shown.iter_mut().zip(seen) {
                    if let Some(it) = seen {
                        shown.add(it.clone());
                    }
                }
            }
            Row {
                steps,
                solved,
                seen,
            }
        };
        let rows = study.moments.iter().enumerate().map(&mut row).collect();
        shown.iter_mut().for_each(Shown::sort);
        Self { study, rows, shown }
    }

    /// Whether states of another study are states of this one wherever the same is drawn.
    fn is_like(&self, other: &Study<'_>) -> bool {
        self.study.moments == other.moments
            && self.study.network() == other.network()
            && self.study.gauges.len() == other.gauges.len()
            && self.study.plan.site.tight_from().to_bits() == other.plan.site.tight_from().to_bits()
            && open_volts(self.study) == open_volts(other)
    }
}

/// Where gauges are read: the solved steps of a moment at a charge.
struct At<'a, 's> {
    moment: usize,
    charge: usize,
    steps: &'a [Step],
    solved: &'a [Solver<'s>],
    tight_from: f64,
}

impl<'a, 's> At<'a, 's> {
    fn of(
        study: &Study<'_>,
        moment: usize,
        charge: usize,
        steps: &'a [Step],
        solved: &'a [Solver<'s>],
    ) -> Self {
        Self {
            moment,
            charge,
            steps,
            solved,
            tight_from: study.plan.site.tight_from(),
        }
    }

    /// What a gauge shows in the worst of the steps; none where it is not read then, or is dark.
    fn seen(&self, named: &Moment, gauge: &Gauge) -> Option<Seen> {
        if !gauge.when.is(named) {
            return None;
        }
        let mut worst: Option<Seen> = None;
        let mut heat = 0.0;
        for ((_, lasts), solver) in self.steps.iter().zip(self.solved) {
            let Some(value) = gauge.value(solver) else {
                continue;
            };
            let (mut verdict, limit) = gauge.judge(value, *lasts, self.tight_from, solver);
            // What is cold and carries no more than it may for ever stays cold.
            if heat > 0.0 || gauge.bound.carries_for_ever().is_some_and(|it| value > it) {
                heat = (heat + warms(gauge, value, *lasts)).max(0.0);
            }
            if heat > 1.0 + 1e-9 {
                // What each step of a start alone is carried through, all of them together are not.
                verdict.status = Status::Trips;
            }
            let now = Seen {
                moment: self.moment,
                charge: self.charge,
                value,
                limit,
                margin: gauge.margin(value, limit),
                lasts: *lasts,
                verdict,
            };
            if worst.as_ref().is_none_or(|it| now.is_worse(it)) {
                worst = Some(now);
            }
        }
        worst
    }
}

fn open_volts(study: &Study<'_>) -> [Vec<f64>; 3] {
    CHARGES.map(|it| study.network().open_volts(&charge_named(study.plan, it)))
}

/// Reads every gauge of a study at its moments and at every charge.
pub(super) fn survey(study: &Study<'_>, known: Option<&Kept<'_>>) -> Survey {
    survey_within(study, &Rules::default(), known, |_| Status::Trips)
}

/// The same where rules hold devices back while others start, or keep starts apart.
pub(super) fn survey_ruled(
    study: &Study<'_>,
    rules: &Rules<'_>,
    known: Option<&Kept<'_>>,
) -> Survey {
    survey_within(study, rules, known, |_| Status::Trips)
}

/// The same, which ends with what it has as soon as a gauge is worse than `most` of it. What a
/// survey of something alike has kept is taken from it as far as it is the same here.
pub(super) fn survey_within(
    study: &Study<'_>,
    rules: &Rules<'_>,
    known: Option<&Kept<'_>>,
    most: impl Fn(&Gauge) -> Status,
) -> Survey {
    let gauges = &study.gauges;
    let most: Vec<Status> = gauges.iter().map(most).collect();
    let known = known.filter(|it| it.is_like(study));
    let same: Vec<bool> = match known {
        Some(known) => gauges
            .iter()
            .zip(&known.study.gauges)
            .map(|it| it.0 == it.1)
            .collect(),
        None => vec![false; gauges.len()],
    };
    let steps: Vec<Vec<Step>> = study
        .moments
        .iter()
        .map(|it| steps(study, it, rules))
        .collect();
    let row = |moment: usize| {
        let row = &known?.rows[moment];
        (row.steps == steps[moment]).then_some(row)
    };
    let rows: Vec<Option<&Row<'_>>> = (0..steps.len()).map(row).collect();
    let mut shown = vec![Shown::default(); gauges.len()];
    // Where all states are known, what is the same shows the same.
    let all_known = rows.iter().all(Option::is_some);
    let mut left: Vec<usize> = (0..gauges.len()).collect();
    if let Some(known) = known.filter(|_| all_known) {
        left.retain(|it| !same[*it]);
        for index in (0..gauges.len()).filter(|it| same[*it]) {
            shown[index].clone_from(&known.shown[index]);
        }
    }
    let mut whole = shown
        .iter()
        .zip(&most)
        .all(|(shown, most)| shown.status() <= *most);
    if !whole || left.is_empty() {
        return Survey { shown, whole };
    }
    let open_v = open_volts(study);
    let unknown = steps.iter().zip(&rows).filter(|it| it.1.is_none());
    let several = unknown.map(|it| it.0.len()).max().unwrap_or_default();
    let mut solvers = vec![Solver::new(study.network()); several];
    'all: for (moment, named) in study.moments.iter().enumerate() {
        let (steps, row) = (&steps[moment], rows[moment]);
        for (charge, open_v) in open_v.iter().enumerate() {
            if row.is_none() {
                for ((loads, _), solver) in steps.iter().zip(&mut solvers) {
                    solver.solve(loads, open_v);
                }
            }
            let solved = row.map_or(&solvers[..], |it| &it.solved[charge]);
            let at = At::of(study, moment, charge, steps, solved);
            for &index in &left {
                let now = match row {
                    Some(row) if same[index] => row.seen[charge][index].clone(),
                    _ => at.seen(named, &gauges[index]),
                };
                let Some(now) = now else { continue };
                if now.verdict.status > most[index] {
                    whole = false;
                    break 'all;
                }
                shown[index].add(now);
            }
        }
    }
    shown.iter_mut().for_each(Shown::sort);
    Survey { shown, whole }
}

/// What is drawn at a moment and how long that lasts; of a start, every step of it in its order.
fn steps(study: &Study<'_>, moment: &Moment, rules: &Rules<'_>) -> Vec<Step> {
    let (plan, network) = (study.plan, study.network());
    let lasts = || study.lasts(moment);
    if *moment == Moment::AllStarting && !rules.is_empty() {
        return rules
            .all_starting(plan, study.way, network)
            .into_iter()
            .map(|it| (it, lasts()))
            .collect();
    }
    let Moment::Starting(id) = moment else {
        return vec![(study.loads(moment), lasts())];
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
        let seconds = phase
            .seconds
            .as_ref()
            .map(crate::ground::figure::Figure::get);
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ground::figure::Figure;
    use crate::site::plan::Arrangement;

    fn same(kept: &Kept<'_>, plan: &Plan, way: &Arrangement) -> (usize, usize) {
        let study = Study::of(plan, way);
        let (with, without) = (survey(&study, Some(kept)), survey(&study, None));
        assert!(with.whole && without.whole);
        assert_eq!(with.shown, without.shown, "{}", way.id);
        (usize::from(kept.is_like(&study)), 1)
    }

    /// Whatever is done to an arrangement, what was kept of it before changes nothing of what is
    /// seen of it then.
    #[test]
    fn what_was_kept_of_an_arrangement_says_what_looking_at_it_anew_says() {
        let (mut alike, mut all) = (0, 0);
        for text in [
            include_str!("../../../../demo/hollin-lock.plan.json"),
            include_str!("../../../../demo/weir-hut.plan.json"),
        ] {
            let plan = Plan::parse(text).unwrap();
            for way in &plan.arrangements {
                let study = Study::of(&plan, way);
                let kept = Kept::of(&study);
                let mut count = |plan: &Plan, way: &Arrangement| {
                    let (one, of) = same(&kept, plan, way);
                    (alike, all) = (alike + one, all + of);
                };
                count(&plan, way);
                for at in 0..way.feeds.len() {
                    let mut other = way.clone();
                    if let Some(fuse) = &mut other.feeds[at].fuse {
                        fuse.rating_a = Figure::assumed(1.5);
                    }
                    count(&plan, &other);
                    if let Some(cable) = &mut other.feeds[at].cable {
                        cable.length_m = Figure::assumed(90.0);
                    }
                    count(&plan, &other);
                    other.feeds.swap_remove(at);
                    count(&plan, &other);
                }
                for at in 0..plan.kit.devices.len() {
                    for part in 0..plan.kit.devices[at].phases.len() {
                        let mut other = plan.clone();
                        let phase = &mut other.kit.devices[at].phases[part];
                        phase.seconds = phase
                            .seconds
                            .as_ref()
                            .map(|it| Figure::assumed(2.0 * it.get()));
                        count(&other, &other.arrangement(way.id.as_str()).unwrap().clone());
                        let phase = &mut other.kit.devices[at].phases[part];
                        phase.watts = Figure::assumed(1.4 * phase.watts.get() + 0.1);
                        count(&other, &other.arrangement(way.id.as_str()).unwrap().clone());
                    }
                    let mut other = plan.clone();
                    other.kit.devices[at].input.min_v = Some(Figure::assumed(12.2));
                    count(&other, &other.arrangement(way.id.as_str()).unwrap().clone());
                }
            }
        }
        assert!(alike > 100 && all - alike > 100, "{alike} of {all}");
    }
}
