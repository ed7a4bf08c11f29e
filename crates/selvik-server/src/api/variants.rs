//! Variants of a cell: changes that are swept by all workers without being made.

use std::sync::Arc;

use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use selvik_cell::arranging::Posed;
use selvik_cell::edit::Edit;
use selvik_cell::variants::{MOST_VARIANTS, SeriesWanted, Variant, VariantOutcome, places, series};
use selvik_store::KeptVariant;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;
use uuid::Uuid;

use crate::App;
use crate::cells::OpenCell;
use crate::error::Problem;

/// A variant, and how it stands.
#[derive(Serialize, ToSchema)]
pub struct VariantState {
    /// Which.
    id: Uuid,
    /// What people call it.
    name: String,
    /// The change.
    edit: Edit,
    /// Whether it is to be swept.
    wanted: bool,
    /// Whether somebody works on that.
    begun: bool,
    /// What it came to, if it was swept.
    outcome: Option<VariantOutcome>,
    /// Whether that is of the cell as it is now.
    fresh: bool,
    /// Its place among all, 0 the best; what is not known comes last.
    place: usize,
}

/// Variants to add.
#[derive(Deserialize, ToSchema)]
pub struct NewVariants {
    variants: Vec<Variant>,
}

/// A series of places to add, from where things stand at an instant.
#[derive(Deserialize, ToSchema)]
pub struct NewSeries {
    time_s: f64,
    #[serde(flatten)]
    wanted: SeriesWanted,
}

/// Adds variants to a cell and wants them swept; those that are there already are left out.
#[utoipa::path(post, path = "/api/cells/{id}/variants", params(("id" = Uuid, Path)), request_body = NewVariants,
    responses((status = 200, body = [VariantState])))]
pub async fn add_variants(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<NewVariants>,
) -> Result<Json<Vec<VariantState>>, Problem> {
    let cell = app.cells.get(id).await?;
    add(&app, id, &cell, |_| Ok(request.variants)).await
}

/// Adds a series of places of items as variants and wants them swept; those that are there already are left out.
#[utoipa::path(post, path = "/api/cells/{id}/variants/series", params(("id" = Uuid, Path)), request_body = NewSeries,
    responses((status = 200, body = [VariantState])))]
pub async fn add_series(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<NewSeries>,
) -> Result<Json<Vec<VariantState>>, Problem> {
    let cell = app.cells.get(id).await?;
    add(&app, id, &cell, move |cell| {
        let moment = cell.moment_at(Some(request.time_s));
        series(&Posed::new(&cell.workcell, &moment), &request.wanted)
    })
    .await
}

/// Adds variants that are worked out beside what is answered: a document is changed for each.
async fn add(
    app: &App,
    id: Uuid,
    cell: &Arc<OpenCell>,
    variants: impl FnOnce(&OpenCell) -> selvik_formats::Result<Vec<Variant>> + Send + 'static,
) -> Result<Json<Vec<VariantState>>, Problem> {
    let of = Arc::clone(cell);
    let added = tokio::task::spawn_blocking(move || {
        let stored = |variant: Variant| {
            variant.applied(&of.workcell.document)?;
            let edit = serde_json::to_value(&variant.edit).expect("plain data");
            Ok((variant.name.trim().to_owned(), edit))
        };
        let all = variants(&of)?.into_iter().map(stored);
        all.collect::<selvik_formats::Result<Vec<(String, Value)>>>()
    });
    let mut added = added.await??;
    // What is there already is not there twice.
    let there = app.store.variants(id).await?;
    added.retain(|(name, edit)| !there.iter().any(|v| v.name == *name && v.edit == *edit));
    let jobs = app.store.add_variants(id, &added, MOST_VARIANTS).await?;
    let Some(jobs) = jobs else {
        let said = format!("a cell has at most {MOST_VARIANTS} variants; delete some first");
        return Err(Problem::refused(said));
    };
    app.queue_variants(id, &jobs).await?;
    told(app, id, cell).await
}

/// The variants of a cell, in the order in which they were added.
#[utoipa::path(get, path = "/api/cells/{id}/variants", params(("id" = Uuid, Path)),
    responses((status = 200, body = [VariantState])))]
pub async fn variants(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<VariantState>>, Problem> {
    let cell = app.cells.get(id).await?;
    told(&app, id, &cell).await
}

async fn told(app: &App, id: Uuid, cell: &OpenCell) -> Result<Json<Vec<VariantState>>, Problem> {
    // What an older build stored in other words is passed over, or is not known.
    let read = |kept: &KeptVariant| {
        let edit: Edit = serde_json::from_value(kept.edit.clone()).ok()?;
        let outcome = kept.outcome.clone();
        let outcome: Option<VariantOutcome> = outcome.and_then(|o| serde_json::from_value(o).ok());
        Some((edit, outcome))
    };
    let kept = app.store.variants(id).await?;
    let (mut states, mut outcomes) = (Vec::new(), Vec::new());
    for kept in kept {
        let Some((edit, outcome)) = read(&kept) else {
            continue;
        };
        outcomes.push(outcome.clone());
        states.push(VariantState {
            id: kept.id,
            name: kept.name,
            edit,
            wanted: kept.wanted,
            begun: kept.begun,
            fresh: outcome.is_some() && kept.fingerprint.as_ref() == Some(&cell.fingerprint),
            outcome,
            place: 0,
        });
    }
    for (state, place) in states.iter_mut().zip(places(&outcomes)) {
        state.place = place;
    }
    Ok(Json(states))
}

/// Wants those variants swept that were not, or on an older model.
#[utoipa::path(post, path = "/api/cells/{id}/variants/sweep", params(("id" = Uuid, Path)),
    responses((status = 200, body = [VariantState])))]
pub async fn sweep_variants(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<Json<Vec<VariantState>>, Problem> {
    let cell = app.cells.get(id).await?;
    let wanted = app.store.want_variants(id, &cell.fingerprint).await?;
    app.queue_variants(id, &wanted).await?;
    told(&app, id, &cell).await
}

/// Stops sweeping variants; those that were swept keep what they came to.
#[utoipa::path(post, path = "/api/cells/{id}/variants/stop", params(("id" = Uuid, Path)), responses((status = 204)))]
pub async fn stop_variants(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    app.cells.get(id).await?;
    let stopped = app.store.stop_variants(id).await?;
    app.stop_varying(id, &stopped).await;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes all variants of a cell.
#[utoipa::path(delete, path = "/api/cells/{id}/variants", params(("id" = Uuid, Path)), responses((status = 204)))]
pub async fn delete_variants(
    State(app): State<App>,
    Path(id): Path<Uuid>,
) -> Result<StatusCode, Problem> {
    app.cells.get(id).await?;
    let (_, wanted) = app.store.delete_variants(id, None).await?;
    app.stop_varying(id, &wanted).await;
    Ok(StatusCode::NO_CONTENT)
}

/// Deletes a variant.
#[utoipa::path(delete, path = "/api/cells/{id}/variants/{variant}", params(("id" = Uuid, Path), ("variant" = Uuid, Path)),
    responses((status = 204)))]
pub async fn delete_variant(
    State(app): State<App>,
    Path((id, variant)): Path<(Uuid, Uuid)>,
) -> Result<StatusCode, Problem> {
    app.cells.get(id).await?;
    let (gone, wanted) = app.store.delete_variants(id, Some(variant)).await?;
    if gone == 0 {
        return Err(Problem::missing("that variant is not there any more"));
    }
    app.stop_varying(id, &wanted).await;
    Ok(StatusCode::NO_CONTENT)
}
