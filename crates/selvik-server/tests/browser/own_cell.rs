//! A cell of one's own: from files on an empty page to certified clearances, jogged and programmed by hand.

use std::path::Path;

use crate::support::Server;
use crate::support::browser::{Browser, Button};
use futures_util::{SinkExt, StreamExt};
use selvik_core::mesh::box_mesh;
use selvik_core::spatial::pose_from_rpy;
use selvik_formats::mesh::{LengthUnit, write_stl};
use serde_json::{Value, json};
use tokio_tungstenite::tungstenite::Message;

/// An arm of four joints whose links have meshes beside it.
const ARM: &str = r#"<robot name="long_arm">
  <link name="base"><visual><origin xyz="0 0 0.1"/><geometry><cylinder radius="0.12" length="0.2"/></geometry></visual></link>
  <link name="shoulder"><visual><origin xyz="0 0 0.1"/><geometry><box size="0.18 0.18 0.2"/></geometry></visual></link>
  <link name="upper"><visual><geometry><mesh filename="meshes/upper.stl"/></geometry></visual></link>
  <link name="fore"><visual><geometry><mesh filename="meshes/fore.stl"/></geometry></visual></link>
  <link name="hand"><visual><origin xyz="0.02 0 0"/><geometry><box size="0.04 0.06 0.06"/></geometry></visual></link>
  <joint name="turn" type="revolute"><parent link="base"/><child link="shoulder"/><origin xyz="0 0 0.2"/><axis xyz="0 0 1"/><limit lower="-3" upper="3" velocity="2"/></joint>
  <joint name="lift" type="revolute"><parent link="shoulder"/><child link="upper"/><origin xyz="0 0 0.3"/><axis xyz="0 1 0"/><limit lower="-2" upper="2" velocity="2"/></joint>
  <joint name="bend" type="revolute"><parent link="upper"/><child link="fore"/><origin xyz="0 0 0.5"/><axis xyz="0 1 0"/><limit lower="-2.5" upper="2.5" velocity="2"/></joint>
  <joint name="wrist" type="revolute"><parent link="fore"/><child link="hand"/><origin xyz="0.45 0 0"/><axis xyz="1 0 0"/><limit lower="-3" upper="3" velocity="3"/></joint>
</robot>"#;

/// A gripper whose right finger follows its left one.
const GRIPPER: &str = r#"<robot name="two_finger">
  <link name="body"><visual><origin xyz="0.07 0 0"/><geometry><box size="0.06 0.08 0.05"/></geometry></visual></link>
  <link name="left"><visual><origin xyz="0.04 0 0"/><geometry><box size="0.08 0.01 0.03"/></geometry></visual></link>
  <link name="right"><visual><origin xyz="0.04 0 0"/><geometry><box size="0.08 0.01 0.03"/></geometry></visual></link>
  <joint name="left_slide" type="prismatic"><parent link="body"/><child link="left"/><origin xyz="0.11 0.02 0"/><axis xyz="0 1 0"/><limit lower="0" upper="0.03" velocity="0.1"/></joint>
  <joint name="right_slide" type="prismatic"><parent link="body"/><child link="right"/><origin xyz="0.11 -0.02 0"/><axis xyz="0 -1 0"/><limit lower="0" upper="0.03" velocity="0.1"/><mimic joint="left_slide"/></joint>
</robot>"#;

/// Six seconds in which the arm swings by the fixture, in degrees.
fn trajectory() -> String {
    let row = |i: u32| {
        let t = f64::from(i) * 0.02;
        let [turn, lift, bend] = [-40.0 + 60.0 * (t * 0.5).sin(), 20.0, 10.0 * t.cos()];
        format!(
            "{t:.2},{turn:.4},{lift},{bend:.4},{:.4}\n",
            45.0 * (2.0 * t).sin()
        )
    };
    let rows: String = (0..=300).map(row).collect();
    format!("time_s,turn_deg,lift_deg,bend_deg,wrist_deg\n{rows}")
}

fn files(folder: &Path) -> Vec<std::path::PathBuf> {
    let part = |size: [f64; 3], at: [f64; 3]| {
        write_stl(
            &box_mesh(size).moved(&pose_from_rpy(at, [0.0; 3])),
            LengthUnit::M,
        )
    };
    let all: [(&str, Vec<u8>); 6] = [
        ("arm.urdf", ARM.into()),
        ("upper.stl", part([0.1, 0.1, 0.42], [0.0, 0.0, 0.25])),
        ("fore.stl", part([0.4, 0.08, 0.08], [0.25, 0.0, 0.0])),
        ("gripper.urdf", GRIPPER.into()),
        ("fixture.stl", part([0.2, 0.2, 0.4], [0.3, 0.75, 0.2])),
        ("run.csv", trajectory().into()),
    ];
    let written = all.into_iter().map(|(name, bytes)| {
        let path = folder.join(name);
        std::fs::write(&path, bytes).expect("written");
        path
    });
    written.collect()
}

/// What the server says of the only cell.
async fn only_cell(server: &Server) -> Value {
    let cells = server.get("/api/cells").await;
    let id = cells[0]["id"].as_str().expect("a cell").to_owned();
    server.get(&format!("/api/cells/{id}")).await
}

/// Drop, bring in, look at the rules, let what is bolted together touch, sweep: five actions, and every number is certified.
/// Then the arm is jogged by slider, number and TCP, and programmed by hand.
#[tokio::test(flavor = "multi_thread")]
async fn from_an_empty_page_to_certified_clearances() {
    let folder = tempfile::tempdir().expect("a folder");
    let paths = files(folder.path());
    let server = Server::start().await;
    let b = Browser::open(&server.url).await;
    let all: Vec<&Path> = paths.iter().map(std::path::PathBuf::as_path).collect();
    b.find("new-cell").await;
    b.drop_files(&all, (640.0, 400.0)).await;

    // The recording moves the arm, by the names of its columns; the gripper belongs on the flange.
    b.reads("found-recording", "301 rows").await;
    let mapped = b
        .script(
            "return document.querySelector('[data-test=recording-robot]').selectedOptions[0].text",
        )
        .await;
    assert_eq!(mapped, "arm");
    b.click("import-store").await;
    b.picture().await;

    // It is swept by itself; what is bolted together is suggested, and accepted by a person.
    b.keys("r").await;
    b.reads("touching", "arm hand – gripper body").await;
    b.click("touching-accept").await;
    b.until(
        "nothing else touches by the way it is built",
        "!document.querySelector('[data-test=touching]')",
    )
    .await;
    b.click("rules-close").await;
    b.until(
        "the dialog is gone",
        "!document.querySelector('[data-test=rules-dialog]')",
    )
    .await;
    b.keys("S").await;
    b.until(
        "every rule is certified",
        "/^All rules hold/.test(document.querySelector('[data-test=overall]')?.innerText.trim() ?? '')",
    )
    .await;
    let cell = only_cell(&server).await;
    assert_eq!(cell["path"]["duration_s"], 6.0);
    let gripper = cell["document"]["items"]
        .as_array()
        .expect("items")
        .iter()
        .find(|i| i["id"] == "gripper")
        .expect("it came")
        .clone();
    assert_eq!(
        (&gripper["parent"], &gripper["on_link"]),
        (&json!("arm"), &json!("hand"))
    );

    // Jogged: by a number, beyond a limit, and put back.
    b.keys("k").await;
    b.until(
        "the arm is jogged",
        "!!document.querySelector('[data-test=jog] [data-test=joint-turn]')",
    )
    .await;
    b.fill("joint-turn", "30").await;
    b.reads("chip-jogged", "arm jogged by hand").await;
    b.until(
        "it stands there",
        "document.querySelector('[data-test=joint-turn]').value.startsWith('30.')",
    )
    .await;
    b.until(
        "what is near is told",
        "document.querySelectorAll('[data-test=jog-nearest] .near').length > 0",
    )
    .await;
    b.fill("joint-lift", "500").await;
    b.reads("jog-stopped", "joint lift would be at 500.00°")
        .await;
    b.click("chip-jogged").await;
    b.until(
        "it is where it was",
        "!document.querySelector('[data-test=chip-jogged]')",
    )
    .await;
    assert_eq!(only_cell(&server).await["revision"], cell["revision"]);

    // Kept as rest: an edit, which undo takes back.
    b.fill("joint-wrist", "25").await;
    b.reads("chip-jogged", "arm").await;
    b.click("jog-rest").await;
    b.undo_says("rest of arm").await;
    b.with_control('z').await;
    b.until("it is taken back", "/redo/i.test(document.body.innerHTML) && !document.querySelector('[data-test=chip-jogged]')").await;

    // Programmed: a joint move to where the hand has it, behind the recording.
    b.keys("y").await;
    b.reads("moves", "recording run.csv").await;
    b.fill("joint-turn", "-80").await;
    b.reads("chip-jogged", "arm").await;
    b.click("add-joint").await;
    b.reads("moves", "joint to values").await;
    b.undo_says("add move 2 to run").await;
    let moved = only_cell(&server).await;
    let starts = moved["path"]["runs"][0]["starts_s"].as_array();
    assert_eq!(starts.expect("times").len(), 2);
    assert!(moved["path"]["duration_s"].as_f64().expect("a time") > 6.2);
    b.fill("move-speed", "20").await;
    b.undo_says("change move 2 of run").await;

    // By the picture, too: the arm is where it is jogged to, and the play head moves it away.
    b.rests().await;
    b.click_at(Button::Left, 640.0, 120.0).await;
}

/// The same questions over HTTP and over the socket, answered alike; what is wrong is a problem document and the line stays.
#[tokio::test]
async fn joints_are_jogged_over_the_socket_as_over_http() {
    let server = Server::start().await;
    let id = server.with(&crate::support::demo_without_rules()).await;
    let request = |q1: f64| json!({"number": 3, "joints_deg_or_mm": {"r1/joint_1": q1}, "tcp": "tcp-nozzle", "frame": "world", "nearest": 3});
    let (status, over_http) = server
        .post(&format!("/api/cells/{id}/jog"), request(-20.0))
        .await;
    assert_eq!(status, 200, "{over_http}");
    let url = server.url.replace("http", "ws");
    let (mut line, _) = tokio_tungstenite::connect_async(format!("{url}/api/cells/{id}/jogging"))
        .await
        .expect("a socket");
    let mut ask = async |what: Value| -> Value {
        line.send(Message::text(what.to_string()))
            .await
            .expect("sent");
        let said = line.next().await.expect("an answer").expect("a message");
        serde_json::from_str(said.to_text().expect("text")).expect("JSON")
    };
    assert_eq!(ask(request(-20.0)).await, over_http);
    assert!(
        (over_http["joints_deg_or_mm"]["r1/joint_1"]
            .as_f64()
            .expect("a value")
            + 20.0)
            .abs()
            < 1e-9
    );
    assert!(
        !over_http["tcp"]["postures"]
            .as_array()
            .expect("postures")
            .is_empty()
    );
    for wrong in [
        json!({"joints_deg_or_mm": {"r1/none": 0.0}}),
        json!({"what": 1}),
        json!(7),
    ] {
        let said = ask(wrong).await;
        assert_eq!(said["status"], 422, "{said}");
    }
    assert_eq!(ask(request(0.0)).await["number"], 3);

    // What is asked with joints anywhere agrees with it.
    let with = json!({"joints_deg_or_mm": {"r1/joint_1": -20.0}, "time_s": 0.0});
    let (status, poses) = server
        .post(&format!("/api/cells/{id}/ask/poses"), with.clone())
        .await;
    assert_eq!(status, 200, "{poses}");
    let tcp = &poses["items"]["tcp-nozzle"];
    for i in 0..3 {
        let (a, b) = (&tcp["xyz_mm"][i], &over_http["tcp"]["pose"]["xyz_mm"][i]);
        assert!((a.as_f64().expect("a number") - b.as_f64().expect("a number")).abs() < 1e-9);
    }
    let mut inverse = with.clone();
    inverse["robot"] = json!("r1");
    inverse["tcp"] = json!("tcp-nozzle");
    inverse["pose"] = json!({"xyz_mm": tcp["xyz_mm"], "rpy_deg": tcp["rpy_deg"]});
    let (_, solved) = server
        .post(&format!("/api/cells/{id}/ask/inverse"), inverse)
        .await;
    let first = solved["solutions"][0]["joints_deg_or_mm"]["r1/joint_1"].as_f64();
    assert!((first.expect("a solution") + 20.0).abs() < 1e-6, "{solved}");
    let mut between = with;
    between["a"] = json!("r1");
    between["b"] = json!("camera-mast");
    let (status, apart) = server
        .post(&format!("/api/cells/{id}/ask/distance"), between)
        .await;
    assert_eq!(status, 200, "{apart}");
    assert!(apart["distance_mm"].as_f64().expect("a distance") > 0.0);
}

/// A move that can't be driven does not keep the rest from being played, and nothing is certified then.
#[tokio::test]
async fn what_can_t_be_driven_is_named_and_the_rest_is_shown() {
    let server = Server::start().await;
    let id = server.with(&crate::support::demo_without_rules()).await;
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let whole = cell["path"]["duration_s"].as_f64().expect("a time");
    let program = cell["document"]["programs"][0]["id"].clone();
    let far = json!({"edit": "change_program", "program": program, "change": {"insert": {"at": 1,
        "targets": [{"id": "far", "pose": {"xyz_mm": [90000, 0, 0]}}],
        "moves": [{"move": "joint", "to": "far", "speed_percent": 50}]}}});
    let (status, changed) = server
        .post(
            &format!("/api/cells/{id}/edits"),
            json!({"base_revision": cell["revision"], "edit": far}),
        )
        .await;
    assert_eq!(status, 200, "{changed}");
    let fault = &changed["path"]["faults"][0];
    assert_eq!(fault["index"], 1);
    assert!(
        fault["reason"]
            .as_str()
            .expect("a reason")
            .contains("out of reach"),
        "{fault}"
    );
    let shown = changed["path"]["duration_s"].as_f64().expect("a time");
    assert!(shown > 0.5 && shown < whole, "{shown} of {whole}");
    let runs = changed["path"]["runs"].as_array().expect("runs");
    assert!(runs.iter().any(|run| run["lane"] != fault["lane"]));
    let (status, refused) = server
        .post(&format!("/api/cells/{id}/sweep"), json!({}))
        .await;
    assert_eq!(status, 422, "{refused}");
    assert!(
        refused["detail"]
            .as_str()
            .expect("a reason")
            .contains("can't be run")
    );
}
