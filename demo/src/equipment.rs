//! Everything that is no robot: tools, fixtures, housings, table, track, rack, fence.

use selvik_core::mesh::TriangleMesh;
use selvik_formats::PackageFiles;

use crate::kit::{
    ALONG_Y, Parts, bar, block, bolt_circle, curve, drum, pipe, plate, put, stl, tapered, turned,
};

/// Where the track's URDF and the table's URDF are in the package.
pub const TRACK: &str = "mechanisms/track.urdf";
pub const TABLE: &str = "mechanisms/index_table.urdf";

/// Length of the sealing nozzle along the interface's Z, mm, and its tilt, degrees.
pub const NOZZLE_REACH: f64 = 150.0;
pub const NOZZLE_TILT: f64 = 35.0;

/// Height of a housing's sealing face above its foot, mm.
pub const HOUSING_HEIGHT: f64 = 168.0;

/// Adds all meshes and the URDFs of track and table.
pub fn write(files: &mut PackageFiles) {
    write_tools(files);
    let meshes: [(&str, Parts); 17] = [
        ("gripper", gripper()),
        ("finger", finger()),
        ("pedestal", pedestal()),
        ("fixture_plate", fixture_plate()),
        ("pins", pins()),
        ("clamp", clamp(0.0)),
        ("clamp_open", clamp(105.0)),
        ("housing", housing()),
        ("rib", rib()),
        ("camera_mast", camera_mast()),
        ("purge_post", purge_post()),
        ("brush", brush()),
        ("rack", rack()),
        ("cabinet", cabinet()),
        ("fence_panel", fence_panel()),
        ("gate", gate()),
        ("floor_duct", floor_duct()),
    ];
    write_meshes(files, meshes);
    let mechanisms: [(&str, Parts); 4] = [
        ("rail", rail()),
        ("carriage", carriage()),
        ("table_foot", table_foot()),
        ("table_top", table_top()),
    ];
    for (name, parts) in mechanisms {
        files
            .insert(&format!("mechanisms/{name}.stl"), stl(parts))
            .expect("a plain name");
    }
    let track = two_links(
        "track",
        ["rail", "carriage"],
        "slide",
        "prismatic",
        "0 1 0",
        "0 0 0.22",
        [-1.3, 1.3],
        1.2,
    );
    let table = two_links(
        "index_table",
        ["table_foot", "table_top"],
        "index",
        "revolute",
        "0 0 1",
        "0 0 0.66",
        [-3.2, 3.2],
        1.2,
    );
    files
        .insert(TRACK, track.into_bytes())
        .expect("a plain name");
    files
        .insert(TABLE, table.into_bytes())
        .expect("a plain name");
}

/// Adds what the sealing arm carries.
pub fn write_tools(files: &mut PackageFiles) {
    let tools: [(&str, Parts); 3] = [
        ("nozzle", nozzle()),
        ("nozzle_bracket", nozzle_bracket()),
        ("hose_bracket", hose_bracket()),
    ];
    write_meshes(files, tools);
}

fn write_meshes(files: &mut PackageFiles, meshes: impl IntoIterator<Item = (&'static str, Parts)>) {
    for (name, parts) in meshes {
        files
            .insert(&format!("meshes/{name}.stl"), stl(parts))
            .expect("a plain name");
    }
}

#[allow(clippy::too_many_arguments)]
fn two_links(
    robot: &str,
    links: [&str; 2],
    joint: &str,
    kind: &str,
    axis: &str,
    xyz: &str,
    [low, high]: [f64; 2],
    velocity: f64,
) -> String {
    let link = |name: &str| {
        format!(
            "  <link name=\"{name}\">\n    <visual><geometry><mesh filename=\"{name}.stl\" scale=\"0.001 0.001 0.001\"/></geometry></visual>\n  </link>\n"
        )
    };
    format!(
        "<?xml version=\"1.0\"?>\n<robot name=\"{robot}\">\n{}{}  <joint name=\"{joint}\" type=\"{kind}\">\n    <parent link=\"{}\"/><child link=\"{}\"/>\n    <origin xyz=\"{xyz}\"/><axis xyz=\"{axis}\"/>\n    <limit lower=\"{low}\" upper=\"{high}\" velocity=\"{velocity}\" effort=\"0\"/>\n  </joint>\n</robot>\n",
        link(links[0]),
        link(links[1]),
        links[0],
        links[1],
    )
}

/// Adapter, valve body and a lance tilted out of the interface's Z.
fn nozzle() -> Parts {
    let tilt = NOZZLE_TILT.to_radians();
    let lance = turned(
        &[
            (0.0, 0.0),
            (17.0, 0.0),
            (17.0, 44.0),
            (11.0, 54.0),
            (9.0, 96.0),
            (3.0, 122.0),
            (2.0, 128.0),
            (0.0, 128.0),
        ],
        32,
    );
    let reach = 128.0 * tilt.cos();
    let mut parts = vec![
        drum(38.0, 12.0, 2.0),
        put(
            &block(54.0, 48.0, NOZZLE_REACH - reach + 6.0, 10.0),
            [0.0, 0.0, 10.0],
            [0.0; 3],
        ),
        put(
            &lance,
            [0.0, 0.0, NOZZLE_REACH - reach],
            [0.0, NOZZLE_TILT, 0.0],
        ),
        put(
            &drum(12.0, 40.0, 2.0),
            [-26.0, 0.0, 26.0],
            [0.0, -90.0, 0.0],
        ),
    ];
    parts.extend(bolt_circle(6, 30.0, 4.0, 12.0));
    parts
}

/// A bent plate that carries the sensor beside the lance.
fn nozzle_bracket() -> Parts {
    vec![
        put(&block(14.0, 60.0, 70.0, 5.0), [34.0, 0.0, 14.0], [0.0; 3]),
        put(&block(126.0, 40.0, 10.0, 5.0), [92.0, 0.0, 74.0], [0.0; 3]),
        put(&drum(11.0, 90.0, 3.0), [138.0, 0.0, 66.0], [0.0; 3]),
        put(&drum(15.0, 40.0, 3.0), [138.0, 0.0, 84.0], [0.0; 3]),
    ]
}

/// Holds the hose away from the arm, out to the side.
fn hose_bracket() -> Parts {
    vec![
        put(&block(40.0, 12.0, 34.0, 4.0), [0.0, 30.0, 16.0], [0.0; 3]),
        put(&block(26.0, 86.0, 9.0, 4.0), [0.0, 70.0, 40.0], [0.0; 3]),
        put(&pipe(18.0, 12.0, 20.0), [0.0, 116.0, 34.0], [0.0; 3]),
        bar(
            &curve([
                [0.0, 116.0, 36.0],
                [0.0, 120.0, 90.0],
                [34.0, 122.0, 150.0],
                [96.0, 122.0, 222.0],
            ]),
            9.0,
        ),
    ]
}

fn gripper() -> Parts {
    let mut parts = vec![
        drum(40.0, 14.0, 2.0),
        put(&block(70.0, 150.0, 74.0, 14.0), [0.0, 0.0, 12.0], [0.0; 3]),
        put(&block(56.0, 250.0, 20.0, 6.0), [0.0, 0.0, 84.0], [0.0; 3]),
        put(
            &drum(10.0, 30.0, 2.0),
            [-35.0, 40.0, 50.0],
            [0.0, -90.0, 0.0],
        ),
        put(
            &drum(10.0, 30.0, 2.0),
            [-35.0, -40.0, 50.0],
            [0.0, -90.0, 0.0],
        ),
    ];
    parts.extend(bolt_circle(6, 31.0, 4.0, 14.0));
    parts
}

fn finger() -> Parts {
    vec![
        block(44.0, 26.0, 16.0, 4.0),
        put(&block(34.0, 18.0, 116.0, 4.0), [0.0, 0.0, 12.0], [0.0; 3]),
        put(&block(40.0, 12.0, 34.0, 4.0), [0.0, -12.0, 94.0], [0.0; 3]),
    ]
}

fn pedestal() -> Parts {
    let mut parts = vec![
        block(520.0, 520.0, 22.0, 14.0),
        put(
            &block(380.0, 380.0, 310.0, 26.0),
            [0.0, 0.0, 20.0],
            [0.0; 3],
        ),
        put(
            &block(440.0, 440.0, 24.0, 14.0),
            [0.0, 0.0, 326.0],
            [0.0; 3],
        ),
    ];
    for (x, y) in [(1.0, 1.0), (1.0, -1.0), (-1.0, 1.0), (-1.0, -1.0)] {
        parts.extend(
            bolt_circle(1, 0.0, 18.0, 22.0)
                .iter()
                .map(|b| put(b, [x * 230.0, y * 230.0, 0.0], [0.0; 3])),
        );
    }
    parts
}

fn fixture_plate() -> Parts {
    let mut parts = vec![
        block(460.0, 460.0, 26.0, 14.0),
        put(&block(300.0, 300.0, 24.0, 10.0), [0.0, 0.0, 24.0], [0.0; 3]),
    ];
    parts.extend(bolt_circle(8, 200.0, 9.0, 26.0));
    parts
}

fn pins() -> Parts {
    let pin = turned(
        &[
            (0.0, 0.0),
            (14.0, 0.0),
            (14.0, 22.0),
            (9.0, 24.0),
            (9.0, 40.0),
            (5.0, 46.0),
            (0.0, 46.0),
        ],
        32,
    );
    vec![
        put(&pin, [118.0, 0.0, 0.0], [0.0; 3]),
        put(&pin, [-118.0, 0.0, 0.0], [0.0; 3]),
    ]
}

/// A toggle clamp that reaches along its −X over what it holds, opened by so many degrees.
fn clamp(open: f64) -> Parts {
    const PIVOT: [f64; 3] = [14.0, 0.0, 88.0];
    let arm = [
        put(
            &plate(&tapered(17.0, 10.0, 104.0), 14.0, 3.0),
            [14.0, 7.0, 88.0],
            [90.0, 0.0, 180.0],
        ),
        put(
            &turned(
                &[
                    (0.0, 0.0),
                    (11.0, 0.0),
                    (11.0, 8.0),
                    (5.0, 12.0),
                    (5.0, 52.0),
                    (0.0, 52.0),
                ],
                24,
            ),
            [-86.0, 0.0, 46.0],
            [0.0; 3],
        ),
        bar(
            &curve([
                [16.0, 0.0, 90.0],
                [34.0, 0.0, 104.0],
                [10.0, 0.0, 140.0],
                [-6.0, 0.0, 178.0],
            ]),
            9.0,
        ),
    ];
    let swung = |part: &TriangleMesh| {
        let about = put(part, PIVOT.map(|x| -x), [0.0; 3]);
        put(&about, PIVOT, [0.0, open, 0.0])
    };
    let upright = |y: f64| {
        put(
            &plate(&tapered(22.0, 16.0, 74.0), 12.0, 3.0),
            [8.0, y, 14.0],
            [90.0, -80.0, 0.0],
        )
    };
    let stands = [
        block(64.0, 46.0, 12.0, 5.0),
        upright(17.0),
        upright(-5.0),
        put(&drum(9.0, 40.0, 2.0), [14.0, -20.0, 88.0], ALONG_Y),
    ];
    stands.into_iter().chain(arm.iter().map(swung)).collect()
}

/// A pump housing: one hollow turned body with two flanges, and a side outlet.
fn housing() -> Parts {
    let body = turned(
        &[
            (52.0, 0.0),
            (104.0, 0.0),
            (108.0, 3.0),
            (108.0, 15.0),
            (104.0, 18.0),
            (82.0, 20.0),
            (74.0, 28.0),
            (72.0, 60.0),
            (84.0, 84.0),
            (84.0, 104.0),
            (72.0, 128.0),
            (74.0, 144.0),
            (82.0, 150.0),
            (102.0, 151.0),
            (106.0, 154.0),
            (106.0, HOUSING_HEIGHT - 3.0),
            (103.0, HOUSING_HEIGHT),
            (54.0, HOUSING_HEIGHT),
            (50.0, HOUSING_HEIGHT - 4.0),
            (50.0, 130.0),
            (62.0, 108.0),
            (62.0, 80.0),
            (50.0, 56.0),
            (50.0, 4.0),
        ],
        72,
    );
    let outlet = turned(
        &[
            (26.0, 58.0),
            (34.0, 58.0),
            (34.0, 76.0),
            (40.0, 78.0),
            (43.0, 80.0),
            (43.0, 90.0),
            (40.0, 92.0),
            (28.0, 92.0),
            (26.0, 90.0),
        ],
        48,
    );
    let mut parts = vec![body, put(&outlet, [0.0, 0.0, 94.0], [0.0, 90.0, -40.0])];
    parts.extend(bolt_circle(8, 90.0, 7.0, 18.0));
    parts
}

/// A stiffening rib cast to a housing: 12 mm thick, standing on z = 0, its edge outwards along X.
fn rib() -> Parts {
    vec![plate(
        &[
            [-40.0, -6.0],
            [3.0, -6.0],
            [9.0, 0.0],
            [3.0, 6.0],
            [-40.0, 6.0],
        ],
        44.0,
        1.5,
    )]
}

fn camera_mast() -> Parts {
    vec![
        block(260.0, 260.0, 18.0, 10.0),
        put(&block(90.0, 90.0, 2050.0, 10.0), [0.0, 0.0, 16.0], [0.0; 3]),
        put(
            &block(70.0, 560.0, 70.0, 8.0),
            [0.0, -240.0, 2010.0],
            [0.0; 3],
        ),
        put(
            &block(90.0, 100.0, 120.0, 12.0),
            [0.0, -480.0, 1896.0],
            [0.0; 3],
        ),
        put(&drum(34.0, 70.0, 5.0), [0.0, -480.0, 1834.0], [0.0; 3]),
        put(&drum(40.0, 16.0, 4.0), [0.0, -480.0, 1826.0], [0.0; 3]),
    ]
}

fn purge_post() -> Parts {
    vec![
        block(240.0, 240.0, 16.0, 10.0),
        put(
            &block(110.0, 110.0, 560.0, 12.0),
            [0.0, 0.0, 14.0],
            [0.0; 3],
        ),
        put(
            &block(220.0, 160.0, 14.0, 10.0),
            [0.0, 0.0, 570.0],
            [0.0; 3],
        ),
        put(
            &turned(
                &[
                    (54.0, 8.0),
                    (54.0, 120.0),
                    (62.0, 120.0),
                    (64.0, 116.0),
                    (64.0, 4.0),
                    (60.0, 0.0),
                    (0.1, 0.0),
                    (0.1, 8.0),
                ],
                48,
            ),
            [-40.0, 0.0, 584.0],
            [0.0; 3],
        ),
    ]
}

fn brush() -> Parts {
    let mut parts = vec![block(40.0, 120.0, 26.0, 5.0)];
    for i in 0..9 {
        parts.push(put(
            &drum(4.0, 62.0, 1.0),
            [0.0, -48.0 + 12.0 * f64::from(i), 24.0],
            [0.0; 3],
        ));
    }
    parts
}

fn rack() -> Parts {
    let mut parts = Parts::new();
    for (x, y) in [
        (-580.0, -190.0),
        (580.0, -190.0),
        (-580.0, 190.0),
        (580.0, 190.0),
    ] {
        parts.push(put(&block(60.0, 60.0, 930.0, 6.0), [x, y, 0.0], [0.0; 3]));
    }
    for z in [420.0, 860.0] {
        parts.push(put(
            &block(1200.0, 440.0, 30.0, 8.0),
            [0.0, 0.0, z],
            [0.0; 3],
        ));
    }
    parts
}

fn cabinet() -> Parts {
    vec![
        block(800.0, 440.0, 90.0, 10.0),
        put(
            &block(780.0, 420.0, 1660.0, 14.0),
            [0.0, 0.0, 88.0],
            [0.0; 3],
        ),
        put(
            &block(366.0, 16.0, 1560.0, 6.0),
            [-192.0, -214.0, 130.0],
            [0.0; 3],
        ),
        put(
            &block(366.0, 16.0, 1560.0, 6.0),
            [192.0, -214.0, 130.0],
            [0.0; 3],
        ),
        put(
            &block(24.0, 30.0, 150.0, 6.0),
            [-34.0, -232.0, 860.0],
            [0.0; 3],
        ),
        put(
            &block(300.0, 14.0, 190.0, 5.0),
            [-192.0, -226.0, 1330.0],
            [0.0; 3],
        ),
        put(
            &drum(14.0, 18.0, 3.0),
            [120.0, -222.0, 1400.0],
            [90.0, 0.0, 0.0],
        ),
        put(
            &drum(14.0, 18.0, 3.0),
            [180.0, -222.0, 1400.0],
            [90.0, 0.0, 0.0],
        ),
        put(
            &drum(20.0, 22.0, 3.0),
            [260.0, -222.0, 1400.0],
            [90.0, 0.0, 0.0],
        ),
    ]
}

/// 1,000 mm wide, along X from its post.
fn fence_panel() -> Parts {
    let mut parts = vec![
        block(120.0, 120.0, 12.0, 4.0),
        block(50.0, 50.0, 2000.0, 5.0),
        put(
            &block(950.0, 24.0, 24.0, 4.0),
            [500.0, 0.0, 150.0],
            [0.0; 3],
        ),
        put(
            &block(950.0, 24.0, 24.0, 4.0),
            [500.0, 0.0, 1950.0],
            [0.0; 3],
        ),
    ];
    for i in 0..19 {
        let x = 50.0 + 50.0 * f64::from(i);
        parts.push(put(
            &block(6.0, 6.0, 1790.0, 1.0),
            [x, 0.0, 168.0],
            [0.0; 3],
        ));
    }
    for i in 0..4 {
        let z = 480.0 + 400.0 * f64::from(i);
        parts.push(put(&block(950.0, 6.0, 6.0, 1.0), [500.0, 6.0, z], [0.0; 3]));
    }
    parts
}

fn gate() -> Parts {
    let mut parts = fence_panel();
    parts.push(put(
        &block(60.0, 60.0, 140.0, 8.0),
        [950.0, -30.0, 1000.0],
        [0.0; 3],
    ));
    parts.push(put(
        &bar(
            &curve([
                [930.0, -40.0, 900.0],
                [930.0, -90.0, 920.0],
                [930.0, -90.0, 1080.0],
                [930.0, -40.0, 1100.0],
            ]),
            10.0,
        ),
        [0.0; 3],
        [0.0; 3],
    ));
    parts
}

fn floor_duct() -> Parts {
    vec![block(160.0, 1300.0, 60.0, 10.0)]
}

/// The rail's base link: 3 m along Y.
fn rail() -> Parts {
    let mut parts = vec![put(
        &block(620.0, 3300.0, 90.0, 20.0),
        [0.0, 0.0, 0.0],
        [0.0; 3],
    )];
    for x in [-210.0, 210.0] {
        parts.push(put(
            &block(90.0, 3240.0, 50.0, 8.0),
            [x, 0.0, 88.0],
            [0.0; 3],
        ));
        parts.push(put(
            &block(52.0, 3240.0, 46.0, 6.0),
            [x, 0.0, 136.0],
            [0.0; 3],
        ));
    }
    for y in [-1640.0, 1640.0] {
        parts.push(put(
            &block(560.0, 40.0, 110.0, 8.0),
            [0.0, y, 88.0],
            [0.0; 3],
        ));
    }
    parts.push(put(
        &block(90.0, 2900.0, 60.0, 10.0),
        [-380.0, 0.0, 0.0],
        [0.0; 3],
    ));
    parts
}

/// The carriage, whose frame lies on its top.
fn carriage() -> Parts {
    let mut parts = vec![put(
        &block(560.0, 520.0, 48.0, 24.0),
        [0.0, 0.0, -48.0],
        [0.0; 3],
    )];
    for (x, y) in [
        (-210.0, -180.0),
        (210.0, -180.0),
        (-210.0, 180.0),
        (210.0, 180.0),
    ] {
        parts.push(put(
            &block(110.0, 110.0, 52.0, 8.0),
            [x, y, -96.0],
            [0.0; 3],
        ));
        parts.extend(
            bolt_circle(1, 0.0, 14.0, 0.0)
                .iter()
                .map(|b| put(b, [x, y * 1.2, 0.0], [0.0; 3])),
        );
    }
    parts.push(put(&drum(56.0, 120.0, 8.0), [-340.0, 0.0, -90.0], [0.0; 3]));
    parts.push(put(
        &block(130.0, 120.0, 40.0, 10.0),
        [-310.0, 0.0, -60.0],
        [0.0; 3],
    ));
    parts
}

fn table_foot() -> Parts {
    let mut parts = vec![
        turned(
            &[
                (0.0, 0.0),
                (310.0, 0.0),
                (320.0, 10.0),
                (320.0, 34.0),
                (300.0, 44.0),
                (190.0, 60.0),
                (170.0, 90.0),
                (165.0, 520.0),
                (190.0, 560.0),
                (250.0, 580.0),
                (250.0, 640.0),
                (240.0, 652.0),
                (0.0, 656.0),
            ],
            64,
        ),
        put(
            &block(150.0, 120.0, 190.0, 14.0),
            [-200.0, 0.0, 300.0],
            [0.0; 3],
        ),
    ];
    parts.extend(bolt_circle(12, 285.0, 14.0, 42.0));
    parts
}

fn table_top() -> Parts {
    let mut parts = vec![
        drum(240.0, 30.0, 5.0),
        put(
            &block(1560.0, 620.0, 42.0, 40.0),
            [0.0, 0.0, 28.0],
            [0.0; 3],
        ),
        put(&block(10.0, 600.0, 420.0, 3.0), [0.0, 0.0, 68.0], [0.0; 3]),
    ];
    parts.extend(bolt_circle(10, 190.0, 10.0, 70.0));
    parts
}
