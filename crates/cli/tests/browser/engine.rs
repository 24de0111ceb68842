//! What the engine has to say, on the bench: good spots, the trail by match and state, settings, what is worth a look.

use jampin_testkit::Server;
use serde_json::{Value, json};

use super::{Browser, PICKED, film, followed, on_page, open_bench, place, with_browser};

/// Waits until the page has seen all work end.
async fn at_rest(browser: &Browser) {
    browser.until("!jampin.bench.working && !jampin.bench.saving && jampin.bench.track?.isSolved()").await;
}

pub(crate) async fn pinned(server: &Server, browser: &Browser) -> String {
    let shot = open_bench(server, browser).await;
    browser.eval(&format!("jampin.bench.goTo({PICKED})")).await;
    browser.until(&format!("jampin.player.shown === {PICKED}")).await;
    browser.click(on_page(browser, place(&film().1, "sleeve", PICKED)).await).await;
    followed(server, &shot);
    at_rest(browser).await;
    shot
}

#[test]
fn good_spots_are_shown_and_one_is_taken_with_shift() {
    with_browser(|server, browser| async move {
        open_bench(&server, &browser).await;
        browser.press("Good spots").await;
        browser.until("jampin.bench.spots.length > 20").await;
        let drawn = browser.eval("document.querySelectorAll('.over .light.good').length").await;
        assert!(drawn.as_u64().unwrap() > 10, "{drawn}");
        browser.press("Good spots").await;
        // A flat piece of wall beside the clock: the best spot near is not where the pointer is.
        let clock = place(&film().1, "clock", 0);
        let beside = (clock.0 + 14.0, clock.1 + 10.0);
        browser.click_with_shift(on_page(&browser, beside).await, "jampin.bench.nearby?.length > 0").await;
        browser.until("jampin.bench.pin").await;
        let at = browser.eval("[jampin.bench.pin.at.x, jampin.bench.pin.at.y]").await;
        let moved = (at[0].as_f64().unwrap() - beside.0).hypot(at[1].as_f64().unwrap() - beside.1);
        assert!(moved > 0.5 && moved < 41.0, "moved by {moved}");
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn the_trail_tells_matches_and_states_apart_without_colour() {
    with_browser(|server, browser| async move {
        let shot = pinned(&server, &browser).await;
        assert_eq!(browser.eval("document.querySelectorAll('.legend line').length").await, json!(10));
        let widths = "new Set([...document.querySelectorAll('.legend line')].map((line) => line.getAttribute('stroke-width'))).size";
        assert_eq!(browser.eval(widths).await, json!(8), "thickness says what colour says");
        let solid = "[...document.querySelectorAll('.over path.trail')].every((path) => path.getAttribute('stroke-dasharray') !== '5 4')";
        assert_eq!(browser.eval(solid).await, json!(true), "solved: not dashed");
        // Hidden frames, as the server would say: rings, not part of the line.
        let path = format!("/api/shots/{shot}");
        let state = server.get(&path).json();
        let pin = &state["subjects"][0]["pins"][0]["id"];
        let hidden = |n: u32| json!([n, { "at": { "x": 300.0 + 20.0 * f64::from(n), "y": 400.0 }, "match": 0.0, "state": "hidden" }]);
        let samples: Vec<Value> = (50..60).map(hidden).collect();
        let edit = json!({ "edit": "set_samples", "pin": pin, "samples": samples });
        let body = json!({ "revision": state["shot"]["revision"], "title": "Hidden", "edit": edit });
        assert_eq!(server.send("POST", &format!("{path}/edits"), &body).status, 200);
        browser.until("document.querySelectorAll('.over .state.hidden').length >= 5").await;
        let frames = browser.eval("jampin.bench.track.runs(['hidden'])[0].slice(0, 2)").await;
        assert_eq!(frames, json!([50, 59]));
        // Where only the subject is found: beads, and a row of half the height.
        let rough = |n: u32| {
            json!([n, { "at": { "x": 300.0 + 4.0 * f64::from(n), "y": 420.0 }, "match": 0.8,
            "state": "found", "grasp": "rough", "solved": true }])
        };
        let samples: Vec<Value> = (70..90).map(rough).collect();
        let revision = server.get(&path).json()["shot"]["revision"].clone();
        let edit = json!({ "edit": "set_samples", "pin": pin, "samples": samples });
        let body = json!({ "revision": revision, "title": "Rough", "edit": edit });
        assert_eq!(server.send("POST", &format!("{path}/edits"), &body).status, 200);
        browser.until("document.querySelectorAll('.over path.trail[stroke-dasharray=\"0.1 7\"]').length >= 2").await;
        assert_eq!(
            browser.eval("jampin.bench.track.roughRuns().some(([first, last]) => first <= 70 && last >= 89)").await,
            json!(true)
        );
        browser.eval("jampin.bench.goTo(75)").await;
        browser.until("jampin.bench.facts.state === 'rough' && jampin.bench.facts.match === '80 % of usual'").await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn settings_are_in_plain_words_and_kept_out_of_the_way() {
    with_browser(|server, browser| async move {
        let shot = pinned(&server, &browser).await;
        let shown = "document.getElementById('pin-motion').checkVisibility()";
        assert_eq!(browser.eval(shown).await, json!(false));
        browser.press("How it is followed").await;
        browser.until(shown).await;
        let choose = "(() => { const field = document.getElementById('pin-channel'); field.value = 'saturation'; \
                      field.dispatchEvent(new Event('change', { bubbles: true })); })()";
        browser.eval(choose).await;
        let path = format!("/api/shots/{shot}");
        server.wait(&path, |state| state["subjects"][0]["pins"][0]["channel"] == "saturation");
        browser.until("!jampin.bench.saving").await;
        browser.press("Follow now").await;
        let state = server.wait(&path, |state| {
            let jobs = state["jobs"].as_array().unwrap();
            jobs.iter().filter(|job| job["kind"] == "follow" && !job["ended_at"].is_null()).count() == 2
        });
        assert_eq!(state["jobs"][0]["state"], "done", "{}", state["jobs"]);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn doubtful_frames_are_listed_visited_and_settled() {
    with_browser(|server, browser| async move {
        let shot = pinned(&server, &browser).await;
        let path = format!("/api/shots/{shot}");
        // A guide far off where it is makes the frames beside it leap.
        let state = server.get(&path).json();
        let pin = &state["subjects"][0]["pins"][0]["id"];
        let (x, y) = place(&film().1, "sleeve", 55);
        let at = json!({ "x": x + 30.0, "y": y - 25.0 });
        let body = json!({ "revision": state["shot"]["revision"], "pin": pin, "frame": 55, "at": at });
        assert_eq!(server.send("POST", &format!("{path}/guides"), &body).status, 202);
        followed(&server, &shot);
        at_rest(&browser).await;
        browser.until("jampin.bench.doubts.length > 0").await;
        let first = browser.eval("jampin.bench.doubts[0].frame").await.as_u64().unwrap();
        assert!((50..=60).contains(&first), "the worst is beside the false guide: {first}");
        browser.eval("jampin.bench.goTo(0)").await;
        browser.press("Next doubt").await;
        browser.until(&format!("jampin.bench.frame === {first}")).await;
        // The false guide is taken away again, and the list is empty there.
        browser.eval("jampin.bench.goTo(55)").await;
        browser.until("jampin.panel('check').guideRemovable").await;
        browser.press("Remove guide").await;
        server.wait(&path, |state| {
            let jobs = state["jobs"].as_array().unwrap();
            jobs.len() == 3 && jobs.iter().all(|job| !job["ended_at"].is_null())
        });
        at_rest(&browser).await;
        browser.until("!jampin.bench.doubts.some((doubt) => doubt.frame > 50 && doubt.frame < 60)").await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
