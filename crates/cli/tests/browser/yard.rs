//! The outline of the yard: four pins, two corners under trees, a line round them, from an untouched shot to the
//! exported film; actions counted.

use std::path::Path;
use std::sync::OnceLock;

use fantoccini::key::Key;
use jampin_demo::{Truth, write_film, yard};
use jampin_testkit::Server;
use serde_json::{Value, json};

use super::mending::Hand;
use super::{PROGRAM, exported, on_page, place, with_browser};

const FRAMES: u32 = 200;
/// In order round the yard; those under trees are carried.
const RING: [(&str, bool); 6] = [
    ("stone 1", false),
    ("stone 2", false),
    ("stone 3", true),
    ("stone 4", false),
    ("stone 5", true),
    ("stone 6", false),
];

fn film() -> (std::path::PathBuf, Truth) {
    static FILM: OnceLock<(std::path::PathBuf, String)> = OnceLock::new();
    let (film, truth) = FILM.get_or_init(|| {
        let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join("yard");
        let made = write_film(&yard(), &folder, &mut |_, _| {}).unwrap();
        (made.film, std::fs::read_to_string(made.truth).unwrap())
    });
    (film.clone(), serde_json::from_str(truth).unwrap())
}

fn stroke(scene: &Value, frame: u32) -> Option<Vec<(f64, f64)>> {
    let drawable = scene["frames"][frame as usize].as_array()?.iter().find(|d| d["shape"]["shape"] == "stroke")?;
    let points = drawable["shape"]["lines"][0].as_array()?.iter();
    Some(points.map(|at| (at["x"].as_f64().unwrap(), at["y"].as_f64().unwrap())).collect())
}

#[test]
fn from_an_untouched_shot_to_the_outline_of_the_yard() {
    with_browser(|server, browser| async move {
        let (film, truth) = film();
        let shot = server.shot_of(&server.project("Open day"), &film);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        let at = async |name: &str| on_page(&browser, place(&truth, name, 0)).await;
        hand.click(at("stone 1").await).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        hand.type_name("Yard").await;
        hand.key('N').await;
        for (n, name) in ["stone 2", "stone 4", "stone 6"].into_iter().enumerate() {
            hand.click(at(name).await).await;
            browser.until(&format!("jampin.bench.members.length === {} && !jampin.bench.saving", n + 2)).await;
        }
        hand.key('o').await;
        for (n, name) in ["stone 3", "stone 5"].into_iter().enumerate() {
            hand.click(at(name).await).await;
            browser.until(&format!("jampin.bench.subject.points.length === {} && !jampin.bench.saving", n + 1)).await;
        }
        browser.until("!jampin.bench.working && jampin.bench.carriedHere().length === 2").await;
        hand.key('u').await;
        for (n, (name, _)) in RING.iter().chain([&RING[0]]).enumerate() {
            hand.click(at(name).await).await;
            if n < RING.len() {
                browser.until(&format!("jampin.bench.linking?.length === {}", n + 1)).await;
            }
        }
        browser.until("jampin.bench.boundary?.closed && !jampin.bench.saving").await;
        let scene = server.scene(&format!("/api/shots/{shot}"));
        hand.key('e').await;
        browser.until("document.querySelector('#export.show')").await;
        hand.actions += 1;
        browser.press("MP4").await;
        let (_, frames) = exported(&server, &shot);
        println!("from untouched to the exported outline: {} actions", hand.actions);
        assert!(hand.actions <= 22, "{} actions", hand.actions);

        // Every corner, seen or under a tree, is where the truth has it, on all frames.
        for frame in 10..FRAMES - 11 {
            let points = stroke(&scene, frame).expect("the whole line is there");
            for ((name, hidden), (x, y)) in RING.iter().zip(points) {
                let (want_x, want_y) = place(&truth, name, frame);
                let miss = (x - want_x).hypot(y - want_y);
                // A click is right to a pixel of the page, which is 1.6 of the picture, and the drone comes nearer by
                // half.
                assert!(miss < if *hidden { 4.5 } else { 3.2 }, "frame {frame}, {name}: {miss} px off");
            }
        }
        assert_eq!(stroke(&scene, FRAMES - 1), None, "it is drawn off by the end");
        // On the exported frame the line has its colour half way between two stones.
        let (a, b) = (place(&truth, "stone 6", 50), place(&truth, "stone 1", 50));
        let (x, y) = (((a.0 + b.0) / 2.0) as usize, ((a.1 + b.1) / 2.0) as usize);
        let near = (-4..=4i64).map(|dx| &frames[50][(y * 1280 + (x as i64 + dx) as usize) * 3..][..3]);
        // The subject's colour is #E69F00.
        let off = near.map(|p| p.iter().zip([230u8, 159, 0]).map(|(a, b)| u32::from(a.abs_diff(b))).sum::<u32>());
        assert!(off.min().unwrap() < 60, "no line at {x},{y} of the film");
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
        browser
            .eval("(document.querySelectorAll('.modal').forEach((m) => bootstrap.Modal.getInstance(m)?.hide()), 1)")
            .await;
        browser.until("!document.querySelector('.modal.show')").await;
        browser.keys(&[(None, char::from(Key::Escape))]).await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
    });
}

/// Without a hand that shakes: four pins and two clicks exactly where the stones are on the first frame.
#[test]
fn hidden_corners_are_within_two_pixels_after_one_click_each() {
    let (film, truth) = film();
    let server = Server::start(PROGRAM, &[]);
    let shot = server.shot_of(&server.project("Open day"), &film);
    let path = format!("/api/shots/{shot}");
    server.wait(&path, |state| state["clip"]["state"] == "ready");
    let at_rest = |state: &Value| state["jobs"].as_array().unwrap().iter().all(|job| !job["ended_at"].is_null());
    let send = |to: &str, mut body: Value| {
        body["revision"] = server.wait(&path, at_rest)["shot"]["revision"].clone();
        let answer = server.send("POST", &format!("{path}/{to}"), &body);
        assert_eq!(answer.status, 201, "{}", answer.text());
        answer.json()
    };
    let mut subject = Value::Null;
    for (name, _) in RING.iter().filter(|(_, hidden)| !hidden) {
        let (x, y) = place(&truth, name, 0);
        let made = send("pins", json!({ "frame": 0, "x": x, "y": y, "follow": true, "on": subject }));
        subject = made["made"]["subject"].clone();
    }
    let subject = format!("subjects/{}", subject.as_str().unwrap());
    let hidden: Vec<&str> = RING.iter().filter(|(_, hidden)| *hidden).map(|(name, _)| *name).collect();
    for name in &hidden {
        let (x, y) = place(&truth, name, 0);
        send(&format!("{subject}/points"), json!({ "frame": 0, "at": { "x": x, "y": y } }));
    }
    let motion = server.get(&format!("{path}/{subject}/path")).json();
    let mut worst = 0.0f64;
    for frame in 0..FRAMES as usize {
        for (i, name) in hidden.iter().enumerate() {
            let (x, y) = place(&truth, name, frame as u32);
            let got = |axis: &str| motion["points"][i][axis][frame].as_f64().expect("carried over the whole shot");
            worst = worst.max((got("x") - x).hypot(got("y") - y));
        }
    }
    println!("hidden corners of the yard: at most {worst:.2} px off over {FRAMES} frames");
    // The aim is 2 px, and it is kept while all four pins are exact; on the last 22 frames one of them is known roughly
    // only.
    assert!(worst < 2.0, "{worst} px");
}
