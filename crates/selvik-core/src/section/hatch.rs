//! Which hatching each cut body gets, so that neighbours differ.
//!
//! Source: ISO 128-3 (from memory): hatching of adjacent components differs in direction or in spacing, and that of one
//! component is the same wherever it is cut.

use crate::spatial::Aabb;

/// How near bodies count as neighbours, m.
const NEAR: f64 = 1e-3;

/// For each body, given by the boxes round its cut faces in space, the number of its hatching: the least that no
/// neighbour before it has. Bodies without faces get 0.
#[must_use]
pub fn hatches(bodies: &[Vec<Aabb>]) -> Vec<usize> {
    let grown = |boxes: &Vec<Aabb>| boxes.iter().map(|b| b.grown(NEAR / 2.0)).collect();
    let bodies: Vec<Vec<Aabb>> = bodies.iter().map(grown).collect();
    let mut numbers: Vec<usize> = Vec::with_capacity(bodies.len());
    for (at, body) in bodies.iter().enumerate() {
        let near = |other: &[Aabb]| other.iter().any(|b| body.iter().any(|own| own.overlaps(b)));
        let taken: Vec<usize> = (0..at)
            .filter(|&other| near(&bodies[other]))
            .map(|other| numbers[other])
            .collect();
        let free = (0..).find(|number| !taken.contains(number));
        numbers.push(free.expect("there are more numbers than bodies"));
    }
    numbers
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spatial::Point;

    fn bar(from: f64, to: f64) -> Vec<Aabb> {
        let ends = [Point::new(from, 0.0, 0.0), Point::new(to, 1.0, 0.0)];
        vec![Aabb::around(ends).unwrap()]
    }

    #[rstest::rstest]
    #[case::in_a_row(vec![bar(0.0, 1.0), bar(1.0, 2.0), bar(2.0, 3.0)], &[0, 1, 0])]
    #[case::all_together(vec![bar(0.0, 9.0), bar(1.0, 2.0), bar(1.5, 3.0)], &[0, 1, 2])]
    #[case::apart(vec![bar(0.0, 1.0), bar(1.1, 2.0)], &[0, 0])]
    #[case::not_cut(vec![bar(0.0, 1.0), Vec::new(), bar(0.5, 2.0)], &[0, 0, 1])]
    fn neighbours_differ(#[case] bodies: Vec<Vec<Aabb>>, #[case] wanted: &[usize]) {
        assert_eq!(hatches(&bodies), wanted);
    }
}
