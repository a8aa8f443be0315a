//! Arrangements that carry the same devices, side by side.
//!
//! # Layout
//! - this file: each arrangement over a day or an outage, and which is best at what
//! - `decides`: the figures that would change which draws least
//! - `payback`: what changing from one to another costs and saves
//! - `difference`: what a change does to one of them, before it is made
//! - `fared`: how each of them fares in an outage, as it is marched
//! - `told`: what is told of them; `ask`: what is asked of two as a figure changes
//! - `crossings`: where two of them draw the same; `curve`: one of them as a figure changes;
//!   `roots`: where curves meet

mod ask;
mod crossings;
mod curve;
mod decides;
mod difference;
mod fared;
mod payback;
mod roots;
mod told;

pub use ask::{Ask, Over};
pub use crossings::{Band, Crossing, Crossings, Meeting, Point, crossings};
pub use decides::{Decider, Decides, decides};
pub use difference::{Broken, Difference, Row, Turn, difference};
pub use fared::{Fared, FirstLost};
pub use told::{Aspect, Best, Change, Compared, Comparison, Pays};

use crate::ground::json::FieldError;
use crate::ground::say::{Name, Sentence, amount, from_charge, percent};
use crate::limits::{Status, Study};
use crate::network::{Charge, Network, fed};
use crate::site::parts::parts;
use crate::site::plan::{Arrangement, Outage, Plan};
use crate::time::day::{Lasting, Span, Use, lasting_over};
use crate::time::life::{Life, in_years, life};
use std::collections::{BTreeMap, BTreeSet};

/// Whether arrangements carry the same devices.
///
/// # Errors
/// Names a device that one of them feeds and another does not.
pub(crate) fn same_devices(plan: &Plan, ways: &[&Arrangement]) -> Result<(), FieldError> {
    let Some((first, others)) = ways.split_first() else {
        return Err(FieldError::of(
            "arrangements",
            "is empty; name two arrangements or more".into(),
        ));
    };
    if others.is_empty() {
        return Err(FieldError::of(
            "arrangements",
            "names only one arrangement; name two or more to compare".into(),
        ));
    }
    let ids = |way: &Arrangement| {
        fed(plan, way)
            .map(|it| it.id.to_string())
            .collect::<Vec<_>>()
    };
    let wanted = ids(first);
    for other in others {
        let has = ids(other);
        let (missing, from) = match wanted.iter().find(|it| !has.contains(it)) {
            Some(missing) => (missing, other),
            None => match has.iter().find(|it| !wanted.contains(it)) {
                Some(missing) => (missing, first),
                None => continue,
            },
        };
        return Err(FieldError::of(
            "arrangements",
            format!(
                "\"{}\" and \"{}\" do not carry the same devices: {} is not fed by \"{}\"; compare \
            arrangements of the same devices",
                first.id,
                other.id,
                plan.label(missing),
                from.id
            ),
        ));
    }
    Ok(())
}

/// Whether arrangements meet the same needs: the same devices, or other devices of the same
/// services.
///
/// # Errors
/// Names a need that one of them meets and another does not.
fn same_needs(plan: &Plan, ways: &[&Arrangement]) -> Result<(), FieldError> {
    let services = |way: &Arrangement| fed(plan, way).any(|it| it.service.is_some());
    let [first, others @ ..] = ways else {
        return same_devices(plan, ways);
    };
    if others.is_empty() || !ways.iter().any(|it| services(it)) {
        return same_devices(plan, ways);
    }
    let needs = |way: &Arrangement| {
        fed(plan, way)
            .map(|it| it.need().to_owned())
            .collect::<BTreeSet<_>>()
    };
    let wanted = needs(first);
    for other in others {
        let has = needs(other);
        let (missing, by, from) = match (
            wanted.difference(&has).next(),
            has.difference(&wanted).next(),
        ) {
            (Some(missing), _) => (missing.clone(), first, other),
            (None, Some(missing)) => (missing.clone(), other, first),
            (None, None) => continue,
        };
        let device = fed(plan, by)
            .find(|it| it.need() == missing)
            .map_or(missing.as_str(), |it| it.label.as_str());
        return Err(FieldError::of(
            "arrangements",
            format!(
                "\"{}\" and \"{}\" do not meet the same needs: nothing in \"{}\" does what {device} \
            does; give the two devices \
             one service, or compare arrangements of the same devices",
                first.id, other.id, from.id
            ),
        ));
    }
    Ok(())
}

/// Compares arrangements over a day at `charge`, or over the hours of an outage from its own
/// charges.
///
/// # Errors
/// Where they do not meet the same needs, or there are fewer than two.
pub fn compare(
    plan: &Plan,
    ways: &[&Arrangement],
    charge: &Charge,
    outage: Option<&Outage>,
) -> Result<Comparison, FieldError> {
    compare_used(plan, ways, charge, outage, None)
}

/// [`compare`], with how many years each store lasts where the span comes `uses_a_week` times
/// (above 0 to [`crate::time::life::MOST_USES`]).
///
/// # Errors
/// As [`compare`].
pub fn compare_used(
    plan: &Plan,
    ways: &[&Arrangement],
    charge: &Charge,
    outage: Option<&Outage>,
    uses_a_week: Option<f64>,
) -> Result<Comparison, FieldError> {
    same_needs(plan, ways)?;
    let span = outage.map_or_else(|| Span::day(plan), |it| Span::outage(plan, it));
    let charge = outage.map_or_else(
        || charge.clone(),
        |it| {
            it.initial_soc
                .iter()
                .fold(Charge::full(), |charge, (id, soc)| {
                    charge.with(id, soc.get())
                })
        },
    );
    let everything = outage.is_some_and(|it| it.use_everything == Some(true));
    let of = |way: &&Arrangement| {
        let fared = outage.map(|it| Fared::of(plan, way, it));
        Compared {
            fared,
            ..compared(plan, way, &charge, &span)
        }
    };
    let mut told: Vec<Compared> = ways.iter().map(of).collect();
    if let Some(uses) = uses_a_week {
        for (it, way) in told.iter_mut().zip(ways) {
            let depths = match outage {
                Some(outage) => fared::depths(plan, way, outage),
                None => depths(plan, way, &span),
            };
            it.lives = lives(plan, &depths, uses);
        }
    }
    let changes = payback::changes(plan, ways, &told);
    let ways = told;
    let best = best(plan, &ways, &charge, everything);
    Ok(Comparison {
        span: outage.map_or_else(|| "a day".into(), |it| it.label.clone()),
        hours: span.hours(),
        ambient_c: span.ambient.0,
        ways,
        best,
        changes,
    })
}

fn compared(plan: &Plan, way: &Arrangement, charge: &Charge, span: &Span) -> Compared {
    let network = Network::build(plan, way, span.ambient);
    let used = Use::over(plan, way, &network, span.clone());
    let (usage, lasting) = (used.usage(charge), used.lasting(charge));
    let first = lasting
        .values()
        .filter_map(|it| Some((it.to_cut_off_h?, &it.cut_off_by)));
    let first = first.min_by(|a, b| a.0.total_cmp(&b.0));
    let (to_cut_off_h, cut_off_by) = (first.map(|it| it.0), first.map(|it| it.1.clone()));
    let study = Study::of(plan, way);
    let found = study.findings(None);
    let worst = found.first().filter(|it| it.status > Status::Holds);
    let parts = parts(plan, way);
    let full = used.lasting(&Charge::full());
    let usable_wh: f64 = full.values().map(|it| it.to_floor_wh).sum();
    let price = parts.sources_price.filter(|_| usable_wh > 0.0);
    let kilos = parts
        .sources_weight_kg
        .filter(|it| *it > 0.0 && usable_wh > 0.0);
    Compared {
        usable_wh,
        price_per_usable_kwh: price.map(|it| it / usable_wh * 1000.0),
        usable_wh_per_kg: kilos.map(|it| usable_wh / it),
        id: way.id.to_string(),
        label: way.label.clone(),
        average_w: usage.drawn_wh / usage.hours.max(f64::MIN_POSITIVE),
        efficiency: (usage.drawn_wh > 0.0)
            .then(|| (usage.delivered_wh + usage.charging_wh) / usage.drawn_wh),
        energy_cost: plan
            .site
            .energy_price
            .as_ref()
            .map(|it| it.per_kwh.get() * usage.drawn_wh / 1000.0),
        to_floor_h: lasting
            .values()
            .filter_map(|it| it.to_floor_h)
            .reduce(f64::min),
        to_cut_off_h,
        cut_off_by,
        tightest: study.tightest(),
        devices: study.device_verdicts(charge),
        status: worst.map_or(Status::Holds, |it| it.status),
        trips: found.iter().filter(|it| it.status == Status::Trips).count(),
        worst: worst.map(|it| it.message.clone()),
        parts,
        usage,
        lasting,
        lives: BTreeMap::new(),
        fared: None,
    }
}

/// How deep a day's use takes each store that begins it full, 0 to 1, and no deeper than to its
/// floor.
fn depths(plan: &Plan, way: &Arrangement, span: &Span) -> BTreeMap<String, f64> {
    let lasting = lasting_over(plan, way, &Charge::full(), span);
    let depth = |it: &Lasting| {
        it.to_floor_h.map_or(0.0, |hours| {
            (1.0 - it.floor_soc) * (span.hours() / hours).min(1.0)
        })
    };
    lasting
        .iter()
        .map(|(id, it)| (id.clone(), depth(it)))
        .collect()
}

/// How many years each store lasts that is used so deep so many times a week.
fn lives(plan: &Plan, depths: &BTreeMap<String, f64>, uses: f64) -> BTreeMap<String, Life> {
    let each = depths.iter().filter_map(|(id, depth)| {
        let life = life(plan.source(id)?, *depth, uses, plan.currency())?;
        Some((id.clone(), life))
    });
    each.collect()
}

/// How one arrangement does at an aspect: its label as it stands in the sentence, the arrangement,
/// its number.
type Say<'a> = &'a dyn Fn(&str, &Compared, f64) -> String;

/// Which of them is best at what, with numbers.
fn best(plan: &Plan, ways: &[Compared], charge: &Charge, everything: bool) -> Vec<Best> {
    let currency = plan.currency();
    let mut list = vec![limits(ways)];
    let mut by = |aspect, more_is_better, of: &dyn Fn(&Compared) -> Option<f64>, say: Say<'_>| {
        list.extend(ranked(ways, aspect, more_is_better, of, say));
    };
    by(
        Aspect::Energy,
        false,
        &|it| Some(it.usage.drawn_wh),
        &|way, _, wh| format!("{way} draws {}", amount(wh, "Wh")),
    );
    by(
        Aspect::Idle,
        false,
        &|it| Some(it.usage.idle_wh),
        &|way, _, wh| format!("{way} loses {} for being on", amount(wh, "Wh")),
    );
    if ways.iter().all(|it| it.fared.is_some()) {
        in_an_outage(plan, &mut by, everything);
    } else {
        over_a_day(&mut by, charge);
    }
    by(
        Aspect::Margin,
        false,
        &|it| it.tightest.as_ref()?.used,
        &|way, it, used| {
            let name = it.tightest.as_ref().map_or("", |it| it.name.as_str());
            format!("{way} uses {} of its tightest limit, {name}", percent(used))
        },
    );
    by(
        Aspect::Price,
        false,
        &|it| it.parts.price,
        &|way, _, price| format!("{way}: {} for converters", amount(price, currency)),
    );
    by(
        Aspect::Weight,
        false,
        &|it| it.parts.weight_kg,
        &|way, _, kg| format!("{way}: {} of converters", amount(kg, "kg")),
    );
    by(
        Aspect::WholePrice,
        false,
        &|it| it.parts.all_price,
        &|way, it, price| {
            let buy = it.parts.buy_price.filter(|it| *it > 0.0);
            let buy = buy.map_or_else(String::new, |it| {
                format!(", {} of it to be bought", amount(it, currency))
            });
            format!(
                "{way}: {} for everything in it{buy}",
                amount(price, currency)
            )
        },
    );
    by(
        Aspect::WholeWeight,
        false,
        &|it| it.parts.all_weight_kg,
        &|way, _, kg| format!("{way}: {} of everything in it", amount(kg, "kg")),
    );
    by(
        Aspect::PerUsable,
        false,
        &|it| it.price_per_usable_kwh,
        &|way, _, price| {
            format!(
                "{way}: {} of sources for each usable kWh",
                amount(price, currency)
            )
        },
    );
    by(
        Aspect::UsablePerKilogram,
        true,
        &|it| it.usable_wh_per_kg,
        &|way, _, wh| {
            format!(
                "{way}: {} usable for each kg of its sources",
                amount(wh, "Wh")
            )
        },
    );
    by(
        Aspect::Years,
        true,
        &|it| it.lives.values().map(|it| it.years).reduce(f64::min),
        &|way, _, years| {
            format!(
                "{way}: {} until its first store is worn out",
                in_years(years)
            )
        },
    );
    by(
        Aspect::Parts,
        false,
        &|it| Some((it.parts.converters + it.parts.leads) as f64),
        &|way, it, _| {
            let count = |n: usize, one: &str, many: &str| {
                if n == 1 {
                    format!("1 {one}")
                } else {
                    format!("{n} {many}")
                }
            };
            let (boxes, leads) = (it.parts.converters, it.parts.leads);
            format!(
                "{way} has {} and {}",
                count(boxes, "box", "boxes"),
                count(leads, "lead", "leads")
            )
        },
    );
    list
}

/// Ranks by one number: the aspect, whether more of it is better, the number, and how one of them
/// is told.
type By<'a> = dyn FnMut(Aspect, bool, &dyn Fn(&Compared) -> Option<f64>, Say<'_>) + 'a;

/// How long they last in the outage that they are compared over, as it is marched; endless where
/// all of it is lasted.
fn in_an_outage(plan: &Plan, by: &mut By<'_>, everything: bool) {
    let lasts = |way: &str| format!("{way} lasts all of it");
    if !everything {
        by(
            Aspect::ToFloor,
            true,
            &|it| Some(it.fared.as_ref()?.whole_h()),
            &|way, it, hours| {
                let Some(fared) = it.fared.as_ref().filter(|_| hours.is_finite()) else {
                    return lasts(way);
                };
                match (fared.lost_before(), &fared.floor_of) {
                    (Some(lost), _) => {
                        let words = lost.words.marked();
                        format!(
                            "{way} does not reach the floor whole: {words} after {}",
                            amount(hours, "h")
                        )
                    }
                    (None, Some(id)) => {
                        format!(
                            "{way} lasts {} to the floor of {}",
                            amount(hours, "h"),
                            Name(plan.label(id))
                        )
                    }
                    (None, None) => lasts(way),
                }
            },
        );
    }
    let used_up = |it: &Compared| {
        Some(
            it.fared
                .as_ref()?
                .used_up
                .as_ref()
                .map_or(f64::INFINITY, |it| it.at_h),
        )
    };
    by(Aspect::ToCutOff, true, &used_up, &|way, it, hours| {
        let lost = it.fared.as_ref().and_then(|it| it.used_up.as_ref());
        let runs = |lost: &FirstLost| {
            format!(
                "{way} runs {} until {}",
                amount(hours, "h"),
                lost.words.marked()
            )
        };
        lost.map_or_else(|| format!("{way} runs through all of it"), runs)
    });
}

/// How long their stores carry a day's use that goes on.
fn over_a_day(by: &mut By<'_>, charge: &Charge) {
    // What quits before the floor is not carried down to it.
    let carried =
        |it: &Compared| Some(it.to_floor_h?.min(it.to_cut_off_h.unwrap_or(f64::INFINITY)));
    by(
        Aspect::ToFloor,
        true,
        &carried,
        &|way, it, hours| match (&it.cut_off_by, it.to_floor_h) {
            (Some(what), Some(floor)) if hours < floor * (1.0 - 1e-9) => {
                format!(
                    "{way} does not reach the floor whole: {} after {}",
                    what.marked(),
                    amount(hours, "h")
                )
            }
            _ => {
                let first = it
                    .lasting
                    .iter()
                    .filter(|(_, found)| found.to_floor_h == it.to_floor_h)
                    .map(|it| it.0)
                    .next();
                let from = first.map_or(1.0, |id| charge.of(id));
                format!(
                    "{way} lasts {} to the floor {}",
                    amount(hours, "h"),
                    from_charge(from)
                )
            }
        },
    );
    by(
        Aspect::ToCutOff,
        true,
        &|it| it.to_cut_off_h,
        &|way, it, hours| {
            format!(
                "{way} runs {} until {}",
                amount(hours, "h"),
                it.cut_off_by.as_ref().map_or("it quits", Sentence::marked)
            )
        },
    );
}

/// What trips in each, the best first.
fn limits(ways: &[Compared]) -> Best {
    let mut sorted: Vec<&Compared> = ways.iter().collect();
    sorted.sort_by_key(|it| (it.status, it.trips));
    let equal = sorted.len() > 1
        && (sorted[0].status, sorted[0].trips) == (sorted[1].status, sorted[1].trips);
    let told = |(index, it): (usize, &&Compared)| {
        let way = in_row(index, &it.label);
        match (it.status, it.trips) {
            (Status::Trips, 1) => format!("{way}: one thing trips"),
            (Status::Trips, n) => format!("{way}: {n} things trip"),
            (status, _) => format!("{way}: at worst {}", status.word()),
        }
    };
    let sentence = sorted
        .iter()
        .enumerate()
        .map(told)
        .collect::<Vec<_>>()
        .join("; ")
        + ".";
    Best {
        aspect: Aspect::Limits,
        way: (!equal).then(|| sorted[0].id.clone()),
        sentence: sentence.into(),
    }
}

/// A label at the beginning of a sentence, or further on in it.
fn in_row(index: usize, label: &str) -> String {
    if index == 0 {
        label.to_owned()
    } else {
        Name(label).to_string()
    }
}

/// Ranks by one number; nothing where one of them has none.
fn ranked(
    ways: &[Compared],
    aspect: Aspect,
    more_is_better: bool,
    of: &dyn Fn(&Compared) -> Option<f64>,
    say: Say<'_>,
) -> Option<Best> {
    let mut values: Vec<(&Compared, f64)> = ways
        .iter()
        .map(|it| Some((it, of(it)?)))
        .collect::<Option<_>>()?;
    values.sort_by(|a, b| {
        if more_is_better {
            b.1.total_cmp(&a.1)
        } else {
            a.1.total_cmp(&b.1)
        }
    });
    let (first, second) = (values.first()?, values.get(1)?);
    // What is endless in both is equal.
    let equal = first.1.total_cmp(&second.1).is_eq()
        || (first.1 - second.1).abs() <= 1e-9 * first.1.abs().max(second.1.abs()).min(f64::MAX);
    let told = |(index, (way, value)): (usize, &(&Compared, f64))| {
        say(&in_row(index, &way.label), way, *value)
    };
    let sentence = values
        .iter()
        .enumerate()
        .map(told)
        .collect::<Vec<_>>()
        .join("; ")
        + ".";
    Some(Best {
        aspect,
        way: (!equal).then(|| first.0.id.clone()),
        sentence: sentence.into(),
    })
}
