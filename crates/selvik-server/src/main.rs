//! The binary `selvik`: the command line and the server.

mod cli;

use std::path::PathBuf;
use std::process::ExitCode;

use clap::Parser;
use cli::{Cli, Command};
use selvik_formats::Workcell;
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
                println!("{}", serde_json::to_string_pretty(&checked).expect("plain data"));
            } else {
                print!("{}", checked.table());
            }
            Ok(ExitCode::from(checked.exit_code()))
        }
        Command::Query { package, query } => {
            println!("{}", serde_json::to_string_pretty(&cli::query(&package, &query)?).expect("plain data"));
            Ok(ExitCode::SUCCESS)
        }
        Command::Openapi => {
            println!("{}", selvik_server::openapi());
            Ok(ExitCode::SUCCESS)
        }
        Command::Schema => {
            let schema = selvik_formats::package::json_schema();
            println!("{}", serde_json::to_string_pretty(&schema).expect("plain data"));
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

fn asynchronous(work: impl Future<Output = Result<(), String>>) -> Result<ExitCode, String> {
    let runtime = tokio::runtime::Runtime::new().map_err(|e| e.to_string())?;
    runtime.block_on(work).map(|()| ExitCode::SUCCESS)
}

async fn open_store(database: &str) -> Result<Store, String> {
    Store::open(database).await.map_err(|e| e.to_string())
}

async fn serve(listen: String, database: String, hosts: AllowedHosts) -> Result<(), String> {
    tracing_subscriber::fmt()
        .with_env_filter(tracing_subscriber::EnvFilter::from_default_env())
        .with_writer(std::io::stderr)
        .init();
    let router = App::new(open_store(&database).await?).router(hosts);
    let listener = tokio::net::TcpListener::bind(&listen)
        .await
        .map_err(|e| format!("can't listen on {listen}: {e}; choose another with --listen"))?;
    let address = listener.local_addr().map_err(|e| e.to_string())?;
    println!("Selvik is at http://{address}/");
    let stop = async {
        // Without a signal handler the server simply runs until it is killed.
        let _ = tokio::signal::ctrl_c().await;
    };
    axum::serve(listener, router).with_graceful_shutdown(stop).await.map_err(|e| e.to_string())
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
