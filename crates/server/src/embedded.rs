//! The front end, inside the binary.

use crate::error::ApiError;
use axum::body::Body;
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use rust_embed::{EmbeddedFile, RustEmbed};
use std::fmt::Write;
use std::sync::LazyLock;

/// What stands in the page where each answer puts a number used once.
const NONCE: &str = "__NONCE__";

#[derive(RustEmbed)]
#[folder = "$CARGO_MANIFEST_DIR/../../web/dist"]
#[allow_missing = true]
struct Front;

/// The fonts of papers, by the beginning of their files' names, each with the letters that it is
/// for.
const FONTS: [(&str, &str); 2] = [
    ("assets/source-sans-3-latin-", ""),
    ("assets/source-sans-3-greek-", "unicode-range: U+0370-03FF;"),
];

/// The page's font as a style that carries it along, so that a paper in a file of its own looks as
/// it does here; nothing where the front end is not built into this binary.
pub(crate) fn font_faces() -> &'static str {
    static FACES: LazyLock<String> = LazyLock::new(|| {
        let face = |(name, letters): (&str, &str)| {
            let file = Front::get(&Front::iter().find(|it| it.starts_with(name))?)?;
            let data = STANDARD.encode(&file.data);
            Some(format!(
                "@font-face {{ font-family: 'Source Sans 3'; font-weight: 200 900; {letters} src: \
                url(data:font/woff2;base64,{data}) format('woff2'); }}\n"
            ))
        };
        FONTS.into_iter().filter_map(face).collect()
    });
    &FACES
}

/// Serves the front end: files by their name, and the page for every other path.
pub(crate) async fn serve(method: Method, uri: Uri, headers: HeaderMap) -> Response {
    if method != Method::GET && method != Method::HEAD {
        return StatusCode::METHOD_NOT_ALLOWED.into_response();
    }
    let path = uri.path().trim_start_matches('/');
    match Front::get(path).filter(|_| path != "index.html") {
        Some(file) => asset(path, &file, &headers),
        None if path.contains('.') => StatusCode::NOT_FOUND.into_response(),
        None if wants_json(&headers) => ApiError::missing(
            "there is nothing at this address; /api/openapi.json describes what there is",
        )
        .into_response(),
        None => page(),
    }
}

/// Whether whoever asks reads JSON and no page.
fn wants_json(headers: &HeaderMap) -> bool {
    let accept = headers
        .get(header::ACCEPT)
        .and_then(|it| it.to_str().ok())
        .unwrap_or_default();
    accept.contains("json") && !accept.contains("text/html")
}

fn asset(path: &str, file: &EmbeddedFile, headers: &HeaderMap) -> Response {
    let hash = file.metadata.sha256_hash();
    let etag = hash[..12]
        .iter()
        .fold(String::from("\""), |mut text, byte| {
            let _ = write!(text, "{byte:02x}");
            text
        })
        + "\"";
    if headers
        .get(header::IF_NONE_MATCH)
        .is_some_and(|it| it.as_bytes() == etag.as_bytes())
    {
        return StatusCode::NOT_MODIFIED.into_response();
    }
    // Names below assets/ carry a hash of their content, so that they never change.
    let cache = if path.starts_with("assets/") {
        "public, max-age=31536000, immutable"
    } else {
        "no-cache"
    };
    let kind = mime_guess::from_path(path).first_or_octet_stream();
    let head = [
        (header::CONTENT_TYPE, kind.to_string()),
        (header::CACHE_CONTROL, cache.into()),
        (header::ETAG, etag),
    ];
    (head, Body::from(file.data.to_vec())).into_response()
}

/// The page, with a number used once that lets the styles in that components bring along.
fn page() -> Response {
    let Some(file) = Front::get("index.html") else {
        let text = "The front end is not built into this binary. Run `cargo xtask demo`, which \
            builds it first.\n";
        return (StatusCode::SERVICE_UNAVAILABLE, text).into_response();
    };
    let nonce = format!("{:032x}", rand::random::<u128>());
    let html = String::from_utf8_lossy(&file.data).replace(NONCE, &nonce);
    let policy = format!(
        "default-src 'none'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' \
        data:; font-src 'self'; \
         connect-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    );
    let mut response = (
        [
            (header::CONTENT_TYPE, "text/html; charset=utf-8"),
            (header::CACHE_CONTROL, "no-cache"),
        ],
        html,
    )
        .into_response();
    if let Ok(policy) = HeaderValue::from_str(&policy) {
        response
            .headers_mut()
            .insert(header::CONTENT_SECURITY_POLICY, policy);
    }
    response
}
