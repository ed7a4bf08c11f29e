//! How far what a hierarchy holds reaches along a direction: what lies beyond a plane, all at once.
//!
//! Two bodies that a plane parts are proved apart by one reach of each, in place of the many pairs of boxes round their
//! closest points that no box tells apart: along the direction of the closest points the reaches are as far apart as those
//! are, wherever the bodies bulge towards each other.

use super::boxes::{V, dot};
use crate::mesh::{Four, Hierarchy};
use wide::f32x4;

/// What reaches farthest.
pub(super) struct Reach {
    /// How far, times the length of the direction.
    pub far: f64,
    /// The point that does, m.
    pub at: V,
    /// The entry of the corner list it belongs to.
    pub entry: usize,
}

/// How far entry `entry` reaches along `n`.
fn reach_of_entry(tree: &Hierarchy, entry: usize, n: &V) -> Reach {
    let [p, q, r] = tree.corners()[entry];
    let (mut far, mut at) = (dot(n, &p), p);
    for corner in [q, r] {
        let reach = dot(n, &corner);
        if reach > far {
            (far, at) = (reach, corner);
        }
    }
    let radius = tree.radius_at(entry);
    if radius > 0.0 {
        let length = dot(n, n).sqrt();
        far += length * radius;
        at = [0, 1, 2].map(|i: usize| at[i] + n[i] / length * radius);
    }
    Reach { far, at, entry }
}

/// How far boxes may reach along a direction.
struct Along {
    n: [f32x4; 3],
    /// Where their tree's origin lies along it.
    from: f64,
    length: f32,
}

impl Along {
    fn new(tree: &Hierarchy, n: &V) -> Self {
        Self {
            n: n.map(|x| f32x4::splat(x as f32)),
            from: dot(n, tree.origin()),
            length: (dot(n, n).sqrt() as f32).next_up(),
        }
    }

    /// Not farther than this, each: some twelve operations of single precision are allowed for.
    #[inline(always)]
    fn most(&self, boxes: &Four) -> [f32; 4] {
        let along = |v: &[f32x4; 3]| v[0] * self.n[0] + v[1] * self.n[1] + v[2] * self.n[2];
        let half = &boxes.half;
        let far = along(&boxes.centre)
            + along(&boxes.axes[0]).abs() * half[0]
            + along(&boxes.axes[1]).abs() * half[1]
            + along(&boxes.axes[2]).abs() * half[2];
        let centre = boxes.centre.map(f32x4::abs);
        let sizes = centre[0] + centre[1] + centre[2] + half[0] + half[1] + half[2];
        (far + sizes * f32x4::splat(2e-6 * self.length)).to_array()
    }
}

fn farther(tree: &Hierarchy, (first, count): (u32, u32), n: &V, than: Reach) -> Reach {
    (first as usize..(first + count) as usize)
        .map(|entry| reach_of_entry(tree, entry, n))
        .fold(
            than,
            |most, found| if found.far > most.far { found } else { most },
        )
}

/// What reaches far along `n` (of any length), found without turning back: the farthest, or not much less. `guess` is an entry
/// that may; `looks` counts the boxes looked at.
pub(super) fn dive(tree: &Hierarchy, n: &V, guess: usize, looks: &mut u64) -> Reach {
    let along = Along::new(tree, n);
    let mut at = (0, 0);
    loop {
        *looks += 1;
        let four = &tree.fours()[at.0];
        let (first, count) = (four.first[at.1], four.count[at.1]);
        if count > 0 {
            return farther(tree, (first, count), n, reach_of_entry(tree, guess, n));
        }
        let below = &tree.fours()[first as usize];
        let most = along.most(below);
        let lanes = (0..4).filter(|&lane| below.holds(lane));
        let farthest = lanes.max_by(|&i, &j| most[i].total_cmp(&most[j]));
        at = (first as usize, farthest.expect("something is below"));
    }
}

/// What reaches farthest along `n`, certainly.
pub(super) fn reach(tree: &Hierarchy, n: &V, guess: usize, looks: &mut u64) -> Reach {
    reach_within(u64::MAX, tree, n, guess, looks)
}

/// The same; infinitely far where more than `most` boxes would have to be looked at.
pub(super) fn reach_within(
    most: u64,
    tree: &Hierarchy,
    n: &V,
    guess: usize,
    looks: &mut u64,
) -> Reach {
    let until = looks.saturating_add(most);
    let along = Along::new(tree, n);
    let mut farthest = reach_of_entry(tree, guess, n);
    let mut open: Vec<(u32, f64)> = Vec::with_capacity(64);
    open.push((0, f64::INFINITY));
    while let Some((at, most)) = open.pop() {
        if most <= farthest.far {
            continue;
        }
        *looks += 1;
        if *looks > until {
            farthest.far = f64::INFINITY;
            return farthest;
        }
        let (four, lane) = (&tree.fours()[at as usize / 4], at as usize % 4);
        let (first, count) = (four.first[lane], four.count[lane]);
        if count > 0 {
            farthest = farther(tree, (first, count), n, farthest);
            continue;
        }
        let below = &tree.fours()[first as usize];
        let most = along.most(below);
        let mut order = [0usize, 1, 2, 3];
        order.sort_unstable_by(|&i, &j| most[i].total_cmp(&most[j]));
        for lane in order {
            let most = f64::from(most[lane]) + along.from;
            // What is too large for single precision may reach anywhere.
            if below.holds(lane) && (most.is_nan() || most > farthest.far) {
                open.push((4 * first + lane as u32, most));
            }
        }
    }
    farthest
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh, sphere_mesh};
    use proptest::prelude::*;

    fn trees() -> Vec<Hierarchy> {
        let ball = sphere_mesh(0.5, 30);
        let alone: TriangleMesh = box_mesh([0.1, 2.0, 0.3]);
        let points = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.5], [0.3, -2.0, 0.1]].map(|p| [p.into(); 3]);
        vec![
            Hierarchy::build(&ball),
            Hierarchy::build(&alone),
            Hierarchy::over(&points, &[0.5, 0.25, 0.125]),
        ]
    }

    proptest! {
        #[test]
        fn nothing_reaches_farther(which in 0usize..3, n in prop::array::uniform3(-3.0f64..3.0), guess in 0usize..3) {
            prop_assume!(dot(&n, &n) > 1e-6);
            let tree = &trees()[which];
            let mut looks = 0;
            let found = reach(tree, &n, guess, &mut looks);
            let dived = dive(tree, &n, guess, &mut looks);
            let length = dot(&n, &n).sqrt();
            let all = (0..tree.corners().len()).flat_map(|entry| {
                let radius = tree.radius_at(entry);
                tree.corners()[entry].map(|p| dot(&n, &p) + length * radius)
            });
            let most = all.fold(f64::NEG_INFINITY, f64::max);
            prop_assert!((found.far - most).abs() < 1e-12 && dived.far <= most + 1e-12);
            for one in [found, dived] {
                prop_assert!((dot(&n, &one.at) - one.far).abs() < 1e-12);
            }
        }
    }
}
