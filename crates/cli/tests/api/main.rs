//! The server as programs see it, over a real PostgreSQL.

mod areas;
mod attached;
mod deletion;
mod graphics;
mod hostile;
mod limits;
mod mending;
mod numbered;
mod parts;
mod pictures;
mod several;
mod workers;

use jampin_testkit::{Server, make_film, request};
use serde_json::{Value, json};

const PROGRAM: &str = env!("CARGO_BIN_EXE_jampin");
const FILM: &str =
    "-f lavfi -i testsrc2=size=320x240:rate=25:duration=1.2 -f lavfi -i sine=duration=1.2 -pix_fmt yuv420p -c:a aac";

fn with_shot(extra: &[&str]) -> (Server, String) {
    let server = Server::start(PROGRAM, extra);
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Open day");
    let shot = server.shot_of(&project, &make_film(dir.path(), "test card.mp4", FILM));
    (server, shot)
}

fn put_pin(server: &Server, shot: &str, revision: i64) -> Value {
    let body = json!({ "revision": revision, "frame": 5, "x": 160.0, "y": 120.0, "follow": true });
    let made = server.send("POST", &format!("/api/shots/{shot}/pins"), &body);
    assert_eq!(made.status, 201, "{}", made.text());
    made.json()
}

/// Sends a change of a shot as it is now, and waits for the work that comes of it: status and answer.
fn change(server: &Server, path: &str, to: &str, mut body: Value) -> (u16, Value) {
    body["revision"] = server.get(path).json()["shot"]["revision"].clone();
    let answer = server.send("POST", &format!("{path}/{to}"), &body);
    let value = answer.json();
    if value["job"].is_string() {
        server.wait(path, idle);
    }
    (answer.status, value)
}

#[test]
fn a_quick_look_finds_every_fourth_frame_and_fills_in_the_rest() {
    let (server, shot) = with_shot(&[]);
    let path = format!("/api/shots/{shot}");
    let made = put_pin(&server, &shot, 0);
    server.wait(&path, idle);
    let states = || {
        let state = server.get(&path).json();
        let track = &state["tracks"][0];
        let frames = track["frame"].as_array().unwrap().iter().map(|frame| frame.as_u64().unwrap());
        let words = track["state"].as_array().unwrap().iter().map(|word| word.as_str().unwrap().to_owned());
        frames.zip(words).collect::<std::collections::BTreeMap<u64, String>>()
    };
    let follow = |every: u32, within: Value| {
        let body = json!({ "pin": made["made"]["pin"], "from": 5, "directions": ["forward", "backward"], "every": every,
            "within": within });
        change(&server, &path, "follow", body).0
    };
    assert_eq!(follow(4, Value::Null), 202);
    let quick = states();
    for (frame, word) in [(1, "found"), (5, "guide"), (6, "bridged"), (8, "bridged"), (9, "found"), (11, "bridged")] {
        assert_eq!(quick.get(&frame).map(String::as_str), Some(word), "frame {frame}: {quick:?}");
    }
    // Every frame again, but only of a range.
    assert_eq!(follow(1, json!({ "first": 10, "last": 12 })), 202);
    let mended = states();
    assert_eq!(mended[&11], "found");
    assert_eq!((&mended[&6], &mended[&14]), (&quick[&6], &quick[&14]));
    assert_eq!(follow(26, Value::Null), 422);
}

fn idle(state: &Value) -> bool {
    state["jobs"].as_array().is_some_and(|jobs| !jobs.is_empty() && jobs.iter().all(|job| !job["ended_at"].is_null()))
}

#[test]
fn from_film_to_samples() {
    let (server, shot) = with_shot(&[]);
    let path = format!("/api/shots/{shot}");
    let made = put_pin(&server, &shot, 0);
    let state = server.wait(&path, idle);
    let track = &state["tracks"][0];
    assert_eq!(track["pin"], made["made"]["pin"]);
    assert!(track["frame"].as_array().unwrap().len() > 5, "{track}");
    let csv = server.get(&format!("{path}/samples.csv"));
    assert!(csv.head.contains("attachment") && csv.head.contains("text/csv"), "{}", csv.head);
    let rows = csv.text().lines().count();
    assert_eq!(rows, track["frame"].as_array().unwrap().len() + 1);
    // Counted as the receiver counts.
    let first_of = |count: &str| {
        let csv = server.get(&format!("{path}/samples.csv?count={count}")).text();
        csv.lines().nth(1).unwrap().split(',').next().unwrap().to_owned()
    };
    let first = track["frame"][0].as_u64().unwrap();
    assert_eq!(
        [first_of("0"), first_of("1"), first_of("1001")],
        [first, first + 1, first + 1001].map(|n| n.to_string())
    );
    assert_eq!(first_of("timecode"), format!("00:00:00:{first:02}"));
    for file in ["samples.csv", "samples.json", "keys.csv", "path.json", "matrices.csv", "matrices.json"] {
        let refused = server.get(&format!("{path}/{file}?count=first"));
        assert!(refused.status == 422 && refused.text().contains("whole number"), "{file}: {}", refused.text());
        assert_eq!(server.get(&format!("{path}/{file}?count=timecode")).status, 200, "{file}");
    }
    let samples = server.get(&format!("{path}/samples.json")).json();
    assert_eq!(samples["pins"][0]["name"], "Subject A");
    assert_eq!(samples["pins"][0]["samples"].as_array().unwrap().len() + 1, rows);
    let scene = server.scene(&path);
    assert!(scene["artwork"][0]["svg"].as_str().unwrap().contains("<path"));
    assert_eq!(scene["frames"].as_array().unwrap().len(), 30);
    for which in ["picked", "now", "difference"] {
        let picture = server.get(&format!("{path}/pins/{}/{which}.png?frame=5", made["made"]["pin"].as_str().unwrap()));
        assert_eq!((picture.status, &picture.body[1..4]), (200, &b"PNG"[..]), "{which}");
    }
}

#[test]
fn an_old_revision_is_refused_with_the_new_one() {
    let (server, shot) = with_shot(&[]);
    put_pin(&server, &shot, 0);
    let subject = server.get(&format!("/api/shots/{shot}")).json()["subjects"][0]["id"].clone();
    let rename = json!({ "edit": "rename", "subject": subject, "name": "Buffer" });
    let body = json!({ "revision": 0, "title": "Name", "edit": rename });
    let refused = server.send("POST", &format!("/api/shots/{shot}/edits"), &body);
    assert_eq!(refused.status, 409);
    assert_eq!((&refused.json()["error"], &refused.json()["revision"]), (&json!("stale"), &json!(1)));
    assert!(refused.json()["message"].as_str().unwrap().contains("another window"));
}

#[test]
fn settings_that_make_no_sense_are_refused_in_words() {
    let (server, shot) = with_shot(&[]);
    let path = format!("/api/shots/{shot}");
    put_pin(&server, &shot, 0);
    let state = server.wait(&path, idle);
    let subject = &state["subjects"][0];
    let edit = |edit: Value| {
        let answer =
            server.send("POST", &format!("{path}/edits"), &json!({ "revision": 1, "title": "x", "edit": edit }));
        (answer.status, answer.json()["message"].as_str().unwrap_or_default().to_owned())
    };
    let mut pin = subject["pins"][0].clone();
    pin["pattern"] = json!([3, 3]);
    let refused = edit(json!({ "edit": "put_pin", "subject": subject["id"], "pin": pin }));
    assert!(refused.0 == 422 && refused.1.contains("between 7 and 255"), "{refused:?}");
    let mut label = subject["attachments"][0].clone();
    label["colour"] = json!("red");
    let refused = edit(json!({ "edit": "put_attachment", "subject": subject["id"], "attachment": label }));
    assert!(refused.0 == 422 && refused.1.contains("#rrggbb"), "{refused:?}");
    let refused = edit(json!({ "edit": "rename", "subject": subject["id"], "name": "" }));
    assert!(refused.0 == 422 && refused.1.contains("characters"), "{refused:?}");
    let refused = edit(json!({ "edit": "fly" }));
    assert_eq!(refused.0, 422, "{refused:?}");
    let outside = json!({ "revision": 1, "frame": 5, "x": 900.0, "y": 60.0 });
    assert_eq!(server.send("POST", &format!("{path}/pins"), &outside).status, 422);
    let nowhere = json!({ "revision": 1, "pin": subject["pins"][0]["id"], "from": 999, "directions": ["forward"] });
    let refused = server.send("POST", &format!("{path}/follow"), &nowhere);
    assert!(refused.status == 422 && refused.text().contains("not on frame 999"), "{}", refused.text());
    assert_eq!(server.get(&path).json()["shot"]["revision"], 1, "nothing was changed");
}

#[test]
fn bad_uploads_leave_nothing_behind() {
    let server = Server::start(PROGRAM, &["--upload-gb", "0.001"]);
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Open day");
    let text = dir.path().join("notes.txt");
    std::fs::write(&text, "not a film").unwrap();
    let refused = server.upload(&project, &text);
    assert!(refused.status == 422 && refused.text().contains("not a film"), "{}", refused.text());
    let huge = dir.path().join("huge.mp4");
    std::fs::write(&huge, vec![7; 1_200_000]).unwrap();
    let refused = server.upload(&project, &huge);
    assert!(refused.status == 413 && refused.text().contains("larger than"), "{}", refused.text());
    let whole = std::fs::read(make_film(dir.path(), "whole.mp4", FILM)).unwrap();
    let cut = dir.path().join("cut.mp4");
    std::fs::write(&cut, &whole[..whole.len() / 2]).unwrap();
    let refused = server.upload(&project, &cut);
    assert!(refused.status == 422 && refused.text().contains("cut off"), "{}", refused.text());
    assert_eq!(server.get(&format!("/api/projects/{project}")).json()["clips"], json!([]));
    let left = |folder: &str| std::fs::read_dir(server.media().join(folder)).map_or(0, Iterator::count);
    assert_eq!((left("uploads"), left("clips")), (0, 0));
}

#[test]
fn frames_are_kept_for_ever_and_missing_ones_are_named() {
    let (server, shot) = with_shot(&[]);
    let clip = server.get(&format!("/api/shots/{shot}")).json()["clip"]["id"].as_str().unwrap().to_owned();
    for path in [format!("/clips/{clip}/frames/29.jpg"), format!("/clips/{clip}/frames/3.full.jpg")] {
        let frame = server.get(&path);
        assert_eq!((frame.status, &frame.body[..2]), (200, &[0xFF, 0xD8][..]), "{path}");
        assert!(frame.head.contains("immutable"), "{}", frame.head);
    }
    let missing = server.get(&format!("/clips/{clip}/frames/30.jpg"));
    assert!(missing.status == 404 && missing.text().contains("30 frames"), "{}", missing.text());
}

#[test]
fn only_this_machine_and_its_own_pages_are_served() {
    let server = Server::start(PROGRAM, &[]);
    assert!(server.address.starts_with("127.0.0.1:"));
    let other_name = request(&server.address, "GET", "/", "Host: evil.example\r\n", b"");
    assert_eq!(other_name.status, 403);
    let head = "Content-Type: application/json\r\nOrigin: http://evil.example\r\n";
    let foreign = request(&server.address, "POST", "/api/projects", head, br#"{"name":"x"}"#);
    assert_eq!(foreign.status, 403);
    let page = server.get("/");
    assert!(page.head.contains("content-security-policy") && page.head.contains("nosniff"), "{}", page.head);
    assert_eq!(server.get("/shots/00000000-0000-0000-0000-000000000000").status, 404);
    assert_eq!(server.get("/nowhere").status, 404);
}

#[test]
fn following_stops_when_asked_and_can_be_undone_as_one() {
    let server = Server::start(PROGRAM, &[]);
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Open day");
    let film = "-f lavfi -i mandelbrot=size=640x360:rate=25:start_scale=0.8:end_scale=0.7:end_pts=900 -t 12 -preset ultrafast \
                -crf 12 -pix_fmt yuv420p";
    let shot = server.shot_of(&project, &make_film(dir.path(), "long.mp4", film));
    let path = format!("/api/shots/{shot}");
    let made = server.send(
        "POST",
        &format!("{path}/pins"),
        &json!({ "revision": 0, "frame": 0, "x": 250.0, "y": 180.0, "follow": true }),
    );
    let job = made.json()["job"].as_str().unwrap().to_owned();
    server.wait(&path, |state| state["tracks"][0]["frame"].as_array().is_some_and(|frames| frames.len() > 3));
    assert_eq!(server.send("POST", &format!("/api/jobs/{job}/cancel"), &json!({})).status, 204);
    let state = server.wait(&path, idle);
    assert!(matches!(state["jobs"][0]["state"].as_str(), Some("cancelled" | "done")), "{}", state["jobs"]);
    let revision = state["shot"]["revision"].as_i64().unwrap();
    let undone = server.send("POST", &format!("{path}/undo"), &json!({ "revision": revision }));
    assert_eq!(undone.status, 200, "{}", undone.text());
    let state = server.get(&path).json();
    assert_eq!((&state["subjects"], &state["undo"]), (&json!([]), &Value::Null));
}

/// The state of the shot once all its work is done.
fn settled(server: &Server, path: &str) -> Value {
    server.wait(path, idle)
}

fn index(track: &Value, frame: u32) -> usize {
    track["frame"].as_array().unwrap().iter().position(|other| other == frame).expect("there is a sample")
}

#[test]
fn a_guide_is_put_moved_and_removed_and_the_solve_follows_it() {
    let server = Server::start(PROGRAM, &[]);
    let dir = tempfile::tempdir().unwrap();
    let project = server.project("Open day");
    // A still picture: wherever a guide says it is, there it is found.
    let film = "-f lavfi -i mandelbrot=size=320x240:rate=1:start_scale=0.8 -vf trim=end_frame=1,loop=29:1,setpts=N/25/TB \
                -r 25 -frames:v 30 -pix_fmt yuv420p";
    let shot = server.shot_of(&project, &make_film(dir.path(), "still.mp4", film));
    let path = format!("/api/shots/{shot}");
    let body = json!({ "revision": 0, "frame": 5, "x": 120.0, "y": 100.0, "follow": true });
    let made = server.send("POST", &format!("{path}/pins"), &body).json();
    let pin = &made["made"]["pin"];
    let state = settled(&server, &path);
    let track = &state["tracks"][0];
    assert_eq!(track["state"][index(track, 20)], "found", "{}", state["jobs"]);
    assert_eq!((&track["solved"][index(track, 4)], &track["solved"][index(track, 20)]), (&json!(true), &json!(true)));
    assert!(track["back_error"][index(track, 20)].as_f64().unwrap() < 0.1);
    let doubts = server.get(&format!("{path}/pins/{}/doubts", pin.as_str().unwrap())).json();
    assert_eq!(doubts["next_guide"], Value::Null, "what stands still needs no guide: {doubts}");

    let guide = |at: Value, frame: u32| {
        let revision = server.get(&path).json()["shot"]["revision"].clone();
        let body = json!({ "revision": revision, "pin": pin, "frame": frame, "at": at });
        server.send("POST", &format!("{path}/guides"), &body)
    };
    let put = guide(json!({ "x": 123.0, "y": 101.0 }), 20);
    assert_eq!(put.status, 202, "{}", put.text());
    let state = settled(&server, &path);
    let track = &state["tracks"][0];
    assert_eq!(track["state"][index(track, 20)], "guide");
    assert_eq!(track["x"][index(track, 20)], 123.0);
    let x = |track: &Value, frame: u32| track["x"][index(track, frame)].as_f64().unwrap();
    // Beyond the guide it stays where the guide said; before the first nothing changes.
    assert!((x(track, 26) - 123.0).abs() < 0.1 && (x(track, 2) - 120.0).abs() < 0.1, "{track}");

    let removed = guide(Value::Null, 20);
    assert_eq!(removed.status, 202, "{}", removed.text());
    let state = settled(&server, &path);
    assert!((x(&state["tracks"][0], 26) - 120.0).abs() < 0.1, "{}", state["tracks"]);
    // One undo takes the removal with its solve back.
    let revision = state["shot"]["revision"].clone();
    assert_eq!(server.send("POST", &format!("{path}/undo"), &json!({ "revision": revision })).status, 200);
    let state = server.get(&path).json();
    let track = &state["tracks"][0];
    assert!((x(track, 26) - 123.0).abs() < 0.1 && track["state"][index(track, 20)] == "guide", "{track}");

    for (at, frame, says) in [
        (Value::Null, 11, "no guide"),
        (Value::Null, 5, "only moved"),
        (json!({"x": 1.0, "y": 1.0}), 99, "not in this shot"),
    ] {
        let refused = guide(at, frame);
        assert!(refused.status == 422 && refused.text().contains(says), "{} {}", refused.status, refused.text());
    }
}

#[test]
fn good_spots_come_with_what_is_wrong_with_the_others() {
    let (server, shot) = with_shot(&[]);
    let path = format!("/api/shots/{shot}/spots");
    let all = server.get(&format!("{path}?frame=3")).json();
    let spots = all["spots"].as_array().unwrap();
    assert!(spots.len() > 5, "{all}");
    assert!(spots[0]["problem"].is_null() && spots[0]["predicted_error"].as_f64().unwrap() < 0.1, "{all}");
    let near = server.get(&format!("{path}?frame=3&x=160&y=120")).json();
    assert!(near["here"]["side"].as_u64().unwrap() >= 21, "{near}");
    for spot in near["spots"].as_array().unwrap() {
        let (x, y) = (spot["at"]["x"].as_f64().unwrap(), spot["at"]["y"].as_f64().unwrap());
        assert!((x - 160.0).abs() <= 41.0 && (y - 120.0).abs() <= 41.0, "{spot}");
    }
    assert_eq!(server.get(&format!("{path}?frame=nine")).status, 422);
    assert_eq!(server.get(&format!("{path}?frame=999")).status, 422);
}

#[test]
fn a_pin_that_looks_at_colour_gets_its_planes_by_itself() {
    let (server, shot) = with_shot(&[]);
    let path = format!("/api/shots/{shot}");
    let body = json!({ "revision": 0, "frame": 5, "x": 160.0, "y": 120.0 });
    let made = server.send("POST", &format!("{path}/pins"), &body).json();
    let state = server.get(&path).json();
    let mut pin = state["subjects"][0]["pins"][0].clone();
    pin["channel"] = json!("colour");
    let edit = json!({ "edit": "put_pin", "subject": made["made"]["subject"], "pin": pin });
    let put = json!({ "revision": state["shot"]["revision"], "title": "All colours", "edit": edit });
    let revision = server.send("POST", &format!("{path}/edits"), &put).json()["revision"].clone();
    let body = json!({ "revision": revision, "pin": pin["id"], "from": 5, "directions": ["forward", "backward"] });
    let started = server.send("POST", &format!("{path}/follow"), &body);
    assert_eq!(started.status, 202, "{}", started.text());
    let state = settled(&server, &path);
    assert_eq!(state["jobs"][0]["state"], "done", "{}", state["jobs"]);
    assert!(state["tracks"][0]["frame"].as_array().unwrap().len() > 5);
}
