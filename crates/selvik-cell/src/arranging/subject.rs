//! What is arranged: items, or a target of a program.

use std::collections::HashSet;

use schemars::JsonSchema;
use selvik_core::program::{MoveSpan, Path};
use selvik_core::spatial::Pose;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Posed, pose_of};
use crate::Workcell;
use crate::document::{CellDocument, MoveDocument, ProgramDocument, TargetDocument};
use crate::edit::families;

/// What is arranged.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Subject {
    /// Ids of items. What one of the others carries goes with that.
    Items(Vec<String>),
    /// A target of a program.
    Target(TargetNamed),
}

/// A target of a program.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct TargetNamed {
    /// Id of the program.
    pub program: String,
    /// Id of the target.
    pub target: String,
}

/// Where something stands in the world, and the frame it is placed in.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Standing {
    pub(crate) carrier: Pose,
    pub(crate) world: Pose,
}

impl Subject {
    /// Where it stands, the first of several.
    pub(crate) fn standing(&self, posed: &Posed) -> Result<Standing> {
        match self {
            Self::Items(items) => {
                let first = items.first();
                let first = first
                    .ok_or_else(|| FormatError::said("select what is to be arranged first"))?;
                Ok(posed.standing_at(posed.movable(first)?))
            }
            Self::Target(named) => named.standing(posed),
        }
    }

    /// The items that move otherwise when it is arranged, as positions in the roster: with all that hangs on them, and for a
    /// target with what they take along `path`.
    ///
    /// # Errors
    /// [`FormatError`] for what is not there.
    pub fn moved(&self, workcell: &Workcell, path: &Path) -> Result<HashSet<usize>> {
        let document = &workcell.document;
        let tops = match self {
            Self::Items(items) => return Ok(families(document, items)?.into_iter().collect()),
            Self::Target(named) => vec![named.find(document)?.0.robot.clone()],
        };
        let mut moved: HashSet<usize> = families(document, &tops)?.into_iter().collect();
        let nodes = workcell.assembly.nodes();
        let carried = |stay: &&selvik_core::program::Stay, moved: &HashSet<usize>| {
            stay.on.is_some_and(|on| moved.contains(&nodes[on.0].item))
        };
        // What is taken may take in its turn.
        loop {
            let stays = path.handling().stays();
            let taken: Vec<String> = stays
                .filter(|stay| carried(stay, &moved))
                .map(|stay| document.items[stay.item].id.clone())
                .collect();
            if taken.is_empty() {
                return Ok(moved);
            }
            let before = moved.len();
            moved.extend(families(document, &taken)?);
            if moved.len() == before {
                return Ok(moved);
            }
        }
    }
}

impl TargetNamed {
    /// The program, and the target in it.
    ///
    /// # Errors
    /// [`FormatError`] when it is not there.
    pub fn find<'a>(
        &self,
        document: &'a CellDocument,
    ) -> Result<(&'a ProgramDocument, &'a TargetDocument)> {
        let program = document.programs.iter().find(|p| p.id == self.program);
        let program = program.ok_or_else(|| {
            FormatError::said(format!("there is no program \"{}\"", self.program))
        })?;
        let target = program.targets.iter().find(|t| t.id == self.target);
        let target = target.ok_or_else(|| {
            let (name, id) = (&program.name, &self.target);
            FormatError::said(format!("{name} has no target \"{id}\""))
        })?;
        Ok((program, target))
    }

    fn standing(&self, posed: &Posed) -> Result<Standing> {
        let (_, target) = self.find(&posed.workcell.document)?;
        let carrier = match &target.frame {
            Some(item) => posed.standing(item)?.1,
            None => Pose::identity(),
        };
        let world = carrier * pose_of(&target.pose)?;
        Ok(Standing { carrier, world })
    }

    /// The moves on `path` that go to it or over it.
    ///
    /// # Errors
    /// [`FormatError`] when it is not there.
    pub fn reached<'a>(
        &self,
        document: &CellDocument,
        path: &'a Path,
    ) -> Result<Vec<&'a MoveSpan>> {
        let (program, _) = self.find(document)?;
        let goes_there: Vec<bool> = program.moves.iter().map(|step| self.is_of(step)).collect();
        let lanes = &document.run_plan.lanes;
        let is_there = |span: &&MoveSpan| {
            let runs = lanes
                .get(span.lane)
                .and_then(|l| l.programs.get(span.program));
            runs == Some(&self.program) && goes_there.get(span.index) == Some(&true)
        };
        Ok(path.spans().iter().filter(is_there).collect())
    }

    fn is_of(&self, step: &MoveDocument) -> bool {
        match step {
            MoveDocument::Joint { to, .. } => to.as_ref() == Some(&self.target),
            MoveDocument::Linear { to, .. } => *to == self.target,
            MoveDocument::Circular { via, to, .. } => *via == self.target || *to == self.target,
            _ => false,
        }
    }

    /// From when to when it matters on `path`, s: from the first move that goes there to the end of the last that leaves, or of all
    /// where none leaves; `None` where none goes there.
    ///
    /// # Errors
    /// [`FormatError`] when it is not there.
    pub fn used(&self, document: &CellDocument, path: &Path) -> Result<Option<(f64, f64)>> {
        let reached = self.reached(document, path)?;
        let is_same = |x: &MoveSpan, y: &MoveSpan| {
            (x.lane, x.program, x.index) == (y.lane, y.program, y.index)
        };
        // Those of a lane follow each other.
        let left = |span: &MoveSpan| {
            let of_lane = path.spans().iter().filter(|s| s.lane == span.lane);
            let later = of_lane.skip_while(|s| !is_same(s, span)).skip(1);
            let mut leaving = later.filter(|s| s.end - s.start > NOWHERE && moves(document, s));
            leaving.next().map_or(path.duration(), |s| s.end)
        };
        let from = reached.iter().map(|span| span.start).reduce(f64::min);
        let to = reached.iter().map(|span| left(span)).reduce(f64::max);
        Ok(from.zip(to).filter(|(from, to)| from < to))
    }
}

/// A move that takes no longer than this, s, is to where the robot is already, and leaves nothing.
const NOWHERE: f64 = 1e-3;

/// Whether something moves in a span: in a wait the robot stands where it was brought.
fn moves(document: &CellDocument, span: &MoveSpan) -> bool {
    let id = document
        .run_plan
        .lanes
        .get(span.lane)
        .and_then(|lane| lane.programs.get(span.program));
    let program = document.programs.iter().find(|p| Some(&p.id) == id);
    let step = program.and_then(|p| p.moves.get(span.index));
    !matches!(
        step,
        Some(
            MoveDocument::Wait { .. }
                | MoveDocument::Sync { .. }
                | MoveDocument::Take { .. }
                | MoveDocument::Release { .. }
        )
    )
}
