//! Members of projects, and news that only they hear.

use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::{Duration, Instant};

use jampin_testkit::{Server, Visitor};
use serde_json::{Value, json};

use super::{let_in, newcomer, project_of, time_passes, with_owner};

#[test]
fn owners_say_who_is_in_a_project_and_one_of_them_stays() {
    let (server, mara) = with_owner();
    let (ada, ada_id) = newcomer(&server, &mara, "Ada");
    let [project, _, shot] = project_of(&mara);
    let members = format!("/api/projects/{project}/members");
    assert!(!ada.open("/").text().contains("Open day"));
    let nobody = mara.send("PUT", &members, &json!({ "name": "Nobody", "role": "editor" }));
    assert!(nobody.status == 404 && nobody.text().contains("Nobody here is called"), "{}", nobody.text());
    let nonsense = mara.send("PUT", &members, &json!({ "name": "Ada", "role": "king" }));
    assert_eq!(nonsense.status, 422, "{}", nonsense.text());
    let_in(&mara, &project, "ada", "viewer");
    let page = ada.open("/").text();
    assert!(page.contains("Open day") && page.contains("you are a viewer"), "{page}");
    assert!(ada.open(&format!("/shots/{shot}")).text().contains("You may look"));
    let edit = json!({ "revision": 0, "frame": 5, "x": 80.0, "y": 60.0 });
    let refused = ada.send("POST", &format!("/api/shots/{shot}/pins"), &edit);
    assert!(refused.status == 403 && refused.text().contains("you may look, and not change it"), "{}", refused.text());
    let_in(&mara, &project, "Ada", "editor");
    assert_eq!(ada.send("POST", &format!("/api/shots/{shot}/pins"), &edit).status, 201);
    assert_eq!(ada.send("DELETE", &format!("/api/projects/{project}"), &json!({})).status, 403);
    assert_eq!(ada.send("PUT", &members, &json!({ "name": "Ada", "role": "owner" })).status, 403);

    let mara_id = mara.get(&members).json()[1]["id"].as_str().unwrap().to_owned();
    let alone = mara.send("PUT", &members, &json!({ "name": "Mara", "role": "editor" }));
    assert!(alone.status == 409 && alone.text().contains("make somebody else one first"), "{}", alone.text());
    assert_eq!(mara.send("DELETE", &format!("{members}/{mara_id}"), &json!({})).status, 409);
    let_in(&mara, &project, "Ada", "owner");
    assert_eq!(mara.send("DELETE", &format!("{members}/{mara_id}"), &json!({})).status, 204);
    assert_eq!(mara.get(&format!("/api/shots/{shot}")).status, 404);
    assert_eq!(ada.get(&members).json(), json!([{ "id": ada_id, "name": "Ada", "role": "owner" }]));
}

/// Listens to the news; what came in within this time.
pub(crate) fn heard(server: &Server, who: &Visitor, within: Duration, meanwhile: impl FnOnce()) -> String {
    heard_at(&server.address, who, within, meanwhile)
}

pub(crate) fn heard_at(address: &str, who: &Visitor, within: Duration, meanwhile: impl FnOnce()) -> String {
    let mut stream = TcpStream::connect(address).unwrap();
    stream.set_read_timeout(Some(Duration::from_millis(50))).unwrap();
    let cookie = who.cookie().unwrap();
    let head = format!("GET /api/events?all=true HTTP/1.1\r\nHost: {address}\r\nCookie: {cookie}\r\n\r\n");
    stream.write_all(head.as_bytes()).unwrap();
    let (mut text, mut bytes) = (String::new(), [0; 4096]);
    let mut meanwhile = Some(meanwhile);
    let begun = Instant::now();
    while begun.elapsed() < within {
        if let Ok(count) = stream.read(&mut bytes) {
            text.push_str(&String::from_utf8_lossy(&bytes[..count]));
        }
        if text.contains(": hello")
            && let Some(act) = meanwhile.take()
        {
            act();
        }
    }
    assert!(meanwhile.is_none(), "the stream did not open: {text}");
    text
}

#[test]
fn only_members_hear_what_happens_in_a_project_and_see_its_work_in_the_queue() {
    let (server, mara) = with_owner();
    let (ada, ada_id) = newcomer(&server, &mara, "Ada");
    let [project, _, shot] = project_of(&mara);
    let put_pin = |revision: i64| {
        let pin = json!({ "revision": revision, "frame": 5, "x": 80.0, "y": 60.0 });
        assert_eq!(mara.send("POST", &format!("/api/shots/{shot}/pins"), &pin).status, 201);
    };
    let within = Duration::from_secs(3);
    assert!(heard(&server, &mara, within, || put_pin(0)).contains(&shot), "she hears of her own shot");
    assert!(!heard(&server, &ada, within, || put_pin(1)).contains(&shot), "a stranger hears of it");
    assert_eq!((mara.get("/api/queue").json() == json!([]), ada.get("/api/queue").json()), (false, json!([])));
    let_in(&mara, &project, "Ada", "viewer");
    assert!(heard(&server, &ada, within, || put_pin(2)).contains(&shot));
    // While she listens she is taken out: what comes after is not hers.
    let out = heard(&server, &ada, within, || {
        assert_eq!(mara.send("DELETE", &format!("/api/projects/{project}/members/{ada_id}"), &json!({})).status, 204);
        put_pin(3);
    });
    assert!(!out.contains(&shot), "{out}");
}

#[test]
fn the_log_says_whose_each_change_is_and_undo_whose_it_would_take_back() {
    let (server, mara) = with_owner();
    let [project, _, shot] = project_of(&mara);
    let (ada, _) = newcomer(&server, &mara, "Ada");
    let_in(&mara, &project, "Ada", "editor");
    time_passes();
    let path = format!("/api/shots/{shot}");
    for (who, revision, x) in [(&mara, 0, 60.0), (&ada, 1, 90.0)] {
        let pin = json!({ "revision": revision, "frame": 5, "x": x, "y": 60.0 });
        let made = who.send("POST", &format!("{path}/pins"), &pin);
        assert_eq!(made.status, 201, "{}", made.text());
    }
    assert_eq!(mara.get(&path).json()["undo_by"], "Ada");
    assert_eq!(ada.get(&path).json()["undo_by"], json!(null), "it is her own");
    let by = |log: Value| log.as_array().unwrap().iter().map(|entry| entry["by"].clone()).collect::<Vec<_>>();
    assert_eq!(by(mara.get(&format!("{path}/log")).json()), ["Ada", "Mara"]);
    // What she takes back was the other's; what is newest then is her own.
    assert_eq!(mara.send("POST", &format!("{path}/undo"), &json!({ "revision": 2 })).status, 200);
    let after = mara.get(&path).json();
    assert_eq!((&after["undo_by"], after["undo"].is_string()), (&json!(null), true));
}
