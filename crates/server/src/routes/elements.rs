//! A plan element by element.

use super::body::StrictJson;
use super::{Basis, blocking, tag};
use crate::bodies::plan::{ChangeSet, ElementBody, RevisedPlan};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::elements;
use ash_pond_store::Kind;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::IntoResponse;
use serde_json::Value;

type Place = Path<(String, String, String)>;

fn kind(word: &str) -> Result<Kind, ApiError> {
    Kind::parse(word).ok_or_else(|| {
        let known: Vec<_> = Kind::ALL.iter().map(|it| it.word()).collect();
        ApiError::missing(format!(
            "there is no kind \"{word}\"; use one of {}",
            known.join(", ")
        ))
    })
}

/// One element of a plan.
#[utoipa::path(get, operation_id = "read_element", path = "/sites/{site}/elements/{kind}/{id}",
    params(("site" = String, Path), ("kind" = String, Path), ("id" = String, Path)), responses(
    (status = 200, description = "The element", body = ref("#/components/schemas/ElementBody")),
    (status = 404, description = "No such element", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn read(
    State(state): State<AppState>,
    Path((site, word, id)): Place,
) -> Result<impl IntoResponse, ApiError> {
    let kind = kind(&word)?;
    let found = blocking(move || Ok(state.store.element(&site, kind, &id)?)).await?;
    Ok((
        tag(found.revision),
        Json(ElementBody {
            revision: found.revision,
            body: found.body,
        }),
    ))
}

/// Writes one element. `If-Match` carries the revision that it is based on, 0 for a new one, `*` to
/// write over whatever is there.
#[utoipa::path(put, operation_id = "write_element", path = "/sites/{site}/elements/{kind}/{id}",
    params(("site" = String, Path), ("kind" = String, Path), ("id" = String, Path),
        ("If-Match" = Option<String>, Header)),
    request_body = serde_json::Value, responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 428, description = "It is there, and nobody said what the change is based on",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The plan would be refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn write(
    State(state): State<AppState>,
    Path((site, word, id)): Place,
    headers: HeaderMap,
    StrictJson(body): StrictJson<Value>,
) -> Result<impl IntoResponse, ApiError> {
    let (kind, basis) = (kind(&word)?, Basis::of(&headers)?);
    let (store, at) = (state.store.clone(), site.clone());
    let found =
        blocking(move || elements::write(&store, &at, kind, &id, basis.revision(), Some(body)))
            .await;
    let found = found.map_err(|it| basis.told(it))?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}

/// Makes several changes as one step that can be undone.
#[utoipa::path(post, path = "/sites/{site}/changes", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/ChangeSet")), responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site or element",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "One was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The plan would be refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn change_all(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(set): StrictJson<ChangeSet>,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let found = blocking(move || elements::change_all(&store, &at, set)).await?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}

/// Removes one element. `If-Match` carries the revision that it is based on.
#[utoipa::path(delete, operation_id = "remove_element", path = "/sites/{site}/elements/{kind}/{id}",
    params(("site" = String, Path), ("kind" = String, Path), ("id" = String, Path),
        ("If-Match" = Option<String>, Header)), responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such element", body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The plan would be refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn remove(
    State(state): State<AppState>,
    Path((site, word, id)): Place,
    headers: HeaderMap,
) -> Result<impl IntoResponse, ApiError> {
    let (kind, basis) = (kind(&word)?, Basis::of(&headers)?);
    let (store, at) = (state.store.clone(), site.clone());
    let based_on = basis.revision().filter(|_| basis != Basis::Unsaid);
    let found = blocking(move || elements::write(&store, &at, kind, &id, based_on, None)).await?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}
