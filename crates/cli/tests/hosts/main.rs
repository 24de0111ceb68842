//! Several hosts, each with a folder of its own, over one database and one object store.

mod faults;
mod kept;
mod pieces;

use std::process::{Child, Command};

use jampin_testkit::{ObjectStore, Server, make_film};
use serde_json::{Value, json};
use tempfile::TempDir;

const PROGRAM: &str = env!("CARGO_BIN_EXE_jampin");
const FILM: &str =
    "-f lavfi -i testsrc2=size=320x240:rate=25:duration=1.2 -f lavfi -i sine=duration=1.2 -pix_fmt yuv420p -c:a aac";

/// A worker on a host of its own. It dies with this.
struct Worker {
    child: Child,
    media: TempDir,
}

impl Worker {
    fn start(server: &Server, store: &ObjectStore, words: &[&str]) -> Self {
        Self::start_in(tempfile::tempdir().unwrap(), server, store, words)
    }

    /// In a folder that another has left.
    fn start_in(media: TempDir, server: &Server, store: &ObjectStore, words: &[&str]) -> Self {
        let child = Command::new(PROGRAM)
            .args(["worker", "--database", server.database(), "--log", "warn", "--media"])
            .arg(media.path())
            .args(words)
            .envs(store.environment())
            .spawn()
            .unwrap();
        Self { child, media }
    }
}

impl Worker {
    /// Killed; what it leaves.
    fn killed(mut self) -> TempDir {
        std::mem::replace(&mut self.media, tempfile::tempdir().unwrap())
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A server that leaves the work to others.
fn server(store: &ObjectStore, database: Option<&str>) -> Server {
    Server::start_in(PROGRAM, database, &["--no-worker"], store.environment())
}

/// A shot with a pin that carries a label.
fn labelled_shot(server: &Server, film: &str) -> String {
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Open day");
    let shot = server.shot_of(&project, &make_film(dir.path(), "test card.mp4", film));
    let pin = json!({ "revision": 0, "frame": 5, "x": 160.0, "y": 120.0, "follow": true });
    let made = server.send("POST", &format!("/api/shots/{shot}/pins"), &pin);
    assert_eq!(made.status, 201, "{}", made.text());
    server.wait("/api/queue", |jobs| jobs[0]["kind"] == "follow" && jobs[0]["state"] == "done");
    shot
}

fn ask_for_film(server: &Server, shot: &str, container: &str) -> String {
    let asked = server.send("POST", &format!("/api/shots/{shot}/exports"), &json!({ "container": container }));
    assert_eq!(asked.status, 202, "{}", asked.text());
    asked.json()["job"].as_str().unwrap().to_owned()
}

/// Waits for the film; its bytes.
fn film(server: &Server, job: &str) -> Vec<u8> {
    let queue = server.wait("/api/queue", |jobs| ended(jobs, job));
    let row = queue.as_array().unwrap().iter().find(|row| row["id"] == job).unwrap().clone();
    assert_eq!(row["state"], "done", "{row}");
    let answer = server.get(&format!("/api/exports/{job}/film"));
    assert_eq!(answer.status, 200);
    answer.body
}

fn ended(jobs: &Value, job: &str) -> bool {
    let is_it = |row: &&Value| row["id"] == job;
    let row = jobs.as_array().into_iter().flatten().find(is_it);
    row.is_some_and(|row| !matches!(row["state"].as_str(), Some("waiting" | "running")))
}
