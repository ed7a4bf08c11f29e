//! From where one looks: viewpoints, standard views, framing, views square to something, tours.
//!
//! ```
//! use selvik_core::spatial::Point;
//! use selvik_core::view::{Projection, StandardView, Viewpoint, frame};
//!
//! let (bearing, elevation) = StandardView::FrontRight.angles();
//! assert!((elevation.to_degrees() - 35.264).abs() < 1e-3); // ISO 5456-3
//! let projection = Projection::Parallel { width: 1.0 };
//! let from = Viewpoint { pivot: Point::origin(), bearing: 0.0, elevation: 0.0, roll: 0.0, distance: 1.0, projection };
//! let both = [Point::new(-1.0, 0.0, 0.0), Point::new(1.0, 0.0, 0.0)];
//! let framed = frame(&from, &both, 1.6, 0.0);
//! assert_eq!(framed.projection, Projection::Parallel { width: 2.0 }); // m
//! # let _ = bearing;
//! ```

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
