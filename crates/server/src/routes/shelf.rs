//! The shelf by API: what runs what, and the smallest that would do.

use super::bodies::Unsaved;
use super::{answered, computing, read_body};
use crate::app::AppState;
use crate::error::ApiError;
use crate::usecase::shelf as usecase;
use ash_pond_core::shelf::{Runs, Smallest, SmallestKind};
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::response::IntoResponse;
use schemars::{JsonSchema, SchemaGenerator};
use serde::{Deserialize, Serialize};

/// What this answers and is given, for the description of the API.
pub(crate) fn schemas(generator: &mut SchemaGenerator) {
    generator.subschema_for::<RunsQuestion>();
    generator.subschema_for::<Runs>();
    generator.subschema_for::<SmallestQuestion>();
    generator.subschema_for::<Smallest>();
}

/// Asks what runs what.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RunsQuestion {
    /// Devices by id; all of them where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) devices: Vec<String>,
    /// Ports as `source/port`, or a source for all of its own; all of them where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) ports: Vec<String>,
    /// Devices that are judged together on each port, by id; all that are asked for where left out, none where empty.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) together: Option<Vec<String>>,
    /// The outage in which hours are looked for, by id; two weeks in which nothing comes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// Length of each lead that is proposed, m; 2 where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) length_m: Option<f64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

/// Asks for the smallest that would do.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SmallestQuestion {
    /// What is made smaller: `store`, `lead`, `inverter`; longer or later: `length`, `start`.
    pub(crate) what: String,
    /// The store, the converter, the engine, or what a lead leads to, by id.
    pub(crate) item: String,
    /// The arrangement, by id.
    pub(crate) arrangement: String,
    /// The outage, by id; one in which nothing comes where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) outage: Option<String>,
    /// For how long it must last, h.
    pub(crate) hours: f64,
    /// Devices that must last, by id; those that hang on the item where left out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) devices: Vec<String>,
    /// The chance with which it must, 0.5 to 0.99; by the figures as they stand where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) chance: Option<f64>,
    /// Seed of the draws; 1 where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) seed: Option<u64>,
    /// Changes that are not saved.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) changes: Vec<Unsaved>,
}

impl SmallestQuestion {
    /// What is made smaller.
    pub(crate) fn kind(&self) -> Result<SmallestKind, ApiError> {
        let known = || SmallestKind::ALL.iter().map(|it| it.word()).collect::<Vec<_>>().join(", ");
        let found = SmallestKind::ALL.iter().copied().find(|it| it.word() == self.what);
        found.ok_or_else(|| ApiError::at("what", format!("is \"{}\"; there are {}", self.what, known())))
    }
}

/// Which port runs which device, alone and together: one cell for each, with the arrangement that was judged.
#[utoipa::path(post, path = "/sites/{site}/runs", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/RunsQuestion")), responses(
    (status = 200, description = "The cells", body = ref("#/components/schemas/Runs")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn runs(
    State(state): State<AppState>,
    Path(site): Path<String>,
    body: Bytes,
) -> Result<impl IntoResponse, ApiError> {
    let question: RunsQuestion = read_body(body).await?;
    computing(move || usecase::what_runs(&state.store, &state.answers, &site, &question)).await.map(answered)
}

/// How small a store, a lead or an inverter would still do, how long a lead, or how late an engine may start.
#[utoipa::path(post, path = "/sites/{site}/smallest", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/SmallestQuestion")), responses(
    (status = 200, description = "The size", body = ref("#/components/schemas/Smallest")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn smallest(
    State(state): State<AppState>,
    Path(site): Path<String>,
    body: Bytes,
) -> Result<Json<Smallest>, ApiError> {
    let question: SmallestQuestion = read_body(body).await?;
    Ok(Json(computing(move || usecase::least(&state.store, &site, &question)).await?))
}
