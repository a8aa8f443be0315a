//! A test as it is kept, and what tests share that look at one.

use super::digest::Digest;
use super::meter::{Instrument, Known, student};
use super::outcome::{Given, GivenList, Question};
use crate::ground::json::FieldError;
use crate::ground::say::Amount;
use crate::site::battery::nominal_v;
use crate::site::plan::{Battery, Plan};
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// What is tested.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Subject {
    /// The element's kind: device, source, converter or arrangement.
    pub kind: String,
    /// Its id.
    pub id: String,
    /// The port, group or input of a source, the output of a converter, or what a lead of an
    /// arrangement leads to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<String>,
}

/// A row of readings, in the order of the protocol's columns.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "schema", schemars(rename = "ReadingsRow"))]
pub struct Row {
    /// The readings; null where one was left out.
    pub values: Vec<Option<f64>>,
    /// Why the row does not count; it is kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub struck: Option<String>,
}

/// A test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Test {
    /// Which test it is, by its word.
    pub protocol: String,
    /// What is tested.
    pub of: Subject,
    /// The meter of each column, in the order of the test's columns.
    #[serde(default)]
    pub meters: Vec<Instrument>,
    /// The rows.
    #[serde(default)]
    pub rows: Vec<Row>,
    /// What was found in the file of a logger or a scope, which is kept beside the test.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<Digest>,
    /// Of a capacity test, where its meter stood: `terminals` or the id of a port; at the terminals
    /// where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<String>,
    /// Of a capacity test, whether the meter counts watt-hours instead of showing volts and
    /// amperes; on alternating current it always does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub counted: Option<bool>,
    /// Of a capacity test, what gave up before the store did, in words; the store then holds at
    /// least what was measured.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub quit: Option<String>,
    /// Of a capacity test, how warm the battery was, °C: what it gave is brought to 25 °C by its
    /// chemistry. Taken as it is where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub battery_c: Option<f64>,
    /// Conditions, in words: temperature, place, what hung on it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// An element as JSON, and where in it the tested part stands.
pub(super) struct Element {
    pub(super) body: Value,
    /// JSON pointer of the port, the group, the input, the output or the feed; empty for the
    /// element itself.
    pub(super) at: String,
}

impl Element {
    /// The figure at a place: its value, and the test that it comes from.
    fn now(&self, pointer: &str) -> (Option<f64>, Option<String>) {
        let Some(found) = self.body.pointer(pointer) else {
            return (None, None);
        };
        let value = found.as_f64().or_else(|| found["value"].as_f64());
        (value, found["test"].as_str().map(str::to_owned))
    }
}

/// The test that a part of an element comes from: the first one named in it.
fn test_in(value: &Value) -> Option<&str> {
    match value {
        Value::Object(fields) => fields
            .get("test")
            .and_then(Value::as_str)
            .or_else(|| fields.values().find_map(test_in)),
        Value::Array(list) => list.iter().find_map(test_in),
        _ => None,
    }
}

/// A test with what it is judged against.
pub(super) struct Case<'a> {
    pub(super) plan: &'a Plan,
    pub(super) test: &'a Test,
    pub(super) element: Element,
}

impl Case<'_> {
    /// The meter of a column; one that is never off where nobody said.
    pub(super) fn meter(&self, column: usize) -> &Instrument {
        static NONE: Instrument = Instrument {
            name: None,
            share: 0.0,
            fixed: 0.0,
            step: 0.0,
        };
        self.test.meters.get(column).unwrap_or(&NONE)
    }

    /// The rows that count, with their places, each reading with what its meter may be off; those
    /// with gaps are left out.
    pub(super) fn rows(&self, columns: usize) -> Vec<(usize, Vec<Known>)> {
        let rows = self
            .test
            .rows
            .iter()
            .enumerate()
            .filter(|it| it.1.struck.is_none());
        rows.filter_map(|(place, row)| {
            let read = |index: usize| Some(self.meter(index).read((*row.values.get(index)?)?));
            Some((place, (0..columns).map(read).collect::<Option<Vec<_>>>()?))
        })
        .collect()
    }

    /// A figure for the plan, at a place below the tested part.
    pub(super) fn given(&self, name: &str, unit: &str, below: &str, known: Known) -> Given {
        self.given_at(name, unit, format!("{}{below}", self.element.at), known)
    }

    /// A figure for the plan, at a place in the element.
    pub(super) fn given_at(&self, name: &str, unit: &str, pointer: String, known: Known) -> Given {
        let (now, now_test) = self.element.now(&pointer);
        let (name, unit) = (name.to_owned(), unit.to_owned());
        Given {
            name,
            unit,
            value: known.value,
            plus_minus: known.plus_minus,
            now,
            now_test,
            pointer,
        }
    }

    /// A list for the plan, at a place below the tested part.
    pub(super) fn given_list(
        &self,
        name: &str,
        words: String,
        below: &str,
        value: Value,
    ) -> GivenList {
        let pointer = format!("{}{below}", self.element.at);
        let now_test = self
            .element
            .body
            .pointer(&pointer)
            .and_then(test_in)
            .map(str::to_owned);
        GivenList {
            name: name.to_owned(),
            words: words.into(),
            value,
            now_test,
            pointer,
        }
    }

    /// The tested part.
    pub(super) fn part(&self) -> &Value {
        self.element
            .body
            .pointer(&self.element.at)
            .unwrap_or(&Value::Null)
    }

    /// The battery of the tested source.
    pub(super) fn battery(&self) -> Result<&Battery, FieldError> {
        let source = self.plan.source(&self.test.of.id);
        source.and_then(|it| it.battery.as_ref()).ok_or_else(|| {
            FieldError::of(
                "of",
                format!(
                    "\"{}\" stores nothing; choose a source with a battery",
                    self.test.of.id
                ),
            )
        })
    }
}

/// What a full battery holds by its figures: its energy, or its ampere-hours at the nominal voltage
/// of its chemistry; with what that may be off, or a tenth where it is not stated. Wh.
pub(crate) fn full_wh(battery: &Battery) -> Option<Known> {
    let known = |value: f64, off: Option<f64>| Known {
        value,
        plus_minus: off.unwrap_or(0.1 * value),
    };
    if let Some(it) = &battery.energy_wh {
        return Some(known(it.get(), it.plus_minus));
    }
    let ah = battery.capacity_ah.as_ref()?;
    Some(known(ah.get(), ah.plus_minus).scaled(nominal_v(battery)?))
}

/// The mean of readings of one thing: what the meter may be off does not shrink with their number,
/// their scatter does.
pub(super) fn mean(of: &[Known]) -> Known {
    let n = of.len() as f64;
    let value = of.iter().map(|it| it.value).sum::<f64>() / n;
    let own = of.iter().map(|it| it.plus_minus).sum::<f64>() / n;
    if of.len() < 2 {
        return Known {
            value,
            plus_minus: own,
        };
    }
    let spread = (of.iter().map(|it| (it.value - value).powi(2)).sum::<f64>() / (n - 1.0)).sqrt();
    Known {
        value,
        plus_minus: own.hypot(student(of.len() - 1) * spread / n.sqrt()),
    }
}

/// Rows further from the others' mean than three times what those scatter.
pub(super) fn odd_rows(of: &[(usize, Known)], unit: &'static str) -> Vec<Question> {
    if of.len() < 4 {
        return Vec::new();
    }
    let odd = |index: usize| {
        let others: Vec<f64> = of
            .iter()
            .enumerate()
            .filter(|it| it.0 != index)
            .map(|it| it.1.1.value)
            .collect();
        let mean = others.iter().sum::<f64>() / others.len() as f64;
        let spread = (others.iter().map(|it| (it - mean).powi(2)).sum::<f64>()
            / (others.len() - 1) as f64)
            .sqrt();
        let (place, read) = of[index];
        let far = (read.value - mean).abs();
        (far > (3.0 * spread).max(read.plus_minus)).then(|| Question {
            row: place,
            sentence: format!(
                "{} here, {} in the other rows: is it right?",
                Amount(read.value, unit),
                Amount(mean, unit)
            )
            .into(),
        })
    };
    (0..of.len()).filter_map(odd).collect()
}
