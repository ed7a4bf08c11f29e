//! What a change comes to before it is made, how clearance goes over a part of the path, and what changed since an earlier sweep.

use reqwest::{Client, StatusCode};
use serde_json::{Value, json};

use crate::support::{Server, demo, eventually};

const CLAMP: &str = "clamp-a2";

async fn post(server: &Server, path: &str, body: Value) -> (StatusCode, Value) {
    let url = format!("{}{path}", server.url);
    let answer = Client::new().post(url).json(&body).send().await;
    let answer = answer.expect("an answer");
    (answer.status(), answer.json().await.unwrap_or_default())
}

fn of_clamp(pairs: &Value) -> &Value {
    let mut pairs = pairs.as_array().expect("pairs").iter();
    let is = |pair: &&Value| {
        let sides = [&pair["a"]["item"], &pair["b"]["item"]];
        sides.contains(&&json!("nozzle-bracket")) && sides.contains(&&json!(CLAMP))
    };
    pairs.find(is).expect("the bracket and the clamp")
}

#[tokio::test]
async fn the_smallest_shift_is_tried_taken_and_certified_and_told_as_better() {
    let (server, id) = Server::with_demo().await;
    let cell = format!("/api/cells/{id}");
    let before = server.swept(&id).await;
    assert_eq!(of_clamp(&before["pairs"])["verdict"], "broken");

    let find =
        json!({ "items": [CLAMP], "time_s": 0, "frame": "world", "axes": [0], "most_mm": 100 });
    let (status, shift) = post(&server, &format!("{cell}/smallest-shift"), find).await;
    assert_eq!((status, &shift["smallest"]), (StatusCode::OK, &json!(true)));
    let by = shift["by_mm"][0].as_f64().expect("a shift");

    // A tenth of a millimetre less does not do.
    let moved = |x: f64| json!({ "motion": { "by": [x * 1e-3, 0, 0, 0, 0, 0, 1] } });
    let less = by - 0.1 * by.signum();
    for (x, verdict) in [(by, "tight"), (less, "broken")] {
        let body = json!({ "items": [CLAMP], "time_s": 0, "how": moved(x) });
        let (status, tried) = post(&server, &format!("{cell}/try"), body).await;
        assert_eq!(status, StatusCode::OK, "{tried}");
        let pair = of_clamp(&tried["pairs"]);
        assert_eq!(pair["verdict"], verdict, "{x}: {pair}");
    }
    assert_eq!(server.get(&cell).await["revision"], 1, "nothing is changed");

    let arrange = json!({ "base_revision": 1, "items": [CLAMP], "time_s": 0, "how": moved(by) });
    let (status, _) = post(&server, &format!("{cell}/arrange"), arrange).await;
    assert_eq!(status, StatusCode::OK);
    let after = server.swept(&id).await;
    assert_eq!(of_clamp(&after["pairs"])["verdict"], "tight");

    let sweeps = server.get(&format!("{cell}/sweeps")).await;
    let revisions: Vec<_> = sweeps
        .as_array()
        .expect("two")
        .iter()
        .map(|s| &s["revision"])
        .collect();
    assert_eq!(revisions, [2, 1]);
    let (now, was) = (&after["fingerprint"], &before["fingerprint"]);
    let (now, was) = (now.as_str().expect("one"), was.as_str().expect("one"));
    let compared = server
        .get(&format!("{cell}/comparison?fingerprint={now}&with={was}"))
        .await;
    let changes = compared["changes"].as_array().expect("changes");
    let better: Vec<_> = changes.iter().filter(|c| c["became"] == "better").collect();
    let named = |c: &&&Value| {
        c["what"]
            .as_str()
            .expect("a name")
            .contains("Nozzle bracket – Clamp A2")
    };
    let ours = better.iter().find(named).expect("it is better");
    assert_eq!(
        (&ours["before"], &ours["now"]),
        (&json!("broken"), &json!("tight"))
    );
    assert_eq!(compared["band"], before["band"]);

    // One that has a name stays when many come after it.
    let name = async |of: &str, name: Value| {
        let url = format!("{}{cell}/sweeps/{of}", server.url);
        let put = Client::new().put(url).json(&json!({ "name": name }));
        put.send().await.expect("an answer").status()
    };
    assert_eq!(name(was, json!("As it came")).await, StatusCode::NO_CONTENT);
    assert_eq!(name("nothing", json!("x")).await, StatusCode::NOT_FOUND);
    assert_eq!(
        name(was, json!("x".repeat(300))).await,
        StatusCode::UNPROCESSABLE_ENTITY
    );
    let sweeps = server.get(&format!("{cell}/sweeps")).await;
    assert_eq!(sweeps[1]["name"], "As it came");
}

#[tokio::test]
async fn the_clearance_of_one_pair_is_told_over_a_part_of_the_path() {
    let (server, id) = Server::with_demo().await;
    let path = format!("/api/cells/{id}/profile");
    let side = |item: &str| json!({ "item": item });
    let ask = |from: f64, to: f64, between: Value| json!({ "from_s": from, "to_s": to, "between": between });
    let both = json!([side("nozzle-bracket"), side(CLAMP)]);
    let (status, band) = post(&server, &path, ask(13.7, 13.8, both.clone())).await;
    assert_eq!(status, StatusCode::OK, "{band}");
    let numbers = |name: &str| -> Vec<f64> {
        let all = band[name].as_array().expect("numbers").iter();
        all.map(|x| x.as_f64().expect("a number")).collect()
    };
    let (edges, lower, attained) = (
        numbers("edges_s"),
        numbers("lower_mm"),
        numbers("attained_mm"),
    );
    assert_eq!(
        (edges[0], lower.len(), attained.len()),
        (13.7, edges.len() - 1, edges.len() - 1)
    );
    assert!((edges[edges.len() - 1] - 13.8).abs() < 1e-9);
    let found = server.swept(&id).await;
    let pair = of_clamp(&found["pairs"]);
    let (least, most) = (
        pair["lower_mm"].as_f64().unwrap(),
        pair["attained_mm"].as_f64().unwrap(),
    );
    let band_least = lower.iter().copied().fold(f64::INFINITY, f64::min);
    let band_most = attained.iter().copied().fold(f64::INFINITY, f64::min);
    assert!(
        band_least <= most && least <= band_most + 1e-9,
        "{band_least} {band_most} {pair}"
    );
    assert!(band_most - band_least < 0.5, "{band_least} {band_most}");

    let refused = [
        (ask(5.0, 5.0, Value::Null), "no time"),
        (
            ask(0.0, 9.0, json!([side("nozzle-bracket"), side("nobody")])),
            "no rule",
        ),
        (ask(-9.0, 0.0, both), "no time"),
    ];
    for (asked, said) in refused {
        let (status, told) = post(&server, &path, asked).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
        assert!(
            told["detail"].as_str().expect("a sentence").contains(said),
            "{told}"
        );
    }
}

#[tokio::test]
async fn pairs_are_found_by_name_and_verdict() {
    let (server, id) = Server::with_demo().await;
    let found = server.swept(&id).await;
    let of = found["fingerprint"].as_str().expect("one");
    let pairs = async |more: &str| -> Vec<Value> {
        let path = format!("/api/cells/{id}/findings/pairs?fingerprint={of}&from=0{more}");
        server.get(&path).await.as_array().expect("pairs").clone()
    };
    let broken = found["counts"]["broken"].as_u64().expect("a count") as usize;
    assert_eq!(pairs("&verdict=broken").await.len(), broken);
    let clamps = pairs("&called=CLAMP%20a2").await;
    assert!(!clamps.is_empty());
    for pair in &clamps {
        let names = [&pair["a"]["name"], &pair["b"]["name"]];
        assert!(
            names
                .iter()
                .any(|n| n.as_str().expect("a name").contains("Clamp A2")),
            "{pair}"
        );
    }
    assert_eq!(pairs("&called=clamp%20a2&verdict=broken").await.len(), 1);
    assert!(pairs("&called=nobody").await.is_empty());
}

#[tokio::test]
async fn a_part_is_swept_alone_and_knots_are_gone_through_one_by_one() {
    let (server, id) = Server::with_demo().await;
    let path = format!("/api/cells/{id}/sweep-part");
    let (status, whole) = post(&server, &path, json!({"from_s": 0, "to_s": 1e3})).await;
    assert_eq!(
        (status, &whole["verdict"]),
        (StatusCode::OK, &json!("broken"))
    );
    let worst = &whole["pairs"][0];
    let time = worst["time_s"].as_f64().expect("a time");
    // Before it nothing is as near; round it the same is.
    let (_, before) = post(&server, &path, json!({"from_s": 0, "to_s": time - 5.0})).await;
    // What is carried later hangs elsewhere then.
    let count = |part: &Value| part["count"].as_u64().expect("a count");
    assert!(
        count(&before) < count(&whole) && count(&before) > 1000,
        "{before}"
    );
    assert!(
        before["broken"].as_u64() < whole["broken"].as_u64(),
        "{before}"
    );
    let (_, round) = post(
        &server,
        &path,
        json!({"from_s": time - 0.1, "to_s": time + 0.1}),
    )
    .await;
    assert_eq!(round["pairs"][0]["a"], worst["a"]);
    assert!(
        round["pairs"][0]["attained_mm"].as_f64() <= worst["attained_mm"].as_f64().map(|x| x + 0.1)
    );
    for odd in [
        json!({"from_s": 2, "to_s": 1}),
        json!({"from_s": 900, "to_s": 901}),
    ] {
        assert_eq!(
            post(&server, &path, odd).await.0,
            StatusCode::UNPROCESSABLE_ENTITY
        );
    }

    let about = async |time: f64| {
        server
            .get(&format!("/api/cells/{id}/knots?time_s={time}"))
            .await
    };
    assert_eq!(about(0.0).await["before_s"], Value::Null);
    let (mut at, mut count) = (0.0, 1);
    while let Some(next) = about(at).await["after_s"].as_f64() {
        assert!(next > at);
        assert_eq!(
            about(next).await["before_s"].as_f64(),
            Some(at),
            "back from {next}"
        );
        (at, count) = (next, count + 1);
        if count == 200 {
            break;
        }
    }
    assert_eq!(count, 200, "the demo has more knots");
    assert_eq!(about(1e9).await["after_s"], Value::Null);
    assert!(about(1e9).await["before_s"].as_f64() > Some(20.0));
}

/// The purge targets of the demo: their robot goes along, what it comes to is told, and nothing is changed until it is arranged.
#[tokio::test]
async fn a_target_is_tried_arranged_and_shifted() {
    let (server, id) = Server::with_demo().await;
    let cell = format!("/api/cells/{id}");
    server.swept(&id).await;
    let named = json!({ "program": "purge", "target": "P2" });
    let place =
        |frame: &str| json!({ "program": "purge", "target": "P2", "frame": frame, "time_s": 0 });
    let (status, stands) = post(&server, &format!("{cell}/target-facts"), place("own")).await;
    assert_eq!(
        (status, &stands["world"]),
        (StatusCode::OK, &stands["axes"])
    );

    let up = |z: f64| json!({ "motion": { "by": [0, 0, z, 0, 0, 0, 1] } });
    let body = json!({ "target": named, "time_s": 2, "how": up(0.05) });
    let (status, tried) = post(&server, &format!("{cell}/try"), body).await;
    assert_eq!(status, StatusCode::OK, "{tried}");
    let during = tried["during_s"].as_array().expect("two");
    assert!(
        during[0].as_f64() > Some(1.0) && during[1].as_f64() < Some(6.0),
        "{during:?}"
    );
    let times = tried["pairs"]
        .as_array()
        .expect("pairs")
        .iter()
        .map(|p| p["time_s"].as_f64());
    assert!(
        times
            .clone()
            .all(|t| during[0].as_f64() <= t && t <= during[1].as_f64())
    );
    assert!(!tried["nodes"].as_array().expect("the robot").is_empty());
    assert_eq!(server.get(&cell).await["revision"], 1, "nothing is changed");

    let arrange = json!({ "base_revision": 1, "target": named, "time_s": 2, "how": up(0.05) });
    let (status, after) = post(&server, &format!("{cell}/arrange"), arrange).await;
    assert_eq!((status, &after["revision"]), (StatusCode::OK, &json!(2)));
    let (_, now) = post(&server, &format!("{cell}/target-facts"), place("world")).await;
    let higher = now["world"][2].as_f64().unwrap() - stands["world"][2].as_f64().unwrap();
    assert!((higher - 0.05).abs() < 1e-9, "{higher}");

    // It keeps its rules; so does it elsewhere, and what can't be meant is refused.
    let find = |most: f64| json!({ "target": named, "time_s": 2, "frame": "parent", "axes": [2], "most_mm": most });
    let (status, shift) = post(&server, &format!("{cell}/smallest-shift"), find(50.0)).await;
    assert_eq!(
        (status, &shift["length_mm"]),
        (StatusCode::OK, &json!(0.0)),
        "{shift}"
    );
    let unknown =
        json!({ "target": { "program": "purge", "target": "P9" }, "time_s": 0, "how": up(0.1) });
    for (path, body) in [("try", unknown), ("smallest-shift", find(-1.0))] {
        let (status, problem) = post(&server, &format!("{cell}/{path}"), body).await;
        assert!(status.is_client_error(), "{path}: {problem}");
    }
}

/// After an edit what it does not concern is as certain as before; of a new server nothing is.
#[tokio::test]
async fn what_is_certain_already_is_told() {
    let (server, id) = Server::with_demo().await;
    let cell = format!("/api/cells/{id}");
    let certain = async || server.get(&format!("{cell}/certain")).await;
    let none = certain().await;
    assert_eq!(none["looked_at"], 0);
    let all = server.swept(&id).await["pairs"]
        .as_array()
        .expect("pairs")
        .len();
    assert!(all > 3);
    let whole = certain().await;
    assert_eq!(whole["looked_at"], whole["count"]);
    let by = json!({ "motion": { "by": [0.001, 0, 0, 0, 0, 0, 1] } });
    let arrange = json!({ "base_revision": 1, "items": [CLAMP], "time_s": 0, "how": by });
    let (status, _) = post(&server, &format!("{cell}/arrange"), arrange).await;
    assert_eq!(status, StatusCode::OK);
    let part = certain().await;
    let (looked, count) = (
        part["looked_at"].as_u64().unwrap(),
        part["count"].as_u64().unwrap(),
    );
    assert!(looked < count && looked > count / 2, "{looked} of {count}");
    // The bracket passes the clamp too near; that is not known any more of where the clamp is now.
    assert_eq!(
        whole["broken"].as_u64(),
        part["broken"].as_u64().map(|n| n + 1)
    );
}

async fn found_out(server: &Server, cell: &str) {
    let all = async || {
        let certain = server.get(&format!("{cell}/certain")).await;
        certain["looked_at"] == certain["count"]
    };
    eventually("all pairs are looked at", all).await;
}

/// Who tries something in a cell that nobody has swept here has it found out; what is tried then goes on from it.
#[tokio::test]
async fn what_was_swept_elsewhere_is_found_out_while_something_is_tried() {
    let (server, id) = Server::with_demo().await;
    let cell = format!("/api/cells/{id}");
    let by = json!({ "motion": { "by": [0.001, 0, 0, 0, 0, 0, 1] } });
    let body = json!({ "items": [CLAMP], "time_s": 0, "how": by });
    let (status, first) = post(&server, &format!("{cell}/try"), body.clone()).await;
    assert_eq!(status, StatusCode::OK, "{first}");
    found_out(&server, &cell).await;
    let (_, again) = post(&server, &format!("{cell}/try"), body).await;
    assert_eq!(again["verdict"], first["verdict"]);
    assert_eq!(again["broken"], first["broken"]);
}

/// Also before anything is tried, as soon as somebody takes hold of something.
#[tokio::test]
async fn what_was_swept_elsewhere_is_found_out_for_what_will_be_tried() {
    let (server, id) = Server::with_demo().await;
    let cell = format!("/api/cells/{id}");
    let (status, _) = post(&server, &format!("{cell}/try/ready"), Value::Null).await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    found_out(&server, &cell).await;
}

/// A sweep that begins takes over, and finds what it finds by itself.
#[tokio::test]
async fn a_sweep_takes_over_what_is_being_found_out() {
    let (server, id) = Server::with_demo().await;
    let other = server.with(&demo()).await;
    let ready = format!("/api/cells/{id}/try/ready");
    let (status, _) = post(&server, &ready, Value::Null).await;
    assert_eq!(status, StatusCode::NO_CONTENT);
    let pairs = [server.swept(&id).await, server.swept(&other).await].map(|f| f["pairs"].clone());
    assert!(pairs[0].as_array().is_some_and(|pairs| pairs.len() > 3));
    assert_eq!(pairs[0], pairs[1]);
    found_out(&server, &format!("/api/cells/{id}")).await;
}

#[tokio::test]
async fn what_is_wanted_at_once_is_told_as_far_as_it_is_certain() {
    let (server, id) = Server::with_demo().await;
    server.swept(&id).await;
    let path = format!("/api/cells/{id}/try");
    let how = json!({ "motion": { "by": [0.002, 0, 0, 0, 0, 0, 1] } });
    let asked = json!({ "items": ["pedestal"], "time_s": 0, "how": how });
    let within = |ms: Value| {
        let mut asked = asked.clone();
        asked["within_ms"] = ms;
        post(&server, &path, asked)
    };
    let (status, patient) = within(Value::Null).await;
    assert_eq!(status, StatusCode::OK, "{patient}");
    assert_eq!(
        (&patient["hurried"], &patient["open"]),
        (&json!(false), &json!(0))
    );

    let (_, at_once) = within(json!(0)).await;
    assert_eq!(at_once["hurried"], true);
    let count = |told: &Value, what: &str| told[what].as_u64().expect("a number");
    assert!(count(&at_once, "open") > 100, "{at_once}");
    assert!(count(&at_once, "broken") <= count(&patient, "broken"));
    // What was the worst is looked at anyway.
    assert_eq!(at_once["verdict"], "broken");
    let worst = &at_once["pairs"][0];
    assert_eq!(
        (&worst["verdict"], &worst["b"]["item"]),
        (&json!("broken"), &patient["pairs"][0]["b"]["item"])
    );

    // Who has time gets what one gets who waits.
    let (_, late) = within(json!(600_000)).await;
    assert_eq!(late, patient);
    let (status, _) = within(json!(-1)).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
}
