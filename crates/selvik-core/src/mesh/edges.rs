use super::TriangleMesh;
use super::buckets::buckets;

/// The edges of a mesh with the triangles along them, in the order of their vertices. Laid out flat, vertex after
/// vertex: meshes have millions.
#[derive(Debug)]
pub(super) struct Edges {
    /// For each vertex where the sides of its edges to higher vertices begin, and where the last ones end.
    starts: Vec<u32>,
    sides: Vec<Side>,
}

/// A triangle along an edge.
#[derive(Debug, Clone, Copy)]
pub(super) struct Side {
    /// The higher of the edge's two vertices.
    other: u32,
    /// The triangle, doubled; one more if it runs towards the higher vertex.
    tagged: u32,
}

impl Side {
    pub fn triangle(self) -> usize {
        (self.tagged >> 1) as usize
    }

    /// 1 if the triangle runs towards the higher vertex, else -1.
    pub fn sign(self) -> i32 {
        if self.tagged & 1 == 1 { 1 } else { -1 }
    }
}

/// An edge: its vertices, the lower first, and the triangles along it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Edge<'a> {
    pub from: u32,
    pub to: u32,
    pub sides: &'a [Side],
}

impl Edges {
    pub fn of(mesh: &TriangleMesh) -> Self {
        let side = |half: usize| {
            let corners = mesh.triangles()[half / 3];
            let (from, to) = (corners[half % 3], corners[(half + 1) % 3]);
            (
                from.min(to),
                Side {
                    other: from.max(to),
                    tagged: ((half / 3) as u32) << 1 | u32::from(from < to),
                },
            )
        };
        let halves = (0..mesh.triangles().len() * 3).map(|half| side(half).0);
        let (starts, order) = buckets(mesh.vertices().len(), halves);
        let mut sides: Vec<Side> = order
            .into_iter()
            .map(|half| side(half as usize).1)
            .collect();
        for range in starts.windows(2) {
            sides[range[0] as usize..range[1] as usize]
                .sort_unstable_by_key(|s| (s.other, s.tagged));
        }
        Self { starts, sides }
    }

    pub fn iter(&self) -> impl Iterator<Item = Edge<'_>> {
        self.starts
            .windows(2)
            .zip(0u32..)
            .flat_map(|(range, from)| {
                let own = &self.sides[range[0] as usize..range[1] as usize];
                own.chunk_by(|a, b| a.other == b.other)
                    .map(move |sides| Edge {
                        from,
                        to: sides[0].other,
                        sides,
                    })
            })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::box_mesh;

    #[test]
    fn a_box_has_eighteen_edges_each_between_two_triangles_that_run_both_ways() {
        let mesh = box_mesh([1.0, 2.0, 3.0]);
        let edges = Edges::of(&mesh);
        let all: Vec<Edge> = edges.iter().collect();
        assert_eq!(all.len(), 18);
        assert!(all.iter().all(|e| e.from < e.to
            && e.sides.len() == 2
            && e.sides[0].sign() == -e.sides[1].sign()));
        for edge in all {
            for side in edge.sides {
                let corners = mesh.triangles()[side.triangle()];
                assert!(corners.contains(&edge.from) && corners.contains(&edge.to));
            }
        }
    }

    proptest::proptest! {
        #[test]
        fn every_edge_is_found_once_with_all_its_triangles(
            triangles in proptest::collection::vec(proptest::sample::subsequence((0u32..7).collect::<Vec<_>>(), 3), 1..40)
        ) {
            let points: Vec<_> = (0..7).map(|i| crate::spatial::Point::new(f64::from(i), f64::from(i * i), 0.0)).collect();
            let soup: Vec<[u32; 3]> = triangles.iter().map(|t| [t[0], t[1], t[2]]).collect();
            let mesh = TriangleMesh::from_indexed(&points, &soup).expect("no flat ones").mesh;
            let mut wanted = std::collections::BTreeMap::<(u32, u32), Vec<(usize, i32)>>::new();
            for (index, &[a, b, c]) in mesh.triangles().iter().enumerate() {
                for (from, to) in [(a, b), (b, c), (c, a)] {
                    let sign = if from < to { 1 } else { -1 };
                    wanted.entry((from.min(to), from.max(to))).or_default().push((index, sign));
                }
            }
            let edges = Edges::of(&mesh);
            let got: Vec<_> = edges
                .iter()
                .map(|e| ((e.from, e.to), e.sides.iter().map(|s| (s.triangle(), s.sign())).collect::<Vec<_>>()))
                .collect();
            proptest::prop_assert_eq!(got, wanted.into_iter().collect::<Vec<_>>());
        }
    }
}
