//! The smallest that would still do: a store, a lead, an inverter, and what turns it round: the
//! longest lead, the latest start.
//!
//! Each size that is looked at is put into the plan, judged by its findings and marched through the
//! outage; between one that does and one that does not the search halves what lies between, or
//! walks up the standard leads.

use super::board::lasts_h;
use super::runs::some_devices;
use super::{outage_of, plain};
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, words};
use crate::ground::quantity::Quantity;
use crate::ground::say::{Name, Sentence, amount};
use crate::limits::{Code, Finding, Status, Verdicts, findings};
use crate::site::plan::outage::EngineRun;
use crate::site::plan::{Arrangement, Limit, Outage, Plan};
use crate::site::wire::areas;
use crate::time::outage::{clocked, share_lasting, simulate};
use serde::Serialize;

/// The longest that may be asked for, h.
pub(super) const MOST_H: f64 = 2000.0;
/// How often a size is doubled or halved before it is given up.
const DOUBLINGS: usize = 12;
/// Sizes are found to this share.
const FINE: f64 = 2e-4;
/// Where the figures are drawn, to this one: the runs tell no more.
const FINE_CHANCE: f64 = 4e-3;
/// How often the figures are drawn.
const RUNS: usize = 400;
/// An engine that starts so long before the end does nothing any more, h.
const LAST_H: f64 = 1e-3;
/// The longest lead that is looked at, m.
const LONGEST_M: f64 = 500.0;
/// What a lead is judged by.
const LEAD: [Code; 6] = [
    Code::Collapse,
    Code::VoltageDrop,
    Code::CableAmpacity,
    Code::FuseSize,
    Code::FuseMissing,
    Code::FuseRating,
];
/// What an inverter is judged by as it gets smaller.
const RATING: [Code; 6] = [
    Code::ConverterOutputLimit,
    Code::ConverterInputCurrent,
    Code::GroupLimit,
    Code::Crest,
    Code::Inrush,
    Code::Heat,
];

words!(
    /// What is made as small, as long or as late as may be.
    SmallestKind {
        /// A store's capacity.
        Store = "store",
        /// The area of a lead, by what it leads to.
        Lead = "lead",
        /// The rating of an inverter, or another converter.
        Inverter = "inverter",
        /// The length of a lead, by what it leads to: the longest.
        Length = "length",
        /// The hour at which an engine starts: the latest.
        Start = "start",
    }
);

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct SmallestAsk {
    /// What is made smaller.
    pub what: SmallestKind,
    /// The item: a store, a converter, an engine, or what a lead leads to (`station/dc` for an
    /// input).
    pub item: String,
    /// The arrangement, by id.
    pub arrangement: String,
    /// The outage, by id; one in which nothing comes where left out.
    pub outage: Option<String>,
    /// For how long it must last, h, above 0 and at most 2,000.
    pub hours: f64,
    /// Devices that must last, by id; those that hang on the item where empty.
    pub devices: Vec<String>,
    /// The chance with which it must, 0.5 to 0.99; by the figures as they stand where left out.
    pub chance: Option<f64>,
    /// Seed of the draws.
    pub seed: u64,
}

/// The smallest that would do.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Smallest {
    /// What was made smaller.
    pub what: SmallestKind,
    /// The item.
    pub item: String,
    /// The size; none where no size does.
    pub value: Option<f64>,
    /// Its unit.
    pub unit: &'static str,
    /// The size by the figures as they stand.
    pub on_average: Option<f64>,
    /// The size that stands in the plan.
    pub now: Option<f64>,
    /// Devices that had to last, by id.
    pub devices: Vec<String>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// The smallest store, lead or inverter, the longest lead, or the latest start of an engine, with
/// which devices last so long.
///
/// # Errors
/// Names the field that cannot be.
pub fn smallest(plan: &Plan, ask: &SmallestAsk) -> Result<Smallest, FieldError> {
    let way = plan.arrangement(&ask.arrangement).ok_or_else(|| {
        FieldError::of(
            "arrangement",
            format!(
                "is \"{}\", and the plan has no arrangement of that id",
                ask.arrangement
            ),
        )
    })?;
    if !(ask.hours > 0.0 && ask.hours <= MOST_H) {
        return Err(FieldError::of(
            "hours",
            format!("is {}; it lies above 0 and is at most {MOST_H}", ask.hours),
        ));
    }
    if let Some(chance) = ask.chance.filter(|it| !(0.5..=0.99).contains(it)) {
        return Err(FieldError::of(
            "chance",
            format!("is {chance}; it lies between 0.5 and 0.99"),
        ));
    }
    let mut outage = match &ask.outage {
        Some(id) => outage_of(plan, id)?.clone(),
        None => plain(ask.hours),
    };
    outage.hours = Figure::assumed(ask.hours);
    outage.mains.retain(|it| it.from_h.get() < ask.hours);
    outage.charging.retain(|it| it.from_h.get() < ask.hours);
    outage.carried.retain(|it| it.from_h.get() < ask.hours);
    outage.runs.retain(|it| it.from_h.get() < ask.hours);
    let used = |id: &str| {
        way.feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
    };
    let outage = outage.within(used);
    let size = Size::of(plan, way, ask)?;
    let devices = devices_of(plan, way, ask)?;
    let before = Verdicts::silent(plan, way);
    let mut question = Question {
        plan,
        way,
        outage,
        ask,
        size,
        devices,
        before,
        ideal: Vec::new(),
    };
    question.ideal = question.own(&question.put(question.best()));
    Ok(question.answered())
}

/// The devices that must last: those that were named, else those that hang on the item.
fn devices_of(
    plan: &Plan,
    way: &Arrangement,
    ask: &SmallestAsk,
) -> Result<Vec<String>, FieldError> {
    let fed = |id: &str| way.feed_into(id).is_some();
    if !ask.devices.is_empty() {
        let list = some_devices(plan, &ask.devices)?;
        if let Some(dark) = list.iter().find(|it| !fed(it)) {
            let why = format!("names \"{dark}\", which nothing feeds in “{}”", way.label);
            return Err(FieldError::of("devices", why));
        }
        return Ok(list.into_iter().map(str::to_owned).collect());
    }
    let all: Vec<&str> = plan
        .kit
        .devices
        .iter()
        .map(|it| it.id.as_str())
        .filter(|it| fed(it))
        .collect();
    let hangs = |device: &str| {
        way.chain(device).into_iter().any(|it| {
            let feed = &way.feeds[it];
            feed.to.name() == ask.item || feed.from.item.as_str() == ask.item
        })
    };
    let mut own: Vec<&str> = all.iter().copied().filter(|it| hangs(it)).collect();
    // An engine that fills a store, or a lead into one, carries what hangs on that store.
    if own.is_empty() {
        own = all;
    }
    if own.is_empty() {
        return Err(FieldError::of(
            "arrangement",
            format!("is “{}”, which feeds no device", way.label),
        ));
    }
    Ok(own.into_iter().map(str::to_owned).collect())
}

/// A size as it stands, and its unit.
#[derive(Debug, Clone, Copy)]
struct Size {
    now: Option<f64>,
    unit: &'static str,
}

impl Size {
    fn of(plan: &Plan, way: &Arrangement, ask: &SmallestAsk) -> Result<Self, FieldError> {
        let item = ask.item.as_str();
        let refuse = |why: String| Err(FieldError::of("item", why));
        match ask.what {
            SmallestKind::Store => {
                let battery = plan.source(item).and_then(|it| it.battery.as_ref());
                let Some(battery) = battery else {
                    return refuse(format!(
                        "is \"{item}\", which is no source with a battery; name one that has one"
                    ));
                };
                match (&battery.capacity_ah, &battery.energy_wh) {
                    (Some(it), _) => Ok(Self {
                        now: Some(it.get()),
                        unit: "Ah",
                    }),
                    (None, Some(it)) => Ok(Self {
                        now: Some(it.get()),
                        unit: "Wh",
                    }),
                    (None, None) => refuse(format!(
                        "is \"{item}\", of which nobody says what it holds; give its capacity"
                    )),
                }
            }
            SmallestKind::Inverter => {
                let Some(converter) = plan.converter(item) else {
                    return refuse(format!(
                        "is \"{item}\", which is no converter; name one of the arrangement"
                    ));
                };
                if way.feed_into(item).is_none() {
                    return refuse(format!(
                        "is \"{item}\", which nothing feeds in “{}”",
                        way.label
                    ));
                }
                let limits = converter.outputs.iter().filter_map(|it| it.limit.as_ref());
                let watts = limits
                    .clone()
                    .filter_map(|it| it.continuous_w.as_ref())
                    .map(Figure::get)
                    .reduce(f64::max);
                let amps = limits
                    .filter_map(|it| it.continuous_a.as_ref())
                    .map(Figure::get)
                    .reduce(f64::max);
                match (watts, amps) {
                    (Some(it), _) => Ok(Self {
                        now: Some(it),
                        unit: "W",
                    }),
                    (None, Some(it)) => Ok(Self {
                        now: Some(it),
                        unit: "A",
                    }),
                    (None, None) => refuse(format!(
                        "is \"{item}\", of which nobody says what it gives; give its rating"
                    )),
                }
            }
            SmallestKind::Lead | SmallestKind::Length => {
                let feed = way.feeds.iter().find(|it| it.to.name() == item);
                let cable = feed.and_then(|it| it.cable.as_ref());
                let Some(cable) = cable else {
                    return refuse(format!(
                        "is \"{item}\", to which no lead leads in “{}”; name what a lead leads to",
                        way.label
                    ));
                };
                if ask.what == SmallestKind::Length {
                    return Ok(Self {
                        now: Some(cable.length_m.get()),
                        unit: "m",
                    });
                }
                Ok(Self {
                    now: crate::site::wire::area(cable).map(|it| it.raw()),
                    unit: "mm²",
                })
            }
            SmallestKind::Start => {
                if !plan
                    .source(item)
                    .is_some_and(crate::site::plan::Source::runs)
                {
                    return refuse(format!(
                        "is \"{item}\", which has no engine; name a generator, or a vehicle with \
                        its alternator"
                    ));
                }
                Ok(Self {
                    now: None,
                    unit: "h",
                })
            }
        }
    }
}

struct Question<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    outage: Outage,
    ask: &'a SmallestAsk,
    size: Size,
    devices: Vec<String>,
    before: Verdicts,
    /// What its size decides with the best that there is, worst first: what no size mends is not
    /// asked of one.
    ideal: Vec<Finding>,
}

/// The plan with a size put in.
struct Put {
    plan: Plan,
    way: Arrangement,
    outage: Outage,
}

impl Question<'_> {
    fn answered(&self) -> Smallest {
        let found = match self.ask.what {
            SmallestKind::Store | SmallestKind::Inverter => self.least(),
            SmallestKind::Lead => areas().find(|it| self.does(*it)),
            SmallestKind::Length => self.most(LONGEST_M, 0.05),
            SmallestKind::Start => self.most(self.ask.hours, 1.0 / 120.0),
        };
        let value = match self.ask.chance {
            Some(chance) => found.and_then(|it| self.by_chance(it, chance)),
            None => found,
        };
        Smallest {
            what: self.ask.what,
            item: self.ask.item.clone(),
            value,
            unit: self.size.unit,
            on_average: found,
            now: self.size.now,
            devices: self.devices.clone(),
            sentence: self.sentence(value, found.filter(|_| self.ask.chance.is_some())),
        }
    }

    fn put(&self, value: f64) -> Put {
        let (mut plan, mut way, mut outage) =
            (self.plan.clone(), self.way.clone(), self.outage.clone());
        let item = self.ask.item.as_str();
        let factor = self
            .size
            .now
            .filter(|it| *it > 0.0)
            .map_or(1.0, |now| value / now);
        match self.ask.what {
            SmallestKind::Store => {
                let found = plan
                    .kit
                    .sources
                    .iter_mut()
                    .find(|it| it.id.as_str() == item);
                if let Some(battery) = found.and_then(|it| it.battery.as_mut()) {
                    scale(&mut battery.capacity_ah, factor);
                    scale(&mut battery.energy_wh, factor);
                }
            }
            SmallestKind::Inverter => {
                if let Some(converter) = plan
                    .kit
                    .converters
                    .iter_mut()
                    .find(|it| it.id.as_str() == item)
                {
                    scale(&mut converter.input.max_a, factor);
                    converter
                        .outputs
                        .iter_mut()
                        .filter_map(|it| it.limit.as_mut())
                        .for_each(|it| rated(it, factor));
                }
            }
            SmallestKind::Lead | SmallestKind::Length => {
                let cable = way
                    .feeds
                    .iter_mut()
                    .find(|it| it.to.name() == item)
                    .and_then(|it| it.cable.as_mut());
                if let Some(cable) = cable {
                    if self.ask.what == SmallestKind::Length {
                        cable.length_m = Figure::assumed(value);
                    } else {
                        (cable.awg, cable.area_mm2) = (None, Some(Figure::assumed(value)));
                    }
                }
            }
            SmallestKind::Start => {
                outage.runs.retain(|it| it.source.as_str() != item);
                // An engine of which no run is written runs when it can: what never starts is
                // written as one that starts last.
                let from = value.min(self.ask.hours - LAST_H);
                let (from_h, to_h) = (
                    Figure::assumed(from.max(0.0)),
                    Figure::assumed(self.ask.hours),
                );
                outage.runs.extend(
                    crate::site::plan::Id::new(item)
                        .ok()
                        .map(|source| EngineRun {
                            source,
                            from_h,
                            to_h,
                        }),
                );
            }
        }
        Put { plan, way, outage }
    }

    /// Whether a size does: judged, and marched.
    fn does(&self, value: f64) -> bool {
        let it = self.put(value);
        self.stands(&it) && self.lasts(&it)
    }

    fn lasts(&self, it: &Put) -> bool {
        let found = simulate(&it.plan, &it.way, &it.outage, None);
        self.devices.iter().all(|id| {
            found
                .devices
                .get(id)
                .is_none_or(|it| it.down_at_h.is_none())
        })
    }

    /// The best size that is looked at.
    fn best(&self) -> f64 {
        match self.ask.what {
            SmallestKind::Store | SmallestKind::Inverter => {
                self.size.now.map_or(1.0, |it| it * 4096.0)
            }
            SmallestKind::Lead => areas().last().unwrap_or(50.0),
            SmallestKind::Length | SmallestKind::Start => 0.05,
        }
    }

    /// What its size decides of.
    fn own(&self, it: &Put) -> Vec<Finding> {
        let codes: &[Code] = match self.ask.what {
            SmallestKind::Lead | SmallestKind::Length => &LEAD,
            SmallestKind::Inverter => &RATING,
            SmallestKind::Store | SmallestKind::Start => return Vec::new(),
        };
        let item = self.ask.item.as_str();
        let whole = self.ask.what == SmallestKind::Inverter;
        let own = |place: &str| place == item || whole && place.split('/').next() == Some(item);
        let mut found = findings(&it.plan, &it.way);
        found.retain(|it| own(&it.place) && codes.contains(&it.code));
        found
    }

    /// Whether it is as well as the best where its size decides, and nothing is worse anywhere than
    /// it is in the plan.
    fn stands(&self, it: &Put) -> bool {
        if matches!(self.ask.what, SmallestKind::Store | SmallestKind::Start) {
            return true;
        }
        let ideal = |found: &Finding| {
            let alike = self
                .ideal
                .iter()
                .find(|it| it.code == found.code && it.place == found.place);
            alike
                .map_or(Status::Holds, |it| it.status)
                .min(Status::Unproven)
        };
        let well = self.own(it).iter().all(|it| it.status <= ideal(it));
        // What its own size decides is judged above, however it stands in the plan.
        well && Verdicts::silent(&it.plan, &it.way)
            .worse(&self.before, |_| None)
            .is_none_or(|it| it.0 <= Status::Tight)
    }

    /// The least size that does, between one that does and one that does not.
    fn least(&self) -> Option<f64> {
        let now = self.size.now?;
        let (mut low, mut high) = (now, now);
        if self.does(now) {
            let small = (0..DOUBLINGS).find(|_| {
                (high, low) = (low, low / 2.0);
                !self.does(low)
            });
            small?;
        } else {
            let large = (0..DOUBLINGS).find(|_| {
                (low, high) = (high, high * 2.0);
                self.does(high)
            });
            large?;
        }
        while high - low > FINE * high {
            let middle = f64::midpoint(low, high);
            if self.does(middle) {
                high = middle;
            } else {
                low = middle;
            }
        }
        Some(rounded_up(high))
    }

    /// The greatest that does up to a most, to so fine a step; none where nothing does.
    fn most(&self, most: f64, fine: f64) -> Option<f64> {
        if self.does(most) {
            return Some(most);
        }
        let mut low = fine.min(0.1);
        let mut high = most;
        if !self.does(low) {
            return None;
        }
        while high - low > fine {
            let middle = f64::midpoint(low, high);
            if self.does(middle) {
                low = middle;
            } else {
                high = middle;
            }
        }
        // Rounded to the safe side.
        Some((low / fine).floor() * fine)
            .filter(|it| *it > 0.0)
            .or(Some(low))
    }

    /// The share of draws from the figures in which every device lasts with a size.
    fn chance_of(&self, value: f64) -> f64 {
        let it = self.put(value);
        share_lasting(
            (&it.plan, &it.way, &it.outage),
            &self.devices,
            RUNS,
            self.ask.seed,
        )
    }

    /// The size with which it lasts by chance, from that which does by the figures as they stand.
    fn by_chance(&self, average: f64, chance: f64) -> Option<f64> {
        let enough = |it: f64| self.chance_of(it) >= chance;
        match self.ask.what {
            SmallestKind::Lead => areas()
                .filter(|it| *it >= average - 1e-9)
                .find(|it| enough(*it)),
            SmallestKind::Length | SmallestKind::Start => {
                let (mut low, mut high) = (0.0, average);
                if enough(average) {
                    return Some(average);
                }
                if !enough(low) {
                    return None;
                }
                while high - low > FINE_CHANCE * average {
                    let middle = f64::midpoint(low, high);
                    if enough(middle) {
                        low = middle;
                    } else {
                        high = middle;
                    }
                }
                Some(low)
            }
            SmallestKind::Store | SmallestKind::Inverter => {
                // What the largest does not reach is not looked for.
                if !enough(self.best()) {
                    return None;
                }
                let (mut low, mut high) = (average * 0.5, average);
                let step = |_: &usize| {
                    let done = enough(high);
                    if !done {
                        (low, high) = (high, high * 1.3);
                    }
                    done
                };
                (0..DOUBLINGS).find(step)?;
                while high - low > FINE_CHANCE * high {
                    let middle = f64::midpoint(low, high);
                    if enough(middle) {
                        high = middle;
                    } else {
                        low = middle;
                    }
                }
                Some(rounded_up(high))
            }
        }
    }

    /// "72 h with 9 chances in 10 need 138 Ah in House bank; by the figures as they stand 121 Ah."
    fn sentence(&self, value: Option<f64>, average: Option<f64>) -> Sentence {
        let item = self.ask.item.split('/').next().unwrap_or_default();
        let name = Name(self.plan.label(item));
        let hours = amount(self.ask.hours, "h");
        let Some(value) = value else {
            return self.why_not(average);
        };
        let unit = self.size.unit;
        let size = amount(value, unit);
        let chance = self.ask.chance.map_or_else(String::new, |it| {
            format!(" with {:.0} chances in 100", it * 100.0)
        });
        let now = self.size.now.map_or_else(String::new, |it| {
            format!(" The plan has {}.", amount(it, unit))
        });
        let stands = average.map_or_else(String::new, |it| {
            format!(", and {} by the figures as they stand", amount(it, unit))
        });
        let said = match self.ask.what {
            SmallestKind::Store => format!("{hours}{chance} need {size} in {name}{stands}.{now}"),
            SmallestKind::Inverter => {
                format!("{hours}{chance} need {name} to give {size}{stands}.{now}")
            }
            SmallestKind::Lead => {
                format!(
                    "The thinnest standard lead to {name} that holds is \
                    {size}{chance}{stands}.{now}"
                )
            }
            SmallestKind::Length if value >= LONGEST_M => {
                format!("The lead to {name} may be {size} long and longer.{now}")
            }
            SmallestKind::Length => {
                format!("The lead to {name} may be {size} long at most{chance}{stands}.{now}")
            }
            SmallestKind::Start if value >= self.ask.hours => {
                format!("{hours} are reached without {name}.")
            }
            SmallestKind::Start => {
                let average = average.map_or_else(String::new, |it| {
                    format!(", and {} by the figures as they stand", clocked(it))
                });
                format!(
                    "{hours}{chance} need {name} to be started {} after the beginning at the \
                    latest{average}.",
                    clocked(value)
                )
            }
        };
        said.into()
    }

    /// Why no size does: what is lost first with the best of them.
    fn why_not(&self, average: Option<f64>) -> Sentence {
        let it = self.put(self.best());
        let hours = amount(self.ask.hours, "h");
        if let (Some(chance), Some(average)) = (self.ask.chance, average) {
            let most = self.chance_of(self.best());
            let (most, chance) = (most * 100.0, chance * 100.0);
            return format!(
                "{} do by the figures as they stand, and no size does with {chance:.0} chances in \
                100: with the best of it {most:.0} in 100 \
                 last {hours}, as the rest is lost to other figures.",
                amount(average, self.size.unit)
            )
            .into();
        }
        let found = simulate(&it.plan, &it.way, &it.outage, None);
        let down = |id: &&String| {
            found
                .devices
                .get(*id)
                .and_then(|it| Some((it.down_at_h?, it.why.clone())))
        };
        let first = self.devices.iter().filter_map(|id| Some((id, down(&id)?)));
        let first = first.min_by(|a, b| a.1.0.total_cmp(&b.1.0));
        let what = match self.ask.what {
            SmallestKind::Store => "no capacity",
            SmallestKind::Lead => "no standard lead",
            SmallestKind::Inverter => "no rating",
            SmallestKind::Length => "no length of this lead",
            SmallestKind::Start => "no start of the engine",
        };
        let why = match first {
            Some((id, (at, why))) => {
                let why = why.map_or_else(String::new, |it| format!(", {it}"));
                format!(
                    "with the best of it {} is lost after {}{why}",
                    Name(self.plan.label(id)),
                    clocked(at)
                )
            }
            None if !self.stands(&it) => {
                "with the best of it something trips or is not well, which the findings of the \
                arrangement tell"
                    .to_owned()
            }
            None => "that would take more than is looked at".to_owned(),
        };
        let lasts = lasts_h(self.plan, self.way, &self.outage).map_or_else(String::new, |it| {
            format!(
                " As it stands the first device is lost after {}.",
                clocked(it)
            )
        });
        format!("For {hours} {what} is enough: {why}.{lasts}").into()
    }
}

/// A figure of another size, its ± in the same proportion.
pub(super) fn scale<Q: Quantity>(figure: &mut Option<Figure<Q>>, factor: f64) {
    if let Some(it) = figure {
        it.value = Q::of(it.get() * factor);
        it.plus_minus = it.plus_minus.map(|half| half * factor);
    }
}

fn rated(limit: &mut Limit, factor: f64) {
    scale(&mut limit.continuous_a, factor);
    scale(&mut limit.continuous_w, factor);
    for it in &mut limit.overload {
        scale(&mut it.up_to_a, factor);
        scale(&mut it.up_to_w, factor);
    }
}

/// Four digits, rounded up, so that what is told still does; the number that is written so, not one
/// beside it.
fn rounded_up(value: f64) -> f64 {
    let digits = value.abs().max(1e-9).log10().floor() - 3.0;
    if digits < 0.0 {
        let parts = 10_f64.powf(-digits).round();
        return (value * parts - 1e-9).ceil() / parts;
    }
    let step = 10_f64.powf(digits).round();
    (value / step - 1e-9).ceil() * step
}
