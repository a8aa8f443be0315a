//! What a figure was before it is what it is: where each figure of an element stands, what a change
//! of the element changes of them, and which of all that was said of one stands, and why.

use crate::bench::Known;
use crate::ground::figure::Basis;
use crate::ground::say::Sentence;
use crate::site::fields::{named, unit};
use serde_json::Value;
use std::collections::BTreeMap;

/// A figure of an element as it stands in its body.
#[derive(Debug, Clone, PartialEq)]
pub struct Stands<'a> {
    /// Its place by names, which stays where lists around it grow or shrink:
    /// `phases[running].watts`.
    pub place: String,
    /// Its place by numbers: `phases[1].watts`.
    pub path: String,
    /// A number, or an object with a `value`.
    pub figure: &'a Value,
}

/// Every figure of an element, by its place by names.
///
/// ```
/// use ash_pond_core::bench::past::stands;
/// let body = serde_json::json!({"phases": [{"when": "busy", "watts": 9}, {"when": "busy", "watts": {"value": 4}}]});
/// let places: Vec<_> = stands(&body).into_iter().map(|it| (it.place, it.path)).collect();
/// assert_eq!(places[0], ("phases[busy].watts".into(), "phases[0].watts".into()));
/// assert_eq!(places[1], ("phases[busy 2].watts".into(), "phases[1].watts".into()));
/// ```
pub fn stands(body: &Value) -> Vec<Stands<'_>> {
    let mut found = Vec::new();
    walk(body, "", "", &mut found);
    found
}

fn walk<'a>(value: &'a Value, place: &str, path: &str, found: &mut Vec<Stands<'a>>) {
    let is_figure = |it: &Value| it.is_number() || it.get("value").is_some_and(Value::is_number);
    match value {
        _ if is_figure(value) && !path.is_empty() => {
            found.push(Stands {
                place: place.to_owned(),
                path: path.to_owned(),
                figure: value,
            });
        }
        Value::Object(fields) => {
            let under = |at: &str, key: &str| {
                if at.is_empty() {
                    key.to_owned()
                } else {
                    format!("{at}.{key}")
                }
            };
            for (key, inner) in fields {
                walk(inner, &under(place, key), &under(path, key), found);
            }
        }
        Value::Array(list) => {
            let mut seen: BTreeMap<String, usize> = BTreeMap::new();
            for (index, inner) in list.iter().enumerate() {
                let own = named(inner, index);
                let times = seen.entry(own.clone()).or_default();
                *times += 1;
                let own = if *times > 1 {
                    format!("{own} {times}")
                } else {
                    own
                };
                walk(
                    inner,
                    &format!("{place}[{own}]"),
                    &format!("{path}[{index}]"),
                    found,
                );
            }
        }
        _ => {}
    }
}

/// A figure that a change of its element changes.
#[derive(Debug, Clone, PartialEq)]
pub struct Changed {
    /// Its place by names.
    pub place: String,
    /// What it was; none where nothing was stated.
    pub before: Option<Value>,
    /// What it is; none where nothing is stated any more.
    pub after: Option<Value>,
}

/// What a change of an element changes of its figures. What stood in an entry that is gone or new
/// is none of it.
pub fn changed(before: &Value, after: &Value) -> Vec<Changed> {
    let of = |body: &Value| -> BTreeMap<String, Value> {
        stands(body)
            .into_iter()
            .map(|it| (it.place, it.figure.clone()))
            .collect()
    };
    let (old, new) = (of(before), of(after));
    let places: std::collections::BTreeSet<&String> = old.keys().chain(new.keys()).collect();
    let entry = |place: &str| place.rfind(']').map(|it| place[..=it].to_owned());
    let has =
        |list: &BTreeMap<String, Value>, entry: &str| list.keys().any(|it| it.starts_with(entry));
    let stays = |place: &str| entry(place).is_none_or(|it| has(&old, &it) && has(&new, &it));
    let change = |place: &String| {
        let (before, after) = (old.get(place).cloned(), new.get(place).cloned());
        // However it is written, the same is the same.
        let said = |it: &Option<Value>| it.as_ref().and_then(Said::of);
        (said(&before) != said(&after) && stays(place)).then(|| Changed {
            place: place.clone(),
            before,
            after,
        })
    };
    places.into_iter().filter_map(change).collect()
}

/// What was said of a figure.
#[derive(Debug, Clone, PartialEq)]
pub struct Said {
    /// Its value, in its unit.
    pub value: f64,
    /// Half-width of its 95 % interval; none where nobody said.
    pub plus_minus: Option<f64>,
    /// Where it comes from.
    pub basis: Basis,
    /// The sum or the circumstance behind it.
    pub note: Option<String>,
    /// The test of the bench that it was taken from.
    pub test: Option<String>,
}

impl Said {
    /// A figure as it stands in a body; none where that is no number.
    pub fn of(figure: &Value) -> Option<Self> {
        let value = figure.as_f64().or_else(|| figure.get("value")?.as_f64())?;
        let text = |key: &str| figure.get(key).and_then(Value::as_str).map(str::to_owned);
        let word = text("basis").unwrap_or_default();
        Some(Self {
            value,
            plus_minus: figure.get("plus_minus").and_then(Value::as_f64),
            basis: Basis::ALL
                .iter()
                .copied()
                .find(|it| it.word() == word)
                .unwrap_or(Basis::Assumed),
            note: text("note"),
            test: text("test"),
        })
    }

    fn words(&self, unit: &str) -> String {
        Known {
            value: self.value,
            plus_minus: self.plus_minus.unwrap_or(0.0),
        }
        .words(unit)
    }

    fn from(&self) -> &'static str {
        match (self.basis, &self.test) {
            (Basis::Measured, Some(_)) => "measured by its test",
            (Basis::Measured, None) => "measured",
            (Basis::Datasheet, _) => "from its datasheet",
            (Basis::Label, _) => "from its label",
            (Basis::Assumed, _) => "assumed",
        }
    }
}

/// How sure what comes from there is, beside the others.
fn rank(basis: Basis) -> u8 {
    match basis {
        Basis::Assumed => 0,
        Basis::Label => 1,
        Basis::Datasheet => 2,
        Basis::Measured => 3,
    }
}

/// Which of all that was said of a figure stands, and why: what it is `now`, what it was before,
/// the earliest first, and what a test measured that was not taken, with the day on which it did.
pub fn which(
    key: &str,
    now: Option<&Said>,
    before: &[Said],
    unused: Option<(&Said, &str)>,
) -> Sentence {
    let unit = unit(key);
    let last = before.iter().rev().find(|it| now != Some(*it));
    let told = match (now, last) {
        (None, None) => "Nothing was ever stated.".to_owned(),
        (None, Some(last)) => format!(
            "Nothing is stated any more; it was {}, {}.",
            last.words(unit),
            last.from()
        ),
        (Some(now), None) => format!(
            "{}, {}, stands; nothing else was said of it.",
            now.words(unit),
            now.from()
        ),
        (Some(now), Some(last)) => {
            let why = match rank(now.basis).cmp(&rank(last.basis)) {
                std::cmp::Ordering::Greater if now.basis == Basis::Measured => {
                    "what is measured comes before what is not"
                }
                std::cmp::Ordering::Greater => "what is stated comes before what is assumed",
                std::cmp::Ordering::Less => "it was typed over what was surer",
                std::cmp::Ordering::Equal if now.basis == Basis::Measured => {
                    "it is the later measurement"
                }
                std::cmp::Ordering::Equal => "it was changed by hand",
            };
            let (own, was) = (now.words(unit), last.words(unit));
            format!(
                "{own}, {}, stands in place of {was}, {}: {why}.",
                now.from(),
                last.from()
            )
        }
    };
    let unused = unused.map(|(it, day)| {
        format!(
            " A test of {day} says {}, and is not in use.",
            it.words(unit)
        )
    });
    (told + &unused.unwrap_or_default()).into()
}
