use super::Surface;
use crate::spatial::{Point, Vector};

impl Surface {
    /// Whether `point`, in the surface's frame, lies inside a closed surface; `false` for an open
    /// one.
    ///
    /// Counts crossings along three skew rays and takes the majority, so that a ray through an edge
    /// can't decide alone.
    #[must_use]
    pub fn encloses(&self, point: &Point) -> bool {
        if !self.topology().is_closed() || !self.bounds().contains(point) {
            return false;
        }
        let rays = [
            Vector::new(0.8116, 0.5121, 0.2811),
            Vector::new(-0.3137, 0.7219, -0.6168),
            Vector::new(0.1291, -0.4583, 0.8794),
        ];
        rays.iter().filter(|ray| self.crossings(point, ray) % 2 == 1).count() >= 2
    }

    fn crossings(&self, from: &Point, ray: &Vector) -> usize {
        let tree = self.hierarchy();
        let mut open = vec![0u32];
        let mut count = 0;
        while let Some(index) = open.pop() {
            let node = &tree.nodes()[index as usize];
            let axes = node.axes.map(Vector::from);
            let offset = from.coords - Vector::from(node.centre);
            let origin = axes.map(|axis| axis.dot(&offset));
            let along = axes.map(|axis| axis.dot(ray));
            if !ray_meets_box(&origin, &along, &node.half) {
                continue;
            }
            if node.is_leaf() {
                let (first, last) = (node.first as usize, (node.first + node.count) as usize);
                count += tree.corners()[first..last]
                    .iter()
                    .filter(|corners| ray_meets_triangle(from, ray, &corners.map(Point::from)))
                    .count();
            } else {
                open.extend([node.first, node.first + 1]);
            }
        }
        count
    }
}

fn ray_meets_box(origin: &[f64; 3], along: &[f64; 3], half: &[f64; 3]) -> bool {
    let (mut enter, mut leave) = (0.0f64, f64::INFINITY);
    for i in 0..3 {
        let inverse = 1.0 / along[i];
        let (a, b) = ((-half[i] - origin[i]) * inverse, (half[i] - origin[i]) * inverse);
        if a.is_nan() || b.is_nan() {
            continue;
        }
        enter = enter.max(a.min(b));
        leave = leave.min(a.max(b));
    }
    enter <= leave
}

/// Möller and Trumbore 1997.
fn ray_meets_triangle(from: &Point, ray: &Vector, corners: &[Point; 3]) -> bool {
    let (e1, e2) = (corners[1] - corners[0], corners[2] - corners[0]);
    let p = ray.cross(&e2);
    let det = e1.dot(&p);
    if det == 0.0 {
        return false;
    }
    let s = from - corners[0];
    let u = s.dot(&p) / det;
    let q = s.cross(&e1);
    let v = ray.dot(&q) / det;
    u >= 0.0 && v >= 0.0 && u + v <= 1.0 && e2.dot(&q) / det > 0.0
}

#[cfg(test)]
mod tests {
    use crate::mesh::{Surface, sphere_mesh};
    use crate::spatial::Point;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn points_are_inside_a_ball_exactly_when_near_its_centre(
            p in prop::array::uniform3(-1.2f64..1.2)
        ) {
            let ball = Surface::new(sphere_mesh(1.0, 32));
            let point = Point::from(p);
            let r = point.coords.norm();
            prop_assume!(!(0.97..=1.0).contains(&r));
            prop_assert_eq!(ball.encloses(&point), r < 0.97);
        }
    }
}
