//! How things hang between one hand-over and the next.

use crate::program::Path;
use crate::robot::{Assembly, Carried};

/// How everything hangs from one instant on, with the bodies for which that is new.
pub(super) struct Arrangement {
    /// What hangs elsewhere than in the roster.
    pub carried: Carried,
    /// From when on, s; the first holds from the beginning.
    from: f64,
    /// For each body whether it hangs differently than before; all do at first.
    new: Vec<bool>,
    /// For each body until when it hangs so, s; infinite for ever.
    until: Vec<f64>,
    duration: f64,
}

impl Arrangement {
    /// The times at which bodies `a` and `b` hang so, if they do so newly: `Some(None)` is always.
    pub fn times(&self, a: usize, b: usize) -> Option<Option<(f64, f64)>> {
        if !(self.new[a] || self.new[b]) {
            return None;
        }
        let until = self.until[a].min(self.until[b]);
        if self.from == f64::NEG_INFINITY && until == f64::INFINITY {
            return Some(None);
        }
        let (from, to) = (self.from.max(0.0), until.min(self.duration));
        // How things hang at the very end counts, too; one that lasts no time before that is followed by another.
        let lasts = from < to || (from == to && until == f64::INFINITY);
        lasts.then_some(Some((from, to)))
    }
}

/// All arrangements along `path`, in order of time.
pub(super) fn arrangements(assembly: &Assembly, path: &Path) -> Vec<Arrangement> {
    let bodies = assembly.bodies().len();
    let begin = |from, carried, new| Arrangement {
        carried,
        from,
        new,
        until: vec![f64::INFINITY; bodies],
        duration: path.duration(),
    };
    let mut all = vec![begin(
        f64::NEG_INFINITY,
        Carried::default(),
        vec![true; bodies],
    )];
    for change in path.handling().changes() {
        let carried = path.carried_at(assembly, change);
        let before = &all.last().expect("never empty").carried;
        let moved: Vec<_> = path
            .handling()
            .stays()
            .filter(|stay| stay.since == change)
            .map(|stay| assembly.item_node(stay.item))
            .collect();
        let hangs = |body: &crate::robot::Body| {
            moved.iter().any(|&node| {
                assembly.hangs_on(body.node, node, &carried)
                    || assembly.hangs_on(body.node, node, before)
            })
        };
        let new: Vec<bool> = assembly.bodies().iter().map(hangs).collect();
        all.push(begin(change, carried, new));
    }
    let mut until = vec![f64::INFINITY; bodies];
    for arrangement in all.iter_mut().rev() {
        arrangement.until.clone_from(&until);
        for (until, _) in until
            .iter_mut()
            .zip(&arrangement.new)
            .filter(|(_, new)| **new)
        {
            *until = arrangement.from;
        }
    }
    all
}
