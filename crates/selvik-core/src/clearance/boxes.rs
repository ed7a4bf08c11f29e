//! How far apart boxes are, one of the one tree and four of the other at once, in single precision rounded to the safe side.

use wide::f32x4;

use crate::mesh::{Four, Hierarchy};
use crate::spatial::Pose;

/// Plain arrays keep the inner loops tight; everything friendly is outside.
pub(super) type V = [f64; 3];

#[inline(always)]
pub(super) fn dot(a: &V, b: &V) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

#[inline(always)]
pub(super) fn minus(a: &V, b: &V) -> V {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

/// The placement of the second surface in the frame of the first: rotation by rows.
pub(super) struct Placement {
    pub pose: Pose,
    pub rows: [V; 3],
    pub shift: V,
}

impl Placement {
    pub fn of(pose: &Pose) -> Self {
        let m = pose.rotation.to_rotation_matrix();
        let rows = [0, 1, 2].map(|i: usize| [m[(i, 0)], m[(i, 1)], m[(i, 2)]]);
        Self {
            pose: *pose,
            rows,
            shift: pose.translation.vector.into(),
        }
    }

    #[inline(always)]
    pub fn turned(&self, v: &V) -> V {
        [
            dot(&self.rows[0], v),
            dot(&self.rows[1], v),
            dot(&self.rows[2], v),
        ]
    }

    #[inline(always)]
    pub fn moved(&self, p: &V) -> V {
        let t = self.turned(p);
        [
            t[0] + self.shift[0],
            t[1] + self.shift[1],
            t[2] + self.shift[2],
        ]
    }

    pub fn moved_back(&self, p: &V) -> V {
        self.turned_back(&minus(p, &self.shift))
    }

    #[inline(always)]
    pub fn turned_back(&self, v: &V) -> V {
        let [a, b, c] = &self.rows;
        [
            a[0] * v[0] + b[0] * v[1] + c[0] * v[2],
            a[1] * v[0] + b[1] * v[1] + c[1] * v[2],
            a[2] * v[0] + b[2] * v[1] + c[2] * v[2],
        ]
    }
}

/// What rounding to single precision may add to the gap between two boxes, of what they and the way between their middles
/// measure together: some thirty operations, each off by 2⁻²⁴.
const BLUR: f32 = 4e-6;

/// The next number of single precision that is not smaller.
pub(super) fn wide_of(x: f64) -> f32 {
    let near = x as f32;
    if f64::from(near) < x {
        near.next_up()
    } else {
        near
    }
}

pub(super) fn narrow(v: &V) -> [f32; 3] {
    v.map(|x| x as f32)
}

#[inline(always)]
fn dot4(a: &[f32x4; 3], b: &[f32x4; 3]) -> f32x4 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

/// The way from one tree's own frame to that of the other, told from the origins of their boxes.
pub(super) struct Passage {
    rows: [V; 3],
    /// The same in single precision.
    narrow: [[f32; 3]; 3],
    pub shift: V,
}

impl Passage {
    /// From the frame of the second tree to that of the first, and back.
    pub fn between(a: &Hierarchy, b: &Hierarchy, placement: &Placement) -> [Self; 2] {
        let shift = minus(&placement.moved(b.origin()), a.origin());
        let back = placement.turned_back(&shift).map(|x| -x);
        let rows = placement.rows;
        let columns = [0, 1, 2].map(|j: usize| [0, 1, 2].map(|i: usize| rows[i][j]));
        [(rows, shift), (columns, back)].map(|(rows, shift)| Self {
            rows,
            narrow: [narrow(&rows[0]), narrow(&rows[1]), narrow(&rows[2])],
            shift,
        })
    }
}

/// One box beside four of the other tree, in their frame.
pub(super) struct Lone {
    centre: [f32; 3],
    axes: [[f32; 3]; 3],
    half: [f32; 3],
    /// Of `half` together, m.
    sizes: f32,
    /// How far it reaches from its middle along the direction looked along, m.
    extent: f32,
    /// What rounding its middle may be off, m.
    blur: f32,
}

impl Lone {
    /// The box at a place of `tree`; `n` in its own frame.
    #[inline(always)]
    pub fn of(tree: &Hierarchy, at: u32, passage: &Passage, n: &[f32; 3]) -> Self {
        let (four, lane) = (&tree.fours()[at as usize / 4], at as usize % 4);
        let own = |v: &[f32x4; 3]| {
            [
                v[0].as_array()[lane],
                v[1].as_array()[lane],
                v[2].as_array()[lane],
            ]
        };
        let [x, y, z] = own(&four.centre).map(f64::from);
        let half = own(&four.half);
        let along =
            |v: &[f32; 3], axis: &[f32; 3]| v[0] * axis[0] + v[1] * axis[1] + v[2] * axis[2];
        let rows = &passage.narrow;
        let turned = |axis: &[f32; 3]| {
            [
                along(&rows[0], axis),
                along(&rows[1], axis),
                along(&rows[2], axis),
            ]
        };
        let own_axes = [own(&four.axes[0]), own(&four.axes[1]), own(&four.axes[2])];
        let axes = [
            turned(&own_axes[0]),
            turned(&own_axes[1]),
            turned(&own_axes[2]),
        ];
        let extent = along(n, &own_axes[0]).abs() * half[0]
            + along(n, &own_axes[1]).abs() * half[1]
            + along(n, &own_axes[2]).abs() * half[2];
        let moved = |row: &V, shift: f64| (row[0] * x + row[1] * y + row[2] * z + shift) as f32;
        let (rows, shift) = (&passage.rows, &passage.shift);
        let centre = [
            moved(&rows[0], shift[0]),
            moved(&rows[1], shift[1]),
            moved(&rows[2], shift[2]),
        ];
        Self {
            centre,
            axes,
            half,
            sizes: half[0] + half[1] + half[2],
            extent,
            blur: 1.2e-7 * (centre[0].abs() + centre[1].abs() + centre[2].abs()),
        }
    }
}

/// How far four boxes of one body are from one of the other.
pub(super) struct Bounds {
    /// No triangles in the two are nearer, m; infinite where there is no box.
    pub lower: [f32; 4],
    /// How near they come, roughly, m: by that it is chosen what to look at first.
    pub guess: [f32; 4],
    /// Along what they are so far apart, where that is wanted and is not the direction looked along: from the boxes to the one, in
    /// the frame of the boxes.
    pub along: [Option<V>; 4],
}

/// The gap between two boxes along any one direction is such a distance: the direction of the closest pair so far
/// settles most boxes. So is the distance of one box from the box round the other that is parallel to it.
///
/// `directed` tells whether it is wanted along what they are apart.
#[inline(always)]
pub(super) fn bounds(
    boxes: &Four,
    one: &Lone,
    n: &[f32; 3],
    (interest, directed): (f32, bool),
    kept: impl Fn(usize, f32, Option<&V>) -> f32,
) -> Bounds {
    let splat = |v: &[f32; 3]| [f32x4::splat(v[0]), f32x4::splat(v[1]), f32x4::splat(v[2])];
    let (centre, half, n) = (splat(&one.centre), splat(&one.half), splat(n));
    let between = [
        centre[0] - boxes.centre[0],
        centre[1] - boxes.centre[1],
        centre[2] - boxes.centre[2],
    ];
    let sizes = boxes.half[0] + boxes.half[1] + boxes.half[2] + f32x4::splat(one.sizes);
    let far = between[0].abs() + between[1].abs() + between[2].abs() + sizes;
    let unsure = far * f32x4::splat(BLUR) + f32x4::splat(one.blur);
    let gap = dot4(&n, &between)
        - dot4(&boxes.axes[0], &n).abs() * boxes.half[0]
        - dot4(&boxes.axes[1], &n).abs() * boxes.half[1]
        - dot4(&boxes.axes[2], &n).abs() * boxes.half[2]
        - f32x4::splat(one.extent);
    let quick = (gap - unsure).to_array();
    let mut lower = [f32::INFINITY; 4];
    let mut settled = true;
    for lane in 0..4 {
        if boxes.holds(lane) {
            lower[lane] = kept(lane, quick[lane], None);
            settled &= lower[lane] >= interest;
        }
    }
    let mut along = [None; 4];
    if settled {
        return Bounds {
            lower,
            guess: lower,
            along,
        };
    }
    // How far edge k of theirs points along edge j of the one.
    let axes = [
        splat(&one.axes[0]),
        splat(&one.axes[1]),
        splat(&one.axes[2]),
    ];
    let edges = |k: usize, j: usize| dot4(&boxes.axes[k], &axes[j]).abs();
    let local_a = |k: usize| dot4(&boxes.axes[k], &between);
    let local_b = |j: usize| dot4(&axes[j], &between);
    let mut gaps_a = [f32x4::ZERO; 3];
    let mut gaps_b = [
        local_b(0).abs() - half[0],
        local_b(1).abs() - half[1],
        local_b(2).abs() - half[2],
    ];
    for (k, gap_a) in gaps_a.iter_mut().enumerate() {
        let of = boxes.half[k];
        let (x, y, z) = (edges(k, 0), edges(k, 1), edges(k, 2));
        let reach = of + x * half[0] + y * half[1] + z * half[2];
        *gap_a = (local_a(k).abs() - reach).fast_max(f32x4::ZERO);
        gaps_b[0] -= x * of;
        gaps_b[1] -= y * of;
        gaps_b[2] -= z * of;
    }
    for gap in &mut gaps_b {
        *gap = gap.fast_max(f32x4::ZERO);
    }
    let (from_a, from_b) = (dot4(&gaps_a, &gaps_a), dot4(&gaps_b, &gaps_b));
    let gap = (from_a.fast_max(from_b).sqrt() - unsure).to_array();
    let guess = (dot4(&between, &between) * f32x4::splat(1e-3)).to_array();
    let mut guesses = [f32::INFINITY; 4];
    for lane in 0..4 {
        if !boxes.holds(lane) || lower[lane] >= interest {
            continue;
        }
        // Boxes that meet are apart in no direction.
        if !gap[lane].is_finite() {
            // Squares may be too large where what is squared is not.
        } else if !directed || gap[lane] < interest || gap[lane] <= 0.0 {
            lower[lane] = lower[lane].max(kept(lane, gap[lane], None));
        } else {
            let at = |v: &f32x4| v.as_array()[lane];
            let share = |gap: &f32x4, local: &f32x4| f64::from(at(gap).copysign(at(local)));
            let term = |k: usize, i: usize| {
                if at(&from_a) >= at(&from_b) {
                    share(&gaps_a[k], &local_a(k)) * f64::from(at(&boxes.axes[k][i]))
                } else {
                    share(&gaps_b[k], &local_b(k)) * f64::from(one.axes[k][i])
                }
            };
            let sum = |i: usize| term(0, i) + term(1, i) + term(2, i);
            let way = [sum(0), sum(1), sum(2)];
            let length = dot(&way, &way).sqrt();
            let way = way.map(|x| x / length);
            let found = kept(lane, gap[lane], Some(&way));
            if found > lower[lane] {
                lower[lane] = found;
                along[lane] = Some(way);
            }
        }
        guesses[lane] = lower[lane] + guess[lane];
    }
    Bounds {
        lower,
        guess: guesses,
        along,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clearance::triangle_distance;
    use crate::spatial::{Point, pose_from_rpy};
    use proptest::prelude::*;

    type Triangles = Vec<[[f64; 3]; 3]>;

    fn strewn() -> impl Strategy<Value = Triangles> {
        let at = prop::array::uniform3(-1.0f64..1.0);
        let corner = prop::array::uniform3(-0.2f64..0.2);
        let one = (at, prop::array::uniform3(corner));
        let placed =
            one.prop_map(|(at, corners)| corners.map(|c| [0, 1, 2].map(|i: usize| at[i] + c[i])));
        prop::collection::vec(placed, 1..14)
    }

    fn tree(triangles: &Triangles, scale: f64, off: f64) -> Hierarchy {
        let placed = triangles
            .iter()
            .map(|t| t.map(|c| Point::from(c.map(|x| x * scale + off))));
        Hierarchy::over(&placed.collect::<Vec<_>>(), &[])
    }

    /// The places of all boxes.
    fn places(tree: &Hierarchy) -> impl Iterator<Item = u32> + '_ {
        (0..4 * tree.fours().len() as u32)
            .filter(|&at| tree.fours()[at as usize / 4].holds(at as usize % 4))
    }

    /// What lies in a box.
    fn within(tree: &Hierarchy, at: u32) -> Vec<[Point; 3]> {
        let node = tree.node(at);
        if node.is_leaf() {
            let all = node.first as usize..(node.first + node.count) as usize;
            return all
                .map(|entry| tree.corners()[entry].map(Point::from))
                .collect();
        }
        tree.below(&node)
            .flat_map(|child| within(tree, child))
            .collect()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(400))]

        /// From a tenth of a millimetre to ten kilometres, near their origin and far from it, whatever direction is looked along.
        #[test]
        fn no_triangles_are_nearer_than_their_boxes(
            (a, b) in (strewn(), strewn()),
            power in -4i32..5,
            off in prop::sample::select(vec![0.0, 3.0, 2000.0]),
            xyz in prop::array::uniform3(-3.0f64..3.0),
            rpy in prop::array::uniform3(-3.0f64..3.0),
            n in prop::array::uniform3(-1.0f64..1.0),
        ) {
            let scale = 10f64.powi(power);
            let length = dot(&n, &n).sqrt();
            prop_assume!(length > 0.01);
            let n_a = n.map(|x| x / length);
            let (a, b) = (tree(&a, scale, off * scale), tree(&b, scale, 0.0));
            let at = xyz.map(|x| (x + off) * scale);
            let pose = pose_from_rpy(at, rpy);
            let placement = Placement::of(&pose);
            let n_b = placement.turned_back(&n_a);
            let [there, _] = Passage::between(&a, &b, &placement);
            for at_b in places(&b) {
                let one = Lone::of(&b, at_b, &there, &narrow(&n_b));
                let of_b: Vec<_> = within(&b, at_b).iter().map(|t| t.map(|p| pose * p)).collect();
                for (place, boxes) in a.fours().iter().enumerate() {
                    let Bounds { lower, .. } = bounds(boxes, &one, &narrow(&n_a), (f32::INFINITY, false), |_, gap, _| gap);
                    for lane in (0..4).filter(|&lane| boxes.holds(lane)) {
                        let of_a = within(&a, (4 * place + lane) as u32);
                        let apart = |x: &[Point; 3]| {
                            let all = of_b.iter().map(|y| triangle_distance(x, y).squared.sqrt());
                            all.fold(f64::INFINITY, f64::min)
                        };
                        let nearest = of_a.iter().map(apart).fold(f64::INFINITY, f64::min);
                        // In double precision the corners themselves are no better known than this.
                        let known = 1e-15 * scale * (1.0 + off);
                        prop_assert!(f64::from(lower[lane]) <= nearest + known, "{} {nearest}", lower[lane]);
                    }
                }
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2000))]

        /// Flat boxes face to face are as far apart as what they hold: here all is rounding.
        #[test]
        fn rounding_never_tells_more_than_is_true(
            corners in prop::array::uniform3(prop::array::uniform2(-1.0f64..1.0)),
            apart in 0.001f64..200.0,
            xyz in prop::array::uniform3(-5.0f64..5.0),
            rpy in prop::array::uniform3(-3.0f64..3.0),
        ) {
            let turned = pose_from_rpy(xyz, rpy);
            let flat = |z: f64| corners.map(|[x, y]| turned * Point::new(x, y, z));
            let n_a: V = (turned.rotation * crate::spatial::Vector::z()).into();
            let [a, b] = [0.0, apart].map(|z| Hierarchy::over(&[flat(z)], &[]));
            let placement = Placement::of(&Pose::identity());
            let [there, _] = Passage::between(&a, &b, &placement);
            let one = Lone::of(&b, 0, &there, &narrow(&n_a));
            let Bounds { lower, .. } = bounds(&a.fours()[0], &one, &narrow(&n_a), (f32::INFINITY, false), |_, gap, _| gap);
            let lower = f64::from(lower[0]);
            prop_assert!(lower <= apart && lower >= apart - 2e-5 * (apart + 4.0), "{lower} {apart}");
        }
    }

    /// Squares that single precision does not hold rule nothing out.
    #[test]
    fn what_is_too_large_is_not_ruled_out() {
        let one = |x: f64| {
            Hierarchy::over(
                &[[[x, 0.0, 0.0], [x, 1.0, 0.0], [x, 0.0, 1.0]].map(Point::from)],
                &[],
            )
        };
        for far in [1e15, 1e25, 1e40] {
            let (a, b) = (one(0.0), one(0.0));
            let found =
                crate::clearance::surfaces_apart(&a, &b, &pose_from_rpy([far, 0.0, 0.0], [0.0; 3]));
            let distance = found.expect("they are somewhere").distance;
            assert!((distance / far - 1.0).abs() < 1e-12, "{distance} {far}");
        }
    }
}
