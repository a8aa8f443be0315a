//! What is known, as somebody reads it who was asleep a minute ago.

use super::answer::Estimate;
use super::happening::left;
use super::seen::{Act, Seen};
use crate::ground::figure::Figure;
use crate::ground::say::{Amount, Clock as TimeOfDay, Name, Sentence};
use crate::site::plan::{Device, Outage, Plan};
use crate::time::outage::{Clock, clocked, said};
use serde::Serialize;

/// The answer.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Headline {
    /// The device that it is about: the first that matters of those that are on.
    pub device: String,
    /// The source of the store that it hangs on; empty where nothing is on.
    pub store: String,
    /// Until when it is on, or that nothing is.
    pub text: Sentence,
    /// How long that is, and between what.
    pub left: Sentence,
    /// Why.
    pub why: Sentence,
}

/// Something that happens, or must be done.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ComingTold {
    /// When, hours since the outage began.
    pub at_h: f64,
    /// By the clock.
    pub when: Sentence,
    /// What.
    pub what: Sentence,
    /// Why; empty where nothing is to be said.
    pub why: Sentence,
}

/// A switch that somebody can throw.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DropTold {
    /// The device that is switched off.
    pub device: String,
    /// What it wins, h.
    pub wins_h: f64,
    /// What it wins, for whom.
    pub wins: Sentence,
    /// For how long it may be off, and what happens then; empty where it may be.
    pub mind: Sentence,
}

/// A deadline that runs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeadlineTold {
    /// The device.
    pub device: String,
    /// How much of the time is over, 0 to 1 and beyond.
    pub share: f64,
    /// When, and what then.
    pub text: Sentence,
}

/// All of it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Words {
    /// The answer.
    pub headline: Headline,
    /// What comes, in order.
    pub coming: Vec<ComingTold>,
    /// The switches, what wins most first.
    pub drops: Vec<DropTold>,
    /// Deadlines, the nearest first.
    pub deadlines: Vec<DeadlineTold>,
}

/// The devices of an estimate in the order of what matters.
pub fn in_order<'a>(plan: &'a Plan, it: &Estimate) -> Vec<&'a Device> {
    let mut devices: Vec<&Device> = plan
        .kit
        .devices
        .iter()
        .filter(|device| it.devices.contains_key(device.id.as_str()))
        .collect();
    let rank = |it: &Device| it.priority.as_ref().map_or(f64::INFINITY, Figure::get);
    devices.sort_by(|a, b| rank(a).total_cmp(&rank(b)));
    devices
}

/// Since when a device is off because somebody switched it off, or because it went by itself, s
/// after the outage began; none where it is on. The second says whether it went by itself.
pub fn off_since(seen: &Seen, device: &str, at_h: f64) -> Option<(f64, bool)> {
    let mut off = None;
    for it in seen
        .acted
        .iter()
        .filter(|it| it.at_s <= at_h * 3600.0 + 1e-6)
    {
        match &it.act {
            Act::Drop(id) if id == device && off.is_none() => off = Some((it.at_s, false)),
            Act::Lost(id) if id == device && off.is_none() => off = Some((it.at_s, true)),
            Act::Restore(id) | Act::Over(id, _) if id == device => off = None,
            _ => {}
        }
    }
    off
}

/// Since when a device has been off for longer than it may be and must be looked at before it runs
/// again, by what was said of it, s after the outage began; none where it need not.
pub fn look_first_since(plan: &Plan, seen: &Seen, device: &str, at_h: f64) -> Option<f64> {
    let deadline = plan
        .device(device)?
        .deadline
        .as_ref()
        .filter(|it| it.then.is_some())?;
    let (since_s, _) = off_since(seen, device, at_h)?;
    (at_h - since_s / 3600.0 >= deadline.minutes.get() / 60.0).then_some(since_s)
}

/// Puts an estimate into words.
pub fn words(plan: &Plan, outage: &Outage, seen: &Seen, it: &Estimate) -> Words {
    let clock = Clock::of(plan, outage);
    let when = |at_h: f64| when(&clock, it.at_h, at_h);
    let coming = it.coming.iter().filter_map(|next| {
        let (_, what) = said(plan, outage, &next.what, &next.item)?;
        // The first link says again what happens.
        let why = next.cause.get(1).map_or("", Sentence::marked);
        Some(ComingTold {
            at_h: next.at_h,
            when: when(next.at_h),
            what: (what + ".").into(),
            why: why.into(),
        })
    });
    let drops = it.drops.iter().map(|drop| {
        let winner = Name(plan.label(&drop.winner));
        let until_h = it
            .devices
            .get(&drop.winner)
            .map_or(0.0, |it| it.until_h.p50)
            + drop.wins_h;
        let wins = if until_h >= outage.hours.get() - 1e-3 {
            format!(
                "{winner} then lasts longer than is looked ahead, {} or more",
                clocked(drop.wins_h)
            )
        } else {
            format!(
                "{winner} then until {}, + {}",
                when(until_h),
                clocked(drop.wins_h)
            )
        };
        let deadline = plan
            .device(&drop.device)
            .and_then(|it| it.deadline.as_ref());
        let mind = deadline.map_or_else(String::new, |it| {
            let harm = it.consequence.as_deref().unwrap_or("it takes harm");
            format!(
                "Not for longer than {}: {harm}.",
                Amount(it.minutes.get(), "min")
            )
        });
        DropTold {
            device: drop.device.clone(),
            wins_h: drop.wins_h,
            wins: wins.into(),
            mind: mind.into(),
        }
    });
    let deadlines = it.deadlines.iter().map(|deadline| {
        let whole = (deadline.harm_h - deadline.since_h).max(1e-6);
        let share = (it.at_h - deadline.since_h) / whole;
        let harm = if deadline.consequence.is_empty() {
            "it takes harm"
        } else {
            &deadline.consequence
        };
        let at = when(deadline.harm_h);
        let text = match (deadline.harm_h > it.at_h, deadline.inspect) {
            (true, false) => format!("{harm} at {at}: switch it on before"),
            (true, true) => {
                format!("{harm} at {at}: switch it on before, or look at it first afterwards")
            }
            (false, true) => {
                format!("off for too long since {at}: {harm}. Look at it before it runs again")
            }
            (false, false) => format!("off for too long since {at}: {harm}"),
        };
        DeadlineTold {
            device: deadline.device.clone(),
            share,
            text: text.into(),
        }
    });
    Words {
        headline: headline(plan, outage, seen, it, &when),
        coming: coming.collect(),
        drops: drops.collect(),
        deadlines: deadlines.collect(),
    }
}

fn headline(
    plan: &Plan,
    outage: &Outage,
    seen: &Seen,
    it: &Estimate,
    when: &dyn Fn(f64) -> Sentence,
) -> Headline {
    let on = in_order(plan, it)
        .into_iter()
        .find(|device| off_since(seen, device.id.as_str(), it.at_h).is_none());
    let Some(device) = on else {
        return Headline {
            device: String::new(),
            store: String::new(),
            text: "Nothing is on".into(),
            left: "Everything was switched off or has gone off.".into(),
            why: String::new().into(),
        };
    };
    let id = device.id.to_string();
    let name = Name(&device.label);
    let range = it
        .devices
        .get(&id)
        .map_or_else(Default::default, |it| it.until_h);
    let end = outage.hours.get() - 1e-3;
    let state = feeding(plan, it, &id);
    let because = it.because.get(&id).map(Vec::as_slice).unwrap_or_default();
    // Of the chain of cause, what a person can look at: the last link before how much was drawn.
    let because = because
        .get(because.len().saturating_sub(2))
        .map_or("", Sentence::marked);
    let (text, left) = match () {
        () if range.p5 >= end => (
            format!("{name} beyond {}", when(outage.hours.get())),
            format!(
                "It lasts longer than is looked ahead, {}.",
                clocked(outage.hours.get() - it.at_h)
            ),
        ),
        () if range.p50 >= end => (
            format!("{name} beyond {}", when(outage.hours.get())),
            format!(
                "It is likely to last longer than is looked ahead; one time in twenty it ends \
                before {}.",
                when(range.p5)
            ),
        ),
        () if range.p50 <= it.at_h + 1e-6 => (
            format!("{name} at its end"),
            "By what was read it should be off already. See whether it is.".into(),
        ),
        () => {
            let to = if range.p95 >= end {
                format!("beyond {}", when(outage.hours.get()))
            } else {
                when(range.p95).to_string()
            };
            (
                format!("{name} until {}", when(range.p50)),
                format!(
                    "{} from now, {} to {to}.",
                    left(it, range.p50),
                    when(range.p5)
                ),
            )
        }
    };
    let because = if because.is_empty() || range.p50 >= end {
        String::new()
    } else {
        format!(" What ends it: {because}.")
    };
    let why = format!("{state}{because}").trim().to_owned();
    let store = it.hangs.get(&id).cloned().unwrap_or_default();
    Headline {
        device: id,
        store,
        text: text.into(),
        left: left.into(),
        why: why.into(),
    }
}

/// How full the store is that a device hangs on; all of them where that cannot be told.
fn feeding(plan: &Plan, it: &Estimate, device: &str) -> String {
    let own = it.hangs.get(device);
    let stores: Vec<String> = it
        .sources
        .iter()
        .filter(|(id, _)| own.is_none_or(|own| own == *id))
        .map(|(id, store)| {
            let soc = &store.soc;
            let half = (soc.p95 - soc.p5) / 2.0 * 100.0;
            let charge = if half >= 1.5 {
                format!(
                    "{} to {}",
                    Amount((soc.p5 * 100.0).round(), "%"),
                    Amount((soc.p95 * 100.0).round(), "%")
                )
            } else {
                Amount((soc.p50 * 100.0).round(), "%").to_string()
            };
            format!("{} is at {charge}", Name(plan.label(id)))
        })
        .collect();
    if stores.is_empty() {
        String::new()
    } else {
        crate::ground::say::listed(&stores) + "."
    }
}

/// A moment by the clock on the wall, with its day where that is another one than now's.
pub(super) fn when(clock: &Clock, now_h: f64, at_h: f64) -> Sentence {
    let (now, at) = (clock.date(now_h * 3600.0), clock.date(at_h * 3600.0));
    let time = at.time();
    let of_day = f64::from(time.hour()) + f64::from(time.minute()) / 60.0;
    let near = at.date() == now.date() || (at_h - now_h).abs() < 12.0;
    if near {
        TimeOfDay(of_day).to_string().into()
    } else {
        format!("{} {}", at.strftime("%a"), TimeOfDay(of_day)).into()
    }
}

/// A moment of an outage by the clock on the wall.
pub fn by_the_clock(plan: &Plan, outage: &Outage, now_h: f64, at_h: f64) -> Sentence {
    when(&Clock::of(plan, outage), now_h, at_h)
}
