//! Two more tasks with areas, from an untouched shot to the exported film, with their actions counted: a film clip over
//! the yard, everything but one face glows.

use jampin_core::geometry::Point;
use jampin_demo::yard;
use jampin_testkit::make_film;

use super::mending::Hand;
use super::tasks::{beginning, export};
use super::{Browser, exported, on_page, with_browser};

const FRAMES: u32 = 30;
const LATE: usize = 25;

async fn outlined(browser: &Browser, hand: &mut Hand<'_>) {
    browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
    hand.key('z').await;
    let [from, to] = [on_page(browser, (520.0, 260.0)).await, on_page(browser, (760.0, 420.0)).await];
    hand.actions += 1;
    browser.drag(from, to).await;
    browser.until("jampin.bench.area && !jampin.bench.working && !jampin.bench.saving").await;
}

/// Where the middle of the area is on a frame.
async fn middle(browser: &Browser, frame: usize) -> Point {
    let at = browser.eval(&format!("jampin.bench.track.get({frame})")).await;
    Point::new(at["x"].as_f64().unwrap(), at["y"].as_f64().unwrap())
}

fn pixel(frame: &[u8], at: Point) -> [i32; 3] {
    let from = (at.y as usize * 1280 + at.x as usize) * 3;
    [0, 1, 2].map(|c| i32::from(frame[from + c]))
}

#[test]
fn a_film_clip_over_the_yard_and_everything_but_one_face() {
    with_browser(|server, browser| async move {
        let (film, _) = beginning(yard(), FRAMES, "yard30");
        let project = server.project("Open day");
        let shot = server.shot_of(&project, &film);
        let red = "-f lavfi -i color=c=0xd02818:s=320x240:r=25:d=0.6 -pix_fmt yuv420p";
        server.shot_of(&project, &make_film(server.media(), "red.mp4", red));
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        outlined(&browser, &mut hand).await;
        hand.actions += 1;
        browser.pick("#film-clip", "red.mp4").await;
        browser.until("jampin.bench.attached?.kind === 'clip' && !jampin.bench.saving").await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
        hand.actions += 1;
        browser.press("Export").await;
        hand.actions += 1;
        browser.press("MP4").await;
        let (_, frames) = exported(&server, &shot);
        println!("a film clip over the yard, exported: {} actions", hand.actions);
        assert!(hand.actions <= 10, "{} actions", hand.actions);
        let at = middle(&browser, LATE).await;
        let [r, g, b] = pixel(&frames[LATE], at);
        assert!((r - 208).abs() < 12 && (g - 40).abs() < 12 && (b - 24).abs() < 12, "{:?}", [r, g, b]);

        browser.eval("(document.querySelector('#export [data-bs-dismiss]').click(), 1)").await;
        browser.until("!document.querySelector('#export.show, .modal-backdrop')").await;
        // The clip goes; everything but the face glows.
        browser.eval("(jampin.panel('attach').removeAttachment(), 1)").await;
        browser.until("jampin.bench.attachments.length === 1 && !jampin.bench.saving").await;
        let mut hand = Hand { browser: &browser, actions: 2 };
        hand.actions += 1;
        browser.press("All but it").await;
        browser.until("jampin.bench.attached?.kind === 'cover' && !jampin.bench.saving").await;
        hand.actions += 1;
        browser.pick("#begin-with", "glowing").await;
        browser.until("jampin.bench.attached.show.blend === 'screen' && !jampin.bench.saving").await;
        browser.eval("(document.activeElement.blur(), 1)").await;
        export(&browser, &mut hand).await;
        server.wait(&format!("/api/shots/{shot}"), |state| {
            state["jobs"].as_array().unwrap().iter().filter(|job| job["kind"] == "export").count() == 2
        });
        let (_, glowing) = exported(&server, &shot);
        println!("everything but one face glows, exported: {} actions", hand.actions);
        assert!(hand.actions <= 8, "{} actions", hand.actions);
        let original = jampin_testkit::decode_rgb(&film, 1280, 720);
        // The mean about a place: single pixels are the codec's.
        let brighter = |at: Point| {
            let places = (0..441).map(|i| at + Point::new(f64::from(i % 21) - 10.0, f64::from(i / 21) - 10.0));
            let light = |at: Point, frames: &[Vec<u8>]| pixel(&frames[LATE], at).iter().sum::<i32>();
            places.map(|at| light(at, &glowing) - light(at, &original)).sum::<i32>() / 441
        };
        let inside = [(-60.0, 40.0), (-70.0, -30.0), (50.0, 45.0)].map(|(x, y)| brighter(at + Point::new(x, y)));
        assert!(inside.iter().all(|more| more.abs() < 12), "the face stays as it is: {inside:?}");
        let beside = [(-300.0, 0.0), (300.0, 60.0), (0.0, -220.0)].map(|(x, y)| brighter(at + Point::new(x, y)));
        assert!(beside.iter().all(|more| *more > 60), "{beside:?}");
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
