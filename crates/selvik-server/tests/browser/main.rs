//! The real interface: headless Chromium, real pointer and key input; what is checked is what the user sees.

#[path = "../support/mod.rs"]
mod support;

mod accessible;
mod bringing_in;
mod by_hand;
mod contents;
mod following;
mod hands_and_keys;
mod looking;
mod measuring;
mod mechanisms_and_rules;
mod own_cell;
mod programs_by_hand;
mod sections;
mod the_main_job;
mod trackpad_touch_and_depth;
mod trying;
mod views_and_tours;
