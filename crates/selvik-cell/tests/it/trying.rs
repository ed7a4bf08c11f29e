//! What a change comes to before it is made, against closed forms: a ball that slides along X past another.

use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::arranging::{Arrange, FrameChoice, Posed, Subject, TargetNamed, edit_of};
use selvik_cell::document::{PoseDocument, document_from_slice};
use selvik_cell::profile::swept_part;
use selvik_cell::report::Verdict;
use selvik_cell::trying::{
    Asked, ShiftFound, ShiftWanted, Shifted, Tentative, Tried, smallest_shift,
};
use selvik_core::clearance::{Known, Pair, Progress};
use selvik_core::program::{Path, ProgramError};
use selvik_core::robot::Moment;
use selvik_core::spatial::Vector;
use selvik_formats::{FormatError, PackageFiles};
use serde_json::{Value, json};

const SLIDE: &str = r#"<robot name="slide"><link name="rail"/><link name="carriage"/>
  <joint name="j" type="prismatic"><parent link="rail"/><child link="carriage"/><axis xyz="1 0 0"/>
  <limit lower="-5" upper="5" velocity="1"/></joint></robot>"#;

pub(super) struct Passing {
    pub files: PackageFiles,
    pub workcell: Workcell,
    pub path: Path,
    pub known: Known,
}

/// A ball of 100 mm goes from 0 to 1,000 mm along X. Another of 50 mm stands at (500, `aside`, 0) on a plate that has no body,
/// and 30 mm are required between them.
fn passing(aside: f64) -> Passing {
    passing_at([500.0, aside], None)
}

/// The same with the other ball somewhere else, and the target in a frame.
pub(super) fn passing_at(at: [f64; 2], frame: Option<&str>) -> Passing {
    let there = json!({ "move": "linear", "to": "t", "speed_mm_s": 500.0 });
    passing_by(at, frame, json!([there]))
}

/// The same, moved in other ways.
pub(super) fn passing_by([x, aside]: [f64; 2], frame: Option<&str>, moves: Value) -> Passing {
    let pose = json!({ "xyz_mm": [1000.0, 0.0, 0.0], "rpy_deg": [0.0, 0.0, 0.0] });
    let target = json!({ "id": "t", "frame": frame, "pose": pose });
    let ball = |radius: f64| json!([{ "shape": { "sphere": { "radius_mm": radius } } }]);
    let cell = json!({ "format": "selvik-cell/1", "name": "A cell",
        "items": [
            { "id": "slide", "name": "Slide", "role": "structure", "mechanism": { "from": { "urdf": "slide.urdf" } } },
            { "id": "tcp", "name": "TCP", "role": "frame", "parent": "slide", "on_link": "carriage" },
            { "id": "mover", "name": "Mover", "role": "part", "parent": "slide", "on_link": "carriage", "bodies": ball(100.0) },
            { "id": "plate", "name": "Plate", "role": "group" },
            { "id": "post", "name": "Post", "role": "part", "parent": "plate", "pose": { "xyz_mm": [x, aside, 0.0] }, "bodies": ball(50.0) },
            { "id": "far", "name": "Far", "role": "part", "pose": { "xyz_mm": [500.0, -130.0, 0.0] }, "bodies": ball(20.0) }],
        "rules": [
            { "id": "r", "name": "apart", "between": ["mover"], "and": ["post"], "required_mm": 30.0, "tight_below_mm": 40.0 },
            { "id": "f", "name": "far", "between": ["mover"], "and": ["far"], "required_mm": 20.0, "tight_below_mm": 20.0 }],
        "programs": [{ "id": "p", "name": "P", "robot": "slide", "tcp": "tcp", "targets": [target],
            "moves": moves }],
        "run_plan": { "lanes": [{ "programs": ["p"] }] } });
    let mut files = PackageFiles::default();
    files
        .insert("slide.urdf", SLIDE.as_bytes().to_vec())
        .unwrap();
    let document = document_from_slice(cell.to_string().as_bytes()).expect("a sound document");
    let workcell = Workcell::from_document(document, &files).expect("a sound cell");
    let path = workcell.path().expect("it runs");
    Passing {
        files,
        workcell,
        path,
        known: Known::default(),
    }
}

pub(super) fn item(id: &str) -> Subject {
    Subject::Items(vec![id.to_owned()])
}

pub(super) fn target(id: &str) -> Subject {
    Subject::Target(TargetNamed {
        program: "p".to_owned(),
        target: id.to_owned(),
    })
}

impl Passing {
    pub fn posed(&self) -> Posed<'_> {
        Posed::new(&self.workcell, &self.moment())
    }

    pub fn moment(&self) -> Moment {
        self.path.moment(&self.workcell.assembly, 0.0)
    }

    fn shifted(
        &self,
        subject: &Subject,
        mm: Vector,
    ) -> Result<(Workcell, Result<Path, ProgramError>), FormatError> {
        let by = PoseDocument {
            xyz_mm: mm.into(),
            rpy_deg: [0.0; 3],
        };
        let frame = FrameChoice::World;
        let how = Arrange::Shift {
            frame,
            by,
            about_mm: None,
        };
        let mut document = self.workcell.document.clone();
        edit_of(&self.posed(), subject, &how)?.apply(&mut document)?;
        let workcell = Workcell::built_on(&[&self.workcell], document, &self.files)?;
        let path = workcell.path();
        Ok((workcell, path))
    }

    pub fn smallest(
        &self,
        subject: &Subject,
        axes: &[usize],
        most_mm: f64,
    ) -> Result<ShiftFound, FormatError> {
        let wanted = ShiftWanted {
            subject: subject.clone(),
            frame: FrameChoice::World,
            axes: axes.to_vec(),
            most_mm,
        };
        smallest_shift(&self.posed(), &wanted, |shift| {
            let (workcell, path) = self.shifted(subject, shift * 1e3)?;
            let fault = path.as_ref().err().map(ToString::to_string);
            let path = path.as_ref().unwrap_or(&self.path);
            let same_path = *path == self.path;
            let of = self.tentative(&workcell, path);
            Shifted::of(of, subject, (same_path, fault), &Progress::default())
        })
    }

    pub fn tried(&self, subject: &Subject, mm: [f64; 3]) -> Tried {
        let (workcell, path) = self.shifted(subject, mm.into()).unwrap();
        self.told(&workcell, &path.expect("it runs"), subject)
    }

    fn tentative<'a>(&'a self, workcell: &'a Workcell, path: &'a Path) -> Tentative<'a> {
        Tentative {
            workcell,
            path,
            known: &self.known,
        }
    }

    /// What a changed cell comes to for an item.
    fn told(&self, workcell: &Workcell, path: &Path, subject: &Subject) -> Tried {
        let tentative = self.tentative(workcell, path);
        let assembly = &workcell.assembly;
        let pairs: Vec<Pair> = workcell.rules.scope(assembly, path).pairs;
        let before = self.moment().poses(&self.workcell.assembly);
        let asked = Asked {
            subject,
            time: tentative.instant(subject, &self.path, 0.0).unwrap(),
            pairs: &pairs,
            before: &before,
        };
        let told = tentative.told(asked, &Progress::default()).unwrap();
        told.expect("nobody stops it")
    }
}

/// Nowhere may the middles be nearer than 100 + 50 + 30 mm.
#[rstest]
#[case::aside(170.0, &[1], 500.0, Some([0.0, 10.0, 0.0]))]
#[case::the_other_way(-170.0, &[1], 500.0, Some([0.0, -10.0, 0.0]))]
#[case::right_in_the_way(30.0, &[1], 500.0, Some([0.0, 150.0, 0.0]))]
#[case::upwards(170.0, &[2], 500.0, Some([0.0, 0.0, (180.0f64 * 180.0 - 170.0 * 170.0).sqrt()]))]
#[case::past_an_end(170.0, &[0], 600.0, Some([500.0 + (180.0f64 * 180.0 - 170.0 * 170.0).sqrt(), 0.0, 0.0]))]
#[case::in_a_plane(170.0, &[0, 1], 500.0, Some([0.0, 10.0, 0.0]))]
#[case::too_far(170.0, &[0], 500.0, None)]
#[case::where_it_is(185.0, &[0], 500.0, Some([0.0; 3]))]
fn the_smallest_shift_is_what_geometry_says(
    #[case] aside: f64,
    #[case] axes: &[usize],
    #[case] most_mm: f64,
    #[case] expected: Option<[f64; 3]>,
) {
    let found = passing(aside)
        .smallest(&item("post"), axes, most_mm)
        .unwrap();
    let (Some(by), Some(expected)) = (found.by_mm, expected) else {
        assert_eq!((found.by_mm, found.smallest), (expected, false));
        assert!(found.said.contains("Mover – Post"), "{}", found.said);
        return;
    };
    assert!(found.smallest, "{found:?}");
    let (by, expected) = (Vector::from(by), Vector::from(expected));
    // Either way along X is as long.
    assert!((by.abs() - expected.abs()).norm() < 0.2, "{found:?}");
    let short = expected.norm() - found.length_mm;
    assert!((-0.21..=0.0).contains(&short), "{found:?}");
    assert!(found.sweeps < 150, "{found:?}");
}

#[test]
fn where_the_programs_move_along_nothing_is_said_to_be_the_smallest() {
    let cell = passing_at([30.0, 178.0], Some("plate"));
    let found = cell.smallest(&item("plate"), &[0], 100.0).unwrap();
    // Back behind where the ball begins, in whole millimetres.
    let exact = 30.0 + (180.0f64 * 180.0 - 178.0 * 178.0).sqrt();
    assert!(!found.smallest, "{found:?}");
    let by = -found.by_mm.unwrap()[0];
    assert!((exact..exact + 1.5).contains(&by), "{found:?}");
}

/// The other ball lies right at the end of the way: 70 mm are lacking where it is, and a shift of 40 along X with everything leaves
/// that as it is. What a target on the plate makes of longer ones is not known before they are tried.
#[test]
fn where_the_programs_move_along_no_shift_is_ruled_out_unseen() {
    let cell = passing_at([30.0, 110.0], Some("plate"));
    let found = cell.smallest(&item("plate"), &[0], 40.0).unwrap();
    assert_eq!(found.by_mm, None);
    assert!(found.sweeps > 70, "{found:?}");
    assert!(
        found.said.contains("None was found up to 40 mm"),
        "{}",
        found.said
    );
}

/// What is taken stays behind by as much as what takes it is shifted: how it moves then is another matter.
#[rstest]
#[case::alone(json!([]), true)]
#[case::with_something(json!([{ "move": "take", "item": "far" }]), false)]
fn where_something_is_carried_nothing_is_said_to_be_the_smallest(
    #[case] mut moves: Value,
    #[case] smallest: bool,
) {
    let there = json!({ "move": "joint", "joints_deg_or_mm": [1000.0], "speed_percent": 50.0 });
    moves.as_array_mut().unwrap().push(there);
    let cell = passing_by([500.0, 170.0], None, moves);
    let found = cell.smallest(&item("slide"), &[2], 100.0).unwrap();
    let exact = (180.0f64 * 180.0 - 170.0 * 170.0).sqrt();
    let by = found.by_mm.expect("up or down")[2].abs();
    assert!((exact..exact + 1.1).contains(&by), "{found:?}");
    assert_eq!(found.smallest, smallest, "{found:?}");
}

/// A new group is a frame more than before.
#[test]
fn what_adds_a_frame_is_tried_too() {
    let cell = passing(170.0);
    let mut document = cell.workcell.document.clone();
    let how = Arrange::Group {
        name: "Both".to_owned(),
    };
    let edit = edit_of(&cell.posed(), &item("post"), &how).unwrap();
    edit.apply(&mut document).unwrap();
    let workcell = Workcell::built_on(&[&cell.workcell], document, &cell.files).unwrap();
    let path = workcell.path().unwrap();
    assert!(workcell.assembly.nodes().len() > cell.workcell.assembly.nodes().len());
    let tried = cell.told(&workcell, &path, &item("post"));
    assert!((tried.pairs[0].attained_mm - 20.0).abs() < 0.15 && tried.now.is_empty());
}

#[rstest]
#[case(&[], 100.0, "one axis")]
#[case(&[0, 0], 100.0, "one axis")]
#[case(&[3], 100.0, "axes 0, 1 and 2")]
#[case(&[0], f64::NAN, "at most")]
#[case(&[0], 1e9, "at most")]
fn what_can_t_be_meant_is_refused(#[case] axes: &[usize], #[case] most: f64, #[case] said: &str) {
    let refused = passing(170.0)
        .smallest(&item("post"), axes, most)
        .unwrap_err();
    assert!(refused.to_string().contains(said), "{refused}");
}

#[test]
fn what_no_rule_measures_has_no_smallest_shift() {
    let found = passing(170.0).smallest(&item("tcp"), &[0], 100.0).unwrap();
    assert_eq!(found.by_mm, None);
    assert!(found.said.contains("No rule"), "{}", found.said);
}

#[test]
fn what_is_tried_is_told_of_what_was_moved_over_the_whole_path() {
    let cell = passing(170.0);
    let tried = cell.tried(&item("post"), [0.0, -5.0, 0.0]);
    // The other pair is broken all the same: 130 − 100 − 20 = 10 of 20 mm.
    assert_eq!((tried.verdict, tried.broken), (Verdict::Broken, 2));
    let [pair] = &tried.pairs[..] else {
        panic!("{:?}", tried.pairs)
    };
    assert!((pair.attained_mm - 15.0).abs() < 0.15, "{pair:?}");
    assert!((pair.time_s - cell.path.duration() / 2.0).abs() < 0.05);
    let [now] = &tried.now[..] else {
        panic!("{:?}", tried.now)
    };
    let exact = 500.0f64.hypot(165.0) - 150.0;
    assert!((now.distance_mm - exact).abs() < 1e-6, "{now:?}");
    let kept = cell.tried(&item("plate"), [0.0, 25.0, 0.0]);
    assert_eq!(kept.broken, 1);
    assert_eq!(kept.pairs[0].verdict, Verdict::Meets);
}

/// The ball comes nearest in the middle: before and after, the ends of the part are nearest.
#[rstest]
#[case(0.0, 0.48)]
#[case(0.2, 0.45)]
#[case(0.53, 1.0)]
#[case(0.4, 0.6)]
#[case(0.499, 0.501)]
fn a_part_of_the_path_is_swept_alone(#[case] from: f64, #[case] to: f64) {
    let cell = passing(170.0);
    let end = cell.path.duration();
    let during = (from * end, to * end);
    let of = cell.tentative(&cell.workcell, &cell.path);
    let progress = Progress::default();
    let found = swept_part(of, during, &progress).unwrap().unwrap();
    assert_eq!(
        (found.from_s, found.to_s, found.count),
        (during.0, during.1, 2)
    );
    let apart = |time: f64, aside: f64, radii: f64| {
        (cell.path.at(time)[0] * 1e3 - 500.0).hypot(aside) - radii
    };
    let nearest = |aside, radii| {
        let middle = (during.0..=during.1)
            .contains(&(end / 2.0))
            .then_some(end / 2.0);
        let times = [during.0, during.1].into_iter().chain(middle);
        times
            .map(|t| apart(t, aside, radii))
            .fold(f64::INFINITY, f64::min)
    };
    let mut broken = 0;
    for pair in &found.pairs {
        let exact = match pair.rule.as_str() {
            "apart" => nearest(170.0, 150.0),
            _ => nearest(130.0, 120.0),
        };
        assert!(
            pair.lower_mm <= exact + 1e-6 && exact <= pair.attained_mm + 1e-6,
            "{exact} {pair:?}"
        );
        let close = pair.attained_mm - pair.lower_mm <= 0.101;
        assert!(close || pair.lower_mm > pair.tight_below_mm, "{pair:?}");
        assert!((during.0 - 1e-9..=during.1 + 1e-9).contains(&pair.time_s));
        for interval in &pair.broken {
            assert!(interval.start_s[0] >= during.0 - 1e-9 && interval.end_s[1] <= during.1 + 1e-9);
        }
        broken += usize::from(exact < pair.required_mm);
    }
    assert_eq!(found.broken, broken);
}

#[rstest]
#[case(1.0, 1.0)]
#[case(2.0, 1.0)]
#[case(f64::NAN, 1.0)]
#[case(0.0, f64::NAN)]
#[case(50.0, 60.0)]
fn a_part_that_is_none_is_refused(#[case] from: f64, #[case] to: f64) {
    let cell = passing(170.0);
    let of = cell.tentative(&cell.workcell, &cell.path);
    let refused = swept_part(of, (from, to), &Progress::default());
    assert!(refused.unwrap_err().to_string().contains("no time"));
}

#[test]
fn a_part_that_was_stopped_tells_nothing_and_one_far_off_holds() {
    let cell = passing(170.0);
    let of = cell.tentative(&cell.workcell, &cell.path);
    let stopped = Progress::default();
    stopped.stop();
    assert_eq!(swept_part(of, (0.0, 1.0), &stopped).unwrap(), None);
    let early = swept_part(of, (0.0, 0.05), &Progress::default()).unwrap();
    assert_eq!(early.unwrap().verdict, Verdict::Meets);
}

/// What is not measured does not meet: while both pairs may touch nothing is.
#[rstest]
#[case(&["post"], 1, Verdict::Broken)]
#[case(&["post", "far"], 0, Verdict::NotCertified)]
fn a_part_in_which_nothing_is_measured_is_not_certified(
    #[case] may_touch: &[&str],
    #[case] count: usize,
    #[case] verdict: Verdict,
) {
    let cell = passing(170.0);
    let mut document = serde_json::to_value(&cell.workcell.document).unwrap();
    let allowed = |with: &&str| json!({ "a": "mover", "b": with, "reason": "so", "during": [{ "program": "p", "from_move": 1, "to_move": 1 }] });
    document["may_touch"] = may_touch.iter().map(allowed).collect();
    // After the move it waits, and all is measured.
    document["programs"][0]["moves"]
        .as_array_mut()
        .unwrap()
        .push(json!({ "move": "wait", "seconds": 1.0 }));
    let document = document_from_slice(document.to_string().as_bytes()).unwrap();
    let workcell = Workcell::built_on(&[&cell.workcell], document, &cell.files).unwrap();
    let path = workcell.path().unwrap();
    let of = cell.tentative(&workcell, &path);
    let end = path.duration();
    let moving = swept_part(of, (0.1, end - 1.1), &Progress::default())
        .unwrap()
        .unwrap();
    assert_eq!((moving.count, moving.verdict), (count, verdict));
    let waiting = swept_part(of, (end - 0.5, end), &Progress::default())
        .unwrap()
        .unwrap();
    assert_eq!((waiting.count, waiting.verdict), (2, Verdict::Meets));
}
