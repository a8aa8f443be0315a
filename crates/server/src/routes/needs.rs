//! What must stay on, what there is to run it from, and what a person types for a figure.

use super::bodies::{EntryQuestion, NeedsQuestion};
use super::{blocking, read_body};
use crate::app::AppState;
use crate::error::ApiError;
use crate::usecase::preview;
use ash_pond_core::entry::{Around, DecimalMark, Entry, Target, read};
use ash_pond_core::needs::{Needs, needs as of_plan};
use ash_pond_core::supply::{Supply, supply as supply_of};
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};

/// What must stay on: each device by itself, and all of them together.
#[utoipa::path(post, path = "/sites/{site}/needs", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/NeedsQuestion")), responses(
    (status = 200, description = "The needs", body = ref("#/components/schemas/Needs")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "A change is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn needs(
    State(state): State<AppState>,
    Path(site): Path<String>,
    body: Bytes,
) -> Result<Json<Needs>, ApiError> {
    let question: NeedsQuestion = read_body(&body)?;
    Ok(Json(blocking(move || Ok(of_plan(&preview::plan(&state.store, &site, &question.changes)?))).await?))
}

/// What there is to run things from: what stores give, outlets cost and converters lose.
#[utoipa::path(post, path = "/sites/{site}/supply", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/NeedsQuestion")), responses(
    (status = 200, description = "The supply", body = ref("#/components/schemas/Supply")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "A change is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn supply(
    State(state): State<AppState>,
    Path(site): Path<String>,
    body: Bytes,
) -> Result<Json<Supply>, ApiError> {
    let question: NeedsQuestion = read_body(&body)?;
    Ok(Json(blocking(move || Ok(supply_of(&preview::plan(&state.store, &site, &question.changes)?))).await?))
}

/// Reads what a person typed for a figure, in the units that they have.
#[utoipa::path(post, path = "/entry", request_body(content = ref("#/components/schemas/EntryQuestion")), responses(
    (status = 200, description = "The figure, with the working of its conversion", body = ref("#/components/schemas/Entry")),
    (status = 422, description = "It cannot be read; the problem says why and what can", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn entry(body: Bytes) -> Result<Json<Entry>, ApiError> {
    let asked: EntryQuestion = read_body(&body)?;
    let target = Target::ALL.iter().copied().find(|it| it.word() == asked.target).ok_or_else(|| {
        let known: Vec<_> = Target::ALL.iter().map(|it| it.word()).collect();
        ApiError::at("target", format!("is \"{}\"; use one of {}", asked.target, known.join(", ")))
    })?;
    if asked.volts.is_some_and(|it| !(it > 0.0 && it.is_finite())) {
        return Err(ApiError::at("volts", "must be above 0"));
    }
    let decimal = if asked.decimal_comma { DecimalMark::Comma } else { DecimalMark::Point };
    let around = Around { volts: asked.volts, running: asked.running, decimal };
    read(&asked.text, target, around).map(Json).map_err(|why| ApiError::at("text", why))
}
