use nalgebra::{Unit, UnitQuaternion};

use super::ProgramFault;
use crate::spatial::{Point, Pose, Vector, rotation_angle};

/// The true line or arc of a Cartesian move: where the TCP is, in the world, for a share 0..1 of it.
#[derive(Debug, Clone)]
pub(super) struct Way {
    start: Pose,
    end: Pose,
    /// m
    pub length: f64,
    /// How far the orientation turns, rad.
    pub angle: f64,
    round: Option<Round>,
}

#[derive(Debug, Clone)]
struct Round {
    centre: Point,
    axis: Unit<Vector>,
    arm: Vector,
    turn: f64,
}

impl Way {
    /// Straight, turning evenly.
    pub fn line(start: Pose, end: Pose) -> Self {
        let length = (end.translation.vector - start.translation.vector).norm();
        Self {
            start,
            end,
            length,
            angle: rotation_angle(&start, &end),
            round: None,
        }
    }

    /// Along the circle through the three positions; the orientation turns evenly from start to end.
    pub fn arc(start: Pose, via: &Pose, end: Pose) -> Result<Self, ProgramFault> {
        let [p, v, e] = [&start, via, &end].map(|pose| Point::from(pose.translation.vector));
        let (pv, pe) = (v - p, e - p);
        let normal = pv.cross(&pe);
        let square = normal.norm_squared();
        if square < 1e-12 * pv.norm_squared().max(pe.norm_squared()).powi(2) || square == 0.0 {
            return Err(ProgramFault::NoCircle);
        }
        let to_centre = (normal.cross(&pv) * pe.norm_squared()
            + pe.cross(&normal) * pv.norm_squared())
            / (2.0 * square);
        let centre = p + to_centre;
        let axis = Unit::new_normalize(normal);
        let (arm, far) = (p - centre, e - centre);
        let turn = axis.dot(&arm.cross(&far)).atan2(arm.dot(&far));
        let turn = if turn <= 0.0 {
            turn + std::f64::consts::TAU
        } else {
            turn
        };
        let round = Some(Round {
            centre,
            axis,
            arm,
            turn,
        });
        Ok(Self {
            start,
            end,
            length: arm.norm() * turn,
            angle: rotation_angle(&start, &end),
            round,
        })
    }

    /// How large the third derivative of the position is over `share` of the way, m.
    pub fn third(&self, share: f64) -> f64 {
        self.round
            .as_ref()
            .map_or(0.0, |round| round.arm.norm() * (round.turn * share).powi(3))
    }

    /// The pose at `share`.
    pub fn at(&self, share: f64) -> Pose {
        match &self.round {
            None => self.start.lerp_slerp(&self.end, share),
            Some(round) => {
                let turned =
                    UnitQuaternion::from_axis_angle(&round.axis, round.turn * share) * round.arm;
                let position = round.centre + turned;
                let rotation = self.start.rotation.slerp(&self.end.rotation, share);
                Pose::from_parts(position.coords.into(), rotation)
            }
        }
    }
}
