//! Cuts by the hand: planes, slabs and corners, what is left whole, along a face, with a frame.

use crate::by_hand::{FrontView, green, open};
use crate::support::browser::{Browser, Button, key};
use crate::support::small_cell;

/// The area of all cut faces, and where the cut is said to be.
async fn is_cut(b: &Browser, chip: &str, area: &str) {
    b.reads("section-area", area).await;
    b.reads("chip-section", chip).await;
}

/// Makes the section something else by its menu.
async fn more(b: &Browser, choice: &str) {
    b.choose_from("section-more", choice).await;
    b.keys(key::ESCAPE).await;
    b.uncovered().await;
}

/// The areas in closed form: a table of 1200 × 800 × 40, a fixture of 300 × 300 × 80 with two clamps of 60 × 60 × 80.
#[tokio::test(flavor = "multi_thread")]
async fn cuts_are_planes_slabs_and_corners_and_leave_whole_what_is_told() {
    let (_server, b, _) = open(&small_cell()).await;
    let view = FrontView::of(&b).await;
    assert!(b.count(green).await > 500, "the fixture is seen");
    b.pick("fixture").await;
    b.keys("x").await;
    is_cut(&b, "Cut at Y 0.0 mm", "816.0 cm²").await;
    // Typed and nudged: behind the fixture nothing of it is left.
    b.fill("section-at", "200").await;
    is_cut(&b, "Cut at Y 200.0 mm", "480.0 cm²").await;
    b.rests().await;
    assert_eq!(b.count(green).await, 0, "the fixture is taken away");
    let field = b.find("section-at").await;
    field.send_keys("\u{E013}").await.expect("an arrow");
    is_cut(&b, "Cut at Y 201.0 mm", "480.0 cm²").await;
    b.fill("section-at", "200").await;

    more(&b, "section-slab").await;
    is_cut(&b, "Slab at Y 200.0 mm", "960.0 cm²").await;
    b.fill("section-thickness", "250").await;
    // The other plane of the slab lies behind the table.
    is_cut(&b, "Slab at Y 200.0 mm", "480.0 cm²").await;
    b.fill("section-at", "0").await;
    // 52,800 mm² behind the front plane, 28,000 beside the other, which goes through the middle of the fixture.
    more(&b, "section-quarter").await;
    is_cut(&b, "Corner at Y 0.0 mm", "808.0 cm²").await;

    // Another one, and the first again by its chip.
    b.keys("\u{E008}x\u{E000}").await;
    b.reads("chip-section1", "Cut at X").await;
    b.click("chip-section1").await;
    is_cut(&b, "Corner at Y 0.0 mm", "808.0 cm²").await;

    b.pick("table").await;
    more(&b, "section-uncut").await;
    b.reads("section-whole", "5 left whole").await;
    is_cut(&b, "Corner at Y 0.0 mm", "0.0 cm²").await;
    b.pick("table").await;
    more(&b, "section-uncut").await;
    is_cut(&b, "Corner at Y 0.0 mm", "808.0 cm²").await;

    // Along the front of the fixture, which is then gone but for what lies behind it.
    b.click("chip-section").await;
    b.keys(key::ESCAPE).await;
    b.rests().await;
    let (x, z) = (-300.0, 470.0);
    view.click(&b, "Fixture", x, z).await;
    let at = view.pixel(x, z);
    b.click_at(Button::Right, at.0, at.1).await;
    b.click("menu-cut").await;
    b.reads("chip-section", "Cut at Y -150.0 mm").await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cut_stays_where_it_is_when_it_is_fixed_to_a_frame_and_then_moves_with_it() {
    let (_server, b, _) = open(&small_cell()).await;
    let _ = FrontView::of(&b).await;
    b.pick("fixture").await;
    b.keys("x").await;
    is_cut(&b, "Cut at Y 0.0 mm", "816.0 cm²").await;
    b.click("section-more").await;
    b.find("section-fixed").await;
    b.set("section-fixed", "datum").await;
    b.keys(key::ESCAPE).await;
    b.uncovered().await;
    is_cut(&b, "Cut at Y 0.0 mm of Datum", "816.0 cm²").await;
    // The table goes to the right, the datum and the cut with it: nothing else is cut than before.
    b.pick("table").await;
    b.set("frame-choice", "world").await;
    b.fill("at-Y", "120").await;
    b.undo_says("Undo").await;
    is_cut(&b, "Cut at Y 0.0 mm of Datum", "816.0 cm²").await;
    // Free again it stays where it is now, in the world's numbers.
    b.click("section-more").await;
    b.find("section-fixed").await;
    b.set("section-fixed", "").await;
    b.keys(key::ESCAPE).await;
    is_cut(&b, "Cut at Y 120.0 mm", "816.0 cm²").await;
}

/// Where a place of the drawing (mm) is on the page.
async fn on_paper(b: &Browser, x_mm: f64, y_mm: f64) -> (f64, f64) {
    let script = format!(
        "const s = document.querySelector('[data-test=drawing-paper]'), v = s.viewBox.baseVal, r = s.getBoundingClientRect();
        return [r.left + ({x_mm} - v.x) / v.width * r.width, r.top + (-{y_mm} - v.y) / v.height * r.height]"
    );
    let found = b.script(&script).await;
    (found[0].as_f64().expect("x"), found[1].as_f64().expect("y"))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cut_is_drawn_flat_with_distances_between_corners_and_taken_away_as_files() {
    let (_server, b, _) = open(&small_cell()).await;
    let _ = FrontView::of(&b).await;
    b.pick("fixture").await;
    b.keys("x").await;
    is_cut(&b, "Cut at Y 0.0 mm", "816.0 cm²").await;
    b.click("section-draw").await;
    // Fixture 300 × 80, table 1200 × 40, clamps 60 × 80.
    for numbers in [
        "240.0 cm²",
        "480.0 cm²",
        "48.0 cm²",
        "760.00 mm",
        "300.00 × 80.00",
    ] {
        b.reads("drawn-row", numbers).await;
    }
    b.reads("drawn-row", "-300.00  460.00").await;

    b.until(
        "the paper has its size",
        "(() => { const s = document.querySelector('[data-test=drawing-paper]'), v = s.viewBox.baseVal, r = s.getBoundingClientRect();
        return Math.abs(v.width / v.height - r.width / r.height) < 1e-3 })()",
    )
    .await;
    // Both upper corners of the fixture, each from a few pixels beside it.
    for (x_mm, aside) in [(-450.0, -3.0), (-150.0, 3.0)] {
        let (x, y) = on_paper(&b, x_mm, 500.0).await;
        b.point(x + aside, y - 3.0).await;
        b.reads("drawing-at", &format!("{x_mm:.2}  500.00")).await;
        b.click_at(Button::Left, x + aside, y - 3.0).await;
    }
    b.reads("drawing-distance", "300.00 mm").await;

    b.click("drawing-svg").await;
    let svg = String::from_utf8(b.downloaded(".svg").await).expect("text");
    assert!(
        svg.contains("data-name=\"Clamp 1\"") && svg.contains(">300.00</text>"),
        "{svg}"
    );
    b.click("drawing-dxf").await;
    let dxf = String::from_utf8(b.downloaded(".dxf").await).expect("text");
    assert!(dxf.contains("CLAMP_1") && dxf.ends_with("EOF\r\n"));
    b.click("drawing-csv").await;
    let csv = String::from_utf8(b.downloaded(".csv").await).expect("text");
    assert_eq!(csv.lines().count(), 5, "{csv}");

    // What is hidden is not drawn; the cut is shifted and the drawing follows.
    b.keys(key::ESCAPE).await;
    b.until(
        "it is closed",
        "!document.querySelector('[data-test=section-drawing]')",
    )
    .await;
    b.fill("section-at", "200").await;
    b.click("section-draw").await;
    b.until(
        "only the table is drawn",
        "document.querySelectorAll('[data-test=drawn-row]').length === 1",
    )
    .await;
}
