//! Whether a lead is protected against a short circuit: what opens upstream of it, and what the
//! lead bears.
//!
//! A lead off a battery or a vehicle has a fuse near the positive terminal, or hangs on a port
//! whose fuse or breaker is stated. A limit is what a port may carry, and opens nothing; a
//! battery's own electronics protect its cells (IEC 60364-4-43 asks for protection at the head of
//! each conductor; ISO 10133 for boats, ISO 13297 for 12 V in vehicles). Behind a junction the
//! nearest fuse above counts. A direct-current outlet of a station, an adapter or a converter can
//! give what it may carry for good into a lead that has gone bad, so that its lead bears that or
//! has a fuse of its own. Leads for alternating current are left to the local code.

use super::code::{Code, Unstated};
use super::fact::{Fact, Words, said, standing};
use super::plugs::settled;
use super::verdict::Status;
use super::words::SHORT_CIRCUIT;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::Moment;
use crate::site::plan::device::Current;
use crate::site::plan::port::ProtectionKind;
use crate::site::plan::{
    Arrangement, ConverterKind, Feed, Material, Plan, Port, PortVoltage, Source, SourceKind,
};
use crate::site::wire::{ampacity, areas, largest_fuse, planned_amps};

/// What stands upstream of a lead.
enum Upstream {
    /// It opens at so many amperes.
    Opens(f64),
    /// There is something, of a rating that nobody stated.
    Unrated,
    /// Nobody said whether there is anything.
    Unknown,
    /// Nothing.
    Bare,
}

/// Whether a feed has the fuse that it needs; nothing where it needs none.
pub(super) fn missing<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    feed: &'a Feed,
    name: Name<'a>,
) -> Option<Fact<'a>> {
    let carries = feed
        .cable
        .as_ref()
        .and_then(|it| ampacity(it, plan.site.ambient()));
    let own = plan.port(&feed.from)?;
    if !matches!(own.voltage, PortVoltage::Follows { .. }) {
        return outlet(plan, feed, own, name, carries);
    }
    let (root, port) = standing(plan, arrangement, feed)?;
    if !matches!(port.voltage, PortVoltage::Follows { .. }) {
        return behind_outlet(plan, arrangement, feed, port, name, carries);
    }
    let source = plan.source(root)?;
    let direct = feed.from.item == source.id;
    if !direct {
        return behind(plan, arrangement, feed, port, name, carries);
    }
    if let Some(fuse) = &feed.fuse {
        let rating = fuse.rating_a.get();
        if carries.is_none() {
            return Some(unknown_lead(feed, name, rating));
        }
        let sentence = said!(
            "Holds: the lead to {name} has a fuse of {}.",
            amount(rating, "A")
        );
        return Some(fact(feed, name, Status::Holds, (rating, rating), sentence));
    }
    let fitting = move || {
        carries
            .and_then(largest_fuse)
            .map_or_else(String::new, |it| {
                format!(
                    " Fit one of at most {}, which its lead outlasts.",
                    amount(it, "A")
                )
            })
    };
    let label = Name(&source.label);
    let limit = carries.unwrap_or(0.0);
    Some(match upstream(port) {
        Upstream::Opens(rating) => match carries {
            None => unknown_lead(feed, name, rating),
            Some(carries) if rating > carries * (1.0 + 1e-9) => {
                too_large(feed, name, rating, carries)
            }
            Some(_) => {
                let sentence = said!(
                    "Holds: what {label} hands out opens at {}, and the lead to {name} outlasts \
                    that.",
                    amount(rating, "A")
                );
                fact(
                    feed,
                    name,
                    Status::Holds,
                    (rating, carries.unwrap_or(rating)),
                    sentence,
                )
            }
        },
        Upstream::Unrated => open(
            feed,
            name,
            limit,
            said!(
                "Fuse not known: {label} has one for the lead to {name}, and nobody stated its \
                amperes. Read them on it.{}",
                fitting()
            ),
        ),
        Upstream::Unknown => open(
            feed,
            name,
            limit,
            said!(
                "Fuse not known: what the outlet of {label} may carry opens nothing by itself. \
                State the fuse or breaker that it has, or fit one on the lead to {name}.{}",
                fitting()
            ),
        ),
        Upstream::Bare => fact(
            feed,
            name,
            Status::Trips,
            (0.0, limit),
            said!(
                "No fuse: the lead from {label} to {name} has none; a short would burn it.{}",
                fitting()
            ),
        ),
    })
}

/// What opens at the port of a battery or a vehicle.
fn upstream(port: &Port) -> Upstream {
    match port
        .protection
        .as_ref()
        .map(|it| (it.kind, it.rating_a.as_ref().map(Figure::get)))
    {
        Some((ProtectionKind::Fuse | ProtectionKind::Breaker, Some(rating))) => {
            Upstream::Opens(rating)
        }
        Some((ProtectionKind::Fuse | ProtectionKind::Breaker, None)) => Upstream::Unrated,
        Some((ProtectionKind::Electronic | ProtectionKind::None, _)) => Upstream::Bare,
        None if port.limit.is_some() => Upstream::Unknown,
        None => Upstream::Bare,
    }
}

/// Behind a junction a lead is protected by the fuse above it, if that is small enough.
fn behind<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    feed: &'a Feed,
    port: &'a Port,
    name: Name<'a>,
    carries: Option<f64>,
) -> Option<Fact<'a>> {
    if feed.fuse.is_some() {
        return None;
    }
    let above = fuse_above(plan, arrangement, feed).or_else(|| match upstream(port) {
        Upstream::Opens(rating) => Some(rating),
        _ => None,
    });
    let (carries, above) = (carries?, above?);
    (above > carries * (1.0 + 1e-9)).then(|| too_large(feed, name, above, carries))
}

/// A lead off a direct-current outlet that gives a voltage of its own.
fn outlet<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    port: &'a Port,
    name: Name<'a>,
    carries: Option<f64>,
) -> Option<Fact<'a>> {
    if port.current != Current::Dc {
        return None;
    }
    let gives = delivers(port, feed.voltage_v.as_ref().map(Figure::get));
    let opens = feed
        .fuse
        .as_ref()
        .map(|it| it.rating_a.get())
        .into_iter()
        .chain(gives)
        .reduce(f64::min);
    let Some(carries) = carries else {
        // Cords that belong to a plug of a standard, and those of adapters, are their makers'.
        let adapter = plan
            .converter(feed.from.item.as_str())
            .is_some_and(|it| it.kind == ConverterKind::AcAdapter);
        let own = adapter || settled(port.connector.as_deref());
        let thinnest = areas()
            .next()
            .map_or(0.0, |it| planned_amps(Material::Copper, it));
        return opens
            .filter(|it| !own && *it > thinnest)
            .map(|it| unknown_lead(feed, name, it));
    };
    if feed
        .fuse
        .as_ref()
        .is_some_and(|it| it.rating_a.get() <= carries * (1.0 + 1e-9))
    {
        return None;
    }
    let gives = gives?;
    (gives > carries * (1.0 + 1e-9)).then(|| {
        let sentence = said!(
            "No fuse: the outlet of {} gives {} for good, and the lead to {name} is planned for \
            {}; fit a fuse of its own, or a thicker lead.",
            Name(plan.label(feed.from.item.as_str())),
            amount(gives, "A"),
            amount(carries, "A")
        );
        fact(feed, name, Status::Trips, (gives, carries), sentence)
    })
}

/// A lead behind a junction that hangs on such an outlet.
fn behind_outlet<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    feed: &'a Feed,
    port: &'a Port,
    name: Name<'a>,
    carries: Option<f64>,
) -> Option<Fact<'a>> {
    if port.current != Current::Dc || feed.fuse.is_some() {
        return None;
    }
    let above = fuse_above(plan, arrangement, feed).or_else(|| delivers(port, None))?;
    let carries = carries?;
    (above > carries * (1.0 + 1e-9)).then(|| too_large(feed, name, above, carries))
}

/// What a direct-current outlet gives for good, A: up to its fuse, else up to its limit. None where
/// nothing is stated.
fn delivers(port: &Port, picked_v: Option<f64>) -> Option<f64> {
    let rating = port
        .protection
        .as_ref()
        .filter(|it| it.kind != ProtectionKind::None)
        .and_then(|it| it.rating_a.as_ref());
    let limit = port.limit.as_ref();
    let by_amps = limit
        .and_then(|it| it.continuous_a.as_ref())
        .map(Figure::get);
    let volts = picked_v
        .or_else(|| port.voltage.standing(None))
        .filter(|it| *it > 0.0);
    let by_watts = limit
        .and_then(|it| it.continuous_w.as_ref())
        .zip(volts)
        .map(|(watts, volts)| watts.get() / volts);
    rating
        .map(Figure::get)
        .into_iter()
        .chain(by_amps)
        .chain(by_watts)
        .reduce(f64::min)
}

/// A lead of which nobody knows what opens above it.
fn open<'a>(feed: &'a Feed, name: Name<'a>, limit: f64, sentence: Words<'a>) -> Fact<'a> {
    Fact {
        unstated: Some(Unstated::Protection),
        ..fact(feed, name, Status::Unproven, (0.0, limit), sentence)
    }
}

/// A lead of which nobody stated the size, behind what opens at so many amperes.
fn unknown_lead<'a>(feed: &'a Feed, name: Name<'a>, rating: f64) -> Fact<'a> {
    let sentence = Words::of(move || {
        let least = areas().find(|it| planned_amps(Material::Copper, *it) >= rating);
        let least = least.map_or_else(String::new, |it| {
            format!(", {} of copper or more", amount(it, "mm²"))
        });
        format!(
            "Lead not known: nobody stated the size of the lead to {name}; what opens above it \
            opens at {}, which only a lead outlasts that is planned for it{least}.",
            amount(rating, "A")
        )
    });
    Fact {
        brief: said!("lead to {name} not known"),
        unstated: Some(Unstated::LeadSize),
        ..fact(feed, name, Status::Unproven, (0.0, 0.0), sentence)
    }
}

/// A lead into a battery is fed by that battery too: a fuse at its end.
pub(super) fn missing_far<'a>(plan: &'a Plan, feed: &'a Feed, name: Name<'a>) -> Option<Fact<'a>> {
    at_battery(plan, feed)?;
    let carries = feed
        .cable
        .as_ref()
        .and_then(|it| ampacity(it, plan.site.ambient()));
    if let Some(fuse) = &feed.fuse_far {
        let rating = fuse.rating_a.get();
        if carries.is_none() {
            return Some(unknown_lead(feed, name, rating));
        }
        let sentence = said!(
            "Holds: the lead that charges {name} has a fuse of {} at its battery.",
            amount(rating, "A")
        );
        return Some(fact(feed, name, Status::Holds, (rating, rating), sentence));
    }
    let fitting = move || {
        carries
            .and_then(largest_fuse)
            .map_or_else(String::new, |it| {
                format!(
                    " Fit one of at most {} there, which the lead outlasts.",
                    amount(it, "A")
                )
            })
    };
    let sentence = said!(
        "No fuse: {name} feeds the lead that charges it in a short circuit, and has none at its \
        own end.{}",
        fitting()
    );
    Some(fact(
        feed,
        name,
        Status::Trips,
        (0.0, carries.unwrap_or(0.0)),
        sentence,
    ))
}

/// The battery at whose end a lead wants a fuse: that which the lead charges.
pub(super) fn at_battery<'a>(plan: &'a Plan, feed: &Feed) -> Option<&'a Source> {
    feed.to.input.as_ref()?;
    let source = plan.source(feed.to.item.as_str())?;
    // The input of a closed box is its maker's, and a battery without cells in the plan is such a
    // box.
    let open = matches!(source.kind, SourceKind::Battery | SourceKind::Vehicle);
    source
        .battery
        .as_ref()
        .filter(|it| open && it.cells.is_some())
        .map(|_| source)
}

fn too_large<'a>(feed: &'a Feed, name: Name<'a>, above: f64, carries: f64) -> Fact<'a> {
    let sentence = said!(
        "No fuse: the lead to {name} is planned for {}, and the next fuse above it is {}; fit one \
        of its own.",
        amount(carries, "A"),
        amount(above, "A")
    );
    fact(feed, name, Status::Trips, (above, carries), sentence)
}

fn fact<'a>(
    feed: &'a Feed,
    name: Name<'a>,
    status: Status,
    (value, limit): (f64, f64),
    message: Words<'a>,
) -> Fact<'a> {
    Fact {
        code: Code::FuseMissing,
        place: feed.to.name(),
        status,
        value,
        limit,
        unit: "A",
        message,
        brief: said!(
            "{} on the lead to {name}",
            if status == Status::Unproven {
                "fuse not known"
            } else {
                "no fuse"
            }
        ),
        rule: "every lead off a bare battery or vehicle has a fuse, near its positive terminal, \
            and every direct-current lead bears what opens upstream of it",
        formula: "t1",
        terms: Vec::new(),
        caution: (status != Status::Holds).then_some(SHORT_CIRCUIT),
        moment: Moment::Running,
        unstated: None,
    }
}

/// The rating of the nearest fuse above a feed, through junctions, A.
fn fuse_above(plan: &Plan, arrangement: &Arrangement, feed: &Feed) -> Option<f64> {
    let mut at = feed;
    for _ in 0..=arrangement.feeds.len() {
        // A stage with a voltage of its own gives what it may, whatever opens above it.
        if !plan
            .port(&at.from)
            .is_some_and(|it| matches!(it.voltage, PortVoltage::Follows { .. }))
        {
            return None;
        }
        at = arrangement.feed_into(at.from.item.as_str())?;
        if let Some(fuse) = &at.fuse {
            return Some(fuse.rating_a.get());
        }
    }
    None
}
