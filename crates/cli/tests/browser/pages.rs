//! Many pages at once, and the pages round the bench.

use jampin_store::{Arriving, Store};
use serde_json::json;

use super::{film, on_page, open_bench, place, with_browser};

/// More than the six connections that a browser keeps to one server.
const PAGES: usize = 8;

#[test]
fn many_pages_of_one_browser_share_one_stream_of_news() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let mut windows = vec![browser.client.window().await.unwrap()];
        for _ in 1..PAGES {
            let window = browser.client.new_window(true).await.unwrap().handle;
            browser.client.switch_to_window(window.clone()).await.unwrap();
            browser.goto(&server.address, &format!("/shots/{shot}")).await;
            browser.until("window.jampin?.bench?.revision !== undefined && !jampin.bench.offline").await;
            windows.push(window);
        }
        let streams = server.get("/metrics").text();
        assert!(streams.contains("jampin_event_streams 1\n"), "{streams}");
        let put = json!({ "revision": 0, "frame": 0, "x": 300.0, "y": 200.0, "follow": false, "name": "Guard" });
        assert_eq!(server.send("POST", &format!("/api/shots/{shot}/pins"), &put).status, 201);
        for window in [&windows[PAGES - 1], &windows[0], &windows[3]] {
            browser.client.switch_to_window(window.clone()).await.unwrap();
            browser.until("jampin.bench.subjects.some((subject) => subject.name === 'Guard')").await;
        }
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn what_changed_before_a_page_heard_the_news_is_read_when_it_does() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        browser.run("jampin.bench.told = () => {}").await;
        let put = json!({ "revision": 0, "frame": 0, "x": 300.0, "y": 200.0, "follow": false, "name": "Guard" });
        assert_eq!(server.send("POST", &format!("/api/shots/{shot}/pins"), &put).status, 201);
        browser.run("jampin.bench.connected(true)").await;
        browser.until("jampin.bench.subjects.some((subject) => subject.name === 'Guard')").await;
    });
}

#[test]
fn a_project_is_deleted_and_had_back_by_hand() {
    with_browser(|server, browser| async move {
        let project = server.project("Goods office");
        browser.goto(&server.address, "/").await;
        let button = format!("document.querySelector('button[data-id=\"{project}\"]')");
        browser.until(&button).await;
        browser.press("Delete Goods office").await;
        browser.until(&format!("!{button}")).await;
        browser.goto(&server.address, "/deleted").await;
        browser.until("document.body.innerText.includes('Goods office')").await;
        browser.press("Have it back").await;
        browser.until(&format!("location.pathname === '/projects/{project}'")).await;
        browser.until("document.querySelector('h1').textContent === 'Goods office'").await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn films_that_are_being_made_elsewhere_are_shown_until_they_are_there() {
    with_browser(|server, browser| async move {
        let project = server.project("Open day");
        let store = Store::new(server.database()).unwrap();
        let arrive = |films: &[(&str, f64)]| {
            let films: Vec<Arriving> =
                films.iter().map(|&(name, share)| Arriving { name: name.to_owned(), share }).collect();
            let (store, project) = (store.clone(), project.parse().unwrap());
            async move { store.set_arriving(project, &films).await.unwrap() }
        };
        let shows = |text: &str| format!("document.querySelector('main').innerText.includes('{text}')");
        browser.goto(&server.address, &format!("/projects/{project}")).await;
        browser.until(&shows("No film yet")).await;
        arrive(&[("Turntable yard", 0.4), ("Clock tower", 0.0)]).await;
        browser.until(&shows("Being made: 40 %")).await;
        browser.until(&format!("{} && !{}", shows("Its turn comes"), shows("No film yet"))).await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
        arrive(&[]).await;
        browser.until(&shows("No film yet")).await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn a_name_that_is_typed_at_once_is_the_subjects_and_none_of_its_letters_a_key() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        browser.click(on_page(&browser, place(&film().1, "clock", 0)).await).await;
        // Among its letters: export, keys, hold still, the next subject.
        browser.type_text("Eesthls\u{e007}").await;
        browser.until("jampin.bench.subjects[0]?.name === 'Eesthls'").await;
        let kept = server.wait(&format!("/api/shots/{shot}"), |state| state["subjects"][0]["name"] == "Eesthls");
        assert_eq!(kept["subjects"].as_array().unwrap().len(), 1);
        assert_eq!(
            browser.eval("[jampin.bench.hold, !document.querySelector('.modal.show')]").await,
            json!(["off", true])
        );

        // Refused: as when somebody else is quicker, or nothing can be followed there.
        browser
            .eval("(jampin.session.path = '/api/nowhere', jampin.bench.select(null), jampin.bench.place?.(), 0)")
            .await;
        // In one go, as whoever types goes on typing: after a pause letters are keys again.
        let typed = "(async () => {
            const type = () => ['e', 'h'].forEach((key) => document.activeElement.dispatchEvent(
              new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true })));
            const put = jampin.bench.putPin(200, 150);
            type();
            await put;
            type();
            return jampin.bench.notices.length > 0;
        })()";
        assert_eq!(browser.eval(typed).await, json!(true));
        assert_eq!(
            browser.eval("[jampin.bench.hold, !document.querySelector('.modal.show')]").await,
            json!(["off", true])
        );

        // What is said at once, as of a film that comes in, is all there to be read.
        browser.eval("['Pictures are missing.', '16 bits a sample.'].forEach((one) => jampin.bench.say(one))").await;
        let said =
            browser.eval("[...document.querySelectorAll('.say span:first-child')].map((one) => one.textContent)");
        let said = said.await.to_string();
        assert!(said.contains("Pictures are missing.") && said.contains("16 bits a sample."), "{said}");
    });
}

#[test]
fn a_click_beside_leaves_the_subject_and_the_next_one_follows_another() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let film = film().1;
        browser.click(on_page(&browser, place(&film, "clock", 0)).await).await;
        browser.type_text("Clock\u{e007}").await;
        browser.until("jampin.bench.subjects[0]?.name === 'Clock' && jampin.bench.openId === null").await;
        let (x, y) = place(&film, "clock", 0);
        let other = on_page(&browser, (x + 150.0, y + 120.0)).await;

        browser.click(other).await;
        // Among its letters: by hand here, accept, a new pin, a key. It was begun a click too early.
        browser.type_text("Panik").await;
        assert_eq!(browser.eval("[jampin.bench.selected, jampin.bench.placing]").await, json!([null, true]));
        browser.keys(&[(None, '\u{e00c}')]).await;
        browser.until("jampin.bench.subject?.name === 'Clock' && !jampin.bench.placing").await;
        assert_eq!(browser.eval("jampin.bench.undoTitle").await, json!("Name Clock"), "nothing was done to it");

        browser.click(other).await;
        browser.until("document.querySelector('.hint').textContent.startsWith('Click: follow this')").await;
        browser.click(other).await;
        browser.type_text("Wall\u{e007}").await;
        let kept = server.wait(&format!("/api/shots/{shot}"), |state| state["subjects"][1]["name"] == "Wall");
        let subjects = kept["subjects"].as_array().unwrap();
        assert_eq!(subjects.iter().map(|one| one["pins"].as_array().unwrap().len()).collect::<Vec<_>>(), [1, 1]);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

/// The session of a shot, by itself: no page is needed to know in which order it writes.
#[test]
fn writes_of_a_page_go_one_after_the_other_and_a_refused_one_stops_none() {
    with_browser(|server, browser| async move {
        open_bench(&server, &browser).await;
        let run = "
            const script = document.querySelector('script[src$=\"bench.js\"]').src;
            window.told = [];
            import(script.replace('bench.js', 'session.js')).then(async ({ Session }) => {
              const later = (answer) => new Promise((done) => setTimeout(() => done(answer), 30));
              const call = async (method, path, { revision, title }) => {
                told.push(`${title} on ${revision}`);
                if (title === 'bad') throw new Error('It was changed meanwhile.');
                return later({ revision: revision + 1 });
              };
              const session = new Session('/api/shots/1', {
                call,
                refresh: async () => told.push('read'),
                failed: (message) => told.push(message),
                changed: (saving) => told.push(saving),
              });
              session.revision = 7;
              const all = ['first', 'bad', 'third'].map((title) => session.edit(title, {}));
              const own = session.write(() => Promise.reject(new Error('no')), (message) => told.push(`own: ${message}`));
              const answers = await Promise.all([...all, own]);
              told.push(JSON.stringify(answers));
              window.over = true;
            });";
        browser.run(run).await;
        browser.until("window.over").await;
        let want = json!([
            1,
            2,
            3,
            4,
            "first on 7",
            "read",
            3,
            "bad on 8",
            "It was changed meanwhile.",
            "read",
            2,
            "third on 8",
            "read",
            1,
            "own: no",
            "read",
            0,
            "[{\"revision\":8},null,{\"revision\":9},null]"
        ]);
        assert_eq!(browser.eval("told").await, want);
    });
}

#[test]
fn artwork_that_is_there_twice_has_a_bitmap_each_and_one_that_cannot_be_made_is_asked_for_once() {
    with_browser(|server, browser| async move {
        open_bench(&server, &browser).await;
        let run = "
            const script = document.querySelector('script[src$=\"bench.js\"]').src;
            import(script.replace('bench.js', 'artwork.js')).then(async ({ Artwork }) => {
              let made = 0;
              const artwork = new Artwork(() => made++);
              const svg = '<svg xmlns=\"http://www.w3.org/2000/svg\"><rect width=\"9\" height=\"9\"/></svg>';
              const one = { svg, width: 9, height: 9 };
              artwork.list = artwork.taken([one, one, { svg: 'none', href: '/no/picture.png', width: 9, height: 9 }]);
              const [first, second, broken] = artwork.list;
              const settled = () => new Promise((done) => setTimeout(done, 300));
              [artwork.bitmap(first, 1, false), artwork.bitmap(second, 8, false), artwork.bitmap(broken, 1, false)];
              await settled();
              artwork.bitmap(broken, 1, false);
              const tried = Boolean(broken.making);
              const again = artwork.taken([one, one, one]);
              window.told = [first.bitmap.ratio, second.bitmap.ratio, made, tried, again.includes(first), new Set(again).size];
            });";
        browser.run(run).await;
        browser.until("window.told").await;
        assert_eq!(browser.eval("window.told").await, json!([2, 16, 2, false, true, 3]));
    });
}

#[test]
fn time_left_is_told_from_the_pace_once_there_is_one() {
    with_browser(|server, browser| async move {
        open_bench(&server, &browser).await;
        let run = "
            const script = document.querySelector('script[src$=\"bench.js\"]').src;
            import(script.replace('bench.js', 'time_left.js')).then(({ timeLeft }) => {
              window.told = [
                timeLeft('film', 0, 0),
                timeLeft('film', 0.02, 500),
                timeLeft('film', 0.1, 1000),
                timeLeft('film', 0.5, 5000),
                timeLeft('film', 1, 10000),
                timeLeft('other', 0.5, 0),
                timeLeft('other', 0.6, 60000),
                timeLeft('film', 0, 20000),
              ];
            });";
        browser.run(run).await;
        browser.until("window.told").await;
        let want = json!(["", "", ", about 9 s left", ", about 5 s left", "", "", ", about 4 min left", ""]);
        assert_eq!(browser.eval("told").await, want);
    });
}
