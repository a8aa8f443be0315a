//! The log by API: what happened, what is due, how batteries age.

use super::body::StrictJson;
use super::{blocking, computing};
use crate::bodies::log::LogQuery;
use crate::bodies::log::{
    CheckAnswer, DueTold, HealthTold, ItemTold, LogAsking, LogFileOf, LogImport, LogImported,
    LogStrike, LogTold, OwnCheck,
};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::log as usecase;
use ash_pond_store::LARGEST_FILE;
use axum::Json;
use axum::body::{Body, to_bytes};
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use serde::Deserialize;

/// The name of a file that is put beside an entry.
#[derive(Debug, Deserialize)]
pub(super) struct Named {
    name: Option<String>,
}

/// The log of a site, the latest first: by words (each by its beginning), kinds (with commas
/// between), item, and days.
#[utoipa::path(get, path = "/sites/{site}/log", params(("site" = String, Path),
    ("words" = Option<String>, Query), ("kind" = Option<String>, Query),
    ("item" = Option<String>, Query), ("from" = Option<String>, Query), ("to" = Option<String>,
        Query), ("behind" = Option<String>, Query), ("limit" = Option<u32>, Query)), responses(
    (status = 200, description = "The entries", body = ref("#/components/schemas/LogTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It cannot be asked so",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn log_of_site(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(asked): Query<LogQuery>,
) -> Result<Json<LogTold>, ApiError> {
    Ok(Json(
        blocking(move || usecase::list(&state.store, &site, &asked)).await?,
    ))
}

/// Writes an entry. What it is about and its kind are taken from its words where they are not said.
#[utoipa::path(post, path = "/sites/{site}/log", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/LogAsking")), responses(
    (status = 201, description = "It is written", body = ref("#/components/schemas/LogWritten")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn write_log(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<LogAsking>,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let written = blocking(move || usecase::write(&store, &at, &asked)).await?;
    state.events.tell_log(&site);
    let place = format!("/api/sites/{site}/log?limit=1");
    Ok((
        StatusCode::CREATED,
        [(header::LOCATION, place)],
        Json(written),
    ))
}

/// The log as a table.
#[utoipa::path(get, path = "/sites/{site}/log/log.csv", params(("site" = String, Path)), responses(
    (status = 200, description = "Comma-separated values", content_type = "text/csv"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn log_table(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<impl IntoResponse, ApiError> {
    let name = format!("attachment; filename=\"{site}-log.csv\"");
    let text = blocking(move || usecase::table(&state.store, &site)).await?;
    let headers = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()),
        (header::CONTENT_DISPOSITION, name),
    ];
    Ok((headers, text))
}

/// The log in a file of its own format.
#[utoipa::path(get, path = "/sites/{site}/log/whole", params(("site" = String, Path)), responses(
    (status = 200, description = "The log", body = ref("#/components/schemas/LogFileOf")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn log_in_a_file(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<LogFileOf>, ApiError> {
    Ok(Json(
        blocking(move || usecase::whole(&state.store, &site)).await?,
    ))
}

/// Looks at a table or file, or takes it in. What is in the log already is not taken twice.
#[utoipa::path(post, path = "/sites/{site}/log/import", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/LogImport")), responses(
    (status = 200, description = "What is in it", body = ref("#/components/schemas/LogImported")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It cannot be read", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn import_log(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<LogImport>,
) -> Result<Json<LogImported>, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let told = blocking(move || usecase::import(&store, &at, &asked)).await?;
    if told.kept {
        state.events.tell_log(&site);
    }
    Ok(Json(told))
}

/// Strikes an entry with a reason, or lets it count again. Nothing is ever taken away.
#[utoipa::path(post, path = "/sites/{site}/log/{entry}", params(("site" = String, Path),
    ("entry" = i64, Path)),
    request_body(content = ref("#/components/schemas/LogStrike")), responses(
    (status = 204, description = "It is struck, or counts"),
    (status = 404, description = "No such site or entry",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn strike_log(
    State(state): State<AppState>,
    Path((site, entry)): Path<(String, i64)>,
    StrictJson(asked): StrictJson<LogStrike>,
) -> Result<StatusCode, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    blocking(move || usecase::strike(&store, &at, entry, &asked)).await?;
    state.events.tell_log(&site);
    Ok(StatusCode::NO_CONTENT)
}

/// Puts a picture or file beside an entry. What it is is seen by its content; where a picture was
/// taken is taken out of it.
#[utoipa::path(post, path = "/sites/{site}/log/{entry}/files", params(("site" = String, Path),
    ("entry" = i64, Path), ("name" = Option<String>, Query)),
    request_body(content = ref("#/components/schemas/FileBytes"),
        content_type = "application/octet-stream"), responses(
    (status = 201, description = "The entry with it", body = ref("#/components/schemas/LogTold")),
    (status = 404, description = "No such site or entry",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It has too many", body = ref("#/components/schemas/Problem")),
    (status = 413, description = "It is too large", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is nothing that is kept here",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn add_log_file(
    State(state): State<AppState>,
    Path((site, entry)): Path<(String, i64)>,
    Query(named): Query<Named>,
    body: Body,
) -> Result<impl IntoResponse, ApiError> {
    let bytes = to_bytes(body, LARGEST_FILE)
        .await
        .map_err(|_| usecase::too_large())?;
    let (store, at) = (state.store.clone(), site.clone());
    let told =
        computing(move || usecase::add_file(&store, &at, entry, named.name.as_deref(), &bytes))
            .await?;
    state.events.tell_log(&site);
    let place = format!("/api/sites/{site}/log?limit=1");
    Ok((StatusCode::CREATED, [(header::LOCATION, place)], Json(told)))
}

fn as_it_is(kind: &str, name: &str) -> HeaderMap {
    let mut headers = HeaderMap::new();
    let shown = ["image/jpeg", "image/png", "image/webp"].contains(&kind);
    let how = if shown { "inline" } else { "attachment" };
    let plain: String = name
        .chars()
        .map(|it| {
            if it.is_ascii_alphanumeric() || ".-_ ".contains(it) {
                it
            } else {
                '_'
            }
        })
        .collect();
    let mut put = |name, text: &str| {
        if let Ok(value) = text.parse() {
            headers.insert(name, value);
        }
    };
    put(header::CONTENT_TYPE, kind);
    put(
        header::CONTENT_DISPOSITION,
        &format!("{how}; filename=\"{plain}\""),
    );
    // Whatever is in a file that was given, it does nothing here.
    put(
        header::CONTENT_SECURITY_POLICY,
        "sandbox; default-src 'none'",
    );
    put(header::X_CONTENT_TYPE_OPTIONS, "nosniff");
    headers
}

/// A file beside an entry, byte for byte as it is kept.
#[utoipa::path(get, path = "/sites/{site}/log/{entry}/files/{file}/file", params(("site" = String,
    Path), ("entry" = i64, Path), ("file" = i64, Path)), responses(
    (status = 200, description = "The file, of the kind that it is", content_type = "*/*",
        body = ref("#/components/schemas/FileBytes")),
    (status = 404, description = "No such site, entry or file",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn read_log_file(
    State(state): State<AppState>,
    Path((site, entry, file)): Path<(String, i64, i64)>,
) -> Result<impl IntoResponse, ApiError> {
    let (found, bytes) = blocking(move || Ok(state.store.log_file(&site, entry, file)?)).await?;
    Ok((as_it_is(&found.kind, &found.name), bytes))
}

/// The small picture of a file.
#[utoipa::path(get, path = "/sites/{site}/log/{entry}/files/{file}/small",
    params(("site" = String, Path), ("entry" = i64, Path), ("file" = i64, Path)), responses(
    (status = 200, description = "A picture", content_type = "image/jpeg",
        body = ref("#/components/schemas/FileBytes")),
    (status = 404, description = "No such site, entry, file or picture",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn log_thumb(
    State(state): State<AppState>,
    Path((site, entry, file)): Path<(String, i64, i64)>,
) -> Result<impl IntoResponse, ApiError> {
    let bytes = blocking(move || Ok(state.store.log_thumb(&site, entry, file)?)).await?;
    Ok((as_it_is("image/jpeg", "small.jpg"), bytes))
}

/// What is due, by the plan itself and by one's own checks.
#[utoipa::path(get, path = "/sites/{site}/due", params(("site" = String, Path)), responses(
    (status = 200, description = "The checks", body = ref("#/components/schemas/DueTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn due_of_site(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<DueTold>, ApiError> {
    Ok(Json(
        computing(move || usecase::due_of(&state.store, &site)).await?,
    ))
}

/// Notes that a check was done, put off, left out, or counts again.
#[utoipa::path(post, path = "/sites/{site}/due", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/CheckAnswer")), responses(
    (status = 200, description = "What is due then", body = ref("#/components/schemas/DueTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn answer_check(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<CheckAnswer>,
) -> Result<Json<DueTold>, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let told = computing(move || {
        usecase::answer_check(&store, &at, &asked)?;
        usecase::due_of(&store, &at)
    });
    let told = told.await?;
    state.events.tell_log(&site);
    Ok(Json(told))
}

/// Makes a check of one's own.
#[utoipa::path(post, path = "/sites/{site}/due/own", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/OwnCheck")), responses(
    (status = 201, description = "What is due then", body = ref("#/components/schemas/DueTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn own_check(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<OwnCheck>,
) -> Result<impl IntoResponse, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let told = computing(move || {
        usecase::own_check(&store, &at, &asked)?;
        usecase::due_of(&store, &at)
    });
    let told = told.await?;
    state.events.tell_log(&site);
    Ok((
        StatusCode::CREATED,
        [(header::LOCATION, format!("/api/sites/{site}/due"))],
        Json(told),
    ))
}

/// What is due, as a calendar. Its events have ids that stay, so that importing it again moves
/// them.
#[utoipa::path(get, path = "/sites/{site}/due/calendar.ics", params(("site" = String, Path),
    ("habits" = Option<String>, Query)), responses(
    (status = 200, description = "iCalendar", content_type = "text/calendar"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn due_calendar(
    State(state): State<AppState>,
    Path(site): Path<String>,
    request: axum::extract::Request,
) -> Result<impl IntoResponse, ApiError> {
    let habits = crate::told::habits(&request);
    let name = format!("attachment; filename=\"{site}-due.ics\"");
    let text = computing(move || usecase::calendar(&state.store, &site, habits)).await?;
    let headers = [
        (
            header::CONTENT_TYPE,
            "text/calendar; charset=utf-8".to_owned(),
        ),
        (header::CONTENT_DISPOSITION, name),
    ];
    Ok((headers, text))
}

/// How the batteries of a site age, and when they no longer carry its outages.
#[utoipa::path(get, path = "/sites/{site}/batteries", params(("site" = String, Path)), responses(
    (status = 200, description = "Each battery", body = ref("#/components/schemas/HealthTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn battery_health(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<HealthTold>, ApiError> {
    Ok(Json(
        computing(move || usecase::batteries(&state.store, &site)).await?,
    ))
}

/// One item at a glance: what it carries, what is not well with it, its last test. The code on a
/// label leads to its page.
#[utoipa::path(get, path = "/sites/{site}/items/{item}", params(("site" = String, Path),
    ("item" = String, Path)), responses(
    (status = 200, description = "The item", body = ref("#/components/schemas/ItemTold")),
    (status = 404, description = "No such site or item", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn one_item(
    State(state): State<AppState>,
    Path((site, item)): Path<(String, String)>,
) -> Result<Json<ItemTold>, ApiError> {
    Ok(Json(
        computing(move || usecase::item(&state.store, &site, &item)).await?,
    ))
}
