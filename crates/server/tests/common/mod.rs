//! The router with the demo site, asked without a socket.

#![allow(dead_code, missing_docs, unreachable_pub)] // Each test binary uses its own part of it.

use ash_pond::app::{AppState, app};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::Store;
use axum::Router;
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use http_body_util::BodyExt;
use serde_json::Value;
use tempfile::TempDir;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tower::ServiceExt;

pub struct Api {
    pub router: Router,
    pub _folder: TempDir,
}

#[derive(Debug)]
pub struct Reply {
    pub status: StatusCode,
    pub headers: axum::http::HeaderMap,
    pub body: Value,
}

pub fn api() -> Api {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    store
        .create_site(&Plan::parse(ash_pond::DEMO_PLAN).unwrap())
        .unwrap();
    Api {
        router: app(AppState::new(store)),
        _folder: folder,
    }
}

/// The demo site with what was measured of it.
pub fn demo_api() -> Api {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    ash_pond::demo::fill(&store).unwrap();
    Api {
        router: app(AppState::new(store)),
        _folder: folder,
    }
}

impl Api {
    /// Sends a text as it is.
    pub async fn text(&self, method: &str, path: &str, text: &str) -> Reply {
        let is_file = path.contains("/file") || path.contains("/bench/look");
        let kind = if is_file {
            "text/csv"
        } else {
            "application/json"
        };
        let request = Request::builder()
            .method(method)
            .uri(path)
            .header(header::HOST, "127.0.0.1:8787");
        let request = request.header(header::CONTENT_TYPE, kind);
        self.send(request.body(Body::from(text.to_owned())).unwrap())
            .await
    }

    /// What comes back, as text.
    pub async fn raw(&self, path: &str) -> String {
        let request = Request::builder()
            .uri(path)
            .header(header::HOST, "127.0.0.1:8787");
        let response = self
            .router
            .clone()
            .oneshot(request.body(Body::empty()).unwrap())
            .await
            .unwrap();
        String::from_utf8(
            response
                .into_body()
                .collect()
                .await
                .unwrap()
                .to_bytes()
                .to_vec(),
        )
        .unwrap()
    }

    /// What a stream says until it ends, as text.
    pub async fn streamed(&self, path: &str, body: Value) -> String {
        let request = Request::builder()
            .method("POST")
            .uri(path)
            .header(header::HOST, "127.0.0.1:8787");
        let request = request.header(header::CONTENT_TYPE, "application/json");
        let response = self
            .router
            .clone()
            .oneshot(request.body(Body::from(body.to_string())).unwrap())
            .await
            .unwrap();
        String::from_utf8(
            response
                .into_body()
                .collect()
                .await
                .unwrap()
                .to_bytes()
                .to_vec(),
        )
        .unwrap()
    }

    pub async fn send(&self, request: Request<Body>) -> Reply {
        let response = self.router.clone().oneshot(request).await.unwrap();
        let (status, headers) = (response.status(), response.headers().clone());
        let bytes = response.into_body().collect().await.unwrap().to_bytes();
        Reply {
            status,
            headers,
            body: serde_json::from_slice(&bytes).unwrap_or(Value::Null),
        }
    }

    pub async fn ask(
        &self,
        method: &str,
        path: &str,
        body: Option<Value>,
        based_on: Option<&str>,
    ) -> Reply {
        let mut request = Request::builder()
            .method(method)
            .uri(path)
            .header(header::HOST, "127.0.0.1:8787");
        if let Some(revision) = based_on {
            request = request.header(header::IF_MATCH, revision);
        }
        if body.is_some() {
            request = request.header(header::CONTENT_TYPE, "application/json");
        }
        let body = body.map_or_else(Body::empty, |it| Body::from(it.to_string()));
        self.send(request.body(body).unwrap()).await
    }

    pub async fn get(&self, path: &str) -> Reply {
        self.ask("GET", path, None, None).await
    }

    pub async fn post(&self, path: &str, body: Value) -> Reply {
        self.ask("POST", path, Some(body), None).await
    }
}

pub const SITE: &str = "/api/sites/hollin-lock";

pub fn assert_problem(reply: &Reply, status: StatusCode, code: &str, words: &str) {
    assert_eq!(reply.status, status, "{}", reply.body);
    assert_eq!(
        reply.headers[header::CONTENT_TYPE],
        "application/problem+json"
    );
    assert_eq!(reply.body["code"], code);
    assert_eq!(reply.body["status"], status.as_u16());
    let told = format!(
        "{} {}",
        reply.body["path"].as_str().unwrap_or_default(),
        reply.body["detail"].as_str().unwrap()
    );
    assert!(told.contains(words), "“{words}” is not in: {told}");
}

/// Asks for a stream over a real connection, hears the first word of how far it is, and goes away.
pub async fn leave_while_it_works(api: &Api, path: &str, question: &Value) {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(axum::serve(listener, api.router.clone()).into_future());
    let body = question.to_string();
    let mut reader = tokio::net::TcpStream::connect(address).await.unwrap();
    let head = format!(
        "POST {path} HTTP/1.1\r\nhost: {address}\r\ncontent-type: \
        application/json\r\ncontent-length: {}\r\n\r\n",
        body.len()
    );
    reader.write_all((head + &body).as_bytes()).await.unwrap();
    let (mut heard, mut part) = (String::new(), [0; 4096]);
    while !heard.contains("event: progress") {
        assert!(
            heard.is_empty() || heard.starts_with("HTTP/1.1 200"),
            "{heard}"
        );
        let length = reader.read(&mut part).await.unwrap();
        assert!(length > 0, "the stream ended before any progress: {heard}");
        heard += &String::from_utf8_lossy(&part[..length]);
    }
    assert!(!heard.contains("event: done"), "{heard}");
}

/// The events of a stream, by their names.
pub fn events(text: &str) -> Vec<(String, Value)> {
    let blocks = text.split("\n\n").filter(|it| it.contains("event:"));
    let one = |block: &str| {
        let field = |name: &str| {
            let line = block.lines().find(|it| it.starts_with(name)).unwrap();
            line[name.len()..].trim().to_owned()
        };
        (
            field("event:"),
            serde_json::from_str(&field("data:")).unwrap(),
        )
    };
    blocks.map(one).collect()
}
