//! Numbers along a path against closed forms and against dense sampling.

use std::collections::HashMap;
use std::f64::consts::{PI, TAU};

use nalgebra::Unit;
use proptest::prelude::*;
use rstest::rstest;
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::measure::{Looking, Rider, distance_along, travel_along};
use selvik_core::program::Path;
use selvik_core::robot::{
    Assembly, Joint, JointKind, JointLimits, Link, Mechanism, Moment, NodeId,
};
use selvik_core::spatial::{Point, Pose, Vector};

/// A chain of turning joints about Z, each `links[i]` beyond the one before, and a post.
fn turning(links: &[f64], post: [f64; 2]) -> Assembly {
    let all = (0..=links.len()).map(|i| Link::new(format!("l{i}"), None));
    let joint = |(i, out): (usize, &f64)| Joint {
        name: format!("j{i}"),
        kind: JointKind::Revolute,
        parent: i,
        child: i + 1,
        origin: Pose::translation(*out, 0.0, 0.0),
        axis: Unit::new_normalize(Vector::z()),
        limits: JointLimits::default(),
        mimics: None,
    };
    let joints = links.iter().enumerate().map(joint).collect();
    let items = vec![
        Item::new("arm", Role::Robot),
        Item::new("post", Role::Fixture).at(Pose::translation(post[0], post[1], 0.0)),
    ];
    let mechanism = Mechanism::new(all.collect(), joints).unwrap();
    Assembly::new(
        Cell::new(items).unwrap(),
        HashMap::from([("arm".into(), mechanism)]),
    )
    .unwrap()
}

fn last_link(assembly: &Assembly, links: usize) -> NodeId {
    assembly.link_node(0, &format!("l{links}")).unwrap()
}

const LOOKING: Looking = Looking {
    samples: 40,
    tolerance: 1e-5,
    closer: 4000,
};

/// A point 1 m out turns about the origin, a post stands 1.5 m out: nearest where it points at it, farthest opposite.
#[rstest]
// Past where it points at it and past the far side.
#[case(-1.0, PI + 0.5, 0.5, 2.5)]
// Only past the far side: law of cosines at both ends.
#[case(2.0, 4.0, (1.0f64 + 2.25 - 3.0 * 2f64.cos()).sqrt(), 2.5)]
fn a_turning_point_is_as_near_and_as_far_as_geometry_says(
    #[case] from: f64,
    #[case] to: f64,
    #[case] nearest: f64,
    #[case] farthest: f64,
) {
    let assembly = turning(&[0.0], [1.5, 0.0]);
    let path = Path::new(1, vec![0.0, 2.0], vec![from, to], Vec::new());
    let (tip, post) = (last_link(&assembly, 1), assembly.item_node(1));
    let point = Point::new(1.0, 0.0, 0.0);
    let rider = |node, centre| Rider {
        node,
        centre,
        radius: 0.0,
    };
    let value = |moment: &Moment| {
        let pose = |n| assembly.pose_of(n, &moment.joints);
        (pose(tip) * point - pose(post) * Point::origin()).norm()
    };
    let pairs = [(rider(tip, point), rider(post, Point::origin()))];
    let curve = distance_along(&assembly, &path, &pairs, value, &LOOKING);
    for (extreme, truth, sign) in [
        (curve.smallest, nearest, 1.0),
        (curve.largest, farthest, -1.0),
    ] {
        let bound = extreme.bound.unwrap();
        assert!(sign * (truth - bound) >= -1e-12, "{extreme:?} {truth}");
        assert!(
            sign * (extreme.value - truth) >= -1e-12,
            "{extreme:?} {truth}"
        );
        assert!((extreme.value - bound).abs() <= 1e-5, "{extreme:?}");
    }
    assert!(curve.points.windows(2).all(|w| w[0].0 <= w[1].0));
}

/// The way of a point on a circle is its angle times its radius, however many turns a stretch takes; to and fro adds up.
#[rstest]
#[case(vec![0.0, 1.0])]
#[case(vec![0.0, TAU])]
#[case(vec![0.0, 2.0 * TAU])]
#[case(vec![0.0, 1.0, -3.0])]
fn the_way_of_a_turning_point_is_its_arc(#[case] angles: Vec<f64>) {
    let assembly = turning(&[0.0], [0.0, 0.0]);
    let times: Vec<f64> = (0..angles.len()).map(|i| i as f64 * 2.0).collect();
    let path = Path::new(1, times, angles.clone(), Vec::new());
    let point = (last_link(&assembly, 1), Point::new(0.3, 0.4, 2.0));
    for samples in [1, 7, 100] {
        let told = travel_along(&assembly, &path, point, None, samples);
        let turned: f64 = angles.windows(2).map(|w| (w[1] - w[0]).abs()).sum();
        let way = told.travelled.largest.value;
        assert!((way - 0.5 * turned).abs() < 1e-7, "{way} {turned}");
        // Even speed between knots.
        let fastest = angles
            .windows(2)
            .map(|w| (w[1] - w[0]).abs() / 2.0)
            .fold(0.0, f64::max);
        let speed = told.speed.largest.value;
        assert!((speed - 0.5 * fastest).abs() < 1e-6, "{speed} {fastest}");
        assert!(told.speed.largest.bound.is_none());
    }
}

/// Seen from what carries it, a point does not travel.
#[test]
fn seen_from_its_carrier_a_point_stands_still() {
    let assembly = turning(&[0.0, 0.5], [0.0, 0.0]);
    let path = Path::new(2, vec![0.0, 1.0], vec![0.0, 0.0, 2.0, 0.0], Vec::new());
    let point = (last_link(&assembly, 2), Point::new(0.1, 0.2, 0.3));
    let carrier = Some(last_link(&assembly, 1));
    let told = travel_along(&assembly, &path, point, carrier, 20);
    assert!(told.travelled.largest.value < 1e-12);
    assert!(told.speed.largest.value < 1e-9);
}

proptest! {
    /// What is certain along the path holds at every instant, of two points on one arm, too.
    #[test]
    fn brackets_hold_at_every_instant(
        from in prop::array::uniform3(-3.0f64..3.0),
        by in prop::array::uniform3(-4.0f64..4.0),
        post in prop::array::uniform2(-1.5f64..1.5),
        closer in 0usize..60,
    ) {
        let assembly = turning(&[0.0, 0.6, 0.4], post);
        let to: Vec<f64> = (0..3).map(|i| from[i] + by[i]).collect();
        let path = Path::new(3, vec![0.0, 1.0], [from.to_vec(), to].concat(), Vec::new());
        let (tip, other) = (last_link(&assembly, 3), assembly.item_node(1));
        let (a, b) = (Point::new(0.3, 0.0, 0.0), Point::origin());
        let value = |moment: &Moment| {
            let pose = |n| assembly.pose_of(n, &moment.joints);
            (pose(tip) * a - pose(other) * b).norm()
        };
        let rider = |node, centre| Rider { node, centre, radius: 0.0 };
        let pairs = [(rider(tip, a), rider(other, b))];
        let looking = Looking { samples: 5, tolerance: 1e-4, closer };
        let curve = distance_along(&assembly, &path, &pairs, value, &looking);
        let (low, high) = (curve.smallest.bound.unwrap(), curve.largest.bound.unwrap());
        for i in 0..=500 {
            let here = value(&path.moment(&assembly, f64::from(i) / 500.0));
            prop_assert!(low - 1e-9 <= here && here <= high + 1e-9, "{} {} {}", low, here, high);
        }
        prop_assert!(low <= curve.smallest.value && curve.largest.value <= high);
    }
}
