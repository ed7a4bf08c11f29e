use std::sync::Arc;

use super::Recording;
use crate::robot::{BeyondLimit, Configuration, JointKind, NodeId, Unreachable};
use crate::spatial::Pose;

/// Where a move ends.
#[derive(Debug, Clone, PartialEq)]
pub enum Goal {
    /// The TCP at a pose given in a frame of the cell.
    Pose {
        /// The frame; `None` is the world.
        frame: Option<NodeId>,
        /// The pose in that frame.
        pose: Pose,
        /// The posture wanted; otherwise the one nearest to where the arm comes from.
        configuration: Option<Configuration>,
    },
    /// The robot's joints at these values, rad or m, in the order of its arm.
    Joints(Vec<f64>),
    /// Where the robot's joints are: only those that move along go elsewhere, and they may be its own.
    Here,
}

/// One instruction of a program.
#[derive(Debug, Clone, PartialEq)]
pub struct Move {
    /// What the program calls it, for people.
    pub label: String,
    /// What is done.
    pub motion: Motion,
    /// Joints outside the arm that go to a value (rad or m) during the same move: a track, a table.
    pub also: Vec<(usize, f64)>,
}

/// What a move does.
#[derive(Debug, Clone, PartialEq)]
pub enum Motion {
    /// All joints together, straight in joint values, at a share (0..1] of their limits.
    Joint {
        /// Where it ends.
        to: Goal,
        /// Share of the joint speeds, 0..1.
        speed: f64,
    },
    /// The TCP along a straight line.
    Linear {
        /// Where it ends.
        to: Goal,
        /// m/s
        speed: f64,
        /// m/s²
        acceleration: f64,
    },
    /// The TCP along the circle through three points.
    Circular {
        /// A point of the circle between start and end; its orientation does not count.
        via: Goal,
        /// Where it ends.
        to: Goal,
        /// m/s
        speed: f64,
        /// m/s²
        acceleration: f64,
    },
    /// Stand still, s.
    Wait(f64),
    /// Wait until every lane that has this mark has reached it.
    Sync(String),
    /// What was recorded, as it is.
    Recorded(Arc<Recording>),
    /// An item hangs on the tool from here on, as it stands to it now.
    Take {
        /// As a position in the cell.
        item: usize,
        /// What takes it; the program's TCP if none.
        by: Option<NodeId>,
        /// For so many moves of the lane before and after it may touch what takes it, and after it what it is taken from.
        touching_moves: usize,
    },
    /// What was taken hangs on something else from here on, as it stands to it now.
    Release {
        /// As a position in the cell.
        item: usize,
        /// What it is set on; the world if nothing.
        onto: Option<NodeId>,
        /// For so many moves of the lane before and after it may touch what it is set on, and what held it.
        touching_moves: usize,
    },
}

impl Goal {
    /// The frame of the cell in which it is given; none in the world, and for joint values.
    #[must_use]
    pub fn frame(&self) -> Option<NodeId> {
        match self {
            Self::Pose { frame, .. } => *frame,
            Self::Joints(_) | Self::Here => None,
        }
    }
}

impl Motion {
    /// Where it goes, first what lies on the way.
    pub fn goals(&self) -> impl Iterator<Item = &Goal> {
        let (via, to) = match self {
            Self::Joint { to, .. } | Self::Linear { to, .. } => (None, Some(to)),
            Self::Circular { via, to, .. } => (Some(via), Some(to)),
            Self::Wait(_)
            | Self::Sync(_)
            | Self::Recorded(_)
            | Self::Take { .. }
            | Self::Release { .. } => (None, None),
        };
        via.into_iter().chain(to)
    }

    /// The item that it takes or releases, as a position in the cell.
    #[must_use]
    pub fn handles(&self) -> Option<usize> {
        match self {
            Self::Take { item, .. } | Self::Release { item, .. } => Some(*item),
            _ => None,
        }
    }
}

/// What one robot runs.
#[derive(Debug, Clone, PartialEq)]
pub struct Program {
    /// What people call it.
    pub name: String,
    /// The robot or other mechanism, as a position in the cell's items.
    pub robot: usize,
    /// The frame that is taken to targets. Without it the program drives all joints of the mechanism, by their values
    /// alone: a gripper, a table.
    pub tcp: Option<NodeId>,
    /// In order.
    pub moves: Vec<Move>,
}

/// A program that can't be run, and where.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("program \"{program}\", move {} ({label}): {fault}", .index + 1)]
pub struct ProgramError {
    /// Its name.
    pub program: Box<str>,
    /// Which lane of the run plan.
    pub lane: usize,
    /// Which of the lane's programs.
    pub nth: usize,
    /// Which move, counted from 0.
    pub index: usize,
    /// What the program calls the move.
    pub label: Box<str>,
    /// What is wrong.
    pub fault: ProgramFault,
}

/// What can be wrong with a move.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum ProgramFault {
    /// The robot and its TCP don't belong together.
    #[error("{0}")]
    NoArm(String),
    /// The goal can't be reached.
    #[error("the target can't be reached: {0}")]
    Unreachable(Unreachable),
    /// The way to the goal can't be followed.
    #[error("after {:.0} mm the way can't be followed: {reason}", .after * 1e3)]
    LeavesReach {
        /// How far along, m.
        after: f64,
        /// Why it ends there.
        reason: Unreachable,
    },
    /// The joints would have to jump.
    #[error("the arm passes a singularity {:.0} % along the way, where its joints would have to jump; go there by a joint move or move the target", .along * 100.0)]
    Singular {
        /// Share of the move, 0..1.
        along: f64,
    },
    /// The posture asked for does not reach.
    #[error("the posture \"{0}\" does not reach the target; others do")]
    NotInPosture(Configuration),
    /// A posture is asked of an arm whose postures have no names.
    #[error(
        "this arm has no postures by these names (it is no six-axis arm of the usual build); leave the posture out"
    )]
    NoPostures,
    /// Wrong number of joint values.
    #[error("{given} joint values for an arm of {needed} joints")]
    JointCount {
        /// How many there are.
        given: usize,
        /// How many there should be.
        needed: usize,
    },
    /// A joint value outside limits.
    #[error("{0}")]
    BeyondLimit(BeyondLimit),
    /// A row of a recording outside limits.
    #[error("{time:.3} s after its start {beyond}")]
    RecordedBeyondLimit {
        /// After the start of the recording, s.
        time: f64,
        /// By how much.
        beyond: Box<BeyondLimit>,
    },
    /// A recording that would begin with a jump.
    #[error(
        "the recording begins with joint {joint} at {}, but it stands at {} then; keep the first row as rest, or go there first \
         by a joint move", amount(*.kind, *.recorded), amount(*.kind, *.stands)
    )]
    BeginsElsewhere {
        /// Its name.
        joint: String,
        /// Whether its values are angles.
        kind: JointKind,
        /// In the first row, rad or m.
        recorded: f64,
        /// Before it, rad or m.
        stands: f64,
    },
    /// A pose is asked of a mechanism without a TCP.
    #[error("the program names no TCP, so it goes by joint values alone")]
    NoTcp,
    /// Three points that make no circle.
    #[error("start, via and end lie on one line and make no circle; use a linear move")]
    NoCircle,
    /// The orientation turns half round, so that the way is not stated.
    #[error(
        "the orientation turns by 180°, which leaves open which way round; add a target in between"
    )]
    HalfTurn,
    /// A speed, acceleration or time beyond what can be computed with.
    #[error(
        "{what} is {value} but must be from {least} to {most} (m, s; of a joint move a share of the full speed)"
    )]
    NotUsable {
        /// What.
        what: &'static str,
        /// m and s.
        value: f64,
        /// m and s.
        least: f64,
        /// m and s.
        most: f64,
    },
    /// The lane's clock runs too long.
    #[error("the lane would run longer than a million seconds")]
    TooLong,
    /// Something on the way has no value.
    #[error(
        "joint values on the way are no numbers; look for lengths or angles out of all proportion"
    )]
    NotNumbers,
    /// The robot stands on a joint that another lane drives.
    #[error(
        "the robot stands on joint {0}, which another lane moves: the pose does not say where its joints are then; move that joint in the same lane (also), or go by joint values"
    )]
    MovingBase(String),
    /// The target moves with a joint that another lane drives.
    #[error("the target hangs on joint {0}, which another robot's programs move")]
    MovingTarget(String),
    /// Two lanes drive one joint.
    #[error("joint {0} is also driven by another lane of the run plan")]
    SharedJoint(String),
    /// Lanes wait for each other for ever.
    #[error("waits for ever at sync mark \"{0}\": the other robots never reach it")]
    Deadlock(String),
    /// Nothing to take it with.
    #[error("the program names no TCP: say by what the part is taken")]
    TakenByNothing,
    /// Released by a lane that does not hold it.
    #[error("\"{0}\" is not held by this lane then; take it first")]
    NotHeld(Box<str>),
    /// Taken by, or set on, what hangs on it.
    #[error("\"{0}\" would carry itself: what takes it, or what it is set on, hangs on it")]
    CarriesItself(Box<str>),
    /// Where a frame stands depends on who has taken something.
    #[error(
        "\"{frame}\" hangs on \"{part}\", which is taken on the way: where it stands then is not stated; use a frame \
         that stays"
    )]
    OnWhatIsTaken {
        /// The frame of a target, a TCP or a robot.
        frame: Box<str>,
        /// What is taken.
        part: Box<str>,
    },
    /// The target does not say where the TCP stands.
    #[error("a linear or circular move needs a pose to go to, not joint values")]
    NeedsPose,
}

/// A joint value as people write it.
fn amount(kind: JointKind, value: f64) -> String {
    match kind.turns() {
        true => format!("{:.2}°", value.to_degrees()),
        false => format!("{:.1} mm", value * 1e3),
    }
}
