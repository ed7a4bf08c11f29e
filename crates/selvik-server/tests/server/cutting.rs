//! Cuts, volumes and overlaps over HTTP.

use crate::support::Server;
use reqwest::Client;
use serde_json::{Value, json};

#[tokio::test]
async fn a_cut_through_a_housing_is_a_ring() {
    let (server, id) = Server::with_demo().await;
    let body = json!({
        "sections": [{"point_mm": [0, 0, 818], "normal": [0, 0, 1]}], "items": ["housing-a"], "time_s": 0,
    });
    let answer = Client::new()
        .post(format!("{}/api/cells/{id}/section", server.url))
        .json(&body)
        .send()
        .await;
    let found: Value = answer.expect("an answer").json().await.expect("JSON");
    let face = &found["faces"][0];
    assert_eq!(face["item"], "housing-a");
    let loops = face["outlines_mm"].as_array().expect("outlines");
    let points: Vec<&Value> = loops
        .iter()
        .flat_map(|l| l.as_array().expect("points"))
        .collect();
    let area: f64 = face["triangles"]
        .as_array()
        .expect("triangles")
        .iter()
        .map(|t| {
            let corner = |i: usize| points[t[i].as_u64().expect("an index") as usize];
            let p = |i: usize, k: usize| corner(i)[k].as_f64().expect("a number");
            ((p(1, 0) - p(0, 0)) * (p(2, 1) - p(0, 1)) - (p(2, 0) - p(0, 0)) * (p(1, 1) - p(0, 1)))
                .abs()
                / 2.0
        })
        .sum();
    assert!(
        (area - face["area_mm2"].as_f64().expect("an area")).abs() < 1.0,
        "{area}"
    );
}

/// A cut goes through what is jogged where the hand has it; what is no joint is refused.
#[tokio::test]
async fn what_is_jogged_is_cut_where_it_is() {
    let (server, id) = Server::with_demo().await;
    let cut = async |joints: Value| {
        let body = json!({
            "sections": [{"point_mm": [0, 0, 1200], "normal": [0, 0, 1]}], "items": ["r1"], "time_s": 0,
            "joints_deg_or_mm": joints,
        });
        server.post(&format!("/api/cells/{id}/section"), body).await
    };
    let area = |found: &Value| found["area_mm2"].as_f64().expect("an area");
    let (_, before) = cut(json!({})).await;
    let (_, turned) = cut(json!({"r1/joint_1": 50})).await;
    let (_, bent) = cut(json!({"r1/joint_2": 30})).await;
    // Turned about the vertical it is cut alike, elsewhere; bent it is not.
    assert!((area(&before) - area(&turned)).abs() < 1e-3 * area(&before));
    assert_ne!(
        before["faces"][0]["centroid_mm"],
        turned["faces"][0]["centroid_mm"]
    );
    assert!((area(&before) - area(&bent)).abs() > 1.0, "{bent}");
    let (status, said) = cut(json!({"r1/nobody": 1})).await;
    assert_eq!(status, 422, "{said}");
}

/// What the bodies of one item share counts once; a robot's own volume is asked for by itself, so that nothing else waits.
#[tokio::test]
async fn volumes_count_what_is_shared_once() {
    let text = r#"{"format": "selvik-cell/1", "name": "Shared", "items": [
        {"id": "cross", "name": "Cross", "role": "fixture", "bodies": [
            {"shape": {"box": {"size_mm": [300, 100, 100]}}}, {"shape": {"box": {"size_mm": [100, 300, 100]}}}]},
        {"id": "pin", "name": "Pin", "role": "fixture", "bodies": [
            {"shape": {"cylinder": {"radius_mm": 20, "length_mm": 100}}}, {"shape": {"sphere": {"radius_mm": 20}}}]},
        {"id": "ball", "name": "Ball", "role": "part", "bodies": [{"shape": {"sphere": {"radius_mm": 100}}}]},
        {"id": "datum", "name": "Datum", "role": "frame"}]}"#;
    let mut files = selvik_formats::PackageFiles::default();
    files
        .insert("cell.json", text.as_bytes().to_vec())
        .expect("a plain name");
    let server = Server::start().await;
    let id = server.with(&files).await;
    let all = json!({ "items": ["cross", "pin", "ball", "datum"] });
    let (status, masses) = server.post(&format!("/api/cells/{id}/masses"), all).await;
    assert_eq!(status, 200, "{masses}");
    let number = |at: usize, key: &str| masses[at][key].as_f64().expect("a number");
    assert!((number(0, "volume_mm3") - 5e6).abs() < 1.0, "{masses}");
    assert!((number(0, "area_mm2") - 22e4).abs() < 1.0, "{masses}");
    // Round shapes that stand in each other are not worked out; one alone is exact.
    assert_eq!(
        (&masses[1]["volume_mm3"], &masses[3]["volume_mm3"]),
        (&Value::Null, &Value::Null)
    );
    let exact = 4.0 / 3.0 * std::f64::consts::PI * 1e6;
    assert!((number(2, "volume_mm3") - exact).abs() < 1e-3, "{masses}");
    let (status, problem) = server
        .post(
            &format!("/api/cells/{id}/masses"),
            json!({ "items": ["moon"] }),
        )
        .await;
    assert!(status == 422 || status == 404, "{problem}");
}

/// The hose bracket goes into the rib while it touches it, and is far from it at the start.
#[tokio::test]
async fn an_overlap_is_told_as_deep_as_it_certainly_gets() {
    let (server, id) = Server::with_demo().await;
    let path = format!("/api/cells/{id}/overlap");
    let [a, b] = [json!({"item": "hose-bracket"}), json!({"item": "rib-a"})];
    let during = |from: f64, to: f64| json!({"a": a, "b": b, "during_s": [from, to]});
    let (status, found) = server.post(&path, during(13.82, 13.88)).await;
    assert_eq!(status, 200, "{found}");
    let depth = found["at_least_mm"].as_f64().expect("a depth");
    assert!(depth > 0.01 && depth < 20.0, "{found}");
    let time = found["time_s"].as_f64().expect("a time");
    assert!((13.82..=13.88).contains(&time), "{found}");
    let (_, apart) = server.post(&path, during(0.0, 0.0)).await;
    assert_eq!(apart, json!({"at_least_mm": 0.0, "time_s": 0.0}));
    for (body, expected) in [
        (during(2.0, 1.0), 422),
        (
            json!({"a": {"item": "nothing"}, "b": b, "during_s": [0.0, 1.0]}),
            404,
        ),
        (json!({"a": a, "b": b}), 422),
    ] {
        assert_eq!(server.post(&path, body).await.0, expected);
    }
}
