//! Who may do what: signing in, members of projects, and what strangers see.

mod attacks;
mod elsewhere;
mod looking;
mod members;
mod proxied;
mod reach;
mod routes;
mod second_factor;
mod several_servers;
mod signing_in;

use std::process::Command;

use jampin_testkit::{Server, Visitor, make_film};
use serde_json::{Value, json};

const PROGRAM: &str = env!("CARGO_BIN_EXE_jampin");
const FILM: &str = "-f lavfi -i testsrc2=size=160x120:rate=25:duration=0.4 -pix_fmt yuv420p";
/// Passphrases are told apart by their first word.
const PASSPHRASE: &str = "kettle orbit mango finch";

fn sql(server: &Server, statement: &str) -> String {
    let output = Command::new("psql").args(["-qtAX", server.database(), "-c", statement]).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).trim().to_owned()
}

/// What was found a moment ago is known for two seconds, where nothing was changed by a request.
fn time_passes() {
    std::thread::sleep(std::time::Duration::from_millis(2100));
}

/// A server whose owner has called herself Mara and set a passphrase, and she, signed in.
fn with_owner() -> (Server, Visitor) {
    let server = Server::start(PROGRAM, &[]);
    let mara = Visitor::new(&server);
    assert_eq!(mara.send("PATCH", "/api/you", &json!({ "name": "Mara" })).status, 204);
    let set = mara.send("PUT", "/api/you/passphrase", &json!({ "new": PASSPHRASE }));
    assert_eq!(set.status, 204, "{}", set.text());
    (server, mara)
}

/// Adds somebody, who comes by their link; they, signed in, and their identity.
fn newcomer(server: &Server, administrator: &Visitor, name: &str) -> (Visitor, String) {
    let added = administrator.send("POST", "/api/people", &json!({ "name": name }));
    assert_eq!(added.status, 201, "{}", added.text());
    let link = added.json()["link"].as_str().unwrap().to_owned();
    let token = link.split('=').nth(1).unwrap();
    let visitor = Visitor::new(server);
    assert_eq!(visitor.open(&link).status, 200);
    let welcome = visitor.form("/welcome", &[("token", token), ("name", name), ("passphrase", PASSPHRASE)]);
    assert_eq!(welcome.status, 303, "{}", welcome.text());
    (visitor, added.json()["person"]["id"].as_str().unwrap().to_owned())
}

/// A project of hers with a film in it: the identities of project, clip and shot.
fn project_of(owner: &Visitor) -> [String; 3] {
    let made = owner.send("POST", "/api/projects", &json!({ "name": "Open day" }));
    let project = made.json()["id"].as_str().unwrap().to_owned();
    let dir = tempfile::tempdir().unwrap();
    let film = std::fs::read(make_film(dir.path(), "card.mp4", FILM)).unwrap();
    let taken = owner.ask("PUT", &format!("/api/projects/{project}/clips?name=card.mp4"), "", &film);
    assert_eq!(taken.status, 201, "{}", taken.text());
    let shot = taken.json()["shot"].as_str().unwrap().to_owned();
    let path = format!("/api/shots/{shot}");
    let ready = until(owner, &path, |state| state["clip"]["state"] == "ready");
    [project, ready["clip"]["id"].as_str().unwrap().to_owned(), shot]
}

fn until(visitor: &Visitor, path: &str, wished: impl Fn(&Value) -> bool) -> Value {
    let begun = std::time::Instant::now();
    loop {
        let state = visitor.get(path).json();
        if wished(&state) {
            return state;
        }
        assert!(begun.elapsed().as_secs() < 180, "waited in vain for {path}: {state}");
        std::thread::sleep(std::time::Duration::from_millis(20));
    }
}

fn let_in(owner: &Visitor, project: &str, name: &str, role: &str) {
    let put = owner.send("PUT", &format!("/api/projects/{project}/members"), &json!({ "name": name, "role": role }));
    assert_eq!(put.status, 204, "{}", put.text());
}

/// Somebody called Tomas who came by a link to look at a shot.
fn guest_of(server: &Server, editor: &Visitor, shot: &str) -> Visitor {
    let made = editor.send("POST", &format!("/api/shots/{shot}/links"), &json!({ "name": "Tomas", "days": 14 }));
    assert_eq!(made.status, 201, "{}", made.text());
    let guest = Visitor::new(server);
    let come = guest.open(made.json()["path"].as_str().unwrap());
    assert!(come.status == 303 && come.head.contains(&format!("location: /look/{shot}")), "{}", come.head);
    guest
}
