//! Walks along the joints of an arrangement, meter in hand.

use super::blocking;
use super::body::StrictJson;
use crate::bodies::plan::{WalkQuestion, WalkReading, Walking};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::walks as usecase;
use axum::Json;
use axum::extract::{Path, State};

/// Each joint of an arrangement in order, with what a meter must show there and what it last
/// showed.
#[utoipa::path(post, path = "/sites/{site}/walk", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/WalkQuestion")), responses(
    (status = 200, description = "The walk", body = ref("#/components/schemas/Walking")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn walk(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<WalkQuestion>,
) -> Result<Json<Walking>, ApiError> {
    Ok(Json(
        blocking(move || usecase::walk(&state.store, &site, &question)).await?,
    ))
}

/// Keeps a reading of a walk, with the time, and tells what it says.
#[utoipa::path(post, path = "/sites/{site}/walk/readings", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/WalkReading")), responses(
    (status = 200, description = "The walk with the reading in it",
        body = ref("#/components/schemas/Walking")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn reading(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<WalkReading>,
) -> Result<Json<Walking>, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let (walk, revision) = blocking(move || usecase::reading(&store, &at, &question)).await?;
    state.events.tell(&site, revision);
    Ok(Json(walk))
}
