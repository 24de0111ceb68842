//! 50 people who edit ten shots while four of them are followed: no edit that was answered is lost, and how long the
//! answers took.

use std::path::Path;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use jampin_testkit::{make_film, try_request};
use serde_json::{Value, json};

use crate::checker::rows_and_files;
use crate::party::{Party, text};

const FILM: &str = "-f lavfi -i mandelbrot=size=640x360:rate=25:start_scale=0.8:end_scale=0.7:end_pts=900 -t 24 -preset ultrafast -crf 12 -pix_fmt yuv420p";
const PEOPLE: usize = 50;
const SHOTS: usize = 10;
const FOLLOWED: usize = 4;
/// What a person needs to look before the next change.
const THINKS: Duration = Duration::from_millis(500);

pub(crate) fn run(seconds: u32) {
    let films = tempfile::tempdir().expect("room for a film");
    let film = make_film(films.path(), "film.mp4", FILM);
    let party = Party::begin(&[]);
    let project = party.project("Drill");
    let shots: Vec<String> = (0..SHOTS).map(|_| shot(&party, &project, &film)).collect();
    let times = Mutex::new(Vec::new());
    let made = Mutex::new(vec![0u32; PEOPLE]);
    let until = Instant::now() + Duration::from_secs(seconds.into());
    std::thread::scope(|scope| {
        for person in 0..PEOPLE {
            let (shot, times, made) = (&shots[person % SHOTS], &times, &made);
            let address = party.address();
            scope.spawn(move || {
                let count = edit(address, shot, person, until, times);
                made.lock().expect("nobody panicked")[person] = count;
            });
        }
        follow(&party, &shots[..FOLLOWED], until);
    });
    party.settle();
    rows_and_files(&party);
    let made = made.into_inner().expect("nobody panicked");
    for (person, count) in made.iter().enumerate() {
        let state = party.get(&format!("/api/shots/{}", shots[person % SHOTS])).json();
        let subject = &state["subjects"][1 + person / SHOTS];
        assert_eq!(subject["name"], format!("{person} {count}"), "the last edit of each person is there");
    }
    let mut times = times.into_inner().expect("nobody panicked");
    times.sort_by(f64::total_cmp);
    let at = |share: f64| 1000.0 * times[((times.len() - 1) as f64 * share) as usize];
    println!(
        "{} requests of {PEOPLE} people in {seconds} s: half within {:.0} ms, 99 % within {:.0} ms, longest {:.0} ms; {} edits, none lost",
        times.len(),
        at(0.5),
        at(0.99),
        at(1.0),
        made.iter().sum::<u32>()
    );
}

/// A shot with a subject that is followed, and one for each of its people.
fn shot(party: &Party, project: &str, film: &Path) -> String {
    let shot = party.shot_of(project, film);
    let path = format!("/api/shots/{shot}");
    let pin = json!({ "revision": 0, "frame": 0, "x": 250.0, "y": 180.0, "follow": false });
    assert_eq!(party.send("POST", &format!("{path}/pins"), &pin).status, 201);
    for n in 0..PEOPLE / SHOTS {
        let revision = party.get(&path).json()["shot"]["revision"].clone();
        let pin = json!({ "revision": revision, "frame": 0, "x": 100.0 + 20.0 * n as f64, "y": 80.0, "follow": false });
        assert_eq!(party.send("POST", &format!("{path}/pins"), &pin).status, 201);
    }
    shot
}

/// Follows the shots over and over.
fn follow(party: &Party, shots: &[String], until: Instant) {
    while Instant::now() < until {
        for shot in shots {
            let path = format!("/api/shots/{shot}");
            let state = party.get(&path).json();
            if state["jobs"].as_array().is_some_and(|jobs| jobs.iter().all(|job| !job["ended_at"].is_null())) {
                let pin = &state["subjects"][0]["pins"][0]["id"];
                let body =
                    json!({ "revision": state["shot"]["revision"], "pin": pin, "from": 0, "directions": ["forward"] });
                // Somebody may have been quicker.
                drop(party.send("POST", &format!("{path}/follow"), &body));
            }
        }
        std::thread::sleep(Duration::from_millis(500));
    }
}

/// Renames a person's own subject; who was late looks again and sends it again. How many edits were made.
fn edit(address: &str, shot: &str, person: usize, until: Instant, times: &Mutex<Vec<f64>>) -> u32 {
    let ask = |method: &str, path: &str, body: &Value| {
        let begun = Instant::now();
        let text = body.to_string();
        let answer = try_request(address, method, path, "Content-Type: application/json\r\n", text.as_bytes());
        times.lock().expect("nobody panicked").push(begun.elapsed().as_secs_f64());
        answer.expect("the server answers")
    };
    let path = format!("/api/shots/{shot}");
    let state = ask("GET", &path, &json!({})).json();
    let subject = text(&state["subjects"][1 + person / SHOTS]["id"]);
    let mut revision = state["shot"]["revision"].clone();
    let mut count = 0;
    while Instant::now() < until || count == 0 {
        let edit = json!({ "edit": "rename", "subject": subject, "name": format!("{person} {}", count + 1) });
        let answer =
            ask("POST", &format!("{path}/edits"), &json!({ "revision": revision, "title": "Rename", "edit": edit }));
        match answer.status {
            200 => {
                count += 1;
                revision = answer.json()["revision"].clone();
                std::thread::sleep(THINKS);
            }
            409 => revision = answer.json()["revision"].clone(),
            other => panic!("{other}: {}", answer.text()),
        }
    }
    count
}
