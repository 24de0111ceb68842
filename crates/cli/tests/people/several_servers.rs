//! Several servers over one database and one folder: it does not matter which of them is asked.

use jampin_testkit::{Server, Visitor};
use serde_json::json;

use super::members::heard;
use super::{PROGRAM, guest_of, project_of, time_passes, until, with_owner};

#[test]
fn sessions_tries_news_and_films_are_the_same_on_two_servers() {
    let (one, mara) = with_owner();
    let media = one.media().to_owned();
    let two = Server::over_with(PROGRAM, one.database(), &media, &["--no-worker"]);
    let there = Visitor::with_cookie(&two, &mara.cookie().unwrap());
    assert_eq!(there.get("/api/queue").status, 200, "signed in on the one, she is on the other");

    // A film comes in by the second, is prepared by the first, and its pictures come from both.
    let [_, clip, shot] = project_of(&there);
    let frame = format!("/clips/{clip}/frames/3.jpg");
    assert_eq!((mara.get(&frame).body, mara.get(&frame).status), (there.get(&frame).body, 200));

    // What is done on the one is heard on the other.
    let within = std::time::Duration::from_secs(3);
    let news = heard(&two, &there, within, || {
        let pin = json!({ "revision": 0, "frame": 5, "x": 80.0, "y": 60.0 });
        assert_eq!(mara.send("POST", &format!("/api/shots/{shot}/pins"), &pin).status, 201);
    });
    assert!(news.contains(&shot), "{news}");
    until(&there, &format!("/api/shots/{shot}"), |state| state["shot"]["revision"] == 1);

    // Guessing is counted over both.
    let guess = |server: &Server| Visitor::new(server).sign_in("Mara", "not this one at all").status;
    let statuses: Vec<u16> = (0..9).map(|n| guess(if n % 2 == 0 { &one } else { &two })).collect();
    assert_eq!(statuses, [401, 401, 401, 401, 401, 401, 401, 401, 429]);

    // A link that was taken back on the one works no more on the other, after a moment.
    let guest = guest_of(&two, &there, &shot);
    let look = format!("/api/shots/{shot}/look");
    assert_eq!(guest.get(&look).status, 200);
    let links = format!("/api/shots/{shot}/links");
    let id = mara.get(&links).json()[0]["id"].as_str().unwrap().to_owned();
    assert_eq!(mara.send("DELETE", &format!("{links}/{id}"), &json!({})).status, 204);
    time_passes();
    assert_eq!(guest.get(&look).status, 401);

    // Signed out on the one, she is on the other, after a moment.
    assert_eq!(mara.form("/sign-out", &[]).status, 303);
    time_passes();
    assert_eq!(there.get("/api/queue").status, 401);
}
