//! The router, apart from `main`, so that tests can ask it without a socket.

pub use crate::state::AppState;
use crate::{embedded, guard, openapi, routes, told};
use axum::extract::DefaultBodyLimit;
use axum::{Router, middleware};
use std::sync::Arc;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::compression::CompressionLayer;

/// The largest body that is read, in bytes; a plan of ten thousand items is about half of it.
const LARGEST_BODY: usize = 8 * 1024 * 1024;

/// The whole application.
pub fn app(state: AppState) -> Router {
    let (api, described) = routes::all().split_for_parts();
    let document = Arc::new(openapi::complete(&described));
    let api = api
        .with_state(state.clone())
        .fallback(routes::nothing_here)
        .layer(middleware::from_fn(told::told));
    Router::new()
        .nest("/api", api)
        .route(
            "/api/openapi.json",
            axum::routing::get(async move || openapi::serve(&document)),
        )
        .fallback(embedded::serve)
        .layer(DefaultBodyLimit::max(LARGEST_BODY))
        .layer(middleware::from_fn(guard::in_time))
        .layer(CompressionLayer::new())
        .layer(middleware::from_fn_with_state(state, guard::guard))
        .layer(CatchPanicLayer::custom(crate::error::after_panic))
}

/// The description of the API as text, for the front end's types.
pub(crate) fn described() -> String {
    let (_, described) = routes::all().split_for_parts();
    serde_json::to_string_pretty(&openapi::complete(&described)).unwrap_or_default() + "\n"
}
