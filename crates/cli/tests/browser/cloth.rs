//! Surfaces that bend: scenes on made-up cloth, and the task of putting text and paint on the pennant, with its actions
//! counted.

use jampin_core::document::{Area, DrawnOutline, Fineness};
use jampin_core::geometry::Point;
use jampin_core::mesh::Net;
use jampin_core::time::Frame;
use jampin_demo::{Truth, pennant};
use jampin_testkit::Server;
use serde_json::{Value, json};
use uuid::Uuid;

use super::mending::Hand;
use super::scenes::{id, label, send};
use super::tasks::{beginning, export};
use super::{exported, on_page, place, with_browser};

/// The frames of the quiet film.
const FRAMES: u32 = 12;
const CLOTH: [(f64, f64); 4] = [(120.0, 70.0), (520.0, 70.0), (520.0, 290.0), (120.0, 290.0)];

fn cloth() -> Area {
    let corners = CLOTH.map(|(x, y)| Point::new(x, y)).into();
    let pins = [1, 1, 2, 3, 4].map(|n| Uuid::parse_str(&id(n)).unwrap());
    let area = Uuid::parse_str("00000000-0000-0000-0000-0000000c1000").unwrap();
    Area { bends: Some(Fineness::Coarse), ..Area::new(area, Frame(0), DrawnOutline::straight(corners), pins) }
}

/// Gives the subject of the scenes an area whose net waves.
pub(super) fn add_cloth(server: &Server, shot: &str) {
    let cloth = cloth();
    send(server, shot, &json!({ "edit": "put_area", "subject": id(10), "area": cloth }));
    for (track, knot) in cloth.knots().iter().zip(cloth.net().unwrap().knots) {
        let sample = |frame: u32| {
            let t = f64::from(frame);
            let at = json!({
                "x": knot.x + 2.0 * t + 0.8 * t * (knot.y / 60.0).sin(),
                "y": knot.y + 3.0 * t * (knot.x / 70.0 + 0.1 * t).sin(),
            });
            json!([frame, { "at": at, "match": 1.0, "state": "found", "solved": true }])
        };
        let samples: Vec<Value> = (0..FRAMES).map(sample).collect();
        send(server, shot, &json!({ "edit": "set_samples", "pin": track, "samples": samples }));
    }
}

/// What hangs on it, with the names of the scenes.
pub(super) fn scenes(crest: &Value) -> Vec<(&'static str, Vec<Value>)> {
    let corners = CLOTH.map(|(x, y)| json!({ "x": x, "y": y }));
    let face = json!({ "corners": corners, "since": 0, "bends": cloth().id });
    let picture = |change: Value| {
        let mut attachment = json!({
            "id": id(20), "kind": "picture", "picture": crest["id"], "pixels": [crest["width"], crest["height"]],
            "place": { "x": 0.05, "y": -0.04 }, "size": [0.5, 0.8], "turn": 12.0, "lies": { "drawn": face },
        });
        attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
        vec![attachment]
    };
    let multiplied = json!({ "on": true, "opacity": 0.8, "blend": "multiply" });
    let words =
        json!({ "lies": face, "placement": { "offset": { "x": 10.0, "y": 30.0 } }, "size": 60.0, "turn": -7.0 });
    vec![
        ("picture on cloth", picture(json!({}))),
        ("picture multiplied into cloth", picture(json!({ "show": multiplied }))),
        ("label on cloth", vec![label(&words)]),
    ]
}

fn on_cloth(truth: &Truth, name: &str, frame: u32) -> Point {
    let (x, y) = place(truth, name, frame);
    Point::new(x, y)
}

/// How far from the truth the net takes named places of the frame on which it was drawn.
fn worst_through_net(server: &Server, (shot, area): (&str, &Value), truth: &Truth, names: &[&str]) -> f64 {
    let area = area.as_str().expect("an area has an identity");
    let told = server.get(&format!("/api/shots/{shot}/areas/{area}/net?first=0&count=30")).json();
    let knots = |frame: usize| -> Vec<Point> {
        let flat: Vec<f64> = serde_json::from_value(told["frames"][frame].clone()).expect("the knots are known");
        flat.chunks_exact(2).map(|at| Point::new(at[0], at[1])).collect()
    };
    let net = Net { knots: knots(0), triangles: serde_json::from_value(told["triangles"].clone()).unwrap() };
    let mut worst = 0f64;
    for name in names {
        let spot = net.spot(&net.knots, on_cloth(truth, name, 0)).expect("a net has triangles");
        for frame in 1..30 {
            let off = net.place(&knots(frame), spot).distance(on_cloth(truth, name, frame as u32));
            worst = worst.max(off);
        }
    }
    worst
}

#[test]
fn text_and_paint_on_the_pennant() {
    with_browser(|server, browser| async move {
        let (film, truth) = beginning(pennant(), 30, "pennant");
        let shot = server.shot_of(&server.project("Open day"), &film);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        let mut hand = Hand { browser: &browser, actions: 0 };
        hand.key('z').await;
        let [from, to] = [on_cloth(&truth, "rim 1", 0), on_cloth(&truth, "cog 4", 0) + Point::new(0.0, 60.0)];
        hand.actions += 1;
        browser.drag(on_page(&browser, (from.x, from.y)).await, on_page(&browser, (to.x, to.y)).await).await;
        browser.until("document.activeElement.id === 'subject-name' && jampin.bench.subject").await;
        hand.type_name("Harrowmoss").await;
        browser.until("jampin.bench.area && !jampin.bench.working && !jampin.bench.saving").await;
        hand.actions += 1;
        let fine = "(() => { const list = document.getElementById('area-bends'); list.value = 'fine'; \
                    list.dispatchEvent(new Event('change', { bubbles: true })); return list.value; })()";
        assert_eq!(browser.eval(fine).await, "fine");
        browser.until("jampin.bench.area?.bends && !jampin.bench.working && !jampin.bench.saving").await;
        assert_eq!(browser.axe().await, Vec::<String>::new());
        hand.actions += 1;
        browser.eval("(jampin.bench.openAttachment(jampin.bench.label.id), 1)").await;
        browser.until("jampin.bench.attached?.kind === 'label'").await;
        hand.actions += 1;
        browser.press("Lay on a face").await;
        browser.until("jampin.bench.attached.lies?.bends && !jampin.bench.saving").await;
        export(&browser, &mut hand).await;
        let (_, frames) = exported(&server, &shot);
        println!("text on the pennant, exported: {} actions", hand.actions);
        assert!(hand.actions <= 12, "{} actions", hand.actions);
        let original = jampin_testkit::decode_rgb(&film, 1280, 720);
        let changed = |frame: usize| {
            let pairs = frames[frame].chunks_exact(3).zip(original[frame].chunks_exact(3));
            pairs.filter(|(a, b)| (0..3).any(|c| a[c].abs_diff(b[c]) > 40)).count()
        };
        assert!(changed(0) > 2000 && changed(29) > 2000, "{} {}", changed(0), changed(29));
        // What is laid on the cloth goes where the cloth goes.
        let area = server.get(&format!("/api/shots/{shot}")).json()["subjects"][0]["areas"][0]["id"].clone();
        let names = ["shield left", "shield right", "shield top"];
        let worst = worst_through_net(&server, (&shot, &area), &truth, &names);
        println!("worst place of the shield: {worst:.2} px");
        assert!(worst < 2.0, "{worst}");

        // A stroke in the view that is held still is seen in the film at once, and becomes a picture that bends with it.
        browser.eval("(document.querySelector('#export [data-bs-dismiss]').click(), 1)").await;
        browser.until("!document.querySelector('#export.show, .modal-backdrop')").await;
        browser.press("Paint on it").await;
        let still = "document.getElementById('held-still').getBoundingClientRect()";
        browser.eval("(document.getElementById('held-still').scrollIntoView({ block: 'center' }), 1)").await;
        let canvas = browser.eval(&format!("{still}.toJSON()")).await;
        let at = |u: f64, v: f64| {
            let side = |which: &str| canvas[which].as_f64().unwrap();
            (side("left") + u * side("width"), side("top") + v * side("height"))
        };
        let in_film = "(() => {
            const { canvas } = jampin.player;
            const { data } = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height);
            return data.filter((_, i) => i % 4 === 0 && Math.abs(data[i] - 18) + Math.abs(data[i + 1] - 240) + Math.abs(data[i + 2] - 250) < 30).length;
        })()";
        browser.eval("(Object.assign(jampin.bench.brush, { colour: '#12f0fa', width: 8 }), 1)").await;
        assert_eq!(browser.eval(in_film).await, 0);
        browser.drag(at(0.3, 0.3), at(0.6, 0.6)).await;
        browser.until("jampin.bench.strokes.length === 1").await;
        browser.until(&format!("{in_film} > 200")).await;
        // Whoever goes on with something else has not thrown it away.
        browser.eval("(jampin.bench.select(jampin.bench.selected), 1)").await;
        browser.until("jampin.bench.attached?.kind === 'picture' && jampin.bench.attached.lies.drawn?.bends").await;
        // Nor has whoever exports it.
        browser.press("Paint on it").await;
        browser.drag(at(0.3, 0.6), at(0.6, 0.3)).await;
        browser.until("jampin.bench.strokes.length === 1").await;
        browser.eval("(jampin.bench.openSheet('export'), 1)").await;
        browser.until("!jampin.bench.strokes.length").await;
        let painted = "jampin.bench.subject.attachments.filter((one) => one.kind === 'picture').length";
        assert_eq!(browser.eval(painted).await, 2);
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
