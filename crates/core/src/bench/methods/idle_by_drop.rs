//! Idle draw by charge drop: how far a store's display falls in hours with nothing on the port.

use super::super::guide::{BATTERY, Guide, Target, columns, meter, step, wait};
use super::super::outcome::{Outcome, Plot};
use super::super::protocol::Protocol;
use super::super::test::{Case, Refused, mean};
use super::charge_drop::Run;
use super::idle::share_of_store;
use crate::say::Amount;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::IdleByDrop,
        title: "Idle draw, by charge drop",
        answers: "What a port takes for being on, where no meter can be put between it and its battery: the display's own fall over a night.",
        subjects: &[Target::Port],
        needs: &["the store's own display", "a clock", "eight hours or more"],
        minutes: 10,
        cautions: &[BATTERY],
        disconnect: "Every load and every charger. Other ports are off; turn a mode that saves energy off too.",
        meters: vec![meter("%", "in", false)],
        steps: vec![
            step("Charge to full, and let it rest for an hour with everything off."),
            step("Switch the port on with nothing on it. Write down the per cent and the time."),
            wait("Leave it alone for eight hours.", 28_800),
            step("Write down the per cent again: start, end and hours make one row."),
        ],
        invalid: &[
            "It was charged, or sun fell on its panel, in between.",
            "The port turned itself off: see whether it is still on at the end.",
            "It came from different states: always start at full.",
        ],
        stop: "The display falls below the floor.",
        readings: columns(&[("at the start", "%", 0), ("at the end", "%", 0), ("hours", "h", 2)]),
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
    let watts: Vec<_> = runs.iter().map(|it| it.watts).collect();
    let found = mean(&watts);
    let share = share_of_store(case, found.value);
    let mut sentence = format!("Idle {}: {} a day{share}.", found.words("W"), Amount(found.value * 24.0, "Wh"));
    if found.plus_minus > 0.3 * found.value.abs() {
        sentence += " The display is too coarse for that: run for longer.";
    }
    let plot = Plot::of(("run", "h"), ("taken", "W")).with(runs.iter().map(|it| (it.row, it.hours, it.watts)));
    let figures = (found.value > 0.0).then(|| case.given("idle draw", "W", "/loss/idle_w", found));
    Ok(Outcome {
        sentence: sentence.into(),
        figures: figures.into_iter().collect(),
        plot: Some(plot),
        ..Outcome::says("")
    })
}
