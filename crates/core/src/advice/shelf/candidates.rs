//! One box or parts, the one battery or the other, the small inverter or the big one: candidates
//! side by side.
//!
//! Each candidate is carried out: the finder looks for what lasts longest with it, that arrangement
//! is judged and marched, and what is told of money, weight and energy is what a comparison tells
//! of it. What grows with it was put in and looked for again.

use super::find::{
    Choices, FindAsk, Longest, Member, Unpriced, checked, longest, named, several, stocked,
};
use super::smallest::scale;
use super::{LOOKED_H, outage_of};
use crate::advice::compare::compare;
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, words};
use crate::ground::quantity::Amps;
use crate::ground::say::{Name, Sentence, amount};
use crate::ground::work;
use crate::network::Charge;
use crate::site::parts::{Used, used_parts};
use crate::site::plan::{Arrangement, Battery, ConverterKind, Outage, Plan, Source, SourceKind};
use crate::time::day::put_back_share;
use crate::time::life::{Life, WEEKS, can_be_used, in_years, life};
use crate::time::outage::{clocked, simulate, wear};
use rayon::prelude::*;
use serde::Serialize;

/// Candidates that are put together at most.
const MOST_CANDIDATES: usize = 40;
/// Sets of chains that are tried for each at most.
const MOST_EACH: usize = 600;
/// Inverters that are named in the answer at most.
const NAMED: usize = 3;
/// Years over which money is counted at most.
pub const LONGEST_YEARS: f64 = 40.0;
/// How long one use is where neither hours nor an outage say so, h.
const USE_H: f64 = 24.0;
/// Rows of the march from which the depth of its swings is read, s.
const ROWS_S: f64 = 600.0;

words!(
    /// By what candidates differ.
    Apart {
        /// By their store: one box, or a battery with what it needs.
        Store = "store",
        /// By their inverter, everything behind it and on one store.
        Inverter = "inverter",
    }
);

words!(
    /// What becomes of a part that is worn out or fails.
    Replaced {
        /// It is replaced by itself.
        Itself = "itself",
        /// Its battery is, and the box stays.
        Battery = "battery",
        /// The whole box is.
        Whole = "whole",
        /// Nobody says whether its battery can be.
        Unknown = "unknown",
    }
);

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct CandidatesAsk {
    /// The devices, and what may be used; its hours are those of one use, and its limits count for
    /// nothing.
    pub find: FindAsk,
    /// By what they differ.
    pub of: Apart,
    /// The candidates, by id; everything of that sort that may be used where empty.
    pub items: Vec<String>,
    /// How often they are used so in a week, above 0 to [`crate::time::life::MOST_USES`]; nothing is worn
    /// by use where left out.
    pub uses_a_week: Option<f64>,
    /// Over how many years money is counted, 1 to [`LONGEST_YEARS`].
    pub years: f64,
}

/// Candidates side by side.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Candidates {
    /// By what they differ.
    pub of: Apart,
    /// How long one use is, h.
    pub use_h: f64,
    /// Over how many years money is counted.
    pub years: f64,
    /// Those that run the devices first, and of those the cheapest over the years.
    pub candidates: Vec<Candidate>,
    /// Whether each is proven the best that can be done with it.
    pub proven: bool,
    /// What was left out because nobody states its price, by label.
    pub unpriced: Vec<String>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// One candidate.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Candidate {
    /// Its id; that of a ready-made kind as it would stand in the plan.
    pub item: String,
    /// What it is called.
    pub label: String,
    /// Whether store, converters and outlets are one box.
    pub one_box: bool,
    /// The best that can be done with it; none where nothing runs the devices with it.
    pub member: Option<Member>,
    /// How long the devices last with it, h; none as above.
    pub hours: Option<f64>,
    /// Whether that is as long as was looked for.
    pub whole: bool,
    /// Price of all that it takes, the devices apart, in the site's currency; none where one states
    /// none.
    pub price: Option<f64>,
    /// Of that, what must be bought; none where one states none.
    pub buy_price: Option<f64>,
    /// Weight of all that it takes, the devices apart, kg; none where one states none.
    pub weight_kg: Option<f64>,
    /// What of its stores reaches the devices from full to the floor, Wh; none where nothing is
    /// stored.
    pub usable_wh: Option<f64>,
    /// Its price for each usable kilowatt-hour; none where either is not known.
    pub price_per_usable_kwh: Option<f64>,
    /// What reaches the devices for each of its kilograms, Wh/kg; none where either is not known.
    pub usable_wh_per_kg: Option<f64>,
    /// How many years each of its stores lasts, as deep as one use really takes it.
    pub lives: Vec<Life>,
    /// What it is made of, the devices apart.
    pub parts: Vec<PartOf>,
    /// What more of its store wins; none where that was not looked for, or it lasts the whole time.
    pub grows: Option<Growth>,
    /// Money that is spent until then, year by year and at each replacement; empty where a price is
    /// not known.
    pub spent: Vec<Spent>,
    /// What it costs over all of the years; none as above.
    pub over_years: Option<f64>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// A part of a candidate.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PartOf {
    /// Its id.
    pub item: String,
    /// What it is called.
    pub label: String,
    /// Its price; none where nobody states it.
    pub price: Option<f64>,
    /// Its weight, kg; none where nobody states it.
    pub weight_kg: Option<f64>,
    /// Whether it is there already.
    pub owned: bool,
    /// What becomes of it when it is worn out or fails.
    pub replaced: Replaced,
    /// Devices that are lost when it fails, by id.
    pub takes_down: Vec<String>,
    /// That in a sentence.
    pub sentence: Sentence,
}

/// What more of a store wins.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Growth {
    /// How long the devices last then, h.
    pub hours: f64,
    /// What it costs; none where nobody states it.
    pub price: Option<f64>,
    /// That in a sentence.
    pub sentence: Sentence,
}

/// Money spent until a time.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Spent {
    /// Years from now.
    pub year: f64,
    /// What was spent until then, in the site's currency.
    pub spent: f64,
}

/// What stands in both directions of the question.
struct Asked<'a> {
    plan: &'a Plan,
    ask: &'a CandidatesAsk,
    every: FindAsk,
    stock: Plan,
    devices: Vec<String>,
    outage: Outage,
    use_h: f64,
}

/// Candidates for some devices, side by side.
///
/// # Errors
/// Names the field that cannot be.
pub fn candidates(plan: &Plan, ask: &CandidatesAsk) -> Result<Candidates, FieldError> {
    ask.uses_a_week.map_or(Ok(()), can_be_used)?;
    if !(1.0..=LONGEST_YEARS).contains(&ask.years) {
        return Err(FieldError::of(
            "years",
            format!("is {}; it lies between 1 and {LONGEST_YEARS}", ask.years),
        ));
    }
    let named = ask
        .find
        .outage
        .as_deref()
        .map(|id| outage_of(plan, id))
        .transpose()?;
    let looked_h = named.map_or(LOOKED_H, |it| it.hours.get());
    // Hours of nothing are those of the outage or of a day; what else is wrong with them is said
    // below.
    let use_h = if ask.find.hours == 0.0 {
        named.map_or(USE_H, |it| it.hours.get())
    } else {
        ask.find.hours
    };
    let free = FindAsk {
        spend: None,
        weight_kg: None,
        parts: None,
        ..ask.find.clone()
    };
    checked(
        plan,
        &FindAsk {
            hours: use_h,
            ..free.clone()
        },
    )?;
    let every = FindAsk {
        hours: looked_h,
        front: true,
        most: MOST_EACH,
        ..free
    };
    let looked = checked(plan, &every)?;
    let (stock, unpriced) = stocked(plan, &every, Unpriced::LeftOut)?;
    let items = items(&stock, ask)?;
    let asked = Asked {
        plan,
        ask,
        every,
        stock,
        devices: looked.devices,
        outage: looked.outage,
        use_h: use_h.min(looked_h),
    };
    let found = match ask.of {
        Apart::Store => asked.by_store(&items),
        Apart::Inverter => asked.by_inverter(&items),
    };
    let proven = found.iter().all(|it| it.1);
    let mut candidates: Vec<Candidate> = found.into_iter().map(|it| it.0).collect();
    candidates.sort_by(|a, b| {
        let cost = |it: &Candidate| it.over_years.unwrap_or(f64::INFINITY);
        let key = |it: &Candidate| {
            (
                it.hours.is_none(),
                it.hours.is_some_and(|it| it < asked.use_h - 1e-6),
            )
        };
        let hours = |it: &Candidate| it.hours.unwrap_or(0.0);
        key(a)
            .cmp(&key(b))
            .then(cost(a).total_cmp(&cost(b)))
            .then(hours(b).total_cmp(&hours(a)))
            .then_with(|| a.item.cmp(&b.item))
    });
    let mut told = Candidates {
        of: ask.of,
        use_h: asked.use_h,
        years: ask.years,
        candidates,
        proven,
        unpriced,
        sentence: Sentence::default(),
    };
    told.sentence = asked.sentence(&told).into();
    Ok(told)
}

/// What is put side by side, by id.
fn items(stock: &Plan, ask: &CandidatesAsk) -> Result<Vec<String>, FieldError> {
    let inverts = |it: &crate::site::plan::Converter| it.kind == ConverterKind::Inverter;
    let may = |id: &str| ask.find.sources.is_empty() || ask.find.sources.iter().any(|it| it == id);
    let all: Vec<String> = match ask.of {
        Apart::Store => {
            let stores = stock
                .kit
                .sources
                .iter()
                .filter(|it| it.battery.is_some() && may(it.id.as_str()));
            stores.map(|it| it.id.to_string()).collect()
        }
        Apart::Inverter => stock
            .kit
            .converters
            .iter()
            .filter(|it| inverts(it))
            .map(|it| it.id.to_string())
            .collect(),
    };
    if let Some(id) = ask.items.iter().find(|id| !all.contains(id)) {
        let sort = match ask.of {
            Apart::Store => "source with a battery",
            Apart::Inverter => "inverter",
        };
        return Err(FieldError::of(
            "items",
            format!("names \"{id}\", which is no {sort} that may be used here"),
        ));
    }
    let items: Vec<String> = if ask.items.is_empty() {
        all
    } else {
        ask.items.clone()
    };
    if items.len() > MOST_CANDIDATES {
        return Err(FieldError::of(
            "items",
            format!("are {}; name at most {MOST_CANDIDATES}", items.len()),
        ));
    }
    Ok(items)
}

impl Asked<'_> {
    /// What lasts longest on some sources.
    fn best(&self, stock: &Plan, sources: Vec<String>, choices: Choices<'_>) -> Longest {
        let ask = FindAsk {
            sources,
            ..self.every.clone()
        };
        longest(
            self.plan,
            stock,
            &ask,
            (&self.devices, &self.outage),
            choices,
        )
    }

    /// The best on each of some stores.
    fn by_store(&self, items: &[String]) -> Vec<(Candidate, bool)> {
        let job = work::current();
        let one = |id: &String| {
            work::carried(job.as_ref(), || {
                self.candidate(
                    id,
                    self.best(
                        &self.stock,
                        vec![id.clone()],
                        Choices::Served { must: None },
                    ),
                )
            })
        };
        items.par_iter().map(one).collect()
    }

    /// Everything behind each of some inverters, all on one store, so that nothing else differs:
    /// the one on which most of them run, and of such the one on which they last longest.
    fn by_inverter(&self, items: &[String]) -> Vec<(Candidate, bool)> {
        let may = |id: &str| {
            self.every.sources.is_empty() || self.every.sources.iter().any(|it| it == id)
        };
        let own = self
            .plan
            .kit
            .sources
            .iter()
            .filter(|it| it.battery.is_some() && may(it.id.as_str()));
        let stores: Vec<&str> = own.map(|it| it.id.as_str()).collect();
        let job = work::current();
        let on = |store: &&str| -> Vec<Longest> {
            let one = |id: &String| {
                work::carried(job.as_ref(), || {
                    self.best(&self.stock, vec![(*store).to_owned()], Choices::Through(id))
                })
            };
            items.par_iter().map(one).collect()
        };
        let all: Vec<Vec<Longest>> = stores.iter().map(on).collect();
        let worth = |found: &[Longest]| {
            let hours = found
                .iter()
                .filter_map(|it| Some(it.member.as_ref()?.hours));
            (
                found.iter().filter(|it| it.member.is_some()).count(),
                hours.sum::<f64>(),
            )
        };
        let best = all.into_iter().reduce(|best, it| {
            let ((many, hours), (most, longest)) = (worth(&it), worth(&best));
            if many > most || many == most && hours > longest {
                it
            } else {
                best
            }
        });
        let best = best.unwrap_or_default();
        items
            .iter()
            .zip(best)
            .map(|(id, found)| self.candidate(id, found))
            .collect()
    }

    fn candidate(&self, id: &str, found: Longest) -> (Candidate, bool) {
        let Longest {
            member,
            proven,
            dark,
        } = found;
        let mut told = Candidate {
            item: id.to_owned(),
            label: self.stock.label(id).to_owned(),
            one_box: self.stock.source(id).is_some_and(Source::is_one_box),
            hours: member.as_ref().map(|it| it.hours),
            whole: member
                .as_ref()
                .is_some_and(|it| it.hours >= self.outage.hours.get() - 1e-9),
            member: None,
            price: None,
            buy_price: None,
            weight_kg: None,
            usable_wh: None,
            price_per_usable_kwh: None,
            usable_wh_per_kg: None,
            lives: Vec::new(),
            parts: Vec::new(),
            grows: None,
            spent: Vec::new(),
            over_years: None,
            sentence: Sentence::default(),
        };
        if let Some(member) = &member {
            self.filled(&mut told, member);
            if self.ask.of == Apart::Store && !told.whole {
                told.grows = self.growth(id, member);
            }
        }
        told.member = member;
        told.sentence = self.said(&told, &dark).into();
        (told, proven)
    }

    /// Money, weight, energy and years of what was found.
    fn filled(&self, told: &mut Candidate, member: &Member) {
        let way = &member.arrangement;
        told.parts = self.parts(way);
        let sum =
            |of: &dyn Fn(&PartOf) -> Option<f64>| told.parts.iter().map(of).sum::<Option<f64>>();
        told.price = sum(&|it| it.price).map(|it| it + 0.0);
        told.buy_price = sum(&|it| if it.owned { Some(0.0) } else { it.price }).map(|it| it + 0.0);
        told.weight_kg = sum(&|it| it.weight_kg).map(|it| it + 0.0);
        // What a comparison tells of it; a comparison is of two.
        let other = Arrangement {
            id: crate::site::plan::Id::own("same-again"),
            ..way.clone()
        };
        if let Ok(compared) = compare(&self.stock, &[way, &other], &Charge::full(), None)
            && let Some(it) = compared.ways.first()
        {
            let usable = it.usable_wh * it.efficiency.unwrap_or(0.0);
            told.usable_wh = (usable > 0.0).then_some(usable);
            told.price_per_usable_kwh = told
                .price
                .zip(told.usable_wh)
                .map(|(price, wh)| price / wh * 1000.0);
            let kilos = told.weight_kg.filter(|it| *it > 0.0);
            told.usable_wh_per_kg = kilos.zip(told.usable_wh).map(|(kilos, wh)| wh / kilos);
        }
        let one_use = Outage {
            hours: Figure::assumed(self.use_h),
            ..self.outage.clone()
        };
        let used = |id: &str| {
            way.feeds
                .iter()
                .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
        };
        let march = simulate(&self.stock, way, &one_use.within(used), Some(ROWS_S));
        let worn = wear(&self.stock, &march);
        let stores = worn
            .iter()
            .filter_map(|(id, it)| Some((self.stock.source(id)?, it.depth)));
        let stores: Vec<(&Source, Life)> = stores
            .filter_map(|(source, depth)| {
                let uses = self.ask.uses_a_week.unwrap_or(0.0);
                Some((source, life(source, depth, uses, self.plan.currency())?))
            })
            .collect();
        if let Some(buy) = told.buy_price {
            told.spent = self.spent(buy, &stores, member);
            told.over_years = told.spent.last().map(|it| it.spent);
        }
        told.lives = stores.into_iter().map(|it| it.1).collect();
    }

    /// Money until each year: what must be bought now, what is put back each week at the site's
    /// price, and each store anew when it is worn out.
    fn spent(&self, buy: f64, stores: &[(&Source, Life)], member: &Member) -> Vec<Spent> {
        let years = self.ask.years;
        let mut anew: Vec<(f64, f64)> = Vec::new();
        for (source, life) in stores {
            // A store that nobody priced is told without money.
            let Some(price) = source.price.as_ref().map(Figure::get) else {
                return Vec::new();
            };
            let mut at = life.years;
            while life.years > 0.0 && at < years - 1e-9 && anew.len() < 1000 {
                anew.push((at, price));
                at += life.years;
            }
        }
        anew.sort_by(|a, b| a.0.total_cmp(&b.0));
        let share = stores
            .iter()
            .map(|it| put_back_share(it.0))
            .reduce(f64::min)
            .unwrap_or(1.0);
        let per_kwh = self
            .plan
            .site
            .energy_price
            .as_ref()
            .map_or(0.0, |it| it.per_kwh.get());
        let uses = self.ask.uses_a_week.unwrap_or(0.0);
        // What is lost before the use is over draws no longer.
        let one_use_wh = member.drawn_wh_day * self.use_h.min(member.hours) / 24.0;
        let a_year = one_use_wh / share / 1000.0 * per_kwh * uses * WEEKS;
        let mut list = vec![Spent {
            year: 0.0,
            spent: buy,
        }];
        let mut stood = buy;
        for (at, price) in anew {
            list.push(Spent {
                year: at,
                spent: stood + a_year * at,
            });
            stood += price;
            list.push(Spent {
                year: at,
                spent: stood + a_year * at,
            });
        }
        list.push(Spent {
            year: years,
            spent: stood + a_year * years,
        });
        list
    }

    fn parts(&self, way: &Arrangement) -> Vec<PartOf> {
        let all = used_parts(&self.stock, way)
            .into_iter()
            .filter(|it| self.stock.device(it.id).is_none());
        let part = |it: Used<'_>| {
            let takes_down = self.behind(way, it.id);
            let source = self.stock.source(it.id);
            let replaced = match source {
                Some(source) if source.is_one_box() => match source.replaceable_battery {
                    Some(true) => Replaced::Battery,
                    Some(false) => Replaced::Whole,
                    None => Replaced::Unknown,
                },
                _ => Replaced::Itself,
            };
            let label = self.stock.label(it.id).to_owned();
            let names = if takes_down.is_empty() {
                "nothing".to_owned()
            } else {
                named(&self.stock, &takes_down)
            };
            let how = match replaced {
                Replaced::Itself => "it is replaced by itself",
                Replaced::Battery => "its battery can be replaced, and the box stays",
                Replaced::Whole => "its battery cannot be replaced, so that the whole box is",
                Replaced::Unknown => "nobody says whether its battery can be replaced",
            };
            let go = if takes_down.len() == 1 { "goes" } else { "go" };
            let sentence = format!("{}: with it {names} {go} out; {how}.", Name(&label));
            PartOf {
                item: it.id.to_owned(),
                label,
                price: it.price,
                weight_kg: it.weight_kg,
                owned: it.owned,
                replaced,
                takes_down,
                sentence: sentence.into(),
            }
        };
        all.map(part).collect()
    }

    /// Devices behind an item, in the order asked.
    fn behind(&self, way: &Arrangement, id: &str) -> Vec<String> {
        let mut reached = vec![id.to_owned()];
        let mut at = 0;
        while let Some(from) = reached.get(at).cloned() {
            at += 1;
            for feed in way.feeds.iter().filter(|it| it.from.item.as_str() == from) {
                let to = feed.to.item.to_string();
                if !reached.contains(&to) {
                    reached.push(to);
                }
            }
        }
        self.devices
            .iter()
            .filter(|it| reached.contains(it))
            .cloned()
            .collect()
    }

    /// A second battery beside the first, or a second box with the devices divided between the two;
    /// nobody buys a second vehicle for that.
    fn growth(&self, id: &str, member: &Member) -> Option<Growth> {
        let source = self
            .stock
            .source(id)
            .filter(|it| it.kind != SourceKind::Vehicle)?;
        let mut stock = self.stock.clone();
        let one_box = source.is_one_box();
        let mut others: Vec<String> = Vec::new();
        if one_box {
            several(&mut stock, id, 2)?;
            others.push(stock.kit.sources.last()?.id.to_string());
        } else {
            let own = stock
                .kit
                .sources
                .iter_mut()
                .find(|it| it.id.as_str() == id)?;
            doubled(own.battery.as_mut()?);
        }
        let sources = std::iter::once(id.to_owned()).chain(others).collect();
        let found = self
            .best(&stock, sources, Choices::Served { must: None })
            .member;
        let price = source.price.as_ref().map(Figure::get);
        let money = price.map_or_else(
            || ", at a price that nobody states".to_owned(),
            |it| format!(", {} more", amount(it, self.plan.currency())),
        );
        let second = if one_box {
            "A second one, with the devices divided between the two"
        } else {
            "Twice as much of it (two side by side are joined as their maker allows, with a fuse \
            each)"
        };
        let hours = found.map_or(member.hours, |it| it.hours.max(member.hours));
        let lasts = if hours >= self.outage.hours.get() - 1e-9 {
            format!("the whole {}", amount(self.outage.hours.get(), "h"))
        } else {
            clocked(hours).to_string()
        };
        let sentence = if hours - member.hours < super::find::HOUR {
            format!("{second}, wins no hours.")
        } else {
            format!(
                "{second}: {lasts} instead of {}{money}.",
                clocked(member.hours)
            )
        };
        Some(Growth {
            hours,
            price,
            sentence: sentence.into(),
        })
    }

    /// "Middle station: 36 h for 640 EUR, all of it there already; …"
    fn said(&self, it: &Candidate, dark: &[String]) -> String {
        let name = Name(&it.label);
        let Some(hours) = it.hours else {
            if self.ask.of == Apart::Inverter {
                let names = named(
                    &self.stock,
                    if dark.is_empty() { &self.devices } else { dark },
                );
                return format!("{name}: on no store of the site it runs {names} without a trip.");
            }
            if !dark.is_empty() {
                return format!(
                    "{name}: nothing on it runs {}, not even alone.",
                    named(&self.stock, dark)
                );
            }
            let names = named(&self.stock, &self.devices);
            let together = if self.devices.len() > 1 {
                " together"
            } else {
                ""
            };
            return format!("{name}: nothing with it runs {names}{together} without a trip.");
        };
        let currency = self.plan.currency();
        let lasts = lasts(it, hours);
        let bought = match (it.price, it.buy_price) {
            (Some(all), Some(buy)) if buy <= 0.0 => {
                format!("worth {} and owned", amount(all, currency))
            }
            (Some(all), Some(buy)) if buy >= all - 1e-9 => {
                format!("{} to buy", amount(buy, currency))
            }
            (Some(all), Some(buy)) => format!(
                "{}, of which {} to buy",
                amount(all, currency),
                amount(buy, currency)
            ),
            (None, Some(buy)) if buy <= 0.0 => "owned".to_owned(),
            (_, Some(buy)) => format!("{} to buy", amount(buy, currency)),
            (_, None) => "at a price that nobody states".to_owned(),
        };
        let years = it.lives.iter().map(|it| it.years).reduce(f64::min);
        let years = years.map_or_else(String::new, |it| {
            format!("; its store is worn out after {}", in_years(it))
        });
        let over = it
            .over_years
            .filter(|_| self.ask.uses_a_week.is_some())
            .map_or_else(String::new, |it| {
                format!(
                    "; {} over {}",
                    amount(it, currency),
                    in_years(self.ask.years)
                )
            });
        let short = if hours < self.use_h - 1e-6 {
            format!(", short of the {} of one use", amount(self.use_h, "h"))
        } else {
            String::new()
        };
        format!("{name}: {lasts}{short}, {bought}{years}{over}.")
    }

    /// "36 h 49 min on Station, 95 EUR over 10 years".
    fn short(&self, it: &Candidate) -> String {
        let hours = it.hours.map_or_else(String::new, |hours| lasts(it, hours));
        let currency = self.plan.currency();
        let money = match (
            it.over_years.filter(|_| self.ask.uses_a_week.is_some()),
            it.buy_price,
        ) {
            (Some(over), _) => format!(
                ", {} over {}",
                amount(over, currency),
                in_years(self.ask.years)
            ),
            (None, Some(buy)) if buy > 0.0 => format!(", {} to buy", amount(buy, currency)),
            (None, Some(_)) => ", with nothing to buy".to_owned(),
            (None, None) => ", at a price that nobody states".to_owned(),
        };
        format!("{hours} on {}{money}", Name(&it.label))
    }

    fn sentence(&self, told: &Candidates) -> String {
        let names = named(&self.stock, &self.devices);
        let runs: Vec<&Candidate> = told
            .candidates
            .iter()
            .filter(|it| it.hours.is_some())
            .collect();
        let sort = match told.of {
            Apart::Store => "store",
            Apart::Inverter => "inverter",
        };
        let Some(longest) = runs.iter().copied().max_by(|a, b| {
            let hours = |it: &Candidate| it.hours.unwrap_or(0.0);
            hours(a)
                .total_cmp(&hours(b))
                .then_with(|| b.item.cmp(&a.item))
        }) else {
            return format!("No {sort} that may be used here runs {names} without a trip.");
        };
        let best = |one_box: bool| runs.iter().copied().find(|it| it.one_box == one_box);
        if told.of == Apart::Store
            && let (Some(one), Some(parts)) = (best(true), best(false))
        {
            let last = if self.devices.len() == 1 {
                "lasts"
            } else {
                "last"
            };
            return format!(
                "{names} {last} {} in one box; {} in parts.",
                self.short(one),
                self.short(parts)
            );
        }
        let first = runs[0];
        if runs.len() == 1 {
            return format!("Only one {sort} runs {names}: {}", first.sentence);
        }
        if told.of == Apart::Store {
            let longest = if longest.item == first.item {
                String::new()
            } else {
                format!(" Longest: {}", longest.sentence)
            };
            return format!("{}{longest}", first.sentence);
        }
        // "Camera lasts 73 h 15 min with Small inverter at 144 Wh a day, 53 h 38 min with Big
        // inverter at 197 Wh a day."
        let each = runs.iter().take(NAMED).filter_map(|it| {
            let (hours, drawn) = (
                lasts(it, it.hours?),
                amount(it.member.as_ref()?.drawn_wh_day, "Wh"),
            );
            Some(format!("{hours} with {} at {drawn} a day", Name(&it.label)))
        });
        let last = if self.devices.len() == 1 {
            "lasts"
        } else {
            "last"
        };
        let store = first.member.as_ref().and_then(|it| {
            self.stock
                .source(it.arrangement.feeds.first()?.from.item.as_str())
        });
        let on = store.map_or_else(String::new, |it| format!("On {}, ", Name(&it.label)));
        format!(
            "{on}{names} {last} {}.",
            each.collect::<Vec<_>>().join(", ")
        )
    }
}

/// How long, in words.
fn lasts(it: &Candidate, hours: f64) -> String {
    if it.whole {
        format!("the whole {}", amount(hours, "h"))
    } else {
        clocked(hours).to_string()
    }
}

/// Two of a battery side by side as one: what it holds, gives and takes is twice as much, its
/// resistance half.
fn doubled(it: &mut Battery) {
    scale(&mut it.capacity_ah, 2.0);
    scale(&mut it.energy_wh, 2.0);
    scale(&mut it.max_discharge_a, 2.0);
    scale(&mut it.max_charge_a, 2.0);
    scale(&mut it.internal_ohm, 0.5);
    for peak in &mut it.peak {
        peak.up_to_a.value = Amps(peak.up_to_a.get() * 2.0);
    }
}
