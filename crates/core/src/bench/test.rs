//! A test as it is entered and kept, what comes of it, and its figures put into the plan and taken
//! out again.

use super::case::{Case, Element, Subject, Test};
use super::meter::Instrument;
use super::meter::Reading;
use super::methods;
use super::outcome::{Outcome, Question};
use super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::ground::say::Name;
use crate::site::plan::Plan;
use serde_json::{Value, json};

/// The columns of a test: those of its protocol, or one for each thing that the arrangement has.
pub fn readings(plan: &Plan, test: &Test) -> Vec<Reading> {
    let Some(protocol) = Protocol::named(&test.protocol) else {
        return Vec::new();
    };
    methods::own_readings(protocol, plan, test).unwrap_or_else(|| {
        super::guides()
            .iter()
            .find(|it| it.protocol == protocol)
            .map_or_else(Vec::new, |it| it.readings.clone())
    })
}

/// What comes of a test of this plan.
///
/// # Errors
/// Where the test names something that is not there, or its readings cannot be; names the field.
pub fn outcome(plan: &Plan, test: &Test) -> Result<Outcome, FieldError> {
    let unknown = || {
        FieldError::of(
            "protocol",
            format!("is \"{}\"; there is no such test", test.protocol),
        )
    };
    let protocol = Protocol::named(&test.protocol).ok_or_else(unknown)?;
    let element = element(plan, &test.of)?;
    for (index, row) in test.rows.iter().enumerate() {
        if row
            .values
            .iter()
            .flatten()
            .any(|it| !it.is_finite() || it.abs() > 1e6)
        {
            return Err(FieldError::of(
                "rows",
                format!("row {} holds a number that no meter shows", index + 1),
            ));
        }
    }
    if protocol != Protocol::Capacity {
        let given = [
            ("place", test.place.is_some()),
            ("counted", test.counted.is_some()),
            ("quit", test.quit.is_some()),
            ("battery_c", test.battery_c.is_some()),
        ];
        if let Some((field, _)) = given.iter().find(|it| it.1) {
            return Err(FieldError::of(
                field,
                format!(
                    "belongs to a capacity test; leave it out of \"{}\"",
                    test.protocol
                ),
            ));
        }
    }
    let mut found = methods::judge(
        protocol,
        &Case {
            plan,
            test,
            element,
        },
    )?;
    found.questions.extend(finer_than_shown(test));
    Ok(found)
}

/// Readings that lie between two steps of the display of the meter that somebody described: typed
/// by heart, read off another meter, or the step is described wrongly.
fn finer_than_shown(test: &Test) -> Vec<Question> {
    let mut asked = Vec::new();
    for (row, read) in test
        .rows
        .iter()
        .enumerate()
        .filter(|it| it.1.struck.is_none())
    {
        let pairs = test.meters.iter().zip(&read.values);
        let between = |(meter, value): &(&Instrument, &Option<f64>)| {
            let steps = value.map_or(0.0, |it| it / meter.step);
            meter.name.is_some() && meter.step > 0.0 && (steps - steps.round()).abs() > 1e-3
        };
        asked.extend(pairs.into_iter().find(between).and_then(|(meter, value)| {
            let sentence = format!(
                "{} read on {}, whose display has steps of {}: is it that meter?",
                value.as_ref()?,
                Name(meter.name.as_deref()?),
                meter.step
            );
            Some(Question {
                row,
                sentence: sentence.into(),
            })
        }));
    }
    asked
}

fn element(plan: &Plan, of: &Subject) -> Result<Element, FieldError> {
    let missing = || {
        FieldError::of(
            "of",
            format!("names the {} \"{}\", which is not there", of.kind, of.id),
        )
    };
    let body = match of.kind.as_str() {
        "device" => plan.device(&of.id).map(serde_json::to_value),
        "source" => plan.source(&of.id).map(serde_json::to_value),
        "converter" => plan.converter(&of.id).map(serde_json::to_value),
        "arrangement" => plan.arrangement(&of.id).map(serde_json::to_value),
        _ => None,
    };
    let body = body.and_then(Result::ok).ok_or_else(missing)?;
    let at = match (of.kind.as_str(), &of.part) {
        (_, None) => String::new(),
        (kind, Some(part)) => {
            let lists: &[(&str, &str)] = match kind {
                "arrangement" => &[("feeds", "to")],
                "converter" => &[("outputs", "id"), ("groups", "id")],
                _ => &[("ports", "id"), ("groups", "id"), ("inputs", "id")],
            };
            let found = lists.iter().find_map(|(list, key)| {
                let index = body[list]
                    .as_array()?
                    .iter()
                    .position(|it| it[key] == **part)?;
                Some(format!("/{list}/{index}"))
            });
            found.ok_or_else(|| {
                FieldError::of(
                    "of",
                    format!("names \"{part}\", which \"{}\" does not have", of.id),
                )
            })?
        }
    };
    Ok(Element { body, at })
}

/// The tested element with the figures of a test in it, each marked as measured and with the test's
/// id.
///
/// # Errors
/// Where the test does not give a figure yet.
pub fn with_figures(plan: &Plan, test: &Test, id: &str) -> Result<Value, FieldError> {
    let given = outcome(plan, test)?;
    if given.figures.is_empty() && given.lists.is_empty() {
        return Err(FieldError::of(
            "rows",
            format!("give no figure to use yet: {}", given.sentence),
        ));
    }
    let mut body = element(plan, &test.of)?.body;
    for it in &given.figures {
        let figure = json!({"value": it.value, "plus_minus": it.plus_minus, "basis": "measured",
            "test": id});
        put(&mut body, &it.pointer, figure);
    }
    for it in given.lists {
        let mut list = it.value;
        mark(&mut list, id);
        put(&mut body, &it.pointer, list);
    }
    Ok(body)
}

/// Writes a test's id into every figure of a list that was measured.
fn mark(value: &mut Value, id: &str) {
    match value {
        Value::Object(fields) if fields.get("basis").is_some_and(|it| it == "measured") => {
            fields.entry("test").or_insert_with(|| json!(id));
        }
        Value::Object(fields) => fields.values_mut().for_each(|it| mark(it, id)),
        Value::Array(list) => list.iter_mut().for_each(|it| mark(it, id)),
        _ => {}
    }
}

/// The same element with what a test replaced put back: pairs of a pointer and what stood there,
/// null for nothing.
pub fn put_back(body: &mut Value, replaced: &[(String, Value)]) {
    for (pointer, value) in replaced {
        put(body, pointer, value.clone());
    }
}

/// What stands at the places that a test's figures go to: null for nothing.
pub fn replaced(plan: &Plan, test: &Test) -> Result<Vec<(String, Value)>, FieldError> {
    let given = outcome(plan, test)?;
    let body = element(plan, &test.of)?.body;
    let pointers = given
        .figures
        .iter()
        .map(|it| &it.pointer)
        .chain(given.lists.iter().map(|it| &it.pointer));
    Ok(pointers
        .map(|it| (it.clone(), body.pointer(it).cloned().unwrap_or_default()))
        .collect())
}

/// Writes a value at a JSON pointer, making the objects on its way; null takes it away.
fn put(body: &mut Value, pointer: &str, value: Value) {
    let Some((parent, key)) = pointer.rsplit_once('/') else {
        return;
    };
    let mut at = body;
    for part in parent.split('/').skip(1) {
        let next = match part.parse::<usize>() {
            Ok(index) if at.is_array() => at.get_mut(index),
            _ => {
                if !at.is_object() {
                    return;
                }
                at.as_object_mut()
                    .map(|it| it.entry(part.to_owned()).or_insert_with(|| json!({})))
            }
        };
        match next {
            Some(found) => at = found,
            None => return,
        }
    }
    if let Some(fields) = at.as_object_mut() {
        if value.is_null() {
            fields.remove(key);
        } else {
            fields.insert(key.to_owned(), value);
        }
    }
}
