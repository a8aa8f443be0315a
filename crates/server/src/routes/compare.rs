//! What the limits say, arrangements side by side, where they cross, and the kinds to start from.

use super::body::StrictJson;
use super::computing;
use crate::bodies::plan::{
    CheckQuestion, CheckedPlan, CompareQuestion, CrossingsQuestion, DifferenceQuestion,
    FitsQuestion, StagesQuestion,
};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::compare as usecase;
use ash_pond_core::advice::compare::{Comparison, Crossings, Decides, Difference};
use ash_pond_core::advice::fits::{Fits, Stages};
use ash_pond_core::site::kinds::kinds;
use ash_pond_core::site::plan::Kit;
use axum::Json;
use axum::extract::{Path, State};
use serde_json::Value;

/// Every finding of arrangements, worst first, with what would mend it, and the weakest link of
/// each moment.
#[utoipa::path(post, path = "/sites/{site}/findings", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/CheckQuestion")), responses(
    (status = 200, description = "The findings", body = ref("#/components/schemas/CheckedPlan")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn findings(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<CheckQuestion>,
) -> Result<Json<CheckedPlan>, ApiError> {
    Ok(Json(
        computing(move || usecase::check(&state.store, &site, &question)).await?,
    ))
}

/// Arrangements of the same devices side by side, over a day or an outage.
#[utoipa::path(post, path = "/sites/{site}/compare", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/CompareQuestion")), responses(
    (status = 200, description = "The comparison", body = ref("#/components/schemas/Comparison")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn compare(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<CompareQuestion>,
) -> Result<Json<Comparison>, ApiError> {
    Ok(Json(
        computing(move || usecase::side_by_side(&state.store, &site, &question)).await?,
    ))
}

/// Where two arrangements draw the same, with the series for a plot.
#[utoipa::path(post, path = "/sites/{site}/crossings", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/CrossingsQuestion")), responses(
    (status = 200, description = "The crossings", body = ref("#/components/schemas/Crossings")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn crossings(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<CrossingsQuestion>,
) -> Result<Json<Crossings>, ApiError> {
    Ok(Json(
        computing(move || usecase::crossings(&state.store, &site, &question)).await?,
    ))
}

/// The ready-made kinds of devices, sources and converters.
#[utoipa::path(get, path = "/kinds", responses(
    (status = 200, description = "The kinds", body = ref("#/components/schemas/Kit"))
))]
pub(super) async fn ready_made() -> Json<&'static Kit> {
    Json(kinds())
}

/// The schema of the plan file (JSON Schema 2020-12).
#[utoipa::path(get, path = "/plan.schema.json", responses(
    (status = 200, description = "The schema", body = serde_json::Value)
))]
pub(super) async fn plan_schema() -> Json<Value> {
    Json(ash_pond_core::site::schema::plan())
}

/// What can feed an item, or what can follow a port, with the lead, fuse and converter that it
/// takes.
#[utoipa::path(post, path = "/sites/{site}/fits", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/FitsQuestion")), responses(
    (status = 200, description = "Those that fit, the thriftiest first, then those that do not, \
        with the reason", body = ref("#/components/schemas/Fits")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn fits(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<FitsQuestion>,
) -> Result<Json<Fits>, ApiError> {
    Ok(Json(
        computing(move || usecase::fits(&state.store, &site, &question)).await?,
    ))
}

/// What can be done at one feed of a chain: a stage put in, replaced or taken out, with what that
/// changes.
#[utoipa::path(post, path = "/sites/{site}/stages", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/StagesQuestion")), responses(
    (status = 200, description = "What can be done, what fits first",
        body = ref("#/components/schemas/Stages")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn stages(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<StagesQuestion>,
) -> Result<Json<Stages>, ApiError> {
    Ok(Json(
        computing(move || usecase::stages(&state.store, &site, &question)).await?,
    ))
}

/// What changes do to an arrangement, before they are made.
#[utoipa::path(post, path = "/sites/{site}/difference", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/DifferenceQuestion")), responses(
    (status = 200, description = "The difference", body = ref("#/components/schemas/Difference")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn difference(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<DifferenceQuestion>,
) -> Result<Json<Difference>, ApiError> {
    Ok(Json(
        computing(move || usecase::difference(&state.store, &site, &question)).await?,
    ))
}

/// The figures that would change which arrangement draws least, by how much they would have to be
/// wrong, and the test that gives each.
#[utoipa::path(post, path = "/sites/{site}/decides", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/CompareQuestion")), responses(
    (status = 200, description = "What decides", body = ref("#/components/schemas/Decides")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn decides(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<CompareQuestion>,
) -> Result<Json<Decides>, ApiError> {
    Ok(Json(
        computing(move || usecase::decides(&state.store, &site, &question)).await?,
    ))
}
