use nalgebra::Vector3;

use super::{Joint, JointKind, JointLimits, Link, Mechanism, MechanismError};
use crate::spatial::{Pose, pose_from_rpy};

/// Which of the two usual conventions a Denavit–Hartenberg table follows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Convention {
    /// Rot z θ, trans z d, trans x a, rot x α (Siciliano et al., ch. 2.8).
    Standard,
    /// Rot x α, trans x a, rot z θ, trans z d with a and α of the link before (Craig, ch. 3).
    Modified,
}

/// One row of the table: lengths in m, angles in rad.
#[derive(Debug, Clone)]
pub struct DhRow {
    /// Name of the joint.
    pub name: String,
    /// Whether θ or d is the variable.
    pub kind: JointKind,
    /// Link length, m.
    pub a: f64,
    /// Link twist, rad.
    pub alpha: f64,
    /// Link offset, m; with a prismatic joint, the offset at value 0.
    pub d: f64,
    /// Joint angle, rad; with a turning joint, the angle at value 0.
    pub theta: f64,
    /// What the joint may do.
    pub limits: JointLimits,
}

/// A serial chain from a table. Links are `base`, then one a row named after its joint.
///
/// # Errors
/// [`MechanismError`] when two rows share a name.
pub fn chain_from_dh(convention: Convention, rows: &[DhRow]) -> Result<Mechanism, MechanismError> {
    let screw_x = |row: &DhRow| pose_from_rpy([row.a, 0.0, 0.0], [row.alpha, 0.0, 0.0]);
    let screw_z = |row: &DhRow| pose_from_rpy([0.0, 0.0, row.d], [0.0, 0.0, row.theta]);
    let mut links = vec![Link::new("base", None)];
    let mut joints = Vec::new();
    let mut before = Pose::identity();
    for row in rows {
        // A turn or slide commutes with the fixed part of the screw about the same axis.
        let (origin, after) = match convention {
            Convention::Standard => (before * screw_z(row), screw_x(row)),
            Convention::Modified => (screw_x(row) * screw_z(row), Pose::identity()),
        };
        joints.push(Joint {
            name: row.name.clone(),
            kind: row.kind,
            parent: links.len() - 1,
            child: links.len(),
            origin,
            axis: Vector3::z_axis(),
            limits: row.limits,
            mimics: None,
        });
        links.push(Link::new(row.name.clone(), None));
        before = after;
    }
    if convention == Convention::Standard {
        joints.push(Joint {
            name: "flange".to_owned(),
            kind: JointKind::Fixed,
            parent: links.len() - 1,
            child: links.len(),
            origin: before,
            axis: Vector3::z_axis(),
            limits: JointLimits::default(),
            mimics: None,
        });
        links.push(Link::new("flange", None));
    }
    Mechanism::new(links, joints)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::FRAC_PI_2;

    fn row(name: &str, kind: JointKind, a: f64, alpha: f64, d: f64, theta: f64) -> DhRow {
        DhRow {
            name: name.to_owned(),
            kind,
            a,
            alpha,
            d,
            theta,
            limits: JointLimits::default(),
        }
    }

    /// Three-link planar arm: x = a1 c1 + a2 c12 + a3 c123 (Siciliano et al., ch. 2.9.1).
    #[test]
    fn a_planar_arm_ends_where_the_textbook_says() {
        let rows: Vec<DhRow> = [("j1", 0.5), ("j2", 0.4), ("j3", 0.2)]
            .map(|(n, a)| row(n, JointKind::Revolute, a, 0.0, 0.0, 0.0))
            .to_vec();
        let arm = chain_from_dh(Convention::Standard, &rows).unwrap();
        let q = [0.3, -0.8, 1.1];
        let tip = arm.forward(&q)[arm.link("flange").unwrap()];
        let (a, b, c) = (q[0], q[0] + q[1], q[0] + q[1] + q[2]);
        assert!(
            (tip.translation.x - (0.5 * a.cos() + 0.4 * b.cos() + 0.2 * c.cos())).abs() < 1e-12
        );
        assert!(
            (tip.translation.y - (0.5 * a.sin() + 0.4 * b.sin() + 0.2 * c.sin())).abs() < 1e-12
        );
        assert!((tip.rotation.euler_angles().2 - c).abs() < 1e-12);
    }

    /// Spherical arm: p = (c1 s2 d3 − s1 d2, s1 s2 d3 + c1 d2, c2 d3) (Siciliano et al., ch. 2.9.3).
    #[test]
    fn a_spherical_arm_ends_where_the_textbook_says() {
        let rows = [
            row("j1", JointKind::Revolute, 0.0, -FRAC_PI_2, 0.0, 0.0),
            row("j2", JointKind::Revolute, 0.0, FRAC_PI_2, 0.15, 0.0),
            row("j3", JointKind::Prismatic, 0.0, 0.0, 0.0, 0.0),
        ];
        let arm = chain_from_dh(Convention::Standard, &rows).unwrap();
        let (q1, q2, d3) = (0.7f64, -1.2f64, 0.6);
        let tip = arm.forward(&[q1, q2, d3])[arm.link("flange").unwrap()]
            .translation
            .vector;
        let expected = [
            q1.cos() * q2.sin() * d3 - q1.sin() * 0.15,
            q1.sin() * q2.sin() * d3 + q1.cos() * 0.15,
            q2.cos() * d3,
        ];
        assert!(
            (0..3).all(|i| (tip[i] - expected[i]).abs() < 1e-12),
            "{tip} {expected:?}"
        );
    }
}
