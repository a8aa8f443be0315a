//! The schema of the plan file (JSON Schema 2020-12), made from its types.

use crate::site::plan::Plan;
use schemars::generate::SchemaSettings;
use serde_json::Value;

/// The schema as a JSON tree.
pub fn plan() -> Value {
    let generator = SchemaSettings::draft2020_12().into_generator();
    let mut schema =
        serde_json::to_value(generator.into_root_schema_for::<Plan>()).unwrap_or_default();
    without_examples(&mut schema);
    schema["title"] = "A plan of Ash Pond".into();
    schema
}

/// Cuts the examples for programmers off every description; they are Rust, and the reader of a
/// schema has none.
pub fn without_examples(schema: &mut Value) {
    match schema {
        Value::Object(map) => {
            if let Some(Value::String(text)) = map.get_mut("description")
                && let Some(at) = text.find("```")
            {
                text.truncate(at);
                let end = text.trim_end().len();
                text.truncate(end);
            }
            map.values_mut().for_each(without_examples);
        }
        Value::Array(items) => items.iter_mut().for_each(without_examples),
        _ => {}
    }
}

/// The schema as text, as it stands in `docs/plan.schema.json`.
pub fn text() -> String {
    serde_json::to_string_pretty(&plan()).unwrap_or_default() + "\n"
}
