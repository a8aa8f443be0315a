//! Copies of all that is kept: to take along, and to bring back.

use super::blocking;
use crate::bodies::backups::{BroughtBack, Copies, CopyRow};
use crate::error::ApiError;
use crate::state::AppState;
use ash_pond_store::backup::{KEPT_DAYS, KEPT_WEEKS};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::header;
use axum::response::{IntoResponse, Response};
use futures::StreamExt as _;
use serde::Deserialize;
use std::io::Write as _;
use std::path::PathBuf;
use tokio::io::AsyncReadExt as _;

/// The largest copy that is taken in, bytes.
const LARGEST: usize = 4_000_000_000;

/// The copies that are made by themselves, one each day.
#[utoipa::path(get, path = "/backups", responses(
    (status = 200, description = "The copies", body = ref("#/components/schemas/Copies"))
))]
pub(super) async fn copies(State(state): State<AppState>) -> Result<Json<Copies>, ApiError> {
    let told = blocking(move || {
        let row = |it: ash_pond_store::backup::Copied| CopyRow {
            name: it.name,
            bytes: it.bytes,
        };
        Ok(Copies {
            copies: state.store.copies()?.into_iter().map(row).collect(),
            kept: format!(
                "A copy is made each day: those of the last {KEPT_DAYS} days are kept, and one of \
                each of {KEPT_WEEKS} weeks before."
            ),
            folder: state.store.folder().join("backups").display().to_string(),
        })
    });
    Ok(Json(told.await?))
}

/// A copy of all that is kept, as it is now: every site with its tests, files, walks and
/// instruments, in one SQLite file.
#[utoipa::path(get, path = "/backup", responses(
    (status = 200, description = "The copy", content_type = "application/vnd.sqlite3",
        body = ref("#/components/schemas/FileBytes"))
))]
pub(super) async fn backup(State(state): State<AppState>) -> Result<impl IntoResponse, ApiError> {
    let path = part(&state);
    let (store, to) = (state.store.clone(), path.clone());
    let length = blocking(move || Ok(store.backup(&to)?)).await?;
    sent(
        &path,
        length,
        "application/vnd.sqlite3",
        &format!("ash-pond-{}.sqlite", today()),
    )
    .await
}

/// A file that was made to be sent, which is gone once it was.
async fn sent(
    path: &std::path::Path,
    length: u64,
    kind: &str,
    name: &str,
) -> Result<Response, ApiError> {
    let opened = tokio::fs::File::open(path).await;
    // What is open can be read though it has no name any more, and nothing is left where the reader
    // goes.
    drop(tokio::fs::remove_file(path).await);
    let file = opened.map_err(failed)?;
    let pieces = futures::stream::try_unfold(file, async |mut file| {
        let mut piece = vec![0; 1 << 16];
        let length = file.read(&mut piece).await?;
        piece.truncate(length);
        Ok::<_, std::io::Error>((length > 0).then_some((piece, file)))
    });
    let headers = [
        (header::CONTENT_TYPE, kind.to_owned()),
        (header::CONTENT_LENGTH, length.to_string()),
        (
            header::CONTENT_DISPOSITION,
            format!("attachment; filename=\"{name}\""),
        ),
    ];
    Ok((headers, Body::from_stream(pieces)).into_response())
}

/// Whether readings of meters go along.
#[derive(Debug, Deserialize)]
pub(super) struct Along {
    readings: Option<bool>,
}

/// A site whole, as it is now: its plan, tests with their files, walks, instruments and the
/// readings of the machine's meters, in one zip of JSON and CSV. Opened elsewhere it gives the same
/// answers.
#[utoipa::path(get, path = "/sites/{site}/archive",
    params(("site" = String, Path), ("readings" = Option<bool>, Query)), responses(
    (status = 200, description = "The archive", content_type = "application/zip",
        body = ref("#/components/schemas/FileBytes")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn archive(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(along): Query<Along>,
) -> Result<impl IntoResponse, ApiError> {
    let path = part(&state);
    let name = format!("{site}-{}.zip", today());
    let (store, to) = (state.store.clone(), path.clone());
    let made = crate::usecase::tests::now();
    let length =
        blocking(move || Ok(store.archive(&site, &to, &made, along.readings.unwrap_or(true))?))
            .await?;
    sent(&path, length, "application/zip", &name).await
}

/// Opens an archive as a site of its own, beside those that are here.
#[utoipa::path(post, path = "/archives",
    request_body(content = ref("#/components/schemas/FileBytes"),
        content_type = "application/zip"), responses(
    (status = 201, description = "The site that it was opened as",
        body = ref("#/components/schemas/Created")),
    (status = 422, description = "It is no archive, damaged, or of a newer version",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn open_archive(
    State(state): State<AppState>,
    body: Body,
) -> Result<impl IntoResponse, ApiError> {
    let path = part(&state);
    let taken = take_in(&path, body).await;
    let (store, from) = (state.store.clone(), path.clone());
    let opened = match taken {
        Ok(()) => blocking(move || Ok(store.open_archive(&from)?)).await,
        Err(error) => Err(error),
    };
    drop(tokio::fs::remove_file(&path).await);
    Ok(super::sites::created(opened?))
}

/// Brings a copy back: it is checked first, and what stood here is kept. Every window reads anew.
#[utoipa::path(put, path = "/backup",
    request_body(content = ref("#/components/schemas/FileBytes"),
        content_type = "application/vnd.sqlite3"), responses(
    (status = 200, description = "It is back", body = ref("#/components/schemas/BroughtBack")),
    (status = 422, description = "It is damaged, none of this program, or of a newer one",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn restore(
    State(state): State<AppState>,
    body: Body,
) -> Result<Json<BroughtBack>, ApiError> {
    let path = part(&state);
    let taken = take_in(&path, body).await;
    let (store, from) = (state.store.clone(), path.clone());
    let done = match taken {
        Ok(()) => {
            let stamp: String = crate::usecase::tests::now()
                .chars()
                .filter(char::is_ascii_alphanumeric)
                .collect();
            let refused = |error: ash_pond_store::StoreError| ApiError::at("", error.to_string());
            blocking(move || store.take_over(&from, &stamp).map_err(refused)).await
        }
        Err(error) => Err(error),
    };
    drop(tokio::fs::remove_file(&path).await);
    let done = done?;
    state.events.tell_behind();
    Ok(Json(BroughtBack {
        sites: done.sites,
        kept: done.kept.map(|it| it.display().to_string()),
    }))
}

/// Writes a body to a file as it comes.
async fn take_in(path: &std::path::Path, body: Body) -> Result<(), ApiError> {
    let mut file = tokio::fs::OpenOptions::new();
    let mut file = file
        .write(true)
        .create_new(true)
        .mode(0o600)
        .open(path)
        .await
        .map_err(failed)?
        .into_std()
        .await;
    let mut pieces = body.into_data_stream();
    let mut length = 0;
    while let Some(piece) = pieces.next().await {
        let piece =
            piece.map_err(|_| ApiError::at("", "it broke off on its way; nothing was changed"))?;
        length += piece.len();
        if length > LARGEST {
            return Err(ApiError::at(
                "",
                "it is longer than 4 GB; take it in on the command line, with ash-pond restore or \
                ash-pond import --new",
            ));
        }
        file = tokio::task::spawn_blocking(move || file.write_all(&piece).map(|()| file))
            .await
            .map_err(|error| ApiError::at("", error.to_string()))?
            .map_err(failed)?;
    }
    Ok(())
}

#[expect(clippy::needless_pass_by_value, reason = "as map_err gives it")]
fn failed(error: std::io::Error) -> ApiError {
    ApiError::busy(format!("the data folder cannot be written: {error}"))
}

fn part(state: &AppState) -> PathBuf {
    state
        .store
        .folder()
        .join(format!("passing-{:016x}", rand::random::<u64>()))
}

fn today() -> String {
    crate::usecase::tests::today().to_string()
}
