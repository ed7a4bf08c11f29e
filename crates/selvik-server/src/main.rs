//! The binary `selvik`: the command line and the server.

mod cli;

use std::process::ExitCode;

use clap::Parser;
use cli::{Cli, Command};

fn main() -> ExitCode {
    match run(Cli::parse().command) {
        Ok(code) => code,
        Err(message) => {
            eprintln!("{message}");
            ExitCode::from(2)
        }
    }
}

fn run(command: Command) -> Result<ExitCode, String> {
    match command {
        Command::Check { package, json, tolerance_mm, all } => {
            let checked = cli::check(&package, tolerance_mm, all)?;
            if json {
                println!("{}", serde_json::to_string_pretty(&checked).expect("plain data"));
            } else {
                print!("{}", checked.table());
            }
            Ok(if checked.holds { ExitCode::SUCCESS } else { ExitCode::from(1) })
        }
        Command::Query { package, query } => {
            println!("{}", serde_json::to_string_pretty(&cli::query(&package, &query)?).expect("plain data"));
            Ok(ExitCode::SUCCESS)
        }
        _ => Err("not yet".to_owned()),
    }
}
