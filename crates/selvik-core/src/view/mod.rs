//! From where one looks: viewpoints, standard views, framing, views square to something, tours.

mod evidence;
mod framing;
mod lens;
mod standard;
mod tour;
mod viewpoint;

pub use evidence::evidence_viewpoint;
pub use framing::frame;
pub use lens::{FILM_WIDTH_MM, lens_mm_to_rad, lens_rad_to_mm};
pub use standard::{ISOMETRIC_ELEVATION, StandardView};
pub use tour::{Stop, Tour, TourError};
pub use viewpoint::{Projection, Viewpoint};
