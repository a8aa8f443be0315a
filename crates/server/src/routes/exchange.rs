//! Plans and tables, in and out.

use super::body::StrictJson;
use super::computing;
use crate::bodies::plan::ImportQuestion;
use crate::error::ApiError;
use crate::state::AppState;
use ash_pond_core::site::entry::DecimalMark;
use ash_pond_core::site::exchange::{Preview, Table, preview, table as csv};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;

/// What an import would add and change, and what of it cannot be read. Nothing is changed;
/// `/changes` does that.
#[utoipa::path(post, path = "/sites/{site}/import", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/ImportQuestion")), responses(
    (status = 200, description = "What it would do", body = ref("#/components/schemas/Preview")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn import(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<ImportQuestion>,
) -> Result<Json<Preview>, ApiError> {
    let table = asked
        .table
        .as_deref()
        .map(|word| named(word, "table"))
        .transpose()?;
    let decimal = if asked.decimal_comma {
        DecimalMark::Comma
    } else {
        DecimalMark::Point
    };
    let seen = computing(move || {
        Ok(preview(
            &state.store.plan(&site)?.plan,
            &asked.text,
            table,
            decimal,
        ))
    })
    .await?;
    Ok(Json(seen))
}

/// A file: `plan.json`, the whole site; or `devices.csv`, `sources.csv`, `converters.csv`.
#[utoipa::path(get, path = "/sites/{site}/export/{file}", params(("site" = String, Path),
    ("file" = String, Path)), responses(
    (status = 200, description = "The file", body = String),
    (status = 404, description = "No such site or file", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn export(
    State(state): State<AppState>,
    Path((site, file)): Path<(String, String)>,
) -> Result<impl IntoResponse, ApiError> {
    let (at, name) = (site.clone(), file.clone());
    let (kind, text) = computing(move || {
        if name == "plan.json" {
            return Ok(("application/json", state.store.plan(&at)?.plan.to_text()));
        }
        let stem = name
            .strip_suffix(".csv")
            .ok_or_else(|| ApiError::missing(there_are(&name)))?;
        let table = named(stem, "file").map_err(|_| ApiError::missing(there_are(&name)))?;
        Ok((
            "text/csv; charset=utf-8",
            csv(&state.store.plan(&at)?.plan, table),
        ))
    })
    .await?;
    let attached = format!("attachment; filename=\"{site}-{file}\"");
    Ok((
        [
            (header::CONTENT_TYPE, kind.to_owned()),
            (header::CONTENT_DISPOSITION, attached),
        ],
        text,
    ))
}

fn there_are(name: &str) -> String {
    format!(
        "there is no file \"{name}\"; there are plan.json, devices.csv, sources.csv and \
        converters.csv"
    )
}

fn named(word: &str, field: &str) -> Result<Table, ApiError> {
    Table::ALL
        .iter()
        .copied()
        .find(|it| it.word() == word)
        .ok_or_else(|| {
            ApiError::at(
                field,
                format!("is \"{word}\"; use one of devices, sources, converters"),
            )
        })
}
