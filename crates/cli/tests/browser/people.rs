//! People by hand: a passphrase, somebody new, members; and a director who looks by a link and writes notes.

use jampin_testkit::{Authenticator, Visitor};
use serde_json::{Value, json};

use super::harness::Browser;
use super::{film, on_page, with_browser};

const PASSPHRASE: &str = "kettle orbit mango finch";

async fn type_into(browser: &Browser, css: &str, text: &str) {
    browser.until(&format!("document.querySelector('{css}')")).await;
    browser.run(&format!("document.querySelector('{css}').select?.(); document.querySelector('{css}').focus()")).await;
    browser.type_text(text).await;
}

async fn clean(browser: &Browser, what: &str) {
    let found = browser.axe().await;
    assert!(found.is_empty(), "{what}: {found:#?}");
}

#[test]
fn a_team_is_set_up_by_hand() {
    with_browser(|server, browser| async move {
        let project = server.project("Open day");
        let shot = server.shot_of(&project, &film().0);
        browser.goto(&server.address, "/people").await;
        browser.until("document.body.innerText.includes('You are alone here')").await;
        clean(&browser, "people, alone").await;
        browser.goto(&server.address, "/you").await;
        browser.until("document.querySelector('#name').value === 'This machine'").await;
        type_into(&browser, "#name", "Mara").await;
        browser.press("Save").await;
        browser.until("document.querySelector('h1').textContent === 'Mara'").await;
        type_into(&browser, "#new", PASSPHRASE).await;
        browser.press("Set passphrase").await;
        browser.until("document.body.innerText.includes('This browser')").await;
        clean(&browser, "you").await;
        browser.press("Add one").await;
        browser.until("document.querySelector('[src$=\"factor.svg\"]')?.naturalWidth > 100").await;
        clean(&browser, "a second factor to be added").await;
        let letters = browser.eval("document.querySelector('#letters').textContent").await;
        let authenticator = Authenticator::of(letters.as_str().unwrap());
        type_into(&browser, "#code", &authenticator.shows(0)).await;
        browser.press("Add it").await;
        browser.until("document.body.innerText.includes('After your passphrase')").await;
        clean(&browser, "a second factor").await;

        browser.goto(&server.address, "/people").await;
        type_into(&browser, "#name", "Ada").await;
        browser.press("Add").await;
        browser.until("document.querySelector('.handed input').value.includes('/welcome?token=')").await;
        browser.until("document.querySelector('ul.exports').innerText.includes('has not come yet')").await;
        clean(&browser, "people, with a link").await;
        let link = browser.eval("document.querySelector('.handed input').value").await;
        let path = link.as_str().unwrap().split_once(&server.address).unwrap().1.to_owned();

        browser.goto(&server.address, &format!("/projects/{project}")).await;
        type_into(&browser, "#member", "Ada").await;
        let choose = "const list = document.querySelector('#member-role'); list.value = 'viewer'; list.dispatchEvent(new Event('change'))";
        browser.run(choose).await;
        // The list of shots above it grows while it loads.
        browser.until("document.querySelector('.tile img')?.complete").await;
        browser
            .run(
                "document.querySelector('.add-member button').scrollIntoView({ block: 'center', behavior: 'instant' })",
            )
            .await;
        browser.press("Let in").await;
        browser.until("document.querySelector('.members').innerText.includes('Ada')").await;
        clean(&browser, "members").await;
        browser.goto(&server.address, "/you").await;
        browser.press("Sign out").await;
        browser.until("location.pathname === '/sign-in'").await;
        clean(&browser, "sign in").await;
        type_into(&browser, "#name", "Mara").await;
        type_into(&browser, "#passphrase", PASSPHRASE).await;
        browser.press("Sign in").await;
        browser.until("location.pathname === '/sign-in/code'").await;
        clean(&browser, "sign in, a code").await;
        type_into(&browser, "#code", &authenticator.shows(1)).await;
        browser.press("Sign in").await;
        browser.until("location.pathname === '/'").await;
        browser.goto(&server.address, "/you").await;
        browser.press("Sign out").await;
        browser.until("location.pathname === '/sign-in'").await;

        // Ada comes by her link, in the same browser.
        browser.goto(&server.address, &path).await;
        type_into(&browser, "#passphrase", PASSPHRASE).await;
        clean(&browser, "welcome").await;
        browser.press("Set it, and sign in").await;
        browser.until("location.pathname === '/' && document.body.innerText.includes('you are a viewer')").await;
        browser.goto(&server.address, &format!("/projects/{project}")).await;
        browser.until("document.querySelector('.members').innerText.includes('Mara')").await;
        assert_eq!(browser.eval("document.querySelector('.drop').checkVisibility()").await, json!(false));
        assert_eq!(browser.console_errors().await, Vec::<String>::new());

        // On the bench she is told so, and nothing is sent.
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.player.shown === 0").await;
        let spot = on_page(&browser, (500.0, 300.0)).await;
        browser.click(spot).await;
        browser
            .until("document.querySelector('.notice').innerText.includes('You may look at this shot, not change it')")
            .await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new(), "something was asked for");

        // A session that ended leads to where one signs in, and back.
        Visitor::new(&server).sign_in("Ada", PASSPHRASE);
        browser.client.delete_all_cookies().await.unwrap();
        browser.goto(&server.address, &format!("/projects/{project}")).await;
        browser.until("location.pathname === '/sign-in'").await;
        type_into(&browser, "#name", "Ada").await;
        type_into(&browser, "#passphrase", PASSPHRASE).await;
        browser.press("Sign in").await;
        browser.until(&format!("location.pathname === '/projects/{project}'")).await;
    });
}

#[test]
fn a_director_writes_notes_and_the_editor_works_through_them() {
    with_browser(|server, browser| async move {
        let project = server.project("Open day");
        let shot = server.shot_of(&project, &film().0);
        let body = json!({ "revision": 0, "frame": 20, "x": 500.0, "y": 300.0, "name": "Board", "follow": false });
        assert_eq!(server.send("POST", &format!("/api/shots/{shot}/pins"), &body).status, 201);
        // Everybody has to sign in now; the director need not.
        let mara = Visitor::new(&server);
        assert_eq!(mara.send("PUT", "/api/you/passphrase", &json!({ "new": PASSPHRASE })).status, 204);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        type_into(&browser, "#name", "This machine").await;
        type_into(&browser, "#passphrase", PASSPHRASE).await;
        browser.press("Sign in").await;
        browser.until("window.jampin?.bench.loaded && jampin.player.shown === 0").await;
        browser.press("Show").await;
        browser.until("document.querySelector('#show.show')").await;
        type_into(&browser, "#show-name", "Tomas").await;
        browser.press("Make link").await;
        browser.until("document.querySelector('#show .handed input').value.includes('/look?key=')").await;
        browser.until("document.querySelector('#show .exports').innerText.includes('Tomas')").await;
        clean(&browser, "show").await;
        let link = browser.eval("document.querySelector('#show .handed input').value").await;

        let director = Browser::start().await;
        director.client.goto(link.as_str().unwrap()).await.unwrap();
        director.until("window.jampin?.look.loaded && jampin.player.shown === 0").await;
        clean(&director, "look").await;
        director.run("jampin.look.goTo(20)").await;
        director.until("jampin.player.shown === 20").await;
        let (tail, tip) = (on_page(&director, (200.0, 500.0)).await, on_page(&director, (500.0, 300.0)).await);
        director.drag(tail, tip).await;
        director.until("jampin.look.noteMark && document.activeElement.id === 'note'").await;
        director.type_text("Larger, please.").await;
        director.press("Send").await;
        director.until("document.querySelector('.notes').innerText.includes('Larger, please.')").await;
        assert_eq!(director.eval("document.querySelectorAll('.note-marks path.light').length").await, json!(1));
        clean(&director, "look, with a note").await;

        // The editor sees it arrive, goes to it, answers, and says that it is done.
        browser.run("bootstrap.Modal.getInstance(document.querySelector('#show')).hide()").await;
        browser.until("!document.querySelector('.modal-backdrop')").await;
        browser.until("jampin.bench.notes.length === 1").await;
        browser.press("Next note").await;
        browser
            .until("jampin.player.shown === 20 && document.querySelectorAll('.note-marks path.light').length === 1")
            .await;
        let kept = server_note(&mara, &shot);
        let near = |value: &Value, wished: f64| (value.as_f64().unwrap() - wished).abs() < 1.5;
        let mark = &kept["mark"];
        assert!(near(&mark["at"][0], 500.0) && near(&mark["at"][1], 300.0), "{kept}");
        assert!(near(&mark["from"][0], 200.0) && near(&mark["from"][1], 500.0), "{kept}");
        browser.press("Answer").await;
        browser.until("document.querySelector('.notes textarea').checkVisibility()").await;
        type_into(&browser, ".notes textarea", "Twice as large now.").await;
        browser.run("document.querySelector('.notes form button').click()").await;
        browser.until("document.querySelector('.notes').innerText.includes('Twice as large now.')").await;
        browser.press("Done").await;
        browser.until("jampin.bench.openNotes === 0").await;
        clean(&browser, "bench with notes").await;
        director.until("document.querySelector('.notes li.done')?.innerText.includes('Twice as large now.')").await;

        // What hangs is another: the director's picture is too. Taken back, the link is worth nothing.
        assert_eq!(director.eval("jampin.look.mayEdit").await, json!(false));
        let links = format!("/api/shots/{shot}/links");
        let id = mara.get(&links).json()[0]["id"].as_str().unwrap().to_owned();
        assert_eq!(mara.send("DELETE", &format!("{links}/{id}"), &json!({})).status, 204);
        assert_eq!(director.console_errors().await, Vec::<String>::new());
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
        director.goto(&server.address, &format!("/look/{shot}")).await;
        director.until("location.pathname === '/sign-in'").await;
    });
}

#[test]
fn two_people_on_one_shot_see_each_other_and_change_different_subjects_at_once() {
    with_browser(|server, browser| async move {
        let project = server.project("Open day");
        let shot = server.shot_of(&project, &film().0);
        for (revision, name) in ["Board", "Guard"].into_iter().enumerate() {
            let body =
                json!({ "revision": revision, "frame": 20, "x": 500.0, "y": 300.0, "name": name, "follow": false });
            assert_eq!(server.send("POST", &format!("/api/shots/{shot}/pins"), &body).status, 201);
        }
        let mara = Visitor::new(&server);
        assert_eq!(mara.send("PUT", "/api/you/passphrase", &json!({ "new": PASSPHRASE })).status, 204);
        let added = mara.send("POST", "/api/people", &json!({ "name": "Ada" })).json();
        let member = json!({ "name": "Ada", "role": "editor" });
        assert_eq!(mara.send("PUT", &format!("/api/projects/{project}/members"), &member).status, 204);

        let other = Browser::start().await;
        other.goto(&server.address, added["link"].as_str().unwrap()).await;
        type_into(&other, "#passphrase", PASSPHRASE).await;
        other.press("Set it, and sign in").await;
        other.until("location.pathname === '/'").await;
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        type_into(&browser, "#name", "This machine").await;
        type_into(&browser, "#passphrase", PASSPHRASE).await;
        browser.press("Sign in").await;
        browser.until("window.jampin?.bench.loaded && jampin.player.shown === 0").await;
        other.goto(&server.address, &format!("/shots/{shot}")).await;
        other.until("window.jampin?.bench.loaded && jampin.player.shown === 0").await;

        // Each sees that the other is there, and where.
        browser.until("document.querySelector('.present').innerText.includes('Ada: frame 0, ')").await;
        other.until("document.querySelector('.present').innerText.includes('This machine: frame 0')").await;
        clean(&browser, "bench with somebody else on it").await;
        let there = on_page(&other, (400.0, 200.0)).await;
        other.drag(there, there).await;
        browser.until("document.querySelector('.people text.tag')?.textContent === 'Ada'").await;
        other.run("jampin.bench.goTo(7)").await;
        browser.until("document.querySelector('.present').innerText.includes('Ada: frame 7')").await;

        // Both have seen the same revision. Different subjects: both changes are made, and both see them.
        let id = async |browser: &Browser, name: &str| {
            browser.eval(&format!("jampin.bench.subjects.find((one) => one.name === '{name}').id")).await
        };
        let (board, guard) = (id(&browser, "Board").await, id(&browser, "Guard").await);
        let rename = |revision: &Value, subject: &Value, name: &str| {
            let edit = json!({ "edit": "rename", "subject": subject, "name": name });
            json!({ "revision": revision, "title": "Name", "edit": edit })
        };
        let seen = browser.eval("jampin.bench.revision").await;
        let path = format!("/api/shots/{shot}/edits");
        assert_eq!(mara.send("POST", &path, &rename(&seen, &board, "Sign")).status, 200);
        assert_eq!(mara.send("POST", &path, &rename(&seen, &guard, "Porter")).status, 200);
        let late = mara.send("POST", &path, &rename(&seen, &board, "Plate"));
        assert!(late.status == 409 && late.text().contains("by somebody else"), "{}", late.text());
        for page in [&browser, &other] {
            page.until("['Porter', 'Sign'].every((name) => jampin.bench.subjects.some((one) => one.name === name))")
                .await;
        }
        // Who leaves is not there any more.
        other.goto(&server.address, "/").await;
        browser.until("jampin.bench.others.length === 0").await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

fn server_note(mara: &Visitor, shot: &str) -> Value {
    mara.get(&format!("/api/shots/{shot}/notes")).json()[0].clone()
}
