//! Idle draw by charge drop: how far a store's display falls in hours with nothing on the port, or
//! with a load of so many watts.
//!
//! With a load the store gives what the load takes and what the port loses. Runs at two loads tell
//! the idle draw and what goes with the load apart; a run at one tells the one of the two that it
//! knows better than the plan does, the other taken as the plan has it.

use super::super::case::{Case, mean};
use super::super::guide::{BATTERY, Guide, Target, columns, meter, step, wait};
use super::super::meter::Known;
use super::super::outcome::Refused;
use super::super::outcome::{Given, Outcome, Plot, Told};
use super::super::place::{Through, port};
use super::super::protocol::Protocol;
use super::charge_drop::Run;
use super::idle::share_of_store;
use crate::say::Amount;

/// Loads that lie closer together than this share of the largest are one load.
const ALIKE: f64 = 0.2;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::IdleByDrop,
        title: "Idle draw, by charge drop",
        answers: "What a port takes for being on, where no meter can be put between it and its battery: the display's own fall over a night. With a known load on it, what the port loses with its load too.",
        subjects: &[Target::Port],
        needs: &["the store's own display", "a clock", "eight hours or more"],
        minutes: 10,
        cautions: &[BATTERY],
        disconnect: "Every load but one whose watts are known, and every charger. Other ports are off; turn a mode that saves energy off too.",
        meters: vec![meter("%", "in", false)],
        steps: vec![
            step("Charge to full, and let it rest for an hour with everything off."),
            step("Switch the port on with nothing on it. Write down the per cent and the time."),
            wait("Leave it alone for eight hours.", 28_800),
            step("Write down the per cent again: start, end, hours and the watts on it (0 for nothing) make one row."),
            step(
                "Once more with a steady load of known watts, where its efficiency is asked too: until it is empty, if you like.",
            ),
        ],
        invalid: &[
            "It was charged, or sun fell on its panel, in between.",
            "The port turned itself off: see whether it is still on at the end.",
            "It came from different states: always start at full.",
        ],
        stop: "The display falls below the floor.",
        readings: columns(&[("at the start", "%", 0), ("at the end", "%", 0), ("hours", "h", 2), ("on it", "W", 1)]),
        file: None,
    }
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, Refused> {
    let battery = case.battery()?;
    let rows = case.rows(3);
    if rows.is_empty() {
        return Ok(Outcome::says("Write down the per cent at the start and at the end, and the hours between."));
    }
    let runs: Vec<Run> = rows.iter().map(|(row, it)| Run::of(*row, battery, &it[..3])).collect::<Result<_, _>>()?;
    let plot = Plot::of(("run", "h"), ("taken", "W")).with(runs.iter().map(|it| (it.row, it.hours, it.watts)));
    let loads = loads(case, &runs)?;
    if loads.iter().any(|it| it.value > 0.0) {
        return Ok(Outcome { plot: Some(plot), ..with_loads(case, &runs, &loads) });
    }
    let watts: Vec<_> = runs.iter().map(|it| it.watts).collect();
    let found = mean(&watts);
    let share = share_of_store(case, found.value);
    let mut sentence = format!("Idle {}: {} a day{share}.", found.words("W"), Amount(found.value * 24.0, "Wh"));
    if found.plus_minus > 0.3 * found.value.abs() {
        sentence += " The display is too coarse for that: run for longer.";
    }
    let figures = (found.value > 0.0).then(|| case.given("idle draw", "W", "/loss/idle_w", found));
    Ok(Outcome {
        sentence: sentence.into(),
        figures: figures.into_iter().collect(),
        plot: Some(plot),
        ..Outcome::says("")
    })
}

/// What hung on the port in each run; nothing where it was left out.
fn loads(case: &Case<'_>, runs: &[Run]) -> Result<Vec<Known>, Refused> {
    let load = |run: &Run| {
        let watts = case.test.rows[run.row].values.get(3).copied().flatten().unwrap_or(0.0);
        match watts {
            it if it < 0.0 => Err(("rows", format!("row {}: what hangs on it is 0 W or more", run.row + 1))),
            it if it > 0.0 => Ok(case.meter(3).read(it)),
            _ => Ok(Known::sure(0.0)),
        }
    };
    runs.iter().map(load).collect()
}

/// A part of a port's law that runs tell: its name, its unit, where it stands, what was found, and what the plan's own may be
/// off.
struct Part {
    name: &'static str,
    unit: &'static str,
    below: &'static str,
    found: Known,
    planned: f64,
}

impl Part {
    fn idle(found: Known, planned: f64) -> Self {
        Self { name: "idle draw", unit: "W", below: "/loss/idle_w", found, planned }
    }

    fn proportional(found: Known, planned: f64) -> Self {
        Self { name: "lost per watt", unit: "", below: "/loss/proportional", found, planned }
    }

    /// Whether it is known better by the runs than by the plan.
    fn is_news(&self) -> bool {
        let within = self.unit == "W" || self.found.value < 1.0;
        within && self.found.value >= 0.0 && (self.planned <= 0.0 || self.found.plus_minus < self.planned)
    }

    fn given(&self, case: &Case<'_>) -> Given {
        case.given(self.name, self.unit, self.below, self.found)
    }

    fn words(&self) -> String {
        match self.unit {
            "W" => format!("idle {}", self.found.words("W")),
            _ => format!("{} of the load", self.found.scaled(100.0).words("%")),
        }
    }
}

fn with_loads(case: &Case<'_>, runs: &[Run], loads: &[Known]) -> Outcome {
    let of = &case.test.of;
    let port = case.plan.source(&of.id).zip(of.part.as_deref()).and_then(|(source, part)| port(source, part));
    let through = Through::of(port.and_then(|it| it.loss.as_ref()));
    let (law, half) = (through.law, through.half);
    let taken = mean(&runs.iter().map(|it| it.watts).collect::<Vec<_>>());
    let most = loads.iter().map(|it| it.value).fold(0.0, f64::max);
    let least = loads.iter().map(|it| it.value).fold(f64::INFINITY, f64::min);
    // What is lost beside the part that goes with the square, which no display tells.
    let square = |load: &Known| Known {
        value: law.quadratic_per_w * load.value * load.value,
        plus_minus: half[2] * load.value * load.value,
    };
    let lost: Vec<Known> =
        runs.iter().zip(loads).map(|(run, load)| run.watts.minus(*load).minus(square(load))).collect();
    let told: Vec<Told> = runs
        .iter()
        .zip(loads)
        .filter(|it| it.1.value > 0.0 && it.0.watts.value > 0.0)
        .map(|(run, load)| {
            let share = load.over(run.watts).scaled(100.0);
            Told::of(format!("efficiency at {}", Amount(load.value, "W")), "%", share)
        })
        .collect();
    if let Some((run, load)) = runs.iter().zip(loads).find(|it| it.0.watts.value + it.0.watts.plus_minus < it.1.value) {
        return Outcome::says(format!(
            "{} on it, but only {} taken from the store: it holds more than the plan says, or the load took less.",
            Amount(load.value, "W"),
            Amount(run.watts.value, "W")
        ));
    }
    let parts = if most - least > ALIKE * most {
        apart(runs, loads, &lost).map_or_else(Vec::new, |(idle, per_watt)| {
            vec![Part::idle(idle, half[0]), Part::proportional(per_watt, half[1])]
        })
    } else {
        let (load, lost) = (mean(loads), mean(&lost));
        let by_load = Known { value: law.proportional, plus_minus: half[1] }.times(load);
        let idle = lost.minus(by_load);
        let per_watt = lost.minus(Known { value: law.idle_w, plus_minus: half[0] }).over(load);
        let parts = [Part::idle(idle, half[0]), Part::proportional(per_watt, half[1])];
        // The one that the run knows best against what the plan knows of it.
        let gain = |it: &Part| if it.planned > 0.0 { it.found.plus_minus / it.planned } else { it.found.plus_minus };
        parts.into_iter().filter(Part::is_news).min_by(|a, b| gain(a).total_cmp(&gain(b))).into_iter().collect()
    };
    let news: Vec<&Part> = parts.iter().filter(|it| it.is_news()).collect();
    let said: Vec<String> = news.iter().map(|it| it.words()).collect();
    let taken = match runs {
        [_] => format!("{} taken from the store for {}", taken.words("W"), Amount(most, "W")),
        _ => format!("{} runs up to {}", runs.len(), Amount(most, "W")),
    };
    let sentence = match &said[..] {
        [] => format!(
            "{taken}: that tells no part of the port's loss better than the plan knows it. Run for longer, or at another load too."
        ),
        said => format!("{taken}: {}.", said.join("; ")),
    };
    Outcome { told, figures: news.iter().map(|it| it.given(case)).collect(), ..Outcome::says(sentence) }
}

/// Idle draw, W, and what is lost per watt, by a straight line through what was lost at each load.
/// What the store really holds is common to all runs, and so is what the load's meter is off:
/// neither shrinks with their number. None below zero.
fn apart(runs: &[Run], loads: &[Known], lost: &[Known]) -> Option<(Known, Known)> {
    let weight = |at: usize| 1.0 / runs[at].by_display.plus_minus.powi(2).max(1e-12);
    let sums = (0..runs.len()).fold([0.0; 5], |sum, at| {
        let (w, x, y) = (weight(at), loads[at].value, lost[at].value);
        [sum[0] + w, sum[1] + w * x, sum[2] + w * x * x, sum[3] + w * y, sum[4] + w * x * y]
    });
    let [w, x, xx, y, xy] = sums;
    let size = w * xx - x * x;
    if size <= 1e-9 * w * xx {
        return None;
    }
    let (mut idle, mut per_watt) = ((xx * y - x * xy) / size, (w * xy - x * y) / size);
    if per_watt < 0.0 {
        (idle, per_watt) = (y / w, 0.0);
    } else if idle < 0.0 {
        (idle, per_watt) = (0.0, xy / xx);
    }
    let share = |it: &Known| if it.value > 0.0 { it.plus_minus / it.value } else { 0.0 };
    let store = runs
        .iter()
        .map(|it| {
            (it.watts.plus_minus.powi(2) - it.by_display.plus_minus.powi(2)).max(0.0).sqrt()
                / it.watts.value.abs().max(1e-9)
        })
        .fold(0.0, f64::max);
    let meter = loads.iter().map(share).fold(0.0, f64::max);
    let idle_half = (xx / size).sqrt().hypot(store * idle);
    let slope_half = (w / size).sqrt().hypot(store * (1.0 + per_watt)).hypot(meter * (1.0 + per_watt));
    Some((
        Known { value: idle.max(0.0), plus_minus: idle_half },
        Known { value: per_watt.max(0.0), plus_minus: slope_half },
    ))
}
