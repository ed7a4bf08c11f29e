use rustc_hash::FxHashMap;

use super::edges::{Edge, Edges};
use super::{TriangleMesh, WELD};
use crate::spatial::{Aabb, Point};

/// The connected pieces of a mesh, and whether each of them bounds a volume.
///
/// Vertices on open edges that lie within [`WELD`] of each other count as one, so that a crack of a rounding
/// step opens nothing; triangles that run against their neighbours are found and read the other way round.
#[derive(Debug, Clone, PartialEq)]
pub struct Shells {
    /// For each triangle its shell.
    of_triangle: Vec<u32>,
    /// For each triangle whether it runs against the rest of its shell; empty where none does.
    turned: Vec<bool>,
    all: Vec<Shell>,
    open_edges: usize,
    /// The ends of those edges as vertices.
    open: Vec<[u32; 2]>,
}

/// A connected piece of a mesh.
#[derive(Debug, Clone, PartialEq)]
pub struct Shell {
    /// One of its vertices.
    pub vertex: u32,
    /// Along every edge as many triangles run one way as the other.
    pub closed: bool,
    /// The smallest upright box round it.
    pub bounds: Aabb,
    /// The volume inside a closed one, m³; negative where it is inside out, as the wall of a hollow is.
    pub volume: f64,
    /// How many triangles it has.
    pub triangles: usize,
}

impl Shells {
    /// Reads shells off `mesh`.
    #[must_use]
    pub fn of(mesh: &TriangleMesh) -> Self {
        let edges = Edges::of(mesh);
        let welded = Welding::of(mesh, &edges);
        let mut parent: Vec<u32> = (0..mesh.vertices().len() as u32).collect();
        for &[a, b, c] in mesh.triangles() {
            join(&mut parent, a, b);
            join(&mut parent, a, c);
        }
        for (&vertex, &one) in &welded.same {
            join(&mut parent, vertex, one);
        }
        let mut number = vec![u32::MAX; mesh.vertices().len()];
        let mut all: Vec<Shell> = Vec::new();
        let mut of_triangle = Vec::with_capacity(mesh.triangles().len());
        for (index, triangle) in mesh.triangles().iter().enumerate() {
            let bounds = Aabb::around(mesh.corners(index)).expect("three corners");
            let shell = &mut number[root(&mut parent, triangle[0]) as usize];
            if *shell == u32::MAX {
                *shell = all.len() as u32;
                all.push(Shell {
                    vertex: triangle[0],
                    closed: true,
                    bounds,
                    volume: 0.0,
                    triangles: 0,
                });
            }
            let of = &mut all[*shell as usize];
            of.bounds = of.bounds.union(&bounds);
            of.triangles += 1;
            of_triangle.push(*shell);
        }
        let mut this = Self {
            of_triangle,
            turned: Vec::new(),
            all,
            open_edges: 0,
            open: Vec::new(),
        };
        this.turned = against_their_neighbours(mesh.triangles().len(), &edges, &welded);
        this.close(&edges, &welded);
        this.measure(mesh);
        this
    }

    /// The shells.
    #[must_use]
    pub fn all(&self) -> &[Shell] {
        &self.all
    }

    /// The shell that triangle `index` belongs to, as a position in [`Self::all`].
    #[must_use]
    pub fn of_triangle(&self, index: usize) -> usize {
        self.of_triangle[index] as usize
    }

    /// Whether triangle `index` runs against the rest of its shell.
    #[must_use]
    pub fn is_turned(&self, index: usize) -> bool {
        self.turned.get(index).copied().unwrap_or(false)
    }

    /// How many triangles run against the rest of their shell.
    #[must_use]
    pub fn turned(&self) -> usize {
        self.turned.iter().filter(|&&t| t).count()
    }

    /// Sides of triangles without a partner that runs the other way.
    #[must_use]
    pub fn open_edges(&self) -> usize {
        self.open_edges
    }

    /// Where those edges are: the vertices of the mesh at their ends.
    #[must_use]
    pub fn open(&self) -> &[[u32; 2]] {
        &self.open
    }

    /// Whether every shell bounds a volume.
    #[must_use]
    pub fn is_closed(&self) -> bool {
        self.open_edges == 0
    }

    /// For each triangle of `mesh`, of which these are the shells, a patch: the triangles joined to it along edges at which
    /// as many run one way as the other, so that all of a patch look to one side.
    pub(super) fn patches(&self, mesh: &TriangleMesh) -> Vec<u32> {
        let edges = Edges::of(mesh);
        let welded = Welding::of(mesh, &edges);
        let mut parent: Vec<u32> = (0..mesh.triangles().len() as u32).collect();
        let sense = |s: &super::edges::Side| {
            if self.is_turned(s.triangle()) {
                -s.sign()
            } else {
                s.sign()
            }
        };
        for edge in edges
            .iter()
            .filter(|e| e.sides.iter().map(sense).sum::<i32>() == 0)
        {
            for side in &edge.sides[1..] {
                join(
                    &mut parent,
                    edge.sides[0].triangle() as u32,
                    side.triangle() as u32,
                );
            }
        }
        for (a, b, against) in across_cracks(&edges, &welded) {
            if against == (self.is_turned(a) != self.is_turned(b)) {
                join(&mut parent, a as u32, b as u32);
            }
        }
        (0..parent.len() as u32)
            .map(|t| root(&mut parent, t))
            .collect()
    }

    fn close(&mut self, edges: &Edges, welded: &Welding) {
        let mut left: FxHashMap<(u32, u32), (i32, u32)> = FxHashMap::default();
        for edge in edges.iter() {
            let balance: i32 = edge
                .sides
                .iter()
                .map(|s| {
                    if self.is_turned(s.triangle()) {
                        -s.sign()
                    } else {
                        s.sign()
                    }
                })
                .sum();
            if balance == 0 {
                continue;
            }
            let (from, to) = (welded.one(edge.from), welded.one(edge.to));
            // An edge whose ends weld into one has no length.
            if from != to {
                let sign = if from < to { 1 } else { -1 };
                let shell = self.of_triangle[edge.sides[0].triangle()];
                let entry = left
                    .entry((from.min(to), from.max(to)))
                    .or_insert((0, shell));
                entry.0 += balance * sign;
            }
        }
        for ((from, to), (balance, shell)) in left.into_iter().filter(|(_, l)| l.0 != 0) {
            self.open_edges += balance.unsigned_abs() as usize;
            self.open.push([from, to]);
            self.all[shell as usize].closed = false;
        }
        self.open.sort_unstable();
    }

    fn measure(&mut self, mesh: &TriangleMesh) {
        let origins: Vec<Point> = self.all.iter().map(|s| s.bounds.centre()).collect();
        for index in 0..mesh.triangles().len() {
            let shell = self.of_triangle[index] as usize;
            let [a, b, c] = mesh.corners(index).map(|p| p - origins[shell]);
            let six = a.dot(&b.cross(&c));
            self.all[shell].volume += if self.is_turned(index) { -six } else { six } / 6.0;
        }
    }
}

/// Which vertices on open edges count as one.
struct Welding {
    same: FxHashMap<u32, u32>,
}

impl Welding {
    fn of(mesh: &TriangleMesh, edges: &Edges) -> Self {
        let mut loose: Vec<u32> = edges
            .iter()
            .filter(|e| e.sides.len() % 2 == 1)
            .flat_map(|e| [e.from, e.to])
            .collect();
        loose.sort_unstable();
        loose.dedup();
        let mut same = FxHashMap::default();
        let mut cells: FxHashMap<[i64; 3], Vec<u32>> = FxHashMap::default();
        // Cells four times as wide as what is welded, so that few neighbours have to be looked into; of many
        // vertices in one cell (a mesh in a wrong unit) only some are compared.
        const SOME: usize = 64;
        let cell = |x: f64| (x / (4.0 * WELD)).floor() as i64;
        for vertex in loose {
            let at = mesh.vertices()[vertex as usize];
            let spans = [0, 1, 2].map(|i| cell(at[i] - WELD)..=cell(at[i] + WELD));
            let mut partner = None;
            'search: for x in spans[0].clone() {
                for y in spans[1].clone() {
                    for z in spans[2].clone() {
                        let there = cells.get(&[x, y, z]).map(Vec::as_slice).unwrap_or_default();
                        let near = |&&v: &&u32| (mesh.vertices()[v as usize] - at).norm() <= WELD;
                        partner = there.iter().take(SOME).find(near).copied();
                        if partner.is_some() {
                            break 'search;
                        }
                    }
                }
            }
            match partner {
                Some(one) => drop(same.insert(vertex, one)),
                None => cells
                    .entry([0, 1, 2].map(|i| cell(at[i])))
                    .or_default()
                    .push(vertex),
            }
        }
        Self { same }
    }

    fn one(&self, vertex: u32) -> u32 {
        self.same.get(&vertex).copied().unwrap_or(vertex)
    }
}

/// For each triangle whether it has to be read the other way round so that all of its shell run alike; empty
/// where they do. A shell of one side only (a Möbius strip) is left as it is.
fn against_their_neighbours(triangles: usize, edges: &Edges, welded: &Welding) -> Vec<bool> {
    let signs = |edge: &Edge| match edge.sides {
        [a, b] => Some((a.triangle(), b.triangle(), a.sign() == b.sign())),
        _ => None,
    };
    let mut joints: Vec<(usize, usize, bool)> = edges.iter().filter_map(|e| signs(&e)).collect();
    joints.extend(across_cracks(edges, welded));
    if joints.iter().all(|&(_, _, against)| !against) {
        return Vec::new();
    }
    let mut beside: Vec<Vec<(u32, bool)>> = vec![Vec::new(); triangles];
    for (a, b, against) in joints {
        beside[a].push((b as u32, against));
        beside[b].push((a as u32, against));
    }
    let mut turned = vec![false; triangles];
    let mut seen = vec![false; triangles];
    for start in 0..triangles {
        if seen[start] {
            continue;
        }
        seen[start] = true;
        let (mut shell, mut sound, mut at) = (vec![start], true, 0);
        while let Some(&triangle) = shell.get(at) {
            at += 1;
            for &(other, against) in &beside[triangle] {
                let other = other as usize;
                let wanted = turned[triangle] ^ against;
                if !seen[other] {
                    seen[other] = true;
                    turned[other] = wanted;
                    shell.push(other);
                } else if turned[other] != wanted {
                    sound = false;
                }
            }
        }
        let against = shell.iter().filter(|&&t| turned[t]).count();
        for &triangle in &shell {
            // The many are right.
            turned[triangle] = sound && (turned[triangle] ^ (2 * against > shell.len()));
        }
    }
    turned
}

/// Pairs of triangles that meet where an edge runs twice, once on each side of a crack.
fn across_cracks(edges: &Edges, welded: &Welding) -> Vec<(usize, usize, bool)> {
    if welded.same.is_empty() {
        return Vec::new();
    }
    let mut halves: FxHashMap<(u32, u32), Vec<(usize, bool)>> = FxHashMap::default();
    for edge in edges.iter().filter(|e| e.sides.len() == 1) {
        let (from, to) = (welded.one(edge.from), welded.one(edge.to));
        let forward = (edge.sides[0].sign() > 0) == (from < to);
        halves
            .entry((from.min(to), from.max(to)))
            .or_default()
            .push((edge.sides[0].triangle(), forward));
    }
    let pair = |sides: Vec<(usize, bool)>| match sides.as_slice() {
        &[(a, x), (b, y)] => Some((a, b, x == y)),
        _ => None,
    };
    halves.into_values().filter_map(pair).collect()
}

/// Makes two vertices members of one component.
fn join(parent: &mut [u32], a: u32, b: u32) {
    let (x, y) = (root(parent, a), root(parent, b));
    parent[x as usize] = y;
}

fn root(parent: &mut [u32], mut vertex: u32) -> u32 {
    while parent[vertex as usize] != vertex {
        parent[vertex as usize] = parent[parent[vertex as usize] as usize];
        vertex = parent[vertex as usize];
    }
    vertex
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{TriangleMesh, box_mesh, sphere_mesh};
    use crate::spatial::pose_from_rpy;

    fn soup(mesh: &TriangleMesh) -> Vec<[Point; 3]> {
        (0..mesh.triangles().len())
            .map(|i| mesh.corners(i))
            .collect()
    }

    #[test]
    fn a_box_is_closed_and_loses_that_with_a_face() {
        let whole = box_mesh([1.0, 2.0, 3.0]);
        let shells = Shells::of(&whole);
        assert!(shells.is_closed() && (shells.all()[0].volume - 6.0).abs() < 1e-12);
        let open = TriangleMesh::from_indexed(whole.vertices(), &whole.triangles()[1..])
            .unwrap()
            .mesh;
        let shells = Shells::of(&open);
        assert_eq!(shells.open_edges(), 3);
        // They run round the face that is gone.
        let gone = whole.corners(0);
        let ends = shells
            .open()
            .iter()
            .flatten()
            .map(|&v| open.vertices()[v as usize]);
        assert!(shells.open().len() == 3 && ends.clone().all(|p| gone.contains(&p)));
        assert!(
            gone.iter()
                .all(|p| ends.clone().filter(|e| e == p).count() == 2)
        );
    }

    #[test]
    fn separate_shells_are_told_apart() {
        let far = sphere_mesh(0.2, 12).moved(&pose_from_rpy([3.0, 0.0, 0.0], [0.0; 3]));
        let open = TriangleMesh::from_indexed(far.vertices(), &far.triangles()[1..])
            .unwrap()
            .mesh;
        let shells = Shells::of(&TriangleMesh::merged([box_mesh([1.0; 3]), open]));
        assert_eq!(
            shells.all().iter().map(|s| s.closed).collect::<Vec<_>>(),
            [true, false]
        );
        assert_eq!(shells.of_triangle(20), 1);
    }

    #[test]
    fn a_crack_of_a_rounding_step_opens_nothing() {
        let mut loose = soup(&sphere_mesh(0.7, 16));
        for corner in &mut loose[40] {
            corner.x = f64::from((corner.x as f32).next_up());
        }
        let cracked = TriangleMesh::from_soup(loose).unwrap().mesh;
        assert!(cracked.vertices().len() > sphere_mesh(0.7, 16).vertices().len());
        let shells = Shells::of(&cracked);
        assert!(
            shells.is_closed() && shells.all().len() == 1,
            "{}",
            shells.open_edges()
        );
    }

    #[test]
    fn triangles_turned_over_are_found_and_leave_the_shell_closed() {
        let mesh = sphere_mesh(0.7, 16).turned_over(|i| i % 7 == 3);
        let shells = Shells::of(&mesh);
        assert!(shells.is_closed() && shells.all()[0].volume > 0.0);
        assert_eq!(
            shells.turned(),
            (0..mesh.triangles().len()).filter(|i| i % 7 == 3).count()
        );
        assert!(shells.is_turned(3) && !shells.is_turned(4));
    }

    #[test]
    fn a_strip_of_one_side_only_stays_open() {
        let n = 12;
        let at = |i: usize, side: f64| {
            let turn = std::f64::consts::TAU * i as f64 / n as f64;
            let r = 1.0 + 0.3 * side * (turn / 2.0).cos();
            Point::new(
                r * turn.cos(),
                r * turn.sin(),
                0.3 * side * (turn / 2.0).sin(),
            )
        };
        let loose = (0..n).flat_map(|i| {
            let [a, b, c, d] = [at(i, -1.0), at(i + 1, -1.0), at(i + 1, 1.0), at(i, 1.0)];
            [[a, b, c], [a, c, d]]
        });
        let shells = Shells::of(
            &TriangleMesh::from_soup(loose.collect::<Vec<_>>())
                .unwrap()
                .mesh,
        );
        assert!(!shells.is_closed() && shells.turned() == 0);
    }
}
