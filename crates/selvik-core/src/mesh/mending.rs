use super::{Surface, TriangleMesh};

/// What was turned round so that a mesh's triangles look outwards.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Turned {
    /// Triangles that ran against the rest of their shell.
    pub triangles: usize,
    /// Shells that were inside out.
    pub shells: usize,
}

/// Vertices of a shell that are asked whether they lie inside another.
const ASKED: usize = 24;

/// Turns over every triangle that runs against the rest of its shell, and every shell that is inside out: closed,
/// of negative volume, and not the wall of a hollow, that is, not wholly inside the others.
#[must_use]
pub fn turn_outwards(mesh: TriangleMesh) -> (TriangleMesh, Turned) {
    let surface = Surface::new(mesh);
    let shells = surface.shells().expect("it has triangles");
    let mesh = surface.mesh();
    let mut flipped: Vec<bool> = shells
        .all()
        .iter()
        .map(|s| s.closed && s.volume < 0.0)
        .collect();
    if flipped.contains(&true) && flipped.len() > 1 {
        let mut corners: Vec<Vec<u32>> = vec![Vec::new(); flipped.len()];
        for (index, triangle) in mesh.triangles().iter().enumerate() {
            let shell = shells.of_triangle(index);
            if flipped[shell] {
                corners[shell].push(triangle[0]);
            }
        }
        for (shell, flip) in flipped.iter_mut().enumerate().filter(|(_, f)| **f) {
            let others =
                |&v: &u32| surface.closed_winding(&mesh.vertices()[v as usize], Some(shell));
            let step = (corners[shell].len() / ASKED).max(1);
            *flip = !corners[shell]
                .iter()
                .step_by(step)
                .all(|v| others(v).unwrap_or(0) > 0);
        }
    }
    let turned = Turned {
        triangles: shells.turned(),
        shells: flipped.iter().filter(|&&f| f).count(),
    };
    if turned == Turned::default() {
        return (surface.into_mesh(), turned);
    }
    let over = |triangle: usize| shells.is_turned(triangle) ^ flipped[shells.of_triangle(triangle)];
    (mesh.turned_over(over), turned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mesh::{box_mesh, mass_of, sphere_mesh};
    use crate::spatial::pose_from_rpy;

    fn inside_out(mesh: &TriangleMesh) -> TriangleMesh {
        mesh.turned_over(|_| true)
    }

    #[test]
    fn a_shell_that_is_inside_out_is_turned_and_its_neighbour_left_alone() {
        let beside = box_mesh([1.0; 3]).moved(&pose_from_rpy([3.0, 0.0, 0.0], [0.0; 3]));
        let both = TriangleMesh::merged([inside_out(&box_mesh([1.0; 3])), beside]);
        let (mended, turned) = turn_outwards(both);
        assert_eq!(
            turned,
            Turned {
                triangles: 0,
                shells: 1
            }
        );
        assert!((mass_of(&mended).volume - 2.0).abs() < 1e-12);
    }

    #[test]
    fn single_triangles_are_turned_back() {
        let (mended, turned) = turn_outwards(box_mesh([1.0; 3]).turned_over(|i| i == 3 || i == 8));
        assert_eq!(
            turned,
            Turned {
                triangles: 2,
                shells: 0
            }
        );
        assert_eq!(mended, box_mesh([1.0; 3]));
    }

    #[test]
    fn the_wall_of_a_hollow_stays_as_it_is() {
        let hollow = TriangleMesh::merged([box_mesh([1.0; 3]), inside_out(&box_mesh([0.5; 3]))]);
        let (mended, turned) = turn_outwards(hollow);
        assert_eq!(turned.shells, 0);
        assert!((mass_of(&mended).volume - 0.875).abs() < 1e-12);
    }

    /// In the box round an angle, but not in the angle.
    #[test]
    fn what_lies_in_the_box_of_another_only_is_turned() {
        let leg = |x, z| box_mesh([1.0, 0.1, 0.1]).moved(&pose_from_rpy([x, 0.0, z], [0.0; 3]));
        let upright = box_mesh([0.1, 0.1, 1.0]).moved(&pose_from_rpy([-0.5, 0.0, 0.5], [0.0; 3]));
        let ball =
            inside_out(&sphere_mesh(0.04, 12)).moved(&pose_from_rpy([0.2, 0.0, 0.6], [0.0; 3]));
        let (_, turned) = turn_outwards(TriangleMesh::merged([
            leg(0.0, 0.0),
            upright,
            leg(0.0, 1.0),
            ball,
        ]));
        assert_eq!(turned.shells, 1);
    }

    #[test]
    fn what_is_open_has_no_outside_and_is_left_alone() {
        let open = inside_out(&box_mesh([1.0; 3]));
        let open = TriangleMesh::from_indexed(open.vertices(), &open.triangles()[1..])
            .unwrap()
            .mesh;
        assert_eq!(turn_outwards(open.clone()), (open, Turned::default()));
    }

    /// Loose triangles have nothing to be compared with.
    #[test]
    fn a_soup_of_loose_triangles_is_read_in_a_moment() {
        let soup = (0..200_000).map(|i| {
            let (x, y) = (f64::from(i % 500) * 0.01, f64::from(i / 500) * 0.01);
            [[0.0, 0.0], [0.004, 0.0], [0.0, 0.004]]
                .map(|[u, v]| crate::spatial::Point::new(x + u, y + v, 0.0))
        });
        let mesh = TriangleMesh::from_soup(soup.collect::<Vec<_>>())
            .unwrap()
            .mesh;
        let start = std::time::Instant::now();
        assert_eq!(turn_outwards(mesh).1, Turned::default());
        assert!(start.elapsed().as_secs_f64() < 5.0);
    }
}
