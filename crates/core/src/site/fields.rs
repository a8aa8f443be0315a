//! The fields of a plan in words, and what a change of them does: "Gate camera: busy 9 → 9.4 W,
//! measured".

use crate::ground::say::{Measured, Sentence, amount};
use serde_json::Value;

/// Fields that a sentence can still be read with.
const MOST_FIELDS: usize = 3;

/// Fields of an entry of a list that are told.
const MOST_ENTRY: usize = 5;

/// The unit that a field's name ends in, as it is written behind a number; empty for none.
///
/// ```
/// use ash_pond_core::site::fields::unit;
/// assert_eq!((unit("length_m"), unit("watts"), unit("share"), unit("area_mm2")), ("m", "W", "", "mm²"));
/// ```
pub fn unit(key: &str) -> &'static str {
    match key {
        "watts" => "W",
        "wh" => "Wh",
        "seconds" => "s",
        "minutes" => "min",
        "hours" => "h",
        _ => match key.rsplit_once('_').map(|it| it.1) {
            Some("w") => "W",
            Some("v") => "V",
            Some("a") => "A",
            Some("ohm") => "Ω",
            Some("wh") => "Wh",
            Some("ah") => "Ah",
            Some("s") => "s",
            Some("ms") => "ms",
            Some("h") => "h",
            Some("c") => "°C",
            Some("m") => "m",
            Some("mm2") => "mm²",
            Some("kg") => "kg",
            Some("l") => "l",
            Some("hz") => "Hz",
            Some("deg") => "°",
            _ => "",
        },
    }
}

/// A place in words: the names of lists are left out, units are cut off, watts go without saying.
///
/// ```
/// use ash_pond_core::site::fields::join;
/// assert_eq!(join("busy", "watts"), "busy");
/// assert_eq!(join("gate-camera", "length_m"), "gate-camera length");
/// assert_eq!(join("", "idle_w"), "idle draw");
/// assert_eq!(join("starting", "seconds"), "starting time");
/// assert_eq!(join("after loss", "seconds"), "time to come back");
/// ```
pub fn join(name: &str, key: &str) -> String {
    let plain = match key.rsplit_once('_') {
        Some((stem, _)) if !unit(key).is_empty() => stem,
        Some((stem, "soc")) => stem,
        _ => key,
    };
    let plain = match key {
        "continuous_a" | "continuous_w" => "limit".to_owned(),
        "up_to_a" | "up_to_w" => if is_level(name) { "up to" } else { "overload" }.to_owned(),
        "for_s" if is_level(name) => "time".to_owned(),
        "seconds" if name == "after loss" => return "time to come back".to_owned(),
        "seconds" if !name.is_empty() => "time".to_owned(),
        "share" if !name.is_empty() => "share of the time".to_owned(),
        "internal_ohm_at_c" => "temperature of its resistance".to_owned(),
        "max_discharge_a" => "most discharge current".to_owned(),
        "max_charge_a" => "most charging current".to_owned(),
        "min_v" => "least volts".to_owned(),
        "max_v" => "most volts".to_owned(),
        "proportional" => "loss with the load".to_owned(),
        "quadratic_per_w" => "loss with the load's square".to_owned(),
        "idle_w" => "idle draw".to_owned(),
        "internal_ohm" => "internal resistance".to_owned(),
        "contact_ohm" => "contact resistance".to_owned(),
        "transfer_ms" => "transfer time".to_owned(),
        "return_ms" => "return time".to_owned(),
        "ride_through_ms" => "ride-through".to_owned(),
        "cut_off_v" => "cut-off".to_owned(),
        "wh" => "filling".to_owned(),
        "standby_w" => "standby".to_owned(),
        "night_w" => "draw by night".to_owned(),
        "charge_v" => "charging volts".to_owned(),
        "float_v" => "float volts".to_owned(),
        "equalise_v" => "equalising volts".to_owned(),
        "life_years" => "years by the calendar".to_owned(),
        "clear_share" => "light of the months".to_owned(),
        _ => plain.replace('_', " "),
    };
    let unsaid = [
        "phases", "feeds", "ports", "outputs", "cable", "battery", "loss", "limit", "input",
    ];
    if unsaid.contains(&key) || (key == "watts" && !name.is_empty()) {
        return name.to_owned();
    }
    format!("{name} {plain}").trim().to_owned()
}

/// Whether a name ends in the number of a level of overload: "overload 1", "peak 2".
fn is_level(name: &str) -> bool {
    name.ends_with(|it: char| it.is_ascii_digit())
}

/// What an entry of a list is called: by its kind, its end, its label or its id, else by its place.
pub fn named(entry: &Value, index: usize) -> String {
    let own = ["when", "to", "label", "id"]
        .iter()
        .find_map(|it| entry.get(*it)?.as_str());
    own.map_or_else(|| (index + 1).to_string(), str::to_owned)
}

/// What a change does, in words.
pub fn change(kind: &str, id: &str, before: Option<&Value>, after: Option<&Value>) -> Sentence {
    let label = |body: &Value| {
        body["label"]
            .as_str()
            .or_else(|| body["name"].as_str())
            .unwrap_or(id)
            .to_owned()
    };
    let said = match (before, after) {
        (None, Some(after)) => format!("{} added: {}", kind, label(after)),
        (Some(before), None) => format!("{} removed: {}", kind, label(before)),
        (Some(before), Some(after)) => {
            let mut fields = Vec::new();
            differences(before, after, "", "", &mut fields);
            let more = fields.len().saturating_sub(MOST_FIELDS);
            fields.truncate(MOST_FIELDS);
            let mut words = if fields.is_empty() {
                "saved unchanged".to_owned()
            } else {
                fields.join("; ")
            };
            if more > 0 {
                words += &format!("; and {more} more");
            }
            format!("{}: {words}", label(before))
        }
        (None, None) => format!("{kind} {id}"),
    };
    said.into()
}

/// The fields that differ, each as "name old → new".
fn differences(before: &Value, after: &Value, key: &str, name: &str, found: &mut Vec<String>) {
    let is_figure = |value: &Value| value.get("value").is_some();
    if before == after {
        return;
    }
    match (before, after) {
        (Value::Object(old), Value::Object(new)) if !is_figure(before) && !is_figure(after) => {
            let gone = old.keys().filter(|key| !new.contains_key(*key));
            for key in new.keys().chain(gone) {
                let field = |value: &Value| value.get(key).cloned().unwrap_or(Value::Null);
                differences(&field(before), &field(after), key, &join(name, key), found);
            }
        }
        (Value::Array(old), Value::Array(new))
            if old.len() == new.len() && pairs(after).is_none() =>
        {
            for (index, (before, after)) in old.iter().zip(new).enumerate() {
                differences(before, after, "", &join(name, &named(after, index)), found);
            }
        }
        _ => found.push(told(before, after, key, name)),
    }
}

/// "busy 9 → 9.4 W, measured": the unit stands behind the last number.
fn told(before: &Value, after: &Value, key: &str, name: &str) -> String {
    let unit = unit(key);
    let numbers = |it: &Value| it.is_number() || it.get("value").is_some();
    let (old, new) = if numbers(after) {
        (value(before, "", name), value(after, unit, name))
    } else {
        (value(before, unit, name), value(after, "", name))
    };
    format!("{name} {old} → {new}").trim().to_owned()
}

/// "5,000 at 50 %, 3,000 at 80 %", of depths of discharge and cycles; none where it is no list of
/// such pairs.
fn pairs(value: &Value) -> Option<String> {
    let pair = |it: &Value| match it.as_array()?.as_slice() {
        [depth, cycles] => Some(format!(
            "{} at {}",
            amount(cycles.as_f64()?, ""),
            amount((depth.as_f64()? * 1000.0).round() / 10.0, "%")
        )),
        _ => None,
    };
    let all = value.as_array().filter(|it| !it.is_empty())?;
    Some(all.iter().map(pair).collect::<Option<Vec<_>>>()?.join(", "))
}

/// Entries of a list that are told with their fields; more are counted.
const MOST_ENTRIES: usize = 2;

/// What is in a list or an object, where that is short: "source box, from 8 h, to 12 h"; a longer
/// list by the number of its entries; none for an object with more in it.
fn entries(of: &Value) -> Option<String> {
    match of {
        Value::Array(list) => {
            let told = list
                .iter()
                .map(entry)
                .collect::<Option<Vec<_>>>()
                .filter(|it| it.len() <= MOST_ENTRIES);
            let counted = || {
                if list.len() == 1 {
                    "one entry".to_owned()
                } else {
                    format!("{} entries", list.len())
                }
            };
            Some(told.map_or_else(counted, |it| it.join("; ")))
        }
        it => entry(it),
    }
}

/// The fields of an entry, where they are few and plain.
fn entry(of: &Value) -> Option<String> {
    let Value::Object(fields) = of else {
        return (!of.is_array()).then(|| value(of, "", ""));
    };
    let plain = |it: &Value| !it.is_array() && (!it.is_object() || it.get("value").is_some());
    let short = !fields.is_empty() && fields.len() <= MOST_ENTRY && fields.values().all(plain);
    let said = fields.iter().map(|(key, it)| match it {
        // Watts go without saying in a name, and are said by their unit here.
        _ if key == "watts" => value(it, "W", ""),
        _ => format!("{} {}", join("", key), value(it, unit(key), "")),
    });
    short.then(|| said.collect::<Vec<_>>().join(", "))
}

fn value(value: &Value, unit: &str, name: &str) -> String {
    let number = |it: &Value| it.as_f64().map(|raw| amount(raw, unit).to_string());
    match value {
        Value::Null => "none".into(),
        Value::String(text) => text.clone(),
        Value::Object(map) if map.contains_key("value") => {
            let mut words = match map.get("plus_minus").and_then(Value::as_f64) {
                Some(half) => {
                    Measured(map["value"].as_f64().unwrap_or_default(), half, unit).to_string()
                }
                None => number(&map["value"]).unwrap_or_default(),
            };
            if let Some(basis) = map.get("basis").and_then(Value::as_str) {
                words += &format!(", {basis}");
            }
            words
        }
        it if pairs(it).is_some() => pairs(it).unwrap_or_default(),
        Value::Array(list) if list.is_empty() => "none".into(),
        Value::Array(_) | Value::Object(_) => entries(value)
            .unwrap_or_else(|| format!("another {}", name.rsplit(' ').next().unwrap_or("value"))),
        other => number(other).unwrap_or_else(|| other.to_string()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_changed_figure_tells_both_values() {
        let camera = |watts: Value| {
            json!({"label": "Gate camera", "phases": [{"when": "running",
            "watts": 5}, {"when": "busy", "watts": watts}]})
        };
        let words = change(
            "device",
            "gate",
            Some(&camera(json!(9))),
            Some(&camera(json!({"value": 9.4, "basis": "measured"}))),
        );
        assert_eq!(words, "Gate camera: busy 9 → 9.4 W, measured");
    }

    #[test]
    fn changed_cycles_are_told_whole() {
        let bank = |cycles: Value| json!({"label": "Bank", "battery": {"cycles": cycles}});
        let (one, two) = (
            json!([[0.5, 5000.0], [0.8, 3000.0]]),
            json!([[0.5, 4000.0], [0.8, 3000.0]]),
        );
        let words = change("source", "bank", Some(&bank(one.clone())), Some(&bank(two)));
        assert!(
            words.contains(
                "Bank: cycles 5,000 at 50 %, 3,000 at 80 % → 4,000 at 50 %, 3,000 at 80 %"
            ),
            "{words}"
        );
        let words = change(
            "source",
            "bank",
            Some(&json!({"label": "Bank", "battery": {}})),
            Some(&bank(one)),
        );
        assert!(
            words.contains("Bank: cycles none → 5,000 at 50 %, 3,000 at 80 %"),
            "{words}"
        );
    }

    #[test]
    fn a_changed_lead_names_where_it_goes() {
        let way = |length: f64| {
            json!({"label": "Direct", "feeds": [{"to": "gate-camera",
            "cable": {"length_m": length}}]})
        };
        let words = change("arrangement", "direct", Some(&way(22.0)), Some(&way(30.0)));
        assert_eq!(words, "Direct: gate-camera length 22 → 30 m");
    }

    #[test]
    fn an_entry_that_comes_goes_or_changes_is_told_with_what_is_in_it() {
        let outage = |carried: Value| json!({"label": "Storm", "carried": carried});
        let school = json!([{"source": "box", "from_h": 8, "to_h": 12, "where": "the school",
            "watts": 200}]);
        let told = |before: Value, after: Value| {
            change(
                "outage",
                "storm",
                Some(&outage(before)),
                Some(&outage(after)),
            )
        };
        let there = "source box, from 8 h, to 12 h, where the school, 200 W";
        assert_eq!(
            told(json!([]), school.clone()),
            format!("Storm: carried none → {there}")
        );
        assert_eq!(
            told(Value::Null, school.clone()),
            format!("Storm: carried none → {there}")
        );
        assert_eq!(
            told(school.clone(), json!([])),
            format!("Storm: carried {there} → none")
        );
        let three = json!([school[0], school[0], school[0]]);
        assert_eq!(
            told(school, three),
            format!("Storm: carried {there} → 3 entries")
        );
        let fused =
            |fuse: Value| json!({"label": "Direct", "feeds": [{"to": "camera", "fuse": fuse}]});
        let words = change(
            "arrangement",
            "direct",
            Some(&fused(Value::Null)),
            Some(&fused(json!({"rating_a": 10}))),
        );
        assert_eq!(words, "Direct: camera fuse none → rating 10 A");
    }

    #[test]
    fn many_changes_are_counted() {
        let site = |n: i32| json!({"name": "Lock", "a": n, "b": n, "c": n, "d": n, "e": n});
        let words = change("site", "site", Some(&site(1)), Some(&site(2)));
        assert_eq!(words, "Lock: a 1 → 2; b 1 → 2; c 1 → 2; and 2 more");
    }
}
