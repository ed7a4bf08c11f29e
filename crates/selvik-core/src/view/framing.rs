use super::{Projection, Viewpoint};
use crate::spatial::{Point, Vector};

/// The tightest viewpoint in the direction (and lens) of `from` that shows all `points` on a picture
/// `aspect` times as wide as high, leaving `margin` (share of the half picture, 0..1) free all
/// round. The pivot moves to the middle of what is framed. `from` itself when there are no points.
///
/// Exact: in at least one direction what is framed touches both margins. One exception: something
/// slim seen end on would draw the eye to its very tip; the eye then stops a tenth of the depth of
/// what is framed before it.
#[must_use]
pub fn frame(from: &Viewpoint, points: &[Point], aspect: f64, margin: f64) -> Viewpoint {
    if points.is_empty() {
        return *from;
    }
    let (right, up, back) = (from.right(), from.up(), from.backwards());
    let extent = |axis: &Vector| {
        points
            .iter()
            .map(|p| axis.dot(&p.coords))
            .fold((f64::MAX, f64::MIN), |(l, h), x| (l.min(x), h.max(x)))
    };
    let (depth_low, depth_high) = extent(&back);
    let fill = 1.0 - margin;
    match from.projection {
        Projection::Parallel { .. } => {
            let ((xl, xh), (yl, yh)) = (extent(&right), extent(&up));
            let width = ((xh - xl).max((yh - yl) * aspect) / fill).max(1e-3);
            let middle = (f64::midpoint(xl, xh), f64::midpoint(yl, yh));
            let depth = f64::midpoint(depth_low, depth_high);
            let pivot = Point::from(right * middle.0 + up * middle.1 + back * depth);
            // Far enough that nothing lies behind the eye.
            let distance = (depth_high - depth) + width.max(1.0);
            Viewpoint {
                pivot,
                distance,
                projection: Projection::Parallel { width },
                ..*from
            }
        }
        Projection::Perspective { horizontal_angle } => {
            let slope_x = (horizontal_angle / 2.0).tan() * fill;
            let slope_y = slope_x / aspect;
            // Each point keeps the eye behind four planes; along each axis the two tightest meet.
            let (x, dx) = between(points, &right, &back, slope_x);
            let (y, dy) = between(points, &up, &back, slope_y);
            let depth_of_eye = dx
                .max(dy)
                .max(depth_high + standoff(depth_high - depth_low));
            let depth = f64::midpoint(depth_low, depth_high);
            let pivot = Point::from(right * x + up * y + back * depth);
            Viewpoint {
                pivot,
                distance: depth_of_eye - depth,
                ..*from
            }
        }
    }
}

/// How near the eye may come to something `depth` m deep.
fn standoff(depth: f64) -> f64 {
    (depth / 10.0).max(1e-3)
}

/// Where the eye must be along `axis`, and at which depth, so that all points lie between the two
/// planes of the given slope that meet in it.
fn between(points: &[Point], axis: &Vector, back: &Vector, slope: f64) -> (f64, f64) {
    let (mut low, mut high) = (f64::MAX, f64::MIN);
    for p in points {
        let (x, depth) = (axis.dot(&p.coords), back.dot(&p.coords));
        // |x − eye| ≤ slope · (eye depth − depth)
        low = low.min(x - slope * depth);
        high = high.max(x + slope * depth);
    }
    (f64::midpoint(low, high), (high - low) / (2.0 * slope))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// What is framed touches the margin on both sides in one direction, within half a pixel of
        /// a picture 2000 wide, and nothing stands out.
        #[test]
        fn framing_is_tight(
            raw in prop::collection::vec(prop::array::uniform3(-3.0f64..3.0), 2..40),
            bearing in -3.0f64..3.0, elevation in -1.5f64..1.5, roll in prop::sample::select(vec![0.0, 0.4]),
            parallel in any::<bool>(), aspect in prop::sample::select(
                vec![0.5, 0.75, 1.0, 1.25, 1.333, 1.5, 1.6, 1.778, 2.35, 3.0]),
            margin in 0.0f64..0.3,
        ) {
            let points: Vec<Point> = raw.into_iter().map(Point::from).collect();
            let projection = if parallel {
                Projection::Parallel { width: 1.0 }
            } else {
                Projection::Perspective { horizontal_angle: 0.9 }
            };
            let from = Viewpoint { pivot: Point::origin(), bearing, elevation, roll, distance: 1.0, projection };
            // Points nearly in one line of sight have no edge to touch.
            let spread = |axis: Vector| {
                let along = points.iter().map(|p| axis.dot(&p.coords));
                along.clone().fold(f64::MIN, f64::max) - along.fold(f64::MAX, f64::min)
            };
            prop_assume!(spread(from.right()) > 0.3 && spread(from.up()) > 0.3);
            let framed = frame(&from, &points, aspect, margin);
            let seen: Vec<[f64; 2]> =
                points.iter().map(|p| framed.project(p, aspect).expect("in front")).collect();
            let ends = |i: usize| {
                seen.iter().map(|s| s[i]).fold((f64::MAX, f64::MIN), |(l, h), x| (l.min(x), h.max(x)))
            };
            let edge = 1.0 - margin;
            let half_pixel = 1.0 / 2000.0;
            let touches = |(l, h): (f64, f64)| (l + edge).abs() < half_pixel && (h - edge).abs() < half_pixel;
            let depths = points.iter().map(|p| from.backwards().dot(&p.coords));
            let (low, high) = depths.fold((f64::MAX, f64::MIN), |(l, h), x| (l.min(x), h.max(x)));
            let gap = from.backwards().dot(&framed.eye().coords) - high;
            let held_off = !parallel && (gap - standoff(high - low)).abs() < 1e-9;
            prop_assert!(held_off || touches(ends(0)) || touches(ends(1)), "{:?} {:?}", ends(0), ends(1));
            prop_assert!(seen.iter().flatten().all(|x| x.abs() <= edge + half_pixel));
        }
    }
}
