//! Measuring by the hand: what is picked, what is known of it, what lies between two, what is kept of it.

use crate::by_hand::{FrontView, open};
use crate::support::browser::{Browser, Button, key};
use crate::support::pixels::Rgb;
use crate::support::small_cell;

const SHIFT: char = '\u{E008}';

/// What is measured is plum.
fn plum([r, g, b]: Rgb) -> bool {
    r > g.saturating_add(60) && b > g.saturating_add(40)
}

/// The whole of what is seen there.
async fn click_whole(b: &Browser, view: &FrontView, x_mm: f64, z_mm: f64) {
    let (x, y) = view.pixel(x_mm, z_mm);
    b.hold(SHIFT).await;
    b.click_at(Button::Left, x, y).await;
    b.let_go(SHIFT).await;
}

/// A fixture of 300 × 300 × 80, its front at Y −150; two clamps of 60 × 60 × 80 on it, 200 apart, their fronts at Y −30.
#[tokio::test(flavor = "multi_thread")]
async fn one_thing_is_known_by_a_click_and_between_two_lies_what_geometry_says() {
    let (_server, b, _) = open(&small_cell()).await;
    let view = FrontView::of(&b).await;
    assert_eq!(b.count(plum).await, 0);
    b.keys("m").await;
    b.find("measure-empty").await;

    let (x, y) = view.pixel(-300.0, 460.0);
    b.point(x, y).await;
    b.reads("measure-aimed", "Flat face · Fixture").await;
    b.click_at(Button::Left, x, y).await;
    b.reads("known-0", "Flat face").await;
    b.reads("findings-shown", "240.0 cm²").await;
    b.reads("findings-shown", "0.000 -1.000 0.000").await;

    let (x, y) = view.pixel(-200.0, 540.0);
    b.click_at(Button::Left, x, y).await;
    b.reads("known-1", "Clamp 2").await;
    b.reads("smallest", "120.00 mm").await;
    b.reads("between", "plane to plane").await;
    b.reads("measure-span", "120.00 mm").await;
    b.rests().await;
    assert!(b.count(plum).await > 100, "both are outlined");

    // A corner is meant from near it, and begins a new measurement; coordinates are the world's, then a frame's.
    let (x, y) = view.pixel(-447.0, 497.0);
    b.click_at(Button::Left, x, y).await;
    b.reads("known-0", "Corner").await;
    b.reads("findings-shown", "-450.00 -150.00 500.00").await;
    b.set("measure-frame", "datum").await;
    b.reads("findings-shown", "-450.00 -150.00 80.00").await;

    // An edge: 300 long, along X.
    b.click("measure-clear").await;
    let (x, y) = view.pixel(-300.0, 498.0);
    b.click_at(Button::Left, x, y).await;
    b.reads("known-0", "Edge 300.00 mm").await;

    b.keys(key::ESCAPE).await;
    b.keys(key::ESCAPE).await;
    b.find("measure-empty").await;
    b.rests().await;
    assert_eq!(b.count(plum).await, 0, "nothing is left of it");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_kept_says_what_it_was_when_something_moves_and_when_it_is_gone() {
    let (_server, b, _) = open(&small_cell()).await;
    let view = FrontView::of(&b).await;
    b.keys("m").await;
    click_whole(&b, &view, -400.0, 540.0).await;
    b.reads("known-0", "Clamp 1").await;
    b.click("nearest").await;
    b.reads("neighbour", "Fixture").await;
    click_whole(&b, &view, -200.0, 540.0).await;
    b.reads("smallest", "140.00 mm").await;
    b.keys("\u{E008}m\u{E000}").await;
    b.reads("kept-finding", "Clamp 1 to Clamp 2").await;
    b.reads("kept-finding", "140.00 mm").await;
    b.keys(key::ESCAPE).await;
    b.keys(key::ESCAPE).await;

    b.pick("clamp-2").await;
    b.set("frame-choice", "world").await;
    b.fill("at-X", "+12.5").await;
    b.reads("kept-changed", "was 140.00 mm").await;
    b.reads("kept-finding", "152.50 mm").await;

    // Going back to it measures it again, where it is now.
    b.script("document.querySelector('[data-test=kept-finding] button').click()")
        .await;
    b.reads("smallest", "152.50 mm").await;
    b.keys(key::ESCAPE).await;

    b.pick("clamp-2").await;
    b.keys(key::DELETE).await;
    b.click("delete-ok").await;
    b.uncovered().await;
    b.reads("kept-gone", "no item \"clamp-2\"").await;
    b.reads("kept-finding", "140.00 mm").await;
    b.click("undo").await;
    b.reads("kept-finding", "152.50 mm").await;
    b.click("kept-delete").await;
    b.until(
        "nothing is kept",
        "!document.querySelector('[data-test=kept-finding]')",
    )
    .await;
}
