//! What can be seen, or come to in a straight line.

use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::access::{AccessAnswer, AccessWanted, ConeAnswer, ConeWanted};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::jogging::WithJoints;
use crate::App;
use crate::error::Problem;

/// What is to be come to, and when.
#[derive(Deserialize, ToSchema)]
pub struct AccessRequest {
    #[serde(flatten)]
    wanted: AccessWanted,
    #[serde(flatten)]
    with: WithJoints,
}

/// Which faces and places can be seen, or come to with a tool in a straight line, and what is in the way of the others.
#[utoipa::path(post, path = "/api/cells/{id}/access", params(("id" = Uuid, Path)), request_body = AccessRequest,
    responses((status = 200, body = AccessAnswer)))]
pub async fn access(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<AccessRequest>,
) -> Result<Json<AccessAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(selvik_cell::access::access(
            &asked,
            &cell.files,
            &request.wanted,
        )?)
    });
    Ok(Json(found.await??))
}

/// Which place is to be come to, and when.
#[derive(Deserialize, ToSchema)]
pub struct ConeRequest {
    #[serde(flatten)]
    wanted: ConeWanted,
    #[serde(flatten)]
    with: WithJoints,
}

/// From which directions a place can be come to, and the widest cone of them.
#[utoipa::path(post, path = "/api/cells/{id}/access-cone", params(("id" = Uuid, Path)), request_body = ConeRequest,
    responses((status = 200, body = ConeAnswer)))]
pub async fn access_cone(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<ConeRequest>,
) -> Result<Json<ConeAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(selvik_cell::access::free_directions(
            &asked,
            &request.wanted,
        )?)
    });
    Ok(Json(found.await??))
}
