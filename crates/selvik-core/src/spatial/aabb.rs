use super::{Point, Pose, Vector};

/// A box with edges along the axes of its frame. Never empty: made from at least one point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Aabb {
    /// The corner with the smallest coordinates, m.
    pub min: Point,
    /// The corner with the largest coordinates, m.
    pub max: Point,
}

impl Aabb {
    /// The smallest box round `points`; `None` when there are none.
    pub fn around(points: impl IntoIterator<Item = Point>) -> Option<Self> {
        let mut points = points.into_iter();
        let first = points.next()?;
        let start = Self {
            min: first,
            max: first,
        };
        Some(points.fold(start, |b, p| Self {
            min: b.min.inf(&p),
            max: b.max.sup(&p),
        }))
    }

    /// The smallest box that holds both.
    #[must_use]
    pub fn union(&self, other: &Self) -> Self {
        Self {
            min: self.min.inf(&other.min),
            max: self.max.sup(&other.max),
        }
    }

    /// The middle of the box.
    #[must_use]
    pub fn centre(&self) -> Point {
        nalgebra::center(&self.min, &self.max)
    }

    /// Half the edge lengths, m.
    #[must_use]
    pub fn half_extents(&self) -> Vector {
        (self.max - self.min) * 0.5
    }

    /// The eight corners, X changing fastest.
    #[must_use]
    pub fn corners(&self) -> [Point; 8] {
        std::array::from_fn(|i| {
            let pick = |bit: usize, axis: usize| {
                if i & bit == 0 {
                    self.min[axis]
                } else {
                    self.max[axis]
                }
            };
            Point::new(pick(1, 0), pick(2, 1), pick(4, 2))
        })
    }

    /// The smallest upright box round this one after moving it by `pose`.
    #[must_use]
    pub fn moved(&self, pose: &Pose) -> Self {
        let centre = pose * self.centre();
        let rotation = pose.rotation.to_rotation_matrix();
        let half = rotation.matrix().abs() * self.half_extents();
        Self {
            min: centre - half,
            max: centre + half,
        }
    }

    /// The box with all its sides moved outwards by `by`, m.
    #[must_use]
    pub fn grown(&self, by: f64) -> Self {
        let by = Vector::repeat(by);
        Self {
            min: self.min - by,
            max: self.max + by,
        }
    }

    /// Whether the two share a point.
    #[must_use]
    pub fn overlaps(&self, other: &Self) -> bool {
        (0..3).all(|i| self.min[i] <= other.max[i] && other.min[i] <= self.max[i])
    }

    /// Whether `point` lies inside or on the box.
    #[must_use]
    pub fn contains(&self, point: &Point) -> bool {
        (0..3).all(|i| self.min[i] <= point[i] && point[i] <= self.max[i])
    }
}
