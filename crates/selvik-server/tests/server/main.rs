//! The server and its command line, asked as a program would ask them.

#[path = "../support/mod.rs"]
mod support;

mod api;
mod at_once;
mod background;
mod command_line;
mod cutting;
mod documents;
mod in_and_out;
mod killed;
mod limits;
mod measuring;
mod sweeps;
mod trying;
mod undoing;
mod variants;
