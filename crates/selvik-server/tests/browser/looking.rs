//! Looking round in the real interface: the hand, the dial, panes, standing in the cell, styles.

use crate::support::Server;
use crate::support::browser::{Browser, Button, key};
use crate::support::pixels::bluish;
use serde_json::json;

async fn demo() -> (Server, Browser) {
    let server = Server::start().await;
    server.with(&crate::support::demo_without_rules()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    (server, b)
}

#[tokio::test(flavor = "multi_thread")]
async fn every_movement_of_the_hand_does_what_the_hint_says() {
    let (_server, b) = demo().await;
    let (bearing, elevation) = (b.value("bearing").await, b.value("elevation").await);
    assert!(
        b.text("hint")
            .await
            .starts_with("Right drag turns · Middle drag moves · Left selects")
    );

    // Bearing only, elevation only, and neither.
    b.drag_with(key::SHIFT, Button::Right, (600.0, 300.0), (700.0, 380.0))
        .await;
    assert!((bearing - b.value("bearing").await - 35.0).abs() < 1.0);
    assert!((b.value("elevation").await - elevation).abs() < 1e-9);
    b.drag_with(key::CONTROL, Button::Right, (600.0, 300.0), (660.0, 340.0))
        .await;
    assert!((b.value("elevation").await - elevation - 14.0).abs() < 0.5);
    let turned = b.value("bearing").await;
    assert!((bearing - turned - 35.0).abs() < 1.0);
    b.drag(Button::Middle, (600.0, 300.0), (700.0, 330.0)).await;
    assert!(
        (b.value("bearing").await - turned).abs() < 1e-9,
        "moving sideways does not turn"
    );

    // A left drag selects what lies inside; while V is held it turns instead, and afterwards selects again.
    b.keys("F").await;
    b.drag(Button::Left, (250.0, 110.0), (990.0, 600.0)).await;
    assert!(
        b.selected_count().await > 20,
        "a rectangle round everything"
    );
    b.keys(key::ESCAPE).await;
    let before = b.value("bearing").await;
    b.drag_with('v', Button::Left, (600.0, 300.0), (640.0, 300.0))
        .await;
    assert!((before - b.value("bearing").await - 14.0).abs() < 1.0);
    assert!(b.selected_count().await == 0);
    b.drag(Button::Left, (250.0, 110.0), (990.0, 600.0)).await;
    assert!(b.selected_count().await > 20);
    b.keys(key::ESCAPE).await;

    // A short stroke of the dial at the pointer.
    b.point(620.0, 320.0).await;
    b.hold('d').await;
    b.point(620.0, 276.0).await;
    assert!(b.text("held-dial").await.contains("Back"));
    b.let_go('d').await;
    b.reads("bearing", "180°").await;
    b.reads("elevation", "0°").await;

    // Roll is asked for, said, and levelled.
    b.keys("\u{E008}\u{E012}\u{E000}").await;
    b.reads("chip-rolled", "Rolled by 15.0°").await;
    b.click("chip-rolled").await;
    b.until(
        "level again",
        "!document.querySelector('[data-test=chip-rolled]')",
    )
    .await;

    // The views left are kept over a reload, the present one as well.
    b.rests().await;
    b.client.refresh().await.expect("reloaded");
    b.picture().await;
    b.reads("bearing", "180°").await;
    for _ in 0..6 {
        b.keys("b").await;
    }
    assert!((b.value("bearing").await - 180.0).abs() > 1.0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_drawing_holds_square_until_it_is_meant() {
    let (_server, b) = demo().await;
    b.choose("projection", "parallel").await;
    b.click("view-front").await;
    b.reads("bearing", "0°").await;
    b.drag(Button::Right, (600.0, 300.0), (622.0, 300.0)).await;
    assert_eq!(
        b.value("bearing").await,
        0.0,
        "a nudge does not tilt a drawing"
    );
    b.drag(Button::Right, (600.0, 300.0), (660.0, 300.0)).await;
    assert_ne!(b.value("bearing").await, 0.0);
    assert!(b.text("chip-off-square").await.starts_with("Off square by"));
    b.click("chip-off-square").await;
    b.reads("bearing", "0°").await;
    assert!(
        b.text("projection").await.contains("Parallel"),
        "the projection stays"
    );
    b.keys("\u{E014}").await;
    b.reads("bearing", "45°").await;

    // The lens widens the view and leaves the camera; millimetres and degrees agree (36 mm frame).
    b.keys("o").await;
    b.unfold("projection", "lens").await;
    b.fill("lens", "50").await;
    b.reads("lens-degrees", "39.6°").await;
    b.fill("pivot-x", "100").await;
    b.reads("pivot-x", "100").await;
    b.keys(key::ESCAPE).await;

    // A rectangle drawn on the picture fills the view.
    b.keys("F").await;
    b.rests().await;
    let before = b.count(bluish).await;
    b.keys("R").await;
    b.drag(Button::Left, (520.0, 200.0), (640.0, 290.0)).await;
    b.rests().await;
    assert_ne!(b.count(bluish).await, before);

    // Square on to a face: what is picked from the front is seen from the front.
    b.click("view-front").await;
    b.rests().await;
    let (x, y) = b
        .somewhere(|[r, g, b]| r > 150 && r > g && g > b && r - b > 20 && r - b < 60)
        .await;
    b.keys("n").await;
    b.click_at(Button::Left, x, y).await;
    b.rests().await;
    let (bearing, elevation) = (b.value("bearing").await, b.value("elevation").await);
    assert!(bearing.abs() < 90.1 && elevation.abs() < 90.1);
}

#[tokio::test(flavor = "multi_thread")]
async fn four_panes_stand_and_look_each_for_itself() {
    let (_server, b) = demo().await;
    b.choose("panes", "layout-four").await;
    b.until(
        "four panes",
        "document.querySelectorAll('[data-test^=pane-]').length === 4",
    )
    .await;
    let bearings = b
        .script(
            "return [...document.querySelectorAll('[data-test=elevation]')].map((e) => e.value)",
        )
        .await;
    assert_eq!(bearings, json!(["24°", "90°", "0°", "0°"]));
    // The camera of the active pane is drawn in the plan, and moves live.
    b.rests().await;
    let spruce = |[r, g, b]: [u8; 3]| r < 70 && g > 70 && g < 130 && b < 120 && g > r + 30;
    let camera = b.count(spruce).await;
    assert!(camera > 100, "{camera}");
    b.drag(Button::Right, (400.0, 200.0), (440.0, 200.0)).await;
    b.rests().await;
    assert_ne!(b.count(spruce).await, camera);

    // One pane enlarged and back, by a key.
    b.point(800.0, 200.0).await;
    b.keys("e").await;
    b.until(
        "one pane",
        "document.querySelectorAll('[data-test^=pane-]').length === 1",
    )
    .await;
    b.click("chip-enlarged").await;
    b.until(
        "four again",
        "document.querySelectorAll('[data-test^=pane-]').length === 4",
    )
    .await;

    // Panes that move together keep their directions.
    b.choose("panes", "linked").await;
    b.wheel(400, 200, -300).await;
    b.rests().await;
    let after = b
        .script(
            "return [...document.querySelectorAll('[data-test=elevation]')].map((e) => e.value)",
        )
        .await;
    assert_eq!(after, bearings);

    // Panels close, and one action brings the standard arrangement back.
    b.unfold("panes", "panel-roster").await;
    b.click("panel-roster").await;
    b.until("no roster", "!document.querySelector('[role=tree]')")
        .await;
    b.click("standard-panels").await;
    b.until(
        "the roster is back",
        "document.querySelector('[role=tree]')",
    )
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn one_stands_in_the_cell_walks_and_keeps_the_view() {
    let (_server, b) = demo().await;
    b.keys("g").await;
    b.click_at(Button::Left, 560.0, 500.0).await;
    b.reads("standpoint", "Standing").await;
    b.rests().await;
    assert_eq!(b.value("eye-height").await, 1600.0);
    let before = b.count(bluish).await;
    let drawn = "Number(document.querySelector('[data-test=picture]').dataset.frames)";
    let frames = b.script(&format!("return {drawn}")).await;
    b.hold('w').await;
    b.until(
        "it goes as long as the key is held",
        &format!("{drawn} > {frames} + 3"),
    )
    .await;
    b.let_go('w').await;
    b.rests().await;
    assert_ne!(
        b.count(bluish).await,
        before,
        "walking changes what is seen"
    );
    assert_eq!(b.value("eye-height").await, 1600.0, "walking stays level");
    let speed: f64 = b.text("speed").await.parse().expect("a speed");
    b.wheel(600, 300, -300).await;
    b.rests().await;
    let faster: f64 = b.text("speed").await.parse().expect("a speed");
    assert!(faster > speed, "{speed} {faster}");
    b.fill("eye-height", "1200").await;
    b.reads("eye-height", "1200").await;
    b.click("leave-standpoint").await;
    b.until(
        "the dial is back",
        "document.querySelector('[data-test=bearing]')",
    )
    .await;
    assert_eq!(b.value("elevation").await, 0.0, "the view is kept");

    // A camera set on the plan with two clicks.
    b.hold(key::CONTROL).await;
    b.keys("k").await;
    b.let_go(key::CONTROL).await;
    b.find("find")
        .await
        .send_keys("camera on the plan\u{E007}")
        .await
        .expect("typed");
    b.reads("elevation", "90°").await;
    b.rests().await;
    b.click_at(Button::Left, 620.0, 560.0).await;
    b.click_at(Button::Left, 620.0, 300.0).await;
    b.reads("elevation", "0°").await;
    b.reads("bearing", "0°").await;
    b.rests().await;
    assert!(
        b.count(bluish).await > 500,
        "the camera looks into the cell"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn styles_frames_and_grid_are_what_they_say() {
    let (_server, b) = demo().await;
    let dark = |[r, g, b]: [u8; 3]| r < 90 && g < 90 && b < 95;
    let style = async |id: &str| {
        b.choose("style", &format!("style-{id}")).await;
        b.rests().await;
        (b.count(dark).await, b.count(bluish).await)
    };
    let (ink, tint) = style("shaded_edges").await;
    let (bare, same_tint) = style("shaded").await;
    assert!(bare * 2 < ink, "shaded has no edges: {bare} of {ink}");
    assert!(same_tint + 500 > tint);
    let (lines, none) = style("hidden_removed").await;
    assert!(none * 10 < tint && lines > 1000, "lines are not tinted");
    b.reads("chip-style", "Hidden edges removed").await;
    let (dashed, _) = style("hidden_dashed").await;
    assert_ne!(dashed, lines, "dashes are seen");
    let (wires, _) = style("wireframe").await;
    assert!(wires > 1000);
    b.click("chip-style").await;
    b.until(
        "plain again",
        "!document.querySelector('[data-test=chip-style]')",
    )
    .await;

    // Frames by kind, larger and smaller; the grid with its spacing.
    let red = |[r, g, b]: [u8; 3]| r > 160 && g < 80 && b < 70;
    b.rests().await;
    let some = b.count(red).await;
    b.unfold("frames", "frames-target").await;
    b.click("frames-target").await;
    b.rests().await;
    let more = b.shows("targets", red, |more| more > some).await;
    b.click("frames-larger").await;
    b.click("frames-larger").await;
    b.keys(key::ESCAPE).await;
    b.rests().await;
    assert!(b.count(red).await > more, "larger frames");
    assert!(b.text("grid-spacing").await.starts_with("Grid "));
    b.choose("style", "grid").await;
    b.reads("chip-grid", "No grid").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_matters_is_one_double_click_or_one_key_away() {
    let (_server, b) = demo().await;
    b.reads("grid-spacing", "500 mm").await;

    // A double click fits the thing; one of the wheel fits all; a key fits the selection.
    let (x, y) = b.somewhere(bluish).await;
    b.double_click_at(Button::Left, x, y).await;
    b.until(
        "it came nearer",
        "!document.querySelector('[data-test=grid-spacing]').innerText.includes('500 mm')",
    )
    .await;
    b.double_click_at(Button::Middle, 620.0, 300.0).await;
    b.reads("grid-spacing", "500 mm").await;
    b.rests().await;
    let (x, y) = b.somewhere(bluish).await;
    b.click_at(Button::Left, x, y).await;
    b.until(
        "one is selected",
        "document.querySelector('[data-test=selected-count]')?.innerText === '1'",
    )
    .await;
    b.keys("f").await;
    b.until(
        "it came nearer",
        "!document.querySelector('[data-test=grid-spacing]').innerText.includes('500 mm')",
    )
    .await;
    b.keys("F").await;
    b.reads("grid-spacing", "500 mm").await;

    // From behind, and back again; a double click can set the pivot instead.
    let bearing = b.value("bearing").await;
    b.keys("O").await;
    b.rests().await;
    assert!(((b.value("bearing").await - bearing).rem_euclid(360.0) - 180.0).abs() < 0.2);
    b.keys("b").await;
    b.rests().await;
    assert!((b.value("bearing").await - bearing).abs() < 0.2);

    // Standard views in parallel projection, for those who want it so; perspective comes back by itself.
    b.click("settings").await;
    b.click("parallel-standard").await;
    b.click("settings-close").await;
    b.uncovered().await;
    b.click("view-front").await;
    b.reads("projection", "Parallel").await;
    b.keys("b").await;
    b.reads("projection", "Persp").await;

    // While a turn lasts the point turned about is marked.
    let watch = "window.marked = 0; new MutationObserver(() => { if (document.querySelector('[data-test=pivot]')) window.marked++ }).observe(document.body, {childList: true, subtree: true})";
    b.script(watch).await;
    b.drag(Button::Right, (600.0, 300.0), (700.0, 330.0)).await;
    b.until("it was marked", "window.marked > 0").await;
    b.until(
        "no mark any more",
        "!document.querySelector('[data-test=pivot]')",
    )
    .await;

    // Everything that makes the picture differ is said, and undone by a click.
    b.choose("style", "own-colours").await;
    b.unfold("projection", "lens").await;
    b.fill("lens", "90").await;
    b.keys(key::ESCAPE).await;
    b.reads("chip-lens", "Lens 90 mm").await;
    b.click("chip-lens").await;
    b.reads("projection", "35 mm").await;
    b.click("chip-colours").await;
    b.until("no chips", "!document.querySelector('[data-test^=chip-]')")
        .await;
}
