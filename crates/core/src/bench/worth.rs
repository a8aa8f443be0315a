//! Which test gives a figure, and whether it is worth its time.

use super::guide::{Guide, Target};
use super::methods::guides;
use super::protocol::Protocol;
use crate::ground::figure::Basis;
use crate::site::figures::FigureAt;
use crate::site::plan::{Plan, Source};

/// What a measured figure may be off still, as a share.
const MEASURED: f64 = 0.03;

/// A smaller share of the spread than this is not told apart from chance.
pub(crate) const LEAST_SHARE: f64 = 0.05;

/// The test that tells a figure better than it is known: less than 1 − `least` of its ± would be
/// left; none where none is worth it.
pub(crate) fn worth(plan: &Plan, figure: &FigureAt, least: f64) -> Option<&'static Guide> {
    let text = serde_json::to_value(plan).unwrap_or_default();
    guide_of(plan, figure, part_of(&text, figure).as_deref()).filter(|_| narrowed(figure) >= least)
}

/// What a test takes away of a figure's ±, as a share; nothing where it was measured.
pub(crate) fn narrowed(figure: &FigureAt) -> f64 {
    let off = figure.plus_minus / figure.value.abs().max(1e-12);
    if figure.basis == Basis::Measured || off <= 0.0 {
        0.0
    } else {
        (1.0 - MEASURED / off).max(0.0)
    }
}

/// The id of the port, group, input, output or lead that a figure belongs to; none for the element
/// itself.
pub(crate) fn part_of(text: &serde_json::Value, figure: &FigureAt) -> Option<String> {
    let (list, kind) = match figure.kind {
        "device" => return None,
        "source" => ("/kit/sources", ["ports", "groups", "inputs"].as_slice()),
        "converter" => ("/kit/converters", ["outputs", "groups"].as_slice()),
        _ => ("/arrangements", ["feeds"].as_slice()),
    };
    let element = text
        .pointer(list)?
        .as_array()?
        .iter()
        .find(|it| it["id"] == *figure.id)?;
    let (head, rest) = figure.path.split_once('[')?;
    if !kind.contains(&head) {
        return None;
    }
    let index: usize = rest.split(']').next()?.parse().ok()?;
    let item = &element[head][index];
    Some(
        item["id"]
            .as_str()
            .or_else(|| item["to"].as_str())?
            .to_owned(),
    )
}

/// The test by which a figure is got where it stands: behind a case that nobody opens, the display
/// has to do.
pub(crate) fn guide_of(
    plan: &Plan,
    figure: &FigureAt,
    part: Option<&str>,
) -> Option<&'static Guide> {
    let protocol = Protocol::of(figure.kind, &figure.path)?;
    let is_closed = plan.source(&figure.id).is_some_and(Source::is_one_box);
    let protocol = if protocol == Protocol::Idle && is_closed {
        Protocol::IdleByDrop
    } else {
        protocol
    };
    let guide = guides().iter().find(|it| it.protocol == protocol)?;
    let does = |target: Target| guide.subjects.contains(&target);
    let fits = match (figure.kind, part) {
        // A logger sees what a device draws; what it needs is not in its file.
        ("device", _) => does(Target::Device) && figure.path.starts_with("phases"),
        ("source", None) => does(Target::Store) || does(Target::Source) || does(Target::Panel),
        ("source", Some(_)) if figure.path.starts_with("groups") => does(Target::Group),
        ("source", Some(_)) if figure.path.starts_with("inputs") => does(Target::Input),
        ("source", Some(_)) => does(Target::Port),
        ("converter", None) => does(Target::Converter) || does(Target::Charger),
        ("converter", Some(_)) => does(Target::Output),
        _ => does(Target::Lead),
    };
    fits.then_some(guide)
}
