//! The nearest point to the origin of all that lies between a few points, for going towards the plane that parts two bodies.
//!
//! Source: E. Gilbert, D. Johnson, S. Keerthi, *A Fast Procedure for Computing the Distance Between Complex Objects in
//! Three-Dimensional Space*, 1988 (from memory): of all differences of a point of the one body and one of the other, those
//! farthest along a direction are kept, as few as hold the nearest point between them.

use nalgebra::{Matrix3, Vector3};

use crate::spatial::{Point, Vector};

/// A point of each body, both told in the frame of the first.
#[derive(Debug, Clone, Copy)]
pub(super) struct Corner {
    pub on_a: Point,
    pub on_b: Point,
}

impl Corner {
    /// From the one to the other, m.
    pub fn between(&self) -> Vector {
        self.on_b - self.on_a
    }
}

/// Up to four corners, none of which the nearest point can do without.
#[derive(Debug, Clone, Default)]
pub(super) struct Simplex {
    corners: Vec<Corner>,
}

impl Simplex {
    /// Takes a further corner in and keeps those that the nearest point lies between. Tells the points of the two bodies that
    /// it stands for; `None` when the origin lies within, so that no plane parts the bodies' hulls.
    pub fn take(&mut self, corner: Corner) -> Option<Corner> {
        self.corners.push(corner);
        let count = self.corners.len();
        let mut best: Option<(f64, usize, [f64; 4])> = None;
        // Every choice of corners whose nearest point lies between all of them.
        for choice in 1..1usize << count {
            let Some(shares) = self.shares(choice) else {
                continue;
            };
            let nearest: Vector = (0..count)
                .map(|i| self.corners[i].between() * shares[i])
                .sum();
            let squared = nearest.norm_squared();
            if best.is_none_or(|(least, ..)| squared < least) {
                best = Some((squared, choice, shares));
            }
        }
        let (_, choice, shares) = best?;
        if choice.count_ones() == 4 {
            return None;
        }
        let weighed = |of: fn(&Corner) -> Point| {
            let all = (0..count).map(|i| of(&self.corners[i]).coords * shares[i]);
            Point::from(all.sum::<Vector>())
        };
        let nearest = Corner {
            on_a: weighed(|c| c.on_a),
            on_b: weighed(|c| c.on_b),
        };
        let mut at = 0;
        self.corners.retain(|_| {
            at += 1;
            choice >> (at - 1) & 1 == 1
        });
        Some(nearest)
    }

    /// The shares of the chosen corners in the point of their span that is nearest to the origin; `None` when it does not lie
    /// between them.
    fn shares(&self, choice: usize) -> Option<[f64; 4]> {
        let mut chosen = (0..self.corners.len()).filter(|i| choice >> i & 1 == 1);
        let first = chosen.next()?;
        let origin = self.corners[first].between();
        let mut shares = [0.0; 4];
        let (mut edges, mut at) = ([Vector::zeros(); 3], [0; 3]);
        let mut count = 0;
        for i in chosen {
            edges[count] = self.corners[i].between() - origin;
            at[count] = i;
            count += 1;
        }
        // What is left over stands for itself.
        let gram = Matrix3::from_fn(|i, j| {
            if i < count && j < count {
                edges[i].dot(&edges[j])
            } else {
                f64::from(u8::from(i == j))
            }
        });
        let right = Vector3::from_fn(|i, _| {
            if i < count {
                -edges[i].dot(&origin)
            } else {
                0.0
            }
        });
        let solved = gram.try_inverse()? * right;
        let mut left = 1.0;
        for k in 0..count {
            shares[at[k]] = solved[k];
            left -= solved[k];
        }
        shares[first] = left;
        let within = (0..self.corners.len()).all(|i| shares[i] > 0.0 || choice >> i & 1 == 0);
        within.then_some(shares)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn corner(p: [f64; 3]) -> Corner {
        Corner {
            on_a: Point::new(1.0, 2.0, 3.0),
            on_b: Point::new(1.0, 2.0, 3.0) + Vector::from(p),
        }
    }

    #[test]
    fn closed_forms() {
        let mut simplex = Simplex::default();
        let mut taken = |p| simplex.take(corner(p)).map(|c| c.between().norm());
        assert_eq!(taken([3.0, 4.0, 0.0]), Some(5.0));
        // The segment to there comes as near as its middle, and the triangle as its face.
        assert!((taken([3.0, -4.0, 0.0]).unwrap() - 3.0).abs() < 1e-12);
        assert!((taken([0.0, 0.0, 3.0]).unwrap() - 4.5f64.sqrt()).abs() < 1e-12);
        // One that is there already changes nothing.
        assert!((taken([0.0, 0.0, 3.0]).unwrap() - 4.5f64.sqrt()).abs() < 1e-12);
        assert_eq!(taken([-9.0, 0.0, -1.0]), None);
    }

    proptest! {
        /// No mixture of the corners is nearer than what is told, and it is one of them.
        #[test]
        fn nothing_between_them_is_nearer(
            all in prop::collection::vec(prop::array::uniform3(-2.0f64..2.0), 1..4),
            shares in prop::collection::vec(prop::array::uniform4(0.0f64..1.0), 40),
        ) {
            let mut simplex = Simplex::default();
            let mut nearest = None;
            for &p in &all {
                nearest = simplex.take(corner([p[0] + 2.5, p[1], p[2]]));
            }
            let nearest = nearest.expect("three corners hold nothing").between();
            let kept = simplex.corners.len();
            prop_assert!(kept <= all.len());
            for share in shares {
                let sum: f64 = share[..kept].iter().sum();
                let mixed: Vector = (0..kept).map(|i| simplex.corners[i].between() * (share[i] / sum)).sum();
                prop_assert!(nearest.norm() <= mixed.norm() + 1e-9);
            }
        }
    }
}
