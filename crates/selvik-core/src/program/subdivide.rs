use super::ProgramFault;
use super::node::Node;
use super::straight::Straight;

/// The joint vector at a share of a move, the one nearest to a given one where there are several.
pub(super) type Truth<'a> = dyn Fn(f64, &[f64]) -> Result<Vec<f64>, ProgramFault> + 'a;

/// Steps shorter than this share of the move can only be a jump.
const SMALLEST: f64 = 1.0 / (1u64 << 26) as f64;
/// A move that needs more nodes is refused.
const MOST: usize = 100_000;

/// Nodes at the shares `ends` (rising to 1) and as many between them as it takes for joints that go straight from node to
/// node to leave no body off by more than `tolerance` (m).
pub(super) fn nodes(
    truth: &Truth,
    straight: &Straight,
    tolerance: f64,
    start: &[f64],
    ends: &[f64],
) -> Result<Vec<Node>, ProgramFault> {
    let node = |share: f64, q: Vec<f64>| Node {
        miss: straight.miss(share, &q),
        share,
        q,
        deviation: 0.0,
    };
    let after = |from: &Node, share| truth(share, &from.q).map(|q| node(share, q));
    let mut nodes = vec![node(0.0, start.to_vec())];
    for &end in ends {
        // Nodes still to be reached, the nearest last, each with how many nodes there were when it was solved.
        let mut open = vec![(
            after(nodes.last().expect("the start is there"), end)?,
            nodes.len(),
        )];
        while let Some((to, solved)) = open.last_mut() {
            let from = nodes.last().expect("the start is there");
            match straight.deviation(from, to) {
                Some(deviation) if deviation <= tolerance => {
                    nodes.extend(open.pop().map(|(to, _)| Node { deviation, ..to }));
                }
                // From farther away another posture may have been nearer.
                _ if *solved < nodes.len() => {
                    *to = after(from, to.share)?;
                    *solved = nodes.len();
                }
                _ if to.share - from.share < SMALLEST || nodes.len() > MOST => {
                    return Err(ProgramFault::Singular { along: from.share });
                }
                _ => {
                    let middle = after(from, f64::midpoint(from.share, to.share))?;
                    open.push((middle, nodes.len()));
                }
            }
        }
    }
    Ok(nodes)
}
