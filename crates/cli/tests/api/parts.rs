//! Shots of parts of a film, as programs see them.

use serde_json::{Value, json};

use super::{PROGRAM, idle};
use jampin_testkit::{Server, make_film};

/// Two pictures, one after the other: a cut on frame 20.
const TWO: &str = "-f lavfi -i testsrc2=size=320x240:rate=25:duration=0.8 -f lavfi -i \
     smptebars=size=320x240:rate=25:duration=0.8 -filter_complex [0][1]concat -pix_fmt yuv420p";

#[test]
fn a_film_with_a_cut_becomes_two_shots_and_a_range_one_more() {
    let server = Server::start(PROGRAM, &[]);
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Open day");
    let shot = server.shot_of(&project, &make_film(dir.path(), "two.mp4", TWO));
    let path = format!("/api/shots/{shot}");
    server
        .wait(&path, |state| state["clip"]["state"] == "ready" && idle(state) || state["clip"]["cuts"] == json!([20]));
    let post = |to: &str, body: Value| server.send("POST", to, &body);
    let parts = post(&format!("{path}/parts"), json!({}));
    assert_eq!(parts.status, 201, "{}", parts.text());
    let one = post(&format!("{path}/parts"), json!({ "range": [5, 12] }));
    assert_eq!(one.status, 201, "{}", one.text());
    let state = server.get(&format!("/api/projects/{project}")).json();
    let shots: Vec<(String, Value, bool)> = state["clips"][0]["shots"]
        .as_array()
        .unwrap()
        .iter()
        .map(|shot| (shot["name"].as_str().unwrap().to_owned(), shot["range"].clone(), shot["in_film"] == true))
        .collect();
    let range = |first: u32, last: u32| json!({ "first": first, "last": last });
    // Nothing was made of the whole: its parts take its place in the film.
    let wanted = [
        ("two", range(0, 39), false),
        ("two 0-19", range(0, 19), true),
        ("two 20-39", range(20, 39), true),
        ("two 5-12", range(5, 12), true),
    ];
    assert_eq!(shots, wanted.map(|(name, range, in_film)| (name.to_owned(), range, in_film)));
    // Each is worked on by itself, within its frames.
    let second = parts.json()["shots"][1].as_str().unwrap().to_owned();
    let pin = |frame: u32| {
        let body = json!({ "revision": 0, "frame": frame, "x": 92.0, "y": 120.0, "follow": true });
        post(&format!("/api/shots/{second}/pins"), body)
    };
    assert_eq!(pin(10).status, 422, "that is another shot's frame");
    assert_eq!(pin(25).status, 201);
    let state = server.wait(&format!("/api/shots/{second}"), idle);
    let frames = state["tracks"][0]["frame"].as_array().unwrap().clone();
    assert!(frames.iter().all(|frame| (20..=39).contains(&frame.as_u64().unwrap())), "{frames:?}");
    // One goes without the others; the last only with its film.
    let remove = |id: &str| server.send("DELETE", &format!("/api/shots/{id}"), &json!({})).status;
    assert_eq!((remove(&second), server.get(&format!("/api/shots/{second}")).status), (204, 404));
    for id in [parts.json()["shots"][0].as_str().unwrap(), one.json()["shots"][0].as_str().unwrap()] {
        assert_eq!(remove(id), 204);
    }
    let last = server.send("DELETE", &path, &json!({}));
    assert_eq!((last.status, last.text().contains("remove the film instead")), (409, true), "{}", last.text());
}

#[test]
fn what_is_no_part_is_refused() {
    let (server, shot) = super::with_shot(&[]);
    let path = format!("/api/shots/{shot}");
    server.wait(&path, |state| state["clip"]["state"] == "ready");
    for (range, word) in [(json!([9, 3]), "no range"), (json!([20, 900]), "no range"), (Value::Null, "no cut")] {
        let answer = server.send("POST", &format!("{path}/parts"), &json!({ "range": range }));
        assert!(answer.status == 422 && answer.text().contains(word), "{}", answer.text());
    }
}
