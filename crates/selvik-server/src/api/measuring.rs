use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::document::PickDocument;
use selvik_cell::measuring::{Known, Measured, Measuring, Picked, measure, snap};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

use super::jogging::WithJoints;
use crate::App;
use crate::error::Problem;

/// Where the pointer meets a body, and when.
#[derive(Deserialize, ToSchema)]
pub struct PickRequest {
    #[serde(flatten)]
    picked: Picked,
    /// Id of the item in whose frame coordinates are told; the world's where absent.
    #[serde(default)]
    frame: Option<String>,
    #[serde(flatten)]
    with: WithJoints,
}

/// What is meant there.
#[derive(Serialize, ToSchema)]
pub struct PickAnswer {
    pick: PickDocument,
    known: Known,
}

/// What is meant where the pointer meets a body: a corner or an edge near it, else the face; and what is known of it.
#[utoipa::path(post, path = "/api/cells/{id}/pick", params(("id" = Uuid, Path)), request_body = PickRequest,
    responses((status = 200, body = PickAnswer)))]
pub async fn pick(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<PickRequest>,
) -> Result<Json<PickAnswer>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        let pick = snap(&asked, &request.picked)?;
        let wanted = Measuring {
            picks: vec![pick.clone()],
            frame: request.frame,
            volumes: false,
        };
        let mut measured = measure(&asked, &wanted)?;
        let known = measured.known.remove(0);
        Ok::<_, Problem>(PickAnswer { pick, known })
    });
    Ok(Json(found.await??))
}

/// What is to be measured, and when.
#[derive(Deserialize, ToSchema)]
pub struct MeasureRequest {
    #[serde(flatten)]
    wanted: Measuring,
    #[serde(flatten)]
    with: WithJoints,
}

/// All that is known of one thing that was picked, and what lies between two.
#[utoipa::path(post, path = "/api/cells/{id}/measure", params(("id" = Uuid, Path)), request_body = MeasureRequest,
    responses((status = 200, body = Measured)))]
pub async fn measure_picked(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<MeasureRequest>,
) -> Result<Json<Measured>, Problem> {
    let cell = app.cells.get(id).await?;
    let found = tokio::task::spawn_blocking(move || {
        let asked = request.with.of(&cell)?;
        Ok::<_, Problem>(measure(&asked, &request.wanted)?)
    });
    Ok(Json(found.await??))
}
