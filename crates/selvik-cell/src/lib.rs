//! The cell: its document, its edits, what a hand asks for, joining it into core types, and the reports of what is found.
//!
//! The server and the command line stand on this, so that neither writes an answer twice. Nothing here touches a
//! database or the network.

pub mod access;
pub mod against;
pub mod arranging;
pub mod bring;
pub mod comparison;
pub mod document;
pub mod edit;
pub mod entries;
pub mod findings;
pub mod fingerprint;
pub mod jog;
pub mod measuring;
pub mod overlaps;
pub mod profile;
pub mod questions;
pub mod reach;
pub mod report;
pub mod ruling;
pub mod section_drawing;
pub mod sections;
pub mod series;
pub mod trajectory;
pub mod trying;
pub mod variants;
mod workcell;

pub use workcell::Workcell;
