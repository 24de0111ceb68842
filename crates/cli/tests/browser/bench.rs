//! The bench as its users need it: what hangs opens by a click and has handles, what was lost says so, everything is
//! within reach in a small window and with many subjects.

use jampin_testkit::Server;
use serde_json::{Value, json};

use super::attaching::{attachments, open, saved};
use super::mending::Hand;
use super::scenes::{id, label, send};
use super::{Browser, FRAMES, followed, on_page, open_bench, with_browser};

/// Middle of the first thing on the page that a selector finds.
async fn middle_of(browser: &Browser, css: &str) -> (f64, f64) {
    let script = format!(
        "(() => {{ const box = document.querySelector('{css}').getBoundingClientRect();
        return [box.left + box.width / 2, box.top + box.height / 2]; }})()"
    );
    let at = browser.eval(&script).await;
    (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
}

async fn open_parts(browser: &Browser) -> Value {
    browser.eval("[...document.querySelectorAll('details[data-part][open]')].map((one) => one.dataset.part)").await
}

#[test]
fn a_click_on_a_label_opens_its_settings_and_a_double_click_its_text() {
    with_browser(|server, browser| async move {
        let shot = open(&server, &browser).await;
        send(&server, &shot, &json!({ "edit": "put_attachment", "subject": id(10), "attachment": label(&json!({})) }));
        browser.until("document.querySelector('[data-grab=attachment]')").await;
        assert!(open_parts(&browser).await.as_array().unwrap().len() > 2);
        let at = middle_of(&browser, "[data-grab=attachment]").await;
        browser.click(at).await;
        browser.until("jampin.bench.openId !== null && document.querySelector('.over .handle')").await;
        assert_eq!(open_parts(&browser).await, json!(["attach"]));
        let text = "document.getElementById('label-text')";
        let inside = format!(
            "(() => {{ const box = {text}.getBoundingClientRect(); return box.top > 40 && box.bottom < innerHeight; }})()"
        );
        browser.until(&inside).await;
        // The pin's own boxes are out of the way until it is closed again.
        assert_eq!(browser.eval("document.querySelectorAll('.over .grip').length").await, json!(0));
        browser.double_click(at).await;
        browser.until(&format!("document.activeElement === {text}")).await;
        browser.type_text("Turntable\u{e004}").await;
        browser.until("jampin.bench.attached?.text === 'Turntable'").await;
        saved(&browser).await;

        // Twice as far from its middle: twice as large, and its box with it.
        let before = attachments(&server, &shot).swap_remove(0);
        let middle = middle_of(&browser, ".over .frame-light").await;
        let corner = middle_of(&browser, "[data-grab=grow]").await;
        browser.drag(corner, (2.0 * corner.0 - middle.0, 2.0 * corner.1 - middle.1)).await;
        saved(&browser).await;
        let after = attachments(&server, &shot).swap_remove(0);
        for number in ["/size", "/box/padding"] {
            let [was, is] = [&before, &after].map(|one| one.pointer(number).unwrap().as_f64().unwrap());
            assert!((is / was - 2.0).abs() < 0.05, "{number}: {was} became {is}");
        }
        browser.eval("(document.activeElement.blur(), 1)").await;
        browser.keys(&[(None, '\u{e00c}')]).await;
        browser.until("!document.querySelector('.over .handle') && document.querySelector('.over .grip')").await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn a_click_counts_on_the_picture_that_is_seen_and_not_on_one_that_has_not_come() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let path = format!("/api/shots/{shot}");
        // A frame is gone to whose picture is not there yet, and the hand clicks before it comes.
        let early = async |begin: &str, frame: u32, at: (f64, f64)| {
            let (x, y) = on_page(&browser, at).await;
            let script = format!(
                "(() => {{
                    jampin.player.pictures.delete({frame});
                    {begin};
                    jampin.bench.goTo({frame});
                    const event = {{ clientX: {x}, clientY: {y}, pointerId: 1, isPrimary: true, bubbles: true }};
                    for (const type of ['pointerdown', 'pointerup'])
                      document.querySelector('.picture').dispatchEvent(new PointerEvent(type, event));
                    return [jampin.bench.frame, jampin.player.shown];
                }})()"
            );
            browser.eval(&script).await
        };
        Hand { browser: &browser, actions: 0 }.go(2).await;
        browser.until("jampin.player.shown === 2").await;
        let clicked = early("jampin.bench.newSubject()", 40, (300.0, 400.0)).await;
        assert_eq!(clicked, json!([40, 2]));
        browser.until("jampin.bench.subjects.length === 1 && jampin.player.shown === 40").await;
        assert_eq!(followed(&server, &shot)["subjects"][0]["pins"][0]["frame"], 2);
        browser.until("!jampin.bench.working && !jampin.bench.saving && jampin.bench.track?.isSolved()").await;

        let clicked = early("jampin.bench.placingHere = true", 12, (310.0, 405.0)).await;
        assert_eq!(clicked, json!([12, 40]));
        let guides = |state: &Value| -> Vec<u64> {
            let track = &state["tracks"][0];
            let states = track["state"].as_array().unwrap().iter().zip(track["frame"].as_array().unwrap());
            states.filter(|(state, _)| *state == "guide").map(|(_, frame)| frame.as_u64().unwrap()).collect()
        };
        server.wait(&path, |state| guides(state) == [2, 40] || guides(state) == [40]);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

/// Samples that were found, hidden from `first` to `last`.
fn with_hidden(server: &Server, shot: &str, pin: &str, first: u32, last: u32) {
    let sample = |n: u32| {
        let at = json!({ "x": 300.0 + 2.0 * f64::from(n), "y": 400.0 });
        let hidden = (first..=last).contains(&n);
        let state = if hidden { "hidden" } else { "found" };
        json!([n, { "at": at, "match": if hidden { 0.0 } else { 0.97 }, "state": state, "solved": true }])
    };
    let samples: Vec<Value> = (0..FRAMES).map(sample).collect();
    send(server, shot, &json!({ "edit": "set_samples", "pin": pin, "samples": samples }));
}

#[test]
fn what_was_lost_says_so_where_one_looks_and_is_mended_from_there() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let path = format!("/api/shots/{shot}");
        let put = json!({ "revision": 0, "frame": 0, "x": 300.0, "y": 400.0, "follow": false, "name": "Guard" });
        assert_eq!(server.send("POST", &format!("{path}/pins"), &put).status, 201);
        let pin = server.get(&path).json()["subjects"][0]["pins"][0]["id"].as_str().unwrap().to_owned();
        with_hidden(&server, &shot, &pin, 30, 59);
        browser.until("jampin.bench.losses.length === 1").await;
        let loss =
            browser.eval("(({ first, last, at, step }) => [first, last, at, step])(jampin.bench.losses[0])").await;
        assert_eq!(loss, json!([30, 59, 30, "cross"]));
        let said = "document.querySelector('.picture .lost').checkVisibility()";
        assert_eq!(browser.eval(said).await, json!(false), "on a frame on which it is seen nothing is said");
        browser.eval("jampin.bench.goTo(40)").await;
        browser.until(said).await;
        let text = browser.eval("document.querySelector('.picture .lost').innerText").await;
        assert!(text.as_str().unwrap().starts_with("Lost on frames 30 to 59: "), "{text}");
        browser.run("jampin.bench.newSubject()").await;
        browser.until(&format!("!{said}")).await;
        browser.keys(&[(None, '\u{e00c}')]).await;
        browser.until(said).await;
        // Nobody has seen it for over a second: no place is drawn, and no trail of guesses.
        assert_eq!(browser.eval("document.querySelectorAll('.over [data-grab=point]').length").await, json!(0));
        assert_eq!(browser.eval("document.querySelectorAll('.over .state.hidden').length").await, json!(0));
        assert_eq!(browser.axe().await, Vec::<String>::new());
        browser.click(middle_of(&browser, ".picture .lost button").await).await;
        browser.until("!jampin.bench.saving && jampin.bench.losses.length === 0").await;
        let states = server.get(&path).json()["tracks"][0]["state"].clone();
        assert_eq!((&states[29], &states[30], &states[59]), (&json!("found"), &json!("bridged"), &json!("bridged")));

        // Without another side: one click, and the next says where it is.
        with_hidden(&server, &shot, &pin, 40, FRAMES - 1);
        browser.until("jampin.bench.losses[0]?.step === 'put'").await;
        browser.eval(&format!("jampin.bench.goTo({})", FRAMES - 3)).await;
        browser.until(said).await;
        browser.click(middle_of(&browser, ".picture .lost button").await).await;
        browser.until("jampin.bench.placingHere && jampin.bench.frame === 40").await;
        // Said while this subject was selected, asked for when none is any more.
        browser.run("window.lost = [jampin.bench.selected, jampin.bench.losses[0]]; jampin.bench.newSubject()").await;
        browser.run("jampin.bench.mendLossOf(...lost)").await;
        browser.until("jampin.bench.placingHere && jampin.bench.subject?.name === 'Guard'").await;
        // What a person says is hidden is not lost.
        let hide = json!({ "revision": server.get(&path).json()["shot"]["revision"], "pin": pin, "do": "hide",
            "first": 40, "last": FRAMES - 1 });
        assert_eq!(server.send("POST", &format!("{path}/ranges"), &hide).status, 202);
        browser.until("jampin.bench.losses.length === 0").await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

/// Buttons and fields of a part of the page that stick out of the window, or of each other.
async fn cut_off(browser: &Browser, css: &str) -> Value {
    let script = format!(
        "[...document.querySelectorAll('{css}')].filter((one) => one.checkVisibility() && !one.disabled).filter((one) => {{
            const box = one.getBoundingClientRect();
            const middle = document.elementFromPoint(box.left + box.width / 2, box.top + box.height / 2);
            return box.right > innerWidth || box.bottom > innerHeight || !one.contains(middle);
        }}).map((one) => one.innerText || one.id)"
    );
    browser.eval(&script).await
}

#[test]
fn thirty_subjects_are_within_reach_in_a_small_window() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let path = format!("/api/shots/{shot}");
        for n in 0..30 {
            let (x, y) = (80.0 + 180.0 * f64::from(n % 6), 80.0 + 120.0 * f64::from(n / 6));
            let name = format!("Guest {}", n + 1);
            let put = json!({ "revision": n, "frame": 0, "x": x, "y": y, "follow": false, "name": name });
            assert_eq!(server.send("POST", &format!("{path}/pins"), &put).status, 201);
        }
        browser.until("jampin.bench.subjects.length === 30").await;
        for (width, height, rows) in [(1280, 800, 3), (1100, 700, 3), (1600, 1000, 6)] {
            browser.resize(width, height).await;
            browser.until(&format!("jampin.bench.rowSubjects.length === {rows}")).await;
            assert_eq!(cut_off(&browser, ".transport button, .transport input").await, json!([]), "{width}x{height}");
            assert_eq!(cut_off(&browser, "header .btn, [data-part=follow] > .row-buttons button").await, json!([]));
        }
        browser.resize(1100, 700).await;
        // From the list of all, by scrolling over the rows, and by key.
        let twentieth = browser.eval("jampin.bench.subjects[19].id").await;
        browser.pick(".time .names .all", twentieth.as_str().unwrap()).await;
        browser.until("jampin.bench.subject.name === 'Guest 20'").await;
        let rows = "jampin.bench.rowSubjects.map((one) => one.name)";
        assert_eq!(browser.eval(rows).await, json!(["Guest 19", "Guest 20", "Guest 21"]));
        let wheel = "document.querySelector('.time .names').dispatchEvent(new WheelEvent('wheel', \
                     { deltaY: 100, bubbles: true, cancelable: true }))";
        browser.eval(wheel).await;
        browser.until(&format!("{rows}[0] === 'Guest 20'")).await;
        browser.keys(&[(None, 's')]).await;
        browser.until("jampin.bench.subject.name === 'Guest 21'").await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
        // What the trail's lines mean is there when it is asked for.
        let legend = "document.querySelector('.picture .legend').checkVisibility()";
        assert_eq!(browser.eval(legend).await, json!(false));
        browser.keys(&[(None, 'y')]).await;
        browser.until(legend).await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
