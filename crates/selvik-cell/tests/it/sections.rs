//! What sections leave of a cell: faces in closed form, cuts that move with a frame, hatching, overlaps, refusals.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::{
    CellDocument, KeptSectionDocument, SectionDocument, SectionShapeDocument,
};
use selvik_cell::edit::Edit;
use selvik_cell::questions::Asked;
use selvik_cell::reach::OutlineOf;
use selvik_cell::section_drawing::{Drawn, DrawnReach, SectionDrawing, section_drawing};
use selvik_cell::sections::{Cuts, SectionFaces, section_faces};
use selvik_formats::PackageFiles;
use selvik_formats::drawing::write_svg;
use serde_json::{Value, json};

use crate::programmed::done;

/// A plate of 400 × 400 × 20, a pin of 100 × 100 × 300 through it, a block beside it, and a table that turns the block.
fn workcell() -> (CellDocument, Workcell) {
    let boxed = |id: &str, xyz: [f64; 3], size: [f64; 3], parent: Option<&str>| {
        json!({"id": id, "name": id, "role": "part", "parent": parent, "pose": {"xyz_mm": xyz},
            "bodies": [{"shape": {"box": {"size_mm": size}}}]})
    };
    let text = json!({"format": "selvik-cell/1", "name": "Sections", "items": [
        boxed("plate", [0.0; 3], [400.0, 400.0, 20.0], None),
        boxed("pin", [0.0; 3], [100.0, 100.0, 300.0], None),
        boxed("block", [300.0, 0.0, 0.0], [200.0, 200.0, 200.0], None),
        {"id": "tip", "name": "Tip", "role": "frame", "parent": "block", "pose": {"xyz_mm": [50, 0, 0], "rpy_deg": [0, 90, 0]}},
    ]});
    let mut files = PackageFiles::default();
    let text = text.to_string().into_bytes();
    files.insert("cell.json", text).expect("a plain name");
    let workcell = Workcell::read(&files).expect("readable");
    (workcell.document.clone(), workcell)
}

fn faces(sections: &[SectionDocument], items: &[&str]) -> SectionFaces {
    let (_, workcell) = workcell();
    let poses = workcell.assembly.poses(&workcell.rest);
    let cuts = Cuts {
        sections: sections.to_vec(),
        items: items.iter().map(|i| (*i).to_owned()).collect(),
        overlaps: true,
    };
    section_faces(&workcell, &poses, &cuts).expect("cut")
}

fn section(value: Value) -> SectionDocument {
    serde_json::from_value(value).expect("a section")
}

fn level(z: f64) -> SectionDocument {
    SectionDocument::plane([0.0, 0.0, z], [0.0, 0.0, 3.0])
}

/// Areas in closed form, mm².
#[rstest]
#[case::a_plane(level(5.0), &["plate"], 160_000.0)]
#[case::nothing_of_what_is_not_asked_for(level(5.0), &["block"], 40_000.0)]
#[case::a_slab(section(json!({"point_mm": [0, 0, 5], "normal": [0, 0, 1], "shape": {"slab": {"thickness_mm": 100}}})), &["pin"], 20_000.0)]
#[case::a_quarter(section(json!({"point_mm": [0, 0, 0], "normal": [1, 0, 0], "shape": {"corner": {"others": [[0, 1, 0]]}}})), &["pin"], 30_000.0)]
#[case::an_eighth(section(json!({"point_mm": [0, 0, 0], "normal": [1, 0, 0], "shape": {"corner": {"others": [[0, 1, 0], [0, 0, 1]]}}})), &["pin"], 2.0 * 7_500.0 + 2_500.0)]
#[case::fixed_to_a_frame(section(json!({"point_mm": [0, 0, 10], "normal": [0, 0, 1], "fixed_to": "tip"})), &["block"], 40_000.0)]
#[case::beside_everything(level(900.0), &["plate", "pin", "block"], 0.0)]
fn faces_have_the_area_geometry_says(
    #[case] section: SectionDocument,
    #[case] items: &[&str],
    #[case] area_mm2: f64,
) {
    let found = faces(&[section], items);
    assert!(found.area_mm2.is_sign_positive());
    assert!(
        (found.area_mm2 - area_mm2).abs() < 1e-3,
        "{}",
        found.area_mm2
    );
}

#[test]
fn a_face_says_what_cut_it_and_where_its_middle_is() {
    let slab = json!({"point_mm": [0, 0, 5], "normal": [0, 0, 1], "shape": {"slab": {"thickness_mm": 100}}});
    let aside = SectionDocument::plane([350.0, 0.0, 0.0], [1.0, 0.0, 0.0]);
    let found = faces(&[section(slab), aside], &["block"]);
    let told: Vec<_> = found
        .faces
        .iter()
        .map(|f| (f.section, f.plane, f.normal))
        .collect();
    let (up, down, right) = ([0.0, 0.0, 1.0], [0.0, 0.0, -1.0], [1.0, 0.0, 0.0]);
    assert_eq!(told, [(0, 0, up), (0, 1, down), (1, 0, right)]);
    let middles: Vec<_> = found
        .faces
        .iter()
        .map(|f| f.centroid_mm.expect("closed"))
        .collect();
    for (middle, wanted) in
        middles
            .iter()
            .zip([[275.0, 0.0, 5.0], [275.0, 0.0, -95.0], [350.0, 0.0, -45.0]])
    {
        assert!(
            middle.iter().zip(wanted).all(|(a, b)| (a - b).abs() < 1e-6),
            "{middle:?}"
        );
    }
    assert!((found.faces[2].perimeter_mm - 600.0).abs() < 1e-6);
}

#[test]
fn neighbours_are_hatched_differently_and_where_they_overlap_is_told() {
    let found = faces(&[level(5.0)], &["plate", "pin", "block"]);
    let hatch = |item: &str| {
        found
            .faces
            .iter()
            .find(|f| f.item == item)
            .expect("cut")
            .hatch
    };
    assert_ne!(hatch("plate"), hatch("pin"));
    assert_eq!(hatch("pin"), hatch("block"));
    let overlaps: Vec<_> = found
        .overlaps
        .iter()
        .map(|o| (o.items.clone(), o.area_mm2.round()))
        .collect();
    let of = |a: &str, b: &str| [a.to_owned(), b.to_owned()];
    assert_eq!(overlaps, [(of("plate", "pin"), 10_000.0)]);
}

#[rstest]
#[case::no_direction(json!({"point_mm": [0, 0, 0], "normal": [0, 0, 0]}), "a normal with a direction")]
#[case::an_endless_normal(json!({"point_mm": [0, 0, 0], "normal": [0, 0, 1e200]}), "a normal with a direction")]
#[case::a_thin_slab(json!({"point_mm": [0, 0, 0], "normal": [0, 0, 1], "shape": {"slab": {"thickness_mm": 0}}}), "thicker than nothing")]
#[case::a_flat_corner(json!({"point_mm": [0, 0, 0], "normal": [0, 0, 1], "shape": {"corner": {"others": [[0, 0, -2]]}}}), "run along each other")]
#[case::too_many(json!({"point_mm": [0, 0, 0], "normal": [0, 0, 1], "shape": {"corner": {"others": [[1, 0, 0], [0, 1, 0], [1, 1, 0]]}}}), "one or two planes more")]
#[case::on_nothing(json!({"point_mm": [0, 0, 0], "normal": [0, 0, 1], "fixed_to": "nobody"}), "nobody")]
fn a_section_that_can_t_be_is_refused_in_views_and_when_asked_for(
    #[case] told: Value,
    #[case] part: &str,
) {
    let (document, workcell) = workcell();
    let cuts = Cuts {
        sections: vec![section(told.clone())],
        items: vec!["pin".to_owned()],
        overlaps: false,
    };
    let poses = workcell.assembly.poses(&workcell.rest);
    let refused = section_faces(&workcell, &poses, &cuts).expect_err("refused");
    assert!(refused.to_string().contains(part), "{refused}");
    let mut document = document;
    document.views = vec![view(json!([told]))];
    let refused = workcell.check_views(&document).expect_err("refused");
    assert!(refused.to_string().contains(part), "{refused}");
}

fn view(sections: Value) -> selvik_cell::document::SavedViewDocument {
    let viewpoint = json!({"pivot_mm": [0, 0, 0], "bearing_deg": 0, "elevation_deg": 0, "distance_mm": 900,
        "projection": "parallel", "lens_mm": 35, "width_mm": 900});
    let view = json!({"id": "v", "name": "V", "viewpoint": viewpoint, "style": "shaded", "sections": sections,
        "uncut": ["pin", "tip"]});
    serde_json::from_value(view).expect("a view")
}

#[test]
fn no_more_than_a_dozen_cut_at_once() {
    let (mut document, workcell) = workcell();
    let many = |count: usize| vec![level(1.0); count];
    let poses = workcell.assembly.poses(&workcell.rest);
    let asked = |count: usize| {
        let (sections, items) = (many(count), vec!["pin".to_owned()]);
        let cuts = Cuts {
            sections,
            items,
            overlaps: true,
        };
        section_faces(&workcell, &poses, &cuts)
    };
    // The same plane a dozen times leaves one face.
    assert_eq!(asked(12).expect("cut").faces.len(), 1);
    let refused = asked(13).expect_err("refused").to_string();
    assert!(
        refused.contains("13 sections: at most 12 cut at once"),
        "{refused}"
    );
    let mut kept = view(json!([]));
    kept.sections = many(13);
    document.views = vec![kept];
    assert!(
        workcell
            .check_views(&document)
            .expect_err("refused")
            .to_string()
            .contains("at most 12")
    );
}

/// A hundred and fifty bars, each across all others: more pairs than are looked at.
#[test]
fn overlaps_of_more_pairs_than_are_looked_at_are_said_to_be_incomplete() {
    let few = faces(&[level(5.0)], &["plate", "pin"]);
    assert!(few.overlaps_complete);
    let bar = |i: usize| {
        json!({"id": format!("b{i}"), "name": format!("b{i}"), "role": "part", "pose": {"xyz_mm": [0, 0, 0], "rpy_deg": [0, 0, i]},
            "bodies": [{"shape": {"box": {"size_mm": [900, 10, 20]}}}]})
    };
    let items: Vec<Value> = (0..150).map(bar).collect();
    let names: Vec<String> = (0..150).map(|i| format!("b{i}")).collect();
    let text = json!({"format": "selvik-cell/1", "name": "Bars", "items": items}).to_string();
    let mut files = PackageFiles::default();
    files
        .insert("cell.json", text.into_bytes())
        .expect("a plain name");
    let workcell = Workcell::read(&files).expect("readable");
    let poses = workcell.assembly.poses(&workcell.rest);
    let cuts = Cuts {
        sections: vec![level(5.0)],
        items: names,
        overlaps: true,
    };
    let found = section_faces(&workcell, &poses, &cuts).expect("cut");
    assert_eq!((found.faces.len(), found.overlaps_complete), (150, false));
}

#[test]
fn a_view_of_before_has_its_one_section_still() {
    let now = view(json!([{"point_mm": [1, 2, 3], "normal": [0, 0, 1]}]));
    let text = serde_json::to_value(&now).expect("JSON");
    let mut before = text.clone();
    let one = before["sections"][0].take();
    before
        .as_object_mut()
        .expect("an object")
        .remove("sections");
    for (section, sections) in [(one, now.sections.clone()), (Value::Null, Vec::new())] {
        before["section"] = section;
        let read: selvik_cell::document::SavedViewDocument =
            serde_json::from_value(before.clone()).expect("readable");
        assert_eq!(read.sections, sections);
    }
    assert_eq!(now.sections[0].shape, SectionShapeDocument::Plane);
}

#[test]
fn what_a_cut_is_fixed_to_takes_it_along_when_it_is_deleted() {
    let (mut document, _) = workcell();
    document.views = vec![view(json!([
        {"point_mm": [0, 0, 0], "normal": [0, 0, 1], "fixed_to": "tip"},
        {"point_mm": [0, 0, 0], "normal": [0, 0, 1]},
    ]))];
    let items = vec!["block".to_owned()];
    done(&mut document, Edit::DeleteItems { items });
    assert_eq!(document.views[0].sections.len(), 1);
    assert_eq!(document.views[0].uncut, ["pin"]);
}

fn drawing(sections: &[SectionDocument], items: &[&str], plane: usize) -> SectionDrawing {
    let (_, workcell) = workcell();
    let drawn = Drawn {
        cuts: Cuts {
            sections: sections.to_vec(),
            items: items.iter().map(|i| (*i).to_owned()).collect(),
            overlaps: false,
        },
        section: 0,
        plane,
        dimensions_mm: vec![[[200.0, 0.0], [400.0, 0.0]]],
        reach: None,
    };
    section_drawing(&Asked::at_rest(&workcell), &drawn).expect("drawn")
}

#[test]
fn a_drawing_has_the_numbers_of_the_cut_along_its_own_axes() {
    // Seen from the front X goes to the right and Z up.
    let front = SectionDocument::plane([0.0, 0.0, 0.0], [0.0, -1.0, 0.0]);
    let found = drawing(std::slice::from_ref(&front), &["pin", "block"], 0);
    let near = |a: &[f64], b: &[f64]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-6);
    assert!(near(&found.right, &[1.0, 0.0, 0.0]) && near(&found.up, &[0.0, 0.0, 1.0]));
    let block = found.items.iter().find(|i| i.item == "block").unwrap();
    assert!(near(&block.box_mm[0], &[200.0, -100.0]) && near(&block.box_mm[1], &[400.0, 100.0]));
    assert!(near(&block.centroid_mm.unwrap(), &[300.0, 0.0]));
    assert!(near(
        &[block.area_mm2, block.perimeter_mm],
        &[40_000.0, 800.0]
    ));
    let [outline] = block.outlines_mm.as_slice() else {
        panic!("one outline")
    };
    let twice: f64 = (0..outline.len())
        .map(|i| (outline[i], outline[(i + 1) % outline.len()]))
        .map(|(a, b)| a[0] * b[1] - b[0] * a[1])
        .sum();
    assert!(
        (twice / 2.0 - 40_000.0).abs() < 1e-6,
        "anticlockwise: {twice}"
    );

    let drawn = found.to_drawing("Front");
    assert!((found.dimensions[0].length_mm - 200.0).abs() < 1e-9);
    let svg = write_svg(&drawn);
    assert!(
        svg.contains(">200.00</text>") && svg.matches("<pattern").count() == 2,
        "{svg}"
    );
    let csv = String::from_utf8(found.to_csv().unwrap()).unwrap();
    assert_eq!(csv.lines().count(), 3);
    assert!(csv.contains("block,40000"), "{csv}");
}

#[test]
fn the_far_plane_of_a_slab_is_drawn_from_its_own_side_and_a_cut_beside_everything_is_empty() {
    let slab = section(
        json!({"point_mm": [0, 0, 5], "normal": [0, 0, 1], "shape": {"slab": {"thickness_mm": 100}}}),
    );
    let [above, below] = [0, 1].map(|plane| drawing(std::slice::from_ref(&slab), &["pin"], plane));
    assert!((above.origin_mm[2] - 5.0).abs() < 1e-9 && (below.origin_mm[2] + 95.0).abs() < 1e-9);
    assert_eq!((above.items.len(), below.items.len()), (1, 1));
    assert!(drawing(&[level(900.0)], &["pin"], 0).items.is_empty());
    let (_, workcell) = workcell();
    let none = Drawn {
        cuts: Cuts {
            sections: Vec::new(),
            items: Vec::new(),
            overlaps: false,
        },
        section: 0,
        plane: 0,
        dimensions_mm: Vec::new(),
        reach: None,
    };
    let refused = section_drawing(&Asked::at_rest(&workcell), &none).unwrap_err();
    assert!(refused.to_string().contains("there is no section 1"));
}

#[test]
fn a_section_is_kept_by_name_and_goes_with_what_it_moves_with() {
    let (mut document, _) = workcell();
    let save = |id: &str, fixed_to: Option<&str>| Edit::SaveSection {
        section: KeptSectionDocument {
            id: id.to_owned(),
            name: format!("Cut {id}"),
            section: SectionDocument {
                fixed_to: fixed_to.map(str::to_owned),
                ..level(5.0)
            },
        },
    };
    done(&mut document, save("a", None));
    done(&mut document, save("b", Some("tip")));
    let kept: Vec<&str> = document.sections.iter().map(|s| s.name.as_str()).collect();
    assert_eq!(kept, ["Cut a", "Cut b"]);
    let gone = Edit::DeleteItems {
        items: vec!["block".to_owned()],
    };
    done(&mut document, gone);
    assert_eq!(document.sections.len(), 1, "the tip went with the block");
    let delete = Edit::DeleteSection {
        section: "a".to_owned(),
    };
    done(&mut document, delete.clone());
    assert!(document.sections.is_empty());
    assert!(delete.apply(&mut document).is_err());
}

/// Level with the shoulder a stretched arm reaches a₁ + a₂ + √(a₃² + d₄²): the first offset, upper arm and forearm.
#[test]
fn the_outline_of_reach_lies_in_the_drawing_and_in_its_file() {
    let row = |joint: &str, a: f64, alpha: f64, d: f64, theta: f64| {
        json!({"joint": joint, "a_mm": a, "alpha_deg": alpha, "d_mm": d, "theta_deg": theta,
            "limits_deg_or_mm": [-179, 179], "velocity_deg_or_mm_s": 100})
    };
    let text = json!({"format": "selvik-cell/1", "name": "Reach", "items": [
        {"id": "arm", "name": "Arm", "role": "robot", "mechanism": {"from": {"dh": {"convention": "standard", "rows": [
            row("J1", 150.0, -90.0, 450.0, 0.0), row("J2", 600.0, 0.0, 0.0, -90.0), row("J3", 100.0, -90.0, 0.0, 0.0),
            row("J4", 0.0, 90.0, 620.0, 0.0), row("J5", 0.0, -90.0, 0.0, 0.0), row("J6", 0.0, 0.0, 90.0, 0.0)]}}}},
        {"id": "tcp", "name": "TCP", "role": "frame", "parent": "arm", "on_link": "J6"},
    ]});
    let mut files = PackageFiles::default();
    let text = text.to_string().into_bytes();
    files.insert("cell.json", text).expect("a plain name");
    let workcell = Workcell::read(&files).expect("readable");
    let drawn = |tcp: &str, fixed_to: Option<&str>| Drawn {
        cuts: Cuts {
            sections: vec![SectionDocument {
                fixed_to: fixed_to.map(str::to_owned),
                ..SectionDocument::plane([0.0, 0.0, 450.0], [0.0, 0.0, 1.0])
            }],
            items: Vec::new(),
            overlaps: false,
        },
        section: 0,
        plane: 0,
        dimensions_mm: Vec::new(),
        reach: Some(DrawnReach {
            tcp: tcp.to_owned(),
            of: OutlineOf::Wrist,
        }),
    };
    let asked = Asked::at_rest(&workcell);
    let found = section_drawing(&asked, &drawn("tcp", None)).expect("drawn");
    let far = found.reach_mm.iter().flatten().map(|[x, y]| x.hypot(*y));
    let most = far.fold(0.0, f64::max);
    let expected = 150.0 + 600.0 + 100f64.hypot(620.0);
    assert!((most - expected).abs() < 0.5, "{most} {expected}");
    let file = found.to_drawing("Level");
    assert_eq!(file.layers.len(), 1);
    assert_eq!(file.layers[0].open, found.reach_mm);

    // Of what no robot moves there is none, and the drawing is there all the same.
    let none = section_drawing(&asked, &drawn("arm", None)).expect("drawn");
    assert!(none.reach_mm.is_empty() && none.reach_refused.is_some());
    let gone = section_drawing(
        &asked,
        &Drawn {
            plane: 1,
            ..drawn("tcp", None)
        },
    );
    assert!(gone.unwrap_err().to_string().contains("no plane 2"));
}
