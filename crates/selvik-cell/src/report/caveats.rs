use std::collections::{BTreeMap, BTreeSet};

use selvik_core::clearance::{Limit, distance};
use selvik_core::program::{Motion, Path};
use selvik_core::robot::{Body, BodyId};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::Workcell;

/// Something that no verdict speaks of, or that one rests on.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Caveat {
    /// What it is about.
    pub about: CaveatKind,
    /// The sentence.
    pub text: String,
    /// Ids of the items it concerns.
    pub items: Vec<String>,
}

/// What a caveat is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum CaveatKind {
    /// A program or a mark that takes no part in the run plan.
    NotRun,
    /// Items that no rule names.
    NotMeasured,
    /// Geometry that is open, missing, of an unlikely size, or declared to be a surface only.
    Geometry,
    /// Limits that nobody stated.
    Assumed,
    /// Moves that run slower than asked for.
    Slowed,
    /// Recordings in which joints are faster than they may be.
    Fast,
    /// Parts that what takes them does not reach, or that are set on nothing.
    FarFromHand,
}

/// A body larger or smaller than this is likely read in a wrong unit, m.
const LARGE: f64 = 50.0;
const SMALL: f64 = 1e-3;

/// What was not looked at, and what the verdicts rest on, in the order of [`CaveatKind`].
#[must_use]
pub fn caveats(workcell: &Workcell, path: &Path) -> Vec<Caveat> {
    let mut all = not_run(workcell);
    all.extend(not_measured(workcell, path));
    all.extend(geometry(workcell));
    all.extend(assumed(workcell));
    all.extend(slowed(workcell, path));
    all.extend(fast(workcell));
    all.extend(far_from_hand(workcell, path));
    all
}

fn not_run(workcell: &Workcell) -> Vec<Caveat> {
    let document = &workcell.document;
    let say = |text: String, items: Vec<String>| Caveat {
        about: CaveatKind::NotRun,
        text,
        items,
    };
    let runs: BTreeSet<&String> = document
        .run_plan
        .lanes
        .iter()
        .flat_map(|l| &l.programs)
        .collect();
    let idle = document.programs.iter().filter(|p| !runs.contains(&p.id));
    let mut all: Vec<Caveat> = idle
        .map(|p| {
            say(
                format!(
                    "Program \"{}\" is in no lane of the run plan: it was not run.",
                    p.name
                ),
                vec![p.robot.clone()],
            )
        })
        .collect();
    // For each mark the lanes that wait at it, and how often.
    let mut marks: BTreeMap<&String, BTreeMap<usize, usize>> = BTreeMap::new();
    for (lane, plan) in workcell.plan.lanes.iter().enumerate() {
        for step in plan.programs.iter().flat_map(|p| &p.moves) {
            if let Motion::Sync(mark) = &step.motion {
                *marks.entry(mark).or_default().entry(lane).or_default() += 1;
            }
        }
    }
    for (mark, lanes) in &marks {
        if lanes.len() < 2 {
            let alike = marks
                .keys()
                .find(|other| *other != mark && other.to_lowercase() == mark.to_lowercase());
            let hint = alike.map_or(String::new(), |other| {
                format!(" \"{other}\" differs by large and small letters only.")
            });
            all.push(say(
                format!(
                    "Sync mark \"{mark}\" is in one lane only: nobody waits for anybody.{hint}"
                ),
                Vec::new(),
            ));
        }
    }
    all
}

fn not_measured(workcell: &Workcell, path: &Path) -> Option<Caveat> {
    let assembly = &workcell.assembly;
    let scope = workcell.rules.scope(assembly, path);
    let mut seen = vec![false; assembly.bodies().len()];
    for pair in &scope.pairs {
        seen[pair.a.0] = true;
        seen[pair.b.0] = true;
    }
    for pair in &scope.left_out {
        seen[pair.a.0] = true;
        seen[pair.b.0] = true;
    }
    let unseen: Vec<usize> = (0..seen.len()).filter(|&b| !seen[b]).collect();
    if unseen.is_empty() {
        return None;
    }
    let names: Vec<String> = unseen
        .iter()
        .map(|&b| assembly.body_name(BodyId(b)))
        .collect();
    let names: Vec<&str> = names.iter().map(String::as_str).collect();
    let items: BTreeSet<usize> = unseen.iter().map(|&b| assembly.bodies()[b].item).collect();
    Some(Caveat {
        about: CaveatKind::NotMeasured,
        text: format!("No rule names {}.", listed(&names)),
        items: items
            .into_iter()
            .map(|i| assembly.cell().items()[i].id.0.clone())
            .collect(),
    })
}

fn geometry(workcell: &Workcell) -> Vec<Caveat> {
    let assembly = &workcell.assembly;
    let mut all = Vec::new();
    let id = |item: usize| assembly.cell().items()[item].id.0.clone();
    let mut say = |text: String, item: usize| {
        all.push(Caveat {
            about: CaveatKind::Geometry,
            text,
            items: vec![id(item)],
        })
    };
    for (index, body) in assembly.bodies().iter().enumerate() {
        let name = assembly.body_name(BodyId(index));
        let size = body.surface.bounds().half_extents().max() * 2.0;
        if size > LARGE {
            say(
                format!("{name} is {size:.0} m long: is its unit right?"),
                body.item,
            );
        } else if size < SMALL {
            say(
                format!("{name} is {:.3} mm long: is its unit right?", size * 1e3),
                body.item,
            );
        }
        if body.surface.is_sheet() {
            say(
                format!("{name} is declared a surface only: nothing counts as inside it."),
                body.item,
            );
        } else if body.surface.open_edges() > 0 {
            let edges = body.surface.open_edges();
            say(
                format!(
                    "{name} is open at {edges} edges: what is inside it is told by how nearly it closes."
                ),
                body.item,
            );
        }
    }
    for item in 0..assembly.cell().items().len() {
        let links = assembly.mechanism(item).into_iter().flat_map(|m| m.links());
        for link in links.filter(|l| !l.missing.is_empty()) {
            let name = &assembly.cell().items()[item].name;
            say(
                format!(
                    "Geometry of {name} {} is missing: {}.",
                    link.name,
                    link.missing.join(", ")
                ),
                item,
            );
        }
    }
    all
}

fn assumed(workcell: &Workcell) -> Vec<Caveat> {
    let assembly = &workcell.assembly;
    let mut of_item: BTreeMap<usize, [Vec<&str>; 3]> = BTreeMap::new();
    for joint in assembly.joints() {
        let stated = joint.limits.stated;
        let entry = of_item.entry(joint.item).or_default();
        let endless = joint.kind == selvik_core::robot::JointKind::Continuous;
        for (known, list) in [
            stated.position || endless,
            stated.velocity,
            stated.acceleration,
        ]
        .iter()
        .zip(entry)
        {
            if !known {
                list.push(&joint.name);
            }
        }
    }
    let mut all = Vec::new();
    for (item, lists) in of_item {
        let name = &assembly.cell().items()[item].name;
        let texts = [
            "no stated range; none is kept to",
            "no stated speed; 180 °/s or 1000 mm/s is assumed",
            "no stated acceleration; full speed in 0.25 s is assumed",
        ];
        for (joints, text) in lists.iter().zip(texts).filter(|(j, _)| !j.is_empty()) {
            all.push(Caveat {
                about: CaveatKind::Assumed,
                text: format!(
                    "{name}: {} {} {text}.",
                    listed(joints),
                    if joints.len() > 1 { "have" } else { "has" }
                ),
                items: vec![assembly.cell().items()[item].id.0.clone()],
            });
        }
    }
    all
}

fn slowed(workcell: &Workcell, path: &Path) -> Vec<Caveat> {
    let slow = path.spans().iter().filter(|s| s.speed_share < 1.0);
    slow.map(|span| {
        let program = &workcell.plan.lanes[span.lane].programs[span.program];
        Caveat {
            about: CaveatKind::Slowed,
            text: format!(
                "{}: {} (move {}) is slowed where joints would exceed their limits; it takes {:.2} times as long as programmed.",
                program.name,
                program.moves[span.index].label,
                span.index + 1,
                1.0 / span.speed_share
            ),
            items: vec![workcell.assembly.cell().items()[program.robot].id.0.clone()],
        }
    })
    .collect()
}

/// What is recorded is played as it is, also where no joint could follow it.
fn fast(workcell: &Workcell) -> Vec<Caveat> {
    let assembly = &workcell.assembly;
    let mut all = Vec::new();
    for program in workcell.plan.lanes.iter().flat_map(|l| &l.programs) {
        for step in &program.moves {
            let Motion::Recorded(recording) = &step.motion else {
                continue;
            };
            let fastest = recording.fastest();
            let joints = recording.joints().iter().zip(fastest);
            let beyond = joints.filter(|(joint, speed)| {
                let limits = &assembly.joints()[**joint].limits;
                limits.stated.velocity && *speed > limits.velocity * (1.0 + AS_FAST)
            });
            for (&joint, speed) in beyond {
                let [limit, speed] = [assembly.joints()[joint].limits.velocity, speed]
                    .map(|v| workcell.joint_value(joint, v));
                let unit = if assembly.joints()[joint].kind.turns() {
                    "°/s"
                } else {
                    "mm/s"
                };
                all.push(Caveat {
                    about: CaveatKind::Fast,
                    text: format!(
                        "{}: {} moves {} at up to {speed:.0} {unit}, but it can do {limit:.0} {unit}: are its times right?",
                        program.name,
                        step.label,
                        workcell.joint_key(joint),
                    ),
                    items: vec![assembly.cell().items()[program.robot].id.0.clone()],
                });
            }
        }
    }
    all
}

/// A part this far from what it hangs on is not held by it, m: fingers may still close.
const FAR: f64 = 0.01;

/// What is taken goes along wherever it is, and what is released stays there, in the air too.
fn far_from_hand(workcell: &Workcell, path: &Path) -> Vec<Caveat> {
    let assembly = &workcell.assembly;
    let items = assembly.cell().items();
    let mut all = Vec::new();
    for stay in path.handling().stays() {
        let Some(handler) = stay.handler(assembly) else {
            continue;
        };
        let bodies = || assembly.bodies().iter();
        let part = bodies().filter(|b| assembly.cell().is_within(b.item, stay.item));
        let part: Vec<&Body> = part.collect();
        let hand: Vec<&Body> = bodies().filter(|b| handler.is(assembly, b)).collect();
        let poses = path.moment(assembly, stay.since).poses(assembly);
        let gap = |enough: f64| {
            let of_pair = |a: &Body, b: &Body, enough: f64| {
                let pose = poses[a.node.0].inv_mul(&poses[b.node.0]);
                let limit = Limit {
                    enough,
                    ..Limit::default()
                };
                let closest = distance(&a.surface, &b.surface, &pose, limit).closest;
                closest.map_or(enough, |c| c.distance.min(enough))
            };
            let pairs = part.iter().flat_map(|a| hand.iter().map(move |b| (a, b)));
            pairs.fold(enough, |least, (a, b)| of_pair(a, b, least))
        };
        if part.is_empty() || hand.is_empty() || gap(FAR) < FAR {
            continue;
        }
        all.push(Caveat {
            about: CaveatKind::FarFromHand,
            text: format!(
                "From {:.2} s on {} hangs on {}, {:.0} mm away from it: is it there then?",
                stay.since,
                items[stay.item].name,
                items[handler.item].name,
                gap(f64::INFINITY) * 1e3,
            ),
            items: [stay.item, handler.item]
                .map(|i| items[i].id.0.clone())
                .into(),
        });
    }
    all
}

/// By so much a speed between two rows may be above the limit for their rounding, a share.
const AS_FAST: f64 = 0.02;

/// The first few of many names.
fn listed(names: &[&str]) -> String {
    const SOME: usize = 6;
    match names.len() {
        n if n > SOME => format!("{} and {} more", names[..SOME].join(", "), n - SOME),
        _ => names.join(", "),
    }
}
