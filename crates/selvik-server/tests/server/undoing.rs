//! Every edit of mechanisms, programs and rules can be taken back and done again, and of two who change the same thing the
//! later one is told.

use crate::support::Server;
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

/// An arm of one joint with a program, a clamp whose motion is recorded, and two posts.
fn cell() -> PackageFiles {
    let slide = json!({"from": {"dh": {"convention": "modified", "rows": [
        {"joint": "stroke", "slides": true, "limits_deg_or_mm": [0, 50], "velocity_deg_or_mm_s": 100,
         "bodies": [{"shape": {"sphere": {"radius_mm": 10}}}]}]}}});
    let turn = json!({"from": {"dh": {"convention": "modified", "rows": [
        {"joint": "q1", "limits_deg_or_mm": [-170, 170], "velocity_deg_or_mm_s": 90,
         "bodies": [{"shape": {"box": {"size_mm": [400, 40, 40]}}, "pose": {"xyz_mm": [200, 0, 0]}}]}]}},
        "postures": [{"name": "home", "joints_deg_or_mm": {"q1": 5}}]});
    let ball = json!([{"shape": {"sphere": {"radius_mm": 50}}}]);
    let document = json!({"format": "selvik-cell/1", "name": "Undone",
        "items": [
            {"id": "arm", "name": "Arm", "role": "robot", "mechanism": turn},
            {"id": "tcp", "name": "TCP", "role": "frame", "parent": "arm", "on_link": "q1", "pose": {"xyz_mm": [400, 0, 0]}},
            {"id": "clamp", "name": "Clamp", "role": "fixture", "pose": {"xyz_mm": [0, 2000, 0]}, "mechanism": slide},
            {"id": "post", "name": "Post", "role": "structure", "pose": {"xyz_mm": [0, 600, 0]}, "bodies": ball},
            {"id": "door", "name": "Door", "role": "structure", "pose": {"xyz_mm": [0, -600, 0]}, "bodies": ball}],
        "rules": [{"id": "r", "name": "Arm to post", "between": ["arm"], "and": ["post"], "required_mm": 10, "tight_below_mm": 20}],
        "may_touch": [{"a": "arm", "b": "door", "reason": "it rests there"}],
        "programs": [
            {"id": "p", "name": "Turn", "robot": "arm", "tcp": "tcp",
             "targets": [{"id": "A", "pose": {"xyz_mm": [0, 400, 0], "rpy_deg": [0, 0, 90]}}, {"id": "B", "pose": {"xyz_mm": [400, 0, 0]}}],
             "moves": [{"move": "joint", "joints_deg_or_mm": [10], "speed_percent": 50}, {"move": "joint", "to": "A", "speed_percent": 50}]},
            {"id": "c", "name": "Close", "robot": "clamp",
             "moves": [{"move": "recorded", "file": "run.csv", "time_column": 1, "time_unit": "s",
                "joints": [{"joint": "clamp/stroke", "column": 2, "unit": "mm"}]}]}],
        "run_plan": {"lanes": [{"programs": ["p"]}, {"programs": ["c"]}]}});
    let mut files = PackageFiles::default();
    let text = serde_json::to_vec(&document).expect("plain data");
    files.insert("cell.json", text).expect("a name");
    let rows = b"t,stroke\n0,20\n1,30\n".to_vec();
    files.insert("run.csv", rows).expect("a name");
    files
}

fn change(program: &str, change: Value) -> (&'static str, Value) {
    let edit = json!({"edit": "change_program", "program": program, "change": change});
    ("edits", json!({ "edit": edit }))
}

fn edit(edit: Value) -> (&'static str, Value) {
    ("edits", json!({ "edit": edit }))
}

fn mechanism(change: Value) -> (&'static str, Value) {
    edit(json!({"edit": "change_mechanism", "item": "arm", "change": change}))
}

/// One of each, with what goes beside `base_revision`.
fn all() -> Vec<(&'static str, Value)> {
    let wait = json!({"move": "wait", "seconds": 1});
    let row = json!({"joint": "j1", "a_mm": 300, "limits_deg_or_mm": [-90, 90], "velocity_deg_or_mm_s": 90});
    vec![
        change("p", json!({"name": "Another"})),
        change("p", json!({"tcp": null})),
        change("p", json!({"insert": {"at": 1, "moves": [wait]}})),
        change("p", json!({"replace": {"at": 0, "step": wait}})),
        change("p", json!({"remove": {"from": 0, "count": 1}})),
        change("p", json!({"shift": {"from": 0, "count": 1, "to": 1}})),
        change(
            "p",
            json!({"target": {"id": "A", "pose": {"xyz_mm": [400, 0, 0]}}}),
        ),
        change("p", json!({"rename_target": {"target": "A", "id": "Z"}})),
        change("p", json!({"drop_target": "B"})),
        edit(
            json!({"edit": "save_program", "program": {"id": "n", "name": "New", "robot": "arm", "moves": [wait]}}),
        ),
        edit(json!({"edit": "delete_program", "program": "p"})),
        edit(
            json!({"edit": "set_run_plan", "run_plan": {"lanes": [{"programs": ["p"], "start_s": 2.5}]}}),
        ),
        edit(
            json!({"edit": "save_rule", "rule": {"id": "n", "name": "New", "between": ["clamp"], "required_mm": 1, "tight_below_mm": 2}}),
        ),
        edit(json!({"edit": "delete_rule", "rule": "r"})),
        edit(json!({"edit": "let_touch", "pair": {"a": "arm", "b": "post", "reason": "by hand"}})),
        edit(json!({"edit": "keep_apart", "a": "arm", "b": "door"})),
        edit(json!({"edit": "require_reach", "rule": {"spare_percent": 5}})),
        mechanism(json!({"rest": {"q1": 25}})),
        mechanism(json!({"keep_posture": {"name": "service", "joints_deg_or_mm": {"q1": 40}}})),
        mechanism(json!({"drop_posture": "home"})),
        mechanism(
            json!({"limits": {"joint": "q1", "range_deg_or_mm": [-100, 100], "velocity_deg_or_mm_s": 45}}),
        ),
        (
            "joints",
            json!({"time_s": 0, "item": "door", "joint": {"name": "hinge", "slides": false, "axis": {"own": 2},
            "range_deg_or_mm": [0, 90], "velocity_deg_or_mm_s": 30}}),
        ),
        (
            "arms",
            json!({"name": "Second", "convention": "standard", "rows": [row], "drawn": true}),
        ),
        (
            "targets",
            json!({"program": "p", "file": "more.csv", "text": "x,y,z,roll,pitch,yaw\n0,400,0,0,0,90\n"}),
        ),
        ("lead-in", json!({"program": "c", "at": 0})),
    ]
}

async fn done(
    server: &Server,
    id: &str,
    path: &str,
    mut body: Value,
    base: &Value,
) -> (u16, Value) {
    body["base_revision"] = base.clone();
    server.post(&format!("/api/cells/{id}/{path}"), body).await
}

#[tokio::test]
async fn every_edit_is_taken_back_and_done_again() {
    let server = Server::start().await;
    let id = server.with(&cell()).await;
    let mut before = server.get(&format!("/api/cells/{id}")).await;
    for (path, body) in all() {
        let (status, after) = done(&server, &id, path, body.clone(), &before["revision"]).await;
        assert_eq!(status, 200, "{body}: {after}");
        assert_ne!(
            after["document"], before["document"],
            "{body} changes something"
        );
        let step = json!({ "step": after["undo"]["step"] });
        let walk = async |way: &str| {
            let path = format!("/api/cells/{id}/{way}");
            let (status, now) = server.post(&path, step.clone()).await;
            assert_eq!(status, 200, "{way} of {body}: {now}");
            // What is told is what is stored.
            let stored = server.get(&format!("/api/cells/{id}")).await;
            assert_eq!(now["document"], stored["document"]);
            now
        };
        let undone = walk("undo").await;
        assert_eq!(
            undone["document"], before["document"],
            "{body} is taken back"
        );
        assert_eq!(undone["fingerprint"], before["fingerprint"]);
        let again = walk("redo").await;
        assert_eq!(again["document"], after["document"], "{body} is done again");
        before = walk("undo").await;
    }
}

/// A recording that begins elsewhere is led in, and then it is driven.
#[tokio::test]
async fn one_goes_to_where_a_recording_begins() {
    let server = Server::start().await;
    let id = server.with(&cell()).await;
    let before = server.get(&format!("/api/cells/{id}")).await;
    let [fault] = &before["path"]["faults"].as_array().expect("faults")[..] else {
        panic!("the recording begins elsewhere: {before}");
    };
    assert_eq!(fault["begins_elsewhere"], true, "{fault}");
    let body = json!({"program": "c", "at": fault["index"]});
    let (_, after) = done(&server, &id, "lead-in", body, &before["revision"]).await;
    assert_eq!(after["path"]["faults"], json!([]));
    let step = &after["document"]["programs"][1]["moves"][0];
    assert_eq!(
        step["also_deg_or_mm"],
        json!({"clamp/stroke": 20.0}),
        "{step}"
    );
    for (body, says) in [
        (json!({"program": "c", "at": 0}), "plays no recording"),
        (json!({"program": "c", "at": 9}), "none with number 10"),
        (json!({"program": "x", "at": 0}), "no lane runs"),
    ] {
        let (status, said) = done(&server, &id, "lead-in", body, &after["revision"]).await;
        assert_eq!(status, 422, "{said}");
        assert!(
            said["detail"].as_str().expect("a sentence").contains(says),
            "{said}"
        );
    }
}

/// Two people look at one revision: another program, rule or mechanism is nobody's loss, the same one is told to the later.
#[tokio::test]
async fn of_two_editors_of_one_thing_the_later_is_told() {
    let server = Server::start().await;
    let id = server.with(&cell()).await;
    let base = server.get(&format!("/api/cells/{id}")).await["revision"].clone();
    let wait = json!({"move": "wait", "seconds": 1});
    let ahead = json!({"insert": {"at": 0, "moves": [wait]}});
    let (path, body) = change("p", ahead.clone());
    let (status, first) = done(&server, &id, path, body, &base).await;
    assert_eq!(status, 200, "{first}");
    // What stood at number 2 stands at 3 now: nothing else is changed in its place.
    let (path, body) = change("p", json!({"remove": {"from": 1, "count": 1}}));
    let (status, said) = done(&server, &id, path, body, &base).await;
    assert_eq!(status, 409, "{said}");
    let says = said["detail"].as_str().expect("a sentence");
    assert!(
        says.contains("program \"p\" was changed meanwhile"),
        "{says}"
    );
    let now = server.get(&format!("/api/cells/{id}")).await;
    assert_eq!(
        now["document"], first["document"],
        "nothing of it is stored"
    );
    let (path, body) = change("c", ahead);
    let others = [
        (path, body),
        mechanism(json!({"rest": {"q1": 25}})),
        edit(json!({"edit": "delete_rule", "rule": "r"})),
    ];
    for (path, body) in others {
        let (status, said) = done(&server, &id, path, body, &base).await;
        assert_eq!(status, 200, "{said}");
    }
    let (path, body) = mechanism(json!({"rest": {"q1": 50}}));
    let (status, said) = done(&server, &id, path, body, &base).await;
    assert_eq!(status, 409, "{said}");
}
