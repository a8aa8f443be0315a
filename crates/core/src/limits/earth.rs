//! Earthing of outlets for alternating current off the grid, and how far their wave is from a sine.
//!
//! A residual-current device sees current that comes back another way; off an outlet whose neutral
//! is bonded to nothing the first fault has no other way, and it does nothing (IEC 60364-4-41,
//! 411.6 and 413; IEC 60364-5-55 for generating sets). There one class I load at a time, or exposed
//! metal of all of them bonded together, is what protects; and a neutral is bonded in one place,
//! never in two. Local codes rule, and an electrician decides.

use super::code::{Code, Unstated};
use super::fact::{Fact, Words, said};
use super::verdict::Status;
use super::words::BACK_FEED;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::Moment;
use crate::site::plan::device::Current;
use crate::site::plan::port::Neutral;
use crate::site::plan::{Arrangement, ConverterKind, Feed, Plan, Port, PortVoltage, SourceKind};

/// What is on an outlet for alternating current: loads with an earth pin, without one, and of which
/// nobody knows.
#[derive(Debug, Default, Clone, Copy)]
struct Loads {
    earthed: usize,
    unknown: usize,
}

/// What is to be said of each outlet for alternating current that an arrangement uses, but the
/// mains.
pub(super) fn earthing<'a>(plan: &'a Plan, arrangement: &'a Arrangement) -> Vec<Fact<'a>> {
    let sources = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.kind != SourceKind::Mains);
    let sources = sources.flat_map(|it| {
        it.ports
            .iter()
            .map(move |port| (it.id.as_str(), port, it.line.is_some()))
    });
    let converters = plan
        .kit
        .converters
        .iter()
        .filter(|it| it.input.current == Current::Dc);
    let converters = converters.flat_map(|it| {
        it.outputs
            .iter()
            .map(move |port| (it.id.as_str(), port, false))
    });
    let alternating = sources
        .chain(converters)
        .filter(|it| matches!(it.1.voltage, PortVoltage::Alternating { .. }));
    alternating
        .filter_map(|(item, port, passes)| {
            let leaves = |it: &&Feed| it.from.item.as_str() == item && it.from.port == port.id;
            let feeds: Vec<&Feed> = arrangement.feeds.iter().filter(leaves).collect();
            (!feeds.is_empty())
                .then(|| outlet(plan, (item, port, passes), loads(plan, arrangement, &feeds)))
        })
        .collect()
}

/// The loads on an outlet, through what passes its current on.
fn loads(plan: &Plan, arrangement: &Arrangement, feeds: &[&Feed]) -> Loads {
    let mut found = Loads::default();
    let mut open: Vec<&Feed> = feeds.to_vec();
    let mut left = arrangement.feeds.len();
    while let Some(feed) = open.pop().filter(|_| left > 0) {
        left -= 1;
        let item = feed.to.item.as_str();
        if let Some(stage) = plan
            .converter(item)
            .filter(|it| it.kind == ConverterKind::Junction)
        {
            open.extend(
                arrangement
                    .feeds
                    .iter()
                    .filter(|it| it.from.item == stage.id),
            );
            continue;
        }
        let device = plan
            .device(item)
            .map(|it| (it.input.current, it.input.earthed));
        let of = device.or_else(|| {
            plan.converter(item)
                .map(|it| (it.input.current, it.input.earthed))
        });
        match of {
            Some((Current::Ac, Some(true))) => found.earthed += 1,
            Some((Current::Ac, None)) => found.unknown += 1,
            // What charges a box of the same kit is that box's own.
            _ => {}
        }
    }
    found
}

fn outlet<'a>(
    plan: &'a Plan,
    (item, port, passes): (&'a str, &'a Port, bool),
    on_it: Loads,
) -> Fact<'a> {
    let name = Name(plan.label(item));
    let several = on_it.earthed + on_it.unknown > 1;
    let (status, unstated, message) = match port.neutral {
        None | Some(Neutral::Unknown) => (
            Status::Unproven,
            Some(Unstated::Neutral),
            said!(
                "Earthing not known: nobody stated whether the neutral of {name} is bonded to \
                earth. Where it is not, a residual-current device after it does nothing on a first \
                fault. Its manual says it, or an electrician measures it."
            ),
        ),
        Some(Neutral::Floating) if on_it.earthed > 1 => (
            Status::Unproven,
            None,
            said!(
                "Floating, with {} loads that have an earth pin: two faults in two of them meet \
                through whoever touches both, and a residual-current device sees nothing. One such \
                load at a time, or their metal bonded together by an electrician.",
                amount(on_it.earthed as f64, "")
            ),
        ),
        Some(Neutral::Floating) if several => (
            Status::Unproven,
            Some(Unstated::Earthed),
            said!(
                "Floating, and nobody stated which loads on {name} have an earth pin: one of them \
                at a time is well, more want their metal bonded together by an electrician."
            ),
        ),
        Some(Neutral::Floating) => (
            Status::Holds,
            None,
            said!(
                "Holds: {name} is bonded to nothing and feeds one load with an earth pin at most; \
                a residual-current device after it does nothing on a first fault."
            ),
        ),
        Some(Neutral::Bonded) if passes => (
            Status::Unproven,
            None,
            said!(
                "Bonded, and it passes the mains on, which is bonded too: the bond of {name} must \
                open while the mains is there, else part of every return current flows in the \
                earth. Its manual says whether it does."
            ),
        ),
        Some(Neutral::Bonded) => (
            Status::Holds,
            None,
            said!(
                "Holds: the neutral of {name} is bonded at its outlet, so that a residual-current \
                device after it sees a fault. No second bond behind it."
            ),
        ),
    };
    Fact {
        code: Code::Earthing,
        place: format!("{item}/{}", port.id),
        status,
        value: 0.0,
        limit: 0.0,
        unit: "",
        message,
        brief: said!(
            "earthing of {name} {}",
            if unstated.is_some() {
                "not known"
            } else {
                "to be looked at"
            }
        ),
        rule: "one load with an earth pin on a floating outlet, or their metal bonded together; a \
            neutral is bonded once; local codes rule",
        formula: "t1",
        terms: Vec::new(),
        caution: Some(BACK_FEED),
        moment: Moment::Running,
        unstated,
    }
}

/// A voltage whose wave is further from a sine than this is felt by what needs one (EN 50160: 8 %).
const DISTORTED: f64 = 0.08;
/// Up to this share nobody feels it (IEC 61000-2-2 and what makers of sensitive sets ask for: 5 %).
const CLEAN: f64 = 0.05;

/// How the wave of an outlet with a sine stands with what needs one: the verdict, what nobody
/// stated, and words.
pub(super) fn wave<'a>(
    plan: &'a Plan,
    item: &'a str,
    port: &'a Port,
    name: Name<'a>,
) -> (Status, Option<Unstated>, Words<'a>) {
    let PortVoltage::Alternating { distortion, .. } = &port.voltage else {
        return (Status::Holds, None, said!(""));
    };
    let engine = plan
        .source(item)
        .is_some_and(|it| it.kind == SourceKind::Generator && it.engine.is_some());
    let from = Name(plan.label(item));
    match distortion.as_ref().map(Figure::get) {
        Some(it) if it > DISTORTED => (
            Status::Trips,
            None,
            said!(
                "Wrong wave: {name} needs a sine, and that of {from} is {} off under load; it may \
                hum, run hot, refuse or fail.",
                crate::ground::say::percent(it)
            ),
        ),
        Some(it) if it > CLEAN => (
            Status::Tight,
            None,
            said!(
                "Tight: {name} needs a sine, and that of {from} is {} off under load.",
                crate::ground::say::percent(it)
            ),
        ),
        None if engine => (
            Status::Unproven,
            Some(Unstated::Distortion),
            said!(
                "Wave not known: {name} needs a sine, and nobody stated how far that of {from} is \
                from one under load. Sets with an inverter of their own are near it, others may \
                not be."
            ),
        ),
        _ => (
            Status::Holds,
            None,
            said!("Holds: {name} needs a sine and gets one."),
        ),
    }
}
