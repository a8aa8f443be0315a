//! The description of the API: paths from utoipa, schemas from schemars.

use crate::error::Problem;
use crate::routes::bodies;
use ash_pond_core::answer::Answer;
use ash_pond_core::claim::Claimed;
use ash_pond_core::compare::{Comparison, Crossings, Decides, Difference};
use ash_pond_core::entry::{Capacity, Entry};
use ash_pond_core::exchange::Preview;
use ash_pond_core::fits::{Fits, Stages};
use ash_pond_core::matters::Matters;
use ash_pond_core::needs::Needs;
use ash_pond_core::plan::{Arrangement, Converter, Device, Kit, Outage, Plan, Source};
use ash_pond_core::supply::Supply;
use ash_pond_core::working::Working;
use axum::Json;
use schemars::generate::SchemaSettings;
use serde_json::{Value, json};
use utoipa::OpenApi;

#[derive(OpenApi)]
#[openapi(info(
    title = "Ash Pond",
    description = "Keeps low-power critical devices running through outages and off the grid.",
    license(name = "MIT", identifier = "MIT")
))]
pub(crate) struct Described;

/// The document with every schema that its paths refer to.
pub(crate) fn complete(described: &utoipa::openapi::OpenApi) -> Value {
    let mut settings = SchemaSettings::draft2020_12().for_serialize();
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
    let mut document = serde_json::to_value(described).unwrap_or_default();
    document["components"] = json!({ "schemas": generator.take_definitions(true) });
    ash_pond_core::schema::without_examples(&mut document);
    document
}

/// Serves the document.
pub(crate) fn serve(document: &Value) -> Json<Value> {
    Json(document.clone())
}

/// The document as text, for the front end's types.
pub(crate) fn text() -> String {
    let (_, described) = crate::routes::all().split_for_parts();
    serde_json::to_string_pretty(&complete(&described)).unwrap_or_default() + "\n"
}
