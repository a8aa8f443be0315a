//! What must not be switched off: what runs on while it is hot, what a life hangs on, and what
//! comes to harm by being off.

use super::code::Code;
use super::fact::{Fact, Words, said};
use super::sentences::is_medical;
use super::study::Study;
use super::verdict::Status;
use super::words::{MEDICAL, time};
use crate::ground::say::{Name, Sentence};
use crate::network::{Gate, Gates, Moment, fed};
use crate::site::plan::{Device, PhaseKind, Plan};
use crate::site::sum::Term;

/// Why the feed of a device must not be cut by a switch; none where it may be.
pub(crate) fn feed_stays(plan: &Plan, device: &Device) -> Option<Sentence> {
    let label = Name(&device.label);
    if is_medical(plan, device.id.as_str()) {
        return Some(
            format!(
                "{label} is a medical device: its maker and the care team decide how it is fed."
            )
            .into(),
        );
    }
    let runs_on = device.highest(PhaseKind::Stopping)?;
    let long = runs_on
        .seconds
        .as_ref()
        .map_or_else(String::new, |it| format!(" for {}", time(it.get())));
    Some(
        format!(
            "{label} runs on{long} after it goes off: its feed stays on, and is never cut \
            while it is hot."
        )
        .into(),
    )
}

/// The longest stretch of a day in which a switch by the clock is off, h.
fn longest_off_h(gate: &Gate) -> f64 {
    let mut edges: Vec<f64> = gate
        .hours
        .iter()
        .flatten()
        .flat_map(|it| [it.0, it.1])
        .collect();
    edges.sort_by(f64::total_cmp);
    edges.dedup();
    let (mut most, mut now) = (0.0_f64, 0.0);
    // Twice round the clock, so that a stretch over midnight is whole.
    let twice = edges
        .iter()
        .copied()
        .chain(edges.iter().map(|it| it + 24.0))
        .collect::<Vec<f64>>();
    for pair in twice.windows(2) {
        let middle = f64::midpoint(pair[0], pair[1]).rem_euclid(24.0);
        now = if gate.may_be_open(middle) {
            0.0
        } else {
            now + pair[1] - pair[0]
        };
        most = most.max(now);
    }
    most.min(24.0)
}

/// One verdict for each device that a switch of the arrangement should not reach.
pub(super) fn switched<'a>(study: &'a Study<'_>) -> Vec<Fact<'a>> {
    let (plan, arrangement) = (study.plan, study.way);
    if arrangement.switching.is_empty() {
        return Vec::new();
    }
    let gates = Gates::of(arrangement, study.network());
    let devices: Vec<&Device> = fed(plan, arrangement).collect();
    let mut list: Vec<Fact> = Vec::new();
    for gate in &gates.list {
        let off_h = longest_off_h(gate);
        for device in gate.devices.iter().map(|it| devices[*it]) {
            let may_h = device.deadline.as_ref().map(|it| it.minutes.get() / 60.0);
            let harm = may_h.filter(|it| gate.hours.is_some() && off_h > *it);
            let (why, limit) = match (feed_stays(plan, device), harm) {
                (Some(why), _) => (said!("Do not switch it: {}", why.marked()), 0.0),
                (None, Some(may)) => {
                    let deadline = device.deadline.as_ref();
                    let then = deadline
                        .and_then(|it| it.consequence.as_deref())
                        .map(|it| format!(": {it}"));
                    let why = said!(
                        "Off for too long: {} is off by the clock for {}, and may be for {}{}. \
                        Leave on what feeds it.",
                        Name(&device.label),
                        time(off_h * 3600.0),
                        time(may * 3600.0),
                        then.unwrap_or_default()
                    );
                    (why, may)
                }
                (None, None) => continue,
            };
            if list.iter().any(|it| it.place == device.id.as_str()) {
                continue;
            }
            list.push(Fact {
                code: Code::Switched,
                place: device.id.to_string(),
                status: Status::Trips,
                value: off_h,
                limit,
                unit: "h",
                message: why,
                brief: said!("{} is switched off", Name(&device.label)),
                rule: "the longest stretch in which it is off by the clock",
                formula: "t1",
                terms: vec![Term::computed("off at a time", off_h, "h")],
                caution: is_medical(plan, device.id.as_str()).then_some(MEDICAL),
                moment: Moment::Running,
                unstated: None,
            });
        }
    }
    list
}
