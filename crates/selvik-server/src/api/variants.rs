//! Variants of a cell: changes that are swept by all workers without being made.

use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use selvik_cell::arranging::Posed;
use selvik_cell::edit::Edit;
use selvik_cell::variants::{MOST_VARIANTS, SeriesWanted, Variant, VariantOutcome, series};
use selvik_store::KeptVariant;
use serde::{Deserialize, Serialize};
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
    add(&app, id, &cell, &request.variants).await
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
    let moment = cell.moment_at(Some(request.time_s));
    let variants = series(&Posed::new(&cell.workcell, &moment), &request.wanted)?;
    add(&app, id, &cell, &variants).await
}

async fn add(
    app: &App,
    id: Uuid,
    cell: &OpenCell,
    variants: &[Variant],
) -> Result<Json<Vec<VariantState>>, Problem> {
    let added = variants.iter().map(|variant| {
        variant.applied(&cell.workcell.document)?;
        let edit = serde_json::to_value(&variant.edit).expect("plain data");
        Ok((variant.name.trim().to_owned(), edit))
    });
    let mut added = added.collect::<selvik_formats::Result<Vec<_>>>()?;
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
    let state = |kept: KeptVariant| {
        let fresh = kept.fingerprint.as_ref() == Some(&cell.fingerprint);
        Some(VariantState {
            id: kept.id,
            name: kept.name,
            // What an older build stored in other words is passed over.
            edit: serde_json::from_value(kept.edit).ok()?,
            wanted: kept.wanted,
            begun: kept.begun,
            outcome: kept.outcome.and_then(|o| serde_json::from_value(o).ok()),
            fresh,
        })
    };
    let kept = app.store.variants(id).await?;
    Ok(Json(kept.into_iter().filter_map(state).collect()))
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
    let deleted = app.store.delete_variants(id, None).await?;
    app.stop_varying(id, &wanted_of(deleted)).await;
    Ok(StatusCode::NO_CONTENT)
}

fn wanted_of(deleted: Vec<Option<Uuid>>) -> Vec<Uuid> {
    deleted.into_iter().flatten().collect()
}

/// Deletes a variant.
#[utoipa::path(delete, path = "/api/cells/{id}/variants/{variant}", params(("id" = Uuid, Path), ("variant" = Uuid, Path)),
    responses((status = 204)))]
pub async fn delete_variant(
    State(app): State<App>,
    Path((id, variant)): Path<(Uuid, Uuid)>,
) -> Result<StatusCode, Problem> {
    app.cells.get(id).await?;
    let deleted = app.store.delete_variants(id, Some(variant)).await?;
    if deleted.is_empty() {
        return Err(Problem::missing("that variant is not there any more"));
    }
    app.stop_varying(id, &wanted_of(deleted)).await;
    Ok(StatusCode::NO_CONTENT)
}
