//! What was read, done, noted and noticed in a watch, as it is told.

use super::open::Open;
use crate::bodies::watch::{Did, EntryTold, WatchEntries};
use crate::error::ApiError;
use ash_pond_core::ground::say::{Amount, Name};
use ash_pond_core::keeping::watch::{by_the_clock, outlet, outlet_label};
use ash_pond_core::time::outage::clocked;
use ash_pond_store::Store;

/// Entries that are told with the watch itself.
pub(super) const MOST_TOLD: usize = 100;
/// Entries of a page at most.
const MOST_OF_A_PAGE: usize = 1000;

/// A page of them: those `before` a place, counted from the first one that there ever was; the
/// latest where none is named.
pub(crate) fn page(
    store: &Store,
    site: &str,
    number: i64,
    before: Option<usize>,
    limit: Option<usize>,
) -> Result<WatchEntries, ApiError> {
    let limit = limit.unwrap_or(MOST_TOLD);
    if !(1..=MOST_OF_A_PAGE).contains(&limit) {
        return Err(ApiError::at(
            "limit",
            format!("is {limit}; 1 to {MOST_OF_A_PAGE} are told at once"),
        ));
    }
    let open = Open::read(store, site, number)?;
    let at_h = open.kept.now_s(crate::clock::now().as_millisecond()) / 3600.0;
    let all = all(&open, at_h)?;
    let count = all.len();
    let end = before.unwrap_or(count).min(count);
    let from = end.saturating_sub(limit);
    let entries = all.into_iter().skip(count - end).take(end - from).collect();
    Ok(WatchEntries {
        count,
        entries,
        earlier: (from > 0).then_some(from),
    })
}

/// All of them at a moment (h), the latest first.
pub(super) fn all(open: &Open, at_h: f64) -> Result<Vec<EntryTold>, ApiError> {
    let clock = |h: f64| by_the_clock(&open.plan, &open.outage, at_h, h);
    let label =
        |id: &Option<String>| Name(open.plan.label(id.as_deref().unwrap_or_default())).to_string();
    let mut all: Vec<EntryTold> = open
        .entries
        .iter()
        .map(|(row, it)| {
            let amount =
                |value: Option<f64>, unit: &str| value.map(|it| Amount(it, unit).to_string());
            let read: Vec<String> = [
                amount(it.percent, "%"),
                amount(it.volts, "V"),
                amount(it.amps, "A"),
                amount(it.watts, "W"),
            ]
            .into_iter()
            .flatten()
            .collect();
            let name = label(&it.item);
            let (kind, words) = match (it.did, it.gap_from_s) {
                (_, Some(from_s)) => {
                    let long = clocked((row.at_s - from_s) / 3600.0);
                    (
                        "gap",
                        format!("Nobody watched for {long}; what was done meanwhile is not known."),
                    )
                }
                (None, None) => (
                    "reading",
                    format!("{}: {}", label(&it.source), read.join(", ")),
                ),
                (Some(Did::Drop), _) => ("did", format!("{name} switched off")),
                (Some(Did::Restore), _) => ("did", format!("{name} back on")),
                (Some(Did::Over), _) => {
                    let to = it.outlet.as_deref().unwrap_or_default();
                    let to = outlet(to)
                        .map_or_else(|| to.to_owned(), |it| outlet_label(&open.plan, &it));
                    ("did", format!("{name} plugged over to {}", Name(&to)))
                }
                (Some(Did::Lost), _) => ("did", format!("{name} went off by itself")),
                (Some(Did::MainsBack), _) => ("did", "The mains is back".to_owned()),
                (Some(Did::MainsGone), _) => ("did", "The mains has gone again".to_owned()),
                (Some(Did::Charge), _) if it.watts.unwrap_or_default() > 0.0 => (
                    "did",
                    format!(
                        "{name} charged with {}",
                        Amount(it.watts.unwrap_or_default(), "W")
                    ),
                ),
                (Some(Did::Charge), _) => ("did", format!("{name} no longer charged")),
                (Some(Did::Checked), _) => ("did", format!("{name} looked at")),
                (Some(Did::Refuelled), _) => ("did", format!("{name} refuelled")),
                (Some(Did::Started), _) => ("did", format!("{name} started")),
                (Some(Did::Note), _) => (
                    "note",
                    it.text
                        .clone()
                        .map_or_else(String::new, |it| Name(&it).to_string()),
                ),
            };
            EntryTold {
                number: Some(row.number),
                at_h: row.at_s / 3600.0,
                when: clock(row.at_s / 3600.0),
                kind: kind.to_owned(),
                item: it.item.clone().or_else(|| it.source.clone()),
                words: words.into(),
                by: it.by.clone(),
                undone: row.undone,
            }
        })
        .collect();
    if let Some(hidden) = open.hidden(&open.acted())? {
        all.extend(
            hidden
                .noticed(at_h * 3600.0)
                .into_iter()
                .map(|it| EntryTold {
                    number: None,
                    at_h: it.at_s / 3600.0,
                    when: clock(it.at_s / 3600.0),
                    kind: if it.by_rule { "rule" } else { "noticed" }.to_owned(),
                    item: Some(it.item).filter(|it| !it.is_empty()),
                    words: it.sentence,
                    by: None,
                    undone: false,
                }),
        );
    }
    all.sort_by(|a, b| b.at_h.total_cmp(&a.at_h).then(b.number.cmp(&a.number)));
    Ok(all)
}
