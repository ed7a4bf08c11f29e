//! A cell with programs, and how it is edited.

use indexmap::IndexMap;
use selvik_cell::Workcell;
use selvik_cell::document::{CellDocument, MoveDocument, document_from_slice, write_document};
use selvik_cell::edit::{Edit, ProgramChange};
use selvik_cell::entries::{from_entries, to_entries};
use selvik_formats::PackageFiles;

/// An arm of one joint with a TCP, a gripper whose second finger follows the first, and two posts.
pub fn cell() -> CellDocument {
    let text = r#"{"format": "selvik-cell/1", "name": "Programmed", "items": [
        {"id": "arm", "name": "Arm", "role": "robot", "mechanism": {"from": {"dh": {"convention": "modified", "rows": [
            {"joint": "q1", "limits_deg_or_mm": [-170, 170], "velocity_deg_or_mm_s": 90,
             "bodies": [{"shape": {"box": {"size_mm": [400, 40, 40]}}, "pose": {"xyz_mm": [200, 0, 0]}}]}]}}}},
        {"id": "tcp", "name": "TCP", "role": "frame", "parent": "arm", "on_link": "q1", "pose": {"xyz_mm": [400, 0, 0]}},
        {"id": "clamp", "name": "Clamp", "role": "fixture", "pose": {"xyz_mm": [0, 2000, 0]},
         "mechanism": {"from": {"dh": {"convention": "modified", "rows": [
            {"joint": "stroke", "slides": true, "limits_deg_or_mm": [0, 50], "velocity_deg_or_mm_s": 100,
             "bodies": [{"shape": {"sphere": {"radius_mm": 10}}}]}]}}}},
        {"id": "post", "name": "Post", "role": "structure", "pose": {"xyz_mm": [0, 600, 0]},
         "bodies": [{"shape": {"sphere": {"radius_mm": 50}}}]},
        {"id": "pole", "name": "Pole", "role": "structure", "pose": {"xyz_mm": [0, -600, 0]},
         "bodies": [{"shape": {"sphere": {"radius_mm": 50}}}]}],
      "programs": [{"id": "p", "name": "Turn", "robot": "arm", "tcp": "tcp",
        "targets": [{"id": "A", "pose": {"xyz_mm": [0, 400, 0], "rpy_deg": [0, 0, 90]}}],
        "moves": [{"move": "joint", "joints_deg_or_mm": [10], "speed_percent": 50},
                  {"move": "joint", "joints_deg_or_mm": [20], "speed_percent": 50},
                  {"move": "joint", "to": "A", "speed_percent": 50},
                  {"move": "joint", "joints_deg_or_mm": [40], "speed_percent": 50}]}],
      "run_plan": {"lanes": [{"programs": ["p"]}]}}"#;
    document_from_slice(text.as_bytes()).expect("readable")
}

pub fn built(document: &CellDocument) -> Workcell {
    built_with(document, &PackageFiles::default())
}

pub fn built_with(document: &CellDocument, files: &PackageFiles) -> Workcell {
    assert_eq!(
        &from_entries(to_entries(document)).expect("entries"),
        document
    );
    assert_eq!(
        &document_from_slice(&write_document(document)).expect("written"),
        document
    );
    Workcell::from_document(document.clone(), files).expect("a sound cell")
}

pub fn done(document: &mut CellDocument, edit: Edit) -> String {
    edit.apply(document).expect("can be done")
}

pub fn refused(document: &CellDocument, edit: Edit) -> String {
    edit.apply(&mut document.clone())
        .expect_err("can't be done")
        .to_string()
}

pub fn program(change: ProgramChange) -> Edit {
    Edit::ChangeProgram {
        program: "p".to_owned(),
        change,
    }
}

pub fn to_joint(value: f64) -> MoveDocument {
    MoveDocument::Joint {
        to: None,
        joints_deg_or_mm: Some(vec![value]),
        speed_percent: 50.0,
        posture: None,
        also_deg_or_mm: IndexMap::new(),
    }
}

pub fn values(document: &CellDocument) -> Vec<f64> {
    let value = |step: &MoveDocument| match step {
        MoveDocument::Joint {
            joints_deg_or_mm: Some(values),
            ..
        } => values[0],
        _ => f64::NAN,
    };
    document.programs[0].moves.iter().map(value).collect()
}
