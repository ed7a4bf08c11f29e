//! Writes the demo cell's package into a folder.

use std::path::PathBuf;
use std::process::ExitCode;

fn main() -> ExitCode {
    let Some(folder) = std::env::args().nth(1).map(PathBuf::from) else {
        eprintln!("usage: selvik-demo FOLDER");
        return ExitCode::from(2);
    };
    match selvik_demo::demo_package().to_folder(&folder) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{error}");
            ExitCode::from(2)
        }
    }
}
