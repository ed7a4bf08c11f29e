use crate::spatial::{Point, Vector};

/// How space is drawn on the picture.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Projection {
    /// Central projection (ISO 5456-4) with a full horizontal angle of view, rad.
    Perspective {
        /// rad
        horizontal_angle: f64,
    },
    /// Orthographic projection (ISO 5456-2) of a picture so many metres wide.
    Parallel {
        /// m
        width: f64,
    },
}

/// Where one stands round the pivot, and how the lens draws it. Level unless rolled: up is as near
/// the world's Z as the direction allows.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Viewpoint {
    /// The point the view turns about.
    pub pivot: Point,
    /// Where one stands round the pivot, rad: 0 in front (−Y), 90° on the right (+X).
    pub bearing: f64,
    /// How high one stands, rad: 0 level, 90° above.
    pub elevation: f64,
    /// How far the camera is turned about its line of sight, rad: anticlockwise as it sees, 0 level.
    pub roll: f64,
    /// Distance of the eye from the pivot, m.
    pub distance: f64,
    /// How it is drawn.
    pub projection: Projection,
}

impl Viewpoint {
    /// Unit vector from the pivot towards the eye.
    #[must_use]
    pub fn backwards(&self) -> Vector {
        let (sb, cb) = self.bearing.sin_cos();
        let (se, ce) = self.elevation.sin_cos();
        Vector::new(sb * ce, -cb * ce, se)
    }

    /// Unit vector to the right of the picture.
    #[must_use]
    pub fn right(&self) -> Vector {
        let (sb, cb) = self.bearing.sin_cos();
        let level = Vector::new(cb, sb, 0.0);
        let (sin, cos) = self.roll.sin_cos();
        level * cos + self.backwards().cross(&level) * sin
    }

    /// Unit vector up the picture.
    #[must_use]
    pub fn up(&self) -> Vector {
        self.backwards().cross(&self.right())
    }

    /// Where the eye stands.
    #[must_use]
    pub fn eye(&self) -> Point {
        self.pivot + self.backwards() * self.distance
    }

    /// Where `point` appears, as shares of the half picture: −1..1 across and, on a picture `aspect` times as wide as high, −1..1
    /// up; `None` behind the eye.
    #[must_use]
    pub fn project(&self, point: &Point, aspect: f64) -> Option<[f64; 2]> {
        let from_pivot = point - self.pivot;
        let (x, y) = (self.right().dot(&from_pivot), self.up().dot(&from_pivot));
        match self.projection {
            Projection::Parallel { width } => Some([2.0 * x / width, 2.0 * y / width * aspect]),
            Projection::Perspective { horizontal_angle } => {
                let depth = self.distance - self.backwards().dot(&from_pivot);
                let half = (horizontal_angle / 2.0).tan() * depth;
                (depth > 0.0).then(|| [x / half, y / half * aspect])
            }
        }
    }

    /// The bearing and elevation (rad) of someone who stands in direction `backwards` of what they
    /// look at. Straight from above or below, the bearing is 0.
    #[must_use]
    pub fn angles_of(backwards: &Vector) -> (f64, f64) {
        let level = backwards.x.hypot(backwards.y);
        let bearing = if level < 1e-12 {
            0.0
        } else {
            backwards.x.atan2(-backwards.y)
        };
        (bearing, backwards.z.atan2(level))
    }
}
