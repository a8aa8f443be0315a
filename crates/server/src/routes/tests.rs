//! The bench: how tests are carried out, the tests of a site, and their figures in use.

use super::body::StrictJson;
use super::{Basis, OfSite, answered, blocking, computing, tag};
use crate::bodies::bench::{
    FigurePast, FileAsked, Guides, History, Instruments, Looked, PastAsked, PastFigures, Previewed,
    Tests, Which,
};
use crate::bodies::plan::RevisedPlan;
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::files::{self, Piece};
use crate::usecase::{bench, past, tests as usecase};
use axum::Json;
use axum::body::{Body, Bytes};
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use futures::{StreamExt, stream};
use serde_json::Value;

type Place = Path<(String, String)>;

/// A file is kept in parts of this size, bytes.
const PART: usize = 1 << 20;

/// The revision that is said; none where it is not, which is whatever is there.
fn said(headers: &HeaderMap) -> Result<Option<i64>, ApiError> {
    Ok(match Basis::of(headers)? {
        Basis::At(revision) => Some(revision),
        Basis::Unsaid | Basis::Whatever => None,
    })
}

/// How tests are carried out.
#[utoipa::path(get, path = "/bench", responses(
    (status = 200, description = "The protocols", body = ref("#/components/schemas/Guides"))
))]
pub(super) async fn protocols() -> Json<Guides> {
    Json(Guides {
        guides: ash_pond_core::bench::guides().to_vec(),
    })
}

/// The tests of a site, the latest first, each with what comes of it, page by page. Files are asked
/// for by themselves.
#[utoipa::path(get, path = "/sites/{site}/tests", params(("site" = String, Path),
    ("behind" = Option<String>, Query),
    ("most" = Option<u32>, Query, minimum = 1, maximum = 200)), responses(
    (status = 200, description = "The tests", body = ref("#/components/schemas/Tests")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "There is no test behind which they are asked for",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn every_test(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(which): Query<Which>,
) -> Result<Json<Tests>, ApiError> {
    let most = which
        .most
        .unwrap_or(usecase::MOST_TOLD)
        .clamp(1, usecase::MOST_TOLD);
    Ok(Json(
        computing(move || usecase::list(&state.store, &site, which.behind.as_deref(), most))
            .await?,
    ))
}

/// Begins a test.
#[utoipa::path(post, path = "/sites/{site}/tests", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/Test")), responses(
    (status = 201, description = "Its id", body = ref("#/components/schemas/Begun")),
    (status = 404, description = "No such site or test",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn begin_test(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(body): StrictJson<Value>,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let (begun, revision) = blocking(move || usecase::begin(&store, &at, body)).await?;
    state.events.tell(&site, revision);
    let place = format!("/api/sites/{site}/tests/{}", begun.id);
    Ok((
        StatusCode::CREATED,
        [(header::LOCATION, place)],
        Json(begun),
    ))
}

/// Keeps a changed test; its file stays what it was. `If-Match` carries the revision that it is
/// based on.
#[utoipa::path(put, path = "/sites/{site}/tests/{id}", params(("site" = String, Path),
    ("id" = String, Path), ("If-Match" = Option<String>, Header)),
    request_body(content = ref("#/components/schemas/Test")), responses(
    (status = 200, description = "The test with what comes of it",
        body = ref("#/components/schemas/Tested")),
    (status = 404, description = "No such site or test",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 428, description = "Nobody said what the change is based on",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn keep_test(
    State(state): State<AppState>,
    Path((site, id)): Place,
    headers: HeaderMap,
    StrictJson(body): StrictJson<Value>,
) -> Result<impl IntoResponse, ApiError> {
    let basis = Basis::of(&headers)?;
    let (store, at) = (state.store.clone(), site.clone());
    let kept = blocking(move || usecase::keep(&store, &at, &id, basis.revision(), body)).await;
    let kept = kept.map_err(|it| basis.told(it))?;
    state.events.tell(&site, kept.revision);
    Ok((tag(kept.revision), Json(kept)))
}

/// The file of a test as it came.
#[utoipa::path(get, path = "/sites/{site}/tests/{id}/file", params(("site" = String, Path),
    ("id" = String, Path)), responses(
    (status = 200, description = "The file", content_type = "text/csv", body = String),
    (status = 404, description = "No such site or test", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn test_file(
    State(state): State<AppState>,
    Path((site, id)): Place,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), (site.clone(), id.clone()));
    let upload = blocking(move || Ok(store.test(&at.0, &at.1)?.upload)).await?;
    let upload = upload.ok_or_else(|| ApiError::missing("the test has no file"))?;
    let name = format!(
        "attachment; filename=\"{}.csv\"",
        id.replace(|it: char| !it.is_ascii_alphanumeric() && it != '-', "-")
    );
    let parts = stream::try_unfold(0, move |part| {
        let (store, site, id, upload) = (
            state.store.clone(),
            site.clone(),
            id.clone(),
            upload.clone(),
        );
        async move {
            let bytes = blocking(move || Ok(store.file_part(&site, &id, &upload, part)?)).await;
            bytes
                .map(|it| it.map(|it| (it, part + 1)))
                .map_err(|_| std::io::Error::other("the file ends early"))
        }
    });
    let headers = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()),
        (header::CONTENT_DISPOSITION, name),
    ];
    Ok((headers, Body::from_stream(parts)))
}

/// Gives a test its file, as the body; it is read and kept as it comes.
#[utoipa::path(put, path = "/sites/{site}/tests/{id}/file",
    params(("site" = String, Path), ("id" = String, Path), ("name" = Option<String>, Query),
        ("columns" = Option<String>, Query), ("If-Match" = Option<String>, Header)),
    request_body(content = String, content_type = "text/csv"), responses(
    (status = 200, description = "The test with what comes of it",
        body = ref("#/components/schemas/Tested")),
    (status = 404, description = "No such site or test",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The file cannot be read",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn give_test_file(
    State(state): State<AppState>,
    Path((site, id)): Place,
    Query(asked): Query<FileAsked>,
    headers: HeaderMap,
    body: Body,
) -> Result<impl IntoResponse, ApiError> {
    let based_on = said(&headers)?;
    let (give, mut take) = tokio::sync::mpsc::channel::<Piece>(2);
    let (store, at) = (state.store.clone(), site.clone());
    let reading = tokio::spawn(blocking(move || {
        let parts = std::iter::from_fn(move || take.blocking_recv());
        files::keep_file(&store, (&at, &id), based_on, &asked, parts)
    }));
    let mut pieces = body.into_data_stream();
    let mut part = Vec::with_capacity(PART);
    let mut broke_off = false;
    while let Some(piece) = pieces.next().await {
        match piece {
            Ok(bytes) => part.extend_from_slice(&bytes),
            Err(_) => {
                broke_off = true;
                break;
            }
        }
        if part.len() >= PART {
            let full = std::mem::replace(&mut part, Vec::with_capacity(PART));
            // Whoever reads has gone where something is wrong; what still comes is let by.
            let _ = give.send(Piece::Bytes(full)).await;
        }
    }
    // Only what came whole is ended: where this is cut off, by whoever gives it or by time, nobody
    // says so and it counts for nothing.
    if !broke_off {
        if !part.is_empty() {
            let _ = give.send(Piece::Bytes(part)).await;
        }
        let _ = give.send(Piece::End).await;
    }
    drop(give);
    match reading.await {
        Ok(told) => {
            let told = told?;
            state.events.tell(&site, told.revision);
            Ok((tag(told.revision), Json(told)))
        }
        Err(panicked) => std::panic::resume_unwind(panicked.into_panic()),
    }
}

/// What the columns of a file seem to hold, by its begin as the body: a few hundred lines are
/// enough.
#[utoipa::path(post, path = "/bench/look", params(("columns" = Option<String>, Query)),
    request_body(content = String, content_type = "text/csv"), responses(
    (status = 200, description = "Its columns", body = ref("#/components/schemas/Looked")),
    (status = 422, description = "It cannot be read", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn look_at_file(
    Query(asked): Query<FileAsked>,
    body: Bytes,
) -> Result<Json<Looked>, ApiError> {
    // A letter may be cut off at the end.
    let text = String::from_utf8_lossy(&body).into_owned();
    Ok(Json(files::look(&text, &asked)?))
}

/// What the figures of a test would change, arrangement by arrangement.
#[utoipa::path(post, path = "/sites/{site}/tests/{id}/preview", params(("site" = String, Path),
    ("id" = String, Path)), responses(
    (status = 200, description = "What would change", body = ref("#/components/schemas/Previewed")),
    (status = 404, description = "No such site or test",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn preview_test(
    State(state): State<AppState>,
    Path((site, id)): Place,
) -> Result<Json<Previewed>, ApiError> {
    Ok(Json(
        computing(move || usecase::preview(&state.store, &site, &id)).await?,
    ))
}

/// Puts the figures of a test into the plan, as one step that can be undone.
#[utoipa::path(post, path = "/sites/{site}/tests/{id}/use", params(("site" = String, Path),
    ("id" = String, Path), ("If-Match" = Option<String>, Header)), responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site or test",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn use_test(
    State(state): State<AppState>,
    Path((site, id)): Place,
    headers: HeaderMap,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let based_on = said(&headers)?;
    let found = blocking(move || usecase::put_to_use(&store, &at, &id, based_on)).await?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}

/// Puts back what the figures of a test replaced, as one step that can be undone.
#[utoipa::path(post, path = "/sites/{site}/tests/{id}/take-back", params(("site" = String, Path),
    ("id" = String, Path), ("If-Match" = Option<String>, Header)), responses(
    (status = 200, description = "The plan now", body = ref("#/components/schemas/RevisedPlan")),
    (status = 404, description = "No such site or test",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It was changed elsewhere",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The test is refused, or gives no figure yet",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn take_test_back(
    State(state): State<AppState>,
    Path((site, id)): Place,
    headers: HeaderMap,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let based_on = said(&headers)?;
    let found = blocking(move || usecase::take_back(&store, &at, &id, based_on)).await?;
    state.events.tell(&site, found.revision);
    Ok((tag(found.revision), Json(RevisedPlan::from(found))))
}

/// Every figure of an element that was ever measured, with its drift over the years.
#[utoipa::path(get, path = "/sites/{site}/history/{kind}/{id}",
    params(("site" = String, Path), ("kind" = String, Path), ("id" = String, Path)), responses(
    (status = 200, description = "Its figures", body = ref("#/components/schemas/History")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn history(
    State(state): State<AppState>,
    Path((site, kind, id)): Path<(String, String, String)>,
) -> Result<Json<History>, ApiError> {
    Ok(Json(
        computing(move || bench::history(&state.store, &site, &kind, &id)).await?,
    ))
}

/// The figures of a site that were changed or measured once.
#[utoipa::path(get, path = "/sites/{site}/past", params(("site" = String, Path)), responses(
    (status = 200, description = "Where they stand",
        body = ref("#/components/schemas/PastFigures")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn past_figures(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<PastFigures>, ApiError> {
    Ok(Json(
        computing(move || past::places(&state.store, &site)).await?,
    ))
}

/// What a figure was before it is what it is, which of all that was said of it stands, and why.
#[utoipa::path(get, path = "/sites/{site}/past/{kind}/{id}",
    params(("site" = String, Path), ("kind" = String, Path), ("id" = String, Path),
        ("path" = String, Query)), responses(
    (status = 200, description = "Its past", body = ref("#/components/schemas/FigurePast")),
    (status = 404, description = "No such site or element",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "There is no such kind",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn figure_past(
    State(state): State<AppState>,
    Path((site, kind, id)): Path<(String, String, String)>,
    Query(asked): Query<PastAsked>,
) -> Result<Json<FigurePast>, ApiError> {
    Ok(Json(
        computing(move || past::of(&state.store, &site, &kind, &id, &asked.path)).await?,
    ))
}

/// The tests that narrow the answers of a site most per minute of work.
#[utoipa::path(get, path = "/sites/{site}/next", params(("site" = String, Path)), responses(
    (status = 200, description = "The tests", body = ref("#/components/schemas/NextTests")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn next_tests(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || bench::worth(&state.store, &state.answers, &site))
        .await
        .map(answered)
}

/// The instruments that were described once.
#[utoipa::path(get, path = "/bench/instruments", responses(
    (status = 200, description = "The instruments", body = ref("#/components/schemas/Instruments"))
))]
pub(super) async fn instruments(
    State(state): State<AppState>,
) -> Result<Json<Instruments>, ApiError> {
    Ok(Json(
        blocking(move || bench::instruments(&state.store)).await?,
    ))
}

/// Describes an instrument; tests that were carried out with it keep what it was.
#[utoipa::path(put, path = "/bench/instruments/{name}", params(("name" = String, Path),
    ("site" = Option<String>, Query)),
    request_body(content = ref("#/components/schemas/Instrument")), responses(
    (status = 200, description = "The instruments now",
        body = ref("#/components/schemas/Instruments")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn describe_instrument(
    State(state): State<AppState>,
    Path(name): Path<String>,
    Query(of): Query<OfSite>,
    StrictJson(body): StrictJson<Value>,
) -> Result<Json<Instruments>, ApiError> {
    let (store, site) = (state.store.clone(), of.site.clone());
    let (now, revision) =
        blocking(move || bench::describe(&store, site.as_deref(), &name, body)).await?;
    of.tell(&state, revision);
    Ok(Json(now))
}

/// Forgets an instrument.
#[utoipa::path(delete, path = "/bench/instruments/{name}", params(("name" = String, Path),
    ("site" = Option<String>, Query)), responses(
    (status = 200, description = "The instruments now",
        body = ref("#/components/schemas/Instruments")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn forget_instrument(
    State(state): State<AppState>,
    Path(name): Path<String>,
    Query(of): Query<OfSite>,
) -> Result<Json<Instruments>, ApiError> {
    let (store, site) = (state.store.clone(), of.site.clone());
    let (now, revision) =
        blocking(move || bench::forget_instrument(&store, site.as_deref(), &name)).await?;
    of.tell(&state, revision);
    Ok(Json(now))
}
