//! An ffmpeg that is killed by the system in the middle of its work.

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::path::Path;

use jampin_testkit::{Server, make_film};
use serde_json::json;

use crate::PROGRAM;

/// Stands in for ffmpeg: while there is a file `die` beside it, it ends by a signal after 40 frames of planes; a file
/// `once` makes that the only time. Else it is the real one.
const STAND_IN: &str = r#"#!/bin/sh
here=$(dirname "$0")
PATH=${PATH#*:}
case "$*" in
*showinfo*)
    if [ -e "$here/die" ]; then
        [ -e "$here/once" ] && rm "$here/die"
        ffmpeg "$@" | head -c 4608000
        kill -9 $$
    fi ;;
esac
exec ffmpeg "$@"
"#;

const FILM: &str = "-f lavfi -i testsrc2=size=320x240:rate=25:duration=4 -pix_fmt yuv420p";

fn with_stand_in() -> (Server, tempfile::TempDir) {
    let dir = tempfile::tempdir().unwrap();
    put_stand_in(dir.path(), STAND_IN);
    (Server::start_with_tools(PROGRAM, &["--no-sandbox"], dir.path()), dir)
}

fn put_stand_in(dir: &Path, script: &str) {
    let program = dir.join("ffmpeg");
    fs::write(&program, script).unwrap();
    fs::set_permissions(&program, fs::Permissions::from_mode(0o755)).unwrap();
}

fn say(dir: &Path, word: &str) {
    fs::write(dir.join(word), b"").unwrap();
}

#[test]
fn what_was_ready_is_never_made_shorter_by_it() {
    let (server, tools) = with_stand_in();
    let films = tempfile::tempdir().unwrap();
    let shot = server.shot_of(&server.project("Open day"), &make_film(films.path(), "card.mp4", FILM));
    let path = format!("/api/shots/{shot}");
    let body = json!({ "revision": 0, "frame": 90, "x": 160.0, "y": 120.0 });
    let pin = server.send("POST", &format!("{path}/pins"), &body).json()["made"]["pin"].clone();
    let clip = server.get(&path).json()["clip"]["id"].as_str().unwrap().to_owned();
    let planes = server.media().join("clips").join(&clip).join("planes");
    let whole = |state: &serde_json::Value| {
        assert_eq!((&state["clip"]["state"], &state["clip"]["prepared"]), (&json!("ready"), &json!(100)), "{state}");
        assert_eq!(state["shot"]["range"], json!({ "first": 0, "last": 99 }));
    };
    whole(&server.get(&path).json());

    // The planes were dropped; ffmpeg dies while they are made again, once, then works.
    fs::remove_dir_all(&planes).unwrap();
    say(tools.path(), "once");
    say(tools.path(), "die");
    let follow = json!({ "revision": 1, "pin": pin, "from": 90, "directions": ["forward"] });
    assert_eq!(server.send("POST", &format!("{path}/follow"), &follow).status, 202);
    let after = server.wait(&path, |state| !state["jobs"][0]["ended_at"].is_null());
    assert_eq!(after["jobs"][0]["state"], "done", "{}", after["jobs"][0]);
    whole(&after);
    assert!(!tools.path().join("die").exists(), "it did die");

    // It dies each time: the clip stays as it was.
    fs::remove_dir_all(&planes).unwrap();
    fs::remove_file(tools.path().join("once")).unwrap();
    say(tools.path(), "die");
    let follow = json!({ "revision": after["shot"]["revision"], "pin": pin, "from": 90, "directions": ["backward"] });
    assert_eq!(server.send("POST", &format!("{path}/follow"), &follow).status, 202);
    let gave_up = |state: &serde_json::Value| {
        let jobs = state.as_array().unwrap();
        jobs.iter().any(|job| job["kind"] == "follow" && job["state"] == "failed")
    };
    let queue = server.wait("/api/queue", gave_up);
    let job = queue.as_array().unwrap().iter().find(|job| job["state"] == "failed").unwrap();
    assert!(job["problem"].as_str().unwrap().contains("could not be read again"), "{job}");
    whole(&server.get(&path).json());
}

/// Notes how many of it run at once.
const COUNTING: &str = r#"#!/bin/sh
here=$(dirname "$0")
PATH=${PATH#*:}
case "$*" in
*image2* | *showinfo*) exec ffmpeg "$@" ;;
esac
: > "$here/running.$$"
ls "$here" | grep -c running >> "$here/counts"
sleep 0.2
ffmpeg "$@"
rm "$here/running.$$"
"#;

#[test]
fn of_many_full_pictures_two_are_made_at_once() {
    let dir = tempfile::tempdir().unwrap();
    put_stand_in(dir.path(), COUNTING);
    let server = Server::start_with_tools(PROGRAM, &["--no-sandbox"], dir.path());
    let films = tempfile::tempdir().unwrap();
    let shot = server.shot_of(&server.project("Open day"), &make_film(films.path(), "card.mp4", FILM));
    let clip = server.get(&format!("/api/shots/{shot}")).json()["clip"]["id"].as_str().unwrap().to_owned();
    let ask = |frame: u32| server.get(&format!("/clips/{clip}/frames/{frame}.full.jpg"));
    let answers: Vec<u16> = std::thread::scope(|scope| {
        let ask = &ask;
        let asked: Vec<_> = (0..12).map(|frame| scope.spawn(move || ask(frame).status)).collect();
        asked.into_iter().map(|asked| asked.join().unwrap()).collect()
    });
    assert_eq!(answers, [200; 12]);
    let counts = fs::read_to_string(dir.path().join("counts")).unwrap();
    let counts: Vec<u32> = counts.lines().map(|line| line.parse().unwrap()).collect();
    assert_eq!((counts.len(), counts.iter().max()), (12, Some(&2)), "{counts:?}");
}

#[test]
fn a_film_that_could_not_be_prepared_says_so_and_can_be_tried_again() {
    let (server, tools) = with_stand_in();
    let films = tempfile::tempdir().unwrap();
    say(tools.path(), "die");
    let project = server.project("Open day");
    let shot = server.upload(&project, &make_film(films.path(), "card.mp4", FILM)).json()["shot"].clone();
    let path = format!("/api/shots/{}", shot.as_str().unwrap());
    let state = server.wait(&path, |state| state["clip"]["state"] != "preparing");
    assert_eq!(state["clip"]["state"], "failed");
    let problem = state["clip"]["problem"].as_str().unwrap();
    assert!(problem.contains("ended by the system") && problem.contains("tried 3 times"), "{problem}");
    fs::remove_file(tools.path().join("die")).unwrap();
    let clip = state["clip"]["id"].as_str().unwrap();
    assert_eq!(server.send("POST", &format!("/api/clips/{clip}/prepare"), &json!({})).status, 202);
    let state = server.wait(&path, |state| state["clip"]["state"] == "ready");
    assert_eq!((&state["clip"]["prepared"], &state["clip"]["problem"]), (&json!(100), &json!(null)));
}
