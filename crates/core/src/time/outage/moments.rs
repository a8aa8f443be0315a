//! The switch and the return as they are told: who rides through, who starts anew, who needs a
//! person.

use super::march::{Fineness, march};
use super::result::{Doing, Simulation, StateSpan};
use super::setting::{Run, Setting};
use super::switch::{Gap, gaps};
use crate::ground::figure::Figure;
use crate::ground::say::{Amount, Name, Sentence, percent};
use crate::network::{Load, Solver};
use crate::site::plan::outage::{MainsSpan, MainsState, Rule};
use crate::site::plan::{AfterLoss, Arrangement, Outage, Plan};
use serde::Serialize;
use std::collections::BTreeMap;

/// Charge above its floor from which a store is worth switching back on, 0 to 1.
pub(super) const OF_USE_AGAIN: f64 = 0.1;

/// What a device makes of a gap.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum Fate {
    /// It sees no gap.
    NoGap,
    /// It rides through.
    RidesThrough,
    /// It goes on by itself as soon as it is fed again.
    Resumes,
    /// It starts anew by itself.
    Reboots,
    /// It stays off until a person acts.
    Latches,
    /// A person has to plug it over.
    ByHand,
    /// Nobody said how long the gap is, or what the device does then.
    Unknown,
    /// It is not fed any more.
    Dark,
    /// It was off for longer than it may be: a person looks at it first.
    Inspect,
    /// It was dropped on purpose, and waits for a hand.
    Dropped,
}

/// One device at one moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AtSwitch {
    /// The device.
    pub device: String,
    /// How long its source gives nothing, ms.
    pub transfer_ms: f64,
    /// How long the stages between carry it, ms.
    pub held_ms: f64,
    /// The gap that it sees, ms.
    pub gap_ms: f64,
    /// The gap that it survives, ms, where that is known.
    pub survives_ms: Option<f64>,
    /// What it makes of it.
    pub fate: Fate,
    /// When it is back, s after the moment; none where a person has to act, 0 where it was never
    /// gone.
    pub back_s: Option<f64>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// The moment of the switch, and that of the return.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Switchover {
    /// As the mains goes.
    pub switch: Vec<AtSwitch>,
    /// As it comes back.
    #[serde(rename = "return")]
    pub back: Vec<AtSwitch>,
    /// The switch in a sentence.
    pub headline: Sentence,
    /// The return in a sentence.
    pub return_headline: Sentence,
    /// When the mains is back, h after the start; none where it does not come back in the hours
    /// that are looked at, and is taken to do so at their end.
    pub returns_at_h: Option<f64>,
}

/// What every device makes of the mains going and of its coming back.
///
/// The going is told at the draw of running, the return from the state in which the outage left
/// everything: both are what the march does (`left`), in words.
pub fn switchover(plan: &Plan, way: &Arrangement, outage: &Outage) -> Switchover {
    let setting = Setting::of(plan, way, outage);
    let network = &setting.network;
    let mut solver = Solver::new(network);
    let loads: Vec<Load> = setting.devices.iter().map(|it| it.running).collect();
    let open_v: Vec<f64> = (0..network.sources_len())
        .map(|it| network.open_volts_of(it, 1.0))
        .collect();
    solver.solve(&loads, &open_v);
    let switch = at_switch(&setting, &solver);
    let left = left(plan, way, outage);
    let back = at_return(&setting, &solver, &left);
    let headline = headline(plan, &switch, "the switch");
    let return_headline = self::headline(plan, &back, "the return");
    Switchover {
        switch,
        back,
        headline,
        return_headline,
        returns_at_h: left.within.then_some(left.at_h),
    }
}

/// Seconds for which everything is followed after a return.
const FOLLOWED_H: f64 = 2.0;

/// The state in which an outage leaves everything, and what comes of it once the mains is back.
pub(super) struct Left {
    /// When the mains is back, h after the start.
    pub(super) at_h: f64,
    /// Whether that is within the hours that are looked at.
    pub(super) within: bool,
    pub(super) found: Simulation,
}

impl Left {
    /// What a device does just before the return.
    pub(super) fn before(&self, device: &str) -> Option<Doing> {
        self.state(device, |it| {
            it.from_h < self.at_h - 1e-7 && it.to_h >= self.at_h - 1e-7
        })
    }

    /// What it does from the return on.
    pub(super) fn after(&self, device: &str) -> Option<Doing> {
        self.state(device, |it| {
            it.from_h <= self.at_h + 1e-7 && it.to_h > self.at_h + 1e-7
        })
    }

    /// Whether a device was off for longer than it may be, and a person has to look at it before it
    /// starts again.
    pub(super) fn must_look(&self, run: &Run<'_>) -> bool {
        let missed = self
            .found
            .devices
            .get(run.device.id.as_str())
            .and_then(|it| it.deadline_missed_h);
        run.inspects && missed.is_some_and(|it| it <= self.at_h + 1e-6)
    }

    fn state(&self, device: &str, at: impl Fn(&StateSpan) -> bool) -> Option<Doing> {
        self.found
            .devices
            .get(device)?
            .spans
            .iter()
            .find(|it| at(it))
            .map(|it| it.state)
    }

    /// When it is on again after the return, s; none where it is not.
    pub(super) fn on_after_s(&self, device: &str) -> Option<f64> {
        let spans = &self.found.devices.get(device)?.spans;
        let on = spans
            .iter()
            .find(|it| it.state == Doing::On && it.to_h > self.at_h + 1e-7)?;
        Some((on.from_h - self.at_h).max(0.0) * 3600.0)
    }

    /// The charge of the store at an origin at the return, 0 to 1, where it has risen far enough
    /// above its floor to be of use again.
    fn risen(&self, setting: &Setting<'_>, origin: usize) -> Option<f64> {
        let id = &setting.origins[origin].source.id;
        let floor = setting.stores.iter().find(|it| it.source.id == *id)?.floor;
        self.charges()
            .get(id.as_str())
            .copied()
            .filter(|it| *it > floor + OF_USE_AGAIN)
    }

    /// Charge of each store at the return, 0 to 1, by id.
    pub(super) fn charges(&self) -> BTreeMap<String, f64> {
        let at = |series: &[[f64; 2]]| {
            series
                .iter()
                .rev()
                .find(|it| it[0] <= self.at_h + 1e-7)
                .map(|it| it[1])
        };
        self.found
            .sources
            .iter()
            .filter_map(|(id, it)| Some((id.clone(), at(&it.series)?)))
            .collect()
    }
}

/// Follows an outage to its first return and a while beyond. Where the mains does not come back in
/// the hours that are looked at, it is taken to come back at their end.
pub(super) fn left(plan: &Plan, way: &Arrangement, outage: &Outage) -> Left {
    let hours = outage.hours.get();
    let setting = Setting::of(plan, way, outage);
    let mut edges: Vec<f64> = outage
        .mains
        .iter()
        .flat_map(|it| [it.from_h.get(), it.to_h.get()])
        .collect();
    edges.sort_by(f64::total_cmp);
    let returns = |at: &f64| {
        let (before, after) = ((at * 3600.0 - 1.0).max(0.0), at * 3600.0);
        *at > 0.0 && *at < hours && !setting.mains_on(before) && setting.mains_on(after)
    };
    let within = edges.into_iter().find(returns);
    let at_h = within.unwrap_or(hours);
    let mut longer = outage.clone();
    longer.mains.retain(|it| it.from_h.get() < at_h);
    for it in &mut longer.mains {
        it.to_h = Figure::assumed(it.to_h.get().min(at_h));
    }
    let state = MainsState::On;
    longer.mains.push(MainsSpan {
        from_h: Figure::assumed(at_h),
        to_h: Figure::assumed(at_h + FOLLOWED_H),
        state,
    });
    longer.hours = Figure::assumed(at_h + FOLLOWED_H);
    // A start in an order is what the planner is asked for; here everything starts as it would by
    // itself.
    longer
        .rules
        .retain(|it| !matches!(it, Rule::Stagger { .. }));
    let step = (at_h * 3600.0).max(1.0);
    let found = march(
        &Setting::of(plan, way, &longer),
        Some(step),
        Fineness::default(),
    );
    Left {
        at_h,
        within: within.is_some(),
        found,
    }
}

/// The root of a device's chain: the source, by its place.
fn root(setting: &Setting<'_>, node: usize) -> Option<usize> {
    let mut at = node;
    loop {
        let port = setting.network.port_of(at);
        match setting.network.port_converter(port) {
            Some(stage) => at = setting.stages[stage].node,
            None => return setting.network.port_source(port),
        }
    }
}

fn blank(run: &Run<'_>, gap: Option<&Gap>) -> AtSwitch {
    AtSwitch {
        device: run.device.id.to_string(),
        transfer_ms: gap.map_or(0.0, |it| it.transfer_ms),
        held_ms: gap.map_or(0.0, |it| it.held_ms.min(it.transfer_ms)),
        gap_ms: gap.map_or(0.0, |it| it.ms),
        survives_ms: run.device.ride_through_ms.as_ref().map(Figure::get),
        fate: Fate::NoGap,
        back_s: Some(0.0),
        sentence: String::new().into(),
    }
}

fn at_switch(setting: &Setting<'_>, solver: &Solver<'_>) -> Vec<AtSwitch> {
    let gaps = gaps(setting, solver, true);
    let hour = setting.clock.of_day(0.0) / 3600.0;
    let on = |it: usize| setting.devices[it].habit.at(0.0, &setting.clock).0;
    let open = setting.gates.open(hour, on, |_| true);
    let shut = |device: usize| {
        setting
            .gates
            .above_device(device)
            .iter()
            .any(|it| !open[*it])
    };
    let all = setting.devices.iter().enumerate().map(|(device, run)| {
        let gap = gaps.iter().find(|it| it.device == device);
        let needs_mains = root(setting, run.node).is_some_and(|it| setting.origins[it].needs_mains);
        let label = Name(&run.device.label);
        let mut it = blank(run, gap);
        let (mut fate, mut back_s, mut said) = match gap {
            None if needs_mains => (
                Fate::Dark,
                None,
                format!("{label} hangs on the mains and goes with it."),
            ),
            None => (
                Fate::NoGap,
                Some(0.0),
                format!("{label} hangs on its store all the time and sees nothing of it."),
            ),
            Some(gap) => of_gap(run, gap),
        };
        let (wants, _) = run.habit.at(0.0, &setting.clock);
        if !wants && fate != Fate::NoGap {
            said += " It is off at that hour.";
        } else if shut(device) {
            (fate, back_s) = (Fate::NoGap, Some(0.0));
            said = format!("{label} is switched off at that hour.");
        }
        (it.fate, it.back_s, it.sentence) = (fate, back_s, said.into());
        it
    });
    all.collect()
}

/// What a device that is on makes of a gap, as the march has it.
fn of_gap(run: &Run<'_>, gap: &Gap) -> (Fate, Option<f64>, String) {
    let label = Name(&run.device.label);
    let survives = run.device.ride_through_ms.as_ref().map(Figure::get);
    let starting: f64 = run.starting.iter().map(|it| it.1).sum();
    match () {
        () if gap.by_hand => (
            Fate::ByHand,
            Some(gap.transfer_ms / 1000.0 + starting),
            format!(
                "A person plugs {label} over; that takes {}.",
                super::clocked(gap.transfer_ms / 3.6e6)
            ),
        ),
        () if gap.unknown => (
            Fate::Unknown,
            None,
            format!("Nobody said how long {label} gets nothing; capture it on the bench."),
        ),
        () if gap.ms <= 0.0 && gap.transfer_ms <= 0.0 => {
            (Fate::NoGap, Some(0.0), format!("{label} sees no gap."))
        }
        () if gap.ms <= survives.unwrap_or(0.0) => (
            Fate::RidesThrough,
            Some(0.0),
            match survives {
                Some(most) => format!(
                    "{label} rides through: {}, it survives {}.",
                    ms(gap.ms),
                    ms(most)
                ),
                None => format!(
                    "{label} rides through: what feeds it carries it over the {}.",
                    ms(gap.transfer_ms)
                ),
            },
        ),
        () if !gap.is_felt(run) => (
            Fate::Unknown,
            None,
            format!(
                "{label} sees {}; nobody said what it survives, nor what it does then. It is taken \
                to ride through: pull the \
                 plug once while someone watches.",
                ms(gap.ms)
            ),
        ),
        () => {
            let ((fate, back_s), words) = after(run.after, gap.ms / 1000.0, starting);
            let most = survives.map_or_else(
                || "nobody said what it survives".to_owned(),
                |most| format!("it survives {}", ms(most)),
            );
            (
                fate,
                back_s,
                format!("{label} sees {}, {most}; it {words}.", ms(gap.ms)),
            )
        }
    }
}

fn ms(value: f64) -> Amount<'static> {
    Amount(value.round(), "ms")
}

fn at_return(setting: &Setting<'_>, solver: &Solver<'_>, left: &Left) -> Vec<AtSwitch> {
    let gaps = gaps(setting, solver, false);
    let all = setting.devices.iter().enumerate().map(|(device, run)| {
        let gap = gaps.iter().find(|it| it.device == device);
        let id = run.device.id.as_str();
        let mut it = blank(run, gap);
        let (fate, back_s, said) = returned(setting, run, gap, left, id);
        (it.fate, it.back_s, it.sentence) = (fate, back_s, said.into());
        it
    });
    all.collect()
}

/// What a device does at the return, from the state in which the outage left it.
fn returned(
    setting: &Setting<'_>,
    run: &Run<'_>,
    gap: Option<&Gap>,
    left: &Left,
    id: &str,
) -> (Fate, Option<f64>, String) {
    let label = Name(&run.device.label);
    let fared = left.found.devices.get(id);
    let missed = fared
        .and_then(|it| it.deadline_missed_h)
        .filter(|it| *it <= left.at_h + 1e-6);
    let down = fared
        .and_then(|it| it.down_at_h)
        .filter(|it| *it <= left.at_h + 1e-6);
    let since = down.map_or_else(String::new, |it| format!(" since {}", super::clocked(it)));
    let late = run
        .device
        .deadline
        .as_ref()
        .and_then(|it| it.consequence.as_deref());
    let late = missed.map_or_else(String::new, |_| {
        late.map_or_else(
            || ", longer than it may".to_owned(),
            |it| format!(", longer than it may ({it})"),
        )
    });
    let before = left.before(id).unwrap_or(Doing::Off);
    let look = format!(
        "{label} has been off{since}{late}: a person looks at it before it may start again."
    );
    match (before, left.after(id)) {
        (_, Some(Doing::Inspect)) | (Doing::Inspect, _) => (Fate::Inspect, None, look),
        _ if left.must_look(run) => (Fate::Inspect, None, look),
        (Doing::On | Doing::Starting, after) => match gap {
            Some(gap) if gap.is_felt(run) => of_gap(run, gap),
            _ if after == Some(Doing::Latched) => (
                Fate::Latches,
                None,
                format!("{label} stays off until a person acts."),
            ),
            Some(gap) => of_gap(run, gap),
            None => (
                Fate::NoGap,
                Some(0.0),
                format!("{label} is on, and sees nothing of it."),
            ),
        },
        (_, Some(Doing::Latched)) => (
            Fate::Latches,
            None,
            format!("{label} has been off{since}{late}; it stays off until a person acts."),
        ),
        (Doing::Shed, _) => (
            Fate::Dropped,
            None,
            format!("{label} was dropped{since}; a person switches it back on."),
        ),
        (Doing::Shut, _) if missed.is_none() => (
            Fate::NoGap,
            Some(0.0),
            format!("{label} is switched off at that hour, and comes on with its switch."),
        ),
        (Doing::Off, _) if down.is_none() || missed.is_none() => (
            Fate::NoGap,
            Some(0.0),
            format!("{label} is off at that hour, and comes on at its time."),
        ),
        (_, after) => match left.on_after_s(id) {
            Some(seconds) => {
                let fate = if matches!(run.after, Some(AfterLoss::Restarts { .. })) {
                    Fate::Reboots
                } else {
                    Fate::Resumes
                };
                let words = super::clocked(seconds / 3600.0);
                (
                    fate,
                    Some(seconds),
                    format!(
                        "{label} has been off{since}{late}; it comes back by itself, on after \
                        {words}."
                    ),
                )
            }
            None if matches!(after, Some(Doing::Off | Doing::Shut)) => (
                Fate::NoGap,
                Some(0.0),
                format!("{label} is fed again, and comes on at its time."),
            ),
            None => {
                let why = fared.and_then(|it| it.why.as_deref());
                let origin = root(setting, run.node);
                let root = origin.map(|it| Name(&setting.origins[it].source.label));
                let why = match (why, root) {
                    (Some("floor"), Some(name)) => {
                        match origin.and_then(|it| left.risen(setting, it)) {
                            Some(charge) => format!(
                                "{name} was at its floor and is at {} again, and the mains does \
                                not carry it: switch it back on",
                                percent(charge)
                            ),
                            None => format!(
                                "{name} is at its floor and the mains does not carry it: charge \
                                it, and switch it back on"
                            ),
                        }
                    }
                    (Some(why), Some(root)) => {
                        format!(
                            "what feeds it stays off ({why}, {root}): find out why, and switch it \
                            back on"
                        )
                    }
                    _ => "what feeds it stays off".to_owned(),
                };
                (
                    Fate::Dark,
                    None,
                    format!("{label} has been off{since}{late}, and stays off: {why}."),
                )
            }
        },
    }
}

/// What comes after a gap that is too long, and how that is said.
fn after(after: Option<&AfterLoss>, gap_s: f64, starting_s: f64) -> ((Fate, Option<f64>), String) {
    match after {
        Some(AfterLoss::Resumes {}) => (
            (Fate::Resumes, Some(gap_s + starting_s)),
            "goes on by itself".to_owned(),
        ),
        Some(AfterLoss::Restarts { seconds }) => {
            let back = gap_s + seconds.as_ref().map_or(0.0, Figure::get) + starting_s;
            let words = format!(
                "starts anew by itself and is back after {}",
                super::clocked(back / 3600.0)
            );
            ((Fate::Reboots, Some(back)), words)
        }
        Some(AfterLoss::Latches {}) => (
            (Fate::Latches, None),
            "stays off until a person acts".to_owned(),
        ),
        None => (
            (Fate::Unknown, None),
            "may need a person: nobody said what it does".to_owned(),
        ),
    }
}

fn headline(plan: &Plan, all: &[AtSwitch], moment: &str) -> Sentence {
    let named = |fates: &[Fate]| -> Vec<String> {
        all.iter()
            .filter(|it| fates.contains(&it.fate))
            .map(|it| Name(plan.label(&it.device)).to_string())
            .collect()
    };
    let mut parts = Vec::new();
    let mut tell = |fates: &[Fate], one: &str, several: &str| {
        let names = named(fates);
        match names.as_slice() {
            [] => {}
            [name] => parts.push(format!("{name} {one}")),
            [first, second] => parts.push(format!("{first} and {second} {several}")),
            [first, ..] => parts.push(format!("{first} and {} more {several}", names.len() - 1)),
        }
    };
    tell(
        &[Fate::Inspect],
        "must be looked at before it starts",
        "must be looked at before they start",
    );
    tell(&[Fate::Latches], "needs a person", "need a person");
    tell(
        &[Fate::ByHand],
        "is plugged over by hand",
        "are plugged over by hand",
    );
    tell(
        &[Fate::Unknown],
        "may or may not come back",
        "may or may not come back",
    );
    let (one, several) = if moment == "the switch" {
        ("goes with the mains", "go with the mains")
    } else {
        ("stays without a feed", "stay without a feed")
    };
    tell(&[Fate::Dark], one, several);
    tell(
        &[Fate::Dropped],
        "waits to be switched back on",
        "wait to be switched back on",
    );
    tell(
        &[Fate::Reboots, Fate::Resumes],
        "comes back by itself",
        "come back by themselves",
    );
    if parts.is_empty() {
        return format!("At {moment} nothing notices.").into();
    }
    format!("At {moment} {}.", parts.join(", ")).into()
}
