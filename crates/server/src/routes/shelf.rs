//! The shelf by API: what runs what, and the smallest that would do.

use super::body::StrictJson;
use super::{answered, computing};
use crate::bodies::shelf::{
    CandidatesQuestion, FindQuestion, FinderSoFar, RunsQuestion, SmallestQuestion, WinsQuestion,
};
use crate::error::ApiError;
use crate::state::AppState;
use crate::told::{TELL_EVERY, habits_of, named};
use crate::usecase::shelf as usecase;
use ash_pond_core::advice::shelf::{Progress, Smallest, SmallestKind};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::HeaderMap;
use axum::response::IntoResponse;
use axum::response::sse::{Event, Sse};
use futures::stream::{self, Stream};
use std::convert::Infallible;
use std::sync::Arc;

impl SmallestQuestion {
    /// What is made smaller.
    pub(crate) fn kind(&self) -> Result<SmallestKind, ApiError> {
        let known = || {
            SmallestKind::ALL
                .iter()
                .map(|it| it.word())
                .collect::<Vec<_>>()
                .join(", ")
        };
        let found = SmallestKind::ALL
            .iter()
            .copied()
            .find(|it| it.word() == self.what);
        found.ok_or_else(|| {
            ApiError::at(
                "what",
                format!("is \"{}\"; there are {}", self.what, known()),
            )
        })
    }
}

/// Which port runs which device, alone and together: one cell for each, with the arrangement that
/// was judged.
#[utoipa::path(post, path = "/sites/{site}/runs", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/RunsQuestion")), responses(
    (status = 200, description = "The cells", body = ref("#/components/schemas/Runs")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn runs(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<RunsQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || usecase::what_runs(&state.store, &state.answers, &site, &question))
        .await
        .map(answered)
}

/// How small a store, a lead or an inverter would still do, how long a lead, or how late an engine
/// may start.
#[utoipa::path(post, path = "/sites/{site}/smallest", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/SmallestQuestion")), responses(
    (status = 200, description = "The size", body = ref("#/components/schemas/Smallest")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn smallest(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<SmallestQuestion>,
) -> Result<Json<Smallest>, ApiError> {
    Ok(Json(
        computing(move || usecase::least(&state.store, &site, &question)).await?,
    ))
}

/// Which chains run some devices for so long, with what is owned and what could be bought: the
/// front that nothing betters.
#[utoipa::path(post, path = "/sites/{site}/find", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/FindQuestion")), responses(
    (status = 200, description = "The front", body = ref("#/components/schemas/FinderAnswer")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn find(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<FindQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || usecase::finder(&state.store, &state.answers, &site, &question))
        .await
        .map(answered)
}

/// Ends the search when the reader goes away.
struct Leaving(tokio::task::AbortHandle);

impl Drop for Leaving {
    fn drop(&mut self) {
        self.0.abort();
    }
}

/// The same as a stream of server-sent events: `progress` with how far it is and what was found
/// until now, and a last one named `done` with the answer. The search ends when the reader goes
/// away; what was told last then stands as it was told.
#[utoipa::path(post, path = "/sites/{site}/find/progress", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/FindQuestion")), responses(
    (status = 200, description = "The stream; data of `progress` is a FinderSoFar, of `done` a \
        FinderAnswer", content_type = "text/event-stream",
            body = ref("#/components/schemas/FinderSoFar")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn find_progress(
    State(state): State<AppState>,
    Path(site): Path<String>,
    headers: HeaderMap,
    StrictJson(question): StrictJson<FindQuestion>,
) -> Result<Sse<impl Stream<Item = Result<Event, Infallible>>>, ApiError> {
    let habits = habits_of(&headers);
    let store = Arc::clone(&state.store);
    let ready = computing(move || usecase::finder_ready(&store, &site, &question)).await?;
    let progress = Arc::new(Progress::default());
    let (known, watched) = (state.answers.clone(), Arc::clone(&progress));
    drop(state);
    let work = tokio::spawn(computing(move || {
        usecase::finder_watched(&ready, &known, &watched)
    }));
    let leaving = Leaving(work.abort_handle());
    let stream = stream::unfold(Some((work, leaving, progress, 0, habits)), async |state| {
        let (mut work, leaving, progress, seen, habits) = state?;
        match tokio::time::timeout(TELL_EVERY, &mut work).await {
            Err(_) => {
                let more = progress.more_than(seen);
                let (seen, found) = more.map_or((seen, None), |(seen, found)| (seen, Some(found)));
                let data = FinderSoFar {
                    tried: progress.tried(),
                    branches: progress.branches(),
                    found,
                };
                Some((
                    Ok(named("progress", &data, habits)),
                    Some((work, leaving, progress, seen, habits)),
                ))
            }
            Ok(Ok(Ok(answer))) => {
                let text = ash_pond_core::ground::say::render(&answer.text, &habits);
                Some((Ok(Event::default().event("done").data(text)), None))
            }
            Ok(_) => None,
        }
    });
    Ok(Sse::new(stream))
}

/// What a single purchase or change wins: hours of some devices, per coin and per kilogram; what is
/// not worth it, and why.
#[utoipa::path(post, path = "/sites/{site}/wins", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/WinsQuestion")), responses(
    (status = 200, description = "Purchases and changes", body = ref("#/components/schemas/Wins")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn wins(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<WinsQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || usecase::winning(&state.store, &state.answers, &site, &question))
        .await
        .map(answered)
}

/// One box or parts, two batteries over years, or two inverters: each carried out, with its money,
/// weight, years and parts.
#[utoipa::path(post, path = "/sites/{site}/candidates", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/CandidatesQuestion")), responses(
    (status = 200, description = "The candidates side by side",
        body = ref("#/components/schemas/Candidates")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn candidates(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<CandidatesQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || usecase::side_by_side(&state.store, &state.answers, &site, &question))
        .await
        .map(answered)
}
