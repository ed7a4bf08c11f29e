use super::ProgramFault;
use super::node::Node;
use super::straight::Straight;

/// The joint vector at a share of a move, the one nearest to a given one where there are several.
pub(super) type Truth<'a> = dyn Fn(f64, &[f64]) -> Result<Vec<f64>, ProgramFault> + 'a;

/// Steps shorter than this share of the move can only be a jump.
const SMALLEST: f64 = 1.0 / (1u64 << 26) as f64;
/// A move that needs more nodes is refused.
const MOST: usize = 100_000;
/// What share of the tolerance a step is meant to use up.
const AIMED_AT: f64 = 0.85;
/// By how much steps become shorter and longer at most from one to the next, and by how much shorter at least where one was too long.
const SHORTER: f64 = 0.25;
const LONGER: f64 = 3.0;
const SHORTER_AT_LEAST: f64 = 0.8;

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
    let mut nodes = vec![node(0.0, start.to_vec())];
    let mut step = 1.0;
    for &end in ends {
        loop {
            let from = nodes.last().expect("the start is there");
            let left = end - from.share;
            if left <= 0.0 {
                break;
            }
            if step < SMALLEST.min(left) || nodes.len() > MOST {
                return Err(ProgramFault::Singular { along: from.share });
            }
            // What is left is gone in even steps.
            let steps = (left / step).ceil();
            let share = if steps <= 1.0 {
                end
            } else {
                from.share + left / steps
            };
            let to = node(share, truth(share, &from.q)?);
            let gone = share - from.share;
            let deviation = straight.deviation(from, &to);
            let by = deviation.map_or(SHORTER, |d| better(d, tolerance));
            // What is soon at its end says little of longer steps.
            let at_least = if by == LONGER { step } else { 0.0 };
            step = (gone * by).max(at_least);
            if let Some(deviation) = deviation.filter(|&d| d <= tolerance) {
                nodes.push(Node { deviation, ..to });
            }
        }
    }
    Ok(nodes)
}

/// By how much longer or shorter a step is likely just within `tolerance` that came to `deviation` (both m): what joints that go
/// straight leave off goes with the square of the step (step control as in E. Hairer, S. Nørsett, G. Wanner, *Solving Ordinary
/// Differential Equations I*, 1993, ch. II.4).
fn better(deviation: f64, tolerance: f64) -> f64 {
    let likely = (AIMED_AT * tolerance / deviation).sqrt();
    if deviation <= tolerance {
        likely.min(LONGER)
    } else if deviation.is_finite() {
        likely.clamp(SHORTER, SHORTER_AT_LEAST)
    } else {
        SHORTER
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[rstest::rstest]
    #[case::just_right(0.85, 1.0)]
    #[case::four_times_too_exact(0.2125, 2.0)]
    #[case::exact(0.0, LONGER)]
    #[case::a_little_too_long(1.000_1, SHORTER_AT_LEAST)]
    #[case::four_times_off(3.4, 0.5)]
    #[case::far_off(1e6, SHORTER)]
    #[case::nobody_knows(f64::NAN, SHORTER)]
    #[case::beyond_all_numbers(f64::INFINITY, SHORTER)]
    fn the_next_step_is_likely_just_within_the_tolerance(
        #[case] share: f64,
        #[case] expected: f64,
    ) {
        let by = better(5e-6 * share, 5e-6);
        assert!((by - expected).abs() < 1e-12, "{by}");
    }
}
