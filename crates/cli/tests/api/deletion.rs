//! Taking away, as programs see it: what goes, what stays, what can be had back.

use std::path::Path;

use jampin_testkit::{Server, request};
use serde_json::{Value, json};

use super::{idle, put_pin, with_shot};

const CREST: &[u8] =
    b"<svg xmlns='http://www.w3.org/2000/svg' width='40' height='20'><rect width='40' height='20'/></svg>";

fn delete(server: &Server, path: &str) -> (u16, String) {
    let answer = server.send("DELETE", path, &json!({}));
    (answer.status, answer.text())
}

fn text(value: &Value) -> String {
    value.as_str().unwrap().to_owned()
}

fn project_of(server: &Server, shot: &str) -> String {
    text(&server.get(&format!("/api/shots/{shot}")).json()["shot"]["project_id"])
}

fn exported(server: &Server, shot: &str) -> String {
    let job = server.send("POST", &format!("/api/shots/{shot}/exports"), &json!({ "container": "png_graphics" }));
    server.wait(&format!("/api/shots/{shot}"), idle);
    text(&job.json()["job"])
}

fn entries(folder: &Path) -> usize {
    std::fs::read_dir(folder).map_or(0, Iterator::count)
}

#[test]
fn a_deleted_project_is_had_back_as_it_was_until_it_goes_for_good() {
    let (server, shot) = with_shot(&[]);
    put_pin(&server, &shot, 0);
    let before = server.wait(&format!("/api/shots/{shot}"), idle);
    let project = project_of(&server, &shot);
    let film = exported(&server, &shot);
    let (status, refused) = delete(&server, &format!("/api/projects/{project}/for-good"));
    assert!(status == 404 && refused.contains("no such deleted project"), "{refused}");

    assert_eq!(delete(&server, &format!("/api/projects/{project}")).0, 204);
    assert!(!server.get("/").text().contains("Open day") && server.get("/deleted").text().contains("Open day"));
    let edit = json!({ "revision": 1, "frame": 5, "x": 60.0, "y": 60.0 });
    let answers = [
        server.get(&format!("/api/projects/{project}")),
        server.get(&format!("/projects/{project}")),
        server.get(&format!("/api/shots/{shot}")),
        server.send("POST", &format!("/api/shots/{shot}/pins"), &edit),
        server.send("POST", &format!("/api/shots/{shot}/exports"), &json!({ "container": "mp4" })),
        server.send("DELETE", &format!("/api/clips/{}", text(&before["clip"]["id"])), &json!({})),
    ];
    for answer in answers {
        assert!(answer.status == 404 && answer.text().contains("project was deleted"), "{}", answer.text());
    }

    assert_eq!(server.send("POST", &format!("/api/projects/{project}/restore"), &json!({})).status, 204);
    let after = server.get(&format!("/api/shots/{shot}")).json();
    for what in ["subjects", "tracks", "undo", "shot"] {
        assert_eq!(after[what], before[what], "{what}");
    }
    assert_eq!(server.get(&format!("/api/exports/{film}/film")).status, 200);

    delete(&server, &format!("/api/projects/{project}"));
    assert_eq!(delete(&server, &format!("/api/projects/{project}/for-good")).0, 204);
    assert_eq!(server.send("POST", &format!("/api/projects/{project}/restore"), &json!({})).status, 404);
    assert_eq!([entries(&server.media().join("clips")), entries(&server.media().join("exports"))], [0, 0]);
    let page = server.get("/deleted").text();
    let told = [
        "Project “Open day” deleted for good",
        "Project “Open day” had back",
        "Project “Open day” deleted<",
        "This machine",
    ];
    assert!(told.iter().all(|what| page.contains(what)), "{page}");
}

#[test]
fn what_is_worked_on_for_a_deleted_project_stops() {
    let (server, shot) = with_shot(&[]);
    let project = project_of(&server, &shot);
    let clip = text(&server.get(&format!("/api/shots/{shot}")).json()["clip"]["id"]);
    let job = text(
        &server.send("POST", &format!("/api/shots/{shot}/exports"), &json!({ "container": "webm" })).json()["job"],
    );
    assert_eq!(delete(&server, &format!("/api/projects/{project}")).0, 204);
    let of_job = |queue: &Value| queue.as_array().unwrap().iter().find(|one| one["id"] == json!(job)).cloned();
    // Its links would lead nowhere; once it is had back, how its work ended is to be seen.
    assert_eq!(of_job(&server.get("/api/queue").json()), None);
    assert_eq!(server.send("POST", &format!("/api/projects/{project}/restore"), &json!({})).status, 204);
    // On a quick machine it may have been done already.
    let ended =
        |queue: &Value| of_job(queue).is_some_and(|job| matches!(job["state"].as_str(), Some("cancelled" | "done")));
    server.wait("/api/queue", ended);
    // The pictures of its films are still there for whoever has it back.
    assert_eq!(server.get(&format!("/clips/{clip}/frames/0.jpg")).status, 200);
}

#[test]
fn a_picture_goes_when_it_hangs_nowhere_and_undo_can_still_bring_it_back() {
    let (server, shot) = with_shot(&[]);
    let subject = text(&put_pin(&server, &shot, 0)["made"]["subject"]);
    server.wait(&format!("/api/shots/{shot}"), idle);
    let project = project_of(&server, &shot);
    let picture =
        request(&server.address, "PUT", &format!("/api/projects/{project}/pictures?name=crest.svg"), "", CREST);
    let picture = text(&picture.json()["id"]);
    let body = json!({ "revision": 1, "frame": 5, "picture": picture });
    let hung = server.send("POST", &format!("/api/shots/{shot}/subjects/{subject}/pictures"), &body).json();
    let (status, refused) = delete(&server, &format!("/api/pictures/{picture}"));
    assert!(status == 409 && refused.contains("“crest.svg” hangs in test card. Take it off there first."), "{refused}");

    let off = json!({ "edit": "remove_attachment", "subject": subject, "attachment": hung["attachment"] });
    let edit = json!({ "revision": 2, "title": "Remove", "edit": off });
    assert_eq!(server.send("POST", &format!("/api/shots/{shot}/edits"), &edit).status, 200);
    assert_eq!(delete(&server, &format!("/api/pictures/{picture}")).0, 204);
    assert_eq!(server.get(&format!("/api/projects/{project}/pictures")).json(), json!([]));
    assert_eq!(delete(&server, &format!("/api/pictures/{picture}")).0, 404);
    assert_eq!(
        server
            .send(
                "POST",
                &format!("/api/shots/{shot}/subjects/{subject}/pictures"),
                &json!({ "revision": 3, "frame": 5, "picture": picture })
            )
            .status,
        404
    );
    server.send("POST", &format!("/api/shots/{shot}/undo"), &json!({ "revision": 3 }));
    assert_eq!(server.get(&format!("/pictures/{picture}")).status, 200);
    assert_eq!(server.get(&format!("/api/shots/{shot}/still?frame=5")).status, 200);
}

#[test]
fn a_finished_film_goes_with_its_file() {
    let (server, shot) = with_shot(&[]);
    let film = exported(&server, &shot);
    assert_eq!(entries(&server.media().join("exports")), 1);
    assert_eq!(delete(&server, &format!("/api/exports/{film}")).0, 204);
    assert_eq!(entries(&server.media().join("exports")), 0);
    assert_eq!(server.get(&format!("/api/exports/{film}/film")).status, 404);
    assert!(!server.get("/api/queue").text().contains(&film));
    assert!(server.get("/deleted").text().contains("Finished film of “test card” in “Open day” deleted"));
}
