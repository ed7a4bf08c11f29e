//! Ways to arrange items.

use nalgebra::UnitQuaternion;
use schemars::JsonSchema;
use selvik_core::robot::{axis_to_axis, face_to_face, motion_in};
use selvik_core::spatial::{Point, Pose};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::subject::Standing;
use super::{FrameChoice, PickedFace, Posed, Subject, normal, point, pose_of, tidy, unflat};
use crate::document::{PoseDocument, TargetDocument};
use crate::edit::{Edit, Hanging, Placement, ProgramChange};

/// A way to arrange items.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Arrange {
    /// By so much along and about the axes of a frame; turned about the origin of the first item, or about
    /// a point.
    Shift {
        /// Whose axes.
        frame: FrameChoice,
        /// By how much.
        by: PoseDocument,
        /// The point; world coordinates.
        #[serde(default)]
        about_mm: Option<[f64; 3]>,
    },
    /// To stand exactly there in a frame; one item.
    Put {
        /// Which frame.
        frame: FrameChoice,
        /// Where.
        at: PoseDocument,
    },
    /// By a motion in the world.
    Motion {
        /// x, y, z (m), quaternion x, y, z, w.
        by: [f64; 7],
    },
    /// A point of the items onto another point; world coordinates.
    PointToPoint {
        /// The point of the items.
        from_mm: [f64; 3],
        /// Where it goes.
        to_mm: [f64; 3],
    },
    /// A face of the items against another face; world coordinates.
    FaceToFace {
        /// A point of the face of the items.
        from_mm: [f64; 3],
        /// Its normal.
        from_normal: [f64; 3],
        /// A point of the other face.
        to_mm: [f64; 3],
        /// Its normal.
        to_normal: [f64; 3],
    },
    /// The axis of a round face of the items onto that of another.
    AxisToAxis {
        /// The face of the items.
        from: PickedFace,
        /// The other.
        to: PickedFace,
    },
    /// Straight down or up, until the lowest point is on the floor.
    Drop,
    /// On something else, keeping the pose in the world or in the frame that carries it.
    Hang {
        /// Id of what carries them then; the world frame if absent.
        parent: Option<String>,
        /// The link of that which they hang on.
        on_link: Option<String>,
        /// Which pose stays.
        keep: KeptPose,
    },
    /// Into a new group, where they are.
    Group {
        /// What people call it.
        name: String,
    },
}

/// Which pose stays when what carries an item changes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum KeptPose {
    /// The item stays where it is.
    World,
    /// Its numbers stay, and it jumps.
    Local,
}

/// The edit that arranges `subject`.
///
/// # Errors
/// [`FormatError`] for what is not there, or can't be meant.
pub fn edit_of(posed: &Posed, subject: &Subject, how: &Arrange) -> Result<Edit> {
    match subject {
        Subject::Items(items) => edit_of_items(posed, items, how),
        Subject::Target(named) => {
            let standing = subject.standing(posed)?;
            let motion = motion(posed, &standing, how)?;
            let motion = motion.ok_or_else(|| {
                FormatError::said("a target is moved and turned; nothing else can be done to it")
            })?;
            let (_, target) = named.find(&posed.workcell.document)?;
            let pose = standing.carrier.inverse() * motion * standing.world;
            let target = TargetDocument {
                pose: tidy(&PoseDocument::from_pose(&pose)),
                ..target.clone()
            };
            Ok(Edit::ChangeProgram {
                program: named.program.clone(),
                change: ProgramChange::Target(target),
            })
        }
    }
}

/// What one of the others carries goes with that.
fn edit_of_items(posed: &Posed, items: &[String], how: &Arrange) -> Result<Edit> {
    let assembly = &posed.workcell.assembly;
    let asked = items
        .iter()
        .map(|id| posed.movable(id))
        .collect::<Result<Vec<_>>>()?;
    let first = *asked
        .first()
        .ok_or_else(|| FormatError::said("select what is to be arranged first"))?;
    let topmost = posed.placing.topmost(&asked);
    let motion = match how {
        Arrange::Hang {
            parent,
            on_link,
            keep,
        } => {
            let carrier = posed.carrier(parent.as_deref(), on_link.as_deref())?;
            let place = |&item: &usize| {
                let pose = match keep {
                    KeptPose::World => carrier.inverse() * posed.placing.world(item),
                    KeptPose::Local => assembly.cell().items()[item].pose,
                };
                let pose = PoseDocument::from_pose(&pose);
                Hanging {
                    item: posed.id(item),
                    parent: parent.clone(),
                    on_link: on_link.clone(),
                    pose,
                }
            };
            return Ok(Edit::HangItems {
                places: topmost.iter().map(place).collect(),
            });
        }
        Arrange::Group { name } => {
            let item = &assembly.cell().items()[topmost[0]];
            let carrier = posed.placing.carrier(topmost[0]);
            let place = |&item: &usize| {
                let pose =
                    PoseDocument::from_pose(&(carrier.inverse() * posed.placing.world(item)));
                Placement {
                    item: posed.id(item),
                    pose,
                }
            };
            return Ok(Edit::GroupItems {
                name: name.clone(),
                parent: item.parent.as_ref().map(|p| p.0.clone()),
                on_link: item.on_link.clone(),
                places: topmost.iter().map(place).collect(),
            });
        }
        Arrange::Put { .. } if topmost.len() > 1 => {
            return Err(FormatError::said(
                "several items can't stand in one place; shift them instead",
            ));
        }
        _ => motion(posed, &posed.standing_at(first), how)?,
    };
    let motion = match motion {
        Some(motion) => motion,
        None => down_to_the_floor(posed, &topmost)?,
    };
    let place = |&item: &usize| {
        let pose = PoseDocument::from_pose(&posed.placing.moved(item, &motion));
        Placement {
            item: posed.id(item),
            pose: tidy(&pose),
        }
    };
    Ok(Edit::PlaceItems {
        places: topmost.iter().map(place).collect(),
    })
}

/// How what stands somewhere moves in the world; `None` where it takes more to know that than where it stands.
fn motion(posed: &Posed, standing: &Standing, how: &Arrange) -> Result<Option<Pose>> {
    Ok(Some(match how {
        Arrange::Put { frame, at } => {
            let world = posed.frame_for(frame, standing)? * pose_of(at)?;
            world * standing.world.inverse()
        }
        Arrange::Shift {
            frame,
            by,
            about_mm,
        } => {
            let (frame, by) = (posed.frame_for(frame, standing)?, pose_of(by)?);
            let about = match about_mm {
                Some(mm) => point(mm)?,
                None => Point::from(standing.world.translation.vector),
            };
            motion_in(&frame, &about, &by.translation.vector, &by.rotation)
        }
        Arrange::Motion { by } => unflat(by)?,
        Arrange::PointToPoint { from_mm, to_mm } => {
            let by = point(to_mm)? - point(from_mm)?;
            Pose::from_parts(by.into(), UnitQuaternion::identity())
        }
        Arrange::FaceToFace {
            from_mm,
            from_normal,
            to_mm,
            to_normal,
        } => {
            let (from, to) = (normal(from_normal)?, normal(to_normal)?);
            face_to_face((&point(from_mm)?, &from), (&point(to_mm)?, &to))
        }
        Arrange::AxisToAxis { from, to } => {
            let (from, to) = (posed.axis(from)?, posed.axis(to)?);
            axis_to_axis((&from.0, &from.1), (&to.0, &to.1))
        }
        Arrange::Drop | Arrange::Hang { .. } | Arrange::Group { .. } => return Ok(None),
    }))
}

fn down_to_the_floor(posed: &Posed, topmost: &[usize]) -> Result<Pose> {
    let lowest = topmost
        .iter()
        .filter_map(|&item| posed.placing.lowest(item))
        .reduce(f64::min);
    let lowest = lowest.ok_or_else(|| FormatError::said("nothing of it has a body to stand on"))?;
    Ok(Pose::translation(0.0, 0.0, -lowest))
}
