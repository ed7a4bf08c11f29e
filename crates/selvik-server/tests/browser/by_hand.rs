//! Contents of a cell by the hand: picked, shown, dragged and dropped, snapped to each other.

use crate::support::browser::{Browser, Button, key};
use crate::support::pixels::Rgb;
use crate::support::{Server, small_cell};
use selvik_cell::document::{CELL_FILE, read_document, write_document};
use selvik_core::mesh::box_mesh;
use selvik_formats::PackageFiles;
use selvik_formats::mesh::{LengthUnit, write_stl};
use serde_json::{Value, json};

/// The small cell with a pin in front of the table.
fn cell_with_a_pin() -> PackageFiles {
    let mut files = small_cell();
    let mut document = read_document(&files).expect("readable");
    let pin = json!({"id": "pin", "name": "Pin", "role": "part", "pose": {"xyz_mm": [100, -200, 500]},
        "bodies": [{"shape": {"cylinder": {"radius_mm": 30, "length_mm": 160}}}]});
    document
        .items
        .push(serde_json::from_value(pin).expect("an item"));
    files
        .insert(CELL_FILE, write_document(&document))
        .expect("a plain name");
    files
}

pub async fn open(files: &PackageFiles) -> (Server, Browser, String) {
    let server = Server::start().await;
    let id = server.with(files).await;
    // Marked frames would lie over what is clicked.
    let b = Browser::open_with(&server.url, json!({"selvik.furniture": {"kinds": []}})).await;
    b.open_cell().await;
    (server, b, id)
}

/// Fixtures are green.
pub fn green([r, g, b]: Rgb) -> bool {
    g > r.saturating_add(8) && g > b.saturating_add(12)
}

/// What the coordinates of the pointer say, mm.
async fn coordinates(b: &Browser) -> [f64; 3] {
    let said = b.text("coordinates").await;
    let numbers: Vec<f64> = said
        .split_whitespace()
        .filter_map(|n| n.parse().ok())
        .collect();
    numbers
        .try_into()
        .unwrap_or_else(|_| panic!("the pointer is at {said}"))
}

/// A parallel view from the front, and which pixel shows what: read off the coordinates of the pointer.
pub struct FrontView {
    pixel: (f64, f64),
    x_mm: f64,
    z_mm: f64,
    mm_per_pixel: f64,
}

impl FrontView {
    pub async fn of(b: &Browser) -> Self {
        b.choose("projection", "parallel").await;
        b.click("view-front").await;
        b.keys("F").await;
        b.rests().await;
        Self::read(b).await
    }

    async fn read(b: &Browser) -> Self {
        let (left, _, right, bottom) = b.bounds(green).await;
        let mut read = Vec::new();
        for x in [left + 8.0, right - 8.0] {
            b.point(x, bottom - 6.0).await;
            b.reads("under", "Fixture").await;
            read.push(coordinates(b).await);
        }
        let mm_per_pixel = (read[1][0] - read[0][0]) / (right - left - 16.0);
        Self {
            pixel: (left + 8.0, bottom - 6.0),
            x_mm: read[0][0],
            z_mm: read[0][2],
            mm_per_pixel,
        }
    }

    pub fn pixel(&self, x_mm: f64, z_mm: f64) -> (f64, f64) {
        let x = self.pixel.0 + (x_mm - self.x_mm) / self.mm_per_pixel;
        (
            x.round(),
            (self.pixel.1 - (z_mm - self.z_mm) / self.mm_per_pixel).round(),
        )
    }

    /// Clicks what is seen there, which is this.
    pub async fn click(&self, b: &Browser, name: &str, x_mm: f64, z_mm: f64) {
        let (x, y) = self.pixel(x_mm, z_mm);
        b.point(x, y).await;
        b.reads("under", name).await;
        b.click_at(Button::Left, x, y).await;
    }
}

async fn selected(b: &Browser, wanted: &[&str]) {
    let script = format!(
        "[...document.querySelectorAll('[role=treeitem][aria-selected=true]')].map((e) => e.dataset.id).sort().join() === {:?}",
        wanted.join(",")
    );
    b.until(&format!("{wanted:?} are selected"), &script).await;
}

/// Where the selected item stands in the world, mm, as its numbers say.
pub async fn stands(b: &Browser, wanted: [f64; 3]) {
    b.set("frame-choice", "world").await;
    let [x, y, z] = wanted.map(|v| format!("{v:.3}"));
    let value = |axis: &str| format!("document.querySelector('[data-test=at-{axis}]')?.value");
    let script = format!(
        "{} === '{x}' && {} === '{y}' && {} === '{z}'",
        value("X"),
        value("Y"),
        value("Z")
    );
    b.until(&format!("it stands at {wanted:?}"), &script).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_seen_is_picked_by_click_by_rectangle_and_through_what_stands_before_it() {
    let (_server, b, _) = open(&small_cell()).await;
    let view = FrontView::of(&b).await;

    // A rectangle drawn to the right takes what lies wholly inside, to the left what it touches.
    let (over, under) = (view.pixel(-480.0, 600.0), view.pixel(-120.0, 405.0));
    b.drag(Button::Left, over, under).await;
    selected(&b, &["clamp-1", "clamp-2", "fixture"]).await;
    b.drag(Button::Left, (under.0, over.1), (over.0, under.1))
        .await;
    selected(&b, &["clamp-1", "clamp-2", "fixture", "table"]).await;
    // A corner of a clamp is touched, and does not lie inside.
    let (a, c) = (view.pixel(-385.0, 590.0), view.pixel(-415.0, 560.0));
    b.drag(Button::Left, a, c).await;
    selected(&b, &["clamp-1"]).await;
    b.drag(Button::Left, (c.0, a.1), (a.0, c.1)).await;
    selected(&b, &[]).await;

    // From the right one clamp stands before the other.
    b.click("view-right").await;
    b.rests().await;
    let (left, top, right, _) = b.bounds(green).await;
    let (x, y) = ((left + right) / 2.0, top + 6.0);
    b.point(x, y).await;
    b.reads("under", "Clamp 2").await;
    b.click_at(Button::Right, x, y).await;
    b.reads("context-menu", "Also under the pointer").await;
    b.click("menu-also").await;
    b.click("also-clamp-1").await;
    b.uncovered().await;
    selected(&b, &["clamp-1"]).await;

    // What is hidden is not picked; peeked at, a click brings it back.
    b.pick("clamp-2").await;
    b.keys("h").await;
    b.reads("chip-hidden", "1 hidden").await;
    b.click_at(Button::Left, x, y).await;
    selected(&b, &["clamp-1"]).await;
    b.keys("p").await;
    b.click_at(Button::Left, x + 8.0, y).await;
    b.until(
        "it is back",
        "!document.querySelector('[data-test=chip-hidden]')",
    )
    .await;
    b.keys(key::ESCAPE).await;

    // What hangs on something hidden can be shown by itself.
    b.pick("fixture").await;
    b.keys("h").await;
    b.reads("chip-hidden", "3 hidden").await;
    b.script("document.querySelector('[data-id=\"clamp-1\"] .eye').click()")
        .await;
    b.reads("chip-hidden", "2 hidden").await;
    b.click_at(Button::Left, x - 8.0, y).await;
    selected(&b, &["clamp-1"]).await;

    // What was shown before, and before that, and again.
    b.keys("u").await;
    b.reads("chip-hidden", "3 hidden").await;
    b.keys("u").await;
    b.until(
        "nothing is hidden",
        "!document.querySelector('[data-test=chip-hidden]')",
    )
    .await;
    b.keys("U").await;
    b.reads("chip-hidden", "3 hidden").await;

    // Ghosted it is seen, and not picked.
    b.keys("H").await;
    let solid = b.count(green).await;
    b.pick("fixture").await;
    b.find_and_do("Ghost selection").await;
    b.click_at(Button::Left, x, y).await;
    selected(&b, &[]).await;
    assert!(
        b.count(green).await < solid / 2,
        "only a shadow of it is seen"
    );

    // Loaded anew, the page shows what it showed.
    b.client.refresh().await.expect("reloaded");
    b.picture().await;
    b.reads("chip-hidden", "3 hidden").await;
    b.reads("chip-ghosted", "3 ghosted").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn places_are_brought_onto_places_and_frames_stand_where_one_clicks() {
    let (_server, b, _) = open(&cell_with_a_pin()).await;
    let view = FrontView::of(&b).await;

    // A vertex onto a vertex: near a corner the corner is meant.
    b.pick("clamp-1").await;
    stands(&b, [-400.0, 0.0, 540.0]).await;
    b.find_and_do("Snap a point").await;
    view.click(&b, "Clamp 1", -427.0, 577.0).await;
    view.click(&b, "Fixture", -446.0, 496.0).await;
    b.undo_says("Undo move Clamp 1").await;
    stands(&b, [-420.0, -120.0, 460.0]).await;
    b.with_control('z').await;
    stands(&b, [-400.0, 0.0, 540.0]).await;

    // A face against a face: the clamp's front lies on the fixture's front.
    b.pick("clamp-2").await;
    b.find_and_do("Lay a face").await;
    view.click(&b, "Clamp 2", -200.0, 540.0).await;
    view.click(&b, "Fixture", -300.0, 460.0).await;
    b.undo_says("Undo move Clamp 2").await;
    b.until(
        "it lies on it",
        "document.querySelector('[data-test=at-Y]')?.value === '-180.000'",
    )
    .await;
    b.with_control('z').await;
    stands(&b, [-200.0, 0.0, 540.0]).await;

    // An axis onto an axis; first a place of the selection is wanted, then one of something else.
    b.pick("pin").await;
    b.find_and_do("Bring an axis").await;
    view.click(&b, "Pin", 100.0, 540.0).await;
    view.click(&b, "Post", 600.0, 800.0).await;
    b.undo_says("Undo move Pin").await;
    b.until(
        "it stands in its axis",
        "document.querySelector('[data-test=at-X]')?.value === '600.000'",
    )
    .await;
    assert_eq!(b.value("at-Y").await, 700.0);
    b.with_control('z').await;
    stands(&b, [100.0, -200.0, 500.0]).await;

    // Two clamps turn about a picked corner.
    b.pick("clamp-1").await;
    b.hold(key::CONTROL).await;
    b.row("clamp-2").await.click().await.expect("a click");
    b.let_go(key::CONTROL).await;
    selected(&b, &["clamp-1", "clamp-2"]).await;
    b.find_and_do("Turn it about").await;
    view.click(&b, "Fixture", -446.0, 496.0).await;
    b.fill("turn-Z", "90").await;
    b.undo_says("Undo move 2 items").await;
    b.keys(key::ESCAPE).await;
    b.pick("clamp-1").await;
    stands(&b, [-600.0, -100.0, 540.0]).await;
    b.with_control('z').await;

    // Frames: on a face with Z out of it, in the axis of what is round, by three points.
    b.find_and_do("New frame on a face").await;
    view.click(&b, "Table", 300.0, 400.0).await;
    b.undo_says("Undo add").await;
    b.until(
        "it stands on the face",
        "document.querySelector('[data-test=at-Y]')?.value === '-400.000'",
    )
    .await;
    b.find_and_do("New frame in the axis").await;
    view.click(&b, "Post", 600.0, 800.0).await;
    b.until(
        "it stands in the axis",
        "document.querySelector('[data-test=at-X]')?.value === '600.000'",
    )
    .await;
    assert_eq!(b.value("at-Y").await, 700.0);
    b.find_and_do("New frame by three points").await;
    for (x, z) in [(-446.0, 424.0), (-154.0, 424.0), (-446.0, 496.0)] {
        view.click(&b, "Fixture", x, z).await;
    }
    b.undo_says("Undo add").await;
    stands(&b, [-450.0, -150.0, 420.0]).await;
    // X to the right, Y up: turned about X by 90°.
    assert_eq!(
        [
            b.value("at-Roll").await,
            b.value("at-Pitch").await,
            b.value("at-Yaw").await
        ],
        [90.0, 0.0, 0.0]
    );
    // Made the active one, numbers are meant in it: the clamp stands 150 mm behind it.
    b.find_and_do("Make its frame the active").await;
    b.pick("clamp-1").await;
    b.until(
        "numbers in it",
        "document.querySelector('[data-test=at-Z]')?.value === '-150.000'",
    )
    .await;
    assert_eq!(
        [b.value("at-X").await, b.value("at-Y").await],
        [50.0, 120.0]
    );
    b.find_and_do("Make the world frame").await;

    // Carried along, the camera goes with what is dragged: it stays under the pointer's pixel.
    b.pick("fixture").await;
    let x = b.value("at-X").await;
    b.find_and_do("Camera goes along").await;
    b.keys("j").await;
    b.rests().await;
    let arrow = b.somewhere(|[r, g, b]| r > 150 && g < 100 && b < 90).await;
    b.drag(Button::Left, arrow, (arrow.0 + 60.0, arrow.1)).await;
    b.undo_says("Undo move Fixture").await;
    b.keys(key::ESCAPE).await;
    b.until(
        "it has moved",
        &format!(
            "document.querySelector('[data-test=at-X]')?.value > {}",
            x + 20.0
        ),
    )
    .await;
    let moved = b.value("at-X").await - x;
    let (px, py) = view.pixel(-300.0, 460.0);
    b.point(px + 1.0, py).await;
    b.reads("under", "Fixture").await;
    let now = coordinates(&b).await;
    assert!(
        (now[0] - (-300.0 + moved)).abs() < 3.0 * view.mm_per_pixel,
        "{now:?} after {moved}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn rows_files_and_links_are_dragged_dropped_and_followed() {
    let (server, b, id) = open(&small_cell()).await;
    let path = format!("/api/cells/{id}");

    // A row dragged onto another: it is asked which pose stays.
    let (from, to) = (b.middle_of("clamp-1").await, b.middle_of("post").await);
    b.drag_slowly(from, to).await;
    b.reads("hang-dialog", "Post").await;
    b.click("hang-world").await;
    b.uncovered().await;
    b.undo_says("Undo hang Clamp 1 on Post").await;
    b.pick("clamp-1").await;
    stands(&b, [-400.0, 0.0, 540.0]).await;
    // Nothing can hang on itself or what hangs on it.
    let (from, to) = (b.middle_of("table").await, b.middle_of("fixture").await);
    b.drag_slowly(from, to).await;
    assert!(!b.has("hang-dialog").await);

    // Files dropped on the page.
    let folder = tempfile::tempdir().expect("a folder");
    let inside = folder.path().join("plates");
    std::fs::create_dir(&inside).expect("a folder");
    std::fs::write(
        inside.join("plate.stl"),
        write_stl(&box_mesh([0.2, 0.1, 0.01]), LengthUnit::Mm),
    )
    .expect("written");
    b.drop_files(&[&inside], (700.0, 300.0)).await;
    b.reads("found-size", "200.0 × 100.0 × 10.0 mm").await;
    b.click("import-store").await;
    b.uncovered().await;
    b.row("plate").await;
    selected(&b, &["plate"]).await;
    let address = async || {
        b.client
            .current_url()
            .await
            .expect("an address")
            .to_string()
    };
    assert!(
        address().await.ends_with("?item=plate"),
        "the address bar is a link to it"
    );

    // What is shown leaves as GLB: alone, if it is isolated.
    b.keys("i").await;
    b.find_and_do("Export what is shown as GLB").await;
    let glb = b.downloaded(".glb").await;
    assert_eq!(&glb[..4], b"glTF");
    let text = String::from_utf8_lossy(&glb).into_owned();
    assert!(
        text.contains("Plate") || text.contains("plate"),
        "{}",
        &text[..200]
    );
    assert!(!text.contains("Fixture"));

    // A link to a saved view shows it, also to someone who was never here.
    b.keys("V").await;
    b.name_it("Plate alone").await;
    b.uncovered().await;
    let cell = server.get(&path).await;
    let view = cell["document"]["views"][0]["id"]
        .as_str()
        .expect("an id")
        .to_owned();
    let other = Browser::open(&format!("{}/cells/{id}?view={view}", server.url)).await;
    other.picture().await;
    other.reads("chip-hidden", "6 hidden").await;
    // One to what is not there says so.
    other.client.goto("about:blank").await.expect("away");
    other
        .client
        .goto(&format!("{}/cells/{id}?item=lamp", server.url))
        .await
        .expect("the page");
    other
        .until(
            "it is said",
            "document.body.innerText.includes('not here any more')",
        )
        .await;
    assert_eq!(
        server.get(&path).await["document"]["items"]
            .as_array()
            .map(Vec::len),
        Some(7)
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn thousands_of_different_things_open_and_are_gone_through_without_a_hitch() {
    let boxes = (0..2400).map(|i| {
        let (x, y) = (i % 60, i / 60);
        json!({"id": format!("b{i}"), "name": format!("Block {i}"), "role": "part", "pose": {"xyz_mm": [x * 100, y * 100, 50]},
            "bodies": [{"shape": {"box": {"size_mm": [30.0 + f64::from(i) * 0.01, 40, 100]}}}]})
    });
    let items: Vec<Value> = boxes.collect();
    let document = json!({"format": "selvik-cell/1", "name": "Blocks", "items": items});
    let mut files = PackageFiles::default();
    files
        .insert(CELL_FILE, document.to_string().into_bytes())
        .expect("a plain name");
    let (_server, b, _) = open(&files).await;

    // Only rows in sight are there; the last is one key away, any other a few letters.
    let rows = "document.querySelectorAll('[role=treeitem]').length";
    b.until("few rows", &format!("{rows} > 10 && {rows} < 80"))
        .await;
    b.pick("b0").await;
    b.find("tree")
        .await
        .send_keys("\u{E010}")
        .await
        .expect("a key");
    selected(&b, &["b2399"]).await;
    b.find("tree")
        .await
        .send_keys("block 120")
        .await
        .expect("typed");
    selected(&b, &["b120"]).await;
    b.find("filter")
        .await
        .send_keys("2300")
        .await
        .expect("typed");
    b.until("one row", &format!("{rows} === 1")).await;
    b.row("b2300").await.click().await.expect("a click");
    b.keys("f").await;
    b.reads("inspector", "53.0 × 40.0 × 100.0 mm").await;
    b.with_control('a').await;
    b.reads("selected-count", "2400").await;
}
