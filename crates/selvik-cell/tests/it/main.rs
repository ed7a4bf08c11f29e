//! Cells as people write, bring in and edit them, and what is then found.

mod access;
mod along;
mod bringing;
mod editing;
mod fingerprints;
mod handling;
mod jogging;
mod measuring;
mod mechanisms;
mod nothing_false_holds;
mod overlapping;
mod planted_defects;
mod programmed;
mod programs;
mod recordings;
mod rules;
mod second_cell;
mod sections;
mod shapes_in_motion;
mod storing;
mod tables;
mod targets;
mod tentative;
mod trying;
mod trying_targets;
mod who;
