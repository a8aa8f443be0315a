//! Leads that no figure of theirs makes well: thin aluminium, and data cables that feed.

use super::code::Code;
use super::fact::{Fact, Words, said};
use super::plugs::words;
use super::verdict::Status;
use crate::ground::say::{Name, amount};
use crate::network::Moment;
use crate::site::plan::{Cable, Feed, Material, Plan};
use crate::site::sum::Term;
use crate::site::wire::{ALUMINIUM_FROM_MM2, area};

/// The longest data cable, m (ISO/IEC 11801).
const DATA_M: f64 = 100.0;
/// What a port of a class gives, W (IEEE 802.3, clauses 33 and 145), class 0 first.
const GIVES_W: [f64; 9] = [15.4, 4.0, 7.0, 15.4, 30.0, 45.0, 60.0, 75.0, 90.0];

/// The class of power over a data cable that a connector's words state, as "RJ45, PoE class 4", 0
/// to 8.
pub(super) fn class(connector: Option<&str>) -> Option<usize> {
    let text = connector?.as_bytes();
    let at = text
        .windows(3)
        .position(|it| it.eq_ignore_ascii_case(b"poe"))?;
    let digit = text[at..].iter().find(|it| it.is_ascii_digit())?;
    Some(usize::from(digit - b'0')).filter(|it| *it < GIVES_W.len())
}

/// What a port of that class gives, W.
pub(super) fn class_w(class: usize) -> f64 {
    GIVES_W[class.min(GIVES_W.len() - 1)]
}

/// What is to be said of the lead of a feed.
pub(super) fn leads<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    name: Name<'a>,
    ends: (Option<&'a str>, Option<&'a str>),
) -> Vec<Fact<'a>> {
    let cable = feed.cable.as_ref();
    let aluminium = cable.and_then(|it| thin(feed, it, name));
    let data = cable.filter(|it| it.pairs.is_some() || is_data(ends.0) || is_data(ends.1));
    let long = data.and_then(|it| too_long(feed, it, name));
    let asks = ends
        .1
        .and_then(|it| class(Some(it)))
        .zip(ends.0.and_then(|it| class(Some(it))));
    let classes = asks.and_then(|(asks, gives)| class_of(plan, feed, name, (asks, gives)));
    aluminium.into_iter().chain(long).chain(classes).collect()
}

fn is_data(connector: Option<&str>) -> bool {
    connector.is_some_and(|it| {
        words(it).any(|it| it.eq_ignore_ascii_case(b"rj45") || it.eq_ignore_ascii_case(b"poe"))
    })
}

/// Aluminium, also with a skin of copper, that is too thin for the contacts of such leads.
fn thin<'a>(feed: &'a Feed, cable: &'a Cable, name: Name<'a>) -> Option<Fact<'a>> {
    let (metal, least) = match cable.material? {
        Material::Copper => return None,
        Material::Aluminium => ("aluminium", ALUMINIUM_FROM_MM2),
        Material::CopperClad => ("copper-clad aluminium", ALUMINIUM_FROM_MM2),
    };
    let area = area(cable).filter(|it| it.0 < least * (1.0 - 1e-9))?.0;
    Some(Fact {
        code: Code::CableAmpacity,
        place: feed.to.name(),
        status: Status::Trips,
        value: area,
        limit: least,
        unit: "mm²",
        message: said!(
            "Not a lead: that to {name} is {} of {metal}, which breaks, creeps and corrodes at its \
            contacts when it is thin; copper, or {} and more with lugs made for it. Local codes \
            rule.",
            amount(area, "mm²"),
            amount(least, "mm²")
        ),
        brief: said!("thin aluminium to {name}"),
        rule: "aluminium leads from 10 mm² on only, with lugs made for them; local codes rule",
        formula: "t1",
        terms: vec![Term::computed("cross-section", area, "mm²")],
        caution: None,
        moment: Moment::Running,
        unstated: None,
    })
}

fn too_long<'a>(feed: &'a Feed, cable: &'a Cable, name: Name<'a>) -> Option<Fact<'a>> {
    let length = cable.length_m.get();
    (length > DATA_M * (1.0 + 1e-9)).then(|| Fact {
        code: Code::DataCable,
        place: feed.to.name(),
        status: Status::Trips,
        value: length,
        limit: DATA_M,
        unit: "m",
        message: said!(
            "Too long: the data cable to {name} is {}, and {} is the most that carries data; put \
            something between that repeats them.",
            amount(length, "m"),
            amount(DATA_M, "m")
        ),
        brief: said!("data cable to {name} too long"),
        rule: "a data cable carries data over 100 m (ISO/IEC 11801)",
        formula: "t1",
        terms: vec![Term::figure("length", &cable.length_m)],
        caution: None,
        moment: Moment::Running,
        unstated: None,
    })
}

fn class_of<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    name: Name<'a>,
    (asks, gives): (usize, usize),
) -> Option<Fact<'a>> {
    (class_w(asks) > class_w(gives)).then(|| Fact {
        code: Code::DataCable,
        place: feed.to.name(),
        status: Status::Unproven,
        value: class_w(asks),
        limit: class_w(gives),
        unit: "W",
        message: said!(
            "Asks for more: {name} is of class {} and asks for {}, {} gives class {}, {}; it may \
            refuse, or do less. Try it on the bench.",
            amount(asks as f64, ""),
            amount(class_w(asks), "W"),
            Name(plan.label(feed.from.item.as_str())),
            amount(gives as f64, ""),
            amount(class_w(gives), "W")
        ),
        brief: said!("{name} asks for a higher class"),
        rule: "the class that a device asks for against the class that its port gives (IEEE 802.3)",
        formula: "t1",
        terms: Vec::new(),
        caution: None,
        moment: Moment::Running,
        unstated: None,
    })
}
