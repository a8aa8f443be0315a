//! What is wired: the feeds of an arrangement, and what switches and starts there.

use super::parts::{Checked, at_least_one, each, fuse, positive_if};
use super::used;
use crate::ground::figure::Figure;
use crate::ground::json::Path;
use crate::site::plan::port::PortVoltage;
use crate::site::plan::source::SourceInput;
use crate::site::plan::{Arrangement, Feed, Plan, StartsOn};
use std::collections::HashMap;

pub(super) fn arrangement(plan: &Plan, arrangement: &Arrangement, at: &Path<'_>) -> Checked {
    let feeds = at.key("feeds");
    let mut fed: HashMap<String, usize> = HashMap::new();
    for (index, feed) in arrangement.feeds.iter().enumerate() {
        let at = feeds.index(index);
        near_end(plan, feed, &at)?;
        far_end(plan, feed, &at)?;
        cable(feed, &at)?;
        if let Some(first) = fed.insert(feed.to.to_string(), index) {
            let first = feeds.index(first);
            return Err(at.key("to").error(format!(
                "is \"{}\", which {first} feeds already; keep one of the two",
                feed.to
            )));
        }
    }
    forest(plan, arrangement, &feeds)?;
    used::switching(plan, arrangement, &at.key("switching"))?;
    each(&arrangement.starts_on, &at.key("starts_on"), |start, at| {
        starts_on(plan, arrangement, start, at)
    })
}

/// A device starts on another arrangement: both must feed it, and it must start there itself.
fn starts_on(plan: &Plan, arrangement: &Arrangement, start: &StartsOn, at: &Path<'_>) -> Checked {
    let device = start.device.as_str();
    let not_fed = |at: Path<'_>, id: &str| {
        Err(at.error(format!(
            "is \"{device}\", a device that the arrangement \"{id}\" does not feed; feed it there"
        )))
    };
    if plan.device(device).is_none() || arrangement.feed_into(device).is_none() {
        return not_fed(at.key("device"), arrangement.id.as_str());
    }
    if arrangement
        .starts_on
        .iter()
        .filter(|it| it.device == start.device)
        .count()
        > 1
    {
        return Err(at.key("device").error(format!(
            "is \"{device}\", which starts in two ways; keep one of the two"
        )));
    }
    let id = start.arrangement.as_str();
    match plan.arrangement(id) {
        None => Err(at.key("arrangement").error(format!("is \"{id}\", and no arrangement has that \
            id"))),
        Some(_) if id == arrangement.id.as_str() => {
            Err(at.key("arrangement").error("is this arrangement itself; name the one on which it \
                starts"))
        }
        Some(other) if other.feed_into(device).is_none() => not_fed(at.key("arrangement"), id),
        Some(other) if other.start_of(device).is_some() => Err(at.key("arrangement").error(format!(
            "is \"{id}\", on which {device} starts elsewhere too; name the one on which it does \
            start"
        ))),
        Some(_) => Ok(()),
    }
}

pub(super) fn near_end(plan: &Plan, feed: &Feed, at: &Path<'_>) -> Checked {
    let from = at.key("from");
    let (item, port) = (feed.from.item.as_str(), &feed.from.port);
    let ports = plan
        .source(item)
        .map(|it| &it.ports)
        .or_else(|| plan.converter(item).map(|it| &it.outputs))
        .ok_or_else(|| {
            from.key("item").error(format!(
                "is \"{item}\", and no source or converter has that id"
            ))
        })?;
    let found = ports.iter().find(|it| it.id == *port).ok_or_else(|| {
        let known: Vec<_> = ports.iter().map(|it| it.id.as_str()).collect();
        from.key("port").error(format!(
            "is \"{port}\"; the ports of {item} are {}",
            known.join(", ")
        ))
    })?;
    let Some(picked) = &feed.voltage_v else {
        return Ok(());
    };
    let at = at.key("voltage_v");
    match &found.voltage {
        PortVoltage::Offers { offers_v } => {
            let offered: Vec<_> = offers_v.iter().map(Figure::get).collect();
            if offered.iter().any(|it| (it - picked.get()).abs() < 1e-9) {
                return Ok(());
            }
            Err(at.error(format!("is {}; the port offers {offered:?}", picked.get())))
        }
        _ => Err(at.error("picks a voltage, but the port offers only one; leave it out")),
    }
}

fn far_end(plan: &Plan, feed: &Feed, at: &Path<'_>) -> Checked {
    let mode_at = at.key("mode");
    let at = at.key("to");
    let item = feed.to.item.as_str();
    if feed.to.input.is_none() && feed.mode.is_some() {
        return Err(mode_at.error(
            "sets the mode of a charging input, and this feed leads to none; leave it out",
        ));
    }
    match &feed.to.input {
        None if plan.device(item).is_some() || plan.converter(item).is_some() => Ok(()),
        None if plan.source(item).is_some() => Err(at.error(format!(
            "is \"{item}\", a source; name its charging input, as \"{item}/panel\""
        ))),
        None => Err(at.error(format!(
            "is \"{item}\", and no device or converter has that id"
        ))),
        Some(input) => {
            let source = plan
                .source(item)
                .ok_or_else(|| at.error(format!("names \"{item}\", and no source has that id")))?;
            if let Some(input) = source.inputs.iter().find(|it| it.id == *input) {
                return mode(feed, input, &mode_at);
            }
            let known: Vec<_> = source.inputs.iter().map(|it| it.id.as_str()).collect();
            Err(at.error(format!(
                "names the input \"{input}\"; the inputs of {item} are {}",
                known.join(", ")
            )))
        }
    }
}

/// The mode of a feed is one of its input's.
fn mode(feed: &Feed, input: &SourceInput, at: &Path<'_>) -> Checked {
    let Some(mode) = &feed.mode else {
        return Ok(());
    };
    if input.modes.iter().any(|it| it.id == *mode) {
        return Ok(());
    }
    let known: Vec<_> = input.modes.iter().map(|it| it.id.as_str()).collect();
    let has = if known.is_empty() {
        "has none".to_owned()
    } else {
        format!("has {}", known.join(", "))
    };
    Err(at.error(format!(
        "is set to the mode \"{mode}\"; the input \"{}\" {has}",
        input.id
    )))
}

pub(super) fn cable(feed: &Feed, at: &Path<'_>) -> Checked {
    for (fuse, name) in [(&feed.fuse, "fuse"), (&feed.fuse_far, "fuse_far")] {
        if let Some(it) = fuse {
            self::fuse(it, &at.key(name))?;
        }
    }
    if feed.fuse_far.is_some() && feed.to.input.is_none() {
        let why = "stands on a lead that charges nothing; a second fuse is for a lead into a \
            battery, as \"bank/charger\"";
        return Err(at.key("fuse_far").error(why));
    }
    let Some(cable) = &feed.cable else {
        return Ok(());
    };
    let at = at.key("cable");
    positive_if(cable.area_mm2.as_ref(), &at.key("area_mm2"))?;
    at_least_one(
        cable.bundle.as_ref(),
        &at.key("bundle"),
        "counts the lead itself too; give 1 or more",
    )?;
    if let Some(pairs) = &cable.pairs {
        if !(1.0..=4.0).contains(&pairs.get()) {
            return Err(at
                .key("pairs")
                .error(format!("is {}; a data cable has 1 to 4 pairs", pairs.get())));
        }
        if cable.area_mm2.is_some() || cable.awg.is_some() {
            return Err(at
                .key("pairs")
                .error("stands beside area_mm2 or awg; give one of them"));
        }
        return Ok(());
    }
    match (&cable.area_mm2, &cable.awg) {
        (Some(_), None) | (None, Some(_)) => Ok(()),
        (Some(_), Some(_)) => Err(at
            .key("awg")
            .error("stands beside area_mm2; give one or the other")),
        (None, None) if cable.length_m.get() == 0.0 => Ok(()),
        (None, None) => Err(at.key("area_mm2").error("is missing; give area_mm2 or awg")),
    }
}

/// Every feed must reach back to a source without coming round to itself.
///
/// A source with a fed input is a link of the chain too: a loop through it has no store to start
/// from.
fn forest(plan: &Plan, arrangement: &Arrangement, at: &Path<'_>) -> Checked {
    let feeds = &arrangement.feeds;
    let mut awaited: HashMap<&str, usize> = HashMap::new();
    let mut leaving: HashMap<&str, Vec<usize>> = HashMap::new();
    for (index, feed) in feeds.iter().enumerate() {
        *awaited.entry(feed.to.item.as_str()).or_default() += 1;
        leaving
            .entry(feed.from.item.as_str())
            .or_default()
            .push(index);
    }
    let mut settled = vec![false; feeds.len()];
    let mut open: Vec<&str> = leaving
        .keys()
        .copied()
        .filter(|item| !awaited.contains_key(item))
        .collect();
    if let Some(index) = feeds.iter().position(|it| {
        plan.converter(it.from.item.as_str()).is_some() && open.contains(&it.from.item.as_str())
    }) {
        let why = format!(
            "is \"{}\", and nothing feeds it; add a feed into it or remove this one",
            feeds[index].from.item
        );
        return Err(at.index(index).key("from").key("item").error(why));
    }
    while let Some(item) = open.pop() {
        for &index in leaving.get(item).into_iter().flatten() {
            settled[index] = true;
            let to = feeds[index].to.item.as_str();
            if let Some(left) = awaited.get_mut(to) {
                *left -= 1;
                if *left == 0 {
                    open.push(to);
                }
            }
        }
    }
    match settled.iter().position(|done| !done) {
        None => Ok(()),
        Some(index) => {
            let why = format!(
                "is \"{}\", which this chain feeds in a circle; a chain starts at a source",
                feeds[index].from.item
            );
            Err(at.index(index).key("from").key("item").error(why))
        }
    }
}
