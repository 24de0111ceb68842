//! Files for others, played by others: SVG and WebVTT by Chromium, Lottie by lottie-web 5.13 (npm).

use serde_json::{Value, json};

use super::scenes::{add_subject, id, label, quiet_shot, send};
use super::with_browser;

/// Ten frames of the twelve.
const FRAMES: [u64; 10] = [0, 1, 2, 4, 5, 6, 7, 8, 10, 11];

/// Where the middle of the label is on each frame, as both of our painters have it.
fn middles(scene: &Value) -> Vec<(f64, f64)> {
    let frames = scene["frames"].as_array().unwrap();
    let middle = |frame: &Value| {
        let all = frame.as_array().unwrap();
        let shape = &all.iter().find(|drawable| drawable["shape"]["shape"] == "artwork").unwrap()["shape"];
        let art = &scene["artwork"][shape["art"].as_u64().unwrap() as usize];
        let m: Vec<f64> = serde_json::from_value(shape["matrix"].clone()).unwrap();
        let (x, y) = (art["width"].as_f64().unwrap() / 2.0, art["height"].as_f64().unwrap() / 2.0);
        (m[0] * x + m[2] * y + m[4], m[1] * x + m[3] * y + m[5])
    };
    frames.iter().map(middle).collect()
}

/// The middle of the box of what `find` gives, from the corner of the element `#played`.
fn middle_of(find: &str) -> String {
    format!(
        "(() => {{ const at = ({find}).getBoundingClientRect(), from = \
         document.querySelector('#played').getBoundingClientRect(); return [at.left + at.width / 2 - from.left, \
         at.top + at.height / 2 - from.top]; }})()"
    )
}

fn assert_near(what: &str, frame: u64, got: &Value, want: (f64, f64)) {
    let (x, y) = (got[0].as_f64().unwrap(), got[1].as_f64().unwrap());
    let miss = (x - want.0).hypot(y - want.1);
    assert!(miss < 1.0, "{what}, frame {frame}: the label is {miss:.2} px from where our export has it");
}

#[test]
fn others_put_the_label_where_our_export_has_it() {
    with_browser(|server, browser| async move {
        let shot = quiet_shot(&server);
        add_subject(&server, &shot);
        // Turning, growing and moving, so that every part of a map is needed.
        let turning = json!({
            "line_width": null, "facing": { "since": 0, "turns": true, "grows": true },
            "show": { "keys": [
                { "number": "turn", "frame": 0, "value": -20.0, "easing": { "first": [0, 0], "second": [1, 1] } },
                { "number": "turn", "frame": 11, "value": 35.0, "easing": { "first": [0, 0], "second": [1, 1] } },
                { "number": "size", "frame": 0, "value": 1.0, "easing": { "first": [0, 0], "second": [1, 1] } },
                { "number": "size", "frame": 11, "value": 1.5, "easing": { "first": [0, 0], "second": [1, 1] } },
            ] },
        });
        send(&server, &shot, &json!({ "edit": "put_attachment", "subject": id(10), "attachment": label(&turning) }));
        let want = middles(&server.scene(&format!("/api/shots/{shot}")));
        assert!((want[11].0 - want[0].0).abs() > 5.0, "it moves: {want:?}");
        browser.goto(&server.address, "/").await;

        let svg = server.get(&format!("/api/shots/{shot}/graphics.svg")).text();
        let place = "(() => { const stage = document.createElement('div'); stage.id = 'played'; \
         stage.style.cssText = 'position:fixed;left:0;top:0;width:640px;height:360px'; \
         document.body.replaceChildren(stage); return stage; })()";
        browser.eval(&format!("({place}.innerHTML = {}, 1)", json!(svg))).await;
        browser.eval("(document.querySelector('#played svg').pauseAnimations(), 1)").await;
        for frame in FRAMES {
            let seconds = (frame as f64 + 0.5) / 25.0;
            browser.eval(&format!("(document.querySelector('#played svg').setCurrentTime({seconds}), 1)")).await;
            // The box of the label covers the whole artwork.
            let got = browser.eval(&middle_of("document.querySelector('#played svg path')")).await;
            assert_near("SVG", frame, &got, want[frame as usize]);
        }

        let lottie = server.get(&format!("/api/shots/{shot}/graphics.lottie.json")).json();
        browser.run(include_str!("vendor/lottie_light.min.js")).await;
        browser
            .eval(&format!("(window.film = lottie.loadAnimation({{ container: {place}, renderer: 'svg', autoplay: false, animationData: {lottie} }}), 1)"))
            .await;
        browser.until("film.isLoaded && document.querySelector('#played path')").await;
        for frame in FRAMES {
            browser.eval(&format!("(film.goToAndStop({frame}, true), 1)")).await;
            let got = browser.eval(&middle_of("document.querySelector('#played path').parentNode")).await;
            assert_near("Lottie", frame, &got, want[frame as usize]);
        }

        let track = format!(
            "(() => {{ const film = document.createElement('video'), track = document.createElement('track'); \
             track.src = '/api/shots/{shot}/labels.vtt'; track.default = true; film.append(track); \
             document.body.append(film); track.track.mode = 'hidden'; window.captions = track; return 1; }})()"
        );
        browser.eval(&track).await;
        browser.until("captions.readyState === 2").await;
        let cues = browser
            .eval("[...captions.track.cues].map((cue) => [cue.text, cue.startTime, cue.endTime, cue.position, cue.line, cue.snapToLines])")
            .await;
        let cues = cues.as_array().unwrap();
        assert!(!cues.is_empty() && cues.iter().all(|cue| cue[0] == "Harrowmoss" && cue[5] == false), "{cues:?}");
        let (first, last) = (&cues[0], &cues[cues.len() - 1]);
        assert_eq!((first[1].as_f64(), last[2].as_f64()), (Some(0.0), Some(0.48)), "twelve frames of a twenty-fifth");
        let at = (first[3].as_f64().unwrap() * 6.4, first[4].as_f64().unwrap() * 3.6);
        assert!((at.0 - want[0].0).hypot(at.1 - want[0].1) < 1.0, "{at:?} {:?}", want[0]);
    });
}
