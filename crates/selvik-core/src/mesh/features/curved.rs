use super::facets::{Facets, NONE};
use super::least_squares::least_spread;
use super::model::{Model, Patch};
use crate::mesh::TriangleMesh;
use crate::spatial::{Point, Vector};

/// A face is looked for in facets round one of them, until they lean so much against it (rad) ...
const LEAN: f64 = 0.25;
/// ... or are so many.
const MOST_ROUND: usize = 300;
/// Surfaces grow over so many times as many facets as there are, in all.
const GROWN: usize = 60;
/// Where so many lean so little the facets are fine, and the nearest alone say nothing.
const MANY: usize = 25;
/// Where as many lie round a facet, a face of those that are left over is of many more.
const FINE: usize = 200;
/// Facets with more sides than this are flat faces with much round them, no pieces of something curved.
const MOST_SIDES: usize = 64;
/// Corners lie this near to their surface, as a share of its radius or of the facets that it was found by, besides the
/// rounding of their numbers ...
const NEAR: f64 = 1e-4;
/// ... which in text files is a micrometre, m.
const ROUNDED: f64 = 2e-6;
/// So many corners are enough to guess a surface by, and to settle on it.
const GUESSED_BY: usize = 60;
const SETTLED_BY: usize = 400;
/// Corners of something curved stand out of every plane by this many times what they may be off.
const FLAT: f64 = 4.0;
/// A surface has settled once it moves less than this share of what corners may be off, or after so many times.
const SETTLED: f64 = 0.25;
const SETTLINGS: usize = 3;
/// Facets face as their surface does, within the angle of this cosine.
const ALIKE: f64 = 0.9;
/// What is found in a row goes round by this at least, rad.
const TURNED: f64 = 0.6;
/// Of so many neighbours of a facet two are looked for that lie on either side of it: the cosine of their directions.
const MOST_BESIDE: usize = 8;
const OPPOSITE: f64 = -0.5;
/// Facets of a ball reach no farther than this round its centre (rad), nor do those of a tube.
const FACET: f64 = 0.4;
/// Directions that lie in one plane but for this are those of something turned that has one slope.
const LEVEL: f64 = 1e-3;
/// Tubes are told by so many rings of corners, or by one less if those are equally far apart, but for this factor.
const RINGS: usize = 5;
const EQUALLY_FAR: f64 = 1.3;
/// So many triangles of a facet are asked where it faces.
const MOST_ASKED: usize = 8;
/// Fewer facets than this must be equally wide, but for this factor: chamfers look like cylinders of three facets.
const FEW: usize = 6;
const EQUALLY_WIDE: f64 = 1.7;

/// Facets that make up one curved face.
#[derive(Debug)]
pub(super) struct Grown {
    pub model: Model,
    pub facets: Vec<u32>,
    /// Corners between facets of it: those that the surface was divided at.
    pub corners: Vec<Point>,
}

/// How far corners may lie off a surface that is looked for.
struct Leeway {
    /// How far facets lie inside it in their middle, as they bend and as far as they reach, m.
    sagitta: f64,
    /// Of the facets that it was found by, m.
    size: f64,
    /// For the rounding of numbers, m.
    rounded: f64,
}

impl Leeway {
    /// Whether a corner lies on the surface.
    fn allows(&self, model: &Model, point: &Point) -> bool {
        model.height(point).abs() < self.near(model, point)
    }

    /// Whether a corner lies on the surface, or inside it by no more than the middle of a facet.
    fn allows_cut(&self, model: &Model, point: &Point) -> bool {
        let near = self.near(model, point);
        let height = model.height(point);
        -self.sagitta - near < height && height < near
    }

    fn near(&self, model: &Model, point: &Point) -> f64 {
        NEAR * model.bend_radius(point).min(self.size) + self.rounded
    }
}

/// Finds cylinders, cones, spheres and tori among the facets of a mesh: a surface is fitted to the facets round each in
/// turn, and grows over those that lie on it.
pub(super) struct Curved<'a> {
    mesh: &'a TriangleMesh,
    facets: &'a Facets,
    /// For each facet its face.
    pub of: Vec<u32>,
    pub faces: Vec<Grown>,
    /// Facets round which no surface was found.
    tried: Vec<bool>,
    /// When a facet was last looked at, so that marks need not be taken away.
    seen: Vec<u32>,
    now: u32,
    /// How many facets may still be looked at while surfaces grow: what grows again and again in vain must end.
    left: usize,
}

impl<'a> Curved<'a> {
    pub fn of(mesh: &'a TriangleMesh, facets: &'a Facets) -> Self {
        let count = facets.count();
        let mut found = Self {
            mesh,
            facets,
            of: vec![NONE; count],
            faces: Vec::new(),
            tried: vec![false; count],
            seen: vec![0; count],
            now: 0,
            left: GROWN * count + 1_000,
        };
        for facet in 0..count as u32 {
            found.look_round(facet);
        }
        // Only then: a row of a ball or a tube is a cone, too.
        for facet in 0..count as u32 {
            found.look_along(facet);
        }
        found
    }

    fn look_round(&mut self, seed: u32) {
        let done = self.of[seed as usize] != NONE || self.tried[seed as usize];
        if done || self.left == 0 || !self.is_piece(seed) {
            return;
        }
        let (round, first) = self.round(seed);
        if first < 3 {
            return;
        }
        let mut best = self.best(&round);
        if best.is_none() && round.len() > first && round.len() < MANY {
            best = self.best(&round[..first]);
        }
        if let Some(face) = best {
            self.take(face);
        } else {
            // What lies nearest would fare no better: half of it, or more where facets are fine.
            let share = if round.len() < FINE { 0.5 } else { 0.75 };
            let nearest = 1 + (round.len() as f64 * share) as usize;
            for &facet in &round[..nearest.min(round.len())] {
                self.tried[facet as usize] = true;
            }
        }
    }

    fn take(&mut self, face: Grown) {
        for &facet in &face.facets {
            self.of[facet as usize] = self.faces.len() as u32;
        }
        self.faces.push(face);
    }

    /// Looks for the surface of a facet and two others on either side of it: where one turned face goes over into another,
    /// those above and below are not of it.
    fn look_along(&mut self, seed: u32) {
        let pieces = self.facets.triangles(seed).len();
        let done = self.of[seed as usize] != NONE || self.left == 0;
        if done || pieces < 2 || !self.is_piece(seed) {
            return;
        }
        let free = |f: &u32| self.of[*f as usize] == NONE && self.facets.is_smooth(seed, *f);
        let mut beside: Vec<u32> = self.facets.rim(seed).map(|side| side.2).collect();
        beside.sort_unstable();
        beside.dedup();
        beside.retain(free);
        beside.truncate(MOST_BESIDE);
        let centre = self.facets.centre(seed);
        let towards = |f: u32| (self.facets.centre(f) - centre).normalize();
        let mut rows = Vec::new();
        for (at, &one) in beside.iter().enumerate() {
            for &other in &beside[at + 1..] {
                if towards(one).dot(&towards(other)) < OPPOSITE {
                    rows.push([seed, one, other]);
                }
            }
        }
        let found: Vec<Grown> = rows.iter().filter_map(|row| self.best(row)).collect();
        let best = found.into_iter().max_by_key(|grown| grown.facets.len());
        // So few are found in anything wavy, too.
        let turns = |face: &Grown| {
            let normal = self.facets.normal(face.facets[0]);
            let lean = |&f: &u32| self.facets.normal(f).dot(&normal);
            face.facets.iter().map(lean).fold(1.0, f64::min) < TURNED.cos()
        };
        if let Some(face) = best.filter(|face| face.facets.len() >= FEW && turns(face)) {
            self.take(face);
        }
    }

    fn is_piece(&self, facet: u32) -> bool {
        self.facets.triangles(facet).len() <= MOST_SIDES
            && self.facets.rim(facet).take(MOST_SIDES + 1).count() <= MOST_SIDES
    }

    /// Facets round `seed` that may be of one face with it, nearest first, itself among them; and how many of them are
    /// itself and its neighbours.
    fn round(&mut self, seed: u32) -> (Vec<u32>, usize) {
        self.now += 1;
        self.seen[seed as usize] = self.now;
        let mut found = vec![seed];
        let (mut first, mut next) = (0, 0);
        let mut leans = false;
        while next < found.len() && found.len() < MOST_ROUND && !(leans && next > 0) {
            let here = found[next];
            for (_, _, other) in self.facets.rim(here) {
                let is_new = self.seen[other as usize] != self.now;
                if is_new
                    && self.of[other as usize] == NONE
                    && self.facets.is_smooth(here, other)
                    && self.is_piece(other)
                {
                    self.seen[other as usize] = self.now;
                    leans |= self.facets.bend_cos(seed, other) < LEAN.cos();
                    found.push(other);
                }
            }
            next += 1;
            if next == 1 {
                first = found.len();
            }
        }
        (found, first)
    }

    /// The surface that most facets lie on, of those that fit the facets `round`.
    fn best(&mut self, round: &[u32]) -> Option<Grown> {
        let corners = self.corners(round, GUESSED_BY);
        let sides: Vec<(Point, Vector)> = round
            .iter()
            .map(|&f| (self.facets.centre(f), self.facets.normal(f)))
            .collect();
        let patch = Patch::new(&corners, &sides)?;
        if patch.relief() < FLAT * self.rounded() {
            return None;
        }
        let mut leeway = Leeway {
            sagitta: 0.0,
            size: patch.size(),
            rounded: self.rounded(),
        };
        let mut best: Option<Grown> = None;
        for model in patch.models().into_iter().flatten() {
            let fits = corners.iter().all(|p| leeway.allows(&model, p));
            if fits && leeway.sagitta == 0.0 {
                leeway.sagitta = 1.05 * self.sagitta(round);
            }
            let Some(grown) = fits.then(|| self.grown(&model, round, &leeway)).flatten() else {
                continue;
            };
            let few = best.as_ref().map_or(0, |b| b.facets.len());
            // What is simpler comes first, and must be beaten clearly.
            if grown.facets.len() as f64 > 1.05 * few as f64 {
                best = Some(grown);
            }
        }
        best
    }

    /// Lets `model` grow over the facets that lie on it, and settle on their corners, until nothing changes.
    fn grown(&mut self, model: &Model, round: &[u32], leeway: &Leeway) -> Option<Grown> {
        let mut model = *model;
        let mut facets = self.reached(&model, round, leeway);
        for _ in 0..SETTLINGS {
            let corners = self.corners(&facets, SETTLED_BY);
            let before = model;
            model = Patch::new(&corners, &[])?.nearest(&before)?;
            let moved = |p: &Point| (model.height(p) - before.height(p)).abs();
            if corners.iter().all(|p| moved(p) < SETTLED * leeway.rounded) {
                break;
            }
            facets = self.reached(&model, round, leeway);
        }
        let corners = self.corners(&facets, usize::MAX);
        let grown = Grown {
            model,
            facets,
            corners,
        };
        self.is_told(&grown).then_some(grown)
    }

    /// Facets that lie on `model` and hang together smoothly, from those of `round`.
    fn reached(&mut self, model: &Model, round: &[u32], leeway: &Leeway) -> Vec<u32> {
        let centre = self.facets.centre(round[0]);
        let outwards = self.facets.normal(round[0]).dot(&model.normal(&centre));
        self.now += 1;
        let mut found = Vec::new();
        for &facet in round {
            self.seen[facet as usize] = self.now;
            if self.lies_on(model, facet, leeway, outwards.signum()) {
                found.push(facet);
            }
        }
        let mut next = 0;
        while next < found.len() {
            let here = found[next];
            for (_, _, other) in self.facets.rim(here) {
                if self.seen[other as usize] == self.now || self.of[other as usize] != NONE {
                    continue;
                }
                if !self.facets.is_smooth(here, other) {
                    continue;
                }
                self.seen[other as usize] = self.now;
                if self.lies_on(model, other, leeway, outwards.signum()) {
                    found.push(other);
                }
            }
            next += 1;
        }
        self.left = self.left.saturating_sub(found.len());
        found
    }

    fn lies_on(&self, model: &Model, facet: u32, leeway: &Leeway, outwards: f64) -> bool {
        let all = self.facets.triangles(facet);
        // The largest of a few: what is long may go round its axis.
        let area = |t: &&u32| self.mesh.area_vector(**t as usize).norm_squared();
        let few = &all[..all.len().min(MOST_ASKED)];
        let Some(&asked) = few.iter().max_by(|a, b| area(a).total_cmp(&area(b))) else {
            return false;
        };
        let [a, b, c] = self.mesh.corners(asked as usize);
        let on = Point::from((a.coords + b.coords + c.coords) / 3.0);
        let turned = model.normal(&on) * outwards;
        let facing = self.mesh.area_vector(asked as usize);
        if facing.dot(&turned) < ALIKE * facing.norm() {
            return false;
        }
        let mut triangles = all.iter();
        triangles.all(|&t| {
            let corners = self.mesh.corners(t as usize);
            corners.iter().all(|p| leeway.allows_cut(model, p))
        })
    }

    /// How far corners may be off for the rounding of their numbers, m.
    fn rounded(&self) -> f64 {
        ROUNDED + 4.0 * self.facets.rounding
    }

    /// How far the middles of facets lie inside what they bend round, at most, m.
    fn sagitta(&self, facets: &[u32]) -> f64 {
        let rims = facets
            .iter()
            .flat_map(|&f| self.facets.rim(f).map(move |side| (f, side.2)));
        let of = |(a, b): (u32, u32)| {
            let chord = (self.facets.centre(a) - self.facets.centre(b)).norm();
            let cos = self.facets.bend_cos(a, b).clamp(-0.999, 1.0);
            // The tangent of half the bend, then of a quarter.
            let half = ((1.0 - cos) / (1.0 + cos)).sqrt();
            chord * 0.5 * half / (1.0 + half.hypot(1.0))
        };
        rims.filter(|&(a, b)| self.facets.is_smooth(a, b))
            .map(of)
            .fold(0.0, f64::max)
    }

    /// Corners on bends of the facets, each once; those on an edge that cuts facets across lie inside the surface. At most
    /// about `most`, evenly chosen.
    fn corners(&self, facets: &[u32], most: usize) -> Vec<Point> {
        let mut found: Vec<u32> = Vec::new();
        // Of many facets some have enough.
        let every = facets.len().div_ceil(most).max(1);
        for &facet in facets.iter().step_by(every) {
            for (triangle, edge, other) in self.facets.rim(facet) {
                if self.facets.is_smooth(facet, other) {
                    let corners = self.mesh.triangles()[triangle as usize];
                    found.extend([corners[edge], corners[(edge + 1) % 3]]);
                }
            }
        }
        found.sort_unstable();
        found.dedup();
        let step = found.len().div_ceil(most).max(1);
        let place = |&v: &u32| self.mesh.vertices()[v as usize];
        found.iter().step_by(step).map(place).collect()
    }

    /// Whether there is enough of it to say what it is.
    fn is_told(&self, face: &Grown) -> bool {
        let relief = Patch::new(&face.corners, &[]).map_or(0.0, |patch| patch.relief());
        if relief < FLAT * self.rounded() {
            return false;
        }
        let (facets, corners) = (face.facets.len(), face.corners.len());
        match face.model {
            Model::Plane { .. } => false,
            Model::Sphere { centre, radius } => {
                facets >= FEW && corners >= 10 && self.is_ball(face, &centre, radius)
            }
            Model::Torus {
                centre,
                axis,
                radius,
                ..
            } => facets >= FEW && corners >= 16 && is_tube(&face.corners, &centre, &axis, radius),
            Model::Cone { .. } if facets >= FEW => corners >= 12,
            Model::Cylinder { .. } if facets >= FEW => corners >= 8,
            Model::Cylinder { .. } | Model::Cone { .. } => {
                let (origin, axis) = face.model.axis().expect("turned");
                facets >= 3 && corners >= 8 && self.are_equally_wide(&face.facets, &origin, &axis)
            }
        }
    }

    /// Whether facets are as small as those of a ball are, and face all ways: corners on two circles of one axis always lie
    /// on a ball, too.
    fn is_ball(&self, face: &Grown, centre: &Point, radius: f64) -> bool {
        let reaches = |&facet: &u32| {
            let normal = self.facets.normal(facet);
            let triangles = self.facets.triangles(facet).iter();
            triangles
                .flat_map(|&t| self.mesh.corners(t as usize))
                .all(|p| normal.dot(&(p - centre)).abs() > radius * FACET.cos())
        };
        let normals: Vec<Vector> = face.facets.iter().map(|&f| self.facets.normal(f)).collect();
        let (axis, level) = least_spread(&normals).unwrap_or((Vector::z(), 0.0));
        let off = |n: &Vector| (n.dot(&axis) - level).abs();
        face.facets.iter().all(reaches) && normals.iter().any(|n| off(n) > LEVEL)
    }

    fn are_equally_wide(&self, facets: &[u32], origin: &Point, axis: &Vector) -> bool {
        let width = |&facet: &u32| {
            let out = (self.facets.centre(facet) - origin).cross(axis);
            let corners = self.facets.triangles(facet).iter();
            let angles = corners
                .flat_map(|&t| self.mesh.corners(t as usize))
                .map(|p| {
                    let v = (p - origin).cross(axis);
                    v.cross(&out).dot(axis).atan2(v.dot(&out))
                });
            let (low, high) = angles.fold((f64::INFINITY, f64::NEG_INFINITY), |(l, h), a| {
                (l.min(a), h.max(a))
            });
            high - low
        };
        let widths: Vec<f64> = facets.iter().map(width).collect();
        let (low, high) = widths
            .iter()
            .fold((f64::INFINITY, 0.0f64), |(l, h), &w| (l.min(w), h.max(w)));
        high < EQUALLY_WIDE * low
    }
}

/// Whether corners lie on enough rings of a tube: three rings of one axis always lie on one.
fn is_tube(corners: &[Point], centre: &Point, axis: &Vector, radius: f64) -> bool {
    let angle = |p: &Point| {
        let from = p - centre;
        let along = from.dot(axis);
        let off = (from - axis * along).norm();
        along.atan2(off - radius)
    };
    let mut angles: Vec<f64> = corners.iter().map(angle).collect();
    angles.sort_by(f64::total_cmp);
    let rings: Vec<f64> = angles
        .chunk_by(|a, b| b - a < LEVEL)
        .map(|ring| ring[0])
        .collect();
    let mut gaps: Vec<f64> = rings.windows(2).map(|w| w[1] - w[0]).collect();
    // Round the back of the tube: the widest gap of all is where it is open.
    gaps.push(rings[0] + std::f64::consts::TAU - rings[rings.len() - 1]);
    gaps.sort_by(f64::total_cmp);
    gaps.pop();
    let (Some(narrow), Some(wide)) = (gaps.first(), gaps.last()) else {
        return false;
    };
    *wide < 2.0 * FACET
        && (rings.len() >= RINGS || rings.len() == RINGS - 1 && *wide < EQUALLY_FAR * narrow)
}
