//! Watches by API: outages that are happening, drills, and outages of the past.

use super::body::StrictJson;
use super::{blocking, computing};
use crate::bodies::watch::BeginsBy;
use crate::bodies::watch::{
    DrillClock, EntriesQuery, EntryAsked, LearnedAsked, LearnedTold, PastAsked, Reviewed, TakeBack,
    WatchAsked, WatchEntries, WatchTold, Watches,
};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::{review as looking_back, watches as usecase};
use ash_pond_core::ground::say::{Decimal, Habits};
use ash_pond_core::keeping::watch::Outlets;
use ash_pond_core::site::entry::{Around, DecimalMark};
use axum::Json;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;

type Place = Path<(String, i64)>;

/// The watches of a site, the latest first.
#[utoipa::path(get, path = "/sites/{site}/watches", params(("site" = String, Path)), responses(
    (status = 200, description = "The watches", body = ref("#/components/schemas/Watches")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn every_watch(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<Watches>, ApiError> {
    Ok(Json(
        blocking(move || usecase::list(&state.store, &site)).await?,
    ))
}

/// Begins to watch an outage that is happening, or a drill. One is watched at a site at a time.
#[utoipa::path(post, path = "/sites/{site}/watches", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/WatchAsked")), responses(
    (status = 201, description = "The watch", body = ref("#/components/schemas/WatchTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 409, description = "Another one goes on", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn begin_watch(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<WatchAsked>,
) -> Result<impl IntoResponse, ApiError> {
    let (own, at) = (state.clone(), site.clone());
    let told = computing(move || {
        let number = usecase::begin(&own.store, &at, &asked)?;
        usecase::told(&own.store, &own.watching, &at, number)
    });
    let told = told.await?;
    state.events.tell_watch(&site, told.number);
    let place = format!("/api/sites/{site}/watches/{}", told.number);
    Ok((StatusCode::CREATED, [(header::LOCATION, place)], Json(told)))
}

/// Brings in an outage of the past from a logger's file, to be looked back at.
#[utoipa::path(post, path = "/sites/{site}/watches/past", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/PastAsked")), responses(
    (status = 201, description = "The watch, which has ended",
        body = ref("#/components/schemas/WatchTold")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "The file or the question is refused",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn bring_in_watch(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<PastAsked>,
) -> Result<impl IntoResponse, ApiError> {
    let (own, at) = (state.clone(), site.clone());
    let told = computing(move || {
        let number = usecase::bring_in(&own.store, &at, &asked)?;
        usecase::told(&own.store, &own.watching, &at, number)
    });
    let told = told.await?;
    state.events.tell_watch(&site, told.number);
    let place = format!("/api/sites/{site}/watches/{}", told.number);
    Ok((StatusCode::CREATED, [(header::LOCATION, place)], Json(told)))
}

/// A watch at this moment: how long everything has, what comes, what to switch off, what was done.
#[utoipa::path(get, path = "/sites/{site}/watches/{number}", params(("site" = String, Path),
    ("number" = i64, Path)), responses(
    (status = 200, description = "The watch", body = ref("#/components/schemas/WatchTold")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "Nothing of it can be reckoned",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn one_watch(
    State(state): State<AppState>,
    Path((site, number)): Place,
) -> Result<Json<WatchTold>, ApiError> {
    Ok(Json(
        computing(move || usecase::told(&state.store, &state.watching, &site, number)).await?,
    ))
}

/// Where a device can be plugged over now: each outlet that its label allows, judged and tried from
/// here.
#[utoipa::path(get, path = "/sites/{site}/watches/{number}/outlets/{device}",
    params(("site" = String, Path), ("number" = i64, Path), ("device" = String, Path)), responses(
    (status = 200, description = "The outlets", body = ref("#/components/schemas/Outlets")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "No such device, or nothing of it can be reckoned",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn watch_outlets(
    State(state): State<AppState>,
    Path((site, number, device)): Path<(String, i64, String)>,
) -> Result<Json<Outlets>, ApiError> {
    Ok(Json(
        computing(move || usecase::outlets(&state.store, &state.watching, &site, number, &device))
            .await?,
    ))
}

/// A page of what was read, done, noted and noticed in a watch, the latest first.
#[utoipa::path(get, path = "/sites/{site}/watches/{number}/entries",
    params(("site" = String, Path), ("number" = i64, Path), ("before" = Option<u64>, Query),
        ("limit" = Option<u64>, Query)), responses(
    (status = 200, description = "The page", body = ref("#/components/schemas/WatchEntries")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "So many are not told at once",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn watch_entries(
    State(state): State<AppState>,
    Path((site, number)): Place,
    Query(asked): Query<EntriesQuery>,
) -> Result<Json<WatchEntries>, ApiError> {
    let (before, limit) = (asked.before, asked.limit);
    Ok(Json(
        blocking(move || usecase::page(&state.store, &site, number, before, limit)).await?,
    ))
}

/// Keeps what was read, done or noted. A reading that is strange is not kept: its question is told,
/// and it is kept once its reader is sure.
#[utoipa::path(post, path = "/sites/{site}/watches/{number}/entries", params(("site" = String,
    Path), ("number" = i64, Path)),
    request_body(content = ref("#/components/schemas/EntryAsked")), responses(
    (status = 200, description = "The watch with it", body = ref("#/components/schemas/WatchTold")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "It holds too many", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn enter(
    State(state): State<AppState>,
    Path((site, number)): Place,
    headers: HeaderMap,
    StrictJson(asked): StrictJson<EntryAsked>,
) -> Result<Json<WatchTold>, ApiError> {
    let habits = headers
        .get(crate::told::HEADER)
        .and_then(|it| it.to_str().ok());
    let habits = habits
        .and_then(|it| Habits::parse(it).ok())
        .unwrap_or(Habits::si());
    let decimal = if habits.decimal == Decimal::Comma {
        DecimalMark::Comma
    } else {
        DecimalMark::Point
    };
    let around = Around {
        decimal,
        ..Around::default()
    };
    let (own, at) = (state.clone(), site.clone());
    let told = computing(move || {
        let question = usecase::enter(&own.store, &own.watching, (&at, number), &asked, around)?;
        Ok(WatchTold {
            question,
            ..usecase::told(&own.store, &own.watching, &at, number)?
        })
    });
    let told = told.await?;
    state.events.tell_watch(&site, number);
    Ok(Json(told))
}

/// Takes an entry back, or lets it count again.
#[utoipa::path(post, path = "/sites/{site}/watches/{number}/entries/{entry}",
    params(("site" = String, Path), ("number" = i64, Path), ("entry" = i64, Path)),
    request_body(content = ref("#/components/schemas/TakeBack")), responses(
    (status = 200, description = "The watch with it", body = ref("#/components/schemas/WatchTold")),
    (status = 404, description = "No such site, watch or entry",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn take_back(
    State(state): State<AppState>,
    Path((site, number, entry)): Path<(String, i64, i64)>,
    StrictJson(asked): StrictJson<TakeBack>,
) -> Result<Json<WatchTold>, ApiError> {
    let (own, at) = (state.clone(), site.clone());
    let told = computing(move || {
        own.store.take_back(&at, number, entry, asked.undone)?;
        usecase::told(&own.store, &own.watching, &at, number)
    });
    let told = told.await?;
    state.events.tell_watch(&site, number);
    Ok(Json(told))
}

/// Sets the clock of a drill: how fast it runs, whether it stands, and a step.
#[utoipa::path(post, path = "/sites/{site}/watches/{number}/clock", params(("site" = String,
    Path), ("number" = i64, Path)),
    request_body(content = ref("#/components/schemas/DrillClock")), responses(
    (status = 200, description = "The drill", body = ref("#/components/schemas/WatchTold")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused, or no drill",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn set_watch_clock(
    State(state): State<AppState>,
    Path((site, number)): Place,
    StrictJson(asked): StrictJson<DrillClock>,
) -> Result<Json<WatchTold>, ApiError> {
    let (own, at) = (state.clone(), site.clone());
    let told = computing(move || {
        usecase::set_clock(&own.store, &at, number, asked)?;
        usecase::told(&own.store, &own.watching, &at, number)
    });
    let told = told.await?;
    state.events.tell_watch(&site, number);
    Ok(Json(told))
}

/// Ends a watch. What it knows is kept.
#[utoipa::path(post, path = "/sites/{site}/watches/{number}/end", params(("site" = String, Path),
    ("number" = i64, Path)), responses(
    (status = 200, description = "The watch, which has ended",
        body = ref("#/components/schemas/WatchTold")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "Nothing of it can be reckoned",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn end_watch(
    State(state): State<AppState>,
    Path((site, number)): Place,
) -> Result<Json<WatchTold>, ApiError> {
    let (own, at) = (state.clone(), site.clone());
    let told = computing(move || {
        usecase::end(&own.store, &at, number)?;
        usecase::told(&own.store, &own.watching, &at, number)
    });
    let told = told.await?;
    state.events.tell_watch(&site, number);
    Ok(Json(told))
}

/// Looks back at a watch: what was told at each hour beside what happened, the decisions beside the
/// best that could be known, and what was learned.
#[utoipa::path(get, path = "/sites/{site}/watches/{number}/review", params(("site" = String,
    Path), ("number" = i64, Path)), responses(
    (status = 200, description = "The review", body = ref("#/components/schemas/Reviewed")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "Nothing of it can be reckoned",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn review_watch(
    State(state): State<AppState>,
    Path((site, number)): Place,
) -> Result<Json<Reviewed>, ApiError> {
    Ok(Json(
        computing(move || looking_back::reviewed(&state.store, &site, number)).await?,
    ))
}

/// Looks at what a figure that was learned would change, or puts it into the plan as measured, as a
/// step that can be undone.
#[utoipa::path(post, path = "/sites/{site}/watches/{number}/learned", params(("site" = String,
    Path), ("number" = i64, Path)),
    request_body(content = ref("#/components/schemas/LearnedAsked")), responses(
    (status = 200, description = "What it changes", body = ref("#/components/schemas/LearnedTold")),
    (status = 404, description = "No such site or watch",
        body = ref("#/components/schemas/Problem")),
    (status = 409, description = "The element was changed meanwhile",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "Nothing was learned of it",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn use_learned(
    State(state): State<AppState>,
    Path((site, number)): Place,
    StrictJson(asked): StrictJson<LearnedAsked>,
) -> Result<Json<LearnedTold>, ApiError> {
    let (store, at) = (state.store.clone(), site.clone());
    let told = computing(move || looking_back::learned(&store, &at, number, &asked)).await?;
    if let Some(site_now) = &told.site {
        state.events.tell(&site, site_now.revision);
    }
    Ok(Json(told))
}

/// By which meter a watch begins by itself; none where it does not.
#[utoipa::path(get, path = "/sites/{site}/watches/begins", params(("site" = String, Path)),
    responses(
    (status = 200, description = "By which, or null", body = Option<serde_json::Value>),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn begins_by(
    State(state): State<AppState>,
    Path(site): Path<String>,
) -> Result<Json<Option<BeginsBy>>, ApiError> {
    let found = blocking(move || {
        state.store.plan(&site)?;
        let name = BeginsBy::name(&site);
        let body = state.store.setting(&name)?;
        body.map(|it| BeginsBy::read(&name, it)).transpose()
    });
    Ok(Json(found.await?))
}

/// Chooses by which meter a watch begins by itself; null for none.
#[utoipa::path(post, path = "/sites/{site}/watches/begins", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/BeginsBy")), responses(
    (status = 204, description = "Chosen"),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn choose_begins(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<Option<BeginsBy>>,
) -> Result<StatusCode, ApiError> {
    blocking(move || {
        let plan = state.store.plan(&site)?.plan;
        if let Some(it) = &asked {
            if !(1.0..=1000.0).contains(&it.below_v) {
                return Err(ApiError::at(
                    "below_v",
                    format!("is {}; say 1 to 1000 V", it.below_v),
                ));
            }
            if !state
                .store
                .meters()?
                .iter()
                .any(|meter| meter.id == it.meter)
            {
                return Err(ApiError::at(
                    "meter",
                    "names no meter; add it on the site's page",
                ));
            }
            if plan.arrangement(&it.arrangement).is_none() {
                return Err(ApiError::at("arrangement", "names no arrangement"));
            }
            if !plan
                .outages
                .iter()
                .any(|outage| outage.id.as_str() == it.outage)
            {
                return Err(ApiError::at("outage", "names no outage"));
            }
        }
        let body = asked.map(|it| serde_json::json!(it));
        Ok(state
            .store
            .set_setting(&BeginsBy::name(&site), body.as_ref())?)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}
