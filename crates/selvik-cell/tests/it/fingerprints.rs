//! What a sweep depends on, told by one name.

use selvik_cell::document::{CellDocument, ItemDocument, PoseDocument, RoleDocument, empty_cell};
use selvik_cell::fingerprint::{fingerprint, items_move_alike, names_hash};

fn cell(x_mm: f64, name: &str) -> CellDocument {
    let mut document = empty_cell("Cell");
    let pose = PoseDocument {
        xyz_mm: [x_mm, 0.0, -0.05],
        rpy_deg: [0.0, 0.0, x_mm],
    };
    document.items = vec![ItemDocument {
        pose,
        ..ItemDocument::new("a", name, RoleDocument::Part)
    }];
    document
}

#[test]
fn a_place_counts_and_neither_a_name_nor_the_sign_of_a_zero_does() {
    let of = |document: &CellDocument| fingerprint(document, "files");
    assert_eq!(of(&cell(0.0, "A")), of(&cell(-0.0, "B")));
    assert_ne!(of(&cell(0.0, "A")), of(&cell(1e-9, "A")));
    assert_ne!(of(&cell(0.5, "A")), of(&cell(-0.5, "A")));
    assert_ne!(names_hash(&cell(0.0, "A")), names_hash(&cell(0.0, "B")));
    assert!(items_move_alike(&cell(0.5, "A"), &cell(0.5, "B")));
    assert!(!items_move_alike(&cell(0.5, "A"), &cell(0.25, "A")));
    assert!(!items_move_alike(&cell(0.5, "A"), &empty_cell("Cell")));
}
