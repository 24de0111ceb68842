//! A worker that is stopped (SIGSTOP) for 20 seconds in the middle of each kind of work, with a second one there; then
//! it comes back.

use std::time::Duration;

use jampin_testkit::make_film;
use serde_json::{Value, json};

use crate::checker::rows_and_files;
use crate::party::{Party, signal, text};

const FILM: &str = "-f lavfi -i mandelbrot=size=640x360:rate=25:start_scale=0.8:end_scale=0.7:end_pts=900 -t 24 -preset ultrafast -crf 12 -pix_fmt yuv420p";
const STOPPED: Duration = Duration::from_secs(20);

pub(crate) fn run() {
    let films = tempfile::tempdir().expect("room for a film");
    let film = make_film(films.path(), "film.mp4", FILM);
    let mut party = Party::begin(&[]);
    let project = party.project("Drill");
    for work in ["following", "exporting", "preparing"] {
        let shot = if work == "preparing" {
            text(&party.upload(&project, &film).json()["shot"])
        } else {
            party.shot_of(&project, &film)
        };
        let path = format!("/api/shots/{shot}");
        match work {
            "following" => {
                let pin = json!({ "revision": 0, "frame": 0, "x": 250.0, "y": 180.0, "follow": true });
                assert_eq!(party.send("POST", &format!("{path}/pins"), &pin).status, 201);
            }
            "exporting" => drop(party.send("POST", &format!("{path}/exports"), &json!({ "container": "mp4" }))),
            _ => {}
        }
        std::thread::sleep(Duration::from_millis(700));
        let pid = party.worker(0).to_string();
        signal("STOP", &pid);
        party.start_worker();
        std::thread::sleep(STOPPED);
        let taken = party.get("/api/queue").json();
        signal("CONT", &pid);
        party.settle();
        std::thread::sleep(Duration::from_secs(2));
        let jobs = party.get("/api/queue").json();
        let ours = |queue: &Value| queue[0].clone();
        let (then, now) = (ours(&taken), ours(&jobs));
        assert_eq!(now["state"], "done", "{now}");
        println!(
            "{work}: attempts {}, {} after 20 s of standstill, {} in the end",
            now["attempts"], then["state"], now["state"]
        );
        rows_and_files(&party);
        // The one that came back stays; the other goes.
        party.kill_workers();
        party.start_worker();
    }
    println!("\nno invariant broken");
}
