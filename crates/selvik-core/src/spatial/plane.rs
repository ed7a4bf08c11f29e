use nalgebra::Unit;

use super::{Point, Pose, Vector};

/// An oriented plane: the points `p` with `normal · p = offset`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Plane {
    /// The side the plane faces.
    pub normal: Unit<Vector>,
    /// Distance of the plane from the origin along the normal, m.
    pub offset: f64,
}

impl Plane {
    /// The plane through `point` facing along `normal`; `None` if the normal has no direction, or one of them numbers too
    /// large to reckon with.
    #[must_use]
    pub fn through(point: &Point, normal: &Vector) -> Option<Self> {
        if !normal.norm_squared().is_finite() {
            return None;
        }
        let normal = Unit::try_new(*normal, 1e-12)?;
        let offset = normal.dot(&point.coords);
        offset.is_finite().then_some(Self { normal, offset })
    }

    /// How far `point` lies on the side the plane faces, m; negative behind it.
    #[must_use]
    pub fn height(&self, point: &Point) -> f64 {
        self.normal.dot(&point.coords) - self.offset
    }

    /// The same plane in coordinates of a frame that stands at `pose` in the plane's frame.
    #[must_use]
    pub fn seen_from(&self, pose: &Pose) -> Self {
        let normal = pose.rotation.inverse() * self.normal;
        Self {
            normal,
            offset: self.offset - self.normal.dot(&pose.translation.vector),
        }
    }

    /// Two unit vectors in the plane that make a right-handed system `u × v = normal`.
    #[must_use]
    pub fn axes(&self) -> (Vector, Vector) {
        let n = self.normal.into_inner();
        // The world's up, seen in the plane, is "up" on a drawing of the cut where there is one.
        let v = if n.z.abs() < 0.999 {
            Vector::z() - n * n.z
        } else {
            Vector::y() - n * n.y
        };
        let v = v.normalize();
        (v.cross(&n), v)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_plane_seen_from_a_moved_frame_keeps_its_points() {
        let plane =
            Plane::through(&Point::new(1.0, 2.0, 3.0), &Vector::new(1.0, -2.0, 0.5)).unwrap();
        let pose = crate::spatial::pose_from_rpy([4.0, -1.0, 2.0], [0.3, 0.2, -1.1]);
        let local = plane.seen_from(&pose);
        let point = Point::new(0.3, 0.9, -0.2);
        assert!((local.height(&point) - plane.height(&(pose * point))).abs() < 1e-12);
    }

    #[test]
    fn the_axes_of_a_plane_are_right_handed() {
        for normal in [
            Vector::x(),
            -Vector::y(),
            Vector::z(),
            Vector::new(1.0, 2.0, -3.0),
        ] {
            let plane = Plane::through(&Point::origin(), &normal).unwrap();
            let (u, v) = plane.axes();
            assert!((u.cross(&v) - plane.normal.into_inner()).norm() < 1e-12);
        }
    }
}
