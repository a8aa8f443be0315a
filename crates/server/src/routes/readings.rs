//! Readings of meters that were kept as they came: plotted, paged, as a file, and for how long they
//! are kept.

use super::blocking;
use super::body::StrictJson;
use crate::bodies::live::{
    ReadingRow, ReadingRows, ReadingSeries, ReadingSpan, Readings, ReadingsKept, ReadingsPlot,
};
use crate::error::ApiError;
use crate::state::AppState;
use ash_pond_store::readings::{Kept, MOST_POINTS, PAGE, SeriesRow};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use serde::Deserialize;

/// Points of a plot where nobody says how many.
const POINTS: u32 = 400;
/// The most days that can be said.
const MOST_DAYS: u32 = 36_500;

/// A stretch of time, in milliseconds since 1970.
#[derive(Debug, Deserialize)]
pub(super) struct Stretch {
    from_ms: Option<i64>,
    to_ms: Option<i64>,
    points: Option<u32>,
}

/// Where a page begins, and how much of it is wanted.
#[derive(Debug, Deserialize)]
pub(super) struct PageAt {
    from_ms: Option<i64>,
    most: Option<u32>,
}

/// The series of readings that are kept, and for how long.
#[utoipa::path(get, path = "/readings", responses(
    (status = 200, description = "The series", body = ref("#/components/schemas/Readings"))
))]
pub(super) async fn readings(State(state): State<AppState>) -> Result<Json<Readings>, ApiError> {
    let trouble = state.live.recording.trouble();
    let told = blocking(move || {
        let kept = state.store.kept()?;
        // Those of a watch are told with it.
        let series = state
            .store
            .series()?
            .into_iter()
            .filter(|it| !it.meter.starts_with("watch/"));
        let series = series.map(|it| ReadingSeries {
            id: it.id,
            meter: it.meter,
            name: it.name,
            unit: it.unit,
            first_ms: it.first_ms,
            last_ms: it.last_ms,
        });
        Ok(Readings {
            series: series.collect(),
            kept: ReadingsKept {
                all_days: kept.all_days,
                minute_days: kept.minute_days,
            },
            kept_words: words(kept),
            trouble,
        })
    });
    Ok(Json(told.await?))
}

fn words(kept: Kept) -> String {
    let days = |it: u32| {
        if it == 1 {
            "1 day".to_owned()
        } else {
            format!("{it} days")
        }
    };
    format!(
        "Every reading is kept for {}, the least, the most and the mean of each minute for {}, of \
        each hour for ever.",
        days(kept.all_days),
        days(kept.minute_days)
    )
}

/// Chooses for how long readings are kept. What is older goes within the hour.
#[utoipa::path(post, path = "/readings/kept",
    request_body(content = ref("#/components/schemas/ReadingsKept")), responses(
    (status = 204, description = "Chosen"),
    (status = 422, description = "It is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn choose_kept(
    State(state): State<AppState>,
    StrictJson(asked): StrictJson<ReadingsKept>,
) -> Result<StatusCode, ApiError> {
    for (path, days) in [
        ("all_days", asked.all_days),
        ("minute_days", asked.minute_days),
    ] {
        if !(1..=MOST_DAYS).contains(&days) {
            return Err(ApiError::at(
                path,
                format!("is {days}; say 1 to {MOST_DAYS} days"),
            ));
        }
    }
    if asked.minute_days < asked.all_days {
        return Err(ApiError::at(
            "minute_days",
            "is less than all_days; minutes are kept at least as long as readings",
        ));
    }
    blocking(move || {
        Ok(state.store.choose_kept(Kept {
            all_days: asked.all_days,
            minute_days: asked.minute_days,
        })?)
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A stretch of a series for a plot: the least, the most and the mean of each of its parts.
#[utoipa::path(get, path = "/readings/{series}", params(
    ("series" = i64, Path), ("from_ms" = Option<i64>, Query), ("to_ms" = Option<i64>, Query),
    ("points" = Option<u32>, Query, minimum = 1, maximum = 1000)), responses(
    (status = 200, description = "The stretch", body = ref("#/components/schemas/ReadingsPlot")),
    (status = 404, description = "No such series", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "More points than a plot has",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn plotted(
    State(state): State<AppState>,
    Path(series): Path<i64>,
    Query(stretch): Query<Stretch>,
) -> Result<Json<ReadingsPlot>, ApiError> {
    let points = stretch.points.unwrap_or(POINTS);
    if !(1..=MOST_POINTS).contains(&points) {
        return Err(ApiError::at(
            "points",
            format!("is {points}; ask for 1 to {MOST_POINTS}"),
        ));
    }
    let told = blocking(move || {
        let SeriesRow { name, unit, .. } = state.store.one_series(series)?;
        let (from, to) = (
            stretch.from_ms.unwrap_or(i64::MIN),
            stretch.to_ms.unwrap_or(i64::MAX),
        );
        let spans = state.store.thinned(series, from, to, points)?.into_iter();
        let spans = spans.map(|it| ReadingSpan {
            at_ms: it.at_ms,
            low: it.low,
            high: it.high,
            mean: it.mean,
            count: it.count,
        });
        Ok(ReadingsPlot {
            name,
            unit,
            spans: spans.collect(),
        })
    });
    Ok(Json(told.await?))
}

/// Readings of a series one by one, page by page.
#[utoipa::path(get, path = "/readings/{series}/rows", params(
    ("series" = i64, Path), ("from_ms" = Option<i64>, Query), ("most" = Option<u32>, Query,
        minimum = 1, maximum = 5000)),
    responses(
    (status = 200, description = "The page", body = ref("#/components/schemas/ReadingRows")),
    (status = 404, description = "No such series", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn rows(
    State(state): State<AppState>,
    Path(series): Path<i64>,
    Query(page): Query<PageAt>,
) -> Result<Json<ReadingRows>, ApiError> {
    let most = page.most.unwrap_or(PAGE).clamp(1, PAGE);
    let rows = blocking(move || {
        Ok(state
            .store
            .readings(series, page.from_ms.unwrap_or(i64::MIN), most)?)
    })
    .await?;
    let is_full = rows.len() >= most as usize;
    let next_ms = rows
        .last()
        .filter(|_| is_full)
        .map(|it| it.0.saturating_add(1));
    let rows = rows
        .into_iter()
        .map(|(at_ms, value)| ReadingRow { at_ms, value })
        .collect();
    Ok(Json(ReadingRows { rows, next_ms }))
}

/// Every reading of a series that is still there, as a CSV file that is written while it is read.
#[utoipa::path(get, path = "/readings/{series}/csv", params(("series" = i64, Path)), responses(
    (status = 200, description = "The readings", content_type = "text/csv", body = String),
    (status = 404, description = "No such series", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn csv(
    State(state): State<AppState>,
    Path(series): Path<i64>,
) -> Result<impl IntoResponse, ApiError> {
    let store = state.store.clone();
    let row = blocking(move || Ok(store.one_series(series)?)).await?;
    let head = format!(
        "time,{}\n",
        ash_pond_core::site::exchange::harmless(&format!("{} ({})", row.name, row.unit))
    );
    let store = state.store;
    let pieces = futures::stream::try_unfold((Some(i64::MIN), Some(head)), move |(from, head)| {
        let store = store.clone();
        async move {
            let Some(from) = from else { return Ok(None) };
            let page =
                tokio::task::spawn_blocking(move || store.readings(series, from, PAGE)).await;
            let page = page
                .map_err(std::io::Error::other)?
                .map_err(std::io::Error::other)?;
            let next = page
                .last()
                .filter(|_| page.len() >= PAGE as usize)
                .map(|it| it.0.saturating_add(1));
            let mut text = head.unwrap_or_default();
            for (at_ms, value) in page {
                let time = jiff::Timestamp::from_millisecond(at_ms)
                    .map(|it| it.to_string())
                    .unwrap_or_default();
                text += &format!("{time},{value}\n");
            }
            Ok::<_, std::io::Error>(Some((text, (next, None))))
        }
    });
    let headers = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8".to_owned()),
        (
            header::CONTENT_DISPOSITION,
            format!("attachment; filename=\"readings-{series}.csv\""),
        ),
    ];
    Ok((headers, Body::from_stream(pieces)))
}
