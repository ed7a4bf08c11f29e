//! The binary `selvik`: the command line and the server.

mod cli;

use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;
use std::time::Duration;

use clap::Parser;
use cli::{Cli, Command};
use selvik_cell::Workcell;
use selvik_server::{AllowedHosts, App};
use selvik_store::Store;

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
                print(&serde_json::to_string_pretty(&checked).expect("plain data"))?;
            } else {
                print(checked.table().trim_end())?;
            }
            Ok(ExitCode::from(checked.exit_code()))
        }
        Command::Query { package, query } => {
            print(&serde_json::to_string_pretty(&cli::query(&package, &query)?).expect("plain data"))?;
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
        Command::Serve { listen, database, allow_host } => {
            asynchronous(serve(listen, database, AllowedHosts::with(allow_host)))
        }
        Command::Import { package, database, unless_present } => {
            asynchronous(import(package, database, unless_present))
        }
        Command::Export { cell, to, database } => asynchronous(export(cell, to, database)),
    }
}

/// Prints a text and the end of its line. Whoever reads it may have read enough: that is no mistake.
fn print(text: &str) -> Result<(), String> {
    use std::io::{ErrorKind, Write};
    match writeln!(std::io::stdout(), "{text}") {
        Err(error) if error.kind() != ErrorKind::BrokenPipe => Err(format!("can't be written: {error}")),
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

async fn open_store(database: &str) -> Result<Store, String> {
    Store::open(database).await.map_err(|e| e.to_string())
}

async fn serve(listen: String, database: String, hosts: AllowedHosts) -> Result<(), String> {
    let level = tracing::level_filters::LevelFilter::INFO.into();
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::builder().with_default_directive(level).from_env_lossy(),
        )
        .with_writer(std::io::stderr)
        .init();
    let app = App::new(open_store(&database).await?);
    let listener = tokio::net::TcpListener::bind(&listen)
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
    let stopping = Arc::new(tokio::sync::Notify::new());
    let asked = Arc::clone(&stopping);
    let stop = async move {
        told_to_stop().await;
        asked.notify_one();
    };
    let served = axum::serve(listener, app.clone().router(hosts)).with_graceful_shutdown(stop);
    tokio::select! {
        served = async { served.await } => served.map_err(|e| e.to_string()),
        () = async {
            stopping.notified().await;
            app.stop_work();
            // Open pages hold their sockets; they connect again to the next server.
            tokio::time::sleep(PATIENCE).await;
        } => Ok(()),
    }
}

/// How long requests under way may take once the server is told to stop.
const PATIENCE: Duration = Duration::from_secs(1);

/// Ctrl-C, or what a service manager sends.
async fn told_to_stop() {
    let mut terminate = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()).ok();
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
    let store = open_store(&database).await?;
    let cells = store.list().await.map_err(|e| e.to_string())?;
    let present = cells.iter().find(|c| c.name == workcell.document.name);
    if let (true, Some(cell)) = (unless_present, present) {
        println!("{}", cell.id);
        return Ok(());
    }
    let id = store.create(&workcell.document, &files).await.map_err(|e| e.to_string())?;
    println!("{id}");
    Ok(())
}

async fn export(cell: String, to: PathBuf, database: String) -> Result<(), String> {
    let store = open_store(&database).await?;
    let cells = store.list().await.map_err(|e| e.to_string())?;
    let found = cells.iter().find(|c| c.id.to_string() == cell || c.name == cell);
    let found = found.ok_or_else(|| format!("there is no cell \"{cell}\""))?;
    let package = store.load(found.id).await.map_err(|e| e.to_string())?.package();
    if to.extension().is_some_and(|e| e == "zip") {
        return std::fs::write(&to, package.to_zip()).map_err(|e| format!("{}: {e}", to.display()));
    }
    package.to_folder(&to).map_err(|e| e.to_string())
}
