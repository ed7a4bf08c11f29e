//! Faces of parts that were made by `manifold3d`.

use selvik_core::mesh::{Face, Features, Model};
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, MeshConvention, UpAxis, read_mesh};
use serde_json::Value;

/// Turned and drilled parts cut by `manifold3d` (`tools/reference/features.py`): every cylinder within 0.1 % of its diameter,
/// and nothing found that was not made.
#[rstest::rstest]
#[case("plate", include_bytes!("../golden/features/plate.stl").as_slice())]
#[case("shaft", include_bytes!("../golden/features/shaft.stl").as_slice())]
#[case("block", include_bytes!("../golden/features/block.stl").as_slice())]
fn faces_of_parts_that_were_turned_and_drilled_have_their_sizes(
    #[case] name: &str,
    #[case] file: &[u8],
) {
    let all = super::golden(include_str!("../golden/features.json"));
    let made_of = &all["parts"][name];
    let mut files = PackageFiles::default();
    files
        .insert("part.stl", file.to_vec())
        .expect("a plain name");
    let convention = MeshConvention {
        unit: LengthUnit::Mm,
        up: UpAxis::Z,
    };
    let read = read_mesh(&files, "part.stl", convention, "a test");
    let mesh = read.expect("readable").mesh;
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
