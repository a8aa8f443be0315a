//! In which order, and how far apart, everything starts after a return without tripping anything.
//!
//! What starts last starts while all the others run. More that runs never makes a start easier, so that a device that can
//! start last among some can be put last among them; if none of them can, whichever order ends in trouble. The order is
//! therefore found from its end, and where it ends is the proof that there is none.

use super::march::{Fineness, march};
use super::setting::Setting;
use crate::figure::Figure;
use crate::limits::amount;
use crate::network::{Load, Solver};
use crate::plan::outage::{MainsSpan, MainsState, Rule};
use crate::plan::{AfterLoss, Arrangement, Outage, Plan};
use crate::text::inside;
use serde::Serialize;
use std::collections::BTreeMap;

/// A device's turn.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct StartTurn {
    /// The device.
    pub device: String,
    /// When it starts, s after the return.
    pub at_s: f64,
    /// How long its start takes, s.
    pub takes_s: f64,
    /// The limit that its start comes nearest to, in words.
    pub tightest: Option<String>,
    /// Value over that limit.
    pub strain: f64,
}

/// An order in which everything starts, or why there is none.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Starts {
    /// Whether everything may start at once.
    pub at_once: bool,
    /// What breaks where everything starts at once, in words.
    pub at_once_breaks: Option<String>,
    /// The order; empty where there is none.
    pub turns: Vec<StartTurn>,
    /// Least time between two starts in that order, s.
    pub spacing_s: f64,
    /// The rule that does it, ready for an outage.
    pub rule: Option<Rule>,
    /// Devices that a person has to start.
    pub by_hand: Vec<String>,
    /// Devices that never fit together, where there is no order: as few as prove it.
    pub never: Vec<String>,
    /// All of it in a sentence.
    pub sentence: String,
}

struct Bench<'a> {
    setting: Setting<'a>,
    open_v: Vec<f64>,
}

/// What a state does: how near to a limit, and whether something breaks.
#[derive(Debug, Clone, Default)]
struct Strain {
    breaks: Option<String>,
    /// What only a figure without a time covers.
    unproven: Option<String>,
    tightest: Option<String>,
    strain: f64,
    /// Time to cool down again from what it heats, s.
    cools_s: f64,
}

impl Bench<'_> {
    /// Some devices start while others run; how long that lasts.
    fn strain(&self, starting: &[usize], running: &[usize]) -> Strain {
        let network = &self.setting.network;
        let mut solver = Solver::new(network);
        let mut worst = Strain::default();
        let phases = starting.iter().map(|it| self.setting.devices[*it].starting.len()).max().unwrap_or(0).max(1);
        for phase in 0..phases {
            let mut loads = vec![Load::default(); self.setting.devices.len()];
            let mut seconds: f64 = 0.0;
            for it in running {
                loads[*it] = self.setting.devices[*it].busy;
            }
            for it in starting {
                let run = &self.setting.devices[*it];
                let now = run.starting.get(phase);
                loads[*it] = now.map_or(run.busy, |it| it.0);
                seconds = seconds.max(now.map_or(f64::INFINITY, |it| it.1));
            }
            solver.solve(&loads, &self.open_v);
            self.judge(&solver, seconds, &mut worst);
        }
        // Afterwards they run.
        let mut loads = vec![Load::default(); self.setting.devices.len()];
        running.iter().chain(starting).for_each(|it| loads[*it] = self.setting.devices[*it].busy);
        solver.solve(&loads, &self.open_v);
        self.judge(&solver, f64::INFINITY, &mut worst);
        worst
    }

    fn judge(&self, solver: &Solver<'_>, seconds: f64, worst: &mut Strain) {
        let breaks = |worst: &mut Strain, what: String| {
            worst.breaks.get_or_insert(what);
        };
        for breaker in &self.setting.breakers {
            let Some(value) = breaker.value(solver) else { continue };
            let limit = breaker.levels.continuous;
            let strain = if limit > 0.0 { value / limit } else { 0.0 };
            let words = || {
                format!(
                    "{} at {} of {}",
                    inside(&breaker.name),
                    amount(value, breaker.unit),
                    amount(limit, breaker.unit)
                )
            };
            let carried = breaker.levels.carried_s(value);
            if strain > worst.strain {
                worst.strain = strain;
                let over = value > limit * (1.0 + 1e-9);
                worst.tightest = Some(match over {
                    true if carried.is_finite() => format!("{}, which it carries for {carried:.0} s", words()),
                    true => format!("{}, which its peak covers", words()),
                    false => words(),
                });
            }
            if carried.is_infinite() && value > limit * (1.0 + 1e-9) {
                worst.unproven.get_or_insert_with(words);
            }
            if carried < seconds - 1e-6 {
                breaks(worst, format!("{} for {carried:.0} s at most", words()));
            } else if carried.is_finite() {
                worst.cools_s = worst.cools_s.max(seconds / carried * breaker.levels.cools_s());
            }
        }
        if !solver.is_stable() {
            breaks(worst, "a lead cannot carry it".to_owned());
        }
        for stage in &self.setting.stages {
            let volts = solver.volts_at(stage.node);
            if solver.is_lit(stage.node) && stage.edge_v.is_some_and(|it| volts < it) {
                let label = inside(self.setting.plan.label(&stage.id));
                breaks(worst, format!("{label} cuts out at {}", amount(volts, "V")));
            }
        }
        for run in &self.setting.devices {
            let volts = solver.volts_at(run.node);
            if solver.is_lit(run.node) && run.min_v.is_some_and(|it| volts < it) {
                let label = inside(&run.device.label);
                breaks(worst, format!("{label} gets {}", amount(volts, "V")));
            }
        }
    }

    fn seconds(&self, device: usize) -> f64 {
        self.setting.devices[device].starting.iter().map(|it| it.1).sum()
    }
}

/// Finds an order for everything that starts by itself after a return, with the stores at a charge by id (0 to 1; full
/// where left out).
pub fn starts(plan: &Plan, way: &Arrangement, outage: &Outage, charge: &BTreeMap<String, f64>) -> Starts {
    let setting = Setting::of(plan, way, outage);
    let open_v = (0..setting.network.sources_len()).map(|it| {
        let soc = charge.get(setting.origins[it].source.id.as_str()).copied().unwrap_or(1.0);
        setting.network.open_volts_of(it, soc)
    });
    let bench = Bench { open_v: open_v.collect(), setting };
    let label = |it: usize| inside(&bench.setting.devices[it].device.label);
    let id = |it: usize| bench.setting.devices[it].device.id.to_string();
    let by_itself = |it: &usize| {
        matches!(bench.setting.devices[*it].after, Some(AfterLoss::Resumes {} | AfterLoss::Restarts { .. }))
    };
    let (mut all, hand): (Vec<usize>, Vec<usize>) = (0..bench.setting.devices.len()).partition(by_itself);
    // What matters first, where there is a choice.
    all.sort_by(|a, b| bench.setting.devices[*a].priority.total_cmp(&bench.setting.devices[*b].priority));
    let by_hand: Vec<String> = hand.iter().map(|it| id(*it)).collect();
    let together = bench.strain(&all, &[]);
    let mut left = all.clone();
    let mut order = Vec::new();
    while !left.is_empty() {
        // From the end: who matters least and can start while all the others run.
        let last = left.iter().rposition(|it| {
            let others: Vec<usize> = left.iter().copied().filter(|other| other != it).collect();
            bench.strain(&[*it], &others).breaks.is_none()
        });
        let Some(last) = last else { break };
        order.push(left.remove(last));
    }
    order.reverse();
    if !left.is_empty() {
        let never = fewest(&bench, &left);
        let others = |it: &usize| never.iter().copied().filter(|other| other != it).collect::<Vec<_>>();
        let why = never.first().and_then(|it| bench.strain(&[*it], &others(it)).breaks).unwrap_or_default();
        let names: Vec<String> = never.iter().map(|it| label(*it)).collect();
        let sentence = match never.as_slice() {
            [one] => format!("There is no order: the {} cannot start even alone: {why}.", label(*one)),
            _ => format!(
                "There is no order: whichever of the {} starts last, something breaks: {why}.",
                names.join(" and the ")
            ),
        };
        return Starts {
            at_once: false,
            at_once_breaks: together.breaks,
            turns: Vec::new(),
            spacing_s: 0.0,
            rule: None,
            by_hand,
            never: never.iter().map(|it| id(*it)).collect(),
            sentence,
        };
    }
    let strains: Vec<Strain> = (0..order.len()).map(|it| bench.strain(&[order[it]], &order[..it])).collect();
    // Each start is over, and what it heated is cool again, before the next begins.
    let needed = order.iter().zip(&strains).map(|(it, strain)| bench.seconds(*it) + strain.cools_s);
    let at_once = together.breaks.is_none();
    let spacing_s = if at_once { 0.0 } else { needed.fold(1.0, f64::max).ceil() };
    let mut at_s = 0.0;
    let turns: Vec<StartTurn> = order
        .iter()
        .zip(&strains)
        .map(|(it, strain)| {
            let turn = StartTurn {
                device: id(*it),
                at_s,
                takes_s: bench.seconds(*it),
                tightest: strain.tightest.clone(),
                strain: strain.strain,
            };
            at_s += spacing_s;
            turn
        })
        .collect();
    let devices = order.iter().map(|it| bench.setting.devices[*it].device.id.clone()).collect();
    let rule = (!at_once).then(|| Rule::Stagger { seconds: Figure::assumed(spacing_s), devices });
    let sentence = if at_once {
        match (&together.unproven, &together.tightest) {
            (Some(it), _) => format!(
                "Everything may start at once, as far as anybody said: nobody said for how long it is carried, {it}. Measure it."
            ),
            (None, Some(it)) => format!("Everything may start at once; nearest to its limit is {it}."),
            (None, None) => "Everything may start at once.".to_owned(),
        }
    } else {
        format!(
            "One every {}, in this order, and everything is up after {}; all at once would break: {}.",
            super::clocked(spacing_s / 3600.0),
            super::clocked((turns.last().map_or(0.0, |it| it.at_s + it.takes_s)) / 3600.0),
            together.breaks.as_deref().unwrap_or("a limit")
        )
    };
    Starts { at_once, at_once_breaks: together.breaks, turns, spacing_s, rule, by_hand, never: Vec::new(), sentence }
}

/// As few devices as can be found of which none can start last.
fn fewest(bench: &Bench<'_>, stuck: &[usize]) -> Vec<usize> {
    let blocked = |set: &[usize]| {
        set.iter().all(|it| {
            let others: Vec<usize> = set.iter().copied().filter(|other| other != it).collect();
            bench.strain(&[*it], &others).breaks.is_some()
        })
    };
    for a in stuck {
        if blocked(&[*a]) {
            return vec![*a];
        }
    }
    for (place, a) in stuck.iter().enumerate() {
        for b in &stuck[place + 1..] {
            if blocked(&[*a, *b]) {
                return vec![*a, *b];
            }
        }
    }
    // No pair: leave out what is not needed for it.
    let mut set = stuck.to_vec();
    let mut place = 0;
    while place < set.len() {
        let mut smaller = set.clone();
        smaller.remove(place);
        if blocked(&smaller) { set = smaller } else { place += 1 }
    }
    set
}

/// Marches through a return with a rule for the starts: the breakers that trip, as `item: why`.
pub fn trips_at_return(plan: &Plan, way: &Arrangement, outage: &Outage, rule: Option<&Rule>) -> Vec<String> {
    let mut outage = outage.clone();
    outage.rules.retain(|it| !matches!(it, Rule::Stagger { .. }));
    outage.rules.extend(rule.cloned());
    let half = outage.hours.get() / 2.0;
    outage.mains = vec![
        MainsSpan { from_h: Figure::assumed(0.0), to_h: Figure::assumed(half), state: MainsState::Out },
        MainsSpan { from_h: Figure::assumed(half), to_h: Figure::assumed(outage.hours.get()), state: MainsState::On },
    ];
    let found = march(&Setting::of(plan, way, &outage), None, Fineness::default());
    let trips = found.events.iter().filter(|it| it.what == "trip" && it.at_h >= half - 1e-6);
    trips.map(|it| format!("{}: {}", it.item, it.cause.join("; "))).collect()
}
