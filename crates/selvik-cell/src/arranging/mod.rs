//! What a hand or a number asks for, turned into edits by the core; and what is known of items.

mod facts;
mod frames;
mod jointed;
mod lead_in;
mod moving;
mod subject;
mod tabled;

pub use facts::{ItemFacts, ItemMass, TargetFacts, facts_of, mass_of, target_facts};
pub use frames::{FramePlace, NewFrame, new_frame};
pub use jointed::{JointAxis, NewJoint, jointed};
pub use lead_in::led_in;
pub use moving::{Arrange, KeptPose, edit_of};
use nalgebra::{Quaternion, Translation3, UnitQuaternion};
use schemars::JsonSchema;
use selvik_core::robot::{Moment, Placing};
use selvik_core::spatial::{Point, Pose, Vector};
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use subject::Standing;
pub use subject::{Subject, TargetNamed};
pub use tabled::{NewArm, new_arm};
use utoipa::ToSchema;

use crate::Workcell;
use crate::document::PoseDocument;

/// A workcell with all its joints somewhere.
pub struct Posed<'a> {
    /// The workcell.
    pub workcell: &'a Workcell,
    /// Where its items stand.
    pub placing: Placing<'a>,
}

impl<'a> Posed<'a> {
    /// At `moment`.
    #[must_use]
    pub fn new(workcell: &'a Workcell, moment: &Moment) -> Self {
        Self {
            workcell,
            placing: Placing::new(&workcell.assembly, moment),
        }
    }

    /// The position of the item `id` in the roster, unless it is carried at this moment: where it stands is not its own then.
    fn movable(&self, id: &str) -> Result<usize> {
        let item = self.position(id)?;
        if self.placing.is_carried(item) {
            let name = &self.workcell.assembly.cell().items()[item].name;
            return Err(FormatError::said(format!(
                "{name} was taken before: it stands where the programs bring it. Go to the start of the path to place it"
            )));
        }
        Ok(item)
    }

    /// The position of the item `id` in the roster.
    fn position(&self, id: &str) -> Result<usize> {
        let found = self.workcell.assembly.cell().position(&id.into());
        found.ok_or_else(|| FormatError::said(format!("there is no item \"{id}\"")))
    }

    /// The id of the item at a position of the roster.
    fn id(&self, item: usize) -> String {
        self.workcell.assembly.cell().items()[item].id.0.clone()
    }

    /// The position of an item in the roster, and where it stands in the world.
    ///
    /// # Errors
    /// [`FormatError`] when it is not there.
    pub fn standing(&self, id: &str) -> Result<(usize, Pose)> {
        let item = self.position(id)?;
        Ok((item, self.placing.world(item)))
    }

    /// A pose in a chosen frame, as meant for the item `of`, in the world.
    ///
    /// # Errors
    /// [`FormatError`] for what is not there, or no number.
    pub fn pose_in(&self, frame: &FrameChoice, of: &str, pose: &PoseDocument) -> Result<Pose> {
        Ok(self.frame(frame, self.position(of)?)? * pose_of(pose)?)
    }

    /// Where a chosen frame stands, as meant for the item at position `of`.
    ///
    /// # Errors
    /// [`FormatError`] for an item that is not there.
    pub fn frame(&self, frame: &FrameChoice, of: usize) -> Result<Pose> {
        self.frame_for(frame, &self.standing_at(of))
    }

    /// Where a chosen frame stands, as meant for what stands somewhere.
    fn frame_for(&self, frame: &FrameChoice, of: &Standing) -> Result<Pose> {
        Ok(match frame {
            FrameChoice::World => Pose::identity(),
            FrameChoice::Parent => of.carrier,
            FrameChoice::Own => of.world,
            FrameChoice::Item(id) => self.placing.world(self.position(id)?),
        })
    }

    fn standing_at(&self, item: usize) -> Standing {
        Standing {
            carrier: self.placing.carrier(item),
            world: self.placing.world(item),
        }
    }

    /// Where an item, or a link of it, stands; the world's frame without one.
    fn carrier(&self, parent: Option<&str>, on_link: Option<&str>) -> Result<Pose> {
        let Some(parent) = parent else {
            return Ok(Pose::identity());
        };
        let item = self.position(parent)?;
        let Some(link) = on_link else {
            return Ok(self.placing.world(item));
        };
        let node = self.workcell.assembly.link_node(item, link);
        let node =
            node.ok_or_else(|| FormatError::said(format!("\"{parent}\" has no link \"{link}\"")))?;
        Ok(self.placing.node(node))
    }

    /// The axes of a frame that is meant for what is arranged, in the world.
    pub(crate) fn axes_of(&self, subject: &Subject, frame: &FrameChoice) -> Result<[Vector; 3]> {
        let frame = self.frame_for(frame, &subject.standing(self)?)?;
        let unit = [Vector::x(), Vector::y(), Vector::z()];
        Ok(unit.map(|axis| frame.rotation * axis))
    }

    /// A point and the direction of the axis of a round face, in the world.
    fn axis(&self, picked: &PickedFace) -> Result<(Point, Vector)> {
        let body = self.workcell.assembly.bodies().get(picked.body);
        let body = body.ok_or_else(|| FormatError::said("there is no such body"))?;
        if picked.triangle >= body.surface.mesh().triangles().len() {
            return Err(FormatError::said("there is no such triangle"));
        }
        let features = body.surface.features();
        let face = &features.faces()[features.face_of(picked.triangle)];
        let axis = face.model.and_then(|model| model.axis());
        let (_, axis) = axis.ok_or_else(|| {
            FormatError::said("that face is not round; pick a hole, a pin or a shaft")
        })?;
        let pose = self.placing.node(body.node);
        Ok((pose * face.middle, pose.rotation * *axis))
    }
}

/// In which frame numbers are meant.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FrameChoice {
    /// The world's.
    World,
    /// That of what carries the item.
    Parent,
    /// The item's own.
    Own,
    /// That of an item, by its id: a base, a TCP, a table.
    Item(String),
}

/// A triangle of a body, as it was picked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema, ToSchema)]
pub struct PickedFace {
    /// Index of the body in the cell's list.
    pub body: usize,
    /// Index of the triangle in its mesh.
    pub triangle: usize,
}

/// Numbers without the dust of floating point: to a millionth of a mm and of a degree.
fn tidy(pose: &PoseDocument) -> PoseDocument {
    let round = |x: f64| (x * 1e6).round() / 1e6 + 0.0;
    PoseDocument {
        xyz_mm: pose.xyz_mm.map(round),
        rpy_deg: pose.rpy_deg.map(round),
    }
}

fn finite(numbers: &[f64]) -> Result<()> {
    match numbers.iter().find(|n| !n.is_finite() || n.abs() > 1e8) {
        Some(n) => Err(FormatError::said(format!("{n} is not a usable number"))),
        None => Ok(()),
    }
}

fn point(mm: &[f64; 3]) -> Result<Point> {
    finite(mm)?;
    Ok(Point::from(mm.map(|x| x * 1e-3)))
}

fn normal(of: &[f64; 3]) -> Result<Vector> {
    finite(of)?;
    let found = Vector::from(*of).try_normalize(1e-9);
    found.ok_or_else(|| FormatError::said("a face's normal has no direction"))
}

fn pose_of(document: &PoseDocument) -> Result<Pose> {
    finite(&[document.xyz_mm, document.rpy_deg].concat())?;
    Ok(document.to_pose())
}

/// A pose of x, y, z (m) and a quaternion x, y, z, w.
pub(crate) fn unflat(&[x, y, z, i, j, k, w]: &[f64; 7]) -> Result<Pose> {
    finite(&[x, y, z])?;
    let turn = UnitQuaternion::try_new(Quaternion::new(w, i, j, k), 1e-9);
    let turn = turn.ok_or_else(|| FormatError::said("the quaternion has no direction"))?;
    Ok(Pose::from_parts(Translation3::new(x, y, z), turn))
}
