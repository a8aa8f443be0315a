//! The bench: how tests are carried out, the tests of a site, and their figures in use.

use super::bodies::{Begun, Guides, Previewed, RevisedPlan, Tested, Tests};
use super::{blocking, json_body, tag};
use crate::app::AppState;
use crate::error::ApiError;
use crate::usecase::tests as usecase;
use ash_pond_core::bench::guides;
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;

type Place = Path<(String, String)>;

/// How tests are carried out.
#[utoipa::path(get, path = "/bench", responses(
    (status = 200, description = "The protocols", body = ref("#/components/schemas/Guides"))
))]
pub(super) async fn protocols() -> Json<Guides> {
    Json(Guides { guides: guides().to_vec() })
}

/// The tests of a site, the latest first, each with what comes of it. Files are cut to their first lines.
#[utoipa::path(get, path = "/sites/{site}/tests", params(("site" = String, Path)), responses(
    (status = 200, description = "The tests", body = ref("#/components/schemas/Tests")),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn every_test(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<Tests>, ApiError> {
    Ok(Json(blocking(move || usecase::list(&state.store, &site)).await?))
}

/// Begins a test.
#[utoipa::path(post, path = "/sites/{site}/tests", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/Test")), responses(
    (status = 201, description = "Its id", body = ref("#/components/schemas/Begun")),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn begin_test(
    State(state): State<AppState>,
    Path(site): Path<String>,
    body: Bytes,
) -> Result<(StatusCode, Json<Begun>), ApiError> {
    let body = json_body(&body)?;
    Ok((StatusCode::CREATED, Json(blocking(move || usecase::begin(&state.store, &site, &body)).await?)))
}

/// Keeps a changed test; a file that is left out stays what it was.
#[utoipa::path(put, path = "/sites/{site}/tests/{id}", params(("site" = String, Path), ("id" = String, Path)),
    request_body(content = ref("#/components/schemas/Test")), responses(
    (status = 200, description = "The test with what comes of it", body = ref("#/components/schemas/Tested")),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn keep_test(
    State(state): State<AppState>,
    Path((site, id)): Place,
    body: Bytes,
) -> Result<Json<Tested>, ApiError> {
    let body = json_body(&body)?;
    Ok(Json(blocking(move || usecase::keep(&state.store, &site, &id, body)).await?))
}

/// The file of a test as it came.
#[utoipa::path(get, path = "/sites/{site}/tests/{id}/file", params(("site" = String, Path), ("id" = String, Path)), responses(
    (status = 200, description = "The file", content_type = "text/csv", body = String),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn test_file(
    State(state): State<AppState>,
    Path((site, id)): Place,
) -> Result<impl IntoResponse, ApiError> {
    let found = blocking(move || Ok(state.store.test(&site, &id)?)).await?;
    let text =
        found.body["file"].as_str().ok_or_else(|| ApiError::missing("the test has no file".to_owned()))?.to_owned();
    Ok(([(header::CONTENT_TYPE, "text/csv; charset=utf-8")], text))
}

/// What the figures of a test would change, arrangement by arrangement.
#[utoipa::path(post, path = "/sites/{site}/tests/{id}/preview", params(("site" = String, Path), ("id" = String, Path)), responses(
    (status = 200, description = "What would change", body = ref("#/components/schemas/Previewed")),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn preview_test(
    State(state): State<AppState>,
    Path((site, id)): Place,
) -> Result<Json<Previewed>, ApiError> {
    Ok(Json(blocking(move || usecase::preview(&state.store, &site, &id)).await?))
}

/// Puts the figures of a test into the plan, as one step that can be undone.
#[utoipa::path(post, path = "/sites/{site}/tests/{id}/use", params(("site" = String, Path), ("id" = String, Path)), responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn use_test(
    State(state): State<AppState>,
    Path((site, id)): Place,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let found = blocking(move || usecase::put_to_use(&store, &at, &id)).await?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}

/// Puts back what the figures of a test replaced, as one step that can be undone.
#[utoipa::path(post, path = "/sites/{site}/tests/{id}/take-back", params(("site" = String, Path), ("id" = String, Path)), responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn take_test_back(
    State(state): State<AppState>,
    Path((site, id)): Place,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let found = blocking(move || usecase::take_back(&store, &at, &id)).await?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}
