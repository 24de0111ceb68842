//! What must not be accepted: each of these once was, or was answered with an error of ours.

use jampin_testkit::Server;
use serde_json::{Value, json};

use crate::{idle, put_pin, with_shot};

fn edit(server: &Server, path: &str, edit: &Value) -> (u16, String) {
    let revision = server.get(path).json()["shot"]["revision"].clone();
    let body = json!({ "revision": revision, "title": "x", "edit": edit });
    let answer = server.send("POST", &format!("{path}/edits"), &body);
    (answer.status, answer.text())
}

#[test]
fn what_could_not_be_undone_is_not_accepted() {
    let (server, shot) = with_shot(&[]);
    let path = format!("/api/shots/{shot}");
    let pin = put_pin(&server, &shot, 0)["made"]["pin"].clone();
    let before = server.wait(&path, idle);
    let subject = &before["subjects"][0];
    let sample = json!({ "at": { "x": 5.0, "y": 5.0 }, "match": 0.9, "state": "found" });
    let with = |key: &str, value: Value| {
        let mut changed = sample.clone();
        changed[key] = value;
        json!({ "edit": "set_samples", "pin": pin, "samples": [[4, changed]] })
    };
    let pin_with = |key: &str, value: Value| {
        let mut changed = subject["pins"][0].clone();
        changed[key] = value;
        json!({ "edit": "put_pin", "subject": subject["id"], "pin": changed })
    };
    let mut twin = subject.clone();
    twin["id"] = json!("00000000-0000-4000-8000-000000000001");
    let mut odd = twin.clone();
    odd["pins"] = json!([]);
    odd["cleaning"] = json!({ "steps": [{ "step": "curve", "tolerance": -1.0 }] });
    let failing = json!({ "edit": "remove_pin", "pin": twin["id"] });
    let refused = [
        with("covariance", json!({ "xx": 1e300, "xy": 0.0, "yy": 1.0 })),
        with("at", json!({ "x": 1e10, "y": 5.0 })),
        with("back_error", json!(1e30)),
        json!({ "edit": "set_samples", "pin": pin, "samples": [[4_000_000_000u32, sample]] }),
        pin_with("hidden", json!([{ "first": 0, "last": 4_000_000_000u32 }])),
        pin_with("hidden", json!([{ "first": 9, "last": 2 }])),
        json!({ "edit": "rename", "subject": subject["id"], "name": "Sig\u{0}nal" }),
        json!({ "edit": "add_subject", "index": 0, "subject": twin }),
        json!({ "edit": "add_subject", "index": 0, "subject": odd }),
        json!({ "edit": "all", "edits": [{ "edit": "set_cleaning", "subject": subject["id"], "cleaning": null }, failing] }),
        json!({ "edit": "set_no_cuts", "frames": [4_000_000_000u32] }),
    ];
    for refused in refused {
        let (status, text) = edit(&server, &path, &refused);
        assert!(status == 422 && text.contains("message"), "{refused}: {status} {text}");
    }
    for at in [json!({ "x": 1e10, "y": 5.0 }), json!({ "x": 5.0, "y": -900.0 })] {
        let body = json!({ "revision": before["shot"]["revision"], "pin": pin, "frame": 7, "at": at });
        let answer = server.send("POST", &format!("{path}/guides"), &body);
        assert!(answer.status == 422 && answer.text().contains("far away"), "{}", answer.text());
    }
    let range = json!({
        "revision": before["shot"]["revision"], "pin": pin, "first": 0, "last": 4_000_000_000u32, "do": "hide", "how": "smooth"
    });
    assert_eq!(server.send("POST", &format!("{path}/ranges"), &range).status, 422);
    let after = server.get(&path).json();
    assert_eq!((&after["subjects"], &after["tracks"]), (&before["subjects"], &before["tracks"]), "nothing was changed");
    let undone = server.send("POST", &format!("{path}/undo"), &json!({ "revision": after["shot"]["revision"] }));
    assert_eq!(undone.status, 200, "{}", undone.text());
}

#[test]
fn a_character_that_no_database_keeps_is_named() {
    let (server, shot) = with_shot(&[]);
    let path = format!("/api/shots/{shot}");
    put_pin(&server, &shot, 0);
    let state = server.wait(&path, idle);
    let subject = &state["subjects"][0];
    let mut label = subject["attachments"][0].clone();
    label["text"] = json!("Sig\u{0}nal");
    let (status, text) =
        edit(&server, &path, &json!({ "edit": "put_attachment", "subject": subject["id"], "attachment": label }));
    assert!(status == 422 && text.contains("NUL"), "{status} {text}");
    let (revision, of) = (&state["shot"]["revision"], label["id"].as_str().unwrap());
    let project = server.project("Open day");
    let answers = [
        server.send("POST", "/api/projects", &json!({ "name": "Open\u{0}day" })),
        server.send("PATCH", &format!("/api/projects/{project}"), &json!({ "name": "Open\u{0}day" })),
        server.send("PUT", &format!("{path}/attachments/{of}/look/a%00b"), &json!({ "revision": revision })),
        server.send("PUT", &format!("/api/projects/{project}/recipes/a%00b"), &json!({ "steps": [] })),
    ];
    for answer in answers {
        assert_eq!(answer.status, 422, "{}", answer.text());
        assert!(answer.json()["message"].as_str().is_some_and(|message| message.ends_with('.')), "{}", answer.text());
    }
}
