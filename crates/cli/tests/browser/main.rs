//! The pages in a real browser: the whole task by mouse and by keyboard, corrections, two windows, accessibility, and
//! whether the page and the exported film show the same.

mod areas;
mod attaching;
mod bench;
mod brought_in;
mod cloth;
mod engine;
mod handed_on;
mod harness;
mod hung;
mod mending;
mod pages;
mod people;
mod real;
mod scenes;
mod tasks;
mod yard;

use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use fantoccini::Locator;
use fantoccini::key::Key;
use harness::Browser;
use jampin_demo::{Truth, platform, write_film};
use jampin_testkit::{Server, decode_rgb, probe_values};
use serde_json::{Value, json};

const PROGRAM: &str = env!("CARGO_BIN_EXE_jampin");
/// Frames of the demo shot used here: enough to walk a few steps.
const FRAMES: u32 = 75;
/// The frame on which the pin is put.
const PICKED: u32 = 30;

/// The beginning of *Platform*, and where its points are.
fn film() -> (PathBuf, Truth) {
    static FOLDER: OnceLock<(PathBuf, String)> = OnceLock::new();
    let (film, truth) = FOLDER.get_or_init(|| {
        let mut shot = platform();
        shot.frames = FRAMES;
        let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join("platform");
        let made = write_film(&shot, &folder, &mut |_, _| {}).unwrap();
        (made.film, std::fs::read_to_string(made.truth).unwrap())
    });
    (film.clone(), serde_json::from_str(truth).unwrap())
}

fn place(truth: &Truth, name: &str, frame: u32) -> (f64, f64) {
    let [x, y] = truth.point(name).unwrap().place[frame as usize];
    (x, y)
}

fn with_browser<F: Future<Output = ()>>(test: impl FnOnce(Server, Browser) -> F) {
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap();
    runtime.block_on(async {
        let server = Server::start(PROGRAM, &[]);
        let browser = Browser::start().await;
        test(server, browser).await;
    });
}

/// Where a place of the picture is on the page.
async fn on_page(browser: &Browser, (x, y): (f64, f64)) -> (f64, f64) {
    let script = format!(
        "(() => {{ const box = document.querySelector('.picture').getBoundingClientRect();
            const at = jampin.player.toStage({x}, {y}); return [box.left + at.x, box.top + at.y]; }})()"
    );
    let at = browser.eval(&script).await;
    (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
}

async fn open_bench(server: &Server, browser: &Browser) -> String {
    let project = server.project("Open day");
    let shot = server.shot_of(&project, &film().0);
    browser.goto(&server.address, &format!("/shots/{shot}")).await;
    browser.until("window.jampin?.bench.loaded && jampin.player.shown === 0").await;
    shot
}

/// Waits until nothing is being followed any more.
fn followed(server: &Server, shot: &str) -> Value {
    server.wait(&format!("/api/shots/{shot}"), |state| {
        state["jobs"]
            .as_array()
            .is_some_and(|jobs| jobs.iter().any(|job| job["kind"] == "follow" && !job["ended_at"].is_null()))
    })
}

/// Compares what was followed with the truth; gives the number of frames.
fn compare(state: &Value, truth: &Truth, name: &str, within: f64) -> usize {
    let track = &state["tracks"][0];
    let frames = track["frame"].as_array().unwrap();
    // The pin is where it was put by hand, so it keeps its distance from the named point.
    let picked = frames.iter().position(|frame| frame == PICKED).expect("the frame it was put on");
    let at = |i: usize| (track["x"][i].as_f64().unwrap(), track["y"][i].as_f64().unwrap());
    let off = |i: usize| {
        let (x, y) = place(truth, name, frames[i].as_u64().unwrap() as u32);
        (at(i).0 - x, at(i).1 - y)
    };
    for (i, frame) in frames.iter().enumerate() {
        let error = (off(i).0 - off(picked).0).hypot(off(i).1 - off(picked).1);
        assert!(error < within, "frame {frame}: off by {error}");
    }
    frames.len()
}

/// The film that was exported, decoded; its frames are as large as the shot's.
fn exported(server: &Server, shot: &str) -> (PathBuf, Vec<Vec<u8>>) {
    let state = server.wait(&format!("/api/shots/{shot}"), |state| {
        // The newest stands first.
        let newest = state["jobs"].as_array().and_then(|jobs| jobs.iter().find(|job| job["kind"] == "export"));
        newest.is_some_and(|job| job["state"] == "done")
    });
    let jobs = state["jobs"].as_array().unwrap();
    let job = jobs.iter().find(|job| job["kind"] == "export").unwrap();
    let answer = server.get(&format!("/api/exports/{}/film", job["id"].as_str().unwrap()));
    let path = server.media().join("exported.mp4");
    std::fs::write(&path, &answer.body).unwrap();
    let frames = decode_rgb(&path, 1280, 720);
    (path, frames)
}

/// Finds the label on the right pixels: inside its box the exported frame is the shot's, darkened by the box; and far
/// from it the frames are alike.
fn check_label(server: &Server, shot: &str, frames: &[Vec<u8>], frame: u32) {
    let original = {
        static ORIGINAL: OnceLock<Vec<Vec<u8>>> = OnceLock::new();
        &ORIGINAL.get_or_init(|| decode_rgb(&film().0, 1280, 720))[frame as usize]
    };
    let scene = server.scene(&format!("/api/shots/{shot}"));
    let drawables = scene["frames"][frame as usize].as_array().unwrap();
    let label = drawables.iter().find(|d| d["shape"]["shape"] == "artwork").expect("the label is there");
    assert_eq!(label["opacity"], 1.0, "frame {frame}");
    let (x, y) = (label["shape"]["matrix"][4].as_f64().unwrap(), label["shape"]["matrix"][5].as_f64().unwrap());
    let height = scene["artwork"][0]["height"].as_f64().unwrap();
    let at = |data: &[u8], x: f64, y: f64| -> f64 {
        let start = (y as usize * 1280 + x as usize) * 3;
        data[start..start + 3].iter().map(|v| f64::from(*v)).sum::<f64>() / 3.0
    };
    // The default box: #16202a at 78 %, whose mean is 32.7.
    let (inside_x, inside_y) = (x + 4.0, y + height / 2.0);
    let want = 0.22 * at(original, inside_x, inside_y) + 0.78 * 32.7;
    let got = at(&frames[frame as usize], inside_x, inside_y);
    assert!((got - want).abs() < 8.0, "frame {frame}: box at {inside_x},{inside_y} is {got}, not {want}");
    let (beside, beside_got) = (at(original, x - 5.0, inside_y), at(&frames[frame as usize], x - 5.0, inside_y));
    assert!((beside - beside_got).abs() < 12.0, "frame {frame}: beside the box {beside_got}, was {beside}");
}

#[test]
fn the_whole_task_by_mouse() {
    with_browser(|server, browser| async move {
        let (film, truth) = film();
        browser.goto(&server.address, "/").await;
        browser.until("document.body._x_dataStack").await;
        browser.client.find(Locator::Css("#name")).await.unwrap().send_keys("Open day").await.unwrap();
        browser.press("New project").await;
        browser.until("location.pathname.startsWith('/projects/')").await;
        browser.until("document.body._x_dataStack").await;
        browser.client.find(Locator::Css("#film")).await.unwrap().send_keys(film.to_str().unwrap()).await.unwrap();
        browser.until("location.pathname.startsWith('/shots/')").await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        let path = browser.eval("location.pathname").await.as_str().unwrap().to_owned();
        let shot = path.rsplit('/').next().unwrap().to_owned();
        browser.eval(&format!("jampin.bench.goTo({PICKED})")).await;
        browser.until(&format!("jampin.player.shown === {PICKED}")).await;
        browser.click(on_page(&browser, place(&truth, "sleeve", PICKED)).await).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        browser.type_text("Guard Pell").await;
        browser.keys(&[(None, char::from(Key::Enter))]).await;
        let state = followed(&server, &shot);
        assert_eq!(compare(&state, &truth, "sleeve", 0.6), FRAMES as usize);
        server.wait(&format!("/api/shots/{shot}"), |state| state["subjects"][0]["name"] == "Guard Pell");

        // The page paints what the exporter paints.
        browser.press("Export").await;
        browser.until("document.querySelector('#export.show')").await;
        browser.press("MP4").await;
        let (exported, frames) = exported(&server, &shot);
        assert_eq!(frames.len(), FRAMES as usize);
        for frame in [0, FRAMES / 2, FRAMES - 1] {
            check_label(&server, &shot, &frames, frame);
        }
        assert_eq!(probe_values(&exported, "stream=codec_name"), ["h264", "aac"]);
        same_as_exported(&browser, &server, &shot, &frames[40]).await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

/// The label on the page, at 100 %, against the same pixels of the exported frame 40.
async fn same_as_exported(browser: &Browser, server: &Server, shot: &str, frame: &[u8]) {
    browser
        .eval("(document.querySelectorAll('.modal').forEach((m) => bootstrap.Modal.getInstance(m)?.hide()), 1)")
        .await;
    browser.eval("(jampin.bench.goTo(40), jampin.bench.select(null), 1)").await;
    browser.until("jampin.player.shown === 40 && jampin.overlay.scene.drawables(40).length > 0").await;
    let scene = server.scene(&format!("/api/shots/{shot}"));
    let drawables = scene["frames"][40].as_array().unwrap();
    let label = drawables.iter().find(|d| d["shape"]["shape"] == "artwork").unwrap();
    let left = label["shape"]["matrix"][4].as_f64().unwrap().floor();
    let top = label["shape"]["matrix"][5].as_f64().unwrap().floor();
    let width = scene["artwork"][0]["width"].as_f64().unwrap() as usize;
    let height = scene["artwork"][0]["height"].as_f64().unwrap() as usize;
    let view = format!(
        "(jampin.player.view = {{ scale: 1, turn: 0, x: {} , y: {} }}, jampin.player.viewChanged(), 1)",
        200.0 - left,
        200.0 - top
    );
    browser.eval(&view).await;
    browser.painted().await;
    let box_top =
        browser.eval("document.querySelector('.picture').getBoundingClientRect().top").await.as_f64().unwrap() as usize;
    let (page_width, channels, pixels) = browser.screenshot().await;
    let (mut sum, mut count, mut far) = (0f64, 0usize, 0usize);
    for row in 0..height {
        for col in 0..width {
            let on_page = ((box_top + 200 + row) * page_width + 200 + col) * channels;
            let on_film = ((top as usize + row) * 1280 + left as usize + col) * 3;
            for channel in 0..3 {
                let difference = pixels[on_page + channel].abs_diff(frame[on_film + channel]);
                sum += f64::from(difference);
                far += usize::from(difference > 64);
                count += 1;
            }
        }
    }
    // Two lossy codecs lie between the two: JPEG on the page, H.264 in the film. Chroma at half size blurs letters.
    assert!(sum / (count as f64) < 7.0, "mean difference {}", sum / count as f64);
    assert!(far * 100 < count, "{far} of {count} values differ by more than 64");
}

#[test]
fn the_whole_task_by_keyboard() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let (_, truth) = film();
        let (shift, enter, right) = (char::from(Key::Shift), char::from(Key::Enter), char::from(Key::Right));
        for _ in 0..PICKED / 10 {
            browser.keys(&[(Some(shift), right)]).await;
        }
        browser.until(&format!("jampin.player.shown === {PICKED}")).await;
        browser.keys(&[(None, 'n')]).await;
        let cursor = browser.eval("[jampin.bench.cursor.x, jampin.bench.cursor.y]").await;
        let (x, y) = place(&truth, "sleeve", PICKED);
        let moves = [
            (x - cursor[0].as_f64().unwrap(), char::from(Key::Right), char::from(Key::Left)),
            (y - cursor[1].as_f64().unwrap(), char::from(Key::Down), char::from(Key::Up)),
        ];
        for (by, ahead, back) in moves {
            let (key, steps) = (if by > 0.0 { ahead } else { back }, by.abs().round() as usize);
            let keys: Vec<_> =
                (0..steps / 10).map(|_| (Some(shift), key)).chain((0..steps % 10).map(|_| (None, key))).collect();
            browser.keys(&keys).await;
        }
        browser.keys(&[(None, enter)]).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        browser.type_text("Guard Pell").await;
        browser.keys(&[(None, enter)]).await;
        let state = followed(&server, &shot);
        assert_eq!(compare(&state, &truth, "sleeve", 0.6), FRAMES as usize);

        // Correct a sample by hand, follow on, take it back.
        browser.until("jampin.bench.revision >= 2 && !jampin.bench.saving").await;
        browser.keys(&[(Some(char::from(Key::Alt)), right)]).await;
        let path = format!("/api/shots/{shot}");
        let picked = PICKED as usize;
        let moved = |state: &Value| state["tracks"][0]["x"][picked].as_f64().unwrap_or(0.0);
        let before = moved(&state);
        server.wait(&path, |state| (moved(state) - before - 1.0).abs() < 1e-6);
        browser.until("!jampin.bench.saving").await;
        browser.keys(&[(Some(char::from(Key::Control)), 'z')]).await;
        server.wait(&path, |state| (moved(state) - before).abs() < 1e-6);

        // Play to the end; no frame is dropped.
        browser.keys(&[(None, char::from(Key::Home)), (None, ' ')]).await;
        browser.until("jampin.player.measured && !jampin.bench.playing").await;
        let played = browser.eval("jampin.player.measured").await;
        assert!(
            played["shown"].as_u64().unwrap() + played["dropped"].as_u64().unwrap() >= u64::from(FRAMES) - 2,
            "{played}"
        );

        // Export with the keyboard alone.
        browser.keys(&[(None, 'e')]).await;
        browser.until("document.querySelector('#export.show')").await;
        for _ in 0..8 {
            if browser
                .eval(
                    "document.activeElement.matches('.btn.act') && document.activeElement.textContent.includes('MP4')",
                )
                .await
                == json!(true)
            {
                break;
            }
            browser.keys(&[(None, char::from(Key::Tab))]).await;
        }
        browser.keys(&[(None, enter)]).await;
        let (_, frames) = exported(&server, &shot);
        check_label(&server, &shot, &frames, 50);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn a_label_is_dragged_and_keeps_its_offset() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let (_, truth) = film();
        browser.eval(&format!("jampin.bench.goTo({PICKED})")).await;
        browser.until(&format!("jampin.player.shown === {PICKED}")).await;
        browser.click(on_page(&browser, place(&truth, "sleeve", PICKED)).await).await;
        followed(&server, &shot);
        browser.until("document.querySelector('[data-grab=attachment]') && !jampin.bench.saving").await;
        let path = format!("/api/shots/{shot}");
        let before = server.scene(&path)["offsets"][0]["offset"].clone();
        let middle = "(() => { const b = document.querySelector('[data-grab=attachment]').getBoundingClientRect();
            return [b.left + b.width / 2, b.top + b.height / 2]; })()";
        let at = browser.eval(middle).await;
        let from = (at[0].as_f64().unwrap(), at[1].as_f64().unwrap());
        browser.drag(from, (from.0 + 60.0, from.1 - 30.0)).await;
        let scale = browser.eval("jampin.player.view.scale").await.as_f64().unwrap();
        server.wait(&format!("{path}/scene"), |scene| scene["offsets"][0]["offset"] != before);
        let scene = server.scene(&path);
        let offset = |value: &Value, axis: &str| value[axis].as_f64().unwrap();
        let after = &scene["offsets"][0]["offset"];
        assert!((offset(after, "x") - offset(&before, "x") - 60.0 / scale).abs() < 1.5, "{before} {after}");
        assert!((offset(after, "y") - offset(&before, "y") + 30.0 / scale).abs() < 1.5, "{before} {after}");
        let corner = |frame: usize| {
            let drawables = scene["frames"][frame].as_array().unwrap();
            let label = drawables.iter().find(|d| d["shape"]["shape"] == "artwork").unwrap();
            label["shape"]["matrix"][4].as_f64().unwrap()
        };
        let subject = |frame: usize| server.get(&path).json()["tracks"][0]["x"][frame].as_f64().unwrap();
        assert!((corner(60) - corner(10) - (subject(60) - subject(10))).abs() < 2e-3, "it goes with its subject");
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn a_sample_dragged_into_place_is_a_guide_and_the_rest_is_solved_again() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let (_, truth) = film();
        browser.eval(&format!("jampin.bench.goTo({PICKED})")).await;
        browser.until(&format!("jampin.player.shown === {PICKED}")).await;
        browser.click(on_page(&browser, place(&truth, "sleeve", PICKED)).await).await;
        followed(&server, &shot);
        browser.eval("jampin.bench.goTo(50)").await;
        browser
            .until("jampin.player.shown === 50 && jampin.bench.here && !jampin.bench.job && !jampin.bench.saving")
            .await;
        let at = browser.eval("[jampin.bench.sample.x, jampin.bench.sample.y]").await;
        let at = (at[0].as_f64().unwrap(), at[1].as_f64().unwrap());
        let from = on_page(&browser, at).await;
        browser.drag(from, (from.0 + 4.0, from.1 + 3.0)).await;
        let path = format!("/api/shots/{shot}");
        let state = server.wait(&path, |state| state["tracks"][0]["state"][50] == "guide");
        let moved = (state["tracks"][0]["x"][50].as_f64().unwrap(), state["tracks"][0]["y"][50].as_f64().unwrap());
        assert!((moved.0 - at.0).hypot(moved.1 - at.1) > 5.0, "{at:?} {moved:?}");
        // What depends on it is solved anew by itself.
        let state = server.wait(&path, |state| {
            let jobs = state["jobs"].as_array().unwrap();
            jobs.len() == 2 && jobs.iter().all(|job| !job["ended_at"].is_null())
        });
        let track = &state["tracks"][0];
        let index = |frame: u32| {
            let frames = track["frame"].as_array().unwrap();
            frames
                .iter()
                .position(|other| other == frame)
                .unwrap_or_else(|| panic!("no sample on {frame}: {}", state["jobs"]))
        };
        assert_eq!((&track["state"][index(50)], &track["state"][index(60)]), (&json!("guide"), &json!("found")));
        let off = |frame: u32| {
            let (x, y) = place(&truth, "sleeve", frame);
            (track["x"][index(frame)].as_f64().unwrap() - x, track["y"][index(frame)].as_f64().unwrap() - y)
        };
        let drift = (off(70).0 - off(50).0).hypot(off(70).1 - off(50).1);
        assert!(drift < 0.6, "what was corrected stays corrected: off by {drift}");

        // The pattern's corner, dragged outwards, makes it larger.
        browser.until("!jampin.bench.saving && !jampin.bench.job").await;
        let side = browser.eval("jampin.bench.pin.pattern[0]").await.as_f64().unwrap();
        let sample = browser.eval("[jampin.bench.sample.x, jampin.bench.sample.y]").await;
        let middle = on_page(&browser, (sample[0].as_f64().unwrap(), sample[1].as_f64().unwrap())).await;
        let scale = browser.eval("jampin.player.view.scale").await.as_f64().unwrap();
        let reach = (side / 2.0 * scale).max(20.0);
        let at = |away: f64| (middle.0 + away, middle.1 + away);
        browser.drag(at(reach), at(reach + 16.0)).await;
        server.wait(&path, |state| state["subjects"][0]["pins"][0]["pattern"][0].as_f64().unwrap() > side + 10.0);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn a_second_window_sees_changes_and_cannot_overwrite_them_unseen() {
    with_browser(|server, browser| async move {
        let shot = open_bench(&server, &browser).await;
        let body = json!({ "revision": 0, "frame": PICKED, "x": 500.0, "y": 300.0, "name": "Board" });
        let made = server.send("POST", &format!("/api/shots/{shot}/pins"), &body);
        assert_eq!(made.status, 201, "{}", made.text());
        browser.until("jampin.bench.subjects.length === 1 && jampin.bench.subjects[0].name === 'Board'").await;

        // A page that missed the news: what it sends is refused, said, and what the other did is shown.
        browser.eval("(jampin.session.revision = 0, jampin.bench.rename('Mine'), 1)").await;
        browser
            .until("[...document.querySelectorAll('.notice')].some((n) => n.textContent.includes('another window'))")
            .await;
        let state = server.get(&format!("/api/shots/{shot}")).json();
        assert_eq!((&state["subjects"][0]["name"], &state["shot"]["revision"]), (&json!("Board"), &json!(1)));
        browser.until("jampin.bench.revision === 1").await;

        // Undo across a reload.
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded").await;
        browser.keys(&[(Some(char::from(Key::Control)), 'z')]).await;
        browser.until("jampin.bench.subjects.length === 0 && jampin.bench.redoTitle").await;
        browser.press("Redo").await;
        browser.until("jampin.bench.subjects.length === 1").await;
    });
}

#[test]
fn no_page_is_hard_to_use_for_anybody() {
    with_browser(|server, browser| async move {
        let clean = async |what: &str| {
            let found = browser.axe().await;
            assert!(found.is_empty(), "{what}: {found:#?}");
        };
        browser.goto(&server.address, "/").await;
        browser.until("document.body._x_dataStack").await;
        clean("no projects").await;
        let shot = open_bench(&server, &browser).await;
        clean("empty bench").await;
        let body = json!({ "revision": 0, "frame": PICKED, "x": 500.0, "y": 300.0, "follow": true });
        assert_eq!(server.send("POST", &format!("/api/shots/{shot}/pins"), &body).status, 201);
        followed(&server, &shot);
        browser.until("jampin.bench.subject && !jampin.bench.job").await;
        clean("bench with a subject").await;
        for sheet in ["help", "export"] {
            browser.eval(&format!("(jampin.bench.openSheet('{sheet}'), 1)")).await;
            browser.until(&format!("document.querySelector('#{sheet}.show')")).await;
            clean(sheet).await;
            browser.eval(&format!("(bootstrap.Modal.getInstance(document.getElementById('{sheet}')).hide(), 1)")).await;
            browser.until("!document.querySelector('.modal-backdrop')").await;
        }
        browser.goto(&server.address, "/").await;
        browser.until("document.body._x_dataStack").await;
        clean("projects").await;
        let project = browser.eval("document.querySelector('a.name').getAttribute('href')").await;
        browser.goto(&server.address, project.as_str().unwrap()).await;
        browser.until("document.querySelector('.cards a.name')").await;
        clean("project").await;
        browser.goto(&server.address, "/shots/00000000-0000-0000-0000-000000000000").await;
        clean("not here").await;
    });
}
