//! Where everything stands, the rules and the saved views.

use RoleDocument::{Fixture, Frame, Group, Part, Robot, Structure, Tool};
use selvik_cell::document::{
    BodyDocument, CellDocument, ColoursDocument, FORMAT, FrameKind, ItemDocument, MayTouchDocument,
    MechanismDocument, MechanismSource, PoseDocument, ProjectionKind, ReachRuleDocument,
    RoleDocument, RuleDocument, RunPlanDocument, SavedViewDocument, ShapeDocument, StyleDocument,
    TourDocument, TourStopDocument, ViewpointDocument,
};
use selvik_formats::mesh::{LengthUnit, UpAxis};

use crate::equipment::{NOZZLE_REACH, NOZZLE_TILT, TABLE, TRACK};
use crate::kit::pose;

struct Roster(Vec<ItemDocument>);

impl Roster {
    fn add(
        &mut self,
        (id, name, role): (&str, &str, RoleDocument),
        (parent, on_link): (Option<&str>, Option<&str>),
        at: PoseDocument,
        mesh: Option<&str>,
    ) -> &mut ItemDocument {
        let bodies = mesh.map(|m| BodyDocument {
            shape: ShapeDocument::Mesh {
                file: format!("meshes/{m}.stl"),
                unit: LengthUnit::Mm,
                up: UpAxis::Z,
            },
            pose: PoseDocument::default(),
        });
        self.0.push(ItemDocument {
            parent: parent.map(str::to_owned),
            on_link: on_link.map(str::to_owned),
            pose: at,
            bodies: bodies.into_iter().collect(),
            ..ItemDocument::new(id, name, role)
        });
        self.0.last_mut().expect("just added")
    }
}

fn mechanism(urdf: &str, rest: &[(&str, f64)]) -> Option<MechanismDocument> {
    Some(MechanismDocument {
        rest_deg_or_mm: rest.iter().map(|&(j, v)| (j.to_owned(), v)).collect(),
        ..MechanismDocument::as_described(MechanismSource::Urdf(urdf.to_owned()))
    })
}

const NONE: PoseDocument = PoseDocument {
    xyz_mm: [0.0; 3],
    rpy_deg: [0.0; 3],
};

/// The document without programs.
pub fn document() -> CellDocument {
    let mut roster = Roster(Vec::new());
    station_1(&mut roster);
    station_2(&mut roster);
    table(&mut roster);
    surroundings(&mut roster);
    let own = [
        ("r1", "#D9A441"),
        ("r2", "#D9A441"),
        ("cabinet", "#8C9AA1"),
        ("gate", "#C9B458"),
        ("index-table", "#6F8F9E"),
    ];
    for item in &mut roster.0 {
        item.colour = own
            .iter()
            .find(|(id, _)| *id == item.id)
            .map(|(_, colour)| (*colour).to_owned());
    }
    let rule = |id: &str, name: &str, between: &[&str], and: &[&str], required: f64, tight: f64| {
        let ids = |ids: &[&str]| ids.iter().map(|&i| i.to_owned()).collect();
        RuleDocument {
            id: id.to_owned(),
            name: name.to_owned(),
            between: ids(between),
            and: ids(and),
            required_mm: required,
            tight_below_mm: tight,
        }
    };
    let touch = |a: &str, b: &str, reason: &str| MayTouchDocument {
        a: a.to_owned(),
        b: b.to_owned(),
        reason: reason.to_owned(),
        max_depth_mm: None,
        during: None,
    };
    CellDocument {
        format: FORMAT.to_owned(),
        name: "Tarn Pump Works, sealing cell 2".to_owned(),
        items: roster.0,
        rules: vec![
            rule("r1-any", "R1 to everything", &["r1"], &[], 10.0, 15.0),
            rule("r2-any", "R2 to everything", &["r2"], &[], 10.0, 15.0),
            rule("robots", "R1 to R2", &["r1"], &["r2"], 100.0, 150.0),
            rule(
                "mast",
                "Camera mast",
                &["r1", "r2"],
                &["camera-mast"],
                80.0,
                100.0,
            ),
            rule(
                "hose",
                "Hose bracket to housing ribs",
                &["hose-bracket"],
                &["rib-a"],
                5.0,
                8.0,
            ),
        ],
        may_touch: vec![
            touch(
                "nozzle",
                "housing-a",
                "the nozzle seals 2 mm above the flange",
            ),
            touch("nozzle", "purge-cup", "the nozzle purges inside the cup"),
            touch("pins-b", "housing-r1", "the pins locate the housing"),
            touch("r1/base", "pedestal", "it is bolted to it"),
            touch("r1/flange", "nozzle", "it is bolted to it"),
            touch(
                "r1/flange",
                "nozzle-bracket",
                "both are bolted to the flange",
            ),
            touch("nozzle", "nozzle-bracket", "it is bolted to it"),
            touch("nozzle", "hose-bracket", "it is bolted to it"),
            touch(
                "nozzle-bracket",
                "hose-bracket",
                "both are bolted to the nozzle",
            ),
            touch("r2/base", "track/carriage", "it is bolted to it"),
            touch("r2/flange", "gripper", "it is bolted to it"),
            touch("gripper", "finger-1", "the finger slides in it"),
            touch("gripper", "finger-2", "the finger slides in it"),
        ],
        reach_rule: Some(ReachRuleDocument { spare_percent: 2.0 }),
        programs: Vec::new(),
        run_plan: RunPlanDocument::default(),
        visibility_sets: Vec::new(),
        views: views(),
        opening_view: Some("overview".to_owned()),
        tours: vec![tour()],
        sections: Vec::new(),
        findings: Vec::new(),
    }
}

fn station_1(roster: &mut Roster) {
    roster.add(
        ("station-1", "Robot 1 station", Group),
        (None, None),
        NONE,
        None,
    );
    roster.add(
        ("pedestal", "Pedestal", Structure),
        (Some("station-1"), None),
        NONE,
        Some("pedestal"),
    );
    let home = [
        ("joint_1", -40.0),
        ("joint_2", -20.0),
        ("joint_3", 20.0),
        ("joint_5", 60.0),
    ];
    let at = pose([0.0, 0.0, 350.0], [0.0; 3]);
    roster
        .add(
            ("r1", "R1 sealing arm", Robot),
            (Some("pedestal"), None),
            at,
            None,
        )
        .mechanism = mechanism(crate::arm::URDF, &home);
    frame(
        roster,
        ("r1-base", "Base R1", FrameKind::Base),
        ("r1", None),
        NONE,
    );
    roster.add(
        ("nozzle", "Nozzle 35°", Tool),
        (Some("r1"), Some("interface")),
        NONE,
        Some("nozzle"),
    );
    let tilt = NOZZLE_TILT.to_radians();
    let tip = [128.0 * tilt.sin(), 0.0, NOZZLE_REACH];
    frame(
        roster,
        ("tcp-nozzle", "TCP nozzle", FrameKind::Tcp),
        ("nozzle", None),
        pose(tip, [0.0, NOZZLE_TILT, 0.0]),
    );
    roster.add(
        ("nozzle-bracket", "Nozzle bracket", Tool),
        (Some("nozzle"), None),
        NONE,
        Some("nozzle_bracket"),
    );
    roster.add(
        ("hose-bracket", "Hose bracket", Tool),
        (Some("nozzle"), None),
        NONE,
        Some("hose_bracket"),
    );
    let post = pose([120.0, -860.0, 0.0], [0.0, 0.0, 90.0]);
    roster.add(
        ("purge-cup", "Purge cup", Fixture),
        (Some("station-1"), None),
        post,
        Some("purge_post"),
    );
    let brush = pose([70.0, 0.0, 584.0], [0.0; 3]);
    roster.add(
        ("brush", "Brush", Fixture),
        (Some("purge-cup"), None),
        brush,
        Some("brush"),
    );
    let mast = pose([500.0, 560.0, 0.0], [0.0; 3]);
    roster.add(
        ("camera-mast", "Camera mast", Structure),
        (Some("station-1"), None),
        mast,
        Some("camera_mast"),
    );
}

fn station_2(roster: &mut Roster) {
    roster.add(
        ("station-2", "Robot 2 station", Group),
        (None, None),
        NONE,
        None,
    );
    let at = pose([2620.0, 250.0, 0.0], [0.0; 3]);
    roster
        .add(
            ("track", "Track 3 m", Structure),
            (Some("station-2"), None),
            at,
            None,
        )
        .mechanism = mechanism(TRACK, &[("slide", -250.0)]);
    let home = [("joint_2", -25.0), ("joint_3", 25.0), ("joint_5", 60.0)];
    let at = pose([0.0; 3], [0.0, 0.0, 180.0]);
    roster
        .add(
            ("r2", "R2 loading arm", Robot),
            (Some("track"), Some("carriage")),
            at,
            None,
        )
        .mechanism = mechanism(crate::arm::URDF, &home);
    frame(
        roster,
        ("r2-base", "Base R2", FrameKind::Base),
        ("r2", None),
        NONE,
    );
    roster.add(
        ("gripper", "Two-finger gripper", Tool),
        (Some("r2"), Some("interface")),
        NONE,
        Some("gripper"),
    );
    for (id, name, y, yaw) in [
        ("finger-1", "Finger 1", 132.0, 0.0),
        ("finger-2", "Finger 2", -132.0, 180.0),
    ] {
        let at = pose([0.0, y, 100.0], [0.0, 0.0, yaw]);
        roster.add(
            (id, name, Tool),
            (Some("gripper"), None),
            at,
            Some("finger"),
        );
    }
    frame(
        roster,
        ("tcp-gripper", "TCP gripper", FrameKind::Tcp),
        ("gripper", None),
        pose([0.0, 0.0, 205.0], [0.0; 3]),
    );
}

fn table(roster: &mut Roster) {
    let at = pose([1330.0, 0.0, 0.0], [0.0; 3]);
    roster
        .add(
            ("index-table", "Index table", Fixture),
            (None, None),
            at,
            None,
        )
        .mechanism = mechanism(TABLE, &[]);
    for (side, x, yaw) in [("a", -500.0, 180.0), ("b", 500.0, 0.0)] {
        let upper = side.to_uppercase();
        let fixture = format!("fixture-{side}");
        let at = pose([x, 0.0, 70.0], [0.0, 0.0, yaw]);
        roster.add(
            (&fixture, &format!("Fixture {upper}"), Fixture),
            (Some("index-table"), Some("table_top")),
            at,
            Some("fixture_plate"),
        );
        let pins = format!("pins-{side}");
        roster.add(
            (&pins, &format!("Locating pins {upper}"), Fixture),
            (Some(&fixture), None),
            pose([0.0, 0.0, 48.0], [0.0; 3]),
            Some("pins"),
        );
        // The empty fixture waits with its clamps open.
        let clamp = if side == "a" { "clamp" } else { "clamp_open" };
        for (number, bearing) in [(1, 35.0), (2, 155.0), (3, 275.0)] {
            let (sin, cos) = f64::to_radians(bearing).sin_cos();
            let at = pose([186.0 * cos, 186.0 * sin, 26.0], [0.0, 0.0, bearing]);
            roster.add(
                (
                    &format!("clamp-{side}{number}"),
                    &format!("Clamp {upper}{number}"),
                    Fixture,
                ),
                (Some(&fixture), None),
                at,
                Some(clamp),
            );
        }
    }
    roster.add(
        ("housing-a", "Housing A", Part),
        (Some("fixture-a"), None),
        pose([0.0, 0.0, 48.0], [0.0; 3]),
        Some("housing"),
    );
    let at = pose([0.0, 118.0, 70.0], [0.0, 0.0, 90.0]);
    roster.add(
        ("rib-a", "Housing A rib", Part),
        (Some("housing-a"), None),
        at,
        Some("rib"),
    );
    frame(
        roster,
        ("seal-face-a", "Sealing face A", FrameKind::Frame),
        ("housing-a", None),
        pose([0.0, 0.0, 168.0], [0.0, 0.0, 180.0]),
    );
    frame(
        roster,
        ("seat-b", "Seat B", FrameKind::Frame),
        ("fixture-b", None),
        pose([0.0, 0.0, 48.0], [0.0; 3]),
    );
}

fn surroundings(roster: &mut Roster) {
    let at = pose([1500.0, 1780.0, 0.0], [0.0; 3]);
    roster.add(
        ("rack", "Housing rack", Structure),
        (None, None),
        at,
        Some("rack"),
    );
    let shelf = [
        (-380.0, 450.0),
        (0.0, 450.0),
        (380.0, 450.0),
        (-380.0, 890.0),
        (0.0, 890.0),
        (380.0, 890.0),
    ];
    for (number, (x, z)) in (1..).zip(
        [(380.0, 890.0)]
            .into_iter()
            .chain(shelf[..5].iter().copied()),
    ) {
        let at = pose([x, -40.0, z], [0.0, 0.0, 25.0]);
        roster.add(
            (
                &format!("housing-r{number}"),
                &format!("Rack housing {number}"),
                Part,
            ),
            (Some("rack"), None),
            at,
            Some("housing"),
        );
    }
    roster.add(
        ("cabinet", "Control cabinet", Structure),
        (None, None),
        pose([-980.0, 1500.0, 0.0], [0.0, 0.0, 90.0]),
        Some("cabinet"),
    );
    roster.add(
        ("floor-duct", "Floor duct", Structure),
        (None, None),
        pose([-560.0, 760.0, 0.0], [0.0, 0.0, 40.0]),
        Some("floor_duct"),
    );
    roster.add(("fence", "Fence", Group), (None, None), NONE, None);
    let mut number = 0;
    let mut panel = |roster: &mut Roster, x: f64, y: f64, yaw: f64| {
        number += 1;
        roster.add(
            (
                &format!("panel-{number}"),
                &format!("Fence panel {number}"),
                Structure,
            ),
            (Some("fence"), None),
            pose([x, y, 0.0], [0.0, 0.0, yaw]),
            Some("fence_panel"),
        );
    };
    for i in 0..5 {
        panel(roster, -1500.0 + 1000.0 * f64::from(i), 2400.0, 0.0);
    }
    for i in 0..4 {
        panel(roster, -1500.0, 2400.0 - 1000.0 * f64::from(i), -90.0);
        panel(roster, 3500.0, 2400.0 - 1000.0 * f64::from(i), -90.0);
    }
    roster.add(
        ("gate", "Gate", Structure),
        (Some("fence"), None),
        pose([-1500.0, -1600.0, 0.0], [0.0; 3]),
        Some("gate"),
    );
}

fn frame(
    roster: &mut Roster,
    (id, name, kind): (&str, &str, FrameKind),
    (parent, link): (&str, Option<&str>),
    at: PoseDocument,
) {
    roster
        .add((id, name, Frame), (Some(parent), link), at, None)
        .frame_kind = Some(kind);
}

fn views() -> Vec<SavedViewDocument> {
    let view =
        |id: &str, name: &str, pivot: [f64; 3], bearing: f64, elevation: f64, distance: f64| {
            SavedViewDocument {
                id: id.to_owned(),
                name: name.to_owned(),
                group: None,
                keeps: None,
                viewpoint: ViewpointDocument {
                    pivot_mm: pivot,
                    bearing_deg: bearing,
                    elevation_deg: elevation,
                    roll_deg: 0.0,
                    distance_mm: distance,
                    projection: ProjectionKind::Perspective,
                    lens_mm: 35.0,
                    width_mm: 4000.0,
                },
                style: StyleDocument::ShadedEdges,
                colours: ColoursDocument::Role,
                hidden: Vec::new(),
                sets: None,
                ghosted: false,
                sections: Vec::new(),
                uncut: Vec::new(),
                time_s: None,
            }
        };
    let mut gap = view(
        "clamps",
        "Fixture A, clamps",
        [830.0, 0.0, 800.0],
        20.0,
        30.0,
        1700.0,
    );
    gap.hidden = vec!["fence".to_owned()];
    vec![
        view(
            "overview",
            "Overview",
            [1250.0, 300.0, 620.0],
            24.0,
            24.0,
            4700.0,
        ),
        gap,
        view(
            "rack",
            "Rack and track",
            [1900.0, 900.0, 700.0],
            -38.0,
            26.0,
            4200.0,
        ),
    ]
}

/// Round the cell, down to the clamps, and on to the rack.
fn tour() -> TourDocument {
    let views = views();
    let stop = |index: usize, hold_s: f64, travel_s: f64, passing: bool| TourStopDocument {
        name: views[index].name.clone(),
        view: Some(views[index].id.clone()),
        viewpoint: views[index].viewpoint,
        hold_s,
        travel_s,
        passing,
    };
    TourDocument {
        id: "round".to_owned(),
        name: "Round the cell".to_owned(),
        stops: vec![
            stop(0, 1.0, 3.0, false),
            stop(1, 1.5, 3.0, false),
            stop(2, 1.0, 3.0, false),
        ],
        with_programs: false,
    }
}
