//! Saved views, tours and exported pictures in the real interface.

use crate::support::Server;
use crate::support::browser::{Browser, key};
use crate::support::pixels::Pixels;
use fantoccini::Locator;
use serde_json::json;

async fn name(b: &Browser, text: &str) {
    b.until(
        "the name field",
        "document.querySelector('[data-test=name] input')",
    )
    .await;
    let field = b
        .client
        .find(Locator::Css("[data-test=name] input"))
        .await
        .expect("a field");
    field
        .send_keys(&format!("{}a\u{E000}{text}{}", key::CONTROL, key::ENTER))
        .await
        .expect("typed");
}

async fn revision(b: &Browser, number: u32) {
    b.reads("saving", &format!("Saved, revision {number}"))
        .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn views_change_only_when_told_to_and_store_what_is_ticked() {
    let server = Server::start().await;
    let id = server.with(&crate::support::demo_without_rules()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    let views = async || server.get(&format!("/api/cells/{id}")).await["document"]["views"].clone();

    // Navigating writes to no view.
    b.keys("2").await;
    b.reads("bearing", "20°").await;
    b.click("view-left").await;
    b.reads("bearing", "-90°").await;
    assert_eq!(views().await[1]["viewpoint"]["bearing_deg"], 20.0);

    // A view that stores only the viewpoint leaves the style alone.
    b.unfold("views", "more-1").await;
    b.click("more-1").await;
    for part in ["style", "visibility", "section", "time"] {
        b.click(&format!("keeps-{part}")).await;
        b.reads("saving", "Saved").await;
    }
    revision(&b, 5).await;
    assert_eq!(views().await[1]["keeps"], json!(["viewpoint"]));
    b.keys(key::ESCAPE).await;
    b.choose("style", "style-wireframe").await;
    b.keys("2").await;
    b.reads("bearing", "20°").await;
    b.reads("chip-style", "Wireframe").await;

    // Update from picture, duplicate, list under a heading, move up, choose as the opening view, delete, undo.
    b.click("view-right").await;
    b.reads("bearing", "90°").await;
    b.unfold("views", "more-1").await;
    b.click("more-1").await;
    b.click("view-update").await;
    revision(&b, 6).await;
    assert_eq!(views().await[1]["viewpoint"]["bearing_deg"], 90.0);
    b.click("view-duplicate").await;
    revision(&b, 7).await;
    b.click("view-group").await;
    name(&b, "Clearances").await;
    revision(&b, 8).await;
    assert_eq!(views().await[1]["group"], "Clearances");
    b.click("view-opening").await;
    revision(&b, 9).await;
    b.click("view-delete").await;
    revision(&b, 10).await;
    assert_eq!(views().await.as_array().expect("a list").len(), 3);
    b.keys(key::ESCAPE).await;
    b.click("undo").await;
    revision(&b, 11).await;
    assert_eq!(views().await.as_array().expect("a list").len(), 4);
    let document = server.get(&format!("/api/cells/{id}")).await["document"].clone();
    assert_eq!(
        document["opening_view"], document["views"][1]["id"],
        "undo brings the opening view back, too"
    );

    // Found by a word of its name.
    b.hold(key::CONTROL).await;
    b.keys("k").await;
    b.let_go(key::CONTROL).await;
    b.find("find")
        .await
        .send_keys("rack track recall\u{E007}")
        .await
        .expect("typed");
    b.reads("bearing", "-38°").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tour_plays_is_edited_and_taken_away() {
    let server = Server::start().await;
    let id = server.with(&crate::support::demo_without_rules()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    let tour =
        async || server.get(&format!("/api/cells/{id}")).await["document"]["tours"][0].clone();

    b.unfold("views", "tour-round").await;
    b.click("tour-round").await;
    b.reads("tour-length", "of 00:09.500").await;
    b.click("tour-next").await;
    b.reads("tour-time", "00:04.000").await;
    b.reads("bearing", "20°").await;
    b.click("tour-play").await;
    b.until(
        "it plays",
        "document.querySelector('[data-test=tour-time]').innerText > '00:04.500'",
    )
    .await;

    // Times typed, a stop given the picture's view, one added, one removed.
    b.click("tour-stop-1").await;
    b.fill("hold", "2.5").await;
    b.reads("tour-length", "of 00:10.500").await;
    b.fill("travel", "1").await;
    b.reads("tour-length", "of 00:08.500").await;
    b.click("passing").await;
    b.reads("tour-length", "of 00:06.000").await;
    assert_eq!(tour().await["stops"][1]["passing"], true);
    b.click("view-top").await;
    b.reads("elevation", "90°").await;
    b.click("take-view").await;
    b.until(
        "it is saved",
        "document.querySelector('[data-test=saving]').innerText.includes('Saved')",
    )
    .await;
    crate::support::eventually("the stop takes the view", async || {
        tour().await["stops"][1]["viewpoint"]["elevation_deg"] == 90.0
    })
    .await;
    let views = server.get(&format!("/api/cells/{id}")).await["document"]["views"].clone();
    assert_ne!(
        views[1]["viewpoint"]["elevation_deg"], 90.0,
        "the saved view is not touched"
    );
    b.click("insert-stop").await;
    b.find("tour-stop-3").await;
    b.click("remove-stop").await;
    b.until(
        "three stops",
        "!document.querySelector('[data-test=tour-stop-3]')",
    )
    .await;

    // A stop dragged in the plan pane while the other shows the tour.
    b.choose("panes", "layout-side").await;
    b.rests().await;
    let before = tour().await["stops"][0]["viewpoint"]["pivot_mm"].clone();
    let mut after = before.clone();
    for tries in 0..90 {
        // The plan may still be arranging itself at the first try.
        if tries % 30 == 0 {
            let mark = b
                .find("tour-stop-mark-0")
                .await
                .rectangle()
                .await
                .expect("its place");
            let from = (mark.0 + 10.0, mark.1 + 10.0);
            b.drag(
                crate::support::browser::Button::Left,
                from,
                (from.0 - 60.0, from.1),
            )
            .await;
        }
        b.rests().await;
        after = tour().await["stops"][0]["viewpoint"]["pivot_mm"].clone();
        if after != before {
            break;
        }
    }
    let moved = after[0].as_f64().expect("a number") - before[0].as_f64().expect("a number");
    assert!(moved < -100.0, "to the left by {moved} mm");
    assert_eq!(before[2], after[2], "in the plane of the plan");

    // Numbered pictures in a zip, and a film.
    let export = async |kind: &str| {
        b.click("tour-export").await;
        b.fill("export-width", "160").await;
        b.fill("export-height", "90").await;
        b.fill("export-rate", "1").await;
        b.click(kind).await;
        b.click("export-go").await;
    };
    export("export-png").await;
    let zip = b.downloaded(".zip").await;
    let mut archive = zip::ZipArchive::new(std::io::Cursor::new(zip)).expect("a zip");
    assert_eq!(archive.len(), 6, "6 s at a picture a second");
    let mut first = Vec::new();
    std::io::Read::read_to_end(&mut archive.by_index(0).expect("a file"), &mut first)
        .expect("read");
    let picture = Pixels::of_png(&first);
    assert_eq!((picture.width, picture.height), (160, 90));
    export("export-webm").await;
    let film = b.downloaded(".webm").await;
    assert_eq!(
        film[..4],
        [0x1A, 0x45, 0xDF, 0xA3],
        "a Matroska file (EBML, RFC 8794)"
    );

    // A picture larger than the window.
    b.click("tour-close").await;
    b.hold(key::CONTROL).await;
    b.keys("P").await;
    b.let_go(key::CONTROL).await;
    b.fill("export-width", "99999").await;
    b.reads("export-fault", "16 to 7680").await;
    b.fill("export-width", "3000").await;
    b.fill("export-height", "2100").await;
    b.click("export-go").await;
    let picture = Pixels::of_png(&b.downloaded(".png").await);
    assert_eq!((picture.width, picture.height), (3000, 2100));
    let paper = picture.iter().filter(|p| p.2[0] > 200).count();
    assert!(paper < 3000 * 2100 && paper > 1000, "something is drawn");
}
