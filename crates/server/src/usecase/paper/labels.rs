//! Labels to print: both ends of each lead, fuses, switches and boxes, on sheets of common sizes,
//! each with a code that opens its item where the site is served.

use super::{Ready, fuse, harm, lead, ready};
use crate::bodies::log::PaperQuery;
use crate::embedded::font_faces;
use crate::error::ApiError;
use ash_pond_core::ground::say::{Amount, Habits, Sentence};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::arrangement::Feed;
use ash_pond_core::time::outage::shed_board;
use ash_pond_store::Store;
use maud::{DOCTYPE, Markup, PreEscaped, html};
use qrcode::render::svg;
use qrcode::{EcLevel, QrCode};

/// Sheets of labels as they are sold: name, columns, width and height of one, mm.
const SHEETS: [(&str, u32, f64, f64); 3] = [
    ("70x36", 3, 70.0, 36.0),
    ("63x38", 3, 63.5, 38.1),
    ("99x57", 2, 99.1, 57.0),
];

struct Label {
    title: String,
    lines: Vec<String>,
    item: String,
}

/// A code that opens an address; none where it is too long for one.
fn code(address: &str) -> Option<String> {
    let code = QrCode::with_error_correction_level(address, EcLevel::M).ok()?;
    Some(
        code.render::<svg::Color<'_>>()
            .min_dimensions(10, 10)
            .quiet_zone(false)
            .build(),
    )
}

/// The page.
pub(crate) fn labels(
    store: &Store,
    site: &str,
    asked: &PaperQuery,
    served: &str,
    habits: Habits,
) -> Result<String, ApiError> {
    let Ready { plan, way, outage } = ready(store, site, asked)?;
    let wanted = asked
        .sheet
        .as_deref()
        .filter(|it| !it.is_empty())
        .unwrap_or(SHEETS[0].0);
    let Some((name, columns, width, height)) = SHEETS.iter().find(|it| it.0 == wanted) else {
        let all: Vec<&str> = SHEETS.iter().map(|it| it.0).collect();
        return Err(ApiError::at(
            "sheet",
            format!("is {wanted:?}; use {}", all.join(", ")),
        ));
    };
    let flows = evaluate(&plan, &way, &Moment::Running, &Charge::full()).ok();
    let board = outage
        .as_ref()
        .and_then(|it| shed_board(&plan, &way, it, &[], None).ok());
    let said = |value: f64, unit: &str| {
        Sentence::from(Amount(value, unit).to_string())
            .render(&habits)
            .into_owned()
    };
    let label = |id: &str| plan.label(id).to_owned();
    let mut list: Vec<Label> = Vec::new();
    for feed in &way.feeds {
        let (from, to) = (feed.from.item.as_str(), feed.to.item.as_str());
        let volts = flows
            .as_ref()
            .and_then(|it| it.feeds.get(&feed.to.name()))
            .map(|it| it.near_v);
        let polarity = polarity(&plan, feed);
        let about = |end: &str| Label {
            title: format!("{} → {}", label(from), label(to)),
            lines: vec![
                end.to_owned(),
                [volts.map(|it| said(it, "V")), polarity.clone()]
                    .into_iter()
                    .flatten()
                    .collect::<Vec<_>>()
                    .join(", "),
                format!("fuse {}; {}", fuse(feed), lead(feed, habits)),
            ],
            item: to.to_owned(),
        };
        if feed.cable.is_some() {
            list.push(about(&format!("this end: {}", label(from))));
            list.push(about(&format!("this end: {}", label(to))));
        }
        if feed.fuse.is_some() {
            list.push(Label {
                title: format!("Fuse {}", fuse(feed)),
                lines: vec![
                    format!("{} → {}", label(from), label(to)),
                    "the same rating, and never a wire".to_owned(),
                ],
                item: to.to_owned(),
            });
        }
    }
    if let Some(board) = &board {
        for (place, it) in board
            .each
            .iter()
            .filter(|it| it.wins_h > 1.0 / 60.0)
            .take(5)
            .enumerate()
        {
            let names: Vec<String> = it.devices.iter().map(|it| label(it)).collect();
            list.push(Label {
                title: format!("{}. Switch off: {}", place + 1, names.join(", ")),
                // What may be off for a while only says so where its switch is.
                lines: std::iter::once(it.sentence.render(&habits).into_owned())
                    .chain(it.devices.iter().filter_map(|it| harm(&plan, it)))
                    .collect(),
                item: it.devices.first().cloned().unwrap_or_default(),
            });
        }
    }
    let boxes = plan
        .kit
        .sources
        .iter()
        .map(|it| it.id.as_str())
        .chain(plan.kit.converters.iter().map(|it| it.id.as_str()));
    for id in boxes.filter(|id| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == *id || it.to.item.as_str() == *id)
    }) {
        let feeds: Vec<String> = way
            .feeds
            .iter()
            .filter(|it| it.from.item.as_str() == id)
            .map(|it| label(it.to.item.as_str()))
            .collect();
        list.push(Label {
            title: label(id),
            lines: vec![format!("feeds {}", feeds.join(", "))],
            item: id.to_owned(),
        });
    }
    let style = format!(
        "{}* {{ box-sizing: border-box; }} @page {{ margin: 8mm 0; }} body {{ margin: 0 auto; \
        font: 9pt/1.25 'Source Sans 3', Arial, sans-serif; color: #1e2a2c; width: {}mm; }}
        .sheet {{ display: grid; grid-template-columns: repeat({columns}, {width}mm); }}
        .label {{ width: {width}mm; height: {height}mm; padding: 3mm; display: grid; \
        grid-template-columns: minmax(0, 1fr) 17mm; gap: 0 2mm; overflow: hidden; break-inside: \
        avoid; }}
        .label strong {{ font-size: 10pt; display: block; overflow-wrap: anywhere; }} .label p {{ \
        margin: 0; overflow-wrap: anywhere; }} .label svg {{ width: 17mm; height: 17mm; }}
        @media screen {{ .label {{ outline: 0.2mm dashed #c9c7bd; }} }} @media print {{ .note {{ \
        display: none; }} }}",
        font_faces(),
        f64::from(*columns) * width
    );
    Ok(page(&plan.site.name, name, &style, &list, served).into_string())
}

fn page(site: &str, sheet: &str, style: &str, list: &[Label], served: &str) -> Markup {
    html! {
        (DOCTYPE)
        html lang="en" {
            head { meta charset="utf-8"; title { (site) ": labels" } style { (PreEscaped(style)) } }
            body {
                p.note { "Labels of " (sheet) " mm. Print at full size. Each code opens its item \
                    at " (served) "." }
                div.sheet {
                    @for it in list {
                        div.label {
                            div {
                                strong { (it.title) }
                                @for line in it.lines.iter().filter(|line| !line.is_empty()) {
                                    p { (line) }
                                }
                            }
                            @if let Some(code) = code(&format!("{served}/log?item={}",
                                it.item)) { div { (PreEscaped(code)) } }
                        }
                    }
                }
            }
        }
    }
}

/// Which pole is which at the near end, where the plan says so.
fn polarity(plan: &ash_pond_core::site::plan::Plan, feed: &Feed) -> Option<String> {
    let (item, port) = (feed.from.item.as_str(), &feed.from.port);
    let ports = plan
        .source(item)
        .map(|it| &it.ports)
        .or_else(|| plan.converter(item).map(|it| &it.outputs))?;
    ports
        .iter()
        .find(|it| it.id == *port)?
        .polarity
        .as_ref()
        .map(ToString::to_string)
}
