//! The router, apart from `main`, so that tests can ask it without a socket.

use crate::access::Access;
use crate::copying::Asked;
use crate::events::Events;
use crate::live::Live;
use crate::usecase::answers::Answers;
use crate::watching::Watching;
use crate::{embedded, guard, openapi, routes, told};
use ash_pond_store::Store;
use axum::extract::DefaultBodyLimit;
use axum::{Router, middleware};
use std::sync::Arc;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;

/// The largest body that is read, in bytes; a plan of ten thousand items is about half of it.
const LARGEST_BODY: usize = 8 * 1024 * 1024;

/// What every request shares.
#[derive(Clone)]
pub struct AppState {
    /// The open data folder.
    pub store: Arc<Store>,
    /// The names under which other machines reach it; they are accepted as a `Host`. None on loopback.
    pub names: Arc<[String]>,
    /// Passphrases and sessions, where other machines reach it.
    pub access: Option<Arc<Access>>,
    /// Who is told of changes.
    pub events: Events,
    /// The meters that answer by themselves.
    pub live: Live,
    /// Answers that took long.
    pub answers: Answers,
    /// The watches that go on.
    pub watching: Watching,
    /// How much is asked: what can wait waits for quiet.
    pub asked: Asked,
}

impl AppState {
    /// State for a store that is asked under a loopback name.
    pub fn new(store: Store) -> Self {
        Self {
            store: Arc::new(store),
            names: Arc::default(),
            access: None,
            events: Events::default(),
            live: Live::default(),
            answers: Answers::default(),
            watching: Watching::default(),
            asked: Asked::default(),
        }
    }
}

/// The whole application.
pub fn app(state: AppState) -> Router {
    let (api, described) = routes::all().split_for_parts();
    let document = Arc::new(openapi::complete(&described));
    let api = api.with_state(state.clone()).fallback(routes::nothing_here).layer(middleware::from_fn(told::told));
    Router::new()
        .nest("/api", api)
        .route("/api/openapi.json", axum::routing::get(async move || openapi::serve(&document)))
        .fallback(embedded::serve)
        .layer(DefaultBodyLimit::max(LARGEST_BODY))
        .layer(middleware::from_fn(guard::in_time))
        .layer(CompressionLayer::new())
        .layer(middleware::from_fn_with_state(state, guard::guard))
        .layer(CatchPanicLayer::custom(crate::error::after_panic))
}
