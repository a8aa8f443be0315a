//! In which order, and how far apart, everything starts after a return without tripping anything.
//!
//! What starts last starts while all the others run. More that runs never makes a start easier, so
//! that a device that can start last among some can be put last among them; if none of them can,
//! whichever order ends in trouble. The order is therefore found from its end, and where it ends is
//! the proof that there is none.

use super::march::{Fineness, march};
use super::moments::{Left, left};
use super::result::Doing;
use super::setting::Setting;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, Sentence, amount};
use crate::network::{Load, Solver};
use crate::site::plan::outage::{MainsSpan, MainsState, Rule};
use crate::site::plan::{AfterLoss, Arrangement, Outage, Plan};
use serde::Serialize;
use std::collections::BTreeMap;

/// What a start moves a limit's value by at least for that to be a limit of it, as a share of the
/// limit: by less it merely feels the sag.
const TOUCHED: f64 = 0.01;

/// What is carried for less than this is not carried, s.
const LEAST_S: f64 = 1e-3;

/// So many seconds in words; of less than one not only none.
fn lasting(seconds: f64) -> impl std::fmt::Display {
    amount(
        if seconds < 1.0 {
            seconds
        } else {
            seconds.round()
        },
        "s",
    )
}

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
    pub tightest: Option<Sentence>,
    /// Value over that limit.
    pub strain: f64,
}

/// A start by hand.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct HandTurn {
    /// The device.
    pub device: String,
    /// What breaks where it starts while everything else is up, in words.
    pub breaks: Option<Sentence>,
    /// What must be off meanwhile, by id; none where it cannot be started at all.
    pub off_meanwhile: Option<Vec<String>>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// An order in which everything starts, or why there is none.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Starts {
    /// Whether everything may start at once.
    pub at_once: bool,
    /// What breaks where everything starts at once, in words.
    pub at_once_breaks: Option<Sentence>,
    /// The order; empty where there is none.
    pub turns: Vec<StartTurn>,
    /// Least time between two starts in that order, s.
    pub spacing_s: f64,
    /// The rule that does it, ready for an outage.
    pub rule: Option<Rule>,
    /// Devices that a person has to start.
    pub by_hand: Vec<String>,
    /// Devices that were off for longer than they may be, and must be looked at before they start.
    pub look_first: Vec<String>,
    /// What it takes to start each of these, judged like every other start.
    pub hands: Vec<HandTurn>,
    /// Devices that never fit together, where there is no order: as few as prove it.
    pub never: Vec<String>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

struct Bench<'a> {
    setting: Setting<'a>,
    open_v: Vec<f64>,
}

/// What a state does: how near to a limit, and whether something breaks.
#[derive(Debug, Clone, Default)]
struct Strain {
    breaks: Option<Sentence>,
    /// What only a figure without a time covers.
    unproven: Option<Sentence>,
    tightest: Option<Sentence>,
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
        // What the starts do not touch is no limit of theirs, however much flows there.
        let mut loads = vec![Load::default(); self.setting.devices.len()];
        for it in running {
            loads[*it] = self.setting.devices[*it].busy;
        }
        solver.solve(&loads, &self.open_v);
        let before: Vec<f64> = self
            .setting
            .breakers
            .iter()
            .map(|it| it.value(&solver).unwrap_or(0.0))
            .collect();
        // What each phase alone is carried through, all of them together may not be: the march
        // warms up over them too.
        let mut heat = vec![0.0; self.setting.breakers.len()];
        // So are converters that bear a sag for a while.
        let mut low = vec![0.0; self.setting.stages.len()];
        let phases = starting
            .iter()
            .map(|it| self.setting.devices[*it].starting.len())
            .max()
            .unwrap_or(0)
            .max(1);
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
            self.judge(&solver, seconds, (&mut heat, &mut low, &before), &mut worst);
        }
        // Afterwards they run.
        let mut loads = vec![Load::default(); self.setting.devices.len()];
        running
            .iter()
            .chain(starting)
            .for_each(|it| loads[*it] = self.setting.devices[*it].busy);
        solver.solve(&loads, &self.open_v);
        self.judge(
            &solver,
            f64::INFINITY,
            (&mut heat, &mut low, &before),
            &mut worst,
        );
        worst
    }

    /// Judges a state that lasts so many seconds: `heat` and `low` are how warm each breaker is,
    /// and for how long each converter has stood below its cut-out, s; `before` is what each
    /// breaker carried without the starts.
    fn judge(
        &self,
        solver: &Solver<'_>,
        seconds: f64,
        (heat, low, before): (&mut [f64], &mut [f64], &[f64]),
        worst: &mut Strain,
    ) {
        let breaks = |worst: &mut Strain, what: Sentence| {
            worst.breaks.get_or_insert(what);
        };
        for ((breaker, heat), before) in self.setting.breakers.iter().zip(heat).zip(before) {
            let Some(value) = breaker.value(solver) else {
                continue;
            };
            let limit = breaker.levels.continuous;
            let strain = if limit > 0.0 { value / limit } else { 0.0 };
            let words = || {
                Sentence::from(format!(
                    "{} at {} of {}",
                    Name(&breaker.name),
                    amount(value, breaker.unit),
                    amount(limit, breaker.unit)
                ))
            };
            let carried = breaker.levels.carried_s(value);
            let touched = value - before > TOUCHED * limit;
            if touched && strain > worst.strain {
                worst.strain = strain;
                let over = value > limit * (1.0 + 1e-9);
                worst.tightest = Some(match over {
                    true if carried.is_finite() => {
                        format!("{}, which it carries for {}", words(), lasting(carried)).into()
                    }
                    true => format!("{}, which its peak covers", words()).into(),
                    false => words(),
                });
            }
            if carried.is_infinite() && value > limit * (1.0 + 1e-9) {
                worst.unproven.get_or_insert_with(words);
            }
            *heat = match carried {
                _ if carried.is_finite() && carried > 0.0 => *heat + seconds / carried,
                _ if carried.is_infinite() => {
                    (*heat - seconds / breaker.levels.cools_s().max(1e-9)).max(0.0)
                }
                _ => *heat,
            };
            if carried < seconds - 1e-6 || (carried.is_finite() && *heat > 1.0 + 1e-9) {
                let why = if carried < LEAST_S {
                    format!("{} trips at once", words())
                } else {
                    format!("{}, which it carries for {}", words(), lasting(carried))
                };
                breaks(worst, why.into());
            } else if carried.is_finite() {
                worst.cools_s = worst
                    .cools_s
                    .max(seconds / carried * breaker.levels.cools_s());
            }
        }
        if !solver.is_stable() {
            breaks(worst, "a lead cannot carry it".into());
        }
        for (stage, low) in self.setting.stages.iter().zip(low) {
            let volts = solver.volts_at(stage.node);
            let sags = solver.is_lit(stage.node) && stage.edge_v.is_some_and(|it| volts < it);
            *low = if sags { *low + seconds } else { 0.0 };
            if sags && *low >= stage.delay_s - 1e-9 {
                let label = Name(self.setting.plan.label(&stage.id));
                breaks(
                    worst,
                    format!("{label} cuts out at {}", amount(volts, "V")).into(),
                );
            }
        }
        for run in &self.setting.devices {
            let volts = solver.volts_at(run.node);
            if solver.is_lit(run.node) && run.min_v.is_some_and(|it| volts < it) {
                let label = Name(&run.device.label);
                breaks(worst, format!("{label} gets {}", amount(volts, "V")).into());
            }
        }
    }

    fn seconds(&self, device: usize) -> f64 {
        self.setting.devices[device]
            .starting
            .iter()
            .map(|it| it.1)
            .sum::<f64>()
            + 0.0
    }
}

/// Who does what at the return, by place: from the state in which the outage left everything.
#[derive(Debug, Default)]
struct Roles {
    /// Starts by itself.
    starts: Vec<usize>,
    /// Is on and rides through.
    runs: Vec<usize>,
    /// Waits for a person to start it.
    hand: Vec<usize>,
    /// Must be looked at before it starts.
    look: Vec<usize>,
    /// Was dropped, and is nobody's concern.
    rests: Vec<usize>,
}

impl Roles {
    fn of(bench: &Bench<'_>, left: &Left) -> Self {
        let mut roles = Self::default();
        for (index, run) in bench.setting.devices.iter().enumerate() {
            let id = run.device.id.as_str();
            let by_itself = matches!(
                run.after,
                Some(AfterLoss::Resumes {} | AfterLoss::Restarts { .. })
            );
            let list = match (left.before(id), left.after(id)) {
                _ if left.must_look(run) => &mut roles.look,
                (_, Some(Doing::Inspect)) | (Some(Doing::Inspect), _) => &mut roles.look,
                (_, Some(Doing::Latched)) => &mut roles.hand,
                (Some(Doing::On | Doing::Starting), Some(Doing::On)) => &mut roles.runs,
                (Some(Doing::Shed), _) | (_, Some(Doing::Shed)) => &mut roles.rests,
                // What went off with its port starts once somebody has switched that back on.
                _ if by_itself => &mut roles.starts,
                _ => &mut roles.hand,
            };
            list.push(index);
        }
        // Where nothing was lost there is nothing to order: the question is then what comes of it
        // if everything was.
        if roles.starts.is_empty()
            && roles.hand.is_empty()
            && roles.look.is_empty()
            && roles.rests.is_empty()
        {
            let by_itself = |it: &usize| {
                matches!(
                    bench.setting.devices[*it].after,
                    Some(AfterLoss::Resumes {} | AfterLoss::Restarts { .. })
                )
            };
            (roles.starts, roles.hand) = std::mem::take(&mut roles.runs)
                .into_iter()
                .partition(by_itself);
        }
        roles
    }
}

/// Finds an order for everything that starts by itself after a return, from the state in which the
/// outage leaves everything: who is on and rides through runs on, who must be looked at waits, and
/// who needs a hand is judged as well. `charge` sets the stores by id (0 to 1); those that are left
/// out stand where the outage leaves them.
pub fn starts(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    charge: &BTreeMap<String, f64>,
) -> Starts {
    let left = left(plan, way, outage);
    let mut soc = left.charges();
    soc.extend(charge.iter().map(|it| (it.0.clone(), *it.1)));
    let setting = Setting::of(plan, way, outage);
    let open_v = (0..setting.network.sources_len()).map(|it| {
        let soc = soc
            .get(setting.origins[it].source.id.as_str())
            .copied()
            .unwrap_or(1.0);
        setting.network.open_volts_of(it, soc)
    });
    let bench = Bench {
        open_v: open_v.collect(),
        setting,
    };
    let mut roles = Roles::of(&bench, &left);
    // What matters first, where there is a choice.
    let rank = |it: &usize| bench.setting.devices[*it].priority;
    for list in [
        &mut roles.starts,
        &mut roles.runs,
        &mut roles.hand,
        &mut roles.look,
    ] {
        list.sort_by(|a, b| rank(a).total_cmp(&rank(b)));
    }
    let mut found = bench.ordered(&roles);
    found.by_hand = roles.hand.iter().map(|it| bench.id(*it)).collect();
    found.look_first = roles.look.iter().map(|it| bench.id(*it)).collect();
    // Who is started by a hand is started beside everything else that is up by then.
    let mut up: Vec<usize> = roles.runs.iter().chain(&roles.starts).copied().collect();
    for it in roles.look.iter().chain(&roles.hand) {
        let turn = bench.hand_turn(*it, &up);
        if turn.breaks.is_none() {
            up.push(*it);
        }
        found.hands.push(turn);
    }
    let told: Vec<&str> = found
        .hands
        .iter()
        .filter(|it| it.breaks.is_some())
        .map(|it| it.sentence.marked())
        .collect();
    if !told.is_empty() {
        // What a hand cannot start as everything stands is part of the answer, not a remark to it.
        found.at_once = false;
        let told = told.join(" ");
        found.sentence = format!("{} {told}", found.sentence).into();
    }
    found
}

impl Bench<'_> {
    fn label(&self, it: usize) -> String {
        Name(&self.setting.devices[it].device.label).to_string()
    }

    fn id(&self, it: usize) -> String {
        self.setting.devices[it].device.id.to_string()
    }

    /// What it takes to start a device by hand while others are up.
    fn hand_turn(&self, device: usize, up: &[usize]) -> HandTurn {
        let breaks = self.strain(&[device], up).breaks;
        let label = self.label(device);
        let Some(why) = breaks.clone() else {
            let sentence = format!("{label} may be started by hand while everything else runs.");
            return HandTurn {
                device: self.id(device),
                breaks,
                off_meanwhile: Some(Vec::new()),
                sentence: sentence.into(),
            };
        };
        // As few as may be are switched off meanwhile, those first that matter least.
        let mut kept = up.to_vec();
        let mut off = Vec::new();
        while let Some(last) = kept.pop() {
            off.push(last);
            if self.strain(&[device], &kept).breaks.is_none() {
                break;
            }
        }
        if self.strain(&[device], &kept).breaks.is_some() {
            let sentence =
                format!("{label} cannot be started even with everything else off: {why}.");
            return HandTurn {
                device: self.id(device),
                breaks,
                off_meanwhile: None,
                sentence: sentence.into(),
            };
        }
        let mut place = 0;
        while place < off.len() {
            let mut fewer = off.clone();
            let back = fewer.remove(place);
            let with: Vec<usize> = kept.iter().copied().chain([back]).collect();
            if self.strain(&[device], &with).breaks.is_none() {
                kept.push(back);
                off = fewer;
            } else {
                place += 1;
            }
        }
        let names: Vec<String> = off.iter().map(|it| self.label(*it)).collect();
        let sentence = format!(
            "{label} is started by hand, and only while {} {} off: {why}.",
            names.join(" and "),
            if names.len() == 1 { "is" } else { "are" }
        );
        HandTurn {
            device: self.id(device),
            breaks,
            off_meanwhile: Some(off.iter().map(|it| self.id(*it)).collect()),
            sentence: sentence.into(),
        }
    }

    /// The order of those that start by themselves, while those that rode through run.
    fn ordered(&self, roles: &Roles) -> Starts {
        let (all, runs) = (&roles.starts, &roles.runs);
        let together = self.strain(all, runs);
        let mut left = all.clone();
        let mut order = Vec::new();
        while !left.is_empty() {
            // From the end: who matters least and can start while all the others run.
            let last = left.iter().rposition(|it| {
                let others: Vec<usize> = left
                    .iter()
                    .chain(runs)
                    .copied()
                    .filter(|other| other != it)
                    .collect();
                self.strain(&[*it], &others).breaks.is_none()
            });
            let Some(last) = last else { break };
            order.push(left.remove(last));
        }
        order.reverse();
        if !left.is_empty() {
            return self.no_order(&left, runs, together);
        }
        let before =
            |it: usize| -> Vec<usize> { order[..it].iter().chain(runs).copied().collect() };
        let strains: Vec<Strain> = (0..order.len())
            .map(|it| self.strain(&[order[it]], &before(it)))
            .collect();
        // Each start is over, and what it heated is cool again, before the next begins.
        let needed = order
            .iter()
            .zip(&strains)
            .map(|(it, strain)| self.seconds(*it) + strain.cools_s);
        let at_once = together.breaks.is_none();
        let spacing_s = if at_once {
            0.0
        } else {
            needed.fold(1.0, f64::max).ceil()
        };
        let mut at_s = 0.0;
        let turns = order.iter().zip(&strains).map(|(it, strain)| {
            let (tightest, takes_s) = (strain.tightest.clone(), self.seconds(*it));
            let turn = StartTurn {
                device: self.id(*it),
                at_s,
                takes_s,
                tightest,
                strain: strain.strain,
            };
            at_s += spacing_s;
            turn
        });
        let turns: Vec<StartTurn> = turns.collect();
        let devices = order
            .iter()
            .map(|it| self.setting.devices[*it].device.id.clone())
            .collect();
        let rule = (!at_once).then(|| Rule::Stagger {
            seconds: Figure::assumed(spacing_s),
            devices,
        });
        let sentence = self.said(roles, &together, &turns, spacing_s);
        let at_once_breaks = together.breaks;
        Starts {
            at_once,
            at_once_breaks,
            turns,
            spacing_s,
            rule,
            sentence: sentence.into(),
            ..Starts::none()
        }
    }

    fn said(
        &self,
        roles: &Roles,
        together: &Strain,
        turns: &[StartTurn],
        spacing_s: f64,
    ) -> String {
        let which = match (
            roles.starts.as_slice(),
            roles.runs.len() + roles.hand.len() + roles.look.len(),
        ) {
            ([], 0) => return "Nothing is fed here that could start.".to_owned(),
            ([], _) => return "Nothing starts by itself.".to_owned(),
            ([one], 1..) => self.label(*one),
            (_, 0) => "Everything".to_owned(),
            _ => "Everything that starts by itself".to_owned(),
        };
        match (&together.breaks, &together.unproven, &together.tightest) {
            (Some(breaks), _, _) => format!(
                "One every {}, in this order, and everything is up after {}; all at once would \
                break: {breaks}.",
                super::clocked(spacing_s / 3600.0),
                super::clocked((turns.last().map_or(0.0, |it| it.at_s + it.takes_s)) / 3600.0),
            ),
            (None, Some(it), _) => format!(
                "{which} may start at once, as far as anybody said: nobody said for how long it is \
                carried, {it}. Measure it."
            ),
            (None, None, Some(it)) => {
                format!("{which} may start at once; nearest to its limit is {it}.")
            }
            (None, None, None) => format!("{which} may start at once."),
        }
    }

    fn no_order(&self, left: &[usize], runs: &[usize], together: Strain) -> Starts {
        let never = fewest(self, left, runs);
        let others = |it: &usize| -> Vec<usize> {
            never
                .iter()
                .chain(runs)
                .copied()
                .filter(|other| other != it)
                .collect()
        };
        let why = never
            .first()
            .and_then(|it| self.strain(&[*it], &others(it)).breaks)
            .unwrap_or_default();
        let names: Vec<String> = never.iter().map(|it| self.label(*it)).collect();
        let sentence = match never.as_slice() {
            [one] => format!(
                "There is no order: {} cannot start even alone: {why}.",
                self.label(*one)
            ),
            _ => {
                format!(
                    "There is no order: whichever of {} starts last, something breaks: {why}.",
                    names.join(" and ")
                )
            }
        };
        let never = never.iter().map(|it| self.id(*it)).collect();
        Starts {
            at_once_breaks: together.breaks,
            never,
            sentence: sentence.into(),
            ..Starts::none()
        }
    }
}

impl Starts {
    fn none() -> Self {
        Self {
            at_once: false,
            at_once_breaks: None,
            turns: Vec::new(),
            spacing_s: 0.0,
            rule: None,
            by_hand: Vec::new(),
            look_first: Vec::new(),
            hands: Vec::new(),
            never: Vec::new(),
            sentence: String::new().into(),
        }
    }
}

/// As few devices as can be found of which none can start last.
fn fewest(bench: &Bench<'_>, stuck: &[usize], runs: &[usize]) -> Vec<usize> {
    let blocked = |set: &[usize]| {
        set.iter().all(|it| {
            let others: Vec<usize> = set
                .iter()
                .chain(runs)
                .copied()
                .filter(|other| other != it)
                .collect();
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
        if blocked(&smaller) {
            set = smaller;
        } else {
            place += 1;
        }
    }
    set
}

/// Marches through a return with a rule for the starts: the breakers that trip, as `item: why`.
pub fn trips_at_return(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    rule: Option<&Rule>,
) -> Vec<String> {
    let mut outage = outage.clone();
    outage
        .rules
        .retain(|it| !matches!(it, Rule::Stagger { .. }));
    outage.rules.extend(rule.cloned());
    let half = outage.hours.get() / 2.0;
    outage.mains = vec![
        MainsSpan {
            from_h: Figure::assumed(0.0),
            to_h: Figure::assumed(half),
            state: MainsState::Out,
        },
        MainsSpan {
            from_h: Figure::assumed(half),
            to_h: Figure::assumed(outage.hours.get()),
            state: MainsState::On,
        },
    ];
    let found = march(&Setting::of(plan, way, &outage), None, Fineness::default());
    let trips = found
        .events
        .iter()
        .filter(|it| matches!(it.what.as_str(), "trip" | "fuse") && it.at_h >= half - 1e-6);
    trips
        .map(|it| {
            format!(
                "{}: {}",
                it.item,
                it.cause
                    .iter()
                    .map(|it| it.plain())
                    .collect::<Vec<_>>()
                    .join("; ")
            )
        })
        .collect()
}
