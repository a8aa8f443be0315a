//! What tests that climb in steps share: levels that were carried, and levels at which something
//! let go.

use super::super::case::{Case, Subject};
use super::super::meter::Known;
use super::super::meter::Reading;
use crate::site::plan::{Limit, Plan};

/// The limit of the tested port or output.
fn limit<'a>(plan: &'a Plan, of: &Subject) -> Option<&'a Limit> {
    let part = of.part.as_deref()?;
    let source = plan.source(&of.id).map(|it| it.ports.as_slice());
    let ports = source.or_else(|| plan.converter(&of.id).map(|it| it.outputs.as_slice()))?;
    ports
        .iter()
        .find(|it| it.id.as_str() == part)?
        .limit
        .as_ref()
}

/// The unit that the tested port is limited in: watts where its limit states watts, else amperes.
pub(super) fn unit(plan: &Plan, of: &Subject) -> &'static str {
    match limit(plan, of) {
        Some(it) if it.continuous_a.is_none() && it.continuous_w.is_some() => "W",
        _ => "A",
    }
}

/// Level, seconds, and whether it let go.
pub(super) fn readings(plan: &Plan, of: &Subject) -> Vec<Reading> {
    let (name, unit) = if unit(plan, of) == "W" {
        ("watts out", "W")
    } else {
        ("amperes out", "A")
    };
    vec![
        Reading::of(name, unit, 1),
        Reading::of("seconds", "s", 0),
        Reading::of("tripped: 1, held: 0", "", 0),
    ]
}

/// A level that was tried.
pub(super) struct Tried {
    pub(super) row: usize,
    pub(super) level: Known,
    pub(super) seconds: Known,
    pub(super) tripped: bool,
}

pub(super) fn tried(case: &Case<'_>) -> Vec<Tried> {
    let rows = case.rows(3).into_iter();
    rows.map(|(row, it)| Tried {
        row,
        level: it[0],
        seconds: it[1],
        tripped: it[2].value > 0.5,
    })
    .collect()
}

/// The middle between what was carried and what was not, off by half of what lies between at most
/// (a rectangle, as for a display step) and by the meters.
pub(super) fn between(carried: Known, not: Known) -> Known {
    let apart = (not.value - carried.value).abs() / 3_f64.sqrt();
    Known {
        value: f64::midpoint(carried.value, not.value),
        plus_minus: apart.hypot(f64::midpoint(carried.plus_minus, not.plus_minus)),
    }
}
