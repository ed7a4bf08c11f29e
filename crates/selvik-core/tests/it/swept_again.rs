//! What is known from sweeps before against sweeps that know nothing.

use std::collections::HashMap;
use std::sync::Arc;

use nalgebra::Unit;
use proptest::prelude::*;
use selvik_core::cell::{Cell, Item, Role};
use selvik_core::clearance::{
    Allowance, BandShape, Counted, Known, Limit, Named, Pair, PairResult, Progress, Requirement,
    Rule, RuleSet, Sweep, SweepOptions, Verdict, clearance_band, clearance_band_again, distance,
    sweep, sweep_again, swept_before,
};
use selvik_core::mesh::{Surface, box_mesh, cylinder_mesh};
use selvik_core::program::Path;
use selvik_core::robot::{Assembly, Joint, JointKind, JointLimits, Link, Mechanism};
use selvik_core::spatial::{Vector, pose_from_rpy};

/// A cell as somebody changes it: an arm of two joints among posts that stand on a plate.
#[derive(Debug, Clone)]
struct Model {
    /// Where the plate stands, m.
    plate: f64,
    /// Where each post stands on it, which shape it has, and its number.
    posts: Vec<(f64, f64, usize, usize)>,
    /// Where the two joints go, rad.
    corners: Vec<[f64; 2]>,
    /// How much is required of the posts, mm.
    required: f64,
    /// How deep the arm may go into the first post, m.
    deep: Option<f64>,
    next: usize,
}

#[derive(Debug, Clone)]
enum Edit {
    MovePost(usize, f64, f64),
    Reshape(usize, usize),
    MovePlate(f64),
    Target(usize, [f64; 2]),
    Require(f64),
    Allow(Option<f64>),
    AddInFront(f64, f64),
    Remove(usize),
}

impl Model {
    fn begin() -> Self {
        let posts = (0..6).map(|i| {
            let turn = f64::from(i) - 2.5;
            (
                1.2 * turn.cos(),
                1.2 * turn.sin(),
                i as usize % 2,
                i as usize,
            )
        });
        Self {
            plate: 0.0,
            posts: posts.collect(),
            corners: vec![[-1.2, 0.3], [0.4, -0.8], [1.0, 0.9]],
            required: 30.0,
            deep: None,
            next: 6,
        }
    }

    fn apply(&mut self, edit: &Edit) {
        let at = |i: usize, n: usize| i % n;
        let (posts, corners) = (self.posts.len(), self.corners.len());
        match *edit {
            Edit::MovePost(i, x, y) => {
                let post = &mut self.posts[at(i, posts)];
                (post.0, post.1) = (x, y);
            }
            Edit::Reshape(i, shape) => self.posts[at(i, posts)].2 = shape,
            Edit::MovePlate(x) => self.plate = x,
            Edit::Target(i, q) => self.corners[at(i, corners)] = q,
            Edit::Require(mm) => self.required = mm,
            Edit::Allow(deep) => self.deep = deep,
            Edit::AddInFront(x, y) if posts < 9 => {
                self.posts.insert(0, (x, y, 0, self.next));
                self.next += 1;
            }
            Edit::Remove(i) if posts > 2 => {
                self.posts.remove(at(i, posts));
            }
            Edit::AddInFront(..) | Edit::Remove(_) => {}
        }
    }

    fn assembly(&self, shapes: &[Arc<Surface>; 2], arm: &Mechanism) -> Assembly {
        let plate =
            Item::new("plate", Role::Structure).at(pose_from_rpy([self.plate, 0.0, 0.0], [0.0; 3]));
        let mut items = vec![plate];
        for &(x, y, shape, number) in &self.posts {
            let post = Item::new(&format!("post-{number}"), Role::Fixture).on("plate", None);
            let post = post.at(pose_from_rpy([x, y, 0.0], [0.0; 3]));
            items.push(post.with_body(Arc::clone(&shapes[shape])));
        }
        items.push(Item::new("arm", Role::Robot));
        let mechanisms = HashMap::from([("arm".into(), arm.clone())]);
        Assembly::new(Cell::new(items).unwrap(), mechanisms).unwrap()
    }

    fn rules(&self) -> RuleSet {
        let posts = self.posts.len();
        let m = self.required / 1000.0;
        let rule = |name: &str, required: f64, between, and| Rule {
            name: name.to_owned(),
            between: vec![Named::item(between)],
            and,
            requirement: Requirement::new(required, required * 2.0).unwrap(),
        };
        let allowed = self.deep.map(|deep| Allowance {
            a: Named::item(posts + 1),
            b: Named::item(1),
            reason: format!("{deep} m"),
            depth: Some(deep),
            during: None,
        });
        RuleSet {
            rules: vec![
                rule("arm", 0.01, posts + 1, None),
                rule("first", m, posts + 1, Some(vec![Named::item(2)])),
            ],
            allowed: allowed.into_iter().collect(),
        }
    }

    fn path(&self) -> Path {
        let times = (0..self.corners.len()).map(|i| i as f64).collect();
        Path::new(2, times, self.corners.concat(), Vec::new())
    }
}

fn arm() -> Mechanism {
    let beam = box_mesh([0.5, 0.08, 0.3]).moved(&pose_from_rpy([0.25, 0.0, 0.0], [0.0; 3]));
    let beam = Arc::new(Surface::new(beam));
    let link = |name: &str, surface| Link::new(name.to_owned(), surface);
    let links = vec![
        link("base", None),
        link("upper", Some(Arc::clone(&beam))),
        link("fore", Some(beam)),
    ];
    let joint = |i: usize, x: f64| Joint {
        name: format!("j{i}"),
        kind: JointKind::Revolute,
        parent: i,
        child: i + 1,
        origin: pose_from_rpy([x, 0.0, 0.0], [0.0; 3]),
        axis: Unit::new_normalize(Vector::z()),
        limits: JointLimits::default(),
        mimics: None,
    };
    Mechanism::new(links, vec![joint(0, 0.0), joint(1, 0.5)]).unwrap()
}

fn edits() -> impl Strategy<Value = Vec<Edit>> {
    let place = || (-1.6f64..1.6, -1.6f64..1.6);
    let edit = prop_oneof![
        (0..9usize, place()).prop_map(|(i, (x, y))| Edit::MovePost(i, x, y)),
        (0..9usize, 0..2usize).prop_map(|(i, shape)| Edit::Reshape(i, shape)),
        (-0.3f64..0.3).prop_map(Edit::MovePlate),
        (0..3usize, prop::array::uniform2(-1.5f64..1.5)).prop_map(|(i, q)| Edit::Target(i, q)),
        (1.0f64..200.0).prop_map(Edit::Require),
        prop::option::of(0.3f64..0.5).prop_map(Edit::Allow),
        place().prop_map(|(x, y)| Edit::AddInFront(x, y)),
        (0..9usize).prop_map(Edit::Remove),
    ];
    prop::collection::vec(edit, 50)
}

/// The same findings, but that what meets its rule by far may be bracketed as an earlier rule wanted it.
fn agree(again: &PairResult, anew: &PairResult, rules: &RuleSet) -> bool {
    let tight = rules.rules[anew.pair.rule].requirement.tight_below();
    again == anew
        || (again.pair == anew.pair
            && [again, anew].iter().all(|r| {
                r.verdict == Verdict::Meets && r.clearance.lower() >= tight && r.tight.is_empty()
            })
            && again.clearance.lower() <= anew.clearance.attained()
            && anew.clearance.lower() <= again.clearance.attained())
}

fn by_pair(sweep: &Sweep) -> Vec<&PairResult> {
    let mut pairs: Vec<_> = sweep.pairs.iter().collect();
    pairs.sort_by_key(|r| (r.pair.a.0, r.pair.b.0));
    pairs
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(20))]

    /// A thousand edits in all.
    #[test]
    fn after_any_edits_what_is_known_is_what_a_fresh_sweep_finds(edits in edits()) {
        let shapes = [box_mesh([0.1, 0.1, 0.4]), cylinder_mesh(0.08, 0.4, 8)];
        let shapes = shapes.map(|mesh| Arc::new(Surface::new(mesh)));
        let arm = arm();
        let options = SweepOptions { tolerance: 2e-3, ..SweepOptions::default() };
        let (known, mut model) = (Known::default(), Model::begin());
        for (step, edit) in edits.iter().enumerate() {
            model.apply(edit);
            let (assembly, path, rules) = (model.assembly(&shapes, &arm), model.path(), model.rules());
            let progress = Progress::default();
            let again = sweep_again(&assembly, &path, &rules, &options, (&known, &progress));
            let anew = sweep(&assembly, &path, &rules, &options, &Progress::default());
            prop_assert_eq!(&again.rules, &anew.rules);
            prop_assert_eq!(again.verdict(), anew.verdict());
            prop_assert_eq!(again.pairs.len(), anew.pairs.len());
            prop_assert_eq!(progress.state(), (again.pairs.len(), again.pairs.len()));
            for (x, y) in by_pair(&again).into_iter().zip(by_pair(&anew)) {
                prop_assert!(agree(x, y, &rules), "{:?}\n{:?}\n{:?}", edit, x, y);
            }
            // The band may be several edits old.
            if step % 10 < 9 {
                continue;
            }
            let counted: Vec<_> = anew.pairs.iter().map(|r| Counted::of(r, &path)).collect();
            let shape = BandShape {
                during: (0.0, path.duration()),
                stretches: 24,
                ceiling: 0.2,
                tolerance: 2e-3,
            };
            let again = clearance_band_again(&assembly, &path, &counted, &shape, (&known, &progress));
            let anew = clearance_band(&assembly, &path, &counted, &shape, &progress);
            for (x, y) in again.points.iter().zip(&anew.points).step_by(4) {
                let nearest = [0.0, 1.0].map(|share| {
                    let time = x.from + (x.to - x.from) * share;
                    // What may touch at all times is not in it.
                    let counts = counted.iter().filter(|c| !c.times.is_empty());
                    let apart = counts.map(|c| apart(&assembly, &path, &c.pair, time));
                    apart.fold(0.2, f64::min)
                });
                let nearest = nearest.into_iter().fold(0.2, f64::min);
                for point in [x, y] {
                    prop_assert!(point.lower <= nearest, "{:?}: {}\n{:?}", edit, nearest, point);
                    let wide = point.attained - point.lower;
                    prop_assert!(wide <= 2e-3f64.max(point.attained * 0.03) + 1e-9, "{:?}\n{:?}", edit, point);
                }
                prop_assert!(x.lower <= y.attained && y.lower <= x.attained, "{:?}\n{:?}\n{:?}", edit, x, y);
            }
        }
    }
}

fn apart(assembly: &Assembly, path: &Path, pair: &Pair, time: f64) -> f64 {
    let poses = path.moment(assembly, time).poses(assembly);
    let [a, b] = [pair.a, pair.b].map(|id| assembly.body(id));
    let relative = poses[a.node.0].inv_mul(&poses[b.node.0]);
    let found = distance(&a.surface, &b.surface, &relative, Limit::default());
    found.closest.expect("asked for exactly").distance
}

#[test]
fn only_what_a_change_concerns_is_looked_at_again() {
    let shapes = [box_mesh([0.1, 0.1, 0.4]), cylinder_mesh(0.08, 0.4, 8)];
    let shapes = shapes.map(|mesh| Arc::new(Surface::new(mesh)));
    let arm = arm();
    let (known, mut model) = (Known::default(), Model::begin());
    let mut sweep = |edit: Option<Edit>| {
        edit.iter().for_each(|edit| model.apply(edit));
        let (assembly, path, rules) = (model.assembly(&shapes, &arm), model.path(), model.rules());
        let (options, progress) = (SweepOptions::default(), Progress::default());
        let found = sweep_again(&assembly, &path, &rules, &options, (&known, &progress));
        found.pairs.len() - found.recalled
    };
    // Two links and six posts; the two links themselves are neighbours.
    assert_eq!(sweep(None), 12);
    assert_eq!(sweep(None), 0);
    assert_eq!(sweep(Some(Edit::MovePost(3, -1.5, 0.1))), 2);
    assert_eq!(sweep(Some(Edit::AddInFront(-1.4, -1.4))), 2);
    assert_eq!(sweep(Some(Edit::Remove(2))), 0);
    assert_eq!(sweep(Some(Edit::MovePlate(0.1))), 12);
    assert_eq!(sweep(Some(Edit::Target(1, [0.5, -0.8]))), 12);
    // Taken back, it is as it was a little while ago.
    assert_eq!(sweep(Some(Edit::Target(1, [0.4, -0.8]))), 0);
    // Certain all the more under a lower threshold, no longer under a higher one.
    assert_eq!(sweep(Some(Edit::Require(0.1))), 0);
    assert_eq!(sweep(Some(Edit::Require(2000.0))), 2);
}

#[test]
fn what_is_known_is_told_without_a_look_and_never_as_all_there_is() {
    let shapes = [box_mesh([0.1, 0.1, 0.4]), cylinder_mesh(0.08, 0.4, 8)];
    let shapes = shapes.map(|mesh| Arc::new(Surface::new(mesh)));
    let (arm, known, mut model) = (arm(), Known::default(), Model::begin());
    let (options, progress) = (SweepOptions::default(), Progress::default());
    let told = |model: &Model, looked: bool| {
        let (assembly, path, rules) = (model.assembly(&shapes, &arm), model.path(), model.rules());
        let all = if looked {
            sweep_again(&assembly, &path, &rules, &options, (&known, &progress))
        } else {
            sweep(&assembly, &path, &rules, &options, &progress)
        };
        let before = swept_before(&assembly, &path, &rules, &options, &known);
        assert!(!before.complete && before.verdict() <= Verdict::NotCertified);
        for pair in &before.pairs {
            assert!(all.pairs.contains(pair), "{pair:?}");
        }
        (before.pairs.len(), all.pairs.len())
    };
    assert_eq!(told(&model, false), (0, 12));
    assert_eq!(told(&model, true), (12, 12));
    model.apply(&Edit::MovePost(3, -1.5, 0.1));
    assert_eq!(told(&model, false), (10, 12));
}

#[test]
fn what_was_stopped_is_not_known() {
    let shape = Arc::new(Surface::new(box_mesh([0.1, 0.1, 0.4])));
    let (arm, model, known) = (arm(), Model::begin(), Known::default());
    let assembly = model.assembly(&[Arc::clone(&shape), shape], &arm);
    let (path, rules, stopped) = (model.path(), model.rules(), Progress::default());
    stopped.stop();
    let options = SweepOptions::default();
    let found = sweep_again(&assembly, &path, &rules, &options, (&known, &stopped));
    assert!(!found.complete && known.pairs() == 0);
}
