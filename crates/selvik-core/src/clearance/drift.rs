//! How near pieces of two bodies may come round an instant, along the direction in which they are apart.
//!
//! While every track τ goes by s_τ along its line, a point p of the first body is off p + Σ s_τ v_τ(p) by no more than is known
//! (see [`MotionBound::round`](crate::robot::MotionBound::round)), and so is a point q of the second. For convex pieces P
//! and Q and any direction n
//!
//! d ≥ min over s of (min over q ∈ Q of n·(q + Σ s_τ v_τ(q)) − max over p ∈ P of n·(p + Σ s_τ v_τ(p))) − rest
//!
//! What is minimised over s is concave in it, so that its minimum lies in a corner of where s ranges; for each such corner the
//! screws add up to one, and what is minimised over a box or a triangle is linear there.
//!
//! Source: that only motion along the direction in which two bounding volumes are apart closes the gap is the idea of Tang,
//! Kim and Manocha, *C2A: Controlled Conservative Advancement for Continuous Collision Detection of Polygonal Models*, ICRA
//! 2009 (from memory). The bound of second order round the middle of a stretch is our own.

use super::boxes::{V, dot};
use crate::mesh::Node;
use crate::robot::Screw;
use crate::spatial::{Point, Vector};

/// More tracks than this have too many corners to be gone through: of what they move only how far is counted.
const MOST_WAYS: usize = 4;

/// How two bodies drift round an instant.
#[derive(Debug, Clone)]
pub(super) struct Drift {
    /// Where each may be at the corners of where the ways range: of the first body and of the second, in their own frames.
    ends: Vec<[Slide; 2]>,
    /// How far both are off that at most, m.
    rest: f64,
    /// How far they move against each other at most, m.
    pub most: f64,
}

/// What one track does to both bodies, each in its own frame.
#[derive(Debug, Clone, Copy)]
pub(super) struct Way {
    /// How far its line is followed back (0 or less) and forth.
    pub ends: (f64, f64),
    /// Of the first and of the second body.
    pub screws: [Screw; 2],
}

/// By how much a point p is displaced: turn × p + shift.
#[derive(Debug, Clone, Copy)]
struct Slide {
    turn: V,
    shift: V,
}

impl Slide {
    /// A displaced point p lies `slope`·p + `base` along n.
    #[inline(always)]
    fn along(&self, n: &V) -> (V, f64) {
        let w = &self.turn;
        let slope = [
            n[0] + (n[1] * w[2] - n[2] * w[1]),
            n[1] + (n[2] * w[0] - n[0] * w[2]),
            n[2] + (n[0] * w[1] - n[1] * w[0]),
        ];
        (slope, dot(n, &self.shift))
    }

    /// Where the middle of a displaced box lies along n, and how far it reaches from there.
    #[inline(always)]
    fn of_box(&self, n: &V, node: &Node) -> (f64, f64) {
        let (slope, base) = self.along(n);
        let (middle, half) = node.along(&slope);
        (middle + base, half)
    }

    /// Where a displaced triangle, padded round by `radius` (m), begins and ends along n.
    #[inline(always)]
    fn of_corners(&self, n: &V, corners: &[V; 3], radius: f64) -> (f64, f64) {
        let (slope, base) = self.along(n);
        let [p, q, r] = [0, 1, 2].map(|i: usize| dot(&slope, &corners[i]) + base);
        let more = if radius > 0.0 {
            dot(&slope, &slope).sqrt() * radius
        } else {
            0.0
        };
        (p.min(q).min(r) - more, p.max(q).max(r) + more)
    }
}

impl Drift {
    /// Of bodies that go along `ways`, off those by no more than `rest` (m), and by no more than `most` in all.
    pub fn new(ways: &[Way], rest: f64, most: f64) -> Self {
        let still = Screw::default();
        let mut ends = vec![[still; 2]];
        let counted = if ways.len() > MOST_WAYS { &[] } else { ways };
        for way in counted {
            let gone = |at: &[Screw; 2], by: f64| [0, 1].map(|i| at[i].plus(&way.screws[i], by));
            let (back, forth) = way.ends;
            ends = ends
                .iter()
                .flat_map(|at| [gone(at, back), gone(at, forth)])
                .collect();
        }
        let slide = |screw: Screw| Slide {
            turn: screw.turn.into(),
            shift: screw.shift.into(),
        };
        Self {
            ends: ends.into_iter().map(|both| both.map(slide)).collect(),
            rest: if counted.len() < ways.len() {
                most
            } else {
                rest
            },
            most,
        }
    }

    /// How far apart two boxes certainly stay along n, m, told in the frames of both; `shift` is where the second frame's
    /// origin lies along it in the first.
    #[inline]
    pub fn between_boxes(&self, (n_a, n_b, shift): (&V, &V, f64), a: &Node, b: &Node) -> f64 {
        let mut least = f64::INFINITY;
        for [of_a, of_b] in &self.ends {
            let (a, b) = (of_a.of_box(n_a, a), of_b.of_box(n_b, b));
            least = least.min(b.0 - b.1 - a.0 - a.1);
        }
        least + shift - self.rest
    }

    /// The same of all that reaches as far as `reach` tells along a direction in the frame of the first, and along one in the
    /// frame of the second.
    pub fn between(
        &self,
        (n_a, n_b, shift): (&V, &V, f64),
        mut reach: impl FnMut(&V, &V) -> (f64, f64),
    ) -> f64 {
        let mut least = f64::INFINITY;
        for [of_a, of_b] in &self.ends {
            let ((slope_a, base_a), (slope_b, base_b)) = (of_a.along(n_a), of_b.along(n_b));
            let (a, b) = reach(&slope_a, &slope_b.map(|x| -x));
            least = least.min(base_b - b - base_a - a);
        }
        least + shift - self.rest
    }

    /// The same of two triangles (in their own frames) padded round by so much, m.
    #[inline]
    pub fn between_triangles(
        &self,
        (n_a, n_b, shift): (&V, &V, f64),
        (a, radius_a): (&[V; 3], f64),
        (b, radius_b): (&[V; 3], f64),
    ) -> f64 {
        let mut least = f64::INFINITY;
        for [of_a, of_b] in &self.ends {
            let a = of_a.of_corners(n_a, a, radius_a);
            let b = of_b.of_corners(n_b, b, radius_b);
            least = least.min(b.0 - a.1);
        }
        least + shift - self.rest
    }

    /// How far apart two points are at most at any instant, m: `p` of the first body and `q`, told in the frame of the first, of
    /// the second, in whose own frame it is `own`; `turned` takes directions from there to the first.
    pub fn farthest(&self, p: &Point, (q, own): (&Point, &Point), turned: impl Fn(&V) -> V) -> f64 {
        let going = |slide: &Slide, at: &Point| {
            Vector::from(slide.turn).cross(&at.coords) + Vector::from(slide.shift)
        };
        let apart = self.ends.iter().map(|[of_a, of_b]| {
            let b: V = going(of_b, own).into();
            (q - p + Vector::from(turned(&b)) - going(of_a, p)).norm()
        });
        // Convex in where the ways are, so that it is largest in a corner.
        let farthest = apart.fold(0.0, f64::max);
        (farthest + self.rest).min((q - p).norm() + self.most)
    }
}
