//! Rules and sets that are edited, and which rule decides.

use rstest::rstest;
use selvik_cell::document::{
    CellDocument, MayTouchDocument, RuleDocument, VisibilitySetDocument, begun_cell,
};
use selvik_cell::edit::Edit;
use selvik_cell::fingerprint::{fingerprint, only_views_differ};
use selvik_core::program::Path;

use crate::programmed::*;

fn rule(id: &str, between: &[&str], and: &[&str], required_mm: f64) -> Edit {
    let side = |ids: &[&str]| ids.iter().map(|id| (*id).to_owned()).collect();
    Edit::SaveRule {
        rule: RuleDocument {
            id: id.to_owned(),
            name: id.to_owned(),
            between: side(between),
            and: side(and),
            required_mm,
            tight_below_mm: required_mm,
        },
    }
}

/// What is required between the arm and the post under all rules together, mm.
fn required(document: &CellDocument) -> Option<f64> {
    let workcell = built(document);
    let scope = workcell
        .rules
        .scope(&workcell.assembly, &Path::standing(&workcell.rest));
    let item = |id: &str| {
        workcell
            .assembly
            .cell()
            .position(&id.into())
            .expect("there")
    };
    let of = |body| workcell.assembly.body(body).item;
    let pair = scope.pairs.iter().find(|p| {
        let both = [of(p.a), of(p.b)];
        both.contains(&item("arm")) && both.contains(&item("post"))
    })?;
    Some((workcell.rules.rules[pair.rule].requirement.required() * 1e3).round())
}

#[rstest]
#[case::a_role_after_the_items(&[(&["arm"][..], &["post"][..], 5.0), (&["role:robot"], &["role:structure"], 50.0)], Some(5.0))]
#[case::a_link_before_its_item(&[(&["arm/q1"][..], &["post"][..], 7.0), (&["arm"], &["post"], 9.0)], Some(7.0))]
#[case::a_set_over_a_role(&[(&["set:s"][..], &["arm"][..], 11.0), (&["role:structure"], &["arm"], 12.0)], Some(11.0))]
#[case::both_alike(&[(&["arm"][..], &["post"][..], 5.0), (&["post"], &["arm"], 6.0)], Some(6.0))]
#[case::everything_least(&[(&["role:robot"][..], &["role:structure"][..], 3.0), (&["arm"], &[], 4.0)], Some(4.0))]
#[case::no_such_items(&[(&["role:robot"][..], &["role:part"][..], 3.0)], None)]
fn the_most_particular_rule_decides(
    #[case] rules: &[(&[&str], &[&str], f64)],
    #[case] expected: Option<f64>,
) {
    let mut document = cell();
    document.visibility_sets = vec![VisibilitySetDocument {
        id: "s".to_owned(),
        name: "Posts".to_owned(),
        items: vec!["post".to_owned(), "pole".to_owned()],
    }];
    for (i, (between, and, required)) in rules.iter().enumerate() {
        done(
            &mut document,
            rule(&format!("r{i}"), between, and, *required),
        );
    }
    assert_eq!(required(&document), expected);
}

/// A set that a rule is about is more than a way to look at a cell.
#[test]
fn a_set_counts_once_a_rule_is_about_it() {
    let mut document = cell();
    let set = |items: &[&str]| Edit::SaveSet {
        set: VisibilitySetDocument {
            id: "s".to_owned(),
            name: "Posts".to_owned(),
            items: items.iter().map(|i| (*i).to_owned()).collect(),
        },
    };
    done(&mut document, set(&["post"]));
    let mut other = document.clone();
    done(&mut other, set(&["pole"]));
    assert!(only_views_differ(&document, &other));
    for document in [&mut document, &mut other] {
        done(document, rule("r", &["arm"], &["set:s"], 5.0));
    }
    assert!(!only_views_differ(&document, &other));
    assert_ne!(fingerprint(&document, ""), fingerprint(&other, ""));
    assert_eq!((required(&document), required(&other)), (Some(5.0), None));
    let delete = Edit::DeleteSet {
        set: "s".to_owned(),
    };
    assert_eq!(
        refused(&document, delete),
        "rule r is about this set; change the rule first"
    );
}

#[test]
fn rules_and_pairs_are_kept_replaced_and_taken_out() {
    let mut document = cell();
    assert_eq!(
        done(&mut document, rule("r", &["arm"], &["post"], 5.0)),
        "add rule r"
    );
    assert_eq!(
        done(&mut document, rule("r", &["arm"], &["post"], 8.0)),
        "change rule r"
    );
    assert_eq!(required(&document), Some(8.0));
    let pair = |a: &str, b: &str, reason: &str| Edit::LetTouch {
        pair: MayTouchDocument {
            a: a.to_owned(),
            b: b.to_owned(),
            reason: reason.to_owned(),
            max_depth_mm: None,
            during: None,
        },
    };
    assert!(refused(&document, pair("arm", "post", " ")).contains("say why"));
    done(&mut document, pair("arm/q1", "post", "it rests there"));
    assert_eq!(
        done(&mut document, pair("post", "arm/q1", "it rests on it")),
        "let Post and Arm q1 touch"
    );
    assert_eq!(document.may_touch.len(), 1);
    assert_eq!(required(&document), None);
    let apart = || Edit::KeepApart {
        a: "arm/q1".to_owned(),
        b: "post".to_owned(),
    };
    done(&mut document, apart());
    assert!(refused(&document, apart()).contains("no pair"));
    done(
        &mut document,
        Edit::DeleteRule {
            rule: "r".to_owned(),
        },
    );
    assert_eq!(document, cell());
}

/// A new cell says what it requires, and is sound as it is.
#[test]
fn a_new_cell_begins_with_one_rule() {
    let document = begun_cell("Cell");
    let workcell = built(&document);
    assert_eq!(workcell.rules.rules.len(), 1);
    let mut with_arm = cell();
    with_arm.rules = document.rules;
    assert_eq!(required(&with_arm), Some(10.0));
}

#[test]
fn several_changes_are_one_or_none() {
    let mut document = cell();
    let edits = vec![
        rule("a", &["arm"], &[], 5.0),
        rule("b", &["arm"], &["post"], 6.0),
    ];
    let together = |edits| Edit::Together {
        label: "two rules".to_owned(),
        edits,
    };
    assert_eq!(done(&mut document, together(edits)), "two rules");
    assert_eq!(document.rules.len(), 2);
    let nested = together(vec![together(vec![rule("c", &["arm"], &[], 5.0)])]);
    assert!(refused(&document, nested).contains("each by itself"));
    assert!(refused(&document, together(vec![])).contains("1 to"));
}
