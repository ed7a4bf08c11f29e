//! What touches and what overlaps: depth, volume, lines, what is left out.

use selvik_cell::Workcell;
use selvik_cell::overlaps::{OverlapState, OverlappingPair, Overlaps, OverlapsWanted, overlaps};
use selvik_cell::questions::Asked;
use selvik_core::clearance::Progress;
use selvik_formats::PackageFiles;
use serde_json::json;

/// A plate of 400 × 400 × 20; a pin of 100 × 100 × 300 through it; a block that stands on it; one that hangs 0.05 mm into it;
/// a bolt in it that may; a ball half in it; a post far off.
fn found(items: Option<&[&str]>, tolerance_mm: f64) -> Overlaps {
    found_unless(items, tolerance_mm, false)
}

fn found_unless(items: Option<&[&str]>, tolerance_mm: f64, stopped: bool) -> Overlaps {
    let boxed = |id: &str, xyz: [f64; 3], size: [f64; 3]| {
        json!({"id": id, "name": id, "role": "part", "pose": {"xyz_mm": xyz},
            "bodies": [{"shape": {"box": {"size_mm": size}}}]})
    };
    let text = json!({"format": "selvik-cell/1", "name": "Overlaps", "items": [
        boxed("plate", [0.0; 3], [400.0, 400.0, 20.0]),
        boxed("pin", [0.0; 3], [100.0, 100.0, 300.0]),
        boxed("standing", [150.0, 0.0, 60.0], [50.0, 50.0, 100.0]),
        boxed("pressed", [150.0, 150.0, 59.95], [50.0, 50.0, 100.0]),
        boxed("bolt", [-150.0, 0.0, 0.0], [20.0, 20.0, 60.0]),
        {"id": "ball", "name": "ball", "role": "part", "pose": {"xyz_mm": [-150, -150, 10]},
            "bodies": [{"shape": {"sphere": {"radius_mm": 8}}}]},
        boxed("post", [900.0, 0.0, 0.0], [20.0, 20.0, 60.0]),
    ], "may_touch": [{"a": "plate", "b": "bolt", "reason": "screwed in"}]});
    let mut files = PackageFiles::default();
    let text = text.to_string().into_bytes();
    files.insert("cell.json", text).expect("a plain name");
    let workcell = Workcell::read(&files).expect("readable");
    let wanted = OverlapsWanted {
        items: items.map(|all| all.iter().map(|id| (*id).to_owned()).collect()),
        tolerance_mm,
    };
    let progress = Progress::default();
    if stopped {
        progress.stop();
    }
    overlaps(&Asked::at_rest(&workcell), &wanted, &progress).expect("looked for")
}

#[test]
fn what_stands_on_something_touches_it_and_what_goes_through_overlaps_by_so_much() {
    let all = found(None, 0.1);
    let pair = |name: &str| {
        let is = |p: &&OverlappingPair| p.a.name == name || p.b.name == name;
        let found = all.pairs.iter().find(is);
        found.unwrap_or_else(|| panic!("{name}"))
    };
    assert!(all.complete && all.pairs.len() == 4, "{:?}", all.pairs);
    let pin = pair("pin");
    assert_eq!(pin.state, OverlapState::Overlaps);
    // The plate is 20 thick: no larger ball lies in both.
    assert!(
        pin.depth_mm[0] > 19.9 && pin.depth_mm[1] >= 20.0,
        "{:?}",
        pin.depth_mm
    );
    assert!((pin.volume_mm3.unwrap() - 200_000.0).abs() < 1e-3);
    let length: f64 = pin
        .lines_mm
        .iter()
        .map(|[p, q]| (0..3).map(|i| (p[i] - q[i]).powi(2)).sum::<f64>().sqrt())
        .sum();
    assert!((length - 800.0).abs() < 1e-6, "{length}");
    assert_eq!(all.pairs[0].depth_mm, pin.depth_mm, "the deepest first");
    for (name, state) in [
        ("standing", OverlapState::Touches),
        ("pressed", OverlapState::Touches),
    ] {
        assert_eq!(pair(name).state, state, "{name}: {:?}", pair(name).depth_mm);
        assert_eq!(pair(name).volume_mm3, None);
    }
    // Round shapes are drawn with facets: what they share is not told to a number.
    assert_eq!(
        (pair("ball").state, pair("ball").volume_mm3),
        (OverlapState::Overlaps, None)
    );
    let [left] = all.left_out.as_slice() else {
        panic!("{:?}", all.left_out)
    };
    assert_eq!(
        (left.a.as_str(), left.reason.as_str()),
        ("plate", "screwed in")
    );
}

#[test]
fn a_finer_tolerance_tells_pressed_in_from_standing_on_it() {
    let fine = found(Some(&["plate", "standing", "pressed"]), 0.01);
    let state = |name: &str| {
        fine.pairs
            .iter()
            .find(|p| p.b.name == name)
            .map(|p| p.state)
    };
    assert_eq!(state("pressed"), Some(OverlapState::Overlaps));
    assert_ne!(state("standing"), Some(OverlapState::Overlaps));
    assert!(found(Some(&["standing", "post"]), 0.01).pairs.is_empty());
}

/// Stopped, it tells that it is not complete.
#[test]
fn what_was_stopped_is_not_complete() {
    let stopped = found_unless(None, 0.1, true);
    assert!(stopped.pairs.is_empty() && !stopped.complete);
    assert!(found(None, 0.1).complete);
}
