//! Long lists of a program in runs that are stored by themselves: a change of one move writes only those round it.

use std::collections::HashMap;
use std::ops::Range;

use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::Value;

use super::Entry;
use crate::document::{MoveDocument, ProgramDocument, TargetDocument};

/// A list no longer than this stays with its program.
const TOGETHER: usize = 200;
/// A run has no more.
const LONGEST: usize = 256;
/// A run ends behind one of so many, told by what that says: what comes in or goes changes the runs round it alone.
const ONE_OF: u32 = 64;

/// The lists that are cut: as the document calls them, the kind of an entry that holds a run, and where a program says
/// which runs it is made of.
const TARGETS: (&str, &str, &str) = ("targets", "run of targets", "targets_in");
const MOVES: (&str, &str, &str) = ("moves", "run of moves", "moves_in");

/// Some of a list, one behind the other.
struct Run {
    /// Of what it says.
    hash: blake3::Hash,
    /// By the hash, and its number among those of the program that say the same.
    key: String,
    within: Range<usize>,
}

/// A program whose long lists are cut into runs.
pub(super) struct Cut<'a> {
    pub program: &'a ProgramDocument,
    targets: Vec<Run>,
    moves: Vec<Run>,
}

impl<'a> Cut<'a> {
    pub fn of(program: &'a ProgramDocument) -> Self {
        Self {
            program,
            targets: runs(&program.id, &program.targets, None),
            moves: runs(&program.id, &program.moves, None),
        }
    }

    /// The same as of `program` alone, with what it has in common with `other` taken from there.
    pub fn like(program: &'a ProgramDocument, other: &Cut) -> Self {
        let of = other.program;
        let targets = (of.targets.as_slice(), other.targets.as_slice());
        let moves = (of.moves.as_slice(), other.moves.as_slice());
        Self {
            program,
            targets: runs(&program.id, &program.targets, Some(targets)),
            moves: runs(&program.id, &program.moves, Some(moves)),
        }
    }

    pub fn keys(&self) -> impl Iterator<Item = &str> {
        let all = self.targets.iter().chain(&self.moves);
        all.map(|run| run.key.as_str())
    }

    /// The program, which stands at `position`, and those of its runs that are `wanted`.
    pub fn entries(&self, position: i32, wanted: impl Fn(&str) -> bool) -> Vec<Entry> {
        let program = self.program;
        let short = |list: &[Run]| list.is_empty();
        let slim = ProgramDocument {
            id: program.id.clone(),
            name: program.name.clone(),
            robot: program.robot.clone(),
            tcp: program.tcp.clone(),
            targets_csv: program.targets_csv.clone(),
            targets: if short(&self.targets) {
                program.targets.clone()
            } else {
                Vec::new()
            },
            moves: if short(&self.moves) {
                program.moves.clone()
            } else {
                Vec::new()
            },
        };
        let mut body = value(&slim);
        let mut entries = Vec::new();
        let mut take =
            |runs: &[Run], (_, kind, told_in): (&str, &str, &str), said: &dyn Fn(&Run) -> Value| {
                if runs.is_empty() {
                    return;
                }
                body[told_in] = runs.iter().map(|run| run.key.as_str()).collect();
                entries.extend(runs.iter().filter(|run| wanted(&run.key)).map(|run| Entry {
                    kind: kind.to_owned(),
                    key: run.key.clone(),
                    position: 0,
                    body: said(run),
                }));
            };
        take(&self.targets, TARGETS, &|run| {
            value(&program.targets[run.within.clone()])
        });
        take(&self.moves, MOVES, &|run| {
            value(&program.moves[run.within.clone()])
        });
        entries.push(Entry {
            kind: "program".to_owned(),
            key: program.id.clone(),
            position,
            body,
        });
        entries
    }
}

fn value<T: Serialize + ?Sized>(of: &T) -> Value {
    serde_json::to_value(of).expect("plain data")
}

/// The runs of `list`, of the program `of`. What `list` begins and ends with as another list does is cut as that is.
fn runs<T: Serialize + PartialEq>(of: &str, list: &[T], other: Option<(&[T], &[Run])>) -> Vec<Run> {
    if list.len() <= TOGETHER {
        return Vec::new();
    }
    let (other, known) = other.unwrap_or((&[], &[]));
    let alike = |(a, b): &(&T, &T)| a == b;
    let ahead = list.iter().zip(other).take_while(alike).count();
    let mut cut: Vec<(blake3::Hash, Range<usize>)> = known
        .iter()
        .take_while(|run| run.within.end <= ahead && run.within.end < other.len())
        .map(|run| (run.hash, run.within.clone()))
        .collect();
    let rest = |list: &[T]| list.len() - ahead;
    let behind = list.iter().rev().zip(other.iter().rev());
    let behind = behind
        .take(rest(list).min(rest(other)))
        .take_while(alike)
        .count();
    let first = cut.last().map_or(0, |(_, within)| within.end);
    let mut start = first;
    let (mut text, mut whole) = (Vec::new(), blake3::Hasher::new());
    for at in first..list.len() {
        text.clear();
        serde_json::to_writer(&mut text, &list[at]).expect("plain data");
        whole.update(&text);
        let next = at + 1;
        let ends = crc32fast::hash(&text).is_multiple_of(ONE_OF);
        if ends || next - start == LONGEST || next == list.len() {
            cut.push((whole.finalize(), start..next));
            start = next;
            whole.reset();
            // From here on both go on alike, if the other is cut here, too.
            let left = list.len() - next;
            let there = other.len().checked_sub(left).filter(|_| left <= behind);
            let goes_on =
                there.and_then(|there| known.iter().position(|run| run.within.start == there));
            if let Some(first) = goes_on {
                let shifted = |at: usize| at + list.len() - other.len();
                cut.extend(
                    known[first..]
                        .iter()
                        .map(|run| (run.hash, shifted(run.within.start)..shifted(run.within.end))),
                );
                break;
            }
        }
    }
    let mut seen: HashMap<blake3::Hash, usize> = HashMap::new();
    let named = cut.into_iter().map(|(hash, within)| {
        let nth = seen.entry(hash).or_default();
        *nth += 1;
        let key = format!("{of}/{}/{nth}", &hash.to_hex()[..32]);
        Run { hash, key, within }
    });
    named.collect()
}

/// Runs by their keys, of which programs are put together again.
#[derive(Default)]
pub(super) struct Runs {
    targets: HashMap<String, Vec<TargetDocument>>,
    moves: HashMap<String, Vec<MoveDocument>>,
}

impl Runs {
    /// Whether entries of this kind are runs.
    pub fn are(kind: &str) -> bool {
        [TARGETS.1, MOVES.1].contains(&kind)
    }

    /// Takes up an entry that is a run.
    pub fn add(&mut self, kind: &str, key: String, body: Value) -> serde_json::Result<()> {
        if kind == MOVES.1 {
            self.moves.insert(key, serde_json::from_value(body)?);
        } else {
            self.targets.insert(key, serde_json::from_value(body)?);
        }
        Ok(())
    }

    /// Takes up the runs of a program.
    pub fn add_all(&mut self, cut: &Cut) {
        let Cut {
            program,
            targets,
            moves,
        } = cut;
        for run in targets {
            self.targets.insert(
                run.key.clone(),
                program.targets[run.within.clone()].to_vec(),
            );
        }
        for run in moves {
            self.moves
                .insert(run.key.clone(), program.moves[run.within.clone()].to_vec());
        }
    }

    /// The program that an entry's `body` says.
    pub fn program(&mut self, mut body: Value) -> serde_json::Result<ProgramDocument> {
        let targets = listed(&mut body, TARGETS, &mut self.targets)?;
        let moves = listed(&mut body, MOVES, &mut self.moves)?;
        let mut program: ProgramDocument = serde_json::from_value(body)?;
        program.targets.extend(targets);
        program.moves.extend(moves);
        Ok(program)
    }
}

/// What stands in the runs that `body` lists.
fn listed<T: DeserializeOwned>(
    body: &mut Value,
    (_, kind, told_in): (&str, &str, &str),
    runs: &mut HashMap<String, Vec<T>>,
) -> serde_json::Result<Vec<T>> {
    let told = body
        .as_object_mut()
        .and_then(|program| program.remove(told_in));
    let keys: Vec<String> = told.map_or(Ok(Vec::new()), serde_json::from_value)?;
    let mut all = Vec::new();
    for key in keys {
        let missing = || serde::de::Error::custom(format!("a {kind} is missing: {key}"));
        all.extend(runs.remove(&key).ok_or_else(missing)?);
    }
    Ok(all)
}
