//! The one place where sentences leave the server: rendered by the habits of whoever asks.
//!
//! The page says its habits in the header `ash-pond-habits` (or, for what is taken along as a file,
//! in the query's `habits`), in the words of [`Habits::parse`]. Without it sentences are in SI,
//! with a decimal point.

use ash_pond_core::ground::say::{Habits, render};
use axum::body::{Body, to_bytes};
use axum::extract::Request;
use axum::http::{HeaderMap, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::sse::Event;
use axum::response::{IntoResponse, Response};
use serde::Serialize;
use std::time::Duration;

/// The header in which the page says how its reader writes numbers and units.
pub const HEADER: &str = "ash-pond-habits";

/// How often somebody who waits for a stream is told how far it is.
pub(crate) const TELL_EVERY: Duration = Duration::from_millis(100);

/// The habits that headers say, SI where they say none.
pub(crate) fn habits_of(headers: &HeaderMap) -> Habits {
    let said = headers.get(HEADER).and_then(|it| it.to_str().ok());
    said.and_then(|it| Habits::parse(it).ok())
        .unwrap_or(Habits::si())
}

/// A server-sent event with its name, its sentences rendered.
pub(crate) fn named<T: Serialize>(name: &str, data: &T, habits: Habits) -> Event {
    let text = serde_json::to_string(data).unwrap_or_default();
    Event::default().event(name).data(render(&text, &habits))
}

/// The habits of a request.
pub(crate) fn habits(request: &Request) -> Habits {
    let said = request
        .headers()
        .get(HEADER)
        .and_then(|it| it.to_str().ok())
        .map(str::to_owned);
    let query = || {
        let pairs = request
            .uri()
            .query()?
            .split('&')
            .find_map(|it| it.strip_prefix("habits="))?;
        Some(pairs.replace("%2C", ",").replace("%2c", ","))
    };
    said.or_else(query)
        .and_then(|it| Habits::parse(&it).ok())
        .unwrap_or(Habits::si())
}

/// Renders the sentences of an answer. What is no text of the API's own (a file that was given, an
/// image) passes as it is.
pub(crate) async fn told(request: Request, next: Next) -> Response {
    let habits = habits(&request);
    // A file that was given is handed back byte for byte, and may be large.
    let is_file = request.method() == Method::GET && request.uri().path().ends_with("/file");
    let is_head = request.method() == Method::HEAD;
    let response = next.run(request).await;
    let kind = response
        .headers()
        .get(header::CONTENT_TYPE)
        .and_then(|it| it.to_str().ok())
        .unwrap_or_default();
    let texts = [
        "application/json",
        "application/problem+json",
        "text/csv",
        "text/calendar",
        "text/plain",
    ];
    if is_head || is_file || !texts.iter().any(|it| kind.starts_with(it)) {
        return response;
    }
    let (mut parts, body) = response.into_parts();
    let Ok(bytes) = to_bytes(body, usize::MAX).await else {
        return StatusCode::INTERNAL_SERVER_ERROR.into_response();
    };
    let Ok(text) = std::str::from_utf8(&bytes) else {
        return Response::from_parts(parts, Body::from(bytes));
    };
    match render(text, &habits) {
        std::borrow::Cow::Borrowed(_) => Response::from_parts(parts, Body::from(bytes)),
        std::borrow::Cow::Owned(text) => {
            parts.headers.remove(header::CONTENT_LENGTH);
            Response::from_parts(parts, Body::from(text))
        }
    }
}
