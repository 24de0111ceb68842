//! What an open page costs: a long shot with thirty pins and ten labels, opened, dragged on, and watched by thirty
//! pages while it is followed.
//!
//! `JAMPIN_PROGRAM=/another/jampin` measures another build the same way.

use std::path::Path;
use std::process::Command;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use jampin_testkit::{Server, make_film, request};
use serde_json::{Value, json};
use uuid::Uuid;

const FILM: &str = "-f lavfi -i mandelbrot=size=640x360:rate=60:start_scale=0.8:end_scale=0.7:end_pts=2400 -t 30 -preset ultrafast -crf 12 -pix_fmt yuv420p";
const FRAMES: u32 = 1800;
const SUBJECTS: usize = 10;
const PINS: usize = 3;
const PAGES: usize = 30;
/// Of a sample as it is stored: place, match, three numbers of its uncertainty, two of its judgement, state, solved.
const SAMPLE_BYTES: f64 = 43.0;
/// Times that each question is asked.
const ROUNDS: usize = 9;

pub(crate) fn run() {
    let program = std::env::var("JAMPIN_PROGRAM").unwrap_or_else(|_| crate::PROGRAM.into());
    let films = tempfile::tempdir().expect("room for a film");
    let film = make_film(films.path(), "film.mp4", FILM);
    let server = Server::start(&program, &[]);
    let project = server.project("Pages");
    crowded(&server, &project, &film);
    followed(&server, &project, &film);
}

/// Milliseconds, the middle of some.
fn middle(mut times: Vec<f64>) -> f64 {
    times.sort_by(f64::total_cmp);
    times[times.len() / 2]
}

fn timed<T>(work: impl FnOnce() -> T) -> (f64, T) {
    let begun = Instant::now();
    let done = work();
    (begun.elapsed().as_secs_f64() * 1000.0, done)
}

fn crowded(server: &Server, project: &str, film: &Path) {
    let path = format!("/api/shots/{}", server.shot_of(project, film));
    let labels: Vec<Uuid> = (0..SUBJECTS).map(|n| subject(server, &path, n)).collect();
    let scene = format!("{path}/scene?at=900");
    let (first, answer) = timed(|| server.get(&scene));
    let again = middle((0..ROUNDS).map(|_| timed(|| server.get(&scene)).0).collect());
    println!("scene: {:.0} KB, first {first:.0} ms, then {again:.0} ms", answer.body.len() as f64 / 1000.0);
    let (state, all) = timed(|| server.get(&path));
    println!("the shot with all samples: {:.0} KB, {state:.0} ms", all.body.len() as f64 / 1000.0);
    let after = format!("{path}?known={}", all.json()["shot"]["samples_version"]);
    let known = middle((0..ROUNDS).map(|_| timed(|| server.get(&after)).0).collect());
    let bytes = server.get(&after).body.len() as f64 / 1000.0;
    println!("what a page reads of it after a change of something else: {bytes:.0} KB, {known:.0} ms");
    let revision = |server: &Server| server.get(&path).json()["shot"]["revision"].as_i64().expect("a revision");
    let mut now = revision(server);
    let drag = |round: usize| {
        let to = 200.0 + round as f64;
        let body =
            json!({ "revision": now, "frame": 900, "from": { "x": 200.0, "y": 100.0 }, "to": { "x": to, "y": 90.0 } });
        let moved = format!("{path}/attachments/{}/move", labels[round % SUBJECTS]);
        let (time, (edited, _)) = timed(|| (server.send("POST", &moved, &body), server.get(&scene)));
        assert_eq!(edited.status, 200, "{}", edited.text());
        now = edited.json()["revision"].as_i64().expect("a revision");
        time
    };
    let times: Vec<f64> = (0..ROUNDS).map(drag).collect();
    println!("a label dragged, until its scene is there: {:.0} ms", middle(times));
}

/// A subject with a label and three pins whose samples go through the whole shot.
fn subject(server: &Server, path: &str, n: usize) -> Uuid {
    let (id, label) = (Uuid::new_v4(), Uuid::new_v4());
    let pins: Vec<Uuid> = (0..PINS).map(|_| Uuid::new_v4()).collect();
    let place = |pin: usize, frame: u32| {
        let along = f64::from(frame) / f64::from(FRAMES);
        let (x, y) = (60.0 + 50.0 * n as f64, 120.0 + 60.0 * (along * 20.0).sin());
        [(x, y), (x + 30.0, y + 4.0), (x + 12.0, y + 28.0)][pin]
    };
    let pin = |(i, id): (usize, &Uuid)| {
        let (x, y) = place(i, 0);
        json!({ "id": id, "frame": 0, "at": { "x": x, "y": y }, "pattern": [31, 31], "search": [40, 40] })
    };
    let all: Vec<Value> = pins.iter().enumerate().map(pin).collect();
    let attachment = json!({ "kind": "label", "id": label, "font": "sans", "size": 16.0, "colour": "#ffffff", "box": null, "line_width": 2.0 });
    let subject = json!({
        "id": id, "name": format!("Waggon {n}"), "letter": "A", "colour": n % 7, "pins": all, "attachments": [attachment],
    });
    let state = server.get(path).json();
    let edit = json!({
        "revision": state["shot"]["revision"], "title": "New", "edit": { "edit": "add_subject", "index": 0, "subject": subject },
    });
    let mut edited = server.send("POST", &format!("{path}/edits"), &edit);
    for (i, pin) in pins.iter().enumerate() {
        assert_eq!(edited.status, 200, "{}", edited.text());
        let rows: String = (0..FRAMES)
            .map(|frame| place(i, frame))
            .enumerate()
            .fold(String::new(), |text, (frame, (x, y))| text + &format!("{frame},{x:.3},{y:.3}\n"));
        let table = json!({
            "revision": edited.json()["revision"], "pin": pin, "text": format!("frame,x,y\n{rows}"),
            "mapping": { "frame": 0, "x": 1, "y": 2 },
        });
        edited = server.send("POST", &format!("{path}/import"), &table);
    }
    assert_eq!(edited.status, 200, "{}", edited.text());
    label
}

/// A question to the database, as text.
fn asked(server: &Server, question: &str) -> f64 {
    let output = Command::new("psql").args([server.database(), "-Atc", question]).output().expect("psql runs");
    String::from_utf8_lossy(&output.stdout).trim().parse().unwrap_or(f64::NAN)
}

/// A pin is followed through the shot while pages look on: what each asks when samples have come.
fn followed(server: &Server, project: &str, film: &Path) {
    let path = format!("/api/shots/{}", server.shot_of(project, film));
    let written = "SELECT pg_wal_lsn_diff(pg_current_wal_insert_lsn(), '0/0')";
    let before = asked(server, written);
    let click = json!({ "revision": 0, "frame": 900, "x": 320.0, "y": 180.0, "follow": true });
    let made = server.send("POST", &format!("{path}/pins"), &click);
    assert_eq!(made.status, 201, "{}", made.text());
    let made = made.json();
    let (job, pin) = (made["job"].as_str().expect("a job"), made["made"]["pin"].as_str().expect("a pin"));
    let subject = made["made"]["subject"].as_str().expect("a subject");
    let (times, ended) = (Mutex::new(Vec::new()), AtomicBool::new(false));
    std::thread::scope(|scope| {
        for _ in 0..PAGES {
            scope.spawn(|| {
                while !ended.load(Ordering::Relaxed) {
                    for question in [
                        format!("{path}/samples?pin={pin}&first=860&last=900"),
                        format!("{path}/scene?at=900"),
                        format!("{path}/subjects/{subject}/path"),
                    ] {
                        let (time, answer) = timed(|| request(&server.address, "GET", &question, "", b""));
                        assert_eq!(answer.status, 200, "{question}: {}", answer.text());
                        times.lock().expect("nobody panicked").push(time);
                    }
                    std::thread::sleep(Duration::from_millis(300));
                }
            });
        }
        server.wait(&path, |state| {
            let own = state["jobs"].as_array().into_iter().flatten().find(|one| one["id"] == job);
            own.is_some_and(|job| job["state"] == "done")
        });
        ended.store(true, Ordering::Relaxed);
    });
    let all = asked(server, written) - before;
    let count = asked(server, &format!("SELECT sum(cardinality(x)) FROM samples WHERE pin_id = '{pin}'"));
    let samples = count * SAMPLE_BYTES;
    let mut times = times.into_inner().expect("nobody panicked");
    times.sort_by(f64::total_cmp);
    println!(
        "followed {FRAMES} frames while {PAGES} pages look on: {} questions, half within {:.0} ms, 99 % within {:.0} ms, longest {:.0} ms",
        times.len(),
        times[times.len() / 2],
        times[(times.len() - 1) * 99 / 100],
        times[times.len() - 1]
    );
    println!(
        "{count} samples of {:.0} KB; the database wrote {:.0} KB to its log, {:.1} times as much, with all that the job says of itself",
        samples / 1000.0,
        all / 1000.0,
        all / samples
    );
}
