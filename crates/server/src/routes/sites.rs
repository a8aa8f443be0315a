//! Sites and their plans.

use super::body::StrictJson;
use super::{Basis, blocking, tag};
use crate::bodies::plan::{
    Created, Journal, JournalStep, NewName, RevisedPlan, Site, Sites, Walked,
};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::elements;
use ash_pond_core::site::plan::Plan;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use serde_json::Value;

/// Every site.
#[utoipa::path(get, operation_id = "list_sites", path = "/sites", responses((status = 200,
    description = "The sites", body = ref("#/components/schemas/Sites"))))]
pub(super) async fn list(State(state): State<AppState>) -> Result<Json<Sites>, ApiError> {
    let (sites, removed) =
        blocking(move || Ok((state.store.sites()?, state.store.removed_sites()?))).await?;
    let site = |row: ash_pond_store::SiteRow| Site {
        id: row.id,
        name: row.name,
        revision: row.revision,
    };
    let all = |rows: Vec<ash_pond_store::SiteRow>| rows.into_iter().map(site).collect();
    Ok(Json(Sites {
        sites: all(sites),
        removed: all(removed),
    }))
}

/// The answer where a site was made.
pub(super) fn created(id: String) -> impl IntoResponse {
    (
        StatusCode::CREATED,
        [(header::LOCATION, format!("/api/sites/{id}/plan"))],
        Json(Created { id }),
    )
}

/// Makes a site like another one, under another name.
#[utoipa::path(post, path = "/sites/{site}/copy", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/NewName")), responses(
    (status = 201, description = "The site that was made",
        body = ref("#/components/schemas/Created")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The name is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn copy_site(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<NewName>,
) -> Result<impl IntoResponse, ApiError> {
    let name = asked.name.trim().to_owned();
    if name.is_empty() || name.chars().count() > 200 {
        return Err(ApiError::at(
            "name",
            "must have 1 to 200 characters; call it something",
        ));
    }
    let id = blocking(move || Ok(state.store.copy_site(&site, &name)?)).await?;
    Ok(created(id))
}

/// Takes a site off the list. It is kept, and can be brought back.
#[utoipa::path(delete, path = "/sites/{site}", params(("site" = String, Path)), responses(
    (status = 204, description = "It is removed"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn remove_site(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    blocking(move || Ok(store.remove_site(&at)?)).await?;
    state.events.tell_removed(&site);
    Ok(StatusCode::NO_CONTENT)
}

/// Brings a site back that was removed.
#[utoipa::path(post, path = "/sites/{site}/restore", params(("site" = String, Path)), responses(
    (status = 204, description = "It is back"),
    (status = 404, description = "No such removed site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn restore_site(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    blocking(move || Ok(store.restore_site(&at)?)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Makes a site from a plan.
#[utoipa::path(post, operation_id = "create_site", path = "/sites",
    request_body(content = ref("#/components/schemas/Plan")), responses(
    (status = 201, description = "The site that was made",
        body = ref("#/components/schemas/Created")),
    (status = 422, description = "The plan is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn create(
    State(state): State<AppState>,
    StrictJson(body): StrictJson<Value>,
) -> Result<impl IntoResponse, ApiError> {
    let plan = Plan::from_value(&body)?;
    let id = blocking(move || Ok(state.store.create_site(&plan)?)).await?;
    Ok(created(id))
}

/// The plan of a site, with its revisions.
#[utoipa::path(get, operation_id = "read_plan", path = "/sites/{site}/plan",
    params(("site" = String, Path)), responses(
    (status = 200, description = "The plan", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn plan(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<impl IntoResponse, ApiError> {
    let found = blocking(move || Ok(state.store.plan(&site)?)).await?;
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}

/// Replaces the plan of a site, as one step that can be undone. `If-Match` carries the site's
/// revision.
#[utoipa::path(put, operation_id = "replace_plan", path = "/sites/{site}/plan",
    params(("site" = String, Path), ("If-Match" = Option<String>, Header)),
    request_body(content = ref("#/components/schemas/Plan")), responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 428, description = "Nobody said what the change is based on",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The plan is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn replace(
    State(state): State<AppState>,
    Path(site): Path<String>,
    headers: HeaderMap,
    StrictJson(body): StrictJson<Value>,
) -> Result<impl IntoResponse, ApiError> {
    let basis = Basis::of(&headers)?;
    let plan = Plan::from_value(&body)?;
    let (store, at) = (state.store.clone(), site.clone());
    let found = blocking(move || elements::replace(&store, &at, &plan, basis.revision())).await;
    let found = found.map_err(|it| basis.told(it))?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}

/// Takes the last step back.
#[utoipa::path(post, path = "/sites/{site}/undo", params(("site" = String, Path)), responses(
    (status = 200, description = "What was undone", body = ref("#/components/schemas/Walked")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 409, description = "There is nothing to undo",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn undo(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<Walked>, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let done = blocking(move || Ok(store.undo(&at)?)).await?;
    state.events.tell(&site, done.site.revision);
    Ok(Json(Walked {
        words: done.words,
        site: done.site.into(),
    }))
}

/// Does the last step that was undone again.
#[utoipa::path(post, path = "/sites/{site}/redo", params(("site" = String, Path)), responses(
    (status = 200, description = "What was done again", body = ref("#/components/schemas/Walked")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 409, description = "There is nothing to do again",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn redo(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<Walked>, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let done = blocking(move || Ok(store.redo(&at)?)).await?;
    state.events.tell(&site, done.site.revision);
    Ok(Json(Walked {
        words: done.words,
        site: done.site.into(),
    }))
}

/// The steps of a site, latest first.
#[utoipa::path(get, path = "/sites/{site}/journal", params(("site" = String, Path)), responses(
    (status = 200, description = "The steps", body = ref("#/components/schemas/Journal")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn journal(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<Journal>, ApiError> {
    let steps = blocking(move || Ok(state.store.journal(&site)?)).await?;
    let step = |it: ash_pond_store::Told| JournalStep {
        step: it.step,
        words: it.words,
        undone: it.undone,
    };
    Ok(Json(Journal {
        steps: steps.into_iter().map(step).collect(),
    }))
}
