//! The six-axis arm that stands twice in the cell, and its URDF.

use selvik_formats::PackageFiles;

use crate::kit::{
    ALONG_X, ALONG_Y, Parts, bar, block, bolt_circle, curve, drum, plate, put, stl, tapered, turned,
};

/// Where the URDF is in the package.
pub const URDF: &str = "robots/arm.urdf";

/// Link, and the joint that moves it: type, parent, origin (m), axis, limits (degrees), speed
/// (degrees/s).
type JointRow = (
    &'static str,
    &'static str,
    [f64; 3],
    [f64; 3],
    [f64; 2],
    f64,
);

const JOINTS: [JointRow; 6] = [
    (
        "column",
        "base",
        [0.0, 0.0, 0.28],
        [0.0, 0.0, 1.0],
        [-175.0, 175.0],
        180.0,
    ),
    (
        "upper_arm",
        "column",
        [0.16, 0.0, 0.2],
        [0.0, 1.0, 0.0],
        [-100.0, 140.0],
        160.0,
    ),
    (
        "forearm",
        "upper_arm",
        [0.0, 0.0, 0.62],
        [0.0, 1.0, 0.0],
        [-190.0, 75.0],
        180.0,
    ),
    (
        "wrist_roll",
        "forearm",
        [0.3, 0.0, 0.12],
        [1.0, 0.0, 0.0],
        [-190.0, 190.0],
        280.0,
    ),
    (
        "wrist",
        "wrist_roll",
        [0.36, 0.0, 0.0],
        [0.0, 1.0, 0.0],
        [-125.0, 125.0],
        280.0,
    ),
    (
        "flange",
        "wrist",
        [0.095, 0.0, 0.0],
        [1.0, 0.0, 0.0],
        [-400.0, 400.0],
        400.0,
    ),
];

/// Adds the URDF and its meshes.
pub fn write(files: &mut PackageFiles) {
    let links: [(&str, Parts); 7] = [
        ("base", base()),
        ("column", column()),
        ("upper_arm", upper_arm()),
        ("forearm", forearm()),
        ("wrist_roll", wrist_roll()),
        ("wrist", wrist()),
        ("flange", flange()),
    ];
    let mut urdf = String::from("<?xml version=\"1.0\"?>\n<robot name=\"arm\">\n");
    for (name, parts) in links {
        files
            .insert(&format!("robots/arm/{name}.stl"), stl(parts))
            .expect("a plain name");
        urdf += &format!(
            "  <link name=\"{name}\">\n    <visual><geometry><mesh filename=\"arm/{name}.stl\" scale=\"0.001 0.001 0.001\"/></geometry></visual>\n  </link>\n"
        );
    }
    for (index, (child, parent, xyz, axis, [low, high], speed)) in JOINTS.iter().enumerate() {
        let three = |v: &[f64; 3]| format!("{} {} {}", v[0], v[1], v[2]);
        urdf += &format!(
            "  <joint name=\"joint_{}\" type=\"revolute\">\n    <parent link=\"{parent}\"/><child link=\"{child}\"/>\n    <origin xyz=\"{}\"/><axis xyz=\"{}\"/>\n    <limit lower=\"{}\" upper=\"{}\" velocity=\"{}\" effort=\"0\"/>\n  </joint>\n",
            index + 1,
            three(xyz),
            three(axis),
            low.to_radians(),
            high.to_radians(),
            speed.to_radians(),
        );
    }
    // The mechanical interface (ISO 9787): Z points away from the arm.
    urdf += "  <link name=\"interface\"/>\n  <joint name=\"interface_joint\" type=\"fixed\">\n    <parent link=\"flange\"/><child link=\"interface\"/>\n    <origin xyz=\"0.02 0 0\" rpy=\"0 1.5707963267948966 0\"/>\n  </joint>\n</robot>\n";
    files.insert(URDF, urdf.into_bytes()).expect("a plain name");
}

fn base() -> Parts {
    let mut parts = vec![
        block(340.0, 340.0, 36.0, 40.0),
        turned(
            &[
                (0.0, 36.0),
                (150.0, 36.0),
                (150.0, 60.0),
                (128.0, 92.0),
                (122.0, 180.0),
                (138.0, 212.0),
                (150.0, 218.0),
                (150.0, 268.0),
                (144.0, 276.0),
                (0.0, 276.0),
            ],
            64,
        ),
        put(
            &block(110.0, 150.0, 120.0, 16.0),
            [-150.0, 0.0, 40.0],
            [0.0; 3],
        ),
        put(
            &drum(22.0, 40.0, 3.0),
            [-205.0, 30.0, 105.0],
            [0.0, -90.0, 0.0],
        ),
        put(
            &drum(16.0, 34.0, 3.0),
            [-205.0, -34.0, 105.0],
            [0.0, -90.0, 0.0],
        ),
    ];
    for (x, y) in [(1.0, 1.0), (1.0, -1.0), (-1.0, 1.0), (-1.0, -1.0)] {
        parts.extend(
            bolt_circle(1, 0.0, 17.0, 36.0)
                .iter()
                .map(|b| put(b, [x * 140.0, y * 140.0, 0.0], [0.0; 3])),
        );
    }
    parts
}

fn column() -> Parts {
    let mut parts = vec![
        turned(
            &[
                (0.0, 2.0),
                (146.0, 2.0),
                (152.0, 8.0),
                (152.0, 62.0),
                (140.0, 78.0),
                (132.0, 118.0),
                (96.0, 150.0),
                (0.0, 158.0),
            ],
            64,
        ),
        // The shoulder: two cheeks that hold axis 2.
        put(
            &plate(&tapered(118.0, 108.0, 150.0), 84.0, 12.0),
            [30.0, 122.0, 120.0],
            [90.0, -28.0, 0.0],
        ),
        put(&drum(112.0, 86.0, 12.0), [160.0, 36.0, 200.0], ALONG_Y),
        put(&drum(86.0, 36.0, 8.0), [160.0, 118.0, 200.0], ALONG_Y),
        put(&drum(62.0, 92.0, 8.0), [-60.0, 40.0, 110.0], [0.0; 3]),
        put(&drum(40.0, 24.0, 5.0), [-60.0, 40.0, 200.0], [0.0; 3]),
    ];
    parts.extend(
        bolt_circle(8, 70.0, 9.0, 154.0)
            .iter()
            .map(|b| put(b, [160.0, 0.0, 200.0], ALONG_Y)),
    );
    parts
}

fn upper_arm() -> Parts {
    let outline = tapered(106.0, 84.0, 620.0);
    let up = [90.0, -90.0, 0.0];
    let mut parts = vec![
        put(&plate(&outline, 78.0, 14.0), [0.0, 32.0, 0.0], up),
        put(&drum(110.0, 88.0, 12.0), [0.0, -56.0, 0.0], ALONG_Y),
        put(&drum(82.0, 26.0, 8.0), [0.0, -82.0, 0.0], ALONG_Y),
        put(&drum(86.0, 90.0, 10.0), [0.0, -56.0, 620.0], ALONG_Y),
        put(
            &plate(&tapered(58.0, 44.0, 330.0), 18.0, 6.0),
            [0.0, -44.0, 150.0],
            up,
        ),
        // Cable guide along the back.
        bar(
            &curve([
                [-112.0, -20.0, 40.0],
                [-150.0, -20.0, 200.0],
                [-128.0, -20.0, 420.0],
                [-90.0, -20.0, 600.0],
            ]),
            15.0,
        ),
        put(
            &block(44.0, 56.0, 26.0, 6.0),
            [-112.0, -20.0, 130.0],
            [0.0, 4.0, 0.0],
        ),
        put(
            &block(40.0, 56.0, 26.0, 6.0),
            [-106.0, -20.0, 440.0],
            [0.0, -6.0, 0.0],
        ),
    ];
    parts.extend(
        bolt_circle(8, 64.0, 9.0, 0.0)
            .iter()
            .map(|b| put(b, [0.0, -82.0, 0.0], [90.0, 0.0, 0.0])),
    );
    parts
}

fn forearm() -> Parts {
    let mut parts = vec![
        put(&drum(88.0, 86.0, 12.0), [0.0, 38.0, 0.0], ALONG_Y),
        put(&drum(64.0, 22.0, 7.0), [0.0, 122.0, 0.0], ALONG_Y),
        put(
            &block(200.0, 112.0, 150.0, 30.0),
            [18.0, 68.0, 34.0],
            [0.0; 3],
        ),
        put(
            &turned(
                &[
                    (0.0, -96.0),
                    (70.0, -96.0),
                    (82.0, -84.0),
                    (84.0, 60.0),
                    (78.0, 150.0),
                    (80.0, 262.0),
                    (72.0, 292.0),
                    (66.0, 297.0),
                    (0.0, 297.0),
                ],
                56,
            ),
            [0.0, 0.0, 120.0],
            ALONG_X,
        ),
        put(
            &drum(40.0, 64.0, 6.0),
            [-94.0, 34.0, 146.0],
            [0.0, -90.0, 0.0],
        ),
        put(
            &drum(34.0, 58.0, 6.0),
            [-94.0, -30.0, 122.0],
            [0.0, -90.0, 0.0],
        ),
    ];
    parts.extend(
        bolt_circle(8, 48.0, 7.0, 144.0)
            .iter()
            .map(|b| put(b, [0.0, 0.0, 0.0], ALONG_Y)),
    );
    parts
}

fn wrist_roll() -> Parts {
    let cheek = plate(&tapered(60.0, 50.0, 120.0), 27.0, 8.0);
    let mut parts = vec![
        put(
            &turned(
                &[
                    (0.0, 1.0),
                    (64.0, 1.0),
                    (68.0, 6.0),
                    (68.0, 30.0),
                    (60.0, 52.0),
                    (54.0, 200.0),
                    (62.0, 226.0),
                    (60.0, 250.0),
                    (0.0, 256.0),
                ],
                48,
            ),
            [0.0; 3],
            ALONG_X,
        ),
        put(&cheek, [240.0, 72.0, 0.0], [90.0, 0.0, 0.0]),
        put(&cheek, [240.0, -45.0, 0.0], [90.0, 0.0, 0.0]),
        put(&drum(44.0, 14.0, 5.0), [360.0, 70.0, 0.0], ALONG_Y),
        put(&drum(44.0, 14.0, 5.0), [360.0, -84.0, 0.0], ALONG_Y),
    ];
    for angle in [40.0, 140.0] {
        parts.push(
            put(&block(16.0, 26.0, 14.0, 4.0), [120.0, 0.0, 54.0], [0.0; 3]).moved(
                &selvik_core::spatial::pose_from_rpy(
                    [0.0; 3],
                    [f64::to_radians(angle - 90.0), 0.0, 0.0],
                ),
            ),
        );
    }
    parts
}

fn wrist() -> Parts {
    vec![
        put(&drum(48.0, 84.0, 7.0), [0.0, -42.0, 0.0], ALONG_Y),
        put(
            &turned(
                &[
                    (0.0, 0.0),
                    (42.0, 0.0),
                    (46.0, 30.0),
                    (46.0, 86.0),
                    (42.0, 92.0),
                    (0.0, 92.0),
                ],
                48,
            ),
            [0.0; 3],
            ALONG_X,
        ),
    ]
}

fn flange() -> Parts {
    let mut parts = vec![put(&drum(40.0, 18.0, 3.0), [2.0, 0.0, 0.0], ALONG_X)];
    parts.extend(
        bolt_circle(6, 28.0, 4.0, 0.0)
            .iter()
            .map(|b| put(b, [17.0, 0.0, 0.0], ALONG_X)),
    );
    parts
}
