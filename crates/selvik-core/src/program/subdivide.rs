use super::PathTolerance;

/// A joint vector at a time.
pub(super) type Knot = (f64, Vec<f64>);

/// The gap between a joint interpolation and what it stands for: m and rad.
pub(super) type Deviation = (f64, f64);

/// Intervals shorter than this share of the move can only be a jump.
const SMALLEST: f64 = 1.0 / 65_536.0;

/// Places knots on `truth` over 0..`duration` until linear interpolation between them stays within
/// `tolerance`; the first knot is left out.
///
/// `truth(t, near)` gives the joint vector at `t`, the one nearest to `near` where there are
/// several; `deviation(t, q)` says how far off the joint vector `q` is at `t`. `jump(t)` is the
/// error for an interval that no subdivision makes smooth.
pub(super) fn subdivide<E>(
    start: &[f64],
    duration: f64,
    corners: &[f64],
    tolerance: &PathTolerance,
    truth: impl Fn(f64, &[f64]) -> Result<Vec<f64>, E>,
    deviation: impl Fn(&[f64], &[f64]) -> Deviation,
    jump: impl Fn(f64) -> E,
) -> Result<Vec<Knot>, E> {
    let mut knots: Vec<Knot> = vec![(0.0, start.to_vec())];
    let ends = corners.iter().copied().filter(|c| *c > 0.0 && *c < duration).chain([duration]);
    for end in ends {
        // Ends still to be reached, the nearest last.
        let mut open = vec![end];
        while let Some(&to) = open.last() {
            let (from, q0) = knots.last().expect("the start is there").clone();
            let q1 = truth(to, &q0)?;
            let quarters = [0.5, 0.25, 0.75];
            let mut smooth = true;
            for share in quarters {
                let t = from + (to - from) * share;
                let exact = truth(t, &q0)?;
                let between: Vec<f64> = q0.iter().zip(&q1).map(|(a, b)| a + (b - a) * share).collect();
                let (position, angle) = deviation(&exact, &between);
                if position > tolerance.position || angle > tolerance.angle {
                    smooth = false;
                    break;
                }
            }
            if smooth {
                knots.push((to, q1));
                open.pop();
            } else if to - from < duration * SMALLEST {
                return Err(jump(from / duration));
            } else {
                open.push(f64::midpoint(from, to));
            }
        }
    }
    knots.remove(0);
    Ok(knots)
}
