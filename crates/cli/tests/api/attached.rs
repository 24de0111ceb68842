//! Attachments as programs see them: dragged, dressed alike, checked; and the film of a project.

use jampin_testkit::{decode_rgb, make_film, probe_values};
use serde_json::{Value, json};

use super::PROGRAM;
use super::graphics::{Bench, id, place};
use jampin_testkit::Server;

fn label(n: usize, text: &str) -> Value {
    json!({
        "id": id(n), "kind": "label", "text": text, "font": "sans", "size": 26.0, "colour": "#ffffff", "box": null,
        "line_width": null, "placement": { "offset": { "x": 60.0, "y": -40.0 } },
    })
}

impl Bench {
    fn call(&self, method: &str, to: &str, mut body: Value) -> (u16, Value) {
        body["revision"] = self.server.get(&self.path).json()["shot"]["revision"].clone();
        let answer = self.server.send(method, &format!("{}/{to}", self.path), &body);
        (answer.status, answer.json())
    }

    fn attachment(&self, n: usize) -> Value {
        let state = self.server.get(&self.path).json();
        let all = state["subjects"][0]["attachments"].as_array().unwrap().clone();
        all.into_iter().find(|one| one["id"] == id(n)).unwrap()
    }
}

#[test]
fn a_drag_is_an_offset_that_keeps_following() {
    let half = json!({ "show": { "takes": { "axis": "both", "share": 0.5 } } });
    let mut far = label(21, "Moon");
    far.as_object_mut().unwrap().extend(half.as_object().unwrap().clone());
    let bench = Bench::new(&[label(20, "Guard"), far]);
    for n in [20, 21] {
        let before = bench.attachment(n)["placement"]["offset"].clone();
        let (x, y) = place(6);
        let body = json!({ "frame": 6, "from": { "x": x, "y": y }, "to": { "x": x + 30.0, "y": y - 12.0 } });
        let (status, answer) = bench.call("POST", &format!("attachments/{}/move", id(n)), body);
        assert_eq!(status, 200, "{answer}");
        let after = bench.attachment(n)["placement"]["offset"].clone();
        let moved = |axis: &str| after[axis].as_f64().unwrap() - before[axis].as_f64().unwrap();
        assert!((moved("x") - 30.0).abs() < 1e-9 && (moved("y") + 12.0).abs() < 1e-9, "{before} {after}");
    }
    let gone = json!({ "frame": 900, "from": { "x": 0.0, "y": 0.0 }, "to": { "x": 1.0, "y": 1.0 } });
    let (status, answer) = bench.call("POST", &format!("attachments/{}/move", id(20)), gone);
    assert_eq!(status, 422);
    assert!(answer["message"].as_str().unwrap().contains("a frame on which it is shown"), "{answer}");
}

#[test]
fn one_change_of_a_look_changes_all_that_have_it() {
    let bench = Bench::new(&[label(20, "Guard"), label(21, "Mira"), label(22, "Odo")]);
    let look = |n: usize| format!("attachments/{}/look/Names", id(n));
    // Its own becomes the look; then another gets it; then, changed, both follow, the third does not.
    let (status, answer) = bench.call("PUT", &look(20), json!({ "all": false }));
    assert_eq!(status, 200, "{answer}");
    assert_eq!(bench.call("PUT", &look(21), json!({ "all": false })).0, 200);
    let mut changed = bench.attachment(20);
    changed["size"] = json!(44.0);
    changed["colour"] = json!("#ffee00");
    let edit = json!({ "edit": "put_attachment", "subject": id(10), "attachment": changed });
    assert_eq!(bench.call("POST", "edits", json!({ "title": "Larger", "edit": edit })).0, 200);
    let seen = |n: usize| {
        let one = bench.attachment(n);
        (one["size"].as_f64().unwrap(), one["text"].as_str().unwrap().to_owned(), one["look"].clone())
    };
    assert_eq!(seen(21), (44.0, "Mira".into(), json!("Names")));
    assert_eq!(seen(22), (26.0, "Odo".into(), Value::Null));
    let kept = bench.server.get(&bench.path).json()["looks"].clone();
    assert_eq!((&kept[0]["look"], &kept[0]["size"]), (&json!("Names"), &json!(44.0)), "the project keeps it so");
    // A change against an old revision is refused, and the project's look is as it was.
    changed["size"] = json!(90.0);
    let edit = json!({ "edit": "put_attachment", "subject": id(10), "attachment": changed });
    let stale = bench.server.send(
        "POST",
        &format!("{}/edits", bench.path),
        &json!({ "revision": 0, "title": "Late", "edit": edit }),
    );
    assert_eq!(stale.status, 409);
    assert_eq!(bench.server.get(&bench.path).json()["looks"][0]["size"], 44.0);
    // One undo takes back what one change did.
    assert_eq!(bench.call("POST", "undo", json!({})).0, 200);
    let kept = || bench.server.get(&bench.path).json()["looks"][0]["size"].as_f64();
    assert_eq!((seen(20).0, seen(21).0, kept()), (26.0, 26.0, Some(26.0)));
    assert_eq!(bench.call("POST", "redo", json!({})).0, 200);
    assert_eq!((seen(20).0, seen(21).0, kept()), (44.0, 44.0, Some(44.0)));
    assert_eq!(bench.call("PUT", &look(22), json!({ "all": true })).0, 200);
    assert_eq!((seen(20).0, seen(21).0, seen(22).0), (44.0, 44.0, 44.0), "for all of the kind");
    let flare = json!({ "id": id(23), "kind": "flare", "colour": "#ffd9a0", "size": 70.0, "rays": 0, "streak": 0.0, "ring": 0.0, "ghosts": 0 });
    let edit = json!({ "edit": "put_attachment", "subject": id(10), "attachment": flare });
    assert_eq!(bench.call("POST", "edits", json!({ "title": "Flare", "edit": edit })).0, 200);
    let (status, answer) = bench.call("PUT", &look(23), json!({ "all": false }));
    assert_eq!(status, 422);
    assert!(answer["message"].as_str().unwrap().contains("another name"), "{answer}");
}

#[test]
fn a_look_is_the_same_in_all_shots_of_a_project() {
    let bench = Bench::new(&[label(20, "Guard")]);
    assert_eq!(bench.call("PUT", &format!("attachments/{}/look/Names", id(20)), json!({ "all": false })).0, 200);
    let named = bench.attachment(20);
    // Another shot of the same film: a label that has the look, and one that has not.
    let project = bench.server.get(&bench.path).json()["shot"]["project_id"].as_str().unwrap().to_owned();
    let film =
        make_film(bench.server.media(), "other.mp4", "-f lavfi -i color=c=gray:s=320x180:r=25:d=0.4 -pix_fmt yuv420p");
    let other = format!("/api/shots/{}", bench.server.shot_of(&project, &film));
    let pin = json!({ "id": id(2), "frame": 0, "at": { "x": 90.0, "y": 90.0 }, "pattern": [31, 31], "search": [40, 40], "stop_below": 0.8 });
    let mut theirs = named.clone();
    (theirs["id"], theirs["text"]) = (json!(id(30)), json!("Mira"));
    let subject = json!({ "id": id(11), "name": "Mira", "letter": "A", "colour": 1, "pins": [pin], "attachments": [theirs, label(31, "Odo")] });
    let edit =
        json!({ "revision": 0, "title": "Mira", "edit": { "edit": "add_subject", "index": 0, "subject": subject } });
    assert_eq!(bench.server.send("POST", &format!("{other}/edits"), &edit).status, 200);
    let seen = || {
        let state = bench.server.get(&other).json();
        let all = state["subjects"][0]["attachments"].as_array().unwrap().clone();
        let of = |one: &Value| (one["text"].as_str().unwrap().to_owned(), one["size"].as_f64().unwrap());
        (all.iter().map(of).collect::<Vec<_>>(), state["undo"].clone())
    };
    let changed = |size: f64| {
        let mut changed = named.clone();
        changed["size"] = json!(size);
        let edit = json!({ "edit": "put_attachment", "subject": id(10), "attachment": changed });
        assert_eq!(bench.call("POST", "edits", json!({ "title": "Larger", "edit": edit })).0, 200);
    };
    changed(44.0);
    let (sizes, undo) = seen();
    assert_eq!(sizes, [("Mira".to_owned(), 44.0), ("Odo".to_owned(), 26.0)]);
    assert_eq!(undo, json!("Look \u{201c}Names\u{201d}"), "to be undone there, too");
    assert_eq!(bench.call("POST", "undo", json!({})).0, 200);
    assert_eq!(seen().0[0].1, 26.0);
}

#[test]
fn senseless_settings_are_refused_by_name() {
    let bench = Bench::new(&[]);
    let cover = |change: Value| {
        let mut cover =
            json!({ "id": id(20), "kind": "cover", "outline": "box", "size": [40.0, 30.0], "effect": { "blur": 5.0 } });
        cover.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
        let edit = json!({ "edit": "put_attachment", "subject": id(10), "attachment": cover });
        bench.call("POST", "edits", json!({ "title": "Cover", "edit": edit }))
    };
    for (change, named) in [
        (json!({ "effect": { "blur": 900.0 } }), "blur"),
        (json!({ "size": [0.0, 30.0] }), "size of the cover"),
        (json!({ "show": { "shutter": 720.0 } }), "shutter"),
        (
            json!({ "show": { "keys": [{ "number": "effect.blur", "frame": 3, "value": 900.0, "easing": { "first": [0, 0], "second": [1, 1] } }] } }),
            "blur is 900",
        ),
        (json!({ "effect": { "plain": "red" } }), "#rrggbb"),
    ] {
        let (status, answer) = cover(change);
        assert_eq!(status, 422, "{answer}");
        assert!(answer["message"].as_str().unwrap().contains(named), "{named}: {answer}");
    }
    assert_eq!(cover(json!({})).0, 200);
}

/// A pan that gets faster, drawn by ffmpeg sixteen times a frame; eight of them are averaged: a shutter that is open
/// for half of the time.
const PAN: &str = "-f lavfi -i color=c=gray:s=1920x720:r=400:d=1,format=gray,\
    geq=lum='125+45*sin(X*0.06+0.02*Y)*cos(Y*0.05)+40*sin(X*0.021-Y*0.047)+25*cos(X*Y*0.0004)',\
    trim=end_frame=1,loop=loop=-1:size=1,setpts=N/400/TB -vf crop=w=1280:h=720:x='620-0.0039*n*n':y=0,\
    scale=320:180:flags=area,format=gray16,lut=y='pow(val/maxval\\,2.2)*maxval',tmix=frames=8,\
    lut=y='pow(val/maxval\\,1/2.2)*maxval',format=gray,select='not(mod(n\\,16))',setpts=N/25/TB -frames:v 25 -r 25 \
    -c:v libx264 -crf 6 -pix_fmt yuv420p";

#[test]
fn the_shutter_of_a_film_is_measured() {
    let server = Server::start(PROGRAM, &[]);
    let shot = server.shot_of(&server.project("Open day"), &make_film(server.media(), "pan.mp4", PAN));
    let path = format!("/api/shots/{shot}");
    let refused = server.get(&format!("{path}/shutter"));
    assert!(refused.status == 422 && refused.text().contains("4 pixels a frame"), "{}", refused.text());
    let pin = json!({ "revision": 0, "frame": 0, "x": 80.0, "y": 90.0, "follow": true });
    assert_eq!(server.send("POST", &format!("{path}/pins"), &pin).status, 201);
    server.wait(&path, |state| state["tracks"][0]["frame"].as_array().is_some_and(|frames| frames.len() == 25));
    let measured = server.get(&format!("{path}/shutter")).json();
    let degrees = measured["degrees"].as_f64().unwrap();
    println!("the shutter: {measured}");
    assert!((degrees - 180.0).abs() < 20.0 && measured["frames"] == 8, "{measured}");
}

#[test]
fn a_project_becomes_one_film_in_its_order_with_its_sound() {
    let server = Server::start(PROGRAM, &[]);
    let project = server.project("Open day");
    // Red without sound; green, of another size, with sound; blue, left out.
    let film = |name: &str, source: &str| {
        let film =
            make_film(server.media(), name, &format!("-f lavfi -i {source} -c:v libx264 -crf 4 -pix_fmt yuv420p"));
        let shot = server.shot_of(&project, &film);
        server.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["state"] == "ready");
        shot
    };
    let red = film("red.mp4", "color=c=red:s=320x180:r=25:d=0.4");
    let green =
        film("green.mp4", "color=c=lime:s=640x480:r=25:d=0.8 -f lavfi -i sine=frequency=500:duration=0.8 -c:a aac");
    let blue = film("blue.mp4", "color=c=blue:s=320x180:r=25:d=0.4");
    let path = format!("/api/projects/{project}");
    let order = json!({ "shots": [[green, true], [blue, false], [red, true]] });
    assert_eq!(server.send("POST", &format!("{path}/order"), &order).status, 204);
    assert_eq!(server.get(&path).json()["order"], json!([green, blue, red]));
    let made = server.send("POST", &format!("{path}/film"), &json!({ "container": "mp4" }));
    assert_eq!(made.status, 202, "{}", made.text());
    let job = made.json()["job"].as_str().unwrap().to_owned();
    let ended = |state: &Value| matches!(state["films"][0]["state"].as_str(), Some("done" | "failed"));
    let state = server.wait(&path, ended);
    assert_eq!(state["films"][0]["state"], "done", "{}", state["films"][0]);
    let out = server.media().join("joined.mp4");
    std::fs::write(&out, server.get(&format!("/api/exports/{job}/film")).body).unwrap();
    assert_eq!(probe_values(&out, "stream=codec_name"), ["h264", "aac"]);
    let frames = decode_rgb(&out, 640, 480);
    assert_eq!(frames.len(), 30, "twenty green ones, then ten red");
    let middle = |n: usize| -> [u8; 3] { frames[n][(240 * 640 + 320) * 3..][..3].try_into().unwrap() };
    let is = |got: [u8; 3], want: [u8; 3]| got.iter().zip(want).all(|(a, b)| a.abs_diff(b) < 12);
    assert!(is(middle(0), [0, 255, 0]) && is(middle(19), [0, 255, 0]), "{:?}", middle(19));
    assert!(is(middle(20), [255, 0, 0]) && is(middle(29), [255, 0, 0]), "{:?}", middle(20));
    assert!(frames[25][..3].iter().all(|v| *v < 12), "black above a wider picture");
    let times = probe_values(&out, "frame=pts_time");
    let video: Vec<f64> = times.iter().filter_map(|time| time.parse().ok()).collect();
    assert!(video.len() >= 30, "{times:?}");

    // The queue knows it, by name; a film of nothing is refused.
    let queue = server.get("/api/queue").json();
    let mine = queue.as_array().unwrap().iter().find(|one| one["id"] == job.as_str()).unwrap();
    assert_eq!(
        (&mine["kind"], &mine["project"], &mine["state"]),
        (&json!("sequence"), &json!("Open day"), &json!("done"))
    );
    assert!(
        queue.as_array().unwrap().iter().any(|one| one["kind"] == "prepare" && one["about"] == "red.mp4"),
        "{queue}"
    );
    let none = json!({ "shots": [[green, false], [blue, false], [red, false]] });
    server.send("POST", &format!("{path}/order"), &none);
    let refused = server.send("POST", &format!("{path}/film"), &json!({ "container": "mp4" }));
    assert!(refused.status == 422 && refused.text().contains("switch one on"), "{}", refused.text());
}
