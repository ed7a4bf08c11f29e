/// A joint vector at a share 0..1 of a move.
#[derive(Debug, Clone)]
pub(super) struct Node {
    /// Of the move, 0..1.
    pub share: f64,
    /// The joint vector there, rad or m.
    pub q: Vec<f64>,
    /// By how much the tip misses the way here, in rad, and in m over the arm's reach: what solving left.
    pub miss: f64,
    /// How far any body may be off between the node before and this, m.
    pub deviation: f64,
}
