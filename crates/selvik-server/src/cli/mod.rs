//! The command line.

mod check;
mod junit;
mod query;

use std::path::{Path, PathBuf};

pub use check::check;
use clap::{Args, Parser, Subcommand};
pub use query::{Query, query};
use selvik_cell::Workcell;
use selvik_cell::document::CELL_FILE;
use selvik_formats::{FormatError, PackageFiles};

/// Looks at a robot workcell, and says with certainty what reaches and what comes too close.
#[derive(Parser)]
#[command(name = "selvik", version)]
pub struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
}

/// What can be done.
#[derive(Subcommand)]
pub enum Command {
    /// Serve the application.
    Serve(Serve),
    /// Work on the sweeps of a database, beside the server: on this machine or another. Any number may do so; what one
    /// leaves unfinished another takes up.
    Work {
        /// The database, as a postgres:// URL.
        #[arg(long, env = "SELVIK_DATABASE")]
        database: String,
        /// How many cores a sweep may use; all of them if absent.
        #[arg(long)]
        cores: Option<usize>,
    },
    /// Make the tables of a database, or bring them up to date. `serve` and `work` do so, too.
    Migrate {
        /// The database, as a postgres:// URL.
        #[arg(long, env = "SELVIK_DATABASE")]
        database: String,
    },
    /// Store a cell package in the database and print the cell's id.
    Import {
        /// A folder or zip.
        package: PathBuf,
        /// The database, as a postgres:// URL.
        #[arg(long, env = "SELVIK_DATABASE")]
        database: String,
        /// Do nothing if a cell of this name is already there.
        #[arg(long)]
        unless_present: bool,
    },
    /// Write a cell of the database as a package.
    Export {
        /// Id or name of the cell.
        cell: String,
        /// A `.zip` file, or a folder to be made.
        to: PathBuf,
        /// The database, as a postgres:// URL.
        #[arg(long, env = "SELVIK_DATABASE")]
        database: String,
    },
    /// Sweep a package's run plan and check its reach. Exit code 0: everything a rule asks for is certified;
    /// 1: something is broken; 2: bad input; 3: nothing is broken, but something is not certified. With `--against` 1 means that
    /// something is worse than it was, and 0 that nothing is.
    Check(Check),
    /// Ask one thing about a package; the answer is JSON.
    Query {
        /// A folder or zip.
        package: PathBuf,
        /// What to ask.
        #[command(subcommand)]
        query: Query,
    },
    /// Print the OpenAPI description of the server.
    Openapi,
    /// Print the JSON Schema of cell.json.
    Schema,
}

/// What is checked, and how it is told.
#[derive(Args)]
pub struct Check {
    /// A folder or zip.
    pub package: PathBuf,
    /// Print everything found as JSON.
    #[arg(long)]
    pub json: bool,
    /// Write a row for each pair, and for each target, as CSV to this file.
    #[arg(long, value_name = "FILE")]
    pub csv: Option<PathBuf>,
    /// Write a case for each rule as JUnit XML to this file.
    #[arg(long, value_name = "FILE")]
    pub junit: Option<PathBuf>,
    /// Width of the brackets of clearances.
    #[arg(long, default_value_t = 0.1)]
    pub tolerance_mm: f64,
    /// Bracket every pair, also those far from their rule.
    #[arg(long)]
    pub all: bool,
    /// How many cores are used; all of them if absent.
    #[arg(long, value_name = "CORES")]
    pub jobs: Option<usize>,
    /// Stop sweeping after so many seconds; what is not certain by then is not certified.
    #[arg(long, value_name = "SECONDS")]
    pub time_limit: Option<f64>,
    /// What `--json` printed earlier: tell what changed since, and fail only on what got worse.
    #[arg(long, value_name = "EARLIER.json")]
    pub against: Option<PathBuf>,
}

/// How the application is served.
#[derive(Args)]
pub struct Serve {
    /// Where to listen; loopback unless you say otherwise.
    #[arg(long, default_value = "127.0.0.1:7780", env = "SELVIK_LISTEN")]
    pub listen: String,
    /// The database, as a postgres:// URL.
    #[arg(long, env = "SELVIK_DATABASE")]
    pub database: String,
    /// Further names by which pages may reach the server, besides loopback.
    #[arg(long)]
    pub allow_host: Vec<String>,
    /// Leave sweeps to `selvik work`.
    #[arg(long)]
    pub no_worker: bool,
    /// Cells are kept in memory up to this.
    #[arg(long, default_value_t = 1024, env = "SELVIK_CELLS_MIB")]
    pub cells_mib: u64,
}

/// The files of a folder or zip.
///
/// # Errors
/// [`FormatError`] when it can't be read.
pub fn open_package(path: &Path) -> Result<PackageFiles, FormatError> {
    if path.is_dir() {
        return PackageFiles::from_folder(path);
    }
    // Who names the document means the folder it lies in.
    if path.file_name().is_some_and(|name| name == CELL_FILE) {
        let folder = path
            .parent()
            .filter(|p| !p.as_os_str().is_empty())
            .unwrap_or(Path::new("."));
        return PackageFiles::from_folder(folder);
    }
    let bytes =
        std::fs::read(path).map_err(|e| FormatError::file(path.display().to_string(), e))?;
    PackageFiles::from_zip(&bytes)
}

fn open_workcell(path: &Path) -> Result<Workcell, String> {
    open_package(path)
        .and_then(|files| Workcell::read(&files))
        .map_err(|e| e.to_string())
}
