//! A database of its own for each test, on a PostgreSQL that is started when none is.

use std::path::Path;
use std::process::Command;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};

/// Address of the server's first database: from `JAMPIN_TEST_DATABASE`, or of a server started for tests.
fn server() -> &'static str {
    static URL: OnceLock<String> = OnceLock::new();
    URL.get_or_init(|| std::env::var("JAMPIN_TEST_DATABASE").unwrap_or_else(|_| start()))
}

fn start() -> String {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let output = Command::new(root.join("bin/postgres"))
        .args(["start", ".local/test-postgres", "5533", "throwaway"])
        .current_dir(&root)
        .output()
        .expect("bin/postgres runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).trim().to_owned()
}

/// Makes an empty database and gives its address.
///
/// # Panics
/// When PostgreSQL cannot be started or refuses.
pub fn fresh_database() -> String {
    static COUNT: AtomicU32 = AtomicU32::new(0);
    let url = server();
    let name = format!("test_{}_{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
    let output =
        Command::new("psql").args(["-qX", url, "-c", &format!("CREATE DATABASE {name}")]).output().expect("psql runs");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let (server, _) = url.rsplit_once('/').expect("the address names a database");
    format!("{server}/{name}")
}
