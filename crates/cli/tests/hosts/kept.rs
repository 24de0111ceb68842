//! What one host keeps the others have; what was taken away is gone everywhere.

use std::fs;
use std::path::Path;

use jampin_testkit::ObjectStore;

use super::{FILM, Worker, ask_for_film, film, labelled_shot, server};

fn files_below(folder: &Path) -> usize {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries.map(|entry| if entry.path().is_dir() { files_below(&entry.path()) } else { 1 }).sum()
}

#[test]
fn a_shot_is_brought_in_here_followed_there_and_watched_on_a_third_host() {
    let store = ObjectStore::start();
    let here = server(&store, None);
    let worker = Worker::start(&here, &store, &[]);
    let shot = labelled_shot(&here, FILM);
    let there = server(&store, Some(here.database()));
    let state = there.get(&format!("/api/shots/{shot}")).json();
    let clip = state["clip"]["id"].as_str().unwrap().to_owned();
    assert!(state["tracks"][0]["frame"].as_array().unwrap().len() > 25, "it was followed");
    for frame in [0, 17, 29] {
        for path in [format!("/clips/{clip}/frames/{frame}.jpg"), format!("/clips/{clip}/frames/{frame}.full.jpg")] {
            let [one, two] = [&here, &there].map(|server| server.get(&path));
            assert_eq!((one.status, two.status), (200, 200), "{path}");
            assert!(one.body == two.body && one.body.starts_with(b"\xff\xd8"), "{path}");
        }
    }
    // What needs planes makes them where they are needed.
    let pin = state["subjects"][0]["pins"][0]["id"].as_str().unwrap();
    assert!(state["subjects"].is_array() && !there.media().join(format!("clips/{clip}/planes")).exists());
    let patches = there.wait_for_status(&format!("/api/shots/{shot}/pins/{pin}/now.png?frame=12"), 200);
    assert!(!patches.body.is_empty());
    assert!(there.media().join(format!("clips/{clip}/planes")).exists());

    let job = ask_for_film(&there, &shot, "mp4");
    assert!(film(&here, &job) == film(&there, &job));
    let is_kept = |ending: &str| store.keys().iter().any(|key| key.ends_with(ending));
    assert!(is_kept(&format!("kept/exports/{job}.mp4")) && is_kept(&format!("kept/clips/{clip}/original")));
    assert_eq!(store.keys().iter().filter(|key| key.contains("/previews/")).count(), 30);
    assert_eq!(files_below(&worker.media.path().join("exports")), 0, "a finished film does not stay with the worker");

    assert_eq!(here.send("DELETE", &format!("/api/clips/{clip}"), &serde_json::json!({})).status, 204);
    let left: Vec<String> = store.keys().into_iter().filter(|key| key.contains(&clip)).collect();
    assert!(left.is_empty(), "{left:?}");
    assert_eq!(there.get(&format!("/clips/{clip}/frames/0.jpg")).status, 404);
}
