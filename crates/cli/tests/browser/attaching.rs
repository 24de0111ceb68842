//! What hangs on a subject, by mouse and keyboard: a cover, an outline in front, settings, a drag, keyframes, looks,
//! copy and paste; and the project's pages.

use jampin_testkit::Server;
use serde_json::{Value, json};

use super::scenes::{add_subject, id, label, quiet_shot, send};
use super::{Browser, with_browser};

pub(super) async fn open(server: &Server, browser: &Browser) -> String {
    let shot = quiet_shot(server);
    add_subject(server, &shot);
    browser.goto(&server.address, &format!("/shots/{shot}")).await;
    browser
        .until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready' && jampin.overlay.sceneData")
        .await;
    browser.eval("(jampin.bench.goTo(6), jampin.bench.fit(), 1)").await;
    browser.until("jampin.player.shown === 6").await;
    shot
}

/// Where a place of the film's picture is on the page.
pub(super) async fn on_page(browser: &Browser, x: f64, y: f64) -> (f64, f64) {
    let at = format!(
        "(() => {{ const box = document.querySelector('.picture').getBoundingClientRect(), at = \
         jampin.player.toStage({x}, {y}); return [box.left + at.x, box.top + at.y]; }})()"
    );
    let at = browser.eval(&at).await;
    (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
}

pub(super) async fn saved(browser: &Browser) {
    browser.until("!jampin.bench.saving && jampin.overlay.sceneData.revision === jampin.bench.revision").await;
}

pub(super) fn attachments(server: &Server, shot: &str) -> Vec<Value> {
    let state = server.get(&format!("/api/shots/{shot}")).json();
    state["subjects"][0]["attachments"].as_array().unwrap().clone()
}

/// Sets a field of the open attachment by its name.
async fn set(browser: &Browser, name: &str, value: &str) {
    let script = format!(
        "(() => {{ const field = document.querySelector('.settings [aria-label=\"{name}\"]'); if (field.type \
         === 'checkbox') field.checked = '{value}' === '1'; else field.value = '{value}'; \
         field.dispatchEvent(new Event('change', {{ bubbles: true }})); return 1; }})()"
    );
    browser.eval(&script).await;
    saved(browser).await;
}

#[test]
fn a_cover_is_put_set_and_dragged_and_an_outline_hides_it() {
    with_browser(|server, browser| async move {
        let shot = open(&server, &browser).await;
        browser.keys(&[(None, 'm')]).await;
        browser.until("jampin.bench.attached?.kind === 'cover'").await;
        saved(&browser).await;
        set(&browser, "Effect", "1").await;
        set(&browser, "Width", "120").await;
        set(&browser, "Height", "90").await;
        set(&browser, "Softness of the edge", "0").await;
        let cover = attachments(&server, &shot).swap_remove(0);
        assert_eq!((&cover["effect"], &cover["size"]), (&json!({ "mosaic": 16 }), &json!([120.0, 90.0])));
        assert_eq!(cover["show"]["order"], -10, "behind labels, which it would hide");
        // Dragged by 60 to the right and 40 down, in pixels of the film.
        let middle = browser.eval("jampin.overlay.scene.drawables(6)[0].shape.middle").await;
        let (x, y) = (middle["x"].as_f64().unwrap(), middle["y"].as_f64().unwrap());
        // Beside the pin, whose own handles lie on top.
        let (from, to) = (on_page(&browser, x + 45.0, y + 25.0).await, on_page(&browser, x + 105.0, y + 65.0).await);
        browser.drag(from, to).await;
        saved(&browser).await;
        let moved = attachments(&server, &shot).swap_remove(0)["place"].clone();
        assert!(
            (moved["x"].as_f64().unwrap() - 60.0).abs() < 2.0 && (moved["y"].as_f64().unwrap() - 40.0).abs() < 2.0,
            "{moved}"
        );

        // By its handles: half as large again, and turned by a quarter.
        let corner = on_page(&browser, x + 60.0 + 60.0, y + 40.0 + 45.0).await;
        let to = on_page(&browser, x + 60.0 + 90.0, y + 40.0 + 67.5).await;
        browser.drag(corner, to).await;
        saved(&browser).await;
        let ring = browser
            .eval(
                "(({ x, y, width, height }) => [x + width / 2, y + height / 2])(\
            document.querySelector('[data-grab=turn]').getBoundingClientRect())",
            )
            .await;
        let ring = (ring[0].as_f64().unwrap(), ring[1].as_f64().unwrap());
        let middle = on_page(&browser, x + 60.0, y + 40.0).await;
        browser.drag(ring, (middle.0 + middle.1 - ring.1, middle.1)).await;
        saved(&browser).await;
        let cover = attachments(&server, &shot).swap_remove(0);
        let number = |at: &str| cover.pointer(at).unwrap().as_f64().unwrap();
        assert!((number("/size/0") - 180.0).abs() < 6.0 && (number("/size/1") - 135.0).abs() < 6.0, "{cover}");
        assert!((number("/turn") - 90.0).abs() < 2.0, "{cover}");

        browser.keys(&[(None, 'q')]).await;
        for (n, (dx, dy)) in [(20.0, 0.0), (160.0, 0.0), (160.0, 150.0), (20.0, 0.0)].into_iter().enumerate() {
            browser.click(on_page(&browser, x + dx + 60.0, y + dy - 20.0).await).await;
            if n < 3 {
                browser.until(&format!("jampin.bench.outlining?.points.length === {}", n + 1)).await;
            }
        }
        browser.until("jampin.bench.attached?.kind === 'front'").await;
        saved(&browser).await;
        let front = attachments(&server, &shot).swap_remove(1);
        assert_eq!(
            (front["outline"].as_array().unwrap().len(), &front["rides"], &front["since"]),
            (3, &json!(true), &json!(6))
        );
        let drawn = browser.eval("jampin.overlay.scene.drawables(6).map((one) => one.shape.shape)").await;
        assert_eq!(drawn, json!(["cover", "front"]));
        assert_eq!(browser.axe().await, Vec::<String>::new());
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn labels_get_keyframes_looks_and_copies() {
    with_browser(|server, browser| async move {
        let shot = open(&server, &browser).await;
        send(&server, &shot, &json!({ "edit": "put_attachment", "subject": id(10), "attachment": label(&json!({})) }));
        browser.until("jampin.bench.attached?.kind === 'label'").await;
        set(&browser, "Second, smaller text", "of the open day").await;
        set(&browser, "Shadow", "1").await;
        set(&browser, "Course of the line", "1").await;
        set(&browser, "How it comes", "2").await;
        browser.pick("#key-number", "turn").await;
        saved(&browser).await;
        set(&browser, "turn, ° on frame 6", "12").await;
        let one = attachments(&server, &shot).swap_remove(0);
        assert_eq!((&one["second"]["text"], &one["line_course"]), (&json!("of the open day"), &json!("elbow")));
        assert_eq!((&one["show"]["enters"]["way"], &one["show"]["keys"][0]["value"]), (&json!("left"), &json!(12.0)));
        assert!(one["shadow"].is_object());
        // A setting with keyframes gets one on the frame in view when it is typed into.
        browser.pick("#key-number", "box.padding").await;
        saved(&browser).await;
        browser.eval("(jampin.bench.goTo(9), 1)").await;
        let field = "document.querySelector('[aria-label=\"Room between text and edge of the box\"]')";
        assert_eq!(browser.eval(&format!("[{field}.value, {field}.placeholder]")).await, json!(["", "keyed"]));
        set(&browser, "Room between text and edge of the box", "24").await;
        let keys = attachments(&server, &shot).swap_remove(0)["show"]["keys"].clone();
        let padding: Vec<&Value> =
            keys.as_array().unwrap().iter().filter(|key| key["number"] == "box.padding").collect();
        assert_eq!(padding.iter().map(|key| &key["frame"]).collect::<Vec<_>>(), [6, 9]);
        assert_eq!(padding.iter().map(|key| key["value"].as_f64().unwrap()).collect::<Vec<_>>(), [10.0, 24.0]);
        // What begins to lie in perspective does so from the frame in view.
        set(&browser, "Lies on the subject, in its perspective", "1").await;
        let facing = attachments(&server, &shot).swap_remove(0)["facing"].clone();
        assert_eq!((&facing["tilts"], &facing["since"]), (&json!(true), &json!(9)));
        // A number that is none is refused, and the setting shown as it was.
        set(&browser, "Size of the letters", "").await;
        browser.until("jampin.bench.notices.some((one) => one.bad && one.text.includes('no number'))").await;

        browser.eval("(jampin.panel('look').dress('Names', false), 1)").await;
        saved(&browser).await;
        // Copied and pasted, the copy has the look too; a change of one changes both.
        browser.eval("(document.activeElement.blur(), 1)").await;
        browser.keys(&[(Some('\u{E009}'), 'c')]).await;
        browser.keys(&[(Some('\u{E009}'), 'v')]).await;
        browser.until("jampin.bench.attachments.length === 2").await;
        saved(&browser).await;
        set(&browser, "Size of the letters", "48").await;
        let sizes: Vec<f64> = attachments(&server, &shot).iter().map(|one| one["size"].as_f64().unwrap()).collect();
        assert_eq!(sizes, [48.0, 48.0]);
        browser.until("jampin.panel('look').dressText.includes('all 2')").await;
        // A third, of its own look, gets the kept one from the list.
        let third = label(&json!({ "id": id(22), "text": "Mira" }));
        send(&server, &shot, &json!({ "edit": "put_attachment", "subject": id(10), "attachment": third }));
        browser.until("jampin.bench.attachments.length === 3").await;
        browser.eval(&format!("(jampin.bench.openAttachment('{}'), 1)", id(22))).await;
        browser.pick("#look-use", "Names").await;
        saved(&browser).await;
        assert_eq!(attachments(&server, &shot)[2]["size"], 48.0);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
        // Nothing moves fast here: the shutter cannot be measured, and the page says so.
        browser.press("Comes, goes, moves").await;
        browser.press("As filmed").await;
        browser.until("jampin.bench.notices.some((one) => one.bad && one.text.includes('pixels a frame'))").await;
    });
}

#[test]
fn a_boundary_line_is_pasted_through_the_pins_of_another_subject() {
    with_browser(|server, browser| async move {
        let shot = open(&server, &browser).await;
        let corners: Vec<Value> = [2, 3, 1].map(|n| json!({ "pin": id(n) })).into();
        let even = json!({ "first": [0, 0], "second": [1, 1] });
        let line = json!({ "id": id(20), "kind": "boundary", "corners": corners, "closed": true, "width": 6.0,
            "drawing": { "on_frames": 5, "off_frames": 0, "easing": even } });
        send(&server, &shot, &json!({ "edit": "put_attachment", "subject": id(10), "attachment": line }));
        let other = |n: usize, pins: usize| {
            let pin = |i: usize| {
                json!({ "id": id(10 * n + i), "frame": 0,
                "at": { "x": 100.0 + 90.0 * i as f64, "y": 120.0 }, "pattern": [31, 31], "search": [40, 40],
                "stop_below": 0.8 })
            };
            let pins: Vec<Value> = (1..=pins).map(pin).collect();
            let subject = json!({ "id": id(10 * n), "name": "Other yard", "letter": "B", "colour": 2, "pins": pins, "attachments": [] });
            json!({ "edit": "add_subject", "index": 1, "subject": subject })
        };
        send(&server, &shot, &other(5, 4));
        send(&server, &shot, &other(6, 2));
        browser.until("jampin.bench.subjects.length === 3").await;
        browser.eval(&format!("(jampin.bench.select('{}'), jampin.bench.copyAttachment(), 1)", id(10))).await;
        browser.eval(&format!("(jampin.bench.select('{}'), jampin.bench.pasteAttachment(), 1)", id(50))).await;
        browser.until("jampin.bench.attachments.length === 1").await;
        saved(&browser).await;
        let state = server.get(&format!("/api/shots/{shot}")).json();
        let subjects = state["subjects"].as_array().unwrap();
        let pasted = &subjects.iter().find(|one| one["id"] == id(50)).unwrap()["attachments"][0];
        assert_eq!(pasted["corners"], json!([{ "pin": id(52) }, { "pin": id(53) }, { "pin": id(51) }]));
        assert_eq!(pasted["drawing"]["on_frames"], 5);
        // Sparks along that line go through the other subject's pins as well.
        let sparks = format!(
            "(jampin.bench.select('{}'), jampin.bench.openAttachment('{}'), jampin.bench.addSparks(), 1)",
            id(10),
            id(20)
        );
        browser.eval(&sparks).await;
        browser.until("jampin.bench.attached?.kind === 'sparks'").await;
        saved(&browser).await;
        assert_eq!(browser.eval("jampin.bench.attached.corners.length").await, json!(3));
        browser
            .eval(&format!(
                "(jampin.bench.copyAttachment(), jampin.bench.select('{}'), jampin.bench.pasteAttachment(), 1)",
                id(50)
            ))
            .await;
        browser.until("jampin.bench.attachments.length === 2").await;
        let corners = browser.eval("jampin.bench.attachments[1].corners").await;
        assert_eq!(corners, pasted["corners"]);
        saved(&browser).await;
        // Too few pins: nothing is pasted, and the page says what is missing.
        browser.eval(&format!("(jampin.bench.select('{}'), jampin.bench.pasteAttachment(), 1)", id(60))).await;
        browser.until("jampin.bench.notices.some((one) => one.bad && one.text.includes('3 pins or points'))").await;
        assert_eq!(browser.eval("jampin.bench.attachments.length").await, json!(0));
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn the_film_of_the_project_and_the_queue() {
    with_browser(|server, browser| async move {
        let shot = quiet_shot(&server);
        let project =
            server.get(&format!("/api/shots/{shot}")).json()["shot"]["project_id"].as_str().unwrap().to_owned();
        browser.goto(&server.address, &format!("/projects/{project}")).await;
        browser.until("document.querySelector('.tile')").await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
        browser.press("MP4").await;
        browser.until("[...document.querySelectorAll('.exports a')].some((one) => one.offsetParent && one.href.endsWith('/film'))").await;
        browser.goto(&server.address, "/queue").await;
        browser.until("[...document.querySelectorAll('.queue strong')].some((one) => one.textContent === 'Film of the project, MP4')").await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
