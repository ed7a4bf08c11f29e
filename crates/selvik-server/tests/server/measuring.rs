//! Measuring, what is kept of it, overlaps and drawings over HTTP.

use crate::support::{Server, small_cell};
use serde_json::{Value, json};

async fn small() -> (Server, String) {
    let server = Server::start().await;
    let id = server.with(&small_cell()).await;
    (server, id)
}

fn item(id: &str) -> Value {
    json!({"on": id, "kind": "item"})
}

#[tokio::test]
async fn the_bore_of_a_housing_is_picked_by_any_of_its_facets_and_known_to_a_thousandth() {
    let (server, id) = Server::with_demo().await;
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let bodies = cell["bodies"].as_array().expect("bodies");
    let body = bodies.iter().position(|b| b["item"] == "housing-a");
    // The housing is made with bores of 100 and 124 and a flange of 216; its triangles are asked one after the other.
    let mut diameters = std::collections::BTreeSet::new();
    for triangle in (0..5000).step_by(11) {
        let pick = json!({"body": body, "triangle": triangle, "at_mm": [830, 0, 860], "near_mm": 0.0, "time_s": 0.0});
        let (status, found) = server.post(&format!("/api/cells/{id}/pick"), pick).await;
        if status == 422 {
            assert!(
                found["detail"]
                    .as_str()
                    .expect("a sentence")
                    .contains("no such triangle"),
                "{found}"
            );
            break;
        }
        for value in found["known"]["values"].as_array().expect("values") {
            if value["what"] == "diameter" {
                let mm = value["length_mm"].as_f64().expect("a length");
                diameters.insert((mm * 1000.0).round() as i64);
            }
        }
    }
    for made in [100_000, 124_000, 216_000] {
        assert!(diameters.contains(&made), "{diameters:?}");
    }
}

#[tokio::test]
async fn what_is_kept_is_told_with_what_it_was_and_as_a_table() {
    let (server, id) = small().await;
    let picks = [item("clamp-1"), item("clamp-2")];
    let (_, found) = server
        .post(&format!("/api/cells/{id}/measure"), json!({"picks": picks}))
        .await;
    assert_eq!(found["numbers"][0]["what"], "nearest");
    let nearest = found["numbers"][0]["length_mm"].as_f64().expect("a length");
    assert!((nearest - 140.0).abs() < 1e-9);
    let finding = json!({"id": "gap", "name": "Between, \"clamps\"", "picks": picks, "was": found["numbers"]});
    let edit = json!({"base_revision": 1, "edit": {"edit": "save_finding", "finding": finding}});
    let (status, said) = server.post(&format!("/api/cells/{id}/edits"), edit).await;
    assert_eq!(status, 200, "{said}");
    let kept = server.get(&format!("/api/cells/{id}/kept-findings")).await;
    assert_eq!(
        (&kept[0]["id"], &kept[0]["changed"]),
        (&json!("gap"), &json!(false))
    );
    let table = reqwest::get(format!("{}/api/cells/{id}/kept-findings.csv", server.url)).await;
    let table = table.expect("an answer").text().await.expect("text");
    assert!(
        table.contains("\"Between, \"\"clamps\"\"\",,,item clamp-1,item clamp-2,nearest,140"),
        "{table}"
    );

    // A sweep is not made stale by what is kept.
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let fresh = server.get(&format!("/api/cells/{id}/sweep")).await;
    assert_eq!(cell["revision"], 2);
    assert!(fresh["fingerprint"].is_null() || fresh["fingerprint"] == cell["fingerprint"]);
}

#[tokio::test]
async fn overlaps_and_drawings_are_answered_and_what_can_be_none_is_refused_with_a_reason() {
    let (server, id) = small().await;
    let path = |what: &str| format!("/api/cells/{id}/{what}");
    let (_, found) = server
        .post(&path("overlaps"), json!({"tolerance_mm": 0.1}))
        .await;
    let pairs = found["pairs"].as_array().expect("pairs");
    // The fixture stands on the table, the clamps on the fixture.
    assert_eq!(pairs.len(), 3, "{found}");
    assert!(pairs.iter().all(|p| p["state"] == "touches"), "{found}");

    let cuts = json!({"sections": [{"point_mm": [0, 0, 0], "normal": [0, -1, 0]}], "items": ["table"],
        "section": 0, "time_s": 0, "format": "dxf", "title": "A", "dimensions_mm": [[[0, 0], [10, 0]]]});
    let file = reqwest::Client::new()
        .post(format!("{}{}", server.url, path("section-drawing/file")))
        .json(&cuts)
        .send()
        .await
        .expect("an answer");
    assert_eq!(file.headers()["content-type"], "image/vnd.dxf");
    assert!(file.text().await.expect("text").contains("POLYLINE"));

    let far = 1e308;
    let spot = |at: Value| json!({"picks": [{"on": "table", "kind": "spot", "at_mm": at}]});
    for (what, body, says) in [
        ("measure", json!({"picks": []}), "one to 50"),
        (
            "measure",
            json!({"picks": [item("nobody")]}),
            "no item \"nobody\"",
        ),
        (
            "measure",
            json!({"picks": [{"on": "table", "kind": "edge"}]}),
            "says where",
        ),
        (
            "measure",
            json!({"picks": [item("table")], "frame": "nobody"}),
            "no item \"nobody\"",
        ),
        (
            "pick",
            json!({"body": 99, "triangle": 0, "at_mm": [0, 0, 0], "near_mm": 1}),
            "no such body",
        ),
        (
            "pick",
            json!({"body": 0, "triangle": 99, "at_mm": [0, 0, 0], "near_mm": 1}),
            "no such triangle",
        ),
        ("nearest", json!({"pick": item("datum")}), "no geometry"),
        (
            "along",
            json!({"picks": [item("table"), item("post")]}),
            "nothing moves",
        ),
        ("reach-along", json!({"tcp": "datum"}), "nothing moves"),
        (
            "reach-outline",
            json!({"tcp": "datum", "of": "wrist"}),
            "no robot moves \"datum\"",
        ),
        (
            "access",
            json!({"from": {"towards": [0, 0, 0]}, "rod": {"diameter_mm": 0}}),
            "points somewhere",
        ),
        (
            "access-cone",
            json!({"pick": item("nobody"), "rod": {"diameter_mm": 0}}),
            "no item \"nobody\"",
        ),
        (
            "overlaps",
            json!({"tolerance_mm": -1}),
            "between 0 and 1000",
        ),
        (
            "overlaps",
            json!({"items": ["nobody"]}),
            "no item \"nobody\"",
        ),
        (
            "section-drawing",
            json!({"sections": [], "items": [], "section": 7, "time_s": 0}),
            "no section 8",
        ),
    ] {
        let (status, said) = server.post(&path(what), body).await;
        assert_eq!(status, 422, "{what} {said}");
        assert!(
            said["detail"].as_str().expect("a sentence").contains(says),
            "{said}"
        );
    }
    // Far out it is measured, or refused; never a number that is none.
    let (status, said) = server
        .post(&path("measure"), spot(json!([far, 0, 0])))
        .await;
    assert!(
        status == 422 || said["numbers"][0]["point_mm"][0].is_number(),
        "{said}"
    );
}
