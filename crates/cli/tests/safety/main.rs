//! `kill -9` in the middle of work: nothing set by hand is lost, and the work is taken up again.

mod backup;
mod decoder;
mod left_over;
mod sandbox;

use jampin_testkit::{Server, make_film, probe_values};
use serde_json::{Value, json};

const PROGRAM: &str = env!("CARGO_BIN_EXE_jampin");

/// A long shot of a slowly moving test card, with a pin that holds.
fn long_shot(server: &Server) -> String {
    let dir = tempfile::tempdir().unwrap();
    let film = make_film(
        dir.path(),
        "long.mp4",
        "-f lavfi -i mandelbrot=size=640x360:rate=25:start_scale=0.8:end_scale=0.7:end_pts=900 -t 24 -preset ultrafast -crf 12 -pix_fmt yuv420p",
    );
    server.shot_of(&server.project("Open day"), &film)
}

fn found(state: &Value) -> usize {
    state["tracks"][0]["frame"].as_array().map_or(0, Vec::len)
}

#[test]
fn following_is_taken_up_again() {
    let mut server = Server::start(PROGRAM, &[]);
    let shot = long_shot(&server);
    let path = format!("/api/shots/{shot}");
    let body = json!({ "revision": 0, "frame": 0, "x": 250.0, "y": 180.0, "follow": true, "name": "Harbour light" });
    assert_eq!(server.send("POST", &format!("{path}/pins"), &body).status, 201);
    server.wait(&path, |state| found(state) > 5);
    server.kill();
    server.restart();
    let after = server.get(&path).json();
    assert_eq!(after["subjects"][0]["name"], "Harbour light", "what was set by hand is there");
    assert!(found(&after) > 5, "what was found is there");
    let end = server.wait(&path, |state| !state["jobs"][0]["ended_at"].is_null());
    let job = &end["jobs"][0];
    assert_eq!(job["state"], "done", "{job}");
    let uninterrupted = job["attempts"] == 1;
    assert!(uninterrupted || job["attempts"] == 2, "{job}");
    let frames: Vec<u64> = end["tracks"][0]["frame"].as_array().unwrap().iter().filter_map(Value::as_u64).collect();
    assert!(frames.windows(2).all(|pair| pair[1] == pair[0] + 1), "no hole where it was killed");
    let undone = server.send("POST", &format!("{path}/undo"), &json!({ "revision": end["shot"]["revision"] }));
    assert_eq!(undone.status, 200);
    assert_eq!(server.get(&path).json()["subjects"], json!([]), "one undo takes all of it back");
}

#[test]
fn exporting_is_taken_up_again_and_nothing_half_made_is_offered() {
    let mut server = Server::start(PROGRAM, &[]);
    let shot = long_shot(&server);
    let path = format!("/api/shots/{shot}");
    let asked = server.send("POST", &format!("{path}/exports"), &json!({ "container": "mp4" }));
    let job = asked.json()["job"].as_str().unwrap().to_owned();
    server.wait(&path, |state| state["jobs"][0]["progress"]["frames"].as_u64().is_some_and(|frames| frames > 10));
    server.kill();
    server.restart();
    let film = format!("/api/exports/{job}/film");
    assert_eq!(server.get(&film).status, 503, "not before it is finished");
    let end = server.wait(&path, |state| !state["jobs"][0]["ended_at"].is_null());
    assert_eq!((&end["jobs"][0]["state"], &end["jobs"][0]["attempts"]), (&json!("done"), &json!(2)));
    let answer = server.get(&film);
    assert_eq!(answer.status, 200);
    let saved = server.media().join("saved.mp4");
    std::fs::write(&saved, &answer.body).unwrap();
    assert_eq!(probe_values(&saved, "packet=pts").len(), 600);
}

#[test]
fn preparing_is_taken_up_again() {
    let mut server = Server::start(PROGRAM, &[]);
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Open day");
    let film = make_film(
        dir.path(),
        "long.mp4",
        "-f lavfi -i testsrc2=size=1280x720:rate=25:duration=16 -preset ultrafast -pix_fmt yuv420p",
    );
    let shot = server.upload(&project, &film).json()["shot"].as_str().unwrap().to_owned();
    server.kill();
    server.restart();
    let path = format!("/api/shots/{shot}");
    let state = server.wait(&path, |state| state["clip"]["state"] == "ready");
    assert_eq!(state["clip"]["prepared"], 400);
}

#[test]
fn mending_survives_and_undo_reaches_back_through_all_of_it() {
    let mut server = Server::start(PROGRAM, &[]);
    let shot = long_shot(&server);
    let path = format!("/api/shots/{shot}");
    let idle = |state: &Value| state["jobs"].as_array().unwrap().iter().all(|job| !job["ended_at"].is_null());
    let send = |server: &Server, to: &str, mut body: Value| {
        body["revision"] = server.get(&path).json()["shot"]["revision"].clone();
        let answer = server.send("POST", &format!("{path}/{to}"), &body);
        assert!(answer.status < 300, "{to}: {}", answer.text());
        answer.json()
    };
    let put = json!({ "frame": 300, "x": 250.0, "y": 180.0, "follow": true, "name": "Harbour light" });
    let pin = send(&server, "pins", put)["made"]["pin"].clone();
    let followed = server.wait(&path, idle);
    let range = |first: u32, last: u32, what: &str| json!({ "pin": pin, "first": first, "last": last, "do": what, "how": "smooth" });
    send(&server, "ranges", range(310, 330, "delete"));
    send(&server, "ranges", range(310, 330, "bridge"));
    send(&server, "ranges", range(290, 295, "hide"));
    // In the middle of the solve that follows from it.
    server.kill();
    server.restart();
    let state = server.wait(&path, idle);
    let job = state["jobs"].as_array().unwrap().iter().find(|job| job["kind"] == "solve").unwrap();
    assert_eq!(job["state"], "done", "{job}");
    let word = |state: &Value, frame: u64| {
        let track = &state["tracks"][0];
        let at = track["frame"].as_array().unwrap().iter().position(|other| *other == frame).unwrap();
        track["state"][at].as_str().unwrap().to_owned()
    };
    assert_eq!((word(&state, 320), word(&state, 292)), ("bridged".to_owned(), "hidden".to_owned()));
    for _ in 0..3 {
        send(&server, "undo", json!({}));
    }
    assert_eq!(server.get(&path).json()["tracks"], followed["tracks"], "three undos, three changes taken back");
    send(&server, "undo", json!({}));
    assert_eq!(server.get(&path).json()["subjects"], json!([]));
}
