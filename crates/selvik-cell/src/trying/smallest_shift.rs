//! The smallest shift after which something keeps all its rules over the whole path.
//!
//! A shift by s changes no distance by more than s at any instant, as long as the programmed motion stays what it is. So where a
//! pair comes as near as d and D is required, no shift that is less than D − d longer helps: the search goes on from there.
//! What it comes to first is the smallest along the directions tried, within [`SHORTEST_MM`]; it is certified like any
//! sweep.

use selvik_core::clearance::{Progress, Verdict as CoreVerdict};
use selvik_core::spatial::Vector;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Tentative, family, is_of};
use crate::arranging::{FrameChoice, Posed};
use crate::report::side;

/// Shifts are told apart by no less than this, and are whole multiples of it, mm.
pub const SHORTEST_MM: f64 = 0.1;
/// So much farther is looked where the programs move along, so that nothing is known of the steps between, mm.
const BLIND_MM: f64 = 1.0;
/// No shift is longer, mm.
const LONGEST_MM: f64 = 2000.0;
/// So many sweeps at most.
const MOST: usize = 400;
const STOPPED: &str = "It was stopped.";
/// Directions in a plane.
const ROUND: usize = 16;

/// What is to be shifted, and which way it may go.
#[derive(Debug, Clone, PartialEq, Deserialize, ToSchema)]
pub struct ShiftWanted {
    /// Ids of items. What one of the others carries goes with that.
    pub items: Vec<String>,
    /// Whose axes are meant.
    pub frame: FrameChoice,
    /// Along which of them it may go, either way: one is a line, two are a plane, in which sixteen directions are tried.
    pub axes: Vec<usize>,
    /// How far at most.
    pub most_mm: f64,
}

/// The shift that was found, or why there is none.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
pub struct ShiftFound {
    /// By how much in the world; nothing where none was found.
    pub by_mm: Option<[f64; 3]>,
    /// How long it is.
    pub length_mm: f64,
    /// Whether no shorter one along the directions tried helps, within a tenth of a millimetre.
    pub smallest: bool,
    /// How many sweeps it took.
    pub sweeps: usize,
    /// What stands in the way of it, or of an answer, in a sentence.
    pub said: String,
}

/// The cell after one shift.
pub struct Stand<'a> {
    /// What it comes to.
    pub of: Tentative<'a>,
    /// Whether the programmed motion is what it was.
    pub same_path: bool,
    /// Why the programs can't be run then, if they can't.
    pub fault: Option<String>,
}

/// What one shift comes to for what is shifted.
#[derive(Debug, Clone, PartialEq)]
pub enum Step {
    /// It keeps all its rules.
    Keeps,
    /// It does not, and no shift less than so much longer (m) does.
    Lacks(f64, String),
    /// No rule measures it.
    Unmeasured,
    /// It was stopped.
    Stopped,
}

impl Stand<'_> {
    /// What the items come to.
    #[must_use]
    pub fn step(&self, items: &[String], progress: &Progress) -> Step {
        if let Some(fault) = &self.fault {
            return Step::Lacks(0.0, fault.clone());
        }
        let Some(swept) = self.of.swept(progress) else {
            return Step::Stopped;
        };
        let workcell = self.of.workcell;
        let family = family(workcell, items);
        let mut own = swept
            .pairs
            .iter()
            .filter(|p| is_of(workcell, &family, p))
            .peekable();
        if own.peek().is_none() {
            return Step::Unmeasured;
        }
        let mut lacks: Option<(f64, String)> = None;
        let kept = |verdict| matches!(verdict, CoreVerdict::Tight | CoreVerdict::Meets);
        for result in own.filter(|result| !kept(result.verdict)) {
            let required = workcell.rules.rules[result.pair.rule]
                .requirement
                .required();
            let short = (required - result.clearance.attained()).max(0.0);
            if lacks.as_ref().is_none_or(|(most, _)| short > *most) {
                let [a, b] = [result.pair.a, result.pair.b].map(|id| side(workcell, id).name);
                lacks = Some((short, format!("{a} – {b}")));
            }
        }
        match lacks {
            Some((short, pair)) if self.same_path => Step::Lacks(short, pair),
            Some((_, pair)) => Step::Lacks(0.0, pair),
            None => Step::Keeps,
        }
    }
}

impl ShiftWanted {
    fn directions(&self, posed: &Posed) -> Result<Vec<Vector>> {
        let first = self.items.first();
        let first = first.ok_or_else(|| FormatError::said("select what is to be shifted first"))?;
        if !(self.most_mm > 0.0 && self.most_mm <= LONGEST_MM) {
            return Err(FormatError::said(format!(
                "a shift is at most {LONGEST_MM} mm long"
            )));
        }
        let axes = posed.axes_of(first, &self.frame)?;
        let axis = |&i: &usize| {
            let axis = axes.get(i).copied();
            axis.ok_or_else(|| FormatError::said("a frame has axes 0, 1 and 2"))
        };
        match self.axes.iter().map(axis).collect::<Result<Vec<_>>>()?[..] {
            [axis] => Ok(vec![axis, -axis]),
            [x, y] if x != y => Ok((0..ROUND)
                .map(|i| std::f64::consts::TAU * i as f64 / ROUND as f64)
                .map(|angle| x * angle.cos() + y * angle.sin())
                .collect()),
            _ => Err(FormatError::said(
                "a shift goes along one axis, or in the plane of two",
            )),
        }
    }
}

/// Looks for the smallest shift, `step` saying what each one (m, in the world) comes to.
///
/// # Errors
/// [`FormatError`] for what is not there or can't be meant, and whatever `step` refuses.
pub fn smallest_shift(
    posed: &Posed,
    wanted: &ShiftWanted,
    mut step: impl FnMut(Vector) -> Result<(Step, bool)>,
) -> Result<ShiftFound> {
    let directions = wanted.directions(posed)?;
    let mut sweeps = 1;
    let none = |sweeps, said: String| ShiftFound {
        by_mm: None,
        length_mm: 0.0,
        smallest: false,
        sweeps,
        said,
    };
    let (start, mut last) = match step(Vector::zeros())?.0 {
        Step::Keeps => {
            let by_mm = Some([0.0; 3]);
            let said = "It keeps all its rules where it stands.".to_owned();
            return Ok(ShiftFound {
                by_mm,
                smallest: true,
                ..none(sweeps, said)
            });
        }
        Step::Lacks(short, pair) => (short * 1e3, pair),
        Step::Unmeasured => {
            let said = "No rule measures what is to be shifted.";
            return Ok(none(sweeps, said.to_owned()));
        }
        Step::Stopped => return Ok(none(sweeps, STOPPED.to_owned())),
    };
    // Whether the programs move along is seen by the shortest shift there is.
    sweeps += 1;
    let (_, mut proven) = step(directions[0] * (SHORTEST_MM * 1e-3))?;
    let least = |proven: bool, short: f64| if proven { short } else { BLIND_MM };
    let first = next(0.0, least(proven, start));
    let mut open: Vec<(f64, Vector)> = directions.iter().map(|d| (first, *d)).collect();
    while let Some(at) = nearest(&open) {
        let (length, direction) = open.swap_remove(at);
        if length > wanted.most_mm {
            break;
        }
        if sweeps >= MOST {
            let said = format!("Nothing was found in {MOST} sweeps; {last} is in the way.");
            return Ok(none(sweeps, said));
        }
        sweeps += 1;
        let (found, same_path) = step(direction * (length * 1e-3))?;
        proven &= same_path;
        match found {
            Step::Keeps => {
                return Ok(ShiftFound {
                    by_mm: Some((direction * length).map(tidy).into()),
                    length_mm: length,
                    smallest: proven,
                    sweeps,
                    said: String::new(),
                });
            }
            Step::Lacks(short, pair) => {
                open.push((next(length, least(proven, short * 1e3)), direction));
                last = pair;
            }
            Step::Unmeasured | Step::Stopped => return Ok(none(sweeps, STOPPED.to_owned())),
        }
    }
    let most = wanted.most_mm;
    let said = if proven {
        format!("No shift up to {most} mm helps; {last} is in the way.")
    } else {
        // The programs move along: what lies between two steps is not known.
        format!("None was found up to {most} mm in steps of a millimetre; {last} is in the way.")
    };
    Ok(none(sweeps, said))
}

/// The length to try after `length`, of which `short` is lacking at least, mm.
fn next(length: f64, short: f64) -> f64 {
    let steps = ((length + short) / SHORTEST_MM - 1e-6).ceil();
    tidy((steps * SHORTEST_MM).max(length + SHORTEST_MM))
}

/// Without the dust of floating point.
fn tidy(mm: f64) -> f64 {
    (mm * 1e6).round() / 1e6 + 0.0
}

fn nearest(open: &[(f64, Vector)]) -> Option<usize> {
    let lengths = open.iter().enumerate();
    lengths
        .min_by(|x, y| x.1.0.total_cmp(&y.1.0))
        .map(|(at, _)| at)
}
