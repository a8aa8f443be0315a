//! Outages by API.

use super::body::StrictJson;
use super::{answered, computing};
use crate::bodies::outage::{
    ChancesQuestion, FillsQuestion, OutageQuestion, ReadyOutages, RechargeQuestion, RunsDone,
    ShedQuestion, StartsQuestion,
};
use crate::error::ApiError;
use crate::state::AppState;
use crate::told::{TELL_EVERY, habits_of, named};
use crate::usecase::outage as usecase;
use ash_pond_core::advice::charge::{Fills, Recharged};
use ash_pond_core::ground::say::Habits;
use ash_pond_core::time::outage::{Handle, ready_made};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, header};
use axum::response::IntoResponse;
use axum::response::sse::{Event, Sse};
use futures::stream::{self, Stream};
use serde::Deserialize;
use std::convert::Infallible;
use std::sync::Arc;

/// An outage marched through: the answer, everything over time, the switch and the return, and what
/// to do when.
#[utoipa::path(post, path = "/sites/{site}/outage", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/OutageQuestion")), responses(
    (status = 200, description = "The outage, told", body = ref("#/components/schemas/OutageTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn outage(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<OutageQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || usecase::told(&state.store, &state.answers, &site, &question))
        .await
        .map(answered)
}

/// Ends the runs when the reader goes away.
struct Leaving(Arc<Handle>, tokio::task::AbortHandle);

impl Drop for Leaving {
    fn drop(&mut self) {
        // Between two runs, and in the middle of one.
        self.0.cancel();
        self.1.abort();
    }
}

/// How sure the answer is: many runs over draws from the figures. A stream of server-sent events
/// named `progress`, and a last one named `done` with the answer. The runs end when the reader goes
/// away.
#[utoipa::path(post, path = "/sites/{site}/outage/chances", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/ChancesQuestion")), responses(
    (status = 200, description = "The stream; data of `progress` is a RunsDone, of `done` a \
        ChancesTold", content_type = "text/event-stream",
            body = ref("#/components/schemas/ChancesTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn chances(
    State(state): State<AppState>,
    Path(site): Path<String>,
    headers: HeaderMap,
    StrictJson(question): StrictJson<ChancesQuestion>,
) -> Result<Sse<impl Stream<Item = Result<Event, Infallible>>>, ApiError> {
    let habits = habits_of(&headers);
    let runs = question.runs;
    let handle = Arc::new(Handle::default());
    let store = Arc::clone(&state.store);
    let asked = question.clone();
    let ready = computing(move || usecase::ready_for_many(&store, &site, &asked)).await?;
    let (working, known) = (Arc::clone(&handle), state.answers.clone());
    drop(state);
    // The runs have a place among the computations.
    let many = move || Ok(usecase::many(&ready, &question, &known, &working));
    let work = tokio::spawn(computing(many));
    let leaving = Leaving(handle, work.abort_handle());
    let stream = stream::unfold(Some((work, leaving, runs, habits)), async |state| {
        let (mut work, leaving, runs, habits) = state?;
        match tokio::time::timeout(TELL_EVERY, &mut work).await {
            Err(_) => {
                let data = RunsDone {
                    done: leaving.0.done(),
                    of: runs,
                };
                Some((
                    Ok(named("progress", &data, habits)),
                    Some((work, leaving, runs, habits)),
                ))
            }
            Ok(Ok(Ok(Some(told)))) => Some((Ok(named("done", &told, habits)), None)),
            Ok(_) => None,
        }
    });
    Ok(Sse::new(stream))
}

/// What dropping devices buys the ones that matter more, and the best order.
#[utoipa::path(post, path = "/sites/{site}/outage/shed", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/ShedQuestion")), responses(
    (status = 200, description = "The board", body = ref("#/components/schemas/ShedBoard")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn shed(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<ShedQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || usecase::shed(&state.store, &state.answers, &site, &question))
        .await
        .map(answered)
}

/// An order and a spacing in which everything starts after a return, or why there is none.
#[utoipa::path(post, path = "/sites/{site}/outage/starts", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/StartsQuestion")), responses(
    (status = 200, description = "The order", body = ref("#/components/schemas/Starts")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn starts(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<StartsQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    computing(move || usecase::start_order(&state.store, &state.answers, &site, &question))
        .await
        .map(answered)
}

/// How long a store takes to fill again, by what the arrangement wires into it; and what is not
/// wired and would be faster.
#[utoipa::path(post, path = "/sites/{site}/outage/recharge", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/RechargeQuestion")), responses(
    (status = 200, description = "When it is how full",
        body = ref("#/components/schemas/Recharged")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question or a change is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn recharge(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<RechargeQuestion>,
) -> Result<Json<Recharged>, ApiError> {
    Ok(Json(
        computing(move || usecase::refill(&state.store, &site, &question)).await?,
    ))
}

/// Which source fills which store, straight and through each converter: one cell for each.
#[utoipa::path(post, path = "/sites/{site}/fills", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/FillsQuestion")), responses(
    (status = 200, description = "The cells", body = ref("#/components/schemas/Fills")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "A change is refused, or there are too many cells",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn fills(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<FillsQuestion>,
) -> Result<Json<Fills>, ApiError> {
    Ok(Json(
        computing(move || usecase::what_fills(&state.store, &site, &question)).await?,
    ))
}

/// Outages to start from.
#[utoipa::path(get, path = "/outages", responses(
    (status = 200, description = "They", body = ref("#/components/schemas/ReadyOutages"))
))]
pub(super) async fn ready_outages() -> Json<ReadyOutages> {
    Json(ReadyOutages {
        outages: ready_made(),
    })
}

/// Which outage is taken along.
#[derive(Debug, Deserialize)]
pub(super) struct Taken {
    arrangement: String,
    outage: String,
    /// Devices that are dropped, with commas between.
    #[serde(default)]
    drop: String,
    /// The charge of its own store below which each is dropped, 0 to 1; at the start where left
    /// out.
    below_soc: Option<f64>,
    /// Whether everything is used, whatever the outage says.
    use_everything: Option<bool>,
    /// How its reader writes numbers and units, in the words of the header.
    #[serde(default)]
    habits: Option<String>,
}

impl Taken {
    fn habits(&self) -> Habits {
        self.habits
            .as_deref()
            .and_then(|it| Habits::parse(it).ok())
            .unwrap_or(Habits::si())
    }

    fn question(self) -> OutageQuestion {
        let drop = self.drop.split(',').filter(|it| !it.is_empty());
        let drop = drop.map(|it| crate::bodies::outage::DropDevice {
            device: it.to_owned(),
            below_soc: self.below_soc,
        });
        OutageQuestion {
            arrangement: self.arrangement,
            outage: self.outage,
            drop: drop.collect(),
            use_everything: self.use_everything,
            moments: None,
            changes: Vec::new(),
        }
    }
}

fn attached(kind: &'static str, name: &str, text: String) -> impl IntoResponse + use<> {
    let name = format!("attachment; filename=\"{name}\"");
    (
        [
            (header::CONTENT_TYPE, kind.to_owned()),
            (header::CONTENT_DISPOSITION, name),
        ],
        text,
    )
}

/// What to do when, as an iCalendar file.
#[utoipa::path(get, path = "/sites/{site}/outage/calendar.ics", params(("site" = String, Path),
    ("arrangement" = String, Query), ("outage" = String, Query), ("drop" = Option<String>, Query),
    ("below_soc" = Option<f64>, Query), ("use_everything" = Option<bool>, Query),
        ("habits" = Option<String>, Query)), responses(
    (status = 200, description = "The calendar", content_type = "text/calendar", body = String),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn outage_calendar(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(taken): Query<Taken>,
) -> Result<impl IntoResponse, ApiError> {
    let habits = taken.habits();
    let question = taken.question();
    let file = computing(move || usecase::calendar(&state.store, &site, &question, habits)).await?;
    Ok(attached(
        "text/calendar; charset=utf-8",
        &format!("{}.ics", file.stem),
        file.text,
    ))
}

/// Everything over time, as a table.
#[utoipa::path(get, path = "/sites/{site}/outage/series.csv", params(("site" = String, Path),
    ("arrangement" = String, Query), ("outage" = String, Query), ("drop" = Option<String>, Query),
    ("below_soc" = Option<f64>, Query), ("use_everything" = Option<bool>, Query),
        ("habits" = Option<String>, Query)), responses(
    (status = 200, description = "The table", content_type = "text/csv", body = String),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn outage_series(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(taken): Query<Taken>,
) -> Result<impl IntoResponse, ApiError> {
    table(state, site, taken, false).await
}

/// What happens, as a table.
#[utoipa::path(get, path = "/sites/{site}/outage/events.csv", params(("site" = String, Path),
    ("arrangement" = String, Query), ("outage" = String, Query), ("drop" = Option<String>, Query),
    ("below_soc" = Option<f64>, Query), ("use_everything" = Option<bool>, Query),
        ("habits" = Option<String>, Query)), responses(
    (status = 200, description = "The table", content_type = "text/csv", body = String),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The question is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn outage_events(
    State(state): State<AppState>,
    Path(site): Path<String>,
    Query(taken): Query<Taken>,
) -> Result<impl IntoResponse, ApiError> {
    table(state, site, taken, true).await
}

/// What happens, or everything over time, as a file.
async fn table(
    state: AppState,
    site: String,
    taken: Taken,
    events: bool,
) -> Result<impl IntoResponse + use<>, ApiError> {
    let habits = taken.habits();
    let question = taken.question();
    let file =
        computing(move || usecase::table(&state.store, &site, &question, events, habits)).await?;
    Ok(attached(
        "text/csv; charset=utf-8",
        &format!("{}.csv", file.stem),
        file.text,
    ))
}
