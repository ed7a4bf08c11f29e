//! Rest values, postures and limits, and joints for what came as a mesh.

use indexmap::IndexMap;
use selvik_cell::Workcell;
use selvik_cell::arranging::{FrameChoice, JointAxis, NewJoint, Posed, jointed};
use selvik_cell::document::{CellDocument, NamedPosture, PoseDocument, TargetDocument};
use selvik_cell::edit::{Edit, MechanismChange};
use selvik_cell::fingerprint::fingerprint;
use selvik_core::robot::{BodyId, Moment};
use selvik_core::spatial::Point;
use selvik_formats::PackageFiles;

use crate::programmed::*;

#[test]
fn rest_postures_and_limits_are_kept_and_a_posture_changes_no_finding() {
    let mut document = cell();
    let change = |change| Edit::ChangeMechanism {
        item: "arm".to_owned(),
        change,
    };
    let at = |value: f64| IndexMap::from([("q1".to_owned(), value)]);
    assert_eq!(
        done(&mut document, change(MechanismChange::Rest(at(30.0)))),
        "rest of Arm"
    );
    assert!((built(&document).rest[0].to_degrees() - 30.0).abs() < 1e-12);
    let before = fingerprint(&document, "");
    let home = NamedPosture {
        name: "home".to_owned(),
        joints_deg_or_mm: at(90.0),
    };
    done(&mut document, change(MechanismChange::KeepPosture(home)));
    built(&document);
    assert_eq!(fingerprint(&document, ""), before);
    let limits = MechanismChange::Limits {
        joint: "q1".to_owned(),
        range_deg_or_mm: Some([-45.0, 45.0]),
        velocity_deg_or_mm_s: None,
        acceleration_deg_or_mm_s2: None,
    };
    done(&mut document, change(limits));
    let says = Workcell::from_document(document.clone(), &PackageFiles::default()).unwrap_err();
    assert!(says.to_string().contains("posture \"home\""), "{says}");
    done(
        &mut document,
        change(MechanismChange::DropPosture("home".to_owned())),
    );
    built(&document);
    assert!(
        refused(
            &document,
            change(MechanismChange::DropPosture("home".to_owned()))
        )
        .contains("no posture")
    );
    let of_a_post = Edit::ChangeMechanism {
        item: "post".to_owned(),
        change: MechanismChange::Rest(at(1.0)),
    };
    assert_eq!(refused(&document, of_a_post), "Post has no joints");
}

/// A post that stands askew, with something on it, gets a hinge along its own X: at rest nothing moves, and by 90° everything
/// of it goes round its origin.
#[test]
fn what_came_as_a_mesh_gets_a_joint_and_stays_where_it_is() {
    let mut document = cell();
    let pose = PoseDocument {
        xyz_mm: [100.0, 600.0, 50.0],
        rpy_deg: [20.0, -10.0, 70.0],
    };
    let post = document
        .items
        .iter_mut()
        .find(|i| i.id == "post")
        .expect("there");
    post.pose = pose;
    post.bodies[0].pose.xyz_mm = [0.0, 30.0, 40.0];
    let pole = document
        .items
        .iter_mut()
        .find(|i| i.id == "pole")
        .expect("there");
    pole.parent = Some("post".to_owned());
    document.programs[0].targets[0] = TargetDocument {
        id: "A".to_owned(),
        frame: Some("post".to_owned()),
        pose: PoseDocument {
            xyz_mm: [-10.0, 20.0, 30.0],
            rpy_deg: [0.0, 0.0, 15.0],
        },
    };
    document.programs[0].moves.clear();
    let target = |document: &CellDocument, workcell: &Workcell| {
        let posed = Posed::new(workcell, &Moment::of_roster(workcell.rest.clone()));
        let pose = &document.programs[0].targets[0].pose;
        posed
            .pose_in(&FrameChoice::Own, "post", pose)
            .expect("a pose")
    };
    let before = built(&document);
    let target_before = target(&document, &before);
    let place = |workcell: &Workcell, joints: &[f64]| {
        let poses = workcell.assembly.poses(joints);
        let of = |id: &str| {
            let at = workcell
                .assembly
                .cell()
                .position(&id.into())
                .expect("there");
            let body = workcell.assembly.bodies().iter().position(|b| b.item == at);
            let body = workcell.assembly.body(BodyId(body.expect("it has a body")));
            poses[body.node.0] * body.surface.ball().0
        };
        [of("post"), of("pole")]
    };
    let hinge = |axis| NewJoint {
        name: "hinge".to_owned(),
        slides: false,
        axis,
        range_deg_or_mm: [0.0, 90.0],
        velocity_deg_or_mm_s: 45.0,
    };
    let posed = Posed::new(&before, &Moment::of_roster(before.rest.clone()));
    let edit = jointed(&posed, "post", &hinge(JointAxis::Own(0))).expect("a joint");
    assert_eq!(done(&mut document, edit), "give Post a joint");
    let after = built(&document);
    let (was, is) = (place(&before, &before.rest), place(&after, &after.rest));
    for (was, is) in was.iter().zip(&is) {
        assert!((was - is).norm() < 1e-8, "{was} {is}");
    }
    let moved = target_before.inverse() * target(&document, &after);
    assert!(moved.translation.vector.norm() < 1e-8 && moved.rotation.angle() < 1e-8);
    // Turned by 90° about the line through its origin along its X.
    let hinge_at = after
        .assembly
        .joints()
        .iter()
        .position(|j| j.name == "hinge");
    let mut q = after.rest.clone();
    q[hinge_at.expect("there")] = 90f64.to_radians();
    let origin = Point::from(pose.to_pose().translation.vector);
    let along = pose.to_pose().rotation * nalgebra::Vector3::x();
    for (was, is) in was.iter().zip(place(&after, &q)) {
        let (from, to) = (was - origin, is - origin);
        assert!((from.norm() - to.norm()).abs() < 1e-9);
        assert!((from.dot(&along) - to.dot(&along)).abs() < 1e-9);
        let [flat, turned] = [from, to].map(|v| v - along * v.dot(&along));
        assert!(
            flat.dot(&turned).abs() < 1e-9,
            "it is turned by a right angle"
        );
        assert!(along.dot(&flat.cross(&turned)) > 0.0, "the right way round");
    }
    let posed = Posed::new(&after, &Moment::of_roster(after.rest.clone()));
    let says = |item: &str, joint: NewJoint| jointed(&posed, item, &joint).unwrap_err().to_string();
    assert!(says("post", hinge(JointAxis::Own(0))).contains("joints already"));
    assert!(says("tcp", hinge(JointAxis::Own(0))).contains("no body"));
    let askew = NewJoint {
        range_deg_or_mm: [10.0, 90.0],
        ..hinge(JointAxis::Own(0))
    };
    assert!(says("pole", askew).contains("stands at 0 now"));
    assert!(says("pole", hinge(JointAxis::Own(3))).contains("three axes"));
}
