//! The switch and the return as they are told: who rides through, who starts anew, who needs a person.

use super::setting::Setting;
use super::switch::gaps;
use crate::figure::Figure;
use crate::network::{Load, Solver};
use crate::plan::{AfterLoss, Arrangement, Outage, Plan};
use crate::text::inside;
use serde::Serialize;

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
    /// When it is back, s after the moment; none where a person has to act, 0 where it was never gone.
    pub back_s: Option<f64>,
    /// All of it in a sentence.
    pub sentence: String,
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
    pub headline: String,
    /// The return in a sentence.
    pub return_headline: String,
}

/// What every device sees as the mains goes and as it comes back, at full charge and the draw of running.
pub fn switchover(plan: &Plan, way: &Arrangement, outage: &Outage) -> Switchover {
    let setting = Setting::of(plan, way, outage);
    let network = &setting.network;
    let mut solver = Solver::new(network);
    let loads: Vec<Load> = setting.devices.iter().map(|it| it.running).collect();
    let open_v: Vec<f64> = (0..network.sources_len()).map(|it| network.open_volts_of(it, 1.0)).collect();
    solver.solve(&loads, &open_v);
    let switch: Vec<AtSwitch> = at(&setting, &solver, true);
    let back: Vec<AtSwitch> = at(&setting, &solver, false);
    let headline = headline(plan, &switch, "the switch");
    let return_headline = self::headline(plan, &back, "the return");
    Switchover { switch, back, headline, return_headline }
}

fn at(setting: &Setting<'_>, solver: &Solver<'_>, going: bool) -> Vec<AtSwitch> {
    let gaps = gaps(setting, solver, going);
    let all = setting.devices.iter().enumerate().map(|(device, run)| {
        let gap = gaps.iter().find(|it| it.device == device);
        let survives = run.device.ride_through_ms.as_ref().map(Figure::get);
        let label = &run.device.label;
        let starting: f64 = run.starting.iter().map(|it| it.1).sum();
        let needs_mains = {
            let mut at = run.node;
            loop {
                let port = setting.network.port_of(at);
                match setting.network.port_converter(port) {
                    Some(stage) => at = setting.stages[stage].node,
                    None => {
                        break setting.network.port_source(port).is_some_and(|it| setting.origins[it].needs_mains);
                    }
                }
            }
        };
        let (wants, _) = run.habit.at(0.0, &setting.clock);
        let mut it = AtSwitch {
            device: run.device.id.to_string(),
            transfer_ms: gap.map_or(0.0, |it| it.transfer_ms),
            held_ms: gap.map_or(0.0, |it| it.held_ms.min(it.transfer_ms)),
            gap_ms: gap.map_or(0.0, |it| it.ms),
            survives_ms: survives,
            fate: Fate::NoGap,
            back_s: Some(0.0),
            sentence: String::new(),
        };
        let seconds = it.gap_ms / 1000.0;
        let (after, words) = after(run.after, seconds, starting);
        (it.fate, it.back_s, it.sentence) = match gap {
            None if needs_mains && going => (Fate::Dark, None, format!("{label} hangs on the mains and goes with it.")),
            None if needs_mains => {
                let (fate, back_s) = after;
                (fate, back_s, format!("{label} has been off; it {words}."))
            }
            None => {
                (Fate::NoGap, Some(0.0), format!("{label} hangs on its store all the time and sees nothing of it."))
            }
            Some(gap) if gap.by_hand => (
                Fate::ByHand,
                Some(gap.transfer_ms / 1000.0 + starting),
                format!(
                    "A person plugs the {} over; that takes {}.",
                    inside(label),
                    super::clocked(gap.transfer_ms / 3.6e6)
                ),
            ),
            Some(gap) if gap.unknown => {
                (Fate::Unknown, None, format!("Nobody said how long {} gets nothing; capture it.", inside(label)))
            }
            Some(gap) if gap.ms <= 0.0 && gap.transfer_ms <= 0.0 => {
                (Fate::NoGap, Some(0.0), format!("{label} sees no gap."))
            }
            Some(gap) if gap.ms <= survives.unwrap_or(0.0) => (
                Fate::RidesThrough,
                Some(0.0),
                match survives {
                    Some(most) => format!("{label} rides through: {:.0} ms, it survives {most:.0}.", gap.ms),
                    None => {
                        format!("{label} rides through: what feeds it carries it over the {:.0} ms.", gap.transfer_ms)
                    }
                },
            ),
            Some(gap) => {
                let (fate, back_s) = after;
                let most = survives
                    .map_or_else(|| "nobody said what it survives".to_owned(), |most| format!("it survives {most:.0}"));
                (fate, back_s, format!("{label} sees {:.0} ms, {most}; it {words}.", gap.ms))
            }
        };
        if !wants && it.fate != Fate::NoGap {
            it.sentence = format!("{} It is off at that hour.", it.sentence);
        }
        it
    });
    all.collect()
}

/// What comes after a gap that is too long, and how that is said.
fn after(after: Option<&AfterLoss>, gap_s: f64, starting_s: f64) -> ((Fate, Option<f64>), String) {
    match after {
        Some(AfterLoss::Resumes {}) => ((Fate::Resumes, Some(gap_s + starting_s)), "goes on by itself".to_owned()),
        Some(AfterLoss::Restarts { seconds }) => {
            let back = gap_s + seconds.as_ref().map_or(0.0, Figure::get) + starting_s;
            let words = format!("starts anew by itself and is back after {}", super::clocked(back / 3600.0));
            ((Fate::Reboots, Some(back)), words)
        }
        Some(AfterLoss::Latches {}) => ((Fate::Latches, None), "stays off until a person acts".to_owned()),
        None => ((Fate::Unknown, None), "may need a person: nobody said what it does".to_owned()),
    }
}

fn headline(plan: &Plan, all: &[AtSwitch], moment: &str) -> String {
    let named = |fates: &[Fate]| -> Vec<String> {
        all.iter().filter(|it| fates.contains(&it.fate)).map(|it| inside(plan.label(&it.device))).collect()
    };
    let mut parts = Vec::new();
    let mut tell = |fates: &[Fate], one: &str, several: &str| {
        let names = named(fates);
        match names.as_slice() {
            [] => {}
            [name] => parts.push(format!("the {name} {one}")),
            [first, second] => parts.push(format!("the {first} and the {second} {several}")),
            [first, ..] => parts.push(format!("the {first} and {} more {several}", names.len() - 1)),
        }
    };
    tell(&[Fate::Latches], "needs a person", "need a person");
    tell(&[Fate::ByHand], "is plugged over by hand", "are plugged over by hand");
    tell(&[Fate::Unknown], "may or may not come back", "may or may not come back");
    tell(&[Fate::Dark], "goes with the mains", "go with the mains");
    tell(&[Fate::Reboots, Fate::Resumes], "comes back by itself", "come back by themselves");
    if parts.is_empty() {
        return format!("At {moment} nothing notices.");
    }
    format!("At {moment} {}.", parts.join(", "))
}
