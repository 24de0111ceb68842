//! Two tasks with areas, from an untouched shot to the exported film, with their actions counted: a crest on the gable
//! while somebody walks past, a label on a plain ball.

use std::path::Path;

use jampin_core::geometry::{Homography, Point};
use jampin_demo::{Truth, plain_ball, station_front};
use serde_json::Value;

use super::mending::Hand;
use super::tasks::{beginning, export};
use super::{Browser, exported, on_page, place, with_browser};

const FIELD: [&str; 4] = ["field 1", "field 2", "field 3", "field 4"];

async fn open(browser: &Browser, address: &str, shot: &str) {
    browser.goto(address, &format!("/shots/{shot}")).await;
    browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
}

async fn solved(browser: &Browser) {
    browser.until("!jampin.bench.working && !jampin.bench.saving && jampin.bench.track?.isSolved()").await;
}

/// Where the corners of the field are on a frame.
fn field(truth: &Truth, frame: u32) -> [Point; 4] {
    FIELD.map(|name| {
        let (x, y) = place(truth, name, frame);
        Point::new(x, y)
    })
}

#[test]
fn a_crest_on_the_gable_while_somebody_walks_past() {
    with_browser(|server, browser| async move {
        let (film, truth) = beginning(station_front(), 100, "front");
        let shot = server.shot_of(&server.project("Open day"), &film);
        open(&browser, &server.address, &shot).await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        hand.key('z').await;
        for name in FIELD {
            hand.click(on_page(&browser, place(&truth, name, 0)).await).await;
        }
        hand.key('\u{e007}').await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        hand.type_name("Gable").await;
        solved(&browser).await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
        face_is_held_still(&mut hand).await;
        let crest = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/pictures/crest.svg").canonicalize().unwrap();
        hand.file("input[type=file]", &crest).await;
        browser.until("jampin.bench.attachments.some((one) => one.kind === 'picture') && !jampin.bench.saving").await;
        export(&browser, &mut hand).await;
        let (_, frames) = exported(&server, &shot);
        println!("a crest on the gable, exported: {} actions", hand.actions);
        assert!(hand.actions <= 12, "{} actions", hand.actions);
        // On every frame, also while somebody is before it, the crest's face is where the field is.
        let scene = server.scene(&format!("/api/shots/{shot}"));
        let state = server.get(&format!("/api/shots/{shot}")).json();
        let carriers = state["subjects"][0]["areas"][0]["carriers"].clone();
        let mut worst: f64 = 0.0;
        for frame in 0..100u32 {
            let map = Homography::between(&quad(&state, &carriers, 0), &quad(&state, &carriers, frame)).unwrap();
            let off = |(from, to): (Point, Point)| map.apply(from).distance(to);
            worst = field(&truth, 0).into_iter().zip(field(&truth, frame)).map(off).fold(worst, f64::max);
        }
        println!("worst corner {worst:.2} px");
        assert!(worst < 1.0, "{worst}");
        assert!(scene["frames"][50].as_array().unwrap().iter().any(|one| one["shape"]["shape"] == "flat"));
        // The film is greener in the middle of the field, where nobody walks.
        let original = jampin_testkit::decode_rgb(&film, 1280, 720);
        let middle = field(&truth, 95).into_iter().fold(Point::default(), |sum, at| sum + at) * 0.25;
        let at = (middle.y as usize * 1280 + middle.x as usize) * 3;
        let off: i32 = (0..3).map(|c| (i32::from(frames[95][at + c]) - i32::from(original[95][at + c])).abs()).sum();
        assert!(off > 60, "{off}");
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

/// The view that is held still shows the face upright on every frame, while the film's picture of it is elsewhere.
async fn face_is_held_still(hand: &mut Hand<'_>) {
    let actions = hand.actions;
    let [first, last] = [held_still(hand, 0).await, held_still(hand, 95).await];
    let apart = |other: &[f64]| first.iter().zip(other).map(|(a, b)| (a - b).abs()).sum::<f64>() / first.len() as f64;
    let moved = [&first[SMALL.0 + 2..], &[0.0; SMALL.0 + 2]].concat();
    println!(
        "held still: {:.2} grey levels apart, {:.2} when moved by two in {}",
        apart(&last),
        apart(&moved),
        SMALL.0
    );
    assert!(apart(&last) < 0.4 * apart(&moved), "{} {}", apart(&last), apart(&moved));
    // While it plays it is painted too.
    hand.go(0).await;
    let painted = hand.browser.eval("jampin.bench.stillAgain").await.as_f64().unwrap();
    hand.key(' ').await;
    hand.browser.until(&format!("jampin.bench.playing && jampin.bench.stillAgain > {painted} + 300")).await;
    hand.key(' ').await;
    hand.browser.until("!jampin.bench.playing").await;
    hand.go(0).await;
    hand.actions = actions;
}

/// Points across and down of the view when it is made small.
const SMALL: (usize, usize) = (48, 32);

/// Brightness of the view that is held still, on a frame.
async fn held_still(hand: &mut Hand<'_>, frame: u32) -> Vec<f64> {
    hand.go(frame).await;
    let (width, height) = SMALL;
    let small = format!(
        "(() => {{ const small = document.createElement('canvas'); [small.width, small.height] = [{width}, {height}]; \
         const context = small.getContext('2d'); \
         context.drawImage(document.getElementById('held-still'), 0, 0, {width}, {height}); \
         const data = context.getImageData(0, 0, {width}, {height}).data; \
         return Array.from(data).filter((_, i) => i % 4 === 1); }})()"
    );
    serde_json::from_value(hand.browser.eval(&small).await).expect("a list of numbers")
}

/// The corners of an area's box on a frame.
fn quad(state: &Value, carriers: &Value, frame: u32) -> [Point; 4] {
    [1, 2, 3, 4].map(|i| {
        let track = state["tracks"].as_array().unwrap().iter().find(|track| track["pin"] == carriers[i]).unwrap();
        let at = track["frame"].as_array().unwrap().iter().position(|other| *other == frame);
        let at = at.unwrap_or_else(|| panic!("nothing is known on frame {frame}"));
        Point::new(track["x"][at].as_f64().unwrap(), track["y"][at].as_f64().unwrap())
    })
}

#[test]
fn a_label_on_a_plain_ball() {
    with_browser(|server, browser| async move {
        let (film, truth) = beginning(plain_ball(), 60, "ball");
        let shot = server.shot_of(&server.project("Open day"), &film);
        open(&browser, &server.address, &shot).await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        hand.key('z').await;
        let (x, y) = place(&truth, "ball", 0);
        let corner = |by: f64| on_page(&browser, (x + by, y + by));
        hand.drag_with_shift(corner(-34.0).await, corner(34.0).await).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        hand.type_name("The ball").await;
        solved(&browser).await;
        println!("a label on a plain ball: {} actions", hand.actions);
        assert!(hand.actions <= 6, "{} actions", hand.actions);
        let state = server.get(&format!("/api/shots/{shot}")).json();
        let middle = state["subjects"][0]["areas"][0]["carriers"][0].clone();
        let track = state["tracks"].as_array().unwrap().iter().find(|track| track["pin"] == middle).unwrap().clone();
        let (home_x, home_y) = (track["x"][0].as_f64().unwrap() - x, track["y"][0].as_f64().unwrap() - y);
        assert_eq!(track["frame"].as_array().unwrap().len(), 60);
        for (i, frame) in track["frame"].as_array().unwrap().iter().enumerate() {
            let (x, y) = place(&truth, "ball", frame.as_u64().unwrap() as u32);
            let off =
                (track["x"][i].as_f64().unwrap() - x - home_x).hypot(track["y"][i].as_f64().unwrap() - y - home_y);
            assert!(off < 1.0, "frame {frame}: {off} px off");
        }
        // Five pins carry it, and it is followed once.
        hand.key('F').await;
        browser.until("jampin.bench.jobs.filter((job) => job.kind === 'follow').length > 1").await;
        solved(&browser).await;
        let state = server.get(&format!("/api/shots/{shot}")).json();
        assert_eq!(state["jobs"].as_array().unwrap().iter().filter(|job| job["kind"] == "follow").count(), 2);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
