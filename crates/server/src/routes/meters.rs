//! Meters that answer by themselves.

use super::body::StrictJson;
use super::{OfSite, blocking};
use crate::bodies::live::{LiveMeters, MeterAt, SetMeter};
use crate::error::ApiError;
use crate::state::AppState;
use ash_pond_store::MeterRow;
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::StatusCode;
use std::net::SocketAddr;

async fn rows(state: &AppState) -> Result<Vec<MeterRow>, ApiError> {
    let store = state.store.clone();
    blocking(move || Ok(store.meters()?)).await
}

/// What every meter shows now.
#[utoipa::path(get, path = "/meters", responses(
    (status = 200, description = "The meters", body = ref("#/components/schemas/LiveMeters"))
))]
pub(super) async fn meters(State(state): State<AppState>) -> Result<Json<LiveMeters>, ApiError> {
    let rows = rows(&state).await?;
    Ok(Json(LiveMeters {
        meters: state.live.look(&rows).await,
    }))
}

/// Says where a meter listens.
#[utoipa::path(put, path = "/meters/{id}", params(("id" = String, Path), ("site" = Option<String>,
    Query)),
    request_body(content = ref("#/components/schemas/MeterAt")), responses(
    (status = 204, description = "Kept"),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn keep_meter(
    State(state): State<AppState>,
    Path(id): Path<String>,
    Query(of): Query<OfSite>,
    StrictJson(at): StrictJson<MeterAt>,
) -> Result<StatusCode, ApiError> {
    if !["scpi", "modbus"].contains(&at.speaks.as_str()) {
        return Err(ApiError::at(
            "speaks",
            format!("is \"{}\"; use scpi or modbus", at.speaks),
        ));
    }
    let address: SocketAddr = at.address.parse().map_err(|_| {
        ApiError::at(
            "address",
            format!(
                "is \"{}\"; give an address and a port, such as 127.0.0.1:5025",
                at.address
            ),
        )
    })?;
    if !address.ip().is_loopback() {
        let why = "is on another machine; this program asks no machine but its own. Forward the \
            meter's port to 127.0.0.1";
        return Err(ApiError::at("address", why));
    }
    if id.is_empty() || id.len() > 60 || at.label.trim().is_empty() || at.label.len() > 120 {
        return Err(ApiError::at("label", "must have 1 to 120 letters"));
    }
    let row = MeterRow {
        id,
        label: at.label,
        speaks: at.speaks,
        address: at.address,
        records: at.records,
    };
    let (store, site) = (state.store.clone(), of.site.clone());
    let revision = blocking(move || Ok(store.keep_meter(site.as_deref(), &row)?)).await?;
    of.tell(&state, revision);
    Ok(StatusCode::NO_CONTENT)
}

/// Forgets a meter.
#[utoipa::path(delete, path = "/meters/{id}", params(("id" = String, Path),
    ("site" = Option<String>, Query)), responses(
    (status = 204, description = "Gone"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn remove_meter(
    State(state): State<AppState>,
    Path(id): Path<String>,
    Query(of): Query<OfSite>,
) -> Result<StatusCode, ApiError> {
    let (store, site) = (state.store.clone(), of.site.clone());
    let revision = blocking(move || Ok(store.remove_meter(site.as_deref(), &id)?)).await?;
    of.tell(&state, revision);
    Ok(StatusCode::NO_CONTENT)
}

/// Sets something on a stand-in.
#[utoipa::path(post, path = "/meters/{id}/set", params(("id" = String, Path)),
    request_body(content = ref("#/components/schemas/SetMeter")), responses(
    (status = 204, description = "It is set"),
    (status = 404, description = "No such meter", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn set_meter(
    State(state): State<AppState>,
    Path(id): Path<String>,
    StrictJson(set): StrictJson<SetMeter>,
) -> Result<StatusCode, ApiError> {
    let rows = rows(&state).await?;
    let row = rows
        .iter()
        .find(|it| it.id == id)
        .ok_or_else(|| ApiError::missing(format!("there is no meter \"{id}\"")))?;
    state
        .live
        .set(row, &set.key, &set.value)
        .await
        .map_err(|error| ApiError::at("value", format!("{error:#}")))?;
    Ok(StatusCode::NO_CONTENT)
}
