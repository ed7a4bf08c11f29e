//! What was planned before, so that an edit of one move plans that move alone.

use std::collections::HashMap;
use std::hash::{Hash, Hasher};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use rustc_hash::{FxHashMap, FxHasher};

use super::lane::{Driven, Joined};
use super::{Goal, Motion, Move};
use crate::robot::NodeId;

/// Moves that were planned in an assembly, by what they are and where they begin. They hold for that assembly alone.
#[derive(Debug, Default)]
pub struct Planned {
    /// What else they depend on.
    around: Around,
    /// Lanes are planned at once.
    moves: Mutex<FxHashMap<u64, Arc<PlannedMove>>>,
    /// How many plans were made.
    round: u64,
}

impl Clone for Planned {
    fn clone(&self) -> Self {
        Self {
            around: self.around.clone(),
            moves: Mutex::new(self.moves().clone()),
            round: self.round,
        }
    }
}

/// Where a move begins, and what else it depends on.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Outset {
    pub lane: usize,
    pub robot: usize,
    pub tcp: Option<NodeId>,
    /// The joint vector of the cell, rad or m.
    pub start: Vec<f64>,
    /// For each joint between the robot and its TCP the longest distance at which it moves anything.
    pub levers: Vec<f64>,
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
    from: Outset,
    step: Move,
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
            self.moves().clear();
            self.around = around;
        }
        self.round += 1;
        let last = self.round;
        let is_asked = |one: &PlannedMove| one.asked.load(RELAXED) + KEPT >= last;
        self.moves().retain(|_, one| is_asked(one));
    }

    fn moves(&self) -> MutexGuard<'_, FxHashMap<u64, Arc<PlannedMove>>> {
        // Whatever is in it was planned to its end.
        self.moves.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What a move came to that began like that before.
    pub(super) fn find(&self, step: &Move, from: &Outset) -> Option<Arc<Driven>> {
        let found = self.moves().get(&key(step, from)).map(Arc::clone)?;
        let same = found.from == *from && found.step == *step;
        same.then(|| {
            found.asked.store(self.round, RELAXED);
            Arc::clone(&found.driven)
        })
    }

    /// Keeps what a move came to.
    pub(super) fn keep(&self, step: &Move, from: Outset, driven: &Arc<Driven>) {
        let key = key(step, &from);
        let one = PlannedMove {
            from,
            step: step.clone(),
            driven: Arc::clone(driven),
            asked: self.round.into(),
        };
        self.moves().insert(key, Arc::new(one));
    }
}

fn key(step: &Move, from: &Outset) -> u64 {
    let mut hash = FxHasher::default();
    (from.lane, from.robot, from.tcp, &step.label).hash(&mut hash);
    let numbers = from.levers.iter().chain(&from.start);
    numbers.for_each(|x| x.to_bits().hash(&mut hash));
    add(step, &mut hash);
    hash.finish()
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
