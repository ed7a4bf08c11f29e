//! The part of a section within, or without, a convex piece of its plane.

use i_overlay::core::fill_rule::FillRule;
use i_overlay::core::overlay_rule::OverlayRule;
use i_overlay::float::single::SingleFloatOverlay;

use super::loops::{Contour, Region, nest};
use super::mesh_plane::Section;
use super::unite::contours_of;
use crate::spatial::{Plane, Point, Vector};

/// What lies in front of a plane, seen in another one: the points of that plane with `along · x > from`.
#[derive(Debug, Clone, Copy)]
pub(super) struct HalfPlane {
    along: [f64; 2],
    from: f64,
}

/// Planes whose normals differ by less than this do not cross, rad.
const PARALLEL: f64 = 1e-9;

impl HalfPlane {
    /// What of `plane` lies in front of `other`; all or nothing of it where the two do not cross.
    pub fn of(other: &Plane, plane: &Plane) -> Result<Self, All> {
        let (u, v) = plane.axes();
        let along = [other.normal.dot(&u), other.normal.dot(&v)];
        let origin = Point::from(plane.normal.into_inner() * plane.offset);
        let height = other.height(&origin);
        if along[0].hypot(along[1]) < PARALLEL {
            return Err(All(height > 0.0));
        }
        Ok(Self {
            along,
            from: -height,
        })
    }

    fn depth(&self, p: [f64; 2]) -> f64 {
        self.along[0] * p[0] + self.along[1] * p[1] - self.from
    }
}

/// Whether all of a plane lies in front of one that does not cross it, or nothing.
#[derive(Debug, Clone, Copy)]
pub(super) struct All(pub bool);

/// Which part is wanted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Side {
    Within,
    Without,
}

/// The part of `section`, cut by `plane`, on one side of the border of what all `halves` have in common.
pub(super) fn restricted(
    section: Section,
    plane: &Plane,
    halves: &[HalfPlane],
    side: Side,
) -> Section {
    let Section { regions, open } = section;
    let open = open
        .iter()
        .flat_map(|line| pieces(line, plane, halves, side))
        .collect();
    let contours: Vec<Contour> = regions.iter().flat_map(Region::contours).cloned().collect();
    let clip = piece_round(&contours, halves);
    let regions = match (clip, side) {
        (Clip::All, Side::Within) | (Clip::Nothing, Side::Without) => regions,
        (Clip::All, Side::Without) | (Clip::Nothing, Side::Within) => Vec::new(),
        (Clip::Piece(piece), side) => {
            let rule = match side {
                Side::Within => OverlayRule::Intersect,
                Side::Without => OverlayRule::Difference,
            };
            let flat: Vec<Vec<[f64; 2]>> = contours.iter().map(|c| c.flat().to_vec()).collect();
            let shapes = flat.overlay_as::<i64>(&vec![piece], rule, FillRule::NonZero);
            nest(contours_of(&shapes, plane), plane)
        }
    };
    Section { regions, open }
}

/// What two sections by the same plane have in common.
pub(super) fn shared(one: &Section, other: &Section, plane: &Plane) -> Section {
    let flat = |section: &Section| -> Vec<Vec<[f64; 2]>> {
        let contours = section.regions.iter().flat_map(Region::contours);
        contours.map(|c| c.flat().to_vec()).collect()
    };
    let shapes =
        flat(one).overlay_as::<i64>(&flat(other), OverlayRule::Intersect, FillRule::NonZero);
    Section {
        regions: nest(contours_of(&shapes, plane), plane),
        open: Vec::new(),
    }
}

enum Clip {
    All,
    Nothing,
    Piece(Vec<[f64; 2]>),
}

/// What the halves have in common of a rectangle round all contours.
fn piece_round(contours: &[Contour], halves: &[HalfPlane]) -> Clip {
    let points = || contours.iter().flat_map(Contour::flat);
    let [mut low, mut high] = [[f64::INFINITY; 2], [f64::NEG_INFINITY; 2]];
    for p in points() {
        for i in 0..2 {
            low[i] = low[i].min(p[i]);
            high[i] = high[i].max(p[i]);
        }
    }
    if low[0] > high[0] {
        return Clip::Nothing;
    }
    if halves.iter().all(|h| points().all(|&p| h.depth(p) >= 0.0)) {
        return Clip::All;
    }
    let wider = (high[0] - low[0]).max(high[1] - low[1]);
    let [low, high] = [low.map(|x| x - wider), high.map(|x| x + wider)];
    let mut piece = vec![low, [high[0], low[1]], high, [low[0], high[1]]];
    for half in halves {
        piece = in_front(&piece, half);
    }
    if piece.len() < 3 {
        Clip::Nothing
    } else {
        Clip::Piece(piece)
    }
}

/// The part of a convex polygon in front of a line (Sutherland and Hodgman 1974, from memory).
fn in_front(polygon: &[[f64; 2]], half: &HalfPlane) -> Vec<[f64; 2]> {
    let mut kept = Vec::with_capacity(polygon.len() + 1);
    for (at, &a) in polygon.iter().enumerate() {
        let b = polygon[(at + 1) % polygon.len()];
        let (da, db) = (half.depth(a), half.depth(b));
        if da >= 0.0 {
            kept.push(a);
        }
        if (da > 0.0 && db < 0.0) || (da < 0.0 && db > 0.0) {
            let t = da / (da - db);
            kept.push([a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]);
        }
    }
    kept
}

/// The stretches of a line on the wanted side.
fn pieces(line: &[Point], plane: &Plane, halves: &[HalfPlane], side: Side) -> Vec<Vec<Point>> {
    let (u, v) = plane.axes();
    let flat = |p: &Point| [u.dot(&p.coords), v.dot(&p.coords)];
    let mut found: Vec<Vec<Point>> = Vec::new();
    let mut add = |from: Point, to: Point| {
        if let Some(last) = found.last_mut()
            && last.last() == Some(&from)
        {
            last.push(to);
        } else {
            found.push(vec![from, to]);
        }
    };
    for pair in line.windows(2) {
        let (a, b) = (pair[0], pair[1]);
        let along: Vector = b - a;
        let at = |t: f64| match t {
            0.0 => a,
            1.0 => b,
            _ => a + along * t,
        };
        // From where to where it runs in front of all of them.
        let (mut begin, mut end) = (0.0_f64, 1.0_f64);
        for half in halves {
            let (da, db) = (half.depth(flat(&a)), half.depth(flat(&b)));
            match (da >= 0.0, db >= 0.0) {
                (true, true) => {}
                (false, false) => end = -1.0,
                (false, true) => begin = begin.max(da / (da - db)),
                (true, false) => end = end.min(da / (da - db)),
            }
        }
        let inside = begin < end;
        match side {
            Side::Within if inside => add(at(begin), at(end)),
            Side::Without if !inside => add(a, b),
            Side::Without => {
                if begin > 0.0 {
                    add(a, at(begin));
                }
                if end < 1.0 {
                    add(at(end), b);
                }
            }
            Side::Within => {}
        }
    }
    found
}
