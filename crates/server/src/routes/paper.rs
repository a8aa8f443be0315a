//! Papers to print: a report for whoever minds the site, and labels.

use super::body::StrictJson;
use super::{blocking, computing};
use crate::bodies::log::PaperQuery;
use crate::bodies::log::PaperWords;
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::paper as usecase;
use axum::Json;
use axum::extract::{Path, Query, Request, State};
use axum::http::{HeaderName, StatusCode, header};
use axum::response::IntoResponse;

/// A page that has everything inside, and does nothing.
fn page(text: String) -> impl IntoResponse {
    let headers: [(HeaderName, &str); 2] = [
        (header::CONTENT_TYPE, "text/html; charset=utf-8"),
        (
            header::CONTENT_SECURITY_POLICY,
            "default-src 'none'; style-src 'unsafe-inline'; img-src data:; frame-ancestors 'none'",
        ),
    ];
    (headers, text)
}

/// A report to print, in one page with everything inside: for whoever minds the site, and for its
/// keeper.
#[utoipa::path(get, path = "/sites/{site}/report.html", params(("site" = String, Path),
    ("arrangement" = Option<String>, Query), ("outage" = Option<String>, Query),
    ("habits" = Option<String>, Query)), responses(
    (status = 200, description = "A page", content_type = "text/html"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It cannot be made", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn report(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(asked): Query<PaperQuery>,
    request: Request,
) -> Result<impl IntoResponse, ApiError> {
    let habits = crate::told::habits(&request);
    Ok(page(
        computing(move || usecase::report(&state.store, &site, &asked, habits)).await?,
    ))
}

/// Labels to print for leads, fuses, switches and boxes, each with a code that opens its item where
/// the site is served.
#[utoipa::path(get, path = "/sites/{site}/labels.html", params(("site" = String, Path),
    ("arrangement" = Option<String>, Query), ("sheet" = Option<String>, Query),
    ("secure" = Option<bool>, Query), ("habits" = Option<String>, Query)), responses(
    (status = 200, description = "A page", content_type = "text/html"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It cannot be made", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn labels(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(asked): Query<PaperQuery>,
    request: Request,
) -> Result<impl IntoResponse, ApiError> {
    let habits = crate::told::habits(&request);
    let host = request
        .headers()
        .get(header::HOST)
        .and_then(|it| it.to_str().ok())
        .unwrap_or("127.0.0.1")
        .to_owned();
    let scheme = if asked.secure == Some(true) {
        "https"
    } else {
        "http"
    };
    let at = format!("{scheme}://{host}");
    Ok(page(
        computing(move || usecase::labels(&state.store, &site, &asked, &at, habits)).await?,
    ))
}

/// What a person writes into the report.
#[utoipa::path(get, path = "/sites/{site}/report", params(("site" = String, Path)), responses(
    (status = 200, description = "The words", body = ref("#/components/schemas/PaperWords")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn paper_words(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<PaperWords>, ApiError> {
    Ok(Json(
        blocking(move || usecase::words(&state.store, &site)).await?,
    ))
}

/// Keeps what a person writes into the report.
#[utoipa::path(post, path = "/sites/{site}/report", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/PaperWords")), responses(
    (status = 204, description = "It is kept"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn write_paper_words(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<PaperWords>,
) -> Result<StatusCode, ApiError> {
    blocking(move || usecase::write_words(&state.store, &site, &asked)).await?;
    Ok(StatusCode::NO_CONTENT)
}
