//! Two short tasks, from an untouched shot to the exported film, with their actions counted: a flare on a lamp, names
//! on three people.

use std::path::Path;

use jampin_core::geometry::Point;
use jampin_core::motion::{Match, fit};
use jampin_core::track::{Covariance, MotionModel};
use jampin_demo::{Shot, Truth, clock_tower, passing_loop, write_film};
use serde_json::Value;

use super::mending::Hand;
use super::{Browser, exported, film, on_page, place, with_browser};

/// The beginning of a shot, rendered once.
pub(super) fn beginning(mut shot: Shot, frames: u32, folder: &str) -> (std::path::PathBuf, Truth) {
    shot.frames = frames;
    let made = write_film(&shot, &Path::new(env!("CARGO_TARGET_TMPDIR")).join(folder), &mut |_, _| {}).unwrap();
    (made.film, serde_json::from_str(&std::fs::read_to_string(made.truth).unwrap()).unwrap())
}

pub(super) async fn export(browser: &Browser, hand: &mut Hand<'_>) {
    hand.key('e').await;
    browser.until("document.querySelector('#export.show')").await;
    hand.actions += 1;
    browser.press("MP4").await;
}

#[test]
fn a_flare_on_the_headlamp() {
    with_browser(|server, browser| async move {
        let (film, truth) = beginning(passing_loop(), 40, "loop");
        let shot = server.shot_of(&server.project("Open day"), &film);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        hand.click(on_page(&browser, place(&truth, "lamp", 0)).await).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        hand.type_name("Headlamp").await;
        browser.until("!jampin.bench.working && !jampin.bench.saving && jampin.bench.track?.isSolved()").await;
        hand.key('i').await;
        browser.until("jampin.bench.flare && !jampin.bench.saving").await;
        export(&browser, &mut hand).await;
        let (_, frames) = exported(&server, &shot);
        println!("a flare on the headlamp, exported: {} actions", hand.actions);
        assert!(hand.actions <= 10, "{} actions", hand.actions);
        // Beside the lamp, where nothing shone before, the film is brighter; the ghosts lie through the middle.
        let original = jampin_testkit::decode_rgb(&film, 1280, 720);
        let (x, y) = place(&truth, "lamp", 25);
        let light = |frames: &[Vec<u8>], x: f64, y: f64| -> f64 {
            let at = (y as usize * 1280 + x as usize) * 3;
            frames[25][at..at + 3].iter().map(|v| f64::from(*v)).sum::<f64>() / 3.0
        };
        for (dx, dy) in [(16.0, 18.0), (-18.0, -12.0), (60.0, 0.0)] {
            let (before, after) = (light(&original, x + dx, y + dy), light(&frames, x + dx, y + dy));
            assert!(after > before + 8.0, "{dx},{dy}: {before} then {after}");
        }
        let ghost = (640.0 - 0.78 * (x - 640.0), 360.0 - 0.78 * (y - 360.0));
        let (before, after) = (light(&original, ghost.0, ghost.1), light(&frames, ghost.0, ghost.1));
        assert!(after > before + 3.0, "the ghost at {ghost:?}: {before} then {after}");
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn sparks_on_a_hand() {
    with_browser(|server, browser| async move {
        let (film, truth) = film();
        let shot = server.shot_of(&server.project("Open day"), &film);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        hand.go(30).await;
        hand.click(on_page(&browser, place(&truth, "sleeve", 30)).await).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        hand.type_name("Guard Pell").await;
        browser.until("!jampin.bench.working && !jampin.bench.saving && jampin.bench.track?.isSolved()").await;
        hand.key('d').await;
        browser.until("jampin.bench.attached?.kind === 'sparks' && !jampin.bench.saving").await;
        let sparks = "jampin.overlay.scene.drawables(30).filter((one) => one.shape.shape === 'specks').length > 2";
        browser.until(sparks).await;
        export(&browser, &mut hand).await;
        let (_, frames) = exported(&server, &shot);
        println!("sparks on a hand, exported: {} actions", hand.actions);
        assert!(hand.actions <= 8, "{} actions", hand.actions);
        // Above the hand the film is brighter in places, by more than its coding makes it; far from it nowhere.
        let original = jampin_testkit::decode_rgb(&film, 1280, 720);
        let (x, y) = place(&truth, "sleeve", 30);
        let brighter = |x: f64, y: f64| {
            let light = |frames: &[Vec<u8>], at: usize| -> u32 {
                frames[30][at..at + 3].iter().map(|value| u32::from(*value)).sum()
            };
            let places = (0..80usize).flat_map(|row| (0..80usize).map(move |col| (row, col)));
            let at = |(row, col): (usize, usize)| ((y as usize + row - 40) * 1280 + x as usize + col - 40) * 3;
            places.filter(|one| light(&frames, at(*one)) > light(&original, at(*one)) + 90).count()
        };
        let (near, far) = (brighter(x, y - 40.0), brighter(x + 400.0, y - 40.0));
        assert!(near > 40 && far == 0, "{near} pixels are brighter near the hand, {far} far off");
        assert_eq!(browser.axe().await, Vec::<String>::new());
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn names_on_three_people() {
    with_browser(|server, browser| async move {
        let (film, truth) = film();
        let shot = server.shot_of(&server.project("Open day"), &film);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        let people = [("sleeve", "Guard Pell", 30), ("star", "Mira", 20), ("rucksack", "Odo Venn", 70)];
        for (n, (point, name, frame)) in people.into_iter().enumerate() {
            hand.go(frame).await;
            if n > 0 {
                hand.key('n').await;
            }
            hand.click(on_page(&browser, place(&truth, point, frame)).await).await;
            let named =
                format!("document.activeElement.id === 'subject-name' && jampin.bench.subjects.length === {}", n + 1);
            browser.until(&named).await;
            hand.type_name(name).await;
        }
        browser.until("!jampin.bench.working && !jampin.bench.saving").await;
        export(&browser, &mut hand).await;
        exported(&server, &shot);
        println!("names on three people, exported: {} actions", hand.actions);
        assert!(hand.actions <= 18, "{} actions", hand.actions);
        let state = server.get(&format!("/api/shots/{shot}")).json();
        let names: Vec<&str> =
            state["subjects"].as_array().unwrap().iter().map(|s| s["name"].as_str().unwrap()).collect();
        assert_eq!(names, ["Guard Pell", "Mira", "Odo Venn"]);
        let scene = server.scene(&format!("/api/shots/{shot}"));
        let labels = |drawables: &Value| {
            drawables.as_array().unwrap().iter().filter(|d| d["shape"]["shape"] == "artwork").count()
        };
        assert!(
            labels(&scene["frames"][20]) >= 2 && labels(&scene["frames"][72]) >= 2,
            "each has its name while it is there"
        );
        for subject in state["subjects"].as_array().unwrap() {
            assert!(lies_on_nobody(&state, &scene, subject), "{}: {}", subject["name"], subject["pins"][0]["figure"]);
        }
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

/// Whether the label of a subject keeps off the subject, as far as that is known, on every tenth frame.
fn lies_on_nobody(state: &Value, scene: &Value, subject: &Value) -> bool {
    let (pin, label) = (&subject["pins"][0], &subject["attachments"][0]["id"]);
    let track = state["tracks"].as_array().unwrap().iter().find(|track| track["pin"] == pin["id"]).unwrap();
    let edge =
        |side: &str| pin["figure"][side].as_f64().expect("the camera stands still: it is known who stands there");
    (0..track["frame"].as_array().unwrap().len()).step_by(10).all(|i| {
        let [frame, x, y] = ["frame", "x", "y"].map(|column| track[column][i].as_f64().unwrap());
        let drawables = scene["frames"][frame as usize].as_array().unwrap();
        let drawn = drawables.iter().find(|one| one["of"] == *label && one["shape"]["shape"] == "artwork");
        drawn.is_none_or(|drawn| {
            let art = &scene["artwork"][drawn["shape"]["art"].as_u64().unwrap() as usize];
            let [left, top] = [4, 5].map(|i| drawn["shape"]["matrix"][i].as_f64().unwrap());
            let [width, height] = ["width", "height"].map(|side| art[side].as_f64().unwrap());
            left + width <= x + edge("left")
                || left >= x + edge("right")
                || top + height <= y + edge("top")
                || top >= y + edge("bottom")
        })
    })
}

const BOSSES: [&str; 4] = ["boss 1", "boss 2", "boss 3", "boss 4"];

#[test]
fn a_crest_on_the_tower_in_perspective() {
    with_browser(|server, browser| async move {
        let (film, truth) = beginning(clock_tower(), 40, "tower");
        let shot = server.shot_of(&server.project("Open day"), &film);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        let at = async |name: &str| on_page(&browser, place(&truth, name, 0)).await;
        hand.click(at(BOSSES[0]).await).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        hand.type_name("Tower").await;
        hand.key('N').await;
        for (n, name) in BOSSES.into_iter().enumerate().skip(1) {
            hand.click(at(name).await).await;
            browser.until(&format!("jampin.bench.members.length === {} && !jampin.bench.saving", n + 1)).await;
        }
        browser.until("!jampin.bench.working && jampin.bench.motionModel === 'perspective'").await;
        hand.actions += 1;
        let crest = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/pictures/crest.svg");
        browser.choose_file("input[accept*='.svg']", &crest.canonicalize().unwrap()).await;
        browser.until("jampin.bench.attached?.lies?.face && !jampin.bench.saving").await;
        let scene = server.scene(&format!("/api/shots/{shot}"));
        export(&browser, &mut hand).await;
        let (_, frames) = exported(&server, &shot);
        println!("a crest on the tower, exported: {} actions", hand.actions);
        assert!(hand.actions <= 14, "{} actions", hand.actions);

        // Its corners lie on the bosses, in perspective: a click is right to a pixel of the page, which is 1.6 of the
        // picture.
        for frame in [8, 20, 39] {
            let mut drawables = scene["frames"][frame].as_array().unwrap().iter();
            let shape = &drawables.find(|drawable| drawable["shape"]["shape"] == "flat").unwrap()["shape"];
            let m: Vec<Vec<f64>> = serde_json::from_value(shape["matrix"].clone()).unwrap();
            let art = &scene["artwork"][shape["art"].as_u64().unwrap() as usize];
            let [width, height] = ["width", "height"].map(|side| art[side].as_f64().unwrap());
            let corners = [(0.0, 0.0), (width, 0.0), (width, height), (0.0, height)];
            for ((x, y), name) in corners.into_iter().zip(BOSSES) {
                let [u, v, w] = [0, 1, 2].map(|i| m[i][0] * x + m[i][1] * y + m[i][2]);
                let want = place(&truth, name, frame as u32);
                let miss = (u / w - want.0).hypot(v / w - want.1);
                assert!(miss < 2.4, "frame {frame}, {name}: {miss} px off");
            }
        }
        // In the film the panel, which was empty stone, has the colours of the crest where the truth has its middle.
        let original = jampin_testkit::decode_rgb(&film, 1280, 720);
        let changed = |frame: usize, share: (f64, f64)| {
            let (x, y) = on_panel(&truth, frame as u32, share);
            let at = (y as usize * 1280 + x as usize) * 3;
            (0..3).map(|c| i32::from(original[frame][at + c]).abs_diff(i32::from(frames[frame][at + c]))).sum::<u32>()
        };
        for frame in [8, 20, 39] {
            assert!(changed(frame, (0.5, 0.5)) > 60, "frame {frame}: no crest in the middle of the panel");
            assert!(changed(frame, (1.4, 0.5)) < 20, "frame {frame}: something beside the panel");
        }
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

/// A place of the panel, in shares of its width and height, by the true places of its corners.
fn on_panel(truth: &Truth, frame: u32, (x, y): (f64, f64)) -> (f64, f64) {
    let pair = |(name, (x, y)): (&str, (f64, f64))| {
        let (u, v) = place(truth, name, frame);
        Match { from: Point::new(x, y), to: Point::new(u, v), covariance: Covariance::new([1.0, 0.0, 1.0]) }
    };
    let corners = [(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)];
    let pairs: Vec<Match> = BOSSES.into_iter().zip(corners).map(pair).collect();
    let at = fit(MotionModel::Perspective, &pairs).unwrap().map.apply(Point::new(x, y));
    (at.x, at.y)
}
