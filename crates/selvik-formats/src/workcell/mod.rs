//! A cell package made ready to compute with.

mod geometry;

use std::collections::{HashMap, HashSet};

use geometry::Known;
use indexmap::IndexMap;
use selvik_core::cell::{Cell, Item, ItemId, Role};
use selvik_core::clearance::{Allowance, Moves, Named, Requirement, Rule, RuleSet};
use selvik_core::program::{
    Goal, Lane, Motion, Move, Path, PathTolerance, Program, ProgramError, RunPlan, plan_path,
};
use selvik_core::robot::{Arm, Assembly, Configuration, Elbow, NodeId, Shoulder, Wrist};
use selvik_core::view::Tour;

use crate::package::{
    CELL_FILE, CellDocument, MoveDocument, PackageFiles, PostureDocument, ProgramDocument, RoleDocument,
    StretchDocument, TargetDocument, TourStopDocument, ViewpointDocument, is_colour, read_document,
    read_targets,
};
use crate::srdf::read_srdf;
use crate::{FormatError, Result};

/// A joint without a stated acceleration reaches full speed in this time, s.
const RAMP: f64 = 0.25;

/// A cell package, read, checked and joined into core types.
#[derive(Debug, Clone)]
pub struct Workcell {
    /// What `cell.json` says.
    pub document: CellDocument,
    /// Items and mechanisms in one tree.
    pub assembly: Assembly,
    /// The joint vector the cell starts with, rad or m.
    pub rest: Vec<f64>,
    /// Which programs run when.
    pub plan: RunPlan,
    /// Clearance rules.
    pub rules: RuleSet,
}

impl Workcell {
    /// Reads a whole package.
    ///
    /// # Errors
    /// [`FormatError`] for the first thing that is wrong.
    pub fn read(files: &PackageFiles) -> Result<Self> {
        Self::from_document(read_document(files)?, files)
    }

    /// Joins `document` with the files it names.
    ///
    /// # Errors
    /// [`FormatError`] for the first thing that is wrong.
    pub fn from_document(document: CellDocument, files: &PackageFiles) -> Result<Self> {
        Self::built_on(&[], document, files)
    }

    /// Joins `document` with the files it names. Geometry that one of `others` describes by the same
    /// files is taken from there, not read again.
    ///
    /// # Errors
    /// [`FormatError`] for the first thing that is wrong.
    pub fn built_on(others: &[&Self], document: CellDocument, files: &PackageFiles) -> Result<Self> {
        let mut known = Known::of(others);
        let mut mechanisms = HashMap::new();
        let mut items = Vec::with_capacity(document.items.len());
        for (index, item) in document.items.iter().enumerate() {
            let place = format!("items[{index}] \"{}\"", item.id);
            if item.id.is_empty() || item.name.trim().is_empty() {
                return Err(refuse(&place, "an item needs an id and a name"));
            }
            finite(&place, item.pose.xyz_mm.iter().chain(&item.pose.rpy_deg))?;
            if !item.colour.as_deref().is_none_or(is_colour) {
                return Err(refuse(&place, "colour must be written #RRGGBB"));
            }
            items.push(Item {
                id: ItemId(item.id.clone()),
                name: item.name.clone(),
                role: role(item.role),
                parent: item.parent.clone().map(ItemId),
                on_link: item.on_link.clone(),
                pose: item.pose.to_pose(),
                surface: known.surface(files, item, &place)?,
            });
            if let Some(mechanism) = &item.mechanism {
                mechanisms.insert(
                    ItemId(item.id.clone()),
                    known.mechanism(files, (mechanism, item.surface_only), &place)?,
                );
            }
        }
        let cell = Cell::new(items).map_err(|e| refuse("items", e))?;
        let assembly = Assembly::new(cell, mechanisms).map_err(|e| refuse("items", e))?;
        let rest = rest(&document, &assembly)?;
        let names = Names { assembly: &assembly };
        let programs = programs(&document, files, &names)?;
        let plan = plan(&document, &programs)?;
        let mut rules = rules(&document, &names)?;
        rules.allowed.extend(allowed_by_srdf(&document, files, &names)?);
        views(&document, &names)?;
        if let Some(rule) = &document.reach_rule
            && !(0.0..100.0).contains(&rule.spare_percent)
        {
            return Err(refuse("reach_rule", "spare_percent must be from 0 to below 100"));
        }
        Ok(Self { document, assembly, rest, plan, rules })
    }

    /// The path of the run plan.
    ///
    /// # Errors
    /// [`ProgramError`] names the program and move that can't be run.
    pub fn path(&self) -> std::result::Result<Path, ProgramError> {
        plan_path(&self.assembly, &self.plan, &self.rest, &PathTolerance::default())
    }

    /// Checks the saved views of `document` against this cell's items.
    ///
    /// # Errors
    /// [`FormatError`] for the first thing that is wrong.
    pub fn check_views(&self, document: &CellDocument) -> Result<()> {
        views(document, &Names { assembly: &self.assembly })
    }

    /// The arm that a program of the run plan moves.
    #[must_use]
    pub fn arm_of(&self, lane: usize, program: usize) -> Option<Arm> {
        let program = self.plan.lanes.get(lane)?.programs.get(program)?;
        Arm::new(&self.assembly, program.robot, program.tcp).ok()
    }

    /// A value of joint `index` in degrees or mm.
    #[must_use]
    pub fn joint_value(&self, index: usize, value: f64) -> f64 {
        if self.assembly.joints()[index].kind.turns() { value.to_degrees() } else { value * 1e3 }
    }

    /// The name of joint `index`: `item/joint`.
    #[must_use]
    pub fn joint_key(&self, index: usize) -> String {
        let joint = &self.assembly.joints()[index];
        format!("{}/{}", self.assembly.cell().items()[joint.item].id, joint.name)
    }

    /// The joint vector with the values named by `item/joint` (degrees or mm) put in.
    ///
    /// # Errors
    /// [`FormatError`] for a joint that is not there.
    pub fn joints_from(&self, q: &[f64], named: &IndexMap<String, f64>) -> Result<Vec<f64>> {
        let mut q = q.to_vec();
        for (key, &value) in named {
            let (index, value) = Names { assembly: &self.assembly }.joint(key, value, "joints")?;
            q[index] = value;
        }
        Ok(q)
    }
}

fn refuse(place: impl std::fmt::Display, message: impl std::fmt::Display) -> FormatError {
    FormatError::at(CELL_FILE, place, message)
}

fn finite<'a>(place: &str, numbers: impl Iterator<Item = &'a f64>) -> Result<()> {
    match numbers.into_iter().find(|n| n.abs() > 1e8 || n.is_nan()) {
        Some(n) => Err(refuse(place, format!("{n} is not a usable number"))),
        None => Ok(()),
    }
}

fn role(role: RoleDocument) -> Role {
    match role {
        RoleDocument::Robot => Role::Robot,
        RoleDocument::Tool => Role::Tool,
        RoleDocument::Fixture => Role::Fixture,
        RoleDocument::Part => Role::Part,
        RoleDocument::Structure => Role::Structure,
        RoleDocument::Frame => Role::Frame,
        RoleDocument::Group => Role::Group,
    }
}

fn rest(document: &CellDocument, assembly: &Assembly) -> Result<Vec<f64>> {
    let names = Names { assembly };
    let mut rest = vec![0.0; assembly.joints().len()];
    for (index, joint) in assembly.joints().iter().enumerate() {
        rest[index] = joint.limits.position.clamp(0.0);
    }
    for item in &document.items {
        for (joint, &value) in item.mechanism.iter().flat_map(|m| &m.rest_deg_or_mm) {
            let key = format!("{}/{joint}", item.id);
            let (index, value) = names.joint(&key, value, &format!("item \"{}\"", item.id))?;
            rest[index] = value;
        }
    }
    Ok(rest)
}

/// Looks things up by the names that documents use.
struct Names<'a> {
    assembly: &'a Assembly,
}

impl Names<'_> {
    fn item(&self, id: &str, place: &str) -> Result<usize> {
        self.assembly
            .cell()
            .position(&ItemId(id.to_owned()))
            .ok_or_else(|| refuse(place, format!("there is no item \"{id}\"")))
    }

    /// The item `item`, or the link `item/link` of its mechanism.
    fn item_or_link(&self, name: &str, place: &str) -> Result<Named> {
        if let Some(item) = self.assembly.cell().position(&ItemId(name.to_owned())) {
            return Ok(Named::item(item));
        }
        let Some((id, link)) = name.split_once('/') else { return self.item(name, place).map(Named::item) };
        let item = self.item(id, place)?;
        let link = self.assembly.mechanism(item).and_then(|m| m.link(link));
        let unknown = || refuse(place, format!("\"{id}\" has no link of the name in \"{name}\""));
        Ok(Named { item, link: Some(link.ok_or_else(unknown)?) })
    }

    fn node(&self, id: &str, place: &str) -> Result<NodeId> {
        Ok(self.assembly.item_node(self.item(id, place)?))
    }

    /// The joint called `item/joint` and `value` (degrees or mm) in rad or m, within its limits.
    fn joint(&self, key: &str, value: f64, place: &str) -> Result<(usize, f64)> {
        let unknown = || refuse(place, format!("there is no joint \"{key}\"; write item/joint"));
        let (item, joint) = key.split_once('/').ok_or_else(unknown)?;
        let item = self.item(item, place)?;
        let index = self.assembly.joint_index(item, joint).ok_or_else(unknown)?;
        let joint = &self.assembly.joints()[index];
        let (value, unit) =
            if joint.kind.turns() { (value.to_radians(), "°") } else { (value * 1e-3, " mm") };
        let excess = joint.limits.position.excess(value);
        if excess > 1e-9 || value.is_nan() {
            let by = if joint.kind.turns() { excess.to_degrees() } else { excess * 1e3 };
            return Err(refuse(place, format!("joint \"{key}\" is {by:.3}{unit} beyond its limit")));
        }
        Ok((index, value))
    }
}

fn unique<'a>(what: &str, ids: impl Iterator<Item = &'a String>) -> Result<()> {
    let mut seen = HashSet::new();
    for id in ids {
        if id.is_empty() || !seen.insert(id) {
            return Err(refuse(what, format!("the id \"{id}\" is empty or used twice")));
        }
    }
    Ok(())
}

fn rules(document: &CellDocument, names: &Names) -> Result<RuleSet> {
    unique("rules", document.rules.iter().map(|r| &r.id))?;
    let mut set = RuleSet::default();
    for rule in &document.rules {
        let place = format!("rule \"{}\"", rule.id);
        let side =
            |ids: &[String]| ids.iter().map(|id| names.item_or_link(id, &place)).collect::<Result<Vec<_>>>();
        if rule.between.is_empty() {
            return Err(refuse(&place, "between names no item"));
        }
        let requirement = Requirement::new(rule.required_mm * 1e-3, rule.tight_below_mm * 1e-3)
            .ok_or_else(|| refuse(&place, "needs 0 < required_mm ≤ tight_below_mm"))?;
        set.rules.push(Rule {
            name: rule.name.clone(),
            between: side(&rule.between)?,
            and: side(&rule.and)?,
            requirement,
        });
    }
    for pair in &document.may_touch {
        let place = format!("may_touch \"{}\" – \"{}\"", pair.a, pair.b);
        let depth = pair.max_depth_mm.map(|mm| mm * 1e-3);
        if !depth.is_none_or(|d| (1e-6..1e3).contains(&d)) {
            return Err(refuse(&place, "max_depth_mm must be from 0.001 to a million"));
        }
        let during = pair.during.as_ref().map(|during| {
            during.iter().map(|stretch| moves(document, stretch, &place)).collect::<Result<Vec<_>>>()
        });
        set.allowed.push(Allowance {
            a: names.item_or_link(&pair.a, &place)?,
            b: names.item_or_link(&pair.b, &place)?,
            reason: pair.reason.clone(),
            depth,
            during: during.transpose()?.map(|d| d.into_iter().flatten().collect()),
        });
    }
    Ok(set)
}

/// Where the moves of a stretch stand in the run plan; a program may run in it several times, or not at all.
fn moves(document: &CellDocument, stretch: &StretchDocument, place: &str) -> Result<Vec<Moves>> {
    let program = document.programs.iter().find(|p| p.id == stretch.program);
    let program =
        program.ok_or_else(|| refuse(place, format!("there is no program \"{}\"", stretch.program)))?;
    let (from, to) = (stretch.from_move.unwrap_or(1), stretch.to_move.unwrap_or(program.moves.len()));
    if from == 0 || from > to || to > program.moves.len() {
        let message =
            format!("moves {from} to {to} are not among the {} of \"{}\"", program.moves.len(), program.id);
        return Err(refuse(place, message));
    }
    let lanes = document.run_plan.lanes.iter().enumerate();
    let runs = lanes.flat_map(|(lane, l)| l.programs.iter().enumerate().map(move |(at, id)| (lane, at, id)));
    let own = runs.filter(|(_, _, id)| **id == stretch.program);
    Ok(own.map(|(lane, program, _)| Moves { lane, program, first: from - 1, last: to - 1 }).collect())
}

fn programs(
    document: &CellDocument,
    files: &PackageFiles,
    names: &Names,
) -> Result<IndexMap<String, Program>> {
    unique("programs", document.programs.iter().map(|p| &p.id))?;
    document.programs.iter().map(|p| Ok((p.id.clone(), program(p, files, names)?))).collect()
}

fn program(document: &ProgramDocument, files: &PackageFiles, names: &Names) -> Result<Program> {
    let place = format!("program \"{}\"", document.id);
    let robot = names.item(&document.robot, &place)?;
    let tcp = names.node(&document.tcp, &place)?;
    let arm = Arm::new(names.assembly, robot, tcp).map_err(|e| refuse(&place, e))?;
    let mut targets = document.targets.clone();
    if let Some(file) = &document.targets_csv {
        targets.extend(read_targets(file, files.get(file, &place)?)?);
    }
    unique(&format!("{place} targets"), targets.iter().map(|t| &t.id))?;
    let by_id: HashMap<&str, &TargetDocument> = targets.iter().map(|t| (t.id.as_str(), t)).collect();
    let mut moves = Vec::with_capacity(document.moves.len());
    for (index, step) in document.moves.iter().enumerate() {
        let place = format!("{place} moves[{index}]");
        let goal = |id: &str, posture: Option<PostureDocument>| -> Result<Goal> {
            let target =
                by_id.get(id).ok_or_else(|| refuse(&place, format!("there is no target \"{id}\"")))?;
            finite(&place, target.pose.xyz_mm.iter().chain(&target.pose.rpy_deg))?;
            let frame = target.frame.as_ref().map(|f| names.node(f, &place)).transpose()?;
            Ok(Goal::Pose { frame, pose: target.pose.to_pose(), configuration: posture.map(configuration) })
        };
        let also = |named: &IndexMap<String, f64>| {
            named.iter().map(|(key, &v)| names.joint(key, v, &place)).collect::<Result<Vec<_>>>()
        };
        let speeds = |speed: f64, acceleration: Option<f64>| {
            (speed * 1e-3, acceleration.map_or(speed * 1e-3 / RAMP, |a| a * 1e-3))
        };
        let (label, motion, also) = match step {
            MoveDocument::Joint { to, joints_deg_or_mm, speed_percent, posture, also_deg_or_mm } => {
                let to_goal = match (to, joints_deg_or_mm) {
                    (Some(id), None) => goal(id, *posture)?,
                    (None, Some(values)) => Goal::Joints(
                        values
                            .iter()
                            .zip(arm.joints())
                            .map(|(v, &j)| {
                                let turns = names.assembly.joints()[j].kind.turns();
                                if turns { v.to_radians() } else { v * 1e-3 }
                            })
                            .chain(values.iter().skip(arm.joints().len()).copied())
                            .collect(),
                    ),
                    _ => return Err(refuse(&place, "give either to or joints_deg_or_mm")),
                };
                if !(*speed_percent > 0.0 && *speed_percent <= 100.0) {
                    return Err(refuse(&place, "speed_percent must be above 0 and at most 100"));
                }
                let label = format!("joint move to {}", to.as_deref().unwrap_or("joint values"));
                (label, Motion::Joint { to: to_goal, speed: speed_percent / 100.0 }, also(also_deg_or_mm)?)
            }
            MoveDocument::Linear { to, speed_mm_s, acceleration_mm_s2, also_deg_or_mm } => {
                let (speed, acceleration) = speeds(*speed_mm_s, *acceleration_mm_s2);
                let motion = Motion::Linear { to: goal(to, None)?, speed, acceleration };
                (format!("linear move to {to}"), motion, also(also_deg_or_mm)?)
            }
            MoveDocument::Circular { via, to, speed_mm_s, acceleration_mm_s2 } => {
                let (speed, acceleration) = speeds(*speed_mm_s, *acceleration_mm_s2);
                let (via, goal) = (goal(via, None)?, goal(to, None)?);
                let motion = Motion::Circular { via, to: goal, speed, acceleration };
                (format!("circular move to {to}"), motion, Vec::new())
            }
            MoveDocument::Wait { seconds } => ("wait".to_owned(), Motion::Wait(*seconds), Vec::new()),
            MoveDocument::Sync { mark } => (format!("sync {mark}"), Motion::Sync(mark.clone()), Vec::new()),
        };
        moves.push(Move { label, motion, also });
    }
    Ok(Program { name: document.name.clone(), robot, tcp, moves })
}

/// The pairs of links that the SRDF files of mechanisms let touch.
fn allowed_by_srdf(document: &CellDocument, files: &PackageFiles, names: &Names) -> Result<Vec<Allowance>> {
    let mut allowed = Vec::new();
    for item in &document.items {
        let Some(file) = item.mechanism.as_ref().and_then(|m| m.srdf.as_ref()) else { continue };
        let place = format!("item \"{}\"", item.id);
        let at = names.item(&item.id, &place)?;
        let mechanism = names.assembly.mechanism(at).expect("it has one");
        let link = |name: &str| {
            let unknown = || FormatError::file(file, format!("{} has no link \"{name}\"", item.name));
            let link = mechanism.link(name).ok_or_else(unknown)?;
            Ok::<_, FormatError>(Named { item: at, link: Some(link) })
        };
        for (a, b, reason) in read_srdf(files, file, &place)?.may_touch {
            allowed.push(Allowance { a: link(&a)?, b: link(&b)?, reason, depth: None, during: None });
        }
    }
    Ok(allowed)
}

fn configuration(posture: PostureDocument) -> Configuration {
    Configuration {
        shoulder: if posture.front { Shoulder::Front } else { Shoulder::Back },
        elbow: if posture.elbow_up { Elbow::Up } else { Elbow::Down },
        wrist: if posture.wrist_positive { Wrist::Positive } else { Wrist::Negative },
    }
}

fn plan(document: &CellDocument, programs: &IndexMap<String, Program>) -> Result<RunPlan> {
    let mut lanes = Vec::new();
    for (index, lane) in document.run_plan.lanes.iter().enumerate() {
        let place = format!("run_plan.lanes[{index}]");
        if !(0.0..1e6).contains(&lane.start_s) {
            return Err(refuse(&place, "start_s must be from 0 to a million"));
        }
        let of_lane = lane
            .programs
            .iter()
            .map(|id| {
                let unknown = || refuse(&place, format!("there is no program \"{id}\""));
                programs.get(id).cloned().ok_or_else(unknown)
            })
            .collect::<Result<Vec<_>>>()?;
        if of_lane.windows(2).any(|w| w[0].robot != w[1].robot) {
            return Err(refuse(&place, "the programs of a lane must be of one robot"));
        }
        lanes.push(Lane { start: lane.start_s, programs: of_lane });
    }
    Ok(RunPlan { lanes })
}

fn views(document: &CellDocument, names: &Names) -> Result<()> {
    unique("views", document.views.iter().map(|v| &v.id))?;
    unique("visibility_sets", document.visibility_sets.iter().map(|s| &s.id))?;
    for set in &document.visibility_sets {
        let place = format!("visibility set \"{}\"", set.id);
        set.items.iter().try_for_each(|id| names.item(id, &place).map(drop))?;
    }
    let known_set = |id: &String| document.visibility_sets.iter().any(|s| &s.id == id);
    let sound = |viewpoint: &ViewpointDocument, place: &str| match viewpoint.is_sound() {
        true => Ok(()),
        false => Err(refuse(place, "every number must be finite; distance, lens and width positive")),
    };
    for view in &document.views {
        let place = format!("view \"{}\"", view.id);
        view.hidden.iter().try_for_each(|id| names.item(id, &place).map(drop))?;
        if let Some(id) = view.sets.iter().flatten().find(|id| !known_set(id)) {
            return Err(refuse(&place, format!("there is no visibility set \"{id}\"")));
        }
        sound(&view.viewpoint, &place)?;
    }
    let known = |id: &String| document.views.iter().any(|v| &v.id == id);
    unique("tours", document.tours.iter().map(|t| &t.id))?;
    for tour in &document.tours {
        let place = format!("tour \"{}\"", tour.id);
        for stop in &tour.stops {
            sound(&stop.viewpoint, &place)?;
            if let Some(id) = stop.view.as_ref().filter(|id| !known(id)) {
                return Err(refuse(&place, format!("there is no view \"{id}\"")));
            }
        }
        Tour::new(tour.stops.iter().map(TourStopDocument::to_stop).collect())
            .map_err(|e| refuse(&place, e))?;
    }
    match &document.opening_view {
        Some(id) if !known(id) => Err(refuse("opening_view", format!("there is no view \"{id}\""))),
        _ => Ok(()),
    }
}
