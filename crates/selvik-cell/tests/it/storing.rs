//! Documents in the parts that are stored: what two states differ in leads from one to the other and back.

use proptest::prelude::*;
use selvik_cell::document::{CellDocument, MoveDocument, PoseDocument, TargetDocument};
use selvik_cell::entries::{Change, changed, difference, from_entries, to_entries};

use crate::programmed::{cell, to_joint};

fn target(i: usize) -> TargetDocument {
    TargetDocument {
        id: format!("T{i}"),
        frame: None,
        pose: PoseDocument {
            xyz_mm: [i as f64, 0.5, 0.0],
            rpy_deg: [0.0; 3],
        },
    }
}

/// A cell whose program has so many moves and targets.
fn long(moves: usize, targets: usize) -> CellDocument {
    let mut document = cell();
    let program = &mut document.programs[0];
    program.moves = (0..moves).map(|i| to_joint(i as f64 / 100.0)).collect();
    program.targets = (0..targets).map(target).collect();
    document
}

fn leads_there_and_back(before: &CellDocument, after: &CellDocument) -> Vec<Change> {
    let changes = difference(before, after);
    assert_eq!(&changed(before, &changes).expect("a document"), after);
    let back: Vec<Change> = changes.iter().cloned().map(Change::reversed).collect();
    assert_eq!(&changed(after, &back).expect("a document"), before);
    for document in [before, after] {
        let again = from_entries(to_entries(document)).expect("a document");
        assert_eq!(&again, document);
    }
    changes
}

/// One move of ten thousand changes the list of runs and the run it stands in.
#[test]
fn a_change_of_one_move_writes_only_what_is_round_it() {
    let before = long(10_000, 3_000);
    for at in [0, 1, 199, 5_000, 9_999] {
        let mut after = before.clone();
        after.programs[0].moves[at] = to_joint(-7.0);
        let changes = leads_there_and_back(&before, &after);
        assert!(changes.len() <= 5, "at {at}: {}", changes.len());
        let mut after = before.clone();
        after.programs[0].moves.insert(at, to_joint(-7.0));
        let changes = leads_there_and_back(&before, &after);
        assert!(changes.len() <= 6, "at {at}: {}", changes.len());
        let written = serde_json::to_string(&changes).expect("plain data").len();
        assert!(written < 200_000, "at {at}: {written} bytes");
    }
    let mut after = before.clone();
    after.programs[0].targets[1_234].id = "elsewhere".to_owned();
    assert!(leads_there_and_back(&before, &after).len() <= 4);
}

/// Moves that say the same make runs that say the same: each is told apart by its number.
#[test]
fn a_thousand_moves_that_are_all_the_same_come_back() {
    let mut before = long(0, 0);
    before.programs[0].moves = vec![MoveDocument::Wait { seconds: 1.0 }; 1_000];
    let mut after = before.clone();
    after.programs[0].moves.truncate(700);
    leads_there_and_back(&before, &after);
    // Too few to be cut.
    let mut short = before.clone();
    short.programs[0].moves.truncate(100);
    leads_there_and_back(&before, &short);
}

#[test]
fn programs_come_go_and_change_places_with_all_their_runs() {
    let before = long(500, 300);
    let mut after = before.clone();
    let mut copy = after.programs[0].clone();
    copy.id = "copy".to_owned();
    after.programs.push(copy);
    leads_there_and_back(&before, &after);
    let mut turned = after.clone();
    turned.programs.reverse();
    leads_there_and_back(&after, &turned);
    let mut without = after.clone();
    without.programs.clear();
    without.items.truncate(2);
    without.name = "Another".to_owned();
    leads_there_and_back(&after, &without);
}

/// A run that is gone is said, not left out.
#[test]
fn a_program_of_which_a_run_is_missing_is_refused() {
    let mut entries = to_entries(&long(500, 0));
    let run = entries.iter().position(|e| e.kind == "run of moves");
    entries.remove(run.expect("a run"));
    let refused = from_entries(entries).expect_err("not whole").to_string();
    assert!(refused.contains("a run of moves is missing"), "{refused}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    /// Whatever is put in, taken out, moved and changed in a long list.
    #[test]
    fn any_row_of_changes_leads_there_and_back(
        changes in proptest::collection::vec((0usize..4, any::<prop::sample::Index>(), any::<prop::sample::Index>()), 1..8),
    ) {
        let before = long(600, 250);
        let mut after = before.clone();
        let moves = &mut after.programs[0].moves;
        for (nth, (what, from, to)) in changes.iter().enumerate() {
            let (a, b) = (from.index(moves.len()), to.index(moves.len()));
            let (a, b) = (a.min(b), a.max(b));
            match what {
                0 => drop(moves.drain(a..b)),
                1 => moves.insert(a, to_joint(-(nth as f64))),
                2 => moves[a..=b].rotate_left(1),
                _ => {
                    let copy = moves[a..b].to_vec();
                    moves.splice(a..a, copy);
                }
            }
            if moves.is_empty() {
                moves.push(to_joint(1.0));
            }
        }
        leads_there_and_back(&before, &after);
    }
}
