//! Robots from a Denavit–Hartenberg table.

use rstest::rstest;
use selvik_cell::arranging::{NewArm, new_arm};
use selvik_cell::document::{DhConvention, DhRowDocument, PoseDocument};
use selvik_core::robot::Moment;

use crate::programmed::*;

fn row(joint: &str, a_mm: f64, alpha_deg: f64, d_mm: f64, theta_deg: f64) -> DhRowDocument {
    DhRowDocument {
        joint: joint.to_owned(),
        slides: false,
        a_mm,
        alpha_deg,
        d_mm,
        theta_deg,
        limits_deg_or_mm: [-170.0, 170.0],
        velocity_deg_or_mm_s: 180.0,
        bodies: Vec::new(),
    }
}

/// An arm on a slide, in both conventions: the same joints, written differently.
fn tables() -> [(DhConvention, Vec<DhRowDocument>); 2] {
    let slide = DhRowDocument {
        slides: true,
        limits_deg_or_mm: [0.0, 800.0],
        ..row("lift", 0.0, 0.0, 200.0, 0.0)
    };
    let standard = vec![
        DhRowDocument {
            a_mm: 150.0,
            alpha_deg: -90.0,
            ..slide.clone()
        },
        row("turn", 600.0, 0.0, 50.0, 0.0),
        row("wrist", 100.0, 0.0, 0.0, 0.0),
    ];
    let modified = vec![
        slide,
        row("turn", 150.0, -90.0, 50.0, 0.0),
        row("wrist", 600.0, 0.0, 0.0, 0.0),
    ];
    [
        (DhConvention::Standard, standard),
        (DhConvention::Modified, modified),
    ]
}

#[test]
fn an_arm_from_a_table_is_drawn_as_long_as_it_is_and_goes_where_the_table_says() {
    for (convention, rows) in tables() {
        let mut document = cell();
        let new = NewArm {
            name: " Lift arm ".to_owned(),
            convention,
            rows,
            at: PoseDocument {
                xyz_mm: [1000.0, 0.0, 0.0],
                rpy_deg: [0.0; 3],
            },
            drawn: true,
        };
        let edit = new_arm(&document, &new).expect("a robot");
        done(&mut document, edit);
        let workcell = built(&document);
        let robot = workcell
            .assembly
            .cell()
            .position(&"robot-1".into())
            .expect("it is there");
        assert_eq!(workcell.assembly.cell().items()[robot].name, "Lift arm");
        let mechanism = workcell.assembly.mechanism(robot).expect("joints");
        let bare = mechanism
            .links()
            .iter()
            .filter(|l| l.surface.is_none())
            .count();
        // The base has its foot and the rail; only the flange of the standard table is bare.
        assert_eq!(bare, 1 + usize::from(convention == DhConvention::Standard));
        // Lifted by 300 and turned by 90° about the lying axis: the upper arm hangs straight down.
        let mut q = workcell.rest.clone();
        q[workcell.joint_named("robot-1/lift").expect("a joint")] = 0.3;
        q[workcell.joint_named("robot-1/turn").expect("a joint")] = 90f64.to_radians();
        let poses = Moment::of_roster(q).poses(&workcell.assembly);
        let wrist = workcell.assembly.link_node(robot, "wrist").expect("a link");
        let at = poses[wrist.0].translation.vector * 1e3;
        assert!(
            (at.x - 1150.0).abs() < 1e-6 && (at.z + 100.0).abs() < 1e-6,
            "{at:?}"
        );
        // What is drawn of the upper arm reaches from one joint to the next.
        let upper = workcell
            .assembly
            .bodies()
            .iter()
            .find(|b| b.item == robot && b.link == mechanism.link("turn"))
            .expect("drawn");
        let pose = poses[upper.node.0];
        let heights = upper
            .surface
            .mesh()
            .vertices()
            .iter()
            .map(|v| (pose * v).z * 1e3);
        let (low, high) = heights.fold((f64::MAX, f64::MIN), |(l, h), z| (l.min(z), h.max(z)));
        assert!(low < -100.0 && high > 500.0, "{low} {high}");
        let tcp = document
            .items
            .iter()
            .find(|i| i.id == "tcp-1")
            .expect("a TCP");
        assert_eq!(tcp.parent.as_deref(), Some("robot-1"));
    }
}

#[rstest]
#[case::no_rows(|new: &mut NewArm| new.rows.clear(), "from 1 to 30 rows")]
#[case::no_name(|new: &mut NewArm| new.name = " ".to_owned(), "needs a name")]
#[case::no_joint(|new: &mut NewArm| new.rows[1].joint.clear(), "row 2: its joint needs a name")]
#[case::nowhere(|new: &mut NewArm| new.rows[2].limits_deg_or_mm = [5.0, 5.0], "row 3: it goes from 5 to 5")]
#[case::no_number(|new: &mut NewArm| new.rows[0].a_mm = f64::NAN, "row 1: NaN is not a usable number")]
#[case::no_speed(|new: &mut NewArm| new.rows[0].velocity_deg_or_mm_s = 0.0, "row 1: its speed")]
fn a_table_that_makes_no_robot_is_refused_by_its_row(
    #[case] spoil: fn(&mut NewArm),
    #[case] says: &str,
) {
    let [(convention, rows), _] = tables();
    let mut new = NewArm {
        name: "Arm".to_owned(),
        convention,
        rows,
        at: PoseDocument::default(),
        drawn: true,
    };
    spoil(&mut new);
    let error = new_arm(&cell(), &new).expect_err("refused").to_string();
    assert!(error.contains(says), "{error}");
}
