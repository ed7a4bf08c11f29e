//! What is followed along the path, what a robot reaches, chains, and what can be seen and reached, by the hand.

use crate::by_hand::{FrontView, open};
use crate::support::Server;
use crate::support::browser::{Browser, Button, key};
use crate::support::pixels::Rgb;
use crate::support::small_cell;
use serde_json::json;

const CONTROL: char = '\u{E009}';

/// Outlines of what is reached, cones and free faces are spruce.
fn spruce([r, g, b]: Rgb) -> bool {
    r < 60 && g > r.saturating_add(35) && g > b && g < 130
}

/// Faces that can't be seen are red.
fn red([r, g, b]: Rgb) -> bool {
    r > g.saturating_add(50) && r > b.saturating_add(40)
}

fn number(text: &str) -> f64 {
    let digits = text.trim_start_matches(|c: char| !c.is_ascii_digit());
    let end = digits
        .find(|c: char| !(c.is_ascii_digit() || c == '.'))
        .unwrap_or(digits.len());
    digits[..end].parse().expect("a number")
}

#[tokio::test(flavor = "multi_thread")]
async fn the_strip_follows_what_a_robot_reaches_and_goes_where_that_is_worst() {
    let (server, id) = Server::with_demo().await;
    let b = Browser::open_with(&server.url, json!({"selvik.furniture": {"kinds": []}})).await;
    b.open_cell().await;
    let (_, found) = server
        .post(
            &format!("/api/cells/{id}/reach-along"),
            json!({"tcp": "tcp-nozzle"}),
        )
        .await;
    let used = &found["series"][0];
    assert_eq!(used["what"], "reach_used");
    // Targets stand in files here; they are measured from and to all the same.
    let picks = json!([{"on": "r1-base", "kind": "frame"}, {"on": "seal/T3", "kind": "target"}]);
    let (status, target) = server
        .post(&format!("/api/cells/{id}/measure"), json!({"picks": picks}))
        .await;
    assert_eq!(status, 200, "{target}");
    assert_eq!(target["known"][1]["is"], "target");

    // Swept: Escape would stop that first.
    b.find("overall").await;
    b.click("tab-reach").await;
    b.set("reach-tcp", "tcp-nozzle").await;
    b.click("reach-along").await;
    b.reads("worst-instant", "98.6 %").await;
    b.reads("worst-instant", "certainly ≤ 98.6 %").await;
    b.click("worst-instant").await;
    let time = used["largest"]["time_s"].as_f64().expect("a time");
    b.reads("time", &format!("00:{time:06.3}")).await;
    b.reads("series-largest", "98.6 %").await;
    // The reach is measured there, and drawn with its legs.
    b.click("tab-measured").await;
    b.reads("between", "reach used").await;
    b.reads("between", "98.6 %").await;
    b.find("measure-level").await;
    b.find("measure-upwards").await;

    // The outline lies in the plane of the arm.
    b.keys(key::ESCAPE).await;
    b.click("tab-reach").await;
    b.rests().await;
    let without = b.count(spruce).await;
    b.click("reach-outline").await;
    b.shows("the outline", spruce, |with| with > without + 300)
        .await;
    // In the drawing of a cut it lies in that plane.
    b.pick("housing-a").await;
    b.keys("x").await;
    b.click("section-draw").await;
    b.click("drawing-reach").await;
    b.find("drawn-reach").await;
    b.click("drawing-close").await;
    b.click("chip-section").await;

    // Any other measurement is followed, too: its smallest value is gone to, and stays certain.
    b.click("tab-measured").await;
    b.set("choose-0", "item nozzle-bracket").await;
    b.find("choose-1").await;
    b.set("choose-1", "item clamp-a2").await;
    b.click("measure-along").await;
    b.reads("series-smallest", "4.20 mm").await;
    b.click("series-smallest").await;
    b.reads("smallest", "4.20 mm").await;
    let bound = b.text("series-smallest").await;
    let bound = number(bound.split('≥').nth(1).expect("what is certain"));
    assert!((4.0..=4.2).contains(&bound), "{bound}");
    // And to whatever is nearest: what it is bolted to is left out.
    b.click("measure-clear").await;
    b.find("choose-0").await;
    b.set("choose-0", "item nozzle-bracket").await;
    b.click("nearest-along").await;
    b.reads("series-smallest", "4.20 mm to Clamp A2").await;
    b.click("series-close").await;
    b.until(
        "the clearance is back",
        "!document.querySelector('[data-test=series]')",
    )
    .await;
}

/// A fixture of 300 × 300 × 80, its front at Y −150, with two clamps of 60 × 60 on it.
#[tokio::test(flavor = "multi_thread")]
async fn chains_add_up_and_what_can_be_seen_is_what_geometry_says() {
    let (_server, b, _) = open(&small_cell()).await;
    let view = FrontView::of(&b).await;
    b.keys("m").await;
    b.hold(CONTROL).await;
    for (x_mm, z_mm) in [(-447.0, 497.0), (-153.0, 497.0), (-153.0, 423.0)] {
        let (x, y) = view.pixel(x_mm, z_mm);
        b.click_at(Button::Left, x, y).await;
    }
    b.let_go(CONTROL).await;
    b.reads("chain-length", "380.00 mm").await;
    b.reads("leg", "300.00 mm").await;
    b.reads("chain", "at B 90.00°").await;
    b.find("measure-leg-1").await;
    b.keys("\u{E008}m\u{E000}").await;
    b.reads("kept-finding", "380.00 mm").await;

    // From where the front view looks: one of six sides is free, nothing is in the way.
    b.keys(key::ESCAPE).await;
    b.keys(key::ESCAPE).await;
    b.pick("fixture").await;
    b.click("tab-access").await;
    b.click("access-look").await;
    let share = async |b: &Browser, kind: &str| number(&b.text(kind).await);
    b.reads("access-free", "8.7 %").await;
    b.reads("access-blocked", "0.0 %").await;
    // From above two clamps hide 7,200 of 90,000 mm².
    b.click("view-top").await;
    b.rests().await;
    let reds = b.count(red).await;
    b.click("access-look").await;
    b.reads("access-by", "Clamp").await;
    let (free, blocked) = (
        share(&b, "access-free").await,
        share(&b, "access-blocked").await,
    );
    assert!(
        (free - 30.0).abs() < 0.4 && (blocked - 2.6).abs() < 0.4,
        "{free} {blocked}"
    );
    // What is hidden is no longer in the way.
    b.pick("clamp-1").await;
    b.keys("h").await;
    b.pick("fixture").await;
    b.click("access-look").await;
    b.until(
        "less is blocked",
        "Number.parseFloat(document.querySelector('[data-test=access-blocked]').innerText) < 1.6",
    )
    .await;
    b.shows("what the other clamp hides, red", red, |seen| seen > reds)
        .await;

    // In front of the table's edge, 250 mm ahead and 40 below, and the face itself: 49.5° of 99.1 are a cone.
    b.keys(key::ESCAPE).await;
    b.keys(key::ESCAPE).await;
    let view = FrontView::of(&b).await;
    b.keys("m").await;
    let (x, y) = view.pixel(-300.0, 460.0);
    b.click_at(Button::Left, x, y).await;
    b.keys(key::ESCAPE).await;
    b.click("tab-access").await;
    b.click("access-cone").await;
    b.reads("access-cone-found", "certainly").await;
    let cone = number(&b.text("access-cone-found").await);
    let truth = (90.0 + (40f64 / 250.0).atan().to_degrees()) / 2.0;
    assert!((cone - truth).abs() < 0.6, "{cone} {truth}");
}
