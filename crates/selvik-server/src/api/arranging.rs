//! Arranging items, and what is known of them.

use axum::Json;
use axum::extract::{Path, State};
use selvik_cell::arranging::{
    Arrange, FrameChoice, ItemFacts, ItemMass, NewArm, NewFrame, NewJoint, Posed, Subject,
    TargetFacts, TargetNamed, edit_of, facts_of, jointed, mass_of, new_arm, new_frame,
    target_facts,
};
use selvik_core::robot::Moment;
use selvik_formats::Result as FormatResult;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

use super::cell_detail::{CellDetail, detail};
use crate::App;
use crate::cells::{Brought, OpenCell};
use crate::error::Problem;

/// What is to be arranged, and how.
#[derive(Deserialize, ToSchema)]
pub struct ArrangeRequest {
    base_revision: i64,
    #[serde(flatten)]
    subject: Subject,
    /// The instant of the path at which it is done.
    time_s: f64,
    how: Arrange,
}

/// Arranges items, or a target.
#[utoipa::path(post, path = "/api/cells/{id}/arrange", params(("id" = Uuid, Path)), request_body = ArrangeRequest,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn arrange(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<ArrangeRequest>,
) -> Result<Json<CellDetail>, Problem> {
    let base = request.base_revision;
    let make = move |cell: &OpenCell| {
        let posed = Posed::new(&cell.workcell, &cell.moment_at(Some(request.time_s)));
        edit_of(&posed, &request.subject, &request.how)
    };
    let cell = app.commit_made(id, base, make, Brought::default()).await?;
    detail(&app, id, &cell).await
}

/// A new frame, and where it stands.
#[derive(Deserialize, ToSchema)]
pub struct FrameAdded {
    base_revision: i64,
    time_s: f64,
    #[serde(flatten)]
    frame: NewFrame,
}

/// Adds a frame or a TCP.
#[utoipa::path(post, path = "/api/cells/{id}/frames", params(("id" = Uuid, Path)), request_body = FrameAdded,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn add_frame(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<FrameAdded>,
) -> Result<Json<CellDetail>, Problem> {
    let base = request.base_revision;
    let make = move |cell: &OpenCell| {
        let posed = Posed::new(&cell.workcell, &cell.moment_at(Some(request.time_s)));
        new_frame(&posed, &request.frame)
    };
    let cell = app.commit_made(id, base, make, Brought::default()).await?;
    detail(&app, id, &cell).await
}

/// A new joint, and of what.
#[derive(Deserialize, ToSchema)]
pub struct JointAdded {
    base_revision: i64,
    /// The instant of the path at which its axis was picked.
    time_s: f64,
    /// Id of the item.
    item: String,
    joint: NewJoint,
}

/// Makes a mechanism of one joint of an item that has none.
#[utoipa::path(post, path = "/api/cells/{id}/joints", params(("id" = Uuid, Path)), request_body = JointAdded,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn add_joint(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<JointAdded>,
) -> Result<Json<CellDetail>, Problem> {
    let base = request.base_revision;
    let make = move |cell: &OpenCell| {
        let posed = Posed::new(&cell.workcell, &cell.moment_at(Some(request.time_s)));
        jointed(&posed, &request.item, &request.joint)
    };
    let cell = app.commit_made(id, base, make, Brought::default()).await?;
    detail(&app, id, &cell).await
}

/// A robot that is added by its table.
#[derive(Deserialize, ToSchema)]
pub struct ArmAdded {
    base_revision: i64,
    #[serde(flatten)]
    arm: NewArm,
}

/// Adds a robot by its Denavit–Hartenberg table, with a TCP at its last link.
#[utoipa::path(post, path = "/api/cells/{id}/arms", params(("id" = Uuid, Path)), request_body = ArmAdded,
    responses((status = 200, body = CellDetail), (status = 409, body = Problem)))]
pub async fn add_arm(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<ArmAdded>,
) -> Result<Json<CellDetail>, Problem> {
    let base = request.base_revision;
    let make = move |cell: &OpenCell| new_arm(&cell.workcell.document, &request.arm);
    let cell = app.commit_made(id, base, make, Brought::default()).await?;
    detail(&app, id, &cell).await
}

/// Which items, in which frame and when.
#[derive(Deserialize, ToSchema)]
pub struct FactsRequest {
    items: Vec<String>,
    frame: FrameChoice,
    time_s: f64,
}

/// What is known of items.
#[utoipa::path(post, path = "/api/cells/{id}/facts", params(("id" = Uuid, Path)), request_body = FactsRequest,
    responses((status = 200, body = [ItemFacts])))]
pub async fn facts(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<FactsRequest>,
) -> Result<Json<Vec<ItemFacts>>, Problem> {
    let cell = app.cells.get(id).await?;
    let facts = tokio::task::spawn_blocking(move || {
        let posed = Posed::new(&cell.workcell, &cell.moment_at(Some(request.time_s)));
        let facts = request
            .items
            .iter()
            .map(|id| facts_of(&posed, id, &request.frame));
        facts.collect::<FormatResult<Vec<_>>>()
    });
    Ok(Json(facts.await??))
}

/// Which target, in which frame and when.
#[derive(Deserialize, ToSchema)]
pub struct TargetFactsRequest {
    #[serde(flatten)]
    target: TargetNamed,
    frame: FrameChoice,
    time_s: f64,
}

/// Where a target of a program stands.
#[utoipa::path(post, path = "/api/cells/{id}/target-facts", params(("id" = Uuid, Path)), request_body = TargetFactsRequest,
    responses((status = 200, body = TargetFacts)))]
pub async fn facts_of_target(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<TargetFactsRequest>,
) -> Result<Json<TargetFacts>, Problem> {
    let cell = app.cells.get(id).await?;
    let posed = Posed::new(&cell.workcell, &cell.moment_at(Some(request.time_s)));
    Ok(Json(target_facts(&posed, &request.target, &request.frame)?))
}

/// Which items.
#[derive(Deserialize, ToSchema)]
pub struct MassesRequest {
    items: Vec<String>,
}

/// Volumes and areas of items. That of a robot takes a moment: its links stand in each other.
#[utoipa::path(post, path = "/api/cells/{id}/masses", params(("id" = Uuid, Path)), request_body = MassesRequest,
    responses((status = 200, body = [ItemMass])))]
pub async fn masses(
    State(app): State<App>,
    Path(id): Path<Uuid>,
    Json(request): Json<MassesRequest>,
) -> Result<Json<Vec<ItemMass>>, Problem> {
    let cell = app.cells.get(id).await?;
    let masses = tokio::task::spawn_blocking(move || {
        let posed = Posed::new(
            &cell.workcell,
            &Moment::of_roster(cell.workcell.rest.clone()),
        );
        request
            .items
            .iter()
            .map(|id| mass_of(&posed, id))
            .collect::<FormatResult<Vec<_>>>()
    });
    Ok(Json(masses.await??))
}
