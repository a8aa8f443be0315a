//! The one error of the API: RFC 9457 problem+json with a stable `code` and the field's path.

use ash_pond_core::ground::json::FieldError;
use ash_pond_store::StoreError;
use axum::Json;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use schemars::JsonSchema;
use serde::Serialize;
use serde_json::Value;
use std::any::Any;

/// Why a request was not done.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Problem {
    /// Always `about:blank`; `code` tells problems apart.
    #[serde(rename = "type")]
    pub kind: String,
    /// The status in words.
    pub title: String,
    /// The HTTP status.
    pub status: u16,
    /// A stable name for the kind of problem, such as `stale` or `refused`.
    pub code: String,
    /// What is wrong and what to do, as a sentence.
    pub detail: String,
    /// The path of the field that is to blame.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub path: Option<String>,
    /// What is there now, where a change was stale.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub current: Option<Current>,
}

/// What is there now.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
#[schemars(rename = "WhatIsThere")]
pub struct Current {
    /// Its revision; 0 where it is gone.
    pub revision: i64,
    /// Its body; none where it is gone.
    pub body: Option<Value>,
}

/// An error of the API.
#[derive(Debug)]
pub struct ApiError(Box<Problem>);

impl ApiError {
    /// A problem of `status`, with its stable code and its sentence.
    pub fn new(status: StatusCode, code: &str, detail: impl Into<String>) -> Self {
        Self(Box::new(Problem {
            kind: "about:blank".into(),
            title: status.canonical_reason().unwrap_or_default().into(),
            status: status.as_u16(),
            code: code.into(),
            detail: detail.into(),
            path: None,
            current: None,
        }))
    }

    /// A field that is refused: 422.
    pub fn field(error: &FieldError) -> Self {
        let mut problem = Self::new(
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            error.message.clone(),
        );
        problem.0.path = (!error.path.is_empty()).then(|| error.path.clone());
        problem
    }

    /// A field of the request that is refused: 422.
    pub fn at(path: &str, detail: impl Into<String>) -> Self {
        Self::field(&FieldError::new(path, detail))
    }

    /// What went wrong, in a sentence, with the field where one is to blame.
    pub(crate) fn told(&self) -> String {
        match &self.0.path {
            Some(path) if !path.is_empty() => format!("{path} {}", self.0.detail),
            _ => self.0.detail.clone(),
        }
    }

    /// A conflict is a missing precondition (428) where nobody said what the change is based on.
    pub(crate) fn unsaid(mut self) -> Self {
        if self.0.code == "stale" {
            let status = StatusCode::PRECONDITION_REQUIRED;
            self.0.status = status.as_u16();
            self.0.title = status.canonical_reason().unwrap_or_default().into();
            self.0.code = "unsaid".into();
            self.0.detail = "it is there already; say in If-Match which revision the change is \
                based on, or * to write over whatever is there"
                .into();
        }
        self
    }

    /// The server cannot do it now: 503.
    pub(crate) fn busy(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::SERVICE_UNAVAILABLE, "busy", detail)
    }

    /// Something that is not there: 404.
    pub fn missing(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::NOT_FOUND, "missing", detail)
    }
}

impl From<FieldError> for ApiError {
    fn from(error: FieldError) -> Self {
        Self::field(&error)
    }
}

impl From<StoreError> for ApiError {
    fn from(error: StoreError) -> Self {
        let detail = error.to_string();
        match error {
            StoreError::Missing { .. } => Self::missing(detail),
            StoreError::Stale { current, body, .. } => {
                let mut problem = Self::new(StatusCode::CONFLICT, "stale", detail);
                problem.0.current = Some(Current {
                    revision: current,
                    body,
                });
                problem
            }
            StoreError::Refused(field) => Self::field(&field),
            StoreError::NotArchive { .. } => Self::at("", detail),
            StoreError::Watched(_) => Self::new(StatusCode::CONFLICT, "watched", detail),
            StoreError::Nothing(_) => Self::new(StatusCode::CONFLICT, "nothing", detail),
            _ => {
                tracing::error!("{detail}");
                Self::new(StatusCode::INTERNAL_SERVER_ERROR, "store", detail)
            }
        }
    }
}

impl IntoResponse for ApiError {
    fn into_response(self) -> Response {
        let status =
            StatusCode::from_u16(self.0.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        (
            status,
            [(header::CONTENT_TYPE, "application/problem+json")],
            Json(*self.0).into_response().into_body(),
        )
            .into_response()
    }
}

/// The answer where a handler panicked: the server goes on.
pub(crate) fn after_panic(_: Box<dyn Any + Send + 'static>) -> Response {
    let detail = "something went wrong inside; nothing was changed. Please report what you did.";
    ApiError::new(StatusCode::INTERNAL_SERVER_ERROR, "inside", detail).into_response()
}
