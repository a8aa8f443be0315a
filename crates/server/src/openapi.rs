//! The description of the API: paths from utoipa, schemas from schemars.

use crate::bodies;
use crate::error::Problem;
use ash_pond_core::advice::compare::{Comparison, Crossings, Decides, Difference};
use ash_pond_core::advice::fits::{Fits, Stages};
use ash_pond_core::advice::matters::Matters;
use ash_pond_core::advice::needs::Needs;
use ash_pond_core::advice::supply::Supply;
use ash_pond_core::site::claim::Claimed;
use ash_pond_core::site::entry::{Capacity, Entry};
use ash_pond_core::site::exchange::Preview;
use ash_pond_core::site::plan::{Arrangement, Converter, Device, Kit, Outage, Plan, Source};
use ash_pond_core::site::sum::Working;
use ash_pond_core::telling::answer::Answer;
use axum::Json;
use schemars::generate::SchemaSettings;
use serde_json::{Map, Value, json};
use std::collections::BTreeSet;

/// The document with every schema that its paths refer to.
pub(crate) fn complete(described: &utoipa::openapi::OpenApi) -> Value {
    let mut document = serde_json::to_value(described).unwrap_or_default();
    let answered = schemas(SchemaSettings::draft2020_12().for_serialize());
    let given = schemas(SchemaSettings::draft2020_12().for_deserialize());
    document["components"] = json!({ "schemas": answered });
    apart(&mut document, given);
    document["servers"] = json!([{ "url": "/api", "description": "This server" }]);
    if let Some(paths) = document["paths"].as_object_mut() {
        for (path, operations) in paths {
            let of = path
                .split('/')
                .filter(|it| !it.is_empty() && !it.starts_with('{'))
                .nth(1);
            let tag = of
                .or_else(|| path.split('/').nth(1))
                .unwrap_or("all")
                .to_owned();
            for operation in operations
                .as_object_mut()
                .into_iter()
                .flat_map(|it| it.values_mut())
            {
                told_whole(operation, &tag);
            }
        }
    }
    document
}

/// Every schema, as it is answered or as it is given.
fn schemas(mut settings: SchemaSettings) -> Map<String, Value> {
    settings.definitions_path = "/components/schemas".into();
    settings.meta_schema = None;
    let mut generator = settings.into_generator();
    generator.subschema_for::<Plan>();
    generator.subschema_for::<Device>();
    generator.subschema_for::<Source>();
    generator.subschema_for::<Converter>();
    generator.subschema_for::<Arrangement>();
    generator.subschema_for::<Outage>();
    generator.subschema_for::<Answer>();
    generator.subschema_for::<Working>();
    generator.subschema_for::<Comparison>();
    generator.subschema_for::<Crossings>();
    generator.subschema_for::<Kit>();
    generator.subschema_for::<Needs>();
    generator.subschema_for::<Entry>();
    generator.subschema_for::<Supply>();
    generator.subschema_for::<Matters>();
    generator.subschema_for::<Claimed>();
    generator.subschema_for::<Capacity>();
    generator.subschema_for::<Preview>();
    generator.subschema_for::<Fits>();
    generator.subschema_for::<Stages>();
    generator.subschema_for::<Difference>();
    generator.subschema_for::<Decides>();
    generator.subschema_for::<Problem>();
    bodies::register(&mut generator);
    let mut all = json!(generator.take_definitions(true));
    ash_pond_core::site::schema::without_examples(&mut all);
    enumerations(&mut all);
    match all {
        Value::Object(all) => all,
        _ => Map::new(),
    }
}

/// What is given may leave out what has a default, which an answer always tells: where the two
/// differ, bodies of requests have schemas of their own, with `Given` behind their names.
fn apart(document: &mut Value, given: Map<String, Value>) {
    let mut differ: BTreeSet<String> = given
        .iter()
        .filter(|(name, schema)| {
            document["components"]["schemas"].get(name.as_str()) != Some(schema)
        })
        .map(|(name, _)| name.clone())
        .collect();
    loop {
        let reach = |schema: &Value| differ.iter().any(|it| refers(schema, it));
        let more: Vec<String> = given
            .iter()
            .filter(|(name, it)| !differ.contains(*name) && reach(it))
            .map(|it| it.0.clone())
            .collect();
        if more.is_empty() {
            break;
        }
        differ.extend(more);
    }
    for (name, mut schema) in given.into_iter().filter(|it| differ.contains(&it.0)) {
        turn(&mut schema, &differ);
        document["components"]["schemas"][format!("{name}Given")] = schema;
    }
    let paths = document["paths"]
        .as_object_mut()
        .into_iter()
        .flat_map(|it| it.values_mut());
    for operation in paths
        .filter_map(Value::as_object_mut)
        .flat_map(|it| it.values_mut())
    {
        if let Some(body) = operation.get_mut("requestBody") {
            turn(body, &differ);
        }
    }
    drop_unused(document);
}

const PLACE: &str = "#/components/schemas/";

fn refers(schema: &Value, name: &str) -> bool {
    match schema {
        Value::String(it) => it.strip_prefix(PLACE) == Some(name),
        Value::Array(list) => list.iter().any(|it| refers(it, name)),
        Value::Object(fields) => fields.values().any(|it| refers(it, name)),
        _ => false,
    }
}

/// References to what differs go to what is given.
fn turn(value: &mut Value, differ: &BTreeSet<String>) {
    match value {
        Value::String(it)
            if it
                .strip_prefix(PLACE)
                .is_some_and(|name| differ.contains(name)) =>
        {
            it.push_str("Given");
        }
        Value::Array(list) => list.iter_mut().for_each(|it| turn(it, differ)),
        Value::Object(fields) => fields.values_mut().for_each(|it| turn(it, differ)),
        _ => {}
    }
}

/// Leaves out what is given nowhere.
fn drop_unused(document: &mut Value) {
    loop {
        let names: Vec<String> = document["components"]["schemas"]
            .as_object()
            .map(|it| {
                it.keys()
                    .filter(|name| name.ends_with("Given"))
                    .cloned()
                    .collect()
            })
            .unwrap_or_default();
        let unused: Vec<String> = names
            .into_iter()
            .filter(|name| !used(document, name))
            .collect();
        if unused.is_empty() {
            return;
        }
        if let Some(all) = document["components"]["schemas"].as_object_mut() {
            all.retain(|name, _| !unused.contains(name));
        }
    }
}

/// Whether anything but itself refers to a schema.
fn used(document: &Value, name: &str) -> bool {
    let others = document["components"]["schemas"]
        .as_object()
        .into_iter()
        .flatten();
    refers(&document["paths"], name)
        || others
            .filter(|it| it.0 != name)
            .any(|(_, it)| refers(it, name))
}

/// Choices of words as `enum`, which every generator of clients reads, with what each of them means
/// in the description.
fn enumerations(value: &mut Value) {
    let words = value["oneOf"].as_array().and_then(|list| {
        let one = |it: &Value| {
            Some((
                it["const"].as_str()?.to_owned(),
                it["description"].as_str().unwrap_or("").to_owned(),
            ))
        };
        list.iter().map(one).collect::<Option<Vec<_>>>()
    });
    if let (Some(words), Some(fields)) = (words, value.as_object_mut()) {
        let meant: Vec<String> = words
            .iter()
            .map(|(word, means)| format!("`{word}`: {means}"))
            .collect();
        let own = fields
            .get("description")
            .and_then(Value::as_str)
            .unwrap_or_default()
            .to_owned();
        fields.remove("oneOf");
        fields.insert("type".into(), json!("string"));
        fields.insert("enum".into(), words.iter().map(|it| json!(it.0)).collect());
        fields.insert(
            "description".into(),
            json!(format!("{own} {}", meant.join(" ")).trim()),
        );
    }
    match value {
        Value::Array(list) => list.iter_mut().for_each(enumerations),
        Value::Object(fields) => fields.values_mut().for_each(enumerations),
        _ => {}
    }
}

/// What every operation has: its tag, a body where it takes one, problems as they are sent, and the
/// refusals that any may meet.
fn told_whole(operation: &mut Value, tag: &str) {
    operation["tags"] = json!([tag]);
    if operation["requestBody"].is_object() {
        operation["requestBody"]["required"] = json!(true);
    }
    let problem = json!({ "application/problem+json": { "schema": { "$ref": "#/components/schemas/Problem" } } });
    let Some(responses) = operation["responses"].as_object_mut() else {
        return;
    };
    for response in responses.values_mut() {
        let told = response["content"]["application/json"]["schema"]["$ref"].as_str();
        if told == Some("#/components/schemas/Problem") {
            response["content"] = problem.clone();
        }
    }
    let any = "It was refused, or could not be done; the problem says why, and what to do";
    responses.insert(
        "default".into(),
        json!({ "description": any, "content": problem }),
    );
}

/// Serves the document.
pub(crate) fn serve(document: &Value) -> Json<Value> {
    Json(document.clone())
}
