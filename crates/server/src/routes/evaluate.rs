//! What flows, and why.

use super::body::StrictJson;
use super::computing;
use crate::bodies::plan::{Question, WorkingQuestion};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::evaluate as usecase;
use ash_pond_core::site::sum::Working;
use ash_pond_core::telling::answer::Answer;
use axum::Json;
use axum::extract::{Path, State};

/// Arrangements at a moment and a charge, with changes that are not saved.
#[utoipa::path(post, path = "/sites/{site}/evaluate", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/Question")), responses(
    (status = 200, description = "The answer", body = ref("#/components/schemas/Answer")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn evaluate(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<Question>,
) -> Result<Json<Answer>, ApiError> {
    Ok(Json(
        computing(move || usecase::evaluate(&state.store, &site, &question)).await?,
    ))
}

/// The working of one number.
#[utoipa::path(post, path = "/sites/{site}/working", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/WorkingQuestion")), responses(
    (status = 200, description = "The working", body = ref("#/components/schemas/Working")),
    (status = 404, description = "No such site or number",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn working(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<WorkingQuestion>,
) -> Result<Json<Working>, ApiError> {
    Ok(Json(
        computing(move || usecase::working(&state.store, &site, &question)).await?,
    ))
}
