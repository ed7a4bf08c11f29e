use super::crossing::crossing;
use crate::spatial::{Point, Vector};

/// The closest points of two triangles.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TrianglePair {
    /// Square of their distance, m²; 0 when they cross or touch.
    pub squared: f64,
    /// On the first.
    pub on_a: Point,
    /// On the second.
    pub on_b: Point,
}

/// The smallest distance between two triangles, in closed form.
///
/// Nine edge pairs and six corner–face pairs after E. Larsen, S. Gottschalk, M. Lin, D. Manocha,
/// "Fast Proximity Queries with Swept Sphere Volumes", UNC 1999: an edge pair whose closest points
/// have both third corners behind them settles the question at once. Triangles that are nothing but
/// a line are handled by their edges.
#[must_use]
pub fn triangle_distance(a: &[Point; 3], b: &[Point; 3]) -> TrianglePair {
    let ea = [a[1] - a[0], a[2] - a[1], a[0] - a[2]];
    let eb = [b[1] - b[0], b[2] - b[1], b[0] - b[2]];
    let mut best = TrianglePair {
        squared: f64::INFINITY,
        on_a: a[0],
        on_b: b[0],
    };
    let mut apart = false;
    for i in 0..3 {
        for j in 0..3 {
            let (p, q) = closest_on_segments(&a[i], &ea[i], &b[j], &eb[j]);
            let between = q - p;
            let squared = between.norm_squared();
            if squared > best.squared {
                continue;
            }
            best = TrianglePair {
                squared,
                on_a: p,
                on_b: q,
            };
            let behind_a = (a[(i + 2) % 3] - p).dot(&between);
            let behind_b = (b[(j + 2) % 3] - q).dot(&between);
            if behind_a <= 0.0 && behind_b >= 0.0 && squared > 0.0 {
                return best;
            }
            apart |= squared - behind_a.max(0.0) + behind_b.min(0.0) > 0.0;
        }
    }
    if let Some((on_a, on_b)) = corner_over_face(a, &ea, b, &mut apart) {
        keep_nearer(&mut best, on_a, on_b);
    }
    if let Some((on_b, on_a)) = corner_over_face(b, &eb, a, &mut apart) {
        keep_nearer(&mut best, on_a, on_b);
    }
    if !apart && let Some(at) = crossing(a, b) {
        return TrianglePair {
            squared: 0.0,
            on_a: at,
            on_b: at,
        };
    }
    best
}

fn keep_nearer(best: &mut TrianglePair, on_a: Point, on_b: Point) {
    let squared = (on_b - on_a).norm_squared();
    if squared < best.squared {
        *best = TrianglePair {
            squared,
            on_a,
            on_b,
        };
    }
}

/// If all corners of `other` lie on one side of `face`: the nearest of them with its foot, provided
/// the foot lies on the face.
#[inline]
fn corner_over_face(
    face: &[Point; 3],
    edges: &[Vector; 3],
    other: &[Point; 3],
    apart: &mut bool,
) -> Option<(Point, Point)> {
    let normal = edges[0].cross(&edges[1]);
    let square = normal.norm_squared();
    if square < 1e-30 {
        return None;
    }
    let height = |p: &Point| normal.dot(&(p - face[0]));
    let heights = [height(&other[0]), height(&other[1]), height(&other[2])];
    let nearest = if heights.iter().all(|&h| h > 0.0) {
        (0..3).min_by(|&i, &j| heights[i].total_cmp(&heights[j]))?
    } else if heights.iter().all(|&h| h < 0.0) {
        (0..3).max_by(|&i, &j| heights[i].total_cmp(&heights[j]))?
    } else {
        return None;
    };
    *apart = true;
    let corner = other[nearest];
    let over = (0..3).all(|i| (corner - face[i]).dot(&normal.cross(&edges[i])) > 0.0);
    over.then(|| (corner - normal * (heights[nearest] / square), corner))
}

/// The closest points of the segments `p + s·d` and `q + t·e`, 0 ≤ s, t ≤ 1 (Ericson, *Real-Time
/// Collision Detection*, ch. 5.1.9).
#[inline]
fn closest_on_segments(p: &Point, d: &Vector, q: &Point, e: &Vector) -> (Point, Point) {
    let r = p - q;
    let (dd, ee, er) = (d.norm_squared(), e.norm_squared(), e.dot(&r));
    let (dr, de) = (d.dot(&r), d.dot(e));
    let denominator = dd * ee - de * de;
    let mut s = if denominator > 0.0 {
        ((de * er - dr * ee) / denominator).clamp(0.0, 1.0)
    } else {
        0.0
    };
    let unclamped = if ee > 0.0 { (de * s + er) / ee } else { 0.0 };
    let t = unclamped.clamp(0.0, 1.0);
    if t != unclamped || denominator <= 0.0 {
        s = if dd > 0.0 {
            ((de * t - dr) / dd).clamp(0.0, 1.0)
        } else {
            0.0
        };
    }
    (p + d * s, q + e * t)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn triangle(c: [f64; 9]) -> [Point; 3] {
        std::array::from_fn(|i| Point::new(c[3 * i], c[3 * i + 1], c[3 * i + 2]))
    }

    /// The distance by laying a fine grid over both triangles: never below the exact one.
    fn by_grid(a: &[Point; 3], b: &[Point; 3]) -> f64 {
        let grid = |t: &[Point; 3]| -> Vec<Point> {
            let n = 24;
            (0..=n)
                .flat_map(|i| (0..=n - i).map(move |k| (i as f64 / n as f64, k as f64 / n as f64)))
                .map(|(u, v)| t[0] + (t[1] - t[0]) * u + (t[2] - t[0]) * v)
                .collect()
        };
        let gb = grid(b);
        grid(a)
            .iter()
            .flat_map(|p| gb.iter().map(move |q| (p - q).norm()))
            .fold(f64::MAX, f64::min)
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]
        #[test]
        fn no_grid_of_points_comes_closer_and_a_fine_one_nearly_as_close(
            a in prop::array::uniform9(-1.0f64..1.0),
            b in prop::array::uniform9(-1.0f64..1.0),
            shift in 0.0f64..2.0,
        ) {
            let a = triangle(a);
            let b = triangle(b).map(|p| p + Vector::x() * shift);
            let exact = triangle_distance(&a, &b);
            let grid = by_grid(&a, &b);
            prop_assert!(exact.squared.sqrt() <= grid + 1e-12);
            prop_assert!(grid - exact.squared.sqrt() < 0.12, "{} {grid}", exact.squared.sqrt());
            prop_assert!(((exact.on_a - exact.on_b).norm_squared() - exact.squared).abs() < 1e-12);
            let swapped = triangle_distance(&b, &a);
            prop_assert!((swapped.squared.sqrt() - exact.squared.sqrt()).abs() < 1e-9);
        }
    }

    #[rstest::rstest]
    #[case::corner_over_face([0.,0.,0., 4.,0.,0., 0.,4.,0.], [1.,1.,2., 1.,1.,5., 2.,1.,5.], 2.0)]
    #[case::edge_to_edge([-1.,0.,0., 1.,0.,0., 0.,0.,-3.], [0.,-1.,1., 0.,1.,1., 0.,0.,3.], 1.0)]
    #[case::through_each_other([0.,0.,0., 4.,0.,0., 0.,4.,0.], [1.,1.,-1., 1.,1.,1., 2.,1.,1.], 0.0)]
    #[case::touching_at_a_corner([0.,0.,0., 4.,0.,0., 0.,4.,0.], [1.,1.,0., 1.,1.,1., 2.,1.,1.], 0.0)]
    #[case::sharing_an_edge([0.,0.,0., 1.,0.,0., 0.,1.,0.], [0.,0.,0., 1.,0.,0., 0.,-1.,0.], 0.0)]
    #[case::a_line_over_a_face([0.,0.,0., 4.,0.,0., 0.,4.,0.], [1.,1.,3., 1.,1.,3., 2.,1.,3.], 3.0)]
    #[case::in_one_plane([0.,0.,0., 1.,0.,0., 0.,1.,0.], [3.,0.,0., 4.,0.,0., 3.,1.,0.], 2.0)]
    #[case::one_inside_the_other_in_one_plane([0.,0.,0., 9.,0.,0., 0.,9.,0.], [1.,1.,0., 2.,1.,0., 1.,2.,0.], 0.0)]
    fn known_distances(#[case] a: [f64; 9], #[case] b: [f64; 9], #[case] expected: f64) {
        let pair = triangle_distance(&triangle(a), &triangle(b));
        assert!((pair.squared.sqrt() - expected).abs() < 1e-12, "{pair:?}");
    }
}
