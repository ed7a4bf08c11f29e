use super::ProgramFault;

/// A joint vector at a share 0..1 of a move, with how far any body may be off between it and the node before, m.
#[derive(Debug, Clone)]
pub(super) struct Node {
    pub share: f64,
    pub q: Vec<f64>,
    pub deviation: f64,
}

/// The joint vector at a share of a move, the one nearest to a given one where there are several.
pub(super) type Truth<'a> = dyn Fn(f64, &[f64]) -> Result<Vec<f64>, ProgramFault> + 'a;

/// What the joints truly do along a move, and how closely nodes are to follow it.
pub(super) struct Course<'a> {
    /// What they do.
    pub truth: &'a Truth<'a>,
    /// How far the TCP goes and turns in all, as a length, per share: how much of the move is a step that small beside the
    /// distance to a singularity.
    pub twist: f64,
    /// The smallest singular value of the Jacobian for a joint vector.
    pub freedom: &'a dyn Fn(&[f64]) -> f64,
    /// For each joint the longest distance at which it moves anything.
    pub levers: &'a [f64],
    /// Any body may be off by this, m.
    pub tolerance: f64,
}

/// Steps shorter than this share of the move can only be a jump.
const SMALLEST: f64 = 1.0 / (1u64 << 26) as f64;
/// No joint goes farther in one step, rad or m.
const LONGEST: f64 = 0.15;
/// A step is no longer than this share of the way to the nearest singularity: there the joints are smooth.
const SMOOTH: f64 = 0.5;
/// Between the places looked at a deviation may be so many times as large.
const MARGIN: f64 = 2.0;
/// A move that needs more nodes is refused.
const MOST: usize = 100_000;

impl Course<'_> {
    /// Nodes at the shares `ends` (rising to 1) and as many between them as it takes for joints that go straight from node
    /// to node to leave no body off by more than the tolerance.
    pub fn nodes(&self, start: &[f64], ends: &[f64]) -> Result<Vec<Node>, ProgramFault> {
        let mut nodes = vec![Node { share: 0.0, q: start.to_vec(), deviation: 0.0 }];
        for &end in ends {
            // Ends still to be reached, the nearest last.
            let mut open = vec![end];
            while let Some(&to) = open.last() {
                let from = nodes.last().expect("the start is there");
                let q1 = (self.truth)(to, &from.q)?;
                match self.deviation(from.share, &from.q, to, &q1)? {
                    Some(deviation) => {
                        nodes.push(Node { share: to, q: q1, deviation });
                        open.pop();
                    }
                    None if to - from.share < SMALLEST || nodes.len() > MOST => {
                        return Err(ProgramFault::Singular { along: from.share });
                    }
                    None => open.push(f64::midpoint(from.share, to)),
                }
            }
        }
        Ok(nodes)
    }

    /// One more node in the middle between two.
    pub fn between(&self, a: &Node, b: &Node) -> Result<Node, ProgramFault> {
        let share = f64::midpoint(a.share, b.share);
        Ok(Node { share, q: (self.truth)(share, &a.q)?, deviation: b.deviation })
    }

    /// How far off any body may be between two nodes, m, if they are near enough to each other.
    fn deviation(&self, from: f64, q0: &[f64], to: f64, q1: &[f64]) -> Result<Option<f64>, ProgramFault> {
        if q0.iter().zip(q1).any(|(a, b)| (a - b).abs() > LONGEST) {
            return Ok(None);
        }
        let mut worst = 0.0f64;
        for share in [0.5, 0.25, 0.75] {
            let exact = (self.truth)(from + (to - from) * share, q0)?;
            if share == 0.5 && self.twist * (to - from) > SMOOTH * (self.freedom)(&exact) {
                return Ok(None);
            }
            let between = q0.iter().zip(q1).map(|(a, b)| a + (b - a) * share);
            let off = exact.iter().zip(between).zip(self.levers).map(|((x, y), lever)| (x - y).abs() * lever);
            worst = worst.max(MARGIN * off.sum::<f64>());
            if worst > self.tolerance {
                return Ok(None);
            }
        }
        Ok(Some(worst))
    }
}
