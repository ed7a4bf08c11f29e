//! What is in a cell, in the real interface: bringing in, arranging, showing, and the list of cells.

use crate::support::browser::{Browser, Button, key};
use crate::support::{Server, small_cell};
use fantoccini::Locator;
use selvik_core::mesh::{TriangleMesh, box_mesh};
use selvik_core::spatial::pose_from_rpy;
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, write_stl};
use serde_json::{Value, json};

const F2: &str = "\u{E032}";

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

#[tokio::test(flavor = "multi_thread")]
async fn the_roster_and_the_numbers_arrange_a_cell_and_every_step_can_be_undone() {
    let server = Server::start().await;
    server.with(&small_cell()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;

    // By keyboard: a letter goes to a name, F2 renames.
    b.pick("table").await;
    let tree = b.find("tree").await;
    tree.send_keys(key::DOWN).await.expect("a key");
    assert_eq!(b.selected().await, ["fixture"]);
    tree.send_keys(F2).await.expect("a key");
    b.find("renaming")
        .await
        .send_keys(&format!(
            "{}a\u{E000}Fixture left{}",
            key::CONTROL,
            key::ENTER
        ))
        .await
        .expect("typed");
    b.undo_says("Undo rename Fixture to Fixture left").await;
    tree.send_keys(" ").await.expect("a key");
    b.reads("chip-hidden", "3 hidden").await;
    b.click("chip-hidden").await;

    // Numbers, absolute and as an increment, in the frame that is chosen.
    b.pick("fixture").await;
    b.reads("at-X", "-300.000").await;
    b.fill("at-X", "+12.5").await;
    b.reads("at-X", "-287.500").await;
    b.undo_says("Undo move Fixture left").await;
    b.fill("at-X", "1 in").await;
    b.reads("at-X", "25.400").await;
    b.set("frame-choice", "own").await;
    b.reads("at-X", "0.000").await;
    // Its own X is the table's Y: it is turned by 90°.
    b.fill("at-X", "10").await;
    b.set("frame-choice", "parent").await;
    b.reads("at-Y", "10.000").await;
    b.fill("at-X", "nonsense").await;
    assert_eq!(
        b.find("at-X")
            .await
            .attr("aria-invalid")
            .await
            .expect("an attribute")
            .as_deref(),
        Some("true")
    );
    b.find("at-X")
        .await
        .send_keys(key::ESCAPE)
        .await
        .expect("a key");

    // Units: one click away, everywhere the same.
    b.click("unit").await;
    b.reads("at-X", "2.5400").await;
    b.reads("item-size", "30.00 × 30.00 × 8.00 cm").await;
    for _ in 0..3 {
        b.click("unit").await;
    }
    b.reads("at-X", "25.400").await;

    // Locked it stays, and says so.
    b.click("lock").await;
    b.undo_says("Undo lock Fixture left").await;
    b.until(
        "its numbers can't be typed",
        "document.querySelector('[data-test=at-X]')?.disabled",
    )
    .await;
    b.keys("j").await;
    b.until(
        "it is said why",
        "document.body.innerText.includes('Fixture left is locked')",
    )
    .await;
    b.click("lock").await;
    b.until(
        "they can be again",
        "!document.querySelector('[data-test=at-X]')?.disabled",
    )
    .await;

    // Another carrier: it is asked what stays.
    b.pick("clamp-1").await;
    b.set("frame-choice", "world").await;
    b.until(
        "the world's numbers",
        "document.querySelector('[data-test=at-Z]')?.value === '540.000'",
    )
    .await;
    let x = b.value("at-X").await;
    b.set("hangs-on", "post").await;
    b.click("hang-world").await;
    b.undo_says("Undo hang Clamp 1 on Post").await;
    assert!(
        (b.value("at-X").await - x).abs() < 1e-9,
        "it stays where it is"
    );
    b.with_control('z').await;
    b.undo_says("Undo unlock Fixture left").await;

    // A copy brings what hangs on it; deleting lists all that goes.
    b.pick("fixture").await;
    b.with_control('d').await;
    b.row("fixture-2").await;
    b.undo_says("Undo duplicate Fixture left").await;
    b.until(
        "the copy is selected",
        "document.querySelector('[data-id=\"fixture-2\"]').ariaSelected === 'true'",
    )
    .await;
    b.keys(key::DELETE).await;
    b.reads("delete-dialog", "Delete 3 items?").await;
    b.reads("delete-dialog", "Clamp 1").await;
    b.until(
        "Enter deletes it",
        "document.activeElement.dataset.test === 'delete-ok'",
    )
    .await;
    let enter = key::ENTER.chars().next().expect("a key");
    b.hold(enter).await;
    b.let_go(enter).await;
    b.uncovered().await;
    b.until(
        "it is gone",
        "!document.querySelector('[data-id=\"fixture-2\"]')",
    )
    .await;
    b.undo_says("Undo delete 3 items").await;

    // All of it over a reload.
    b.client.refresh().await.expect("reloaded");
    b.picture().await;
    b.click("undo").await;
    b.row("fixture-2").await;
    b.undo_says("Undo duplicate Fixture left").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn handles_move_things_by_hand_and_sets_show_what_matters() {
    let server = Server::start().await;
    server.with(&small_cell()).await;
    let b = Browser::open_with(&server.url, json!({"selvik.furniture": {"kinds": []}})).await;
    b.open_cell().await;
    b.click("view-front").await;
    b.pick("fixture").await;
    b.set("frame-choice", "world").await;
    b.until(
        "the world's numbers",
        "document.querySelector('[data-test=at-Z]')?.value === '460.000'",
    )
    .await;
    let before = [
        b.value("at-X").await,
        b.value("at-Y").await,
        b.value("at-Z").await,
    ];

    // An arrow along the world's X: to the right, seen from the front.
    b.keys("j").await;
    b.rests().await;
    let red = |[r, g, b]: [u8; 3]| r > 150 && g < 100 && b < 90;
    let arrow = b.somewhere(red).await;
    // A green fixture, selected: as green as it was, with a tint.
    let chosen = |[r, g, b]: [u8; 3]| {
        let share = |of: u8| u32::from(of) * 100 / u32::from(g.max(1));
        g > 60 && (88..99).contains(&share(r)) && (74..90).contains(&share(b))
    };
    let before_x = b.somewhere(chosen).await.0;
    b.drag(Button::Left, arrow, (arrow.0 + 80.0, arrow.1 + 3.0))
        .await;
    b.undo_says("Undo move Fixture").await;
    b.until(
        "the number has followed",
        &format!(
            "Math.abs(Number(document.querySelector('[data-test=at-X]')?.value) - {}) > 20",
            before[0]
        ),
    )
    .await;
    assert!(
        b.value("at-X").await > before[0] + 20.0,
        "it goes where the hand goes"
    );
    assert!(
        (b.value("at-Y").await - before[1]).abs() < 1e-6
            && (b.value("at-Z").await - before[2]).abs() < 1e-6
    );
    assert!(
        b.somewhere(chosen).await.0 > before_x + 30.0,
        "it is seen where it is"
    );
    assert_eq!(
        b.selected().await,
        ["fixture"],
        "the drag did not select anything else"
    );
    b.keys(key::ESCAPE).await;

    // Dropped to the floor: its lowest point is at 0.
    b.keys("D").await;
    b.undo_says("Undo move Fixture").await;
    b.reads("at-Z", "40.000").await;

    // A visibility set shows itself alone, and a saved view keeps that.
    b.script("document.querySelector('[data-id=\"clamp-2\"]').click()")
        .await;
    b.click("set-new").await;
    b.name_it("Clamps").await;
    b.uncovered().await;
    b.until(
        "the set is there",
        "document.querySelector('[data-test=set]')",
    )
    .await;
    b.click("set").await;
    b.reads("chip-sets", "Only Clamps").await;
    b.keys("V").await;
    b.name_it("Clamps alone").await;
    b.uncovered().await;
    b.click("chip-sets").await;
    b.until(
        "all is shown",
        "!document.querySelector('[data-test=chip-sets]')",
    )
    .await;
    b.keys("1").await;
    b.reads("chip-sets", "Only Clamps").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn two_people_see_each_other_and_the_later_of_two_chooses() {
    let server = Server::start().await;
    let id = server.with(&small_cell()).await;
    let path = format!("/api/cells/{id}");
    let mine = Browser::open(&format!("{}/cells/{id}?item=clamp-1", server.url)).await;
    mine.picture().await;
    let selected = "document.querySelector('[data-id=\"clamp-1\"][aria-selected=true]')";
    mine.until("the link leads to the item", selected).await;
    assert_eq!(mine.selected().await, ["clamp-1"]);
    let theirs = Browser::open(&format!("{}/cells/{id}", server.url)).await;
    theirs.picture().await;

    // At once the other page shows it: within a second, and where other pages are busy beside it within three.
    theirs.pick("post").await;
    theirs.fill("item-name", "Pillar").await;
    let start = std::time::Instant::now();
    mine.until(
        "the new name",
        "document.querySelector('[data-id=post]').innerText.includes('Pillar')",
    )
    .await;
    assert!(
        start.elapsed() < std::time::Duration::from_secs(3),
        "{:?}",
        start.elapsed()
    );

    // Someone else changes the item by another way, unseen; the later edit is told and chooses.
    let cell = uuid::Uuid::parse_str(&id).expect("an id");
    let known = server.store.load(cell).await.expect("there");
    let mut after = known.document.clone();
    after
        .items
        .iter_mut()
        .find(|i| i.id == "clamp-1")
        .expect("there")
        .name = "Theirs".to_owned();
    let unseen = selvik_store::NewEdit {
        base: known.revision,
        known: known.revision,
        label: "rename Clamp 1 to Theirs",
        changes: &selvik_cell::entries::difference(&known.document, &after),
        after: &after,
        added: &PackageFiles::default(),
        fingerprint: "another",
    };
    server.store.commit(cell, &unseen).await.expect("renamed");
    mine.fill("item-name", "Mine").await;
    mine.reads("clash-dialog", "was changed meanwhile").await;
    mine.until(
        "what they did is seen",
        "document.querySelector('[data-id=\"clamp-1\"]').innerText.includes('Theirs')",
    )
    .await;
    assert_eq!(
        name_of(&server.get(&path).await, "clamp-1"),
        "Theirs",
        "nothing was overwritten"
    );
    mine.click("clash-mine").await;
    mine.uncovered().await;
    mine.until(
        "mine stands",
        "document.querySelector('[data-id=\"clamp-1\"]').innerText.includes('Mine')",
    )
    .await;
    assert_eq!(name_of(&server.get(&path).await, "clamp-1"), "Mine");
}

fn name_of(cell: &Value, id: &str) -> String {
    let items = cell["document"]["items"].as_array().expect("items");
    let item = items.iter().find(|i| i["id"] == id).expect("there");
    item["name"].as_str().expect("a name").to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn cells_are_made_found_copied_and_come_back_from_the_bin() {
    let server = Server::start().await;
    server.with(&small_cell()).await;
    let b = Browser::open(&server.url).await;
    let rows = "[...document.querySelectorAll('[data-test=cell-row]')].map((e) => e.querySelector('b').innerText).join('|')";
    b.until("the list", &format!("{rows} === 'Small cell'"))
        .await;
    b.reads("cell", "6 items").await;

    b.choose_from("cell-more", "cell-duplicate").await;
    b.name_it("Another").await;
    b.uncovered().await;
    b.until(
        "the copy",
        &format!("{rows}.split('|').sort().join('|') === 'Another|Small cell'"),
    )
    .await;
    b.find("cell-search")
        .await
        .send_keys("anoth")
        .await
        .expect("typed");
    b.until("only the copy", &format!("{rows} === 'Another'"))
        .await;
    b.choose_from("cell-more", "cell-rename").await;
    b.name_it("Another cell").await;
    b.uncovered().await;
    b.until("its new name", &format!("{rows} === 'Another cell'"))
        .await;

    b.choose_from("cell-more", "cell-bin").await;
    b.until("it is gone from the list", &format!("{rows} === ''"))
        .await;
    b.click("bin").await;
    b.until("it lies in the bin", &format!("{rows} === 'Another cell'"))
        .await;
    b.click("restore").await;
    b.until("the bin is empty", &format!("{rows} === ''")).await;
    b.click("bin").await;
    b.until("it is back", &format!("{rows} === 'Another cell'"))
        .await;

    // A new one is empty and says what to do.
    b.click("new-cell").await;
    b.name_it("From nothing").await;
    b.until(
        "an empty roster",
        "document.body.innerText.includes('Nothing in it yet')",
    )
    .await;
    assert_eq!(
        b.client.title().await.expect("a title"),
        "From nothing – Selvik"
    );
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
