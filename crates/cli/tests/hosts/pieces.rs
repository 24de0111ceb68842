//! A long export is written by several hosts, and has the same bytes as if one had written it.

use std::time::Duration;

use jampin_testkit::{ObjectStore, Server, decode_rgb};
use serde_json::{Value, json};

use super::{Worker, ask_for_film, ended, film, labelled_shot, server};

/// Long enough for four pieces.
const LONG: &str =
    "-f lavfi -i testsrc2=size=320x240:rate=25:duration=24 -f lavfi -i sine=duration=24 -pix_fmt yuv420p -c:a aac";

fn ask_for_project_s_film(server: &Server, project: &str) -> String {
    let asked = server.send("POST", &format!("/api/projects/{project}/film"), &json!({ "container": "mp4" }));
    assert_eq!(asked.status, 202, "{}", asked.text());
    asked.json()["job"].as_str().unwrap().to_owned()
}

#[test]
fn one_worker_and_three_of_which_one_dies_write_the_same_film() {
    let store = ObjectStore::start();
    let server = server(&store, None);
    let alone = Worker::start(&server, &store, &["--lanes", "1"]);
    let shot = labelled_shot(&server, LONG);
    let whole = film(&server, &ask_for_film(&server, &shot, "mp4"));
    let pictures = film(&server, &ask_for_film(&server, &shot, "png_graphics"));
    let project = server.get(&format!("/api/shots/{shot}")).json()["shot"]["project_id"].as_str().unwrap().to_owned();
    let of_project = film(&server, &ask_for_project_s_film(&server, &project));

    let others = [(); 2].map(|()| Worker::start(&server, &store, &["--kinds", "export", "--lanes", "1"]));
    let alive = |count: usize| move |workers: &Value| workers.as_array().is_some_and(|all| all.len() == count);
    server.wait("/api/workers", alive(3));
    let job = ask_for_film(&server, &shot, "mp4");
    let mut most = 0;
    let begun = std::time::Instant::now();
    let mut others = others.into_iter();
    let mut victim = others.next();
    while !ended(&server.get("/api/queue").json(), &job) {
        let workers = server.get("/api/workers").json();
        let busy = workers.as_array().unwrap().iter().filter(|one| one["busy"].as_i64() > Some(0)).count();
        most = busy.max(most);
        // As soon as all are at it, one of them dies.
        if busy == 3 {
            drop(victim.take());
        }
        assert!(begun.elapsed() < Duration::from_secs(170), "{workers}");
        std::thread::sleep(Duration::from_millis(20));
    }
    assert_eq!((most, victim.is_none()), (3, true), "all three were at work, and one died");
    assert!(film(&server, &job) == whole, "the same bytes");
    assert!(film(&server, &ask_for_film(&server, &shot, "png_graphics")) == pictures, "the same pictures");
    assert!(film(&server, &ask_for_project_s_film(&server, &project)) == of_project, "the same film of all shots");
    assert!(!store.keys().iter().any(|key| key.contains(".pieces/")), "{:?}", store.keys());

    // It plays: as many frames as the shot has, each another picture.
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("film.mp4");
    for bytes in [&whole, &of_project] {
        std::fs::write(&path, bytes).unwrap();
        let frames = decode_rgb(&path, 320, 240);
        assert_eq!(frames.len(), 600);
        assert!(frames.windows(2).all(|pair| pair[0] != pair[1]));
    }
    drop((alone, others));
}
