//! Who may ask, and what goes out with every answer.
//!
//! The server listens on loopback. A page on a foreign site could still reach it by a name
//! that it makes point here (rebinding), so only loopback names are accepted as `Host`; and
//! it could make a browser send a form here, so what changes anything must come from a page
//! of this server, and say that it is JSON.

use crate::access::{Role, guest_may};
use crate::error::ApiError;
use crate::state::AppState;
use axum::body::{HttpBody as _, to_bytes};
use axum::extract::{ConnectInfo, Request, State};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::{IpAddr, SocketAddr};
use std::time::Duration;
use tokio::sync::Semaphore;
use tokio::time::timeout;

/// How long an answer may take.
const LONGEST: Duration = Duration::from_secs(30);
/// How long a file may take to come or to go.
const LONGEST_FILE: Duration = Duration::from_mins(30);
/// Bodies larger than this are read a few at once, bytes.
const LARGE: u64 = 256 * 1024;
static LARGE_BODIES: Semaphore = Semaphore::const_new(3);

/// Whether a request carries a file that is read as it comes, or gives one.
fn is_file(path: &str) -> bool {
    path.ends_with("/file")
        || path.ends_with("/archive")
        || ["/api/backup", "/api/archives"].contains(&path)
}

/// Looking back at an outage finds what was known at each of its hours anew.
const LONGEST_REVIEW: Duration = Duration::from_mins(3);

/// Answers in time or says so; what was begun for it is stopped.
pub(crate) async fn in_time(request: Request, next: Next) -> Response {
    let path = request.uri().path();
    let longest = match path {
        _ if is_file(path) => LONGEST_FILE,
        _ if path.ends_with("/review") => LONGEST_REVIEW,
        _ => LONGEST,
    };
    let length = request.body().size_hint().exact();
    let is_large = !is_file(path) && length.is_none_or(|it| it > LARGE);
    let answer = async {
        // Held while the body is read and answered: thirty large ones would else hold the memory of
        // all of them.
        let _place = if is_large {
            LARGE_BODIES.acquire().await.ok()
        } else {
            None
        };
        next.run(request).await
    };
    match timeout(longest, answer).await {
        Ok(response) => response,
        Err(_) => ApiError::busy("it took too long and was stopped; ask for less, or try again")
            .into_response(),
    }
}

/// Refuses foreign hosts and pages, and whoever has no session where one is asked for, and sets the
/// headers that every answer carries.
pub(crate) async fn guard(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let host = request
        .headers()
        .get(header::HOST)
        .and_then(|it| it.to_str().ok());
    let host = host.or_else(|| {
        request
            .uri()
            .authority()
            .map(axum::http::uri::Authority::as_str)
    });
    let host = host.map(str::to_owned);
    let host = host.as_deref();
    let peer = request
        .extensions()
        .get::<ConnectInfo<SocketAddr>>()
        .map(|it| it.0.ip());
    if !host.is_some_and(|it| is_ours(it, &state.names, peer)) {
        let detail = "this server answers only under a loopback name, such as 127.0.0.1 or \
            localhost, and under the names that it is served under";
        return ApiError::new(StatusCode::MISDIRECTED_REQUEST, "host", detail).into_response();
    }
    let path = request.uri().path().to_owned();
    let is_api = path.starts_with("/api");
    if is_api {
        state.asked.one_more();
    }
    let changes = is_api
        && !matches!(
            *request.method(),
            Method::GET | Method::HEAD | Method::OPTIONS
        );
    let refused = changes
        .then(|| foreign(request.headers(), host).or_else(|| untold(&request)))
        .flatten();
    let refused = refused.or_else(|| is_api.then(|| no_session(&state, &request)).flatten());
    let is_secure = state.access.is_some();
    let mut response = match refused {
        Some(error) => error.into_response(),
        None if is_api => as_problem(next.run(request).await).await,
        None => next.run(request).await,
    };
    let headers = response.headers_mut();
    let set = |headers: &mut axum::http::HeaderMap, name, value| {
        headers
            .entry(name)
            .or_insert(HeaderValue::from_static(value));
    };
    set(headers, header::X_CONTENT_TYPE_OPTIONS, "nosniff");
    set(headers, header::REFERRER_POLICY, "no-referrer");
    set(
        headers,
        header::CONTENT_SECURITY_POLICY,
        "default-src 'none'; frame-ancestors 'none'",
    );
    if is_secure {
        set(headers, header::STRICT_TRANSPORT_SECURITY, "max-age=86400");
    }
    if is_api {
        set(headers, header::CACHE_CONTROL, "no-store");
    }
    response
}

/// A refusal that somebody else made on the way, as the problem that every refusal is.
async fn as_problem(response: Response) -> Response {
    let status = response.status();
    let kind = response
        .headers()
        .get(header::CONTENT_TYPE)
        .and_then(|it| it.to_str().ok())
        .unwrap_or_default();
    if !(status.is_client_error() || status.is_server_error())
        || kind.starts_with("application/problem+json")
    {
        return response;
    }
    let (parts, body) = response.into_parts();
    let said = to_bytes(body, 4096)
        .await
        .ok()
        .and_then(|it| String::from_utf8(it.to_vec()).ok());
    let said = said.filter(|it| !it.trim().is_empty() && kind_is_text(&parts.headers));
    let (code, detail) = match status {
        StatusCode::METHOD_NOT_ALLOWED => (
            "method",
            "this address does not take that method; Allow says which".to_owned(),
        ),
        StatusCode::PAYLOAD_TOO_LARGE => (
            "too-large",
            "the body is larger than 8 MB; give less at once".to_owned(),
        ),
        StatusCode::BAD_REQUEST => (
            "address",
            said.unwrap_or_else(|| "the address cannot be read".to_owned()),
        ),
        _ => (
            "refused",
            said.unwrap_or_else(|| status.canonical_reason().unwrap_or_default().to_owned()),
        ),
    };
    let mut problem = ApiError::new(status, code, detail).into_response();
    if let Some(allow) = parts.headers.get(header::ALLOW) {
        problem.headers_mut().insert(header::ALLOW, allow.clone());
    }
    problem
}

fn kind_is_text(headers: &HeaderMap) -> bool {
    headers
        .get(header::CONTENT_TYPE)
        .and_then(|it| it.to_str().ok())
        .is_some_and(|it| it.starts_with("text/plain"))
}

/// Why somebody may not ask: where a passphrase is asked for, all but who is in and the way in
/// needs a session, and guests only look.
fn no_session(state: &AppState, request: &Request) -> Option<ApiError> {
    let access = state.access.as_ref()?;
    let path = request.uri().path();
    if path == "/api/session" || path == "/api/health" {
        return None;
    }
    match access.who(request.headers()) {
        None => {
            let detail = "give the passphrase first; sessions end after twelve hours, and when the \
                server stops";
            Some(ApiError::new(StatusCode::UNAUTHORIZED, "session", detail))
        }
        Some((_, Role::Guest)) if !guest_may(request.method(), path) => Some(ApiError::new(
            StatusCode::FORBIDDEN,
            "guest",
            "guests look and ask; only the owner changes anything",
        )),
        Some(_) => None,
    }
}

/// Why a request that changes something is none of a page of this server's: a browser says where
/// its page is from, in `Origin` and `Sec-Fetch-Site`; what is no browser says neither.
fn foreign(headers: &HeaderMap, host: Option<&str>) -> Option<ApiError> {
    let text = |name: &str| {
        headers
            .get(name)
            .map(|it| it.to_str().unwrap_or("unreadable"))
    };
    let site = text("sec-fetch-site").is_none_or(|it| matches!(it, "same-origin" | "none"));
    let origin = text("origin").is_none_or(|it| {
        let named = it
            .strip_prefix("http://")
            .or_else(|| it.strip_prefix("https://"));
        named.is_some() && named == host
    });
    let detail = "a page of another site asks for this change; only this server's own pages may";
    (!site || !origin).then(|| ApiError::new(StatusCode::FORBIDDEN, "origin", detail))
}

/// Why a body is not read: it does not say that it is JSON, as forms and plain texts of foreign
/// pages do not.
fn untold(request: &Request) -> Option<ApiError> {
    let path = request.uri().path();
    let wanted: &[&str] = match path {
        "/api/backup" => &["application/vnd.sqlite3"],
        "/api/archives" => &["application/zip"],
        _ if path.contains("/log/") && path.ends_with("/files") => &["application/octet-stream"],
        _ if path.ends_with("/file") || path == "/api/bench/look" => &["text/csv"],
        _ => &["application/json"],
    };
    let kind = request
        .headers()
        .get(header::CONTENT_TYPE)
        .map(|it| it.to_str().unwrap_or_default());
    if request.body().is_end_stream() && kind.is_none() {
        return None;
    }
    let kind = kind
        .unwrap_or_default()
        .split(';')
        .next()
        .unwrap_or_default()
        .trim()
        .to_ascii_lowercase();
    let said = if kind.is_empty() {
        "nothing".to_owned()
    } else {
        format!("{kind:?}")
    };
    let detail = format!(
        "the body says {said}; say {} in Content-Type",
        wanted.join(" or ")
    );
    (!wanted.contains(&kind.as_str()))
        .then(|| ApiError::new(StatusCode::UNSUPPORTED_MEDIA_TYPE, "content-type", detail))
}

/// Whether a `Host` is a name under which whoever asks may reach this: loopback names from this
/// machine, and the names that it is served under.
fn is_ours(host: &str, names: &[String], peer: Option<IpAddr>) -> bool {
    let name = match host.strip_prefix('[') {
        Some(rest) => rest.split(']').next().unwrap_or_default(),
        None => host.rsplit_once(':').map_or(host, |(name, _)| name),
    };
    let is_here = peer.is_none_or(|it| it.to_canonical().is_loopback());
    let is_loopback = name.eq_ignore_ascii_case("localhost")
        || name
            .parse::<IpAddr>()
            .is_ok_and(|address| address.is_loopback());
    (is_here && is_loopback) || names.iter().any(|it| it.eq_ignore_ascii_case(name))
}

#[cfg(test)]
mod tests {
    use super::is_ours;

    #[test]
    fn only_its_own_names_are_ours() {
        for host in [
            "localhost",
            "LOCALHOST:8787",
            "127.0.0.1:1",
            "127.8.8.8",
            "[::1]:80",
            "[::1]",
        ] {
            assert!(is_ours(host, &[], None), "{host}");
            assert!(
                !is_ours(
                    host,
                    &["192.168.1.2".into()],
                    Some("192.168.1.7".parse().unwrap())
                ),
                "{host}, forged"
            );
        }
        for host in [
            "example.org",
            "localhost.example.org:8787",
            "192.168.1.2:8787",
            "127.0.0.1.example.org",
            "",
            "[::2]",
        ] {
            assert!(!is_ours(host, &[], None), "{host}");
        }
        let names = ["192.168.1.2".to_owned(), "cupboard.local".to_owned()];
        for host in ["192.168.1.2:8787", "Cupboard.local:8787", "cupboard.local"] {
            assert!(
                is_ours(host, &names, Some("192.168.1.7".parse().unwrap())),
                "{host}"
            );
        }
    }
}
