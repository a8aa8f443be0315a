//! A change in words, for the journal: "Gate camera: running watts 4.9 → 7.5".

use ash_pond_core::limits::amount;
use ash_pond_store::Kind;
use serde_json::Value;

/// Fields that a sentence can still be read with.
const MOST_FIELDS: usize = 3;

/// What a change does, in words.
pub(crate) fn change(kind: Kind, id: &str, before: Option<&Value>, after: Option<&Value>) -> String {
    let label = |body: &Value| body["label"].as_str().or_else(|| body["name"].as_str()).unwrap_or(id).to_owned();
    match (before, after) {
        (None, Some(after)) => format!("{} added: {}", kind.word(), label(after)),
        (Some(before), None) => format!("{} removed: {}", kind.word(), label(before)),
        (Some(before), Some(after)) => {
            let mut fields = Vec::new();
            differences(before, after, "", &mut fields);
            let more = fields.len().saturating_sub(MOST_FIELDS);
            fields.truncate(MOST_FIELDS);
            let mut words = if fields.is_empty() { "saved unchanged".to_owned() } else { fields.join("; ") };
            if more > 0 {
                words += &format!("; and {more} more");
            }
            format!("{}: {words}", label(before))
        }
        (None, None) => format!("{} {id}", kind.word()),
    }
}

/// The fields that differ, each as "name old → new".
fn differences(before: &Value, after: &Value, name: &str, found: &mut Vec<String>) {
    let named = |value: &Value, key: &str| {
        let own = value.get("when").or_else(|| value.get("to")).and_then(Value::as_str);
        own.map_or_else(|| key.to_owned(), str::to_owned)
    };
    let is_figure = |value: &Value| value.get("value").is_some();
    if before == after {
        return;
    }
    match (before, after) {
        (Value::Object(old), Value::Object(new)) if !is_figure(before) && !is_figure(after) => {
            let gone = old.keys().filter(|key| !new.contains_key(*key));
            for key in new.keys().chain(gone) {
                let field = |value: &Value| value.get(key).cloned().unwrap_or(Value::Null);
                differences(&field(before), &field(after), &join(name, key), found);
            }
        }
        (Value::Array(old), Value::Array(new)) if old.len() == new.len() => {
            for (index, (before, after)) in old.iter().zip(new).enumerate() {
                let key = named(after, &(index + 1).to_string());
                differences(before, after, &join(name, &key), found);
            }
        }
        _ => found.push(format!("{name} {} → {}", value(before, name), value(after, name))),
    }
}

/// A place in words: list names are left out, units are cut off.
fn join(name: &str, key: &str) -> String {
    let plain = match key.rsplit_once('_') {
        Some((stem, "w" | "v" | "a" | "ohm" | "wh" | "ah" | "s" | "ms" | "h" | "c" | "m" | "mm2" | "kg")) => stem,
        _ => key,
    };
    let plain = plain.replace('_', " ");
    if matches!(key, "phases" | "feeds" | "ports" | "outputs" | "cable") {
        return name.to_owned();
    }
    format!("{name} {plain}").trim().to_owned()
}

fn value(value: &Value, name: &str) -> String {
    let number = |it: &Value| it.as_f64().map(|raw| amount(raw, ""));
    match value {
        Value::Null => "none".into(),
        Value::String(text) => text.clone(),
        Value::Object(map) if map.contains_key("value") => {
            let mut words = number(&map["value"]).unwrap_or_default();
            if let Some(half) = map.get("plus_minus").and_then(number) {
                words += &format!(" ± {half}");
            }
            if let Some(basis) = map.get("basis").and_then(Value::as_str) {
                words += &format!(", {basis}");
            }
            words
        }
        Value::Array(_) | Value::Object(_) => format!("another {}", name.rsplit(' ').next().unwrap_or("value")),
        other => number(other).unwrap_or_else(|| other.to_string()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_changed_figure_tells_both_values() {
        let camera = |watts: Value| json!({"label": "Gate camera", "phases": [{"when": "running", "watts": 5}, {"when": "busy", "watts": watts}]});
        let words = change(
            Kind::Device,
            "gate",
            Some(&camera(json!(9))),
            Some(&camera(json!({"value": 9.4, "basis": "measured"}))),
        );
        assert_eq!(words, "Gate camera: busy watts 9 → 9.4, measured");
    }

    #[test]
    fn a_changed_lead_names_where_it_goes() {
        let way =
            |length: f64| json!({"label": "Direct", "feeds": [{"to": "gate-camera", "cable": {"length_m": length}}]});
        let words = change(Kind::Arrangement, "direct", Some(&way(22.0)), Some(&way(30.0)));
        assert_eq!(words, "Direct: gate-camera length 22 → 30");
    }

    #[test]
    fn many_changes_are_counted() {
        let site = |n: i32| json!({"name": "Lock", "a": n, "b": n, "c": n, "d": n, "e": n});
        let words = change(Kind::Site, "site", Some(&site(1)), Some(&site(2)));
        assert_eq!(words, "Lock: a 1 → 2; b 1 → 2; c 1 → 2; and 2 more");
    }
}
