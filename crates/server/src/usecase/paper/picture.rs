//! An arrangement drawn: sources at the left, devices at the right, what flows on the way.

use ash_pond_core::ground::say::{Amount, Habits, Sentence};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::{Arrangement, Plan};
use maud::{Markup, html};
use std::collections::BTreeMap;

const WIDE: f64 = 150.0;
const HIGH: f64 = 34.0;
const GAP: f64 = 64.0;
const BETWEEN: f64 = 12.0;
/// Letters of a name that stand in a box.
const LETTERS: usize = 22;

/// Where each item stands: its column, and its row counted in leaves.
fn placed<'a>(
    way: &'a Arrangement,
    item: &'a str,
    column: usize,
    next: &mut f64,
    to: &mut BTreeMap<&'a str, (usize, f64)>,
) -> f64 {
    let fed: Vec<&str> = way
        .feeds
        .iter()
        .filter(|it| it.from.item.as_str() == item)
        .map(|it| it.to.item.as_str())
        .collect();
    let mut rows = Vec::new();
    for it in fed {
        if !to.contains_key(it) {
            rows.push(placed(way, it, column + 1, next, to));
        }
    }
    let row = match (rows.first(), rows.last()) {
        (Some(first), Some(last)) => f64::midpoint(*first, *last),
        _ => {
            let row = *next;
            *next += 1.0;
            row
        }
    };
    to.insert(item, (column, row));
    row
}

fn short(label: &str) -> String {
    if label.chars().count() <= LETTERS {
        return label.to_owned();
    }
    label.chars().take(LETTERS - 1).chain(['…']).collect()
}

/// An arrangement while everything runs, with full stores.
pub(super) fn of(plan: &Plan, way: &Arrangement, habits: Habits) -> Markup {
    let flows = evaluate(plan, way, &Moment::Running, &Charge::full()).ok();
    let is_fed = |id: &str| way.feeds.iter().any(|it| it.to.item.as_str() == id);
    let mut roots: Vec<&str> = Vec::new();
    for feed in &way.feeds {
        let from = feed.from.item.as_str();
        if !is_fed(from) && !roots.contains(&from) {
            roots.push(from);
        }
    }
    let mut places = BTreeMap::new();
    let mut next = 0.0;
    for root in &roots {
        placed(way, root, 0, &mut next, &mut places);
    }
    let columns = places.values().map(|it| it.0).max().unwrap_or(0) as f64 + 1.0;
    let (width, height) = (
        columns * (WIDE + GAP) - GAP + 4.0,
        next * (HIGH + BETWEEN) + 6.0,
    );
    let at = |id: &str| {
        places.get(id).map(|it| {
            (
                2.0 + it.0 as f64 * (WIDE + GAP),
                2.0 + it.1 * (HIGH + BETWEEN),
            )
        })
    };
    let said = |amps: f64| {
        Sentence::from(Amount(amps, "A").to_string())
            .render(&habits)
            .into_owned()
    };
    html! {
        svg viewBox=(format!("0 0 {width:.0} {height:.0}")) role="img" aria-label=(format!("{}: \
            what feeds what", way.label)) {
            @for feed in &way.feeds {
                @if let (Some(from), Some(to)) = (at(feed.from.item.as_str()),
                    at(feed.to.item.as_str())) {
                    @let (x1, y1) = (from.0 + WIDE, from.1 + HIGH / 2.0);
                    @let (x2, y2) = (to.0, to.1 + HIGH / 2.0);
                    @let middle = f64::midpoint(x1, x2);
                    @let flow = flows.as_ref().and_then(|it| it.feeds.get(&feed.to.name()));
                    @let amps = flow.map_or(0.0, |it| it.amps.abs());
                    @let bend = format!("C{middle:.0} {y1:.0} {middle:.0} {y2:.0} {x2:.0} {y2:.0}");
                    @let wide = format!("{:.1}", (1.0 + amps.sqrt()).min(8.0));
                    path d=(format!("M{x1:.0} {y1:.0}{bend}")) fill="none" stroke="#2d5a62"
                        stroke-width=(wide) {}
                    @if amps > 0.005 {
                        text x=(format!("{:.0}", x2 - 4.0)) y=(format!("{:.0}", y2 - 5.0))
                            text-anchor="end" fill="#5f655f" font-size="11" stroke="#ffffff"
                            stroke-width="3" paint-order="stroke" { (said(amps)) }
                    }
                }
            }
            @for id in places.keys() {
                @if let Some((x, y)) = at(id) {
                    @let fill = if plan.source(id).is_some() { "#dfe9e9" } else { "#ffffff" };
                    rect x=(format!("{x:.0}")) y=(format!("{y:.0}")) width=(WIDE) height=(HIGH)
                        fill=(fill) stroke="#1e2a2c" {}
                    text x=(format!("{:.0}", x + 7.0)) y=(format!("{:.0}",
                        y + HIGH / 2.0 + 4.0)) { (short(plan.label(id))) }
                }
            }
        }
        p.faint { "While everything runs and the stores are full; amperes stand where they \
            arrive." }
    }
}
