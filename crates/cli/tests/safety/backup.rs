//! The drill: a backup while people work, a machine that is lost, and everything back on another.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use jampin_testkit::{Server, fresh_database, make_film, request};
use serde_json::{Value, json};

use crate::PROGRAM;

const FILM: &str = "-f lavfi -i testsrc2=size=320x240:rate=25:duration=2 -pix_fmt yuv420p";
const CREST: &[u8] =
    b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='20'><rect width='40' height='20'/></svg>";

fn jampin(word: &str, database: &str, media: &Path, folder: &Path) -> Output {
    let mut command = Command::new(PROGRAM);
    command.arg(word).args(["--database", database, "--media"]).arg(media).arg(folder);
    command.output().unwrap()
}

fn said(output: &Output) -> String {
    format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr))
}

fn text(value: &Value) -> String {
    value.as_str().unwrap().to_owned()
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let mut found: Vec<PathBuf> =
        fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path()).collect();
    found.sort();
    found
}

struct Work {
    project: String,
    shot: String,
    film: String,
    picture: String,
}

/// A project with a film, a followed pin, a picture and a finished film.
fn work(server: &Server, films: &Path) -> Work {
    let project = server.project("Open day");
    let shot = server.shot_of(&project, &make_film(films, "card.mp4", FILM));
    let pin = json!({ "revision": 0, "frame": 5, "x": 160.0, "y": 120.0, "follow": true });
    assert_eq!(server.send("POST", &format!("/api/shots/{shot}/pins"), &pin).status, 201);
    let picture =
        request(&server.address, "PUT", &format!("/api/projects/{project}/pictures?name=crest.svg"), "", CREST);
    let picture = text(&picture.json()["id"]);
    let export = server.send("POST", &format!("/api/shots/{shot}/exports"), &json!({ "container": "mp4" }));
    let film = text(&export.json()["job"]);
    server.wait(&format!("/api/shots/{shot}"), |state| {
        state["jobs"].as_array().unwrap().iter().all(|job| job["state"] == "done")
    });
    Work { project, shot, film, picture }
}

/// Renames the subject over and over; gives the names that were taken in.
fn rename_until(server: &Server, shot: &str, stop: &AtomicBool) -> Vec<String> {
    let mut names = Vec::new();
    while !stop.load(Ordering::Relaxed) {
        let state = server.get(&format!("/api/shots/{shot}")).json();
        let name = format!("Guard {}", names.len());
        let edit = json!({ "edit": "rename", "subject": state["subjects"][0]["id"], "name": name });
        let body = json!({ "revision": state["shot"]["revision"], "title": "Rename", "edit": edit });
        assert_eq!(server.send("POST", &format!("/api/shots/{shot}/edits"), &body).status, 200);
        names.push(name);
    }
    names
}

#[test]
fn a_backup_that_was_taken_while_people_worked_brings_everything_back() {
    let server = Server::start(PROGRAM, &[]);
    let (films, safe) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let folder = safe.path().join("backup");
    let made = work(&server, films.path());
    let stop = AtomicBool::new(false);
    let (names, backup) = std::thread::scope(|scope| {
        let renaming = scope.spawn(|| rename_until(&server, &made.shot, &stop));
        let backup = jampin("backup", server.database(), server.media(), &folder);
        stop.store(true, Ordering::Relaxed);
        (renaming.join().unwrap(), backup)
    });
    assert!(backup.status.success() && said(&backup).contains("1 films of shots, 2 pictures"), "{}", said(&backup));
    let shot = format!("/api/shots/{}", made.shot);
    let film = |server: &Server| server.get(&format!("/api/exports/{}/film", made.film)).body;
    let before = (server.get(&shot).json(), film(&server));
    drop(server);

    // Another machine.
    let (database, media) = (fresh_database(), tempfile::tempdir().unwrap());
    let back = jampin("restore", &database, media.path(), &folder);
    assert!(back.status.success(), "{}", said(&back));
    let other = Server::over(PROGRAM, &database, media.path());
    let after = other.get(&shot).json();
    // The moment was one of those between two changes.
    let name = text(&after["subjects"][0]["name"]);
    assert!(name == "Subject A" || names.contains(&name), "{name}");
    assert_eq!(after["tracks"], before.0["tracks"]);
    assert_eq!(film(&other), before.1);
    assert_eq!(other.get(&format!("/pictures/{}", made.picture)).status, 200);
    assert_eq!(other.get(&format!("/clips/{}/frames/30.jpg", text(&after["clip"]["id"]))).status, 200);
    // Work goes on, undo included, and following needs planes that are made again.
    let undone = other.send("POST", &format!("{shot}/undo"), &json!({ "revision": after["shot"]["revision"] }));
    assert_eq!(undone.status, 200, "{}", undone.text());
    let revision = undone.json()["revision"].clone();
    let pin = json!({ "revision": revision, "frame": 9, "x": 100.0, "y": 80.0, "follow": true });
    let begun = Instant::now();
    let put = loop {
        let put = other.send("POST", &format!("{shot}/pins"), &pin);
        if put.status != 503 || begun.elapsed() > Duration::from_secs(60) {
            break put;
        }
    };
    assert_eq!(put.status, 201, "{}", put.text());
    let found = |state: &Value| {
        state["tracks"]
            .as_array()
            .unwrap()
            .iter()
            .any(|track| track["pin"] == put.json()["made"]["pin"] && track["frame"].as_array().unwrap().len() > 20)
    };
    other.wait(&shot, found);

    // What is in use is not written over.
    let refused = jampin("restore", &database, tempfile::tempdir().unwrap().path(), &folder);
    assert!(refused.status.code() == Some(2) && said(&refused).contains("has projects in it"), "{}", said(&refused));
    let refused = jampin("restore", &fresh_database(), media.path(), &folder);
    assert!(refused.status.code() == Some(2) && said(&refused).contains("has films in it"), "{}", said(&refused));
    assert_eq!(other.get(&format!("/api/projects/{}", made.project)).status, 200);
}

#[test]
fn the_second_backup_copies_what_is_new_and_drops_what_is_gone() {
    let server = Server::start(PROGRAM, &[]);
    let (films, safe) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let folder = safe.path().join("backup");
    let made = work(&server, films.path());
    let back_up = || jampin("backup", server.database(), server.media(), &folder);
    assert!(back_up().status.success());
    let again = back_up();
    assert!(again.status.success() && said(&again).contains("0.0 MB copied"), "{}", said(&again));
    // One that was broken off has left this; the next one clears it away.
    fs::write(folder.join("database-1.dump"), b"half").unwrap();
    fs::write(folder.join("media/exports/x.mp4.part"), b"half").unwrap();
    server.send("DELETE", &format!("/api/exports/{}", made.film), &json!({}));
    assert!(back_up().status.success());
    assert_eq!(files(&folder.join("media/exports")), Vec::<PathBuf>::new());
    assert_eq!(files(&folder.join("media/clips")).len(), 1);
    assert_eq!(files(&folder).len(), 3, "a dump, the media, and what it is: {:?}", files(&folder));

    // A film that was lost before is told of; the rest is kept.
    let clip = text(&server.get(&format!("/api/shots/{}", made.shot)).json()["clip"]["id"]);
    fs::remove_file(server.media().join("clips").join(&clip).join("original")).unwrap();
    let told = back_up();
    assert!(told.status.success() && said(&told).contains("not in the media folder"), "{}", said(&told));

    let other = Server::start(PROGRAM, &[]);
    let refused = jampin("backup", other.database(), other.media(), &folder);
    assert!(refused.status.code() == Some(2) && said(&refused).contains("another database"), "{}", said(&refused));
    let refused = jampin("backup", other.database(), other.media(), films.path());
    assert!(refused.status.code() == Some(2) && said(&refused).contains("other things"), "{}", said(&refused));
    let refused = jampin("restore", &fresh_database(), tempfile::tempdir().unwrap().path(), films.path());
    assert!(refused.status.code() == Some(2) && said(&refused).contains("no finished backup"), "{}", said(&refused));
}
