//! Mechanisms made in place and rules set by hand, in the real interface.

use crate::by_hand::{FrontView, open};
use crate::support::browser::Browser;
use crate::support::small_cell;
use serde_json::json;

/// Waits until a dialog is gone.
async fn gone(b: &Browser, dialog: &str) {
    let script = format!("!document.querySelector('[data-test={dialog}]')");
    b.until("the dialog is gone", &script).await;
    b.uncovered().await;
}

/// What came as a mesh turns about a face that is picked in the picture, and is jogged then; an arm comes from its table.
#[tokio::test(flavor = "multi_thread")]
async fn a_joint_is_made_about_a_picked_axis_and_a_robot_from_its_table() {
    let (server, b, id) = open(&small_cell()).await;
    let view = FrontView::of(&b).await;
    b.pick("post").await;
    b.find_and_do("Give it a joint in the axis").await;
    view.click(&b, "Post", 600.0, 800.0).await;
    b.reads("joint-axis", "picked").await;
    b.fill("joint-name", "swing").await;
    b.fill("joint-high", "60").await;
    b.click("joint-make").await;
    gone(&b, "joint-dialog").await;
    b.undo_says("Post").await;
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let joint = &cell["joints"][0];
    assert_eq!(joint["key"], "post/swing");
    assert!((joint["high"].as_f64().expect("a limit") - 60.0).abs() < 1e-9);
    b.keys("k").await;
    b.fill("joint-swing", "75").await;
    b.reads("jog-stopped", "joint swing would be at 75.00°")
        .await;
    b.fill("joint-swing", "30").await;
    b.reads("chip-jogged", "Post").await;
    b.click("jog-reset").await;
    b.keys("k").await;
    b.with_control('z').await;
    b.until(
        "it has no joint again",
        "document.querySelector('[data-test=undo]').disabled",
    )
    .await;

    // Six axes, two of them with a link: the rest as the table begins.
    b.search("Robot from a table").await;
    b.fill("arm-name", "Twin").await;
    for (field, number) in [
        ("arm-0-a", "400"),
        ("arm-1-a", "300"),
        ("arm-0-speed", "120"),
    ] {
        b.fill(field, number).await;
    }
    b.until(
        "it is complete",
        "!document.querySelector('[data-test=arm-make]').disabled",
    )
    .await;
    b.click("arm-make").await;
    gone(&b, "arm-dialog").await;
    b.undo_says("Twin").await;
    let cell = server.get(&format!("/api/cells/{id}")).await;
    assert_eq!(cell["joints"].as_array().expect("joints").len(), 6);
    // Its TCP stands 700 mm out.
    let tcp = cell["document"]["items"]
        .as_array()
        .expect("items")
        .iter()
        .find(|i| i["frame_kind"] == "tcp");
    let tcp = tcp.expect("it has a TCP")["id"]
        .as_str()
        .expect("an id")
        .to_owned();
    let (_, poses) = server
        .post(&format!("/api/cells/{id}/ask/poses"), json!({}))
        .await;
    let at = &poses["items"][tcp]["xyz_mm"];
    assert!((at[0].as_f64().expect("x") - 700.0).abs() < 1e-6, "{at}");
}

/// A rule is added, its values typed, and what decides is asked where two names meet.
#[tokio::test(flavor = "multi_thread")]
async fn rules_are_set_by_hand_and_say_who_is_measured_against_whom() {
    let (server, b, id) = open(&small_cell()).await;
    let rules = async || {
        let cell = server.get(&format!("/api/cells/{id}")).await;
        cell["document"]["rules"].as_array().expect("rules").clone()
    };
    b.keys("r").await;
    b.reads("against-post-table", "10").await;
    b.click("rule-add").await;
    b.until(
        "there are two rules",
        "document.querySelectorAll('[data-test=rule]').length === 2",
    )
    .await;
    assert_eq!(rules().await.len(), 2);
    b.click("rule-delete").await;
    b.until(
        "the first is gone",
        "document.querySelectorAll('[data-test=rule]').length === 1",
    )
    .await;
    // Robots and structure: there is no robot, so nothing is measured any more.
    b.reads("against-post-table", "·").await;
    b.click("rules-close").await;
    gone(&b, "rules-dialog").await;
    b.with_control('z').await;
    b.undo_says("add").await;
    b.with_control('z').await;
    b.until(
        "all is as it was",
        "document.querySelector('[data-test=undo]').disabled",
    )
    .await;
    b.keys("r").await;
    b.fill("rule-required", "-5").await;
    let refused = "document.querySelector('[data-test=rule-required]').ariaInvalid === 'true'";
    b.until("less than nothing is refused where it stands", refused)
        .await;
    b.fill("rule-required", "33").await;
    b.reads("against-post-table", "33").await;
    let [rule] = &rules().await[..] else {
        panic!("one rule");
    };
    // The tight value follows where it would be less.
    assert_eq!(
        (&rule["required_mm"], &rule["tight_below_mm"]),
        (&json!(33.0), &json!(33.0))
    );
    b.click("against-post-table").await;
    b.reads("ruled", "Clamps to post is the only rule that names both")
        .await;
}
