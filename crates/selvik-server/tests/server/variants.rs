//! Variants: changes that are swept without being made.

use serde_json::{Value, json};

use crate::support::{Server, eventually};

const CLAMP: &str = "clamp-a2";

async fn table(server: &Server, id: &str) -> Vec<Value> {
    let told = server.get(&format!("/api/cells/{id}/variants")).await;
    told.as_array().expect("a table").clone()
}

/// Waits until nothing is wanted any more.
async fn filled(server: &Server, id: &str) -> Vec<Value> {
    eventually("all variants are swept", async || {
        let all = table(server, id).await;
        all.iter().all(|v| v["wanted"] == json!(false))
    })
    .await;
    table(server, id).await
}

async fn edited(server: &Server, id: &str, edit: &Value) {
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let body = json!({"base_revision": cell["revision"], "edit": edit});
    let (status, said) = server.post(&format!("/api/cells/{id}/edits"), body).await;
    assert_eq!(status, 200, "{said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_variant_comes_to_what_the_change_comes_to_when_it_is_made() {
    let (server, id) = Server::with_demo().await;
    let along = json!([{"axis": "x", "from": -20, "to": 40, "count": 3}]);
    let series = json!({"time_s": 0, "items": [CLAMP], "along": along});
    let path = format!("/api/cells/{id}/variants");
    let (status, added) = server.post(&format!("{path}/series"), series.clone()).await;
    assert_eq!(status, 200, "{added}");
    let names: Vec<&str> = added
        .as_array()
        .expect("a table")
        .iter()
        .filter_map(|v| v["name"].as_str())
        .collect();
    assert!(
        names[0].ends_with("X −20 mm")
            && names[1].ends_with("X +10 mm")
            && names[2].ends_with("X +40 mm"),
        "{names:?}"
    );
    let all = filled(&server, &id).await;
    assert!(all.iter().all(|v| v["fresh"] == json!(true)), "{all:?}");
    // The same again adds nothing, and what is known stays known.
    let (status, again) = server.post(&format!("{path}/series"), series).await;
    assert_eq!((status, again), (200, json!(all)));
    for variant in &all {
        let told = &variant["outcome"];
        edited(&server, &id, &variant["edit"]).await;
        let found = server.swept(&id).await;
        let of = |key: &str| found["counts"][key].clone();
        assert_eq!(told["verdict"], found["verdict"]);
        assert_eq!(
            [&told["broken"], &told["tight"], &told["not_certified"]],
            [&of("broken"), &of("tight"), &of("not_certified")]
        );
        let mut pairs = found["pairs"].as_array().expect("pairs").iter();
        let worst = pairs
            .find(|p| (p["a"]["item"] == CLAMP) != (p["b"]["item"] == CLAMP))
            .expect("a pair of the clamp's");
        assert_eq!(told["worst"]["attained_mm"], worst["attained_mm"]);
        assert_eq!(told["worst"]["lower_mm"], worst["lower_mm"]);
    }
    // What was found is of the cell as it was; swept again it is of the cell as it is, on which the same places stand in the edits.
    let stale = table(&server, &id).await;
    assert!(
        stale.iter().all(|v| v["fresh"] == json!(false)),
        "{stale:?}"
    );
    let (status, _) = server.post(&format!("{path}/sweep"), json!({})).await;
    assert_eq!(status, 200);
    let again = filled(&server, &id).await;
    for (before, after) in all.iter().zip(&again) {
        assert_eq!(after["fresh"], json!(true));
        assert_eq!(before["outcome"]["worst"], after["outcome"]["worst"]);
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_can_not_be_is_told_or_refused_as_a_whole() {
    let (server, id) = Server::with_demo().await;
    let path = format!("/api/cells/{id}/variants");
    let renamed = |item: &str| json!({"edit": "rename_item", "item": item, "name": "B"});
    let place = |x: f64| json!({"edit": "place_items", "places": [{"item": "station-1", "pose": {"xyz_mm": [x, 0.0, 0.0]}}]});
    for (odd, word) in [
        (
            json!({"variants": [{"name": "good", "edit": renamed(CLAMP)}, {"name": "bad", "edit": renamed("nobody")}]}),
            "bad",
        ),
        (
            json!({"variants": [{"name": " ", "edit": renamed(CLAMP)}]}),
            "name",
        ),
        (
            json!({"variants": [{"name": "x".repeat(300), "edit": renamed(CLAMP)}]}),
            "name",
        ),
    ] {
        let (status, said) = server.post(&path, odd).await;
        assert_eq!(status, 422, "{said}");
        assert!(
            said["detail"].as_str().is_some_and(|s| s.contains(word)),
            "{said}"
        );
    }
    let axis = |axis: &str, count: u64| json!({"axis": axis, "from": 0, "to": 1, "count": count});
    for along in [
        json!([]),
        json!([axis("x", 0)]),
        json!([axis("x", 2), axis("x", 2)]),
        json!([axis("x", 40), axis("y", 40)]),
        json!([axis("x", u64::MAX / 2), axis("y", 9)]),
    ] {
        let series = json!({"time_s": 0, "items": [CLAMP], "along": along});
        let (status, said) = server.post(&format!("{path}/series"), series).await;
        assert_eq!(status, 422, "{along} {said}");
    }
    assert_eq!(table(&server, &id).await, Vec::<Value>::new());

    // A fixture out of reach: the programs can't be run, and that is what is told.
    let cell = server.get(&format!("/api/cells/{id}")).await;
    let items = cell["document"]["items"].as_array().expect("items");
    assert!(items.iter().any(|i| i["id"] == "station-1"), "{items:?}");
    let far = json!({"variants": [{"name": "far", "edit": place(20_000.0)}, {"name": "as it is", "edit": renamed(CLAMP)}]});
    assert_eq!(server.post(&path, far).await.0, 200);
    let all = filled(&server, &id).await;
    assert_eq!(all[0]["outcome"]["outcome"], "impossible", "{}", all[0]);
    let why = all[0]["outcome"]["why"].as_str().expect("why");
    assert!(why.contains("program"), "{why}");
    assert_eq!(all[1]["outcome"]["outcome"], "swept", "{}", all[1]);

    // One is deleted, and not twice; then all.
    let delete = async |which: &str| {
        let url = format!("{}{path}{which}", server.url);
        reqwest::Client::new()
            .delete(url)
            .send()
            .await
            .expect("an answer")
            .status()
            .as_u16()
    };
    let one = format!("/{}", all[0]["id"].as_str().expect("an id"));
    assert_eq!([delete(&one).await, delete(&one).await], [204, 404]);
    assert_eq!(table(&server, &id).await.len(), 1);
    assert_eq!(delete("").await, 204);
    assert_eq!(table(&server, &id).await, Vec::<Value>::new());
}

/// Hundreds that wait don't keep anybody waiting who looks at the cell; and they can be stopped and gone on with.
#[tokio::test(flavor = "multi_thread")]
async fn a_sweep_does_not_wait_behind_variants_and_those_can_be_stopped() {
    let (server, id) = Server::with_demo().await;
    let axis = |axis: &str| json!({"axis": axis, "from": -300, "to": 300, "count": 12});
    let series = json!({"time_s": 0, "items": [CLAMP], "along": [axis("x"), axis("y")]});
    let path = format!("/api/cells/{id}/variants");
    assert_eq!(server.post(&format!("{path}/series"), series).await.0, 200);
    server.swept(&id).await;
    let wanted = |all: &[Value]| all.iter().filter(|v| v["wanted"] == json!(true)).count();
    let before = wanted(&table(&server, &id).await);
    assert!(before > 20, "{before} still wait");
    assert_eq!(server.post(&format!("{path}/stop"), json!({})).await.0, 204);
    let stopped = table(&server, &id).await;
    assert_eq!(wanted(&stopped), 0);
    let done = stopped.iter().filter(|v| v["fresh"] == json!(true)).count();
    assert!(done < 144);
    // Wanted again: only what is not known yet.
    assert_eq!(
        server.post(&format!("{path}/sweep"), json!({})).await.0,
        200
    );
    let again = wanted(&table(&server, &id).await);
    assert!(again > 0 && again <= 144 - done, "{again} of {done}");
    assert_eq!(server.post(&format!("{path}/stop"), json!({})).await.0, 204);
}
