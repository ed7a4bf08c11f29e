use crate::spatial::{Plane, Point};

/// A closed outline in a plane, counter-clockwise seen against the plane's normal where it bounds
/// material from outside, clockwise round a hole.
#[derive(Debug, Clone, PartialEq)]
pub struct Contour {
    points: Vec<Point>,
    flat: Vec<[f64; 2]>,
    signed_area: f64,
    centroid: Point,
}

/// Material inside one outline, less its holes.
#[derive(Debug, Clone, PartialEq)]
pub struct Region {
    /// The outline.
    pub outer: Contour,
    /// Its holes.
    pub holes: Vec<Contour>,
}

impl Contour {
    /// From the points of a closed outline (the last joins the first); `None` for fewer than three
    /// or an outline without area.
    #[must_use]
    pub fn new(mut points: Vec<Point>, plane: &Plane) -> Option<Self> {
        if points.len() > 1 && points.first() == points.last() {
            points.pop();
        }
        if points.len() < 3 {
            return None;
        }
        let (u, v) = plane.axes();
        let origin = points[0];
        let flat: Vec<[f64; 2]> = points
            .iter()
            .map(|p| [u.dot(&(p - origin)), v.dot(&(p - origin))])
            .collect();
        let (mut double, mut moment) = (0.0, [0.0; 2]);
        for (a, b) in pairs(&flat) {
            let cross = a[0] * b[1] - a[1] * b[0];
            double += cross;
            moment[0] += (a[0] + b[0]) * cross;
            moment[1] += (a[1] + b[1]) * cross;
        }
        if double == 0.0 {
            return None;
        }
        let middle = moment.map(|m| m / (3.0 * double));
        let centroid = origin + u * middle[0] + v * middle[1];
        let flat = points
            .iter()
            .map(|p| [u.dot(&p.coords), v.dot(&p.coords)])
            .collect();
        Some(Self {
            points,
            flat,
            signed_area: double / 2.0,
            centroid,
        })
    }

    /// The points, without repeating the first.
    #[must_use]
    pub fn points(&self) -> &[Point] {
        &self.points
    }

    /// The points in the plane's axes, m.
    #[must_use]
    pub fn flat(&self) -> &[[f64; 2]] {
        &self.flat
    }

    /// Positive round material, negative round a hole, m².
    #[must_use]
    pub fn signed_area(&self) -> f64 {
        self.signed_area
    }

    /// Centroid of the area inside.
    #[must_use]
    pub fn centroid(&self) -> Point {
        self.centroid
    }

    /// Length of the outline, m.
    #[must_use]
    pub fn perimeter(&self) -> f64 {
        let next = self.points.iter().cycle().skip(1);
        self.points
            .iter()
            .zip(next)
            .map(|(a, b)| (b - a).norm())
            .sum()
    }

    /// Whether the outline goes round the point, by counting crossings.
    fn surrounds(&self, p: [f64; 2]) -> bool {
        let mut inside = false;
        for (a, b) in pairs(&self.flat) {
            if (a[1] > p[1]) != (b[1] > p[1]) {
                let x = a[0] + (b[0] - a[0]) * (p[1] - a[1]) / (b[1] - a[1]);
                inside ^= p[0] < x;
            }
        }
        inside
    }
}

impl Region {
    /// Area of material, m².
    #[must_use]
    pub fn area(&self) -> f64 {
        self.contours().map(Contour::signed_area).sum()
    }

    /// The outline and the holes.
    pub fn contours(&self) -> impl Iterator<Item = &Contour> {
        std::iter::once(&self.outer).chain(&self.holes)
    }
}

fn pairs(flat: &[[f64; 2]]) -> impl Iterator<Item = ([f64; 2], [f64; 2])> + '_ {
    flat.iter()
        .copied()
        .zip(flat.iter().copied().cycle().skip(1))
}

/// Puts every hole into the smallest outline round it. A hole that lies in no outline (a mesh turned
/// inside out) becomes an outline of its own.
#[must_use]
pub fn nest(contours: Vec<Contour>, plane: &Plane) -> Vec<Region> {
    let (outer, holes): (Vec<_>, Vec<_>) = contours.into_iter().partition(|c| c.signed_area > 0.0);
    let mut regions: Vec<Region> = outer
        .into_iter()
        .map(|outer| Region {
            outer,
            holes: Vec::new(),
        })
        .collect();
    regions.sort_by(|a, b| a.outer.signed_area.total_cmp(&b.outer.signed_area));
    let mut stray = Vec::new();
    for hole in holes {
        let home = regions
            .iter_mut()
            .find(|r| r.outer.signed_area >= -hole.signed_area && r.outer.surrounds(hole.flat[0]));
        match home {
            Some(region) => region.holes.push(hole),
            None => stray.push(hole),
        }
    }
    for mut hole in stray {
        hole.points.reverse();
        if let Some(outer) = Contour::new(hole.points, plane) {
            regions.push(Region {
                outer,
                holes: Vec::new(),
            });
        }
    }
    regions
}
