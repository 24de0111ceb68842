//! A film that somebody filmed: one click on a lady's hat, a name, and the label stays on while a car goes by and
//! covers her; and one on the wheel of a car, of which each picture is shown several times.

use jampin_testkit::{Server, make_film, real_film};
use serde_json::Value;

use super::mending::Hand;
use super::{Browser, on_page, with_browser};

/// The part of the film that shows her.
const FIRST: u32 = 440;
const LAST: u32 = 600;
/// The tip of the hat, as read off the film by hand, frames counted from the film's start: right to a pixel.
const HAT: [(u32, f64, f64); 9] = [
    (450, 378.0, 138.5),
    (470, 381.0, 139.5),
    (488, 395.3, 140.2),
    (500, 404.5, 140.3),
    (515, 408.8, 143.7),
    (523, 410.0, 144.4),
    (548, 442.3, 149.0),
    (570, 466.0, 156.2),
    (590, 501.3, 163.8),
];
/// On these a car covers her.
const COVERED: [u32; 3] = [530, 533, 536];

/// The part in which a car goes by, and the hub of its far wheel, read off in the same way. On the third of these frames
/// the picture is a copy of the one before, and so is the next.
const GOES_BY: (u32, u32) = (1570, 1670);
const HUB: [(u32, f64, f64); 7] = [
    (1606, 488.3, 219.0),
    (1618, 408.7, 221.4),
    (1624, 384.2, 223.5),
    (1630, 348.0, 224.3),
    (1636, 311.2, 225.4),
    (1642, 269.5, 229.0),
    (1648, 220.2, 237.3),
];

/// Brings a part of the film in, clicks on what is there on a frame of it, and names it; solved when it returns.
async fn named(server: &Server, browser: &Browser, part: (u32, u32), at: (u32, f64, f64), name: &str) -> String {
    let dir = tempfile::tempdir().unwrap();
    let cut = format!(
        "-i {} -vf trim=start_frame={}:end_frame={},setpts=PTS-STARTPTS -an -crf 8 -pix_fmt yuv420p",
        real_film("street.mp4").display(),
        part.0,
        part.1
    );
    let film = make_film(dir.path(), "street.mp4", &cut);
    let shot = server.shot_of(&server.project("Market"), &film);
    browser.goto(&server.address, &format!("/shots/{shot}")).await;
    browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
    let mut hand = Hand { browser, actions: 0 };
    hand.go(at.0 - part.0).await;
    hand.click(on_page(browser, (at.1, at.2)).await).await;
    browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subjects.length === 1").await;
    hand.type_name(name).await;
    browser.until("!jampin.bench.working && !jampin.bench.saving && jampin.bench.track?.isSolved()").await;
    shot
}

/// How far the label points beside each of the places, in pixels; `None` where there is no label.
fn beside(server: &Server, shot: &str, first: u32, places: &[(u32, f64, f64)]) -> Vec<Option<f64>> {
    let scene = server.scene(&format!("/api/shots/{shot}"));
    let drawn = |frame: u32| pointed_at(&scene["frames"][(frame - first) as usize]);
    let off = |&(frame, x, y): &(u32, f64, f64)| drawn(frame).map(|at| (at.0 - x).hypot(at.1 - y));
    places.iter().map(off).collect()
}

/// Where the label's line points to.
fn pointed_at(drawables: &Value) -> Option<(f64, f64)> {
    let line = drawables.as_array()?.iter().find(|d| d["shape"]["shape"] == "line")?;
    let end = |which: &str| Some((line["shape"][which]["x"].as_f64()?, line["shape"][which]["y"].as_f64()?));
    let ((fx, fy), (tx, ty)) = (end("from")?, end("to")?);
    let length = (tx - fx).hypot(ty - fy);
    // It ends some pixels before the spot.
    Some((tx + (tx - fx) / length * 9.0, ty + (ty - fy) / length * 9.0))
}

#[test]
fn a_label_stays_on_a_lady_in_a_real_street() {
    with_browser(|server, browser| async move {
        let shot = named(&server, &browser, (FIRST, LAST), HAT[1], "Mrs Ambrel").await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        let off = beside(&server, &shot, FIRST, &HAT);
        assert!(off.iter().all(|off| off.is_some_and(|off| off < 4.0)), "{off:?} px beside the hat");
        let scene = server.scene(&format!("/api/shots/{shot}"));
        let drawn = |frame: u32| pointed_at(&scene["frames"][(frame - FIRST) as usize]);
        let state = |frame: u32| {
            let tracks = server.get(&format!("/api/shots/{shot}")).json()["tracks"].clone();
            tracks[0]["state"][(frame - FIRST) as usize].clone()
        };
        // A car hides her for less than a second: her name goes across it. One key, and she is hidden there.
        for frame in COVERED {
            assert!(state(frame) == "bridged" && drawn(frame).is_some(), "frame {frame}: {}", state(frame));
        }
        browser.eval(&format!("(document.activeElement.blur(), jampin.bench.goTo({}), 1)", COVERED[0] - FIRST)).await;
        browser.until(&format!("jampin.player.shown === {}", COVERED[0] - FIRST)).await;
        hand.key('k').await;
        browser.until("jampin.bench.undoTitle?.includes('is hidden on') && !jampin.bench.working").await;
        for frame in COVERED {
            assert_eq!(state(frame), "hidden", "frame {frame}");
        }
        // Where only she is known, not the very spot, the trail is of beads that can be seen.
        let round = "(() => {
            const all = [...document.querySelectorAll('path.trail')].map((path) => getComputedStyle(path));
            const beads = all.filter((style) => style.strokeDasharray === '0.1px, 7px');
            return beads.length > 0 && beads.every((style) => style.strokeLinecap === 'round');
        })()";
        let round = browser.eval(round).await;
        assert_eq!(round, true, "a rough part of the trail cannot be seen");
        // Played to its end the page still shows her name, and nothing went wrong on the way.
        browser.keys(&[(None, ' ')]).await;
        browser.until(&format!("jampin.player.shown >= {}", LAST - FIRST - 2)).await;
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}

#[test]
fn a_wheel_is_held_from_a_click_amid_copies_of_one_picture() {
    with_browser(|server, browser| async move {
        let shot = named(&server, &browser, GOES_BY, HUB[2], "Far wheel").await;
        let off = beside(&server, &shot, GOES_BY.0, &HUB);
        assert!(off.iter().all(|off| off.is_some_and(|off| off < 3.0)), "{off:?} px beside the hub");
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
