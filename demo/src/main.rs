//! Writes the demo cell's package, or the stress cell's, into a folder.

use std::path::PathBuf;
use std::process::ExitCode;

fn main() -> ExitCode {
    let mut words: Vec<String> = std::env::args().skip(1).collect();
    let stress = words
        .iter()
        .position(|w| w == "--stress")
        .map(|at| words.remove(at))
        .is_some();
    let folder = words
        .as_slice()
        .first()
        .filter(|folder| words.len() == 1 && !folder.starts_with('-'));
    let Some(folder) = folder else {
        eprintln!("usage: selvik-demo [--stress] FOLDER");
        return ExitCode::from(2);
    };
    let package = if stress {
        selvik_demo::stress_package()
    } else {
        selvik_demo::demo_package()
    };
    match package.to_folder(&PathBuf::from(folder)) {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("{error}");
            ExitCode::from(2)
        }
    }
}
