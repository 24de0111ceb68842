//! Long work elsewhere: which kinds, how much at once, and what is said of it.

use std::process::{Child, Command};

use jampin_testkit::{Server, make_film, request};
use serde_json::json;

use super::{FILM, PROGRAM};

/// A worker of its own, ended when let go of.
struct Worker(Child);

impl Worker {
    fn start(server: &Server, words: &[&str]) -> Self {
        let worker = Command::new(PROGRAM)
            .args(["worker", "--database", server.database(), "--log", "warn", "--media"])
            .arg(server.media())
            .args(words)
            .spawn()
            .unwrap();
        Self(worker)
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[test]
fn each_worker_takes_its_kinds_and_the_queue_says_what_waits_and_why() {
    let server = Server::start(PROGRAM, &["--no-worker"]);
    let project = server.project("Open day");
    let films = tempfile::tempdir().unwrap();
    let taken = server.upload(&project, &make_film(films.path(), "card.mp4", FILM));
    let shot = taken.json()["shot"].as_str().unwrap().to_owned();
    let why = |wished: &str| server.wait("/api/queue", |jobs| jobs[0]["why"] == wished);
    why("no worker takes this kind of work");
    assert_eq!(server.get("/api/workers").json(), json!([]));

    let preparing = Worker::start(&server, &["--kinds", "prepare", "--lanes", "2"]);
    server.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["state"] == "ready");
    let workers = server.get("/api/workers").json();
    let host = String::from_utf8(Command::new("uname").arg("-n").output().unwrap().stdout).unwrap();
    assert_eq!(workers[0]["host"], host.trim());
    assert_eq!((&workers[0]["kinds"], workers[0]["lanes"].as_array().unwrap().len()), (&json!(["prepare"]), 2));
    assert_eq!(workers[0]["process"], preparing.0.id());

    let pin = json!({ "revision": 0, "frame": 5, "x": 160.0, "y": 120.0, "follow": true });
    assert_eq!(server.send("POST", &format!("/api/shots/{shot}/pins"), &pin).status, 201);
    why("no worker takes this kind of work");
    let following = Worker::start(&server, &["--kinds", "follow,solve"]);
    let done = server.wait("/api/queue", |jobs| jobs[0]["state"] == "done");
    assert_eq!(done[0]["kind"], "follow");
    server.wait("/api/workers", |workers| workers.as_array().is_some_and(|all| all.len() == 2));
    // One that dies is not there any more after a while.
    drop(following);
    server.wait("/api/workers", |workers| workers.as_array().is_some_and(|all| all.len() == 1));
    drop(preparing);
}

#[test]
fn kinds_that_there_are_not_are_refused() {
    let output = Command::new(PROGRAM).args(["worker", "--kinds", "follow,dance"]).output().unwrap();
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.code() == Some(2) && said.contains("follow, solve, prepare, export, sequence"), "{said}");
}

#[test]
fn counters_are_read_by_who_has_the_token() {
    let server = Server::start(PROGRAM, &["--metrics-token", "a long word that nobody knows"]);
    let new = json!({ "new": "kettle orbit mango finch" });
    assert_eq!(server.send("PUT", "/api/you/passphrase", &new).status, 204);
    let with = |token: &str| {
        let head = format!("Authorization: Bearer {token}\r\n");
        [
            request(&server.address, "GET", "/metrics", &head, b"").status,
            request(&server.address, "GET", "/api/queue", &head, b"").status,
        ]
    };
    assert_eq!(with("a long word that nobody knows"), [200, 401], "it is for the counters alone");
    assert_eq!(with("a long word"), [401, 401]);
    assert_eq!(server.get("/metrics").status, 401);
}
