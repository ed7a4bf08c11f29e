//! How near pieces of two bodies may come round an instant, along the direction in which they are apart.
//!
//! While every track τ goes by s_τ along its line, a point p of the first body is off p + Σ s_τ v_τ(p) by no more than is known
//! (see [`Levers::round`](crate::robot::Levers::round)), and so is a point q of the second. For convex pieces P
//! and Q and any direction n
//!
//! d ≥ min over s of (min over q ∈ Q of n·(q + Σ s_τ v_τ(q)) − max over p ∈ P of n·(p + Σ s_τ v_τ(p))) − rest
//!
//! What is minimised over s is concave in it, so that its minimum lies in a corner of where s ranges; for each such corner the
//! screws add up to one, and what is minimised over a box or a triangle is linear there.
//!
//! Where each body is moved by one track, what it is off by in second order is known, too: s² a(p), a(p) linear in p (see
//! [`Bend`](crate::robot::Bend)). Of that only what closes the gap counts, and at most as much as at the farthest s:
//!
//! d ≥ (the minimum above) − S² max over p ∈ P of (n·a(p))⁺ − S² max over q ∈ Q of (−n·a(q))⁺ − what is left of third order
//!
//! Bodies that circle round each other at the same distance bend away from the line just so that it stays the same.
//!
//! Source: that only motion along the direction in which two bounding volumes are apart closes the gap is the idea of Tang,
//! Kim and Manocha, *C2A: Controlled Conservative Advancement for Continuous Collision Detection of Polygonal Models*, ICRA
//! 2009 (from memory). The bound of second order round the middle of a stretch is our own.

use super::boxes::{V, dot};
use crate::mesh::Node;
use crate::robot::{Bend, Screw};
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
    /// By what they are off it, and how far off that.
    bent: Option<Bent>,
    /// How far they move against each other at most, m.
    pub most: f64,
}

/// By what the points of both bodies are off their screws, each in its own frame.
#[derive(Debug, Clone)]
pub(super) struct Bent {
    by: [Linear; 2],
    /// How far both are off that at most, m.
    rest: f64,
}

/// By how much a point p is displaced: `by` p + shift.
#[derive(Debug, Clone, Copy)]
struct Linear {
    /// Rows of the transposed matrix.
    by: [V; 3],
    shift: V,
}

impl Linear {
    fn of(bend: &Bend) -> Self {
        let column = |i: usize| bend.by.column(i).into_owned().into();
        Self {
            by: [column(0), column(1), column(2)],
            shift: bend.shift.into(),
        }
    }

    /// By how much a point p goes along n: `slope`·p + `base`.
    #[inline(always)]
    fn along(&self, n: &V) -> (V, f64) {
        let slope = [0, 1, 2].map(|i: usize| dot(&self.by[i], n));
        (slope, dot(n, &self.shift))
    }

    /// How far any point of a box goes along n at most, and against it, m.
    #[inline(always)]
    fn of_box(&self, n: &V, node: &Node) -> (f64, f64) {
        let (slope, base) = self.along(n);
        let (middle, half) = node.along(&slope);
        (
            (middle + base + half).max(0.0),
            (half - middle - base).max(0.0),
        )
    }

    /// The same of a triangle padded round by `radius`, m.
    #[inline(always)]
    fn of_corners(&self, n: &V, corners: &[V; 3], radius: f64) -> (f64, f64) {
        let (slope, base) = self.along(n);
        let [p, q, r] = [0, 1, 2].map(|i: usize| dot(&slope, &corners[i]) + base);
        let more = dot(&slope, &slope).sqrt() * radius;
        let (along, against) = (p.max(q).max(r) + more, more - p.min(q).min(r));
        (along.max(0.0), against.max(0.0))
    }
}

impl Bent {
    /// Of two bodies, in their own frames; off that by no more than `rest` (m).
    pub fn new(bends: [Bend; 2], rest: f64) -> Self {
        Self {
            by: [Linear::of(&bends[0]), Linear::of(&bends[1])],
            rest,
        }
    }
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
            bent: None,
            most,
        }
    }

    /// The same, where it is known by what they are off their ways.
    pub fn bent(self, bent: Bent) -> Self {
        Self {
            bent: Some(bent),
            ..self
        }
    }

    /// What is certain of a gap (m) that stays where the bodies only go along their ways; `closes` tells by how much what bends
    /// them closes it. Where something is `wanted` (m) it is only asked if that may tell whether so much is certain.
    #[inline(always)]
    fn kept(&self, gap: f64, wanted: Option<f64>, closes: impl FnOnce(&[Linear; 2]) -> f64) -> f64 {
        let kept = gap - self.rest;
        let Some(bent) = &self.bent else { return kept };
        let best = gap - bent.rest;
        let tells = match wanted {
            Some(wanted) => kept < wanted && wanted <= best,
            None => kept < best,
        };
        if tells {
            kept.max(best - closes(&bent.by))
        } else {
            kept
        }
    }

    /// How far apart two boxes certainly stay along n, m, told in the frames of both; `shift` is where the second frame's
    /// origin lies along it in the first. More than `wanted` need not be known.
    #[inline]
    pub fn between_boxes(
        &self,
        (n_a, n_b, shift): (&V, &V, f64),
        (a, b): (&Node, &Node),
        wanted: f64,
    ) -> f64 {
        let mut least = f64::INFINITY;
        for [of_a, of_b] in &self.ends {
            let (a, b) = (of_a.of_box(n_a, a), of_b.of_box(n_b, b));
            least = least.min(b.0 - b.1 - a.0 - a.1);
        }
        self.kept(least + shift, Some(wanted), |[of_a, of_b]| {
            of_a.of_box(n_a, a).0 + of_b.of_box(n_b, b).1
        })
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
        self.kept(least + shift, None, |[of_a, of_b]| {
            let ((slope_a, base_a), (slope_b, base_b)) = (of_a.along(n_a), of_b.along(n_b));
            let (a, b) = reach(&slope_a, &slope_b.map(|x| -x));
            (a + base_a).max(0.0) + (b - base_b).max(0.0)
        })
    }

    /// The same of two triangles (in their own frames) padded round by so much, m, as well as it is known.
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
        self.kept(least + shift, None, |[of_a, of_b]| {
            let a = of_a.of_corners(n_a, a, radius_a);
            let b = of_b.of_corners(n_b, b, radius_b);
            a.0 + b.1
        })
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
