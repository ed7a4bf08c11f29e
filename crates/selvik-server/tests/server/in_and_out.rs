//! Files in and out over the API.

use crate::support::{Server, small_cell};
use reqwest::Client;
use reqwest::multipart::{Form, Part};
use selvik_core::mesh::{box_mesh, mass_of};
use selvik_formats::mesh::{LengthUnit, MeshConvention, UpAxis, read_mesh, write_stl};
use selvik_formats::{LinkGeometry, PackageFiles, read_urdf};
use serde_json::{Value, json};

async fn begun(server: &Server, path: &str, files: &[(&str, Vec<u8>)]) -> String {
    let mut form = Form::new();
    for (name, bytes) in files {
        form = form.part(
            "file",
            Part::bytes(bytes.clone()).file_name((*name).to_owned()),
        );
    }
    let request = Client::new()
        .post(format!("{}{path}", server.url))
        .multipart(form);
    let said: Value = request
        .send()
        .await
        .expect("an answer")
        .json()
        .await
        .expect("JSON");
    said["id"]
        .as_str()
        .unwrap_or_else(|| panic!("{said}"))
        .to_owned()
}

async fn looked_through(server: &Server, import: &str) -> Value {
    let mut state = Value::Null;
    crate::support::eventually("the files are looked through", async || {
        state = server.get(&format!("/api/imports/{import}")).await;
        state["state"] != "reading"
    })
    .await;
    state
}

fn bracket() -> Vec<u8> {
    write_stl(&box_mesh([0.3, 0.2, 0.1]), LengthUnit::Mm)
}

#[tokio::test]
async fn an_import_is_stored_as_a_whole_or_not_at_all() {
    let server = Server::start().await;
    let id = server.with(&small_cell()).await;
    let import = begun(&server, "/api/imports", &[("parts/bracket.stl", bracket())]).await;
    let state = looked_through(&server, &import).await;
    assert_eq!(state["found"][0]["name"], "bracket");
    let store = format!("/api/imports/{import}/store");
    let ask = |choices: Value, revision: i64| {
        let body =
            json!({"into": {"cell": {"id": id, "base_revision": revision}}, "choices": choices});
        server.post(&store, body)
    };
    let choice = |parent: &str| json!([{"file": "bracket.stl", "name": "Bracket", "role": "fixture", "unit": "mm", "parent": parent}]);
    // Nothing ticked, nothing to hang on, a file that is not there: refused in a sentence, and nothing is stored.
    for (choices, says) in [
        (json!([]), "nothing is ticked"),
        (choice("lamp"), "\"lamp\""),
        (
            json!([{"file": "other.stl", "name": "Other", "role": "fixture"}]),
            "other.stl",
        ),
    ] {
        let (status, said) = ask(choices, 1).await;
        assert!(
            status == 422 && said["detail"].as_str().unwrap_or_default().contains(says),
            "{said}"
        );
    }
    let cell = server.get(&format!("/api/cells/{id}")).await;
    assert_eq!(
        (
            cell["revision"].as_i64(),
            cell["bodies"].as_array().map(Vec::len)
        ),
        (Some(1), Some(5))
    );

    let (status, said) = ask(choice("table"), 1).await;
    assert_eq!((status, &said["items"]), (201, &json!(["bracket"])));
    let cell = server.get(&format!("/api/cells/{id}")).await;
    assert_eq!(cell["undo"]["label"], "add Bracket");
    // The import is over, and the package carries the file as long as something needs it.
    assert_eq!(
        reqwest::get(format!("{}/api/imports/{import}", server.url))
            .await
            .expect("an answer")
            .status(),
        404
    );
    assert!(
        package(&server, &id)
            .await
            .iter()
            .any(|(name, _)| name.ends_with("/bracket.stl"))
    );
    server
        .post(
            &format!("/api/cells/{id}/undo"),
            json!({ "step": cell["undo"]["step"] }),
        )
        .await;
    assert_eq!(package(&server, &id).await.iter().count(), 1);
    let step = server.get(&format!("/api/cells/{id}")).await["redo"]["step"].clone();
    let (_, redone) = server
        .post(&format!("/api/cells/{id}/redo"), json!({ "step": step }))
        .await;
    assert_eq!(redone["bodies"].as_array().map(Vec::len), Some(6));

    // A new cell of what was brought, hung on nothing.
    let import = begun(&server, "/api/imports", &[("bracket.stl", bracket())]).await;
    looked_through(&server, &import).await;
    let body = json!({"into": {"new_cell": "Fresh"}, "choices": [{"file": "bracket.stl", "name": "B", "role": "part"}]});
    let (status, said) = server
        .post(&format!("/api/imports/{import}/store"), body)
        .await;
    assert_eq!(status, 201, "{said}");
    let fresh = server
        .get(&format!(
            "/api/cells/{}",
            said["cell"].as_str().expect("an id")
        ))
        .await;
    assert_eq!(fresh["document"]["name"], "Fresh");
}

async fn package(server: &Server, id: &str) -> PackageFiles {
    let answer = reqwest::get(format!("{}/api/cells/{id}/package", server.url))
        .await
        .expect("an answer");
    PackageFiles::from_zip(&answer.bytes().await.expect("a zip")).expect("readable")
}

#[tokio::test]
async fn a_stopped_import_is_forgotten_and_a_bomb_is_refused() {
    let server = Server::start().await;
    let import = begun(&server, "/api/imports", &[("bracket.stl", bracket())]).await;
    let url = format!("{}/api/imports/{import}", server.url);
    assert_eq!(
        Client::new()
            .delete(&url)
            .send()
            .await
            .expect("an answer")
            .status(),
        204
    );
    assert_eq!(reqwest::get(&url).await.expect("an answer").status(), 404);
    assert_eq!(server.get("/api/cells").await, json!([]));

    let form = Form::new().part(
        "file",
        Part::bytes(bracket()).file_name("../../etc/bracket.stl"),
    );
    let request = Client::new()
        .post(format!("{}/api/imports", server.url))
        .multipart(form);
    let refused = request.send().await.expect("an answer");
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.expect("text").contains("leads out"));
}

#[tokio::test]
async fn what_is_shown_leaves_in_open_formats_where_it_stands() {
    let server = Server::start().await;
    let id = server.with(&small_cell()).await;
    let export = async |items: Value, format: Value| {
        let body = json!({"items": items, "time_s": 0, "format": format});
        let request = Client::new()
            .post(format!("{}/api/cells/{id}/export", server.url))
            .json(&body);
        let answer = request.send().await.expect("an answer");
        (
            answer.status().as_u16(),
            answer.bytes().await.expect("bytes").to_vec(),
        )
    };
    let read = |name: &str, bytes: Vec<u8>, unit| {
        let mut files = PackageFiles::default();
        files.insert(name, bytes).expect("a plain name");
        read_mesh(
            &files,
            name,
            MeshConvention {
                unit,
                up: UpAxis::Z,
            },
            "a test",
        )
        .expect("readable")
        .mesh
    };
    // The fixture hangs on the table, turned by 90°: its clamp stands at x −300 ∓ 100, y 0, z 540.
    let expected = [-0.43, -0.03, 0.5];
    for (format, name, unit) in [
        (json!({"stl": "mm"}), "a.stl", LengthUnit::Mm),
        (json!({"stl": "inch"}), "a.stl", LengthUnit::Inch),
        (json!("glb"), "a.glb", LengthUnit::M),
    ] {
        let (status, bytes) = export(json!(["clamp-1"]), format).await;
        assert_eq!(status, 200);
        let mesh = read(name, bytes, unit);
        assert!((mass_of(&mesh).volume - 0.06 * 0.06 * 0.08).abs() < 1e-9);
        let least = mesh.bounds().min;
        assert!(
            (0..3).all(|i| (least[i] - expected[i]).abs() < 1e-6),
            "{name}: {least:?}"
        );
    }
    let (status, said) = export(json!(["clamp-1"]), json!("urdf")).await;
    assert!(status == 422 && String::from_utf8_lossy(&said).contains("select one robot"));
    assert_eq!(export(json!(["datum"]), json!("glb")).await.0, 422);

    let demo = server.with(&crate::support::demo()).await;
    let body = json!({"items": ["r1"], "time_s": 0, "format": "urdf"});
    let request = Client::new()
        .post(format!("{}/api/cells/{demo}/export", server.url))
        .json(&body);
    let zip = request
        .send()
        .await
        .expect("an answer")
        .bytes()
        .await
        .expect("bytes");
    let files = PackageFiles::from_zip(&zip).expect("a zip");
    let again = read_urdf(&files, "r1.urdf", LinkGeometry::Visual, "a test").expect("readable");
    let first = read_urdf(
        &crate::support::demo(),
        "robots/arm.urdf",
        LinkGeometry::Visual,
        "a test",
    )
    .expect("readable");
    let q = [0.3, -0.4, 0.5, 0.6, -0.7, 0.8];
    let poses = first.forward(&q).into_iter().zip(again.forward(&q));
    assert!(
        poses
            .into_iter()
            .all(|(a, b)| (a.to_homogeneous() - b.to_homogeneous()).norm() < 1e-9)
    );
}

#[tokio::test]
async fn arranging_is_done_in_the_frame_that_is_named() {
    let server = Server::start().await;
    let id = server.with(&small_cell()).await;
    let revision = std::cell::Cell::new(1);
    let arrange = async |items: Value, how: Value| {
        let body =
            json!({"base_revision": revision.get(), "items": items, "time_s": 0, "how": how});
        let (status, said) = server.post(&format!("/api/cells/{id}/arrange"), body).await;
        if status == 200 {
            revision.set(said["revision"].as_i64().expect("a revision"));
        }
        (status, said)
    };
    let world = async |item: &str| -> [f64; 6] {
        let body = json!({"items": [item], "frame": "world", "time_s": 0});
        let (_, facts) = server.post(&format!("/api/cells/{id}/facts"), body).await;
        let pose = &facts[0]["pose"];
        let of = |key: &str, i: usize| pose[key][i].as_f64().expect("a number");
        std::array::from_fn(|i| {
            if i < 3 {
                of("xyz_mm", i)
            } else {
                of("rpy_deg", i - 3)
            }
        })
    };
    let near = |a: [f64; 6], b: [f64; 6]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 1e-5);

    // By 10 mm along the fixture's own X, which is the world's Y.
    arrange(
        json!(["fixture"]),
        json!({"shift": {"frame": "own", "by": {"xyz_mm": [10, 0, 0]}}}),
    )
    .await;
    assert!(near(
        world("fixture").await,
        [-300.0, 10.0, 460.0, 0.0, 0.0, 90.0]
    ));
    // What hangs on something that moves goes along once, also when both are chosen.
    let before = world("clamp-1").await;
    arrange(
        json!(["fixture", "clamp-1"]),
        json!({"shift": {"frame": "world", "by": {"xyz_mm": [0, 0, 5]}}}),
    )
    .await;
    let after = world("clamp-1").await;
    assert!(
        (after[2] - before[2] - 5.0).abs() < 1e-6,
        "{before:?} {after:?}"
    );
    // Exactly there, in the frame of another item.
    arrange(
        json!(["clamp-1"]),
        json!({"put": {"frame": {"item": "datum"}, "at": {"xyz_mm": [1, 2, 3], "rpy_deg": [0, 0, 45]}}}),
    )
    .await;
    assert!(near(
        world("clamp-1").await,
        [1.0, 2.0, 423.0, 0.0, 0.0, 45.0]
    ));
    // A face against a face: the bottom of the post on the table's top.
    let faces = json!({"face_to_face": {"from_mm": [600, 700, 0], "from_normal": [0, 0, -1], "to_mm": [0, 0, 420], "to_normal": [0, 0, 1]}});
    arrange(json!(["post"]), faces).await;
    assert!(near(world("post").await, [0.0, 0.0, 920.0, 0.0, 0.0, 0.0]));
    arrange(json!(["post"]), json!("drop")).await;
    assert!(near(world("post").await, [0.0, 0.0, 500.0, 0.0, 0.0, 0.0]));
    // About a point instead of its own origin: half a turn about the world's Z through (0, 100).
    let half = json!({"shift": {"frame": "world", "by": {"rpy_deg": [0, 0, 180]}, "about_mm": [0, 100, 0]}});
    arrange(json!(["post"]), half).await;
    assert!(near(
        world("post").await.map(f64::abs),
        [0.0, 200.0, 500.0, 0.0, 0.0, 180.0]
    ));
    // Axis onto axis: a copy of the post takes the post's axis, and a flat face has none.
    let (_, copied) = server
        .post(
            &format!("/api/cells/{id}/edits"),
            json!({"base_revision": revision.get(), "edit": {"edit": "duplicate_items", "items": ["post"]}}),
        )
        .await;
    let bodies = copied["bodies"].as_array().expect("bodies").clone();
    let body = |item: &str| {
        bodies
            .iter()
            .position(|b| b["item"] == item)
            .expect("a body")
    };
    revision.set(copied["revision"].as_i64().expect("a revision"));
    arrange(
        json!(["post-2"]),
        json!({"put": {"frame": "world", "at": {"xyz_mm": [900, 900, 50], "rpy_deg": [90, 0, 0]}}}),
    )
    .await;
    let onto = |triangle: usize| {
        let (from, to) = (
            json!({"body": body("post-2"), "triangle": triangle}),
            json!({"body": body("post"), "triangle": triangle}),
        );
        json!({"axis_to_axis": {"from": from, "to": to}})
    };
    let mut round = None;
    for triangle in [0, 40, 60, 100, 140] {
        if arrange(json!(["post-2"]), onto(triangle)).await.0 == 200 {
            round = Some(triangle);
            break;
        }
    }
    assert!(round.is_some(), "some of these lie on the wall");
    let at = world("post-2").await;
    assert!(
        at[0].abs() < 1e-5
            && (at[1] - 200.0).abs() < 1e-5
            && (at[3].abs() < 1e-5 || (at[3].abs() - 180.0).abs() < 1e-5),
        "{at:?}"
    );
    let (status, said) = arrange(
        json!(["post-2"]),
        json!({"axis_to_axis": {
        "from": {"body": body("table"), "triangle": 0}, "to": {"body": body("post"), "triangle": 0}}}),
    )
    .await;
    assert!(
        status == 422
            && said["detail"]
                .as_str()
                .unwrap_or_default()
                .contains("not round"),
        "{said}"
    );

    // Frames by three points and on a face, carried by what was named.
    let frame = async |at: Value| {
        let now = server.get(&format!("/api/cells/{id}")).await["revision"].clone();
        let body = json!({"base_revision": now, "time_s": 0, "kind": "frame", "parent": "table", "at": at});
        server.post(&format!("/api/cells/{id}/frames"), body).await
    };
    assert_eq!(
        frame(json!({"three_points": [[100, 0, 500], [100, 50, 500], [0, 10, 500]]}))
            .await
            .0,
        200
    );
    assert!(near(
        world("frame-1").await,
        [100.0, 0.0, 500.0, 0.0, 0.0, 90.0]
    ));
    assert_eq!(
        frame(json!({"face": {"at_mm": [1, 2, 3], "normal": [0, 0, 2]}}))
            .await
            .0,
        200
    );
    assert!(near(world("frame-2").await, [1.0, 2.0, 3.0, 0.0, 0.0, 0.0]));
    let (status, said) = frame(json!({"three_points": [[0, 0, 0], [1, 0, 0], [2, 0, 0]]})).await;
    assert!(
        status == 422
            && said["detail"]
                .as_str()
                .unwrap_or_default()
                .contains("in a line"),
        "{said}"
    );
    revision.set(
        server.get(&format!("/api/cells/{id}")).await["revision"]
            .as_i64()
            .expect("a revision"),
    );

    // Several into a group, which leaves them where they are.
    let stood = world("clamp-2").await;
    let (_, said) = arrange(
        json!(["clamp-2", "post"]),
        json!({"group": {"name": "Both"}}),
    )
    .await;
    assert_eq!(said["undo"]["label"], "group 2 items as Both");
    assert!(near(world("clamp-2").await, stood));

    for (items, how, says) in [
        (json!([]), json!("drop"), "select what"),
        (json!(["datum"]), json!("drop"), "has a body"),
        (
            json!(["post", "datum"]),
            json!({"put": {"frame": "world", "at": {}}}),
            "one place",
        ),
        (
            json!(["post"]),
            json!({"hang": {"parent": "post", "keep": "world"}}),
            "carry itself",
        ),
        (
            json!(["post"]),
            json!({"shift": {"frame": "world", "by": {"xyz_mm": [1e300, 0, 0]}}}),
            "not a usable number",
        ),
        (
            json!(["post"]),
            json!({"motion": {"by": [0, 0, 0, 0, 0, 0, 0]}}),
            "no direction",
        ),
    ] {
        let (status, said) = arrange(items, how).await;
        assert!(
            status == 422 && said["detail"].as_str().unwrap_or_default().contains(says),
            "{said}"
        );
    }
}

/// Six people edit while four others bring something in, all looking at the first revision: all of it stands.
#[tokio::test(flavor = "multi_thread")]
async fn edits_and_imports_at_once_all_stand() {
    let server = Server::start().await;
    let id = server.with(&small_cell()).await;
    let edit = async |(n, item): (usize, &str)| {
        let edit = json!({ "edit": "rename_item", "item": item, "name": format!("Name {n}") });
        let body = json!({ "base_revision": 1, "edit": edit });
        server.post(&format!("/api/cells/{id}/edits"), body).await.0
    };
    let bring = async |n: usize| {
        let file = format!("bracket-{n}.stl");
        let import = begun(&server, "/api/imports", &[(&file, bracket())]).await;
        looked_through(&server, &import).await;
        let choice = json!([{ "file": file, "name": file, "role": "part", "unit": "mm" }]);
        let body =
            json!({ "into": { "cell": { "id": id, "base_revision": 1 } }, "choices": choice });
        server
            .post(&format!("/api/imports/{import}/store"), body)
            .await
            .0
    };
    // No more than four imports are kept at a time.
    let ids = ["table", "fixture", "clamp-1", "clamp-2", "post", "datum"];
    let edits = futures_util::future::join_all(ids.into_iter().enumerate().map(edit));
    let imports = futures_util::future::join_all((0..4).map(bring));
    let (edits, imports) = tokio::join!(edits, imports);
    assert_eq!((edits, imports), (vec![200; 6], vec![201; 4]));
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let items = cell["document"]["items"].as_array().expect("items");
    let renamed = items
        .iter()
        .filter(|i| i["name"].as_str().is_some_and(|n| n.starts_with("Name ")));
    assert_eq!(
        (renamed.count(), items.len(), cell["revision"].as_u64()),
        (6, 10, Some(11))
    );
}
