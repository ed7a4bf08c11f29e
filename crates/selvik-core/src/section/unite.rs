use i_overlay::core::fill_rule::FillRule;
use i_overlay::float::simplify::SimplifyShape;

use super::loops::Contour;
use crate::spatial::{Plane, Point};

/// Makes outlines of shells that overlap into outlines of what they cover together: material is where outlines wind round
/// a point, however often. Outlines none of which can overlap another stay exactly as they are; others are laid on a grid
/// far finer than what numbers tell apart at their extent.
pub(super) fn united(contours: Vec<Contour>, plane: &Plane) -> Vec<Contour> {
    if !may_overlap(&contours) {
        return contours;
    }
    let flat: Vec<Vec<[f64; 2]>> = contours.iter().map(|c| c.flat().to_vec()).collect();
    contours_of(&flat.simplify_shape_as::<i64>(FillRule::NonZero), plane)
}

/// Outlines in `plane` from shapes in its axes.
pub(super) fn contours_of(shapes: &[Vec<Vec<[f64; 2]>>], plane: &Plane) -> Vec<Contour> {
    let (u, v) = plane.axes();
    let lifted =
        |p: &[f64; 2]| Point::from(u * p[0] + v * p[1] + plane.normal.into_inner() * plane.offset);
    let contour = |(at, points): (usize, &Vec<[f64; 2]>)| {
        let mut points: Vec<Point> = points.iter().map(lifted).collect();
        let own = Contour::new(points.clone(), plane)?;
        // The first of a shape bounds it from outside, the others are its holes.
        if (own.signed_area() > 0.0) == (at == 0) {
            return Some(own);
        }
        points.reverse();
        Contour::new(points, plane)
    };
    shapes
        .iter()
        .flat_map(|shape| shape.iter().enumerate().filter_map(contour))
        .collect()
}

/// Whether two outlines round material, or one and a hole that is not wholly in its box, share some of their boxes.
fn may_overlap(contours: &[Contour]) -> bool {
    let boxed = |c: &Contour| {
        let mut b = [
            f64::INFINITY,
            f64::INFINITY,
            f64::NEG_INFINITY,
            f64::NEG_INFINITY,
        ];
        for p in c.flat() {
            b = [
                b[0].min(p[0]),
                b[1].min(p[1]),
                b[2].max(p[0]),
                b[3].max(p[1]),
            ];
        }
        (b, c.signed_area() > 0.0)
    };
    let mut boxes: Vec<([f64; 4], bool)> = contours.iter().map(boxed).collect();
    boxes.sort_by(|a, b| a.0[0].total_cmp(&b.0[0]));
    for (at, (a, a_outer)) in boxes.iter().enumerate() {
        for (b, b_outer) in boxes[at + 1..].iter().take_while(|(b, _)| b[0] < a[2]) {
            if b[1] >= a[3] || b[3] <= a[1] {
                continue;
            }
            let within = |x: &[f64; 4], y: &[f64; 4]| {
                y[0] <= x[0] && y[1] <= x[1] && x[2] <= y[2] && x[3] <= y[3]
            };
            let nested = within(a, b) || within(b, a);
            if (*a_outer && *b_outer) || (a_outer != b_outer && !nested) {
                return true;
            }
        }
    }
    false
}

#[cfg(test)]
mod tests {
    use crate::mesh::{TriangleMesh, box_mesh};
    use crate::section::cut;
    use crate::spatial::{Plane, Point, Vector, pose_from_rpy};

    fn level() -> Plane {
        Plane::through(&Point::new(0.0, 0.0, 0.1), &Vector::z()).unwrap()
    }

    fn at(x: f64, y: f64) -> crate::spatial::Pose {
        pose_from_rpy([x, y, 0.0], [0.0; 3])
    }

    /// Two unit squares that share a quarter, one inside another, a cross, and a ring with something in its hole.
    #[rstest::rstest]
    #[case::corners(vec![box_mesh([1.0; 3]), box_mesh([1.0; 3]).moved(&at(0.5, 0.5))], 1.75, 6.0)]
    #[case::one_in_another(vec![box_mesh([1.0; 3]), box_mesh([0.5; 3])], 1.0, 4.0)]
    #[case::a_cross(vec![box_mesh([3.0, 1.0, 1.0]), box_mesh([1.0, 3.0, 1.0])], 5.0, 12.0)]
    #[case::apart(vec![box_mesh([1.0; 3]), box_mesh([1.0; 3]).moved(&at(2.0, 0.0))], 2.0, 8.0)]
    #[case::in_a_hole(vec![box_mesh([3.0, 3.0, 1.0]), box_mesh([2.0, 2.0, 1.0]).turned_over(|_| true), box_mesh([1.0; 3])], 6.0, 24.0)]
    fn what_overlaps_counts_once(
        #[case] shells: Vec<TriangleMesh>,
        #[case] area: f64,
        #[case] around: f64,
    ) {
        let section = cut(&TriangleMesh::merged(shells), &level());
        assert!((section.area() - area).abs() < 1e-8, "{}", section.area());
        assert!(
            (section.perimeter() - around).abs() < 1e-7,
            "{}",
            section.perimeter()
        );
    }
}
