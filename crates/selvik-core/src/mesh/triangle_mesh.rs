use rustc_hash::FxHashMap;

use super::buckets::buckets;
use crate::spatial::{Aabb, Point, Pose, Vector};

/// Triangles over shared vertices, in metres. Holds at least one triangle, every index is in range,
/// every coordinate finite, no triangle uses a vertex twice.
#[derive(Debug, Clone, PartialEq)]
pub struct TriangleMesh {
    vertices: Vec<Point>,
    triangles: Vec<[u32; 3]>,
}

/// A mesh welded from loose triangles, with what was mended on the way.
#[derive(Debug, Clone, PartialEq)]
pub struct Welded {
    /// The mesh.
    pub mesh: TriangleMesh,
    /// Triangles left out because two of their corners coincide.
    pub degenerate: usize,
    /// Triangles left out because the same, seen from the same side, is there already.
    pub duplicate: usize,
}

/// Why triangles do not make a mesh.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum MeshError {
    /// No triangle is left.
    #[error("the mesh has no triangle with an area")]
    Empty,
    /// A coordinate is NaN, infinite, or farther away than any workcell reaches.
    #[error(
        "corner {corner} of triangle {triangle} is not a usable number (NaN, infinite or beyond 100 km)"
    )]
    BadCoordinate {
        /// Counted from 0.
        triangle: usize,
        /// 0, 1 or 2.
        corner: usize,
    },
    /// A triangle names a vertex that is not there.
    #[error("triangle {triangle} names vertex {vertex}, but there are only {count}")]
    BadIndex {
        /// Counted from 0.
        triangle: usize,
        /// The vertex it names.
        vertex: u32,
        /// How many vertices there are.
        count: usize,
    },
}

/// Room is made beforehand for no more triangles than this.
const MOST_EXPECTED: usize = 8_000_000;

/// Beyond this, squares of coordinates no longer resolve a micrometre.
const FARTHEST: f64 = 1e5;

impl TriangleMesh {
    /// Takes indexed triangles and welds vertices with equal coordinates.
    ///
    /// # Errors
    /// [`MeshError`] for an index out of range, an unusable coordinate, or no triangle left.
    pub fn from_indexed(vertices: &[Point], triangles: &[[u32; 3]]) -> Result<Welded, MeshError> {
        let mut soup = Vec::with_capacity(triangles.len());
        for (index, triangle) in triangles.iter().enumerate() {
            let mut corners = [Point::origin(); 3];
            for (corner, &vertex) in corners.iter_mut().zip(triangle) {
                *corner = *vertices.get(vertex as usize).ok_or(MeshError::BadIndex {
                    triangle: index,
                    vertex,
                    count: vertices.len(),
                })?;
            }
            soup.push(corners);
        }
        Self::from_soup(soup)
    }

    /// Welds loose triangles: corners with equal coordinates become one vertex.
    ///
    /// # Errors
    /// [`MeshError`] for an unusable coordinate, or when no triangle is left.
    pub fn from_soup(soup: impl IntoIterator<Item = [Point; 3]>) -> Result<Welded, MeshError> {
        let soup = soup.into_iter();
        let (least, most) = soup.size_hint();
        let expected = most.unwrap_or(least).min(MOST_EXPECTED);
        let mut vertices = Vec::new();
        let mut triangles = Vec::with_capacity(expected);
        let mut seen: FxHashMap<[u64; 3], u32> = FxHashMap::default();
        seen.reserve(expected / 2);
        let mut degenerate = 0;
        for (index, corners) in soup.enumerate() {
            let mut triangle = [0u32; 3];
            for (corner, point) in corners.iter().enumerate() {
                if !point.iter().all(|c| c.abs() <= FARTHEST) {
                    return Err(MeshError::BadCoordinate {
                        triangle: index,
                        corner,
                    });
                }
                // Adding 0 turns -0 into 0, so that both weld.
                let key = [point.x, point.y, point.z].map(|c| (c + 0.0).to_bits());
                triangle[corner] = *seen.entry(key).or_insert_with(|| {
                    vertices.push(*point);
                    (vertices.len() - 1) as u32
                });
            }
            let [a, b, c] = triangle;
            if a == b || b == c || c == a {
                degenerate += 1;
            } else {
                triangles.push(triangle);
            }
        }
        let duplicate = drop_doubles(&mut triangles, vertices.len());
        if triangles.is_empty() {
            return Err(MeshError::Empty);
        }
        Ok(Welded {
            mesh: Self {
                vertices,
                triangles,
            },
            degenerate,
            duplicate,
        })
    }

    /// The vertices, m.
    #[must_use]
    pub fn vertices(&self) -> &[Point] {
        &self.vertices
    }

    /// The triangles as indices into [`Self::vertices`], counter-clockwise seen from outside.
    #[must_use]
    pub fn triangles(&self) -> &[[u32; 3]] {
        &self.triangles
    }

    /// The corners of triangle `index`.
    #[must_use]
    pub fn corners(&self, index: usize) -> [Point; 3] {
        self.triangles[index].map(|v| self.vertices[v as usize])
    }

    /// Twice the area vector of triangle `index`: its direction is the outward normal.
    #[must_use]
    pub fn area_vector(&self, index: usize) -> Vector {
        let [a, b, c] = self.corners(index);
        (b - a).cross(&(c - a))
    }

    /// The smallest upright box round the mesh.
    #[must_use]
    pub fn bounds(&self) -> Aabb {
        Aabb::around(self.vertices.iter().copied()).expect("a mesh is never empty")
    }

    /// The mesh moved by `pose`.
    #[must_use]
    pub fn moved(&self, pose: &Pose) -> Self {
        Self {
            vertices: self.vertices.iter().map(|v| pose * v).collect(),
            triangles: self.triangles.clone(),
        }
    }

    /// The mesh with those triangles turned over that `which` picks by their index.
    #[must_use]
    pub fn turned_over(&self, which: impl Fn(usize) -> bool) -> Self {
        let turn = |(index, &[a, b, c]): (usize, &[u32; 3])| {
            if which(index) { [a, c, b] } else { [a, b, c] }
        };
        let triangles = self.triangles.iter().enumerate().map(turn).collect();
        Self {
            vertices: self.vertices.clone(),
            triangles,
        }
    }

    /// The mesh in `count` parts, each triangle (by its index) in the one that `of` says, with the vertices they need; `None`
    /// for parts without a triangle.
    #[must_use]
    pub fn split(&self, count: usize, of: impl Fn(usize) -> usize) -> Vec<Option<Self>> {
        let mut parts: Vec<(Vec<Point>, Vec<[u32; 3]>)> = vec![Default::default(); count];
        let mut places: FxHashMap<(u32, u32), u32> = FxHashMap::default();
        for (index, triangle) in self.triangles.iter().enumerate() {
            let part = of(index);
            let (vertices, triangles) = &mut parts[part];
            triangles.push(triangle.map(|v| {
                *places.entry((part as u32, v)).or_insert_with(|| {
                    vertices.push(self.vertices[v as usize]);
                    vertices.len() as u32 - 1
                })
            }));
        }
        let part = |(vertices, triangles): (Vec<Point>, Vec<[u32; 3]>)| {
            (!triangles.is_empty()).then_some(Self {
                vertices,
                triangles,
            })
        };
        parts.into_iter().map(part).collect()
    }

    /// Several meshes as one, vertices not welded across them.
    ///
    /// # Panics
    /// If `meshes` is empty.
    #[must_use]
    pub fn merged(meshes: impl IntoIterator<Item = Self>) -> Self {
        let mut meshes = meshes.into_iter();
        let mut whole = meshes.next().expect("at least one mesh");
        for mesh in meshes {
            let base = whole.vertices.len() as u32;
            whole.vertices.extend_from_slice(&mesh.vertices);
            whole
                .triangles
                .extend(mesh.triangles.iter().map(|t| t.map(|v| v + base)));
        }
        whole
    }
}

/// The same triangle, its smallest index first.
/// Takes away all but the first of triangles with the same corners in the same order round; returns how many.
fn drop_doubles(triangles: &mut Vec<[u32; 3]>, vertices: usize) -> usize {
    // Triangles lie together by their least vertex, those of each sorted: a hash set of millions is slow.
    let (starts, mut order) = buckets(vertices, triangles.iter().map(|t| least_first(*t)[0]));
    let mut doubles = Vec::new();
    for range in starts.windows(2) {
        let own = &mut order[range[0] as usize..range[1] as usize];
        let corners = |index: u32| least_first(triangles[index as usize]);
        own.sort_unstable_by_key(|&index| (corners(index), index));
        doubles.extend(
            own.windows(2)
                .filter(|w| corners(w[0]) == corners(w[1]))
                .map(|w| w[1]),
        );
    }
    let count = doubles.len();
    if count > 0 {
        doubles.sort_unstable();
        let mut doubles = doubles.into_iter().peekable();
        let mut index = 0;
        triangles.retain(|_| {
            index += 1;
            doubles.next_if_eq(&(index - 1)).is_none()
        });
    }
    count
}

fn least_first([a, b, c]: [u32; 3]) -> [u32; 3] {
    if a < b && a < c {
        [a, b, c]
    } else if b < c {
        [b, c, a]
    } else {
        [c, a, b]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn corner(x: f64, y: f64, z: f64) -> Point {
        Point::new(x, y, z)
    }

    #[test]
    fn parts_have_their_own_triangles_and_no_vertices_of_others() {
        let (a, b) = (
            crate::mesh::box_mesh([1.0; 3]),
            crate::mesh::sphere_mesh(0.3, 8),
        );
        let (first, second) = (a.triangles().len(), b.triangles().len());
        let whole = TriangleMesh::merged([a.clone(), b.clone()]);
        let parts = whole.split(3, |i| if i < first { 2 } else { 0 });
        let [ball, none, cube] = parts.as_slice() else {
            panic!("three parts")
        };
        assert!(none.is_none());
        for (part, own, count) in [(cube, &a, first), (ball, &b, second)] {
            let part = part.as_ref().unwrap();
            assert_eq!(
                (part.triangles().len(), part.vertices().len()),
                (count, own.vertices().len())
            );
            assert!((0..count).all(|i| part.corners(i) == own.corners(i)));
        }
    }

    #[test]
    fn equal_corners_weld_and_flat_and_repeated_triangles_are_counted_out() {
        let a = corner(0.0, 0.0, 0.0);
        let soup = [
            [a, corner(1.0, 0.0, 0.0), corner(0.0, 1.0, 0.0)],
            [
                corner(-0.0, 0.0, 0.0),
                corner(0.0, 1.0, 0.0),
                corner(-1.0, 0.0, 0.0),
            ],
            [a, a, corner(5.0, 0.0, 0.0)],
            [corner(0.0, 1.0, 0.0), a, corner(1.0, 0.0, 0.0)],
        ];
        let welded = TriangleMesh::from_soup(soup).unwrap();
        assert_eq!(welded.mesh.triangles().len(), 2);
        assert_eq!((welded.degenerate, welded.duplicate), (1, 1));
        assert_eq!(welded.mesh.triangles()[0][0], welded.mesh.triangles()[1][0]);
    }

    #[rstest::rstest]
    #[case(f64::NAN)]
    #[case(f64::INFINITY)]
    #[case(1e308)]
    fn coordinates_that_cannot_be_measured_are_refused(#[case] bad: f64) {
        let soup = [[
            corner(0.0, 0.0, 0.0),
            corner(1.0, 0.0, 0.0),
            corner(0.0, bad, 0.0),
        ]];
        let error = TriangleMesh::from_soup(soup).unwrap_err();
        assert_eq!(
            error,
            MeshError::BadCoordinate {
                triangle: 0,
                corner: 2
            }
        );
    }

    #[test]
    fn an_index_out_of_range_is_named() {
        let error = TriangleMesh::from_indexed(&[Point::origin()], &[[0, 7, 0]]).unwrap_err();
        assert!(error.to_string().contains("vertex 7"), "{error}");
    }

    proptest::proptest! {
        #[test]
        fn of_triangles_that_come_again_the_first_stays_where_it_is(
            soup in proptest::collection::vec([0u32..6, 0..6, 0..6], 1..60)
        ) {
            let points: Vec<Point> = (0..6).map(|i| corner(f64::from(i), f64::from(i * i), 0.0)).collect();
            let mut seen = std::collections::BTreeSet::new();
            let flat = |t: &[u32; 3]| t[0] == t[1] || t[1] == t[2] || t[2] == t[0];
            let solid: Vec<[u32; 3]> = soup.iter().copied().filter(|t| !flat(t)).collect();
            let first = |t: &&[u32; 3]| -> bool {
                let mut turned = **t;
                let least = *turned.iter().min().expect("three");
                while turned[0] != least {
                    turned.rotate_left(1);
                }
                seen.insert(turned)
            };
            let kept: Vec<[u32; 3]> = solid.iter().filter(first).copied().collect();
            match TriangleMesh::from_indexed(&points, &soup) {
                Err(error) => proptest::prop_assert!(kept.is_empty(), "{error}"),
                Ok(welded) => {
                    let own = |v: u32| welded.mesh.vertices()[v as usize].x as u32;
                    let got: Vec<_> = welded.mesh.triangles().iter().map(|t| t.map(own)).collect();
                    proptest::prop_assert_eq!(got, kept);
                    proptest::prop_assert_eq!(welded.duplicate, solid.len() - welded.mesh.triangles().len());
                    proptest::prop_assert_eq!(welded.degenerate, soup.len() - solid.len());
                }
            }
        }
    }
}
