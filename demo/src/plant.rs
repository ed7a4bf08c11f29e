//! Plants the faults: slides an item until the core measures what is wanted.

use std::sync::Arc;

use selvik_cell::Workcell;
use selvik_cell::document::CellDocument;
use selvik_core::cell::ItemId;
use selvik_core::clearance::{Limit, distance};
use selvik_core::mesh::Surface;
use selvik_core::program::Path;
use selvik_core::reach::LongestReach;
use selvik_core::robot::NodeId;
use selvik_core::spatial::{Pose, Vector};
use selvik_formats::PackageFiles;

/// The nozzle bracket passes a clamp at this distance, m, where 10 mm are required.
pub const CLAMP_GAP: f64 = 0.0042;
/// The wrist passes the mast at this distance, m, where 80 mm are required.
pub const MAST_GAP: f64 = 0.062;
/// The hose bracket touches the rib for so long, s.
pub const TOUCH: f64 = 0.040;
/// What the far target leaves of the reach, share.
pub const SPARE: f64 = 0.014;

/// Plants all four.
pub fn faults(document: &mut CellDocument, files: &PackageFiles) {
    stretch_far_target(document, files);
    let stage = Stage::new(document, files);
    stage.slide(
        document,
        ("nozzle-bracket", None),
        "clamp-a2",
        Vector::new(0.906, -0.423, 0.0),
        CLAMP_GAP,
    );
    stage.slide(
        document,
        ("r1", Some("wrist_roll")),
        "camera-mast",
        Vector::new(0.3, 1.0, 0.0),
        MAST_GAP,
    );
    let touch = stage.graze(document, "hose-bracket", "rib-a");
    // So that samples every 50 ms fall before and after, not into it.
    let phase = (touch - 0.005).rem_euclid(0.05);
    document.run_plan.lanes[0].start_s += 0.05 - phase;
}

/// Moves the target FAR outwards until the arm has only [`SPARE`] left there.
fn stretch_far_target(document: &mut CellDocument, files: &PackageFiles) {
    let workcell = Workcell::from_document(document.clone(), files).expect("the demo is readable");
    let arm = workcell.arm_of(0, 0).expect("R1 runs programs");
    let seal = document
        .programs
        .iter_mut()
        .find(|p| p.id == "seal")
        .expect("it is there");
    let far = seal
        .targets
        .iter_mut()
        .find(|t| t.id == "FAR")
        .expect("it is there");
    let start = far.pose.xyz_mm;
    let longest = LongestReach::of(&workcell.assembly, &arm);
    let spare = |pose: &Pose| {
        let solved = arm.solve(&workcell.assembly, pose, &workcell.rest).ok()?;
        let mut q = workcell.rest.clone();
        arm.joints()
            .iter()
            .zip(&solved[0].values)
            .for_each(|(&j, &v)| q[j] = v);
        Some(1.0 - longest.used(&workcell.assembly, &q, &q).most)
    };
    let (mut low, mut high) = (1.0, 1.3);
    for _ in 0..40 {
        let scale = f64::midpoint(low, high);
        far.pose.xyz_mm = [start[0] * scale, start[1] * scale, start[2]];
        match spare(&far.pose.to_pose()) {
            Some(left) if left > SPARE => low = scale,
            _ => high = scale,
        }
    }
}

/// The cell and its path, with which the rest is placed.
struct Stage {
    workcell: Workcell,
    path: Path,
}

impl Stage {
    fn new(document: &CellDocument, files: &PackageFiles) -> Self {
        let workcell =
            Workcell::from_document(document.clone(), files).expect("the demo is readable");
        let path = workcell
            .path()
            .unwrap_or_else(|e| panic!("the demo runs: {e}"));
        Self { workcell, path }
    }

    fn body(&self, item: &str, link: Option<&str>) -> (NodeId, Arc<Surface>) {
        let position = self
            .workcell
            .assembly
            .cell()
            .position(&ItemId(item.to_owned()))
            .expect("it is there");
        let node = match link {
            Some(link) => self
                .workcell
                .assembly
                .link_node(position, link)
                .expect("it is there"),
            None => self.workcell.assembly.item_node(position),
        };
        let body = self
            .workcell
            .assembly
            .bodies()
            .iter()
            .find(|b| b.item == position && b.node == node);
        (node, Arc::clone(&body.expect("it has geometry").surface))
    }

    /// The distance of `mover` and `fixed` (moved by `shift` in the world) at `time`, if less than
    /// `enough`.
    fn gap(
        &self,
        mover: &(NodeId, Arc<Surface>),
        fixed: &(NodeId, Arc<Surface>),
        shift: &Vector,
        time: f64,
        enough: f64,
    ) -> f64 {
        let q = self.path.at(time);
        let mut stands = self.workcell.assembly.pose_of(fixed.0, &q);
        stands.translation.vector += shift;
        let pose = self.workcell.assembly.pose_of(mover.0, &q).inv_mul(&stands);
        let found = distance(
            &mover.1,
            &fixed.1,
            &pose,
            Limit {
                enough,
                ..Limit::default()
            },
        );
        found.closest.map_or(f64::INFINITY, |c| c.distance)
    }

    /// How near the two come, and when. Where they came nearest before is looked at first: most other times are
    /// then told by a bound to be no nearer.
    fn nearest(
        &self,
        mover: &(NodeId, Arc<Surface>),
        fixed: &(NodeId, Arc<Surface>),
        shift: &Vector,
        before: f64,
    ) -> (f64, f64) {
        let gap = self.gap(mover, fixed, shift, before, f64::INFINITY);
        let mut best = (gap, before);
        let steps = (self.path.duration() / 0.01) as usize;
        for i in 0..=steps {
            let time = i as f64 * 0.01;
            let gap = self.gap(mover, fixed, shift, time, best.0);
            if gap < best.0 {
                best = (gap, time);
            }
        }
        let mut step = 0.01;
        while step > 1e-6 {
            for time in [best.1 - step, best.1 + step] {
                let gap = self.gap(mover, fixed, shift, time.max(0.0), best.0);
                if gap < best.0 {
                    best = (gap, time.max(0.0));
                }
            }
            step *= 0.6;
        }
        best
    }

    /// Slides `item` along `away` (in the world) until `mover` passes it at `wanted`.
    fn slide(
        &self,
        document: &mut CellDocument,
        mover: (&str, Option<&str>),
        item: &str,
        away: Vector,
        wanted: f64,
    ) {
        let (mover, fixed) = (self.body(mover.0, mover.1), self.body(item, None));
        let away = away.normalize();
        let (mut near, mut far) = (-0.045, 0.2);
        let mut time = 0.0;
        for _ in 0..26 {
            let by = f64::midpoint(near, far);
            let gap;
            (gap, time) = self.nearest(&mover, &fixed, &(away * by), time);
            if gap < wanted { near = by } else { far = by }
        }
        self.shift(document, item, &(away * far));
    }

    /// Slides `item` along Y of the world until `mover` grazes it for [`TOUCH`]; returns when.
    fn graze(&self, document: &mut CellDocument, mover: &str, item: &str) -> f64 {
        let (mover, fixed) = (self.body(mover, None), self.body(item, None));
        let away = Vector::new(0.0, 1.0, 0.0);
        let (mut near, mut far) = (-0.05, 0.1);
        let mut found = (0.0, 0.0);
        let mut time = 0.0;
        for _ in 0..40 {
            let by = f64::midpoint(near, far);
            let shift = away * by;
            let gap;
            (gap, time) = self.nearest(&mover, &fixed, &shift, time);
            let touches = |t: f64| self.gap(&mover, &fixed, &shift, t, 1e-3) <= 0.0;
            let end = |direction: f64| {
                let (mut inside, mut outside) = (0.0, 0.5);
                for _ in 0..30 {
                    let middle = f64::midpoint(inside, outside);
                    if touches(time + direction * middle) {
                        inside = middle
                    } else {
                        outside = middle
                    }
                }
                inside
            };
            let lasts = if gap > 0.0 { 0.0 } else { end(1.0) + end(-1.0) };
            if lasts > TOUCH {
                near = by;
            } else {
                far = by;
                if gap <= 0.0 {
                    found = (by, time - end(-1.0));
                }
            }
        }
        self.shift(document, item, &(away * found.0));
        found.1
    }

    /// Moves `item` by `shift` in the world.
    fn shift(&self, document: &mut CellDocument, item: &str, shift: &Vector) {
        let entry = document
            .items
            .iter_mut()
            .find(|i| i.id == item)
            .expect("it is there");
        let (node, _) = self.body(item, None);
        let stands = self.workcell.assembly.pose_of(node, &self.workcell.rest);
        let carrier = stands * entry.pose.to_pose().inverse();
        let by = carrier.rotation.inverse() * shift;
        (0..3).for_each(|i| entry.pose.xyz_mm[i] += by[i] * 1e3);
    }
}
