//! Switchover by eye: which devices rebooted, try after try, with what that really says.
//!
//! The interval for k of n is the exact one of the binomial (Clopper and Pearson 1934): 0 of 10
//! still leaves up to 31 %.

use super::super::case::{Case, Subject};
use super::super::guide::{Guide, MAINS, Target, meter, step, wait};
use super::super::meter::Known;
use super::super::meter::Reading;
use super::super::outcome::{Outcome, Plot, Question, Told};
use super::super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::ground::say::percent;
use crate::site::plan::Plan;

/// Devices that are watched at once, at most.
const MOST: usize = 12;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::SwitchoverByEye,
        title: "Switchover by eye, ten tries",
        answers: "Which devices ride through the switch and which reboot, without a scope; and how \
            sure ten tries are.",
        subjects: &[Target::Arrangement],
        needs: &[
            "nothing but patience",
            "a second person at the devices, where they are in another room",
        ],
        minutes: 40,
        cautions: &[
            MAINS,
            "Nobody's breathing aid is part of a test: it has a supply of its own meanwhile.",
        ],
        disconnect: "Whatever must not lose its supply.",
        meters: vec![meter("eye", "out", false)],
        steps: vec![
            step("Let every device run as it does on an ordinary day."),
            step("Take the mains away at its plug, and see who reboots."),
            step("Write a row: 1 for each device that rebooted, 0 for each that did not."),
            wait("Let all come up again, and give the mains back.", 180),
            step("Ten tries or more; some at the return too, as rows of a test of its own."),
        ],
        invalid: &[
            "Tries so quick that a device was not up yet.",
            "A switch in the wall, that bounces.",
        ],
        stop: "Something does not come back: see to it first.",
        readings: Vec::new(),
        file: None,
    }
}

/// A column for each device of the arrangement.
pub(in super::super) fn readings(plan: &Plan, of: &Subject) -> Vec<Reading> {
    let Some(way) = plan.arrangement(&of.id) else {
        return Vec::new();
    };
    let devices = way
        .feeds
        .iter()
        .filter_map(|it| plan.device(it.to.item.as_str()));
    devices
        .take(MOST)
        .map(|it| Reading::of(it.label.clone(), "", 0))
        .collect()
}

/// The exact 95 % interval for `k` of `n`.
fn interval(k: usize, n: usize) -> (f64, f64) {
    // Of n tries, the chance of at most k.
    let at_most = |k: usize, p: f64| {
        let mut term = (1.0 - p).powf(n as f64);
        let mut sum = term;
        for i in 0..k {
            term *= (n - i) as f64 / (i + 1) as f64 * p / (1.0 - p);
            sum += term;
        }
        sum
    };
    let sought = |holds: &dyn Fn(f64) -> bool| {
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..60 {
            let middle = f64::midpoint(low, high);
            if holds(middle) {
                low = middle;
            } else {
                high = middle;
            }
        }
        low
    };
    let low = if k == 0 {
        0.0
    } else {
        sought(&|p| 1.0 - at_most(k - 1, p) < 0.025)
    };
    let high = if k == n {
        1.0
    } else {
        sought(&|p| at_most(k, p) > 0.025)
    };
    (low, high)
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let columns = readings(case.plan, &case.test.of);
    if columns.is_empty() {
        return Err(FieldError::of(
            "of",
            "feeds no device; choose an arrangement that does".into(),
        ));
    }
    let rows = case.rows(columns.len());
    if rows.is_empty() {
        return Ok(Outcome::says(
            "Take the mains away, and write 1 for each device that rebooted, 0 for each that did \
            not.",
        ));
    }
    let odd = rows.iter().filter(|it| {
        it.1.iter()
            .any(|it| it.value != 0.0 && (it.value - 1.0).abs() > 1e-9)
    });
    let questions = odd
        .map(|it| Question {
            row: it.0,
            sentence: "1 is rebooted, 0 is not: what is the other number?".into(),
        })
        .collect();
    let n = rows.len();
    let mut told = Vec::new();
    let mut said = Vec::new();
    let mut points = Vec::new();
    for (index, column) in columns.iter().enumerate() {
        let k = rows.iter().filter(|it| it.1[index].value > 0.5).count();
        let (low, high) = interval(k, n);
        let range = match k {
            0 => format!("up to {}", percent(high)),
            _ if k == n => format!("{} or more", percent(low)),
            _ => format!("{} to {}", percent(low), percent(high)),
        };
        let word = match k {
            0 => "never".to_owned(),
            _ if k == n => "every time".to_owned(),
            1 => "once".to_owned(),
            _ => format!("{k} times"),
        };
        said.push(format!("{} {word} ({range})", column.name));
        told.push(Told {
            name: format!("{} rebooted, of {n}", column.name),
            unit: "",
            value: k as f64,
            plus_minus: None,
        });
        let middle = Known {
            value: f64::midpoint(low, high) * 100.0,
            plus_minus: (high - low) * 50.0,
        };
        points.push((index, Known::sure((index + 1) as f64), middle));
    }
    let tries = if n == 1 {
        "one try".into()
    } else {
        format!("{n} tries")
    };
    Ok(Outcome {
        told,
        questions,
        plot: Some(
            Plot::of(
                ("device, in the order of the columns", ""),
                ("may reboot", "%"),
            )
            .with(points),
        ),
        ..Outcome::says(format!(
            "Rebooted in {tries}, with what it may be in the long run: {}.",
            said.join("; ")
        ))
    })
}
