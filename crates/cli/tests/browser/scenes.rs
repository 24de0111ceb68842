//! Browser and export paint the same: each scene on the page against the decoded film.

use jampin_testkit::{Server, as_film_keeps_it, decode_rgb, differences, make_film, part_of, request};
use serde_json::{Value, json};

use super::{Browser, brought_in, cloth, with_browser};

const WIDTH: usize = 640;
const HEIGHT: usize = 360;
/// Values that differ by more are far off.
const FAR: u8 = 24;
/// The frame that is compared: nothing is drawn on or off there.
const FRAME: usize = 6;
const CORNERS: [(f64, f64); 4] = [(110.0, 60.0), (520.0, 90.0), (560.0, 300.0), (80.0, 280.0)];

/// A quiet film, so that both codecs keep it nearly as it is: what differs is the painting.
pub(super) fn quiet_shot(server: &Server) -> String {
    let source = "-f lavfi -i color=c=0x5f6f7f:s=640x360:r=25:d=0.48,drawbox=x=320:w=320:h=360:color=0x9a948a:t=fill";
    let film = make_film(server.media(), "quiet.mp4", &format!("{source} -c:v libx264 -crf 4 -pix_fmt yuv420p"));
    let shot = server.shot_of(&server.project("Scenes"), &film);
    server.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["state"] == "ready");
    shot
}

pub(super) fn send(server: &Server, shot: &str, edit: &Value) {
    let path = format!("/api/shots/{shot}");
    let revision = server.get(&path).json()["shot"]["revision"].clone();
    let body = json!({ "revision": revision, "title": "Scene", "edit": edit });
    let answer = server.send("POST", &format!("{path}/edits"), &body);
    assert_eq!(answer.status, 200, "{}", answer.text());
}

pub(super) fn id(n: usize) -> String {
    format!("00000000-0000-0000-0000-{n:012}")
}

/// A subject on four pins that drift, a little in perspective.
pub(super) fn add_subject(server: &Server, shot: &str) {
    let place = |i: usize, frame: usize| {
        let (x, y) = CORNERS[i];
        let t = frame as f64;
        json!({ "x": x + 1.3 * t + 0.002 * t * y, "y": y - 0.7 * t + 0.001 * t * x })
    };
    let pin = |i: usize| json!({ "id": id(i + 1), "frame": 0, "at": place(i, 0), "pattern": [31, 31], "search": [40, 40], "stop_below": 0.8 });
    let pins: Vec<Value> = (0..4).map(pin).collect();
    let subject = json!({ "id": id(10), "name": "Yard", "letter": "A", "colour": 1, "pins": pins, "attachments": [] });
    send(server, shot, &json!({ "edit": "add_subject", "index": 0, "subject": subject }));
    for i in 0..4 {
        let sample =
            |frame: usize| json!([frame, { "at": place(i, frame), "match": 1.0, "state": "guide", "solved": true }]);
        let samples: Vec<Value> = (0..12).map(sample).collect();
        send(server, shot, &json!({ "edit": "set_samples", "pin": id(i + 1), "samples": samples }));
    }
}

fn boundary(change: &Value) -> Value {
    let corners: Vec<Value> = (1..=4).map(|n| json!({ "pin": id(n) })).collect();
    let even = json!({ "first": [0, 0], "second": [1, 1] });
    let mut attachment = json!({
        "id": id(20), "kind": "boundary", "corners": corners, "closed": true, "width": 6.0, "colour": "#e8c656",
        "drawing": { "on_frames": 0, "off_frames": 0, "easing": even },
    });
    attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    attachment
}

pub(super) fn label(change: &Value) -> Value {
    let mut attachment = json!({
        "id": id(20), "kind": "label", "text": "Harrowmoss", "font": "sans", "size": 34.0, "colour": "#ffffff",
        "box": { "fill": "#16202a", "opacity": 0.8, "padding": 10.0, "radius": 6.0 }, "line_width": 3.0,
        "placement": { "offset": { "x": 190.0, "y": 110.0 } },
    });
    attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    attachment
}

fn show(change: &Value) -> Value {
    let mut show = json!({ "on": true, "opacity": 1.0 });
    show.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    json!({ "show": show })
}

/// The crest of the railway, as the project has it.
fn crest(server: &Server, shot: &str) -> Value {
    let project = server.get(&format!("/api/shots/{shot}")).json()["shot"]["project_id"].as_str().unwrap().to_owned();
    let bytes = include_bytes!("../../../demo/pictures/crest.svg");
    let answer =
        request(&server.address, "PUT", &format!("/api/projects/{project}/pictures?name=crest.svg"), "", bytes);
    assert_eq!(answer.status, 201, "{}", answer.text());
    answer.json()
}

fn picture(crest: &Value, change: &Value) -> Value {
    let mut attachment = json!({
        "id": id(20), "kind": "picture", "picture": crest["id"], "pixels": [crest["width"], crest["height"]],
        "place": { "x": 0.0, "y": 0.0 }, "size": [0.8, 0.9],
    });
    attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    attachment
}

fn flare(change: &Value) -> Value {
    let mut attachment = json!({
        "id": id(20), "kind": "flare", "colour": "#ffd9a0", "size": 70.0, "rays": 12, "streak": 2.0, "ring": 0.0, "ghosts": 5,
        "place": { "x": 30.0, "y": 20.0 }, "show": { "on": true, "opacity": 1.0, "blend": "screen" },
    });
    attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    attachment
}

pub(super) fn cover(change: &Value) -> Value {
    let mut attachment = json!({
        "id": id(20), "kind": "cover", "outline": "ellipse", "place": { "x": 170.0, "y": 90.0 }, "size": [190.0, 120.0], "effect": { "blur": 8.0 },
    });
    attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    attachment
}

fn sparks() -> Value {
    json!({
        "id": id(20), "kind": "sparks", "rate": 6.0, "life": 14.0, "speed": 9.0, "direction": 40.0, "spread": 120.0,
        "pull": 0.4, "size": 4.0, "end_size": 0.3, "streak": 1.0, "softness": 0.8, "colour": "#fff2c0",
        "end_colour": "#ff6a1f", "stays": true, "place": { "x": 190.0, "y": 110.0 },
        "show": { "on": true, "opacity": 1.0, "blend": "add" },
    })
}

/// Something in front of a label of the same subject.
fn front(change: &Value) -> Value {
    let outline =
        [(250.0, 130.0), (420.0, 150.0), (380.0, 260.0), (270.0, 240.0)].map(|(x, y)| json!({ "x": x, "y": y }));
    let mut attachment = json!({
        "id": id(21), "kind": "front", "outline": outline, "since": FRAME, "rides": true, "feather": 2.0, "show": { "order": 5 },
    });
    attachment.as_object_mut().unwrap().extend(change.as_object().unwrap().clone());
    attachment
}

/// Covers, what is in front of others, and what every attachment can do.
fn more_scenes(crest: &Value) -> Vec<(&'static str, Vec<Value>)> {
    let show = |change: Value| json!({ "show": change });
    let key_on = |number: &str, frame: usize, value: f64| {
        json!({ "number": number, "frame": frame,
        "value": value, "easing": { "first": [0, 0], "second": [1, 1] } })
    };
    let key = |number: &str, value: f64| key_on(number, 0, value);
    let changing = |tracks: [(&str, f64, f64); 2]| -> Vec<Value> {
        tracks.into_iter().flat_map(|(number, from, to)| [key_on(number, 0, from), key_on(number, 11, to)]).collect()
    };
    let edge = json!({ "colour": "#802020", "width": 3.0 });
    let shadow = json!({ "colour": "#000000", "opacity": 0.7, "shift": { "x": 4.0, "y": 5.0 }, "softness": 3.0 });
    let boxed = json!({ "fill": "#16202a", "opacity": 0.9, "padding": 12.0, "radius": 8.0, "border": edge });
    let role = json!({ "text": "of the open day", "size": 0.6, "colour": "#e8c656" });
    let facing = json!({ "facing": { "since": 0, "turns": true, "grows": true } });
    let lying = json!({ "since": 0, "turns": false, "grows": false, "tilts": true });
    let blurred = json!({ "shutter": 270.0, "takes": { "axis": "both", "share": 8.0 } });
    let wide = json!({ "fill": "#e0d8c0", "opacity": 1.0, "padding": 20.0, "radius": 0.0 });
    vec![
        ("blurred ellipse", vec![cover(&json!({ "feather": 4.0 }))]),
        ("mosaic in a box", vec![cover(&json!({ "outline": "box", "effect": { "mosaic": 14 }, "turn": 12.0 }))]),
        ("plain rounded box", vec![cover(&json!({ "outline": "rounded", "effect": { "plain": "#304050" } }))]),
        ("all but blurred", vec![cover(&json!({ "inside_out": true, "feather": 10.0, "effect": { "blur": 20.0 } }))]),
        (
            "all but darkened",
            vec![cover(
                &json!({ "inside_out": true, "feather": 6.0, "effect": { "plain": "#000000" }, "show": { "opacity": 0.6 } }),
            )],
        ),
        (
            "glow",
            vec![cover(
                &json!({ "effect": { "blur": 14.0 }, "feather": 8.0, "show": { "blend": "screen", "opacity": 0.7 } }),
            )],
        ),
        ("label behind an outline", vec![label(&json!({ "box": wide })), front(&json!({}))]),
        (
            "label behind what is bright",
            vec![
                label(&json!({ "box": wide, "size": 60.0 })),
                front(
                    &json!({ "outline": [], "rides": false, "brightness": { "from": 0.5, "to": 1.0, "softness": 0.1 } }),
                ),
            ],
        ),
        (
            "picture over a cover, in order",
            vec![
                cover(&json!({ "effect": { "mosaic": 10 }, "show": { "order": 1 } })),
                picture(
                    crest,
                    &json!({ "id": id(21), "lies": facing, "place": { "x": 170.0, "y": 90.0 }, "size": [90.0, 90.0], "show": { "order": 2 } }),
                ),
            ],
        ),
        (
            "label with shadow, border and second text",
            vec![label(&json!({ "box": boxed, "shadow": shadow, "second": role }))],
        ),
        ("outlined letters with a shadow", vec![label(&json!({ "box": null, "outline": edge, "shadow": shadow }))]),
        ("label in four scripts", vec![label(&json!({ "text": "Станция Σταθμός\nمحطة السكة\n车站 えき 기차역" }))]),
        (
            "turned and grown by keyframes",
            vec![label(&show(json!({ "keys": [key("turn", 14.0), key("size", 1.4), key("across", -30.0)] })))],
        ),
        (
            "blur and width of a cover by keyframes",
            vec![cover(&show(json!({ "keys": changing([("effect.blur", 2.0, 16.0), ("size.0", 60.0, 240.0)]) })))],
        ),
        (
            "room and outline of a label by keyframes",
            vec![label(&json!({
                "outline": edge,
                "show": { "keys": changing([("box.padding", 4.0, 30.0), ("outline.width", 1.0, 6.0)]) },
            }))],
        ),
        (
            "width and glow of a line by keyframes",
            vec![boundary(&json!({
                "glow": { "colour": "#ffffff", "reach": 16.0, "opacity": 0.7 },
                "show": { "keys": changing([("width", 2.0, 24.0), ("glow.reach", 4.0, 40.0)]) },
            }))],
        ),
        ("label in perspective", vec![label(&json!({ "facing": lying, "shadow": shadow, "line_width": null }))]),
        (
            "cover in perspective",
            vec![cover(&json!({ "facing": lying, "outline": "rounded", "effect": { "mosaic": 12 } }))],
        ),
        ("line with an elbow", vec![label(&json!({ "line_course": "elbow" }))]),
        ("sparks", vec![sparks()]),
        ("label in motion", vec![label(&show(blurred.clone()))]),
        (
            "picture in motion",
            vec![picture(
                crest,
                &json!({ "lies": facing, "place": { "x": 170.0, "y": 90.0 }, "size": [120.0, 110.0], "show": blurred }),
            )],
        ),
    ]
}

fn scenes(crest: &Value) -> Vec<(&'static str, Value)> {
    let face: Vec<Value> = (1..=4).map(|n| json!({ "pin": id(n) })).collect();
    let facing = json!({ "facing": { "since": 0, "turns": true, "grows": true } });
    let on_line = json!({ "label": { "text": "Turntable yard", "font": "serif", "size": 30.0, "colour": "#102030", "box": null, "line_width": null } });
    vec![
        ("picture in perspective", picture(crest, &json!({ "lies": { "face": face }, "turn": 8.0 }))),
        (
            "picture, half there",
            picture(crest, &json!({ "lies": { "face": face }, "show": { "on": true, "opacity": 0.5 } })),
        ),
        (
            "multiplied picture",
            picture(
                crest,
                &json!({ "lies": { "face": face }, "show": { "on": true, "opacity": 1.0, "blend": "multiply" } }),
            ),
        ),
        (
            "small picture facing the camera",
            picture(
                crest,
                &json!({ "lies": facing, "place": { "x": 90.0, "y": 80.0 }, "size": [120.0, 90.0], "turn": -20.0 }),
            ),
        ),
        ("flare", flare(&json!({}))),
        (
            "flare of added light",
            flare(&json!({ "ring": 1.2, "show": { "on": true, "opacity": 0.7, "blend": "add" } })),
        ),
        ("label", label(&json!({}))),
        (
            "label, half there, thin font",
            label(&json!({ "font": "condensed", "show": { "on": true, "opacity": 0.5 } })),
        ),
        ("label, screened", label(&show(&json!({ "blend": "screen" })))),
        ("line", boundary(&json!({}))),
        ("soft line", boundary(&json!({ "softness": 4.0, "width": 14.0 }))),
        ("dashed line with marks", boundary(&json!({ "dashes": [30.0, 18.0], "marks": 12.0 }))),
        ("glowing line", boundary(&json!({ "glow": { "colour": "#ffffff", "reach": 16.0, "opacity": 0.7 } }))),
        (
            "line on the ground with tint",
            boundary(&json!({ "on_ground": true, "width": 16.0, "tint": { "colour": "#56b4e9", "opacity": 0.3 } })),
        ),
        (
            "open line with text",
            boundary(&json!({ "closed": false, "label": on_line["label"], "label_at": { "edge": 1 } })),
        ),
        ("multiplied line", boundary(&show(&json!({ "blend": "multiply" })))),
        (
            "overlaid tint",
            boundary(
                &json!({ "tint": { "colour": "#d0a060", "opacity": 0.8 }, "show": { "on": true, "opacity": 1.0, "blend": "overlay" } }),
            ),
        ),
        (
            "added light",
            boundary(
                &json!({ "softness": 6.0, "width": 20.0, "show": { "on": true, "opacity": 0.5, "blend": "add" } }),
            ),
        ),
    ]
}

/// The decoded film of the shot as it is now.
fn export(server: &Server, shot: &str) -> Vec<u8> {
    let revision = server.get(&format!("/api/shots/{shot}")).json()["shot"]["revision"].clone();
    let body = json!({ "revision": revision, "container": "mp4" });
    let made = server.send("POST", &format!("/api/shots/{shot}/exports"), &body);
    assert!(made.status < 300, "{}", made.text());
    let job = made.json()["job"].as_str().unwrap().to_owned();
    let done = |state: &Value| {
        state["jobs"].as_array().unwrap().iter().any(|one| one["id"] == job.as_str() && one["state"] == "done")
    };
    server.wait(&format!("/api/shots/{shot}"), done);
    let path = server.media().join("scene.mp4");
    std::fs::write(&path, server.get(&format!("/api/exports/{job}/film")).body).unwrap();
    decode_rgb(&path, WIDTH, HEIGHT).swap_remove(FRAME)
}

/// The picture on the page at 100 %, without the marks of the bench: at rest, and as it is painted while it plays.
async fn on_page(browser: &Browser, revision: &Value) -> [Vec<u8>; 2] {
    browser.until(&format!("jampin.overlay.sceneData?.revision === {revision} && !jampin.bench.saving")).await;
    let view = format!(
        "(jampin.bench.select(null), jampin.bench.goTo({FRAME}), jampin.player.view = {{ scale: 1, turn: 0, x: 20, y: 20 }}, jampin.player.viewChanged(), 1)"
    );
    browser.eval(&view).await;
    browser
        .until(&format!("jampin.player.shown === {FRAME} && jampin.overlay.scene.drawables({FRAME}).length > 0"))
        .await;
    browser.eval("(document.querySelectorAll('.over > g').forEach((group) => group.replaceChildren()), 1)").await;
    // Frames of a film clip come one by one.
    browser.until("![...jampin.overlay.scene.clips.kept.values()].some((one) => !one.bitmap)").await;
    browser.painted().await;
    let at_rest = shown(browser).await;
    browser.eval("(jampin.player.playing = { target: 0 }, jampin.player.draw(), 1)").await;
    let playing = shown(browser).await;
    browser.eval("(jampin.player.playing = null, jampin.player.draw(), 1)").await;
    [at_rest, playing]
}

/// What the page shows where the picture lies.
async fn shown(browser: &Browser) -> Vec<u8> {
    let top = browser.eval("document.querySelector('.picture').getBoundingClientRect().top").await;
    let top = top.as_f64().unwrap() as usize;
    let (page_width, channels, pixels) = browser.screenshot().await;
    part_of((page_width, channels, &pixels), (20, top + 20), (WIDTH, HEIGHT))
}

/// Both pictures one above the other, to be looked at when they differ: a PPM file each.
fn write_pictures(path: &std::path::Path, page: &[u8], film: &[u8]) {
    let mut bytes = format!("P6 {WIDTH} {} 255\n", 2 * HEIGHT).into_bytes();
    bytes.extend(page.iter().chain(film));
    std::fs::write(path.with_extension("ppm"), bytes).unwrap();
}

#[test]
fn each_scene_looks_the_same_on_the_page_and_in_the_film() {
    with_browser(|server, browser| async move {
        let shot = quiet_shot(&server);
        add_subject(&server, &shot);
        cloth::add_cloth(&server, &shot);
        browser.goto(&server.address, &format!("/shots/{shot}")).await;
        browser.until("window.jampin?.bench.loaded && jampin.bench.clip.state === 'ready'").await;
        // Nothing but the picture: legend and hints would lie over it.
        browser.eval("(document.querySelector('.legend').remove(), 1)").await;
        let crest = crest(&server, &shot);
        let single = scenes(&crest).into_iter().map(|(name, attachment)| (name, vec![attachment]));
        for (name, attachments) in
            single.chain(more_scenes(&crest)).chain(cloth::scenes(&crest)).chain(brought_in::scenes(&server, &shot))
        {
            for attachment in &attachments {
                send(&server, &shot, &json!({ "edit": "put_attachment", "subject": id(10), "attachment": attachment }));
            }
            let revision = server.get(&format!("/api/shots/{shot}")).json()["shot"]["revision"].clone();
            let [page, playing] = on_page(&browser, &revision).await;
            let film = export(&server, &shot);
            let as_kept = as_film_keeps_it(&film, WIDTH);
            let off = |shown: &[u8]| differences(&as_film_keeps_it(shown, WIDTH), &as_kept, FAR);
            let ((mean, far), (quick_mean, quick_far)) = (off(&page), off(&playing));
            println!(
                "{name}: mean {mean:.2}, {:.2} % of pixels far; playing {quick_mean:.2}, {:.2} %",
                far * 100.0,
                quick_far * 100.0
            );
            if let Ok(folder) = std::env::var("JAMPIN_SCENES") {
                write_pictures(&std::path::Path::new(&folder).join(name), &page, &film);
            }
            assert!(mean < 1.5, "{name}: the values differ by {mean} on average");
            assert!(far < 0.005, "{name}: {} % of the pixels differ by more than {FAR}", far * 100.0);
            assert!(quick_mean < 2.0, "{name}, playing: the values differ by {quick_mean} on average");
            assert!(
                quick_far < 0.02,
                "{name}, playing: {} % of the pixels differ by more than {FAR}",
                quick_far * 100.0
            );
            for attachment in &attachments[1..] {
                send(
                    &server,
                    &shot,
                    &json!({ "edit": "remove_attachment", "subject": id(10), "attachment": attachment["id"] }),
                );
            }
        }
        assert_eq!(browser.console_errors().await, Vec::<String>::new());
    });
}
