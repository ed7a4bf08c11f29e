//! The certified sweep against closed forms and against dense sampling.

use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;
use proptest::prelude::*;
use rstest::rstest;
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::clearance::{
    Aim, BandShape, Counted, Limit, Named, PairMotion, Progress, Requirement, Rule, RuleSet, Sweep,
    SweepOptions, Verdict, clearance_band, distance, intervals_below, sweep,
};
use selvik_core::mesh::{Surface, TriangleMesh, box_mesh, cylinder_mesh, sphere_mesh};
use selvik_core::program::Path;
use selvik_core::robot::{Assembly, BodyId, Joint, JointKind, JointLimits, Link, Mechanism};
use selvik_core::spatial::{Pose, Vector, pose_from_rpy};

pub(super) const TOLERANCE: f64 = 1e-4;

/// One mover on a chain of joints (kind, axis, origin), the mesh on the last link, and one post.
fn cell_of(
    joints: &[(JointKind, Vector, Pose)],
    mover: TriangleMesh,
    post: TriangleMesh,
    at: Pose,
) -> Assembly {
    let post = Item::new("post", Role::Fixture)
        .at(at)
        .with_body(Surface::new(post));
    let items = vec![Item::new("mover", Role::Fixture), post];
    let mechanisms = HashMap::from([("mover".into(), chain_of(joints, mover))]);
    Assembly::new(Cell::new(items).unwrap(), mechanisms).unwrap()
}

/// A chain of joints (kind, axis, origin) with a mesh on the last link.
pub(super) fn chain_of(joints: &[(JointKind, Vector, Pose)], mover: TriangleMesh) -> Mechanism {
    let mut links = vec![Link::new("l0".to_owned(), None)];
    let mut chain = Vec::new();
    for (i, (kind, axis, origin)) in joints.iter().enumerate() {
        let last = i + 1 == joints.len();
        let surface = last.then(|| Arc::new(Surface::new(mover.clone())));
        links.push(Link::new(format!("l{}", i + 1), surface));
        chain.push(Joint {
            name: format!("j{i}"),
            kind: *kind,
            parent: i,
            child: i + 1,
            origin: *origin,
            axis: Unit::new_normalize(*axis),
            limits: JointLimits::default(),
            mimics: None,
        });
    }
    Mechanism::new(links, chain).unwrap()
}

pub(super) fn rules(required: f64, tight: f64) -> RuleSet {
    let requirement = Requirement::new(required, tight).unwrap();
    let rule = Rule {
        name: "r".to_owned(),
        between: vec![Named::item(0)],
        and: Some(vec![Named::item(1)]),
        requirement,
    };
    RuleSet {
        rules: vec![rule],
        ..RuleSet::default()
    }
}

fn swept(assembly: &Assembly, path: &Path, rules: &RuleSet) -> Sweep {
    sweep(
        assembly,
        path,
        rules,
        &SweepOptions::every_pair(TOLERANCE),
        &Progress::default(),
    )
}

/// A bar of length 1 m and half width 20 mm turns about Z past a post of radius 50 mm at (1.2, 0).
/// The end of the bar passes at 1.2 − 0.05 − √(1² + 0.02²)… where its corner points at the post, and
/// at 1.2 − 0.05 − 1 where its end face does; the corner comes nearer.
#[test]
fn a_bar_turning_past_a_post_comes_as_close_as_geometry_says() {
    let bar = box_mesh([1.0, 0.04, 0.04]).moved(&pose_from_rpy([0.5, 0.0, 0.0], [0.0; 3]));
    let joint = (JointKind::Revolute, Vector::z(), Pose::identity());
    let post = cylinder_mesh(0.05, 1.0, 720);
    let assembly = cell_of(
        &[joint],
        bar,
        post,
        pose_from_rpy([1.2, 0.0, 0.0], [0.0; 3]),
    );
    let path = Path::new(1, vec![0.0, 2.0], vec![-1.0, 1.0], Vec::new());
    let found = &swept(&assembly, &path, &rules(0.16, 0.2)).pairs[0];
    let exact = 1.2 - 0.05 - (1.0f64 + 0.02 * 0.02).sqrt();
    assert!(
        (found.clearance.attained() - exact).abs() < 2e-5 + TOLERANCE,
        "{}",
        found.clearance.attained()
    );
    assert!(found.clearance.lower() <= exact + 1e-9 && found.clearance.width() <= TOLERANCE);
    // The corner points at the post when the bar is turned by ± atan(0.02 / 1); speed is 1 rad/s.
    assert!(((found.approach.time - 1.0).abs() - 0.02f64.atan()).abs() < 0.02);
    assert_eq!(found.verdict, Verdict::Broken);
    assert_eq!(found.broken.len(), 1);
}

/// A ball goes round a post of many faces three times, a little nearer each time: the search takes long, so that its halves are
/// looked at at once. What it comes to is the same on one core and on four, and as near as a sample each millisecond.
#[test]
fn what_takes_long_comes_to_the_same_on_any_number_of_cores() {
    let joints = [
        (JointKind::Revolute, Vector::z(), Pose::identity()),
        (JointKind::Prismatic, Vector::x(), Pose::identity()),
    ];
    let ball = sphere_mesh(0.05, 24).moved(&pose_from_rpy([0.3, 0.0, 0.0], [0.0; 3]));
    let assembly = cell_of(&joints, ball, cylinder_mesh(0.1, 1.0, 90), Pose::identity());
    let values = vec![0.0, 0.0, 6.0 * std::f64::consts::PI, -5e-4];
    let path = Path::new(2, vec![0.0, 6.0], values, Vec::new());
    let on = |cores: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(cores);
        pool.build().unwrap().install(|| {
            let mut pair = PairMotion::new(&assembly, &path, BodyId(0), BodyId(1));
            let aim = Aim {
                alone: 16,
                ..Aim::exactly(1e-6)
            };
            let found = pair.minimum(&[(0.0, 6.0)], &aim, &|| true);
            (found, pair.queries)
        })
    };
    let one = on(1);
    assert!(one.1 > 500, "only {} looks: nothing was halved", one.1);
    assert_eq!(on(4), one);
    let (bracket, approach) = one.0;
    assert!(bracket.width() <= 1e-6);
    let mut pair = PairMotion::new(&assembly, &path, BodyId(0), BodyId(1));
    let sampled = (0..=6000).map(|ms| f64::from(ms) * 1e-3);
    let at = |time: f64| {
        pair.minimum(&[(time, time)], &Aim::exactly(1e-9), &|| true)
            .1
            .distance
    };
    let least = sampled.map(at).fold(f64::INFINITY, f64::min);
    assert!(
        bracket.lower() <= least && approach.distance <= least + 1e-6,
        "{bracket:?} {least}"
    );
}

/// The ball of the next test: from centre to centre √(x² + 400²) mm at x(t) = t − 1 m, less both radii.
/// In every stretch of the band the least of that lies between its ends, which are as near together as
/// a chart asks.
#[rstest]
#[case::all_of_it(f64::NEG_INFINITY, f64::INFINITY)]
#[case::a_part(0.9, 1.3)]
#[case::a_millisecond(1.0, 1.001)]
fn the_band_holds_the_least_clearance_of_every_stretch(#[case] from: f64, #[case] to: f64) {
    let joint = (
        JointKind::Prismatic,
        Vector::x(),
        pose_from_rpy([0.0, 0.4, 0.0], [0.0; 3]),
    );
    let post = sphere_mesh(0.15, 160);
    let assembly = cell_of(&[joint], sphere_mesh(0.1, 160), post, Pose::identity());
    let path = Path::new(1, vec![0.0, 2.0], vec![-1.0, 1.0], Vec::new());
    let pairs = rules(0.2, 0.25).scope(&assembly, &path).pairs;
    let whole = vec![(0.0, path.duration())];
    let counted = |pair| Counted {
        pair,
        times: whole.clone(),
        at_least: 0.0,
    };
    let pairs: Vec<_> = pairs.into_iter().map(counted).collect();
    let (ceiling, tolerance) = (0.3, 5e-4);
    let progress = Progress::default();
    let shape = BandShape {
        during: (from, to),
        stretches: 96,
        ceiling,
        tolerance,
    };
    let band = clearance_band(&assembly, &path, &pairs, &shape, &progress);
    assert_eq!(band.points[0].from, from.max(0.0));
    assert!((band.points[95].to - to.min(path.duration())).abs() < 1e-12);
    assert_eq!((band.points.len(), progress.state()), (96, (96, 96)));
    let clearance = |t: f64| ((t - 1.0).hypot(0.4) - 0.25).min(ceiling);
    // Balls of 160 meridians lie up to 0.05 mm inside the sphere, each.
    let faceting = 1e-4;
    for p in &band.points {
        let nearest = if p.from > 1.0 { p.from } else { p.to.min(1.0) };
        let exact = clearance(nearest);
        assert!(
            p.lower <= exact + faceting && exact <= p.attained + 1e-9,
            "{p:?} holds not {exact}"
        );
        assert!(
            p.attained - p.lower <= (0.03 * p.attained).max(tolerance) + 1e-9,
            "{p:?} is wide"
        );
    }
}

/// A ball of radius 100 mm passes another of 150 mm in a straight line at 400 mm between the
/// centres: 150 mm at the middle, nearer than 200 mm while |x| < √(450² − 400²) mm.
#[test]
fn a_straight_pass_by_a_ball_is_bracketed_in_distance_and_time() {
    let joint = (
        JointKind::Prismatic,
        Vector::x(),
        pose_from_rpy([0.0, 0.4, 0.0], [0.0; 3]),
    );
    let post = sphere_mesh(0.15, 160);
    let assembly = cell_of(&[joint], sphere_mesh(0.1, 160), post, Pose::identity());
    let path = Path::new(1, vec![0.0, 2.0], vec![-1.0, 1.0], Vec::new());
    let found = &swept(&assembly, &path, &rules(0.2, 0.25)).pairs[0];
    // Balls of 160 meridians lie within r (1 − cos(π/160)) = 0.05 mm of the sphere.
    assert!(
        (found.clearance.attained() - 0.15).abs() < 2e-4,
        "{}",
        found.clearance.attained()
    );
    let half = (0.45f64.powi(2) - 0.4f64.powi(2)).sqrt();
    let broken = found.broken[0];
    assert_eq!(found.broken.len(), 1);
    assert!(
        (broken.start.0 - (1.0 - half)).abs() < 1e-3 && (broken.end.1 - (1.0 + half)).abs() < 1e-3
    );
    assert!(broken.start.1 - broken.start.0 < 5e-4);
}

/// A thin plate shoots through a gap between two samples 50 ms apart.
#[test]
fn a_touch_between_two_samples_is_found() {
    let joint = (JointKind::Prismatic, Vector::x(), Pose::identity());
    let post = box_mesh([0.01, 0.1, 0.1]);
    let assembly = cell_of(
        &[joint],
        box_mesh([0.01, 0.1, 0.1]),
        post,
        pose_from_rpy([0.075, 0.0, 0.0], [0.0; 3]),
    );
    // 1 m/s: the plates overlap for 20 ms round 75 ms.
    let path = Path::new(1, vec![0.0, 0.2], vec![0.0, 0.2], Vec::new());
    let body = |i: usize| BodyId(i);
    for sample in [0.0, 0.05, 0.1, 0.15, 0.2] {
        let q = path.at(sample);
        let pose = Pose::translation(q[0], 0.0, 0.0).inv_mul(&Pose::translation(0.075, 0.0, 0.0));
        let surfaces = [0, 1].map(|i| &assembly.body(body(i)).surface);
        assert!(distance(surfaces[0], surfaces[1], &pose, Limit::default()).lower > 0.0);
    }
    let found = &swept(&assembly, &path, &rules(0.001, 0.002)).pairs[0];
    assert!(found.approach.overlap && found.clearance.lower() == 0.0);
    let touching = found.touching[0];
    assert!(
        (touching.start.0 - 0.065).abs() < 1e-3 && (touching.end.1 - 0.085).abs() < 1e-3,
        "{touching:?}"
    );
}

#[test]
fn a_stopped_sweep_says_that_it_is_not_complete() {
    let joint = (JointKind::Revolute, Vector::z(), Pose::identity());
    let assembly = cell_of(
        &[joint],
        box_mesh([1.0; 3]),
        box_mesh([0.1; 3]),
        pose_from_rpy([3.0, 0.0, 0.0], [0.0; 3]),
    );
    let path = Path::new(1, vec![0.0, 1.0], vec![0.0, 3.0], Vec::new());
    let progress = Progress::default();
    progress.stop();
    let found = sweep(
        &assembly,
        &path,
        &rules(0.1, 0.2),
        &SweepOptions::default(),
        &progress,
    );
    assert!(!found.complete && found.pairs.is_empty());
}

/// A ball dives into a wide tray and out again, never within a metre of its walls: through the opening it crosses nothing, and
/// in it, it is inside all the same. From halfway down, where it is certainly outside, the walls lie so far aside that all of the
/// dive closes no gap.
#[rstest]
#[case(1.0, 2.0)]
#[case(1.03, 1.9)]
#[case(0.11, 3.7)]
fn what_gets_in_through_an_opening_is_not_free(#[case] deepest: f64, #[case] end: f64) {
    let whole = box_mesh([5.0, 5.0, 3.0]);
    let is_lid = |t: &[u32; 3]| t.iter().all(|&v| whole.vertices()[v as usize].z > 1.4);
    let all = whole.triangles().iter().copied();
    let open: Vec<[u32; 3]> = all.filter(|t| !is_lid(t)).collect();
    assert_eq!(open.len(), 10);
    let tray = TriangleMesh::from_indexed(whole.vertices(), &open).unwrap();
    let along = (JointKind::Prismatic, Vector::z(), Pose::identity());
    let ball = sphere_mesh(0.1, 24);
    let assembly = cell_of(&[along], ball, tray.mesh, Pose::identity());
    let times = vec![0.0, deepest, end];
    let path = Path::new(1, times, vec![7.5, -0.4, 7.5], Vec::new());
    let options = SweepOptions::default();
    let rules = rules(0.01, 0.02);
    let found = sweep(&assembly, &path, &rules, &options, &Progress::default());
    assert!(
        found.verdict() <= Verdict::NotCertified,
        "{:?}",
        found.pairs[0]
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Random chains, meshes and knots: sampling each millisecond never goes below the certified
    /// bound, and what is attained is within the tolerance of it.
    #[test]
    fn sampling_never_goes_below_the_certified_bound(
        axes in prop::collection::vec((any::<bool>(), prop::array::uniform3(-1.0f64..1.0), prop::array::uniform3(-0.4f64..0.4)), 1..4),
        size in prop::array::uniform3(0.05f64..0.5),
        at in prop::array::uniform3(-1.2f64..1.2),
        turned in prop::array::uniform3(-3.0f64..3.0),
        knots in prop::collection::vec(prop::array::uniform3(-1.5f64..1.5), 2..5),
    ) {
        prop_assume!(axes.iter().all(|a| Vector::from(a.1).norm() > 0.1));
        let joints: Vec<_> = axes
            .iter()
            .map(|(slides, axis, xyz)| {
                let kind = if *slides { JointKind::Prismatic } else { JointKind::Revolute };
                (kind, Vector::from(*axis), pose_from_rpy(*xyz, [0.2, -0.3, 0.4]))
            })
            .collect();
        let n = joints.len();
        let assembly = cell_of(&joints, box_mesh(size), sphere_mesh(0.15, 12), pose_from_rpy(at, turned));
        let times: Vec<f64> = (0..knots.len()).map(|i| i as f64 * 0.3).collect();
        let values: Vec<f64> = knots.iter().flat_map(|k| k[..n].to_vec()).collect();
        let path = Path::new(n, times, values, Vec::new());
        let mut pair = PairMotion::new(&assembly, &path, BodyId(0), BodyId(1));
        let aim = Aim::exactly(TOLERANCE);
        let (bracket, approach) = pair.minimum(&[(0.0, path.duration())], &aim, &|| true);
        prop_assert!(bracket.width() <= TOLERANCE + 1e-12);
        prop_assert!(((approach.on_a - approach.on_b).norm() - approach.distance).abs() < 1e-9);
        // In halves and halves of halves as well, also where nobody waits for even one look.
        let aim = Aim { alone: 0, ..aim };
        let (halves, _) = pair.minimum(&[(0.0, path.duration())], &aim, &|| true);
        prop_assert!(halves.width() <= TOLERANCE + 1e-12);
        prop_assert!(halves.lower() <= bracket.attained() && bracket.lower() <= halves.attained());
        let surfaces = [0, 1].map(|i| Arc::clone(&assembly.body(BodyId(i)).surface));
        for ms in 0..=(path.duration() * 1e3) as usize {
            let poses = assembly.poses(&path.at(ms as f64 * 1e-3));
            let nodes = [0, 1].map(|i| assembly.body(BodyId(i)).node.0);
            let relative = poses[nodes[0]].inv_mul(&poses[nodes[1]]);
            let sampled = distance(&surfaces[0], &surfaces[1], &relative, Limit::default()).lower;
            let lower = bracket.lower().max(halves.lower());
            prop_assert!(sampled >= lower - 1e-9, "{sampled} < {lower}");
        }
    }

    /// Two arms that each go their own way: whenever sampling finds them nearer than a threshold that time is told, and what is
    /// told as certainly nearer is.
    #[test]
    fn every_time_below_a_threshold_is_told_and_no_other(
        axes in prop::array::uniform4((prop::array::uniform3(-1.0f64..1.0), prop::array::uniform3(-0.3f64..0.3))),
        at in prop::array::uniform3(-0.6f64..0.6),
        turned in prop::array::uniform3(-3.0f64..3.0),
        knots in prop::collection::vec(prop::array::uniform4(-1.5f64..1.5), 2..5),
        share in 0.05f64..0.95,
    ) {
        prop_assume!(axes.iter().all(|a| Vector::from(a.0).norm() > 0.1));
        let joint = |(axis, xyz): &([f64; 3], [f64; 3])| {
            (JointKind::Revolute, Vector::from(*axis), pose_from_rpy(*xyz, [0.2, -0.3, 0.4]))
        };
        let arm = |own: &[([f64; 3], [f64; 3])], mesh| {
            chain_of(&own.iter().map(joint).collect::<Vec<_>>(), mesh)
        };
        let two = Item::new("two", Role::Robot).at(pose_from_rpy(at, turned));
        let cell = Cell::new(vec![Item::new("one", Role::Robot), two]).unwrap();
        let arms = [
            ("one".into(), arm(&axes[..2], box_mesh([0.4, 0.1, 0.2]))),
            ("two".into(), arm(&axes[2..], sphere_mesh(0.15, 12))),
        ];
        let assembly = Assembly::new(cell, arms.into()).unwrap();
        let times: Vec<f64> = (0..knots.len()).map(|i| i as f64 * 0.3).collect();
        let path = Path::new(4, times, knots.concat(), Vec::new());
        let whole = (0.0, path.duration());
        let surfaces = [0, 1].map(|i| Arc::clone(&assembly.body(BodyId(i)).surface));
        let sampled: Vec<(f64, f64)> = (0..=(whole.1 * 1e3) as usize)
            .map(|ms| {
                let time = ms as f64 * 1e-3;
                let poses = assembly.poses(&path.at(time));
                let nodes = [0, 1].map(|i| assembly.body(BodyId(i)).node.0);
                let relative = poses[nodes[0]].inv_mul(&poses[nodes[1]]);
                let found = distance(&surfaces[0], &surfaces[1], &relative, Limit::default());
                (time, found.closest.expect("no limit").distance)
            })
            .collect();
        let least = sampled.iter().map(|s| s.1).fold(f64::INFINITY, f64::min);
        let most = sampled.iter().map(|s| s.1).fold(0.0, f64::max);
        let threshold = least + (most - least) * share;
        prop_assume!(threshold > 1e-3);
        let mut pair = PairMotion::new(&assembly, &path, BodyId(0), BodyId(1));
        let found = intervals_below(&mut pair, &[whole], threshold, TOLERANCE, u64::MAX, &|| true);
        prop_assert!(found.complete);
        for (time, distance) in sampled {
            let told = found.intervals.iter().any(|i| (i.start.0..=i.end.1).contains(&time));
            prop_assert!(told || distance >= threshold - 1e-6, "{distance} at {time} s is not told");
            let certain = found.intervals.iter().any(|i| (i.start.1..=i.end.0).contains(&time));
            // What rises above it by less than the tolerance is not told apart.
            prop_assert!(!certain || distance < threshold + TOLERANCE + 1e-6, "{distance} at {time} s");
        }
    }
}
