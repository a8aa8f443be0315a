//! The stream of changes, by which windows stay in step.

use crate::events::Changed;
use crate::state::AppState;
use axum::extract::State;
use axum::response::sse::{Event, KeepAlive, Sse};
use futures::stream::{self, Stream};
use std::convert::Infallible;
use std::time::Duration;
use tokio::sync::broadcast::error::RecvError;

/// How often a silent stream says that it is still there.
const SIGN_OF_LIFE: Duration = Duration::from_secs(15);

/// Every change of any site as it happens, as server-sent events named `changed`. A listener that
/// fell behind gets one named `behind`, and reads its site anew.
#[utoipa::path(get, path = "/events", responses(
    (status = 200, description = "The stream; each event's data is a Changed",
        content_type = "text/event-stream", body = ref("#/components/schemas/Changed"))
))]
pub(super) async fn events(
    State(state): State<AppState>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let listening = state.events.listen();
    // The state itself, and with it the open folder, is not held for as long as the stream lasts.
    drop(state);
    let stream = stream::unfold(listening, async |(mut changes, mut ended)| {
        if *ended.borrow() {
            return None;
        }
        let event = tokio::select! {
            change = changes.recv() => match change {
                Ok(change) if !change.site.is_empty() => named(&change),
                Ok(_) | Err(RecvError::Lagged(_)) => Event::default().event("behind").data("{}"),
                Err(RecvError::Closed) => return None,
            },
            _ = ended.changed() => return None,
        };
        Some((Ok(event), (changes, ended)))
    });
    Sse::new(stream).keep_alive(KeepAlive::new().interval(SIGN_OF_LIFE))
}

fn named(change: &Changed) -> Event {
    Event::default()
        .event("changed")
        .data(serde_json::to_string(change).unwrap_or_default())
}
