//! Numbers along the path: closed forms for an arm of one joint.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::{KnownKind, PickDocument, PickKind};
use selvik_cell::measuring::{AlongWanted, Measured, Measuring, measure, measured_along};
use selvik_cell::questions::Asked;
use selvik_cell::reach::{ReachWanted, reach_along};
use selvik_cell::series::{Series, SeriesAnswer, SeriesKind, SeriesUnit};

use crate::programmed::{built, cell};

fn pick(on: &str, kind: PickKind) -> PickDocument {
    PickDocument {
        on: on.to_owned(),
        kind,
        is: None,
        at_mm: None,
    }
}

fn along(workcell: &Workcell, picks: &[PickDocument], frame: Option<&str>) -> SeriesAnswer {
    let wanted = AlongWanted {
        picks: picks.to_vec(),
        frame: frame.map(str::to_owned),
        nearest: false,
    };
    measured_along(workcell, &workcell.path().expect("it runs"), &wanted).expect("followed")
}

fn of(answer: &SeriesAnswer, what: SeriesKind) -> &Series {
    let found = answer.series.iter().find(|s| s.what == what);
    found.unwrap_or_else(|| panic!("{what:?} in {answer:?}"))
}

/// The arm of 400 mm turns from 0 to 90° and back to 40°, a ball of 50 mm stands 600 mm along Y: law of cosines.
#[test]
fn a_turning_tcp_is_as_far_from_a_ball_as_geometry_says() {
    let workcell = built(&cell());
    let picks = [pick("tcp", PickKind::Frame), pick("post", PickKind::Item)];
    let answer = along(&workcell, &picks, None);
    let nearest = of(&answer, SeriesKind::Nearest);
    assert_eq!(nearest.unit, SeriesUnit::Mm);
    let (least, most) = (600.0 - 400.0 - 50.0, 400f64.hypot(600.0) - 50.0);
    // A ball counts as its facets where a point is measured; that is in the bracket.
    assert!((nearest.smallest.value - least).abs() < 0.2, "{nearest:?}");
    assert!(
        nearest
            .smallest
            .bound
            .is_some_and(|b| b <= least && b > least - 0.4)
    );
    assert!(
        nearest
            .largest
            .bound
            .is_some_and(|b| b >= most && b < most + 0.4)
    );
    assert_eq!(nearest.largest.time_s, 0.0);
    assert!(nearest.values.len() == nearest.times_s.len() && nearest.values.len() > 200);
    // The other way round it is the same.
    let swapped = along(&workcell, &[picks[1].clone(), picks[0].clone()], None);
    let swapped = of(&swapped, SeriesKind::Nearest);
    assert!((swapped.smallest.value - nearest.smallest.value).abs() < 1e-6);
}

/// The post is what it comes nearest to, not the flange that it hangs on; the farthest from it is where it begins.
#[test]
fn the_distance_to_whatever_is_nearest_says_what_that_is() {
    let workcell = built(&cell());
    let path = workcell.path().expect("it runs");
    let wanted = |on: &str| AlongWanted {
        picks: vec![pick(on, PickKind::Frame)],
        frame: None,
        nearest: true,
    };
    let answer = measured_along(&workcell, &path, &wanted("tcp")).expect("followed");
    let found = of(&answer, SeriesKind::ToNearest);
    let picks = [pick("tcp", PickKind::Frame), pick("post", PickKind::Item)];
    let pair = along(&workcell, &picks, None);
    let pair = of(&pair, SeriesKind::Nearest);
    assert_eq!(found.smallest.with.as_deref(), Some("Post"));
    assert!((found.smallest.value - pair.smallest.value).abs() < 1e-6);
    assert!(
        found
            .smallest
            .bound
            .is_some_and(|b| b <= 150.0 && b > 149.6)
    );
    for (time, value) in found.times_s.iter().zip(&found.values) {
        let at = pair.times_s.iter().position(|t| t == time);
        assert!(at.is_none_or(|at| *value <= pair.values[at] + 1e-9));
    }
}

/// The base of an arm does not move against what stands beside it, its link does.
#[test]
fn what_moves_against_any_part_counts_and_with_those_parts_only() {
    let mut document = cell();
    let post = document.items.iter().position(|i| i.id == "post").unwrap();
    document.items[0].bodies = document.items[post].bodies.clone();
    // What the arm stands on touches its base all the time.
    let mut floor = document.items[post].clone();
    (floor.id, floor.name) = ("floor".to_owned(), "Floor".to_owned());
    floor.pose.xyz_mm = [0.0, 0.0, -50.0];
    document.items.push(floor);
    document.items[0].parent = Some("floor".to_owned());
    document.items[0].pose.xyz_mm = [0.0, 0.0, 50.0];
    let workcell = built(&document);
    let path = workcell.path().expect("it runs");
    let wanted = AlongWanted {
        picks: vec![pick("arm", PickKind::Item)],
        frame: None,
        nearest: true,
    };
    let answer = measured_along(&workcell, &path, &wanted).expect("followed");
    let found = of(&answer, SeriesKind::ToNearest);
    assert_eq!(found.smallest.with.as_deref(), Some("Post"));
    let least = 600.0 - 400.0 - 50.0;
    assert!((found.smallest.value - least).abs() < 60.0, "{found:?}");
    assert!(
        found
            .smallest
            .bound
            .is_some_and(|b| b <= found.smallest.value)
    );
}

/// 140° of a circle of 400 mm, at 45° a second; seen from itself not at all.
#[rstest]
#[case(None, 400.0 * 140f64.to_radians(), 400.0 * 45f64.to_radians())]
#[case(Some("tcp"), 0.0, 0.0)]
fn a_turning_tcp_travels_its_arc(
    #[case] frame: Option<&str>,
    #[case] way: f64,
    #[case] fastest: f64,
) {
    let answer = along(&built(&cell()), &[pick("tcp", PickKind::Frame)], frame);
    let travelled = of(&answer, SeriesKind::Travelled);
    assert!(
        (travelled.largest.value - way).abs() < 1e-3,
        "{travelled:?}"
    );
    assert!(travelled.values.windows(2).all(|w| w[0] <= w[1]));
    let speed = of(&answer, SeriesKind::Speed);
    assert!(
        (speed.largest.value - fastest).abs() < 1e-3,
        "{:?}",
        speed.largest
    );
}

#[test]
fn what_an_arm_has_left_is_told_along_the_path() {
    let workcell = built(&cell());
    let wanted = ReachWanted {
        tcp: "tcp".to_owned(),
        from: None,
    };
    let path = workcell.path().expect("it runs");
    let answer = reach_along(&workcell, &path, &wanted).expect("it moves");
    // Limits at ±170°; it stands at 90° once.
    let limit = of(&answer, SeriesKind::ToLimit);
    assert_eq!(limit.joint.as_deref(), Some("arm/q1"));
    assert!((limit.smallest.value - 80.0).abs() < 1e-6, "{limit:?}");
    let straight = of(&answer, SeriesKind::Straight);
    assert!((straight.smallest.value - 400.0).abs() < 1e-9);
    assert!(
        straight
            .largest
            .bound
            .is_some_and(|b| (400.0..400.2).contains(&b))
    );
    assert!(of(&answer, SeriesKind::Vertical).largest.value.abs() < 1e-9);
    let used = of(&answer, SeriesKind::ReachUsed);
    assert!(
        used.values
            .iter()
            .all(|&u| u <= used.largest.bound.unwrap() + 1e-9)
    );
    let refused = reach_along(
        &workcell,
        &path,
        &ReachWanted {
            tcp: "post".to_owned(),
            from: None,
        },
    );
    assert_eq!(refused.unwrap_err().to_string(), "no robot moves \"post\"");
}

/// Beyond what was picked nothing is followed, nor where nothing moves.
#[test]
fn what_can_not_be_followed_is_refused() {
    let workcell = built(&cell());
    let path = workcell.path().expect("it runs");
    let wanted = |picks: Vec<PickDocument>| AlongWanted {
        picks,
        frame: None,
        nearest: false,
    };
    for picks in [vec![], vec![pick("tcp", PickKind::Frame); 3]] {
        let refused = measured_along(&workcell, &path, &wanted(picks)).unwrap_err();
        assert_eq!(refused.to_string(), "one or two things are followed");
    }
    let mut still = cell();
    still.run_plan.lanes.clear();
    let still = built(&still);
    let refused = measured_along(
        &still,
        &still.path().expect("it stands"),
        &wanted(vec![pick("tcp", PickKind::Frame)]),
    );
    assert_eq!(
        refused.unwrap_err().to_string(),
        "nothing moves in this cell"
    );
}

/// A target told in the world lies where it is told, however it is followed; one that is not there is said to be gone.
#[test]
fn from_the_base_to_a_target_it_is_as_far_as_it_was_told() {
    let workcell = built(&cell());
    let picks = [pick("arm", PickKind::Frame), pick("p/A", PickKind::Target)];
    let found = measured(&workcell, &picks).expect("both are there");
    assert_eq!(found.known[1].is, KnownKind::Target);
    assert_eq!(found.known[1].of, "A of Turn");
    let between = found.between.expect("two");
    assert!((between.smallest.length_mm - 400.0).abs() < 1e-9);
    assert!(between.reach.is_none());
    let answer = along(&workcell, &picks, None);
    let nearest = of(&answer, SeriesKind::Nearest);
    assert!(nearest.values.iter().all(|v| (v - 400.0).abs() < 1e-9));
    // It is reached once: there the TCP is at it.
    let picks = [pick("tcp", PickKind::Frame), pick("p/A", PickKind::Target)];
    let answer = along(&workcell, &picks, None);
    let nearest = &of(&answer, SeriesKind::Nearest).smallest;
    assert!(
        nearest.value < 0.1 && nearest.bound == Some(0.0),
        "{nearest:?}"
    );
    let refused = measured(&workcell, &[pick("p/B", PickKind::Target)]);
    let refused = refused.expect_err("it is not there").to_string();
    assert_eq!(refused, "there is no target \"p/B\"");
}

fn measured(workcell: &Workcell, picks: &[PickDocument]) -> selvik_formats::Result<Measured> {
    let wanted = Measuring {
        picks: picks.to_vec(),
        frame: None,
        volumes: false,
    };
    measure(&Asked::at_rest(workcell), &wanted)
}
