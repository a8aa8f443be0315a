//! Sessions of a server that other machines reach, and who is in.

use super::blocking;
use super::body::StrictJson;
use crate::access::{ENDS, Role, cookie};
use crate::bodies::session::{SessionNow, Sessions, SignIn};
use crate::error::ApiError;
use crate::state::AppState;
use axum::extract::{ConnectInfo, Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use axum::{Extension, Json};
use std::net::SocketAddr;

/// Who asks, and whether a passphrase is asked for.
#[utoipa::path(get, path = "/session", responses(
    (status = 200, description = "Who asks", body = ref("#/components/schemas/SessionNow"))
))]
pub(super) async fn session(State(state): State<AppState>, headers: HeaderMap) -> Json<SessionNow> {
    let access = state.access.as_ref();
    Json(SessionNow {
        guarded: access.is_some(),
        role: access.map_or(Some(Role::Owner), |it| it.who(&headers).map(|it| it.1)),
        fingerprint: access
            .map(|it| it.fingerprint().to_owned())
            .filter(|it| !it.is_empty()),
    })
}

/// Begins a session.
#[utoipa::path(post, path = "/session",
    request_body(content = ref("#/components/schemas/SignIn")), responses(
    (status = 204, description = "It has begun; its cookie is set"),
    (status = 401, description = "That is not the passphrase",
        body = ref("#/components/schemas/Problem")),
    (status = 404, description = "No passphrase is asked for here",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The body is refused", body = ref("#/components/schemas/Problem")),
    (status = 429, description = "It was tried too often",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn sign_in(
    State(state): State<AppState>,
    peer: Option<Extension<ConnectInfo<SocketAddr>>>,
    headers: HeaderMap,
    StrictJson(asked): StrictJson<SignIn>,
) -> Result<impl IntoResponse, ApiError> {
    let Some(access) = state.access.clone() else {
        return Err(ApiError::missing("no passphrase is asked for here"));
    };
    let from = peer.map_or(
        std::net::IpAddr::V4(std::net::Ipv4Addr::UNSPECIFIED),
        |it| it.0.0.ip(),
    );
    let browser = headers
        .get(header::USER_AGENT)
        .and_then(|it| it.to_str().ok())
        .unwrap_or_default()
        .to_owned();
    let (token, _) = blocking(move || access.begin(&asked.passphrase, from, &browser)).await?;
    Ok((
        StatusCode::NO_CONTENT,
        [(header::SET_COOKIE, cookie(&token))],
    ))
}

/// Ends the session that asks.
#[utoipa::path(delete, path = "/session", responses((status = 204, description = "It has ended")))]
pub(super) async fn sign_out(
    State(state): State<AppState>,
    headers: HeaderMap,
) -> impl IntoResponse {
    if let Some(access) = &state.access
        && let Some((id, _)) = access.who(&headers)
    {
        access.end(id);
    }
    (StatusCode::NO_CONTENT, [(header::SET_COOKIE, cookie(""))])
}

/// The sessions that there are. For the owner.
#[utoipa::path(get, path = "/sessions", responses(
    (status = 200, description = "The sessions", body = ref("#/components/schemas/Sessions"))
))]
pub(super) async fn sessions(State(state): State<AppState>, headers: HeaderMap) -> Json<Sessions> {
    let list = state.access.as_ref().map_or_else(Vec::new, |it| {
        let yours = it.who(&headers).map_or(0, |it| it.0);
        it.sessions(yours)
    });
    Json(Sessions {
        sessions: list,
        end_after_h: ENDS.as_secs() / 3600,
    })
}

/// Ends a session. For the owner.
#[utoipa::path(delete, path = "/sessions/{id}", params(("id" = u64, Path)), responses(
    (status = 204, description = "It has ended"),
    (status = 400, description = "The number is none", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn end_session(State(state): State<AppState>, Path(id): Path<u64>) -> StatusCode {
    if let Some(access) = &state.access {
        access.end(id);
    }
    StatusCode::NO_CONTENT
}
