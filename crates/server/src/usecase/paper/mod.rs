//! Papers: a report for whoever minds the site and for its keeper, and labels. One page each, with
//! everything inside.
//!
//! # Layout
//! - this file: the report; `picture`: an arrangement drawn; `labels`: sheets of labels

mod labels;
mod picture;

pub(crate) use labels::labels;

use crate::bodies::log::PaperQuery;
use crate::bodies::log::PaperWords;
use crate::embedded::font_faces;
use crate::error::ApiError;
use crate::usecase::log::due_of;
use ash_pond_core::ground::figure::Figure;
use ash_pond_core::ground::say::{Amount, Habits, Sentence};
use ash_pond_core::limits::{Finding, Status, findings, is_medical};
use ash_pond_core::site::plan::arrangement::Feed;
use ash_pond_core::site::plan::{AfterLoss, Arrangement, Outage, Plan, Then};
use ash_pond_core::time::outage::{shed_board, tell};
use ash_pond_store::{Store, StoreError};
use maud::{DOCTYPE, Markup, PreEscaped, html};
use serde_json::json;
use std::collections::BTreeMap;
use std::sync::Arc;

/// The most letters of what a person writes into it.
const MOST_WORDS: usize = 2000;
/// Things to do that are told at most: the first hours decide.
const MOST_TODO: usize = 16;
/// Checks that are told at most.
const MOST_DUE: usize = 10;

const STYLE: &str = "
@page { size: A4; margin: 16mm 15mm; }
* { box-sizing: border-box; }
body { font: 11pt/1.35 'Source Sans 3', 'Helvetica Neue', Arial, sans-serif; color: #1e2a2c; \
margin: 0 auto; max-width: 180mm; padding: 6mm 0; }
h1 { font-size: 22pt; margin: 0 0 2mm; }
h2 { font-size: 14pt; margin: 8mm 0 2mm; border-bottom: 0.4mm solid #2d5a62; break-after: avoid; }
h3 { font-size: 11pt; margin: 4mm 0 1mm; break-after: avoid; }
p, li { margin: 0 0 1.2mm; overflow-wrap: anywhere; }
ol, ul { margin: 0; padding-left: 7mm; }
li { break-inside: avoid; }
table { border-collapse: collapse; width: 100%; font-size: 9.5pt; }
td, th { text-align: left; vertical-align: top; padding: 0.8mm 3mm 0.8mm 0; border-bottom: 0.2mm \
solid #c9c7bd; overflow-wrap: anywhere; }
td.whole { white-space: nowrap; overflow-wrap: normal; }
tr { break-inside: avoid; }
.faint { color: #5f655f; }
.when { font-weight: 600; display: inline-block; min-width: 22mm; margin-right: 2.5mm; }
.never { border-left: 1mm solid #a33a21; padding-left: 3mm; }
.box { display: inline-block; width: 3.4mm; height: 3.4mm; border: 0.3mm solid #1e2a2c; \
margin-right: 2mm; vertical-align: -0.4mm; }
.keeper { break-before: page; padding-top: 6mm; }
.calls { white-space: pre-line; font-size: 13pt; }
.words { white-space: pre-line; }
svg { width: 100%; height: auto; display: block; }
svg text { font: 12px 'Source Sans 3', Arial, sans-serif; }
@media screen { body { padding: 10mm 6mm; } }
";

/// What a page is of, made ready.
struct Ready {
    plan: Arc<Plan>,
    way: Arrangement,
    outage: Option<Outage>,
}

fn ready(store: &Store, site: &str, asked: &PaperQuery) -> Result<Ready, ApiError> {
    let plan = store.plan(site)?.plan;
    let fed = |way: &Arrangement| {
        way.feeds
            .iter()
            .filter(|it| plan.device(it.to.item.as_str()).is_some())
            .count()
    };
    let way = match asked.arrangement.as_deref().filter(|it| !it.is_empty()) {
        Some(id) => plan.arrangement(id).ok_or_else(|| {
            ApiError::at(
                "arrangement",
                format!("is {id:?}, and no arrangement has that id"),
            )
        })?,
        // Of those that feed most the first.
        None => plan
            .arrangements
            .iter()
            .rev()
            .max_by_key(|it| fed(it))
            .ok_or_else(|| ApiError::at("arrangement", "there is none yet; make one in Chains"))?,
    };
    let outage = match asked.outage.as_deref().filter(|it| !it.is_empty()) {
        Some(id) => Some(
            plan.outages
                .iter()
                .find(|it| it.id.as_str() == id)
                .ok_or_else(|| {
                    ApiError::at("outage", format!("is {id:?}, and no outage has that id"))
                })?,
        ),
        None => plan
            .outages
            .iter()
            .max_by(|a, b| a.hours.get().total_cmp(&b.hours.get())),
    };
    let (way, outage) = (way.clone(), outage.cloned());
    Ok(Ready { plan, way, outage })
}

fn setting(site: &str) -> String {
    format!("paper/{site}")
}

/// What a person writes into the report.
pub(crate) fn words(store: &Store, site: &str) -> Result<PaperWords, ApiError> {
    store.plan(site)?;
    let Some(kept) = store.setting(&setting(site))? else {
        return Ok(PaperWords::default());
    };
    serde_json::from_value(kept).map_err(|error| {
        StoreError::unreadable("settings", setting(site), error.to_string()).into()
    })
}

/// Keeps what a person writes into the report.
pub(crate) fn write_words(store: &Store, site: &str, asked: &PaperWords) -> Result<(), ApiError> {
    store.plan(site)?;
    for (field, text) in [("calls", &asked.calls), ("words", &asked.words)] {
        let odd = |it: char| it.is_control() && it != '\n' && it != '\t';
        if text.chars().count() > MOST_WORDS
            || text.chars().any(odd)
            || ash_pond_core::ground::say::has_mark(text)
        {
            let why = format!(
                "is too long, or holds what cannot be shown; use {MOST_WORDS} letters at most"
            );
            return Err(ApiError::at(field, why));
        }
    }
    Ok(store.set_setting(&setting(site), Some(&json!(asked)))?)
}

/// The report.
pub(crate) fn report(
    store: &Store,
    site: &str,
    asked: &PaperQuery,
    habits: Habits,
) -> Result<String, ApiError> {
    let Ready { plan, way, outage } = ready(store, site, asked)?;
    let own = words(store, site)?;
    let due = due_of(store, site)?;
    let say = |it: &Sentence| it.render(&habits).into_owned();
    let found = findings(&plan, &way);
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                title { (plan.site.name) ": what to do when the mains goes" }
                style { (PreEscaped(font_faces())) (PreEscaped(STYLE)) }
            }
            body {
                h1 { (plan.site.name) }
                p { "What is here, and what to do when the mains goes. Made on " (due.today) " by \
                    the plan of that day: what you read on a meter counts more." }
                (here(&plan, &way, habits))
                @if let Some(outage) = &outage { (when_it_goes(&plan, &way, outage, habits)) }
                (never(&plan, &found, &say))
                (again(&plan, &way))
                h2 { "Whom to call" }
                @if own.calls.trim().is_empty() {
                    p { "Keeper: ______________________   Electrician: ______________________   \
                        Fire, ambulance: ________" }
                } @else {
                    p.calls { (own.calls) }
                }
                @if !own.words.trim().is_empty() { p.words { (own.words) } }
                h2 { "What is due" }
                ul {
                    @for it in due.checks.iter().filter(|it| it.left_out.is_none()).take(MOST_DUE) {
                        li { span.box {} (say(&it.title)) span.faint { " " (when_due(it)) } }
                    }
                }
                div.keeper {
                    h1 { "For the keeper" }
                    (wiring(&plan, &way, habits))
                    (shopping(&way, habits))
                    (judged(&found, &say))
                    (figures(&plan, &way, habits))
                }
                p.faint { "Estimates from the figures entered; check by measuring before anything \
                    depends on it. Local codes and licensed practice rule over this page; of a \
                    medical device its maker and the care team do." }
            }
        }
    };
    Ok(page.into_string())
}

fn when_due(it: &ash_pond_core::keeping::care::Check) -> String {
    match (it.overdue_days, it.in_days, &it.last) {
        (days, _, _) if days > 0 => format!("overdue since {}", it.due),
        (_, 0, None) => "never done here".to_owned(),
        _ => format!("on {}", it.due),
    }
}

/// What stands here, drawn.
fn here(plan: &Plan, way: &Arrangement, habits: Habits) -> Markup {
    let mut devices: Vec<_> = plan
        .kit
        .devices
        .iter()
        .filter(|it| way.feed_into(it.id.as_str()).is_some())
        .collect();
    devices.sort_by(|a, b| {
        let rank = |it: &ash_pond_core::site::plan::Device| {
            it.priority.as_ref().map_or(f64::INFINITY, Figure::get)
        };
        rank(a).total_cmp(&rank(b))
    });
    html! {
        h2 { "What is here" }
        p { "Kept running by " strong { (way.label) } ". What matters most stands first: "
            (devices.iter().map(|it| it.label.as_str()).collect::<Vec<_>>().join(", ")) "." }
        (picture::of(plan, way, habits))
    }
}

/// What to do, in order, and which switch buys most.
fn when_it_goes(plan: &Plan, way: &Arrangement, outage: &Outage, habits: Habits) -> Markup {
    let told = tell(plan, way, outage, 96);
    let say = |it: &Sentence| it.render(&habits).into_owned();
    let board = shed_board(plan, way, outage, &[], None).ok();
    let after = |at_h: f64| {
        if at_h < 1.0 / 120.0 {
            "at once".to_owned()
        } else {
            format!("after {}", say(&ash_pond_core::time::outage::clocked(at_h)))
        }
    };
    html! {
        h2 { "When the mains goes" }
        p { (say(&told.headline)) " " (say(&told.second)) }
        p.faint { "Reckoned for: " (outage.label) "." }
        ol {
            @for it in told.todo.iter().take(MOST_TODO) {
                li { span.box {} span.when { (after(it.at_h)) } (say(&it.what)) }
            }
        }
        @if let Some(board) = board {
            h3 { "If it is to last longer: what each switch wins by itself, the best first" }
            ol {
                @for it in board.each.iter().filter(|it| it.wins_h > 1.0 / 60.0).take(5) {
                    @let harms = it.devices.iter().filter_map(|it| harm(plan, it));
                    li { (say(&it.sentence)) @for harm in harms { " " (harm) } }
                }
            }
            @if board.each.iter().all(|it| it.wins_h <= 1.0 / 60.0) { p { "No single switch wins \
                anything." } }
        }
    }
}

/// How long a device may be off, where it may not be for long.
pub(super) fn harm(plan: &Plan, device: &str) -> Option<String> {
    let deadline = plan.device(device)?.deadline.as_ref()?;
    let harm = deadline.consequence.as_deref().unwrap_or("it takes harm");
    Some(format!(
        "For {} at most: {harm}.",
        Amount(deadline.minutes.get(), "min").plain()
    ))
}

/// What never to do; then what the plan says does not hold, and what to mind with what stands here.
fn never(plan: &Plan, found: &[Finding], say: &dyn Fn(&Sentence) -> String) -> Markup {
    let mut cautions: Vec<String> = found
        .iter()
        .filter_map(|it| it.caution.as_ref())
        .map(say)
        .collect();
    cautions.sort();
    cautions.dedup();
    let trips: Vec<&Finding> = found
        .iter()
        .filter(|it| it.status == Status::Trips)
        .collect();
    // A caution that forbids stands among what is forbidden.
    let (forbidden, minded): (Vec<String>, Vec<String>) = cautions.into_iter().partition(|it| {
        ["Never ", "Do not "]
            .iter()
            .any(|word| it.starts_with(word))
    });
    let feeds_back = forbidden
        .iter()
        .any(|it| it.contains("wiring through one of its sockets"));
    let medical = plan
        .kit
        .devices
        .iter()
        .any(|it| is_medical(plan, it.id.as_str()));
    html! {
        h2 { "Never" }
        div.never {
            @if !feeds_back { p { "Never feed a house through one of its sockets." } }
            p { "Never work on mains wiring: that is for a licensed electrician." }
            p { "Never run an engine or a burner indoors without its exhaust led away and a \
                working carbon-monoxide alarm." }
            p { "Never charge a lithium battery that is below freezing, swollen, hot or wet." }
            @if medical { p { "A medical device: its maker and the care team decide how it is \
                backed up. Nothing on this page is a medical assurance." } }
            @for it in &forbidden { p { (it) } }
        }
        @if !trips.is_empty() || !minded.is_empty() {
            h2 { "What does not hold, and what to mind" }
            ul {
                @for it in &trips { li { (say(&it.message)) } }
                @for it in &minded { li { (it) } }
            }
        }
    }
}

/// What must be looked at before it starts again, and what needs a hand.
fn again(plan: &Plan, way: &Arrangement) -> Markup {
    let fed: Vec<_> = plan
        .kit
        .devices
        .iter()
        .filter(|it| way.feed_into(it.id.as_str()).is_some())
        .collect();
    let looked = fed.iter().filter_map(|it| {
        let deadline = it
            .deadline
            .as_ref()
            .filter(|it| it.then == Some(Then::InspectBeforeRestart))?;
        let harm = deadline.consequence.as_deref().unwrap_or("it takes harm");
        Some(format!(
            "{}: off for more than {}, {harm}. Look at it before it is switched on.",
            it.label,
            Amount(deadline.minutes.get(), "min").plain()
        ))
    });
    let by_hand = fed
        .iter()
        .filter(|it| matches!(it.after_loss, Some(AfterLoss::Latches {})));
    let hands: Vec<String> = by_hand
        .map(|it| {
            format!(
                "{} does not come back by itself: switch it on by hand.",
                it.label
            )
        })
        .collect();
    let lines: Vec<String> = looked.chain(hands).collect();
    html! {
        h2 { "When the mains is back" }
        p { "Wait until it has stayed for ten minutes. Switch on one thing after another, what \
            matters most first, and charge what is lowest." }
        ul { @for it in &lines { li { span.box {} (it) } } }
    }
}

/// What a lead is, in words.
fn lead(feed: &Feed, habits: Habits) -> String {
    let Some(cable) = &feed.cable else {
        return "plugged in directly".to_owned();
    };
    let said = |value: f64, unit: &str| {
        Sentence::from(Amount(value, unit).to_string())
            .render(&habits)
            .into_owned()
    };
    let length = said(cable.length_m.get(), "m");
    match (&cable.area_mm2, &cable.awg, &cable.pairs) {
        (_, Some(gauge), _) => format!("{length} of AWG {:.0}", gauge.get()),
        (Some(area), _, _) => format!("{length} of {}", said(area.get(), "mm²")),
        (_, _, Some(pairs)) => format!("{length} of data cable, {:.0} pairs", pairs.get()),
        _ => length,
    }
}

fn fuse(feed: &Feed) -> String {
    feed.fuse.as_ref().map_or_else(
        || "none".to_owned(),
        |it| Amount(it.rating_a.get(), "A").plain(),
    )
}

fn wiring(plan: &Plan, way: &Arrangement, habits: Habits) -> Markup {
    let port = |feed: &Feed| {
        format!(
            "{}, {}",
            plan.label(feed.from.item.as_str()),
            feed.from.port
        )
    };
    html! {
        h2 { "Wiring sheet: " (way.label) }
        table {
            tr { th { "from" } th { "to" } th { "lead, one way" } th { "fuse" } }
            @for feed in &way.feeds {
                tr {
                    td { (port(feed)) }
                    td { (plan.label(feed.to.item.as_str())) }
                    td { (lead(feed, habits)) }
                    td { (fuse(feed)) }
                }
            }
        }
    }
}

/// Leads by size with lengths to cut, and fuses by rating, each with its sum.
fn shopping(way: &Arrangement, habits: Habits) -> Markup {
    let mut leads: BTreeMap<String, (f64, usize)> = BTreeMap::new();
    let mut fuses: BTreeMap<u64, usize> = BTreeMap::new();
    for feed in &way.feeds {
        if let Some(cable) = &feed.cable {
            let (size, conductors) = match (&cable.area_mm2, &cable.awg) {
                (_, Some(gauge)) => (format!("AWG {:.0}", gauge.get()), 2.0),
                (Some(area), _) => (
                    Sentence::from(Amount(area.get(), "mm²").to_string())
                        .render(&habits)
                        .into_owned(),
                    2.0,
                ),
                _ => ("data cable".to_owned(), 1.0),
            };
            let sum = leads.entry(size).or_default();
            *sum = (sum.0 + cable.length_m.get() * conductors, sum.1 + 1);
        }
        for it in [&feed.fuse, &feed.fuse_far].into_iter().flatten() {
            *fuses
                .entry((it.rating_a.get() * 100.0).round().max(0.0).to_bits())
                .or_default() += 1;
        }
    }
    html! {
        h2 { "To buy or to have in the drawer" }
        table {
            tr { th { "what" } th { "how much" } }
            @for (size, (metres, many)) in &leads {
                tr { td { "lead, " (size) } td { (Sentence::from(Amount(*metres,
                    "m").to_string()).render(&habits)) " of conductor, both poles, \
                    in " (many) @if *many == 1 { " run" } @else { " runs" } } }
            }
            @for (rating, many) in &fuses {
                tr { td { "fuse, " (Amount(f64::from_bits(*rating) / 100.0,
                    "A").plain()) } td { (many) " in use; keep " (many + 1) } }
            }
        }
    }
}

fn judged(found: &[Finding], say: &dyn Fn(&Sentence) -> String) -> Markup {
    let open: Vec<&Finding> = found
        .iter()
        .filter(|it| it.status != Status::Holds)
        .collect();
    html! {
        h2 { "What the checks say" }
        @if open.is_empty() { p { "Everything holds at every moment and charge that was looked \
            at." } }
        table {
            @for it in open.iter().take(40) {
                tr { td.whole { (it.status.word()) } td { (say(&it.message)) } }
            }
        }
        p.faint { (found.len() - open.len()) " more checks hold." }
    }
}

/// The figures that all of it rests on, with their ±.
fn figures(plan: &Plan, way: &Arrangement, habits: Habits) -> Markup {
    let used = |id: &str| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
    };
    let rows: Vec<_> = ash_pond_core::site::figures::figures_of(plan)
        .into_iter()
        .filter(|it| used(&it.id))
        .take(80)
        .collect();
    html! {
        h2 { "Figures" }
        table {
            tr { th { "of" } th { "what" } th { "figure" } th { "by" } }
            @for it in &rows {
                tr {
                    td { (it.label) } td { (it.name) }
                    td { (Sentence::from(ash_pond_core::ground::say::Measured(it.value, it.plus_minus,
                        it.unit).to_string()).render(&habits)) }
                    td { (it.basis.word()) }
                }
            }
        }
    }
}
