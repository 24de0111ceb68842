//! Signing in and out, links, and where one is signed in.

use jampin_testkit::{Server, Visitor};
use serde_json::json;

use super::{PASSPHRASE, PROGRAM, newcomer, sql, time_passes, with_owner};

#[test]
fn whoever_sits_at_the_machine_is_its_owner_until_there_is_a_passphrase() {
    let server = Server::start(PROGRAM, &[]);
    let (here, other) = (Visitor::new(&server), Visitor::new(&server));
    assert_eq!(here.open("/").status, 200);
    assert_eq!(here.open("/sign-in").status, 303, "there is nothing to sign in to");
    let added = here.send("POST", "/api/people", &json!({ "name": "Ada" }));
    assert!(added.status == 422 && added.text().contains("Set a passphrase of your own first"), "{}", added.text());
    let weak = here.send("PUT", "/api/you/passphrase", &json!({ "new": "password1234" }));
    assert!(weak.status == 422 && weak.text().contains("easy to guess"), "{}", weak.text());
    assert_eq!(other.get("/api/queue").status, 200);

    assert_eq!(here.send("PUT", "/api/you/passphrase", &json!({ "new": PASSPHRASE })).status, 204);
    assert_eq!(here.get("/api/queue").status, 200, "who set it is signed in by it");
    let refused = other.get("/api/queue");
    assert_eq!((refused.status, refused.json()["error"].as_str()), (401, Some("signed_out")));
    let sent = other.open("/queue?x=1");
    assert_eq!(sent.status, 303);
    assert!(sent.head.contains("location: /sign-in?then=%2fqueue%3fx%3d1"), "{}", sent.head);
    let signed_in =
        other.form("/sign-in", &[("name", "this machine"), ("passphrase", PASSPHRASE), ("then", "/queue?x=1")]);
    assert_eq!(signed_in.status, 303, "{}", signed_in.text());
    assert!(signed_in.head.contains("location: /queue?x=1"), "{}", signed_in.head);
    assert_eq!(other.get("/api/queue").status, 200);
    let flags = &signed_in.cookies[0];
    for flag in ["HttpOnly", "SameSite=Lax", "Path=/", "Max-Age=2592000"] {
        assert!(flags.contains(flag), "{flags} lacks {flag}");
    }
    let kept = sql(&server, "SELECT passphrase FROM people");
    assert!(kept.starts_with("$argon2id$v=19$m=19456,t=2,p=1$"), "{kept}");
}

#[test]
fn a_session_has_a_new_key_after_signing_in_and_its_old_one_is_worth_nothing() {
    let (server, _mara) = with_owner();
    let made_up = Visitor::with_cookie(&server, "jampin=made-up");
    made_up.sign_in("Mara", PASSPHRASE);
    let first = made_up.cookie().unwrap();
    assert_ne!(first, "jampin=made-up");
    // Signed in once more: a cookie that somebody had put there before would be known to them.
    made_up.sign_in("Mara", PASSPHRASE);
    assert_ne!(made_up.cookie().unwrap(), first);
    assert_eq!(Visitor::with_cookie(&server, &first).get("/api/queue").status, 401);
    assert_eq!(made_up.get("/api/queue").status, 200);
    assert!(!sql(&server, "SELECT encode(key_hash, 'hex') || state FROM sessions").contains(&first["jampin=".len()..]));
}

#[test]
fn sessions_are_listed_and_ended_and_end_by_themselves() {
    let (server, mara) = with_owner();
    let others: Vec<Visitor> = (0..3).map(|_| Visitor::new(&server)).collect();
    for (i, other) in others.iter().enumerate() {
        let head = format!("Content-Type: application/x-www-form-urlencoded\r\nUser-Agent: Browser {i}\r\n");
        let form = format!("name=Mara&passphrase={}", PASSPHRASE.replace(' ', "+"));
        assert_eq!(other.ask("POST", "/sign-in", &head, form.as_bytes()).status, 303);
    }
    let page = mara.open("/you").text();
    for text in ["This browser", "Browser 0", "Browser 1", "Browser 2"] {
        assert!(page.contains(text), "{text} is not in the list");
    }
    let id = sql(&server, "SELECT id FROM sessions WHERE state->>'browser' LIKE '%Browser 1%'");
    let (ada, _) = newcomer(&server, &mara, "Ada");
    assert_eq!(ada.send("DELETE", &format!("/api/you/sessions/{id}"), &json!({})).status, 404, "it is not hers");
    assert_eq!(mara.send("DELETE", &format!("/api/you/sessions/{id}"), &json!({})).status, 204);
    assert_eq!([0, 1, 2].map(|i: usize| others[i].get("/api/queue").status), [200, 401, 200]);

    sql(
        &server,
        "UPDATE sessions SET seen_at = now() - interval '73 hours' WHERE state->>'browser' LIKE '%Browser 0%'",
    );
    sql(
        &server,
        "UPDATE sessions SET began_at = now() - interval '721 hours' WHERE state->>'browser' LIKE '%Browser 2%'",
    );
    time_passes();
    assert_eq!([others[0].get("/api/queue").status, others[2].get("/api/queue").status], [401, 401]);

    assert_eq!(others[0].sign_in("Mara", PASSPHRASE).status, 303);
    assert_eq!(sql(&server, "SELECT count(*) FROM sessions"), "3", "what has ended is forgotten");
    assert_eq!(mara.send("DELETE", "/api/you/sessions", &json!({})).status, 204);
    assert_eq!((others[0].get("/api/queue").status, mara.get("/api/queue").status), (401, 200));

    let before = mara.cookie().unwrap();
    assert_eq!(mara.form("/sign-out", &[]).status, 303);
    assert_eq!(mara.cookie(), None, "the cookie is taken back");
    assert_eq!(Visitor::with_cookie(&server, &before).get("/api/queue").status, 401);
}

#[test]
fn a_new_passphrase_needs_the_old_one_and_ends_all_other_sessions() {
    let (server, mara) = with_owner();
    let other = Visitor::new(&server);
    other.sign_in("Mara", PASSPHRASE);
    let new = "lantern quarry pebble stoat";
    let wrong = mara.send("PUT", "/api/you/passphrase", &json!({ "old": "not this one at all", "new": new }));
    assert!(wrong.status == 422 && wrong.text().contains("not your passphrase of today"), "{}", wrong.text());
    assert_eq!(mara.send("PUT", "/api/you/passphrase", &json!({ "old": PASSPHRASE, "new": new })).status, 204);
    assert_eq!((mara.get("/api/queue").status, other.get("/api/queue").status), (200, 401));
    assert_eq!(other.sign_in("Mara", PASSPHRASE).status, 401);
    assert_eq!(other.sign_in("Mara", new).status, 303);
}

#[test]
fn a_link_works_once_and_not_for_long() {
    let (server, mara) = with_owner();
    let made = mara.send("POST", "/api/people", &json!({ "name": "Ada" })).json();
    let id = made["person"]["id"].as_str().unwrap().to_owned();
    let token_of = |link: &serde_json::Value| link["link"].as_str().unwrap().split('=').nth(1).unwrap().to_owned();
    let first = token_of(&made);
    let ada = Visitor::new(&server);
    let weak = ada.form("/welcome", &[("token", &first), ("name", "Ada"), ("passphrase", "adaadaadaada")]);
    assert!(weak.status == 422 && weak.text().contains("easy to guess"), "{}", weak.text());
    let taken = ada.form("/welcome", &[("token", &first), ("name", "MARA"), ("passphrase", PASSPHRASE)]);
    assert!(taken.status == 409 && taken.text().contains("called “MARA” already"), "{}", taken.text());
    let used = ada.form("/welcome", &[("token", &first), ("name", "Ada B"), ("passphrase", PASSPHRASE)]);
    assert_eq!(used.status, 303, "{}", used.text());
    assert!(ada.open("/").text().contains("Ada B"));
    assert_eq!(Visitor::new(&server).open(&format!("/welcome?token={first}")).status, 404);

    // Forgotten: a link of an administrator's ends what was begun with the old one.
    let link = || token_of(&mara.send("POST", &format!("/api/people/{id}/link"), &json!({})).json());
    let (older, newer) = (link(), link());
    assert_eq!(Visitor::new(&server).open(&format!("/welcome?token={older}")).status, 404, "a newer one was made");
    sql(&server, "UPDATE one_time_links SET ends_at = now() - interval '1 second'");
    let late =
        Visitor::new(&server).form("/welcome", &[("token", &newer), ("name", "Ada"), ("passphrase", PASSPHRASE)]);
    assert!(late.status == 404 && late.text().contains("does not work any more"), "{}", late.text());
    assert_eq!(ada.get("/api/queue").status, 200);
    let back = Visitor::new(&server);
    back.form("/welcome", &[("token", &link()), ("name", "Ada"), ("passphrase", "lantern quarry pebble stoat")]);
    assert_eq!((ada.get("/api/queue").status, back.get("/api/queue").status), (401, 200));
    assert_eq!(ada.sign_in("Ada", PASSPHRASE).status, 401);
}

#[test]
fn the_terminal_has_a_link_for_who_is_locked_out() {
    let (server, _) = with_owner();
    let run = |words: &[&str]| {
        let output = std::process::Command::new(PROGRAM)
            .args(["link", "--database", server.database(), "--log", "warn"])
            .args(words)
            .output()
            .unwrap();
        (output.status.code(), String::from_utf8(output.stdout).unwrap(), String::from_utf8(output.stderr).unwrap())
    };
    let (code, _, why) = run(&["Nobody"]);
    assert!(code == Some(2) && why.contains("nobody here is called “Nobody”"), "{code:?} {why}");
    let (code, link, _) = run(&["mara"]);
    assert_eq!(code, Some(0));
    let token = link.trim().strip_prefix("http://127.0.0.1:8710/welcome?token=").expect("the link is whole");
    let back = Visitor::new(&server);
    let new = [("token", token), ("name", "Mara"), ("passphrase", "lantern quarry pebble stoat")];
    assert_eq!(back.form("/welcome", &new).status, 303);
    assert_eq!(back.get("/api/queue").status, 200);
}
