//! What a change comes to that is only tried, going on from what is known of other moves, against sweeps that know nothing.

use std::time::Duration;

use proptest::prelude::*;
use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::document_from_slice;
use selvik_core::clearance::{
    Known, Limit, Pair, PairResult, Progress, RuleSet, Sweep, SweepOptions, TentativeSweep, Told,
    Verdict, distance, sweep, sweep_again, sweep_tentatively,
};
use selvik_core::program::Path;
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

const ARM: &str = r#"<robot name="arm"><link name="base"/><link name="upper"><visual><origin xyz="0.25 0 0"/>
  <geometry><box size="0.5 0.08 0.3"/></geometry></visual></link>
  <link name="fore"><visual><origin xyz="0.25 0 0"/><geometry><box size="0.5 0.06 0.2"/></geometry></visual></link>
  <joint name="a" type="revolute"><parent link="base"/><child link="upper"/><axis xyz="0 0 1"/>
  <limit lower="-3" upper="3" velocity="2"/></joint>
  <joint name="b" type="revolute"><parent link="upper"/><child link="fore"/><origin xyz="0.5 0 0"/><axis xyz="0 0 1"/>
  <limit lower="-2.8" upper="2.8" velocity="2"/></joint></robot>"#;
const SLIDE: &str = r#"<robot name="slide"><link name="rail"/><link name="carriage"/>
  <joint name="j" type="prismatic"><parent link="rail"/><child link="carriage"/><axis xyz="0 1 0"/>
  <limit lower="-2" upper="2" velocity="1"/></joint></robot>"#;

/// A cell as somebody changes it: an arm of two joints and a ball on a slide among posts, each with a program of its own.
#[derive(Debug, Clone)]
struct Model {
    /// Where the arm goes, degrees, and where it waits, s.
    arm: Vec<([f64; 2], f64)>,
    /// Where the slide goes, mm.
    slide: Vec<f64>,
    /// Where the posts stand, mm.
    posts: Vec<[f64; 2]>,
    required: f64,
}

#[derive(Debug, Clone)]
enum Edit {
    Turn(usize, [f64; 2]),
    Wait(usize, f64),
    Slide(usize, f64),
    Post(usize, [f64; 2]),
    Require(f64),
    Drop(usize),
}

impl Model {
    fn begin() -> Self {
        let turns = [
            [-70.0, 20.0],
            [-20.0, -40.0],
            [25.0, 10.0],
            [70.0, 50.0],
            [10.0, -30.0],
            [-60.0, 30.0],
        ];
        Self {
            arm: turns.map(|q| (q, 0.0)).to_vec(),
            slide: vec![-600.0, 500.0, -400.0, 700.0],
            posts: (0..5)
                .map(|i| {
                    let turn = f64::from(i) - 2.0;
                    [1150.0 * turn.cos(), 1150.0 * turn.sin()]
                })
                .collect(),
            required: 30.0,
        }
    }

    fn apply(&mut self, edit: &Edit) {
        match *edit {
            Edit::Turn(i, q) => {
                let at = i % self.arm.len();
                self.arm[at].0 = q;
            }
            Edit::Wait(i, s) => {
                let at = i % self.arm.len();
                self.arm[at].1 = s;
            }
            Edit::Slide(i, mm) => {
                let at = i % self.slide.len();
                self.slide[at] = mm;
            }
            Edit::Post(i, at) => {
                let post = i % self.posts.len();
                self.posts[post] = at;
            }
            Edit::Require(mm) => self.required = mm,
            Edit::Drop(i) if self.arm.len() > 2 => {
                self.arm.remove(i % self.arm.len());
            }
            Edit::Drop(_) => {}
        }
    }

    fn built(&self, files: &PackageFiles, before: &[&Workcell]) -> (Workcell, Path) {
        let joint =
            |q: Value| json!({ "move": "joint", "joints_deg_or_mm": q, "speed_percent": 60.0 });
        let turns = self.arm.iter().flat_map(|(q, wait)| {
            let wait = (*wait > 0.0).then(|| json!({ "move": "wait", "seconds": wait }));
            [Some(joint(json!(q))), wait]
        });
        let turns: Vec<Value> = turns.flatten().collect();
        let slides = self
            .slide
            .iter()
            .map(|mm| json!({ "move": "joint", "joints_deg_or_mm": [mm], "speed_percent": 25.0 }));
        let slides: Vec<Value> = slides.collect();
        let mut items = vec![
            json!({ "id": "arm", "name": "Arm", "role": "robot", "mechanism": { "from": { "urdf": "arm.urdf" } } }),
            json!({ "id": "slide", "name": "Slide", "role": "structure", "mechanism": { "from": { "urdf": "slide.urdf" } },
                "pose": { "xyz_mm": [1400.0, 0.0, 0.0] } }),
            json!({ "id": "ball", "name": "Ball", "role": "part", "parent": "slide", "on_link": "carriage",
                "bodies": [{ "shape": { "sphere": { "radius_mm": 120.0 } } }] }),
        ];
        items.extend(self.posts.iter().enumerate().map(|(i, [x, y])| {
            json!({ "id": format!("post-{i}"), "name": format!("Post {i}"), "role": "fixture", "pose": { "xyz_mm": [x, y, 0.0] },
                "bodies": [{ "shape": { "box": { "size_mm": [90.0, 90.0, 400.0] } } }] })
        }));
        let program = |id: &str, robot: &str, moves: Vec<Value>| json!({ "id": id, "name": id, "robot": robot, "targets": [], "moves": moves });
        let cell = json!({ "format": "selvik-cell/1", "name": "A cell", "items": items,
            "rules": [
                { "id": "r", "name": "arm", "between": ["arm"], "required_mm": self.required, "tight_below_mm": self.required * 2.0 },
                { "id": "b", "name": "ball", "between": ["ball"], "required_mm": 10.0, "tight_below_mm": 40.0 }],
            "programs": [program("turns", "arm", turns), program("slides", "slide", slides)],
            "run_plan": { "lanes": [{ "programs": ["turns"] }, { "programs": ["slides"] }] } });
        let document = document_from_slice(cell.to_string().as_bytes()).expect("a sound document");
        let workcell = Workcell::built_on(before, document, files).expect("a sound cell");
        let path = workcell.path().expect("it runs");
        (workcell, path)
    }
}

/// Edits, whether each is made, and after how long (µs) an answer is wanted.
fn edits() -> impl Strategy<Value = Vec<(Edit, bool, u64)>> {
    let edit = prop_oneof![
        4 => (0..9usize, (-90.0f64..90.0, -120.0f64..120.0)).prop_map(|(i, (a, b))| Edit::Turn(i, [a, b])),
        1 => (0..9usize, 0.0f64..0.5).prop_map(|(i, s)| Edit::Wait(i, s)),
        2 => (0..9usize, -900.0f64..900.0).prop_map(|(i, mm)| Edit::Slide(i, mm)),
        1 => (0..9usize, (-1400.0f64..1400.0, -1400.0f64..1400.0)).prop_map(|(i, (x, y))| Edit::Post(i, [x, y])),
        1 => (1.0f64..150.0).prop_map(Edit::Require),
        1 => (0..9usize).prop_map(Edit::Drop),
    ];
    // Some edits are made, others are only tried.
    prop::collection::vec((edit, prop::bool::weighted(0.3), 0..4000u64), 12)
}

/// Both say the same of a pair, each as closely as it cared to look.
fn agree(tried: &PairResult, anew: &PairResult) -> bool {
    tried.pair == anew.pair
        && tried.verdict == anew.verdict
        && tried.clearance.lower() <= anew.clearance.attained()
        && anew.clearance.lower() <= tried.clearance.attained()
}

/// So many pairs are told closely.
const CLOSELY: usize = 3;

/// The first that are told are as bad as the worst of a fresh sweep, and bracketed as closely.
fn are_the_worst(
    rules: &RuleSet,
    told: &[PairResult],
    anew: &[&PairResult],
) -> Result<(), TestCaseError> {
    let required = |p: &PairResult| rules.rules[p.pair.rule].requirement.required();
    let shares =
        |p: &PairResult| [p.clearance.lower(), p.clearance.attained()].map(|d| d / required(p));
    for (told, fresh) in told.iter().zip(anew).take(CLOSELY) {
        prop_assert_eq!(told.verdict, fresh.verdict);
        let ([lower, attained], [of_fresh, most]) = (shares(told), shares(fresh));
        prop_assert!(
            lower <= most + 1e-9 && of_fresh <= attained + 1e-9,
            "{:?}\n{:?}",
            told,
            fresh
        );
        let requirement = rules.rules[told.pair.rule].requirement;
        if told.clearance.attained() < requirement.tight_below() {
            prop_assert!(told.clearance.width() <= 1.1e-4, "{:?}", told);
        }
    }
    Ok(())
}

/// What is told of a pair in a hurry is true, if less than a fresh sweep finds.
fn is_true(told: &PairResult, anew: &PairResult) -> bool {
    let (verdict, fresh) = (told.verdict, anew.verdict);
    let holds = match verdict {
        Verdict::Broken | Verdict::Meets => verdict == fresh,
        Verdict::Tight => matches!(fresh, Verdict::Tight | Verdict::Meets),
        Verdict::NotCertified => told.is_open() || verdict == fresh,
    };
    holds
        && agree(
            &PairResult {
                verdict: fresh,
                ..told.clone()
            },
            anew,
        )
}

/// What is told after some time (µs) is true of the pairs it tells, and the others are said to be lacking.
fn is_true_in_a_hurry(
    micros: u64,
    tried: impl FnOnce(&Progress) -> TentativeSweep,
    anew: &Sweep,
) -> Result<(), TestCaseError> {
    let progress = Progress::default();
    let tried = std::thread::scope(|scope| {
        scope.spawn(|| {
            std::thread::sleep(Duration::from_micros(micros));
            progress.hurry();
        });
        tried(&progress)
    });
    let fresh = |told: &PairResult| anew.pairs.iter().find(|p| p.pair == told.pair);
    for told in tried.whole.pairs.iter().chain(&tried.told) {
        let fresh = fresh(told).expect("a pair of the cell");
        prop_assert!(is_true(told, fresh), "{:?}\n{:?}", told, fresh);
    }
    let lacking: usize = tried.whole.rules.iter().map(|rule| rule.unlooked).sum();
    prop_assert_eq!(tried.whole.pairs.len() + lacking, anew.pairs.len());
    let all = |s: &Sweep| s.pairs.iter().all(|p| p.complete);
    prop_assert!(tried.hurried || (lacking == 0 && all(&tried.whole)));
    match tried.whole.verdict() {
        Verdict::NotCertified => {
            prop_assert!(tried.hurried || anew.verdict() == Verdict::NotCertified)
        }
        Verdict::Tight => prop_assert!(anew.verdict() >= Verdict::Tight),
        certain => prop_assert_eq!(certain, anew.verdict()),
    }
    Ok(())
}

/// No pair is nearer at `time` than its bound says.
fn keeps_apart(workcell: &Workcell, path: &Path, pairs: &[PairResult], time: f64) -> bool {
    let assembly = &workcell.assembly;
    let poses = path.moment(assembly, time).poses(assembly);
    pairs.iter().all(|found| {
        let [a, b] = [found.pair.a, found.pair.b].map(|id| assembly.body(id));
        let relative = poses[a.node.0].inv_mul(&poses[b.node.0]);
        let enough = found.clearance.lower() + 1e-9;
        let limit = Limit {
            enough,
            ..Limit::default()
        };
        let nearer = distance(&a.surface, &b.surface, &relative, limit).closest;
        nearer.is_none_or(|c| c.distance >= found.clearance.lower() - 1e-9)
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(8))]

    #[test]
    fn what_is_tried_is_what_a_fresh_sweep_finds(edits in edits(), during in (0.0f64..1.0, 0.05f64..0.6)) {
        let files = files();
        let (known, options) = (Known::default(), SweepOptions::default());
        let mut model = Model::begin();
        let (mut before, path) = model.built(&files, &[]);
        let arm = before.assembly.cell().position(&"arm".into()).unwrap();
        let progress = Progress::default();
        let _ = sweep_again(&before.assembly, &path, &before.rules, &options, (&known, &progress));
        for (edit, made, micros) in &edits {
            let was = model.clone();
            model.apply(edit);
            let (workcell, path) = model.built(&files, &[&before]);
            let (assembly, rules) = (&workcell.assembly, &workcell.rules);
            let own = |pair: &Pair| [pair.a, pair.b].iter().any(|&id| assembly.body(id).item == arm);
            let times = during.0 * path.duration();
            let times = (times, (times + during.1).min(path.duration()));
            let told = Told { of: &own, during: Some(times), closely: CLOSELY };
            let tried = sweep_tentatively(assembly, &path, rules, told, (&known, &progress));
            let over_all = Told { during: None, ..told };
            let over_all = sweep_tentatively(assembly, &path, rules, over_all, (&known, &progress));
            let anew = sweep(assembly, &path, rules, &options, &progress);
            for during in [None, told.during] {
                let told = Told { during, ..told };
                let tried = |progress: &Progress| {
                    sweep_tentatively(assembly, &path, rules, told, (&known, progress))
                };
                // In a part of the path other pairs are told.
                let tried = |progress: &Progress| match during {
                    None => tried(progress),
                    Some(_) => TentativeSweep { told: Vec::new(), ..tried(progress) },
                };
                is_true_in_a_hurry(*micros, tried, &anew)?;
            }
            prop_assert_eq!(tried.whole.verdict(), anew.verdict());
            let of_rules = |s: &Sweep| s.rules.iter().map(|r| r.verdict).collect::<Vec<_>>();
            prop_assert_eq!(of_rules(&tried.whole), of_rules(&anew));
            prop_assert_eq!(tried.whole.pairs.len(), anew.pairs.len());
            let own_anew: Vec<_> = anew.pairs.iter().filter(|p| own(&p.pair)).collect();
            prop_assert_eq!(over_all.told.len(), own_anew.len());
            are_the_worst(rules, &over_all.told, &own_anew)?;
            for fresh in &anew.pairs {
                let same = tried.whole.pairs.iter().find(|p| p.pair == fresh.pair).expect("all are there");
                prop_assert!(agree(same, fresh), "{:?}\n{:?}\n{:?}", edit, same, fresh);
            }
            for i in 0..=200 {
                // Half of them within the part.
                let (from, to) = if i % 2 == 0 { (0.0, path.duration()) } else { times };
                let time = from + (to - from) * f64::from(i) / 200.0;
                prop_assert!(keeps_apart(&workcell, &path, &tried.whole.pairs, time), "{:?} at {}", edit, time);
            }
            let in_part = SweepOptions { during: Some(times), ..options };
            let anew = sweep(assembly, &path, rules, &in_part, &progress);
            let own_anew: Vec<_> = anew.pairs.iter().filter(|p| own(&p.pair)).collect();
            are_the_worst(rules, &tried.told, &own_anew)?;
            for fresh in own_anew {
                match tried.told.iter().find(|p| p.pair == fresh.pair) {
                    Some(same) => prop_assert!(agree(same, fresh), "{:?}\n{:?}\n{:?}", edit, same, fresh),
                    // What does not come near is not told.
                    None => prop_assert_eq!(fresh.verdict, Verdict::Meets),
                }
            }
            if *made {
                let _ = sweep_again(assembly, &path, rules, &options, (&known, &progress));
                before = workcell;
            } else {
                model = was;
            }
        }
    }
}

/// However long the arm waits at its end, the ball goes past the posts as it did.
#[test]
fn what_another_lane_does_changes_no_pair() {
    let (files, known, mut model) = (files(), Known::default(), Model::begin());
    let recalled = |workcell: &Workcell, path: &Path| {
        let known = (&known, &Progress::default());
        let options = SweepOptions::default();
        sweep_again(&workcell.assembly, path, &workcell.rules, &options, known).recalled
    };
    let (before, path) = model.built(&files, &[]);
    assert_eq!(recalled(&before, &path), 0);
    model.arm.last_mut().unwrap().1 += 20.0;
    let (after, longer) = model.built(&files, &[&before]);
    assert!(longer.duration() > path.duration());
    assert_eq!(recalled(&after, &longer), 5);
}

/// The arm ends its program in a post and stands there; what is broken then is broken to the end of the path, however long the
/// other lane makes that, also where it was known before.
#[test]
fn what_stands_still_in_something_does_so_to_the_end() {
    let (files, known, mut model) = (files(), Known::default(), Model::begin());
    model.arm.truncate(2);
    model.arm[1].0 = [0.0, 0.0];
    model.posts[2] = [900.0, 0.0];
    let lasts = |model: &Model, before: &[&Workcell]| {
        let (workcell, path) = model.built(&files, before);
        let known = (&known, &Progress::default());
        let options = SweepOptions::default();
        let found = sweep_again(&workcell.assembly, &path, &workcell.rules, &options, known);
        let worst = &found.pairs[0];
        let ends =
            [&worst.tight, &worst.broken, &worst.touching].map(|all| all.last().unwrap().end);
        assert_eq!(ends, [(path.duration(), path.duration()); 3], "{worst:?}");
        (found.recalled, path.duration(), workcell)
    };
    let (recalled, shorter, before) = lasts(&model, &[]);
    assert_eq!(recalled, 0);
    model.slide.push(-500.0);
    let (recalled, longer, _) = lasts(&model, &[&before]);
    assert!(recalled >= 10 && longer > shorter + 1.0, "{recalled}");
}

fn files() -> PackageFiles {
    let mut files = PackageFiles::default();
    for (name, said) in [("arm.urdf", ARM), ("slide.urdf", SLIDE)] {
        files.insert(name, said.as_bytes().to_vec()).unwrap();
    }
    files
}

/// A ball of 100 mm waits and goes along Y from −900 to 600 mm past another that is `aside` (mm) of its way, or across the way of
/// one that goes slowly along X from 1,300 to −500 mm.
fn crossing(wait: f64, aside: Option<f64>) -> Value {
    let moves = json!([{ "move": "wait", "seconds": wait }, joint(1500.0, 100.0)]);
    passing(([-900.0, 0.0], moves), (1800.0, aside))
}

/// The ball stands in the way of the other until its lane begins, leaves, and comes back when the other has passed and stands
/// 30 mm beside it.
fn leaving(start: f64) -> Value {
    let aside = joint(1500.0, 100.0);
    let moves = json!([aside, { "move": "wait", "seconds": 7.0 }, joint(0.0, 100.0)]);
    passing(([0.0, start], moves), (1300.0 + 230.0, None))
}

fn joint(mm: f64, speed_percent: f64) -> Value {
    json!({ "move": "joint", "joints_deg_or_mm": [mm], "speed_percent": speed_percent })
}

fn passing(([y, start], moves): ([f64; 2], Value), (along, aside): (f64, Option<f64>)) -> Value {
    let slide = |id: &str, at: [f64; 2], yaw: f64| {
        json!({ "id": id, "name": id, "role": "structure", "mechanism": { "from": { "urdf": "slide.urdf" } },
            "pose": { "xyz_mm": [at[0], at[1], 0.0], "rpy_deg": [0.0, 0.0, yaw] } })
    };
    let ball = |id: &str, parent: Option<&str>, x: f64| {
        json!({ "id": id, "name": id, "role": "part", "parent": parent, "on_link": parent.map(|_| "carriage"),
            "pose": { "xyz_mm": [x, 0.0, 0.0] }, "bodies": [{ "shape": { "sphere": { "radius_mm": 100.0 } } }] })
    };
    let other = ball(
        "other",
        aside.is_none().then_some("x"),
        aside.unwrap_or(0.0),
    );
    let program = |id: &str, moves: Value| json!({ "id": id, "name": id, "robot": id, "targets": [], "moves": moves });
    let along = json!([joint(along, 20.0)]);
    json!({ "format": "selvik-cell/1", "name": "A cell",
        "items": [slide("y", [0.0, y], 0.0), slide("x", [1300.0, 0.0], 90.0), ball("mover", Some("y"), 0.0), other],
        "rules": [{ "id": "r", "name": "apart", "between": ["mover"], "and": ["other"], "required_mm": 20.0, "tight_below_mm": 40.0 }],
        "programs": [program("y", moves), program("x", along)],
        "run_plan": { "lanes": [{ "programs": ["y"], "start_s": start }, { "programs": ["x"] }] } })
}

/// What it has as the one before it keeps its surfaces, by which pairs are known.
fn built_on(before: Option<&Workcell>, cell: &Value) -> (Workcell, Path) {
    let document = document_from_slice(cell.to_string().as_bytes()).expect("a sound document");
    let before: Vec<&Workcell> = before.into_iter().collect();
    let workcell = Workcell::built_on(&before, document, &files()).expect("a sound cell");
    let path = workcell.path().expect("it runs");
    (workcell, path)
}

proptest! {
    /// The closest approach may lie in the part, outside of it, or at its edge.
    #[test]
    fn with_a_part_looked_at_first_the_bracket_still_holds_what_geometry_says(
        aside in 205.0f64..300.0, from in 0.5f64..2.0, long in 0.05f64..1.5,
    ) {
        let (workcell, path) = built_on(None, &crossing(0.5, Some(aside)));
        let during = (from, from + long);
        let told = Told { of: &|_: &Pair| true, during: Some(during), closely: 1 };
        let known = (&Known::default(), &Progress::default());
        let tried = sweep_tentatively(&workcell.assembly, &path, &workcell.rules, told, known);
        let [whole] = &tried.whole.pairs[..] else { panic!("one pair") };
        let exact = (aside - 200.0) * 1e-3;
        let bracket = whole.clearance;
        prop_assert!(bracket.lower() <= exact + 1e-9 && exact <= bracket.attained() + 1e-9, "{:?}", whole);
        for found in &tried.told {
            prop_assert!(found.clearance.attained() >= exact - 1e-9);
            prop_assert!((during.0..=during.1).contains(&found.approach.time), "{:?}", found);
        }
    }

    /// Both go as before; only when one sets out against the other is new.
    #[test]
    fn moves_that_run_as_before_beside_others_that_run_later_are_looked_at_anew(waits in prop::collection::vec(12u8..32, 2..5)) {
        // Sums of quarters are exact: only the beginnings tell the windows apart.
        let crossed = waits.into_iter().map(|wait| crossing(f64::from(wait) / 4.0, None));
        tried_in_turn(crossed)?;
    }
}

/// While it waits for its lane to begin, one stands in the other's way: for how long is not told by what it does.
#[rstest]
#[case::leaves_before_and_after_the_other([1.0, 10.5])]
#[case::leaves_after_and_before([10.5, 1.0])]
#[case::leaves_while_it_passes([1.0, 6.5])]
fn what_stands_for_longer_beside_a_move_is_looked_at_anew(#[case] starts: [f64; 2]) {
    tried_in_turn(starts.into_iter().map(leaving)).unwrap();
}

/// What never comes near is told like anything else where there is little else to tell; in a hurry it is no news.
#[rstest]
fn what_is_far_away_is_told_as_a_sweep_tells_it(#[values(true, false)] own: bool) {
    let (workcell, path) = built_on(None, &crossing(0.5, Some(3000.0)));
    let told = Told {
        of: &|_: &Pair| own,
        during: None,
        closely: 1,
    };
    let (known, progress) = (Known::default(), Progress::default());
    let (assembly, rules) = (&workcell.assembly, &workcell.rules);
    let anew = sweep(assembly, &path, rules, &SweepOptions::default(), &progress);
    let tried = sweep_tentatively(assembly, &path, rules, told, (&known, &progress));
    assert_eq!(tried.whole.pairs, anew.pairs);
    assert_eq!(tried.told, if own { anew.pairs } else { Vec::new() });
    progress.hurry();
    let none = Told { closely: 0, ..told };
    let tried = sweep_tentatively(assembly, &path, rules, none, (&known, &progress));
    assert!(tried.hurried && tried.told.is_empty(), "{tried:?}");
    assert_eq!(tried.whole.verdict(), Verdict::Meets);
}

/// Where it came nearest before is where it is looked at then: that it breaks its rule is told however soon an answer is wanted.
#[test]
fn what_was_the_worst_is_looked_at_in_any_hurry() {
    let (before, path) = built_on(None, &crossing(0.5, Some(150.0)));
    let (known, progress) = (Known::default(), Progress::default());
    let options = SweepOptions::default();
    let _ = sweep_again(
        &before.assembly,
        &path,
        &before.rules,
        &options,
        (&known, &progress),
    );
    let (workcell, path) = built_on(Some(&before), &crossing(0.5, Some(160.0)));
    progress.hurry();
    let told = Told {
        of: &|_: &Pair| true,
        during: None,
        closely: 1,
    };
    let (assembly, rules) = (&workcell.assembly, &workcell.rules);
    let tried = sweep_tentatively(assembly, &path, rules, told, (&known, &progress));
    assert!(tried.hurried);
    assert_eq!(tried.whole.verdict(), Verdict::Broken);
    assert!(tried.told[0].clearance.attained() < 0.02, "{tried:?}");
}

/// Each is tried knowing those before, and then swept.
fn tried_in_turn(models: impl Iterator<Item = Value>) -> Result<(), TestCaseError> {
    let (known, progress, options) = (
        Known::default(),
        Progress::default(),
        SweepOptions::default(),
    );
    let mut before: Option<Workcell> = None;
    for model in models {
        let (workcell, path) = built_on(before.as_ref(), &model);
        let (assembly, rules) = (&workcell.assembly, &workcell.rules);
        let told = Told {
            of: &|_: &Pair| true,
            during: None,
            closely: 1,
        };
        let tried = sweep_tentatively(assembly, &path, rules, told, (&known, &progress)).whole;
        let anew = sweep(assembly, &path, rules, &options, &progress);
        let both = (&tried.pairs[0], &anew.pairs[0]);
        prop_assert!(agree(both.0, both.1), "{} {:?}", model["run_plan"], both);
        let _ = sweep_again(assembly, &path, rules, &options, (&known, &progress));
        before = Some(workcell);
    }
    Ok(())
}
