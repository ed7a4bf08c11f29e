//! What is in a cell, in the real interface: arranging, showing, and the list of cells.

use crate::support::browser::{Browser, Button, key};
use crate::support::{Server, small_cell};
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

const F2: &str = "\u{E032}";

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
    b.press('\u{E007}').await;
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
