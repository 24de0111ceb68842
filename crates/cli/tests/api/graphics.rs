//! What goes out, decoded again by ffmpeg: graphics alone with their transparency, a still, and the place of a label in
//! a film.

use std::path::{Path, PathBuf};
use std::process::Command;

use jampin_testkit::{Server, decode_rgb, make_film, probe_values};
use serde_json::{Value, json};

use super::PROGRAM;

const WIDTH: usize = 640;
const HEIGHT: usize = 360;
const FRAMES: usize = 12;

pub(super) struct Bench {
    pub server: Server,
    pub path: String,
}

/// Where the subject is, to a fraction of a pixel.
pub(super) fn place(frame: usize) -> (f64, f64) {
    let t = frame as f64;
    (200.0 + 7.37 * t, 240.0 - 3.21 * t)
}

impl Bench {
    /// A grey film with a subject that goes its way, and these attachments.
    pub fn new(attachments: &[Value]) -> Self {
        let server = Server::start(PROGRAM, &[]);
        let grey = "-f lavfi -i color=c=0x707070:s=640x360:r=25:d=0.48 -c:v libx264 -crf 4 -pix_fmt yuv420p";
        let film = make_film(server.media(), "grey.mp4", grey);
        let shot = server.shot_of(&server.project("Out"), &film);
        server.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["state"] == "ready");
        let bench = Self { server, path: format!("/api/shots/{shot}") };
        let at = |frame: usize| json!({ "x": place(frame).0, "y": place(frame).1 });
        let pin =
            json!({ "id": id(1), "frame": 0, "at": at(0), "pattern": [31, 31], "search": [40, 40], "stop_below": 0.8 });
        let subject = json!({ "id": id(10), "name": "Guard", "letter": "A", "colour": 1, "pins": [pin], "attachments": attachments });
        bench.edit(&json!({ "edit": "add_subject", "index": 0, "subject": subject }));
        let sample = |frame| json!([frame, { "at": at(frame), "match": 1.0, "state": "guide", "solved": true }]);
        let samples: Vec<Value> = (0..FRAMES).map(sample).collect();
        bench.edit(&json!({ "edit": "set_samples", "pin": id(1), "samples": samples }));
        bench
    }

    fn edit(&self, edit: &Value) {
        let revision = self.server.get(&self.path).json()["shot"]["revision"].clone();
        let body = json!({ "revision": revision, "title": "Edit", "edit": edit });
        let answer = self.server.send("POST", &format!("{}/edits", self.path), &body);
        assert_eq!(answer.status, 200, "{}", answer.text());
    }

    fn export(&self, container: &str, name: &str) -> PathBuf {
        let made = self.server.send("POST", &format!("{}/exports", self.path), &json!({ "container": container }));
        assert_eq!(made.status, 202, "{}", made.text());
        let job = made.json()["job"].as_str().unwrap().to_owned();
        let ended = |state: &Value| {
            let mut jobs = state["jobs"].as_array().unwrap().iter();
            jobs.any(|one| one["id"] == job.as_str() && (one["state"] == "done" || one["state"] == "failed"))
        };
        self.server.wait(&self.path, ended);
        let answer = self.server.get(&format!("/api/exports/{job}/film"));
        assert_eq!(answer.status, 200, "{container}: {}", answer.text());
        let path = self.server.media().join(name);
        std::fs::write(&path, answer.body).unwrap();
        path
    }
}

pub(super) fn id(n: usize) -> String {
    format!("00000000-0000-0000-0000-{n:012}")
}

/// A plate without letters to speak of, so that its middle is that of what is seen.
fn plate(colour: &str, opacity: f64) -> Value {
    json!({
        "id": id(20), "kind": "label", "text": ".", "font": "sans", "size": 40.0, "colour": colour, "line_width": null,
        "box": { "fill": colour, "opacity": 1.0, "padding": 30.0, "radius": 0.0 },
        "placement": { "offset": { "x": 80.5, "y": -60.25 } }, "show": { "opacity": opacity },
    })
}

/// Every frame of a film with its transparency: red, green, blue, coverage.
fn decode_rgba(path: &Path, decoder: &[&str]) -> Vec<Vec<u8>> {
    let output = Command::new("ffmpeg")
        .args(["-nostdin", "-loglevel", "error"])
        .args(decoder)
        .arg("-i")
        .arg(path)
        .args(["-fps_mode", "passthrough", "-f", "rawvideo", "-pix_fmt", "rgba", "pipe:1"])
        .output()
        .unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    output.stdout.chunks_exact(WIDTH * HEIGHT * 4).map(<[u8]>::to_vec).collect()
}

fn unpack(zip: &Path) -> PathBuf {
    let out = zip.with_extension("folder");
    let mut archive = zip::ZipArchive::new(std::fs::File::open(zip).unwrap()).unwrap();
    archive.extract(&out).unwrap();
    out
}

#[test]
fn graphics_alone_keep_their_transparency() {
    let bench = Bench::new(&[plate("#d02020", 0.6)]);
    let folder = unpack(&bench.export("png_graphics", "pictures.zip"));
    let mut names: Vec<String> =
        std::fs::read_dir(&folder).unwrap().map(|one| one.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    assert_eq!((names.len(), names[0].as_str()), (FRAMES, "grey graphics 00000.png"));
    let pictures: Vec<Vec<u8>> = names.iter().map(|name| decode_rgba(&folder.join(name), &[]).swap_remove(0)).collect();
    let at =
        |picture: &[u8], x: usize, y: usize| -> [u8; 4] { picture[4 * (y * WIDTH + x)..][..4].try_into().unwrap() };
    // Beside the dot, inside the plate.
    let (x, y) = (place(4).0 + 80.5, place(4).1 - 60.25);
    let inside = at(&pictures[4], x as usize + 20, y as usize - 15);
    assert_eq!(inside, [0xd0, 0x20, 0x20, 153], "six tenths of the light");
    assert_eq!(at(&pictures[4], 20, 20), [0; 4]);
    for (container, name, decoder, format, near) in [
        ("webm_graphics", "out.webm", vec!["-c:v", "libvpx-vp9"], "vp9", 3.0),
        ("prores_graphics", "out.mov", vec![], "prores", 1.0),
    ] {
        let film = bench.export(container, name);
        assert_eq!(probe_values(&film, "stream=codec_name"), [format]);
        let frames = decode_rgba(&film, &decoder);
        assert_eq!(frames.len(), FRAMES, "{container}");
        for (frame, picture) in frames.iter().zip(&pictures) {
            let coverage = |data: &[u8]| data.iter().skip(3).step_by(4).map(|v| f64::from(*v)).collect::<Vec<_>>();
            let (got, want) = (coverage(frame), coverage(picture));
            let mean = got.iter().zip(&want).map(|(a, b)| (a - b).abs()).sum::<f64>() / got.len() as f64;
            assert!(mean < 0.2, "{container}: coverage is off by {mean} on average");
        }
        let got = at(&frames[4], x as usize + 20, y as usize - 15);
        let off = got.iter().zip(inside).map(|(a, b)| f64::from(a.abs_diff(b))).fold(0.0, f64::max);
        println!("{container}: {got:?} for {inside:?}");
        assert!(off <= 3.0 * near, "{container}: {got:?} for {inside:?}");
    }
}

#[test]
fn a_label_is_where_the_truth_says() {
    let bench = Bench::new(&[plate("#f4f4f4", 1.0)]);
    let frames = decode_rgb(&bench.export("mp4", "film.mp4"), WIDTH, HEIGHT);
    for (number, frame) in frames.iter().enumerate() {
        // Centroid of how much brighter than the ground each pixel is: brightness is kept at each pixel, colour only at
        // every fourth.
        let (mut sum, mut x_sum, mut y_sum) = (0.0, 0.0, 0.0);
        for (i, pixel) in frame.as_chunks::<3>().0.iter().enumerate() {
            let [r, g, b] = pixel.map(f64::from);
            let weight = (0.299 * r + 0.587 * g + 0.114 * b - 0x70 as f64 - 8.0).max(0.0);
            sum += weight;
            x_sum += weight * ((i % WIDTH) as f64 + 0.5);
            y_sum += weight * ((i / WIDTH) as f64 + 0.5);
        }
        let (x, y) = (place(number).0 + 80.5, place(number).1 - 60.25);
        let miss = (x_sum / sum - x).hypot(y_sum / sum - y);
        println!("frame {number}: {miss:.3} px");
        assert!(miss < 0.3, "frame {number}: the label is {miss:.2} px from where it belongs");
    }
}

#[test]
fn a_still_is_a_frame_of_the_film() {
    let bench = Bench::new(&[plate("#f4f4f4", 1.0)]);
    let film = decode_rgb(&bench.export("mp4", "film.mp4"), WIDTH, HEIGHT);
    let path = bench.server.media().join("still.png");
    std::fs::write(&path, bench.server.get(&format!("{}/still?frame=7", bench.path)).body).unwrap();
    let still = decode_rgb(&path, WIDTH, HEIGHT).swap_remove(0);
    let mean = still.iter().zip(&film[7]).map(|(a, b)| f64::from(a.abs_diff(*b))).sum::<f64>() / still.len() as f64;
    assert!(mean < 2.0, "{mean}");
    let alone = bench.server.get(&format!("{}/still?frame=7&graphics=true", bench.path));
    std::fs::write(&path, alone.body).unwrap();
    assert_eq!(decode_rgba(&path, &[]).swap_remove(0)[3], 0);
    let missing = bench.server.get(&format!("{}/still?frame=700", bench.path));
    assert_eq!(missing.status, 422);
    assert!(missing.json()["message"].as_str().unwrap().contains("no frame 700"), "{}", missing.text());
}
