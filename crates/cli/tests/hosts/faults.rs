//! An object store that is busy, breaks off, or is not there.

use std::time::Duration;

use jampin_testkit::{ObjectStore, Server, Weather, make_film};
use serde_json::json;

use super::{FILM, PROGRAM, Worker, ask_for_film, film, labelled_shot, server};

#[test]
fn a_store_that_is_busy_or_breaks_off_costs_time_and_nothing_else() {
    let store = ObjectStore::start();
    let server = server(&store, None);
    for weather in [Weather::Busy, Weather::Cut] {
        store.set(weather);
        // New each time: it has nothing at hand.
        let _worker = Worker::start(&server, &store, &[]);
        let shot = labelled_shot(&server, FILM);
        let job = ask_for_film(&server, &shot, "webm");
        assert!(film(&server, &job).starts_with(b"\x1a\x45\xdf\xa3"), "{weather:?}: an EBML head (RFC 8794)");
    }
}

#[test]
fn while_it_is_not_there_nothing_is_lost_and_work_waits() {
    let store = ObjectStore::start();
    let server = server(&store, None);
    let worker = Worker::start(&server, &store, &[]);
    let shot = labelled_shot(&server, FILM);
    drop(worker);
    store.set(Weather::Down);
    assert_eq!(server.get("/health").status, 503);
    // A film that cannot be kept is not taken in, and the person is told.
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Another day");
    let refused = server.upload(&project, &make_film(dir.path(), "card.mp4", FILM));
    assert_eq!(refused.status, 503, "{}", refused.text());
    assert!(refused.text().contains("Try again later"), "{}", refused.text());
    // Who watches still has what was fetched; who works on goes on with the edits.
    assert_eq!(server.get(&format!("/api/shots/{shot}")).status, 200);

    let job = ask_for_film(&server, &shot, "mp4");
    store.set(Weather::Fair);
    let _worker = Worker::start(&server, &store, &[]);
    let begun = std::time::Instant::now();
    server.wait("/api/queue", |jobs| jobs[0]["state"] == "running" || jobs[0]["state"] == "done");
    store.set(Weather::Down);
    // Whether it was quick enough or has to wait: the film is there in the end.
    while begun.elapsed().as_secs() < 25 {
        let first = server.get("/api/queue").json()[0].clone();
        assert_ne!(first["state"], "failed", "{first}");
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    store.set(Weather::Fair);
    assert_eq!(&film(&server, &job)[4..8], b"ftyp");
    assert_eq!(server.get("/health").status, 200);
    let again = server.upload(&project, &make_film(dir.path(), "card.mp4", FILM));
    assert_eq!(again.status, 201, "{}", again.text());
}

#[test]
fn a_store_that_cannot_be_used_is_said_at_the_start() {
    let start = |words: &[(&str, &str)]| {
        let database = jampin_testkit::fresh_database();
        let media = tempfile::tempdir().unwrap();
        let output = std::process::Command::new(PROGRAM)
            .args(["serve", "--port", "0", "--database", &database, "--media"])
            .arg(media.path())
            .envs(words.iter().copied())
            .output()
            .unwrap();
        (output.status.code(), String::from_utf8_lossy(&output.stderr).into_owned())
    };
    let (code, said) = start(&[("JAMPIN_OBJECT_STORE", "films")]);
    assert!(code == Some(2) && said.contains("it is no s3://bucket/path"), "{code:?} {said}");
    // Nobody listens there.
    let (code, said) = start(&[
        ("JAMPIN_OBJECT_STORE", "s3://films"),
        ("AWS_ENDPOINT", "http://127.0.0.1:9"),
        ("AWS_ALLOW_HTTP", "true"),
        ("AWS_ACCESS_KEY_ID", "a"),
        ("AWS_SECRET_ACCESS_KEY", "b"),
    ]);
    assert!(code != Some(0) && said.contains("the object store cannot be used"), "{code:?} {said}");
}

#[test]
fn what_nobody_needs_in_the_store_goes_and_what_another_database_needs_stays() {
    let store = ObjectStore::start();
    let one = server(&store, None);
    let worker = Worker::start(&one, &store, &[]);
    let shot = labelled_shot(&one, FILM);
    let clip = one.get(&format!("/api/shots/{shot}")).json()["clip"]["id"].as_str().unwrap().to_owned();
    drop(worker);
    // What faults have left behind, long ago; and the same just now.
    let [old, new] = [1, 2].map(|n| format!("kept/exports/00000000-0000-4000-8000-00000000000{n}.pieces/0.mp4"));
    let long_ago = std::time::SystemTime::now() - std::time::Duration::from_secs(7200);
    for key in [&old, &new] {
        let path = store.file(key);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(&path, b"half a film").unwrap();
    }
    for key in store.keys().iter().filter(|key| **key != new) {
        std::fs::File::open(store.file(key)).unwrap().set_modified(long_ago).unwrap();
    }
    // House is kept at the start of a server that works. To another database all is unknown, and nothing its own.
    let before = store.keys();
    let two: Server = Server::start_in(PROGRAM, None, &[], store.environment());
    std::thread::sleep(std::time::Duration::from_secs(2));
    assert_eq!((two.get("/api/queue").json(), store.keys()), (json!([]), before));
    drop(two);
    let _three = Server::start_in(PROGRAM, Some(one.database()), &[], store.environment());
    let begun = std::time::Instant::now();
    while store.keys().contains(&old) {
        assert!(begun.elapsed().as_secs() < 60, "{:?}", store.keys());
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    let films = store.keys().iter().filter(|key| key.contains(&clip)).count();
    assert!(films > 30 && store.keys().contains(&new), "{:?}", store.keys());
}

#[test]
fn planes_that_a_worker_left_half_made_when_it_died_are_made_by_the_next_one_in_its_folder() {
    let store = ObjectStore::start();
    let server = server(&store, None);
    let worker = Worker::start(&server, &store, &[]);
    let dir = tempfile::tempdir().unwrap();
    let film =
        make_film(dir.path(), "long.mp4", "-f lavfi -i testsrc2=size=1280x720:rate=25:duration=10 -pix_fmt yuv420p");
    let taken = server.upload(&server.project("Open day"), &film).json();
    let shot = taken["shot"].as_str().unwrap();
    server.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["prepared"].as_u64() > Some(10));
    let folder = worker.killed();
    let state = server.get(&format!("/api/shots/{shot}")).json();
    assert_eq!(state["clip"]["state"], "preparing", "it was killed in the middle");
    // Nobody prepares the clip any more: the planes would never come by themselves.
    let _next = Worker::start_in(folder, &server, &store, &["--kinds", "follow,solve"]);
    let pin = json!({ "revision": 0, "frame": 200, "x": 640.0, "y": 360.0, "follow": true });
    // The server makes them for itself as well, and on a busy machine says for a while that they are not there yet.
    let put = || server.send("POST", &format!("/api/shots/{shot}/pins"), &pin).status;
    let answers = std::iter::repeat_with(put).take(60);
    let answer = answers.inspect(|_| std::thread::sleep(Duration::from_millis(200))).find(|status| *status != 503);
    assert_eq!(answer, Some(201));
    let queue = server.wait("/api/queue", |jobs| {
        jobs.as_array()
            .into_iter()
            .flatten()
            .any(|job| job["kind"] == "follow" && job["state"] != "waiting" && job["state"] != "running")
    });
    let follow = queue.as_array().unwrap().iter().find(|job| job["kind"] == "follow").unwrap();
    assert_eq!(follow["state"], "done", "{follow}");
}
