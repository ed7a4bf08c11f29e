use crate::mesh::TriangleMesh;
use crate::mesh::buckets::buckets;
use crate::mesh::edges::Edges;
use crate::spatial::{Point, Vector};

/// No triangle, no facet.
pub(super) const NONE: u32 = u32::MAX;
/// Triangles that lean less against each other (rad) lie in one facet.
const FLAT: f64 = 3e-4;
/// The same where their corners lie in one plane but for the rounding of their numbers.
const FLAT_IF_ROUNDED: f64 = 0.3;
/// Numbers of 32 bits are off by this share; most files hold such.
const ROUNDING: f64 = 1.2e-7;
/// Neighbours that lean less than this (rad) may be facets of one curved face: a cylinder of ten facets bends by 36°, a
/// square block with corners cut by 45°.
pub(super) const SMOOTH: f64 = 0.7;

/// The flat pieces of a mesh: triangles that lie in one plane and hang together. Triangles without an area belong to one
/// of their neighbours.
pub(super) struct Facets {
    /// For each triangle those across its edges, in the order of its corners.
    across: Vec<[u32; 3]>,
    /// For each triangle its facet.
    of: Vec<u32>,
    starts: Vec<u32>,
    members: Vec<u32>,
    normals: Vec<Vector>,
    centres: Vec<Point>,
    areas: Vec<f64>,
    /// How far corners may be off for the rounding of their numbers, m.
    pub rounding: f64,
}

impl Facets {
    pub fn of(mesh: &TriangleMesh, edges: &Edges) -> Self {
        let across = neighbours(mesh, edges);
        let bounds = mesh.bounds();
        let farthest = bounds.min.coords.abs().sup(&bounds.max.coords.abs()).max();
        let rounding = 2.0 * ROUNDING * farthest + 1e-9;
        let of = joined(mesh, edges, &across, rounding);
        let count = of.iter().max().map_or(0, |&last| last as usize + 1);
        let (starts, members) = buckets(count, of.iter().copied());
        let mut normals = vec![Vector::zeros(); count];
        let mut centres = vec![Vector::zeros(); count];
        let mut areas = vec![0.0; count];
        for (triangle, &facet) in of.iter().enumerate() {
            let twice = mesh.area_vector(triangle);
            let [a, b, c] = mesh.corners(triangle);
            let area = twice.norm() * 0.5;
            normals[facet as usize] += twice;
            centres[facet as usize] += (a.coords + b.coords + c.coords) * (area / 3.0);
            areas[facet as usize] += area;
        }
        let unit = |n: Vector| n.try_normalize(1e-30).unwrap_or_default();
        let centre = |(sum, area): (Vector, &f64)| Point::from(sum / area.max(1e-30));
        Self {
            centres: centres.into_iter().zip(&areas).map(centre).collect(),
            normals: normals.into_iter().map(unit).collect(),
            across,
            of,
            starts,
            members,
            areas,
            rounding,
        }
    }

    pub fn count(&self) -> usize {
        self.normals.len()
    }

    pub fn triangles(&self, facet: u32) -> &[u32] {
        let at = facet as usize;
        &self.members[self.starts[at] as usize..self.starts[at + 1] as usize]
    }

    pub fn of_triangle(&self, triangle: u32) -> u32 {
        self.of[triangle as usize]
    }

    pub fn across(&self, triangle: u32) -> [u32; 3] {
        self.across[triangle as usize]
    }

    /// Outwards; zero for a facet without an area.
    pub fn normal(&self, facet: u32) -> Vector {
        self.normals[facet as usize]
    }

    pub fn centre(&self, facet: u32) -> Point {
        self.centres[facet as usize]
    }

    pub fn area(&self, facet: u32) -> f64 {
        self.areas[facet as usize]
    }

    /// The facets round `facet`, each edge once: its triangle, which of its edges, and the facet across.
    pub fn rim(&self, facet: u32) -> impl Iterator<Item = (u32, usize, u32)> + '_ {
        self.triangles(facet).iter().flat_map(move |&triangle| {
            (0..3).filter_map(move |edge| {
                let other = self.across[triangle as usize][edge];
                let across = (other != NONE).then(|| self.of[other as usize])?;
                (across != facet).then_some((triangle, edge, across))
            })
        })
    }

    /// The cosine of the bend between two facets.
    pub fn bend_cos(&self, a: u32, b: u32) -> f64 {
        self.normal(a).dot(&self.normal(b))
    }

    pub fn is_smooth(&self, a: u32, b: u32) -> bool {
        self.bend_cos(a, b) > SMOOTH.cos()
    }
}

fn neighbours(mesh: &TriangleMesh, edges: &Edges) -> Vec<[u32; 3]> {
    let mut across = vec![[NONE; 3]; mesh.triangles().len()];
    let place = |triangle: usize, from: u32, to: u32| {
        let corners = mesh.triangles()[triangle];
        let is = |i: usize| {
            let (a, b) = (corners[i], corners[(i + 1) % 3]);
            (a, b) == (from, to) || (b, a) == (from, to)
        };
        (0..3).find(|&i| is(i)).expect("an edge of the triangle")
    };
    for edge in edges.iter() {
        if let [one, other] = edge.sides {
            let (a, b) = (one.triangle(), other.triangle());
            across[a][place(a, edge.from, edge.to)] = b as u32;
            across[b][place(b, edge.from, edge.to)] = a as u32;
        }
    }
    across
}

/// A triangle as facets see it.
#[derive(Clone, Copy)]
struct Side {
    normal: Vector,
    area: f64,
    /// So narrow that its direction says nothing.
    sliver: bool,
}

fn joined(mesh: &TriangleMesh, edges: &Edges, across: &[[u32; 3]], rounding: f64) -> Vec<u32> {
    let side = |triangle: usize| {
        let twice = mesh.area_vector(triangle);
        let [a, b, c] = mesh.corners(triangle);
        let longest = (b - a).norm().max((c - b).norm()).max((a - c).norm());
        let area = twice.norm();
        Side {
            normal: twice.try_normalize(1e-30).unwrap_or_default(),
            area,
            sliver: area < 4.0 * rounding * longest,
        }
    };
    let sides: Vec<Side> = (0..mesh.triangles().len()).map(side).collect();
    let mut sets = Sets::of(sides.len());
    for edge in edges.iter() {
        let [one, other] = edge.sides else { continue };
        let (mut a, mut b) = (one.triangle(), other.triangle());
        if sides[a].area < sides[b].area {
            (a, b) = (b, a);
        }
        let (large, small) = (sides[a], sides[b]);
        if large.sliver || small.sliver {
            continue;
        }
        let cos = large.normal.dot(&small.normal);
        let flat = cos > FLAT.cos() || {
            let on = mesh.corners(a)[0];
            let off = |p: &Point| large.normal.dot(&(p - on)).abs();
            cos > FLAT_IF_ROUNDED.cos() && mesh.corners(b).iter().all(|p| off(p) < rounding)
        };
        if flat {
            sets.unite(a, b);
        }
    }
    // Slivers go to one neighbour each: they may lie along a sharp edge.
    for (triangle, _) in sides.iter().enumerate().filter(|(_, s)| s.sliver) {
        let length = |edge: usize| {
            let corners = mesh.corners(triangle);
            (corners[(edge + 1) % 3] - corners[edge]).norm()
        };
        let near = (0..3)
            .filter(|&e| across[triangle][e] != NONE)
            .max_by(|&e, &f| length(e).total_cmp(&length(f)));
        if let Some(edge) = near {
            sets.unite(triangle, across[triangle][edge] as usize);
        }
    }
    sets.numbered()
}

/// Which of many belong together.
struct Sets(Vec<u32>);

impl Sets {
    fn of(count: usize) -> Self {
        Self((0..count as u32).collect())
    }

    fn root(&mut self, mut at: usize) -> usize {
        while self.0[at] as usize != at {
            self.0[at] = self.0[self.0[at] as usize];
            at = self.0[at] as usize;
        }
        at
    }

    fn unite(&mut self, a: usize, b: usize) {
        let (a, b) = (self.root(a), self.root(b));
        self.0[a.max(b)] = a.min(b) as u32;
    }

    /// Sets by number, from 0, in the order of their first member.
    fn numbered(mut self) -> Vec<u32> {
        let mut numbers = vec![NONE; self.0.len()];
        let mut next = 0;
        for at in 0..self.0.len() {
            let root = self.root(at);
            if numbers[root] == NONE {
                numbers[root] = next;
                next += 1;
            }
            numbers[at] = numbers[root];
        }
        numbers
    }
}
