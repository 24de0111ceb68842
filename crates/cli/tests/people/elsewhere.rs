//! Signing in by an identity provider (OpenID Connect Core 1.0), and what is not believed.

use jampin_testkit::{Answer, IdentityProvider, Lie, Server, Visitor};
use serde_json::json;

use super::{PASSPHRASE, PROGRAM, sql};

/// A provider, a server that knows it, and its owner Mara with a passphrase, signed in.
fn with_provider() -> (IdentityProvider, Server, Visitor) {
    let provider = IdentityProvider::start();
    let server = Server::start_in(PROGRAM, None, &["--no-worker"], provider.environment());
    let mara = Visitor::new(&server);
    assert_eq!(mara.send("PATCH", "/api/you", &json!({ "name": "Mara" })).status, 204);
    assert_eq!(mara.send("PUT", "/api/you/passphrase", &json!({ "new": PASSPHRASE })).status, 204);
    (provider, server, mara)
}

/// The path of an address of ours.
fn path_of(location: &str) -> &str {
    location.split_once("://").and_then(|(_, rest)| rest.find('/').map(|at| &rest[at..])).unwrap_or(location)
}

/// Goes to the provider from here; where the browser is sent back to.
fn sent_back(provider: &IdentityProvider, visitor: &Visitor, from: &str) -> String {
    let left = visitor.open(from);
    assert_eq!(left.status, 303, "{}", left.text());
    provider.visit(&left.location.unwrap())
}

/// There and back.
fn there_and_back(provider: &IdentityProvider, visitor: &Visitor, from: &str) -> Answer {
    visitor.open(path_of(&sent_back(provider, visitor, from)))
}

/// Adds Ada, who comes by her link and chooses to sign in elsewhere.
fn ada_comes(provider: &IdentityProvider, server: &Server, mara: &Visitor) -> Visitor {
    let link = mara.send("POST", "/api/people", &json!({ "name": "Ada" })).json()["link"].as_str().unwrap().to_owned();
    let ada = Visitor::new(server);
    assert!(ada.open(&link).text().contains("sign in with The Works"));
    provider.sees(Some(("7f3", "ada@works.example")));
    let token = link.split_once('=').unwrap().1;
    let back = there_and_back(provider, &ada, &format!("/sign-in/elsewhere?token={token}"));
    assert_eq!((back.status, back.location.as_deref()), (303, Some("/")), "{}", back.text());
    ada
}

#[test]
fn somebody_comes_by_a_link_and_signs_in_elsewhere_from_then_on() {
    let (provider, server, mara) = with_provider();
    provider.sees(Some(("7f3", "ada@works.example")));
    let nobody = Visitor::new(&server);
    let refused = there_and_back(&provider, &nobody, "/sign-in/elsewhere");
    assert!(refused.status == 403 && refused.text().contains("is nobody here yet"), "{}", refused.text());
    assert_eq!(nobody.get("/api/queue").status, 401);

    let ada = ada_comes(&provider, &server, &mara);
    let page = ada.open("/you").text();
    assert!(page.contains("ada@works.example") && page.contains(&provider.issuer()), "{page}");
    assert_eq!(ada.form("/sign-out", &[]).status, 303);
    assert_eq!(ada.get("/api/queue").status, 401);
    let back = there_and_back(&provider, &ada, "/sign-in/elsewhere?then=/queue");
    assert_eq!((back.status, back.location.as_deref()), (303, Some("/queue")), "{}", back.text());
    assert_eq!(ada.get("/api/queue").status, 200);
    // A name of hers elsewhere may be another one day; she stays who she is.
    provider.sees(Some(("7f3", "ada.b@works.example")));
    assert_eq!(there_and_back(&provider, &Visitor::new(&server), "/sign-in/elsewhere").status, 303);
    // Who is taken out is nobody here, whatever is said elsewhere.
    let id = sql(&server, "SELECT id FROM people WHERE name = 'Ada'");
    assert_eq!(mara.send("DELETE", &format!("/api/people/{id}"), &json!({})).status, 204);
    assert_eq!(there_and_back(&provider, &Visitor::new(&server), "/sign-in/elsewhere").status, 403);
    let by_name = Visitor::new(&server).sign_in("Ada", "");
    assert_eq!(by_name.status, 401, "without a passphrase there is none that fits");
}

#[test]
fn what_a_provider_says_is_believed_only_if_it_answers_us_and_is_signed_by_it() {
    let (provider, server, mara) = with_provider();
    ada_comes(&provider, &server, &mara);
    for lie in [Lie::Audience, Lie::Nonce, Lie::Expired, Lie::Signature, Lie::Issuer, Lie::NoIdentity] {
        provider.tells(lie);
        let visitor = Visitor::new(&server);
        let back = there_and_back(&provider, &visitor, "/sign-in/elsewhere");
        assert!(back.status == 403 && back.text().contains("cannot be believed"), "{lie:?}: {}", back.text());
        assert_eq!(visitor.get("/api/queue").status, 401, "{lie:?}");
    }
    provider.tells(Lie::None);
    // Its keys may change at any time.
    provider.change_key();
    let visitor = Visitor::new(&server);
    assert_eq!(there_and_back(&provider, &visitor, "/sign-in/elsewhere").status, 303);
    assert_eq!(visitor.get("/api/queue").status, 200);
}

#[test]
fn an_answer_counts_once_in_the_browser_that_asked_and_for_what_it_asked() {
    let (provider, server, mara) = with_provider();
    ada_comes(&provider, &server, &mara);
    let [ada, other] = [Visitor::new(&server), Visitor::new(&server)];
    let back = sent_back(&provider, &ada, "/sign-in/elsewhere");
    let path = path_of(&back);
    // Who is sent somebody else's answer, to be signed in as them.
    for visitor in [&Visitor::new(&server), &other] {
        sent_back(&provider, &other, "/sign-in/elsewhere");
        let refused = visitor.open(path);
        assert!(refused.status == 403 && refused.text().contains("not begun in this browser"), "{}", refused.text());
    }
    assert_eq!(ada.open(path).status, 303);
    assert_eq!(ada.open(path).status, 403, "once");

    let another = sent_back(&provider, &other, "/sign-in/elsewhere");
    let mixed = path_of(&another)
        .replace(&format!("iss={}", encoded(&provider.issuer())), "iss=https%3A%2F%2Felsewhere.example");
    assert_eq!(other.open(&mixed).status, 403, "an answer of another provider (RFC 9207)");
    let late = sent_back(&provider, &other, "/sign-in/elsewhere");
    let older = "regexp_replace(state->>'going', '\"since\":\"20\\d\\d', '\"since\":\"2019')";
    sql(
        &server,
        &format!("UPDATE sessions SET state = jsonb_set(state, '{{going}}', to_jsonb({older})) WHERE state ? 'going'"),
    );
    super::time_passes();
    assert_eq!(other.open(path_of(&late)).status, 403, "too late");
    // Somebody who says no there.
    provider.sees(None);
    let refused = there_and_back(&provider, &other, "/sign-in/elsewhere");
    assert!(refused.status == 403 && refused.text().contains("did not let you in"), "{}", refused.text());
    provider.sees(Some(("7f3", "ada@works.example")));
    let away = there_and_back(&provider, &other, "/sign-in/elsewhere?then=//elsewhere.example/");
    assert_eq!(away.location.as_deref(), Some("/"), "only on to a path of ours");
}

fn encoded(text: &str) -> String {
    text.bytes()
        .map(|byte| match byte {
            b'a'..=b'z' | b'0'..=b'9' | b'.' | b'-' => char::from(byte).to_string(),
            other => format!("%{other:02X}"),
        })
        .collect()
}

#[test]
fn who_is_signed_in_may_sign_in_elsewhere_too_and_end_that() {
    let (provider, server, mara) = with_provider();
    let ada = ada_comes(&provider, &server, &mara);
    let bind = |visitor: &Visitor| {
        let asked = visitor.send("POST", "/api/you/elsewhere", &json!({}));
        assert_eq!(asked.status, 200, "{}", asked.text());
        let back = provider.visit(asked.json()["to"].as_str().unwrap());
        visitor.open(path_of(&back))
    };
    // Ada's is hers.
    let taken = bind(&mara);
    assert!(taken.status == 409 && taken.text().contains("Somebody else here signs in as"), "{}", taken.text());
    provider.sees(Some(("19c", "mara@works.example")));
    let bound = bind(&mara);
    assert_eq!((bound.status, bound.location.as_deref()), (303, Some("/you")), "{}", bound.text());
    let elsewhere = Visitor::new(&server);
    assert_eq!(there_and_back(&provider, &elsewhere, "/sign-in/elsewhere").status, 303);
    assert!(elsewhere.open("/you").text().contains("<h1>Mara</h1>"));

    let end = |visitor: &Visitor| visitor.send("DELETE", "/api/you/elsewhere", &json!({ "issuer": provider.issuer() }));
    let refused = end(&ada);
    assert!(refused.status == 409 && refused.text().contains("Set a passphrase first"), "{}", refused.text());
    assert_eq!(end(&mara).status, 204);
    assert_eq!(there_and_back(&provider, &Visitor::new(&server), "/sign-in/elsewhere").status, 403);
    assert_eq!(mara.sign_in("Mara", PASSPHRASE).status, 303);
    let noted = sql(&server, "SELECT what FROM audit ORDER BY number");
    assert!(noted.contains("“Mara” signs in as mara@works.example of"), "{noted}");
}

#[test]
fn a_page_elsewhere_cannot_make_its_identity_somebody_s_here() {
    let (provider, server, mara) = with_provider();
    let link = mara.send("POST", "/api/people", &json!({ "name": "Ada" })).json()["link"].as_str().unwrap().to_owned();
    let token = link.split_once('=').unwrap().1.to_owned();
    provider.sees(Some(("666", "somebody@elsewhere.example")));
    let from_elsewhere = "Accept: text/html\r\nSec-Fetch-Site: cross-site\r\n";
    let refused = Visitor::new(&server).ask("GET", &format!("/sign-in/elsewhere?token={token}"), from_elsewhere, b"");
    assert!(refused.status == 403 && refused.location.is_none(), "{}", refused.text());
    let forged = "Content-Type: application/json\r\nOrigin: https://elsewhere.example\r\n";
    assert_eq!(mara.ask("POST", "/api/you/elsewhere", forged, b"{}").status, 403);
    // Who has gone there from here as one person, and comes back as another.
    let asked = mara.send("POST", "/api/you/elsewhere", &json!({})).json()["to"].as_str().unwrap().to_owned();
    let back = provider.visit(&asked);
    assert_eq!(mara.form("/sign-out", &[]).status, 303);
    assert_ne!(mara.open(path_of(&back)).status, 303);
    assert_eq!(sql(&server, "SELECT count(*) FROM identities"), "0");
}

#[test]
fn a_provider_that_is_away_keeps_nobody_out_who_has_a_passphrase() {
    let (provider, server, mara) = with_provider();
    provider.set_away(true);
    let away = mara.open("/sign-in/elsewhere");
    assert!(away.status == 409 || away.status == 503, "{}", away.status);
    assert!(away.text().contains("The Works does not answer as it should"), "{}", away.text());
    assert_eq!(Visitor::new(&server).sign_in("Mara", PASSPHRASE).status, 303);
    provider.set_away(false);
    // Guessing is bounded here, too.
    let visitor = Visitor::new(&server);
    let last = (0..45).map(|_| visitor.open("/sign-in/elsewhere").status).last();
    assert_eq!(last, Some(429));
    // Without one nobody is sent anywhere.
    let without = Server::start(PROGRAM, &["--no-worker"]);
    assert_eq!(Visitor::new(&without).open("/sign-in/elsewhere").status, 404);
    assert!(!Visitor::new(&without).open("/you").text().contains("elsewhere"));
}
