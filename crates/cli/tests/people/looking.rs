//! A director looks at a shot by a link, and writes notes on its frames.

use jampin_testkit::Visitor;
use serde_json::json;

use super::{guest_of, newcomer, project_of, sql, time_passes, with_owner};

#[test]
fn a_guest_sees_one_shot_and_what_hangs_in_it_and_nothing_else() {
    let (server, mara) = with_owner();
    let [project, clip, shot] = project_of(&mara);
    let [_, other_clip, other_shot] = project_of(&mara);
    let svg = b"<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'><rect width='9' height='9'/></svg>";
    let put = mara.ask("PUT", &format!("/api/projects/{project}/pictures?name=crest.svg"), "", svg);
    let picture = put.json()["id"].as_str().unwrap().to_owned();
    let pin = json!({ "revision": 0, "frame": 2, "x": 80.0, "y": 60.0, "follow": false });
    let made = mara.send("POST", &format!("/api/shots/{shot}/pins"), &pin);
    assert_eq!(made.status, 201, "{}", made.text());
    let state = mara.get(&format!("/api/shots/{shot}")).json();
    let (subject, revision) = (state["subjects"][0]["id"].as_str().unwrap(), &state["shot"]["revision"]);
    let guest = guest_of(&server, &mara, &shot);
    let seen = format!("/pictures/{picture}");
    assert_eq!(guest.get(&seen).status, 401, "it does not hang there yet");
    let hang = json!({ "revision": revision, "frame": 2, "picture": picture });
    let hung = mara.send("POST", &format!("/api/shots/{shot}/subjects/{subject}/pictures"), &hang);
    assert!(hung.status < 300, "{}", hung.text());
    assert_eq!(guest.get(&seen).status, 200);
    let page = guest.open(&format!("/look/{shot}"));
    assert!(page.status == 200 && page.text().contains("Tomas") && !page.text().contains(&project), "{}", page.text());
    assert_eq!(guest.get(&format!("/api/shots/{shot}/scene?at=0&art=")).status, 200);
    assert_eq!(guest.get(&format!("/clips/{clip}/frames/0.jpg")).status, 200);
    for path in [
        format!("/clips/{other_clip}/frames/0.jpg"),
        format!("/api/shots/{other_shot}/scene?at=0&art="),
        format!("/api/shots/{shot}"),
        format!("/api/projects/{project}"),
    ] {
        assert_eq!(guest.get(&path).status, 401, "{path}");
    }
    assert_eq!(guest.open("/").status, 303);
    // Who works on the shot comes as who they are.
    let made = mara.send("POST", &format!("/api/shots/{shot}/links"), &json!({ "name": "Nils", "days": 1 })).json();
    mara.open(made["path"].as_str().unwrap());
    assert!(mara.open(&format!("/look/{shot}")).text().contains("Mara"));
    // Who is signed in and does not, looks by the link, and stays signed in.
    let (ada, _) = newcomer(&server, &mara, "Ada");
    ada.open(made["path"].as_str().unwrap());
    assert_eq!((ada.get("/api/queue").status, ada.get(&format!("/api/shots/{shot}/notes")).status), (200, 200));
    assert_eq!(ada.get(&format!("/api/shots/{shot}")).status, 404);
}

#[test]
fn a_link_is_taken_back_and_ends_by_itself() {
    let (server, mara) = with_owner();
    let [_, _, shot] = project_of(&mara);
    let (first, second) = (guest_of(&server, &mara, &shot), guest_of(&server, &mara, &shot));
    let links = format!("/api/shots/{shot}/links");
    for days in [0, 91] {
        let refused = mara.send("POST", &links, &json!({ "name": "Tomas", "days": days }));
        assert!(refused.status == 422 && refused.text().contains("1 to 90 days"), "{}", refused.text());
    }
    let kept = mara.get(&links).json();
    assert_eq!(kept.as_array().unwrap().len(), 2);
    assert!(!kept.to_string().contains("key"), "{kept}");
    // The newest is listed first.
    let newest = kept[0]["id"].as_str().unwrap();
    assert_eq!(mara.send("DELETE", &format!("{links}/{newest}"), &json!({})).status, 204);
    let statuses = || [&first, &second].map(|guest| guest.get(&format!("/api/shots/{shot}/look")).status);
    assert_eq!(statuses(), [200, 401]);
    sql(&server, "UPDATE look_links SET ends_at = now() - interval '1 second'");
    time_passes();
    assert_eq!(statuses(), [401, 401]);
    let late = Visitor::new(&server).open("/look?key=nonsense");
    assert!(late.status == 404 && late.text().contains("Ask for another"), "{}", late.text());
}

#[test]
fn notes_are_written_answered_and_done() {
    let (server, mara) = with_owner();
    let [_, _, shot] = project_of(&mara);
    let guest = guest_of(&server, &mara, &shot);
    let notes = format!("/api/shots/{shot}/notes");
    let write = |frame: u32, mark: serde_json::Value, text: &str| {
        guest.send("POST", &notes, &json!({ "frame": frame, "mark": mark, "text": text }))
    };
    let arrow = json!({ "at": [80.0, 60.5], "from": [10.0, 20.0] });
    assert_eq!(write(7, arrow.clone(), " Paler, please. ").status, 201);
    assert_eq!(write(2, json!(null), "<script>alert(1)</script>").status, 201);
    for (frame, mark, text, why) in [
        (99, json!(null), "x", "no such frame"),
        (2, json!({ "at": [160.5, 0.0], "from": null }), "x", "within the picture"),
        (2, json!({ "at": [1.0, 0.0], "from": [-1.0, 0.0] }), "x", "within the picture"),
        (2, json!(null), "  ", "1 to 2000 characters"),
    ] {
        let refused = write(frame, mark, text);
        assert!(refused.text().contains(why), "{} {}", refused.status, refused.text());
    }
    let all = mara.get(&notes).json();
    assert_eq!(all.as_array().unwrap().len(), 2);
    assert_eq!((&all[0]["frame"], &all[0]["text"]), (&json!(2), &json!("<script>alert(1)</script>")));
    assert_eq!(
        (&all[1]["mark"], &all[1]["text"], &all[1]["author"]),
        (&arrow, &json!("Paler, please."), &json!("Tomas"))
    );
    let note = format!("{notes}/{}", all[1]["id"].as_str().unwrap());
    assert_eq!(mara.send("POST", &format!("{note}/answers"), &json!({ "text": "Will do." })).status, 204);
    assert_eq!(guest.send("PATCH", &note, &json!({ "done": true })).status, 401, "that is the editor's to say");
    assert_eq!(mara.send("PATCH", &note, &json!({ "done": true })).status, 204);
    let seen = guest.get(&notes).json();
    assert!(seen[1]["done_at"].is_string() && seen[0]["done_at"].is_null(), "{seen}");
    assert_eq!(
        (&seen[1]["answers"][0]["author"], &seen[1]["answers"][0]["text"]),
        (&json!("Mara"), &json!("Will do."))
    );
    assert_eq!(mara.send("PATCH", &note, &json!({ "done": false })).status, 204);
    assert_eq!(mara.send("DELETE", &note, &json!({})).status, 204);
    assert_eq!(mara.send("DELETE", &note, &json!({})).status, 404);
    // Of another shot it is not there, whatever the identity.
    let [_, _, other] = project_of(&mara);
    let first = seen[0]["id"].as_str().unwrap();
    assert_eq!(mara.send("DELETE", &format!("/api/shots/{other}/notes/{first}"), &json!({})).status, 404);
    // Only so many.
    sql(
        &server,
        &format!(
            "INSERT INTO notes (id, shot_id, frame, author, text) SELECT gen_random_uuid(), '{shot}', 1, 'x', 'x' FROM generate_series(1, 499)"
        ),
    );
    let full = write(2, json!(null), "One more");
    assert!(full.status == 409 && full.text().contains("take some away first"), "{}", full.text());
}
