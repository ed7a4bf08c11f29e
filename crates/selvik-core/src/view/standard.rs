use std::f64::consts::{FRAC_PI_2, FRAC_PI_4, PI};

/// Elevation of an isometric view: atan(1/√2) = 35.264° (ISO 5456-3).
pub const ISOMETRIC_ELEVATION: f64 = 0.615_479_708_670_387_3;

/// A direction with a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum StandardView {
    /// From −Y.
    Front,
    /// From +Y.
    Back,
    /// From +X.
    Right,
    /// From −X.
    Left,
    /// From +Z, the front at the bottom of the picture.
    Top,
    /// From −Z.
    Bottom,
    /// Isometric, between front and right.
    FrontRight,
    /// Isometric, between right and back.
    BackRight,
    /// Isometric, between back and left.
    BackLeft,
    /// Isometric, between left and front.
    FrontLeft,
    /// Isometric from below, between front and right.
    FrontRightBelow,
    /// Isometric from below, between right and back.
    BackRightBelow,
    /// Isometric from below, between back and left.
    BackLeftBelow,
    /// Isometric from below, between left and front.
    FrontLeftBelow,
}

impl StandardView {
    /// All of them: the six faces, the corners above, the corners below.
    pub const ALL: [Self; 14] = [
        Self::Front,
        Self::Back,
        Self::Right,
        Self::Left,
        Self::Top,
        Self::Bottom,
        Self::FrontRight,
        Self::BackRight,
        Self::BackLeft,
        Self::FrontLeft,
        Self::FrontRightBelow,
        Self::BackRightBelow,
        Self::BackLeftBelow,
        Self::FrontLeftBelow,
    ];

    /// Bearing and elevation, rad.
    #[must_use]
    pub fn angles(self) -> (f64, f64) {
        match self {
            Self::Front => (0.0, 0.0),
            Self::Right => (FRAC_PI_2, 0.0),
            Self::Back => (PI, 0.0),
            Self::Left => (-FRAC_PI_2, 0.0),
            Self::Top => (0.0, FRAC_PI_2),
            Self::Bottom => (0.0, -FRAC_PI_2),
            Self::FrontRight => (FRAC_PI_4, ISOMETRIC_ELEVATION),
            Self::BackRight => (3.0 * FRAC_PI_4, ISOMETRIC_ELEVATION),
            Self::BackLeft => (-3.0 * FRAC_PI_4, ISOMETRIC_ELEVATION),
            Self::FrontLeft => (-FRAC_PI_4, ISOMETRIC_ELEVATION),
            Self::FrontRightBelow => (FRAC_PI_4, -ISOMETRIC_ELEVATION),
            Self::BackRightBelow => (3.0 * FRAC_PI_4, -ISOMETRIC_ELEVATION),
            Self::BackLeftBelow => (-3.0 * FRAC_PI_4, -ISOMETRIC_ELEVATION),
            Self::FrontLeftBelow => (-FRAC_PI_4, -ISOMETRIC_ELEVATION),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spatial::{Point, Vector};
    use crate::view::{Projection, Viewpoint};

    /// ISO 5456-3: all three axes foreshorten by √(2/3) = 0.8165.
    #[test]
    fn isometric_views_foreshorten_the_axes_alike() {
        assert!((ISOMETRIC_ELEVATION.to_degrees() - 35.264).abs() < 1e-3);
        for &view in &StandardView::ALL[6..] {
            let (bearing, elevation) = view.angles();
            let projection = Projection::Parallel { width: 2.0 };
            let v = Viewpoint {
                pivot: Point::origin(),
                bearing,
                elevation,
                roll: 0.0,
                distance: 5.0,
                projection,
            };
            for axis in [Vector::x(), Vector::y(), Vector::z()] {
                let [x, y] = v.project(&Point::from(axis), 1.0).unwrap();
                assert!((x.hypot(y) - (2.0f64 / 3.0).sqrt()).abs() < 1e-12);
            }
        }
    }

    #[rstest::rstest]
    #[case(StandardView::Front, [0.0, -1.0, 0.0], [1.0, 0.0, 0.0])]
    #[case(StandardView::Right, [1.0, 0.0, 0.0], [0.0, 1.0, 0.0])]
    #[case(StandardView::Back, [0.0, 1.0, 0.0], [-1.0, 0.0, 0.0])]
    #[case(StandardView::Left, [-1.0, 0.0, 0.0], [0.0, -1.0, 0.0])]
    #[case(StandardView::Top, [0.0, 0.0, 1.0], [1.0, 0.0, 0.0])]
    #[case(StandardView::Bottom, [0.0, 0.0, -1.0], [1.0, 0.0, 0.0])]
    fn faces_are_seen_from_their_side(
        #[case] view: StandardView,
        #[case] from: [f64; 3],
        #[case] right: [f64; 3],
    ) {
        let (bearing, elevation) = view.angles();
        let projection = Projection::Parallel { width: 1.0 };
        let v = Viewpoint {
            pivot: Point::origin(),
            bearing,
            elevation,
            roll: 0.0,
            distance: 1.0,
            projection,
        };
        assert!((v.backwards() - Vector::from(from)).norm() < 1e-12);
        assert!((v.right() - Vector::from(right)).norm() < 1e-12);
        let (b, e) = Viewpoint::angles_of(&v.backwards());
        assert!((e - elevation).abs() < 1e-12 && ((b - bearing).sin().abs() < 1e-12));
    }
}
