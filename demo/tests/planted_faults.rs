//! The four planted faults are found, as planted, through the same reader as a user's files.

use std::sync::LazyLock;

use selvik_cell::Workcell;
use selvik_cell::report::{PairReport, SweepReport, Verdict, reach_report, sweep_report};
use selvik_core::clearance::{Progress, Sweep, SweepOptions, sweep};
use selvik_core::program::Path;

static DEMO: LazyLock<(Workcell, Path, Sweep)> = LazyLock::new(|| {
    let workcell = Workcell::read(&selvik_demo::demo_package()).expect("the demo is readable");
    let path = workcell.path().expect("the demo runs");
    let options = SweepOptions::default();
    let found = sweep(
        &workcell.assembly,
        &path,
        &workcell.rules,
        &options,
        &Progress::default(),
    );
    (workcell, path, found)
});

fn report() -> SweepReport {
    let (workcell, path, sweep) = &*DEMO;
    sweep_report(workcell, path, sweep, 1e-4)
}

fn broken(report: &SweepReport, a: &str, b: &str) -> PairReport {
    let pair = report.pairs.iter().find(|p| p.a.name == a && p.b.name == b);
    let pair = pair.unwrap_or_else(|| panic!("{a} – {b} is not measured"));
    assert_eq!(pair.verdict, Verdict::Broken, "{a} – {b}");
    assert!(pair.attained_mm - pair.lower_mm <= 0.1 + 1e-9, "{a} – {b}");
    pair.clone()
}

#[test]
fn the_bracket_passes_a_clamp_at_4_2_mm_where_10_are_required() {
    let pair = broken(&report(), "Nozzle bracket", "Clamp A2");
    assert!(
        (pair.attained_mm - 4.2).abs() < 0.02 && pair.required_mm == 10.0,
        "{}",
        pair.attained_mm
    );
}

#[test]
fn the_wrist_passes_the_mast_at_62_mm_where_80_are_required() {
    let pair = broken(&report(), "R1 sealing arm wrist roll", "Camera mast");
    assert!(
        (pair.attained_mm - 62.0).abs() < 0.1 && pair.required_mm == 80.0,
        "{}",
        pair.attained_mm
    );
}

#[test]
fn the_hose_bracket_touches_a_rib_for_40_ms_between_two_samples() {
    let pair = broken(&report(), "Hose bracket", "Housing A rib");
    assert!(pair.overlap && pair.lower_mm == 0.0);
    let touch = pair.touching[0];
    let certain = touch.end_s[0] - touch.start_s[1];
    let at_most = touch.end_s[1] - touch.start_s[0];
    assert!(certain < 0.041 && at_most > 0.039, "{touch:?}");
    // Sampling every 50 ms misses it.
    let samples_inside = (0..1000).map(|i| f64::from(i) * 0.05);
    let inside = samples_inside
        .filter(|t| (touch.start_s[1]..touch.end_s[0]).contains(t))
        .count();
    assert_eq!(inside, 0, "{touch:?}");
}

#[test]
fn a_target_leaves_less_than_2_percent_of_the_reach() {
    let (workcell, path, _) = &*DEMO;
    let report = reach_report(workcell, path);
    let broken: Vec<_> = report
        .rows
        .iter()
        .filter(|r| r.verdict == Some(Verdict::Broken))
        .collect();
    // The move that goes there and the one that leaves.
    assert_eq!(broken.len(), 2);
    let row = broken
        .iter()
        .find(|r| r.label.contains("FAR"))
        .expect("it goes there");
    assert!(
        row.spare_percent < 2.0 && row.spare_percent > 1.0,
        "{}",
        row.spare_percent
    );
    assert_eq!(row.spare_percent, row.spare_at_most_percent);
    assert!(
        broken
            .iter()
            .all(|other| (other.time_s - row.time_s).abs() < 0.01)
    );
    assert_eq!(report.verdict, Some(Verdict::Broken));
}

#[test]
fn nothing_else_is_broken() {
    let broken = report()
        .pairs
        .iter()
        .filter(|p| p.verdict == Verdict::Broken)
        .count();
    assert_eq!(broken, 3);
    assert!(
        report()
            .pairs
            .iter()
            .all(|p| p.verdict != Verdict::NotCertified && p.reasons.is_empty())
    );
    assert!(
        report()
            .rules
            .iter()
            .all(|r| r.reasons.is_empty() && r.pairs > 0)
    );
}
