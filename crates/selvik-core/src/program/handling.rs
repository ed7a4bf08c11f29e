//! Parts that are taken and released on the way.

use std::collections::{BTreeMap, HashMap};

use super::{Motion, MoveSpan, Path, ProgramError, ProgramFault, RunPlan};
use crate::cell::Role;
use crate::robot::{Assembly, Body, BodyId, Carried, Mechanism, NodeId};
use crate::spatial::Pose;

/// From when on an item hangs elsewhere than before.
#[derive(Debug, Clone, PartialEq)]
pub struct Stay {
    /// The item, as a position in the cell; what hangs on it goes along.
    pub item: usize,
    /// From when, s.
    pub since: f64,
    /// What carries it from there on; `None` is the world.
    pub on: Option<NodeId>,
    /// Where it stands there.
    pub pose: Pose,
}

impl Stay {
    /// What holds it from then on, or what it stands on; `None` in the world.
    #[must_use]
    pub fn handler(&self, assembly: &Assembly) -> Option<Handler> {
        Handler::at(assembly, self.on?)
    }
}

/// A time at which a part may touch what it is taken with, taken from or set on.
#[derive(Debug, Clone, PartialEq)]
pub struct Touch {
    /// The part, as a position in the cell, with all that hangs on it.
    pub part: usize,
    /// What handles it.
    pub other: Handler,
    /// From when until when, s.
    pub times: (f64, f64),
    /// Why.
    pub why: TouchWhy,
}

/// What holds a part, or what it stands on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Handler {
    /// The item, as a position in the cell: of a tool also what hangs on it, fingers that are items of their own.
    pub item: usize,
    /// Of other mechanisms the link alone.
    pub link: Option<usize>,
}

impl Handler {
    /// The nearest at or above `node` that is more than a frame or a group.
    fn at(assembly: &Assembly, node: NodeId) -> Option<Self> {
        let items = assembly.cell().items();
        let above = std::iter::successors(Some(node), |at| assembly.nodes()[at.0].parent);
        let mut solid = above.map(|at| &assembly.nodes()[at.0]);
        let node = solid.find(|n| !matches!(items[n.item].role, Role::Frame | Role::Group))?;
        let whole = items[node.item].role == Role::Tool;
        Some(Self {
            item: node.item,
            link: node.link.filter(|_| !whole),
        })
    }

    /// Whether `body` belongs to it.
    #[must_use]
    pub fn is(&self, assembly: &Assembly, body: &Body) -> bool {
        if assembly.cell().items()[self.item].role == Role::Tool {
            return assembly.cell().is_within(body.item, self.item);
        }
        // An item's own geometry belongs to the base link.
        let base = || assembly.mechanism(self.item).map(Mechanism::base);
        body.item == self.item && (self.link.is_none() || body.link.or_else(base) == self.link)
    }
}

/// Why a part may touch something while it is handled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TouchWhy {
    /// It is held by it.
    Held,
    /// It stood on it when it was first taken.
    TakenFrom,
    /// It is set on it.
    SetOn,
}

/// All that is taken and released along a path.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Handling {
    /// For each item that is taken its stays, in order of time.
    stays: BTreeMap<usize, Vec<Stay>>,
    touches: Vec<Touch>,
}

impl Handling {
    /// What hangs elsewhere than in the roster at time `t`, s.
    #[must_use]
    pub fn carried_at(&self, assembly: &Assembly, t: f64) -> Carried {
        let mut carried = Carried::default();
        for (&item, stays) in &self.stays {
            let begun = stays.partition_point(|stay| stay.since <= t);
            if let Some(stay) = begun.checked_sub(1).map(|last| &stays[last]) {
                carried.hang(assembly.item_node(item), stay.on, stay.pose);
            }
        }
        carried
    }

    /// All stays of all items.
    pub fn stays(&self) -> impl Iterator<Item = &Stay> {
        self.stays.values().flatten()
    }

    /// The instants at which something begins to hang elsewhere, s, rising.
    #[must_use]
    pub fn changes(&self) -> Vec<f64> {
        let mut changes: Vec<f64> = self.stays().map(|stay| stay.since).collect();
        changes.sort_by(f64::total_cmp);
        changes.dedup();
        changes
    }

    /// When and why two bodies may touch, because one belongs to a part that the other handles.
    pub fn touches<'a>(
        &'a self,
        assembly: &'a Assembly,
        a: BodyId,
        b: BodyId,
    ) -> impl Iterator<Item = &'a Touch> {
        let [a, b] = [a, b].map(|id| assembly.body(id));
        let are = |part: &Body, other: &Body, touch: &Touch| {
            assembly.cell().is_within(part.item, touch.part) && touch.other.is(assembly, other)
        };
        self.touches
            .iter()
            .filter(move |touch| are(a, b, touch) || are(b, a, touch))
    }

    /// For each joint the longest lever of all arrangements, see [`Assembly::levers`].
    pub(super) fn levers(&self, assembly: &Assembly, farthest: &[f64]) -> Vec<f64> {
        let changes = self.changes().into_iter();
        let carried = changes.map(|t| self.carried_at(assembly, t));
        let mut longest = assembly.levers(farthest, &Carried::default());
        for levers in carried.map(|carried| assembly.levers(farthest, &carried)) {
            for (longest, lever) in longest.iter_mut().zip(levers) {
                *longest = longest.max(lever);
            }
        }
        longest
    }
}

/// The lanes that take an item, by its position in the cell.
pub(super) fn takers(plan: &RunPlan) -> HashMap<usize, Vec<usize>> {
    let mut takers: HashMap<usize, Vec<usize>> = HashMap::new();
    for (lane, of) in plan.lanes.iter().enumerate() {
        for step in of.programs.iter().flat_map(|program| &program.moves) {
            if let Motion::Take { item, .. } = step.motion {
                takers.entry(item).or_default().push(lane);
            }
        }
    }
    takers
}

/// What is handled along `path`, in the order in which it comes.
///
/// # Errors
/// [`ProgramError`] for a release of what is not held, or for what would carry itself.
pub(super) fn handling(
    assembly: &Assembly,
    plan: &RunPlan,
    path: &Path,
) -> Result<Handling, ProgramError> {
    let mut hands = Hands {
        assembly,
        plan,
        path,
        lanes: lanes_in_order(plan, path),
        holding: HashMap::new(),
        ongoing: HashMap::new(),
        handling: Handling::default(),
    };
    while let Some(span) = hands.next() {
        hands
            .handle(&span)
            .map_err(|fault| error(plan, &span, fault))?;
    }
    Ok(hands.handling)
}

fn error(plan: &RunPlan, span: &MoveSpan, fault: ProgramFault) -> ProgramError {
    let program = &plan.lanes[span.lane].programs[span.program];
    ProgramError {
        program: program.name.as_str().into(),
        lane: span.lane,
        nth: span.program,
        index: span.index,
        label: program.moves[span.index].label.as_str().into(),
        fault,
    }
}

/// The moves of each lane, one after the other, with those that handle something ahead.
struct LaneOrder {
    spans: Vec<MoveSpan>,
    /// Positions of takes and releases in `spans`.
    handling: Vec<usize>,
    /// The next of `handling`.
    next: usize,
}

fn lanes_in_order(plan: &RunPlan, path: &Path) -> Vec<LaneOrder> {
    let of_lane = |lane: usize| {
        let all = path.spans().iter();
        let mut spans: Vec<MoveSpan> = all.filter(|s| s.lane == lane).cloned().collect();
        spans.sort_by_key(|s| (s.program, s.index));
        let handles = |s: &MoveSpan| motion(plan, s).handles().is_some();
        let handling = (0..spans.len()).filter(|&i| handles(&spans[i])).collect();
        LaneOrder {
            spans,
            handling,
            next: 0,
        }
    };
    (0..plan.lanes.len()).map(of_lane).collect()
}

fn motion<'a>(plan: &'a RunPlan, span: &MoveSpan) -> &'a Motion {
    &plan.lanes[span.lane].programs[span.program].moves[span.index].motion
}

/// Goes through what is taken and released.
struct Hands<'a> {
    assembly: &'a Assembly,
    plan: &'a RunPlan,
    path: &'a Path,
    lanes: Vec<LaneOrder>,
    /// By item, the lane that holds it.
    holding: HashMap<usize, usize>,
    /// By item that was handled, which of the touches goes on.
    ongoing: HashMap<usize, Option<usize>>,
    handling: Handling,
}

impl Hands<'_> {
    /// The next to be handled: the earliest; of those at one instant what is held is released first, so that it can be
    /// taken by another.
    fn next(&mut self) -> Option<MoveSpan> {
        let heads = self.lanes.iter().enumerate().filter_map(|(at, lane)| {
            let span = &lane.spans[*lane.handling.get(lane.next)?];
            let releases = match motion(self.plan, span) {
                Motion::Release { item, .. } => self.holding.get(item) == Some(&at),
                _ => false,
            };
            Some((span.start, !releases, at))
        });
        let first = heads.min_by(|a, b| a.0.total_cmp(&b.0).then((a.1, a.2).cmp(&(b.1, b.2))))?;
        let lane = &mut self.lanes[first.2];
        lane.next += 1;
        Some(lane.spans[lane.handling[lane.next - 1]].clone())
    }

    fn handle(&mut self, span: &MoveSpan) -> Result<(), ProgramFault> {
        let program = &self.plan.lanes[span.lane].programs[span.program];
        match program.moves[span.index].motion {
            Motion::Take {
                item,
                by,
                touching_moves,
            } => {
                let by = by.or(program.tcp).ok_or(ProgramFault::TakenByNothing)?;
                self.hang(item, Some(by), span.start)?;
                self.touching(span, (item, Some(by), TouchWhy::Held), touching_moves);
                self.holding.insert(item, span.lane);
            }
            Motion::Release {
                item,
                onto,
                touching_moves,
            } => {
                if self.holding.get(&item) != Some(&span.lane) {
                    return Err(ProgramFault::NotHeld(self.name(item)));
                }
                self.hang(item, onto, span.start)?;
                self.touching(span, (item, onto, TouchWhy::SetOn), touching_moves);
                self.holding.remove(&item);
            }
            _ => {}
        }
        Ok(())
    }

    /// From some moves before `span` on `part` may touch what carries it now, and for some moves after it what carried it
    /// before.
    fn touching(
        &mut self,
        span: &MoveSpan,
        (part, now, why): (usize, Option<NodeId>, TouchWhy),
        moves: usize,
    ) {
        let (reached, left) = self.around(span, moves);
        match self.ongoing.get(&part) {
            Some(&before) => {
                if let Some(before) = before {
                    self.handling.touches[before].times.1 = left;
                }
            }
            None => {
                let node = self.assembly.item_node(part);
                let from = self.assembly.nodes()[node.0].parent;
                self.touch(part, from, (span.start, left), TouchWhy::TakenFrom);
            }
        }
        let touch = self.touch(part, now, (reached, self.path.duration()), why);
        self.ongoing.insert(part, touch);
    }

    /// Lets `item` hang on `on` from `time` (s) on.
    fn hang(&mut self, item: usize, on: Option<NodeId>, time: f64) -> Result<(), ProgramFault> {
        let carried = self.handling.carried_at(self.assembly, time);
        let node = self.assembly.item_node(item);
        if on.is_some_and(|on| self.assembly.hangs_on(on, node, &carried)) {
            return Err(ProgramFault::CarriesItself(self.name(item)));
        }
        let q = self.path.at(time);
        let world = |node| self.assembly.pose_carrying(node, &q, &carried);
        let pose = on.map_or_else(Pose::identity, world).inverse() * world(node);
        let stays = self.handling.stays.entry(item).or_default();
        stays.push(Stay {
            item,
            since: time,
            on,
            pose,
        });
        Ok(())
    }

    /// When the so many moves of the lane before `span` begin, and those after it end, s.
    fn around(&self, span: &MoveSpan, moves: usize) -> (f64, f64) {
        let spans = &self.lanes[span.lane].spans;
        let at = spans.partition_point(|s| (s.program, s.index) < (span.program, span.index));
        let lasting = |s: &&MoveSpan| s.end > s.start;
        let before = spans[..at].iter().rev().filter(lasting).take(moves).last();
        let after = spans[at..].iter().filter(lasting).take(moves).last();
        (
            before.map_or(span.start, |s| s.start),
            after.map_or(span.start, |s| s.end),
        )
    }

    /// Writes down that `part` may touch what `node` belongs to.
    fn touch(
        &mut self,
        part: usize,
        node: Option<NodeId>,
        times: (f64, f64),
        why: TouchWhy,
    ) -> Option<usize> {
        let other = Handler::at(self.assembly, node?)?;
        let touches = &mut self.handling.touches;
        touches.push(Touch {
            part,
            other,
            times,
            why,
        });
        Some(touches.len() - 1)
    }

    fn name(&self, item: usize) -> Box<str> {
        self.assembly.cell().items()[item].name.as_str().into()
    }
}
