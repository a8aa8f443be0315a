//! What asks the program: requests over connections that are kept.

use anyhow::{Context as _, Result};
use axum::body::{Body, Bytes};
use http::{Method, Request, StatusCode, header};
use http_body_util::{BodyExt as _, Full};
use hyper_util::client::legacy::Client as Pool;
use hyper_util::client::legacy::connect::HttpConnector;
use hyper_util::rt::TokioExecutor;
use serde_json::Value;
use std::time::{Duration, Instant};

/// The demo's site.
pub const SITE: &str = "/api/sites/hollin-lock";

/// Asks one server.
#[derive(Clone)]
pub struct Client {
    pool: Pool<HttpConnector, Full<Bytes>>,
    base: String,
}

/// An answer.
#[derive(Debug, Clone)]
pub struct Answer {
    /// Its status.
    pub status: StatusCode,
    /// Its body as it came.
    pub text: String,
    /// How long it took.
    pub took: Duration,
}

impl Answer {
    /// Its body as JSON; null where it is none.
    pub fn json(&self) -> Value {
        serde_json::from_str(&self.text).unwrap_or(Value::Null)
    }
}

impl Client {
    /// Asks the server at `base`, such as `http://127.0.0.1:8787`.
    pub fn new(base: &str) -> Self {
        Self {
            pool: Pool::builder(TokioExecutor::new()).build_http(),
            base: base.trim_end_matches('/').to_owned(),
        }
    }

    /// Sends a request, and waits for all of its answer. `kind` is what the body is.
    ///
    /// # Errors
    /// Where no answer comes, or not all of it.
    pub async fn ask(
        &self,
        method: Method,
        path: &str,
        kind: &str,
        body: impl Into<Bytes>,
    ) -> Result<Answer> {
        let body: Bytes = body.into();
        let mut request = Request::builder()
            .method(method.clone())
            .uri(format!("{}{path}", self.base));
        if !body.is_empty() {
            request = request.header(header::CONTENT_TYPE, kind);
        }
        if method == Method::PUT {
            request = request.header(header::IF_MATCH, "*");
        }
        let begun = Instant::now();
        let response = self.pool.request(request.body(Full::new(body))?).await?;
        let status = response.status();
        let bytes = Body::new(response.into_body()).collect().await?.to_bytes();
        let text = String::from_utf8(bytes.to_vec()).context("the answer is no text")?;
        Ok(Answer {
            status,
            text,
            took: begun.elapsed(),
        })
    }

    /// Gets.
    ///
    /// # Errors
    /// As [`Client::ask`].
    pub async fn get(&self, path: &str) -> Result<Answer> {
        self.ask(Method::GET, path, "application/json", Bytes::new())
            .await
    }

    /// Sends JSON.
    ///
    /// # Errors
    /// As [`Client::ask`].
    pub async fn send(&self, method: Method, path: &str, body: &Value) -> Result<Answer> {
        let text = if body.is_null() {
            String::new()
        } else {
            body.to_string()
        };
        self.ask(method, path, "application/json", text).await
    }
}
