//! The smallest shift after which something keeps all its rules over the whole path.
//!
//! A shift by s moves every point of what is shifted by s at every instant, as long as the programmed motion stays what it is and
//! nothing that is taken hangs on it at times. So where a pair comes as near as d and D is required, no shift that is less
//! than D − d longer helps, half of that where both bodies are shifted: the search goes on from there. What it comes to first is
//! the smallest along the directions tried, within [`SHORTEST_MM`]; it is certified like any sweep. Elsewhere nothing is known of
//! what lies between two shifts, and that is said.
//!
//! A target can mend only the moves to and from it: in them all that its robot moves has to keep its rules; in all others
//! nothing may break a rule that did not before.

use std::collections::HashSet;

use selvik_core::clearance::{PairResult, Progress, Verdict};
use selvik_core::robot::BodyId;
use selvik_core::spatial::Vector;
use selvik_formats::{FormatError, Result};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use super::{Moved, Tentative};
use crate::Workcell;
use crate::arranging::{FrameChoice, Posed, Subject};
use crate::report::side;

/// Shifts are told apart by no less than this, and are whole multiples of it, mm.
pub const SHORTEST_MM: f64 = 0.1;
/// The shortest step where more than the shift moves, so that nothing is known of the steps between, mm.
const BLIND_MM: f64 = 1.0;
/// The step where a target can't be reached, mm.
const UNREACHED_MM: f64 = 10.0;
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
    /// What.
    #[serde(flatten)]
    pub subject: Subject,
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

/// What the cell comes to after one shift.
#[derive(Debug, Clone, PartialEq)]
pub struct Shifted {
    /// Whether a rule measures what is shifted.
    measured: bool,
    /// Whether nothing moves by more than the shift.
    rigid: bool,
    /// What is not kept.
    lacking: Vec<Lacking>,
}

/// A pair that does not keep its rule, or programs that can't be run.
#[derive(Debug, Clone, PartialEq)]
struct Lacking {
    between: Option<[BodyId; 2]>,
    /// Whether it is one of what is shifted.
    own: bool,
    /// No shift that is less longer helps, m.
    short: f64,
    said: String,
}

impl Shifted {
    /// What `of`, in which `subject` was shifted, comes to; `None` when it was stopped. `same_path` says whether the programmed
    /// motion is what it was, `fault` why the programs can't be run, if they can't.
    ///
    /// # Errors
    /// [`FormatError`] for what is not there.
    pub fn of(
        of: Tentative,
        subject: &Subject,
        (same_path, fault): (bool, Option<String>),
        progress: &Progress,
    ) -> Result<Option<Self>> {
        if let Some(said) = fault {
            return Ok(Some(Self {
                measured: true,
                rigid: false,
                lacking: vec![Lacking {
                    between: None,
                    own: true,
                    short: 0.0,
                    said,
                }],
            }));
        }
        let moved = Moved::of(of.workcell, of.path, subject)?;
        let holds = |p: &PairResult| moved.holds(&p.pair);
        let Some(swept) = of.swept_with(subject, progress)? else {
            return Ok(None);
        };
        let whole = &swept.whole.pairs;
        let measured = whole.iter().any(|p| holds(p) > 0);
        let Subject::Target(_) = subject else {
            return Ok(Some(Self {
                measured,
                rigid: same_path && !moved.carries(of.path),
                lacking: unkept(of.workcell, whole, holds),
            }));
        };
        let Some(used) = swept.during else {
            return Err(FormatError::said(
                "no program that is run goes to that target",
            ));
        };
        // While a pair of its own breaks its rule in the moves to and from the target, nothing else is asked. But from the
        // outset, when the path is what it was, it has to be known what breaks a rule elsewhere.
        let mut lacking = unkept(of.workcell, &swept.own, holds);
        if same_path {
            let others = whole.iter().filter(|p| holds(p) == 0);
            lacking.extend(unkept(of.workcell, others, |_| 0));
            let rest = [(0.0, used.0), (used.1, of.path.duration())];
            for during in rest.into_iter().filter(|(from, to)| from < to) {
                let Some(rest) = of.swept_during(during, progress) else {
                    return Ok(None);
                };
                lacking.extend(unkept(of.workcell, &rest.pairs, |_| 0));
            }
        } else if lacking.is_empty() {
            lacking = unkept(of.workcell, whole, |_| 0);
        }
        Ok(Some(Self {
            measured,
            rigid: false,
            lacking,
        }))
    }

    /// What is most in the way, but for pairs of others that did not keep their rule from the outset.
    fn in_the_way(&self, outset: &HashSet<[BodyId; 2]>) -> Option<&Lacking> {
        let counts = |l: &&Lacking| l.own || l.between.is_none_or(|b| !outset.contains(&b));
        let counting = self.lacking.iter().filter(counts);
        counting.max_by(|x, y| x.short.total_cmp(&y.short))
    }
}

/// The pairs that don't keep their rule; `shifted` says how many bodies of one are shifted.
fn unkept<'a>(
    workcell: &Workcell,
    pairs: impl IntoIterator<Item = &'a PairResult>,
    shifted: impl Fn(&PairResult) -> usize,
) -> Vec<Lacking> {
    let kept = |p: &&PairResult| matches!(p.verdict, Verdict::Tight | Verdict::Meets);
    let lacking = |result: &PairResult| {
        let required = workcell.rules.rules[result.pair.rule].requirement;
        let short = (required.required() - result.clearance.attained()).max(0.0);
        let shifted = shifted(result);
        let between = [result.pair.a, result.pair.b];
        let [a, b] = between.map(|id| side(workcell, id).name);
        Lacking {
            between: Some(between),
            own: shifted > 0,
            short: short / shifted.max(1) as f64,
            said: format!("{a} – {b}"),
        }
    };
    let unkept = pairs.into_iter().filter(|p| !kept(p));
    unkept.map(lacking).collect()
}

impl ShiftWanted {
    /// So much farther is looked where more than the shift moves, so that nothing is known of the steps between, mm. What a robot
    /// moves goes about as far as the target: half of what is lacking is no step too far, as a rule.
    fn blind_mm(&self, way: &Lacking) -> f64 {
        match self.subject {
            Subject::Items(_) => BLIND_MM,
            Subject::Target(_) if way.between.is_none() => UNREACHED_MM,
            Subject::Target(_) => (way.short * 500.0).round().max(BLIND_MM),
        }
    }

    fn kept(&self) -> &'static str {
        match self.subject {
            Subject::Items(_) => "It keeps all its rules where it stands.",
            Subject::Target(_) => "The moves to and from it keep their rules as they are.",
        }
    }

    fn directions(&self, posed: &Posed) -> Result<Vec<Vector>> {
        if !(self.most_mm > 0.0 && self.most_mm <= LONGEST_MM) {
            return Err(FormatError::said(format!(
                "a shift is at most {LONGEST_MM} mm long"
            )));
        }
        let axes = posed.axes_of(&self.subject, &self.frame)?;
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

/// Looks for the smallest shift, `shifted` saying what each one (m, in the world) comes to.
///
/// # Errors
/// [`FormatError`] for what is not there or can't be meant, and whatever `shifted` refuses.
pub fn smallest_shift(
    posed: &Posed,
    wanted: &ShiftWanted,
    mut shifted: impl FnMut(Vector) -> Result<Option<Shifted>>,
) -> Result<ShiftFound> {
    let directions = wanted.directions(posed)?;
    let mut sweeps = 0;
    let mut shift = |mm: Vector| {
        sweeps += 1;
        Ok::<_, FormatError>((shifted(mm * 1e-3)?, sweeps))
    };
    let none = |sweeps, said: &str| ShiftFound {
        by_mm: None,
        length_mm: 0.0,
        smallest: false,
        sweeps,
        said: said.to_owned(),
    };
    // Whether more than the shift moves is seen by the shortest there is.
    let (Some(start), _) = shift(Vector::zeros())? else {
        return Ok(none(1, STOPPED));
    };
    let (Some(shortest), _) = shift(directions[0] * SHORTEST_MM)? else {
        return Ok(none(2, STOPPED));
    };
    if !start.measured {
        return Ok(none(2, "No rule measures what is to be shifted."));
    }
    let others = start.lacking.iter().filter(|l| !l.own);
    let outset: HashSet<[BodyId; 2]> = others.filter_map(|l| l.between).collect();
    let Some(way) = start.in_the_way(&outset) else {
        return Ok(ShiftFound {
            by_mm: Some([0.0; 3]),
            smallest: true,
            ..none(2, wanted.kept())
        });
    };
    let mut last = way.said.clone();
    let mut proven = shortest.rigid;
    let further = |length: f64, proven: bool, way: &Lacking| {
        next(
            length,
            if proven {
                way.short * 1e3
            } else {
                wanted.blind_mm(way)
            },
        )
    };
    let first = further(0.0, proven, way);
    let begin = |&direction: &Vector| Try {
        length: first,
        direction,
        failed: 0.0,
    };
    let mut open: Vec<Try> = directions.iter().map(begin).collect();
    while let Some(at) = nearest(&open) {
        let Try {
            length,
            direction,
            failed,
        } = open.swap_remove(at);
        if length > wanted.most_mm {
            break;
        }
        let (found, sweeps) = shift(direction * length)?;
        let Some(found) = found else {
            return Ok(none(sweeps, STOPPED));
        };
        proven &= found.rigid;
        let Some(way) = found.in_the_way(&outset) else {
            // Between the last that did not help and this one a shorter one may do.
            let (mut failed, mut length, mut sweeps) = (failed, length, sweeps);
            while !proven && length - failed > BLIND_MM * 1.5 {
                let middle = tidy(f64::midpoint(failed, length).round());
                let (found, all) = shift(direction * middle)?;
                let Some(found) = found else { break };
                sweeps = all;
                match found.in_the_way(&outset) {
                    None => length = middle,
                    Some(_) => failed = middle,
                }
            }
            return Ok(ShiftFound {
                by_mm: Some((direction * length).map(tidy).into()),
                length_mm: length,
                smallest: proven,
                ..none(sweeps, "")
            });
        };
        last.clone_from(&way.said);
        if sweeps >= MOST {
            let said = format!("Nothing was found in {MOST} sweeps; {last} is in the way.");
            return Ok(none(sweeps, &said));
        }
        open.push(Try {
            length: further(length, proven, way),
            direction,
            failed: length,
        });
    }
    let most = wanted.most_mm;
    let said = match wanted.subject {
        _ if proven => format!("No shift up to {most} mm helps; {last} is in the way."),
        Subject::Items(_) => format!(
            "None was found up to {most} mm in steps of a millimetre; {last} is in the way."
        ),
        Subject::Target(_) => format!("None was found up to {most} mm; {last} is in the way."),
    };
    Ok(none(sweeps, &said))
}

/// A shift to be tried, and the longest that was, that way, and did not help, mm.
struct Try {
    length: f64,
    direction: Vector,
    failed: f64,
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

fn nearest(open: &[Try]) -> Option<usize> {
    let lengths = open.iter().enumerate();
    lengths
        .min_by(|x, y| x.1.length.total_cmp(&y.1.length))
        .map(|(at, _)| at)
}
