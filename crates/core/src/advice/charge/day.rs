//! A day of charging on the clock: when what comes in, and how long an engine must run each day so
//! that the store ends it as full as it began.

use super::told::{EngineDay, FillSpan, RechargeAsk, hours, name};
use super::wiring::{Ready, chain, root};
use crate::ground::figure::Figure;
use crate::ground::say::{Clock as TimeOfDay, Name, Sentence, amount, percent};
use crate::site::plan::outage::EngineRun;
use crate::site::plan::{Outage, Source, SourceKind};
use crate::time::outage::{Clock, Filled, Setting, left_after};
use std::collections::BTreeSet;

/// Until then stretches are told, h: the days after are as these.
const TOLD_H: f64 = 72.0;
const DAY_H: f64 = 24.0;
/// An engine's time is told in quarters of an hour.
const QUARTER_H: f64 = 0.25;
/// When an engine is started where it does not matter when: in daylight, after the sun's best and
/// before the evening.
const BEST_H: f64 = 16.0;
/// Less than this that is drawn in a day is nothing, Wh.
const NOTHING_WH: f64 = 1.0;
/// Less of a store than this is neither gained nor lost, 0 to 1.
const SAME: f64 = 5e-4;

/// A time after the beginning, on the clock: by the day of the week where the date is known, else
/// by the day that is counted.
pub(super) fn when(ready: &Ready, at_h: f64) -> Sentence {
    let clock = Clock::of(&ready.plan, &ready.outage);
    let of_day = TimeOfDay(clock.of_day(at_h * 3600.0) / 3600.0);
    let (date, first) = (clock.date(at_h * 3600.0).date(), clock.date(0.0).date());
    let days = (date - first).get_days();
    match (ready.dated, days) {
        (true, ..7) => format!("{} {of_day}", date.strftime("%A")).into(),
        (true, _) => format!("{} {of_day}", date.strftime("%A %-d %B")).into(),
        (false, 0) => format!("{of_day}").into(),
        (false, _) => format!("{of_day} on day {}", days + 1).into(),
    }
}

/// When what comes in, of the first days.
pub(super) fn spans(ready: &Ready, found: &Filled) -> Vec<FillSpan> {
    let mut list: Vec<FillSpan> = Vec::new();
    for input in &found.inputs {
        let feed = &ready.way.feeds[input.feed];
        let chain = chain(&ready.way, input.feed);
        let label = chain
            .iter()
            .map(|it| ready.plan.label(it))
            .collect::<Vec<_>>()
            .join(" → ");
        for it in input.spans.iter().filter(|it| it.from_h < TOLD_H) {
            let (from, to) = (when(ready, it.from_h), when(ready, it.to_h));
            let sentence = format!("{from} to {to}: {}, {}", Name(&label), amount(it.wh, "Wh"));
            let (input, label) = (feed.to.name(), label.clone());
            list.push(FillSpan {
                input,
                label,
                from_h: it.from_h,
                to_h: it.to_h,
                wh: it.wh,
                sentence: sentence.into(),
            });
        }
    }
    list.sort_by(|a, b| a.from_h.total_cmp(&b.from_h));
    list
}

/// How long each engine that is wired into a store must run a day, each alone; nothing where the
/// mains fills it.
pub(super) fn engines(ready: &Ready, ask: &RechargeAsk) -> Vec<EngineDay> {
    let into = |it: &usize| {
        let to = &ready.way.feeds[*it].to;
        to.item.as_str() == ask.source && to.input.is_some()
    };
    let roots: BTreeSet<&str> = (0..ready.way.feeds.len())
        .filter(into)
        .map(|it| root(&ready.way, it))
        .collect();
    let sources: Vec<&Source> = roots
        .iter()
        .filter_map(|it| ready.plan.source(it))
        .collect();
    if ask.mains && sources.iter().any(|it| it.kind == SourceKind::Mains) {
        return Vec::new();
    }
    let is_engine = |it: &Source| {
        it.kind == SourceKind::Generator || it.kind == SourceKind::Vehicle && it.runs()
    };
    let engines: Vec<&Source> = sources.iter().copied().filter(|it| is_engine(it)).collect();
    // Below its floor a store that is filled is not spared.
    let floor = if ready.floor < ask.from_soc {
        ready.floor
    } else {
        0.0
    };
    engines
        .iter()
        .filter_map(|it| {
            Day {
                ready,
                ask,
                engines: &engines,
                engine: it,
                floor,
            }
            .told()
        })
        .collect()
}

/// One engine, with the others standing.
struct Day<'a> {
    ready: &'a Ready,
    ask: &'a RechargeAsk,
    engines: &'a [&'a Source],
    engine: &'a Source,
    /// The charge at which the store is spared, 0 to 1; nothing where it begins below that.
    floor: f64,
}

/// A run: the time of day at which it begins and how many quarters of an hour it lasts, and what
/// came of it.
#[derive(Debug, Clone, Copy)]
struct Tried {
    from_h: f64,
    quarters: u32,
    soc: f64,
    /// The least that was in the store on the way, 0 to 1.
    lowest: f64,
    /// What was drawn from it, Wh.
    drawn_wh: f64,
    fuel_l: f64,
}

impl Day<'_> {
    /// Quarters of an hour in a day.
    const WHOLE: u32 = 96;

    /// A day with the engine run so: marched with everything that the arrangement draws.
    fn tried(&self, from_h: f64, quarters: u32) -> Option<Tried> {
        let clock = Clock::of(&self.ready.plan, &self.ready.outage);
        let begins = (from_h - clock.of_day(0.0) / 3600.0).rem_euclid(DAY_H);
        let ends = begins + f64::from(quarters) * QUARTER_H;
        let run = |source: &Source, from: f64, to: f64| EngineRun {
            source: source.id.clone(),
            from_h: Figure::assumed(from),
            to_h: Figure::assumed(to),
        };
        let mut runs: Vec<EngineRun> = self.engines.iter().map(|it| run(it, 0.0, 0.0)).collect();
        runs.push(run(self.engine, begins, ends.min(DAY_H)));
        // What runs past the end of the day ran at its beginning too.
        if ends > DAY_H {
            runs.push(run(self.engine, 0.0, ends - DAY_H));
        }
        let mut outage = Outage {
            hours: Figure::assumed(DAY_H),
            runs,
            ..self.ready.outage.clone()
        };
        // What a vehicle that stands gives from its own battery is not there the next day.
        for it in self.engines {
            if let Some(battery) = &it.battery {
                outage
                    .initial_soc
                    .insert(it.id.clone().to_string(), Figure::assumed(battery.floor()));
            }
        }
        let mut setting = Setting::of(&self.ready.plan, &self.ready.way, &outage);
        setting.under(self.ask.sky, self.ask.tilt_deg);
        let left = left_after(&setting, &self.ask.source)?;
        let place = setting
            .network_sources()
            .position(|it| it == self.engine.id.as_str());
        let fuel_l = place
            .and_then(|it| left.burnt_l.get(it).copied())
            .unwrap_or(0.0);
        Some(Tried {
            from_h,
            quarters,
            soc: left.soc,
            lowest: left.lowest,
            drawn_wh: left.drawn_wh,
            fuel_l,
        })
    }

    /// Whether the store ends the day as full as it began, and is never so empty on the way that
    /// what hangs on it is left alone.
    fn is_enough(&self, it: &Tried) -> bool {
        it.soc >= self.ask.from_soc - SAME && it.lowest > self.floor
    }

    /// The fewest quarters of an hour from a time of day on that are enough, where fewer than some
    /// are.
    fn least(&self, from_h: f64, below: u32) -> Option<Tried> {
        let most = self.undisturbed(from_h).min(below.checked_sub(1)?);
        let mut best = self.tried(from_h, most).filter(|it| self.is_enough(it))?;
        let (mut low, mut high) = (0, best.quarters);
        while high - low > 1 {
            let middle = u32::midpoint(low, high);
            match self.tried(from_h, middle).filter(|it| self.is_enough(it)) {
                Some(it) => (best, high) = (it, middle),
                None => low = middle,
            }
        }
        Some(best)
    }

    /// Quarters of an hour from a time of day on before the engine has to be quiet.
    fn undisturbed(&self, from_h: f64) -> u32 {
        let quiet: Vec<(f64, f64)> = self
            .engine
            .engine
            .iter()
            .flat_map(|it| &it.quiet)
            .map(|it| (it.from.hours(), it.to.hours()))
            .collect();
        let is_loud = |quarter: u32| {
            let now = (from_h + (f64::from(quarter) + 0.5) * QUARTER_H).rem_euclid(DAY_H);
            quiet.iter().any(|(from, to)| {
                if from < to {
                    *from <= now && now < *to
                } else {
                    now >= *from || now < *to
                }
            })
        };
        (0..Self::WHOLE)
            .find(|it| is_loud(*it))
            .unwrap_or(Self::WHOLE)
    }

    /// None where nothing hangs on the store that a day could take.
    fn told(&self) -> Option<EngineDay> {
        let (engine, store) = (
            name(&self.ready.plan, self.engine.id.as_str()),
            name(&self.ready.plan, &self.ask.source),
        );
        let from = percent(self.ask.from_soc);
        let told = |tried: Option<Tried>, enough: bool, sentence: String| {
            Some(EngineDay {
                source: self.engine.id.to_string(),
                from: tried
                    .filter(|it| it.quarters > 0)
                    .map(|it| clock_of(it.from_h)),
                minutes: tried.map_or(0.0, |it| f64::from(it.quarters) * QUARTER_H * 60.0),
                fuel_l: tried
                    .filter(|_| self.engine.engine.is_some())
                    .map(|it| it.fuel_l),
                enough,
                sentence: sentence.into(),
            })
        };
        let rest = self.tried(BEST_H, 0);
        if rest.is_some_and(|it| it.drawn_wh < NOTHING_WH) {
            return None;
        }
        if let Some(it) = rest.filter(|it| self.is_enough(it)) {
            let soc = percent(it.soc);
            return told(
                Some(it),
                true,
                format!(
                    "{engine} need not run: without it {store} goes from {from} to {soc} in a day."
                ),
            );
        }
        let mut hours_of_day: Vec<f64> = (0..24).map(f64::from).collect();
        hours_of_day.sort_by(|a, b| (a - BEST_H).abs().total_cmp(&(b - BEST_H).abs()));
        let mut best: Option<Tried> = None;
        for from_h in hours_of_day {
            best = self
                .least(from_h, best.map_or(Self::WHOLE + 1, |it| it.quarters))
                .or(best);
        }
        let Some(best) = best else {
            // Whenever it may: what its quiet times leave it, the march itself knows.
            let all = self.tried(0.0, Self::WHOLE);
            let soc = percent(all.map_or(0.0, |it| it.soc));
            let (enough, words) = match all {
                Some(it) if self.is_enough(&it) => (
                    true,
                    format!(
                        "One run a day is not enough: let {engine} run whenever it may, and \
                        {store} goes from {from} to {soc} in a day."
                    ),
                ),
                Some(it) if it.lowest <= self.floor => (
                    false,
                    format!(
                        "However long {engine} runs, {store} is at its floor of {} on the way.",
                        percent(self.floor)
                    ),
                ),
                _ => (
                    false,
                    format!(
                        "However long {engine} runs, {store} goes from {from} to {soc} in a day."
                    ),
                ),
            };
            return told(all, enough, words);
        };
        let long = hours(f64::from(best.quarters) * QUARTER_H);
        let fuel = match &self.engine.engine {
            Some(_) => format!(", with {}", amount(best.fuel_l, "l")),
            None => String::new(),
        };
        let at = TimeOfDay(best.from_h);
        told(
            Some(best),
            true,
            format!(
                "Run {engine} from {at} for {long} each day{fuel}: {store} ends the day as full as \
                it began, at {from}."
            ),
        )
    }
}

fn clock_of(hours: f64) -> String {
    format!(
        "{:02}:{:02}",
        hours.floor(),
        ((hours - hours.floor()) * 60.0).round()
    )
}
