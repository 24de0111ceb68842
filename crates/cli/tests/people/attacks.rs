//! What strangers and other sites try.

use jampin_testkit::Visitor;
use serde_json::json;

use super::{PASSPHRASE, newcomer, project_of, sql, with_owner};

#[test]
fn guessing_is_slowed_down_and_tells_nothing_about_names() {
    let (server, _) = with_owner();
    let guesser = Visitor::new(&server);
    let known = guesser.sign_in("Mara", "not this one at all");
    let unknown = guesser.sign_in("Nora", "not this one at all");
    assert_eq!((known.status, unknown.status), (401, 401));
    assert_eq!(known.text().replace("Mara", "Nora"), unknown.text(), "the answers tell which name there is");
    assert!(guesser.cookie().is_none());
    for _ in 0..7 {
        assert_eq!(guesser.sign_in("MARA ", "not this one at all").status, 401);
    }
    let late = guesser.sign_in("Mara", PASSPHRASE);
    assert!(late.status == 429 && late.text().contains("Wait a quarter of an hour"), "{}", late.text());
    assert!(late.head.contains("retry-after: 900"), "{}", late.head);
    // Many names from one address.
    for i in 0..40 {
        guesser.sign_in(&format!("Nora {i}"), "x");
    }
    assert_eq!(guesser.sign_in("Somebody", "x").status, 429);
    sql(&server, "UPDATE sign_in_tries SET at = now() - interval '16 minutes'");
    assert_eq!(guesser.sign_in("Mara", PASSPHRASE).status, 303);
}

/// A wrong name is answered as slowly as a wrong passphrase. Nothing is timed: the work that takes the time is looked
/// at in `passphrases`; here that both are counted alike.
#[test]
fn tries_for_a_name_that_nobody_has_are_counted_too() {
    let (server, _) = with_owner();
    let guesser = Visitor::new(&server);
    let statuses: Vec<u16> = (0..9).map(|_| guesser.sign_in("Nora", "x").status).collect();
    assert_eq!(statuses, [401, 401, 401, 401, 401, 401, 401, 401, 429]);
}

#[test]
fn one_is_sent_on_to_our_own_pages_only() {
    let (server, _) = with_owner();
    for away in ["https://elsewhere.example/", "//elsewhere.example", "/\\elsewhere.example", "javascript:alert(1)"] {
        let visitor = Visitor::new(&server);
        let answer = visitor.form("/sign-in", &[("name", "Mara"), ("passphrase", PASSPHRASE), ("then", away)]);
        assert!(answer.status == 303 && answer.head.contains("location: /\r\n"), "{away}: {}", answer.head);
        let already = visitor.open(&format!("/sign-in?then={}", away.replace('\\', "%5c")));
        assert!(already.status == 303 && already.head.contains("location: /\r\n"), "{away}: {}", already.head);
    }
}

#[test]
fn another_site_can_neither_change_anything_nor_show_us_in_a_frame() {
    let (server, mara) = with_owner();
    let forms = "Content-Type: application/x-www-form-urlencoded\r\n";
    for from in [
        "Origin: https://elsewhere.example\r\n",
        "Origin: null\r\n",
        "Sec-Fetch-Site: cross-site\r\n",
        "Sec-Fetch-Site: same-site\r\n",
    ] {
        for (method, path) in [("POST", "/sign-out"), ("POST", "/api/projects"), ("POST", "/sign-in")] {
            let answer = mara.ask(method, path, &format!("{forms}{from}"), b"{\"name\":\"x\"}");
            assert_eq!(answer.status, 403, "{method} {path} with {from}");
        }
    }
    assert_eq!(mara.get("/api/queue").status, 200, "she was signed out by another site");
    let own = format!(
        "Content-Type: application/json\r\nOrigin: http://{}\r\nSec-Fetch-Site: same-origin\r\n",
        server.address
    );
    assert_eq!(mara.ask("POST", "/api/projects", &own, b"{\"name\":\"x\"}").status, 201);
    for path in ["/", "/sign-in", "/you", "/people", "/api/queue"] {
        let head = mara.open(path).head;
        assert!(head.contains("frame-ancestors 'none'"), "{path}: {head}");
        assert!(head.contains("cross-origin-opener-policy: same-origin"), "{path}: {head}");
    }
}

#[test]
fn a_page_that_is_uploaded_as_a_picture_is_refused_and_a_script_in_an_svg_is_gone() {
    let (server, mara) = with_owner();
    let [project, ..] = project_of(&mara);
    let put = |name: &str, body: &str| {
        mara.ask("PUT", &format!("/api/projects/{project}/pictures?name={name}"), "", body.as_bytes())
    };
    let page = put("crest.png", "<!doctype html><script>alert(1)</script>");
    assert_eq!(page.status, 422, "{}", page.text());
    let svg = "<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'><script>alert(1)</script>\
               <rect width='9' height='9' onclick='alert(1)'/></svg>";
    let taken = put("crest.svg", svg);
    assert_eq!(taken.status, 201, "{}", taken.text());
    let file = mara.get(&format!("/pictures/{}", taken.json()["id"].as_str().unwrap()));
    assert!(file.head.contains("content-type: image/svg+xml") && file.head.contains("nosniff"), "{}", file.head);
    assert!(!file.text().contains("alert") && !file.text().contains("script"), "{}", file.text());
    drop(server);
}

#[test]
fn who_was_taken_out_is_out_at_once_and_what_was_theirs_is_the_administrator_s() {
    let (server, mara) = with_owner();
    let (ada, id) = newcomer(&server, &mara, "Ada");
    let [project, ..] = project_of(&ada);
    assert_eq!(mara.get(&format!("/api/projects/{project}")).status, 404, "an administrator is no member");
    let page = mara.open("/people");
    assert!(page.text().contains("Ada") && ada.open("/people").status == 404, "{}", page.text());
    let me = sql(&server, "SELECT id FROM people WHERE name = 'Mara'");
    assert_eq!(mara.send("DELETE", &format!("/api/people/{me}"), &json!({})).status, 409, "she stays");
    assert_eq!(mara.send("PATCH", &format!("/api/people/{me}"), &json!({ "administrator": false })).status, 409);
    assert_eq!(mara.send("DELETE", &format!("/api/people/{id}"), &json!({})).status, 204);
    assert_eq!(ada.get("/api/queue").status, 401);
    assert_eq!(ada.sign_in("Ada", PASSPHRASE).status, 401);
    assert_eq!(mara.get(&format!("/api/projects/{project}")).status, 200);
    let written = mara.open("/deleted").text();
    assert!(written.contains("“Ada” taken out") && written.contains("Mara"), "{written}");
    assert_eq!(mara.send("POST", "/api/people", &json!({ "name": "Ada" })).status, 201, "the name is free again");
}
