//! Who may ask, and what goes out with every answer.
//!
//! The server listens on loopback. A page on a foreign site could still reach it by a name
//! that it makes point here (rebinding), so only loopback names are accepted as `Host`; and
//! it could make a browser send a form here, so what changes anything must come from a page
//! of this server, and say that it is JSON.

use crate::app::AppState;
use crate::error::ApiError;
use axum::body::HttpBody as _;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::IpAddr;

/// Refuses foreign hosts and sets the headers that every answer carries.
pub(crate) async fn guard(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST).and_then(|it| it.to_str().ok());
    let host = host.or_else(|| request.uri().authority().map(axum::http::uri::Authority::as_str));
    let host = host.map(str::to_owned);
    let host = host.as_deref();
    if !host.is_some_and(|it| is_ours(it, state.listening)) {
        let detail = "this server answers only under a loopback name, such as 127.0.0.1 or localhost";
        return ApiError::new(StatusCode::MISDIRECTED_REQUEST, "host", detail).into_response();
    }
    let is_api = request.uri().path().starts_with("/api");
    let changes = is_api && !matches!(*request.method(), Method::GET | Method::HEAD | Method::OPTIONS);
    let refused = changes.then(|| foreign(request.headers(), host).or_else(|| untold(&request))).flatten();
    let mut response = match refused {
        Some(error) => error.into_response(),
        None => next.run(request).await,
    };
    let headers = response.headers_mut();
    let set = |headers: &mut axum::http::HeaderMap, name, value| {
        headers.entry(name).or_insert(HeaderValue::from_static(value));
    };
    set(headers, header::X_CONTENT_TYPE_OPTIONS, "nosniff");
    set(headers, header::REFERRER_POLICY, "no-referrer");
    set(headers, header::CONTENT_SECURITY_POLICY, "default-src 'none'; frame-ancestors 'none'");
    if is_api {
        set(headers, header::CACHE_CONTROL, "no-store");
    }
    response
}

/// Why a request that changes something is none of a page of this server's: a browser says where its page is from, in `Origin`
/// and `Sec-Fetch-Site`; what is no browser says neither.
fn foreign(headers: &HeaderMap, host: Option<&str>) -> Option<ApiError> {
    let text = |name: &str| headers.get(name).map(|it| it.to_str().unwrap_or("unreadable"));
    let site = text("sec-fetch-site").is_none_or(|it| matches!(it, "same-origin" | "none"));
    let origin = text("origin").is_none_or(|it| {
        let named = it.strip_prefix("http://").or_else(|| it.strip_prefix("https://"));
        named.is_some() && named == host
    });
    let detail = "a page of another site asks for this change; only this server's own pages may";
    (!site || !origin).then(|| ApiError::new(StatusCode::FORBIDDEN, "origin", detail))
}

/// Why a body is not read: it does not say that it is JSON, as forms and plain texts of foreign pages do not.
fn untold(request: &Request) -> Option<ApiError> {
    let path = request.uri().path();
    let is_file = path.ends_with("/file") || path == "/api/bench/look";
    let wanted: &[&str] = if is_file { &["text/csv"] } else { &["application/json"] };
    let kind = request.headers().get(header::CONTENT_TYPE).map(|it| it.to_str().unwrap_or_default());
    if request.body().is_end_stream() && kind.is_none() {
        return None;
    }
    let kind = kind.unwrap_or_default().split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
    let said = if kind.is_empty() { "nothing".to_owned() } else { format!("{kind:?}") };
    let detail = format!("the body says {said}; say {} in Content-Type", wanted.join(" or "));
    (!wanted.contains(&kind.as_str()))
        .then(|| ApiError::new(StatusCode::UNSUPPORTED_MEDIA_TYPE, "content-type", detail))
}

/// Whether a `Host` names this machine's loopback, or the address that is listened on.
fn is_ours(host: &str, listening: Option<IpAddr>) -> bool {
    let name = match host.strip_prefix('[') {
        Some(rest) => rest.split(']').next().unwrap_or_default(),
        None => host.rsplit_once(':').map_or(host, |(name, _)| name),
    };
    if name.eq_ignore_ascii_case("localhost") {
        return true;
    }
    name.parse::<IpAddr>().is_ok_and(|address| address.is_loopback() || Some(address) == listening)
}

#[cfg(test)]
mod tests {
    use super::is_ours;

    #[test]
    fn only_loopback_names_are_ours() {
        for host in ["localhost", "LOCALHOST:8787", "127.0.0.1:1", "127.8.8.8", "[::1]:80", "[::1]"] {
            assert!(is_ours(host, None), "{host}");
        }
        for host in
            ["example.org", "localhost.example.org:8787", "192.168.1.2:8787", "127.0.0.1.example.org", "", "[::2]"]
        {
            assert!(!is_ours(host, None), "{host}");
        }
        assert!(is_ours("192.168.1.2:8787", Some("192.168.1.2".parse().unwrap())));
    }
}
