//! Switchover by capture: how long an outlet is dead and disturbed, and its wave before and after
//! (`capture`).

use super::super::capture::Capture;
use super::super::case::Case;
use super::super::digest::Digest;
use super::super::guide::{Guide, MAINS, Target, meter, step};
use super::super::meter::Known;
use super::super::outcome::{Mark, Outcome, Plot, Told};
use super::super::protocol::Protocol;
use crate::ground::say::Amount;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Switchover,
        title: "Switchover, from a capture",
        answers: "How long an outlet is really dead at a switch, and what wave it gives \
            afterwards. Whether a device rides through hangs on it.",
        subjects: &[Target::Source],
        needs: &[
            "a scope or a logger with a probe made for the voltage, 0.1 ms between samples or less",
        ],
        minutes: 20,
        cautions: &[
            MAINS,
            "Clip the probe on with the power off; a probe that is not made for mains puts it on \
            its case.",
        ],
        disconnect: "Whatever must not lose its supply during the test.",
        meters: vec![meter("V", "out", false)],
        steps: vec![
            step("Put an ordinary load on the outlet."),
            step("Set the scope to a fifth of a second, triggered in the middle."),
            step("Take the mains away at its plug, not at a switch in the wall."),
            step(
                "Save the capture with its times, and give the file here. Do the return the same \
                way.",
            ),
        ],
        invalid: &[
            "No load on the outlet.",
            "A capture that begins after the switch.",
        ],
        stop: "The outlet does not come back: see to what hangs on it first.",
        readings: Vec::new(),
        file: Some("time_s,volts"),
    }
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let Some((file, found)) = case
        .test
        .file
        .as_ref()
        .and_then(|it| Some((it, it.capture.clone()?)))
    else {
        return Outcome::says(
            "Give a scope's file with time_s and volts, the switch about in its middle.",
        );
    };
    let sentence = match found.dead_ms {
        Some(dead) => format!(
            "Dead for {}, disturbed {}; {} before, {} after.",
            Amount(dead, "ms"),
            found.disturbed_ms.map_or_else(
                || "to the end".into(),
                |it| format!("for {}", Amount(it, "ms"))
            ),
            found.waveform_before.as_deref().unwrap_or("unknown"),
            found.waveform_after.as_deref().unwrap_or("unknown")
        ),
        None => format!("Down to {}.", Amount(found.lowest_v.unwrap_or(0.0), "V")),
    };
    let has_line = case.element.body.pointer("/line").is_some();
    // A dead stretch begins and ends between two samples, and noise moves where it is seen to.
    let between = file.seconds * 1000.0 / (file.rows.max(2) - 1) as f64;
    let known = |value: f64| Known {
        value,
        plus_minus: (2.0 * between).hypot(0.5),
    };
    let figures = found
        .dead_ms
        .filter(|_| has_line)
        .map(|dead| case.given("transfer time", "ms", "/line/transfer_ms", known(dead)));
    let told = found
        .disturbed_ms
        .map(|it| Told::of("disturbed", "ms", known(it)));
    let overshoot = found.overshoot_percent.map(|it| Told {
        name: "overshoot".into(),
        unit: "%",
        value: it,
        plus_minus: None,
    });
    let plot = drawn(file, &found);
    Outcome {
        sentence: sentence.into(),
        figures: figures.into_iter().collect(),
        told: told.into_iter().chain(overshoot).collect(),
        plot: Some(plot),
        capture: Some(found),
        ..Outcome::says("")
    }
}

/// The wave as it is drawn, with where it is dead and disturbed.
fn drawn(file: &Digest, found: &Capture) -> Plot {
    let mark = |name: &str, from: Option<f64>, long_ms: Option<f64>| {
        let from = (from? - found.begin_s) * 1000.0;
        let long = long_ms.filter(|it| *it > 0.0)?;
        Some(Mark {
            from,
            to: from + long,
            name: name.into(),
        })
    };
    let marks = [
        mark("disturbed", found.disturbed_from_s, found.disturbed_ms),
        mark("dead", found.dead_from_s, found.dead_ms),
    ];
    Plot {
        trace: file.trace.clone(),
        marks: marks.into_iter().flatten().collect(),
        ..Plot::of(("since its begin", "ms"), ("at the outlet", "V"))
    }
}
