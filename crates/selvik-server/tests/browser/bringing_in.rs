//! What is brought in, in the real interface, and surfaces that are open.

use crate::support::browser::Browser;
use crate::support::{Server, small_cell};
use fantoccini::Locator;
use selvik_core::mesh::{TriangleMesh, box_mesh};
use selvik_core::spatial::pose_from_rpy;
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, write_stl};
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn what_is_brought_in_is_shown_before_anything_is_stored() {
    let folder = tempfile::tempdir().expect("a folder");
    let put = |name: &str, bytes: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, bytes).expect("written");
        path.display().to_string()
    };
    // A bracket whose second shell is inside out, with one triangle twice.
    let beside = box_mesh([0.02; 3]).moved(&pose_from_rpy([0.1, 0.0, 0.0], [0.0; 3]));
    let bracket =
        TriangleMesh::merged([box_mesh([0.12, 0.06, 0.04]), beside.turned_over(|_| true)]);
    let mut stl = write_stl(&bracket, LengthUnit::Mm);
    let last = stl[stl.len() - 50..].to_vec();
    stl.extend(last);
    stl[80..84].copy_from_slice(&25u32.to_le_bytes());
    let bracket = put("bracket.stl", &stl);
    let broken = put("broken.stl", &stl[..700]);
    let urdf = r#"<robot name="slide"><link name="rail"><visual><geometry><mesh filename="package://slides/meshes/rail.stl"/></geometry></visual></link>
        <link name="carriage"><visual><geometry><box size="0.1 0.1 0.05"/></geometry></visual></link>
        <joint name="x" type="prismatic"><parent link="rail"/><child link="carriage"/><origin xyz="0 0 0.1"/><axis xyz="1 0 0"/>
        <limit lower="0" upper="0.5" velocity="1" effort="1"/></joint></robot>"#;
    let urdf = put("slide.urdf", urdf.as_bytes());
    let rail = put(
        "rail.stl",
        &write_stl(&box_mesh([1.0, 0.2, 0.1]), LengthUnit::M),
    );

    let server = Server::start().await;
    let id = server.with(&small_cell()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    let choose = b
        .client
        .find(Locator::Css("[data-test=files-to-bring]"))
        .await
        .expect("an input");
    choose
        .send_keys(&[bracket, broken, urdf].join("\n"))
        .await
        .expect("chosen");

    // What is wrong is said of each, and what is missing is named.
    b.reads("found-size", "170.0 × 60.0 × 40.0 mm").await;
    b.reads("found-flaws", "1 double triangles left out").await;
    b.reads("found-flaws", "1 shells inside out turned over")
        .await;
    b.reads("found-problem", "broken.stl").await;
    b.reads("missing", "package://slides/meshes/rail.stl").await;
    assert_eq!(
        server.get(&format!("/api/cells/{id}")).await["revision"],
        1,
        "nothing is stored yet"
    );

    // The unit was guessed and can be chosen; the missing mesh is added.
    b.set_nth("found-unit", 1, "inch").await;
    b.reads("found-size", "4318.0 × 1524.0 × 1016.0 mm").await;
    b.set_nth("found-unit", 1, "mm").await;
    let more = b
        .client
        .find(Locator::Css("[data-test=add-missing]"))
        .await
        .expect("an input");
    more.send_keys(&rail).await.expect("chosen");
    b.until(
        "nothing is missing",
        "document.querySelector('[data-test=found]') && !document.querySelector('[data-test=missing]')",
    )
    .await;
    // What was added to complete the robot does not come in by itself.
    let found =
        "return [...document.querySelectorAll('[data-test=found] .name')].map((e) => e.value)";
    assert_eq!(b.script(found).await, json!(["slide", "bracket", "broken"]));
    b.click("import-store").await;
    b.uncovered().await;

    // Both stand in the roster, selected, as one step that can be undone.
    b.row("bracket").await;
    assert_eq!(b.selected().await.len(), 2);
    b.undo_says("Undo add 2 items").await;
    b.pick("bracket").await;
    b.reads("item-size", "170.0 × 60.0 × 40.0 mm").await;
    // Both shells right side out: 288 cm³ and 8 cm³.
    b.reads("item-volume", "296.0 cm³").await;
    b.with_control('z').await;
    b.until(
        "it is gone again",
        "!document.querySelector('[data-id=bracket]')",
    )
    .await;
    b.click("redo").await;
    b.row("slide").await;

    // Files with nothing in them are refused in a sentence; stopping leaves everything as it was.
    let text = put("readme.txt", b"nothing");
    choose.send_keys(&text).await.expect("chosen");
    b.reads("import-failed", "hold nothing that is read").await;
    b.click("import-stop").await;
    b.uncovered().await;
    let document = server.get(&format!("/api/cells/{id}")).await["document"].clone();
    assert_eq!(document["items"].as_array().expect("items").len(), 8);
}

/// A hood open below with a block under it: not certified, and the page says why and shows where; declared a surface
/// only, it meets its rule.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_open_is_not_certified_shown_and_can_be_declared_a_surface() {
    let text = r#"{"format": "selvik-cell/1", "name": "Hood", "items": [
        {"id": "hood", "name": "Hood", "role": "fixture", "bodies": [{"shape": {"mesh": {"file": "hood.obj", "unit": "mm"}}}]},
        {"id": "block", "name": "Block", "role": "part", "pose": {"xyz_mm": [0, 0, 25]}, "bodies": [{"shape": {"box": {"size_mm": [20, 20, 20]}}}]}],
      "rules": [{"id": "r", "name": "Under the hood", "between": ["hood"], "and": ["block"], "required_mm": 10, "tight_below_mm": 12}]}"#;
    // Four walls and a lid, open below.
    let hood = "v -100 -100 0\nv 100 -100 0\nv 100 100 0\nv -100 100 0\nv -100 -100 60\nv 100 -100 60\nv 100 100 60\nv -100 100 60\n\
        f 1 2 6 5\nf 2 3 7 6\nf 3 4 8 7\nf 4 1 5 8\nf 5 6 7 8\n";
    let mut files = PackageFiles::default();
    files
        .insert("cell.json", text.as_bytes().to_vec())
        .expect("a plain name");
    files
        .insert("hood.obj", hood.as_bytes().to_vec())
        .expect("a plain name");
    let server = Server::start().await;
    let id = server.with(&files).await;
    let (status, open) = server
        .post(
            &format!("/api/cells/{id}/open-edges"),
            json!({ "item": "hood", "time_s": 0 }),
        )
        .await;
    assert_eq!((status, &open["count"]), (200, &json!(4)), "{open}");
    assert_eq!(open["ends_mm"][0][0][2], json!(0.0), "{open}");

    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    b.reads("overall", "certified").await;
    b.reads("finding", "Hood is open here").await;
    let marked = |[r, g, b]: [u8; 3]| r > 150 && g < 110 && b < 90;
    let before = b.count(marked).await;
    b.click("finding").await;
    b.until(
        "the evidence is shown",
        "document.querySelector('[data-test=finding].at')",
    )
    .await;
    // The label has that colour, too; the rim is much longer.
    b.shows("the rim", marked, |after| after > before + 1000)
        .await;

    b.pick("hood").await;
    b.click("surface-only").await;
    b.undo_says("Undo").await;
    b.until(
        "the model has changed",
        "document.querySelector('.stale button')",
    )
    .await;
    b.script("document.querySelector('.stale button').click()")
        .await;
    b.until(
        "it meets",
        "document.querySelector('[data-test=overall]')?.className.includes('meets')",
    )
    .await;
}
