//! The sum behind every number: formula in words, terms with value, unit and basis, result.
//!
//! # Layout
//! - `sum`: what they are made from, and what they share
//! - `ends`: devices and leads; `boxes`: converters and junctions; `outlets`: ports, sources and
//!   inputs
//! - `whole`: sums over an arrangement and over a day

mod boxes;
mod ends;
mod outlets;
mod sum;
mod whole;

pub use sum::Sums;

use crate::site::sum::{Working, place};

/// The working of one number of an evaluation, by its key, such as `feeds.gate-camera.far_v`,
/// `ports.station/outlet.watts`, `totals.drawn_w` or `day.drawn_wh`; `None` for an unknown key.
pub fn working(sums: &Sums<'_>, key: &str) -> Option<Working> {
    let mut found = of_key(sums, key)?;
    place(sums.plan, [&mut found]);
    Some(found)
}

fn of_key(sums: &Sums<'_>, key: &str) -> Option<Working> {
    let (kind, rest) = key.split_once('.')?;
    if kind == "totals" {
        return whole::totals(sums, rest);
    }
    if kind == "day" {
        return whole::day(sums, rest);
    }
    let (id, field) = rest.rsplit_once('.')?;
    match kind {
        "devices" => ends::device(sums, id, field),
        // What flows through a lead is what its far end takes.
        "feeds" if field == "amps" => match far_end(sums, id)? {
            FarEnd::Input => outlets::input(sums, id, "amps"),
            FarEnd::Device(id) => ends::device(sums, id, "amps"),
            FarEnd::Converter(id) => boxes::converter(sums, id, "input_a"),
            FarEnd::Junction(id) => boxes::junction(sums, id, "amps"),
        },
        "feeds" => ends::feed(sums, id, field),
        "converters" => boxes::converter(sums, id, field),
        "junctions" => boxes::junction(sums, id, field),
        "ports" => outlets::port(sums, id, field),
        "sources" => outlets::source(sums, id, field),
        "inputs" => outlets::input(sums, id, field),
        _ => None,
    }
}

/// What a lead ends at.
enum FarEnd<'a> {
    Input,
    Device(&'a str),
    Converter(&'a str),
    Junction(&'a str),
}

fn far_end<'a>(sums: &Sums<'a>, feed: &str) -> Option<FarEnd<'a>> {
    let item = sum::feed_into(sums, feed)?.to.item.as_str();
    sums.flow.feeds.get(feed)?;
    Some(match () {
        () if sums.flow.inputs.contains_key(feed) => FarEnd::Input,
        () if sums.flow.devices.contains_key(item) => FarEnd::Device(item),
        () if sums.flow.converters.contains_key(item) => FarEnd::Converter(item),
        () => FarEnd::Junction(item),
    })
}
