//! What was planned before, so that an edit of one move plans that move alone.

use std::collections::HashMap;
use std::hash::{Hash, Hasher};
use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHasher};

use super::lane::{Driven, Joined};
use super::{Goal, Motion, Move, Program};
use crate::robot::NodeId;

/// Moves that were planned in an assembly, by what they are and where they begin. They hold for that assembly alone.
#[derive(Debug, Clone)]
pub struct Planned {
    /// What else they depend on.
    around: Around,
    levers: Arc<[f64]>,
    moves: FxHashMap<u64, Arc<PlannedMove>>,
    /// How many plans were made.
    round: u64,
}

impl Default for Planned {
    fn default() -> Self {
        Self {
            around: Around::default(),
            levers: [].into(),
            moves: FxHashMap::default(),
            round: 0,
        }
    }
}

/// What all lanes share, as moves were planned.
#[derive(Debug, Clone, Default, PartialEq)]
struct Around {
    owners: HashMap<usize, usize>,
    takers: HashMap<usize, Vec<usize>>,
    tolerance: f64,
}

#[derive(Debug)]
struct PlannedMove {
    lane: usize,
    robot: usize,
    tcp: Option<NodeId>,
    step: Move,
    start: Vec<f64>,
    levers: Arc<[f64]>,
    driven: Arc<Driven>,
    /// The plan that asked for it last.
    asked: std::sync::atomic::AtomicU64,
}

/// A move that no plan has asked for in so many rounds is forgotten: undo and redo find what they go back to.
const KEPT: u64 = 8;

impl Planned {
    /// Begins a plan; what was planned under other circumstances is forgotten.
    pub(super) fn begin(&mut self, all: &Joined) {
        let around = Around {
            owners: all.owners.clone(),
            takers: all.takers.clone(),
            tolerance: all.tolerance.position,
        };
        if around != self.around {
            self.moves.clear();
            self.around = around;
        }
        if *self.levers != *all.levers {
            self.levers = all.levers.into();
        }
        self.round += 1;
        let last = self.round;
        self.moves
            .retain(|_, one| one.asked.load(RELAXED) + KEPT >= last);
    }

    /// What a move of `program` came to when it began at `start` (rad, m) before.
    pub(super) fn find(
        &self,
        lane: usize,
        program: &Program,
        step: &Move,
        start: &[f64],
    ) -> Option<Arc<Driven>> {
        let found = self.moves.get(&self.key(lane, program, step, start))?;
        let same = (found.lane, found.robot, found.tcp) == (lane, program.robot, program.tcp)
            && found.start == start
            && found.levers == self.levers
            && found.step == *step;
        same.then(|| {
            found.asked.store(self.round, RELAXED);
            Arc::clone(&found.driven)
        })
    }

    /// Keeps what a move came to.
    pub(super) fn keep(
        &mut self,
        lane: usize,
        program: &Program,
        step: &Move,
        start: &[f64],
        driven: &Arc<Driven>,
    ) {
        let one = PlannedMove {
            lane,
            robot: program.robot,
            tcp: program.tcp,
            step: step.clone(),
            start: start.to_vec(),
            levers: Arc::clone(&self.levers),
            driven: Arc::clone(driven),
            asked: self.round.into(),
        };
        let key = self.key(lane, program, step, start);
        self.moves.insert(key, Arc::new(one));
    }

    fn key(&self, lane: usize, program: &Program, step: &Move, start: &[f64]) -> u64 {
        let mut hash = FxHasher::default();
        (lane, program.robot, program.tcp, &step.label).hash(&mut hash);
        let numbers = self.levers.iter().chain(start);
        numbers.for_each(|x| x.to_bits().hash(&mut hash));
        add(step, &mut hash);
        hash.finish()
    }
}

const RELAXED: std::sync::atomic::Ordering = std::sync::atomic::Ordering::Relaxed;

/// Tells moves apart well enough to look them up; whether they are the same is asked then.
fn add(step: &Move, hash: &mut FxHasher) {
    let mut number = |x: f64| x.to_bits().hash(hash);
    step.also.iter().for_each(|also| number(also.1));
    for goal in step.motion.goals() {
        match goal {
            Goal::Pose { pose, .. } => {
                pose.translation
                    .vector
                    .iter()
                    .copied()
                    .for_each(&mut number);
                pose.rotation.coords.iter().copied().for_each(&mut number);
            }
            Goal::Joints(values) => values.iter().copied().for_each(&mut number),
            Goal::Here => {}
        }
    }
    match &step.motion {
        Motion::Joint { speed, .. } => number(*speed),
        Motion::Linear {
            speed,
            acceleration,
            ..
        }
        | Motion::Circular {
            speed,
            acceleration,
            ..
        } => [*speed, *acceleration].into_iter().for_each(&mut number),
        Motion::Wait(seconds) => number(*seconds),
        Motion::Sync(_) | Motion::Recorded(_) | Motion::Take { .. } | Motion::Release { .. } => {}
    }
}
