//! The routes: each takes a request apart, calls its use case, and puts the answer together.

mod backups;
mod body;
mod compare;
mod elements;
mod evaluate;
mod events;
mod exchange;
mod log;
mod meters;
mod needs;
mod outage;
mod paper;
mod readings;
mod session;
mod shelf;
mod sites;
mod tests;
mod walks;
mod watches;

use crate::bodies::plan::Health;
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::answers::Answer;
use ash_pond_core::ground::work::{Job, Stopped, within};
use axum::Json;
use axum::http::{HeaderMap, HeaderName, header};
use axum::response::IntoResponse;
use std::sync::Arc;
use tokio::sync::Semaphore;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

#[derive(OpenApi)]
#[openapi(info(
    title = "Ash Pond",
    description = "Keeps low-power critical devices running through outages and off the grid.",
    license(name = "MIT", identifier = "MIT")
))]
struct Described;

/// Every route below `/api`.
pub(crate) fn all() -> OpenApiRouter<AppState> {
    OpenApiRouter::with_openapi(Described::openapi())
        .routes(routes!(health))
        .routes(routes!(
            session::session,
            session::sign_in,
            session::sign_out
        ))
        .routes(routes!(session::sessions))
        .routes(routes!(session::end_session))
        .routes(routes!(backups::copies))
        .routes(routes!(backups::backup, backups::restore))
        .routes(routes!(backups::archive))
        .routes(routes!(backups::open_archive))
        .routes(routes!(sites::list, sites::create))
        .routes(routes!(sites::plan, sites::replace))
        .routes(routes!(elements::read, elements::write, elements::remove))
        .routes(routes!(elements::change_all))
        .routes(routes!(needs::needs))
        .routes(routes!(needs::entry))
        .routes(routes!(needs::targets))
        .routes(routes!(needs::supply))
        .routes(routes!(needs::matters))
        .routes(routes!(needs::capacity))
        .routes(routes!(needs::claim))
        .routes(routes!(exchange::import))
        .routes(routes!(exchange::export))
        .routes(routes!(sites::remove_site))
        .routes(routes!(sites::copy_site))
        .routes(routes!(sites::restore_site))
        .routes(routes!(sites::undo))
        .routes(routes!(sites::redo))
        .routes(routes!(sites::journal))
        .routes(routes!(evaluate::evaluate))
        .routes(routes!(evaluate::working))
        .routes(routes!(compare::findings))
        .routes(routes!(compare::compare))
        .routes(routes!(compare::crossings))
        .routes(routes!(compare::fits))
        .routes(routes!(compare::stages))
        .routes(routes!(compare::difference))
        .routes(routes!(compare::decides))
        .routes(routes!(tests::protocols))
        .routes(routes!(tests::every_test, tests::begin_test))
        .routes(routes!(tests::keep_test))
        .routes(routes!(tests::test_file, tests::give_test_file))
        .routes(routes!(tests::look_at_file))
        .routes(routes!(tests::history))
        .routes(routes!(tests::past_figures))
        .routes(routes!(tests::figure_past))
        .routes(routes!(tests::next_tests))
        .routes(routes!(tests::instruments))
        .routes(routes!(
            tests::describe_instrument,
            tests::forget_instrument
        ))
        .routes(routes!(tests::preview_test))
        .routes(routes!(tests::use_test))
        .routes(routes!(tests::take_test_back))
        .routes(routes!(meters::meters))
        .routes(routes!(meters::keep_meter, meters::remove_meter))
        .routes(routes!(meters::set_meter))
        .routes(routes!(readings::readings))
        .routes(routes!(readings::choose_kept))
        .routes(routes!(readings::plotted))
        .routes(routes!(readings::rows))
        .routes(routes!(readings::csv))
        .routes(routes!(outage::outage))
        .routes(routes!(outage::chances))
        .routes(routes!(outage::shed))
        .routes(routes!(outage::starts))
        .routes(routes!(outage::recharge))
        .routes(routes!(outage::fills))
        .routes(routes!(shelf::runs))
        .routes(routes!(shelf::smallest))
        .routes(routes!(shelf::find))
        .routes(routes!(shelf::find_progress))
        .routes(routes!(shelf::wins))
        .routes(routes!(shelf::candidates))
        .routes(routes!(outage::ready_outages))
        .routes(routes!(outage::outage_calendar))
        .routes(routes!(outage::outage_series))
        .routes(routes!(outage::outage_events))
        .routes(routes!(watches::every_watch, watches::begin_watch))
        .routes(routes!(watches::begins_by, watches::choose_begins))
        .routes(routes!(watches::bring_in_watch))
        .routes(routes!(watches::one_watch))
        .routes(routes!(watches::watch_outlets))
        .routes(routes!(watches::enter, watches::watch_entries))
        .routes(routes!(watches::take_back))
        .routes(routes!(watches::set_watch_clock))
        .routes(routes!(watches::end_watch))
        .routes(routes!(watches::review_watch))
        .routes(routes!(watches::use_learned))
        .routes(routes!(log::log_of_site, log::write_log))
        .routes(routes!(log::log_table))
        .routes(routes!(log::log_in_a_file))
        .routes(routes!(log::import_log))
        .routes(routes!(log::strike_log))
        .routes(routes!(log::add_log_file))
        .routes(routes!(log::read_log_file))
        .routes(routes!(log::log_thumb))
        .routes(routes!(log::due_of_site))
        .routes(routes!(log::answer_check))
        .routes(routes!(log::own_check))
        .routes(routes!(log::due_calendar))
        .routes(routes!(log::battery_health))
        .routes(routes!(log::one_item))
        .routes(routes!(paper::report))
        .routes(routes!(paper::labels))
        .routes(routes!(paper::paper_words, paper::write_paper_words))
        .routes(routes!(walks::walk))
        .routes(routes!(walks::reading))
        .routes(routes!(compare::ready_made))
        .routes(routes!(compare::plan_schema))
        .routes(routes!(events::events))
}

/// Whether the server is well.
#[utoipa::path(get, path = "/health", responses((status = 200, description = "It is well",
    body = ref("#/components/schemas/Health"))))]
async fn health() -> Json<Health> {
    Json(Health {
        status: "well".into(),
        version: env!("CARGO_PKG_VERSION").into(),
    })
}

/// The answer where no route is.
pub(crate) async fn nothing_here() -> ApiError {
    ApiError::missing("there is nothing at this address; /api/openapi.json describes what there is")
}

/// What `If-Match` says that a change is based on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Basis {
    /// Nothing: only what is new is written.
    Unsaid,
    /// `*`: whatever is there.
    Whatever,
    /// A revision, as `"7"` or `7`.
    At(i64),
}

impl Basis {
    fn of(headers: &HeaderMap) -> Result<Self, ApiError> {
        let Some(text) = headers.get(header::IF_MATCH) else {
            return Ok(Self::Unsaid);
        };
        let text = text
            .to_str()
            .unwrap_or("unreadable")
            .trim()
            .trim_matches('"');
        if text == "*" {
            return Ok(Self::Whatever);
        }
        let refused = || {
            ApiError::at(
                "If-Match",
                format!("is {text:?}; give the revision as a whole number in quotes"),
            )
        };
        text.parse().map(Self::At).map_err(|_| refused())
    }

    /// The revision that is held against what is there; 0 is: nothing.
    fn revision(self) -> Option<i64> {
        match self {
            Self::Unsaid => Some(0),
            Self::Whatever => None,
            Self::At(revision) => Some(revision),
        }
    }

    /// What is refused where something is there and nobody said what the change is based on is no
    /// conflict yet.
    fn told(self, error: ApiError) -> ApiError {
        if self == Self::Unsaid {
            error.unsaid()
        } else {
            error
        }
    }
}

/// The site from whose page something of the machine is changed: it becomes a step of that site,
/// which can be undone there.
#[derive(Debug, Clone, serde::Deserialize)]
struct OfSite {
    site: Option<String>,
}

impl OfSite {
    /// Tells the windows of the site that it has changed.
    fn tell(&self, state: &AppState, revision: Option<i64>) {
        if let (Some(site), Some(revision)) = (&self.site, revision) {
            state.events.tell(site, revision);
        }
    }
}

/// Computations at once; the next ones wait, apart from the threads that answer. Each may use all
/// cores.
const COMPUTING: usize = 3;
static PLACES: Semaphore = Semaphore::const_new(COMPUTING);

/// Stops a job when nobody waits for it any more: its reader has gone, or its time has passed.
struct Waiting(Arc<Job>);

impl Drop for Waiting {
    fn drop(&mut self) {
        self.0.stop();
    }
}

/// Runs work that touches the disk apart from the threads that answer. It ends when nobody waits
/// for it any more, and with the budget of a job.
async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ApiError> + Send + 'static,
) -> Result<T, ApiError> {
    let job = Job::begin();
    let waiting = Waiting(job.clone());
    let done = tokio::task::spawn_blocking(move || within(&job, work)).await;
    drop(waiting);
    match done {
        Ok(Ok(answer)) => answer,
        Ok(Err(Stopped::Told)) => Err(ApiError::busy(
            "it took too long and was stopped; ask for less",
        )),
        Ok(Err(Stopped::Budget)) => Err(ApiError::at(
            "",
            "it takes more steps than a question may; ask for less, or look for figures that \
            switch something on and off all the time",
        )),
        Err(panicked) => std::panic::resume_unwind(panicked.into_panic()),
    }
}

/// Runs work that computes: a few at once, the next ones wait.
async fn computing<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ApiError> + Send + 'static,
) -> Result<T, ApiError> {
    let place = PLACES
        .acquire()
        .await
        .map_err(|_| ApiError::busy("the server is stopping"))?;
    blocking(move || {
        let _place = place;
        work()
    })
    .await
}

/// A revision as an entity tag.
fn tag(revision: i64) -> [(header::HeaderName, String); 1] {
    [(header::ETAG, format!("\"{revision}\""))]
}

/// An answer as JSON; its header says whether it had been kept (RFC 9211).
fn answered(answer: Answer) -> impl IntoResponse {
    let status = if answer.kept {
        "ash-pond; hit"
    } else {
        "ash-pond; fwd=miss"
    };
    let headers = [
        (header::CONTENT_TYPE, "application/json"),
        (HeaderName::from_static("cache-status"), status),
    ];
    (headers, Arc::unwrap_or_clone(answer.text))
}
