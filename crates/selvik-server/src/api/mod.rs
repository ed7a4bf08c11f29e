//! The HTTP API. Its OpenAPI description is made from these types.

mod cells;
mod edits;
mod findings;
mod looking;
mod picture;

use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::App;

#[derive(OpenApi)]
#[openapi(info(title = "Selvik", description = "Robot workcells: looking, clearance and reach."))]
struct Description;

/// All routes with their description.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Description::openapi())
        .routes(routes!(cells::list_cells, cells::import_cell))
        .routes(routes!(cells::get_cell, cells::delete_cell))
        .routes(routes!(cells::export_cell))
        .routes(routes!(edits::edit_cell))
        .routes(routes!(edits::undo))
        .routes(routes!(edits::redo))
        .routes(routes!(picture::mesh))
        .routes(routes!(picture::track))
        .routes(routes!(picture::poses))
        .routes(routes!(picture::section))
        .routes(routes!(looking::standard_views))
        .routes(routes!(looking::frame_items))
        .routes(routes!(looking::frame_points))
        .routes(routes!(looking::face_on))
        .routes(routes!(looking::evidence))
        .routes(routes!(looking::tour_track))
        .routes(routes!(findings::start_sweep, findings::last_sweep))
        .routes(routes!(findings::stop_job))
        .routes(routes!(findings::reach))
}

/// The OpenAPI description as JSON.
///
/// # Panics
/// Never: the description is plain data.
#[must_use]
pub fn openapi() -> String {
    let (_, description) = router().split_for_parts();
    description.to_pretty_json().expect("plain data")
}
