//! The HTTP API. Its OpenAPI description is made from these types.

mod access;
mod along;
mod arranging;
mod cell_detail;
mod cells;
mod description;
mod drawings;
mod earlier;
mod edits;
mod export;
mod findings;
mod imports;
pub mod jogging;
mod looking;
mod measuring;
mod picture;
mod rules;
mod targets;
mod trajectory;
mod trying;
mod uploads;
mod variants;
mod waiting;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::StatusCode;
pub use findings::FindingsRead;
use tower_http::timeout::{RequestBodyTimeoutLayer, TimeoutLayer};
use utoipa::OpenApi;
use utoipa::openapi::OpenApi as Document;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::App;
use crate::limits::{ANSWER, BODY, DOCUMENT, FILES, UPLOAD};

/// All routes with their description.
fn router() -> OpenApiRouter<App> {
    let late = |after| TimeoutLayer::with_status_code(StatusCode::SERVICE_UNAVAILABLE, after);
    let files = OpenApiRouter::new()
        .routes(routes!(cells::import_cell))
        .routes(routes!(imports::begin_import))
        .routes(routes!(imports::add_files))
        .layer(DefaultBodyLimit::max(FILES))
        .layer(RequestBodyTimeoutLayer::new(BODY))
        .layer(late(UPLOAD));
    let rest = documents()
        .layer(DefaultBodyLimit::max(DOCUMENT))
        .layer(RequestBodyTimeoutLayer::new(BODY))
        .layer(late(ANSWER));
    OpenApiRouter::with_openapi(description::Description::openapi())
        .merge(files)
        .merge(rest)
}

fn documents() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(cells::list_cells))
        .routes(routes!(cells::get_cell, cells::delete_cell))
        .routes(routes!(cells::new_cell))
        .routes(routes!(cells::restore_cell))
        .routes(routes!(cells::duplicate_cell))
        .routes(routes!(cells::thumbnail, cells::keep_thumbnail))
        .routes(routes!(cells::export_cell))
        .routes(routes!(export::export_items))
        .routes(routes!(imports::import_state, imports::stop_import))
        .routes(routes!(imports::store_import))
        .routes(routes!(edits::edit_cell))
        .routes(routes!(edits::deletion))
        .routes(routes!(arranging::arrange))
        .routes(routes!(arranging::facts))
        .routes(routes!(arranging::facts_of_target))
        .routes(routes!(arranging::masses))
        .routes(routes!(arranging::add_frame))
        .routes(routes!(arranging::add_joint))
        .routes(routes!(arranging::add_arm))
        .routes(routes!(trajectory::joint_trajectory))
        .routes(routes!(trajectory::lead_in))
        .routes(routes!(cell_detail::target_frames))
        .routes(routes!(targets::bring_targets, targets::program_targets))
        .routes(routes!(edits::undo))
        .routes(routes!(edits::redo))
        .routes(routes!(picture::mesh))
        .routes(routes!(picture::small_meshes))
        .routes(routes!(picture::track))
        .routes(routes!(picture::poses))
        .routes(routes!(picture::section))
        .routes(routes!(drawings::draw))
        .routes(routes!(drawings::draw_file))
        .routes(routes!(picture::open_edges))
        .routes(routes!(picture::overlap))
        .routes(routes!(jogging::jog))
        .routes(routes!(jogging::poses_with))
        .routes(routes!(jogging::distance_with))
        .routes(routes!(measuring::pick))
        .routes(routes!(measuring::measure_picked))
        .routes(routes!(measuring::nearest_to))
        .routes(routes!(measuring::overlapping))
        .routes(routes!(measuring::kept))
        .routes(routes!(measuring::kept_csv))
        .routes(routes!(jogging::inverse_with))
        .routes(routes!(rules::rule_between))
        .routes(routes!(rules::touching_pairs))
        .routes(routes!(rules::measured_against))
        .routes(routes!(looking::standard_views))
        .routes(routes!(looking::frame_items))
        .routes(routes!(looking::frame_points))
        .routes(routes!(looking::face_on))
        .routes(routes!(looking::evidence))
        .routes(routes!(looking::tour_track))
        .routes(routes!(findings::start_sweep, findings::last_sweep))
        .routes(routes!(findings::findings))
        .routes(routes!(findings::more_pairs))
        .routes(routes!(earlier::earlier_sweeps))
        .routes(routes!(earlier::name_sweep))
        .routes(routes!(earlier::compare))
        .routes(routes!(findings::stop_job))
        .routes(routes!(along::measured_along))
        .routes(routes!(along::reach_along))
        .routes(routes!(along::reach_outline))
        .routes(routes!(trying::try_out))
        .routes(routes!(trying::make_ready))
        .routes(routes!(trying::find_shift))
        .routes(routes!(trying::clearance_profile))
        .routes(routes!(trying::certain))
        .routes(routes!(trying::sweep_part))
        .routes(routes!(along::knots_about))
        .routes(routes!(
            variants::add_variants,
            variants::variants,
            variants::delete_variants
        ))
        .routes(routes!(variants::add_series))
        .routes(routes!(variants::sweep_variants))
        .routes(routes!(variants::stop_variants))
        .routes(routes!(variants::delete_variant))
        .routes(routes!(access::access))
        .routes(routes!(access::access_cone))
}

/// All routes, and their whole description.
pub fn described() -> (Router<App>, Document) {
    let (routes, description) = router().split_for_parts();
    (routes, description::complete(description))
}

/// The OpenAPI description as JSON.
///
/// # Panics
/// Never: the description is plain data.
#[must_use]
pub fn openapi() -> String {
    described().1.to_pretty_json().expect("plain data")
}
