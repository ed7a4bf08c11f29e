use nalgebra::{Translation3, UnitQuaternion};

use super::{Assembly, Carried, Moment, NodeId};
use crate::spatial::{Point, Pose, Vector};

/// Where the items of a cell stand at one moment, and what must be written down so that they stand
/// elsewhere.
#[derive(Debug)]
pub struct Placing<'a> {
    assembly: &'a Assembly,
    poses: Vec<Pose>,
    carried: Carried,
}

impl<'a> Placing<'a> {
    /// At `moment`.
    ///
    /// # Panics
    /// If its joint vector is shorter than [`Assembly::joints`].
    #[must_use]
    pub fn new(assembly: &'a Assembly, moment: &Moment) -> Self {
        Self {
            assembly,
            poses: moment.poses(assembly),
            carried: moment.carried.clone(),
        }
    }

    /// Whether the item at position `item` hangs elsewhere than in the roster, so that no pose can be written down with which
    /// it would stand somewhere at this moment.
    #[must_use]
    pub fn is_carried(&self, item: usize) -> bool {
        self.carried.holds(self.assembly.item_node(item))
    }

    /// Where the item at position `item` stands in the world.
    #[must_use]
    pub fn world(&self, item: usize) -> Pose {
        self.node(self.assembly.item_node(item))
    }

    /// Where a coordinate system stands in the world.
    #[must_use]
    pub fn node(&self, node: NodeId) -> Pose {
        self.poses[node.0]
    }

    /// Where what carries the item at position `item` stands in the world.
    #[must_use]
    pub fn carrier(&self, item: usize) -> Pose {
        let node = self.assembly.item_node(item);
        let carrier = self.assembly.carrier(node, &self.carried).0;
        carrier.map_or_else(Pose::identity, |node| self.node(node))
    }

    /// The pose in its carrier with which the item stands where `motion` takes it in the world.
    #[must_use]
    pub fn moved(&self, item: usize, motion: &Pose) -> Pose {
        self.carrier(item).inverse() * motion * self.world(item)
    }

    /// Those of `items` that none of the others carries, each once.
    #[must_use]
    pub fn topmost(&self, items: &[usize]) -> Vec<usize> {
        let cell = self.assembly.cell();
        let carried = |item: usize| {
            items
                .iter()
                .any(|&other| other != item && cell.is_within(item, other))
        };
        let mut topmost: Vec<usize> = items
            .iter()
            .copied()
            .filter(|&item| !carried(item))
            .collect();
        topmost.sort_unstable();
        topmost.dedup();
        topmost
    }

    /// The height (m) of the lowest point of the item and of all that hangs on it; `None` without a
    /// body.
    #[must_use]
    pub fn lowest(&self, item: usize) -> Option<f64> {
        let cell = self.assembly.cell();
        let bodies = self
            .assembly
            .bodies()
            .iter()
            .filter(|body| cell.is_within(body.item, item));
        let heights = bodies.flat_map(|body| {
            let pose = self.node(body.node);
            body.surface
                .mesh()
                .vertices()
                .iter()
                .map(move |v| (pose * v).z)
        });
        heights.reduce(f64::min)
    }
}

/// The motion in the world that shifts by `shift` (m) along the axes of `frame` and turns by `turn` about
/// those axes through `about`.
#[must_use]
pub fn motion_in(frame: &Pose, about: &Point, shift: &Vector, turn: &UnitQuaternion<f64>) -> Pose {
    let turned = frame.rotation * turn * frame.rotation.inverse();
    let there = Translation3::from(about.coords + frame.rotation * shift);
    there * turned * Translation3::from(-about.coords)
}

/// The motion in the world that lays one face on another: `from` and `to` are a point and the outward
/// normal of each. The turn is the smallest there is.
#[must_use]
pub fn face_to_face(from: (&Point, &Vector), to: (&Point, &Vector)) -> Pose {
    let against = -to.1;
    let turn = UnitQuaternion::rotation_between(from.1, &against).unwrap_or_else(|| {
        // Opposite already turned the wrong way: half a turn about any axis in the face.
        let axis = nalgebra::Unit::new_normalize(from.1.cross(&most_across(from.1)));
        UnitQuaternion::from_axis_angle(&axis, std::f64::consts::PI)
    });
    Translation3::from(to.0.coords) * turn * Translation3::from(-from.0.coords)
}

/// The motion in the world that brings one axis onto another: `from` and `to` are a point and the
/// direction of each. The turn is the smaller of the two there are, and nothing slides along the axis.
#[must_use]
pub fn axis_to_axis(from: (&Point, &Vector), to: (&Point, &Vector)) -> Pose {
    let towards = if from.1.dot(to.1) < 0.0 { -to.1 } else { *to.1 };
    let turn = UnitQuaternion::rotation_between(from.1, &towards).unwrap_or_default();
    let along = towards.normalize();
    let gap = to.0 - from.0;
    let across = gap - along * gap.dot(&along);
    Translation3::from(from.0.coords + across) * turn * Translation3::from(-from.0.coords)
}

/// The frame with its origin at `origin`, X towards `on_x`, and Y on the side of `beside`. `None` where
/// the three lie in a line.
#[must_use]
pub fn frame_through(origin: &Point, on_x: &Point, beside: &Point) -> Option<Pose> {
    let x = (on_x - origin).try_normalize(1e-9)?;
    let z = x.cross(&(beside - origin)).try_normalize(1e-9)?;
    let axes = nalgebra::Matrix3::from_columns(&[x, z.cross(&x), z]);
    Some(Pose::from_parts(
        Translation3::from(origin.coords),
        UnitQuaternion::from_matrix(&axes),
    ))
}

/// The frame at `origin` with Z along `z`; X stays as level as can be.
#[must_use]
pub fn frame_along(origin: &Point, z: &Vector) -> Pose {
    let level = Vector::z().cross(z).try_normalize(1e-6);
    let x = level.unwrap_or_else(|| Vector::x() - z.normalize() * z.normalize().x);
    let (x, z) = (x.normalize(), z.normalize());
    let axes = nalgebra::Matrix3::from_columns(&[x, z.cross(&x), z]);
    Pose::from_parts(
        Translation3::from(origin.coords),
        UnitQuaternion::from_matrix(&axes),
    )
}

/// The coordinate axis that leans least along `direction`.
fn most_across(direction: &Vector) -> Vector {
    let mut axis = Vector::zeros();
    axis[direction.iamin()] = 1.0;
    axis
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;
    use std::f64::consts::FRAC_PI_2;

    use super::*;
    use crate::cell::{Cell, Item, Role};
    use crate::mesh::{Surface, box_mesh};
    use crate::spatial::pose_from_rpy;

    fn item(id: &str, parent: Option<&str>, pose: Pose) -> Item {
        let own = Item::new(id, Role::Fixture)
            .at(pose)
            .with_body(Surface::new(box_mesh([0.2; 3])));
        match parent {
            Some(parent) => own.on(parent, None),
            None => own,
        }
    }

    fn plate_on_table() -> Assembly {
        let table = item(
            "table",
            None,
            pose_from_rpy([1.0, 0.0, 0.8], [0.0, 0.0, FRAC_PI_2]),
        );
        let plate = item(
            "plate",
            Some("table"),
            pose_from_rpy([0.3, 0.0, 0.5], [0.0; 3]),
        );
        Assembly::new(Cell::new(vec![table, plate]).unwrap(), HashMap::new()).unwrap()
    }

    #[test]
    fn what_is_moved_in_the_world_is_written_down_in_its_carrier() {
        let cell = plate_on_table();
        let placing = Placing::new(&cell, &Moment::default());
        // The table is turned by 90°: the plate stands 0.3 m along the world's Y.
        assert!((placing.world(1).translation.vector - Vector::new(1.0, 0.3, 1.3)).norm() < 1e-12);
        let east = motion_in(
            &Pose::identity(),
            &Point::origin(),
            &Vector::x(),
            &UnitQuaternion::identity(),
        );
        let local = placing.moved(1, &east);
        assert!((local.translation.vector - Vector::new(0.3, -1.0, 0.5)).norm() < 1e-12);
        assert_eq!(placing.topmost(&[1, 0, 1]), [0]);
        assert!((placing.lowest(0).unwrap() - 0.7).abs() < 1e-12);
    }

    #[test]
    fn turning_in_a_frame_goes_about_its_axes_through_the_point() {
        let frame = pose_from_rpy([5.0, 5.0, 5.0], [FRAC_PI_2, 0.0, 0.0]);
        let about = Point::new(1.0, 0.0, 0.0);
        let quarter = UnitQuaternion::from_axis_angle(&Vector::z_axis(), FRAC_PI_2);
        let motion = motion_in(&frame, &about, &Vector::new(0.0, 0.0, 2.0), &quarter);
        // The frame's Z is the world's −Y; a quarter turn about it takes +X to +Z.
        assert!((motion * about - Point::new(1.0, -2.0, 0.0)).norm() < 1e-12);
        assert!((motion * Point::new(2.0, 0.0, 0.0) - Point::new(1.0, -2.0, 1.0)).norm() < 1e-12);
    }

    #[test]
    fn an_axis_comes_onto_another_without_sliding_along_it() {
        let (p, q) = (Point::new(0.1, 0.2, 0.3), Point::new(5.0, 5.0, 9.0));
        for to in [Vector::z(), -Vector::z()] {
            let motion = axis_to_axis((&p, &Vector::new(0.0, 0.6, 0.8)), (&q, &to));
            assert!((motion * Vector::new(0.0, 0.6, 0.8) - Vector::z()).norm() < 1e-12);
            assert!((motion * p - Point::new(5.0, 5.0, 0.3)).norm() < 1e-12);
        }
    }

    #[test]
    fn frames_stand_where_points_and_faces_say() {
        let (o, x, y) = (
            Point::new(1.0, 1.0, 1.0),
            Point::new(1.0, 3.0, 1.0),
            Point::new(0.0, 2.0, 1.0),
        );
        let frame = frame_through(&o, &x, &y).unwrap();
        assert!((frame * Point::new(2.0, 0.0, 0.0) - x).norm() < 1e-12);
        assert!((frame * Point::new(1.0, 1.0, 0.0) - y).norm() < 1e-12);
        assert_eq!(frame_through(&o, &x, &Point::new(1.0, 7.0, 1.0)), None);
        for z in [
            Vector::z(),
            -Vector::z(),
            Vector::x(),
            Vector::new(0.3, -0.4, 0.5),
        ] {
            let frame = frame_along(&o, &z);
            assert!((frame * Vector::z() - z.normalize()).norm() < 1e-12);
            assert!((frame.rotation * Vector::x()).z.abs() < 1e-9, "X is level");
        }
    }

    #[rstest::rstest]
    #[case(Vector::x(), Vector::z())]
    #[case(Vector::z(), Vector::z())]
    #[case(Vector::z(), -Vector::z())]
    #[case(Vector::new(0.6, 0.0, 0.8), Vector::new(0.0, 0.6, -0.8))]
    fn faces_come_to_lie_against_each_other(#[case] from: Vector, #[case] to: Vector) {
        let (p, q) = (Point::new(0.1, 0.2, 0.3), Point::new(-1.0, 0.5, 2.0));
        let motion = face_to_face((&p, &from), (&q, &to));
        assert!((motion * p - q).norm() < 1e-12);
        assert!((motion * from + to).norm() < 1e-9);
    }
}
