//! What must stay on, what there is to run it from, and what a person types for a figure.

use super::body::StrictJson;
use super::{answered, computing};
use crate::bodies::plan::{
    CapacityQuestion, ClaimQuestion, EntryQuestion, EntryTarget, EntryTargets, NeedsQuestion,
};
use crate::error::ApiError;
use crate::state::AppState;
use crate::usecase::preview;
use ash_pond_core::advice::matters::matters as of_figures;
use ash_pond_core::advice::needs::{Needs, needs as of_plan};
use ash_pond_core::advice::supply::{Supply, supply as supply_of};
use ash_pond_core::ground::figure::Basis;
use ash_pond_core::site::claim::{Claim, Claimed, law};
use ash_pond_core::site::entry::{
    Around, Capacity, DecimalMark, Entry, Target, capacity as size_of, read,
};
use ash_pond_core::site::plan::ConverterKind;
use axum::Json;
use axum::extract::{Path, State};
use axum::response::IntoResponse;

/// What must stay on: each device by itself, and all of them together.
#[utoipa::path(post, path = "/sites/{site}/needs", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/NeedsQuestion")), responses(
    (status = 200, description = "The needs", body = ref("#/components/schemas/Needs")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "A change is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn needs(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<NeedsQuestion>,
) -> Result<Json<Needs>, ApiError> {
    Ok(Json(
        computing(move || {
            Ok(of_plan(&*preview::plan(
                &state.store,
                &site,
                &question.changes,
            )?))
        })
        .await?,
    ))
}

/// What there is to run things from: what stores give, outlets cost and converters lose.
#[utoipa::path(post, path = "/sites/{site}/supply", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/NeedsQuestion")), responses(
    (status = 200, description = "The supply", body = ref("#/components/schemas/Supply")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "A change is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn supply(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<NeedsQuestion>,
) -> Result<Json<Supply>, ApiError> {
    Ok(Json(
        computing(move || {
            Ok(supply_of(&*preview::plan(
                &state.store,
                &site,
                &question.changes,
            )?))
        })
        .await?,
    ))
}

/// Reads what a person typed for a figure, in the units that they have.
#[utoipa::path(post, path = "/entry",
    request_body(content = ref("#/components/schemas/EntryQuestion")), responses(
    (status = 200, description = "The figure, with the working of its conversion",
        body = ref("#/components/schemas/Entry")),
    (status = 422, description = "It cannot be read; the problem says why and what can",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn entry(
    StrictJson(asked): StrictJson<EntryQuestion>,
) -> Result<Json<Entry>, ApiError> {
    let target = Target::ALL
        .iter()
        .copied()
        .find(|it| it.word() == asked.target)
        .ok_or_else(|| {
            let known: Vec<_> = Target::ALL.iter().map(|it| it.word()).collect();
            ApiError::at(
                "target",
                format!("is \"{}\"; use one of {}", asked.target, known.join(", ")),
            )
        })?;
    if asked.volts.is_some_and(|it| !(it > 0.0 && it.is_finite())) {
        return Err(ApiError::at("volts", "must be above 0"));
    }
    let decimal = if asked.decimal_comma {
        DecimalMark::Comma
    } else {
        DecimalMark::Point
    };
    let EntryQuestion {
        volts,
        running,
        fahrenheit,
        feet,
        gauge,
        per_kwh,
        ..
    } = asked;
    let around = Around {
        volts,
        running,
        decimal,
        fahrenheit,
        feet,
        gauge,
        per_kwh,
    };
    read(&asked.text, target, around)
        .map(Json)
        .map_err(ApiError::from)
}

/// What a figure can be entered as, and how far it is taken to be off where no ± is typed.
#[utoipa::path(get, path = "/entry/targets", responses(
    (status = 200, description = "Every target", body = ref("#/components/schemas/EntryTargets"))
))]
pub(super) async fn targets() -> Json<EntryTargets> {
    let told = |it: Target| EntryTarget {
        target: it.word(),
        unit: it.unit(),
        examples: it.examples(),
        deserves: Basis::ALL
            .iter()
            .filter(|_| it.is_weighed())
            .map(|basis| (basis.word(), basis.deserves(it.unit())))
            .collect(),
    };
    Json(EntryTargets {
        targets: Target::ALL.iter().copied().map(told).collect(),
    })
}

/// What to measure next: the figures that nobody measured, by how much hangs on them.
#[utoipa::path(post, path = "/sites/{site}/matters", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/NeedsQuestion")), responses(
    (status = 200, description = "The figures, those on which most hangs first",
        body = ref("#/components/schemas/Matters")),
    (status = 404, description = "No such site", body = ref("#/components/schemas/Problem")),
    (status = 422, description = "A change is refused", body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn matters(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(question): StrictJson<NeedsQuestion>,
) -> Result<impl IntoResponse, ApiError> {
    let told = move || {
        let plan = preview::plan(&state.store, &site, &question.changes)?;
        state
            .answers
            .answer(&plan, "matters", &(), || Ok(of_figures(&plan)))
    };
    computing(told).await.map(answered)
}

/// Reads the size of a store by whatever its label says; several readings where it can mean several
/// things.
#[utoipa::path(post, path = "/sites/{site}/capacity", params(("site" = String, Path)),
    request_body(content = ref("#/components/schemas/CapacityQuestion")), responses(
    (status = 200, description = "What it can mean", body = ref("#/components/schemas/Capacity")),
    (status = 404, description = "No such site or source",
        body = ref("#/components/schemas/Problem")),
    (status = 422, description = "It cannot be read; the problem says why and what can",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn capacity(
    State(state): State<AppState>,
    Path(site): Path<String>,
    StrictJson(asked): StrictJson<CapacityQuestion>,
) -> Result<Json<Capacity>, ApiError> {
    let read = move || {
        let plan = state.store.plan(&site)?.plan;
        let missing = || ApiError::missing(format!("there is no source \"{}\"", asked.source));
        let source = plan.source(&asked.source).ok_or_else(missing)?;
        let decimal = if asked.decimal_comma {
            DecimalMark::Comma
        } else {
            DecimalMark::Point
        };
        let around = Around {
            decimal,
            ..Around::default()
        };
        size_of(&asked.text, source, around).map_err(ApiError::from)
    };
    Ok(Json(computing(read).await?))
}

/// A loss law from nothing but a label, by a stated rule and with the ± that this deserves.
#[utoipa::path(post, path = "/claim",
    request_body(content = ref("#/components/schemas/ClaimQuestion")), responses(
    (status = 200, description = "The law, with the rule in words",
        body = ref("#/components/schemas/Claimed")),
    (status = 422, description = "The label says something that cannot be",
        body = ref("#/components/schemas/Problem"))
))]
pub(super) async fn claim(
    StrictJson(asked): StrictJson<ClaimQuestion>,
) -> Result<Json<Claimed>, ApiError> {
    let kind = asked.kind.as_deref().map(|word| {
        ConverterKind::ALL
            .iter()
            .copied()
            .find(|it| it.word() == word)
            .ok_or_else(|| {
                let known: Vec<_> = ConverterKind::ALL.iter().map(|it| it.word()).collect();
                ApiError::at(
                    "kind",
                    format!("is \"{word}\"; use one of {}", known.join(", ")),
                )
            })
    });
    let label = Claim {
        kind: kind.transpose()?,
        alternating: asked.alternating,
        rated_w: asked.rated_w,
        efficiency: asked.efficiency,
        standby_w: asked.standby_w,
    };
    law(&label).map(Json).map_err(ApiError::from)
}
