//! An outage's answer in sentences, what to do when, and everything a picture of it needs.

use super::chance::{Chances, SpreadShare};
use super::clock::Clock;
use super::march::{Fineness, march};
use super::moments::{OF_USE_AGAIN, Switchover, switchover};
use super::result::{SHED_BY_RULE, Simulation};
use super::schedule::within;
use super::setting::Setting;
use super::sun::nights;
use super::wear::{Wear, wear};
use crate::bench::{LEAST_SHARE, worth};
use crate::ground::figure::Figure;
use crate::ground::say::{Amount, Clock as TimeOfDay, Measured, Name, Sentence, amount, percent};
use crate::network::fed;
use crate::site::plan::outage::Rule;
use crate::site::plan::outage::{Charging, EngineRun};
use crate::site::plan::{Arrangement, Device, Outage, Plan};
use serde::Serialize;
use std::collections::BTreeMap;

/// Hours between two looks at the charge in a list of what to do.
const LOOK_EVERY_H: f64 = 6.0;

/// Something to do.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Doable {
    /// Hours after the start.
    pub at_h: f64,
    /// By the clock on the wall, `YYYY-MM-DDTHH:MM`.
    pub at: String,
    /// What: switch, drop, look, refuel, start, expect, return.
    pub kind: &'static str,
    /// In a sentence.
    pub what: Sentence,
}

/// How long one device lasts, sparing the battery and using everything.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Both {
    /// When it is lost down to the floors, h; none where it lasts.
    pub spared_h: Option<f64>,
    /// When it is lost with everything used, h; none where it lasts.
    pub everything_h: Option<f64>,
}

/// An even hour of the clock.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Tick {
    /// Hours after the start.
    pub at_h: f64,
    /// What the clock shows, hours since midnight; 0 to 24.
    pub of_day_h: f64,
    /// The same as it is written, or the day at midnight.
    pub label: Sentence,
}

/// An outage, told.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct OutageTold {
    /// The answer in a sentence.
    pub headline: Sentence,
    /// What comes first, and why, in a sentence.
    pub second: Sentence,
    /// The device that it is all for.
    pub keeps: Option<String>,
    /// The devices in the order of what matters.
    pub order: Vec<String>,
    /// The outage as it comes.
    pub simulation: Simulation,
    /// Stretches without the sun, hours after the start.
    pub nights: Vec<[f64; 2]>,
    /// Stretches with the mains, hours after the start.
    pub mains: Vec<[f64; 2]>,
    /// Stretches with charging from elsewhere by source: hours after the start, and watts.
    pub charging: BTreeMap<String, Vec<[f64; 3]>>,
    /// Floors and what else is drawn with each store, by id.
    pub floors: BTreeMap<String, f64>,
    /// The clock at the start, `YYYY-MM-DDTHH:MM`.
    pub start: String,
    /// Hours after the start of each even six hours of the clock, and what it shows.
    pub ticks: Vec<Tick>,
    /// Sparing the battery and using everything, by device.
    pub both: BTreeMap<String, Both>,
    /// The moment of the switch and of the return.
    pub switchover: Switchover,
    /// What it costs the stores in life.
    pub wear: BTreeMap<String, Wear>,
    /// What to do when.
    pub todo: Vec<Doable>,
}

/// Marches through an outage and tells everything about it; with `moments` in its series.
pub fn tell(plan: &Plan, way: &Arrangement, outage: &Outage, moments: u32) -> OutageTold {
    let setting = Setting::of(plan, way, outage);
    let step = setting.end / f64::from(moments.clamp(12, 2000));
    let simulation = march(&setting, Some(step), Fineness::default());
    let other = Outage {
        use_everything: Some(outage.use_everything != Some(true)),
        ..outage.clone()
    };
    let quiet = Fineness {
        told: false,
        ..Fineness::default()
    };
    let contrary = march(&Setting::of(plan, way, &other), None, quiet);
    let spares = outage.use_everything != Some(true);
    let both = simulation.devices.iter().map(|(id, run)| {
        let there = contrary.devices.get(id).and_then(|it| it.down_at_h);
        let (spared_h, everything_h) = if spares {
            (run.down_at_h, there)
        } else {
            (there, run.down_at_h)
        };
        (
            id.clone(),
            Both {
                spared_h,
                everything_h,
            },
        )
    });
    let both = both.collect();
    let clock = &setting.clock;
    let mut devices: Vec<&Device> = fed(plan, way).collect();
    let rank = |it: &Device| it.priority.as_ref().map_or(f64::INFINITY, Figure::get);
    devices.sort_by(|a, b| rank(a).total_cmp(&rank(b)));
    let hours = outage.hours.get();
    let mut charging: BTreeMap<String, Vec<[f64; 3]>> = BTreeMap::new();
    for it in outage
        .charging
        .iter()
        .filter(|it| simulation.sources.contains_key(it.source.as_str()))
    {
        let span = [it.from_h.get(), it.to_h.get().min(hours), it.watts.get()];
        charging
            .entry(it.source.to_string())
            .or_default()
            .push(span);
    }
    let switchover = switchover(plan, way, outage);
    let todo = todo(&setting, &simulation, &switchover, &devices);
    OutageTold {
        headline: headline(plan, way, outage, &simulation, None).into(),
        second: second(plan, &simulation, &devices).into(),
        keeps: devices.first().map(|it| it.id.to_string()),
        order: devices.iter().map(|it| it.id.to_string()).collect(),
        nights: nights(plan, clock, hours),
        mains: mains(&setting, hours),
        charging,
        floors: setting
            .stores
            .iter()
            .map(|it| (it.source.id.to_string(), it.floor))
            .collect(),
        start: stamp(clock, 0.0),
        ticks: ticks(clock, hours),
        both,
        switchover,
        wear: wear(plan, &simulation),
        todo,
        simulation,
    }
}

fn stamp(clock: &Clock, at_h: f64) -> String {
    clock
        .date(at_h * 3600.0)
        .strftime("%Y-%m-%dT%H:%M")
        .to_string()
}

fn mains(setting: &Setting<'_>, hours: f64) -> Vec<[f64; 2]> {
    let mut edges = vec![0.0];
    edges.extend(
        setting
            .outage
            .mains
            .iter()
            .flat_map(|it| [it.from_h.get(), it.to_h.get()]),
    );
    edges.push(hours);
    edges.retain(|it| (0.0..=hours).contains(it));
    edges.sort_by(f64::total_cmp);
    edges.dedup();
    let pairs = edges
        .windows(2)
        .filter(|it| setting.mains_on(it[0] * 3600.0))
        .map(|it| [it[0], it[1]]);
    pairs.collect()
}

/// Even hours of the clock in the first `hours` of an outage, and what the clock shows.
pub fn ticks_of(plan: &Plan, outage: &Outage, hours: f64) -> Vec<Tick> {
    ticks(&Clock::of(plan, outage), hours)
}

fn ticks(clock: &Clock, hours: f64) -> Vec<Tick> {
    let every = match hours {
        it if it <= 14.0 => 1.0,
        it if it <= 36.0 => 3.0,
        it if it <= 120.0 => 6.0,
        it if it <= 400.0 => 24.0,
        _ => 24.0 * 7.0,
    };
    let mut found: Vec<Tick> = Vec::new();
    for date in clock.days(hours) {
        let mut of_day = 0.0;
        while of_day < 24.0 {
            let at_h = clock.when(date, of_day) / 3600.0;
            let far = found.last().is_none_or(|it| at_h - it.at_h >= every * 0.9);
            if (0.0..=hours).contains(&at_h) && far {
                let label = if of_day < 0.5 {
                    date.strftime("%a %-d").to_string()
                } else {
                    crate::ground::say::Clock(of_day).to_string()
                };
                found.push(Tick {
                    at_h,
                    of_day_h: of_day,
                    label: label.into(),
                });
            }
            of_day += every.min(24.0);
        }
    }
    found
}

/// The answer: how long the device that it is all for lasts, with its range where that is known.
pub fn headline(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    found: &Simulation,
    chances: Option<&Chances>,
) -> String {
    let mut devices: Vec<&Device> = fed(plan, way).collect();
    let rank = |it: &Device| it.priority.as_ref().map_or(f64::INFINITY, Figure::get);
    devices.sort_by(|a, b| rank(a).total_cmp(&rank(b)));
    let Some(first) = devices.first() else {
        return "Nothing is fed here: build a chain first.".to_owned();
    };
    let run = found.devices.get(first.id.as_str());
    let chance = chances.and_then(|it| it.devices.get(first.id.as_str()));
    let whole = outage.hours.get();
    let range = chance.map(|it| it.hours).map_or_else(String::new, |it| {
        let digits = |hours: f64| {
            if it.p95 < 24.0 {
                (hours * 10.0).round() / 10.0
            } else {
                hours.round()
            }
        };
        if it.p95 - it.p5 < 0.1 {
            String::new()
        } else {
            format!(
                " ({} to {})",
                Amount(digits(it.p5), ""),
                Amount(digits(it.p95), "")
            )
        }
    });
    let (name, label) = (Name(&first.label), Name(&outage.label));
    let said = match run.and_then(|it| it.down_at_h) {
        Some(at) if at < 1e-9 && run.is_some_and(|it| it.why.as_deref() == Some("switchover")) => {
            format!("{label}: {name} goes off at the switch, and a person has to start it")
        }
        Some(at) if at < 1.0 => format!("{label}: {name} lasts {}{range}", super::clocked(at)),
        Some(at) => format!("{label}: {name} lasts {}{range}", hours_of(at)),
        None => match chance {
            Some(it) if it.lasts < 0.95 => {
                format!(
                    "{label}: {name} lasts all {} in {} of the runs{range}",
                    hours_of(whole),
                    percent(it.lasts)
                )
            }
            _ => format!("{label}: {name} lasts all {}", hours_of(whole)),
        },
    };
    // What nobody said of the switch is part of the answer.
    let unsaid = run.is_some_and(|it| it.unsaid)
        && run.is_none_or(|it| it.down_at_h.is_none_or(|at| at > 0.0));
    format!(
        "{said}{}.",
        if unsaid {
            ", if it rides through the switch, which nobody tried"
        } else {
            ""
        }
    )
}

/// Hours to the digits that a person reads: tenths below a day, whole ones beyond.
fn hours_of(hours: f64) -> Amount<'static> {
    Amount(
        if hours < 24.0 {
            (hours * 10.0).round() / 10.0
        } else {
            hours.round()
        },
        "h",
    )
}

/// A test that takes away less of a figure's ± than this is not sent for, as a share.
const WORTH: f64 = 0.4;

/// What owns the spread of the answer, in a sentence, and what to measure; none where there is no
/// spread. Where a test would tell the owner no better than it is known, the largest share that one
/// would narrow is named as well.
pub fn owner(plan: &Plan, chances: &Chances, device: &str) -> Option<String> {
    let it = chances.devices.get(device)?;
    let first = it.shares.first().filter(|_| it.hours.p95 > it.hours.p5)?;
    let whose = |it: &SpreadShare| {
        let value = Measured(it.figure.value, it.figure.plus_minus, it.figure.unit);
        format!(
            "the {} of {} ({value})",
            it.figure.name,
            Name(&it.figure.label)
        )
    };
    // What would make it surer, and how long that takes.
    let test = |it: &SpreadShare| {
        let guide = worth(plan, &it.figure, WORTH)?;
        Some(format!(
            ": measure it, {}",
            Amount(guide.minutes.into(), "min")
        ))
    };
    let owns = format!(
        "{} of that spread is {}",
        portion(first.share),
        whose(first)
    );
    if let Some(test) = test(first) {
        return Some(format!("{owns}{test}."));
    }
    let mut others = it
        .shares
        .iter()
        .skip(1)
        .filter(|it| it.share >= LEAST_SHARE);
    let next = others.find_map(|it| Some((it, test(it)?)));
    let next = next.map(|(it, test)| format!(" {} is {}{test}.", portion(it.share), whose(it)));
    Some(format!(
        "{owns}, which no test tells much better.{}",
        next.unwrap_or_default()
    ))
}

/// A share in words.
fn portion(share: f64) -> String {
    match share {
        it if it > 0.85 => "Nearly all".to_owned(),
        it if it > 0.56 => "Most".to_owned(),
        it if it > 0.44 => "Half".to_owned(),
        it if it > 0.29 => "A third".to_owned(),
        it if it > 0.21 => "A quarter".to_owned(),
        it => percent((it * 100.0).round() / 100.0).to_string(),
    }
}

fn second(plan: &Plan, found: &Simulation, devices: &[&Device]) -> String {
    // What is dropped goes because it is meant to.
    let lost = devices
        .iter()
        .filter_map(|it| Some((it, found.devices.get(it.id.as_str())?)));
    let lost = lost.filter(|it| it.1.why.as_deref() != Some(SHED_BY_RULE));
    let goes = lost.filter_map(|(it, run)| Some((it, run, run.down_at_h?)));
    let Some((device, run, at)) = goes.min_by(|a, b| a.2.total_cmp(&b.2)) else {
        let low = found
            .sources
            .iter()
            .min_by(|a, b| a.1.end_soc.total_cmp(&b.1.end_soc));
        return low.map_or_else(
            || "Everything lasts.".to_owned(),
            |(id, it)| {
                format!(
                    "Everything lasts; {} ends at {}.",
                    Name(plan.label(id)),
                    percent(it.end_soc)
                )
            },
        );
    };
    let why = match run.cause.get(1..).unwrap_or(&[]) {
        [] => run.why.clone().unwrap_or_default(),
        lines => lines
            .iter()
            .map(Sentence::marked)
            .collect::<Vec<_>>()
            .join(" ← "),
    };
    let when = if at < 1e-9 {
        "at once".to_owned()
    } else {
        format!("after {}", super::clocked(at))
    };
    let first = format!("{} goes first, {when}: {why}.", Name(&device.label));
    // A store that was charged again stands idle until somebody switches it back on.
    let again = found
        .sources
        .iter()
        .find(|it| it.1.to_floor_h.is_some() && it.1.end_soc > it.1.lowest() + OF_USE_AGAIN);
    match again {
        Some((id, it)) => format!(
            "{first} At the end {} is at {} again: a person can switch it back on.",
            Name(plan.label(id)),
            percent(it.end_soc)
        ),
        None => first,
    }
}

/// A converter, or an outlet with what it belongs to, by what it is called.
fn placed(plan: &Plan, place: &str) -> String {
    let (item, port) = place
        .split_once('/')
        .map_or((place, None), |(item, port)| (item, Some(port)));
    let Some(port) = port else {
        return Name(plan.label(item)).to_string();
    };
    let found = plan
        .source(item)
        .and_then(|it| it.ports.iter().find(|it| it.id.as_str() == port));
    let label = found.and_then(|it| it.label.as_deref()).unwrap_or(port);
    format!("{}, {}", Name(plan.label(item)), Name(label))
}

fn todo(
    setting: &Setting<'_>,
    found: &Simulation,
    switchover: &Switchover,
    devices: &[&Device],
) -> Vec<Doable> {
    let (plan, outage, clock) = (setting.plan, setting.outage, &setting.clock);
    let mut list: Vec<Doable> = Vec::new();
    let mut add = |at_h: f64, kind: &'static str, what: String| {
        list.push(Doable {
            at_h,
            at: stamp(clock, at_h),
            kind,
            what: what.into(),
        });
    };
    add(0.0, "switch", switchover.headline.to_string());
    for it in switchover
        .switch
        .iter()
        .filter(|it| it.back_s.is_none() || it.fate == super::moments::Fate::ByHand)
    {
        add(0.0, "switch", it.sentence.to_string());
    }
    if let Some(it) = &found.unsettled {
        add(0.0, "look", it.to_string());
    }
    for event in &found.events {
        // What is late is told with its harm below.
        let Some((kind, what)) = said(plan, outage, &event.what, &event.item) else {
            continue;
        };
        let takes_along = [
            "floor",
            "cut-off",
            "auto-off",
            "trip",
            "fuse",
            "low-voltage cut-out",
        ];
        let more = if takes_along.contains(&event.what.as_str()) {
            gone_at(found, devices, event.at_h)
        } else {
            ".".into()
        };
        add(event.at_h, kind, what + &more);
    }
    for (place, run) in found.switching.iter().filter(|it| it.1.by_hand) {
        let name = placed(plan, place);
        for [from, to] in &run.spans {
            if *from > 1e-6 {
                add(*from, "switch", format!("Switch on {name}."));
            }
            if *to < outage.hours.get() - 1e-6 {
                add(*to, "switch", format!("Switch off {name}."));
            }
        }
    }
    for it in &outage.charging {
        add(it.from_h.get(), "look", charged(setting, it));
    }
    for it in &outage.carried {
        let label = Name(plan.label(it.source.as_str()));
        let to = it
            .place
            .as_deref()
            .map_or_else(String::new, |it| format!(" to {}", Name(it)));
        add(it.from_h.get(), "look", format!("Carry {label} away{to}."));
        if it.to_h.get() < outage.hours.get() - 1e-6 {
            add(
                it.to_h.get(),
                "look",
                format!("Bring {label} back and plug it in."),
            );
        }
    }
    for it in &outage.runs {
        match refused_run(setting, it) {
            None => {
                let label = Name(plan.label(it.source.as_str()));
                add(it.from_h.get(), "start", format!("Start {label}."));
                add(it.to_h.get(), "start", format!("Stop {label}."));
            }
            Some(why) => add(it.from_h.get(), "look", why),
        }
    }
    if let Some(at_h) = switchover.returns_at_h {
        add(at_h, "return", switchover.return_headline.to_string());
        let waits = |it: &&super::moments::AtSwitch| it.back_s.is_none();
        for it in switchover.back.iter().filter(waits) {
            add(at_h, "return", it.sentence.to_string());
        }
    }
    for device in devices {
        if let Some(missed) = found
            .devices
            .get(device.id.as_str())
            .and_then(|it| it.deadline_missed_h)
        {
            let harm = device
                .deadline
                .as_ref()
                .and_then(|it| it.consequence.as_ref());
            let harm = harm.map_or_else(String::new, |it| format!(": {it}"));
            add(
                missed,
                "expect",
                format!("{} has been off for too long{harm}.", Name(&device.label)),
            );
        }
    }
    // What was charged again after its floor is of use once somebody switches it back on.
    for (id, run) in &found.sources {
        let floor = setting
            .stores
            .iter()
            .find(|it| it.source.id.as_str() == id)
            .map_or(0.0, |it| it.floor);
        if let Some(at_h) = run
            .to_floor_h
            .and_then(|it| run.rises_to(floor + OF_USE_AGAIN, it))
        {
            let charge = percent(floor + OF_USE_AGAIN);
            add(
                at_h,
                "start",
                format!(
                    "{} is at {charge} again: switch it back on.",
                    Name(plan.label(id))
                ),
            );
        }
    }
    // A look at every store now and then, and what it should read.
    if let Some(series) = &found.series {
        let mut due = LOOK_EVERY_H;
        let mut before: Vec<String> = Vec::new();
        while due < outage.hours.get() {
            let read = |id: &String| {
                let soc = (found.sources.get(id)?.charge_at(due)? * 100.0).round();
                Some(format!("{} at {}", Name(plan.label(id)), amount(soc, "%")))
            };
            let read: Vec<String> = series.soc.keys().filter_map(read).collect();
            // Where nothing moves any more there is nothing to read.
            if read != before {
                add(
                    due,
                    "look",
                    format!("Read the charge; expect {}.", read.join(", ")),
                );
            }
            before = read;
            due += LOOK_EVERY_H;
        }
    }
    list.sort_by(|a, b| a.at_h.total_cmp(&b.at_h));
    list.dedup_by(|a, b| a.what == b.what && a.at == b.at);
    list
}

/// Charging from elsewhere, as it comes or as it is refused.
fn charged(setting: &Setting<'_>, it: &Charging) -> String {
    let label = Name(setting.plan.label(it.source.as_str()));
    let watts = amount(it.watts.get(), "W");
    let long = super::clocked(it.to_h.get() - it.from_h.get());
    let Some(store) = setting
        .stores
        .iter()
        .find(|store| store.source.id == it.source)
    else {
        return format!(
            "{label} could be given {watts} here, but “{}” does not use it.",
            Name(&setting.way.label)
        );
    };
    if store.too_cold {
        let least = store.chemistry.map_or(0.0, |it| it.charge_min_c);
        return format!(
            "Do not charge {label}: at {} it takes no harmless charge, and nothing of the {watts} \
            for {long} is counted. It may be charged from {} on; warm it first.",
            amount(setting.ambient_c, "°C"),
            amount(least, "°C")
        );
    }
    let most = store.max_charge_a;
    let volts = store.chemistry.map_or(0.0, |it| it.cell_v(0.5))
        * store.battery.cells.as_ref().map_or(0.0, Figure::get);
    if volts > 0.0 && it.watts.get() > most * volts * 1.02 {
        let most_w = amount(most * volts, "W");
        return format!(
            "{label} is given {watts} from here on and takes about {most_w}: it may be charged \
            with {}.",
            amount(most, "A")
        );
    }
    format!("{label} gets {watts} for {long}, while it is not full.")
}

/// Why an engine is not to be started at a time that the outage names; none where it is.
fn refused_run(setting: &Setting<'_>, run: &EngineRun) -> Option<String> {
    let label = Name(setting.plan.label(run.source.as_str()));
    let Some(origin) = setting.origins.iter().find(|it| it.source.id == run.source) else {
        return Some(format!(
            "{label} would run here, but “{}” does not use it: starting it feeds nothing.",
            Name(&setting.way.label)
        ));
    };
    let quiet = origin
        .engine
        .into_iter()
        .flat_map(|it| &it.quiet)
        .find(|it| {
            let (from, to) = (it.from.hours() * 3600.0, it.to.hours() * 3600.0);
            within(
                setting.clock.of_day(run.from_h.get() * 3600.0 + 1e-6),
                from,
                to,
            )
            .0
        });
    quiet.map(|it| {
        format!(
            "{label} has to be quiet until {}: start it then.",
            TimeOfDay(it.to.hours())
        )
    })
}

/// What comes to an end, in a sentence. What an event is to a person: of what kind, and in a
/// sentence without its point; none where it needs nobody, as what starts anew by itself does, or
/// is told elsewhere, as the switch and harm are.
pub(crate) fn said(
    plan: &Plan,
    outage: &Outage,
    what: &str,
    item: &str,
) -> Option<(&'static str, String)> {
    let label = Name(plan.label(item.split('/').next().unwrap_or(item)));
    Some(match what {
        "shed" => {
            let rule = outage.rules.iter().find_map(|it| match it {
                Rule::Shed {
                    device,
                    below_soc,
                    source,
                } if device.as_str() == item => Some(format!(
                    ", {} is at {}",
                    Name(plan.label(source.as_str())),
                    percent(below_soc.get())
                )),
                _ => None,
            });
            ("drop", format!("Drop {label}{}", rule.unwrap_or_default()))
        }
        "out of fuel" => ("refuel", format!("Refuel {label} before this")),
        "restart" | "deadline passed" | "switchover" => return None,
        "floor" | "cut-off" | "auto-off" | "trip" | "fuse" | "low-voltage cut-out" => {
            ("expect", expected(label, what))
        }
        "held by heat" => (
            "expect",
            format!("{label} is as warm as its case bears, and gives less"),
        ),
        "too warm" => (
            "expect",
            format!("{label} gets warmer than its case bears: give it air, or less to do"),
        ),
        "input below minimum" => (
            "expect",
            format!("{label} gets too little voltage, and goes down"),
        ),
        "cut-in" | "back on" => ("expect", format!("{label} comes back on")),
        what => ("expect", format!("{label}: {what}")),
    })
}

fn expected(label: Name<'_>, what: &str) -> String {
    match what {
        "floor" => format!("{label} is at its floor"),
        "cut-off" => format!("{label} is cut off"),
        "auto-off" => format!("{label} turns itself off"),
        "trip" => format!("{label} trips"),
        "fuse" => format!("The fuse of {label} opens"),
        _ => format!("{label} cuts out"),
    }
}

/// Who goes down at a time, as the end of a sentence.
fn gone_at(found: &Simulation, devices: &[&Device], at_h: f64) -> String {
    let lost = |it: &&&Device| {
        let at = found
            .devices
            .get(it.id.as_str())
            .and_then(|it| it.down_at_h);
        at.is_some_and(|it| (it - at_h).abs() < 1e-6)
    };
    let names: Vec<String> = devices
        .iter()
        .filter(lost)
        .map(|it| Name(&it.label).to_string())
        .collect();
    match names.as_slice() {
        [] => ".".to_owned(),
        [one] => format!(", and {one} goes down."),
        all => format!(", and these go down: {}.", all.join(", ")),
    }
}
