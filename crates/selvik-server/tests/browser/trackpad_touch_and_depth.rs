//! Looking without a mouse, drags without an end, and cells from a tenth of a millimetre to half a kilometre.

use std::time::Duration;

use crate::support::Server;
use crate::support::browser::{Browser, Button, key};
use crate::support::pixels::bluish;
use fantoccini::actions::{
    Actions, InputSource, MouseActions, PointerAction, TouchActions, WheelAction, WheelActions,
};
use selvik_cell::document::CELL_FILE;
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

async fn open(package: &PackageFiles) -> (Server, Browser) {
    let server = Server::start().await;
    server.with(package).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    (server, b)
}

fn cell(items: &Value) -> PackageFiles {
    let document = json!({"format": "selvik-cell/1", "name": "Thin and far", "items": items});
    let mut files = PackageFiles::default();
    files
        .insert(CELL_FILE, document.to_string().into_bytes())
        .expect("a plain name");
    files
}

fn slab(id: &str, colour: &str, size_mm: [f64; 3], xyz_mm: [f64; 3]) -> Value {
    let bodies = json!([{"shape": {"box": {"size_mm": size_mm}}}]);
    json!({"id": id, "name": id, "role": "part", "colour": colour, "pose": {"xyz_mm": xyz_mm}, "bodies": bodies})
}

fn to(x: f64, y: f64, ms: u64) -> PointerAction {
    PointerAction::MoveTo {
        duration: Some(Duration::from_millis(ms)),
        x,
        y,
    }
}

/// One finger from a place to another.
fn finger(name: &str, from: (f64, f64), onto: (f64, f64)) -> TouchActions {
    TouchActions::new(name.to_owned())
        .then(to(from.0, from.1, 0))
        .then(PointerAction::Down { button: 0 })
        .then(to((from.0 + onto.0) / 2.0, (from.1 + onto.1) / 2.0, 60))
        .then(to(onto.0, onto.1, 60))
        .then(PointerAction::Up { button: 0 })
}

/// What a trackpad sends: pixels in both directions; with Ctrl for a pinch.
async fn swipe(b: &Browser, delta_x: i64, delta_y: i64) {
    let mut wheel = WheelActions::new("wheel".to_owned());
    wheel.push(WheelAction::Scroll {
        duration: None,
        x: 600,
        y: 300,
        delta_x,
        delta_y,
    });
    b.client.perform_actions(wheel).await.expect("a swipe");
    b.rests().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn two_fingers_turn_move_and_pinch_on_a_trackpad_and_on_glass() {
    let (_server, b) = open(&crate::support::demo_without_rules()).await;
    let looks = async || (b.value("bearing").await, b.value("elevation").await);

    let (bearing, elevation) = looks().await;
    swipe(&b, 50, 30).await;
    let turned = looks().await;
    assert!(
        (turned.0 - bearing).abs() > 5.0 && (turned.1 - elevation).abs() > 3.0,
        "{turned:?}"
    );
    let tints = b.count(bluish).await;
    b.hold(key::SHIFT).await;
    swipe(&b, 90, 40).await;
    b.let_go(key::SHIFT).await;
    assert_eq!(looks().await, turned, "moving sideways does not turn");
    b.rests().await;
    assert_ne!(b.count(bluish).await, tints);
    b.reads("grid-spacing", "500 mm").await;
    b.hold(key::CONTROL).await;
    for _ in 0..3 {
        swipe(&b, 0, -80).await;
    }
    b.let_go(key::CONTROL).await;
    assert_eq!(looks().await, turned, "a pinch comes straight nearer");
    assert_ne!(b.text("grid-spacing").await, "Grid 500 mm");

    // Glass: one finger turns, two move apart to come nearer; a tap selects.
    b.keys("F").await;
    b.reads("grid-spacing", "500 mm").await;
    b.client
        .perform_actions(finger("a", (600.0, 300.0), (640.0, 300.0)))
        .await
        .expect("a finger");
    b.rests().await;
    let after = looks().await;
    assert!((turned.0 - after.0).abs() > 5.0, "{turned:?} {after:?}");
    let pinch = Actions::from(finger("a", (580.0, 300.0), (420.0, 300.0))).and(finger(
        "b",
        (640.0, 300.0),
        (800.0, 300.0),
    ));
    b.client.perform_actions(pinch).await.expect("two fingers");
    b.rests().await;
    assert_eq!(looks().await, after, "a pinch does not turn");
    assert_ne!(b.text("grid-spacing").await, "Grid 500 mm");
    b.keys("F").await;
    b.reads("grid-spacing", "500 mm").await;
    b.rests().await;
    let (x, y) = b.somewhere(bluish).await;
    b.client
        .perform_actions(finger("a", (x, y), (x, y)))
        .await
        .expect("a tap");
    b.until(
        "one is selected",
        "document.querySelector('[data-test=selected-count]')?.innerText === '1'",
    )
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drag_goes_on_where_the_window_ends() {
    let (_server, b) = open(&crate::support::demo_without_rules()).await;
    let listen =
        "window.held = 0; document.addEventListener('pointerlockchange', () => window.held++)";
    b.script(listen).await;
    let button = Button::Right as u64;
    // A browser without a screen grants it late, and not each time.
    for _ in 0..8 {
        let before = b.value("bearing").await;
        let out = MouseActions::new("mouse".to_owned())
            .then(to(900.0, 300.0, 20))
            .then(PointerAction::Down { button })
            .then(to(1000.0, 300.0, 60))
            .then(to(1279.0, 300.0, 60))
            .then(PointerAction::Pause {
                duration: Duration::from_millis(800),
            })
            .then(PointerAction::Up { button });
        b.client
            .perform_actions(out)
            .await
            .expect("a drag to the edge");
        let turned = (before - b.value("bearing").await).rem_euclid(360.0);
        assert!(
            (turned - 379.0 * 0.35).abs() < 2.0,
            "it turned on the way: {turned}"
        );
        b.until("it is let go", "document.pointerLockElement === null")
            .await;
        if b.script("return window.held > 0").await == json!(true) {
            return;
        }
    }
    panic!("the pointer was never held at the edge of the window");
}

/// Everything by keys alone; what is shown while one turns is marked.
#[tokio::test(flavor = "multi_thread")]
async fn the_keyboard_alone_turns_moves_and_comes_nearer() {
    let (_server, b) = open(&crate::support::demo_without_rules()).await;
    let combined = async |keys: &str| {
        b.hold(key::CONTROL).await;
        b.keys(keys).await;
        b.let_go(key::CONTROL).await;
        b.rests().await;
    };
    let (bearing, elevation) = (b.value("bearing").await, b.value("elevation").await);
    combined("\u{E008}\u{E014}\u{E014}\u{E013}").await;
    assert!((b.value("bearing").await - bearing - 10.0).abs() < 0.11);
    assert!((b.value("elevation").await - elevation - 5.0).abs() < 0.11);
    let tints = b.count(bluish).await;
    combined("\u{E012}\u{E012}").await;
    let moved = b.count(bluish).await;
    assert_ne!(moved, tints);
    assert!(
        (b.value("bearing").await - bearing - 10.0).abs() < 0.11,
        "moving does not turn"
    );
    b.reads("grid-spacing", "500 mm").await;
    b.keys(&"\u{E00E}".repeat(8)).await;
    b.until(
        "it came nearer",
        "!document.querySelector('[data-test=grid-spacing]').innerText.includes('500 mm')",
    )
    .await;
    b.keys("\u{E014}").await;
    assert_eq!(
        b.value("bearing").await % 45.0,
        0.0,
        "an arrow goes to the next notch"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_tenth_of_a_millimetre_stays_apart_beside_half_a_kilometre() {
    let items = json!([
        slab("block", "#D02020", [180.0, 180.0, 40.0], [0.0, 0.0, 20.0]),
        slab("sheet", "#2040D0", [200.0, 200.0, 0.05], [0.0, 0.0, 40.125]),
        slab(
            "far-wall",
            "#909090",
            [100_000.0, 1000.0, 60_000.0],
            [0.0, 500_000.0, 30_000.0]
        ),
    ]);
    let (_server, b) = open(&cell(&items)).await;
    let red = |[r, g, b]: [u8; 3]| r > 90 && i32::from(r) - i32::from(g.max(b)) > 40;
    b.choose("style", "own-colours").await;
    // Neither from its own size, nor from near enough to touch, nor from twenty metres.
    b.click("view-top").await;
    b.reads("elevation", "90°").await;
    let row =
        "[...document.querySelectorAll('[role=treeitem]')].find((e) => e.dataset.id === 'sheet')";
    b.script(&format!("{row}.click()")).await;
    b.keys("f").await;
    b.keys(key::ESCAPE).await;
    b.rests().await;
    let (blue, through) = (b.count(bluish).await, b.count(red).await);
    assert!(blue > 40_000, "the sheet fills the picture: {blue}");
    assert_eq!(through, 0, "the block below does not shine through");
    for _ in 0..14 {
        b.wheel(620, 300, -240).await;
    }
    b.rests().await;
    assert_eq!(
        b.count(red).await,
        0,
        "nor from {}",
        b.text("grid-spacing").await
    );
    assert!(b.count(bluish).await > 100_000, "still in front of the eye");
    b.keys("F").await;
    b.rests().await;
    let wall = b
        .count(|[r, g, b]| r.abs_diff(g) < 12 && g.abs_diff(b) < 12 && r > 90 && r < 190)
        .await;
    assert!(wall > 200, "half a kilometre off it is drawn whole: {wall}");
}
