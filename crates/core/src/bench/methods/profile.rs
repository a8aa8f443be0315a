//! Start and stop profile: the phases in a logger's file (`profile`), as a device has them.

use super::super::case::Case;
use super::super::guide::{BATTERY, Guide, Target, meter, step, wait};
use super::super::outcome::{Outcome, Plot};
use super::super::profile::Profile;
use super::super::protocol::Protocol;
use crate::ground::say::{Amount, percent};
use serde_json::{Value, json};

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Profile,
        title: "Start and stop profile, from a logger",
        answers: "What a device draws from switching on to switching off: its start decides what \
            trips, its busy share how long the store lasts.",
        subjects: &[Target::Device],
        needs: &["a logger of watts, or of volts and amperes, once a second or faster"],
        minutes: 30,
        cautions: &[BATTERY],
        disconnect: "Everything else on the same lead.",
        meters: vec![meter("W", "in", true)],
        steps: vec![
            step("Start the logger with the device off."),
            wait(
                "Leave it off for half a minute, so that the log knows what off is.",
                30,
            ),
            step(
                "Switch the device on, and let it do all that it does: be busy and idle, several \
                times.",
            ),
            step("Switch it off, let the logger run on for a minute, and give its file here."),
        ],
        invalid: &[
            "Gaps in the middle of a start.",
            "A device that was warm, or already full.",
        ],
        stop: "A fuse goes: look why before it is replaced.",
        readings: Vec::new(),
        file: Some("time_s,watts"),
    }
}

fn count(phases: usize) -> String {
    if phases == 1 {
        "one phase".into()
    } else {
        format!("{phases} phases")
    }
}

/// The phases as a device has them. What a logger does not see is kept from the device's own
/// phases: the label of the same one, and how it answers a changed voltage.
fn phases(found: &Profile, own: &[Value]) -> Value {
    let list = found.phases.iter().enumerate().map(|(index, it)| {
        // The first start is the first start, and so on.
        let nth = found.phases[..index]
            .iter()
            .filter(|other| other.when == it.when)
            .count();
        let mut phase = own
            .iter()
            .filter(|phase| phase["when"] == *it.when)
            .nth(nth)
            .cloned()
            .unwrap_or(json!({"when": it.when}));
        let measured = |value: f64, plus_minus: f64| {
            json!({"value": value, "plus_minus": plus_minus,
                "basis": "measured"})
        };
        phase["watts"] = measured(it.watts, (2.0 * found.noise_w / 10.0).max(0.01 * it.watts));
        if let Some(seconds) = it.seconds {
            phase["seconds"] = measured(seconds, (0.02 * seconds).max(1.0));
        }
        if let Some(share) = it.share {
            phase["share"] = measured(share, (0.1 * share).min(1.0 - share));
        }
        phase
    });
    list.collect()
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let Some((file, found)) = case
        .test
        .file
        .as_ref()
        .and_then(|it| Some((it, it.profile.clone()?)))
    else {
        return Outcome::says(
            "Give a logger's file with time_s and watts, or with volts and amps.",
        );
    };
    let own = case.element.body["phases"]
        .as_array()
        .cloned()
        .unwrap_or_default();
    let given = case.given_list(
        "phases",
        count(found.phases.len()),
        "/phases",
        phases(&found, &own),
    );
    let said: Vec<String> = found
        .phases
        .iter()
        .map(|it| {
            let long = it.seconds.map(|it| format!(" for {}", Amount(it, "s")));
            let long = long.or_else(|| {
                it.share
                    .map(|it| format!(" for {} of the time", percent(it)))
            });
            format!(
                "{} {}{}",
                it.when,
                Amount(it.watts, "W"),
                long.unwrap_or_default()
            )
        })
        .collect();
    let mut sentence = said.join("; ");
    if let Some(first) = sentence.get(..1).map(str::to_uppercase) {
        sentence.replace_range(..1, &first);
    }
    let plot = Plot {
        trace: file.trace.clone(),
        ..Plot::of(("since its begin", "s"), ("drawn", "W"))
    };
    Outcome {
        sentence: crate::ground::say::Sentence::from(sentence + "."),
        lists: vec![given],
        plot: Some(plot),
        profile: Some(found),
        ..Outcome::says("")
    }
}
