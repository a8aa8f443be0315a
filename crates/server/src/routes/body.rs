//! What a request brings: JSON, read strictly.

use super::computing;
use crate::error::ApiError;
use axum::body::Bytes;
use axum::extract::{FromRequest, Request};
use axum::response::{IntoResponse, Response};
use serde::de::DeserializeOwned;

/// Bodies up to this are read where they come; larger ones apart from the threads that answer.
const SMALL_BODY: usize = 32 * 1024;

/// A body as JSON. UTF-8, a key twice, what is no JSON (with its line) and a field of another kind
/// (with its path) are refused with 422, one that is too large with 413. The elements of a plan are
/// taken as they come: core reads them, and says more of them than a type can.
pub(super) struct StrictJson<T>(pub(super) T);

impl<S: Send + Sync, T: DeserializeOwned + Send + 'static> FromRequest<S> for StrictJson<T> {
    type Rejection = Response;

    async fn from_request(request: Request, state: &S) -> Result<Self, Response> {
        let bytes = Bytes::from_request(request, state)
            .await
            .map_err(IntoResponse::into_response)?;
        let read = if bytes.len() <= SMALL_BODY {
            read(&bytes)
        } else {
            computing(move || read(&bytes)).await
        };
        read.map(Self).map_err(IntoResponse::into_response)
    }
}

fn read<T: DeserializeOwned>(bytes: &[u8]) -> Result<T, ApiError> {
    let text =
        std::str::from_utf8(bytes).map_err(|_| ApiError::at("", "the body is not UTF-8 text"))?;
    let value = ash_pond_core::ground::json::parse(text)?;
    serde_path_to_error::deserialize(value).map_err(|error| {
        let path = error.path().to_string();
        // The root, and what a type that has several shapes hides.
        let path = if path == "." || path.contains('?') {
            ""
        } else {
            path.as_str()
        };
        ApiError::at(path, error.inner().to_string())
    })
}
