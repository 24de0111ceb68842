//! Codes of an authenticator (RFC 6238), asked for after the passphrase.

use jampin_testkit::{Answer, Authenticator, Server, Visitor};
use serde_json::json;

use super::{PASSPHRASE, PROGRAM, newcomer, sql, with_owner};

/// Adds one; it has used up the code of the half minute before.
fn add_one(visitor: &Visitor) -> Authenticator {
    assert_eq!(visitor.send("POST", "/api/you/second-factor", &json!({})).status, 204);
    let page = visitor.open("/you").text();
    let letters = page.split("<code id=\"letters\">").nth(1).and_then(|rest| rest.split('<').next()).unwrap();
    let authenticator = Authenticator::of(letters);
    let wrong = visitor.send("PUT", "/api/you/second-factor", &json!({ "code": "000 00" }));
    assert_eq!(wrong.status, 422, "{}", wrong.text());
    let added = visitor.send("PUT", "/api/you/second-factor", &json!({ "code": authenticator.shows(-1) }));
    assert_eq!(added.status, 204, "{}", added.text());
    authenticator
}

fn show(visitor: &Visitor, code: &str) -> Answer {
    visitor.form("/sign-in/code", &[("code", code)])
}

fn time_passes_for_the_authenticator(server: &Server) {
    sql(server, "UPDATE people SET totp_step = 0");
}

#[test]
fn after_the_passphrase_a_code_is_asked_for_and_none_counts_twice() {
    let (server, mara) = with_owner();
    let picture = mara.send("POST", "/api/you/second-factor", &json!({}));
    assert_eq!(picture.status, 204);
    let picture = mara.get("/you/second-factor.svg");
    assert!(picture.text().contains("<svg") && picture.head.contains("image/svg+xml"), "{}", picture.text());
    let authenticator = add_one(&mara);
    assert_eq!(mara.get("/you/second-factor.svg").status, 404, "it is shown while it is added, never again");
    assert!(!mara.open("/you").text().contains("id=\"letters\""));

    // A browser that was left signed in does not put another one in its place.
    assert_eq!(mara.send("POST", "/api/you/second-factor", &json!({})).status, 204);
    let other = mara.send("PUT", "/api/you/second-factor", &json!({ "code": "000000" }));
    assert!(other.status == 409 && other.text().contains("You have one"), "{}", other.text());

    let here = Visitor::new(&server);
    let half = here.form("/sign-in", &[("name", "Mara"), ("passphrase", PASSPHRASE), ("then", "/queue")]);
    assert_eq!((half.status, half.location.as_deref()), (303, Some("/sign-in/code")));
    assert_eq!(here.get("/api/queue").status, 401, "half of it is nothing");
    assert!(here.open("/sign-in/code").text().contains("six digits"));
    for wrong in ["", "123", "abcdef", &authenticator.shows(-1), &authenticator.shows(-9)] {
        let refused = show(&here, wrong);
        assert_eq!(refused.status, 401, "{wrong}: {}", refused.text());
    }
    let code = authenticator.shows(0);
    let spaced = format!("{} {}", &code[..3], &code[3..]);
    let whole = show(&here, &spaced);
    assert_eq!((whole.status, whole.location.as_deref()), (303, Some("/queue")), "{}", whole.text());
    assert_eq!(here.get("/api/queue").status, 200);

    let other = Visitor::new(&server);
    other.sign_in("Mara", PASSPHRASE);
    assert_eq!(show(&other, &code).status, 401, "somebody has looked over her shoulder");
    assert_eq!(other.get("/api/queue").status, 401);
    assert_eq!(
        show(&Visitor::new(&server), &authenticator.shows(1)).location.as_deref(),
        Some("/sign-in"),
        "the passphrase comes first"
    );

    let end = |code: String| here.send("DELETE", "/api/you/second-factor", &json!({ "code": code })).status;
    assert_eq!((end("000000".into()), end(authenticator.shows(1))), (422, 204));
    assert_eq!(Visitor::new(&server).sign_in("Mara", PASSPHRASE).location.as_deref(), Some("/"));
    let noted = sql(&server, "SELECT what FROM audit ORDER BY number");
    assert!(noted.contains("Second factor of “Mara” added") && noted.contains("taken away"), "{noted}");
}

#[test]
fn codes_cannot_be_guessed_for_long_and_half_a_sign_in_does_not_wait_for_ever() {
    let (server, mara) = with_owner();
    let authenticator = add_one(&mara);
    let guesser = Visitor::new(&server);
    guesser.sign_in("Mara", PASSPHRASE);
    let guesses: Vec<u16> = (0..10).map(|n| show(&guesser, &format!("{n:06}")).status).collect();
    assert_eq!((guesses[0], guesses[9]), (401, 429), "{guesses:?}");
    assert_eq!(show(&guesser, &authenticator.shows(0)).status, 429, "not even the right one any more");
    // To sign in anew with the passphrase does not begin the count anew.
    guesser.sign_in("Mara", PASSPHRASE);
    assert_eq!(show(&guesser, &authenticator.shows(0)).status, 429);

    sql(&server, "DELETE FROM sign_in_tries");
    let slow = Visitor::new(&server);
    slow.sign_in("Mara", PASSPHRASE);
    let older = "regexp_replace(state->>'half', '\"since\":\"20\\d\\d', '\"since\":\"2019')";
    sql(
        &server,
        &format!("UPDATE sessions SET state = jsonb_set(state, '{{half}}', to_jsonb({older})) WHERE state ? 'half'"),
    );
    super::time_passes();
    assert_eq!(show(&slow, &authenticator.shows(0)).location.as_deref(), Some("/sign-in"));
    assert_eq!(slow.get("/api/queue").status, 401);
}

#[test]
fn who_has_lost_it_begins_anew_by_a_link_and_nobody_s_is_read_by_others() {
    let (server, mara) = with_owner();
    let (ada, id) = newcomer(&server, &mara, "Ada");
    add_one(&ada);
    let shared = sql(&server, "SELECT encode(totp, 'base64') FROM people WHERE totp IS NOT NULL");
    let people = mara.open("/people").text() + &mara.get("/api/queue").text();
    assert!(shared.len() > 20 && !people.contains(&shared));
    let link =
        mara.send("POST", &format!("/api/people/{id}/link"), &json!({})).json()["link"].as_str().unwrap().to_owned();
    let fresh =
        [("token", link.split_once('=').unwrap().1), ("name", "Ada"), ("passphrase", "another orbit mango finch")];
    let anew = Visitor::new(&server);
    assert_eq!(anew.form("/welcome", &fresh).status, 303);
    assert_eq!(sql(&server, "SELECT count(*) FROM people WHERE totp IS NOT NULL"), "0");
    assert_eq!(Visitor::new(&server).sign_in("Ada", "another orbit mango finch").location.as_deref(), Some("/"));
    // A passphrase comes before it.
    let alone = Server::start(PROGRAM, &["--no-worker"]);
    let early = Visitor::new(&alone).send("POST", "/api/you/second-factor", &json!({}));
    assert!(early.status == 422 && early.text().contains("passphrase first"), "{}", early.text());
}

#[test]
fn where_everybody_needs_one_nobody_gets_further_than_adding_it() {
    let server = Server::start(PROGRAM, &["--no-worker", "--second-factor"]);
    let mara = Visitor::new(&server);
    assert_eq!(mara.open("/").status, 200, "who sits at the machine has no passphrase yet");
    assert_eq!(mara.send("PATCH", "/api/you", &json!({ "name": "Mara" })).status, 204);
    assert_eq!(mara.send("PUT", "/api/you/passphrase", &json!({ "new": PASSPHRASE })).status, 204);
    assert_eq!(mara.open("/").location.as_deref(), Some("/you"));
    let refused = mara.get("/api/queue");
    assert_eq!((refused.status, refused.json()["error"].as_str()), (403, Some("no_second_factor")));
    assert!(mara.open("/you").text().contains("Everybody here needs one"));
    let authenticator = add_one(&mara);
    assert_eq!((mara.open("/").status, mara.get("/api/queue").status), (200, 200));
    time_passes_for_the_authenticator(&server);
    let again = Visitor::new(&server);
    again.sign_in("Mara", PASSPHRASE);
    assert_eq!(show(&again, &authenticator.shows(0)).location.as_deref(), Some("/"));
    assert_eq!(again.open("/").status, 200);
}
