//! `kill -9` of the server, the worker, ffmpeg or PostgreSQL at random moments of following, solving, preparing,
//! exporting and editing.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use jampin_testkit::{Dice, make_film, try_request};
use serde_json::{Value, json};

use crate::checker::{Kept, rows_and_files, set_by_hand};
use crate::party::{Party, text};

const FILM: &str = "-f lavfi -i mandelbrot=size=640x360:rate=25:start_scale=0.8:end_scale=0.7:end_pts=900 -t 6 -preset ultrafast -crf 12 -pix_fmt yuv420p";
const VICTIMS: [&str; 4] = ["server", "worker", "ffmpeg", "database"];
const WORK: [&str; 5] = ["following", "solving", "preparing", "exporting", "editing"];

pub(crate) fn run(rounds: u32) {
    let films = tempfile::tempdir().expect("room for a film");
    let film = make_film(films.path(), "film.mp4", FILM);
    let mut dice = Dice(u64::from(rounds));
    let mut party = Party::begin(&[]);
    let mut done: BTreeMap<(&str, &str), u32> = BTreeMap::new();
    for round in 0..rounds {
        let work = WORK[round as usize % WORK.len()];
        let victim = VICTIMS[(round as usize / WORK.len()) % VICTIMS.len()];
        one_round(&mut party, &film, &mut dice, work, victim);
        *done.entry((work, victim)).or_default() += 1;
        println!("{:3} of {rounds}: {victim} killed while {work}", round + 1);
    }
    println!("\n{rounds} rounds, no invariant broken: {done:?}");
}

fn one_round(party: &mut Party, film: &Path, dice: &mut Dice, work: &str, victim: &str) {
    let project = party.project("Drill");
    let shot = if work == "preparing" {
        text(&party.upload(&project, film).json()["shot"])
    } else {
        party.shot_of(&project, film)
    };
    let mut kept = Kept::default();
    begin(party, &shot, work, &mut kept);
    let path = format!("/api/shots/{shot}");
    let stop = AtomicBool::new(false);
    let pause = dice.below(1200);
    std::thread::scope(|scope| {
        let editing = (work == "editing").then(|| {
            let editor = Editor::new(party, &path);
            scope.spawn(|| editor.rename(&stop, &mut kept))
        });
        std::thread::sleep(Duration::from_millis(pause));
        match victim {
            "server" => party.kill_server(),
            "worker" => party.kill_workers(),
            "ffmpeg" => drop(party.kill_ffmpegs()),
            _ => party.kill_database(),
        }
        std::thread::sleep(Duration::from_millis(150));
        stop.store(true, Ordering::Relaxed);
        if let Some(editing) = editing {
            editing.join().expect("the editor ends");
        }
    });
    match victim {
        "server" => party.start_server(),
        "worker" => party.start_worker(),
        "ffmpeg" => {}
        _ => party.start_database(),
    }
    party.come_back();
    party.settle();
    rows_and_files(party);
    set_by_hand(party, &shot, &kept);
    party.send("DELETE", &format!("/api/projects/{project}"), &json!({}));
    party.send("DELETE", &format!("/api/projects/{project}/for-good"), &json!({}));
}

fn begin(party: &Party, shot: &str, work: &str, kept: &mut Kept) {
    let path = format!("/api/shots/{shot}");
    match work {
        "preparing" => {}
        "exporting" => drop(party.send("POST", &format!("{path}/exports"), &json!({ "container": "mp4" }))),
        _ => {
            put_pin(party, &path, kept);
            if work == "solving" {
                party.settle();
                put_guide(party, &path, kept);
            }
        }
    }
}

fn put_pin(party: &Party, path: &str, kept: &mut Kept) {
    let body = json!({ "revision": 0, "frame": 40, "x": 250.0, "y": 180.0, "follow": true, "name": "Harbour light" });
    let made = party.send("POST", &format!("{path}/pins"), &body);
    assert_eq!(made.status, 201, "{}", made.text());
    kept.name = "Harbour light".into();
    kept.revision = made.json()["revision"].as_i64().unwrap_or(0);
}

/// Solves the stretches beside it.
fn put_guide(party: &Party, path: &str, kept: &mut Kept) {
    let state = party.get(path).json();
    let pin = &state["subjects"][0]["pins"][0]["id"];
    let body =
        json!({ "revision": state["shot"]["revision"], "pin": pin, "frame": 90, "at": { "x": 246.5, "y": 181.25 } });
    let set = party.send("POST", &format!("{path}/guides"), &body);
    assert!(set.status < 300, "{}", set.text());
    kept.guide = Some((90, 246.5, 181.25));
    kept.revision = set.json()["revision"].as_i64().unwrap_or(0);
}

/// A person who renames the subject over and over.
struct Editor {
    address: String,
    path: String,
    subject: Value,
}

impl Editor {
    fn new(party: &Party, path: &str) -> Self {
        let subject = party.get(path).json()["subjects"][0]["id"].clone();
        Self { address: party.address().to_owned(), path: path.to_owned(), subject }
    }

    /// Until it is stopped, or gets no good answer. What was answered is kept; what was sent last may be.
    fn rename(self, stop: &AtomicBool, kept: &mut Kept) {
        for n in 0.. {
            if stop.load(Ordering::Relaxed) {
                return;
            }
            let name = format!("Harbour light {n}");
            let edit = json!({ "edit": "rename", "subject": self.subject, "name": name });
            let body = json!({ "revision": kept.revision, "title": "Rename", "edit": edit }).to_string();
            kept.sent = Some(name.clone());
            let head = "Content-Type: application/json\r\n";
            let made = try_request(&self.address, "POST", &format!("{}/edits", self.path), head, body.as_bytes());
            let Some(made) = made.filter(|made| made.status == 200) else { return };
            kept.name = name;
            kept.revision = made.json()["revision"].as_i64().unwrap_or(0);
        }
    }
}
