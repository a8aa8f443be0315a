//! Who may ask, and what goes out with every answer.
//!
//! The server listens on loopback. A page on a foreign site could still reach it by a name
//! that it makes point here (rebinding), so only loopback names are accepted as `Host`.

use crate::app::AppState;
use crate::error::ApiError;
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::IpAddr;

/// Refuses foreign hosts and sets the headers that every answer carries.
pub(crate) async fn guard(State(state): State<AppState>, request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST).and_then(|it| it.to_str().ok());
    let host = host.or_else(|| request.uri().authority().map(axum::http::uri::Authority::as_str));
    if !host.is_some_and(|it| is_ours(it, state.listening)) {
        let detail = "this server answers only under a loopback name, such as 127.0.0.1 or localhost";
        return ApiError::new(StatusCode::MISDIRECTED_REQUEST, "host", detail).into_response();
    }
    let is_api = request.uri().path().starts_with("/api");
    let mut response = next.run(request).await;
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
