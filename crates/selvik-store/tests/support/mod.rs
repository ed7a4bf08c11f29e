//! A throw-away PostgreSQL cluster a test binary, a database a test.
#![allow(dead_code)]

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::sync::LazyLock;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Keeps the cluster's lender running: when this process ends its input closes, and the cluster goes.
static CLUSTER: LazyLock<(Child, String)> = LazyLock::new(|| {
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/../../tools/database.sh");
    let mut lender = Command::new(script)
        .arg("lend")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .expect("tools/database.sh runs");
    let mut url = String::new();
    let out = lender.stdout.take().expect("piped");
    BufReader::new(out).read_line(&mut url).expect("a URL");
    assert!(
        url.starts_with("postgres://"),
        "the cluster did not start: {url}"
    );
    (lender, url.trim().to_owned())
});

/// The URL of a new, empty database.
pub fn database() -> String {
    static COUNT: AtomicUsize = AtomicUsize::new(0);
    let name = format!("test_{}", COUNT.fetch_add(1, Ordering::Relaxed));
    let url = &CLUSTER.1;
    let made = Command::new("psql")
        .args([url, "-qc", &format!("create database {name}")])
        .status()
        .expect("psql runs");
    assert!(made.success());
    format!("{}/{name}", url.rsplit_once('/').expect("a URL").0)
}
