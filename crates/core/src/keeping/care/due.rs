//! Checks that follow from the plan itself, each with its reason and interval; when each was done,
//! put off or left out.

use crate::ground::json::FieldError;
use crate::ground::say::{Amount, Name, Sentence, percent};
use crate::network::{Charge, Moment, evaluate};
use crate::site::chemistry;
use crate::site::figures::figures;
use crate::site::plan::{Arrangement, Plan, SourceKind};
use jiff::civil::Date;
use jiff::{Span, ToSpan};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// From so many amperes on joints are felt, A.
const FELT_FROM_A: f64 = 5.0;
/// A clamp that sits badly, Ω.
const BAD_JOINT_OHM: f64 = 0.05;
/// Before a season begins a capacity is measured so many days.
const BEFORE_SEASON: i64 = 42;
/// What was done within so many days before it was due counts for that.
const EARLY: i64 = 120;
/// Nobody needs to top up less often, days.
const MOST_TOP_UP: f64 = 365.0;
/// Checks that are told at most.
const MOST: usize = 400;
/// Days between two of one's own checks.
pub(super) const OWN_DAYS: std::ops::RangeInclusive<i64> = 1..=3660;

#[derive(Debug, Deserialize)]
struct Rule {
    rule: String,
    every_days: i64,
    title: String,
    reason: String,
    #[serde(default)]
    protocol: Option<String>,
}

#[derive(Debug, Deserialize)]
struct Rules {
    rules: Vec<Rule>,
    rests_at_least: BTreeMap<String, f64>,
    fuel_days: BTreeMap<String, i64>,
    drift_days: BTreeMap<String, i64>,
}

static RULES: LazyLock<Rules> = LazyLock::new(|| {
    serde_json::from_str(include_str!("../../../data/checks.json"))
        .expect("the rules are part of the program, and tested")
});

/// What was done about a check.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "CheckDid")
)]
#[serde(rename_all = "kebab-case")]
pub enum Did {
    /// It was done.
    Done,
    /// It was put off until a day.
    PutOff,
    /// It is left out from then on, with a reason.
    LeftOut,
    /// It counts again.
    Back,
}

/// What was done about a check, and when.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Record {
    /// The check, by its id.
    pub check: String,
    /// What.
    pub did: Did,
    /// On which day.
    pub on: Date,
    /// Until when it was put off.
    pub until: Option<Date>,
    /// Why it was left out.
    pub why: String,
}

/// A check of one's own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Own {
    /// Its id.
    pub id: String,
    /// What is to be done.
    pub title: String,
    /// The item that it is about; nothing where it is about the whole site.
    pub item: String,
    /// Days between two, 1 to 3660.
    pub every_days: i64,
    /// When it is due first.
    pub first: Date,
}

/// A check.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "DueCheck")
)]
pub struct Check {
    /// Its id, the same for as long as the item is there.
    pub id: String,
    /// The rule that it follows from; `own` where a person made it.
    pub rule: String,
    /// The item that it is about, by id; nothing where it is about the whole site.
    pub item: String,
    /// What is to be done.
    pub title: Sentence,
    /// Why, out of the plan.
    pub reason: Sentence,
    /// Days between two of them.
    pub every_days: i64,
    /// When it is due, as `YYYY-MM-DD`; today where it was never done.
    pub due: String,
    /// When it was done last; none where never.
    pub last: Option<String>,
    /// Days by which it is overdue; 0 where it is not, or was never done.
    pub overdue_days: i64,
    /// Days until it is due; 0 where it is.
    pub in_days: i64,
    /// Whether it was put off.
    pub put_off: bool,
    /// Why it is left out; none where it counts.
    pub left_out: Option<String>,
    /// The bench test that answers it, by its protocol.
    pub protocol: Option<String>,
}

/// An item with a check of a rule.
struct Found {
    rule: &'static Rule,
    item: String,
    /// Stands behind the rule and the item in the id, where an item has several.
    part: String,
    every_days: i64,
    /// The first day of the season in a year that it is done before, as month and day.
    season: Option<Date>,
    /// When it counts as done by itself: a figure that was measured.
    since: Option<Date>,
    fill: Vec<(&'static str, String)>,
}

/// The checks of a plan on a day, the most urgent first. `measured` is when the tests were carried
/// out that figures of the plan were taken from, by their ids.
///
/// ```
/// use ash_pond_core::{keeping::care::due, site::plan::Plan};
/// let plan = Plan::parse(include_str!("../../../../../demo/hollin-lock.plan.json")).unwrap();
/// let checks = due(&plan, &[], &[], &Default::default(), "2026-11-28".parse().unwrap());
/// assert!(checks.iter().any(|it| it.id == "capacity/cabin-bank" && it.reason.contains("Winter storm")));
/// // Nothing is asked for that the kit does not have.
/// assert!(!checks.iter().any(|it| it.rule == "engine-run"));
/// ```
pub fn due(
    plan: &Plan,
    records: &[Record],
    own: &[Own],
    measured: &BTreeMap<String, Date>,
    today: Date,
) -> Vec<Check> {
    let mut checks: Vec<Check> = found(plan, measured)
        .into_iter()
        .map(|it| told(plan, records, &it, today))
        .collect();
    checks.extend(own.iter().map(|it| own_told(plan, records, it, today)));
    checks.truncate(MOST);
    // What is overdue, what was never done, what comes; what is left out last.
    checks.sort_by_key(|it| {
        (
            it.left_out.is_some(),
            -it.overdue_days,
            it.in_days,
            it.id.clone(),
        )
    });
    checks
}

fn days(count: i64) -> Span {
    count.clamp(0, 40_000).days()
}

fn after(from: Date, count: i64) -> Date {
    from.checked_add(days(count)).unwrap_or(Date::MAX)
}

fn days_between(from: Date, to: Date) -> i64 {
    (to - from).get_days().into()
}

/// What the records say of a check: when it was done last, until when it was put off since, and why
/// it is left out.
fn said(records: &[Record], id: &str, today: Date) -> (Option<Date>, Option<Date>, Option<String>) {
    let own = || records.iter().filter(|it| it.check == id && it.on <= today);
    let last = own().filter(|it| it.did == Did::Done).map(|it| it.on).max();
    let since = |it: &&Record| last.is_none_or(|last| it.on >= last);
    let put_off = own()
        .filter(|it| it.did == Did::PutOff)
        .filter(since)
        .filter_map(|it| it.until)
        .max();
    let left = own().rfind(|it| matches!(it.did, Did::LeftOut | Did::Back));
    let left_out = left
        .filter(|it| it.did == Did::LeftOut)
        .map(|it| it.why.clone());
    (last, put_off, left_out)
}

/// The day on which something is due that was done last then.
fn next(last: Option<Date>, every_days: i64, season: Option<Date>, today: Date) -> Date {
    let Some(season) = season else {
        return last.map_or(today, |it| after(it, every_days));
    };
    let day = |year: i16| {
        let begins = Date::new(year, season.month(), season.day().min(28)).unwrap_or(season);
        begins.checked_sub(days(BEFORE_SEASON)).unwrap_or(begins)
    };
    match last {
        // The first season that it was not done for.
        Some(last) => {
            let years = (0..3)
                .map(|it| day(last.year() + it))
                .find(|it| days_between(last, *it) > EARLY);
            years.unwrap_or_else(|| after(last, every_days))
        }
        None => {
            let coming = (0..3)
                .map(|it| day(today.year() + it))
                .find(|it| *it >= today);
            // Within the season it is late, but not too late.
            let this = day(today.year());
            if days_between(this, today) >= 0 && days_between(this, today) < 90 {
                today
            } else {
                coming.unwrap_or(today)
            }
        }
    }
}

fn check(
    (id, rule, item): (String, &str, &str),
    (title, reason): (Sentence, Sentence),
    every_days: i64,
    due: Date,
    (last, put_off, left_out): (Option<Date>, Option<Date>, Option<String>),
    today: Date,
) -> Check {
    let day = put_off.map_or(due, |it| it.max(due));
    let overdue = if last.is_some() || put_off.is_some() {
        days_between(day, today).max(0)
    } else {
        0
    };
    Check {
        id,
        rule: rule.to_owned(),
        item: item.to_owned(),
        title,
        reason,
        every_days,
        due: day.to_string(),
        last: last.map(|it| it.to_string()),
        overdue_days: if left_out.is_some() { 0 } else { overdue },
        in_days: days_between(today, day).max(0),
        put_off: put_off.is_some_and(|it| it > due),
        left_out,
        protocol: None,
    }
}

fn told(plan: &Plan, records: &[Record], it: &Found, today: Date) -> Check {
    let parts = [it.rule.rule.as_str(), it.item.as_str(), it.part.as_str()];
    let id = parts
        .into_iter()
        .filter(|it| !it.is_empty())
        .collect::<Vec<_>>()
        .join("/");
    let (last, put_off, left_out) = said(records, &id, today);
    let last = last.max(it.since);
    let due = next(last, it.every_days, it.season, today);
    let filled = |text: &str| {
        let named = text.replace("{item}", &Name(plan.label(&it.item)).to_string());
        it.fill.iter().fold(named, |text, (key, value)| {
            text.replace(&format!("{{{key}}}"), value)
        })
    };
    let mut title = filled(&it.rule.title);
    if it.rule.rule == "drift" {
        title = format!(
            "{title}, {}",
            it.fill
                .iter()
                .find(|it| it.0 == "figure")
                .map_or("", |it| it.1.as_str())
        );
    }
    let words = (
        Sentence::from(title),
        Sentence::from(filled(&it.rule.reason)),
    );
    Check {
        protocol: it.rule.protocol.clone(),
        ..check(
            (id, &it.rule.rule, &it.item),
            words,
            it.every_days,
            due,
            (last, put_off, left_out),
            today,
        )
    }
}

fn own_told(plan: &Plan, records: &[Record], it: &Own, today: Date) -> Check {
    let (last, put_off, left_out) = said(records, &it.id, today);
    let due = last.map_or(it.first, |last| after(last, it.every_days));
    let reason = if plan.label(&it.item).is_empty() || it.item.is_empty() {
        Sentence::from("A check of one's own.")
    } else {
        Sentence::from(format!(
            "A check of one's own, of {}.",
            Name(plan.label(&it.item))
        ))
    };
    let words = (Sentence::from(Name(&it.title).to_string()), reason);
    let mut made = check(
        (it.id.clone(), "own", &it.item),
        words,
        it.every_days,
        due,
        (last, put_off, left_out),
        today,
    );
    // Its first day was said by a person: beyond it, it is overdue.
    if made.left_out.is_none() && last.is_none() && put_off.is_none() {
        made.overdue_days = days_between(due, today).max(0);
    }
    made
}

fn rule(name: &str) -> &'static Rule {
    RULES
        .rules
        .iter()
        .find(|it| it.rule == name)
        .expect("the rules are part of the program, and tested")
}

fn of(name: &str, item: &str) -> Found {
    let rule = rule(name);
    let (item, part) = (item.to_owned(), String::new());
    Found {
        rule,
        item,
        part,
        every_days: rule.every_days,
        season: None,
        since: None,
        fill: Vec::new(),
    }
}

/// Every check that the kit and its arrangements give rise to.
fn found(plan: &Plan, measured: &BTreeMap<String, Date>) -> Vec<Found> {
    let mut list = Vec::new();
    let used = |id: &str| {
        let own = |way: &Arrangement| {
            way.feeds
                .iter()
                .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id)
        };
        plan.arrangements.iter().any(own)
    };
    let season = season(plan);
    for source in &plan.kit.sources {
        let id = source.id.as_str();
        if let Some(engine) = source
            .engine
            .as_ref()
            .filter(|_| source.kind == SourceKind::Generator)
        {
            list.push(of("engine-run", id));
            let fuel = engine.fuel.map(|it| it.word());
            if let Some(every_days) = fuel.and_then(|it| RULES.fuel_days.get(it)) {
                list.push(Found {
                    every_days: *every_days,
                    ..of("fuel-age", id)
                });
            }
        }
        if source.line.is_some() && used(id) {
            list.push(of("transfer", id));
        }
        let Some(battery) = source
            .battery
            .as_ref()
            .filter(|_| source.kind != SourceKind::Vehicle)
        else {
            continue;
        };
        let Some(chemistry) = chemistry::find(&battery.chemistry) else {
            continue;
        };
        let fed = plan
            .arrangements
            .iter()
            .any(|way| way.feeds.iter().any(|it| it.to.item == source.id));
        // What stands plugged in, or is charged where it is wired, rests full.
        if source.line.is_none() && !fed {
            let least = RULES
                .rests_at_least
                .get(&chemistry.family)
                .copied()
                .unwrap_or(0.5);
            let months = (1.0 - least) / chemistry.self_discharge_per_month.max(1e-4);
            let days = (months * 30.4).clamp(7.0, MOST_TOP_UP).floor();
            #[expect(clippy::cast_possible_truncation, reason = "between a week and a year")]
            let every_days = days as i64;
            let fill = vec![
                (
                    "percent",
                    percent(chemistry.self_discharge_per_month).to_string(),
                ),
                ("months", Amount(months, "").to_string()),
            ];
            list.push(Found {
                every_days,
                fill,
                ..of("top-up", id)
            });
        }
        if chemistry.id == "flooded" {
            list.push(of("water", id));
        }
        if let Some((begins, label)) = season.as_ref().filter(|_| used(id)) {
            let month = begins.strftime("%B").to_string();
            let fill = vec![("season", format!("{} lies in {month}", Name(label)))];
            list.push(Found {
                season: Some(*begins),
                fill,
                ..of("capacity", id)
            });
        }
    }
    burning(plan, &mut list);
    if plan.kit.sources.iter().any(|it| it.battery.is_some()) || !plan.kit.converters.is_empty() {
        list.push(of("smoke-alarm", ""));
    }
    hot_joints(plan, &mut list);
    for way in &plan.arrangements {
        by_hand(way, &mut list);
    }
    let mut fuses: Vec<f64> = plan
        .arrangements
        .iter()
        .flat_map(|it| &it.feeds)
        .filter_map(|it| it.fuse.as_ref())
        .map(|it| it.rating_a.get())
        .collect();
    fuses.sort_by(f64::total_cmp);
    fuses.dedup();
    if !fuses.is_empty() {
        let each: Vec<String> = fuses
            .iter()
            .map(|it| Amount(*it, "A").to_string())
            .collect();
        list.push(Found {
            fill: vec![("fuses", each.join(", "))],
            ..of("spares", "")
        });
    }
    drifting(plan, measured, &mut list);
    list
}

/// Whatever burns fuel near people.
fn burning(plan: &Plan, list: &mut Vec<Found>) {
    let engines = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.kind == SourceKind::Generator);
    let heaters = plan
        .kit
        .devices
        .iter()
        .filter(|it| it.role.as_deref().is_some_and(|it| it.contains("heater")));
    let first = engines
        .map(|it| it.id.as_str())
        .chain(heaters.map(|it| it.id.as_str()))
        .next();
    if let Some(id) = first {
        list.push(Found {
            part: String::new(),
            ..of("co-alarm", id)
        });
    }
}

/// Joints that carry much, in the arrangement in which they carry most.
fn hot_joints(plan: &Plan, list: &mut Vec<Found>) {
    let most = |way: &Arrangement| {
        evaluate(plan, way, &Moment::Busy, &Charge::full()).map_or(0.0, |it| {
            it.feeds
                .values()
                .map(|it| it.amps.abs())
                .fold(0.0, f64::max)
        })
    };
    let all = plan.arrangements.iter().map(|way| (most(way), way));
    let Some((amps, way)) = all
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .filter(|it| it.0 >= FELT_FROM_A)
    else {
        return;
    };
    let heat = amps * amps * BAD_JOINT_OHM;
    let fill = vec![
        ("amps", Amount(amps, "A").to_string()),
        ("watts", Amount(heat, "W").to_string()),
    ];
    list.push(Found {
        fill,
        ..of("hot-joints", way.id.as_str())
    });
}

/// Feeds that the plan counts on being plugged over by hand.
fn by_hand(way: &Arrangement, list: &mut Vec<Found>) {
    for feed in &way.feeds {
        let Some(minutes) = &feed.hand_switchover_minutes else {
            continue;
        };
        let fill = vec![("months", Amount(minutes.get(), "").to_string())];
        let part = if list
            .iter()
            .any(|it| it.rule.rule == "plug-over" && it.item == feed.to.item.as_str())
        {
            way.id.to_string()
        } else {
            String::new()
        };
        list.push(Found {
            part,
            fill,
            ..of("plug-over", feed.to.item.as_str())
        });
    }
}

/// Figures that were measured so long ago that they may have drifted.
fn drifting(plan: &Plan, measured: &BTreeMap<String, Date>, list: &mut Vec<Found>) {
    let Ok(text) = serde_json::to_value(plan) else {
        return;
    };
    for it in figures(&text)
        .into_iter()
        .filter(|it| it.basis == crate::ground::figure::Basis::Measured)
    {
        // What capacity is has a check of its own where there is a season for it.
        let seasonal = list
            .iter()
            .any(|other| other.rule.rule == "capacity" && other.item == it.id);
        if it.kind == "arrangement" || (seasonal && it.path.starts_with("battery.capacity")) {
            continue;
        }
        let ending = it.path.rsplit('.').next().unwrap_or_default();
        let own = RULES
            .drift_days
            .get(&it.path)
            .or_else(|| RULES.drift_days.get(ending));
        let Some(every_days) = own else { continue };
        let figure = text.pointer(&it.pointer);
        let test = figure.and_then(|it| it["test"].as_str());
        let Some(on) = test.and_then(|it| measured.get(it)) else {
            continue;
        };
        let fill = vec![("figure", it.name.clone()), ("date", on.to_string())];
        let part = it.path.clone();
        list.push(Found {
            every_days: *every_days,
            since: Some(*on),
            part,
            fill,
            ..of("drift", &it.id)
        });
    }
}

/// When the season of the outages begins that the plan is made for, and the outage that begins it:
/// behind the longest time of the year without one.
fn season(plan: &Plan) -> Option<(Date, String)> {
    let mut starts: Vec<(i16, Date, &str)> = plan
        .outages
        .iter()
        .map(|it| (it.start.time().date(), it.label.as_str()))
        .map(|(date, label)| (date.day_of_year(), date, label))
        .collect();
    starts.sort();
    let first = *starts.first()?;
    let gap = |index: usize| {
        let before = if index == 0 {
            starts[starts.len() - 1].0 - 365
        } else {
            starts[index - 1].0
        };
        starts[index].0 - before
    };
    let begins = (0..starts.len())
        .max_by_key(|it| gap(*it))
        .map_or(first, |it| starts[it]);
    Some((begins.1, begins.2.to_owned()))
}

impl Own {
    /// Checks what a person made of it.
    ///
    /// # Errors
    /// Names the field and says what would do.
    pub fn checked(self) -> Result<Self, FieldError> {
        if self.title.trim().is_empty() || self.title.chars().count() > 120 {
            return Err(FieldError::of(
                "title",
                "is empty or longer than 120 letters; say what is to be done".to_owned(),
            ));
        }
        if !OWN_DAYS.contains(&self.every_days) {
            let why = format!(
                "is {}; the days between two checks are 1 to 3660",
                self.every_days
            );
            return Err(FieldError::of("every_days", why));
        }
        Ok(self)
    }
}
