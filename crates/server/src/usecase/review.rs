//! A watch, looked back at; and what was learned in it, put to use.

use super::watches::Open;
use crate::bodies::watch::{
    DecisionTold, LearnedAsked, LearnedLine, LearnedTold, Reviewed, WatchKind,
};
use crate::error::ApiError;
use ash_pond_core::ground::say::{Measured, Name, Sentence};
use ash_pond_core::keeping::watch::{
    Act, Acted, Learned, Review, Truth, by_the_clock, estimate, outlet, outlet_label, review,
};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::{clocked, simulate, ticks_of};
use ash_pond_store::{Edit, Kind, Store};
use serde_json::{Value, json};

/// Less than this is the same decision, h.
const SAME_H: f64 = 1.0 / 60.0;

/// A watch, looked back at.
pub(crate) fn reviewed(store: &Store, site: &str, number: i64) -> Result<Reviewed, ApiError> {
    let open = Open::read(store, site, number)?;
    let now_h = open.kept.now_s(crate::clock::now().as_millisecond()) / 3600.0;
    let seen = open.seen(store)?;
    let truth = |acted: &[Acted]| Some(open.hidden(acted).ok()??.until_h());
    let truth: Option<Truth<'_>> = if open.kept.kind == WatchKind::Drill {
        Some(&truth)
    } else {
        None
    };
    let found = review(&open.plan, open.way(), &open.outage, &seen, now_h, truth);
    let found = found.map_err(|it| ApiError::at("", format!("what happened {}", it.message)))?;
    let clock = |h: f64| by_the_clock(&open.plan, &open.outage, 0.0, h);
    let name = Name(open.plan.label(&found.device));
    let decisions = decisions(&open, &found, &clock);
    let earlier = found.earlier.as_ref().map(|it| {
        let unit = it.what();
        format!(
            "The {unit} of {}, read once at {}, would have told the end to {} instead of {}.",
            Name(open.plan.label(&it.source)),
            clock(it.at_h),
            clocked(it.then_h),
            clocked(it.wide_h)
        )
        .into()
    });
    let planned = found.planned_h;
    let said = |h: f64| {
        if h >= found.hours - 1e-3 {
            "longer than was looked ahead".to_owned()
        } else {
            format!("until {}", clock(h))
        }
    };
    let headline = match found.lost_h {
        Some(at_h) => {
            let off = at_h - planned.p50;
            let side = if off < 0.0 { "earlier" } else { "later" };
            format!(
                "{name} went off at {}, {} {side} than the plan said ({}).",
                clock(at_h),
                clocked(off.abs()),
                said(planned.p50)
            )
        }
        None => format!(
            "{name} was on for all of the {} that were watched; the plan said {}.",
            clocked(found.watched_h),
            said(planned.p50)
        ),
    };
    let learned = found.learned.iter().map(line).collect();
    let hidden = open.hidden(&seen.acted)?;
    let hours = (found.watched_h * 1.02).max(found.planned_h.p95.min(found.hours));
    Ok(Reviewed {
        headline: headline.into(),
        decisions,
        earlier,
        learned,
        hid: hidden
            .as_ref()
            .filter(|_| !open.is_open)
            .map(|it| it.hides().told().to_owned()),
        noticed: hidden
            .map(|it| it.noticed(now_h * 3600.0))
            .unwrap_or_default(),
        ticks: ticks_of(&open.plan, &open.outage, hours),
        review: found,
    })
}

/// Less than this is nothing to whoever waits for it, h.
const NOTHING_H: f64 = 30.0 / 3600.0;

fn decisions(open: &Open, found: &Review, clock: &dyn Fn(f64) -> Sentence) -> Vec<DecisionTold> {
    let one = |it: &ash_pond_core::keeping::watch::Decision| {
        let label = |id: &str| Name(open.plan.label(id)).to_string();
        let winner = label(&it.winner);
        let really = it.really_h.filter(|_| it.device.is_some());
        let back = it.back_after_h.map_or_else(String::new, |it| {
            format!(" It was back on after {}", clocked(it))
        });
        let joins = if back.is_empty() { " It" } else { " and" };
        let really = match really {
            Some(really) if really.abs() < NOTHING_H => {
                format!("{back}{joins} really won nothing.")
            }
            Some(really) if really >= 0.0 => {
                format!("{back}{joins} really won {}.", clocked(really))
            }
            Some(really) => format!("{back}{joins} really cost {}.", clocked(-really)),
            None if back.is_empty() => String::new(),
            None => format!("{back}."),
        };
        let by_then = if it.wins_h < 0.0 {
            format!("{} less for {winner}", clocked(-it.wins_h))
        } else {
            format!("{} more for {winner}", clocked(it.wins_h))
        };
        let text = match &it.device {
            Some(device) => {
                let outlet = it.outlet.as_deref().and_then(outlet);
                let what = outlet.map_or_else(
                    || "switched off".to_owned(),
                    |it| format!("plugged over to {}", Name(&outlet_label(&open.plan, &it))),
                );
                format!(
                    "{} {what}: {by_then}, by what was known.{really}",
                    label(device)
                )
            }
            None => "Nothing was switched off in the first half hour.".to_owned(),
        };
        let best_h = it.best.as_ref().map_or(0.0, |it| it.wins_h);
        let lost_h = (best_h - it.wins_h).max(0.0);
        let best = match &it.best {
            _ if lost_h < SAME_H => {
                "Nothing that could be known then would have won more.".to_owned()
            }
            Some(best) => {
                let harm = open
                    .plan
                    .device(&best.device)
                    .and_then(|it| it.deadline.as_ref());
                let harm = harm.map_or_else(String::new, |it| {
                    let harm = it.consequence.as_deref().unwrap_or("it takes harm");
                    format!(", for {} at most: {harm}", clocked(it.minutes.get() / 60.0))
                });
                format!(
                    "{} would have won most: {}{harm}.",
                    label(&best.device),
                    clocked(best.wins_h)
                )
            }
            None => "There was nothing to switch off.".to_owned(),
        };
        DecisionTold {
            when: clock(it.at_h),
            text: text.into(),
            best: best.into(),
            lost_min: lost_h * 60.0,
        }
    };
    found.decisions.iter().map(one).collect()
}

/// Figures that an outage tells as well as a test does: what a store holds, what devices draw, what
/// idles.
fn usable(path: &str) -> bool {
    let whole = [
        "battery.capacity_ah",
        "battery.energy_wh",
        "battery.internal_ohm",
        "loss.idle_w",
    ];
    whole.contains(&path)
        || path
            .strip_suffix(".watts")
            .is_some_and(|it| it.starts_with("phases["))
}

fn line(it: &Learned) -> LearnedLine {
    let figure = &it.figure;
    let [[to, half], [from, before]] = [it.to, it.from];
    let said = |value: f64, half: f64| Measured(value, half, figure.unit).to_string();
    let text = format!(
        "{}, {}: {} and not {}",
        Name(&figure.label),
        figure.name,
        said(to, half),
        said(from, before)
    );
    LearnedLine {
        kind: figure.kind.to_owned(),
        id: figure.id.clone(),
        path: figure.path.clone(),
        text: text.into(),
        usable: usable(&figure.path),
    }
}

/// Looks at what a figure that was learned would change, or puts it into the plan.
pub(crate) fn learned(
    store: &Store,
    site: &str,
    number: i64,
    asked: &LearnedAsked,
) -> Result<LearnedTold, ApiError> {
    let open = Open::read(store, site, number)?;
    let now_h = open.kept.now_s(crate::clock::now().as_millisecond()) / 3600.0;
    let seen = open.seen(store)?;
    // Of what had gone off nothing is learned later than that.
    let lost = seen
        .acted
        .iter()
        .find(|it| matches!(it.act, Act::Lost(_)))
        .map_or(f64::INFINITY, |it| it.at_s / 3600.0);
    let found = estimate(
        &open.plan,
        open.way(),
        &open.outage,
        &seen,
        now_h.min(lost),
        1,
    );
    let found = found.map_err(|it| ApiError::at("", format!("what was learned {}", it.message)))?;
    let own = |it: &&Learned| {
        it.figure.kind == asked.kind && it.figure.id == asked.id && it.figure.path == asked.path
    };
    let Some(learned) = found
        .learned
        .iter()
        .find(own)
        .filter(|it| usable(&it.figure.path))
    else {
        return Err(ApiError::at(
            "path",
            "is no figure that this watch learned anything of that can be used",
        ));
    };
    let kind = Kind::parse(&asked.kind).ok_or_else(|| {
        ApiError::at(
            "kind",
            format!("is \"{}\"; there is no such kind", asked.kind),
        )
    })?;
    let element = store.element(site, kind, &asked.id)?;
    let mut body = element.body.clone();
    let pointer = format!("/{}", asked.path.replace(['.', '['], "/").replace(']', ""));
    let place = body
        .pointer_mut(&pointer)
        .ok_or_else(|| ApiError::at("path", "is nothing that stands in the plan"))?;
    let [value, half] = learned.to;
    *place = json!({
        "value": rounded(value, half), "plus_minus": rounded(half, half), "basis": "measured",
        "note": format!("by the {} that began {}",
            if open.kept.kind == WatchKind::Drill { "drill" } else { "outage" }, open.kept.start),
    });
    let with = with(&open.plan, kind, &asked.id, &body)?;
    let first = |plan: &Plan| {
        let way = plan.arrangement(&open.kept.arrangement)?;
        let outage = plan
            .outages
            .iter()
            .find(|it| it.id.as_str() == open.kept.outage)?;
        let rank = |it: &&ash_pond_core::site::plan::Device| {
            it.priority
                .as_ref()
                .map_or(f64::INFINITY, ash_pond_core::ground::figure::Figure::get)
        };
        let fed = plan
            .kit
            .devices
            .iter()
            .filter(|it| way.feed_into(it.id.as_str()).is_some());
        let device = fed.min_by(|a, b| rank(a).total_cmp(&rank(b)))?;
        let run = simulate(plan, way, outage, None);
        let until = run.devices.get(device.id.as_str())?.down_at_h;
        Some((device.label.clone(), until.unwrap_or(outage.hours.get())))
    };
    let text = line(learned).text;
    let sentence = match (first(&open.plan), first(&with)) {
        (Some((label, before)), Some((_, after))) => {
            let what = format!(
                "{}: {} lasts {}",
                text.marked(),
                Name(&label),
                clocked(after)
            );
            if (after - before).abs() < SAME_H {
                format!("{what}, as before.")
            } else {
                format!(
                    "{what} in the planned outage instead of {}.",
                    clocked(before)
                )
            }
        }
        _ => format!("{}.", text.marked()),
    };
    if !asked.uses {
        return Ok(LearnedTold {
            sentence: sentence.into(),
            site: None,
        });
    }
    let words = format!("{}: measured in an outage", learned.figure.label);
    let edit = Edit {
        kind,
        id: asked.id.clone(),
        based_on: Some(element.revision),
        body: Some(body),
    };
    let site = store.change(site, &[edit], &words)?;
    Ok(LearnedTold {
        sentence: sentence.into(),
        site: Some(site.into()),
    })
}

/// To the digits that its ± deserves: two of the ±.
fn rounded(value: f64, half: f64) -> f64 {
    let digits = (1.0 - half.abs().max(1e-9).log10().floor()).clamp(0.0, 9.0);
    let scale = 10f64.powf(digits);
    (value * scale).round() / scale
}

fn with(plan: &Plan, kind: Kind, id: &str, body: &Value) -> Result<Plan, ApiError> {
    let mut text = serde_json::to_value(plan).unwrap_or_default();
    let list = match kind {
        Kind::Device => &mut text["kit"]["devices"],
        Kind::Source => &mut text["kit"]["sources"],
        Kind::Converter => &mut text["kit"]["converters"],
        Kind::Arrangement => &mut text["arrangements"],
        Kind::Site | Kind::Outage => return Err(ApiError::at("kind", "has no such figure")),
    };
    if let Some(it) = list
        .as_array_mut()
        .and_then(|list| list.iter_mut().find(|it| it["id"] == id))
    {
        *it = body.clone();
    }
    Ok(Plan::from_value(&text)?)
}
