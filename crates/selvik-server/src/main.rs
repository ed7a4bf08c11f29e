//! The binary `selvik`: the command line and the server.

mod cli;

use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;

use clap::Parser;
use cli::{Cli, Command, Serve};
use selvik_cell::Workcell;
use selvik_server::{AllowedHosts, App, Settings, serve};
use selvik_store::Store;
use tokio_util::sync::CancellationToken;

/// Gives back to the system what is no longer needed, also what thousands of sockets took, and serves many threads at once.
#[global_allocator]
static MEMORY: mimalloc::MiMalloc = mimalloc::MiMalloc;

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
        Command::Check(wanted) => {
            let checked = cli::check(&wanted)?;
            let write = |file: &Option<PathBuf>, bytes: &dyn Fn() -> Result<Vec<u8>, String>| {
                let Some(file) = file else { return Ok(()) };
                std::fs::write(file, bytes()?).map_err(|e| format!("{}: {e}", file.display()))
            };
            write(&wanted.csv, &|| checked.csv())?;
            write(&wanted.junit, &|| checked.junit())?;
            if wanted.json {
                print(&serde_json::to_string_pretty(&checked).expect("plain data"))?;
            } else {
                print(checked.table().trim_end())?;
            }
            Ok(ExitCode::from(checked.exit_code()))
        }
        Command::Query { package, query } => {
            print(
                &serde_json::to_string_pretty(&cli::query(&package, &query)?).expect("plain data"),
            )?;
            Ok(ExitCode::SUCCESS)
        }
        Command::Openapi => {
            print(&selvik_server::openapi())?;
            Ok(ExitCode::SUCCESS)
        }
        Command::Schema => {
            let schema = selvik_cell::document::json_schema();
            print(&serde_json::to_string_pretty(&schema).expect("plain data"))?;
            Ok(ExitCode::SUCCESS)
        }
        Command::Migrate { database } => asynchronous(migrate(database)),
        Command::Serve(how) => asynchronous(serve_cells(how)),
        Command::Work { database, cores } => asynchronous(work(database, cores)),
        Command::Import {
            package,
            database,
            unless_present,
        } => asynchronous(import(package, database, unless_present)),
        Command::Export { cell, to, database } => asynchronous(export(cell, to, database)),
    }
}

/// Prints a text and the end of its line. Whoever reads it may have read enough: that is no mistake.
fn print(text: &str) -> Result<(), String> {
    use std::io::{ErrorKind, Write};
    match writeln!(std::io::stdout(), "{text}") {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => {
            Err(format!("can't be written: {error}"))
        }
        _ => Ok(()),
    }
}

fn asynchronous(work: impl Future<Output = Result<(), String>>) -> Result<ExitCode, String> {
    let runtime = tokio::runtime::Runtime::new().map_err(|e| e.to_string())?;
    let done = runtime.block_on(work).map(|()| ExitCode::SUCCESS);
    // What still computes is not waited for.
    runtime.shutdown_background();
    done
}

async fn migrate(database: String) -> Result<(), String> {
    let store = Store::open_up_to_date(&database)
        .await
        .map_err(|e| e.to_string())?;
    App::new(store, Settings::default(), CancellationToken::new())
        .await
        .map(drop)
        .map_err(|e| e.to_string())
}

/// Notes go to standard error, from `info` on or as RUST_LOG says.
fn take_notes() {
    let level = tracing::level_filters::LevelFilter::INFO.into();
    let filter = tracing_subscriber::EnvFilter::builder()
        .with_default_directive(level)
        .from_env_lossy();
    // The queue tells of every job at this level, with its payload; the driver of every table that is there already.
    let quieter =
        ["graphile_worker=warn", "tokio_postgres=warn"].map(|d| d.parse().expect("a directive"));
    let filter = quieter
        .into_iter()
        .fold(filter, |filter, quiet| filter.add_directive(quiet));
    tracing_subscriber::fmt()
        .with_env_filter(filter)
        .with_writer(std::io::stderr)
        .init();
}

/// The application on an up-to-date database, and what ends it.
async fn application(
    database: &str,
    settings: Settings,
) -> Result<(App, CancellationToken), String> {
    take_notes();
    let stop = CancellationToken::new();
    let store = Store::open_up_to_date(database)
        .await
        .map_err(|e| e.to_string())?;
    let app = App::new(store, settings, stop.clone())
        .await
        .map_err(|e| e.to_string())?;
    let told = stop.clone();
    tokio::spawn(async move {
        told_to_stop().await;
        told.cancel();
        // Whoever asks twice does not want to wait.
        told_to_stop().await;
        std::process::exit(130);
    });
    Ok((app, stop))
}

async fn serve_cells(how: Serve) -> Result<(), String> {
    // A socket is a handle: as many as the system lets it have.
    if let Err(error) = rlimit::increase_nofile_limit(u64::MAX) {
        eprintln!("No more handles than usual: {error}");
    }
    let (app, stop) = application(
        &how.database,
        Settings {
            cells_mib: how.cells_mib,
        },
    )
    .await?;
    let listen = &how.listen;
    let listener = tokio::net::TcpListener::bind(listen)
        .await
        .map_err(|e| format!("can't listen on {listen}: {e}; choose another with --listen"))?;
    let address = listener.local_addr().map_err(|e| e.to_string())?;
    // Where it listens on everything, it answers on loopback.
    let shown = if address.ip().is_unspecified() {
        format!("127.0.0.1:{}", address.port())
    } else {
        address.to_string()
    };
    println!("Selvik is at http://{shown}/");
    if !address.ip().is_loopback() {
        eprintln!(
            "Others can reach it, too, and there is no sign-in yet: everybody who can may look at and change all cells."
        );
    }
    let working = async {
        if !how.no_worker {
            app.clone().work(stop.clone()).await;
        }
    };
    let router = app.clone().router(AllowedHosts::with(how.allow_host));
    tokio::join!(
        serve(listener, router, stop.clone()),
        ending(&stop, working)
    );
    ended(&app).await;
    Ok(())
}

async fn work(database: String, cores: Option<usize>) -> Result<(), String> {
    if let Some(cores) = cores {
        let pool = rayon::ThreadPoolBuilder::new()
            .num_threads(cores)
            .build_global();
        pool.map_err(|e| format!("can't work on {cores} cores: {e}"))?;
    }
    let (app, stop) = application(&database, Settings::default()).await?;
    println!("Working on the jobs of this database.");
    ending(&stop, app.clone().work(stop.clone())).await;
    ended(&app).await;
    Ok(())
}

/// Waits for `work`; once `stop` was asked for a second at most.
async fn ending(stop: &CancellationToken, work: impl Future<Output = ()>) {
    tokio::select! {
        () = work => {}
        () = async {
            stop.cancelled().await;
            tokio::time::sleep(PATIENCE).await;
        } => {}
    }
}

/// Waits a little for changes under way.
async fn ended(app: &App) {
    let _ = tokio::time::timeout(PATIENCE / 2, app.ended()).await;
}

/// How long what is under way may take once the server is told to stop.
const PATIENCE: Duration = Duration::from_secs(1);

/// Ctrl-C, or what a service manager sends.
async fn told_to_stop() {
    let mut terminate =
        tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()).ok();
    let terminated = async {
        match &mut terminate {
            Some(signal) => drop(signal.recv().await),
            None => std::future::pending().await,
        }
    };
    tokio::select! {
        // Without a signal handler the server simply runs until it is killed.
        asked = tokio::signal::ctrl_c() => if asked.is_err() { std::future::pending().await },
        () = terminated => {}
    }
}

async fn import(package: PathBuf, database: String, unless_present: bool) -> Result<(), String> {
    let files = cli::open_package(&package).map_err(|e| e.to_string())?;
    let workcell = Workcell::read(&files).map_err(|e| e.to_string())?;
    let store = Store::open(&database).await.map_err(|e| e.to_string())?;
    let cells = store.list().await.map_err(|e| e.to_string())?;
    let present = cells.iter().find(|c| c.name == workcell.document.name);
    if let (true, Some(cell)) = (unless_present, present) {
        println!("{}", cell.id);
        return Ok(());
    }
    let id = store
        .create(&workcell.document, &files)
        .await
        .map_err(|e| e.to_string())?;
    println!("{id}");
    Ok(())
}

async fn export(cell: String, to: PathBuf, database: String) -> Result<(), String> {
    let store = Store::open(&database).await.map_err(|e| e.to_string())?;
    let cells = store.list().await.map_err(|e| e.to_string())?;
    let found = cells
        .iter()
        .find(|c| c.id.to_string() == cell || c.name == cell);
    let found = found.ok_or_else(|| format!("there is no cell \"{cell}\""))?;
    let package = store
        .load(found.id)
        .await
        .map_err(|e| e.to_string())?
        .package();
    if to.extension().is_some_and(|e| e == "zip") {
        return std::fs::write(&to, package.to_zip().map_err(|e| e.to_string())?)
            .map_err(|e| format!("{}: {e}", to.display()));
    }
    package.to_folder(&to).map_err(|e| e.to_string())
}
