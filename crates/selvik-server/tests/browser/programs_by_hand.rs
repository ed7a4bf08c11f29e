//! Programs in the real interface: parts are taken and released, the TCP is dragged, what can't be driven is shown where it is.

use crate::support::Server;
use crate::support::browser::{Browser, Button};
use serde_json::{Value, json};

async fn demo() -> (Server, String, Browser) {
    let server = Server::start().await;
    let id = server.with(&crate::support::demo_without_rules()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    (server, id, b)
}

async fn moves_of(server: &Server, id: &str, program: &str) -> Vec<Value> {
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let programs = cell["document"]["programs"].as_array().expect("programs");
    let program = programs.iter().find(|p| p["id"] == program);
    let moves = program.expect("it is there")["moves"].as_array();
    moves.expect("moves").clone()
}

/// Where an item stands at a time, world coordinates.
async fn stands(server: &Server, id: &str, item: &str, time_s: f64) -> Vec<f64> {
    let (_, poses) = server
        .post(
            &format!("/api/cells/{id}/ask/poses"),
            json!({"time_s": time_s}),
        )
        .await;
    let xyz = poses["items"][item]["xyz_mm"].as_array().expect("a place");
    xyz.iter().map(|x| x.as_f64().expect("a number")).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn parts_are_taken_and_released_by_hand_and_undone() {
    let (server, id, b) = demo().await;
    b.keys("y").await;
    b.set("program", "load").await;
    b.reads("moves", "take Rack housing 1").await;
    b.until(
        "the strip shows what is taken and released",
        "document.querySelectorAll('[data-test=hand]').length === 2",
    )
    .await;

    // The part goes along, and stays where it is set down.
    let at_rest = stands(&server, &id, "housing-r1", 0.0).await;
    let set_down = stands(&server, &id, "housing-r1", 14.0).await;
    let seat = stands(&server, &id, "seat-b", 14.0).await;
    let off = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(a, b)| (a - b).abs()).sum::<f64>();
    assert!(off(&at_rest, &set_down) > 1000.0, "{set_down:?}");
    assert!(off(&set_down, &seat) < 0.01, "{set_down:?} {seat:?}");

    // Behind the first move another part is taken: that which is selected.
    b.fill("filter", "Rack housing 2").await;
    b.pick("housing-r2").await;
    b.script("document.querySelector('[data-test=move]').click()")
        .await;
    b.set("add-other", "Take").await;
    b.reads("moves", "take Rack housing 2").await;
    b.undo_says("add move 2 to Load housing").await;
    let taken = &moves_of(&server, &id, "load").await[1];
    assert_eq!(
        (&taken["move"], &taken["item"]),
        (&json!("take"), &json!("housing-r2"))
    );
    // With the gripper itself, for longer.
    b.set("move-other", "gripper").await;
    b.undo_says("change move 2").await;
    b.fill("move-touching", "3").await;
    b.until(
        "three hands on the strip",
        "document.querySelectorAll('[data-test=hand]').length === 3",
    )
    .await;
    crate::support::eventually("both are kept", async || {
        let taken = &moves_of(&server, &id, "load").await[1];
        (&taken["by"], &taken["touching_moves"]) == (&json!("gripper"), &json!(3))
    })
    .await;
    for _ in 0..3 {
        b.with_control('z').await;
    }
    b.until(
        "all three are taken back",
        "document.querySelectorAll('[data-test=hand]').length === 2",
    )
    .await;
    assert_eq!(moves_of(&server, &id, "load").await[1]["move"], "linear");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_can_t_be_driven_is_shown_in_the_list_on_the_strip_and_in_the_picture() {
    let (server, id, b) = demo().await;
    b.keys("y").await;
    b.set("program", "purge").await;
    b.script("document.querySelector('[data-test=move]').click()")
        .await;
    b.until(
        "its target is shown",
        "!!document.querySelector('[data-test=target-X]')",
    )
    .await;
    // Typed out of reach, in the panel.
    b.fill("target-X", "9000").await;
    b.reads("program-fault", "Move 1 can’t be driven").await;
    b.reads("picture-fault", "out of reach").await;
    b.keys("y").await;
    b.until(
        "the panel is closed",
        "!document.querySelector('[data-test=programs]')",
    )
    .await;
    b.click("strip-fault").await;
    b.reads("program-fault", "out of reach").await;
    let cell = server.get(&format!("/api/cells/{id}")).await;
    assert_eq!(cell["path"]["faults"][0]["index"], 0);
    // The rest plays.
    b.click("play").await;
    b.until(
        "time goes on",
        "!document.querySelector('[data-test=time]').innerText.startsWith('00:00.0')",
    )
    .await;
    b.click("play").await;
    b.with_control('z').await;
    b.until(
        "nothing is wrong any more",
        "!document.querySelector('[data-test=strip-fault]')",
    )
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_tcp_is_dragged_by_its_handles_and_kept_as_the_end_of_a_circle() {
    let (server, id, b) = demo().await;
    b.click("view-front").await;
    b.pick("r1").await;
    b.keys("k").await;
    b.until(
        "the arm is jogged",
        "!!document.querySelector('[data-test=jog] [data-test=tcp-Z]')",
    )
    .await;
    let tcp = async || -> [f64; 3] {
        [
            b.value("tcp-X").await,
            b.value("tcp-Y").await,
            b.value("tcp-Z").await,
        ]
    };
    let before = tcp().await;
    for _ in 0..3 {
        b.find_and_do("Handles larger").await;
        b.uncovered().await;
    }
    b.click("jog-move").await;
    b.until(
        "the handles are asked for",
        "document.querySelector('[data-test=jog-move]').ariaPressed === 'true'",
    )
    .await;
    b.rests().await;
    // The arrow upwards is blue; dragged down the TCP goes straight down.
    let is_blue =
        |[r, g, b]: [u8; 3]| b > 150 && b > r.saturating_add(80) && b > g.saturating_add(60);
    let (x, y) = b.somewhere(is_blue).await;
    b.drag(Button::Left, (x, y), (x, y + 40.0)).await;
    b.reads("chip-jogged", "jogged by hand").await;
    b.until(
        "the TCP is lower",
        &format!(
            "parseFloat(document.querySelector('[data-test=tcp-Z]').value) < {}",
            before[2] - 5.0
        ),
    )
    .await;
    let after = tcp().await;
    assert!(
        (after[0] - before[0]).abs() < 0.01 && (after[1] - before[1]).abs() < 0.01,
        "{before:?} {after:?}"
    );

    // From here a circle goes over a point to another.
    b.keys("y").await;
    b.set("program", "purge").await;
    let count = moves_of(&server, &id, "purge").await.len();
    b.set("add-other", "Circular: goes over here").await;
    b.until(
        "its end is asked for",
        "[...document.querySelectorAll('[data-test=add-other] option')].some((o) => o.value === 'Circular: ends here')",
    )
    .await;
    b.fill("tcp-Z", "+-30").await;
    b.until(
        "it is lower still",
        &format!(
            "parseFloat(document.querySelector('[data-test=tcp-Z]').value) < {}",
            after[2] - 29.0
        ),
    )
    .await;
    b.set("add-other", "Circular: ends here").await;
    b.reads("moves", "circular over").await;
    let moves = moves_of(&server, &id, "purge").await;
    assert_eq!(
        (moves.len(), &moves[count]["move"]),
        (count + 1, &json!("circular"))
    );
    b.undo_says("add move").await;
}
