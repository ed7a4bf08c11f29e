//! Parts that were made by `manifold3d`: their faces, and what two of them share.

use selvik_core::mesh::{Face, Features, Model, TriangleMesh};
use selvik_core::section::shared_mass;
use selvik_core::spatial::Pose;
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, MeshConvention, UpAxis, read_mesh};
use serde_json::Value;

/// Turned and drilled parts cut by `manifold3d` (`tools/reference/features.py`): every cylinder within 0.1 % of its diameter,
/// and nothing found that was not made.
#[rstest::rstest]
#[case("plate")]
#[case("shaft")]
#[case("block")]
fn faces_of_parts_that_were_turned_and_drilled_have_their_sizes(#[case] name: &str) {
    let all = super::golden(include_str!("../golden/features.json"));
    let made_of = &all["parts"][name];
    let mesh = part(name);
    let features = Features::of(&mesh);
    let found = |tell: &dyn Fn(&Face, Model) -> Option<Vec<f64>>| {
        let told = features.faces().iter();
        let mut told: Vec<Vec<f64>> = told.filter_map(|f| tell(f, f.model?)).collect();
        told.sort_by(|a, b| a[0].total_cmp(&b[0]));
        told
    };
    let wanted = |key: &str| {
        let list = made_of[key].as_array().expect("a list").iter();
        let sizes = |v: &Value| match v.as_array() {
            Some(several) => several
                .iter()
                .map(|x| x.as_f64().expect("a number"))
                .collect(),
            None => vec![v.as_f64().expect("a number")],
        };
        let mut wanted: Vec<Vec<f64>> = list.map(sizes).collect();
        wanted.sort_by(|a, b| a[0].total_cmp(&b[0]));
        wanted
    };
    let walls = |hollow: bool| {
        // The round ends of a slot are told as the slot.
        let ends: Vec<usize> = features
            .slots()
            .iter()
            .flat_map(|s| [s.faces[0], s.faces[1]])
            .collect();
        let is_end = |f: &Face| ends.iter().any(|&e| std::ptr::eq(&features.faces()[e], f));
        found(&|f, m| match m {
            Model::Cylinder { radius, .. } if f.hollow == hollow && !is_end(f) => {
                Some(vec![radius * 2e3])
            }
            _ => None,
        })
    };
    let slots: Vec<Vec<f64>> = features
        .slots()
        .iter()
        .map(|s| vec![s.width * 1e3, s.between_centres() * 1e3])
        .collect();
    let told = [
        ("holes", walls(true)),
        ("pins", walls(false)),
        ("slots", slots),
        (
            "cones",
            found(&|_, m| match m {
                Model::Cone { half_angle, .. } => Some(vec![half_angle.to_degrees()]),
                _ => None,
            }),
        ),
        (
            "spheres",
            found(&|_, m| match m {
                Model::Sphere { radius, .. } => Some(vec![radius * 2e3]),
                _ => None,
            }),
        ),
        (
            "tori",
            found(&|_, m| match m {
                Model::Torus { radius, tube, .. } => Some(vec![radius * 2e3, tube * 2e3]),
                _ => None,
            }),
        ),
    ];
    for (key, told) in told {
        let wanted = wanted(key);
        assert_eq!(told.len(), wanted.len(), "{key}: {told:?}, not {wanted:?}");
        for (told, wanted) in told.iter().zip(&wanted) {
            for (size, made) in told.iter().zip(wanted) {
                assert!(
                    (size / made - 1.0).abs() < 1e-3,
                    "{key}: {told:?}, not {wanted:?}"
                );
            }
        }
    }
    assert!(features.faces().iter().all(|f| f.worst < 1e-6));
}

fn part(name: &str) -> TriangleMesh {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/golden/features");
    let bytes = std::fs::read(folder.join(format!("{name}.stl"))).expect("a golden file");
    let mut files = PackageFiles::default();
    files.insert("part.stl", bytes).expect("a plain name");
    let convention = MeshConvention {
        unit: LengthUnit::Mm,
        up: UpAxis::Z,
    };
    let read = read_mesh(&files, "part.stl", convention, "a test");
    read.expect("readable").mesh
}

/// Volumes of what two parts share, within 1e-6 of `manifold3d`'s.
#[test]
fn two_parts_share_what_manifold3d_says() {
    let all = super::golden(include_str!("../golden/features.json"));
    let cases = all["shared"].as_array().expect("cases");
    assert_eq!(cases.len(), 3);
    for case in cases {
        let name = |key: &str| case[key].as_str().expect("a name");
        let by: [f64; 3] = super::numbers(&case["by_mm"]);
        let pose = Pose::translation(by[0] * 1e-3, by[1] * 1e-3, by[2] * 1e-3);
        let (a, b) = (part(name("a")), part(name("b")).moved(&pose));
        let shared = shared_mass(&a, &b).expect("closed").volume * 1e9;
        let wanted = case["volume_mm3"].as_f64().expect("a volume");
        assert!(wanted > 100.0, "they overlap");
        assert!((shared / wanted - 1.0).abs() < 1e-6, "{case}: {shared}");
    }
}
