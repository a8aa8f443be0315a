//! What a change does to one arrangement, before it is made.

use crate::ground::json::words;
use crate::ground::say::{Amount, Name, Sentence};
use crate::limits::{Code, Finding, Status, Study};
use crate::network::{Charge, Moment, evaluate};
use crate::site::parts::parts;
use crate::site::plan::{Arrangement, Plan};
use crate::time::day::{Use, turns_by_hand};
use serde::Serialize;
use std::collections::BTreeMap;

/// A device that gets less than this share less in a day is not told of.
const LESS: f64 = 0.05;

words!(
    /// Whether a change is for the better.
    Turn {
        /// It is.
        Better = "better",
        /// It is not.
        Worse = "worse",
        /// It is a matter of taste, or of what follows.
        Other = "other",
    }
);

/// What a change does.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Difference {
    /// The numbers that change, the verdict apart.
    pub rows: Vec<Row>,
    /// What is not well before, and is after, in sentences.
    pub mended: Vec<Sentence>,
    /// What is well before, and is not after, worst first.
    pub broken: Vec<Broken>,
    /// The worst verdict before.
    pub before: Status,
    /// The worst verdict after.
    pub after: Status,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// A number that changes.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Row {
    /// What it is.
    pub name: String,
    /// Its unit.
    pub unit: String,
    /// Before; none where there was none.
    pub before: Option<f64>,
    /// After; none where there is none.
    pub after: Option<f64>,
    /// Whether that is for the better.
    pub turn: Turn,
}

/// Something that the change breaks or makes worse.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Broken {
    /// How bad it is.
    pub status: Status,
    /// What kind of limit it is.
    pub code: Code,
    /// Where it is.
    #[serde(rename = "where")]
    pub place: String,
    /// In a sentence.
    pub message: Sentence,
}

/// Which way a number is better.
#[derive(Clone, Copy)]
enum Better {
    More,
    Less,
    Neither,
}

/// What becomes of an arrangement, from how it stands in `before` to how it stands in `after`, at
/// `charge`.
pub fn difference(
    before: (&Plan, &Arrangement),
    after: (&Plan, &Arrangement),
    charge: &Charge,
) -> Difference {
    let (was, is) = (
        State::of(before.0, before.1, charge),
        State::of(after.0, after.1, charge),
    );
    let mut rows = Vec::new();
    let mut row = |name: &str, unit: &str, of: &dyn Fn(&State) -> Option<f64>, better: Better| {
        rows.extend(changed(name, unit, of(&was), of(&is), better));
    };
    row("drawn while running", "W", &|it| it.running_w, Better::Less);
    row("a day", "Wh", &|it| Some(it.day_wh), Better::Less);
    row(
        "only for being on, a day",
        "Wh",
        &|it| Some(it.idle_wh),
        Better::Less,
    );
    row("to the first floor", "h", &|it| it.floor_h, Better::More);
    row(
        "actions by hand, a day",
        "",
        &|it| Some(it.turns),
        Better::Less,
    );
    for (id, label) in devices(&was, &is) {
        // What only draws otherwise at another voltage is not told.
        if State::parts_in_what_is_got(&was, &is, &id) > LESS {
            row(
                &format!("{label} gets, a day"),
                "Wh",
                &|it| it.got.get(&id).copied(),
                Better::More,
            );
        }
        row(
            &format!("{label}, at worst"),
            "V",
            &|it| it.volts(&id),
            Better::Neither,
        );
    }
    row(
        "converters",
        "",
        &|it| Some(it.converters as f64),
        Better::Less,
    );
    row(
        "price of the converters",
        before.0.currency(),
        &|it| it.price,
        Better::Less,
    );
    row(
        "weight of the converters",
        "kg",
        &|it| it.weight_kg,
        Better::Less,
    );
    let worse = |status: Status, it: &Finding, list: &[Finding]| {
        !list
            .iter()
            .any(|other| same(it, other) && other.status >= status)
    };
    let not_well = |list: &[Finding]| {
        list.iter()
            .filter(|it| it.status > Status::Holds)
            .cloned()
            .collect::<Vec<_>>()
    };
    let (was_bad, is_bad) = (not_well(&was.findings), not_well(&is.findings));
    let mended: Vec<Sentence> = was_bad
        .iter()
        .filter(|it| worse(it.status, it, &is_bad))
        .map(|it| it.message.clone())
        .collect();
    let broken: Vec<Broken> = is_bad
        .iter()
        .filter(|it| worse(it.status, it, &was_bad))
        .map(|it| Broken {
            status: it.status,
            code: it.code,
            place: it.place.clone(),
            message: it.message.clone(),
        })
        .collect();
    let sentence = sentence(&rows, &mended, &broken, was.worst(), is.worst());
    Difference {
        rows,
        mended,
        broken,
        before: was.worst(),
        after: is.worst(),
        sentence: sentence.into(),
    }
}

/// Whether two findings are of one limit.
fn same(one: &Finding, other: &Finding) -> bool {
    one.code == other.code && one.place == other.place && one.unit == other.unit
}

struct State {
    running_w: Option<f64>,
    day_wh: f64,
    idle_wh: f64,
    floor_h: Option<f64>,
    /// What each device gets in a day, Wh.
    got: BTreeMap<String, f64>,
    /// Actions a day that a person must do.
    turns: f64,
    volts: Vec<(String, String, f64)>,
    converters: usize,
    price: Option<f64>,
    weight_kg: Option<f64>,
    findings: Vec<Finding>,
}

impl State {
    fn of(plan: &Plan, way: &Arrangement, charge: &Charge) -> Self {
        let study = Study::of(plan, way);
        let used = Use::day(plan, way, study.network());
        let (usage, parts) = (used.usage(charge), parts(plan, way));
        let named = |it: crate::limits::DeviceVerdict| {
            (
                it.device.clone(),
                plan.label(&it.device).to_owned(),
                it.lowest_v,
            )
        };
        Self {
            running_w: evaluate(plan, way, &Moment::Running, charge)
                .ok()
                .map(|it| it.totals.drawn_w),
            day_wh: usage.drawn_wh,
            idle_wh: usage.idle_wh,
            floor_h: used
                .lasting(charge)
                .values()
                .filter_map(|it| it.to_floor_h)
                .reduce(f64::min),
            got: usage.devices.clone(),
            turns: turns_by_hand(plan, way),
            volts: study
                .device_verdicts(charge)
                .into_iter()
                .map(named)
                .collect(),
            converters: parts.converters,
            price: parts.price,
            weight_kg: parts.weight_kg,
            findings: study.findings(None),
        }
    }

    /// By how much what a device gets changes, as a share of the more of the two.
    fn parts_in_what_is_got(one: &Self, other: &Self, id: &str) -> f64 {
        let of = |it: &Self| it.got.get(id).copied();
        let (Some(a), Some(b)) = (of(one), of(other)) else {
            return 0.0;
        };
        (a - b).abs() / a.max(b).max(f64::MIN_POSITIVE)
    }

    fn volts(&self, id: &str) -> Option<f64> {
        self.volts.iter().find(|it| it.0 == id).map(|it| it.2)
    }

    fn worst(&self) -> Status {
        self.findings.first().map_or(Status::Holds, |it| it.status)
    }
}

/// Every device of either state, with its name.
fn devices(was: &State, is: &State) -> Vec<(String, String)> {
    let mut list: Vec<(String, String)> = Vec::new();
    for (id, label, _) in was.volts.iter().chain(&is.volts) {
        if !list.iter().any(|it| it.0 == *id) {
            list.push((id.clone(), label.clone()));
        }
    }
    list
}

/// A row, where the number changes by more than anyone could read.
fn changed(
    name: &str,
    unit: &str,
    before: Option<f64>,
    after: Option<f64>,
    better: Better,
) -> Option<Row> {
    let seen = |a: f64, b: f64| (a - b).abs() > 1e-4 * a.abs().max(b.abs()).max(0.1);
    let turn = match (before, after) {
        (None, None) => return None,
        (Some(a), Some(b)) if !seen(a, b) => return None,
        (Some(a), Some(b)) => match better {
            Better::Neither => Turn::Other,
            Better::More if b > a => Turn::Better,
            Better::Less if b < a => Turn::Better,
            _ => Turn::Worse,
        },
        _ => Turn::Other,
    };
    Some(Row {
        name: name.to_owned(),
        unit: unit.to_owned(),
        before,
        after,
        turn,
    })
}

fn sentence(
    rows: &[Row],
    mended: &[Sentence],
    broken: &[Broken],
    before: Status,
    after: Status,
) -> String {
    let mut said = Vec::new();
    if let Some((a, b)) = rows
        .iter()
        .find(|it| it.name == "a day")
        .and_then(|it| it.before.zip(it.after))
    {
        let word = if b > a { "more" } else { "less" };
        said.push(format!("{} {word} a day", Amount((b - a).abs(), "Wh")));
    }
    let volts = rows
        .iter()
        .filter(|it| it.unit == "V")
        .filter_map(|it| Some((it, it.before?, it.after?)));
    if let Some((row, a, b)) = volts.max_by(|a, b| (a.2 - a.1).abs().total_cmp(&(b.2 - b.1).abs()))
    {
        said.push(format!(
            "{}: {} to {}",
            row.name,
            Amount(a, ""),
            Amount(b, "V")
        ));
    }
    let less = rows
        .iter()
        .filter(|it| it.name.ends_with(" gets, a day") && it.turn == Turn::Worse);
    let less = less.filter_map(|it| Some((it, it.before?, it.after?)));
    if let Some((row, a, b)) = less.max_by(|a, b| (a.1 - a.2).total_cmp(&(b.1 - b.2))) {
        let label = row.name.trim_end_matches(" gets, a day");
        said.push(format!(
            "{} gets {} a day instead of {}",
            Name(label),
            Amount(b, "Wh"),
            Amount(a, "Wh")
        ));
    }
    if before != after {
        said.push(format!(
            "the worst verdict goes from “{}” to “{}”",
            before.word(),
            after.word()
        ));
    }
    match (mended.len(), broken.len()) {
        (0, 0) => {}
        (n, 0) => said.push(format!("{n} mended")),
        (0, n) => said.push(format!("{n} made worse")),
        (n, m) => said.push(format!("{n} mended, {m} made worse")),
    }
    let mut text = if said.is_empty() {
        "Nothing changes".to_owned()
    } else {
        said.join("; ")
    };
    if let Some(first) = text.get(..1).map(str::to_uppercase) {
        text.replace_range(..1, &first);
    }
    text + "."
}
