//! Times the distance benchmark pair and prints JSON, for `tools/bench/against_coal.py`.

#[path = "../benches/pairs/mod.rs"]
mod pairs;

use std::time::Instant;

use selvik_core::clearance::{Limit, distance};

fn main() {
    let (torus, ellipsoid) = (pairs::torus(), pairs::ellipsoid());
    let run = |poses: &[selvik_core::spatial::Pose], warm: bool| {
        let mut hint = None;
        let mut found = Vec::new();
        let start = Instant::now();
        for pose in poses {
            let answer = distance(
                &torus,
                &ellipsoid,
                pose,
                Limit {
                    hint,
                    ..Limit::default()
                },
            );
            let closest = answer.closest.expect("no limit was set");
            hint = warm.then_some(closest.triangles);
            found.push(closest.distance);
        }
        (start.elapsed().as_secs_f64() / poses.len() as f64, found)
    };
    let (spread, close) = (pairs::path(200), pairs::path(20_000));
    run(&spread, false);
    let (cold, distances) = run(&spread, false);
    let (warm, _) = run(&close, true);
    println!(
        "{}",
        serde_json::json!({
            "cold_us": cold * 1e6, "warm_us": warm * 1e6, "distances_m": distances,
        })
    );
}
