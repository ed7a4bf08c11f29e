use super::{Projection, Viewpoint};
use crate::spatial::{Plane, Point, Vector};

/// The view that shows the gap between two points in its true length: square to the line between
/// them, as level as that allows, from the side (of the two, or of `directions` many) from which
/// `seen` finds the least in the way, with the plane of the picture through the points.
///
/// `distance` is that of the eye from the gap, m; `apart` gives the direction of the line when the points coincide. `seen(eye direction)` scores a
/// direction: higher is better.
#[must_use]
pub fn evidence_viewpoint(
    (a, b): (Point, Point),
    apart: &Vector,
    projection: Projection,
    distance: f64,
    seen: impl Fn(&Vector) -> f64,
) -> (Viewpoint, Plane) {
    let line = (b - a)
        .try_normalize(1e-9)
        .or_else(|| apart.try_normalize(1e-12));
    let line = line.unwrap_or_else(Vector::x);
    let level = Vector::z()
        .cross(&line)
        .try_normalize(1e-6)
        .unwrap_or_else(Vector::x);
    let over = line.cross(&level);
    let over = if over.z < 0.0 { -over } else { over };
    let pivot = nalgebra::center(&a, &b);
    let candidates = (0..12).map(|i| {
        let (sin, cos) = (std::f64::consts::TAU * f64::from(i) / 12.0).sin_cos();
        level * cos + over * sin
    });
    // Of equally clear directions the one nearest a slightly raised level view is easiest to read.
    let liking =
        |d: &Vector| seen(d) - 0.15 * (d.z - 0.3).abs() - if d.z < -0.1 { 0.5 } else { 0.0 };
    let backwards = candidates
        .max_by(|x, y| liking(x).total_cmp(&liking(y)))
        .expect("twelve directions");
    let (bearing, elevation) = Viewpoint::angles_of(&backwards);
    let viewpoint = Viewpoint {
        pivot,
        bearing,
        elevation,
        roll: 0.0,
        distance,
        projection,
    };
    let plane = Plane::through(&pivot, &backwards).expect("a unit vector");
    (viewpoint, plane)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_line_is_seen_in_true_length_and_lies_in_the_cut(
            a in prop::array::uniform3(-2.0f64..2.0), b in prop::array::uniform3(-2.0f64..2.0),
        ) {
            let (a, b) = (Point::from(a), Point::from(b));
            prop_assume!((a - b).norm() > 1e-3);
            let projection = Projection::Parallel { width: 2.0 };
            let (view, plane) = evidence_viewpoint((a, b), &Vector::x(), projection, 1.0, |_| 0.0);
            let [p, q] = [a, b].map(|p| view.project(&p, 1.0).unwrap());
            prop_assert!(((p[0] - q[0]).hypot(p[1] - q[1]) - (a - b).norm()).abs() < 1e-9);
            prop_assert!(plane.height(&a).abs() < 1e-9 && plane.height(&b).abs() < 1e-9);
        }
    }
}
